"""The damage reading against closed forms (check-values section 10), and what must hold of every plan."""

from __future__ import annotations

import itertools
import math
import re
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import pytest
from builders import HERON, SLATE, crack, impact, models, said, templates
from hypothesis import given, settings
from hypothesis import strategies as st

from sutura.core.catalogue.model import CUTS, EDGES, EdgeLimit, Face, Goes, KeepOut, Spot
from sutura.core.intake.marks import Mark, MarkKind, Side, check_marks
from sutura.core.intake.opening import (
    CUPS_MM,
    Loose,
    OpeningPlan,
    Start,
    depth_limits,
    opening_plan,
    plan_opening,
)
from sutura.core.maths import plane
from sutura.core.maths.geometry import Box, Edge, Point

HERON_FACE = models()[HERON].face


def plain(width: float = 60, height: float = 40, **changes: Any) -> Face:
    """A face without windows or keep-outs whose glass is the whole outline."""
    face = Face(
        width_mm=width,
        height_mm=height,
        corner_mm=0,
        glass=Box(x=0, y=0, width=width, height=height),
        active=Box(x=1, y=1, width=width - 2, height=height - 2),
        opening_edge="bottom",
        edges=dict.fromkeys(EDGES, EdgeLimit(depth_mm=3, why="usual")),
    )
    return replace(face, **changes)


def missing(*points: tuple[float, float]) -> Mark:
    return Mark(kind=MarkKind.MISSING, points=tuple(Point(x=x, y=y) for x, y in points))


def points(*pairs: tuple[float, float]) -> list[Point]:
    return [Point(x=x, y=y) for x, y in pairs]


# -- the largest unbroken circle (closed forms, calc) -------------------------------------------


@pytest.mark.parametrize(
    ("outline", "radius"),
    [
        (points((0, 0), (3, 0), (0, 4)), 1.0),
        (points((0, 0), (10, 0), (10, 4), (0, 4)), 2.0),
        (points((0, 0), (10, 0), (10, 4), (4, 4), (4, 10), (0, 10)), 4 * (2 - math.sqrt(2))),
    ],
    ids=["3-4-5 triangle", "10 × 4", "L with arms 4 in 10 × 10"],
)
def test_the_largest_circle_of_known_shapes(outline: list[Point], radius: float) -> None:
    circle = plane.largest_circle(plane.areas([outline]), 0.0005)
    assert circle
    assert circle.radius == pytest.approx(radius, abs=0.001)


def test_a_crack_from_corner_to_corner_leaves_a_triangle_on_each_side() -> None:
    """70 × 150 cut corner to corner: r 27.23527 on each side (calc)."""
    plan = plan_opening([crack((0, 0), (70, 150))], plain(70, 150))
    assert plan.largest
    assert plan.largest.radius == pytest.approx((70 + 150 - math.hypot(70, 150)) / 2, abs=0.06)
    assert plan.largest.radius == pytest.approx(27.23527, abs=0.06)


def test_a_crack_that_ends_inside_the_glass_counts() -> None:
    """60 × 40 with a crack (30,0)–(30,20): exact 50 − 20√3 = 15.358984 (calc); polygonizing would drop it and
    say 20.
    """
    plan = plan_opening([crack((30, 0), (30, 20))], plain(60, 40))
    assert plan.largest
    assert plan.largest.radius == pytest.approx(50 - 20 * math.sqrt(3), abs=0.06)


def test_unbroken_glass_holds_the_largest_cup_near_the_opening_edge() -> None:
    plan = plan_opening([], HERON_FACE)
    assert plan.loose is Loose.NO
    assert plan.protect == ()
    assert plan.cup
    assert (plan.cup.diameter_mm, plan.cup.edge, plan.entry_edge) == (55, "bottom", "bottom")


# -- where it is opened -------------------------------------------------------------------------


def test_a_usual_edge_that_is_shattered_is_given_up_for_one_that_holds() -> None:
    shattered = [crack((x, 100), (x + 6, 146)) for x in range(0, 64, 4)]
    plan = plan_opening(shattered, HERON_FACE)
    assert plan.entry_edge != "bottom"
    assert any("Not at the bottom edge as usual" in say for say in map(said, plan.says))


