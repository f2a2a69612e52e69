"""Tape, glue, cleaner and wipes: received, counted, and used up by repairs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from decimal import Decimal
from functools import partial

from sutura.core.catalogue.model import Model
from sutura.core.errors import StaleSave
from sutura.core.facts import Say, fact
from sutura.core.people import Deed, demand
from sutura.core.stock import consumables as rules
from sutura.core.stock.reordering import percent_of
from sutura.core.typed import Problems, read_text, read_whole
from sutura.core.values import Person
from sutura.services.shop import shop
from sutura.store import consumables as store
from sutura.store import shop as shop_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing

WEEKS = 12


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsumablePage:
    """A consumable with how long it lasts at what repairs took of it, and its last moves."""

    row: store.ConsumableRow
    weeks: float | None
    again: rules.Again
    moves: list[store.ConsumableLine]

    @property
    def is_low(self) -> bool:
        return self.again.packs > 0

    @property
    def why(self) -> Say:
        """What to order of it, and what for; or that it lasts."""
        row, again = self.row, self.again
        if row.doubtful:
            return fact("stock.more-was-used")
        chances = {"days": again.days, "without": percent_of(again.out_without)}
        if not self.is_low:
            return fact("stock.consumable-lasts", **chances)
        holds = row.terms.holds
        order = (
            fact("stock.packs-of", packs=again.packs, holds=float(holds), unit=row.unit)
            if holds
            else fact("stock.so-much", quantity=again.packs, unit=row.unit)
        )
        return fact("stock.consumable-order", order=order, having=percent_of(again.out_with), **chances)


@reading
def consumables_page(now: datetime, shown: str = "") -> list[ConsumablePage]:
    """Every consumable; the moves of the one that is shown."""
    return [
        replace(line, moves=store.moves_of(line.row.id)) if line.row.id == shown else line
        for line in _advised(now)
    ]


@reading
def to_see_to(now: datetime) -> list[ConsumablePage]:
    """Those to order, and those that nobody knows how much there is of."""
    return [line for line in _advised(now) if line.is_low or line.row.doubtful]


def _advised(now: datetime) -> list[ConsumablePage]:
    used = store.used_since(now - timedelta(weeks=WEEKS))
    lines = []
    for row in store.consumables_page():
        times, total, squares = used.get(row.id, (0, Decimal(0), Decimal(0)))
        again = rules.advise(
            here=row.on_hand,
            ordered=row.ordered,
            used=rules.Used(times=times, total=total, squares=squares, days=WEEKS * 7),
            lead_days=row.terms.lead_days,
            written=row.terms.again_at,
            holds=row.terms.holds or Decimal(1),
        )
        weeks = rules.weeks_left(row.on_hand, total, WEEKS)
        lines.append(ConsumablePage(row=row, weeks=weeks, again=again, moves=[]))
    return lines


@writing
def add_consumable(typed: Mapping[str, str], by: Person) -> str:
    """Set one up, with nothing of it there yet; its id."""
    demand(by, Deed.ORDER)
    new = rules.read_consumable(typed, store.ids(), _suppliers(), shop().currency)
    store.add_consumable(
        id=new.id,
        name=new.name,
        unit=new.unit.value,
        used_for=new.used_for.value,
        place=new.place,
        terms=new.terms,
        ordered=Decimal(0),
    )
    return new.id


@writing
def receive(consumable_id: str, quantity: str, note: str, by: Person, now: datetime) -> None:
    """More of it is here."""
    demand(by, Deed.RECEIVE)
    row = store.lock_consumable(consumable_id)
    problems = Problems("The delivery")
    amount = problems.read("quantity", quantity, rules.read_quantity)
    if amount == 0:
        problems.add("quantity", quantity, fact("stock.more-than-nothing"))
    said = problems.read("note", note, partial(read_text, most=200)) or ""
    problems.refuse()
    store.add_move(consumable=consumable_id, quantity=amount, kind="receipt", note=said, person=by.id, at=now)
    left = max(row.ordered - (amount or Decimal(0)), Decimal(0))
    store.save_consumable(consumable_id, ordered=left, expected_on=row.expected_on if left else None)


@writing
def order(consumable_id: str, packs: str, version: int, by: Person, now: datetime) -> None:
    """So many packs of it are on order now; none where nothing will come."""
    demand(by, Deed.ORDER)
    row = store.lock_consumable(consumable_id)
    if row.version != version:
        there = row.ordered / (row.terms.holds or Decimal(1))
        raise StaleSave(row.name, "", None, {"packs": packs}, {"packs": f"{there:g}"})
    problems = Problems("The order")
    number = problems.read("packs", packs, partial(read_whole, most=rules.MOST_PACKS)) or 0
    problems.refuse()
    day = shop_store.load_keeping().day(now) + timedelta(days=row.terms.lead_days)
    ordered = number * (row.terms.holds or Decimal(1))
    store.save_consumable(consumable_id, ordered=ordered, expected_on=day if ordered else None)


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
    """Another place, or other terms on which it is ordered again."""
    demand(by, Deed.ORDER)
    row = store.lock_consumable(consumable_id)
    if row.version != version:
        raise StaleSave(row.name, "", None, {"place": typed.get("place", "")}, {"place": row.place})
    problems = Problems("The consumable")
    place = problems.read("place", typed.get("place", ""), partial(read_text, most=40)) or ""
    terms = rules.read_terms(typed, _suppliers(), shop().currency, problems)
    problems.refuse()
    store.save_consumable(consumable_id, place=place, terms=terms)


def _suppliers() -> list[str]:
    return [supplier_id for supplier_id, _ in suppliers_store.names()]


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
