"""Calendars as RFC 5545 has them: what is written is read back by another reader, what is read is a span."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from icalendar import Calendar

from sutura.core.errors import Invalid
from sutura.formats.calendars import MOST_BYTES, MOST_EVENTS, Away, Entry, read_absences, write_calendar

ZONE = ZoneInfo("Europe/Vienna")
AT = datetime(2031, 3, 3, 9, tzinfo=UTC)


def ics(*events: str) -> bytes:
    """A calendar of some entries, each written line by line."""
    body = "".join(f"BEGIN:VEVENT\r\n{event}\r\nEND:VEVENT\r\n" for event in events)
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\n{body}END:VCALENDAR\r\n".encode()


def test_what_is_written_is_read_back() -> None:
    entries = [
        Entry(uid="K7-4QX-0@sutura", start=AT, end=AT + timedelta(minutes=25), summary="K7-4QX Heron; L, ü"),
        Entry(uid="K7-4QX-1@sutura", start=AT.astimezone(ZONE), end=AT + timedelta(hours=2), summary="cures"),
    ]
    written = write_calendar("Bram", entries, AT)
    read = Calendar.from_ical(written)
    events = list(read.walk("VEVENT"))
    assert [str(event["uid"]) for event in events] == ["K7-4QX-0@sutura", "K7-4QX-1@sutura"]
    assert [event.decoded("dtstart") for event in events] == [AT, AT]
    assert events[0].decoded("dtend") == AT + timedelta(minutes=25)
    assert str(events[0]["summary"]) == "K7-4QX Heron; L, ü"
    # RFC 5545, 3.1: lines end in CR LF and are folded at 75 octets
    assert all(len(line) <= 75 for line in written.split(b"\r\n"))
    spans, wrong = read_absences(written, ZONE)
    assert [(one.start, one.end) for one in spans] == [(one.start, one.end) for one in entries]
    assert wrong == []


def test_days_hours_and_lengths_are_spans_in_the_shop_s_zone() -> None:
    """RFC 5545, 3.6.1: a day without an end is that day; an end is left out; a length counts from the
    start.
    """
    spans, wrong = read_absences(
        ics(
            "SUMMARY:a day\r\nDTSTART;VALUE=DATE:20310304",
            "SUMMARY:two days\r\nDTSTART;VALUE=DATE:20310304\r\nDTEND;VALUE=DATE:20310306",
            "SUMMARY:floating\r\nDTSTART:20310304T090000\r\nDTEND:20310304T120000",
            "SUMMARY:utc\r\nDTSTART:20310304T090000Z\r\nDURATION:PT90M",
        ),
        ZONE,
    )
    midnight = datetime(2031, 3, 4, tzinfo=ZONE)
    assert wrong == []
    assert spans == [
        Away(start=midnight, end=midnight + timedelta(days=1), why="a day"),
        Away(start=midnight, end=midnight + timedelta(days=2), why="two days"),
        Away(start=midnight.replace(hour=9), end=midnight.replace(hour=12), why="floating"),
        Away(
            start=datetime(2031, 3, 4, 9, tzinfo=UTC), end=datetime(2031, 3, 4, 10, 30, tzinfo=UTC), why="utc"
        ),
    ]


def test_one_bad_entry_never_stops_the_others() -> None:
    spans, wrong = read_absences(
        ics(
            "SUMMARY:good\r\nDTSTART:20310304T090000Z\r\nDTEND:20310304T100000Z",
            "SUMMARY:backwards\r\nDTSTART:20310304T100000Z\r\nDTEND:20310304T090000Z",
            "SUMMARY:for ever\r\nDTSTART:20310304T090000Z\r\nDTEND:20340304T090000Z",
            "SUMMARY:no start",
            "SUMMARY:nonsense\r\nDTSTART:soon",
        ),
        ZONE,
    )
    assert [one.why for one in spans] == ["good"]
    assert len(wrong) == 4


def test_what_is_no_calendar_is_refused() -> None:
    for file in (b"", b"hello", ics(), b"BEGIN:VCALENDAR\r\n", b"\xff\xfe\x00", b"x" * (MOST_BYTES + 1)):
        with pytest.raises(Invalid) as refused:
            read_absences(file, ZONE)
        assert refused.value.field == "file"


def test_more_entries_than_anybody_has_are_left_and_said() -> None:
    many = ics(*["SUMMARY:x\r\nDTSTART;VALUE=DATE:20310304"] * (MOST_EVENTS + 1))
    spans, wrong = read_absences(many, ZONE)
    assert len(spans) == MOST_EVENTS
    assert len(wrong) == 1
