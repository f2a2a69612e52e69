"""Ways beside each other on the real database: chosen and held in one press, tried, learned from."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import pytest
from builders import HERON, Shop, all_work, models, said

from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed
from sutura.core.intake.upgrades import upgrades_of
from sutura.core.job import NO_PART, Stage
from sutura.core.matching.judging import may_choose
from sutura.core.maths.money import Money
from sutura.core.quoting.aim import Cures
from sutura.core.quoting.estimating import Range, range_of
from sutura.core.quoting.policy import policy_texts
from sutura.core.quoting.routes import Standing, Tried, in_view, weigh
from sutura.services import bench, drafts, matching, planning, quoting, routes, stock
from sutura.services import shop as shop_service
from sutura.services.routes import Choosable, RoutesPage
from sutura.store import offers as offers_store
from sutura.store import people as people_store
from sutura.store import quoting as store
from sutura.store import stock as stock_store

KITE = "fennick-kite"
BRAMLING = "bramling-pocket"
WHOLE = {"glass": "whole", "image": "fine", "touch": "fine", "battery": "ok"}


@pytest.fixture(autouse=True)
def trained(shop: Shop) -> None:
    people_store.save_skills(
        shop.bram.id, dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
    )


def page(shop: Shop, code: str) -> RoutesPage:
    # in a year in which the samples are still worth something
    return routes.routes_page(code, shop.now.replace(year=2022))


def kinds(found: RoutesPage) -> dict[str, Choosable]:
    """The best way of each kind."""
    best: dict[str, Choosable] = {}
    for one in found.ways:
        best.setdefault(one.weighed.way.kind, one)
    return best


def faulty(model_id: str) -> dict[str, tuple[str, str]]:
    return {**all_work(models()[model_id]), "image": ("faulty", "seen on arrival")}


def glass_broken(shop: Shop, model_id: str = KITE) -> str:
    return shop.take_in(model_id, look={"glass": "broken", "image": "fine", "touch": "fine", "battery": "ok"})


def test_glass_only_stands_beside_the_whole_front_with_what_it_has_to_beat(shop: Shop) -> None:
    """W15: glass at a small share of the assembly, with its break-even."""
    found = kinds(page(shop, glass_broken(shop)))
    glass, front = found["glass"].weighed, found["front assembly"].weighed
    assert glass.way.falls_to == front.way.key
    assert front.way.parts.minor > 10 * glass.way.parts.minor
    assert "pays while it succeeds more than" in said(glass.says)
    assert glass.needs is not None
    assert glass.cost.minor < front.cost.minor
    assert glass.costs[2].minor > glass.costs[0].minor
    assert glass.minutes[0] <= glass.minutes[1] <= glass.minutes[2]
    assert found["reseat"].weighed.standing is Standing.CANNOT
    assert "no connector mends" in said(found["reseat"].weighed.way.why_not)


def test_what_is_broken_rules_the_glass_out(shop: Shop) -> None:
    code = shop.take_in(
        KITE,
        look={"glass": "broken", "image": "blotch", "touch": "fine", "battery": "ok"},
        functions=faulty(KITE),
    )
    found = kinds(page(shop, code))
    assert found["glass"].weighed.standing is Standing.CANNOT
    assert "panel is broken" in said(found["glass"].weighed.way.why_not)
    assert found["front assembly"].weighed.standing is Standing.RECOMMENDED


def test_the_price_of_a_way_is_the_one_that_match_shows_and_that_is_agreed(shop: Shop) -> None:
    code = glass_broken(shop)
    front = kinds(page(shop, code))["front assembly"]
    shown = {
        one.judged.offer.id: one.quote.price
        for one in matching.match_page(code, kind="front assembly").offers
    }
    assert shown[front.offer] == front.weighed.way.price
    made = routes.quote_of(front.weighed.way, models()[KITE].device_class, page(shop, code).rates)
    assert sum(step.minor for step in made.steps) == made.price.minor == front.weighed.way.price.minor
    routes.choose_way(code, front.weighed.way.key, shop.counter, shop.now, agreed=True)
    assert shop.job(code).chosen.price_minor == front.weighed.way.price.minor


def test_a_way_is_chosen_and_its_part_held_in_one_press(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.take_in(HERON)
    best = next(one for one in page(shop, code).ways if one.on_shelf and one.offer)
    routes.choose_way(code, best.weighed.way.key, shop.counter, shop.now, agreed=True)
    assert shop.job(code).stage is Stage.PART_IN_HAND
    assert [held.part for held in stock_store.held_of(shop.job(code).id)] != []
    with pytest.raises(MoveRefused):
        routes.choose_way(code, best.weighed.way.key, shop.counter, shop.now, agreed=True)


def test_what_has_to_be_ordered_is_chosen_and_waits(shop: Shop) -> None:
    code = glass_broken(shop)
    glass = kinds(page(shop, code))["glass"]
    assert not glass.on_shelf
    routes.choose_way(code, glass.weighed.way.key, shop.counter, shop.now, agreed=True)
    assert (shop.job(code).stage, shop.job(code).chosen.route) == (Stage.QUOTED, "glass")


def test_reseating_is_a_way_where_nothing_is_broken_that_it_cannot_mend(shop: Shop) -> None:
    code = shop.take_in(
        HERON,
        look={"glass": "whole", "image": "lines", "touch": "fine", "battery": "ok"},
        functions=faulty(HERON),
        marks=[],
    )
    reseat = kinds(page(shop, code))["reseat"]
    # it is not sure enough for the shop to recommend, and can be chosen all the same
    assert reseat.weighed.standing is Standing.TOO_RISKY
    routes.choose_way(code, reseat.weighed.way.key, shop.counter, shop.now, agreed=False)
    assert shop.job(code).stage is Stage.PART_IN_HAND
    assert shop.job(code).chosen.price_minor == reseat.weighed.way.price.minor


def test_who_may_and_what_is_no_way(shop: Shop) -> None:
    code = glass_broken(shop)
    with pytest.raises(NotAllowed):
        routes.choose_way(code, "glass|", shop.bram, shop.now, agreed=True)
    for key in ("", "solder", kinds(page(shop, code))["reseat"].weighed.way.key):
        with pytest.raises(Invalid, match="ways that are shown"):
            routes.choose_way(code, key, shop.counter, shop.now, agreed=True)


def test_tries_are_kept_and_make_the_next_one_surer_or_less_sure(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    family = models()[HERON].procedure_family
    shop.closed(HERON)
    assert store.tries_of(family)["front assembly"] == Tried(succeeded=1, tries=1)
    code = shop.at_proof(HERON)
    [held] = stock_store.held_of(shop.job(code).id)
    bench.change_part(code, {held.part_id: "broken"}, "cracked while pressing", shop.bram, shop.tick())
    assert store.tries_of(family)["front assembly"] == Tried(succeeded=1, tries=2)
    # a part of another size says nothing of the way
    shop.choose(code)
    stock.take_part(code, shop.counter, shop.tick())
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    [held] = stock_store.held_of(shop.job(code).id)
    bench.change_part(code, {held.part_id: "did_not_fit"}, "another window", shop.bram, shop.tick())
    assert store.tries_of(family)["front assembly"] == Tried(succeeded=1, tries=2)
    before = kinds(page(shop, shop.take_in(HERON)))["front assembly"].weighed
    assert "1 of 2 here" in said(before.says)


def test_without_a_job_the_same_ways_answer_on_the_phone(shop: Shop) -> None:
    found = routes.routes_of_model(models()[KITE], shop.now, {"glass": "broken", "image": "fine"})
    assert found.job is None
    assert not found.choosable
    assert {one.weighed.way.kind for one in found.ways} == {"front assembly", "glass", "reseat"}


def test_a_device_worth_little_is_said_to_be(shop: Shop) -> None:
    old = routes.routes_of_model(models()["fennick-wren"], shop.now.replace(year=2046))
    assert old.worth
    assert {one.weighed.standing for one in old.ways if one.offer} == {Standing.NOT_WORTH_IT}


def test_the_counter_gives_a_discount_up_to_its_limit_and_a_rush_costs_more(shop: Shop) -> None:
    policy = shop_service.shop().rates.policy
    typed = {**policy_texts(policy, ()), "rush": "10", "discount.counter": "20"}
    shop_service.change_policy(typed, 1, shop.manager, shop.now)
    code = glass_broken(shop)
    glass = kinds(page(shop, code))["glass"]
    routes.choose_way(code, glass.weighed.way.key, shop.counter, shop.now, agreed=True, rush=True)
    job = shop.job(code)
    rushed = job.chosen.price_minor or 0
    assert rushed > glass.weighed.way.price.minor
    assert (
        rushed
        == routes.quote_of(
            glass.weighed.way, models()[KITE].device_class, page(shop, code).rates, rush=True
        ).price.minor
    )
    lowest = f"{rushed * 80 / 10_000:.2f}"
    for wrong in (f"{rushed * 79 / 10_000:.2f}", f"{(rushed + 100) / 100:.2f}"):
        with pytest.raises(Invalid, match="further down is for a manager"):
            quoting.change_job_price(code, wrong, "a regular", job.version, shop.counter, shop.now)
    quoting.change_job_price(code, lowest, "a regular", job.version, shop.counter, shop.now)
    assert shop.job(code).chosen.price_minor == round(rushed * 0.8)
    with pytest.raises(NotAllowed):
        quoting.change_job_price(code, "1", "x", shop.job(code).version, shop.bram, shop.now)


LOOKS: tuple[dict[str, str], ...] = (
    {"glass": "broken", "image": "fine", "touch": "fine", "battery": "ok"},
    {"glass": "broken", "image": "blotch", "touch": "fine", "battery": "ok"},
    {"glass": "whole", "image": "lines", "touch": "fine", "battery": "ok"},
    {},
)


@pytest.mark.parametrize("model_id", list(models()))
def test_no_two_pages_recommend_against_each_other(shop: Shop, model_id: str) -> None:
    """Law: the part of the option that is recommended is the first that Match offers for that kind, at the
    same price and folded under nothing; whatever lies on the shelf, whatever is broken.
    """
    for look in LOOKS:
        code = shop.take_in(model_id, look=look, marks=[])
        found = page(shop, code)
        # what needs no part is offered on both pages or on none
        without = {one.weighed.way.kind for one in found.ways if one.weighed.way.kind in NO_PART}
        can = {kind for kind in without if kinds(found)[kind].weighed.standing is not Standing.CANNOT}
        model, rates = models()[model_id], shop_service.shop().rates
        assert {way.kind for way, _ in quoting.partless_for(shop.job(code), model, rates)} == can
        for one in found.ways:
            if one.weighed.standing is not Standing.RECOMMENDED or not one.offer:
                continue
            there = matching.match_page(code, shop.now.replace(year=2022), kind=one.weighed.way.kind).matching
            first = next(offer for offer in there.offers if may_choose(offer.judged.fit))
            assert (first.judged.offer.id, first.price) == (one.offer, one.weighed.way.price)
            assert first.ranked.under == ""
            # what one page recommends the other does not advise against
            assert first.ranked.aim
            assert first.ranked.aim.may_be_recommended
            assert first.ranked.aim
            assert first.ranked.aim.key == pytest.approx(one.weighed.aim.key)


def test_a_wanted_upgrade_is_what_the_job_needs(shop: Shop) -> None:
    """Nothing is broken and a matte screen is wanted: a glossy front on the shelf is none."""
    [matte] = upgrades_of(models()[BRAMLING])
    shop.receive("P-4001")
    code = shop.take_in(
        BRAMLING, look=WHOLE, marks=[], how={"data": "backed_up", "upgrade": matte.key}, complaint=""
    )
    found = page(shop, code)
    [best] = [one for one in found.ways if one.weighed.standing is Standing.RECOMMENDED]
    offered = offers_store.load_offer(best.offer)
    assert offered
    assert offered.known("finish") == "matte"
    there = matching.match_page(code, shop.now).matching
    assert there.wanted.need["finish"] == "matte"
    choosable = [one.judged.offer for one in there.offers if may_choose(one.judged.fit)]
    assert choosable
    assert {one.known("finish") for one in choosable} == {"matte"}
    glossy = next(one for one in there.offers if one.judged.offer.known("finish") == "glossy")
    with pytest.raises(Invalid):
        matching.choose_offer(code, glossy.judged.offer.id, shop.counter, shop.now)
    # what was measured of the old one does not make the wish another
    matching.compare_original(code, {"finish": "glossy"}, [], shop.counter, shop.now)
    assert matching.match_page(code, shop.now).matching.wanted.need["finish"] == "matte"
    # without the wish the device's own finish is what it needs
    plain = matching.match_page(shop.take_in(BRAMLING, look=WHOLE, marks=[]), shop.now).matching
    assert plain.wanted.need["finish"] == "glossy"


def test_an_upgrade_that_the_device_cannot_have_is_refused(shop: Shop) -> None:
    with pytest.raises(ManyInvalid, match="1 thing"):
        shop.take_in(BRAMLING, how={"data": "backed_up", "upgrade": "finish:velvet"})


def test_w08_lost_brightness_is_answered_by_what_brings_it_back(shop: Shop) -> None:
    """An aftermarket display lies on the shelf, cheaper: it loses what the customer came for."""
    model = models()["quillon-ember-s"]
    for barcode in ("P-1302", "P-1303"):
        shop.receive(barcode, 1)
    lost = {**all_work(model), "light": ("faulty", "brightness does not follow")}
    code = shop.take_in(
        model.id,
        look={"glass": "whole", "image": "fine", "touch": "fine", "battery": "ok"},
        functions=lost,
        marks=[],
    )
    found = page(shop, code)
    [best] = [one for one in found.ways if one.weighed.standing is Standing.RECOMMENDED]
    assert best.weighed.way.kind == "serial"
    there = matching.match_page(code, shop.now, kind="front assembly").matching
    choosable = [one for one in there.offers if may_choose(one.judged.fit)]
    grades = [one.judged.offer.grade for one in choosable]
    assert grades.index("genuine new") < grades.index("aftermarket")
    assert {
        one.judged.offer.grade for one in choosable if one.ranked.aim and one.ranked.aim.cures is Cures.NO
    } == {"aftermarket"}
    # what does not cure it is recommended on no page, also where nothing else is left
    alone = weigh(
        [
            replace(losing_way, why_not="")
            for losing_way in (one.weighed.way for one in found.ways)
            if losing_way.cures is Cures.NO
        ],
        found.policy,
    )
    assert alone
    assert all(one.standing is not Standing.RECOMMENDED for one in alone)
    # where the glass is broken as well no serial mends it
    broken = page(shop, shop.take_in(model.id, look=LOOKS[0], functions=lost))
    assert kinds(broken)["serial"].weighed.standing is Standing.CANNOT


# -- said before anybody signs -----------------------------------------------------------------------


def test_a_range_is_said_at_the_counter_and_binds_what_is_chosen(shop: Shop) -> None:
    """The judge: the range is that of the options which the job's page compares; a price above it needs the
    customer's word, one within it does not.
    """
    shop.receive("P-1001")
    fields = {
        "model_id": [HERON],
        "name": ["Orla Venn"],
        "phone": ["555 0101"],
        **{f"function.{one.id}": ["works"] for one in models()[HERON].functions},
        "look.glass": ["broken"],
    }
    draft = drafts.open_draft(shop.counter, shop.now, fields)
    found, _ = drafts.estimate(draft, shop.now.replace(year=2022))
    assert found
    code = shop.take_in(
        HERON,
        look={"glass": "broken", "image": "fine", "touch": "fine"},
        marks=[],
        how={"data": "backed_up", "estimate": found.span.kept},
    )
    ways = page(shop, code)
    view = in_view([one.weighed for one in ways.ways]).keys
    prices = [one.weighed.way.price for one in ways.ways if one.weighed.way.key in view]
    assert (found.span.low.minor, found.span.high.minor) == (
        min(price.minor for price in prices),
        max(price.minor for price in prices),
    )
    [best] = [one for one in ways.ways if one.weighed.standing is Standing.RECOMMENDED]
    assert found.price == best.weighed.way.price
    assert range_of(shop.job(code).arrival.how) == found.span
    # within what was told nothing more is asked
    assert "although" not in said(best.consent)
    # a lower range was told: what is chosen above it is asked about first
    low = Range(low=Money(minor=100, currency="TAL"), high=Money(minor=5_000, currency="TAL"))
    dear = shop.take_in(HERON, marks=[], how={"data": "backed_up", "estimate": low.kept})
    way = next(one for one in page(shop, dear).ways if one.offer)
    assert "50.00" in said(way.consent)
    with pytest.raises(Invalid) as refused:
        routes.choose_way(dear, way.weighed.way.key, shop.counter, shop.now, agreed=False)
    assert refused.value.field == "agreed"
    routes.choose_way(dear, way.weighed.way.key, shop.counter, shop.now, agreed=True)
    assert shop.job(dear).chosen.price_minor


def test_a_range_that_was_not_shown_is_refused(shop: Shop) -> None:
    for typed in ("cheap", "200 100 TAL", "1 2", "1 2 tal"):
        with pytest.raises(ManyInvalid) as refused:
            shop.take_in(HERON, how={"data": "backed_up", "estimate": typed})
        assert [one.field for one in refused.value.problems] == ["arrival.estimate"]
