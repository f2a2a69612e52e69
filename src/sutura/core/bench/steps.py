"""The steps of pieces and acts, as a sheet has them."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from sutura.core.catalogue.model import Act, Goes, Model, Phase, Piece, Plug, Step, Work


def ons_of(piece: Piece) -> list[str]:
    """The steps by which it goes on: the first screws and the rest, or at once."""
    return [piece.first.work.id, piece.on.id] if piece.first else [piece.on.id]


def step_of(piece: Piece, goes: Goes, phase: Phase) -> Step:
    first = piece.first.work if piece.first else piece.on
    work = {Goes.OFF: piece.off, Goes.ON: piece.on, Goes.FIRST: first}[goes]
    return replace(
        _plain(work, phase),
        piece=piece.id,
        goes=goes,
        screws=piece.screws,
        screws_in=bool(piece.screws) and goes is not Goes.OFF,
        screws_part=piece.first.screws if piece.first and goes is Goes.FIRST else 0,
        moves=piece.moves,
        plug=Plug(name=piece.plug, on=goes is not Goes.OFF, battery=piece.battery) if piece.plug else None,
    )


def step_of_act(act: Act) -> Step:
    return replace(_plain(act.work, act.phase), second_look=act.second_look, moves=act.moves)


def _plain(work: Work, phase: Phase) -> Step:
    return Step(
        id=work.id,
        phase=phase,
        text=work.text,
        tools=work.tools,
        cautions=work.cautions,
        limits=work.limits,
        heat=work.heat,
        wait_minutes=work.wait_minutes,
        looks=work.looks,
        minutes=work.minutes,
    )


def every_step(model: Model) -> dict[str, Step]:
    """Every step there can be on a sheet of a model, by its id. Those that a job keeps count first, unless
    they are of a list that knows no pieces.
    """
    found = _steps_of_pieces(model.pieces, model.acts)
    return found | {step.id: step for step in model.steps if step.piece or step.id not in found}


@lru_cache(maxsize=256)
def _steps_of_pieces(pieces: tuple[Piece, ...], acts: tuple[Act, ...]) -> dict[str, Step]:
    found = {act.id: step_of_act(act) for act in acts}
    for piece in pieces:
        for goes in (Goes.OFF, Goes.FIRST, Goes.ON) if piece.first else (Goes.OFF, Goes.ON):
            step = step_of(piece, goes, Phase.OPEN if goes is Goes.OFF else Phase.SWAP)
            found[step.id] = step
    return found
