"""Accessories as they came and went."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from peewee import Select

from sutura.core.handover.giving import Accessory
from sutura.store.database import each, grouped, insert, reading, written
from sutura.store.tables import Accessory as AccessoryTable


def add_accessories(job_id: int, names: Sequence[tuple[str, str]]) -> None:
    insert(AccessoryTable, [{"job": job_id, "name": name, "kept": kept} for name, kept in names])


@written
def _came_with(job_id: int) -> Select:
    came = AccessoryTable.select(AccessoryTable.id, AccessoryTable.name, AccessoryTable.kept)
    return came.where(AccessoryTable.job == job_id).order_by(AccessoryTable.id)


@reading
def load_accessories(job_id: int) -> list[Accessory]:
    return each(Accessory, _came_with(job_id))


@reading
def accessories_of(job_ids: Sequence[int]) -> dict[int, list[str]]:
    """What came with each of some jobs, by the job's number."""
    came = AccessoryTable.select(AccessoryTable.job, AccessoryTable.name).order_by(AccessoryTable.id)
    return grouped(came.where(AccessoryTable.job.in_(list(job_ids))))


def save_returned(accessory_ids: Sequence[int], at: datetime) -> None:
    AccessoryTable.update(returned_at=at).where(AccessoryTable.id.in_(list(accessory_ids))).execute()
