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
from web.facts import denied_of, said_of, said_twice

from sutura import demo, wiring
from sutura.cluster import Cluster
from sutura.config import CATALOGUE
from sutura.core.job import Round, Stage
from sutura.core.values import Person, Role
from sutura.demo import filling, hours
from sutura.demo.filling import _Story
from sutura.demo.shop import JOBS, TIMEZONE
from sutura.running import AlreadyRuns, listen, only_one
from sutura.services import looks, planning, schools
from sutura.store import job as job_store
from sutura.store import people as people_store
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


# one of each is open; what each is, in the words of the store
SHOWN = {
    "on the hot plate": "id in (select job_id from heat_source where what = 'plate' and off_at is null)",
    "a comeback": "id in (select job_id from comeback)",
    "an unanswered quote": "id in (select job_id from quote where state = 'open' and found = '')",
    "a question": "id in (select job_id from quote where state = 'open' and found <> '')",
    "a part that is late": "id in (select job_id from job_event where kind = 'promised')",
    "an upgrade": "arrival ->> 'upgrade' <> ''",
    "in no pack": "starts_with(model_id, 'device-')",
    "mailed in": "channel = 'mail'",
    "in a rush": "rush",
    "somebody waiting": "channel = 'waiting'",
}


def test_the_open_day_shows_what_the_house_can(filled: str) -> None:
    """Some 25 open jobs over at least fourteen models, in every stage before the last, one of each kind."""
    still = "stage not in ('handed_back', 'returned')"
    with connection():
        rows = DATABASE.execute_sql(f"select code, model_id, stage from job where {still}").fetchall()
        codes = [code for code, _, _ in rows]
        missing = [
            name
            for name, where in SHOWN.items()
            if not DATABASE.execute_sql(f"select 1 from job where {still} and {where}").fetchone()
        ]
        closed = [job for job in map(job_store.load_job, codes) if job.stage is Stage.CLOSED]
        cures = [looks.look_page(job, schools.of_job(job), NOW).sealed_until for job in closed]
    assert missing == []
    assert any(until and until > NOW for until in cures), "one cures"
    assert 23 <= len(rows) <= 27
    models = Counter(model for _, model, _ in rows)
    assert len(models) >= 14
    assert models.most_common(1)[0][1] <= 7, "no phone is most of the day"
    assert {stage for _, _, stage in rows} == {one.value for one in Stage} - {"handed_back", "returned"}


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


@pytest.mark.parametrize("started", ["2031-05-06T21:40", "2031-05-04T12:00", "2031-05-05T09:12"])
def test_every_open_job_can_be_lived_whenever_it_is_started(
    cluster: Cluster, filled: str, started: str
) -> None:
    """At night, on a Sunday, early on a Monday: whose device is promised for the next opening waits with the
    reason for that, and what cures has room.
    """
    name = f"demo_{started[5:].replace(':', '').replace('-', '').lower()}"
    with psycopg.connect(cluster.url_of("postgres"), autocommit=True) as link:
        link.execute(f"create database {name}")
    wiring.connect(cluster.url_of(name))
    wiring.migrate()
    still = tuple(job for job in JOBS if job.stage not in (Stage.HANDED_BACK, Stage.RETURNED))
    try:
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(filling, "JOBS", still)
            demo.fill(CATALOGUE, datetime.fromisoformat(started).replace(tzinfo=ZoneInfo(TIMEZONE)))
        assert job_store.count_jobs() == len(still)
    finally:
        wiring.connect(filled)


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


def test_no_page_of_the_demo_denies_what_another_says(filled: str) -> None:
    """Law: of each open job, and of the newest that was handed back."""
    with connection():
        rows = DATABASE.execute_sql(
            "select code from job where stage not in ('handed_back', 'returned') union all "
            "(select code from job where stage = 'handed_back' order by id desc limit 3)"
        )
        codes = [code for (code,) in rows.fetchall()]
        ines = people_store.load_person_by_login("ines")
    assert ines
    said = said_of(codes, Person(id=ines.id, name=ines.name, role=Role.MANAGER), NOW)
    assert denied_of(said) == {}
    assert said_twice(said) >= {"ready", "spare", "price", "best", "free"}


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
