"""One bad row, one stale key, one curious colleague: the rest of the shop goes on."""

from __future__ import annotations

import io
import json
from typing import Any

import peewee
import psycopg
import pytest
import structlog
from builders import HERON, PASSWORD, SLATE, Shop
from web.desk import Sit

from sutura import logs, wiring
from sutura.services import planning, quoting
from sutura.store import database as database_store
from sutura.store.database import DATABASE, connection, raw
from sutura.web import present


def test_a_row_that_cannot_be_shown_never_stops_a_list(
    desks: Sit, floor: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    floor.receive("P-1001")
    floor.receive("P-3001")
    rotten, sound = floor.held(HERON), floor.held(SLATE)
    ready = floor.take_in()
    real = planning._check_shown

    def check(job: Any) -> None:
        if job.waiting.code == rotten:
            raise OverflowError("planted")
        real(job)

    monkeypatch.setattr(planning, "_check_shown", check)
    log = io.StringIO()
    logs.to_stream(log)
    ines = desks("ines")
    for path in ("/", "/plan", "/bench"):
        page = ines.get(path)
        assert page.status_code == 200, path
        assert "One job cannot be shown here" in page.text, path
        assert f'href="/jobs/{rotten}"' in page.text
        assert f'href="/jobs/{sound}"' in page.text, path
    assert "One job cannot be shown" not in ines.get("/match").text
    assert ready in ines.get("/match").text
    structlog.reset_defaults()
    assert log.getvalue().count("row not shown") == 3
    assert json.loads(log.getvalue().splitlines()[0])["job"] == rotten


@pytest.mark.parametrize("day", ["0001-01-01T10:00", "9999-12-31T10:00", "2031-01-01T10:00"])
def test_a_promise_of_no_plausible_day_is_not_taken_at_the_counter(desks: Sit, floor: Shop, day: str) -> None:
    code = floor.take_in()
    pell = desks("pell")
    pell.get(f"/jobs/{code}")
    answer = pell.post(f"/jobs/{code}/promise", promise_at=day, promise_reason="the part is late")
    assert answer.status_code == 422
    assert "cannot be taken: choose a" in pell.page


@pytest.mark.parametrize(
    "change",
    [
        "promise_at = '0001-01-01'",
        "promise_at = '9999-12-31'",
        "promise_at = 'infinity'",
        "promise_at = received_at + interval '11 years'",
        "complaint = repeat('x', 4001)",
        "price_minor = 1000000001",
    ],
)
def test_the_database_takes_no_day_amount_or_text_beyond_all_bounds(floor: Shop, change: str) -> None:
    code = floor.take_in()
    with connection(), pytest.raises(peewee.DatabaseError), DATABASE.atomic():
        raw(f"update job set {change} where code = %s", code)


def test_purchase_prices_leave_in_a_pack_only_for_those_who_may_see_cost(desks: Sit) -> None:
    ours = json.loads(desks("ines").get("/catalogue/packs/parts.json").text)
    assert any(offer["price"] for part in ours["parts"] for offer in part["offers"])
    for who in ("pell", "bram"):
        theirs = desks(who).get("/catalogue/packs/parts.json").text
        assert '"price"' not in theirs
        assert '"shipping"' not in theirs
        assert len(json.loads(theirs)["parts"]) == len(ours["parts"])


def test_a_pack_that_changes_prices_is_read_by_a_manager_alone_and_leaves_who_and_when(
    desks: Sit, floor: Shop
) -> None:
    ines = desks("ines")
    pack = json.loads(ines.get("/catalogue/packs/parts.json").text)
    part = next(part for part in pack["parts"] if part["barcode"] == "P-1001")
    part["offers"][0]["price"] = "61.50"
    file = {"file": ("mine.json", json.dumps(pack).encode(), "application/json")}
    bram = desks("bram")
    bram.get("/catalogue/packs")
    keys = {"csrf": bram.hidden("csrf"), "form_key": "some-key-of-theirs"}
    assert bram.client.post("/catalogue/packs/look", data=keys, files=file).status_code == 403
    ines.get("/catalogue/packs")
    keys = {"csrf": ines.hidden("csrf"), "form_key": ines.hidden("form_key")}
    looked = ines.read(ines.client.post("/catalogue/packs/look", data=keys, files=file))
    ines.post(str(looked.url.path), act="read", mark=ines.hidden("mark"))
    with connection():
        [(minor, person)] = raw(
            "select price_minor, person_id from offer_price order by id desc limit 1"
        ).fetchall()
    assert (minor, person) == (6150, floor.manager.id)
    page = ines.get("/people/audit?what=pack+read+in").text
    assert "mine.json" in page
    assert "testclient" in page, "from where"


def test_a_price_changed_by_hand_keeps_who_changed_it(floor: Shop) -> None:
    with connection():
        [(offer, version)] = raw("select id, version from offer order by id limit 1").fetchall()
    quoting.change_offer_price(offer, "77.00", version, floor.manager, floor.now)
    with connection():
        [(minor, person)] = raw(
            "select price_minor, person_id from offer_price order by id desc limit 1"
        ).fetchall()
    assert (minor, person) == (7700, floor.manager.id)


def test_a_form_key_used_again_with_other_content_is_refused_not_said_to_be_done(
    desks: Sit, floor: Shop
) -> None:
    ines = desks("ines")
    ines.get("/people")
    key = ines.hidden("form_key")
    new = {"name": "Ada", "login": "ada", "role": "counter", "password": "long-enough-1"}
    assert ines.post("/people", form_key=key, **new).status_code == 200
    ines.get("/people")
    again = ines.post("/people", form_key=key, **new)
    assert again.status_code == 200, "the same again is the same answer"
    other = ines.post("/people", form_key=key, **{**new, "login": "bea", "name": "Bea"})
    assert other.status_code == 422
    assert "sent once already with other entries" in ines.page
    assert 'value="Bea"' in ines.page, "what was entered is kept"


def test_who_did_what_is_a_page_for_managers_newest_first(desks: Sit, floor: Shop) -> None:
    customer = floor.job(floor.take_in()).customer_id
    ines = desks("ines")
    ines.get(f"/customers/{customer}")
    page = ines.get("/people/audit").text
    assert page.index("customer read") < page.index("signed in")
    only = ines.get("/people/audit?what=signed+in").text
    assert "<td>customer read" not in only
    assert ines.get("/people/audit?what=nothing").text.count("<tr>") == 0
    assert desks("pell").client.get("/people/audit").status_code == 403


def test_the_next_action_of_next_is_the_first_jobs_and_not_another_device(desks: Sit, floor: Shop) -> None:
    """What is pressed by F9 is the page's first main button."""
    floor.take_in()
    page = desks("ines").get("/").text
    main = page.index('class="button main')
    assert page.index("Do this now") < main
    assert 'href="/jobs/' in page[main : main + 60]


def test_a_row_that_is_locked_stops_one_deed_for_seconds_and_says_so(
    desks: Sit, floor: Shop, database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    floor.receive("P-1001")
    code = floor.quoted(HERON)
    monkeypatch.setitem(database_store.PATIENCE, "lock_timeout", "300ms")
    wiring.connect(database)
    pell = desks("pell")
    pell.get(f"/jobs/{code}/match")
    with psycopg.connect(database) as other:
        other.execute("select 1 from job where code = %s for update", (code,))
        answer = pell.post(f"/jobs/{code}/match/take")
        assert answer.status_code == 503
        assert "Somebody else is at it" in pell.page
        assert pell.client.get("/").status_code == 200, "the rest of the shop goes on"
    pell.get(f"/jobs/{code}/match")
    assert pell.post(f"/jobs/{code}/match/take").status_code == 200


def test_a_row_that_breaks_where_it_is_written_is_said_in_its_place_and_the_others_stand(
    desks: Sit, floor: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    floor.receive("P-1001", 3)
    floor.receive("P-3001", 3)
    rotten, sound = floor.held(HERON), floor.held(SLATE)
    waiting, other = floor.take_in(), floor.take_in()
    ready, also = floor.closed(), floor.closed(SLATE)
    broken = {rotten, waiting, ready}
    written = present.TEMPLATES.globals

    def way_to(line: Any) -> str:
        if line.code in broken:
            raise ValueError("planted")
        return str(real(line))

    real: Any = written["way_to"]
    monkeypatch.setitem(written, "way_to", way_to)
    log = io.StringIO()
    logs.to_stream(log)
    ines = desks("ines")
    for path, bad, good in (
        ("/", rotten, sound),
        ("/bench", rotten, sound),
        ("/match", waiting, other),
        ("/counter", ready, also),
    ):
        page = ines.get(path)
        assert page.status_code == 200, path
        assert f'href="/jobs/{bad}">{bad}</a> cannot be shown here' in page.text, path
        assert f"{good} cannot be shown" not in page.text, path
        assert f">{good}</a>" in page.text, path
    structlog.reset_defaults()
    lines = [json.loads(line) for line in log.getvalue().splitlines() if "row not written" in line]
    assert {line["job"] for line in lines} == broken
    counted = [line["broken_since_start"] for line in lines]
    assert counted == list(range(counted[0], counted[0] + len(lines))), "each is counted"
    # the plan writes a seam beside each
    assigned = floor.opened(SLATE)
    monkeypatch.setitem(written, "draw_seam", lambda _: 1 / 0)
    plan = desks("ines").get("/plan")
    assert plan.status_code == 200
    assert f'href="/jobs/{assigned}">{assigned}</a> cannot be shown here' in plan.text


def test_locked_people_never_stop_the_sign_in_page_nor_who_is_signed_in(
    desks: Sit, floor: Shop, database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(database_store.PATIENCE, "lock_timeout", "300ms")
    wiring.connect(database)
    ines, stranger = desks("ines"), desks("bram")
    stranger.client.cookies.clear()
    right = {"login": "bram", "password": PASSWORD}
    with psycopg.connect(database) as other:
        for table in ("person", "login_session"):
            other.execute(f"select 1 from {table} for update")
        assert stranger.get("/sign-in").status_code == 200
        assert ines.get("/").status_code == 200, "who is signed in works on"
        # a session names its person, whose row is held: the one deed is told so and all may be tried again
        held = stranger.post("/sign-in", **right)
        assert held.status_code in (200, 503), held.text
        if held.status_code == 503:
            assert "Somebody else is at it" in stranger.page
    stranger.get("/sign-in")
    assert "Sign out" in stranger.post("/sign-in", **right).text


@pytest.mark.parametrize("members", ["9" * 5000, "1+" + "9" * 20, "٣+٤", "-1", "x+y", "1e999"])
def test_members_of_a_kit_that_are_no_numbers_are_refused_and_break_nothing(
    desks: Sit, floor: Shop, members: str
) -> None:
    code = floor.take_in()
    ines = desks("ines")
    for job in (code, "0001-01-01T00%3A00", "%20"):
        ines.get(f"/jobs/{code}/match")
        answer = ines.post(f"/jobs/{job}/match/choose", members=members, offer="1")
        assert 400 <= answer.status_code < 500, (job, members)


def test_a_full_disk_is_said_as_one_and_not_as_our_mistake(
    desks: Sit, floor: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """PostgreSQL's class 53, insufficient resources: 53100 is disk_full. It recovers by itself."""
    pell = desks("pell")
    full = psycopg.errors.DiskFull("could not extend file: No space left on device")
    with monkeypatch.context() as patch:

        def no_room(*_: Any, **__: Any) -> None:
            gone: Any = peewee.OperationalError(str(full))
            gone.orig = full
            with connection():
                raise gone

        patch.setattr(planning, "open_lines", no_room)
        answer = pell.get("/bench")
        assert answer.status_code == 503
        assert "The disk is full" in answer.text
        assert "our mistake" not in answer.text
    assert pell.get("/bench").status_code == 200
