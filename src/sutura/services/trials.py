"""What if somebody is away, a part comes later, a job is wanted at once, or a station has one place more."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, tzinfo
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.matching.ranking import weights_from
from sutura.core.maths.money import Money
from sutura.core.planning.day import Day, DayPlan, Pin, Window, worth_of
from sutura.core.planning.dispatch import CannotBePlaced
from sutura.core.planning.expected import ready_at
from sutura.core.planning.solving import PinsClash, check_pins, solve
from sutura.core.shop import OpenHours
from sutura.core.typed import read_choice, read_moment
from sutura.services import shop
from sutura.services.plans import Gathered, gather, that_fit, weights_of
from sutura.services.rails import moment_of
from sutura.store import plans as store


class WhatIf(StrEnum):
    """What is tried beside today's plan."""

    AWAY = "away"
    LATE_PART = "late_part"
    MORE_PLACES = "more_places"
    RUSH = "rush"


# seconds for a look, days that somebody is away or a part is late, minutes of a rush; the shop's, no source
LOOK_SECONDS, LOOK_DAYS, RUSH_MINUTES = 4.0, 2, 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """A job that is ready at another time by what is tried."""

    code: str
    before: datetime
    after: datetime
    promise: datetime

    @property
    def now_late(self) -> bool:
        return self.after > self.promise >= self.before

    @property
    def now_kept(self) -> bool:
        return self.before > self.promise >= self.after


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """Today's plan and the one of what is tried: promises kept of so many, minutes of lateness, what that is
    worth by the shop's day past a promise, and the jobs whose promise changes.
    """

    kept: tuple[int, int]
    jobs: tuple[int, int]
    late_minutes: tuple[int, int]
    money: Money
    moved: tuple[Moved, ...]
    left_out: tuple[tuple[str, Say], ...]


def what_if(kind: str, what: str, now: datetime, seconds: float = LOOK_SECONDS) -> Compared:
    """What would become of the plan (rule plan.what-if); nothing is kept of it. `what` is a person, a job, a
    station, by its id.
    """
    tried = WhatIf(read_choice(kind, tuple(WhatIf)))
    gathered = gather(now)
    other, left_out = that_fit(_tried(gathered, tried, what))
    bare = replace(gathered.day, pins=())
    return _compared(gathered, bare, replace(other, pins=()), left_out, seconds)


def if_pinned(code: str, person: str, start: str, zone: tzinfo, now: datetime) -> Compared:
    """What would become of the plan if a job were held fast; nothing is kept of it. Refuses what cannot be
    held together, by name.
    """
    gathered = gather(now)
    job = next((one for one in gathered.day.jobs if one.key == code), None)
    if job is None:
        raise Invalid("code", code, fact("plan.choose-job"))
    pin = Pin(key=code, person=person.strip(), start=_minute(start, zone, gathered.start))
    if pin.person and pin.person not in job.people:
        names = {str(one.person_id): one.name for one in store.all_hands()}
        raise Invalid("person", names.get(pin.person, person), fact("plan.pin-who-may"))
    if pin.start is not None and pin.start < job.release:
        raise Invalid("start", start, fact("plan.pin-when-here", at=moment_of(gathered.start, job.release)))
    others = tuple(one for one in gathered.day.pins if one.key != code)
    other = replace(gathered.day, pins=(*others, pin))
    try:
        check_pins(other)
        return _compared(gathered, gathered.day, other, gathered.left_out, LOOK_SECONDS)
    except PinsClash as clash:
        if len(clash.pins) > 1:
            raise
        raise _no_room(gathered, pin) from None
    except CannotBePlaced:
        raise _no_room(gathered, pin) from None


def _no_room(gathered: Gathered, pin: Pin) -> Invalid:
    at = fact("said.moment", at=moment_of(gathered.start, pin.start or 0))
    return Invalid("start", at if pin.start is not None else pin.key, fact("plan.pin-no-room"))


def _minute(start: str, zone: tzinfo, begins: datetime) -> int | None:
    """The minute of the plan at which a job is to begin; None where that is left open."""
    if not start.strip():
        return None
    at = read_moment(start, zone)
    if at < begins:
        raise Invalid("start", start, fact("plan.start-ahead"))
    return (at - begins) // timedelta(minutes=1)


def _compared(
    gathered: Gathered, before: Day, after: Day, left_out: Mapping[str, Say], seconds: float
) -> Compared:
    """Two days, each planned anew."""
    days = (before, after)
    solved = [solve(day, seconds / 2).plan for day in days]
    worths = [worth_of(day, plan) for day, plan in zip(days, solved, strict=True)]
    late = [
        sum(max(plan.finishes[job.key] - job.due, 0) for job in day.jobs)
        for day, plan in zip(days, solved, strict=True)
    ]
    record = shop.shop()
    day_minor = weights_from(record.weights, record.bench_rate_minor).late_day_minor
    moved = [
        Moved(
            code=code,
            before=_ready(gathered, code, solved[0], record.open_hours),
            after=_ready(gathered, code, solved[1], record.open_hours),
            promise=gathered.waiting[code].promise_at,
        )
        for code in solved[0].finishes
        if code in solved[1].finishes
    ]
    return Compared(
        kept=(worths[0].kept, worths[1].kept),
        jobs=(worths[0].jobs, worths[1].jobs),
        late_minutes=(late[0], late[1]),
        money=Money(minor=round((late[1] - late[0]) * day_minor / (24 * 60)), currency=record.currency),
        moved=tuple(one for one in moved if one.now_late or one.now_kept),
        left_out=tuple((code, why) for code, why in left_out.items() if code not in gathered.left_out),
    )


def _ready(gathered: Gathered, code: str, plan: DayPlan, hours: OpenHours) -> datetime:
    """When a job can be collected by a plan."""
    return ready_at(gathered.waiting[code], moment_of(gathered.start, plan.finishes[code]), hours)


def _tried(gathered: Gathered, tried: WhatIf, what: str) -> Day:
    """The day as it would be; refuses what is not in it."""
    day = gathered.day
    if tried is WhatIf.AWAY:
        if what not in day.people:
            raise Invalid("what", what, fact("plan.choose-person"))
        until = LOOK_DAYS * 24 * 60
        later = tuple(
            Window(max(window.start, until), window.end) for window in day.people[what] if window.end > until
        )
        return replace(day, people={**day.people, what: later})
    if tried is WhatIf.MORE_PLACES:
        if what not in day.stations:
            raise Invalid("what", what, fact("plan.choose-station"))
        return replace(day, stations={**day.stations, what: day.stations[what] + 1})
    job = next((one for one in day.jobs if one.key == what), None)
    if job is None:
        raise Invalid("what", what, fact("plan.choose-job"))
    if tried is WhatIf.LATE_PART:
        changed = replace(job, release=job.release + LOOK_DAYS * 24 * 60)
    else:
        changed = replace(
            job, weight=max(job.weight, weights_of(shop.shop()).rush), due=min(job.due, RUSH_MINUTES)
        )
    return replace(day, jobs=tuple(changed if one is job else one for one in day.jobs))
