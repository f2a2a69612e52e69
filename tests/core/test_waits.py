"""Waits at the bench, cautions that are so, and what a step has to hold. Common practice, no source."""

from __future__ import annotations

import re
from datetime import timedelta
from typing import Any

import pytest
from builders import NOW, examples, models, said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.bench.cautioning import cautions_at
from sutura.core.bench.heat import AT_THE_CELL, HeatReading, Reading, judge_heat, not_held
from sutura.core.bench.rework import Meaning, Path, Rung, Tried, path, round_after, rounds
from sutura.core.bench.serials import PROGRAMMER, Asked, Outcome
from sutura.core.bench.serials import not_held as serial_not_held
from sutura.core.bench.steps import every_step
from sutura.core.bench.waits import (
    PassedKind,
    Wait,
    WaitKind,
    check_start,
    check_wait,
    kind_of,
    may_let_pass,
    running,
)
from sutura.core.catalogue.cautions import CAUTIONS, DERIVED
from sutura.core.catalogue.model import CUTS, Heat, HeatLimit, Phase, Step
from sutura.core.errors import Invalid
from sutura.core.facts import Fact
from sutura.core.job import EventKind, Round

SOAK = Step(
    id="plate",
    phase=Phase.OPEN,
    text="On the plate.",
    wait_minutes=20,
    heat=Heat(target_c=60, minutes=20, with_what="plate", where="glass"),
)
CURE = Step(id="glue", phase=Phase.CLOSE, text="Glue.", wait_minutes=6)
REST = Step(id="charge", phase=Phase.PREPARE, text="Charge it.", wait_minutes=10)


def wait(step: Step, **more: Any) -> Wait:
    told: dict[str, Any] = {"attempt": 1, "step": step.id, "minutes": step.wait_minutes, "started_at": NOW}
    return Wait(started_by="Bram", **(told | more))


def test_what_is_waited_for_is_told_apart() -> None:
    assert [kind_of(one) for one in (SOAK, CURE, REST)] == [WaitKind.SOAK, WaitKind.CURE, WaitKind.REST]


@examples(60)
@given(st.integers(1, 3000), st.integers(-10, 4000), st.booleans(), st.text(max_size=4))
def test_a_wait_is_over_by_the_clock_or_by_a_reason_and_a_cure_by_the_clock_alone(
    minutes: int, later_s: int, started: bool, reason: str
) -> None:
    """The judge counts seconds."""
    at = NOW + timedelta(seconds=max(later_s, 0))
    over = started and max(later_s, 0) >= minutes * 60
    for step in (SOAK, CURE, REST):
        asked = Step(id=step.id, phase=step.phase, text="", heat=step.heat, wait_minutes=minutes)
        there = wait(asked) if started else None
        refused = not over and (kind_of(asked) is WaitKind.CURE or not reason.strip())
        try:
            passed = check_wait(asked, there, at, reason)
        except Invalid:
            assert refused
            continue
        assert not refused
        assert (passed is None) is over


def test_a_step_without_a_wait_asks_for_none_and_has_no_timer() -> None:
    plain = Step(id="x", phase=Phase.OPEN, text="")
    assert check_wait(plain, None, NOW, "") is None
    for step in (plain, None):
        with pytest.raises(Invalid, match="a step of this sheet that waits"):
            check_start(step, None)
    assert check_start(SOAK, None) is SOAK
    with pytest.raises(Invalid, match="runs already, started by Bram"):
        check_start(SOAK, wait(SOAK))


def test_the_wait_that_runs_is_the_steps_own_in_this_round() -> None:
    ended = wait(SOAK, ended_at=NOW + timedelta(minutes=3), ended_by="Bram")
    runs, before = wait(SOAK), wait(SOAK, attempt=2)
    assert running([ended, before], 1, "plate") is None
    assert running([ended, runs], 1, "plate") is runs
    assert running([runs], 1, "glue") is None
    assert (ended.waited, runs.waited) == (3, 0)
    assert runs.left(NOW + timedelta(seconds=61)) == 19
    assert runs.left(NOW + timedelta(minutes=19, seconds=59)) == 1


# -- heat ---------------------------------------------------------------------------------------------

PHONE = Step(
    id="warm",
    phase=Phase.OPEN,
    text="Warm it.",
    heat=Heat(target_c=60, minutes=2, with_what="pad", where="edges"),
)
LIMITS = (HeatLimit(where="edges", max_c=60, why=""), HeatLimit(where=AT_THE_CELL, max_c=50, why=""))


