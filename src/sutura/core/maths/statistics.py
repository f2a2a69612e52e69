"""Counts that vary, shares that are not known for sure, and what follows of them; knows nothing of the
business.

The special functions are scipy's, imported where they are needed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

# a variance hardly above the mean is a Poisson's: nearer, the other's figures lose their digits
HARDLY = 1e-6


@dataclass(frozen=True, slots=True, kw_only=True)
class Counts:
    """How many come in a while: Poisson, or negative binomial where the variance is above the mean.

    A Poisson number in a while that is itself gamma distributed is exactly negative binomial (Hadley &
    Whitin, *Analysis of Inventory Systems*, 1963).

    >>> Counts(mean=2.1).at_most(3)
    0.8386428488905466
    >>> Counts(mean=4, variance=8).at_most(5)
    0.74609375
    """

    mean: float
    variance: float | None = None

    def __post_init__(self) -> None:
        if not (math.isfinite(self.mean) and self.mean >= 0):
            raise ValueError(f"a mean of {self.mean} counts nothing")
        if self.variance is not None and not (math.isfinite(self.variance) and self.variance >= 0):
            raise ValueError(f"a variance of {self.variance} is none")

    @property
    def is_spread(self) -> bool:
        """Whether the counts vary more than a Poisson's do."""
        return self.variance is not None and self.variance > self.mean * (1 + HARDLY) and self.mean > 0

    def at_most(self, count: int) -> float:
        """The chance of `count` or fewer."""
        if count < 0:
            return 0.0
        if self.mean == 0:
            return 1.0
        from scipy import special

        if self.variance is None or not self.is_spread:
            return float(special.pdtr(count, self.mean))
        share = self.mean / self.variance
        return float(special.betainc(self.mean * share / (1 - share), count + 1, share))

    def mean_at_most(self, first: int, last: int) -> float:
        """The mean of the chances of `count` or fewer, for the counts from first to last."""
        if first < 0 or self.mean == 0 or last - first < 4:
            return sum(self.at_most(count) for count in range(first, last + 1)) / (last - first + 1)
        import numpy as np
        from scipy import special

        counts = np.arange(first, last + 1)
        if self.variance is None or not self.is_spread:
            return float(np.mean(special.pdtr(counts, self.mean)))
        share = self.mean / self.variance
        return float(np.mean(special.betainc(self.mean * share / (1 - share), counts + 1, share)))

    def exactly(self, count: int) -> float:
        """The chance of just `count`."""
        if count < 0:
            return 0.0
        if self.mean == 0:
            return float(count == 0)
        if self.variance is None or not self.is_spread:
            return math.exp(count * math.log(self.mean) - self.mean - math.lgamma(count + 1))
        share = self.mean / self.variance
        size = self.mean * share / (1 - share)
        ways = math.lgamma(count + size) - math.lgamma(size) - math.lgamma(count + 1)
        return math.exp(ways + size * math.log(share) + count * math.log1p(-share))

    def quantile(self, chance: float) -> int:
        """The smallest count that is not passed with at least this chance, 0 ≤ chance < 1."""
        if not 0 <= chance < 1:
            raise ValueError(f"{chance} is no chance below 1")
        if self.at_most(0) >= chance:
            return 0
        # doubled until it is enough, then halved down to the smallest
        low, high = 0, max(1, int(self.mean))
        while self.at_most(high) < chance:
            low, high = high, 2 * high
        while high - low > 1:
            middle = (low + high) // 2
            if self.at_most(middle) < chance:
                low = middle
            else:
                high = middle
        return high

    def short(self, stock: int) -> float:
        """How many more than `stock` come on average: the loss function."""
        if stock <= 0:
            return self.mean - stock
        left = self.mean - sum(1 - self.at_most(count) for count in range(stock))
        # what is left of the digits after a long subtraction is nothing
        return max(left, 0.0)


