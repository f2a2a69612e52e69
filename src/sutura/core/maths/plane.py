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
# An edge is read in steps of this length: a circle at an edge may be smaller than the largest by half of it
STEP_MM = 0.5
# How much of the glass lies near damage is counted in so many cells, none larger than a millimetre
MOST_CELLS, FINEST_CELL_MM = 40_000, 0.2
# an outline that is shown is within so much of its own, and coarser only where it has more corners than that
FINEST_RIM_MM, MOST_CORNERS = 0.1, 160
# a quarter of a circle is drawn in so many straight pieces
ARC_PIECES = 48


@dataclass(frozen=True, slots=True, kw_only=True)
class Circle:
    x: float
    y: float
    radius: float


def rounded(box: Box, radius: float) -> Region:
    """An upright rectangle with rounded corners, round where the radius is half a side; inside the true
    shape.
    """
    import shapely

    radius = min(radius, box.width / 2, box.height / 2)
    if radius <= 0:
        return shapely.box(box.x, box.y, box.x + box.width, box.y + box.height)
    left, right = box.x + radius, box.x + box.width - radius
    top, bottom = box.y + radius, box.y + box.height - radius
    corners = [(left, top), (right, top), (right, bottom), (left, bottom)]
    return shapely.MultiPoint(corners).convex_hull.buffer(radius, quad_segs=ARC_PIECES)


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
class Breaks:
    """What is broken, as numbers: pieces of lines (x, y, x, y), discs (x, y, radius) and closed areas.

    Bands about hundreds of crossing lines are measured point by point: joining their outlines exactly takes
    longer than a hand that draws waits.
    """

    pieces: Any
    discs: Any
    areas: Region

    def share_near(self, glass: Box, corner_mm: float, within_mm: float) -> float:
        """How much of a glass with rounded corners lies within a distance of what is broken, 0 to 1; by the
        middles of small cells.
        """
        import numpy as np
        import shapely

        cell = min(max(math.sqrt(glass.width * glass.height / MOST_CELLS), FINEST_CELL_MM), 1.0)
        columns = np.arange(glass.x + cell / 2, glass.x + glass.width, cell)
        rows = np.arange(glass.y + cell / 2, glass.y + glass.height, cell)[:, None]
        near = np.zeros((len(rows), len(columns)), dtype=bool)
        on_glass = _on_rounded(glass, corner_mm, columns, rows)
        for x, y, x2, y2 in self.pieces:
            _mark(near, columns, rows, (x, y, x2, y2), within_mm)
        for x, y, reach in self.discs:
            _mark(near, columns, rows, (x, y, x, y), reach + within_mm)
        if not self.areas.is_empty:
            near |= shapely.contains_xy(self.areas, *np.broadcast_arrays(columns, rows))
        return float(near[on_glass].mean()) if on_glass.any() else 0.0

    def share_of_rim(self, rim: Sequence[Point], within_mm: float) -> float:
        """How much of a border lies within a distance of what is broken, 0 to 1; by the middles of short
        pieces.
        """
        import numpy as np

        x, y = _along(rim)
        near = np.zeros(len(x), dtype=bool)
        some = self.pieces
        for axis, places in ((0, x), (1, y)):
            ends = some[:, [axis, axis + 2]]
            reached = (ends.min(axis=1) <= places.max() + within_mm) & (
                ends.max(axis=1) >= places.min() - within_mm
            )
            some = some[reached]
        for piece in some:
            near |= _away_squared(x, y, tuple(piece)) <= within_mm**2
        for at_x, at_y, reach in self.discs:
            near |= (x - at_x) ** 2 + (y - at_y) ** 2 <= (reach + within_mm) ** 2
        return float(near.mean())

    def open_depth(self, edge: Edge, box: Box, most_mm: float) -> Any:
        """For each step along an edge of a box, how far in from it one can go straight before something
        broken lies in the way; nowhere more than what is true anywhere within the step.
        """
        import numpy as np

        count = math.ceil(edge.length(box) / STEP_MM)
        depth = np.full(count, most_mm)
        t1, d1 = _turned(edge, box, self.pieces[:, 0], self.pieces[:, 1])
        t2, d2 = _turned(edge, box, self.pieces[:, 2], self.pieces[:, 3])
        # what lies outside the box, beside its glass, breaks nothing of it
        near = (np.minimum(d1, d2) < most_mm) & (np.maximum(d1, d2) > -CRACK_HALF_MM)
        for piece in zip(t1[near], d1[near], t2[near], d2[near], strict=True):
            _shallower(depth, *piece)
        along, deep = _turned(edge, box, self.discs[:, 0], self.discs[:, 1])
        for at, inset, reach in zip(along, deep, self.discs[:, 2], strict=True):
            _shallower_at_disc(depth, at, inset, reach)
        return np.maximum(depth - CRACK_HALF_MM, 0.0)


