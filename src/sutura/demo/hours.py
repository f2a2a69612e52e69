"""When the demo shop is open: its jobs lie within these hours whenever the demo is started."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sutura.core.shop import OpenHours
from sutura.core.values import Person
from sutura.demo.shop import PEOPLE
from sutura.services import staffing
from sutura.store import plans as plans_store

OPENS, CLOSES = 9, 18
SUNDAY = 6
_WEEK = ((OPENS * 60, CLOSES * 60),) * SUNDAY + (None,)
# the same as a manager types it
TYPED = {
    f"{name}.{day}": f"{hour}:00"
    for day in range(SUNDAY)
    for name, hour in (("opens", OPENS), ("closes", CLOSES))
}


def open_hours(zone: ZoneInfo) -> OpenHours:
    return OpenHours(zone, _WEEK)


def before(at: datetime, zone: ZoneInfo) -> datetime:
    """This moment, or a little before the end of the last opening before it."""
    local = at.astimezone(zone)
    if local.weekday() != SUNDAY and OPENS <= local.hour < CLOSES:
        return local
    if local.weekday() == SUNDAY or local.hour < OPENS:
        return before((local - timedelta(days=1)).replace(hour=CLOSES, minute=0, second=0), zone)
    return local.replace(hour=CLOSES - 1, minute=55, second=0)


def later(at: datetime, minutes: float, zone: ZoneInfo) -> datetime:
    """So many minutes of opening later; fewer than none is earlier."""
    if minutes >= 0:
        return open_hours(zone).after(at, round(minutes)).astimezone(zone)
    moment, left = before(at, zone), minutes
    while True:
        opening = moment.replace(hour=OPENS, minute=0, second=0, microsecond=0)
        gone = (moment - opening).total_seconds() / 60
        if -left <= gone:
            return moment + timedelta(minutes=left)
        left += gone
        moment = before(opening - timedelta(minutes=1), zone)


def keep_weeks(staff: Mapping[str, Person], manager: Person, now: datetime) -> None:
    """Who works in a week of their own does so from the first day."""
    for person in PEOPLE:
        if person.week and staff[person.login].id not in plans_store.shifts():
            staffing.change_shifts(str(staff[person.login].id), person.week, manager, now)
