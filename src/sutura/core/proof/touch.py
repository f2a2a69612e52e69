"""What a touch layer does, measured on the device itself: drawn over, left alone, touched by several fingers,
and one straight stroke.

Places are in mm from the top left corner of the picture, moments in milliseconds.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from sutura.core.facts import Fact, fact
from sutura.core.maths.geometry import Box, Edge, Point
from sutura.core.maths.plane import Patch, areas, brushed, common_mm2, covered_share, left_bare, line_meets
from sutura.core.values import COMMON, Outcome, Rule

# a finger touches so wide a spot; common practice, no source
FINGER_MM = 8.0
# what is left bare and is smaller is no place that a finger could miss; the shop's, no source
LEAST_MM2 = 9.0
# a strip along each edge is looked at apart: edges fail first; common practice, no source
EDGE_MM = 4.0
# so much of an edge has to answer; the shop's, no source
EDGE_SHARE = 0.98
# a finger that is not felt for so long while it goes on, or goes so far from one report to the next, has a
# gap; the shop's, no source
GAP_MS, GAP_MM = 120, 8.0
# how long nobody touches it, for ghosts; common practice, no source
QUIET_MS = 10_000
# a straight stroke bends or shakes by so much at most; the shop's, no source
MOST_OFF_MM, MOST_JITTER_MM = 2.0, 0.6
# where a model does not say how many fingers it feels; common practice, no source
USUAL_FINGERS = 2
# a dead zone of arrival is still there where so much of it is; the shop's, no source
SAME_SHARE, ANEW_SHARE = 0.5, 0.1
# a bank card: ISO/IEC 7810, ID-1
CARD_MM = 85.60

RULES = (
    Rule(
        id="touch.covered",
        capability="proof",
        says=(
            f"A place is felt where a finger of {FINGER_MM:g} mm was reported; a bare place of "
            f"{LEAST_MM2:g} mm² or more is told with its size. It is faulty where a finger went across it "
            "and was not felt, or whoever drew says that all was drawn over; else it was not drawn over "
            "yet, which is not known to work."
        ),
        source=COMMON,
    ),
    Rule(
        id="touch.edges",
        capability="proof",
        says=(
            f"Each edge, {EDGE_MM:g} mm deep, is looked at apart and has to answer on {EDGE_SHARE:.0%} of it."
        ),
        source=COMMON,
    ),
    Rule(
        id="touch.ghosts",
        capability="proof",
        says=f"A touch that is reported in {QUIET_MS // 1000} s in which nobody touches is a ghost.",
        source=COMMON,
    ),
    Rule(
        id="touch.line",
        capability="proof",
        says=(
            f"A straight stroke leaves its line by {MOST_OFF_MM:g} mm at most, and shakes by "
            f"{MOST_JITTER_MM:g} mm (root of the mean square of what one report is off the middle of its "
            "neighbours). How late touches come is not claimed: a page cannot see it."
        ),
        source="the shop's, no source",
    ),
    Rule(
        id="touch.zones",
        capability="proof",
        says=(
            "A dead zone of arrival is the same where half of it is dead now, improved where less is; a dead "
            "place that has a tenth or less in common with those of arrival is new."
        ),
        source="the shop's, no source",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Touch:
    """One report of a finger."""

    at_ms: float
    x: float
    y: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Gap:
    """Where a finger went on and was not felt: from where to where, how far and how long."""

    start: Point
    end: Point
    mm: float
    ms: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """A straight stroke: how far it leaves its line at most, and how much it shakes, in mm."""

    off_mm: float
    jitter_mm: float


@dataclass(frozen=True, slots=True, kw_only=True)
class TouchReading:
    """What was measured of a touch layer, what that means and why. `edges` are shares of each edge that
    answer; None where nothing was drawn at all.
    """

    outcome: Outcome
    reasons: tuple[Fact, ...]
    share: float
    bare: tuple[Patch, ...]
    edges: Mapping[Edge, float]
    gaps: tuple[Gap, ...]
    ghosts: tuple[Point, ...]
    fingers: int
    line: Line | None


Stroke = Sequence[Touch]


def gaps_of(stroke: Stroke) -> tuple[Gap, ...]:
    """Where a stroke jumps: a finger that went on was not felt there."""
    found = []
    for before, after in itertools.pairwise(stroke):
        far = math.hypot(after.x - before.x, after.y - before.y)
        long = after.at_ms - before.at_ms
        if far > GAP_MM or (long > GAP_MS and far > FINGER_MM / 4):
            found.append(
                Gap(start=Point(x=before.x, y=before.y), end=Point(x=after.x, y=after.y), mm=far, ms=long)
            )
    return tuple(found)


def _pieces(stroke: Stroke) -> list[list[Point]]:
    """A stroke in pieces that were felt all the way."""
    broken = {(gap.start, gap.end) for gap in gaps_of(stroke)}
    points = [Point(x=one.x, y=one.y) for one in stroke]
    pieces = [points[:1]]
    for before, after in itertools.pairwise(points):
        if (before, after) in broken:
            pieces.append([after])
        else:
            pieces[-1].append(after)
    return [piece for piece in pieces if piece]


def edge_strips(box: Box) -> dict[Edge, Box]:
    """The strip along each edge of a picture."""
    wide, high = min(EDGE_MM, box.width), min(EDGE_MM, box.height)
    return {
        Edge.TOP: Box(x=box.x, y=box.y, width=box.width, height=high),
        Edge.RIGHT: Box(x=box.x + box.width - wide, y=box.y, width=wide, height=box.height),
        Edge.BOTTOM: Box(x=box.x, y=box.y + box.height - high, width=box.width, height=high),
        Edge.LEFT: Box(x=box.x, y=box.y, width=wide, height=box.height),
    }


def line_of(stroke: Stroke) -> Line | None:
    """How straight a stroke is; None for one of fewer than five reports. The line is that of least squares
    across it.
    """
    if len(stroke) < 5:
        return None
    places = np.array([(one.x, one.y) for one in stroke], float)
    middle = places - places.mean(axis=0)
    direction = np.linalg.svd(middle, full_matrices=False)[2][0]
    across = middle @ np.array([-direction[1], direction[0]])
    shake = across[1:-1] - (across[:-2] + across[2:]) / 2
    return Line(off_mm=float(np.abs(across).max()), jitter_mm=float(np.sqrt(np.mean(shake**2))))


def read_touch(
    box: Box,
    strokes: Sequence[Stroke],
    *,
    ghosts: Sequence[Touch] | None = None,
    fingers: int | None = None,
    expects_fingers: int | None = None,
    line: Stroke = (),
    all_drawn: bool = False,
    finger_mm: float = FINGER_MM,
) -> TouchReading:
    """What a touch layer does (rules touch.covered, touch.edges, touch.ghosts, touch.line). `box` is the
    picture; what was not done – nobody left it alone, no several fingers, no line – is not held against it
    and is not said to be sound.
    """
    pieces = [piece for stroke in strokes for piece in _pieces(stroke)]
    felt = brushed(pieces, finger_mm / 2)
    bare = left_bare(box, felt, LEAST_MM2)
    edges = {edge: covered_share(strip, felt) for edge, strip in edge_strips(box).items()}
    gaps = tuple(gap for stroke in strokes for gap in gaps_of(stroke))
    dead = tuple(
        patch
        for patch in bare
        if all_drawn or any(line_meets(gap.start, gap.end, patch.outline) for gap in gaps)
    )
    straight = line_of(line)
    faults = [fact("touch.dead", mm2=patch.mm2, x=patch.box.x, y=patch.box.y) for patch in dead]
    faults += [
        fact("touch.edge", edge=edge, share=round(share * 100))
        for edge, share in edges.items()
        if all_drawn and share < EDGE_SHARE
    ]
    if ghosts:
        faults.append(fact("touch.ghost", count=len(ghosts), x=ghosts[0].x, y=ghosts[0].y))
    expected = expects_fingers or USUAL_FINGERS
    if fingers is not None and fingers < expected:
        faults.append(fact("touch.fingers", felt=fingers, expected=expected))
    if straight and (straight.off_mm > MOST_OFF_MM or straight.jitter_mm > MOST_JITTER_MM):
        faults.append(fact("touch.bent", off=straight.off_mm, jitter=straight.jitter_mm))
    open_ = [fact("touch.not-drawn", places=len(bare))] if len(bare) > len(dead) else []
    open_ += [fact("touch.not-left-alone", seconds=QUIET_MS // 1000)] if ghosts is None else []
    outcome = Outcome.FAULTY if faults else Outcome.NOT_TESTABLE if open_ else Outcome.WORKS
    sound = fact("touch.all-felt", share=round(covered_share(box, felt) * 100, 1))
    return TouchReading(
        outcome=outcome,
        reasons=tuple(faults or open_ or [sound]),
        share=covered_share(box, felt),
        bare=bare,
        edges=edges,
        gaps=gaps,
        ghosts=tuple(Point(x=one.x, y=one.y) for one in ghosts or ()),
        fingers=fingers or 0,
        line=straight,
    )


class ZoneChange(StrEnum):
    """What became of a dead zone between arrival and now."""

    SAME = "same"
    IMPROVED = "improved"
    NEW = "new"


@dataclass(frozen=True, slots=True, kw_only=True)
class Zone:
    """A dead zone beside those of then: what became of it, and which share of it is dead now."""

    change: ZoneChange
    outline: tuple[Point, ...]
    share: float


def compare_zones(before: Sequence[Sequence[Point]], now: Sequence[Sequence[Point]]) -> tuple[Zone, ...]:
    """Each dead zone of arrival with what became of it, then those that are new (rule touch.zones)."""
    all_now, all_before = areas(now), areas(before)
    found = []
    for outline in before:
        zone = areas([outline])
        share = common_mm2(zone, all_now) / zone.area if zone.area else 0.0
        change = ZoneChange.SAME if share >= SAME_SHARE else ZoneChange.IMPROVED
        found.append(Zone(change=change, outline=tuple(outline), share=share))
    for outline in now:
        zone = areas([outline])
        known = common_mm2(zone, all_before) / zone.area if zone.area else 0.0
        if known <= ANEW_SHARE:
            found.append(Zone(change=ZoneChange.NEW, outline=tuple(outline), share=1.0))
    return tuple(found)
