"""Match as people use it: kits and bridges chosen and held, consents asked, the original measured, parts
learned about.
"""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import timedelta
from typing import Any

import peewee
import pytest
from builders import HERON, NOW, PLAIN, Shop, all_work, models, said, told

from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotAllowed, OutOfStock
from sutura.core.job import Stage
from sutura.core.matching.comparing import Agreement
from sutura.core.matching.judging import Fit, Learned
from sutura.services import catalogue, drafts, handover, intake, known, matching, planning, quoting, stock
from sutura.services import shop as shop_service
from sutura.services.matching import Matched
from sutura.store import consents as consents_store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import stock as stock_store
from sutura.store.database import DATABASE

FOLD, HERON_L, EMBER_S = "tarnbeck-fold-12-g4", "fennick-heron-l", "quillon-ember-s"


def take_in(shop: Shop, model_id: str, **changes: Any) -> str:
    number = models()[model_id].numbers[0].text
    arrival = replace(
        shop.arrival(),
        model_id=model_id,
        read_number=number,
        functions=all_work(models()[model_id]),
        marks=[],
        **changes,
    )
    return intake.take_in(drafts.open_draft(shop.counter, shop.tick()), arrival, shop.counter, shop.tick())


def found(code: str, printed: str) -> Matched:
    return next(
        offer for offer in matching.match_page(code).offers if offer.judged.offer.printed_number == printed
    )


def kit(code: str) -> Matched:
    return next(offer for offer in matching.match_page(code).offers if offer.judged.members)


def held(shop: Shop, code: str) -> set[str]:
    return {one.part for one in stock_store.held_of(shop.job(code).id)}


# -- kits and bridges -------------------------------------------------------------------------------


def test_w03_a_kit_is_chosen_held_fitted_and_leaves_the_shelf_piece_by_piece(shop: Shop) -> None:
    for barcode in ("P-3102", "P-3103", "P-3104"):
        shop.receive(barcode, 1, "10.00")
    code = take_in(shop, FOLD)
    one = kit(code)
    assert one.ranked.wait_days == 0
    members = [member.id for member in one.judged.members]
    matching.choose_offer(code, 0, shop.counter, shop.tick(), members=members)
    job = shop.job(code)
    assert (job.stage, job.chosen.fit, len(job.chosen.more_offers)) == (Stage.QUOTED, "bridged", 2)
    assert job.chosen.extra_minutes == 44
    stock.take_part(code, shop.counter, shop.tick())
    assert held(shop, code) == {
        "Fold 12 gen 4 glass",
        "Fold 12 gen 2 panel",
        "Adapter flex, Fold 12 gen 2 to gen 4",
    }
    assert all(stock_store.load_part(barcode).free == 0 for barcode in ("P-3102", "P-3103", "P-3104"))
    stock.give_back_part(code, shop.counter, shop.tick())
    assert held(shop, code) == set()
    assert stock_store.load_part("P-3104").free == 1


def test_of_a_kit_nothing_is_held_when_one_part_is_gone(shop: Shop) -> None:
    shop.receive("P-3102")
    shop.receive("P-3103")
    code = take_in(shop, FOLD)
    matching.choose_offer(
        code, 0, shop.counter, shop.tick(), members=[member.id for member in kit(code).judged.members]
    )
    waiting = planning.next_page(shop.now, today=(shop.now, shop.now), only_for=None, page=1)
    line = next(line for line in filter(None, [waiting.first, *waiting.lines]) if line.next.code == code)
    assert "Held up: no free Adapter flex, Fold 12 gen 2 to gen 4." in said(line.next.reason)
    with pytest.raises(OutOfStock, match="Adapter flex"), DATABASE.atomic():
        stock.take_part(code, shop.counter, shop.tick())
    assert held(shop, code) == set()
    assert stock_store.load_part("P-3102").free == 1


def test_a_kit_that_is_no_kit_is_refused(shop: Shop) -> None:
    code = take_in(shop, FOLD)
    front = found(code, "TBF12-4-A").judged.offer.id
    with pytest.raises(Invalid, match="complete and fits now"):
        matching.choose_offer(code, 0, shop.counter, shop.tick(), members=[front])


