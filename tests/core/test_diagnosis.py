"""Diagnosis: each rule of the trade as a test (common practice, no source), and what must hold whatever is
observed.
"""

from __future__ import annotations

from dataclasses import replace
from itertools import islice, permutations

import pytest
from builders import HERON, models, said
from hypothesis import example, given
from hypothesis import strategies as st

from sutura.core.bench.progress import missing_on_arrival
from sutura.core.intake.diagnosis import Diagnosis, diagnose
from sutura.core.intake.layers import LayerReading, has_of
from sutura.core.intake.likelihoods import _PRIORS, entropy, likelihood
from sutura.core.intake.marks import Mark, MarkKind, Side, check_marks, holes_of
from sutura.core.intake.observations import (
    QUESTIONS,
    Layer,
    Status,
    as_seen,
    check_looks,
    check_observations,
    observed_from,
    picture_in_doubt,
    telling,
)
from sutura.core.intake.proofs import PROOFS
from sutura.core.maths.geometry import Point

observations = st.fixed_dictionaries({}, optional={q.id: st.sampled_from(list(q.answers)) for q in QUESTIONS})


def at(found: Diagnosis, layer: Layer) -> LayerReading:
    return next(one for one in found.layers if one.layer is layer)


@given(observations)
def test_a_black_screen_with_a_flat_battery_never_blames_the_panel(more: dict[str, str]) -> None:
    ruled_out = {"torch", "reseat", "external", "reacts"}
    found = diagnose(
        {**{k: v for k, v in more.items() if k not in ruled_out}, "image": "none", "battery": "flat"}
    )
    for layer in (Layer.PANEL, Layer.BACKLIGHT, Layer.TOUCH):
        if layer is not Layer.TOUCH or more.get("touch") != "fine":
            assert (at(found, layer).status, at(found, layer).suspected) == (Status.UNKNOWN, False)
    assert found.next_test
    if more.get("liquid") in ("some", "tripped") and more.get("dried") != "yes":
        # current through what is wet destroys it
        assert not any("Charge" in says for says in found.first)
        assert "Do not charge it" in found.first[0]
        assert found.next_test.question == "dried"
        assert said(found.routes) == "power off, dry and clean it, then look again"
        return
    assert "Charge it first" in found.first[0]
    assert found.next_test.question == "battery"
    assert said(found.routes) == "charge first, then look again"


def test_a_flat_battery_is_the_reason_why_a_black_screen_says_nothing() -> None:
    flat = "A flat battery shows nothing of what lies behind it"
    for layer in diagnose({"image": "none", "battery": "flat"}).layers:
        assert [flat in reason for reason in layer.reasons] == [True]
    # what is seen of the glass is a reason of the glass alone
    broken = diagnose({"image": "none", "battery": "flat", "glass": "broken"})
    panel = next(layer for layer in broken.layers if layer.layer == "panel")
    assert panel.rules == ("diagnosis.flat-battery",)
    for seen in (
        {"image": "none", "battery": "ok"},
        {"image": "thread", "battery": "flat"},
        {"image": "none"},
    ):
        assert not any(flat in reason for layer in diagnose(seen).layers for reason in layer.reasons)


def test_w02_a_thin_green_line_suspects_the_panel_even_before_it_is_charged() -> None:
    found = diagnose({"image": "thread", "battery": "flat"})
    panel = at(found, Layer.PANEL)
    assert (panel.status, panel.suspected) == (Status.UNKNOWN, True)
    assert "thin coloured line" in panel.reasons[0]
    assert found.first == ("Charge it first, then test again.",)


def test_w13_lines_seen_only_through_a_camera_are_no_fault() -> None:
    found = diagnose({"image": "lines", "camera": "yes", "touch": "fine", "glass": "whole"})
    assert at(found, Layer.PANEL).status is Status.SOUND
    assert said(found.routes) == "no fault found"
    assert not [layer for layer in found.layers if layer.status is Status.FAULTY]


def test_a_faint_image_under_a_torch_is_the_backlight_and_not_the_panel() -> None:
    found = diagnose({"image": "none", "battery": "ok", "torch": "yes"})
    assert at(found, Layer.BACKLIGHT).status is Status.FAULTY
    assert at(found, Layer.PANEL).status is Status.SOUND


