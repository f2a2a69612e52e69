"""Who may do a job, how long it takes, what comes next. Common practice, no source, unless said."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import pytest
from builders import ALWAYS_OPEN, NOW, said

from sutura.core.errors import NotAllowed
from sutura.core.job import Stage
from sutura.core.planning.expected import (
    COUNTER_MINUTES,
    Told,
    Waiting,
    bench_minutes_left,
    expected_at,
    remaining_minutes,
    slack_minutes,
)
from sutura.core.planning.queue import (
    Action,
    Skill,
    by_due,
    by_plan,
    candidates,
    check_assign,
    expected_minutes,
    next_action,
    next_of,
    rank_next,
)


def waiting(code: str = "00-KV6", **changes: object) -> Waiting:
    plain: dict[str, object] = {
        "stage": Stage.PART_IN_HAND,
        "promise_at": NOW + timedelta(minutes=60),
        "bench_minutes": 25,
        "cure_minutes": 0,
        "steps_done": 0,
        "steps_total": 26,
        "technician": "Bram",
    }
    return Waiting(code=code, **{**plain, **changes})  # type: ignore[arg-type]


def test_a_closed_job_is_expected_once_it_has_cured_and_late_when_that_is_after_its_promise() -> None:
    """W20: 24 hours in the clamp, and the counter takes five minutes."""
    cured = NOW + timedelta(days=1)
    job = waiting(stage=Stage.CLOSED, ready=False, cure_minutes=1440, cured_at=cured)
    assert expected_at(job, NOW, ALWAYS_OPEN) == cured + timedelta(minutes=5)
    line = next_of(job, NOW, ALWAYS_OPEN)
    # it is looked at after sealing now, and goes tomorrow
    assert line.action is Action.LOOK
    assert "It cures until" in said(line.reason)
    assert "Will be 23 h 5 min late" in said(line.reason)
    assert line.slack_minutes == 60 - 1440 - 5
    later = replace(job, promise_at=cured + timedelta(hours=1))
    assert slack_minutes(later, NOW, ALWAYS_OPEN) == 55
    # once it is over nothing of it is left
    over = cured + timedelta(minutes=1)
    assert slack_minutes(later, over, ALWAYS_OPEN) == 54
    assert expected_at(later, over, ALWAYS_OPEN) == over + timedelta(minutes=5)
    assert "cures" not in said(next_of(later, over, ALWAYS_OPEN).reason)


def test_what_cures_is_not_looked_at_before_its_time() -> None:
    """Closed and looked at after sealing: its next action says until when it cures, and then asks for a
    look.
    """
    over = NOW + timedelta(hours=2)
    job = waiting(stage=Stage.CLOSED, ready=False, waits_until=over)
    line = next_of(job, NOW, ALWAYS_OPEN)
    assert (line.action, line.room) == (Action.CURE, "proof")
    assert "It cures until" in said(line.reason)
    later = next_of(job, over, ALWAYS_OPEN)
    assert (later.action, later.room) == (Action.LOOK, "proof")
    not_looked_at = next_of(replace(job, waits_until=None), NOW, ALWAYS_OPEN)
    assert not_looked_at.action is Action.LOOK


def skill(name: str, factor: str | None, load: int = 0) -> Skill:
    return Skill(
        person_id=len(name), name=name, factor=Decimal(factor) if factor else None, load_minutes=load
    )


def test_expected_minutes_follow_the_technicians_own_pace() -> None:
    assert expected_minutes(25, Decimal("0.8"), 4) == 24
    assert expected_minutes(25, None) == 25
    assert expected_minutes(25, Decimal("0.5")) == 13  # 12.5 rounds half up


def test_a_beginner_takes_30_to_60_minutes_where_others_take_less() -> None:
    """Work sample W06: 30–60 minutes predicted for a beginner (common practice)."""
    assert 30 <= expected_minutes(25, Decimal("1.8")) <= 60


def test_who_may_and_is_free_soonest_comes_first() -> None:
    found = candidates(
        [skill("Lio", "2.0"), skill("Marit", None), skill("Bram", "0.8", load=40)], "phones", 25, 0
    )
    assert [(hit.name, hit.may) for hit in found] == [("Lio", True), ("Bram", True), ("Marit", False)]
    assert "not trained in phones" in said(found[-1].why)


def test_an_untrained_technician_is_refused() -> None:
    check_assign(skill("Bram", "0.8"), "phones")
    for one in (None, skill("Marit", None)):
        with pytest.raises(NotAllowed, match="phones"):
            check_assign(one, "phones")


def test_slack_is_promise_less_now_less_what_is_left_to_do() -> None:
    line = rank_next([waiting()], NOW, ALWAYS_OPEN)[0]
    assert line.remaining_minutes == 5 + 25
    assert line.slack_minutes == 60 - 30
    assert said(line.reason) == "30 min to spare: about 30 min of work left."


def test_a_late_job_says_how_late_and_a_passed_promise_says_so() -> None:
    assert "Will be 20 min late" in said(
        rank_next([waiting(promise_at=NOW + timedelta(minutes=10))], NOW, ALWAYS_OPEN)[0].reason
    )
    assert "Will be 30 min late" in said(rank_next([waiting(promise_at=NOW)], NOW, ALWAYS_OPEN)[0].reason)
    assert "The promise passed 10 min ago" in said(
        rank_next([waiting(promise_at=NOW - timedelta(minutes=10))], NOW, ALWAYS_OPEN)[0].reason
    )


def test_a_held_up_job_says_why() -> None:
    line = rank_next([waiting(stage=Stage.QUOTED, blocked="no free Heron front")], NOW, ALWAYS_OPEN)[0]
    assert "Held up: no free Heron front" in said(line.reason)
    assert line.action is Action.RECEIVE


def test_cure_counts_until_the_device_is_closed() -> None:
    assert remaining_minutes(waiting(cure_minutes=30)) == 60
    assert remaining_minutes(waiting(stage=Stage.CLOSED, cure_minutes=30)) == 5


def test_bench_minutes_shrink_with_the_steps_done() -> None:
    left = [bench_minutes_left(waiting(stage=Stage.OPENED, steps_done=done)) for done in range(27)]
    assert left == sorted(left, reverse=True)
    assert left[0] == 25
    assert left[-1] >= 1


@pytest.mark.parametrize("stage", list(Stage))
def test_every_stage_has_one_next_action(stage: Stage) -> None:
    action, room = next_action(stage, assigned=True, blocked=False)
    assert action
    assert room in ("routes", "match", "bench", "handover", "plan", "job")


def test_a_part_in_hand_without_a_technician_is_assigned_first() -> None:
    assert next_action(Stage.PART_IN_HAND, assigned=False, blocked=False) == (Action.ASSIGN, "plan")


# what is left besides the bench at each stage; the shop's habit, no source
BESIDES_THE_BENCH = {
    Stage.IDENTIFIED: 10,
    Stage.QUOTED: 5,
    Stage.PART_IN_HAND: 5,
    Stage.OPENED: 5,
    Stage.PROVED: 5,
    Stage.CLOSED: 5,
    Stage.DECLINED: 5,
}


@pytest.mark.parametrize(("stage", "minutes"), BESIDES_THE_BENCH.items())
def test_what_is_left_of_a_job_is_its_bench_its_cure_and_the_counter(stage: Stage, minutes: int) -> None:
    ahead = stage in (Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND)
    opened = stage in (Stage.OPENED, Stage.PROVED)
    job = waiting(stage=stage, bench_minutes=40, steps_done=10, steps_total=20, cure_minutes=7)
    # the half that is not done: also of one that lies open and waits for another part
    bench = 20 if ahead or opened else 0
    assert bench_minutes_left(job) == bench
    # nothing was done yet
    assert bench_minutes_left(replace(job, steps_done=0)) == (40 if ahead or opened else 0)
    cure = 7 if ahead or opened else 0
    assert remaining_minutes(job) == bench + cure + minutes


def test_the_last_step_is_not_done_before_it_is_closed() -> None:
    assert (
        bench_minutes_left(waiting(stage=Stage.PROVED, bench_minutes=40, steps_done=20, steps_total=20)) == 2
    )
    # half a minute rounds up, less rounds down
    assert (
        bench_minutes_left(waiting(stage=Stage.OPENED, bench_minutes=25, steps_done=1, steps_total=2)) == 13
    )
    assert bench_minutes_left(waiting(stage=Stage.OPENED, bench_minutes=10, steps_done=2, steps_total=3)) == 3


def test_next_has_the_order_of_the_plan_and_what_is_not_in_it_comes_when_it_must() -> None:
    """Bench work at its time in the plan; a handover with half an hour to spare between what begins now and
    what begins in an hour; without a plan by when the bench must be done.
    """
    soon = waiting(code="A", promise_at=NOW + timedelta(hours=3))
    later = waiting(code="B", promise_at=NOW + timedelta(hours=2))
    handover = waiting(code="C", stage=Stage.CLOSED, promise_at=NOW + timedelta(minutes=35))
    unknown = waiting(code="D", promise_at=NOW + timedelta(hours=9))
    begins = {"A": NOW - timedelta(minutes=5), "B": NOW + timedelta(hours=1), "C": NOW + timedelta(days=3)}
    told = {
        code: Told(person_id=1, begins=at, done=at + timedelta(minutes=70), kept=50)
        for code, at in begins.items()
    }
    jobs = [unknown, later, handover, soon]
    ordered = by_plan(jobs, told, NOW, ALWAYS_OPEN)
    assert [job.code for _, job in ordered] == ["A", "C", "B", "D"]
    by_rule = {job.code: slack for slack, job in by_due(jobs, NOW, ALWAYS_OPEN)}
    spare = {job.code: minutes for minutes, job in ordered}
    # what is not in the plan, and what has no bench work ahead, by the rule
    assert (spare["C"], spare["D"]) == (by_rule["C"], by_rule["D"])
    # done by the plan 130 minutes from now, and five for the counter: a quarter of an hour late
    assert spare["B"] == 120 - 130 - COUNTER_MINUTES[later.stage]
    assert by_rule["B"] > 0
    # long work with little slack comes after what must be done before it
    long = waiting(code="E", bench_minutes=90, promise_at=NOW + timedelta(minutes=100))
    bare = by_plan([*jobs, long], {}, NOW, ALWAYS_OPEN)
    assert bare == by_due([*jobs, long], NOW, ALWAYS_OPEN)
    assert [job.code for _, job in bare] == ["C", "E", "B", "A", "D"]
    assert bare[1][0] < bare[0][0]
