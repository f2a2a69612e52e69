"""Jobs and what happened to them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import peewee
from peewee import JOIN, fn

from sutura.core.errors import NotFound
from sutura.core.job import JobEvent, JobRecord, Stage, code_for
from sutura.store.database import DATABASE, column, each, first, insert, raw, reading
from sutura.store.expressions import MODEL_NAME, or_empty
from sutura.store.tables import CatalogueModel, Customer, Job, Person
from sutura.store.tables import JobEvent as EventTable

_Receiver, _Technician = Person.alias(), Person.alias()
_JOB = (
    Job.select(
        *(
            field
            for name, field in Job._meta.fields.items()
            if name not in ("customer", "model", "received_by", "offer", "technician")
        ),
        Job.customer.alias("customer_id"),
        Job.model.alias("model_id"),
        Job.offer.alias("offer_id"),
        Job.technician.alias("technician_id"),
        Customer.name.alias("customer_name"),
        Customer.phone.alias("customer_phone"),
        CatalogueModel.version.alias("model_version"),
        MODEL_NAME.alias("model_name"),
        _Receiver.name.alias("received_by"),
        or_empty(_Technician.name).alias("technician"),
    )
    .join(Customer)
    .switch(Job)
    .join(CatalogueModel)
    .switch(Job)
    .join(_Receiver, on=Job.received_by == _Receiver.id)
    .switch(Job)
    .join(_Technician, JOIN.LEFT_OUTER, on=Job.technician == _Technician.id)
)

# An odd multiplier permutes the 2^20 bodies, so that codes given out one after the other look different.
_STRIDE, _BODIES = 48_271, 32**4


def _record(stage: str, **columns: Any) -> JobRecord:
    return JobRecord(stage=Stage(stage), **columns)


def _job(code: str, query: peewee.Select) -> JobRecord:
    record = first(_record, query.where(Job.code == code))
    if record is None:
        raise NotFound("job", code)
    return record


@reading
def load_job(code: str) -> JobRecord:
    return _job(code, _JOB)


def lock_job(code: str) -> JobRecord:
    """The job, locked until the transaction ends."""
    return _job(code, _JOB.for_update(of=Job))


def next_code() -> str:
    """A job code nobody has; numbers whose check sign cannot be spoken are passed over."""
    while True:
        # a sequence is no table: peewee has no word for it
        (number,) = raw("select nextval('job_id_seq')").fetchone()
        code = code_for(number * _STRIDE % _BODIES)
        if code:
            return code


def add_job(**columns: Any) -> int:
    return int(Job.insert(**columns).execute())


def save_job(job_id: int, **changes: Any) -> None:
    """Save changed columns; the version goes up by one."""
    Job.update(version=Job.version + 1, **changes).where(Job.id == job_id).execute()


@reading
def find_jobs_by_serial(serial: str) -> list[str]:
    held = Job.select(Job.code).where(Job.serial == serial, Job.serial != "")
    return column(held.order_by(Job.received_at.desc()).limit(20))


@reading
def count_jobs() -> int:
    """How many jobs there are; 0 when the table is not there yet."""
    return int(Job.select().count()) if DATABASE.table_exists("job") else 0


@reading
def days_since_newest(now: datetime) -> int:
    """Whole days since the newest job came in; 0 when there is none."""
    newest = Job.select(fn.MAX(Job.received_at)).scalar()
    return (now - newest).days if newest else 0


# -- what happened ----------------------------------------------------------------------------------


def add_event(
    job_id: int,
    *,
    at: datetime,
    person_id: int,
    kind: str,
    says: str,
    before: Stage | None,
    after: Stage,
    detail: Mapping[str, object],
) -> None:
    insert(
        EventTable,
        [
            {
                "job": job_id,
                "at": at,
                "person": person_id,
                "kind": kind,
                "says": says,
                "stage_before": before.value if before else None,
                "stage_after": after.value,
                "detail": dict(detail),
            }
        ],
    )


@reading
def events_page(job_id: int) -> list[JobEvent]:
    happened = EventTable.select(EventTable.at, Person.name.alias("who"), EventTable.kind, EventTable.says)
    return each(JobEvent, happened.join(Person).where(EventTable.job == job_id).order_by(EventTable.id))


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptEvent:
    """An event with what was kept beside its words."""

    at: datetime
    who: str
    detail: Mapping[str, Any]


@reading
def latest_event(job_id: int, kind: str) -> KeptEvent | None:
    return first(
        KeptEvent,
        EventTable.select(EventTable.at, Person.name.alias("who"), EventTable.detail)
        .join(Person)
        .where(EventTable.job == job_id, EventTable.kind == kind)
        .order_by(EventTable.id.desc())
        .limit(1),
    )


@reading
def bench_times(job_id: int, kinds: tuple[str, ...]) -> list[datetime]:
    """When anything of these kinds happened to a job."""
    return column(
        EventTable.select(EventTable.at).where(EventTable.job == job_id, EventTable.kind.in_(kinds))
    )
