"""Where on the device a step happens: its edges with how deep a pick may go there, its places."""

from __future__ import annotations

from markupsafe import Markup

from sutura.core.bench.where import Where
from sutura.core.catalogue.model import Model
from sutura.words.speech import PLAIN, Speech

_SIDE = {"front": "Front", "edge": "Edges", "back": "Back, from behind", "inside": "Inside"}


def draw_where(model: Model, where: Where, speech: Speech = PLAIN) -> Markup:
    """The device with what a step goes along or touches; nothing where nobody says where."""
    if not where.is_known:
        return Markup("")
    wide, high = model.face.width_mm, model.face.height_mm
    unit = max(wide, high) / 55
    spans = {
        "top": (0.0, 0.0, wide, 0.0),
        "right": (wide, 0.0, wide, high),
        "bottom": (0.0, high, wide, high),
        "left": (0.0, 0.0, 0.0, high),
    }
    drawn = Markup("").join(
        Markup('<path class="goes-along" stroke-width="{:.1f}" d="M{:g} {:g} L{:g} {:g}"/>').format(
            unit * 1.6, *spans[edge]
        )
        for edge in where.edges
    )
    # how deep a pick may go, to scale
    inward = {"top": (0, 1), "right": (-1, 0), "bottom": (0, -1), "left": (1, 0)}
    for edge, depth in where.depths:
        x1, y1, x2, y2 = spans[edge]
        dx, dy = (way * depth for way in inward[edge])
        drawn += Markup('<path class="depth" stroke-width="{:.2f}" d="M{:g} {:g} L{:g} {:g}"/>').format(
            unit / 3, x1 + dx, y1 + dy, x2 + dx, y2 + dy
        )
    drawn += Markup("").join(
        Markup('<circle class="touches" cx="{:.1f}" cy="{:.1f}" r="{:.1f}"/>').format(
            point.x, point.y, unit * 1.8
        )
        for point in where.points
    )
    side = _SIDE[where.side]
    edges = speech.text("along: {edges}", edges=where.edges) if where.edges else ""
    says = ", ".join(filter(None, [side, speech.say(where.says) if where.says else "", edges]))
    return Markup(
        '<figure class="where-drawn"><svg viewBox="{:g} {:g} {:g} {:g}" role="img"><title>{}</title>'
        '<rect class="device" width="{:g}" height="{:g}" rx="{:g}"/>{}</svg><figcaption class="small">{}'
        "</figcaption></figure>"
    ).format(
        -unit * 2,
        -unit * 2,
        wide + unit * 4,
        high + unit * 4,
        says,
        wide,
        high,
        model.face.corner_mm,
        drawn,
        side,
    )
