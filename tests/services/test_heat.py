"""Heat at the bench, on the real database: typed, measured, refused; and the thermometer's contract."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from datetime import datetime, timedelta

import pytest
from builders import HERON, Shop, said

from sutura.config import PLATE_FAULTS
from sutura.core.bench.heat import HeatState, heated_step
from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, StaleSave
from sutura.devices import plug, plugged
from sutura.devices.ports import Away, HotPlate, PlateSays, Thermometer
from sutura.devices.simulated.plate import SimulatedPlate
from sutura.devices.simulated.thermometer import COOLS_S, FAULTS, ROOM_C, SimulatedThermometer
from sutura.services import bench, consents, hands, heat
from sutura.services.heat import HeatPage


class Clock:
    now = 0.0

    def __call__(self) -> float:
        return self.now


@pytest.fixture
def clock() -> Iterator[Clock]:
    before, clock = plugged().thermometer, Clock()
    plug(thermometer=SimulatedThermometer(clock=clock, chance=random.Random(4)))
    yield clock
    plug(thermometer=before)


def at_warming(shop: Shop) -> str:
    shop.receive("P-1001")
    code = shop.opened(HERON)
    for _ in range(3):
        shop.step(code)
    return code


def page_of(shop: Shop, code: str, now: datetime | None = None) -> HeatPage:
    page = bench.bench_page(code)
    step = heated_step(
        page.progress.step, page.progress.steps, [(one.step, one.at) for one in page.done], now or shop.now
    )
    assert step
    return heat.heat_page(page.job, page.model, step, now or shop.now)


def typed(temperature: str, **more: str) -> dict[str, str]:
    return {"temperature": temperature, "surface": "tape", "edge": "bottom", **more}


def test_an_edge_is_warmed_watched_cooling_and_warmed_again(shop: Shop) -> None:
    code = at_warming(shop)
    assert page_of(shop, code).target.state is HeatState.UNKNOWN
    start = shop.now
    for seconds, c in ((0, "30"), (60, "60 °C"), (70, "57.5"), (80, "55"), (90, "52.8"), (100, "50.8")):
        heat.keep_heat(code, "warm", typed(c), shop.bram, start + timedelta(seconds=seconds))
    [edge] = page_of(shop, code, start + timedelta(seconds=100)).edges
    assert (edge.edge, edge.judged.state, edge.judged.reheats) == ("bottom", HeatState.WORKABLE, 0)
    assert edge.until
    assert edge.judged.doubt_s
    # a while later it is too cold, though nobody read it again
    [edge] = page_of(shop, code, edge.until + timedelta(seconds=1)).edges
    assert edge.judged.state is HeatState.COLD
    # below the floor of 45 °C it is warmed again, and counted
    shop.step(code)
    later = start + timedelta(seconds=140)
    heat.keep_heat(code, "warm", typed("105 F", edge="left"), shop.bram, later)
    heat.keep_heat(code, "warm", typed("41"), shop.bram, later)
    heat.keep_heat(code, "warm", typed("60"), shop.bram, later + timedelta(seconds=30))
    edges = {one.edge: one for one in page_of(shop, code).edges}
    assert edges["bottom"].judged.reheats == 1
    assert float(edges["left"].lines[0].read_c) == pytest.approx(40.6)
    assert edges["left"].judged.state is HeatState.COLD
    # too hot is said at once and stays with the job
    heat.keep_heat(code, "warm", typed("71"), shop.bram, later + timedelta(seconds=40))
    hot = page_of(shop, code)
    assert {one.edge: one for one in hot.edges}["bottom"].judged.state is HeatState.TOO_HOT


def test_what_cannot_be_a_reading_is_refused_and_nothing_is_kept(shop: Shop) -> None:
    code = at_warming(shop)
    for wrong, field in (
        (typed("hot"), "temperature"),
        (typed("60", surface="metal"), "surface"),
        (typed("60", surface="wood"), "surface"),
        (typed("60", edge="middle"), "edge"),
    ):
        with pytest.raises(ManyInvalid) as refused:
            heat.keep_heat(code, "warm", wrong, shop.bram, shop.now)
        assert field in refused.value.by_field
    with pytest.raises(ManyInvalid) as refused:
        heat.keep_heat(code, "clean", typed("60"), shop.bram, shop.now)
    assert "step" in refused.value.by_field
    with pytest.raises(NotAllowed):
        heat.keep_heat(code, "warm", typed("60"), shop.counter, shop.now)
    assert not page_of(shop, code).edges[0].lines
    with pytest.raises(MoveRefused):
        heat.keep_heat(shop.take_in(HERON), "warm", typed("60"), shop.bram, shop.now)


def test_the_thermometer_is_read_in_its_own_unit_and_may_be_away(shop: Shop, clock: Clock) -> None:
    code = at_warming(shop)
    heat.set_gun(shop.bram, on=True)
    clock.now += 60
    heat.keep_heat(code, "warm", typed("", **{"from": "thermometer"}), shop.bram, shop.tick())
    [edge] = page_of(shop, code).edges
    assert edge.lines[0].source == "thermometer"
    assert 65 < edge.lines[0].read_c < 80
    plug(thermometer=SimulatedThermometer(["away"]))
    with pytest.raises(ManyInvalid) as refused:
        heat.keep_heat(code, "warm", typed("", **{"from": "thermometer"}), shop.bram, shop.now)
    assert "type what it shows" in said(refused.value.by_field["temperature"])


# -- the contract of a thermometer, and the faults of the stand-in -------------------------------------------

THERMOMETERS: list[Callable[[], Thermometer]] = [SimulatedThermometer]


@pytest.mark.parametrize("make", THERMOMETERS)
def test_a_thermometer_shows_a_number_in_a_unit_it_names(make: Callable[[], Thermometer]) -> None:
    for _ in range(3):
        shown = make().read()
        assert shown.unit in ("C", "F")
        assert -50 < shown.value < 700


def test_the_stand_in_cools_by_newton_and_its_faults_can_be_switched_on() -> None:
    clock = Clock()
    device = SimulatedThermometer(clock=clock, chance=random.Random(1))
    device.gun(on=True)
    clock.now += 300
    device.gun(on=False)
    hot = device.read().value
    clock.now += COOLS_S
    assert device.read().value - ROOM_C == pytest.approx((hot - ROOM_C) / 2.71828, abs=1.5)
    with pytest.raises(ValueError, match="no such fault"):
        SimulatedThermometer(["tired"])
    assert set(FAULTS) == {"away", "silent", "stuck", "noisy", "fahrenheit"}
    for fault in ("away", "silent"):
        with pytest.raises(Away):
            SimulatedThermometer([fault]).read()
    stuck = SimulatedThermometer(["stuck"], clock=clock)
    first = stuck.read()
    stuck.gun(on=True)
    clock.now += 100
    assert stuck.read() == first
    fahrenheit = SimulatedThermometer(["fahrenheit"], clock=clock).read()
    assert fahrenheit.unit == "F"
    assert fahrenheit.value == pytest.approx(71.6, abs=3)
    noisy = SimulatedThermometer(["noisy"], clock=clock, chance=random.Random(2))
    assert max(noisy.read().value for _ in range(50)) - min(noisy.read().value for _ in range(50)) > 8


# -- the room, and the plate -------------------------------------------------------------------------------


def test_the_room_is_the_shop_s_own(shop: Shop) -> None:
    code = at_warming(shop)
    heat.keep_heat(code, "warm", typed("60"), shop.bram, shop.tick())
    consents.change_room("10", 1, shop.manager, shop.now)
    heat.keep_heat(code, "warm", typed("60"), shop.bram, shop.tick())
    first, second = page_of(shop, code).edges[0].lines
    assert [float(line.read_c) for line in (first, second)] == [60, 60]
    assert second.true_c > first.true_c
    with pytest.raises(ManyInvalid):
        consents.change_room("warm", 2, shop.manager, shop.now)
    with pytest.raises(StaleSave):
        consents.change_room("12", 1, shop.manager, shop.now)
    with pytest.raises(NotAllowed):
        consents.change_room("12", 2, shop.bram, shop.now)


@pytest.fixture
def plate() -> Iterator[Clock]:
    before, clock = plugged().plate, Clock()
    plug(plate=SimulatedPlate(clock=clock))
    yield clock
    plug(plate=before)


def test_the_plate_is_set_to_what_the_step_wants_and_never_above_its_ceiling(
    shop: Shop, plate: Clock
) -> None:
    code = at_warming(shop)
    assert page_of(shop, code).plate is None
    hands.choose_way(code, "heat", "plate", shop.bram, shop.now, always=False)
    assert page_of(shop, code).plate == PlateSays(c=22.0, wanted_c=None)
    heat.set_plate(code, "warm", shop.bram, on=True)
    plate.now += 600
    shown = page_of(shop, code).plate
    assert shown
    assert shown.wanted_c == 60
    assert shown.c == pytest.approx(60, abs=0.2)
    heat.set_plate(code, "warm", shop.bram, on=False)
    plate.now += 4_000
    cooled = page_of(shop, code).plate
    assert cooled
    assert cooled.wanted_c is None
    assert cooled.c == pytest.approx(22, abs=0.2)
    with pytest.raises(Invalid, match="warmed on the plate"):
        heat.set_plate(code, "cup", shop.bram, on=True)
    with pytest.raises(NotAllowed):
        heat.set_plate(code, "warm", shop.counter, on=True)
    plug(plate=SimulatedPlate(["away"]))
    with pytest.raises(Invalid, match="look at it"):
        heat.set_plate(code, "warm", shop.bram, on=True)
    away = page_of(shop, code)
    assert (away.plate, away.plate_away) == (None, True)


PLATES: list[Callable[[], HotPlate]] = [SimulatedPlate]


@pytest.mark.parametrize("make", PLATES)
def test_a_plate_shows_what_it_is_set_to_until_it_is_off(make: Callable[[], HotPlate]) -> None:
    device = make()
    assert device.read().wanted_c is None
    device.set(60)
    assert device.read().wanted_c == 60
    assert -20 < device.read().c < 150
    device.set(None)
    assert device.read().wanted_c is None


def test_the_faults_of_the_plate_can_be_switched_on() -> None:
    with pytest.raises(ValueError, match="no such fault"):
        SimulatedPlate(["tired"])
    assert set(PLATE_FAULTS) == {"away", "stuck", "runs_on", "cold"}
    clock = Clock()
    for fault, settles in (("runs_on", 85.0), ("cold", 22.0)):
        device = SimulatedPlate([fault], clock=clock)
        device.set(60)
        clock.now += 2_000
        assert device.read().c == pytest.approx(settles, abs=0.2)
    stuck = SimulatedPlate(["stuck"], clock=clock)
    first = stuck.read().c
    stuck.set(90)
    clock.now += 500
    assert stuck.read().c == first
    with pytest.raises(Away):
        SimulatedPlate(["away"]).read()
