"""A mark on a device as SVG, one piece of code for pages, papers and the drawing at the counter.

The counter's script draws nothing of its own: it is given each kind's piece once, drawn about (0, 0) with a
reach of 1 mm, and moves it. Units are millimetres on the face.
"""

from __future__ import annotations

import json
import math
from collections.abc import Sequence

from markupsafe import Markup

from sutura.core.intake.marks import KINDS, MAX_REACH_MM, POINTS_OF, Mark, MarkKind, Shape, Side
from sutura.core.maths.geometry import Point
from sutura.words.speech import PLAIN, Speech

# a mark smaller than this is drawn so large, to be seen and pressed
_LEAST_MM = 1.2
_LEAST_OF = {MarkKind.IMPACT: 1.5}
# the spider of an impact
_RAYS = {MarkKind.IMPACT: 7}


def mark_class(kind: MarkKind) -> str:
    """The class that draws a kind of mark, such as `mark-missing-glass`."""
    return f"mark-{kind.value.replace('_', '-')}"


def marks_body(marks: Sequence[Mark], side: Side = Side.FRONT, *, speech: Speech = PLAIN) -> Markup:
    """The marks of one side, each with its label as title, to stand inside an svg."""
    return Markup("").join(
        _piece(mark.kind, mark.points, max(mark.reach_mm, least_mm(mark.kind)), speech.say(mark.label))
        for mark in marks
        if mark.side is side
    )


def least_mm(kind: MarkKind) -> float:
    return _LEAST_OF.get(kind, _LEAST_MM)


def kinds_for_script() -> str:
    """What the script of the drawing needs of each kind, as JSON: shape, sides, fewest points, reach, its
    piece.
    """
    return json.dumps(
        {
            kind.value: {
                "shape": facts.shape.value,
                "sides": [side.value for side in facts.sides],
                "fewest": POINTS_OF[facts.shape][0],
                "least": least_mm(kind),
                "most": MAX_REACH_MM,
                "svg": _piece(kind, (Point(x=0, y=0),), 1, ""),
            }
            for kind, facts in KINDS.items()
        }
    )


def _piece(kind: MarkKind, points: Sequence[Point], reach: float, label: str) -> Markup:
    title = Markup("<title>{}</title>").format(label) if label else Markup("")
    shape = KINDS[kind].shape
    if shape in (Shape.LINE, Shape.AREA):
        line = " ".join(f"{p.x:g},{p.y:g}" for p in points)
        name = Markup("polyline" if shape is Shape.LINE else "polygon")
        return Markup('<{} class="{}" points="{}">{}</{}>').format(name, mark_class(kind), line, title, name)
    at = points[0]
    circle = Markup('<circle cx="{}" cy="{}" r="{}"/>').format(at.x, at.y, f"{reach:.4g}")
    rays = (
        Markup('<line x1="{}" y1="{}" x2="{}" y2="{}"/>').format(
            at.x, at.y, f"{at.x + reach * math.cos(turn):.4g}", f"{at.y + reach * math.sin(turn):.4g}"
        )
        for turn in (k * math.tau / _RAYS[kind] + 0.4 for k in range(_RAYS.get(kind, 0)))
    )
    return Markup('<g class="{}">{}{}{}</g>').format(mark_class(kind), title, circle, Markup("").join(rays))
