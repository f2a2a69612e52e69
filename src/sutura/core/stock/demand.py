"""How many of a part are asked for: what was used, what the device's popularity and age let expect, and how
it fades.

Demand is use, not sales: pieces fitted less those taken out good again. Screens move slowly, so a year of
weeks is counted and what is expected beforehand weighs as much as a quarter of a year.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.maths.statistics import Counts, dispersion
from sutura.core.values import COMMON, Rule

WEEKS = 52
# what is expected beforehand is worth a quarter of a year of seeing; common practice, no source
PRIOR_DAYS = 91
# a trend is believed as far as more than this many uses of each half-year say it; common practice, no source
TREND_WORTH = 4
LEAST_FACTOR, MOST_FACTOR = 0.1, 1.5
# years that a piece may lie before it is called one that will not be used; common practice, no source
KEPT_YEARS = 3
SURE = 0.95
# uses by years since a device came out, the third year being one: broken seldom while new, later replaced
# rather than repaired; from memory
BY_AGE = (0.5, 0.9, 1.0, 1.0, 0.8, 0.6, 0.4, 0.3)

RULES = (
    Rule(
        id="stock.demand",
        capability="stock",
        says=(
            "Demand is what was used in the last 52 weeks, together with what the device's popularity and "
            "age let expect, which weighs like 91 days of it; weeks that vary more than chance are taken "
            "as they vary."
        ),
        source="Gamma–Poisson: Snyder & Shen, Fundamentals of Supply Chain Theory; the weight: common",
    ),
    Rule(
        id="stock.fading",
        capability="stock",
        says=(
            "Pieces beyond what will be used in three years with 95 % sureness, as use goes on fading, "
            "are named as stock that will not be used."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Demand:
    """Uses of a part to expect: a day's rate with how unsure it is, how much more than chance the weeks vary,
    and what of a year's use is left a year later.
    """

    per_day: float
    unsure: float
    spread: float = 1.0
    yearly_factor: float = 1.0

    def over(self, days: float, sd_days: float = 0.0) -> Counts:
        """Uses within so many days, which may themselves vary (mean and standard deviation in days).

        The variance of a random sum: Hadley & Whitin 1963; with a gamma lead time and Poisson demand this is
        exactly the negative binomial.
        """
        mean = self.per_day * days
        varies = self.spread * mean + (self.per_day * sd_days) ** 2 + self.unsure * days * days
        return Counts(mean=mean, variance=varies)

    @property
    def per_year(self) -> float:
        return self.per_day * 365


def age_of(released: int, year: int) -> int | None:
    """How many years ago a device came out; None where nobody knows.

    >>> age_of(2023, 2026), age_of(2027, 2026), age_of(0, 2026)
    (3, 0, None)
    """
    return max(year - released, 0) if released else None


def prior_per_day(
    *, uses_of_kind: int, peers: int, days: int, popularity: float, age_years: int | None
) -> float:
    """Uses a day to expect of a part before any was used: those of its kind, each part alike, by how often
    its devices come in (1 = as often as others) and how old they are (None = not known).
    """
    alike = (uses_of_kind + 1) / (max(peers, 1) * max(days, 1))
    age = 1.0 if age_years is None else BY_AGE[min(max(age_years, 0), len(BY_AGE) - 1)]
    return alike * popularity * age


def estimate(weeks: Sequence[int], prior: float) -> Demand:
    """Demand from the uses of past weeks, the oldest first, at most a year of them, and a prior rate a day.

    A gamma prior and Poisson counts: (prior × 91 + uses) / (91 + days). A year that falls or rises is
    followed, drawn towards no change by how little was used.

    >>> estimate([0, 1] * 26, prior=1 / 14).per_day * 14
    1.0
    """
    counted = list(weeks)[-WEEKS:]
    days = PRIOR_DAYS + 7 * len(counted)
    seen = prior * PRIOR_DAYS + sum(counted)
    half = len(counted) // 2
    factor = 1.0
    if len(counted) == WEEKS:
        before, after = sum(counted[:half]), sum(counted[half:])
        factor = (after + TREND_WORTH) / (before + TREND_WORTH)
    # the year's mean lies at its middle; now is later by half a year
    per_day = seen / days * 2 * factor / (1 + factor)
    return Demand(
        per_day=per_day,
        unsure=seen / days**2,
        spread=dispersion(counted),
        yearly_factor=min(max(factor * factor, LEAST_FACTOR), MOST_FACTOR),
    )


def still_to_come(demand: Demand, years: float = KEPT_YEARS) -> float:
    """Uses to expect within some years as they go on fading; what rises is not taken to go on rising."""
    factor = min(demand.yearly_factor, 1.0)
    if factor == 1.0:
        return demand.per_year * years
    faded: float = (1 - factor**years) / -math.log(factor)
    return demand.per_year * faded


def never_used(on_hand: int, demand: Demand) -> int:
    """How many of the pieces on hand will not be used, with 95 % sureness."""
    comes = still_to_come(demand)
    unsure = demand.unsure * (comes / demand.per_day) ** 2 if demand.per_day else 0.0
    return max(0, on_hand - Counts(mean=comes, variance=demand.spread * comes + unsure).quantile(SURE))
