"""Routes beside each other: closed forms against simulation, break-even against the point where costs cross,
percentiles against counting. Check values section 9; trade facts: common practice, no source.
"""

from __future__ import annotations

import math
import random
from dataclasses import replace

import numpy as np
import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.intake.observations import Layer
from sutura.core.maths.money import Money
from sutura.core.quoting.chains import (
    SPREAD,
    Try,
    break_even,
    expected_cost,
    expected_minutes,
    outcomes,
    percentile,
    spread_minutes,
)
from sutura.core.quoting.routes import (
    PRIORS,
    Policy,
    Standing,
    Tried,
    Way,
    Weighed,
    cannot_be,
    chain_of,
    chance_of,
    failure_of,
    follows,
    in_view,
    weigh,
    worth_today,
)

A, B = Try(cost=30, minutes=20, chance=0.8), Try(cost=120, minutes=30, chance=0.97)
POLICY = Policy(rate_minor=6_000, wait_day_minor=300)

tries = st.builds(Try, cost=st.floats(1, 500), minutes=st.floats(1, 120), chance=st.floats(0.3, 1.0))


def tal(minor: float) -> Money:
    return Money(minor=round(minor), currency="TAL")


def simulated(chain: list[Try], runs: int, seed: int) -> np.ndarray:
    """The same tries thrown: a judge that knows no formula."""
    chance, costs = random.Random(seed), []
    for _ in range(runs):
        cost, number = 0.0, 0
        while True:
            one = chain[min(number, len(chain) - 1)]
            cost, number = cost + one.cost, number + 1
            if chance.random() < one.chance:
                break
        costs.append(cost)
    return np.array(costs)


def fundamental(transient: list[list[float]]) -> list[list[float]]:
    """(I − Q)⁻¹ of an absorbing chain: how often each state is entered from each; the judge of the closed
    form.
    """
    q = np.asarray(transient)
    return [[float(round(value, 12)) for value in row] for row in np.linalg.inv(np.eye(len(q)) - q)]


def test_the_fallback_chain_of_the_check_values() -> None:
    """Check values section 9, by calculation."""
    assert expected_cost([A, B]) == pytest.approx(54.74226804123711, abs=1e-9)
    assert expected_cost([B]) == pytest.approx(123.71134020618557, abs=1e-9)
    alone = expected_cost([B])
    assert break_even(A, alone, alone) == pytest.approx(0.2425, abs=1e-9)


def test_the_fundamental_matrix_of_the_check_values() -> None:
    """Grinstead & Snell, the drunkard's walk: N = [[1.5, 1, .5], [1, 2, 1], [.5, 1, 1.5]]."""
    assert fundamental([[0, 0.5, 0], [0.5, 0, 0.5], [0, 0.5, 0]]) == [
        [1.5, 1.0, 0.5],
        [1.0, 2.0, 1.0],
        [0.5, 1.0, 1.5],
    ]


def test_the_chain_is_the_absorbing_one() -> None:
    """The same by the fundamental matrix: how often each try is made, times its cost."""
    n = fundamental([[0, 1 - A.chance], [0, 1 - B.chance]])
    assert n[0][0] * A.cost + n[0][1] * B.cost == pytest.approx(expected_cost([A, B]), abs=1e-9)


def test_a_simulation_agrees_within_its_error() -> None:
    for chain in ([A, B], [B], [A, A, B], [Try(cost=9, minutes=1, chance=1.0)]):
        thrown = simulated(chain, 40_000, 11)
        error = 4 * thrown.std() / math.sqrt(len(thrown)) + 1e-9
        assert abs(thrown.mean() - expected_cost(chain)) <= error
        exact = [(one.cost, one.probability) for one in outcomes(chain)]
        for share in (0.5, 0.8, 0.95):
            # the same value, unless the throw fell on the other side of a step that ends at that share
            value = percentile(exact, share)
            below, upto = (thrown < value).mean(), (thrown <= value).mean()
            assert below - 0.01 <= share <= upto + 0.01


