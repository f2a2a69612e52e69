"""Heat: tables and textbooks, and a truth that the prediction does not know."""

from __future__ import annotations

import math
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from builders import models, said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.bench.heat import (
    AT_THE_CELL,
    EMISSIVITY,
    LEAST_READINGS,
    SURE,
    HeatState,
    Reading,
    Surface,
    ceiling_of,
    celsius,
    falling,
    fit_cooling,
    heated_step,
    judge_heat,
    not_held,
    reaches,
    read_room,
    read_temperature,
    soaked_s,
    true_temperature,
)
from sutura.core.catalogue.model import Goes, Heat, HeatLimit, Phase, Step
from sutura.core.errors import Invalid, ManyInvalid

EDGES = Heat(target_c=60, minutes=2, with_what="pad", where="edges")
LIMITS = (HeatLimit(where="edges", max_c=65, why="cell"), HeatLimit(where="glass", max_c=95, why=""))


@pytest.mark.parametrize(
    ("read", "emissivity", "room", "true"),
    [(60, 0.95, 23, 61.63424), (60, 0.92, 22, 62.74661), (80, 0.85, 25, 87.42712)],
)
def test_a_reading_is_set_right_by_its_surface(
    read: float, emissivity: float, room: float, true: float
) -> None:
    """Check values section 8, by calculation."""
    assert true_temperature(read, emissivity, room) == pytest.approx(true, abs=1e-5)
    assert true_temperature(read, 1.0, room) == pytest.approx(read)
    # the room where nobody measured it
    assert true_temperature(60, 0.92) == pytest.approx(62.74661, abs=1e-5)


def test_bare_metal_is_refused_with_what_to_do() -> None:
    """Polished aluminium sends out .04–.06 of its warmth: a reading of it says nothing."""
    with pytest.raises(Invalid, match="black tape"):
        read_temperature("60", Surface.METAL)
    assert set(EMISSIVITY) == set(Surface) - {Surface.METAL}
    for emissivity in (0, -1, 1.1):
        with pytest.raises(ValueError, match="emissivity"):
            true_temperature(60, emissivity)
    with pytest.raises(ValueError, match="no surface"):
        true_temperature(-100, 0.1, 90)


@given(st.floats(-20, 300).map(lambda c: round(c, 1)))
def test_fahrenheit_and_celsius_agree(c: float) -> None:
    fahrenheit = c * 9 / 5 + 32
    assert celsius(fahrenheit) == pytest.approx(c)
    in_c = read_temperature(f"{c}", Surface.TAPE)
    assert read_temperature(f"{fahrenheit:.2f} °F", Surface.TAPE) == pytest.approx(in_c, abs=0.11)
    assert read_temperature(f"{c} °C", Surface.TAPE) == in_c


@pytest.mark.parametrize("text", ["", "warm", "301", "-21", "600 F", "-5 F", "F"])
def test_what_is_no_temperature_is_refused(text: str) -> None:
    with pytest.raises(Invalid, match="°C, or °F") as refused:
        read_temperature(text, Surface.GLASS)
    assert refused.value.refused == text


def test_the_textbook_cooling_and_the_fitted_one() -> None:
    """Check values section 8: scipy's own fit gives Ta 22.01, d 58.01, τ 239.70; with the room known the
    time constant is the same within its doubt. OpenStax Calculus 2: 350 → 340 °F in 5 min in a room of 75 °F,
    27.09 min to 300 °F.
    """
    read = [80.0, 67.2, 57.2, 49.4, 43.3, 38.6, 34.9, 32.1, 29.8, 28.1, 26.8]
    curve = fit_cooling([Reading(at_s=60.0 * n, c=c) for n, c in enumerate(read)], 22.01)
    assert curve
    assert curve.excess_c == pytest.approx(58.01, abs=0.02)
    assert curve.tau_s == pytest.approx(239.70, abs=0.1)
    rate = -math.log((340 - 75) / (350 - 75)) / 5
    assert rate == pytest.approx(0.007408, abs=1e-6)
    roast = [Reading(at_s=t, c=celsius(75 + 275 * math.exp(-rate * t / 60))) for t in (0, 60, 120, 240, 300)]
    fitted = fit_cooling(roast, celsius(75))
    assert fitted
    when = fitted.crosses(celsius(300))
    assert when
    assert when[0] / 60 == pytest.approx(27.09, abs=0.01)


