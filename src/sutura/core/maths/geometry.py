"""Points and lines on a face, in millimetres; x to the right, y downward, origin at the top left of the
outline.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
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
