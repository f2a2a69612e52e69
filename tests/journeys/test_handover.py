"""Handing back in the browser: a card without an answer, a refund, the till's day, a parcel, the comebacks
of W01 and W06, and the status page on a telephone.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import UTC, datetime

import pytest
from builders import HERON, Shop
from journeys.conftest import Live
from journeys.hands import Mouse
from playwright.sync_api import Browser, Page, expect

from sutura.core.job import Stage
from sutura.devices import plug
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.services import invoices, ledger, messages
from sutura.store import returns as returns_store
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]
MAILED = {
    "data": "backed_up",
    "parcel_state": "whole",
    "parcel_number": "P-1122",
    "return_address": "4 Ropewalk, Port Averil",
}


@pytest.fixture
def terminal(live: Live) -> Iterator[SimulatedTerminal]:
    made = SimulatedTerminal()
    plug(terminal=made)
    yield made
    plug(terminal=SimulatedTerminal())


def ready_job(floor: Shop, model: str = HERON, barcode: str = "P-1001", **changes: object) -> str:
    with connection():
        floor.now = datetime.now(UTC)
        floor.receive(barcode, 1)
        code = floor.closed(model, **changes)
        floor.look_at_sealed(code)
    return code


def tick_all(page: Page) -> None:
    for box in page.locator("[name=returned], [name=cards]").all():
        box.check()


def press(page: Page, name: str) -> None:
    with page.expect_navigation():
        page.get_by_role("button", name=name, exact=True).click()


def test_w10_a_card_without_an_answer_is_asked_about_and_booked_once(
    sit: Sit, floor: Shop, terminal: SimulatedTerminal
) -> None:
    # the lid comes in from here as W10's does; what is shown is the card
    job = ready_job(floor)
    page = sit("Pell")
    page.goto(f"/jobs/{job}/handover")
    tick_all(page)
    terminal.faults = frozenset({"timeout"})
    press(page, "By card")
    expect(page.locator("main")).to_contain_text("nobody knows")
    with page.expect_navigation():
        page.get_by_role("link", name="Ask the terminal").click()
    press(page, "Ask the terminal what came of it")
    terminal.faults = frozenset()
    expect(page.locator("main")).to_contain_text("Nothing is owed")
    with page.expect_navigation():
        page.get_by_role("link", name="Hand it back").click()
    tick_all(page)
    press(page, "Hand it back")
    expect(page.get_by_role("heading", name=re.compile("^Receipt"))).to_be_visible()
    with connection():
        assert len(ledger.rows_of(floor.job(job))) == 1
        assert floor.job(job).stage is Stage.HANDED_BACK


def test_a_refund_is_a_credit_note_and_the_till_is_counted(sit: Sit, floor: Shop, live: Live) -> None:
    job = ready_job(floor)
    page = sit("Ines")
    page.goto(f"/jobs/{job}/handover")
    tick_all(page)
    page.get_by_text("Cash with change, or in parts").click()
    page.get_by_label("Handed over in cash").fill("150")
    press(page, "By cash")
    expect(page.locator("main")).to_contain_text("Change to give: 11.00")
    page.goto(f"/jobs/{job}/money")
    back = page.locator("form", has=page.get_by_role("heading", name="Give money back"))
    back.get_by_label("Amount").fill("20")
    back.get_by_label("Why").fill("a scratch of ours")
    with page.expect_navigation():
        back.get_by_role("button", name="By cash").click()
    expect(page.locator("main")).to_contain_text("Nothing is owed")
    with page.expect_navigation():
        page.get_by_role("link", name=re.compile("^credit note C")).click()
    expect(page.locator("article")).to_contain_text("a scratch of ours")
    page.goto("/till")
    expect(page.locator("main")).to_contain_text("There must be: 119.00 TAL")
    for worth, many in (("50.00", "2"), ("10.00", "1"), ("5.00", "1"), ("1.00", "3")):
        page.get_by_label(worth, exact=True).fill(many)
    expect(page.locator("main")).to_contain_text("Coins and notes: 118.00")
    press(page, "Close the till")
    expect(page.locator("#e-note")).to_contain_text("write why it differs")
    expect(page.get_by_label("50.00", exact=True)).to_have_value("2")
    page.get_by_label("Why it differs").fill("a coin fell behind the drawer")
    press(page, "Close the till")
    expect(page.locator("main")).to_contain_text("Counted")
    expect(page.locator("main")).to_contain_text("−1.00 TAL")
    expect(page.locator("main")).to_contain_text("2 × 50.00 TAL")


def test_w05_is_mailed_back_with_its_label(sit: Sit, floor: Shop, live: Live) -> None:
    job = ready_job(floor, channel="mail", how=MAILED)
    page = sit("Pell")
    page.goto(f"/jobs/{job}/handover")
    tick_all(page)
    page.get_by_label("Parcel number of the way back").fill("P-7788")
    page.get_by_text("Somebody else collects it, or it is posted").click()
    page.get_by_label("Who takes it").select_option("post")
    press(page, "By transfer")
    expect(page.locator("#e-carrier")).to_contain_text("write at least 2 characters")
    page.get_by_label("Carrier").fill("Harbour Post")
    page.get_by_label("Insured for").fill("150")
    press(page, "By transfer")
    expect(page.locator("article")).to_contain_text("Harbour Post P-7788")
    expect(page.locator("article")).to_contain_text("insured for 150.00 TAL")
    press(page, "Print the parcel's label")
    expect(page.get_by_role("heading", name=re.compile("^Receipt"))).to_be_visible()


def take_back(page: Page, job: str, *, impact: bool) -> str:
    """From the finished job to the new one: touch has a dead strip now, and perhaps it fell."""
    page.goto(f"/jobs/{job}")
    press(page, "It came back")
    if impact:
        Mouse(page).impact((30, 60), 9)
    page.get_by_role("button", name="The rest works").click()
    page.get_by_role("radio", name="Touch: Faulty").check()
    page.get_by_label("Touch: how it is faulty, or why not testable").fill("dead strip")
    for consent in ("My data", "After opening", "A part that"):
        page.get_by_role("checkbox", name=re.compile(f"^{consent}")).check()
    page.get_by_role("button", name="Take it in and print the ticket").click()
    page.wait_for_url("**/ticket")
    return page.url.split("/")[-2]


def test_w01_comes_back_with_a_new_impact_and_w06_with_a_dead_strip(
    sit: Sit, floor: Shop, live: Live
) -> None:
    page = sit("Ines")
    jobs = [ready_job(floor) for _ in range(2)]
    with connection():
        for job in jobs:
            floor.hand_back(job)
    fell = take_back(page, jobs[0], impact=True)
    page.goto(f"/jobs/{fell}/comeback")
    expect(page.locator("main")).to_contain_text("By what was found: new damage")
    press(page, "Decide the cause")
    expect(page.locator("main")).to_contain_text("It is paid by the customer")
    failed = take_back(page, jobs[1], impact=False)
    page.goto(f"/jobs/{failed}/comeback")
    expect(page.locator("main")).to_contain_text("By what was found: the part failed")
    press(page, "Decide the cause")
    expect(page.locator("main")).to_contain_text("It is paid by the supplier")
    with connection():
        assert [row.note for row in returns_store.open_returns()].count(failed) == 1
    page.goto("/comebacks")
    expect(page.get_by_role("link", name=failed)).to_be_visible()
    expect(page.get_by_role("link", name=fell)).to_be_visible()


def test_the_status_page_on_a_telephone_in_the_customers_language(
    sit: Sit, floor: Shop, live: Live, browser: Browser
) -> None:
    job = ready_job(floor)
    page = sit("Pell")
    with connection():
        customer = floor.job(job).customer_id
        link = messages.status_link(floor.job(job), floor.now)
    page.goto(f"/customers/{customer}")
    page.get_by_label("Language of their papers").select_option("de")
    press(page, "Save")
    phone = browser.new_context(base_url=live.address, viewport={"width": 390, "height": 844}).new_page()
    phone.goto(f"/s/{link}")
    expect(phone.get_by_role("heading", name="Es ist fertig.")).to_be_visible()
    expect(phone.locator("main")).to_contain_text("139,00 TAL")
    assert phone.evaluate("document.documentElement.scrollWidth") <= 390
    phone.context.close()
    page.goto(f"/jobs/{job}/handover")
    tick_all(page)
    press(page, "By cash")
    with connection():
        number = invoices.papers_of(floor.job(job))[0].paper.number
    page.goto(f"/papers/{number}")
    expect(page.locator("article")).to_contain_text("Rechnung")
    expect(page.locator("article")).to_contain_text("Arbeit, Prüfung und Gewährleistung")
