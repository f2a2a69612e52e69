"""Single pieces of dear parts, and what happened to each."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from peewee import JOIN, Expression, Select, fn

from sutura.core.facts import Say
from sutura.core.stock import pieces as rules
from sutura.core.stock.levels import MoveKind
from sutura.core.stock.pieces import Film, Found, Judged, PieceState, label_of
from sutura.store.database import column, each, first, raw, reading, row, written
from sutura.store.expressions import or_empty
from sutura.store.stock_tables import Piece, PieceEvent, PurchaseLine, StockMove
from sutura.store.tables import Job, Part, Person, Reservation, Supplier

# nobody looks through more of one part; the shop's, no source
MOST_SHOWN = 300


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceRow:
    """A piece with its part, whence it came, and the job that holds it or has it in its device."""

    id: int
    part_id: int
    part: str
    barcode: str
    kind: str
    supplier_id: str | None
    supplier: str
    order_id: int | None
    lot: str
    place: str
    cost_minor: int
    state: PieceState
    film: Film
    found: Found
    found_grade: str
    return_by: date | None
    at: datetime
    version: int
    job: str

    @property
    def label(self) -> str:
        return label_of(self.id)

    @property
    def is_here(self) -> bool:
        return self.state is PieceState.HERE

    @property
    def rule(self) -> rules.Piece:
        """What choosing and warning need of it."""
        return rules.Piece(id=self.id, return_by=self.return_by, at=self.at, film=self.film, found=self.found)


@dataclass(frozen=True, slots=True, kw_only=True)
class PieceHappened:
    """One line of a piece's own history."""

    at: datetime
    who: str
    kind: str
    note: str
    detail: Mapping[str, Any]
    job: str = ""

    @property
    def says(self) -> Say:
        return rules.happened(self.kind)

    @property
    def judged(self) -> Judged | None:
        """What looking at it came to, where this was looking at it."""
        return Judged(self.detail["verdict"]) if "verdict" in self.detail else None

    @property
    def kept_as(self) -> str:
        return str(self.detail.get("grade", ""))

    @property
    def to(self) -> str:
        """Where it was moved to."""
        return str(self.detail.get("to", ""))


def _piece(state: str, film: str, found: str, **columns: Any) -> PieceRow:
    return PieceRow(state=PieceState(state), film=Film(film), found=Found(found), **columns)


_HOLDING = Reservation.alias()
_INTO = StockMove.alias()
# the job that holds it, or in whose device it is
_JOB = (
    Job.select(Job.code)
    .where(
        (
            Job.id
            == Reservation.select(Reservation.job).where(
                Reservation.piece_id == Piece.id, Reservation.state == "held"
            )
        )
        | (
            (Piece.state == PieceState.FITTED.value)
            & (
                Job.id
                == _INTO.select(_INTO.job)
                .where(_INTO.piece_id == Piece.id)
                .order_by(_INTO.id.desc())
                .limit(1)
            )
        )
    )
    .limit(1)
)
_PIECES = (
    Piece.select(
        Piece.id,
        Piece.part.alias("part_id"),
        Part.name.alias("part"),
        Part.barcode,
        Part.kind,
        Piece.supplier.alias("supplier_id"),
        or_empty(Supplier.name).alias("supplier"),
        PurchaseLine.order.alias("order_id"),
        Piece.lot,
        Piece.place,
        Piece.cost_minor,
        Piece.state,
        Piece.film,
        Piece.found,
        Piece.found_grade,
        Piece.return_by,
        Piece.at,
        Piece.version,
        or_empty(_JOB).alias("job"),
    )
    .join(Part)
    .switch(Piece)
    .join(Supplier, JOIN.LEFT_OUTER)
    .switch(Piece)
    .join(StockMove, JOIN.LEFT_OUTER, on=Piece.move == StockMove.id)
    .join(PurchaseLine, JOIN.LEFT_OUTER, on=StockMove.line == PurchaseLine.id)
)
_IS_HERE = Piece.state == PieceState.HERE.value


@reading
def load_piece(piece_id: int) -> PieceRow | None:
    return first(_piece, _PIECES.where(Piece.id == piece_id))


def lock_piece(piece_id: int) -> None:
    """Nobody else moves it until the transaction ends."""
    row(Piece.select(Piece.id).where(Piece.id == piece_id).for_update())


@reading
def pieces_of(part_id: int) -> list[PieceRow]:
    """The pieces of a part that are here, then the newest of those that are not."""
    is_here = Expression(Piece.state, "=", PieceState.HERE.value)
    found = _PIECES.where(Piece.part == part_id)
    return each(_piece, found.order_by(is_here.desc(), Piece.id.desc()).limit(MOST_SHOWN))


