"""What people type: every reader takes it in every common writing, and refuses what could be read two
ways.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta, timezone
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.facts import fact
from sutura.core.maths.money import amount_text
from sutura.core.typed import (
    Problems,
    read_amount,
    read_choice,
    read_day,
    read_decimal,
    read_leading_whole,
    read_measure,
    read_moment,
    read_percent,
    read_text,
    read_whole,
)

# -- amounts --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "sign", "minor"),
    [
        ("58", "", 5_800),
        ("149,9", "", 14_990),
        (" 7 ", "", 700),
        ("٣", "", 300),
        ("58.00", ".", 5_800),
        ("58,5", ",", 5_850),
        ("1.234,50", "", 123_450),
        ("1,234.50", "", 123_450),
        ("1.234", ",", 123_400),
        ("1,234", ".", 123_400),
        ("TAL 58.00", ".", 5_800),
        ("58,00 tal", ",", 5_800),
        ("1 234,50", ",", 123_450),
        ("1\u202f234,50", "", 123_450),
        ("1'234.50", ".", 123_450),
    ],
)
def test_an_amount_is_read_in_every_common_writing(text: str, sign: str, minor: int) -> None:
    assert read_amount(text, "TAL", sign=sign) == minor


@pytest.mark.parametrize(
    "text",
    [
        "",
        "free",
        "-5",
        "−5",
        "1,234",
        "1.234",
        "1.2.3",
        "58 USX",
        "9999999999",
        "12,34,56.7.8",
        "1e3",
        "1" * 5_000,
        "58.005",
        # another sign stands for nothing that anybody could mean; the second was read as 12.00
        "1;2",
        "12;00",
        "(58.00)",
        "58/2",
        "5*8",
        "58 %",
        "58#",
    ],
)
def test_an_amount_that_can_be_read_two_ways_or_not_at_all_is_refused(text: str) -> None:
    with pytest.raises(Invalid):
        read_amount(text, "TAL")


def test_a_price_list_may_have_more_decimals_than_the_currency() -> None:
    assert read_amount("0.005", "TAL", sign=".", rounds=True, least=1) == 1
    assert read_amount("58.005", "TAL", sign=".", rounds=True) == 5_801


@given(st.integers(0, 10_000_000), st.sampled_from(["TAL", "JPY", "KWD"]))
def test_an_amount_reads_back_as_it_was_written(minor: int, currency: str) -> None:
    assert read_amount(amount_text(minor, currency), currency, most=10**7) == minor


@pytest.mark.parametrize(
    ("text", "fils"),
    [
        ("12.500", 12_500),
        ("12,500", 12_500),
        ("0.005", 5),
        ("1,234.500", 1_234_500),
        ("1.234,5", 1_234_500),
        ("1234.567 KWD", 1_234_567),
        ("12", 12_000),
    ],
)
def test_a_currency_of_three_decimals_is_read_as_it_is_written(text: str, fils: int) -> None:
    """Kuwaiti dinar: three decimals (ISO 4217). Before, `12.500` was refused, and so was what is shown."""
    assert read_amount(text, "KWD", most=10**8) == fils


@given(st.integers(0, 9_999_999), st.sampled_from([(".", ","), (",", ".")]), st.booleans())
def test_every_amount_written_in_either_way_is_read_back(
    minor: int, signs: tuple[str, str], grouped: bool
) -> None:
    whole = f"{minor // 100:,}".replace(",", signs[1]) if grouped else str(minor // 100)
    assert read_amount(f"{whole}{signs[0]}{minor % 100:02d}", "TAL", sign=signs[0]) == minor


@pytest.mark.parametrize(
    ("text", "yen"), [("1500", 1_500), ("1,500", 1_500), ("1.500", 1_500), ("1 500 JPY", 1_500)]
)
def test_a_currency_without_cents_has_no_decimals(text: str, yen: int) -> None:
    assert read_amount(text, "JPY") == yen
    with pytest.raises(Invalid):
        read_amount("15.50", "JPY")


# -- numbers --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "whole"), [("0", 0), ("12", 12), ("1 200", 1_200), ("1,200", 1_200), ("12.0", 12)]
)
def test_a_whole_number_is_read(text: str, whole: int) -> None:
    assert read_whole(text, 5_000) == whole


@pytest.mark.parametrize("text", ["", "2.5", "-1", "5001", "x", "1e3", "12,50", "9" * 4_000])
def test_what_is_no_whole_number_within_bounds_is_refused(text: str) -> None:
    with pytest.raises(Invalid, match="whole number from 0 to 5000"):
        read_whole(text, 5_000)


def test_per_cent_are_kept_in_basis_points() -> None:
    assert [read_percent(text, 50) for text in ("20", "19,5", "7.75 %")] == [2_000, 1_950, 775]
    with pytest.raises(Invalid, match="from 0 to 50"):
        read_percent("60", 50)


@given(st.decimals(min_value=0, max_value=99_999, places=3))
def test_a_number_reads_the_same_with_either_sign(value: Decimal) -> None:
    assert read_decimal(str(value)) == read_decimal(str(value).replace(".", ",")) == value


# -- lengths --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "mm"),
    [
        ("359.5", 359.5),
        ("359,5 mm", 359.5),
        ("35.95cm", 359.5),
        ('1"', 25.4),
        ("2 in", 50.8),
        ("0.125 inch", 3.175),
    ],
)
def test_lengths_are_read_with_their_unit(text: str, mm: float) -> None:
    """2 in = 50.8 mm and 1/8 in = 3.175 mm stand in the check values."""
    assert read_measure(text) == mm


@pytest.mark.parametrize(
    ("text", "inches"),
    [("15.6", 15.6), ('15,6"', 15.6), ("15.6 inch", 15.6), ("39.6 cm", 15.59), ("396 mm", 15.59)],
)
def test_a_diagonal_is_in_inches(text: str, inches: float) -> None:
    assert read_measure(text, "in") == inches


@pytest.mark.parametrize("text", ["wide", "0", "-3", "3 feet", ""])
def test_a_length_that_is_none_is_refused(text: str) -> None:
    with pytest.raises(Invalid):
        read_measure(text)


# -- choices, text, moments -----------------------------------------------------------------------------


def test_a_choice_is_one_of_those_offered() -> None:
    assert read_choice("card", ("cash", "card")) == "card"
    with pytest.raises(Invalid, match="cash, card"):
        read_choice("promise", ("cash", "card"))


def test_a_long_text_is_quoted_by_its_beginning() -> None:
    assert read_text("  tidy ", 10) == "tidy"
    with pytest.raises(Invalid) as refused:
        read_text("x" * 500, 300)
    assert refused.value.refused == "x" * 60


def test_a_moment_is_in_the_shops_zone() -> None:
    zone = timezone(timedelta(hours=2))
    assert read_moment("2031-03-04T12:00", zone).astimezone(UTC) == datetime(2031, 3, 4, 10, tzinfo=UTC)
    assert read_day("2031-03-04") == date(2031, 3, 4)
    readers: tuple[Callable[[str], object], ...] = (lambda text: read_moment(text, zone), read_day)
    for reader in readers:
        with pytest.raises(Invalid):
            reader("soon")
    with pytest.raises(Invalid) as refused:
        read_moment("soon", zone)
    assert refused.value.accepts == fact("typed.choose-day-time")
    with pytest.raises(Invalid) as refused:
        read_moment("soon", zone, "when they collect it")
    assert refused.value.accepts == "when they collect it"


# -- problems -------------------------------------------------------------------------------------------


def test_every_problem_is_told_at_once_each_at_its_path() -> None:
    problems = Problems("The list")
    with problems.under("rows[3]"):
        inner = Problems()
        inner.read("price", "x", lambda text: read_amount(text, "TAL"))
        inner.read("pins", "many", lambda text: read_whole(text, 9))
        inner.refuse()
    assert problems.read("name", "Ines", lambda text: read_text(text, 20)) == "Ines"
    with pytest.raises(ManyInvalid) as refused:
        problems.refuse()
    assert list(refused.value.by_field) == ["rows[3].price", "rows[3].pins"]
    Problems().refuse()


def test_the_whole_number_before_a_word_may_be_its_least_and_its_most() -> None:
    assert [read_leading_whole(text, 9, least=2) for text in ("2 days", "9")] == [2, 9]
    for beyond in ("1 day", "10 days", "days"):
        with pytest.raises(Invalid):
            read_leading_whole(beyond, 9, least=2)


@pytest.mark.parametrize(
    "text", ["0001-01-01T10:00", "1999-12-31T23:59", "2200-01-01T00:00", "9999-12-31T23:59"]
)
def test_a_moment_of_no_plausible_year_is_refused(text: str) -> None:
    with pytest.raises(Invalid, match="from 2000 to 2199"):
        read_moment(text, UTC)
    with pytest.raises(Invalid, match="from 2000 to 2199"):
        read_day(text[:10])


@pytest.mark.parametrize("text", ["2000-01-01", "2199-12-31"])
def test_the_first_and_the_last_plausible_day_are_taken(text: str) -> None:
    assert read_day(text).isoformat() == text
    assert read_moment(f"{text}T10:00", UTC).year == int(text[:4])


@pytest.mark.parametrize(
    "scanned", ["96385074", "00012345", "036000291452", "4006381333931", "10012345678902"]
)
def test_a_barcode_scanned_into_an_amount_is_asked_about_and_not_taken(scanned: str) -> None:
    """GTIN-8, a padded number, GTIN-12, GTIN-13, GTIN-14 (GS1 General Specifications)."""
    with pytest.raises(Invalid, match="barcode"):
        read_amount(scanned, "TAL")
    # where there are no decimals a long number may be meant, and its bounds decide
    assert read_amount("00012345", "JPY") == 12_345
