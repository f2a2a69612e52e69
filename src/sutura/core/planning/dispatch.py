"""A plan by a rule, at once: jobs in some order, each where it can be done soonest. It is what the solver
begins with, what stands when the solver fails, and what its plans are held against.
"""

from __future__ import annotations

from bisect import insort
from collections.abc import Callable, Mapping, Sequence
from enum import StrEnum

from sutura.core.errors import Refusal
from sutura.core.facts import fact
from sutura.core.planning.day import Day, DayPlan, Pin, Placed, Window, Work, most_at_once, worth_of
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.dispatch",
        capability="planning",
        says=(
            "Where nothing better is known, jobs are placed one after the other, each where it is done "
            "soonest: by promise, by slack, by weight, and as they came; of these plans the best stands."
        ),
        source=COMMON,
    ),
)


class Order(StrEnum):
    """In which order jobs are placed."""

    PROMISE = "promise"
    SLACK = "slack"
    WEIGHT = "weight"
    CAME = "came"


class CannotBePlaced(Refusal):
    """A job that no one can do within what is planned."""

    def __init__(self, key: str) -> None:
        self.key = key
        super().__init__(fact("plan.cannot-be-placed", key=key))


def least_minutes(job: Work) -> int:
    """How long a job takes the quickest of those who may do it."""
    return min(
        (sum(job.minutes(number, person) for number in range(len(job.operations))) for person in job.people),
        default=0,
    )


_KEYS: Mapping[Order, Callable[[Work], tuple[float, ...]]] = {
    Order.PROMISE: lambda job: (job.due,),
    Order.SLACK: lambda job: (job.due - job.release - least_minutes(job),),
    Order.WEIGHT: lambda job: (job.due - least_minutes(job) - 60 * job.weight,),
    Order.CAME: lambda _: (0,),
}


def dispatch(day: Day, order: Order) -> DayPlan:
    """The plan of a rule: pinned jobs first, then the others in its order; ties as they came. Refuses what
    cannot be placed.
    """
    key = _KEYS[order]
    places = {job.key: place for place, job in enumerate(day.jobs)}
    busy = _Busy(day)
    pinned = [job for job in day.jobs if _time_of(day, job) is not None]
    rest = [job for job in day.jobs if _time_of(day, job) is None]
    found: dict[str, tuple[Placed, ...]] = {}
    for job in [*pinned, *sorted(rest, key=lambda job: (*key(job), places[job.key]))]:
        found[job.key] = busy.place(job)
    return DayPlan(placed=tuple(one for job in day.jobs for one in found[job.key]))


def in_order(day: Day, keys: Sequence[str]) -> DayPlan:
    """The plan of an order that is given, each job where it can be done soonest. Refuses what cannot be
    placed.
    """
    busy, jobs = _Busy(day), {job.key: job for job in day.jobs}
    found = {key: busy.place(jobs[key]) for key in keys}
    return DayPlan(placed=tuple(one for job in day.jobs for one in found[job.key]))


def best_dispatch(day: Day) -> tuple[DayPlan, Order]:
    """The best plan of all rules, and which rule it is; refuses what no rule can place."""
    plans: dict[Order, DayPlan] = {}
    refused: CannotBePlaced | None = None
    for order in Order:
        try:
            plans[order] = dispatch(day, order)
        except CannotBePlaced as cannot:
            refused = refused or cannot
    if refused is not None and not plans:
        raise refused

    def worth(order: Order) -> tuple[int, int]:
        found = worth_of(day, plans[order])
        return found.lateness, found.finish

    best = min(plans, key=lambda order: (worth(order), list(Order).index(order)))
    return plans[best], best


def _time_of(day: Day, job: Work) -> int | None:
    pin = day.pin_of(job.key)
    return pin.start if pin else None


class _Busy:
    """What is taken so far: people's minutes, and stations' spans."""

    def __init__(self, day: Day) -> None:
        self.day = day
        self.hands: dict[str, list[Window]] = {name: [] for name in day.people}
        self.held: dict[str, list[Window]] = {name: [] for name in day.stations}

    def place(self, job: Work) -> tuple[Placed, ...]:
        """A job where it is done soonest; of two as soon, with whoever begins later, then by name."""
        pin = self.day.pin_of(job.key)
        people = [pin.person] if pin and pin.person else list(job.people)
        ways = [
            placed
            for person in people
            if person in job.people and person in self.day.people
            if (placed := self._with(job, person, pin)) is not None
        ]
        if not ways:
            raise CannotBePlaced(job.key)
        best = min(ways, key=lambda placed: (placed[-1].end, -placed[0].start, placed[0].person))
        self._take(job, best)
        return best

    def _with(self, job: Work, person: str, pin: Pin | None) -> tuple[Placed, ...] | None:
        """The soonest with one person; None where it has no room."""
        at = job.release if pin is None or pin.start is None else pin.start
        if at < job.release:
            return None
        while at <= self.day.horizon:
            placed = self._from(job, person, at)
            if placed is None or (pin and pin.start is not None and placed[0].start != pin.start):
                return None
            later = self._station_frees(job, placed)
            if later is None:
                return placed
            if pin and pin.start is not None:
                return None
            at = max(placed[0].start + 1, later)
        return None

    def _from(self, job: Work, person: str, at: int) -> tuple[Placed, ...] | None:
        """Its operations one after the other from a minute on. What runs by itself begins at once, so that
        nothing is placed before what follows has its room too: hands come back when it ends or later.
        """
        placed = []
        for number, operation in enumerate(job.operations):
            minutes = job.minutes(number, person)
            start = self._free(person, at, minutes) if operation.attended and minutes else at
            if start is None:
                return None
            placed.append(Placed(key=job.key, number=number, person=person, start=start, end=start + minutes))
            at = start + minutes
        return tuple(placed)

    def _free(self, person: str, at: int, minutes: int) -> int | None:
        """The first minute from which somebody has so many minutes in one go."""
        for window in self.day.people[person]:
            start = max(at, window.start)
            for taken in self.hands[person]:
                if taken.end <= start:
                    continue
                if taken.start >= start + minutes:
                    break
                start = taken.end
            if start + minutes <= window.end:
                return start
        return None

    def _station_frees(self, job: Work, placed: tuple[Placed, ...]) -> int | None:
        """When the job can be tried again for a station that is full; None where there is room."""
        for hold in job.holds:
            span = Window(placed[hold.first].start, placed[hold.last].end)
            beside = [
                taken
                for taken in self.held[hold.station]
                if taken.start < span.end and taken.end > span.start
            ]
            inside = [Window(max(one.start, span.start), min(one.end, span.end)) for one in beside]
            if most_at_once([*inside, span]) > self.day.stations[hold.station]:
                first = min(taken.end for taken in beside)
                return placed[0].start + max(first - span.start, 1)
        return None

    def _take(self, job: Work, placed: tuple[Placed, ...]) -> None:
        for one in placed:
            if job.operations[one.number].attended and one.end > one.start:
                insort(self.hands[one.person], Window(one.start, one.end))
        for hold in job.holds:
            insort(self.held[hold.station], Window(placed[hold.first].start, placed[hold.last].end))
