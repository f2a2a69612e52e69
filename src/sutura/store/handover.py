"""Payments, and accessories as they came and went."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from peewee import Select

from sutura.core.handover import Accessory
from sutura.store.database import each, first, grouped, insert, reading, written
from sutura.store.tables import Accessory as AccessoryTable
from sutura.store.tables import Payment, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class Paid:
    amount_minor: int
    currency: str
    method: str
    at: datetime
    who: str


@written
def _paid(job_id: int) -> Select:
    paid = Payment.select(
        Payment.amount_minor, Payment.currency, Payment.method, Payment.at, Person.name.alias("who")
    )
    return paid.join(Person).where(Payment.job == job_id)


@reading
def load_payment(job_id: int) -> Paid | None:
    return first(Paid, _paid(job_id))


def add_payment(
    job_id: int, amount_minor: int, currency: str, method: str, person_id: int, at: datetime
) -> None:
    Payment.insert(
        job=job_id, amount_minor=amount_minor, currency=currency, method=method, person=person_id, at=at
    ).execute()


def add_accessories(job_id: int, names: Sequence[tuple[str, str]]) -> None:
    insert(AccessoryTable, [{"job": job_id, "name": name, "kept": kept} for name, kept in names])


@written
def _came_with(job_id: int) -> Select:
    came = AccessoryTable.select(AccessoryTable.id, AccessoryTable.name, AccessoryTable.kept)
    return came.where(AccessoryTable.job == job_id).order_by(AccessoryTable.id)


@reading
def load_accessories(job_id: int) -> list[Accessory]:
    return each(Accessory, _came_with(job_id))


@reading
def accessories_of(job_ids: Sequence[int]) -> dict[int, list[str]]:
    """What came with each of some jobs, by the job's number."""
    came = AccessoryTable.select(AccessoryTable.job, AccessoryTable.name).order_by(AccessoryTable.id)
    return grouped(came.where(AccessoryTable.job.in_(list(job_ids))))


def save_returned(accessory_ids: Sequence[int], at: datetime) -> None:
    AccessoryTable.update(returned_at=at).where(AccessoryTable.id.in_(list(accessory_ids))).execute()
