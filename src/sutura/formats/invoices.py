"""Invoices and credit notes as PDF, by reportlab; and a list of them as CSV."""

from __future__ import annotations

import csv
from collections.abc import Callable, Sequence
from html import escape
from io import BytesIO, StringIO

from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from sutura.core.facts import Fact, Say, fact
from sutura.core.handover.invoicing import Invoice, InvoiceKind, PaidBy, Party
from sutura.core.maths.money import Money, amount_text
from sutura.formats.labels import BOLD, PLAIN, load_fonts

Speak = Callable[[Say], str]
_WIDTHS = (96 * mm, 20 * mm, 24 * mm, 30 * mm)


def invoice_pdf(invoice: Invoice, say: Speak) -> bytes:
    """A paper on A4, with every date in full; `say` speaks the customer's language."""
    load_fonts()
    plain = ParagraphStyle("plain", fontName=PLAIN, fontSize=9.5, leading=13)
    small = ParagraphStyle("small", parent=plain, fontSize=8.5, leading=11)
    right = ParagraphStyle("right", parent=plain, alignment=TA_RIGHT)
    strong = ParagraphStyle("strong", parent=right, fontName=BOLD)
    head = ParagraphStyle("head", parent=plain, fontName=BOLD, fontSize=17, leading=22)

    def line(text: str, style: ParagraphStyle = plain) -> Paragraph:
        return Paragraph(escape(text).replace("\n", "<br/>"), style)

    def money(minor: int) -> str:
        return say(fact("papers.amount", amount=Money(minor=minor, currency=invoice.currency)))

    rows: list[list[Flowable]] = [
        [
            line(say(fact("papers.what"))),
            *(
                line(say(one), right)
                for one in (fact("papers.rate"), fact("papers.quantity"), fact("papers.net"))
            ),
        ]
    ]
    for one in invoice.lines:
        text = f"{one.text}\n{one.note}" if one.note else one.text
        rate = say(fact("papers.percent", percent=f"{one.bps / 100:g}"))
        rows.append(
            [
                line(text),
                line(rate, right),
                line("−1" if one.net_minor < 0 else "1", right),
                line(money(one.net_minor), right),
            ]
        )
    sums = [
        [line(text, style), line(money(minor), style)]
        for text, minor, style in _sums(invoice, say, right, strong)
    ]
    body: list[Flowable] = [
        line(_address(invoice.seller), small),
        Spacer(1, 10 * mm),
        line(_address(invoice.buyer)),
        Spacer(1, 10 * mm),
        line(say(fact("papers.title", kind=invoice.kind, number=invoice.number)), head),
        line(say(fact("papers.of", day=invoice.issued, job=invoice.reference))),
    ]
    if invoice.supplied:
        body.append(line(say(fact("papers.supplied", day=invoice.supplied))))
    if invoice.refers_to:
        body.append(line(say(fact("papers.takes-back", number=invoice.refers_to))))
    if invoice.note:
        body.append(line(invoice.note))
    body += [
        Spacer(1, 6 * mm),
        Table(rows, colWidths=_WIDTHS, repeatRows=1, style=_lined(len(rows))),
        Spacer(1, 3 * mm),
        Table(sums, colWidths=(140 * mm, 30 * mm)),
        Spacer(1, 8 * mm),
        line(say(fact("papers.law")), small),
    ]
    file = BytesIO()
    SimpleDocTemplate(
        file,
        pagesize=A4,
        leftMargin=20 * mm,
        rightMargin=20 * mm,
        topMargin=18 * mm,
        bottomMargin=18 * mm,
        title=invoice.number,
        author=invoice.seller.name,
        invariant=1,
    ).build(body)
    return file.getvalue()


def _lined(rows: int) -> TableStyle:
    return TableStyle(
        [
            ("VALIGN", (0, 0), (-1, -1), "TOP"),
            ("LINEBELOW", (0, 0), (-1, 0), 0.8, "#444444"),
            *[("LINEBELOW", (0, row), (-1, row), 0.3, "#bbbbbb") for row in range(1, rows)],
        ]
    )


def _sums(
    invoice: Invoice, say: Speak, right: ParagraphStyle, strong: ParagraphStyle
) -> list[tuple[str, int, ParagraphStyle]]:
    """The sums below the lines: without tax, each rate, the whole, what was paid before, what is to pay."""
    sums = [(say(fact("papers.net-sum")), invoice.net_minor, right)]
    for tax in invoice.taxes:
        net = Money(minor=tax.net_minor, currency=invoice.currency)
        said = fact("papers.tax-on", percent=f"{tax.bps / 100:g}", net=net)
        sums.append((say(said), tax.tax_minor, right))
    sums.append((say(fact("papers.gross")), invoice.gross_minor, strong))
    if invoice.rounding_minor:
        sums.append((say(fact("papers.rounding")), invoice.rounding_minor, right))
    for one in invoice.paid:
        sums.append((say(paid_says(one)), one.minor, right))
    if invoice.prepaid_minor and not invoice.paid:
        sums.append((say(fact("papers.prepaid")), invoice.prepaid_minor, right))
    kind = "papers.given" if invoice.kind is InvoiceKind.CREDIT else "papers.payable"
    sums.append((say(fact(kind)), invoice.payable_minor, strong))
    return sums


def paid_says(paid: PaidBy) -> Fact:
    """How and when something was paid, or went back."""
    said = "papers.paid-on" if paid.minor >= 0 else "papers.back-on"
    return fact(said, method=paid.method or "–", day=paid.on)


def _address(party: Party) -> str:
    town = f"{party.postcode} {party.town}".strip()
    lines = (party.name, party.street, town, party.country if party.country != "ZZ" else "", party.tax_id)
    return "\n".join(line for line in lines if line)


def invoices_csv(papers: Sequence[tuple[str, Invoice]]) -> str:
    """Papers with their jobs as a table: one row a rate, amounts as numbers; credit notes below zero."""
    file = StringIO()
    rows = csv.writer(file, lineterminator="\r\n")
    rows.writerow(["number", "kind", "date", "job", "currency", "rate", "net", "tax", "gross", "corrects"])
    for job, paper in papers:
        sign = -1 if paper.kind is InvoiceKind.CREDIT else 1
        for tax in paper.taxes:
            amounts = (tax.net_minor, tax.tax_minor, tax.net_minor + tax.tax_minor)
            rows.writerow(
                [
                    paper.number,
                    paper.kind.value,
                    paper.issued.isoformat(),
                    job,
                    paper.currency,
                    f"{tax.bps / 100:g}",
                    *(plain_amount(sign * minor, paper.currency) for minor in amounts),
                    paper.refers_to,
                ]
            )
    return file.getvalue()


def plain_amount(minor: int, currency: str) -> str:
    """An amount as programs read it, with a hyphen below zero."""
    return amount_text(minor, currency).replace("−", "-")
