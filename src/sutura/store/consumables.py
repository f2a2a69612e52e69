"""Tape, glue, cleaner, wipes: what is there, and its moves."""

from __future__ import annotations

from dataclasses import dataclass, fields
from datetime import date, datetime
from decimal import Decimal
from typing import Any

from peewee import JOIN, SQL, fn

from sutura.core.errors import NotFound
from sutura.core.stock.consumables import Terms, Unit, UsedFor
from sutura.store.database import column, each, first, reading, rows
from sutura.store.expressions import or_empty
from sutura.store.stock_tables import Consumable, ConsumableMove
from sutura.store.tables import Job, Person, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsumableRow:
    """What is there of a consumable. `doubtful`: more was needed of it than was there."""

    id: str
    name: str
    unit: Unit
    used_for: UsedFor
    place: str
    on_hand: Decimal
    doubtful: bool
    version: int
    ordered: Decimal
    expected_on: date | None
    supplier: str
    terms: Terms


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


_TERMS = [field.name for field in fields(Terms)]


def _consumable(unit: str, used_for: str, **columns: Any) -> ConsumableRow:
    terms = Terms(**{name: columns.pop(name) for name in _TERMS})
    return ConsumableRow(unit=Unit(unit), used_for=UsedFor(used_for), terms=terms, **columns)


_ALL = Consumable.select(
    Consumable.id,
    Consumable.name,
    Consumable.unit,
    Consumable.used_for,
    Consumable.place,
    Consumable.on_hand,
    Consumable.doubtful,
    Consumable.version,
    Consumable.ordered,
    Consumable.expected_on,
    Consumable.again_at,
    Consumable.supplier.alias("supplier_id"),
    Consumable.holds,
    Consumable.price_minor,
    Consumable.lead_days,
    or_empty(Supplier.name).alias("supplier"),
).join(Supplier, JOIN.LEFT_OUTER)


@reading
def consumables_page() -> list[ConsumableRow]:
    """All of them by name; a shop has some dozens."""
    return each(_consumable, _ALL.order_by(Consumable.name, Consumable.id).limit(500))


@reading
def ids() -> list[str]:
    return column(Consumable.select(Consumable.id))


def lock_consumable(consumable_id: str) -> ConsumableRow:
    found = first(_consumable, _ALL.where(Consumable.id == consumable_id).for_update(of=Consumable))
    if found is None:
        raise NotFound("consumable", consumable_id)
    return found


def lock_used_for(kinds: list[UsedFor]) -> dict[UsedFor, ConsumableRow]:
    """Of each kind the consumable that repairs take, the fullest first; always locked in one order."""
    found = each(
        _consumable,
        _ALL.where(Consumable.used_for.in_([kind.value for kind in kinds]))
        .order_by(Consumable.id)
        .for_update(of=Consumable),
    )
    taken: dict[UsedFor, ConsumableRow] = {}
    for one in sorted(found, key=lambda one: (one.on_hand, one.id)):
        taken[one.used_for] = one
    return taken


def add_consumable(**columns: Any) -> None:
    Consumable.insert(**_columns(columns)).execute()


def _columns(given: dict[str, Any]) -> dict[str, Any]:
    """Columns, with terms as the columns they stand in."""
    terms: Terms | None = given.pop("terms", None)
    if terms is None:
        return given
    spread = {name: getattr(terms, name) for name in _TERMS}
    spread["supplier"] = spread.pop("supplier_id")
    return {**given, **spread}


def save_consumable(consumable_id: str, **changes: Any) -> None:
    Consumable.update(**_columns(changes), version=Consumable.version + 1).where(
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
def used_since(since: datetime) -> dict[str, tuple[int, Decimal, Decimal]]:
    """What repairs needed of each since a moment: how often, in all, and the sum of the squares."""
    needed = ConsumableMove.short - ConsumableMove.quantity
    used = (
        ConsumableMove.select(
            ConsumableMove.consumable, fn.COUNT(SQL("*")), fn.SUM(needed), fn.SUM(needed * needed)
        )
        .where(ConsumableMove.kind == "used", ConsumableMove.at >= since)
        .group_by(ConsumableMove.consumable)
    )
    return {consumable: (times, total, squares) for consumable, times, total, squares in rows(used)}
