"""A sheet worked out: from what is in a device and how it lies there now to a goal, every constraint kept.

The steps are those of the pieces that come off and go on and of the acts that belong to them. What holds is
the constraints (`Step.after`); the order is the one with the fewest changes of tool, and any step whose
constraints hold may be done next.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from sutura.core.bench import generated
from sutura.core.bench.closure import Unreachable, smallest
from sutura.core.bench.generated import ADAPTER, ADAPTER_FLEX, BACK, COMPARE, GIVE_SERIAL, SECOND_LOOK
from sutura.core.bench.goals import AT_REST, Aim, Goal
from sutura.core.bench.ordering import Circular, Task, in_order
from sutura.core.bench.serials import PROGRAMMER
from sutura.core.bench.state import CLOSED, POWER_DOWN, POWER_DOWN_TO_CLOSE, State
from sutura.core.bench.steps import ons_of, step_of, step_of_act
from sutura.core.bench.times import off_minutes
from sutura.core.catalogue.model import CUTS, Act, Goes, Model, Phase, Piece, PieceKind, Step, Work
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="bench.compiled",
        capability="bench",
        says=(
            "A sheet is worked out: the fewest pieces come off that free what is repaired, each after what "
            "lies over it; they go on the other way round, with what must be home before it. Of all orders "
            "that keep this, the one with the fewest changes of tool and turns of the device is suggested."
        ),
        source="Precedence closure; Held & Karp 1962 for the order; the aim: common practice",
    ),
    Rule(
        id="bench.battery-first",
        capability="bench",
        says=(
            "The battery comes off before any other connector and before screws inside that it does not lie "
            "under, and goes on after every other connector."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.test-before-closing",
        capability="bench",
        says=(
            "The test stands where every connector is home and nothing more is closed than holds them. Where "
            "it can only be tested closed, the connectors get a second look before the first cover goes on."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.one-a-side",
        capability="bench",
        says=(
            "Where screws of several sides hold one thing, each side gets its first before any gets the rest."
        ),
        source=COMMON,
    ),
)

# acts that are in a sheet when the part is changed
SWAP = "swap"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheet:
    """A sheet: its steps in the suggested order, what comes off, the changes of tool and turns, and whether
    no order has fewer.
    """

    steps: tuple[Step, ...]
    off: tuple[str, ...]
    changes: int
    is_fewest: bool


@dataclass(slots=True)
class _Node:
    """A step as it is put into its place."""

    step: Step
    rank: float
    side: str = ""
    before: set[str] = field(default_factory=set)


def compile_sheet(model: Model, goal: Goal, state: State = CLOSED) -> Sheet:
    """The sheet from how the device lies there to a goal.

    Raises `closure.Unreachable` or `ordering.Circular` where the pack is wrong; packs are read with these
    found (core/catalogue/problems.py).
    """
    return _Plan(model, goal, state).sheet()


def with_sheet(model: Model) -> Model:
    """A model with the sheet of its own way worked out; one whose pack is wrong keeps none, and the reader of
    the pack says what is wrong.
    """
    if not model.pieces:
        return model
    try:
        sheet = compile_sheet(model, Goal(aim=Aim.REPAIR, route=str(model.need["kind"])))
    except (Unreachable, Circular, KeyError):
        return model
    return replace(model, steps=sheet.steps)


class _Plan:
    """One sheet being worked out."""

    def __init__(self, model: Model, goal: Goal, state: State) -> None:
        self.model, self.goal, self.state = model, goal, state
        self.pieces = {piece.id: piece for piece in model.pieces}
        self.places = {piece.id: place for place, piece in enumerate(model.pieces)}
        self.sides = {group.id: group.side for group in model.screws}
        self.bits = {group.id: group.bits for group in model.screws}
        self.nodes: dict[str, _Node] = {}
        self.coming = self._coming_off()
        self.going = [piece for piece in model.pieces if piece.id in self.coming or piece.id in state.off]

    # -- what comes off, what goes on -----------------------------------------------------------------

    def _frees(self) -> list[str]:
        goal = self.goal
        freed = self.model.frees(goal.route)
        if goal.aim is Aim.CLOSE:
            return self._holds_the_new_part(freed) if goal.swapped else []
        if goal.aim is Aim.RESEAT:
            # what was off for the part, whatever is off now
            every = smallest(self.pieces, freed, (), {})
            return [
                piece
                for piece in every
                if self.pieces[piece].kind is PieceKind.CONNECTOR
                and self.pieces[piece].on.id not in goal.done
            ]
        moved = [
            piece.id
            for piece in self.model.pieces
            if piece.moves and piece.moves not in goal.box and piece.on.id not in goal.done
        ]
        # what is home on the new part already stays there
        freed = tuple(one for one in freed if self.pieces[one].on.id not in goal.done)
        return [*freed, *(piece for piece in moved if self._serves(self.pieces[piece]))]

    def _holds_the_new_part(self, freed: Sequence[str]) -> list[str]:
        """The pieces by which the new part is in the device or sits on what came over."""
        return [
            piece.id
            for piece in self.model.pieces
            if piece.id in self.state.fitted and (piece.id in freed or piece.moves)
        ]

    def _serves(self, piece: Piece) -> bool:
        """Whether a piece of the old part is met on this route: what it sits on comes off."""
        freed = self.model.frees(self.goal.route)
        return any(other in freed for entry in piece.under for other in entry)

    def _coming_off(self) -> dict[str, tuple[str, ...]]:
        cost = {piece.id: off_minutes(self.model, piece) for piece in self.model.pieces}
        off = sorted(self.state.off)
        if self.goal.aim in AT_REST:
            return self._battery_off(cost, off)
        frees = self._frees()
        chosen = smallest(self.pieces, frees, off, cost) if frees else {}
        battery = [piece.id for piece in self.model.pieces if piece.battery]
        if any(self.pieces[piece].kind is PieceKind.CONNECTOR for piece in chosen):
            # no connector is touched under power
            chosen = smallest(self.pieces, [*frees, *battery], off, cost)
        return {piece: chosen[piece] for piece in self.places if piece in chosen}

    def _battery_off(self, cost: Mapping[str, float], off: Sequence[str]) -> dict[str, tuple[str, ...]]:
        """What comes off for the battery to lie unplugged overnight: nothing where that would cut something
        open, or where nothing is off.
        """
        battery = [piece.id for piece in self.model.pieces if piece.battery and piece.id not in off]
        if not battery or not off:
            return {}
        chosen = smallest(self.pieces, battery, off, cost)
        if any(self.pieces[piece].kind is PieceKind.ADHESIVE for piece in chosen):
            return {}
        return {piece: chosen[piece] for piece in self.places if piece in chosen}

    # -- the steps ------------------------------------------------------------------------------------

    def sheet(self) -> Sheet:
        if self.goal.aim in AT_REST:
            self._lay_down()
        else:
            self._add_pieces()
            acts = self._acts()
            self._order_pieces()
            self._first_a_side()
            self._order_acts(acts)
            self._test(acts)
            self._to_begin_with()
        return self._put_in_order()

    def _put_in_order(self) -> Sheet:
        names = list(self.nodes)
        place_of = {name: place for place, name in enumerate(names)}
        tasks = [
            Task(
                before=frozenset(place_of[one] for one in node.before),
                tool=node.step.tools[0] if node.step.tools else "",
                side=node.side,
                rank=node.rank,
            )
            for node in self.nodes.values()
        ]
        ordered = in_order(tasks)
        steps = tuple(
            replace(
                self.nodes[names[place]].step,
                after=tuple(sorted(self.nodes[names[place]].before, key=place_of.__getitem__)),
            )
            for place in ordered.order
        )
        return Sheet(
            steps=steps, off=tuple(self.coming), changes=ordered.changes, is_fewest=ordered.is_fewest
        )

    def _add(self, step: Step, rank: float, side: str = "") -> None:
        self.nodes[step.id] = _Node(step=step, rank=rank, side=side)

    def _lay_down(self) -> None:
        """For the night: off what must be off, then one thing after the other."""
        for piece_id, waits_for in self.coming.items():
            piece = self.pieces[piece_id]
            self._add_piece(piece, Goes.OFF, Phase.OPEN)
            self._after(piece.off.id, *(self.pieces[one].off.id for one in waits_for))
        lies = replace(self.state, off=self.state.off | self.coming.keys())
        battery = any(piece.battery and piece.id in lies.off for piece in self.model.pieces)
        before = list(self.nodes)
        laid_down = generated.night_steps(self.model, lies, battery) if self.goal.aim is Aim.NIGHT else []
        for place, laid in enumerate(laid_down):
            self._add(laid, 9_000 + place)
            self._after(laid.id, *before)
            before.append(laid.id)
        self._power_down()

    def _to_begin_with(self) -> None:
        """What was laid down for the night is taken up, and what is under power switched off, before all."""
        before: list[str] = []
        others = list(self.nodes)
        if not others:
            return
        for place, taken in enumerate(generated.morning_steps(self.model, self.state)):
            self._add(taken, place / 1_000 - 10)
            self._after(taken.id, *before)
            before.append(taken.id)
        for name in others:
            self._after(name, *before)
        self._power_down()

    def _power_down(self) -> None:
        """Switched off before any plug or piece is touched, where it was switched on in the middle."""
        others = list(self.nodes)
        if self.state.powered and self.state.off and (self.coming or self.goal.aim in AT_REST):
            self._add(generated.step(POWER_DOWN, Phase.PREPARE), -5)
            for name in others:
                if not name.startswith("morning-"):
                    self._after(name, POWER_DOWN)

    def _add_pieces(self) -> None:
        for piece_id in self.coming:
            piece = self.pieces[piece_id]
            self._add_piece(piece, Goes.OFF, Phase.SWAP if piece.moves else Phase.OPEN)
        for piece in self.going:
            if piece.first:
                self._add_piece(piece, Goes.FIRST, Phase.SWAP)
            self._add_piece(piece, Goes.ON, Phase.SWAP)

    def _add_piece(self, piece: Piece, goes: Goes, phase: Phase) -> None:
        step = step_of(piece, goes, phase)
        if piece.screws and not step.tools:
            step = replace(step, tools=self.bits.get(piece.screws, ())[:1])
        if self.goal.aim is Aim.CLOSE:
            step = generated.other_part(step)
        if goes is Goes.OFF and CUTS.intersection(step.tools) and "back cover" not in step.text.casefold():
            # one source for how deep: the face, as the opening plan reads it
            step = replace(step, limits=(*step.limits, *generated.depth_lines(self.model.face)))
        self._add(step, self._rank(piece, goes), self._side(piece))

    def _side(self, piece: Piece) -> str:
        return piece.side or ("back" if self.sides.get(piece.screws) == "back" else "")

    def _rank(self, piece: Piece, goes: Goes) -> float:
        """Where it stands in the author's order: off as listed, on the other way round."""
        place = self.places[piece.id]
        if goes is Goes.OFF:
            return (3_000 if piece.moves else 1_000) + place
        return (3_500 if piece.moves else 5_000) + len(self.places) - place - (goes is Goes.FIRST) / 2

    def _after(self, later: str, *earlier: str) -> None:
        """What is in the sheet of `earlier` comes before `later`."""
        self.nodes[later].before.update(one for one in earlier if one in self.nodes and one != later)

    def _offs(self, which: Callable[[Piece], bool] = lambda _: True) -> list[str]:
        return [self.pieces[one].off.id for one in self.coming if which(self.pieces[one])]

    def _ons(self, which: Callable[[Piece], bool] = lambda _: True) -> list[str]:
        return [name for piece in self.going if which(piece) for name in ons_of(piece)]

    # -- constraints of pieces --------------------------------------------------------------------------

    def _order_pieces(self) -> None:
        own = [piece for piece in self.going if not piece.moves]
        for piece_id, waits_for in self.coming.items():
            piece = self.pieces[piece_id]
            self._after(piece.off.id, *(self.pieces[one].off.id for one in waits_for))
        for piece in self.going:
            # what lies over it goes on after it
            over_it = {other for entry in piece.under for other in entry if other in self.pieces}
            for over in () if piece.loose else over_it:
                for name in ons_of(self.pieces[over]):
                    if name in self.nodes:
                        self._after(name, piece.on.id)
            for name in ons_of(piece):
                self._after(name, *piece.on_after)
            if piece.first:
                self._after(piece.on.id, piece.first.work.id)
            # everything is off before anything goes on
            for name in ons_of(piece):
                self._after(name, *self._offs(lambda one: not one.moves))
                if piece.moves:
                    self._after(name, piece.off.id)
        self._battery(own)

    def _battery(self, own: Iterable[Piece]) -> None:
        for battery in (piece for piece in own if piece.battery):
            if battery.off.id in self.nodes:
                above = self._above(battery.id)
                for one in self.coming:
                    piece = self.pieces[one]
                    inside = piece.kind is PieceKind.SCREWS and self.sides.get(piece.screws) == "inside"
                    if one not in above and (piece.kind is PieceKind.CONNECTOR or inside):
                        self._after(piece.off.id, battery.off.id)
            self._after(
                battery.on.id, *self._ons(lambda one: one.kind is PieceKind.CONNECTOR and not one.battery)
            )

    def _above(self, piece_id: str) -> set[str]:
        """A piece and all that comes off before it."""
        found, todo = set(), [piece_id]
        while todo:
            one = todo.pop()
            if one not in found:
                found.add(one)
                todo += self.coming.get(one, ())
        return found

    def _first_a_side(self) -> None:
        sides = [piece for piece in self.going if piece.first]
        for one in sides:
            for other in sides:
                if one.first:
                    self._after(other.on.id, one.first.work.id)

    # -- acts -------------------------------------------------------------------------------------------

    def _acts(self) -> list[Act]:
        acts = [act for act in self.model.acts if self._belongs(act)]
        if self.goal.serial and not any(_programs(act.work) for act in acts):
            self._add(generated.give_serial(), 3_200)
            self._after(GIVE_SERIAL, *self._offs())
            for name in self._ons():
                self._after(name, GIVE_SERIAL)
        if self.goal.aim is Aim.REPAIR and ADAPTER_FLEX in self.goal.box and ADAPTER not in self.goal.done:
            self._adapter()
        if self._compares():
            self._compare(acts)
        for place, act in enumerate(self.model.acts):
            if act in acts:
                self._add(self._act_step(act), self._act_rank(act, place))
            elif self.goal.aim is Aim.CLOSE and self.goal.swapped and act.moves in self.state.moved:
                self._move_back(act, place)
        return acts

    def _act_step(self, act: Act) -> Step:
        step = step_of_act(act)
        if self.goal.aim is not Aim.CLOSE:
            return step
        if act.phase is Phase.PROOF:
            return replace(step, text=_STILL_WORKS)
        return generated.other_part(step)

    def _move_back(self, act: Act, place: int) -> None:
        """What came over by an act goes back to the old part, before that goes in."""
        self._add(generated.back_step(act.work, act.moves), 3_300 + place)
        self._after(act.id + BACK, *self._offs())
        for name in self._ons():
            self._after(name, act.id + BACK)

    def _compares(self) -> bool:
        """Whether the new part is still to be compared: once a part, before anything is opened for it."""
        goal = self.goal
        if goal.aim is not Aim.REPAIR or COMPARE in goal.done:
            return False
        return goal.other or COMPARE not in self.state.acts

    def _compare(self, acts: Sequence[Act]) -> None:
        comes_over = [
            *(act.moves for act in acts if act.moves),
            *(piece.moves for piece in self.going if piece.moves and piece.moves not in self.goal.box),
        ]
        self._add(generated.compare_step(sorted(self.goal.box), list(dict.fromkeys(comes_over))), -1)

    def _adapter(self) -> None:
        """The adapter flex is on the new display before that is plugged in; where no connector is called the
        display's, before every one but the battery's.
        """
        plugs = [one for one in self.going if one.kind is PieceKind.CONNECTOR and not one.battery]
        displays = [one for one in plugs if _DISPLAY.search(one.plug)] or plugs
        if displays:
            self._add(generated.step(ADAPTER, Phase.SWAP), 3_300)
            self._after(ADAPTER, *self._offs(lambda one: not one.moves))
            for one in displays:
                self._after(one.on.id, ADAPTER)

    def _belongs(self, act: Act) -> bool:
        changes = self.goal.aim is Aim.REPAIR
        # what came with the part counts while that part is in
        box = self.goal.box if self.goal.aim in (Aim.REPAIR, Aim.RESEAT) else frozenset()
        if (
            act.id in self.goal.done
            or act.unless_boxed in box
            or (act.when_boxed and act.when_boxed not in box)
        ):
            return False
        if _programs(act.work) and not changes:
            return self.goal.serial
        if act.routes and not (changes and self.goal.route in act.routes):
            return False
        if act.moves and (not changes or act.moves in self.goal.box):
            return False
        if act.phase is Phase.PREPARE and (self.state.off or act.id in self.state.acts):
            # what is done before it is opened is done once
            return False
        if act.having:
            here = any(one in self.nodes or (one == SWAP and changes) for one in act.having)
            return here or self._is_due(act)
        if act.phase is Phase.PREPARE:
            return bool(self.coming)
        if act.phase is Phase.SWAP:
            return changes
        if act.phase is Phase.PROOF:
            # what was never opened needs no other test than its baseline
            return self.goal.aim is not Aim.CLOSE or bool(self.going)
        # cards that were taken out are given back, even where nothing was opened
        return bool(self.going or self.state.acts)

    def _is_due(self, act: Act) -> bool:
        """Whether what the act belongs to is off already, and the act was not done since. A device that is
        only closed is not opened further: what is due there is the seal of what is glued.
        """
        if self.goal.aim is Aim.CLOSE and act.phase is not Phase.SWAP:
            return False
        return act.id not in self.state.acts and any(
            self.pieces[piece].off.id in act.having
            for piece in self.state.off
            if piece in self.pieces
            and (self.goal.aim is not Aim.CLOSE or self.pieces[piece].kind is PieceKind.ADHESIVE)
        )

    def _act_rank(self, act: Act, place: int) -> float:
        near = [self.nodes[one].rank for one in act.before if one in self.nodes]
        if act.phase is Phase.PREPARE:
            return place / 1_000
        if act.phase is Phase.OPEN:
            behind = [self.nodes[one].rank for one in act.after if one in self.nodes]
            return min(near) - 0.5 if near else max(behind, default=1_000) + 0.5
        if act.phase is Phase.SWAP:
            return 3_200 + place
        return {Phase.PROOF: 6_000, Phase.CLOSE: 7_000}[act.phase] + place

    def _order_acts(self, acts: Sequence[Act]) -> None:
        own_offs, own_ons = self._offs(lambda one: not one.moves), self._ons(lambda one: not one.moves)
        on_ids = set(self._ons())
        prepare = [act.id for act in acts if act.phase is Phase.PREPARE]
        if COMPARE in self.nodes:
            for name in prepare:
                self._after(name, COMPARE)
            prepare.append(COMPARE)
        for act in acts:
            self._after(act.id, *act.after)
            for later in act.before:
                if later in self.nodes:
                    self._after(later, act.id)
            if act.phase is not Phase.PREPARE:
                self._after(act.id, *prepare)
            if act.phase is Phase.SWAP:
                self._after(act.id, *own_offs)
                if not act.second_look and not on_ids.intersection(act.after):
                    for name in own_ons:
                        if name not in act.after:
                            self._after(name, act.id)
            elif act.phase is Phase.CLOSE and not act.before:
                # the look at the end
                self._after(
                    act.id, *on_ids, *(one.id for one in acts if one.before or one.phase is not act.phase)
                )
        for name in (*own_offs, *on_ids):
            self._after(name, *prepare)
        # what is moved over sits on the new part before that goes in
        for name in self._ons(lambda one: bool(one.moves)):
            for later in own_ons:
                self._after(later, name)

    # -- the test ---------------------------------------------------------------------------------------

    def _test(self, acts: Sequence[Act]) -> None:
        plugs = self._ons(lambda one: one.kind is PieceKind.CONNECTOR)
        held = self._ancestors(plugs)
        covers = [name for name in self._ons() if name not in held and name not in plugs]
        looks = [act.id for act in acts if act.second_look]
        proof = next((act.id for act in acts if act.phase is Phase.PROOF), None)
        if self.model.closed_test and proof and not looks and plugs:
            self._add(generated.step(SECOND_LOOK, Phase.SWAP, second_look=True), 5_999)
            looks = [SECOND_LOOK]
        for look in looks:
            self._after(look, *plugs)
            for name in covers:
                self._after(name, look)
        closing = [act.id for act in acts if act.phase is Phase.CLOSE]
        if proof is None:
            self._close(covers)
            return
        self._after(proof, *plugs, *(act.id for act in acts if act.phase is Phase.SWAP), *looks)
        self._after(proof, *(name for name in self.nodes if name.endswith(BACK)))
        for name in closing:
            self._after(name, proof)
        if self.model.closed_test:
            self._after(proof, *covers)
            return
        for name in covers:
            self._after(name, proof)
        self._close(covers)
        self._switch_off_to_close(
            [*covers, *(act.id for act in acts if act.phase is Phase.CLOSE and act.before)], proof
        )

    def _switch_off_to_close(self, closing: Sequence[str], proof: str) -> None:
        if closing and any(piece.battery for piece in self.model.pieces):
            self._add(generated.step(POWER_DOWN_TO_CLOSE, Phase.CLOSE), 6_999)
            self._after(POWER_DOWN_TO_CLOSE, proof)
            for name in closing:
                self._after(name, POWER_DOWN_TO_CLOSE)

    def _close(self, covers: list[str]) -> None:
        """What goes on after the test is closing."""
        for name in covers:
            node = self.nodes[name]
            node.step = replace(node.step, phase=Phase.CLOSE)
            node.rank += 2_000

    def _ancestors(self, names: Iterable[str]) -> set[str]:
        found: set[str] = set()
        todo = list(names)
        while todo:
            for one in self.nodes[todo.pop()].before:
                if one not in found:
                    found.add(one)
                    todo.append(one)
        return found


# said at the test of a repair that was given up
_STILL_WORKS = "Switch it on and test what still works, against its arrival."
_DISPLAY = re.compile(r"\b(?:display|panel|screen)\b", re.IGNORECASE)


def _programs(work: Work) -> bool:
    """Whether a serial is read or written here."""
    return PROGRAMMER in work.tools
