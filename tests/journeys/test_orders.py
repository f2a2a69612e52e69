"""Ordering what is advised, a parcel with one wrong and one dead piece, the money back, and a count."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal

import pytest
from builders import PLAIN, Shop
from playwright.sync_api import Page, expect

from sutura.store import stock as stock_store

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]


def test_what_is_advised_is_ordered_with_one_button_and_taken_in_with_what_was_found(
    sit: Sit, floor: Shop
) -> None:
    floor.quoted(PLAIN)
    page = sit("Ines")
    page.goto("/shelf")
    expect(page.get_by_role("heading", name="To order today")).to_be_visible()
    expect(page.locator(".supplier-order").first).to_contain_text("for jobs that wait for it: 1")
    page.get_by_role("button", name="Write the order").first.click()
    expect(page.get_by_text("1 for jobs that wait")).to_be_visible()
    page.get_by_label("Pieces of 15.6-inch").fill("4")
    page.get_by_role("button", name="Keep these numbers").click()
    expect(page.get_by_label("Pieces of 15.6-inch")).to_have_value("4")
    each = Decimal(page.locator("tbody td.right").first.inner_text())
    page.get_by_role("button", name="Send the order").dblclick()
    expect(page.get_by_text("4 pieces are to come, the next on")).to_be_visible()
    page.goto("/shelf")
    expect(page.get_by_text("On its way:")).to_be_visible()
    page.locator(".to-see-to a.code").first.click()

    # what is not good is said with a word, or the parcel is not taken
    page.get_by_label("Good", exact=True).fill("2")
    page.get_by_label("Dead on arrival").fill("1")
    page.get_by_label("The wrong part").fill("1")
    page.get_by_role("button", name="Put the good ones on the shelf").click()
    expect(page.get_by_role("alert")).to_contain_text("write what was found")
    expect(page.get_by_label("Dead on arrival")).to_have_value("1")
    page.get_by_label("What was found, if not good").fill("no picture; a panel with 30 pins")
    page.get_by_role("button", name="Put the good ones on the shelf").click()
    expect(
        page.get_by_text("1 × 15.6-inch glossy touch panel, 40 pins right: dead on arrival")
    ).to_be_visible()

    page.get_by_role("link", name="What goes back to suppliers").click()
    expect(page.get_by_text(f"suppliers owe the shop {2 * each} TAL")).to_be_visible()
    dead = page.locator("section.sheet").filter(has_text="dead on arrival")
    dead.get_by_label("Number of the parcel").fill("PA 4417")
    dead.get_by_role("button", name="It is on its way").click()
    expect(dead).to_contain_text("on its way back")
    more = str(each + 1)
    dead.get_by_label("Money back").fill(more)
    dead.get_by_role("button", name="The money is here").click()
    expect(page.get_by_role("alert")).to_be_visible()
    expect(dead.get_by_label("Money back")).to_have_value(more)
    dead.get_by_label("Money back").fill(str(each))
    dead.get_by_role("button", name="The money is here").click()
    expect(page.get_by_text(f"suppliers owe the shop {each} TAL")).to_be_visible()
    expect(page.locator("section.sheet").filter(has_text="Ended")).to_contain_text("refunded")


def test_a_piece_of_a_parcel_is_labelled_tried_under_its_film_and_goes_back_dead(
    sit: Sit, floor: Shop
) -> None:
    order = floor.ordered("P-2001", 2)
    page = sit("Ines")
    page.goto(f"/orders/{order}")
    page.get_by_label("Good", exact=True).fill("2")
    page.get_by_role("button", name="Put the good ones on the shelf").click()
    expect(page.get_by_text("2 pieces have no label yet")).to_be_visible()
    labels = page.locator("form[action$=labels] a.code").all_inner_texts()
    page.get_by_role("button", name="Print the labels").click()
    expect(page.get_by_text("2 labels are printed.")).to_be_visible()
    # the scanner finds the piece by what stands on it
    page.get_by_label("Scan").fill(labels[0])
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name=labels[0])).to_be_visible()
    page.get_by_role("button", name="The film is off now").click()
    expect(page.get_by_role("alert")).to_contain_text("try it with the film on")
    page.get_by_role("button", name="Everything on the list is right").click()
    expect(page.get_by_text("as it was bought").first).to_be_visible()
    page.get_by_role("button", name="The film is off now").click()
    expect(page.get_by_text("It cannot go back to its supplier: its film is off.")).to_be_visible()

    page.goto(f"/pieces/{labels[1]}")
    picture = page.get_by_role("group", name="a whole, even picture")
    picture.get_by_role("radio", name="wrong").click()
    page.get_by_label("Then", exact=True).select_option("dead")
    page.get_by_role("button", name="Keep what was seen").click()
    expect(page.get_by_role("alert")).to_contain_text("write what is wrong with it")
    expect(picture.get_by_role("radio", name="wrong")).to_be_checked()
    page.get_by_label("What is wrong with it").fill("no picture under the film")
    page.get_by_role("button", name="Keep what was seen").click()
    expect(page.get_by_text("It is not here any more.")).to_be_visible()
    page.goto("/returns")
    expect(page.get_by_text("no picture under the film")).to_be_visible()


def test_a_place_is_counted_with_the_scanner_left_and_finished_by_somebody_else(
    sit: Sit, floor: Shop
) -> None:
    floor.receive("P-1004", 4, "38.00")
    page = sit("Pell")
    page.goto("/stocktakes")
    page.get_by_label("Which bins").fill("A4")
    page.get_by_role("button", name="Start counting").click()
    expect(page.get_by_role("heading", name="Not counted yet: 1")).to_be_visible()
    assert "4" not in page.locator("section[aria-labelledby=left]").inner_text().replace("A4", "").replace(
        "P-1004", ""
    ), "what is expected is not shown"
    page.get_by_label("Barcode").fill("P-1004")
    page.keyboard.press("Tab")
    page.keyboard.type("2")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Count again")).to_be_visible()
    page.get_by_role("button", name="Finish").click()
    expect(page.get_by_role("alert")).to_contain_text("count again what is far off")

    other = sit("Ines")
    other.goto("/stocktakes")
    other.get_by_role("link", name="Go on with A4").click()
    other.get_by_label("Barcode").fill("P-1004")
    other.get_by_label("Pieces that lie there").fill("2")
    other.get_by_role("button", name="Write it down").click()
    expect(other.get_by_role("heading", name="Count again")).to_be_hidden()
    other.get_by_role("button", name="Finish").click()
    expect(other.get_by_text("less: 76.00 TAL")).to_be_visible()
    other.goto("/shelf/P-1004")
    expect(other.get_by_text("2 free")).to_be_visible()


def test_a_part_promised_to_another_is_taken_over_where_it_was_refused(sit: Sit, floor: Shop) -> None:
    # the last free one; other tests of this file may have left some
    floor.receive("P-2001", 1)
    while stock_store.load_part("P-2001").free:
        other = floor.held(PLAIN)
    code = floor.quoted(PLAIN)
    page = sit("Pell")
    page.goto(f"/jobs/{code}/match")
    page.get_by_role("button", name="Take the part off the shelf").click()
    expect(page.get_by_role("alert")).to_contain_text("promised to job")
    page.get_by_label("From job").select_option(other)
    page.get_by_role("button", name="Take it over", exact=True).click()
    expect(page.get_by_role("alert")).to_be_visible()
    page.get_by_label("Why", exact=True).fill("she flies tonight")
    page.get_by_role("button", name="Take it over", exact=True).click()
    page.wait_for_url(f"**/jobs/{code}/**")
    page.goto(f"/jobs/{other}")
    expect(page.locator("main")).to_contain_text(f"It was taken for {code}: she flies tonight.")