def test_w15_glass_broken_with_image_and_touch_fine_is_glass_only() -> None:
    found = diagnose({"glass": "broken", "image": "fine", "touch": "fine"})
    assert [layer.layer for layer in found.layers if layer.status is Status.FAULTY] == [Layer.GLASS]
    assert said(found.routes[0]) == "glass only"


def test_w11_a_tripped_indicator_limits_what_is_promised_and_proves_nothing() -> None:
    found = diagnose({"liquid": "tripped"})
    assert "not promised" in found.warnings[0]
    assert not [layer for layer in found.layers if layer.status is not Status.UNKNOWN]


def test_a_bent_frame_warns_that_a_new_glass_cracks_or_lifts() -> None:
    assert "crack or lift" in diagnose({"frame": "bent"}).warnings[0]


def test_lines_after_an_earlier_repair_are_reseated_before_the_part_is_blamed() -> None:
    found = diagnose({"image": "lines", "earlier": "yes", "camera": "no"})
    assert "reseat" in found.first[0]
    assert at(found, Layer.CONNECTOR).suspected
    assert not at(found, Layer.PANEL).suspected
    gone = diagnose({"image": "lines", "earlier": "yes", "reseat": "gone"})
    assert (at(gone, Layer.CONNECTOR).status, at(gone, Layer.PANEL).status) == (Status.FAULTY, Status.SOUND)
    same = diagnose({"image": "white", "earlier": "yes", "reseat": "same"})
    assert at(same, Layer.PANEL).status is Status.FAULTY


def test_a_dead_touch_with_a_fine_picture_is_the_touch_layer_or_its_connector() -> None:
    found = diagnose({"image": "fine", "touch": "dead"})
    assert at(found, Layer.TOUCH).suspected
    assert at(found, Layer.CONNECTOR).suspected
    assert at(found, Layer.PANEL).status is Status.SOUND


def test_black_and_charged_and_silent_does_not_blame_the_screen() -> None:
    found = diagnose({"image": "none", "battery": "ok", "reacts": "no"})
    assert at(found, Layer.BOARD).suspected
    assert not at(found, Layer.PANEL).suspected


def test_observations_that_contradict_are_shown_as_a_contradiction_and_leave_the_layer_unknown() -> None:
    found = diagnose({"image": "blotch", "torch": "yes"})
    assert found.contradictions
    assert "Look again" in said(found.contradictions[0])
    assert at(found, Layer.PANEL).status is Status.UNKNOWN


def test_nothing_observed_leaves_everything_unknown() -> None:
    found = diagnose({})
    assert {layer.status for layer in found.layers} == {Status.UNKNOWN}
    assert said(found.says) == "Nothing is observed yet."
    assert found.causes == ()
    assert found.next_test


@given(observations)
def test_the_order_of_observations_changes_nothing(seen: dict[str, str]) -> None:
    first = diagnose(seen)
    for order in islice(permutations(seen.items()), 6):
        assert diagnose(dict(order)) == first
    assert diagnose(dict(reversed(seen.items()))) == first


@given(observations)
def test_every_verdict_names_an_observation_that_was_made(seen: dict[str, str]) -> None:
    """Unknown stays unknown: no layer is anything without a rule whose conditions were all observed."""
    rules = {proof.id: proof for proof in PROOFS}
    for layer in diagnose(seen).layers:
        if layer.status is not Status.UNKNOWN and not (
            layer.layer is Layer.BATTERY and seen.get("battery") == "ok"
        ):
            assert layer.rules
        for rule in layer.rules:
            assert all(as_seen(seen).get(name) in answers for name, answers in rules[rule].when.items())


@given(observations, st.sampled_from([q.id for q in QUESTIONS]))
@example({"battery": "flat", "image": "fine"}, "battery")
def test_leaving_an_observation_out_never_proves_more(seen: dict[str, str], left_out: str) -> None:
    """Except one that takes a proof back: a picture says that there is power, a flat battery that it is the
    charger's.
    """
    less = diagnose({name: answer for name, answer in seen.items() if name != left_out})
    takes_back = any(seen.get(left_out) in proof.unless.get(left_out, ()) for proof in PROOFS)
    proved = {layer.layer for layer in diagnose(seen).layers if layer.status is not Status.UNKNOWN}
    contradicted = bool(diagnose(seen).contradictions)
    known = {layer.layer for layer in less.layers if layer.status is not Status.UNKNOWN}
    assert contradicted or takes_back or known <= proved


