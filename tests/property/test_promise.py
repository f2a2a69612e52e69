"""Laws of opening hours, of the order of work and of promises, against a clock that is moved minute by
minute.

Earliest due date first, with tails: Jackson 1955 (from memory); the rest is common practice, no source.
"""

from __future__ import annotations

import itertools
import random
from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from builders import ALWAYS_OPEN, NOW, examples
from core.test_planning import waiting
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import ManyInvalid
from sutura.core.intake.promise import Hands, PartSeen, check_new_promise, check_promise, earliest_promise
from sutura.core.job import Stage
from sutura.core.planning.expected import (
    COUNTER_MINUTES,
    UNSURE,
    Told,
    Waiting,
    bench_minutes_left,
    due_at,
    expected,
    expected_at,
    plan_holds,
    ready_at,
    slack_minutes,
)
from sutura.core.planning.queue import by_plan, minutes_before, rank_next
from sutura.core.shop import OpenHours, hours_from, hours_kept, hours_texts, read_week

MINUTE = timedelta(minutes=1)
seeds = st.integers(0, 10**9)


def some_hours(chance: random.Random) -> OpenHours:
    """A week with at least one open day, in a zone with and without summer time, with closed days about
    NOW.
    """
    weekly = []
    for _ in range(7):
        # no shop is open in the hour in which summer time begins or ends
        opens = chance.randrange(4, 20) * 60 + chance.choice([0, 15, 30])
        closes = min(opens + chance.choice([90, 240, 540]), 24 * 60)
        weekly.append((opens, closes) if chance.random() < 0.7 else None)
    weekly[chance.randrange(7)] = (540, 1080)
    closed = {NOW.date() + timedelta(days=chance.randrange(12)) for _ in range(chance.randrange(4))}
    zone = ZoneInfo(chance.choice(["Etc/GMT-2", "Europe/Berlin", "America/New_York"]))
    return OpenHours(zone, tuple(weekly), frozenset(closed))


def opened(at: datetime, hours: OpenHours) -> bool:
    """Whether work goes on in the minute that begins here, by looking at the clock on the wall."""
    local = at.astimezone(hours.zone)
    span = None if local.date() in hours.closed else hours.weekly[local.weekday()]
    return span is not None and span[0] <= local.hour * 60 + local.minute < span[1]


def worked(start: datetime, minutes: int, hours: OpenHours) -> datetime:
    """When so many open minutes are over, minute by minute."""
    at = start
    while minutes:
        minutes -= opened(at, hours)
        at += MINUTE
    return at


def some_moment(chance: random.Random) -> datetime:
    # whole minutes: the judge's clock has no seconds
    return NOW + timedelta(minutes=chance.randrange(0, 4 * 24 * 60))


