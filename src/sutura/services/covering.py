"""Who could do a job and when it would be ready with them; and who takes the jobs of somebody who is away."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sutura.core.catalogue.model import Model
from sutura.core.errors import NotFound, Refusal
from sutura.core.facts import Say, fact
from sutura.core.job import JobRecord
from sutura.core.people import Deed, demand
from sutura.core.planning.dispatch import CannotBePlaced, best_dispatch
from sutura.core.planning.expected import Expected, Told, Waiting, expected, expected_at, ready_at
from sutura.core.planning.inserting import cover, place
from sutura.core.planning.queue import Skill, TechnicianChoice, candidates
from sutura.core.shop import AHEAD, OpenHours
from sutura.core.values import Person
from sutura.services import planning, schools, shop
from sutura.services.job import FRESH
from sutura.services.plans import Gathered, gather, that_fit
from sutura.services.promises import Planned, plan_of_now
from sutura.store import audit as audit_store
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import planning as planning_store
from sutura.store import plans as store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing

_MINUTE = timedelta(minutes=1)
# a shop is closed for no more days on end, for what somebody ill misses; the shop's, no source
DAYS_AHEAD = 14


# -- one job ----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Hand:
    """Somebody who could do a job, and when it would be ready with them; None = nobody knows."""

    choice: TechnicianChoice
    ready: datetime | None
    # the plan has it with them
    planned: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class AssignPage:
    """A job, what lies ready for it, and who may do it, with whom it is ready soonest in front."""

    job: JobRecord
    model: Model
    held: list[stock_store.Held]
    hands: list[Hand]
    # what is to be expected of it as it stands now; None where it is over
    expected: Expected | None


@reading
def assign_page(code: str, now: datetime) -> AssignPage:
    """Who could do a job (rules plan.may, plan.one-reckoning): by the plan of now where there is one, else by
    the work they have.
    """
    job = job_store.load_job(code)
    model = schools.of_job(job)
    skills = planning_store.skills_page(model.procedure_family)
    minutes = (job.chosen.route_minutes, job.chosen.extra_minutes)
    choices = candidates(skills, model.procedure_family, *minutes, store.away_at(now))
    found = planning_store.load_open_job(code)
    told = store.told_between(now - FRESH, now + AHEAD, code).get(code)
    hours = shop.open_hours()
    seen = expected(found.waiting, told, now, hours) if found else None
    hands = _hands(choices, skills, job, found.waiting, seen, now) if found and seen else []
    return AssignPage(
        job=job,
        model=model,
        held=stock_store.held_of(job.id),
        hands=sorted(hands, key=_soonest),
        expected=seen,
    )


def _soonest(hand: Hand) -> tuple[bool, bool, bool, datetime, str]:
    choice, ready = hand.choice, hand.ready
    far = datetime.max.replace(tzinfo=ready.tzinfo if ready else None)
    return (not choice.may, choice.away_until is not None, ready is None, ready or far, choice.name)


def _hands(
    choices: Sequence[TechnicianChoice],
    skills: Sequence[Skill],
    job: JobRecord,
    waiting: Waiting,
    seen: Expected,
    now: datetime,
) -> list[Hand]:
    planned, hours = plan_of_now(now), shop.open_hours()
    factors = {skill.person_id: float(skill.factor) for skill in skills if skill.factor is not None}
    trained = {one.skill.person_id: one for one in planning.trained_with_jobs(skills, waiting.code)}
    # of whoever has the job their own minutes are in the plan already
    own = factors.get(job.bench.technician_id or 0, 1.0)
    hands = []
    for choice in choices:
        if not choice.may:
            hands.append(Hand(choice=choice, ready=None))
        elif seen.told and seen.told.person_id == choice.person_id:
            hands.append(Hand(choice=choice, ready=seen.ready, planned=True))
        elif planned and any(one.key == waiting.code for one in planned.day.jobs):
            ready = _by_plan(planned, waiting, choice.person_id, factors[choice.person_id] / own, hours)
            hands.append(Hand(choice=choice, ready=ready))
        else:
            before = trained[choice.person_id].hands(choice.minutes, (), now, hours).before_minutes
            alone = replace(waiting, bench_minutes=choice.minutes)
            hands.append(Hand(choice=choice, ready=expected_at(alone, hours.after(now, before), hours)))
    return hands


def _by_plan(
    planned: Planned, waiting: Waiting, person_id: int, factor: float, hours: OpenHours
) -> datetime | None:
    """When a job of the plan would be ready with somebody; None beyond the plan's days."""
    key = waiting.code
    work = next(one for one in planned.day.jobs if one.key == key)
    rest = replace(planned.day, jobs=tuple(one for one in planned.day.jobs if one.key != key))
    without = replace(planned.plan, placed=tuple(one for one in planned.plan.placed if one.key != key))
    try:
        _, found = place(rest, without, replace(work, people={str(person_id): factor}))
    except CannotBePlaced:
        return None
    return ready_at(waiting, planned.start + found.finishes[key] * _MINUTE, hours)