def test_the_crossing_lies_in_its_interval_as_often_as_it_says() -> None:
    """Two hundred simulated coolings with noise of 0.5 °C, of which the prediction sees the first ninety
    seconds: within the error of a share of two hundred.
    """
    chance = np.random.default_rng(11)
    hits = 0
    for _ in range(200):
        tau, excess = chance.uniform(90, 260), chance.uniform(36, 45)
        readings = [
            Reading(at_s=t, c=22 + excess * math.exp(-t / tau) + chance.normal(0, 0.5))
            for t in range(0, 91, 10)
        ]
        curve = fit_cooling(readings)
        assert curve
        found = curve.crosses(40)
        assert found
        truth = tau * math.log(excess / 18)
        hits += abs(found[0] - truth) <= found[1]
    assert hits / 200 == pytest.approx(SURE, abs=3 * math.sqrt(SURE * (1 - SURE) / 200))


def test_too_few_readings_or_none_that_cool_predict_nothing() -> None:
    warm = [Reading(at_s=t, c=50 + t / 10) for t in range(0, 100, 10)]
    assert fit_cooling(warm) is None
    assert falling(warm) == warm[-1:]
    cools = [Reading(at_s=t, c=60 - t / 10) for t in range(0, 100, 10)]
    assert fit_cooling(cools[: LEAST_READINGS - 1]) is None
    assert fit_cooling(cools[:LEAST_READINGS])
    assert fit_cooling([Reading(at_s=0, c=20)] * 5) is None
    assert fit_cooling([]) is None
    # as cold as the room already
    assert fit_cooling(readings(60, 50, 40, 30, 22)) is None
    # warmed again, and never as hot as at first: it does not cool
    assert fit_cooling(readings(90, 50, 60, 70, 80, 89)) is None
    curve = fit_cooling(cools)
    assert curve
    # it never gets colder than the room
    assert curve.crosses(20) is None
    assert curve.crosses(curve.room_c) is None


def readings(*temperatures: float) -> list[Reading]:
    return [Reading(at_s=10.0 * n, c=c) for n, c in enumerate(temperatures)]


@pytest.mark.parametrize(
    ("temperatures", "state", "reheats"),
    [
        ((), HeatState.UNKNOWN, 0),
        ((30, 50), HeatState.COLD, 0),
        # warm enough to cut only once it has been at its target
        ((30, 54.9), HeatState.COLD, 0),
        ((30, 55), HeatState.WORKABLE, 0),
        ((30, 60), HeatState.WORKABLE, 0),
        ((30, 61, 50, 45), HeatState.WORKABLE, 0),
        ((30, 61, 44.9), HeatState.COLD, 0),
        # as cold as it may be, and once too cold
        ((30, 61, 45, 61), HeatState.WORKABLE, 0),
        ((30, 61, 44.9, 61), HeatState.WORKABLE, 1),
        ((30, 61, 44, 60), HeatState.WORKABLE, 1),
        ((61, 44, 61, 44, 50), HeatState.COLD, 1),
        ((61, 65), HeatState.WORKABLE, 0),
        ((61, 65.1), HeatState.TOO_HOT, 0),
    ],
)
def test_an_edge_is_warmed_cut_or_left(
    temperatures: tuple[float, ...], state: HeatState, reheats: int
) -> None:
    judged = judge_heat(EDGES, LIMITS, readings(*temperatures))
    assert (judged.state, judged.reheats) == (state, reheats)
    assert (judged.target_c, judged.ceiling_c, judged.floor_c) == (60, 65, 45)


@given(st.lists(st.floats(-20, 300), max_size=12))
def test_no_advice_ever_passes_a_ceiling(temperatures: list[float]) -> None:
    for model in models().values():
        for step in model.steps:
            if step.heat:
                judged = judge_heat(step.heat, model.heat_limits, readings(*temperatures))
                limit = next(one.max_c for one in model.heat_limits if one.where == step.heat.where)
                assert judged.target_c <= judged.ceiling_c == limit
                if temperatures and temperatures[-1] > limit:
                    assert judged.state is HeatState.TOO_HOT


