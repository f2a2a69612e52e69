"""The plan of the next days: gathered from the open jobs, solved, played through, and kept for whoever
looks (services/rails.py).
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter

from sutura.core.bench.compiling import compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.stations import STATIONS
from sutura.core.catalogue.model import Model, Step
from sutura.core.facts import Say, fact
from sutura.core.intake.arrival import Channel
from sutura.core.intake.promise import PartSeen
from sutura.core.job import NO_PART, Stage
from sutura.core.planning.chance import Chance, play
from sutura.core.planning.day import Day, DayPlan, Pin, Placed, PlanWeights, Window, Work, without, worth_of
from sutura.core.planning.dispatch import CannotBePlaced, best_dispatch
from sutura.core.planning.expected import UNSURE, Waiting, bench_minutes_left, due_at
from sutura.core.planning.inserting import Helps, other_person
from sutura.core.planning.operations import chain_of
from sutura.core.planning.shifts import working_spans
from sutura.core.planning.solving import PinsClash, Solved, solve
from sutura.core.shop import OpenHours, is_believed
from sutura.core.stock.reordering import lead_time
from sutura.services import catalogue, known, shop
from sutura.store import orders as orders_store
from sutura.store import planning as planning_store
from sutura.store import plans as store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing
from sutura.store.planning import OpenJob

# days that are planned at once, seconds for it, and the most jobs; the shop's, no source
DAYS, SECONDS, MOST_JOBS = 4, 6.0, 120
# places of a station where the shop says nothing
USUAL_PLACES = 1
# for so many jobs what would help is looked for; the shop's, no source
MOST_HELPED = 8
# a part that comes on a day is there when the morning is over; the shop's, no source
DELIVERED = time(12)
# a plan is made when nothing happened for so long, and at the latest after so long; the shop's, no source
# a worker that is killed while it plans keeps nobody from it for longer; the shop's, no source
TURN = timedelta(minutes=2)
QUIET, LATEST = timedelta(seconds=2), timedelta(seconds=12)
_MINUTE = timedelta(minutes=1)
_DAY_MINUTES = 24 * 60
DAY = TypeAdapter(Day)


@dataclass(frozen=True, slots=True, kw_only=True)
class Gathered:
    """A day as it is planned, with what could not be: by code, why."""

    day: Day
    start: datetime
    seen: str
    left_out: Mapping[str, Say]
    # by code: who may do it, the family it belongs to, how it stands, and a supplier who brings its part
    # sooner, in days
    may: Mapping[str, Mapping[str, float]]
    family: Mapping[str, str]
    waiting: Mapping[str, Waiting]
    sooner: Mapping[str, tuple[str, int]]
    # every job, with those that are left out
    every: tuple[Work, ...]


def places_of(kept: Mapping[str, int]) -> dict[str, int]:
    """How many devices each station takes, by what the shop says."""
    return {station: int(kept.get(station, USUAL_PLACES)) for station in dict.fromkeys(STATIONS.values())}


@reading
def seen_word() -> str:
    """A word that changes with the plan and with what it is made of."""
    return hashlib.blake2s(store.stamp_with_plan().encode(), digest_size=8).hexdigest()


@reading
def gather(now: datetime, days: int | None = None) -> Gathered:
    """What is planned now: open jobs with bench work ahead, who is here, and how many of each station."""
    record = shop.shop()
    start = now.replace(second=0, microsecond=0)
    hands = store.all_hands()
    weights = weights_of(record)
    more = store.to_plan()
    ahead = [job for job in planning_store.open_jobs_page() if bench_minutes_left(job.waiting)][:MOST_JOBS]
    coming = _coming([job for job in ahead if job.waiting.blocked], more, record.timezone, now)
    coming |= _not_chosen([job for job in ahead if job.waiting.stage is Stage.IDENTIFIED], more, now)
    works = [
        _work(
            job,
            more[job.waiting.code],
            hands,
            start,
            weights,
            record.open_hours,
            coming.get(job.waiting.code),
        )
        for job in ahead
    ]
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
        people=_people(record, hands, start, days or DAYS),
        stations=places_of(record.stations),
        jobs=tuple(works),
        pins=tuple(pin for pin in pins if any(work.key == pin.key for work in works)),
        told=_told(before, start) if before else {},
        move_minutes=weights.move_minutes,
    )
    fits, left_out = that_fit(day)
    return Gathered(
        day=fits,
        start=start,
        seen=store.stamp(),
        left_out=left_out,
        may={job.waiting.code: may_do(job.family, hands) for job in ahead},
        family={job.waiting.code: job.family for job in ahead},
        waiting={job.waiting.code: job.waiting for job in ahead},
        every=tuple(works),
        sooner=_sooner([job.waiting.code for job in ahead if job.waiting.blocked], more),
    )


def may_do(family: str, hands: Sequence[store.Hands]) -> dict[str, float]:
    """Who is trained for a family, with their factor."""
    return {str(one.person_id): float(one.factors[family]) for one in hands if family in one.factors}


def _sooner(blocked: Sequence[str], more: Mapping[str, store.ToPlan]) -> dict[str, tuple[str, int]]:
    """Another supplier who brings the part of a job sooner than the one it is asked of."""
    wanted = {code: more[code] for code in blocked if more[code].part_id is not None}
    if not wanted:
        return {}
    best = store.quickest_offers(sorted({about.part_id for about in wanted.values() if about.part_id}))
    return {
        code: (best[about.part_id].supplier, best[about.part_id].lead_days)
        for code, about in wanted.items()
        if about.part_id in best and best[about.part_id].lead_days < (about.lead_days or 1)
    }


def weights_of(record: shop_store.ShopRecord) -> PlanWeights:
    """What the shop weighs in its plan; what it never set is as it came."""
    return PlanWeights(**record.planning)


def _people(
    record: shop_store.ShopRecord, hands: Sequence[store.Hands], start: datetime, days: int
) -> dict[str, tuple[Window, ...]]:
    """When everybody works: their own week inside of the shop's hours, less what they are away."""
    away: dict[int, list[Window]] = {}
    for absence in store.away_after(start):
        away.setdefault(absence.person_id, []).append(_window((absence.from_at, absence.until_at), start))
    weeks = store.shifts()
    hours = record.open_hours
    people = {}
    for one in hands:
        spans = working_spans(hours, weeks.get(one.person_id, ()), start, days)
        windows = [_window(span, start) for span in spans]
        people[str(one.person_id)] = without(windows, away.get(one.person_id, ()))
    return people


