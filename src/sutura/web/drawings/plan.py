"""The opening plan on the face: the cup, where to start, the order of the edges, where a pick may not go
deep.
"""

from __future__ import annotations

from markupsafe import Markup

from sutura.core.catalogue.model import Face
from sutura.core.intake.opening import OpeningPlan
from sutura.core.maths.geometry import Edge, Point
from sutura.words.speech import Speech


def draw_plan(plan: OpeningPlan, face: Face, speech: Speech) -> Markup:
    """The plan as parts of a drawing in mm, to stand over the face."""
    pieces = [
        _limits(plan, face, speech),
        *(_number(place, edge, face) for place, edge in enumerate(plan.order, start=1)),
    ]
    if plan.cup:
        pieces.append(
            Markup(
                '<circle class="plan-cup" cx="{}" cy="{}" r="{}"><title>cup of {} mm</title></circle>'
            ).format(
                f"{plan.cup.at.x:.1f}", f"{plan.cup.at.y:.1f}", plan.cup.diameter_mm / 2, plan.cup.diameter_mm
            )
        )
    if plan.entry:
        pieces.append(_entry(plan.entry, plan.entry_edge, face))
    return Markup('<g class="plan">{}</g>').format(Markup("").join(pieces))


def _limits(plan: OpeningPlan, face: Face, speech: Speech) -> Markup:
    """Stretches where the limit is less than the edge's own, drawn as deep as a pick may go; none = a solid
    bar.
    """
    bars = []
    for reading in plan.edges:
        usual = face.edges[reading.edge].depth_mm
        for stretch in reading.stretches:
            if stretch.depth_mm >= usual and usual > 0:
                continue
            a, b = (
                Edge(reading.edge).point(stretch.start_mm, 0.6, face.outline),
                Edge(reading.edge).point(stretch.end_mm, 0.6, face.outline),
            )
            words = speech.text(
                "{edge} edge: at most {depth_mm:g} mm – {why}"
                if stretch.depth_mm
                else "{edge} edge: no pick – {why}",
                edge=reading.edge,
                depth_mm=stretch.depth_mm,
                why=stretch.why,
            )
            bars.append(
                Markup('<line class="{}" x1="{}" y1="{}" x2="{}" y2="{}"><title>{}</title></line>').format(
                    "plan-less" if stretch.depth_mm else "plan-never",
                    f"{a.x:.1f}",
                    f"{a.y:.1f}",
                    f"{b.x:.1f}",
                    f"{b.y:.1f}",
                    words,
                )
            )
    return Markup("").join(bars)


def _entry(at: Point, edge: str, face: Face) -> Markup:
    """An arrow head that points inward where the pick goes in."""
    along, inset = Edge(edge).along(at, face.outline), Edge(edge).inset(at, face.outline)
    tip, left, right = (
        Edge(edge).point(along + side, inset + deep, face.outline)
        for side, deep in ((0, 3.5), (-2.6, -2.2), (2.6, -2.2))
    )
    points = " ".join(f"{p.x:.1f},{p.y:.1f}" for p in (tip, left, right))
    return Markup(
        '<polygon class="plan-entry" points="{}"><title>start here, {} edge</title></polygon>'
    ).format(points, edge)


def _number(place: int, edge: str, face: Face) -> Markup:
    at = Edge(edge).point(Edge(edge).length(face.outline) * 0.18, 5.5, face.outline)
    size = max(face.width_mm, face.height_mm) / 34
    return Markup(
        '<text class="plan-number" x="{}" y="{}" font-size="{}" text-anchor="middle">{}</text>'
    ).format(f"{at.x:.1f}", f"{at.y + size / 3:.1f}", f"{size:.1f}", place)
