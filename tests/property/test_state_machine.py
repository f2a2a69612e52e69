"""Rule: no path skips a guard. One state machine decides; the database holds the same pairs of stages."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from property.strategies import job_facts, moves

from sutura.config import MIGRATIONS
from sutura.core.errors import MoveRefused
from sutura.core.job import WAYS, JobFacts, Move, Stage, check_move
from sutura.core.stock.orders import RETURN_MOVES

WORK = (Move.QUOTE, Move.TAKE_PART, Move.OPEN, Move.PASS_PROOF, Move.CLOSE, Move.HAND_BACK)


@given(job_facts, moves)
def test_a_move_succeeds_only_by_a_way_whose_every_guard_holds(facts: JobFacts, move: Move) -> None:
    way = next((way for way in WAYS if way.move is move and way.start is facts.stage), None)
    if way is None or not all(guard.holds(facts) for guard in way.guards):
        with pytest.raises(MoveRefused) as refused:
            check_move(facts, move)
        assert refused.value.missing
    else:
        assert check_move(facts, move) is way.end


def with_fact(facts: JobFacts, name: str, value: bool) -> JobFacts:
    change: dict[str, Any] = {name: value}
    return replace(facts, **change)


@given(job_facts, moves, st.data())
def test_taking_any_one_guard_away_stops_the_move(facts: JobFacts, move: Move, data: st.DataObject) -> None:
    """Switching one fact to no can never let a move pass that was refused with it at yes (a failed test
    and an open device aside).
    """
    fact = data.draw(
        st.sampled_from(
            [
                n
                for n in JobFacts.__dataclass_fields__
                if n not in ("code", "stage", "proof_passed", "device_open")
            ]
        )
    )
    without = with_fact(facts, fact, False)

    def passes(one: JobFacts) -> bool:
        try:
            check_move(one, move)
        except MoveRefused:
            return False
        return True

    assert passes(without) <= passes(with_fact(facts, fact, True))


@given(st.lists(st.tuples(moves, job_facts), max_size=40))
def test_whoever_hands_back_has_been_through_every_stage_in_order(walk: list[tuple[Move, JobFacts]]) -> None:
    stage, seen = Stage.IDENTIFIED, [Stage.IDENTIFIED]
    for move, facts in walk:
        try:
            stage = check_move(replace(facts, stage=stage), move)
        except MoveRefused:
            continue
        seen.append(stage)
    if stage is Stage.HANDED_BACK:
        order = [Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND, Stage.OPENED, Stage.PROVED, Stage.CLOSED]
        assert [stage for stage in dict.fromkeys(seen) if stage in order] == order


def test_with_everything_in_order_the_work_goes_all_the_way() -> None:
    every: dict[str, Any] = {
        name: True for name in JobFacts.__dataclass_fields__ if name not in ("code", "stage", "heat_on")
    }
    stage = Stage.IDENTIFIED
    for move in WORK:
        stage = check_move(JobFacts(code="00-KV6", stage=stage, **every), move)
    assert stage is Stage.HANDED_BACK


def pairs_of(function: str) -> set[str]:
    """The pairs that a trigger's function allows, as the newest migration that writes it says."""
    texts = [file.read_text("utf-8") for file in sorted(MIGRATIONS.glob("0*.py"))]
    bodies = [text.partition(f"function {function}()")[2].partition("end $$;")[0] for text in texts]
    return set(re.findall(r"'([a-z_]+>[a-z_]+)'", next(body for body in reversed(bodies) if body)))


def test_the_database_allows_exactly_the_same_pairs_of_stages() -> None:
    in_core = {f"{way.start}>{way.end}" for way in WAYS if way.start is not way.end}
    assert pairs_of("check_job_stage") == in_core


def test_the_database_allows_exactly_the_same_steps_of_orders_and_returns() -> None:
    moves = {f"{state}>{to}" for state, following in RETURN_MOVES.items() for to in following}
    assert pairs_of("check_return_state") == moves
    assert pairs_of("check_order_state") == {
        "draft>asked",
        "asked>draft",
        "asked>sent",
        "draft>cancelled",
        "sent>closed",
    }


def test_from_every_stage_some_path_ends_with_the_customer() -> None:
    """Walked backwards from the ends, by the list of ways alone."""
    home = {Stage.HANDED_BACK, Stage.RETURNED}
    while more := {way.start for way in WAYS if way.end in home} - home:
        home |= more
    assert home == set(Stage)


@given(job_facts)
def test_an_open_device_is_never_declined(facts: JobFacts) -> None:
    opened = replace(facts, device_open=True, stage=Stage.PART_IN_HAND)
    with pytest.raises(MoveRefused, match="still open"):
        check_move(replace(opened, reason_given=True), Move.DECLINE)