def judged(*readings: tuple[float, float], step: Step = PHONE, edge: str = "") -> HeatReading:
    assert step.heat
    return judge_heat(step.heat, LIMITS, [Reading(at_s=s, c=c) for s, c in readings], edge=edge)


@examples(200)
@given(
    st.lists(st.tuples(st.integers(0, 300), st.integers(20, 75)), max_size=7, unique_by=lambda pair: pair[0])
)
def test_a_heated_step_holds_its_window_for_its_time_by_a_judge_of_seconds(
    read: list[tuple[int, int]],
) -> None:
    """From the rule: the last reading lies from five below the target to the ceiling, and so did all since
    one that is two minutes older.
    """
    readings = sorted(read)
    held = bool(readings) and 55 <= readings[-1][1] <= 60
    if held:
        since = readings[-1][0]
        for at, c in reversed(readings):
            if c < 55:
                break
            since = at
        held = readings[-1][0] - since >= 120
    assert (not_held(PHONE, {"": judged(*readings)}) == "") is held


def test_every_place_that_was_read_has_to_hold_and_the_cell_only_its_ceiling() -> None:
    warm = judged((0, 56), (120, 57))
    assert not_held(PHONE, {"top": warm, "left": warm}) == ""
    cold = not_held(PHONE, {"top": warm, "left": judged((0, 40))})
    assert isinstance(cold, Fact)
    assert said(cold) == "left was last read at 40 °C, wanted is 55–60 °C"
    cell = judged((0, 30), edge=AT_THE_CELL)
    assert not_held(PHONE, {"": warm, AT_THE_CELL: cell}) == ""
    assert "above 50 °C" in said(not_held(PHONE, {"": warm, AT_THE_CELL: judged((0, 51), edge=AT_THE_CELL)}))
    # the cell alone says nothing of the edges
    assert "no reading taken (edges)" in said(not_held(PHONE, {AT_THE_CELL: cell}))
    assert not_held(Step(id="x", phase=Phase.OPEN, text=""), {}) == ""


def test_what_is_warmed_for_seconds_or_by_the_clock_needs_one_reading() -> None:
    """W07: five seconds with the gun; W16: twenty minutes by the timer of the plate."""
    gun = Step(
        id="g",
        phase=Phase.OPEN,
        text="",
        heat=Heat(target_c=60, minutes=0.08, with_what="gun", where="edges"),
    )
    assert not_held(gun, {"": judged((0, 57), step=gun)}) == ""
    assert not_held(SOAK, {"": judged((0, 57), step=SOAK)}) == ""
    assert not_held(PHONE, {"": judged((0, 57))}) != ""


@pytest.mark.parametrize("model", models().values(), ids=lambda model: model.id)
def test_every_heated_step_of_every_model_can_be_held(model: Any) -> None:
    """A window is five wide at least, and lies under every ceiling of its place."""
    for step in every_step(model).values():
        if step.heat:
            window = judge_heat(step.heat, model.heat_limits, []).window
            assert window[1] - window[0] >= 5
            limits = [one.max_c for one in model.heat_limits if one.where == step.heat.where]
            assert all(window[1] <= limit for limit in limits)


# -- cautions ------------------------------------------------------------------------------------------


@pytest.mark.parametrize("model", models().values(), ids=lambda model: model.id)
def test_cautions_agree_with_their_step(model: Any) -> None:
    for step in every_step(model).values():
        texts = " ".join(text for _, _, text in cautions_at(step, ("glass",), first_of_phase=True))
        if step.heat and step.heat.target_c > 60:
            assert "hand can stay on" not in texts
        if step.heat:
            assert "Never heat" not in texts
        if not CUTS.intersection(step.tools):
            assert "spot you cut" not in texts
        assert "shows through the front" not in texts
        assert not DERIVED.intersection(step.cautions)
    assert set(CAUTIONS) > DERIVED


# -- what is tried, and what follows ------------------------------------------------------------------------

IMAGE = frozenset({"image"})


def tried(*rounds_: Round) -> list[Tried]:
    return [Tried(round=one, failed=IMAGE) for one in rounds_]


def test_what_was_reseated_once_without_effect_is_not_reseated_again() -> None:
    assert round_after(path(tried(Round.WHOLE))) is Round.REWORK
    for again in (Round.REWORK, Round.REOPENED):
        found = path(tried(Round.WHOLE, again))
        assert found
        assert (found.meaning, found.next, round_after(found)) == (
            Meaning.PART_SUSPECTED,
            Rung.OTHER_PART,
            Round.SUSPECTED,
        )
    two_parts = path(tried(Round.WHOLE, Round.REWORK, Round.NEW_PART))
    assert (two_parts and two_parts.next, round_after(two_parts)) == (Rung.BOARD, Round.SUSPECTED)
    other = [*tried(Round.WHOLE), Tried(round=Round.REWORK, failed=frozenset({"touch"}))]
    assert round_after(path(other)) is Round.REWORK
    assert round_after(None) is Round.REWORK


