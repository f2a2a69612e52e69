"""A shop of every release, made by that release's own code, goes on under this one: nothing of it is lost,
and every page of every job answers.

`old_shops/` has the demo of each release as `pg_dump` wrote it. `./sutura test` takes up three of them,
`./sutura test --long` all.
"""

from __future__ import annotations

import lzma
import os
import subprocess
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
from starlette.testclient import TestClient

from sutura import wiring
from sutura.cluster import Cluster, find_postgres
from sutura.config import CATALOGUE
from sutura.core.people import Role
from sutura.services import catalogue, people
from sutura.store import people as people_store
from sutura.store.database import connection, raw
from sutura.web.app import addresses, make_app
from sutura.web.session import COOKIE

SHOPS = sorted(
    Path(__file__).with_name("old_shops").glob("*.sql.xz"),
    key=lambda file: [int(part) for part in file.name.split(".")[:3]],
)
# the first, the one in the middle, and the last; all of them when it may take long
SOME = SHOPS if os.environ.get("SUTURA_LONG") else [SHOPS[0], SHOPS[len(SHOPS) // 2], SHOPS[-1]]
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


@pytest.fixture(params=SOME, ids=lambda file: file.name.removesuffix(".sql.xz"))
def old_shop(request: pytest.FixtureRequest, cluster: Cluster, database: str) -> Iterator[str]:
    """A shop of an old release as it was left, and the application's own database while it is looked at."""
    name = "old_" + request.param.name.removesuffix(".sql.xz").replace(".", "_")
    psql = [str(find_postgres() / "psql"), "--quiet", "--no-psqlrc", "--set", "ON_ERROR_STOP=1"]
    subprocess.run([*psql, "--command", f"create database {name}", cluster.url_of("postgres")], check=True)
    said = lzma.decompress(request.param.read_bytes())
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
def test_a_shop_of_an_old_release_goes_on(old_shop: str) -> None:
    before = summed()
    assert len(before["jobs by stage"]) > 3
    wiring.migrate()
    with connection():
        catalogue.load_packs(CATALOGUE)
    after = summed()
    assert after == before
    with connection():
        now = datetime.now(UTC)
        manager = next(one for one in people_store.people_page() if Role(one.role) is Role.MANAGER)
        session = people.open_session(manager.id, now)
        codes = [code for (code,) in raw("select code from job order by id")]
        people_here = [f"/customers/{number}" for (number,) in raw("select id from customer order by id")]
    broken = []
    app = make_app(wiring.web_settings(demo=False))
    with TestClient(app, base_url="http://testserver") as client:
        client.cookies.set(COOKIE, session)
        for path in (*ROOMS, *people_here, *(page.format(code=code) for code in codes for page in PAGES)):
            status = client.get(path).status_code
            if status >= 500 or (status == 404 and path in ROOMS):
                broken.append(f"{status} {path}")
    assert not broken, broken
