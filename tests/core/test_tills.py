"""A day of the till: what must be in it, what was counted. Common practice, no source."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.handover.ledger import PaidFor
from sutura.core.handover.tills import (
    MOST_PIECES,
    CashRow,
    Counted,
    check_open,
    expected_of,
    pieces_of,
    read_count,
    read_float,
)
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


def count(counted: str, left: str = "", note: str = "", **pieces: str) -> Counted:
    return read_count(FOUR, {"counted": counted, "left": left, "note": note, **pieces})


def test_all_of_it_stays_where_nothing_is_said() -> None:
    read = count("4")
    assert (read.counted.minor, read.left.minor, read.difference.minor, read.note) == (400, 400, 0, "")
    assert count("4,00", "0").left.minor == 0
    assert count("4", "4").left.minor == 400


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
            count(counted, left, note)
        assert {one.field for one in refused.value.problems} == wrong
    else:
        assert count(counted, left, note).note == note


def test_no_till_holds_more_than_a_million() -> None:
    assert (
        read_count(Money(minor=100_000_000, currency="TAL"), {"counted": "1000000"}).left.minor == 100_000_000
    )
    with pytest.raises(ManyInvalid):
        read_count(Money(minor=100_000_001, currency="TAL"), {"counted": "1000000.01"})


def test_the_difference_is_said_with_its_sign() -> None:
    with pytest.raises(ManyInvalid) as refused:
        count("3")
    assert "−1.00 TAL" in said(refused.value.problems[0].accepts)
    assert count("5", "", "one too many").difference.minor == 100


def test_it_opens_with_what_is_in_it_and_once() -> None:
    assert read_float({"float": "150"}, "TAL") == 15_000
    assert read_float({"float": "0"}, "TAL") == 0
    assert read_float({"float": "1000000"}, "TAL") == 100_000_000
    for typed in ("", "x", "-1", "1000000.01"):
        with pytest.raises(ManyInvalid):
            read_float({"float": typed}, "TAL")
    check_open(False)
    with pytest.raises(Invalid):
        check_open(True)


@given(
    st.dictionaries(st.sampled_from(pieces_of("TAL", 5)), st.integers(0, 300), min_size=1), st.integers(0, 99)
)
def test_coins_and_notes_are_added_up(drawn: dict[int, int], beside: int) -> None:
    """The judge: as many coins laid in a row, one by one."""
    row_of = sum(worth for worth, many in drawn.items() for _ in range(many)) + beside
    typed = {f"piece.{worth}": str(many) for worth, many in drawn.items()}
    typed |= {"counted": f"0.{beside:02d}" if beside else "", "note": "as it was counted"}
    read = read_count(FOUR, typed, 5)
    assert read.counted.minor == row_of
    assert read.difference.minor == row_of - 400
    assert read.pieces == {worth: many for worth, many in drawn.items() if many}
    assert read_float({**typed, "float": typed["counted"]}, "TAL", 5) == row_of


def test_there_are_ones_twos_and_fives_from_the_smallest_coin_to_the_largest_note() -> None:
    """Euro coins and notes as the European Central Bank names them: 1 cent to 500 euro."""
    euro = (50000, 20000, 10000, 5000, 2000, 1000, 500, 200, 100, 50, 20, 10, 5, 2, 1)
    assert pieces_of("EUR", 1) == euro
    assert pieces_of("EUR", 5) == euro[:-2]
    assert pieces_of("JPY", 1)[:3] == (10_000, 5_000, 2_000)
    assert pieces_of("BHD", 5)[0] == 50_000
    assert pieces_of("BHD", 5)[-1] == 5


@pytest.mark.parametrize(
    ("typed", "field"),
    [
        ({"piece.500": "x"}, "piece.500"),
        ({"piece.500": "-1"}, "piece.500"),
        ({"piece.500": str(MOST_PIECES + 1)}, "piece.500"),
        ({"piece.50000": "2001"}, "counted"),
        ({"piece.500": "1", "counted": "x"}, "counted"),
    ],
)
def test_a_count_that_cannot_be_is_refused_where_it_stands(typed: dict[str, str], field: str) -> None:
    for note in ("as it was counted", ""):
        with pytest.raises(ManyInvalid) as refused:
            read_count(FOUR, {**typed, "note": note})
        assert [one.field for one in refused.value.problems] == [field]


def test_a_piece_that_there_is_not_is_not_counted() -> None:
    assert read_count(FOUR, {"piece.300": "7", "counted": "4"}).counted.minor == 400
    assert read_count(FOUR, {"piece.200": "2"}).counted.minor == 400
    assert read_count(FOUR, {"piece.2": "200"}).counted.minor == 400
    with pytest.raises(ManyInvalid):
        read_count(FOUR, {"piece.2": "200"}, 5)
