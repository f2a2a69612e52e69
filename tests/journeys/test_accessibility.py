"""Every page, light and dark, wide and narrow: axe finds nothing serious. Rules: WCAG 2.2 AA through
axe-core.
"""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from typing import Any

import pytest
from axe_playwright_python.base import AXE_SCRIPT
from builders import HERON, PLAIN, SLATE, Shop, models
from formats.edid_builder import Made
from playwright.sync_api import Page

from sutura.config import CATALOGUE

pytestmark = [pytest.mark.browser, pytest.mark.timeout(420)]
Sit = Callable[..., Page]
PHONE = {"viewport": {"width": 390, "height": 844}, "has_touch": True, "is_mobile": True}
# what it found alone: all that it looked at is megabytes
RUN = """asked => axe.run(document, asked).then(
  (found) => found.violations.map((one) => [one.id, one.impact, String(one.nodes[0].target)]))"""
GRAVE = ("serious", "critical")


@pytest.fixture(scope="module")
def pages(database: str) -> list[str]:
    """The address of every kind of page, with data, without, and refused."""
    from datetime import UTC, datetime

    from sutura.services import (
        answers,
        catalogue,
        comebacks,
        consumables,
        drafts,
        intake,
        invoices,
        looks,
        matching,
        messages,
        orders,
        planning,
        plans,
        pricelists,
        routes,
        stocktakes,
    )
    from sutura.store import orders as orders_store
    from sutura.store import pieces as pieces_store
    from sutura.store import stock as stock_store

    shop = Shop(now=datetime.now(UTC))
    for name in ("Tape", "Wipes"):
        consumables.add_consumable({"name": name, "used_for": name.lower().rstrip("s")}, shop.manager)
        consumables.receive(name.lower(), "20", "", shop.manager, shop.tick())
    for barcode in ("P-1001", "P-2001", "P-3001"):
        shop.receive(barcode, 6)
    blind = shop.take_in(
        functions={function.id: ("not_testable", "battery flat") for function in models()[HERON].functions}
    )
    took_in, quoted, opened, at_proof, closed = (
        shop.take_in(),
        shop.quoted(PLAIN),
        shop.opened(SLATE),
        shop.at_proof(),
        shop.closed(),
    )
    matching.read_panel(took_in, Made().bytes().hex(), b"", shop.bram, shop.tick())
    failed = shop.at_proof(PLAIN)
    shop.test(failed, {"touch": ("faulty", "dead strip")})
    ready = shop.held(PLAIN)
    planning.assign(ready, shop.bram.id, shop.manager, shop.tick())
    back = shop.closed(PLAIN, accessories=[("Charger", "shelf 4")])
    shop.hand_back(back)
    draft = drafts.open_draft(shop.counter, shop.now, {"read_number": ["O044I7"]})
    full = drafts.open_draft(
        shop.counter, shop.now, {"read_number": ["FH-2107"], "model_id": ["fennick-heron"]}
    )
    customer = shop.job(took_in).customer_id
    rows = b"SKU;Category;Net price\nA-1;panel;58,00\nA-2;panel;free\n"
    listed = pricelists.look_at_list("", "Hollow Yard", "june.csv", io.BytesIO(rows), shop.manager, shop.now)
    beside = "&".join(f"compare={offer.judged.offer.id}" for offer in matching.match_page(quoted).offers[:3])
    measured = drafts.open_draft(
        shop.counter,
        shop.now,
        {
            "model_id": ["unlisted"],
            "measured.device_class": ["phone"],
            "measured.maker": ["Nobody"],
            "measured.name": ["ZX"],
            "measured.width_mm": ["70"],
            "measured.height_mm": ["140"],
            "measured.diagonal_in": ["5.5"],
            "edid": [Made().bytes().hex()],
        },
    )
    drafted = orders.add_to_order("P-1302", "2", shop.manager, shop.tick())
    sent = shop.ordered("P-3001", 3)
    found = {
        line.id: {"good": "1", "dead": "1", "note": "no picture"} for line in orders_store.load_lines(sent)
    }
    orders.receive_parcel(sent, found, shop.manager, shop.tick())
    front = stock_store.load_part("P-1001").id
    # one that is here and one in a device
    single = pieces_store.pieces_of(front)
    pieces = [next(piece.label for piece in single if piece.is_here is here) for here in (True, False)]
    counting, counted = (stocktakes.start_take(place, shop.counter, shop.tick()) for place in ("B", "A"))
    stocktakes.count_part(counting, "P-3001", "1", shop.counter, shop.tick())
    for _ in range(2):
        stocktakes.count_part(counted, "P-1001", "4", shop.counter, shop.tick())
    stocktakes.finish_take(counted, shop.counter, shop.tick())
    pack = json.loads((CATALOGUE / "models" / "quillon.json").read_text("utf-8"))
    pack["models"][0]["minutes"] = 41
    plans.make_plan(datetime.now(UTC), 4, 0.2)
    asked = routes.routes_page(took_in, shop.tick())
    can = [one.weighed.way.key for one in asked.ways if not one.weighed.way.why_not]
    device = looks.make_link(failed, shop.bram, datetime.now(UTC))
    link = answers.offer_ways(took_in, can[:2], shop.counter, shop.tick())
    paper = invoices.papers_of(shop.job(back))[0].paper.number
    came_back = intake.take_in(
        comebacks.open_comeback(back, shop.counter, shop.tick()),
        shop.arrival(marks=[]),
        shop.counter,
        shop.tick(),
    )
    status = messages.status_link(shop.job(took_in), shop.now)
    look = catalogue.look_at_pack("q.json", json.dumps(pack).encode(), shop.manager, shop.tick())
    return [
        "/",
        "/?mine=1",
        "/counter",
        "/counter?q=orla",
        f"/counter/{draft}",
        f"/counter/{full}",
        "/match",
        "/shelf",
        "/shelf?q=zzz",
        "/shelf/P-1001",
        f"/pieces/{pieces[0]}",
        f"/pieces/{pieces[1]}",
        "/cores",
        "/consumables?show=tape",
        "/orders",
        f"/orders/{sent}",
        f"/orders/{drafted}",
        "/returns",
        "/suppliers",
        "/suppliers/millrace",
        "/stocktakes",
        f"/stocktakes/{counting}",
        f"/stocktakes/{counted}",
        "/bench",
        "/plan",
        f"/plan/what-if?tried=away:{shop.bram.id}",
        f"/plan/try?code={ready}&person={shop.bram.id}",
        "/plan/week",
        "/book",
        "/book/prices/1",
        "/catalogue",
        "/catalogue/rules",
        "/catalogue/fennick-heron",
        "/people",
        "/people/1",
        "/people/audit",
        "/living",
        "/scan?q=heron",
        "/scan?q=zz",
        "/catalogue?q=foil",
        "/catalogue?q=zzz",
        "/catalogue/mixed",
        "/catalogue/packs",
        "/catalogue/bramling-pocket/edit",
        "/catalogue/bramling-pocket/like",
        "/catalogue/new?device_class=phone&maker=Fennick&width_mm=71&height_mm=147",
        "/catalogue/unlisted-phone",
        f"/catalogue/packs/look/{look}",
        "/consents",
        f"/counter/{measured}",
        "/scan?q=AF131",
        "/scan?q=AP156-GT40-C",
        "/scan?q=(01)02000000010014(10)L77",
        f"/customers/{customer}",
        f"/jobs/{took_in}",
        f"/jobs/{took_in}/ticket",
        f"/jobs/{blind}/again",
        f"/jobs/{took_in}/match",
        "/match?q=QD44",
        "/match/model/tarnbeck-fold-12-g4",
        f"/jobs/{quoted}/match?{beside}",
        "/shelf/lists",
        f"/shelf/lists/{listed}",
        f"/jobs/{quoted}/assign",
        f"/jobs/{ready}/bench",
        f"/jobs/{opened}/bench",
        f"/jobs/{at_proof}/bench",
        f"/jobs/{at_proof}/proof",
        f"/jobs/{failed}/proof",
        f"/jobs/{failed}/proof/paper",
        f"/jobs/{closed}/proof",
        f"/t/{device}",
        f"/jobs/{closed}/handover",
        f"/jobs/{closed}/bench",
        f"/jobs/{back}",
        f"/jobs/{back}/receipt",
        f"/jobs/{took_in}/proof",
        f"/jobs/{took_in}/handover",
        f"/jobs/{took_in}/routes",
        f"/jobs/{failed}/routes",
        "/book/policy",
        f"/jobs/{took_in}/quote/{link}",
        f"/q/{link}",
        f"/jobs/{ready}/money",
        f"/jobs/{back}/money",
        "/till",
        "/papers",
        f"/papers/{paper}",
        f"/jobs/{came_back}/comeback",
        "/comebacks",
        "/messages",
        f"/s/{status}",
        "/nowhere",
        "/jobs/00-AAA",
    ]