def breaks(
    lines: Sequence[Sequence[Point]],
    spots: Sequence[tuple[Point, float]],
    outlines: Sequence[Sequence[Point]],
) -> Breaks:
    """What is broken: lines, discs about points, and closed areas with their borders."""
    import numpy as np

    drawn = [*lines, *([*outline, outline[0]] for outline in outlines)]
    pieces = [(a.x, a.y, b.x, b.y) for line in drawn for a, b in itertools.pairwise(line)]
    return Breaks(
        pieces=np.array(pieces, dtype=float).reshape(-1, 4),
        discs=np.array([(p.x, p.y, r) for p, r in spots], dtype=float).reshape(-1, 3),
        areas=areas(outlines),
    )


def _on_rounded(box: Box, corner_mm: float, x: Any, y: Any) -> Any:
    """Which places lie on an upright rectangle with rounded corners."""
    import numpy as np

    radius = min(corner_mm, box.width / 2, box.height / 2)
    across = np.maximum(np.abs(x - box.x - box.width / 2) - box.width / 2 + radius, 0.0)
    down = np.maximum(np.abs(y - box.y - box.height / 2) - box.height / 2 + radius, 0.0)
    return across**2 + down**2 <= radius**2 if radius > 0 else (across <= 0) & (down <= 0)


def _along(line: Sequence[Point]) -> tuple[Any, Any]:
    """The middles of short pieces of a broken line."""
    import numpy as np

    xs, ys = np.array([p.x for p in line]), np.array([p.y for p in line])
    reached = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(xs), np.diff(ys)))])
    count = max(math.ceil(reached[-1] / STEP_MM), 1)
    at = (np.arange(count) + 0.5) * reached[-1] / count
    return np.interp(at, reached, xs), np.interp(at, reached, ys)


def _away_squared(x: Any, y: Any, piece: tuple[float, float, float, float]) -> Any:
    import numpy as np

    x1, y1, x2, y2 = piece
    dx, dy = x2 - x1, y2 - y1
    x, y = x - x1, y - y1
    along = (x * dx + y * dy) / ((dx * dx + dy * dy) or 1.0)
    np.minimum(np.maximum(along, 0.0, out=along), 1.0, out=along)
    across, down = x - along * dx, y - along * dy
    return across * across + down * down


def _mark(near: Any, columns: Any, rows: Any, piece: tuple[float, float, float, float], reach: float) -> None:
    """Mark the cells that lie within reach of a straight piece."""
    import numpy as np

    x1, y1, x2, y2 = piece
    left, right = np.searchsorted(columns, [min(x1, x2) - reach, max(x1, x2) + reach])
    top, bottom = np.searchsorted(rows[:, 0], [min(y1, y2) - reach, max(y1, y2) + reach])
    if left < right and top < bottom:
        near[top:bottom, left:right] |= (
            _away_squared(columns[left:right], rows[top:bottom], piece) <= reach**2
        )


def _turned(edge: Edge, box: Box, x: Any, y: Any) -> tuple[Any, Any]:
    """Places as along an edge and in from it."""
    along, deep = (x - box.x, y - box.y) if edge.lies else (y - box.y, x - box.x)
    return along, deep if edge.is_first else edge.reach(box) - deep


def _shallower(depth: Any, t1: float, d1: float, t2: float, d2: float) -> None:
    """Make the steps before a straight piece as shallow as the piece is anywhere within each of them."""
    import numpy as np

    if t1 > t2:
        t1, d1, t2, d2 = t2, d2, t1, d1
    if max(d1, d2) <= 0:
        d1 = d2 = 0.0
    elif min(d1, d2) < 0:
        over = t1 + (t2 - t1) * d1 / (d1 - d2)
        t1, d1, t2, d2 = (over, 0.0, t2, d2) if d1 < 0 else (t1, d1, over, 0.0)
    # a piece that ends just where a step begins touches both
    first = max(math.ceil(t1 / STEP_MM) - 1, 0)
    last = min(math.floor(t2 / STEP_MM) + 1, len(depth))
    if first >= last:
        return
    if t2 <= t1:
        np.minimum(depth[first:last], min(d1, d2), out=depth[first:last])
        return
    bounds = np.arange(first, last + 1) * STEP_MM
    bounds[0], bounds[-1] = max(bounds[0], t1), min(bounds[-1], t2)
    slope = (d2 - d1) / (t2 - t1)
    deep = d1 + slope * (bounds - t1)
    np.minimum(depth[first:last], np.minimum(deep[:-1], deep[1:]), out=depth[first:last])


def _shallower_at_disc(depth: Any, at: float, inset: float, reach: float) -> None:
    import numpy as np

    first = max(math.floor((at - reach) / STEP_MM), 0)
    last = min(math.floor((at + reach) / STEP_MM) + 1, len(depth))
    if first >= last:
        return
    starts = np.arange(first, last) * STEP_MM
    off = np.maximum(np.maximum(starts - at, at - starts - STEP_MM), 0.0)
    half = np.sqrt(np.maximum(reach**2 - off**2, 0.0))
    least = np.where(inset + half >= 0, inset - half, depth[first:last])
    np.minimum(depth[first:last], least, out=depth[first:last])


