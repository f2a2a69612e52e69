"""How a device lies there, in one sentence for whoever comes next; and what is in the tray."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.bench.state import State
from sutura.core.catalogue.model import Model, Piece, PieceKind, ScrewGroup, Step
from sutura.core.facts import Fact, Say, fact


@dataclass(frozen=True, slots=True, kw_only=True)
class TrayField:
    """The screws of a group: how many are in the tray, how many are to be counted at this step, how many were
    missing on arrival.
    """

    group: ScrewGroup
    out: int
    expected: int = 0
    missing: int = 0
    # the places (from 1) that were done one by one at this step, and whether that puts them in
    done: frozenset[int] = frozenset()
    going_in: bool = False

    @property
    def home(self) -> int:
        """How many are in the device."""
        return max(self.group.count - self.missing - self.out, 0)

    def is_out(self, place: int) -> bool:
        """Whether the screw of a place lies in the tray. What was counted without its places are the last
        ones to go in: those of the first places.
        """
        if place <= self.missing:
            return False
        if not self.expected:
            return place > self.missing + self.home
        if not self.going_in:
            return place in self.done
        return place not in self.done and place > self.missing + self.home_before

    @property
    def places(self) -> tuple[int, ...]:
        """The places (from 1) that this step asks for: not those that were missing on arrival, and on the way
        back not those that are home already. What was put in before without its place counts as the first.
        """
        first = self.missing + (self.home_before if self.going_in else 0)
        return tuple(range(first + 1, self.group.count + 1)) if self.expected else ()

    @property
    def home_before(self) -> int:
        """How many were in the device before this step."""
        return self.home - len(self.done)


def tray(
    model: Model,
    counts: Mapping[str, tuple[int, int]],
    missing: Mapping[str, int],
    step: Step | None = None,
    expected: int | None = None,
    done: frozenset[int] = frozenset(),
) -> tuple[TrayField, ...]:
    """The tray, group by group in the order of the pack: `counts` are the screws of each counted out and in
    again, `step` the one of now with the places `done` one by one at it.
    """
    fields = []
    for group in model.screws:
        out, back = counts.get(group.id, (0, 0))
        lying = max(out - back, 0)
        is_now = step is not None and group.id == step.screws
        going_in = is_now and step is not None and step.screws_in
        if is_now:
            lying += -len(done) if going_in else len(done)
        fields.append(
            TrayField(
                group=group,
                out=max(lying, 0),
                expected=(expected or 0) if is_now else 0,
                missing=min(missing.get(group.id, 0), group.count),
                done=done if is_now else frozenset(),
                going_in=going_in,
            )
        )
    return tuple(fields)


def name_of(piece: Piece) -> str:
    """A piece as a person calls it: by its name, else by the words of its id."""
    return piece.name or piece.id.replace("-", " ")


def lies_there(model: Model, state: State, fields: Sequence[TrayField]) -> Say:
    """What state a device is in, in one sentence: what is unplugged, what is off, and what lies in the tray.

    Empty for a device that is whole.
    """
    if not state.off:
        return ""
    battery = {piece.id for piece in model.pieces if piece.battery}
    off = [piece for piece in model.pieces if piece.id in state.off and piece.id not in battery]
    unplugged, apart, glued = (
        tuple(dict.fromkeys(name_of(piece) for piece in off if piece.kind is kind))
        for kind in (PieceKind.CONNECTOR, PieceKind.COVER, PieceKind.ADHESIVE)
    )
    screws = sum(field.out for field in fields)
    said: list[Fact] = []
    if battery:
        said.append(fact("bench.battery-is-off" if battery & state.off else "bench.battery-is-on"))
    if unplugged:
        said.append(fact("bench.unplugged", names=unplugged))
    if glued:
        said.append(fact("bench.open-at", names=glued))
    if apart:
        said.append(fact("bench.apart", names=apart))
    if screws:
        said.append(fact("bench.in-the-tray", count=screws))
    return fact("bench.lies-there", said=tuple(said))


@dataclass(frozen=True, slots=True, kw_only=True)
class StillIn:
    """What may still hold where something resists: screws of this sheet that are in, screws that were counted
    short, screws that this sheet does not touch, and connectors that are plugged.
    """

    to_come: tuple[TrayField, ...]
    short: tuple[TrayField, ...]
    untouched: tuple[TrayField, ...]
    plugged: tuple[str, ...]


def still_in(model: Model, steps: Sequence[Step], state: State, fields: Sequence[TrayField]) -> StillIn:
    """What is looked at when a step meets resistance (rule bench.resistance)."""
    on_sheet = {step.screws for step in steps if step.screws and not step.screws_in}
    out = {piece.screws for piece in model.pieces if piece.screws and piece.id in state.off}
    plugged = tuple(
        name_of(piece)
        for piece in model.pieces
        if piece.kind is PieceKind.CONNECTOR and piece.id not in state.off
    )
    there = [field for field in fields if field.home]
    return StillIn(
        to_come=tuple(field for field in there if field.group.id in on_sheet - out),
        short=tuple(field for field in there if field.group.id in out),
        untouched=tuple(field for field in there if field.group.id not in on_sheet | out),
        plugged=plugged,
    )


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
