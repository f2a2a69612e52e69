"""Money, till and papers over HTTP: who may, what is refused and kept, and that a paper is what it says."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace

import pytest
from builders import HERON, Shop
from services.test_consumables import WIPES
from web.desk import Sit

from sutura.core.errors import Refusal
from sutura.core.handover.ledger import ChargeState, PaidFor
from sutura.core.job import Stage
from sutura.devices import plug
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.formats.ubl import read_invoice
from sutura.services import consumables, handover, invoices, ledger, tills
from sutura.store import tills as tills_store
from sutura.store.database import DATABASE, connection


@pytest.fixture
def terminal() -> Iterator[SimulatedTerminal]:
    made = SimulatedTerminal()
    plug(terminal=made)
    yield made
    plug(terminal=SimulatedTerminal())


@pytest.fixture
def job(floor: Shop) -> str:
    with connection():
        floor.receive("P-1001", 1)
        code = floor.closed(HERON)
        floor.look_at_sealed(code)
    return code


def test_a_part_is_paid_with_change_and_what_is_wrong_stays_entered(desks: Sit, job: str) -> None:
    pell = desks("pell")
    pell.get(f"/jobs/{job}/money")
    assert "Still owed" in pell.page
    assert "Write off" not in pell.page, "a manager's deed"
    refused = pell.post(f"/jobs/{job}/money", amount="40", method="cash", handed_over="30")
    assert refused.status_code == 422
    assert 'value="30"' in pell.page
    # Enter in a field presses no way of paying
    assert pell.post(f"/jobs/{job}/money", amount="40").status_code == 422
    assert "choose one of" in pell.page
    first = re.search(r"<button[^>]*>", pell.page[pell.page.index('name="amount"') - 900 :])
    assert first
    assert "unseen" in first[0]
    pell.post(f"/jobs/{job}/money", amount="40", method="cash", handed_over="50")
    assert "Change to give: 10.00" in pell.page
    assert pell.post(f"/jobs/{job}/money/off", write_off="1", why_off="does not pay").status_code == 403


def test_a_card_without_an_answer_is_asked_about_on_the_page(
    desks: Sit, floor: Shop, job: str, terminal: SimulatedTerminal
) -> None:
    pell = desks("pell")
    pell.get(f"/jobs/{job}/handover")
    with connection():
        whole = ledger.balance(floor.job(job)).owed
    amount = str(whole).split()[0]
    terminal.faults = frozenset({"timeout"})
    form = {"amount": amount, "method": "card", "explanation": "all of it"}
    assert pell.post(f"/jobs/{job}/handover", **form).status_code == 409
    assert "nobody knows" in pell.page
    pell.get(f"/jobs/{job}/money")
    assert "no answer came" in pell.page
    with connection():
        charge = ledger.charges_of(floor.job(job))[0]
    assert charge.state is ChargeState.UNKNOWN
    terminal.faults = frozenset()
    pell.post(f"/jobs/{job}/money/card/{charge.reference}")
    assert "Nothing is owed" in pell.page
    pell.get(f"/jobs/{job}/handover")
    pell.post(f"/jobs/{job}/handover", explanation="all of it")
    assert "Receipt" in pell.page
    with connection():
        assert floor.job(job).stage is Stage.HANDED_BACK


def test_a_form_of_a_card_sent_twice_charges_once_and_shows_the_receipt_twice(
    desks: Sit, floor: Shop, job: str, terminal: SimulatedTerminal
) -> None:
    pell = desks("pell")
    pell.get(f"/jobs/{job}/handover")
    with connection():
        amount = str(ledger.balance(floor.job(job)).owed).split()[0]
    form = {
        "csrf": pell.hidden("csrf"),
        "form_key": pell.hidden("form_key"),
        "amount": amount,
        "method": "card",
        "explanation": "all of it",
    }
    answers = [pell.client.post(f"/jobs/{job}/handover", data=form) for _ in range(2)]
    assert all(answer.url.path.endswith("/receipt") for answer in answers)
    with connection():
        assert len(ledger.charges_of(floor.job(job))) == 1
        assert len(ledger.rows_of(floor.job(job))) == 1


def test_a_paper_is_read_as_page_pdf_and_ubl_and_corrected(
    desks: Sit, floor: Shop, job: str, terminal: SimulatedTerminal
) -> None:
    ines = desks("ines")
    ines.get("/papers")
    set_up = {
        "name": "Kettle Lane",
        "country": "DE",
        "tax_id": "DE123456788",
        "mode": "inclusive",
        "coin": "1",
    }
    assert (
        ines.post("/papers/set-up", version=ines.hidden("version"), **{**set_up, "country": "x"}).status_code
        == 422
    )
    assert 'value="DE123456788"' in ines.page
    ines.post("/papers/set-up", _version=ines.hidden("version"), **set_up)
    assert ines.answer.status_code == 200
    with connection():
        floor.hand_back(job)
        number = invoices.papers_of(floor.job(job))[0].paper.number
    page = ines.get(f"/papers/{number}")
    assert "Not complete" not in ines.page
    assert "work, test and warranty" in page.text
    read = read_invoice(ines.client.get(f"/papers/{number}/paper.xml").content)
    with connection():
        # single payments stand on the page; the format knows their sum
        assert read == replace(invoices.paper(number).paper, paid=())
    assert ines.client.get(f"/papers/{number}/paper.pdf").content.startswith(b"%PDF")
    assert number in ines.client.get("/papers.csv").text
    wrong = ines.post(f"/papers/{number}/correct", buyer_name="V", buyer_country="DE", why="x")
    assert wrong.status_code == 422
    ines.post(f"/papers/{number}/correct", buyer_name="Venn Ltd", buyer_country="DE", why="wrong buyer")
    assert "Venn Ltd" in ines.page
    ines.get(f"/papers/{number}")
    assert "A credit note took it back" in ines.page
    assert ines.get("/papers/2031-99999").status_code == 404
    pell = desks("pell")
    assert pell.get("/papers").status_code == 403
    assert pell.get(f"/papers/{number}").status_code == 200


@pytest.mark.parametrize("key", ["", "x", "12345"])
def test_a_card_is_not_charged_by_a_form_without_its_key(desks: Sit, job: str, key: str) -> None:
    pell = desks("pell")
    pell.get(f"/jobs/{job}/money")
    answer = pell.client.post(
        f"/jobs/{job}/money/card", data={"csrf": pell.hidden("csrf"), "form_key": key, "amount": "1"}
    )
    assert answer.status_code in {403, 422}


def test_one_key_asks_the_terminal_for_one_amount(desks: Sit, job: str) -> None:
    pell = desks("pell")
    pell.get(f"/jobs/{job}/money")
    key = pell.hidden("form_key")
    assert pell.post(f"/jobs/{job}/money/card", amount="2", form_key=key).status_code == 200
    assert pell.post(f"/jobs/{job}/money/card", amount="2", form_key=key).status_code == 200
    answer = pell.post(f"/jobs/{job}/money/card", amount="3", form_key=key)
    assert answer.status_code == 422
    assert "asked the terminal for 2.00 TAL" in answer.text


def test_the_till_is_opened_counted_and_told(desks: Sit, floor: Shop, job: str) -> None:
    pell = desks("pell")
    with connection():
        ledger.pay(job, "5", "cash", "", floor.counter, floor.tick())
        page = tills.till_page(0, floor.counter, floor.now)
    assert page.till
    pell.get("/till")
    assert "There must be" in pell.page
    path = f"/till/{page.till.id}/close"
    expected = str(page.expected).split()[0].replace(",", "")
    refused = pell.post(path, counted="0.01")
    assert refused.status_code == 422
    assert "write why it differs" in pell.page
    pell.post(path, counted=expected, left="0")
    assert "Counted" in pell.page
    assert "opened with" in pell.client.get(f"/till/{page.till.id}/rows.csv").text
    pell.get("/till")
    assert "It is closed" in pell.page
    assert pell.post(path, counted=expected).status_code == 409
    pell.get("/till")
    pell.post("/till/open", float="10")
    assert "with <strong>10.00" in pell.page
    assert pell.get("/till/999999").status_code == 404


def test_of_two_who_open_the_till_at_once_one_is_told_so(floor: Shop) -> None:
    with connection(), DATABASE.atomic() as tried:
        page = tills.till_page(0, floor.counter, floor.now)
        if page.till:
            counted = str(page.expected).split()[0].replace(",", "")
            tills.close_till(page.till.id, {"counted": counted, "left": "0"}, floor.counter, floor.tick())
        tills.open_till({"float": "10"}, floor.counter, floor.tick())
        # the second saw no open till when it looked
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(tills_store, "share_open", lambda: None)
            with pytest.raises(Refusal):
                tills.open_till({"float": "20"}, floor.manager, floor.tick())
        tried.rollback()


def test_a_stale_count_of_a_consumable_is_refused_in_words(desks: Sit, floor: Shop) -> None:
    with connection():
        number = consumables.add_consumable(WIPES, floor.manager)
    ines = desks("ines")
    for deed, fields in (("count", {"counted": "3"}), ("order", {"packs": "1"}), ("change", {"place": "C9"})):
        ines.get("/consumables")
        answer = ines.post(f"/consumables/{number}/{deed}", version="0", of=number, **fields)
        assert answer.status_code == 409, deed


def _paid_by_card(floor: Shop, code: str, amount: str) -> None:
    with connection():
        ledger.charge(code, amount, PaidFor.REST, f"press-{code}", floor.counter, floor.tick())


def _refunds(floor: Shop, code: str) -> list[str]:
    with connection():
        return [one.state.value for one in ledger.refunds_of(floor.job(code))]


def _booked_back(floor: Shop, code: str) -> int:
    with connection():
        return sum(one.amount_minor for one in ledger.rows_of(floor.job(code)) if one.kind is PaidFor.REFUND)


BACK = {"give_back": "5", "why_back": "the customer waited", "method": "card"}


def test_what_the_terminal_was_asked_to_give_back_is_kept_whatever_comes_then(
    desks: Sit, floor: Shop, job: str, terminal: SimulatedTerminal
) -> None:
    """A refusal takes a deed back, but not what was asked outside of it."""
    _paid_by_card(floor, job, "20")
    ines = desks("ines")
    ines.get(f"/jobs/{job}/money")
    terminal.faults = frozenset({"timeout"})
    assert ines.post(f"/jobs/{job}/money/back", **BACK).status_code == 409
    assert _refunds(floor, job) == ["unknown"]
    terminal.faults = frozenset()
    with connection():
        ledger.reconcile_all(floor.tick(3))
    assert (_refunds(floor, job), _booked_back(floor, job)) == (["approved"], 500)
    assert "5.00 TAL went back to the card" in ines.get(f"/jobs/{job}/money").text


def test_a_refund_by_card_that_is_pressed_twice_goes_back_once(
    desks: Sit, floor: Shop, job: str, terminal: SimulatedTerminal
) -> None:
    _paid_by_card(floor, job, "20")
    ines = desks("ines")
    ines.get(f"/jobs/{job}/money")
    key = ines.hidden("form_key")
    # declined, and pressed again with the same form once the terminal is itself again
    terminal.faults = frozenset({"declines"})
    assert ines.post(f"/jobs/{job}/money/back", **BACK, form_key=key).status_code == 409
    terminal.faults = frozenset()
    for _ in range(3):
        assert ines.post(f"/jobs/{job}/money/back", **BACK, form_key=key).status_code == 200
    assert (_refunds(floor, job), _booked_back(floor, job)) == (["declined", "approved"], 500)


def test_a_device_that_goes_back_asks_the_terminal_before_and_once(
    desks: Sit, floor: Shop, terminal: SimulatedTerminal
) -> None:
    with connection():
        code = floor.quoted()
        handover.take_deposit(code, "30", "card", floor.counter, floor.tick())
        handover.decline(code, "too dear", floor.counter, floor.tick())
    pell = desks("pell")
    pell.get(f"/jobs/{code}/handover")
    key = pell.hidden("form_key")
    said = {"explanation": "nothing came", "refund": "20", "method": "card", "kept_because": "looked at"}
    terminal.faults = frozenset({"lost"})
    assert pell.post(f"/jobs/{code}/return", **said, form_key=key).status_code == 409
    assert _refunds(floor, code) == ["unknown"]
    terminal.faults = frozenset()
    with connection():
        ledger.reconcile_all(floor.tick(3))
        assert floor.job(code).stage is Stage.DECLINED
    for _ in range(2):
        assert pell.post(f"/jobs/{code}/return", **said, form_key=key).status_code == 200
    assert (_refunds(floor, code), _booked_back(floor, code)) == (["declined", "approved"], 2_000)
    with connection():
        assert floor.job(code).stage is Stage.RETURNED
