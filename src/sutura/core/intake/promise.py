"""What can be promised: when the part is there, who is free, how long work and cure take – each with its
reason.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, Minutes, fact
from sutura.core.values import COMMON, Rule

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
        id="intake.promise",
        capability="intake",
        says=(
            "The earliest promise is when the part is in hand, plus the work before it of whoever is "
            "ready soonest, their own time for this work (rule plan.promise), and the cure. Work of "
            "others that keeps its own promise all the same lets it pass (rule plan.queue). An earlier "
            "promise needs a reason."
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
    """The soonest part that fits: pieces free on the shelf, or the days until it is here."""

    part: str
    free: int
    lead_days: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Hands:
    """Someone trained for the work: their minutes for it, and the minutes of other work that must come
    first.
    """

    name: str
    minutes: int
    before_minutes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Promise:
    """The earliest time, why, and what makes it unsure; a sure one has no doubts."""

    at: datetime
    reasons: tuple[Fact, ...]
    doubts: tuple[Fact, ...]

    @property
    def sure(self) -> bool:
        return not self.doubts


def earliest_promise(
    now: datetime, part: PartSeen | None, hands: Sequence[Hands], minutes: int, cure_minutes: int
) -> Promise:
    """The earliest time that can be kept, rounded up to the next five minutes (rules intake.promise,
    intake.promise-unsure).

    `minutes` is the work when nobody trained is known. A part that has to come leaves time for the work
    before it.
    """
    doubts = []
    waits = timedelta(days=0 if part is None or part.free > 0 else part.lead_days)
    first = min(
        hands,
        key=lambda hand: ((0 if waits else hand.before_minutes) + hand.minutes, hand.name),
        default=None,
    )
    before = first.before_minutes if first and not waits else 0
    work = first.minutes if first else minutes
    reasons = [_part_words(part)] if part else []
    if first:
        who = {"first": first.name, "time": Minutes(work)}
        reasons.append(
            fact("intake.for-this-after", **who, before=Minutes(before))
            if before
            else fact("intake.for-this", **who)
        )
    if cure_minutes:
        reasons.append(fact("intake.cure", time=Minutes(cure_minutes)))
    if part is None:
        doubts.append(fact("intake.no-part-fits-known-yet"))
    if first is None:
        doubts.append(fact("intake.nobody-here-trained-work"))
    ready = now + waits + timedelta(minutes=before + work + cure_minutes)
    return Promise(at=_round_up(ready), reasons=tuple(reasons), doubts=tuple(doubts))


def _part_words(part: PartSeen) -> Fact:
    if part.free > 0:
        return fact("intake.shelf-free", part=part.part, free=part.free)
    return fact("intake.ordered-here", part=part.part, days=part.lead_days)


def _round_up(moment: datetime) -> datetime:
    over = timedelta(minutes=moment.minute % 5, seconds=moment.second, microseconds=moment.microsecond)
    return moment if not over else moment - over + timedelta(minutes=5)


def check_new_promise(
    before: datetime, promised: datetime | None, reason: str, now: datetime
) -> list[Invalid]:
    """What is wrong with promising another time later: it lies ahead, is another one, and has its reason
    (rule intake.promise-changed).
    """
    problems = []
    if promised is not None and promised <= now:
        problems.append(
            Invalid("promise_at", fact("said.moment", at=promised), fact("intake.choose-time-ahead"))
        )
    elif promised == before:
        problems.append(
            Invalid("promise_at", fact("said.moment", at=promised), fact("intake.promised-already"))
        )
    if len(reason.strip()) < 5:
        problems.append(Invalid("promise_reason", reason, fact("intake.write-why-promise-changes")))
    return problems


def check_promise(promised: datetime | None, reason: str, earliest: Promise) -> list[Invalid]:
    """A promise earlier than can be kept, or one where nothing is sure, needs its reason."""
    if promised is None:
        return [Invalid("promise_at", "", fact("intake.choose-day-time-customer-was-promised"))]
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
