"""Tape, glue, cleaner and wipes: received, counted, and used up by repairs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from functools import partial

from sutura.core.catalogue.model import Model
from sutura.core.errors import StaleSave
from sutura.core.facts import fact
from sutura.core.people import Deed, demand
from sutura.core.stock import consumables as rules
from sutura.core.typed import Problems, read_text
from sutura.core.values import Person
from sutura.store import consumables as store
from sutura.store.database import reading, writing

WEEKS = 12


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsumablePage:
    """A consumable with how long it lasts at what repairs took of it, and its last moves."""

    row: store.ConsumableRow
    weeks: float | None
    moves: list[store.ConsumableLine]


@reading
def consumables_page(now: datetime, shown: str = "") -> list[ConsumablePage]:
    """Every consumable; the moves of the one that is shown."""
    used = store.used_since(now - timedelta(weeks=WEEKS))
    return [
        ConsumablePage(
            row=row,
            weeks=rules.weeks_left(row.on_hand, used.get(row.id, Decimal(0)), WEEKS),
            moves=store.moves_of(row.id) if row.id == shown else [],
        )
        for row in store.consumables_page()
    ]


@writing
def add_consumable(typed: Mapping[str, str], by: Person) -> str:
    """Set one up, with nothing of it there yet; its id."""
    demand(by, Deed.ORDER)
    new = rules.read_consumable(typed, store.ids())
    store.add_consumable(
        id=new.id,
        name=new.name,
        unit=new.unit.value,
        used_for=new.used_for.value,
        place=new.place,
        again_at=new.again_at,
    )
    return new.id


@writing
def receive(consumable_id: str, quantity: str, note: str, by: Person, now: datetime) -> None:
    """More of it is here."""
    demand(by, Deed.RECEIVE)
    store.lock_consumable(consumable_id)
    problems = Problems("The delivery")
    amount = problems.read("quantity", quantity, rules.read_quantity)
    if amount == 0:
        problems.add("quantity", quantity, fact("stock.more-than-nothing"))
    said = problems.read("note", note, partial(read_text, most=200)) or ""
    problems.refuse()
    store.add_move(consumable=consumable_id, quantity=amount, kind="receipt", note=said, person=by.id, at=now)


@writing
def count(consumable_id: str, counted: str, version: int, by: Person, now: datetime) -> None:
    """So much is really there: the estimate is set right (rule stock.consumables)."""
    demand(by, Deed.RECEIVE)
    row = store.lock_consumable(consumable_id)
    if row.version != version:
        raise StaleSave(row.name, "", None, {"counted": counted}, {"counted": str(row.on_hand)})
    problems = Problems("The count")
    amount = problems.read("counted", counted, rules.read_quantity)
    problems.refuse()
    difference = (amount or Decimal(0)) - row.on_hand
    if difference or row.doubtful:
        store.add_move(
            consumable=consumable_id, quantity=difference, kind="count", person=by.id, at=now, note=""
        )
        store.save_consumable(consumable_id)


@writing
def change(consumable_id: str, typed: Mapping[str, str], version: int, by: Person) -> None:
    """Another place, or another limit below which it is ordered again."""
    demand(by, Deed.ORDER)
    row = store.lock_consumable(consumable_id)
    if row.version != version:
        raise StaleSave(row.name, "", None, dict(typed), {"place": row.place, "again_at": str(row.again_at)})
    problems = Problems("The consumable")
    place = problems.read("place", typed.get("place", ""), partial(read_text, most=40)) or ""
    again = problems.read("again_at", typed.get("again_at", ""), rules.read_quantity)
    problems.refuse()
    store.save_consumable(consumable_id, place=place, again_at=again or Decimal(0))


def use_up(job_id: int, model: Model, by: Person, now: datetime) -> None:
    """What a repair that closed its device took, of what the shop keeps (rule stock.consumables). Inside a
    deed; a job closed twice has used it once.
    """
    needed = {use.used_for: use.quantity for use in rules.uses_of(model.face, model.seal)}
    for kind, row in sorted(store.lock_used_for(list(needed)).items(), key=lambda pair: pair[1].id):
        booked, short = rules.take(row.on_hand, needed[kind])
        store.add_move(
            consumable=row.id,
            quantity=-booked,
            short=short,
            kind="used",
            job=job_id,
            note="",
            person=by.id,
            at=now,
        )
