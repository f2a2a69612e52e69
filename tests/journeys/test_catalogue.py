"""Knowing which device is on the counter, through the real interface: doubt, siblings, packs, unlisted
devices, EDID.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from builders import PLAIN, Shop
from formats.edid_builder import Made
from journeys.hands import Keyboard
from playwright.sync_api import Page, expect

from sutura.config import CATALOGUE
from sutura.services import catalogue

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]


def pack_file(folder: Path, change: Callable[[dict[str, Any]], None]) -> Path:
    pack = json.loads((CATALOGUE / "models" / "quillon.json").read_text("utf-8"))
    change(pack)
    file = folder / "quillon.json"
    file.write_text(json.dumps(pack), "utf-8")
    return file


def test_a_pack_is_looked_at_before_anything_is_written_and_then_read_once(
    sit: Sit, floor: Shop, tmp_path: Path
) -> None:
    page = sit("Ines")

    def change(pack: dict[str, Any]) -> None:
        pack["models"][1]["minutes"] = 47
        pack["models"].pop(2)

    page.goto("/catalogue/packs")
    page.get_by_label("Pack file").set_input_files(pack_file(tmp_path, change))
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("heading", name="changed Quillon Ember S")).to_be_visible()
    expect(page.get_by_role("heading", name="removed Quillon Flint")).to_be_visible()
    assert catalogue.find_model("quillon-ember-s").minutes == 35
    page.get_by_role("button", name="Do this: 1 changed, 1 removed, 2 the same.").dblclick()
    page.wait_for_url("**/catalogue/packs")
    assert catalogue.find_model("quillon-ember-s").minutes == 47
    page.get_by_label("Pack file").set_input_files(pack_file(tmp_path, change))
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_text("Nothing would change")).to_be_visible()


def test_a_wrong_pack_names_every_place(sit: Sit, floor: Shop, tmp_path: Path) -> None:
    page = sit("Ines")
    page.goto("/catalogue/packs")
    wrong = pack_file(tmp_path, lambda pack: pack["models"][3]["face"].update(glass={"x": "left"}))
    page.get_by_label("Pack file").set_input_files(wrong)
    page.get_by_role("button", name="Look at it").click()
    expect(page.get_by_role("rowheader", name="models[3].face.glass.width")).to_be_visible()
    expect(page.get_by_role("button", name="Do this")).to_have_count(0)


def test_a_model_is_found_edited_and_seen_to_scale_by_keyboard_alone(sit: Sit, floor: Shop) -> None:
    page = sit("Bram")
    use = Keyboard(page)
    page.goto("/catalogue")
    use.type(page.get_by_label("Name or number"), "sorrel")
    page.keyboard.press("Enter")
    use.press(page.get_by_role("link", name="Quillon Sorrel"))
    expect(page.get_by_role("img", name="Face of the Quillon Sorrel, to scale")).to_be_visible()
    use.press(page.get_by_role("link", name="Edit", exact=True))
    page.get_by_label("Minutes by the sheet").fill("")
    use.type(page.get_by_label("Minutes by the sheet"), "many")
    use.press(page.get_by_role("button", name="Save the model"))
    expect(page.get_by_role("alert")).to_contain_text("“many” cannot be taken: write a whole number")
    page.get_by_label("Minutes by the sheet").fill("")
    use.type(page.get_by_label("Minutes by the sheet"), "70")
    use.press(page.get_by_role("button", name="Save the model"))
    page.wait_for_url("**/catalogue/quillon-sorrel")
    expect(page.get_by_text("70 min")).to_be_visible()


def test_siblings_share_their_steps_and_not_their_parts_and_the_page_says_so(sit: Sit, floor: Shop) -> None:
    """Work sample W18."""
    page = sit("Bram")
    page.goto("/catalogue/fennick-finch")
    siblings = page.get_by_role("region", name="Siblings")
    expect(siblings).to_contain_text("Fennick Finch II shares the steps, not the parts")
    expect(siblings.get_by_role("row", name="part family finch-front finch-2-front")).to_be_visible()
    parts = page.get_by_role("region", name="Parts known to fit")
    expect(parts).to_contain_text("Finch front with frame")
    expect(parts).not_to_contain_text("Finch II")


def test_answers_come_while_typing_and_several_are_told_apart(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    number = page.get_by_label("Model number on the back")
    number.press_sequentially("AF131")
    expect(page.locator("[data-verdict=ambiguous]")).to_contain_text("What tells them apart")
    expect(page.get_by_role("cell", name="four screws, two hidden under the feet")).to_be_visible()
    number.press_sequentially("5-XY")
    expect(page.locator("[data-verdict=sure]")).to_contain_text("Do not mix it up with")
    expect(page.locator("[data-verdict=sure]")).to_contain_text("“XY” is ignored")


def test_a_device_in_no_pack_is_taken_in_at_390_pixels(sit: Sit, floor: Shop) -> None:
    page = sit("Pell", viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True)
    page.goto("/scan?q=ZX-9000")
    page.get_by_role("button", name="Take a device in by its measures").tap()
    page.get_by_text("It is in no catalogue").tap()
    for label, text in (
        ("Maker, as the device says", "Nobody"),
        ("Name or number, as the device says", "ZX 9000"),
        ("Front glass across, mm", "70,2"),
        ("Front glass down, mm", "145.6"),
        ("Picture from corner to corner", "9"),
    ):
        page.get_by_label(label).fill(text)
    page.get_by_role("button", name="Go on with these measures").tap()
    expect(page.get_by_role("alert")).to_contain_text("a picture inside this outline is under 6.4 inches")
    page.get_by_label("Picture from corner to corner").fill("5.8")
    page.get_by_role("button", name="Go on with these measures").tap()
    expect(page.get_by_text("In no pack: it goes on with what was measured")).to_be_visible()
    page.get_by_label("Name", exact=True).fill("Orla Venn")
    page.get_by_label("Phone", exact=True).fill("555 0101")
    page.get_by_role("button", name="The rest works").tap()
    for consent in page.locator("[name=consent]").all():
        consent.check()
    page.get_by_label("Why it can be promised").fill("we call when a part is found")
    page.get_by_role("button", name="Take it in").tap()
    page.wait_for_url("**/ticket")
    code = page.url.split("/")[-2]
    page.goto(f"/jobs/{code}/match")
    expect(page.locator("main")).to_contain_text("not known of this device: measure the original")
    expect(page.get_by_role("button", name="Choose")).to_have_count(0)


def test_a_dropped_edid_file_at_the_counter_notices_the_wrong_panel(
    sit: Sit, floor: Shop, tmp_path: Path
) -> None:
    file = tmp_path / "panel.bin"
    file.write_bytes(Made(cm=(34, 19)).bytes())
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("QD4417-B2")
    page.get_by_role("button", name="This is it").click()
    page.get_by_text("The panel's own word").click()
    page.get_by_label("or the file").set_input_files(file)
    expect(page.get_by_role("status").filter(has_text="Another panel is in this device")).to_be_visible()
    expect(page.get_by_text("Kept at")).to_be_visible()
    page.reload()
    expect(page.get_by_text("Another panel is in this device").first).to_be_visible()
    assert catalogue.find_model(PLAIN).id in page.content()