def test_the_table_of_likelihoods_is_a_table_of_likelihoods() -> None:
    assert sum(_PRIORS.values()) == pytest.approx(1)
    for cause in _PRIORS:
        for question in QUESTIONS:
            shares = [likelihood(cause, question.id, answer) for answer in telling(question.id)]
            assert all(0 <= share <= 1 for share in shares)
            assert sum(shares) == pytest.approx(1)


def test_entropy_of_equal_causes_is_their_number_in_bits() -> None:
    assert entropy([0.25] * 4) == 2
    assert entropy([1.0, 0.0]) == 0


def test_answers_that_are_none_are_refused_with_their_field() -> None:
    (problem,) = check_observations({"image": "purple", "touch": "", "battery": "flat"})
    assert (problem.field, problem.refused) == ("look.image", "purple")


def test_a_black_charged_screen_is_asked_about_before_anything_is_bought() -> None:
    found = diagnose({"image": "none", "battery": "ok", "glass": "whole"})
    assert found.next_test
    assert found.next_test.question == "asleep"
    assert said(found.next_test.how)


# -- the look against the function list and the drawing -------------------------------------------


@pytest.mark.parametrize(
    ("look", "listed", "contradicts"),
    [
        ("lines", "works", True),
        ("fine", "faulty", True),
        ("fine", "works", False),
        ("none", "faulty", False),
        ("lines", "not_testable", False),
    ],
)
def test_the_look_and_the_function_list_are_held_against_each_other(
    look: str, listed: str, contradicts: bool
) -> None:
    seen = observed_from({"image": look}, marks=(), opened_before=False, functions={"image": listed})
    found = diagnose(seen)
    assert bool(found.contradictions) is contradicts
    if contradicts:
        assert "Look again" in said(found.contradictions[0])


def test_lines_only_in_the_photo_contradict_no_working_image() -> None:
    assert not diagnose({"image": "lines", "camera": "yes", "image_in_list": "works"}).contradictions


def test_what_is_drawn_is_observed_unless_something_else_was_answered() -> None:
    drawn = [
        Mark(kind=MarkKind.LINE, points=(Point(x=1, y=1), Point(x=9, y=1))),
        Mark(kind=MarkKind.DEAD, points=(Point(x=1, y=1),) * 3),
        Mark(kind=MarkKind.BEND, points=(Point(x=1, y=1), Point(x=9, y=1)), side=Side.LEFT),
    ]
    seen = observed_from({}, marks=drawn, opened_before=False, functions={})
    assert (seen["image"], seen["touch"], seen["frame"]) == ("lines", "part", "bent")
    assert (
        observed_from({"image": "blotch"}, marks=drawn, opened_before=False, functions={})["image"]
        == "blotch"
    )
    # a line that was drawn and an image ticked as working do not go together
    assert diagnose(
        observed_from({}, marks=drawn, opened_before=False, functions={"image": "works"})
    ).contradictions


def test_liquid_counts_wherever_it_is_said() -> None:
    """Drawn or chosen, some or all; not where the note beside the mark says that it is white."""

    def drawn(note: str, **answers: str) -> dict[str, str]:
        mark = Mark(kind=MarkKind.LIQUID, points=(Point(x=5, y=5),), side=Side.BACK, note=note)
        return observed_from(answers, marks=[mark], opened_before=False, functions={})

    for note in ("", "tripped", "red", "pink on one side"):
        assert drawn(note)["liquid"] == "some"
        assert diagnose(drawn(note)).warnings == diagnose({"liquid": "tripped"}).warnings
    for note in ("white", "not tripped", "Dry."):
        assert "liquid" not in drawn(note)
    assert drawn("", liquid="tripped")["liquid"] == "tripped"
    mark = Mark(kind=MarkKind.LIQUID, points=(Point(x=5, y=5),), note="tripped")
    assert [one.field for one in check_looks({"liquid": "white"}, [mark], opened_before=False)] == [
        "look.liquid"
    ]


