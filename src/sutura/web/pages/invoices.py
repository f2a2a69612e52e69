"""Papers with numbers: read, printed, handed out as PDF and UBL, corrected; what stands on them."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.handover.invoicing import Invoice, InvoiceKind, TaxMode, missing_of
from sutura.core.handover.parties import COINS, invoicing_kept
from sutura.core.maths.money import Money, amount_text
from sutura.core.people import Deed, may
from sutura.formats.invoices import invoice_pdf, invoices_csv, paid_says
from sutura.formats.ubl import write_invoice
from sutura.services import invoices
from sutura.services import shop as shop_service
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/papers", may=Deed.SEE_COST)
def papers_page(ask: Ask) -> Response:
    """The papers of a year."""
    return _papers(ask)


def _year(ask: Asking) -> int:
    """The year that is asked for; this one where none is."""
    asked = ask.request.query_params.get("year", "")
    return int(asked) if asked.isdecimal() and len(asked) == 4 else ask.now.astimezone(ask.zone).year


def _papers(ask: Asking, shown: Shown = ANEW) -> Response:
    asked = ask.request.query_params
    this_year, year = ask.now.astimezone(ask.zone).year, _year(ask)
    before = int(asked["before"]) if asked.get("before", "").isdecimal() and len(asked["before"]) < 10 else 0
    kept = invoices.papers_page(year, before, ask.person)
    record, papers = shop_service.shop(), invoices.invoicing()
    coin = {str(coin): amount_text(coin, record.currency) for coin in COINS}
    texts = {name: str(value) for name, value in invoicing_kept(papers).items()}
    return render(
        ask,
        "handover/papers.html",
        room="Book",
        shown=shown,
        entered=shown.over({**texts, "coin": texts["coin_minor"]}),
        papers=[
            (one, _gross(one.paper), ahead)
            for one, ahead in zip(kept, invoices.are_ahead(kept, ask.now), strict=True)
        ],
        year=year,
        this_year=this_year,
        more=kept[-1].id if len(kept) == invoices.MOST else 0,
        shop=record,
        modes=[
            (TaxMode.INCLUSIVE.value, "hold their tax"),
            (TaxMode.EXCLUSIVE.value, "are without tax, which comes on top"),
        ],
        coins=list(coin.items()),
        may_set_up=may(ask.person, Deed.SET_UP_COUNTER),
    )


def _gross(paper: Invoice) -> Money:
    gross = paper.total_minor
    return Money(minor=-gross if paper.kind is InvoiceKind.CREDIT else gross, currency=paper.currency)


@addresses.post("/papers/set-up", may=Deed.SET_UP_COUNTER)
@deed(then="/papers#set-up", again=_papers)
def set_up(ask: Ask, form: Form) -> None:
    names = ("name", "street", "town", "postcode", "country", "tax_id", "iban", "mode", "coin")
    invoices.change_invoicing(
        {name: form.text(name) for name in names}, form.number("_version"), ask.person, ask.now
    )


@addresses.get("/papers.csv", may=Deed.SEE_COST)
def papers_table(ask: Ask) -> Response:
    """Every paper of a year as a table, one row a rate."""
    year = _year(ask)
    table = invoices_csv([(one.code, one.paper) for one in invoices.all_of(year, ask.person)])
    headers = {"content-disposition": f'attachment; filename="papers-{year}.csv"'}
    return Response(table, media_type="text/csv; charset=utf-8", headers=headers)


@addresses.get("/papers/{number}", may=Anyone.SIGNED_IN)
def paper_page(ask: Ask, number: str) -> Response:
    return _paper(ask, number)


def _paper(ask: Asking, number: str, shown: Shown = ANEW) -> Response:
    kept = invoices.paper(number)
    paper = kept.paper

    def money(minor: int) -> Money:
        return Money(minor=minor, currency=paper.currency)

    return render(
        ask,
        "handover/paper.html",
        room="Book",
        shown=shown,
        speech=shop_service.speech_for(kept.job_id, ask.paper),
        kept=kept,
        paper=paper,
        lines=[(line, f"{line.bps / 100:g}", money(line.net_minor)) for line in paper.lines],
        taxes=[(f"{tax.bps / 100:g}", money(tax.net_minor), money(tax.tax_minor)) for tax in paper.taxes],
        net=money(paper.net_minor),
        gross=money(paper.gross_minor),
        rounding=money(paper.rounding_minor),
        prepaid=money(0 if paper.paid else paper.prepaid_minor),
        paid=[(paid_says(one), money(one.minor)) for one in paper.paid],
        payable=money(paper.payable_minor),
        missing=missing_of(paper),
        stands=invoices.stands(kept),
        ahead=invoices.are_ahead([kept], ask.now)[0],
        may_settle=may(ask.person, Deed.SETTLE),
    )


@addresses.post("/papers/{number}/correct", may=Deed.SETTLE)
@deed(then="/papers/{done}", again=_paper)
def correct(ask: Ask, number: str, form: Form) -> str:
    names = ("name", "street", "town", "postcode", "country", "tax_id")
    typed = {f"buyer_{name}": form.text(f"buyer_{name}") for name in names}
    return invoices.correct(number, typed, form.text("why"), ask.person, ask.now)


@addresses.get("/papers/{number}/paper.pdf", may=Anyone.SIGNED_IN)
def paper_pdf(ask: Ask, number: str) -> Response:
    kept = invoices.paper(number)
    file = invoice_pdf(kept.paper, shop_service.speech_for(kept.job_id, ask.paper).say)
    headers = {"content-disposition": f'inline; filename="{kept.paper.number}.pdf"'}
    return Response(file, media_type="application/pdf", headers=headers)


@addresses.get("/papers/{number}/paper.xml", may=Anyone.SIGNED_IN)
def paper_xml(number: str) -> Response:
    """UBL 2.1 after EN 16931."""
    kept = invoices.paper(number)
    headers = {"content-disposition": f'attachment; filename="{kept.paper.number}.xml"'}
    return Response(write_invoice(kept.paper), media_type="application/xml", headers=headers)
