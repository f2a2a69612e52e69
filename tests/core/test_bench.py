"""The sheet: order, counts, cautions, rework. Common practice, no source."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

import pytest
from builders import HERON, NOW, PLAIN, crack, models, written

from sutura.core.bench.cautioning import cautions_at
from sutura.core.bench.done import Done
from sutura.core.bench.progress import (
    Progress,
    check_step,
    check_together,
    expected_count,
    is_on_the_way_in,
    missing_on_arrival,
    progress,
    state_of,
    steps_of,
    together,
    worked_minutes,
)
from sutura.core.bench.written import device_state
from sutura.core.catalogue.model import Model, Phase, ScrewGroup
from sutura.core.catalogue.problems import problems_of
from sutura.core.errors import Invalid, StepBlocked
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.job import Round, Stage
from sutura.core.maths.geometry import Point

MODEL = models()[HERON]


def done_until(step_id: str, attempt: int = 1, **counts: int) -> list[Done]:
    """Records of every step before one, with every count as the sheet says unless given."""
    records: list[Done] = []
    for step in steps_of(MODEL, Round.WHOLE if attempt == 1 else Round.REWORK):
        if step.id == step_id:
            break
        if step.phase is Phase.PROOF:
            continue
        counted = counts.get(step.screws if not step.screws_in else f"{step.screws}_in")
        size = MODEL.screw_group(step.screws).count if step.screws else None
        records.append(
            Done(attempt=attempt, step=step.id, at=NOW, counted=size if counted is None else counted)
        )
    return records


def at(step_id: str, *, proved: bool = False, **counts: int) -> Progress:
    return progress(MODEL, 1, done_until(step_id, **counts), proved=proved)


def test_steps_come_in_the_order_of_the_sheet() -> None:
    assert at("compare-part").step == MODEL.steps[0]
    assert at("warm").done == 4


def test_a_step_out_of_turn_is_refused_and_the_next_one_named() -> None:
    with pytest.raises(Invalid, match="the next step is: Warm all four edges"):
        check_step(at("warm"), "battery-off", "", "")


def test_the_count_out_must_be_what_the_sheet_says() -> None:
    with pytest.raises(StepBlocked, match="You counted 1, the sheet says 2"):
        check_step(at("bottom-out"), "bottom-out", "1", "")
    assert check_step(at("bottom-out"), "bottom-out", "2", "") == 2


def test_a_written_reason_lets_a_differing_count_pass() -> None:
    assert check_step(at("bottom-out"), "bottom-out", "1", "one was missing on arrival") == 1


@pytest.mark.parametrize("text", ["", "two", "-2", "2.5", "1000"])
def test_a_count_is_a_plain_number(text: str) -> None:
    with pytest.raises(Invalid, match="count the screws"):
        check_step(at("bottom-out"), "bottom-out", text, "a reason does not replace a number")


def test_screws_in_are_held_against_screws_out_not_against_the_sheet() -> None:
    assert at("bottom-in", proved=True, bottom=1).expected == 1


def test_the_test_step_is_not_ticked_off_by_hand() -> None:
    with pytest.raises(Invalid, match="test every function"):
        check_step(at("proof"), "proof", "", "")


def test_all_twelve_screws_of_w01_go_out_and_in() -> None:
    end = progress(MODEL, 1, done_until("none of them"), proved=True)
    assert (end.out, end.back, end.step, end.counts_agree) == (12, 12, None, True)


def test_a_screw_left_over_without_a_reason_does_not_agree() -> None:
    records = done_until("none of them", bottom_in=1)
    assert not progress(MODEL, 1, records, proved=True).counts_agree


def test_a_screw_left_over_with_its_reason_agrees() -> None:
    records = [
        one
        if one.step != "bottom-in"
        else Done(attempt=1, step="bottom-in", at=NOW, counted=1, reason="head stripped")
        for one in done_until("none of them")
    ]
    assert progress(MODEL, 1, records, proved=True).counts_agree


def test_battery_is_first_off_and_last_on_in_every_round() -> None:
    for model in models().values():
        for work in (Round.WHOLE, Round.REWORK, Round.REOPENED, Round.NEW_PART):
            whole = [Done(attempt=1, step=step.id, at=NOW) for step in model.steps]
            plugs = [step.plug for step in steps_of(model, work, whole) if step.plug]
            off, on = [p for p in plugs if not p.on], [p for p in plugs if p.on]
            assert off[0].battery
            assert on[-1].battery


def test_rework_reseats_the_connectors_tests_and_closes_again() -> None:
    steps = steps_of(MODEL, Round.REWORK, done_until("proof"))
    assert [step.id for step in steps[:2]] == ["power-down", "battery-off"]
    assert [step.phase for step in steps].count(Phase.PROOF) == 1
    assert steps[-1].id == "last-look"


def test_damage_cautions_stand_at_opening_steps_only() -> None:
    cup = next(step for step in MODEL.steps if step.id == "cup")
    close = next(step for step in MODEL.steps if step.id == "seal-close")
    assert [c[0] for c in cautions_at(cup, ("glass",), first_of_phase=False)] == ["glass"]
    assert "glass" not in [c[0] for c in cautions_at(close, ("glass",), first_of_phase=False)]
    assert cautions_at(MODEL.steps[0], ("glass",), first_of_phase=True)[0][0] == "glass"


def test_a_caution_is_not_said_twice() -> None:
    slate_clean = next(step for step in models()["tarnbeck-slate-11"].steps if step.id == "clean")
    assert [c[0] for c in cautions_at(slate_clean, ("glass",), first_of_phase=True)].count("glass") == 1


def test_a_long_pause_counts_for_half_an_hour() -> None:
    times = [NOW, NOW + timedelta(minutes=10), NOW + timedelta(hours=5)]
    assert worked_minutes(times) == 40
    assert worked_minutes(times[:1]) == 0


def test_a_laptop_switch_off_holds_the_button_four_seconds() -> None:
    """Check-values section 1, common practice: forced switch-off of a laptop holds power 4 s; tabs have 2 + 2
    screws.
    """
    plain = models()[PLAIN]
    assert "4 seconds" in plain.steps[1].text
    assert [group.count for group in plain.screws] == [2, 2]


def test_the_opening_plan_is_of_use_until_the_front_is_off() -> None:
    fresh = progress(MODEL, 1, [], proved=False)
    assert is_on_the_way_in(Stage.OPENED, fresh)
    assert is_on_the_way_in(Stage.PART_IN_HAND, fresh)
    swapping = replace(fresh, step=next(step for step in MODEL.steps if step.phase is Phase.SWAP))
    assert not is_on_the_way_in(Stage.OPENED, swapping)
    assert not is_on_the_way_in(Stage.CLOSED, replace(fresh, step=None))


# -- ways out: whatever was done, every round ends with a whole device ---------------------------------


def lies_open(model: Model, done: list[Done]) -> set[str]:
    """A judge of its own: what a hand would find off, by the last thing that was done to each piece."""
    last: dict[str, str] = {}
    for entry in done:
        for piece in model.pieces:
            if entry.step == piece.off.id:
                last[piece.id] = "off"
            elif entry.step == piece.on.id:
                last[piece.id] = "on"
    return {piece for piece, how in last.items() if how == "off"}


def carried_out(model: Model, work: Round, done: list[Done]) -> list[Done]:
    """What is recorded after every step of a round is done, with the counts it expects."""
    attempt = max((entry.attempt for entry in done), default=0) + 1
    records = list(done)
    for step in steps_of(model, work, done):
        if step.phase is not Phase.PROOF:
            counted = expected_count(model, records, step)
            records.append(Done(attempt=attempt, step=step.id, at=NOW, counted=counted))
    return records


EVERY_MODEL = sorted(models().values(), key=lambda model: model.id)


@pytest.mark.parametrize("work", [Round.CLOSING_UP, Round.NEW_PART, Round.REOPENED])
@pytest.mark.parametrize("model", EVERY_MODEL, ids=[model.id for model in EVERY_MODEL])
def test_wherever_the_bench_stands_every_round_ends_with_a_whole_device(model: Model, work: Round) -> None:
    whole = carried_out(model, Round.WHOLE, [])
    assert not lies_open(model, whole)
    for length in range(len(whole) + 1):
        so_far = whole[:length]
        assert state_of(model, so_far).off == lies_open(model, so_far)
        after = carried_out(model, work, so_far)
        assert not lies_open(model, after), (length, work)
        assert progress(model, 9, after, proved=True).counts_agree


@pytest.mark.parametrize("model", EVERY_MODEL, ids=[model.id for model in EVERY_MODEL])
def test_no_round_takes_out_what_is_out_or_unplugs_what_is_off(model: Model) -> None:
    whole = carried_out(model, Round.WHOLE, [])
    for work in (Round.CLOSING_UP, Round.NEW_PART, Round.REOPENED):
        for length in range(len(whole) + 1):
            off = lies_open(model, whole[:length])
            for step in steps_of(model, work, whole[:length]):
                for piece in model.pieces:
                    if step.id == piece.off.id:
                        assert piece.id not in off
                        off.add(piece.id)
                    elif step.id == piece.on.id:
                        assert piece.id in off
                        off.remove(piece.id)
            assert not off


def test_a_repair_given_up_before_it_was_cut_open_needs_no_seal() -> None:
    begun = done_until("warm")
    assert [step.id for step in steps_of(MODEL, Round.CLOSING_UP, begun)] == [
        "proof",
        "power-down-to-close",
        "bottom-in",
        "last-look",
    ]
    assert steps_of(MODEL, Round.CLOSING_UP, []) == ()


def test_a_fault_after_sealing_opens_by_the_sheet_and_before_it_only_what_was_screwed_on() -> None:
    closed = done_until("none of them")
    again = [step.id for step in steps_of(MODEL, Round.REOPENED, closed)]
    assert again[:5] == ["cards-out", "power-off", "bottom-out", "warm", "cup"]
    one_shield_on = done_until("battery-shield-in")
    again = [step.id for step in steps_of(MODEL, Round.REOPENED, one_shield_on)]
    assert again[0] == "battery-off"
    assert "warm" not in again
    assert "connector-shield-out" in again


def test_another_part_does_the_swap_again() -> None:
    at_proof = done_until("proof")
    again = [step.id for step in steps_of(MODEL, Round.NEW_PART, at_proof)]
    assert again[:2] == ["compare-part", "power-down"] or again[:2] == ["power-down", "compare-part"]
    assert again[2:7] == ["battery-off", "display-off", "touch-off", "sensor-off", "earpiece-out"]
    # the frame is clean and the seal is laid already
    assert "clean" not in again
    assert "seal-lay" not in again
    assert "warm" not in again


def test_screws_that_were_missing_on_arrival_are_not_expected() -> None:
    """Work sample W07: recorded at intake, and not blamed on the bench."""
    pocket = models()["bramling-pocket"]
    group = next(group for group in pocket.screws if group.side == "back" and group.at)
    at = Point(x=group.at[0].x, y=group.at[0].y)
    gone = Mark(kind=MarkKind.SCREW, points=(at,), reach_mm=0, side=Side.BACK)
    missing = missing_on_arrival(pocket, [gone, crack((1, 1), (9, 9))])
    assert missing == {group.id: 1}
    step = next(step for step in pocket.steps if step.screws == group.id and not step.screws_in)
    assert expected_count(pocket, [], step, missing) == group.count - 1
    heron = Mark(kind=MarkKind.SCREW, points=(Point(x=27, y=5),), reach_mm=0, side=Side.BOTTOM)
    assert missing_on_arrival(MODEL, [heron]) == {"bottom": 1}
    assert missing_on_arrival(MODEL, [replace(heron, side=Side.TOP)]) == {}
    assert missing_on_arrival(MODEL, [heron] * 5) == {"bottom": 2}


def test_the_glass_caution_stands_once_a_phase_and_again_where_the_old_front_is_handled() -> None:
    at_steps = [
        step.id
        for place, step in enumerate(MODEL.steps)
        if "glass"
        in [
            name
            for name, _, _ in cautions_at(
                step, ("glass",), first_of_phase=place == 0 or MODEL.steps[place - 1].phase is not step.phase
            )
        ]
    ]
    # once before opening, once when it begins, where the cup lifts it, and while it is stripped
    assert at_steps == ["compare-part", "bottom-out", "cup", "earpiece-out"]


def test_a_missing_screw_belongs_to_the_nearest_place_of_its_side() -> None:
    """Each screw of every model with places on its back or edge, drawn where it sits, from either side."""
    for model in EVERY_MODEL:
        wide = model.face.width_mm
        for group in (group for group in model.screws if group.side == "back" and group.at):
            for place in group.at:
                others = {
                    other.id
                    for other in model.screws
                    if other.side == "back" and other.id != group.id
                    for at in other.at
                    if abs(at.y - place.y) < 1 and min(abs(at.x - place.x), abs(wide - at.x - place.x)) < 1
                }
                for x in (place.x, wide - place.x):
                    gone = Mark(
                        kind=MarkKind.SCREW, points=(Point(x=x, y=place.y),), reach_mm=0, side=Side.BACK
                    )
                    [found] = missing_on_arrival(model, [gone])
                    assert found in {group.id} | others
    left, right = (
        Mark(kind=MarkKind.SCREW, points=(Point(x=x, y=5),), reach_mm=0, side=Side.BOTTOM) for x in (27, 44)
    )
    assert missing_on_arrival(MODEL, [left, right]) == {"bottom": 2}
    nowhere = replace(MODEL, screws=tuple(replace(group, at=()) for group in MODEL.screws))
    assert missing_on_arrival(nowhere, [left]) == {"bottom": 1}


def test_rework_puts_on_what_it_took_off_and_nothing_else_of_the_swap() -> None:
    whole = carried_out(MODEL, Round.WHOLE, [])
    at_proof = whole[: next(i for i, entry in enumerate(whole) if entry.step == "connector-shield-in")]
    inside = [step for step in steps_of(MODEL, Round.REWORK, at_proof) if step.phase is Phase.SWAP]
    assert {step.plug.name for step in inside if step.plug} == {"sensor", "touch", "display", "battery"}
    assert all(step.plug for step in inside)


def test_the_first_screw_of_a_hinge_is_counted_alone_and_the_rest_later() -> None:
    """A lid hangs on one screw of its right hinge until the left one is in (common practice, no source)."""
    model = models()["ardale-foil-13-first"]
    assert problems_of(model) == []
    entries: list[Done] = []
    expected: dict[str, int] = {}
    while (now := progress(model, 1, entries, proved=False)).step and not now.at_proof:
        if now.expected is not None:
            expected[now.step.id] = now.expected
        entries.append(Done(attempt=1, step=now.step.id, at=NOW, counted=now.expected))
    assert (expected["hinge-right-out"], expected["hinge-right-first"], expected["hinge-right-rest"]) == (
        3,
        1,
        2,
    )
    # in between the hinge is not closed: giving up there sets the first and the rest once more
    between = entries[: 1 + next(i for i, each in enumerate(entries) if each.step == "hinge-right-first")]
    assert "hinge-right" in state_of(model, between).off
    assert "hinge-right" not in state_of(model, entries).off
    again = list(between)
    while (now := progress(model, 2, again, proved=True, work=Round.CLOSING_UP)).step:
        again.append(Done(attempt=2, step=now.step.id, at=NOW, counted=now.expected))
    assert (now.out, now.back, now.counts_agree, now.is_open) == (now.out, now.out, True, False)


@pytest.mark.parametrize("part", [3, 7])
def test_a_first_part_that_is_the_whole_group_is_refused(part: int) -> None:
    model = models()["ardale-foil-13-first"]
    index = next(i for i, piece in enumerate(model.pieces) if piece.id == "hinge-right")
    hinge = model.pieces[index]
    assert hinge.first
    pieces = list(model.pieces)
    pieces[index] = replace(hinge, first=replace(hinge.first, screws=part))
    wrong = problems_of(replace(model, pieces=tuple(pieces)))
    assert [one.field for one in wrong] == [f"pieces[{index}].first.screws"]


# -- sheets that are written step by step (packs of format 2) -----------------------------------------


@pytest.mark.parametrize("work", [Round.CLOSING_UP, Round.NEW_PART, Round.REOPENED])
@pytest.mark.parametrize("model", written().values(), ids=lambda model: model.id)
def test_a_written_sheet_is_one_chain_and_every_round_of_it_ends_whole(model: Model, work: Round) -> None:
    whole = carried_out(model, Round.WHOLE, [])
    assert [entry.step for entry in whole] == [s.id for s in model.steps if s.phase is not Phase.PROOF]
    for length in range(len(whole) + 1):
        so_far = whole[:length]
        now = progress(model, 1, so_far, proved=True)
        assert now.possible == ((now.step,) if now.step else ())
        after = carried_out(model, work, so_far)
        assert not device_state(model, after).is_open, (length, work)
        assert progress(model, 9, after, proved=True).counts_agree


def test_a_written_sheet_is_reseated_in_the_order_of_its_rework() -> None:
    model = written()[HERON]
    at_proof = [
        Done(attempt=1, step=step.id, at=NOW)
        for step in model.steps
        if step.phase in (Phase.PREPARE, Phase.OPEN, Phase.SWAP)
    ]
    steps = steps_of(model, Round.REWORK, at_proof)
    inside = [step.id for step in steps if step.phase is Phase.SWAP]
    assert [step.id for step in steps[:4]] == ["battery-off", "display-off", "touch-off", "sensor-off"]
    assert inside == ["sensor-on", "touch-on", "display-on", "battery-on"]
    assert steps[-1].id == "last-look"


# -- free choice -------------------------------------------------------------------------------------------


def test_any_step_whose_constraints_hold_may_be_done_next() -> None:
    """Connectors in any order once the battery is off; what waits is refused with what it waits for."""
    done = done_until("display-off")
    now = progress(MODEL, 1, done, proved=False)
    assert [step.id for step in now.possible] == ["display-off", "touch-off", "sensor-off"]
    other = progress(MODEL, 1, done, proved=False, chosen="sensor-off")
    assert other.step
    assert other.step.id == "sensor-off"
    assert other.together == (other.step,)
    check_step(other, "sensor-off", "", "")
    done.append(Done(attempt=1, step="sensor-off", at=NOW))
    now = progress(MODEL, 1, done, proved=False)
    assert [step.id for step in now.possible] == ["display-off", "touch-off"]
    assert [step.id for step in now.together] == ["display-off", "touch-off"]
    with pytest.raises(Invalid, match="the next step is: Lift the display connector"):
        check_step(now, "earpiece-out", "3", "")


def test_a_step_that_waits_for_another_than_the_next_says_so() -> None:
    model = models()["ardale-foil-13-first"]
    until = [step.id for step in model.steps].index("display-plate-out")
    done = [Done(attempt=1, step=step.id, at=NOW) for step in model.steps[:until]]
    now = progress(model, 1, done, proved=False)
    assert now.step
    assert now.step.id == "display-plate-out"
    with pytest.raises(Invalid, match="first: Camera plate off"):
        check_step(now, "camera-off", "", "")


def test_screws_of_a_step_done_out_of_turn_are_counted_as_its_own() -> None:
    first = models()["ardale-foil-13-first"]
    done = [Done(attempt=1, step=step.id, at=NOW) for step in first.steps[:4]]
    other = progress(first, 1, done, proved=False, chosen="bottom-long-out")
    assert (other.step and other.step.id, other.expected) == ("bottom-long-out", 2)


# -- what is recorded with one press ------------------------------------------------------------------


def ids_together(step_id: str, model: Model = MODEL) -> str:
    step = next(step for step in model.steps if step.id == step_id)
    return " ".join(each.id for each in together(model.steps, step))


@pytest.mark.parametrize(
    "group",
    [
        "compare-part",
        "cards-out",  # another act at another place
        "bottom-out",  # its screws are counted
        "warm",  # heat
        "cup",  # limits, and it cuts
        "battery-off",  # the battery's connector stands alone
        "display-off touch-off sensor-off",
        "earpiece-out",  # the old front is handled, screws are counted
        "seal-lay",  # no connector
        "sensor-on touch-on display-on",  # and the battery comes last
        "battery-on",
        "proof",
        "seal-close",  # the screws after it are counted
    ],
)
def test_plain_steps_in_a_row_stand_together_and_the_others_alone(group: str) -> None:
    assert ids_together(group.split()[0]) == group


def test_no_more_than_four_stand_together_and_none_of_the_next_phase() -> None:
    plain = next(step for step in MODEL.steps if step.id == "display-off")
    row = [replace(plain, id=f"s{n}") for n in range(6)]
    assert len(together(row, row[0])) == 4
    row[2] = replace(row[2], phase=Phase.SWAP)
    assert together(row, row[0]) == tuple(row[:2])


@pytest.mark.parametrize("model", models().values(), ids=lambda model: model.id)
def test_what_stands_together_asks_for_nothing_but_to_be_done(model: Model) -> None:
    for step in model.steps:
        group = together(model.steps, step)
        assert group[0] is step
        for each in group if len(group) > 1 else ():
            asks = [each.screws, each.heat, each.limits, each.wait_minutes, each.second_look]
            assert not any(asks)
            assert each.plug
            assert not each.plug.battery
            assert each.goes is step.goes
            assert each.phase is step.phase is not Phase.PROOF


def test_steps_that_do_not_stand_together_are_refused() -> None:
    now = at("display-off")
    check_together(now, ["display-off"])
    check_together(now, ["display-off", "touch-off"])
    for wrong in (
        ["touch-off", "warm"],
        ["display-off", "sensor-off"],
        ["display-off", "touch-off", "sensor-off", "earpiece-out"],
    ):
        with pytest.raises(Invalid, match="step"):
            check_together(now, wrong)


def test_a_screw_drawn_as_missing_on_an_edge_belongs_to_the_nearest_along_that_edge() -> None:
    """Along the top and the bottom by how far right, along the sides by how far down; a mark on an edge is
    drawn by how far along it lies.
    """
    heron = models()[HERON]
    width, height = heron.face.width_mm, heron.face.height_mm

    def group(name: str, *at: tuple[float, float]) -> ScrewGroup:
        return ScrewGroup(
            id=name,
            count=len(at),
            where=name,
            side="edge",
            head="cross",
            bits=("cross 00",),
            length_mm=2.0,
            at=tuple(Point(x=x, y=y) for x, y in at),
        )

    model = replace(
        heron,
        screws=(
            group("bottom-left", (10, height)),
            group("bottom-right", (width - 10, height)),
            group("upper-left", (0, 20)),
            group("lower-left", (0, height - 20)),
        ),
    )

    def missing(side: Side, x: float, y: float) -> dict[str, int]:
        return missing_on_arrival(model, [Mark(kind=MarkKind.SCREW, points=(Point(x=x, y=y),), side=side)])

    assert missing(Side.BOTTOM, 12, 0) == {"bottom-left": 1}
    assert missing(Side.BOTTOM, width - 12, 0) == {"bottom-right": 1}
    assert missing(Side.LEFT, 25, 0) == {"upper-left": 1}
    assert missing(Side.LEFT, height - 25, 0) == {"lower-left": 1}
    assert missing(Side.TOP, 12, 0) == {}
