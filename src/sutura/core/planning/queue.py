"""Who may do a job, how long it will take them, and what is to be done next – with the reason in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from decimal import Decimal
from enum import StrEnum
from operator import itemgetter

from sutura.core.bench.owntimes import ALONE, OwnTimes, Pool, spread_of
from sutura.core.errors import NotAllowed
from sutura.core.facts import Minutes, OpenMinutes, Say, fact, sentences
from sutura.core.job import Stage
from sutura.core.matching.comparing import MOVE_OVER_MINUTES
from sutura.core.maths.money import half_up
from sutura.core.planning.expected import (
    BENCH_AHEAD,
    Expected,
    Told,
    Waiting,
    bench_minutes_left,
    bench_room,
    expected,
    remaining_minutes,
    spare_minutes,
)
from sutura.core.shop import OpenHours
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.minutes",
        capability="planning",
        says=(
            "Expected minutes = the sheet's minutes × the technician's factor for that procedure "
            "family, plus moving over."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.promise",
        capability="planning",
        says=(
            "A promise counts the sheet's minutes, moving over everything that may have to be, the "
            "counter's minutes and the cure."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.queue",
        capability="planning",
        says=(
            "Work is done in the order in which the bench must be done with it: promise − cure − "
            "counter. New "
            "work goes before the others that keep their promise all the same, and after the last one that "
            "would not."
        ),
        source="earliest due date first (Jackson's rule, published 1955, from memory)",
    ),
    Rule(
        id="plan.may",
        capability="planning",
        says="Only a technician trained in the procedure family may be assigned.",
        source=COMMON,
    ),
    Rule(
        id="plan.next",
        capability="planning",
        says=(
            "While there is a plan of now, Next has its order: bench work stands at the time at which the "
            "plan begins it, everything else at the latest time at which it can be begun. Without a plan, "
            "what the bench must be done with first comes first. What should have begun by the plan and "
            "cannot be in time any more is said nothing of by it."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.clock",
        capability="planning",
        says=(
            "A device that waits by the clock – on the plate, in the clamp – stands on Next, Counter and "
            "Bench with its time; when that is over it stands there as such until somebody says that they "
            "see to it or the next step is recorded."
        ),
        source=COMMON,
    ),
)

# A job can wait for a technician as soon as it is here; once the bench is done there is nothing to assign.
ASSIGNABLE = BENCH_AHEAD


# before a wait by the clock is over it is said that it will be; the shop's, no source
SOON = timedelta(minutes=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Skill:
    """One technician's training in one procedure family; factor 1 = the sheet's own time."""

    person_id: int
    name: str
    factor: Decimal | None
    load_minutes: int
    # their own jobs of this family; the factor counts them already
    own: OwnTimes = field(default_factory=OwnTimes)
    # the factor as it was written, and what the shop's others say
    written: Decimal | None = None
    pool: Pool = ALONE


@dataclass(frozen=True, slots=True, kw_only=True)
class TechnicianChoice:
    """Someone who could do the job: may they, how long, what they already have, and why."""

    person_id: int
    name: str
    may: bool
    minutes: int
    load_minutes: int
    why: Say
    # until when they are away now; None = they are here
    away_until: datetime | None = None


class Action(StrEnum):
    """The one next thing to do with a job."""

    CHOOSE = "choose"
    TAKE_PART = "take_part"
    RECEIVE = "receive"
    ASSIGN = "assign"
    OPEN = "open"
    GO_ON = "go_on"
    CLOSE = "close"
    LOOK = "look"
    CURE = "cure"
    HAND_BACK = "hand_back"
    RETURN = "return"
    NOTHING = "nothing"


@dataclass(frozen=True, slots=True, kw_only=True)
class Next:
    """One line of Next: what to do, what is to be expected of it, and why it stands where it stands.

    `left` is the same without the slack, for a line that shows the slack by itself.
    """

    code: str
    action: Action
    room: str
    remaining_minutes: int
    expected: Expected
    reason: Say
    left: Say

    @property
    def slack_minutes(self) -> int:
        """Open minutes to spare; below zero its promise will be missed."""
        return self.expected.spare


def expected_minutes(sheet_minutes: int, factor: Decimal | None, extra_minutes: int = 0) -> int:
    """Minutes on the bench, half up; an unknown factor counts as 1."""
    return int(half_up(sheet_minutes * (factor or Decimal(1)), 0)) + extra_minutes


def minutes_to_promise(sheet_minutes: int, move_over: Sequence[str], factor: Decimal | None = None) -> int:
    """Bench work to count into a promise before the part is chosen, by rule plan.promise; `factor` is the
    technician's.

    The same work that Next will count, so that a promise just made is never late at once.
    """
    return expected_minutes(sheet_minutes, factor, MOVE_OVER_MINUTES * len(move_over))


def candidates(
    skills: Sequence[Skill],
    family: str,
    sheet_minutes: int,
    extra_minutes: int,
    away: Mapping[int, datetime] | None = None,
) -> list[TechnicianChoice]:
    """Technicians for a job: those who may first, soonest free first, who is `away` behind those who are
    here.
    """
    gone = away or {}
    candidates_found = []
    for skill in skills:
        minutes = expected_minutes(sheet_minutes, skill.factor, extra_minutes)
        why: Say = fact("planning.not-trained", family=family)
        if skill.factor is not None:
            why = _about(minutes, skill)
            if not skill.own.jobs and any(other.own.jobs for other in skills):
                why = sentences([fact("planning.first-time", family=family), why])
        candidates_found.append(
            TechnicianChoice(
                person_id=skill.person_id,
                name=skill.name,
                may=skill.factor is not None,
                minutes=minutes,
                load_minutes=skill.load_minutes,
                why=why,
                away_until=gone.get(skill.person_id),
            )
        )
    return sorted(
        candidates_found,
        key=lambda c: (not c.may, c.away_until is not None, c.load_minutes + c.minutes, c.name),
    )


def _about(minutes: int, skill: Skill) -> Say:
    """About how long somebody takes: by their own jobs, where there are some."""
    told = {"minutes": minutes, "load_minutes": skill.load_minutes}
    if not skill.own.jobs:
        return fact("planning.about-min-min-work-before", **told)
    least, most = spread_of(minutes, skill.own, skill.written or Decimal(1), skill.pool)
    about = fact("planning.about-min-from-own-jobs", **told, jobs=skill.own.jobs, least=least, most=most)
    if not skill.own.reworked:
        return about
    each = round(skill.own.rework_minutes / skill.own.reworked)
    return sentences([about, fact("planning.reworked-apart", jobs=skill.own.reworked, minutes=each)])


def check_assign(skill: Skill | None, family: str) -> None:
    if skill is None or skill.factor is None:
        raise NotAllowed(fact("planning.do-jobs", family=family), [fact("planning.technicians-trained")])


def minutes_before(queue: Sequence[Waiting], minutes: int, now: datetime, hours: OpenHours) -> int:
    """Bench minutes of one technician's open jobs that must come before new work of so many minutes (rule
    plan.queue).

    Jobs are taken in the order in which the bench must be done with them; one that is late already, or would
    become late, is not passed.
    """
    done = before = 0
    for room, _, job in _in_order(queue, now, hours):
        done += (bench := bench_minutes_left(job))
        if room - done < minutes and bench:
            before = done
    return before


def _in_order(jobs: Sequence[Waiting], now: datetime, hours: OpenHours) -> list[tuple[int, str, Waiting]]:
    """Jobs with the room the bench has for them, the one it must be done with first first."""
    keyed = [(bench_room(job, now, hours), job.code, job) for job in jobs]
    return sorted(keyed, key=itemgetter(0, 1))


def by_due(jobs: Sequence[Waiting], now: datetime, hours: OpenHours) -> list[tuple[int, Waiting]]:
    """Open jobs with their slack, in the order in which the bench must be done with them; at the same time in
    the order of their codes.
    """
    return [(room - bench_minutes_left(job), job) for room, _, job in _in_order(jobs, now, hours)]


def by_plan(
    jobs: Sequence[Waiting], told: Mapping[str, Told], now: datetime, hours: OpenHours
) -> list[tuple[int, Waiting]]:
    """Open jobs with their minutes to spare in the order in which they are to be begun (rule plan.next): what
    the plan begins at its time there, everything else when it must be begun at the latest. Without a plan
    that of `by_due`.
    """
    due = by_due(jobs, now, hours)
    if not told:
        return due
    keyed, minutes_to = [], hours.since(now)
    for place, (slack, job) in enumerate(due):
        said = told.get(job.code) if bench_minutes_left(job) else None
        at = slack if said is None else max(minutes_to(said.begins), 0)
        spare = spare_minutes(job, said, now, hours)[0] if said else slack
        keyed.append((at, place, spare, job))
    return [(spare, job) for _, _, spare, job in sorted(keyed, key=itemgetter(0, 1))]


def rank_next(jobs: Sequence[Waiting], now: datetime, hours: OpenHours) -> list[Next]:
    """Open jobs in the order of `by_due`, each with its next action and the reason in words."""
    return [next_of(job, now, hours) for _, job in by_due(jobs, now, hours)]


def next_of(job: Waiting, now: datetime, hours: OpenHours, told: Told | None = None) -> Next:
    """One job's line of Next: what to do, what is to be expected of it, and why it stands where it stands;
    `told` is what the plan of now says of it.
    """
    remaining = remaining_minutes(job)
    found = expected(job, told, now, hours)
    slack = found.spare
    action, room = next_action(job.stage, assigned=bool(job.technician), blocked=bool(job.blocked))
    cures = job.stage is Stage.CLOSED and not job.ready and job.waits_until and job.waits_until > now
    if cures:
        # looked at after sealing: nothing can be done before the cure is over
        action, room = Action.CURE, "proof"
    elif job.stage is Stage.CLOSED and not job.ready:
        action, room = Action.LOOK, "proof"
    to_go = fact("planning.about-work-left", time=Minutes(remaining))
    left: Say = fact("planning.work-left", time=Minutes(remaining))
    reason: Say
    if job.promise_at < now:
        passed = Minutes(int((now - job.promise_at).total_seconds() // 60))
        reason = fact("planning.promise-passed-ago", time=passed, to_go=to_go)
    elif slack < 0:
        reason = fact("planning.will-late", time=OpenMinutes(-slack), to_go=to_go)
    else:
        reason = fact("planning.spare", time=OpenMinutes(slack), to_go=to_go)
    cured_at = job.waits_until if cures else job.cured_at
    if cured_at and cured_at > now:
        until = fact("planning.cures-until", until=cured_at)
        reason, left = sentences([until, reason]), sentences([until, left])
    if job.blocked:
        held_up = fact("planning.held-up", blocked=job.blocked)
        reason, left = sentences([reason, held_up]), sentences([left, held_up])
    return Next(
        code=job.code,
        action=action,
        room=room,
        remaining_minutes=remaining,
        expected=found,
        reason=reason,
        left=left,
    )


def waits_for_customer(job: Waiting) -> bool:
    """Whether a job is done and its customer has only to come: it is late no more (rule handover.ready)."""
    return job.stage is Stage.CLOSED and job.ready


def by_the_clock(jobs: Sequence[Waiting], now: datetime) -> list[tuple[Waiting, bool]]:
    """The jobs whose device waits by the clock, the first to end in front, each with whether its time is over
    (rule plan.clock).
    """
    waits = [(job.waits_until, job.code, job) for job in jobs if job.waits_until is not None]
    return [(job, until <= now) for until, _, job in sorted(waits, key=itemgetter(0, 1))]


_ACTIONS: Mapping[Stage, tuple[Action, str]] = {
    Stage.IDENTIFIED: (Action.CHOOSE, "routes"),
    Stage.QUOTED: (Action.TAKE_PART, "match"),
    Stage.PART_IN_HAND: (Action.OPEN, "bench"),
    Stage.OPENED: (Action.GO_ON, "bench"),
    Stage.PROVED: (Action.CLOSE, "bench"),
    Stage.CLOSED: (Action.HAND_BACK, "handover"),
    Stage.DECLINED: (Action.RETURN, "handover"),
    Stage.HANDED_BACK: (Action.NOTHING, "job"),
    Stage.RETURNED: (Action.NOTHING, "job"),
}


def next_action(stage: Stage, *, assigned: bool, blocked: bool) -> tuple[Action, str]:
    """The one next action for a job and the room it is done in."""
    if stage is Stage.QUOTED and blocked:
        return Action.RECEIVE, "match"
    if stage is Stage.PART_IN_HAND and not assigned:
        return Action.ASSIGN, "plan"
    return _ACTIONS[stage]
