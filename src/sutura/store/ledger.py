"""The rows of a job's ledger, and what was asked of the card terminal."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import Select

from sutura.core.handover.ledger import OPEN_CHARGES, ChargeState, Paid, PaidFor
from sutura.core.maths.money import Money
from sutura.store.database import each, first, reading, rows, written
from sutura.store.handover_tables import CardCharge, CardRefund, Payment
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
    refund: int | None = None,
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
        card_refund=refund,
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


@reading
def unsettled(before: datetime, after: datetime) -> list[tuple[str, str, int]]:
    """What the terminal was asked before a moment, or after one that is not come yet, and of which nobody
    knows what came: the job's code, the reference, and who asked.
    """
    open_ones = [state.value for state in OPEN_CHARGES]
    return [
        found
        for table in (CardCharge, CardRefund)
        for found in rows(
            table.select(Job.code, table.reference, table.person)
            .join(Job, on=table.job == Job.id)
            .where(table.state.in_(open_ones), (table.at < before) | (table.at > after))
        )
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class Refund:
    """What was asked to go back to a card; `charge` is the reference it came by. Of the amount,
    `credit_minor` is not owed any more, and `paper_minor` is what credit notes are written for.
    """

    id: int
    reference: str
    charge: str
    charge_id: int
    job_id: int
    code: str
    amount_minor: int
    credit_minor: int
    paper_minor: int
    currency: str
    reason: str
    state: ChargeState
    person_id: int
    at: datetime

    def of(self, minor: int) -> Money:
        return Money(minor=minor, currency=self.currency)

    @property
    def amount(self) -> Money:
        return self.of(self.amount_minor)


def _refund(state: str, **columns: Any) -> Refund:
    return Refund(state=ChargeState(state), **columns)


_REFUND = (
    CardRefund.select(
        CardRefund.id,
        CardRefund.reference,
        CardCharge.reference.alias("charge"),
        CardRefund.card_charge.alias("charge_id"),
        CardRefund.job.alias("job_id"),
        Job.code,
        CardRefund.amount_minor,
        CardRefund.credit_minor,
        CardRefund.paper_minor,
        CardRefund.currency,
        CardRefund.reason,
        CardRefund.state,
        CardRefund.person.alias("person_id"),
        CardRefund.at,
    )
    .join(CardCharge)
    .switch(CardRefund)
    .join(Job, on=CardRefund.job == Job.id)
)


def add_refund(reference: str, charge: Charge, person_id: int, at: datetime, **amounts: Any) -> None:
    CardRefund.insert(
        reference=reference,
        card_charge=charge.id,
        job=charge.job_id,
        currency=charge.currency,
        state=ChargeState.ASKED.value,
        person=person_id,
        at=at,
        **amounts,
    ).execute()


@reading
def load_refund(reference: str) -> Refund | None:
    return first(_refund, _REFUND.where(CardRefund.reference == reference))


def lock_refund(reference: str) -> Refund | None:
    """A refund, locked until the end of the deed."""
    return first(_refund, _REFUND.where(CardRefund.reference == reference).for_update(of=CardRefund))


@reading
def refunds_of(job_id: int) -> list[Refund]:
    """What was asked to go back to cards for a job, in its order."""
    return each(_refund, _REFUND.where(CardRefund.job == job_id).order_by(CardRefund.id))


def save_refund(refund_id: int, state: ChargeState) -> None:
    CardRefund.update(state=state.value).where(CardRefund.id == refund_id).execute()
