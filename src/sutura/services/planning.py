"""Next and Plan: what to do now, who does it."""

from __future__ import annotations

from collections.abc import Collection, Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, tzinfo
from decimal import Decimal
from functools import lru_cache

import structlog

from sutura.core.bench.owntimes import ALONE, after, log_ratio, reworked
from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid, MoveRefused, StaleSave
from sutura.core.facts import fact
from sutura.core.intake.promise import Hands, check_new_promise, offer_anew
from sutura.core.job import OPEN_STAGES, EventKind, JobRecord, SeamStitch, Stage, seam
from sutura.core.people import Deed, demand
from sutura.core.planning import queue as rules
from sutura.core.planning.expected import Expected, Told, Waiting, bench_minutes_left, expected
from sutura.core.planning.queue import Next, Skill, TechnicianChoice, expected_minutes, minutes_to_promise
from sutura.core.shop import AHEAD, OpenHours
from sutura.core.typed import Problems, read_moment
from sutura.core.values import Person
from sutura.services import schools, shop
from sutura.services.job import FRESH, note
from sutura.store import job as job_store
from sutura.store import planning as store
from sutura.store import plans as plans_store
from sutura.store.database import reading, writing

LOG = structlog.get_logger("sutura")


@dataclass(frozen=True, slots=True, kw_only=True)
class NextLine:
    """One line of Next: the ranked judgement and what identifies the job to a person."""

    next: Next
    job: store.OpenJob
    seam: tuple[SeamStitch, ...]
    # until when whoever has it is away
    away_until: datetime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RailPromise:
    """A promise as today's rail shows it."""

    code: str
    at: datetime
    late: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Timer:
    """A device that waits by the clock."""

    code: str
    model: str
    technician: str
    until: datetime
    over: bool
    # soon over: somebody gets ready
    soon: bool = False


def _timers(jobs: Collection[store.OpenJob], now: datetime) -> list[Timer]:
    every = {job.waiting.code: job for job in jobs}
    return [
        Timer(
            code=waiting.code,
            model=every[waiting.code].model,
            technician=waiting.technician,
            until=waiting.waits_until,
            over=over,
            soon=not over and waiting.waits_until - now <= rules.SOON,
        )
        for waiting, over in rules.by_the_clock([job.waiting for job in jobs], now)
        if waiting.waits_until
    ]


@dataclass(frozen=True, slots=True, kw_only=True)
class NextPage:
    """The first job of all, one page of the others, and what the head of Next counts."""

    first: NextLine | None
    lines: list[NextLine]
    promises: list[RailPromise]
    total: int
    open_jobs: int
    late: int
    held_up: int
    page: int
    pages: int
    timers: list[Timer]
    # what is ready and waits for its customer
    done: tuple[NextLine, ...] = ()
    # jobs that cannot be shown, by their codes
    unshown: tuple[str, ...] = ()
    # who has jobs, by their ids
    busy: Mapping[int, str] = field(default_factory=dict)


# closed, and not to be handed back yet: to be looked at, or curing until then
NOT_READY = frozenset({rules.Action.LOOK, rules.Action.CURE})


@dataclass(frozen=True, slots=True, kw_only=True)
class Lines:
    """Jobs as a list shows them, and the codes of those that it cannot show."""

    lines: list[NextLine]
    unshown: tuple[str, ...] = ()
    timers: tuple[Timer, ...] = ()

    @property
    def to_look(self) -> list[NextLine]:
        """Closed, and not ready before somebody looked at them (rule handover.ready)."""
        return [line for line in self.lines if line.next.action in NOT_READY]

    @property
    def ready(self) -> list[NextLine]:
        """The others: at the Counter, what can go home."""
        return [line for line in self.lines if line.next.action not in NOT_READY]


# Two screens full; the rest is one click away, so that 500 open jobs do not make one long page.
PER_PAGE = 25


