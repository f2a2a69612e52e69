"""Which offer first: cost to a finished job, arrival, grade; ties and dominance (common practice, no source,
unless said).
"""

from __future__ import annotations

from dataclasses import replace

import pytest
from builders import HERON, SLATE, offer, offers, said, wanted
from core.test_matching import judged, known
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import ManyInvalid
from sutura.core.matching.judging import Fit, Judged, may_choose
from sutura.core.matching.kits import find_kits
from sutura.core.matching.offers import GRADES
from sutura.core.matching.ranking import (
    WEIGHT_WORDS,
    Weights,
    cost_lines,
    defect_rate,
    dominates,
    one_a_piece,
    rank,
    read_weights,
    wait_days,
    weights_from,
    weights_kept,
)
from sutura.core.maths.money import amount_text

PLAIN_WEIGHTS = Weights()


def order(every: list[Judged], weights: Weights = PLAIN_WEIGHTS, days_left: int | None = None) -> list[str]:
    return [one.judged.offer.printed_number for one in rank(every, weights, 25, days_left)]


def test_those_that_may_be_chosen_come_first_then_the_unknown_then_the_refused() -> None:
    every = [judged(HERON, code) for code in ("P-1003", "P-1004", "P-1002", "P-1001")]
    assert order(every) == ["HF-70-R1", "HF-70-R2", "ZX-070", "HFL-71-A"]


def test_every_cost_to_a_finished_job_is_a_line() -> None:
    one = judged(HERON, "P-1001", free=0, shipping_minor=490, lead_days=2)
    lines = {said(line.what): line.minor for line in cost_lines(one, PLAIN_WEIGHTS, 25, 1)}
    # 2.5 % of the 25 minutes that would be worked again at 72.00 an hour
    assert lines == {
        "part": 6_000,
        "shipping": 490,
        "4 min more at the bench": 480,
        f"expected loss, 2.5% of {one.offer.supplier}'s pieces fail": 75,
        "2 days of waiting": 600,
        "1 day past the promise": 2_500,
        "grade: genuine pulled": 300,
    }


def test_what_lies_on_the_shelf_waits_for_nothing_and_is_not_shipped() -> None:
    here = judged(HERON, "P-1001", free=1, shipping_minor=490)
    assert wait_days(here) == 0
    assert "shipping" not in {line.what for line in cost_lines(here, PLAIN_WEIGHTS, 25, 0)}


def test_dear_bench_time_outweighs_a_cheap_part() -> None:
    bare, complete = judged(HERON, "P-1001"), judged(HERON, "P-1002")
    assert order([complete, bare])[0] == "HF-70-R1"
    assert order([complete, bare], Weights(rate_minor=100_000))[0] == "HF-70-R2"


def test_a_promise_makes_waiting_dear() -> None:
    cheap_elsewhere, dear_here = judged(SLATE, "P-3002", free=0), judged(SLATE, "P-3001")
    assert order([cheap_elsewhere, dear_here], days_left=9)[0] == cheap_elsewhere.offer.printed_number
    assert order([cheap_elsewhere, dear_here], days_left=0)[0] == dear_here.offer.printed_number


def test_a_supplier_whose_pieces_fail_costs_more() -> None:
    """Mean of Beta(k+1, n−k+39); (0 + 1) / (0 + 40) and (3 + 1) / (60 + 40) by hand."""
    assert (defect_rate(0, 0), defect_rate(3, 60)) == (0.025, 0.04)
    good, bad = (
        judged(SLATE, "P-3001"),
        judged(SLATE, "P-3001", id=2, supplier_bad=30, supplier_tried=60, guarantee_days=0),
    )
    assert rank([bad, good], PLAIN_WEIGHTS, 70)[0].judged is good


def test_a_kit_is_priced_against_the_genuine_front() -> None:
    """W03."""
    kit = find_kits(
        wanted("tarnbeck-fold-12-g4"), [offer("P-3102"), offer("P-3103")], known(offer("P-3104"))
    )[0]
    genuine = judged("tarnbeck-fold-12-g4", "P-3101")
    ranked = rank([genuine, kit], PLAIN_WEIGHTS, 60)
    assert ranked[0].judged is kit
    assert {"parts", "Adapter flex, Fold 12 gen 2 to gen 4"} <= {line.what for line in ranked[0].lines}
    assert ranked[0].money_minor < ranked[1].money_minor


def test_grades_cost_what_the_shop_says() -> None:
    """A new genuine part has nothing against it; the others what common practice takes off."""
    costs = {grade: Weights().grade_minor[grade] for grade in GRADES}
    assert costs == {"genuine new": 0, "genuine pulled": 300, "refurbished": 600, "aftermarket": 1_500}


def test_of_two_that_cost_the_same_the_one_on_the_shelf_comes_first() -> None:
    """One that comes in no time, for nothing, stands behind one that lies here; two here by their number."""
    here = judged(SLATE, "P-3001", id=9, free=1, lead_days=0, shipping_minor=0)
    away = judged(SLATE, "P-3001", id=1, free=0, lead_days=0, shipping_minor=0)
    assert [one.judged.offer.id for one in rank([away, here], PLAIN_WEIGHTS, 25)] == [9, 1]
    more = judged(SLATE, "P-3001", id=3, free=2, lead_days=0, shipping_minor=0)
    assert [one.judged.offer.id for one in rank([here, more], PLAIN_WEIGHTS, 25)] == [3, 9]


def test_a_tie_is_explained() -> None:
    one, other = judged(SLATE, "P-3001", id=1), judged(SLATE, "P-3001", id=2)
    assert "nothing tells them apart" in said(rank([one, other], PLAIN_WEIGHTS)[1].tie)
    assert said(rank([one, other], PLAIN_WEIGHTS)[0].tie) == ""


