"""The readings of an edge and the curve through them, with the band in which it can be cut."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from markupsafe import Markup

from sutura.core.bench.heat import HeatReading, Reading
from sutura.words.speech import PLAIN, Speech

Scale = Callable[[float], float]
WIDE, HIGH, LEFT, BOTTOM = 320.0, 140.0, 34.0, 18.0


def draw_heat(readings: Sequence[Reading], judged: HeatReading | None, speech: Speech = PLAIN) -> Markup:
    """The readings of an edge, the oldest first; empty without any, or with nothing to hold them against."""
    if not readings or judged is None:
        return Markup("")
    points = [(reading.at_s, reading.c) for reading in readings]
    last = max(points[-1][0], judged.until_s or 0, 30.0) * 1.1
    hottest = max(judged.ceiling_c + 10, *(c for _, c in points))
    coldest = min(judged.floor_c - 10, *(c for _, c in points))

    def x(seconds: float) -> float:
        return LEFT + seconds / last * (WIDE - LEFT - 4)

    def y(c: float) -> float:
        return 6 + (hottest - c) / (hottest - coldest) * (HIGH - BOTTOM - 6)

    band = Markup('<rect class="band" x="{:.1f}" y="{:.1f}" width="{:.1f}" height="{:.1f}"/>').format(
        LEFT, y(judged.target_c), WIDE - LEFT - 4, y(judged.floor_c) - y(judged.target_c)
    )
    ceiling = Markup('<path class="ceiling" d="M{:.1f} {:.1f} H{:.1f}"/>').format(
        LEFT, y(judged.ceiling_c), WIDE - 4
    )
    dots = Markup("").join(
        Markup('<circle class="dot" cx="{:.1f}" cy="{:.1f}" r="2.6"/>').format(x(s), y(c)) for s, c in points
    )
    labels = Markup("").join(
        Markup('<text x="2" y="{:.1f}">{:g} °C</text>').format(y(c) + 3, c)
        for c in sorted({judged.ceiling_c, judged.target_c, judged.floor_c})
    )
    return Markup(
        '<svg class="heat" viewBox="0 0 {:g} {:g}" role="img"><title>{}</title>{}{}{}{}{}</svg>'
    ).format(
        WIDE, HIGH, _words(points, judged, speech), band, ceiling, _curve(judged, last, x, y), dots, labels
    )


def _curve(judged: HeatReading, last: float, x: Scale, y: Scale) -> Markup:
    curve = judged.curve
    if curve is None:
        return Markup("")
    steps = [curve.start_s + (last - curve.start_s) * n / 40 for n in range(41)]
    path = " ".join(f"{'M' if n == 0 else 'L'}{x(s):.1f} {y(curve.at(s)):.1f}" for n, s in enumerate(steps))
    return Markup('<path class="curve" d="{}"/>').format(path)


def _words(points: Sequence[tuple[float, float]], judged: HeatReading, speech: Speech) -> str:
    """The drawing in one sentence."""
    return speech.text(
        "{count} readings, the last {last} °C; cut between {floor} and {target} °C, never above {ceiling} °C",
        count=len(points),
        last=round(points[-1][1], 1),
        floor=round(judged.floor_c),
        target=round(judged.target_c),
        ceiling=round(judged.ceiling_c),
    )