@written
def _free(part_id: int) -> Select:
    held = Reservation.select(Reservation.piece_id).where(
        Reservation.part == part_id, Reservation.state == "held", Reservation.piece_id.is_null(False)
    )
    return (
        Piece.select(Piece.id, Piece.return_by, Piece.at, Piece.film, Piece.found)
        .where(Piece.part == part_id, _IS_HERE, Piece.id.not_in(held))
        .order_by(Piece.id)
    )


def _plain(film: str, found: str, **columns: Any) -> rules.Piece:
    return rules.Piece(film=Film(film), found=Found(found), **columns)


@reading
def free_pieces(part_id: int) -> list[rules.Piece]:
    """What is here and promised to nobody."""
    return each(_plain, _free(part_id))


@reading
def urgent_pieces(today: date, until: date, limit: int = 50) -> list[PieceRow]:
    """What nobody looked at and can go back until a day at most, the most pressing first."""
    pressing = _PIECES.where(
        _IS_HERE, Piece.found == "", Piece.film != Film.OFF.value, Piece.return_by.between(today, until)
    )
    return each(_piece, pressing.order_by(Piece.return_by, Piece.id).limit(limit))


@reading
def without_label(order_id: int) -> list[PieceRow]:
    """The pieces that came with an order, are here, and have no label yet."""
    labelled = PieceEvent.select(PieceEvent.piece).where(PieceEvent.kind == "labelled")
    came = _PIECES.where(PurchaseLine.order == order_id, _IS_HERE, Piece.id.not_in(labelled))
    return each(_piece, came.order_by(Piece.id).limit(MOST_SHOWN))


@reading
def lost_by_count(part_id: int, most: int) -> list[int]:
    """The pieces that counts missed, the last one first: they may have been found again."""
    missed = (
        StockMove.select(StockMove.piece_id)
        .join(Piece, on=Piece.id == StockMove.piece_id)
        .where(
            StockMove.part == part_id,
            StockMove.kind == MoveKind.COUNT.value,
            StockMove.quantity < 0,
            Piece.state == PieceState.GONE.value,
        )
        .group_by(StockMove.piece_id)
    )
    return column(missed.order_by(fn.MAX(StockMove.id) * -1).limit(most))


@reading
def cost_of(piece_id: int) -> int:
    return int(Piece.select(Piece.cost_minor).where(Piece.id == piece_id).scalar())


@reading
def made_by(move_id: int) -> int | None:
    """The one piece that a move made, where it made one."""
    piece: int | None = Piece.select(Piece.id).where(Piece.move == move_id).scalar()
    return piece


def track(part_id: int) -> None:
    """From now on a part is kept piece by piece (rule stock.by-piece)."""
    raw("select track_pieces(%s)", part_id)


@reading
def is_tracked(part_id: int) -> bool:
    return bool(Part.select(Part.by_piece).where(Part.id == part_id).scalar())


def name_received(move_id: int, **columns: Any) -> None:
    """What is known of the pieces that a receipt made: supplier, lot, last day to go back."""
    Piece.update(**columns).where(Piece.move == move_id).execute()


def save_piece(piece_id: int, **changes: Any) -> None:
    Piece.update(**changes, version=Piece.version + 1).where(Piece.id == piece_id).execute()


def add_event(
    piece_id: int, kind: str, note: str, detail: Mapping[str, Any], person_id: int, at: datetime
) -> None:
    PieceEvent.insert(
        piece=piece_id, kind=kind, note=note, detail=dict(detail), person=person_id, at=at
    ).execute()


@reading
def history_of(piece_id: int) -> list[PieceHappened]:
    """Everything that happened to a piece, by its own events and by the ledger, newest first."""
    events = each(
        PieceHappened,
        PieceEvent.select(
            PieceEvent.at, Person.name.alias("who"), PieceEvent.kind, PieceEvent.note, PieceEvent.detail
        )
        .join(Person)
        .where(PieceEvent.piece == piece_id)
        .order_by(PieceEvent.id.desc())
        .limit(MOST_SHOWN),
    )
    moves = each(
        PieceHappened,
        StockMove.select(
            StockMove.at,
            Person.name.alias("who"),
            StockMove.kind,
            StockMove.note,
            fn.JSONB_BUILD_OBJECT().alias("detail"),
            or_empty(Job.code).alias("job"),
        )
        .join(Person)
        .switch(StockMove)
        .join(Job, JOIN.LEFT_OUTER)
        .where((StockMove.piece_id == piece_id) | (StockMove.id == _came_with(piece_id)))
        .order_by(StockMove.id.desc())
        .limit(MOST_SHOWN),
    )
    return sorted([*events, *moves], key=lambda one: one.at, reverse=True)


def _came_with(piece_id: int) -> Select:
    return Piece.select(Piece.move).where(Piece.id == piece_id)
