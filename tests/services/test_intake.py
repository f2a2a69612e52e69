"""Intake as the counter does it: work samples taken in, consents in versions, customers made one, exported,
erased.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from typing import Any

import peewee
import pytest
from builders import HERON, Shop, all_work, crack, impact, models, said, told
from formats.test_photo import picture

from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, NotFound, StaleSave
from sutura.core.intake.customers import plain_phone
from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.intake.opening import CUPS_MM, plan_opening
from sutura.core.job import JobRecord
from sutura.core.maths.geometry import Point
from sutura.core.values import Outcome
from sutura.services import consents, customers, drafts, handover, intake, planning, promises
from sutura.services import shop as shop_service
from sutura.services.marks import marks_of
from sutura.store import consents as consents_store
from sutura.store import customers as customers_store
from sutura.store import intake as store
from sutura.store import job as job_store
from sutura.store import photos as photos_store
from sutura.store.database import DATABASE


def mark(kind: MarkKind, *points: tuple[float, float], **more: Any) -> Mark:
    return Mark(kind=kind, points=tuple(Point(x=x, y=y) for x, y in points), **more)


def take_in(shop: Shop, model_id: str, **changes: Any) -> JobRecord:
    """Any model of the catalogue, everything working unless said otherwise."""
    plain = replace(shop.arrival(), model_id=model_id, functions=all_work(models()[model_id]), marks=[])
    draft = drafts.open_draft(shop.counter, shop.tick())
    return shop.job(intake.take_in(draft, replace(plain, **changes), shop.counter, shop.tick()))


def untestable(model_id: str, why: str) -> dict[str, tuple[str, str]]:
    return {function.id: ("not_testable", why) for function in models()[model_id].functions}


# -- the work samples, taken in (common practice, no source) ------------------------------------


def test_w01_opened_before_is_recorded_and_asked_about_first(shop: Shop) -> None:
    job = take_in(shop, HERON, opened_before=True, marks=[crack((5, 5), (40, 90))])
    assert job.arrival.opened_before
    found = diagnose(job.arrival.look)
    assert said(found.routes[0]) == "glass only"
    assert job.arrival.look["earlier"] == "yes"


def test_w02_black_with_a_green_line_and_a_flat_battery(shop: Shop) -> None:
    job = take_in(
        shop,
        "fennick-heron-l",
        functions=untestable("fennick-heron-l", "battery flat"),
        look={"battery": "flat", "image": "thread"},
        marks=[mark(MarkKind.LINE, (10, 12), (66, 12))],
        channel="waiting",
    )
    found = diagnose(job.arrival.look)
    assert "Suspected: panel" in said(found.says)
    assert "Charge it first" in found.first[0]
    assert {result.outcome.value for result in store.load_results(job.id)[0].values()} == {"not_testable"}


def test_w04_a_screw_that_is_missing_on_arrival_is_not_blamed_on_the_bench(shop: Shop) -> None:
    gone = mark(MarkKind.SCREW, (14, 98), side=Side.BACK, note="missing on arrival")
    job = take_in(shop, "bramling-pocket", marks=[gone], accessories=[("Memory card", "tray 2")])
    assert marks_of(job) == [gone]
    plan = plan_opening(marks_of(job), models()["bramling-pocket"].face)
    top = next(edge_plan for edge_plan in plan.edges if edge_plan.edge == "top")
    assert min(s.depth_mm for s in top.stretches) < 3.2
    assert any("missing screw" in told(event) for event in job_store.events_page(job.id))


def test_w05_a_parcel_has_its_condition_and_its_way_back(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        take_in(shop, "ardale-foil-13-mid", channel="mail")
    assert {"arrival.parcel_state", "arrival.return_address"} <= set(refused.value.by_field)
    how = {"parcel_state": "dented", "return_address": "9 Quay Lane, Port Averil", "parcel_number": "PA 1"}
    job = take_in(shop, "ardale-foil-13-mid", channel="mail", how=how)
    assert said(job.arrival.how["parcel_state"]) == "dented"


def test_w11_a_tripped_indicator_on_the_back_limits_the_promise(shop: Shop) -> None:
    tripped = mark(MarkKind.LIQUID, (30, 60), side=Side.BACK, note="tripped")
    job = take_in(shop, "fennick-wren", marks=[tripped], look={"liquid": "tripped"})
    assert "not promised" in diagnose(job.arrival.look).warnings[0]


def test_w13_bars_only_in_the_photo_are_no_fault(shop: Shop) -> None:
    job = take_in(shop, "quillon-flint", look={"image": "lines", "camera": "yes"})
    assert said(diagnose(job.arrival.look).routes) == "no fault found"


def test_w15_glass_broken_twice_with_image_and_touch_fine_is_glass_only(shop: Shop) -> None:
    job = take_in(shop, "fennick-kite", marks=[impact(20, 30, 9), impact(50, 110, 7)])
    found = diagnose(job.arrival.look)
    assert said(found.routes) == "glass only, whole front"
    assert "Faulty: glass" in said(found.says)


def test_w20_a_dead_touch_on_the_watch_is_the_touch_layer_or_its_connector(shop: Shop) -> None:
    functions = all_work(models()["osmere-dial-42"]) | {"touch": ("faulty", "dead")}
    job = take_in(shop, "osmere-dial-42", functions=functions, look={"touch": "dead"})
    assert "touch" in said(diagnose(job.arrival.look).says)
    assert "right" not in plan_opening([], models()["osmere-dial-42"].face).order


def test_an_answer_that_is_none_is_refused_with_its_field(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        take_in(shop, HERON, look={"image": "purple"})
    assert "look.image" in refused.value.by_field


def test_a_mark_on_the_wrong_side_is_refused_with_its_place(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        take_in(shop, HERON, marks=[mark(MarkKind.PIXEL, (3, 3), side=Side.BACK)])
    assert "marks[0]" in refused.value.by_field


# -- photos -----------------------------------------------------------------------------------


def test_photos_of_an_intake_become_those_of_its_job(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.tick())
    drafts.add_photo(draft, picture(), "the corner", "m1", shop.counter, shop.tick())
    (photo,) = photos_store.draft_photos(draft)
    assert photo.mark == "m1"
    code = intake.take_in(draft, shop.arrival(), shop.counter, shop.tick())
    assert photos_store.job_photos(shop.job(code).id) == [photo]
    assert photos_store.draft_photos(draft) == []
    assert photos_store.load_photo(photo.id, small=True)


def test_a_broken_photo_changes_nothing_and_too_many_are_refused(shop: Shop) -> None:
    draft = drafts.open_draft(shop.counter, shop.tick())
    with pytest.raises(Invalid):
        drafts.add_photo(draft, b"not a photo", "", "", shop.counter, shop.tick())
    for _ in range(12):
        drafts.add_photo(draft, picture(), "", "", shop.counter, shop.tick())
    with pytest.raises(Invalid, match="as many as an intake holds"):
        drafts.add_photo(draft, picture(), "", "", shop.counter, shop.tick())
    drafts.discard_draft(draft, shop.counter)
    assert photos_store.draft_photos(draft) == []


# -- consents ---------------------------------------------------------------------------------


def test_a_job_keeps_the_words_that_were_agreed_to(shop: Shop) -> None:
    before = shop.take_in()
    data = next(consent for consent in consents.consents() if consent.id == "data")
    new = "All data on it may be lost; I keep my own copy."
    consents.save_consent(
        "data", new, needed=True, active=True, version=data.version, by=shop.manager, now=shop.tick()
    )
    after = shop.take_in()
    texts = [consents_store.load_consents(shop.job(code).id)["data"] for code in (before, after)]
    assert texts == [data.text, new]
    with pytest.raises(StaleSave):
        consents.save_consent(
            "data",
            "Older words than these.",
            needed=True,
            active=True,
            version=data.version,
            by=shop.manager,
            now=shop.tick(),
        )


def test_a_new_text_that_is_needed_is_asked_of_the_next_intake_and_not_of_jobs_before(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.take_in()
    consents.save_consent(
        "battery",
        "The battery may be replaced when it is swollen.",
        needed=True,
        active=True,
        version=0,
        by=shop.manager,
        now=shop.tick(),
    )
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in()
    assert "consent.battery" in refused.value.by_field
    shop.choose(code)
    assert shop.take_in(consents=["data", "splash", "parts", "battery"])


def test_only_a_manager_changes_what_customers_agree_to_and_no_version_is_rewritten(shop: Shop) -> None:
    with pytest.raises(NotAllowed):
        consents.save_consent(
            "data",
            "Words of the counter.",
            needed=True,
            active=True,
            version=1,
            by=shop.counter,
            now=shop.tick(),
        )
    with pytest.raises(ManyInvalid):
        consents.save_consent(
            "Bad Name", "short", needed=True, active=True, version=0, by=shop.manager, now=shop.tick()
        )
    with pytest.raises(peewee.DatabaseError, match="append-only"), DATABASE.atomic():
        DATABASE.execute_sql("update consent_text set text = 'other words'")


# -- customers ----------------------------------------------------------------------------------


@pytest.mark.parametrize("typed", ["+44 20 7946 0018", "0044 (0)20 7946-0018", "020 7946 0018", "79460018"])
def test_a_customer_is_found_however_the_number_is_written(shop: Shop, typed: str) -> None:
    """The drama numbers 020 7946 0xxx are set aside for fiction (published by the numbering authority, from
    memory: sure).
    """
    shop.take_in(phone="+44 20 7946 0018", name="Tobin Marsk")
    assert [customer.name for customer in customers.find_customers(typed)] == ["Tobin Marsk"]


def test_an_orders_number_is_no_part_of_a_telephone_number(shop: Shop) -> None:
    """Nor is what noughts alone leave: they stand before anybody's."""
    shop.take_in(phone="555 0101")
    assert customers.find_customers("0101")
    for typed in ("o-00101", "o-00005", "00005", "0001"):
        assert customers.find_customers(typed) == []


