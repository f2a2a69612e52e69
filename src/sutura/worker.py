"""Background work: takes what pages put into the queue, one after the other, beside the pages and not in
their way.

The queue lies in the same PostgreSQL (procrastinate); a worker that is killed leaves its work to the next
one.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator

import procrastinate
import structlog
from psycopg_pool import PoolTimeout

from sutura import wiring
from sutura.config import ROOT, settings
from sutura.core.errors import Refusal
from sutura.services import ledger, messages, orders, plans, pricelists, shop, waits
from sutura.store.database import DatabaseAway

LOG = structlog.get_logger("sutura")
QUEUES = ["lists"]
# A worker that says nothing for so long is dead, and its work is taken back; it says something every ten
# seconds.
SILENT_S = 30
# in the environment of a worker beside pages: the number of their process
BESIDE = "SUTURA_BESIDE"
# before a worker that ended by itself, such as for want of a database, is started again
PAUSE_S = 3
# how often it is looked whether a new plan is due, and how long it rests after one that failed
PLAN_LOOK_S, PLAN_AGAIN_S = 2, 30
# how often it is looked whether a message is due, and whether something is to be reminded of
TELL_LOOK_S, REMIND_LOOK_S = 3, 900
# how often it is looked whether the card terminal owes an answer
SETTLE_LOOK_S = 15
TIDY_S = 3600
# how far planning stands back behind pages, of 19
PLAN_NICE = 10


class _IntoTheLog(logging.Handler):
    """What the queue's library has to say, as one line of ours: a database that is away for a moment is no
    traceback on somebody's terminal.
    """

    def emit(self, record: logging.LogRecord) -> None:
        why = record.exc_info[1] if record.exc_info else None
        LOG.warning(
            "the queue says",
            says=record.getMessage()[:300],
            why=str((why.__cause__ or why) if why else "")[:300],
        )


def listen_to_the_queue() -> None:
    """Its warnings and errors go into the log, once; what it merely tells does not."""
    for name in ("procrastinate", "psycopg"):
        logger = logging.getLogger(name)
        if not any(isinstance(handler, _IntoTheLog) for handler in logger.handlers):
            logger.addHandler(_IntoTheLog(logging.WARNING))
        logger.propagate = False


def queue_at(url: str) -> procrastinate.App:
    """The queue at a database, with the tasks it knows."""
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=url, min_size=1, max_size=2))
    retry = procrastinate.RetryStrategy(max_attempts=pricelists.TRIES, wait=2)

    @app.task(name="look_at_list", queue="lists", retry=retry, pass_context=True)
    def look_at_list(context: procrastinate.JobContext, list_id: int) -> None:
        _run(context, list_id, lambda: pricelists.look_at_sent(list_id))

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
    except Refusal as refusal:
        # the file is wrong, and stays so however often it is read
        pricelists.fail(list_id, refusal.said)
    except Exception as broken:
        LOG.exception("background work broke off", list_id=list_id, attempt=context.job.attempts + 1)
        if context.job.attempts + 1 >= pricelists.TRIES:
            pricelists.fail(list_id, f"{type(broken).__name__}: {broken}")
        raise


def work(url: str, *, until_empty: bool = False) -> None:
    """Work until stopped, or until nothing waits. The pages' own pool must be connected."""
    listen_to_the_queue()
    try:
        asyncio.run(_work(url, until_empty=until_empty))
    except (procrastinate.exceptions.ConnectorException, PoolTimeout) as away:
        LOG.warning(
            "the queue's database does not answer; no background work", why=str(away.__cause__ or away)[:200]
        )
        if until_empty:
            raise


async def _work(url: str, *, until_empty: bool) -> None:
    app = queue_at(url)
    async with app.open_async():
        await _take_back(app)
        others = (
            _keep_taking_back(app),
            # what nobody needs any more, at the start and every hour
            _keep(_tidy, TIDY_S, "nothing was thrown away", PLAN_AGAIN_S),
            # the last good plan stands meanwhile
            _keep(_plan, PLAN_LOOK_S, "no plan was made", PLAN_AGAIN_S),
            _keep(_Telling(), TELL_LOOK_S, "no message was sent", PLAN_AGAIN_S),
            _keep(_heal, SETTLE_LOOK_S, "no clock was healed", PLAN_AGAIN_S),
            _keep(_settle, SETTLE_LOOK_S, "no charge was settled", PLAN_AGAIN_S),
            _end_with_the_pages(),
        )
        looking = [asyncio.create_task(task) for task in others]
        try:
            await app.run_worker_async(
                queues=QUEUES,
                wait=not until_empty,
                install_signal_handlers=not until_empty,
                concurrency=1,
                delete_jobs=procrastinate.jobs.DeleteJobCondition.SUCCESSFUL,
            )
        finally:
            for task in looking:
                task.cancel()


