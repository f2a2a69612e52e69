"""Own times: the posterior of a normal mean by numerical integration, and simulated hands."""

from __future__ import annotations

import math
import random
from decimal import Decimal

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.bench.owntimes import (
    FADES,
    MOST_RATIO,
    PRIOR_JOBS,
    SPREAD,
    OwnTimes,
    after,
    factor_of,
    log_ratio,
    spread_of,
)


def told(ratios: list[float]) -> OwnTimes:
    own = OwnTimes()
    for ratio in ratios:
        own = after(own, log_ratio(round(ratio * 1000), 1000))
    return own


def test_without_a_job_what_was_written_counts() -> None:
    assert factor_of(Decimal("1.25"), OwnTimes()) == Decimal("1.25")


def test_the_factor_is_the_mean_of_the_posterior() -> None:
    """By integrating prior × likelihood on a grid: a prior worth four jobs, each later job worth more."""
    ratios, written = [1.4, 1.1, 0.9, 1.6, 1.3], 1.2
    weights = [FADES**n for n in range(len(ratios))][::-1]
    grid = np.linspace(math.log(0.2), math.log(5), 200_001)
    log_density = -PRIOR_JOBS * (grid - math.log(written)) ** 2 / (2 * SPREAD**2)
    for ratio, weight in zip(ratios, weights, strict=True):
        log_density -= weight * (grid - math.log(ratio)) ** 2 / (2 * SPREAD**2)
    density = np.exp(log_density - log_density.max())
    mean = float((grid * density).sum() / density.sum())
    assert float(factor_of(Decimal("1.2"), told(ratios))) == pytest.approx(math.exp(mean), abs=0.006)


def test_one_job_left_overnight_does_not_ruin_it() -> None:
    usual = told([1.0] * 10)
    ruined = factor_of(Decimal(1), after(usual, log_ratio(40_000, 40)))
    assert ruined < Decimal("1.10")
    assert log_ratio(40_000, 40) == pytest.approx(math.log(MOST_RATIO))
    assert log_ratio(0, 40) == pytest.approx(-math.log(MOST_RATIO))
    assert log_ratio(40, 0) == pytest.approx(math.log(MOST_RATIO))


@given(
    st.lists(st.floats(0.34, 2.9), max_size=30), st.floats(0.5, 2).map(lambda f: Decimal(str(round(f, 2))))
)
def test_it_lies_between_what_was_written_and_what_was_done(ratios: list[float], written: Decimal) -> None:
    found = float(factor_of(written, told(ratios)))
    every = [float(written), *ratios]
    assert min(every) - 0.01 <= found <= max(every) + 0.01


def test_eight_of_ten_jobs_lie_within_what_is_shown() -> None:
    """On 3,000 simulated people with 14 jobs each, whose next job is looked at; seed 5."""
    chance, inside = random.Random(5), 0
    for _ in range(3_000):
        truth = chance.gauss(0, SPREAD / math.sqrt(PRIOR_JOBS))
        own = told([math.exp(chance.gauss(truth, SPREAD)) for _ in range(14)])
        expected = 1000 * float(factor_of(Decimal(1), own))
        least, most = spread_of(round(expected), own)
        inside += least <= 1000 * math.exp(chance.gauss(truth, SPREAD)) <= most
    assert 0.77 <= inside / 3_000 <= 0.83


def test_hands_that_become_quicker_are_followed() -> None:
    slow_then_quick = told([1.6] * 15 + [0.9] * 25)
    assert factor_of(Decimal(1), slow_then_quick) < Decimal("1.05")


def test_a_job_of_no_time_counts_as_one_minute() -> None:
    assert log_ratio(0, 1) == log_ratio(1, 0) == log_ratio(1, 1) == 0
    assert log_ratio(2, 1) == log_ratio(2, 0) == pytest.approx(math.log(2))
    assert log_ratio(1, 2) == log_ratio(0, 2) == pytest.approx(-math.log(2))
