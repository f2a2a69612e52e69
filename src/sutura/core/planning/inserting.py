"""Where new work finds its place in a plan: what can be promised at the counter, and how sure it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from sutura.core.planning.chance import how_sure
from sutura.core.planning.day import Day, DayPlan, Pin, Work
from sutura.core.planning.dispatch import CannotBePlaced, in_order
from sutura.core.planning.expected import UNSURE
from sutura.core.values import COMMON, Rule

# a safe promise is kept in so many of a hundred
SAFE = 90
# somebody else helps who is done so many minutes sooner; the shop's, no source
WORTH_MINUTES = 15

RULES = (
    Rule(
        id="plan.insert",
        capability="planning",
        says=(
            "New work goes into the plan as early as it makes no other job late that was not, and none later "
            "that was; whoever has a job keeps it. It is likely done when half of the plan's runs are, or as "
            f"planned where that is later; the safe promise is kept in {SAFE} of 100 runs of that plan."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.cover",
        capability="planning",
        says=(
            "Who is away does nothing: each of their jobs, the one that is due first in front, is proposed "
            "to whoever of those that may and are there is done with it soonest, so that no job of the "
            "others becomes late that was not."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.helps",
        capability="planning",
        says=(
            f"Where a promise is kept in fewer than {UNSURE} of 100, what would help most is said: another "
            "supplier who brings its part sooner; somebody else who has room for it so that it is done at "
            f"least {WORTH_MINUTES} minutes sooner; else the customer is told now."
        ),
        source=COMMON,
    ),
)


class Helps(StrEnum):
    """What would help a promise that may be missed."""

    SUPPLIER = "supplier"
    PERSON = "person"
    TELL = "tell"


@dataclass(frozen=True, slots=True, kw_only=True)
class Inserted:
    """Where new work would be: who does it, when it begins, when it is done in half of the runs (or as
    planned, where that is later) and in how many of a hundred by then, and when in `SAFE` of a hundred. In
    minutes from the start of the plan.
    """

    person: str
    begins: int
    done: int
    safe: int
    of_hundred: int


def insert(day: Day, plan: DayPlan, work: Work) -> Inserted:
    """New work in the plan of a day, and how sure that is (rule plan.insert). Refuses what nobody can do
    within it.
    """
    new, found = place(day, plan, work)
    person, begins = found.begins[work.key]
    done, of_hundred, safe = how_sure(new, found, work.key, SAFE / 100)
    return Inserted(person=person, begins=begins, done=done, safe=safe, of_hundred=of_hundred)


def place(day: Day, plan: DayPlan, work: Work) -> tuple[Day, DayPlan]:
    """The day and the plan with new work in it, as early as no other job loses by it (rule plan.insert).
    Refuses what nobody can do within it.
    """
    order = sorted(plan.begins, key=lambda key: (plan.begins[key][1], key))
    jobs = {job.key: job for job in day.jobs}
    kept = replace(
        day,
        jobs=tuple(jobs[key] for key in order),
        pins=tuple(Pin(key=key, person=plan.begins[key][0]) for key in order),
        told={},
    )
    most = _late(kept, in_order(kept, order))
    new = replace(kept, jobs=(*kept.jobs, replace(work, due=kept.horizon)))
    # the last place makes nobody later; between it and the first the earliest is looked for by halves
    found = in_order(new, [*order, work.key])
    low, high = 0, len(order)
    while low < high:
        middle = (low + high) // 2
        tried = _try(new, [*order[:middle], work.key, *order[middle:]], most)
        if tried is None:
            low = middle + 1
        else:
            high = middle
            if tried.finishes[work.key] <= found.finishes[work.key]:
                found = tried
    return new, found


@dataclass(frozen=True, slots=True, kw_only=True)
class Covered:
    """A plan in which others do somebody's jobs, and the jobs that nobody of them can do within it."""

    plan: DayPlan
    nobody: tuple[str, ...]


def cover(day: Day, plan: DayPlan, works: Sequence[Work]) -> Covered:
    """Others do somebody's jobs, each as early as no job loses by it that is in the plan by then, the one
    that is due first in front (rule plan.cover).
    """
    nobody = []
    for work in sorted(works, key=lambda work: (work.due, work.key)):
        try:
            bigger, plan = place(day, plan, work)
        except CannotBePlaced:
            nobody.append(work.key)
        else:
            # the promise counts again for what is placed after it
            day = replace(bigger, jobs=tuple(work if one.key == work.key else one for one in bigger.jobs))
    return Covered(plan=plan, nobody=tuple(nobody))


def other_person(day: Day, plan: DayPlan, key: str, people: Mapping[str, float]) -> str:
    """Who of those who may do a job would be done with it sooner by enough, were it theirs; nobody = empty
    (rule plan.helps).
    """
    job = next(job for job in day.jobs if job.key == key)
    others = {name: factor for name, factor in people.items() if name not in job.people}
    rest = replace(day, jobs=tuple(one for one in day.jobs if one.key != key), pins=())
    without = DayPlan(placed=tuple(one for one in plan.placed if one.key != key))
    try:
        found = insert(rest, without, replace(job, people=others))
    except CannotBePlaced:
        return ""
    return found.person if found.done + WORTH_MINUTES <= plan.finishes[key] else ""


def _late(day: Day, plan: DayPlan) -> dict[str, int]:
    """How late each job is, in minutes; 0 where it is kept."""
    done = plan.finishes
    return {job.key: max(done[job.key] - job.due, 0) for job in day.jobs}


def _try(day: Day, order: Sequence[str], most: Mapping[str, int]) -> DayPlan | None:
    """The plan of an order in which no job is later than it was; None where there is none."""
    try:
        found = in_order(day, order)
    except CannotBePlaced:
        return None
    late = _late(day, found)
    return found if all(late[key] <= minutes for key, minutes in most.items()) else None
