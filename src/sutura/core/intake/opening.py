"""How a broken face is opened: where it can still be held, where and how deep it may be cut.

All lengths in mm on the front, from the top left corner of the outline. A face is never opened deeper than
its catalogue says.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from sutura.core.catalogue.model import EDGES, Face, Model
from sutura.core.facts import Fact, Say, fact
from sutura.core.intake.damage import NEAR_EDGE_MM
from sutura.core.intake.marks import KINDS, Mark, MarkKind, Shape, Side, reached_edges
from sutura.core.maths import plane
from sutura.core.maths.geometry import Box, Edge, Point, line_length, nearest_edge, rim
from sutura.core.maths.plane import Breaks, Circle, Region
from sutura.core.values import COMMON, Rule

# Suction cups by diameter; the shop's own list, no source.
CUPS_MM = (20, 30, 40, 55)
# A cup leaks when its lip lies on a crack: this much is kept free round it. The shop's, no source.
CUP_MARGIN_MM = 1.0
# A cup further in than this lifts the middle of the glass and not its edge. The shop's, no source.
CUP_BAND_MM = 62.0
CORNER_MM = 12.0
CUP, BLADE = "suction cup", "thin blade"
# The circle at an edge may be smaller than the largest by this much: it is read in short steps.
EDGE_CIRCLE_MM = 0.2
HIGH_SHARE, SOME_SHARE = 0.35, 0.08
# A usual opening edge is given up for another one only when it is this much more broken. The shop's, no
# source.
HABIT = 0.3

RULES = (
    Rule(
        id="intake.cut",
        capability="intake",
        says=(
            "There is an opening plan only where the sheet lifts the front with a cup or cuts "
            "round it: none for "
            "lids, clipped bezels and fronts that come out from behind."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.circle",
        capability="intake",
        says=(
            "A suction cup needs unbroken glass: the largest circle that touches no crack, no missing "
            "glass and no opening, with whole glass all the way to the edge, decides which cup holds "
            "there."
        ),
        source="common practice, no source; largest inscribed circle by shapely (library)",
    ),
    Rule(
        id="intake.entry",
        capability="intake",
        says=(
            "It is opened at its usual edge unless no pick may go in there, no cup holds there but one "
            "does elsewhere, or its border is broken more than elsewhere by "
            f"{HABIT:.0%} of its length; the reason is said. A pick goes in beside glass only. Where no "
            "cup holds, a gap that is there already is the start, else "
            "a chip, else tape and a thin blade."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.depth",
        capability="intake",
        says=(
            "A pick goes no deeper than the edge allows, less at a keep-out that it could reach from "
            "this edge, and never as far as a sensor or camera behind the edge."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.sheets-tools",
        capability="intake",
        says=(
            "The opening plan uses the tools of the sheet, and those that the model allows besides; its "
            "depth limits are those that stand at the steps of the sheet."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.loose",
        capability="intake",
        says=(
            f"Glass is loose when some is missing or more than {HIGH_SHARE:.0%} of the glass lies within "
            f"{NEAR_EDGE_MM:g} mm of damage; it may be from {SOME_SHARE:.0%} on, or where a crack "
            "reaches an edge."
        ),
        source="common practice, no source; the shares are the shop's",
    ),
)


class Loose(StrEnum):
    """How likely it is that glass falls out while it is worked on."""

    NO = "unbroken"
    LOW = "holds"
    SOME = "some"
    HIGH = "loose"


class Start(StrEnum):
    CUP = "cup"
    GAP = "gap"
    CHIP = "chip"
    BLADE = "blade"
    # with the tool of the sheet, which uses no cup
    TOOL = "tool"
    NOWHERE = "nowhere"


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """A part of an edge with the depth limit of a pick there, and why. Along the edge from its left or top
    end.
    """

    start_mm: float
    end_mm: float
    depth_mm: float
    why: Say


@dataclass(frozen=True, slots=True, kw_only=True)
class EdgeReading:
    """One edge: how much of the glass's border there is near damage (0 to 1), the largest unbroken circle
    from which a cup still lifts it, its depth limits from end to end, and from where to where glass lies
    beside it.
    """

    edge: str
    broken: float
    circle: Circle | None
    stretches: tuple[Stretch, ...]
    beside_glass: tuple[float, float]

    @property
    def open_stretches(self) -> tuple[Stretch, ...]:
        """Where a pick may go in: beside glass, each cut to where the glass is."""
        first, last = self.beside_glass
        cut = [
            replace(one, start_mm=max(one.start_mm, first), end_mm=min(one.end_mm, last))
            for one in self.stretches
            if one.depth_mm > 0
        ]
        return tuple(one for one in cut if one.start_mm < one.end_mm)

    @property
    def allowed(self) -> bool:
        return bool(self.open_stretches)


class Habit(StrEnum):
    """Why a face is not started at its usual edge."""

    NEVER = "never"
    NO_CUP = "no_cup"
    BROKEN = "broken"
    OPEN_ALREADY = "open_already"


@dataclass(frozen=True, slots=True, kw_only=True)
class Cup:
    """A suction cup that holds: its diameter, its centre, and the edge it lifts."""

    diameter_mm: int
    at: Point
    edge: str


@dataclass(frozen=True, slots=True, kw_only=True)
class OpeningPlan:
    """How a broken face is opened. `unknown` names what the catalogue does not know of this face."""

    share_near: float
    crack_mm: float
    loose: Loose
    edges: tuple[EdgeReading, ...]
    corners: tuple[str, ...]
    largest: Circle | None
    near_opening: Circle | None
    start: Start
    entry_edge: str
    entry: Point | None
    cup: Cup | None
    order: tuple[str, ...]
    # why it is not started at its usual edge; None where it is
    instead: Habit | None
    not_cut: tuple[str, ...]
    protect: tuple[Say, ...]
    says: tuple[Say, ...]
    unknown: tuple[Say, ...]

    @property
    def begins(self) -> Say:
        """What is said first where the state of the glass is not asked: how it is entered."""
        return self.says[0 if self.loose is Loose.NO else 1]


def opening_plan(model: Model, marks: Sequence[Mark], cups_mm: Sequence[int] = CUPS_MM) -> OpeningPlan | None:
    """The opening plan of a model with its marks; None where nothing is cut (rule intake.cut)."""
    used = model.cutting_tools
    if not used:
        return None
    allowed = [tool.tool for tool in model.opening_tools if tool.use != "never"]
    tools = dict.fromkeys([*used, *(one for tool in allowed for one in tool.split(" and "))])
    return plan_opening(marks, model.face, cups_mm, tuple(tools))


def plan_opening(
    marks: Sequence[Mark],
    face: Face,
    cups_mm: Sequence[int] = CUPS_MM,
    tools: Sequence[str] = ("suction cup", "pick", "thin blade"),
) -> OpeningPlan:
    """The opening plan of a face with its marks, with some tools, the usual one first (rules intake.circle,
    intake.entry, intake.depth, intake.loose, intake.sheets-tools).
    """
    glass = [mark for mark in marks if mark.breaks_glass]
    broken, damage = _broken(glass)
    pane = plane.rounded(face.glass, face.corner_mm)
    tight = _without_openings(pane, face)
    edges = tuple(_read_edge(edge, face, broken, tight, cups_mm) for edge in Edge)
    start, entry_edge, cup, entry = _start(edges, marks, face, cups_mm if CUP in tools else (), tools)
    share = broken.share_near(face.glass, face.corner_mm, NEAR_EDGE_MM)
    loose = _loose(glass, share, bool(reached_edges(glass, face, 1.0)))
    order = _order(entry_edge, edges) if entry_edge else ()
    plan = OpeningPlan(
        share_near=share,
        crack_mm=line_length(m.points for m in glass if m.kind is MarkKind.CRACK),
        loose=loose,
        edges=edges,
        corners=_corners(damage, face) if glass else (),
        largest=plane.largest_circle(tight.difference(damage) if glass else tight),
        near_opening=next(edge.circle for edge in edges if edge.edge == face.opening_edge),
        start=start,
        entry_edge=entry_edge,
        entry=entry,
        cup=cup,
        order=order,
        instead=_instead(start, entry_edge, edges, face, cups_mm if CUP in tools else ()),
        not_cut=tuple(edge.edge for edge in edges if not edge.allowed),
        protect=_protect(loose),
        says=(),
        unknown=_unknown(face),
    )
    return _with_words(plan, face, next((tool for tool in tools if tool != CUP), ""))


def _broken(glass: Sequence[Mark]) -> tuple[Breaks, Region]:
    """Everything broken, to measure by and as a region."""
    lines, spots, areas = (
        [m for m in glass if KINDS[m.kind].shape is s] for s in (Shape.LINE, Shape.SPOT, Shape.AREA)
    )
    strokes, discs = [m.points for m in lines], [(m.points[0], m.reach_mm) for m in spots]
    rings = [(*m.points, m.points[0]) for m in areas]
    broken = plane.breaks(strokes, discs, rings)
    return broken, plane.together([plane.thin([*strokes, *rings]), plane.discs(discs), broken.areas])


def _without_openings(glass: Region, face: Face) -> Region:
    """Glass without the openings a cup would leak through: speaker, microphone, button."""
    for spot in face.spots:
        if spot.what in ("speaker", "microphone", "button"):
            glass = glass.difference(
                plane.rounded(spot.box, min(spot.box.width, spot.box.height) / 2 if spot.round else 0)
            )
    return glass


# -- edges ----------------------------------------------------------------------------------


def _band_mm(edge: Edge, face: Face, cups_mm: Sequence[int]) -> float:
    """How far in from the edge of the glass a cup still lifts it; the smallest cup always has room."""
    reach = edge.reach(face.glass)
    # a millimetre more than it needs: the circle is read in steps
    smallest = min(cups_mm) + 2 * CUP_MARGIN_MM + 1.0
    return min(max(min(CUP_BAND_MM, 0.6 * reach), smallest), reach)


def _read_edge(edge: Edge, face: Face, broken: Breaks, tight: Region, cups_mm: Sequence[int]) -> EdgeReading:
    # a shard behind a crack comes out by itself and lifts no edge: only glass that is whole all the way to
    # the edge counts
    open_depth = broken.open_depth(edge, face.glass, _band_mm(edge, face, cups_mm))
    reach = plane.steps(edge, open_depth, face.glass)
    # a hole that goes over the edge shows only its inner border there
    whole = tight if broken.areas.is_empty else tight.difference(broken.areas)
    circle = plane.largest_circle(whole.intersection(reach), tolerance_mm=EDGE_CIRCLE_MM)
    return EdgeReading(
        edge=edge.value,
        broken=broken.share_of_rim(rim(edge, face.glass, face.corner_mm), NEAR_EDGE_MM),
        circle=circle,
        stretches=depth_limits(edge, face),
        beside_glass=face.glass_span(edge),
    )


def depth_limits(edge: str, face: Face) -> tuple[Stretch, ...]:
    """How deep a pick may go along an edge, from end to end, with the reason of each limit (rule
    intake.depth).
    """
    base = face.edges[edge]
    long_mm = Edge(edge).length(face.outline)
    limits: list[tuple[float, float, float, Say]] = [(0.0, long_mm, base.depth_mm, base.why)]
    # near a corner a pick from the next edge comes to the same cable
    limits += [
        (*Edge(edge).span(k.box, face.outline), k.depth_mm, f"{k.name}: {k.why}")
        for k in face.keep_outs
        if k.edge == edge or Edge(edge).inset_of(k.box, face.outline) < base.depth_mm
    ]
    for spot in face.spots:
        inset = Edge(edge).inset_of(spot.box, face.outline)
        if spot.what in ("sensor", "camera") and inset < base.depth_mm + 0.1:
            limits.append(
                (
                    *Edge(edge).span(spot.box, face.outline),
                    math.floor(max(inset - 0.1, 0) * 10) / 10,
                    fact("intake.behind", spot=spot.name),
                )
            )
    cuts = sorted({min(max(at, 0.0), long_mm) for limit in limits for at in limit[:2]})
    stretches: list[Stretch] = []
    for start, end in itertools.pairwise(cuts):
        depth, why = min(((d, w) for a, b, d, w in limits if a <= start and b >= end), key=lambda one: one[0])
        if stretches and (stretches[-1].depth_mm, stretches[-1].why) == (depth, why):
            start = stretches.pop().start_mm
        stretches.append(Stretch(start_mm=start, end_mm=end, depth_mm=depth, why=why))
    return tuple(stretches)


def _corners(damage: Region, face: Face) -> tuple[str, ...]:
    glass = face.glass
    size = min(CORNER_MM, glass.width / 3, glass.height / 3)
    right, bottom = glass.x + glass.width - size, glass.y + glass.height - size
    places = {
        "top left": (glass.x, glass.y),
        "top right": (right, glass.y),
        "bottom right": (right, bottom),
        "bottom left": (glass.x, bottom),
    }
    return tuple(
        name
        for name, (x, y) in places.items()
        if plane.distance(damage, Box(x=x, y=y, width=size, height=size)) <= NEAR_EDGE_MM
    )


# -- where to start -------------------------------------------------------------------------


def _start(
    edges: Sequence[EdgeReading],
    marks: Sequence[Mark],
    face: Face,
    cups_mm: Sequence[int],
    tools: Sequence[str],
) -> tuple[Start, str, Cup | None, Point | None]:
    """How and where the face is started: by a cup near the best edge, at a gap, at a chip, or with tape and a
    thin blade.
    """
    allowed = [edge for edge in edges if edge.allowed]
    if not allowed:
        return Start.NOWHERE, "", None, None
    cups = {edge.edge: _cup(edge.edge, edge.circle, cups_mm) for edge in allowed}

    def cost(one: EdgeReading) -> tuple[bool, float, int]:
        habit = 0.0 if one.edge == face.opening_edge else HABIT
        return cups[one.edge] is None, round(one.broken + habit, 6), EDGES.index(one.edge)

    by_cost = sorted(allowed, key=cost)
    best = by_cost[0]
    if cup := cups[best.edge]:
        return Start.CUP, best.edge, cup, _entry(best, Edge(best.edge).along(cup.at, face.outline), face)
    gaps = _gaps(marks, face)
    for edge in by_cost:
        if edge.edge in gaps:
            return Start.GAP, edge.edge, None, _entry(edge, gaps[edge.edge], face)
    chips = [
        point
        for mark in marks
        if mark.kind is MarkKind.MISSING and mark.breaks_glass
        for point in mark.points
    ]
    for edge in by_cost:
        reachable = [
            (Edge(edge.edge).inset(chip, face.glass), Edge(edge.edge).along(chip, face.outline))
            for chip in chips
        ]
        if reachable and min(reachable)[0] <= NEAR_EDGE_MM:
            return Start.CHIP, edge.edge, None, _entry(edge, min(reachable)[1], face)
    with_blade = BLADE in tools and CUP in tools
    start = Start.BLADE if with_blade else Start.TOOL
    return start, best.edge, None, _entry(best, sum(best.beside_glass) / 2, face)


def _instead(
    start: Start, edge: str, edges: Sequence[EdgeReading], face: Face, cups_mm: Sequence[int]
) -> Habit | None:
    """The reason why a face is not started at its usual edge (rule intake.entry)."""
    if edge in ("", face.opening_edge):
        return None
    usual = next(one for one in edges if one.edge == face.opening_edge)
    if not usual.allowed:
        return Habit.NEVER
    if start in (Start.GAP, Start.CHIP):
        return Habit.OPEN_ALREADY
    if start is Start.CUP and _cup(usual.edge, usual.circle, cups_mm) is None:
        return Habit.NO_CUP
    return Habit.BROKEN


def _gaps(marks: Sequence[Mark], face: Face) -> dict[str, float]:
    """Where an edge stands open already, as far along it as the middle of its gap; the longest gap of each
    edge.
    """
    gaps: dict[str, tuple[float, float]] = {}
    for mark in marks:
        if mark.kind is not MarkKind.GAP or mark.side is Side.BACK:
            continue
        ends = mark.points[0], mark.points[-1]
        if mark.side.is_edge:
            edge, along = mark.side.value, [end.x for end in ends]
        else:
            middle = Point(x=(ends[0].x + ends[1].x) / 2, y=(ends[0].y + ends[1].y) / 2)
            edge, away = nearest_edge(middle, face.glass)
            along = [Edge(edge).along(end, face.outline) for end in ends]
            if away > NEAR_EDGE_MM:
                continue
        span = abs(along[1] - along[0])
        if edge not in gaps or span > gaps[edge][0]:
            gaps[edge] = (span, sum(along) / 2)
    return {edge: middle for edge, (_, middle) in gaps.items()}


def _cup(edge: str, circle: Circle | None, cups_mm: Sequence[int]) -> Cup | None:
    """The largest cup that fits into a circle, moved as near to the edge as the circle allows."""
    fitting = [d for d in cups_mm if circle and d / 2 + CUP_MARGIN_MM <= circle.radius + 1e-9]
    if not circle or not fitting:
        return None
    diameter = max(fitting)
    spare = circle.radius - diameter / 2 - CUP_MARGIN_MM
    across, down = Edge(edge).outward
    at = Point(x=circle.x + across * spare, y=circle.y + down * spare)
    return Cup(diameter_mm=diameter, at=at, edge=edge)


def _entry(reading: EdgeReading, wanted_mm: float, face: Face) -> Point:
    """The place on an edge nearest to the wanted one where a pick goes as deep as anywhere on that edge."""
    deepest = max(stretch.depth_mm for stretch in reading.open_stretches)
    free = [stretch for stretch in reading.open_stretches if stretch.depth_mm == deepest]

    def nearest(one: Stretch) -> float:
        margin = min(face.corner_mm, (one.end_mm - one.start_mm) / 2)
        return min(max(wanted_mm, one.start_mm + margin), one.end_mm - margin)

    along = min((nearest(share) for share in free), key=lambda at: (abs(at - wanted_mm), at))
    edge = Edge(reading.edge)
    return edge.point(along, edge.inset_of(face.glass, face.outline), face.outline)


def _order(first: str, edges: Sequence[EdgeReading]) -> tuple[str, ...]:
    """From the first edge to its neighbours, the freer one first, the far edge last; what may not be cut is
    left out.
    """
    at = EDGES.index(first)
    beside = [EDGES[(at + 1) % 4], EDGES[(at - 1) % 4]]
    reading = {edge.edge: edge for edge in edges}

    def free_mm(edge: str) -> float:
        return sum((s.end_mm - s.start_mm) * s.depth_mm for s in reading[edge].open_stretches)

    beside.sort(key=lambda edge: (-round(free_mm(edge), 6), round(reading[edge].broken, 6)))
    return tuple(edge for edge in (first, *beside, EDGES[(at + 2) % 4]) if reading[edge].allowed)


# -- words ----------------------------------------------------------------------------------


def _loose(glass: Sequence[Mark], share: float, at_edge: bool) -> Loose:
    if not glass:
        return Loose.NO
    if share > HIGH_SHARE or any(mark.kind is MarkKind.MISSING for mark in glass):
        return Loose.HIGH
    return Loose.SOME if share >= SOME_SHARE or at_edge else Loose.LOW


def _protect(loose: Loose) -> tuple[Fact, ...]:
    if loose is Loose.NO:
        return ()
    usual = (fact("intake.eye-protection"), fact("intake.gloves"), fact("intake.tape-over-cracks"))
    return (*usual, fact("intake.box-splinters")) if loose is Loose.HIGH else usual


def _unknown(face: Face) -> tuple[Fact, ...]:
    """What cannot be computed because the catalogue does not know it."""
    missing = []
    if not face.keep_outs:
        missing.append(fact("intake.where-cables-run-no-keep-outs"))
    if not face.spots:
        missing.append(fact("intake.windows-speaker-sensors-cup-may-leak"))
    return tuple(missing)


def _with_words(plan: OpeningPlan, face: Face, tool: str) -> OpeningPlan:
    return replace(plan, says=tuple(_words(plan, face, tool)))


def _words(plan: OpeningPlan, face: Face, tool: str) -> list[Fact]:
    said = []
    if plan.loose is not Loose.NO:
        said.append(
            fact(
                "intake.glass-lies-within-mm-damage",
                share_near=plan.share_near,
                near_edge_mm=NEAR_EDGE_MM,
                loose=plan.loose,
            )
        )
    if plan.start is Start.NOWHERE:
        return [*said, fact("intake.no-edge-allows-pick-not-opened")]
    if plan.cup:
        deep = Edge(plan.cup.edge).inset(plan.cup.at, face.outline)
        cup = {"diameter_mm": plan.cup.diameter_mm, "deep": deep, "edge": plan.cup.edge}
        said.append(fact("intake.cup-mm-centre-mm-from-edge", **cup))
    else:
        said.append(fact(_WITHOUT_CUP[plan.start], entry_edge=plan.entry_edge, tool=tool))
    if plan.instead:
        broken = {edge.edge: edge.broken for edge in plan.edges}
        shares = {"broken": broken[face.opening_edge], "here": broken[plan.entry_edge]}
        edges = {"opening_edge": face.opening_edge, "entry_edge": plan.entry_edge}
        said.append(fact(_INSTEAD[plan.instead], **edges, **shares))
    said.append(fact("intake.order", edges=plan.order))
    if plan.not_cut:
        said.append(fact("intake.never-cut", not_cut=tuple(plan.not_cut)))
    for edge in plan.order:
        reading = next(edge_plan for edge_plan in plan.edges if edge_plan.edge == edge)
        said += [fact("intake.edge", edge=edge, limit=limit) for limit in _limits(reading)]
    return said


_INSTEAD = {
    Habit.NEVER: "intake.not-usual-edge-no-pick",
    Habit.NO_CUP: "intake.not-usual-edge-no-cup",
    Habit.BROKEN: "intake.not-usual-edge-broken",
    Habit.OPEN_ALREADY: "intake.not-usual-edge-open-already",
}
_WITHOUT_CUP = {
    Start.GAP: "intake.no-cup-holds-start-gap-stands",
    Start.CHIP: "intake.no-cup-holds-start-chip-edge",
    Start.BLADE: "intake.no-cup-holds-tape-glass-then",
    Start.TOOL: "intake.start-with-tool",
}


def _limits(reading: EdgeReading) -> list[Fact]:
    """The limits of an edge in words, the usual one first, then the shorter stretches."""
    longest = max(reading.stretches, key=lambda stretch: stretch.end_mm - stretch.start_mm)
    said = [fact("intake.limit-why", depth=_depth(longest.depth_mm), why=longest.why)]
    said += [
        fact(
            "intake.from-mm",
            depth=_depth(stretch.depth_mm),
            start_mm=stretch.start_mm,
            end_mm=stretch.end_mm,
            why=stretch.why,
        )
        for stretch in reading.stretches
        if (stretch.depth_mm, stretch.why) != (longest.depth_mm, longest.why)
    ]
    return said


def _depth(depth_mm: float) -> Fact:
    return fact("intake.most-mm-deep", depth_mm=depth_mm) if depth_mm else fact("intake.no-pick")
