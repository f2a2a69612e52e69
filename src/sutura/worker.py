"""Background work: takes what pages put into the queue, one after the other, beside the pages and not in their way.

The queue lies in the same PostgreSQL (procrastinate); a worker that is killed leaves its work to the next one.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import subprocess
import sys
from collections.abc import Iterator

import procrastinate
import structlog

from sutura import wiring
from sutura.services import pricelists

LOG = structlog.get_logger("sutura")
QUEUES = ["lists"]
# Tried again this often when something outside breaks, such as the database; then the list says that it failed.
TRIES = 3


def queue_at(url: str) -> procrastinate.App:
    """The queue at a database, with the tasks it knows."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=url, min_size=1, max_size=2))
    retry = procrastinate.RetryStrategy(max_attempts=TRIES, wait=2)

    @app.task(name="check_list", queue="lists", retry=retry, pass_context=True)
    def check_list(context: procrastinate.JobContext, list_id: int) -> None:
        _run(context, list_id, lambda: pricelists.check_list(list_id))

    @app.task(name="read_list", queue="lists", retry=retry, pass_context=True)
    def read_list(context: procrastinate.JobContext, list_id: int) -> None:
        _run(context, list_id, lambda: pricelists.read_list(list_id, wiring.clock))

    return app


def _run(context: procrastinate.JobContext, list_id: int, work: object) -> None:
    try:
        work()  # type: ignore[operator]
    except Exception:
        LOG.exception("background work broke off", list_id=list_id, attempt=context.job.attempts + 1)
        if context.job.attempts + 1 >= TRIES:
            pricelists.fail(list_id)
        raise


def work(url: str, *, until_empty: bool = False) -> None:
    """Work until stopped, or until nothing waits. The pages' own pool must be connected."""
    asyncio.run(_work(url, until_empty=until_empty))


async def _work(url: str, *, until_empty: bool) -> None:
    app = queue_at(url)
    async with app.open_async():
        await _take_back(app)
        await app.run_worker_async(
            queues=QUEUES, wait=not until_empty, install_signal_handlers=not until_empty, concurrency=1
        )


async def _take_back(app: procrastinate.App) -> None:
    """Work that a killed worker had taken is put back; only one worker runs at a time."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=15):
        await app.job_manager.retry_job(job)


@contextlib.contextmanager
def beside(url: str) -> Iterator[None]:
    """A worker in a process of its own, stopped with the pages."""
    process = subprocess.Popen(
        [sys.executable, "-m", "sutura.cli", "work"], env={**os.environ, "DATABASE_URL": url}
    )
    try:
        yield
    finally:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            process.kill()
