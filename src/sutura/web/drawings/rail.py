"""Today's rail: the hours of the day with every promise on it, and where we are now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from markupsafe import Markup

_WIDE, _BASE = 1200.0, 44.0
OPENS, CLOSES = 8, 19


@dataclass(frozen=True, slots=True, kw_only=True)
class RailStop:
    """One promise due today."""

    code: str
    at: datetime
    late: bool


def draw_rail(now: datetime, stops: Sequence[RailStop]) -> Markup:
    """The day from opening to closing, widened when something lies outside; times are already the shop's own."""
    hours = [now.hour, *(stop.at.hour for stop in stops)]
    first, last = min(OPENS, *hours), max(CLOSES, *(hour + 1 for hour in hours))
    per_hour = _WIDE / (last - first)

    def across(moment: datetime) -> float:
        return round((moment.hour - first + moment.minute / 60) * per_hour, 1)

    pieces = [Markup('<line class="base" x1="0" y1="{0}" x2="{1}" y2="{0}"/>').format(_BASE, _WIDE)]
    for hour in range(first, last + 1):
        x = (hour - first) * per_hour
        pieces.append(Markup('<line class="hour" x1="{0:g}" y1="36" x2="{0:g}" y2="52"/>').format(x))
        if hour < last:
            pieces.append(Markup('<text x="{:g}" y="66">{}:00</text>').format(x + 4, hour))
    for stop in stops:
        x = across(stop.at)
        pieces.append(
            Markup(
                '<a href="/jobs/{0}"><title>{0} promised {1}</title>'
                '<line class="promise{2}" x1="{3:g}" y1="54" x2="{4:g}" y2="32"/></a>'
            ).format(stop.code, f"{stop.at:%H:%M}", " late" if stop.late else "", x - 5, x + 5)
        )
    here = across(now)
    anchor = "end" if here > _WIDE - 80 else "start"
    pieces.append(Markup('<line class="here" x1="{0:g}" y1="8" x2="{0:g}" y2="58"/>').format(here))
    pieces.append(
        Markup('<text class="here-word" x="{:g}" y="16" text-anchor="{}">now {}</text>').format(
            here + (-5 if anchor == "end" else 5), anchor, f"{now:%H:%M}"
        )
    )
    says = f"Today: {len(stops)} promises between {first}:00 and {last}:00, {sum(s.late for s in stops)} of them late or at risk"
    return Markup('<svg class="rail" viewBox="0 0 {:g} 72" role="group" aria-label="{}">{}</svg>').format(
        _WIDE, says, Markup("").join(pieces)
    )
