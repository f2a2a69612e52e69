"""What Next and Plan read: open jobs, technicians and their load."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import lru_cache
from typing import Any, NamedTuple

from peewee import JOIN, SQL, Case, Select, fn

from sutura.core.bench.owntimes import OwnTimes, factors_of, pool_of
from sutura.core.job import EventKind, Stage
from sutura.core.planning.expected import Waiting
from sutura.core.planning.queue import Skill
from sutura.core.proof.sealing import Look
from sutura.core.values import Role
from sutura.store.database import reading, row, rows, written
from sutura.store.expressions import FREE, IS_OPEN, MODEL_NAME, or_empty
from sutura.store.proof_tables import SealedLook
from sutura.store.tables import CatalogueModel, Customer, Job, JobEvent, Offer, OwnTime, Part, Person
from sutura.store.tables import Skill as SkillTable


class OpenJob(NamedTuple):
    """An open job: what ranking needs, and what its line shows. A plain tuple: hundreds are made for
    each page.
    """

    waiting: Waiting
    customer: str
    model: str
    family: str
    technician_id: int | None


_STAGES = {stage.value: stage for stage in Stage}


# of hundreds of open jobs few change between two pages: a row that was read before is the same job
@lru_cache(maxsize=4_096)
def _open_job(
    code: str,
    stage: str,
    promise_at: datetime,
    bench_minutes: int,
    cure_minutes: int,
    steps_done: int,
    steps_total: int,
    technician: str,
    customer: str,
    model: str,
    family: str,
    technician_id: int | None,
    part: str | None,
    free: int | None,
    waits_until: datetime | None,
    ready: bool,  # by its place among the columns
    cured_at: datetime | None,
    rush: bool,  # as above
) -> OpenJob:
    waits = stage == "quoted" and free is not None and free < 1
    return OpenJob(
        waiting=Waiting(
            code=code,
            stage=_STAGES[stage],
            promise_at=promise_at,
            bench_minutes=bench_minutes,
            cure_minutes=cure_minutes,
            steps_done=steps_done,
            steps_total=steps_total,
            technician=technician,
            blocked=f"no free {part}" if waits else "",
            waits_until=waits_until,
            ready=ready,
            cured_at=cured_at,
            rush=rush,
        ),
        customer=customer,
        model=model,
        family=family,
        technician_id=technician_id,
    )


# of a kit or a bridge, the part of which fewest are free
_More, _Other = Offer.alias(), Part.alias()
_OTHERS_FREE = _Other.on_hand - _Other.held
_OF_THE_KIT = Select(columns=[fn.JSONB_ARRAY_ELEMENTS_TEXT(Job.more_offers).cast("bigint")])
_RAREST = (
    _More.select(_Other.name, _OTHERS_FREE.alias("free"))
    .join(_Other, on=_More.part == _Other.id)
    .where(_More.id.in_(_OF_THE_KIT))
    .order_by(SQL("free"))
    .limit(1)
    .alias("rarest")
)
_CURE = fn.COALESCE(Job.cure_minutes, CatalogueModel.cure_minutes)
# looked at after sealing, and after the cure where there is one that can change something (rule proof.looks);
# of the last round (index sealed_look_job_id)
_FELT = CatalogueModel.data["functions"].contains([{"id": "touch"}])
_LOOKED = SealedLook.select(
    fn.BOOL_OR(SealedLook.look == Look.AFTER_SEALING.value)
    & (fn.BOOL_OR(SealedLook.look == Look.AFTER_CURE.value) | (_CURE == 0) | ~_FELT)
).where(SealedLook.job == Job.id, SealedLook.attempt == Job.attempt, SealedLook.passed)
# when what was closed last has cured
_CURED = JobEvent.select(fn.MAX(JobEvent.at) + _CURE * SQL("interval '1 minute'")).where(
    JobEvent.job == Job.id, JobEvent.kind == EventKind.CLOSED.value
)
_READY = (Job.stage != Stage.CLOSED.value) | fn.COALESCE(_LOOKED, SQL("false"))
# columns by place: this read is behind every room
_OPEN = (
    Job.select(
        Job.code,
        Job.stage,
        Job.promise_at,
        Job.expected_minutes,
        _CURE,
        Job.steps_done,
        Job.steps_total,
        or_empty(Person.name),
        Customer.name,
        MODEL_NAME,
        CatalogueModel.procedure_family,
        Job.technician,
        Case(None, [(_RAREST.c.free < FREE, _RAREST.c.name)], Part.name),
        fn.LEAST(FREE, _RAREST.c.free),
        Job.waits_until,
        _READY,
        Case(None, [((Job.stage == Stage.CLOSED.value) & (_CURE > 0), _CURED)]),
        Job.rush,
    )
    .join(Customer)
    .switch(Job)
    .join(CatalogueModel)
    .switch(Job)
    .join(Person, JOIN.LEFT_OUTER, on=Job.technician == Person.id)
    .switch(Job)
    .join(Offer, JOIN.LEFT_OUTER)
    .join(Part, JOIN.LEFT_OUTER)
    .switch(Job)
    .join(_RAREST, JOIN.LEFT_LATERAL, on=SQL("t1.more_offers <> '[]'"))
    .where(IS_OPEN)
)


@written
def _all_open() -> Select:
    return _OPEN.order_by(Job.promise_at).limit(2000)


@written
def _open_of(code: str) -> Select:
    return _OPEN.where(Job.code == code)


@reading
def open_jobs_page() -> list[OpenJob]:
    """Every open job (a shop has hundreds at most)."""
    return [_open_job(*columns) for columns in rows(_all_open())]


@reading
def load_open_job(code: str) -> OpenJob | None:
    columns = row(_open_of(code))
    return _open_job(*columns) if columns else None


OWN_TIMES = (
    OwnTime.jobs,
    OwnTime.weight,
    OwnTime.logs,
    OwnTime.numbers,
    OwnTime.squares,
    OwnTime.products,
    OwnTime.reworked,
    OwnTime.rework_minutes,
)
_NAMES = tuple(column.name for column in OWN_TIMES)


def own_times_of(columns: Sequence[Any]) -> OwnTimes:
    """A row of own times; none where somebody has none."""
    return OwnTimes(**dict(zip(_NAMES, columns, strict=True))) if columns[0] is not None else OwnTimes()


# work that is still ahead of a technician: all of it before the bench, the steps that are left after
_BEFORE = Job.stage.in_([Stage.IDENTIFIED.value, Stage.QUOTED.value, Stage.PART_IN_HAND.value])
_AT_THE_BENCH = Job.stage.in_([Stage.OPENED.value, Stage.PROVED.value])
_LEFT = Job.expected_minutes * (Job.steps_total - Job.steps_done) / fn.GREATEST(Job.steps_total, 1)
_LOAD = fn.COALESCE(fn.SUM(Case(None, [(_BEFORE, Job.expected_minutes), (_AT_THE_BENCH, _LEFT)])), 0)


@written
def _skills(family: str) -> Select:
    people = (
        Person.select(
            Person.id.alias("person_id"),
            Person.name,
            SkillTable.factor,
            _LOAD.alias("load_minutes"),
            *OWN_TIMES,
        )
        .join(
            SkillTable, JOIN.LEFT_OUTER, on=(SkillTable.person == Person.id) & (SkillTable.family == family)
        )
        .switch(Person)
        .join(OwnTime, JOIN.LEFT_OUTER, on=(OwnTime.person == Person.id) & (OwnTime.family == family))
        .switch(Person)
        .join(Job, JOIN.LEFT_OUTER, on=(Job.technician == Person.id) & IS_OPEN)
    )
    at_the_bench = Person.active & ((Person.role == Role.TECHNICIAN.value) | SkillTable.id.is_null(False))
    grouped = people.where(at_the_bench).group_by(Person.id, SkillTable.factor, *OWN_TIMES)
    return grouped.order_by(Person.name)


def lock_own_times(person_id: int, family: str) -> OwnTimes:
    """Somebody's own times of a family, for one who writes them next."""
    keys = {"person": person_id, "family": family}
    OwnTime.insert(**keys, jobs=0, weight=0, logs=0).on_conflict_ignore().execute()
    mine = (OwnTime.person == person_id) & (OwnTime.family == family)
    return own_times_of(rows(OwnTime.select(*OWN_TIMES).where(mine).for_update())[0])


def save_own_times(person_id: int, family: str, own: OwnTimes) -> None:
    given = {column: getattr(own, column.name) for column in OWN_TIMES}
    OwnTime.update(given).where(OwnTime.person == person_id, OwnTime.family == family).execute()


@reading
def skills_page(family: str) -> list[Skill]:
    """Active technicians and managers with bench skills, their factor for a family and the work they have."""
    found = rows(_skills(family))
    people = [(written, own_times_of(own)) for _, _, written, _, *own in found]
    pool = pool_of([(written, own) for written, own in people if written is not None])
    counts = factors_of(people, pool)
    return [
        Skill(
            person_id=person_id,
            name=name,
            written=written,
            factor=factor,
            load_minutes=int(load),
            own=own,
            pool=pool,
        )
        for (person_id, name, _, load, *_), (written, own), factor in zip(found, people, counts, strict=True)
    ]
