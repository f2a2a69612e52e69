"""How good suppliers are, and what they ask."""

from __future__ import annotations

import random
import statistics

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import ManyInvalid
from sutura.core.matching.ranking import defect_rate
from sutura.core.stock.suppliers import (
    PriceSeen,
    PriceTrend,
    Terms,
    judge_suppliers,
    price_trend,
    prior_of,
    read_terms,
    terms_texts,
)

TYPED = {"shipping": "4.90", "least_order": "20", "free_from": "", "return_days": "14", "takes": "mail"}
KEPT = Terms(shipping_minor=490, least_order_minor=2000, free_from_minor=None, return_days=14, takes="mail")


def test_three_good_of_three_is_not_a_hundred_percent() -> None:
    judged = judge_suppliers({"new": (0, 3), "old": (4, 100), "other": (7, 120), "third": (2, 60)})
    new = judged["new"]
    assert new.likely > 0.02
    assert new.high > 0.08
    assert new.seen
    assert new.seen[1] > 0.5
    assert 0.2 < new.worse < 0.6, "nothing is known of it yet"


def test_one_that_is_plainly_worse_is_said_to_be_and_the_good_ones_are_not() -> None:
    judged = judge_suppliers({"bad": (30, 100), "a": (3, 100), "b": (4, 120), "c": (2, 90)})
    assert judged["bad"].worse > 0.999
    assert max(judged[name].worse for name in "abc") < 0.1
    assert judged["bad"].low < 0.30 < judged["bad"].high


def test_what_is_not_tried_is_known_by_the_others_alone() -> None:
    judged = judge_suppliers({"new": (0, 0), "a": (5, 100), "b": (5, 100), "c": (5, 100)})
    assert judged["new"].seen is None
    # by hand: (15 + 1) / (300 + 40)
    assert judged["new"].likely == pytest.approx(16 / 340)
    assert judge_suppliers({}) == {}
    [alone] = judge_suppliers({"only": (0, 0)}).values()
    assert (alone.likely, alone.worse) == pytest.approx((1 / 40, 0.5))
    pair = judge_suppliers({"a": (0, 4), "b": (4, 4)})
    # by hand: a prior worth forty tries at (4 + 1) / (8 + 40) of them bad
    assert (pair["a"].likely, pair["b"].likely) == pytest.approx((40 * 5 / 48 / 44, (40 * 5 / 48 + 4) / 44))
    assert pair["a"].worse + pair["b"].worse == pytest.approx(1, abs=1e-3)


@given(
    st.dictionaries(
        st.text(max_size=3),
        st.integers(0, 40).flatmap(lambda n: st.tuples(st.integers(0, n), st.just(n))),
        max_size=6,
    )
)
def test_match_counts_with_the_share_that_the_suppliers_page_shows(
    counts: dict[str, tuple[int, int]],
) -> None:
    prior = prior_of(counts.values())
    for supplier, quality in judge_suppliers(counts).items():
        assert defect_rate(*counts[supplier], prior) == pytest.approx(quality.likely)
        assert 0 < quality.likely < 1


def test_the_interval_holds_the_truth_about_as_often_as_it_says() -> None:
    """Six suppliers alike, four percent bad, sixty pieces each, forty times over."""
    chance = random.Random(11)
    held = tried = 0
    for _ in range(40):
        counts = {str(n): (sum(chance.random() < 0.04 for _ in range(60)), 60) for n in range(6)}
        for quality in judge_suppliers(counts).values():
            tried += 1
            held += quality.low <= 0.04 <= quality.high
    assert held / tried > 0.92


def test_terms_are_read_as_typed_and_shown_as_kept() -> None:
    assert read_terms(TYPED, "TAL") == KEPT
    assert read_terms(terms_texts(KEPT, "TAL"), "TAL") == KEPT
    free = read_terms({**TYPED, "free_from": "200"}, "TAL")
    assert free.free_from_minor == 20_000
    assert read_terms(terms_texts(free, "TAL"), "TAL") == free
    assert (free.shipping_of(19_999), free.shipping_of(20_000), KEPT.shipping_of(10**8)) == (490, 0, 490)


def test_every_term_that_cannot_be_read_is_named() -> None:
    wrong = {"shipping": "x", "least_order": "-1", "free_from": "?", "return_days": "366", "takes": "fax"}
    with pytest.raises(ManyInvalid) as refused:
        read_terms(wrong, "TAL")
    assert set(refused.value.by_field) == set(wrong)


def test_what_cost_nothing_once_says_nothing_of_a_trend() -> None:
    seen = [PriceSeen(then_minor=0, now_minor=10, days=90), PriceSeen(then_minor=10, now_minor=0, days=90)]
    assert price_trend(seen) == PriceTrend(moved=None, articles=0)


@given(st.lists(st.tuples(st.integers(1, 10**6), st.integers(1, 10**6), st.integers(0, 400)), max_size=8))
def test_prices_moved_by_the_mean_ratio_of_what_is_known_long_enough(
    seen: list[tuple[int, int, int]],
) -> None:
    trend = price_trend(PriceSeen(then_minor=then, now_minor=now, days=days) for then, now, days in seen)
    ratios = [now / then for then, now, days in seen if days >= 30]
    assert trend.articles == len(ratios)
    if not ratios:
        assert trend.moved is None, "unknown is not unmoved"
    else:
        assert trend.moved == pytest.approx(statistics.geometric_mean(ratios) - 1, rel=1e-5, abs=1e-5)