# names, roles and order are those of the page; what another colour or width can change is asked again there
_WINDOWS: tuple[tuple[str, str, dict[str, int], list[str]], ...] = (
    ("light", "light", {"width": 1280, "height": 800}, []),
    ("dark", "dark", {"width": 1280, "height": 800}, ["color-contrast", "link-in-text-block"]),
    # its colours are those of the light one
    ("phone", "light", {"width": 390, "height": 844}, ["scrollable-region-focusable", "target-size"]),
)


@pytest.mark.parametrize("half", [0, 1])
def test_axe_finds_nothing_serious_on_any_page(sit: Sit, pages: list[str], half: int) -> None:
    """Each page is opened once, then seen light, dark and narrow."""
    page = sit("Ines")
    found = []
    for path in ["/sign-in", *pages][half::2]:
        page.goto(path)
        page.wait_for_load_state()
        page.evaluate(AXE_SCRIPT)
        for window, colours, size, only in _WINDOWS:
            page.emulate_media(color_scheme=colours, reduced_motion="reduce")  # type: ignore[arg-type]
            page.set_viewport_size(size)  # type: ignore[arg-type]
            asked: dict[str, Any] = {"resultTypes": ["violations"], "iframes": False}
            if only:
                asked["runOnly"] = only
            for rule, impact, target in page.evaluate(RUN, asked):
                if impact in GRAVE:
                    found.append(f"{window} {path}: {rule} at {target}")
            wide = page.evaluate(
                "document.documentElement.scrollWidth - document.documentElement.clientWidth"
            )
            if wide > 1:
                found.append(f"{window} {path}: {wide} px wider than the window")
    assert found == []


def test_bench_and_counter_targets_are_big_enough_for_gloves(sit: Sit, pages: list[str]) -> None:
    """Buttons and answers of bench and counter are at least 44 px high (design, section 4)."""
    page = sit("Ines", **PHONE)
    for path in pages:
        if not path.endswith(("/bench", "/proof", "/handover", "/counter")):
            continue
        page.goto(path)
        heights: list[float] = page.locator(
            "main .button:visible, main .pick label:visible, main .checkline:visible"
        ).evaluate_all("all => all.map((one) => one.getBoundingClientRect().height)")
        assert all(height >= 43.5 for height in heights), path
