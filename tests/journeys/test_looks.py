"""Two browsers: the shop's and the device's own. A dead strip, a device away from the network, dust, a laptop
with mouse and keys, and a watch.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, datetime
from decimal import Decimal

import pytest
from builders import HERON, Shop, models
from journeys.conftest import Live
from playwright.sync_api import Browser, Page, expect

from sutura.services import bench, planning, stock
from sutura.store import offers as offers_store
from sutura.store import people as people_store
from sutura.store import proof as store
from sutura.store import stock as stock_store
from sutura.store.database import connection

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]

# lines down the page as fingers draw them, lost between two heights
DRAW = """([from, until]) => {
  const sheet = document.querySelector("#stage canvas");
  let id = 1;
  for (let x = 0; x < innerWidth + 18; x += 18) {
    id += 1;
    const clientX = Math.min(x, innerWidth);
    const tell = (name, clientY) => sheet.dispatchEvent(
      new PointerEvent(name, { pointerId: id, clientX, clientY, bubbles: true, cancelable: true }));
    tell("pointerdown", 0);
    for (let y = 8; y <= innerHeight + 8; y += 8) {
      const at = Math.min(y, innerHeight);
      if (at < from || at > until) tell("pointermove", at);
    }
    tell("pointerup", innerHeight);
  }
}"""

# so many fingers down at once, then up
PUT_DOWN = """(count) => {
  const sheet = document.querySelector("#stage canvas");
  for (const name of ["pointerdown", "pointerup"])
    for (let id = 1; id <= count; id += 1)
      sheet.dispatchEvent(new PointerEvent(
        name, { pointerId: id, clientX: 40 * id, clientY: 200, bubbles: true, cancelable: true }));
}"""


@pytest.fixture
def job(floor: Shop) -> str:
    with connection():
        floor.receive("P-1001", 1)
        return floor.at_proof(HERON)


def device_of(
    browser: Browser, live: Live, shop_page: Page, job: str, wide: int, high: int, *, touch: bool
) -> Page:
    """The device under test opens the link that the shop made."""
    shop_page.goto(f"/jobs/{job}/proof")
    with shop_page.expect_navigation():
        shop_page.get_by_role("button", name="Test it on the device itself").click()
    address = shop_page.locator("p.code.break").text_content() or ""
    device = browser.new_context(
        base_url=live.address, viewport={"width": wide, "height": high}, has_touch=touch, is_mobile=touch
    ).new_page()
    device.clock.install()
    device.goto("/t/" + address.rsplit("/", 1)[1])
    return device


def draw(device: Page, lost: tuple[float, float], *, everything: bool) -> None:
    """The touch test from its first sheet to its last, with ten quiet seconds."""
    device.get_by_role("button", name="Touch").click()
    device.evaluate(DRAW, list(lost))
    device.clock.run_for(1_000)
    device.get_by_role("button", name="I drew over all of it" if everything else "Go on").click()
    device.clock.run_for(10_500)
    device.get_by_role("button", name="Leave out").click()
    device.get_by_role("button", name="Leave out").click()


def test_w01_a_dead_strip_is_found_and_the_device_may_be_away_meanwhile(
    sit: Sit, floor: Shop, live: Live, browser: Browser, job: str
) -> None:
    shop = sit("Bram")
    device = device_of(browser, live, shop, job, 390, 844, touch=True)
    expect(device.get_by_role("heading")).to_have_text(f"Test {job}")
    draw(device, (300, 372), everything=False)
    expect(device.locator("[data-test=touch] .came")).to_have_text("faulty")
    shop.goto(f"/jobs/{job}/proof")
    expect(shop.locator("main")).to_contain_text("is not felt")
    expect(shop.locator("svg .bare")).to_have_count(1)
    # away from the network: kept on the device, and there after it came back
    device.context.set_offline(True)
    draw(device, (-1, -1), everything=True)
    expect(device.locator("#says")).to_contain_text("No connection")
    with connection():
        assert len(store.load_tests(floor.job(job).id)) == 1
    device.context.set_offline(False)
    device.clock.run_for(4_000)
    expect(device.locator("[data-test=touch] .came")).to_have_text("works")
    shop.goto(f"/jobs/{job}/proof")
    expect(shop.locator("main")).to_contain_text("of the picture felt every finger")
    # a second device is told, and gets nothing
    other = browser.new_context(base_url=live.address).new_page()
    other.goto(device.url)
    expect(other.locator("main")).to_contain_text("opened this link first")
    expect(other.locator("[data-test]")).to_have_count(0)
    other.context.close()
    device.context.close()


def test_a_laptop_by_mouse_and_keys_and_a_watch_that_its_page_fits(
    sit: Sit, floor: Shop, live: Live, browser: Browser, job: str
) -> None:
    shop = sit("Bram")
    laptop = device_of(browser, live, shop, job, 1280, 720, touch=False)
    laptop.get_by_role("button", name="Picture").click()
    laptop.get_by_label("What a tap marks").select_option("line")
    laptop.locator(".field").click(position={"x": 60, "y": 60})
    laptop.locator(".field").focus()
    for _ in range(9):
        laptop.keyboard.press("Enter")
    laptop.get_by_role("button", name="Done").click()
    expect(laptop.locator("[data-test=image] .came")).to_have_text("faulty")
    laptop.context.close()
    watch = device_of(browser, live, shop, job, 184, 224, touch=True)
    assert watch.evaluate("document.documentElement.scrollWidth") <= 184
    draw(watch, (-1, -1), everything=True)
    expect(watch.locator("[data-test=touch] .came")).to_have_text("works")
    watch.context.close()


def test_a_microphone_is_listened_to_on_the_device_and_nowhere_else(
    sit: Sit, floor: Shop, live: Live, browser: Browser, job: str
) -> None:
    """Before, the page's own header forbade what it asks for: every microphone was “this browser does not
    listen here”. The browser's own fake beeps once a second.
    """
    shop = sit("Bram")
    device = device_of(browser, live, shop, job, 390, 844, touch=True)
    device.clock.resume()
    device.get_by_role("button", name="Microphone").click()
    expect(device.get_by_text("Speak for four seconds.")).to_be_visible()
    expect(device.locator("[data-test=microphone] .came")).to_have_text("works", timeout=20_000)
    device.get_by_role("button", name="Front camera").click()
    expect(device.locator("#stage video")).to_be_visible()
    device.get_by_role("button", name="Cannot be tested").click()
    with connection():
        [heard] = [one for one in store.load_tests(floor.job(job).id) if one.function == "microphone"]
    assert heard.measured
    listens = "navigator.mediaDevices.getUserMedia({audio: true}).then(() => 'listens', no => no.name)"
    elsewhere = device.context.new_page()
    elsewhere.goto("/sign-in")
    assert elsewhere.evaluate(listens) == "NotAllowedError"
    device.context.close()


def test_w06_a_beginners_front_feels_as_many_fingers_as_the_model_says(
    sit: Sit, floor: Shop, live: Live, browser: Browser
) -> None:
    with connection():
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        people_store.save_skills(floor.bram.id, every)
        job = proof_of(floor, "quillon-ember")
    device = device_of(browser, live, sit("Bram"), job, 390, 844, touch=True)
    for fingers, came in ((3, "faulty"), (5, "works")):
        device.get_by_role("button", name="Touch").click()
        device.evaluate(DRAW, [-1, -1])
        device.clock.run_for(1_000)
        device.get_by_role("button", name="I drew over all of it").click()
        device.clock.run_for(10_500)
        device.evaluate(PUT_DOWN, fingers)
        device.clock.run_for(1_000)
        device.get_by_role("button", name="Done").click()
        device.get_by_role("button", name="Leave out").click()
        expect(device.locator("[data-test=touch] .came")).to_have_text(came)
    with connection():
        first, _ = store.load_tests(floor.job(job).id)
        assert tuple(str(dict(first.reasons[0].values)[name]) for name in ("felt", "expected")) == ("3", "5")
    device.context.close()


def test_w12_a_white_picture_is_reseated_and_proved_by_the_device(
    sit: Sit, floor: Shop, live: Live, browser: Browser
) -> None:
    with connection():
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        people_store.save_skills(floor.bram.id, every)
        job = proof_of(floor, "fennick-robin")
    shop = sit("Bram")
    device = device_of(browser, live, shop, job, 320, 568, touch=True)
    look_at_picture(device, "blotch")
    expect(device.locator("[data-test=image] .came")).to_have_text("faulty")
    device.context.close()
    shop.goto(f"/jobs/{job}/proof")
    assert shop.get_by_role("radio", name="Image: Faulty").is_checked()
    shop.get_by_role("button", name="The rest works").click()
    with shop.expect_navigation():
        shop.get_by_role("button", name="Record the test").click()
    expect(shop.locator("main")).to_contain_text("every connector off and on in order; test again")
    with connection():
        assert floor.job(job).bench.attempt == 2
        floor.now = datetime.now(UTC)
        floor.steps_until_proof(job)
    device = device_of(browser, live, shop, job, 320, 568, touch=True)
    look_at_picture(device, "")
    expect(device.locator("[data-test=image] .came")).to_have_text("works")
    device.context.close()
    shop.goto(f"/jobs/{job}/proof")
    shop.get_by_role("button", name="The rest works").click()
    with shop.expect_navigation():
        shop.get_by_role("button", name="Record the test").click()
    expect(shop.locator("main")).to_contain_text("Proved")


def look_at_picture(device: Page, marked: str) -> None:
    """Every full field; a tap on the black one where something is wrong."""
    device.get_by_role("button", name="Picture").click()
    device.locator(".field").focus()
    device.keyboard.press("Enter")
    if marked:
        device.get_by_label("What a tap marks").select_option(marked)
        device.locator(".field").click(position={"x": 60, "y": 60})
        device.locator(".field").focus()
    for _ in range(8):
        device.keyboard.press("Enter")
    device.get_by_role("button", name="Done").click()


def proof_of(floor: Shop, model: str) -> str:
    """A job of this model at its test, with whatever part it took."""
    code = floor.quoted(model)
    for offer in offers_store.load_offers([floor.job(code).chosen.offer_id or 0]):
        floor.receive(stock_store.barcodes([offer.part_id])[offer.part_id])
    stock.take_part(code, floor.counter, floor.tick())
    planning.assign(code, floor.bram.id, floor.manager, floor.tick())
    bench.open_job(code, floor.bram, floor.tick())
    floor.steps_until_proof(code)
    return code


def test_w17_dust_is_marked_by_clicks_and_keys_until_it_is_clean(sit: Sit, floor: Shop, job: str) -> None:
    with connection():
        every = dict.fromkeys({model.procedure_family for model in models().values()}, Decimal(1))
        people_store.save_skills(floor.bram.id, every)
        floor.receive("P-6006", 1)
        panel = floor.at_proof("ardale-foil-13-panel")
    page = sit("Bram")
    page.goto(f"/jobs/{panel}/proof")
    dust = page.get_by_role("region", name="Dust under the panel")
    expect(dust).to_contain_text("mark every speck")
    face = dust.get_by_role("group", name=re.compile("The panel"))
    face.click(position={"x": 120, "y": 90})
    face.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    expect(dust.get_by_role("status")).to_have_text("2 marked.")
    with page.expect_navigation():
        dust.get_by_role("button", name="Keep this look").click()
    expect(dust).to_contain_text("2 new")
    face.click(position={"x": 120, "y": 90})
    with page.expect_navigation():
        dust.get_by_role("button", name="Keep this look").click()
    expect(dust).to_contain_text("came back at the same place")
    with page.expect_navigation():
        dust.get_by_role("button", name="Keep this look").click()
    expect(dust).to_contain_text("Clean after 3 looks")
