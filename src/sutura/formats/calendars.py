"""Calendars as iCalendar has them (RFC 5545): what somebody does is written, when somebody is away is
read.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta, tzinfo

from icalendar import Calendar, Component, Event

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact

# a calendar of a year's absences has far fewer; the shop's, no source
MOST_EVENTS, MOST_BYTES = 300, 400_000


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
        calendar = Calendar.from_ical(file)
    except (ValueError, IndexError, KeyError) as wrong:
        raise Invalid("file", str(wrong)[:60], fact("calendar.choose-ics")) from None
    events = list(calendar.walk("VEVENT"))
    if not events:
        raise Invalid("file", "", fact("calendar.choose-ics"))
    read: list[Away] = []
    wrong_ones: list[Fact] = []
    for event in events[:MOST_EVENTS]:
        words = str(event.get("summary", ""))[:120]
        span = _span(event, zone)
        if span is None:
            wrong_ones.append(fact("calendar.entry-without-span", words=words))
        else:
            read.append(Away(start=span[0], end=span[1], why=words))
    if len(events) > MOST_EVENTS:
        wrong_ones.append(fact("calendar.more-entries", most=MOST_EVENTS))
    return read, wrong_ones


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
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError):
        return None
    return (start, end) if start < end <= start + timedelta(days=366) else None


def _moment(value: datetime | date, zone: tzinfo) -> datetime:
    """A moment of a calendar; without a zone it is the shop's, a day begins at its midnight."""
    if isinstance(value, datetime):
        return value if value.tzinfo else value.replace(tzinfo=zone)
    return datetime.combine(value, time(), zone)
