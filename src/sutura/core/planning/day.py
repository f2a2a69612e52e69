"""What is planned: jobs as chains of operations, people with their windows, stations that can be full; and
what a plan of them comes to.

Times are whole minutes from the start of what is planned.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import NamedTuple

from sutura.core.facts import Say, fact
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.day",
        capability="planning",
        says=(
            "A job is a chain: what hands do, in one go and inside the hours of whoever does it, and what it "
            "does by itself, which may run over night. One person does a job from its first to its last "
            "step; a person does one thing at a time, a station holds as many devices as it has places."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.aims",
        capability="planning",
        says=(
            "First the weighed lateness of all jobs is made as small as can be, and how far that is from the "
            "best possible is proved; then, with it held, what was told is kept and jobs are done early, and "
            "at last what may well be missed goes first (rule plan.surer)."
        ),
        source="common practice; both in one sum leaves both unproved, tried on random days",
    ),
)


class Window(NamedTuple):
    """Minutes in which somebody works, from and until."""

    start: int
    end: int


def without(hours: Sequence[Window], away: Sequence[Window]) -> tuple[Window, ...]:
    """What is left of somebody's hours while they are away for some of them; nothing lies before the start.

    >>> without([Window(-30, 60), Window(90, 200)], [Window(40, 100), Window(150, 160)])
    (Window(start=0, end=40), Window(start=100, end=150), Window(start=160, end=200))
    """
    left = [Window(max(start, 0), end) for start, end in hours]
    for gone, back in away:
        left = [
            part
            for start, end in left
            for part in (Window(start, min(end, gone)), Window(max(start, back), end))
        ]
    return tuple(sorted({part for part in left if part.start < part.end}))


@dataclass(frozen=True, slots=True, kw_only=True)
class Operation:
    """One part of a job. What hands do is `attended` and takes as long as its person needs; the rest takes
    its `minutes`, and begins at once when the one before it ends.
    """

    minutes: int
    attended: bool = True
    name: Say = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """A station that is held from the start of one operation to the end of another, by their numbers."""

    station: str
    first: int
    last: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Work:
    """A job to be planned. `people` are those who may do it, with the factor on its attended minutes; `due`
    is its promise, `release` when its part is here, `late_minutes` how much later that may be on average,
    `weight` what a minute of lateness counts.
    """

    key: str
    operations: tuple[Operation, ...]
    people: Mapping[str, float]
    due: int
    weight: int = 1
    release: int = 0
    holds: tuple[Hold, ...] = ()
    late_minutes: int = 0

    def minutes(self, number: int, person: str) -> int:
        """How long an operation takes somebody; at least a minute."""
        operation = self.operations[number]
        factor = self.people[person] if operation.attended else 1.0
        return max(round(operation.minutes * factor), 1) if operation.minutes else 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pin:
    """What the manager holds fast: a job's person, the minute at which it begins, or both."""

    key: str
    person: str = ""
    start: int | None = None


