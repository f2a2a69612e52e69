"""Points and lines on a face, in millimetres; x to the right, y downward, origin at the top left of the
outline.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from operator import itemgetter


@dataclass(frozen=True, slots=True, kw_only=True)
class Point:
    x: float
    y: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """An upright rectangle: its top left corner, width and height, in mm."""

    x: float
    y: float
    width: float
    height: float

    def holds(self, point: Point) -> bool:
        return self.x <= point.x <= self.x + self.width and self.y <= point.y <= self.y + self.height


def around(points: Sequence[Point]) -> Box:
    """The smallest upright rectangle about points."""
    left, top = min(p.x for p in points), min(p.y for p in points)
    right, bottom = max(p.x for p in points), max(p.y for p in points)
    return Box(x=left, y=top, width=right - left, height=bottom - top)


def length(points: Sequence[Point]) -> float:
    """Length of a line through the points, in mm.

    >>> length([Point(x=0, y=0), Point(x=3, y=4)])
    5.0
    """
    return sum(math.hypot(b.x - a.x, b.y - a.y) for a, b in itertools.pairwise(points))


class Edge(StrEnum):
    """One of the four edges of an outline. Along it is counted from its left or top end, in from it towards
    the opposite edge, both in mm.
    """

    TOP = "top"
    RIGHT = "right"
    BOTTOM = "bottom"
    LEFT = "left"

    @property
    def lies(self) -> bool:
        """Whether it runs from left to right."""
        return self in (Edge.TOP, Edge.BOTTOM)

    @property
    def is_first(self) -> bool:
        """Whether it is the one nearer to the origin of the two that face each other."""
        return self in (Edge.TOP, Edge.LEFT)

    @property
    def outward(self) -> tuple[int, int]:
        """The way out over it, as steps across and down."""
        step = -1 if self.is_first else 1
        return (0, step) if self.lies else (step, 0)

    def length(self, outline: Box) -> float:
        return outline.width if self.lies else outline.height

    def reach(self, outline: Box) -> float:
        """How far it is to the opposite edge."""
        return outline.height if self.lies else outline.width

    def along(self, point: Point, outline: Box) -> float:
        return point.x - outline.x if self.lies else point.y - outline.y

    def inset(self, point: Point, outline: Box) -> float:
        """How far a point lies in from it; below zero outside.

        >>> Edge.RIGHT.inset(Point(x=30, y=5), Box(x=0, y=0, width=40, height=80))
        10
        """
        start = point.y - outline.y if self.lies else point.x - outline.x
        return start if self.is_first else self.reach(outline) - start

    def point(self, along: float, inset: float, outline: Box) -> Point:
        """The point so far along and so far in.

        >>> Edge.BOTTOM.point(10, 5, Box(x=0, y=0, width=40, height=80))
        Point(x=10, y=75)
        """
        deep = inset if self.is_first else self.reach(outline) - inset
        x, y = (along, deep) if self.lies else (deep, along)
        return Point(x=outline.x + x, y=outline.y + y)

    def span(self, box: Box, outline: Box) -> tuple[float, float]:
        """From where to where a box lies along it."""
        start = self.along(Point(x=box.x, y=box.y), outline)
        return start, start + self.length(box)

    def inset_of(self, box: Box, outline: Box) -> float:
        """How far the nearest side of a box lies in from it."""
        far = Point(x=box.x + box.width, y=box.y + box.height)
        return self.inset(Point(x=box.x, y=box.y) if self.is_first else far, outline)


def nearest_edge(point: Point, box: Box) -> tuple[Edge, float]:
    """The edge of the box nearest to a point inside it (top, right, bottom, left), and how far it is in
    mm.
    """
    return min(((edge, edge.inset(point, box)) for edge in Edge), key=itemgetter(1))


# into so many straight pieces half a rounded corner is cut
_ARC_PIECES = 8


def rim(edge: Edge, box: Box, corner: float) -> list[Point]:
    """The border of a rounded box that belongs to one of its edges, from its left or top end: the straight
    part and half of each corner beside it. A round box has a quarter of its circle for each edge.

    >>> [point.x for point in rim(Edge.TOP, Box(x=0, y=0, width=40, height=80), 0)]
    [0, 40]
    """
    long_mm = edge.length(box)
    radius = min(corner, box.width / 2, box.height / 2)
    if radius <= 0:
        return [edge.point(0, 0, box), edge.point(long_mm, 0, box)]
    turns = [math.pi / 4 * piece / _ARC_PIECES for piece in range(_ARC_PIECES, -1, -1)]
    arc = [(radius - radius * math.sin(turn), radius - radius * math.cos(turn)) for turn in turns]
    back = [(long_mm - along, inset) for along, inset in reversed(arc)]
    return [edge.point(along, inset, box) for along, inset in dict.fromkeys((*arc, *back))]


def apart(line: Sequence[Point], other: Sequence[Point]) -> float:
    """How far two broken lines are from each other, in mm; a single point is a line without length.

    >>> apart([Point(x=0, y=0), Point(x=10, y=0)], [Point(x=4, y=3)])
    3.0
    """
    pairs = itertools.product(_pieces_of(line), _pieces_of(other))
    return min(_pieces_apart(a, b, c, d) for (a, b), (c, d) in pairs)


def _pieces_of(line: Sequence[Point]) -> list[tuple[Point, Point]]:
    return list(itertools.pairwise(line)) or [(line[0], line[0])]


def _pieces_apart(a: Point, b: Point, c: Point, d: Point) -> float:
    if _crosses(a, b, c, d):
        return 0.0
    return min(_off(a, c, d), _off(b, c, d), _off(c, a, b), _off(d, a, b))


def _crosses(a: Point, b: Point, c: Point, d: Point) -> bool:
    return _side_of(a, c, d) * _side_of(b, c, d) < 0 and _side_of(c, a, b) * _side_of(d, a, b) < 0


def _side_of(p: Point, a: Point, b: Point) -> float:
    return (b.x - a.x) * (p.y - a.y) - (b.y - a.y) * (p.x - a.x)


def _off(p: Point, a: Point, b: Point) -> float:
    """How far a point is from a straight piece."""
    across, down = b.x - a.x, b.y - a.y
    span = across * across + down * down
    share = ((p.x - a.x) * across + (p.y - a.y) * down) / span if span else 0.0
    share = min(max(share, 0.0), 1.0)
    return math.hypot(p.x - a.x - share * across, p.y - a.y - share * down)


def line_length(lines: Iterable[Sequence[Point]]) -> float:
    """Length of what several lines cover, in mm: a piece that was drawn twice, either way round, counts once.

    >>> way = [Point(x=0, y=0), Point(x=3, y=4)]
    >>> line_length([way, way[::-1]])
    5.0
    """
    pieces = {frozenset(piece) for line in lines for piece in itertools.pairwise(line)}
    return sum(length(sorted(piece, key=lambda p: (p.x, p.y))) for piece in pieces)