def wilson(bad: int, tried: int, sureness: float = 0.95) -> tuple[float, float]:
    """The interval of a share by Wilson's score (Newcombe 1998, *Statistics in Medicine* 17).

    >>> [round(end, 4) for end in wilson(15, 148)]
    [0.0624, 0.1605]
    """
    if not 0 <= bad <= tried or tried == 0:
        raise ValueError(f"{bad} of {tried} is no share")
    from scipy import special

    z = float(special.ndtri((1 + sureness) / 2))
    share, square = bad / tried, z * z
    middle = (share + square / (2 * tried)) / (1 + square / tried)
    half = z * math.sqrt(share * (1 - share) / tried + square / (4 * tried * tried)) / (1 + square / tried)
    # none bad, or all: the end is the share itself, which the digits miss
    return (0.0 if bad == 0 else middle - half), (1.0 if bad == tried else middle + half)


@dataclass(frozen=True, slots=True, kw_only=True)
class Share:
    """A share between none and all of which something is known: a beta distribution."""

    yes: float
    no: float

    def __post_init__(self) -> None:
        if not (self.yes > 0 and self.no > 0):
            raise ValueError(f"{self.yes} and {self.no} say nothing of a share")

    @property
    def mean(self) -> float:
        return self.yes / (self.yes + self.no)

    def interval(self, sureness: float = 0.95) -> tuple[float, float]:
        """Between what the share lies with this sureness, as much left out below as above.

        >>> [round(end, 4) for end in Share(yes=4, no=18).interval()]
        [0.0545, 0.3634]
        """
        from scipy import special

        rest = (1 - sureness) / 2
        low, high = (float(special.betaincinv(self.yes, self.no, end)) for end in (rest, 1 - rest))
        return low, high

    def above(self, other: Share, steps: int = 2000) -> float:
        """The chance that this share is above another: its quantiles, each held against the other's."""
        import numpy as np
        from scipy import special

        middles = (np.arange(steps) + 0.5) / steps
        quantiles = special.betaincinv(self.yes, self.no, middles)
        return float(np.mean(special.betainc(other.yes, other.no, quantiles)))


def shared_prior(
    counts: Sequence[tuple[int, int]],
    before: tuple[int, int] = (1, 2),
    least: float = 2.0,
    most: float = 50.0,
) -> Share:
    """What is known of a share before anything is tried of one: from (yes, tried) of all that are alike, by
    the method of moments (Carlin & Louis, *Bayes and Empirical Bayes Methods*); worth between `least` and
    `most` tries. `before` is what is known before any was seen, and what it is worth while they are too few
    to say how alike they are.
    """
    tried = sum(each for _, each in counts)
    mean = (sum(yes for yes, _ in counts) + before[0]) / (tried + before[1])
    several = [(yes, each) for yes, each in counts if each >= 2]
    if len(several) < 3:
        return Share(yes=mean * before[1], no=(1 - mean) * before[1])
    spread = sum(each * (yes / each - mean) ** 2 for yes, each in several)
    by_chance = mean * (1 - mean) * len(several)
    weight = sum(each for _, each in several)
    between = (spread - by_chance) / (weight - sum(each * each for _, each in several) / weight)
    worth = most if between <= 0 else min(max(mean * (1 - mean) / between - 1, least), most)
    return Share(yes=mean * worth, no=(1 - mean) * worth)


def dispersion(counts: Sequence[int], chance: float = 0.05) -> float:
    """By how much counts of equal whiles vary more than a Poisson's: variance over mean where a chi-square
    test finds it larger than chance alone makes it (Cox & Lewis 1966), else 1.
    """
    if len(counts) < 2 or sum(counts) == 0:
        return 1.0
    from scipy import special

    mean = sum(counts) / len(counts)
    ratio = sum((each - mean) ** 2 for each in counts) / (len(counts) - 1) / mean
    beyond = float(special.chdtrc(len(counts) - 1, ratio * (len(counts) - 1)))
    return ratio if beyond < chance and ratio > 1 else 1.0


def load_functions() -> None:
    """Import the special functions now, so that the first who asks does not wait for them."""
    from scipy import special as _special  # noqa: F401
