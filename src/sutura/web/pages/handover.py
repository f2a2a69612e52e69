"""Handing back, returning unrepaired, and the receipt."""

from __future__ import annotations

from collections.abc import Collection

from fastapi.responses import Response

from sutura.core.errors import NotFound, Refusal
from sutura.core.facts import fact
from sutura.core.handover.giving import aftercare, done_by, not_promised, scanned
from sutura.core.handover.ledger import Method, PaidFor, in_coins
from sutura.core.intake.arrival import PAD
from sutura.core.job import EventKind, Stage
from sutura.core.maths.money import Money, amount_text
from sutura.core.people import Deed
from sutura.core.quoting.taxes import tax_lines, taxes_from
from sutura.services import comebacks, cores, handover, invoices, ledger, looks, records
from sutura.services import job as job_service
from sutura.services import shop as shop_service
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.errors import status_of
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/jobs/{code}/handover", may=Deed.TAKE_IN)
def handover_page(ask: Ask, code: str) -> Response:
    return _page(ask, code)


def _page(
    ask: Asking, code: str, shown: Shown = ANEW, *, ticked: Collection[int] = (), scanning: bool = False
) -> Response:
    page = job_service.job_page(code, ask.now)
    currency = page.job.currency
    owed = page.balance.owed
    due = Money(minor=abs(owed.minor), currency=currency)
    coins = in_coins(page.balance.due, invoices.invoicing().coin_minor)
    charges = ledger.charges_of(page.job)
    return render(
        ask,
        "handover/handover.html",
        room="Counter",
        shown=shown,
        page=page,
        job=page.job,
        owed=owed,
        due=due,
        due_text=amount_text(due.minor, currency),
        coins=coins if coins.minor != page.balance.due.minor else None,
        open_charge=ledger.open_of(charges, ledger.refunds_of(page.job) if charges else []),
        had_text=amount_text(page.had.minor, currency),
        handed_back=page.job.stage is Stage.HANDED_BACK,
        methods=[method.value for method in Method],
        screens=[("handed_back", "goes with the customer"), ("recycled", "goes to recycling")],
        core=cores.kept_of(page.job.id),
        ready=page.job.stage is Stage.CLOSED,
        waits=looks.not_ready(page.job, page.model, ask.now),
        declined=page.job.stage is Stage.DECLINED,
        pad=PAD,
        ticked=ticked,
        scanning=scanning,
        cards=handover.cards_in_tray(page.job, page.accessories),
    )


@addresses.post("/jobs/{code}/handover/scan", may=Deed.TAKE_IN)
def scan(ask: Ask, code: str, form: Form) -> Response:
    """What is kept behind a label is ticked; nothing is kept or handed out by it."""
    page = job_service.job_page(code, ask.now)
    try:
        ticked = scanned(code, page.accessories, form.text("scan"))
    except Refusal as refusal:
        again = Shown(sent=form, refusal=refusal, status=status_of(refusal))
        return _page(ask, code, again, scanning=True)
    return _page(ask, code, Shown(sent=form), ticked=ticked, scanning=True)


def _said(ask: Asking, form: Form) -> handover.HandBack:
    """What was said when a device is handed back."""
    return handover.HandBack(
        returned=form.numbers("returned"),
        explanation=form.text("explanation"),
        way_back=form.text("way_back"),
        let_go=form.text("let_go"),
        amount=form.text("amount"),
        method=form.text("method"),
        old_screen=form.text("old_screen"),
        handed_over=form.text("handed_over"),
        how=form.text("how"),
        collector=form.text("name"),
        ticket=form.text("ticket"),
        address=form.text("address"),
        carrier=form.text("carrier"),
        insured=form.text("insured"),
        signature=form.text("signature"),
        cards=bool(form.text("cards")),
        reference=form.text("form_key")[:40],
        today=ask.now.astimezone(ask.zone).date(),
    )


def _card_first(ask: Ask, code: str, form: Form) -> None:
    """What is paid by card is charged before; what the terminal was asked is kept whatever comes then."""
    handover.pay_by_card(code, _said(ask, form), ask.person, ask.now)


@addresses.post("/jobs/{code}/handover", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}/receipt", again=_page, before=_card_first)
def hand_back(ask: Ask, code: str, form: Form) -> None:
    handover.give(code, _said(ask, form), ask.person, ask.now)