def test_a_declined_job_gives_all_its_parts_back(shop: Shop) -> None:
    for barcode in ("P-3102", "P-3103", "P-3104"):
        shop.receive(barcode)
    code = take_in(shop, FOLD)
    matching.choose_offer(
        code, 0, shop.counter, shop.tick(), members=[member.id for member in kit(code).judged.members]
    )
    stock.take_part(code, shop.counter, shop.tick())
    handover.decline(code, "too dear", shop.counter, shop.tick())
    assert held(shop, code) == set()


# -- consents ---------------------------------------------------------------------------------------


def test_w08_a_part_that_needs_consent_is_chosen_only_when_the_customer_agreed(shop: Shop) -> None:
    code = take_in(shop, EMBER_S)
    other = found(code, "ES-09-Z")
    assert other.judged.fit is Fit.CONSENT
    with pytest.raises(Invalid, match="does not answer the programmer"):
        matching.choose_offer(code, other.judged.offer.id, shop.counter, shop.tick())
    matching.choose_offer(code, other.judged.offer.id, shop.counter, shop.tick(), agreed=True)
    assert any(
        "automatic brightness" in said for said in consents_store.load_consents(shop.job(code).id).values()
    )
    assert shop.job(code).chosen.fit == "consent"


def test_an_unknown_part_asks_for_a_measurement_and_then_fits(shop: Shop) -> None:
    code = take_in(shop, HERON)
    untold = found(code, "ZX-070")
    with pytest.raises(Invalid, match="measure it or ask the supplier"):
        matching.choose_offer(code, untold.judged.offer.id, shop.counter, shop.tick())
    with pytest.raises(Invalid, match="measure at least one thing"):
        matching.measure_part(untold.judged.offer.id, {"connector_pins": " "}, shop.bram, shop.tick())
    matching.measure_part(untold.judged.offer.id, {"connector_pins": "40"}, shop.bram, shop.tick())
    now = found(code, "ZX-070")
    assert now.judged.fit is Fit.FITS
    assert (
        said(
            next(finding for finding in now.judged.findings if finding.attribute == "connector_pins").word_of
        )
        == "measured by Bram"
    )
    matching.measure_part(
        now.judged.offer.id, {"connector_pins": "38", "thickness_mm": "2,7"}, shop.bram, shop.tick()
    )
    assert found(code, "ZX-070").judged.fit is Fit.NOT


# -- the original on the table ----------------------------------------------------------------------


def test_what_the_original_says_counts_for_its_job_alone(shop: Shop) -> None:
    code, other = shop.take_in(PLAIN), shop.take_in(PLAIN)
    confirmed = matching.compare_original(
        code, {"connector_place": "bottom left", "connector_pins": "40"}, [], shop.bram, shop.tick()
    )
    assert [said(one.says) for one in confirmed] == [
        "confirmed",
        "corrected: the catalogue says bottom right",
    ]
    assert found(code, "NV156T-L40").judged.fit is Fit.FITS
    assert found(other, "NV156T-L40").judged.fit is Fit.NOT
    (correction,) = matching.match_page(other).told
    assert (correction.title, correction.measured, correction.jobs) == (
        "Connector place",
        "bottom left",
        (code,),
    )
    assert matching.match_page(code).told == []
    assert catalogue.model_page(PLAIN).told == [correction]
    assert any("corrected" in told(event) for event in job_store.events_page(shop.job(code).id))
    with pytest.raises(ManyInvalid):
        matching.compare_original(code, {"width_mm": "wide"}, [], shop.bram, shop.tick())
    with pytest.raises(Invalid, match="choose among"):
        matching.compare_original(code, {}, ["the moon"], shop.bram, shop.tick())


