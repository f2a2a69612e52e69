"""Cautions at a step: the sheet's own in words that are so there, and those that the damage calls for."""

from __future__ import annotations

import re
from collections.abc import Sequence

from sutura.core.bench.ways import HAND_C
from sutura.core.catalogue.cautions import CAUTIONS
from sutura.core.catalogue.model import CUTS, Phase, Step
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="bench.glass",
        capability="bench",
        says=(
            "What the damage calls for is said once a phase until the old front is off, and again "
            "wherever that front is handled."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.cautions-are-so",
        capability="bench",
        says=(
            "A caution says what holds at its step: what is hotter than a hand can bear is not called warm, "
            "a cell that lies behind a heated place has its limit said, and what is not cut is not read "
            "where it is cut."
        ),
        source=COMMON,
    ),
)

# steps at which the broken front is handled: cut, lifted, or stripped of what is moved over
_OLD_FRONT = re.compile(r"\bold (?:screen|front|glass|panel)\b", re.IGNORECASE)


def _handles_old_front(step: Step) -> bool:
    return bool(CUTS.intersection(step.tools)) or bool(_OLD_FRONT.search(step.text))


def cautions_at(step: Step, damage: Sequence[str], *, first_of_phase: bool) -> list[tuple[str, str, str]]:
    """Cautions to show at a step as (id, title, text): the sheet's own, and those the damage calls for – once
    a phase until the old front is off, and again wherever it is handled (rule bench.glass).
    """
    names = list(step.cautions)
    before_swap = step.phase in (Phase.PREPARE, Phase.OPEN)
    handled = _handles_old_front(step)
    if (first_of_phase and before_swap) or (handled and (before_swap or step.phase is Phase.SWAP)):
        names = [*(name for name in damage if name not in names), *names]
    return [(name, *CAUTIONS[_as_it_is(name, step)]) for name in dict.fromkeys(names)]


def _as_it_is(name: str, step: Step) -> str:
    """The caution in the words that hold at this step (rule bench.cautions-are-so)."""
    if name == "hot" and step.heat and step.heat.target_c > HAND_C:
        return "hotter-than-a-hand"
    if name == "hot" and not CUTS.intersection(step.tools) and not step.heat:
        return "warm-cable"
    if name == "cell" and step.heat:
        return "cell-behind-heat"
    return name
