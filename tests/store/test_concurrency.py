"""Two at once, for real: threads with their own connections to one database."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime

import pytest
from builders import PLAIN, Shop

from sutura.core.bench.progress import Progress
from sutura.core.errors import OutOfStock, Refusal
from sutura.core.facts import fact
from sutura.core.handover.ledger import ChargeState, PaidFor
from sutura.core.job import Stage
from sutura.core.maths.money import Money, amount_text
from sutura.devices import plug
from sutura.devices.ports import CardSays
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.services import bench, drafts, intake, invoices, ledger, plans, stock, tills
from sutura.services.once import once
from sutura.store import invoices as invoices_store
from sutura.store import job as job_store
from sutura.store import ledger as ledger_store
from sutura.store import plans as store_plans
from sutura.store import stock as stock_store
from sutura.store.database import connection, raw, writing

RUNS = 5


def at_once(deeds: list[Callable[[], object]]) -> list[object]:
    """Run all deeds at the same moment; what each gave, a refusal as itself."""
    gate, found = threading.Barrier(len(deeds)), [None] * len(deeds)

    def run(index: int, deed: Callable[[], object]) -> None:
        gate.wait()
        try:
            found[index] = deed()  # type: ignore[call-overload]
        except Refusal as refusal:
            found[index] = refusal  # type: ignore[call-overload]

    threads = [threading.Thread(target=run, args=pair) for pair in enumerate(deeds)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    return list(found)


@pytest.fixture
def shop(database: str) -> Shop:
    """On the database itself: two connections do not see into one transaction."""
    return Shop(now=datetime.now(UTC))


def test_the_last_part_goes_to_exactly_one(shop: Shop) -> None:
    for _ in range(RUNS):
        shop.receive("P-2001")
        codes = [shop.quoted(PLAIN) for _ in range(4)]
        free = stock_store.load_part("P-2001").free
        assert free == 1
        found = at_once([lambda code=code: stock.take_part(code, shop.counter, shop.now) for code in codes])  # type: ignore[misc]
        winners = [code for code, one in zip(codes, found, strict=True) if one is None]
        losers = [hit for hit in found if isinstance(hit, OutOfStock)]
        assert (len(winners), len(losers)) == (1, 3)
        assert all(winners[0] in loser.holders for loser in losers)
        assert stock_store.load_part("P-2001").free == 0


def test_one_form_sent_many_times_at_once_is_one_job(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.now)
    before = job_store.count_jobs()
    codes = at_once([lambda: intake.take_in(draft, shop.arrival(), shop.counter, shop.now)] * 6)
    assert len(set(codes)) == 1
    assert job_store.count_jobs() == before + 1


def test_one_key_used_at_once_does_the_deed_once(shop: Shop) -> None:
    done: list[int] = []

    def deed() -> str:
        done.append(1)
        return "done"

    found = at_once([lambda: once("one-key-many-hands", shop.counter, shop.now, deed)] * 6)
    assert set(found) == {"done"}
    assert len(done) == 1


def test_a_step_done_by_two_at_once_is_done_once(shop: Shop) -> None:
    shop.receive("P-2001")
    code = shop.opened(PLAIN)
    first = bench.bench_page(code).progress.step
    assert first
    found = at_once([lambda: bench.do_step(code, first.id, "", "", shop.bram, shop.now)] * 3)
    assert sum(isinstance(hit, Progress) for hit in found) == 1
    assert bench.bench_page(code).progress.done == 1


def test_declining_and_taking_the_part_at_once_never_leaves_a_part_with_a_declined_job(shop: Shop) -> None:
    from sutura.services import handover

    for _ in range(RUNS):
        shop.receive("P-1001")
        code = shop.quoted()
        at_once(
            [
                lambda: stock.take_part(code, shop.counter, shop.now),  # noqa: B023 - runs before the next round
                lambda: handover.decline(code, "too dear", shop.counter, shop.now),  # noqa: B023
            ]
        )
        job = shop.job(code)
        held = stock_store.load_held(job.id)
        assert (held is not None) == (job.stage is Stage.PART_IN_HAND)


def test_many_readers_and_writers_leak_no_connection(shop: Shop) -> None:
    from sutura.store.database import DATABASE

    shop.receive("P-2001", 2)
    code = shop.quoted(PLAIN)
    at_once([lambda: [shop.job(code) for _ in range(20)]] * 12)
    assert len(DATABASE._in_use) == 0


def test_papers_written_at_once_leave_no_gap_even_where_some_are_taken_back(shop: Shop) -> None:
    """Twenty clients, of whom every fourth breaks off after it had its number."""
    shop.receive("P-1001", 1)
    job = shop.job(shop.closed())
    kept = invoices_store.papers_page(shop.now.year, 0, 1000)

    class BrokenOff(Refusal):
        pass

    @writing
    def write(client: int) -> str:
        number = invoices.issue(job, "cash", shop.counter, shop.now)
        if client % 4 == 0:
            raise BrokenOff(fact("job.not-repaired"))
        return number

    found = at_once([lambda client=client: write(client) for client in range(20)])  # type: ignore[misc]
    numbers = sorted(one for one in found if isinstance(one, str))
    assert len(numbers) == 15
    first = 1 + max(
        (int(one.paper.number.rsplit("-", 1)[1]) for one in kept if not one.corrects_id), default=0
    )
    assert [int(one.rsplit("-", 1)[1]) for one in numbers] == list(range(first, first + 15))


def test_one_charge_pressed_at_once_is_charged_once_and_booked_once(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.closed()
    asked: list[str] = []

    class Slow(SimulatedTerminal):
        def charge(self, reference: str, amount: Money) -> CardSays:
            asked.append(reference)
            time.sleep(0.3)
            return super().charge(reference, amount)

    plug(terminal=Slow())
    try:
        found = at_once(
            [lambda: ledger.charge(code, "10", PaidFor.REST, "at-once-1", shop.counter, shop.now)] * 5
        )
    finally:
        plug(terminal=SimulatedTerminal())
    assert asked == ["at-once-1"]
    assert {one.state for one in found if isinstance(one, ledger_store.Charge)} == {ChargeState.APPROVED}
    assert len(found) == 5
    assert [row.amount_minor for row in ledger_store.load_payments(shop.job(code).id)] == [1_000]


def test_cash_taken_while_the_till_is_closed_is_in_one_day_or_the_next(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.closed()
    ledger.pay(code, "1", "cash", "", shop.counter, shop.now)
    page = tills.till_page(0, shop.counter, shop.now)
    assert page.till
    day = page.till.id

    def close() -> None:
        expected = amount_text(tills.till_page(0, shop.counter, shop.now).expected.minor, "TAL")
        # as if it was counted in this moment: what differs has its reason
        typed = {"counted": expected, "left": "0", "note": "counted while cash came"}
        tills.close_till(day, typed, shop.counter, shop.now)

    at_once([close, *[lambda: ledger.pay(code, "1", "cash", "", shop.counter, shop.now)] * 5])
    closed = tills.till_page(day, shop.counter, shop.now)
    assert closed.till
    assert closed.expected.minor == closed.till.expected_minor, "no row came into it after it was closed"


def test_many_workers_plan_a_change_once(database: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Before, two workers made each plan twice. One that was killed in its turn keeps nobody from it for
    long.
    """
    now = datetime.now(UTC)
    with connection():
        raw("delete from day_plan")
    made: list[datetime] = []
    make_plan = plans.make_plan

    def make(at: datetime) -> None:
        made.append(at)
        time.sleep(0.3)
        make_plan(at, 1, 0.01)

    monkeypatch.setattr(plans, "make_plan", make)
    found = at_once([lambda: plans.plan_if_due(now)] * 8)
    assert (len(made), found.count(True)) == (1, 1)
    with connection():
        raw("delete from day_plan")
        store_plans.take_turn(now, now + plans.TURN)
    assert not plans.plan_if_due(now + plans.TURN / 2)
    # a turn that is over is not ended by whoever had the one before
    with connection():
        store_plans.give_up_turn(now, now)
    assert not plans.plan_if_due(now + plans.TURN / 2)
    assert plans.plan_if_due(now + plans.TURN)


