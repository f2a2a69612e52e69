"""The bench in the browser: ways out of a repair that does not go on."""

from __future__ import annotations

import re
from datetime import timedelta

import pytest
from builders import HERON, Shop, all_work, models
from web.desk import Sit

from sutura.core.job import Stage
from sutura.core.maths.money import Money
from sutura.services import known


def test_a_failed_part_is_taken_back_and_the_device_closed_up_unrepaired(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.at_proof()
    bram = desks("bram")
    bram.get(f"/jobs/{code}/bench")
    refused = bram.post(f"/jobs/{code}/bench/other-part", why="touch dead along the left edge")
    assert refused.status_code == 422
    assert "choose what it is now" in bram.page
    assert 'value="touch dead along the left edge"' in bram.page
    fate = re.search(r'name="(fate\.\d+)"', bram.page)
    assert fate
    bram.post(f"/jobs/{code}/bench/other-part", **{fate[1]: "broken"}, why="touch dead along the left edge")
    assert bram.answer.url.path == f"/jobs/{code}/match"
    bram.get(f"/jobs/{code}")
    assert "Decline the repair" not in bram.page
    bram.get(f"/jobs/{code}/bench")
    assert "The device is open and waits for its part." in bram.page
    bram.post(f"/jobs/{code}/bench/give-up", why="no other part to be had")
    while floor.job(code).stage is Stage.OPENED:
        bram.get(f"/jobs/{code}/bench")
        if "Test every function" in bram.page:
            # what still works, against its arrival
            works = {f"function.{name}": "works" for name in all_work(models()[HERON])}
            torn = {"function.microphone": "faulty", "reason.microphone": "torn"}
            bram.post(f"/jobs/{code}/proof", **{**works, **torn})
            assert "Tested before it is closed up" in bram.get(f"/jobs/{code}/proof").text
            continue
        said = re.search(r"the sheet says (\d+)", bram.page)
        bram.post(f"/jobs/{code}/bench/step", step=bram.hidden("step"), counted=said[1] if said else "")
    assert floor.job(code).stage is Stage.DECLINED
    pell = desks("pell")
    pell.get(f"/jobs/{code}/handover")
    pell.post(f"/jobs/{code}/return", explanation="")
    assert floor.job(code).stage is Stage.RETURNED


def test_a_fault_after_sealing_goes_back_to_the_bench_from_the_closed_page(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.closed()
    bram = desks("bram")
    bram.get(f"/jobs/{code}/bench")
    assert "A fault shows" in bram.page
    bram.post(f"/jobs/{code}/bench/reopen", why="earpiece crackles")
    assert "round 2: opened again" in bram.page
    assert floor.job(code).stage is Stage.OPENED


def test_a_promise_is_changed_from_the_job(desks: Sit, floor: Shop) -> None:
    code = floor.take_in()
    pell = desks("pell")
    pell.get(f"/jobs/{code}")
    refused = pell.post(f"/jobs/{code}/promise", promise_at="soon", promise_reason="part late")
    assert refused.status_code == 422
    assert "choose a day and a time" in pell.page
    past = pell.post(f"/jobs/{code}/promise", promise_at="2020-01-03T10:00", promise_reason="part late")
    # quoted as it was typed, in the shop's own time, at the top and at the field
    assert past.text.count("“Fri 03.01. 10:00” cannot be taken") == 2
    pell.post(
        f"/jobs/{code}/promise",
        promise_at=f"{floor.now + timedelta(days=30):%Y-%m-%dT10:00}",
        promise_reason="part late",
    )
    assert "Promised for" in pell.page
    assert "if worked on from now" in pell.page


def test_a_way_without_a_part_is_offered_in_match_and_leads_to_the_bench(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    # a shattered glass no connector mends
    pell.get(f"/jobs/{floor.take_in(look={'glass': 'broken', 'image': 'lines'})}/match")
    assert "Without a part" not in pell.page
    code = floor.take_in(look={"glass": "whole", "image": "lines"}, marks=[])
    pell.get(f"/jobs/{code}/match")
    assert "Without a part" in pell.page
    assert "Reseat the connectors, no part" in pell.page
    pell.post(f"/jobs/{code}/match/no-part", way="solder")
    assert pell.answer.status_code == 422
    pell.post(f"/jobs/{code}/match/no-part", way="reseat")
    assert floor.job(code).stage is Stage.PART_IN_HAND
    pell.get(f"/jobs/{code}")
    assert "none needed: reseat the connectors, no part" in pell.page
    pell.get(f"/jobs/{code}/match")
    assert "It needs no part" in pell.page


def test_ways_are_chosen_on_the_page_and_what_is_ruled_out_is_said_with_its_reason(
    desks: Sit, floor: Shop
) -> None:
    floor.receive("P-1001")
    code = floor.opened()
    bram = desks("bram")
    bram.get(f"/jobs/{code}/bench")
    assert "<strong>contact glue</strong>: never here – the front must open again for service" in bram.page
    refused = bram.post(f"/jobs/{code}/bench/way", question="seal", value="contact glue")
    assert refused.status_code == 422
    assert "This one is ruled out on this model" in bram.page
    bram.post(f"/jobs/{code}/bench/way", question="seal", value="2 mm tape", always="yes")
    assert "2 mm tape on the frame, cut to size" in bram.page
    bram.get("/bench")
    assert "Your habits" in bram.page
    bram.post("/bench/habits", question="seal")
    assert "Your habits" not in bram.page


def test_screws_one_by_one_notes_and_a_night(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.opened()
    for _ in range(3):
        floor.step(code)
    bram = desks("bram")
    bram.get(f"/jobs/{code}/bench")
    assert "One by one, 0 of 2 out:" in bram.page
    bram.post(f"/jobs/{code}/bench/screw", step="bottom-out", screw="2")
    assert "One by one, 1 of 2 out:" in bram.page
    refused = bram.post(f"/jobs/{code}/bench/screw", step="bottom-out", screw="7")
    assert refused.status_code == 422
    assert "one of the places of this step" in bram.page
    bram.post(f"/jobs/{code}/bench/note", step="bottom-out", note="The left one was loose.")
    assert "The left one was loose." in bram.page
    while "Lay it down for the night" not in bram.page:
        floor.step(code)
        bram.get(f"/jobs/{code}/bench")
    bram.post(f"/jobs/{code}/bench/night")
    assert "round 2: laid down for the night" in bram.page
    while "Laid down for the night." not in bram.page:
        floor.step(code)
        bram.get(f"/jobs/{code}/bench")
    bram.post(f"/jobs/{code}/bench/go-on")
    assert "round 3: the whole sheet" in bram.page


def test_what_nobody_should_buy_is_not_the_next_press_and_declining_is(
    desks: Sit, floor: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every option costs more than the device is worth: on both pages."""
    code = floor.take_in(look={"glass": "broken", "image": "fine"})
    monkeypatch.setattr(known, "worth_today", lambda *_: Money(minor=4_000, currency="TAL"))
    pell = desks("pell")
    pell.get(f"/jobs/{code}/routes")
    assert "Tell them: it may not be worth it" in pell.page
    [main] = re.findall(r'<button class="button main[^>]*>([^<]*)', pell.page)
    assert main == "The customer declines"
    pell.get(f"/jobs/{code}/match")
    assert "Not recommended" in pell.page
    assert re.findall(r'<button class="button main[^>]*>\s*Choose', pell.page) == []
    pell.post(f"/jobs/{code}/decline", reason="")
    assert pell.answer.status_code == 422
    pell.post(f"/jobs/{code}/decline", reason="it costs more than the device is worth to them")
    assert floor.job(code).stage is Stage.DECLINED