def test_the_time_is_said_with_its_doubt_once_it_cools() -> None:
    truth = [Reading(at_s=t, c=22 + 40 * math.exp(-t / 120)) for t in range(0, 60, 10)]
    judged = judge_heat(EDGES, LIMITS, truth)
    assert judged.state is HeatState.WORKABLE
    assert judged.until_s == pytest.approx(120 * math.log(40 / 23), abs=0.5)
    assert judged.doubt_s is not None
    assert judge_heat(EDGES, LIMITS, truth[:2]).until_s is None
    assert judged.until_s is not None
    assert judge_heat(EDGES, LIMITS, truth, judged.until_s - 0.1).state is HeatState.WORKABLE
    assert judge_heat(EDGES, LIMITS, truth, judged.until_s + 0.1).state is HeatState.COLD


# -- what else limits a heat, and how far a warming is -----------------------------------------------------


def heated(with_what: str, target: int = 60) -> Heat:
    return Heat(target_c=target, minutes=2, with_what=with_what, where="edges")


def test_the_ceiling_is_the_lowest_of_place_hand_plastic_and_cell() -> None:
    """Never hotter than a hand can stay on, where a hand holds the heat: common practice, no source."""
    limits = (*LIMITS, HeatLimit(where=AT_THE_CELL, max_c=50, why="cell"))
    assert (ceiling_of(heated("pad"), limits).c, said(ceiling_of(heated("pad"), limits).of)) == (65, "edges")
    gun = ceiling_of(heated("heat gun"), limits)
    assert (gun.c, said(gun.of)) == (60, "a hand")
    plastic = ceiling_of(heated("pad"), limits, [Surface.GLASS, Surface.PLASTIC])
    assert (plastic.c, said(plastic.of)) == (60, "plastic")
    assert ceiling_of(heated("pad"), limits, [Surface.GLASS]).c == 65
    cell = ceiling_of(heated("pad"), limits, edge=AT_THE_CELL)
    assert (cell.c, said(cell.of)) == (50, AT_THE_CELL)
    # without any limit its target is its own
    assert ceiling_of(Heat(target_c=70, minutes=1, with_what="torch", where="x"), ()).c == 70


def test_above_a_hand_it_is_too_hot_and_it_is_said_for_whom() -> None:
    judged = judge_heat(heated("heat gun"), LIMITS, [Reading(at_s=0, c=60.4)])
    assert judged.state is HeatState.TOO_HOT
    assert said(judged.says) == "stop heating: it is above 60 °C, the most for a hand"
    assert judge_heat(heated("pad"), LIMITS, [Reading(at_s=0, c=60.4)]).state is HeatState.WORKABLE


@given(
    st.sampled_from(["pad", "plate", "heat gun", "hair dryer", "gel pack", "torch"]),
    st.integers(30, 100),
    st.lists(st.integers(30, 100), max_size=3),
    st.sets(st.sampled_from([Surface.GLASS, Surface.PLASTIC])),
)
def test_advice_never_exceeds_any_ceiling(
    way: str, target: int, limits: list[int], surfaces: set[Surface]
) -> None:
    places = [HeatLimit(where="edges", max_c=limit, why="") for limit in limits]
    judged = judge_heat(heated(way, target), places, [], surfaces=sorted(surfaces))
    in_hand = way in ("heat gun", "hair dryer", "gel pack")
    every = [*limits, *([60] if in_hand else []), *([60] if Surface.PLASTIC in surfaces else [])]
    assert judged.target_c <= min(every, default=target)
    assert judged.ceiling_c == min(every, default=target)