@given(seeds)
@examples(60)
def test_open_minutes_are_those_on_the_clock(seed: int) -> None:
    chance = random.Random(seed)
    hours, start = some_hours(chance), some_moment(chance)
    end = start + timedelta(minutes=chance.randrange(0, 3 * 24 * 60))
    counted = sum(opened(start + place * MINUTE, hours) for place in range((end - start) // MINUTE))
    assert hours.between(start, end) == counted
    assert hours.between(end, start) == -counted
    minutes = chance.randrange(1, 900)
    assert hours.after(start, minutes) == worked(start, minutes, hours)
    # the latest moment from which so many are left: one minute later there is one less
    latest = hours.before(end, minutes)
    left = sum(opened(latest + place * MINUTE, hours) for place in range((end - latest) // MINUTE))
    assert left == minutes
    assert opened(latest, hours)
    assert hours.before(end, 0) == end
    opens = hours.next_open(start)
    assert opens >= start
    assert hours.is_open(opens)
    # the minute of closing counts, but for midnight, which is the next day's
    closes = [at for _, at in hours.spans(start, 3) if at.astimezone(hours.zone).hour]
    assert all(hours.is_open(at) and hours.next_open(at) == at for at in closes)
    assert not any(hours.spans(at, 1) for at in closes[:1])
    # it is closed from now until then, but for the minute of closing itself
    assert not any(opened(start + place * MINUTE, hours) for place in range((opens - start) // MINUTE))


@given(seeds)
@examples(60)
def test_hours_are_read_as_they_are_written_and_kept_as_they_are_read(seed: int) -> None:
    hours = some_hours(random.Random(seed))
    texts = hours_texts(hours)
    assert read_week(texts) == (hours.weekly, hours.closed)
    assert hours_from(hours_kept(hours.weekly, hours.closed), hours.zone) == hours


@pytest.mark.parametrize(
    ("typed", "wrong"),
    [
        ({"opens.0": "9", "closes.0": ""}, {"closes.0"}),
        ({"opens.0": "25", "closes.0": "18"}, {"opens.0"}),
        ({"opens.0": "9:75", "closes.0": "18"}, {"opens.0"}),
        ({"opens.2": "18:00", "closes.2": "9:00"}, {"closes.2"}),
        ({"opens.2": "9:00", "closes.2": "9:00"}, {"closes.2"}),
        ({"opens.2": "9", "closes.2": "18", "closed": "2031-02-30"}, {"closed"}),
        ({}, {"opens.0"}),
        ({"opens.2": "9", "closes.2": "18", "closed": " ".join(["2031-02-03"] * 201)}, {"closed"}),
    ],
)
def test_a_week_that_cannot_be_is_refused_field_by_field(typed: dict[str, str], wrong: set[str]) -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_week(typed)
    assert set(refused.value.by_field) == wrong


# -- the order of work -------------------------------------------------------------------------------


def some_queue(chance: random.Random, most: int = 6) -> list[Waiting]:
    return [
        waiting(
            f"J{place}",
            stage=chance.choice([Stage.PART_IN_HAND, Stage.QUOTED, Stage.OPENED, Stage.CLOSED]),
            promise_at=NOW + timedelta(minutes=chance.randrange(-30, 900)),
            bench_minutes=chance.randrange(5, 120),
            cure_minutes=chance.choice([0, 0, 30, 240]),
        )
        for place in range(chance.randrange(most))
    ]


def kept(order: Sequence[Waiting], hours: OpenHours = ALWAYS_OPEN) -> dict[str, bool]:
    """Which promises one bench keeps when it works in this order: work in open minutes, the cure by the
    clock, and then the counter in open minutes.
    """
    done, said = 0, {}
    for job in order:
        done += bench_minutes_left(job)
        ready = worked(NOW, done, hours) if hours.weekly else NOW + done * MINUTE
        cured = ready + (job.cure_minutes if job.stage is not Stage.CLOSED else 0) * MINUTE
        ahead = range(max((job.promise_at - cured) // MINUTE, 0))
        left = sum(opened(cured + k * MINUTE, hours) for k in ahead) if hours.weekly else len(ahead)
        said[job.code] = cured <= job.promise_at and left >= COUNTER_MINUTES[job.stage]
    return said


@given(seeds)
@examples(120)
def test_next_keeps_every_promise_that_any_order_keeps(seed: int) -> None:
    """The order by promise alone breaks some of these as soon as there are cures."""
    chance = random.Random(seed)
    queue = some_queue(chance)
    by_code = {job.code: job for job in queue}
    ranked = [by_code[line.code] for line in rank_next(queue, NOW, ALWAYS_OPEN)]
    if any(all(kept(order).values()) for order in itertools.permutations(queue)):
        assert all(kept(ranked).values())
    for line in rank_next(queue, NOW, ALWAYS_OPEN):
        alone = kept([by_code[line.code]])[line.code]
        assert alone is (line.slack_minutes >= 0)


@given(seeds)
@examples(120)
def test_new_work_makes_no_promise_late_that_was_kept_and_waits_for_nothing_else(seed: int) -> None:
    chance = random.Random(seed)
    queue, minutes = some_queue(chance), chance.randrange(5, 120)
    before = minutes_before(queue, minutes, NOW, ALWAYS_OPEN)
    by_code = {job.code: job for job in queue}
    ordered = [by_code[line.code] for line in rank_next(queue, NOW, ALWAYS_OPEN)]
    was = kept(ordered)
    new = waiting("NEW", bench_minutes=minutes, promise_at=NOW + timedelta(days=9))

    def breaks(place: int) -> bool:
        now = kept([*ordered[:place], new, *ordered[place:]])
        # what is late already is not passed either
        late = any(not was[job.code] and bench_minutes_left(job) for job in ordered[place:])
        return late or any(was[job.code] and not now[job.code] for job in ordered)

    places = [k for k in range(len(ordered) + 1) if not breaks(k)]
    assert before == sum(map(bench_minutes_left, ordered[: min(places)]))


@given(seeds)
@examples(120)
def test_the_plan_is_in_time_exactly_when_next_is(seed: int) -> None:
    """One job, begun now: done by when it is due in the plan, ready by its promise, and with room in Next –
    all three or none, by a clock that is moved minute by minute.
    """
    chance = random.Random(seed)
    hours = chance.choice([ALWAYS_OPEN, some_hours(chance)])
    now = hours.next_open(some_moment(chance))
    promise = hours.next_open(
        now + timedelta(minutes=chance.choice([5, 60, 900, 3000]) + chance.randrange(90))
    )
    job = waiting(
        stage=chance.choice([Stage.IDENTIFIED, Stage.PART_IN_HAND]),
        promise_at=promise,
        bench_minutes=chance.randrange(1, 120),
        cure_minutes=chance.choice([0, 0, 30, 1440]),
    )
    cure, counter = job.cure_minutes * MINUTE, COUNTER_MINUTES[job.stage]
    bench = worked(now, job.bench_minutes, hours) if hours.weekly else now + job.bench_minutes * MINUTE
    in_time = slack_minutes(job, now, hours) >= 0
    assert (bench + cure <= due_at(job, hours)) is in_time
    assert (ready_at(job, bench + cure, hours) <= promise) is in_time
    # the counter takes it up when the shop is open again after the cure
    collected = bench + cure
    while hours.weekly and not opened(collected, hours):
        collected += MINUTE
    collected = worked(collected, counter, hours) if hours.weekly else collected + counter * MINUTE
    assert (collected <= promise) is in_time
    assert expected_at(job, now, hours) == ready_at(job, bench + cure, hours)
    # what the plan said holds while it can be so
    said = now + timedelta(minutes=chance.randrange(-20, 20))
    slack = slack_minutes(job, now, hours)
    assert plan_holds(job, said, now, slack) is (said >= now or in_time)
    assert plan_holds(job, now, now, slack)
    assert not plan_holds(replace(job, stage=Stage.CLOSED), said, now, slack)
    # what every page says: by the plan where that can be so, and late exactly when it is not ready in time
    later = hours.next_open(now + timedelta(minutes=chance.randrange(0, 2000)))
    ends = worked(later, job.bench_minutes, hours) if hours.weekly else later + job.bench_minutes * MINUTE
    told = Told(person_id=1, begins=later, done=ends + cure, kept=chance.randrange(101))
    seen = expected(job, told, now, hours)
    assert seen.told is told
    assert seen.ready == ready_at(job, told.done, hours)
    assert seen.late is (seen.ready > promise)
    assert seen.unsure is (told.kept < UNSURE)
    alone = expected(job, None, now, hours)
    assert (alone.ready, alone.spare, alone.told) == (expected_at(job, now, hours), slack, None)
    # the list reckons as the line does
    assert by_plan([job], {job.code: told}, now, hours) == [(seen.spare, job)]


@given(seeds)
@examples(60)
def test_a_promise_is_kept_by_whoever_works_in_the_order_of_next(seed: int) -> None:
    """New work taken in among jobs that all keep theirs: with the part on the shelf, nobody is late
    afterwards.
    """
    chance = random.Random(seed)
    hours = chance.choice([ALWAYS_OPEN, some_hours(chance)])
    queue = [replace(job, promise_at=job.promise_at + timedelta(days=2)) for job in some_queue(chance)]
    if not all(kept(sorted(queue, key=lambda job: job.promise_at), hours).values()):
        return
    minutes, cure = chance.randrange(5, 120), chance.choice([0, 30, 1440])
    counter = COUNTER_MINUTES[Stage.IDENTIFIED]
    hand = Hands(name="Bram", minutes=minutes, before_minutes=minutes_before(queue, minutes, NOW, hours))
    part = PartSeen(part="front", free=1, lead_days=0)
    promise = earliest_promise(NOW, part, [hand], 0, cure, counter, hours)
    new = waiting(
        "NEW", stage=Stage.IDENTIFIED, bench_minutes=minutes, cure_minutes=cure, promise_at=promise.at
    )
    every = {job.code: job for job in (*queue, new)}
    order = [every[line.code] for line in rank_next([*queue, new], NOW, hours)]
    assert all(kept(order, hours).values())


@given(seeds)
@examples(80)
def test_a_promise_lies_in_open_hours_and_not_before_it_can_be_kept(seed: int) -> None:
    chance = random.Random(seed)
    hours, now = some_hours(chance), some_moment(chance)
    minutes, cure, before = (
        chance.randrange(5, 200),
        chance.choice([0, 0, 45, 1440]),
        chance.randrange(0, 2000),
    )
    part = PartSeen(part="front", free=chance.choice([0, 1]), lead_days=chance.randrange(1, 4))
    hand = Hands(name="Bram", minutes=minutes, before_minutes=before)
    promise = earliest_promise(now, part, [hand], 0, cure, 0, hours)
    here = now if part.free else now + timedelta(days=part.lead_days)
    done = worked(max(here, worked(now, before, hours)), minutes, hours) + cure * MINUTE
    assert promise.at >= done
    local = promise.at.astimezone(hours.zone)
    span = None if local.date() in hours.closed else hours.weekly[local.weekday()]
    assert span
    assert span[0] <= local.hour * 60 + local.minute <= span[1]
    # not later than the first five minutes of opening after it is done
    latest = done
    while not opened(latest, hours):
        latest += MINUTE
    assert promise.at <= latest + 5 * MINUTE or not opened(promise.at - MINUTE, hours)
    assert check_promise(promise.at, "", promise, hours) == []


def test_no_promise_at_night_and_none_on_a_closed_day() -> None:
    """A shop at +01:00, open from nine to six but on Sundays, and closed on the Tuesday."""
    week = ((540, 1080),) * 6 + (None,)
    hours = OpenHours(ZoneInfo("Etc/GMT-1"), week, frozenset({date(2031, 3, 4)}))
    part, hand = PartSeen(part="front", free=1, lead_days=0), Hands(name="Bram", minutes=60, before_minutes=0)
    evening = datetime(2031, 3, 3, 16, 30, tzinfo=UTC)
    promise = earliest_promise(evening, part, [hand], 0, 0, 0, hours)
    assert promise.at == datetime(2031, 3, 5, 8, 30, tzinfo=UTC)
    # done at closing time, and glued overnight: it can be fetched when the shop opens
    glued = earliest_promise(evening, part, [replace(hand, minutes=30)], 0, 600, 0, hours)
    assert glued.at == datetime(2031, 3, 5, 8, 0, tzinfo=UTC)
    night = datetime(2031, 3, 3, 20, 0, tzinfo=UTC)
    for problems in (
        check_promise(night, "we call", promise, hours),
        check_new_promise(evening, night, "we call you", evening, hours),
    ):
        assert [problem.field for problem in problems] == ["promise_at"]
    morning = datetime(2031, 3, 5, 9, 0, tzinfo=UTC)
    assert check_new_promise(evening, morning, "we call you", evening, hours) == []
    job = waiting(promise_at=promise.at, bench_minutes=60)
    assert expected_at(job, evening, hours) == datetime(2031, 3, 5, 8, 35, tzinfo=UTC)
