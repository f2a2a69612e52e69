"""What is asked for: history and what is expected beforehand, ageing devices, and pieces nobody will use."""

from __future__ import annotations

import math

import pytest

from sutura.core.stock.demand import (
    BY_AGE,
    PRIOR_DAYS,
    Demand,
    estimate,
    never_used,
    prior_per_day,
    still_to_come,
)

FLAT = [1, 0] * 26


def test_a_part_without_history_is_expected_as_its_kind_is() -> None:
    """Six parts of a kind were used 11 times in 100 days; its devices come twice as often as others."""
    prior = prior_per_day(uses_of_kind=11, peers=6, days=100, popularity=2.0, age_years=2)
    assert prior == pytest.approx(12 / 600 * 2)
    new = estimate([], prior)
    assert new.per_day == pytest.approx(prior)
    # a gamma's variance over a quarter of a year
    assert new.unsure == pytest.approx(prior / PRIOR_DAYS)


def test_age_is_followed_and_unknown_age_changes_nothing() -> None:
    def at(age: int | None) -> float:
        return prior_per_day(uses_of_kind=5, peers=3, days=365, popularity=1.0, age_years=age)

    assert at(None) == at(2)
    assert at(0) < at(1) < at(2) > at(4) > at(6) > at(7)
    assert at(30) == at(len(BY_AGE) - 1)
    assert at(-1) == at(0), "announced, not out yet"
    nothing = prior_per_day(uses_of_kind=0, peers=0, days=0, popularity=1.0, age_years=None)
    assert math.isfinite(nothing)


def test_a_year_of_weeks_outweighs_what_was_expected() -> None:
    demand = estimate(FLAT, prior=1.0)
    assert demand.per_day == pytest.approx((91 + 26) / (91 + 364))
    assert demand.unsure == pytest.approx((91 + 26) / (91 + 364) ** 2)
    assert demand.yearly_factor == 1.0
    assert demand.spread == 1.0
    longer = estimate([9] * 30 + FLAT, prior=1.0)
    assert longer == demand, "what is older than a year is not counted"


def test_a_fading_part_is_followed_down_and_a_rising_one_up() -> None:
    fading = estimate([1] * 26 + [0] * 26, prior=26 / 364)
    factor = 4 / 30
    assert fading.yearly_factor == 0.1, "not below a tenth"
    mean = (26 / 364 * 91 + 26) / (91 + 364)
    assert fading.per_day == pytest.approx(mean * 2 * factor / (1 + factor))
    rising = estimate([0] * 26 + [1] * 26, prior=26 / 364)
    assert rising.per_day > mean > fading.per_day
    assert rising.yearly_factor == 1.5
    hint = estimate([0, 0] * 25 + [1, 0], prior=0.01)
    assert 1 < hint.yearly_factor < 1.6, "one use is hardly a trend"
    short = estimate([0, 0, 5, 5], prior=0.1)
    assert short.yearly_factor == 1.0, "a month is no trend"


def test_weeks_that_come_in_bursts_vary_more_than_chance() -> None:
    burst = estimate(([0] * 12 + [6]) * 4, prior=24 / 364)
    assert burst.spread > 4
    over = burst.over(10)
    assert over.mean == pytest.approx(burst.per_day * 10)
    assert over.variance == pytest.approx(burst.spread * over.mean + burst.unsure * 100)


def test_uses_in_a_lead_time_that_varies() -> None:
    """Poisson 0.4 a day, 10 ± 5 days: mean 4, variance 8 (Hadley & Whitin). Normal 0.5 a day, σ 0.7, 10 ± 3
    days: a reorder point of 9.39825370991513 at 95 % (check-values 5).
    """
    plain = Demand(per_day=0.4, unsure=0)
    assert (plain.over(10, 5).mean, plain.over(10, 5).variance) == pytest.approx((4, 8))
    wide = Demand(per_day=0.5, unsure=0, spread=0.49 / 0.5)
    during = wide.over(10, 3)
    assert during.mean + 1.6448536269514722 * math.sqrt(during.variance or 0) == pytest.approx(
        9.39825370991513
    )


def test_what_is_still_to_come_is_the_sum_of_its_days() -> None:
    for factor in (1.0, 0.6, 0.1, 1.5):
        demand = Demand(per_day=0.05, unsure=0, yearly_factor=factor)
        by_days = sum(0.05 * min(factor, 1.0) ** ((day + 0.5) / 365) for day in range(3 * 365))
        assert still_to_come(demand) == pytest.approx(by_days, rel=1e-4)


def test_pieces_that_nobody_will_use_are_named() -> None:
    fading = Demand(per_day=2 / 365, unsure=0, yearly_factor=0.25)
    # 2 × (1 − ¼³) / ln 4 = 1.42 uses still to come; in 95 of 100 cases no more than 4 (Poisson)
    assert still_to_come(fading) == pytest.approx(1.420, abs=1e-3)
    assert never_used(9, fading) == 9 - 4
    assert never_used(4, fading) == 0
    assert never_used(3, Demand(per_day=0.0, unsure=0)) == 3
    unsure = Demand(per_day=2 / 365, unsure=(2 / 365) ** 2, yearly_factor=0.25)
    assert never_used(9, unsure) < 5, "what is not known for sure may be more"
