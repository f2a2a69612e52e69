"""Make docs/screenshots from the demo data: a database of its own, a fixed clock, the real pages in a
headless browser.
"""

from __future__ import annotations

import json
import os
import socket
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

import uvicorn
from playwright.sync_api import Page, sync_playwright

from sutura import demo, logs, wiring
from sutura.cluster import Cluster
from sutura.config import CATALOGUE, SCREENSHOTS, STATE
from sutura.core.values import Person, Role
from sutura.demo.filling import FLUSH
from sutura.services import looks, messages, plans, schools
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store.database import connection, first_value
from sutura.web.app import make_app

NOW = datetime(2031, 5, 6, 9, 20, tzinfo=UTC)
# the device under test, as its cookie would name it
DEVICE = "the device under test"
PHONE = {"width": 390, "height": 844}
# a tablet that fell on its lower left corner: the usual edge is broken, a piece is missing
MARKS = json.dumps(
    [{"kind": "impact", "points": [[22, 214]], "reach_mm": 14, "side": "front", "note": ""}]
    + [
        {"kind": "crack", "points": line, "reach_mm": 0, "side": "front", "note": ""}
        for line in (
            [[22, 214], [0.5, 150]],
            [[22, 214], [6, 90], [0.5, 60]],
            [[22, 214], [60, 120], [118, 40]],
            [[22, 214], [96, 200], [170, 214]],
            [[22, 214], [40, 247]],
            [[22, 214], [0.5, 240]],
            [[60, 120], [30, 60], [34, 2]],
            [[96, 200], [120, 246]],
        )
    ]
    + [
        {
            "kind": "missing_glass",
            "points": [[6, 226], [18, 230], [14, 243], [5, 240]],
            "reach_mm": 0,
            "side": "front",
            "note": "",
        }
    ]
)


@dataclass(frozen=True)
class Shot:
    """One picture: where, as whom, how large, and what is done first."""

    name: str
    path: str
    person: str = "Ines Calder"
    size: tuple[int, int] = (1280, 800)
    dark: bool = False
    first: Callable[[Page], None] | None = None


def code(where: str) -> str:
    with connection():
        found: str = first_value(f"select code from job where {where} order by id limit 1")
    return found


def planned(page: Page) -> None:
    """What the worker does beside the pages; the same plan each time."""
    with connection():
        plans.make_plan(NOW, 20, 1.0)
    page.goto("/plan")


def tester() -> Person:
    with connection():
        found = people_store.load_person_by_login("lio")
    assert found
    return Person(id=found.id, name=found.name, role=Role.TECHNICIAN)


def touched(job: str) -> str:
    """The device under test was drawn over, and a strip of it felt nothing; its link."""
    strokes = [
        [[16 * n, x, y] for n, y in enumerate(range(0, 700, 12)) if not 300 <= y <= 360]
        for x in [*range(0, 322, 25), 322]
    ]
    said = json.dumps({"w": 322, "h": 693, "strokes": strokes, "quiet": [], "fingers": 5})
    with connection():
        token = looks.make_link(job, tester(), NOW)
        looks.open_link(token, DEVICE, NOW)
        looks.receive(token, DEVICE, "touch", "shot-0001", said, NOW)
    return token


def price_open(page: Page) -> None:
    """How the first price comes about is open."""
    page.locator(".way-card summary").first.click()


def ask_customer(page: Page) -> None:
    """A quote of two ways is made, and its link opened as the customer does."""
    asked = code("stage in ('identified', 'quoted') and model_id = 'fennick-heron'")
    page.goto(f"/jobs/{asked}/routes")
    ticks = page.locator("input[name=ways]")
    for number in range(min(ticks.count(), 2)):
        ticks.nth(number).check()
    page.get_by_role("button", name="Make the quote").click()
    page.goto(page.locator("p.code").inner_text().strip())


