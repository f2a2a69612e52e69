"""Today's rail: the hours of the day with every promise on it, and where we are now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from markupsafe import Markup

_WIDE, _BASE = 1200.0, 44.0
_STITCH = 8.0
OPENS, CLOSES = 8, 19


@dataclass(frozen=True, slots=True, kw_only=True)
class RailStop:
    """One promise due today."""

    code: str
    at: datetime
    late: bool


def draw_rail(now: datetime, stops: Sequence[RailStop]) -> Markup:
    """The day from opening to closing, widened when something lies outside; times are already the shop's own.

    Promises closer together than a stitch is wide share one, with their number in its title.
    """
    hours = [now.hour, *(stop.at.hour for stop in stops)]
    first, last = min(OPENS, *hours), max(CLOSES, *(hour + 1 for hour in hours))
    per_hour = _WIDE / (last - first)

    def across(moment: datetime) -> float:
        return round((moment.hour - first + moment.minute / 60) * per_hour, 1)

    slots: dict[int, list[RailStop]] = {}
    for stop in stops:
        slots.setdefault(int(across(stop.at) // _STITCH), []).append(stop)
    pieces = [f'<line class="base" x1="0" y1="{_BASE}" x2="{_WIDE}" y2="{_BASE}"/>']
    for hour in range(first, last + 1):
        x = (hour - first) * per_hour
        pieces.append(f'<line class="hour" x1="{x:g}" y1="36" x2="{x:g}" y2="52"/>')
        if hour < last:
            pieces.append(f'<text x="{x + 4:g}" y="66">{hour}:00</text>')
    pieces += [_promises(across(slot[0].at), slot) for slot in slots.values()]
    here = across(now)
    turn, anchor = (-5, "end") if here > _WIDE - 80 else (5, "start")
    pieces.append(f'<line class="here" x1="{here:g}" y1="8" x2="{here:g}" y2="58"/>')
    pieces.append(
        f'<text class="here-word" x="{here + turn:g}" y="16" text-anchor="{anchor}">now {now:%H:%M}</text>'
    )
    says = (
        f"Today: {len(stops)} promises between {first}:00 and {last}:00, {sum(s.late for s in stops)} "
        "of them late or at risk"
    )
    # numbers, times and job codes only: nothing in here was typed by a person
    return Markup(
        f'<svg class="rail" viewBox="0 0 {_WIDE:g} 72" role="group" '
        f'aria-label="{says}">{"".join(pieces)}</svg>'
    )


def _promises(x: float, stops: Sequence[RailStop]) -> str:
    late = " late" if any(stop.late for stop in stops) else ""
    one = stops[0]
    says = (
        f"{one.code} promised {one.at:%H:%M}"
        if len(stops) == 1
        else f"{len(stops)} promised about {one.at:%H:%M}, first {one.code}"
    )
    return (
        f'<a href="/jobs/{one.code}"><title>{says}</title>'
        f'<line class="promise{late}" x1="{x - 5:g}" y1="54" x2="{x + 5:g}" y2="32"/></a>'
    )
