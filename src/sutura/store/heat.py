"""Heat at the bench: readings, and what is switched on."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from peewee import JOIN, IntegrityError, Select, fn

from sutura.core.bench.heat import Source
from sutura.store.bench_tables import HeatSource
from sutura.store.database import DATABASE, column, each, reading, written
from sutura.store.tables import HeatReading, Job, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatLine:
    """A reading of heat as it is kept."""

    attempt: int
    step: str
    edge: str
    surface: str
    read_c: Decimal
    true_c: Decimal
    source: str
    who: str
    at: datetime


def add_heat(**columns: Any) -> None:
    HeatReading.insert(**columns).execute()


@reading
def heat_of(job_id: int, attempt: int | None = None, step: str = "", limit: int = 200) -> list[HeatLine]:
    """The readings of a job – in a round, at a step – the oldest first; of very many the last ones."""
    lines = HeatReading.select(
        HeatReading.attempt,
        HeatReading.step,
        HeatReading.edge,
        HeatReading.surface,
        HeatReading.read_c,
        HeatReading.true_c,
        HeatReading.source,
        Person.name.alias("who"),
        HeatReading.at,
    ).join(Person)
    here = lines.where(HeatReading.job == job_id)
    if attempt is not None:
        here = here.where(HeatReading.attempt == attempt, HeatReading.step == step)
    return each(HeatLine, here.order_by(HeatReading.id.desc()).limit(limit))[::-1]


_SWITCHER = Person.alias()


@written
def _sources(job_id: int) -> Select:
    sources = (
        HeatSource.select(
            HeatSource.what,
            HeatSource.on_at,
            Person.name.alias("on_by"),
            HeatSource.off_at,
            _SWITCHER.name.alias("off_by"),
        )
        .join(Person, on=HeatSource.on_by == Person.id)
        .join_from(HeatSource, _SWITCHER, JOIN.LEFT_OUTER, on=HeatSource.off_by == _SWITCHER.id)
    )
    return sources.where(HeatSource.job == job_id).order_by(HeatSource.id)


def _source(off_by: str | None, **columns: Any) -> Source:
    return Source(off_by=off_by or "", **columns)


@reading
def sources_of(job_id: int) -> list[Source]:
    """What was switched on for a job, the first to be in front."""
    return each(_source, _sources(job_id))


@reading
def whose_plate() -> str:
    """The job that has the plate; empty while nobody has it."""
    found = (
        HeatSource.select(Job.code).join(Job).where(HeatSource.what == "plate", HeatSource.off_at.is_null())
    )
    return next(iter(column(found)), "")


def switch_on(job_id: int, what: str, person_id: int, at: datetime) -> bool:
    """Something hot is on for a job from now; false where another job has it by now."""
    try:
        with DATABASE.atomic():
            HeatSource.insert(job=job_id, what=what, on_by=person_id, on_at=at).execute()
    except IntegrityError:
        return False
    return True


def switch_off(job_id: int, what: str, person_id: int, at: datetime) -> None:
    on_at = fn.LEAST(HeatSource.on_at, at)
    HeatSource.update(off_by=person_id, off_at=at, on_at=on_at).where(
        HeatSource.job == job_id, HeatSource.what == what, HeatSource.off_at.is_null()
    ).execute()
