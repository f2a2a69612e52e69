"""What the drawing says: how much is broken, where it can still be held, where and how deep it may be opened.

All lengths in mm on the front, from the top left corner of the outline. A face is never opened deeper than
its catalogue says.
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from sutura.core.catalogue.model import EDGES, Face, Model
from sutura.core.errors import Invalid
from sutura.core.facts import Fact, Say, fact, sentences
from sutura.core.intake.marks import KINDS, Mark, MarkKind, Shape, Side, reached_edges
from sutura.core.maths import plane
from sutura.core.maths.geometry import Box, Edge, Point, length, nearest_edge
from sutura.core.maths.plane import Circle, Nearness, Region
from sutura.core.typed import read_whole
from sutura.core.values import COMMON, Rule

NEAR_EDGE_MM = 5.0
# Suction cups by diameter; the shop's own list, no source.
CUPS_MM = (20, 30, 40, 55)
# A cup leaks when its lip lies on a crack: this much is kept free round it. The shop's, no source.
CUP_MARGIN_MM = 1.0
# A cup further in than this lifts the middle of the glass and not its edge. The shop's, no source.
CUP_BAND_MM = 62.0
CORNER_MM = 12.0
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
        id="intake.inside",
        capability="intake",
        says="A mark lies on the face, within its outline.",
        source=COMMON,
    ),
    Rule(
        id="intake.glass-caution",
        capability="intake",
        says="Any crack or impact calls for eye protection, gloves and tape at the opening steps.",
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
            "It is opened at its usual edge unless another one is far less broken; never at an edge "
            "where no pick may go. Where no cup holds, a gap that is there already is the start, else "
            "a chip, else tape and a thin blade."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.depth",
        capability="intake",
        says=(
            "A pick goes no deeper than the edge allows, less at a keep-out, and never as far as a "
            "sensor or camera behind the edge."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.loose",
        capability="intake",
        says=(
            f"Glass is loose when some is missing or more than {HIGH_SHARE:.0%} of it lies within "
            f"{NEAR_EDGE_MM:g} mm of damage; it may be from {SOME_SHARE:.0%} on, or where a crack "
            "reaches an edge."
        ),
        source="common practice, no source; the shares are the shop's",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DamageReading:
    """The drawing in short: counts, total crack length in mm, edges reached, the cautions it calls for."""

    impacts: int
    cracks: int
    crack_mm: float
    edges: tuple[str, ...]
    cautions: tuple[str, ...]
    says: Say


def read_damage(marks: Sequence[Mark], face: Face) -> DamageReading:
    """The drawing in one sentence, without the geometry of an opening plan."""
    glass = [mark for mark in marks if mark.breaks_glass]
    cracks = [mark for mark in glass if mark.kind is MarkKind.CRACK]
    impacts = [mark for mark in glass if mark.kind is MarkKind.IMPACT]
    crack_mm = sum(length(mark.points) for mark in cracks)
    edges = reached_edges(marks, face, NEAR_EDGE_MM)
    said: list[Say] = []
    if glass:
        drawn = {"impacts": len(impacts), "cracks": len(cracks), "crack_mm": crack_mm}
        said.append(
            fact("intake.glass-damage-reaches", **drawn, edges=tuple(edges))
            if edges
            else fact("intake.glass-damage", **drawn)
        )
        if face.opening_edge in edges:
            said.append(fact("intake.edge-where-usually-opened-broken-tape", edge=face.opening_edge))
    others = [
        mark for mark in marks if mark.kind not in (MarkKind.CRACK, MarkKind.IMPACT) or not mark.breaks_glass
    ]
    if others:
        said.append(fact("intake.also", marks=tuple(mark.label for mark in others)))
    return DamageReading(
        impacts=len(impacts),
        cracks=len(cracks),
        crack_mm=crack_mm,
        edges=tuple(edges),
        cautions=("glass",) if glass else (),
        says=sentences(said) if said else fact("intake.no-damage-drawn"),
    )


# -- the opening plan -----------------------------------------------------------------------


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
    """One edge: how much of it is near damage (0 to 1), the largest unbroken circle from which a cup still
    lifts it, and
    its depth limits from end to end."""

    edge: str
    broken: float
    circle: Circle | None
    stretches: tuple[Stretch, ...]

    @property
    def allowed(self) -> bool:
        return any(stretch.depth_mm > 0 for stretch in self.stretches)


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
    not_cut: tuple[str, ...]
    protect: tuple[Say, ...]
    says: tuple[Say, ...]
    unknown: tuple[Say, ...]


def opening_plan(model: Model, marks: Sequence[Mark], cups_mm: Sequence[int] = CUPS_MM) -> OpeningPlan | None:
    """The opening plan of a model with its marks; None where nothing is cut (rule intake.cut)."""
    return plan_opening(marks, model.face, cups_mm) if model.front_is_cut else None


def plan_opening(marks: Sequence[Mark], face: Face, cups_mm: Sequence[int] = CUPS_MM) -> OpeningPlan:
    """The opening plan of a face with its marks (rules intake.circle, intake.entry, intake.depth,
    intake.loose).
    """
    glass = [mark for mark in marks if mark.breaks_glass]
    damage, near = _broken(glass, face)
    pane = plane.rounded(face.glass, face.corner_mm)
    tight = _without_openings(pane, face)
    edges = tuple(_read_edge(edge, face, near, tight) for edge in EDGES)
    start, entry_edge, cup, entry = _start(edges, marks, face, cups_mm)
    share = near.share()
    loose = _loose(glass, share, bool(reached_edges(glass, face, 1.0)))
    order = _order(entry_edge, edges) if entry_edge else ()
    plan = OpeningPlan(
        share_near=share,
        crack_mm=sum(length(m.points) for m in glass if m.kind is MarkKind.CRACK),
        loose=loose,
        edges=edges,
        corners=_corners(near, face),
        largest=plane.largest_circle(tight.difference(damage) if glass else tight),
        near_opening=next(edge.circle for edge in edges if edge.edge == face.opening_edge),
        start=start,
        entry_edge=entry_edge,
        entry=entry,
        cup=cup,
        order=order,
        not_cut=tuple(edge.edge for edge in edges if not edge.allowed),
        protect=_protect(loose),
        says=(),
        unknown=_unknown(face),
    )
    return _with_words(plan, face)


def read_cups(typed: str) -> tuple[int, ...]:
    """The shop's cups from diameters in mm, written with commas or spaces; smallest first.

    >>> read_cups("40, 20 mm 30")
    (20, 30, 40)
    """
    accepts = fact("intake.write-diameters-whole-mm-such-20")
    try:
        cups = {read_whole(word, 999) for word in re.split(r"[\s,;]+", typed.replace("mm", " ")) if word}
    except Invalid:
        raise Invalid("cups", typed, accepts) from None
    if not cups:
        raise Invalid("cups", typed, accepts)
    if len(cups) > 8 or min(cups) < 10 or max(cups) > 120:
        raise Invalid("cups", typed, fact("intake.write-one-eight-cups-10-120"))
    return tuple(sorted(cups))


def cups_text(cups_mm: Sequence[int]) -> str:
    return ", ".join(str(cup) for cup in cups_mm)


def _broken(glass: Sequence[Mark], face: Face) -> tuple[Region, Nearness]:
    """Everything broken, and everything within NEAR_EDGE_MM of it."""
    lines, spots, areas = (
        [m for m in glass if KINDS[m.kind].shape is s] for s in (Shape.LINE, Shape.SPOT, Shape.AREA)
    )
    strokes, outlines = [m.points for m in lines], [m.points for m in areas]
    discs = [(m.points[0], m.reach_mm) for m in spots]
    damage = plane.together([plane.thin(strokes), plane.discs(discs), plane.areas(outlines)])
    return damage, plane.nearness(strokes, discs, outlines, NEAR_EDGE_MM, face.outline)


def _without_openings(glass: Region, face: Face) -> Region:
    """Glass without the openings a cup would leak through: speaker, microphone, button."""
    for spot in face.spots:
        if spot.what in ("speaker", "microphone", "button"):
            glass = glass.difference(
                plane.rounded(spot.box, min(spot.box.width, spot.box.height) / 2 if spot.round else 0)
            )
    return glass


# -- edges ----------------------------------------------------------------------------------


def edge_length(edge: str, face: Face) -> float:
    """How long an edge of the outline is, in mm."""
    return Edge(edge).length(face.outline)


def edge_point(edge: str, along_mm: float, in_mm: float, face: Face) -> Point:
    """The point so far along an edge, from its left or top end, and so far in from it."""
    return Edge(edge).point(along_mm, in_mm, face.outline)


def point_inset(edge: str, point: Point, face: Face) -> float:
    """How far a point lies in from an edge, in mm."""
    return Edge(edge).inset(point, face.outline)


def _band_mm(edge: str, face: Face) -> float:
    """How far in from an edge a cup still lifts it."""
    return min(CUP_BAND_MM, 0.6 * Edge(edge).reach(face.outline))


def _read_edge(edge: str, face: Face, near: Nearness, tight: Region) -> EdgeReading:
    # a shard behind a crack comes out by itself and lifts no edge: only glass that is whole all the way to
    # the edge counts
    reach = plane.steps(edge, near.open_depth(edge, _band_mm(edge, face)), face.outline)
    circle = plane.largest_circle(tight.intersection(reach), tolerance_mm=0.2)
    return EdgeReading(
        edge=edge, broken=near.of_edge(edge), circle=circle, stretches=depth_limits(edge, face)
    )


def depth_limits(edge: str, face: Face) -> tuple[Stretch, ...]:
    """How deep a pick may go along an edge, from end to end, with the reason of each limit (rule
    intake.depth).
    """
    base = face.edges[edge]
    limits: list[tuple[float, float, float, Say]] = [(0.0, edge_length(edge, face), base.depth_mm, base.why)]
    limits += [
        (*Edge(edge).span(k.box, face.outline), k.depth_mm, f"{k.name}: {k.why}")
        for k in face.keep_outs
        if k.edge == edge
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
    cuts = sorted({min(max(at, 0.0), edge_length(edge, face)) for limit in limits for at in limit[:2]})
    stretches: list[Stretch] = []
    for start, end in itertools.pairwise(cuts):
        depth, why = min(((d, w) for a, b, d, w in limits if a <= start and b >= end), key=lambda one: one[0])
        if stretches and (stretches[-1].depth_mm, stretches[-1].why) == (depth, why):
            start = stretches.pop().start_mm
        stretches.append(Stretch(start_mm=start, end_mm=end, depth_mm=depth, why=why))
    return tuple(stretches)


def _corners(near: Nearness, face: Face) -> tuple[str, ...]:
    size = min(CORNER_MM, face.width_mm / 3, face.height_mm / 3)
    corners = []
    for name, x, y in (
        ("top left", 0.0, 0.0),
        ("top right", face.width_mm - size, 0.0),
        ("bottom right", face.width_mm - size, face.height_mm - size),
        ("bottom left", 0.0, face.height_mm - size),
    ):
        if near.touches(Box(x=x, y=y, width=size, height=size)):
            corners.append(name)
    return tuple(corners)


# -- where to start -------------------------------------------------------------------------


def _start(
    edges: Sequence[EdgeReading], marks: Sequence[Mark], face: Face, cups_mm: Sequence[int]
) -> tuple[Start, str, Cup | None, Point | None]:
    """How and where the face is started: by a cup near the best edge, at a gap, at a chip, or with tape and a
    thin blade.
    """
    allowed = [edge for edge in edges if edge.allowed]
    if not allowed:
        return Start.NOWHERE, "", None, None
    cups = {edge_name.edge: _cup(edge_name.edge, edge_name.circle, cups_mm) for edge_name in allowed}

    def cost(one: EdgeReading) -> tuple[bool, float, int]:
        habit = 0.0 if one.edge == face.opening_edge else HABIT
        return cups[one.edge] is None, round(one.broken + habit, 6), EDGES.index(one.edge)

    best = min(allowed, key=cost)
    cup = cups[best.edge]
    if cup:
        return Start.CUP, best.edge, cup, _entry(best, Edge(best.edge).along(cup.at, face.outline), face)
    gaps = _gaps(marks, face)
    for edge_name in sorted(allowed, key=cost):
        if edge_name.edge in gaps:
            return Start.GAP, edge_name.edge, None, _entry(edge_name, gaps[edge_name.edge], face)
    chips = [
        point
        for mark in marks
        if mark.kind is MarkKind.MISSING and mark.breaks_glass
        for point in mark.points
    ]
    for edge_name in sorted(allowed, key=cost):
        reachable = [
            (point_inset(edge_name.edge, chip, face), Edge(edge_name.edge).along(chip, face.outline))
            for chip in chips
        ]
        if reachable and min(reachable)[0] <= NEAR_EDGE_MM:
            return Start.CHIP, edge_name.edge, None, _entry(edge_name, min(reachable)[1], face)
    return Start.BLADE, best.edge, None, _entry(best, edge_length(best.edge, face) / 2, face)


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
            edge, away = nearest_edge(middle, face.outline)
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
    deepest = max(stretch.depth_mm for stretch in reading.stretches)
    free = [stretch for stretch in reading.stretches if stretch.depth_mm == deepest]

    def nearest(one: Stretch) -> float:
        margin = min(face.corner_mm, (one.end_mm - one.start_mm) / 2)
        return min(max(wanted_mm, one.start_mm + margin), one.end_mm - margin)

    along = min((nearest(share) for share in free), key=lambda at: (abs(at - wanted_mm), at))
    return edge_point(reading.edge, along, 0, face)


def _order(first: str, edges: Sequence[EdgeReading]) -> tuple[str, ...]:
    """From the first edge to its neighbours, the freer one first, the far edge last; what may not be cut is
    left out.
    """
    at = EDGES.index(first)
    beside = [EDGES[(at + 1) % 4], EDGES[(at - 1) % 4]]
    reading = {edge.edge: edge for edge in edges}

    def free_mm(edge: str) -> float:
        return sum((s.end_mm - s.start_mm) * s.depth_mm for s in reading[edge].stretches)

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


def _with_words(plan: OpeningPlan, face: Face) -> OpeningPlan:
    return replace(plan, says=tuple(_words(plan, face)))


def _words(plan: OpeningPlan, face: Face) -> list[Fact]:
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
        deep = point_inset(plan.cup.edge, plan.cup.at, face)
        cup = {"diameter_mm": plan.cup.diameter_mm, "deep": deep, "edge": plan.cup.edge}
        said.append(fact("intake.cup-mm-centre-mm-from-edge", **cup))
    else:
        said.append(fact(_WITHOUT_CUP[plan.start], entry_edge=plan.entry_edge))
    if plan.entry_edge != face.opening_edge:
        usual = next(edge for edge in plan.edges if edge.edge == face.opening_edge)
        said.append(
            fact(
                "intake.not-edge-usual-broken-nothing-holds",
                opening_edge=face.opening_edge,
                broken=usual.broken,
            )
        )
    said.append(fact("intake.order", edges=plan.order))
    if plan.not_cut:
        said.append(fact("intake.never-cut", not_cut=tuple(plan.not_cut)))
    for edge in plan.order:
        reading = next(edge_plan for edge_plan in plan.edges if edge_plan.edge == edge)
        said += [fact("intake.edge", edge=edge, limit=limit) for limit in _limits(reading)]
    return said


_WITHOUT_CUP = {
    Start.GAP: "intake.no-cup-holds-start-gap-stands",
    Start.CHIP: "intake.no-cup-holds-start-chip-edge",
    Start.BLADE: "intake.no-cup-holds-tape-glass-then",
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
