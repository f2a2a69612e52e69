"""Match and price lists over HTTP: what is shown, refused, kept."""

from __future__ import annotations

import re

import pytest
from builders import HERON, NOW, PLAIN, Shop, models
from web.desk import Answer, Desk, Sit, code_of, intake_fields, new_intake

from sutura.core.job import Stage
from sutura.core.matching.judging import Fit
from sutura.services import matching
from sutura.services.matching import Matched

LIST = "SKU;Category;Printed number;Net price;Pins\nA-1;panel;XP-1;58,00;40\nA-2;panel;XP-2;free;30\n"


def take_in(desk: Desk, model_id: str = HERON, number: str = "FH-2107") -> str:
    fields = {key: value for key, value in intake_fields(model_id).items() if not key.startswith("function.")}
    answers = {f"function.{function.id}": "works" for function in models()[model_id].functions}
    desk.post(
        new_intake(desk),
        **{**fields, **answers, "read_number": number, "promise_reason": "we call", "marks": ""},
    )
    return code_of(desk)


def found(code: str, printed: str) -> Matched:
    return next(
        offer for offer in matching.match_page(code).offers if offer.judged.offer.printed_number == printed
    )


def test_the_best_is_said_first_and_one_is_laid_over_the_need(desks: Sit) -> None:
    pell = desks("pell")
    code = take_in(pell, PLAIN, "QD4417-B2")
    page = pell.get(f"/jobs/{code}/match").text
    assert page.index("15.6-inch glossy touch panel, 40 pins right") < page.index("does not fit")
    assert "Laid over the need: 15.6-inch glossy touch panel" in page
    left = found(code, "NV156T-L40").judged.offer.id
    over = pell.get(f"/jobs/{code}/match?over={left}").text
    assert "Laid over the need: 15.6-inch panel, 40 pins left" in over
    assert "over-connector over-offer over-differs" in over
    assert "needed 101 pixels an inch, offered 101" in over
    assert "scale(-1 1)" in over


def test_two_or_three_offers_stand_side_by_side(desks: Sit) -> None:
    pell = desks("pell")
    code = take_in(pell, PLAIN, "QD4417-B2")
    ids = [offer.judged.offer.id for offer in matching.match_page(code).offers][:4]
    asked = "&".join(f"compare={one}" for one in ids)
    page = pell.get(f"/jobs/{code}/match?{asked}").text
    beside = page[page.index('id="beside"') : page.index('id="offers-head"')]
    assert beside.count('<th scope="col">') == 2 + 3
    assert "30 <span" in beside
    assert 'id="beside"' not in pell.get(f"/jobs/{code}/match?compare={ids[0]}&compare=nonsense").text


def test_a_part_that_needs_consent_is_refused_until_it_is_ticked(desks: Sit) -> None:
    pell = desks("pell")
    code = take_in(pell, "quillon-ember-s", "QE-09S")
    offer = found(code, "ES-09-Z").judged.offer.id
    assert "I agree to this part although it differs" in pell.get(f"/jobs/{code}/match").text
    pell.post(f"/jobs/{code}/match/choose", offer=offer)
    assert pell.answer.status_code == 422
    assert "the customer must agree first" in pell.page
    pell.get(f"/jobs/{code}/match")
    pell.post(f"/jobs/{code}/match/choose", offer=offer, agreed="yes")
    assert "A part is chosen" in pell.page
    assert "automatic brightness" in pell.get(f"/jobs/{code}/ticket").text


def test_the_original_is_compared_and_a_wrong_measurement_keeps_the_others(desks: Sit) -> None:
    bram, pell = desks("bram"), desks("pell")
    code = take_in(pell, PLAIN, "QD4417-B2")
    bram.get(f"/jobs/{code}/match")
    bram.post(f"/jobs/{code}/match/original", **{"measured.width_mm": "wide", "measured.touch": "integrated"})
    assert bram.answer.status_code == 422
    assert "“wide”" in bram.page
    assert re.search(r'name="measured.touch" value="integrated"', bram.page)
    bram.get(f"/jobs/{code}/match")
    bram.post(
        f"/jobs/{code}/match/original",
        **{"measured.connector_place": "bottom left", "destroyed": ["panel tape"]},
    )
    assert "corrected: the catalogue says bottom right" in bram.page
    assert "Broken on the old screen: panel tape" in bram.page


