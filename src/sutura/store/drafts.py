"""Intakes left half-way: everything typed so far."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import EXCLUDED

from sutura.store.database import column, each, first, reading
from sutura.store.tables import Draft as DraftTable
from sutura.store.tables import Person


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """An intake left half-way: everything typed so far."""

    id: str
    who: str
    fields: Mapping[str, Any]
    saved_at: datetime


_DRAFT = DraftTable.select(
    DraftTable.id, Person.name.alias("who"), DraftTable.fields, DraftTable.saved_at
).join(Person)


@reading
def load_draft(draft_id: str) -> Draft | None:
    return first(Draft, _DRAFT.where(DraftTable.id == draft_id))


@reading
def drafts_page() -> list[Draft]:
    return each(Draft, _DRAFT.order_by(DraftTable.saved_at.desc()).limit(200))


def save_draft(draft_id: str, person_id: int, fields: Mapping[str, Any], at: datetime) -> None:
    new = DraftTable.insert(id=draft_id, person=person_id, fields=dict(fields), saved_at=at, version=1)
    new.on_conflict(
        conflict_target=[DraftTable.id],
        update={
            DraftTable.fields: EXCLUDED.fields,
            DraftTable.saved_at: EXCLUDED.saved_at,
            DraftTable.version: DraftTable.version + 1,
        },
    ).execute()


def lock_draft(draft_id: str) -> bool:
    """Lock a draft until the transaction ends; False when it is gone: it became a job, or was thrown away."""
    return bool(column(DraftTable.select(DraftTable.id).where(DraftTable.id == draft_id).for_update()))


def remove_draft(draft_id: str) -> None:
    DraftTable.delete().where(DraftTable.id == draft_id).execute()
