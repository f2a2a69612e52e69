"""Old screens of repaired devices."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import Select, fn

from sutura.core.stock.cores import CoreState
from sutura.store.database import each, first, reading, row
from sutura.store.expressions import MODEL_NAME
from sutura.store.stock_tables import OldScreen
from sutura.store.tables import CatalogueModel, Job, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class CoreRow:
    """An old screen with the device it came from."""

    id: int
    job: str
    model: str
    place: str
    state: CoreState
    buyer: str
    amount_minor: int | None
    who: str
    at: datetime
    ended_at: datetime | None
    version: int


def _core(state: str, **columns: Any) -> CoreRow:
    return CoreRow(state=CoreState(state), **columns)


def _cores() -> Select:
    return (
        OldScreen.select(
            OldScreen.id,
            Job.code.alias("job"),
            MODEL_NAME.alias("model"),
            OldScreen.place,
            OldScreen.state,
            OldScreen.buyer,
            OldScreen.amount_minor,
            Person.name.alias("who"),
            OldScreen.at,
            OldScreen.ended_at,
            OldScreen.version,
        )
        .join(Job)
        .join(CatalogueModel, on=Job.model == CatalogueModel.id)
        .switch(OldScreen)
        .join(Person)
    )


@reading
def kept(place: str = "", limit: int = 200) -> list[CoreRow]:
    """The old screens that are here, the oldest first; those of one place where that is asked."""
    here = _cores().where(OldScreen.state == CoreState.KEPT.value)
    if place:
        here = here.where(OldScreen.place == place)
    return each(_core, here.order_by(OldScreen.at, OldScreen.id).limit(limit))


@reading
def count_kept() -> int:
    return int(OldScreen.select().where(OldScreen.state == CoreState.KEPT.value).count())


@reading
def ended(limit: int = 50) -> list[CoreRow]:
    """What became of the others, the last first."""
    gone = _cores().where(OldScreen.state != CoreState.KEPT.value)
    return each(_core, gone.order_by(OldScreen.ended_at.desc(), OldScreen.id.desc()).limit(limit))


@reading
def brought() -> tuple[int, int]:
    """How many were sold, and what they brought together in minor units."""
    sold = OldScreen.select(fn.COUNT(OldScreen.id), fn.COALESCE(fn.SUM(OldScreen.amount_minor), 0)).where(
        OldScreen.state == CoreState.SOLD.value
    )
    count, minor = row(sold)
    return int(count), int(minor)


@reading
def load_core_of(job_id: int) -> CoreRow | None:
    return first(_core, _cores().where(OldScreen.job == job_id))


def lock_core(core_id: int) -> CoreRow | None:
    return first(_core, _cores().where(OldScreen.id == core_id).for_update(of=(OldScreen,)))


def keep_core(job_id: int, person_id: int, at: datetime) -> None:
    """The old screen of a job is here; one that is known of already stays as it is."""
    OldScreen.insert(job=job_id, person=person_id, at=at).on_conflict_ignore().execute()


def save_core(core_id: int, **changes: Any) -> None:
    OldScreen.update(**changes, version=OldScreen.version + 1).where(OldScreen.id == core_id).execute()
