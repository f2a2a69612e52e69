"""What the device under test says of itself: touch against brute-force rasters, bars against a simulated
rolling shutter, pixel classes against the standards' tables, dust by places.
"""

from __future__ import annotations

import math
import random
from dataclasses import replace
from decimal import Decimal

import numpy as np
import pytest
from builders import HERON, models, said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.maths.geometry import Box, Edge, Point
from sutura.core.maths.plane import areas
from sutura.core.proof.bars import contrast_of, read_bars, vanishing
from sutura.core.proof.dust import SAME_MM, check_accepted, read_dust
from sutura.core.proof.picture import (
    CLASSES,
    PixelFault,
    SeenFault,
    Standard,
    allowed,
    class_of,
    read_picture,
    uneven_fields,
)
from sutura.core.proof.sealing import (
    PLACES,
    SEALING_CAN_BREAK,
    Corner,
    Felt,
    Look,
    functions_of,
    looks_of,
    read_felt,
    said_of,
)
from sutura.core.proof.touch import (
    EDGE_MM,
    FINGER_MM,
    GAP_MM,
    GAP_MS,
    LEAST_MM2,
    Stroke,
    Touch,
    ZoneChange,
    compare_zones,
    edge_strips,
    gaps_of,
    line_of,
    read_touch,
)
from sutura.core.values import Outcome

BOX = Box(x=0, y=0, width=64.4, height=138.6)
SMALL = Box(x=3, y=4, width=30, height=40)


def drawn(*places: tuple[float, float], every_ms: float = 16) -> list[Touch]:
    return [Touch(at_ms=number * every_ms, x=x, y=y) for number, (x, y) in enumerate(places)]


def zigzag(box: Box, step: float = 6.0, skip: Box | None = None) -> list[Stroke]:
    """Lines down the picture, reported each 3 mm; none inside of `skip`, where the finger is lost."""
    strokes: list[Stroke] = []
    x = box.x
    while x <= box.x + box.width + step:
        across = min(x, box.x + box.width)
        places = [(across, box.y + y) for y in np.arange(0, box.height + 1.5, 3)]
        reports = [
            Touch(at_ms=16 * number, x=px, y=py)
            for number, (px, py) in enumerate(places)
            if not (skip and skip.holds(Point(x=px, y=py)))
        ]
        strokes.append(reports)
        x += step
    return strokes


# -- coverage ------------------------------------------------------------------------------------------------


def raster_share(box: Box, strokes: list[Stroke], cell: float = 0.2) -> float:
    """How much is felt, cell by cell: one whose middle is within half a finger of a piece of a stroke."""
    xs = np.arange(box.x + cell / 2, box.x + box.width, cell)
    ys = np.arange(box.y + cell / 2, box.y + box.height, cell)
    x, y = np.meshgrid(xs, ys)
    felt = np.zeros(x.shape, bool)
    for stroke in strokes:
        for before, after in zip(stroke, [*stroke[1:], stroke[-1]], strict=True):
            far = math.hypot(after.x - before.x, after.y - before.y)
            jumped = far > GAP_MM or (after.at_ms - before.at_ms > GAP_MS and far > FINGER_MM / 4)
            ends = [(before, before), (after, after)] if jumped else [(before, after)]
            for a, b in ends:
                length2 = (b.x - a.x) ** 2 + (b.y - a.y) ** 2
                along = 0 if not length2 else ((x - a.x) * (b.x - a.x) + (y - a.y) * (b.y - a.y)) / length2
                along = np.clip(along, 0, 1)
                off = np.hypot(x - a.x - along * (b.x - a.x), y - a.y - along * (b.y - a.y))
                felt |= off <= FINGER_MM / 2
    return float(felt.mean())


def random_strokes(seed: int, box: Box) -> list[Stroke]:
    chance = random.Random(seed)
    strokes: list[Stroke] = []
    for _ in range(chance.randint(1, 6)):
        x, y, at = box.x + chance.random() * box.width, box.y + chance.random() * box.height, 0.0
        stroke = []
        for _ in range(chance.randint(1, 30)):
            stroke.append(Touch(at_ms=at, x=x, y=y))
            x += chance.uniform(-5, 6)
            y += chance.uniform(-5, 6)
            at += chance.choice([8, 16, 16, 33, 200])
        strokes.append(stroke)
    return strokes


