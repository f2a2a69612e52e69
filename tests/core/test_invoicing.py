"""Papers: their lines, their numbers, what a shop and a buyer are called. What the standard asks is held by
its published rules in tests/formats/test_ubl.py.
"""

from __future__ import annotations

from datetime import date

import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import ManyInvalid
from sutura.core.handover.invoicing import (
    Fitted,
    Invoice,
    InvoiceKind,
    Item,
    Line,
    Party,
    Subtotal,
    TaxMode,
    credit_of,
    items_of,
    missing_of,
    number_of,
    sums_of,
)
from sutura.core.handover.parties import invoicing_from, invoicing_kept, read_buyer, read_invoicing
from sutura.core.maths.money import Money

SELLER = Party(name="Kettle Lane", country="DE", tax_id="DE123456788")
BUYER = Party(name="Orla Venn", country="DE")
TYPED = {
    "name": " Kettle Lane ",
    "street": "4 Ropewalk",
    "town": "Ashby",
    "postcode": "4410",
    "country": "de",
    "tax_id": "de 123 456788",
    "iban": "DE02 1203 0000 0000 2020 51",
    "mode": "exclusive",
    "coin": "5",
}


def eur(minor: int) -> Money:
    return Money(minor=minor, currency="EUR")


def invoice(price: int = 11_900, means: str = "cash", **changes: object) -> Invoice:
    items = items_of(eur(price), [(1900, 1)], [Fitted(name="Front", note="new", worth_minor=5_000)], "Work")
    sums = sums_of(eur(price), items, TaxMode.INCLUSIVE)
    plain: dict[str, object] = {
        "number": "2031-00007",
        "kind": InvoiceKind.INVOICE,
        "issued": date(2031, 3, 3),
        "currency": "EUR",
        "seller": SELLER,
        "buyer": BUYER,
        "lines": sums.lines,
        "taxes": sums.taxes,
        "means": means,
    }
    return Invoice(**{**plain, **changes})  # type: ignore[arg-type]


def test_parts_have_their_price_and_work_has_the_rest() -> None:
    lines = items_of(
        eur(10_000),
        [(1900, 1)],
        [
            Fitted(name="Front", note="new", worth_minor=3_000),
            Fitted(name="Flex", note="", worth_minor=1_000),
        ],
        "Work",
    )
    assert [(one.text, one.note, one.weight, one.bps) for one in lines] == [
        ("Front", "new", 3_000, 1900),
        ("Flex", "", 1_000, 1900),
        ("Work", "", 6_000, 1900),
    ]


def test_work_is_a_line_however_dear_the_part_and_a_part_without_price_shares_alike() -> None:
    dear = items_of(eur(1_000), [(0, 1)], [Fitted(name="Front", note="", worth_minor=9_999)], "Work")
    assert [one.weight for one in dear] == [900, 100]
    free = items_of(
        eur(1_000), [(2000, 600), (1000, 400)], [Fitted(name=n, note="", worth_minor=0) for n in "ab"], "Work"
    )
    assert [(one.weight, one.bps) for one in free] == [(300, 2000), (300, 2000), (400, 1000)]


def test_what_weighs_nothing_bears_no_tax() -> None:
    items = [Item(text="free", note="", weight=0, bps=700), Item(text="Work", note="", weight=10, bps=1900)]
    assert [one.bps for one in sums_of(eur(119), items, TaxMode.INCLUSIVE).taxes] == [1900]


def test_a_rate_that_deposits_hold_already_is_not_credited_again() -> None:
    lines = (
        Line(text="Front", note="", net_minor=100, bps=1900),
        Line(text="Work", note="", net_minor=50, bps=700),
        Line(text="Less", note="", net_minor=-100, bps=1900),
    )
    taxes = (Subtotal(bps=1900, net_minor=0, tax_minor=0), Subtotal(bps=700, net_minor=50, tax_minor=4))
    note = credit_of(invoice(lines=lines, taxes=taxes), "C1", date(2031, 4, 1), "goodwill", eur(11))
    assert [(one.bps, one.net_minor + one.tax_minor) for one in note.taxes] == [(700, 11)]
    assert [line.text for line in note.lines] == ["Work"]


def test_without_a_part_it_is_work_alone_at_the_rate_of_work() -> None:
    [only] = items_of(eur(1_000), [(700, 3), (1900, 1)], [], "Reseating")
    assert (only.text, only.bps) == ("Reseating", 1900)


@given(st.integers(1, 10**6), st.lists(st.integers(0, 10**6), min_size=1, max_size=4))
def test_lines_hold_all_of_the_price(price: int, worth: list[int]) -> None:
    parts = [Fitted(name=str(n), note="", worth_minor=minor) for n, minor in enumerate(worth)]
    items = items_of(eur(price), [(1900, 1)], parts, "Work")
    assert sum(one.weight for one in items) == price
    assert min(one.weight for one in items) >= 0
    sums = sums_of(eur(price), items, TaxMode.INCLUSIVE)
    assert sum(line.net_minor for line in sums.lines) + sums.taxes[0].tax_minor == price