@given(st.lists(tries, min_size=1, max_size=4))
def test_outcomes_are_all_there_is_and_their_mean_is_the_closed_form(chain: list[Try]) -> None:
    every = outcomes(chain)
    assert sum(one.probability for one in every) == pytest.approx(1, abs=1e-9)
    mean = sum(one.probability * one.cost for one in every)
    assert mean == pytest.approx(expected_cost(chain), rel=1e-6)
    assert (
        min(one.cost for one in every) - 1e-9 <= expected_cost(chain) <= max(one.cost for one in every) + 1e-9
    )
    minutes = sum(one.probability * one.minutes for one in every)
    assert minutes == pytest.approx(expected_minutes(chain), rel=1e-6)
    assert [one.tries for one in every] == list(range(1, len(every) + 1))


@given(st.floats(1, 200), st.lists(tries, min_size=1, max_size=3))
def test_break_even_is_where_the_two_costs_cross(cost: float, rest: list[Try]) -> None:
    alone = expected_cost(rest)
    needs = break_even(Try(cost=cost, minutes=0, chance=0.5), alone, alone)
    if needs is None:
        # even a try that always succeeds is dearer
        assert cost > alone
    elif needs > 0:
        there = expected_cost([Try(cost=cost, minutes=0, chance=needs), *rest])
        assert there == pytest.approx(alone, rel=1e-6)
        better = expected_cost([Try(cost=cost, minutes=0, chance=min(needs + 0.05, 1.0)), *rest])
        assert better <= there + 1e-9


def test_a_try_that_never_succeeds_is_none() -> None:
    for chance in (0, -0.1, 1.01):
        with pytest.raises(ValueError, match="ends never"):
            Try(cost=1, minutes=1, chance=chance)
    assert break_even(A, 100, 0) is None
    assert break_even(replace(A, cost=0), 100, 100) == 0.0


def test_percentiles_are_values_that_occur() -> None:
    values = [(10.0, 0.5), (20.0, 0.3), (30.0, 0.2)]
    assert [percentile(values, share) for share in (0.5, 0.51, 0.8, 0.81, 0.99)] == [10, 20, 20, 30, 30]
    assert percentile([(1.0, 0.4)], 0.9) == 1.0
    for share in (0, 1):
        with pytest.raises(ValueError, match="no percentile"):
            percentile(values, share)


def test_minutes_spread_as_a_lognormal_with_their_mean() -> None:
    """Against numpy's own lognormal, 400,000 thrown; seed 3."""
    spread = spread_minutes(outcomes([A, B]))
    assert sum(probability for _, probability in spread) == pytest.approx(1)
    mean = sum(minutes * probability for minutes, probability in spread)
    assert mean == pytest.approx(expected_minutes([A, B]), rel=0.01)
    rng = np.random.default_rng(3)
    ways = outcomes([A, B])
    totals = rng.choice([w.minutes for w in ways], p=[w.probability for w in ways], size=400_000)
    thrown = totals * rng.lognormal(-(SPREAD**2) / 2, SPREAD, size=400_000)
    for share in (0.5, 0.8, 0.95):
        assert percentile(spread, share) == pytest.approx(float(np.quantile(thrown, share)), rel=0.03)


# -- ways beside each other --------------------------------------------------------------------------------


def way(kind: str, parts: int, minutes: int, price: int, **more: object) -> Way:
    made = Way(
        kind=kind,
        name=kind,
        parts=tal(parts),
        bench_minutes=minutes,
        unattended_minutes=0,
        wait_days=0,
        price=tal(price),
        tax=tal(0),
    )
    return replace(made, **more)  # type: ignore[arg-type]


def standing(found: tuple[Weighed, ...]) -> dict[str, Standing]:
    return {one.way.kind: one.standing for one in found}


def test_ten_minutes_against_an_hour_leave_six_times_as_much_an_hour() -> None:
    """W18: whole front at 89 in ten minutes against glass and touch at 116 in an hour; 150 less a part at 60
    leaves 90, in 15 minutes 360 an hour, in an hour 90: trade facts.
    """
    [quick] = weigh(
        [way("front with frame", 6_000, 15, 15_000, tried=Tried(succeeded=10**6, tries=10**6))], POLICY
    )
    assert quick.left_per_hour
    assert quick.left_per_hour.minor == pytest.approx(36_000, rel=0.001)
    [slow] = weigh(
        [way("front with frame", 6_000, 60, 15_000, tried=Tried(succeeded=10**6, tries=10**6))], POLICY
    )
    assert slow.left_per_hour
    assert slow.left_per_hour.minor == pytest.approx(9_000, rel=0.001)


