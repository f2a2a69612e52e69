"""What can be promised for new work: by the plan while there is one of now, else by what everybody has to
do.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from sutura.core.catalogue.model import Model, Step
from sutura.core.intake.promise import Promise, Slot, earliest_promise, is_today, planned_promise
from sutura.core.job import NO_PART, Stage
from sutura.core.planning.day import Day, DayPlan, Work
from sutura.core.planning.dispatch import CannotBePlaced
from sutura.core.planning.expected import COUNTER_MINUTES
from sutura.core.planning.inserting import Inserted, insert
from sutura.core.planning.operations import chain_of
from sutura.core.planning.queue import minutes_to_promise
from sutura.core.quoting.routes import Way
from sutura.core.shop import OpenHours
from sutura.services import planning, shop
from sutura.services.job import FRESH
from sutura.services.known import soonest_part
from sutura.services.plans import kept_day, may_do, sheet_of
from sutura.store import plans as store
from sutura.store.database import reading

_NEW = "new work"
_MINUTE = timedelta(minutes=1)
_COUNTER = COUNTER_MINUTES[Stage.IDENTIFIED]


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    """The plan of now, to find room in, and who works at the bench."""

    day: Day
    plan: DayPlan
    start: datetime
    now: datetime
    hands: Sequence[store.Hands]

    def work(self, model: Model, steps: tuple[Step, ...], minutes: int, cure_minutes: int) -> Work:
        """New work as the plan takes it, for whoever is trained."""
        chain = chain_of(model, steps, minutes, cure_minutes)
        people = may_do(model.procedure_family, self.hands)
        return Work(key=_NEW, operations=chain.operations, people=people, due=0, holds=chain.holds)

    def ready(self, model: Model, way: Way, hours: OpenHours) -> datetime | None:
        """When a way of repair is likely ready; None beyond the plan's days."""
        steps = () if way.kind in NO_PART else sheet_of(model, way.kind)
        cure = max(way.unattended_minutes - sum(step.wait_minutes for step in steps), 0)
        slot = self.slot(self.work(model, steps, way.bench_minutes, cure), way.wait_days)
        return planned_promise(None, slot, None, cure, _COUNTER, hours).at if slot else None

    def slot(self, work: Work, days: int = 0) -> Slot | None:
        """Where new work would be, when its part is here after some days; None beyond the plan's days."""
        release = (self.now - self.start) // _MINUTE + 1 + days * 24 * 60
        try:
            found = insert(self.day, self.plan, replace(work, release=release))
        except CannotBePlaced:
            return None
        return self._slot(found)

    def _slot(self, found: Inserted) -> Slot:
        at = [self.start + minutes * _MINUTE for minutes in (found.begins, found.done, found.safe)]
        who = next((one.name for one in self.hands if str(one.person_id) == found.person), "")
        return Slot(who=who, begins=at[0], done=at[1], safe=at[2], of_hundred=found.of_hundred)


@reading
def plan_of_now(now: datetime, but: str = "") -> Planned | None:
    """The plan while it is of now, without one job; None where there is none."""
    kept = store.load_plan()
    if kept is None or not now - FRESH < kept.made_at <= now or "day" not in kept.plan:
        return None
    day, plan = kept_day(kept)
    jobs = tuple(job for job in day.jobs if job.key != but)
    placed = tuple(one for one in plan.placed if one.key != but)
    return Planned(
        day=replace(day, jobs=jobs),
        plan=DayPlan(placed=placed),
        start=kept.start_at,
        now=now,
        hands=store.all_hands(),
    )


@reading
def promise(model: Model, now: datetime) -> Promise:
    """What can be promised for a model, and whether it is today."""
    hours = shop.open_hours()
    found = _promise(model, now, hours)
    return replace(found, today=is_today(found.at, now, hours))


def _promise(model: Model, now: datetime, hours: OpenHours) -> Promise:
    """The earliest that can be promised for a model, from parts in hand and who is ready soonest, with the
    reasons and what else can be offered (rules intake.promise, intake.promise-planned).
    """
    part = soonest_part(model, now)
    planned = plan_of_now(now)
    if planned:
        minutes = minutes_to_promise(model.minutes, model.move_over)
        work = planned.work(model, sheet_of(model, ""), minutes, model.cure_minutes)
        free = part is None or part.free > 0
        slot = planned.slot(work, 0 if part is None or free else part.lead_days)
        if slot:
            days = part.order_days if free and part else 0
            ordered = planned.slot(work, days) if days else None
            return planned_promise(part, slot, ordered, model.cure_minutes, _COUNTER, hours)
    return earliest_promise(
        now,
        part,
        planning.hands_for(model, now, hours),
        minutes_to_promise(model.minutes, model.move_over),
        model.cure_minutes,
        _COUNTER,
        hours,
    )