def test_an_item_broken_on_the_old_screen_is_bought_with_the_part(shop: Shop) -> None:
    shop.receive("P-1001")
    shop.receive("P-7001")
    code = shop.take_in(HERON)
    whole = found(code, "HF-70-R1")
    matching.compare_original(code, {}, ["earpiece module"], shop.bram, shop.tick())
    broken = found(code, "HF-70-R1")
    assert [extra.part for extra in broken.judged.extras] == ["Earpiece module, Heron"]
    assert broken.quote.price.minor > whole.quote.price.minor
    matching.choose_offer(code, broken.judged.offer.id, shop.counter, shop.tick())
    stock.take_part(code, shop.counter, shop.tick())
    assert held(shop, code) == {"Heron front, genuine pulled", "Earpiece module, Heron"}


def test_once_opened_the_original_is_not_measured_again(shop: Shop) -> None:
    shop.receive("P-1001")
    code = shop.opened()
    with pytest.raises(MoveRefused, match="measured"):
        matching.compare_original(code, {"width_mm": "70"}, [], shop.bram, shop.tick())


# -- learned ----------------------------------------------------------------------------------------


def test_a_part_that_was_fitted_and_proved_is_named_by_later_verdicts(shop: Shop) -> None:
    shop.receive("P-1001", 2)
    first = shop.closed()
    part = found(first, "HF-70-R1").judged
    assert [(lesson.outcome, lesson.job) for lesson in part.evidence] == [(Learned.PROVED, first)]
    assert any(
        finding.agreement is Agreement.AGREES and first in said(finding.reason) for finding in part.findings
    )
    assert offers_store.load_offer(part.offer.id).supplier_tried == 1  # type: ignore[union-attr]


def test_a_part_that_did_not_fit_is_refused_on_the_next_job(shop: Shop) -> None:
    code = shop.quoted(PLAIN)
    with pytest.raises(ManyInvalid) as refused:
        known.report_part(code, "maybe", "x", shop.bram, shop.tick())
    assert set(refused.value.by_field) == {"outcome", "part_says"}
    printed = next(
        offer
        for offer in matching.match_page(code).offers
        if offer.judged.offer.id == shop.job(code).chosen.offer_id
    ).judged.offer.printed_number
    known.report_part(code, "did_not_fit", "connector on the other side", shop.bram, shop.tick())
    again = found(shop.take_in(PLAIN), printed)
    assert again.judged.fit is Fit.NOT
    assert f"did not fit on {code}: connector on the other side" in said(again.judged.says)
    with pytest.raises(MoveRefused, match="no part is chosen"):
        known.report_part(shop.take_in(PLAIN), "did_not_fit", "too thick by far", shop.bram, shop.tick())


def test_a_defective_piece_raises_its_suppliers_expected_loss(shop: Shop) -> None:
    code = shop.quoted(HERON)
    offer = offers_store.load_offer(shop.job(code).chosen.offer_id or 0)
    assert offer
    known.report_part(code, "defective", "dead stripe from the start", shop.bram, shop.tick())
    after = offers_store.load_offer(offer.id)
    assert after
    assert (after.supplier_bad - offer.supplier_bad, after.supplier_tried - offer.supplier_tried) == (1, 1)
    assert found(code, offer.printed_number).judged.fit is Fit.FITS


@pytest.mark.parametrize("statement", ["delete from fit_evidence", "update offer_price set price_minor = 1"])
def test_what_was_learned_and_asked_is_not_rewritten(shop: Shop, statement: str) -> None:
    code = shop.quoted(HERON)
    known.report_part(code, "defective", "dead stripe", shop.bram, shop.tick())
    with pytest.raises(peewee.DatabaseError, match="append-only"), DATABASE.atomic():
        DATABASE.execute_sql(statement)


def test_every_price_ever_asked_is_kept(shop: Shop) -> None:
    offer = found(shop.take_in(HERON), "HF-70-R1").judged.offer
    price = offers_store.load_price(offer.id)
    assert price
    quoting.change_offer_price(offer.id, "71.00", price.version, shop.manager, shop.tick())
    assert [line.price_minor for line in offers_store.price_history(offer.id)] == [7_100, 6_000]


# -- without a job, and other routes ------------------------------------------------------------------


