"""Comebacks through the services: W01 with a new impact, W06 with a dead strip, nothing found twice, the
Book.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from builders import HERON, Shop, models

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound
from sutura.core.handover.comebacks import Cause, NewPrice, Payer, Seal
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.job import Stage
from sutura.core.maths.geometry import Point
from sutura.core.quoting.answers import NotOpen
from sutura.core.quoting.pricing import Rates
from sutura.core.stock.orders import Cause as ReturnCause
from sutura.demo import hours as demo_hours
from sutura.demo.comebacks import come_back
from sutura.demo.shop import TIMEZONE
from sutura.services import answers, bench, comebacks, intake, invoices, matching, planning, routes, stock
from sutura.services import shop as shop_service
from sutura.store import comebacks as store
from sutura.store import drafts as drafts_store
from sutura.store import returns as returns_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import DATABASE
from sutura.web.drawings.price import draw_price

IMPACT = Mark(kind=MarkKind.IMPACT, points=(Point(x=30, y=60),), reach_mm=9)


def finished(shop: Shop, model: str = HERON) -> str:
    shop.receive("P-1001", 2)
    code = shop.closed(model)
    shop.hand_back(code)
    shop.now += timedelta(days=20)
    return code


def back(shop: Shop, code: str, **changes: Any) -> str:
    draft = comebacks.open_comeback(code, shop.counter, shop.tick())
    kept = drafts_store.load_draft(draft)
    assert kept
    assert kept.fields["comeback_of"] == [code]
    assert kept.fields["serial"] == [shop.job(code).arrival.serial]
    return intake.take_in(draft, shop.arrival(**changes), shop.counter, shop.tick())


def test_w01_comes_back_with_a_new_impact_and_the_customer_pays(shop: Shop) -> None:
    old = finished(shop)
    new = back(shop, old, marks=[IMPACT], functions={**works(), "touch": ("faulty", "dead")})
    page = comebacks.comeback_page(new)
    assert page.of.code == old
    assert [mark.kind for mark in page.evidence.new_marks] == [MarkKind.IMPACT]
    assert page.suggested is Cause.NEW_DAMAGE
    then = comebacks.decide(new, "new_damage", "whole", "", shop.counter, shop.tick())
    assert (then.payer, then.price) == (Payer.CUSTOMER, NewPrice.ALL)
    shop.choose(new)
    assert (shop.job(new).chosen.price_minor or 0) > 0
    assert store.came_and_went(shop.job(new).id) == (old, [])
    assert store.came_and_went(shop.job(old).id) == ("", [new])


def works() -> dict[str, tuple[str, str]]:
    return {function.id: ("works", "") for function in models()[HERON].functions}


def test_w06_comes_back_with_a_dead_strip_and_the_supplier_is_asked(shop: Shop) -> None:
    old = finished(shop)
    new = back(shop, old, marks=[], functions={**works(), "touch": ("faulty", "dead strip")})
    page = comebacks.comeback_page(new)
    assert page.suggested is Cause.PART
    assert page.standing.part_runs
    assert page.standing.supplier_runs
    with pytest.raises(NotAllowed):
        comebacks.decide(new, "part", "whole", "", shop.bram, shop.tick())
    before = suppliers_store.load_supplier("millrace")
    assert before
    then = comebacks.decide(new, "part", "whole", "", shop.counter, shop.tick())
    assert (then.payer, then.claim) == (Payer.SUPPLIER, True)
    [claim] = [row for row in returns_store.open_returns() if row.note == new]
    assert claim.cause is ReturnCause.WARRANTY
    assert claim.send_by
    assert claim.owed_minor == 6_000
    shop.choose(new)
    assert shop.job(new).chosen.price_minor == 0
    # decided again the same asks nobody twice
    comebacks.decide(new, "part", "whole", "", shop.counter, shop.tick())
    assert len([row for row in returns_store.open_returns() if row.note == new]) == 1
    after = suppliers_store.load_supplier(claim.supplier_id)
    assert after
    # counted as good when it was fitted, and bad since it failed
    assert (after.tried, after.bad) == (before.tried, before.bad + 1)
    with pytest.raises(ManyInvalid):
        comebacks.decide(new, "workmanship", "whole", "", shop.counter, shop.tick())
    comebacks.decide(new, "workmanship", "whole", "the plug was loose", shop.counter, shop.tick())
    assert [row for row in returns_store.open_returns() if row.note.startswith(new)] == [], "nobody is asked"
    assert suppliers_store.load_supplier(claim.supplier_id) == before
    assert [one.cause for one in store.causes_of(shop.job(new).id)] == [
        Cause.PART,
        Cause.PART,
        Cause.WORKMANSHIP,
    ]
    comebacks.decide(new, "new_damage", "opened", "seen under the loupe", shop.counter, shop.tick())
    again = comebacks.comeback_page(new)
    assert again.agree_anew
    assert again.seal is Seal.OPENED
    shop.choose(new)
    assert not comebacks.comeback_page(new).agree_anew
    comebacks.decide(new, "workmanship", "whole", "the plug was loose", shop.counter, shop.tick())
    assert shop.job(new).chosen.price_minor == 0
    book = comebacks.book_page(shop.manager, shop.now)
    assert [row.code for row in book.rows].count(new) == 1
    assert book.by_cause.get("workmanship") == 1
    assert book.by_technician == {shop.bram.name: 1}


def ways(shop: Shop, code: str) -> dict[str, int]:
    """The price of each way that can be done."""
    page = routes.routes_page(code, shop.now)
    return {
        one.weighed.way.key: one.weighed.way.price.minor for one in page.ways if not one.weighed.way.why_not
    }


def test_the_ways_and_quotes_of_a_comeback_are_at_what_the_customer_pays(shop: Shop) -> None:
    """One price for one way: beside each other, in the quote, and when it is agreed."""
    old = finished(shop)
    new = back(shop, old, marks=[], functions={**works(), "touch": ("faulty", "dead strip")})
    before = ways(shop, new)
    token = answers.offer_ways(new, list(before)[:1], shop.counter, shop.tick())
    assert min(before.values()) > 0
    comebacks.decide(new, "part", "whole", "", shop.counter, shop.tick())
    # what was offered at another price is overtaken
    with pytest.raises(NotOpen):
        answers.answer_by_link(token, next(iter(before)), shop.now, agreed=True)
    assert set(ways(shop, new).values()) == {0}
    assert {one.price.minor for one in matching.match_page(new, shop.now).matching.offers} == {0}
    key = next(key for key in ways(shop, new) if key.startswith("front assembly"))
    token = answers.offer_ways(new, [key], shop.counter, shop.tick())
    [way] = answers.by_link(token).ways
    assert way.price.minor == way.deposit.minor == 0
    answers.answer_by_link(token, key, shop.tick(), agreed=True)
    assert shop.job(new).chosen.price_minor == 0


def test_where_only_the_work_is_paid_a_quote_takes_the_part_off_once(shop: Shop) -> None:
    """The supplier's guarantee outlives ours: the judge takes the part's share out of the price of a new
    job.
    """
    terms = {"grade.genuine pulled": "5", "work_days": "5", "voids": "Opened by others."}
    comebacks.change_terms(terms, comebacks.newest_terms(), shop.manager, shop.tick())
    old = finished(shop)
    new = back(shop, old, marks=[], functions={**works(), "touch": ("faulty", "dead strip")})
    plain = {one.weighed.way.key: one for one in routes.routes_page(new, shop.now).ways}
    then = comebacks.decide(new, "part", "whole", "", shop.counter, shop.tick())
    assert then.price is NewPrice.WORK
    for key, minor in ways(shop, new).items():
        whole = routes.quote_of(plain[key].weighed.way, "phone", plain_rates())
        share = whole.work.minor / (whole.part.minor + whole.work.minor)
        assert abs(minor - whole.price.minor * share) <= 1
    key = next(key for key in ways(shop, new) if key.startswith("front assembly"))
    told = ways(shop, new)[key]
    token = answers.offer_ways(new, [key], shop.counter, shop.tick())
    answers.answer_by_link(token, key, shop.tick(), agreed=True)
    assert shop.job(new).chosen.price_minor == told


def plain_rates() -> Rates:
    return shop_service.shop().rates


def test_a_comeback_that_costs_nothing_goes_out_without_payment_or_paper(shop: Shop) -> None:
    old = finished(shop)
    new = back(shop, old, marks=[], functions={**works(), "earpiece": ("faulty", "crackles")})
    then = comebacks.decide(new, "workmanship", "whole", "", shop.counter, shop.tick())
    assert (then.payer, then.price) == (Payer.SHOP, NewPrice.NOTHING)
    # the steps of its price add up to what the customer pays
    page_of_ways = routes.routes_page(new, shop.now)
    possible = [one for one in page_of_ways.ways if not one.weighed.way.why_not]
    assert possible
    for one in possible:
        steps = routes.steps_of(one, page_of_ways)
        assert sum(step.minor for step in steps) == one.weighed.way.price.minor == 0
        assert draw_price(steps, "TAL")
    shop.choose(new)
    stock.take_part(new, shop.counter, shop.tick())
    planning.assign(new, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(new, shop.bram, shop.tick())
    shop.steps_until_proof(new)
    shop.test(new)
    while shop.job(new).stage is Stage.PROVED:
        shop.step(new)
    shop.hand_back(new, amount="", method="")
    assert shop.job(new).stage is Stage.HANDED_BACK
    assert invoices.papers_of(shop.job(new)) == []
    book = comebacks.book_page(shop.manager, shop.now)
    assert book.cost.came_back == 1
    assert book.cost.per_hundred
    assert book.cost.per_hundred.minor > 6_000, "the part and the minutes"


def test_nothing_found_twice_in_a_row_asks_for_a_longer_test(shop: Shop) -> None:
    old = finished(shop)
    first = back(shop, old, marks=[])
    page = comebacks.comeback_page(first)
    assert page.suggested is Cause.NOT_FOUND
    assert [one.id for one in page.reasons] == ["comeback.nothing", "comeback.seal-unclear"]
    assert len(comebacks.comeback_page(first, "whole").reasons) == 1
    comebacks.decide(first, "not_found", "whole", "", shop.counter, shop.tick())
    with pytest.raises(Invalid):
        comebacks.open_comeback(first, shop.counter, shop.tick())
    assert comebacks.comeback_page(first, "opened").suggested is Cause.NEW_DAMAGE


def test_terms_hold_for_what_is_handed_back_from_then_on(shop: Shop) -> None:
    old = finished(shop)
    before = comebacks.standing_of(shop.job(old), shop.now)
    assert before
    with pytest.raises(ManyInvalid):
        comebacks.change_terms({"work_days": "-1"}, comebacks.newest_terms(), shop.manager, shop.tick())
    with pytest.raises(NotAllowed):
        comebacks.change_terms(
            {"work_days": "30", "voids": "Opened by others."},
            comebacks.newest_terms(),
            shop.counter,
            shop.tick(),
        )
    comebacks.change_terms(
        {"work_days": "30", "voids": "Opened by others; liquid."},
        comebacks.newest_terms(),
        shop.manager,
        shop.tick(),
    )
    assert comebacks.standing_of(shop.job(old), shop.now) == before
    later = finished(shop)
    after = comebacks.standing_of(shop.job(later), shop.now)
    assert after
    assert after.work_until == (shop.job(later).closing.finished_at or shop.now).date() + timedelta(days=30)
    assert after.part_until != after.work_until


@pytest.mark.parametrize(
    ("day", "at"), [(2, "09:02"), (3, "14:31"), (3, "15:10"), (4, "17:58"), (7, "23:00"), (8, "12:30")]
)
def test_what_comes_back_to_the_demo_comes_at_any_hour(shop: Shop, at: str, day: int) -> None:
    """A demo that is started in the evening, at night or on a closed day promises nothing then."""
    DATABASE.execute_sql("update shop set timezone = %s", (TIMEZONE,))
    shop_service.change_hours(demo_hours.TYPED, shop_service.shop().version, shop.manager, shop.tick())
    for _ in range(2):
        finished(shop)
    hour, minute = map(int, at.split(":"))
    zone = ZoneInfo(TIMEZONE)
    wanted = datetime(2031, 6, day, hour, minute, tzinfo=zone)
    come_back(shop.people, demo_hours.before(wanted, zone))
    rows = comebacks.book_page(shop.manager, wanted).rows
    assert sorted(row.cause or "" for row in rows) == ["", "part"]
    come_back(shop.people, demo_hours.before(wanted, zone))
    assert len(comebacks.book_page(shop.manager, wanted).rows) == 2, "once"


def test_a_job_that_did_not_come_back_has_no_page_of_it(shop: Shop) -> None:
    code = shop.take_in()
    with pytest.raises(NotFound):
        comebacks.comeback_page(code)
    assert comebacks.standing_of(shop.job(code), shop.now) is None
