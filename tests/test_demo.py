"""The demo shop: every stage is there, it is the same each time, nothing in it is stale, a cut-off start is
finished.
"""

from __future__ import annotations

import threading
from collections import Counter
from datetime import UTC, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import psycopg
import pytest

from sutura import demo, wiring
from sutura.cluster import Cluster
from sutura.config import CATALOGUE
from sutura.core.job import Round, Stage
from sutura.demo import hours
from sutura.demo.filling import _Story
from sutura.demo.shop import JOBS, TIMEZONE
from sutura.running import AlreadyRuns, listen, only_one
from sutura.services import planning
from sutura.store import job as job_store
from sutura.store.database import DATABASE, connection

pytestmark = pytest.mark.slow

NOW = datetime(2031, 5, 6, 10, 17, 33, tzinfo=UTC)


@pytest.fixture(scope="module")
def filled(cluster: Cluster) -> str:
    """A demo shop whose start was cut off after eight jobs, and that the next start finished."""
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute("create database demo_shop")
    wiring.connect(cluster.url_of("demo_shop"))
    wiring.migrate()
    assert demo.is_empty()
    run, lived = _Story.run, []

    def cut(self: _Story) -> None:
        lived.append(1)
        if len(lived) == 9:
            raise KeyboardInterrupt
        run(self)

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(_Story, "run", cut)
        with pytest.raises(KeyboardInterrupt):
            demo.fill(CATALOGUE, NOW)
    assert demo.is_empty()
    demo.fill(CATALOGUE, NOW)
    return cluster.url_of("demo_shop")


def stages() -> Counter[str]:
    with connection():
        return Counter(stage for (stage,) in DATABASE.execute_sql("select stage from job"))


def test_about_sixty_jobs_stand_in_every_stage_over_every_model(filled: str) -> None:
    assert not demo.is_empty()
    assert 55 <= job_store.count_jobs() <= 75
    assert set(stages()) == {stage.value for stage in Stage}
    with connection():
        taken_in = {model for (model,) in DATABASE.execute_sql("select distinct model_id from job")}
        rounds = {kind for (kind,) in DATABASE.execute_sql("select distinct round from job")}
        kinds = {kind for (kind,) in DATABASE.execute_sql("select distinct kind from job_event")}
        first, last = DATABASE.execute_sql("select min(received_at), max(received_at) from job").fetchone()
    listed = {"fennick-heron", "ardale-plain-15", "tarnbeck-slate-11", "osmere-dial-42", "bramling-pocket"}
    assert len(taken_in) >= 22
    assert listed <= taken_in
    assert any(model.startswith("device-") for model in taken_in), "one is in no pack"
    assert rounds == {work.value for work in Round}
    assert {"proof_failed", "part_changed", "reopened", "given_up", "promised", "declined"} <= kinds
    assert (last - first).days >= 55
    assert (NOW - last) < timedelta(days=1)


def test_most_of_todays_jobs_are_of_three_models(filled: str) -> None:
    with connection():
        rows = DATABASE.execute_sql("select model_id from job where stage not in ('handed_back', 'returned')")
        models = Counter(model for (model,) in rows.fetchall())
    assert sum(count for _, count in models.most_common(3)) > 0.7 * models.total()


@pytest.mark.parametrize("started", ["2031-05-06T03:10", "2031-05-06T21:40", "2031-05-04T12:00"])
def test_its_hours_are_opening_hours_whenever_it_is_started(started: str) -> None:
    """At night, in the evening, on a Sunday: the shop stands as it was left at its last closing."""
    zone = ZoneInfo(TIMEZONE)
    now = hours.before(datetime.fromisoformat(started).replace(tzinfo=zone), zone)
    assert hours.open_hours(zone).is_open(now)
    assert now <= datetime.fromisoformat(started).replace(tzinfo=zone)
    for minutes in (-5_000, -700, -1, 0, 1, 700, 5_000):
        moment = hours.later(now, minutes, zone)
        assert hours.open_hours(zone).is_open(moment)
        assert (moment <= now) is (minutes <= 0)


def test_every_deed_of_the_demo_lies_in_opening_hours(filled: str) -> None:
    zone = ZoneInfo(TIMEZONE)
    with connection():
        moments = [at for (at,) in DATABASE.execute_sql("select at from job_event")]
    outside = [at for at in moments if not hours.open_hours(zone).is_open(at)]
    assert len(outside) <= len(moments) // 100, outside[:5]


def test_nothing_is_stale_when_it_is_made(filled: str) -> None:
    lines = planning.open_lines(NOW).lines
    assert lines[0].next.slack_minutes < 0, "one is late, so that the page has something to say"
    assert sum(line.next.slack_minutes < 0 for line in lines) <= 3
    odd = [
        (line.next.code, line.job.waiting.promise_at)
        for line in lines
        if not NOW - timedelta(hours=20) < line.job.waiting.promise_at < NOW + timedelta(days=8)
    ]
    assert odd == []
    assert demo.age_days(NOW) == 0
    assert demo.age_days(NOW + timedelta(days=3)) >= 2


def test_no_event_of_the_demo_lies_in_the_future(filled: str) -> None:
    with connection():
        assert DATABASE.execute_sql("select max(at) from job_event").fetchone()[0] <= NOW


def test_a_start_that_was_cut_off_is_finished_by_the_next_and_no_job_is_there_twice(filled: str) -> None:
    # and two that came back
    assert job_store.count_jobs() == len(JOBS) + 2
    assert not demo.is_empty()


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
