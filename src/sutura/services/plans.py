"""The plan of the next days: gathered from the open jobs, solved, played through, and kept for whoever
looks.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, tzinfo
from functools import partial
from typing import Any

from sutura.core.bench.compiling import Aim, Goal, compile_sheet
from sutura.core.bench.stations import STATIONS
from sutura.core.catalogue.model import Step
from sutura.core.errors import Invalid, NotFound, Refusal, StaleSave
from sutura.core.facts import Say, fact
from sutura.core.intake.arrival import Channel
from sutura.core.job import BEFORE_OPENING, NO_PART, Stage
from sutura.core.people import Deed, demand
from sutura.core.planning.chance import Chance, play
from sutura.core.planning.day import Day, DayPlan, Pin, Placed, Window, Work, without, worth_of
from sutura.core.planning.dispatch import CannotBePlaced, best_dispatch
from sutura.core.planning.operations import chain_of
from sutura.core.planning.queue import bench_minutes_left
from sutura.core.planning.solving import PinsClash, Proof, Solved, solve
from sutura.core.typed import Problems, read_moment, read_text, read_whole
from sutura.core.values import Person
from sutura.services import catalogue, planning, shop
from sutura.store import audit as audit_store
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import planning as planning_store
from sutura.store import plans as store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing
from sutura.store.planning import OpenJob

# days that are planned at once, seconds for it, and the most jobs; the shop's, no source
DAYS, SECONDS, MOST_JOBS = 4, 6.0, 120
# a customer who waits counts as much as so many who do not; the shop's, no source
WAITING_WEIGHT = 5
# places of a station where the shop says nothing
USUAL_PLACES = 1
MOST_PLACES = 20
# a plan is made when nothing happened for so long, and at the latest after so long; the shop's, no source
QUIET, LATEST = timedelta(seconds=2), timedelta(seconds=12)
_MINUTE = timedelta(minutes=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Gathered:
    """A day as it is planned, with what could not be: by code, why."""

    day: Day
    start: datetime
    seen: str
    left_out: Mapping[str, Say]


def places_of(kept: Mapping[str, int]) -> dict[str, int]:
    """How many devices each station takes, by what the shop says."""
    return {station: int(kept.get(station, USUAL_PLACES)) for station in dict.fromkeys(STATIONS.values())}


@reading
def gather(now: datetime) -> Gathered:
    """What is planned now: open jobs with bench work ahead, who is here, and how many of each station."""
    record = shop.shop()
    start = now.replace(second=0, microsecond=0)
    hours = [_window(span, start) for span in record.open_hours.spans(start, DAYS)]
    hands = store.all_hands()
    away: dict[int, list[Window]] = {}
    for absence in store.away_after(now):
        away.setdefault(absence.person_id, []).append(_window((absence.from_at, absence.until_at), start))
    people = {str(one.person_id): without(hours, away.get(one.person_id, ())) for one in hands}
    more = store.to_plan()
    ahead = [job for job in planning_store.open_jobs_page() if bench_minutes_left(job.waiting)][:MOST_JOBS]
    works = [_work(job, more[job.waiting.code], hands, start) for job in ahead]
    before = store.load_plan()
    pins = [
        Pin(
            key=pin.code,
            person=str(pin.person_id) if pin.person_id else "",
            start=None if pin.start_at is None else (pin.start_at - start) // _MINUTE,
        )
        for pin in store.pins()
        if pin.start_at is None or pin.start_at >= start
    ]
    day = Day(
        people=people,
        stations=places_of(record.stations),
        jobs=tuple(works),
        pins=tuple(pin for pin in pins if any(work.key == pin.key for work in works)),
        told=_told(before, start) if before else {},
    )
    fits, left_out = that_fit(day)
    return Gathered(day=fits, start=start, seen=store.stamp(), left_out=left_out)


def _window(span: tuple[datetime, datetime], start: datetime) -> Window:
    """A span of time in minutes from the start."""
    return Window((span[0] - start) // _MINUTE, (span[1] - start) // _MINUTE)


def _work(job: OpenJob, more: store.ToPlan, hands: Sequence[store.Hands], start: datetime) -> Work:
    """An open job as a chain, for whoever has it or may do it."""
    waiting = job.waiting
    model = catalogue.model(more.model_id, more.model_version)
    route = more.route if more.route and more.route not in NO_PART else model.ways[0].kind
    steps: tuple[Step, ...] = ()
    if model.pieces and any(way.kind == route for way in model.ways):
        whole = compile_sheet(model, Goal(aim=Aim.REPAIR, route=route)).steps
        done = 0 if waiting.stage in BEFORE_OPENING else min(waiting.steps_done, len(whole))
        steps = whole[done:]
    chain = chain_of(model, steps, bench_minutes_left(waiting), waiting.cure_minutes)
    if more.technician_id is not None:
        # their own minutes are in what is expected already
        people = {str(more.technician_id): 1.0}
    else:
        people = {
            str(one.person_id): float(one.factors[job.family]) for one in hands if job.family in one.factors
        }
    waits_days = (more.lead_days or 1) if waiting.blocked else 0
    busy = (waiting.waits_until - start) // _MINUTE if waiting.waits_until else 0
    return Work(
        key=waiting.code,
        operations=chain.operations,
        people=people,
        due=(waiting.promise_at - start) // _MINUTE,
        weight=WAITING_WEIGHT if more.channel == Channel.WAITING else 1,
        release=max(waits_days * 24 * 60, busy, 0),
        holds=chain.holds,
    )


def _told(before: store.KeptPlan, start: datetime) -> dict[str, tuple[str, int]]:
    """Who was told to begin what and when, in minutes from now, but for what should have begun already."""
    shift = (before.start_at - start) // _MINUTE
    return {
        key: (person, begins + shift)
        for key, number, person, begins, _ in before.plan.get("placed", ())
        if number == 0 and begins + shift >= 0
    }


def that_fit(day: Day) -> tuple[Day, dict[str, Say]]:
    """The day without what nobody can do within it, and why each of these is left out."""
    left_out: dict[str, Say] = {}
    jobs = list(day.jobs)
    while True:
        fits = Day(
            people=day.people,
            stations=day.stations,
            jobs=tuple(jobs),
            told={key: told for key, told in day.told.items() if key not in left_out},
        )
        try:
            best_dispatch(fits)
        except CannotBePlaced as cannot:
            job = next(one for one in jobs if one.key == cannot.key)
            left_out[cannot.key] = _why_not(day, job)
            jobs.remove(job)
        else:
            pins = tuple(pin for pin in day.pins if pin.key not in left_out)
            return replace(fits, pins=pins), left_out


def _why_not(day: Day, job: Work) -> Say:
    if not job.people:
        return fact("plan.nobody-trained")
    if not any(day.people.get(person) for person in job.people):
        return fact("plan.all-away")
    if job.release >= max(window.end for person in job.people for window in day.people.get(person, ())):
        return fact("plan.part-later")
    return fact("plan.no-room")


# -- made and kept -----------------------------------------------------------------------------------------


def make_plan(now: datetime, seconds: float = SECONDS, effort: float | None = None) -> bool:
    """Make the plan of now and keep it; False where another worker is at it. A plan that cannot be made
    leaves the last good one as it is.
    """
    gathered = gather(now)
    clash: tuple[str, ...] = ()
    try:
        solved = solve(gathered.day, seconds, effort)
    except PinsClash as clashing:
        clash = tuple(pin.key for pin in clashing.pins)
        free = tuple(pin for pin in gathered.day.pins if pin.key not in clash)
        solved = solve(replace(gathered.day, pins=free), seconds, effort)
    chances = play(gathered.day, solved.plan)
    return _keep(gathered, solved, chances, clash, now)


@writing
def _keep(
    gathered: Gathered, solved: Solved, chances: Sequence[Chance], clash: Sequence[str], now: datetime
) -> bool:
    if not store.try_alone():
        return False
    kept = _kept(gathered, solved, chances)
    store.save_plan(now, gathered.start, gathered.seen, {**kept, "clash": list(clash)})
    return True


def _kept(gathered: Gathered, solved: Solved, chances: Sequence[Chance]) -> dict[str, Any]:
    """A plan as it is kept; times in minutes from its start."""
    day, worth = gathered.day, worth_of(gathered.day, solved.plan)
    jobs = {job.key: job for job in day.jobs}
    return {
        "placed": [[one.key, one.number, one.person, one.start, one.end] for one in solved.plan.placed],
        "hands": [
            [one.key, one.number]
            for one in solved.plan.placed
            if jobs[one.key].operations[one.number].attended
        ],
        "held": [
            [
                hold.station,
                job.key,
                solved.plan.of(job.key)[hold.first].start,
                solved.plan.of(job.key)[hold.last].end,
            ]
            for job in day.jobs
            for hold in job.holds
        ],
        "release": {job.key: job.release for job in day.jobs},
        "chances": {one.key: [one.of_hundred, *one.finish] for one in chances},
        "lateness": solved.lateness,
        "proof": solved.proof.value,
        "gap": round(solved.gap, 4),
        "kept": worth.kept,
        "jobs": worth.jobs,
        "left_out": {code: _id_of(why) for code, why in gathered.left_out.items()},
    }


def _id_of(why: Say) -> str:
    return getattr(why, "id", "")


def is_stale(now: datetime) -> bool:
    """Whether a new plan is to be made: something changed since the last, and it is quiet again or has been
    long enough.
    """
    kept = store.load_plan()
    if kept is None:
        return True
    if kept.seen == store.stamp() and now - kept.made_at < timedelta(minutes=10):
        return False
    unseen = store.unseen(kept.seen)
    if unseen is None:
        return True
    began, last = unseen
    return now - last > QUIET or now - began > LATEST


# -- shown -------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Block:
    """One operation on a rail: from when until when, of which job, and whether hands are at it."""

    code: str
    start: datetime
    end: datetime
    hands: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Rail:
    """What somebody does, or what a station holds, in its order."""

    name: str
    person_id: int
    blocks: tuple[Block, ...]
    away: tuple[tuple[datetime, datetime], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedJob:
    """A job in the plan: who begins it when, when it is done, its promise, how sure that is, and why it
    stands there.
    """

    code: str
    model: str
    person: str
    start: datetime
    end: datetime
    promise: datetime
    kept: int
    finish: tuple[datetime, datetime, datetime]
    pinned: bool
    assigned: bool
    why: Say
    # when it would be held fast to begin; None where that is over already, so that only its person is held
    hold_at: datetime | None

    @property
    def late(self) -> bool:
        return self.end > self.promise


@dataclass(frozen=True, slots=True, kw_only=True)
class TimePlan:
    """The plan as it is shown; `says` how far it is from the best possible."""

    made_at: datetime
    rails: tuple[Rail, ...]
    stations: tuple[Rail, ...]
    jobs: tuple[PlannedJob, ...]
    left_out: tuple[tuple[str, Say], ...]
    clash: tuple[str, ...]
    says: Say
    stale: bool
    days: tuple[tuple[datetime, datetime], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanPage:
    """The last good plan, None before the first; who is away, who works at the bench, the places of each
    station, and the version of the shop's numbers.
    """

    time: TimePlan | None
    away: list[store.Away]
    hands: list[store.Hands]
    places: Mapping[str, int]
    version: int


@reading
def plan_page(now: datetime) -> PlanPage:
    """Everything of the plan, each read once."""
    record, hands, away = shop.shop(), store.all_hands(), store.away_after(now)
    kept = store.load_plan()
    return PlanPage(
        time=_time_plan(kept, record, hands, away, now) if kept else None,
        away=away,
        hands=hands,
        places=places_of(record.stations),
        version=record.version,
    )


def _time_plan(
    kept: store.KeptPlan,
    record: shop_store.ShopRecord,
    hands: Sequence[store.Hands],
    away: Sequence[store.Away],
    now: datetime,
) -> TimePlan:
    names = {str(one.person_id): one.name for one in hands}
    jobs = {job.waiting.code: job for job in planning_store.open_jobs_page()}
    pins = {pin.code for pin in store.pins()}
    at = partial(moment_of, kept.start_at)
    attended = {(key, number) for key, number in kept.plan["hands"]}
    placed = [
        Placed(key=key, number=number, person=person, start=start, end=end)
        for key, number, person, start, end in kept.plan["placed"]
        if key in jobs
    ]
    rails = tuple(
        Rail(
            name=name,
            person_id=int(person),
            blocks=tuple(
                Block(code=one.key, start=at(one.start), end=at(one.end), hands=True)
                for one in sorted(placed, key=lambda one: one.start)
                if one.person == person and (one.key, one.number) in attended
            ),
            away=tuple((one.from_at, one.until_at) for one in away if one.person_id == int(person)),
        )
        for person, name in names.items()
    )
    stations = tuple(
        Rail(
            name=station,
            person_id=0,
            blocks=tuple(
                Block(code=key, start=at(start), end=at(end), hands=False)
                for held, key, start, end in sorted(kept.plan["held"], key=lambda one: one[2])
                if held == station and key in jobs
            ),
        )
        for station in places_of(record.stations)
    )
    plan = DayPlan(placed=tuple(placed))
    return TimePlan(
        made_at=kept.made_at,
        rails=rails,
        stations=tuple(rail for rail in stations if rail.blocks),
        jobs=tuple(
            _planned(key, plan, kept, jobs[key], names, pins, now)
            for key in sorted(plan.begins, key=lambda key: (plan.begins[key][1], key))
        ),
        left_out=tuple((code, fact(why)) for code, why in kept.plan["left_out"].items() if code in jobs),
        clash=tuple(kept.plan.get("clash", ())),
        says=_says(kept.plan),
        stale=kept.seen != store.stamp(),
        days=tuple(record.open_hours.spans(now.replace(second=0, microsecond=0), DAYS)),
    )


def moment_of(start: datetime, minute: int) -> datetime:
    return start + timedelta(minutes=minute)


def _planned(
    key: str,
    plan: DayPlan,
    kept: store.KeptPlan,
    job: OpenJob,
    names: Mapping[str, str],
    pins: Sequence[str] | set[str],
    now: datetime,
) -> PlannedJob:
    person, begins = plan.begins[key]
    at = partial(moment_of, kept.start_at)
    of_hundred, *finish = kept.plan["chances"][key]
    return PlannedJob(
        code=key,
        model=job.model,
        person=names.get(person, ""),
        start=at(begins),
        end=at(plan.finishes[key]),
        promise=job.waiting.promise_at,
        kept=of_hundred,
        finish=(at(finish[0]), at(finish[1]), at(finish[2])),
        pinned=key in pins,
        assigned=job.technician_id is not None,
        why=_why(key, plan, kept, names),
        hold_at=at(begins) if at(begins) > now else None,
    )


def _why(key: str, plan: DayPlan, kept: store.KeptPlan, names: Mapping[str, str]) -> Say:
    """What a job waits for before it begins: its part, or the one before it in its person's hands."""
    person, begins = plan.begins[key]
    if begins and begins == kept.plan["release"].get(key):
        return fact("plan.waits-for-part")
    attended = {(code, number) for code, number in kept.plan["hands"]}
    before = [
        one
        for one in plan.placed
        if one.person == person and one.key != key and one.end <= begins and (one.key, one.number) in attended
    ]
    if not before:
        return fact("plan.first")
    last = max(before, key=lambda one: one.end)
    return fact("plan.after", code=last.key, person=names.get(person, ""))


