"""A device's face to scale: one SVG unit is one millimetre."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields

from markupsafe import Markup

from sutura.core.catalogue.model import Face
from sutura.core.intake.marks import EDGE_STRIP_MM, Hole, Mark, Side, side_box
from sutura.core.maths.geometry import Box, Edge
from sutura.web.drawings.marks import marks_body
from sutura.words.speech import PLAIN, Speech

MARGIN_MM = 9.0


def view_box(face: Face) -> str:
    # the sizes stand in the margin: a large face is drawn with larger letters
    margin = max(MARGIN_MM, 4.4 + _letter_mm(face))
    wide, high = face.width_mm + 2 * margin, face.height_mm + 2 * margin
    return f"{-margin:.5g} {-margin:.5g} {wide:.5g} {high:.5g}"


def stance(face: Face) -> str:
    """How a drawing of it is laid out: a lying face wants the page's width, a broad one more of it than a
    standing one.
    """
    slim = face.width_mm / face.height_mm
    return "lying" if slim > 1 else "broad" if slim > 0.6 else "standing"


def _letter_mm(face: Face) -> float:
    return max(face.width_mm, face.height_mm) / 42


def _rect(box: Box, css: str, radius: float = 0) -> Markup:
    return Markup('<rect class="{}" x="{}" y="{}" width="{}" height="{}" rx="{}"/>').format(
        css, box.x, box.y, box.width, box.height, radius
    )


def draw_face(
    face: Face,
    marks: Sequence[Mark] = (),
    title: str = "",
    over: Markup | str = "",
    *,
    limits: bool = True,
    speech: Speech = PLAIN,
) -> Markup:
    """The face with its windows, keep-outs, opening edge, size and marks; a picture with a title for screen
    readers.

    `over` is drawn over it, such as the opening plan; without `limits` it shows nothing of how it is opened.
    """
    return Markup('<svg class="face" viewBox="{}" role="img"><title>{}</title>{}{}{}</svg>').format(
        view_box(face), title, face_body(face, limits=limits), marks_body(marks, speech=speech), over
    )


def draw_back(face: Face, marks: Sequence[Mark], speech: Speech, holes: Sequence[Hole] = ()) -> Markup:
    """The back with its marks; nothing when none was drawn there."""
    behind = [mark for mark in marks if mark.side is Side.BACK]
    if not behind:
        return Markup("")
    title = "; ".join(speech.say(mark.label) for mark in behind)
    return Markup('<svg class="face" viewBox="{}" role="img"><title>The back: {}</title>{}{}</svg>').format(
        view_box(face), title, back_body(face, holes), marks_body(behind, Side.BACK, speech=speech)
    )


# the drawing of the edges: one strip under the other, this far apart
_STRIP_STEP_MM = EDGE_STRIP_MM + 9
_EDGES = (Side.TOP, Side.RIGHT, Side.BOTTOM, Side.LEFT)


def strips(face: Face) -> list[tuple[Side, Box]]:
    """Where the drawing of the edges has each edge, in its own mm."""
    return [
        (side, Box(x=0, y=place * _STRIP_STEP_MM, width=side_box(side, face).width, height=EDGE_STRIP_MM))
        for place, side in enumerate(_EDGES)
    ]


def edges_view_box(face: Face) -> str:
    wide = max(face.width_mm, face.height_mm) + 2 * MARGIN_MM
    return f"{-MARGIN_MM:g} {-MARGIN_MM:g} {wide:g} {4 * _STRIP_STEP_MM + MARGIN_MM:g}"


def edges_body(face: Face, holes: Sequence[Hole] = ()) -> Markup:
    """The four edges seen from outside, each from its left or top end, the front side above, with their
    screw holes.
    """
    size = _letter_mm(face)
    return Markup("").join(
        Markup('{}{}<text class="face-size" x="{}" y="{}" font-size="{}">{} edge, {} mm</text>').format(
            _rect(box, "face-back", 2),
            Markup('<g transform="translate({} {})">{}</g>').format(
                box.x, box.y, Markup("").join(_hole(hole) for hole in holes if hole.side is side)
            ),
            box.x,
            f"{box.y - 1.4:.1f}",
            f"{size:.2f}",
            side.value,
            f"{box.width:g}",
        )
        for side, box in strips(face)
    )


def draw_edges(face: Face, marks: Sequence[Mark], speech: Speech, holes: Sequence[Hole] = ()) -> Markup:
    """The edges with their marks; nothing when none was drawn there."""
    there = [mark for mark in marks if mark.side.is_edge]
    if not there:
        return Markup("")
    placed = Markup("").join(
        Markup('<g transform="translate({} {})">{}</g>').format(
            box.x, box.y, marks_body(there, side, speech=speech)
        )
        for side, box in strips(face)
    )
    title = "; ".join(speech.say(mark.label) for mark in there)
    return Markup(
        '<svg class="face edges" viewBox="{}" role="img"><title>The edges: {}</title>{}{}</svg>'
    ).format(edges_view_box(face), title, edges_body(face, holes), placed)


# a model's face is drawn for each of its jobs
_MOST_BODIES = 500
_BODIES: dict[object, Markup] = {}


def face_body(face: Face, *, limits: bool = True) -> Markup:
    """The parts of the drawing without the marks, to stand inside another svg."""
    parts = (getattr(face, one.name) for one in fields(face) if one.name != "edges")
    known = (*parts, *face.edges.items(), limits)
    if (drawn := _BODIES.get(known)) is None:
        if len(_BODIES) >= _MOST_BODIES:
            _BODIES.clear()
        drawn = _BODIES[known] = _drawn_body(face, limits=limits)
    return drawn


def _drawn_body(face: Face, *, limits: bool) -> Markup:
    pieces = [
        _rect(face.outline, "face-glass", face.corner_mm),
        _rect(face.glass, "face-pane", max(face.corner_mm - 1, 0)),
        _rect(face.active, "face-active", max(face.corner_mm - 4, 0)),
    ]
    for keep in face.keep_outs if limits else ():
        words = f"{keep.name}: at most {keep.depth_mm:g} mm" if keep.depth_mm else f"{keep.name}: no pick"
        pieces.append(
            Markup("<g><title>{} – {}</title>{}</g>").format(words, keep.why, _rect(keep.box, "face-keep"))
        )
    for spot in face.spots:
        radius = min(spot.box.width, spot.box.height) / 2 if spot.round else 0.6
        pieces.append(
            Markup("<g><title>{}</title>{}</g>").format(spot.name, _rect(spot.box, "face-spot", radius))
        )
    if limits:
        pieces += [_no_pick(face, edge) for edge, limit in face.edges.items() if limit.depth_mm == 0]
        pieces.append(_opening_edge(face))
    pieces.append(_sizes(face))
    return Markup("").join(pieces)


def _opening_edge(face: Face) -> Markup:
    return _along(face, face.opening_edge, "face-opening", "opens here")


def _no_pick(face: Face, edge: str) -> Markup:
    return _along(face, edge, "face-no-pick", f"no pick on the whole {edge} edge – {face.edges[edge].why}")


def _along(face: Face, edge: str, css: str, title: str) -> Markup:
    """A line beside one edge of the outline."""
    beside = Edge(edge)
    ends = face.corner_mm, beside.length(face.outline) - face.corner_mm
    a, b = (beside.point(end, -2.2, face.outline) for end in ends)
    return Markup('<line class="{}" x1="{}" y1="{}" x2="{}" y2="{}"><title>{}</title></line>').format(
        css, a.x, a.y, b.x, b.y, title
    )


def _sizes(face: Face) -> Markup:
    size = _letter_mm(face)
    return Markup(
        '<text class="face-size" x="{}" y="-4.4" font-size="{}" text-anchor="middle">{} mm</text>'
        '<text class="face-size" transform="translate({} {}) rotate(-90)" font-size="{}" '
        'text-anchor="middle">{} mm</text>'
    ).format(
        face.width_mm / 2,
        f"{size:.2f}",
        f"{face.width_mm:g}",
        -4.4,
        face.height_mm / 2,
        f"{size:.2f}",
        f"{face.height_mm:g}",
    )


def back_body(face: Face, holes: Sequence[Hole] = ()) -> Markup:
    """The back of a device: its outline with its screw holes."""
    behind = [hole for hole in holes if hole.side is Side.BACK]
    drawn = [_rect(face.outline, "face-back", face.corner_mm), *map(_hole, behind), _sizes(face)]
    return Markup("").join(drawn)


def _hole(hole: Hole) -> Markup:
    return Markup('<circle class="face-hole" cx="{}" cy="{}" r="1.6"><title>{}</title></circle>').format(
        hole.at.x, hole.at.y, hole.where
    )
