"""Moving a display's serial, on the real database; the programmer's contract and every fault of the
stand-in.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from decimal import Decimal

import pytest
from builders import HERON, Shop, models, said, told

from sutura.core.bench.serials import Asked, Outcome, not_held, old_serial, what_now
from sutura.core.bench.waits import PassedKind
from sutura.core.errors import Invalid, MoveRefused, NotAllowed
from sutura.core.matching.judging import may_choose
from sutura.core.stock.pieces import Found
from sutura.devices import plug, plugged
from sutura.devices.ports import Away, DisplayProgrammer, Silent
from sutura.devices.simulated.programmer import FAULTS, NEW_SERIAL, OLD_SERIAL, SimulatedProgrammer
from sutura.services import bench, matching, planning, serials, stock
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import pieces as pieces_store
from sutura.store import serials as store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store import waits as waits_store

PAIRED = "quillon-ember-s"
FRONTS = {models()[HERON].procedure_family: Decimal(1)}


@pytest.fixture(autouse=True)
def programmer() -> Iterator[None]:
    before = plugged().programmer
    plug(programmer=SimulatedProgrammer())
    yield
    plug(programmer=before)


def opened(shop: Shop, grade: str = "") -> str:
    """Work sample W08, opened: its display is paired; with a new one of some grade, or the best there is."""
    code = shop.take_in(PAIRED)
    offers = [one for one in matching.match_page(code).offers if may_choose(one.judged.fit)]
    best = next(one for one in offers if not grade or one.judged.offer.grade == grade)
    matching.choose_offer(code, best.judged.offer.id, shop.counter, shop.tick(), agreed=True)
    barcode = stock_store.barcodes([best.judged.offer.part_id])[best.judged.offer.part_id]
    stock.receive(barcode, "1", "60.00", "", shop.manager, shop.tick(), supplier_id="pinder")
    stock.take_part(code, shop.counter, shop.tick())
    people_store.save_skills(shop.bram.id, {models()[PAIRED].procedure_family: Decimal(1), **FRONTS})
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    return code


def outcomes(shop: Shop, code: str) -> list[str]:
    """What came of asking; that it was asked is kept beside it."""
    asked = [one.outcome for one in store.serials_of(shop.job(code).id)]
    return [one.value for one in asked if one is not Outcome.ASKED]


def test_the_old_serial_is_read_written_and_read_back(shop: Shop) -> None:
    code = opened(shop)
    with pytest.raises(Invalid, match="read the old display first"):
        serials.write_new(code, shop.bram, shop.now)
    while bench.bench_page(code).serial is None:
        shop.step(code)
    page = bench.bench_page(code)
    assert page.progress.step
    assert page.progress.step.id == "read-serial"
    serials.read_old(code, shop.bram, shop.tick())
    serial = bench.bench_page(code).serial
    assert serial
    assert (serial.old, serial.last) == (OLD_SERIAL, "read")
    # pressed twice it is kept once
    serials.read_old(code, shop.bram, shop.tick())
    assert outcomes(shop, code) == ["read"]
    serials.write_new(code, shop.bram, shop.tick())
    assert outcomes(shop, code) == ["read", "written"]
    assert OLD_SERIAL in said(what_now(store.serials_of(shop.job(code).id)))
    with pytest.raises(NotAllowed):
        serials.read_old(code, shop.counter, shop.now)


def test_a_silent_display_is_flagged_once_as_not_what_was_bought(shop: Shop) -> None:
    plug(programmer=SimulatedProgrammer(["silent"]))
    code = opened(shop)
    [held] = [one for one in stock_store.held_of(shop.job(code).id) if one.piece_id]
    piece = pieces_store.load_piece(held.piece_id or 0)
    assert piece
    serials.read_old(code, shop.bram, shop.tick())
    before = sum(bad for bad, _ in suppliers_store.counts())
    for _ in range(2):
        serials.write_new(code, shop.bram, shop.tick())
    assert outcomes(shop, code) == ["read", "silent", "silent"]
    after = pieces_store.load_piece(piece.id)
    assert after
    assert (after.found, after.found_grade) == (Found.LESS, "aftermarket")
    assert sum(bad for bad, _ in suppliers_store.counts()) - before == 1


@pytest.mark.parametrize(
    ("fault", "kept", "says"),
    [
        ("forgets", "not_kept", "does not keep"),
        ("breaks", "broke_off", "half of it"),
        ("other", "other_model", "another model"),
    ],
)
def test_each_fault_says_what_to_do_and_is_kept(shop: Shop, fault: str, kept: str, says: str) -> None:
    plug(programmer=SimulatedProgrammer([fault]))
    code = opened(shop)
    serials.read_old(code, shop.bram, shop.tick())
    serials.write_new(code, shop.bram, shop.tick())
    assert outcomes(shop, code) == ["read", kept]
    assert says in said(what_now(store.serials_of(shop.job(code).id)))
    if fault == "breaks":
        # the way out: written again it holds
        serials.write_new(code, shop.bram, shop.tick())
        assert outcomes(shop, code)[-1] == "written"


def test_a_lost_link_changes_nothing_and_other_jobs_have_no_serial_to_move(shop: Shop) -> None:
    code = opened(shop)
    plug(programmer=SimulatedProgrammer(["away"]))
    with pytest.raises(Invalid, match="link is lost"):
        serials.read_old(code, shop.bram, shop.now)
    assert outcomes(shop, code) == []
    shop.receive("P-1001")
    with pytest.raises(Invalid, match="a step with the programmer"):
        serials.read_old(shop.opened(HERON), shop.bram, shop.now)
    with pytest.raises(MoveRefused):
        serials.read_old(shop.take_in(PAIRED), shop.bram, shop.now)


def test_the_serial_that_counts_is_the_one_read_last() -> None:
    asked = [Asked(outcome=Outcome.READ, serial="A"), Asked(outcome=Outcome.READ, serial="B")]
    assert old_serial([*asked, Asked(outcome=Outcome.WRITTEN, serial="B")]) == "B"
    assert old_serial([]) == ""
    assert said(what_now([])).startswith("read the old display")


# -- the contract --------------------------------------------------------------------------------------

PROGRAMMERS: list[Callable[[], DisplayProgrammer]] = [SimulatedProgrammer]


@pytest.mark.parametrize("make", PROGRAMMERS)
def test_what_is_written_is_read_back(make: Callable[[], DisplayProgrammer]) -> None:
    programmer = make()
    if isinstance(programmer, SimulatedProgrammer):
        programmer.clip(new=True)
    assert programmer.read().serial
    programmer.write("XY-1")
    assert programmer.read().serial == "XY-1"


def test_the_stand_in_has_two_displays_and_its_faults_can_be_switched_on() -> None:
    programmer = SimulatedProgrammer(model="m")
    assert programmer.read().serial == OLD_SERIAL
    programmer.write("lost")
    programmer.clip(new=True)
    assert (programmer.read().serial, programmer.read().model) == (NEW_SERIAL, "m")
    for fault, error in (("away", Away), ("silent", Silent)):
        broken = SimulatedProgrammer([fault])
        broken.clip(new=True)
        with pytest.raises(error):
            broken.read()
    assert set(FAULTS) == {"away", "silent", "breaks", "forgets", "other"}
    with pytest.raises(ValueError, match="no such fault"):
        SimulatedProgrammer(["dusty"])


def to_be_written(shop: Shop, grade: str) -> str:
    """The same at the step where its serial is written."""
    code = opened(shop, grade)
    while (step := bench.bench_page(code).progress.step) and step.id != "write-serial":
        shop.step(code)
    return code


def test_w08_an_original_answers_and_the_step_is_done_only_when_it_is_read_back(shop: Shop) -> None:
    code = to_be_written(shop, "genuine new")
    for reason in ("", "no time for that"):
        with pytest.raises(Invalid, match="not written into this display yet"):
            bench.do_step(code, "write-serial", "", reason, shop.bram, shop.now)
    serials.write_new(code, shop.bram, shop.tick())
    bench.do_step(code, "write-serial", "", "", shop.bram, shop.tick())
    assert waits_store.passed_of(shop.job(code).id) == []


def test_w08_an_aftermarket_display_stays_silent_and_a_manager_tells_the_customer(shop: Shop) -> None:
    """No fault is switched on: the stand-in knows which piece it is clipped to."""
    code = to_be_written(shop, "aftermarket")
    before = sum(bad for bad, _ in suppliers_store.counts())
    serials.write_new(code, shop.bram, shop.tick())
    assert outcomes(shop, code)[-1] == "silent"
    # it was bought as what it is: nobody is blamed
    [held] = [one for one in stock_store.held_of(shop.job(code).id) if one.piece_id]
    piece = pieces_store.load_piece(held.piece_id or 0)
    assert piece
    assert piece.found is not Found.LESS
    assert sum(bad for bad, _ in suppliers_store.counts()) == before
    history = [told(event) for event in job_store.events_page(shop.job(code).id)]
    assert any("stayed silent" in line and held.label in line for line in history)
    page = bench.bench_page(code)
    assert page.serial
    assert "bought as one" in said(page.serial.says)
    # however often it is tried, the old serial stays known
    for _ in range(42):
        serials.write_new(code, shop.bram, shop.tick())
    assert old_serial(store.serials_of(shop.job(code).id)) == OLD_SERIAL
    # the step is not done by a press, and by a manager only with a reason
    with pytest.raises(Invalid, match="have a manager let it pass"):
        bench.do_step(code, "write-serial", "", "it is aftermarket", shop.bram, shop.now)
    people_store.save_skills(shop.manager.id, {models()[PAIRED].procedure_family: Decimal(1)})
    with pytest.raises(Invalid, match="the customer reads it"):
        bench.do_step(code, "write-serial", "", "", shop.manager, shop.now)
    bench.do_step(code, "write-serial", "", "agreed: without automatic brightness", shop.manager, shop.tick())
    [passed] = waits_store.passed_of(shop.job(code).id)
    assert (passed.what, passed.who) == (PassedKind.SERIAL, "Ines")


@pytest.mark.parametrize("step", ["write", "read back"])
@pytest.mark.parametrize("after", [False, True], ids=["before", "after"])
def test_whoever_is_cut_off_while_writing_finds_that_nobody_knows_and_writes_again(
    shop: Shop, monkeypatch: pytest.MonkeyPatch, step: str, after: bool
) -> None:
    code = opened(shop)
    serials.read_old(code, shop.bram, shop.tick())
    programmer = plugged().programmer
    did = getattr(programmer, "write" if step == "write" else "read")
    calls = iter([False, True] if step == "read back" else [True])

    def killed(*asked: str) -> object:
        dies = next(calls)
        said = did(*asked) if after or not dies else None
        if dies:
            raise KeyboardInterrupt
        return said

    with monkeypatch.context() as patch:
        patch.setattr(programmer, "write" if step == "write" else "read", killed)
        with pytest.raises(KeyboardInterrupt):
            serials.write_new(code, shop.bram, shop.tick())
    asked = store.serials_of(shop.job(code).id)
    assert asked[-1].outcome is Outcome.ASKED
    assert "Write it again" in said(what_now(asked))
    pieces = [one.piece_id for one in asked[-1:] if one.piece_id]
    written_at = next(
        one for one in bench.bench_page(code).progress.steps if one.tools and one.id.startswith("write")
    )
    assert not_held(written_at, asked, "", pieces)
    serials.write_new(code, shop.bram, shop.tick())
    assert outcomes(shop, code) == ["read", "written"]
    assert not_held(written_at, store.serials_of(shop.job(code).id), "", pieces) is None
