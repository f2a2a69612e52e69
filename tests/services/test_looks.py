"""The device proves itself: links, what it sends, dust, and the look at a sealed device."""

from __future__ import annotations

import dataclasses
import json
from collections.abc import Mapping
from datetime import timedelta
from decimal import Decimal
from typing import Any

import pytest
from builders import HERON, NOW, Shop, all_work, models, said

from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, NotFound, StaleSave, StepNotHeld
from sutura.core.handover.giving import not_promised, waits_for
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.job import EventKind, Stage
from sutura.core.maths.geometry import Point
from sutura.core.planning.queue import Action
from sutura.core.proof.sealing import PLACES, Look
from sutura.core.values import Outcome, Person
from sutura.services import consents, handover, looks, planning, proof
from sutura.services import job as job_service
from sutura.services import shop as shop_service
from sutura.store import handover as handover_store
from sutura.store import people as people_store
from sutura.store import planning as planning_store
from sutura.store import proof as store
from sutura.store.database import DATABASE

DEVICE, OTHER = "a-device-of-its-own", "another-device-here"
FACE = models()[HERON].face


def strokes(skip_from: float = 1e9, skip_to: float = 1e9) -> list[list[list[float]]]:
    """Lines down a page of 322 × 693 pixels, five to a millimetre; nothing is felt between two heights."""
    return [
        [[16 * n, x, y] for n, y in enumerate(range(0, 700, 12)) if not skip_from <= y <= skip_to]
        for x in [*range(0, 322, 25), 322]
    ]


def touched(**more: Any) -> str:
    return json.dumps({"w": 322, "h": 693, "strokes": strokes(), "quiet": [], "fingers": 5, **more})


def sends(
    token: str, shop: Shop, said_of: str, kind: str = "touch", key: str = "key-0001", device: str = DEVICE
) -> Outcome:
    return looks.receive(token, device, kind, key, said_of, shop.now)


def opened(shop: Shop, code: str) -> str:
    token = looks.make_link(code, shop.bram, shop.tick())
    looks.open_link(token, DEVICE, shop.now)
    return token


def page_of(shop: Shop, code: str) -> looks.LookPage:
    job = shop.job(code)
    return looks.look_page(job, models()[job.model_id], shop.now)


def test_w01_a_dead_strip_is_found_beside_the_one_of_arrival(shop: Shop) -> None:
    """Drawn dead at intake from 40 to 52 mm; now a strip at the same place, twice as high."""
    shop.receive("P-1001", 1)
    corners = ((3.2, 40), (67.6, 40), (67.6, 52), (3.2, 52))
    dead = Mark(kind=MarkKind.DEAD, points=tuple(Point(x=x, y=y) for x, y in corners))
    code = shop.at_proof(HERON, marks=[dead])
    token = opened(shop, code)
    assert sends(token, shop, touched()) is Outcome.WORKS
    found = page_of(shop, code)
    assert found.told["touch"].measured
    assert [zone.change for zone in found.zones] == ["improved"]
    # 36 to 56 mm of the face: 160 to 260 pixels of the picture
    assert sends(token, shop, touched(strokes=strokes(150, 270)), key="key-0002") is Outcome.FAULTY
    found = page_of(shop, code)
    [outline] = found.bare
    assert min(one.y for one in outline) == pytest.approx(4 + 144 / 5 + 4, abs=1)
    assert [zone.change for zone in found.zones] == ["same"]
    assert "is not felt" in said(found.told["touch"].reasons[0])


