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
    ALONE,
    FADES,
    LEARNS,
    LEARNS_SPREAD,
    MOST_RATIO,
    PRIOR_JOBS,
    SPREAD,
    OwnTimes,
    Pool,
    after,
    expected_of,
    factor_of,
    factors_of,
    log_ratio,
    pool_of,
    reworked,
    spread_of,
)


def told(ratios: list[float], written: Decimal = Decimal(1)) -> OwnTimes:
    own = OwnTimes()
    for ratio in ratios:
        own = after(own, log_ratio(round(ratio * 1000), 1000), written)
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


def posterior_of_a_beginner(written: float, ratios: list[float]) -> tuple[float, float]:
    """Level and slope integrated on a grid, written from the rule: log ratio n = level − slope · ln n +
    noise; what the next job takes, and its spread.
    """
    levels = np.linspace(math.log(written) - 1.2, math.log(written) + 1.2, 801)
    slopes = np.linspace(LEARNS - 0.6, LEARNS + 0.6, 801)
    level, slope = np.meshgrid(levels, slopes, indexing="ij")
    log_density = -((level - math.log(written)) ** 2) * PRIOR_JOBS / (2 * SPREAD**2)
    log_density -= (slope - LEARNS) ** 2 / (2 * LEARNS_SPREAD**2)
    for number, ratio in enumerate(ratios, 1):
        counts = FADES ** (len(ratios) - number)
        log_density -= counts * (math.log(ratio) - level + slope * math.log(number)) ** 2 / (2 * SPREAD**2)
    density = np.exp(log_density - log_density.max())
    density /= density.sum()
    following = level - slope * math.log(len(ratios) + 1)
    mean = float((density * following).sum())
    return mean, math.sqrt(float((density * (following - mean) ** 2).sum()) + SPREAD**2)


@pytest.mark.parametrize("ratios", [[], [1.9], [2.0, 1.7, 1.6, 1.4, 1.5, 1.2], [1.5] * 12])
def test_a_beginner_is_expected_by_a_level_and_a_slope(ratios: list[float]) -> None:
    found = expected_of(Decimal("1.6"), told(ratios, Decimal("1.6")))
    mean, spread = posterior_of_a_beginner(1.6, ratios)
    assert found.log == pytest.approx(mean, abs=0.004)
    assert found.spread == pytest.approx(spread, abs=0.004)


def test_a_beginner_takes_a_tenth_less_with_each_doubling_until_their_jobs_say_otherwise() -> None:
    """The power law alone: with a level and a slope that are sure, job 2 takes 0.9 of job 1, job 4 0.81."""
    assert pytest.approx(0.9) == 2**-LEARNS
    rookie = Decimal("1.6")
    exact = [1.6 * n**-LEARNS for n in range(1, 33)]
    own = told(exact, rookie)
    assert float(factor_of(rookie, own)) == pytest.approx(1.6 * 33**-LEARNS, abs=0.02)
    # one who does not learn is not said to
    assert float(factor_of(rookie, told([1.6] * 40, rookie))) == pytest.approx(1.55, abs=0.06)
    # whoever is written as quick does not become quicker by counting
    assert factor_of(Decimal("1.24"), told([1.24] * 40, Decimal("1.24"))) == Decimal("1.24")


def test_the_shop_s_people_say_how_far_people_differ() -> None:
    """Moments written out: three people with four whole jobs each at 0, 0.2 and 0.4 above what was written.
    σ²/n = 0.030625; the scatter of their means beyond that is 0.04 − 0.030625 = 0.009375, held together with
    σ²/4 like of four people: (4 · 0.030625 + 2 · 0.009375) ÷ 6.
    """
    people = [(Decimal(1), OwnTimes(jobs=4, weight=4, logs=4 * off)) for off in (0.0, 0.2, 0.4)]
    pool = pool_of(people)
    between = (4 * 0.030625 + 2 * (0.04 - 0.030625)) / 6
    assert pool.between == pytest.approx(between)
    known = 1 / (between + 0.030625)
    assert pool.shift == pytest.approx(0.6 * known / (1 / 0.030625 + 3 * known))
    # alike as can be: no less than what is taken of anybody, weighed as four people
    same = pool_of([(Decimal(1), OwnTimes(jobs=4, weight=4, logs=0.4))] * 3)
    assert same.between == pytest.approx(4 * 0.030625 / 6)
    assert 0 < same.shift < 0.1
    assert pool_of([]) == pool_of([(Decimal(1), OwnTimes())]) == ALONE
    # whoever learns says nothing of those who do not
    assert pool_of([(Decimal("1.25"), OwnTimes(jobs=9, weight=7, logs=9.0))]) == ALONE
    assert pool_of([(Decimal("1.24"), OwnTimes(jobs=9, weight=7, logs=9.0))]) != ALONE


