"""What Next and Plan read: open jobs, technicians and their load."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import NamedTuple

from sutura.core.job import Stage
from sutura.core.planning import Skill, Waiting
from sutura.store.database import DATABASE, reading, rows


class OpenJob(NamedTuple):
    """An open job: what ranking needs, and what its line shows. A plain tuple: hundreds are made for each page."""

    waiting: Waiting
    customer: str
    model: str
    family: str
    technician_id: int | None


_STAGES = {stage.value: stage for stage in Stage}


def _open_job(
    code: str, stage: str, promise_at: datetime, bench_minutes: int, cure_minutes: int, steps_done: int,
    steps_total: int, technician: str, customer: str, model: str, family: str, technician_id: int | None,
    part: str | None, free: int | None,
) -> OpenJob:  # fmt: skip
    waits = stage == "quoted" and free is not None and free < 1
    return OpenJob(
        waiting=Waiting(
            code=code, stage=_STAGES[stage], promise_at=promise_at, bench_minutes=bench_minutes, cure_minutes=cure_minutes,
            steps_done=steps_done, steps_total=steps_total, technician=technician, blocked=f"no free {part}" if waits else "",
        ),
        customer=customer, model=model, family=family, technician_id=technician_id,
    )  # fmt: skip


_OPEN = """
select job.code, job.stage, job.promise_at, job.expected_minutes as bench_minutes, model.cure_minutes,
       job.steps_done, job.steps_total, coalesce(person.name, '') as technician, customer.name as customer,
       model.maker || ' ' || model.name as model, model.procedure_family as family, job.technician_id,
       case when rarest.free < part.on_hand - part.held then rarest.name else part.name end as part,
       least(part.on_hand - part.held, rarest.free) as free
from job
join customer on customer.id = job.customer_id
join model on model.id = job.model_id
left join person on person.id = job.technician_id
left join offer on offer.id = job.offer_id
left join part on part.id = offer.part_id
left join lateral (
    select other.name, other.on_hand - other.held as free from offer more join part other on other.id = more.part_id
    where job.more_offers <> '[]' and more.id in (select one::bigint from jsonb_array_elements_text(job.more_offers) one)
    order by free limit 1) rarest on job.more_offers <> '[]'
where job.stage not in ('handed_back', 'returned')
"""


@reading
def open_jobs_page() -> list[OpenJob]:
    """Every open job (a shop has hundreds at most). Columns come by place: this read is behind every room."""
    # all at once: asking the cursor row by row costs more than the rows
    found = DATABASE.execute_sql(_OPEN + " order by job.promise_at limit 2000").fetchall()
    return [_open_job(*one) for one in found]


@reading
def load_open_job(code: str) -> OpenJob | None:
    found = DATABASE.execute_sql(_OPEN + " and job.code = %s", (code,)).fetchone()
    return _open_job(*found) if found else None


def _skill(factor: Decimal | None, load_minutes: int, person_id: int, name: str) -> Skill:
    return Skill(factor=factor, load_minutes=int(load_minutes), person_id=person_id, name=name)


@reading
def skills_page(family: str) -> list[Skill]:
    """Active technicians and managers with bench skills, their factor for a family and the work they have."""
    return rows(
        _skill,
        "select person.id as person_id, person.name, skill.factor, coalesce(sum(case when job.stage in"
        " ('identified', 'quoted', 'part_in_hand') then job.expected_minutes when job.stage in ('opened', 'proved')"
        " then job.expected_minutes * (job.steps_total - job.steps_done) / greatest(job.steps_total, 1) end), 0)"
        " as load_minutes from person"
        " left join skill on skill.person_id = person.id and skill.family = %s"
        " left join job on job.technician_id = person.id and job.stage not in ('handed_back', 'returned')"
        " where person.active and (person.role = 'technician' or skill.id is not null)"
        " group by person.id, skill.factor order by person.name",
        family,
    )
