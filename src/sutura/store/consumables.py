"""Tape, glue, cleaner, wipes: what is there, and its moves."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from peewee import JOIN, fn

from sutura.core.errors import NotFound
from sutura.core.stock.consumables import Unit, UsedFor
from sutura.store.database import column, each, first, reading, rows
from sutura.store.expressions import or_empty
from sutura.store.stock_tables import Consumable, ConsumableMove
from sutura.store.tables import Job, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsumableRow:
    """What is there of a consumable. `doubtful`: more was needed of it than was there."""

    id: str
    name: str
    unit: Unit
    used_for: UsedFor
    place: str
    on_hand: Decimal
    again_at: Decimal
    doubtful: bool
    version: int

    @property
    def is_low(self) -> bool:
        return self.on_hand <= self.again_at


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsumableLine:
    """One move of a consumable."""

    at: datetime
    who: str
    kind: str
    quantity: Decimal
    short: Decimal
    note: str
    job: str


def _consumable(unit: str, used_for: str, **columns: Any) -> ConsumableRow:
    return ConsumableRow(unit=Unit(unit), used_for=UsedFor(used_for), **columns)


_ALL = Consumable.select()


@reading
def consumables_page() -> list[ConsumableRow]:
    """All of them by name; a shop has some dozens."""
    return each(_consumable, _ALL.order_by(Consumable.name, Consumable.id).limit(500))


@reading
def low_ones() -> list[ConsumableRow]:
    """Those of which more should be there, or nobody knows how much there is."""
    low = _ALL.where((Consumable.on_hand <= Consumable.again_at) | Consumable.doubtful)
    return each(_consumable, low.order_by(Consumable.name, Consumable.id).limit(100))


@reading
def ids() -> list[str]:
    return column(Consumable.select(Consumable.id))


def lock_consumable(consumable_id: str) -> ConsumableRow:
    found = first(_consumable, _ALL.where(Consumable.id == consumable_id).for_update())
    if found is None:
        raise NotFound("consumable", consumable_id)
    return found


def lock_used_for(kinds: list[UsedFor]) -> dict[UsedFor, ConsumableRow]:
    """Of each kind the consumable that repairs take, the fullest first; always locked in one order."""
    found = each(
        _consumable,
        _ALL.where(Consumable.used_for.in_([kind.value for kind in kinds]))
        .order_by(Consumable.id)
        .for_update(),
    )
    taken: dict[UsedFor, ConsumableRow] = {}
    for one in sorted(found, key=lambda one: (one.on_hand, one.id)):
        taken[one.used_for] = one
    return taken


def add_consumable(**columns: Any) -> None:
    Consumable.insert(**columns).execute()


def save_consumable(consumable_id: str, **changes: Any) -> None:
    Consumable.update(**changes, version=Consumable.version + 1).where(
        Consumable.id == consumable_id
    ).execute()


def add_move(**columns: Any) -> None:
    """A move of a consumable; what a job used is booked once, however often it is closed."""
    ConsumableMove.insert(**columns).on_conflict_ignore().execute()


@reading
def moves_of(consumable_id: str, limit: int = 50) -> list[ConsumableLine]:
    moves = (
        ConsumableMove.select(
            ConsumableMove.at,
            Person.name.alias("who"),
            ConsumableMove.kind,
            ConsumableMove.quantity,
            ConsumableMove.short,
            ConsumableMove.note,
            or_empty(Job.code).alias("job"),
        )
        .join(Person)
        .switch(ConsumableMove)
        .join(Job, JOIN.LEFT_OUTER)
        .where(ConsumableMove.consumable == consumable_id)
    )
    return each(ConsumableLine, moves.order_by(ConsumableMove.id.desc()).limit(limit))


@reading
def used_since(since: datetime) -> dict[str, Decimal]:
    """What repairs used of each since a moment."""
    used = (
        ConsumableMove.select(ConsumableMove.consumable, -1 * fn.SUM(ConsumableMove.quantity))
        .where(ConsumableMove.kind == "used", ConsumableMove.at >= since)
        .group_by(ConsumableMove.consumable)
    )
    return dict(rows(used))
