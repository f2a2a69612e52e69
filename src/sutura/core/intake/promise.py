"""What can be promised: when the part is there, who is free, how long work and cure take – each with its
reason.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, Minutes, OpenMinutes, fact
from sutura.core.shop import OpenHours
from sutura.core.values import COMMON, Rule

# nobody waits longer for a screen; the shop's, no source
FURTHEST = timedelta(days=366)
# written on paper while the power was away, typed the next day; the shop's, no source
TYPED_LATER = timedelta(days=1)

RULES = (
    Rule(
        id="intake.promise-changed",
        capability="intake",
        says=(
            "A promise is changed only with a reason; what was promised before stays in the "
            "history, and what "
            "is expected is shown beside it."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.promise-ahead",
        capability="intake",
        says=(
            f"A promise lies ahead, at most {FURTHEST.days} days; an intake that is typed later may hold one "
            "that has passed, by a day at most."
        ),
        source="the shop's rule, no source",
    ),
    Rule(
        id="intake.promise",
        capability="intake",
        says=(
            "Work begins when the part is here and whoever is ready soonest is done with the work before it "
            "(rule plan.queue), whichever is later; the earliest promise adds their own time for it (rule "
            "plan.promise) and the cure, and lies in opening hours (rule shop.hours). An earlier promise "
            "needs a reason."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.promise-planned",
        capability="intake",
        says=(
            "While there is a plan of now, the earliest promise is where it has room (rule plan.insert), "
            "with the counter's minutes and the cure; beside it stand the time that is kept in nine of "
            "ten runs of the plan, and that when the part has to be ordered. Without a plan, or beyond "
            "its days, rule intake.promise counts."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.waits",
        capability="intake",
        says=(
            "Nobody is written down as waiting here for what is not ready on the same day, unless with a "
            "reason."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.promise-unsure",
        capability="intake",
        says=(
            "Where no part that fits is known, or nobody is trained for the work, nothing sure can be "
            "promised: any promise needs its reason."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class PartSeen:
    """The soonest part that fits: pieces free on the shelf, or the days until it is here, ordered by then
    (`coming`) or to be ordered; `order_days` if it has to be ordered all the same, 0 = not known.
    """

    part: str
    free: int
    lead_days: int
    coming: bool = False
    order_days: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Hands:
    """Someone trained for the work: their minutes for it, and the minutes of other work that must come
    first.
    """

    name: str
    minutes: int
    before_minutes: int


class Offered(StrEnum):
    """Which times the counter can offer."""

    # as the plan has it
    LIKELY = "likely"
    # kept in nine of ten runs of the plan
    SAFE = "safe"
    # the same, when the part has to be ordered
    ORDERED = "ordered"


@dataclass(frozen=True, slots=True, kw_only=True)
class Slot:
    """Where the plan has room for new work: who does it, from when, when it is done as planned and in nine of
    ten runs.
    """

    who: str
    begins: datetime
    done: datetime
    safe: datetime
    # in how many of a hundred runs it is done as planned
    of_hundred: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Promise:
    """The earliest time, why, and what makes it unsure; a sure one has no doubts. `offers` are the times that
    can be offered; without a plan there is the earliest alone.
    """

    at: datetime
    reasons: tuple[Fact, ...]
    doubts: tuple[Fact, ...]
    offers: Mapping[Offered, datetime] = field(default_factory=dict)
    # in how many of a hundred runs of the plan the earliest is kept; 0 = not known
    of_hundred: int = 0
    # the earliest lies on the same day: somebody can wait for it
    today: bool = False

    @property
    def sure(self) -> bool:
        return not self.doubts


def earliest_promise(
    now: datetime,
    part: PartSeen | None,
    hands: Sequence[Hands],
    minutes: int,
    cure_minutes: int,
    counter_minutes: int,
    hours: OpenHours,
) -> Promise:
    """The earliest time that can be kept, rounded up to the next five minutes at which the shop is open
    (rules intake.promise, intake.promise-unsure, shop.hours): bench, cure, then the counter's minutes.

    `minutes` is the work when nobody trained is known. Work begins when the part is here and the work before
    it is done, whichever is later.
    """
    doubts = []
    here = now + timedelta(days=0 if part is None or part.free > 0 else part.lead_days)

    def done_at(hand: Hands) -> datetime:
        return hours.after(max(here, hours.after(now, hand.before_minutes)), hand.minutes)

    first = min(hands, key=lambda hand: (done_at(hand), hand.name), default=None)
    done = done_at(first) if first else hours.after(here, minutes)
    reasons = [_part_words(part)] if part else []
    if first:
        who = {"first": first.name, "time": OpenMinutes(first.minutes)}
        reasons.append(
            fact("intake.for-this-after", **who, before=OpenMinutes(first.before_minutes))
            if first.before_minutes
            else fact("intake.for-this", **who)
        )
    if cure_minutes:
        reasons.append(fact("intake.cure", time=Minutes(cure_minutes)))
    if part is None:
        doubts.append(fact("intake.no-part-fits-known-yet"))
    if first is None:
        doubts.append(fact("intake.nobody-here-trained-work"))
    ready = _told(done + timedelta(minutes=cure_minutes), counter_minutes, hours)
    return Promise(at=ready, reasons=tuple(reasons), doubts=tuple(doubts))


def planned_promise(
    part: PartSeen | None,
    slot: Slot,
    ordered: Slot | None,
    cure_minutes: int,
    counter_minutes: int,
    hours: OpenHours,
) -> Promise:
    """What can be promised by the plan (rule intake.promise-planned): the earliest is what is likely, with
    the counter's minutes after the bench and the cure.
    """

    reasons = [_part_words(part)] if part else []
    reasons.append(fact("intake.in-the-plan", who=slot.who, at=slot.begins))
    if cure_minutes:
        reasons.append(fact("intake.cure", time=Minutes(cure_minutes)))
    offers = {
        Offered.LIKELY: _told(slot.done, counter_minutes, hours),
        Offered.SAFE: _told(slot.safe, counter_minutes, hours),
    }
    if ordered is not None:
        offers[Offered.ORDERED] = _told(ordered.safe, counter_minutes, hours)
    doubts = () if part else (fact("intake.no-part-fits-known-yet"),)
    return Promise(
        at=offers[Offered.LIKELY],
        reasons=tuple(reasons),
        doubts=doubts,
        offers=offers,
        of_hundred=slot.of_hundred,
    )


def _told(done: datetime, counter_minutes: int, hours: OpenHours) -> datetime:
    """The time that is told of what is done then: the counter's minutes later, in opening hours."""
    return hours.next_open(_round_up(hours.after(hours.next_open(done), counter_minutes)))


