"""How long each step takes beside the others: what the pack says, else what is usual for its kind."""

from __future__ import annotations

from collections.abc import Iterable

from sutura.core.catalogue.model import Model, Phase, Piece, PieceKind, Step, Work
from sutura.core.values import COMMON, Rule

# a minute for what is usual, each way; common practice, no source
USUAL = {PieceKind.SCREWS: 0.5, PieceKind.CONNECTOR: 0.5, PieceKind.COVER: 1.0, PieceKind.ADHESIVE: 3.0}
EACH_SCREW, AN_ACT, A_TEST = 0.25, 1.0, 5.0

RULES = (
    Rule(
        id="bench.step-minutes",
        capability="bench",
        says=(
            "A step takes the minutes its pack says; else what is usual: half a minute and a quarter for "
            "each screw, half a minute a connector, one a cover, three what is glued, one anything done "
            "between, five a test; and as long as it is heated or waited for. Of two ways to reach a "
            "piece the quicker is taken."
        ),
        source=COMMON,
    ),
)


def work_minutes(work: Work, usual: float) -> float:
    """Minutes of a piece of work, with its heating and its wait."""
    return (work.minutes or usual) + (work.heat.minutes if work.heat else 0.0) + work.wait_minutes


def off_minutes(model: Model, piece: Piece) -> float:
    """How long it takes to take a piece off."""
    screws = model.screw_group(piece.screws).count if piece.screws else 0
    return work_minutes(piece.off, USUAL[piece.kind] + EACH_SCREW * screws)


def sheet_minutes(model: Model, steps: Iterable[Step]) -> float:
    """How long some steps take together."""
    kinds = {piece.id: piece.kind for piece in model.pieces}
    total = 0.0
    for step in steps:
        usual = USUAL[kinds[step.piece]] if step.piece in kinds else AN_ACT
        if step.phase is Phase.PROOF:
            usual = A_TEST
        screws = model.screw_group(step.screws).count if step.screws else 0
        heated = step.heat.minutes if step.heat else 0.0
        total += (step.minutes or usual + EACH_SCREW * screws) + heated + step.wait_minutes
    return total
