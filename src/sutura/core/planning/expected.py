"""When an open job is ready, and whether that keeps its promise: one reckoning for every page, from the plan
while there is one of now, else from the rule.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sutura.core.job import Stage
from sutura.core.shop import OpenHours
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.one-reckoning",
        capability="planning",
        says=(
            "When a job is ready and whether that keeps its promise is reckoned once, for every page: by the "
            "plan of now, while what it says of the job can still be so, else as if the job was worked on "
            "from now. Each page says which of both it is."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.expected",
        capability="planning",
        says=(
            "Without a plan: expected = now + remaining bench work in open hours, the cure by the clock, and "
            "the counter's minutes from the first opening after it; not known while a part is missing. What "
            "is closed is done once its adhesive has cured. It is shown beside the promise and does not "
            "change it."
        ),
        source=COMMON,
    ),
    Rule(
        id="plan.slack",
        capability="planning",
        says=(
            "Slack = open minutes until the bench must be done, less the work left there. The bench must be "
            "done the cure before the counter's minutes before the promise. What it must be done with first "
            "comes first, in Next as in a promise."
        ),
        source="earliest due date first, with the cure as a tail (from memory); common practice",
    ),
    Rule(
        id="plan.due",
        capability="planning",
        says=(
            "Bench and cure must be over the counter's minutes before the promise, in open hours; a job is "
            "ready the counter's minutes after the first opening once both are over. The plan keeps a "
            "promise exactly when Next would have it in time."
        ),
        source=COMMON,
    ),
)

# Work besides the bench that is left at each stage, in minutes; the shop's habit, no source.
COUNTER_MINUTES: Mapping[Stage, int] = {
    Stage.IDENTIFIED: 10,
    Stage.QUOTED: 5,
    Stage.PART_IN_HAND: 5,
    Stage.OPENED: 5,
    Stage.PROVED: 5,
    Stage.CLOSED: 5,
    Stage.DECLINED: 5,
    Stage.HANDED_BACK: 0,
    Stage.RETURNED: 0,
}
_CURE_AHEAD = frozenset({Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND, Stage.OPENED, Stage.PROVED})
BENCH_AHEAD = frozenset({Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND})
# a promise that is kept in fewer of a hundred is told of; the shop's, no source
UNSURE = 70

_MINUTE = timedelta(minutes=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Waiting:
    """An open job as far as ranking needs it. Minutes are for the assigned technician, else the sheet's
    own.
    """

    code: str
    stage: Stage
    promise_at: datetime
    bench_minutes: int
    cure_minutes: int
    steps_done: int
    steps_total: int
    technician: str = ""
    blocked: str = ""
    # until when the device waits by the clock: on the plate, in the clamp
    waits_until: datetime | None = None
    # closed, and looked at after sealing and after its cure
    ready: bool = True
    # closed: when its adhesive has cured
    cured_at: datetime | None = None
    # agreed to be done before others
    rush: bool = False


def bench_minutes_left(job: Waiting) -> int:
    """Bench minutes still to do: the share of steps not done; of a device that lies open and waits for
    another part that of the sheet from there.
    """
    if job.stage in (*BENCH_AHEAD, Stage.OPENED, Stage.PROVED):
        return share_left(job.bench_minutes, job.steps_done, job.steps_total)
    return 0


def share_left(minutes: int, steps_done: int, steps_total: int) -> int:
    """The share of minutes that steps not done have of all, half up; at least that of one step.

    >>> share_left(68, 12, 26)
    37
    """
    if not steps_done or not steps_total:
        return minutes
    left = max(steps_total - steps_done, 1)
    # whole numbers only: Next does this for every open job
    return (2 * minutes * left + steps_total) // (2 * steps_total)


def cure_left(job: Waiting) -> int:
    """Minutes by the clock that it still has to cure after the bench."""
    return job.cure_minutes if job.stage in _CURE_AHEAD else 0


def remaining_minutes(job: Waiting) -> int:
    return COUNTER_MINUTES[job.stage] + bench_minutes_left(job) + cure_left(job)


def expected_at(job: Waiting, now: datetime, hours: OpenHours) -> datetime | None:
    """When it is ready if work on it begins now; None while nobody knows because it is held up (rule
    plan.expected).
    """
    if job.blocked:
        return None
    done = hours.after(now, bench_minutes_left(job)) + cure_left(job) * _MINUTE
    return ready_at(job, max(done, job.cured_at or done), hours)


def bench_room(job: Waiting, now: datetime, hours: OpenHours) -> int:
    """Open minutes until the bench must be done with a job, and less what a closed one still cures; below
    zero when that has passed.
    """
    cure, counter, minutes_to = cure_left(job), COUNTER_MINUTES[job.stage], hours.since(now)
    if cure:
        return minutes_to(due_at(job, hours) - cure * _MINUTE)
    # nothing cures by the clock between bench and counter: the minutes are counted in one
    curing = max(minutes_to(job.cured_at), 0) if job.cured_at else 0
    return minutes_to(job.promise_at) - curing - counter


def due_at(job: Waiting, hours: OpenHours) -> datetime:
    """By when bench and cure must be over, for the counter to keep the promise (rule plan.due)."""
    return hours.before(job.promise_at, COUNTER_MINUTES[job.stage])


def ready_at(job: Waiting, done: datetime, hours: OpenHours) -> datetime:
    """When a job whose bench and cure are over at some time can be collected: the counter's minutes later,
    from the first opening (rule plan.due).
    """
    return hours.next_open(hours.after(done, COUNTER_MINUTES[job.stage]))


def slack_minutes(job: Waiting, now: datetime, hours: OpenHours) -> int:
    """What is left of the room at the bench after the work, by rule plan.slack; below zero the promise will
    be missed.
    """
    return bench_room(job, now, hours) - bench_minutes_left(job)


@dataclass(frozen=True, slots=True, kw_only=True)
class Told:
    """What the plan says of a job: who begins it when, when bench and cure are over, and in how many of a
    hundred its promise is kept.
    """

    person_id: int
    begins: datetime
    done: datetime
    kept: int


def plan_holds(job: Waiting, begins: datetime, now: datetime, slack: int) -> bool:
    """Whether what the plan says of a job can still be so: it is to begin from now on, or it is in time all
    the same, by its `slack` (rule plan.next).
    """
    return bool(bench_minutes_left(job)) and (begins >= now or slack >= 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Expected:
    """What is to be expected of an open job (rule plan.one-reckoning): when it is ready, None = nobody knows;
    open minutes to spare, below zero = late; and what the plan says, None = it is reckoned by the rule.
    """

    ready: datetime | None
    spare: int
    told: Told | None = None

    @property
    def late(self) -> bool:
        return self.spare < 0

    @property
    def unsure(self) -> bool:
        """Whether the promise may well be missed all the same."""
        return self.told is not None and self.told.kept < UNSURE


def expected(job: Waiting, told: Told | None, now: datetime, hours: OpenHours) -> Expected:
    """What is to be expected of a job, by the plan while that can be so, else by the rule (rule
    plan.one-reckoning).
    """
    spare, holds = spare_minutes(job, told, now, hours)
    if told and holds:
        return Expected(ready=ready_at(job, told.done, hours), spare=spare, told=told)
    return Expected(ready=expected_at(job, now, hours), spare=spare)


def spare_minutes(job: Waiting, told: Told | None, now: datetime, hours: OpenHours) -> tuple[int, bool]:
    """Open minutes to spare, and whether that is what the plan says."""
    room = bench_room(job, now, hours)
    slack = room - bench_minutes_left(job)
    if told is None or not plan_holds(job, told.begins, now, slack):
        return slack, False
    return room - hours.between(now, told.done - cure_left(job) * _MINUTE), True
