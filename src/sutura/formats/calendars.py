"""Calendars as iCalendar has them (RFC 5545): what somebody does is written, when somebody is away is
read.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo
from itertools import islice

from icalendar import Calendar, Component, Event, vRecur

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact

# a calendar of a year's absences has far fewer; the shop's, no source
MOST_EVENTS, MOST_BYTES = 300, 400_000
# how often and how long one entry repeats at most: what is further away is read again by then; the shop's
MOST_TIMES, LONGEST = 200, timedelta(days=730)
_BY_DAYS = [["DAILY"], ["WEEKLY"], ["MONTHLY"], ["YEARLY"]]
_READ = {"freq", "interval", "count", "until", "byday", "bymonthday", "bymonth", "wkst"}
_ZONES = re.compile(rb"BEGIN:VTIMEZONE.*?END:VTIMEZONE\r?\n?", re.DOTALL | re.IGNORECASE)
_UNPRINTABLE = re.compile("[\x00-\x1f\x7f]")


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """One entry: its name within the calendar, from when until when, and its words."""

    uid: str
    start: datetime
    end: datetime
    summary: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Away:
    """One span in which somebody is away, and why."""

    start: datetime
    end: datetime
    why: str


def write_calendar(name: str, entries: Sequence[Entry], made_at: datetime) -> bytes:
    """A calendar of some entries, in UTC."""
    calendar = Calendar()
    calendar.add("prodid", "-//Sutura//plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        event = Event()
        event.add("uid", entry.uid)
        event.add("dtstamp", made_at.astimezone(UTC))
        event.add("dtstart", entry.start.astimezone(UTC))
        event.add("dtend", entry.end.astimezone(UTC))
        event.add("summary", entry.summary)
        calendar.add_component(event)
    written: bytes = calendar.to_ical()
    return written


def read_absences(file: bytes, zone: tzinfo) -> tuple[list[Away], list[Fact]]:
    """What a calendar says of when somebody is away, and what of it could not be read: one bad entry never
    stops the others. A day without an hour is the whole day in the shop's zone. Refuses what is no calendar.
    """
    if len(file) > MOST_BYTES:
        raise Invalid("file", f"{len(file)} bytes", fact("calendar.smaller", most=MOST_BYTES // 1000))
    try:
        # zones are known by their names: rules of their own in a file may cost any time
        calendar = Calendar.from_ical(_ZONES.sub(b"", file))
    except (ValueError, IndexError, KeyError) as wrong:
        raise Invalid("file", str(wrong)[:60], fact("calendar.choose-ics")) from None
    events = list(calendar.walk("VEVENT"))
    if not events:
        raise Invalid("file", "", fact("calendar.choose-ics"))
    read: list[Away] = []
    wrong_ones: list[Fact] = []
    for event in events[:MOST_EVENTS]:
        words = _UNPRINTABLE.sub("", str(event.get("summary", "")))[:120]
        span = _span(event, zone)
        if unknown := _unknown_zone(event):
            wrong_ones.append(fact("calendar.unknown-zone", words=words, zone=unknown))
        elif span is None:
            wrong_ones.append(fact("calendar.entry-without-span", words=words))
        else:
            spans, said = _repeated(event, span, zone)
            read += [Away(start=start, end=end, why=words) for start, end in spans]
            wrong_ones += [fact(one, words=words, most=MOST_TIMES) for one in said]
    if len(events) > MOST_EVENTS:
        wrong_ones.append(fact("calendar.more-entries", most=MOST_EVENTS))
    return read, wrong_ones


def _unknown_zone(event: Component) -> str:
    """The name of a zone that nobody knows, in which an entry says its times; empty where there is none."""
    for name in ("dtstart", "dtend"):
        said = event.get(name)
        zone = str(said.params.get("TZID", "")) if hasattr(said, "params") else ""
        if zone and isinstance(said.dt, datetime) and said.dt.tzinfo is None:
            return zone[:60]
    return ""


def _repeated(
    event: Component, span: tuple[datetime, datetime], zone: tzinfo
) -> tuple[list[tuple[datetime, datetime]], list[str]]:
    """Every time that an entry is, by its rule (RFC 5545, 3.8.5.3), as far as that is by the day or longer,
    and what of it is not read.
    """
    rule = event.get("rrule")
    if rule is None:
        return [span], []
    start, end = span
    try:
        if [str(one).upper() for one in rule.get("freq", [])] not in _BY_DAYS:
            return [span], ["calendar.repeats-too-often"]
        repeats = _read_rule(rule, zone)
    except (ValueError, TypeError, AttributeError, OverflowError, KeyError):
        return [span], ["calendar.rule-unread"]
    # by the clock on the wall: nine o'clock stays nine o'clock over a change of time
    days = (start.date() + timedelta(days=day) for day in range(_days_left(start)))
    found = list(islice((day for day in days if repeats.on(day, start.date())), repeats.often))
    left_out = {_moment(one, zone) for one in _left_out(event)}
    times = [datetime.combine(day, start.timetz()) for day in found[:MOST_TIMES]]
    times = [at for at in times if repeats.until is None or at <= repeats.until]
    spans = [(at, at + (end - start)) for at in times if at not in left_out]
    goes_on = len(found) > MOST_TIMES or (repeats.until is None and repeats.endless)
    return spans, ["calendar.goes-on"] if goes_on else []


def _days_left(start: datetime) -> int:
    return min(LONGEST.days, (date.max - start.date()).days - LONGEST.days)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Repeats:
    """A rule by the day or longer (RFC 5545, 3.3.10), as far as calendars of absences use it."""

    freq: str
    interval: int
    weekdays: tuple[tuple[int, int], ...]
    month_days: tuple[int, ...]
    months: tuple[int, ...]
    often: int
    until: datetime | None
    endless: bool

    def on(self, day: date, first: date) -> bool:
        """Whether a day is one of the rule that began on the first."""
        if self._periods(day, first) % self.interval or (self.months and day.month not in self.months):
            return False
        if not self.weekdays and not self.month_days:
            return self._as_the_first(day, first)
        last = (day.replace(day=28) + timedelta(days=4)).replace(day=1) - timedelta(days=1)
        by_month_day = (
            not self.month_days or day.day in self.month_days or day.day - last.day - 1 in self.month_days
        )
        return by_month_day and (not self.weekdays or any(self._is(day, last, one) for one in self.weekdays))

    def _periods(self, day: date, first: date) -> int:
        """How many of its periods lie between the first and a day; weeks begin on a Monday."""
        monday = first - timedelta(days=first.weekday())
        return {
            "DAILY": (day - first).days,
            "WEEKLY": (day - monday).days // 7,
            "MONTHLY": 12 * (day.year - first.year) + day.month - first.month,
            "YEARLY": day.year - first.year,
        }[self.freq]

    def _as_the_first(self, day: date, first: date) -> bool:
        if self.freq == "WEEKLY":
            return day.weekday() == first.weekday()
        if self.freq == "YEARLY" and not self.months and day.month != first.month:
            return False
        return self.freq == "DAILY" or day.day == first.day

    def _is(self, day: date, last: date, wanted: tuple[int, int]) -> bool:
        """Whether a day is a weekday, or the so-manieth of its month, from its end below nought."""
        nth, weekday = wanted
        if day.weekday() != weekday:
            return False
        return nth == 0 or nth == (day.day - 1) // 7 + 1 or nth == -((last.day - day.day) // 7) - 1


def _read_rule(rule: vRecur, zone: tzinfo) -> _Repeats:
    """A rule; raises ValueError for what is not read here."""
    said = {str(name).lower(): values for name, values in rule.items()}
    if said.keys() - _READ:
        raise ValueError("a part that is not read")
    freq = str(said["freq"][0]).upper()
    weekdays = tuple(_weekday(str(one)) for one in said.get("byday", []))
    months = tuple(int(one) for one in said.get("bymonth", []))
    if any(nth for nth, _ in weekdays) and not (freq == "MONTHLY" or (freq == "YEARLY" and months)):
        raise ValueError("counted within a year")
    counts = [int(one) for one in said.get("count", [])]
    untils = [_until(one, zone) for one in said.get("until", [])]
    interval = int(next(iter(said.get("interval", [1]))))
    # weeks are counted from a Monday: another first day of the week matters where some are left out
    other_week = (
        interval > 1 and freq == "WEEKLY" and str(next(iter(said.get("wkst", ["MO"])))).upper() != "MO"
    )
    if interval < 1 or other_week:
        raise ValueError("no interval that is read")
    return _Repeats(
        freq=freq,
        interval=interval,
        weekdays=weekdays,
        month_days=tuple(int(one) for one in said.get("bymonthday", [])),
        months=months,
        often=min([MOST_TIMES + 1, *counts]),
        until=min(untils, default=None),
        endless=not counts,
    )


def _weekday(text: str) -> tuple[int, int]:
    found = re.fullmatch(r"([+-]?\d{1,2})?(MO|TU|WE|TH|FR|SA|SU)", text.upper())
    if found is None:
        raise ValueError(text)
    return int(found[1] or 0), ("MO", "TU", "WE", "TH", "FR", "SA", "SU").index(found[2])


def _until(value: datetime | date, zone: tzinfo) -> datetime:
    """The last moment at which a rule may begin: a day is all of it."""
    if isinstance(value, datetime):
        return _moment(value, zone)
    return datetime.combine(value, time(23, 59, 59), zone)


def _left_out(event: Component) -> list[datetime | date]:
    said = event.get("exdate", [])
    return [one.dt for lines in (said if isinstance(said, list) else [said]) for one in lines.dts]


def _span(event: Component, zone: tzinfo) -> tuple[datetime, datetime] | None:
    """From when until when an entry is; None where it says no span of at most a year."""
    try:
        begins = event.decoded("dtstart")
        if "dtend" in event:
            ends = event.decoded("dtend")
        elif "duration" in event:
            ends = begins + event.decoded("duration")
        else:
            ends = begins + timedelta(days=1)
        start, end = _moment(begins, zone), _moment(ends, zone)
        return (start, end) if start < end <= start + timedelta(days=366) else None
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError):
        return None


def _moment(value: datetime | date, zone: tzinfo) -> datetime:
    """A moment of a calendar; without a zone it is the shop's, a day begins at its midnight."""
    if isinstance(value, datetime):
        return value if value.tzinfo else value.replace(tzinfo=zone)
    return datetime.combine(value, time(), zone)
