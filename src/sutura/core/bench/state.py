"""How a device lies there: what is off, and which acts hold; known at any moment from what was recorded."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from sutura.core.catalogue.model import Goes, Phase, Step


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    """The pieces that are off, and the acts that were done since it was opened."""

    off: frozenset[str] = frozenset()
    acts: frozenset[str] = frozenset()

    @property
    def is_open(self) -> bool:
        """Whether it was begun and is not whole again: something is off, or it was prepared."""
        return bool(self.off or self.acts)


CLOSED = State()


def after(steps: Iterable[Step], state: State = CLOSED) -> State:
    """How the device lies there after some steps, from how it lay before.

    A piece whose first screws are in is still off. An act holds until the device is closed: when the last
    piece is on, nothing of it counts for the next time.
    """
    off, acts = set(state.off), set(state.acts)
    for step in steps:
        if step.goes is Goes.OFF:
            off.add(step.piece)
        elif step.goes is Goes.ON:
            off.discard(step.piece)
            if not off:
                acts.clear()
        elif step.goes is Goes.NEITHER and step.phase in (Phase.PREPARE, Phase.OPEN, Phase.SWAP):
            acts.add(step.id)
        elif step.phase is Phase.CLOSE and not off:
            acts.clear()
    return State(off=frozenset(off), acts=frozenset(acts))