def test_what_is_sent_twice_is_kept_once_and_what_comes_late_is_not_lost(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    token = opened(shop, code)
    for _ in range(3):
        sends(token, shop, touched())
    assert len(store.load_tests(shop.job(code).id)) == 1
    # away from the network until after the link's end: still taken, for some hours
    shop.now += looks.GOOD_FOR + timedelta(minutes=5)
    with pytest.raises(looks.LinkOver):
        looks.open_link(token, DEVICE, shop.now)
    sends(token, shop, touched(), key="key-0002")
    assert len(store.load_tests(shop.job(code).id)) == 2
    shop.now += looks.STILL_TAKEN
    with pytest.raises(looks.LinkOver):
        sends(token, shop, touched(), key="key-0003")


def test_a_link_is_one_device_s_and_a_new_one_ends_it(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    token = opened(shop, code)
    assert looks.open_link(token, DEVICE, shop.tick()).code == code
    with pytest.raises(looks.OtherDevice):
        looks.open_link(token, OTHER, shop.now)
    with pytest.raises(looks.OtherDevice):
        sends(token, shop, touched(), device=OTHER)
    again = looks.make_link(code, shop.bram, shop.tick())
    with pytest.raises(looks.LinkOver):
        looks.open_link(token, DEVICE, shop.now)
    shown = looks.open_link(again, OTHER, shop.now)
    assert {one.id for one in shown.functions} == {"brightness", "earpiece", "front-camera", "microphone"}
    for guess in ("", "x" * 32, again[:-1], again + "A", "x" * 500):
        with pytest.raises(NotFound):
            looks.open_link(guess, DEVICE, shop.now)


def test_who_may_make_a_link_and_when(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.take_in()
    # on arrival the counter tests; what is sent is of the baseline
    token = looks.make_link(code, shop.counter, shop.now)
    looks.open_link(token, DEVICE, shop.now)
    sends(token, shop, touched())
    assert [test.attempt for test in store.load_tests(shop.job(code).id)] == [0]
    on_the_bench = shop.at_proof(HERON)
    with pytest.raises(NotAllowed):
        looks.make_link(on_the_bench, shop.counter, shop.now)
    with pytest.raises(NotFound):
        looks.make_link("NO-SUCH", shop.bram, shop.now)


@pytest.mark.parametrize(
    ("kind", "sent", "field"),
    [
        ("touch", "no json", "said"),
        ("touch", "[1]", "said"),
        ("touch", "[" * 5_000, "said"),
        ("touch", json.dumps({"w": 322, "h": 693}), "strokes"),
        ("touch", json.dumps({"w": 5, "h": 693, "strokes": []}), "w"),
        ("touch", json.dumps({"w": 322, "h": True, "strokes": []}), "h"),
        ("touch", json.dumps({"w": 322, "h": 693, "strokes": [[[1, 2]]]}), "strokes"),
        ("touch", json.dumps({"w": 322, "h": 693, "strokes": [[[1, 2, None]]]}), "strokes"),
        ("touch", json.dumps({"w": 322, "h": 693, "strokes": [[]] * 401}), "strokes"),
        ("touch", '{"w": 322, "h": 693, "strokes": [[[1, 2, NaN]]]}', "strokes"),
        ("picture", json.dumps({"w": 322, "h": 693, "marks": [["glow", 1, 1]]}), "marks"),
        ("picture", json.dumps({"w": 322, "h": 693, "marks": [[["glow"], 1, 1]]}), "marks"),
        ("picture", json.dumps({"w": 322, "h": 693, "uneven": [10]}), "uneven"),
        ("function", json.dumps({"function": ["microphone"], "works": True}), "function"),
        ("function", json.dumps({"function": "engine", "works": True}), "function"),
        ("function", json.dumps({"function": "microphone", "level": "loud"}), "level"),
        ("smell", "{}", "kind"),
    ],
)
def test_what_no_page_sends_is_refused_and_nothing_is_kept(
    shop: Shop, kind: str, sent: str, field: str
) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    token = opened(shop, code)
    with pytest.raises(Invalid) as refused:
        sends(token, shop, sent, kind)
    assert refused.value.field == field
    with pytest.raises(Invalid):
        sends(token, shop, touched(), key="short")
    assert store.load_tests(shop.job(code).id) == []


def test_a_device_on_its_side_and_one_with_a_card_are_read_in_millimetres(shop: Shop) -> None:
    """Turned, 693 × 322: the same lines lie; a card of 240 pixels says that the page is 115 mm of 138.6."""
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    token = opened(shop, code)
    lying = [[[t, y, x] for t, x, y in stroke] for stroke in strokes()]
    turned = json.dumps({"w": 693, "h": 322, "strokes": lying, "quiet": []})
    assert sends(token, shop, turned) is Outcome.WORKS
    small = json.dumps({"w": 322, "h": 693, "card": 515, "strokes": strokes(), "quiet": []})
    assert sends(token, shop, small, key="key-0002") is Outcome.NOT_TESTABLE
    assert "of 100 of the picture" in said(page_of(shop, code).told["touch"].reasons[0])
    fills = json.dumps({"w": 322, "h": 693, "card": 428, "strokes": strokes(), "quiet": []})
    assert sends(token, shop, fills, key="key-0003") is Outcome.WORKS


def test_w12_a_picture_with_faults_and_functions_by_ear_and_by_measure(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    token = opened(shop, code)
    whole = {"w": 322, "h": 693, "shown": ["white", "black", "red", "green", "blue", "grey"], "marks": []}
    assert sends(token, shop, json.dumps(whole), "picture") is Outcome.WORKS
    # 1170 × 2532 are three million: class II allows six that are always lit
    lit: Mapping[str, Any] = {**whole, "marks": [["bright", n, n] for n in range(6)]}
    assert sends(token, shop, json.dumps(lit), "picture", "key-0002") is Outcome.WORKS
    more = {**whole, "marks": [["bright", n, n] for n in range(7)]}
    assert sends(token, shop, json.dumps(more), "picture", "key-0003") is Outcome.FAULTY
    line = {**whole, "marks": [["line", 1, 1]]}
    assert sends(token, shop, json.dumps(line), "picture", "key-0004") is Outcome.FAULTY
    for number, (level, outcome) in enumerate(((0.02, Outcome.WORKS), (0.019, Outcome.FAULTY))):
        sent = json.dumps({"function": "microphone", "level": level})
        assert sends(token, shop, sent, "function", f"key-1{number:03}") is outcome
    odd = json.dumps({"function": "earpiece", "works": [True]})
    assert sends(token, shop, odd, "function", "key-3000") is Outcome.NOT_TESTABLE
    by_ear = json.dumps({"function": "earpiece", "works": None})
    assert sends(token, shop, by_ear, "function", "key-2000") is Outcome.NOT_TESTABLE
    told = page_of(shop, code).told
    assert (told["microphone"].measured, told["earpiece"].measured, told["image"].measured) == (
        True,
        False,
        False,
    )


def test_w17_three_looks_for_dust_and_what_is_left_needs_a_reason(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    with pytest.raises(Invalid):
        looks.accept_dust(code, "hidden below the bezel", shop.bram, shop.now)
    for wrong in ("no", "[[1]]", "[[-1, 5]]", "[[500, 5]]", json.dumps([[1, 1]] * 201)):
        with pytest.raises(Invalid):
            looks.look_for_dust(code, wrong, shop.bram, shop.now)
    first = looks.look_for_dust(code, "[[10, 10], [20, 20]]", shop.bram, shop.tick())
    assert len(first.rounds[0].new) == 2
    second = looks.look_for_dust(code, "[[10.5, 10]]", shop.bram, shop.tick())
    assert "came back at the same place" in said(second.says)
    assert looks.look_for_dust(code, "", shop.bram, shop.tick()).clean
    with pytest.raises(Invalid):
        looks.accept_dust(code, "hidden below the bezel", shop.bram, shop.now)
    looks.look_for_dust(code, "[[30, 30]]", shop.bram, shop.tick())
    looks.accept_dust(code, "hidden below the bezel", shop.bram, shop.tick())
    found = page_of(shop, code).dust
    assert (found.done, found.accepted, len(found.rounds)) == (True, "hidden below the bezel", 4)
    kinds = [event.kind for event in job_service.job_page(code, shop.now).events]
    assert kinds.count(EventKind.DUST) == 5


def flush(**more: str) -> dict[str, str]:
    return {**{f"flush.{place}": "yes" for place in PLACES}, **more}


def works() -> dict[str, tuple[str, str]]:
    return {one.id: ("works", "") for one in models()[HERON].functions}


def test_a_sealed_device_is_tested_and_felt_once_more(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    with pytest.raises(MoveRefused):
        looks.look_at_sealed(code, works(), flush(), shop.bram, shop.now)
    shop.receive("P-1001", 1)
    closed = shop.closed(HERON)
    assert shop.job(closed).stage is Stage.CLOSED
    page = page_of(shop, closed)
    assert (page.due, page.looks) == (Look.AFTER_SEALING, (Look.BEFORE_SEALING, Look.AFTER_SEALING))
    with pytest.raises(ManyInvalid):
        looks.look_at_sealed(closed, {}, flush(), shop.bram, shop.now)
    with pytest.raises(ManyInvalid):
        looks.look_at_sealed(closed, works(), {}, shop.bram, shop.now)
    wrong = looks.look_at_sealed(closed, works(), flush(**{"gap.top": "0.3"}), shop.bram, shop.tick())
    assert said(wrong[0]).startswith("top: gapes 0.3 mm")
    assert page_of(shop, closed).due is Look.AFTER_SEALING
    broken = {**works(), "touch": ("faulty", "dead at the left edge")}
    # a lock that its customer has to open is neither fine nor broken, as in the proof before
    broken["unlock"] = ("not_testable", "the customer is not here")
    [worse] = looks.look_at_sealed(closed, broken, flush(), shop.bram, shop.tick())
    assert said(worse) == "Touch does not work: dead at the left edge"
    assert looks.look_at_sealed(closed, works(), flush(), shop.bram, shop.tick()) == ()
    assert page_of(shop, closed).due is None
    assert [one.passed for one in page_of(shop, closed).sealed] == [False, False, True]
    with pytest.raises(MoveRefused):
        looks.look_at_sealed(closed, works(), flush(), shop.bram, shop.now)


def test_what_a_cure_can_change_is_looked_at_after_it(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    """The touch alone, and only when the cure is over."""
    shop.receive("P-1001", 1)
    code = shop.closed(HERON)
    monkeypatch.setattr(looks, "cure_of", lambda *_: 45)
    looks.look_at_sealed(code, works(), flush(), shop.bram, shop.tick())
    assert page_of(shop, code).due is None
    shop.now += timedelta(minutes=60)
    page = page_of(shop, code)
    assert (page.due, [one.id for one in page.functions]) == (Look.AFTER_CURE, ["touch"])
    assert looks.look_at_sealed(code, {"touch": ("works", "")}, {}, shop.bram, shop.now) == ()
    assert page_of(shop, code).due is None


def test_w20_comes_out_of_its_clamp_before_it_is_looked_at(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    shop.receive("P-1001", 1)
    code = shop.closed(HERON)
    monkeypatch.setattr(looks, "cure_of", lambda *_: 45)
    monkeypatch.setattr(looks, "station_of", lambda _: "clamp")
    looks.look_at_sealed(code, works(), flush(), shop.bram, shop.tick())
    # until the cure is over there is nothing to press, and every page says until when
    [timer] = planning.open_lines(shop.now).timers
    assert timer.code == code
    shop.now += timedelta(minutes=60)
    assert page_of(shop, code).clamped
    touch = {"touch": ("works", "")}
    with pytest.raises(Invalid) as refused:
        looks.look_at_sealed(code, touch, {}, shop.bram, shop.now)
    assert refused.value.field == "clamp"
    assert looks.look_at_sealed(code, touch, {"clamp": "yes"}, shop.bram, shop.now) == ()
    assert planning.open_lines(shop.now).timers == ()


def failing() -> dict[str, tuple[str, str]]:
    return {**works(), "brightness": ("faulty", "stays at half")}


def test_a_manager_lets_pass_with_a_reason_that_the_customer_reads(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    with pytest.raises(NotAllowed):
        proof.record_proof(code, failing(), shop.bram, shop.tick(), all_the_same="the customer knows")
    with pytest.raises(Invalid):
        proof.record_proof(code, failing(), shop.manager, shop.now, all_the_same="why")
    assert shop.job(code).stage is Stage.OPENED
    told = "brightness follows again with the next system update"
    assert proof.record_proof(code, failing(), shop.manager, shop.tick(), all_the_same=told).passed
    assert shop.job(code).stage is Stage.PROVED
    passed = looks.let_pass_of(shop.job(code))
    assert passed
    assert (passed.names, passed.reason) == (["Brightness"], told)
    line = not_promised(sealed_device=False, passed=passed.names, reason=passed.reason)[0]
    assert said(line) == f"Brightness: does not work as it should; {told}"
    assert len(not_promised(sealed_device=False)) == 1


def test_nothing_is_let_pass_where_nothing_fails(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.at_proof(HERON)
    proof.record_proof(code, works(), shop.bram, shop.tick(), all_the_same="just to be sure")
    assert looks.let_pass_of(shop.job(code)) is None


def test_a_beginner_s_work_is_looked_at_by_a_second_person_where_the_shop_wants_it(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    family = models()[HERON].procedure_family
    people_store.save_skills(shop.bram.id, {family: Decimal("1.25")})
    people_store.save_skills(shop.people["lio"].id, {family: Decimal("1.24")})
    code = shop.at_proof(HERON)
    assert proof.second_of(shop.job(code), models()[HERON], shop.now) == []
    version = shop_service.shop().version
    with pytest.raises(NotAllowed):
        consents.change_second_look("all", version, shop.bram, shop.now)
    with pytest.raises(Invalid):
        consents.change_second_look("some", version, shop.manager, shop.now)
    consents.change_second_look("part", version, shop.manager, shop.now)
    with pytest.raises(StaleSave):
        consents.change_second_look("all", version, shop.manager, shop.now)
    assert [one.name for one in proof.second_of(shop.job(code), models()[HERON], shop.now)] == ["Lio"]
    for nobody in (0, shop.bram.id, shop.counter.id):
        with pytest.raises(ManyInvalid):
            proof.record_proof(code, works(), shop.bram, shop.tick(), second=nobody)
    lio = shop.people["lio"].id
    assert proof.record_proof(code, works(), shop.bram, shop.tick(), second=lio).passed
    [event] = [one for one in job_service.job_page(code, shop.now).events if one.kind is EventKind.PROVED]
    assert event.facts["second"] == "Lio"
    # one who is no beginner needs nobody
    people_store.save_skills(shop.bram.id, {family: Decimal("1.24")})
    assert proof.second_of(shop.job(shop.at_proof(HERON)), models()[HERON], shop.now) == []


def test_w20_before_its_cure_is_over_a_watch_goes_only_with_a_manager_s_reason(shop: Shop) -> None:
    """Its glue cures a day: refused at the counter, let go with a reason, which stands on the receipt."""
    every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
    people_store.save_skills(shop.bram.id, every)
    for barcode in watch_parts():
        shop.receive(barcode, 1)
    code = shop.closed("osmere-dial-42")
    with pytest.raises(MoveRefused) as refused:
        hand_back(shop, code)
    assert "its glue cures until" in said(refused.value.said)
    assert "not looked at after sealing" in said(refused.value.said)
    # what the counter says the job says: not before tomorrow
    page = job_service.job_page(code, shop.now)
    over = page_of(shop, code).sealed_until
    assert over
    assert page.next
    assert page.next.expected.ready
    assert page.next.expected.ready >= over > shop.now + timedelta(hours=23)
    assert "It cures until" in said(page.next.reason)
    # looked at, it still cures
    answers = {one.id: ("works", "") for one in models()["osmere-dial-42"].functions}
    looks.look_at_sealed(code, answers, flush(), shop.bram, shop.tick())
    with pytest.raises(MoveRefused):
        hand_back(shop, code)
    with pytest.raises(NotAllowed):
        hand_back(shop, code, let_go="the customer flies tonight")
    with pytest.raises(Invalid):
        hand_back(shop, code, let_go="no", by=shop.manager)
    assert shop.job(code).stage is Stage.CLOSED
    hand_back(shop, code, let_go="the customer flies tonight", by=shop.manager)
    assert shop.job(code).stage is Stage.HANDED_BACK
    went = looks.went_early(shop.job(code))
    assert went
    assert went.reason == "the customer flies tonight"
    assert went.waits[0].startswith("its glue cures until")
    assert went.waits[1:] == ["it was not looked at after the cure"]


def test_a_model_that_cures_and_has_no_touch_waits_for_no_look_after_it(shop: Shop) -> None:
    """One rule decides (proof.looks): what the list of open jobs calls ready the proof has no look for."""
    shop.receive("P-1001", 1)
    code = shop.closed(HERON)
    DATABASE.execute_sql("update job set cure_minutes = 45 where code = %s", (code,))
    looks.look_at_sealed(code, works(), flush(), shop.bram, shop.tick())
    with_touch = dataclasses.asdict(models()[HERON])["functions"]
    without = [one for one in with_touch if one["id"] != "touch"]
    for functions, waits in ((with_touch, True), (without, False)):
        DATABASE.execute_sql(
            "update model set data = jsonb_set(data, '{functions}', %s::jsonb) where id = %s",
            (json.dumps(functions), HERON),
        )
        open_job = planning_store.load_open_job(code)
        assert open_job
        assert open_job.waiting.ready is not waits


def watch_parts() -> list[str]:
    return [
        row[0]
        for row in DATABASE.execute_sql("select barcode from part where name ilike '%%dial%%'").fetchall()
    ]


def hand_back(shop: Shop, code: str, by: Person | None = None, let_go: str = "") -> None:
    price = shop.job(code).chosen.price_minor or 0
    handover.hand_back(
        code,
        returned=[one.id for one in handover_store.load_accessories(shop.job(code).id)],
        explanation="",
        amount=f"{price // 100}.{price % 100:02d}",
        method="card",
        today=shop.now.date(),
        by=by or shop.counter,
        now=shop.tick(),
        let_go=let_go,
    )


def test_a_ready_job_waits_for_its_customer_and_is_late_no_more(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.closed(HERON)
    today = (shop.now, shop.now + timedelta(days=1))
    page = planning.next_page(shop.now + timedelta(days=9), today=today, only_for=None, page=1)
    assert page.first
    assert (page.first.next.action, page.first.next.room, page.late, page.done) == (
        Action.LOOK,
        "proof",
        1,
        (),
    )
    shop.look_at_sealed(code)
    page = planning.next_page(shop.now + timedelta(days=9), today=today, only_for=None, page=1)
    assert (page.first, page.late, [line.next.code for line in page.done]) == (None, 0, [code])
    assert page.done[0].next.action is Action.HAND_BACK
    shop.hand_back(code)


@pytest.mark.parametrize(
    ("passed", "minutes", "waits"),
    [
        ((), 30, ["handover.cures-until", "handover.not-looked-at", "handover.not-looked-at"]),
        (("after_sealing",), 59, ["handover.cures-until", "handover.not-looked-at"]),
        (("after_sealing",), 60, ["handover.not-looked-at"]),
        (("after_sealing", "after_cure"), 60, []),
    ],
)
def test_what_a_closed_device_waits_for(passed: tuple[str, ...], minutes: int, waits: list[str]) -> None:
    closed = NOW + timedelta(minutes=60)
    every = (Look.BEFORE_SEALING, Look.AFTER_SEALING, Look.AFTER_CURE)
    found = waits_for(every, passed, closed, NOW + timedelta(minutes=minutes))
    assert [one.id for one in found] == waits
    assert waits_for((Look.BEFORE_SEALING,), (), None, NOW) == ()


def test_what_is_closed_is_not_ready_before_it_was_looked_at(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    code = shop.closed()

    def told() -> tuple[list[str], list[str]]:
        lines = planning.open_lines(shop.now, (Stage.CLOSED,))
        return [line.next.code for line in lines.to_look], [line.next.code for line in lines.ready]

    assert told() == ([code], [])
    shop.look_at_sealed(code)
    assert told() == ([], [code])


def test_w17_a_bare_panel_passes_its_proof_only_after_a_look_for_dust(shop: Shop) -> None:
    model = models()["ardale-foil-13-panel"]
    people_store.save_skills(shop.bram.id, {model.procedure_family: Decimal(1)})
    shop.receive("P-6006", 1)
    code = shop.at_proof(model.id)
    with pytest.raises(StepNotHeld, match="nobody looked for dust"):
        proof.record_proof(code, all_work(model), shop.bram, shop.tick())
    assert shop.job(code).stage is Stage.OPENED
    looks.look_for_dust(code, "[[20, 20]]", shop.bram, shop.tick())
    with pytest.raises(StepNotHeld, match="one speck is marked"):
        proof.record_proof(code, all_work(model), shop.bram, shop.tick())
    # a test that fails needs no white field
    looks.look_for_dust(code, "", shop.bram, shop.tick())
    assert proof.record_proof(code, all_work(model), shop.bram, shop.tick()).passed
