"""Counting the shelf by place: blind, resumed at any time, while selling goes on; it finishes as moves."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from functools import partial

from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import fact
from sutura.core.people import Deed, demand
from sutura.core.stock import orders as rules
from sutura.core.typed import Problems, read_text, read_whole
from sutura.core.values import Person
from sutura.services.stock import MOST_PIECES, set_count
from sutura.store import stock as stock_store
from sutura.store import stocktakes as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class TakePage:
    """A stock-take: what was counted, what is to be counted again, and what was not yet."""

    take: store.TakeRow
    counts: list[store.CountRow]
    again: list[store.CountRow]
    uncounted: list[store.Uncounted]
    # differences in money, as far as what the pieces cost is known
    more_minor: int
    less_minor: int


@reading
def take_page(take_id: int, by: Person) -> TakePage:
    demand(by, Deed.RECEIVE)
    take = store.load_take(take_id)
    if take is None:
        raise NotFound("stock-take", take_id)
    counts = store.counts_of(take_id)
    worth = [count.difference * (count.cost_minor or 0) for count in counts]
    return TakePage(
        take=take,
        counts=counts,
        again=[count for count in counts if _is_odd(count)],
        uncounted=store.uncounted_of(take_id, take.place) if take.state == "open" else [],
        more_minor=sum(value for value in worth if value > 0),
        less_minor=-sum(value for value in worth if value < 0),
    )


def _is_odd(count: store.CountRow) -> bool:
    return not count.again and rules.is_odd(count.expected, count.counted, count.cost_minor or 0)


@writing
def start_take(place: str, by: Person, now: datetime) -> int:
    """Begin counting a place, or go on with the count of it that is open."""
    demand(by, Deed.RECEIVE)
    problems = Problems("The stock-take")
    read = problems.read("place", place, partial(read_text, most=40)) or ""
    problems.refuse()
    take_id = None
    while take_id is None:
        take_id = store.open_take(read) or store.add_take(read, by.id, now)
    return take_id


def _lock_open(take_id: int) -> store.TakeRow:
    take = store.lock_take(take_id)
    if take is None:
        raise NotFound("stock-take", take_id)
    if take.state != "open":
        raise Invalid("take", take_id, fact("stock.this-count-is-over"))
    return take


@writing
def count_part(take_id: int, scanned: str, counted: str, by: Person, now: datetime) -> None:
    """Write what was counted of a part, by its barcode. What the ledger expects is kept at this moment and
    not shown; counted once more it is counted again.
    """
    demand(by, Deed.RECEIVE)
    _lock_open(take_id)
    problems = Problems("The count")
    pieces = problems.read("counted", counted, partial(read_whole, most=MOST_PIECES))
    if not scanned.strip():
        problems.add("barcode", "", fact("stock.nothing-was-counted"))
    problems.refuse()
    part = stock_store.load_part(scanned.strip())
    level = stock_store.lock_level(part.id)
    before = {count.part_id for count in store.counts_of(take_id)}
    store.save_count(
        take_id, part.id, pieces or 0, level.on_hand, again=part.id in before, person_id=by.id, at=now
    )


@writing
def finish_take(take_id: int, by: Person, now: datetime) -> tuple[str, ...]:
    """Write every difference into the ledger; what moved since a part was counted stays as it moved. What
    is far off has to be counted a second time first. Says which jobs lose their piece.
    """
    demand(by, Deed.RECEIVE)
    take = _lock_open(take_id)
    counts = store.counts_of(take_id)
    if not counts:
        raise Invalid("take", take_id, fact("stock.nothing-was-counted"))
    if odd := [count.part for count in counts if _is_odd(count)]:
        raise Invalid("take", take_id, fact("stock.count-every-odd-again", parts=tuple(odd)))
    losing: list[str] = []
    for count in sorted(counts, key=lambda count: count.part_id):
        if count.difference:
            note = f"stock-take {take_id}"
            losing += set_count(count.part_id, count.difference, None, note, by, now)
    store.save_take(take.id, "finished", now)
    return tuple(losing)


@writing
def leave_take(take_id: int, by: Person, now: datetime) -> None:
    """Give a stock-take up: nothing of it is believed."""
    demand(by, Deed.RECEIVE)
    _lock_open(take_id)
    store.save_take(take_id, "left", now)
