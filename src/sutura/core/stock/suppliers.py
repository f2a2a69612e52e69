"""How good suppliers are: their share of bad pieces with how sure that is, and whether they are worse than
the rest; and what they ask of an order.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import partial

from sutura.core.maths.money import amount_text
from sutura.core.maths.statistics import Share, shared_prior, wilson
from sutura.core.typed import Problems, read_amount, read_choice, read_whole
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="stock.supplier-quality",
        capability="stock",
        says=(
            "A supplier's share of bad pieces is told with its interval: what is seen of it, drawn to "
            "what is seen of all suppliers, and while they are few to 1 in 40. Three good ones of three are "
            "not a hundred percent. Match counts with the same share."
        ),
        source="Wilson 1927 (Newcombe 1998); beta-binomial with a shared prior, Carlin & Louis",
    ),
    Rule(
        id="stock.price-trend",
        capability="stock",
        says=(
            "A supplier's prices are told by the mean ratio of now to a year ago, or to when an article was "
            "first seen, over what the shop keeps of it; an article that is known for less than 30 days says "
            "nothing."
        ),
        source="geometric mean of price relatives (Jevons index; ILO, Consumer Price Index Manual, 2020)",
    ),
    Rule(
        id="stock.supplier-terms",
        capability="stock",
        says=(
            "An order keeps to the supplier's least sum, and its sending is free from the supplier's "
            "limit on; what goes back goes within its days."
        ),
        source=COMMON,
    ),
)


# Of a supplier of whom nothing is known, nor of others, 1 piece in 40 is taken to be bad; the shop's, no
# source.
PRIOR_BAD, PRIOR_TRIED = 1, 40
NOTHING_KNOWN = Share(yes=PRIOR_BAD, no=PRIOR_TRIED - PRIOR_BAD)


def prior_of(counts: Iterable[tuple[int, int]]) -> Share:
    """What is taken of a supplier before its own pieces: from the (bad, tried) of all of them (rule
    stock.supplier-quality).

    >>> prior_of([]).mean, prior_of([(0, 100), (5, 100)]).mean
    (0.025, 0.025)
    """
    return shared_prior(list(counts), before=(PRIOR_BAD, PRIOR_TRIED))


@dataclass(frozen=True, slots=True, kw_only=True)
class Quality:
    """What is known of a supplier's share of bad pieces: likely, and between what with 95 percent; by what
    was seen alone (Wilson; None while nothing was); and how likely it is worse than the others together.
    """

    tried: int
    bad: int
    likely: float
    low: float
    high: float
    seen: tuple[float, float] | None
    worse: float


def judge_suppliers(counts: Mapping[str, tuple[int, int]]) -> dict[str, Quality]:
    """The quality of each supplier from its (bad, tried) pieces.

    >>> good = judge_suppliers({"a": (0, 3), "b": (4, 60), "c": (2, 50), "d": (9, 80)})["a"]
    >>> 0.03 < good.likely < 0.09, good.high > 0.1
    (True, True)
    """
    prior = prior_of(counts.values())
    all_bad, all_tried = (sum(each) for each in zip(*counts.values(), strict=True)) if counts else (0, 0)
    judged = {}
    for supplier, (bad, tried) in counts.items():
        own = Share(yes=prior.yes + bad, no=prior.no + tried - bad)
        rest = Share(yes=prior.yes + all_bad - bad, no=prior.no + (all_tried - tried) - (all_bad - bad))
        low, high = own.interval()
        judged[supplier] = Quality(
            tried=tried,
            bad=bad,
            likely=own.mean,
            low=low,
            high=high,
            seen=wilson(bad, tried) if tried else None,
            worse=own.above(rest),
        )
    return judged


# an article known for less says nothing of how prices move; the shop's, no source
LEAST_DAYS = 30


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceSeen:
    """The price of an article then and now, in minor units, and how many days lie between."""

    then_minor: int
    now_minor: int
    days: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceTrend:
    """By what share prices moved, over how many articles; None where nothing is known of it."""

    moved: float | None
    articles: int


def price_trend(seen: Iterable[PriceSeen]) -> PriceTrend:
    """How a supplier's prices moved (rule stock.price-trend).

    >>> rose = PriceSeen(then_minor=100, now_minor=121, days=200)
    >>> price_trend([rose, PriceSeen(then_minor=50, now_minor=50, days=90)])
    PriceTrend(moved=0.1, articles=2)
    """
    known = [each for each in seen if each.days >= LEAST_DAYS and each.then_minor > 0 and each.now_minor > 0]
    if not known:
        return PriceTrend(moved=None, articles=0)
    mean = sum(math.log(each.now_minor / each.then_minor) for each in known) / len(known)
    return PriceTrend(moved=round(math.exp(mean) - 1, 6), articles=len(known))


# -- terms ------------------------------------------------------------------------------------------------

TAKES = ("csv", "mail")
MOST_RETURN_DAYS = 365


@dataclass(frozen=True, slots=True, kw_only=True)
class Terms:
    """What a supplier asks of an order, and how long it takes things back; amounts in minor units."""

    shipping_minor: int
    least_order_minor: int
    free_from_minor: int | None
    return_days: int
    takes: str

    def shipping_of(self, total_minor: int) -> int:
        """What sending an order of this sum costs."""
        free = self.free_from_minor is not None and total_minor >= self.free_from_minor
        return 0 if free else self.shipping_minor


def read_terms(typed: Mapping[str, str], currency: str) -> Terms:
    """Terms as typed; every problem at its field. No limit for free sending is never free."""
    problems = Problems()
    amount = partial(read_amount, currency=currency)
    free = typed.get("free_from", "").strip()
    read = {
        name: problems.read(name, typed.get(name, ""), amount) or 0 for name in ("shipping", "least_order")
    }
    free_from = problems.read("free_from", free, amount) if free else None
    days = problems.read(
        "return_days", typed.get("return_days", ""), partial(read_whole, most=MOST_RETURN_DAYS)
    )
    takes = problems.read("takes", typed.get("takes", ""), partial(read_choice, choices=TAKES))
    problems.refuse()
    return Terms(
        shipping_minor=read["shipping"],
        least_order_minor=read["least_order"],
        free_from_minor=free_from,
        return_days=days or 0,
        takes=takes or TAKES[0],
    )


def terms_texts(terms: Terms, currency: str) -> dict[str, str]:
    """Terms as a form shows them."""
    free = terms.free_from_minor
    return {
        "shipping": amount_text(terms.shipping_minor, currency),
        "least_order": amount_text(terms.least_order_minor, currency),
        "free_from": "" if free is None else amount_text(free, currency),
        "return_days": str(terms.return_days),
        "takes": terms.takes,
    }
