"""Bench steps as recorded."""

from __future__ import annotations

from datetime import datetime

from sutura.core.bench import Done
from sutura.store.database import DATABASE, insert, reading, rows
from sutura.store.tables import BenchStep


@reading
def load_done(job_id: int) -> list[Done]:
    return rows(
        Done,
        "select attempt, step, at, counted, reason from bench_step where job_id = %s order by id",
        job_id,
    )


def add_step(
    job_id: int, attempt: int, step: str, *, expected: int | None, counted: int | None, reason: str, person_id: int,
    at: datetime,
) -> None:  # fmt: skip
    insert(
        BenchStep,
        [{"job": job_id, "attempt": attempt, "step": step, "expected": expected, "counted": counted,
          "reason": reason, "person": person_id, "at": at}],
    )  # fmt: skip


@reading
def bench_times(job_id: int) -> list[datetime]:
    """When anything was recorded at the bench for a job: its opening, its steps, its tests."""
    found = DATABASE.execute_sql(
        "select at from job_event where job_id = %s and kind in ('opened', 'step', 'proved', 'proof failed', 'closed')",
        (job_id,),
    )
    return [at for (at,) in found]
