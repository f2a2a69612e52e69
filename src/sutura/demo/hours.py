"""When the demo shop is open: its jobs lie within these hours whenever the demo is started."""

from __future__ import annotations

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

OPENS, CLOSES = 9, 18
SUNDAY = 6
# the same as a manager types it
TYPED = {
    f"{name}.{day}": f"{hour}:00"
    for day in range(SUNDAY)
    for name, hour in (("opens", OPENS), ("closes", CLOSES))
}


def is_open(at: datetime, zone: ZoneInfo) -> bool:
    local = at.astimezone(zone)
    return local.weekday() != SUNDAY and OPENS <= local.hour < CLOSES


def before(at: datetime, zone: ZoneInfo) -> datetime:
    """This moment, or the end of the last opening before it."""
    local = at.astimezone(zone)
    while not is_open(local, zone):
        if local.weekday() != SUNDAY and local.hour >= CLOSES:
            local = local.replace(hour=CLOSES - 1, minute=55, second=0)
        else:
            local = (local - timedelta(days=1)).replace(hour=CLOSES, minute=0, second=0)
    return local


def after(at: datetime, zone: ZoneInfo) -> datetime:
    """This moment, or the beginning of the next opening after it."""
    local = at.astimezone(zone)
    while not is_open(local, zone):
        if local.weekday() != SUNDAY and local.hour < OPENS:
            local = local.replace(hour=OPENS, minute=0, second=0)
        else:
            local = (local + timedelta(days=1)).replace(hour=0, minute=0, second=0)
    return local


def later(at: datetime, minutes: float, zone: ZoneInfo) -> datetime:
    """So many minutes of opening later; fewer than none is earlier."""
    moment, left = (after(at, zone), minutes) if minutes >= 0 else (before(at, zone), minutes)
    while left > 0:
        closing = moment.replace(hour=CLOSES, minute=0, second=0, microsecond=0)
        open_left = (closing - moment).total_seconds() / 60
        if left < open_left:
            return moment + timedelta(minutes=left)
        left -= open_left
        moment = after(closing, zone)
    while left < 0:
        opening = moment.replace(hour=OPENS, minute=0, second=0, microsecond=0)
        gone = (moment - opening).total_seconds() / 60
        if -left <= gone:
            return moment + timedelta(minutes=left)
        left += gone
        moment = before(opening - timedelta(minutes=1), zone)
    return moment