def _part_words(part: PartSeen) -> Fact:
    if part.free > 0:
        return fact("intake.shelf-free", part=part.part, free=part.free)
    if part.coming:
        return fact("intake.on-its-way", part=part.part, days=part.lead_days)
    return fact("intake.ordered-here", part=part.part, days=part.lead_days)


def _round_up(moment: datetime) -> datetime:
    over = timedelta(minutes=moment.minute % 5, seconds=moment.second, microseconds=moment.microsecond)
    return moment if not over else moment - over + timedelta(minutes=5)


def _closed_then(promised: datetime, hours: OpenHours) -> Invalid:
    accepts = fact("intake.shop-closed-then", opens=hours.next_open(promised))
    return Invalid("promise_at", fact("said.moment", at=promised), accepts)


def check_ahead(promised: datetime | None, now: datetime, late: timedelta = timedelta(0)) -> list[Invalid]:
    """A promise lies ahead, or has passed by `late` at most, and not further than anyone waits (rule
    intake.promise-ahead).
    """
    if promised is None or now - late < promised <= now + FURTHEST:
        return []
    accepts = fact("intake.choose-time-within-days", days=FURTHEST.days)
    return [Invalid("promise_at", fact("said.moment", at=promised), accepts)]


def is_today(promised: datetime, now: datetime, hours: OpenHours) -> bool:
    """Whether a time lies on this day of the shop, or has passed."""
    return promised.astimezone(hours.zone).date() <= now.astimezone(hours.zone).date()


def check_waits(
    promised: datetime | None, reason: str, now: datetime, hours: OpenHours, *, waits: bool
) -> list[Invalid]:
    """A customer waits here only for what is ready today, or for a reason (rule intake.waits)."""
    if not waits or promised is None or reason.strip():
        return []
    if is_today(promised, now, hours):
        return []
    return [Invalid("channel", fact("intake.waits-here"), fact("intake.not-ready-today", at=promised))]


def offer_anew(before: datetime, ready: datetime | None, now: datetime, hours: OpenHours) -> datetime | None:
    """What is offered instead of a promise: when it is ready, to the next five minutes at which the shop is
    open; the promise itself where that is kept; None where nobody knows (rule intake.promise-changed).
    """
    if ready is None:
        return None
    if ready <= before and before > now:
        return before
    return hours.next_open(_round_up(max(ready, now + timedelta(minutes=1))))


def check_new_promise(
    before: datetime, promised: datetime | None, reason: str, now: datetime, hours: OpenHours
) -> list[Invalid]:
    """What is wrong with promising another time later: it lies ahead, is another one, and has its reason
    (rule intake.promise-changed).
    """
    problems = check_ahead(promised, now)
    if problems:
        pass
    elif promised == before:
        problems.append(
            Invalid("promise_at", fact("said.moment", at=promised), fact("intake.promised-already"))
        )
    elif promised is not None and not hours.is_open(promised):
        problems.append(_closed_then(promised, hours))
    if len(reason.strip()) < 5:
        problems.append(Invalid("promise_reason", reason, fact("intake.write-why-promise-changes")))
    return problems


def check_promise(
    promised: datetime | None, reason: str, earliest: Promise, hours: OpenHours
) -> list[Invalid]:
    """A promise lies in opening hours; one earlier than can be kept, or where nothing is sure, needs its
    reason.
    """
    if promised is None:
        return [Invalid("promise_at", "", fact("intake.choose-day-time-customer-was-promised"))]
    if not hours.is_open(promised):
        return [_closed_then(promised, hours)]
    if reason.strip():
        return []
    if promised < earliest.at:
        return [
            Invalid(
                "promise_at",
                fact("said.moment", at=promised),
                fact("intake.earliest-can-kept-promise-write-why", at=earliest.at),
            )
        ]
    if not earliest.sure:
        accepts = fact("intake.write-why-can-promised-all-same", doubts=tuple(earliest.doubts))
        return [Invalid("promise_reason", "", accepts)]
    return []
