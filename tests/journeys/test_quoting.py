"""The work samples quoted through the browser, each route with its reason."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from builders import Shop, all_work, models
from journeys.conftest import Live
from playwright.sync_api import Browser, Locator, Page, expect

from sutura.core.job import Stage
from sutura.devices import plug, plugged
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.services import messages
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]
BROKEN = {"glass": "broken", "image": "fine", "touch": "fine", "battery": "ok"}


@pytest.fixture
def sender() -> Iterator[SimulatedMessenger]:
    before, sender = plugged().messenger, SimulatedMessenger()
    plug(messenger=sender)
    yield sender
    plug(messenger=before)


def taken_in(
    floor: Shop, model_id: str, functions: dict[str, tuple[str, str]] | None = None, **given: Any
) -> str:
    with connection():
        floor.now = datetime.now(UTC)
        tested = {**all_work(models()[model_id]), **(functions or {})}
        return floor.take_in(model_id, functions=tested, **given)


def stage(floor: Shop, code: str) -> Stage:
    with connection():
        return floor.job(code).stage


def ways(page: Page, code: str) -> Page:
    """The ways of a job, as Next leads there."""
    page.goto(f"/jobs/{code}")
    page.locator("a.button.main").first.click()
    page.wait_for_url(f"**/jobs/{code}/routes")
    return page


def card(page: Page, name: str) -> Locator:
    return page.locator("section.way-card", has=page.get_by_role("heading", name=re.compile(name)))


def quoted(page: Page, *names: str) -> str:
    """A quote of some ways is made and sent; the link that the customer gets."""
    for tick in page.locator("label.checkline:has(input[name=ways])").all():
        wanted = any(name in tick.inner_text() for name in names)
        tick.locator("input").set_checked(wanted)
    with page.expect_navigation():
        page.get_by_role("button", name="Make the quote").click()
    with page.expect_navigation():
        page.get_by_role("button", name="Send it by message").click()
    expect(page.locator("main")).to_contain_text("Their answer comes into the job by itself.")
    return page.locator("p.code").inner_text().strip().rsplit("/", 1)[1]


@pytest.fixture
def phone(browser: Browser, live: Live) -> Iterator[Page]:
    """A customer's small telephone, without scripts."""
    context = browser.new_context(
        viewport={"width": 360, "height": 740}, java_script_enabled=False, base_url=live.address
    )
    yield context.new_page()
    context.close()


def accepts(phone: Page, token: str, name: str) -> None:
    phone.goto(f"/q/{token}")
    form = phone.locator("form", has=phone.get_by_role("button", name=re.compile(f"Yes.*{name}")))
    for tick in form.locator("input[name=agreed]").all():
        tick.check()
    form.get_by_role("button").click()


def test_w02_a_black_screen_is_quoted_and_only_the_manager_sees_what_it_earns(sit: Sit, floor: Shop) -> None:
    """Panel suspected, battery flat, the customer waits: one route can work, and glass was never broken."""
    with connection():
        floor.receive("P-1003")
    dark = {"glass": "whole", "image": "thread", "battery": "flat"}
    code = taken_in(
        floor, "fennick-heron-l", {"image": ("not_testable", "battery flat")}, look=dark, marks=[]
    )
    counter = ways(sit("Pell"), code)
    front = card(counter, "front assembly, aftermarket").first
    expect(front).to_contain_text("on the shelf")
    expect(front).to_contain_text(re.compile(r"Ready(today|\D+\d\d\.\d\d\.) \d\d:\d\d at the earliest"))
    expect(front).not_to_contain_text("a bench hour")
    manager = sit("Ines")
    manager.goto(f"/jobs/{code}/routes")
    expect(card(manager, "front assembly, aftermarket").first).to_contain_text("a bench hour before the work")
    with counter.expect_navigation():
        front.get_by_role("button", name=re.compile("hold the part")).click()
    assert stage(floor, code) is Stage.PART_IN_HAND


def test_w03_the_dear_front_stands_beside_the_kit_and_the_customer_picks(
    sit: Sit, floor: Shop, phone: Page, sender: SimulatedMessenger
) -> None:
    code = taken_in(floor, "tarnbeck-fold-12-g4", look=BROKEN)
    page = ways(sit("Pell"), code)
    expect(page.locator("main")).to_contain_text("put together from 3 parts")
    expect(page.locator("main")).to_contain_text("no connector mends that")
    expect(page.locator("main")).to_contain_text("hot plate")
    token = quoted(page, "put together from 3 parts", "genuine new")
    with connection():
        # the worker's part; at night it waits until the quiet hours are over
        hours = (datetime.now(UTC) + timedelta(hours=later) for later in range(1, 25))
        assert sum(map(messages.send_due, hours)) == 1
    assert token in sender.sent[0].text
    phone.goto(f"/q/{token}")
    prices = phone.locator("p.big").all_inner_texts()
    assert len(prices) == 2
    accepts(phone, token, "put together from 3 parts")
    expect(phone.locator("main")).to_contain_text("Thank you.")
    assert stage(floor, code) is Stage.QUOTED
    page.goto(f"/jobs/{code}")
    expect(page.locator("main")).to_contain_text("accepted quote 1 by its link")
    expect(page.locator("main")).to_contain_text("which is ready then")


