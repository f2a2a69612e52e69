"""Jobs, their events, their one-time form keys and drafts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.errors import NotFound
from sutura.core.job import JobEvent, JobRecord, Stage, code_for
from sutura.store.database import DATABASE, insert, reading, row, rows, value
from sutura.store.tables import Job
from sutura.store.tables import JobEvent as EventTable

_JOB = """
select job.id, job.code, job.stage, job.customer_id, customer.name as customer_name,
       customer.phone as customer_phone, job.model_id,
       model.version as model_version, model.maker || ' ' || model.name as model_name, job.read_number,
       job.identified, job.serial, job.channel, job.complaint, job.opened_before, job.marks, job.look,
       job.arrival, job.measured, job.destroyed, job.more_offers, job.promise_at,
       job.promise_reason, job.received_at, receiver.name as received_by, job.offer_id, job.fit, job.price_minor,
       job.tax_bps, job.currency, job.technician_id, coalesce(technician.name, '') as technician,
       job.extra_minutes, job.expected_minutes, job.attempt, job.steps_done, job.steps_total, job.cost_minor,
       job.bench_minutes, job.finished_at, job.warranty_end, job.returned_note, job.version
from job
join customer on customer.id = job.customer_id
join model on model.id = job.model_id
join person receiver on receiver.id = job.received_by_id
left join person technician on technician.id = job.technician_id
where job.code = %s
"""

# An odd multiplier permutes the 2^20 bodies, so that codes given out one after the other look different.
_STRIDE, _BODIES = 48_271, 32**4


def _record(**columns: Any) -> JobRecord:
    return JobRecord(**{**columns, "stage": Stage(columns["stage"])})


@reading
def load_job(code: str) -> JobRecord:
    found = row(_record, _JOB, code)
    if found is None:
        raise NotFound("job", code)
    return found


def lock_job(code: str) -> JobRecord:
    """The job, locked until the transaction ends."""
    found = row(_record, _JOB + " for update of job", code)
    if found is None:
        raise NotFound("job", code)
    return found


def next_code() -> str:
    """A job code nobody has; numbers whose check sign cannot be spoken are passed over."""
    while True:
        number = value("select nextval('job_id_seq')")
        code = code_for(number * _STRIDE % _BODIES)
        if code:
            return code


def add_job(**columns: Any) -> int:
    return int(Job.insert(**columns).execute())


def save_job(job_id: int, **changes: Any) -> None:
    """Save changed columns; the version goes up by one."""
    Job.update(version=Job.version + 1, **changes).where(Job.id == job_id).execute()


def add_event(
    job_id: int, *, at: datetime, person_id: int, kind: str, says: str, before: Stage | None, after: Stage,
    detail: Mapping[str, object],
) -> None:  # fmt: skip
    insert(
        EventTable,
        [
            {
                "job": job_id, "at": at, "person": person_id, "kind": kind, "says": says,
                "stage_before": before.value if before else None, "stage_after": after.value, "detail": dict(detail),
            }
        ],
    )  # fmt: skip


@reading
def events_page(job_id: int) -> list[JobEvent]:
    return rows(
        JobEvent,
        "select at, person.name as who, kind, says from job_event join person on person.id = person_id"
        " where job_id = %s order by job_event.id",
        job_id,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptEvent:
    """An event with what was kept beside its words."""

    at: datetime
    who: str
    detail: Mapping[str, Any]


@reading
def latest_event(job_id: int, kind: str) -> KeptEvent | None:
    return row(
        KeptEvent,
        "select at, person.name as who, detail from job_event join person on person.id = person_id"
        " where job_id = %s and kind = %s order by job_event.id desc limit 1",
        job_id, kind,
    )  # fmt: skip


@reading
def find_jobs_by_serial(serial: str) -> list[str]:
    return [found for (found,) in DATABASE.execute_sql(
        "select code from job where serial = %s and serial <> '' order by received_at desc limit 20", (serial,)
    )]  # fmt: skip


@reading
def count_jobs() -> int:
    """How many jobs there are; 0 when the table is not there yet."""
    if value("select to_regclass('job')") is None:
        return 0
    return int(value("select count(*) from job"))


@reading
def days_since_newest(now: datetime) -> int:
    """Whole days since the newest job came in; 0 when there is none."""
    newest = value("select max(received_at) from job")
    return (now - newest).days if newest else 0


# -- one-time form keys ---------------------------------------------------------------------


def claim_form_key(key: str, person_id: int, at: datetime) -> str | None:
    """None when the key is new and now ours; else the result of its first use.

    A second request with the same key waits here for the first one's transaction.
    """
    mine = value(
        "insert into form_key (key, person_id, at) values (%s, %s, %s) on conflict (key) do nothing returning key",
        key, person_id, at,
    )  # fmt: skip
    if mine:
        return None
    return str(value("select result from form_key where key = %s", key))


def save_form_result(key: str, result: str) -> None:
    DATABASE.execute_sql("update form_key set result = %s where key = %s", (result, key))