@pytest.mark.parametrize("late", ["charge", "refund"])
def test_a_terminal_that_takes_its_time_holds_no_page_and_its_answer_is_booked(
    database: str, monkeypatch: pytest.MonkeyPatch, late: str
) -> None:
    """Before, each asked charge held a page's thread for twenty seconds."""
    shop = Shop(now=datetime.now(UTC))
    terminal = SimulatedTerminal()
    plug(terminal=terminal)
    monkeypatch.setattr(ledger, "WAIT_S", 0.2)
    shop.receive("P-1001", 1)
    code = shop.closed()
    shop.look_at_sealed(code)
    given = threading.Event()
    did = getattr(terminal, late)

    def slow(*asked: object) -> object:
        given.wait(20)
        return did(*asked)

    if late == "refund":
        ledger.charge(code, "5", PaidFor.REST, "first-charge", shop.counter, shop.now)
    monkeypatch.setattr(terminal, late, slow)
    began = time.monotonic()
    if late == "charge":
        first = ledger.charge(code, "5", PaidFor.REST, "slow-charge", shop.counter, shop.now)
        again = ledger.charge(code, "5", PaidFor.REST, "slow-charge", shop.counter, shop.now)
        assert first.state is again.state is ChargeState.ASKED
        reference = "slow-charge"
    else:
        with pytest.raises(Refusal):
            ledger.give_back_to_card(code, "2", "waited", "slow-refund", shop.manager, shop.now)
        [refund] = ledger.refunds_of(shop.job(code))
        reference = refund.reference
    assert time.monotonic() - began < 10
    assert ledger.state_of(code, reference, shop.counter) is ChargeState.ASKED
    given.set()
    until = time.monotonic() + 10
    while ledger.state_of(code, reference, shop.counter) is ChargeState.ASKED and time.monotonic() < until:
        time.sleep(0.05)
    assert ledger.state_of(code, reference, shop.counter) is ChargeState.APPROVED
    rows = ledger.rows_of(shop.job(code))
    booked = [one.amount_minor for one in rows if one.kind in (PaidFor.REST, PaidFor.REFUND)]
    assert booked == ([500] if late == "charge" else [500, 200])
