"""What a device under test sends of itself, read into millimetres of its picture.

The page counts in pixels of its own; how large one is, is known from the model's picture, which the page
fills, or from a bank card that was laid on it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.maths.geometry import Box, Point
from sutura.core.proof.picture import FIELDS, PictureReading, PixelFault, SeenFault, read_picture
from sutura.core.proof.touch import CARD_MM, Stroke, Touch, TouchReading, read_touch
from sutura.core.values import COMMON, Outcome, Rule

# what a page may send; more is no test of a screen
MOST_STROKES, MOST_POINTS, MOST_MARKS = 400, 30_000, 500
MOST_PIXELS = 20_000
# a page that is so much smaller than the picture does not fill it; the shop's, no source
FILLS = 0.93
# the full fields that have to be looked at
FULL_FIELDS = ("white", "black", "red", "green", "blue", "grey")

RULES = (
    Rule(
        id="traces.fills",
        capability="proof",
        says=(
            "A page that a card shows to be smaller than the picture, by more than seven of a hundred either "
            "way, tests only a part of it: what it finds faulty is, what it does not is not known."
        ),
        source=COMMON,
    ),
)


class Kind(StrEnum):
    """What a device can be asked."""

    TOUCH = "touch"
    PICTURE = "picture"
    # a function that the page tries: measured by it, or said by whoever looks and listens
    FUNCTION = "function"


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """A function that was tried on the device: what came of it, whether it was measured, and how."""

    function: str
    outcome: Outcome
    measured: bool
    how: Fact


@dataclass(frozen=True, slots=True, kw_only=True)
class PageSize:
    """How a page lies on the picture: millimetres of a pixel each way, whether it lies on its side, and which
    share of the picture it fills each way; None where no card was laid on it.
    """

    across_mm: float
    down_mm: float
    turned: bool
    fills: tuple[float, float] | None


def page_size(box: Box, wide: float, high: float, card: float) -> PageSize:
    """How a page of so many pixels lies on a picture; `card` is how many a bank card covers, 0 = not laid."""
    turned = (wide > high) != (box.width > box.height) and wide != high and box.width != box.height
    across, down = (box.height, box.width) if turned else (box.width, box.height)
    fills = None
    if card:
        mm = CARD_MM / card
        fills = (wide * mm / across, high * mm / down)
    return PageSize(across_mm=across / wide, down_mm=down / high, turned=turned, fills=fills)


def _number(value: Any, field: str, least: float, most: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most:
        raise Invalid(field, str(value)[:40], fact("traces.number", least=least, most=most))
    return float(value)


def _list(value: Any, field: str, most: int) -> list[Any]:
    if not isinstance(value, list) or len(value) > most:
        raise Invalid(field, str(value)[:40], fact("traces.list", most=most))
    found: list[Any] = value
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class _Place:
    """From pixels of a page to millimetres of the picture."""

    box: Box
    size: PageSize

    def at(self, x: float, y: float) -> Point:
        if self.size.turned:
            # its left side is up: what runs to the right on the page runs down the picture
            return Point(
                x=self.box.x + self.box.width - y * self.size.down_mm, y=self.box.y + x * self.size.across_mm
            )
        return Point(x=self.box.x + x * self.size.across_mm, y=self.box.y + y * self.size.down_mm)


def _stroke(raw: Any, field: str, place: _Place) -> Stroke:
    touches = []
    for report in _list(raw, field, MOST_POINTS):
        at, x, y = (_number(value, field, -1e7, 1e10) for value in _three(report, field))
        point = place.at(x, y)
        touches.append(Touch(at_ms=at, x=point.x, y=point.y))
    return touches


def _three(report: Any, field: str) -> list[Any]:
    three = _list(report, field, 3)
    if len(three) != 3:
        raise Invalid(field, str(three)[:40], fact("traces.three"))
    return three


def _placed(box: Box, said: Mapping[str, Any]) -> _Place:
    wide = _number(said.get("w"), "w", 50, MOST_PIXELS)
    high = _number(said.get("h"), "h", 50, MOST_PIXELS)
    card = _number(said.get("card", 0), "card", 0, MOST_PIXELS)
    return _Place(box=box, size=page_size(box, wide, high, card))


def touch_from(box: Box, said: Mapping[str, Any], expects_fingers: int | None = None) -> TouchReading:
    """What a page sent of touches: `w`, `h` its size and `card` a card's in pixels; `strokes`, each a list of
    [ms, x, y]; `quiet` what came while nobody touched, or null; `fingers` at once, or null; `line` one
    straight stroke; `all` whether whoever drew says that it was all. Refuses what no page sends.
    """
    place = _placed(box, said)
    raw = _list(said.get("strokes"), "strokes", MOST_STROKES)
    strokes = [_stroke(stroke, "strokes", place) for stroke in raw]
    if sum(len(stroke) for stroke in strokes) > MOST_POINTS:
        raise Invalid("strokes", str(len(strokes)), fact("traces.list", most=MOST_POINTS))
    quiet, fingers = said.get("quiet"), said.get("fingers")
    found = read_touch(
        box,
        strokes,
        ghosts=None if quiet is None else _stroke(quiet, "quiet", place),
        fingers=None if fingers is None else round(_number(fingers, "fingers", 0, 100)),
        expects_fingers=expects_fingers,
        line=_stroke(said.get("line", []), "line", place),
        all_drawn=said.get("all") is True,
    )
    fills = place.size.fills
    if found.outcome is Outcome.WORKS and fills and min(fills) < FILLS:
        reasons = (fact("traces.page-smaller", share=round(min(fills) * 100)),)
        return replace(found, outcome=Outcome.NOT_TESTABLE, reasons=reasons)
    return found


def picture_from(
    box: Box, pixels: int | None, said: Mapping[str, Any]
) -> tuple[PictureReading, tuple[Point, ...]]:
    """What a page sent of its picture: `shown` the full fields that were looked at, `marks` as [kind, x, y],
    `uneven` fields of nine. With where the marks are, in mm.
    """
    place = _placed(box, said)
    kinds = {kind.value: kind for one in (PixelFault, SeenFault) for kind in one}
    counts: dict[str, int] = {}
    places = []
    for mark in _list(said.get("marks", []), "marks", MOST_MARKS):
        kind, x, y = _three(mark, "marks")
        if not isinstance(kind, str) or kind not in kinds:
            raise Invalid("marks", str(kind)[:40], fact("traces.kinds", kinds=tuple(kinds)))
        counts[kind] = counts.get(kind, 0) + 1
        places.append(place.at(_number(x, "marks", -1e6, 1e6), _number(y, "marks", -1e6, 1e6)))
    uneven = [
        round(_number(one, "uneven", 1, FIELDS)) for one in _list(said.get("uneven", []), "uneven", FIELDS)
    ]
    shown = _list(said.get("shown", []), "shown", 40)
    found = read_picture(
        pixels,
        {kind: counts.get(kind.value, 0) for kind in PixelFault},
        {kind: counts.get(kind.value, 0) for kind in SeenFault},
        uneven,
        shown=all(field in shown for field in FULL_FIELDS),
    )
    return found, tuple(places)


# what a page can measure of a function, from which value on it works, and in what; common practice, no source
MEASURED: Mapping[str, tuple[float, str]] = {
    "microphone": (0.02, "of full scale"),
    "rotation": (60, "degrees turned"),
}


def tried_from(functions: Sequence[str], said: Mapping[str, Any]) -> Tried:
    """A function that was tried on the page: `function` one of the model's, and `level` what was measured, or
    `works` yes, no or null as whoever looked says.
    """
    function = said.get("function")
    if not isinstance(function, str) or function not in functions:
        raise Invalid("function", str(function)[:40], fact("traces.functions", functions=tuple(functions)))
    if said.get("level") is not None and function in MEASURED:
        least, unit = MEASURED[function]
        level = _number(said["level"], "level", 0, 1e6)
        outcome = Outcome.WORKS if level >= least else Outcome.FAULTY
        how = fact("traces.measured", level=round(level, 3), unit=unit, least=least)
        return Tried(function=function, outcome=outcome, measured=True, how=how)
    works = said.get("works")
    outcome = Outcome.WORKS if works is True else Outcome.FAULTY if works is False else Outcome.NOT_TESTABLE
    return Tried(function=function, outcome=outcome, measured=False, how=fact("traces.said"))


def pixels_of(resolution: str) -> int | None:
    """How many pixels a resolution has, written as 1170×2532; None where it is not written so.

    >>> pixels_of("1920x1080"), pixels_of("Full HD")
    (2073600, None)
    """
    sides = resolution.replace("×", "x").split("x")
    if len(sides) != 2 or not all(side.strip().isdecimal() for side in sides):
        return None
    return int(sides[0]) * int(sides[1]) or None
