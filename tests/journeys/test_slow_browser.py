"""What is drawn stays drawn on a slow machine: a browser slowed six times, answers that come late, places
told in one go.

The rule (common practice, no source): a mark that the person saw on the device is on the ticket; one that
cannot be kept is said at once.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from builders import Shop
from journeys.hands import say_why_promised
from journeys.test_intake import begin, drag, marks
from playwright.sync_api import Locator, Page, Route, expect

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]

LATE_ANSWERS = """
  const asked = window.fetch;
  window.fetch = async (...what) => {
    const answer = await asked(...what);
    await new Promise((done) => setTimeout(done, 1500));
    return answer;
  };
"""

# one pointer event that tells many places at once, as a busy browser does
IN_ONE_GO = """
  (svg, [places, lifted]) => {
    const at = ([x, y]) => {
      const place = new DOMPoint(x, y).matrixTransform(svg.getScreenCTM());
      return { clientX: place.x, clientY: place.y, bubbles: true, pointerId: 1 };
    };
    const event = (type, place, more) => new PointerEvent(type, { ...at(place), ...more });
    svg.dispatchEvent(event("pointerdown", places[0]));
    svg.dispatchEvent(event("pointermove", places.at(-1), {
      coalescedEvents: places.map((place) => event("pointermove", place)),
    }));
    svg.dispatchEvent(event("pointerup", lifted));
  }
