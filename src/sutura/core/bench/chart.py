"""The screw chart: the device at true size on sheets of paper, a field for each screw where it sits.

Lengths in mm. The device lies as the bench sees it: its back from behind, its inside from the front. What is
larger than a sheet goes over several, with an overlap to lay them together.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import product

from sutura.core.catalogue.model import Model, ScrewGroup
from sutura.core.maths.geometry import Box, Point


class Paper(StrEnum):
    """The sizes a printer has: ISO 216 and ANSI Y14.1."""

    A4 = "a4"
    LETTER = "letter"

    @property
    def size(self) -> tuple[float, float]:
        """Width and height in mm, upright."""
        return {Paper.A4: (210.0, 297.0), Paper.LETTER: (215.9, 279.4)}[self]


# what most printers leave white, what the list of screws takes below, and what two sheets share; the shop's,
# no source
MARGIN, LIST, OVERLAP = 12.0, 46.0, 10.0
# the rule to check the printer by
RULE_MM = 50.0
# a field to lay a screw down in: wide enough for a head and tweezers; the shop's, no source
FIELD_MM = 7.0
SIDES = ("edge", "back", "inside")


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartScrew:
    """A screw on a chart: its name on it, its group, where it lies on the sheet."""

    name: str
    group: ScrewGroup
    at: Point


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartPage:
    """A sheet: its size, the side of the device on it, the outline as it falls on the sheet, the screws that
    lie on it, and which sheet of how many of this side it is.
    """

    width: float
    height: float
    side: str
    outline: Box
    window: Box
    screws: tuple[ChartScrew, ...]
    part: int
    parts: int


def letters(groups: Sequence[ScrewGroup]) -> dict[str, str]:
    """A letter for each group, in the order of the pack: A, B, … Z, AA."""
    names = [chr(65 + n) for n in range(26)]
    names += [a + b for a, b in product(names, names)]
    return {group.id: names[place] for place, group in enumerate(groups)}


def place_of(group: ScrewGroup, at: Point, width_mm: float) -> Point:
    """Where a screw is seen: the back from behind, everything else from the front."""
    return Point(x=width_mm - at.x, y=at.y) if group.side == "back" else at


def chart(model: Model, paper: Paper) -> tuple[ChartPage, ...]:
    """The chart of a model, side by side; none of one whose screws have no places."""
    pages: list[ChartPage] = []
    named = letters(model.screws)
    for side in SIDES:
        groups = [group for group in model.screws if group.side == side and group.at]
        if groups:
            screws = [
                (f"{named[group.id]}{number}", group, place_of(group, at, model.face.width_mm))
                for group in groups
                for number, at in enumerate(group.at, start=1)
            ]
            pages += _sheets(side, model.face.outline, screws, paper)
    return tuple(pages)


def _sheets(
    side: str, outline: Box, screws: Sequence[tuple[str, ScrewGroup, Point]], paper: Paper
) -> list[ChartPage]:
    width, height = min((paper.size, paper.size[::-1]), key=lambda size: (_count(outline, *size), size))
    room = Box(x=MARGIN, y=MARGIN, width=width - 2 * MARGIN, height=height - 2 * MARGIN - LIST)
    across, down = _parts(outline.width, room.width), _parts(outline.height, room.height)
    pages = []
    for row in range(down):
        for column in range(across):
            # in the middle where one is enough, else from the corner on
            left = (
                room.x + (room.width - outline.width) / 2
                if across == 1
                else room.x - column * (room.width - OVERLAP)
            )
            top = room.y if down == 1 else room.y - row * (room.height - OVERLAP)
            here = [
                ChartScrew(name=name, group=group, at=Point(x=at.x + left, y=at.y + top))
                for name, group, at in screws
            ]
            pages.append(
                ChartPage(
                    width=width,
                    height=height,
                    side=side,
                    outline=Box(x=left, y=top, width=outline.width, height=outline.height),
                    window=room,
                    screws=tuple(one for one in here if _is_in(one.at, room)),
                    part=row * across + column + 1,
                    parts=across * down,
                )
            )
    return pages


def _parts(length: float, room: float) -> int:
    """How many sheets a length takes, each sharing the overlap with the next."""
    return 1 if length <= room else math.ceil((length - OVERLAP) / (room - OVERLAP))


def _count(outline: Box, width: float, height: float) -> int:
    return _parts(outline.width, width - 2 * MARGIN) * _parts(outline.height, height - 2 * MARGIN - LIST)


def _is_in(at: Point, room: Box) -> bool:
    return room.x <= at.x <= room.x + room.width and room.y <= at.y <= room.y + room.height
