"""What was learned of parts on models, and measured on their originals."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from peewee import SQL, Select

from sutura.core.matching.judging import Evidence, Learned
from sutura.store.database import raw, reading, rows, written
from sutura.store.tables import FitEvidence, Job

# the latest jobs of each outcome tell enough of a part; a model may have thousands
_TOLD = 2


@reading
def evidence_of(model_id: str, part_ids: Sequence[int]) -> dict[int, tuple[Evidence, ...]]:
    """What was learned of some parts on a model: the latest of each outcome, oldest first."""
    lessons: dict[int, tuple[Evidence, ...]] = {}
    # a lateral join from two lists of values: peewee joins tables; a window over all of a model's evidence
    # was measured to grow with it
    for part_id, outcome, code, says in raw(
        """
        select latest.part_id, latest.outcome, coalesce(job.code, ''), latest.says
        from unnest(%s::bigint[]) wanted (part_id), unnest(%s::text[]) kind (outcome),
            lateral (select * from fit_evidence
                     where model_id = %s and part_id = wanted.part_id and outcome = kind.outcome
                     order by id desc limit %s) latest
        left join job on job.id = latest.job_id
        order by latest.id
        """,
        list(part_ids),
        [outcome.value for outcome in Learned],
        model_id,
        _TOLD,
    ):
        lesson = Evidence(part_id=part_id, outcome=Learned(outcome), job=code or "another job", says=says)
        lessons[part_id] = (*lessons.get(part_id, ()), lesson)
    return lessons


@written
def _measured(model_id: str) -> Select:
    # the literal is that of the index job_measured
    measured = Job.select(Job.code, Job.measured).where(Job.model == model_id, SQL("measured <> '{}'"))
    return measured.order_by(Job.id.desc()).limit(20)


@reading
def measured_on(model_id: str) -> list[tuple[str, Mapping[str, Any]]]:
    """What was measured on originals of a model, newest job first: code and values."""
    return rows(_measured(model_id))


def add_evidence(
    model_id: str,
    part_id: int,
    offer_id: int | None,
    job_id: int | None,
    outcome: Learned,
    says: str,
    person_id: int,
    at: datetime,
) -> None:
    FitEvidence.insert(
        model=model_id,
        part=part_id,
        offer=offer_id,
        job=job_id,
        outcome=outcome.value,
        says=says,
        person=person_id,
        at=at,
    ).execute()
