"""Payments and accessories going back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sutura.store.database import DATABASE, insert, reading, row
from sutura.store.tables import Payment


@dataclass(frozen=True, slots=True, kw_only=True)
class Paid:
    amount_minor: int
    currency: str
    method: str
    at: datetime
    who: str


@reading
def load_payment(job_id: int) -> Paid | None:
    return row(
        Paid,
        "select amount_minor, currency, method, at, person.name as who from payment"
        " join person on person.id = person_id where job_id = %s",
        job_id,
    )


def add_payment(
    job_id: int, amount_minor: int, currency: str, method: str, person_id: int, at: datetime
) -> None:
    insert(
        Payment,
        [
            {
                "job": job_id,
                "amount_minor": amount_minor,
                "currency": currency,
                "method": method,
                "person": person_id,
                "at": at,
            }
        ],
    )


def save_returned(accessory_ids: Sequence[int], at: datetime) -> None:
    DATABASE.execute_sql(
        "update accessory set returned_at = %s where id = any(%s)", (at, list(accessory_ids))
    )