def test_an_offer_that_is_worse_in_all_is_folded_under_the_better_one() -> None:
    best, worse = (
        judged(SLATE, "P-3001"),
        judged(SLATE, "P-3001", id=2, price_minor=20_000, supplier="Elsewhere"),
    )
    ranked = rank([worse, best], PLAIN_WEIGHTS)
    assert [bool(said(ranked_offer.under)) for ranked_offer in ranked] == [False, True]
    assert "Slate 11 front with adhesive" in said(ranked[1].under)
    better_grade = judged(SLATE, "P-3001", id=3, price_minor=20_000, grade="genuine new")
    assert not any(said(one.under) for one in rank([best, better_grade], PLAIN_WEIGHTS))


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["P-1001", "P-1002", "P-1003", "P-1004"]),
            st.integers(1_000, 30_000),
            st.integers(0, 9),
            st.integers(0, 2),
        ),
        max_size=7,
    )
)
def test_only_offers_that_are_beaten_in_all_are_folded(made: list[tuple[str, int, int, int]]) -> None:
    """Dominance by its own definition, tried on every pair."""
    every = [
        judged(HERON, code, id=n, price_minor=price, lead_days=lead, free=free)
        for n, (code, price, lead, free) in enumerate(made, 1)
    ]
    ranked = rank(every, PLAIN_WEIGHTS)
    assert sorted(ranked_offer.judged.offer.id for ranked_offer in ranked) == [
        match.offer.id for match in every
    ]
    groups = [
        0 if may_choose(ranked_offer.judged.fit) else 1 if ranked_offer.judged.fit is Fit.UNKNOWN else 2
        for ranked_offer in ranked
    ]
    assert groups == sorted(groups)
    for ranked_offer in ranked:
        beaten = any(dominates(other, ranked_offer) for other in ranked)
        assert not said(ranked_offer.under) or beaten
        if may_choose(ranked_offer.judged.fit):
            assert bool(said(ranked_offer.under)) is beaten


def test_adding_offers_changes_no_other_verdict() -> None:
    alone = rank([judged(HERON, "P-1001")], PLAIN_WEIGHTS)[0]
    among = rank([judged(HERON, code) for code in ("P-1004", "P-1001", "P-1002")], PLAIN_WEIGHTS)
    found = next(one for one in among if one.judged.offer.printed_number == "HF-70-R1")
    assert (found.judged, found.lines) == (alone.judged, alone.lines)


def test_weights_are_kept_and_read_back() -> None:
    typed = {name: amount_text(minor, "TAL") for name, minor in weights_kept(PLAIN_WEIGHTS).items()}
    assert set(typed) == set(WEIGHT_WORDS)
    assert weights_from(
        weights_kept(read_weights({**typed, "late_day": "99.00"}, 7_200, "TAL")), 7_200
    ) == replace(PLAIN_WEIGHTS, late_day_minor=9_900)
    assert weights_from({}, 7_200) == PLAIN_WEIGHTS
    with pytest.raises(ManyInvalid) as refused:
        read_weights({**typed, "consent": "much", "grade.": "-1"}, 7_200, "TAL")
    assert set(refused.value.by_field) == {"weight.consent", "weight.grade."}


def test_parts_of_a_kit_from_one_supplier_are_one_order() -> None:
    glass, panel, flex = (
        offer(code, free=0, shipping_minor=950, supplier="Eastquay Panels")
        for code in ("P-3103", "P-3102", "P-3104")
    )
    (kit,) = find_kits(wanted("tarnbeck-fold-12-g4"), [glass, panel], known(flex))
    shipping = [line.minor for line in cost_lines(kit, PLAIN_WEIGHTS, 60, None) if line.what == "shipping"]
    assert shipping == [950]


# -- what is listed at all ----------------------------------------------------------------------------


def test_a_piece_on_the_shelf_is_one_line_whoever_offers_it() -> None:
    here = offer("P-1001", free=1)
    elsewhere = replace(here, id=900, supplier="Another", price_minor=here.price_minor - 100)
    gone = [replace(one, free=0) for one in (here, elsewhere)]
    assert [one.id for one in one_a_piece([here, elsewhere])] == [900]
    assert one_a_piece(gone) == gone


def test_a_longer_guarantee_or_a_return_keeps_an_offer_from_being_folded() -> None:
    plain = judged(HERON, "P-1001", guarantee_days=30, returns="")
    [better] = rank([plain], PLAIN_WEIGHTS)
    dearer = judged(HERON, "P-1001", price_minor=7_000, guarantee_days=30, returns="")
    [worse] = rank([dearer], PLAIN_WEIGHTS)
    assert dominates(better, worse)
    for longer in (
        judged(HERON, "P-1001", price_minor=7_000, guarantee_days=90, returns=""),
        judged(HERON, "P-1001", price_minor=7_000, guarantee_days=30, returns="14 days"),
    ):
        [kept] = rank([longer], PLAIN_WEIGHTS)
        assert not dominates(better, kept)
    # what nobody promised is no guarantee
    [silent] = rank([judged(HERON, "P-1001", guarantee_days=None, returns="")], PLAIN_WEIGHTS)
    assert dominates(better, silent)


def test_a_kit_is_as_good_as_its_worst_member() -> None:
    """Work sample W03."""
    parts = list(offers().values())
    [kit] = find_kits(wanted("tarnbeck-fold-12-g4"), parts, known(offer("P-3104")))
    grades = [member.grade for member in kit.members]
    assert kit.offer.grade == max(grades, key=GRADES.index)
    unknown = [replace(part, grade="") if part.id == kit.members[0].id else part for part in parts]
    [doubtful] = find_kits(wanted("tarnbeck-fold-12-g4"), unknown, known(offer("P-3104")))
    assert doubtful.offer.grade == ""