@reading
def next_page(
    now: datetime, *, today: tuple[datetime, datetime], only_for: int | None, page: int
) -> NextPage:
    """Open jobs in the order of Next (rule plan.next); `only_for` keeps what one technician has or is to
    begin by the plan.

    Words are made for the lines shown, and promises kept for the rail of `today` (from, until), not for all.
    """
    hours = shop.open_hours()
    every = {job.waiting.code: job for job in store.open_jobs_page()}
    told, away = plans_store.plan_and_away(now - FRESH, now)
    done: list[store.OpenJob] = []
    to_do: list[store.OpenJob] = []
    for job in every.values():
        (done if rules.waits_for_customer(job.waiting) else to_do).append(job)
    all_ranked, unshown = _ranked(to_do, now, hours, told)
    ranked = all_ranked
    if only_for is not None:
        ranked = [
            entry for entry in all_ranked if _whose(every[entry[1].code], told.get(entry[1].code)) == only_for
        ]
    # hundreds of promises are compared with them: in their zone
    zone = ranked[0][1].promise_at.tzinfo if ranked else UTC
    opens, closes = (moment.astimezone(zone) for moment in today)
    pages = -(-len(ranked) // PER_PAGE) or 1
    page = min(max(page, 1), pages)
    shown = [
        _line(every[job.code], now, hours, told.get(job.code), away)
        for _, job in ranked[(page - 1) * PER_PAGE : page * PER_PAGE]
    ]
    first = shown.pop(0) if shown and page == 1 else None
    return NextPage(
        first=first,
        lines=shown,
        total=len(ranked),
        open_jobs=len(all_ranked),
        page=page,
        pages=pages,
        promises=[
            RailPromise(code=job.code, at=job.promise_at, late=slack < 0)
            for slack, job in ranked
            if opens <= job.promise_at < closes
        ],
        timers=_timers(every.values(), now),
        late=sum(slack < 0 for slack, _ in ranked),
        held_up=sum(job.blocked != "" for _, job in ranked),
        unshown=unshown,
        busy={
            job.technician_id: job.waiting.technician
            for job in sorted(every.values(), key=lambda job: job.waiting.technician)
            if job.technician_id and job.technician_id not in away
        },
        done=tuple(
            _line(job, now, hours)
            for job in sorted(done, key=lambda job: (job.waiting.promise_at, job.waiting.code))
            if _is_sound(job, now, hours)
        )
        if page == 1
        else (),
    )


def _whose(job: store.OpenJob, told: Told | None) -> int | None:
    """Who has a job, or is to begin it by the plan where nobody has it."""
    return job.technician_id if job.technician_id is not None or told is None else told.person_id


@reading
def open_lines(now: datetime, stages: Container[Stage] = OPEN_STAGES) -> Lines:
    """Open jobs in some stages, in the order of Next."""
    hours = shop.open_hours()
    every = store.open_jobs_page()
    jobs = {job.waiting.code: job for job in every if job.waiting.stage in stages}
    told, away = plans_store.plan_and_away(now - FRESH, now)
    ranked, unshown = _ranked(jobs.values(), now, hours, told)
    return Lines(
        lines=[_line(jobs[job.code], now, hours, told.get(job.code), away) for _, job in ranked],
        unshown=unshown,
        timers=tuple(_timers(every, now)),
    )


def _ranked(
    jobs: Collection[store.OpenJob], now: datetime, hours: OpenHours, told: Mapping[str, Told]
) -> tuple[list[tuple[int, Waiting]], tuple[str, ...]]:
    """The jobs that can be shown in their order, and the codes of those that cannot: one bad row never stops
    a list. Each is logged; where all are right, which is always, nothing is done twice.
    """
    try:
        for job in jobs:
            _check_shown(job)
        return rules.by_plan([job.waiting for job in jobs], told, now, hours), ()
    except Exception:  # noqa: BLE001 - whatever is wrong with a row, the others are shown
        sound = [job for job in jobs if _is_sound(job, now, hours)]
        unshown = tuple(job.waiting.code for job in jobs if job not in sound)
        return rules.by_plan([job.waiting for job in sound], told, now, hours), unshown


def _check_shown(job: store.OpenJob) -> None:
    """What a page says of any job: its moment in the shop's zone, and where it stands."""
    waiting = job.waiting
    _can_be_said(waiting.promise_at, waiting.stage, waiting.blocked)


@lru_cache(maxsize=4_096)
def _can_be_said(promise_at: datetime, stage: Stage, blocked: str) -> None:
    promise_at.astimezone(UTC)
    seam(stage, blocked)


def _is_sound(job: store.OpenJob, now: datetime, hours: OpenHours) -> bool:
    try:
        _check_shown(job)
        _line(job, now, hours)
    except Exception:
        LOG.exception("row not shown", job=job.waiting.code)
        return False
    return True


def _line(
    job: store.OpenJob,
    now: datetime,
    hours: OpenHours,
    told: Told | None = None,
    away: Mapping[int, datetime] | None = None,
) -> NextLine:
    waiting = job.waiting
    return NextLine(
        next=rules.next_of(waiting, now, hours, told),
        job=job,
        seam=seam(waiting.stage, waiting.blocked),
        away_until=(away or {}).get(job.technician_id or 0),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Burden:
    """One technician's open jobs and the bench minutes in them."""

    name: str
    minutes: int
    lines: tuple[NextLine, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanPage:
    unassigned: tuple[NextLine, ...]
    people: tuple[Burden, ...]
    unshown: tuple[str, ...]


@reading
def plan_page(now: datetime) -> PlanPage:
    """Open jobs without a technician, and what each technician has, both in the order of Next."""
    by_name: dict[str, list[NextLine]] = {}
    found = open_lines(now)
    for line in found.lines:
        by_name.setdefault(line.job.waiting.technician, []).append(line)
    waiting = [line for line in by_name.pop("", []) if line.job.waiting.stage in rules.ASSIGNABLE]
    return PlanPage(
        unshown=found.unshown,
        unassigned=tuple(waiting),
        people=tuple(
            Burden(
                name=name, lines=tuple(lines), minutes=sum(bench_minutes_left(x.job.waiting) for x in lines)
            )
            for name, lines in sorted(by_name.items())
        ),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Trained:
    """Somebody trained for a family, with the jobs they have."""

    skill: Skill
    queue: Sequence[Waiting]

    def hands(self, sheet_minutes: int, move_over: Sequence[str], now: datetime, hours: OpenHours) -> Hands:
        """Their minutes for some work with moving over, and the work that must come before it."""
        minutes = minutes_to_promise(sheet_minutes, move_over, self.skill.factor)
        before = rules.minutes_before(self.queue, minutes, now, hours)
        return Hands(name=self.skill.name, minutes=minutes, before_minutes=before)


@reading
def trained_with_jobs(skills: Sequence[Skill], but: str = "") -> list[Trained]:
    """Those of some people who are trained, with the jobs they have; `but` = not this one."""
    trained = [skill for skill in skills if skill.factor is not None]
    queues: dict[int | None, list[Waiting]] = {}
    for job in store.open_jobs_page() if trained else ():
        if job.waiting.code != but:
            queues.setdefault(job.technician_id, []).append(job.waiting)
    return [Trained(skill=skill, queue=queues.get(skill.person_id, ())) for skill in trained]


@reading
def hands_for(model: Model, now: datetime, hours: OpenHours) -> list[Hands]:
    """Whoever is trained for a model: their minutes for it with moving over, and the work that must come
    before it.
    """
    trained = trained_with_jobs(store.skills_page(model.procedure_family))
    return [one.hands(model.minutes, model.move_over, now, hours) for one in trained]


def factor_of(technician_id: int | None, model: Model) -> Decimal | None:
    if technician_id is None:
        return None
    return next(
        (s.factor for s in store.skills_page(model.procedure_family) if s.person_id == technician_id), None
    )


def keep_own_time(job: JobRecord, minutes: int, sheet: int) -> None:
    """A finished job says how long its technician takes; one that was reworked is counted apart."""
    person_id = job.bench.technician_id
    assert person_id, "nobody closes what nobody has"
    family = schools.of_job(job).procedure_family
    own = store.lock_own_times(person_id, family)
    if job.bench.attempt > 1:
        own = reworked(own, minutes, job.bench.expected_minutes)
    else:
        skill = next((s for s in store.skills_page(family) if s.person_id == person_id), None)
        written, pool = (skill.written, skill.pool) if skill else (None, ALONE)
        own = after(own, log_ratio(minutes, sheet), written or Decimal(1), pool)
    store.save_own_times(person_id, family, own)


@reading
def trained_for(model: Model) -> list[TechnicianChoice]:
    """Who is trained for a model's procedure family, here or not."""
    skills = store.skills_page(model.procedure_family)
    return [
        choice for choice in rules.candidates(skills, model.procedure_family, model.minutes, 0) if choice.may
    ]


@reading
def here_of(choices: Sequence[TechnicianChoice], now: datetime) -> list[TechnicianChoice]:
    """Those of some people who are here: nobody who is away is asked to stand beside or to look."""
    away = plans_store.away_at(now)
    return [choice for choice in choices if choice.person_id not in away]


@writing
def assign(code: str, person_id: int, by: Person, now: datetime, *, seen: int | None = None) -> None:
    """Give a job to a technician who may do it. `seen` is who had it when the page was made, 0 for nobody:
    one who got it meanwhile does not lose it to a page of before.
    """
    demand(by, Deed.ASSIGN)
    job = job_store.lock_job(code)
    if job.stage not in OPEN_STAGES:
        raise MoveRefused(code, fact("job.be-assigned"), [fact("job.it-is", stage=job.stage)])
    model = schools.of_job(job)
    skill = next((s for s in store.skills_page(model.procedure_family) if s.person_id == person_id), None)
    if skill is None:
        raise Invalid("technician", person_id, fact("planning.choose-one-technicians-shown"))
    rules.check_assign(skill, model.procedure_family)
    if seen is not None and (job.bench.technician_id or 0) != seen:
        theirs = {"technician": job.bench.technician or "–"}
        raise StaleSave("This job", "", None, {"technician": skill.name}, theirs)
    minutes = expected_minutes(job.chosen.route_minutes, skill.factor, job.chosen.extra_minutes)
    facts = {"technician": skill.name, "minutes": minutes}
    work = replace(job.bench, technician_id=person_id, expected_minutes=minutes)
    note(job, EventKind.ASSIGNED, facts, work, by=by, now=now)


@reading
def expected_of(code: str, now: datetime) -> Expected | None:
    """What is to be expected of a job (rule plan.one-reckoning); None where it is over."""
    found = store.load_open_job(code)
    if found is None:
        return None
    told = plans_store.told_between(now - FRESH, now + AHEAD, code).get(code)
    return expected(found.waiting, told, now, shop.open_hours())


@reading
def offered_promise(code: str, now: datetime) -> datetime | None:
    """What is offered instead of a job's promise: when it is likely ready; None where nobody knows."""
    seen = expected_of(code, now)
    if seen is None:
        return None
    return offer_anew(job_store.load_job(code).promise_at, seen.ready, now, shop.open_hours())


@writing
def change_promise(code: str, typed: str, reason: str, zone: tzinfo, by: Person, now: datetime) -> None:
    """Promise another time; the old one stays in the history (rule intake.promise-changed)."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    if job.stage not in OPEN_STAGES:
        raise MoveRefused(code, fact("job.be-promised"), [fact("job.it-is", stage=job.stage)])
    problems = Problems("The promise")
    promised = problems.read("promise_at", typed, lambda text: read_moment(text, zone))
    problems.extend(check_new_promise(job.promise_at, promised, reason, now, shop.open_hours()))
    problems.refuse()
    if promised is None:
        raise RuntimeError("what cannot be read is refused above")
    promise_anew(job, promised, reason, by, now)


@writing
def promise_anew(job: JobRecord, promised: datetime, reason: str, by: Person, now: datetime) -> None:
    """Keep another promise with its reason. Inside a deed, of what was checked."""
    job_store.save_promise(job.id, promised, reason.strip()[:300])
    facts = {"before": job.promise_at.isoformat(), "after": promised.isoformat(), "reason": reason.strip()}
    note(job, EventKind.PROMISED, facts, by=by, now=now)
