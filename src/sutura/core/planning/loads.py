"""What lies ahead against the hours there are for it, and where one more pair of hands, or one more place,
would keep promises.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from sutura.core.bench.owntimes import BEGINNER
from sutura.core.planning.day import Day, Window, Work, Worth, worth_of
from sutura.core.planning.dispatch import CannotBePlaced, Order, best_dispatch, dispatch
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.load",
        capability="planning",
        says=(
            "For each family, the bench work that is due by the end of a day stands against the hours until "
            "then of everybody trained for it, and for all families together against the hours of all. More "
            "work than hours cannot be kept whatever the order; less may still not be, since hands are "
            "shared."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.pays",
        capability="planning",
        says=(
            "What would pay is tried: somebody trained for a family more, taking a beginner's time, or a "
            "station with one place more, each planned by the rule that is best without it. What keeps more "
            "promises, then what is less late, stands first; what changes nothing is left out."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Load:
    """A family by the end of a day: minutes of work that is due by then, and minutes of those who are trained
    until then. The family of all together is empty.
    """

    family: str
    day: int
    work: int
    hours: int

    @property
    def over(self) -> bool:
        return self.work > self.hours


class Pays(StrEnum):
    """What could be had more of."""

    TRAINING = "training"
    PLACE = "place"


@dataclass(frozen=True, slots=True, kw_only=True)
class Gain:
    """What one more would bring: promises kept and weighed minutes less late; `what` is a family or a
    station, `who` the person who would be trained.
    """

    pays: Pays
    what: str
    who: str
    kept: int
    less_late: int


def loads(
    jobs: Sequence[Work],
    family_of: Mapping[str, str],
    trained: Mapping[str, frozenset[str]],
    people: Mapping[str, Sequence[Window]],
    ends: Sequence[int],
) -> tuple[Load, ...]:
    """Work against hours (rule plan.load): `trained` are the families of each person, `ends` the minute at
    which each day is over. What is late already is due on the first day.
    """
    families = sorted({family_of[job.key] for job in jobs})
    found = []
    for family in ["", *families]:
        hands = [name for name in people if not family or family in trained.get(name, ())]
        ours = [job for job in jobs if family in ("", family_of[job.key])]
        for day, end in enumerate(ends):
            work = sum(_attended(job) for job in ours if job.due <= end)
            hours = sum(_until(people[name], end) for name in hands)
            found.append(Load(family=family, day=day, work=work, hours=hours))
    return tuple(found)


def _attended(job: Work) -> int:
    """Minutes of hands, by the quickest of those who may."""
    factor = min(job.people.values(), default=1.0)
    return round(factor * sum(one.minutes for one in job.operations if one.attended))


def _until(windows: Sequence[Window], end: int) -> int:
    return sum(max(min(window.end, end) - window.start, 0) for window in windows)


def gains(
    day: Day, family_of: Mapping[str, str], trained: Mapping[str, frozenset[str]], most: int = 5
) -> tuple[Gain, ...]:
    """What would pay (rule plan.pays), the most of it in front; nothing where every promise is kept."""
    plan, order = best_dispatch(day)
    now = worth_of(day, plan)
    if not now.lateness:
        return ()
    done = plan.finishes
    late = [job for job in day.jobs if done[job.key] > job.due]
    found = []
    for family in sorted({family_of[job.key] for job in late}):
        for person in day.people:
            if day.people[person] and family not in trained.get(person, ()):
                jobs = tuple(
                    replace(job, people={**job.people, person: float(BEGINNER)})
                    if family_of[job.key] == family
                    else job
                    for job in day.jobs
                )
                found.append(_gain(replace(day, jobs=jobs), order, now, Pays.TRAINING, family, person))
    for station in sorted({hold.station for job in day.jobs for hold in job.holds}):
        more = replace(day, stations={**day.stations, station: day.stations[station] + 1})
        found.append(_gain(more, order, now, Pays.PLACE, station, ""))
    worth = [one for one in found if one and (one.kept > 0 or one.less_late > 0) and one.kept >= 0]
    return tuple(sorted(worth, key=lambda one: (-one.kept, -one.less_late, one.what, one.who))[:most])


def _gain(day: Day, order: Order, now: Worth, pays: Pays, what: str, who: str) -> Gain | None:
    try:
        tried = worth_of(day, dispatch(day, order))
    except CannotBePlaced:
        return None
    return Gain(
        pays=pays, what=what, who=who, kept=tried.kept - now.kept, less_late=now.lateness - tried.lateness
    )
