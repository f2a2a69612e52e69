"""Areas, distances and circles in the plane, in mm, by shapely; knows nothing of the business.

shapely takes a quarter of a second to import, so it is imported where it is needed.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sutura.core.maths.geometry import Box, Edge, Point

# A shapely geometry; the library ships no types.
Region = Any
# Half the width that a crack is given: a line has no area, and polygonizing drops cracks that end inside the
# glass.
CRACK_HALF_MM = 0.01
# A crack goes through a cell of a square millimetre when it passes its middle at less than half its diagonal.
CELL_REACH_MM = 0.71


@dataclass(frozen=True, slots=True, kw_only=True)
class Circle:
    x: float
    y: float
    radius: float


def rounded(box: Box, radius: float) -> Region:
    """An upright rectangle with rounded corners."""
    import shapely

    plain = shapely.box(box.x, box.y, box.x + box.width, box.y + box.height)
    radius = min(radius, box.width / 2, box.height / 2)
    return (
        plain.buffer(-radius).buffer(radius)
        if radius > 0 and min(box.width, box.height) > 2 * radius
        else plain
    )


def thin(lines: Sequence[Sequence[Point]]) -> Region:
    """Lines as regions almost without width, which end where they end."""
    import numpy as np
    import shapely

    if not lines:
        return shapely.Polygon()
    places = np.array([(p.x, p.y) for line in lines for p in line])
    of_line = np.repeat(np.arange(len(lines)), [len(line) for line in lines])
    drawn = shapely.linestrings(places, indices=of_line)
    # each line by itself: noding all crossings first is slower by orders of magnitude
    return shapely.disjoint_subset_union_all(
        shapely.buffer(drawn, CRACK_HALF_MM, cap_style="flat", join_style="bevel")
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Nearness:
    """Which square millimetres of a face lie within a distance of something, row by row from the top left.

    A grid, because joining the outlines of hundreds of crossing bands exactly takes longer than a hand that
    draws waits.
    """

    cells: Any
    broken: Any

    def open_depth(self, edge: str, most_mm: float) -> list[float]:
        """For each millimetre along an edge, how far in one can go from it before something broken lies in
        the way.
        """
        import numpy as np

        seen = _seen_from(edge, self.broken)
        first = np.where(seen.any(axis=0), seen.argmax(axis=0), most_mm)
        return [float(min(depth, most_mm)) for depth in first]

    def share(self) -> float:
        """How much of the face is near, 0 to 1."""
        return float(self.cells.mean())

    def of_edge(self, edge: str) -> float:
        """How much of an edge is near, 0 to 1."""
        return float(_seen_from(edge, self.cells)[0].mean())

    def touches(self, box: Box) -> bool:
        """Whether anything inside an upright rectangle is near."""
        rows = slice(int(box.y), max(int(box.y + box.height), int(box.y) + 1))
        columns = slice(int(box.x), max(int(box.x + box.width), int(box.x) + 1))
        return bool(self.cells[rows, columns].any())


def nearness(
    lines: Sequence[Sequence[Point]],
    spots: Sequence[tuple[Point, float]],
    outlines: Sequence[Sequence[Point]],
    within_mm: float,
    size: Box,
) -> Nearness:
    """What of a face of this size lies within a distance of lines, of circles about points, and of closed
    areas.
    """
    import numpy as np
    import shapely

    high, wide = max(math.ceil(size.height), 1), max(math.ceil(size.width), 1)
    cells = np.zeros((high, wide), dtype=bool)
    broken = np.zeros((high, wide), dtype=bool)

    columns, rows = np.arange(wide) + 0.5, (np.arange(high) + 0.5)[:, None]

    def mark(a: Point, b: Point, reach: float) -> None:
        left, right = max(int(min(a.x, b.x) - reach), 0), min(int(max(a.x, b.x) + reach) + 1, wide)
        top, bottom = max(int(min(a.y, b.y) - reach), 0), min(int(max(a.y, b.y) + reach) + 1, high)
        dx, dy = b.x - a.x, b.y - a.y
        x, y = columns[left:right] - a.x, rows[top:bottom] - a.y
        along = (x * dx + y * dy) / ((dx * dx + dy * dy) or 1.0)
        np.minimum(np.maximum(along, 0.0, out=along), 1.0, out=along)
        away = (x - along * dx) ** 2 + (y - along * dy) ** 2
        cells[top:bottom, left:right] |= away <= reach**2
        broken[top:bottom, left:right] |= away <= max(reach - within_mm, CELL_REACH_MM) ** 2

    for line in lines:
        for a, b in itertools.pairwise(line):
            mark(a, b, within_mm)
    for at, reach in spots:
        mark(at, at, reach + within_mm)
    for outline in outlines:
        for a, b in itertools.pairwise([*outline, outline[0]]):
            mark(a, b, within_mm)
        inside = shapely.contains_xy(areas([outline]), *np.broadcast_arrays(columns, rows))
        cells |= inside
        broken |= inside
    return Nearness(cells=cells, broken=broken)


def steps(edge: str, depths: Sequence[float], size: Box) -> Region:
    """The part of a face that lies before these depths from an edge, one depth for each millimetre along
    it.
    """
    import shapely

    along = Edge(edge).length(size)
    profile = [(0.0, 0.0)]
    place = 0.0
    for depth, run in itertools.groupby(depths):
        start, place = place, place + len(list(run))
        profile += [(min(start, along), depth), (min(place, along), depth)]
    profile.append((along, 0.0))
    return shapely.Polygon([_at_edge(edge, t, depth, size) for t, depth in profile]).buffer(0)


def _at_edge(edge: str, along: float, deep: float, size: Box) -> tuple[float, float]:
    at = Edge(edge).point(along, deep, size)
    return at.x, at.y


def _seen_from(edge: str, cells: Any) -> Any:
    """The cells with this edge as their first row, along it from its left or top end."""
    across = cells if Edge(edge).lies else cells.T
    return across if Edge(edge).is_first else across[::-1]


def discs(spots: Iterable[tuple[Point, float]]) -> Region:
    """Filled circles about points."""
    import shapely

    return shapely.union_all(
        [shapely.Point(p.x, p.y).buffer(max(r, CRACK_HALF_MM), quad_segs=12) for p, r in spots]
    )


def areas(outlines: Iterable[Sequence[Point]]) -> Region:
    """Closed areas as drawn by hand; one that crosses itself is made sound, one without width stays a thin
    line.
    """
    import shapely

    drawn = [shapely.make_valid(shapely.Polygon([(p.x, p.y) for p in outline])) for outline in outlines]
    sound = [shape if shape.geom_type == "Polygon" else shape.buffer(CRACK_HALF_MM) for shape in drawn]
    return shapely.union_all(sound)


def largest_circle(region: Region, tolerance_mm: float = 0.05) -> Circle | None:
    """The largest circle that lies in a region; None when nothing is left of it.

    >>> round(largest_circle(areas([[Point(x=0, y=0), Point(x=3, y=0), Point(x=0, y=4)]]), 0.001).radius, 2)
    1.0
    """
    import shapely

    region = _polygons(region)
    if region.is_empty or region.area <= 0:
        return None
    circle = shapely.maximum_inscribed_circle(region, tolerance=tolerance_mm)
    (x, y), _ = circle.coords
    return Circle(x=x, y=y, radius=circle.length)


def _polygons(region: Region) -> Region:
    """Only what has an area: cutting can leave lines and points behind."""
    import shapely

    if region.geom_type in ("Polygon", "MultiPolygon"):
        return region
    return shapely.MultiPolygon(
        [piece for piece in getattr(region, "geoms", ()) if piece.geom_type == "Polygon"]
    )


def together(regions: Iterable[Region]) -> Region:
    """Several regions as one."""
    import shapely

    some = [region for region in regions if not region.is_empty]
    return some[0] if len(some) == 1 else shapely.union_all(some)
