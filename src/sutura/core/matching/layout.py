"""Where things lie on a part, in mm from the top left of its outline, seen from the front: for drawing need
and offer over each other.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.catalogue.model import Face
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.matching.attributes import ATTRIBUTES
from sutura.core.matching.comparing import Agreement, Window, read_windows
from sutura.core.matching.judging import Finding
from sutura.core.matching.offers import Need, Offer, Value
from sutura.core.matching.wanted import need_from
from sutura.core.maths.geometry import Box, Edge, Point


@dataclass(frozen=True, slots=True, kw_only=True)
class Layout:
    """What can be drawn of a part; None or empty = not known. `assumed` names what is drawn where nobody
    measured it.
    """

    outline: Box | None
    active: Box | None
    windows: tuple[Window, ...]
    connector: Point | None
    connector_place: str
    tabs: tuple[str, ...]
    assumed: tuple[Say, ...] = ()


def layout_of_need(need: Need, face: Face) -> Layout:
    """The layout a device demands; its picture lies where the face has it."""
    wide, high = _number(need.get("width_mm")), _number(need.get("height_mm"))
    active = None
    size = _number(need.get("active_width_mm")), _number(need.get("active_height_mm"))
    if wide and high:
        wide_active, high_active = size[0] or face.active.width, size[1] or face.active.height
        middle = Point(x=face.active.x + face.active.width / 2, y=face.active.y + face.active.height / 2)
        in_face = _fits_face(wide, high, face)
        centre = (
            Point(x=middle.x - (face.width_mm - wide) / 2, y=middle.y - (face.height_mm - high) / 2)
            if in_face
            else Point(x=wide / 2, y=high / 2)
        )
        active = _around(centre, wide_active, high_active)
    return _layout(need, active, ())


def _fits_face(wide: float, high: float, face: Face) -> bool:
    """A front lies in the middle of its face; a panel of another shape is drawn with its picture in the
    middle.
    """
    return abs(face.width_mm - wide) < 8 and abs(face.height_mm - high) < 8


def layout_of_offer(offer: Offer, beside: Layout) -> Layout:
    """The layout of an offered part; where its picture lies is not sold with it and is taken from the
    need.
    """
    known = need_from(offer)
    wide, high = _number(known.get("active_width_mm")), _number(known.get("active_height_mm"))
    active: Box | None = None
    assumed: tuple[Say, ...] = ()
    if wide and high and beside.active:
        centre = Point(
            x=beside.active.x + beside.active.width / 2, y=beside.active.y + beside.active.height / 2
        )
        active, assumed = (
            _around(centre, wide, high),
            (fact("matching.place-picture-need-only-size-known"),),
        )
    return _layout(known, active, assumed)


def _layout(known: Mapping[str, Value | None], active: Box | None, assumed: tuple[Say, ...]) -> Layout:
    wide, high = _number(known.get("width_mm")), _number(known.get("height_mm"))
    outline = Box(x=0, y=0, width=wide, height=high) if wide and high else None
    place = str(known.get("connector_place") or "")
    mounting = str(known.get("mounting") or "")
    return Layout(
        outline=outline,
        active=active,
        windows=_windows(known.get("windows")),
        connector_place=place,
        assumed=assumed,
        connector=place_on(outline, place) if outline and place else None,
        tabs=tuple(edge.value for edge in Edge if "tab" in mounting and edge in mounting),
    )


def _windows(value: Value | None) -> tuple[Window, ...]:
    try:
        return read_windows(str(value)) if value else ()
    except Invalid:
        return ()


def _around(centre: Point, wide: float, high: float) -> Box:
    return Box(x=centre.x - wide / 2, y=centre.y - high / 2, width=wide, height=high)


def _number(value: Value | None) -> float | None:
    return float(value) if isinstance(value, int | float) and value > 0 else None


_ALONG = {"left": 0.2, "right": 0.8, "top": 0.2, "bottom": 0.8}


def place_on(outline: Box, place: str) -> Point | None:
    """A connector's place in words as a point on the outline; None when the words name no edge.

    >>> place_on(Box(x=0, y=0, width=100, height=50), "bottom right")
    Point(x=80.0, y=50.0)
    """
    words = place.casefold().split()
    edges = [word for word in words if word in _ALONG]
    if not edges:
        return None
    edge, along = Edge(edges[0]), _ALONG.get(edges[1], 0.5) if len(edges) > 1 else 0.5
    return edge.point(along * edge.length(outline), 0.0, outline)


# What the drawing can show, of all that is judged.
DRAWN = frozenset(attribute.name for attribute in ATTRIBUTES if attribute.drawn)


def drawn_findings(findings: Sequence[Finding]) -> list[Finding]:
    """The findings that the drawing shows, those that matter first; the text that stands beside it."""
    order = list(Agreement)
    return sorted(
        (finding for finding in findings if finding.attribute in DRAWN),
        key=lambda finding: -order.index(finding.agreement),
    )
