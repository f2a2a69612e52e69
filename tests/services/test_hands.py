"""At the bench beside the steps, on the real database: ways, notes, screws one by one, a device closed for
the night, the path of tries.
"""

from __future__ import annotations

from collections.abc import Callable

import pytest
from builders import HERON, Shop, models, said, told

from sutura.core.bench.rework import Meaning
from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed
from sutura.core.job import Move, Round, Stage, check_move
from sutura.core.planning.expected import bench_minutes_left
from sutura.core.planning.queue import TechnicianChoice
from sutura.services import bench, covering, hands, planning, schools
from sutura.services.job import gather_facts, job_page
from sutura.store import job as job_store
from sutura.store import planning as planning_store

PIXEL = bytes.fromhex(
    "89504e470d0a1a0a0000000d4948445200000001000000010802000000907753de0000000c49444154789c63606060000000"
    "040001f61738550000000049454e44ae426082"
)


def choices_of(shop: Shop, code: str, name: str) -> list[TechnicianChoice]:
    hands = covering.assign_page(code, shop.now).hands
    return [hand.choice for hand in hands if hand.choice.name == name]


def ids(code: str) -> list[str]:
    return [step.id for step in bench.bench_page(code).progress.steps]


def choose(shop: Shop, code: str, question: str, value: str, *, always: bool = False) -> None:
    hands.choose_way(code, question, value, shop.bram, shop.now, always=always)


def assigned(shop: Shop) -> str:
    code = shop.held(HERON)
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    return code


def until(shop: Shop, code: str, step: str) -> None:
    """Work on until a step is the next one."""
    while (now := bench.bench_page(code).progress.step) and now.id != step:
        shop.step(code)


def test_a_way_chosen_for_a_job_changes_its_sheet_its_cure_and_its_minutes(shop: Shop) -> None:
    shop.receive("P-1001")
    code = assigned(shop)
    assert "seal-lay" in ids(code)
    choose(shop, code, "seal", "2 mm tape")
    assert "edges-seal-lay" in ids(code)
    assert "seal-lay" not in ids(code)
    assert shop.job(code).bench.schools == {"seal": "2 mm tape"}
    assert any("Sealed with: 2 mm tape." in told(event) for event in job_page(code, shop.now).events)
    with pytest.raises(Invalid, match="glue tears"):
        choose(shop, code, "seal", "contact glue")
    bench.open_job(code, shop.bram, shop.now)
    # chosen back while it is open: what is left goes on by it
    shop.step(code)
    choose(shop, code, "seal", models()[HERON].seal)
    assert "seal-lay" in ids(code)
    assert shop.job(code).bench.schools == {}