def test_a_warming_says_when_it_reaches_its_target_at_its_pace() -> None:
    rising = [Reading(at_s=10 * n, c=20 + 5 * n) for n in range(5)]
    # half a degree a second: from 40 at 40 s it is 18 more to two below 60
    assert reaches(rising, 58) == pytest.approx(40 + 18 / 0.5)
    # its window begins five below
    assert judge_heat(EDGES, LIMITS, rising).reaches_s == pytest.approx(70)
    # only the last ones count: it stood still before
    still = [Reading(at_s=-300 + n, c=20) for n in range(5)]
    assert reaches([*still, *rising], 58) == pytest.approx(76)
    assert reaches(rising[:1], 58) is None
    assert reaches(rising[::-1], 58) is None
    assert reaches(rising, 40) is None
    # one that fell since does not get there, whatever its last ones did together
    fell = [*rising, Reading(at_s=50, c=39.9)]
    assert reaches(fell, 58) is None
    assert reaches([Reading(at_s=0, c=20), Reading(at_s=0, c=30)], 58) is None
    warm = [Reading(at_s=0, c=59), Reading(at_s=9, c=61)]
    assert judge_heat(EDGES, LIMITS, warm).reaches_s is None


def test_how_long_it_is_at_its_heat_counts_from_the_last_cold_reading() -> None:
    readings = [
        Reading(at_s=s, c=c) for s, c in [(0, 40), (30, 58.5), (60, 61), (90, 50), (120, 60), (150, 59)]
    ]
    assert soaked_s(readings, 60) == 30
    assert soaked_s(readings[:3], 60) == 30
    # two degrees below is still at its heat
    assert soaked_s([Reading(at_s=0, c=60), Reading(at_s=40, c=58), Reading(at_s=90, c=60)], 60) == 90
    assert soaked_s(readings[:1], 60) == 0
    assert soaked_s(readings[:4], 60) == 0
    assert soaked_s([], 60) == 0
    # what goes by since the last reading is no reading
    assert judge_heat(EDGES, LIMITS, readings, 160.0).soaked_s == 30


@pytest.mark.parametrize("model", models().values(), ids=list(models()))
def test_the_heat_of_a_step_counts_for_itself_and_for_the_one_it_was_warmed_for(model: Any) -> None:
    """In the order of the sheet, by a judge of its own: the step that is warmed, then, where it only warms,
    what comes directly after it.
    """
    now = datetime(2026, 12, 1, 10, tzinfo=UTC)
    done: list[tuple[str, datetime]] = []
    for step in model.steps:
        told = heated_step(step, model.steps, done, now)
        if step.heat:
            assert told is step
        else:
            warmed = [s for s in model.steps if s.heat and s.id in step.after and (s.id, now) in done]
            alone = [s for s in warmed if s.moves or s.goes is not Goes.NEITHER]
            used = [s for s in warmed if any(s.id in o.after for o in model.steps if (o.id, now) in done)]
            left = [s for s in warmed if s not in alone and s not in used]
            assert told is (left[-1] if left else None), (step.id, told)
        assert step.heat or heated_step(step, model.steps, done, now + timedelta(minutes=31)) is None
        done.append((step.id, now))


def test_a_reading_tells_of_its_place_for_five_minutes() -> None:
    held = [Reading(at_s=0, c=58), Reading(at_s=200, c=58)]
    step = Step(id="warm", phase=Phase.OPEN, text="Warm it.", heat=EDGES)
    fresh, old = (judge_heat(EDGES, LIMITS, held, now_s) for now_s in (500.0, 500.5))
    assert (fresh.state, not_held(step, {"": fresh})) == (HeatState.WORKABLE, "")
    assert old.state is HeatState.UNKNOWN
    assert "read it again" in said(old.says)
    assert "more than 5 minutes old" in said(not_held(step, {"": old}))
    # as it was when it was read, and where a curve tells more than the last reading
    assert judge_heat(EDGES, LIMITS, held).state is HeatState.WORKABLE
    cooling = [Reading(at_s=100.0 * k, c=22 + 38 * math.exp(-k / 90)) for k in range(5)]
    curved = judge_heat(EDGES, LIMITS, cooling, 900.0)
    assert (curved.until_s or 0) > 900
    assert curved.state is HeatState.WORKABLE


def test_a_room_is_typed_in_degrees() -> None:
    assert str(read_room(" 21,55 ")) in ("21.5", "21.6")
    for wrong in ("", "cold", "4", "41"):
        with pytest.raises(ManyInvalid):
            read_room(wrong)
    # in a colder room the same reading is a warmer surface
    assert read_temperature("60", Surface.GLASS, 10)[1] > read_temperature("60", Surface.GLASS, 30)[1]