def _says(plan: Mapping[str, Any]) -> Say:
    """How good the plan is, in a sentence."""
    told = {"kept": plan["kept"], "jobs": plan["jobs"]}
    if plan["proof"] == Proof.RULE:
        return fact("plan.by-rule", **told)
    if not plan["lateness"]:
        return fact("plan.all-kept", **told)
    if plan["proof"] == Proof.BEST:
        return fact("plan.is-best", **told, late=plan["lateness"])
    return fact("plan.is-within", **told, late=plan["lateness"], percent=round(plan["gap"] * 100, 1))


# -- who is away, pins, places -----------------------------------------------------------------------------


@writing
def write_absence(typed: Mapping[str, str], zone: tzinfo, by: Person, now: datetime) -> None:
    """Write down when somebody is away; the plan goes round it."""
    demand(by, Deed.ASSIGN)
    problems = Problems("The absence")
    person_id = problems.read(
        "person", typed.get("person", ""), lambda text: read_whole(text, 1 << 62, least=1)
    )
    from_at = problems.read("from_at", typed.get("from_at", ""), lambda text: read_moment(text, zone))
    until_at = problems.read("until_at", typed.get("until_at", ""), lambda text: read_moment(text, zone))
    why = problems.read("why", typed.get("why", ""), lambda text: read_text(text, 120))
    if from_at and until_at and not from_at < until_at <= from_at + timedelta(days=366):
        problems.add("until_at", typed.get("until_at", ""), fact("plan.until-after-from"))
    problems.refuse()
    if people_store.load_person(person_id or 0) is None:
        raise Invalid("person", typed.get("person", ""), fact("plan.choose-person"))
    assert from_at, "refused above"
    assert until_at, "refused above"
    store.add_absence(person_id or 0, from_at, until_at, why or "", by.id, now)
    facts = {"person": person_id, "from": from_at.isoformat(), "until": until_at.isoformat()}
    audit_store.add_audit(by.id, now, "absence written", facts)


