"""The rows of a job's ledger, and what was asked of the card terminal."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import Select

from sutura.core.handover.ledger import ChargeState, Paid, PaidFor
from sutura.core.maths.money import Money
from sutura.store.database import each, first, reading, written
from sutura.store.handover_tables import CardCharge, Payment
from sutura.store.tables import Job, Person


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
        Payment.reason,
    )
    return paid.join(Person).where(Payment.job == job_id).order_by(Payment.at, Payment.id)


@reading
def load_payments(job_id: int) -> list[Paid]:
    """The rows of a job's ledger, in their order."""
    return each(_payment, _paid(job_id))


def add_payment(
    job_id: int,
    kind: PaidFor,
    amount: Money,
    method: str,
    person_id: int,
    at: datetime,
    *,
    reason: str = "",
    till_day: int | None = None,
    charge: int | None = None,
) -> None:
    Payment.insert(
        job=job_id,
        kind=kind.value,
        amount_minor=amount.minor,
        currency=amount.currency,
        method=method,
        person=person_id,
        at=at,
        reason=reason,
        till_day=till_day,
        card_charge=charge,
    ).execute()


# -- the card terminal ----------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Charge:
    """What was asked of the card terminal, and what is known of it."""

    id: int
    reference: str
    job_id: int
    code: str
    amount_minor: int
    currency: str
    kind: PaidFor
    state: ChargeState
    at: datetime

    @property
    def amount(self) -> Money:
        return Money(minor=self.amount_minor, currency=self.currency)


def _charge(kind: str, state: str, **columns: Any) -> Charge:
    return Charge(kind=PaidFor(kind), state=ChargeState(state), **columns)


_CHARGE = CardCharge.select(
    CardCharge.id,
    CardCharge.reference,
    CardCharge.job.alias("job_id"),
    Job.code,
    CardCharge.amount_minor,
    CardCharge.currency,
    CardCharge.kind,
    CardCharge.state,
    CardCharge.at,
).join(Job)


def add_charge(
    reference: str, job_id: int, kind: PaidFor, amount: Money, person_id: int, at: datetime
) -> None:
    CardCharge.insert(
        reference=reference,
        job=job_id,
        kind=kind.value,
        amount_minor=amount.minor,
        currency=amount.currency,
        state=ChargeState.ASKED.value,
        person=person_id,
        at=at,
    ).execute()


@reading
def load_charge(reference: str) -> Charge | None:
    return first(_charge, _CHARGE.where(CardCharge.reference == reference))


def lock_charge(reference: str) -> Charge | None:
    """A charge, locked until the end of the deed."""
    locked = _CHARGE.where(CardCharge.reference == reference)
    return first(_charge, locked.for_update(of=CardCharge))


@reading
def charges_of(job_id: int) -> list[Charge]:
    """What was asked of the terminal for a job, in its order."""
    return each(_charge, _CHARGE.where(CardCharge.job == job_id).order_by(CardCharge.id))


def save_charge(charge_id: int, state: ChargeState) -> None:
    CardCharge.update(state=state.value).where(CardCharge.id == charge_id).execute()
