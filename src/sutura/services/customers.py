"""Customers: found again, made one, handed out, erased."""

from __future__ import annotations

from datetime import datetime

from sutura.core.errors import Invalid, NotFound, StaleSave
from sutura.core.facts import Say, fact
from sutura.core.handover.telling import check_way
from sutura.core.intake.arrival import check_customer
from sutura.core.intake.customers import SAME_DIGITS, Contact, may_be_same, plain_phone
from sutura.core.job import EventKind, JobRecord, Stage
from sutura.core.people import Deed, demand
from sutura.core.typed import refuse
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away
from sutura.store import audit as audit_store
from sutura.store import consents as consents_store
from sutura.store import customers as customers_store
from sutura.store import handover as handover_store
from sutura.store import job as job_store
from sutura.store import messages as messages_store
from sutura.store import photos as photos_store
from sutura.store.database import reading, writing
from sutura.words.speech import languages


@reading
def find_customers(text: str) -> list[customers_store.CustomerRecord]:
    """Customers by name, email or phone, however the number is written."""
    # what has letters is a name or another thing's number, like an order's: never part of a telephone number
    digits = "" if any(sign.isalpha() for sign in text) else plain_phone(text)
    return customers_store.find_customers(text, digits)


@reading
def perhaps_same(contact: customers_store.CustomerRecord) -> list[tuple[customers_store.CustomerRecord, Say]]:
    """Records that may be the same person, and why; a person decides."""
    return _perhaps(_contact(contact))


@reading
def perhaps_typed(name: str, phone: str, email: str) -> list[tuple[customers_store.CustomerRecord, Say]]:
    """Records that may be the person who is being typed at the Counter; nothing typed names nobody."""
    typed = Contact(id=0, name=name.strip(), phone=phone.strip(), email=email.strip())
    return _perhaps(typed) if typed.name or typed.phone or typed.email else []


def _perhaps(one: Contact) -> list[tuple[customers_store.CustomerRecord, Say]]:
    plain = plain_phone(one.phone)
    others = {other.id: other for other in customers_store.likely_same(one, plain, SAME_DIGITS)}
    named = may_be_same(one, [_contact(other) for other in others.values()])
    return [(others[contact.id], why) for contact, why in named]


def _contact(one: customers_store.CustomerRecord) -> Contact:
    return Contact(id=one.id, name=one.name, phone=one.phone, email=one.email)


@writing
def merge_customers(keep_id: int, other_id: int, by: Person, now: datetime) -> None:
    """Two records of one person become one: all jobs go to the one that is kept, and its empty fields
    are filled.
    """
    demand(by, Deed.TAKE_IN)
    if keep_id == other_id:
        raise Invalid("other", other_id, fact("customers.choose-another-record-than-one"))
    living = customers_store.lock_customers([keep_id, other_id])
    keep, other = customers_store.load_customer(keep_id), customers_store.load_customer(other_id)
    if keep is None or other is None or len(living) < 2:
        raise NotFound("customer", other_id if keep_id in living else keep_id)
    for job_id, stage in customers_store.move_jobs(other_id, keep_id):
        # by number, not by name: what happened stays when the customer is erased
        facts = {"from": other_id, "into": keep_id}
        where = Stage(stage)
        job_store.add_event(
            job_id, EventKind.CUSTOMER_MERGED, facts, at=now, person_id=by.id, before=where, after=where
        )
    filled = {name: getattr(keep, name) or getattr(other, name) for name in ("phone", "email", "note")}
    customers_store.save_customer(
        keep_id, **filled, phone_plain=plain_phone(filled["phone"]), saved_by=by.id, saved_at=now
    )
    customers_store.repoint_merged(other_id, keep_id)
    customers_store.save_customer(other_id, merged_into=keep_id, saved_by=by.id, saved_at=now)
    audit_store.add_audit(by.id, now, "customers made one", {"kept": keep_id, "other": other_id})


@writing
def read_customer(customer_id: int, by: Person, now: datetime) -> customers_store.CustomerRecord:
    """A customer's record for their page; who looked is kept."""
    customer = customers_store.living_of(customer_id) or customers_store.load_customer(customer_id)
    if customer is None:
        raise NotFound("customer", customer_id)
    audit_store.add_look(by.id, now, "customer read", {"customer": customer_id})
    return customer


