"""What a repair may cost, said at the counter before anybody signs: a range, and the likely way in it."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.maths.money import Money
from sutura.core.quoting.routes import Standing, Weighed, in_view
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="quote.estimate",
        capability="quoting",
        says=(
            "Before the customer signs, a range can be said: from the cheapest to the dearest of the options "
            "that would be compared, with the one that is recommended. It is an estimate, on the ticket "
            "where it was told. What is chosen above it needs the customer's consent anew."
        ),
        source=COMMON,
    ),
)
# what an intake keeps of it
ESTIMATE = "estimate"
_KEPT = re.compile(r"(\d{1,9}) (\d{1,9}) ([A-Z]{3})")


@dataclass(frozen=True, slots=True, kw_only=True)
class Range:
    """From what to what a repair was said to cost."""

    low: Money
    high: Money

    @property
    def kept(self) -> str:
        """How an intake keeps it, and its form sends it."""
        return f"{self.low.minor} {self.high.minor} {self.low.currency}"

    @property
    def says(self) -> Say:
        if self.low == self.high:
            return fact("estimate.about", price=self.low)
        return fact("estimate.between", low=self.low, high=self.high)


@dataclass(frozen=True, slots=True, kw_only=True)
class Estimate:
    """What can be said of a price before anybody signs: a range, the likely way with its price, None where
    none is recommended, and whether everything costs too much of what the device is worth.
    """

    span: Range
    likely: Say
    price: Money | None
    too_dear: bool


def estimate_of(weighed: Sequence[Weighed]) -> Estimate | None:
    """The estimate of the ways that would be compared (rule quote.estimate); None where none can be done."""
    view = in_view(weighed)
    shown = [one for one in weighed if one.way.key in view.keys]
    if not shown:
        return None
    prices = sorted((one.way.price for one in shown), key=lambda price: price.minor)
    best = next((one for one in shown if one.standing is Standing.RECOMMENDED), None)
    return Estimate(
        span=Range(low=prices[0], high=prices[-1]),
        likely=best.way.name if best else "",
        price=best.way.price if best else None,
        too_dear=view.too_dear,
    )


def range_of(how: Mapping[str, object]) -> Range | None:
    """The range that was told at the intake; None where none was."""
    found = _KEPT.fullmatch(str(how.get(ESTIMATE, "")))
    if not found or int(found[1]) > int(found[2]):
        return None
    low, high = (Money(minor=int(found[place]), currency=found[3]) for place in (1, 2))
    return Range(low=low, high=high)


def check_estimate(how: Mapping[str, str]) -> list[Invalid]:
    """What is wrong with a range an intake says was told; none told is right."""
    told = how.get(ESTIMATE, "").strip()
    if not told or range_of({ESTIMATE: told}):
        return []
    return [Invalid(f"arrival.{ESTIMATE}", told[:40], fact("estimate.as-shown"))]


def above(told: Range | None, price: Money) -> Say:
    """What the customer has to agree to anew where a price is above what was told; empty where it is not.

    >>> told = Range(low=Money(minor=10_000, currency="TAL"), high=Money(minor=18_000, currency="TAL"))
    >>> bool(above(told, Money(minor=18_001, currency="TAL"))), bool(above(told, told.high))
    (True, False)
    """
    if told is None or told.high.currency != price.currency or price.minor <= told.high.minor:
        return ""
    return fact("estimate.above", price=price, high=told.high)
