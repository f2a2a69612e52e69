"""The plan as it is shown: rails of people and stations, jobs in words, how good it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from typing import Any

from sutura.core.facts import Say, fact
from sutura.core.planning.day import DayPlan, PlanWeights
from sutura.core.planning.expected import Expected, Told, expected, ready_at
from sutura.core.planning.inserting import Helps
from sutura.core.planning.shifts import Shift, working_spans
from sutura.core.planning.solving import Proof
from sutura.core.shop import OpenHours, is_past
from sutura.services import shop
from sutura.services.job import FRESH
from sutura.services.plans import DAYS, placed_of, places_of, weights_of
from sutura.store import planning as planning_store
from sutura.store import plans as store
from sutura.store import shop as shop_store
from sutura.store.database import reading
from sutura.store.planning import OpenJob


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
    # when they do not work: breaks, and before and after their hours
    off: tuple[tuple[datetime, datetime], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedJob:
    """A job in the plan: who begins it when, when it is ready, its promise, how sure that is, and why it
    stands there.
    """

    code: str
    model: str
    person: str
    start: datetime
    promise: datetime
    # when it is ready, and whether that keeps its promise, as every page says it
    expected: Expected
    kept: int
    # ready by when in 50, 80 and 95 of a hundred runs
    finish: tuple[datetime, datetime, datetime]
    pinned: bool
    assigned: bool
    rush: bool
    why: Say
    # what would help most, where it may well be missed
    helps: Say
    # when it would be held fast to begin; None where that is over already, so that only its person is held
    hold_at: datetime | None

    @property
    def late(self) -> bool:
        return self.expected.late


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
    weights: PlanWeights
    weeks: Mapping[int, tuple[Shift, ...]]


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
        weights=weights_of(record),
        weeks=store.shifts(),
    )


def _time_plan(
    kept: store.KeptPlan,
    record: shop_store.ShopRecord,
    hands: Sequence[store.Hands],
    away: Sequence[store.Away],
    now: datetime,
) -> TimePlan:
    weeks = store.shifts()
    names = {str(one.person_id): one.name for one in hands}
    jobs = {job.waiting.code: job for job in planning_store.open_jobs_page()}
    pins = {pin.code for pin in store.pins()}
    at = partial(moment_of, kept.start_at)
    attended = {(key, number) for key, number in kept.plan["hands"]}
    placed = [one for one in placed_of(kept.plan).placed if one.key in jobs]
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
            off=_off(record.open_hours, weeks.get(int(person), ()), now),
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
    fresh = not is_past(kept.made_at, now, FRESH)
    planned = tuple(
        _planned(key, plan, kept, jobs[key], names, pins, record.open_hours, now, fresh=fresh)
        for key in sorted(plan.begins, key=lambda key: (plan.begins[key][1], key))
    )
    return TimePlan(
        made_at=kept.made_at,
        rails=rails,
        stations=tuple(rail for rail in stations if rail.blocks),
        jobs=planned,
        left_out=tuple((code, fact(why)) for code, why in kept.plan["left_out"].items() if code in jobs),
        clash=tuple(kept.plan.get("clash", ())),
        says=_says(kept.plan, planned),
        stale=kept.seen != store.stamp(),
        days=tuple(record.open_hours.spans(now.replace(second=0, microsecond=0), DAYS)),
    )


def _off(hours: OpenHours, week: Sequence[Shift], now: datetime) -> tuple[tuple[datetime, datetime], ...]:
    """When the shop is open and somebody does not work: their breaks, and before and after their hours."""
    if not week:
        return ()
    works = working_spans(hours, week, now, DAYS)
    off = []
    for opens, closes in hours.spans(now.replace(second=0, microsecond=0), DAYS):
        at = opens
        for begins, ends in works:
            if opens <= begins < closes:
                off += [(at, begins)] if begins > at else []
                at = ends
        off += [(at, closes)] if at < closes else []
    return tuple(off)


def moment_of(start: datetime, minute: int) -> datetime:
    return start + timedelta(minutes=minute)


def _planned(
    key: str,
    plan: DayPlan,
    kept: store.KeptPlan,
    job: OpenJob,
    names: Mapping[str, str],
    pins: Sequence[str] | set[str],
    hours: OpenHours,
    now: datetime,
    *,
    fresh: bool,
) -> PlannedJob:
    person, begins = plan.begins[key]
    at = partial(moment_of, kept.start_at)
    of_hundred, *finish = kept.plan["chances"][key]
    told = Told(person_id=int(person), begins=at(begins), done=at(plan.finishes[key]), kept=of_hundred)
    half, most, nearly_all = (ready_at(job.waiting, at(minute), hours) for minute in finish)
    return PlannedJob(
        code=key,
        model=job.model,
        person=names.get(person, ""),
        start=at(begins),
        promise=job.waiting.promise_at,
        expected=expected(job.waiting, told if fresh else None, now, hours),
        kept=of_hundred,
        finish=(half, most, nearly_all),
        pinned=key in pins,
        assigned=job.technician_id is not None,
        rush=job.waiting.rush,
        why=_why(key, plan, kept, names),
        helps=_helps(kept.plan.get("helps", {}).get(key), most, names),
        hold_at=at(begins) if at(begins) > now else None,
    )


def _helps(told: Sequence[Any] | None, finish: datetime, names: Mapping[str, str]) -> Say:
    """What would help a promise that may be missed, in words; nothing where it is sure enough."""
    if told is None:
        return ""
    kind, who, days = told
    if kind == Helps.SUPPLIER:
        return fact("plan.helps-supplier", supplier=who, days=days)
    if kind == Helps.PERSON:
        return fact("plan.helps-person", who=names.get(who, ""))
    return fact("plan.helps-tell", at=finish)


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


def _says(plan: Mapping[str, Any], jobs: Sequence[PlannedJob]) -> Say:
    """How good the plan is, in a sentence; counted from the very lines below it."""
    late = sum(job.late for job in jobs)
    told = {"kept": len(jobs) - late, "jobs": len(jobs)}
    unsure = sum(job.expected.unsure and not job.late for job in jobs)
    if not late and unsure:
        return fact("plan.all-kept-if", **told, unsure=unsure)
    if not late:
        return fact("plan.all-kept", **told)
    if plan["proof"] == Proof.RULE or not plan["lateness"]:
        return fact("plan.by-rule" if plan["proof"] == Proof.RULE else "plan.some-kept", **told)
    if plan["proof"] == Proof.BEST:
        return fact("plan.is-best", **told, late=plan["lateness"])
    return fact("plan.is-within", **told, late=plan["lateness"], percent=round(plan["gap"] * 100, 1))
