"""Somebody is ill, a rush, a delay: who takes the jobs, and the same time and lateness in every room."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from builders import HERON, PLAIN, SLATE, Shop, models, said

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound
from sutura.core.planning.expected import Expected
from sutura.services import bench, covering, messages, planning, plans, proof, rails, routes, staffing
from sutura.services import job as job_service
from sutura.services import shop as shop_service
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import plans as store
from sutura.store import shop as shop_store


@pytest.fixture(autouse=True)
def trained(shop: Shop) -> None:
    every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
    for person in (shop.bram, shop.people["lio"]):
        people_store.save_skills(person.id, every)


def made(shop: Shop) -> rails.TimePlan:
    plans.make_plan(shop.now, 5, 0.1)
    found = rails.plan_page(shop.now).time
    assert found
    return found


def lines(shop: Shop) -> dict[str, planning.NextLine]:
    today = (shop.now, shop.now + timedelta(days=1))
    page = planning.next_page(shop.now, today=today, only_for=None, page=1)
    return {line.next.code: line for line in (page.first, *page.lines) if line}


def said_everywhere(shop: Shop, code: str) -> list[Expected | None]:
    """What every room says of a job: Next, Plan, the job, who to give it to, and its customer's page."""
    in_plan = rails.plan_page(shop.now).time
    planned = [one.expected for one in (in_plan.jobs if in_plan else ()) if one.code == code]
    line, page = lines(shop)[code].next.expected, job_service.job_page(code, shop.now).next
    assert page
    rooms = [line, page.expected, covering.assign_page(code, shop.now).expected, *planned]
    return [*rooms, planning.expected_of(code, shop.now)]


@pytest.mark.parametrize("with_plan", [True, False])
def test_no_two_rooms_say_another_time(shop: Shop, *, with_plan: bool) -> None:
    """Law: when a job is ready and whether it is late is said once; with a plan by it, without one by the
    rule. A part that is days away counts in both.
    """
    shop.receive("P-1001", 3)
    codes = [shop.held(), shop.held(), shop.take_in(SLATE), shop.quoted(PLAIN), shop.take_in(HERON)]
    planning.assign(codes[0], shop.people["lio"].id, shop.manager, shop.tick())
    for hours, code in enumerate(codes):
        job_store.save_promise(shop.job(code).id, shop.now + timedelta(minutes=15 + 50 * hours), "told")
    if with_plan:
        made(shop)
    late = 0
    for code in codes:
        first, *others = said_everywhere(shop, code)
        assert first
        assert all(other == first for other in others)
        assert (first.told is not None) is with_plan
        assert first.ready is None or first.late is (first.ready > shop.job(code).promise_at)
        late += first.late
    assert late
    today = (shop.now, shop.now + timedelta(days=1))
    assert planning.next_page(shop.now, today=today, only_for=None, page=1).late == late
    if with_plan:
        found = rails.plan_page(shop.now).time
        assert found
        assert said(found.says).startswith(f"{len(codes) - late} of {len(codes)} promises")


