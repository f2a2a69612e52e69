"""Heat at the bench, on the real database: typed, measured, refused; and the thermometer's contract."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import replace
from datetime import datetime, timedelta
from decimal import Decimal

import pytest
from builders import HERON, Shop, models, said

from sutura.config import PLATE_FAULTS
from sutura.core.bench.heat import HeatState, heated_step
from sutura.core.bench.waits import PassedKind
from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, StaleSave
from sutura.core.job import Move, Stage, check_move
from sutura.core.matching.judging import may_choose
from sutura.core.values import Person
from sutura.devices import plug, plugged
from sutura.devices.ports import Away, HotPlate, PlateSays, Thermometer
from sutura.devices.simulated.plate import SimulatedPlate
from sutura.devices.simulated.thermometer import COOLS_S, FAULTS, ROOM_C, SimulatedThermometer
from sutura.services import bench, consents, hands, heat, matching, people, records, stock
from sutura.services.heat import HeatPage
from sutura.services.job import gather_facts
from sutura.store import heat as heat_store
from sutura.store import people as people_store
from sutura.store import stock as stock_store
from sutura.store import waits as waits_store
from sutura.web.drawings.heat import draw_heat


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
    while next(iter(bench.bench_page(code).together)).id != "warm":
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
    shop.step(code, reason="it is cut at once")
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
        heat.keep_heat(code, "warm", typed(" Fifty-six f"), shop.bram, shop.now)
    # quoted as it was typed, with what would be accepted
    [(quoted, accepts)] = [(one.refused, one.accepts) for one in refused.value.problems]
    assert (quoted, "from -20 to 300 °C" in said(accepts)) == ("Fifty-six f", True)
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
    heat.switch_on(code, "warm", shop.bram, shop.tick())
    clock.now += 60
    heat.keep_heat(code, "warm", typed("", **{"from": "thermometer"}), shop.bram, shop.tick())
    [edge] = page_of(shop, code).edges
    assert edge.lines[0].source == "thermometer"
    assert 65 < edge.lines[0].read_c < 80
    plug(thermometer=SimulatedThermometer(["away"]))
    with pytest.raises(ManyInvalid) as refused:
        heat.keep_heat(code, "warm", typed("", **{"from": "thermometer"}), shop.bram, shop.now)
    assert "type what it shows" in said(refused.value.by_field["temperature"])


# -- what it warns of it holds ------------------------------------------------------------------------------


def done(shop: Shop, code: str, reason: str = "", by: Person | None = None) -> None:
    bench.do_step(code, "warm", "", reason, by or shop.bram, shop.now)


def test_a_heated_step_is_done_in_its_window_for_its_time_or_with_a_reason(shop: Shop) -> None:
    """Common practice: 60 °C at a phone's edges for two minutes, read at the spot."""
    code = at_warming(shop)
    job = shop.job(code)
    with pytest.raises(Invalid, match="no reading taken"):
        done(shop, code)
    heat.keep_heat(code, "warm", typed("21.9"), shop.bram, shop.tick())
    with pytest.raises(Invalid, match=r"last read at 21\.9 °C, wanted is 55–60 °C"):
        done(shop, code)
    heat.keep_heat(code, "warm", typed("56"), shop.bram, shop.tick())
    with pytest.raises(Invalid, match="0:00 min of 2:00 min"):
        done(shop, code)
    # the clock alone warms nothing: it is read again
    shop.tick(5)
    with pytest.raises(Invalid, match="0:00 min of 2:00 min"):
        done(shop, code)
    heat.keep_heat(code, "warm", typed("67"), shop.bram, shop.now)
    with pytest.raises(Invalid, match="above 60 °C"):
        done(shop, code, "it looks all right")
    assert waits_store.passed_of(job.id) == []
    heat.keep_heat(code, "warm", typed("56"), shop.bram, shop.tick())
    done(shop, code)
    assert bench.bench_page(code).progress.finished >= {"warm"}
    assert waits_store.passed_of(job.id) == []


