"""Counts and shares against published figures and against sums written out.

Sources: stockpyl 1.0.2 (Snyder & Shen) and scipy's binomtest for the figures (check-values 5 and 6); the
rest is written from the definitions.
"""

from __future__ import annotations

import itertools
import math

import pytest

from sutura.core.maths.statistics import Counts, Share, dispersion, shared_prior, wilson


@pytest.mark.parametrize(
    ("stock", "fill", "ready", "owed"),
    [
        (3, 0.6496313518820689, 0.8386428488905466, 0.25170270771929487),
        (5, 0.9378738848199973, 0.9795509199103667, 0.02821944142983899),
    ],
)
def test_a_base_stock_of_poisson_uses(stock: int, fill: float, ready: float, owed: float) -> None:
    uses = Counts(mean=2.1)
    assert uses.at_most(stock - 1) == pytest.approx(fill, abs=1e-12)
    assert uses.at_most(stock) == pytest.approx(ready, abs=1e-12)
    assert uses.short(stock) == pytest.approx(owed, abs=1e-12)


def test_poisson_uses_in_a_gamma_lead_time_are_negative_binomial_exactly() -> None:
    uses = Counts(mean=4, variance=8)
    assert (uses.at_most(5), uses.at_most(6)) == pytest.approx((0.74609375, 0.828125), abs=1e-12)
    assert uses.quantile(0.95) == 9
    assert Counts(mean=4).quantile(0.95) == 8, "the lead time's spread ignored"
    # r = 4 and p = ½: the chance of k is (k + 3 over 3) / 2^(k + 4)
    for count in range(20):
        assert uses.exactly(count) == pytest.approx(math.comb(count + 3, 3) / 2 ** (count + 4), rel=1e-9)


def test_the_newsvendor_of_fifty_stocks_fifty_six() -> None:
    assert Counts(mean=50).quantile(0.70 / (0.70 + 0.18)) == 56


def test_what_is_short_of_two_when_one_and_a_half_come() -> None:
    assert Counts(mean=1.5).short(2) == pytest.approx(0.2809555605195044, abs=1e-12)
    assert Counts(mean=1.5).short(60) == 0.0, "what is left of the digits is clamped"
    assert Counts(mean=1.5).short(-2) == 3.5


def test_the_exact_cheapest_reorder_point_and_lot() -> None:
    """h 20, p 150, K 100, 1.5 a day, 2 days: r 3, Q 5, 107.92358063314975 (stockpyl)."""
    during = Counts(mean=3)

    def cost(point: int, lot: int) -> float:
        levels = range(point + 1, point + lot + 1)
        held = sum(20 * (y - 3 + during.short(y)) + 150 * during.short(y) for y in levels)
        return (100 * 1.5 + held) / lot

    best = min(itertools.product(range(-3, 15), range(1, 15)), key=lambda pair: cost(*pair))
    assert best == (3, 5)
    assert cost(3, 5) == pytest.approx(107.92358063314975, abs=1e-9)


@pytest.mark.parametrize(
    "counts", [Counts(mean=0), Counts(mean=0.3), Counts(mean=2.5, variance=9), Counts(mean=40)]
)
def test_chances_add_up_and_the_shortage_is_its_sum(counts: Counts) -> None:
    # so many that the rest weighs nothing
    each = [counts.exactly(count) for count in range(400)]
    assert sum(each) == pytest.approx(1)
    for count in (0, 1, 3, 30):
        assert counts.at_most(count) == pytest.approx(sum(each[: count + 1]))
        short = sum((came - count) * chance for came, chance in enumerate(each) if came > count)
        assert counts.short(count) == pytest.approx(short, abs=1e-9)
    assert counts.at_most(-1) == counts.exactly(-1) == 0
    for first, last in ((-2, 1), (0, 0), (1, 3), (2, 30)):
        each_of = [counts.at_most(count) for count in range(first, last + 1)]
        assert counts.mean_at_most(first, last) == pytest.approx(sum(each_of) / len(each_of))
    for chance in (0, 0.2, 0.9, 0.999):
        reached = counts.quantile(chance)
        assert counts.at_most(reached) >= chance > counts.at_most(reached - 1) - (chance == 0)


