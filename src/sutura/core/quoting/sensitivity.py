"""What would change the answer: how much longer or dearer a way can get before another one leaves more, and
what that does to the chance from which on it pays.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from sutura.core.facts import Say, fact
from sutura.core.maths.money import Money
from sutura.core.quoting.chains import break_even, expected_cost
from sutura.core.quoting.routes import Policy, Way, chain_of, chance_of
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="quote.turns",
        capability="quoting",
        says=(
            "How far an answer may be off is told: by how many minutes or how much for its part the "
            "recommended route can be worse, at the same price, before the next one leaves more; and what "
            "ten minutes more or a part a tenth dearer do to the chance from which on a try pays."
        ),
        source=COMMON,
    ),
)
# what is tried on the chance from which on a way pays
MORE_MINUTES, DEARER = 10, 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class Turning:
    """How much worse a way can get before `other` leaves more: minutes longer, or its part dearer; None
    where it never turns by that.
    """

    other: Say
    minutes: int | None
    part: Money | None


def left_of(way: Way, by_id: Mapping[str, Way], policy: Policy) -> float:
    """What a way leaves by the shop's weights (rule quote.recommended), in minor units."""
    chance = chance_of(way.kind, way.tried, kit=way.kit).mean
    left = way.price.minor - way.tax.minor - expected_cost(chain_of(way, by_id, policy))
    return left - way.wait_days * policy.wait_day_minor - (1 - chance) * policy.failure_minor


def _worse(way: Way, minutes: float, minor: float) -> Way:
    """A way that takes longer and whose part is dearer, at the same price."""
    by_minutes = way.by_minutes + minutes if way.by_minutes else 0
    return replace(
        way,
        bench_minutes=way.bench_minutes + minutes,  # type: ignore[arg-type] # tried, never shown
        by_minutes=by_minutes,  # type: ignore[arg-type] # likewise
        parts=replace(way.parts, minor=way.parts.minor + minor),  # type: ignore[arg-type] # likewise
    )


def turning(way: Way, other: Way, by_id: Mapping[str, Way], policy: Policy) -> Turning:
    """How much worse a way can get before another leaves more (rule quote.turns); prices stay as they are.
    What is left falls evenly with minutes and money, so that one step tells the whole line.
    """

    def ahead(minutes: float, minor: float) -> float:
        tried = {**by_id, way.key: _worse(way, minutes, minor)}
        return left_of(tried[way.key], tried, policy) - left_of(tried[other.key], tried, policy)

    now = ahead(0, 0)

    def until(falls: float) -> int | None:
        return int(now / falls) if falls > 1e-9 and now >= 0 else None

    part = until((now - ahead(0, 1_000)) / 1_000)
    return Turning(
        other=other.name,
        minutes=until((now - ahead(60, 0)) / 60),
        part=None if part is None else Money(minor=part, currency=way.price.currency),
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
