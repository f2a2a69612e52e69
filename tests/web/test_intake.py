"""The Counter over HTTP: the plan and the diagnosis while drawing, photos, consents, customers made one and
erased.
"""

from __future__ import annotations

import json
import re

import pytest
from builders import HERON, Shop
from formats.test_photo import bomb, picture
from starlette.testclient import TestClient
from web.desk import Answer, Desk, Sit, code_of, intake_fields, new_intake

from sutura.devices import plug, plugged
from sutura.devices.simulated.programmer import OLD_SERIAL, SimulatedProgrammer
from sutura.devices.simulated.thermometer import SimulatedThermometer
from sutura.store import photos as photos_store

SHATTERED = json.dumps(
    [{"kind": "crack", "points": [[x, 100], [x + 6, 146]], "reach_mm": 0} for x in range(0, 64, 4)]
    + [{"kind": "missing_screw", "points": [[20, 140]], "side": "back", "note": "gone on arrival"}]
)


def test_the_plan_and_the_diagnosis_come_with_every_keeping(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    fields = {"model_id": HERON, "marks": SHATTERED, "look.image": "none", "look.battery": "flat"}
    kept = pell.post(f"{way}/keep", **fields).json()
    assert "Not at the bottom edge as usual" in kept["opening"]
    assert "plan-cup" in kept["plan"]
    assert "Charge it first" in kept["reading"]
    assert "missing screw at 20, 140 mm on the back: gone on arrival" in [
        one["says"] for one in kept["labels"]
    ]
    page = pell.get(way).text
    assert "Charge it first" in page
    assert "plan-cup" in page


def test_a_drawing_that_cannot_be_read_says_so_and_keeps_the_rest(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    kept = pell.post(
        f"{way}/keep", model_id=HERON, marks='[{"kind": "crack", "points": [[1, 1], [900, 1]]}]'
    ).json()
    assert "put its marks right first" in kept["opening"]


def send_photo(desk: Desk, way: str, content: bytes, **more: str) -> Answer:
    data = {
        "csrf": desk.hidden("csrf"),
        "form_key": desk.hidden("form_key"),
        "model_id": HERON,
        "read_number": "FH-2107",
        **more,
    }
    return desk.read(desk.client.post(f"{way}/photo", data=data, files={"photo": ("a.jpg", content)}))


def test_a_photo_is_added_seen_and_taken_away_and_nothing_typed_is_lost(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    send_photo(pell, way, picture(), photo_says="impact at 20, 30 mm", complaint="dropped on gravel")
    assert "dropped on gravel" in pell.page
    (photo,) = photos_store.draft_photos(way.split("/")[-1])
    shown = pell.client.get(f"/photos/{photo.id}?small=1")
    assert shown.headers["content-type"] == "image/jpeg"
    pell.get(way)
    send_photo(pell, way, b"", act=f"remove-photo:{photo.id}")
    assert photos_store.draft_photos(way.split("/")[-1]) == []
    assert pell.client.get(f"/photos/{photo.id}").status_code == 404


@pytest.mark.parametrize(
    "content", [b"GIF89a....", bomb(50_000, 50_000), picture()[:150]], ids=["gif", "bomb", "broken"]
)
def test_a_wrong_photo_is_refused_in_place_and_nothing_else_is_lost(desks: Sit, content: bytes) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    send_photo(pell, way, content, complaint="dropped on gravel")
    assert pell.answer.status_code == 422
    assert "JPEG, PNG or WebP" in pell.page
    assert "dropped on gravel" in pell.page


def test_photos_are_for_those_who_are_signed_in(desks: Sit, client: TestClient) -> None:
    assert client.get("/photos/1", follow_redirects=False).status_code == 303


def test_the_ticket_says_what_was_found_and_how_it_came(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    how = {
        "arrival.data": "declines",
        "arrival.parcel_state": "dented",
        "arrival.return_address": "9 Quay Lane, Port Averil",
        "channel": "mail",
    }
    pell.post(way, **intake_fields(**{**how, "look.liquid": "tripped"}))
    page = pell.page
    assert "Broken: the glass" in page
    assert "the front glass is broken (" in page
    assert "what fails later from it is not promised" in page
    assert "the customer declines a backup" in page
    assert "9 Quay Lane" in page
    assert "came dented" in pell.get(f"/jobs/{code_of(pell)}").text


def test_consent_texts_are_changed_by_the_manager_and_asked_at_the_counter(desks: Sit) -> None:
    ines, pell = desks("ines"), desks("pell")
    assert pell.get("/consents").status_code == 403
    ines.get("/consents")
    ines.post(
        "/consents",
        consent="frame",
        text="A bent frame may crack the new glass.",
        needed="yes",
        active="yes",
        version="0",
    )
    assert "version 1" in ines.page
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    assert "A bent frame may crack the new glass." in pell.page
    pell.post(way, **intake_fields())
    assert pell.answer.status_code == 422
    ines.get("/consents")
    ines.post("/consents", consent="frame", text="A bent frame may crack the new glass.", version="1")
    assert "not in use" in ines.page
    ines.post("/consents", consent="frame", text="Other words, late.", active="yes", version="1")
    assert ines.answer.status_code == 409


def test_two_records_are_suggested_and_made_one_and_a_customer_is_exported_and_erased(
    desks: Sit, floor: Shop
) -> None:
    floor.receive("P-1001")
    first = floor.closed(phone="+44 20 7946 0018", name="Nadia Quell")
    floor.take_in(phone="020 7946 0018", name="N. Quell")
    ines = desks("ines")
    customer = floor.job(first).customer_id
    page = ines.get(f"/customers/{customer}").text
    assert "the same phone number" in page
    other = int(ines.hidden("other"))
    ines.post(f"/customers/{customer}/merge", other=str(other))
    assert "Perhaps the same person" not in ines.page
    assert ines.get(f"/customers/{customer}/export.json").json()["customer"]["name"] == "Nadia Quell"
    ines.get(f"/customers/{customer}")
    ines.post(f"/customers/{customer}/erase", typed_name="Nadia Quell")
    assert ines.answer.status_code == 422
    assert "hand these devices back first" in ines.page
    pell = desks("pell")
    assert pell.get(f"/customers/{customer}/export.json").status_code == 403
    assert "Erase" not in pell.get(f"/customers/{customer}").text


def test_a_signature_drawn_on_the_screen_stands_on_the_ticket_and_a_broken_one_is_refused(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, **intake_fields(signature="[[[1, 2], [30"))
    assert pell.answer.status_code == 422
    assert "sign once more on the pad" in pell.page
    pell.post(way, **intake_fields(signature="[[[9000, 2], [30, 4]]]"))
    assert pell.answer.status_code == 422
    pell.post(way, **intake_fields(signature="[[[1, 2], [30, 40]], [[50, 20], [80, 60]]]"))
    assert "The customer's signature" in pell.page
    assert '<polyline points="50,20 80,60"/>' in pell.page


@pytest.mark.parametrize("paper", ["a4", "letter", "roll", "label", "nonsense"])
def test_a_ticket_is_there_for_every_paper(desks: Sit, floor: Shop, paper: str) -> None:
    page = desks("pell").get(f"/jobs/{floor.take_in()}/ticket?paper={paper}").text
    assert f"paper-{paper if paper != 'nonsense' else 'a4'}" in page
    # it is read on other days
    assert not re.search(r"Promised <strong>today|today \d\d:\d\d by", page)


def test_a_photo_is_of_a_mark_and_says_so_on_the_job(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    drawn = json.dumps([{"kind": "dent", "points": [[30, 4]], "reach_mm": 2, "side": "left", "id": "m7"}])
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    send_photo(pell, way, picture(), marks=drawn, photo_mark="m7", photo_says="the corner")
    assert pell.page.count("dent at 30, 4 mm, 4 mm across on the left edge") >= 1
    assert 'class="photos"' in pell.page
    pell.post(way, **intake_fields(marks=drawn))
    page = pell.get(f"/jobs/{code_of(pell)}").text
    assert '<span class="quiet">dent at 30, 4 mm, 4 mm across on the left edge</span>' in page
    assert "The edges: dent" in page


def test_someone_known_is_offered_instead_of_added_twice(desks: Sit) -> None:
    pell = desks("pell")
    pell.post(new_intake(pell), **intake_fields(name="Ada Renn", phone="555 0777"))
    way = new_intake(pell)
    kept = pell.post(f"{way}/keep", name="A. Renn", phone="555-07 77").json()
    assert "the same phone number" in kept["same"]
    number = re.search(r'name="_pick_customer"\s+value="([0-9]+)"', kept["same"])
    assert number
    pell.get(way)
    pell.post(way, act="keep", pick_customer=number[1])
    assert "Ada Renn" in pell.get(way).text
    assert pell.post(f"{way}/keep", customer_id=number[1]).json()["same"] == ""


def test_what_could_not_be_tested_is_tried_again_from_the_job(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, **intake_fields(**{"function.touch": "not_testable", "reason.touch": "battery flat"}))
    code = code_of(pell)
    assert f"/jobs/{code}/again" in pell.get(f"/jobs/{code}").text
    pell.get(f"/jobs/{code}/again")
    pell.post(f"/jobs/{code}/again", **{"function.touch": "faulty", "reason.touch": ""})
    assert pell.answer.status_code == 422
    assert "write how it is faulty" in pell.page
    pell.post(
        f"/jobs/{code}/again", **{"function.touch": "faulty", "reason.touch": "dead", "look.touch": "dead"}
    )
    page = pell.get(f"/jobs/{code}").text
    assert "looked at again" in page
    assert f"/jobs/{code}/again" not in page
    assert "Everything was tested" in pell.get(f"/jobs/{code}/again").text


def test_the_shops_cups_are_set_by_the_manager(desks: Sit) -> None:
    ines, pell = desks("ines"), desks("pell")
    ines.get("/consents")
    ines.post("/consents/cups", cups="wide", version=ines.hidden("version"))
    assert ines.answer.status_code == 422
    assert "“wide”" in ines.page
    ines.get("/consents")
    ines.post("/consents/cups", cups="18, 24", version=ines.hidden("version"))
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    assert "Cup of 24 mm" in pell.get(way).text


def test_the_promise_says_where_the_part_is_and_who_does_it(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose=HERON, read_number="FH-2107")
    assert "To be ordered: " in pell.page
    floor.receive("P-1001")
    assert "On the shelf: " in pell.get(way).text
    pell.post(way, act="keep", choose="osmere-dial-42", read_number="OD-42")
    assert "Nothing sure can be promised" in pell.get(way).text
    assert "Nobody here is trained for this work." in pell.page


def test_devices_are_read_at_the_counter_and_a_hot_back_is_warned_of(desks: Sit, floor: Shop) -> None:
    """The serial of the display on arrival, and how warm the back is; one that does not answer is typed."""
    pell = desks("pell")
    path = new_intake(pell)
    fields = {"model_id": "quillon-ember-s", "name": "Ama Otieno", "read_number": "QE-09"}
    pell.post(path, **fields, act="read-display")
    serial = re.search(r'name="arrival.display_serial" value="([^"]+)"', pell.page)
    assert serial
    assert serial[1] == OLD_SERIAL
    assert 'value="Ama Otieno"' in pell.page
    pell.post(path, **fields, **{"arrival.display_serial": serial[1]}, act="read-back")
    back = re.search(r'name="arrival.back_c" value="([^"]+)"', pell.page)
    assert back
    assert 15 < float(back[1]) < 30
    assert "set it apart" not in pell.page.split("4 · What works now?")[1].split("</section>")[0]
    pell.post(path, **fields, **{"arrival.back_c": "52"}, act="keep")
    assert "set it apart" in pell.page.split("4 · What works now?")[1].split("</section>")[0]
    before = plugged()
    plug(thermometer=SimulatedThermometer(["away"]), programmer=SimulatedProgrammer(["silent", "away"]))
    try:
        refused = pell.post(path, **fields, act="read-back")
        assert refused.status_code == 422
        assert "type it: the device does not answer" in pell.page
        assert pell.post(path, **fields, act="read-display").status_code == 422
    finally:
        plug(thermometer=before.thermometer, programmer=before.programmer)


def test_a_model_that_knows_no_serial_is_not_asked_for_one(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    pell.post(new_intake(pell), model_id=HERON, name="Ama Otieno", act="keep")
    assert "Serial of its display" not in pell.page
    assert "How warm its back is" in pell.page
