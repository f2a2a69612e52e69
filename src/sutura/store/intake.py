"""Customers, drafts of an intake, and what intake leaves behind: functions, accessories, consents."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.handover import Accessory
from sutura.core.intake import Contact, Photo
from sutura.core.values import FunctionResult, Outcome
from sutura.store.database import DATABASE, insert, reading, row, rows, value
from sutura.store.tables import Accessory as AccessoryTable
from sutura.store.tables import Consent, Customer
from sutura.store.tables import FunctionResult as ResultTable


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


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """An intake left half-way: everything typed so far."""

    id: str
    who: str
    fields: Mapping[str, Any]
    saved_at: datetime


_CUSTOMER = """
select customer.id, customer.name, phone, email, note, customer.version, coalesce(person.name, '') as saved_by,
       saved_at
from customer left join person on person.id = saved_by_id
"""


@reading
def find_customers(text: str, plain: str = "") -> list[CustomerRecord]:
    """Customers whose name or email holds the text, or whose number ends in `plain`; at most ten."""
    like = f"%{text.strip().lower().replace('%', '').replace('_', '')}%"
    return rows(
        CustomerRecord,
        _CUSTOMER + " where merged_into_id is null and erased_at is null and (lower(customer.name) like %s or lower(email) like %s"
        " or (length(%s) > 2 and phone_plain like '%%' || ltrim(%s, '0') || '%%')) order by customer.name limit 10",
        like, like, plain, plain,
    )  # fmt: skip


@reading
def likely_same(contact: Contact, plain: str, digits: int) -> list[CustomerRecord]:
    """Other records that share the email, the end of the number or the name with someone; at most ten."""
    return rows(
        CustomerRecord,
        _CUSTOMER + " where customer.id <> %s and merged_into_id is null and erased_at is null and"
        " ((email <> '' and lower(email) = lower(%s)) or (%s <> '' and right(phone_plain, %s) = right(%s, %s))"
        " or lower(customer.name) = lower(%s)) order by customer.id limit 10",
        contact.id, contact.email, plain, digits, plain, digits, contact.name,
    )  # fmt: skip


def move_jobs(old: int, new: int) -> list[tuple[int, str]]:
    """Give a customer's jobs to another one; their numbers and stages."""
    found = DATABASE.execute_sql(
        "update job set customer_id = %s, version = version + 1 where customer_id = %s returning id, stage",
        (new, old),
    )
    return list(found)


def erase_jobs(customer_id: int) -> None:
    """Take what tells of the person out of a customer's jobs: serial number, complaint, return address, photos."""
    DATABASE.execute_sql(
        "update job set serial = '', complaint = '', arrival = arrival - 'return_address' - 'parcel_number' - 'signature', version = version + 1"
        " where customer_id = %s",
        (customer_id,),
    )
    DATABASE.execute_sql(
        "delete from photo where job_id in (select id from job where customer_id = %s)", (customer_id,)
    )


def repoint_merged(old: int, new: int) -> None:
    """Records that became part of one that itself becomes part of another."""
    DATABASE.execute_sql("update customer set merged_into_id = %s where merged_into_id = %s", (new, old))


def merged_records(customer_id: int) -> list[int]:
    return [
        number
        for (number,) in DATABASE.execute_sql(
            "select id from customer where merged_into_id = %s", (customer_id,)
        )
    ]


@reading
def customer_codes(customer_id: int) -> list[str]:
    return [
        code
        for (code,) in DATABASE.execute_sql(
            "select code from job where customer_id = %s order by id", (customer_id,)
        )
    ]


@reading
def load_customer(customer_id: int) -> CustomerRecord | None:
    return row(CustomerRecord, _CUSTOMER + " where customer.id = %s", customer_id)


def lock_customer(customer_id: int) -> CustomerRecord | None:
    value("select id from customer where id = %s for update", customer_id)
    return load_customer(customer_id)


