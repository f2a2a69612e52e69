"""Match in a browser: the overlay by keys and mouse, a kit chosen and held, a price list read by the worker
beside the pages.
"""

from __future__ import annotations

import re
import threading
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

import pytest
from builders import PLAIN, Shop, all_work, models
from journeys.conftest import Live
from playwright.sync_api import Browser, Page, expect

from sutura import worker
from sutura.services import drafts, intake
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]
LIST = (
    "SKU;Kategorie;Druck;Preis netto;Pole\n"
    + "".join(f"L-{n};panel;LX-{n};{20 + n % 40},50;40\n" for n in range(30))
    + "L-x;panel;LX-9;auf Anfrage;40\n"
)


def job_of(floor: Shop, model_id: str) -> str:
    arrival = floor.arrival()
    changed: dict[str, Any] = {
        "model_id": model_id,
        "read_number": models()[model_id].numbers[0].text,
        "functions": all_work(models()[model_id]),
        "marks": [],
    }
    with connection():
        draft = drafts.open_draft(floor.counter, datetime.now(UTC))
        return intake.take_in(draft, replace(arrival, **changed), floor.counter, datetime.now(UTC))


def box(page: Page) -> list[float]:
    return [float(piece) for piece in (page.locator("svg.overlay").get_attribute("viewBox") or "").split()]


def test_the_overlay_is_looked_at_closely_by_keys_and_buttons(sit: Sit, floor: Shop) -> None:
    """W09: the connector on the other side."""
    page = sit("Pell")
    page.goto(f"/jobs/{job_of(floor, PLAIN)}/match")
    page.get_by_role("region", name="15.6-inch panel, 40 pins left from Pinder & Holt Parts").get_by_role(
        "link", name="Lay it over the need"
    ).click()
    expect(page.locator("#overlay")).to_contain_text("15.6-inch panel, 40 pins left")
    expect(page.locator("svg.overlay > g").nth(0).locator(".over-connector.over-differs")).to_have_count(1)
    whole = box(page)
    page.locator("svg.overlay").focus()
    page.keyboard.press("+")
    page.keyboard.press("ArrowRight")
    closer = box(page)
    assert closer[2] == pytest.approx(whole[2] * 0.7, abs=0.1)
    assert closer[0] > whole[0] + whole[2] * 0.15
    page.get_by_role("button", name="Away").click()
    page.get_by_role("button", name="Whole").click()
    assert box(page) == whole
    page.get_by_label("Back", exact=True).check()
    expect(page.locator("svg.overlay > g").nth(0)).to_be_hidden()
    expect(page.locator("svg.overlay > g").nth(1)).to_be_visible()


def test_a_kit_goes_from_the_phone_to_the_shelf(sit: Sit, floor: Shop) -> None:
    """W03: found by search, priced against the genuine front, all three parts held."""
    for barcode in ("P-3102", "P-3103", "P-3104"):
        floor.receive(barcode)
    page = sit("Pell")
    page.goto("/match")
    page.get_by_label("Can we fix this?").fill("TF12")
    page.goto("/match/model/tarnbeck-fold-12-g4")
    expect(page.get_by_role("region", name=re.compile("^The best"))).to_contain_text(
        "Fold 12 gen 4 glass + Fold 12 gen 2 panel + Adapter flex"
    )
    page.goto(f"/jobs/{job_of(floor, 'tarnbeck-fold-12-g4')}/match")
    page.get_by_role("button", name=re.compile("and hold it")).first.click()
    # nobody has it yet: who does it is asked next
    page.wait_for_url("**/jobs/*/assign")
    expect(page.locator("main")).to_contain_text("held for this job")
    page.goto(page.url.replace("/assign", "/match"))
    expect(page.locator("main")).to_contain_text("are held for this job")


