"""Somebody's own week: when they work on each day, with a break or none, inside of the shop's hours."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, time, timedelta

from sutura.core.facts import fact
from sutura.core.shop import OpenHours, read_time
from sutura.core.typed import Problems
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.shifts",
        capability="planning",
        says=(
            "Somebody works in their own week, without its breaks, while the shop is open and they are not "
            "away. Who has no week of their own works whenever the shop is open; a day without hours in a "
            "week of one's own is a day off. What hands do is done in one go: never over a break."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Shift:
    """A day of somebody's week, Monday is 0; in minutes of the day. A break lies inside of it."""

    weekday: int
    begins: int
    ends: int
    break_from: int | None = None
    break_until: int | None = None

    @property
    def spans(self) -> tuple[tuple[int, int], ...]:
        if self.break_from is None or self.break_until is None:
            return ((self.begins, self.ends),)
        return (self.begins, self.break_from), (self.break_until, self.ends)


def working_spans(
    hours: OpenHours, week: Sequence[Shift], start: datetime, days: int
) -> list[tuple[datetime, datetime]]:
    """When somebody works from a moment on, on so many days of the calendar (rule plan.shifts)."""
    opened = hours.spans(start, days)
    if not week:
        return opened
    by_day = {shift.weekday: shift for shift in week}
    first = start.astimezone(hours.zone).date()
    found = []
    for ahead in range(days + 1):
        day = first + timedelta(days=ahead)
        shift = by_day.get(day.weekday())
        if shift is None:
            continue
        midnight = datetime.combine(day, time(), hours.zone)
        for begins, ends in shift.spans:
            # minutes of the wall clock, as the shop's hours are
            own = [(midnight + timedelta(minutes=minute)).astimezone(UTC) for minute in (begins, ends)]
            found += [
                (max(own[0], opens), min(own[1], closes))
                for opens, closes in opened
                if max(own[0], opens) < min(own[1], closes)
            ]
    return sorted(found)


# what a form of somebody's week sends, Monday first
SHIFT_FIELDS = tuple(
    f"{name}.{day}" for day in range(7) for name in ("begins", "ends", "break_from", "break_until")
)


def read_shifts(typed: Mapping[str, str]) -> tuple[Shift, ...]:
    """A week from `begins.0` … `break_until.6`; all empty = no week of one's own. Every problem at once.

    >>> [shift.spans for shift in read_shifts({"begins.0": "9", "ends.0": "17:30", "break_from.0": "12", \
"break_until.0": "12:30"})]
    [((540, 720), (750, 1050))]
    """
    problems = Problems(fact("plan.the-week"))
    week = []
    for day in range(7):
        names = [f"{name}.{day}" for name in ("begins", "ends", "break_from", "break_until")]
        texts = [typed.get(name, "").strip() for name in names]
        if not any(texts):
            continue
        begins, ends = (
            problems.read(name, text, read_time) for name, text in zip(names, texts[:2], strict=False)
        )
        pause = [
            problems.read(name, text, read_time) if text else None
            for name, text in zip(names[2:], texts[2:], strict=True)
        ]
        if begins is None or ends is None:
            continue
        if begins >= ends:
            problems.add(names[1], texts[1], fact("plan.end-after-begin"))
        elif (pause[0] is None) != (pause[1] is None):
            missing = 2 if pause[0] is None else 3
            problems.add(names[missing], texts[missing], fact("plan.break-whole"))
        elif pause[0] is not None and pause[1] is not None and not begins < pause[0] < pause[1] < ends:
            problems.add(names[2], texts[2], fact("plan.break-inside"))
        week.append(Shift(weekday=day, begins=begins, ends=ends, break_from=pause[0], break_until=pause[1]))
    problems.refuse()
    return tuple(week)


def clock(minutes: int | None) -> str:
    """Minutes of the day as a form shows them.

    >>> clock(570), clock(None)
    ('9:30', '')
    """
    return "" if minutes is None else f"{minutes // 60}:{minutes % 60:02}"


def typed_of(week: Sequence[Shift]) -> dict[str, str]:
    """A week as its form shows it; the inverse of `read_shifts`."""
    return {
        f"{name}.{shift.weekday}": clock(getattr(shift, name))
        for shift in week
        for name in ("begins", "ends", "break_from", "break_until")
        if getattr(shift, name) is not None
    }
