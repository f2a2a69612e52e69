"""Customers: found, merged into one another, erased."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import datetime
from itertools import groupby
from typing import Any

from peewee import JOIN, fn

from sutura.core.intake.customers import Contact
from sutura.core.intake.personal import PLACES, Place
from sutura.store.database import column, each, first, raw, reading, rows
from sutura.store.expressions import IS_OPEN, MODEL_NAME, like, or_empty
from sutura.store.tables import CatalogueModel, Customer, Job, Person


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
    channel: str
    language: str


_CUSTOMER = Customer.select(
    Customer.id,
    Customer.name,
    Customer.phone,
    Customer.email,
    Customer.note,
    Customer.channel,
    Customer.language,
    Customer.version,
    or_empty(Person.name).alias("saved_by"),
    Customer.saved_at,
).join(Person, JOIN.LEFT_OUTER, on=Customer.saved_by == Person.id)
# the number of the lock of those who merge or erase; any number will do
MERGING = 7_130_001
_LIVING = Customer.merged_into.is_null() & Customer.erased_at.is_null()


@reading
def find_customers(text: str, plain: str = "") -> list[CustomerRecord]:
    """Customers whose name or email holds the text, or whose number holds three or more digits of
    `plain` beside its leading noughts; at most ten.
    """
    letters = text.strip().lower().translate(str.maketrans("", "", "%_\\"))
    if text.strip() and not letters:
        # signs alone would be anybody
        return []
    pattern = f"%{letters}%"
    holds = like(fn.LOWER(Customer.name), pattern) | like(fn.LOWER(Customer.email), pattern)
    digits = plain.lstrip("0")
    if len(digits) > 2:
        holds |= like(Customer.phone_plain, f"%{digits}%")
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
    """A living record, locked; None where there is none."""
    of_it = Customer.select(Customer.id).where(Customer.id == customer_id, _LIVING)
    return load_customer(customer_id) if column(of_it.for_update()) else None


def lock_customers(numbers: list[int]) -> list[int]:
    """Lock records and all that became part of them; which of `numbers` are living.

    What is part of a record may change while it is waited for, so that no order of rows is safe: whoever
    merges or erases does it alone. Both are rare. An advisory lock is PostgreSQL's own.
    """
    raw("select pg_advisory_xact_lock(%s)", MERGING)
    named = Customer.id.in_(numbers) | Customer.merged_into.in_(numbers)
    column(Customer.select(Customer.id).where(named).order_by(Customer.id).for_update())
    return column(Customer.select(Customer.id).where(Customer.id.in_(numbers), _LIVING))


@reading
def living_of(customer_id: int) -> CustomerRecord | None:
    """The record that stands for a customer now: itself, or the one it became part of; None when there is
    none or it is erased.
    """
    Named = Customer.alias()
    kept = Named.select(fn.COALESCE(Named.merged_into, Named.id)).where(Named.id == customer_id)
    return first(CustomerRecord, _CUSTOMER.where(Customer.id == kept, _LIVING))


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


# -- what tells of a person ---------------------------------------------------------------------------

_OF_JOBS = "job_id in (select id from job where customer_id = any(%s))"
# how a row of a table belongs to customers; the tables and columns are those of core/intake/personal.py
_THEIRS = {
    "customer": "id = any(%s)",
    "job": "customer_id = any(%s)",
    "draft": (
        "exists (select 1 from customer where id = any(%s) and ("
        "fields->'customer_id'->>-1 = customer.id::text "
        "or customer.phone <> '' and fields->'phone'->>-1 = customer.phone "
        "or customer.email <> '' and lower(fields->'email'->>-1) = lower(customer.email) "
        "or lower(trim(fields->'name'->>-1)) = lower(customer.name) "
        "and coalesce(fields->'phone'->>-1, '') = '' and coalesce(fields->'email'->>-1, '') = ''))"
    ),
    "audit_event": "detail->>'job' in (select code from job where customer_id = any(%s))",
}


def customers_places(numbers: list[int]) -> dict[str, list[Any]]:
    """All that stands of some customers, by place; what is empty is left out. The statements are made of the
    list of places, one for each table, which peewee's tables do not hold.
    """
    found: dict[str, list[Any]] = {}
    for table, places in groupby(PLACES, key=lambda place: place.table):
        of_table = list(places)
        columns, where = ", ".join(place.column for place in of_table), _THEIRS.get(table, _OF_JOBS)
        lines = raw(f"select {columns} from {table} where {where}", numbers).fetchall()
        for place, values in zip(of_table, zip(*lines, strict=True), strict=False):
            if kept := [value for value in values if value]:
                found[place.name] = kept
    return found


def erase_places(numbers: list[int]) -> None:
    """Take what tells of some customers out of every place; rows of what happened stay, without it."""
    raw("select set_config('sutura.erasing', 'yes', true)")
    for place in PLACES:
        where = _THEIRS.get(place.table, _OF_JOBS)
        if place.gone:
            raw(f"delete from {place.table} where {where}", numbers)
        else:
            value, *left = _emptied(place)
            change = f"update {place.table} set {place.column} = {value} where {where}"
            if place.kinds:
                raw(f"{change} and kind = any(%s)", *left, numbers, list(place.kinds))
            else:
                raw(change, *left, numbers)
    raw("select set_config('sutura.erasing', '', true)")


_NOBODYS = "encode(sha256(gen_random_uuid()::text::bytea), 'hex')"
# only keys that are there: what an event never told it does not tell as empty
_KEYS_EMPTIED = (
    "{0} || coalesce((select jsonb_object_agg(key, value) from jsonb_each(%s::jsonb) "
    "where {0} ? key), '{{}}')"
)
_LIST_EMPTIED = "coalesce((select jsonb_agg({1}) from jsonb_array_elements({0}) part), '[]')"


def _emptied(place: Place) -> tuple[Any, ...]:
    """What a column becomes, as SQL, with its values."""
    if place.apart:
        return f"case when {place.column} = '' then '' else left({_NOBODYS}, %s) end", place.apart
    if not place.keys and place.always:
        return "%s", place.left
    if not place.keys:
        return f"case when {place.column} = '' then '' else %s end", place.left
    if None in place.keys.values():
        return f"{place.column} - %s::text[]", list(place.keys)
    left = json.dumps(dict(place.keys))
    if place.in_list:
        return _LIST_EMPTIED.format(place.column, _KEYS_EMPTIED.format("part")), left
    return _KEYS_EMPTIED.format(place.column), left


def repoint_merged(old: int, new: int) -> None:
    """Records that became part of one that itself becomes part of another."""
    Customer.update(merged_into=new).where(Customer.merged_into == old).execute()


def merged_records(customer_id: int) -> list[int]:
    return column(Customer.select(Customer.id).where(Customer.merged_into == customer_id))
