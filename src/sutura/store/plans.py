"""The plan of the day as it is kept, and what goes into it: who is away, pins, places, what a job waits
for.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from peewee import JOIN, Select, fn

from sutura.core.bench.owntimes import OwnTimes, factors_of, pool_of
from sutura.core.planning.expected import Told
from sutura.core.planning.shifts import Shift as Week
from sutura.core.shop import AHEAD
from sutura.store.database import each, first, first_value, raw, reading, rows, written
from sutura.store.expressions import IS_OPEN
from sutura.store.job import SHEET_VERSION
from sutura.store.plan_tables import Absence, CalendarLink, DayPlan, PlanPin, PlanTurn, Shift
from sutura.store.planning import OWN_TIMES, own_times_of
from sutura.store.tables import CatalogueModel, Job, JobEvent, Offer, OwnTime, Person, Supplier
from sutura.store.tables import Skill as SkillTable


@dataclass(frozen=True, slots=True, kw_only=True)
class ToPlan:
    """What of an open job is planned, besides what ranking needs."""

    code: str
    job_id: int
    model_id: str
    model_version: int
    sheet_version: int | None
    route: str
    channel: str
    technician_id: int | None
    lead_days: int | None
    part_id: int | None
    supplier_id: str | None


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
            SHEET_VERSION.alias("sheet_version"),
            Job.route,
            Job.channel,
            Job.technician.alias("technician_id"),
            Offer.lead_days,
            Offer.part.alias("part_id"),
            Offer.supplier.alias("supplier_id"),
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
        SkillTable.select(Person.id, Person.name, SkillTable.family, SkillTable.factor, *OWN_TIMES)
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
    told = [(*columns[:4], own_times_of(columns[4:])) for columns in rows(query)]
    found: dict[int, tuple[str, dict[str, Decimal]]] = {}
    by_family: dict[str, list[tuple[int, Decimal, OwnTimes]]] = {}
    for person_id, name, family, factor_written, own in told:
        found.setdefault(person_id, (name, {}))
        by_family.setdefault(family, []).append((person_id, factor_written, own))
    for family, people in by_family.items():
        times = [(factor_written, own) for _, factor_written, own in people]
        counts = factors_of(times, pool_of(times))
        for (person_id, _, _), factor in zip(people, counts, strict=True):
            if factor is not None:
                found[person_id][1][family] = factor
    return [Hands(person_id=key, name=name, factors=factors) for key, (name, factors) in found.items()]


@dataclass(frozen=True, slots=True, kw_only=True)
class Quickest:
    """The supplier who brings a part soonest."""

    part_id: int
    supplier: str
    lead_days: int


@reading
def quickest_offers(part_ids: Sequence[int]) -> dict[int, Quickest]:
    """Who brings each of some parts soonest."""
    query = (
        Offer.select(Offer.part.alias("part_id"), Supplier.name.alias("supplier"), Offer.lead_days)
        .join(Supplier)
        .where(Offer.part.in_(list(part_ids)))
        .order_by(Offer.part, Offer.lead_days, Offer.price_minor, Offer.id)
        .distinct(Offer.part)
    )
    return {one.part_id: one for one in each(Quickest, query)}


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


@reading
def plan_and_away(made_after: datetime, at: datetime) -> tuple[dict[str, Told], dict[int, datetime]]:
    """What the last plan says by code, and who is away at a moment until when: of lists, in one look."""
    # two reads of one page: columns that one does not have are empty
    both = (
        f"({_TOLD.format(only='')}) union all "
        "select '', person_id, null, max(until_at), null from absence "
        "where from_at <= %s and until_at > %s group by person_id"
    )
    told: dict[str, Told] = {}
    away: dict[int, datetime] = {}
    for code, person, begins, done, kept in raw(both, made_after, at + AHEAD, at, at).fetchall():
        if code:
            told[code] = Told(person_id=person, begins=begins, done=done, kept=kept)
        else:
            away[person] = done
    return told, away


@reading
def away_at(at: datetime) -> dict[int, datetime]:
    """Who is away at a moment, and until when."""
    query = (
        Absence.select(Absence.person, fn.MAX(Absence.until_at))
        .where(Absence.from_at <= at, Absence.until_at > at)
        .group_by(Absence.person)
    )
    return dict(rows(query))


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


_SHIFT = (Shift.weekday, Shift.begins, Shift.ends, Shift.break_from, Shift.break_until)


@reading
def shifts() -> dict[int, tuple[Week, ...]]:
    """The week of everybody who has one of their own, by person."""
    found: dict[int, tuple[Week, ...]] = {}
    for person_id, *day in rows(Shift.select(Shift.person, *_SHIFT).order_by(Shift.person, Shift.weekday)):
        found[person_id] = (*found.get(person_id, ()), _day_of(day))
    return found


def _day_of(columns: Sequence[Any]) -> Week:
    return Week(**dict(zip((column.name for column in _SHIFT), columns, strict=True)))


def lock_shifts(person_id: int) -> tuple[Week, ...]:
    """Somebody's week, locked for who writes it next."""
    Person.select(Person.id).where(Person.id == person_id).for_update().execute()
    query = Shift.select(*_SHIFT).where(Shift.person == person_id).order_by(Shift.weekday)
    return tuple(_day_of(day) for day in rows(query))


