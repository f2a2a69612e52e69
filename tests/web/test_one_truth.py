"""Law between pages: what one page says of a job or a part, no other page denies. Read out of the pages, by
the elements that mark what is said.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from builders import HERON, PLAIN, SLATE, Shop, models
from web.facts import denied_of, said_of, said_twice

from sutura.core.job import Stage
from sutura.core.quoting.routes import Standing
from sutura.services import comebacks, planning, plans, quoting, routes, schools, stock
from sutura.store import offers as offers_store
from sutura.store import people as people_store
from sutura.store import stock as stock_store
from sutura.store.database import connection

pytestmark = pytest.mark.slow

# what must be said by two pages at least in each shop: a law over what nobody says would always hold
SAID_TWICE = {"ready", "spare", "price", "best", "free", "margin", "left", "warranty"}
MODELS = (HERON, PLAIN, SLATE, "quillon-ember", "osmere-dial-42", "fennick-heron-l")
PARTS = ("P-1001", "P-2001", "P-3001", "P-1201", "P-6003", "P-1302")


@pytest.fixture
def floor(database: str) -> Iterator[Shop]:
    with connection():
        shop = Shop()
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        for person in (shop.bram, shop.people["lio"]):
            people_store.save_skills(person.id, every)
        yield shop


def choose(shop: Shop, code: str, *, rush: bool) -> bool:
    """The recommended way, or the first that can be had; False where there is none with a part."""
    ways = [
        one for one in routes.routes_page(code, shop.now).ways if one.offer and not one.weighed.way.why_not
    ]
    ways.sort(key=lambda one: one.weighed.standing is not Standing.RECOMMENDED)
    if not ways:
        return False
    routes.choose_way(code, ways[0].weighed.way.key, shop.counter, shop.tick(), agreed=True, rush=rush)
    return True


def some_job(shop: Shop, chance: random.Random, far: int) -> str:
    """A job of some model, brought `far`: 0 taken in … 5 handed back."""
    upgrade = chance.random() < 0.15
    how = {"data": "backed_up", "upgrade": "finish:matte" if upgrade else ""}
    model = PLAIN if upgrade else chance.choice(MODELS if far < 3 else MODELS[:2])
    promised = shop.now + timedelta(minutes=chance.randrange(30, 3_000))
    code = shop.take_in(
        model, channel=chance.choice(("drop_off", "waiting")), how=how, soonest=False, promise_at=promised
    )
    if far == 5 and chance.random() < 0.4:
        # a repair without a part has a warranty on the work alone
        job = shop.job(code)
        ways = quoting.partless_for(job, schools.of_job(job), routes.routes_page(code, shop.now).rates)
        if ways:
            quoting.choose_without_part(code, ways[0][0].kind, shop.counter, shop.tick())
            shop.finish(code)
            shop.hand_back(code)
            return code
    if not far or not choose(shop, code, rush=chance.random() < 0.3):
        return code
    if chance.random() < 0.4:
        job = shop.job(code)
        price = f"{(job.chosen.price_minor or 0) // 100 - 7}.50"
        quoting.change_job_price(code, price, "a regular", job.version, shop.manager, shop.tick())
    if far >= 2 and shop.job(code).stage is Stage.QUOTED:
        chosen = shop.job(code).chosen
        for offer in offers_store.load_offers([chosen.offer_id or 0, *chosen.more_offers]):
            shop.receive(stock_store.barcodes([offer.part_id])[offer.part_id], 1)
        stock.take_part(code, shop.counter, shop.tick())
    if far >= 3:
        shop.open(code)
    if far >= 4:
        shop.steps_until_proof(code)
        shop.close(code)
    if far >= 5:
        shop.look_at_sealed(code)
        shop.hand_back(code)
    return code


@pytest.mark.parametrize(("seed", "with_plan"), [(4_417, True), (90, False)])
def test_no_page_denies_what_another_says(floor: Shop, seed: int, *, with_plan: bool) -> None:
    chance = random.Random(seed)
    # in a year in which the samples are worth something; the shop of the seed before is still there
    floor.now = datetime(2027, 3, 1 + seed % 7, 9, tzinfo=UTC)
    # the work is promised for less than the parts
    terms = {"work_days": "60", "voids": "Opened by others."}
    comebacks.change_terms(terms, comebacks.newest_terms(), floor.manager, floor.tick())
    for barcode in PARTS:
        floor.receive(barcode, chance.randrange(1, 4))
    codes = [some_job(floor, chance, far) for far in (0, 0, 1, 1, 2, 2, 3, 4, 5, 5, 5)]
    planning.assign(codes[4], floor.people["lio"].id, floor.manager, floor.tick())
    now = floor.tick()
    if with_plan:
        plans.make_plan(now, 5, 0.1)
    said = said_of(codes, floor.manager, now)
    assert denied_of(said) == {}
    assert said_twice(said) >= SAID_TWICE