@pytest.mark.parametrize("seed", range(40))
def test_coverage_is_what_a_raster_counts(seed: int) -> None:
    """Cells of 0.2 mm; both may differ by what lies along the outlines: half a point of a hundred."""
    strokes = random_strokes(seed, SMALL)
    assert read_touch(SMALL, strokes).share == pytest.approx(raster_share(SMALL, strokes), abs=0.005)


@given(st.integers(0, 10_000), st.integers(0, 10_000))
def test_more_strokes_never_cover_less(one: int, two: int) -> None:
    first = random_strokes(one, SMALL)
    more = read_touch(SMALL, [*first, *random_strokes(two, SMALL)])
    assert more.share >= read_touch(SMALL, first).share - 1e-9


@given(st.integers(0, 10_000))
def test_mirrored_turned_and_larger_devices_mirror_turn_and_enlarge_the_map(seed: int) -> None:
    strokes = random_strokes(seed, SMALL)
    here = read_touch(SMALL, strokes)
    middle = 2 * SMALL.x + SMALL.width
    mirrored = read_touch(SMALL, [[replace(t, x=middle - t.x) for t in stroke] for stroke in strokes])
    assert mirrored.share == pytest.approx(here.share, abs=1e-6)
    assert mirrored.edges[Edge.LEFT] == pytest.approx(here.edges[Edge.RIGHT], abs=1e-6)
    assert mirrored.edges[Edge.TOP] == pytest.approx(here.edges[Edge.TOP], abs=1e-6)
    turned_box = Box(x=SMALL.y, y=SMALL.x, width=SMALL.height, height=SMALL.width)
    turned = read_touch(turned_box, [[replace(t, x=t.y, y=t.x) for t in stroke] for stroke in strokes])
    assert turned.share == pytest.approx(here.share, abs=1e-6)
    assert turned.edges[Edge.LEFT] == pytest.approx(here.edges[Edge.TOP], abs=1e-6)
    assert sorted(round(patch.mm2, 4) for patch in turned.bare) == sorted(
        round(patch.mm2, 4) for patch in here.bare
    )


@given(st.floats(0, 50), st.floats(0, 120), st.floats(11, 14.4), st.floats(11, 18.6), st.booleans())
def test_a_dead_zone_that_no_finger_is_felt_in_is_always_found(
    x: float, y: float, wide: float, high: float, at_the_edge: bool
) -> None:
    """Lines every 6 mm over all of it, lost in the zone: it is found, where it is, whether anybody says that
    all was drawn or not – a finger goes across it – unless it ends at the edge.
    """
    zone = Box(x=x, y=0 if at_the_edge else y, width=wide, height=high)
    found = read_touch(BOX, zigzag(BOX, skip=zone), ghosts=(), all_drawn=True)
    assert found.outcome is Outcome.FAULTY
    middle = Point(x=zone.x + wide / 2, y=zone.y + high / 2)
    assert any(
        patch.box.x - 4 <= middle.x <= patch.box.x + patch.box.width + 4
        and patch.box.y - 4 <= middle.y <= patch.box.y + patch.box.height + 4
        for patch in found.bare
    )


def test_sound_faulty_and_not_known_are_three_things() -> None:
    whole = zigzag(BOX)
    sound = read_touch(BOX, whole, ghosts=(), fingers=2)
    assert (sound.outcome, [said(one) for one in sound.reasons]) == (
        Outcome.WORKS,
        ["100 % of the picture felt every finger"],
    )
    # nobody left it alone: not known to be free of ghosts, and not blamed
    assert read_touch(BOX, whole).outcome is Outcome.NOT_TESTABLE
    half = read_touch(BOX, zigzag(Box(x=0, y=0, width=64.4, height=70)), ghosts=())
    assert half.outcome is Outcome.NOT_TESTABLE
    assert "not drawn over yet" in said(half.reasons[0])
    insisted = read_touch(BOX, zigzag(Box(x=0, y=0, width=64.4, height=70)), ghosts=(), all_drawn=True)
    assert insisted.outcome is Outcome.FAULTY
    assert any("bottom edge answers on 0 of 100" in said(one) for one in insisted.reasons)
    ghost = read_touch(BOX, whole, ghosts=drawn((5, 7)))
    assert "1 touches while nobody touched, the first at 5, 7 mm" in said(ghost.reasons[0])
    assert read_touch(BOX, whole, ghosts=(), fingers=1).outcome is Outcome.FAULTY
    assert read_touch(BOX, whole, ghosts=(), fingers=4, expects_fingers=5).outcome is Outcome.FAULTY
    assert read_touch(BOX, whole, ghosts=(), fingers=5, expects_fingers=5).outcome is Outcome.WORKS
    bent = drawn(*((x, 3 * math.sin(x / 10)) for x in map(float, range(0, 60, 3))))
    assert read_touch(BOX, whole, ghosts=(), line=bent).outcome is Outcome.FAULTY
    assert read_touch(BOX, [], ghosts=()).share == 0
    assert read_touch(BOX, [], ghosts=()).outcome is Outcome.NOT_TESTABLE


