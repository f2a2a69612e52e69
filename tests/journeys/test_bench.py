"""The bench in the browser: from open to closed by one key, by touch on a phone, the application restarted in
the middle; another step first; heat; a device left on the plate; a serial that is moved.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from axe_playwright_python.sync_playwright import Axe
from builders import HERON, SLATE, Shop, models
from journeys.conftest import Live
from playwright.sync_api import Page, expect

from sutura.core.catalogue.model import Step
from sutura.core.job import Stage
from sutura.core.matching.judging import Fit, may_choose
from sutura.services import bench, matching, planning, stock
from sutura.store import people as people_store
from sutura.store import stock as stock_store
from sutura.store import waits as waits_store
from sutura.store.database import connection, raw

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]
PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}


@pytest.fixture(autouse=True)
def trained(floor: Shop) -> None:
    families = {model.procedure_family for model in models().values()}
    with connection():
        people_store.save_skills(floor.bram.id, dict.fromkeys(families, Decimal(1)))


def hold(floor: Shop, code: str, kind: str = "") -> None:
    """The best part for a way is chosen, comes in and is held."""
    with connection():
        best = next(
            one
            for one in matching.match_page(code, kind=kind).matching.offers
            if may_choose(one.judged.fit) and not one.judged.members and one.judged.fit is not Fit.CONSENT
        )
        matching.choose_offer(code, best.judged.offer.id, floor.counter, floor.now, agreed=True)
        floor.receive(stock_store.barcodes([best.judged.offer.part_id])[best.judged.offer.part_id])
        stock.take_part(code, floor.counter, floor.now)


def opened(floor: Shop, model_id: str, kind: str = "") -> str:
    with connection():
        floor.now = datetime.now(UTC)
        code = floor.take_in(model_id)
    hold(floor, code, kind)
    with connection():
        planning.assign(code, floor.bram.id, floor.manager, floor.now)
        bench.open_job(code, floor.bram, floor.now)
    return code


def finished(code: str) -> frozenset[str]:
    with connection():
        return bench.bench_page(code).progress.finished


def floor_step(code: str) -> Step:
    found = bench.bench_page(code).progress.step
    assert found
    return found


def step(page: Page, press: Callable[[], None]) -> None:
    """One press of the large button; the page that answers."""
    with page.expect_navigation():
        press()


def press_of(page: Page, floor: Shop, code: str, *, by_touch: bool) -> Callable[[], None]:
    """One press of the large button, by F9 or by a thumb that reaches it without scrolling; what a step asks
    for besides is done by then.
    """

    def press() -> None:
        with connection():
            floor.held_by_now(code)
        if page.locator("#wait, #heat, #serial").count():
            page.goto(f"/jobs/{code}/bench")
        # the page that was asked for anew is no answer to the press
        if not by_touch:
            with page.expect_navigation():
                page.keyboard.press("F9")
            return
        button = page.locator("main .stick .button.main").first
        box = button.bounding_box()
        assert box
        assert 0 <= box["y"] <= 844 - box["height"] + 1
        with page.expect_navigation():
            button.tap()

    return press


def to_the_test(page: Page, code: str, press: Callable[[], None], live: Live, half: int) -> None:
    """Press on until the test comes up; once so many steps are done the application is started anew."""
    while "/proof" not in page.url:
        if half and len(finished(code)) >= half:
            live.restart()
            page.reload()
            half = 0
        step(page, press)


def stage_of(floor: Shop, code: str) -> Stage:
    with connection():
        return floor.job(code).stage


def to_the_end(page: Page, floor: Shop, code: str, press: Callable[[], None]) -> None:
    """Everything works; then press on until it is closed, every screw in."""
    with connection():
        floor.now = datetime.now(UTC)
        floor.test(code)
    page.goto(f"/jobs/{code}/bench")
    while stage_of(floor, code) is Stage.PROVED:
        step(page, press)
    with connection():
        there = bench.bench_page(code)
    assert stage_of(floor, code) is Stage.CLOSED
    assert there.progress.out == there.progress.back
    assert not there.lies_there
    expect(page.locator("main")).to_contain_text("Closed up")


@pytest.mark.parametrize(
    ("model_id", "window"), [(HERON, {}), ("osmere-dial-42", PHONE)], ids=["W01-key", "W20-touch"]
)
def test_a_sheet_is_worked_through_by_one_key_or_one_thumb(
    sit: Sit, floor: Shop, live: Live, model_id: str, window: dict[str, object]
) -> None:
    """W01 and W20 by F9 alone, W06 and W20 by touch at 390 px; in the middle the application is started
    anew.
    """
    code = opened(floor, model_id)
    page = sit("Bram", **window)
    page.goto(f"/jobs/{code}/bench")
    press = press_of(page, floor, code, by_touch=bool(window))
    to_the_test(page, code, press, live, len(models()[model_id].steps) // 2)
    to_the_end(page, floor, code, press)


def test_the_glass_breaks_the_display_and_it_goes_on_with_the_whole_front(
    sit: Sit, floor: Shop, live: Live
) -> None:
    """W15 by touch: glass only fails while it is split; the front goes on from the open device."""
    code = opened(floor, "fennick-kite", "glass")
    page = sit("Bram", **PHONE)
    page.goto(f"/jobs/{code}/bench")
    press = press_of(page, floor, code, by_touch=True)
    while "split" not in finished(code):
        step(page, press)
    live.restart()
    page.reload()
    page.get_by_text("The part fails, or it cannot be repaired").tap()
    for select in page.locator("select[name^='fate.']").all():
        select.select_option(index=1)
    page.get_by_label("Why").fill("the display came off with the glass")
    step(page, page.get_by_role("button", name="Take it back and choose another").tap)
    hold(floor, code, "front assembly")
    page.goto(f"/jobs/{code}/bench")
    step(page, page.get_by_role("button", name="Open it").tap)
    before = finished(code)
    to_the_test(page, code, press, live, len(before) + 3)
    assert not {"back-off", "battery-off", "split"} & finished(code)
    to_the_end(page, floor, code, press)


def test_another_step_goes_first_by_a_key_and_the_tray_says_what_is_out(sit: Sit, floor: Shop) -> None:
    code = opened(floor, HERON)
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    press = press_of(page, floor, code, by_touch=False)
    while "connector-shield-out" not in finished(code):
        step(page, press)
    expect(page.locator(".step-text")).to_contain_text("Lift the display connector")
    page.keyboard.press("F7")
    page.wait_for_url(re.compile("step="))
    expect(page.locator(".step-text")).not_to_contain_text("display")
    before = finished(code)
    step(page, lambda: page.keyboard.press("F9"))
    [first] = finished(code) - before
    assert first != "display-off"
    expect(page.locator(".lies-there")).to_contain_text("battery off")
    expect(page.locator(".lies-there")).to_contain_text("screws in the tray: 9")
    assert page.locator(".tray .screw.out").count() == 9
    chart = page.request.get(f"/jobs/{code}/chart.pdf?paper=letter")
    assert chart.body().startswith(b"%PDF")
    assert page.request.get(f"/jobs/{code}/chart.pdf?paper=napkin").status == 422


def test_heat_is_read_typed_and_refused_and_axe_finds_nothing(sit: Sit, floor: Shop) -> None:
    code = opened(floor, HERON)
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    while page.locator("#heat").count() == 0:
        step(page, lambda: page.keyboard.press("F9"))
    # the limit holds: no reading taken
    expect(page.locator(".step-now")).to_contain_text("Before it is done: no reading taken")
    step(page, page.get_by_role("button", name="Done, next step").click)
    expect(page.get_by_role("alert").first).to_contain_text("no reading taken")
    step(page, page.get_by_role("button", name="Switch on the pad").click)
    expect(page.locator(".hot")).to_contain_text(f"pad is on for {code}")
    for shows in ("58", "57.5", "57", "56"):
        page.get_by_label("It shows").fill(shows)
        page.get_by_label("Read on").select_option("tape")
        step(page, page.get_by_role("button", name="Save reading").click)
    expect(page.locator("#heat")).to_contain_text("in its window: keep it there")
    page.get_by_label("It shows").fill("rather hot")
    step(page, page.get_by_role("button", name="Save reading").click)
    expect(page.get_by_role("alert").first).to_contain_text("°C, or °F")
    expect(page.get_by_label("It shows")).to_have_value("rather hot")
    step(page, page.get_by_role("button", name="Read the thermometer").click)
    expect(page.locator("#heat")).to_contain_text("The whole")
    page.goto("/shelf")
    expect(page.locator(".hot")).to_contain_text(f"pad is on for {code}")
    step(page, page.locator(".hot").get_by_role("button", name="Switch off").click)
    expect(page.locator(".hot")).to_have_count(0)
    found = Axe().run(page).response["violations"]
    assert [one["id"] for one in found if one["impact"] in ("serious", "critical")] == []


def test_a_device_left_on_the_plate_is_seen_from_the_counter(sit: Sit, floor: Shop, live: Live) -> None:
    """W16: left on the plate while another customer was served; the clock is the server's, which is started
    anew meanwhile. Then to the end by touch.
    """
    code = opened(floor, SLATE)
    page, counter = sit("Bram", **PHONE), sit("Pell")
    page.goto(f"/jobs/{code}/bench")
    press = press_of(page, floor, code, by_touch=True)
    while page.locator("#wait").count() == 0:
        step(page, press)
    step(page, page.get_by_role("button", name="Start the timer").tap)
    expect(page.locator("#wait")).to_contain_text("20 min left")
    live.restart()
    counter.goto("/counter")
    expect(counter.locator(".timers")).to_contain_text(code)
    expect(counter.locator(".timers")).to_contain_text("waits until")
    with connection():
        # the clock went on meanwhile
        raw(
            "update bench_wait set started_at = started_at - interval '22 min' where job_id = %s",
            floor.job(code).id,
        )
        waits_store.set_timer(floor.job(code).id, datetime.now(UTC) - timedelta(minutes=2))
    counter.goto("/shelf")
    expect(counter.locator("main")).to_contain_text(f"Time is over: {code}")
    counter.goto("/")
    expect(counter.locator(".timers")).to_contain_text("time is over")
    page.goto("/")
    step(page, page.get_by_role("button", name=re.compile("Acknowledge")).click)
    counter.goto("/")
    # it calls again as long as it lies there
    expect(counter.locator(".timers")).to_contain_text(code)
    page.goto(f"/jobs/{code}/bench")
    expect(page.locator("#wait")).to_contain_text("Time is up")
    with connection():
        floor.now = datetime.now(UTC)
        floor.read_heat(code, floor_step(code))
    page.reload()
    step(page, page.get_by_role("button", name="Taken off").tap)
    counter.goto("/")
    expect(counter.locator(".timers")).to_have_count(0)
    to_the_test(page, code, press, live, 0)
    to_the_end(page, floor, code, press)


def test_a_display_serial_is_read_written_and_read_back(sit: Sit, floor: Shop, live: Live) -> None:
    """W08, by key; between reading and writing the application is started anew."""
    code = opened(floor, "quillon-ember-s")
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    while page.locator("#serial").count() == 0:
        step(page, lambda: page.keyboard.press("F9"))
    step(page, lambda: page.keyboard.press("F9"))
    expect(page.get_by_role("alert").first).to_contain_text("serial is not read yet")
    step(page, page.get_by_role("button", name="Read the old display").click)
    expect(page.locator("#serial")).to_contain_text("is read: write it")
    live.restart()
    page.reload()
    expect(page.locator("#serial")).to_contain_text("is read: write it")
    press = press_of(page, floor, code, by_touch=False)
    to_the_test(page, code, press, live, 0)
    to_the_end(page, floor, code, press)


def test_screws_by_digits_and_by_tapping_the_drawing_and_a_wrong_one_is_refused(
    sit: Sit, floor: Shop
) -> None:
    code = opened(floor, HERON)
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    while "power-off" not in finished(code):
        step(page, lambda: page.keyboard.press("F9"))
    page.locator("h1").click()
    step(page, lambda: page.keyboard.press("2"))
    expect(page.locator(".one-by-one")).to_contain_text("1 of 2 out")
    step(page, page.locator(".tray .screw[data-place='1']").click)
    expect(page.locator(".one-by-one")).to_contain_text("2 of 2 out")
    # a scanner types digits one close upon the other: that is no press of ours
    page.locator("h1").click()
    page.keyboard.type("12", delay=5)
    page.wait_for_timeout(400)
    expect(page.locator(".one-by-one")).to_contain_text("2 of 2 out")
    press = press_of(page, floor, code, by_touch=False)
    while "earpiece-out" not in finished(code):
        step(page, press)
    page.goto(f"/jobs/{code}/bench?step=earpiece-in")
    fields = page.get_by_role("button", name=re.compile("Take one of"))
    assert fields.count() == 4
    step(page, fields.first.click)
    expect(page.get_by_role("alert").first).to_contain_text(["thing to put right", "cannot be taken"][1])


def test_a_scanner_is_not_a_thumb_and_a_held_key_is_one_press(sit: Sit, floor: Shop) -> None:
    """A part's label scanned on the page, with the Enter that a scanner sends, moves no step; nor does a key
    that is held down for two seconds move more than one.
    """
    code = opened(floor, HERON)
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    # no button has the focus by itself
    assert page.evaluate("document.activeElement.tagName") in ("P", "BODY", "OL")
    before = finished(code)
    page.get_by_role("button", name="Done, next step").focus()
    with page.expect_navigation():
        page.keyboard.type("P-1001", delay=4)
        page.keyboard.press("Enter")
    assert finished(code) == before
    assert "/bench" not in page.url
    page.goto(f"/jobs/{code}/bench")
    page.get_by_role("button", name="Done, next step").focus()
    # what the browser sends while a key is held: one press, then repeats, also on the page that comes next
    with page.expect_navigation():
        page.keyboard.down("Enter")
    for _ in range(20):
        page.keyboard.down("Enter")
        page.wait_for_timeout(30)
    page.keyboard.up("Enter")
    assert len(finished(code)) == len(before) + 1
    page.keyboard.down("F9")
    for _ in range(20):
        page.keyboard.down("F9")
        page.wait_for_timeout(30)
    page.keyboard.up("F9")
    page.wait_for_load_state()
    assert len(finished(code)) == len(before) + 2
    # typed by hand it is what it was: a digit is the screw of its place
    expect(page.locator(".step-text")).to_contain_text("Switch off fully")