def test_glass_only_says_what_it_has_to_beat() -> None:
    """W15: glass at an eighteenth of the assembly, an hour more of work."""
    ways = [
        way("glass", 1_000, 75, 15_000, falls_to="front assembly", tried=Tried(succeeded=18, tries=22)),
        way("front assembly", 18_000, 30, 32_000),
    ]
    glass = next(one for one in weigh(ways, POLICY) if one.way.kind == "glass")
    chain = chain_of(ways[0], {one.kind: one for one in ways}, POLICY)
    rest = expected_cost(chain[1:])
    assert chain[0].cost == 1_000 + 75 * 100
    assert glass.needs == pytest.approx(1 - (rest - 8_500) / rest)
    assert glass.pays
    assert glass.sure == round(100 * (0.7 * 8 + 18) / (8 + 22))
    assert "18 of 22" in said(glass.says)
    assert f"more than {round((glass.needs or 0) * 100)} %" in said(glass.says)
    untried = weigh([replace(ways[0], tried=Tried()), ways[1]], POLICY)
    assert "not tried here yet" in said(next(one for one in untried if one.way.kind == "glass").says)


def test_a_try_that_is_dearer_than_what_follows_never_pays() -> None:
    ways = [
        way("glass", 1_000, 600, 15_000, falls_to="front assembly"),
        way("front assembly", 5_000, 30, 12_000),
    ]
    glass = next(one for one in weigh(ways, POLICY) if one.way.kind == "glass")
    assert glass.never_pays
    assert glass.pays is False
    assert "never pays" in said(glass.says)


def test_what_is_no_better_in_anything_is_folded_under_what_beats_it() -> None:
    found = weigh(
        [way("front assembly", 5_000, 30, 12_000), way("glass and touch", 6_000, 60, 14_000)], POLICY
    )
    assert standing(found) == {"front assembly": Standing.RECOMMENDED, "glass and touch": Standing.DOMINATED}
    assert said(found[1].under) == "no better in anything than front assembly"


def test_two_that_are_alike_both_stand() -> None:
    """Neither is better in anything: neither is folded under the other."""
    one = way("front assembly", 5_000, 30, 12_000)
    found = weigh([one, replace(one, name="another front")], POLICY)
    assert [each.standing for each in found] == [Standing.RECOMMENDED, Standing.POSSIBLE]


def test_floors_and_worth_and_what_cannot_be_done() -> None:
    ways = [
        way("front assembly", 9_000, 30, 20_000),
        way("reseat", 0, 15, 3_000, falls_to="front assembly"),
        way("glass", 500, 60, 9_000, why_not="the display is broken, too"),
    ]
    found = standing(weigh(ways, POLICY))
    assert found == {
        "front assembly": Standing.RECOMMENDED,
        "reseat": Standing.TOO_RISKY,
        "glass": Standing.CANNOT,
    }
    poor = weigh(ways, replace(POLICY, worth_share=0.5), worth=tal(30_000))
    assert standing(poor)["front assembly"] is Standing.NOT_WORTH_IT
    assert "300.00 TAL" in said(next(one.under for one in poor if one.way.kind == "front assembly"))
    assert (
        standing(weigh(ways, replace(POLICY, worth_share=0.5), worth=tal(40_000)))["front assembly"]
        is Standing.RECOMMENDED
    )
    assert standing(weigh(ways, replace(POLICY, least_chance=0.2)))["reseat"] is not Standing.TOO_RISKY


def test_what_the_shop_tried_goes_over_what_is_usual() -> None:
    assert chance_of("glass", Tried()).mean == pytest.approx(PRIORS["glass"][0] / 100)
    assert chance_of("glass", Tried(succeeded=900, tries=1000)).mean == pytest.approx(0.9, abs=0.01)
    assert chance_of("glass", Tried(succeeded=0, tries=3)).mean < 0.55
    assert chance_of("front assembly", Tried(), kit=True).mean == pytest.approx(0.91)
    assert chance_of("a new kind", Tried()).mean == pytest.approx(0.9)
    assert all(0 < usual < 100 and worth > 0 for usual, worth in PRIORS.values())


