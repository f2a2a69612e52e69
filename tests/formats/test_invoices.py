"""Papers as PDF, read back by another library (pypdfium2); and as a table."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import date
from zoneinfo import ZoneInfo

import pypdfium2
from babel import Locale
from formats.test_ubl import made, work_and_part

from sutura.core.handover.invoicing import InvoiceKind, TaxMode, credit_of
from sutura.formats.invoices import invoice_pdf, invoices_csv
from sutura.words.speech import Speech

ENGLISH = Speech(zone=ZoneInfo("Etc/UTC"), paper=True)
GERMAN = Speech(zone=ZoneInfo("Etc/UTC"), locale=Locale("de"), paper=True)


def text_of(file: bytes) -> str:
    pages = pypdfium2.PdfDocument(file)
    text = " ".join(page.get_textpage().get_text_range() for page in pages)
    return re.sub(r"\s+", " ", text)


def test_a_paper_says_everything_with_its_whole_date() -> None:
    paper = replace(
        made(14_993, work_and_part(5_000, 9_990), TaxMode.EXCLUSIVE, prepaid=3_000), note="As agreed"
    )
    text = text_of(invoice_pdf(paper, ENGLISH.say))
    for says in (
        "Invoice 2031-00001",
        "03.03.2031",
        "K7-4QX",
        "Orla Venn",
        "genuine pulled",
        "DE123456788",
        "As agreed",
    ):
        assert says in text, text
    assert "Paid before" in text
    assert "119.93" in text, "what is still to pay"
    assert "today" not in text


def test_a_credit_note_names_what_it_takes_back() -> None:
    paper = credit_of(
        made(11_900, work_and_part(1, 1)), "C2031-00003", date(2031, 5, 6), "wrong <buyer> & name"
    )
    text = text_of(invoice_pdf(paper, ENGLISH.say))
    assert "Credit note C2031-00003" in text
    assert "Takes back 2031-00001" in text
    assert "wrong <buyer> & name" in text
    assert paper.kind is InvoiceKind.CREDIT


def test_many_lines_go_on_over_pages() -> None:
    items = [replace(work_and_part(1, 1)[0], text=f"Part number {n}") for n in range(70)]
    file = invoice_pdf(made(700_000, items), ENGLISH.say)
    assert len(pypdfium2.PdfDocument(file)) > 1
    text = text_of(file)
    assert all(f"Part number {n} " in text for n in range(70))


def test_a_table_has_a_row_for_each_rate_and_credit_below_zero() -> None:
    paper = made(14_990, work_and_part(5_000, 9_990, 1900, 700))
    credit = credit_of(paper, "C2031-00001", date(2031, 3, 4), "all of it")
    rows = invoices_csv([("K7-4QX", paper), ("K7-4QX", credit)]).strip().split("\r\n")
    assert len(rows) == 5
    gross = [float(row.split(",")[8]) for row in rows[1:]]
    assert round(sum(gross), 2) == 0
    assert round(sum(gross[:2]), 2) == 149.90
