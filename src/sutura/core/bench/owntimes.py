"""A technician's own times: what their finished work says beside the sheet, held together with what was
written of them and with what the shop's others say.

Everything is on a scale of logarithms of ratios to the sheet. A job of somebody is normal round their own
level with a known spread; levels are normal round the shop's; the level of a beginner falls with the
logarithm of the number of their jobs.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import NamedTuple

from sutura.core.values import Rule

# what was written of somebody counts like so many jobs, before the shop shows how far people differ; the
# shop's, no source
PRIOR_JOBS = 4
# a job counts less with each that follows it: about the last twenty count; the shop's, no source
FADES = 0.95
# one job's minutes spread by about a third round what is expected, on a scale of ratios; from memory
SPREAD = 0.35
# more than three times as long, or as short, tells of an interruption and not of hands; the shop's, no source
MOST_RATIO = 3.0
# a job counts at most as so many spreads away from what was expected of it; common practice, no source
MOST_SPREADS = 2.5
# how far people differ is taken from as many people as this at least; the shop's, no source
PRIOR_PEOPLE = 4
# from this factor on somebody is a beginner, who becomes quicker with repetition; the shop's, no source
BEGINNER = Decimal("1.25")
# a first job beside those of whoever has done some; the shop's, no source
FIRST_TIME = Decimal("1.25")
# with each doubling of their jobs a beginner takes a tenth less: the exponent of the power law, and how far
# people differ in it; learning curve of 90 %, from memory
LEARNS, LEARNS_SPREAD = math.log2(1 / 0.9), 0.1
# eight of ten jobs lie within what is shown
_EIGHT_IN_TEN = 1.2815515655446004

RULES = (
    Rule(
        id="plan.own-times",
        capability="bench",
        says=(
            "What somebody's jobs of a family took beside the sheet is held together with the factor written "
            f"of them, which counts like {PRIOR_JOBS} jobs until the shop's people show how far they differ; "
            "what the others of the family need beside what was written of them moves it as well. Later jobs "
            f"count more; none counts for more than {MOST_SPREADS:g} spreads from what was expected, nor "
            f"beyond {MOST_RATIO:g} times the sheet or a third of it."
        ),
        source=(
            "Normal levels and jobs on a scale of ratios, known spread; between people by the method of "
            "moments in closed form (published 1986, from memory); the numbers: the shop's"
        ),
    ),
    Rule(
        id="plan.learning",
        capability="bench",
        says=(
            f"Who is written as {BEGINNER} times the sheet or more is a beginner: each doubling of their "
            "jobs is expected to take a tenth less, until their own jobs say how quickly they learn."
        ),
        source="power law of practice, published 1936; its exponent from memory",
    ),
    Rule(
        id="plan.first-time",
        capability="bench",
        says=(
            f"Whoever has no job of a family yet is expected to take {FIRST_TIME} times what those take on "
            "average who have, whatever was written, until the first is done; it is said "
            "when work is assigned."
        ),
        source="common practice, no source",
    ),
    Rule(
        id="plan.rework-apart",
        capability="bench",
        says=(
            "A job that was reworked says nothing of how long a job takes: it is counted apart, with the "
            "minutes beyond what was expected."
        ),
        source="common practice, no source",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnTimes:
    """What somebody's jobs of a family say: how many there were, their weight by now, and with the same
    weights the sums of the logarithms of their ratios to the sheet, of the logarithm of each job's number,
    of its square, and of the two multiplied. `reworked` jobs are in none of these, only how many and their
    minutes beyond what was expected.
    """

    jobs: int = 0
    weight: float = 0.0
    logs: float = 0.0
    numbers: float = 0.0
    squares: float = 0.0
    products: float = 0.0
    reworked: int = 0
    rework_minutes: int = 0


class Pool(NamedTuple):
    """What the shop's people say of a family together: how far they are from what was written of them, and
    how far they differ from each other (a variance).
    """

    shift: float = 0.0
    between: float = SPREAD**2 / PRIOR_JOBS


class Expected(NamedTuple):
    """What is expected of somebody's next job: the mean of the logarithm of its ratio to the sheet, and the
    spread round it.
    """

    log: float
    spread: float


# where nothing is known of others
ALONE = Pool()


def is_beginner(written: Decimal | None) -> bool:
    """Whether somebody is a beginner in a family: written as slow enough, or not trained at all."""
    return written is None or written >= BEGINNER


def log_ratio(bench_minutes: int, sheet_minutes: int) -> float:
    """How much longer than the sheet a job took, as a logarithm, within what tells of hands.

    >>> log_ratio(30, 30), round(log_ratio(600, 30), 4), round(log_ratio(1, 30), 4)
    (0.0, 1.0986, -1.0986)
    """
    most = math.log(MOST_RATIO)
    return max(-most, min(most, math.log(max(bench_minutes, 1) / max(sheet_minutes, 1))))


def pool_of(people: Sequence[tuple[Decimal, OwnTimes]]) -> Pool:
    """What those of a family say together: for each, the factor written and their own times (rule
    plan.own-times).

    How far they differ is found by the method of moments – what their means scatter beyond what jobs alone
    would make them scatter – and held together with what is taken of anybody. The shift is their mean,
    each by how well it is known, drawn towards none.
    """
    told = [
        (own.logs / own.weight - math.log(float(written)), own.weight / SPREAD**2)
        for written, own in people
        if own.jobs and written < BEGINNER
    ]
    usual = SPREAD**2 / PRIOR_JOBS
    between = usual
    if len(told) > 1:
        whole = sum(weight for _, weight in told)
        mean = sum(off * weight for off, weight in told) / whole
        scatter = sum(weight * (off - mean) ** 2 for off, weight in told)
        room = whole - sum(weight**2 for _, weight in told) / whole
        found = max(scatter - (len(told) - 1), 0.0) / room
        between = (PRIOR_PEOPLE * usual + (len(told) - 1) * found) / (PRIOR_PEOPLE + len(told) - 1)
    known = [(off, 1 / (between + 1 / weight)) for off, weight in told]
    shift = sum(off * weight for off, weight in known) / (1 / usual + sum(weight for _, weight in known))
    return Pool(shift=shift, between=between)


def expected_of(written: Decimal, own: OwnTimes, pool: Pool = ALONE) -> Expected:
    """What is expected of the next job of somebody (rules plan.own-times, plan.learning): the posterior of
    a normal level with known spread, and for a beginner of a level and a slope over the logarithm of the
    number of jobs.
    """
    level = math.log(float(written)) + pool.shift
    precision = 1 / SPREAD**2
    p_level = 1 / pool.between
    a = p_level + precision * own.weight
    right = p_level * level + precision * own.logs
    if written < BEGINNER:
        return Expected(log=right / a, spread=math.sqrt(SPREAD**2 + 1 / a))
    p_slope = 1 / LEARNS_SPREAD**2
    b = -precision * own.numbers
    c = p_slope + precision * own.squares
    right_slope = p_slope * LEARNS - precision * own.products
    whole = a * c - b * b
    at, slope = (right * c - b * right_slope) / whole, (a * right_slope - b * right) / whole
    x = math.log(own.jobs + 1)
    unsure = (c + 2 * b * x + a * x * x) / whole
    return Expected(log=at - slope * x, spread=math.sqrt(SPREAD**2 + unsure))


def after(own: OwnTimes, log: float, written: Decimal = Decimal(1), pool: Pool = ALONE) -> OwnTimes:
    """Their times with one more job, which counts no further from what was expected of it than an odd one
    does.
    """
    expected = expected_of(written, own, pool)
    most = MOST_SPREADS * expected.spread
    counts = max(expected.log - most, min(expected.log + most, log))
    x = math.log(own.jobs + 1)
    return replace(
        own,
        jobs=own.jobs + 1,
        weight=own.weight * FADES + 1,
        logs=own.logs * FADES + counts,
        numbers=own.numbers * FADES + x,
        squares=own.squares * FADES + x * x,
        products=own.products * FADES + x * counts,
    )


def reworked(own: OwnTimes, minutes: int, expected: int) -> OwnTimes:
    """Their times with a job that was reworked (rule plan.rework-apart)."""
    beyond = own.rework_minutes + max(minutes - expected, 0)
    return replace(own, reworked=own.reworked + 1, rework_minutes=beyond)


def factor_of(written: Decimal, own: OwnTimes, pool: Pool = ALONE) -> Decimal:
    """The factor that counts: the written one, moved by the shop's others, while there is no job, then what
    the jobs say more and more.
    """
    if not own.jobs and not pool.shift:
        return written
    return round(Decimal(math.exp(expected_of(written, own, pool).log)), 2) or Decimal("0.01")


def factors_of(people: Sequence[tuple[Decimal | None, OwnTimes]], pool: Pool) -> list[Decimal | None]:
    """The factors that count, of all who do a family: of whoever has no job of it yet at least that of a
    first time beside the others (rule plan.first-time). None where nobody wrote one.
    """
    own = [None if written is None else factor_of(written, own, pool) for written, own in people]
    done = [factor for factor, (_, own_times) in zip(own, people, strict=True) if factor and own_times.jobs]
    if not done:
        return own
    first = round(FIRST_TIME * sum(done) / len(done), 2)
    return [
        factor if factor is None or own_times.jobs else max(factor, first)
        for factor, (_, own_times) in zip(own, people, strict=True)
    ]


def spread_of(
    minutes: int, own: OwnTimes, written: Decimal = Decimal(1), pool: Pool = ALONE
) -> tuple[int, int]:
    """Between which minutes eight of ten jobs lie, where so many are expected."""
    wide = math.exp(_EIGHT_IN_TEN * expected_of(written, own, pool).spread)
    return round(minutes / wide), round(minutes * wide)
