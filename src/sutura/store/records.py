"""What a job's device was repaired with: its parts, the pieces they are, and whence they came."""

from __future__ import annotations

from dataclasses import dataclass

from peewee import JOIN, Select

from sutura.core.stock.pieces import label_of
from sutura.store.database import each, reading, written
from sutura.store.stock_tables import Piece
from sutura.store.tables import Part, Reservation, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class PartUsed:
    """A part that a job holds or was finished with. `grade` is as it was bought, `found_grade` as it was
    found to be, empty where nothing was found; `state` is held, fitted or released.
    """

    part: str
    grade: str
    state: str
    piece_id: int | None
    supplier: str
    found_grade: str

    @property
    def label(self) -> str:
        return label_of(self.piece_id) if self.piece_id else ""


def _used(supplier: str | None, found_grade: str | None, grade: str | None, **columns: object) -> PartUsed:
    return PartUsed(
        supplier=supplier or "",
        found_grade=found_grade or "",
        grade=grade or "",
        **columns,  # type: ignore[arg-type] # as the query names them
    )


@written
def _parts(job_id: int) -> Select:
    used = (
        Reservation.select(
            Part.name.alias("part"),
            Part.grade,
            Reservation.state,
            Reservation.piece_id,
            Supplier.name.alias("supplier"),
            Piece.found_grade,
        )
        .join(Part)
        .join_from(Reservation, Piece, JOIN.LEFT_OUTER, on=Reservation.piece_id == Piece.id)
        .join_from(Piece, Supplier, JOIN.LEFT_OUTER, on=Piece.supplier == Supplier.id)
    )
    return used.where(Reservation.job == job_id).order_by(Reservation.id)


@reading
def parts_used(job_id: int) -> list[PartUsed]:
    """Every part that a job held, the first in front; those that were taken back too."""
    return each(_used, _parts(job_id))
