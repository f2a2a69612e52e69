"""What can be promised, and the intake in the customer's words. Common practice, no source, unless said."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from builders import ALWAYS_OPEN, HERON, NOW, all_work, crack, impact, models, said
from core.test_planning import waiting

from sutura.core.intake.arrival import check_again, check_functions, untested
from sutura.core.intake.diagnosis import diagnose, ways_told
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.intake.promise import (
    TYPED_LATER,
    Hands,
    Offered,
    PartSeen,
    Slot,
    check_ahead,
    check_promise,
    earliest_promise,
    planned_promise,
)
from sutura.core.job import Stage
from sutura.core.maths.geometry import Point
from sutura.core.planning.queue import minutes_before
from sutura.core.shop import OpenHours
from sutura.core.values import Outcome
from sutura.words.speech import PLAIN
from sutura.words.summary import summarise

SHELF = PartSeen(part="front", free=2, lead_days=3)
BRAM = Hands(name="Bram", minutes=25, before_minutes=0)


def test_the_earliest_counts_work_and_cure_and_rounds_up_to_five_minutes() -> None:
    assert earliest_promise(NOW, SHELF, [BRAM], 99, 0, 0, ALWAYS_OPEN).at == NOW + timedelta(minutes=25)
    assert earliest_promise(
        NOW + timedelta(seconds=1), SHELF, [BRAM], 99, 30, 0, ALWAYS_OPEN
    ).at == NOW + timedelta(minutes=60)


def test_whoever_is_ready_soonest_is_counted_with_the_work_before() -> None:
    lio = Hands(name="Lio", minutes=50, before_minutes=0)
    busy = Hands(name="Bram", minutes=25, before_minutes=40)
    found = earliest_promise(NOW, SHELF, [busy, lio], 99, 0, 0, ALWAYS_OPEN)
    assert found.at == NOW + timedelta(minutes=50)
    assert said(found.reasons[1]) == "Lio: 50 min for this."
    assert "after 40 min of other work" in said(
        earliest_promise(NOW, SHELF, [busy], 99, 0, 0, ALWAYS_OPEN).reasons[1]
    )


def test_work_waits_for_the_part_or_the_work_before_whichever_is_later() -> None:
    """A day's wait and 33 hours of work before it: not after a day."""
    busy = Hands(name="Bram", minutes=25, before_minutes=300)
    away = PartSeen(part="front", free=0, lead_days=2)
    found = earliest_promise(NOW, away, [busy], 99, 0, 0, ALWAYS_OPEN)
    assert found.at == NOW + timedelta(days=2, minutes=25)
    assert said(found.reasons[0]) == "To be ordered: front, here in 2 days."
    busier = Hands(name="Bram", minutes=25, before_minutes=33 * 60)
    tomorrow = PartSeen(part="front", free=0, lead_days=1)
    assert earliest_promise(NOW, tomorrow, [busier], 99, 0, 0, ALWAYS_OPEN).at == NOW + timedelta(
        hours=33, minutes=25
    )


@pytest.mark.parametrize(
    ("part", "hands", "doubt"), [(None, [BRAM], "No part"), (SHELF, [], "Nobody here is trained")]
)
def test_what_is_not_known_is_never_a_sure_promise(
    part: PartSeen | None, hands: list[Hands], doubt: str
) -> None:
    found = earliest_promise(NOW, part, hands, 30, 0, 0, ALWAYS_OPEN)
    assert not found.sure
    (problem,) = check_promise(found.at, "", found, ALWAYS_OPEN)
    assert doubt in str(problem)
    assert check_promise(found.at, "we call", found, ALWAYS_OPEN) == []


def test_an_earlier_promise_needs_a_reason() -> None:
    sure = earliest_promise(NOW, SHELF, [BRAM], 99, 0, 0, ALWAYS_OPEN)
    assert "write why earlier is possible" in str(check_promise(NOW, " ", sure, ALWAYS_OPEN)[0])
    assert check_promise(NOW, "Lio is free", sure, ALWAYS_OPEN) == []
    assert check_promise(sure.at, "", sure, ALWAYS_OPEN) == []
    assert check_promise(None, "", sure, ALWAYS_OPEN)


def test_work_that_has_time_lets_the_new_work_pass() -> None:
    calm = waiting("A", promise_at=NOW + timedelta(days=3), bench_minutes=200)
    tight = waiting("B", promise_at=NOW + timedelta(minutes=40), bench_minutes=30)
    over = waiting("C", promise_at=NOW + timedelta(minutes=41), stage=Stage.CLOSED, bench_minutes=0)
    assert minutes_before([calm], 60, NOW, ALWAYS_OPEN) == 0
    assert minutes_before([calm, tight, over], 60, NOW, ALWAYS_OPEN) == 30
    # forty minutes less five of the counter and thirty of work: what takes five fits before it, six do not
    assert minutes_before([tight], 5, NOW, ALWAYS_OPEN) == 0
    assert minutes_before([tight], 6, NOW, ALWAYS_OPEN) == 30


# -- tried again --------------------------------------------------------------------------------


def test_only_what_could_not_be_tested_is_tried_again() -> None:
    model = models()[HERON]
    answers = {**all_work(model), "touch": ("not_testable", "battery flat")}
    baseline = {result.function: result for result in check_functions(model, answers)[0]}
    assert [one.id for one in untested(model, baseline)] == ["touch"]
    (result,), problems = check_again(model, baseline, {"touch": ("faulty", "dead at the top")})
    assert (result.outcome, problems) == (Outcome.FAULTY, [])
    for answer in ({"image": ("faulty", "black")}, {"touch": ("faulty", " ")}, {"touch": ("maybe", "")}):
        results, problems = check_again(model, baseline, answer)
        assert (results, len(problems)) == ([], 1)
    # what is only seen, such as indicators, needs no function tried
    assert check_again(model, baseline, {}) == ([], [])