def test_an_unknown_part_is_measured_where_it_is_shown(desks: Sit) -> None:
    bram, pell = desks("bram"), desks("pell")
    code = take_in(pell)
    offer = found(code, "ZX-070").judged.offer.id
    page = bram.get(f"/jobs/{code}/match").text
    assert "Measure this part, or ask the supplier" in page
    bram.post(f"/jobs/{code}/match/measure", **{"offer": offer, "part.connector_pins": "some"})
    assert bram.answer.status_code == 422
    assert 'name="part.connector_pins" value="some"' in bram.page
    assert 'id="e-part.connector_pins"' in bram.page
    bram.post(f"/jobs/{code}/match/measure", **{"offer": offer, "part.connector_pins": "40"})
    assert "measured by Bram" in bram.page


def test_a_part_is_measured_on_the_shelf_as_it_comes_in(desks: Sit) -> None:
    bram = desks("bram")
    assert "Measure it" in bram.get("/shelf/P-1002").text
    bram.post("/shelf/P-1002/measure", **{"measured.width_mm": "wide", "measured.touch": "none"})
    assert bram.answer.status_code == 422
    assert 'value="none"' in bram.page
    bram.get("/shelf/P-1002")
    bram.post("/shelf/P-1002/measure", **{"measured.width_mm": "71,4"})
    assert "<strong>71.4</strong>" in bram.page
    there = matching.match_model(HERON, NOW)[1].offers
    assert next(one for one in there if one.judged.offer.printed_number == "HF-70-R2").judged.fit is Fit.NOT


def test_a_part_is_reported_from_match(desks: Sit) -> None:
    pell = desks("pell")
    code = take_in(pell)
    pell.get(f"/jobs/{code}/match")
    pell.post(f"/jobs/{code}/match/choose", offer=found(code, "HF-70-R1").judged.offer.id)
    pell.post(f"/jobs/{code}/match/report", outcome="defective", part_says="")
    assert pell.answer.status_code == 422
    pell.get(f"/jobs/{code}/match")
    pell.post(f"/jobs/{code}/match/report", outcome="defective", part_says="dead stripe from the start")
    assert f"Learned on {code}: was defective, dead stripe from the start" in pell.page


def test_somebody_on_the_phone_is_answered_without_a_job(desks: Sit) -> None:
    pell = desks("pell")
    assert "/match/model/ardale-plain-15" in pell.get("/match?q=O044I7").text
    assert "/match/model/ardale-plain-15" in pell.get("/match/find?q=QD44").text
    page = pell.get("/match/model/ardale-plain-15").text
    assert "Ardale Plain 15: can we fix it?" in page
    assert "/match/choose" not in page
    assert pell.get("/match/model/nobody").status_code == 404


def test_another_route_is_one_click_away(desks: Sit) -> None:
    pell = desks("pell")
    page = pell.get("/match/model/fennick-kite").text
    assert 'href="/match/model/fennick-kite?kind=glass"' in page
    assert "Kite glass alone" in pell.get("/match/model/fennick-kite?kind=glass").text


def test_a_technician_sees_verdicts_and_no_cost(desks: Sit) -> None:
    bram = desks("bram")
    page = bram.get("/match/model/ardale-plain-15").text
    assert "costs us" not in page
    assert "to a finished job" not in page


def test_the_weights_are_shown_and_changed_in_the_book(desks: Sit) -> None:
    ines = desks("ines")
    page = ines.get("/book").text
    given = dict(re.findall(r'name="(weight\.[^"]*)" value="([^"]*)"', page))
    version = re.search(r'action="/book/weights".*?name="_version" value="(\d+)"', page, re.S)
    assert version
    ines.post("/book/weights", version=version[1], **{**given, "weight.wait_day": "much"})
    assert ines.answer.status_code == 422
    assert "“much”" in ines.page
    ines.get("/book")
    ines.post("/book/weights", version=version[1], **{**given, "weight.wait_day": "4.50"})
    assert "A day of waiting for a part 4.50 TAL" in ines.get("/match/model/ardale-plain-15").text


