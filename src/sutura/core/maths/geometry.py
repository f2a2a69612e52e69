"""Points and lines on a face, in millimetres; x to the right, y downward, origin at the top left of the
outline.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass


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


def nearest_edge(point: Point, box: Box) -> tuple[str, float]:
    """The edge of the box nearest to a point inside it (top, right, bottom, left), and how far it is in
    mm.
    """
    distances = {
        "top": point.y - box.y,
        "right": box.x + box.width - point.x,
        "bottom": box.y + box.height - point.y,
        "left": point.x - box.x,
    }
    edge = min(distances, key=lambda name: distances[name])
    return edge, distances[edge]