def test_what_is_let_pass_stands_with_who_said_so_and_why(shop: Shop) -> None:
    code = at_warming(shop)
    heat.keep_heat(code, "warm", typed("50"), shop.bram, shop.tick())
    with pytest.raises(Invalid, match="trained"):
        # somebody who stands beside cannot be named into letting it pass
        bench.do_step(code, "warm", "", "it lets go already", shop.people["ines"], shop.now)
    done(shop, code, "it lets go already")
    [passed] = waits_store.passed_of(shop.job(code).id)
    assert (passed.what, passed.who, passed.reason) == (PassedKind.HEAT, "Bram", "it lets go already")
    assert "51.3 °C, wanted is 55–60 °C" in said(passed.said)


def test_only_a_manager_lets_pass_what_was_too_hot(shop: Shop) -> None:
    code = at_warming(shop)
    family = models()[HERON].procedure_family
    people_store.save_skills(shop.manager.id, {family: Decimal(1)})
    heat.keep_heat(code, "warm", typed("69.1"), shop.bram, shop.tick())
    with pytest.raises(Invalid, match="only a manager"):
        done(shop, code, "no time")
    with pytest.raises(Invalid, match="write why"):
        done(shop, code, by=shop.manager)
    done(shop, code, "the sensor slipped onto the plate", by=shop.manager)
    [passed] = waits_store.passed_of(shop.job(code).id)
    assert passed.who == "Ines"


def test_a_reading_near_the_cell_is_kept_and_has_its_own_ceiling(shop: Shop) -> None:
    """W13: the pad at 70 °C, and 60 °C beside the cell."""
    people_store.save_skills(shop.bram.id, {models()["quillon-flint"].procedure_family: Decimal(1)})
    code = ready(shop, "quillon-flint")
    heat.keep_heat(code, "pad", typed("66", edge=""), shop.bram, shop.tick())
    heat.keep_heat(code, "pad", typed("45", edge="near the cell"), shop.bram, shop.tick(4))
    heat.keep_heat(code, "pad", typed("68", edge=""), shop.bram, shop.now)
    page = bench.bench_page(code)
    edges = {edge.edge: edge for edge in page_of(shop, code).edges}
    # a window has a width: 65 to 75, not “70, and 70 the most”
    assert edges[""].judged.window == (65, 75)
    assert page.progress.step
    heat.keep_heat(code, "pad", typed("60", edge="near the cell"), shop.bram, shop.tick())
    with pytest.raises(Invalid, match="near the cell was last read"):
        bench.do_step(code, "pad", "", "it is only the cell", shop.bram, shop.now)
    heat.keep_heat(code, "pad", typed("45", edge="near the cell"), shop.bram, shop.tick())
    bench.do_step(code, "pad", "", "", shop.bram, shop.tick())


def ready(shop: Shop, model_id: str) -> str:
    """A job at its first heated step."""
    code = shop.take_in(model_id)
    best = next(one for one in matching.match_page(code).offers if may_choose(one.judged.fit))
    matching.choose_offer(code, best.judged.offer.id, shop.counter, shop.tick(), agreed=True)
    barcode = stock_store.barcodes([best.judged.offer.part_id])[best.judged.offer.part_id]
    shop.receive(barcode)
    stock.take_part(code, shop.counter, shop.tick())
    shop.open(code)
    while not (step := bench.bench_page(code).progress.step) or not step.heat:
        shop.step(code)
    return code


