"""Handing back: everything that came in goes out, the price is paid, the warranty runs from today."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from sutura.core.errors import AccessoriesMissing, Invalid
from sutura.core.facts import Fact, fact
from sutura.core.maths.money import Money
from sutura.core.typed import read_amount, read_decimal
from sutura.core.values import COMMON, Rule


class Method(StrEnum):
    CASH = "cash"
    CARD = "card"
    TRANSFER = "transfer"


@dataclass(frozen=True, slots=True, kw_only=True)
class Accessory:
    """Something that came with the device, and where it is kept."""

    id: int
    name: str
    kept: str


RULES = (
    Rule(
        id="handover.accessories",
        capability="handover",
        says="Everything that came in is ticked as handed back, or its whereabouts are written.",
        source=COMMON,
    ),
    Rule(
        id="handover.paid",
        capability="handover",
        says="The payment equals the price still open.",
        source=COMMON,
    ),
    Rule(
        id="handover.warranty",
        capability="handover",
        says=(
            "The warranty runs from the day of handover for the model's number of days, on the part "
            "and the work, not on new damage."
        ),
        source="the shop's terms; local law comes first",
    ),
)


def check_accessories(accessories: Sequence[Accessory], returned: Sequence[int], explanation: str) -> None:
    """Refuse when something that came in is neither ticked nor explained."""
    missing = [a.name for a in accessories if a.id not in returned]
    if missing and not explanation.strip():
        raise AccessoriesMissing(missing)


def check_payment(owed: Money, typed: str, method: str) -> tuple[Money, Method]:
    """The payment to record; it must be the whole open amount, by a known method."""
    if method not in set(Method):
        raise Invalid("method", method, fact("handover.choose-one", method=tuple(Method)))
    if read_decimal(typed) is None or read_amount(typed, owed.currency) != owed.minor:
        raise Invalid("amount", typed, fact("handover.open-amount-take-all-have-manager", owed=owed))
    return owed, Method(method)


def warranty_end(handed_back: date, days: int) -> date:
    """The last day of the warranty."""
    return handed_back + timedelta(days=days)


def not_promised(*, sealed_device: bool) -> list[Fact]:
    """What the receipt says is not promised. Source: common practice; IP ratings are the maker's, before
    opening.
    """
    lines = [fact("handover.new-damage-liquid-bending-not-covered")]
    if sealed_device:
        lines.insert(0, fact("handover.splash-protection-not-promised-after-opening"))
    return lines
