"""Money of a job through the services: parts, cards that answer late or never, refunds, the till, papers."""

from __future__ import annotations

import contextlib
import csv
import random
import secrets
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import replace
from io import StringIO

import peewee
import pytest
from builders import PLAIN, Shop

from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, NotFound, Refusal
from sutura.core.handover.invoicing import InvoiceKind, from_json, missing_of, to_json
from sutura.core.handover.ledger import ChargeState, PaidFor
from sutura.core.job import Stage
from sutura.core.maths.money import Money, amount_text
from sutura.devices import plug
from sutura.devices.ports import CardSays
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.formats.invoices import invoices_csv, plain_amount
from sutura.formats.margins import MarginRow, margins_csv
from sutura.formats.tills import till_csv
from sutura.formats.ubl import read_invoice, write_invoice
from sutura.services import bench, consumables, handover, invoices, ledger, matching, quoting, stock, tills
from sutura.services import shop as shop_service
from sutura.store import consumables as consumables_store
from sutura.store import stock as stock_store
from sutura.store.database import DATABASE

PAPERS = {
    "name": "Kettle Lane Screens", "street": "Kettle Lane 4", "town": "Ashby", "postcode": "1",
    "country": "de", "tax_id": "DE 123456788", "iban": "", "mode": "inclusive", "coin": "5",
}  # fmt: skip


@pytest.fixture(autouse=True)
def terminal() -> Iterator[SimulatedTerminal]:
    """A terminal of the test's own."""
    made = SimulatedTerminal()
    plug(terminal=made)
    yield made
    plug(terminal=SimulatedTerminal())


def faults(*names: str) -> SimulatedTerminal:
    made = SimulatedTerminal(names)
    plug(terminal=made)
    return made


@pytest.fixture
def ready(shop: Shop) -> str:
    shop.receive("P-1001", 1)
    code = shop.closed()
    shop.look_at_sealed(code)
    return code


def owed(shop: Shop, code: str) -> int:
    return ledger.balance(shop.job(code)).owed.minor


def text(shop: Shop, code: str) -> str:
    return amount_text(owed(shop, code), "TAL")


def back(shop: Shop, code: str, method: str = "cash", **more: object) -> None:
    asked = {"returned": [], "explanation": "all of it", "amount": text(shop, code), "today": shop.now.date()}
    handover.hand_back(code, method=method, by=shop.counter, now=shop.tick(), **{**asked, **more})


def counting(counted: str, left: str = "", note: str = "") -> dict[str, str]:
    return {"counted": counted, "left": left, "note": note}


def numbers(shop: Shop, code: str) -> list[str]:
    return [one.paper.number for one in invoices.papers_of(shop.job(code))]


def test_a_price_is_paid_in_parts_by_several_ways(shop: Shop, ready: str) -> None:
    whole = owed(shop, ready)
    assert ledger.pay(ready, "50", "cash", "60", shop.counter, shop.tick()).minor == 1_000
    assert ledger.pay(ready, "20", "transfer", "", shop.counter, shop.tick()).minor == 0
    charge = ledger.charge(ready, "30", PaidFor.REST, "card-0001", shop.counter, shop.tick())
    assert charge
    assert charge.state is ChargeState.APPROVED
    assert owed(shop, ready) == whole - 10_000
    with pytest.raises(Invalid):
        ledger.pay(ready, amount_text(whole, "TAL"), "cash", "", shop.counter, shop.tick())
    with pytest.raises(Invalid):
        ledger.pay(ready, "1", "card", "", shop.counter, shop.tick())
    back(shop, ready)
    assert shop.job(ready).stage is Stage.HANDED_BACK
    with pytest.raises(MoveRefused):
        ledger.pay(ready, "1", "cash", "", shop.counter, shop.tick())


def test_w10_a_card_without_an_answer_is_asked_about_before_anything_else(shop: Shop, ready: str) -> None:
    remembers = faults("timeout")
    with pytest.raises(MoveRefused):
        back(shop, ready, "card", reference="form-0001")
    charge = ledger.charges_of(shop.job(ready))[0]
    assert charge.state is ChargeState.UNKNOWN
    assert owed(shop, ready) > 0
    for method in ("cash", "card"):
        with pytest.raises(MoveRefused):
            back(shop, ready, method, reference="form-0002")
    with pytest.raises(MoveRefused):
        ledger.pay(ready, "1", "cash", "", shop.counter, shop.tick())
    remembers.faults = frozenset({"away"})
    with pytest.raises(MoveRefused):
        ledger.reconcile(ready, charge.reference, shop.counter, shop.tick())
    remembers.faults = frozenset()
    for _ in range(2):
        settled = ledger.reconcile(ready, charge.reference, shop.counter, shop.tick())
        assert settled
        assert settled.state is ChargeState.APPROVED
    assert owed(shop, ready) == 0
    back(shop, ready, "", amount="")
    assert [row.kind for row in ledger.rows_of(shop.job(ready))] == [PaidFor.REST]