def test_nothing_is_closed_beside_something_hot_and_every_page_is_told(shop: Shop) -> None:
    code = at_warming(shop)
    heat.switch_on(code, "warm", shop.bram, shop.tick())
    shop.steps_until_proof(code)
    shop.test(code)
    with pytest.raises(Invalid, match="switch it off first"):
        shop.step(code)
    # a job that was closed by an older shop with one on goes nowhere either
    facts = gather_facts(shop.job(code), models()[HERON])
    assert facts.heat_on
    with pytest.raises(MoveRefused, match="still switched on"):
        check_move(replace(facts, stage=Stage.CLOSED, accessories_returned=True, paid=True), Move.HAND_BACK)
    heat.switch_off(code, shop.bram, shop.tick())
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    assert shop.job(code).stage is Stage.CLOSED
    [source] = heat_store.sources_of(shop.job(code).id)
    assert (source.what, source.on_by, source.off_by) == ("pad", "Bram", "Bram")


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
    heat.switch_on(code, "warm", shop.bram, shop.tick())
    plate.now += 600
    shown = page_of(shop, code).plate
    assert shown
    assert shown.wanted_c == 60
    assert shown.c == pytest.approx(60, abs=0.2)
    # somebody turned its own knob: kept as on, and said to be off
    assert not page_of(shop, code).is_off_by_itself
    plugged().plate.set(None)
    assert page_of(shop, code).is_off_by_itself
    heat.switch_off(code, shop.bram, shop.tick())
    assert not page_of(shop, code).is_off_by_itself
    plate.now += 4_000
    cooled = page_of(shop, code).plate
    assert cooled
    assert cooled.wanted_c is None
    assert cooled.c == pytest.approx(22, abs=0.2)
    with pytest.raises(Invalid, match="a step of this sheet that is warmed"):
        heat.switch_on(code, "cup", shop.bram, shop.now)
    with pytest.raises(NotAllowed):
        heat.switch_on(code, "warm", shop.counter, shop.now)
    # one plate holds one job
    heat.switch_on(code, "warm", shop.bram, shop.tick())
    other = at_warming(shop)
    hands.choose_way(other, "heat", "plate", shop.bram, shop.now, always=False)
    with pytest.raises(Invalid, match=f"in use for {code}"):
        heat.switch_on(other, "warm", shop.bram, shop.now)
    assert page_of(shop, other).plate_of == code
    plug(plate=SimulatedPlate(["away"]))
    with pytest.raises(Invalid, match="look at it"):
        heat.switch_off(code, shop.bram, shop.now)
    away = page_of(shop, code)
    assert (away.plate, away.plate_away) == (None, True)
    # what does not answer stays on, until somebody was there
    assert away.on_since
    heat.switch_off(code, shop.bram, shop.tick(), by_hand=True)
    assert page_of(shop, code).on_since is None
    with pytest.raises(Invalid, match="look at it"):
        heat.switch_on(other, "warm", shop.bram, shop.now)
    assert page_of(shop, other).on_since is None


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


def test_the_record_keeps_the_readings_of_a_step_the_catalogue_has_no_more(shop: Shop) -> None:
    code = at_warming(shop)
    heat.keep_heat(code, "warm", typed("50"), shop.bram, shop.tick())
    page = bench.bench_page(code)
    without = replace(page.model, steps=(), pieces=(), acts=())
    [known] = records.record_of(page.job, page.model, page.done).heat
    [gone] = records.record_of(page.job, without, page.done).heat
    assert known.judged
    assert known.text
    assert (gone.judged, gone.text, gone.readings) == (None, "", ())
    assert [line.true_c for line in gone.lines] == [line.true_c for line in known.lines] != []
    assert draw_heat(gone.readings, gone.judged) == ""


def test_everything_that_is_hot_is_on_every_page_however_much_it_is(shop: Shop, clock: Clock) -> None:
    """What the line leaves out nobody could switch off from another page."""
    shop.receive("P-1001", 8)
    codes = []
    for _ in range(8):
        code = shop.opened(HERON)
        while next(iter(bench.bench_page(code).together)).id != "warm":
            shop.step(code)
        heat.switch_on(code, "warm", shop.bram, shop.tick())
        codes.append(code)
    signed = people.session_of(people.open_session(shop.bram.id, shop.now), shop.now)
    assert signed
    assert [one.rsplit(" ", 1)[1] for one in signed.hot] == codes