def test_what_fits_a_model_is_told_without_a_job(shop: Shop) -> None:
    model, there = matching.match_model(PLAIN, NOW)
    assert model.id == PLAIN
    assert there.offers[0].judged.fit is Fit.FITS
    assert {offer.judged.fit for offer in there.offers} == {Fit.FITS, Fit.NOT}


def test_w15_another_route_has_its_own_offers_and_its_own_time(shop: Shop) -> None:
    code = take_in(shop, "fennick-kite")
    front, glass = matching.match_page(code).offers[0], matching.match_page(code, kind="glass").offers[0]
    assert (front.judged.offer.printed_number, glass.judged.offer.printed_number) == ("KT-71-R3", "KT-71-G1")
    matching.choose_offer(code, glass.judged.offer.id, shop.counter, shop.tick())
    assert shop.job(code).bench.expected_minutes == 95


def test_a_part_that_comes_after_the_promise_costs_more_the_later_it_comes(shop: Shop) -> None:
    soon = take_in(shop, "tarnbeck-slate-11")
    late = take_in(shop, "tarnbeck-slate-11", soonest=False, promise_at=shop.now + timedelta(days=20))

    def past(code: str) -> bool:
        return any("past the promise" in said(line.what) for line in found(code, "S11-F-03").ranked.lines)

    assert (past(soon), past(late)) == (True, False)


def test_the_weights_are_the_managers(shop: Shop) -> None:
    from sutura.core.matching.ranking import Weights, weights_kept
    from sutura.core.maths.money import amount_text

    typed = {name: amount_text(minor, "TAL") for name, minor in weights_kept(Weights()).items()}
    shop_service.change_weights(
        {**typed, "wait_day": "0.00"}, shop_service.shop().version, shop.manager, shop.tick()
    )
    assert shop_service.shop().weights["wait_day"] == 0
    with pytest.raises(NotAllowed):
        shop_service.change_weights(typed, shop_service.shop().version, shop.counter, shop.tick())


def test_a_pack_with_numbers_that_replace_each_other_in_a_ring_is_refused(shop: Shop) -> None:
    from sutura.config import CATALOGUE, SCHEMAS
    from sutura.formats import pack

    raw = json.loads((CATALOGUE / "parts" / "parts.json").read_text("utf-8"))
    raw["interchange"].append({"number": "HF-70-R1", "of": "HF-70-R2", "source": "a slip"})
    with pytest.raises(ManyInvalid) as refused:
        pack.read_parts(json.dumps(raw), SCHEMAS, "parts.json")
    assert "HF-70-R1 → HF-70-R2" in str(refused.value.problems[0])
    assert catalogue.export_pack("parts").count('"interchange"') == 1


def test_it_is_said_when_there_are_more_offers_than_are_judged(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert not matching.match_model(PLAIN, NOW)[1].cut
    monkeypatch.setattr(offers_store, "MAY_FIT", 2)
    assert matching.match_model(PLAIN, NOW)[1].cut


def test_the_time_of_a_kit_is_that_of_the_models_own_route_whatever_its_members_are(shop: Shop) -> None:
    """The Kite has a route of its own for glass alone, at another time."""
    for barcode, attributes in (("P-3103", {"kind": "glass"}), ("P-3102", {"kind": "bare panel"})):
        need = models()["fennick-kite"].need
        fits = {
            name: value
            for name, value in need.items()
            if name not in ("part_family", "printed_number", "kind", "thickness_mm")
        }
        thick = {"thickness_mm": 1.4}
        DATABASE.execute_sql(
            "update part set attributes = %s::jsonb where barcode = %s",
            (json.dumps({**fits, **thick, **attributes}), barcode),
        )
    code = take_in(shop, "fennick-kite")
    matching.choose_offer(
        code, 0, shop.counter, shop.tick(), members=[member.id for member in kit(code).judged.members]
    )
    job = shop.job(code)
    assert job.bench.expected_minutes == models()["fennick-kite"].minutes + job.chosen.extra_minutes