def test_a_dead_strip_that_a_finger_crosses_is_faulty_without_anybody_saying_so() -> None:
    """W01: a strip 12 mm high across the middle."""
    strip = Box(x=0, y=60, width=64.4, height=12)
    found = read_touch(BOX, zigzag(BOX, skip=strip), ghosts=())
    assert found.outcome is Outcome.FAULTY
    [dead] = found.bare
    assert dead.box.width == pytest.approx(64.4)
    # felt from 57 mm and to 75 mm, half a finger of each
    assert dead.box.y == pytest.approx(60 - 3 + 4, abs=2)
    assert said(found.reasons[0]).startswith(f"a place of {dead.mm2:.0f} mm²")


@pytest.mark.parametrize(
    ("places", "ms", "gaps"),
    [
        ([(0, 0), (GAP_MM, 0)], 16, 0),
        ([(0, 0), (GAP_MM + 0.01, 0)], 16, 1),
        ([(0, 0), (2.0, 0)], GAP_MS + 1, 0),
        ([(0, 0), (2.1, 0)], GAP_MS, 0),
        ([(0, 0), (2.1, 0)], GAP_MS + 1, 1),
        # a finger that rests is no gap
        ([(0, 0), (0, 0)], 5_000, 0),
    ],
)
def test_a_gap_is_far_or_long(places: list[tuple[float, float]], ms: float, gaps: int) -> None:
    assert len(gaps_of(drawn(*places, every_ms=ms))) == gaps


def test_a_bare_place_counts_from_nine_square_millimetres() -> None:
    """A strip beside a covered area: 40 mm long and as wide as it is left."""
    for wide, found in ((LEAST_MM2 / 40 + 0.02, 1), (LEAST_MM2 / 40 - 0.02, 0)):
        box = Box(x=0, y=0, width=FINGER_MM + wide, height=40)
        line = [drawn((4, -4), (4, 4), (4, 12), (4, 20), (4, 28), (4, 36), (4, 44))]
        bare = read_touch(box, line).bare
        assert sum(patch.box.x >= 4 for patch in bare) == found


def test_an_outline_that_is_shown_stays_within_a_tenth_of_a_millimetre_of_its_own() -> None:
    """A round hole of 30 mm, felt all round it: 120 corners at most, each on the circle of 26 mm that no
    finger reached.
    """
    ring = [drawn(*((32 + 30 * math.cos(t / 40), 70 + 30 * math.sin(t / 40)) for t in range(260)))]
    inner = min(read_touch(BOX, ring).bare, key=lambda patch: abs(patch.box.width - 52))
    assert len(inner.outline) <= 160
    for one in inner.outline:
        assert math.hypot(one.x - 32, one.y - 70) == pytest.approx(26, abs=0.12)
    assert inner.mm2 == pytest.approx(math.pi * 26**2, rel=0.01)


def test_edges_are_looked_at_apart() -> None:
    strips = edge_strips(BOX)
    assert strips[Edge.RIGHT] == Box(x=64.4 - EDGE_MM, y=0, width=EDGE_MM, height=138.6)
    assert strips[Edge.BOTTOM].y == 138.6 - EDGE_MM
    tiny = edge_strips(Box(x=0, y=0, width=3, height=2))
    assert (tiny[Edge.LEFT].width, tiny[Edge.TOP].height) == (3, 2)
    inner = Box(x=9, y=0, width=64.4 - 9, height=138.6)
    found = read_touch(BOX, zigzag(inner), ghosts=(), all_drawn=True)
    assert found.edges[Edge.LEFT] == 0
    assert found.edges[Edge.RIGHT] == pytest.approx(1)