def shots() -> list[Shot]:
    heron = "model_id = 'fennick-heron'"
    misread = code("read_number = 'O044I7'")
    opened = code(f"stage = 'opened' and round = 'whole' and {heron} and steps_done > 5")
    failed = code("round = 'rework' and stage = 'opened'")
    unchosen = code(f"stage = 'identified' and {heron}")
    waiting = code(f"stage = 'part_in_hand' and {heron} and technician_id is not null")
    closed = code(f"stage = 'closed' and {heron}")
    finished = code(f"stage = 'handed_back' and {heron}")

    def begin(page: Page, number: str) -> None:
        page.goto("/counter")
        page.get_by_role("button", name="Take a device in").click()
        page.get_by_label("Model number on the back").fill(number)
        page.locator("[data-verdict]").wait_for()

    def draw(page: Page) -> None:
        begin(page, "TS11-W")
        page.get_by_role("button", name="This is it").click()
        page.locator("input[name=marks]").evaluate("(one, marks) => { one.value = marks; }", MARKS)
        page.locator("form[data-keep]").evaluate("form => { form.dispatchEvent(new Event('change')); }")
        page.wait_for_timeout(1500)
        page.reload()
        page.locator("svg.drawing").scroll_into_view_if_needed()
        page.evaluate("window.scrollTo(0, document.querySelector('#f-marks').offsetTop - 12)")

    def to(place: str) -> Callable[[Page], None]:
        def scroll(page: Page) -> None:
            page.evaluate("place => window.scrollTo(0, document.querySelector(place).offsetTop - 12)", place)

        return scroll

    def proved(page: Page) -> None:
        touched(opened)
        page.goto(f"/jobs/{opened}/proof")

    def device(page: Page) -> None:
        with connection():
            token = looks.make_link(failed, tester(), NOW + timedelta(seconds=5))
        page.goto(f"/t/{token}")

    with connection():
        paper = first_value("select body->>'number' from invoice where kind = 'invoice' order by id limit 1")

    def came_back(page: Page) -> None:
        """A telephone comes back with a dead strip, as the counter takes it in."""
        page.goto(f"/jobs/{finished}")
        page.get_by_role("button", name="It came back").click()
        page.get_by_role("button", name="The rest works").click()
        page.get_by_label("Touch: Faulty").check(force=True)
        page.get_by_label("Touch: how it is faulty, or why not testable").fill("a dead strip below")
        for consent in page.locator("[name=consent]").all():
            consent.check()
        page.get_by_role("button", name="Take it in and print the ticket").click()
        page.wait_for_url("**/ticket")
        page.goto(page.url.replace("/ticket", "/comeback"))

    def sealed(page: Page) -> None:
        """Looked at once more, so that it is ready."""
        with connection():
            job = job_store.load_job(closed)
            look = looks.look_page(job, schools.of_job(job), NOW)
            answers = {one.id: ("works", "") for one in look.functions}
            looks.look_at_sealed(closed, answers, FLUSH, tester(), NOW)
        page.goto(f"/jobs/{closed}/handover")

    def soaks(page: Page) -> None:
        """A tablet on the plate: its timer runs, and the plate is on."""
        lies = code("id in (select job_id from heat_source where what = 'plate' and off_at is null)")
        page.goto(f"/jobs/{lies}/bench")

    def morning(page: Page) -> None:
        """What was laid down for the night is taken up again."""
        night = code("round = 'for_the_night'")
        page.goto(f"/jobs/{night}/bench")
        page.get_by_role("button", name="Continue the repair").click()
        page.locator(".step-text").wait_for()

    def status(page: Page) -> None:
        with connection():
            page.goto(f"/s/{messages.status_link(job_store.load_job(opened), NOW)}")

    return [
        Shot("next", "/"),
        Shot("counter-drawing", "", first=draw),
        Shot("ticket", f"/jobs/{waiting}/ticket"),
        Shot("match", f"/jobs/{misread}/match", first=to(".offer")),
        Shot("routes", f"/jobs/{unchosen}/routes", first=price_open),
        Shot("shelf", "/shelf"),
        Shot("part", "/shelf/P-2001"),
        Shot(
            "quote-phone",
            "",
            person="Pell Dorrow",
            size=(PHONE["width"], PHONE["height"]),
            first=ask_customer,
        ),
        Shot("bench", f"/jobs/{opened}/bench", person="Lio Tessen"),
        Shot(
            "soak-phone",
            "",
            person="Marit Sando",
            size=(PHONE["width"], PHONE["height"]),
            dark=True,
            first=soaks,
        ),
        Shot("morning", "", person="Lio Tessen", first=morning),
        Shot("bench-record", f"/jobs/{finished}", first=to("#bench-record")),
        Shot("proof", "", person="Lio Tessen", first=proved),
        Shot("handover", "", person="Pell Dorrow", first=sealed),
        Shot("plan", "/plan", first=planned),
        Shot("device", "", size=(PHONE["width"], PHONE["height"]), first=device),
        Shot("invoice", f"/papers/{paper}"),
        Shot("comeback", "", first=came_back),
        Shot("status-phone", "", size=(PHONE["width"], PHONE["height"]), first=status),
    ]


def main() -> int:
    cluster = Cluster(folder=STATE / "shots", fast_and_unsafe=True)
    cluster.remove()
    cluster.start()
    try:
        wiring.connect(cluster.url)
        wiring.migrate()
        demo.fill(CATALOGUE, NOW)
        take(shots())
    finally:
        wiring.disconnect()
        cluster.remove()
    return 0


def take(wanted: list[Shot]) -> None:
    listener = socket.socket()
    listener.bind(("127.0.0.1", 0))
    app = make_app(replace(wiring.web_settings(demo=True), clock=lambda: NOW))
    logs.to_file(Path(os.devnull))
    server = uvicorn.Server(uvicorn.Config(app, log_config=None))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    SCREENSHOTS.mkdir(parents=True, exist_ok=True)
    for old in SCREENSHOTS.glob("*.png"):
        old.unlink()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=os.environ.get("CHROMIUM", "/usr/bin/chromium-headless-shell"),
            args=["--no-sandbox", "--disable-gpu"],
        )
        for shot in wanted:
            context = browser.new_context(
                base_url=f"http://127.0.0.1:{listener.getsockname()[1]}",
                color_scheme="dark" if shot.dark else "light",
                viewport={"width": shot.size[0], "height": shot.size[1]},
                reduced_motion="reduce",
            )
            page = context.new_page()
            page.goto("/sign-in")
            if shot.person:
                page.get_by_role("button", name=shot.person).click()
            if shot.path:
                page.goto(shot.path)
            if shot.first:
                shot.first(page)
            page.wait_for_timeout(300)
            page.screenshot(path=SCREENSHOTS / f"{shot.name}.png")
            print(f"  {shot.name}", file=sys.stderr, flush=True)
            context.close()
        browser.close()
    server.should_exit = True
    thread.join(10)


if __name__ == "__main__":
    sys.exit(main())
