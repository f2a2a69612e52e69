"""When to order and how many, held against a simulated shelf and a search over everything."""

from __future__ import annotations

import heapq
import math
import random

import pytest

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.maths.statistics import Counts
from sutura.core.stock.demand import Demand
from sutura.core.stock.reordering import (
    REVIEW_DAYS,
    Advice,
    Buying,
    Keeping,
    LeadTime,
    Position,
    ShelfWants,
    advise,
    cheapest_lot,
    fill_rate,
    lead_time,
    look_ahead,
    read_pieces,
    read_wants,
    ready_rate,
    reorder_point,
    running_out,
    wants_texts,
    yearly_cost,
)

PLAIN = Keeping(order_minor=800, holding=0.2, ageing=0.25)
STEADY = Demand(per_day=0.1, unsure=0)
QUICK = LeadTime(mean_days=4, sd_days=1)


def simulated(
    per_day: float, mean_days: float, sd_days: float, point: int, lot: int, uses: int, seed: int
) -> tuple[float, float]:
    """A shelf worked use by use: (share served at once, its standard error over twenty stretches). An order
    never overtakes the one before it.
    """
    chance = random.Random(seed)
    shape = (mean_days / sd_days) ** 2 if sd_days else 0.0
    now = last = 0.0
    on_hand, owed, position = point + lot, 0, point + lot
    due: list[float] = []
    stretches = []
    for _ in range(20):
        served = 0
        for _ in range(uses // 20):
            now += chance.expovariate(per_day)
            while due and due[0] <= now:
                heapq.heappop(due)
                come = lot - min(owed, lot)
                owed -= lot - come
                on_hand += come
            if on_hand:
                on_hand -= 1
                served += 1
            else:
                owed += 1
            position -= 1
            if position <= point:
                took = chance.gammavariate(shape, mean_days / shape) if shape else mean_days
                last = max(last, now + took)
                heapq.heappush(due, last)
                position += lot
        stretches.append(served / (uses // 20))
    mean = sum(stretches) / 20
    return mean, math.sqrt(sum((each - mean) ** 2 for each in stretches) / 19 / 20)


@pytest.mark.parametrize(
    ("per_day", "days", "sd", "lot", "target"),
    [(0.3, 7.0, 0.0, 1, 0.9), (0.3, 7.0, 0.0, 4, 0.95), (0.1, 12.0, 0.0, 2, 0.8), (0.4, 10.0, 5.0, 12, 0.95)],
)
def test_the_proposed_reorder_point_reaches_the_stated_fill_rate(
    per_day: float, days: float, sd: float, lot: int, target: float
) -> None:
    during = Demand(per_day=per_day, unsure=0).over(days, sd)
    point = reorder_point(during, lot, target)
    for level, reaches in ((point, True), (point - 1, False)):
        seen, error = simulated(per_day, days, sd, level, lot, 40_000, seed=7)
        assert seen == pytest.approx(fill_rate(during, level, lot), abs=4 * error + 0.002 * (sd > 0))
        assert (fill_rate(during, level, lot) >= target) is reaches


def test_fill_and_ready_rate_differ_and_are_told_apart() -> None:
    """S = 3 and S = 5 of Poisson 2.1 (check-values 5)."""
    during = Counts(mean=2.1)
    assert fill_rate(during, 2, 1) == pytest.approx(0.6496313518820689)
    assert ready_rate(during, 2, 1) == pytest.approx(0.8386428488905466)
    assert fill_rate(during, 4, 1) == pytest.approx(0.9378738848199973)
    assert ready_rate(during, 4, 1) == pytest.approx(0.9795509199103667)
    # a lot of three: the mean over the positions 3, 4 and 5
    assert fill_rate(during, 2, 3) == pytest.approx(sum(during.at_most(each) for each in (2, 3, 4)) / 3)
    with pytest.raises(ValueError, match="lot of 0"):
        ready_rate(during, 2, 0)


@pytest.mark.parametrize(
    "during", [Counts(mean=0.2), Counts(mean=3), Counts(mean=7, variance=30), Counts(mean=90)]
)
def test_the_reorder_point_is_found_as_a_walk_finds_it(during: Counts) -> None:
    for lot, target in ((1, 0.5), (1, 0.99), (3, 0.9), (40, 0.95)):
        walked = next(point for point in range(-1, 400) if fill_rate(during, point, lot) >= target)
        assert reorder_point(during, lot, target) == walked


def test_the_reorder_point_is_the_smallest_and_none_is_kept_for_no_target() -> None:
    during = Counts(mean=2.1)
    assert reorder_point(during, 1, 0.93) == 4
    assert reorder_point(during, 1, 0.94) == 5
    assert reorder_point(during, 1, 0) == -1
    assert reorder_point(Counts(mean=0), 1, 0.95) == 0
    with pytest.raises(ValueError, match="not below 1"):
        reorder_point(during, 1, 1.0)


def test_a_lead_time_is_drawn_from_the_suppliers_word_to_its_deliveries() -> None:
    said = lead_time(6, [])
    assert (said.mean_days, said.sd_days, said.deliveries) == pytest.approx((6, 2, 0))
    late = lead_time(3, [9] * 30)
    assert late.mean_days == pytest.approx((9 + 270) / 33)
    assert late.sd_days**2 == pytest.approx(
        (3 * (1 + (late.mean_days - 3) ** 2) + 30 * (9 - late.mean_days) ** 2) / 33
    )
    assert lead_time(0, []).mean_days == 0.5, "nobody delivers at once"


# -- lots -------------------------------------------------------------------------------------------------


def test_only_what_a_supplier_sells_can_be_ordered() -> None:
    packs = Buying(price_minor=100, breaks={}, least=6, pack=5)
    assert [number for number in range(22) if packs.sells(number)] == [0, 10, 15, 20]
    assert read_pieces("15", 100, packs) == 15
    assert read_pieces("7", 100, None) == 7
    with pytest.raises(Invalid, match=r"such as 15: it is sold from 10 pieces on, in steps of 5"):
        read_pieces("12", 100, packs)
    for text in ("0", "101", "x"):
        with pytest.raises(Invalid):
            read_pieces(text, 100, packs, least=1)


def test_the_lot_of_the_textbook() -> None:
    """EOQ(8, 0.225, 1300) = 304.05, 68.41 a year (check-values 5); whole pieces lie beside it."""
    keeping, buying = Keeping(order_minor=800, holding=0.225, ageing=0), Buying(price_minor=100, breaks={})
    lot = cheapest_lot(1300, keeping, buying)
    assert abs(lot - 304.0467800264368) < 1
    assert yearly_cost(lot, 1300, keeping, buying) - 130_000 == pytest.approx(6841.052550594829, abs=0.01)


def test_the_lot_is_the_cheapest_of_all_that_can_be_bought() -> None:
    for breaks, least, pack in (({}, 1, 1), ({10: 1700, 25: 1500}, 1, 1), ({5: 1900}, 3, 2), ({}, 40, 10)):
        buying = Buying(price_minor=2000, breaks=breaks, least=least, pack=pack)
        lot = cheapest_lot(60, PLAIN, buying, most=60)
        possible = [n for n in range(1, 61) if n % pack == 0 and n >= least]

        def cost(n: int, breaks: dict[int, int] = breaks) -> float:
            price = 2000
            for number in sorted(breaks):
                if n >= number:
                    price = breaks[number]
            return 800 * 60 / n + 0.45 * price * n / 2 + price * 60

        assert lot == min(possible, key=cost)


def test_what_will_not_be_used_is_not_bought_but_the_least_is() -> None:
    cheap = Buying(price_minor=10, breaks={})
    assert cheapest_lot(3, PLAIN, cheap, most=3) == 3
    assert cheapest_lot(3, PLAIN, Buying(price_minor=10, breaks={}, least=20), most=3) == 20
    assert Buying(price_minor=10, breaks={}, least=5, pack=4).at_least(1) == 8
    assert Buying(price_minor=10, breaks={}, least=1, pack=4).at_least(9) == 12


# -- today ------------------------------------------------------------------------------------------------


def told(position: Position, demand: Demand = STEADY, **changes: int) -> Advice:
    buying = Buying(price_minor=4000, breaks={}, least=changes.get("least", 1), pack=changes.get("pack", 1))
    return advise(position, demand, QUICK, PLAIN, buying, 0.95)


def test_nothing_is_ordered_above_the_reorder_point_and_enough_below_it() -> None:
    quiet = told(Position(on_hand=9, promised=0))
    assert (quiet.order, quiet.for_jobs) == (0, 0)
    assert quiet.out_with == quiet.out_without
    point, lot = quiet.reorder_point, quiet.lot
    assert point >= 1
    assert quiet.fill >= 0.95
    for position in range(-2, point + 3):
        advice = told(Position(on_hand=max(position, 0), promised=0, waiting=max(-position, 0)))
        after = position + advice.order
        if position > point:
            assert advice.order == 0
        else:
            assert point < after <= point + lot, "back above it, by whole lots and no more"
            assert advice.order % lot == 0


def test_what_jobs_wait_for_is_ordered_first_and_not_twice() -> None:
    rare = Demand(per_day=0.5 / 365, unsure=0)
    waiting = told(Position(on_hand=0, promised=0, waiting=2), rare)
    assert (waiting.order, waiting.for_jobs, waiting.is_kept) == (2, 2, False)
    assert told(Position(on_hand=0, promised=0, waiting=2, on_order=2), rare).order == 0
    assert told(Position(on_hand=1, promised=0, waiting=2), rare).for_jobs == 1
    assert told(Position(on_hand=1, promised=1, waiting=2), rare).for_jobs == 2, (
        "the one on hand is another's"
    )
    assert told(Position(on_hand=0, promised=0, waiting=2), rare, least=5).order == 5
    kept = told(Position(on_hand=0, promised=0, waiting=2))
    empty = told(Position(on_hand=0, promised=0))
    assert kept.for_jobs == 2
    assert kept.order - empty.order in (0, 2, kept.lot)


def test_the_chance_of_running_out_with_and_without_an_order_as_simulated() -> None:
    demand, lead = Demand(per_day=0.25, unsure=0), LeadTime(mean_days=5, sd_days=0)
    chance = random.Random(3)
    tries = 20_000
    without = having = 0
    for _ in range(tries):
        day, uses = 0.0, []
        while (day := day + chance.expovariate(0.25)) < 5 + REVIEW_DAYS:
            uses.append(day)
        without += len(uses) > 3
        having += sum(day < 5 for day in uses) > 3 or len(uses) > 3 + 2
    error = 4 * math.sqrt(0.25 / tries)
    told_without, told_with = running_out(3, 2, demand, lead)
    assert told_without == pytest.approx(without / tries, abs=error)
    assert told_with == pytest.approx(having / tries, abs=error)
    assert running_out(3, 0, demand, lead) == (told_without, told_without)


def test_with_jobs_waiting_it_is_certain_until_theirs_are_ordered() -> None:
    lead = LeadTime(mean_days=4, sd_days=0)
    without, having = running_out(-2, 0, STEADY, lead)
    assert (without, having) == (1, 1)
    without, having = running_out(-2, 4, STEADY, lead)
    assert without == 1
    # none may be asked for before they come, two after
    assert having == pytest.approx(1 - math.exp(-0.4) * Counts(mean=0.7).at_most(2))


def test_the_days_ahead_fall_with_use_and_rise_with_what_comes() -> None:
    days = look_ahead(3, {5: 4}, Demand(per_day=0.2, unsure=0), 14)
    assert [day.day for day in days] == list(range(15))
    assert (days[0].low, days[0].middle, days[0].high, days[0].out) == (3, 3, 3, 0)
    assert days[5].middle > days[4].middle
    assert days[4].middle == pytest.approx(
        sum(max(3 - n, 0) * Counts(mean=0.8).exactly(n) for n in range(9)), abs=1e-6
    )
    assert days[4].out == pytest.approx(1 - Counts(mean=0.8).at_most(2))
    for day in days:
        assert day.low <= day.middle <= day.high + 1e-9
    assert look_ahead(0, {}, STEADY, 1)[1].out == 1


WANTS = {"fill": "95", "order_cost": "5.00", "keeping": "20", "ageing": "25", "pieces_from": "20.00"}


def test_what_the_shop_wants_is_read_as_typed_within_its_bounds() -> None:
    kept = read_wants(WANTS, "TAL")
    assert kept == ShelfWants(
        fill_percent=95, order_cost_minor=500, keeping_percent=20, ageing_percent=25, pieces_from_minor=2000
    )
    assert wants_texts(kept, "TAL") == WANTS
    for name, taken, refused in (
        ("fill", ("50", "99"), ("49", "100", "")),
        ("keeping", ("0", "100"), ("101", "-1")),
        ("ageing", ("0", "100"), ("101", "x")),
        ("pieces_from", ("0", "20", "1,000.50"), ("-1", "x")),
        ("order_cost", ("0", "10000.00"), ("10000.01", "-1")),
    ):
        for text in taken:
            read_wants({**WANTS, name: text}, "TAL")
        for text in refused:
            with pytest.raises(ManyInvalid) as wrong:
                read_wants({**WANTS, name: text}, "TAL")
            assert set(wrong.value.by_field) == {name}