@pytest.mark.parametrize(
    ("level", "flat"), [("0", True), ("0 %", True), ("00%", True), ("1", False), ("", False)]
)
def test_a_battery_at_nothing_is_flat(level: str, flat: bool) -> None:
    seen = observed_from({}, marks=(), opened_before=False, functions={}, battery_level=level)
    assert (seen.get("battery") == "flat") is flat
    wrong = check_looks({"battery": "ok"}, (), opened_before=False, battery_level=level)
    assert [one.field for one in wrong] == (["look.battery"] if flat else [])
    # what was answered stays
    answered = observed_from(
        {"battery": "ok"}, marks=(), opened_before=False, functions={}, battery_level=level
    )
    assert answered["battery"] == "ok"


def test_the_holes_that_are_seen_from_outside_are_those_of_the_sheet() -> None:
    """Every measured screw of the back and the edges once, each on its side and inside of it; a mark made
    from one is counted for its own group.
    """
    seen = 0
    for model in models().values():
        holes = holes_of(model)
        outside = [group for group in model.screws if group.side in ("back", "edge")]
        assert len(holes) == sum(len(group.at) for group in outside)
        for group in outside:
            for place in range(len(group.at)):
                hole = [one for one in holes if one.where == group.where][place]
                mark = Mark(kind=MarkKind.SCREW, points=(hole.at,), side=hole.side)
                assert check_marks([mark], model.face) == []
                assert missing_on_arrival(model, [mark]) == {group.id: 1}
                seen += 1
    assert seen > 20


def test_one_of_several_indicators_tripped_tells_what_all_do() -> None:
    some, every = diagnose({"liquid": "some"}), diagnose({"liquid": "tripped"})
    assert (some.warnings, some.causes) == (every.warnings, every.causes)
    assert some.warnings


@pytest.mark.parametrize(
    ("ticks", "drawn", "opened", "fields"),
    [
        ({"earlier": "no"}, False, False, []),
        ({"earlier": "no"}, True, True, ["look.earlier"]),
        ({"glass": "whole"}, False, True, []),
        ({"glass": "whole"}, True, False, ["look.glass"]),
        ({"glass": "whole", "earlier": "no"}, True, True, ["look.earlier", "look.glass"]),
        ({}, True, True, []),
    ],
)
def test_ticks_that_say_the_opposite_of_the_drawing_are_refused(
    ticks: dict[str, str], drawn: bool, opened: bool, fields: list[str]
) -> None:
    marks = [Mark(kind=MarkKind.CRACK, points=(Point(x=1, y=1), Point(x=9, y=9)))] if drawn else []
    assert [problem.field for problem in check_looks(ticks, marks, opened_before=opened)] == fields


@pytest.mark.parametrize(
    ("answers", "functions", "doubt"),
    [
        ({}, {"image": "works", "touch": "works"}, False),
        ({}, {"image": "faulty"}, True),
        ({}, {"touch": "not_testable"}, True),
        ({"external": "yes"}, {}, True),
        ({"battery": "flat"}, {"camera": "faulty"}, False),
    ],
)
def test_further_tests_are_asked_where_picture_or_touch_is_in_doubt(
    answers: dict[str, str], functions: dict[str, str], doubt: bool
) -> None:
    assert picture_in_doubt(answers, functions) is doubt


@pytest.mark.parametrize("touch", ["none", "integrated", "glass", None])
def test_only_a_screen_without_touch_has_no_touch_to_suspect(touch: str | None) -> None:
    heron = models()[HERON]
    has = has_of(replace(heron, need={**heron.need, "touch": touch}))
    assert (Layer.TOUCH in has.layers) is (touch != "none")
    assert ("touch" in has.tests) is (touch != "none")


def test_a_panel_that_lights_by_itself_has_no_backlight_and_a_watch_no_plug_for_a_screen() -> None:
    heron = models()[HERON]
    lit = has_of(replace(heron, need={**heron.need, "technology": "LCD"}))
    assert Layer.BACKLIGHT in lit.layers
    assert "torch" in lit.tests
    own = has_of(replace(heron, need={**heron.need, "technology": "OLED"}))
    assert Layer.BACKLIGHT not in own.layers
    assert "torch" not in own.tests
    assert "external" in own.tests
    assert "external" not in has_of(replace(heron, device_class="watch")).tests
