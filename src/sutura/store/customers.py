"""Customers: found, merged into one another, erased."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import JOIN, SQL, fn

from sutura.core.intake.customers import Contact
from sutura.store.database import column, each, first, reading, rows
from sutura.store.expressions import IS_OPEN, MODEL_NAME, like, or_empty
from sutura.store.tables import CatalogueModel, Customer, Job, Person, Photo


@dataclass(frozen=True, slots=True, kw_only=True)
class CustomerRecord:
    id: int
    name: str
    phone: str
    email: str
    note: str
    version: int
    saved_by: str
    saved_at: datetime


_CUSTOMER = Customer.select(
    Customer.id,
    Customer.name,
    Customer.phone,
    Customer.email,
    Customer.note,
    Customer.version,
    or_empty(Person.name).alias("saved_by"),
    Customer.saved_at,
).join(Person, JOIN.LEFT_OUTER, on=Customer.saved_by == Person.id)
_LIVING = Customer.merged_into.is_null() & Customer.erased_at.is_null()


@reading
def find_customers(text: str, plain: str = "") -> list[CustomerRecord]:
    """Customers whose name or email holds the text, or whose number ends in `plain`; at most ten."""
    pattern = f"%{text.strip().lower().replace('%', '').replace('_', '')}%"
    holds = like(fn.LOWER(Customer.name), pattern) | like(fn.LOWER(Customer.email), pattern)
    if len(plain) > 2:
        holds |= like(Customer.phone_plain, f"%{plain.lstrip('0')}%")
    return each(CustomerRecord, _CUSTOMER.where(_LIVING, holds).order_by(Customer.name).limit(10))


@reading
def likely_same(contact: Contact, plain: str, digits: int) -> list[CustomerRecord]:
    """Other records that share the email, the end of the number or the name with someone; at most ten."""
    shares = fn.LOWER(Customer.name) == contact.name.lower()
    if contact.email:
        shares |= (Customer.email != "") & (fn.LOWER(Customer.email) == contact.email.lower())
    if plain:
        shares |= (Customer.phone_plain != "") & (fn.RIGHT(Customer.phone_plain, digits) == plain[-digits:])
    others = _CUSTOMER.where(Customer.id != contact.id, _LIVING, shares)
    return each(CustomerRecord, others.order_by(Customer.id).limit(10))


@reading
def load_customer(customer_id: int) -> CustomerRecord | None:
    return first(CustomerRecord, _CUSTOMER.where(Customer.id == customer_id))


def lock_customer(customer_id: int) -> CustomerRecord | None:
    Customer.select(Customer.id).where(Customer.id == customer_id).for_update().execute()
    return load_customer(customer_id)


def add_customer(**columns: Any) -> int:
    return int(Customer.insert(version=1, **columns).execute())


def save_customer(customer_id: int, **changes: Any) -> None:
    Customer.update(version=Customer.version + 1, **changes).where(Customer.id == customer_id).execute()


# -- their jobs -------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class CustomersJob:
    """One job of a customer, as their page lists it."""

    code: str
    model: str
    stage: str


@reading
def customer_jobs(customer_id: int) -> list[CustomersJob]:
    jobs = Job.select(Job.code, MODEL_NAME.alias("model"), Job.stage).join(CatalogueModel)
    return each(
        CustomersJob, jobs.where(Job.customer == customer_id).order_by(Job.received_at.desc()).limit(50)
    )


@reading
def open_codes(customer_id: int) -> list[str]:
    """The codes of a customer's jobs that are not handed back or returned yet."""
    theirs = Job.select(Job.code).where(Job.customer == customer_id, IS_OPEN)
    return column(theirs.order_by(Job.id))


def move_jobs(old: int, new: int) -> list[tuple[int, str]]:
    """Give a customer's jobs to another one; their numbers and stages."""
    moved = Job.update(customer=new, version=Job.version + 1).where(Job.customer == old)
    return rows(moved.returning(Job.id, Job.stage))


# what of an arrival tells of a person
_PERSONAL = ("return_address", "parcel_number", "signature")


def erase_jobs(customer_id: int) -> None:
    """Take what tells of the person out of a customer's jobs: serial number, complaint, return address,
    photos.
    """
    theirs = Job.customer == customer_id
    arrival = SQL("arrival" + "".join(f" - '{name}'" for name in _PERSONAL))
    Job.update(serial="", complaint="", arrival=arrival, version=Job.version + 1).where(theirs).execute()
    Photo.delete().where(Photo.job.in_(Job.select(Job.id).where(theirs))).execute()


def repoint_merged(old: int, new: int) -> None:
    """Records that became part of one that itself becomes part of another."""
    Customer.update(merged_into=new).where(Customer.merged_into == old).execute()


def merged_records(customer_id: int) -> list[int]:
    return column(Customer.select(Customer.id).where(Customer.merged_into == customer_id))
