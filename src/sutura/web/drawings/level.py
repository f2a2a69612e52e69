"""A part's stock as a picture: what is free, promised and on order, and where it is ordered again; and the
days ahead with their band.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from markupsafe import Markup

from sutura.core.stock.reordering import Ahead, Position
from sutura.words.speech import PLAIN, Speech

WIDE, HIGH = 96.0, 18.0


def level_words(position: Position, reorder_point: int, speech: Speech = PLAIN) -> str:
    """The picture in one sentence."""
    said = {
        "free": max(position.free, 0),
        "promised": position.promised,
        "on_order": position.on_order,
        "point": reorder_point,
    }
    if reorder_point < 0:
        return speech.text(
            "{free} free, {promised} promised, {on_order} on order; ordered for jobs alone", **said
        )
    return speech.text(
        "{free} free, {promised} promised, {on_order} on order; ordered again at {point}", **said
    )


def draw_level(position: Position, reorder_point: int, speech: Speech = PLAIN) -> Markup:
    """Free pieces filled, promised hatched, on order in outline; a mark where the part is ordered again."""
    free = max(position.free, 0)
    most = max(free + position.promised + position.on_order, reorder_point + 1, 4)
    step = WIDE / most
    pieces, x = [], 0.0
    for kind, number in (("free", free), ("promised", position.promised), ("on-order", position.on_order)):
        for _ in range(number if most <= 24 else min(number, 1)):
            wide = step if most <= 24 else step * number
            pieces.append(
                Markup('<rect class="{}" x="{:.2f}" y="4" width="{:.2f}" height="10"/>').format(
                    kind, x + 0.75, max(wide - 1.5, 0.5)
                )
            )
            x += wide
    if reorder_point >= 0:
        at = min(step * reorder_point, WIDE - 0.5)
        pieces.append(Markup('<path class="again" d="M{0:.2f} 1 V17"/>').format(at + (0.5 if at == 0 else 0)))
    return Markup('<svg class="level" viewBox="0 0 {:g} {:g}" role="img"><title>{}</title>{}</svg>').format(
        WIDE, HIGH, level_words(position, reorder_point, speech), Markup("").join(pieces)
    )


def draw_ahead(
    days: Sequence[Ahead],
    *,
    lead_days: float,
    reorder_point: int,
    arrivals: Mapping[int, int],
    speech: Speech = PLAIN,
) -> Markup:
    """The shelf day by day: the band that holds nine days of ten, its middle, the reorder point, the lead
    time, and what is on its way.
    """
    wide, high, left, foot = 560.0, 190.0, 34.0, 30.0
    most = max([day.high for day in days] + [reorder_point, 1])
    last = max(days[-1].day, 1)

    def x(day: float) -> float:
        return left + day / last * (wide - left - 8)

    def y(pieces: float) -> float:
        return 8 + (1 - pieces / most) * (high - foot - 8)

    band = [f"{x(day.day):.1f},{y(day.high):.1f}" for day in days]
    band += [f"{x(day.day):.1f},{y(day.low):.1f}" for day in reversed(days)]
    middle = " ".join(f"{x(day.day):.1f},{y(day.middle):.1f}" for day in days)
    parts = [
        Markup('<polygon class="band" points="{}"/>').format(" ".join(band)),
        Markup('<polyline class="middle" points="{}"/>').format(middle),
        Markup('<line class="axis" x1="{0:g}" y1="{1:.1f}" x2="{2:g}" y2="{1:.1f}"/>').format(
            left, y(0), wide - 8
        ),
    ]
    every = max(1, round(most / 5))
    for pieces in range(0, most + 1, every):
        parts.append(
            Markup('<text x="{:g}" y="{:.1f}" text-anchor="end">{}</text>').format(
                left - 6, y(pieces) + 4, pieces
            )
        )
    for day in range(0, last + 1, 7):
        parts.append(
            Markup('<text x="{:.1f}" y="{:g}" text-anchor="{}">{}</text>').format(
                x(day),
                high - 12,
                "end" if day > last - 3 else "middle",
                speech.text("day {day}", day=day) if day else speech.text("today"),
            )
        )
    if reorder_point >= 0:
        parts.append(
            Markup('<line class="again" x1="{0:g}" y1="{1:.1f}" x2="{2:g}" y2="{1:.1f}"/>').format(
                left, y(min(reorder_point, most)), wide - 8
            )
        )
    if lead_days <= last:
        parts.append(
            Markup('<line class="lead" x1="{0:.1f}" y1="8" x2="{0:.1f}" y2="{1:.1f}"/>').format(
                x(lead_days), y(0)
            )
        )
    for day, pieces in arrivals.items():
        if 0 <= day <= last:
            parts.append(
                Markup('<text class="comes" x="{:.1f}" y="18" text-anchor="middle">+{}</text>').format(
                    min(max(x(day), left + 12), wide - 20), pieces
                )
            )
    end = days[-1]
    title = speech.text(
        "Day {day}: most likely {middle} left, between {low} and {high} in nine cases of ten; all used with "
        "{out} percent",
        day=end.day,
        middle=f"{end.middle:.1f}",
        low=end.low,
        high=end.high,
        out=f"{end.out * 100:.0f}",
    )
    return Markup('<svg class="ahead" viewBox="0 0 {:g} {:g}" role="img"><title>{}</title>{}</svg>').format(
        wide, high, title, Markup("").join(parts)
    )