def test_the_original_on_the_table_turns_the_verdict(sit: Sit, floor: Shop) -> None:
    page = sit("Bram", viewport={"width": 390, "height": 844})
    page.goto(f"/jobs/{job_of(floor, PLAIN)}/match")
    page.get_by_text("Compare with the original on the table").click()
    page.get_by_label("Connector place", exact=True).fill("bottom left")
    page.get_by_role("button", name="Keep what the original says").click()
    expect(page.locator("#original")).to_contain_text("corrected: the catalogue says bottom right")
    expect(page.get_by_role("region", name=re.compile("^The best"))).to_contain_text("40 pins left")


def test_a_price_list_is_read_beside_the_pages_and_changes_what_match_says(
    sit: Sit, floor: Shop, database: str
) -> None:
    page = sit("Ines")
    page.goto("/shelf")
    page.get_by_role("link", name="Price lists of suppliers").click()
    page.get_by_label("Name of a new one").fill("Hollow Yard")
    page.get_by_label("The file (CSV").set_input_files(
        {"name": "june.csv", "mimeType": "text/csv", "buffer": LIST.encode("cp1252")}
    )
    page.get_by_role("button", name="Look at it").click()
    page.wait_for_url("**/shelf/lists/*")
    page.get_by_label("Supplier's number", exact=False).first.select_option("SKU")
    page.get_by_label("Price of one piece", exact=False).first.select_option("Preis netto")
    page.get_by_label("Kind of part needed").select_option("Kategorie")
    page.get_by_label("Connector pins").select_option("Pole")
    page.get_by_role("button", name="Check it with these columns").click()
    expect(page.locator("main")).to_contain_text("30 good rows: 30 new")
    expect(page.locator("#bad")).to_contain_text("“auf Anfrage” cannot be taken")
    page.get_by_role("button", name="Read the 30 good rows").click()
    expect(page.get_by_role("progressbar")).to_be_visible()
    reader = threading.Thread(target=worker.work, args=(database,), kwargs={"until_empty": True})
    reader.start()
    expect(page.locator("main")).to_contain_text("30 new, 0 changed")
    reader.join(30)
    page.goto("/match/model/ardale-plain-15")
    expect(page.locator("main")).to_contain_text("Hollow Yard")


def test_ways_are_compared_quoted_and_answered_on_a_phone_without_scripts(
    sit: Sit, floor: Shop, browser: Browser, live: Live
) -> None:
    """W15: glass only beside the whole front, each with its reason; the customer answers by a link at 360
    px.
    """
    with connection():
        floor.now = datetime.now(UTC)
        code = floor.take_in(
            "fennick-kite", look={"glass": "broken", "image": "fine", "touch": "fine", "battery": "ok"}
        )
    page = sit("Pell")
    page.goto(f"/jobs/{code}/routes")
    expect(page.locator("main")).to_contain_text("pays while it succeeds more than")
    expect(page.locator("main")).to_contain_text("no connector mends that")
    ticks = page.locator("input[name=ways]")
    for number in range(min(ticks.count(), 2)):
        ticks.nth(number).check()
    page.get_by_role("button", name="Make the quote").click()
    link = page.locator("p.code").inner_text().strip()
    phone = browser.new_context(viewport={"width": 360, "height": 740}, java_script_enabled=False)
    try:
        customer = phone.new_page()
        customer.goto(f"{live.address}/q/{link.rsplit('/', 1)[1]}")
        wide = customer.locator("body").bounding_box()
        assert wide
        assert wide["width"] <= 360
        form = customer.locator("form", has=customer.get_by_role("button", name=re.compile("Yes"))).first
        for agreed in form.locator("input[name=agreed]").all():
            agreed.check()
        form.get_by_role("button", name=re.compile("Yes")).click()
        expect(customer.locator("main")).to_contain_text("Thank you.")
    finally:
        phone.close()
    page.goto(f"/jobs/{code}")
    expect(page.locator("main")).to_contain_text("accepted quote 1 by its link")
