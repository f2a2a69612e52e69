"""How a device lies there, in one sentence for whoever comes next; and what is in the tray."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.bench.state import State
from sutura.core.catalogue.model import Model, PieceKind, ScrewGroup, Step
from sutura.core.facts import Fact, Say, fact


@dataclass(frozen=True, slots=True, kw_only=True)
class TrayField:
    """The screws of a group: how many are in the tray, how many are to be counted at this step, how many were
    missing on arrival.
    """

    group: ScrewGroup
    out: int
    now: int = 0
    missing: int = 0

    @property
    def home(self) -> int:
        """How many are in the device."""
        return max(self.group.count - self.missing - self.out, 0)


def tray(
    model: Model,
    counts: Mapping[str, tuple[int, int]],
    missing: Mapping[str, int],
    now: str = "",
    expected: int | None = None,
) -> tuple[TrayField, ...]:
    """The tray, group by group in the order of the pack: `counts` are the screws of each counted out and in
    again, `now` is the group of this step.
    """
    fields = []
    for group in model.screws:
        out, back = counts.get(group.id, (0, 0))
        fields.append(
            TrayField(
                group=group,
                out=max(out - back, 0),
                now=(expected or 0) if group.id == now else 0,
                missing=min(missing.get(group.id, 0), group.count),
            )
        )
    return tuple(fields)


def name_of(piece: str) -> str:
    """A piece as a person calls it.

    >>> name_of("battery-shield")
    'battery shield'
    """
    return piece.replace("-", " ")


def lies_there(model: Model, state: State, fields: Sequence[TrayField]) -> Say:
    """What state a device is in, in one sentence: what is unplugged, what is off, and what lies in the tray.

    Empty for a device that is whole.
    """
    if not state.off:
        return ""
    kinds = {piece.id: piece.kind for piece in model.pieces}
    battery = {piece.id for piece in model.pieces if piece.battery}
    unplugged = [
        name_of(one)
        for one in kinds
        if one in state.off and kinds[one] is PieceKind.CONNECTOR and one not in battery
    ]
    apart = [
        name_of(one)
        for one in kinds
        if one in state.off and kinds[one] in (PieceKind.COVER, PieceKind.ADHESIVE)
    ]
    screws = sum(field.out for field in fields)
    said: list[Fact] = []
    if battery:
        said.append(fact("bench.battery-is-off" if battery & state.off else "bench.battery-is-on"))
    if unplugged:
        said.append(fact("bench.unplugged", names=tuple(unplugged)))
    if apart:
        said.append(fact("bench.apart", names=tuple(apart)))
    if screws:
        said.append(fact("bench.in-the-tray", count=screws))
    return fact("bench.lies-there", said=tuple(said))


@dataclass(frozen=True, slots=True, kw_only=True)
class LaidOut:
    """What is laid out before the first step: tools, and bits with how many screws each turns."""

    tools: tuple[str, ...]
    bits: tuple[tuple[str, int], ...]


def laid_out(model: Model, steps: Sequence[Step]) -> LaidOut:
    """Tools and bits of a whole sheet, each once, in the order in which they are first needed. A bit is one
    that some screw of the sheet names; others named for the same screw stand beside it.
    """
    groups = {step.screws: model.screw_group(step.screws) for step in steps if step.screws}
    bits: dict[str, int] = {}
    for group in groups.values():
        name = " or ".join(group.bits)
        bits[name] = bits.get(name, 0) + group.count
    named = {bit for group in groups.values() for bit in group.bits}
    tools = dict.fromkeys(tool for step in steps for tool in step.tools if tool not in named)
    return LaidOut(tools=tuple(tools), bits=tuple(bits.items()))
