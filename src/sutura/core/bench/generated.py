"""Steps that a sheet makes of itself, where a pack says nothing of them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from sutura.core.bench.serials import PROGRAMMER
from sutura.core.bench.state import OVERNIGHT, POWER_DOWN, POWER_DOWN_TO_CLOSE, State
from sutura.core.catalogue.model import EDGES, Face, Goes, Model, Phase, Piece, PieceKind, Step, Work
from sutura.core.intake.opening import depth_limits
from sutura.core.values import COMMON, Rule

SECOND_LOOK = "second-look"
# an adapter flex of the box or of a kit sits between display and device
ADAPTER, ADAPTER_FLEX = "adapter-on", "adapter flex"
# the display is given its serial, where the pack has no act for that
GIVE_SERIAL = "give-serial"
# the new part's box is held against what is needed, before anything is opened
COMPARE = "compare-part"
# an item goes back onto the old part when the new one is taken out again
BACK = "-back"

RULES = (
    Rule(
        id="bench.switched-off",
        capability="bench",
        says=(
            "A device that was switched on in the middle of the work is switched off before a plug is "
            "touched again, and after its test before anything is closed."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.overnight",
        capability="bench",
        says=(
            "For the night nothing is sealed: the battery is off and covered where it can be reached without "
            "cutting, what is off is laid back dry, its films on, the screws in their tray. The morning "
            "takes exactly this up again."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.old-part-back",
        capability="bench",
        says=(
            "A repair that is given up takes the new part out again and what was moved over back, tests what "
            "still works against its arrival, and closes."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.box-decides",
        capability="bench",
        says="What comes with the new part is not moved over from the old one.",
        source=COMMON,
    ),
)

_TEXTS: Mapping[str, str] = {
    SECOND_LOOK: (
        "Second look: every connector home, every latch down, no cable pinched. It cannot be tested "
        "before it is closed."
    ),
    ADAPTER: (
        "Adapter flex onto the new display first, flush; lay it without a fold and clear of screws, then "
        "plug its other end where the old cable was."
    ),
    GIVE_SERIAL: (
        "Clip the programmer to the display: read the old display's serial, from the old screen if it is "
        "there; write it into this one and read it back."
    ),
    POWER_DOWN: (
        "Switch off: hold the button until nothing lights. Nothing may blink before a plug is touched."
    ),
    POWER_DOWN_TO_CLOSE: "Switch off: the display goes dark before anything is laid on it or lifted again.",
    "night-cover": (
        "Cover the battery's connector with insulating tape, so that it cannot touch its "
        "socket. It stays off."
    ),
    "night-label": (
        "Screws stay in their fields of the tray. Put the job's code on tray and device, with: open, not "
        "sealed – do not switch on, charge, press shut or lift by the front."
    ),
    "morning-uncover": "Take the tape off the battery's connector. It stays unplugged for now.",
    "morning-label": (
        "Tray and device bear this job's code? Take the note off; every screw lies in its field."
    ),
}


def step(name: str, phase: Phase, *, second_look: bool = False, tools: tuple[str, ...] = ()) -> Step:
    """A step by its id, in its own words."""
    return Step(id=name, phase=phase, text=_TEXTS[name], second_look=second_look, tools=tools)


def give_serial() -> Step:
    return step(GIVE_SERIAL, Phase.SWAP, tools=(PROGRAMMER,))


def compare_step(box: Sequence[str], comes_over: Sequence[str]) -> Step:
    """The box of the new part beside what is needed: what is in it, and what comes over from the old part."""
    there = f" In its box: {_listed(box)}." if box else ""
    over = f" From the old part come over: {_listed(comes_over)}." if comes_over else ""
    text = (
        "Compare the new part with what is needed before anything is opened, its film on: windows, "
        f"connectors, colour.{there}{over}"
    )
    return Step(id=COMPARE, phase=Phase.PREPARE, text=text)


def back_step(work: Work, item: str) -> Step:
    """An item goes back from the new part to the old one, as it came over."""
    return Step(
        id=work.id + BACK,
        phase=Phase.SWAP,
        text=f"Back onto the old part: {item}. The way it came over.",
        tools=work.tools,
        cautions=work.cautions,
        limits=work.limits,
        heat=work.heat,
    )


def _listed(items: Iterable[str]) -> str:
    return ", ".join(sorted(items))


# -- for the night, and the morning after ------------------------------------------------------------------


def night_steps(model: Model, state: State, battery_off: bool) -> list[Step]:
    """What is laid down for the night: the battery's plug covered, what is off laid on dry, the tray
    named.
    """
    off = [piece for piece in model.pieces if piece.id in state.off]
    steps = []
    if battery_off:
        steps.append(
            replace(step("night-cover", Phase.CLOSE), tools=("insulating tape",), cautions=("cell",))
        )
    if lid := _lies_loose(off):
        steps.append(
            _resting(
                "night-rest",
                f"Lay back dry: {lid}. No adhesive, no film off, nothing pressed "
                "on or screwed. Cables lie free; a loose band holds it.",
            )
        )
    steps.append(step("night-label", Phase.CLOSE))
    return steps


def morning_steps(model: Model, state: State) -> list[Step]:
    """What was laid down for the night is taken up, the last thing first: the inverse of `night_steps`."""
    off = [piece for piece in model.pieces if piece.id in state.off]
    steps = []
    for night in reversed(state.overnight):
        name = OVERNIGHT[night]
        if name == "morning-lift":
            steps.append(
                _resting(
                    name,
                    f"Band off; lift off again what lies loose: {_lies_loose(off)}. Prop it "
                    "up; no cable is pulled.",
                )
            )
        else:
            steps.append(step(name, Phase.PREPARE))
    return steps


def _resting(name: str, text: str) -> Step:
    phase = Phase.CLOSE if name in OVERNIGHT else Phase.PREPARE
    return Step(id=name, phase=phase, text=text, tools=("band",), cautions=("pinch",))


def _lies_loose(off: Sequence[Piece]) -> str:
    """What is off and does not lie in the tray, by its names; empty where nothing is."""
    glued = [piece for piece in off if piece.kind in (PieceKind.ADHESIVE, PieceKind.COVER)]
    if glued:
        return _listed({piece.name or piece.id.replace("-", " ") for piece in glued})
    # where nothing is glued or clipped, what was held by screws lies loose
    screwed = [piece for piece in off if piece.kind is PieceKind.SCREWS and not piece.moves]
    names = {"the lid" if "hinge" in piece.id else "the cover" for piece in screwed}
    return _listed(names)


# -- how deep a pick may go ---------------------------------------------------------------------------------


def depth_lines(face: Face) -> tuple[str, ...]:
    """How deep the front may be cut, edge by edge, as the opening plan reads it from the face: the usual
    depth of an edge, then the shorter stretches that allow less.
    """
    lines = []
    for edge in EDGES:
        stretches = depth_limits(edge, face)
        usual = max(stretches, key=lambda one: (one.end_mm - one.start_mm, one.depth_mm))
        line = f"{edge} edge: {_depth(usual.depth_mm)}"
        for less in stretches:
            if less.depth_mm < usual.depth_mm:
                line += f", {_depth(less.depth_mm)} from {less.start_mm:.0f} to {less.end_mm:.0f} mm"
        lines.append(line)
    return tuple(lines)


def _depth(depth_mm: float) -> str:
    return f"{depth_mm:g} mm" if depth_mm else "no pick"


# -- in which part it happens ------------------------------------------------------------------------------

_PART = re.compile(r"\b(new|old)(?= (?:front|screen|display|glass|panel|lid|stack|part)\b)", re.IGNORECASE)

_FILM = re.compile(r"\bFilm off\. ")


def other_part(step_: Step) -> Step:
    """The words of a step for the way back: what was the old part is the new one, and the other way round. It
    comes off the new one and goes onto the old one.
    """
    wanted = "new" if step_.goes is Goes.OFF else "old"

    def said(found: re.Match[str]) -> str:
        return wanted.capitalize() if found[0][0].isupper() else wanted

    # the old part has no film any more
    return replace(step_, text=_FILM.sub("", _PART.sub(said, step_.text)))
