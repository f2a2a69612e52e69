"""A day on rails: a thread for each person and station, stitched where hands are at work, thin where it
waits.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta, tzinfo

from markupsafe import Markup

_WIDE, _LABEL, _ROW, _TOP = 1200.0, 120.0, 40.0, 26.0
# a code takes so much room, and the mark of a late one
_NAME, _MARK = 52.0, 15.0
# where a moment lies across the drawing
Across = Callable[[datetime], float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Stitches:
    """A block on a rail: its job, from when until when, whether hands are at it, and whether its job is late.
    `says` is read out and shown on hover.
    """

    code: str
    start: datetime
    end: datetime
    hands: bool
    late: bool
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Thread:
    """A rail: its name, what lies on it, when its person is away or does not work, and the promises of its
    jobs. `person` is whose it is; a station's is nobody's.
    """

    name: str
    person: int
    stitches: tuple[Stitches, ...]
    away: tuple[tuple[datetime, datetime], ...] = ()
    off: tuple[tuple[datetime, datetime], ...] = ()
    promises: tuple[tuple[datetime, str, bool], ...] = ()


def draw_day(
    threads: Sequence[Thread], opens: datetime, closes: datetime, now: datetime, zone: tzinfo, label: str
) -> Markup:
    """The rails of one day from opening to closing."""
    minutes = max((closes - opens) / timedelta(minutes=1), 1)
    room = _WIDE - _LABEL - 8

    def across(moment: datetime) -> float:
        return round(
            _LABEL + min(max((moment - opens) / timedelta(minutes=1), 0), minutes) / minutes * room, 1
        )

    height = _TOP + _ROW * len(threads) + 6
    drawn = [_hours(opens, closes, zone, height, across)]
    for place, thread in enumerate(threads):
        drawn.append(_thread(thread, _TOP + _ROW * place + _ROW / 2, opens, closes, across))
    if opens <= now <= closes:
        here = across(now)
        drawn.append(Markup('<line class="here" x1="{0}" y1="4" x2="{0}" y2="{1:g}"/>').format(here, height))
    return Markup(
        '<svg class="day" viewBox="0 0 {:g} {:g}" role="group" aria-label="{}" data-opens="{}" '
        'data-minutes="{:g}" data-from="{:g}" data-room="{:g}" data-top="{:g}" data-row="{:g}" '
        'data-people="{}">{}</svg>'
    ).format(
        _WIDE,
        height,
        label,
        f"{opens.astimezone(zone):%Y-%m-%dT%H:%M}",
        minutes,
        _LABEL,
        room,
        _TOP,
        _ROW,
        " ".join(str(thread.person) for thread in threads if thread.person),
        Markup("").join(drawn),
    )


def _hours(opens: datetime, closes: datetime, zone: tzinfo, height: float, across: Across) -> Markup:
    """The whole hours of the day, as the shop says them."""
    local = opens.astimezone(zone)
    hour = local.replace(minute=0, second=0, microsecond=0)
    if hour < local:
        hour += timedelta(hours=1)
    drawn = Markup("")
    while hour <= closes.astimezone(zone):
        x = across(hour)
        drawn += Markup(
            '<line class="hour" x1="{0}" y1="18" x2="{0}" y2="{1:g}"/><text class="hour-word" x="{2}" y="13">'
            "{3}</text>"
        ).format(x, height, min(x - 14, _WIDE - 34), f"{hour:%H:%M}")
        hour += timedelta(hours=1)
    return drawn


def _thread(thread: Thread, y: float, opens: datetime, closes: datetime, across: Across) -> Markup:
    drawn = Markup('<text class="who" x="0" y="{:g}">{}</text>').format(y + 4, thread.name)
    drawn += Markup('<line class="base" x1="{0:g}" y1="{1:g}" x2="{2:g}" y2="{1:g}"/>').format(
        _LABEL, y, _WIDE - 8
    )
    for gone, back in _inside(thread.off, opens, closes):
        drawn += Markup(
            '<line class="off" x1="{}" y1="{:g}" x2="{}" y2="{:g}"><title>{}</title></line>'
        ).format(across(gone), y, across(back), y, "does not work then")
    for gone, back in _inside(thread.away, opens, closes):
        drawn += Markup(
            '<line class="away" x1="{}" y1="{:g}" x2="{}" y2="{:g}"><title>{}</title></line>'
        ).format(across(gone), y, across(back), y, "away")
    for moment, code, late in thread.promises:
        if opens <= moment <= closes:
            x = across(moment)
            drawn += Markup('<path class="promise{}" d="M{} {:g}l4 -6l4 6z"><title>{}</title></path>').format(
                " late" if late else "", x - 4, y + 17, code
            )
    for one in thread.stitches:
        if one.end <= opens or one.start >= closes:
            continue
        x, end = across(one.start), across(one.end)
        kind = ("hands" if one.hands else "waits") + (" late" if one.late else "")
        drawn += Markup(
            '<a href="/jobs/{0}" class="stitches {1}" data-code="{0}" data-start="{8:g}"><title>{2}</title>'
            '<path class="knot" d="M{3} {7:g}v10"/>'
            '<line class="reach" x1="{3}" '
            'y1="{5:g}" x2="{4}" y2="{5:g}"/><line class="sewn" x1="{3}" y1="{5:g}" x2="{4}" '
            'y2="{5:g}"/>{6}</a>'
        ).format(
            one.code,
            kind,
            one.says,
            x,
            max(end, x + 3),
            y,
            _name(one, x, end, y - 8),
            y - 5,
            (one.start - opens) / timedelta(minutes=1),
        )
    return drawn


def _name(one: Stitches, x: float, end: float, y: float) -> Markup:
    """The code over a block that is wide enough for it; a late one is marked by more than its colour."""
    mark = "✕ " if one.late else ""
    if end - x < _NAME + (_MARK if one.late else 0):
        return Markup('<text x="{}" y="{:g}">{}</text>').format(x, y, mark) if mark else Markup("")
    return Markup('<text x="{}" y="{:g}">{}{}</text>').format(x, y, mark, one.code)


def _inside(
    spans: Iterable[tuple[datetime, datetime]], opens: datetime, closes: datetime
) -> list[tuple[datetime, datetime]]:
    return [(max(a, opens), min(b, closes)) for a, b in spans if a < closes and b > opens]