def test_an_answer_that_was_lost_without_a_charge_is_paid_otherwise(shop: Shop, ready: str) -> None:
    terminal = faults("lost")
    with pytest.raises(MoveRefused):
        back(shop, ready, "card", reference="form-0001")
    terminal.faults = frozenset()
    settled = ledger.reconcile(ready, "form-0001", shop.counter, shop.tick())
    assert settled
    assert settled.state is ChargeState.DECLINED
    back(shop, ready, "cash")
    assert [row.method for row in ledger.rows_of(shop.job(ready))] == ["cash"]


def test_what_a_terminal_says_late_is_booked_all_the_same(shop: Shop, ready: str) -> None:
    faults("lost")
    whole = owed(shop, ready)
    ledger.charge(ready, "10", PaidFor.REST, "press-01", shop.counter, shop.tick())
    plug(terminal=SimulatedTerminal())
    settled = ledger.reconcile(ready, "press-01", shop.counter, shop.tick())
    assert settled
    assert settled.state is ChargeState.DECLINED
    for _ in range(2):
        ledger.settle("press-01", ChargeState.APPROVED, shop.counter, shop.tick())
    assert owed(shop, ready) == whole - 1_000
    other = shop.take_in()
    with pytest.raises(NotFound):
        ledger.reconcile(other, "press-01", shop.counter, shop.tick())
    with pytest.raises(NotFound):
        ledger.charge(other, "10", PaidFor.REST, "press-01", shop.counter, shop.tick())


def test_one_that_is_being_asked_is_not_asked_about(shop: Shop, ready: str) -> None:
    """A second desk asks about it while the first still waits for the terminal."""
    assert ledger._ask(ready, "10", PaidFor.REST, "press-01", shop.counter, shop.tick())
    with pytest.raises(MoveRefused):
        ledger.reconcile(ready, "press-01", shop.counter, shop.now)
    assert ledger.state_of(ready, "press-01", shop.counter) is ChargeState.ASKED
    with pytest.raises(NotFound):
        ledger.state_of(shop.take_in(), "press-01", shop.counter)


@pytest.mark.parametrize("fault", ["declines", "away"])
def test_a_card_that_is_refused_leaves_all_owed(shop: Shop, ready: str, fault: str) -> None:
    faults(fault)
    before = owed(shop, ready)
    with pytest.raises(MoveRefused):
        back(shop, ready, "card")
    assert owed(shop, ready) == before
    assert shop.job(ready).stage is Stage.CLOSED
    back(shop, ready, "transfer")


def test_a_press_of_a_charge_twice_charges_once(shop: Shop, ready: str, terminal: SimulatedTerminal) -> None:
    for _ in range(2):
        charge = ledger.charge(ready, "10", PaidFor.REST, "press-01", shop.counter, shop.tick())
        assert charge
        assert charge.state is ChargeState.APPROVED
    assert len(ledger.rows_of(shop.job(ready))) == 1
    # what is wrong is refused before a card is charged
    with pytest.raises(Invalid):
        back(shop, ready, "card", amount="1")
    assert len(ledger.charges_of(shop.job(ready))) == 1


def test_a_charge_goes_back_once_and_by_a_manager_alone(shop: Shop, ready: str) -> None:
    whole = owed(shop, ready)
    ledger.charge(ready, "10", PaidFor.REST, "press-01", shop.counter, shop.tick())
    with pytest.raises(NotAllowed):
        ledger.reverse(ready, "press-01", key(), shop.counter, shop.tick())
    ledger.reverse(ready, "press-01", key(), shop.manager, shop.tick())
    assert owed(shop, ready) == whole
    with pytest.raises(MoveRefused):
        ledger.reverse(ready, "press-01", key(), shop.manager, shop.tick())
    with pytest.raises(NotFound):
        ledger.reverse(ready, "never", key(), shop.manager, shop.tick())