# a customer who waits counts as much as so many who do not; the shop's, no source
WAITING_WEIGHT = 5
# and a rush as so many; the shop's, no source
RUSH_WEIGHT = 3
# a job that moves must gain so many minutes of earlier finish, taken over all jobs; the shop's, no source
MOVE_MINUTES = 20
# more of either leaves nothing else to weigh; the shop's, no source
MOST_WEIGHT, MOST_MOVE = 100, 480


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanWeights:
    """What the shop weighs in its plan: how much a waiting customer and a rush count beside a job that is
    neither, and how many minutes of earlier finish a job must gain to be moved from what was told.
    """

    waiting: int = WAITING_WEIGHT
    rush: int = RUSH_WEIGHT
    move_minutes: int = MOVE_MINUTES

    def of(self, *, waits: bool, rush: bool) -> int:
        """What a minute of lateness of a job counts: of who waits and of a rush the larger."""
        return max(self.waiting if waits else 1, self.rush if rush else 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Day:
    """What is planned at once: some days, in minutes from their start."""

    people: Mapping[str, tuple[Window, ...]]
    stations: Mapping[str, int]
    jobs: tuple[Work, ...]
    pins: tuple[Pin, ...] = ()
    # by key, who was told to begin a job and when: kept where nothing is lost by it
    told: Mapping[str, tuple[str, int]] = field(default_factory=dict)
    # minutes of earlier finish for which a job is moved from what was told
    move_minutes: int = MOVE_MINUTES

    @property
    def horizon(self) -> int:
        """No operation ends later: the last window, and what runs on by itself after it."""
        last = max((window.end for windows in self.people.values() for window in windows), default=0)
        alone = max(
            (sum(one.minutes for one in job.operations if not one.attended) for job in self.jobs), default=0
        )
        return last + alone

    def pin_of(self, key: str) -> Pin | None:
        return next((pin for pin in self.pins if pin.key == key), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """One operation in its place."""

    key: str
    number: int
    person: str
    start: int
    end: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DayPlan:
    """Every operation in its place, by job in the order of the day's jobs."""

    placed: tuple[Placed, ...]

    def of(self, key: str) -> tuple[Placed, ...]:
        return tuple(one for one in self.placed if one.key == key)

    @property
    def finishes(self) -> dict[str, int]:
        """When each job is done."""
        done: dict[str, int] = {}
        for one in self.placed:
            done[one.key] = max(done.get(one.key, 0), one.end)
        return done

    @property
    def begins(self) -> dict[str, tuple[str, int]]:
        """Who begins each job, and when."""
        return {one.key: (one.person, one.start) for one in self.placed if one.number == 0}


@dataclass(frozen=True, slots=True, kw_only=True)
class Worth:
    """What a plan comes to: weighed minutes of lateness, promises kept, and the sum of finishing times."""

    lateness: int
    kept: int
    jobs: int
    finish: int
    makespan: int


def worth_of(day: Day, plan: DayPlan) -> Worth:
    """What a plan comes to (rule plan.aims)."""
    done = plan.finishes
    late = {job.key: max(done[job.key] - job.due, 0) for job in day.jobs}
    return Worth(
        lateness=sum(job.weight * late[job.key] for job in day.jobs),
        kept=sum(minutes == 0 for minutes in late.values()),
        jobs=len(day.jobs),
        finish=sum(done.values()),
        makespan=max(done.values(), default=0),
    )


def moved(day: Day, plan: DayPlan) -> tuple[str, ...]:
    """Jobs that begin at another time, or with somebody else, than was told."""
    return tuple(key for key, begins in plan.begins.items() if key in day.told and day.told[key] != begins)


def moved_minutes(day: Day, plan: DayPlan) -> int:
    """The second aim of a plan: finishing times, with what each job counts that is moved."""
    return worth_of(day, plan).finish + day.move_minutes * len(moved(day, plan))


# -- what a plan must keep ---------------------------------------------------------------------------------


def broken_by(day: Day, plan: DayPlan) -> tuple[Say, ...]:
    """What a plan breaks of rule plan.day; nothing for one that can be worked by."""
    broken: list[Say] = []
    for job in day.jobs:
        broken += _broken_in(day, job, plan.of(job.key))
    for name, windows in day.people.items():
        hands = [one for one in plan.placed if one.person == name and _attended(day, one)]
        broken += [
            fact("plan.two-at-once", person=name, one=one.key, other=other.key)
            for one, other in _overlaps(hands)
        ]
        broken += [
            fact("plan.out-of-hours", person=name, key=one.key)
            for one in hands
            if not any(window.start <= one.start and one.end <= window.end for window in windows)
        ]
    for station, places in day.stations.items():
        if most_at_once(held_minutes(day, plan, station)) > places:
            broken.append(fact("plan.station-full", station=station, places=places))
    return tuple(broken)


def _attended(day: Day, one: Placed) -> bool:
    job = next(job for job in day.jobs if job.key == one.key)
    return job.operations[one.number].attended and one.end > one.start


def _broken_in(day: Day, job: Work, placed: Sequence[Placed]) -> list[Say]:
    """What is wrong inside of one job: order, length, person, part, pin."""
    if [one.number for one in placed] != list(range(len(job.operations))):
        return [fact("plan.not-all-of-it", key=job.key)]
    person, pin = placed[0].person, day.pin_of(job.key)
    wrong = (
        person not in job.people
        or any(one.person != person for one in placed)
        or placed[0].start < job.release
        or any(one.end - one.start != job.minutes(one.number, person) for one in placed)
    )
    for before, after in pairwise(placed):
        gap = after.start - before.end
        wrong = wrong or gap < 0 or (gap > 0 and not job.operations[after.number].attended)
    if pin is not None:
        wrong = wrong or bool(pin.person and pin.person != person)
        wrong = wrong or (pin.start is not None and pin.start != placed[0].start)
    return [fact("plan.order-broken", key=job.key)] if wrong else []


def _overlaps(placed: Iterable[Placed]) -> list[tuple[Placed, Placed]]:
    """Neighbours in time that overlap."""
    in_time = sorted(placed, key=lambda one: (one.start, one.end))
    return [(one, other) for one, other in pairwise(in_time) if other.start < one.end]


def held_minutes(day: Day, plan: DayPlan, station: str) -> list[Window]:
    """From when until when a station is held, job by job."""
    held = []
    for job in day.jobs:
        placed = plan.of(job.key)
        held += [
            Window(placed[hold.first].start, placed[hold.last].end)
            for hold in job.holds
            if hold.station == station
        ]
    return held


def most_at_once(held: Iterable[Window]) -> int:
    """How many of some spans there are at once at most; one that ends lets another begin."""
    changes = sorted(
        (minute, step)
        for window in held
        if window.end > window.start
        for minute, step in ((window.start, 1), (window.end, -1))
    )
    most = there = 0
    for _, step in changes:
        there += step
        most = max(most, there)
    return most