def test_a_plan_that_says_all_is_kept_says_what_may_be_missed(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.held()
    line = lines(shop)[code]
    job_store.save_promise(
        shop.job(code).id, shop.now + timedelta(minutes=line.next.remaining_minutes), "just so"
    )
    plan = made(shop)
    assert "may well be missed" in said(plan.says)
    assert plan.jobs[0].expected.unsure
    job_store.save_promise(shop.job(code).id, shop.now + timedelta(hours=8), "with time")
    assert said(made(shop).says) == "All 1 promises are kept."


def test_who_is_ill_has_their_jobs_proposed_to_others_and_given_in_one_press(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    codes = [shop.held(), shop.held(), shop.held()]
    for code in codes:
        planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    with pytest.raises(NotAllowed):
        covering.write_ill(shop.bram.id, shop.bram, shop.now)
    covering.write_ill(shop.bram.id, shop.manager, shop.now)
    covering.write_ill(shop.bram.id, shop.manager, shop.now)
    assert len(store.away_after(shop.now)) == 1
    page = covering.away_page(shop.bram.id, shop.now)
    assert page.absence
    assert page.absence.why == "ill"
    assert page.absence.until_at == shop_service.open_hours().spans(shop.now, 14)[0][1]
    assert [one.person for one in page.proposed] == ["Lio"] * 3
    # one after the other, each as it would be ready
    ready = [one.expected.ready for one in page.proposed if one.expected]
    assert ready == sorted(at for at in ready if at)
    assert len(set(ready)) == 3
    # nobody who is away is shown as if they were here, or asked to stand beside
    assert lines(shop)[codes[0]].away_until == page.absence.until_at
    model = models()[HERON]
    assert [one.name for one in planning.here_of(planning.trained_for(model), shop.now)] == ["Lio"]
    hands = covering.assign_page(codes[0], shop.now).hands
    assert [hand.choice.name for hand in hands if hand.choice.may] == ["Lio", "Bram"]
    assert hands[1].choice.away_until
    assert covering.give_as_proposed(shop.bram.id, shop.manager, shop.now) == 3
    assert {shop.job(code).bench.technician for code in codes} == {"Lio"}
    assert covering.away_page(shop.bram.id, shop.now).proposed == ()
    staffing.end_absence(page.absence.id, shop.manager, shop.tick())
    assert covering.away_page(shop.bram.id, shop.now).absence is None
    with pytest.raises(NotFound):
        covering.away_page(9_999, shop.now)


def test_what_nobody_else_can_do_is_said_and_stays(shop: Shop) -> None:
    family = models()[HERON].procedure_family
    people_store.save_skills(shop.people["lio"].id, {"other": Decimal(1)})
    shop.receive("P-1001", 1)
    code = shop.held()
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    covering.write_ill(shop.bram.id, shop.manager, shop.now)
    [one] = covering.away_page(shop.bram.id, shop.now).proposed
    assert (one.person_id, one.expected) == (0, None)
    assert said(one.why_not) == "nobody else is trained for it"
    assert covering.away_page(shop.bram.id, shop.now).late == 1
    assert covering.give_as_proposed(shop.bram.id, shop.manager, shop.now) == 0
    assert shop.job(code).bench.technician == "Bram"
    assert family


def test_a_supervisor_who_is_away_stands_beside_nobody(shop: Shop) -> None:
    people_store.save_skills(shop.people["lio"].id, {"other": Decimal(1)})
    shop.receive("P-1001", 1)
    code = shop.opened()
    covering.write_ill(shop.bram.id, shop.manager, shop.now)
    page = bench.bench_page(code, shop.people["lio"], now=shop.now)
    assert page.trained == []
    assert page.progress.step
    with pytest.raises(Invalid, match="stands beside you"):
        bench.do_step(
            code, page.progress.step.id, "", "", shop.people["lio"], shop.now, supervisor=shop.bram.id
        )
    assert proof.second_of(shop.job(code), models()[HERON], shop.now) == []


def test_with_whom_a_job_is_ready_soonest_stands_first(shop: Shop) -> None:
    """The same hour that a promise names and the page of who gets it: by the plan, and by the rule."""
    shop.receive("P-1001", 4)
    for _ in range(2):
        planning.assign(shop.held(), shop.bram.id, shop.manager, shop.tick())
    code = shop.held()
    for plan in (False, True):
        if plan:
            made(shop)
        hands = covering.assign_page(code, shop.now).hands
        assert [hand.choice.name for hand in hands if hand.choice.may] == ["Lio", "Bram"]
        assert hands[0].ready
        assert hands[1].ready
        assert hands[0].ready < hands[1].ready
        assert hands[0].planned is plan
    assert hands[0].ready == lines(shop)[code].next.expected.ready


def test_a_rush_is_a_fact_of_the_job_with_an_earlier_promise_that_is_kept(shop: Shop) -> None:
    shop_store.save_shop(price_policy={"rush": 2_500})
    assert shop_service.shop().rates.policy.rush_bps == 2_500
    shop.receive("P-1001", 3)
    code = shop.take_in(HERON)
    job_store.save_promise(shop.job(code).id, shop.now + timedelta(days=2), "it was said so")
    best = next(one for one in routes.routes_page(code, shop.now).ways if one.on_shelf and one.offer)
    routes.choose_way(code, best.weighed.way.key, shop.counter, shop.now, agreed=True, rush=True)
    job = shop.job(code)
    assert job.chosen.rush
    assert job.promise_at == best.ready
    assert job.chosen.price_minor
    assert job.chosen.price_minor > best.weighed.way.price.minor
    assert lines(shop)[code].job.waiting.rush
    [planned] = made(shop).jobs
    assert planned.rush
    assert not planned.late
    work = next(one for one in plans.gather(shop.now).day.jobs if one.key == code)
    assert work.weight == plans.weights_of(shop_service.shop()).rush > 1
    shop_store.save_shop(planning={"waiting": 5, "rush": 9, "move_minutes": 20})
    assert next(one for one in plans.gather(shop.now).day.jobs if one.key == code).weight == 9


def test_a_delay_is_told_with_a_time_that_can_be_kept(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.held()
    job_store.save_promise(shop.job(code).id, shop.now + timedelta(minutes=5), "too soon")
    made(shop)
    offered = planning.offered_promise(code, shop.now)
    ready = lines(shop)[code].next.expected.ready
    assert ready
    assert offered
    assert ready <= offered < ready + timedelta(minutes=5)

    def told(at: datetime, reason: str = "it takes longer than we thought") -> str:
        return messages.tell_delay(code, f"{at:%Y-%m-%dT%H:%M}", reason, UTC, shop.counter, shop.now)

    for wrong in (offered - timedelta(minutes=5), shop.now - timedelta(hours=1)):
        with pytest.raises(ManyInvalid) as refused:
            told(wrong)
        assert [one.field for one in refused.value.problems] == ["told_promise"]
    with pytest.raises(ManyInvalid):
        told(offered, "no")
    assert shop.job(code).promise_at == shop.now + timedelta(minutes=5)
    assert told(offered) == "waiting"
    assert shop.job(code).promise_at == offered
    [sent] = messages.messages_of(shop.job(code))
    assert f"{offered.astimezone(shop_service.open_hours().zone):%H:%M}" in sent.body


def test_nobody_waits_here_for_what_is_not_ready_today(shop: Shop) -> None:
    """The part has to be ordered: the counter says so instead of noting a customer who sits and waits."""
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in(HERON, channel="waiting", promise_reason="")
    assert {one.field for one in refused.value.problems} >= {"channel"}
    assert shop.job(shop.take_in(HERON, channel="waiting", promise_reason="they come by train"))
    shop.receive("P-1001", 1)
    assert shop.job(shop.take_in(HERON, channel="waiting", promise_reason=""))