def test_w06_no_plan_ever_starts_on_the_side_of_the_cables() -> None:
    ember = models()["quillon-ember"].face
    for marks in ([], [crack((10, y), (62, y)) for y in range(10, 150, 6)], [impact(6, 76, 30)]):
        plan = plan_opening(marks, ember)
        assert plan.entry_edge != "right"
        assert "right" not in plan.order
        assert plan.not_cut == ("right",)


def test_a_shard_behind_a_crack_lifts_no_edge() -> None:
    """A crack along the usual edge, 20 mm in: the whole glass behind it would come out and leave the edge
    where it is.
    """
    face = plain(120, 160)
    plan = plan_opening([crack((0, 140), (120, 140))], face)
    bottom = next(edge_plan for edge_plan in plan.edges if edge_plan.edge == "bottom")
    assert bottom.circle
    assert bottom.circle.radius <= 10.1
    assert plan.cup is None or plan.cup.edge != "bottom" or plan.cup.at.y > 140


def test_w07_where_no_cup_holds_it_starts_at_a_chip_and_tapes_the_rest() -> None:
    """Work sample W07: loose shards; a cup needs unbroken glass, where there is none start at a chip."""
    face = models()["osmere-reed"].face
    grid = [crack((0, y), (53, y)) for y in range(5, 103, 9)] + [
        crack((x, 0), (x, 103)) for x in range(5, 53, 9)
    ]
    plan = plan_opening([*grid, missing((20, 0), (30, 0), (25, 4))], face)
    assert (plan.start, plan.entry_edge, plan.cup) == (Start.CHIP, "top", None)
    assert plan.loose is Loose.HIGH
    assert {"eye protection", "gloves", "tape over the cracks"} <= {said(one) for one in plan.protect}
    blade = plan_opening(grid, face)
    assert blade.start is Start.BLADE
    assert any("thin blade" in say for say in map(said, blade.says))


def test_w04_the_light_sensor_limits_the_depth_at_the_top_edge() -> None:
    """Work sample W04: the light sensor lies 3.2 mm inside the top edge."""
    limits = depth_limits("top", models()["bramling-pocket"].face)
    assert max(limit.depth_mm for limit in limits if limit.start_mm < 149 < limit.end_mm) < 3.2


def test_a_sensor_limits_the_depth_even_where_no_keep_out_names_it() -> None:
    sensor = Spot(name="light sensor", what="sensor", box=Box(x=20, y=2.0, width=4, height=2))
    (_, behind, _) = depth_limits("top", plain(spots=(sensor,)))
    assert (behind.start_mm, behind.end_mm, behind.depth_mm) == (20, 24, 1.9)


def test_depth_limits_cover_an_edge_from_end_to_end_with_a_reason_each() -> None:
    for model in [*models().values(), *templates().values()]:
        for edge in EDGES:
            limits = depth_limits(edge, model.face)
            assert limits[0].start_mm == 0
            assert limits[-1].end_mm == pytest.approx(Edge(edge).length(model.face.outline))
            assert all(a.end_mm == b.start_mm for a, b in itertools.pairwise(limits))
            assert all(said(limit.why) for limit in limits)


def test_a_face_without_data_says_what_cannot_be_computed() -> None:
    plan = plan_opening([], plain())
    assert any("where its cables run" in said(one) for one in plan.unknown)
    assert plan_opening([], HERON_FACE).unknown == ()


def test_the_share_near_damage_is_the_area_within_five_millimetres() -> None:
    """A straight crack right across 60 × 40: a strip of 10 × 40 of 2400 mm² (calc)."""
    plan = plan_opening([crack((30, 0), (30, 40))], plain())
    assert plan.share_near == pytest.approx(10 * 40 / 2400, abs=0.002)
    bottom = next(edge_plan for edge_plan in plan.edges if edge_plan.edge == "bottom")
    assert bottom.broken == pytest.approx(10 / 60, abs=0.002)
    assert plan.crack_mm == 40


def test_damage_is_named_by_corner() -> None:
    assert plan_opening([impact(3, 3, 4)], HERON_FACE).corners == ("top left",)


def test_marks_under_the_glass_and_on_the_back_break_no_glass() -> None:
    line = Mark(kind=MarkKind.LINE, points=tuple(points((0, 20), (70, 20))))
    dent = Mark(kind=MarkKind.DENT, points=tuple(points((3, 3))), reach_mm=4)
    plan = plan_opening([line, dent], HERON_FACE)
    assert plan.loose is Loose.NO
    assert plan.cup == plan_opening([], HERON_FACE).cup


