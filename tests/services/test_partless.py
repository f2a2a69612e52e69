"""A repair without a part, on the real database, from the choice to the end."""

from __future__ import annotations

import pytest
from builders import HERON, Shop, models, told

from sutura.core.errors import Invalid, MoveRefused, NotAllowed
from sutura.core.job import RESEAT, SERIAL, Stage
from sutura.core.maths.money import Money
from sutura.services import bench, planning, quoting, stock
from sutura.services import shop as shop_service
from sutura.services.job import job_page
from sutura.store import stock as stock_store


def choose(shop: Shop, code: str, kind: str = RESEAT) -> None:
    quoting.choose_without_part(code, kind, shop.counter, shop.tick())


def test_reseating_is_quoted_done_proved_and_handed_back(shop: Shop) -> None:
    code = shop.take_in(HERON)
    [(way, price)] = quoting.partless_of(models()[HERON], shop_service.shop().rates)
    choose(shop, code)
    job = shop.job(code)
    assert (job.stage, job.chosen.route, job.chosen.offer_id) == (Stage.PART_IN_HAND, RESEAT, None)
    assert Money(minor=job.chosen.price_minor or 0, currency=job.currency) == price
    assert job.bench.expected_minutes == way.minutes
    history = " ".join(told(event) for event in job_page(code, shop.now).events)
    assert "To be done: reseat the connectors, no part." in history
    assert "It needs no part." in history
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    assert "earpiece-out" not in [step.id for step in bench.bench_page(code).progress.steps]
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    assert shop.job(code).closing.cost_minor == 0
    shop.hand_back(code)
    assert shop.job(code).stage is Stage.HANDED_BACK


def test_what_reseating_does_not_cure_goes_on_with_a_part(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.take_in(HERON)
    choose(shop, code)
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    bench.open_job(code, shop.bram, shop.tick())
    shop.steps_until_proof(code)
    shop.test(code, {"image": ("faulty", "white picture")})
    bench.change_part(code, {}, "reseating changed nothing", shop.bram, shop.tick())
    assert shop.job(code).stage is Stage.QUOTED
    shop.choose(code)
    stock.take_part(code, shop.counter, shop.tick())
    assert len(stock_store.held_of(shop.job(code).id)) == 1
    bench.open_job(code, shop.bram, shop.tick())
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    assert shop.job(code).stage is Stage.CLOSED
    done = bench.bench_page(code).progress
    assert done.out == done.back


def test_who_may_when_and_what(shop: Shop) -> None:
    code = shop.take_in(HERON)
    with pytest.raises(NotAllowed):
        quoting.choose_without_part(code, RESEAT, shop.bram, shop.now)
    with pytest.raises(Invalid, match="ways without a part"):
        choose(shop, code, SERIAL)
    choose(shop, code)
    with pytest.raises(MoveRefused):
        choose(shop, code)