def test_a_straight_stroke_is_measured_whichever_way_it_lies() -> None:
    assert line_of(drawn((0, 0), (1, 1), (2, 2), (3, 3))) is None
    for turn in (0.0, 0.4, math.pi / 2, 2.0):
        exact = [(t * math.cos(turn), t * math.sin(turn)) for t in range(20)]
        line = line_of(drawn(*exact))
        assert line
        assert line.off_mm == pytest.approx(0, abs=1e-9)
        # one report 1 mm to the side of a line of twenty: off by 1 less what the line gives way
        off = [
            (x - math.sin(turn) * (n == 10), y + math.cos(turn) * (n == 10)) for n, (x, y) in enumerate(exact)
        ]
        shaken = line_of(drawn(*off))
        assert shaken
        assert 0.9 <= shaken.off_mm <= 1
        # 1, −½ and −½ among eighteen: √(1.5 ÷ 18)
        assert shaken.jitter_mm == pytest.approx(math.sqrt(1.5 / 18), abs=0.005)


def square(x: float, y: float, side: float) -> list[Point]:
    return [Point(x=x, y=y), Point(x=x + side, y=y), Point(x=x + side, y=y + side), Point(x=x, y=y + side)]


def test_dead_zones_of_then_and_now_are_told_apart() -> None:
    then = [square(0, 0, 10), square(40, 0, 10)]
    found = compare_zones(then, [square(0, 5, 10), square(41, 1, 3), square(0, 60, 5)])
    assert [(zone.change, round(zone.share, 3)) for zone in found] == [
        (ZoneChange.SAME, 0.5),
        (ZoneChange.IMPROVED, 0.09),
        (ZoneChange.NEW, 1.0),
    ]
    assert [zone.change for zone in compare_zones([square(0, 0, 10)], [square(0, 5.1, 10)])] == [
        ZoneChange.IMPROVED
    ]
    # a tenth in common is new all the same, more is that of then grown
    assert compare_zones([square(0, 0, 10)], [square(9, 0, 10)])[1].change is ZoneChange.NEW
    assert len(compare_zones([square(0, 0, 10)], [square(8.9, 0, 10)])) == 1
    assert compare_zones([], []) == ()
    assert areas([square(0, 0, 2)]).area == 4


# -- pixels --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("wide", "high", "most"),
    [
        (1024, 768, (2, 2, 4)),
        (1280, 1024, (3, 3, 7)),
        (1680, 1050, (4, 4, 9)),
        (1920, 1080, (4, 4, 10)),
        (1920, 1200, (5, 5, 12)),
    ],
)
def test_class_two_of_the_older_standard_allows_what_is_published(
    wide: int, high: int, most: tuple[int, int, int]
) -> None:
    """Source: ISO 13406-2 class II scaled and rounded to the nearest, from memory."""
    assert tuple(allowed(Standard.BEFORE, "II", wide * high).values()) == most


def test_the_tables_are_those_of_the_standards() -> None:
    """Source: ISO 13406-2:2001 and ISO 9241-307:2008, per million pixels, from memory."""
    assert CLASSES[Standard.BEFORE] == {
        "I": (0, 0, 0),
        "II": (2, 2, 5),
        "III": (5, 15, 50),
        "IV": (50, 150, 500),
    }
    assert CLASSES[Standard.NOW]["0"] == (0, 0, 0)
    assert [CLASSES[Standard.NOW][name] for name in ("II", "III", "IV")] == [
        CLASSES[Standard.BEFORE][name] for name in ("II", "III", "IV")
    ]