def add_customer(**columns: Any) -> int:
    return int(Customer.insert(version=1, **columns).execute())


def save_customer(customer_id: int, **changes: Any) -> None:
    Customer.update(version=Customer.version + 1, **changes).where(Customer.id == customer_id).execute()


@reading
def customer_jobs(customer_id: int) -> list[tuple[str, str, str]]:
    found = DATABASE.execute_sql(
        "select code, model.maker || ' ' || model.name, stage from job join model on model.id = model_id"
        " where customer_id = %s order by received_at desc limit 50",
        (customer_id,),
    )
    return [(code, name, stage) for code, name, stage in found]


# -- drafts ---------------------------------------------------------------------------------


@reading
def load_draft(draft_id: str) -> Draft | None:
    return row(
        Draft,
        "select draft.id, person.name as who, fields, saved_at from draft"
        " join person on person.id = person_id where draft.id = %s",
        draft_id,
    )


@reading
def drafts_page() -> list[Draft]:
    return rows(
        Draft,
        "select draft.id, person.name as who, fields, saved_at from draft"
        " join person on person.id = person_id order by saved_at desc limit 200",
    )


def save_draft(draft_id: str, person_id: int, fields: Mapping[str, Any], at: datetime) -> None:
    DATABASE.execute_sql(
        "insert into draft (id, person_id, fields, saved_at) values (%s, %s, %s, %s) on conflict (id) do update"
        " set fields = excluded.fields, saved_at = excluded.saved_at, version = draft.version + 1",
        (draft_id, person_id, json.dumps(dict(fields)), at),
    )


def lock_draft(draft_id: str) -> bool:
    """Lock a draft until the transaction ends; False when it is gone (it became a job, or was thrown away)."""
    return value("select 1 from draft where id = %s for update", draft_id) is not None


def remove_draft(draft_id: str) -> None:
    DATABASE.execute_sql("delete from draft where id = %s", (draft_id,))


# -- what intake leaves behind --------------------------------------------------------------


def add_results(
    job_id: int,
    attempt: int,
    results: Sequence[FunctionResult],
    person_id: int,
    at: datetime,
    *,
    again: int = 0,
) -> None:
    """A whole function list: attempt 0 is the baseline, 1 and on are proofs; or what was tried `again` of the baseline."""
    insert(
        ResultTable,
        [
            {"job": job_id, "attempt": attempt, "function": r.function, "outcome": r.outcome.value,
             "reason": r.reason, "person": person_id, "at": at, "again": again}
            for r in results
        ],
    )  # fmt: skip


@reading
def times_looked(job_id: int) -> int:
    """How often the baseline of a job was looked at again."""
    return int(
        value("select coalesce(max(again), 0) from function_result where job_id = %s and attempt = 0", job_id)
    )


@reading
def load_results(job_id: int) -> dict[int, dict[str, FunctionResult]]:
    """All function lists of a job by attempt; 0 is the baseline, the latest word of each function."""
    found: dict[int, dict[str, FunctionResult]] = {}
    for attempt, function, outcome, reason in DATABASE.execute_sql(
        "select attempt, function, outcome, reason from function_result where job_id = %s order by id",
        (job_id,),
    ):
        result = FunctionResult(function=function, outcome=Outcome(outcome), reason=reason)
        found.setdefault(attempt, {})[function] = result
    return found


def add_accessories(job_id: int, names: Sequence[tuple[str, str]]) -> None:
    insert(AccessoryTable, [{"job": job_id, "name": name, "kept": kept} for name, kept in names])


@reading
def load_accessories(job_id: int) -> list[Accessory]:
    return rows(Accessory, "select id, name, kept from accessory where job_id = %s order by id", job_id)


def add_consents(job_id: int, consents: Sequence[ConsentRow], at: datetime) -> None:
    """What the customer agreed to, word for word and in which version."""
    insert(
        Consent,
        [
            {"job": job_id, "consent": c.consent, "said": c.text, "version": c.version, "agreed_at": at}
            for c in consents
        ],
    )


