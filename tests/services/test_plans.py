"""The plan on the real database: gathered, solved, kept, shown; who is away, pins, places."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from zoneinfo import ZoneInfo

import pytest
from builders import HERON, PLAIN, SLATE, Shop, models, said

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound, StaleSave
from sutura.core.intake.promise import Offered
from sutura.core.job import Stage
from sutura.core.planning.day import broken_by
from sutura.core.planning.solving import PinsClash, solve
from sutura.services import loads, planning, plans, promises, rails, staffing, trials
from sutura.services import shop as shop_service
from sutura.services.job import FRESH
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import plans as store
from sutura.store.tables import Offer, Supplier

EFFORT = 0.1


@pytest.fixture(autouse=True)
def trained(shop: Shop) -> None:
    every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
    for person in (shop.bram, shop.people["lio"]):
        people_store.save_skills(person.id, every)


def made(shop: Shop) -> rails.TimePlan:
    plans.make_plan(shop.now, 5, EFFORT)
    found = rails.plan_page(shop.now).time
    assert found
    return found


def test_open_jobs_are_planned_and_the_plan_can_be_worked_by(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    codes = [shop.held(), shop.held(), shop.take_in(SLATE)]
    gathered = plans.gather(shop.now)
    assert {job.key for job in gathered.day.jobs} == set(codes)
    assert gathered.left_out == {}
    solved = solve(gathered.day, 5, EFFORT)
    assert broken_by(gathered.day, solved.plan) == ()
    found = made(shop)
    assert {job.code for job in found.jobs} == set(codes)
    assert all(job.person in ("Bram", "Lio") for job in found.jobs)
    assert "promises are kept" in said(found.says)
    assert not found.stale
    # what lies on the plate is on the plate's rail
    assert "hot plate" in {rail.name for rail in found.stations}


def test_a_job_goes_to_whom_it_has_and_a_plan_that_was_told_stays(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first, second = shop.held(), shop.held()
    planning.assign(first, shop.people["lio"].id, shop.manager, shop.tick())
    before = {job.code: (job.person, job.start) for job in made(shop).jobs}
    assert before[first][0] == "Lio"
    again = {job.code: (job.person, job.start) for job in made(shop).jobs}
    assert again == before
    assert staffing.assign_as_planned(shop.counter, shop.now) == 1
    assert shop.job(second).bench.technician == before[second][0]
    assert staffing.assign_as_planned(shop.counter, shop.now) == 0


def test_nobody_is_planned_while_away_and_comes_back(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held()
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    day = {
        "person": str(shop.bram.id),
        "from_at": "2031-03-03T00:00",
        "until_at": "2031-03-04T12:00",
        "why": "ill",
    }
    with pytest.raises(NotAllowed):
        staffing.write_absence(day, UTC, shop.bram, shop.now)
    staffing.write_absence(day, UTC, shop.counter, shop.now)
    [job] = made(shop).jobs
    assert job.start >= datetime(2031, 3, 4, 12, tzinfo=UTC)
    assert job.late
    [away] = store.away_after(shop.now)
    assert (away.name, away.why) == ("Bram", "ill")
    staffing.end_absence(away.id, shop.counter, shop.now)
    [job] = made(shop).jobs
    assert job.start < datetime(2031, 3, 4, tzinfo=UTC)
    with pytest.raises(NotFound):
        staffing.end_absence(away.id, shop.counter, shop.tick())


def test_who_is_always_away_is_said_and_the_rest_is_planned(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    mine, other = shop.held(), shop.held()
    planning.assign(mine, shop.bram.id, shop.manager, shop.tick())
    planning.assign(other, shop.people["lio"].id, shop.manager, shop.tick())
    long = {
        "person": str(shop.bram.id),
        "from_at": "2031-03-01T00:00",
        "until_at": "2031-05-01T00:00",
        "why": "",
    }
    staffing.write_absence(long, UTC, shop.counter, shop.now)
    found = made(shop)
    assert [job.code for job in found.jobs] == [other]
    [(code, why)] = found.left_out
    assert (code, said(why)) == (mine, "whoever may do it is away")


def test_what_waits_longer_than_is_planned_is_said(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(plans, "DAYS", 1)
    code = shop.quoted()
    job_store.save_promise(shop.job(code).id, shop.now + timedelta(days=9), "its part is rare")
    [(left, why)] = made(shop).left_out
    assert (left, said(why)) == (code, "its part comes after the days that are planned")


def test_what_has_no_room_is_said(shop: Shop) -> None:
    """Five minutes are left of the days that are planned: too short for any repair in one go."""
    shop.receive("P-1001")
    code = shop.held()
    planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    begins = (shop.now + timedelta(minutes=5)).strftime("%Y-%m-%dT%H:%M")
    long = {"person": str(shop.bram.id), "from_at": begins, "until_at": "2031-05-01T00:00", "why": ""}
    staffing.write_absence(long, UTC, shop.counter, shop.now)
    [(left, why)] = made(shop).left_out
    assert left == code
    assert said(why).startswith("nobody who may do it has so long in one go")


@pytest.mark.parametrize(
    ("field", "value"),
    [
        ("person", "x"),
        ("from_at", ""),
        ("until_at", "2031-03-02T00:00"),
        ("until_at", "2033-03-02T00:00"),
        ("why", "x" * 121),
    ],
)
def test_an_absence_has_bounds(shop: Shop, field: str, value: str) -> None:
    day = {
        "person": str(shop.bram.id),
        "from_at": "2031-03-03T00:00",
        "until_at": "2031-03-04T12:00",
        "why": "",
    }
    with pytest.raises(ManyInvalid) as refused:
        staffing.write_absence({**day, field: value}, UTC, shop.counter, shop.now)
    assert list(refused.value.by_field) == [field]
    with pytest.raises(Invalid):
        staffing.write_absence({**day, "person": "999"}, UTC, shop.counter, shop.now)


def test_what_is_held_fast_stays_and_what_clashes_is_said(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first, second = shop.held(), shop.held()
    at = shop.now + timedelta(hours=3)
    stamp = at.strftime("%Y-%m-%dT%H:%M")
    staffing.pin_job(first, str(shop.bram.id), stamp, UTC, shop.counter, shop.now)
    by_code = {job.code: job for job in made(shop).jobs}
    assert by_code[first].person == "Bram"
    assert by_code[first].start == at.replace(second=0, microsecond=0)
    assert by_code[first].pinned
    staffing.pin_job(second, str(shop.bram.id), stamp, UTC, shop.counter, shop.now)
    found = made(shop)
    assert set(found.clash) == {first, second}
    assert len(found.jobs) == 2
    staffing.pin_job(second, "", "", UTC, shop.counter, shop.now)
    assert made(shop).clash == ()
    with pytest.raises(ManyInvalid):
        staffing.pin_job(second, "", "2031-03-01T09:00", UTC, shop.counter, shop.now)
    with pytest.raises(Invalid):
        staffing.pin_job(second, "999", "", UTC, shop.counter, shop.now)
    with pytest.raises(NotAllowed):
        staffing.pin_job(second, "", "", UTC, shop.bram, shop.now)


def test_what_begins_now_is_held_to_its_person_alone(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held()
    [job] = made(shop).jobs
    assert job.hold_at is None
    staffing.pin_job(code, str(shop.bram.id), "", UTC, shop.counter, shop.now)
    [job] = made(shop).jobs
    assert (job.person, job.pinned) == ("Bram", True)


def test_a_part_that_has_to_come_is_not_worked_before_it_can_be_here(shop: Shop) -> None:
    code = shop.quoted()
    [job] = made(shop).jobs
    assert job.code == code
    assert job.start >= shop.now + timedelta(hours=23)
    assert said(job.why) == "when its part is here, or its wait is over"


def test_a_new_plan_is_made_when_something_changed_and_it_is_quiet(shop: Shop) -> None:
    assert plans.is_stale(shop.now)
    made(shop)
    assert not plans.is_stale(shop.now)
    assert plans.is_stale(shop.now + timedelta(minutes=11))
    shop.take_in(HERON)
    found = rails.plan_page(shop.now).time
    assert found
    assert found.stale
    # something happens still: it waits until it is quiet, and not for ever
    assert not plans.is_stale(shop.now + timedelta(seconds=1))
    assert plans.is_stale(shop.now + timedelta(seconds=3))
    for _ in range(3):
        shop.tick(0.1)
        staffing.pin_job(
            found.jobs[0].code if found.jobs else shop.take_in(HERON), "", "", UTC, shop.counter, shop.now
        )
    assert plans.is_stale(shop.now)


def test_places_are_the_shop_s(shop: Shop) -> None:
    version = shop_service.shop().version
    places = dict.fromkeys(plans.places_of({}), "1")
    with pytest.raises(NotAllowed):
        staffing.change_stations(places, version, shop.bram, shop.now)
    staffing.change_stations({**places, "hot plate": "3"}, version, shop.manager, shop.now)
    assert plans.gather(shop.now).day.stations["hot plate"] == 3
    with pytest.raises(StaleSave):
        staffing.change_stations(places, version, shop.manager, shop.now)
    with pytest.raises(ManyInvalid) as refused:
        staffing.change_stations({**places, "clamp": "many"}, version + 1, shop.manager, shop.now)
    assert list(refused.value.by_field) == ["clamp"]


def test_before_the_first_plan_there_is_none(shop: Shop) -> None:
    assert rails.plan_page(shop.now).time is None
    found = made(shop)
    assert found.jobs == ()
    assert said(found.says) == "All 0 promises are kept."


def test_the_last_good_plan_stays_while_a_new_one_cannot_be_made(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    shop.receive("P-1001")
    shop.held()
    before = made(shop).made_at

    def fails(*_: object, **__: object) -> None:
        raise RuntimeError("killed")

    monkeypatch.setattr(plans, "solve", fails)
    with pytest.raises(RuntimeError):
        plans.make_plan(shop.tick(30), 5, EFFORT)
    found = rails.plan_page(shop.now).time
    assert found
    assert found.made_at == before
    assert job_store.load_job(found.jobs[0].code)


def test_what_if_is_looked_at_and_nothing_is_kept(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    mine, other, third = shop.held(), shop.held(), shop.held()
    for code, who in ((mine, shop.bram), (other, shop.people["lio"]), (third, shop.bram)):
        planning.assign(code, who.id, shop.manager, shop.tick())
        job_store.save_promise(shop.job(code).id, shop.now + timedelta(minutes=70), "told")
    before = made(shop)
    ill = trials.what_if("away", str(shop.bram.id), shop.now, 1)
    assert ill.kept[1] < ill.kept[0]
    assert ill.late_minutes[1] > ill.late_minutes[0]
    assert ill.money.minor > 0
    assert {one.code for one in ill.moved if one.now_late} <= {mine, third}
    late = trials.what_if("late_part", other, shop.now, 1)
    assert {one.code for one in late.moved if one.now_late} == {other}
    plate = trials.what_if("more_places", "hot plate", shop.now, 1)
    assert (plate.kept[0], plate.money.minor, plate.moved) == (plate.kept[1], 0, ())
    rush = trials.what_if("rush", other, shop.now, 1)
    assert rush.kept[0] == ill.kept[0]
    assert rails.plan_page(shop.now).time == before
    for kind, what in (("away", "999"), ("late_part", "00-KV6"), ("more_places", "oven"), ("flood", "x")):
        with pytest.raises(Invalid):
            trials.what_if(kind, what, shop.now, 1)


# -- what follows from the plan ------------------------------------------------------------------------------


def test_a_promise_comes_out_of_the_plan_while_it_is_of_now(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    model = models()[HERON]
    for _ in range(4):
        shop.take_in()
    bare = promises.promise(model, shop.now)
    assert bare.offers == {}
    made(shop)
    planned = promises.promise(model, shop.now)
    assert set(planned.offers) == set(Offered)
    likely, safe, ordered = (planned.offers[kind] for kind in Offered)
    assert planned.at == likely < safe < ordered
    assert ordered - shop.now > timedelta(days=1)
    assert 40 <= planned.of_hundred <= 80
    assert any("has room in the plan" in said(reason) for reason in planned.reasons)
    # nobody made one for too long: what everybody has to do counts
    assert promises.promise(model, shop.now + FRESH - timedelta(seconds=1)).offers
    assert promises.promise(model, shop.now + FRESH).offers == {}


def test_an_offered_time_is_promised_as_it_is_when_it_is_saved(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    made(shop)
    safe = promises.promise(models()[HERON], shop.now).offers[Offered.SAFE]
    code = shop.take_in(offered="safe", soonest=False, promise_at=None, promise_reason="")
    assert abs(shop.job(code).promise_at - safe) <= timedelta(minutes=10)
    # the plan is gone meanwhile: nothing is promised by it
    shop.now += timedelta(hours=2)
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in(offered="safe", soonest=False, promise_at=None, promise_reason="")
    assert [one.field for one in refused.value.problems] == ["promise_at"]


def test_next_has_the_order_of_the_plan_and_one_s_own_list_the_same(shop: Shop) -> None:
    shop.receive("P-1001", 4)
    codes = [shop.held() for _ in range(4)]
    # the one that came last is pinned to begin at once
    at = f"{shop.now + timedelta(minutes=1):%Y-%m-%dT%H:%M}"
    staffing.pin_job(codes[3], str(shop.bram.id), at, UTC, shop.counter, shop.now)
    plan = made(shop)
    order = [job.code for job in plan.jobs]
    today = (shop.now, shop.now + timedelta(days=1))
    page = planning.next_page(shop.now, today=today, only_for=None, page=1)
    assert page.first
    shown = [page.first, *page.lines]
    assert [line.next.code for line in shown] == order
    assert [line.next.expected.told.kept for line in shown if line.next.expected.told] == [
        job.kept for job in plan.jobs
    ]
    # what the plan gives somebody stands on their own list, in its order, before it is theirs
    mine = planning.next_page(shop.now, today=today, only_for=shop.bram.id, page=1)
    assert mine.first
    [rail] = [rail for rail in plan.rails if rail.name == "Bram"]
    assert list(dict.fromkeys(block.code for block in rail.blocks)) == [
        line.next.code for line in [mine.first, *mine.lines]
    ]


def test_somebody_s_week_binds_the_plan_and_is_shown_on_their_rail(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    planning.assign(code := shop.held(), shop.bram.id, shop.manager, shop.tick())
    zone = ZoneInfo(shop_service.shop().timezone)
    opens = (shop.now + timedelta(hours=2)).astimezone(zone).replace(minute=0)
    begins = f"{opens:%H:%M}"
    typed = {f"{name}.{day}": at for day in range(7) for name, at in (("begins", begins), ("ends", "24"))}
    with pytest.raises(NotAllowed):
        staffing.change_shifts(str(shop.bram.id), typed, shop.bram, shop.now)
    with pytest.raises(Invalid):
        staffing.change_shifts("999", typed, shop.manager, shop.now)
    with pytest.raises(Invalid):
        staffing.change_shifts("", typed, shop.manager, shop.now)
    with pytest.raises(ManyInvalid):
        staffing.change_shifts(str(shop.bram.id), {"begins.0": "9"}, shop.manager, shop.now)
    before = store.stamp()
    staffing.change_shifts(str(shop.bram.id), typed, shop.manager, shop.now)
    assert store.stamp() != before
    page = made(shop)
    [job] = [job for job in page.jobs if job.code == code]
    assert job.start == opens
    [rail] = [rail for rail in page.rails if rail.name == "Bram"]
    assert rail.off[0][0] <= shop.now < rail.off[0][1] <= job.start
    assert not next(rail for rail in page.rails if rail.name == "Lio").off
    # without a week of one's own the shop's hours count again
    staffing.change_shifts(str(shop.bram.id), {}, shop.manager, shop.now)
    assert store.shifts() == {}
    assert [job.start < shop.now + timedelta(hours=1) for job in made(shop).jobs] == [True]


def test_what_the_plan_weighs_is_the_manager_s_and_counts(shop: Shop) -> None:
    record = shop_service.shop()
    typed = {"waiting": "7", "rush": "2", "move_minutes": "0"}
    with pytest.raises(NotAllowed):
        staffing.change_weights(typed, record.version, shop.bram, shop.now)
    for wrong in (
        {"waiting": "0"},
        {"rush": "0"},
        {"waiting": "101"},
        {"move_minutes": "481"},
        {"move_minutes": "x"},
    ):
        with pytest.raises(ManyInvalid):
            staffing.change_weights({**typed, **wrong}, record.version, shop.manager, shop.now)
    staffing.change_weights(typed, record.version, shop.manager, shop.now)
    with pytest.raises(StaleSave):
        staffing.change_weights(typed, record.version, shop.manager, shop.now)
    shop.receive("P-1001", 1)
    shop.held(channel="waiting")
    day = plans.gather(shop.now).day
    assert (day.jobs[0].weight, day.move_minutes) == (7, 0)


def test_what_holding_a_job_does_is_shown_before_it_is_held(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first, second = shop.held(), shop.held()
    for code in (first, second):
        planning.assign(code, shop.bram.id, shop.manager, shop.tick())
        job_store.save_promise(
            shop.job(code).id, shop.now + timedelta(minutes=45 if code == first else 300), "told"
        )
    made(shop)
    at = f"{shop.now + timedelta(minutes=2):%Y-%m-%dT%H:%M}"
    found = trials.if_pinned(second, str(shop.bram.id), at, UTC, shop.now)
    assert found.kept == (2, 1)
    assert [(one.code, one.now_late) for one in found.moved] == [(first, True)]
    assert store.pins() == []
    for code, person, start, field in (
        ("NO-JOB", "", "", "code"),
        (first, str(shop.people["lio"].id), "", "person"),
        (first, "", "2031-01-01T09:00", "start"),
        (first, "", "soon", ""),
        # an hour before midnight of the last day there is no room
        (first, "", f"{shop.now + timedelta(days=3, hours=23, minutes=50):%Y-%m-%dT%H:%M}", "start"),
    ):
        with pytest.raises(Invalid) as refused:
            trials.if_pinned(code, person, start, UTC, shop.now)
        assert refused.value.field == field
    staffing.pin_job(first, str(shop.bram.id), at, UTC, shop.counter, shop.now)
    with pytest.raises(PinsClash):
        trials.if_pinned(second, str(shop.bram.id), at, UTC, shop.now)


def test_a_promise_that_may_be_missed_says_what_would_help(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first, second = shop.held(), shop.held()
    for code in (first, second):
        planning.assign(code, shop.bram.id, shop.manager, shop.tick())
        job_store.save_promise(shop.job(code).id, shop.now + timedelta(minutes=40), "told")
    by_code = {job.code: said(job.helps) for job in made(shop).jobs}
    assert sorted(by_code.values())[-1] == "Lio would be done sooner: give it to them"
    # with nobody else the customer is told
    people_store.save_skills(shop.people["lio"].id, {})
    helped = [text for job in made(shop).jobs if (text := said(job.helps))]
    assert helped
    assert all(text.startswith("tell the customer now: most likely ready") for text in helped)


def test_a_part_on_order_is_waited_for_until_its_day_and_another_supplier_is_named(shop: Shop) -> None:
    code = shop.quoted(PLAIN)
    before = plans.gather(shop.now)
    [job] = [job for job in before.day.jobs if job.key == code]
    about = store.to_plan()[code]
    assert about.part_id
    assert about.lead_days
    assert job.release == pytest.approx(about.lead_days * 24 * 60, abs=1)
    assert job.late_minutes > 0
    assert before.sooner == {}
    job_store.save_promise(shop.job(code).id, shop.now + timedelta(hours=3), "told")
    other = Supplier.select(Supplier.id, Supplier.name).where(Supplier.id != about.supplier_id).first()
    Offer.delete().where(Offer.part == about.part_id, Offer.supplier == other.id).execute()
    terms = {"number": "quick", "price_minor": 100, "lead_days": 0, "minimum": 1, "pack": 1}
    Offer.insert(part=about.part_id, supplier=other.id, **terms).execute()
    assert plans.gather(shop.now).sooner == {code: (other.name, 0)}
    [planned] = made(shop).jobs
    assert said(planned.helps) == f"{other.name} brings its part in 0 days"


def test_the_week_counts_work_and_says_what_would_pay(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    codes = [shop.held() for _ in range(3)]
    for code in codes:
        job_store.save_promise(shop.job(code).id, shop.now + timedelta(minutes=45), "told")
    people_store.save_skills(shop.people["lio"].id, {"other": Decimal(1)})
    week = loads.week_page(shop.now)
    everything, family = week.rows[0], week.rows[1]
    assert everything[0] == ""
    assert (
        everything[1][0].work
        == family[1][0].work
        == sum(shop.job(code).chosen.route_minutes + shop.job(code).chosen.extra_minutes for code in codes)
    )
    assert len(week.days) == len(everything[1]) == 7
    [(gain, who, money), *_] = week.gains
    assert (gain.what, who, gain.kept >= 1) == (models()[HERON].procedure_family, "Lio", True)
    assert money.minor > 0


def test_plan_and_next_keep_the_same_promises(shop: Shop) -> None:
    """A promise with room for the bench and not for the counter after it is missed on both; one with room for
    both is kept on both, and ready by then.
    """
    shop.receive("P-1001", 1)
    code = shop.held()
    job = job_store.load_job(code)
    line = planning.next_page(shop.now, today=(shop.now, shop.now), only_for=None, page=1).first
    assert line
    whole = line.next.remaining_minutes
    counter = 5
    for minutes, late in ((whole, False), (whole - 1, True), (whole - counter, True)):
        job_store.save_promise(job.id, shop.now + timedelta(minutes=minutes), "it is tried")
        found = planning.next_page(shop.now, today=(shop.now, shop.now), only_for=None, page=1).first
        assert found
        assert (found.next.slack_minutes < 0) is late
        [planned] = made(shop).jobs
        assert planned.late is late
        assert planned.expected.ready == shop.now + timedelta(minutes=whole)


def test_what_the_plan_has_can_be_held_and_what_is_held_can_be_let_go(shop: Shop) -> None:
    """A job that is proved has its closing up ahead: it is in the plan. One that is closed is not, and what
    was held of it can be let go all the same.
    """
    shop.receive("P-1001", 1)
    code = shop.at_proof()
    shop.test(code)
    [planned] = made(shop).jobs
    assert planned.code == code
    staffing.pin_job(code, str(shop.bram.id), "", UTC, shop.counter, shop.tick())
    assert [pin.code for pin in store.pins()] == [code]
    while shop.job(code).stage is Stage.PROVED:
        shop.step(code)
    with pytest.raises(Invalid, match="still ahead"):
        staffing.pin_job(code, str(shop.bram.id), "", UTC, shop.counter, shop.tick())
    staffing.pin_job(code, "", "", UTC, shop.counter, shop.tick())
    assert store.pins() == []