def test_a_count_is_of_the_best_class_that_it_keeps() -> None:
    full = 1920 * 1080
    assert class_of(Standard.NOW, {}, full) == "0"
    assert class_of(Standard.NOW, {PixelFault.BRIGHT: 2}, full) == "I"
    assert class_of(Standard.NOW, {PixelFault.BRIGHT: 4, PixelFault.SUB: 10}, full) == "II"
    assert class_of(Standard.NOW, {PixelFault.BRIGHT: 5}, full) == "III"
    assert class_of(Standard.NOW, {PixelFault.DARK: 32}, full) == "IV"
    assert class_of(Standard.NOW, {PixelFault.SUB: 2_000}, full) == ""
    good = read_picture(full, {PixelFault.BRIGHT: 4}, {})
    assert (good.outcome, good.classes[Standard.NOW]) == (Outcome.WORKS, "II")
    assert good.per_million[PixelFault.BRIGHT] == pytest.approx(1.929, abs=0.001)
    assert read_picture(full, {PixelFault.BRIGHT: 5}, {}).outcome is Outcome.FAULTY
    assert read_picture(full, {}, {SeenFault.LINE: 1}).outcome is Outcome.FAULTY
    assert read_picture(full, {}, {SeenFault.LINE: 0}).outcome is Outcome.WORKS
    assert read_picture(full, {}, {}, uneven=[3]).outcome is Outcome.FAULTY
    assert read_picture(full, {}, {}, shown=False).outcome is Outcome.NOT_TESTABLE
    # nobody knows how many pixels it has: one fault is not judged, none is fine
    assert read_picture(None, {PixelFault.DARK: 1}, {}).outcome is Outcome.NOT_TESTABLE
    assert read_picture(None, {}, {}).outcome is Outcome.WORKS
    assert uneven_fields([1.0] * 8 + [0.7]) == ()
    assert uneven_fields([0.0] * 9) == uneven_fields([]) == ()


# -- dust ----------------------------------------------------------------------------------------------------


def test_w17_three_looks_until_it_is_clean() -> None:
    """W17: four specks; two gone and one at the same place again; then that one is lifted out."""
    first = [Point(x=10, y=10), Point(x=20, y=10), Point(x=30, y=10), Point(x=40, y=40)]
    second = [Point(x=10, y=11), Point(x=60, y=60)]
    found = read_dust([first, second])
    assert [(len(one.new), len(one.back), one.gone) for one in found.rounds] == [(4, 0, 0), (1, 1, 3)]
    assert found.rounds[1].back == ((Point(x=10, y=11), 2),)
    assert "1 came back at the same place" in said(found.says)
    assert not found.done
    third = read_dust([first, second, []])
    assert (third.clean, third.done, said(third.says)) == (True, True, "Clean after 3 looks")
    assert read_dust([first, second], "below the bezel, not seen").done
    assert said(read_dust([]).says).startswith("Look at it")
    assert said(read_dust([first]).says) == "4 new: clean it, and look again"
    apart = [[Point(x=10 * n, y=0)] for n in range(5)]
    assert "blow the frame out" in said(read_dust(apart).says)
    assert "look again" in said(read_dust(apart[:4]).says)


def test_a_speck_is_the_same_within_a_millimetre_and_a_half_and_each_once() -> None:
    for off, back in ((SAME_MM, 1), (SAME_MM + 0.01, 0)):
        found = read_dust([[Point(x=0, y=0)], [Point(x=off, y=0)]])
        assert len(found.rounds[1].back) == back
    pair = read_dust([[Point(x=0, y=0)], [Point(x=1, y=0), Point(x=0.2, y=0)]])
    assert [speck.x for speck, _ in pair.rounds[1].back] == [0.2]
    thrice = read_dust([[Point(x=0, y=0)]] * 3)
    assert thrice.rounds[2].back[0][1] == 3


def test_what_is_left_is_accepted_only_with_a_reason() -> None:
    check_accepted("hidden by the bezel", [[Point(x=0, y=0)]])
    for reason, looks in (("why", [[Point(x=0, y=0)]]), ("nothing there", [[]]), ("nothing there", [])):
        with pytest.raises(Invalid):
            check_accepted(reason, looks)


# -- bars ----------------------------------------------------------------------------------------------------


def rolling_shutter(
    exposure: float, pulses: float, duty: float, reading: float, lines: int = 400
) -> np.ndarray:
    """How bright each line of a photo is: light summed in short steps while it is open."""
    step = 1 / pulses / 400
    bright = []
    for line in range(lines):
        at = line * reading / lines + np.arange(0, exposure, step)
        bright.append(float(((at * pulses) % 1 < duty).sum()) * step)
    return np.array(bright)


