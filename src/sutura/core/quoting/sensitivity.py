"""What would change the answer: how much dearer or later a way can get before another is recommended, and
what longer work or a dearer part does to the chance from which on it pays.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from sutura.core.facts import Say, fact
from sutura.core.maths.money import Money
from sutura.core.quoting.chains import break_even, expected_cost
from sutura.core.quoting.routes import Policy, Way, aim_of, chain_of
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="quote.turns",
        capability="quoting",
        says=(
            "How far an answer may be off is told: by how much its price may rise, or how many days later it "
            "may come, before the next route is recommended by rule quote.aim; and what ten minutes more or "
            "a part a tenth dearer do to the chance from which on a try pays."
        ),
        source=COMMON,
    ),
)
# what is tried on the chance from which on a way pays
MORE_MINUTES, DEARER = 10, 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class Turning:
    """What would change a recommendation: by how much the customer's price may rise, or how many days later
    it may come, before `other` is recommended; None where it never turns by that.
    """

    other: Say
    dearer: Money | None
    days: int | None


def turning(way: Way, other: Way, policy: Policy) -> Turning:
    """What would change a recommendation (rule quote.turns): what something comes to for the customer rises
    evenly with its price and its days.
    """
    here, there = aim_of(way, policy), aim_of(other, policy)
    ahead = there.weighed_minor - here.weighed_minor
    if here.key[:3] != there.key[:3] or ahead < 0:
        return Turning(other=other.name, dearer=None, days=None)
    return Turning(
        other=other.name,
        dearer=Money(minor=math.floor(ahead), currency=way.price.currency),
        days=math.floor(ahead / policy.wait_day_minor) if policy.wait_day_minor else None,
    )


def _worse(way: Way, minutes: float, minor: float) -> Way:
    """A way that takes longer and whose part is dearer, at the same price."""
    by_minutes = way.by_minutes + minutes if way.by_minutes else 0
    return replace(
        way,
        bench_minutes=way.bench_minutes + minutes,  # type: ignore[arg-type] # tried, never shown
        by_minutes=by_minutes,  # type: ignore[arg-type] # likewise
        parts=replace(way.parts, minor=way.parts.minor + minor),  # type: ignore[arg-type] # likewise
    )


def needs_with(
    way: Way, by_id: Mapping[str, Way], policy: Policy, minutes: int, dearer: float
) -> float | None:
    """The chance from which on a way pays beside what follows it, were it so many minutes longer and its part
    dearer by a share; None where it never pays.
    """
    worse = _worse(way, minutes, way.parts.minor * dearer)
    first, *rest = chain_of(worse, {**by_id, way.key: worse}, policy)
    alone = expected_cost(rest)
    return break_even(first, alone, alone)


def needs_said(way: Way, by_id: Mapping[str, Way], policy: Policy) -> Say:
    """What ten minutes more, or a part a tenth dearer, do to that chance; empty where nothing follows, and
    where it never pays as it is.
    """
    if way.falls_to not in by_id or needs_with(way, by_id, policy, 0, 0) is None:
        return ""
    longer, dearer = (
        needs_with(way, by_id, policy, MORE_MINUTES, 0),
        needs_with(way, by_id, policy, 0, DEARER),
    )

    def told(needs: float | None) -> Say:
        return fact("routes.never") if needs is None else fact("routes.percent", percent=round(needs * 100))

    return fact("routes.needs-with", minutes=MORE_MINUTES, longer=told(longer), dearer=told(dearer))
