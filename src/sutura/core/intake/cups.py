"""The shop's suction cups, as somebody types them."""

from __future__ import annotations

import re
from collections.abc import Sequence

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.typed import read_whole


def read_cups(typed: str) -> tuple[int, ...]:
    """The shop's cups from diameters in mm, written with commas or spaces; smallest first.

    >>> read_cups("40, 20 mm 30")
    (20, 30, 40)
    """
    accepts = fact("intake.write-diameters-whole-mm-such-20")
    try:
        cups = {read_whole(word, 999) for word in re.split(r"[\s,;]+", typed.replace("mm", " ")) if word}
    except Invalid:
        raise Invalid("cups", typed, accepts) from None
    if not cups:
        raise Invalid("cups", typed, accepts)
    if len(cups) > 8 or min(cups) < 10 or max(cups) > 120:
        raise Invalid("cups", typed, fact("intake.write-one-eight-cups-10-120"))
    return tuple(sorted(cups))


def cups_text(cups_mm: Sequence[int]) -> str:
    return ", ".join(str(cup) for cup in cups_mm)
