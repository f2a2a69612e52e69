"""Parts on the shelf, who holds them, and the ledger."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import JOIN, SQL, Expression, Select, fn

from sutura.core.errors import NotFound
from sutura.core.matching.offers import Measured, Value
from sutura.core.stock.levels import Level, MoveKind
from sutura.core.stock.pieces import label_of
from sutura.store.database import each, first, reading, row, rows, written
from sutura.store.expressions import BY_BIN, ON_THE_SHELF, folded, like, or_empty
from sutura.store.stock_tables import PartMoved, StockMove
from sutura.store.tables import Job, Offer, Part, Person, Reservation


@dataclass(frozen=True, slots=True, kw_only=True)
class PartRow:
    """A part on the shelf. `cost_minor` is the lowest offer, for those who may see it."""

    id: int
    barcode: str
    name: str
    bin: str
    printed_number: str
    grade: str
    on_hand: int
    held: int
    cost_minor: int | None

    @property
    def free(self) -> int:
        return self.on_hand - self.held


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerLine:
    at: datetime
    who: str
    quantity: int
    kind: MoveKind
    note: str
    job: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """A held reservation of a job."""

    id: int
    part_id: int
    part: str
    piece_id: int | None
    box: list[str]
    kind: str
    # as what it was bought
    grade: str = ""

    @property
    def label(self) -> str:
        """What stands on the piece; empty for a part that is not kept piece by piece."""
        return label_of(self.piece_id) if self.piece_id else ""


_PARTS = Part.select(
    Part.id,
    Part.barcode,
    Part.name,
    Part.bin,
    Part.printed_number,
    Part.grade,
    Part.on_hand,
    Part.held,
    Offer.select(fn.MIN(Offer.price_minor)).where(Offer.part == Part.id).alias("cost_minor"),
)


@reading
def shelf_page() -> list[PartRow]:
    return each(PartRow, _PARTS.where(ON_THE_SHELF).order_by(*BY_BIN).limit(500))


@reading
def load_part(barcode: str) -> PartRow:
    part = first(PartRow, _PARTS.where(Part.barcode == barcode))
    if part is None:
        raise NotFound("part", barcode)
    return part


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """A part was moved to another place."""

    at: datetime
    who: str
    from_bin: str
    to_bin: str


def move_part(part_id: int, from_bin: str, to_bin: str, person_id: int, at: datetime) -> None:
    """It lies in another place from here on; reading a pack does not move it back."""
    Part.update(bin=to_bin).where(Part.id == part_id).execute()
    PartMoved.insert(part=part_id, from_bin=from_bin, to_bin=to_bin, person=person_id, at=at).execute()


@reading
def moves_between(part_id: int) -> list[Moved]:
    """Where a part lay, the last move first."""
    moved = PartMoved.select(PartMoved.at, Person.name.alias("who"), PartMoved.from_bin, PartMoved.to_bin)
    return each(
        Moved, moved.join(Person).where(PartMoved.part == part_id).order_by(PartMoved.id.desc()).limit(20)
    )


def _fourteen(gtin: Any) -> Any:
    """An article number with zeros before it (index part_gtin)."""
    return fn.LPAD(gtin, SQL("14"), SQL("'0'"))


@reading
def find_by_gtin(gtin: str) -> tuple[str, str] | None:
    """Barcode and name of the part with an article number; EAN and UPC with zeros before are the same
    number.
    """
    same = Part.select(Part.barcode, Part.name).where(
        Expression(Part.gtin, "<>", SQL("''")), _fourteen(Part.gtin) == gtin.rjust(14, "0")
    )
    part: tuple[str, str] | None = row(same)
    return part


@reading
def find_by_printed(plain: str, *, begins: bool = False) -> list[tuple[str, str, str]]:
    """Barcode, name and printed number of parts by their printed number as plain text, or by how it
    begins.
    """
    if not plain:
        return []
    number, printed = plain.replace("|", ""), folded(Part.printed_number)
    test = like(printed, f"{number}%") if begins else printed == number
    parts = Part.select(Part.barcode, Part.name, Part.printed_number).where(test)
    return rows(parts.order_by(Part.barcode).limit(20))


@reading
def barcodes(part_ids: Sequence[int]) -> dict[int, str]:
    named = Part.select(Part.id, Part.barcode).where(Part.id.in_(list(part_ids)))
    return dict(rows(named))


def adopt_part(part_id: int) -> None:
    """A part of a price list that is here now is the shop's own: the list changes its price only."""
    Part.update(pack="").where(Part.id == part_id, ~ON_THE_SHELF).execute()


# -- what is known of a part ------------------------------------------------------------------------


@reading
def load_known(barcode: str) -> tuple[Mapping[str, Value], Mapping[str, Measured]]:
    """What is claimed of a part, and what was measured of it here."""
    known = row(Part.select(Part.attributes, Part.measured).where(Part.barcode == barcode))
    if known is None:
        raise NotFound("part", barcode)
    claimed, measured = known
    return claimed, {name: measured_from(value) for name, value in measured.items()}


@reading
def described(part_id: int) -> tuple[str, str, Mapping[str, Value], list[str]]:
    """Kind, printed number, what is claimed of a part, and what should lie in its box."""
    part = row(
        Part.select(Part.kind, Part.printed_number, Part.attributes, Part.box).where(Part.id == part_id)
    )
    if part is None:
        raise NotFound("part", part_id)
    kind, number, attributes, box = part
    return kind, number, attributes, list(box)