def _unrepaired(form: Form) -> handover.Unrepaired:
    """What was said when a device goes back as it came."""
    return handover.Unrepaired(
        returned=form.numbers("returned"),
        explanation=form.text("explanation"),
        way_back=form.text("way_back"),
        refund=form.text("refund"),
        method=form.text("method"),
        kept_because=form.text("kept_because"),
        reference=form.text("form_key")[: ledger.MOST_KEY],
    )


def _to_card_first(ask: Ask, code: str, form: Form) -> None:
    """What goes back to a card goes before; what the terminal was asked is kept whatever comes then."""
    handover.refund_to_card(code, _unrepaired(form), ask.person, ask.now)


@addresses.post("/jobs/{code}/return", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}", again=_page, before=_to_card_first)
def return_unrepaired(ask: Ask, code: str, form: Form) -> None:
    handover.give_unrepaired(code, _unrepaired(form), ask.person, ask.now)


@addresses.get("/jobs/{code}/receipt", may=Anyone.SIGNED_IN)
def receipt(ask: Ask, code: str) -> Response:
    page = job_service.job_page(code, ask.now)
    job = page.job
    if job.stage is Stage.RETURNED:
        return _returned(ask, page)
    if job.chosen.tax_bps is None or job.chosen.price_minor is None:
        raise NotFound("receipt of job", code)
    if job.stage is not Stage.HANDED_BACK:
        raise NotFound("receipt of job", code)
    let_pass, went = looks.let_pass_of(job), looks.went_early(job)
    price = Money(minor=job.chosen.price_minor, currency=job.currency)
    lines = tax_lines(price, taxes_from(job.chosen.taxes, job.chosen.tax_bps))
    return render(
        ask,
        "handover/receipt.html",
        speech=shop_service.speech_for(job.id, ask.paper),
        page=page,
        job=job,
        price=price,
        taxes=[(f"{line.bps / 100:g}", line) for line in lines],
        net=price - Money(minor=sum(line.tax.minor for line in lines), currency=price.currency),
        paid=[
            (one, Money(minor=one.amount_minor, currency=one.currency), one.kind is PaidFor.REFUND)
            for one in page.payments
        ],
        papers=invoices.papers_of(job),
        change=_change(page),
        out=handover.handed_out(job),
        terms=comebacks.terms_at(job.closing.finished_at or ask.now),
        warranty=comebacks.standing_of(job, ask.now),
        served=next((one.who for one in reversed(page.events) if one.kind is EventKind.HANDED_BACK), ""),
        shop=shop_service.shop(),
        done=done_by(page.model.way(job.chosen.route).name, handover.fitted(job)),
        avoid=aftercare(sealed=page.model.seal != "", cure_minutes=looks.cure_of(job, page.model)),
        not_promised=not_promised(
            sealed_device=page.model.seal != "",
            passed=let_pass.names if let_pass else (),
            reason=let_pass.reason if let_pass else "",
        ),
        let_pass=records.let_pass(job),
        went=fact("handover.went-early", reason=went.reason.rstrip("."), waits=tuple(went.waits))
        if went
        else None,
    )


def _returned(ask: Asking, page: job_service.JobPage) -> Response:
    """The receipt of a device that went back unrepaired."""
    gave_up = (EventKind.GIVEN_UP, EventKind.DECLINED)
    why = next((event.facts.get("reason") for event in reversed(page.events) if event.kind in gave_up), "")
    returned = (one.who for one in reversed(page.events) if one.kind is EventKind.RETURNED)
    return render(
        ask,
        "handover/returned.html",
        speech=shop_service.speech_for(page.job.id, ask.paper),
        page=page,
        job=page.job,
        why=why,
        papers=invoices.papers_of(page.job),
        let_pass=records.let_pass(page.job),
        shop=shop_service.shop(),
        served=next(returned, ""),
    )


def _change(page: job_service.JobPage) -> Money:
    """The change that was to give when it was handed back."""
    events = [event for event in page.events if event.kind is EventKind.HANDED_BACK]
    minor = int(events[-1].facts.get("change_minor", 0)) if events else 0
    return Money(minor=minor, currency=page.job.currency)


@addresses.post("/jobs/{code}/parcel-label", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}/receipt", again=_page, outside=True)
def print_parcel_label(ask: Ask, code: str) -> None:
    handover.print_parcel_label(code, ask.person)
