"""Bench steps as recorded."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import Select, fn

from sutura.core.bench.done import Done
from sutura.store.database import column, each, reading, rows, written
from sutura.store.tables import BenchNote, BenchScrew, BenchStep, JobSheet, Person, Photo


@written
def _steps(job_id: int) -> Select:
    steps = BenchStep.select(
        BenchStep.attempt,
        BenchStep.step,
        BenchStep.at,
        BenchStep.counted,
        BenchStep.reason,
        Person.name.alias("who"),
        Person.id.alias("who_id"),
    ).join(Person, on=BenchStep.person == Person.id)
    return steps.where(BenchStep.job == job_id).order_by(BenchStep.id)


@reading
def load_done(job_id: int) -> list[Done]:
    return each(Done, _steps(job_id))


@written
def _sheets(job_id: int) -> Select:
    sheets = JobSheet.select(JobSheet.attempt, JobSheet.model_version, JobSheet.steps)
    return sheets.where(JobSheet.job == job_id).order_by(JobSheet.id)


@reading
def load_sheets(job_id: int) -> list[tuple[int, int, list[dict[str, Any]]]]:
    """The sheets a job keeps, the oldest first: round, version of its model, and the steps as they were kept;
    of a round the last one counts.
    """
    return rows(_sheets(job_id))


def add_sheet(
    job_id: int, attempt: int, model_version: int, steps: list[dict[str, Any]], at: datetime
) -> None:
    JobSheet.insert(job=job_id, attempt=attempt, model_version=model_version, steps=steps, at=at).execute()


@dataclass(frozen=True, slots=True, kw_only=True)
class NoteLine:
    """A note made at a step, with the numbers of its photos."""

    step: str
    says: str
    who: str
    at: datetime
    photos: list[int]


def add_note(**columns: Any) -> int:
    return int(BenchNote.insert(**columns).execute())


_PHOTOS = fn.ARRAY(Photo.select(Photo.id).where(Photo.note_id == BenchNote.id).order_by(Photo.id))


@written
def _notes(job_id: int) -> Select:
    notes = BenchNote.select(
        BenchNote.step, BenchNote.says, Person.name.alias("who"), BenchNote.at, _PHOTOS.alias("photos")
    ).join(Person)
    return notes.where(BenchNote.job == job_id).order_by(BenchNote.id.desc()).limit(60)


@reading
def notes_of(job_id: int) -> list[NoteLine]:
    """What was noted at the bench, the newest first."""
    return each(NoteLine, _notes(job_id))


def add_screw(**columns: Any) -> None:
    BenchScrew.insert(**columns).execute()


@written
def _screws(job_id: int, attempt: int) -> Select:
    screws = BenchScrew.select(BenchScrew.step, BenchScrew.place, BenchScrew.done)
    return screws.where(BenchScrew.job == job_id, BenchScrew.attempt == attempt).order_by(BenchScrew.id)


@reading
def screws_of(job_id: int, attempt: int) -> list[tuple[str, int, bool]]:
    """Screws touched one by one in a round, the oldest first: the step, the place, done or taken back."""
    return rows(_screws(job_id, attempt))


def add_step(
    job_id: int,
    attempt: int,
    step: str,
    *,
    expected: int | None,
    counted: int | None,
    reason: str,
    person_id: int,
    supervisor_id: int | None,
    at: datetime,
) -> None:
    BenchStep.insert(
        job=job_id,
        attempt=attempt,
        step=step,
        expected=expected,
        counted=counted,
        reason=reason,
        person=person_id,
        supervisor=supervisor_id,
        at=at,
    ).execute()


@reading
def last_supervisor(job_id: int, person_id: int) -> int | None:
    """Who stood beside somebody at the last step they recorded on this job; None when nobody did."""
    steps = BenchStep.select(BenchStep.supervisor).where(
        BenchStep.job == job_id, BenchStep.person == person_id
    )
    return next(iter(column(steps.order_by(BenchStep.id.desc()).limit(1))), None)