def test_two_records_of_one_person_become_one_and_no_job_is_lost(shop: Shop) -> None:
    first, second = (
        shop.take_in(phone="+44 20 7946 0018"),
        shop.take_in(phone="020 7946 0018", name="O. Venn", email="o@venn.example"),
    )
    keep, other = shop.job(first).customer_id, shop.job(second).customer_id
    record = customers_store.load_customer(keep)
    assert record
    assert [(one.id, said(why)) for one, why in customers.perhaps_same(record)] == [
        (other, "the same phone number")
    ]
    customers.merge_customers(keep, other, shop.counter, shop.tick())
    assert {job.code for job in customers_store.customer_jobs(keep)} == {first, second}
    assert customers_store.customer_jobs(other) == []
    merged = customers_store.load_customer(keep)
    assert merged
    assert merged.email == "o@venn.example"
    assert [customer.id for customer in customers.find_customers("venn")] == [keep]
    assert "became part of" in " ".join(told(event) for event in job_store.events_page(shop.job(second).id))
    with pytest.raises(Invalid):
        customers.merge_customers(keep, keep, shop.counter, shop.tick())
    with pytest.raises(NotFound):
        customers.merge_customers(keep, 10**9, shop.counter, shop.tick())


def test_an_erased_customer_leaves_the_figures_and_nothing_else(shop: Shop) -> None:
    shop.receive("P-1001")
    came = [("SIM tray", "tray 3")]
    code = shop.closed(serial="SN-77-X", complaint="dropped by Orla at home", accessories=came)
    customer = shop.job(code).customer_id
    with pytest.raises(Invalid, match="hand these devices back first"):
        customers.erase_customer(customer, "Orla Venn", shop.manager, shop.tick())
    shop.hand_back(code)
    exported = customers.export_customer(customer, shop.manager, shop.now)
    assert exported["customer"] == {"name": "Orla Venn", "phone": "555 0101", "email": "", "note": ""}
    jobs: Any = exported["jobs"]
    [job_exported] = jobs
    assert (job_exported["code"], job_exported["accessories"]) == (code, ["SIM tray"])
    assert len(job_exported["agreed"]) == len(consents.consents())
    assert job_exported["photos"] == 0
    with pytest.raises(Invalid, match="type the name as it stands"):
        customers.erase_customer(customer, "orla", shop.manager, shop.tick())
    customers.erase_customer(customer, "Orla Venn", shop.manager, shop.tick())
    job = shop.job(code)
    assert (job.customer_name, job.customer_phone, job.arrival.serial, job.arrival.complaint) == (
        "erased",
        "",
        "",
        "",
    )
    assert job.chosen.price_minor
    assert customers.find_customers("Orla") == []


