"""The week: work against hours, and where training or one more place would pay."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sutura.core.facts import Say
from sutura.core.matching.ranking import weights_from
from sutura.core.maths.money import Money
from sutura.core.planning.loads import Gain, Load, gains, loads
from sutura.services import shop
from sutura.services.plans import gather
from sutura.store import plans as store
from sutura.store.database import reading

WEEK = 7


@dataclass(frozen=True, slots=True, kw_only=True)
class WeekPage:
    """The days that the shop is open in the next week; each family's loads in their order, all together in
    front; what would pay, with what the lateness it saves is worth; and what is in no plan.
    """

    days: tuple[date, ...]
    rows: tuple[tuple[str, tuple[Load, ...]], ...]
    gains: tuple[tuple[Gain, str, Money], ...]
    left_out: tuple[tuple[str, Say], ...]


@reading
def week_page(now: datetime) -> WeekPage:
    """Work against hours for the next seven days (rules plan.load, plan.pays)."""
    gathered = gather(now, WEEK)
    record = shop.shop()
    spans = record.open_hours.spans(gathered.start, WEEK)
    if not record.open_hours.weekly:
        spans = [(gathered.start, gathered.start + timedelta(days=ahead + 1)) for ahead in range(WEEK)]
    ends = [(until - gathered.start) // timedelta(minutes=1) for _, until in spans]
    hands = store.all_hands()
    trained = {str(one.person_id): frozenset(one.factors) for one in hands}
    day, family_of = gathered.day, gathered.family
    found = loads(day.jobs, family_of, trained, day.people, ends)
    names = {str(one.person_id): one.name for one in hands}
    late_day = weights_from(record.weights, record.bench_rate_minor).late_day_minor
    return WeekPage(
        days=tuple(until.astimezone(record.open_hours.zone).date() for _, until in spans),
        rows=tuple(
            (family, tuple(one for one in found if one.family == family))
            for family in dict.fromkeys(one.family for one in found)
        ),
        gains=tuple(
            (
                one,
                names.get(one.who, ""),
                Money(minor=round(one.less_late * late_day / (24 * 60)), currency=record.currency),
            )
            for one in gains(day, family_of, trained)
        ),
        left_out=tuple(gathered.left_out.items()),
    )