"""


def slowed(page: Page, times: int = 6) -> None:
    page.context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": times})


def drawn(page: Page) -> list[dict[str, Any]]:
    marks: list[dict[str, Any]] = json.loads(page.locator("[name=marks]").input_value() or "[]")
    return marks


def in_one_go(page: Page, places: list[tuple[float, float]], lifted: tuple[float, float]) -> None:
    page.locator("svg.drawing").evaluate(IN_ONE_GO, [places, lifted])


def test_marks_drawn_at_once_in_a_slowed_browser_with_late_answers_are_all_on_the_ticket(
    sit: Sit, floor: Shop
) -> None:
    page = sit("Pell")
    page.add_init_script(LATE_ANSWERS)
    slowed(page)
    begin(page, "OR-16")
    page.locator("svg.drawing").scroll_into_view_if_needed()
    page.get_by_label("Missing glass", exact=True).check()
    for x in (0.2, 0.6):
        drag(page, (x, 0.7), (x + 0.15, 0.7), (x + 0.15, 0.8), (x, 0.8))
    page.get_by_label("Crack", exact=True).check()
    drag(page, (0.2, 0.2), (0.6, 0.5))
    # the answer to the three comes while the fourth is under the hand
    box = page.locator("svg.drawing .face-glass").first.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + box["height"] * 0.4)
    page.mouse.down()
    page.wait_for_timeout(2500)
    page.mouse.move(box["x"] + box["width"] * 0.7, box["y"] + box["height"] * 0.4, steps=4)
    page.mouse.up()
    assert [mark["kind"] for mark in drawn(page)] == ["missing_glass", "missing_glass", "crack", "crack"]
    expect(marks(page)).to_have_count(4)
    page.get_by_label("Name", exact=True).fill("Slow Day")
    page.get_by_label("Phone", exact=True).fill("555 0189")
    page.get_by_role("button", name="The rest works").click()
    for consent in ("data", "splash", "parts"):
        page.locator(f"[name=consent][value={consent}]").check()
    say_why_promised(page)
    page.get_by_role("button", name="Take it in").click()
    page.wait_for_url("**/ticket")
    expect(page.locator("article.print")).to_contain_text("2 places where glass is missing")


def test_places_told_in_one_go_make_the_whole_mark(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    begin(page, "OR-16")
    page.get_by_label("Missing glass", exact=True).check()
    ring = [(20.0, 20.0), (40.0, 20.0), (40.0, 50.0), (20.0, 50.0)]
    in_one_go(page, ring, ring[-1])
    # an area that ends where it began, as a careful hand draws it
    in_one_go(page, [*ring, ring[0]], ring[0])
    first, second = drawn(page)
    assert first["points"] == second["points"] == [list(place) for place in ring]


def test_what_cannot_be_a_mark_is_said_and_a_spot_reaches_where_the_finger_left(
    sit: Sit, floor: Shop
) -> None:
    page = sit("Pell")
    begin(page, "OR-16")
    page.get_by_label("Missing glass", exact=True).check()
    in_one_go(page, [(20.0, 20.0), (40.0, 20.0)], (40.0, 20.0))
    expect(page.get_by_text("too thin for an area")).to_be_visible()
    assert drawn(page) == []
    page.get_by_label("Impact", exact=True).check()
    in_one_go(page, [(40.0, 40.0)], (52.0, 40.0))
    (spot,) = drawn(page)
    assert spot["reach_mm"] == 12
    # the browser moves what the server drew: the same piece stands on the page that the server makes alone
    page.wait_for_timeout(1500)
    here = page.locator("svg.drawing .mark-impact circle").last.get_attribute("r")
    rays = page.locator("svg.drawing .mark-impact line").count()
    assert (here, rays) == ("12", 7)


def test_the_device_is_shown_only_when_it_can_be_drawn_on(sit: Sit, floor: Shop) -> None:
    """A mark drawn before the script has come would be nowhere."""
    page = sit("Pell")
    held: list[Route] = []
    begin(page, "OR-16")
    page.route("**/scripts/**/main.js", lambda route: held.append(route))
    page.evaluate("location.reload()")
    expect(page.get_by_role("heading", name="3 · Where is it damaged?")).to_be_visible()
    expect(page.locator("svg.drawing")).to_be_hidden()
    # nor is a button there that does nothing yet
    works = page.get_by_role("button", name="The rest works")
    expect(works).to_be_hidden()
    held[0].continue_()
    expect(works).to_be_visible()
    expect(page.locator("svg.drawing")).to_be_visible()


def test_a_kind_that_is_not_known_any_more_does_not_stop_the_drawing(sit: Sit, floor: Shop) -> None:
    """A window may remember what was drawn before an update."""
    page = sit("Pell")
    begin(page, "OR-16")
    old = [
        {
            "kind": "missing glass",
            "points": [[1, 1], [9, 1], [9, 9]],
            "reach_mm": 0,
            "side": "front",
            "note": "",
        }
    ]
    page.locator("input[name=marks]").evaluate("(field, marks) => { field.value = marks; }", json.dumps(old))
    page.locator("form[data-keep]").evaluate("form => { form.dispatchEvent(new Event('change')); }")
    page.wait_for_timeout(1500)
    page.reload()
    expect(page.locator("svg.drawing")).to_be_visible()
    page.get_by_label("Impact", exact=True).check()
    in_one_go(page, [(40.0, 40.0)], (52.0, 40.0))
    assert [mark["kind"] for mark in drawn(page)] == ["missing glass", "impact"]


# an answer that makes the page longer above whatever is pressed
TALL = "<p>Somebody of that name was here before.</p>" * 6


def taller(route: Route) -> None:
    answer = route.fetch()
    route.fulfill(response=answer, json={**answer.json(), "same": TALL, "damage": "Long. " * 90})


def slow_press(page: Page, target: Locator, rest: int) -> None:
    """A hand that holds the button down for a while, on the middle of what is pressed."""
    target.evaluate("one => one.scrollIntoView({ block: 'center' })")
    box = target.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.wait_for_timeout(rest)
    page.mouse.up()


@pytest.mark.parametrize(("number", "width"), [("BP-700", 1280), ("FH-2107", 390)])
def test_a_slow_press_counts_although_parts_fold_and_answers_come_under_it(
    sit: Sit, floor: Shop, width: int, number: str
) -> None:
    """A press is a button going down and coming up on the same thing: nothing may move in between."""
    page = sit("Pell", viewport={"width": width, "height": 800})
    begin(page, number)
    page.get_by_label("Name", exact=True).fill("Slow Hand")
    page.get_by_label("Phone", exact=True).fill("555 0190")
    expect(page.locator(".fold-says").nth(1)).to_have_text("Slow Hand, 555 0190")
    whose = page.locator(".fold").nth(1)
    # a part above folds, or would
    crack = page.get_by_label("Crack", exact=True)
    slow_press(page, crack, 400)
    expect(crack).to_be_checked()
    # an answer comes
    page.evaluate(LATE_ANSWERS)
    page.route("**/keep", taller)
    whose.evaluate("part => { part.open = true; }")
    page.get_by_label("Phone", exact=True).fill("555 0191")
    works = page.get_by_role("button", name="The rest works")
    page.wait_for_timeout(600)
    slow_press(page, works, 2200)
    expect(page.locator(".fold-says").nth(2)).to_contain_text("work")
    # and what is under the hand stays where it is when the answer comes between two presses
    whose.evaluate("part => { part.open = true; }")
    page.get_by_label("Phone", exact=True).fill("555 0192")
    page.unroute("**/keep")
    charger = page.get_by_label("Charger", exact=True)
    charger.evaluate("one => one.scrollIntoView({ block: 'center' })")
    charger.hover()
    before = charger.bounding_box()
    page.wait_for_timeout(3200)
    after = charger.bounding_box()
    assert before
    assert after
    assert abs(before["y"] - after["y"]) <= 1


def test_nothing_moves_between_the_lifting_of_a_finger_and_its_click(sit: Sit, floor: Shop) -> None:
    """The browser makes the click some time after the finger is up, on a busy machine a long time."""
    page = sit("Pell", viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    begin(page, "FH-2107")
    held: list[Route] = []
    page.route("**/keep", lambda route: held.append(route))
    page.get_by_label("Phone", exact=True).fill("555 0193")
    page.wait_for_timeout(1200)
    works = page.get_by_role("button", name="The rest works")

    def finger(kind: str) -> None:
        works.dispatch_event(kind, {"pointerType": "touch", "pointerId": 2, "bubbles": True})

    finger("pointerdown")
    taller(held[0])
    page.wait_for_timeout(200)
    finger("pointerup")
    page.wait_for_timeout(200)
    expect(page.get_by_text("Somebody of that name").first).to_be_hidden(timeout=1)
    page.unroute("**/keep")
    works.dispatch_event("click")
    expect(page.get_by_text("Somebody of that name").first).to_be_visible()
    expect(page.locator(".fold-says").nth(2)).to_contain_text("work")
    # a finger that only moved the page makes no click: the next answer is shown all the same
    finger("pointerdown")
    finger("pointerup")
    page.get_by_label("Phone", exact=True).fill("555 0194")
    expect(page.get_by_text("Somebody of that name").first).to_be_hidden()


def test_a_press_counts_although_it_is_found_who_was_here_before_under_it(sit: Sit, floor: Shop) -> None:
    """The list of known customers comes by a way of its own, and moves nothing under a hand either."""
    page = sit("Pell")
    begin(page, "BP-700")
    held: list[Route] = []
    page.route("**/customers/find**", lambda route: held.append(route))
    page.get_by_label("Phone", exact=True).fill("555 0195")
    page.get_by_label("Name", exact=True).fill("Slow Found")
    page.wait_for_timeout(1500)
    works = page.get_by_role("button", name="The rest works")
    works.evaluate("one => one.scrollIntoView({ block: 'center' })")
    box = works.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    held[-1].fulfill(body=TALL)
    page.wait_for_timeout(300)
    page.mouse.up()
    expect(page.locator(".fold-says").nth(2)).to_contain_text("work")
    expect(page.get_by_text("Somebody of that name").first).to_be_attached()
    after = works.bounding_box()
    assert after
    assert abs(box["y"] - after["y"]) <= 1
