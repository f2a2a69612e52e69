"""What several rooms say of one job, walked by hand in a browser: somebody ill at ten, an upgrade, a repair
that is not worth it, money given back.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime
from decimal import Decimal

import pytest
from builders import HERON, Shop, all_work, models
from playwright.sync_api import Page, expect

from sutura.core.maths.money import Money
from sutura.services import known, planning
from sutura.store import people as people_store
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]


@pytest.fixture
def trained(floor: Shop) -> Shop:
    with connection():
        floor.now = datetime.now(UTC)
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        for name in ("bram", "lio"):
            people_store.save_skills(floor.people[name].id, every)
        floor.receive("P-1001", 4)
        floor.receive("P-4002", 1)
    return floor


def said(page: Page, fact: str, code: str) -> str:
    """What a page says of a job, by the element that marks it."""
    value = page.locator(f'[data-fact="{fact} {code}"]').first.get_attribute("value")
    assert value is not None
    return value


def test_somebody_is_ill_at_ten_and_all_is_given_in_one_press(sit: Sit, trained: Shop) -> None:
    with connection():
        code = trained.held()
        planning.assign(code, trained.bram.id, trained.manager, trained.tick(0.01))
    page = sit("Ines")
    page.goto("/")
    page.get_by_text("Somebody is ill").click()
    page.get_by_role("button", name="Bram is ill").click()
    expect(page.get_by_role("heading", name="Bram is away")).to_be_visible()
    expect(page.locator("main")).to_contain_text(code)
    page.get_by_role("button", name=re.compile("as proposed$")).click()
    expect(page.get_by_role("button", name=re.compile("as proposed$"))).to_have_count(0)
    page.goto(f"/jobs/{code}")
    expect(page.locator("main")).not_to_contain_text("Bram away")
    with connection():
        assert trained.job(code).bench.technician == "Lio"
    page.goto(f"/jobs/{code}/assign")
    bram = page.get_by_role("listitem").filter(
        has=page.get_by_role("button", name=re.compile("Give it to Bram"))
    )
    expect(bram).to_contain_text("away until")


def test_an_upgrade_goes_from_the_counter_to_the_ways(sit: Sit, trained: Shop) -> None:
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("BP-700")
    page.get_by_role("button", name="This is it").first.click()
    page.get_by_label("Name", exact=True).fill("Tobin Marsk")
    page.get_by_label("Phone", exact=True).fill("555 0102")
    page.get_by_label("What they want").select_option("finish:matte")
    page.get_by_role("button", name="The rest works").click()
    page.get_by_label("They agree to all that is needed").check()
    page.get_by_role("button", name="Take it in and print the ticket").click()
    page.wait_for_url("**/ticket")
    ticket = page.locator("main")
    expect(ticket).to_contain_text("You want a matte screen in the place of the glossy one.")
    expect(ticket).not_to_contain_text("What is broken inside")
    code = page.url.split("/")[-2]
    page.goto(f"/jobs/{code}/routes")
    expect(page.locator("main")).to_contain_text("matte")
    page.goto(f"/jobs/{code}/match")
    expect(page.locator(".offer.best")).to_contain_text("matte")


def test_what_is_not_worth_it_is_declined_where_that_is_said(
    sit: Sit, trained: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(known, "worth_today", lambda *_: Money(minor=4_000, currency="TAL"))
    with connection():
        code = trained.take_in()
    page = sit("Pell")
    page.goto(f"/jobs/{code}/match")
    expect(page.locator("main")).to_contain_text("Not recommended")
    page.get_by_role("link", name="Compare the repair options").click()
    expect(page.locator("main")).to_contain_text("Tell them: it may not be worth it")
    page.get_by_role("button", name="The customer declines").click()
    page.goto(f"/jobs/{code}")
    expect(page.locator("main")).to_contain_text(re.compile("declined", re.IGNORECASE))


def test_money_given_back_is_in_every_margin(sit: Sit, trained: Shop) -> None:
    with connection():
        code = trained.closed(HERON)
        trained.hand_back(code)
    page = sit("Ines")
    page.goto(f"/jobs/{code}")
    before = said(page, "left", code)
    page.goto("/book")
    assert said(page, "left", code) == before
    page.goto(f"/jobs/{code}/money")
    give = page.locator("form", has=page.get_by_role("heading", name="Give money back"))
    give.get_by_label("Amount").fill("39")
    give.get_by_label("Why").fill("the customer waited two days")
    give.get_by_role("button", name="By cash").click()
    expect(page.get_by_role("group", name="The ledger")).to_contain_text("the customer waited two days")
    page.goto(f"/jobs/{code}")
    after = said(page, "left", code)
    assert after != before
    page.goto("/book")
    assert said(page, "left", code) == after


def test_lost_brightness_is_answered_by_what_brings_it_back_on_both_pages(sit: Sit, trained: Shop) -> None:
    """W08: an aftermarket display lies on the shelf, and would lose what the customer came for."""
    model = models()["quillon-ember-s"]
    with connection():
        for barcode in ("P-1302", "P-1303"):
            trained.receive(barcode, 1)
        code = trained.take_in(
            model.id,
            look={"glass": "whole", "image": "fine", "touch": "fine", "battery": "ok"},
            functions={**all_work(model), "light": ("faulty", "brightness does not follow")},
            marks=[],
        )
    page = sit("Pell")
    page.goto(f"/jobs/{code}/match")
    expect(page.locator(".offer.best", has_text="aftermarket")).to_have_count(0)
    page.goto(f"/jobs/{code}/routes")
    best = page.locator("section.way-card.recommended")
    expect(best).to_contain_text("serial")
    with page.expect_navigation():
        best.get_by_role("button", name=re.compile("^Choose it")).click()
    page.goto(f"/jobs/{code}")
    expect(page.locator("main")).to_contain_text(re.compile("serial", re.IGNORECASE))
    with connection():
        assert trained.job(code).chosen.route == "serial"
