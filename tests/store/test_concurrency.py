"""Two at once, for real: threads with their own connections to one database."""

from __future__ import annotations

import threading
from collections.abc import Callable
from datetime import UTC, datetime

import pytest
from builders import PLAIN, Shop

from sutura.core.bench.progress import Progress
from sutura.core.errors import OutOfStock, Refusal
from sutura.core.job import Stage
from sutura.services import bench, drafts, intake, stock
from sutura.services.once import once
from sutura.store import job as job_store
from sutura.store import stock as stock_store

RUNS = 5


def at_once(deeds: list[Callable[[], object]]) -> list[object]:
    """Run all deeds at the same moment; what each gave, a refusal as itself."""
    gate, found = threading.Barrier(len(deeds)), [None] * len(deeds)

    def run(index: int, deed: Callable[[], object]) -> None:
        gate.wait()
        try:
            found[index] = deed()  # type: ignore[call-overload]
        except Refusal as refusal:
            found[index] = refusal  # type: ignore[call-overload]

    threads = [threading.Thread(target=run, args=pair) for pair in enumerate(deeds)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(30)
    return list(found)


@pytest.fixture
def shop(database: str) -> Shop:
    """On the database itself: two connections do not see into one transaction."""
    return Shop(now=datetime.now(UTC))


def test_the_last_part_goes_to_exactly_one(shop: Shop) -> None:
    for _ in range(RUNS):
        shop.receive("P-2001")
        codes = [shop.quoted(PLAIN) for _ in range(4)]
        free = stock_store.load_part("P-2001").free
        assert free == 1
        found = at_once([lambda code=code: stock.take_part(code, shop.counter, shop.now) for code in codes])  # type: ignore[misc]
        winners = [code for code, one in zip(codes, found, strict=True) if one is None]
        losers = [hit for hit in found if isinstance(hit, OutOfStock)]
        assert (len(winners), len(losers)) == (1, 3)
        assert all(winners[0] in loser.holders for loser in losers)
        assert stock_store.load_part("P-2001").free == 0


def test_one_form_sent_many_times_at_once_is_one_job(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.now)
    before = job_store.count_jobs()
    codes = at_once([lambda: intake.take_in(draft, shop.arrival(), shop.counter, shop.now)] * 6)
    assert len(set(codes)) == 1
    assert job_store.count_jobs() == before + 1


def test_one_key_used_at_once_does_the_deed_once(shop: Shop) -> None:
    done: list[int] = []

    def deed() -> str:
        done.append(1)
        return "done"

    found = at_once([lambda: once("one-key-many-hands", shop.counter, shop.now, deed)] * 6)
    assert set(found) == {"done"}
    assert len(done) == 1


def test_a_step_done_by_two_at_once_is_done_once(shop: Shop) -> None:
    shop.receive("P-2001")
    code = shop.opened(PLAIN)
    first = bench.bench_page(code).progress.step
    assert first
    found = at_once([lambda: bench.do_step(code, first.id, "", "", shop.bram, shop.now)] * 3)
    assert sum(isinstance(hit, Progress) for hit in found) == 1
    assert bench.bench_page(code).progress.done == 1


def test_declining_and_taking_the_part_at_once_never_leaves_a_part_with_a_declined_job(shop: Shop) -> None:
    from sutura.services import handover

    for _ in range(RUNS):
        shop.receive("P-1001")
        code = shop.quoted()
        at_once(
            [
                lambda: stock.take_part(code, shop.counter, shop.now),  # noqa: B023 - runs before the next round
                lambda: handover.decline(code, "too dear", shop.counter, shop.now),  # noqa: B023
            ]
        )
        job = shop.job(code)
        held = stock_store.load_held(job.id)
        assert (held is not None) == (job.stage is Stage.PART_IN_HAND)


def test_many_readers_and_writers_leak_no_connection(shop: Shop) -> None:
    from sutura.store.database import DATABASE

    shop.receive("P-2001", 2)
    code = shop.quoted(PLAIN)
    at_once([lambda: [shop.job(code) for _ in range(20)]] * 12)
    assert len(DATABASE._in_use) == 0