def save_shifts(person_id: int, week: Sequence[Week]) -> None:
    Shift.delete().where(Shift.person == person_id).execute()
    for day in week:
        Shift.insert(
            person=person_id,
            weekday=day.weekday,
            begins=day.begins,
            ends=day.ends,
            break_from=day.break_from,
            break_until=day.break_until,
        ).execute()


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
    return str(first_value(f"select {_STAMP}"))


@reading
def stamp_with_plan() -> str:
    """The same with the moment at which the last plan was made."""
    return str(first_value(f"select concat({_STAMP}, (select made_at from day_plan where id = 1))"))


# values of several tables in one look, which the worker and pages that follow take every few seconds
_STAMP = (
    "concat_ws(' ', (select max(id) from job_event), (select concat(count(*), '/', max(id), '/', "
    "max(until_at)) from absence), (select concat(count(*), '/', max(at)) from plan_pin), (select version "
    "from shop), (select concat(count(*), '/', sum(version)) from person), "
    "(select md5(string_agg(shift::text, '' order by person_id, weekday)) from shift))"
)
_KEPT = DayPlan.select(DayPlan.made_at, DayPlan.start_at, DayPlan.seen, DayPlan.plan)


@reading
def load_plan() -> KeptPlan | None:
    return first(KeptPlan, _KEPT.where(DayPlan.id == 1))


_TOLD = """
with placed as (
  select one ->> 0 as code, (one ->> 1)::integer as number, (one ->> 2)::bigint as person_id,
         (one ->> 3)::integer as begins, (one ->> 4)::integer as ends, start_at, plan
  from day_plan, jsonb_array_elements(plan -> 'placed') as one
  where id = 1 and made_at > %s and made_at <= %s{only}
)
select code, min(person_id) filter (where number = 0), min(start_at + make_interval(mins => begins)),
       max(start_at + make_interval(mins => ends)), min((plan -> 'chances' -> code ->> 0)::integer)
from placed group by code
"""


@reading
def told_between(made_after: datetime, made_until: datetime, code: str = "") -> dict[str, Told]:
    """What the last plan says, by code, of all jobs or one; nothing where it was made before or after."""
    only, more = (" and one ->> 0 = %s", (code,)) if code else ("", ())
    given = (made_after, made_until, *more)
    return {
        key: Told(person_id=person, begins=begins, done=done, kept=kept)
        for key, person, begins, done, kept in raw(_TOLD.format(only=only), *given).fetchall()
    }


def save_plan(made_at: datetime, start_at: datetime, seen: str, plan: Mapping[str, Any]) -> None:
    given = {"made_at": made_at, "start_at": start_at, "seen": seen, "plan": dict(plan)}
    DayPlan.insert(id=1, **given).on_conflict(conflict_target=[DayPlan.id], update=given).execute()


def take_turn(now: datetime, until: datetime) -> bool:
    """Whether it is this worker's turn to plan, until a moment: nobody else's runs. One that is longer than
    any is none.
    """
    taken = (
        PlanTurn.insert(id=1, until=until)
        .on_conflict(
            conflict_target=[PlanTurn.id],
            update={PlanTurn.until: until},
            where=(PlanTurn.until <= now) | (PlanTurn.until > until + (until - now)),
        )
        .returning(PlanTurn.id)
    )
    return bool(rows(taken))


def give_up_turn(until: datetime, now: datetime) -> None:
    """End the turn that was taken until a moment, where it is still the one that runs."""
    PlanTurn.update(until=now).where(PlanTurn.until == until).execute()


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
