"""A technician's own times: what their finished work says beside the sheet, held together with what was
written of them.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal

from sutura.core.values import Rule

# what was written of somebody counts like so many jobs; the shop's, no source
PRIOR_JOBS = 4
# a job counts less with each that follows it: about the last twenty count; the shop's, no source
FADES = 0.95
# one job's minutes spread by about a third round what is expected, on a scale of ratios; from memory
SPREAD = 0.35
# more than three times as long, or as short, tells of an interruption and not of hands; the shop's, no source
MOST_RATIO = 3.0
# eight of ten jobs lie within what is shown
_EIGHT_IN_TEN = 1.2815515655446004

RULES = (
    Rule(
        id="plan.own-times",
        capability="bench",
        says=(
            "What somebody's jobs of a family took beside the sheet is held together with the factor written "
            f"of them, which counts like {PRIOR_JOBS} jobs; later jobs count more. A job that was reworked "
            f"does not count, and none counts for more than {MOST_RATIO:g} times, or less than a third of, "
            "what was expected."
        ),
        source="Normal mean with known spread on a scale of ratios, conjugate prior; the numbers: the shop's",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnTimes:
    """What somebody's jobs of a family say: how many there were, their weight by now, and the sum of the
    logarithms of their ratios to the sheet, with the same weights.
    """

    jobs: int = 0
    weight: float = 0.0
    logs: float = 0.0


def log_ratio(bench_minutes: int, sheet_minutes: int) -> float:
    """How much longer than the sheet a job took, as a logarithm, within what tells of hands.

    >>> log_ratio(30, 30), round(log_ratio(600, 30), 4), round(log_ratio(1, 30), 4)
    (0.0, 1.0986, -1.0986)
    """
    most = math.log(MOST_RATIO)
    return max(-most, min(most, math.log(max(bench_minutes, 1) / max(sheet_minutes, 1))))


def after(own: OwnTimes, log: float) -> OwnTimes:
    """Their times with one more job."""
    return OwnTimes(jobs=own.jobs + 1, weight=own.weight * FADES + 1, logs=own.logs * FADES + log)


def factor_of(written: Decimal, own: OwnTimes) -> Decimal:
    """The factor that counts: the written one while there is no job, then what the jobs say more and more."""
    if not own.jobs:
        return written
    prior = math.log(float(written))
    mean = (PRIOR_JOBS * prior + own.logs) / (PRIOR_JOBS + own.weight)
    return round(Decimal(math.exp(mean)), 2) or Decimal("0.01")


def spread_of(minutes: int, own: OwnTimes) -> tuple[int, int]:
    """Between which minutes eight of ten jobs lie, where so many are expected."""
    wide = math.exp(_EIGHT_IN_TEN * SPREAD * math.sqrt(1 + 1 / (PRIOR_JOBS + own.weight)))
    return round(minutes / wide), round(minutes * wide)