@dataclass(frozen=True, slots=True, kw_only=True)
class _Coming:
    """When a part is here, in minutes, and how much later that is on average."""

    release: int
    late_minutes: int


def _coming(
    blocked: Sequence[OpenJob], more: Mapping[str, store.ToPlan], zone: str, now: datetime
) -> dict[str, _Coming]:
    """When the part of each job is here: the first of its pieces that are on order come to the jobs that are
    promised first; what is not on order yet, after the days of its offer.
    """
    if not blocked:
        return {}
    delivered = orders_store.delivered_days(now - timedelta(days=365))
    days = orders_store.coming_days(
        sorted({part for job in blocked if (part := more[job.waiting.code].part_id)})
    )
    found = {}
    for job in sorted(blocked, key=lambda job: (job.waiting.promise_at, job.waiting.code)):
        about = more[job.waiting.code]
        lead = lead_time(about.lead_days or 1, delivered.get(about.supplier_id or "", []))
        queue = days.get(about.part_id or 0)
        at = here_at(queue.pop(0), zone, now) if queue else now + timedelta(days=about.lead_days or 1)
        found[job.waiting.code] = _Coming(
            release=max(-((now - at) // _MINUTE), 0), late_minutes=round(lead.sd_days * _DAY_MINUTES)
        )
    return found


def _not_chosen(
    jobs: Sequence[OpenJob], more: Mapping[str, store.ToPlan], now: datetime
) -> dict[str, _Coming]:
    """When the part is here of jobs for which none is chosen yet: the soonest that fits their model, as a
    promise counts it.
    """
    soonest: dict[tuple[str, int], PartSeen | None] = {}
    found = {}
    for job in jobs:
        about = more[job.waiting.code]
        key = (about.model_id, about.model_version)
        if key not in soonest:
            soonest[key] = known.soonest_part(catalogue.model(*key), now)
        part = soonest[key]
        if part and part.free < 1 and part.lead_days:
            found[job.waiting.code] = _Coming(release=part.lead_days * _DAY_MINUTES, late_minutes=0)
    return found


def here_at(day: date, zone: str, now: datetime) -> datetime:
    """When what is expected on a day is here; what is late already, a day from now."""
    at = datetime.combine(day, DELIVERED, ZoneInfo(zone))
    return at if at > now else now + timedelta(days=1)


def _window(span: tuple[datetime, datetime], start: datetime) -> Window:
    """A span of time in minutes from the start."""
    return Window((span[0] - start) // _MINUTE, (span[1] - start) // _MINUTE)


def _work(
    job: OpenJob,
    more: store.ToPlan,
    hands: Sequence[store.Hands],
    start: datetime,
    weights: PlanWeights,
    hours: OpenHours,
    coming: _Coming | None,
) -> Work:
    """An open job as a chain, for whoever has it or may do it."""
    waiting = job.waiting
    model = catalogue.model(more.model_id, more.sheet_version or more.model_version)
    whole = sheet_of(model, more.route)
    done = min(waiting.steps_done, len(whole))
    chain = chain_of(model, whole[done:], bench_minutes_left(waiting), waiting.cure_minutes)
    # of whoever has it, their own minutes are in what is expected already
    assigned = more.technician_id is not None
    people = {str(more.technician_id): 1.0} if assigned else may_do(job.family, hands)
    busy = (waiting.waits_until - start) // _MINUTE if waiting.waits_until else 0
    return Work(
        key=waiting.code,
        operations=chain.operations,
        people=people,
        due=(due_at(waiting, hours) - start) // _MINUTE,
        weight=weights.of(waits=more.channel == Channel.WAITING, rush=waiting.rush),
        release=max(coming.release if coming else 0, busy, 0),
        late_minutes=coming.late_minutes if coming else 0,
        holds=chain.holds,
    )


def sheet_of(model: Model, route: str) -> tuple[Step, ...]:
    """The steps of a route of a model, or of its first way; none where it has no sheet."""
    kind = route if route and route not in NO_PART else model.ways[0].kind
    if not model.pieces or not any(way.kind == kind for way in model.ways):
        return ()
    return compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind)).steps


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
            move_minutes=day.move_minutes,
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


def make_plan(now: datetime, seconds: float = SECONDS, effort: float | None = None) -> None:
    """Make the plan of now and keep it. A plan that cannot be made leaves the last good one as it is."""
    gathered = gather(now)
    clash: tuple[str, ...] = ()
    try:
        solved = solve(gathered.day, seconds, effort)
    except PinsClash as clashing:
        clash = tuple(pin.key for pin in clashing.pins)
        free = tuple(pin for pin in gathered.day.pins if pin.key not in clash)
        solved = solve(replace(gathered.day, pins=free), seconds, effort)
    chances = play(gathered.day, solved.plan)
    helps = _helps(gathered, solved.plan, chances)
    _keep(gathered, solved, chances, helps, clash, now)


def _helps(gathered: Gathered, plan: DayPlan, chances: Sequence[Chance]) -> dict[str, list[Any]]:
    """What would help most each job that may well be missed (rule plan.helps): what it is, who, days."""
    jobs = {job.key: job for job in gathered.day.jobs}
    found: dict[str, list[Any]] = {}
    unsure = sorted((one for one in chances if one.of_hundred < UNSURE), key=lambda one: one.kept)
    for one in unsure[:MOST_HELPED]:
        job = jobs[one.key]
        if one.key in gathered.sooner and plan.begins[one.key][1] == job.release:
            found[one.key] = [Helps.SUPPLIER.value, *gathered.sooner[one.key]]
        elif who := other_person(gathered.day, plan, one.key, gathered.may[one.key]):
            found[one.key] = [Helps.PERSON.value, who, 0]
        else:
            found[one.key] = [Helps.TELL.value, "", 0]
    return found


@writing
def _keep(
    gathered: Gathered,
    solved: Solved,
    chances: Sequence[Chance],
    helps: Mapping[str, Sequence[Any]],
    clash: Sequence[str],
    now: datetime,
) -> None:
    kept = {**_kept(gathered, solved, chances), "helps": helps}
    store.save_plan(now, gathered.start, gathered.seen, {**kept, "clash": list(clash)})


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
        "day": DAY.dump_python(_unnamed(day), mode="json"),
        "release": {job.key: job.release for job in day.jobs},
        "chances": {one.key: [one.of_hundred, *one.finish] for one in chances},
        "lateness": solved.lateness,
        "proof": solved.proof.value,
        "gap": round(solved.gap, 4),
        "kept": worth.kept,
        "jobs": worth.jobs,
        "left_out": {code: _id_of(why) for code, why in gathered.left_out.items()},
    }


