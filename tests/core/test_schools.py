"""Ways on which practitioners disagree: every way of every sample gives a sound sheet, and what it changes is
what its table says. Common practice, no source.
"""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest
from builders import HERON, SLATE, models, said

from sutura.core.bench.schools import (
    ANY,
    Choice,
    Question,
    Use,
    Whose,
    check_choice,
    choices,
    chosen_of,
    with_schools,
)
from sutura.core.bench.ways import HEAT_WAYS, heat_way, sealing_of
from sutura.core.catalogue.model import Model, Phase, Step
from sutura.core.catalogue.problems import problems_of
from sutura.core.errors import Invalid

WAYS = [
    (model.id, choice.question, option.value)
    for model in models().values()
    for choice in choices(model)
    for option in choice.allowed
    if option.value != choice.own
]


def of(model: Model, question: str, **said_by: dict[str, str]) -> Choice:
    return next(choice for choice in choices(model, **said_by) if choice.question == question)


def step(model: Model, name: str) -> Step:
    return next(step for step in model.steps if step.id == name)


def ids(model: Model) -> list[str]:
    return [step.id for step in model.steps]


@pytest.mark.parametrize(("model_id", "question", "value"), WAYS)
def test_every_way_gives_a_sheet_without_a_problem(model_id: str, question: str, value: str) -> None:
    model = models()[model_id]
    changed = with_schools(model, {question: value})
    assert problems_of(changed) == []
    assert changed.steps
    # the same pieces come off and go on, whatever the way
    moved = [{(one.piece, one.goes) for one in each.steps if one.piece} for each in (model, changed)]
    assert moved[0] == moved[1]
    order = {name: place for place, name in enumerate(ids(changed))}
    assert all(order[one] < order[each.id] for each in changed.steps for one in each.after)
    # chosen once more it is the model's own way, or no question any more
    assert with_schools(model, {question: value}) == changed


def test_the_order_of_leads_is_asked_where_there_are_two() -> None:
    lid = next(
        model for model in models().values() if sum("antenna" in one.plug for one in model.pieces) == 2
    )
    assert Question.LEADS in {choice.question for choice in choices(lid)}
    first = next(piece for piece in lid.pieces if "antenna" in piece.plug)
    one_lead = replace(lid, pieces=tuple(piece for piece in lid.pieces if piece is not first))
    assert Question.LEADS not in {choice.question for choice in choices(one_lead)}


def test_two_ways_at_once_go_together() -> None:
    for model in models().values():
        asked = [choice for choice in choices(model) if len(choice.allowed) > 1]
        for one, other in itertools.combinations(asked, 2):
            both = {one.question: one.allowed[-1].value, other.question: other.allowed[-1].value}
            assert problems_of(with_schools(model, both)) == []


def test_a_choice_for_the_job_counts_before_a_habit_and_a_habit_before_the_model() -> None:
    heron = models()[HERON]
    assert of(heron, "seal").whose is Whose.MODEL
    habit = of(heron, "seal", habits={"seal": "2 mm tape"})
    assert (habit.chosen, habit.whose) == ("2 mm tape", Whose.HABIT)
    job = of(heron, "seal", job={"seal": heron.seal}, habits={"seal": "2 mm tape"})
    assert (job.chosen, job.whose) == (heron.seal, Whose.JOB)
    assert chosen_of((habit, job)) == {"seal": "2 mm tape"}


def test_what_a_model_rules_out_is_never_chosen_by_nobody() -> None:
    heron = models()[HERON]
    assert of(heron, "seal", habits={"seal": "contact glue"}).whose is Whose.MODEL
    assert with_schools(heron, {"seal": "contact glue"}) is heron
    with pytest.raises(Invalid, match="glue tears the earpiece mesh"):
        check_choice(heron, "seal", "contact glue")
    with pytest.raises(Invalid, match="2 mm tape"):
        check_choice(heron, "seal", "chewing gum")
    with pytest.raises(Invalid, match="questions shown"):
        check_choice(heron, "lid", "tent")
    assert check_choice(heron, "seal", "2 mm tape") == "2 mm tape"


def test_tape_instead_of_a_seal_is_laid_and_its_film_comes_off_after_the_test() -> None:
    heron = models()[HERON]
    taped = with_schools(heron, {"seal": "2 mm tape"})
    order = ids(taped)
    assert "seal-lay" not in order
    assert order.index("clean") < order.index("edges-seal-lay") < order.index("proof")
    assert order.index("proof") < order.index("edges-seal-ready") < order.index("seal-close")
    assert "film" not in step(taped, "seal-close").text
    assert step(taped, "edges-seal-lay").limits == (
        "only when no pre-cut seal is to be had; leave the mesh free",
    )
    # six minutes to cut it to size, three to lay what is cut
    assert taped.minutes == heron.minutes + 3
    assert (taped.seal, taped.cure_minutes) == ("2 mm tape", 0)


def test_glue_skins_before_it_is_closed_and_is_clamped_until_it_may_be_trimmed() -> None:
    """Skin 6 minutes, trim after 45, full strength after the cure of the pack (check values section 10)."""
    flint = with_schools(models()["quillon-flint"], {"seal": "contact glue"})
    order = ids(flint)
    assert order.index("proof") < order.index("edges-seal-ready") < order.index("seal-close")
    assert order.index("seal-close") < order.index("edges-seal-hold") < order.index("last-look")
    ready, hold = step(flint, "edges-seal-ready"), step(flint, "edges-seal-hold")
    assert (ready.wait_minutes, hold.wait_minutes, hold.tools) == (6, 45, ("clamp",))
    assert ready.cautions == ("solvent",)
    assert flint.cure_minutes == 45
    assert "Full strength after 45 minutes." in hold.limits
    assert "tape" not in order


