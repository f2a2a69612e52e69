"""The link to the device under test over HTTP: guessed, over, on a second device; and what its page tells."""

from __future__ import annotations

import json
import re

import pytest
from builders import HERON, Shop
from starlette.testclient import TestClient
from web.desk import Sit

from sutura.services import looks
from sutura.store import proof as store
from sutura.store.database import connection
from sutura.web.app import told_path

TOUCH = json.dumps({"w": 322, "h": 693, "strokes": [[[0, 10, 10], [16, 40, 10]]], "quiet": []})


@pytest.fixture
def job(floor: Shop) -> str:
    with connection():
        floor.receive("P-1001", 1)
        return floor.at_proof(HERON)


def link(desks: Sit, job: str) -> str:
    bram = desks("bram")
    bram.get(f"/jobs/{job}/proof")
    bram.post(f"/jobs/{job}/proof/link")
    assert bram.answer.status_code == 200
    [address] = re.findall(r'<p class="code break">([^<]+)</p>', bram.page)
    assert 'class="qr"' in bram.page
    return str(address).rsplit("/", 1)[1]


def send(client: TestClient, token: str, said: str = TOUCH, **more: str) -> tuple[int, str]:
    page = client.get(f"/t/{token}").text
    found = re.search(r'data-csrf="([^"]+)"', page)
    form = {"csrf": found[1] if found else "", "kind": "touch", "key": "key-00001", "said": said, **more}
    answer = client.post(f"/t/{token}", data=form)
    return answer.status_code, answer.text


def test_the_device_is_shown_a_code_and_tests_and_nothing_else(
    desks: Sit, floor: Shop, job: str, client: TestClient
) -> None:
    token = link(desks, job)
    page = client.get(f"/t/{token}")
    assert page.status_code == 200
    assert page.headers["cache-control"] == "no-store"
    assert page.headers["referrer-policy"] == "no-referrer"
    assert job in page.text
    for never in ("Orla", "Heron", "Bram", "555", "promise", "/jobs/", "Sign"):
        assert never not in page.text
    status, outcome = send(client, token)
    assert (status, outcome) == (200, "not_testable")
    desk = desks("bram")
    desk.get(f"/jobs/{job}/proof")
    assert "What the device says of itself" in desk.page
    assert 'value="not_testable" checked' in desk.page
    desk.get(f"/jobs/{job}/proof/paper")
    assert "measured on the device" in desk.page


def test_a_second_device_a_guess_and_a_forged_form_get_nothing(
    desks: Sit, floor: Shop, job: str, client: TestClient
) -> None:
    token = link(desks, job)
    assert send(client, token)[0] == 200
    second = TestClient(client.app, base_url="http://testserver")
    refused = second.get(f"/t/{token}")
    assert refused.status_code == 409
    assert "opened this link first" in refused.text
    assert send(second, token)[0] in (403, 409)
    assert second.get("/t/" + "x" * 32).status_code == 404
    assert send(client, token, csrf="forged")[0] == 403
    status, says = send(client, token, "no json", key="key-00002")
    assert status == 422
    assert "JSON object" in says
    with connection():
        assert len(store.load_tests(floor.job(job).id)) == 1
        # a new link ends the one before, and says so
        looks.make_link(job, floor.bram, floor.tick())
    assert told_path(f"/t/{token}") == "/t/…"
    assert told_path(f"/jobs/{job}/proof/link/{token}") == f"/jobs/{job}/proof/link/…"


def test_a_look_at_dust_and_one_at_a_sealed_device_are_kept_and_refused_in_place(
    desks: Sit, floor: Shop, job: str
) -> None:
    bram = desks("bram")
    bram.get(f"/jobs/{job}/proof")
    bram.post(f"/jobs/{job}/proof/dust", _specks="[[900, 1]]")
    assert bram.answer.status_code == 422
    bram.post(f"/jobs/{job}/proof/sealed")
    assert bram.answer.status_code == 409
    with connection():
        floor.receive("P-1001", 1)
        closed = floor.closed(HERON)
    bram.get(f"/jobs/{closed}/proof")
    assert "look at it after sealing" in bram.page
    bram.post(f"/jobs/{closed}/proof/sealed", **{"gap.top": "wide", "function.image": "works"})
    assert bram.answer.status_code == 422
    assert 'value="wide"' in bram.page
    pell = desks("pell")
    pell.get(f"/jobs/{closed}/proof")
    pell.post(f"/jobs/{closed}/proof/sealed")
    assert pell.answer.status_code == 403


def test_w13_bars_on_a_photo_are_worked_out_on_the_page(desks: Sit, job: str) -> None:
    bram = desks("bram")
    bram.get(f"/jobs/{job}/proof?shutter=500&pulses=240&reading=30")
    assert "no fault is booked" in bram.page
    assert "Take it again at 1/240" in bram.page
    bram.get(f"/jobs/{job}/proof?shutter=fast&pulses=240&reading=30")
    assert bram.answer.status_code == 422
    assert 'value="fast"' in bram.page
    bram.get(f"/jobs/{job}/proof?shutter=60&pulses=240&reading=30")
    assert "looked at by eye" in bram.page