@writing
def end_absence(absence_id: int, by: Person, now: datetime) -> None:
    """Somebody is back, or does not go."""
    demand(by, Deed.ASSIGN)
    if not store.end_absence(absence_id, now):
        raise NotFound("absence", absence_id)
    audit_store.add_audit(by.id, now, "absence ended", {"absence": absence_id})


@writing
def pin_job(code: str, person: str, start: str, zone: tzinfo, by: Person, now: datetime) -> None:
    """Hold a job's person fast, when it begins, or both; neither lets it go."""
    demand(by, Deed.ASSIGN)
    job = job_store.lock_job(code)
    if job.stage not in {*BEFORE_OPENING, Stage.OPENED}:
        raise Invalid("pin", code, fact("plan.pin-what-is-open"))
    if not person.strip() and not start.strip():
        store.remove_pin(job.id)
        return
    problems = Problems("The pin")
    start_at = problems.read("start", start, lambda text: read_moment(text, zone)) if start.strip() else None
    person_id = (
        problems.read("person", person, lambda text: read_whole(text, 1 << 62, least=1))
        if person.strip()
        else None
    )
    if start_at is not None and start_at < now - _MINUTE:
        problems.add("start", start, fact("plan.start-ahead"))
    problems.refuse()
    if person_id is not None and person_id not in {one.person_id for one in store.all_hands()}:
        raise Invalid("person", person, fact("plan.choose-person"))
    store.save_pin(job.id, person_id, start_at, by.id, now)


