"""What the catalogue knows of a device: its numbers, face, need, functions, screws and sheet.

A pack file is checked in two passes: the published JSON Schema (shape) in `formats.pack`, then
`problems_of` here (sense: screws that come out go back, the battery is first and last).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.maths.geometry import Box, Point
from sutura.core.values import COMMON, Rule


class Phase(StrEnum):
    """The part of a sheet a step belongs to. The proof stands between fit and close."""

    PREPARE = "prepare"
    OPEN = "open"
    SWAP = "swap"
    PROOF = "proof"
    CLOSE = "close"


class NumberKind(StrEnum):
    EXACT = "exact"
    PREFIX = "prefix"


@dataclass(frozen=True, slots=True, kw_only=True)
class NumberPattern:
    """Which part of a printed model number decides, and what the rest means."""

    kind: NumberKind
    text: str
    rest: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Spot:
    """A round or boxed thing on the face, such as a camera window, with what it is called."""

    name: str
    box: Box
    round: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class KeepOut:
    """A place where a pick may not go deep: a cable, a sensor. Depth limit in mm, 0 = not at all."""

    name: str
    box: Box
    depth_mm: float
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Face:
    """A device's front in mm; the origin is the top left corner of the outline."""

    width_mm: float
    height_mm: float
    corner_mm: float
    active: Box
    opening_edge: str
    spots: tuple[Spot, ...] = ()
    keep_outs: tuple[KeepOut, ...] = ()

    @property
    def outline(self) -> Box:
        return Box(x=0, y=0, width=self.width_mm, height=self.height_mm)