def test_a_display_that_fails_under_new_glass_needs_the_front_and_no_reseat() -> None:
    """W15."""
    found = path(tried(Round.WHOLE), IMAGE)
    assert found == Path(tries=tuple(tried(Round.WHOLE)), meaning=Meaning.DISPLAY_FAILED, next=Rung.FRONT)
    assert round_after(found) is Round.SUSPECTED
    # what the display does not do is looked for as usual
    touch = [Tried(round=Round.WHOLE, failed=frozenset({"microphone"}))]
    assert round_after(path(touch, IMAGE)) is Round.REWORK


def test_after_a_night_a_round_goes_on_as_what_it_was() -> None:
    night = [EventKind.FOR_THE_NIGHT, EventKind.NIGHT_OVER]
    assert rounds([EventKind.PROOF_FAILED, *night])[4] is Round.REWORK
    assert rounds([EventKind.GIVEN_UP, *night])[4] is Round.CLOSING_UP
    # another part is begun only once
    assert rounds([EventKind.PART_CHANGED, *night])[4] is Round.WHOLE


# -- the serial of a paired display --------------------------------------------------------------------------

READ = Step(id="read-serial", phase=Phase.PREPARE, text="", tools=("serial programmer",))
WRITE = Step(id="write-serial", phase=Phase.SWAP, text="", tools=("serial programmer",))


@pytest.mark.parametrize(
    ("step", "asked", "known", "pieces", "holds"),
    [
        (READ, [], "", [7], False),
        (READ, [], "DS-1", [7], True),
        (READ, [(Outcome.READ, None)], "", [7], True),
        (READ, [(Outcome.SILENT, 7)], "", [7], False),
        (WRITE, [(Outcome.READ, None)], "DS-1", [7], False),
        (WRITE, [(Outcome.WRITTEN, 7)], "", [7], True),
        # what was written into a display that went back says nothing of this one
        (WRITE, [(Outcome.WRITTEN, 6)], "", [7], False),
        (WRITE, [(Outcome.WRITTEN, 7), (Outcome.NOT_KEPT, 7)], "", [7], False),
        (WRITE, [(Outcome.SILENT, 7), (Outcome.WRITTEN, 7)], "", [7], True),
        (WRITE, [(Outcome.WRITTEN, None)], "", [7], True),
        (WRITE, [(Outcome.WRITTEN, 6)], "", [], True),
        (Step(id="x", phase=Phase.SWAP, text=""), [], "", [], True),
    ],
)
def test_a_step_with_the_programmer_is_done_when_the_serial_is_where_it_belongs(
    step: Step, asked: list[tuple[Outcome, int | None]], known: str, pieces: list[int], holds: bool
) -> None:
    answers = [Asked(outcome=outcome, serial="S", piece_id=piece) for outcome, piece in asked]
    assert (serial_not_held(step, answers, known, pieces) is None) is holds


@pytest.mark.parametrize("trained", [False, True])
@pytest.mark.parametrize("manages", [False, True])
def test_a_reason_is_only_asked_for_what_it_can_let_pass(*, trained: bool, manages: bool) -> None:
    serial = Step(id="write", phase=Phase.OPEN, text="Write it.", tools=(PROGRAMMER,))

    def passes(step: Step | None) -> frozenset[PassedKind]:
        return may_let_pass(step, trained=trained, manages=manages)

    heat = {PassedKind.HEAT} if trained or manages else set()
    assert passes(SOAK) == {PassedKind.WAIT} | heat
    assert passes(CURE) == passes(None) == passes(Step(id="x", phase=Phase.OPEN, text="Lift it.")) == set()
    assert passes(REST) == {PassedKind.WAIT}
    assert passes(serial) == ({PassedKind.SERIAL} if manages else set())


@pytest.mark.parametrize("model", models().values(), ids=list(models()))
def test_a_step_that_names_minutes_waits_by_the_clock(model: Any) -> None:
    """What is only written in a text nobody waits for: it is a wait, a heat, or the cure of the seal."""
    named = re.compile(r"\b(\d+|two|three|five|ten|twenty|thirty) (minutes|hours)\b")
    for step in model.steps:
        if named.search(step.text):
            cures = model.cure_minutes if step.phase is Phase.CLOSE else 0
            assert step.wait_minutes or step.heat or cures, step.text
