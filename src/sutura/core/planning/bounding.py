"""How little lateness any plan of a day can have: everybody's minutes get a price, each job takes the
cheapest way for itself, and prices rise where more than one would take the same minute.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sutura.core.planning.day import Day, Window, Work
from sutura.core.values import Rule

RULES = (
    Rule(
        id="plan.bound",
        capability="planning",
        says=(
            "What no plan goes below: with a price on each minute of each person, jobs that choose for "
            "themselves cost no more than in any plan, less the price of all minutes. Prices are bettered "
            "step by step; whatever they are, the bound is true. Places of stations are left out of it."
        ),
        source=(
            "Lagrangian relaxation of the formulation by minutes, subgradient steps (Fisher 1981, Held, "
            "Wolfe and Crowder 1974; from memory)"
        ),
    ),
)
# how much of the last step is kept in the next, and after how many steps without gain they become shorter
# by how much; tried on twenty seeded days
KEEPS, PATIENCE, SHORTER = 0.8, 20, 0.7
# choices times minutes that are looked at in about a second, and steps after which nothing is gained
A_SECOND, MOST_STEPS = 25_000_000, 2_000
_NEVER = 1e15


@dataclass(frozen=True, slots=True)
class _Choice:
    """A job by one person: how long each operation takes them, and for what hands do the price of a start at
    a minute at which it cannot be.
    """

    key: str
    person: int
    release: int
    operations: tuple[tuple[int, np.ndarray | None], ...]
    late: np.ndarray


def steps_for(day: Day, seconds: float) -> int:
    """How many steps take about so many seconds; there is no clock here, and the same day has the same."""
    choices = sum(person in day.people for job in day.jobs for person in job.people)
    return round(seconds * A_SECOND / max(choices * (day.horizon + 1), 1))


def least_lateness(day: Day, best: int, steps: int) -> int:
    """Weighed minutes of lateness that no plan of a day goes below (rule plan.bound), `best` being those of a
    plan that is known. Ends after so many steps, or when the plan is proved to be the best.
    """
    names = {name: place for place, name in enumerate(day.people)}
    choices = [choice for job in day.jobs for choice in _choices(day, job, names)]
    prices = np.zeros((len(names), day.horizon + 1))
    last = np.zeros_like(prices)
    bound, length, without_gain = 0.0, 1.0, 0
    for _ in range(min(steps, MOST_STEPS)):
        found, used = _cheapest(choices, prices)
        if found > bound:
            bound, without_gain = found, 0
        else:
            without_gain += 1
        if math.ceil(bound - 1e-6) >= best:
            break
        if without_gain > PATIENCE:
            length, without_gain = length * SHORTER, 0
        towards = (used - 1) + KEEPS * last
        towards[(prices <= 0) & (towards < 0)] = 0
        steep = float((towards**2).sum())
        if not steep:
            break
        prices = np.maximum(prices + length * (best - found) / steep * towards, 0)
        last = towards
    return min(max(math.ceil(bound - 1e-6), 0), best)


def _choices(day: Day, job: Work, names: dict[str, int]) -> list[_Choice]:
    """A job by each of those who may do it."""
    pin = day.pin_of(job.key)
    minutes = np.arange(day.horizon + 1)
    found = []
    for person in job.people:
        if person not in names or (pin and pin.person and pin.person != person):
            continue
        operations: list[tuple[int, np.ndarray | None]] = []
        for number, operation in enumerate(job.operations):
            long = job.minutes(number, person)
            start = None
            if operation.attended and long:
                start = np.where(_fits(day.people[person], long, minutes), 0.0, _NEVER)
                if number == 0 and pin and pin.start is not None:
                    start = np.where(minutes == pin.start, start, _NEVER)
            operations.append((long, start))
        late = job.weight * np.maximum(minutes - job.due, 0.0)
        found.append(
            _Choice(
                key=job.key,
                person=names[person],
                release=job.release,
                operations=tuple(operations),
                late=late,
            )
        )
    return found


def _fits(windows: Sequence[Window], long: int, minutes: np.ndarray) -> np.ndarray:
    """At which minutes something of that length can begin inside of one window."""
    fits = np.zeros(minutes.shape, bool)
    for window in windows:
        fits |= (minutes >= window.start) & (minutes + long <= window.end)
    return fits


def _cheapest(choices: Sequence[_Choice], prices: np.ndarray) -> tuple[float, np.ndarray]:
    """What all jobs cost that choose for themselves, less the price of all minutes; and how often each minute
    is taken.
    """
    before = np.concatenate([np.zeros((len(prices), 1)), np.cumsum(prices, axis=1)], axis=1)
    best: dict[str, tuple[float, _Choice, list[np.ndarray | None]]] = {}
    for choice in choices:
        cost, ways = _cost(choice, before[choice.person])
        if choice.key not in best or cost < best[choice.key][0]:
            best[choice.key] = (cost, choice, ways)
    used = np.zeros_like(prices)
    for _, choice, ways in best.values():
        at = choice.release
        for (long, _), way in zip(choice.operations, ways, strict=True):
            if way is not None:
                at += int(np.argmin(way[at:]))
                used[choice.person, at : at + long] += 1
            at += long
    return sum(cost for cost, _, _ in best.values()) - float(prices.sum()), used


def _cost(choice: _Choice, before: np.ndarray) -> tuple[float, list[np.ndarray | None]]:
    """The cheapest of a job by one person, and for each operation of hands what it costs from each start
    with everything after it.
    """
    whole = len(choice.late)
    after = choice.late
    ways: list[np.ndarray | None] = []
    for long, starts in reversed(choice.operations):
        here = np.full(whole, _NEVER)
        here[: whole - long] = after[long:]
        if starts is None:
            after = here
            ways.append(None)
            continue
        here[: whole - long] += before[long:whole] - before[: whole - long]
        here += starts
        ways.append(here)
        # hands may wait
        after = np.minimum.accumulate(here[::-1])[::-1]
    return float(after[min(choice.release, whole - 1)]), ways[::-1]
