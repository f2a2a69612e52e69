"""Every job can go on or get out: another part, back to the bench, closed up unrepaired (common practice, no
source). The shelf and the device are looked at after each way.
"""

from __future__ import annotations

import random
from collections.abc import Mapping
from datetime import timedelta
from decimal import Decimal

import pytest
from builders import FEWER, HERON, PLAIN, SLATE, Shop, models, said, written

from sutura.core.bench.progress import state_of
from sutura.core.catalogue.model import Step
from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, OutOfStock
from sutura.core.job import OPEN_STAGES, EventKind, Round, Stage
from sutura.core.matching.judging import may_choose
from sutura.core.stock.levels import PartFate
from sutura.formats.pieces import step_to_json
from sutura.services import bench, catalogue, handover, matching, planning, stock, waits
from sutura.services.job import job_page
from sutura.store import bench as bench_store
from sutura.store import offers as offers_store
from sutura.store import people as people_store
from sutura.store import stock as stock_store
from sutura.store import waits as waits_store
from sutura.store.database import raw
from sutura.words.history import tell
from sutura.words.speech import PLAIN as PLAINLY

WHY = "touch dead along the left edge"


def fates(code: str, fate: PartFate) -> dict[int, str]:
    return {part.part_id: fate.value for part in bench.bench_page(code).held}


def change_part(shop: Shop, code: str, fate: PartFate) -> None:
    bench.change_part(code, fates(code, fate), WHY, shop.bram, shop.tick())


def give_up(shop: Shop, code: str, fate: PartFate = PartFate.GOOD) -> None:
    bench.give_up(code, fates(code, fate), WHY, shop.bram, shop.tick())


def level(barcode: str = "P-1001") -> tuple[int, int]:
    part = stock_store.load_part(barcode)
    return part.on_hand, part.on_hand - part.free


def finish(shop: Shop, code: str) -> None:
    """From the bench to the customer, the short way."""
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    shop.hand_back(code)


@pytest.mark.parametrize(
    ("fate", "left"),
    [(PartFate.GOOD, 3), (PartFate.DID_NOT_FIT, 3), (PartFate.DEFECTIVE, 2), (PartFate.BROKEN, 2)],
)
def test_a_part_that_fails_on_the_bench_is_taken_back_as_what_it_is(
    shop: Shop, fate: PartFate, left: int
) -> None:
    shop.receive("P-1001", 3)
    code = shop.at_proof()
    price = shop.job(code).chosen.price_minor
    shop.test(code, {"touch": ("faulty", "dead along the left edge")})
    change_part(shop, code, fate)
    job = shop.job(code)
    assert (job.stage, job.bench.round, job.chosen.price_minor) == (Stage.QUOTED, Round.NEW_PART, price)
    assert level() == (left, 0)
    # another one of the same, and home
    if fate is PartFate.DID_NOT_FIT:
        return  # Match refuses it now, which its own tests show
    stock.take_part(code, shop.counter, shop.tick())
    # it lies open: what is said to be left before it is opened again is what is left then, and less than all
    before = job_page(code, shop.now).next
    bench.open_job(code, shop.bram, shop.tick())
    after = job_page(code, shop.now).next
    assert before
    assert after
    assert before.remaining_minutes == after.remaining_minutes < shop.job(code).bench.expected_minutes
    assert level() == (left, 1)
    finish(shop, code)
    assert level() == (left - 1, 0)
    assert shop.job(code).stage is Stage.HANDED_BACK


