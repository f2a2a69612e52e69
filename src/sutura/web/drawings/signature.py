"""A customer's signature as it was drawn on the pad."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from sutura.core.intake.arrival import PAD


def draw_signature(strokes: Sequence[Sequence[Sequence[float]]]) -> Markup:
    """The strokes as a small drawing; nothing when the ticket is signed on paper."""
    if not strokes:
        return Markup("")
    lines = Markup("").join(
        Markup('<polyline points="{}"/>').format(" ".join(f"{x:g},{y:g}" for x, y in stroke))
        for stroke in strokes
    )
    return Markup(
        '<svg class="signature" viewBox="0 0 {} {}" role="img"><title>The customer\'s '
        "signature</title>{}</svg>"
    ).format(*PAD, lines)
