"""The money of a job: what is owed, what came and went, cards through the terminal."""

from __future__ import annotations

from collections.abc import Callable

from fastapi.responses import JSONResponse, RedirectResponse, Response

from sutura.core.errors import NotAllowed, NotFound, Refusal
from sutura.core.handover.ledger import Method, PaidFor, in_coins
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, may
from sutura.services import invoices, ledger
from sutura.services import job as job_service
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.errors import status_of
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
# while the terminal is being asked
FOLLOWED = "This page follows by itself."


@addresses.get("/jobs/{code}/money", may=Anyone.SIGNED_IN)
def money_page(ask: Ask, code: str) -> Response:
    return _page(ask, code)


def _page(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = job_service.job_page(code, ask.now)
    balance = page.balance
    due, coins = balance.due, in_coins(balance.due, invoices.invoicing().coin_minor)
    charges = ledger.charges_of(page.job)
    # nothing goes back to a card where nothing came by one
    refunds = ledger.refunds_of(page.job) if charges else []
    left_on = ledger.left_on_cards(page.job) if charges else {}
    return render(
        ask,
        "handover/money.html",
        room="Counter",
        shown=shown,
        page=page,
        job=page.job,
        balance=balance,
        due_text=amount_text(due.minor, due.currency),
        coins=coins if coins.minor != due.minor else None,
        coins_text=amount_text(coins.minor, coins.currency),
        back_text=amount_text(balance.back.minor, due.currency),
        back_ways=[
            way.value
            for way in Method
            if way is not Method.CARD or any(left.minor for left in left_on.values())
        ],
        charges=charges,
        followed=FOLLOWED,
        open_charge=ledger.open_of(charges, refunds),
        refunds=refunds,
        left_on=left_on,
        may_settle=may(ask.person, Deed.SETTLE),
        papers=invoices.papers_of(page.job),
        change=ask.request.query_params.get("change", ""),
    )


@addresses.post("/jobs/{code}/money", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}/money?change={done}", again=_page)
def pay(ask: Ask, code: str, form: Form) -> str:
    """Cash or a transfer; the change to give."""
    change = ledger.pay(
        code, form.text("amount"), form.text("method"), form.text("handed_over"), ask.person, ask.now
    )
    return amount_text(change.minor, change.currency) if change.minor else ""


def _at_terminal(ask: Asking, code: str, form: Form, act: Callable[[], object]) -> Response:
    """What asks the terminal is no deed of one transaction: it is once by what it keeps itself, whatever is
    refused then.
    """
    try:
        act()
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _page(ask, code, Shown(refusal=refusal, status=status_of(refusal), sent=form))
    return RedirectResponse(f"/jobs/{code}/money", status_code=303)


@addresses.post("/jobs/{code}/money/card", may=Deed.TAKE_IN)
def charge(ask: Ask, code: str, form: Form) -> Response:
    key = form.text("form_key")[:40]
    return _at_terminal(
        ask,
        code,
        form,
        lambda: ledger.charge(code, form.text("amount"), PaidFor.REST, key, ask.person, ask.now),
    )


@addresses.get("/jobs/{code}/money/card/{reference}", may=Deed.TAKE_IN)
def charge_state(ask: Ask, code: str, reference: str) -> Response:
    """Whether the terminal has answered: asked by a page that follows it."""
    state = ledger.state_of(code, reference, ask.person)
    return JSONResponse({"state": state.value, "done": 0, "total": 0, "at_it": True, "says": FOLLOWED})


@addresses.post("/jobs/{code}/money/card/{reference}", may=Deed.TAKE_IN)
def ask_terminal(ask: Ask, code: str, reference: str, form: Form) -> Response:
    """What came of something that nobody knows of."""
    return _at_terminal(ask, code, form, lambda: ledger.reconcile(code, reference, ask.person, ask.now))


@addresses.post("/jobs/{code}/money/card/{reference}/back", may=Deed.SETTLE)
def reverse(ask: Ask, code: str, reference: str, form: Form) -> Response:
    key = form.text("form_key")[: ledger.MOST_KEY]
    return _at_terminal(ask, code, form, lambda: ledger.reverse(code, reference, key, ask.person, ask.now))


def _to_card_first(ask: Ask, code: str, form: Form) -> None:
    """What goes back to a card goes through the terminal, before and not in the deed."""
    if form.text("method") == Method.CARD:
        key = form.text("form_key")[: ledger.MOST_KEY]
        ledger.give_back_to_card(
            code, form.text("give_back"), form.text("why_back"), key, ask.person, ask.now
        )


@addresses.post("/jobs/{code}/money/back", may=Deed.SETTLE)
@deed(then="/jobs/{code}/money", again=_page, before=_to_card_first)
def give_back(ask: Ask, code: str, form: Form) -> None:
    """In cash or by transfer: what went to a card is booked by then."""
    if form.text("method") != Method.CARD:
        ledger.give_back(
            code, form.text("give_back"), form.text("method"), form.text("why_back"), ask.person, ask.now
        )


@addresses.post("/jobs/{code}/money/off", may=Deed.SETTLE)
@deed(then="/jobs/{code}/money", again=_page)
def write_off(ask: Ask, code: str, form: Form) -> None:
    ledger.write_off(code, form.text("write_off"), form.text("why_off"), ask.person, ask.now)
