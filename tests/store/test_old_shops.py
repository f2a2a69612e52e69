"""A shop of every release, made by that release's own code, goes on under this one: nothing of it is lost,
and every page of every job answers.

`old_shops/` has the demo of each release as `pg_dump` wrote it, packed (xz) and in hexadecimal digits: text
that holds no word by chance. `./sutura test` takes up three of them, `./sutura test --long` all.
"""

from __future__ import annotations

import lzma
import os
import subprocess
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path

import pytest
from services.test_customers import where_stands
from starlette.testclient import TestClient

from sutura import wiring
from sutura.cluster import Cluster, find_postgres
from sutura.config import CATALOGUE
from sutura.core.intake.customers import ERASED
from sutura.core.values import Person, Role
from sutura.services import catalogue, customers, people, planning
from sutura.store import customers as customers_store
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store.database import connection, raw
from sutura.web.app import addresses, make_app
from sutura.web.session import COOKIE

SHOPS = sorted(
    Path(__file__).with_name("old_shops").glob("*.sql.xz.hex"),
    key=lambda file: [int(part) for part in file.name.split(".")[:3]],
)
LONG = bool(os.environ.get("SUTURA_LONG"))
# the first, the one in the middle, and the last; all of them when it may take long
SOME = SHOPS if LONG else [SHOPS[0], SHOPS[len(SHOPS) // 2], SHOPS[-1]]
OF_ERASED = (
    "/jobs/{code}",
    "/jobs/{code}/ticket",
    "/jobs/{code}/receipt",
    "/jobs/{code}/money",
    "/jobs/{code}/proof",
)
PAGES = sorted(
    path for method, path in addresses() if method == "GET" and path.count("{") == 1 and "{code}" in path
)
ROOMS = (
    "/",
    "/plan",
    "/bench",
    "/match",
    "/book",
    "/shelf",
    "/customers/find?q=a",
    "/suppliers",
    "/catalogue",
    "/messages",
    "/orders",
    "/returns",
    "/till",
    "/papers",
    "/cores",
    "/consumables",
    "/stocktakes",
    "/comebacks",
    "/people",
    "/catalogue/rules",
)

# what is so of a shop whatever its release: asked before and after, where the release has it
SUMS = {
    "jobs by stage": "select stage, count(*) from job group by 1 order by 1",
    "prices": "select code, price_minor, currency, promise_at from job order by 1",
    "money by job": "select job_id, sum(amount_minor), count(*) from payment group by 1 order by 1",
    "pieces": "select part_id, sum(quantity), count(*) from stock_move group by 1 order by 1",
    "answers": "select job_id, attempt, function, outcome, reason from function_result order by id",
    "steps": "select job_id, attempt, step, counted from bench_step order by id",
    "customers": "select id, name, phone, email from customer order by 1",
    "accessories": "select job_id, name, kept from accessory order by id",
    "history": "select job_id, kind, at from job_event order by id",
}


@pytest.fixture(params=SOME, ids=lambda file: file.name.removesuffix(".sql.xz.hex"))
def old_shop(request: pytest.FixtureRequest, cluster: Cluster, database: str) -> Iterator[str]:
    """A shop of an old release as it was left, and the application's own database while it is looked at."""
    name = "old_" + request.param.name.removesuffix(".sql.xz.hex").replace(".", "_")
    psql = [str(find_postgres() / "psql"), "--quiet", "--no-psqlrc", "--set", "ON_ERROR_STOP=1"]
    subprocess.run([*psql, "--command", f"create database {name}", cluster.url_of("postgres")], check=True)
    said = lzma.decompress(bytes.fromhex(request.param.read_text("ascii")))
    url = cluster.url_of(name)
    subprocess.run([*psql, url], input=said, check=True, stdout=subprocess.DEVNULL)
    wiring.connect(url)
    yield url
    wiring.connect(database)


def summed() -> dict[str, list[tuple[object, ...]]]:
    with connection():
        return {what: list(raw(asked).fetchall()) for what, asked in SUMS.items()}


@pytest.mark.slow
@pytest.mark.timeout(600)
def test_a_shop_of_an_old_release_goes_on(old_shop: str, monkeypatch: pytest.MonkeyPatch) -> None:
    before = summed()
    assert len(before["jobs by stage"]) > 3
    wiring.migrate()
    with connection():
        catalogue.load_packs(CATALOGUE)
    after = summed()
    assert after == before
    with connection():
        codes = [code for (code,) in raw("select code from job order by id")]
        still_open = {one.job.waiting.code for one in planning.open_lines(datetime.now(UTC)).lines}
        customers_there = [number for (number,) in raw("select id from customer order by id")]
    their_pages = [f"/customers/{number}" for number in customers_there]
    pages_of_jobs = [
        page.format(code=code)
        for code in codes
        for page in (PAGES if code in still_open or LONG else OF_ERASED)
    ]
    assert broken(*ROOMS, *their_pages, *pages_of_jobs) == []
    # whoever has a device here is not erased; here all are, so that every row of every job is met
    monkeypatch.setattr(customers_store, "open_codes", lambda _: [])
    gone = every_customer_is_erased(customers_there)
    assert len(gone) == len(codes)
    assert broken(*(page.format(code=code) for code in gone for page in OF_ERASED)) == []


def manager() -> Person:
    found = next(one for one in people_store.people_page() if Role(one.role) is Role.MANAGER)
    return Person(id=found.id, name=found.name, role=Role.MANAGER)


def broken(*pages: str) -> list[str]:
    """The pages that do not answer, or that are not there."""
    with connection():
        session = people.open_session(manager().id, datetime.now(UTC))
    found = []
    app = make_app(wiring.web_settings(demo=False))
    with TestClient(app, base_url="http://testserver") as client:
        client.cookies.set(COOKIE, session)
        for path in pages:
            status = client.get(path).status_code
            if status >= 500 or (status == 404 and path in ROOMS):
                found.append(f"{status} {path}")
    return found


def every_customer_is_erased(numbers: Sequence[int]) -> list[str]:
    """The codes of their jobs; nothing of them stays."""
    gone, words = [], set()
    with connection():
        by, now = manager(), datetime.now(UTC)
        for number in numbers:
            customer = customers_store.load_customer(number)
            if customer is None or customer.name == ERASED:
                continue
            theirs = job_store.jobs_of(number)
            words |= {customer.name, customer.phone, customer.email, *(job.arrival.serial for job in theirs)}
            customers.erase_customer(number, customer.name, by, now)
            gone += [job.code for job in theirs]
        assert where_stands(*words - {""}) == set()
    return gone