# -- in the customer's words --------------------------------------------------------------------


def test_the_summary_says_what_is_seen_what_is_thought_and_what_is_not_known() -> None:
    model = models()[HERON]
    answers = {
        **all_work(model),
        "touch": ("faulty", "dead at the top"),
        "earpiece": ("not_testable", "no sound file"),
    }
    results = {result.function: result for result in check_functions(model, answers)[0]}
    dent = Mark(kind=MarkKind.DENT, points=(Point(x=40, y=5),), reach_mm=3, side=Side.LEFT)
    found = diagnose({"glass": "broken", "image": "fine", "touch": "part", "frame": "bent"})
    told = " ".join(
        summarise(
            [impact(), crack((1, 1), (9, 9)), dent], model, results, found, opened_before=True, speech=PLAIN
        )
    )
    assert "the front glass is broken (1 place where it was hit, 1 crack); dent on the left edge" in told
    assert "Not working: touch (dead at the top)" in told
    assert "so we do not know: earpiece (no sound file)" in told
    assert "opened before it came to us" in told
    assert "Broken: the glass, the frame." in told
    assert "We suspect the touch layer, a plug or cable, but that is not sure yet." in told
    assert "Please note: A bent frame" in told


def test_the_summary_of_nothing_promises_nothing() -> None:
    lines = summarise([], models()[HERON], {}, diagnose({}), opened_before=False, speech=PLAIN)
    assert lines == (
        "We see no damage from outside.",
        "Nothing was tested yet.",
        "What is broken inside is not known yet.",
    )


def test_a_contradiction_is_told_and_a_flat_battery_is_charged_before_any_route() -> None:
    flat = summarise(
        [],
        models()[HERON],
        {},
        diagnose({"battery": "flat", "image": "none"}),
        opened_before=False,
        speech=PLAIN,
    )
    assert flat[-1] == "Charge it first, then test again."
    torn = diagnose({"image": "lines", "image_in_list": "works"})
    assert any(
        "do not go together" in line
        for line in summarise([], models()[HERON], {}, torn, opened_before=False, speech=PLAIN)
    )


@pytest.mark.parametrize(
    ("model_id", "seen", "told"),
    [
        (HERON, {"glass": "broken", "image": "fine", "touch": "fine"}, {"front assembly"}),
        (
            "fennick-kite",
            {"glass": "broken", "image": "fine", "touch": "fine"},
            {"front assembly", "glass only"},
        ),
        ("fennick-wren", {"image": "thread", "reseat": "same"}, {"whole front with frame"}),
        ("ardale-plain-15", {"image": "thread", "reseat": "same"}, {"panel"}),
        ("ardale-plain-15", {"image": "lines", "camera": "yes"}, {"no fault found"}),
    ],
)
def test_only_ways_that_the_model_has_are_told(model_id: str, seen: dict[str, str], told: set[str]) -> None:
    """Work samples W02, W08 and W13: no glass alone where the front is one piece."""
    ways = ways_told(models()[model_id], diagnose(seen).routes)
    assert {PLAIN.say(way) for way in ways} >= told
    kinds = {way.name for way in models()[model_id].ways}
    assert {PLAIN.say(way) for way in ways} <= kinds | told | {"reseat the connectors"}


@pytest.mark.parametrize(
    ("promised", "right"),
    [
        (timedelta(0), False),
        (timedelta(minutes=1), True),
        (timedelta(days=366), True),
        (timedelta(days=366, minutes=1), False),
        (timedelta(days=2_000_000), False),
        (-timedelta(days=700_000), False),
    ],
)
def test_a_promise_lies_ahead_and_nobody_waits_longer_than_a_year(promised: timedelta, right: bool) -> None:
    assert (check_ahead(NOW + promised, NOW) == []) is right


def test_an_intake_typed_the_next_day_may_hold_a_promise_that_has_passed() -> None:
    assert check_ahead(NOW - timedelta(hours=23), NOW, TYPED_LATER) == []
    assert check_ahead(NOW - timedelta(days=1), NOW, TYPED_LATER)
    assert check_ahead(None, NOW) == []


def test_the_plan_offers_three_times_with_counter_and_cure_in_open_hours() -> None:
    """Done at 11:02 as planned: the counter's ten minutes, rounded up to five; in a shop that closes at six
    what would be ready at night is ready when it opens.
    """
    hours = OpenHours(ZoneInfo("UTC"), ((540, 1080),) * 7)
    day = datetime(2031, 3, 3, tzinfo=UTC)
    slot = Slot(
        who="Bram",
        begins=day.replace(hour=10),
        done=day.replace(hour=11, minute=2),
        safe=day.replace(hour=17, minute=58),
        of_hundred=57,
    )
    ordered = replace(slot, safe=day.replace(hour=12) + timedelta(days=3))
    found = planned_promise(SHELF, slot, ordered, 30, 10, hours)
    assert found.offers == {
        Offered.LIKELY: day.replace(hour=11, minute=15),
        Offered.SAFE: day.replace(hour=9, minute=10) + timedelta(days=1),
        Offered.ORDERED: day.replace(hour=12, minute=10) + timedelta(days=3),
    }
    assert (found.at, found.of_hundred, found.sure) == (found.offers[Offered.LIKELY], 57, True)
    assert [said(reason) for reason in found.reasons][1].startswith("Bram: has room in the plan")
    without = planned_promise(None, slot, None, 0, 10, hours)
    assert set(without.offers) == {Offered.LIKELY, Offered.SAFE}
    assert [said(doubt) for doubt in without.doubts] == [
        said(earliest_promise(NOW, None, [BRAM], 9, 0, 0, hours).doubts[0])
    ]
