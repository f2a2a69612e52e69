"""The proof: the function list again, held against the baseline. The difference is what the shop answers
for.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.catalogue.model import Function
from sutura.core.facts import NOTHING_SAID, Say, fact
from sutura.core.intake.arrival import arrived_with
from sutura.core.values import COMMON, FunctionResult, Outcome, Rule


class ProofChange(StrEnum):
    """What became of one function between arrival and now."""

    KEPT = "kept"
    REPAIRED = "repaired"
    WAS_FAULTY = "was_faulty"
    OURS = "ours"
    UNPROVED = "unproved"
    NOW_WORKS = "now_works"
    UNCLEAR = "unclear"
    NEVER_TESTED = "never_tested"


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """One function compared. `answer_for` = the shop answers for it; `fails` = it stops the proof."""

    function: Function
    before: FunctionResult
    after: FunctionResult
    change: ProofChange
    answer_for: bool
    fails: bool
    why: Say


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofReading:
    passed: bool
    compared: tuple[Compared, ...]

    @property
    def answer_for(self) -> tuple[Compared, ...]:
        return tuple(comparison for comparison in self.compared if comparison.answer_for)

    @property
    def failing(self) -> tuple[Compared, ...]:
        return tuple(comparison for comparison in self.compared if comparison.fails)


RULES = (
    Rule(
        id="proof.answer-for",
        capability="proof",
        says=(
            "The shop answers for a function that worked on arrival and does not now; not for one that "
            "was faulty on arrival."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.screen",
        capability="proof",
        says=(
            "A function the new screen supplies must work, whatever it did on arrival; not tested is "
            "not enough."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.all-the-same",
        capability="proof",
        says=(
            "A manager may let a device go on although a function does not work that must, with a reason: "
            "the names and the reason stand on the customer's receipt."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.second-look",
        capability="proof",
        says=(
            "Where the shop wants it, a beginner's work – untrained, or written as 1.25 times the sheet or "
            "more – is looked at by a second person who is trained, before it is sealed."
        ),
        source="the shop's, no source",
    ),
    Rule(
        id="proof.reading",
        capability="proof",
        says=(
            "A function that is read in numbers – an antenna's signal – works where it did, and is not "
            "further down than its model allows since arrival; where either reading is missing, its answer "
            "counts alone."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.unclear",
        capability="proof",
        says=(
            "Not testable on arrival and faulty now is unclear: it is told to the customer and neither "
            "blamed nor hidden."
        ),
        source=COMMON,
    ),
)

_W, _F, _N = Outcome.WORKS, Outcome.FAULTY, Outcome.NOT_TESTABLE
_CHANGES = {
    (_W, _W): ProofChange.KEPT,
    (_W, _F): ProofChange.OURS,
    (_W, _N): ProofChange.UNPROVED,
    (_F, _W): ProofChange.REPAIRED,
    (_F, _F): ProofChange.WAS_FAULTY,
    (_F, _N): ProofChange.WAS_FAULTY,
    (_N, _W): ProofChange.NOW_WORKS,
    (_N, _F): ProofChange.UNCLEAR,
    (_N, _N): ProofChange.NEVER_TESTED,
}


def is_whole(baseline: Mapping[str, FunctionResult], after: Mapping[str, FunctionResult]) -> bool:
    """Whether a test covers all that was asked on arrival: what a model gains later makes no test a part of
    one.
    """
    return bool(after) and after.keys() >= baseline.keys()


def compare(
    functions: Sequence[Function], baseline: Mapping[str, FunctionResult], after: Mapping[str, FunctionResult]
) -> ProofReading:
    """Hold the proof against the baseline, by the functions that the proof covers. What the baseline does not
    have was not tested on arrival (rule intake.functions-kept).
    """
    compared = tuple(
        _compare(function, arrived_with(function.id, baseline), after[function.id])
        for function in functions
        if function.id in after
    )
    return ProofReading(passed=not any(compared_one.fails for compared_one in compared), compared=compared)


_READ = re.compile(r"[-−–]?\d+(?:[.,]\d+)?")


def reading_of(function: Function, result: FunctionResult) -> float | None:
    """The number that was read, from what stands beside an answer; None where none was, or the function is
    not read in numbers.

    >>> signal = Function(id="wireless", name="Wireless", how="", unit="dBm", worse_by=10)
    >>> reading_of(signal, FunctionResult(function="wireless", outcome=Outcome.WORKS, reason="−61 dBm"))
    -61.0
    """
    found = _READ.search(result.reason) if function.unit else None
    return float(re.sub("[−–]", "-", found[0]).replace(",", ".")) if found else None


def _fell_by(function: Function, before: FunctionResult, after: FunctionResult) -> float:
    """How far a reading fell below what is allowed; 0 where it did not, or nobody read it twice."""
    was, now = reading_of(function, before), reading_of(function, after)
    if was is None or now is None or was - now <= function.worse_by:
        return 0.0
    return was - now


def _compare(function: Function, before: FunctionResult, after: FunctionResult) -> Compared:
    change = _CHANGES[before.outcome, after.outcome]
    fell = _fell_by(function, before, after)
    if fell and change is ProofChange.KEPT:
        change = ProofChange.OURS
    screen_fails = function.screen and after.outcome is not Outcome.WORKS
    fails = change is ProofChange.OURS or screen_fails
    why = fact("proof.change", change=change)
    if fell:
        why = fact("proof.fell", said=why, by=round(fell, 1), unit=function.unit, most=function.worse_by)
    elif after.reason:
        why = fact("proof.with-reason", said=why, reason=after.reason)
    if screen_fails and change is not ProofChange.OURS:
        why = fact("proof.new-screen-must-make-work", said=why)
    return Compared(
        function=function,
        before=before,
        after=after,
        change=change,
        answer_for=change in (ProofChange.OURS, ProofChange.UNPROVED),
        fails=fails,
        why=why,
    )


def advice(failing: Sequence[Compared]) -> Say:
    """What to try first when a proof fails. Source: common practice."""
    if not failing:
        return NOTHING_SAID
    names = tuple(comparison.function.name.lower() for comparison in failing)
    return fact("proof.failed-switch-device-off-take-battery", names=names)
