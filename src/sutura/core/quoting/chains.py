"""Tries that follow each other until one succeeds: what they cost on average, how that spreads, and from
which chance on a cheap first try pays.

Costs are in minor units, minutes are minutes; both may be fractions on average.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.values import Rule

RULES = (
    Rule(
        id="quote.expected",
        capability="quoting",
        says=(
            "What a route costs on average = its own try, and with the chance that it fails what follows it; "
            "the last one is repeated until it succeeds."
        ),
        source="Absorbing Markov chain (Grinstead & Snell, ch. 11), here in closed form",
    ),
    Rule(
        id="quote.break-even",
        capability="quoting",
        says=(
            "A cheap first try pays while it succeeds more often than the share at which its average cost "
            "equals that of doing at once what follows it."
        ),
        source="Closed form: 1 − (cost of the other alone − cost of the try) ÷ cost after it failed",
    ),
)

# what is left out of a distribution's end; its percentiles do not reach so far
_TAIL = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Try:
    """One try: what it costs, how long it takes, and how often it succeeds."""

    cost: float
    minutes: float
    chance: float

    def __post_init__(self) -> None:
        if not 0 < self.chance <= 1:
            raise ValueError(f"a try that succeeds {self.chance} of the time ends never")


def expected_cost(tries: Sequence[Try]) -> float:
    """What tries that follow each other cost on average, the last repeated until it succeeds.

    >>> round(expected_cost([Try(cost=30, minutes=0, chance=.8), Try(cost=120, minutes=0, chance=.97)]), 5)
    54.74227
    """
    *first, last = tries
    cost = last.cost / last.chance
    for one in reversed(first):
        cost = one.cost + (1 - one.chance) * cost
    return cost


def expected_minutes(tries: Sequence[Try]) -> float:
    """How long tries that follow each other take on average."""
    return expected_cost([Try(cost=one.minutes, minutes=0, chance=one.chance) for one in tries])


def break_even(first: Try, alone: float, after_failure: float) -> float | None:
    """The chance from which on a first try pays: there its average cost equals `alone`, the cost of doing at
    once what follows it; `after_failure` is the cost of that when the try failed before. None where it never
    pays; 0 where it always does.

    >>> round(break_even(Try(cost=30, minutes=0, chance=.8), 120 / .97, 120 / .97), 4)
    0.2425
    """
    if after_failure <= 0:
        return None
    needed = 1 - (alone - first.cost) / after_failure
    if needed > 1:
        return None
    return max(needed, 0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Outcome:
    """One way it can go: with which probability, at which cost, after how many minutes, and in how many
    tries.
    """

    probability: float
    cost: float
    minutes: float
    tries: int


def outcomes(tries: Sequence[Try]) -> tuple[Outcome, ...]:
    """Every way it can go, the likeliest ends first: success at each try, the last one repeated. What is
    rarer than one in a thousand million is counted with the last.
    """
    found: list[Outcome] = []
    left, cost, minutes = 1.0, 0.0, 0.0
    for number in itertools.count(1):
        one = tries[min(number, len(tries)) - 1]
        cost, minutes = cost + one.cost, minutes + one.minutes
        ends = number >= len(tries) and left * (1 - one.chance) < _TAIL
        probability = left if ends else left * one.chance
        found.append(Outcome(probability=probability, cost=cost, minutes=minutes, tries=number))
        if ends:
            return tuple(found)
        left *= 1 - one.chance
    raise AssertionError("counted to the end")


def percentile(values: Sequence[tuple[float, float]], share: float) -> float:
    """The smallest value that is not exceeded with a probability of `share`, of (value, probability): the
    inverse of the distribution function, with no interpolation.
    """
    if not 0 < share < 1:
        raise ValueError(f"no percentile {share}")
    total = 0.0
    for value, probability in sorted(values):
        total += probability
        if total >= share - 1e-12:
            return value
    return max(value for value, _ in values)


# how a route's minutes spread round what is expected, on a scale of ratios; from memory
SPREAD = 0.35
# a lognormal is cut into so many slices of equal probability; the shop's, no source
SLICES = 41


def spread_minutes(ways: Sequence[Outcome], spread: float = SPREAD) -> list[tuple[float, float]]:
    """Minutes with their probabilities: each way's minutes spread as a lognormal with that mean, cut into
    slices of equal probability at their middles.
    """
    from scipy import special

    middles = [(slice_ + 0.5) / SLICES for slice_ in range(SLICES)]
    factors = [math.exp(spread * float(special.ndtri(middle)) - spread * spread / 2) for middle in middles]
    return [(way.minutes * factor, way.probability / SLICES) for way in ways for factor in factors]