@dataclass(frozen=True, slots=True, kw_only=True)
class Function:
    """Something the device can do that is tested. `screen` = the new part supplies it, so it must work."""

    id: str
    name: str
    how: str
    screen: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ScrewGroup:
    id: str
    count: int
    where: str
    head: str
    bit: str
    length_mm: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Heat:
    target_c: int
    minutes: float
    with_what: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Plug:
    """A connector worked on at a step: its name and whether it comes off or goes on."""

    name: str
    on: bool
    battery: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step of a sheet. `screws` names the group counted here; `screws_in` tells the direction."""

    id: str
    phase: Phase
    text: str
    tools: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    limits: tuple[str, ...] = ()
    screws: str = ""
    screws_in: bool = False
    plug: Plug | None = None
    heat: Heat | None = None
    wait_minutes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """One device model as the catalogue knows it."""

    id: str
    maker: str
    name: str
    device_class: str
    construction: str
    procedure_family: str
    part_family: str
    numbers: tuple[NumberPattern, ...]
    face: Face
    need: Mapping[str, str | float]
    functions: tuple[Function, ...]
    screws: tuple[ScrewGroup, ...]
    steps: tuple[Step, ...]
    rework: tuple[str, ...]
    move_over: tuple[str, ...]
    minutes: int
    cure_minutes: int
    seal: str
    seals_ruled_out: Mapping[str, str]
    warranty_days: int

    @property
    def full_name(self) -> str:
        return f"{self.maker} {self.name}"

    def screw_group(self, group: str) -> ScrewGroup:
        return next(found for found in self.screws if found.id == group)


class Kinship(StrEnum):
    """How two models are related: by the way they are opened, by the parts that fit, or by both. Two different things."""

    BOTH = "shares the steps and the parts"
    STEPS = "shares the steps, not the parts"
    PARTS = "shares the parts, not the steps"


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """One thing that is not the same in two related models."""

    what: str
    here: str
    there: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Sibling:
    """A related model, how it is related, and everything that differs."""

    model: Model
    kinship: Kinship
    differences: tuple[Difference, ...]


def kinship(one: Model, other: Model) -> Kinship | None:
    """How two models are related, None when they are not."""
    steps, parts = one.procedure_family == other.procedure_family, one.part_family == other.part_family
    if steps and parts:
        return Kinship.BOTH
    return Kinship.STEPS if steps else Kinship.PARTS if parts else None


def siblings_of(model: Model, models: Iterable[Model]) -> list[Sibling]:
    """Models that share steps or parts with one, with what differs (rule catalogue.siblings)."""
    return [
        Sibling(model=other, kinship=related, differences=tuple(differences(model, other)))
        for other in models
        if other.id != model.id and (related := kinship(model, other))
    ]


def differences(here: Model, there: Model) -> list[Difference]:
    """What is not the same: numbers, parts, sizes, needs, screws, steps, functions, times and seal."""

    def row(what: str, read: Callable[[Model], str]) -> tuple[str, str, str]:
        return what, read(here), read(there)

    rows = [
        row("numbers", lambda m: ", ".join(n.text for n in m.numbers)),
        row("part family", lambda m: m.part_family),
        row("steps family", lambda m: m.procedure_family),
        row("face", lambda m: f"{m.face.width_mm:g}×{m.face.height_mm:g} mm"),
        row("minutes by the sheet", lambda m: str(m.minutes)),
        row("cure", lambda m: f"{m.cure_minutes} min"),
        row("sealed with", lambda m: m.seal or "nothing"),
        row("moved over", lambda m: ", ".join(m.move_over) or "nothing"),
    ]
    listed: tuple[tuple[str, Callable[[Model], Mapping[str, str]]], ...] = (
        ("{}", lambda m: {_need_words(k): str(v) for k, v in m.need.items() if k != "part_family"}),
        ("screws, {}", _screw_words),
        ("step “{}”", lambda m: {step.text: "yes" for step in m.steps}),
        ("function {}", lambda m: {function.name: "yes" for function in m.functions}),
    )
    for what, read in listed:
        mine, theirs = read(here), read(there)
        rows += [
            (what.format(name), mine.get(name, "no"), theirs.get(name, "no")) for name in {**mine, **theirs}
        ]
    return [Difference(what=what, here=mine, there=theirs) for what, mine, theirs in rows if mine != theirs]


def _need_words(attribute: str) -> str:
    return attribute.replace("_mm", ", mm").replace("_", " ")


def _screw_words(model: Model) -> dict[str, str]:
    return {group.where: f"{group.count} × {group.length_mm:g} mm, {group.head}" for group in model.screws}


CAUTIONS: Mapping[str, tuple[str, str]] = {
    "glass": (
        "Broken glass",
        "Eye protection and gloves on. Tape over the cracks. Collect every splinter at once; waste glass goes by local rules.",
    ),
    "cell": (
        "Lithium cell",
        "Never heat, bend or pierce it. Swollen or hot: stop, set it apart on something that does not burn, ventilate, "
        "and follow local fire and waste rules.",
    ),
    "hot": (
        "Hot surface",
        "Never hotter than a hand can stay on. Keep moving; read the temperature at the spot you cut.",
    ),
    "solvent": ("Solvent", "Ventilate; no flame, no spark. Alcohol on plastics, never acetone."),
    "static": ("Static discharge", "Wear the wrist strap; touch the frame first."),
    "data": (
        "Customer's data",
        "Look only at what the test needs. The customer enters the passcode; it is never written down.",
    ),
    "mains": (
        "Mains and high voltage",
        "Mains-powered displays and old backlight inverters go to licensed service.",
    ),
    "pinch": (
        "Fragile cable",
        "Do not crease or pull. Fold open only as far as the cable allows, and prop it up.",
    ),
    "overtighten": (
        "Over-tightening",
        "Stop when the screw seats: an overtightened one shows through the front.",
    ),
}
CAUTIONS_SOURCE = "common practice; local codes, the maker's instructions and licensed practice come first"

RULES = (
    Rule(id="sheet.battery-first", capability="catalogue",
         says="The battery comes off before any other connector and goes on after every other.", source=COMMON),
    Rule(id="sheet.screws-return", capability="catalogue",
         says="Every group of screws that comes out goes back in, once.", source=COMMON),
    Rule(id="catalogue.siblings", capability="catalogue",
         says="Sharing the steps and sharing the parts are two different things; a sibling's page says which, and lists what differs.", source=COMMON),
    Rule(id="sheet.proof-once", capability="catalogue",
         says="A sheet has one proof step, before the sealing steps.", source=COMMON),
)  # fmt: skip


def problems_of(model: Model) -> list[Invalid]:
    """Everything in a model that has the right shape and makes no sense, each with its place."""
    return [
        *_unknown_names(model),
        *_screw_problems(model),
        *_plug_problems(model),
        *_order_problems(model),
        *_face_problems(model),
    ]


def _unknown_names(model: Model) -> list[Invalid]:
    groups = {group.id for group in model.screws}
    step_ids = [step.id for step in model.steps]
    problems = []
    for index, step in enumerate(model.steps):
        place = f"steps[{index}]"
        if step.screws and step.screws not in groups:
            problems.append(
                Invalid(
                    f"{place}.screws",
                    step.screws,
                    f"name one of the screw groups: {', '.join(sorted(groups)) or 'none given'}",
                )
            )
        for number, caution in enumerate(step.cautions):
            if caution not in CAUTIONS:
                problems.append(
                    Invalid(f"{place}.cautions[{number}]", caution, f"use one of: {', '.join(CAUTIONS)}")
                )
        if step_ids.count(step.id) > 1:
            problems.append(Invalid(f"{place}.id", step.id, "give each step an id of its own"))
    for index, name in enumerate(model.rework):
        if name not in step_ids:
            problems.append(Invalid(f"rework[{index}]", name, "name a step of this sheet"))
    names = [function.id for function in model.functions]
    problems += [
        Invalid(f"functions[{i}].id", name, "give each function an id of its own")
        for i, name in enumerate(names)
        if names.count(name) > 1
    ]
    return problems


def _screw_problems(model: Model) -> list[Invalid]:
    out = Counter(step.screws for step in model.steps if step.screws and not step.screws_in)
    back = Counter(step.screws for step in model.steps if step.screws and step.screws_in)
    return [
        Invalid(
            f"screws[{i}]",
            group.id,
            f"take it out in one step and put it back in one; it is out {out[group.id]}×, in {back[group.id]}×",
        )
        for i, group in enumerate(model.screws)
        if (out[group.id], back[group.id]) != (1, 1)
    ]


def _plug_problems(model: Model) -> list[Invalid]:
    plugs = [(index, step.plug) for index, step in enumerate(model.steps) if step.plug]
    off = [(index, plug) for index, plug in plugs if not plug.on]
    on = [(index, plug) for index, plug in plugs if plug.on]
    problems = []
    if not off or not off[0][1].battery:
        index = off[0][0] if off else 0
        problems.append(
            Invalid(
                f"steps[{index}].plug",
                off[0][1].name if off else "",
                "take the battery off before any other connector",
            )
        )
    if not on or not on[-1][1].battery:
        index = on[-1][0] if on else 0
        problems.append(
            Invalid(
                f"steps[{index}].plug",
                on[-1][1].name if on else "",
                "put the battery on after every other connector",
            )
        )
    if Counter(p.name for _, p in off) != Counter(p.name for _, p in on):
        problems.append(
            Invalid(
                "steps",
                ", ".join(sorted({p.name for _, p in plugs})),
                "put on every connector that came off, once",
            )
        )
    return problems


def _order_problems(model: Model) -> list[Invalid]:
    order = list(Phase)
    proofs = [index for index, step in enumerate(model.steps) if step.phase is Phase.PROOF]
    problems = []
    if len(proofs) != 1:
        problems.append(
            Invalid("steps", f"{len(proofs)} proof steps", "have exactly one step with the phase proof")
        )
    for index, (before, after) in enumerate(zip(model.steps, model.steps[1:], strict=False), start=1):
        if order.index(after.phase) < order.index(before.phase):
            problems.append(
                Invalid(f"steps[{index}].phase", after.phase.value, f"keep the order {', '.join(order)}")
            )
    return problems


def _face_problems(model: Model) -> list[Invalid]:
    face = model.face
    boxes = {"face.active": face.active}
    boxes |= {f"face.spots[{i}]": spot.box for i, spot in enumerate(face.spots)}
    boxes |= {f"face.keep_outs[{i}]": keep.box for i, keep in enumerate(face.keep_outs)}
    return [
        Invalid(place, f"{box.x:g}, {box.y:g}, {box.width:g} × {box.height:g}", "keep it inside the outline")
        for place, box in boxes.items()
        if not (
            face.outline.holds(Point(x=box.x, y=box.y))
            and face.outline.holds(Point(x=round(box.x + box.width, 6), y=round(box.y + box.height, 6)))
        )
    ]