# -- somebody is away -------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposed:
    """A job of somebody who is away: who takes it and when it is ready then, or why nobody can."""

    code: str
    model: str
    promise: datetime
    person_id: int
    person: str
    expected: Expected | None
    why_not: Say = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class AwayPage:
    """Somebody who is away, until when, and what becomes of their jobs."""

    person_id: int
    name: str
    absence: store.Away | None
    proposed: tuple[Proposed, ...]

    @property
    def late(self) -> int:
        """How many promises will be missed as it is proposed."""
        return sum(one.expected is None or one.expected.late for one in self.proposed)

    @property
    def takers(self) -> int:
        return sum(bool(one.person_id) for one in self.proposed)


@reading
def away_page(person_id: int, now: datetime) -> AwayPage:
    """Who takes the jobs of somebody who is away (rule plan.cover)."""
    person = people_store.load_person(person_id)
    if person is None:
        raise NotFound("person", person_id)
    absences = [one for one in store.away_after(now) if one.person_id == person_id and one.from_at <= now]
    jobs = [job for job in planning_store.open_jobs_page() if job.technician_id == person_id]
    gathered = gather(now)
    mine = [job.waiting.code for job in jobs if job.waiting.code in gathered.waiting]
    names = {job.waiting.code: job.model for job in jobs}
    return AwayPage(
        person_id=person_id,
        name=person.name,
        absence=absences[0] if absences else None,
        proposed=_proposed(gathered, mine, names, str(person_id), now),
    )


def _proposed(
    gathered: Gathered, mine: Sequence[str], models: Mapping[str, str], person: str, now: datetime
) -> tuple[Proposed, ...]:
    """What is proposed for each job of a person, the one that is due first in front."""
    works = {one.key: one for one in gathered.every}
    others = replace(gathered.day, jobs=tuple(one for one in gathered.day.jobs if one.key not in mine))
    fits, _ = that_fit(replace(others, pins=()))
    free = []
    for code in mine:
        every = gathered.may[code]
        own = every.get(person, 1.0)
        may = {who: factor / own for who, factor in every.items() if who != person}
        free.append(replace(works[code], people=may))
    covered = cover(fits, best_dispatch(fits)[0], free)
    hands = {str(one.person_id): one.name for one in store.all_hands()}
    hours = shop.open_hours()
    begins, done = covered.plan.begins, covered.plan.finishes
    found = []
    for code in sorted(mine, key=lambda code: (works[code].due, code)):
        waiting = gathered.waiting[code]
        seen, who = None, ""
        if code in begins:
            who, at = begins[code]
            told = Told(
                person_id=int(who),
                begins=max(gathered.start + at * _MINUTE, now),
                done=gathered.start + done[code] * _MINUTE,
                kept=0,
            )
            seen = expected(waiting, told, now, hours)
        found.append(
            Proposed(
                code=code,
                model=models[code],
                promise=waiting.promise_at,
                person_id=int(who) if who else 0,
                person=hands.get(who, ""),
                expected=seen,
                why_not="" if who else _why(gathered.may[code], person),
            )
        )
    return tuple(found)


def _why(may: Mapping[str, float], person: str) -> Say:
    return fact("plan.nobody-else-trained" if set(may) <= {person} else "plan.no-room")


@writing
def write_ill(person_id: int, by: Person, now: datetime) -> None:
    """Somebody is ill from now until the shop closes, today or on the next day that it is open; nothing where
    they are away already.
    """
    demand(by, Deed.ASSIGN)
    if people_store.load_person(person_id) is None:
        raise NotFound("person", person_id)
    if person_id in store.away_at(now):
        return
    ahead = shop.open_hours().spans(now, DAYS_AHEAD)
    until = ahead[0][1] if ahead else now + timedelta(days=DAYS_AHEAD)
    store.add_absence(person_id, now, until, "ill", by.id, now)
    facts = {"person": person_id, "from": now.isoformat(), "until": until.isoformat()}
    audit_store.add_audit(by.id, now, "absence written", facts)


def give_as_proposed(person_id: int, by: Person, now: datetime) -> int:
    """Every job of somebody who is away goes to whom it is proposed to; how many did. One that cannot any
    more stays.
    """
    demand(by, Deed.ASSIGN)
    given = 0
    for one in away_page(person_id, now).proposed:
        if not one.person_id:
            continue
        try:
            planning.assign(one.code, one.person_id, by, now, seen=person_id)
        except Refusal:
            # somebody else was quicker, or the job went on meanwhile: one never stops the others
            continue
        given += 1
    return given