def test_a_refund_beyond_what_was_too_much_is_a_credit_with_its_note(shop: Shop, ready: str) -> None:
    back(shop, ready)
    first = numbers(shop, ready)[0]
    with pytest.raises(NotAllowed):
        ledger.give_back(ready, "20", "cash", "a scratch of ours", shop.counter, shop.tick())
    with pytest.raises(Invalid):
        ledger.give_back(ready, "20", "cash", "", shop.manager, shop.tick())
    with pytest.raises(Invalid):
        ledger.give_back(ready, "9999", "cash", "a scratch of ours", shop.manager, shop.tick())
    ledger.give_back(ready, "20", "cash", "a scratch of ours", shop.manager, shop.tick())
    assert owed(shop, ready) == 0
    typed = {"buyer_name": "Venn Ltd", "buyer_country": "DE"}
    with pytest.raises(MoveRefused):
        invoices.correct(first, typed, "wrong buyer", shop.manager, shop.tick())
    note = invoices.papers_of(shop.job(ready))[-1].paper
    assert (note.kind, note.gross_minor, note.refers_to) == (InvoiceKind.CREDIT, 2_000, first)
    assert note.number.startswith("C")


def test_what_is_given_up_is_written_off_with_its_reason(shop: Shop, ready: str) -> None:
    ledger.pay(ready, "100", "cash", "", shop.counter, shop.tick())
    with pytest.raises(NotAllowed):
        ledger.write_off(ready, "1", "does not pay", shop.counter, shop.tick())
    ledger.write_off(ready, text(shop, ready), "does not pay", shop.manager, shop.tick())
    back(shop, ready, "", amount="")
    assert shop.job(ready).stage is Stage.HANDED_BACK


def test_cash_goes_in_coins_and_the_rest_is_rounded(shop: Shop, ready: str) -> None:
    shop_record = shop_service.shop()
    invoices.change_invoicing(PAPERS, shop_record.version, shop.manager, shop.tick())
    ledger.pay(ready, "0.02", "transfer", "", shop.counter, shop.tick())
    whole = owed(shop, ready)
    assert whole % 5 == 3
    typed = amount_text(whole + 2, "TAL").replace(".", ",")
    assert ledger.pay(ready, typed, "cash", "500", shop.counter, shop.tick()).minor == 50_000 - whole - 2
    back(shop, ready, "", amount="")
    rows = [(row.kind, row.amount_minor) for row in ledger.rows_of(shop.job(ready))][1:]
    assert rows == [(PaidFor.REST, whole + 2), (PaidFor.ROUNDING, -2)]
    assert owed(shop, ready) == 0


# -- the till ---------------------------------------------------------------------------------------


def test_a_day_of_the_till(shop: Shop, ready: str) -> None:
    tills.open_till({"piece.5000": "3"}, shop.counter, shop.tick())
    with pytest.raises(Invalid):
        tills.open_till({"piece.5000": "3"}, shop.counter, shop.tick())
    ledger.pay(ready, "50", "cash", "", shop.counter, shop.tick())
    ledger.pay(ready, "10", "transfer", "", shop.counter, shop.tick())
    ledger.give_back(ready, "5", "cash", "goodwill", shop.manager, shop.tick())
    page = tills.till_page(0, shop.counter, shop.now)
    assert page.till
    assert page.expected == Money(minor=19_500, currency="TAL")
    assert page.others == {"transfer": Money(minor=1_000, currency="TAL")}
    zone = shop_service.open_hours().zone
    lines = till_csv(page.till.float_minor, page.rows, "TAL", zone, str).split("\r\n")
    first = next(iter(page.rows))
    assert lines[2].startswith(f"{first.at.astimezone(zone):%Y-%m-%d %H:%M},")
    assert [line.rsplit(",", 1)[1] for line in lines[1:4]] == ["150.00", "200.00", "195.00"]
    with pytest.raises(ManyInvalid):
        tills.close_till(page.till.id, counting("194", "200", ""), shop.counter, shop.tick())
    tills.close_till(page.till.id, counting("194", "150", "a coin fell down"), shop.counter, shop.tick())
    with pytest.raises(MoveRefused):
        tills.close_till(page.till.id, counting("194", "150", "a coin fell down"), shop.counter, shop.tick())
    # the next cash opens it with what was left
    ledger.pay(ready, "1", "cash", "", shop.counter, shop.tick())
    after = tills.till_page(0, shop.counter, shop.now)
    assert after.till
    assert (after.till.float_minor, after.expected.minor) == (15_000, 15_100)
    assert tills.till_page(page.till.id, shop.counter, shop.now).expected.minor == 19_500


