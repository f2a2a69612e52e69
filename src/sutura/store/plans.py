"""The plan of the day as it is kept, and what goes into it: who is away, pins, places, what a job waits
for.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from peewee import JOIN, Select, fn

from sutura.core.bench.owntimes import OwnTimes, factor_of
from sutura.store.database import each, first, first_value, reading, rows, written
from sutura.store.expressions import IS_OPEN
from sutura.store.plan_tables import Absence, CalendarLink, DayPlan, PlanPin
from sutura.store.tables import CatalogueModel, Job, JobEvent, Offer, OwnTime, Person
from sutura.store.tables import Skill as SkillTable


@dataclass(frozen=True, slots=True, kw_only=True)
class ToPlan:
    """What of an open job is planned, besides what ranking needs."""

    code: str
    job_id: int
    model_id: str
    model_version: int
    route: str
    channel: str
    technician_id: int | None
    lead_days: int | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Hands:
    """Somebody who works at the bench, with their factor by family."""

    person_id: int
    name: str
    factors: Mapping[str, Decimal]


@dataclass(frozen=True, slots=True, kw_only=True)
class Away:
    """When somebody is away, and why."""

    id: int
    person_id: int
    name: str
    from_at: datetime
    until_at: datetime
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PinRow:
    """What is held fast of a job."""

    code: str
    person_id: int | None
    start_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptPlan:
    """The last plan, when it was made, from which moment its minutes count, and of what it knew."""

    made_at: datetime
    start_at: datetime
    seen: str
    plan: Mapping[str, Any]


@reading
def to_plan() -> dict[str, ToPlan]:
    """What is planned of every open job, by its code."""
    query = (
        Job.select(
            Job.code,
            Job.id.alias("job_id"),
            Job.model.alias("model_id"),
            CatalogueModel.version.alias("model_version"),
            Job.route,
            Job.channel,
            Job.technician.alias("technician_id"),
            Offer.lead_days,
        )
        .join(CatalogueModel)
        .switch(Job)
        .join(Offer, JOIN.LEFT_OUTER)
        .where(IS_OPEN)
    )
    return {one.code: one for one in each(ToPlan, query)}


@reading
def all_hands() -> list[Hands]:
    """Whoever is trained for something and here, with what their own times say."""
    query = (
        SkillTable.select(
            Person.id,
            Person.name,
            SkillTable.family,
            SkillTable.factor,
            OwnTime.jobs,
            OwnTime.weight,
            OwnTime.logs,
        )
        .join(Person)
        .switch(SkillTable)
        .join(
            OwnTime,
            JOIN.LEFT_OUTER,
            on=(OwnTime.person == SkillTable.person) & (OwnTime.family == SkillTable.family),
        )
        .where(Person.active)
        .order_by(Person.name, Person.id)
    )
    found: dict[int, tuple[str, dict[str, Decimal]]] = {}
    for person_id, name, family, factor, jobs, weight, logs in rows(query):
        own = OwnTimes(jobs=jobs or 0, weight=weight or 0.0, logs=logs or 0.0)
        found.setdefault(person_id, (name, {}))[1][family] = factor_of(factor, own)
    return [Hands(person_id=key, name=name, factors=factors) for key, (name, factors) in found.items()]


@written
def _away(after: datetime) -> Select:
    return (
        Absence.select(
            Absence.id,
            Absence.person.alias("person_id"),
            Person.name,
            Absence.from_at,
            Absence.until_at,
            Absence.why,
        )
        .join(Person, on=Absence.person == Person.id)
        .where(Absence.until_at > after)
        .order_by(Absence.from_at, Absence.id)
    )


@reading
def away_after(after: datetime) -> list[Away]:
    """Who is away now or later, the soonest first."""
    return each(Away, _away(after))


def add_absence(
    person_id: int, from_at: datetime, until_at: datetime, why: str, by_id: int, at: datetime
) -> None:
    Absence.insert(person=person_id, from_at=from_at, until_at=until_at, why=why, by=by_id, at=at).execute()


def end_absence(absence_id: int, at: datetime) -> int:
    """End an absence now; one that has not begun goes. How many there were."""
    gone = Absence.delete().where(Absence.id == absence_id, Absence.from_at >= at).execute()
    return int(gone) or int(
        Absence.update(until_at=at).where(Absence.id == absence_id, Absence.until_at > at).execute()
    )


@reading
def pins() -> list[PinRow]:
    query = (
        PlanPin.select(Job.code, PlanPin.person.alias("person_id"), PlanPin.start_at)
        .join(Job)
        .where(IS_OPEN)
        .order_by(Job.code)
    )
    return each(PinRow, query)


def save_pin(job_id: int, person_id: int | None, start_at: datetime | None, by_id: int, at: datetime) -> None:
    given = {"person": person_id, "start_at": start_at, "by": by_id, "at": at}
    PlanPin.insert(job=job_id, **given).on_conflict(conflict_target=[PlanPin.job], update=given).execute()


def remove_pin(job_id: int) -> None:
    PlanPin.delete().where(PlanPin.job == job_id).execute()


def save_calendar_link(person_id: int, link: str, at: datetime) -> None:
    """The one link of somebody's calendar; a new one ends the one before."""
    given = {"link": link, "at": at}
    CalendarLink.insert(person=person_id, **given).on_conflict(
        conflict_target=[CalendarLink.person], update=given
    ).execute()


@reading
def whose_calendar(link: str) -> tuple[int, str] | None:
    """The person behind a calendar's link, while they are here."""
    query = (
        CalendarLink.select(Person.id, Person.name)
        .join(Person)
        .where(CalendarLink.link == link, Person.active)
    )
    found = rows(query)
    return (found[0][0], found[0][1]) if found else None


@reading
def stamp() -> str:
    """What a plan is made of, as a word that changes with it: what happened to jobs, who is away, pins, the
    shop's own numbers, and who is trained.
    """
    # five values of five tables in one look, which the worker takes every few seconds
    return str(
        first_value(
            "select concat_ws(' ', (select max(id) from job_event), (select concat(count(*), '/', "
            "max(id), '/', max(until_at)) from absence), (select concat(count(*), '/', max(at)) from "
            "plan_pin), (select version from shop), (select concat(count(*), '/', sum(version)) from "
            "person))"
        )
    )


_KEPT = DayPlan.select(DayPlan.made_at, DayPlan.start_at, DayPlan.seen, DayPlan.plan)


@reading
def load_plan() -> KeptPlan | None:
    return first(KeptPlan, _KEPT.where(DayPlan.id == 1))


def save_plan(made_at: datetime, start_at: datetime, seen: str, plan: Mapping[str, Any]) -> None:
    given = {"made_at": made_at, "start_at": start_at, "seen": seen, "plan": dict(plan)}
    DayPlan.insert(id=1, **given).on_conflict(conflict_target=[DayPlan.id], update=given).execute()


@reading
def try_alone() -> bool:
    """Whether this connection is the only one that plans now; held to the end of the transaction."""
    return bool(first_value("select pg_try_advisory_xact_lock(%s)", 7_250_025))


@reading
def unseen(stamped: str) -> tuple[datetime, datetime] | None:
    """When what a plan has not seen began to happen to jobs, and when it happened last; None where nothing
    did.
    """
    seen = stamped.split(" ", 1)[0]
    newer = JobEvent.select(fn.MIN(JobEvent.at), fn.MAX(JobEvent.at)).where(
        JobEvent.id > (int(seen) if seen.isdigit() else 0)
    )
    began, last = rows(newer)[0]
    return (began, last) if began else None
