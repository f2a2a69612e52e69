"""Waits at the bench, and limits that were let pass."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import JOIN, Select, fn

from sutura.core.bench.waits import Passed, PassedKind, Wait
from sutura.core.facts import from_json, to_json
from sutura.store.bench_tables import BenchWait, HeatSource, LimitPassed
from sutura.store.database import each, reading, written
from sutura.store.tables import Job, Person


@reading
def ended_timer(job_id: int, now: datetime) -> bool:
    """Whether a job's device waited by the clock and its time is over."""
    return bool(Job.select().where(Job.id == job_id, Job.waits_until <= now).exists())


def set_timer(job_id: int, until: datetime | None) -> None:
    """Until when a job's device waits by the clock; None when it does not, or somebody sees to it."""
    Job.update(waits_until=until).where(Job.id == job_id).execute()


_TAKER = Person.alias()


@written
def _waits(job_id: int) -> Select:
    waits = (
        BenchWait.select(
            BenchWait.attempt,
            BenchWait.step,
            BenchWait.minutes,
            BenchWait.started_at,
            Person.name.alias("started_by"),
            BenchWait.ended_at,
            _TAKER.name.alias("ended_by"),
            BenchWait.early,
        )
        .join(Person, on=BenchWait.started_by == Person.id)
        .join_from(BenchWait, _TAKER, JOIN.LEFT_OUTER, on=BenchWait.ended_by == _TAKER.id)
    )
    return waits.where(BenchWait.job == job_id).order_by(BenchWait.id)


def _wait(ended_by: str | None, **columns: Any) -> Wait:
    return Wait(ended_by=ended_by or "", **columns)


@reading
def waits_of(job_id: int) -> list[Wait]:
    """The waits of a job, the oldest first."""
    return each(_wait, _waits(job_id))


def start_wait(job_id: int, attempt: int, step: str, minutes: int, person_id: int, at: datetime) -> None:
    BenchWait.insert(
        job=job_id, attempt=attempt, step=step, minutes=minutes, started_by=person_id, started_at=at, early=""
    ).execute()


def end_wait(job_id: int, person_id: int, at: datetime, early: str = "") -> None:
    """The wait that runs ends: the device was taken off."""
    BenchWait.update(
        ended_by=person_id,
        ended_at=at,
        early=early[:300],
        # nothing begins after it has ended, whatever the clock said when it began
        started_at=fn.LEAST(BenchWait.started_at, at),
    ).where(BenchWait.job == job_id, BenchWait.ended_at.is_null()).execute()


def add_passed(job_id: int, passed: Passed, person_id: int) -> None:
    LimitPassed.insert(
        job=job_id,
        attempt=passed.attempt,
        step=passed.step,
        what=passed.what.value,
        said=to_json(passed.said),
        reason=passed.reason,
        person=person_id,
        at=passed.at,
    ).execute()


@written
def _passed_of(job_id: int) -> Select:
    passed = LimitPassed.select(
        LimitPassed.attempt,
        LimitPassed.step,
        LimitPassed.what,
        LimitPassed.said,
        LimitPassed.reason,
        Person.name.alias("who"),
        LimitPassed.at,
    ).join(Person)
    return passed.where(LimitPassed.job == job_id).order_by(LimitPassed.id)


def _passed(what: str, said: Any, **columns: Any) -> Passed:
    return Passed(what=PassedKind(what), said=from_json(said), **columns)


@reading
def passed_of(job_id: int) -> list[Passed]:
    """What was let pass on a job, the oldest first (rules bench.waits, heat.window, bench.serial)."""
    return each(_passed, _passed_of(job_id))


@dataclass(frozen=True, slots=True, kw_only=True)
class Begun:
    """A wait that runs: of which job, since when, for how long, and who put the device there."""

    job_id: int
    code: str
    minutes: int
    started_by: int


def begun_after(moment: datetime) -> list[Begun]:
    """Waits that run and say they were begun after a moment."""
    waits = (
        BenchWait.select(BenchWait.job.alias("job_id"), Job.code, BenchWait.minutes, BenchWait.started_by)
        .join(Job)
        .where(BenchWait.ended_at.is_null(), BenchWait.started_at > moment)
        .order_by(BenchWait.id)
    )
    return each(Begun, waits)


def begin_again(job_id: int, at: datetime) -> None:
    """The wait of a job that runs is timed from a moment on."""
    BenchWait.update(started_at=at).where(BenchWait.job == job_id, BenchWait.ended_at.is_null()).execute()


def hot_since(moment: datetime, at: datetime) -> int:
    """What is on and says it was switched on after a moment is on since another; how much."""
    sources = HeatSource.update(on_at=at).where(HeatSource.off_at.is_null(), HeatSource.on_at > moment)
    return int(sources.execute())