@pytest.mark.parametrize(
    ("mean", "variance"), [(-1, None), (math.nan, None), (math.inf, None), (1, -1), (1, math.nan)]
)
def test_a_mean_or_variance_that_is_none_is_a_mistake(mean: float, variance: float | None) -> None:
    with pytest.raises(ValueError, match=r"none|nothing"):
        Counts(mean=mean, variance=variance)
    with pytest.raises(ValueError, match="no chance"):
        Counts(mean=1).quantile(1)


@pytest.mark.parametrize(
    ("bad", "tried", "low", "high"),
    [(81, 263, 0.2553, 0.3662), (15, 148, 0.0624, 0.1605), (1, 29, 0.0061, 0.1718), (0, 20, 0, 0.1611)],
)
def test_wilson_intervals_as_published(bad: int, tried: int, low: float, high: float) -> None:
    assert wilson(bad, tried) == pytest.approx((low, high), abs=5e-5)
    mirrored = wilson(tried - bad, tried)
    assert (1 - mirrored[1], 1 - mirrored[0]) == pytest.approx(wilson(bad, tried))
    with pytest.raises(ValueError, match="no share"):
        wilson(3, 2)
    with pytest.raises(ValueError, match="no share"):
        wilson(0, 0)


def test_a_beta_share_and_its_interval() -> None:
    share = Share(yes=4, no=18)
    assert share.mean == pytest.approx(0.18181818181818182)
    assert share.interval() == pytest.approx((0.05446356817840682, 0.363423987016981))
    with pytest.raises(ValueError, match="say nothing"):
        Share(yes=0, no=1)


def test_worse_than_the_other_is_the_sum_over_whole_numbers() -> None:
    """P(p > q) of two beta shares with whole numbers, in closed form (Evan Miller 2014, from memory)."""

    def beta(a: float, b: float) -> float:
        return math.lgamma(a) + math.lgamma(b) - math.lgamma(a + b)

    for (a, b), (c, d) in (((4, 18), (2, 18)), ((1, 4), (1, 20)), ((10, 90), (12, 88))):
        exact = sum(
            math.exp(beta(c + i, b + d) - math.log(b + i) - beta(1 + i, b) - beta(c, d)) for i in range(a)
        )
        assert Share(yes=a, no=b).above(Share(yes=c, no=d)) == pytest.approx(exact, abs=2e-4)
    same = Share(yes=3, no=9)
    assert same.above(same) == pytest.approx(0.5, abs=1e-6)


def test_three_of_three_good_is_not_a_hundred_percent() -> None:
    prior = shared_prior([(0, 3), (2, 40), (1, 30), (4, 50)])
    after = Share(yes=prior.yes, no=prior.no + 3)
    assert 0.02 < after.mean < 0.10
    assert after.interval()[1] > 0.05
    assert wilson(0, 3)[1] > 0.5


def test_what_is_shared_says_more_the_more_alike_the_others_are() -> None:
    alike = shared_prior([(5, 100)] * 6)
    unlike = shared_prior([(0, 100), (30, 100), (2, 100), (60, 100), (1, 100)])
    nothing = shared_prior([])
    assert alike.yes + alike.no == 50
    assert unlike.yes + unlike.no < 6
    assert nothing.mean == 0.5
    assert nothing.yes + nothing.no == 2
    assert alike.mean == pytest.approx(31 / 602)
    # three say how alike they are
    three = shared_prior([(5, 100)] * 3)
    assert three.yes + three.no == 50
    assert shared_prior([(0, 3), (1, 1), (0, 1)]).mean == pytest.approx(2 / 7), "too few say how alike"


def test_counts_that_vary_by_chance_alone_are_taken_so() -> None:
    assert dispersion([2, 1, 3, 2, 2, 1, 2, 3]) == 1.0
    assert dispersion([]) == dispersion([4]) == dispersion([0, 0, 0]) == 1.0
    assert dispersion([0, 50]) == pytest.approx(50), "two are enough"
    burst = [0, 0, 0, 8, 0, 0, 0, 8]
    assert dispersion(burst) == pytest.approx(96 / 7 / 2)
