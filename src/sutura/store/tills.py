"""The till, from one opening to its closing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.handover.ledger import PaidFor
from sutura.core.handover.tills import CashRow
from sutura.store.database import column, each, first, first_value, reading
from sutura.store.handover_tables import Payment, TillDay
from sutura.store.tables import Job, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class Till:
    """One day of the till; what was counted is None while it is open."""

    id: int
    opened_at: datetime
    opened_by: str
    currency: str
    float_minor: int
    closed_at: datetime | None
    expected_minor: int | None
    counted_minor: int | None
    left_minor: int | None
    note: str
    # how many there were of each coin and note, by its worth in minor units
    pieces: Mapping[str, int]

    @property
    def pieces_counted(self) -> list[tuple[int, int]]:
        """The coins and notes that were counted, the largest first."""
        return sorted(((int(worth), count) for worth, count in self.pieces.items()), reverse=True)


_TILL = TillDay.select(
    TillDay.id,
    TillDay.opened_at,
    Person.name.alias("opened_by"),
    TillDay.currency,
    TillDay.float_minor,
    TillDay.closed_at,
    TillDay.expected_minor,
    TillDay.counted_minor,
    TillDay.left_minor,
    TillDay.note,
    TillDay.pieces,
).join(Person, on=TillDay.opened_by)


@reading
def load_open() -> Till | None:
    return first(Till, _TILL.where(TillDay.closed_at.is_null()))


@reading
def load_till(till_id: int) -> Till | None:
    return first(Till, _TILL.where(TillDay.id == till_id))


@reading
def load_tills(most: int) -> list[Till]:
    """The last days of the till, the newest first."""
    return each(Till, _TILL.order_by(TillDay.id.desc()).limit(most))


def share_open() -> int | None:
    """The open day, held open until the end of the deed; None where the till is closed."""
    # peewee has no `for share of`
    found = first_value("select id from till_day where closed_at is null for share")
    return None if found is None else int(found)


def lock_open() -> Till | None:
    """The open day, alone until the end of the deed."""
    return first(Till, _TILL.where(TillDay.closed_at.is_null()).for_update(of=TillDay))


@reading
def last_left() -> int:
    """What was left in the till when it was closed last; nothing before the first."""
    closed = TillDay.select(TillDay.left_minor).where(TillDay.closed_at.is_null(is_null=False))
    return int(next(iter(column(closed.order_by(TillDay.id.desc()).limit(1))), 0))


def open_first(person_id: int, currency: str, float_minor: int, at: datetime) -> bool:
    """Open the till; no where somebody was quicker."""
    opened = TillDay.insert(opened_at=at, opened_by=person_id, currency=currency, float_minor=float_minor)
    return bool(list(opened.on_conflict_ignore().returning(TillDay.id)))


def add_till(person_id: int, currency: str, float_minor: int, at: datetime) -> int:
    """Open the till; the number of its day. Where somebody was quicker, that one's."""
    TillDay.insert(
        opened_at=at, opened_by=person_id, currency=currency, float_minor=float_minor
    ).on_conflict_ignore().execute()
    found = share_open()
    assert found is not None, "one is open now"
    return found


def save_closed(till_id: int, **columns: Any) -> None:
    TillDay.update(**columns).where(TillDay.id == till_id).execute()


def _row(kind: str, **columns: Any) -> CashRow:
    return CashRow(kind=PaidFor(kind), **columns)


@reading
def rows_of(till_id: int) -> list[CashRow]:
    """Cash that went in and out on a day of the till."""
    query = (
        Payment.select(
            Payment.at, Job.code, Payment.kind, Payment.amount_minor, Payment.method, Person.name.alias("who")
        )
        .join(Job)
        .switch(Payment)
        .join(Person)
        .where(Payment.till_day == till_id)
        .order_by(Payment.id)
    )
    return each(_row, query)


@reading
def others_between(start: datetime, end: datetime) -> list[CashRow]:
    """What was paid by card and transfer meanwhile."""
    query = (
        Payment.select(
            Payment.at, Job.code, Payment.kind, Payment.amount_minor, Payment.method, Person.name.alias("who")
        )
        .join(Job)
        .switch(Payment)
        .join(Person)
        .where(Payment.at >= start, Payment.at <= end, Payment.method.in_(["card", "transfer"]))
        .order_by(Payment.id)
    )
    return each(_row, query)