@writing
def export_customer(customer_id: int, by: Person, now: datetime) -> dict[str, object]:
    """Everything that is kept of one customer, to hand over when they ask for it."""
    demand(by, Deed.ERASE_CUSTOMER)
    customer = customers_store.load_customer(customer_id)
    if customer is None:
        raise NotFound("customer", customer_id)
    audit_store.add_audit(by.id, now, "customer exported", {"customer": customer_id})
    jobs = job_store.jobs_of(customer_id)
    numbers = [job.id for job in jobs]
    came, agreed = handover_store.accessories_of(numbers), consents_store.consents_of(numbers)
    photos = photos_store.photos_of(numbers)
    return {
        "customer": {
            "name": customer.name,
            "phone": customer.phone,
            "email": customer.email,
            "note": customer.note,
        },
        "jobs": [
            _exported(job)
            | {
                "accessories": came.get(job.id, []),
                "agreed": agreed.get(job.id, []),
                "photos": len(photos.get(job.id, [])),
            }
            for job in jobs
        ],
        # whatever else stands anywhere, place by place (core/intake/personal.py)
        "kept": customers_store.customers_places([customer_id, *customers_store.merged_records(customer_id)]),
    }


def _exported(job: JobRecord) -> dict[str, object]:
    return {
        "code": job.code,
        "model": job.model_name,
        "stage": job.stage.value,
        "number_as_read": job.arrival.read_number,
        "serial": job.arrival.serial,
        "complaint": job.arrival.complaint,
        "received_at": job.arrival.received_at.isoformat(),
        "promised_at": job.promise_at.isoformat(),
        "marks": list(job.arrival.marks),
        "observed": dict(job.arrival.look),
        "arrival": dict(job.arrival.how),
        "price_minor": job.chosen.price_minor,
        "currency": job.currency,
    }


def erase_customer(customer_id: int, typed_name: str, by: Person, now: datetime) -> None:
    """Erase one customer (rule intake.erase); the name is typed again so that nobody is erased by a slip.

    What was sent to them is forgotten first, outside of the transaction: whoever is cut off erases again.
    """
    demand(by, Deed.ERASE_CUSTOMER)
    receivers = messages_store.receivers_of(_may_be_erased(customer_id, typed_name))
    try:
        plugged().messenger.forget(receivers)
    except Away:
        raise Invalid("typed_name", "", fact("customers.sender-is-away")) from None
    _erase(customer_id, typed_name, by, now)


@writing
def _erase(customer_id: int, typed_name: str, by: Person, now: datetime) -> None:
    numbers = _may_be_erased(customer_id, typed_name)
    for number in numbers:
        customers_store.save_customer(number, erased_at=now, saved_by=by.id, saved_at=now)
    messages_store.drop_waiting(numbers)
    customers_store.erase_places(numbers)
    audit_store.add_audit(by.id, now, "customer erased", {"customer": customer_id, "records": numbers})


@writing
def _may_be_erased(customer_id: int, typed_name: str) -> list[int]:
    """The customer, and every record that was made one with them; refuses where they may not be erased."""
    customers_store.lock_customers([customer_id])
    customer = customers_store.lock_customer(customer_id)
    if customer is None:
        raise NotFound("customer", customer_id)
    if typed_name.strip() != customer.name:
        raise Invalid("typed_name", typed_name, fact("customers.type-name-stands", customer=customer.name))
    still_open = customers_store.open_codes(customer_id)
    if still_open:
        raise Invalid("typed_name", ", ".join(still_open), fact("customers.hand-these-devices-back-first"))
    return [customer_id, *customers_store.merged_records(customer_id)]


@writing
def save_customer(
    customer_id: int,
    *,
    name: str,
    phone: str,
    email: str,
    note: str,
    version: int,
    by: Person,
    now: datetime,
    channel: str = "",
    language: str = "",
) -> None:
    """Change a customer, how they want to hear and in which language; a stale form shows both versions side
    by side.
    """
    demand(by, Deed.TAKE_IN)
    before = customers_store.lock_customer(customer_id)
    if before is None:
        raise NotFound("customer", customer_id)
    refuse(check_customer(name, phone, email))
    check_way(channel)
    if language and language not in languages():
        raise Invalid("language", language, fact("customers.choose-language", languages=tuple(languages())))
    yours = {"name": name, "phone": phone, "email": email, "note": note}
    yours |= {"channel": channel, "language": language}
    if before.version != version:
        theirs = {"name": before.name, "phone": before.phone, "email": before.email, "note": before.note}
        theirs |= {"channel": before.channel, "language": before.language}
        raise StaleSave("This customer", before.saved_by, before.saved_at, yours, theirs)
    tidy = {key: value.strip() for key, value in yours.items()}
    customers_store.save_customer(
        customer_id, **tidy, phone_plain=plain_phone(phone), saved_by=by.id, saved_at=now
    )