def measured_from(raw: Mapping[str, Any]) -> Measured:
    return Measured(value=raw["value"], who=raw["who"], at=datetime.fromisoformat(raw["at"]))


def save_measured(part_id: int, measured: Mapping[str, Mapping[str, Any]]) -> None:
    """Add what was measured of a part to what was measured before; a later value of an attribute counts."""
    Part.update(measured=Part.measured.concat(dict(measured))).where(Part.id == part_id).execute()


# -- who holds what ---------------------------------------------------------------------------------

_HELD = Reservation.state == "held"
_HOLDINGS = (
    Reservation.select(
        Reservation.id,
        Reservation.part.alias("part_id"),
        Part.name.alias("part"),
        Reservation.piece_id,
        Part.box,
        Part.kind,
        Part.grade,
    )
    .join(Part)
    .where(_HELD)
    .order_by(Reservation.id)
)


@written
def _held_by(job_id: int) -> Select:
    return _HOLDINGS.where(Reservation.job == job_id)


@reading
def load_held(job_id: int) -> Held | None:
    """What a job holds: its part, or the first of its several."""
    return first(Held, _held_by(job_id))


@reading
def held_of(job_id: int) -> list[Held]:
    """Everything a job holds: one part, or those of a kit and its bridge."""
    return each(Held, _held_by(job_id))


@reading
def holders_of(part_id: int) -> list[str]:
    return [code for _, code in rows(_holders([part_id]))]


@reading
def fitted_to(job_id: int) -> list[tuple[int, int | None]]:
    """The parts that are in a job's device by the ledger, fitted and not taken out again; with the piece."""
    moves = StockMove.select(StockMove.part, StockMove.quantity, StockMove.piece_id).where(
        StockMove.job == job_id, StockMove.kind.in_([MoveKind.FITTED.value, MoveKind.TAKEN_OUT.value])
    )
    inside: dict[int, int | None] = {}
    for part_id, quantity, piece_id in rows(moves.order_by(StockMove.id)):
        if quantity < 0:
            inside[part_id] = piece_id
        else:
            inside.pop(part_id, None)
    return sorted(inside.items())


@written
def _holders(part_ids: list[int]) -> Select:
    holders = Reservation.select(Reservation.part, Job.code).join(Job)
    return holders.where(Reservation.part == fn.ANY(part_ids), _HELD).order_by(Job.code)


@reading
def holders_by_part(part_ids: Sequence[int]) -> dict[int, tuple[str, ...]]:
    """The jobs that hold pieces of several parts, in one read."""
    by_part: dict[int, tuple[str, ...]] = {}
    for part_id, code in rows(_holders(list(part_ids))):
        by_part[part_id] = (*by_part.get(part_id, ()), code)
    return by_part


@written
def _level(part_id: int) -> Select:
    return Part.select(Part.name, Part.on_hand).where(Part.id == part_id).for_update()


def lock_level(part_id: int) -> Level:
    """A part's stock, locked until the transaction ends."""
    level = row(_level(part_id))
    if level is None:
        raise NotFound("part", part_id)
    name, on_hand = level
    return Level(part=name, on_hand=on_hand, holders=tuple(holders_of(part_id)))


def add_reservation(
    part_id: int, job_id: int, person_id: int, at: datetime, piece_id: int | None = None
) -> None:
    Reservation.insert(
        part=part_id, job=job_id, state="held", person=person_id, at=at, piece_id=piece_id
    ).execute()


def save_reservation(reservation_id: int, state: str) -> None:
    Reservation.update(state=state).where(Reservation.id == reservation_id).execute()


# -- ledger -----------------------------------------------------------------------------------------


def _ledger_line(kind: str, **columns: Any) -> LedgerLine:
    return LedgerLine(kind=MoveKind(kind), **columns)


@reading
def ledger_page(part_id: int) -> list[LedgerLine]:
    moves = (
        StockMove.select(
            StockMove.at,
            Person.name.alias("who"),
            StockMove.quantity,
            StockMove.kind,
            StockMove.note,
            or_empty(Job.code).alias("job"),
        )
        .join(Person)
        .switch(StockMove)
        .join(Job, JOIN.LEFT_OUTER)
    )
    return each(_ledger_line, moves.where(StockMove.part == part_id).order_by(StockMove.id.desc()).limit(50))


def add_stock_move(**columns: Any) -> int:
    """A line of the ledger; its number. Of a part kept piece by piece it names the one piece that goes, or
    that is back.
    """
    return int(StockMove.insert(**columns).execute())


def average_cost(part_id: int) -> int | None:
    """What a piece on hand cost on average, rounded half up; None when none is there or no cost is known."""
    level = row(Part.select(Part.value_minor, Part.on_hand).where(Part.id == part_id))
    if level is None or level[1] == 0 or level[0] == 0:
        return None
    value_minor, on_hand = level
    return int((2 * value_minor + on_hand) // (2 * on_hand))


def fitted_cost(job_id: int, part_id: int) -> int | None:
    """At what cost a part went into a job's device the last time."""
    fitted = StockMove.select(StockMove.unit_cost_minor).where(
        StockMove.job == job_id, StockMove.part == part_id, StockMove.kind == MoveKind.FITTED.value
    )
    cost: int | None = fitted.order_by(StockMove.id.desc()).limit(1).scalar()
    return cost