def keep_consent(job_id: int, consent: ConsentRow, at: datetime) -> None:
    """One more thing a customer agreed to; agreed to once more changes nothing."""
    DATABASE.execute_sql(
        "insert into consent (job_id, consent, said, version, agreed_at) values (%s, %s, %s, %s, %s) on conflict do nothing",
        (job_id, consent.consent, consent.text, consent.version, at),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsentRow:
    """A text customers agree to, in its newest version."""

    consent: str
    version: int
    text: str
    needed: bool
    active: bool


@reading
def consent_texts(*, every: bool = False) -> list[ConsentRow]:
    """The newest version of each text; only those in use unless `every`."""
    found = rows(
        ConsentRow,
        "select * from (select distinct on (consent) consent, version, text, needed, active from consent_text"
        " order by consent, version desc) newest order by needed desc, consent",
    )
    return [one for one in found if every or one.active]


@reading
def needed_consents(at: datetime) -> list[str]:
    """What had to be agreed to at a moment: texts that change later ask nothing of a job taken in before."""
    found = DATABASE.execute_sql(
        "select consent from (select distinct on (consent) consent, needed, active from consent_text where at <= %s"
        " order by consent, version desc) newest where needed and active",
        (at,),
    )
    return [consent for (consent,) in found]


def lock_consents() -> None:
    DATABASE.execute_sql("lock table consent_text in share row exclusive mode")


def add_consent_text(row: ConsentRow, person_id: int, at: datetime) -> None:
    DATABASE.execute_sql(
        "insert into consent_text (consent, version, text, needed, active, person_id, at) values (%s, %s, %s, %s, %s, %s, %s)",
        (row.consent, row.version, row.text, row.needed, row.active, person_id, at),
    )


@reading
def load_consents(job_id: int) -> dict[str, str]:
    found = DATABASE.execute_sql("select consent, said from consent where job_id = %s order by id", (job_id,))
    return dict(found)


# -- photographs ----------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class PhotoLine:
    """A photo in a list: its number, what it shows, the id of the mark it is of, its size in pixels."""

    id: int
    says: str
    mark: str
    width: int
    height: int


def add_photo(draft_id: str, says: str, mark: str, photo: Photo, person_id: int, at: datetime) -> None:
    DATABASE.execute_sql(
        "insert into photo (draft_id, says, mark, width, height, image, thumb, person_id, at)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s, %s)",
        (draft_id, says, mark, photo.width, photo.height, photo.image, photo.thumb, person_id, at),
    )


def remove_photo(draft_id: str, photo_id: int) -> None:
    DATABASE.execute_sql("delete from photo where id = %s and draft_id = %s", (photo_id, draft_id))


def remove_photos(draft_id: str) -> None:
    DATABASE.execute_sql("delete from photo where draft_id = %s", (draft_id,))


def give_photos(draft_id: str, job_id: int) -> None:
    """The photos of a draft become those of the job it became."""
    DATABASE.execute_sql(
        "update photo set job_id = %s, draft_id = null where draft_id = %s", (job_id, draft_id)
    )


@reading
def count_photos(draft_id: str) -> int:
    return int(value("select count(*) from photo where draft_id = %s", draft_id))


@reading
def draft_photos(draft_id: str) -> list[PhotoLine]:
    return rows(
        PhotoLine, "select id, says, mark, width, height from photo where draft_id = %s order by id", draft_id
    )


@reading
def job_photos(job_id: int) -> list[PhotoLine]:
    return rows(
        PhotoLine, "select id, says, mark, width, height from photo where job_id = %s order by id", job_id
    )


@reading
def load_photo(photo_id: int, *, small: bool) -> bytes | None:
    found = value(f"select {'thumb' if small else 'image'} from photo where id = %s", photo_id)
    return bytes(found) if found is not None else None
