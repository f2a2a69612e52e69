"""Laws of the opening plan over random faces and drawings, against a judge of its own: distances by hand,
none of the code's geometry. The rules are common practice, no source; the geometry is elementary.
"""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Callable, Sequence
from dataclasses import replace

import pytest
from builders import crack, examples, impact, models, templates
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.catalogue.model import EDGES, EdgeLimit, Face, KeepOut, Spot
from sutura.core.intake.damage import NEAR_EDGE_MM
from sutura.core.intake.marks import Mark, MarkKind, reached_edges
from sutura.core.intake.opening import (
    CUP_BAND_MM,
    CUP_MARGIN_MM,
    CUPS_MM,
    EDGE_CIRCLE_MM,
    HABIT,
    Habit,
    Loose,
    Start,
    depth_limits,
    plan_opening,
)
from sutura.core.maths.geometry import Box, Point
from sutura.core.maths.plane import STEP_MM

seeds = st.integers(0, 10**9)
Place = tuple[float, float]

# -- the judge's own geometry ---------------------------------------------------------------------


def off_piece(p: Place, a: Place, b: Place) -> float:
    """How far a place is from a straight piece."""
    dx, dy = b[0] - a[0], b[1] - a[1]
    span = dx * dx + dy * dy
    t = min(max(((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / span, 0.0), 1.0) if span else 0.0
    return math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy)


def turn_about(p: Place, ring: Sequence[Place]) -> float:
    """By how much a ring turns about a place, in whole turns; not zero inside."""
    total = 0.0
    for a, b in itertools.pairwise([*ring, ring[0]]):
        before, after = math.atan2(a[1] - p[1], a[0] - p[0]), math.atan2(b[1] - p[1], b[0] - p[0])
        total += (after - before + math.pi) % math.tau - math.pi
    return total / math.tau


def places(mark: Mark) -> list[Place]:
    return [(p.x, p.y) for p in mark.points]


def off_mark(p: Place, mark: Mark) -> float:
    """How far a place is from a mark; zero or less on it."""
    drawn = places(mark)
    if mark.kind is MarkKind.IMPACT:
        return math.dist(p, drawn[0]) - mark.reach_mm
    if mark.kind is MarkKind.MISSING:
        if abs(turn_about(p, drawn)) > 0.5:
            return 0.0
        drawn = [*drawn, drawn[0]]
    return min(off_piece(p, a, b) for a, b in itertools.pairwise(drawn))


def inside_rounded(p: Place, box: Box, corner: float) -> float:
    """How far inside a rounded box a place lies; below zero outside."""
    radius = min(corner, box.width / 2, box.height / 2)
    x = abs(p[0] - box.x - box.width / 2) - (box.width / 2 - radius)
    y = abs(p[1] - box.y - box.height / 2) - (box.height / 2 - radius)
    return radius - math.hypot(max(x, 0), max(y, 0)) if x > 0 and y > 0 else radius - max(x, y)


def off_spots(p: Place, face: Face) -> float:
    leaks = [spot for spot in face.spots if spot.what in ("speaker", "microphone", "button")]
    corner = {True: 1e9, False: 0.0}
    return min((-inside_rounded(p, spot.box, corner[spot.round]) for spot in leaks), default=math.inf)


def clear(p: Place, face: Face, marks: Sequence[Mark]) -> float:
    """The radius of the largest circle about a place that is whole glass."""
    glass = inside_rounded(p, face.glass, face.corner_mm)
    return min([glass, off_spots(p, face), *(off_mark(p, mark) for mark in marks)])


def inset(p: Place, edge: str, box: Box) -> float:
    return {
        "top": p[1] - box.y,
        "left": p[0] - box.x,
        "bottom": box.y + box.height - p[1],
        "right": box.x + box.width - p[0],
    }[edge]


def foot(p: Place, edge: str, box: Box) -> Place:
    """Straight out from a place to an edge of the glass."""
    return {
        "top": (p[0], box.y),
        "left": (box.x, p[1]),
        "bottom": (p[0], box.y + box.height),
        "right": (box.x + box.width, p[1]),
    }[edge]


def lifts(p: Place, edge: str, face: Face, marks: Sequence[Mark]) -> float:
    """The radius of the largest circle about a place that lifts an edge: whole all the way out to it."""
    way = [foot(p, edge, face.glass), p]
    steps = max(int(math.dist(*way) / 0.5), 1)
    along = [tuple(a + (b - a) * i / steps for a, b in zip(*way, strict=True)) for i in range(steps + 1)]
    room = min(off_mark((x, y), mark) for x, y in along for mark in marks) if marks else math.inf
    deep = face.glass.height if edge in ("top", "bottom") else face.glass.width
    band = min(max(min(CUP_BAND_MM, 0.6 * deep), min(CUPS_MM) + 2 * CUP_MARGIN_MM + 1), deep)
    return min(room, clear(p, face, ()), band - inset(p, edge, face.glass))


# -- random faces and drawings ----------------------------------------------------------------------


def some_face(chance: random.Random) -> Face:
    width, height = (round(chance.uniform(30, 180), chance.choice([0, 1, 2])) for _ in "wh")
    if chance.random() < 0.2:
        height = width
    corner = chance.choice(
        [0.0, 4.0, round(chance.uniform(0, min(width, height) / 2), 1), min(width, height) / 2]
    )
    rim = chance.choice([0.0, 0.4, 1.5, round(chance.uniform(0, min(width, height) / 5), 1)])
    glass = Box(x=rim, y=rim, width=width - 2 * rim, height=height - 2 * rim)
    edges = {
        edge: EdgeLimit(depth_mm=chance.choice([0.0, 1.5, 2.0, 2.5, 3.0, 4.0]), why=edge) for edge in EDGES
    }
    spots = [
        Spot(
            name=f"spot {i}",
            what=chance.choice(["camera", "speaker", "button", "sensor", "microphone"]),
            box=_box_inside(chance, width, height, side, chance.choice([side, 2 * side])),
            round=chance.random() < 0.5,
        )
        for i, side in enumerate(chance.sample([2.0, 3.0, 5.5], chance.randrange(3)))
    ]
    keep_outs = [
        KeepOut(
            name=f"cable {i}",
            edge=chance.choice(EDGES),
            box=_box_at_rim(chance, width, height),
            depth_mm=chance.choice([0.0, 0.5, 1.0]),
            why="x",
        )
        for i in range(chance.randrange(4))
    ]
    return Face(
        width_mm=width,
        height_mm=height,
        corner_mm=corner,
        glass=glass,
        active=glass,
        opening_edge=chance.choice(EDGES),
        edges=edges,
        spots=tuple(spots),
        keep_outs=tuple(keep_outs),
    )


def _box_inside(chance: random.Random, width: float, height: float, wide: float, high: float) -> Box:
    return Box(
        x=chance.uniform(2, width - wide - 2), y=chance.uniform(2, height - high - 2), width=wide, height=high
    )


def _box_at_rim(chance: random.Random, width: float, height: float) -> Box:
    wide, high = chance.uniform(2, width / 3), chance.uniform(2, height / 3)
    x = chance.choice([0.0, width - wide, chance.uniform(0, width - wide)])
    y = chance.choice([0.0, height - high])
    return Box(x=x, y=y, width=wide, height=high)


def some_mark(chance: random.Random, face: Face) -> Mark:
    glass = face.glass

    def at() -> Place:
        return (
            round(glass.x + chance.uniform(0, glass.width), 3),
            round(glass.y + chance.uniform(0, glass.height), 3),
        )

    kind = chance.choice(["crack", "crack", "impact", "missing"])
    if kind == "crack":
        return crack(*(at() for _ in range(chance.randint(2, 4))))
    x, y = at()
    if kind == "impact":
        return impact(x, y, round(chance.uniform(0, 15), 1))
    # a convex hole, so that the judge's turning number says the same as any filling
    size = chance.uniform(2, 12)
    turns = sorted(chance.uniform(0, math.tau) for _ in range(5))
    ring = [(x + size * math.cos(t), y + size * math.sin(t)) for t in turns]
    # on the glass, or over its rim as far as the device goes
    box = chance.choice([glass, face.outline])
    inside = [
        (min(max(a, box.x), box.x + box.width), min(max(b, box.y), box.y + box.height)) for a, b in ring
    ]
    return Mark(kind=MarkKind.MISSING, points=tuple(Point(x=a, y=b) for a, b in inside))


def some_marks(chance: random.Random, face: Face, most: int = 7) -> list[Mark]:
    return [some_mark(chance, face) for _ in range(chance.randrange(most))]


def drawing(seed: int) -> tuple[random.Random, Face, list[Mark]]:
    chance = random.Random(seed)
    face = some_face(chance)
    return chance, face, some_marks(chance, face)


# -- the laws ----------------------------------------------------------------------------------------


@given(seeds)
@examples(150)
def test_the_cup_with_its_margin_lies_on_glass_and_off_every_mark(seed: int) -> None:
    _, face, marks = drawing(seed)
    plan = plan_opening(marks, face)
    if plan.cup is None:
        assert plan.start is not Start.CUP
        return
    reach = plan.cup.diameter_mm / 2 + CUP_MARGIN_MM
    assert clear((plan.cup.at.x, plan.cup.at.y), face, marks) >= reach - 1e-6
    assert lifts((plan.cup.at.x, plan.cup.at.y), plan.entry_edge, face, marks) >= reach - 1e-6


@given(seeds)
@examples(50)
def test_a_search_over_many_places_finds_no_larger_circle(seed: int) -> None:
    """The circles are the largest within what is stated: 0.06 mm anywhere, a step and a bit at an edge."""
    chance, face, marks = drawing(seed)
    plan = plan_opening(marks, face)
    found = plan.largest.radius if plan.largest else 0.0
    tries = [(chance.uniform(0, face.width_mm), chance.uniform(0, face.height_mm)) for _ in range(150)]
    best = max(tries, key=lambda p: clear(p, face, marks))
    for size in (4.0, 1.0, 0.25):
        near = [(best[0] + chance.gauss(0, size), best[1] + chance.gauss(0, size)) for _ in range(25)]
        best = max([best, *near], key=lambda p: clear(p, face, marks))
    assert clear(best, face, marks) <= found + 0.06
    edge = chance.choice(plan.edges)
    lifted = edge.circle.radius if edge.circle else 0.0
    most = max(lifts(p, edge.edge, face, marks) for p in tries[:60])
    assert most <= lifted + STEP_MM + EDGE_CIRCLE_MM


def _closed(mark: Mark) -> list[Mark]:
    return [replace(mark, points=(*mark.points, mark.points[0]))] if mark.kind is MarkKind.MISSING else [mark]


def _twice_round(mark: Mark) -> list[Mark]:
    return [replace(mark, points=mark.points * 2)] if mark.kind is MarkKind.MISSING else [mark, mark]


def _reversed(mark: Mark) -> list[Mark]:
    return [replace(mark, points=mark.points[::-1])]


def _split(mark: Mark) -> list[Mark]:
    if mark.kind is not MarkKind.CRACK or len(mark.points) < 3:
        return [mark]
    return [replace(mark, points=pair) for pair in itertools.pairwise(mark.points)]


@pytest.mark.parametrize("again", [_closed, _twice_round, _reversed, _split])
@given(seed=seeds)
@examples(40)
def test_the_same_damage_drawn_another_way_gives_the_same_plan(
    seed: int, again: Callable[[Mark], list[Mark]]
) -> None:
    _, face, marks = drawing(seed)
    other = [one for mark in marks for one in again(mark)]
    once, more = plan_opening(marks, face), plan_opening(other, face)
    numbers = (once.share_near, *(edge.broken for edge in once.edges))
    assert (more.share_near, *(edge.broken for edge in more.edges)) == pytest.approx(numbers, abs=1e-9)
    circles = [edge.circle.radius if edge.circle else 0 for edge in once.edges]
    assert [edge.circle.radius if edge.circle else 0 for edge in more.edges] == pytest.approx(
        circles, abs=0.25
    )
    # a circle that is just large enough for a cup may fall either way
    if all(abs(r - d / 2 - CUP_MARGIN_MM) > 0.3 for r in circles for d in CUPS_MM):
        assert [more.start, more.entry_edge, more.loose, more.order] == [
            once.start,
            once.entry_edge,
            once.loose,
            once.order,
        ]
    assert more.crack_mm == pytest.approx(once.crack_mm)
    assert more.corners == once.corners
    assert set(reached_edges(other, face, 1.0)) == set(reached_edges(marks, face, 1.0))


TURNED = {"top": "right", "right": "bottom", "bottom": "left", "left": "top"}
MIRRORED = {"top": "top", "bottom": "bottom", "left": "right", "right": "left"}


def _turn(p: Point, face: Face) -> Point:
    return Point(x=face.height_mm - p.y, y=p.x)


def _mirror(p: Point, face: Face) -> Point:
    return Point(x=face.width_mm - p.x, y=p.y)


def carried(face: Face, move: Callable[[Point, Face], Point], edges: dict[str, str]) -> Face:
    def box(one: Box) -> Box:
        a, b = (
            move(p, face) for p in (Point(x=one.x, y=one.y), Point(x=one.x + one.width, y=one.y + one.height))
        )
        return Box(x=min(a.x, b.x), y=min(a.y, b.y), width=abs(a.x - b.x), height=abs(a.y - b.y))

    outline = box(face.outline)
    return replace(
        face,
        width_mm=outline.width,
        height_mm=outline.height,
        glass=box(face.glass),
        active=box(face.active),
        opening_edge=edges[face.opening_edge],
        edges={edges[edge]: limit for edge, limit in face.edges.items()},
        spots=tuple(replace(s, box=box(s.box)) for s in face.spots),
        keep_outs=tuple(replace(k, box=box(k.box), edge=edges[k.edge]) for k in face.keep_outs),
    )


@pytest.mark.parametrize(("move", "edges"), [(_turn, TURNED), (_mirror, MIRRORED)])
@given(seed=seeds)
@examples(60)
def test_a_turned_or_mirrored_face_has_the_turned_or_mirrored_plan(
    seed: int, move: Callable[[Point, Face], Point], edges: dict[str, str]
) -> None:
    _, face, marks = drawing(seed)
    there = carried(face, move, edges)
    moved = [replace(mark, points=tuple(move(p, face) for p in mark.points)) for mark in marks]
    here, other = plan_opening(marks, face), plan_opening(moved, there)
    assert other.share_near == pytest.approx(here.share_near, abs=0.01)
    broken = {edges[edge.edge]: edge.broken for edge in here.edges}
    assert {edge.edge: edge.broken for edge in other.edges} == pytest.approx(broken, abs=0.02)
    circles = {edges[edge.edge]: edge.circle.radius if edge.circle else 0.0 for edge in here.edges}
    found = {edge.edge: edge.circle.radius if edge.circle else 0.0 for edge in other.edges}
    assert found == pytest.approx(circles, abs=STEP_MM + EDGE_CIRCLE_MM)
    depths = {edges[e]: sorted({s.depth_mm for s in depth_limits(e, face)}) for e in EDGES}
    assert {e: sorted({s.depth_mm for s in depth_limits(e, there)}) for e in EDGES} == depths
    assert {edges[edge] for edge in here.order} == set(other.order)
    assert sorted(reached_edges(moved, there, 1.0)) == sorted(
        edges[e] for e in reached_edges(marks, face, 1.0)
    )
    # what lies on a limit may fall either way
    costs = sorted(e.broken + (0 if e.edge == face.opening_edge else HABIT) for e in here.edges)
    sure = all(abs(r - d / 2 - CUP_MARGIN_MM) > 0.4 for r in circles.values() for d in CUPS_MM)
    if sure and all(b - a > 0.03 for a, b in itertools.pairwise(costs)):
        assert (other.start, other.entry_edge, other.instead) == (
            here.start,
            edges.get(here.entry_edge, ""),
            here.instead,
        )


@given(seeds)
@examples(150)
def test_the_usual_edge_is_left_only_for_a_reason_that_is_true(seed: int) -> None:
    _, face, marks = drawing(seed)
    plan = plan_opening(marks, face)
    usual = next(edge for edge in plan.edges if edge.edge == face.opening_edge)
    entry = next((edge for edge in plan.edges if edge.edge == plan.entry_edge), None)
    holds = usual.circle is not None and usual.circle.radius >= min(CUPS_MM) / 2 + CUP_MARGIN_MM
    if plan.entry_edge == face.opening_edge or entry is None:
        assert plan.instead is None
        assert plan.start is not Start.NOWHERE or not any(edge.allowed for edge in plan.edges)
    elif plan.instead is Habit.NEVER:
        assert not usual.allowed
    elif plan.instead is Habit.NO_CUP:
        assert usual.allowed
        assert not holds
        assert plan.cup is not None
    elif plan.instead is Habit.OPEN_ALREADY:
        assert plan.start in (Start.GAP, Start.CHIP)
    else:
        assert usual.broken > entry.broken + HABIT - 1e-6
    if not marks and usual.allowed and holds:
        assert plan.entry_edge == face.opening_edge


@given(seeds)
@examples(60)
def test_the_share_near_damage_is_that_of_the_glass(seed: int) -> None:
    chance, face, marks = drawing(seed)
    plan = plan_opening(marks, face)
    glass = face.glass
    tries = [
        (
            glass.x + (i + chance.random()) / 40 * glass.width,
            glass.y + (j + chance.random()) / 40 * glass.height,
        )
        for i in range(40)
        for j in range(40)
    ]
    on_glass = [p for p in tries if inside_rounded(p, glass, face.corner_mm) >= 0]
    near = sum(any(off_mark(p, mark) <= NEAR_EDGE_MM for mark in marks) for p in on_glass)
    assert plan.share_near == pytest.approx(near / len(on_glass), abs=0.025)
    if plan.loose is Loose.NO:
        assert not marks


@given(seeds)
@examples(100)
def test_a_pick_goes_in_beside_glass_and_no_deeper_than_anything_near_allows(seed: int) -> None:
    _, face, marks = drawing(seed)
    plan = plan_opening(marks, face)
    if plan.entry is None:
        return
    glass, edge = face.glass, plan.entry_edge
    assert inset((plan.entry.x, plan.entry.y), edge, glass) == pytest.approx(0, abs=1e-9)
    lies = edge in ("top", "bottom")
    along = plan.entry.x if lies else plan.entry.y
    first, long = (glass.x, glass.width) if lies else (glass.y, glass.height)
    assert first - 1e-9 <= along <= first + long + 1e-9
    for side in EDGES:
        for stretch in depth_limits(side, face):
            assert stretch.depth_mm <= face.edges[side].depth_mm
            middle = (stretch.start_mm + stretch.end_mm) / 2
            for keep in face.keep_outs:
                start, wide, deep = (
                    (keep.box.x, keep.box.width, keep.box.y)
                    if side in ("top", "bottom")
                    else (keep.box.y, keep.box.height, keep.box.x)
                )
                if side in ("bottom", "right"):
                    whole = face.height_mm if side == "bottom" else face.width_mm
                    deep = whole - deep - (keep.box.height if side == "bottom" else keep.box.width)
                if start < middle < start + wide and (keep.edge == side or deep < face.edges[side].depth_mm):
                    assert stretch.depth_mm <= keep.depth_mm


@given(seeds)
@examples(100)
def test_every_edge_that_a_crack_ends_at_is_named_and_no_other(seed: int) -> None:
    """A crack from well inside to a place on one edge, away from the corners."""
    chance = random.Random(seed)
    face = replace(some_face(chance), spots=(), keep_outs=())
    glass = face.glass
    ends = chance.sample(EDGES, chance.choice([1, 2]))
    middle = (glass.x + glass.width / 2, glass.y + glass.height / 2)
    marks = [crack(middle, foot(middle, edge, glass)) for edge in ends]
    assert sorted(reached_edges(marks, face, 1.0)) == sorted(ends)


def test_what_is_drawn_beside_the_glass_breaks_nothing_of_it() -> None:
    face = replace(some_face(random.Random(3)), spots=(), keep_outs=())
    face = replace(
        face,
        width_mm=120,
        height_mm=90,
        glass=Box(x=30, y=20, width=60, height=50),
        corner_mm=0,
        edges=dict.fromkeys(EDGES, EdgeLimit(depth_mm=2, why="x")),
    )
    beside = [crack((20, 5), (22, 85)), impact(100, 45, 4)]
    assert reached_edges(beside, face, 1.0) == []
    plan, whole = plan_opening(beside, face), plan_opening([], face)
    assert (plan.cup, plan.entry, plan.share_near) == (whole.cup, whole.entry, 0.0)
    assert [edge.circle for edge in plan.edges] == [edge.circle for edge in whole.edges]


@pytest.mark.parametrize("model_id", [*models(), *templates()])
def test_an_undamaged_device_is_opened_at_its_usual_edge(model_id: str) -> None:
    face = {**models(), **templates()}[model_id].face
    plan = plan_opening([], face)
    assert (plan.entry_edge, plan.instead, plan.loose) == (face.opening_edge, None, Loose.NO)


@pytest.mark.parametrize("corner", [19.999, 20.0, 25.0])
def test_a_round_watch_is_round(corner: float) -> None:
    """40 × 40 with corners of half a side: the cup's corner of the box, (2, 2), is no glass."""
    watch = replace(
        some_face(random.Random(1)),
        width_mm=40,
        height_mm=40,
        corner_mm=corner,
        glass=Box(x=0, y=0, width=40, height=40),
        spots=(),
        keep_outs=(),
        edges=dict.fromkeys(EDGES, EdgeLimit(depth_mm=2, why="x")),
    )
    # only the top left corner is whole; elsewhere strips of 6 mm
    broken = [crack((0, y), (40, y)) for y in (16, 22, 28, 34)]
    broken += [crack((x, 0), (x, 16)) for x in (16, 22, 28, 34)]
    plan = plan_opening(broken, watch)
    assert plan.largest is not None
    # it touches both cracks and the rim: √2 (4 + r) + r = 20
    assert plan.largest.radius == pytest.approx((20 - 4 * math.sqrt(2)) / (1 + math.sqrt(2)), abs=0.06)
