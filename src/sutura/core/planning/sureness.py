"""Orders that are no later on paper and whose promises are surer: a job that may well be missed goes before
others that its person does first.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from sutura.core.planning.chance import Outlook, outlook
from sutura.core.planning.day import Day, DayPlan, moved_minutes, worth_of
from sutura.core.planning.dispatch import CannotBePlaced, in_order
from sutura.core.values import Rule

# a job that is kept in fewer runs is tried earlier; the shop's, no source
SURE = 0.95
# a minute of lateness to be expected counts as so many of early finish; the shop's, no source
SURE_WORTH = 10
# runs behind each comparison, and orders that are compared at most
SEARCH_RUNS, MOST_TRIES = 500, 120

RULES = (
    Rule(
        id="plan.surer",
        capability="planning",
        says=(
            f"A job whose promise is kept in fewer than {SURE:.0%} of the runs is tried before each job that "
            "its person begins earlier. It goes where the weighed lateness to be expected – a minute of it "
            f"counts as {SURE_WORTH} – and early finish, with the minutes of what moves, come to least. No "
            "plan becomes later on paper by it; what is held at its time stays there."
        ),
        source=f"local search over orders, at most {MOST_TRIES} of them; the shop's weights, no source",
    ),
)


@dataclass(frozen=True, slots=True)
class Tried:
    """A plan with what it costs in minutes, the less the better, and how its jobs come out."""

    plan: DayPlan
    cost: float
    found: Outlook


def tried(day: Day, plan: DayPlan) -> Tried:
    """A plan, weighed (rule plan.surer)."""
    found = outlook(day, plan, runs=SEARCH_RUNS)
    expected = sum(job.weight * found.late[job.key] for job in day.jobs)
    return Tried(plan, moved_minutes(day, plan) + SURE_WORTH * expected, found)


def surer(day: Day, plan: DayPlan) -> DayPlan:
    """The plan, or an order of the same people's jobs that is as little late and whose promises are surer."""
    lateness = worth_of(day, plan).lateness
    begins = plan.begins
    fixed = replace(
        day,
        jobs=tuple(replace(job, people={p: job.people[p]}) for job in day.jobs for p in [begins[job.key][0]]),
    )
    best = tried(day, plan)
    left = MOST_TRIES
    while left > 0:
        before = best
        for order in _earlier(day, best):
            if left == 0:
                break
            left -= 1
            try:
                other = in_order(fixed, order)
            except CannotBePlaced:
                continue
            if worth_of(day, other).lateness <= lateness:
                best = min(best, tried(day, other), key=lambda one: one.cost)
        if best is before:
            break
    return best.plan


def _earlier(day: Day, best: Tried) -> Iterator[Sequence[str]]:
    """Orders in which one job that is not sure comes before one that its person begins earlier; those that
    cost most first.
    """
    begins = best.plan.begins
    order = sorted(begins, key=lambda key: (begins[key][1], key))
    held = {pin.key for pin in day.pins if pin.start is not None}
    weights = {job.key: job.weight for job in day.jobs}
    unsure = [key for key in order if best.found.kept[key] < SURE and key not in held]
    for key in sorted(unsure, key=lambda key: (-weights[key] * best.found.late[key], key)):
        before = [one for one in order[: order.index(key)] if begins[one][0] == begins[key][0]]
        for other in before:
            rest = [one for one in order if one != key]
            rest.insert(rest.index(other), key)
            # what is held at its time takes its place first
            yield [*(one for one in rest if one in held), *(one for one in rest if one not in held)]
