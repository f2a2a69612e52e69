"""Calendars as RFC 5545 has them: what is written is read back by another reader, what is read is a span."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import islice, takewhile
from time import monotonic
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from hypothesis import example, given
from hypothesis import strategies as st
from icalendar import Calendar

from sutura.core.errors import Invalid
from sutura.formats.calendars import (
    MOST_BYTES,
    MOST_EVENTS,
    MOST_TIMES,
    Away,
    Entry,
    read_absences,
    write_calendar,
)

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


WEEKLY = (
    "SUMMARY:school\r\nDTSTART;TZID=Europe/Vienna:20310307T090000\r\n"
    "DTEND;TZID=Europe/Vienna:20310307T120000\r\n"
)


def test_a_weekly_absence_is_every_week_at_the_same_hour_on_the_wall() -> None:
    """RFC 5545, 3.8.5.3, over the change of time of 30 March 2031; what is left out is left out."""
    rule = "RRULE:FREQ=WEEKLY;COUNT=6\r\nEXDATE;TZID=Europe/Vienna:20310321T090000"
    spans, wrong = read_absences(ics(WEEKLY + rule), ZONE)
    assert wrong == []
    days = [one.start.astimezone(ZONE) for one in spans]
    assert [day.strftime("%d.%m. %H:%M") for day in days] == [
        "07.03. 09:00",
        "14.03. 09:00",
        "28.03. 09:00",
        "04.04. 09:00",
        "11.04. 09:00",
    ]
    assert {(one.end - one.start) for one in spans} == {timedelta(hours=3)}


@pytest.mark.parametrize(
    ("rule", "times", "says"),
    [
        ("RRULE:FREQ=WEEKLY;COUNT=52", 52, ""),
        ("RRULE:FREQ=WEEKLY;UNTIL=20310401T000000Z", 4, ""),
        ("RRULE:FREQ=WEEKLY", 105, "calendar.goes-on"),
        ("RRULE:FREQ=YEARLY;BYWEEKNO=20", 1, "calendar.rule-unread"),
        ("RRULE:FREQ=DAILY", MOST_TIMES, "calendar.goes-on"),
        ("RRULE:FREQ=MINUTELY", 1, "calendar.repeats-too-often"),
        ("RRULE:FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30;COUNT=9", 0, ""),
        ("RRULE:FREQ=WEEKLY;COUNT=2000000000", 105, ""),
        ("RRULE:FREQ=WEEKLY;COUNT=99999999999", 1, "calendar.rule-unread"),
    ],
)
def test_a_rule_is_read_as_far_as_anybody_plans(rule: str, times: int, says: str) -> None:
    begun = monotonic()
    spans, wrong = read_absences(ics(WEEKLY + rule), ZONE)
    assert (len(spans), [one.id for one in wrong]) == (times, [says] if says else [])
    assert monotonic() - begun < 2


RULES = st.builds(
    lambda freq, interval, days, month_days, months, count: ";".join(
        [f"FREQ={freq}", f"INTERVAL={interval}"]
        + ([f"BYDAY={','.join(sorted(days))}"] if days else [])
        + (
            [f"BYMONTHDAY={','.join(map(str, sorted(month_days)))}"]
            if month_days and freq != "WEEKLY"
            else []
        )
        + ([f"BYMONTH={','.join(map(str, sorted(months)))}"] if months else [])
        + [f"COUNT={count}"]
    ),
    st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "YEARLY"]),
    st.integers(1, 4),
    st.sets(st.sampled_from(["MO", "TU", "WE", "TH", "FR", "SA", "SU"]), max_size=3),
    st.sets(st.sampled_from([1, 2, 15, 28, 30, 31, -1, -3]), max_size=2),
    st.sets(st.integers(1, 12), max_size=3),
    st.integers(1, 60),
)


@given(RULES)
@example("FREQ=MONTHLY;BYDAY=1MO,-1FR;COUNT=9")
@example("FREQ=YEARLY;BYMONTH=5;BYDAY=2SU;COUNT=2")
def test_a_rule_means_what_another_reader_says(rule: str) -> None:
    """Held against python-dateutil's rrule, a reference library for RFC 5545, within two years."""
    wall = datetime(2031, 3, 7, 9)
    last = wall + timedelta(days=729)
    theirs = list(takewhile(lambda at: at <= last, islice(rrulestr(rule, dtstart=wall), 60)))
    spans, _ = read_absences(ics(WEEKLY + "RRULE:" + rule), ZONE)
    assert [one.start.replace(tzinfo=None) for one in spans] == theirs


def test_a_zone_of_the_file_s_own_costs_nothing() -> None:
    """Half a kilobyte with a rule by the minute since 1601 held a thread for good."""
    zone = (
        "BEGIN:VTIMEZONE\r\nTZID:Nowhere\r\nBEGIN:STANDARD\r\nDTSTART:16010101T000000\r\n"
        "TZOFFSETFROM:+0100\r\nTZOFFSETTO:+0100\r\nRRULE:FREQ=MINUTELY\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n"
    )
    event = ics("SUMMARY:x\r\nDTSTART;TZID=Nowhere:20310307T090000\r\nDTEND;TZID=Nowhere:20310307T100000")
    begun = monotonic()
    spans, wrong = read_absences(event.replace(b"BEGIN:VEVENT", zone.encode() + b"BEGIN:VEVENT", 1), ZONE)
    assert monotonic() - begun < 2
    assert spans == []
    assert [one.id for one in wrong] == ["calendar.unknown-zone"]


@pytest.mark.parametrize(
    "event",
    [
        "SUMMARY:a\x00b\r\nDTSTART:20310304T090000Z\r\nDTEND:20310304T100000Z",
        "SUMMARY:x\r\nDTSTART:99991231T235900Z\r\nDTEND:99991231T235959Z",
        "SUMMARY:x\r\nDTSTART:00010101T000000Z\r\nDTEND:00010101T000001Z\r\nRRULE:FREQ=YEARLY",
    ],
)
def test_zero_bytes_and_the_ends_of_time_are_read_or_said(event: str) -> None:
    spans, wrong = read_absences(ics(event), ZONE)
    assert len(spans) + len(wrong) >= 1
    assert all("\x00" not in one.why for one in spans)