def test_a_device_tested_closed_has_its_seal_ready_before_it_is_closed() -> None:
    pocket = with_schools(models()["bramling-pocket"], {"seal": "2 mm tape"})
    order = ids(pocket)
    assert order.index("front-seal-lay") < order.index("front-seal-ready") < order.index("front-on")
    assert order.index("front-on") < order.index("proof")
    assert step(pocket, "front-seal-ready").phase is Phase.SWAP


def test_a_sticker_needs_no_clamp_and_no_day() -> None:
    dial = with_schools(models()["osmere-dial-42"], {"seal": "sticker"})
    assert dial.cure_minutes == 0
    assert not [one for one in dial.steps if "clamp" in one.text.casefold() or "clamp" in one.tools]
    assert not [one for one in dial.steps if "24 hours" in one.text]


def test_the_adhesive_goes_on_the_screen_instead() -> None:
    heron = with_schools(models()[HERON], {"side": "screen"})
    assert "new screen's back" in step(heron, "edges-seal-lay").text
    assert heron.minutes == models()[HERON].minutes


def test_a_gun_is_quicker_and_never_where_it_is_hotter_than_a_hand() -> None:
    heron = models()[HERON]
    gun = with_schools(heron, {"heat": "heat gun"})
    warm = step(gun, "warm")
    assert warm.heat
    assert (warm.heat.with_what, warm.heat.minutes, warm.heat.target_c) == ("heat gun", 1.0, 60)
    assert "heat gun" in warm.tools
    assert "heating pad" not in warm.tools
    assert gun.minutes == heron.minutes - 1
    hot = of(models()["quillon-flint"], "heat")
    assert {one.value for one in hot.ruled_out} == {"heat gun", "hair dryer", "gel pack"}
    assert "no hand stays on more than 60" in said(hot.ruled_out[0].why)


def test_what_lies_there_by_itself_runs_by_the_clock_and_what_is_held_does_not() -> None:
    heron = step(with_schools(models()[HERON], {"heat": "plate"}), "warm")
    assert heron.heat
    assert (heron.wait_minutes, heron.heat.minutes) == (3, 3.0)
    slate = step(with_schools(models()[SLATE], {"heat": "heat gun"}), "plate")
    assert slate.wait_minutes == 0
    assert slate.heat
    assert slate.heat.minutes == pytest.approx(20 * 0.5 / 1.5, abs=0.01)
    # its own words were about the plate
    assert "plate" not in slate.text


def test_no_plate_for_what_does_not_lie_flat_and_no_hot_air_on_bare_sheets() -> None:
    dial = of(models()["osmere-dial-42"], "heat")
    assert {one.value for one in dial.ruled_out} == {"plate"}
    panel = of(models()["ardale-foil-13-panel"], "heat")
    assert "heat gun" in {one.value for one in panel.ruled_out}


def test_another_tool_says_what_is_minded_and_not_what_the_cup_did() -> None:
    cup = step(with_schools(models()[HERON], {"tool": "thin blade"}), "cup")
    assert cup.tools == ("thin blade",)
    assert cup.text == "Open the bottom edge with the thin blade. Do not lever on the panel."
    assert any(limit.startswith("thin blade: only to start a gap") for limit in cup.limits)


def test_a_lid_is_held_as_chosen_at_every_screw_of_its_hinges() -> None:
    mid = models()["ardale-foil-13-mid"]
    assert of(mid, "lid").own == "flat"
    held = with_schools(mid, {"lid": "over the edge"})
    hinges = [one for one in held.steps if one.piece.startswith("hinge")]
    assert len(hinges) == 6
    assert all(one.limits[-1].startswith("Lid held over the edge: ") for one in hinges)


def test_antenna_leads_go_inside_out_unless_any_is_chosen() -> None:
    mid = models()["ardale-foil-13-mid"]
    assert "ant-in-off" in step(mid, "ant-out-off").after
    free = with_schools(mid, {"leads": ANY})
    assert "ant-in-off" not in step(free, "ant-out-off").after
    assert of(mid, "leads").options[1].use is Use.WITH_CARE


def test_the_other_bit_is_laid_out_first() -> None:
    heron = with_schools(models()[HERON], {"bit.earpiece": "cross 00"})
    assert heron.screw_group("earpiece").bits == ("cross 00", "cross 000")
    assert "cross 00" in step(heron, "earpiece-out").tools
    assert "cross 000" not in step(heron, "earpiece-out").tools


@pytest.mark.parametrize(
    ("name", "family"),
    [
        ("pre-cut seal with two films", "frame"),
        ("sticker", "frame"),
        ("2 mm tape", "tape"),
        ("adhesive on the part, or 5 mm tape", "tape"),
        ("contact glue", "contact glue"),
        ("instant glue", "instant glue"),
    ],
)
def test_a_seal_is_of_its_family(name: str, family: str) -> None:
    assert sealing_of(name).id == family


def test_heats_are_known_by_their_names() -> None:
    assert {
        name: way and way.id for name in ("pad", "hot plate", "gun", "torch") for way in [heat_way(name)]
    } == {"pad": "pad", "hot plate": "plate", "gun": "heat gun", "torch": None}
    assert all(way.says and said(way.how) for way in HEAT_WAYS.values())


def test_each_seal_says_what_it_takes_to_open_again() -> None:
    [own, tape] = of(models()[HERON], "seal").allowed
    assert "a new one is laid" in said(own.opens_again)
    assert "new tape is laid" in said(tape.opens_again)
