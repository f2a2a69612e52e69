"""What becomes of the old screen of a repaired device."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from functools import partial

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.typed import Problems, read_amount, read_choice, read_text
from sutura.core.values import COMMON, Rule


class CoreState(StrEnum):
    """Where an old screen is: kept here, or what it was given for."""

    KEPT = "kept"
    HANDED_BACK = "handed_back"
    RECYCLED = "recycled"
    SOLD = "sold"


ENDS = (CoreState.HANDED_BACK, CoreState.RECYCLED, CoreState.SOLD)

RULES = (
    Rule(
        id="stock.cores",
        capability="stock",
        says=(
            "The old screen of a repaired device is kept until it is handed back, recycled, or sold as a "
            "core with its buyer and what it brought; then it stays so."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class CoreEnd:
    """What an old screen was given for; buyer and amount in minor units of one that was sold."""

    to: CoreState
    buyer: str = ""
    amount_minor: int | None = None


def read_end(state: CoreState, typed: Mapping[str, str], currency: str) -> CoreEnd:
    """The end of an old screen as typed; every problem at its field. One that ended stays so."""
    if state is not CoreState.KEPT:
        raise Invalid("to", typed.get("to", ""), fact("stock.old-screen-is-gone", state=state))
    problems = Problems("The old screen")
    to = problems.read(
        "to",
        typed.get("to", ""),
        lambda text: CoreState(read_choice(text, ENDS, fact("stock.choose-what-became-of-screen"))),
    )
    buyer, amount = "", None
    if to is CoreState.SOLD:
        who = partial(read_text, most=80, least=1, accepts=fact("stock.write-who-bought-it"))
        buyer = problems.read("buyer", typed.get("buyer", ""), who) or ""
        amount = problems.read("amount", typed.get("amount", ""), partial(read_amount, currency=currency))
    problems.refuse()
    return CoreEnd(to=to or CoreState.RECYCLED, buyer=buyer, amount_minor=amount)
