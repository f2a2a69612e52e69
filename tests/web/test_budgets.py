"""Query budgets: each page asks the database a fixed number of times, however many jobs there are."""

from __future__ import annotations

import logging
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from builders import HERON, PLAIN, Shop
from web.desk import Sit

from sutura.core.job import Stage
from sutura.services import customers, drafts

# one of them is the session of the person who asks
# pages that rank work or promise it ask for the opening hours, too
BUDGETS = {
    # and what the plan says of them; Next asks for the word by which it follows the plan
    "/": 5,
    "/counter": 8,
    "/match": 4,
    # what to order is worked out of all parts at once
    "/shelf": 13,
    "/bench": 5,
    # the plan, who works and who is away, pins and places
    "/plan": 9,
    # one of it for the shop's rate
    "/book": 5,
    "/catalogue": 4,
    "/catalogue/rules": 1,
    "/catalogue/mixed": 3,
    "/catalogue/packs": 2,
    "/catalogue/fennick-heron": 12,
    "/catalogue/fennick-heron/edit": 4,
    "/catalogue/new?device_class=phone&maker=Fennick&width_mm=71&height_mm=147": 2,
    "/catalogue/fennick-heron/like": 2,
    "/people": 2,
    # single pieces, and who sells parts
    "/shelf/P-2001": 16,
    # one of each of these for the sheet that a job keeps
    # one of it for what the plan says of it
    "/jobs/{code}": 20,
    # one of it for what all suppliers show
    # what was faulty on arrival and what the shop tried count for what is recommended
    # one of it for what the shop promises of warranty
    "/jobs/{code}/match": 15,
    # one of it for who is away
    "/jobs/{code}/bench": 12,
    # one need; each further one adds three
    "/jobs/{code}/routes": 19,
    # what the device says of itself, dust, looks when sealed, and the shop's wish for a second look
    "/jobs/{code}/proof": 16,
    # the plan, who is away and the jobs of all who may: when it would be ready with each
    "/jobs/{code}/assign": 11,
    # one of it for its old screen
    "/jobs/{code}/handover": 17,
    "/identify?q=QD44": 2,
    "/customers/find?q=orla": 2,
    # who looked at a customer is kept
    "/customers/{customer}": 5,
    # one for each table in which something of a customer can stand
    # one for each table that can tell of them
    "/customers/{customer}/export.json": 34,
    # the last plan is read for what can be promised
    "/counter/{draft}": 19,
    # one of it for customers, and one for everything else that has a name
    "/scan?q=HF-70-R9": 8,
}


class _Counter(logging.Handler):
    count = 0

    def emit(self, record: logging.LogRecord) -> None:
        # the pool logs here too; statements come as (sql, parameters)
        self.count += isinstance(record.msg, tuple)


@contextmanager
def counted() -> Iterator[_Counter]:
    logger, handler = logging.getLogger("peewee"), _Counter()
    logger.addHandler(handler)
    before, logger.level = logger.level, logging.DEBUG
    logger.setLevel(logging.DEBUG)
    logger.propagate = False
    try:
        yield handler
    finally:
        logger.removeHandler(handler)
        logger.setLevel(before)
        logger.propagate = True


@pytest.fixture(scope="module")
def draft(database: str) -> str:
    """An intake left half-way with everything on it that its page looks up."""
    shop = Shop()
    typed = {"model_id": [HERON], "name": ["Orla Venn"], "phone": ["555 0101"], "read_number": ["QD-441"]}
    return drafts.open_draft(shop.counter, shop.now, typed)


@pytest.fixture(scope="module")
def code(database: str) -> str:
    """A job on the bench among a handful of others in every stage."""
    shop = Shop()
    shop.receive("P-2001", 8)
    for _ in range(3):
        shop.take_in(PLAIN)
        shop.quoted(PLAIN)
    shop.held(PLAIN)
    shop.closed(PLAIN)
    return shop.opened(PLAIN)


@pytest.mark.parametrize("path", list(BUDGETS))
def test_a_page_stays_within_its_queries(desks: Sit, code: str, draft: str, path: str) -> None:
    ines = desks("ines")
    customer = Shop().job(code).customer_id
    address = path.format(code=code, draft=draft, customer=customer)
    ines.get(address)  # the models it needs are read once and kept
    with counted() as queries:
        assert ines.get(address).status_code == 200
    assert 0 < queries.count <= BUDGETS[path], f"{queries.count} queries"


def test_a_pause_in_typing_stays_within_its_queries(desks: Sit, draft: str) -> None:
    pell = desks("pell")
    page = pell.get(f"/counter/{draft}")
    fields = {"csrf": pell.hidden("csrf"), "model_id": HERON, "name": "Orla Venn", "phone": "555 0101"}
    pell.client.post(f"/counter/{draft}/keep", data=fields)
    with counted() as queries:
        assert pell.client.post(f"/counter/{draft}/keep", data=fields).status_code == page.status_code
    assert 0 < queries.count <= 9, f"{queries.count} queries"


def test_what_is_handed_out_of_a_customer_asks_no_more_for_more_jobs(desks: Sit, code: str) -> None:
    ines, shop = desks("ines"), Shop()
    customer = shop.job(code).customer_id
    before = len(ines.get(f"/customers/{customer}/export.json").json()["jobs"])
    for _ in range(3):
        more = shop.take_in(PLAIN)
        customers.merge_customers(customer, shop.job(more).customer_id, shop.manager, shop.tick())
    with counted() as queries:
        exported = ines.get(f"/customers/{customer}/export.json").json()
    assert len(exported["jobs"]) == before + 3
    assert queries.count <= BUDGETS["/customers/{customer}/export.json"]


def test_lists_ask_no_more_for_more_jobs(desks: Sit, code: str) -> None:
    ines = desks("ines")

    def ask(path: str) -> int:
        ines.get(path)
        with counted() as queries:
            ines.get(path)
        return queries.count

    paths = ("/", "/counter", "/match", "/bench", "/plan")
    before = [ask(path) for path in paths]
    shop = Shop()
    for _ in range(5):
        shop.quoted(PLAIN)
    assert [ask(path) for path in paths] == before
    assert shop.job(code).stage is Stage.OPENED
