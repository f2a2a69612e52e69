"""W01 from sign-in to handover: a cracked phone that was opened before; by mouse, by keyboard alone, by
finger.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from builders import HERON, Shop, models
from journeys.hands import Finger, Keyboard, Mouse
from playwright.sync_api import Locator, Page, expect

from sutura.core.job import Stage
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(420)]
Sit = Callable[..., Page]
# presses, typed fields and drawn lines of a usual phone, from the counter to the receipt
TO_CLOSED, MOST_DEEDS = 45, 50
PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}


@pytest.mark.parametrize(
    ("hand", "window"), [(Mouse, {}), (Keyboard, {}), (Finger, PHONE)], ids=["mouse", "keyboard", "finger"]
)
def test_w01_from_sign_in_to_handover(
    sit: Sit, floor: Shop, hand: type[Mouse], window: dict[str, object]
) -> None:
    floor.receive("P-1001")
    page = sit("Ines", **window)
    use = hand(page)
    code = take_in(page, use)
    job = floor.job(code)
    assert job.arrival.opened_before
    assert {mark["kind"] for mark in job.arrival.marks} == {"impact", "crack"}

    use.press(page.get_by_role("link", name="Choose the part"))
    best = page.get_by_role("region", name="front assembly, genuine pulled")
    expect(best).to_contain_text("recommended")
    use.press(best.get_by_role("button", name=re.compile("and hold the part")))
    use.press(page.get_by_role("button", name="Give it to Bram"))
    use.press(page.get_by_role("button", name="Open it: start the bench work"))

    # the manager is not trained for it: Bram stands beside her, said once
    use.choose(page.get_by_label("who stands beside you?"), "Bram")
    work_until(page, use, page.get_by_role("button", name="Record the test"), floor, code)
    assert floor.job(code).stage is Stage.OPENED
    use.press(page.get_by_role("button", name="The rest works"))
    use.press(page.get_by_role("button", name="Record the test"))
    expect(page.get_by_text("Proved: every function that must work works.")).to_be_visible()
    work_until(page, use, page.get_by_role("link", name="Look at it, sealed").first, floor, code)
    expect(page.get_by_text("12 screws out, 12 in").first).to_be_visible()
    assert hand is not Mouse or use.deeds <= TO_CLOSED, use.deeds
    # once more, now that it is sealed, and felt all round
    use.press(page.get_by_role("link", name="Look at it, sealed").first)
    use.press(page.get_by_role("button", name="The rest works"))
    use.press(page.get_by_role("button", name="The rest lies flush"))
    use.press(page.get_by_role("button", name="Keep this look"))

    # ready by that look: it goes on to the counter
    expect(page).to_have_url(re.compile("/handover$"))
    use.tick(page.get_by_role("checkbox", name=re.compile("SIM card")))
    use.press(page.get_by_role("button", name="By card"))
    expect(page.get_by_role("heading", name=f"Receipt {code}")).to_be_visible()
    assert floor.job(code).stage is Stage.HANDED_BACK
    # every judgement is a person's: what is left are looks, counts and answers (71 before)
    assert hand is not Mouse or use.deeds <= MOST_DEEDS, use.deeds
    use.press(page.get_by_role("link", name="To the job"))
    expect(page.get_by_text("Per bench hour")).to_be_visible()


def take_in(page: Page, use: Mouse) -> str:
    """The counter's part; the code of the new job."""
    use.press(page.get_by_role("button", name="Take a device in"))
    use.type(page.get_by_label("Model number on the back"), "FH-2107")
    expect(page.locator("[data-verdict=sure]")).to_be_visible()
    use.press(page.get_by_role("button", name=re.compile("^This is it")))
    use.type(page.get_by_label("Name", exact=True), "Adelin Moss")
    use.type(page.get_by_label("Phone", exact=True), "555 0109")
    use.impact((20, 30), 8)
    use.crack((20, 30), (45, 70), (70, 90))
    expect(page.get_by_text(re.compile("1 impact, 1 crack"))).to_be_visible()
    use.tick(page.get_by_role("checkbox", name=re.compile("Opened before")))
    use.press(page.get_by_role("button", name="The rest works"))
    use.tick(page.get_by_role("checkbox", name="SIM card"))
    use.tick(page.get_by_role("checkbox", name="They agree to all that is needed"))
    use.press(page.get_by_role("button", name="Take it in and print the ticket"))
    page.wait_for_url("**/ticket")
    expect(page.locator("svg.qr").first).to_be_visible()
    return page.url.split("/")[-2]


def work_until(page: Page, use: Mouse, comes: Locator, floor: Shop, code: str) -> None:
    """Do step after step as the sheet says, counting screws where it asks for them."""
    for _ in range(len(models()[HERON].steps) + 1):
        if comes.is_visible():
            return
        text = page.locator(".step-text").inner_text()
        with connection():
            floor.held_by_now(code)
        use.press(page.get_by_role("button", name=re.compile("[Dd]one, next step")))
        page.wait_for_load_state()
        expect(comes.or_(page.locator(".step-text").filter(has_not_text=text)).first).to_be_visible()
    raise AssertionError(f"the sheet never came to {comes}")
