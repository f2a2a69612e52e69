"""How a device lies there: what is off, which acts hold, what is under power; known at any moment from what
was recorded.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sutura.core.catalogue.model import Goes, Phase, Step

# switched off again in the middle of the work, and before it is closed: steps of a sheet's own making
POWER_DOWN, POWER_DOWN_TO_CLOSE = "power-down", "power-down-to-close"
# what is laid down for the night, each with what takes it up again in the morning
OVERNIGHT = {"night-cover": "morning-uncover", "night-rest": "morning-lift", "night-label": "morning-label"}
_MORNING = {morning: night for night, morning in OVERNIGHT.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    """The pieces that are off, and the acts that were done since it was opened. `powered` = it was switched
    on since, so it is switched off before a plug is touched. `fitted` are the pieces that went on again,
    `moved` the items that sit on the new part by now.
    """

    off: frozenset[str] = frozenset()
    acts: frozenset[str] = frozenset()
    powered: bool = False
    fitted: frozenset[str] = frozenset()
    moved: frozenset[str] = frozenset()

    @property
    def is_open(self) -> bool:
        """Whether it was begun and is not whole again: something is off, or it was prepared."""
        return bool(self.off or self.acts)

    @property
    def overnight(self) -> tuple[str, ...]:
        """What was laid down for the night and is not taken up yet, in the order it was laid down."""
        return tuple(act for act in OVERNIGHT if act in self.acts)


CLOSED = State()


def after(steps: Iterable[Step], state: State = CLOSED) -> State:
    """How the device lies there after some steps, from how it lay before.

    A piece whose first screws are in is still off. An act holds until the device is closed: when the last
    piece is on, nothing of it counts for the next time.
    """
    off, acts = set(state.off), set(state.acts)
    powered, fitted, moved = state.powered, set(state.fitted), set(state.moved)
    for step in steps:
        if step.goes is Goes.OFF:
            off.add(step.piece)
            fitted.discard(step.piece)
            moved.discard(step.moves)
        elif step.goes is Goes.ON:
            off.discard(step.piece)
            fitted.add(step.piece)
            if step.moves:
                moved.add(step.moves)
            if not off:
                acts.clear()
        elif step.id in (POWER_DOWN, POWER_DOWN_TO_CLOSE):
            pass
        elif step.id in _MORNING:
            acts.discard(_MORNING[step.id])
        elif step.id in OVERNIGHT or (
            step.goes is Goes.NEITHER and step.phase in (Phase.PREPARE, Phase.OPEN, Phase.SWAP)
        ):
            acts.add(step.id)
            if step.moves:
                moved.add(step.moves)
        elif step.phase is Phase.CLOSE and not off:
            acts.clear()
        powered = _is_powered(step, powered)
    return State(
        off=frozenset(off),
        acts=frozenset(acts),
        powered=powered,
        fitted=frozenset(fitted),
        moved=frozenset(moved),
    )


def _is_powered(step: Step, before: bool) -> bool:
    """Whether the device may be on after a step: it is with its battery, until it is switched off."""
    if step.id in (POWER_DOWN, POWER_DOWN_TO_CLOSE):
        return False
    if step.plug and step.plug.battery and step.goes in (Goes.OFF, Goes.ON):
        return step.goes is Goes.ON
    return before