def test_erasing_reaches_every_record_that_was_made_one_with_it_and_the_signature(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    ink = [[(1.0, 2.0), (30.0, 40.0)]]
    codes = [
        shop.closed(signature=ink),
        shop.take_in(name="Orla V.", phone="555 0999"),
        shop.take_in(name="O. Venn", email="o@venn.example"),
    ]
    first, second, third = (shop.job(code).customer_id for code in codes)
    customers.merge_customers(second, third, shop.counter, shop.tick())
    customers.merge_customers(first, second, shop.counter, shop.tick())
    shop.hand_back(codes[0])
    for code in codes[1:]:
        handover.decline(code, "too dear", shop.counter, shop.tick())
        handover.return_unrepaired(code, returned=[], explanation="", by=shop.counter, now=shop.tick())
    customers.erase_customer(first, "Orla Venn", shop.manager, shop.tick())
    left = DATABASE.execute_sql(
        "select name || phone || email || phone_plain from customer where id = any(%s)",
        ([first, second, third],),
    )
    assert {row[0] for row in left} == {"erased"}
    assert "signature" not in shop.job(codes[0]).arrival.how
    history = [told(event) for code in codes for event in job_store.events_page(shop.job(code).id)]
    assert not [one for one in history if "Venn" in one or "Orla" in one]


def test_only_a_manager_exports_or_erases(shop: Shop) -> None:
    customer = shop.job(shop.take_in()).customer_id
    for act in (
        lambda: customers.export_customer(customer, shop.counter, shop.now),
        lambda: customers.erase_customer(customer, "x", shop.counter, shop.tick()),
    ):
        with pytest.raises(NotAllowed):
            act()


@pytest.mark.parametrize(
    ("typed", "plain"),
    [
        ("555 01-01", "5550101"),
        ("+1 (202) 555-0143", "12025550143"),
        ("0033 1 99 00 12 34", "33199001234"),
        ("+nonsense", ""),
        ("", ""),
    ],
)
def test_numbers_are_brought_into_one_form_by_the_library(typed: str, plain: str) -> None:
    assert plain_phone(typed) == plain


# -- looked at again (rule intake.again) --------------------------------------------------------


def test_w02_what_a_flat_battery_hid_is_tried_again_after_charging(shop: Shop) -> None:
    job = take_in(
        shop,
        "fennick-heron-l",
        functions=untestable("fennick-heron-l", "battery flat"),
        look={"battery": "flat", "image": "none"},
    )
    tried = {"image": ("faulty", "black, one thin green line"), "touch": ("works", "")}
    intake.look_again(job.code, {"battery": "ok", "image": "thread"}, tried, shop.bram, shop.tick())
    baseline = store.load_results(job.id)[0]
    assert (baseline["image"].outcome, baseline["touch"].outcome) == (Outcome.FAULTY, Outcome.WORKS)
    assert baseline["earpiece"].outcome is Outcome.NOT_TESTABLE
    assert "Suspected: panel" in said(diagnose(shop.job(job.code).arrival.look).says)
    with pytest.raises(ManyInvalid) as refused:
        intake.look_again(job.code, {}, {"touch": ("faulty", "dead")}, shop.bram, shop.tick())
    assert "as it was found on arrival" in str(refused.value.problems[0])
    kept = DATABASE.execute_sql(
        "select outcome from function_result where job_id = %s and function = 'touch' order by again",
        (job.id,),
    )
    assert [outcome for (outcome,) in kept] == ["not_testable", "works"]


def test_once_opened_the_state_on_arrival_stays(shop: Shop) -> None:
    shop.receive("P-1001")
    functions = all_work(models()[HERON])
    first = next(iter(functions))
    code = shop.opened(functions={**functions, first: ("not_testable", "locked")})
    with pytest.raises(MoveRefused, match="looked at again"):
        intake.look_again(code, {}, {first: ("works", "")}, shop.bram, shop.tick())
    with pytest.raises(peewee.IntegrityError, match="opened"), DATABASE.atomic():
        DATABASE.execute_sql(
            "insert into function_result (job_id, attempt, function, outcome, person_id, at, again)"
            " select id, 0, %s, 'works', received_by_id, now(), 1 from job where code = %s",
            (first, code),
        )


# -- what can be promised -----------------------------------------------------------------------


def test_a_part_on_the_shelf_is_promised_in_hours_and_one_to_be_ordered_in_days(shop: Shop) -> None:
    model = models()[HERON]
    ordered = promises.promise(model, shop.now)
    assert ordered.sure
    assert "To be ordered" in said(ordered.reasons[0])
    shop.receive("P-1001")
    here = promises.promise(model, shop.now)
    assert "On the shelf" in said(here.reasons[0])
    assert "Bram" in said(here.reasons[1])
    assert ordered.at - here.at > timedelta(hours=20)


def test_the_work_that_is_there_already_is_waited_for_when_it_cannot_wait(shop: Shop) -> None:
    shop.receive("P-1001", 3)
    model = models()[HERON]
    free = promises.promise(model, shop.now)
    for _ in range(2):
        code = shop.take_in(promise_at=shop.now + timedelta(minutes=20), soonest=False)
        for name in ("bram", "lio"):
            planning.assign(code, shop.people[name].id, shop.manager, shop.tick())
    for _ in range(2):
        code = shop.take_in(promise_at=shop.now + timedelta(minutes=20), soonest=False)
        planning.assign(code, shop.bram.id, shop.manager, shop.tick())
    busy = promises.promise(model, shop.now)
    assert busy.at > free.at


def test_where_nobody_is_trained_a_promise_needs_its_reason(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        take_in(shop, "osmere-dial-42", promise_reason="")
    assert "Nobody here is trained" in str(refused.value.problems[0])
    assert take_in(shop, "osmere-dial-42", promise_reason="Ines does it herself").promise_reason


# -- the Counter's own tools --------------------------------------------------------------------


def test_the_opening_plan_places_only_cups_the_shop_has(shop: Shop) -> None:
    assert consents.cups_mm() == CUPS_MM
    version = shop_service.shop().version
    consents.change_cups("25 mm, 18", version, shop.manager, shop.tick())
    assert consents.cups_mm() == (18, 25)
    plan = plan_opening([], models()[HERON].face, consents.cups_mm())
    assert plan.cup
    assert plan.cup.diameter_mm == 25
    with pytest.raises(StaleSave):
        consents.change_cups("30", version, shop.manager, shop.tick())
    for wrong in ("", "big", "20 and 30", "5", "1,2,3,4,5,6,7,8,9"):
        with pytest.raises(Invalid):
            consents.change_cups(wrong, version + 1, shop.manager, shop.tick())
    with pytest.raises(NotAllowed):
        consents.change_cups("30", version + 1, shop.counter, shop.tick())


def test_someone_who_was_here_before_is_suggested_while_typing(shop: Shop) -> None:
    shop.take_in(name="Orla Venn", phone="+44 20 7946 0018", email="orla@venn.example")
    assert [said(why) for _, why in customers.perhaps_typed("O. Venn", "020 7946 0018", "")] == [
        "the same phone number"
    ]
    assert [said(why) for _, why in customers.perhaps_typed("orla  venn", "", "")] == []
    assert [said(why) for _, why in customers.perhaps_typed("orla venn", "", "")] == ["the same name"]
    assert [said(why) for _, why in customers.perhaps_typed("", "", "ORLA@venn.example")] == [
        "the same email"
    ]
    assert customers.perhaps_typed("", " ", "") == []
