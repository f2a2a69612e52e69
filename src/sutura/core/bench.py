"""The bench: one sheet, step after step, screws counted out and in, no step skipped."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sutura.core.catalogue.cautions import CAUTIONS
from sutura.core.catalogue.model import Model, Phase, Step
from sutura.core.errors import Invalid, StepBlocked
from sutura.core.facts import fact
from sutura.core.job import EventKind, Stage
from sutura.core.typed import read_whole
from sutura.core.values import COMMON, Rule

# A longer pause between two steps means the bench was left; only this much of it counts as work.
PAUSE_CAP_MINUTES = 30
# the kinds of events that are recorded at the bench: its opening, its steps, its tests
AT_THE_BENCH = (EventKind.OPENED, EventKind.STEP, EventKind.PROVED, EventKind.PROOF_FAILED, EventKind.CLOSED)

# more screws than a sheet counts out at one step; the shop's, no source
MOST_SCREWS = 999

RULES = (
    Rule(
        id="bench.order",
        capability="bench",
        says="Steps are done in the order of the sheet; the next is shown, none is skipped.",
        source=COMMON,
    ),
    Rule(
        id="bench.counts",
        capability="bench",
        says=(
            "Screws out agree with the sheet, screws in agree with screws out; otherwise the next step "
            "is blocked until a reason is written."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.minutes",
        capability="bench",
        says=(
            f"Bench minutes are the time between steps; a pause counts for at most {PAUSE_CAP_MINUTES} "
            "minutes."
        ),
        source="the shop's rule, no source",
    ),
    Rule(
        id="bench.rework",
        capability="bench",
        says=(
            "After a failed test the connectors are reseated with the power off, and everything is "
            "tested again before the part is blamed."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """One step recorded: which round of work, when, and the screws counted, if any."""

    attempt: int
    step: str
    at: datetime
    counted: int | None = None
    reason: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """Where the bench stands. `step` is the next one, None when all are done."""

    attempt: int
    steps: tuple[Step, ...]
    done: int
    step: Step | None
    expected: int | None
    at_proof: bool
    out: int
    back: int
    counts_agree: bool


def steps_of(model: Model, attempt: int) -> tuple[Step, ...]:
    """The steps of a round: the whole sheet, or after a failed test the rework, the proof and the closing."""
    if attempt == 1:
        return model.steps
    chosen = [step for step in model.steps if step.id in model.rework and step.phase is not Phase.CLOSE]
    chosen.sort(key=lambda step: model.rework.index(step.id))
    return (*chosen, *(step for step in model.steps if step.phase in (Phase.PROOF, Phase.CLOSE)))


def progress(model: Model, attempt: int, done: Sequence[Done], *, proved: bool) -> Progress:
    """Where the bench stands, from what is recorded. The proof step is done when the proof has passed."""
    steps = steps_of(model, attempt)
    finished = {entry.step for entry in done if entry.attempt == attempt}
    if proved:
        finished |= {step.id for step in steps if step.phase is Phase.PROOF}
    step = next((step for step in steps if step.id not in finished), None)
    out, back = _counted(model, done)
    return Progress(
        attempt=attempt,
        steps=steps,
        done=sum(s.id in finished for s in steps),
        step=step,
        expected=expected_count(model, done, step) if step else None,
        at_proof=step is not None and step.phase is Phase.PROOF,
        out=sum(out.values()),
        back=sum(back.values()),
        counts_agree=_agree(model, done),
    )


def expected_count(model: Model, done: Sequence[Done], step: Step) -> int | None:
    """Screws expected at a step: the sheet's number going out; coming in, as many as came out."""
    if not step.screws:
        return None
    out, _ = _counted(model, done)
    return (
        out.get(step.screws, model.screw_group(step.screws).count)
        if step.screws_in
        else model.screw_group(step.screws).count
    )


def check_step(now: Progress, step_id: str, counted_text: str, reason: str) -> int | None:
    """The count to record for a step done now; refuses a step out of turn and counts that do not agree."""
    if now.step is None or now.step.id != step_id:
        next_one = now.step.text if now.step else fact("bench.nothing-all-steps-done")
        raise Invalid("step", step_id, fact("bench.next-step", next_one=next_one))
    if now.at_proof:
        raise Invalid("step", step_id, fact("bench.test-every-function-step-done-when"))
    if now.expected is None:
        return None
    accepts = fact("bench.count-screws-write-number-sheet-says", expected=now.expected)
    try:
        counted = read_whole(counted_text, MOST_SCREWS, accepts=accepts)
    except Invalid as wrong:
        raise wrong.under("counted") from None
    if counted != now.expected and not reason.strip():
        raise StepBlocked(now.step.text, now.expected, counted)
    return counted


def _steps_by_id(model: Model) -> Mapping[str, Step]:
    return {step.id: step for step in model.steps}


def _counted(model: Model, done: Sequence[Done]) -> tuple[dict[str, int], dict[str, int]]:
    """Screws counted out and in, by group; a later round's count replaces the earlier."""
    by_id = _steps_by_id(model)
    out: dict[str, int] = {}
    back: dict[str, int] = {}
    for entry in done:
        step = by_id[entry.step]
        if step.screws and entry.counted is not None:
            (back if step.screws_in else out)[step.screws] = entry.counted
    return out, back


def _agree(model: Model, done: Sequence[Done]) -> bool:
    out, back = _counted(model, done)
    by_id = _steps_by_id(model)
    explained = {by_id[entry.step].screws for entry in done if entry.reason and by_id[entry.step].screws_in}
    return all(out.get(g.id) == back.get(g.id) or g.id in explained for g in model.screws)


def cautions_at(step: Step, damage: Sequence[str], *, first_open_step: bool) -> list[tuple[str, str, str]]:
    """Cautions to show at a step as (id, title, text): the sheet's own, and those the damage calls for while
    opening.
    """
    names = list(step.cautions)
    if step.phase is Phase.OPEN or first_open_step:
        names = [*(name for name in damage if name not in names), *names]
    return [(name, *CAUTIONS[name]) for name in names]


def worked_minutes(times: Sequence[datetime]) -> int:
    """Bench minutes from the times of the bench's records, by rule bench.minutes; at least one when any work
    was done.

    >>> t = datetime(2030, 1, 1, 9)
    >>> worked_minutes([t, t.replace(minute=10), t.replace(hour=11)])
    40
    """
    ordered = sorted(times)
    gaps = [(b - a).total_seconds() / 60 for a, b in itertools.pairwise(ordered)]
    total = round(sum(min(gap, PAUSE_CAP_MINUTES) for gap in gaps))
    return max(total, 1) if len(ordered) > 1 else 0


def is_on_the_way_in(stage: Stage, progress: Progress) -> bool:
    """Whether the device is still to be opened, so that its opening plan is of use; once the front is off
    nobody needs it.
    """
    step = progress.step
    return stage is Stage.PART_IN_HAND or (step is not None and step.phase in (Phase.PREPARE, Phase.OPEN))
