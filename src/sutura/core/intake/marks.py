"""What is drawn on a device: the marks of its damage, in mm on its front, its back or one of its four
edges.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from sutura.core.catalogue.model import Face, Model
from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.maths.geometry import Box, Edge, Point, apart, around, length, nearest_edge, rim

MAX_MARKS = 200
# a freehand line is simplified before it is sent; more points than this are no drawing by hand
MAX_POINTS = 400
# no spot reaches further from its middle
MAX_REACH_MM = 60


class MarkKind(StrEnum):
    IMPACT = "impact"
    CRACK = "crack"
    MISSING = "missing_glass"
    DEAD = "dead_touch"
    LINE = "line"
    BLOTCH = "blotch"
    PIXEL = "pixel_fault"
    GAP = "edge_gap"
    DENT = "dent"
    BEND = "bend"
    SCREW = "missing_screw"
    LIQUID = "liquid_indicator"


class Shape(StrEnum):
    """How a kind of mark is drawn: a spot with a reach, a line, a closed area, or a single place."""

    SPOT = "spot"
    LINE = "line"
    AREA = "area"
    PLACE = "place"


class Side(StrEnum):
    """Where a mark is. On an edge x runs along it from its left or top end, y across it from the front
    side.
    """

    FRONT = "front"
    BACK = "back"
    TOP = "top"
    RIGHT = "right"
    BOTTOM = "bottom"
    LEFT = "left"

    @property
    def is_edge(self) -> bool:
        return self not in (Side.FRONT, Side.BACK)


# An edge is drawn as a strip this wide whatever the device's thickness, so that a finger hits it; the shop's,
# no source.
EDGE_STRIP_MM = 10.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Hole:
    """A place of a screw that is seen from outside, in mm on its side, as a mark has it."""

    side: Side
    at: Point
    where: str


def holes_of(model: Model) -> tuple[Hole, ...]:
    """The screw holes that are seen before a device is opened, on its back and its edges: what is missing is
    one of them. Only those that were measured.
    """
    holes = []
    for group in model.screws:
        for at in group.at:
            if group.side == "back":
                holes.append(Hole(side=Side.BACK, at=at, where=group.where))
            elif group.side == "edge":
                edge, _ = nearest_edge(at, model.face.outline)
                along = at.x if edge in (Edge.TOP, Edge.BOTTOM) else at.y
                middle = Point(x=along, y=EDGE_STRIP_MM / 2)
                holes.append(Hole(side=Side(edge.value), at=middle, where=group.where))
    return tuple(holes)


@dataclass(frozen=True, slots=True, kw_only=True)
class KindFacts:
    """How a kind is drawn, on which sides it can be, and whether it breaks the glass or the picture."""

    shape: Shape
    sides: tuple[Side, ...] = (Side.FRONT,)
    glass: bool = False
    picture: bool = False


_BOTH = (Side.FRONT, Side.BACK)
_ALL = tuple(Side)
KINDS: Mapping[MarkKind, KindFacts] = {
    MarkKind.IMPACT: KindFacts(shape=Shape.SPOT, glass=True, sides=_BOTH),
    MarkKind.CRACK: KindFacts(shape=Shape.LINE, glass=True, sides=_BOTH),
    MarkKind.MISSING: KindFacts(shape=Shape.AREA, glass=True, sides=_BOTH),
    MarkKind.DEAD: KindFacts(shape=Shape.AREA),
    MarkKind.LINE: KindFacts(shape=Shape.LINE, picture=True),
    MarkKind.BLOTCH: KindFacts(shape=Shape.SPOT, picture=True),
    MarkKind.PIXEL: KindFacts(shape=Shape.PLACE, picture=True),
    MarkKind.GAP: KindFacts(shape=Shape.LINE, sides=_ALL),
    MarkKind.DENT: KindFacts(shape=Shape.SPOT, sides=_ALL),
    MarkKind.BEND: KindFacts(shape=Shape.LINE, sides=_ALL),
    MarkKind.SCREW: KindFacts(shape=Shape.PLACE, sides=_ALL),
    MarkKind.LIQUID: KindFacts(shape=Shape.PLACE, sides=_ALL),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Mark:
    """One damage in mm from the top left corner of its side. `note` says more, such as what an indicator
    shows.

    `id` names it within its drawing, so that a photo can be of this very mark; empty on drawings made before
    there were any.
    """

    kind: MarkKind
    points: tuple[Point, ...]
    reach_mm: float = 0.0
    side: Side = Side.FRONT
    note: str = ""
    id: str = ""

    @property
    def breaks_glass(self) -> bool:
        return KINDS[self.kind].glass and self.side is Side.FRONT

    @property
    def label(self) -> Fact:
        """The mark in words, with its size; what the text list beside the drawing says."""
        said = _LABELS[KINDS[self.kind].shape](self)
        if self.side is Side.BACK:
            said = fact("intake.on-the-back", said=said)
        elif self.side.is_edge:
            said = fact("intake.on-the-edge", said=said, edge=self.side)
        return fact("intake.with-note", said=said, note=self.note) if self.note else said


def _spot(mark: Mark) -> Fact:
    at = mark.points[0]
    return fact("intake.mm-mm-across", kind=mark.kind, x=at.x, y=at.y, reach_mm=mark.reach_mm * 2)


def _line(mark: Mark) -> Fact:
    start, end = mark.points[0], mark.points[-1]
    span = fact("intake.from-mm-2", x=start.x, y=start.y, x2=end.x, y2=end.y)
    return fact("intake.mm-long", kind=mark.kind, span=span, length=length(mark.points))


def _area(mark: Mark) -> Fact:
    wide = max(p.x for p in mark.points) - min(p.x for p in mark.points)
    high = max(p.y for p in mark.points) - min(p.y for p in mark.points)
    at = mark.points[0]
    return fact("intake.mm-mm", kind=mark.kind, x=at.x, y=at.y, wide=wide, high=high)


def _place(mark: Mark) -> Fact:
    return fact("intake.mm", kind=mark.kind, x=mark.points[0].x, y=mark.points[0].y)


_LABELS: Mapping[Shape, Callable[[Mark], Fact]] = {
    Shape.SPOT: _spot,
    Shape.LINE: _line,
    Shape.AREA: _area,
    Shape.PLACE: _place,
}

# how many points a mark of each shape has, the fewest and the most
POINTS_OF: Mapping[Shape, tuple[int, int]] = {
    Shape.SPOT: (1, 1),
    Shape.PLACE: (1, 1),
    Shape.LINE: (2, MAX_POINTS),
    Shape.AREA: (3, MAX_POINTS),
}
_DRAWN_AS = {
    Shape.SPOT: "intake.points-spot",
    Shape.PLACE: "intake.points-place",
    Shape.LINE: "intake.points-line",
    Shape.AREA: "intake.points-area",
}


def check_marks(marks: Sequence[Mark], face: Face) -> list[Invalid]:
    """Problems of drawn marks, each with its place `marks[i]`."""
    if len(marks) > MAX_MARKS:
        return [Invalid("marks", len(marks), fact("intake.draw-most-marks", max_marks=MAX_MARKS))]
    return [
        problem for index, mark in enumerate(marks) for problem in _problems(f"marks[{index}]", mark, face)
    ]


def _problems(place: str, mark: Mark, face: Face) -> list[Invalid]:
    facts = KINDS[mark.kind]
    fewest, most = POINTS_OF[facts.shape]
    problems = []
    if not fewest <= len(mark.points) <= most:
        drawn_as = Fact(_DRAWN_AS[facts.shape], (("fewest", fewest), ("most", most)))
        drawn = fact("intake.points", count=len(mark.points))
        problems.append(Invalid(place, drawn, fact("intake.draw", kind=mark.kind, words=drawn_as)))
    if mark.side not in facts.sides:
        problems.append(
            Invalid(
                place,
                mark.side.value,
                fact("intake.draw-2", kind=mark.kind, sides=tuple(side.value for side in facts.sides[:2])),
            )
        )
    room = side_box(mark.side, face)
    outside = next((p for p in mark.points if not room.holds(p)), None)
    if outside:
        where = f"{mark.side.value} edge" if mark.side.is_edge else "face"
        accepts = fact("intake.stay-0-0-mm", where=where, width=room.width, height=room.height)
        problems.append(Invalid(place, fact("intake.mm-2", x=outside.x, y=outside.y), accepts))
    if not 0 <= mark.reach_mm <= MAX_REACH_MM:
        problems.append(
            Invalid(
                place,
                fact("intake.length-mm", length=mark.reach_mm),
                fact("intake.spot-reaches", most=MAX_REACH_MM),
            )
        )
    if not re.fullmatch(r"[a-z0-9]{0,12}", mark.id):
        problems.append(Invalid(place, mark.id[:20], fact("intake.draw-mark-again-name-could-not")))
    if len(mark.note) > 120:
        problems.append(Invalid(place, mark.note[:60], fact("intake.write-most-120-characters")))
    return problems


def side_box(side: Side, face: Face) -> Box:
    """The room a side has for marks: the outline for front and back, a strip as long as the edge for an
    edge.
    """
    if not side.is_edge:
        return face.outline
    long_mm = face.width_mm if side in (Side.TOP, Side.BOTTOM) else face.height_mm
    return Box(x=0, y=0, width=long_mm, height=EDGE_STRIP_MM)


def reached_edges(marks: Sequence[Mark], face: Face, within_mm: float) -> list[str]:
    """Every edge of the glass that broken glass on the front comes within a distance of, in the order
    drawn.
    """
    edges = [
        edge.value
        for mark in marks
        if mark.breaks_glass
        for edge in _reached_by(mark, face.glass, face.corner_mm, within_mm)
    ]
    return list(dict.fromkeys(edges))


@lru_cache(maxsize=256)
def _rims_of(glass: Box, corner: float) -> tuple[Mapping[Edge, Sequence[Point]], Mapping[Edge, float]]:
    """The border of each edge, and how far in from the edge it comes at the corners."""
    rims = {edge: rim(edge, glass, corner) for edge in Edge}
    return rims, {edge: max(edge.inset(point, glass) for point in rims[edge]) for edge in Edge}


@lru_cache(maxsize=4096)
def _reached_by(mark: Mark, glass: Box, corner: float, within_mm: float) -> tuple[Edge, ...]:
    """Of one mark: a drawing is read at every step of the bench, and at every pause of the counter."""
    rims, deepest = _rims_of(glass, corner)
    drawn = mark.points
    if KINDS[mark.kind].shape is Shape.AREA:
        drawn = (*drawn, drawn[0])
    within, room = within_mm + mark.reach_mm, around(drawn)
    if _well_inside(room, glass, within + max(deepest.values())):
        return ()
    reached = [
        edge
        for edge in Edge
        # most of what is drawn is far from most edges
        if edge.inset_of(room, glass) <= within + deepest[edge] and apart(drawn, rims[edge]) <= within + 1e-9
    ]
    # along the way it was drawn
    reached.sort(key=lambda e: apart([drawn[0]], rims[e]))
    return tuple(reached)


def _well_inside(room: Box, glass: Box, margin: float) -> bool:
    """Whether an upright rectangle keeps more than a margin from every edge of the glass."""
    return (
        room.x - glass.x > margin
        and room.y - glass.y > margin
        and glass.x + glass.width - room.x - room.width > margin
        and glass.y + glass.height - room.y - room.height > margin
    )
