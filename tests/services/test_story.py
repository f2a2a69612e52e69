"""A job from counter to handover by the services, and every refusal on its way."""

from __future__ import annotations

import dataclasses
from datetime import timedelta, timezone
from decimal import Decimal

import pytest
from builders import HERON, NOW, PLAIN, SLATE, Shop, all_work, models, said, told
from formats.edid_builder import Made, detailed

from sutura.core.errors import (
    AccessoriesMissing,
    AlreadyHeld,
    Invalid,
    ManyInvalid,
    MoveRefused,
    NotAllowed,
    NotFound,
    OutOfStock,
    StaleSave,
    StepBlocked,
)
from sutura.core.job import Stage
from sutura.core.matching.judging import may_choose
from sutura.services import (
    bench,
    covering,
    customers,
    drafts,
    handover,
    intake,
    matching,
    planning,
    promises,
    proof,
    quoting,
    stock,
)
from sutura.services import job as job_service
from sutura.services import shop as shop_service
from sutura.services.once import once
from sutura.store import drafts as drafts_store
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import people as people_store
from sutura.store import stock as stock_store
from sutura.words.speech import Speech


def test_w01_goes_from_counter_to_handover_and_leaves_everything_behind(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.closed(opened_before=True, accessories=[("SIM card", "tray 1")])
    shop.hand_back(code)
    page = job_service.job_page(code, shop.now)
    job = page.job
    assert job.stage is Stage.HANDED_BACK
    assert job.arrival.opened_before
    assert (page.progress.out, page.progress.back) == (12, 12)
    assert page.proof
    assert page.proof.passed
    assert page.payment
    assert page.payment.amount_minor == job.chosen.price_minor
    assert job.closing.cost_minor == 6000
    assert job.closing.bench_minutes > 0
    assert job.closing.warranty_end == (shop.now.date() + timedelta(days=180))
    kinds = [event.kind for event in page.events if event.kind != "step"]
    assert kinds == [
        "received",
        "quoted",
        "part_held",
        "assigned",
        "opened",
        "proved",
        "closed",
        "sealed_look",
        "money",
        "paper",
        "handed_back",
    ]
    assert all(event.who and event.at for event in page.events)
    left = quoting.job_margin(job, shop.manager)
    assert left
    assert left.margin.minor == left.net.minor - 6000


def test_w16_and_w09_go_all_the_way_too(shop: Shop) -> None:
    shop.receive("P-2001")
    shop.receive("P-3001")
    for model_id in (PLAIN, SLATE):
        code = shop.closed(model_id)
        shop.hand_back(code)
        assert shop.job(code).stage is Stage.HANDED_BACK


def test_fitting_takes_the_part_out_of_the_ledger_once(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    shop.closed()
    part = stock_store.load_part("P-1001")
    assert (part.on_hand, part.held) == (1, 0)
    assert [line.quantity for line in stock_store.ledger_page(part.id)] == [-1, 2]


# -- counter --------------------------------------------------------------------------------


def test_every_problem_of_an_intake_is_said_at_once_and_nothing_is_saved(shop: Shop) -> None:
    before = job_store.count_jobs()
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in(name="", phone="", functions={}, consents=[], channel="pigeon", serial="490154203237519")
    fields = set(refused.value.by_field)
    assert {"name", "phone", "channel", "serial", "consent.data", "function.image"} <= fields
    assert job_store.count_jobs() == before


def test_a_doubled_intake_is_one_job(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.now)
    codes = {intake.take_in(draft, shop.arrival(), shop.counter, shop.tick()) for _ in range(2)}
    assert len(codes) == 1
    assert job_store.count_jobs() == 1


def test_two_people_cannot_make_two_jobs_of_one_draft(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.now)
    intake.take_in(draft, shop.arrival(), shop.counter, shop.tick())
    with pytest.raises(NotFound):
        intake.take_in(draft, shop.arrival(), shop.manager, shop.tick())


def test_a_draft_left_half_way_is_still_there_for_anyone(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.now)
    drafts.keep_draft(draft, {"name": ["Orla"], "marks": ["[]"]}, shop.bram, shop.tick())
    found = drafts_store.load_draft(draft)
    assert found
    assert (found.who, found.fields["name"]) == ("Pell", ["Orla"])


def test_a_draft_that_became_a_job_does_not_come_back_by_a_late_autosave(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.now)
    intake.take_in(draft, shop.arrival(), shop.counter, shop.tick())
    with pytest.raises(NotFound):
        drafts.keep_draft(draft, {}, shop.counter, shop.tick())
    assert drafts_store.drafts_page() == []


def test_a_known_customer_is_used_again(shop: Shop) -> None:
    first = shop.job(shop.take_in())
    again = shop.job(shop.take_in(customer_id=first.customer_id, name="", phone=""))
    assert again.customer_id == first.customer_id


def test_the_doubt_of_a_misread_number_stays_with_the_job(shop: Shop) -> None:
    job = shop.job(shop.take_in(PLAIN, read_number="O044I7"))
    assert job.arrival.identified == "likely"


def test_a_promise_earlier_than_can_be_kept_needs_a_reason(shop: Shop) -> None:
    early = NOW + timedelta(minutes=5)
    with pytest.raises(ManyInvalid, match="1 thing"):
        shop.take_in(soonest=False, promise_at=early, promise_reason="")
    assert shop.take_in(soonest=False, promise_at=early, promise_reason="the bench is free")


def test_the_soonest_promise_is_counted_when_it_is_saved(shop: Shop) -> None:
    job = shop.job(shop.take_in(SLATE))
    assert job.promise_at >= job.arrival.received_at + timedelta(minutes=100)


def test_a_stale_customer_form_shows_both_versions(shop: Shop) -> None:
    number = shop.job(shop.take_in()).customer_id
    given = {"name": "Orla Venn", "phone": "555 0199", "email": "", "note": ""}
    customers.save_customer(number, **given, version=1, by=shop.manager, now=shop.tick())
    with pytest.raises(StaleSave) as stale:
        customers.save_customer(
            number, **{**given, "phone": "555 0100"}, version=1, by=shop.counter, now=shop.tick()
        )
    assert stale.value.theirs["phone"] == "555 0199"
    assert stale.value.yours["phone"] == "555 0100"
    assert stale.value.who == "Ines"


@pytest.mark.parametrize("model_id", [HERON, PLAIN, SLATE])
def test_a_promise_just_made_is_not_late_at_once_nor_when_its_part_is_chosen(
    shop: Shop, model_id: str
) -> None:
    code = shop.take_in(model_id)
    assert job_service.job_page(code, shop.now).next.slack_minutes >= 0  # type: ignore[union-attr]
    shop.choose(code)
    assert job_service.job_page(code, shop.now).next.slack_minutes >= 0  # type: ignore[union-attr]


# -- match and shelf ------------------------------------------------------------------------


def test_w09_offers_are_ranked_with_the_refused_ones_last(shop: Shop) -> None:
    shop.receive("P-2001")
    offers = matching.match_page(shop.take_in(PLAIN)).offers
    assert (offers[0].judged.offer.printed_number, offers[0].judged.fit.value) == ("NV156T-R40", "fits")
    assert {offer.judged.offer.printed_number for offer in offers if offer.judged.fit.value == "not"} == {
        "AP156-GT40-B",
        "NV156T-L40",
    }


@pytest.mark.parametrize("printed", ["AP156-GT40-B", "NV156T-L40"])
def test_a_part_that_does_not_fit_cannot_be_chosen(shop: Shop, printed: str) -> None:
    code = shop.take_in(PLAIN)
    wrong = next(
        offer for offer in matching.match_page(code).offers if offer.judged.offer.printed_number == printed
    )
    with pytest.raises(Invalid, match="choose one that fits"):
        matching.choose_offer(code, wrong.judged.offer.id, shop.counter, shop.tick())
    assert shop.job(code).stage is Stage.IDENTIFIED


def test_an_unknown_fit_cannot_be_chosen(shop: Shop) -> None:
    code = shop.take_in()
    unknown = next(offer for offer in matching.match_page(code).offers if offer.judged.fit.value == "unknown")
    with pytest.raises(Invalid, match="Not known"):
        matching.choose_offer(code, unknown.judged.offer.id, shop.counter, shop.tick())


def test_taking_the_part_lowers_what_is_free_and_giving_it_back_raises_it(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.held()
    assert stock_store.load_part("P-1001").free == 1
    stock.give_back_part(code, shop.counter, shop.tick())
    assert stock_store.load_part("P-1001").free == 2
    assert shop.job(code).stage is Stage.QUOTED


def test_the_last_piece_goes_to_one_and_the_other_is_told_who_has_it(shop: Shop) -> None:
    shop.receive("P-2001")
    first, second = shop.quoted(PLAIN), shop.quoted(PLAIN)
    stock.take_part(first, shop.counter, shop.tick())
    with pytest.raises(OutOfStock, match=first):
        stock.take_part(second, shop.counter, shop.tick())
    assert shop.job(second).stage is Stage.QUOTED


def test_a_job_does_not_take_two_parts(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    code = shop.held()
    with pytest.raises(AlreadyHeld):
        stock.take_part(code, shop.counter, shop.tick())


def test_a_part_cannot_be_taken_before_it_is_chosen(shop: Shop) -> None:
    with pytest.raises(MoveRefused):
        stock.take_part(shop.take_in(), shop.counter, shop.tick())


def test_a_count_correction_is_a_new_entry_with_its_reason(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    with pytest.raises(Invalid, match="why the count differs"):
        stock.correct_count("P-1001", "2", " ", shop.manager, shop.tick())
    stock.correct_count("P-1001", "2", "one broken on the shelf", shop.manager, shop.tick())
    assert stock_store.load_part("P-1001").on_hand == 2


@pytest.mark.parametrize("pieces", ["", "x", "-1", "1.5", "0", "99999", "100000"])
def test_a_receipt_of_nonsense_is_refused(shop: Shop, pieces: str) -> None:
    with pytest.raises((Invalid, ManyInvalid)):
        stock.receive("P-1001", pieces, "", "", shop.manager, shop.tick())


# -- assign, bench, proof -------------------------------------------------------------------


def test_only_a_trained_technician_is_given_the_job(shop: Shop) -> None:
    code = shop.take_in(SLATE)
    with pytest.raises(NotAllowed, match="four-edge glued tablets"):
        planning.assign(code, shop.people["lio"].id, shop.manager, shop.tick())
    with pytest.raises(Invalid, match="choose one of the technicians"):
        planning.assign(code, shop.counter.id, shop.manager, shop.tick())


def test_expected_minutes_and_load_follow_the_technician(shop: Shop) -> None:
    code = shop.take_in()
    planning.assign(code, shop.people["lio"].id, shop.manager, shop.tick())
    assert shop.job(code).bench.expected_minutes == 50
    found = [hand.choice for hand in covering.assign_page(shop.take_in(), shop.now).hands]
    assert next(hit for hit in found if hit.name == "Lio").load_minutes == 50


def test_a_job_is_not_opened_without_part_and_technician(shop: Shop) -> None:
    shop.receive("P-1001")
    with pytest.raises(MoveRefused, match="must be waiting with its part in hand"):
        bench.open_job(shop.quoted(), shop.bram, shop.tick())
    with pytest.raises(MoveRefused, match="no technician is assigned"):
        bench.open_job(shop.held(), shop.bram, shop.tick())


def test_the_next_step_is_blocked_until_the_counts_agree_or_a_reason_is_given(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    for _ in range(3):
        shop.step(code)
    with pytest.raises(StepBlocked):
        shop.step(code, counted="1")
    assert bench.bench_page(code).progress.done == 3
    shop.step(code, counted="1", reason="one was missing on arrival")
    page = bench.bench_page(code)
    assert page.progress.done == 4
    assert "one was missing" in told(job_store.events_page(shop.job(code).id)[-1])


def test_the_screws_in_are_asked_for_as_they_came_out(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    while bench.bench_page(code).progress.step != next(
        s for s in models()[HERON].steps if s.id == "bottom-out"
    ):
        shop.step(code)
    shop.step(code, counted="1", reason="one was missing on arrival")
    shop.steps_until_proof(code)
    shop.test(code)
    while bench.bench_page(code).progress.step != next(
        s for s in models()[HERON].steps if s.id == "bottom-in"
    ):
        shop.step(code)
    assert bench.bench_page(code).progress.expected == 1


def test_a_failed_function_sends_the_job_back_and_keeps_both_results(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.at_proof()
    reading = shop.test(code, {"touch": ("faulty", "dead strip")})
    assert [one.function.id for one in reading.answer_for] == ["touch"]
    job = shop.job(code)
    assert (job.stage, job.bench.attempt) == (Stage.OPENED, 2)
    assert bench.bench_page(code).progress.step.id == "power-down"  # type: ignore[union-attr]
    shop.steps_until_proof(code)
    shop.test(code)
    results = intake_store.load_results(shop.job(code).id)
    assert set(results) == {0, 1, 2}
    assert said(results[1]["touch"].reason) == "dead strip"
    assert results[2]["touch"].outcome.value == "works"


def test_a_test_out_of_turn_is_refused_before_its_answers_are_looked_at(shop: Shop) -> None:
    shop.receive("P-1001")
    with pytest.raises(MoveRefused, match="bench steps before the test are still open"):
        proof.record_proof(shop.opened(), {}, shop.bram, shop.tick())


def test_an_incomplete_test_says_what_is_missing(shop: Shop) -> None:
    shop.receive("P-1001")
    answers = all_work(models()[HERON]) | {"touch": ("", "")}
    with pytest.raises(ManyInvalid) as refused:
        proof.record_proof(shop.at_proof(), answers, shop.bram, shop.tick())
    assert list(refused.value.by_field) == ["function.touch"]


# -- handover, decline, prices --------------------------------------------------------------


def test_a_job_is_not_handed_back_before_it_is_closed(shop: Shop) -> None:
    shop.receive("P-1001")
    with pytest.raises(MoveRefused, match="must be closed"):
        shop.hand_back(shop.opened(), amount="139.00")


def test_everything_that_came_in_goes_out_or_is_explained(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.closed(accessories=[("SIM card", ""), ("Case", "")])
    with pytest.raises(AccessoriesMissing, match="SIM card, Case"):
        shop.hand_back(code, returned=[])
    shop.hand_back(code, returned=[], explanation="posted ahead")
    assert shop.job(code).closing.returned_note == "posted ahead"


@pytest.mark.parametrize("amount", ["", "1.00", "ten"])
def test_a_wrong_payment_is_refused_and_the_job_stays_closed(shop: Shop, amount: str) -> None:
    shop.receive("P-1001")
    code = shop.closed()
    with pytest.raises(Invalid, match="the open amount is"):
        shop.hand_back(code, amount=amount)
    assert shop.job(code).stage is Stage.CLOSED


def test_declining_gives_the_part_back_and_the_device_goes_home(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held(accessories=[("Case", "")])
    with pytest.raises(Invalid, match="write why"):
        handover.decline(code, " ", shop.counter, shop.tick())
    handover.decline(code, "too dear", shop.counter, shop.tick())
    assert stock_store.load_part("P-1001").free == 1
    with pytest.raises(AccessoriesMissing):
        handover.return_unrepaired(code, returned=[], explanation="", by=shop.counter, now=shop.tick())
    handover.return_unrepaired(
        code, returned=[], explanation="the case stays", by=shop.counter, now=shop.tick()
    )
    assert shop.job(code).stage is Stage.RETURNED


def test_an_opened_job_cannot_be_declined_any_more(shop: Shop) -> None:
    shop.receive("P-1001")
    with pytest.raises(MoveRefused):
        handover.decline(shop.opened(), "changed my mind", shop.counter, shop.tick())


def test_a_price_change_keeps_its_reason_and_a_stale_one_is_refused(shop: Shop) -> None:
    code = shop.quoted()
    version = shop.job(code).version
    quoting.change_job_price(code, "99.50", "a regular", version, shop.manager, shop.tick())
    assert shop.job(code).chosen.price_minor == 9950
    with pytest.raises(StaleSave) as stale:
        quoting.change_job_price(code, "88", "again", version, shop.manager, shop.tick())
    assert stale.value.theirs == {"price": "99.50 TAL"}


def test_a_manager_changes_rates_and_offer_prices_and_it_is_written_down(shop: Shop) -> None:
    shop_service.change_rates(
        {"bench_rate": "80", "markup": "40", "tax": "20"},
        shop_service.shop().version,
        shop.manager,
        shop.tick(),
    )
    assert shop_service.shop().rates.bench_rate_minor == 8000
    with pytest.raises(StaleSave):
        shop_service.change_rates(
            {"bench_rate": "1", "markup": "1", "tax": "1"}, 1, shop.manager, shop.tick()
        )
    with pytest.raises(ManyInvalid):
        shop_service.change_rates(
            {"bench_rate": "x", "markup": "600", "tax": ""},
            shop_service.shop().version,
            shop.manager,
            shop.tick(),
        )
    offer = offers_store.price_page()[0]
    quoting.change_offer_price(offer.id, "61.00", offer.version, shop.manager, shop.tick())
    with pytest.raises(StaleSave):
        quoting.change_offer_price(offer.id, "62.00", offer.version, shop.manager, shop.tick())


def test_loading_the_packs_again_keeps_a_price_a_manager_changed(shop: Shop) -> None:
    from sutura.config import CATALOGUE
    from sutura.services import catalogue

    offer = offers_store.price_page()[0]
    quoting.change_offer_price(offer.id, "61.00", offer.version, shop.manager, shop.tick())
    counts = catalogue.load_packs(CATALOGUE)
    assert counts == {"same": len(models()) + 7}
    assert offers_store.load_price(offer.id).price_minor == 6100  # type: ignore[union-attr]


# -- who may --------------------------------------------------------------------------------


def test_each_deed_is_refused_to_the_roles_it_is_not_for(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.held()
    offer = offers_store.price_page()[0]
    refused = (
        (shop.bram, lambda by: matching.choose_offer(code, offer.id, by, shop.now)),
        (shop.bram, lambda by: planning.assign(code, shop.bram.id, by, shop.now)),
        (shop.bram, lambda by: handover.decline(code, "x", by, shop.now)),
        (shop.bram, lambda by: stock.receive("P-1001", "1", "", "", by, shop.now)),
        (shop.bram, lambda by: quoting.book_page(by)),
        (shop.bram, lambda by: quoting.job_margin(shop.job(code), by)),
        (shop.counter, lambda by: quoting.change_job_price(code, "1", "x", 1, by, shop.now)),
        (shop.counter, lambda by: quoting.change_offer_price(offer.id, "1", 1, by, shop.now)),
        (shop.counter, lambda by: shop_service.change_rates({}, 1, by, shop.now)),
        (shop.counter, lambda by: bench.open_job(code, by, shop.now)),
        (shop.counter, lambda by: bench.do_step(code, "x", "", "", by, shop.now)),
        (shop.counter, lambda by: proof.record_proof(code, {}, by, shop.now)),
    )
    for by, deed in refused:
        with pytest.raises(NotAllowed):
            deed(by)


# -- one-time keys --------------------------------------------------------------------------


def test_a_deed_with_the_same_key_is_done_once_and_answered_twice(shop: Shop) -> None:
    done: list[int] = []

    def act() -> str:
        done.append(1)
        return "/there"

    assert [once("a-key-of-its-own", shop.counter, shop.now, act) for _ in range(2)] == ["/there", "/there"]
    assert len(done) == 1


def test_a_refused_deed_leaves_its_key_unused(shop: Shop) -> None:
    code = shop.take_in()

    def refused() -> str:
        stock.take_part(code, shop.counter, shop.now)
        return "/never"

    with pytest.raises(MoveRefused):
        once("a-key-of-its-own", shop.counter, shop.now, refused)
    assert once("a-key-of-its-own", shop.counter, shop.now, lambda: "/there") == "/there"


def test_a_form_without_a_key_is_refused(shop: Shop) -> None:
    with pytest.raises(Invalid, match="reload the page"):
        once("", shop.counter, shop.now, lambda: "/there")


def test_an_arrival_has_no_place_for_a_passcode() -> None:
    names = {field.name for field in dataclasses.fields(intake.Arrival)}
    assert not {name for name in names if "pass" in name or "pin" in name}


# -- the panel that is in it ----------------------------------------------------------------


def panel_bytes(wide: int, high: int, cm: tuple[int, int], mm: tuple[int, int]) -> str:
    return Made(cm=cm, timing=detailed(85_500, wide, 200, high, 40, mm)).bytes().hex()


def test_the_right_panel_in_the_lid_is_recognised_and_kept_with_the_job(shop: Shop) -> None:
    code = shop.take_in(PLAIN)
    matching.read_panel(code, panel_bytes(1366, 768, (34, 19), (344, 194)), b"", shop.bram, shop.tick())
    read = matching.match_page(code).panel
    assert read
    assert read.judged.fit.value == "fits"
    assert read.who == "Bram"
    assert job_store.events_page(shop.job(code).id)[-1].kind == "panel_read"


@pytest.mark.parametrize(
    ("panel", "reason"),
    [
        (panel_bytes(1920, 1080, (34, 19), (344, 194)), "needs 1366×768, this one has 1920×1080"),
        (panel_bytes(1366, 768, (31, 17), (309, 174)), "its picture is 35 mm off"),
    ],
    ids=["another resolution", "another size"],
)
def test_a_wrong_panel_in_the_lid_is_noticed(shop: Shop, panel: str, reason: str) -> None:
    code = shop.take_in(PLAIN)
    matching.read_panel(code, panel, b"", shop.bram, shop.tick())
    read = matching.match_page(code).panel
    assert read
    assert read.judged.fit.value == "not"
    assert "Another panel is in this device" in said(read.judged.says)
    assert reason in said(read.judged.says)


def test_a_panel_that_states_no_size_leaves_it_unknown(shop: Shop) -> None:
    code = shop.take_in(PLAIN)
    matching.read_panel(
        code, "", bytes.fromhex(panel_bytes(1366, 768, (0, 0), (16, 9))), shop.bram, shop.tick()
    )
    read = matching.match_page(code).panel
    assert read
    assert read.judged.fit.value == "unknown"


def test_a_phones_panel_wired_on_its_side_is_the_same_panel(shop: Shop) -> None:
    code = shop.take_in(HERON)
    matching.read_panel(code, panel_bytes(2532, 1170, (14, 6), (139, 64)), b"", shop.bram, shop.tick())
    read = matching.match_page(code).panel
    assert read
    assert read.judged.fit.value == "fits"


# -- the chosen route -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("model_id", "kind", "minutes"),
    [("fennick-wren", "front with frame", 10), ("fennick-kite", "glass", 95), ("fennick-wren", "", 60)],
)
def test_the_chosen_route_keeps_its_minutes_from_match_through_assigning_to_the_bench(
    shop: Shop, model_id: str, kind: str, minutes: int
) -> None:
    code = shop.take_in(model_id)
    page = matching.match_page(code, kind=kind)
    best = next(one for one in page.offers if may_choose(one.judged.fit) and not one.judged.members)
    matching.choose_offer(code, best.judged.offer.id, shop.counter, shop.tick(), agreed=True)
    job = shop.job(code)
    assert job.chosen.route == (kind or models()[model_id].need["kind"])
    assert job.chosen.route_minutes == minutes
    people_store.save_skills(shop.bram.id, {models()[model_id].procedure_family: Decimal("1.5")})
    choices = [hand.choice for hand in covering.assign_page(code, shop.now).hands]
    trained = next(choice for choice in choices if choice.may)
    planning.assign(code, trained.person_id, shop.manager, shop.tick())
    expected = int(minutes * 1.5 + 0.5) + job.chosen.extra_minutes
    assert shop.job(code).bench.expected_minutes == trained.minutes == expected
    assert bench.bench_page(code).route.has_sheet


def test_a_refused_promise_is_told_in_the_shops_zone(shop: Shop) -> None:
    """In a shop one hour ahead, what can be kept at 12:00 there is never offered as 11:00."""
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in(promise_at=shop.now + timedelta(minutes=1), soonest=False, promise_reason="")
    problem = refused.value.by_field["promise_at"]
    here = Speech(zone=timezone(timedelta(hours=1)))
    there = Speech(zone=timezone(timedelta(hours=9)))
    earliest = promises.promise(models()[HERON], shop.now).at
    assert f"{earliest.astimezone(here.zone):%H:%M}" in here.say(problem)
    assert f"{earliest.astimezone(there.zone):%H:%M}" in there.say(problem)