def assign_as_planned(by: Person, now: datetime) -> int:
    """Every job that nobody has goes to whom the plan says; how many did. One that cannot any more stays."""
    demand(by, Deed.ASSIGN)
    page = plan_page(now)
    ids = {one.name: one.person_id for one in page.hands}
    given = 0
    for job in page.time.jobs if page.time else ():
        if job.assigned or job.person not in ids:
            continue
        try:
            planning.assign(job.code, ids[job.person], by, now, seen=0)
        except Refusal:
            # somebody else was quicker, or the job went on meanwhile: one never stops the others
            continue
        given += 1
    return given


@writing
def change_stations(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """How many devices each station takes at once."""
    before = shop.lock_for(by, Deed.SET_UP_COUNTER)
    problems = Problems("The stations")
    places = {
        station: problems.read(station, typed.get(station, ""), lambda text: read_whole(text, MOST_PLACES))
        or 0
        for station in places_of({})
    }
    problems.refuse()
    if before.version != version:
        theirs = {name: str(count) for name, count in places_of(before.stations).items()}
        raise StaleSave("The stations", "another manager", None, dict(typed), theirs)
    shop_store.save_shop(stations=places)
    facts = {"before": dict(before.stations), "after": places}
    audit_store.add_audit(by.id, now, "stations changed", facts)
