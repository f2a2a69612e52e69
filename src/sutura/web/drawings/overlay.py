"""Need and offer laid over each other to scale: one SVG unit is one millimetre."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache

from markupsafe import Markup

from sutura.core.matching.comparing import Window
from sutura.core.matching.layout import Layout
from sutura.core.maths.geometry import Box, Edge, Point

MARGIN_MM = 10.0


def overlay_view(need: Layout, offer: Layout) -> str:
    """The part of the drawing that holds both outlines."""
    wide = max((layout.outline.width for layout in (need, offer) if layout.outline), default=60.0)
    high = max((layout.outline.height for layout in (need, offer) if layout.outline), default=60.0)
    return f"{-MARGIN_MM:g} {-MARGIN_MM:g} {wide + 2 * MARGIN_MM:g} {high + 2 * MARGIN_MM:g}"


def draw_overlay(need: Layout, offer: Layout, differ: Mapping[str, bool], *, back: bool) -> Markup:
    """Both layouts as parts of a drawing: the need dashed, the offer full, what does not agree in a colour of
    its own.

    `differ` names the attributes that do not agree: True = they refuse, False = they are bridged or to be
    agreed to. Seen from the back everything is mirrored.
    """
    return _drawn(need, offer, tuple(differ.items()), back=back)


@lru_cache(maxsize=512)
def _drawn(need: Layout, offer: Layout, differ: tuple[tuple[str, bool], ...], *, back: bool) -> Markup:
    mirror = _mirror(need, offer) if back else Markup("")
    return Markup("<g{}>{}{}</g>").format(
        mirror, _layer(need, "need", {}), _layer(offer, "offer", dict(differ))
    )


def _mirror(need: Layout, offer: Layout) -> Markup:
    wide = max((layout.outline.width for layout in (need, offer) if layout.outline), default=60.0)
    return Markup(' transform="translate({} 0) scale(-1 1)"').format(f"{wide:g}")


def _layer(layout: Layout, name: str, differ: Mapping[str, bool]) -> Markup:
    def css(what: str, *attributes: str) -> str:
        differing = [differ[attribute] for attribute in attributes if attribute in differ]
        return f"over-{what} over-{name}" + (
            " over-differs" if any(differing) else " over-careful" if differing else ""
        )

    pieces = []
    if layout.outline:
        pieces.append(
            _rect(
                layout.outline,
                css("outline", "width_mm", "height_mm"),
                f"outline of the {name}, {layout.outline.width:g} × {layout.outline.height:g} mm",
            )
        )
    if layout.active:
        pieces.append(
            _rect(
                layout.active,
                css("picture", "active_width_mm", "active_height_mm"),
                f"picture of the {name}, {layout.active.width:g} × {layout.active.height:g} mm",
            )
        )
    pieces += [_window(window, css("window", "windows"), name) for window in layout.windows]
    if layout.connector and layout.outline:
        pieces.append(
            _connector(
                layout.connector,
                layout.outline,
                css("connector", "connector_place"),
                f"connector of the {name}: {layout.connector_place}",
            )
        )
    if layout.outline:
        pieces += [_tab(edge, layout.outline, css("tab", "mounting"), name) for edge in layout.tabs]
    return Markup("").join(pieces)


def _rect(box: Box, css: str, title: str) -> Markup:
    return Markup(
        '<rect class="{}" x="{}" y="{}" width="{}" height="{}" rx="1.5"><title>{}</title></rect>'
    ).format(css, f"{box.x:.2f}", f"{box.y:.2f}", f"{box.width:.2f}", f"{box.height:.2f}", title)


def _window(window: Window, css: str, name: str) -> Markup:
    return Markup(
        '<circle class="{}" cx="{}" cy="{}" r="1.6"><title>{} of the {} at {}, {} mm</title></circle>'
    ).format(css, window.x, window.y, window.what, name, f"{window.x:g}", f"{window.y:g}")


def _connector(at: Point, outline: Box, css: str, title: str) -> Markup:
    """A plug at the edge: a bar along it, a little inside."""
    upright = at.x in (0.0, outline.width)
    wide, high = (2.4, 12.0) if upright else (12.0, 2.4)
    x = min(max(at.x - wide / 2, 0.8), outline.width - wide - 0.8)
    y = min(max(at.y - high / 2, 0.8), outline.height - high - 0.8)
    return _rect(Box(x=x, y=y, width=wide, height=high), css, title)


def _tab(edge: str, outline: Box, css: str, name: str) -> Markup:
    side = Edge(edge)
    at = side.point(0, -3 if side.is_first else 0, outline)
    shares = (0.18, 0.72)
    boxes = [
        Box(x=at.x, y=outline.height * share, width=3, height=outline.height * 0.1)
        if not side.lies
        else Box(x=outline.width * share, y=at.y, width=outline.width * 0.1, height=3)
        for share in shares
    ]
    return Markup("").join(_rect(box, css, f"tab of the {name}, {edge}") for box in boxes)
