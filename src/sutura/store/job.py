"""Jobs and what happened to them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import fields
from datetime import datetime
from enum import Enum
from typing import Any

import peewee
from peewee import JOIN, fn

from sutura.core.errors import NotFound
from sutura.core.intake.arrival import ARRIVAL_FIELDS
from sutura.core.job import (
    Arrival,
    BenchWork,
    Chosen,
    Closing,
    EventKind,
    JobEvent,
    JobPart,
    JobRecord,
    Original,
    Round,
    Stage,
    code_of_job,
)
from sutura.store.database import DATABASE, Ready, column, each, first, raw, reading, written
from sutura.store.expressions import MODEL_NAME, or_empty
from sutura.store.tables import CatalogueModel, Customer, Job, JobSheet, Person
from sutura.store.tables import JobEvent as EventTable

_Receiver, _Technician = Person.alias(), Person.alias()
# the columns of each part, where they are not called as its fields; names of people are read, never saved
_PARTS: Mapping[type[JobPart], Mapping[str, str]] = {
    Arrival: {"how": "arrival"},
    Original: {},
    Chosen: {"offer_id": "offer"},
    BenchWork: {"technician_id": "technician"},
    Closing: {},
}
_NAMES = frozenset({"received_by", "technician", "habits"})


def _columns(part: type[JobPart]) -> dict[str, str]:
    """Column by field of a part, as it is saved."""
    return {
        field.name: _PARTS[part].get(field.name, field.name)
        for field in fields(part)
        if field.name not in _NAMES
    }


_COLUMNS = {part: _columns(part) for part in _PARTS}
# of the last sheet that a job keeps
SHEET_VERSION = (
    JobSheet.select(JobSheet.model_version)
    .where(JobSheet.job == Job.id)
    .order_by(JobSheet.id.desc())
    .limit(1)
)
_JOB = (
    Job.select(
        *(getattr(Job, name) for columns in _COLUMNS.values() for name in columns.values()),
        Job.id,
        Job.code,
        Job.stage,
        Job.version,
        Job.currency,
        Job.promise_at,
        Job.promise_reason,
        Job.customer.alias("customer_id"),
        Job.model.alias("model_id"),
        Customer.name.alias("customer_name"),
        Customer.phone.alias("customer_phone"),
        CatalogueModel.version.alias("model_version"),
        SHEET_VERSION.alias("sheet_version"),
        MODEL_NAME.alias("model_name"),
        _Receiver.name.alias("receiver_name"),
        or_empty(_Technician.name).alias("technician_name"),
        _Technician.habits,
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


_NOTHING_SAID = dict.fromkeys(ARRIVAL_FIELDS, "")


def _record(
    stage: str, receiver_name: str, technician_name: str, habits: Mapping[str, str] | None, **columns: Any
) -> JobRecord:
    columns["round"] = Round(columns["round"])
    # a job of an old release was not asked all that is asked today
    columns["arrival"] = _NOTHING_SAID | columns["arrival"]

    def part(kind: type[Any], **more: Any) -> Any:
        return kind(**{name: columns.pop(column) for name, column in _COLUMNS[kind].items()}, **more)

    return JobRecord(
        stage=Stage(stage),
        arrival=part(Arrival, received_by=receiver_name),
        original=part(Original),
        chosen=part(Chosen),
        bench=part(BenchWork, technician=technician_name, habits=habits or {}),
        closing=part(Closing),
        **columns,
    )


@written
def _read(code: str) -> peewee.Select:
    return _JOB.where(Job.code == code)


@written
def _locked(code: str) -> peewee.Select:
    return _JOB.where(Job.code == code).for_update(of=Job)


def _there(code: str, query: Ready) -> JobRecord:
    record = first(_record, query)
    if record is None:
        raise NotFound("job", code)
    return record


@reading
def load_job(code: str) -> JobRecord:
    return _there(code, _read(code))


@reading
def is_there(code: str) -> bool:
    return Job.select().where(Job.code == code).exists()


@reading
def jobs_of(customer_id: int) -> list[JobRecord]:
    return each(_record, _JOB.where(Job.customer == customer_id).order_by(Job.id))


def lock_job(code: str) -> JobRecord:
    """The job, locked until the transaction ends."""
    return _there(code, _locked(code))


@reading
def newest_codes(most: int) -> list[str]:
    """The codes of the jobs that came in last."""
    return column(Job.select(Job.code).order_by(Job.id.desc()).limit(most))


def next_code() -> str:
    """A job code nobody has; numbers whose check sign cannot be spoken are passed over."""
    while True:
        # a sequence is no table: peewee has no word for it
        (number,) = raw("select nextval('job_id_seq')").fetchone()
        code = code_of_job(number)
        if code:
            return code


def add_job(**columns: Any) -> int:
    return int(Job.insert(**columns).execute())


def save_job(job_id: int, *parts: JobPart, stage: Stage | None = None) -> None:
    """Save parts of a job, and its stage when it moved; the version goes up by one."""
    columns = {
        column: _kept(getattr(part, name)) for part in parts for name, column in _COLUMNS[type(part)].items()
    }
    if stage:
        columns["stage"] = stage.value
    Job.update(version=Job.version + 1, **columns).where(Job.id == job_id).execute()


def _kept(value: Any) -> Any:
    return value.value if isinstance(value, Enum) else value


def save_promise(job_id: int, at: datetime, reason: str) -> None:
    Job.update(promise_at=at, promise_reason=reason, version=Job.version + 1).where(
        Job.id == job_id
    ).execute()


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
    kind: EventKind,
    facts: Mapping[str, object],
    *,
    at: datetime,
    person_id: int,
    before: Stage | None,
    after: Stage,
) -> None:
    EventTable.insert(
        job=job_id,
        at=at,
        person=person_id,
        kind=kind.value,
        says="",
        stage_before=before.value if before else None,
        stage_after=after.value,
        detail=dict(facts),
    ).execute()


def _event(kind: str, **columns: Any) -> JobEvent:
    return JobEvent(kind=EventKind(kind), **columns)


_EVENT = EventTable.select(
    EventTable.at,
    Person.name.alias("who"),
    EventTable.kind,
    EventTable.detail.alias("facts"),
    EventTable.says.alias("said"),
).join(Person)


@written
def _events(job_id: int) -> peewee.Select:
    return _EVENT.where(EventTable.job == job_id).order_by(EventTable.id)


@reading
def kinds_of(job_id: int) -> list[EventKind]:
    """What happened to a job, kind by kind, the oldest first."""
    kinds = EventTable.select(EventTable.kind).where(EventTable.job == job_id).order_by(EventTable.id)
    return [EventKind(kind) for kind in column(kinds)]


@reading
def events_page(job_id: int) -> list[JobEvent]:
    return each(_event, _events(job_id))


@written
def _latest(job_id: int, kind: str) -> peewee.Select:
    of_kind = _EVENT.where(EventTable.job == job_id, EventTable.kind == kind)
    return of_kind.order_by(EventTable.id.desc()).limit(1)


@reading
def latest_event(job_id: int, kind: EventKind) -> JobEvent | None:
    return first(_event, _latest(job_id, kind.value))


@reading
def bench_times(job_id: int, kinds: Sequence[EventKind]) -> list[datetime]:
    """When anything of these kinds happened to a job."""
    times = EventTable.select(EventTable.at).where(EventTable.job == job_id)
    return column(times.where(EventTable.kind.in_([kind.value for kind in kinds])))
