"""Laws of every sheet: all models, all ways, every state it can be left in, every goal, with a night between.

The judge here walks a sheet as hands would and knows nothing of how it was made: it reads what each step does
from the pack (pieces, acts), not from the compiler. Common practice, no source.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

import pytest
from builders import FEWER, models

from sutura.core.bench.compiling import Sheet, compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.state import CLOSED, OVERNIGHT, State, after
from sutura.core.catalogue.model import Goes, Model, Phase, PieceKind, Step

WAYS = [(model.id, way.kind) for model in models().values() for way in model.ways if way.has_sheet]
FILM_OFF = ("film off", "peel the second film", "peel the films", "peel the last film")
# acts of packs and of sheets that switch a device off
SWITCHED_OFF = ("power-down", "power-down-to-close", "power-off", "keys-off")


@dataclass
class Hands:
    """What hands find on the bench: what is off, whether it is under power, tested, what was laid."""

    model: Model
    off: set[str] = field(default_factory=set)
    powered: bool = False
    tested: bool = False
    films_off: list[str] = field(default_factory=list)
    counted: dict[str, int] = field(default_factory=dict)

    def do(self, step: Step) -> None:
        pieces = {piece.id: piece for piece in self.model.pieces}
        plug = step.plug
        if plug and step.goes is Goes.OFF:
            assert not self.powered or plug.battery, f"{step.id}: a plug is touched under power"
        if plug and plug.battery and step.goes is Goes.OFF:
            assert not self.powered, f"{step.id}: the battery comes off while it is switched on"
        if step.id in SWITCHED_OFF:
            self.powered = False
        if step.goes is Goes.OFF:
            piece = pieces[step.piece]
            assert piece.id not in self.off, f"{step.id}: it is off already"
            assert all(any(other in self.off for other in entry) for entry in piece.under), step.id
            if piece.kind is PieceKind.CONNECTOR and not piece.battery:
                assert all(one.id in self.off for one in self.model.pieces if one.battery), step.id
            if piece.kind is PieceKind.ADHESIVE:
                self.films_off.clear()
            self.off.add(piece.id)
        elif step.goes is Goes.ON:
            piece = pieces[step.piece]
            assert piece.id in self.off, f"{step.id}: it is home already"
            if piece.battery:
                plugs = {one.id for one in self.model.pieces if one.kind is PieceKind.CONNECTOR}
                assert self.off & plugs == {piece.id}, f"{step.id}: the battery goes on last"
                self.powered = True
            self.off.remove(piece.id)
        if step.phase is Phase.PROOF:
            self.tested = True
        said = step.text.lower().replace("no film off", "")
        if any(words in said for words in FILM_OFF) and not self.model.closed_test:
            # a film that only an adhesive piece going on takes off
            assert self.tested or step.phase is not Phase.CLOSE, f"{step.id}: a film is off before the test"


def states(model: Model, kind: str) -> Iterator[tuple[State, tuple[Step, ...], bool]]:
    """Every state that a repair can be left in, by the suggested order: with what was done, and whether the
    test has passed. Where somebody waits for the answer, one in four.
    """
    sheet = compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind))
    for count in range(0, len(sheet.steps) + 1, 4 if FEWER > 1 else 1):
        done = sheet.steps[:count]
        yield after(done), done, any(step.phase is Phase.PROOF for step in done)


def goal(model: Model, kind: str, aim: Aim, done: tuple[Step, ...] = ()) -> Goal:
    kept = frozenset(step.id for step in done if step.phase is not Phase.PREPARE or step.id == "compare-part")
    return Goal(aim=aim, route=kind, done=kept if aim is Aim.REPAIR else frozenset(), swapped=kind != "glass")


def walk(model: Model, sheet: Sheet, state: State, *, tested: bool) -> Hands:
    """Do a sheet from a state, every step after those it waits for."""
    hands = Hands(model, off=set(state.off), powered=state.powered, tested=tested)
    seen: set[str] = set()
    for step in sheet.steps:
        assert step.id not in seen, step.id
        assert set(step.after) <= seen, step.id
        seen.add(step.id)
        hands.do(step)
    return hands


@pytest.mark.parametrize(("model_id", "kind"), WAYS)
def test_from_every_state_each_goal_is_reached_without_harm(model_id: str, kind: str) -> None:
    model = models()[model_id]
    for state, done, tested in states(model, kind):
        for aim in (Aim.REPAIR, Aim.CLOSE):
            sheet = compile_sheet(model, goal(model, kind, aim, done), state)
            hands = walk(model, sheet, state, tested=tested and aim is Aim.REPAIR)
            assert not hands.off, (aim, [step.id for step in done][-1:])
            assert not after(sheet.steps, state).off
            closes = [step for step in sheet.steps if step.goes is Goes.ON]
            if closes and not tested:
                assert hands.tested, f"{aim}: closed without a test"


@pytest.mark.parametrize(("model_id", "kind"), WAYS)
def test_for_the_night_nothing_is_sealed_and_the_morning_takes_exactly_that_up_again(
    model_id: str, kind: str
) -> None:
    model = models()[model_id]
    battery = {piece.id for piece in model.pieces if piece.battery}
    glued = {piece.id for piece in model.pieces if piece.kind is PieceKind.ADHESIVE}
    for state, done, tested in states(model, kind):
        if tested or not state.is_open:
            continue
        night = compile_sheet(model, goal(model, kind, Aim.NIGHT), state)
        hands = walk(model, night, state, tested=False)
        laid = after(night.steps, state)
        # nothing is pressed, peeled or cut: at most the battery comes off, and what lies over it
        assert all(step.goes in (Goes.OFF, Goes.NEITHER) for step in night.steps)
        assert not (laid.off - state.off) & glued
        assert not any(step.heat or step.wait_minutes for step in night.steps)
        for step in night.steps:
            said = step.text.lower()
            assert "peel" not in said
            assert "film off" not in said.replace("no film off", "")
        assert not hands.powered
        if state.off & (battery | glued) and not battery & glued:
            reachable = battery <= laid.off or any(
                model_piece.kind is PieceKind.ADHESIVE and model_piece.id not in state.off
                for model_piece in model.pieces
            )
            assert reachable, "the battery stays on although it could be reached"
        if battery & laid.off:
            assert "night-cover" in laid.acts
        assert "night-label" in laid.acts
        # the morning: its first steps are the inverse, in the opposite order, and nothing comes before them
        morning = compile_sheet(model, goal(model, kind, Aim.REPAIR, done), laid)
        taken_up = [step.id for step in morning.steps if step.id in OVERNIGHT.values()]
        assert taken_up == [OVERNIGHT[act] for act in reversed(laid.overnight)]
        assert [step.id for step in morning.steps][: len(taken_up)] == taken_up
        up = after(morning.steps[: len(taken_up)], laid)
        assert (up.off, up.acts) == (laid.off, state.acts)
        # and then it is finished, with nothing done twice
        whole = walk(model, morning, laid, tested=False)
        assert not whole.off
        assert whole.tested
        # but the look that stands for a test: a plug was off in between
        acts = {step.id for step in done if step.goes is Goes.NEITHER and not step.second_look}
        again = acts & {step.id for step in morning.steps}
        assert not again


@pytest.mark.parametrize(("model_id", "kind"), WAYS)
def test_a_front_that_is_open_is_not_warmed_or_folded_open_again(model_id: str, kind: str) -> None:
    model = models()[model_id]
    for state, _, tested in states(model, kind):
        off_glued = [p for p in model.pieces if p.kind is PieceKind.ADHESIVE and p.id in state.off]
        if tested or not off_glued:
            continue
        for aim in (Aim.CLOSE, Aim.NIGHT, Aim.REST):
            sheet = compile_sheet(model, goal(model, kind, aim), state)
            comes_off = {step.piece for step in sheet.steps if step.goes is Goes.OFF}
            if any(p.id in comes_off for p in model.pieces if p.kind is PieceKind.ADHESIVE):
                continue
            back = {act.moves for act in model.acts if act.moves in state.moved}
            moving = {p.off.id for p in model.pieces if p.moves}
            for_moving = {act.id for act in model.acts if moving & set(act.having)}
            heated = [
                step.id
                for step in sheet.steps
                if step.heat and not step.id.endswith("-back") and step.id not in for_moving
            ]
            assert not heated, (aim, back)
            opens = {act.id for act in model.acts if act.phase is Phase.OPEN}
            assert not opens & {step.id for step in sheet.steps}, aim


# under new glass its own display stays
@pytest.mark.parametrize(("model_id", "kind"), [way for way in WAYS if way[1] != "glass"])
def test_giving_up_takes_the_new_part_out_and_what_came_over_back(model_id: str, kind: str) -> None:
    model = models()[model_id]
    items = {piece.moves for piece in model.pieces if piece.moves} | {
        act.moves for act in model.acts if act.moves
    }
    for state, _, tested in states(model, kind):
        if tested:
            continue
        sheet = compile_sheet(model, goal(model, kind, Aim.CLOSE), state)
        steps = {step.id: step for step in sheet.steps}
        for item in items & state.moved:
            back = [s for s in sheet.steps if s.moves == item and s.goes is Goes.ON]
            back += [s for s in sheet.steps if s.id.endswith("-back") and item in s.text]
            assert back, f"{item} stays on the new part"
        for piece in model.pieces:
            if piece.id in state.fitted and piece.id in model.frees(kind):
                assert piece.off.id in steps, f"{piece.id} still holds the new part"
                assert piece.on.id in steps
        for step in sheet.steps:
            if step.goes is Goes.ON:
                assert "new front" not in step.text
                assert "new screen" not in step.text


@pytest.mark.parametrize("model_id", sorted(models()))
def test_a_reseat_begins_with_the_power_off_and_touches_every_plug_once(model_id: str) -> None:
    """After a failed test the device is on: nothing is unplugged before it is switched off."""
    model = models()[model_id]
    kind = str(model.need["kind"])
    whole = compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind)).steps
    until = next(place for place, step in enumerate(whole) if step.phase is Phase.PROOF)
    state = after(whole[:until])
    sheet = compile_sheet(model, Goal(aim=Aim.RESEAT, route=kind), state)
    if state.off:
        assert sheet.steps[0].id == "power-down"
    walk(model, sheet, state, tested=False)
    # gone on with after a night: what was reseated before is not touched again
    half = [step for step in sheet.steps if step.plug and step.plug.on][:1]
    done = sheet.steps[: 1 + sheet.steps.index(half[0])]
    lies = after(done, state)
    rest = Goal(aim=Aim.RESEAT, route=kind, done=frozenset(step.id for step in done if step.goes is Goes.ON))
    going_on = compile_sheet(model, rest, lies)
    assert half[0].id not in {step.id for step in going_on.steps}
    assert not walk(model, going_on, lies, tested=False).off


def test_before_anything_is_opened_the_part_is_compared_once_a_part() -> None:
    for model in models().values():
        kind = str(model.need["kind"])
        sheet = compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind, box=frozenset({"adhesive"})))
        ids = [step.id for step in sheet.steps]
        first = next(place for place, step in enumerate(sheet.steps) if step.goes is Goes.OFF)
        assert ids.index("compare-part") < first
        assert "adhesive" in sheet.steps[ids.index("compare-part")].text
        state = after(sheet.steps[:first])
        assert "compare-part" not in {
            step.id for step in compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind), state).steps
        }
        other = compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind, other=True), state)
        assert "compare-part" in {step.id for step in other.steps}


def test_a_seal_that_comes_with_the_part_is_named_and_the_other_is_not() -> None:
    slate = models()["tarnbeck-slate-11"]
    kind = str(slate.need["kind"])
    for box, wanted, other in (({"adhesive"}, "seal-own", "seal-lay"), (set(), "seal-lay", "seal-own")):
        sheet = compile_sheet(slate, Goal(aim=Aim.REPAIR, route=kind, box=frozenset(box)))
        ids = {step.id for step in sheet.steps}
        assert wanted in ids
        assert other not in ids
        # reseated after a failed test it is the same part, and nothing else is laid beside its adhesive
        until = next(place for place, step in enumerate(sheet.steps) if step.phase is Phase.PROOF)
        again = Goal(aim=Aim.RESEAT, route=kind, box=frozenset(box))
        reseat = compile_sheet(slate, again, after(sheet.steps[:until]))
        assert not {wanted, other} & {step.id for step in reseat.steps}
    every = [step.text.lower() for model in models().values() for act in model.acts for step in (act.work,)]
    assert not [text for text in every if "otherwise" in text]


def test_typed_remarks_that_need_not_hold_are_gone() -> None:
    """What a step says holds on every job that meets it; what depends on the job is derived."""
    may_not_hold = (
        "missing already",
        "where they came from",
        "it stays silent",
        "touch is dead",
        "shows through",
    )
    for model in models().values():
        works = [act.work for act in model.acts]
        for piece in model.pieces:
            works += [piece.off, piece.on, *([piece.first.work] if piece.first else [])]
        for work in works:
            assert not [words for words in may_not_hold if words in work.text.lower()], (model.id, work.id)


def test_a_night_before_anything_is_off_asks_for_no_battery() -> None:
    """Only prepared, or only screws outside: nothing is cut open to reach it."""
    heron = models()["fennick-heron"]
    sheet = compile_sheet(heron, Goal(aim=Aim.REPAIR, route="front assembly"))
    bottom_out = next(place for place, step in enumerate(sheet.steps) if step.id == "bottom-out") + 1
    for count in (bottom_out - 1, bottom_out):
        night = compile_sheet(heron, Goal(aim=Aim.NIGHT, route="front assembly"), after(sheet.steps[:count]))
        assert "battery-off" not in {step.id for step in night.steps}
    assert (
        compile_sheet(heron, Goal(aim=Aim.NIGHT, route="front assembly"), CLOSED).steps[-1].id
        == "night-label"
    )
    powered = replace(after(sheet.steps[:bottom_out]), powered=True)
    night = compile_sheet(heron, Goal(aim=Aim.NIGHT, route="front assembly"), powered)
    assert night.steps[0].id == "power-down"
