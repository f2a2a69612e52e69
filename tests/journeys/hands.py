"""Three ways to use a page: mouse, keyboard alone, finger. Each can press, type, tick and draw."""

from __future__ import annotations

import contextlib
from itertools import pairwise

from playwright.sync_api import Locator, Page, expect

Place = tuple[float, float]
MOST_TABS = 260


class Mouse:
    """Clicks; draws by dragging."""

    def __init__(self, page: Page) -> None:
        self.page = page
        # what the person did so far: presses, fields typed, lines drawn
        self.deeds = 0

    def press(self, target: Locator) -> None:
        self.deeds += 1
        target.click()

    def pick(self, radio: Locator) -> None:
        """Choose one of a group; the radio itself lies invisible over its words."""
        self.press(radio)
        expect(radio).to_be_checked()

    def tick(self, box: Locator) -> None:
        self.press(box)
        expect(box).to_be_checked()

    def type(self, target: Locator, text: str) -> None:
        self.press(target)
        self.page.keyboard.press("Control+A")
        self.page.keyboard.type(text)
        expect(target).to_have_value(text)

    def choose(self, target: Locator, label: str) -> None:
        """One of a list that opens."""
        self.deeds += 1
        target.select_option(label=label)

    def _on_screen(self, place: Place) -> Place:
        """A place on the face, in mm, as a place on the screen."""
        found: list[float] = self.page.locator("svg.drawing").evaluate(
            (
                "(svg, p) => { const s = new DOMPoint(p[0], p[1]).matrixTransform(svg.getScreenCTM()); "
                "return [s.x, s.y]; }"
            ),
            list(place),
        )
        return found[0], found[1]

    def impact(self, at: Place, reach: float) -> None:
        self.pick(self.page.get_by_role("radio", name="Impact"))
        self._drag([at, (at[0] + reach, at[1])])

    def crack(self, *line: Place) -> None:
        self.pick(self.page.get_by_role("radio", name="Crack"))
        self._drag(list(line))

    def _drag(self, line: list[Place]) -> None:
        self.deeds += 1
        # to where neither the head nor the bar at the foot lies over it
        self.page.locator("svg.drawing").evaluate("drawing => drawing.scrollIntoView({ block: 'center' })")
        points = [self._on_screen(place) for place in line]
        self.page.mouse.move(*points[0])
        self.page.mouse.down()
        for point in points[1:]:
            self.page.mouse.move(*point, steps=6)
        self.page.mouse.up()


class Finger(Mouse):
    """Taps; draws with a touch that the browser itself makes."""

    def press(self, target: Locator) -> None:
        target.scroll_into_view_if_needed()
        target.tap()

    def pick(self, radio: Locator) -> None:
        """A person who sees that a tap did nothing taps again: a starved browser takes one for the end of a
        fling. That the page itself loses none is held in test_slow_browser.
        """
        self.press(radio)
        with contextlib.suppress(AssertionError):
            expect(radio).to_be_checked(timeout=5000)
            return
        super().pick(radio)

    def _drag(self, line: list[Place]) -> None:
        # to where neither the head nor the bar at the foot lies over it
        self.page.locator("svg.drawing").evaluate("drawing => drawing.scrollIntoView({ block: 'center' })")
        points = [self._on_screen(place) for place in line]
        link = self.page.context.new_cdp_session(self.page)

        def touch(kind: str, at: list[Place]) -> None:
            link.send(
                "Input.dispatchTouchEvent", {"type": kind, "touchPoints": [{"x": x, "y": y} for x, y in at]}
            )

        touch("touchStart", [points[0]])
        for (x1, y1), (x2, y2) in pairwise(points):
            for part in range(1, 7):
                touch("touchMove", [(x1 + (x2 - x1) * part / 6, y1 + (y2 - y1) * part / 6)])
        # a finger rests before it leaves; lifted in full swing, the browser takes the next tap for stopping a
        # fling
        self.page.wait_for_timeout(150)
        touch("touchMove", [points[-1]])
        touch("touchEnd", [])
        link.detach()


class Keyboard(Mouse):
    """Tab, arrows, space and enter; never a pointer."""

    def _reach(self, target: Locator) -> None:
        handle = target.element_handle()
        assert handle
        for _ in range(MOST_TABS):
            if self.page.evaluate("one => document.activeElement === one", handle):
                return
            self.page.keyboard.press("Tab")
        raise AssertionError(f"the tab key does not reach {target}")

    def press(self, target: Locator) -> None:
        self._reach(target)
        self.page.keyboard.press("Enter")

    def tick(self, box: Locator) -> None:
        self._reach(box)
        self.page.keyboard.press("Space")
        expect(box).to_be_checked()

    def pick(self, radio: Locator) -> None:
        name = radio.get_attribute("name")
        for _ in range(MOST_TABS):
            if self.page.evaluate(
                "name => document.activeElement.name === name && document.activeElement.type === 'radio'",
                name,
            ):
                break
            self.page.keyboard.press("Tab")
        self.page.keyboard.press("Space")
        for _ in range(6):
            if radio.is_checked():
                return
            self.page.keyboard.press("ArrowRight")
        raise AssertionError(f"the arrow keys do not reach {radio}")

    def type(self, target: Locator, text: str) -> None:
        self._reach(target)
        self.page.keyboard.press("Control+A")
        self.page.keyboard.type(text)
        expect(target).to_have_value(text)

    def impact(self, at: Place, reach: float) -> None:
        self.pick(self.page.get_by_role("radio", name="Impact"))
        self._open_typed()
        self.type(self.page.get_by_label("Millimetres from the left", exact=True), f"{at[0]:g}")
        self.type(self.page.get_by_label("Millimetres from the top", exact=True), f"{at[1]:g}")
        self.type(self.page.get_by_label("Millimetres across"), f"{reach * 2:g}")
        self.press(self.page.get_by_role("button", name="Add the mark"))

    def crack(self, *line: Place) -> None:
        self.pick(self.page.get_by_role("radio", name="Crack"))
        self._open_typed()
        for label, number in (
            ("Millimetres from the left", line[0][0]),
            ("Millimetres from the top", line[0][1]),
            ("End, millimetres from the left", line[-1][0]),
            ("End, millimetres from the top", line[-1][1]),
        ):
            self.type(self.page.get_by_label(label, exact=True), f"{number:g}")
        self.press(self.page.get_by_role("button", name="Add the mark"))

    def _open_typed(self) -> None:
        if not self.page.get_by_role("button", name="Add the mark").is_visible():
            self.press(self.page.get_by_text("Add a mark by its place"))


def say_why_promised(page: Page) -> None:
    """Write why it can be promised, where that is asked: nothing sure can be promised."""
    why = page.get_by_label("Why it can be promised")
    if why.is_visible():
        why.fill("we call when it is ready")
