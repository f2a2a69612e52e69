"""Tax of several rates: judged by exact fractions, written from the rule and not from the code."""

from __future__ import annotations

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from sutura.core.maths.money import Money
from sutura.core.quoting.taxes import Taxes, TaxShare, one_rate, tax_in, tax_lines, taxes_from, taxes_kept

SHARES = st.lists(
    st.builds(TaxShare, bps=st.integers(0, 2_700), weight=st.integers(1, 10_000_000)), min_size=1, max_size=4
)


def tal(minor: int) -> Money:
    return Money(minor=minor, currency="TAL")


def rounded(exact: Fraction) -> int:
    return int(exact + Fraction(1, 2))


@given(minor=st.integers(0, 100_000_000), bps=st.integers(0, 2_700))
def test_one_rate_is_taken_out_of_the_whole(minor: int, bps: int) -> None:
    """Source: gross × rate ÷ (1 + rate), half up; common practice."""
    assert tax_in(tal(minor), one_rate(bps)).minor == rounded(Fraction(minor * bps, 10_000 + bps))


@given(minor=st.integers(0, 100_000_000), shares=SHARES, by_line=st.booleans())
def test_nothing_of_a_price_is_lost_among_its_rates(
    minor: int, shares: list[TaxShare], by_line: bool
) -> None:
    taxes = Taxes(shares=tuple(shares), by_line=by_line)
    lines = tax_lines(tal(minor), taxes)
    assert sum(line.gross.minor for line in lines) == minor
    assert sum(line.net.minor + line.tax.minor for line in lines) == minor
    assert len({line.bps for line in lines}) == len(lines)
    exact = [Fraction(line.gross.minor * line.bps, 10_000 + line.bps) for line in lines]
    if by_line:
        assert [line.tax.minor for line in lines] == [rounded(tax) for tax in exact]
    else:
        assert tax_in(tal(minor), taxes).minor == rounded(Fraction(sum(exact)))
        # and no line is off by a whole one
        assert all(abs(line.tax.minor - tax) < 1 for line, tax in zip(lines, exact, strict=True))
    # each rate bears its share of the price, to the cent
    whole = sum(share.weight for share in shares)
    for line in lines:
        weight = sum(share.weight for share in shares if share.bps == line.bps)
        assert abs(line.gross.minor - Fraction(minor * weight, whole)) < 1
    assert taxes_from(taxes_kept(taxes), 1) == taxes


def test_rounding_by_line_and_once_differ_where_halves_meet() -> None:
    """Two lines of 1.03 at 5 and 15 %: 0.049 and 0.134, by line 5 + 13, once 18 of 0.1834."""
    shares = (TaxShare(bps=1_500, weight=1), TaxShare(bps=500, weight=1))
    lines = tax_lines(tal(206), Taxes(shares=shares))
    assert [(line.bps, line.tax.minor) for line in lines] == [(1_500, 13), (500, 5)]
    # 0.0952 and 0.0652: 10 + 7 by line, 16 once
    shares = (TaxShare(bps=1_000, weight=1), TaxShare(bps=667, weight=1))
    by_line = tax_lines(tal(210), Taxes(shares=shares))
    once = tax_lines(tal(210), Taxes(shares=shares, by_line=False))
    assert [line.tax.minor for line in by_line] == [10, 7]
    assert [line.tax.minor for line in once] == [9, 7] or [line.tax.minor for line in once] == [10, 6]
    assert sum(line.tax.minor for line in once) == 16


def test_what_nothing_is_kept_of_bears_its_one_rate() -> None:
    assert taxes_from({}, 2_000) == one_rate(2_000)
    [line] = tax_lines(tal(12_000), one_rate(2_000))
    assert (line.net.minor, line.tax.minor) == (10_000, 2_000)
