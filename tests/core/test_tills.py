"""A day of the till: what must be in it, what was counted. Common practice, no source."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.handover.ledger import PaidFor
from sutura.core.handover.tills import CashRow, check_open, expected_of, read_count, read_float
from sutura.core.maths.money import Money

AT = datetime(2031, 3, 3, 9, tzinfo=UTC)
FOUR = Money(minor=400, currency="TAL")


def row(kind: PaidFor, minor: int) -> CashRow:
    return CashRow(at=AT, code="K7-4QX", kind=kind, amount_minor=minor, method="cash", who="Pell")


@given(
    st.integers(0, 50_000),
    st.lists(
        st.tuples(st.sampled_from([PaidFor.REST, PaidFor.DEPOSIT, PaidFor.REFUND]), st.integers(1, 50_000))
    ),
)
def test_what_must_be_in_it(start: int, drawn: list[tuple[PaidFor, int]]) -> None:
    rows = [row(kind, minor) for kind, minor in drawn]
    came = sum(minor for kind, minor in drawn if kind is not PaidFor.REFUND)
    went = sum(minor for kind, minor in drawn if kind is PaidFor.REFUND)
    assert expected_of(start, rows, "TAL").minor == start + came - went


def test_all_of_it_stays_where_nothing_is_said() -> None:
    read = read_count(FOUR, "4", "", "")
    assert (read.counted.minor, read.left.minor, read.difference.minor, read.note) == (400, 400, 0, "")
    assert read_count(FOUR, "4,00", "0", "").left.minor == 0
    assert read_count(FOUR, "4", "4", "").left.minor == 400


@pytest.mark.parametrize(
    ("counted", "left", "note", "wrong"),
    [
        ("3.99", "", "", {"note"}),
        ("4.01", "", "four", {"note"}),
        ("4.01", "", "found under the drawer", set()),
        ("3", "", "x" * 301, {"note"}),
        ("3", "", "x" * 300, set()),
        ("4", "4.01", "", {"left"}),
        ("x", "", "", {"counted"}),
        ("-1", "y", "", {"counted", "left"}),
        ("", "", "", {"counted"}),
    ],
)
def test_a_difference_has_its_reason(counted: str, left: str, note: str, wrong: set[str]) -> None:
    if wrong:
        with pytest.raises(ManyInvalid) as refused:
            read_count(FOUR, counted, left, note)
        assert {one.field for one in refused.value.problems} == wrong
    else:
        assert read_count(FOUR, counted, left, note).note == note


def test_no_till_holds_more_than_a_million() -> None:
    assert read_count(Money(minor=100_000_000, currency="TAL"), "1000000", "", "").left.minor == 100_000_000
    with pytest.raises(ManyInvalid):
        read_count(Money(minor=100_000_001, currency="TAL"), "1000000.01", "", "")


def test_the_difference_is_said_with_its_sign() -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_count(FOUR, "3", "", "")
    assert "−1.00 TAL" in said(refused.value.problems[0].accepts)
    assert read_count(FOUR, "5", "", "one too many").difference.minor == 100


def test_it_opens_with_what_is_in_it_and_once() -> None:
    assert read_float("150", "TAL") == 15_000
    assert read_float("0", "TAL") == 0
    assert read_float("1000000", "TAL") == 100_000_000
    for typed in ("", "x", "-1", "1000000.01"):
        with pytest.raises(ManyInvalid):
            read_float(typed, "TAL")
    check_open(False)
    with pytest.raises(Invalid):
        check_open(True)