# -- what must hold of every plan -----------------------------------------------------------------

coordinates = st.tuples(
    st.floats(0, 70.8).map(lambda v: round(v, 1)), st.floats(0, 146.2).map(lambda v: round(v, 1))
)
drawn = st.one_of(
    st.builds(lambda p, r: impact(p[0], p[1], r), coordinates, st.floats(0, 20).map(lambda v: round(v, 1))),
    st.lists(coordinates, min_size=2, max_size=4).map(lambda ps: crack(*ps)),
    st.lists(coordinates, min_size=3, max_size=4).map(lambda ps: missing(*ps)),
)
drawings = st.lists(drawn, max_size=8)


def radius(plan: OpeningPlan) -> float:
    return plan.largest.radius if plan.largest else 0.0


def distance(point: Point, line: Sequence[Point]) -> float:
    """Distance from a point to a broken line, by hand."""
    best = min(math.hypot(point.x - p.x, point.y - p.y) for p in line)
    for a, b in itertools.pairwise(line):
        span = (b.x - a.x) ** 2 + (b.y - a.y) ** 2
        if span:
            t = min(max(((point.x - a.x) * (b.x - a.x) + (point.y - a.y) * (b.y - a.y)) / span, 0), 1)
            best = min(best, math.hypot(point.x - a.x - t * (b.x - a.x), point.y - a.y - t * (b.y - a.y)))
    return best


@given(drawings, drawn)
def test_one_mark_more_never_makes_the_circle_larger(marks: list[Mark], more: Mark) -> None:
    assert radius(plan_opening([*marks, more], HERON_FACE)) <= radius(plan_opening(marks, HERON_FACE)) + 0.1


@given(drawings)
def test_the_cup_lies_on_glass_and_off_every_mark(marks: list[Mark]) -> None:
    plan = plan_opening(marks, HERON_FACE)
    if plan.cup is None:
        assert plan.start is not Start.CUP
        return
    reach, at, glass = plan.cup.diameter_mm / 2, plan.cup.at, HERON_FACE.glass
    assert glass.x + reach <= at.x <= glass.x + glass.width - reach
    assert glass.y + reach <= at.y <= glass.y + glass.height - reach
    for mark in marks:
        closed = (*mark.points, mark.points[0]) if mark.kind is MarkKind.MISSING else mark.points
        assert distance(at, closed) >= reach + mark.reach_mm - 1e-6
    assert plan.cup.diameter_mm in CUPS_MM


@given(drawings)
def test_no_plan_goes_deeper_than_the_catalogue_allows_or_enters_where_no_pick_may_go(
    marks: list[Mark],
) -> None:
    plan = plan_opening(marks, HERON_FACE)
    for reading in plan.edges:
        for stretch in reading.stretches:
            assert stretch.depth_mm <= HERON_FACE.edges[reading.edge].depth_mm
            middle = (stretch.start_mm + stretch.end_mm) / 2
            for keep in HERON_FACE.keep_outs:
                start, end = (
                    (keep.box.x, keep.box.x + keep.box.width)
                    if reading.edge in ("top", "bottom")
                    else (keep.box.y, keep.box.y + keep.box.height)
                )
                if keep.edge == reading.edge and start < middle < end:
                    assert stretch.depth_mm <= keep.depth_mm
    assert plan.entry
    assert Edge(plan.entry_edge).inset(plan.entry, HERON_FACE.glass) == pytest.approx(0)
    along = plan.entry.x if plan.entry_edge in ("top", "bottom") else plan.entry.y
    reading = next(edge_plan for edge_plan in plan.edges if edge_plan.edge == plan.entry_edge)
    assert any(s.start_mm <= along <= s.end_mm and s.depth_mm > 0 for s in reading.stretches)


# a quarter turn to the right, and a mirror from left to right
TURN = {"top": "right", "right": "bottom", "bottom": "left", "left": "top"}
MIRROR = {"top": "top", "bottom": "bottom", "left": "right", "right": "left"}


def turned(p: Point, face: Face) -> Point:
    return Point(x=face.height_mm - p.y, y=p.x)


def mirrored(p: Point, face: Face) -> Point:
    return Point(x=face.width_mm - p.x, y=p.y)


