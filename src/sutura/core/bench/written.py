"""Sheets that are written step by step, as packs of format 2 have them: one chain, and what a round takes of
it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.bench.done import Done
from sutura.core.catalogue.model import Model, Phase, Step
from sutura.core.job import Round


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceState:
    """How the device lies there, by what is recorded: screw groups that are out, plugs that are off, and
    steps that prepare or open it and hold until it is closed (warming, folding open).
    """

    out: frozenset[str]
    off: frozenset[str]
    opened: frozenset[str]

    @property
    def is_open(self) -> bool:
        return bool(self.out or self.off or self.opened)


def device_state(model: Model, done: Sequence[Done]) -> DeviceState:
    """What is out, off and open after everything recorded; closing undoes the opening.

    The look at the end is the last step of a sheet: after it the device is whole.
    """
    by_id = {step.id: step for step in model.steps}
    out: set[str] = set()
    off: set[str] = set()
    opened: set[str] = set()
    for step in (by_id[entry.step] for entry in done if entry.step in by_id):
        if step.screws:
            # a group of which only the first screws are in is still out
            if not step.screws_part:
                (out.discard if step.screws_in else out.add)(step.screws)
        elif step.plug:
            (off.discard if step.plug.on else off.add)(step.plug.name)
        elif step.phase in (Phase.PREPARE, Phase.OPEN):
            opened.add(step.id)
        elif step.phase is Phase.CLOSE:
            opened.clear()
    return DeviceState(out=frozenset(out), off=frozenset(off), opened=frozenset(opened))


def written_steps(model: Model, work: Round, before: Sequence[Done] = ()) -> tuple[Step, ...]:
    """The steps of a round; `before` is what was recorded in the rounds before it.

    - whole: the sheet;
    - rework after a failed test: the connectors reseated, the proof, the closing;
    - reopened: what was closed again is opened, then as after a failed test;
    - new part: what is not open yet is opened, the swap is done again, the proof, the closing;
    - closing up unrepaired: what is off is put on, what is out is put in, and the device is closed.
    """
    if work is Round.WHOLE:
        return model.steps
    state = device_state(model, before)
    if work is Round.CLOSING_UP:
        return _closing_up(model, state)
    proof_and_close = [step for step in model.steps if step.phase in (Phase.PROOF, Phase.CLOSE)]
    way_in = [
        step
        for step in model.steps
        if step.phase in (Phase.PREPARE, Phase.OPEN) and not _is_so(step, state) and work is not Round.REWORK
    ]
    if work is Round.NEW_PART:
        inside = [
            step
            for step in model.steps
            if step.phase is Phase.SWAP
            and not (step.screws and not step.screws_in and step.screws in state.out)
        ]
    else:
        inside = _reseated(model, state, way_in)
    return tuple(dict.fromkeys((*way_in, *inside, *proof_and_close)))


def _reseated(model: Model, state: DeviceState, way_in: Sequence[Step]) -> list[Step]:
    """The connectors off in the order of the rework, then everything on and in again in that of the sheet."""
    named = [step for step in model.steps if step.id in model.rework and step.phase is not Phase.CLOSE]
    off = sorted(
        (step for step in named if step.plug and not step.plug.on),
        key=lambda step: model.rework.index(step.id),
    )
    taken = state.out | {step.screws for step in way_in if step.screws}
    unplugged = state.off | {step.plug.name for step in (*way_in, *off) if step.plug}
    back = [
        step
        for step in model.steps
        if step not in off
        and step.phase is Phase.SWAP
        and (
            step in named
            or (step.screws_in and step.screws in taken)
            or (step.plug and step.plug.on and step.plug.name in unplugged)
        )
    ]
    return [*off, *back]


def _is_so(step: Step, state: DeviceState) -> bool:
    """Whether the device is already as a step of the way in leaves it."""
    if step.screws:
        return step.screws in state.out
    return step.plug.name in state.off if step.plug else step.id in state.opened


def _closing_up(model: Model, state: DeviceState) -> tuple[Step, ...]:
    closing = [
        step for step in model.steps if step.phase is Phase.CLOSE and not step.screws and not step.plug
    ]
    cut_open = any(step.id in state.opened and step.phase is Phase.OPEN for step in model.steps)
    # what was never cut open needs no seal: only the look at the end
    wanted = closing if cut_open else closing[-1:] if state.is_open else []
    return tuple(
        step
        for step in model.steps
        if step in wanted
        or (step.screws_in and step.screws in state.out)
        or (step.plug and step.plug.on and step.plug.name in state.off)
    )
