"""Money. Values: check-values section 9 (Python's decimal ROUND_HALF_UP) and section 1 (common practice, no
source).
"""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.maths.money import Money, decimal_text, half_up, included_tax, split


def tal(minor: int) -> Money:
    return Money(minor=minor, currency="TAL")


@pytest.mark.parametrize(
    ("value", "rounded"), [("2.675", "2.68"), ("1.005", "1.01"), ("-0.125", "-0.13"), ("0.004", "0.00")]
)
def test_halves_round_away_from_zero(value: str, rounded: str) -> None:
    assert half_up(Decimal(value), 2) == Decimal(rounded)


@pytest.mark.parametrize(
    ("scaled", "digits", "text"),
    [(0, 2, "0.00"), (-1, 2, "−0.01"), (1, 2, "0.01"), (-1950, 2, "−19.50"), (7, 0, "7"), (-7, 0, "−7")],
)
def test_a_number_of_hundredths_is_written_with_its_sign(scaled: int, digits: int, text: str) -> None:
    assert decimal_text(scaled, digits) == text


@given(st.decimals(min_value=-10_000, max_value=10_000, places=5))
def test_rounding_agrees_with_the_decimal_library(value: Decimal) -> None:
    assert half_up(value, 2) == value.quantize(Decimal("0.01"), ROUND_HALF_UP)


def test_ten_in_three_parts_gives_the_odd_cent_to_the_first() -> None:
    assert [part.minor for part in split(tal(1000), [1, 1, 1])] == [334, 333, 333]


@given(
    st.integers(-10_000_000, 10_000_000), st.lists(st.integers(0, 1000), min_size=1, max_size=12).filter(any)
)
def test_parts_always_add_up_to_the_total(minor: int, shares: list[int]) -> None:
    parts = split(tal(minor), shares)
    assert sum(part.minor for part in parts) == minor


@given(st.integers(0, 10_000_000), st.lists(st.integers(0, 1000), min_size=1, max_size=12).filter(any))
def test_no_part_is_a_cent_or_more_from_its_exact_share(minor: int, shares: list[int]) -> None:
    for part, share in zip(split(tal(minor), shares), shares, strict=True):
        assert abs(part.minor * sum(shares) - minor * share) < sum(shares)


def test_a_split_without_shares_is_a_mistake() -> None:
    with pytest.raises(ValueError, match="shares"):
        split(tal(10), [0, 0])


def test_currencies_do_not_mix() -> None:
    with pytest.raises(TypeError, match="mix"):
        tal(1) + Money(minor=1, currency="OTH")


def test_tax_inside_a_gross_amount() -> None:
    assert included_tax(tal(12_000), 2_000) == tal(2_000)


def test_a_negative_amount_says_so() -> None:
    assert str(tal(-150)) == "−1.50 TAL"


@pytest.mark.parametrize(
    ("currency", "text"), [("JPY", "1490 JPY"), ("TAL", "14.90 TAL"), ("KWD", "1.490 KWD")]
)
def test_a_currency_has_its_own_number_of_decimals(currency: str, text: str) -> None:
    """ISO 4217, by Babel (library): none for the yen, three for the dinar; two for one it does not know."""
    assert str(Money(minor=1490, currency=currency)) == text
    assert Money.of(text.split()[0], currency).minor == 1490
