"""Bench steps as recorded."""

from __future__ import annotations

from datetime import datetime

from sutura.core.bench import Done
from sutura.store.database import each, reading
from sutura.store.tables import BenchStep


@reading
def load_done(job_id: int) -> list[Done]:
    steps = BenchStep.select(
        BenchStep.attempt, BenchStep.step, BenchStep.at, BenchStep.counted, BenchStep.reason
    )
    return each(Done, steps.where(BenchStep.job == job_id).order_by(BenchStep.id))


def add_step(
    job_id: int,
    attempt: int,
    step: str,
    *,
    expected: int | None,
    counted: int | None,
    reason: str,
    person_id: int,
    at: datetime,
) -> None:
    BenchStep.insert(
        job=job_id,
        attempt=attempt,
        step=step,
        expected=expected,
        counted=counted,
        reason=reason,
        person=person_id,
        at=at,
    ).execute()
