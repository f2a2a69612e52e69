"""The demo shop: every stage is there, it is the same each time, nothing in it is stale, a cut-off start is
finished.
"""

from __future__ import annotations

import threading
from collections import Counter
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psycopg
import pytest

from sutura import demo, wiring
from sutura.cluster import Cluster
from sutura.config import CATALOGUE
from sutura.core.job import Stage
from sutura.demo.filling import _Story
from sutura.demo.shop import JOBS
from sutura.running import AlreadyRuns, listen, only_one
from sutura.services import planning
from sutura.store import job as job_store
from sutura.store.database import DATABASE, connection

pytestmark = pytest.mark.slow

NOW = datetime(2031, 5, 6, 10, 17, 33, tzinfo=UTC)


@pytest.fixture(scope="module")
def filled(cluster: Cluster) -> str:
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database demo_shop")
    wiring.connect(cluster.url_of("demo_shop"))
    wiring.migrate()
    assert demo.is_empty()
    demo.fill(CATALOGUE, NOW)
    return cluster.url_of("demo_shop")


def stages() -> Counter[str]:
    with connection():
        return Counter(stage for (stage,) in DATABASE.execute_sql("select stage from job"))


def test_about_twenty_five_jobs_stand_in_every_stage(filled: str) -> None:
    assert not demo.is_empty()
    assert 25 <= job_store.count_jobs() <= 30
    assert set(stages()) == {stage.value for stage in Stage}


def test_nothing_is_stale_when_it_is_made(filled: str) -> None:
    lines = planning.open_lines(NOW)
    assert lines[0].next.slack_minutes < 0, "one is late, so that the page has something to say"
    assert sum(line.next.slack_minutes < 0 for line in lines) <= 3
    assert all(
        NOW - timedelta(hours=2) < line.job.waiting.promise_at < NOW + timedelta(days=4) for line in lines
    )
    assert demo.age_days(NOW) == 0
    assert demo.age_days(NOW + timedelta(days=3)) >= 2


def test_no_event_of_the_demo_lies_in_the_future(filled: str) -> None:
    with connection():
        assert DATABASE.execute_sql("select max(at) from job_event").fetchone()[0] <= NOW


def test_a_start_that_was_cut_off_is_finished_by_the_next(
    cluster: Cluster, monkeypatch: pytest.MonkeyPatch
) -> None:
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database cut_off")
    wiring.connect(cluster.url_of("cut_off"))
    wiring.migrate()
    run, lived = _Story.run, []

    def cut(self: _Story) -> None:
        lived.append(1)
        if len(lived) == 9:
            raise KeyboardInterrupt
        run(self)

    monkeypatch.setattr(_Story, "run", cut)
    with pytest.raises(KeyboardInterrupt):
        demo.fill(CATALOGUE, NOW)
    monkeypatch.undo()
    assert demo.is_empty()
    demo.fill(CATALOGUE, NOW)
    assert job_store.count_jobs() == len(JOBS)


# -- running one at a time ------------------------------------------------------------------


def test_a_second_start_is_told_where_the_first_runs(tmp_path: Path) -> None:
    with only_one(tmp_path) as told:
        told.write_text("http://127.0.0.1:8420")
        with pytest.raises(AlreadyRuns, match=r"127\.0\.0\.1:8420"), only_one(tmp_path):
            pass
    with only_one(tmp_path):
        assert not (tmp_path / "running").exists()


def test_a_second_start_waits_for_the_address_of_one_that_is_starting(tmp_path: Path) -> None:
    with only_one(tmp_path) as told:
        threading.Timer(0.4, told.write_text, ["http://127.0.0.1:8421"]).start()
        with pytest.raises(AlreadyRuns, match="8421"), only_one(tmp_path):
            pass


def test_a_taken_port_leads_to_the_next_free_one() -> None:
    first = listen("127.0.0.1", 18_420)
    second = listen("127.0.0.1", first.getsockname()[1])
    assert second.getsockname()[1] > first.getsockname()[1]
    first.close()
    second.close()