@pytest.mark.parametrize("seed", range(25))
def test_bars_are_as_strong_as_a_simulated_shutter_makes_them(seed: int) -> None:
    chance = random.Random(seed)
    pulses, duty = chance.choice([60, 90, 120, 240, 480]), chance.uniform(0.2, 0.9)
    exposure = chance.choice([1 / 30, 1 / 60, 1 / 125, 1 / 250, 1 / 500, 1 / 90])
    bright = rolling_shutter(exposure, pulses, duty, 0.03)
    simulated = (bright.max() - bright.min()) / bright.max()
    assert contrast_of(exposure, pulses, duty) == pytest.approx(simulated, abs=0.02)


def test_w13_the_camera_makes_the_bars_and_1_60_s_does_not() -> None:
    """A panel that pulses 240 times a second, photographed at 1/500 s in 30 ms: seven bars."""
    found = read_bars(1 / 500, 240, 0.03)
    assert found.appear
    assert found.count == pytest.approx(7.2)
    assert found.shutters[0] == 240
    assert 60 in found.shutters
    assert 250 not in found.shutters
    assert "no fault is booked" in said(found.says)
    even = read_bars(1 / 60, 240, 0.03)
    assert not even.appear
    assert "to be looked at by eye" in said(even.says)
    assert read_bars(1 / 500, 240, 0.03, duty=1.0).contrast == 0
    assert "no usual exposure" in said(read_bars(1 / 500, 13.7, 0.03).says) or vanishing(13.7, 0.5)


@pytest.mark.parametrize(
    ("values", "field"),
    [
        ((0, 240, 0.03), "exposure"),
        ((11, 240, 0.03), "exposure"),
        ((0.01, 9, 0.03), "pulses"),
        ((0.01, 240, 2), "reading"),
    ],
)
def test_what_no_camera_has_is_refused(values: tuple[float, float, float], field: str) -> None:
    with pytest.raises(Invalid) as refused:
        read_bars(*values)
    assert refused.value.field == field


# -- sealing -------------------------------------------------------------------------------------------------


def test_what_is_skipped_is_what_the_construction_rules_out() -> None:
    model = models()[HERON]
    assert looks_of(model, cure_minutes=0) == (Look.BEFORE_SEALING, Look.AFTER_SEALING)
    assert looks_of(model, cure_minutes=45) == (Look.BEFORE_SEALING, Look.AFTER_SEALING, Look.AFTER_CURE)
    assert looks_of(replace(model, closed_test=True), cure_minutes=0) == (Look.AFTER_SEALING,)
    blind = replace(model, functions=tuple(one for one in model.functions if one.id != "touch"))
    assert looks_of(blind, cure_minutes=45) == (Look.BEFORE_SEALING, Look.AFTER_SEALING)
    assert [one.id for one in functions_of(model, Look.AFTER_CURE)] == ["touch"]
    # nothing was tested before: everything is asked
    assert functions_of(model, Look.AFTER_SEALING) == model.functions
    proved = frozenset(one.id for one in model.functions)
    again = [one.id for one in functions_of(model, Look.AFTER_SEALING, proved)]
    assert again == [one.id for one in model.functions if one.id in SEALING_CAN_BREAK]
    assert "touch" in again
    assert "buttons" not in again
    # one that could not be tested then is asked now
    rest = functions_of(model, Look.AFTER_SEALING, proved - {"buttons"})
    assert "buttons" in [one.id for one in rest]


def test_a_sealed_screen_is_flush_within_its_limits_and_unknown_is_not() -> None:
    typed = {f"flush.{place}": "yes" for place in PLACES}
    felt = read_felt({**typed, "gap.top": "0.15", "step.top": "-0.10"})
    assert said_of(felt) == ()
    wrong = read_felt({**typed, "gap.top": "0.16", "step.left": "0,11", "flush.bottom_left": "no"})
    assert [said(one) for one in said_of(wrong)] == [
        "top: gapes 0.16 mm, stands out 0 mm",
        "bottom left corner is not flush",
        "left: gapes 0 mm, stands out 0.11 mm",
    ]
    with pytest.raises(ManyInvalid) as refused:
        read_felt({**typed, "flush.top_right": "", "gap.right": "-1", "step.right": "6", "gap.bottom": "x"})
    assert sorted(one.field for one in refused.value.problems) == [
        "flush.top_right",
        "gap.bottom",
        "gap.right",
        "step.right",
    ]
    assert not Felt(place=Corner.TOP_LEFT, gap_mm=None, step_mm=Decimal("-0.11"), flush=True).good