# -- price lists ----------------------------------------------------------------------------------------


def send(desk: Desk, content: bytes, **fields: str) -> Answer:
    desk.get("/shelf/lists")
    data = {"csrf": desk.hidden("csrf"), "form_key": desk.hidden("form_key"), **fields}
    return desk.read(desk.client.post("/shelf/lists", data=data, files={"file": ("june.csv", content)}))


def test_a_list_is_sent_looked_at_and_its_bad_rows_written(desks: Sit) -> None:
    ines = desks("ines")
    answer = send(ines, LIST.encode("cp1252"), new_supplier="Hollow Yard")
    assert answer.status_code == 200
    way = answer.url.path
    assert "<strong>1</strong> good rows: 1 new" in ines.page
    assert "“free” cannot be taken" in ines.page
    assert "decimal sign" in ines.page
    bad = ines.client.get(f"{way}/bad.csv").text
    assert bad.splitlines()[1].startswith('3,"“free” cannot be taken')
    ines.get(way)
    ines.post(f"{way}/columns", **{"map.number": "SKU", "map.price": "Pins", "same.kind": "glass"})
    assert "<strong>2</strong> good rows: 2 new" in ines.page
    ines.post(f"{way}/columns", **{"map.number": "SKU", "map.price": "SKU", "same.grade": "copy"})
    assert 'name="same.grade" value="copy"' in ines.page
    assert ines.answer.status_code == 422
    assert "choose the column for “Kind of part”" in ines.page


def test_what_is_no_list_is_refused_and_the_name_stays(desks: Sit) -> None:
    ines = desks("ines")
    send(ines, b"\x89PNG\x00\x00", new_supplier="Quiet Lane")
    assert ines.answer.status_code == 422
    assert "this one is neither" in ines.page
    assert 'value="Quiet Lane"' in ines.page
    send(ines, b"", new_supplier="Quiet Lane")
    assert "heading row" in ines.page


def test_only_the_manager_sees_price_lists(desks: Sit) -> None:
    pell = desks("pell")
    for way in ("/shelf/lists", "/shelf/lists/1", "/shelf/suppliers/millrace/list.csv"):
        assert pell.get(way).status_code == 403
    assert desks("ines").get("/shelf/lists/999999").status_code == 404


def test_a_suppliers_offers_are_written_as_a_list(desks: Sit) -> None:
    text = desks("ines").client.get("/shelf/suppliers/millrace/list.csv").text
    assert text.splitlines()[0].startswith("Supplier's number,Price of one piece,Name,Kind of part")
    assert "MR-4410,60.00" in text


def test_the_progress_of_a_list_is_told(desks: Sit) -> None:
    ines = desks("ines")
    way = send(ines, LIST.encode(), new_supplier="Far Wharf").url.path
    said = ines.client.get(f"{way}/progress").json()
    assert said == {"state": "checked", "done": 2, "total": 2, "says": "2 of 2 rows", "at_it": False}
    ines.get(way)
    ines.post(f"{way}/read")
    assert "It is being read" in ines.page
    assert 'data-state="reading"' in ines.page


def test_numbers_that_stand_in_are_listed(desks: Sit) -> None:
    page = desks("bram").get("/catalogue/mixed").text
    assert "KT-71-R2" in page
    assert "the newer sensor cable is used" in page


def test_what_was_asked_before_stands_beside_the_price(desks: Sit, floor: Shop) -> None:
    ines = desks("ines")
    offer = found(take_in(desks("pell")), "HF-70-R2").judged.offer.id
    page = ines.get(f"/book/prices/{offer}").text
    assert "What they asked before" in page
    assert "74.00 TAL" in page


