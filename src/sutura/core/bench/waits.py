"""Waits at the bench: started when the device is put there, running by the clock, ended when it is taken off.

What waits is the step itself: it is done when its time is over. Times are the server's.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from sutura.core.bench.serials import needs_programmer
from sutura.core.catalogue.model import Phase, Step
from sutura.core.errors import Invalid, StepNotHeld
from sutura.core.facts import Fact, Minutes, fact
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="bench.waits",
        capability="bench",
        says=(
            "A step that waits is started when the device is put there and done when its time is over by the "
            "server's clock. Done earlier, it asks for a reason, which stays with the job and on its receipt."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.cures",
        capability="bench",
        says="What an adhesive needs to skin or to cure is never shortened: no reason lets it pass.",
        source=COMMON,
    ),
)


class WaitKind(StrEnum):
    """What is waited for: it decides whether it may be shortened."""

    # on the plate or the pad, by the clock
    SOAK = "soak"
    # an adhesive skins or sets
    CURE = "cure"
    REST = "rest"


def kind_of(step: Step) -> WaitKind:
    """What a step waits for. What is waited for after the test is adhesive; what is heated soaks."""
    if step.heat:
        return WaitKind.SOAK
    return WaitKind.CURE if step.phase is Phase.CLOSE else WaitKind.REST


@dataclass(frozen=True, slots=True, kw_only=True)
class Wait:
    """A wait as it is kept: of which step in which round, for how long, who put the device there when, and
    who took it off when; `ended_at` None = it runs. `early` is why it was ended before its time.
    """

    attempt: int
    step: str
    minutes: int
    started_at: datetime
    started_by: str
    ended_at: datetime | None = None
    ended_by: str = ""
    early: str = ""

    @property
    def until(self) -> datetime:
        return self.started_at + timedelta(minutes=self.minutes)

    @property
    def waited(self) -> float:
        """Minutes that it waited; of one that runs none are known yet."""
        return (self.ended_at - self.started_at).total_seconds() / 60 if self.ended_at else 0.0

    def is_over(self, now: datetime) -> bool:
        return now >= self.until

    def left(self, now: datetime) -> int:
        """Whole minutes that are left, at least one while it is not over."""
        return -int((now - self.until).total_seconds() // 60)


class PassedKind(StrEnum):
    """What a step asks for that may be let pass with a reason."""

    WAIT = "wait"
    HEAT = "heat"
    SERIAL = "serial"


@dataclass(frozen=True, slots=True, kw_only=True)
class Passed:
    """Something that a step asked for and did not get: what was said of it, why it went on, who said so."""

    attempt: int
    step: str
    what: PassedKind
    said: Fact
    reason: str
    who: str
    at: datetime


def running(waits: Sequence[Wait], attempt: int, step: str) -> Wait | None:
    """The wait of a step that runs; None where it was not started."""
    here = [wait for wait in waits if (wait.attempt, wait.step) == (attempt, step) and not wait.ended_at]
    return here[-1] if here else None


def check_wait(step: Step, wait: Wait | None, now: datetime, reason: str) -> Fact | None:
    """Refuse a step that waits before its time is over: a cure always, else without a reason. What was not
    waited for, where it is let pass.
    """
    if not step.wait_minutes or (wait and wait.is_over(now)):
        return None
    left = Minutes(wait.left(now) if wait else step.wait_minutes)
    missing = fact("waits.left", left=left) if wait else fact("waits.not-started", time=left)
    if kind_of(step) is WaitKind.CURE:
        raise StepNotHeld("timer", missing, fact("waits.never-shortened"))
    if not reason.strip():
        raise StepNotHeld("reason", missing, fact("waits.wait-or-say-why"))
    waited = int((now - wait.started_at).total_seconds() // 60) if wait else 0
    # kept with the job: plain numbers
    return fact("waits.was-shortened", waited=waited, wanted=step.wait_minutes)


def may_let_pass(step: Step | None, *, trained: bool, manages: bool) -> frozenset[PassedKind]:
    """What a step asks for that may be let pass with a reason: a cure never, its heat by somebody trained for
    the work, the display's serial by somebody who may let things pass.
    """
    if step is None:
        return frozenset()
    may = {
        PassedKind.WAIT: bool(step.wait_minutes) and kind_of(step) is not WaitKind.CURE,
        PassedKind.HEAT: step.heat is not None and (trained or manages),
        PassedKind.SERIAL: needs_programmer(step) and manages,
    }
    return frozenset(what for what, holds in may.items() if holds)


def check_start(step: Step | None, wait: Wait | None) -> Step:
    """The step whose timer is started; refuses one that waits for nothing, and one that runs already."""
    if step is None or not step.wait_minutes:
        raise Invalid("timer", "", fact("waits.no-wait-here"))
    if wait:
        raise Invalid("timer", "", fact("waits.runs-already", who=wait.started_by, at=wait.started_at))
    return step
