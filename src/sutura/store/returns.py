"""What goes back to suppliers, and what they owe for it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from peewee import JOIN, SQL, Expression, Field, Select, fn

from sutura.core.stock.orders import OPEN_RETURNS, Cause, ReturnState
from sutura.store.database import each, first, reading, rows, written
from sutura.store.expressions import or_empty
from sutura.store.stock_tables import SupplierReturn
from sutura.store.tables import Job, Part, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class ReturnRow:
    """A piece, or several alike, that goes back to a supplier, or that the shop bears."""

    id: int
    supplier_id: str
    supplier: str
    barcode: str
    part: str
    job: str
    cause: Cause
    quantity: int
    owed_minor: int
    state: ReturnState
    send_by: date | None
    parcel: str
    refunded_minor: int | None
    note: str
    at: datetime
    version: int


def _return(cause: str, state: str, **columns: Any) -> ReturnRow:
    return ReturnRow(cause=Cause(cause), state=ReturnState(state), **columns)


_RETURNS = (
    SupplierReturn.select(
        SupplierReturn.id,
        SupplierReturn.supplier.alias("supplier_id"),
        Supplier.name.alias("supplier"),
        Part.barcode,
        Part.name.alias("part"),
        or_empty(Job.code).alias("job"),
        SupplierReturn.cause,
        SupplierReturn.quantity,
        SupplierReturn.owed_minor,
        SupplierReturn.state,
        SupplierReturn.send_by,
        SupplierReturn.parcel,
        SupplierReturn.refunded_minor,
        SupplierReturn.note,
        SupplierReturn.at,
        SupplierReturn.version,
    )
    .join(Supplier)
    .switch(SupplierReturn)
    .join(Part)
    .switch(SupplierReturn)
    .join(Job, JOIN.LEFT_OUTER)
)
_IS_OPEN = SupplierReturn.state.in_([state.value for state in OPEN_RETURNS])


@written
def _open_returns() -> Select:
    return _RETURNS.where(_IS_OPEN).order_by(SQL("send_by nulls last"), SupplierReturn.id).limit(200)


@reading
def open_returns() -> list[ReturnRow]:
    """What is still to go back or to be paid, whose window closes first above."""
    return each(_return, _open_returns())


@written
def _owed() -> Select:
    return SupplierReturn.select(
        fn.COUNT(SQL("*")), fn.COALESCE(fn.SUM(SupplierReturn.owed_minor), 0).cast("bigint")
    ).where(_IS_OPEN)


@reading
def closed_returns(limit: int = 50) -> list[ReturnRow]:
    return each(_return, _RETURNS.where(~_IS_OPEN).order_by(SupplierReturn.id.desc()).limit(limit))


@reading
def owed() -> tuple[int, int]:
    """How many returns are open, and what the suppliers owe for them."""
    number, minor = rows(_owed())[0]
    return number, minor


@reading
def returns_by_supplier() -> dict[str, tuple[int, int, int]]:
    """Of each supplier: what it owes for returns that are open – together what `owed` says –, what it was
    asked to give back for those that ended, and what it gave.
    """
    ended = SupplierReturn.state.in_([ReturnState.REFUNDED.value, ReturnState.REFUSED.value])

    def total(column: Field, where: Expression) -> Any:
        return fn.COALESCE(fn.SUM(column).filter(where), 0).cast("bigint")

    found = SupplierReturn.select(
        SupplierReturn.supplier,
        total(SupplierReturn.owed_minor, _IS_OPEN),
        total(SupplierReturn.owed_minor, ended),
        total(SupplierReturn.refunded_minor, ended),
    ).group_by(SupplierReturn.supplier)
    return {supplier_id: (owes, asked, back) for supplier_id, owes, asked, back in rows(found)}


def lock_return(return_id: int) -> ReturnRow | None:
    SupplierReturn.select(SupplierReturn.id).where(SupplierReturn.id == return_id).for_update().execute()
    return first(_return, _RETURNS.where(SupplierReturn.id == return_id))


def add_return(**columns: Any) -> int:
    return int(SupplierReturn.insert(**columns).execute())


def save_return(return_id: int, **changes: Any) -> None:
    SupplierReturn.update(**changes, version=SupplierReturn.version + 1).where(
        SupplierReturn.id == return_id
    ).execute()