async def _take_back(app: procrastinate.App) -> None:
    """Work that a worker had taken when it was killed goes back into the queue."""
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=SILENT_S):
        await app.job_manager.retry_job(job)


async def _keep_taking_back(app: procrastinate.App) -> None:
    while True:
        await asyncio.sleep(SILENT_S / 2)
        await _take_back(app)


def _tidy() -> None:
    """Throw away what nobody needs any more."""
    kept, now = settings(), wiring.clock()
    gone = shop.throw_away(kept.keep_drafts_days, kept.keep_traces_days, kept.keep_lists_days, now)
    if any(gone.values()):
        LOG.info("thrown away", **{what.replace(" ", "_"): count for what, count in gone.items()})


async def _keep(doing: Callable[[], object], every_s: float, failed: str, rest_s: float) -> None:
    """Do something again and again, beside the event loop; where it fails it is said, and done again after a
    rest.
    """
    while True:
        rest = every_s
        try:
            await asyncio.to_thread(doing)
        except DatabaseAway as away:
            rest = min(every_s, rest_s)
            LOG.warning(f"{failed}: the database does not answer", why=str(away.__cause__ or away)[:200])
        except Exception:
            rest = max(every_s, rest_s)
            LOG.exception(failed)
        await asyncio.sleep(rest)


def _plan() -> None:
    """A new plan is made when something changed and it is quiet again."""
    # pages come first: this thread, and those that the solver starts from it, stand back
    os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), PLAN_NICE)
    plans.plan_if_due(wiring.clock())


class _Telling:
    """Messages go out when they are due; what is ready and not collected is reminded of."""

    def __init__(self) -> None:
        self._reminded = 0.0

    def __call__(self) -> None:
        now = wiring.clock()
        if time.monotonic() - self._reminded > REMIND_LOOK_S or not self._reminded:
            messages.remind(now)
            self._reminded = time.monotonic()
        messages.send_due(now)


def _settle() -> None:
    """What the card terminal or a supplier's desk was asked and nobody knows the end of is asked again, until
    both agree.
    """
    ledger.reconcile_all(wiring.clock())
    orders.hand_in_again(wiring.clock())


def _heal() -> None:
    """What a clock that was ahead wrote is not believed (rule shop.clock)."""
    now = wiring.clock()
    healed = {**shop.heal_clock(now), **waits.heal_clock(now)}
    if any(healed.values()):
        LOG.warning("a clock was ahead: its times are not believed", **healed)


async def _end_with_the_pages() -> None:
    """A worker beside pages that were killed ends too, instead of working on for nobody."""
    pages = os.environ.get(BESIDE, "")
    while pages:
        await asyncio.sleep(2)
        if str(os.getppid()) != pages:
            os.kill(os.getpid(), signal.SIGTERM)
            return


class _Beside:
    """A worker's process that is started again when it ends by itself, until it is stopped."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.stopping = threading.Event()
        self.process = self._start()
        self.watch = threading.Thread(target=self._watch, daemon=True)
        self.watch.start()

    def _start(self) -> subprocess.Popen[bytes]:
        # found the same way as this process found it
        paths = os.pathsep.join(filter(None, [str(ROOT / "src"), os.environ.get("PYTHONPATH", "")]))
        environment = {**os.environ, "DATABASE_URL": self.url, "PYTHONPATH": paths, BESIDE: str(os.getpid())}
        return subprocess.Popen([sys.executable, "-m", "sutura.cli", "work"], env=environment)

    def _watch(self) -> None:
        while not self.stopping.is_set():
            self.process.wait()
            if not self.stopping.wait(PAUSE_S):
                self.process = self._start()

    def stop(self) -> None:
        self.stopping.set()
        self.process.send_signal(signal.SIGTERM)
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()
        self.watch.join(5)


@contextlib.contextmanager
def beside(url: str) -> Iterator[None]:
    """A worker in a process of its own, stopped with the pages."""
    worker = _Beside(url)
    try:
        yield
    finally:
        worker.stop()