def steps(edge: Edge, depths: Any, box: Box) -> Region:
    """The part of a box that lies before these depths from an edge, one depth for each step along it."""
    import numpy as np
    import shapely

    bounds = np.minimum(np.arange(len(depths) + 1) * STEP_MM, edge.length(box))
    # a run of equal depths is one piece
    changes = np.flatnonzero(np.diff(depths, prepend=np.nan, append=np.nan) != 0)
    along = np.repeat(bounds[changes], 2)
    deep = np.concatenate([[0.0], np.repeat(depths[changes[:-1]], 2), [0.0]])
    deep = deep if edge.is_first else edge.reach(box) - deep
    x, y = (along, deep) if edge.lies else (deep, along)
    return shapely.Polygon(np.column_stack([box.x + x, box.y + y])).buffer(0)


def discs(spots: Iterable[tuple[Point, float]]) -> Region:
    """Filled circles about points; the true circle lies inside."""
    import shapely

    wider = 1 / math.cos(math.pi / 4 / ARC_PIECES)
    return shapely.union_all(
        [
            shapely.Point(p.x, p.y).buffer(max(r, CRACK_HALF_MM) * wider, quad_segs=ARC_PIECES)
            for p, r in spots
        ]
    )


def areas(outlines: Iterable[Sequence[Point]]) -> Region:
    """Closed areas as drawn by hand: all that their line encloses, however often and whichever way it goes
    round; one without width stays a thin line.
    """
    import shapely

    enclosed = []
    for outline in outlines:
        ring = shapely.LineString([(p.x, p.y) for p in (*outline, outline[0])])
        inside = shapely.union_all(shapely.polygonize([shapely.node(ring)]).geoms)
        enclosed.append(ring.buffer(CRACK_HALF_MM) if inside.is_empty else inside)
    return shapely.union_all(enclosed)


@dataclass(frozen=True, slots=True, kw_only=True)
class Patch:
    """A piece of an area: the box round it, its size in mm², and its outline."""

    box: Box
    mm2: float
    outline: tuple[Point, ...]


def brushed(lines: Iterable[Sequence[Point]], radius: float) -> Region:
    """What a round brush of that radius touches along lines; a line of one point is a dab."""
    import shapely

    drawn = [
        shapely.Point(line[0].x, line[0].y)
        if len({(p.x, p.y) for p in line}) == 1
        else shapely.LineString([(p.x, p.y) for p in line])
        for line in lines
        if line
    ]
    return (
        shapely.union_all(shapely.buffer(drawn, radius, quad_segs=ARC_PIECES)) if drawn else shapely.Polygon()
    )


def covered_share(box: Box, region: Region) -> float:
    """Which share of a box a region covers."""
    import shapely

    whole = shapely.box(box.x, box.y, box.x + box.width, box.y + box.height)
    return float(whole.intersection(region).area / whole.area) if whole.area else 1.0


def left_bare(box: Box, region: Region, least_mm2: float) -> tuple[Patch, ...]:
    """The pieces of a box that a region leaves bare, the largest first; smaller ones than that are left
    out.
    """
    import shapely

    whole = shapely.box(box.x, box.y, box.x + box.width, box.y + box.height)
    bare = _polygons(whole.difference(region))
    pieces = [piece for piece in getattr(bare, "geoms", [bare]) if piece.area >= least_mm2]
    found = []
    for piece in sorted(pieces, key=lambda piece: (-piece.area, piece.bounds)):
        x, y, x2, y2 = piece.bounds
        found.append(
            Patch(box=Box(x=x, y=y, width=x2 - x, height=y2 - y), mm2=float(piece.area), outline=_rim(piece))
        )
    return tuple(found)


def _rim(piece: Region) -> tuple[Point, ...]:
    """The outline of a piece with no more corners than can be seen, and none of them far from its own."""
    rim, tolerance = piece.exterior, FINEST_RIM_MM
    while len(rim.coords) > MOST_CORNERS:
        rim, tolerance = piece.exterior.simplify(tolerance), tolerance * 2
    return tuple(Point(x=x, y=y) for x, y in rim.coords[:-1])


def line_meets(start: Point, end: Point, outline: Sequence[Point]) -> bool:
    """Whether the straight way between two points goes through an area."""
    import shapely

    area = shapely.Polygon([(p.x, p.y) for p in outline])
    return bool(shapely.LineString([(start.x, start.y), (end.x, end.y)]).intersects(area))


def common_mm2(one: Region, other: Region) -> float:
    """How large the common part of two areas is."""
    return float(one.intersection(other).area)


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


def distance(region: Region, box: Box) -> float:
    """How far a region is from an upright rectangle, in mm; infinite where the region is empty."""
    import shapely

    if region.is_empty:
        return math.inf
    return float(shapely.box(box.x, box.y, box.x + box.width, box.y + box.height).distance(region))


def together(regions: Iterable[Region]) -> Region:
    """Several regions as one."""
    import shapely

    some = [region for region in regions if not region.is_empty]
    return some[0] if len(some) == 1 else shapely.union_all(some)