def carried_box(box: Box, face: Face, move: Any) -> Box:
    corners = [
        move(Point(x=x, y=y), face) for x in (box.x, box.x + box.width) for y in (box.y, box.y + box.height)
    ]
    x, y = min(c.x for c in corners), min(c.y for c in corners)
    return Box(x=x, y=y, width=max(c.x for c in corners) - x, height=max(c.y for c in corners) - y)


def carried(face: Face, move: Any, edges: dict[str, str]) -> Face:
    swap = move is turned
    return replace(
        face,
        width_mm=face.height_mm if swap else face.width_mm,
        height_mm=face.width_mm if swap else face.height_mm,
        glass=carried_box(face.glass, face, move),
        active=carried_box(face.active, face, move),
        opening_edge=edges[face.opening_edge],
        edges={edges[edge]: limit for edge, limit in face.edges.items()},
        spots=tuple(replace(s, box=carried_box(s.box, face, move)) for s in face.spots),
        keep_outs=tuple(
            replace(k, box=carried_box(k.box, face, move), edge=edges[k.edge]) for k in face.keep_outs
        ),
    )


# one keep-out a side and limits that differ, so that nothing is decided by the order of names alone
CROOKED = plain(
    61,
    43,
    corner_mm=4,
    opening_edge="bottom",
    edges={
        e: EdgeLimit(depth_mm=d, why=e)
        for e, d in (("top", 2.0), ("right", 2.5), ("bottom", 3.0), ("left", 1.5))
    },
    keep_outs=(
        KeepOut(name="cable", edge="right", box=Box(x=57, y=11, width=4, height=9), depth_mm=0.5, why="x"),
    ),
)
small = st.tuples(st.floats(0, 61).map(lambda v: round(v, 1)), st.floats(0, 43).map(lambda v: round(v, 1)))


@given(
    st.lists(st.lists(small, min_size=2, max_size=3).map(lambda ps: crack(*ps)), max_size=5),
    st.sampled_from([(turned, TURN), (mirrored, MIRROR)]),
)
@settings(max_examples=80)
def test_turning_and_mirroring_the_face_carries_the_plan_along(marks: list[Mark], how: Any) -> None:
    move, edges = how
    there = carried(CROOKED, move, edges)
    moved = [replace(m, points=tuple(move(p, CROOKED) for p in m.points)) for m in marks]
    one, other = plan_opening(marks, CROOKED), plan_opening(moved, there)
    assert radius(one) == pytest.approx(radius(other), abs=0.15)
    assert one.share_near == pytest.approx(other.share_near, abs=0.01)
    # a crack that passes just at a cell's reach may take one square millimetre of an edge more or less
    cell = 1.01 / min(CROOKED.width_mm, CROOKED.height_mm)
    assert {edges[e.edge]: e.broken for e in one.edges} == pytest.approx(
        {e.edge: e.broken for e in other.edges}, abs=cell
    )
    # a circle just as large as a cup needs, or two edges equally good, may fall either way by a hundredth of
    # a millimetre
    circles = [e.circle.radius for e in one.edges if e.circle]
    costs = sorted(e.broken + (0 if e.edge == CROOKED.opening_edge else 0.3) for e in one.edges)
    clear = all(abs(r - d / 2 - 1) > 1.2 for r in circles for d in CUPS_MM)
    if clear and all(b - a > 0.03 for a, b in itertools.pairwise(costs)):
        assert (one.start, edges[one.entry_edge]) == (other.start, other.entry_edge)
        assert set(other.order) == {edges[e] for e in one.order}


@given(drawings)
def test_every_drawing_of_a_known_face_is_sound_and_has_a_plan(marks: list[Mark]) -> None:
    assert check_marks(marks, HERON_FACE) == []
    plan = plan_opening(marks, HERON_FACE)
    assert said(plan.says)
    assert 0 <= plan.share_near <= 1


@pytest.mark.slow
def test_two_hundred_segments_are_read_within_the_budget() -> None:
    """Budget of the design, section 9: 50 ms. A machine that is busy takes twice as long for everything, so
    it is held against a floor in the same run, the best of fifteen each, by the processor's time: summing
    400,000 squares takes about 28 ms where the plan takes 34, and 50 ms are 1.8 of it.

    Marked slow only so that nothing else of this run competes with it.
    """
    import random

    chance = random.Random(4)
    face = models()[SLATE].face

    def segment() -> Mark:
        x, y, turn, long = (
            chance.uniform(20, 150),
            chance.uniform(20, 220),
            chance.uniform(0, 6.28),
            chance.uniform(3, 20),
        )
        return crack((x, y), (x + long * math.cos(turn), y + long * math.sin(turn)))

    marks = [segment() for _ in range(200)]
    plan_opening(marks[:3], face)

    def taken(work: Callable[[], object]) -> float:
        begun = time.process_time()
        work()
        return time.process_time() - begun

    floors, plans = [], []
    for _ in range(15):
        floors.append(taken(lambda: sum(number * number for number in range(400_000))))
        plans.append(taken(lambda: plan_opening(marks, face)))
    assert min(plans) <= 1.8 * min(floors)


