"""A day on Plan in a browser: a customer who waits, somebody ill, a part that comes late; by keys and on a
phone.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal

import pytest
from builders import PLAIN, Shop, models
from journeys.conftest import Live
from playwright.sync_api import Locator, Page, expect

from sutura.services import planning, plans
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import plans as plans_store
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]


@pytest.fixture
def day(floor: Shop, live: Live) -> dict[str, str]:
    """A customer who waits, one who comes in the evening, and one whose part has to come."""
    with connection():
        floor.now = datetime.now(UTC)
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        for name in ("bram", "lio"):
            people_store.save_skills(floor.people[name].id, every)
        floor.receive("P-1001", 2)
        waits = floor.held(channel="waiting")
        evening = floor.held()
        late_part = floor.take_in(PLAIN)
        for code, hours in ((waits, 1), (evening, 9), (late_part, 80)):
            job_store.save_promise(floor.job(code).id, floor.now + timedelta(hours=hours), "told")
        planning.assign(waits, floor.bram.id, floor.manager, floor.tick(0.01))
        # each deed took a minute of the shop's own clock, which is ahead of the pages' by now
        plans.make_plan(datetime.now(UTC), 4, 0.3)
    return {"waits": waits, "evening": evening, "late_part": late_part}


def row_of(page: Page, code: str) -> Locator:
    """A job's line in the table; others may name it as what they wait for."""
    return page.locator("tr", has=page.get_by_role("rowheader", name=re.compile(code)))


def again(floor: Shop) -> None:
    """What the worker does beside the pages."""
    with connection():
        plans.make_plan(datetime.now(UTC), 4, 0.3)


def test_a_day_with_somebody_ill_is_planned_anew(sit: Sit, floor: Shop, day: dict[str, str]) -> None:
    page = sit("Ines")
    page.goto("/plan")
    main = page.locator("main")
    expect(main).to_contain_text("All 3 promises are kept.")
    row = row_of(page, day["waits"])
    expect(row).to_contain_text("Bram")
    expect(row).to_contain_text("the first of its person")
    # what if Bram goes home: looked at by keys, nothing is kept
    page.get_by_label("What is tried").focus()
    page.get_by_label("What is tried").select_option(label="Bram is away")
    page.keyboard.press("Tab")
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(main).to_contain_text("2 of 3 promises kept")
    expect(main).to_contain_text("would be late")
    expect(main).to_contain_text("Nothing of it is kept.")
    # he does go home: the job is given to somebody else, and the plan keeps its promise again
    page.goto("/plan")
    page.locator("#f-person").select_option(label="Bram")
    page.get_by_label("From", exact=True).fill(f"{floor.now:%Y-%m-%dT%H:%M}")
    page.get_by_label("Until", exact=True).fill(f"{floor.now + timedelta(hours=20):%Y-%m-%dT%H:%M}")
    page.get_by_label("Why", exact=True).fill("ill")
    with page.expect_navigation():
        page.get_by_role("button", name="Write it down").click()
    again(floor)
    page.goto("/plan")
    expect(main).to_contain_text("2 of 3 promises are kept")
    expect(row_of(page, day["waits"])).to_contain_text("late")
    with connection():
        planning.assign(day["waits"], floor.people["lio"].id, floor.manager, datetime.now(UTC))
    again(floor)
    page.goto("/plan")
    expect(main).to_contain_text("All 3 promises are kept.")


def test_a_job_is_held_and_let_go_by_keys_and_given_as_planned(
    sit: Sit, floor: Shop, day: dict[str, str]
) -> None:
    page = sit("Pell")
    page.goto("/plan")
    page.get_by_role("button", name=f"Hold it {day['evening']}").focus()
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(row_of(page, day["evening"])).to_contain_text("held fast")
    page.get_by_role("button", name=f"Let go {day['evening']}").focus()
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(row_of(page, day["evening"])).not_to_contain_text("held fast")
    with page.expect_navigation():
        page.get_by_role("button", name=re.compile("to whom the plan says")).click()
    with connection():
        assert floor.job(day["evening"]).bench.technician
        assert floor.job(day["late_part"]).bench.technician


def test_on_a_phone_the_rails_are_moved_sideways_and_the_page_is_not(
    sit: Sit, floor: Shop, day: dict[str, str]
) -> None:
    page = sit("Bram", viewport={"width": 390, "height": 844})
    page.goto("/plan")
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    block = page.locator("svg.day a.stitches").first
    block.focus()
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile("/jobs/"))


def test_a_stitch_is_dragged_or_moved_by_keys_and_held_when_one_knows_what_it_does(
    sit: Sit, floor: Shop, day: dict[str, str]
) -> None:
    page = sit("Pell")
    page.goto("/plan")
    effect = page.locator("#effect")
    block = page.locator(f"svg.day a.hands[data-code='{day['evening']}']").first
    block.scroll_into_view_if_needed()
    box = block.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + 4
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 40, y, steps=4)
    page.mouse.up()
    expect(effect).to_contain_text("promises kept", timeout=20_000)
    expect(page).to_have_url(re.compile("/plan$"))
    expect(page.get_by_role("status").first).to_contain_text(day["evening"])
    with connection():
        assert plans_store.pins() == []
    # by keys, to somebody who may not begin before now: said, and nothing is kept
    block.focus()
    page.keyboard.press("Escape")
    expect(effect).to_be_empty()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(effect).to_contain_text("promises kept", timeout=20_000)
    with page.expect_navigation():
        effect.get_by_role("button", name=f"Hold {day['evening']} fast").click()
    expect(row_of(page, day["evening"])).to_contain_text("held fast")


def test_next_follows_the_plan_while_it_is_open(sit: Sit, floor: Shop, day: dict[str, str]) -> None:
    page = sit("Ines")
    page.goto("/")
    dockets = page.locator("main")
    expect(dockets).to_contain_text("The plan begins it")
    with connection():
        floor.receive("P-1001", 2)
        new = floor.held(channel="waiting")
    expect(dockets).to_contain_text(new, timeout=15_000)
    # with something typed nothing moves under the hand; keys and scan go on as before
    page.keyboard.press("F2")
    page.keyboard.type(new)
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(page).to_have_url(re.compile(f"/jobs/{new}"))
