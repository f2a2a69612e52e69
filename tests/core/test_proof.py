"""Baseline against proof: all nine pairs of outcomes, and what the shop answers for. Common practice, no
source.
"""

from __future__ import annotations

import pytest
from builders import said

from sutura.core.catalogue.model import Function
from sutura.core.proof.answering import Compared, ProofChange, advice, compare, reading_of
from sutura.core.values import FunctionResult, Outcome

W, F, N = Outcome.WORKS, Outcome.FAULTY, Outcome.NOT_TESTABLE


def compared(before: Outcome, after: Outcome, *, screen: bool = False) -> Compared:
    function = Function(id="x", name="Earpiece", how="", screen=screen)
    was = {"x": FunctionResult(function="x", outcome=before, reason="" if before is W else "why")}
    now = {"x": FunctionResult(function="x", outcome=after, reason="" if after is W else "how")}
    return compare([function], was, now).compared[0]


@pytest.mark.parametrize(
    ("before", "after", "change", "answer_for", "fails"),
    [
        (W, W, ProofChange.KEPT, False, False),
        (W, F, ProofChange.OURS, True, True),
        (W, N, ProofChange.UNPROVED, True, False),
        (F, W, ProofChange.REPAIRED, False, False),
        (F, F, ProofChange.WAS_FAULTY, False, False),
        (F, N, ProofChange.WAS_FAULTY, False, False),
        (N, W, ProofChange.NOW_WORKS, False, False),
        (N, F, ProofChange.UNCLEAR, False, False),
        (N, N, ProofChange.NEVER_TESTED, False, False),
    ],
)
def test_each_pair_of_outcomes_has_one_meaning(
    before: Outcome, after: Outcome, change: ProofChange, answer_for: bool, fails: bool
) -> None:
    one = compared(before, after)
    assert (one.change, one.answer_for, one.fails) == (change, answer_for, fails)


@pytest.mark.parametrize("before", [W, F, N])
@pytest.mark.parametrize("after", [F, N])
def test_what_the_new_screen_supplies_must_work_whatever_it_did_before(
    before: Outcome, after: Outcome
) -> None:
    assert compared(before, after, screen=True).fails


def test_the_shop_is_never_blamed_for_what_was_broken_on_arrival() -> None:
    assert not compared(F, F, screen=True).answer_for


def test_the_reason_written_now_stands_in_the_meaning() -> None:
    assert "(how)" in said(compared(W, F).why)


def test_a_proof_passes_only_when_nothing_fails() -> None:
    function = Function(id="x", name="Touch", how="", screen=True)
    works, faulty = (
        {"x": FunctionResult(function="x", outcome=o, reason="r" if o is F else "")} for o in (W, F)
    )
    assert compare([function], works, works).passed
    failed = compare([function], works, faulty)
    assert not failed.passed
    assert "reseat the connectors" in said(advice(failed.failing))
    assert said(advice(())) == ""


def test_why_a_screen_must_work_is_said_once() -> None:
    """A function of the screen that the shop broke says so; one that never worked says that the new screen
    must make it work.
    """

    def why(before: Outcome, after: Outcome, *, screen: bool = True) -> str:
        return said(compared(before, after, screen=screen).why)

    must = "new screen"
    assert must not in why(W, F)
    assert must in why(F, F)
    assert must in why(N, F)
    assert must not in why(W, W)
    assert must not in why(F, W)
    assert must not in why(F, F, screen=False)


SIGNAL = Function(id="x", name="Wireless", how="", unit="dBm", worse_by=10)


@pytest.mark.parametrize(
    ("was", "now", "change"),
    [
        ("-60 dBm", "-70 dBm", ProofChange.KEPT),
        ("-60", "-70,5", ProofChange.OURS),
        ("−60 dBm", "read −71 dBm", ProofChange.OURS),
        ("-70", "-60", ProofChange.KEPT),
        ("", "-90", ProofChange.KEPT),
        ("-60", "joined", ProofChange.KEPT),
    ],
)
def test_a_signal_that_fell_since_arrival_is_answered_for(was: str, now: str, change: ProofChange) -> None:
    """Antennas by their reading against arrival; 10 dB: a tenth of the power. Common practice, no source."""
    before = {"x": FunctionResult(function="x", outcome=W, reason=was)}
    after = {"x": FunctionResult(function="x", outcome=W, reason=now)}
    one = compare([SIGNAL], before, after).compared[0]
    assert (one.change, one.fails) == (change, change is ProofChange.OURS)
    assert ("weaker" in said(one.why)) is (change is ProofChange.OURS)


def test_a_reading_is_the_first_number_of_a_function_that_is_read() -> None:
    result = FunctionResult(function="x", outcome=W, reason="2 bars, -64 dBm")
    assert reading_of(SIGNAL, result) == 2
    assert reading_of(Function(id="x", name="Touch", how=""), result) is None
    assert compared(F, F, screen=False).change is ProofChange.WAS_FAULTY


def test_what_was_faulty_and_fell_as_well_stays_what_it_was() -> None:
    before = {"x": FunctionResult(function="x", outcome=F, reason="-60")}
    after = {"x": FunctionResult(function="x", outcome=F, reason="-90")}
    assert compare([SIGNAL], before, after).compared[0].change is ProofChange.WAS_FAULTY
