"""The plan on the real database: gathered, solved, kept, shown; who is away, pins, places."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from builders import HERON, SLATE, Shop, models, said

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound, StaleSave
from sutura.core.planning.day import broken_by
from sutura.core.planning.solving import solve
from sutura.services import planning, plans, trials
from sutura.services import shop as shop_service
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import plans as store

EFFORT = 0.1


@pytest.fixture(autouse=True)
def trained(shop: Shop) -> None:
    every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
    for person in (shop.bram, shop.people["lio"]):
        people_store.save_skills(person.id, every)


def made(shop: Shop) -> plans.TimePlan:
    assert plans.make_plan(shop.now, 5, EFFORT)
    found = plans.plan_page(shop.now).time
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
    assert plans.assign_as_planned(shop.counter, shop.now) == 1
    assert shop.job(second).bench.technician == before[second][0]
    assert plans.assign_as_planned(shop.counter, shop.now) == 0


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
        plans.write_absence(day, UTC, shop.bram, shop.now)
    plans.write_absence(day, UTC, shop.counter, shop.now)
    [job] = made(shop).jobs
    assert job.start >= datetime(2031, 3, 4, 12, tzinfo=UTC)
    assert job.late
    [away] = store.away_after(shop.now)
    assert (away.name, away.why) == ("Bram", "ill")
    plans.end_absence(away.id, shop.counter, shop.now)
    [job] = made(shop).jobs
    assert job.start < datetime(2031, 3, 4, tzinfo=UTC)
    with pytest.raises(NotFound):
        plans.end_absence(away.id, shop.counter, shop.tick())


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
    plans.write_absence(long, UTC, shop.counter, shop.now)
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
    plans.write_absence(long, UTC, shop.counter, shop.now)
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
        plans.write_absence({**day, field: value}, UTC, shop.counter, shop.now)
    assert list(refused.value.by_field) == [field]
    with pytest.raises(Invalid):
        plans.write_absence({**day, "person": "999"}, UTC, shop.counter, shop.now)


def test_what_is_held_fast_stays_and_what_clashes_is_said(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first, second = shop.held(), shop.held()
    at = shop.now + timedelta(hours=3)
    stamp = at.strftime("%Y-%m-%dT%H:%M")
    plans.pin_job(first, str(shop.bram.id), stamp, UTC, shop.counter, shop.now)
    by_code = {job.code: job for job in made(shop).jobs}
    assert by_code[first].person == "Bram"
    assert by_code[first].start == at.replace(second=0, microsecond=0)
    assert by_code[first].pinned
    plans.pin_job(second, str(shop.bram.id), stamp, UTC, shop.counter, shop.now)
    found = made(shop)
    assert set(found.clash) == {first, second}
    assert len(found.jobs) == 2
    plans.pin_job(second, "", "", UTC, shop.counter, shop.now)
    assert made(shop).clash == ()
    with pytest.raises(ManyInvalid):
        plans.pin_job(second, "", "2031-03-01T09:00", UTC, shop.counter, shop.now)
    with pytest.raises(Invalid):
        plans.pin_job(second, "999", "", UTC, shop.counter, shop.now)
    with pytest.raises(NotAllowed):
        plans.pin_job(second, "", "", UTC, shop.bram, shop.now)


def test_what_begins_now_is_held_to_its_person_alone(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held()
    [job] = made(shop).jobs
    assert job.hold_at is None
    plans.pin_job(code, str(shop.bram.id), "", UTC, shop.counter, shop.now)
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
    found = plans.plan_page(shop.now).time
    assert found
    assert found.stale
    # something happens still: it waits until it is quiet, and not for ever
    assert not plans.is_stale(shop.now + timedelta(seconds=1))
    assert plans.is_stale(shop.now + timedelta(seconds=3))
    for _ in range(3):
        shop.tick(0.1)
        plans.pin_job(
            found.jobs[0].code if found.jobs else shop.take_in(HERON), "", "", UTC, shop.counter, shop.now
        )
    assert plans.is_stale(shop.now)


def test_places_are_the_shop_s(shop: Shop) -> None:
    version = shop_service.shop().version
    places = dict.fromkeys(plans.places_of({}), "1")
    with pytest.raises(NotAllowed):
        plans.change_stations(places, version, shop.bram, shop.now)
    plans.change_stations({**places, "hot plate": "3"}, version, shop.manager, shop.now)
    assert plans.gather(shop.now).day.stations["hot plate"] == 3
    with pytest.raises(StaleSave):
        plans.change_stations(places, version, shop.manager, shop.now)
    with pytest.raises(ManyInvalid) as refused:
        plans.change_stations({**places, "clamp": "many"}, version + 1, shop.manager, shop.now)
    assert list(refused.value.by_field) == ["clamp"]


def test_before_the_first_plan_there_is_none(shop: Shop) -> None:
    assert plans.plan_page(shop.now).time is None
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
    found = plans.plan_page(shop.now).time
    assert found
    assert found.made_at == before
    assert job_store.load_job(found.jobs[0].code)


def test_what_if_is_looked_at_and_nothing_is_kept(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    mine, other, third = shop.held(), shop.held(), shop.held()
    for code, who in ((mine, shop.bram), (other, shop.people["lio"]), (third, shop.bram)):
        planning.assign(code, who.id, shop.manager, shop.tick())
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
    assert plans.plan_page(shop.now).time == before
    for kind, what in (("away", "999"), ("late_part", "00-KV6"), ("more_places", "oven"), ("flood", "x")):
        with pytest.raises(Invalid):
            trials.what_if(kind, what, shop.now, 1)