@pytest.mark.parametrize(
    "path",
    [
        "/match?q=%00",
        "/match/model/ardale-plain-15?over=x&compare=%00&kind=nothing",
        "/match/find?q=" + "9" * 300,
    ],
)
def test_odd_addresses_of_match_are_answered(desks: Sit, path: str) -> None:
    assert desks("pell").get(path).status_code == 200


def test_a_part_that_lies_free_is_chosen_and_held_in_one_press(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    pell = desks("pell")
    code = take_in(pell)
    pell.get(f"/jobs/{code}/match")
    assert "and hold it" in pell.page
    assert "Heron L front" not in pell.page, "fronts of other models are listed only when asked for"
    offer = pell.hidden("offer")
    pell.post(f"/jobs/{code}/match/choose", offer=offer, hold="yes")
    # nobody has it yet: who does it is asked next
    assert pell.answer.url.path == f"/jobs/{code}/assign"
    assert "held for this job" in pell.page
    assert floor.job(code).stage is Stage.PART_IN_HAND
    pell.get(f"/jobs/{code}/match")
    assert "held for this job" in pell.page


def test_the_ways_of_a_job_are_compared_and_one_is_chosen(desks: Sit, floor: Shop) -> None:
    floor.receive("P-1001")
    code = floor.take_in()
    pell = desks("pell")
    pell.get(f"/jobs/{code}/routes")
    assert "Ways to repair it" in pell.page
    assert "Choose it and hold the part" in pell.page
    # what is left is for those who may see cost
    assert "a bench hour before the work" not in pell.page
    refused = pell.post(f"/jobs/{code}/routes", way="solder")
    assert refused.status_code == 422
    ways = re.findall(r'name="_way" value="([^"]+)"', pell.page)
    pell.post(f"/jobs/{code}/routes", way=ways[0], agreed="yes")
    assert floor.job(code).stage is Stage.PART_IN_HAND
    ines = desks("ines")
    ines.get(f"/jobs/{floor.take_in()}/routes")
    assert "a bench hour before the work" in ines.page
    assert "price-steps" in ines.page


def test_prices_are_made_as_the_policy_says_after_it_was_tried(desks: Sit, floor: Shop) -> None:
    code = floor.quoted()
    agreed = floor.job(code).chosen.price_minor
    ines = desks("ines")
    ines.get("/book/policy")
    fields = dict(re.findall(r'name="([a-z][a-z0-9_.]*)"[^>]*value="([^"]*)"', ines.page))
    typed = {
        **{name: value for name, value in fields.items() if name not in ("csrf", "form_key", "tax_included")},
        "ending": "9",
        "minimum": "900",
    }
    version = ines.hidden("version")
    ines.post("/book/policy/try", _version=version, **typed)
    # at least 900 before a fifth of tax: 1080, up to the next that ends in nine
    assert "1089.00" in ines.page
    assert floor.job(code).chosen.price_minor == agreed
    bad = ines.post("/book/policy/try", _version=version, **{**typed, "minimum": "dear"})
    assert bad.status_code == 422
    assert 'value="dear"' in ines.page
    ines.get("/book/policy")
    ines.post("/book/policy", _version=ines.hidden("version"), **typed)
    assert 'value="900.00"' in ines.page
    stale = ines.post("/book/policy", _version=version, **typed)
    assert stale.status_code == 409
    again = floor.quoted()
    assert (floor.job(again).chosen.price_minor or 0) % 1000 == 900
    assert floor.job(code).chosen.price_minor == agreed
    pell = desks("pell")
    assert pell.get("/book/policy").status_code == 403


def test_can_we_fix_this_is_answered_on_the_phone_by_two_questions(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    pell.get("/match/model/fennick-kite?glass=broken&image=fine")
    assert "Two questions" in pell.page
    assert "pays while it succeeds more than" in pell.page
    assert "Choose it and hold" not in pell.page
    pell.get("/match/model/fennick-kite?glass=broken&image=blotch")
    pell.get("/match/model/fennick-kite?glass=shattered")
    assert "not asked" in pell.page
