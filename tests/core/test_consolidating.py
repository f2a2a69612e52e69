"""Sharing orders among suppliers, held against every way there is."""

from __future__ import annotations

import itertools
import random

import pytest

from sutura.core.stock import consolidating
from sutura.core.stock.consolidating import Need, Option, share
from sutura.core.stock.suppliers import Terms


def terms(shipping: int = 500, free: int | None = None, least: int = 0) -> Terms:
    return Terms(
        shipping_minor=shipping, least_order_minor=least, free_from_minor=free, return_days=14, takes="csv"
    )


def need(part: int, *options: tuple[str, int, int], within: int | None = None) -> Need:
    made = tuple(Option(supplier=name, cost_minor=cost, days=days) for name, cost, days in options)
    return Need(part=part, options=made, within_days=within)


def every_way(needs: list[Need], of: dict[str, Terms], keep_least: bool) -> int | None:
    """The cheapest of all ways, each written out."""
    best = None
    for ways in itertools.product(*(each.in_time for each in needs)):
        sums: dict[str, int] = {}
        for option in ways:
            sums[option.supplier] = sums.get(option.supplier, 0) + option.cost_minor
        if keep_least and any(total < of[name].least_order_minor for name, total in sums.items()):
            continue
        cost = 0
        for name, total in sums.items():
            limit = of[name].free_from_minor
            cost += total + (0 if limit is not None and total >= limit else of[name].shipping_minor)
        best = cost if best is None else min(best, cost)
    return best


def test_one_cent_decides() -> None:
    """Costs of a few cents, so that a bound that is off by one shows."""
    chance = random.Random(7)
    for _ in range(400):
        of = {name: terms(chance.randrange(3), None, 0) for name in "abc"}
        needs = [
            need(part, *((name, chance.randrange(1, 5), 2) for name in chance.sample("abc", 2)))
            for part in range(chance.randint(1, 5))
        ]
        assert share(needs, of).total_minor == every_way(needs, of, keep_least=False)


def test_it_is_as_cheap_as_the_cheapest_of_all_ways() -> None:
    chance = random.Random(5)
    for _ in range(300):
        of = {
            name: terms(
                chance.randrange(0, 1500, 50), chance.choice([None, 4000, 9000]), chance.choice([0, 0, 3000])
            )
            for name in "abc"
        }
        needs = [
            need(
                part,
                *(
                    (name, chance.randrange(200, 6000, 100), chance.randint(1, 9))
                    for name in chance.sample("abc", chance.randint(1, 3))
                ),
                within=chance.choice([None, None, 4]),
            )
            for part in range(chance.randint(1, 5))
        ]
        shared = share(needs, of)
        exact = every_way(needs, of, keep_least=True)
        assert shared.is_best
        assert bool(shared.below) <= (exact is None), (
            "a least order is given up only where no way reaches all"
        )
        assert shared.total_minor == (every_way(needs, of, keep_least=False) if exact is None else exact)
        assert set(shared.supplier_of) == {each.part for each in needs}
        alone = sum(every_way([each], of, keep_least=False) or 0 for each in needs)
        assert shared.saved_minor == alone - shared.total_minor
        if exact is None or not any(of[name].least_order_minor for name in "abc"):
            assert shared.saved_minor >= 0


def test_a_dearer_part_goes_along_where_that_saves_the_sending() -> None:
    of = {"a": terms(900), "b": terms(900)}
    shared = share([need(1, ("a", 5000, 2)), need(2, ("a", 1300, 2), ("b", 1000, 2))], of)
    assert (shared.supplier_of, shared.total_minor, shared.saved_minor) == ({1: "a", 2: "a"}, 7200, 600)


def test_free_sending_from_a_limit_on_draws_a_part_over() -> None:
    of = {"a": terms(900, free=6000), "b": terms(100)}
    shared = share([need(1, ("a", 5000, 2)), need(2, ("a", 1100, 2), ("b", 1000, 2))], of)
    assert (shared.supplier_of, shared.total_minor) == ({1: "a", 2: "a"}, 6100)


def test_a_job_that_waits_decides_and_where_nobody_is_in_time_the_quickest_does() -> None:
    of = {"slow": terms(0), "quick": terms(0)}
    both = (("slow", 1000, 6), ("quick", 2000, 2))
    assert share([need(1, *both)], of).supplier_of == {1: "slow"}
    assert share([need(1, *both, within=3)], of).supplier_of == {1: "quick"}
    assert share([need(1, *both, within=1)], of).supplier_of == {1: "quick"}
    assert share([need(1, *both, within=6)], of).supplier_of == {1: "slow"}


def test_a_least_order_that_cannot_be_reached_is_said() -> None:
    of = {"a": terms(500, least=9000), "b": terms(500, least=2000)}
    reached = share([need(1, ("a", 1000, 1), ("b", 2500, 1))], of)
    assert (reached.supplier_of, reached.below) == ({1: "b"}, ())
    below = share([need(1, ("a", 1000, 1))], of)
    assert (below.supplier_of, below.below, below.total_minor) == ({1: "a"}, ("a",), 1500)


def test_nothing_to_order_costs_nothing_and_what_nobody_offers_is_left_out() -> None:
    for needs in ([], [need(1)]):
        shared = share(needs, {})
        assert (shared.supplier_of, shared.total_minor, shared.saved_minor, shared.is_best) == (
            {},
            0,
            0,
            True,
        )


def test_a_search_that_is_cut_off_says_so_and_still_has_a_way(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(consolidating, "MOST_LOOKS", 30)
    of = {name: terms(100) for name in "abcd"}
    needs = [need(part, *((name, 1000 + part, 1) for name in "abcd")) for part in range(12)]
    shared = share(needs, of)
    assert not shared.is_best
    assert len(shared.supplier_of) == 12
