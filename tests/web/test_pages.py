"""Pages over HTTP: the whole slice as forms, what each role sees, refusals in place."""

from __future__ import annotations

import json
import re

import pytest
from builders import HERON, PLAIN, Shop, all_work, models
from formats.edid_builder import Made, displayid, product_block
from web.desk import Sit, code_of, intake_fields, new_intake

from sutura.core.job import Stage
from sutura.core.proof.sealing import PLACES
from sutura.store import customers as customers_store
from sutura.store import drafts as drafts_store
from sutura.store import job as job_store

ROOMS = (
    "/",
    "/counter",
    "/match",
    "/shelf",
    "/bench",
    "/plan",
    "/book",
    "/catalogue",
    "/catalogue/rules",
    "/living",
    "/people",
)


def test_a_device_goes_from_counter_to_receipt_by_forms_alone(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001", 3)
    pell, bram, ines = desks("pell"), desks("bram"), desks("ines")
    way = new_intake(pell)
    pell.post(way, **intake_fields())
    assert pell.answer.url.path.endswith("/ticket")
    code = code_of(pell)
    assert "<svg" in pell.page
    assert "crack" in pell.page

    pell.get(f"/jobs/{code}/match")
    offer = re.search(r'name="_offer" value="(\d+)"', pell.page)
    assert offer
    pell.post(f"/jobs/{code}/match/choose", offer=offer[1])
    pell.get(f"/jobs/{code}/match")
    pell.post(f"/jobs/{code}/match/take")
    pell.get(f"/jobs/{code}/assign")
    pell.post(f"/jobs/{code}/assign", technician=floor.bram.id)

    bram.get(f"/jobs/{code}/bench")
    bram.post(f"/jobs/{code}/bench/open")
    while f"/jobs/{code}/proof" not in bram.page:
        expected = re.search(r"the sheet says (\d+)", bram.page)
        floor.held_by_now(code)
        bram.post(
            f"/jobs/{code}/bench/step", step=bram.hidden("step"), counted=expected[1] if expected else ""
        )
        assert bram.answer.status_code == 200
    bram.get(f"/jobs/{code}/proof")
    bram.post(f"/jobs/{code}/proof", **{f"function.{name}": "works" for name in all_work(models()[HERON])})
    assert "Proved" in bram.page
    bram.get(f"/jobs/{code}/bench")
    while job_store.load_job(code).stage is Stage.PROVED:
        expected = re.search(r"the sheet says (\d+)", bram.page)
        floor.held_by_now(code)
        bram.post(
            f"/jobs/{code}/bench/step", step=bram.hidden("step"), counted=expected[1] if expected else ""
        )

    # before it was looked at once more the counter has nothing to press
    pell.get(f"/jobs/{code}/handover")
    assert "it was not looked at after sealing" in pell.page
    assert "By card" not in pell.page
    bram.get(f"/jobs/{code}/proof")
    sealed = {f"function.{name}": "works" for name in all_work(models()[HERON])}
    bram.post(f"/jobs/{code}/proof/sealed", **sealed, **{f"flush.{place}": "yes" for place in PLACES})
    assert "Hand it back" in bram.page
    pell.get(f"/jobs/{code}/handover")
    ticked = re.search(r'name="returned" value="(\d+)"', pell.page)
    owed = re.search(r"To pay: <strong>([\d.]+) TAL", pell.page)
    assert ticked
    assert owed
    pell.post(f"/jobs/{code}/handover", returned=ticked[1], amount=owed[1], method="card")
    assert pell.answer.url.path.endswith("/receipt")
    assert "Warranty" in pell.page
    assert "Front assembly: fitted Heron front" in pell.page
    assert "Keep it away from water." in pell.page
    assert "Per bench hour" in ines.get(f"/jobs/{code}").text
    assert code in ines.get("/book").text


def test_a_refused_intake_keeps_everything_that_was_entered(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    fields = intake_fields(
        name="",
        complaint="fell off a roof",
        serial="SN77",
        **{"function.touch": "faulty", "reason.touch": ""},
    )
    pell.post(way, **fields)
    assert pell.answer.status_code == 422
    for kept in ("fell off a roof", "SN77", 'value="tray 1"', "&#34;crack&#34;", "555 0101"):
        assert kept in pell.page, kept
    assert re.search(r'name="function.touch" value="faulty" checked', pell.page)
    assert "how it is faulty" in pell.page
    assert pell.get(way).text.count("fell off a roof") == 1, "it is still there after leaving"


def test_a_doubled_submit_makes_one_job(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    before = job_store.count_jobs()
    tokens = {"csrf": pell.hidden("csrf"), "form_key": pell.hidden("form_key")}
    answers = [pell.client.post(way, data={**tokens, **intake_fields()}) for _ in range(2)]
    assert answers[0].url.path == answers[1].url.path
    assert job_store.count_jobs() == before + 1


def test_an_intake_is_kept_while_typing(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    said = pell.post(f"{way}/keep", **intake_fields(act="")).json()
    assert said["saved"].startswith("Kept at")
    assert "1 crack" in said["damage"]
    assert said["labels"] == [{"says": "crack from 1, 2 to 30, 40 mm, 48 mm long", "id": ""}]
    kept = drafts_store.load_draft(way.rsplit("/", 1)[1])
    assert kept
    assert kept.fields["name"] == ["Orla Venn"]
    assert not {"csrf", "form_key"} & set(kept.fields)


def test_a_sending_overtaken_on_the_network_does_not_undo_a_later_one(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    page = pell.hidden("page")
    for seq, name in (("5", "Orla Venn"), ("3", "Orla Ve")):
        assert (
            pell.post(f"{way}/keep", **intake_fields(act="", page=page, seq=seq, name=name)).status_code
            == 200
        )
        pell.get(way)
    kept = drafts_store.load_draft(way.rsplit("/", 1)[1])
    assert kept
    assert kept.fields["name"] == ["Orla Venn"]


@pytest.mark.parametrize(
    "marks",
    [
        "[",
        "{}",
        "[1]",
        '[{"kind":"hole","points":[]}]',
        '[{"kind":"crack","points":[[1e999,0],[1,1]]}]',
        '[{"kind":"impact","points":[["NaN",0]]}]',
    ],
)
def test_a_broken_drawing_is_refused_and_nothing_else_is_lost(desks: Sit, marks: str) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, **intake_fields(marks=marks))
    assert pell.answer.status_code == 422
    assert "555 0101" in pell.page


def test_a_drawing_of_two_hundred_freehand_marks_is_kept_whole(desks: Sit) -> None:
    line = [[round(1 + i * 0.7, 1), round(2 + i * 1.3, 1)] for i in range(40)]
    marks = json.dumps([{"kind": "crack", "points": line, "reach_mm": 0}] * 200)
    assert len(marks) > 60_000
    pell = desks("pell")
    pell.post(new_intake(pell), **intake_fields(marks=marks))
    assert len(job_store.load_job(code_of(pell)).arrival.marks) == 200


def test_choosing_another_device_keeps_the_rest(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, **intake_fields(act="other-device", complaint="fell"))
    assert "Find the device" in pell.page
    pell.post(way, read_number="O044I7", act="find", name="Orla Venn")
    assert "likely" in pell.page
    pell.post(way, read_number="O044I7", choose=PLAIN, name="Orla Venn")
    assert "Ardale Plain 15" in pell.page
    assert "fell" in pell.page


def test_a_known_customer_is_found_and_chosen(desks: Sit, floor: Shop) -> None:
    floor.take_in(name="Sunniva Oake", phone="555 0777")
    pell = desks("pell")
    way = new_intake(pell)
    number = re.search(r'name="_pick_customer" value="(\d+)"', pell.client.get("/customers/find?q=sunn").text)
    assert number
    pell.post(way, act="keep", pick_customer=number[1])
    assert "Sunniva Oake" in pell.page
    assert "Another customer" in pell.page


# -- what each role sees --------------------------------------------------------------------


@pytest.mark.parametrize(
    ("login", "refused"), [("ines", ()), ("pell", ("/book", "/people")), ("bram", ("/book", "/people"))]
)
def test_every_room_opens_for_whom_it_is(desks: Sit, login: str, refused: tuple[str, ...]) -> None:
    desk = desks(login)
    for room in ROOMS:
        assert desk.get(room).status_code == (403 if room in refused else 200), room


def test_a_technician_sees_no_cost_and_no_margin_anywhere(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001", 2, cost="61.37")
    done, waiting = floor.closed(), floor.take_in()
    # on average with what lay there before
    cost = f"{(floor.job(done).closing.cost_minor or 0) / 100:.2f}"
    assert cost != "0.00"
    bram, ines = desks("bram"), desks("ines")
    pages = (
        f"/jobs/{done}",
        f"/jobs/{waiting}/match",
        "/shelf",
        "/shelf/P-1001",
        "/",
        "/plan",
        f"/jobs/{done}/bench",
    )
    for page in pages:
        text = bram.get(page).text
        assert not re.search(r"61\.37|Margin|costs us|Best price|Per bench hour|60\.00", text), page
        assert cost not in text, page
    assert "costs us" in ines.get(f"/jobs/{waiting}/match").text
    assert cost in ines.get(f"/jobs/{done}").text


@pytest.mark.parametrize(
    ("login", "path", "fields"),
    [
        ("bram", "/people", {"name": "X", "login": "xx", "role": "manager", "password": "long enough 1"}),
        ("pell", "/book/rates", {}),
        ("pell", "/book/prices/1", {"price": "1"}),
        ("bram", "/shelf/P-1001/receive", {"quantity": "1"}),
    ],
)
def test_what_a_role_may_not_do_is_refused_when_sent_anyway(
    desks: Sit, login: str, path: str, fields: dict[str, str]
) -> None:
    desk = desks(login)
    desk.get("/counter")
    desk.post(path, **fields)
    assert desk.answer.status_code == 403
    assert "Your role may not" in desk.page


# -- refusals in place ----------------------------------------------------------------------


def test_a_wrong_count_stays_on_the_step_and_asks_for_a_reason(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.opened()
    bram = desks("bram")
    bram.get(f"/jobs/{code}/bench")
    while "the sheet says" not in bram.page:
        bram.post(f"/jobs/{code}/bench/step", step=bram.hidden("step"))
    bram.post(f"/jobs/{code}/bench/step", step=bram.hidden("step"), counted="1")
    assert bram.answer.status_code == 422
    assert "You counted 1, the sheet says 2" in bram.page.replace("&#39;", "'")
    assert 'value="1"' in bram.page
    bram.post(f"/jobs/{code}/bench/step", step=bram.hidden("step"), counted="1", reason="missing on arrival")
    assert bram.answer.status_code == 200


def test_two_at_the_same_step_do_not_skip_one(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.opened()
    bram, ines = desks("bram"), desks("ines")
    bram.get(f"/jobs/{code}/bench")
    ines.get(f"/jobs/{code}/bench")
    step = bram.hidden("step")
    assert bram.post(f"/jobs/{code}/bench/step", step=step).status_code == 200
    ines.post(f"/jobs/{code}/bench/step", step=step)
    assert ines.answer.status_code == 422
    # who was it, and when: told to the second one
    assert "done already by Bram" in ines.page


def test_the_loser_of_the_last_part_is_told_which_job_has_it(desks: Sit, floor: Shop) -> None:
    floor.receive("P-3001")
    first, second = floor.quoted("tarnbeck-slate-11"), floor.quoted("tarnbeck-slate-11")
    pell, ines = desks("pell"), desks("ines")
    pell.get(f"/jobs/{first}/match")
    ines.get(f"/jobs/{second}/match")
    pell.post(f"/jobs/{first}/match/take")
    ines.post(f"/jobs/{second}/match/take")
    assert ines.answer.status_code == 409
    assert f"promised to job {first}" in ines.page


def test_a_stale_customer_form_shows_both_and_the_next_send_keeps_yours(desks: Sit, floor: Shop) -> None:
    number = floor.job(floor.take_in()).customer_id
    pell, ines = desks("pell"), desks("ines")
    pell.get(f"/customers/{number}")
    ines.get(f"/customers/{number}")
    theirs = {"name": "Orla Venn", "phone": "555 0222", "email": "", "note": ""}
    ines.post(f"/customers/{number}", version=ines.hidden("version"), **theirs)
    mine = {**theirs, "phone": "555 0333"}
    pell.post(f"/customers/{number}", version=pell.hidden("version"), **mine)
    assert pell.answer.status_code == 409
    assert "555 0222" in pell.page
    assert "555 0333" in pell.page
    pell.post(f"/customers/{number}", version=pell.hidden("version"), **mine)
    found = customers_store.load_customer(number)
    assert found
    assert found.phone == "555 0333"


def test_a_stale_price_shows_both_versions(desks: Sit, floor: Shop) -> None:
    code = floor.quoted()
    ines = desks("ines")
    ines.get(f"/jobs/{code}")
    version = ines.hidden("version")
    ines.post(f"/jobs/{code}/price", version=version, price="120", price_reason="a regular")
    ines.get(f"/jobs/{code}")
    ines.post(f"/jobs/{code}/price", version=version, price="110", price_reason="again")
    assert ines.answer.status_code == 409
    assert "120.00 TAL" in ines.page


def test_a_wrong_payment_keeps_the_ticks(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.closed(accessories=[("Case", "")])
    floor.look_at_sealed(code)
    pell = desks("pell")
    pell.get(f"/jobs/{code}/handover")
    ticked = re.search(r'name="returned" value="(\d+)"', pell.page)
    assert ticked
    pell.post(f"/jobs/{code}/handover", returned=ticked[1], cards="yes", amount="1", method="cash")
    assert pell.answer.status_code == 422
    assert re.search(rf'name="returned" value="{ticked[1]}" checked', pell.page)
    assert 'name="amount" value="1"' in pell.page
    assert "the open amount is" in pell.page


def test_scanning_a_label_ticks_what_is_kept_there_and_keeps_what_was_entered(
    desks: Sit, floor: Shop
) -> None:
    floor.receive("P-1001", 1)
    code = floor.closed(accessories=[("Case", ""), ("SIM card", "Envelope 7")])
    floor.look_at_sealed(code)
    pell = desks("pell")
    printed = pell.get(f"/jobs/{code}/ticket?paper=label").text
    assert f"{code}/1" in printed
    assert "Envelope 7" in printed
    pell.get(f"/jobs/{code}/handover")

    def ticked() -> list[str]:
        return re.findall(r'name="returned" value="(\d+)" checked', pell.page)

    assert ticked() == []
    pell.post(f"/jobs/{code}/handover/scan", scan=f"{code}/1", explanation="the case went ahead")
    [envelope] = ticked()
    assert "the case went ahead" in pell.page
    assert pell.post(f"/jobs/{code}/handover/scan", scan="A1-AAA", returned=envelope).status_code == 422
    assert pell.post(f"/jobs/{code}/handover/scan", scan=" ", returned=envelope).status_code == 422
    assert "scan a label of this job" in pell.page
    pell.post(f"/jobs/{code}/handover/scan", scan="A1-AAA", returned=envelope)
    assert "A1-AAA" in pell.page
    assert ticked() == [envelope]
    pell.post(f"/jobs/{code}/handover/scan", scan=code, returned=envelope)
    assert len(ticked()) == 2
    assert floor.job(code).stage is Stage.CLOSED, "scanning hands nothing out"


def test_people_are_added_and_changed_by_the_manager(desks: Sit) -> None:
    ines = desks("ines")
    ines.get("/people")
    ines.post("/people", name="Marit", login="M", role="technician", password="short")
    assert ines.answer.status_code == 422
    assert 'value="Marit"' in ines.page
    assert "short" not in ines.page
    ines.post("/people", name="Marit", login="marit", role="technician", password="long enough 1")
    assert "marit" in ines.page
    number = re.search(r'/people/(\d+)">Change<span class="unseen"> Marit', ines.page)
    assert number
    ines.get(f"/people/{number[1]}")
    ines.post(
        f"/people/{number[1]}",
        version=ines.hidden("version"),
        name="Marit Sando",
        role="technician",
        active="yes",
        **{"factor.book-opening phones": "1,5"},
    )
    assert "book-opening phones ×1.5" in ines.page


@pytest.mark.parametrize(
    ("asked", "leads_to"),
    [
        ("p-1001", "/shelf/P-1001"),
        ("QD4417", "sure"),
        ("490154203237519", "one digit of this IMEI is wrong"),
        ("490154203237518", "has not been here yet"),
        ("zzzz", "No model in the catalogue"),
    ],
)
def test_the_scan_field_leads_somewhere_or_says_why_not(desks: Sit, asked: str, leads_to: str) -> None:
    pell = desks("pell")
    answer = pell.get(f"/scan?q={asked}")
    assert answer.status_code == 200
    assert leads_to in str(answer.url) or leads_to in answer.text


def test_a_scanned_job_code_and_serial_lead_to_the_job(desks: Sit, floor: Shop) -> None:
    code = floor.take_in(serial="SN-4417-X")
    pell = desks("pell")
    assert pell.get(f"/scan?q={code.lower().replace('-', '')}").url.path == f"/jobs/{code}"
    assert pell.get("/scan?q=SN-4417-X").url.path == f"/jobs/{code}"


@pytest.mark.parametrize(
    "path",
    [
        "/jobs/00-AAA",
        "/shelf/P-0",
        "/customers/999999",
        "/counter/nothing",
        "/catalogue/none",
        "/people/x",
        "/nowhere",
    ],
)
def test_what_is_not_there_has_a_page_that_says_so(desks: Sit, path: str) -> None:
    answer = desks("ines").get(path)
    assert answer.status_code == 404
    assert "Not here" in answer.text


def test_a_dropped_edid_file_shows_the_panel_and_broken_bytes_are_refused_in_place(
    desks: Sit, floor: Shop
) -> None:
    code = floor.take_in(PLAIN)
    bram = desks("bram")
    bram.get(f"/jobs/{code}/match")
    bram.post(f"/jobs/{code}/match/panel", edid="00 ff xx")
    assert bram.answer.status_code == 422
    assert "00 ff xx" in bram.page
    assert "only 0–9 and a–f stand in bytes" in bram.page
    data = {"csrf": bram.hidden("csrf"), "form_key": bram.hidden("form_key"), "edid": ""}
    whole = Made(cm=(34, 19), extensions=(displayid(product_block("NV156T-R40")),)).bytes()
    answer = bram.client.post(
        f"/jobs/{code}/match/panel", data=data, files={"edid_file": ("panel.bin", whole)}
    )
    assert "Another panel is in this device: NV156T-R40" in answer.text
    assert "needs 1366×768, this one has 1920×1080" in answer.text
