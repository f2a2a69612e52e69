"""The bench: one sheet, step after step, screws counted out and in, no step skipped."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sutura.core.bench.compiling import compile_sheet
from sutura.core.bench.done import Done
from sutura.core.bench.generated import COMPARE
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.rework import GLASS_ONLY
from sutura.core.bench.state import CLOSED, State
from sutura.core.bench.state import after as state_after
from sutura.core.bench.steps import every_step
from sutura.core.bench.written import device_state, written_steps
from sutura.core.catalogue.model import Goes, Model, Phase, ScrewGroup, Step
from sutura.core.errors import Invalid, StepBlocked
from sutura.core.facts import Say, fact
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.job import NO_PART, SERIAL, EventKind, Round, Stage
from sutura.core.maths.geometry import Box, Point, nearest_edge
from sutura.core.typed import read_whole
from sutura.core.values import COMMON, Rule

# A longer pause between two steps means the bench was left; only this much of it counts as work.
PAUSE_CAP_MINUTES = 30
# the kinds of events that are recorded at the bench: its opening, its steps, its tests
AT_THE_BENCH = (
    EventKind.OPENED,
    EventKind.STEP,
    EventKind.PROVED,
    EventKind.PROOF_FAILED,
    EventKind.TESTED_UNREPAIRED,
    EventKind.PART_CHANGED,
    EventKind.REOPENED,
    EventKind.GIVEN_UP,
    EventKind.FOR_THE_NIGHT,
    EventKind.NIGHT_OVER,
    EventKind.CLOSED,
    EventKind.CLOSED_UNREPAIRED,
)

# more screws than a sheet counts out at one step; the shop's, no source
MOST_SCREWS = 999
# plain steps shown and recorded together: as many as one keeps in mind; the shop's, no source
MOST_TOGETHER = 4

RULES = (
    Rule(
        id="bench.order",
        capability="bench",
        says=(
            "The next step is shown; any other whose constraints hold may be done first. None is skipped, "
            "and a step that waits for another is refused with what it waits for."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.frozen",
        capability="bench",
        says=(
            "A job keeps the sheet that was worked out when it was opened; a change of the catalogue does "
            "not change it."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.together",
        capability="bench",
        says=(
            f"Up to {MOST_TOGETHER} connectors that come off, or go on, after each other are shown together "
            "and recorded with one press. Everything else stands alone, the battery's connector too."
        ),
        source="the shop's rule, no source",
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
        id="bench.trained",
        capability="bench",
        says=(
            "Steps are recorded by someone trained for the procedure family, or by someone else "
            "under a trained "
            "person who is named; both names are kept."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.missing",
        capability="bench",
        says="A screw that was drawn as missing on arrival is not expected when its group comes out.",
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
        id="bench.other-part",
        capability="bench",
        says=(
            "A part that fails on the bench is taken back as what it is: whole ones to the shelf, defective "
            "and broken ones off it. The price stands until another offer is chosen."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.reopened",
        capability="bench",
        says=(
            "A fault that shows after the test opens the device again: what was closed is opened by the "
            "sheet, and every function is tested once more."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.unrepaired",
        capability="bench",
        says=(
            "A repair that is given up ends with a whole device: what is off is put on, what is out is put "
            "in and counted, then it is returned."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.resistance",
        capability="bench",
        says=(
            "Unexpected resistance means a missed screw or clip: stop and count. What is still in is shown – "
            "screws to come, counted short, of no step here – with the connectors that are plugged."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.night",
        capability="bench",
        says=(
            "An open device can be laid down for the night at any step: its sheet leads from how it lies "
            "there to one that lies safely. The next day takes it up again and goes on where the work was."
        ),
        source=COMMON,
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
class Progress:
    """Where the bench stands. `step` is the next one, None when all are done."""

    attempt: int
    steps: tuple[Step, ...]
    done: int
    step: Step | None
    expected: int | None
    # how many of the screws at this step were missing on arrival
    missing: int
    at_proof: bool
    out: int
    back: int
    counts_agree: bool
    is_open: bool
    # how it lies there, and its screws counted out and in by group
    state: State = CLOSED
    counts: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    # the steps that may be done now, the suggested one first
    possible: tuple[Step, ...] = ()
    # the ids of those of this round that are done
    finished: frozenset[str] = frozenset()

    @property
    def together(self) -> tuple[Step, ...]:
        """The steps shown and recorded with one press; one that was chosen instead stands alone."""
        if self.step is None:
            return ()
        if self.possible and self.step is not self.possible[0]:
            return (self.step,)
        return together(self.steps, self.step, tuple(self.finished))


_AIMS = {
    Round.WHOLE: Aim.REPAIR,
    Round.NEW_PART: Aim.REPAIR,
    Round.REWORK: Aim.RESEAT,
    Round.REOPENED: Aim.RESEAT,
    Round.CLOSING_UP: Aim.CLOSE,
    Round.FOR_THE_NIGHT: Aim.NIGHT,
    Round.SUSPECTED: Aim.REST,
}


def state_of(model: Model, done: Sequence[Done]) -> State:
    """How a device of pieces lies there after everything recorded."""
    return _state(_steps_by_id(model), done)


def _state(known: Mapping[str, Step], done: Sequence[Done]) -> State:
    return state_after(known[entry.step] for entry in done if entry.step in known)


def stays(model: Model, before: Sequence[Done], of_round: Mapping[int, Round]) -> frozenset[str]:
    """What was done with the new part before a night and is still so: it is not done again. Rounds before the
    last other part, and those that only closed the device, do not count.
    """
    known = _steps_by_id(model)
    first = max((attempt for attempt, work in of_round.items() if work is Round.NEW_PART), default=1)
    only_closed = {Round.FOR_THE_NIGHT, Round.CLOSING_UP}
    still: dict[str, str] = {}
    for entry in before:
        step = known.get(entry.step)
        if step is None or entry.attempt < first:
            continue
        if step.goes is Goes.OFF:
            still = {name: piece for name, piece in still.items() if piece != step.piece}
        elif (step.phase is not Phase.PREPARE or step.id == COMPARE) and of_round.get(
            entry.attempt
        ) not in only_closed:
            still[step.id] = step.piece
    return frozenset(still)


def of_round(model: Model, before: Sequence[Done], attempt: int) -> frozenset[str]:
    """What a round had done and is still so: what was put on in it and not taken off since."""
    known = _steps_by_id(model)
    still: dict[str, str] = {}
    for entry in before:
        step = known.get(entry.step)
        if step is None:
            continue
        if step.goes is Goes.OFF:
            still = {name: piece for name, piece in still.items() if piece != step.piece}
        elif entry.attempt == attempt:
            still[step.id] = step.piece
    return frozenset(still)


def steps_of(
    model: Model,
    work: Round,
    before: Sequence[Done] = (),
    *,
    route: str = "",
    box: Sequence[str] = (),
    kept: frozenset[str] = frozenset(),
) -> tuple[Step, ...]:
    """The steps of a round; `before` is what was recorded in the rounds before it, `kept` what of it still
    holds after a night.

    A model that says what is in it has them worked out from how the device lies there, for the route (its
    kind of part) and what the new part comes with (`box`).
    """
    if model.pieces:
        goal = _goal(model, work, route, box, kept)
        return compile_sheet(model, goal, state_of(model, before)).steps
    return written_steps(model, work, before)


def _goal(model: Model, work: Round, route: str, box: Sequence[str], done: frozenset[str]) -> Goal:
    """What a round leads to; a way that needs no part reseats instead of changing one."""
    kind = route if any(way.kind == route and way.has_sheet for way in model.ways) else model.ways[0].kind
    aim = _AIMS[work]
    if route in NO_PART and aim is Aim.REPAIR:
        return Goal(aim=Aim.RESEAT, route=kind, done=done, serial=route == SERIAL)
    return Goal(
        aim=aim,
        route=kind,
        box=frozenset(box),
        done=done,
        other=work is Round.NEW_PART,
        swapped=route not in NO_PART and route != GLASS_ONLY,
    )


def anew(
    model: Model, work: Round, attempt: int, done: Sequence[Done], *, route: str = "", box: Sequence[str] = ()
) -> tuple[Step, ...]:
    """The sheet of a round worked out anew from how the device lies there: what is done of it, then what is
    left by what the model says now.
    """
    known = _steps_by_id(model)
    here = [known[entry.step] for entry in done if entry.attempt == attempt and entry.step in known]
    goal = _goal(model, work, route, box, frozenset(step.id for step in here))
    left = compile_sheet(model, goal, state_of(model, done)).steps
    again = {step.id for step in left}
    return (*(step for step in here if step.id not in again), *left)


def progress(
    model: Model,
    attempt: int,
    done: Sequence[Done],
    *,
    proved: bool,
    work: Round = Round.WHOLE,
    missing: Mapping[str, int] | None = None,
    sheet: Sequence[Step] = (),
    route: str = "",
    box: Sequence[str] = (),
    chosen: str = "",
) -> Progress:
    """Where the bench stands, from what is recorded. The proof step is done when the proof has passed.

    `sheet` is the one the job keeps for this round, empty = worked out now; `chosen` is another step than the
    suggested one, by its id, where its constraints hold.
    """
    earlier = [entry for entry in done if entry.attempt < attempt]
    steps = tuple(sheet) or steps_of(model, work, earlier, route=route, box=box)
    finished = {entry.step for entry in done if entry.attempt == attempt}
    if proved:
        finished |= {step.id for step in steps if step.phase is Phase.PROOF}
    possible = _possible(model, steps, tuple(finished))
    step = next((step for step in possible if step.id == chosen), next(iter(possible), None))
    known = _steps_by_id(model)
    out, back = _counted(known, done)
    state = _state(known, done)
    return Progress(
        attempt=attempt,
        steps=steps,
        done=sum(s.id in finished for s in steps),
        step=step,
        expected=_expected(model, known, done, step, missing) if step else None,
        missing=(missing or {}).get(step.screws, 0) if step else 0,
        at_proof=step is not None and step.phase is Phase.PROOF,
        out=sum(out.values()),
        back=sum(back.values()),
        counts_agree=_agree(model, known, done),
        is_open=(state if model.pieces else device_state(model, done)).is_open,
        state=state,
        counts={group: (count, back.get(group, 0)) for group, count in out.items()},
        possible=possible,
        finished=frozenset(finished),
    )


def _possible(model: Model, steps: Sequence[Step], finished: Sequence[str]) -> tuple[Step, ...]:
    """The steps that may be done now, the suggested one first: those whose constraints hold. A sheet written
    by hand is one chain. Before the test nothing is done that comes after it.
    """
    left = [step for step in steps if step.id not in finished]
    if not model.pieces:
        return tuple(left[:1])
    return tuple(step for step in left if not set(step.after).difference(finished))


def missing_on_arrival(model: Model, marks: Sequence[Mark]) -> dict[str, int]:
    """How many screws of each group were missing on arrival, by the marks drawn at their places (rule
    bench.missing). A mark belongs to the nearest place of its side.
    """
    missing: dict[str, int] = {}
    for mark in marks:
        if mark.kind is not MarkKind.SCREW:
            continue
        away = [
            (_away(mark, place, model.face.outline), group.id)
            for group in model.screws
            for place in group.at or (None,)
            if _is_on(mark.side, group, model.face.outline)
        ]
        if away:
            group_id = min(away)[1]
            most = model.screw_group(group_id).count
            missing[group_id] = min(missing.get(group_id, 0) + 1, most)
    return missing


def _is_on(side: Side, group: ScrewGroup, outline: Box) -> bool:
    """Whether the screws of a group are on this side of the device."""
    if group.side == "edge" and side.is_edge:
        return not group.at or any(nearest_edge(place, outline)[0] == side.value for place in group.at)
    return group.side == "back" and side is Side.BACK


def _away(mark: Mark, place: Point | None, outline: Box) -> float:
    if place is None:
        return 0.0
    at = mark.points[0]
    if mark.side.is_edge:
        along = place.x if mark.side in (Side.TOP, Side.BOTTOM) else place.y
        return abs(along - at.x)
    # the back is drawn as it is seen, screws by their places from the front
    return min(math.dist((place.x, place.y), (x, at.y)) for x in (at.x, outline.width - at.x))


def expected_count(
    model: Model, done: Sequence[Done], step: Step, missing: Mapping[str, int] | None = None
) -> int | None:
    """Screws expected at a step: the sheet's number going out, without those that were missing on arrival;
    coming in, as many as came out, or the first of them and then the rest.
    """
    return _expected(model, _steps_by_id(model), done, step, missing)


def _expected(
    model: Model,
    known: Mapping[str, Step],
    done: Sequence[Done],
    step: Step,
    missing: Mapping[str, int] | None = None,
) -> int | None:
    if not step.screws:
        return None
    out, _ = _counted(known, done)
    there = model.screw_group(step.screws).count - (missing or {}).get(step.screws, 0)
    if not step.screws_in:
        return there
    taken = out.get(step.screws, there)
    if step.screws_part:
        return min(step.screws_part, taken)
    return max(taken - _set_before(known, done, step.screws), 0)


def _set_before(by_id: Mapping[str, Step], done: Sequence[Done], group: str) -> int:
    """How many screws of a group this round has set already, where the rest comes later."""
    parts = [
        entry.counted or 0
        for entry in done
        if entry.attempt == done[-1].attempt
        and entry.step in by_id
        and by_id[entry.step].screws == group
        and by_id[entry.step].screws_part
    ]
    return sum(parts)


def check_step(
    now: Progress, step_id: str, counted_text: str, reason: str, done: Sequence[Done] = (), attempt: int = 0
) -> int | None:
    """The count to record for a step done now; refuses a step out of turn and counts that do not agree. One
    that is done already (`done`, in this `attempt`) is refused with who did it and when.
    """
    text = next((step.text for step in now.steps if step.id == step_id), "")
    before = next((one for one in done if (one.attempt, one.step) == (attempt, step_id)), None)
    if before:
        raise Invalid("step", text, fact("bench.done-already", who=before.who, at=before.at))
    if now.step is None or now.step.id != step_id:
        raise Invalid("step", text, _waits_for(now, step_id))
    if now.at_proof:
        raise Invalid("step", text, fact("bench.test-every-function-step-done-when"))
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


def _waits_for(now: Progress, step_id: str) -> Say:
    """What a step that cannot be done now waits for; the next step, where that is no step of the sheet."""
    texts = {step.id: step.text for step in now.steps}
    waiting = next((step for step in now.steps if step.id == step_id and step.id not in now.finished), None)
    first = [one for one in waiting.after if one not in now.finished] if waiting else []
    may = {step.id for step in now.possible}
    if now.step and now.step.id not in first:
        for one in first:
            if one in may:
                return fact("bench.waits-for", first=texts[one])
    return fact(
        "bench.next-step", next_one=now.step.text if now.step else fact("bench.nothing-all-steps-done")
    )


def together(steps: Sequence[Step], step: Step, finished: Sequence[str] = ()) -> tuple[Step, ...]:
    """The steps shown and recorded together with `step`, itself first (rule bench.together)."""
    following = itertools.takewhile(
        lambda later: _is_plain(later) and later.goes is step.goes and later.phase is step.phase,
        (one for one in steps[steps.index(step) + 1 :] if one.id not in finished),
    )
    return (step, *itertools.islice(following, MOST_TOGETHER - 1)) if _is_plain(step) else (step,)


def _is_plain(step: Step) -> bool:
    """Whether a step is a connector that asks for nothing but to come off or go on."""
    asks = step.screws or step.heat or step.limits or step.wait_minutes or step.second_look
    return bool(step.plug and not step.plug.battery and step.goes in (Goes.OFF, Goes.ON) and not asks)


def check_together(now: Progress, step_ids: Sequence[str]) -> None:
    """Refuse steps recorded with one press that do not stand together on the sheet."""
    if now.step is None or len(step_ids) < 2:
        # a single one is looked at by itself: check_step says what it waits for
        return
    shown = tuple(step.id for step in now.together)
    if tuple(step_ids) != shown[: len(step_ids)]:
        texts = {step.id: step.text for step in now.steps}
        sent = " ".join(texts.get(name, "") for name in step_ids).strip()
        raise Invalid("step", sent[:120], fact("bench.next-step", next_one=now.step.text))


def _steps_by_id(model: Model) -> Mapping[str, Step]:
    return every_step(model)


def _counted(by_id: Mapping[str, Step], done: Sequence[Done]) -> tuple[dict[str, int], dict[str, int]]:
    """Screws counted out and in, by group; a later round's count replaces the earlier, within a round what
    is set at two steps adds up.
    """
    out: dict[str, int] = {}
    back: dict[str, int] = {}
    round_of: dict[str, int] = {}
    for entry in done:
        step = by_id.get(entry.step)
        if step is None or not step.screws or entry.counted is None:
            continue
        if step.screws_in:
            before = back.get(step.screws, 0) if round_of.get(step.screws) == entry.attempt else 0
            back[step.screws] = before + entry.counted
            round_of[step.screws] = entry.attempt
        else:
            out[step.screws] = entry.counted
            # taken out once more: what went in before is out again
            back.pop(step.screws, None)
            round_of.pop(step.screws, None)
    return out, back


def _agree(model: Model, by_id: Mapping[str, Step], done: Sequence[Done]) -> bool:
    out, back = _counted(by_id, done)
    steps = [by_id[entry.step] for entry in done if entry.reason and entry.step in by_id]
    explained = {step.screws for step in steps if step.screws_in}
    return all(out.get(g.id) == back.get(g.id) or g.id in explained for g in model.screws)


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
    return (stage is Stage.PART_IN_HAND and not progress.is_open) or (
        step is not None and step.phase in (Phase.PREPARE, Phase.OPEN)
    )
