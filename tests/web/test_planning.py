"""Plan over HTTP: before the first plan, with one, what is written beside it, and who may."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from builders import Shop, models
from starlette.testclient import TestClient
from web.desk import Sit, intake_fields, new_intake

from sutura.services import planning, plans, rails, trials
from sutura.store import people as people_store
from sutura.store import plans as store
from sutura.store.database import connection


@pytest.fixture
def held(floor: Shop) -> str:
    """A job for Bram, and the first plan with it."""
    with connection():
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        people_store.save_skills(floor.bram.id, every)
        floor.receive("P-1001")
        code = floor.held()
        plans.make_plan(datetime.now(UTC), 4, 0.2)
    return code


def test_before_the_first_plan_it_is_said(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    pell.get("/plan")
    assert "The first plan is being made" in pell.page
    assert "Waiting for a technician" in pell.page


def test_rails_and_words_say_the_same(desks: Sit, held: str) -> None:
    bram = desks("bram")
    bram.get("/plan")
    assert bram.page.count(held) >= 2
    assert f'<a href="/jobs/{held}" class="stitches' in bram.page
    assert "promises are kept" in bram.page
    assert "the first of its person" in bram.page
    # who works at the bench sees the plan, and changes nothing of it
    assert "Hold it" not in bram.page
    assert "What if" not in bram.page
    for day in ("1", "99", "-3"):
        bram.get(f"/plan?day={day}")
        assert bram.answer.status_code == 200
    bram.post("/plan/assign")
    assert bram.answer.status_code == 403


def test_it_is_held_let_go_and_given_as_planned(desks: Sit, floor: Shop, held: str) -> None:
    pell = desks("pell")
    pell.get("/plan")
    row = pell.page[pell.page.index(f'name="_code" value="{held}"') :]
    [person, start] = re.findall(r'name="_(?:person|start)" value="([^"]*)"', row)[:2]
    pell.post("/plan/pin", _code=held, _person=person, _start=start)
    with connection():
        pins = {pin.code: pin.person_id for pin in store.pins()}
    assert pins[held] == int(person)
    pell.get("/plan")
    assert "held fast" in pell.page
    pell.post("/plan/pin", _code=held)
    with connection():
        assert held not in {pin.code for pin in store.pins()}
    pell.post("/plan/assign")
    assert floor.job(held).bench.technician


def test_an_absence_is_written_refused_in_place_and_ended(desks: Sit, floor: Shop, held: str) -> None:
    pell = desks("pell")
    pell.get("/plan")
    until = (floor.now + timedelta(days=1)).strftime("%Y-%m-%dT%H:%M")
    given = {"person": str(floor.bram.id), "from_at": floor.now.strftime("%Y-%m-%dT%H:%M"), "why": "ill"}
    pell.post("/plan/away", **given, until_at="soon")
    assert pell.answer.status_code == 422
    assert 'value="ill"' in pell.page
    pell.post("/plan/away", **given, until_at=until)
    pell.get("/plan")
    assert "Bram" in pell.page
    assert ": ill" in pell.page
    with connection():
        [away] = store.away_after(floor.now)
    pell.post("/plan/back", _absence=str(away.id))
    with connection():
        assert store.away_after(floor.now + timedelta(minutes=5)) == []


def test_what_if_is_shown_beside_the_plan(desks: Sit, floor: Shop, held: str) -> None:
    with connection():
        planning.assign(held, floor.bram.id, floor.manager, floor.tick())
    pell = desks("pell")
    pell.get(f"/plan/what-if?tried=away:{floor.bram.id}")
    assert "promises kept" in pell.page
    assert "Nothing of it is kept." in pell.page
    pell.get("/plan/what-if?tried=flood:1")
    assert pell.answer.status_code == 422
    assert "Who does what" in pell.page


def test_places_are_the_manager_s(desks: Sit, floor: Shop, held: str) -> None:
    pell, ines = desks("pell"), desks("ines")
    pell.get("/plan")
    assert "hot plate: 1" in pell.page
    ines.get("/plan")
    places = dict.fromkeys(plans.places_of({}), "2")
    ines.post("/plan/stations", _version=ines.hidden("version"), **places)
    ines.get("/plan")
    with connection():
        assert rails.plan_page(floor.now).places["hot plate"] == 2


def test_one_s_own_day_is_listed_and_followed_by_a_private_link(
    client: TestClient, desks: Sit, floor: Shop, held: str
) -> None:
    with connection():
        planning.assign(held, floor.bram.id, floor.manager, floor.tick())
        plans.make_plan(datetime.now(UTC), 4, 0.2)
    bram = desks("bram")
    bram.get("/plan/mine")
    assert held in bram.page
    assert "Make the link" in bram.page
    bram.post("/plan/mine/link")
    [address] = re.findall(r"/calendar/([A-Za-z0-9_-]+)", bram.page)
    answer = client.get(f"/calendar/{address}")
    assert answer.headers["content-type"].startswith("text/calendar")
    assert answer.headers["cache-control"] == "no-store"
    assert held in answer.text
    # jobs and devices, and no customer
    assert "Orla" not in answer.text
    # another link ends this one, and nobody guesses one
    bram.post("/plan/mine/link")
    for wrong in (address, "x" * 32, "short", "y" * 80):
        assert client.get(f"/calendar/{wrong}").status_code == 404
    pell = desks("pell")
    pell.get("/plan/mine")
    assert "Nothing is planned for you now." in pell.page


def test_absences_are_read_from_a_calendar_once(desks: Sit, floor: Shop, held: str) -> None:
    pell = desks("pell")
    pell.get("/plan")
    day = floor.now + timedelta(days=40)
    file = (
        "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nSUMMARY:course\r\n"
        f"DTSTART;VALUE=DATE:{day:%Y%m%d}\r\nEND:VEVENT\r\nBEGIN:VEVENT\r\nSUMMARY:broken\r\nEND:VEVENT\r\n"
        "END:VCALENDAR\r\n"
    ).encode()
    for written in ("1 written", "0 written"):
        sent = {
            "csrf": pell.hidden("csrf"),
            "form_key": pell.hidden("form_key"),
            "person": str(floor.bram.id),
        }
        answer = pell.client.post(
            "/plan/absences", data=sent, files={"file": ("a.ics", file, "text/calendar")}
        )
        pell.read(answer)
        assert written in pell.page
        assert "“broken”" in pell.page
    sent = {"csrf": pell.hidden("csrf"), "form_key": pell.hidden("form_key"), "person": "999999"}
    answer = pell.client.post("/plan/absences", data=sent, files={"file": ("a.ics", file, "text/calendar")})
    assert answer.status_code == 422


def test_what_holding_does_is_shown_with_the_button_that_keeps_it(desks: Sit, floor: Shop, held: str) -> None:
    pell = desks("pell")
    pell.get(f"/plan/try?code={held}&person={floor.bram.id}&start=")
    assert "promises kept</strong>" in pell.page
    assert f"Hold {held} fast" in pell.page
    assert "Nothing of it is kept yet" in pell.page
    with connection():
        assert store.pins() == []
    pell.get(f"/plan/try?code={held}&person=999&start=")
    assert pell.answer.status_code == 422
    assert "choose somebody who may do it" in pell.page
    # what was entered stands there still
    pell.get(f"/plan/try?code={held}&person=&start=2031-01-01T09:00")
    assert pell.answer.status_code == 422
    assert 'value="2031-01-01T09:00"' in pell.page
    pell.get("/plan/try?code=NOPE")
    assert pell.answer.status_code == 422
    bram = desks("bram")
    bram.get(f"/plan/try?code={held}")
    assert bram.answer.status_code == 403


def test_what_was_tried_is_kept_or_thrown_away(desks: Sit, floor: Shop, held: str) -> None:
    ines = desks("ines")
    ines.get(f"/plan/what-if?tried=away:{floor.bram.id}")
    assert "Keep it: write the absence down" in ines.page
    # the form that keeps it, not those of who is ill beside it
    form = next(form for form in ines.page.split("<form")[1:] if "Keep it: write the absence" in form)
    sent = {
        name: re.search(rf'name="_?{name}" value="([^"]*)"', form)[1]  # type: ignore[index]
        for name in ("person", "from_at", "until_at")
    }
    ines.post("/plan/away", **{f"_{name}": value for name, value in sent.items()})
    assert ines.answer.status_code == 200
    with connection():
        # what others wrote down before may lie in it and cut it in two
        away = [one for one in store.away_after(floor.now) if one.name == "Bram"]
    now = datetime.now(UTC)
    for hours in range(1, 24 * trials.LOOK_DAYS - 1):
        at = now + timedelta(hours=hours)
        assert any(one.from_at <= at < one.until_at for one in away), (hours, away)
    ines.get("/plan/what-if?tried=more_places:clamp")
    assert "Keep it: there is one more" in ines.page
    with connection():
        here = rails.plan_page(floor.now).places["clamp"]
    assert ines.hidden("clamp") == str(here + 1)
    pell = desks("pell")
    pell.get("/plan/what-if?tried=more_places:clamp")
    assert "Keep it: there is one more" not in pell.page


def test_a_week_of_one_s_own_is_kept_shown_and_refused_in_place(desks: Sit, floor: Shop, held: str) -> None:
    ines = desks("ines")
    ines.get("/plan")
    lio = str(floor.people["lio"].id)
    ines.post("/plan/shifts", person=lio, _week="1", **{"begins.0": "9", "ends.0": "8:30"})
    assert ines.answer.status_code == 422
    assert 'value="8:30"' in ines.page
    assert "end after the beginning" in ines.page
    ines.post("/plan/shifts", person=lio, _week="1", **{"begins.0": "9", "ends.0": "17:30"})
    assert ines.answer.status_code == 200
    assert "Lio: a week of their own" in ines.page
    assert 'value="17:30"' in ines.page
    bram = desks("bram")
    bram.post("/plan/shifts", person=lio)
    assert bram.answer.status_code == 403


def test_what_the_plan_weighs_is_the_manager_s(desks: Sit, held: str) -> None:
    ines = desks("ines")
    ines.get("/plan")
    version = ines.hidden("version")
    ines.post("/plan/weights", _version=version, waiting="9", move_minutes="many")
    assert ines.answer.status_code == 422
    assert 'value="many"' in ines.page
    ines.post("/plan/weights", _version=version, waiting="9", rush="4", move_minutes="30")
    assert 'value="9"' in ines.page
    pell = desks("pell")
    pell.get("/plan")
    assert "A customer who waits counts as 9, a rush as 4;" in pell.page
    pell.post("/plan/weights", _version=version, waiting="1", move_minutes="1")
    assert pell.answer.status_code == 403


def test_the_week_is_shown(desks: Sit, floor: Shop) -> None:
    bram = desks("bram")
    with connection():
        floor.receive("P-1001")
        floor.held()
    bram.get("/plan/week")
    assert "everything" in bram.page
    assert "<meter" in bram.page


def test_a_page_can_ask_whether_the_plan_is_still_the_one_it_shows(
    desks: Sit, floor: Shop, held: str
) -> None:
    bram = desks("bram")
    bram.get("/")
    [shown] = re.findall(r'data-seen="([0-9a-f]+)"', bram.page)
    bram.get("/plan/seen")
    assert bram.page == shown
    with connection():
        plans.make_plan(datetime.now(UTC), 4, 0.1)
    bram.get("/plan/seen")
    assert bram.page != shown
    bram.get("/")
    assert f'data-seen="{shown}"' not in bram.page
    assert "The plan begins it" in bram.page


def test_the_counter_is_offered_three_times_by_the_plan(desks: Sit, floor: Shop, held: str) -> None:
    with connection():
        floor.receive("P-1001", 2)
        plans.make_plan(datetime.now(UTC), 4, 0.1)
    pell = desks("pell")
    draft = new_intake(pell)
    fields = intake_fields(act="keep", name="")
    del fields["promise"]
    pell.post(draft, **fields)
    pell.get(draft)
    page = " ".join(pell.page.split())
    assert 'value="safe" checked' in page
    assert "kept in 90 of 100" in page
    assert "If its part has to be ordered" in page