def test_what_a_failed_part_taught_is_known_on_the_next_job(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.at_proof()
    change_part(shop, code, PartFate.DID_NOT_FIT)
    judged = {one.judged.offer.id: one.judged for one in matching.match_page(code).matching.offers}
    assert not may_choose(judged[shop.job(code).chosen.offer_id or 0].fit)


def test_another_route_after_the_display_died_in_our_hands_is_quoted_again(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.at_proof()
    change_part(shop, code, PartFate.BROKEN)
    shop.choose(code)
    kinds = [event.kind for event in job_page(code, shop.now).events]
    assert kinds.count(EventKind.QUOTED) == 2
    assert shop.job(code).stage is Stage.QUOTED


def test_an_open_device_is_not_declined_but_closed_up(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.at_proof()
    change_part(shop, code, PartFate.DEFECTIVE)
    with pytest.raises(MoveRefused, match="still open"):
        handover.decline(code, "too dear", shop.counter, shop.tick())
    give_up(shop, code)
    assert shop.job(code).stage is Stage.OPENED
    while shop.job(code).stage is Stage.OPENED:
        shop.step(code)
    job = shop.job(code)
    assert job.stage is Stage.DECLINED
    model = catalogue.model(job.model_id, job.model_version)
    assert not state_of(model, bench_store.load_done(job.id)).is_open
    handover.return_unrepaired(code, returned=[], explanation="", by=shop.counter, now=shop.tick())
    assert shop.job(code).stage is Stage.RETURNED
    assert level() == (0, 0)


def test_giving_up_before_anything_was_done_returns_at_once(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    give_up(shop, code)
    assert shop.job(code).stage is Stage.DECLINED
    assert level() == (1, 0)


def test_a_fault_after_sealing_goes_back_to_the_bench_and_the_part_is_fitted_once(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.closed()
    assert level() == (1, 0)
    bench.reopen(code, WHY, shop.bram, shop.tick())
    job = shop.job(code)
    assert (job.stage, job.bench.round, job.closing.cost_minor) == (Stage.OPENED, Round.REOPENED, None)
    assert level() == (2, 1)
    finish(shop, code)
    assert level() == (1, 0)
    assert shop.job(code).closing.cost_minor == 6000
    ledger = [line.kind for line in stock_store.ledger_page(stock_store.load_part("P-1001").id)]
    assert ledger == ["fitted", "taken_out", "fitted", "receipt"]


def test_a_proved_job_goes_back_before_it_is_sealed(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.at_proof()
    shop.test(code)
    bench.reopen(code, WHY, shop.bram, shop.tick())
    finish(shop, code)
    assert shop.job(code).stage is Stage.HANDED_BACK


def test_each_way_needs_its_reason_and_what_became_of_each_part(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    with pytest.raises(ManyInvalid) as refused:
        bench.change_part(code, {}, "bad", shop.bram, shop.tick())
    part = bench.bench_page(code).held[0].part_id
    assert {problem.field for problem in refused.value.problems} == {"why", f"fate.{part}"}
    assert shop.job(code).stage is Stage.OPENED
    assert level() == (1, 1)


def test_only_the_bench_takes_these_ways_and_only_where_they_lead(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held()
    for way in (bench.change_part, bench.give_up):
        with pytest.raises(NotAllowed):
            way(code, {}, WHY, shop.counter, shop.tick())
        with pytest.raises(MoveRefused):
            way(code, {}, WHY, shop.bram, shop.tick())
    with pytest.raises(MoveRefused):
        bench.reopen(code, WHY, shop.bram, shop.tick())


def test_the_history_tells_every_way_in_words(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.at_proof()
    change_part(shop, code, PartFate.BROKEN)
    give_up(shop, code)
    told = " ".join(tell(event, PLAINLY) for event in job_page(code, shop.now).events)
    assert "broken here, off the shelf" in told
    assert f"Given up: {WHY}." in told


# -- the promise --------------------------------------------------------------------------------------


def test_a_promise_is_changed_with_its_reason_and_the_old_one_stays_told(shop: Shop) -> None:
    code = shop.take_in()
    before = shop.job(code).promise_at
    zone = shop.now.tzinfo
    assert zone
    with pytest.raises(ManyInvalid) as refused:
        planning.change_promise(code, "2020-01-01T10:00", "", zone, shop.counter, shop.tick())
    assert {problem.field for problem in refused.value.problems} == {"promise_at", "promise_reason"}
    planning.change_promise(code, "2031-05-02T10:00", "part late", zone, shop.counter, shop.tick())
    page = job_page(code, shop.now)
    assert f"{page.job.promise_at:%Y-%m-%d %H:%M}" == "2031-05-02 10:00"
    [event] = [event for event in page.events if event.kind is EventKind.PROMISED]
    assert PLAINLY.moment(before) in tell(event, PLAINLY)
    with pytest.raises(ManyInvalid) as unread:
        planning.change_promise(code, "soon", "part late", zone, shop.counter, shop.tick())
    assert [problem.field for problem in unread.value.problems] == ["promise_at"]


def test_what_is_expected_is_shown_beside_the_promise_and_unknown_while_held_up(shop: Shop) -> None:
    code = shop.quoted()
    held_up = job_page(code, shop.now).next
    assert held_up
    assert held_up.expected.ready is None
    shop.receive("P-1001")
    page = job_page(code, shop.now)
    assert page.next
    assert page.next.expected.ready
    assert (page.next.expected.ready - shop.now).total_seconds() == page.next.remaining_minutes * 60


# -- from wherever a walk ends, home ------------------------------------------------------------------


def step_somewhere(shop: Shop, code: str, chance: random.Random) -> None:
    """One deed that a busy shop might do here, wise or not; what is refused changes nothing."""
    page = bench.bench_page(code)
    deeds: Mapping[Stage, list[str]] = {
        Stage.IDENTIFIED: ["choose"],
        Stage.QUOTED: ["choose", "take", "take", "give_up"],
        Stage.PART_IN_HAND: ["open", "open", "give_back", "give_up"],
        Stage.OPENED: ["step"] * 12 + ["test", "fail", "change", "give_up"],
        Stage.PROVED: ["step"] * 4 + ["reopen"],
        Stage.CLOSED: ["reopen"],
    }
    deed = chance.choice(deeds.get(page.job.stage, ["nothing"]))
    fate = chance.choice(list(PartFate))
    try:
        if deed == "choose":
            shop.choose(code)
        elif deed == "take":
            stock.take_part(code, shop.counter, shop.tick())
        elif deed == "give_back":
            stock.give_back_part(code, shop.counter, shop.tick())
        elif deed == "open":
            bench.open_job(code, shop.bram, shop.tick())
        elif deed == "step":
            shop.step(code)
        elif deed == "test":
            shop.test(code)
        elif deed == "fail":
            shop.test(code, {"touch": ("faulty", "dead")})
        elif deed == "change":
            change_part(shop, code, fate)
        elif deed == "give_up":
            give_up(shop, code, fate)
        elif deed == "reopen":
            bench.reopen(code, WHY, shop.bram, shop.tick())
    except (MoveRefused, Invalid, ManyInvalid, OutOfStock, AssertionError, StopIteration):
        pass


def go_home(shop: Shop, code: str) -> None:
    """The plainest way to the customer from here."""
    for _ in range(120):
        page = bench.bench_page(code)
        stage = page.job.stage
        if stage is Stage.CLOSED:
            shop.hand_back(code)
        elif stage is Stage.DECLINED:
            handover.return_unrepaired(code, returned=[], explanation="", by=shop.counter, now=shop.tick())
        elif stage is Stage.PROVED:
            shop.step(code)
        elif stage is Stage.OPENED and page.progress.at_proof:
            shop.test(code)
        elif stage is Stage.OPENED:
            shop.step(code)
        elif page.progress.is_open:
            give_up(shop, code)
        elif stage in OPEN_STAGES:
            handover.decline(code, "the walk ends here", shop.counter, shop.tick())
        else:
            return


@pytest.mark.parametrize("seed", range(max(8 // FEWER, 2)))
def test_from_wherever_a_walk_ends_the_device_goes_home_whole_and_nothing_stays_held(
    shop: Shop, seed: int
) -> None:
    chance = random.Random(seed)
    shop.receive("P-1001", 30)
    shop.receive("P-2001", 30)
    code = shop.take_in(chance.choice([HERON, PLAIN]))
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    for _ in range(chance.randrange(1, 90)):
        step_somewhere(shop, code, chance)
    go_home(shop, code)
    job = shop.job(code)
    assert job.stage in (Stage.HANDED_BACK, Stage.RETURNED)
    assert stock_store.held_of(job.id) == []
    model = catalogue.model(job.model_id, job.model_version)
    assert not state_of(model, bench_store.load_done(job.id)).is_open
    fitted = len(stock_store.fitted_to(job.id))
    assert bool(fitted) is (job.stage is Stage.HANDED_BACK)
    for barcode in ("P-1001", "P-2001"):
        part = stock_store.load_part(barcode)
        assert part.on_hand == sum(line.quantity for line in stock_store.ledger_page(part.id))
        assert part.on_hand == part.free


# -- who records a step, and when ---------------------------------------------------------------------


def test_what_waits_by_the_clock_ends_with_its_round(shop: Shop) -> None:
    shop.receive("P-3001")
    code = shop.opened(SLATE)
    to_the_plate(shop, code)
    waits.start_timer(code, "plate", shop.bram, shop.tick())
    assert planning.open_lines(shop.now).timers
    give_up(shop, code)
    assert planning.open_lines(shop.now).timers == ()


def test_a_display_that_fails_while_its_glass_is_split_goes_on_with_the_whole_front(shop: Shop) -> None:
    """Work sample W15: the same job, another route, from how the device lies there."""
    kite = "fennick-kite"
    code = shop.take_in(kite)

    def choose(kind: str) -> None:
        best = next(
            one
            for one in matching.match_page(code, kind=kind).offers
            if may_choose(one.judged.fit) and not one.judged.members
        )
        matching.choose_offer(code, best.judged.offer.id, shop.counter, shop.tick(), agreed=True)
        shop.receive(stock_store.barcodes([best.judged.offer.part_id])[best.judged.offer.part_id])
        stock.take_part(code, shop.counter, shop.tick())

    choose("glass")
    people_store.save_skills(shop.bram.id, {models()[kite].procedure_family: Decimal(1)})
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    while "split" not in bench.bench_page(code).progress.finished:
        shop.step(code)
    out = bench.bench_page(code).tray
    fates = {part.part_id: PartFate.BROKEN.value for part in bench.bench_page(code).held}
    bench.change_part(code, fates, "the display died in the splitting", shop.bram, shop.tick())
    choose("front assembly")
    # before it is opened the page knows where it lies: nothing to split with, no new glass, no plate
    ahead = bench.bench_page(code)
    assert ahead.job.stage is Stage.PART_IN_HAND
    assert "split" not in {step.id for step in ahead.progress.steps}
    assert not {"splitting wire", "hot plate", "clear adhesive"} & set(ahead.laid_out.tools)
    bench.open_job(code, shop.bram, shop.tick())
    page = bench.bench_page(code)
    left = [step.id for step in page.progress.steps]
    assert left[:2] == ["compare-part", "rim-clean"]
    assert not {"backup", "back-off", "battery-off", "split", "glass-on"} & set(left)
    assert page.tray == out
    while not page.progress.at_proof:
        shop.step(code)
        page = bench.bench_page(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    assert shop.job(code).stage is Stage.CLOSED
    assert bench.bench_page(code).lies_there == ""


def test_a_job_that_was_opened_by_a_list_goes_on_by_it_and_knows_its_state(shop: Shop) -> None:
    """Opened before sheets were worked out: its list is one chain; the rounds after it know what is off."""
    shop.receive("P-1001")
    code = shop.opened(HERON)
    job = shop.job(code)
    listed = [step_to_json(step) for step in written()[HERON].steps]
    bench_store.add_sheet(job.id, 1, 1, listed, shop.tick())
    page = bench.bench_page(code)
    assert [step.id for step in page.progress.steps] == [step["id"] for step in listed]
    assert [step.id for step in page.progress.possible] == ["cards-out"]
    while "display-off" not in bench.bench_page(code).progress.finished:
        shop.step(code)
    page = bench.bench_page(code)
    assert "unplugged: display" in said(page.lies_there)
    held = {part.part_id: PartFate.GOOD.value for part in page.held}
    bench.give_up(code, held, "the board was wet", shop.bram, shop.tick())
    left = [step.id for step in bench.bench_page(code).progress.steps]
    # cut open, it wants a clean rim and a seal again
    assert left.index("clean") < left.index("display-on") < left.index("battery-on")
    assert {"battery-shield-in", "connector-shield-in", "seal-close", "bottom-in"} <= set(left)
    while shop.job(code).stage is not Stage.DECLINED:
        shop.step(code)


def test_who_comes_second_is_told_whose_hands_it_is_in(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    assert bench.bench_page(code, shop.manager, now=shop.now).in_hands is None
    shop.step(code)
    last = bench.bench_page(code, shop.manager, now=shop.now).in_hands
    assert last
    assert last.who == shop.bram.name
    assert bench.bench_page(code, shop.bram, now=shop.now).in_hands is None
    assert bench.bench_page(code, shop.manager, now=shop.now + timedelta(minutes=16)).in_hands is None


def test_a_device_left_on_the_plate_stands_on_every_list_until_somebody_sees_to_it(shop: Shop) -> None:
    """Work sample W16; rule plan.clock."""
    shop.receive("P-3001")
    code = shop.opened(SLATE)
    assert planning.open_lines(shop.now).timers == ()
    to_the_plate(shop, code)
    waits.start_timer(code, "plate", shop.bram, shop.tick())
    with pytest.raises(Invalid, match="runs already, started by Bram"):
        waits.start_timer(code, "plate", shop.bram, shop.now)
    [timer] = planning.open_lines(shop.now).timers
    assert (timer.code, timer.over) == (code, False)
    assert timer.until - shop.now <= timedelta(minutes=20)
    # nobody can see to what is not over yet
    waits.acknowledge(code, shop.bram, shop.now)
    assert planning.open_lines(shop.now).timers
    late = timer.until + timedelta(minutes=3)
    [over] = planning.open_lines(late).timers
    assert over.over
    assert planning.next_page(late, today=(late, late), only_for=None, page=1).timers == [over]
    with pytest.raises(NotAllowed):
        waits.acknowledge(code, shop.counter, late)
    # who sees to it is called again while it still lies there
    waits.acknowledge(code, shop.bram, late)
    [again] = planning.open_lines(late).timers
    assert (again.over, again.until) == (False, late + waits.CALLED_AGAIN)
    # only taking it off ends it
    shop.now = late
    shop.read_heat(code, plate_step(code))
    bench.do_step(code, "plate", "", "", shop.bram, shop.tick())
    assert planning.open_lines(late).timers == ()
    [wait] = waits_store.waits_of(shop.job(code).id)
    assert (wait.started_by, wait.ended_by, wait.early) == ("Bram", "Bram", "")


def to_the_plate(shop: Shop, code: str) -> None:
    while plate_step(code).id != "plate":
        shop.step(code)


def plate_step(code: str) -> Step:
    step = bench.bench_page(code).progress.step
    assert step
    return step


def test_a_wait_ends_when_its_time_is_over_or_with_a_reason_that_stays(shop: Shop) -> None:
    """Work sample W16: twenty minutes on the plate, by the server's clock."""
    shop.receive("P-3001")
    code = shop.opened(SLATE)
    to_the_plate(shop, code)
    shop.read_heat(code, plate_step(code))
    with pytest.raises(Invalid, match="its timer was not started"):
        bench.do_step(code, "plate", "", "", shop.bram, shop.now)
    waits.start_timer(code, "plate", shop.bram, shop.tick())
    with pytest.raises(Invalid, match="its wait still has 19 min to run – wait, or write why"):
        bench.do_step(code, "plate", "", "", shop.bram, shop.tick())
    bench.do_step(code, "plate", "", "it let go already", shop.bram, shop.tick())
    [wait] = waits_store.waits_of(shop.job(code).id)
    assert (wait.early, wait.waited) == ("it let go already", 2)
    [passed] = waits_store.passed_of(shop.job(code).id)
    assert said(passed.said) == "waited 2 of 20 min"
    told = [tell(event, PLAINLY) for event in job_page(code, shop.now).events]
    assert any("Timer started, 20 min" in line for line in told)


def test_no_other_step_is_done_while_the_device_lies_on_its_plate(shop: Shop) -> None:
    shop.receive("P-3001")
    code = shop.opened(SLATE)
    to_the_plate(shop, code)
    waits.start_timer(code, "plate", shop.bram, shop.tick())
    others = [step.id for step in bench.bench_page(code).others]
    for other in others:
        with pytest.raises(Invalid, match="take it off first"):
            bench.do_step(code, other, "", "", shop.bram, shop.now)
    with pytest.raises(Invalid, match="a step of this sheet that waits"):
        waits.start_timer(code, "fold", shop.bram, shop.now)


def test_a_cure_is_never_skipped_by_a_press(shop: Shop) -> None:
    """Work sample W20: six minutes to skin, forty-five before it is trimmed, a day in all."""
    watch = "osmere-dial-42"
    people_store.save_skills(shop.bram.id, {models()[watch].procedure_family: Decimal(1)})
    code = shop.take_in(watch)
    shop.choose(code)
    chosen = offers_store.load_offers([shop.job(code).chosen.offer_id or 0])[0]
    shop.receive(stock_store.barcodes([chosen.part_id])[chosen.part_id])
    stock.take_part(code, shop.counter, shop.tick())
    shop.open(code)
    shop.steps_until_proof(code)
    shop.test(code)
    while plate_step(code).id != "glue":
        shop.step(code)
    for reason in ("", "it is dry already"):
        for by in (shop.bram, shop.manager):
            with pytest.raises(Invalid, match=r"never shortened|trained"):
                bench.do_step(code, "glue", "", reason, by, shop.now)
    waits.start_timer(code, "glue", shop.bram, shop.now)
    with pytest.raises(Invalid, match="its wait still has 1 min to run"):
        bench.do_step(code, "glue", "", "it is dry", shop.bram, shop.tick(5))
    bench.do_step(code, "glue", "", "", shop.bram, shop.tick(1))
    assert "glue" in bench.bench_page(code).progress.finished


def test_somebody_who_is_not_trained_names_who_stands_beside_them(shop: Shop) -> None:
    shop.receive("P-3001")
    code = shop.opened(SLATE)
    lio = shop.people["lio"]
    step = bench.bench_page(code).progress.step
    assert step
    for wrong in (0, lio.id, 10**9):
        with pytest.raises(Invalid, match="trained for four-edge glued tablets"):
            bench.do_step(code, step.id, "", "", lio, shop.tick(), supervisor=wrong)
    bench.do_step(code, step.id, "", "", lio, shop.tick(), supervisor=shop.bram.id)
    [(person, supervisor)] = raw(
        "select person_id, supervisor_id from bench_step where job_id = %s", shop.job(code).id
    ).fetchall()
    assert (person, supervisor) == (lio.id, shop.bram.id)
    told = [tell(event, PLAINLY) for event in job_page(code, shop.now).events if event.kind is EventKind.STEP]
    assert told[0].endswith("Bram stood beside.")


def test_steps_shown_together_are_recorded_each_by_itself(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    while len(bench.bench_page(code).together) == 1:
        shop.step(code)
    before = len(bench.bench_page(code).done)
    # connectors of one kind at one place, and nothing else
    first, second, third = (step.id for step in bench.bench_page(code).together)
    assert (first, second, third) == ("display-off", "touch-off", "sensor-off")
    for wrong in ([second, first], [first, "bottom-out"], [first, second, "bottom-out"], []):
        with pytest.raises(Invalid):
            bench.do_steps(code, wrong, "", "", shop.bram, shop.now)
    assert len(bench.bench_page(code).done) == before
    bench.do_steps(code, [first, second], "", "", shop.bram, shop.tick())
    page = bench.bench_page(code)
    assert [record.step for record in page.done[before:]] == [first, second]
    # the same two sent once more, or one of them by somebody who saw the page before: who was it, and when
    for late in ([first, second], [second]):
        with pytest.raises(Invalid, match=r"next step|done already by Bram") as refused:
            bench.do_steps(code, late, "", "", shop.bram, shop.tick())
        assert "-off" not in said(refused.value.said)
    assert len(bench.bench_page(code).done) == before + 2