def test_somebody_without_jobs_is_moved_by_what_the_others_need() -> None:
    pool = Pool(shift=math.log(1.2), between=0.03)
    assert factor_of(Decimal("1.00"), OwnTimes(), pool) == Decimal("1.20")
    assert factor_of(Decimal("1.00"), OwnTimes()) == Decimal("1.00")


@pytest.mark.parametrize("between", [0.05, 0.17, 0.4])
def test_intervals_hold_what_they_say_in_simulated_shops(between: float) -> None:
    """400 shops of six people whose levels differ as `between` says, 3 to 25 jobs each, one in thirty left
    overnight; the next job of each lies within eight of ten times. Seed 11.
    """
    chance = random.Random(11)
    inside = of = 0
    for _ in range(400):
        levels = [chance.gauss(0.1, between) for _ in range(6)]
        people = []
        for level in levels:
            own = OwnTimes()
            for _ in range(chance.randint(3, 25)):
                took = math.exp(chance.gauss(level, SPREAD))
                own = after(
                    own, log_ratio(round(1000 * took * (30 if chance.random() < 1 / 30 else 1)), 1000)
                )
            people.append((Decimal(1), own))
        pool = pool_of(people)
        for level, (written, own) in zip(levels, people, strict=True):
            # whole minutes of a long job, so that rounding does not count
            least, most = spread_of(round(10_000 * float(factor_of(written, own, pool))), own, written, pool)
            inside += least <= 10_000 * math.exp(chance.gauss(level, SPREAD)) <= most
            of += 1
    assert 0.76 <= inside / of <= 0.84


def test_beginners_who_learn_are_within_what_is_shown() -> None:
    """2,000 beginners written as 1.6 whose slopes differ; their eighth job. Seed 12."""
    chance, inside, rookie = random.Random(12), 0, Decimal("1.6")
    for _ in range(2_000):
        level = chance.gauss(math.log(1.6), SPREAD / 2)
        slope = chance.gauss(LEARNS, LEARNS_SPREAD)
        took = [math.exp(chance.gauss(level - slope * math.log(n), SPREAD)) for n in range(1, 9)]
        own = told(took[:7], rookie)
        least, most = spread_of(round(10_000 * float(factor_of(rookie, own))), own, rookie)
        inside += least <= 10_000 * took[7] <= most
    assert 0.77 <= inside / 2_000 <= 0.83


def test_a_reworked_job_is_counted_apart() -> None:
    own = told([1.1, 0.9])
    more = reworked(reworked(own, 90, 40), 30, 40)
    assert (more.reworked, more.rework_minutes) == (2, 50)
    assert factor_of(Decimal(1), more) == factor_of(Decimal(1), own)
    assert after(more, 0.0).reworked == 2


def test_one_job_left_overnight_does_not_ruin_it() -> None:
    usual = told([1.0] * 10)
    ruined = factor_of(Decimal(1), after(usual, log_ratio(40_000, 40)))
    assert ruined < Decimal("1.10")
    assert log_ratio(40_000, 40) == pytest.approx(math.log(MOST_RATIO))
    assert log_ratio(0, 40) == pytest.approx(-math.log(MOST_RATIO))
    assert log_ratio(40, 0) == pytest.approx(math.log(MOST_RATIO))


@given(
    st.lists(st.floats(0.34, 2.9), max_size=30), st.floats(0.5, 1.24).map(lambda f: Decimal(str(round(f, 2))))
)
def test_it_lies_between_what_was_written_and_what_was_done(ratios: list[float], written: Decimal) -> None:
    found = float(factor_of(written, told(ratios, written)))
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


def test_a_first_job_of_a_family_takes_longer_than_theirs_who_have_done_some() -> None:
    """Rule plan.first-time: whoever never did it is not as quick as those who did; the shop's, no source."""
    expert = OwnTimes(jobs=8, weight=8.0, logs=8 * math.log(1.05))
    pool = pool_of([(Decimal(1), expert)])
    experts, first, slow, none = factors_of(
        [(Decimal(1), expert), (Decimal("0.8"), OwnTimes()), (Decimal(2), OwnTimes()), (None, OwnTimes())],
        pool,
    )
    assert experts
    assert first == round(Decimal("1.25") * experts, 2)
    assert slow
    assert slow >= first
    assert none is None
    # with the first job done it is their own time that counts
    after = OwnTimes(jobs=1, weight=1.0, logs=math.log(0.9))
    assert factors_of([(Decimal(1), expert), (Decimal("0.8"), after)], pool)[1] == factor_of(
        Decimal("0.8"), after, pool
    )
    # where nobody has done any, what was written counts
    assert factors_of([(Decimal("0.8"), OwnTimes())], pool_of([])) == [Decimal("0.8")]