def test_the_shop_s_share_is_the_prior_of_its_people() -> None:
    """Judged by counting: 88 of 100 worth eight tries, ten of twelve in the shop, of which one of three by
    the one who would do it.
    """
    usual = 0.88 * 8
    shop = (usual + 9) / (8 + 9)  # without the own ones: nine of nine
    own = chance_of("bare panel", Tried(succeeded=10, tries=12, own_succeeded=1, own_tries=3))
    assert own.mean == pytest.approx((shop * 8 + 1) / (8 + 3))
    alone = chance_of("bare panel", Tried(succeeded=10, tries=12))
    assert own.mean < alone.mean == pytest.approx((usual + 10) / (8 + 12))
    # what failures cost in the price is the same whoever does it
    tried = Tried(succeeded=10, tries=12, own_succeeded=1, own_tries=3)
    assert failure_of("bare panel", 10_000, 60, 6_000, tried, kit=False) == round((1 - alone.mean) * 16_000)


@given(st.integers(0, 20), st.integers(0, 20), st.integers(0, 20), st.integers(0, 20))
def test_own_tries_pull_towards_what_they_say(good: int, bad: int, own_good: int, own_bad: int) -> None:
    shop = Tried(succeeded=good + own_good, tries=good + bad + own_good + own_bad)
    without = chance_of("panel", Tried(succeeded=good, tries=good + bad))
    own = replace(shop, own_succeeded=own_good, own_tries=own_good + own_bad)
    found = chance_of("panel", own)
    if own_good + own_bad:
        share = own_good / (own_good + own_bad)
        low, high = sorted((share, without.mean))
        assert low - 0.02 <= found.mean <= high + 0.02
    else:
        assert found == without


def test_tape_and_glue_are_part_of_the_cost_and_not_of_the_price() -> None:
    plain = way("glass", 1_200, 60, 20_000)
    taken = replace(plain, consumables_minor=140)
    [one], [other] = weigh([plain], POLICY), weigh([taken], POLICY)
    assert other.cost.minor - one.cost.minor == pytest.approx(140 / one.chance.mean, abs=1)
    assert other.way.price == one.way.price


@given(st.integers(0, 40), st.integers(0, 40))
def test_one_more_success_never_lowers_and_one_more_failure_never_raises(good: int, bad: int) -> None:
    now = chance_of("glass", Tried(succeeded=good, tries=good + bad)).mean
    assert chance_of("glass", Tried(succeeded=good + 1, tries=good + bad + 1)).mean >= now
    assert chance_of("glass", Tried(succeeded=good, tries=good + bad + 1)).mean <= now


def test_a_ring_of_fallbacks_ends() -> None:
    ways = {"a": way("a", 100, 10, 1_000, falls_to="b"), "b": way("b", 200, 10, 1_000, falls_to="a")}
    assert len(chain_of(ways["a"], ways, POLICY)) == 2


def test_waiting_and_a_failure_count_by_the_shop_s_weights() -> None:
    near = way("front assembly", 5_000, 30, 15_000)
    far = way("front with frame", 4_800, 30, 15_000, wait_days=3)
    assert (
        standing(weigh([near, far], replace(POLICY, wait_day_minor=0)))["front with frame"]
        is Standing.RECOMMENDED
    )
    assert (
        standing(weigh([near, far], replace(POLICY, wait_day_minor=3_000)))["front assembly"]
        is Standing.RECOMMENDED
    )


def test_a_device_loses_a_quarter_a_year() -> None:
    assert worth_today(tal(80_000), 2029, 2029) == tal(80_000)
    assert worth_today(tal(80_000), 2029, 2032) == tal(80_000 * 0.75**3)
    assert worth_today(tal(80_000), 2029, 2020) == tal(80_000)
    assert worth_today(None, 2029, 2031) is None
    assert worth_today(tal(80_000), 0, 2031) is None


