"""Which stations a sheet holds; facts of the work samples (common practice, no source)."""

from __future__ import annotations

from builders import models

from sutura.core.bench.compiling import compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.stations import CLAMP, STATIONS, StationUse, station_of, stations_of
from sutura.core.bench.times import sheet_minutes
from sutura.core.catalogue.model import Heat, Phase, Step


def steps_of(model_id: str, route: str = "") -> tuple[Step, ...]:
    model = models()[model_id]
    return compile_sheet(model, Goal(aim=Aim.REPAIR, route=route or model.ways[0].kind)).steps


def step(*tools: str, wait: int = 0, heat: str = "") -> Step:
    warm = Heat(target_c=60, minutes=4.0, with_what=heat, where="edges") if heat else None
    return Step(id="one", phase=Phase.SWAP, text="", tools=tools, wait_minutes=wait, heat=warm, minutes=2.0)


def test_the_plate_is_held_where_the_two_in_one_is_warmed() -> None:
    """W03: hot plate, 90 °C for 3 min."""
    model = models()["tarnbeck-fold-12-g4"]
    held = {use.station: use.minutes for use in stations_of(model, steps_of(model.id), model.cure_minutes)}
    assert held["hot plate"] >= 3


def test_a_device_that_only_needs_a_driver_holds_nothing() -> None:
    model = models()["ardale-foil-13-late"]
    assert stations_of(model, steps_of(model.id), 0) == ()


def test_minutes_are_those_of_the_steps_and_the_clamp_waits_for_the_cure() -> None:
    model = models()["osmere-dial-42"]
    warm, clamped, wait = step(heat="heating pad"), step(CLAMP, wait=45), step("tweezers", wait=9)
    assert stations_of(model, [warm, wait], 1_440) == (StationUse(station="heating pad", minutes=6),)
    assert stations_of(model, [warm, clamped, clamped], 1_440) == (
        StationUse(station="heating pad", minutes=6),
        StationUse(station=CLAMP, minutes=2 * 47 + 1_440),
    )
    assert sheet_minutes(model, [clamped]) == 47


def test_where_it_is_warmed_comes_before_what_is_in_the_hand() -> None:
    assert station_of(step("microscope", heat="hot plate")) == "hot plate"
    assert station_of(step("tweezers", "microscope")) == "microscope"
    assert station_of(step("tweezers")) == ""


def test_every_place_of_the_packs_that_warms_is_a_station_or_is_held_in_the_hand() -> None:
    in_hand = {"hair dryer", "heat gun", "hot air"}
    warmed = {
        one.heat.with_what
        for model in models().values()
        if model.pieces
        for way in model.ways
        if way.has_sheet
        for one in steps_of(model.id, way.kind)
        if one.heat
    }
    assert warmed - in_hand <= STATIONS.keys()