def test_a_closed_day_cannot_be_changed_whoever_writes(shop: Shop) -> None:
    tills.open_till({"float": "1"}, shop.counter, shop.tick())
    page = tills.till_page(0, shop.counter, shop.now)
    assert page.till
    tills.close_till(page.till.id, counting("1", "", ""), shop.counter, shop.tick())
    with pytest.raises(peewee.DatabaseError, match="stays as it was counted"), DATABASE.atomic():
        DATABASE.execute_sql("update till_day set counted_minor = 5")


# -- papers -----------------------------------------------------------------------------------------


def test_a_deposit_has_its_invoice_and_the_last_one_names_it(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.quoted()
    handover.take_deposit(code, "30", "card", shop.counter, shop.tick())
    kept = invoices.papers_of(shop.job(code))[0].paper
    assert (kept.kind, kept.total_minor, kept.payable_minor) == (InvoiceKind.DEPOSIT, 3_000, 0)
    assert ledger.rows_of(shop.job(code))[0].method == "card"


@pytest.mark.parametrize("mode", ["inclusive", "exclusive"])
def test_the_last_invoice_takes_the_deposits_off_with_their_tax(shop: Shop, mode: str) -> None:
    """The judge: what the papers come to together is the price, and their tax that of the price."""
    shop.receive("P-1001", 1)
    record = shop_service.shop()
    invoices.change_invoicing({**PAPERS, "mode": mode}, record.version, shop.manager, shop.tick())
    code = shop.quoted()
    for amount, method in (("30", "card"), ("20", "cash")):
        handover.take_deposit(code, amount, method, shop.counter, shop.tick())
    shop.finish(code)
    price = shop.job(code).chosen.price_minor or 0
    back(shop, code)
    papers = [one.paper for one in invoices.papers_of(shop.job(code))]
    assert [one.kind for one in papers] == [InvoiceKind.DEPOSIT, InvoiceKind.DEPOSIT, InvoiceKind.INVOICE]
    assert [one.total_minor for one in papers] == [3_000, 2_000, price - 5_000]
    assert papers[-1].payable_minor == 0
    assert [(one.method, one.minor) for one in papers[-1].paid] == [("cash", price - 5_000)]
    assert papers[-1].settles == tuple(one.number for one in papers[:2])
    [rate] = {one.bps for paper in papers for one in paper.taxes}
    exact = price * rate / (10_000 + rate)
    assert abs(sum(one.tax_minor for one in papers) - exact) <= 2
    # more than the last one goes back: what is above it is of the deposits
    ledger.give_back(
        code, amount_text(price - 1_000, "TAL"), "cash", "it was our fault", shop.manager, shop.now
    )
    notes = [one.paper for one in invoices.papers_of(shop.job(code))][3:]
    assert [(one.refers_to, one.total_minor) for one in notes] == [
        (papers[2].number, price - 5_000),
        (papers[1].number, 2_000),
        (papers[0].number, 2_000),
    ]
    standing = [invoices.stands(one) for one in invoices.papers_of(shop.job(code))]
    assert standing == [True, False, False, False, False, False]


def test_a_price_that_fell_below_its_deposit_is_credited_first(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.quoted()
    handover.take_deposit(code, "100", "cash", shop.counter, shop.tick())
    quoting.change_job_price(code, "80", "agreed by phone", shop.job(code).version, shop.manager, shop.tick())
    shop.finish(code)
    assert owed(shop, code) == -2_000
    back(shop, code, amount="20")
    papers = [one.paper for one in invoices.papers_of(shop.job(code))]
    assert [(one.kind, one.total_minor) for one in papers] == [
        (InvoiceKind.DEPOSIT, 10_000),
        (InvoiceKind.CREDIT, 2_000),
        (InvoiceKind.INVOICE, 0),
    ]
    assert owed(shop, code) == 0
    assert invoices.stands(invoices.papers_of(shop.job(code))[-1])


def test_what_was_credited_before_is_not_on_the_last_invoice(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.quoted()
    handover.take_deposit(code, "50", "cash", shop.counter, shop.tick())
    ledger.give_back(code, "20", "cash", "it took too long", shop.manager, shop.tick())
    shop.finish(code)
    due = owed(shop, code)
    back(shop, code)
    papers = [one.paper for one in invoices.papers_of(shop.job(code))]
    assert [one.total_minor for one in papers] == [5_000, 2_000, due]
    assert due == (shop.job(code).chosen.price_minor or 0) - 5_000


def test_a_deposit_that_goes_back_has_its_credit_note(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.quoted()
    handover.take_deposit(code, "30", "cash", shop.counter, shop.tick())
    handover.decline(code, "too dear", shop.counter, shop.tick())
    shop.return_unrepaired(code, refund="25")
    papers = [one.paper for one in invoices.papers_of(shop.job(code))]
    assert [(paper.kind, paper.gross_minor) for paper in papers] == [
        (InvoiceKind.DEPOSIT, 3_000),
        (InvoiceKind.CREDIT, 2_500),
    ]
    assert owed(shop, code) == 0


def test_an_invoice_is_taken_back_and_written_anew_for_whoever_bought(shop: Shop, ready: str) -> None:
    back(shop, ready)
    number = numbers(shop, ready)[0]
    typed = {"buyer_name": "Venn Ltd", "buyer_country": "DE", "buyer_tax_id": "DE123456788"}
    with pytest.raises(ManyInvalid):
        invoices.correct(number, {"buyer_name": ""}, "", shop.manager, shop.tick())
    with pytest.raises(NotAllowed):
        invoices.correct(number, typed, "wrong buyer", shop.counter, shop.tick())
    anew = invoices.correct(number, typed, "wrong buyer", shop.manager, shop.tick())
    papers = {one.paper.number: one.paper for one in invoices.papers_of(shop.job(ready))}
    assert papers[anew].buyer.name == "Venn Ltd"
    assert papers[anew].lines == papers[number].lines
    assert [paper.kind for paper in papers.values()] == [
        InvoiceKind.INVOICE,
        InvoiceKind.CREDIT,
        InvoiceKind.INVOICE,
    ]
    with pytest.raises(MoveRefused):
        invoices.correct(number, typed, "wrong buyer", shop.manager, shop.tick())
    year = invoices.all_of(shop.now.year, shop.manager)
    table = invoices_csv([(one.code, one.paper) for one in year]).split("\r\n")
    assert any(f"C{shop.now.year}" in line and ",-" in line for line in table)


def test_a_numbered_paper_is_never_changed_whoever_writes(shop: Shop, ready: str) -> None:
    back(shop, ready)
    for statement in (
        "update invoice set gross_minor = 1",
        'update invoice set body = body || \'{"note": "x"}\'',
        "delete from invoice",
    ):
        with pytest.raises(peewee.DatabaseError, match="append-only"), DATABASE.atomic():
            DATABASE.execute_sql(statement)
    with pytest.raises(peewee.DatabaseError, match="leaves a gap"), DATABASE.atomic():
        DATABASE.execute_sql(
            "insert into invoice (series, year, number, job_id, kind, body, gross_minor, person_id, at) "
            "select series, year, number + 2, job_id, kind, body, gross_minor, person_id, at from invoice"
        )
    for number in ("2031-99999", "X", "C2031-1", "2031-00001; drop"):
        with pytest.raises(NotFound):
            invoices.paper(number)


def test_what_a_paper_lacks_is_said(shop: Shop, ready: str) -> None:
    back(shop, ready)
    assert len(missing_of(invoices.papers_of(shop.job(ready))[0].paper)) == 3
    bad = {
        **PAPERS,
        "country": "Germany",
        "iban": "DE00",
        "mode": "x",
        "coin": "3",
        "tax_id": "!",
        "name": "",
    }
    with pytest.raises(ManyInvalid) as refused:
        invoices.change_invoicing(bad, shop_service.shop().version, shop.manager, shop.tick())
    assert {one.field for one in refused.value.problems} == {
        "country",
        "iban",
        "mode",
        "coin",
        "tax_id",
        "name",
    }
    with pytest.raises(NotAllowed):
        invoices.change_invoicing(PAPERS, 1, shop.counter, shop.tick())


def test_two_rates_are_two_lines_of_the_price(shop: Shop) -> None:
    shop.receive("P-2001", 1)
    code = shop.closed(PLAIN)
    shop.look_at_sealed(code)
    back(shop, code)
    paper = invoices.papers_of(shop.job(code))[0].paper
    assert paper.gross_minor == shop.job(code).chosen.price_minor
    assert [line.text for line in paper.lines][-1].endswith("work, test and warranty")
    assert "grade" in paper.lines[0].note


# -- one figure in every room -----------------------------------------------------------------------


def test_a_credit_lowers_what_a_job_left_in_every_room(shop: Shop, ready: str) -> None:
    """The job's page, the Book and its table say the same before and after; the judge counts by hand."""
    shop_record = shop_service.shop()
    back(shop, ready)
    job = shop.job(ready)
    before = quoting.job_margin(job, shop.manager)
    assert before
    ledger.give_back(ready, "39", "cash", "a scratch of ours", shop.manager, shop.tick())
    after = quoting.job_margin(job, shop.manager)
    assert after
    rate = job.chosen.tax_bps or 0
    net_of_39 = 3_900 * 10_000 / (10_000 + rate)
    assert abs((before.margin.minor - after.margin.minor) - net_of_39) <= 1
    assert after.less.minor == before.net.minor - after.net.minor
    assert after.left.minor == after.margin.minor - round(
        after.bench_minutes * shop_record.bench_rate_minor / 60
    )
    [line] = [one for one in quoting.book_page(shop.manager).lines if one.earned.code == ready]
    assert line.margin == after
    rows = [MarginRow(code=ready, device="", technician="", at=shop.now, margin=after)]
    table = list(csv.reader(StringIO(margins_csv(rows))))
    said = dict(zip(table[0], table[1], strict=True))
    assert said["margin"] == plain_amount(after.margin.minor, "TAL")
    assert said["left"] == plain_amount(after.left.minor, "TAL")
    assert said["let go"] == plain_amount(after.less.minor, "TAL")


def test_tape_and_what_broke_on_the_job_are_of_its_cost(shop: Shop) -> None:
    consumables.add_consumable(
        {"name": "Wipes", "used_for": "wipe", "place": "R1", "holds": "10", "price": "20", "lead_days": "2"},
        shop.manager,
    )
    [row] = consumables.consumables_page(shop.now)
    consumables.receive(row.row.id, "500", "", shop.manager, shop.tick())
    shop.receive("P-1001", 2)
    code = shop.at_proof()
    [held] = stock_store.held_of(shop.job(code).id)
    bench.change_part(code, {held.part_id: "broken"}, "it fell to the floor", shop.bram, shop.tick())
    shop.choose(code)
    stock.take_part(code, shop.counter, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    found = quoting.job_margin(shop.job(code), shop.manager)
    assert found
    used = [move for move in consumables_store.moves_of(row.row.id) if move.kind == "used"]
    assert found.consumables.minor == round(-sum(move.quantity for move in used) * 2_000 / 10) == 400
    assert found.consumables.minor > 0
    assert found.broken.minor == 6_000
    assert found.parts.minor == 6_000


def test_a_paper_says_what_was_shown_what_was_paid_and_when_it_was_handed_over(
    shop: Shop, ready: str
) -> None:
    """The part stands at the price that Match showed for it, what is to pay is what the ledger says, and what
    a supplier promises the shop is not on it.
    """
    job = shop.job(ready)
    chosen = next(
        one for one in matching.match_page(ready).offers if one.judged.offer.id == job.chosen.offer_id
    )
    ledger.pay(ready, "20", "transfer", "", shop.counter, shop.tick())
    back(shop, ready)
    [paper] = [one.paper for one in invoices.papers_of(shop.job(ready))]
    assert paper.lines[0].net_minor == chosen.quote.part.minor
    assert paper.lines[0].note == f"grade: {chosen.judged.offer.grade}"
    assert "guarantee" not in " ".join(line.note for line in paper.lines)
    assert [(one.method, one.minor) for one in paper.paid] == [
        ("transfer", 2_000),
        ("cash", paper.total_minor - 2_000),
    ]
    assert paper.payable_minor == ledger.balance(shop.job(ready)).due.minor == 0
    assert paper.supplied == paper.issued
    assert from_json(to_json(paper)) == paper
    assert replace(read_invoice(write_invoice(paper)), paid=paper.paid) == paper


# -- back to the card -----------------------------------------------------------------------------------


def key() -> str:
    """The key of a form that nobody sent yet."""
    return secrets.token_hex(12)


def by_card(shop: Shop, code: str, *amounts: str) -> None:
    for number, amount in enumerate(amounts):
        ledger.charge(code, amount, PaidFor.REST, f"press-{code}-{number}", shop.counter, shop.tick())


def gone_back(terminal: SimulatedTerminal) -> int:
    """What the terminal gave back, by its own memory."""
    return sum(one.minor for one in terminal._done.values() if one.charge and one.said is CardSays.APPROVED)


def refunded(shop: Shop, code: str) -> int:
    return sum(one.amount_minor for one in ledger.rows_of(shop.job(code)) if one.kind is PaidFor.REFUND)


def test_what_goes_back_to_cards_goes_through_the_terminal_against_its_charges(
    shop: Shop, ready: str, terminal: SimulatedTerminal
) -> None:
    by_card(shop, ready, "20", "30")
    ledger.give_back_to_card(ready, "35", "the customer waited", key(), shop.manager, shop.tick())
    assert gone_back(terminal) == refunded(shop, ready) == 3_500
    # the last one whole, and a part of the one before
    assert [one.amount_minor for one in ledger.refunds_of(shop.job(ready))] == [3_000, 500]
    assert [one.state for one in ledger.charges_of(shop.job(ready))] == [
        ChargeState.APPROVED,
        ChargeState.REVERSED,
    ]
    ledger.pay(ready, "10", "cash", "", shop.counter, shop.tick())
    with pytest.raises(Invalid, match="by card at most 15"):
        ledger.give_back_to_card(ready, "20", "the customer waited", key(), shop.manager, shop.tick())
    more = (
        "insert into card_refund (reference, card_charge_id, job_id, amount_minor, currency, reason, state, "
        "person_id, at) select 'more-01', id, job_id, 1600, currency, '', 'asked', person_id, at "
        "from card_charge order by id limit 1"
    )
    with pytest.raises(peewee.DatabaseError, match="more would go back"), DATABASE.atomic():
        DATABASE.execute_sql(more)
    # also after the till's day was counted
    page = tills.till_page(0, shop.counter, shop.now)
    assert page.till
    there = str(page.expected).split()[0]
    tills.close_till(page.till.id, counting(there), shop.counter, shop.tick())
    ledger.give_back_to_card(ready, "15", "the customer waited", key(), shop.manager, shop.tick())
    assert gone_back(terminal) == refunded(shop, ready) == 5_000


def test_what_did_not_go_back_is_not_booked(shop: Shop, ready: str, terminal: SimulatedTerminal) -> None:
    by_card(shop, ready, "20")
    for fault in ("declines", "away"):
        terminal.faults = frozenset({fault})
        with pytest.raises(MoveRefused):
            ledger.give_back_to_card(ready, "5", "the customer waited", key(), shop.manager, shop.tick())
    assert refunded(shop, ready) == gone_back(terminal) == 0
    terminal.faults = frozenset()
    ledger.give_back_to_card(ready, "20", "the customer waited", key(), shop.manager, shop.tick())
    assert refunded(shop, ready) == gone_back(terminal) == 2_000


@pytest.mark.parametrize(("fault", "went"), [("timeout", 500), ("lost", 0)])
def test_books_and_terminal_agree_after_a_lost_answer(
    shop: Shop, ready: str, terminal: SimulatedTerminal, fault: str, went: int
) -> None:
    by_card(shop, ready, "20")
    terminal.faults = frozenset({fault})
    with pytest.raises(MoveRefused):
        ledger.give_back_to_card(ready, "5", "the customer waited", key(), shop.manager, shop.tick())
    # nothing else is taken or given before somebody knows
    with pytest.raises(MoveRefused):
        ledger.give_back(ready, "1", "cash", "the customer waited", shop.manager, shop.tick())
    terminal.faults = frozenset()
    assert ledger.reconcile_all(shop.tick(3)) == 1
    assert refunded(shop, ready) == gone_back(terminal) == went
    assert ledger.reconcile_all(shop.tick(3)) == 0


@pytest.mark.parametrize("at", ["before", "after"])
def test_books_and_terminal_agree_after_a_kill_at_the_terminal(
    shop: Shop, ready: str, terminal: SimulatedTerminal, monkeypatch: pytest.MonkeyPatch, at: str
) -> None:
    by_card(shop, ready, "20")
    real = terminal.refund

    def killed(*asked: object) -> CardSays:
        if at == "after":
            real(*asked)  # type: ignore[arg-type]
        raise KeyboardInterrupt

    with monkeypatch.context() as patch:
        patch.setattr(terminal, "refund", killed)
        with pytest.raises(KeyboardInterrupt):
            ledger.give_back_to_card(ready, "5", "the customer waited", key(), shop.manager, shop.tick())
    ledger.reconcile_all(shop.tick(3))
    assert refunded(shop, ready) == gone_back(terminal) == (500 if at == "after" else 0)


def test_books_and_terminal_agree_after_two_hundred_kills_between_their_steps(
    shop: Shop, ready: str, terminal: SimulatedTerminal, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Charges and refunds by chance, each killed at one of its steps: before what is asked is kept, before
    and after the terminal did it, before and after it is booked. Afterwards the worker asks, and both say
    the same; the form that was killed is sent again, and is done once.
    """
    chance = random.Random(7)
    kills: Counter[str] = Counter()
    steps: dict[str, tuple[object, tuple[str, str], bool]] = {
        "before it is kept": (ledger, ("_ask", "_ask_to_card"), False),
        "before it is asked": (terminal, ("charge", "refund"), False),
        "after it was done": (terminal, ("charge", "refund"), True),
        "before it is booked": (ledger, ("settle", "settle_refund"), False),
        "after it was booked": (ledger, ("settle", "settle_refund"), True),
    }

    def killing(did: Callable[..., object], *, after: bool) -> Callable[..., object]:
        def killed(*asked: object, **more: object) -> object:
            if after:
                did(*asked, **more)
            raise KeyboardInterrupt

        return killed

    def taken(form: str) -> None:
        ledger.charge(ready, "0.70", PaidFor.REST, form, shop.counter, shop.now)

    def given(form: str) -> None:
        ledger.give_back_to_card(ready, "0.40", "the customer waited", form, shop.manager, shop.now)

    def agree() -> None:
        charged = sum(one.minor for one in terminal._done.values() if not one.charge)
        rows = ledger.rows_of(shop.job(ready))
        came = sum(one.amount_minor for one in rows if one.kind is PaidFor.REST)
        assert (came, refunded(shop, ready)) == (charged, gone_back(terminal))

    taken(key())
    while sum(kills.values()) < 200:
        shop.tick()
        form, deed = key(), chance.choice((taken, given))
        if gone_back(terminal) + 40 > sum(one.minor for one in terminal._done.values() if not one.charge):
            deed = taken
        step = chance.choice(list(steps))
        where, names, after = steps[step]
        with monkeypatch.context() as patch:
            for name in names:
                patch.setattr(where, name, killing(getattr(where, name), after=after))
            with pytest.raises(KeyboardInterrupt):
                deed(form)
        kills[step] += 1
        shop.tick(3)
        ledger.reconcile_all(shop.now)
        agree()
        if chance.random() < 0.5:
            before = gone_back(terminal)
            with contextlib.suppress(Refusal):
                deed(form)
            agree()
            assert gone_back(terminal) - before in (0, 40)
    assert set(kills) == set(steps)


def test_a_deposit_that_goes_back_to_its_card_has_its_credit_note(shop: Shop) -> None:
    code = shop.quoted()
    handover.take_deposit(code, "30", "card", shop.counter, shop.tick())
    [charge] = ledger.charges_of(shop.job(code))
    ledger.reverse(code, charge.reference, key(), shop.manager, shop.tick())
    kinds = [one.paper.kind for one in invoices.papers_of(shop.job(code))]
    assert kinds == [InvoiceKind.DEPOSIT, InvoiceKind.CREDIT]


def test_a_device_that_goes_back_unrepaired_takes_its_card_s_deposit_with_it(
    shop: Shop, terminal: SimulatedTerminal
) -> None:
    code = shop.quoted()
    handover.take_deposit(code, "30", "card", shop.counter, shop.tick())
    handover.decline(code, "too dear", shop.counter, shop.tick())
    asked = {"returned": [], "explanation": "nothing", "method": "card", "kept_because": "looked at"}
    terminal.faults = frozenset({"declines"})
    with pytest.raises(MoveRefused):
        handover.return_unrepaired(code, refund="20", by=shop.counter, now=shop.tick(), **asked)
    assert shop.job(code).stage is Stage.DECLINED
    terminal.faults = frozenset()
    handover.return_unrepaired(code, refund="20", by=shop.counter, now=shop.tick(), **asked)
    assert gone_back(terminal) == refunded(shop, code) == 2_000
    assert shop.job(code).stage is Stage.RETURNED
    assert owed(shop, code) == 0
    kept = [one.amount_minor for one in ledger.rows_of(shop.job(code)) if one.kind is PaidFor.KEPT]
    assert kept == [1_000]


def test_a_deposit_that_was_found_later_holds_its_part(shop: Shop, terminal: SimulatedTerminal) -> None:
    code = shop.quoted()
    shop.receive("P-1001", 2)
    terminal.faults = frozenset({"timeout"})
    with pytest.raises(MoveRefused):
        handover.take_deposit(code, "30", "card", shop.counter, shop.tick())
    assert shop.job(code).stage is Stage.QUOTED
    terminal.faults = frozenset()
    ledger.reconcile_all(shop.tick(3))
    assert shop.job(code).stage is Stage.PART_IN_HAND