def test_w04_another_finish_is_a_way_of_its_own(sit: Sit, floor: Shop) -> None:
    """Nothing is broken: matte is wanted in the place of glossy, and reseating would mend nothing."""
    whole = {"glass": "whole", "image": "fine", "touch": "fine", "battery": "ok"}
    code = taken_in(floor, "bramling-pocket", look=whole, marks=[], complaint="wants it matte")
    page = ways(sit("Pell"), code)
    matte = card(page, "matte")
    expect(matte).to_contain_text("a matte screen in the place of the glossy one")
    expect(page.locator("main")).to_contain_text("Nothing is wrong that a connector could explain.")
    for tick in matte.locator("input[name=agreed]").all():
        tick.check()
    with page.expect_navigation():
        matte.get_by_role("button", name=re.compile("Choose it")).click()
    with connection():
        job = floor.job(code)
    assert (job.stage, job.chosen.route) == (Stage.QUOTED, "front assembly")


def test_w11_an_older_phone_takes_an_hour_or_ten_minutes_and_they_say_it_at_the_counter(
    sit: Sit, floor: Shop, sender: SimulatedMessenger
) -> None:
    code = taken_in(floor, "fennick-wren", look={**BROKEN, "liquid": "some"})
    page = ways(sit("Pell"), code)
    expect(card(page, "whole front with frame")).to_contain_text("10 min by the sheet")
    expect(card(page, "glass and touch")).to_contain_text("never pays beside what follows it")
    quoted(page, "whole front with frame", "glass and touch")
    page.get_by_role("link", name="Back to the ways").click()
    answer = page.locator("#answer")
    for tick in answer.locator("input[name=agreed]").all():
        tick.check()
    with page.expect_navigation():
        answer.get_by_role("button", name=re.compile("Yes: whole front with frame")).click()
    expect(page.locator("main")).to_contain_text("accepted quote 1 at the counter: whole front with frame")
    with connection():
        assert floor.job(code).chosen.route == "front with frame"


def test_w17_a_bare_panel_is_compared_with_a_lid_in_price_time_and_risk(
    sit: Sit, floor: Shop, phone: Page, sender: SimulatedMessenger
) -> None:
    code = taken_in(
        floor,
        "ardale-foil-13-panel",
        {"image": ("faulty", "a dark blotch on the left")},
        look={"glass": "whole", "image": "blotch", "battery": "ok"},
        marks=[],
    )
    page = ways(sit("Ines"), code)
    panel, lid = card(page, "bare panel"), card(page, "lid assembly")
    expect(panel).to_contain_text("pays while it succeeds more than")
    expect(panel).to_contain_text("minutes more it must succeed")
    expect(lid).to_contain_text("25 min by the sheet")
    token = quoted(page, "bare panel", "lid assembly")
    accepts(phone, token, "lid assembly")
    expect(phone.locator("main")).to_contain_text("The part is ordered")
    with connection():
        assert floor.job(code).chosen.route == "lid assembly"
    page.goto("/orders")
    expect(page.locator("main")).to_contain_text("Millrace")


def test_w18_ten_minutes_stand_against_an_hour(sit: Sit, floor: Shop) -> None:
    """Whole front in about ten minutes, glass and touch in about sixty; the sibling's parts are no way."""
    with connection():
        floor.receive("P-1101")
    code = taken_in(floor, "fennick-finch", look=BROKEN)
    page = ways(sit("Ines"), code)
    front, glass = card(page, "front with frame"), card(page, "glass and touch")
    # an old device is worth little: both are said to be dear, the better one first
    expect(page.locator("section.way-card").first).to_contain_text("front with frame")
    expect(glass).to_contain_text("never pays beside what follows it")
    expect(front).to_contain_text("14 min by the sheet")
    expect(glass).to_contain_text("1 h 8 min by the sheet")
    expect(page.locator("main")).not_to_contain_text("refurbished")
    with page.expect_navigation():
        front.get_by_role("button", name=re.compile("hold the part")).click()
    with connection():
        assert floor.job(code).chosen.route == "front with frame"


def test_what_is_found_at_the_bench_is_asked_and_the_deposit_is_taken(
    sit: Sit, floor: Shop, phone: Page, sender: SimulatedMessenger
) -> None:
    """W01 goes on: a swollen battery shows; the customer answers on the phone, and the bench reads it."""
    with connection():
        floor.now = datetime.now(UTC)
        floor.receive("P-1001")
        code = floor.opened()
    page = sit("Ines")
    page.goto(f"/jobs/{code}/bench")
    page.get_by_role("link", name="Found more? Ask the customer").click()
    page.get_by_label("What was found").fill("the battery is swollen and is replaced")
    page.get_by_label("What it costs more").fill("much")
    with page.expect_navigation():
        page.get_by_role("button", name="Make the question").click()
    expect(page.get_by_label("What was found")).to_have_value("the battery is swollen and is replaced")
    page.get_by_label("What it costs more").fill("35")
    with page.expect_navigation():
        page.get_by_role("button", name="Make the question").click()
    token = page.locator("p.code").inner_text().strip().rsplit("/", 1)[1]
    page.goto(f"/jobs/{code}/bench")
    expect(page.locator("main")).to_contain_text("Wait with it until they answer.")
    accepts(phone, token, "the battery is swollen")
    expect(phone.locator("main")).to_contain_text("We go on.")
    page.reload()
    expect(page.locator("main")).to_contain_text("do it, they pay for it")
