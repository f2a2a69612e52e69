"""When the shop is open: which minutes count for work, and when a customer can be told to come.

A week of opening times by local time, and days on which it is closed all the same. Whoever set none is always
open. Work is counted in open minutes; cures go on by the clock. Minutes of the wall clock are counted: nobody
is open in the hour in which summer time begins or ends.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property, partial
from itertools import accumulate
from typing import Any
from zoneinfo import ZoneInfo

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.typed import Problems, read_day
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="shop.hours",
        capability="shop",
        says=(
            "Work is counted in the minutes the shop is open, cures by the clock. Nothing is promised for a "
            "time when it is closed: the next opening is. A shop that set no hours is always open."
        ),
        source=COMMON,
    ),
    Rule(
        id="shop.clock",
        capability="shop",
        says=(
            "A time more than five minutes ahead of the clock is not believed: the clock was ahead when it "
            "was written. Sessions and wrong tries of such a time are forgotten, a plan is made anew, what "
            "waits at the bench is timed from now, a message is due now, and what an outside device was "
            "asked is asked of again."
        ),
        source=COMMON,
    ),
)

# two machines of a shop differ by less; the shop's, no source
AHEAD = timedelta(minutes=5)
# more closed days are no exceptions; the shop's, no source
MOST_CLOSED_DAYS = 200
# nobody plans further ahead
_MOST_DAYS = 3_700
_DAY = 24 * 60
# moments of which it is remembered how much was open before them
_MOST_KNOWN = 5_000
_MINUTE = timedelta(minutes=1)
Span = tuple[int, int]


def is_believed(at: datetime, now: datetime) -> bool:
    """Whether something can have happened at a time, as far as the clock says (rule shop.clock)."""
    return at <= now + AHEAD


def is_past(at: datetime, now: datetime, span: timedelta) -> bool:
    """Whether something is longer ago than a span; what is not believed is as long ago as it needs to be.

    >>> at = datetime(2031, 3, 3, 9, 0, tzinfo=UTC)
    >>> [is_past(at, at + timedelta(minutes=m), timedelta(minutes=10)) for m in (-9, -2, 2, 12)]
    [True, False, False, True]
    """
    return now - at >= span or not is_believed(at, now)


@dataclass(frozen=True)
class OpenHours:
    """Opening times of a shop in its zone: minutes of the day from and until, Monday first, None = closed; an
    empty week = always open.
    """

    zone: ZoneInfo
    weekly: tuple[Span | None, ...] = ()
    closed: frozenset[date] = field(default=frozenset())

    def is_open(self, at: datetime) -> bool:
        """Whether a customer can come; the minute of closing counts."""
        return self.next_open(at) == at

    def next_open(self, at: datetime) -> datetime:
        """This moment when the shop is open, else the next opening.

        >>> week = OpenHours(ZoneInfo("Etc/UTC"), ((540, 1080),) * 5 + (None, None))
        >>> week.next_open(datetime(2031, 3, 7, 18, 1, tzinfo=UTC)).isoformat()
        '2031-03-10T09:00:00+00:00'
        """
        if not self.weekly:
            return at
        local = at.astimezone(self.zone)
        day = local.date()
        for ahead in range(_MOST_DAYS):
            span = self._span(day + timedelta(days=ahead))
            if span is None:
                continue
            if ahead or _second(local) < span[0] * 60:
                return self._moment(day + timedelta(days=ahead), span[0] * 60)
            if _second(local) <= span[1] * 60:
                return at
        raise RuntimeError("the shop never opens again")

    def between(self, start: datetime, end: datetime) -> int:
        """Whole open minutes from a moment to another; below zero when it lies before.

        >>> week = OpenHours(ZoneInfo("Etc/UTC"), ((540, 1080),) * 7)
        >>> week.between(datetime(2031, 3, 3, 17, tzinfo=UTC), datetime(2031, 3, 4, 10, tzinfo=UTC))
        120
        """
        return self.since(start)(end)

    def since(self, start: datetime) -> Callable[[datetime], int]:
        """Whole open minutes from a moment to any other, as `between` says them: for many of them."""
        if not self.weekly:
            return lambda end: (end - start) // _MINUTE
        begun, until = self._until(start), self._until
        return lambda end: (until(end) - begun) // 60

    def after(self, start: datetime, minutes: int) -> datetime:
        """When so many open minutes have passed; work that fills a day ends when it closes.

        >>> week = OpenHours(ZoneInfo("Etc/UTC"), ((540, 1080),) * 7)
        >>> week.after(datetime(2031, 3, 3, 17, tzinfo=UTC), 120).isoformat()
        '2031-03-04T10:00:00+00:00'
        """
        if not self.weekly or minutes <= 0:
            return self.next_open(start) + timedelta(minutes=max(minutes, 0))
        wanted = self._until(start) + minutes * 60
        day = start.astimezone(self.zone).date()
        for _ in range(_MOST_DAYS):
            if span := self._span(day):
                ends = span[0] * 60 + wanted - self._before(day)
                if ends <= span[1] * 60:
                    return self._moment(day, ends)
            day += timedelta(days=1)
        raise RuntimeError("the shop never opens again")

    def before(self, end: datetime, minutes: int) -> datetime:
        """The latest moment from which so many open minutes are left until an end.

        >>> week = OpenHours(ZoneInfo("Etc/UTC"), ((540, 1080),) * 7)
        >>> week.before(datetime(2031, 3, 4, 10, tzinfo=UTC), 120).isoformat()
        '2031-03-03T17:00:00+00:00'
        """
        if not self.weekly or minutes <= 0:
            return end - timedelta(minutes=max(minutes, 0))
        wanted = self._until(end) - minutes * 60
        day = end.astimezone(self.zone).date()
        for _ in range(_MOST_DAYS):
            span, passed = self._span(day), self._before(day)
            if span and passed <= wanted:
                return self._moment(day, span[0] * 60 + wanted - passed)
            day -= timedelta(days=1)
        raise RuntimeError("the shop was never open before")

    def spans(self, start: datetime, days: int) -> list[tuple[datetime, datetime]]:
        """When the shop is open from a moment on, on so many days of the calendar; one long span where it is
        always open.

        >>> week = OpenHours(ZoneInfo("Etc/UTC"), ((540, 1080),) * 5 + (None, None))
        >>> [until.day for _, until in week.spans(datetime(2031, 3, 7, 12, tzinfo=UTC), 4)]
        [7, 10]
        """
        if not self.weekly:
            return [(start, start + timedelta(days=days))]
        first = start.astimezone(self.zone).date()
        found = []
        for ahead in range(days):
            day = first + timedelta(days=ahead)
            span = self._span(day)
            if span is None:
                continue
            opens, closes = self._moment(day, span[0] * 60), self._moment(day, span[1] * 60)
            if closes > start:
                found.append((max(opens, start), closes))
        return found

    def _span(self, day: date) -> Span | None:
        return None if day in self.closed else self.weekly[day.weekday()]

    def _moment(self, day: date, second: int) -> datetime:
        local = datetime.combine(day, time(), self.zone) + timedelta(seconds=second)
        return local.astimezone(UTC)

    def _until(self, at: datetime) -> int:
        """Open seconds from the beginning of the calendar until a moment."""
        if (known := self._known.get(at)) is not None:
            return known
        local = at.astimezone(self.zone)
        span = self._span(local.date())
        today = 0 if span is None else min(max(_second(local), span[0] * 60), span[1] * 60) - span[0] * 60
        if len(self._known) >= _MOST_KNOWN:
            self._known.clear()
        found = self._known[at] = self._before(local.date()) + today
        return found

    @cached_property
    def _known(self) -> dict[datetime, int]:
        """What was asked before: a list asks for the promises of hundreds of jobs each time it is shown."""
        return {}

    def _before(self, day: date) -> int:
        """Open seconds of all days before one; the calendar begins on a Monday."""
        weeks, rest = divmod(day.toordinal() - 1, 7)
        minutes = weeks * self._minutes[7] + self._minutes[rest]
        days, missing = self._closed
        return (minutes - missing[bisect_left(days, day)]) * 60

    @cached_property
    def _minutes(self) -> tuple[int, ...]:
        """Open minutes of a week before each of its days, and of all of it."""
        return tuple(accumulate((_long(span) for span in self.weekly), initial=0))

    @cached_property
    def _closed(self) -> tuple[list[date], list[int]]:
        """The closed days, and the minutes that those before each of them would have been open."""
        days = sorted(self.closed)
        missing = accumulate((_long(self.weekly[day.weekday()]) for day in days), initial=0)
        return days, list(missing)


def _long(span: Span | None) -> int:
    return span[1] - span[0] if span else 0


def _second(local: datetime) -> int:
    return local.hour * 3600 + local.minute * 60 + local.second


# -- as they are typed and kept ---------------------------------------------------------------------

_TIME = re.compile(r"([0-9]{1,2})[:.h]?([0-9]{2})?")


def read_time(text: str) -> int:
    """A time of day as minutes.

    >>> read_time("9:30"), read_time("18"), read_time("24:00")
    (570, 1080, 1440)
    """
    match = _TIME.fullmatch(text.strip())
    minutes = int(match[1]) * 60 + int(match[2] or 0) if match else -1
    if not 0 <= minutes <= _DAY or (match and int(match[2] or 0) > 59):
        raise Invalid("", text, fact("shop.write-time-of-day"))
    return minutes


# what a form of a week sends: each day's times, Monday first, and the closed days
WEEK_FIELDS = (*(f"{name}.{day}" for day in range(7) for name in ("opens", "closes")), "closed")


def read_week(typed: Mapping[str, str]) -> tuple[tuple[Span | None, ...], frozenset[date]]:
    """A week from `opens.0` … `closes.6`, Monday first, both empty = closed that day; and the `closed` days,
    one after another.
    """
    problems = Problems(fact("shop.the-hours"))
    week: list[Span | None] = []
    for day in range(7):
        opens, closes = (typed.get(f"{name}.{day}", "").strip() for name in ("opens", "closes"))
        if not opens and not closes:
            week.append(None)
            continue
        first = problems.read(f"opens.{day}", opens, read_time)
        last = problems.read(f"closes.{day}", closes, read_time)
        if first is None or last is None:
            continue
        if first >= last:
            problems.add(f"closes.{day}", closes, fact("shop.close-after-opening"))
        week.append((first, last))
    words = re.split(r"[\s,;]+", typed.get("closed", "").strip())
    day_of = partial(read_day, accepts=fact("shop.write-day"))
    closed = [problems.read("closed", word, day_of) for word in words if word]
    if len(closed) > MOST_CLOSED_DAYS:
        problems.add("closed", len(closed), fact("shop.most-closed-days", most=MOST_CLOSED_DAYS))
    if len(week) == 7 and not any(week):
        problems.add("opens.0", "", fact("shop.open-at-least-once"))
    problems.refuse()
    return tuple(week), frozenset(day for day in closed if day is not None)


def hours_kept(weekly: Sequence[Span | None], closed: frozenset[date]) -> dict[str, Any]:
    """Opening hours as they are kept."""
    return {
        "weekly": [None if span is None else list(span) for span in weekly],
        "closed": sorted(day.isoformat() for day in closed),
    }


def hours_from(kept: Mapping[str, Any], zone: ZoneInfo) -> OpenHours:
    """Opening hours as they were kept; nothing kept = always open."""
    weekly = tuple(None if span is None else (int(span[0]), int(span[1])) for span in kept.get("weekly", ()))
    return OpenHours(zone, weekly, frozenset(map(date.fromisoformat, kept.get("closed", ()))))


def time_text(minutes: int) -> str:
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def hours_texts(hours: OpenHours) -> dict[str, str]:
    """Opening hours as the fields of a form hold them."""
    texts: dict[str, str] = {}
    for day, span in enumerate(hours.weekly or (None,) * 7):
        texts[f"opens.{day}"] = time_text(span[0]) if span else ""
        texts[f"closes.{day}"] = time_text(span[1]) if span else ""
    return {**texts, "closed": " ".join(sorted(day.isoformat() for day in hours.closed))}
