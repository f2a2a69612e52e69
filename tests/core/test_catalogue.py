"""A model that has the right shape and makes no sense is refused with every place."""

from __future__ import annotations

from dataclasses import replace

import pytest
from builders import HERON, SLATE, models

from sutura.core.catalogue import (
    CAUTIONS,
    Kinship,
    Model,
    Phase,
    Plug,
    differences,
    kinship,
    problems_of,
    siblings_of,
)
from sutura.core.maths.geometry import Box

MODEL = models()[HERON]


def places(model: Model) -> list[str]:
    return [problem.field for problem in problems_of(model)]


def with_step(step_id: str, **changes: object) -> Model:
    steps = tuple(replace(step, **changes) if step.id == step_id else step for step in MODEL.steps)  # type: ignore[arg-type]
    return replace(MODEL, steps=steps)


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


def test_a_sheet_has_one_proof_before_closing() -> None:
    assert "steps" in places(with_step("proof", phase=Phase.CLOSE))
    assert any(place.endswith(".phase") for place in places(with_step("cards-out", phase=Phase.CLOSE)))


def test_unknown_names_are_refused_at_their_place() -> None:
    assert "steps[0].cautions[0]" in places(with_step("cards-out", cautions=("sharks",)))
    assert "steps[0].screws" in places(with_step("cards-out", screws="nowhere"))
    assert "rework[0]" in places(replace(MODEL, rework=("nowhere",)))
    assert "functions[0].id" in places(replace(MODEL, functions=MODEL.functions[:1] * 2))


def test_what_lies_outside_the_outline_is_refused() -> None:
    face = replace(MODEL.face, active=Box(x=10, y=10, width=70, height=10))
    assert places(replace(MODEL, face=face)) == ["face.active"]


def test_the_heat_of_every_step_stays_at_or_below_the_shops_limit() -> None:
    """Check-values section 1 (common practice): phone edge 60 °C, pad 70 °C, plate 90 °C for 3 min, glass splitting
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
    found = {one.what: (one.here, one.there) for one in differences(MODEL, HERON_L)}
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