# -- edges --------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("side", "at", "fine"),
    [
        (Side.TOP, (59, 9), True),
        (Side.TOP, (61, 5), False),
        (Side.LEFT, (39, 5), True),
        (Side.LEFT, (41, 5), False),
        (Side.RIGHT, (5, 11), False),
    ],
)
def test_a_mark_on_an_edge_lies_on_that_edge(side: Side, at: tuple[float, float], fine: bool) -> None:
    dent = Mark(kind=MarkKind.DENT, points=(Point(x=at[0], y=at[1]),), reach_mm=2, side=side)
    assert (check_marks([dent], plain()) == []) is fine
    assert said(dent.label).endswith(f"on the {side.value} edge")


def test_glass_breaks_on_the_front_and_the_back_not_on_an_edge() -> None:
    edge = Mark(kind=MarkKind.IMPACT, points=(Point(x=5, y=5),), reach_mm=2, side=Side.TOP)
    assert "on the front or the back" in str(check_marks([edge], plain())[0])
    assert not edge.breaks_glass


@pytest.mark.parametrize("side", [Side.FRONT, Side.RIGHT])
def test_where_no_cup_holds_an_edge_that_stands_open_is_the_start(side: Side) -> None:
    shattered = [crack((x, 0), (x, 40)) for x in range(0, 61, 6)] + [missing((2, 18), (4, 18), (4, 22))]
    ends = ((58, 10), (58, 24)) if side is Side.FRONT else ((10, 1), (24, 1))
    gap = Mark(kind=MarkKind.GAP, points=tuple(Point(x=x, y=y) for x, y in ends), side=side)
    assert plan_opening(shattered, plain()).start is Start.CHIP
    plan = plan_opening([*shattered, gap], plain())
    assert (plan.start, plan.entry_edge) == (Start.GAP, "right")
    assert plan.entry == Point(x=60, y=17)
    assert any("stands open at the right edge" in line for line in map(said, plan.says))
    never = plain(edges={**plain().edges, "right": EdgeLimit(depth_mm=0, why="cables")})
    assert plan_opening([*shattered, gap], never).start is Start.CHIP


@pytest.mark.parametrize("model_id", sorted(name for name, model in models().items() if model.cutting_tools))
def test_the_plan_and_the_sheet_say_the_same_tools_order_and_depths(model_id: str) -> None:
    """One source for how it is opened: what the plan says of a face, the steps that cut it say as well."""
    model = models()[model_id]
    plan = opening_plan(model, [])
    assert plan
    besides = [each.tool for each in model.opening_tools if each.use != "never"]
    allowed = {tool for each in besides for tool in each.split(" and ")}
    if "suction cup" not in {*model.cutting_tools, *allowed}:
        assert plan.cup is None
        assert plan.start is Start.TOOL
    cuts = [
        step
        for step in model.steps
        if CUTS.intersection(step.tools) and step.goes is Goes.OFF and "back cover" not in step.text
    ]
    round_it = [act.work.text for act in model.acts if act.id == "round"]
    text = " ".join([*(step.text for step in cuts), *round_it])
    said_edges = re.findall(r"\b(top|right|bottom|left)\b", text)
    in_order = [edge for edge in dict.fromkeys(said_edges) if edge in plan.order]
    assert in_order == [edge for edge in plan.order if edge in in_order]
    for step in cuts:
        for edge in plan.edges:
            [line] = [limit for limit in step.limits if limit.startswith(f"{edge.edge} edge:")]
            # the places of shorter stretches are no depths
            said_depths = re.findall(r"(?:: |, )([\d.]+) mm", line)
            depths = {float(depth) for depth in said_depths} | ({0.0} if "no pick" in line else set())
            assert depths <= {stretch.depth_mm for stretch in edge.stretches}
            assert min(stretch.depth_mm for stretch in edge.stretches) in depths
