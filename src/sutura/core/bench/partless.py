"""Repairs that need no part: every connector off and on again, and a serial moved to a display that is fitted
already.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sutura.core.bench.closure import Unreachable
from sutura.core.bench.compiling import compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.ordering import Circular
from sutura.core.bench.times import sheet_minutes
from sutura.core.catalogue.model import Model, PieceKind
from sutura.core.facts import Say, fact
from sutura.core.job import RESEAT, SERIAL
from sutura.core.values import COMMON, Rule

# what a way without a part is called
NAMES: Mapping[str, Say] = {RESEAT: fact("partless.reseat"), SERIAL: fact("partless.serial")}
_WHY: Mapping[str, Say] = {RESEAT: fact("partless.reseat-why"), SERIAL: fact("partless.serial-why")}

RULES = (
    Rule(
        id="bench.no-part",
        capability="bench",
        says=(
            "What is a loose connector is reseated, and a display that the device does not know is given its "
            "serial: neither needs a part, each has its own sheet, and its minutes are its share of those "
            "of the whole sheet. A serial is moved only where the device knows its display by it."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Partless:
    """A way that needs no part: what it is called, why it may help, and its minutes."""

    kind: str
    name: Say
    why: Say
    minutes: int


def partless_ways(model: Model) -> tuple[Partless, ...]:
    """The ways of a model that need no part; none of one that has no pieces, or no connector."""
    if not any(piece.kind is PieceKind.CONNECTOR for piece in model.pieces):
        return ()
    kinds = (RESEAT, SERIAL) if model.need.get("pairing") == "serial" else (RESEAT,)
    found = []
    for kind in kinds:
        share = _share(model, kind)
        if share:
            found.append(
                Partless(
                    kind=kind, name=NAMES[kind], why=_WHY[kind], minutes=max(round(model.minutes * share), 1)
                )
            )
    return tuple(found)


def _share(model: Model, kind: str) -> float:
    """Its share of the minutes of the whole sheet; nothing where its own cannot be made."""
    goal = Goal(aim=Aim.RESEAT, route=str(model.need["kind"]), serial=kind == SERIAL)
    try:
        steps = compile_sheet(model, goal).steps
    except (Unreachable, Circular):
        return 0.0
    return min(sheet_minutes(model, steps) / sheet_minutes(model, model.steps), 1.0)
