"""What goes wrong on a busy day: two at once, double clicks, restarts, a lost connection, wrong counts,
failed tests.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest
from builders import PLAIN, SLATE, Shop
from journeys.conftest import Live
from journeys.hands import Mouse
from journeys.test_w01 import take_in
from playwright.sync_api import Locator, Page, expect

from sutura.core.job import Stage
from sutura.store import drafts as drafts_store
from sutura.store import job as job_store
from sutura.store import stock as stock_store

pytestmark = [pytest.mark.browser, pytest.mark.timeout(300)]
Sit = Callable[..., Page]


def test_two_browsers_race_for_the_last_part(sit: Sit, floor: Shop) -> None:
    floor.receive("P-3001")
    codes = [floor.quoted(SLATE), floor.quoted(SLATE)]
    pages = [sit("Ines"), sit("Pell")]
    for page, code in zip(pages, codes, strict=True):
        page.goto(f"/jobs/{code}/match")
    for page in pages:
        # both forms leave before either answer is awaited
        page.get_by_role("button", name="Take the part off the shelf").evaluate("button => button.click()")
    for page in pages:
        page.wait_for_load_state()
    expect(pages[0].locator("main")).to_contain_text(re.compile("held|promised to job"))
    expect(pages[1].locator("main")).to_contain_text(re.compile("held|promised to job"))
    stages = [floor.job(code).stage for code in codes]
    assert sorted(stages) == [Stage.PART_IN_HAND, Stage.QUOTED]
    winner = codes[stages.index(Stage.PART_IN_HAND)]
    loser = pages[stages.index(Stage.QUOTED)]
    expect(loser.get_by_role("alert")).to_contain_text(f"the last one is promised to job {winner}")
    assert stock_store.load_part("P-3001").free == 0


class Twice(Mouse):
    """A hand that clicks the last button twice."""

    def press(self, target: Locator) -> None:
        if "print the ticket" in target.inner_text():
            target.dblclick()
        else:
            super().press(target)


def test_a_double_clicked_submit_makes_one_job(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    before = job_store.count_jobs()
    take_in(page, Twice(page))
    page.wait_for_timeout(400)
    assert job_store.count_jobs() == before + 1


def test_a_form_sent_twice_past_the_script_makes_one_job(sit: Sit, floor: Shop) -> None:
    """The page's own guard switched off: the server answers the second with the first one's job."""
    page = sit("Pell")
    before = job_store.count_jobs()
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("QD4417-B2")
    page.get_by_role("button", name=re.compile("^This is it")).click()
    page.get_by_label("Name", exact=True).fill("Rosa Tindal")
    page.get_by_label("Phone", exact=True).fill("555 0110")
    page.get_by_role("button", name="The rest works").click()
    assert page.locator("input[name^='function.'][value=works]:checked").count(), "the press counted"
    for consent in ("My data", "A part that"):
        page.get_by_role("checkbox", name=re.compile(f"^{consent}")).check()
    answers = page.evaluate(
        """async () => {
          const form = document.querySelector("form[data-keep]");
          const send = () => {
            const body = new FormData(form);
            body.set("act", "take-in");
            return fetch(form.action, { method: "POST", body });
          };
          return (await Promise.all([send(), send(), send()])).map((answer) => answer.url);
        }"""
    )
    assert len(set(answers)) == 1
    assert answers[0].endswith("/ticket")
    assert job_store.count_jobs() == before + 1


def test_restarting_the_application_in_the_middle_loses_nothing(sit: Sit, floor: Shop, live: Live) -> None:
    floor.receive("P-2001")
    code = floor.opened(PLAIN)
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    page.get_by_role("button", name="Done, next step").click()
    expect(page.locator(".step-text")).to_contain_text("Shut down")
    page.get_by_role("button", name="Done, next step").click()
    expect(page.locator(".step-text")).to_contain_text("Slide out the battery")
    live.restart()
    page.get_by_role("button", name="Done, next step").click()
    expect(page.locator(".step-text")).to_contain_text("Unclip the bezel")
    page.goto("/counter")
    expect(page.get_by_role("heading", name="Counter")).to_be_visible()


def test_an_intake_left_half_way_is_there_on_another_screen(sit: Sit, floor: Shop, live: Live) -> None:
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("FH-2107")
    page.get_by_role("button", name=re.compile("^This is it")).click()
    page.get_by_label("Name", exact=True).fill("Keziah Bell")
    Mouse(page).impact((30, 60), 6)
    page.get_by_role("radio", name="Touch: Faulty").check()
    page.get_by_label("Touch: how it is faulty").fill("dead strip")
    expect(page.get_by_role("status").first).to_contain_text("Kept at")
    draft = page.url.rsplit("/", 1)[1]
    expect(page.locator("#f-marks ul.drawn li")).to_contain_text("impact at")
    page.wait_for_timeout(1200)
    live.restart()
    other = sit("Ines")
    other.goto("/counter")
    other.get_by_role("link", name=re.compile("Keziah Bell")).click()
    assert other.url.endswith(draft)
    expect(other.get_by_label("Touch: how it is faulty")).to_have_value("dead strip")
    expect(other.locator(".mark-impact")).to_have_count(1)
    expect(other.get_by_role("radio", name="Touch: Faulty")).to_be_checked()


def test_typing_through_a_lost_connection_loses_nothing(sit: Sit, floor: Shop, live: Live) -> None:
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.wait_for_url("**/counter/*")
    page.context.set_offline(True)
    page.get_by_label("Name", exact=True).fill("Una Skerry")
    expect(page.get_by_role("status").first).to_contain_text("Not kept just now")
    page.context.set_offline(False)
    expect(page.get_by_role("status").first).to_contain_text("Kept at", timeout=9_000)
    kept = drafts_store.load_draft(page.url.rsplit("/", 1)[1])
    assert kept
    assert kept.fields["name"] == ["Una Skerry"]


def test_reloading_in_the_middle_of_a_word_loses_nothing(sit: Sit, floor: Shop) -> None:
    """Nothing has reached the server yet: the window itself remembers."""
    page = sit("Pell")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("FH-2107")
    # the address stays the same: the page that comes is waited for
    with page.expect_navigation():
        page.get_by_role("button", name=re.compile("^This is it")).click()
    page.route("**/keep", lambda route: route.abort())
    page.get_by_label("Name", exact=True).fill("Wim Aldous")
    page.get_by_role("radio", name="Touch: Faulty").check()
    page.get_by_role("checkbox", name="SIM card").check()
    page.reload()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Wim Aldous")
    expect(page.get_by_role("radio", name="Touch: Faulty")).to_be_checked()
    expect(page.get_by_role("checkbox", name="SIM card")).to_be_checked()
    page.unroute("**/keep")
    page.get_by_label("Phone", exact=True).fill("555 0140")
    expect(page.get_by_role("status").first).to_contain_text("Kept at", timeout=9_000)
    assert page.evaluate("sessionStorage.length") == 0, "and forgets once the shop's database has it"


def test_marks_are_undone_and_removed(sit: Sit) -> None:
    page = sit("Pell")
    use = Mouse(page)
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("FH-2107")
    page.get_by_role("button", name=re.compile("^This is it")).click()
    use.impact((20, 40), 5)
    use.crack((20, 40), (60, 80))
    listed = page.locator("#f-marks ul.drawn li")
    expect(listed).to_have_count(2)
    page.get_by_role("button", name="Undo").click()
    expect(listed).to_have_count(1)
    page.get_by_role("button", name=re.compile("^Remove impact")).click()
    expect(listed).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(listed).to_have_count(1)
    page.reload()
    expect(page.locator(".mark-impact")).to_have_count(1)


def test_a_wrong_count_blocks_until_it_agrees_or_a_reason_is_written(sit: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.opened()
    for _ in range(3):
        floor.step(code)
    page = sit("Bram")
    page.goto(f"/jobs/{code}/bench")
    page.get_by_text("I counted another number").click()
    page.get_by_role("button", name="one more").click()
    page.get_by_role("button", name="Record this count").click()
    expect(page.get_by_role("alert")).to_contain_text("You counted 1, the sheet says 2")
    expect(page.get_by_role("alert")).to_be_focused()
    page.get_by_label("Why the count is right").fill("one was missing on arrival")
    page.get_by_role("button", name="Record this count").click()
    expect(page.locator(".step-text")).to_contain_text("Warm all four edges")


def test_a_failed_test_goes_back_to_the_bench_and_both_results_stay(sit: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.at_proof()
    page = sit("Bram")
    page.goto(f"/jobs/{code}/proof")
    page.get_by_role("radio", name="Touch: Faulty").check()
    page.get_by_label("Touch: how it is faulty").fill("dead strip")
    page.get_by_role("button", name="The rest works").click()
    page.get_by_role("button", name="Record the test").click()
    expect(page.get_by_text("The shop answers for", exact=True)).to_be_visible()
    expect(page.get_by_text(re.compile("every connector off and on in order"))).to_be_visible()
    page.get_by_role("link", name="Go on at the bench").click()
    # a second round begins with the power off
    expect(page.locator(".step-text")).to_contain_text("Switch off")
    floor.steps_until_proof(code)
    floor.test(code)
    page.goto(f"/jobs/{code}")
    expect(page.get_by_role("columnheader", name="Test 1")).to_be_visible()
    expect(page.get_by_role("columnheader", name="Test 2")).to_be_visible()


def test_the_misread_label_of_w09_shows_its_doubt_and_match_refuses_the_wrong_panels(
    sit: Sit, floor: Shop
) -> None:
    floor.receive("P-2001")
    page = sit("Ines")
    page.goto("/counter")
    page.get_by_role("button", name="Take a device in").click()
    page.get_by_label("Model number on the back").fill("O044I7")
    expect(page.locator("[data-verdict=likely]")).to_contain_text("Check these on the label")
    expect(page.locator(".label-char.doubtful")).to_have_count(2)
    page.goto(f"/jobs/{floor.take_in(PLAIN)}/match")
    expect(page.locator("section.offer", has_text="AP156-GT40-B").last).to_contain_text(
        "needs 40, this one has 30"
    )
    expect(page.locator("section.offer", has_text="NV156T-L40").last).to_contain_text(
        "needs bottom right, this one has bottom left"
    )
    right = page.locator("section.offer", has_text="NV156T-R40").first
    expect(right).to_contain_text("Fits – everything that must agree does.")
    right.get_by_text("Every attribute").click()
    expect(right).to_contain_text("NV156T-R40 → AP156-GT40-A: may stand in for it")


def test_the_scan_field_is_one_key_away(sit: Sit, floor: Shop) -> None:
    code = floor.take_in()
    page = sit("Bram")
    page.keyboard.press("F2")
    page.keyboard.type(code.lower())
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/jobs/{code}")


def test_fifty_people_reading_at_once_are_all_served(live: Live, floor: Shop) -> None:
    import urllib.request

    def ask(_: int) -> int:
        with urllib.request.urlopen(f"{live.address}/sign-in", timeout=20) as answer:
            return int(answer.status)

    with ThreadPoolExecutor(25) as pool:
        assert set(pool.map(ask, range(50))) == {200}


def test_the_keys_lead_to_rooms_and_a_scanner_typing_digits_moves_nothing(sit: Sit, floor: Shop) -> None:
    page = sit("Pell")
    page.keyboard.press("F8")
    expect(page.get_by_role("dialog", name="Keys")).to_be_visible()
    with page.expect_navigation():
        page.keyboard.press("3")
    expect(page).to_have_url(re.compile("/match$"))
    page.keyboard.type("4006381333931")
    page.wait_for_timeout(300)
    expect(page).to_have_url(re.compile("/match$"))


def test_enter_in_the_amount_takes_no_payment(sit: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.closed()
    floor.look_at_sealed(code)
    page = sit("Pell")
    page.goto(f"/jobs/{code}/handover")
    page.locator("[name=cards]").check()
    page.get_by_label("Amount taken").press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("choose one of")
    assert floor.job(code).stage is Stage.CLOSED
