"""A model that has the right shape and makes no sense is refused with every place."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import pytest
from builders import HERON, SLATE, models, said, templates, written
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.bench.compiling import with_sheet
from sutura.core.bench.steps import every_step
from sutura.core.catalogue.cautions import CAUTIONS
from sutura.core.catalogue.kin import Kinship, differences, kinship, siblings_of, tell_apart
from sutura.core.catalogue.model import Model, Phase, Plug
from sutura.core.catalogue.problems import problems_of
from sutura.core.catalogue.unlisted import (
    Measured,
    active_area,
    check_measured,
    read_measured,
    unlisted_model,
)
from sutura.core.facts import fact
from sutura.core.matching.attributes import need_lines
from sutura.core.maths.geometry import Box

MODEL = models()[HERON]


def places(model: Model) -> list[str]:
    return [problem.field for problem in problems_of(model)]


# a sheet written step by step
WRITTEN = written()[HERON]


def with_step(step_id: str, **changes: object) -> Model:
    steps = tuple(replace(step, **changes) if step.id == step_id else step for step in WRITTEN.steps)  # type: ignore[arg-type]
    return replace(WRITTEN, steps=steps)


@pytest.mark.parametrize("model_id", list(models()))
def test_shipped_models_make_sense(model_id: str) -> None:
    assert problems_of(models()[model_id]) == []


def test_screws_that_never_go_back_are_refused() -> None:
    assert "screws[0]" in places(with_step("bottom-in", screws="", screws_in=False))


def test_a_connector_before_the_battery_is_refused() -> None:
    off = with_step("battery-off", plug=None)
    assert any(place.endswith(".plug") for place in places(off))


def test_a_connector_left_off_is_refused() -> None:
    assert "steps" in places(with_step("touch-on", plug=Plug(name="display", on=True)))


def test_what_stands_in_the_place_of_the_battery_is_quoted() -> None:
    """The battery comes off first and goes on last; where another does, its name is said."""
    off, on = with_step("battery-off", plug=None), with_step("battery-on", plug=None)

    def said_of(model: Model, fact_id: str) -> str:
        return next(str(one.refused) for one in problems_of(model) if one.accepts == fact(fact_id))

    first = next(step.plug.name for step in off.steps if step.plug)
    last = [step.plug.name for step in on.steps if step.plug][-1]
    assert said_of(off, "catalogue.take-battery-off-before-any-other") == first
    assert said_of(on, "catalogue.put-battery-after-every-other-connector") == last
    bare = replace(WRITTEN, steps=tuple(replace(step, plug=None) for step in WRITTEN.steps))
    assert said_of(bare, "catalogue.put-battery-after-every-other-connector") == ""


def test_a_sheet_has_one_proof_before_closing() -> None:
    assert "steps" in places(with_step("proof", phase=Phase.CLOSE))
    assert any(place.endswith(".phase") for place in places(with_step("cards-out", phase=Phase.CLOSE)))


def test_unknown_names_are_refused_at_their_place() -> None:
    assert "steps[0].cautions[0]" in places(with_step("cards-out", cautions=("sharks",)))
    assert "steps[0].screws" in places(with_step("cards-out", screws="nowhere"))
    assert "rework[0]" in places(replace(WRITTEN, rework=("nowhere",)))
    assert "functions[0].id" in places(replace(MODEL, functions=MODEL.functions[:1] * 2))


def test_what_lies_outside_the_outline_is_refused() -> None:
    face = replace(MODEL.face, active=Box(x=10, y=10, width=70, height=10))
    assert places(replace(MODEL, face=face)) == ["face.active"]


def test_the_heat_of_every_step_stays_at_or_below_the_shops_limit() -> None:
    """Check-values section 1 (common practice): phone edge 60 °C, pad 70 °C, plate 90 °C for 3 min, glass
    splitting
    200 °F = 93.3 °C, big tablet 20 min on a plate, player 5 s."""
    trade = {"pad": 70, "plate": 93, "hair dryer": 60, "heat gun": 60}
    for model in models().values():
        for step in model.steps:
            if step.heat:
                assert step.heat.target_c <= trade[step.heat.with_what], (model.id, step.id)
                assert "hot" in step.cautions
    plate = next(step for step in models()[SLATE].steps if step.heat)
    assert plate.heat
    assert plate.heat.minutes == 20


def test_pick_limits_stay_under_an_eighth_of_an_inch() -> None:
    """Check-values section 1 (common practice): 1/8 in = 3.175 mm near a sensor."""
    assert all(keep.depth_mm <= 3.175 for model in models().values() for keep in model.face.keep_outs)


def test_contact_glue_is_ruled_out_for_the_tablet_with_the_reason() -> None:
    assert "creeps" in models()[SLATE].seals_ruled_out["contact glue"]


def test_battery_steps_carry_the_cell_caution() -> None:
    for model in models().values():
        off = next(step for step in model.steps if step.plug and step.plug.battery and not step.plug.on)
        assert "cell" in off.cautions
    assert "local fire and waste rules" in CAUTIONS["cell"][1]


# -- siblings: work samples W01 and W02 ------------------------------------------------------

HERON_L = models()["fennick-heron-l"]


def test_w02_shares_the_steps_of_w01_and_not_its_parts() -> None:
    (sibling,) = siblings_of(MODEL, models().values())
    assert (sibling.model.id, sibling.kinship) == ("fennick-heron-l", Kinship.STEPS)


def test_w02_has_one_shield_and_two_screws_more_and_the_page_lists_them() -> None:
    """Work sample W02: one shield and two screws more, other part family; W01 has 12 screws."""
    assert [sum(group.count for group in model.screws) for model in (MODEL, HERON_L)] == [12, 14]
    found = {
        said(difference.what): (said(difference.here), said(difference.there))
        for difference in differences(MODEL, HERON_L)
    }
    assert found["screws, sensor connector shield, at the top"] == ("no", "2 × 1.1 mm, three-wing")
    assert found["part family"] == ("heron-front", "heron-l-front")
    assert found["resolution"] == ("1170×2532", "1284×2778")
    assert not {what for what in found if what.startswith("function")}


def test_a_model_does_not_differ_from_itself() -> None:
    assert differences(MODEL, MODEL) == []


def test_models_without_a_family_in_common_are_no_siblings() -> None:
    assert kinship(MODEL, models()[SLATE]) is None
    assert kinship(MODEL, replace(MODEL, id="x")) is Kinship.BOTH
    assert kinship(MODEL, replace(MODEL, id="x", procedure_family="other")) is Kinship.PARTS


def test_w18_siblings_share_every_step_and_no_part() -> None:
    """Work sample W18; whole front in about 10 minutes (check-values section 1, common practice)."""
    finch, second = models()["fennick-finch"], models()["fennick-finch-2"]
    assert kinship(finch, second) is Kinship.STEPS
    assert finch.steps == second.steps
    assert finch.part_family != second.part_family
    assert finch.minutes == second.minutes == 10
    plugs = [(step.plug.name, step.plug.on) for step in finch.steps if step.plug and not step.plug.battery]
    off, on = [name for name, back in plugs if not back], [name for name, back in plugs if back]
    assert off == ["1 display", "2 touch", "3 earpiece"]
    assert on == off[::-1]


# -- limits, seals, looks -------------------------------------------------------------------


def test_a_step_hotter_than_its_place_allows_is_refused() -> None:
    heat = next(step.heat for step in WRITTEN.steps if step.heat)
    hot = replace(heat, target_c=61)
    assert [p for p in places(with_step("warm", heat=hot)) if "heat" in p] == ["steps[3].heat.target_c"]
    nowhere = replace(hot, where="the sun")
    assert "steps[3].heat.where" in places(with_step("warm", heat=nowhere))


def test_a_connector_nobody_described_is_refused() -> None:
    assert "steps[7].plug.name" in places(replace(WRITTEN, connectors=MODEL.connectors[1:]))
    assert places(replace(MODEL, connectors=MODEL.connectors[1:])) == ["pieces[3].plug"]


def test_a_screw_group_has_a_place_for_each_screw_or_none() -> None:
    first = MODEL.screws[0]
    assert places(replace(MODEL, screws=(replace(first, at=first.at[1:]), *MODEL.screws[1:]))) == [
        "screws[0].at"
    ]
    assert places(replace(MODEL, screws=(replace(first, at=()), *MODEL.screws[1:]))) == []


def test_a_step_that_needs_another_stands_after_it() -> None:
    """Work sample W05: the retention bracket must lie under two of the screws: bracket before screws."""
    mid = models()["ardale-foil-13-mid"]
    order = [step.id for step in mid.steps]
    hinges = [step for step in mid.steps if "bracket" in step.after]
    assert {step.id for step in hinges} >= {"hinge-left-first", "hinge-right-first"}
    assert all(order.index("bracket") < order.index(step.id) for step in hinges)
    moved = with_step("cards-out", after=("bottom-out",))
    assert any(place.endswith(".after[0]") for place in places(moved))


def test_a_device_tested_only_once_closed_needs_a_second_look() -> None:
    """Work sample W04: cannot be tested before it is closed, so second-look steps: a sheet written without
    one is refused, a sheet that is worked out has one put in.
    """
    pocket = models()["bramling-pocket"]
    assert pocket.closed_test
    assert places(replace(WRITTEN, closed_test=True)) == ["closed_test"]
    blind = with_sheet(replace(pocket, acts=tuple(act for act in pocket.acts if not act.second_look)))
    order = [step.id for step in blind.steps]
    assert [step.id for step in blind.steps if step.second_look] == ["second-look"]
    assert (
        order.index("battery-on") < order.index("second-look") < order.index("back-on") < order.index("proof")
    )


def test_the_usual_seal_is_allowed_with_its_own_cure_and_not_ruled_out() -> None:
    assert "seal" in places(replace(MODEL, seal="chewing gum"))
    assert "cure_minutes" in places(replace(MODEL, cure_minutes=7))
    assert "seals_ruled_out.2 mm tape" in places(replace(MODEL, seals_ruled_out={"2 mm tape": "why not"}))


def test_the_picture_lies_inside_the_glass_and_the_corner_inside_the_outline() -> None:
    face = replace(MODEL.face, glass=Box(x=5, y=5, width=50, height=50))
    assert places(replace(MODEL, face=face)) == ["face.active"]
    assert places(replace(MODEL, face=replace(MODEL.face, corner_mm=36))) == ["face.corner_mm"]
    half = min(MODEL.face.width_mm, MODEL.face.height_mm) / 2
    assert places(replace(MODEL, face=replace(MODEL.face, corner_mm=half))) == []


def test_nothing_is_opened_at_an_edge_where_no_pick_may_go() -> None:
    ember = models()["quillon-ember"]
    assert places(replace(ember, face=replace(ember.face, opening_edge="right"))) == ["face.opening_edge"]


def test_siblings_are_told_apart_by_what_can_be_seen_and_measured() -> None:
    told = {said(one.look_at): one.looks for one in tell_apart([MODEL, HERON_L])}
    assert told["back cover"]["Fennick Heron"] != told["back cover"]["Fennick Heron L"]
    assert told["width, with a ruler"] == {"Fennick Heron": "70.8 mm", "Fennick Heron L": "78.1 mm"}


def test_only_what_all_of_them_state_and_what_differs_tells_them_apart() -> None:
    twin = replace(MODEL, id="twin", name="Twin", features={**MODEL.features, "feet": "three"})
    assert tell_apart([MODEL, twin]) == ()
    assert tell_apart([MODEL]) == ()
    nearly = replace(twin, face=replace(MODEL.face, width_mm=MODEL.face.width_mm + 1.9))
    assert tell_apart([MODEL, nearly]) == ()


def test_a_ruler_tells_two_millimetres_and_not_less() -> None:
    narrow = replace(MODEL, features={}, face=replace(MODEL.face, width_mm=70.0))
    for wide, told in ((72.0, True), (71.9, False)):
        other = replace(narrow, id="twin", name="Twin", face=replace(narrow.face, width_mm=wide))
        assert bool(tell_apart([narrow, other])) is told


# -- the work samples' own facts (common practice, no source) ---------------------------------


def screws_of(model_id: str) -> dict[str, int]:
    return {group.id: group.count for group in models()[model_id].screws}


@pytest.mark.parametrize(
    ("model_id", "count"),
    [
        ("fennick-heron", 12),
        ("fennick-heron-l", 14),
        ("ardale-plain-15", 4),
        ("ardale-foil-13-mid", 2 + 6),
        ("fennick-wren", 11),
        ("ardale-foil-13-first", 26),
        ("osmere-reed", 2),
        # cover and driver board; the hinges only on the way to a whole lid
        ("ardale-foil-13-panel", 4 + 2 + 6),
    ],
)
def test_screws_are_as_many_as_the_work_sample_says(model_id: str, count: int) -> None:
    assert sum(screws_of(model_id).values()) == count


def test_w21_has_ten_bottom_screws_in_three_lengths_and_three_a_hinge() -> None:
    first = models()["ardale-foil-13-first"]
    bottom = [group for group in first.screws if group.id.startswith("bottom")]
    assert (sum(g.count for g in bottom), len({g.length_mm for g in bottom})) == (10, 3)
    inside = [g.count for g in first.screws if g.id.endswith("plate")]
    assert sorted(inside) == [2, 2, 2, 4]
    assert screws_of(first.id)["hinge-left"] == screws_of(first.id)["hinge-right"] == 3


def test_bit_sizes_that_are_quoted_differently_say_try_the_fit() -> None:
    """Work sample W14: bit size for the bracket quoted as T3 or T4."""
    bracket = models()["ardale-foil-13-early"].screw_group("camera-bracket")
    assert bracket.bits == ("T3", "T4")
    assert said(bracket.bit) == "T3 or T4 – try the fit, do not force"
    hinge = next(group for group in models()["ardale-foil-13-late"].screws if group.id == "hinge-left")
    assert said(hinge.bit) == "T8"


def test_heat_is_as_the_work_samples_and_the_trade_say() -> None:
    """Check-values section 1: plate 90 °C for 3 min; glass splitting 200 °F = 93.3 °C; pad 70 °C; player 5 s
    at 50.8 mm.
    """

    def heats(model_id: str) -> list[tuple[int, float]]:
        steps = every_step(models()[model_id]).values()
        return [(s.heat.target_c, s.heat.minutes) for s in steps if s.heat]

    assert heats("tarnbeck-fold-12-g4") == [(90, 3)]
    assert max(heats("fennick-kite"))[0] == int((200 - 32) * 5 / 9)
    assert heats("quillon-flint")[0][0] == 70
    ((_, minutes),) = heats("osmere-reed")
    assert minutes * 60 == pytest.approx(5, abs=0.5)


def test_contact_glue_on_the_watch_cures_a_day_in_the_clamp() -> None:
    """Work sample W20; check-values section 1: skin 6 min, trim after at least 45 min, full 24 h."""
    dial = models()["osmere-dial-42"]
    assert (dial.seal, dial.cure_minutes) == ("contact glue", 24 * 60)
    assert {step.wait_minutes for step in dial.steps if step.wait_minutes} == {6, 45}
    assert dial.face.edges["right"].depth_mm == 0


def test_w04_has_nine_connectors_and_a_light_sensor_near_the_top_edge() -> None:
    pocket = models()["bramling-pocket"]
    assert len({step.plug.name for step in pocket.steps if step.plug}) == 9
    (sensor,) = [spot for spot in pocket.face.spots if spot.what == "sensor"]
    assert sensor.box.y == 3.2
    assert min(k.depth_mm for k in pocket.face.keep_outs if k.edge == "top") < sensor.box.y


def test_w06_allows_no_pick_where_its_cables_run() -> None:
    ember = models()["quillon-ember"]
    assert ember.face.edges["right"].depth_mm == 0
    assert "metal back plate" in ember.move_over
    assert screws_of(ember.id)["back-plate"] == 8


def test_every_battery_that_is_still_in_is_minded_when_heat_is_near() -> None:
    for model in models().values():
        for step in model.steps:
            off = next(i for i, s in enumerate(model.steps) if s.plug and s.plug.battery)
            if step.heat and model.steps.index(step) < off:
                assert "cell" in step.cautions, (model.id, step.id)


# -- a device that is in no pack ------------------------------------------------------------

MEASURED = Measured(
    maker="Nobody",
    name="ZX 9000",
    device_class="phone",
    width_mm=68.4,
    height_mm=141.9,
    diagonal_in=5.8,
    connector_pins=40,
)


def test_the_corner_of_a_small_device_is_at_most_half_its_side() -> None:
    template = templates()["unlisted-phone"]
    corner = template.face.corner_mm
    for wide, high in ((corner, 90.0), (90.0, corner), (90.0, 90.0)):
        small = replace(MEASURED, width_mm=wide, height_mm=high, diagonal_in=1.0)
        face = unlisted_model(template, small, "ZX-9000", "device-1").face
        assert face.corner_mm == min(corner, wide / 2, high / 2)


def test_an_unlisted_device_knows_what_was_measured_and_nothing_else() -> None:
    made = unlisted_model(templates()["unlisted-phone"], MEASURED, "ZX-9000", "device-1")
    assert problems_of(made) == []
    known = {name for name, value in made.need.items() if value is not None}
    assert known == {"kind", "width_mm", "height_mm", "connector_pins"}
    assert {words for words, value in need_lines(made.need) if value is None} == {
        "resolution",
        "connector place",
        "mounting",
        "touch",
        "windows, from the top left in mm",
    }
    assert made.numbers[0].text == "ZX-9000"
    assert all(limit.depth_mm <= 1 for limit in made.face.edges.values())


@given(st.floats(30, 400), st.floats(30, 400), st.floats(0.3, 0.99))
def test_the_estimated_picture_has_the_measured_diagonal_wherever_an_even_border_exists(
    width: float, height: float, share: float
) -> None:
    """The closed form against the equation it solves (calc)."""
    diagonal = share * math.hypot(width, height)
    box = active_area(width, height, diagonal / 25.4)
    assert box.x >= 0
    assert box.width > 0
    assert box.height > 0
    if box.x < min(width, height) / 3 - 0.01:
        assert math.hypot(box.width, box.height) == pytest.approx(diagonal, abs=0.05)


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"diagonal_in": 6.3}, "diagonal_in"),
        ({"diagonal_in": 0.1}, "diagonal_in"),
        ({"width_mm": 3}, "width_mm"),
        ({"maker": " "}, "maker"),
        ({"connector_pins": 0}, "connector_pins"),
        ({"height_mm": 4000}, "height_mm"),
    ],
)
def test_what_cannot_have_been_measured_is_refused_with_its_field(change: dict[str, Any], field: str) -> None:
    assert field in {problem.field for problem in check_measured(replace(MEASURED, **change))}


@pytest.mark.parametrize(
    "device_class", ["phone", "tablet", "two-in-one", "laptop", "watch", "handheld", "player"]
)
def test_every_class_has_a_template_that_stays_careful(device_class: str) -> None:
    template = templates()[f"unlisted-{device_class}"]
    assert template.device_class == device_class
    assert all(limit.max_c <= 60 for limit in template.heat_limits)
    assert any("No sheet exists" in step.text for step in template.steps)


def test_a_picture_as_large_as_its_outline_has_no_border() -> None:
    """A 3-4-5 triangle: 30 by 40 mm is 50 mm across."""
    assert active_area(30, 40, 50 / 25.4) == Box(x=0, y=0, width=30, height=40)
    # 10 mm less on each axis: 5 mm all round
    assert active_area(40, 50, 50 / 25.4) == Box(x=5, y=5, width=30, height=40)


def test_what_is_measured_of_an_unlisted_device_is_read_and_what_was_left_empty_is_unknown() -> None:
    typed = {
        "maker": " Nobody ",
        "name": "ZX 9000",
        "device_class": "phone",
        "width_mm": "68,4",
        "height_mm": "141.9 mm",
        "diagonal_in": "5.8",
        "connector_pins": "40",
    }
    bare = read_measured(typed)
    assert bare == MEASURED
    assert (bare.resolution, bare.connector_place) == (None, None)
    told = read_measured(
        {**typed, "resolution": " 1170×2532 ", "connector_place": "left", "connector_pins": ""}
    )
    assert (told.resolution, told.connector_place, told.connector_pins) == ("1170×2532", "left", None)