def test_numbers_count_within_a_year_and_credit_apart() -> None:
    assert number_of(InvoiceKind.INVOICE, 2031, 1) == "2031-00001"
    assert number_of(InvoiceKind.DEPOSIT, 2031, 99_999) == "2031-99999"
    assert number_of(InvoiceKind.CREDIT, 2031, 100_000) == "C2031-100000"


def test_what_is_still_to_pay() -> None:
    paper = invoice(prepaid_minor=1_900, rounding_minor=3)
    assert (paper.net_minor, paper.tax_minor, paper.gross_minor, paper.payable_minor) == (
        10_000,
        1_900,
        11_900,
        10_003,
    )


def test_a_credit_takes_all_back_or_a_part_in_its_shares() -> None:
    paper = invoice(prepaid_minor=1_900)
    whole = credit_of(paper, "C1", date(2031, 4, 1), "wrong")
    same = credit_of(paper, "C1", date(2031, 4, 1), "wrong", eur(11_900))
    assert whole == same
    assert (whole.lines, whole.prepaid_minor, whole.means, whole.note) == (paper.lines, 0, "", "wrong")
    part = credit_of(paper, "C2", date(2031, 4, 1), "goodwill", eur(1_190))
    assert (part.gross_minor, part.tax_minor) == (1_190, 190)
    shares = [line.net_minor / paper.net_minor for line in paper.lines]
    for line, share in zip(part.lines, shares, strict=True):
        assert abs(line.net_minor - 1_000 * share) <= 1


@pytest.mark.parametrize(
    ("changes", "count"),
    [
        ({}, 0),
        ({"seller": Party(name="K", country="", tax_id="DE1")}, 1),
        ({"seller": Party(name="K", country="DE")}, 1),
        ({"buyer": Party(name="O", country="DEU")}, 1),
        ({"means": "transfer"}, 1),
        ({"means": "transfer", "iban": "DE1"}, 0),
        (
            {
                "seller": Party(name="K", country="DE"),
                "lines": (Line(text="x", note="", net_minor=1, bps=0),),
                "taxes": (Subtotal(bps=0, net_minor=1, tax_minor=0),),
            },
            0,
        ),
    ],
)
def test_what_a_paper_lacks(changes: dict[str, object], count: int) -> None:
    missing = missing_of(invoice(**changes))  # type: ignore[arg-type]
    assert len(missing) == count
    assert all(said(one) for one in missing)


def test_what_a_shop_says_of_its_papers_is_read_tidy_and_kept() -> None:
    read = read_invoicing(TYPED)
    assert read.seller == Party(
        name="Kettle Lane",
        street="4 Ropewalk",
        town="Ashby",
        postcode="4410",
        country="DE",
        tax_id="DE123456788",
    )
    assert (read.iban, read.mode, read.coin_minor) == ("DE02120300000000202051", TaxMode.EXCLUSIVE, 5)
    assert invoicing_from(invoicing_kept(read), "other", "else") == read
    plain = invoicing_from({}, "Lindqvay", "4 Ropewalk")
    assert (plain.seller.name, plain.seller.street, plain.mode, plain.coin_minor) == (
        "Lindqvay",
        "4 Ropewalk",
        TaxMode.INCLUSIVE,
        1,
    )


@pytest.mark.parametrize(
    ("field", "text", "right"),
    [
        ("name", "K", False),
        ("name", "Ke", True),
        ("name", "x" * 120, True),
        ("name", "x" * 121, False),
        ("street", "x" * 121, False),
        ("country", "D", False),
        ("country", "D1", False),
        ("country", "Dé", False),
        ("tax_id", "", True),
        ("tax_id", "DE1", False),
        ("tax_id", "DE12", True),
        ("tax_id", "1234", False),
        ("tax_id", "DE" + "1" * 18, True),
        ("tax_id", "DE" + "1" * 19, False),
        ("tax_id", "DE-12", False),
        ("iban", "", True),
        ("iban", "DE02120300000000202052", False),
        ("mode", "both", False),
        ("coin", "3", False),
        *(("coin", coin, True) for coin in ("1", "5", "10", "20", "50", "100")),
    ],
)
def test_what_can_be_said(field: str, text: str, right: bool) -> None:
    typed = {**TYPED, field: text}
    if right:
        read_invoicing(typed)
    else:
        with pytest.raises(ManyInvalid) as refused:
            read_invoicing(typed)
        assert [one.field for one in refused.value.problems] == [field]


@pytest.mark.parametrize(
    ("why", "right"), [("", False), ("four", False), ("seven", True), ("x" * 300, True), ("x" * 301, False)]
)
def test_a_correction_says_who_and_why(why: str, right: bool) -> None:
    typed = {"buyer_name": "Venn Ltd", "buyer_country": "at"}
    if right:
        assert read_buyer(typed, why) == Party(name="Venn Ltd", country="AT")
    else:
        with pytest.raises(ManyInvalid):
            read_buyer(typed, why)
