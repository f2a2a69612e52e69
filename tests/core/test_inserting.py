"""New work in a plan, held against every place it could have; work against hours; somebody's week."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from core.test_solving import tiny

from sutura.core.errors import ManyInvalid
from sutura.core.planning.chance import how_sure, play
from sutura.core.planning.day import Day, DayPlan, Hold, Operation, Pin, Window, Work, broken_by
from sutura.core.planning.dispatch import CannotBePlaced, Order, best_dispatch, dispatch, in_order
from sutura.core.planning.inserting import WORTH_MINUTES, cover, insert, other_person
from sutura.core.planning.loads import Pays, gains, loads
from sutura.core.planning.shifts import Shift, read_shifts, typed_of, working_spans
from sutura.core.shop import OpenHours

ALWAYS = (Window(0, 10_000),)


def hands(key: str, minutes: int, due: int, *people: str, **more: object) -> Work:
    who = dict.fromkeys(people or ("Ada",), 1.0)
    return Work(key=key, operations=(Operation(minutes=minutes),), people=who, due=due, **more)  # type: ignore[arg-type]


def shop(*jobs: Work, **windows: tuple[Window, ...]) -> Day:
    return Day(people=windows or {"Ada": ALWAYS}, stations={"clamp": 1}, jobs=jobs)


def every_place(day: Day, plan: DayPlan, work: Work) -> list[int]:
    """When new work is done in each place of the order in which nobody is later than without it; written from
    the rule.
    """
    order = sorted(plan.begins, key=lambda key: (plan.begins[key][1], key))
    pins = tuple(Pin(key=key, person=plan.begins[key][0]) for key in order)
    kept = replace(day, pins=pins, told={})
    before = in_order(kept, order).finishes
    new = replace(kept, jobs=(*kept.jobs, replace(work, due=kept.horizon)))
    done = []
    for place in range(len(order) + 1):
        found = in_order(new, [*order[:place], work.key, *order[place:]])
        pinned = replace(new, pins=pins)
        assert broken_by(pinned, found) == ()
        if all(
            max(found.finishes[job.key] - job.due, 0) <= max(before[job.key] - job.due, 0) for job in day.jobs
        ):
            done.append(found.finishes[work.key])
    return done


def test_new_work_is_as_early_as_it_harms_nobody_in_three_hundred_shops() -> None:
    """The halving search against every place: never earlier than what harms nobody, and as early nearly
    always.
    """
    as_early = 0
    for seed in range(300):
        chance = random.Random(seed)
        day = tiny(seed)
        new = Work(
            key="new",
            operations=(Operation(minutes=chance.randint(1, 25)),),
            people=dict.fromkeys(day.people, 1.0),
            due=0,
            release=chance.choice([0, 20]),
        )
        plan, _ = best_dispatch(day)
        places = every_place(day, plan, new)
        assert places, "the last place harms nobody"
        found = insert(day, plan, new)
        # the median may be later than planned, never earlier
        assert found.done >= min(places)
        assert found.safe >= found.done
        as_early += found.begins + new.minutes(0, found.person) == min(places)
    assert as_early >= 285


def test_it_goes_before_who_has_time_and_not_before_who_has_none() -> None:
    tight, easy = hands("tight", 30, 30), hands("easy", 30, 500)
    day = shop(tight, easy)
    plan = dispatch(day, Order.PROMISE)
    found = insert(day, plan, hands("new", 20, 0))
    assert (found.person, found.begins) == ("Ada", 30)
    late = hands("late", 30, 10)
    day = shop(late, easy)
    assert insert(day, dispatch(day, Order.PROMISE), hands("new", 20, 0)).begins == 30
    # while the only person is busy, whoever else may is asked
    both = Day(people={"Ada": ALWAYS, "Bo": ALWAYS}, stations={}, jobs=(tight,))
    assert insert(both, dispatch(both, Order.CAME), hands("new", 20, 0, "Ada", "Bo")).person == "Bo"
    with pytest.raises(CannotBePlaced):
        insert(day, dispatch(day, Order.PROMISE), hands("new", 20, 0, "Cem"))
    with pytest.raises(CannotBePlaced):
        insert(day, dispatch(day, Order.PROMISE), hands("new", 20, 0, release=10_001))


def test_half_of_the_runs_are_by_then_and_nine_of_ten_by_the_safe_time() -> None:
    """Alone and of 60 minutes, spread 0.35: the mean is later than the median, so that more than half are
    done as planned; the safe time is the quantile .9 of the lognormal: 60 · exp(1.2816 · 0.3399 − 0.0578) =
    87.5.
    """
    day = shop(hands("other", 30, 5_000, "Bo"), Ada=ALWAYS, Bo=ALWAYS)
    found = insert(day, dispatch(day, Order.CAME), hands("new", 60, 0))
    assert found.done == 60
    assert 54 <= found.of_hundred <= 61
    assert found.safe == pytest.approx(87.5, abs=3)
    # nine of ten, not a hair more or less
    new = replace(day, jobs=(*day.jobs, hands("new", 60, 0)))
    assert found.safe == how_sure(new, in_order(new, ["other", "new"]), "new", 0.9)[2]


def test_a_part_that_may_be_late_makes_the_promise_later() -> None:
    """Exponential with a mean of 120: nine of ten are there after 120 · ln 10 = 276 minutes."""
    day = shop(hands("J", 1, 300, release=24, late_minutes=120))
    plan = dispatch(day, Order.CAME)
    [chance] = play(day, plan, runs=40_000)
    assert chance.kept == pytest.approx(0.9, abs=0.01)
    [sure] = play(shop(hands("J", 1, 300, release=24)), plan, runs=100)
    assert sure.kept == 1


def test_somebody_else_is_named_who_is_done_sooner_by_enough() -> None:
    job = hands("J", 30, 20)
    first = hands("first", 60, 60)
    day = Day(people={"Ada": ALWAYS, "Bo": ALWAYS}, stations={}, jobs=(first, job))
    plan = in_order(day, ["first", "J"])
    assert plan.finishes["J"] == 90
    assert other_person(day, plan, "J", {"Ada": 1.0, "Bo": 2.0}) == "Bo"
    # 75 is a quarter of an hour sooner, 76 is not
    assert other_person(day, plan, "J", {"Bo": 2.5}) == ("Bo" if 75 + WORTH_MINUTES <= 90 else "")
    assert other_person(day, plan, "J", {"Bo": 76 / 30}) == ""
    assert other_person(day, plan, "J", {"Ada": 1.0}) == ""


# -- loads ---------------------------------------------------------------------------------------------------


def test_work_stands_against_the_hours_of_those_who_are_trained() -> None:
    """Two days of eight hours; Bo has a break and is not trained for laptops."""
    people = {"Ada": (Window(0, 480), Window(1440, 1920)), "Bo": (Window(0, 200), Window(240, 480))}
    trained = {"Ada": frozenset({"phones", "laptops"}), "Bo": frozenset({"phones"})}
    jobs = [
        replace(hands("A", 100, 400, "Ada", "Bo"), people={"Ada": 1.0, "Bo": 0.5}),
        hands("B", 300, 1900),
        replace(
            hands("C", 200, -60), operations=(Operation(minutes=200), Operation(minutes=90, attended=False))
        ),
        hands("later", 999, 5_000),
    ]
    family = {"A": "phones", "B": "laptops", "C": "laptops", "later": "phones"}
    found = {
        (one.family, one.day): (one.work, one.hours)
        for one in loads(jobs, family, trained, people, [480, 1920])
    }
    assert found == {
        ("", 0): (250, 920),
        ("", 1): (550, 1400),
        ("phones", 0): (50, 920),
        ("phones", 1): (50, 1400),
        ("laptops", 0): (200, 480),
        ("laptops", 1): (500, 960),
    }
    [over] = [
        one
        for one in loads(jobs, family, trained, {"Ada": (Window(0, 199),)}, [480])
        if one.family == "laptops"
    ]
    assert over.over
    [full] = [
        one
        for one in loads(jobs, family, trained, {"Ada": (Window(0, 200),)}, [480])
        if one.family == "laptops"
    ]
    assert not full.over


def test_what_would_pay_is_tried_and_the_most_stands_first() -> None:
    """Two laptops at once for one person, one of them late; two in a clamp with one place."""
    jobs = (hands("A", 60, 60), hands("B", 60, 80))
    day = Day(people={"Ada": ALWAYS, "Bo": ALWAYS}, stations={"clamp": 1}, jobs=jobs)
    family = {"A": "laptops", "B": "laptops"}
    trained = {"Ada": frozenset({"laptops"}), "Bo": frozenset({"phones"})}
    [gain] = gains(day, family, trained)
    assert (gain.pays, gain.what, gain.who, gain.kept, gain.less_late) == (
        Pays.TRAINING,
        "laptops",
        "Bo",
        1,
        40,
    )
    # what is done just when it is due is not late: its family needs nobody more
    just = replace(day, jobs=(*jobs, hands("P", 30, 30, "Bo")))
    families = {**family, "P": "phones"}
    assert {one.what for one in gains(just, families, trained)} == {"laptops"}
    clamped = tuple(
        Work(
            key=key,
            operations=(Operation(minutes=10), Operation(minutes=100, attended=False)),
            people={"Ada": 1.0, "Bo": 1.0},
            due=130,
            holds=(Hold(station="clamp", first=1, last=1),),
        )
        for key in "CD"
    )
    day = Day(people={"Ada": ALWAYS, "Bo": ALWAYS}, stations={"clamp": 1}, jobs=clamped)
    both = {"Ada": frozenset({"x"}), "Bo": frozenset({"x"})}
    [gain] = gains(day, {"C": "x", "D": "x"}, both)
    assert (gain.pays, gain.what, gain.kept) == (Pays.PLACE, "clamp", 1)
    assert gains(replace(day, stations={"clamp": 2}), {"C": "x", "D": "x"}, both) == ()


# -- weeks of one's own --------------------------------------------------------------------------------------

BERLIN = ZoneInfo("Europe/Berlin")
HOURS = OpenHours(BERLIN, ((540, 1080),) * 5 + ((600, 840), None))
WEEK = (
    Shift(weekday=0, begins=480, ends=1020, break_from=720, break_until=750),
    Shift(weekday=5, begins=540, ends=900),
    Shift(weekday=6, begins=540, ends=900),
)


def test_somebody_works_in_their_week_without_breaks_while_the_shop_is_open() -> None:
    """From a Monday at noon minus an hour; the Saturday ends with the shop, the Sunday is closed."""
    start = datetime(2031, 3, 3, 11, tzinfo=BERLIN).astimezone(UTC)
    spans = [
        f"{begins.astimezone(BERLIN):%a %H:%M}–{ends.astimezone(BERLIN):%H:%M}"
        for begins, ends in working_spans(HOURS, WEEK, start, 8)
    ]
    assert spans == [
        "Mon 11:00–12:00",
        "Mon 12:30–17:00",
        "Sat 10:00–14:00",
        "Mon 09:00–12:00",
        "Mon 12:30–17:00",
    ]
    assert working_spans(HOURS, (), start, 8) == HOURS.spans(start, 8)
    # who is gone when the shop opens does not work there
    early = (Shift(weekday=0, begins=420, ends=540),)
    assert working_spans(HOURS, early, start, 8) == []


def minute_by_minute(week: tuple[Shift, ...], start: datetime, days: int) -> set[datetime]:
    """Every minute that somebody works, asked of each minute for itself."""
    by_day = {shift.weekday: shift for shift in week}
    first, works = start.astimezone(BERLIN).date(), set()
    at = start
    while at.astimezone(BERLIN).date() < first + timedelta(days=days):
        local = at.astimezone(BERLIN)
        minute, shift = local.hour * 60 + local.minute, by_day.get(local.weekday())
        open_ = HOURS.weekly[local.weekday()]
        if shift and open_ and shift.begins <= minute < shift.ends and open_[0] <= minute < open_[1]:
            pause = shift.break_from is not None and shift.break_from <= minute < (shift.break_until or 0)
            if not pause:
                works.add(at)
        at += timedelta(minutes=1)
    return works


@pytest.mark.parametrize("seed", range(6))
def test_a_week_is_what_every_minute_says_for_itself(seed: int) -> None:
    """Over the night in which the clocks go forward as well."""
    chance = random.Random(seed)
    week = []
    for day in chance.sample(range(7), chance.randint(1, 7)):
        begins = chance.randint(0, 700)
        ends = chance.randint(begins + 10, 1440)
        pause: tuple[int | None, int | None] = (None, None)
        if chance.random() < 0.6:
            pause = (begins + 3, chance.randint(begins + 4, ends - 1))
        week.append(Shift(weekday=day, begins=begins, ends=ends, break_from=pause[0], break_until=pause[1]))
    start = datetime.combine(datetime(2031, 3, 28), time(chance.randint(0, 23), 17), BERLIN).astimezone(UTC)
    minutes = set()
    for begins_at, ends_at in working_spans(HOURS, week, start, 5):
        while begins_at < ends_at:
            minutes.add(begins_at)
            begins_at += timedelta(minutes=1)
    assert minutes == minute_by_minute(tuple(week), start, 5)


def test_a_week_is_read_as_it_is_shown() -> None:
    typed = typed_of(WEEK)
    assert typed["break_from.0"] == "12:00"
    assert "break_from.5" not in typed
    assert read_shifts(typed) == WEEK
    assert read_shifts({}) == ()


@pytest.mark.parametrize(
    ("typed", "field"),
    [
        ({"begins.0": "9"}, "ends.0"),
        ({"ends.0": "9"}, "begins.0"),
        ({"begins.0": "9", "ends.0": "9"}, "ends.0"),
        ({"begins.0": "9", "ends.0": "17", "break_from.0": "12"}, "break_until.0"),
        ({"begins.0": "9", "ends.0": "17", "break_until.0": "12"}, "break_from.0"),
        ({"begins.0": "9", "ends.0": "17", "break_from.0": "13", "break_until.0": "12"}, "break_from.0"),
        ({"begins.0": "9", "ends.0": "17", "break_from.0": "9", "break_until.0": "12"}, "break_from.0"),
        ({"begins.0": "9", "ends.0": "17", "break_from.0": "12", "break_until.0": "17"}, "break_from.0"),
        ({"begins.6": "soon", "ends.6": "17"}, "begins.6"),
        ({"break_from.2": "12", "break_until.2": "13"}, "begins.2"),
    ],
)
def test_a_week_that_makes_no_sense_is_refused_where_it_is_wrong(typed: dict[str, str], field: str) -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_shifts(typed)
    assert field in [one.field for one in refused.value.problems]


def test_jobs_of_who_is_away_harm_nobody_s_promise_in_a_hundred_shops() -> None:
    """Each is in the plan once, done by somebody who may, and no other job is late that was not."""
    placed = 0
    for seed in range(100):
        day = tiny(seed)
        away, *others = sorted(day.people)
        if not others:
            continue
        theirs = [job for job in day.jobs if seed % 2 or len(job.key) % 2]
        rest = replace(day, jobs=tuple(job for job in day.jobs if job not in theirs), pins=(), told={})
        plan, _ = best_dispatch(rest)
        free = [replace(job, people=dict.fromkeys(others, 1.0)) for job in theirs]
        found = cover(rest, plan, free)
        assert set(found.plan.finishes) == {job.key for job in day.jobs} - set(found.nobody)
        assert all(one.person != away for one in found.plan.placed if one.key in {job.key for job in free})
        whole = replace(rest, jobs=tuple(job for job in (*rest.jobs, *free) if job.key not in found.nobody))
        assert broken_by(whole, found.plan) == ()
        for job in rest.jobs:
            assert found.plan.finishes[job.key] <= max(job.due, plan.finishes[job.key])
        placed += len(free)
    assert placed > 50
