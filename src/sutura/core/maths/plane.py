"""Areas, distances and circles in the plane, in mm, by shapely; knows nothing of the business.

shapely takes a quarter of a second to import, so it is imported where it is needed.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sutura.core.maths.geometry import Box, Point

# A shapely geometry; the library ships no types.
Region = Any
# Half the width that a crack is given: a line has no area, and polygonizing drops cracks that end inside the glass.
CRACK_HALF_MM = 0.01


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


def boxed(box: Box) -> Region:
    """An upright rectangle."""
    return rounded(box, 0)


def strokes(lines: Iterable[Sequence[Point]]) -> list[Region]:
    """Lines as shapes, to be made broad; a line of one point is that point."""
    import shapely

    return [
        shapely.LineString([(p.x, p.y) for p in line])
        if len(line) > 1
        else shapely.Point(line[0].x, line[0].y)
        for line in lines
    ]


def broad(lines: Sequence[Region], half_mm: float) -> Region:
    """Everything within a distance of some strokes; thin ones end where they end."""
    import shapely

    # each line by itself: noding all crossings first is slower by orders of magnitude
    if half_mm <= CRACK_HALF_MM:
        return shapely.disjoint_subset_union_all(
            shapely.buffer(lines, half_mm, cap_style="flat", join_style="bevel")
        )
    return shapely.union_all(shapely.buffer(lines, half_mm, quad_segs=2))


def discs(spots: Iterable[tuple[Point, float]]) -> Region:
    """Filled circles about points."""
    import shapely

    return shapely.union_all(
        [shapely.Point(p.x, p.y).buffer(max(r, CRACK_HALF_MM), quad_segs=12) for p, r in spots]
    )


def areas(outlines: Iterable[Sequence[Point]]) -> Region:
    """Closed areas as drawn by hand; one that crosses itself is made sound, one without width stays a thin line."""
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
    found = shapely.maximum_inscribed_circle(region, tolerance=tolerance_mm)
    (x, y), _ = found.coords
    return Circle(x=x, y=y, radius=found.length)


def _polygons(region: Region) -> Region:
    """Only what has an area: cutting can leave lines and points behind."""
    import shapely

    if region.geom_type in ("Polygon", "MultiPolygon"):
        return region
    return shapely.MultiPolygon([one for one in getattr(region, "geoms", ()) if one.geom_type == "Polygon"])


def clipped(region: Region, box: Box) -> Region:
    """The part of a region inside an upright rectangle."""
    import shapely

    return shapely.clip_by_rect(region, box.x, box.y, box.x + box.width, box.y + box.height)


def together(regions: Iterable[Region]) -> Region:
    """Several regions as one."""
    import shapely

    some = [region for region in regions if not region.is_empty]
    return some[0] if len(some) == 1 else shapely.union_all(some)


def share(part: Region, whole: Region) -> float:
    """How much of a region another one covers, 0 to 1."""
    return float(part.intersection(whole).area / whole.area) if whole.area else 0.0


def length_share(start: Point, end: Point, region: Region) -> float:
    """How much of a straight line lies in a region, 0 to 1."""
    import shapely

    line = shapely.LineString([(start.x, start.y), (end.x, end.y)])
    return float(line.intersection(region).length / line.length) if line.length else 0.0