def test_a_habit_counts_until_another_is_chosen_and_is_kept_with_what_was_opened_by_it(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first = assigned(shop)
    choose(shop, first, "heat", "heat gun", always=True)
    assert [(habit.question, habit.value) for habit in hands.habits_of(shop.bram)] == [("heat", "heat gun")]
    second = assigned(shop)
    assert schools.ways_of(shop.job(second)) == {"heat": "heat gun"}
    # this once as the model says, against the habit
    choose(shop, second, "heat", "pad")
    assert schools.ways_of(shop.job(second)) == {}
    bench.open_job(second, shop.bram, shop.now)
    assert schools.ways_of(shop.job(second)) == {}
    bench.open_job(first, shop.bram, shop.now)
    hands.forget_habit("heat", shop.bram)
    assert hands.habits_of(shop.bram) == []
    assert schools.ways_of(shop.job(first)) == {"heat": "heat gun"}
    warmed = [one.heat.with_what for one in bench.bench_page(first).progress.steps if one.heat]
    assert warmed == ["heat gun"]


def test_a_cure_that_is_chosen_counts_for_its_promise(shop: Shop) -> None:
    flint = "quillon-flint"
    code = shop.take_in(flint)
    before = next(line for line in planning.open_lines(shop.now).lines if line.next.code == code)
    choose(shop, code, "seal", "contact glue")
    after = next(line for line in planning.open_lines(shop.now).lines if line.next.code == code)
    assert shop.job(code).bench.cure_minutes == 45
    assert after.job.waiting.cure_minutes == before.job.waiting.cure_minutes + 45
    choose(shop, code, "seal", models()[flint].seal)
    assert shop.job(code).bench.cure_minutes is None


def test_only_who_works_at_the_bench_chooses_notes_or_takes_out(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened(HERON)
    deeds: list[Callable[[], None]] = [
        lambda: hands.choose_way(code, "seal", "2 mm tape", shop.counter, shop.now, always=False),
        lambda: hands.keep_note(code, "warm", "x", b"", shop.counter, shop.now),
        lambda: hands.touch_screw(code, "bottom-out", 1, shop.counter, shop.now),
        lambda: hands.put_in_from(code, "bottom-in", "bottom", shop.counter, shop.now),
        lambda: hands.close_for_the_night(code, shop.counter, shop.now),
        lambda: hands.go_on(code, shop.counter, shop.now),
        lambda: hands.forget_habit("seal", shop.counter),
    ]
    for deed in deeds:
        with pytest.raises(NotAllowed):
            deed()


def test_a_note_with_a_photo_stays_with_the_step(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened(HERON)
    hands.keep_note(code, "warm", "Glue is thick at the top.", b"", shop.bram, shop.now)
    hands.keep_note(code, "nothing-like-it", "", PIXEL, shop.bram, shop.now)
    newest, oldest = bench.bench_page(code).notes
    assert (oldest.step, oldest.says, oldest.photos) == ("warm", "Glue is thick at the top.", [])
    assert (newest.step, newest.says, len(newest.photos)) == ("", "", 1)
    with pytest.raises(ManyInvalid) as refused:
        hands.keep_note(code, "warm", "", b"", shop.bram, shop.now)
    assert set(refused.value.by_field) == {"note"}
    with pytest.raises(ManyInvalid):
        hands.keep_note(code, "warm", "a picture", b"no picture", shop.bram, shop.now)


def test_screws_are_taken_out_one_by_one_and_lie_in_the_tray_when_the_page_is_left(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened(HERON)
    until(shop, code, "bottom-out")
    hands.touch_screw(code, "bottom-out", 2, shop.bram, shop.now)
    tray = {field.group.id: field for field in bench.bench_page(code).tray}
    assert (tray["bottom"].out, tray["bottom"].is_out(2), tray["bottom"].is_out(1)) == (1, True, False)
    hands.touch_screw(code, "bottom-out", 2, shop.bram, shop.now)
    assert {field.group.id: field.out for field in bench.bench_page(code).tray}["bottom"] == 0
    with pytest.raises(Invalid, match="places of this step"):
        hands.touch_screw(code, "bottom-out", 3, shop.bram, shop.now)
    with pytest.raises(Invalid, match="the step shown"):
        hands.touch_screw(code, "warm", 1, shop.bram, shop.now)
    shop.step(code)
    assert {field.group.id: field.out for field in bench.bench_page(code).tray}["bottom"] == 2


def test_a_screw_from_another_field_is_refused_and_from_its_own_goes_in(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.at_proof(HERON)
    shop.test(code)
    until(shop, code, "connector-shield-in")
    heron = models()[HERON]
    longer = [
        one.id for one in heron.screws if one.length_mm > heron.screw_group("connector-shield").length_mm
    ]
    with pytest.raises(Invalid, match="breaks the board"):
        hands.put_in_from(code, "connector-shield-in", longer[0], shop.bram, shop.now)
    for _ in range(heron.screw_group("connector-shield").count):
        hands.put_in_from(code, "connector-shield-in", "connector-shield", shop.bram, shop.now)
    with pytest.raises(Invalid, match="nothing more goes in here"):
        hands.put_in_from(code, "connector-shield-in", "connector-shield", shop.bram, shop.now)
    field = next(one for one in bench.bench_page(code).tray if one.group.id == "connector-shield")
    assert (field.out, len(field.done)) == (0, heron.screw_group("connector-shield").count)


@pytest.mark.parametrize("interrupted", ["battery-off", "earpiece-in", "display-on", "proof"])
def test_closed_for_the_night_from_any_step_and_gone_on_with_to_the_end(shop: Shop, interrupted: str) -> None:
    shop.receive("P-1001")
    code = shop.opened(HERON)
    until(shop, code, interrupted)
    hands.close_for_the_night(code, shop.bram, shop.now)
    with pytest.raises(MoveRefused):
        hands.close_for_the_night(code, shop.bram, shop.now)
    while bench.bench_page(code).progress.step:
        shop.step(code)
    night = bench.bench_page(code)
    # it lies open: nothing was put on, no seal was spent, and the battery is off
    assert night.progress.is_open
    assert "edges" in night.progress.state.off
    assert "battery" in night.progress.state.off
    assert {"night-cover", "night-rest", "night-label"} <= night.progress.finished
    assert not {"seal-lay", "seal-close"} & night.progress.finished
    assert (night.job.stage, night.job.bench.round) == (Stage.OPENED, Round.FOR_THE_NIGHT)
    hands.go_on(code, shop.bram, shop.now)
    left = ids(code)
    assert left[:3] == ["morning-label", "morning-lift", "morning-uncover"]
    assert not {"warm", "cup", "fold"} & set(left)
    # what was moved over before the night is not moved again
    assert ("earpiece-out" in left) is (interrupted == "battery-off")
    shop.steps_until_proof(code)
    shop.test(code)
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    assert shop.job(code).stage is Stage.CLOSED
    done = bench.bench_page(code).progress
    assert done.out == done.back


def test_nobody_goes_on_after_a_night_that_was_none(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened(HERON)
    with pytest.raises(MoveRefused, match="not closed for the night"):
        hands.go_on(code, shop.bram, shop.now)


def test_the_path_of_tries_is_told_from_what_was_tested(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.at_proof(HERON)
    assert bench.bench_page(code).path is None
    shop.test(code, {"image": ("faulty", "white picture")})
    assert _meaning(code) is Meaning.NOT_YET
    shop.steps_until_proof(code)
    shop.test(code, {"image": ("faulty", "white picture")})
    assert _meaning(code) is Meaning.PART_SUSPECTED
    # it is not reseated a third time: switched off and unplugged, it waits for another part
    while bench.bench_page(code).progress.step:
        shop.step(code)
    page = bench.bench_page(code)
    assert page.job.bench.round is Round.SUSPECTED
    assert page.progress.finished == {"power-down", "battery-off"}
    assert page.progress.state.powered is False
    # and so it does after a night
    hands.close_for_the_night(code, shop.bram, shop.tick())
    while bench.bench_page(code).progress.step:
        shop.step(code)
    hands.go_on(code, shop.bram, shop.tick())
    assert bench.bench_page(code).job.bench.round is Round.SUSPECTED


def test_a_reseat_that_helps_says_that_it_was_a_connection(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.at_proof(HERON)
    shop.test(code, {"image": ("faulty", "white picture")})
    assert ids(code)[:2] == ["power-down", "battery-off"]
    shop.steps_until_proof(code)
    shop.test(code)
    assert _meaning(code) is Meaning.CONNECTION


def test_a_reseat_goes_on_after_a_night_with_what_is_left_of_it(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.at_proof(HERON)
    shop.test(code, {"image": ("faulty", "white picture")})
    until(shop, code, "touch-on")
    hands.close_for_the_night(code, shop.bram, shop.now)
    while bench.bench_page(code).progress.step:
        shop.step(code)
    hands.go_on(code, shop.bram, shop.now)
    page = bench.bench_page(code)
    assert page.job.bench.round is Round.REWORK
    # the sensor was reseated before the night and is not touched again
    assert not {"sensor-off", "sensor-on", "display-off"} & set(ids(code))
    assert {"touch-on", "display-on", "battery-on"} <= set(ids(code))


def _meaning(code: str) -> Meaning:
    found = bench.bench_page(code).path
    assert found
    return found.meaning


def test_finished_jobs_make_a_technician_s_own_time(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    code = shop.closed(HERON)
    [bram] = [
        hand.choice for hand in covering.assign_page(code, shop.now).hands if hand.choice.name == "Bram"
    ]
    assert "from 1 own jobs" in said(bram.why)
    first = shop.job(code)
    # one that was reworked says nothing of hands
    again = shop.at_proof(HERON)
    shop.test(again, {"image": ("faulty", "white picture")})
    shop.steps_until_proof(again)
    shop.test(again)
    while shop.job(again).stage is Stage.PROVED:
        shop.step(again)
    [still] = [
        hand.choice for hand in covering.assign_page(code, shop.now).hands if hand.choice.name == "Bram"
    ]
    assert "from 1 own jobs" in said(still.why)
    third = assigned(shop)
    # slower than was expected of Bram: more is expected of the next
    assert first.closing.bench_minutes > first.bench.expected_minutes
    assert shop.job(third).bench.expected_minutes > first.bench.expected_minutes


def test_a_job_laid_down_for_the_night_has_left_what_it_had(shop: Shop) -> None:
    """Its minutes are those of the sheet that goes on in the morning, not of the one for the night."""
    shop.receive("P-1001")
    code = shop.opened(HERON)
    until(shop, code, "clean")

    def left() -> int:
        return bench_minutes_left(planning_store.load_open_job(code).waiting)  # type: ignore[union-attr]

    before = left()
    hands.close_for_the_night(code, shop.bram, shop.now)
    while bench.bench_page(code).progress.step:
        assert left() == before
        shop.step(code)
    hands.go_on(code, shop.bram, shop.now)
    morning = len(bench.bench_page(code).progress.steps)
    whole = shop.job(code).bench
    assert whole.steps_total - whole.steps_done == morning
    # taking up what was laid down is all that the night adds
    assert before <= left() <= before + 5


def test_a_repair_given_up_tests_what_still_works_before_it_is_closed(shop: Shop) -> None:
    """W15 and others: what worked on arrival and does not now is answered for, on its receipt."""
    shop.receive("P-1001")
    code = shop.opened(HERON)
    until(shop, code, "clean")
    fates = {part.part_id: "good" for part in bench.bench_page(code).held}
    bench.give_up(code, fates, "the board is wet", shop.bram, shop.tick())
    while not bench.bench_page(code).progress.at_proof:
        shop.step(code)
    page = bench.bench_page(code)
    # the old front is plugged in again, nothing was warmed or folded once more
    assert {"display-on", "battery-on", "earpiece-out", "earpiece-in"} <= page.progress.finished
    assert not {"warm", "fold", "cup"} & {step.id for step in page.progress.steps}
    with pytest.raises(MoveRefused, match="bench steps are still open"):
        check_move(gather_facts(page.job, page.model), Move.CLOSE_UNREPAIRED)
    reading = shop.test(code, {"microphone": ("faulty", "torn cable")})
    assert [one.function.id for one in reading.answer_for] == ["microphone"]
    assert shop.job(code).stage is Stage.OPENED
    while shop.job(code).stage is Stage.OPENED:
        shop.step(code)
    assert shop.job(code).stage is Stage.DECLINED
    history = [told(event) for event in job_store.events_page(shop.job(code).id)]
    assert any("answered for – Microphone" in line for line in history)
