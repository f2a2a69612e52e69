"""The worker beside the pages: started again when it is killed, and its work taken over by the next one."""

from __future__ import annotations

import asyncio
import contextlib
import io
import json
import logging
import os
import signal
import subprocess
import sys
import time
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path

import pytest
import structlog
from builders import HERON, Shop, models
from psycopg_pool import PoolTimeout

from sutura import logs, worker
from sutura.config import ROOT
from sutura.core.handover.telling import USUAL, USUAL_TELLING, telling_texts
from sutura.services import messages, pricelists, rails
from sutura.services import shop as shop_service
from sutura.store import people as people_store
from sutura.store import pricelists as store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import DatabaseAway, connection

pytestmark = pytest.mark.slow
ROWS = "SKU;Category;Net price\n" + "".join(f"K-{n};panel;{n % 90 + 1},50\n" for n in range(6_000))


def wait_for(what: Callable[[], bool], seconds: float) -> bool:
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if what():
            return True
        time.sleep(0.2)
    return False


def works(process: int) -> bool:
    """Whether a process runs; one that ended and that nobody asked after is none."""
    try:
        return Path(f"/proc/{process}/stat").read_text("utf-8").rsplit(")", 1)[1].split()[0] != "Z"
    except FileNotFoundError:
        return False


def test_a_killed_worker_is_replaced_and_its_list_is_read_to_the_end(database: str) -> None:
    with connection():
        shop = Shop()
    list_id = pricelists.look_at_list(
        "", "Kill Quay", "k.csv", io.BytesIO(ROWS.encode()), shop.manager, shop.tick()
    )
    pricelists.read_good_rows(list_id, shop.manager, shop.now)

    def state() -> tuple[str, int]:
        found = store.load_list(list_id)
        assert found
        return found.state, found.rows_done

    beside = worker._Beside(database)
    try:
        assert wait_for(lambda: state()[1] > 0, 60)
        killed = beside.process.pid
        os.kill(killed, signal.SIGKILL)
        assert wait_for(lambda: beside.process.pid != killed, 30)
        assert wait_for(lambda: state() == ("read", 6_000), 120)
    finally:
        beside.stop()
    with connection():
        assert suppliers_store.load_supplier("kill-quay")
        offers = [supplier for supplier in suppliers_store.suppliers_page() if supplier.id == "kill-quay"]
    assert offers[0].offers == 6_000


def test_a_plan_is_made_beside_the_pages_and_comes_back_after_a_kill(database: str) -> None:
    """What changes is planned again by itself; a worker that is killed leaves the last plan, and the next one
    goes on.
    """
    with connection():
        shop = Shop()
        shop.now = datetime.now(UTC) - timedelta(minutes=2)
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        people_store.save_skills(shop.bram.id, every)
        first = shop.take_in(HERON)

    def planned() -> set[str]:
        with connection():
            found = rails.plan_page(datetime.now(UTC)).time
            return {job.code for job in found.jobs} if found else set()

    beside = worker._Beside(database)
    try:
        assert wait_for(lambda: first in planned(), 60)
        killed = beside.process.pid
        os.kill(killed, signal.SIGKILL)
        with connection():
            # each deed of the shop takes a minute, and none lies ahead
            shop.now = datetime.now(UTC) - timedelta(minutes=2)
            second = shop.take_in(HERON)
        assert first in planned(), "the last good plan stands meanwhile"
        assert wait_for(lambda: beside.process.pid != killed, 30)
        assert wait_for(lambda: {first, second} <= planned(), 60)
    finally:
        beside.stop()


def test_a_message_goes_out_beside_the_pages(
    database: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What is kept by a page is sent by the worker, by the sender that the settings name."""
    monkeypatch.setenv("SUTURA_STATE", str(tmp_path))
    with connection():
        shop = Shop()
        shop.now = datetime.now(UTC) - timedelta(minutes=9)
        never = {**telling_texts(USUAL_TELLING, "en", USUAL), "quiet_from": "00:00", "quiet_to": "00:00"}
        messages.change_telling(never, "en", shop_service.shop().version, shop.manager, shop.now)
        code = shop.take_in(HERON)
        messages.tell(code, "question", "is there a code on it", shop.counter, shop.now)
    beside = worker._Beside(database)
    try:
        assert wait_for(lambda: bool(list((tmp_path / "outbox").glob("*.txt"))), 60)
    finally:
        beside.stop()
    [sent] = (tmp_path / "outbox").glob("*.txt")
    assert "is there a code on it" in sent.read_text("utf-8")
    with connection():
        assert [row.state for row in messages.messages_of(shop.job(code))] == ["sent"]


def test_stopping_the_pages_stops_the_worker(database: str) -> None:
    with worker.beside(database):
        pass
    beside = worker._Beside(database)
    beside.stop()
    assert beside.process.poll() is not None


def test_a_worker_ends_with_pages_that_were_killed(database: str) -> None:
    program = (
        "import sys, time; from sutura import worker; one = worker._Beside(sys.argv[1]); "
        "print(one.process.pid, flush=True); time.sleep(600)"
    )
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
    with subprocess.Popen(
        [sys.executable, "-c", program, database], stdout=subprocess.PIPE, text=True, env=environment
    ) as pages:
        assert pages.stdout
        number = int(pages.stdout.readline())
        time.sleep(4)
        pages.kill()
    assert wait_for(lambda: not works(number), 30)


def test_what_the_queues_library_says_is_one_line_of_ours(capfd: pytest.CaptureFixture[str]) -> None:
    log = io.StringIO()
    logs.to_stream(log)
    try:
        for _ in range(2):
            worker.listen_to_the_queue()
        try:
            raise RuntimeError("the pool is gone") from OSError("connection refused")
        except RuntimeError:
            logging.getLogger("procrastinate.worker").exception("Main coroutine error")
        logging.getLogger("procrastinate.worker").info("starting")
    finally:
        structlog.reset_defaults()
    [line] = [json.loads(line) for line in log.getvalue().splitlines()]
    assert (line["says"], line["why"]) == ("Main coroutine error", "connection refused")
    assert "Traceback" not in "".join(capfd.readouterr())


def test_a_database_that_is_away_is_a_line_in_the_log_and_no_traceback(
    monkeypatch: pytest.MonkeyPatch, capfd: pytest.CaptureFixture[str]
) -> None:
    """Before, a worker that began while the database came back ended with a traceback, and so did what it
    does beside the queue.
    """
    tries = 0

    class NoPool:
        @contextlib.asynccontextmanager
        async def open_async(self) -> AsyncIterator[None]:
            raise PoolTimeout("pool initialization incomplete after 30.0 sec")
            yield

    def away() -> None:
        nonlocal tries
        tries += 1
        raise DatabaseAway("connection refused")

    async def for_a_while() -> None:
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(worker._keep(away, 3600, "nothing was done", 0.05), 1)

    log = io.StringIO()
    logs.to_stream(log)
    try:
        monkeypatch.setattr(worker, "queue_at", lambda _: NoPool())
        # in a thread of its own: the browser's driver leaves a running event loop in this one
        with ThreadPoolExecutor(1) as pool:
            pool.submit(worker.work, "postgresql://nowhere").result()
            pool.submit(lambda: asyncio.run(for_a_while())).result()
    finally:
        structlog.reset_defaults()
    lines = [json.loads(line) for line in log.getvalue().splitlines()]
    assert "no background work" in lines[0]["event"]
    assert {line["event"] for line in lines[1:]} == {"nothing was done: the database does not answer"}
    # it is tried again soon, not at its next hour
    assert tries > 3
    assert "Traceback" not in log.getvalue() + "".join(capfd.readouterr())
