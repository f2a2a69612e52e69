"""The Counter in a browser: the drawing with mouse, keys and finger, the plan beside it, and a phone taken in
within a minute.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from typing import Any

import pytest
from builders import Shop
from formats.test_photo import picture
from journeys.hands import Mouse, say_why_promised
from playwright.sync_api import Locator, Page, expect

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]


def begin(page: Page, number: str) -> None:
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill(number)
    page.get_by_role("button", name="This is it").click()
    expect(page.locator("svg.drawing")).to_be_visible()


def marks(page: Page) -> Locator:
    return page.locator(".beside .drawn li").filter(has_text="mm")


def drag(page: Page, *way: tuple[float, float]) -> None:
    """Draw on the device; places are shares of its outline."""
    # choosing the kind may have scrolled the drawing to where no pointer reaches it
    page.locator("svg.drawing").evaluate("drawing => drawing.scrollIntoView({ block: 'center' })")
    box = page.locator(
        "svg.drawing g:not([style*=none]) > .face-glass, svg.drawing g:not([style*=none]) > .face-back"
    ).first.bounding_box()
    assert box
    places = [(box["x"] + box["width"] * x, box["y"] + box["height"] * y) for x, y in way]
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place, steps=6)
    page.mouse.up()


def test_marks_are_drawn_selected_moved_noted_undone_and_redone(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    begin(page, "TS11-W")
    page.locator("svg.drawing").scroll_into_view_if_needed()
    drag(page, (0.5, 0.5), (0.56, 0.5))
    page.get_by_label("Missing glass").check()
    drag(page, (0.1, 0.9), (0.2, 0.9), (0.2, 0.97), (0.1, 0.97))
    expect(marks(page)).to_have_count(2)
    page.get_by_label("Select", exact=True).check()
    drag(page, (0.5, 0.5), (0.7, 0.3))
    expect(marks(page).first).to_contain_text("impact at 125")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowDown")
    expect(marks(page).first).to_contain_text("impact at 126")
    page.get_by_label("What is seen there").fill("hit by a stone")
    page.get_by_label("What is seen there").press("Tab")
    expect(marks(page).first).to_contain_text("hit by a stone")
    page.locator("svg.drawing").focus()
    page.keyboard.press("Delete")
    expect(marks(page)).to_have_count(1)
    page.get_by_role("button", name="Undo").click()
    expect(marks(page)).to_have_count(2)
    page.get_by_role("button", name="Redo").click()
    expect(marks(page)).to_have_count(1)


def test_the_back_has_its_own_marks_and_they_stay_after_a_reload(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    begin(page, "BP-700")
    page.get_by_label("Back", exact=True).check()
    expect(page.get_by_label("Pixel fault")).to_be_hidden()
    page.get_by_label("Missing screw", exact=True).check()
    page.locator("svg.drawing").scroll_into_view_if_needed()
    drag(page, (0.1, 0.8), (0.1, 0.8))
    expect(marks(page).first).to_contain_text("on the back")
    expect(page.get_by_text("Kept at")).to_be_visible()
    page.reload()
    expect(marks(page).first).to_contain_text("missing screw")


def test_a_shattered_tablet_gets_a_plan_that_changes_as_it_is_drawn(sit: Sit, floor: Shop) -> None:
    """Work sample W16: four glued edges; the cable side is not started from."""
    page = sit("Pell")
    begin(page, "TS11-W")
    opening = page.get_by_role("region", name="How it is opened")
    expect(opening).to_contain_text("Cup of 55 mm")
    page.locator("svg.drawing").scroll_into_view_if_needed()
    page.get_by_label("Crack", exact=True).check()
    for x in (0.02, 0.08, 0.14, 0.2, 0.26, 0.32):
        drag(page, (x, 0.02), (x, 0.5), (x, 0.98))
    expect(opening).to_contain_text("Not at the left edge as usual")
    expect(opening).to_contain_text("eye protection")
    expect(page.locator(".plan-cup")).to_be_visible()


def test_the_diagnosis_asks_for_the_test_that_tells_most(sit: Sit, floor: Shop) -> None:
    """Work samples W02 and W13."""
    page = sit("Pell")
    begin(page, "FL-2207")
    page.get_by_label("Image: Faulty").check()
    page.get_by_label("Image: what is seen").select_option("black with one thin coloured line")
    page.get_by_label("Battery", exact=True).select_option("flat")
    broken = page.get_by_role("region", name="What is broken")
    expect(broken).to_contain_text("Charge it first, then test again.")
    expect(broken).to_contain_text("Suspected: panel")
    page.get_by_label("Battery", exact=True).select_option("charged")
    page.get_by_label("Image: what is seen").select_option("lines or bars")
    expect(broken).to_contain_text("The test that tells most now")
    page.get_by_label("Lines only in the photo?").select_option("only in the photo")
    expect(broken).to_contain_text("In rough: no fault found")


def test_a_customer_signs_on_the_screen_and_it_stays_after_a_reload(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    begin(page, "FH-2107")
    page.get_by_text("Sign on the screen").click()
    page.locator(".pad").scroll_into_view_if_needed()
    box = page.locator(".pad").bounding_box()
    assert box
    page.mouse.move(box["x"] + 20, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + 120, box["y"] + 60, steps=8)
    page.mouse.up()
    expect(page.locator(".pad polyline")).to_have_count(1)
    expect(page.get_by_text("Kept at")).to_be_visible()
    page.reload()
    expect(page.locator(".pad polyline")).to_have_count(1)
    page.get_by_role("button", name="Wipe it").click()
    expect(page.locator(".pad polyline")).to_have_count(0)


def test_a_photo_is_added_without_losing_what_was_typed(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    begin(page, "FH-2107")
    page.get_by_label("What the customer says").fill("fell on gravel")
    page.get_by_role("heading", name="Photos").click()
    page.get_by_label("Camera or file").set_input_files(
        {"name": "a.jpg", "mimeType": "image/jpeg", "buffer": picture(size=(640, 480))}
    )
    page.get_by_label("What it shows").fill("the corner")
    page.get_by_role("button", name="Add the photo").click()
    expect(page.get_by_role("img", name="the corner")).to_be_visible()
    expect(page.get_by_label("What the customer says")).to_have_value("fell on gravel")


class Counted(Mouse):
    """Counts what a person does: presses, choices, and fields typed into."""

    done = 0

    def press(self, target: Locator) -> None:
        self.done += 1
        super().press(target)

    def type(self, target: Locator, text: str) -> None:
        self.done += 1
        super().type(target, text)

    def tick(self, box: Locator) -> None:
        self.done += 1
        super().tick(box)


def test_a_usual_phone_is_taken_in_within_a_minute_and_twenty_five_interactions(
    sit: Sit, floor: Shop
) -> None:
    page = sit("Pell")
    use = Counted(page)
    page.goto("/counter")
    begun = time.monotonic()
    use.press(page.get_by_role("button", name="Take a device in"))
    use.type(page.get_by_label("Model number on the back"), "FH-2107")
    # what was found for the first letters is gone when the last is typed
    expect(page.get_by_role("button", name="This is it")).to_have_count(1)
    use.press(page.get_by_role("button", name="This is it"))
    use.type(page.get_by_label("Name", exact=True), "Orla Venn")
    use.type(page.get_by_label("Phone", exact=True), "555 0101")
    # a section that is answered folds once one is in the next
    use.type(page.get_by_label("What the customer says"), "dropped")
    use.done += 3
    page.locator("svg.drawing").scroll_into_view_if_needed()
    drag(page, (0.3, 0.3), (0.4, 0.34))
    page.get_by_label("Crack", exact=True).check()
    drag(page, (0.3, 0.3), (0.8, 0.7))
    use.press(page.get_by_role("button", name="The rest works"))
    use.tick(page.get_by_label("SIM card", exact=True))
    use.type(page.get_by_label("SIM card: where it is kept"), "tray 1")
    for consent in ("data", "splash", "parts"):
        use.tick(page.locator(f"[name=consent][value={consent}]"))
    use.press(page.get_by_role("button", name="Take it in"))
    page.wait_for_url("**/ticket")
    assert time.monotonic() - begun <= 60
    assert use.done <= 25, use.done
    expect(page.locator("main")).to_contain_text("Broken: the glass")


@pytest.mark.parametrize(
    ("paper", "size_mm"),
    [("a4", (210, 297)), ("letter", (215.9, 279.4)), ("roll", (80, 320)), ("label", (62, 29))],
)
def test_the_ticket_prints_on_one_sheet_of_the_paper_that_was_chosen(
    sit: Sit, floor: Shop, paper: str, size_mm: tuple[float, float]
) -> None:
    """Sizes of ISO 216 A4 and ANSI Letter (published); a point is 1/72 inch."""
    page = sit("Pell")
    page.goto(f"/jobs/{floor.take_in()}/ticket?paper={paper}")
    printed = page.pdf(prefer_css_page_size=True)
    sheets = [
        tuple(map(float, box.split()))
        for box in re.findall(r"/MediaBox \[([0-9. ]+)\]", printed.decode("latin-1"))
    ]
    assert len(sheets) == 1
    assert [side / 72 * 25.4 for side in sheets[0][2:]] == pytest.approx(size_mm, abs=0.4)


def test_edges_have_their_own_drawing_and_a_photo_can_be_of_a_mark(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    begin(page, "FH-2107")
    page.get_by_label("Edges", exact=True).check()
    expect(page.get_by_label("Impact", exact=True)).to_be_hidden()
    page.get_by_label("Dent", exact=True).check()
    page.locator("svg.drawing").scroll_into_view_if_needed()
    strip = page.locator("svg.drawing g:not([style*=none]) > .face-back").nth(3).bounding_box()
    assert strip
    page.mouse.move(strip["x"] + strip["width"] / 2, strip["y"] + strip["height"] / 2)
    page.mouse.down()
    page.mouse.move(strip["x"] + strip["width"] / 2 + 8, strip["y"] + strip["height"] / 2, steps=3)
    page.mouse.up()
    expect(marks(page).first).to_contain_text(
        re.compile(r"dent at 7\d, \d mm, \d+ mm across on the left edge")
    )
    page.get_by_label("Edge gap", exact=True).check()
    page.get_by_text("Add a mark by its place").click()
    page.get_by_label("Which edge").select_option("right")
    for label, value in (
        ("Millimetres from the left", "10"),
        ("Millimetres from the top", "2"),
        ("End, millimetres from the left", "30"),
        ("End, millimetres from the top", "2"),
    ):
        page.get_by_label(label, exact=True).fill(value)
    page.get_by_role("button", name="Add the mark").click()
    expect(marks(page).nth(1)).to_contain_text(
        "edge gap from 10, 2 to 30, 2 mm, 20 mm long on the right edge"
    )
    page.get_by_role("heading", name="Photos").click()
    page.get_by_label("Of this mark").select_option(index=1)
    page.get_by_label("Camera or file").set_input_files(
        {"name": "a.jpg", "mimeType": "image/jpeg", "buffer": picture(size=(640, 480))}
    )
    page.get_by_label("What it shows").fill("the dent")
    page.get_by_role("button", name="Add the photo").click()
    expect(page.locator(".photos li")).to_contain_text("on the left edge")


SAMPLES: dict[str, tuple[str, dict[str, Any], list[str]]] = {
    "W01": (
        "FH-2107",
        {"opened": True, "crack": True},
        ["It was opened before it came to us.", "Ways to repair it that we will look at: front assembly."],
    ),
    "W04": (
        "BP-700",
        {"back": "Missing screw", "card": "Memory card"},
        ["missing screw on the back", "Memory card"],
    ),
    "W07": ("OR-16", {"crack": True, "missing": True}, ["places where glass is missing"]),
    "W11": (
        "FW-110",
        {"liquid": "one of several tripped", "back": "Tripped liquid indicator"},
        ["what fails later from it is not promised", "tripped liquid indicator on the back"],
    ),
    "W20": ("OD-42", {"touch": "dead"}, ["We suspect the touch layer"]),
}


@pytest.mark.parametrize("sample", SAMPLES)
def test_a_work_sample_is_taken_in_and_its_ticket_says_what_it_must(
    sit: Sit, floor: Shop, sample: str
) -> None:
    """Work samples (common practice, no source), through the same form and the mouse."""
    number, done, shown = SAMPLES[sample]
    page = sit("Pell")
    begin(page, number)
    page.get_by_label("Name", exact=True).fill(f"Customer of {sample}")
    page.get_by_label("Phone", exact=True).fill("555 0188")
    _draw(page, done)
    for name, label in (
        ("battery", "Battery"),
        ("image", "Image: what is seen"),
        ("touch", "Touch: what is seen"),
        ("liquid", "Liquid indicators"),
        ("camera", "Lines only in the photo?"),
    ):
        if done.get(name):
            if label.endswith("what is seen"):
                # how it is faulty is asked of what is faulty
                page.locator(f"[name='function.{name}'][value=faulty]").check()
                page.locator(f"[name='reason.{name}']").fill("as looked at")
            page.get_by_label(label, exact=True).select_option(str(done[name]))
    if done.get("rest"):
        page.get_by_label("The rest cannot be tested because").select_option(str(done["rest"]))
        page.get_by_role("button", name="Mark the unanswered").click()
    else:
        page.get_by_role("button", name="The rest works").click()
    if done.get("card"):
        page.get_by_label(str(done["card"]), exact=True).check()
    if done.get("mail"):
        page.locator("[name=channel][value=mail]").check()
        page.get_by_text("It came by mail").click()
        page.get_by_label("The parcel came").select_option("dented")
        page.get_by_label("It goes back to").fill("9 Quay Lane, Port Averil")
    for consent in page.locator("[name=consent]").all():
        consent.check()
    say_why_promised(page)
    page.get_by_role("button", name="Take it in").click()
    page.wait_for_url("**/ticket")
    for text in shown:
        expect(page.locator("article.print")).to_contain_text(text)


def _draw(page: Page, done: dict[str, Any]) -> None:
    page.locator("svg.drawing").scroll_into_view_if_needed()
    if done.get("opened"):
        page.get_by_label("Opened before").check()
    if done.get("crack"):
        page.get_by_label("Crack", exact=True).check()
        drag(page, (0.2, 0.3), (0.6, 0.6))
        expect(page.locator(".beside .drawn li")).to_have_count(1)
    if done.get("missing"):
        page.get_by_label("Missing glass", exact=True).check()
        for x in (0.2, 0.6):
            before = page.locator(".beside .drawn li").count()
            drag(page, (x, 0.7), (x + 0.15, 0.7), (x + 0.15, 0.8), (x, 0.8))
            expect(page.locator(".beside .drawn li")).to_have_count(before + 1)
    if done.get("back"):
        page.get_by_label("Back", exact=True).check()
        page.get_by_label(str(done["back"]), exact=True).check()
        expect(page.locator("svg.drawing .face-back").first).to_be_visible()
        drag(page, (0.3, 0.6), (0.3, 0.6))
        expect(page.locator(".beside .drawn li")).not_to_have_count(0)
    if done.get("back") == "Missing screw":
        # it is missing from one of the holes, however near the finger was
        expect(page.locator(".beside .drawn li")).to_contain_text("100, 106 mm")
        page.get_by_role("button", name=re.compile("^Remove")).click()
        page.get_by_text("Add a mark by its place").click()
        page.get_by_label("Which screw hole").select_option(index=1)
        page.get_by_role("button", name="Add the mark").click()
        expect(page.locator(".beside .drawn li")).to_have_count(1)


@pytest.mark.parametrize(("width", "most"), [(1280, 1500), (390, 4200)])
def test_what_is_done_folds_and_what_is_under_the_hand_stays(
    sit: Sit, floor: Shop, width: int, most: int
) -> None:
    """The most pixels are what a usual phone takes when all is said; it was 3,900 and 8,000 before."""
    page = sit("Pell", viewport={"width": width, "height": 800})
    begin(page, "FH-2107")
    folds = page.locator(".fold")
    expect(folds.first).not_to_have_attribute("open", "")
    expect(folds.first).to_contain_text("Fennick Heron FH-2107")
    page.get_by_label("Name", exact=True).fill("Orla Venn")
    page.get_by_label("Phone", exact=True).fill("555 0101")
    page.get_by_role("button", name="The rest works").click()
    expect(page.locator(".fold-says").nth(1)).to_have_text("Orla Venn, 555 0101")
    expect(page.locator(".fold-says").nth(2)).to_have_text("10 work")
    # further down the page, so that there is room to keep the place
    charger = page.get_by_label("Charger", exact=True)
    charger.evaluate("one => scrollBy(0, one.getBoundingClientRect().top - 250)")
    before = charger.evaluate("one => one.getBoundingClientRect().top")
    charger.focus()
    expect(folds.nth(1)).not_to_have_attribute("open", "")
    assert abs(charger.evaluate("one => one.getBoundingClientRect().top") - before) <= 1
    assert page.evaluate("document.documentElement.scrollHeight") <= most
    # a folded part opens again where it is pressed, and keeps what was typed
    page.get_by_text("2 · Whose is it?").click()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Orla Venn")


def test_a_mark_typed_by_its_place_is_read_like_every_number(sit: Sit) -> None:
    """A comma is a point; what is no number, lies off the face or has no kind is said, and adds nothing."""
    page = sit("Pell")
    begin(page, "FH-2107")
    page.get_by_text("Add a mark by its place").click()
    left, top = (page.get_by_label(f"Millimetres from the {where}", exact=True) for where in ("left", "top"))
    add = page.get_by_role("button", name="Add the mark")
    said = page.locator("details p[role=alert]")
    left.fill("20,5")
    top.fill("30")
    page.get_by_role("radio", name="Select").check()
    add.click()
    expect(said.filter(visible=True)).to_contain_text("Choose what it is first")
    page.get_by_role("radio", name="Dent").check()
    for wrong, says in (
        ("abc", "“abc” cannot be taken"),
        ("999", "from 0 to 70.8"),
        ("", "Write millimetres"),
    ):
        left.fill(wrong)
        add.click()
        expect(said.filter(visible=True)).to_contain_text(says)
        expect(left).to_have_value(wrong)
    assert page.locator("[name=marks]").input_value() in ("", "[]")
    left.fill("20,5")
    page.get_by_label("Millimetres across").fill("4")
    add.click()
    expect(said.filter(visible=True)).to_have_count(0)
    assert "[20.5,30]" in page.locator("[name=marks]").input_value()


def test_a_consent_that_is_taken_back_takes_the_one_tick_for_all_with_it(sit: Sit, floor: Shop) -> None:
    """What is unticked is not agreed to, whatever was ticked before."""
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("FH-2107")
    page.get_by_role("button", name="This is it").first.click()
    all_needed = page.get_by_label("They agree to all that is needed")
    all_needed.check()
    data = page.locator("[name=consent][value=data]")
    expect(data).to_be_checked()
    data.uncheck()
    expect(all_needed).not_to_be_checked()
    expect(page.locator("[name=consent][value=splash]")).to_be_checked()
    page.get_by_role("button", name="Take it in").click()
    expect(page.get_by_role("alert")).to_contain_text("My data may be lost")
