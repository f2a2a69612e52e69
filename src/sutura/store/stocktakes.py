"""Stock-takes: what was counted where, and what was expected there at that moment."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime

from peewee import SQL, fn

from sutura.core.stock.levels import MoveKind
from sutura.store.database import each, first, reading
from sutura.store.expressions import BY_BIN, ON_THE_SHELF
from sutura.store.stock_tables import StockMove, StockTake, StockTakeCount
from sutura.store.tables import Part, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeRow:
    """A stock-take of a place: the bins that begin with it, all of them where it is empty."""

    id: int
    place: str
    state: str
    who: str
    at: datetime
    finished_at: datetime | None
    counted: int


@dataclass(frozen=True, slots=True, kw_only=True)
class CountRow:
    """What was counted of a part; `again` where it was counted a second time."""

    part_id: int
    barcode: str
    part: str
    bin: str
    counted: int
    expected: int
    again: bool
    cost_minor: int | None

    @property
    def difference(self) -> int:
        return self.counted - self.expected


@dataclass(frozen=True, slots=True, kw_only=True)
class Uncounted:
    barcode: str
    part: str
    bin: str


_TAKES = (
    StockTake.select(
        StockTake.id,
        StockTake.place,
        StockTake.state,
        Person.name.alias("who"),
        StockTake.at,
        StockTake.finished_at,
        StockTakeCount.select(fn.COUNT(SQL("*"))).where(StockTakeCount.take == StockTake.id).alias("counted"),
    )
    .join(Person)
    .switch(StockTake)
)


@reading
def takes_page(limit: int = 20) -> list[TakeRow]:
    """Stock-takes, open ones first, then the newest."""
    return each(TakeRow, _TAKES.order_by(SQL("finished_at is not null"), StockTake.id.desc()).limit(limit))


@reading
def load_take(take_id: int) -> TakeRow | None:
    return first(TakeRow, _TAKES.where(StockTake.id == take_id))


@reading
def open_take(place: str) -> int | None:
    take_id: int | None = (
        StockTake.select(StockTake.id).where(StockTake.place == place, StockTake.state == "open").scalar()
    )
    return take_id


def lock_take(take_id: int) -> TakeRow | None:
    StockTake.select(StockTake.id).where(StockTake.id == take_id).for_update().execute()
    return load_take(take_id)


def add_take(place: str, person_id: int, at: datetime) -> int | None:
    """A new stock-take; None where somebody began one of the same place at this moment."""
    new = StockTake.insert(place=place, state="open", person=person_id, at=at).on_conflict_ignore()
    take_id: int | None = new.execute()
    return take_id


def save_take(take_id: int, state: str, at: datetime) -> None:
    StockTake.update(state=state, finished_at=at).where(StockTake.id == take_id).execute()


def save_count(
    take_id: int, part_id: int, counted: int, expected: int, *, again: bool, person_id: int, at: datetime
) -> None:
    """What was counted of a part; counted again, the later count stands."""
    values = {"counted": counted, "expected": expected, "again": again, "person": person_id, "at": at}
    StockTakeCount.insert(take=take_id, part=part_id, **values).on_conflict(
        conflict_target=[StockTakeCount.take, StockTakeCount.part], update=values
    ).execute()


_COST = (
    StockMove.select(StockMove.unit_cost_minor)
    .where(
        StockMove.part == Part.id,
        StockMove.kind == MoveKind.RECEIPT.value,
        StockMove.unit_cost_minor.is_null(False),
    )
    .order_by(StockMove.id.desc())
    .limit(1)
)


@reading
def counts_of(take_id: int) -> list[CountRow]:
    counts = StockTakeCount.select(
        StockTakeCount.part.alias("part_id"),
        Part.barcode,
        Part.name.alias("part"),
        Part.bin,
        StockTakeCount.counted,
        StockTakeCount.expected,
        StockTakeCount.again,
        _COST.alias("cost_minor"),
    ).join(Part)
    return each(CountRow, counts.where(StockTakeCount.take == take_id).order_by(*BY_BIN))


@reading
def uncounted_of(take_id: int, place: str) -> list[Uncounted]:
    """The parts of a place that were not counted yet, as a person walks past them."""
    counted = StockTakeCount.select(StockTakeCount.part).where(StockTakeCount.take == take_id)
    parts = Part.select(Part.barcode, Part.name.alias("part"), Part.bin).where(
        ON_THE_SHELF, Part.id.not_in(counted)
    )
    if place:
        # a bin and what is in it: A1 is not A10, and A is every bin of A
        whole = "($|[^0-9])" if place[-1].isdigit() else ""
        parts = parts.where(fn.UPPER(Part.bin).regexp(f"^{re.escape(place.upper())}{whole}"))
    return each(Uncounted, parts.order_by(*BY_BIN))