@pytest.mark.parametrize(
    ("kind", "kinds", "next_one"),
    [
        ("glass", ["front assembly", "glass"], "front assembly"),
        ("glass and touch", ["glass and touch", "front with frame"], "front with frame"),
        ("glass", ["glass"], ""),
        ("bare panel", ["bare panel", "lid assembly"], "lid assembly"),
        ("panel", ["panel"], ""),
        ("reseat", ["panel", "reseat"], "panel"),
        ("reseat", ["glass and touch", "front with frame", "reseat"], "front with frame"),
        ("serial", ["front assembly", "reseat", "serial"], "front assembly"),
        ("front assembly", ["front assembly", "glass"], ""),
    ],
)
def test_what_follows_when_a_way_fails(kind: str, kinds: list[str], next_one: str) -> None:
    assert follows(kind, kinds) == next_one


@pytest.mark.parametrize(
    ("kind", "broken", "suspected", "why"),
    [
        ("glass", [Layer.GLASS], [], ""),
        ("glass", [Layer.GLASS, Layer.TOUCH], [], "touch layer"),
        ("glass", [Layer.GLASS, Layer.PANEL], [], "panel is broken"),
        ("glass and touch", [Layer.GLASS, Layer.TOUCH], [], ""),
        ("glass and touch", [Layer.BACKLIGHT], [], "panel is broken"),
        ("front assembly", [Layer.GLASS, Layer.PANEL, Layer.TOUCH], [], ""),
        ("reseat", [Layer.GLASS], [], "no connector mends"),
        ("reseat", [], [Layer.CONNECTOR], ""),
        ("reseat", [], [], "nothing is wrong"),
        ("reseat", [], [Layer.PANEL], "nothing points to the connection"),
        ("reseat", [Layer.PANEL], [Layer.CONNECTOR], ""),
        ("serial", [Layer.GLASS], [], "mends nothing that is broken"),
        ("serial", [], [], "nothing is wrong"),
    ],
)
def test_what_is_broken_rules_ways_out(
    kind: str, broken: list[Layer], suspected: list[Layer], why: str
) -> None:
    found = said(cannot_be(kind, broken, suspected, asked=False))
    assert (why in found) if why else found == ""
    assert said(cannot_be("reseat", [], [], asked=True)) == ""
    assert said(cannot_be("serial", [], [], asked=True)) == ""


def test_own_times_count_for_cost_and_not_for_the_price() -> None:
    slow = way("front assembly", 5_000, 30, 15_000, by="Bram", by_minutes=60)
    [plain], [theirs] = weigh([way("front assembly", 5_000, 30, 15_000)], POLICY), weigh([slow], POLICY)
    assert theirs.way.price == plain.way.price
    assert theirs.cost.minor > plain.cost.minor
    assert theirs.minutes[0] == pytest.approx(2 * plain.minutes[0], abs=1)


def test_what_is_left_is_without_the_tax_that_is_not_the_shop_s() -> None:
    """120 with 20 of tax, a part at 40, 30 minutes at 60 an hour, never failing: 100 − 40 − 30 = 30; a bench
    hour before the work 100 − 40 in half an hour = 120.
    """
    sure = Tried(succeeded=10**7, tries=10**7)
    [found] = weigh([way("front assembly", 4_000, 30, 12_000, tax=tal(2_000), tried=sure)], POLICY)
    assert found.cost.minor == pytest.approx(7_000, abs=1)
    assert found.left.minor == pytest.approx(3_000, abs=1)
    assert found.left_per_hour
    assert found.left_per_hour.minor == pytest.approx(12_000, abs=3)
    assert found.sure == 100
    low, high = found.between
    assert (low, high) == (100, 100)


def test_four_are_compared_and_the_dear_ones_only_where_nothing_else_is_left() -> None:
    ways = [way(f"kind {n}", 1_000 + n, 30 + n, 20_000 - 100 * n) for n in range(6)]
    weighed = [replace(one, standing=Standing.POSSIBLE) for one in weigh(ways, POLICY)]
    assert in_view(weighed).keys == tuple(one.way.key for one in weighed[:4])
    dear = [replace(one, standing=Standing.NOT_WORTH_IT) for one in weighed[:2]]
    assert in_view(dear).keys == tuple(one.way.key for one in dear)
    assert in_view(dear).too_dear
    mixed = in_view([weighed[0], *dear[1:]])
    assert (mixed.keys, mixed.too_dear) == ((weighed[0].way.key,), False)
    assert in_view([replace(weighed[0], standing=Standing.CANNOT)]).keys == ()
