"""Payments, and accessories as they came and went."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from peewee import Select

from sutura.core.handover import Accessory, Paid, PaidFor
from sutura.core.maths.money import Money
from sutura.store.database import each, grouped, insert, reading, written
from sutura.store.tables import Accessory as AccessoryTable
from sutura.store.tables import Payment, Person


def _payment(kind: str, **columns: Any) -> Paid:
    return Paid(kind=PaidFor(kind), **columns)


@written
def _paid(job_id: int) -> Select:
    paid = Payment.select(
        Payment.kind,
        Payment.amount_minor,
        Payment.currency,
        Payment.method,
        Payment.at,
        Person.name.alias("who"),
    )
    return paid.join(Person).where(Payment.job == job_id).order_by(Payment.id)


@reading
def load_payments(job_id: int) -> list[Paid]:
    """What was paid for a job, and given back, in its order."""
    return each(_payment, _paid(job_id))


def add_payment(job_id: int, kind: PaidFor, amount: Money, method: str, person_id: int, at: datetime) -> None:
    Payment.insert(
        job=job_id,
        kind=kind.value,
        amount_minor=amount.minor,
        currency=amount.currency,
        method=method,
        person=person_id,
        at=at,
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