def _unnamed(day: Day) -> Day:
    """A day without words: what is kept of it is for reckoning."""
    jobs = tuple(
        replace(job, operations=tuple(replace(one, name="") for one in job.operations)) for job in day.jobs
    )
    return replace(day, jobs=jobs, pins=(), told={})


def kept_day(kept: store.KeptPlan) -> tuple[Day, DayPlan]:
    """The day and the plan that were kept, to reckon with."""
    return DAY.validate_python(kept.plan["day"]), placed_of(kept.plan)


def placed_of(plan: Mapping[str, Any]) -> DayPlan:
    """Every operation of a plan as it is kept."""
    return DayPlan(
        placed=tuple(
            Placed(key=key, number=number, person=person, start=start, end=end)
            for key, number, person, start, end in plan["placed"]
        )
    )


def _id_of(why: Say) -> str:
    return getattr(why, "id", "")


def is_stale(now: datetime) -> bool:
    """Whether a new plan is to be made: something changed since the last, and it is quiet again or has been
    long enough.
    """
    kept = store.load_plan()
    if kept is None or not is_believed(kept.made_at, now):
        return True
    if kept.seen == store.stamp() and now - kept.made_at < timedelta(minutes=10):
        return False
    unseen = store.unseen(kept.seen)
    if unseen is None:
        return True
    began, last = unseen
    return now - last > QUIET or now - began > LATEST


def plan_if_due(now: datetime) -> bool:
    """Make a plan where one is due, and nobody else is at it: a change is planned once, however many workers
    there are. Whether it was made.
    """
    if not is_stale(now) or not _take_turn(now):
        return False
    try:
        # whoever had the turn before may just have made it
        due = is_stale(now)
        if due:
            make_plan(now)
        return due
    finally:
        _give_up_turn(now)


@writing
def _take_turn(now: datetime) -> bool:
    return store.take_turn(now, now + TURN)


@writing
def _give_up_turn(now: datetime) -> None:
    # whoever took longer than a turn lasts does not end the next one's
    store.give_up_turn(now + TURN, now)
