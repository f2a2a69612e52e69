"""The Catalogue room and identification over HTTP: found, looked at, edited, refused in place."""

from __future__ import annotations

import json
import re
from typing import Any

import pytest
from builders import PLAIN, Shop, templates
from formats.edid_builder import Made
from web.desk import Desk, Sit, code_of, intake_fields, new_intake
from web.test_schema_form import MODELS, fields

from sutura.config import CATALOGUE, SCHEMAS
from sutura.core.matching.judging import Fit
from sutura.formats.pack import schema
from sutura.services import catalogue, matching
from sutura.web.schema_form import draw

RULE = schema(SCHEMAS / "models.schema.json")["properties"]["models"]["items"]
QUILLON = json.loads((CATALOGUE / "models" / "quillon.json").read_text("utf-8"))


def upload(desk: Desk, pack: Any) -> str:
    """Send a pack file as the browser does; the address of the look."""
    desk.get("/catalogue/packs")
    data = {"csrf": desk.hidden("csrf"), "form_key": desk.hidden("form_key")}
    content = pack if isinstance(pack, bytes) else json.dumps(pack).encode()
    answer = desk.client.post("/catalogue/packs/look", data=data, files={"file": ("q.json", content)})
    return str(desk.read(answer).url.path)


@pytest.mark.parametrize(
    ("asked", "there", "gone"),
    [
        ("q=ember", "Quillon Ember S", "Fennick Heron"),
        ("q=qd-44", "Ardale Plain 15", "Fennick Heron"),
        ("maker=Osmere", "Osmere Reed", "Fennick Heron"),
        ("device_class=watch", "Osmere Dial 42", "Osmere Reed"),
        ("family=book-opening phones", "Fennick Heron L", "Fennick Finch"),
        ("family=finch-2-front", "Fennick Finch II", "Fennick Heron"),
        ("construction=fused front, glued on all four edges", "Tarnbeck Slate 11", "Tarnbeck Fold"),
        ("state=template", "Unlisted phone", "Fennick Heron"),
        ("q=zzz", "Nothing in the catalogue is like that", "Fennick Heron"),
        ("page=99", "Nothing in the catalogue", "Fennick Heron"),
        ("page=0", "Fennick Heron", "Nothing"),
    ],
)
def test_models_are_found_by_what_is_asked(desks: Sit, asked: str, there: str, gone: str) -> None:
    page = desks("bram").get(f"/catalogue?{asked}").text
    assert there in page
    assert f">{gone}" not in page


def test_a_models_page_says_what_it_shares_and_what_fits(desks: Sit) -> None:
    page = desks("bram").get("/catalogue/fennick-finch").text
    assert "shares the steps, not the parts" in page
    assert "Finch front with frame" in page
    assert "Finch II front with frame" not in page
    assert "no pick" in desks("bram").get("/catalogue/osmere-dial-42").text


def test_numbers_easily_mixed_up_are_listed(desks: Sit) -> None:
    page = desks("pell").get("/catalogue/mixed").text
    assert "AF1312" in page
    assert "one character apart" in page


def test_a_pack_is_looked_at_then_read_and_a_second_press_does_nothing_more(desks: Sit) -> None:
    ines = desks("ines")
    pack = json.loads(json.dumps(QUILLON))
    pack["models"][0]["minutes"] = 41
    way = upload(ines, pack)
    assert "1 changed, 3 the same." in ines.page
    assert "There would be" in ines.page
    assert catalogue.find_model("quillon-ember").minutes == 30
    token = {
        "csrf": ines.hidden("csrf"),
        "form_key": ines.hidden("form_key"),
        "mark": ines.hidden("mark"),
        "act": "read",
    }
    for _ in range(2):
        assert ines.client.post(way, data=token).status_code == 200
    assert catalogue.find_model("quillon-ember").minutes == 41
    assert "Nothing would change" in ines.client.get(upload(ines, pack)).text


def test_a_wrong_pack_is_shown_with_its_places_and_has_no_button_to_read_it(desks: Sit) -> None:
    ines = desks("ines")
    pack = json.loads(json.dumps(QUILLON))
    pack["models"][3]["face"]["glass"] = {"x": 1}
    upload(ines, pack)
    assert "models[3].face.glass.width" in ines.page
    assert 'value="read"' not in ines.page
    assert "Nothing was written" in ines.page


@pytest.mark.parametrize(("content", "says"), [(b"", "choose a pack file"), (b"\xff\xfe", "UTF-8")])
def test_what_is_no_pack_is_refused_on_the_same_page(desks: Sit, content: bytes, says: str) -> None:
    ines = desks("ines")
    upload(ines, content)
    assert ines.answer.status_code == 422
    assert says in ines.page


def test_a_pack_and_its_schema_can_be_had_as_files(desks: Sit) -> None:
    pell = desks("pell")
    answer = pell.get("/catalogue/packs/tarnbeck.json")
    assert answer.text == (CATALOGUE / "models" / "tarnbeck.json").read_text("utf-8")
    assert "attachment" in answer.headers["content-disposition"]
    assert pell.get("/catalogue/schema/parts.schema.json").json()["title"] == "Sutura parts pack"
    assert pell.get("/catalogue/packs/none.json").status_code == 404
    assert pell.get("/catalogue/schema/..%2fx.schema.json").status_code in (200, 404)


def test_the_counter_sees_no_way_to_change_the_catalogue_and_is_refused_when_it_tries(desks: Sit) -> None:
    pell = desks("pell")
    page = pell.get("/catalogue/quillon-flint").text
    assert "/edit" not in page
    assert "Retire it" not in page
    sent = {"act": "save", "id": "quillon-flint", "form_key": "a-key-of-the-counter"}
    assert pell.post("/catalogue/quillon-flint/edit", **sent).status_code == 403
    assert "Look at it" not in pell.get("/catalogue/packs").text


def edit_form(desk: Desk, model_id: str, **changes: str) -> dict[str, Any]:
    desk.get(f"/catalogue/{model_id}/edit")
    form = dict(fields(draw(dict(catalogue.row(model_id).data), RULE)))
    return {**form, "version": desk.hidden("version"), "act": "save", **changes}


def test_the_form_in_the_page_has_every_field_of_the_model(desks: Sit) -> None:
    bram = desks("bram")
    page = bram.get("/catalogue/ardale-plain-15/edit").text
    names = {name for name, _ in fields(draw(MODELS["ardale-plain-15"], RULE))}
    assert names <= set(re.findall(r'name="([^"]+)"', page))


def test_a_model_is_edited_in_the_browser_by_the_same_rules(desks: Sit) -> None:
    bram = desks("bram")
    form = edit_form(bram, "quillon-sorrel", minutes="soon", **{"acts[0].text": "Cards out first."})
    bram.post("/catalogue/quillon-sorrel/edit", **form)
    assert bram.answer.status_code == 422
    assert "“soon” cannot be taken: write a whole number" in bram.page
    assert "Cards out first." in bram.page
    form["minutes"] = "66"
    bram.post("/catalogue/quillon-sorrel/edit", **form)
    assert bram.answer.url.path == "/catalogue/quillon-sorrel"
    assert "edited" in bram.page
    model = catalogue.find_model("quillon-sorrel")
    assert (model.minutes, model.acts[0].work.text) == (66, "Cards out first.")


def test_rows_are_added_and_taken_out_without_losing_what_was_typed(desks: Sit) -> None:
    bram = desks("bram")
    form = edit_form(bram, "quillon-flint", name="Flint typed", act="add:screws")
    bram.post("/catalogue/quillon-flint/edit", **form)
    assert 'name="screws[1].id"' in bram.page
    assert "Flint typed" in bram.page
    form["act"] = "drop:screws[0]"
    bram.post("/catalogue/quillon-flint/edit", **form)
    assert 'name="screws[0].id"' not in bram.page
    assert catalogue.find_model("quillon-flint").name == "Flint"


def test_a_stale_edit_shows_both_and_the_next_send_keeps_yours(desks: Sit) -> None:
    bram, ines = desks("bram"), desks("ines")
    mine = edit_form(bram, "osmere-reed", minutes="31")
    ines.post("/catalogue/osmere-reed/edit", **edit_form(ines, "osmere-reed", minutes="29"))
    bram.post("/catalogue/osmere-reed/edit", **mine)
    assert bram.answer.status_code == 409
    assert "31" in bram.page
    assert "29" in bram.page
    bram.post("/catalogue/osmere-reed/edit", **{**mine, "version": bram.hidden("version")})
    assert catalogue.find_model("osmere-reed").minutes == 31


def test_retiring_and_bringing_back_from_the_page(desks: Sit) -> None:
    ines = desks("ines")
    ines.get("/catalogue/osmere-dial-42")
    ines.post("/catalogue/osmere-dial-42/state", act="retire")
    assert "Retired" in ines.page
    assert "Bring it back" in ines.page
    assert "Osmere Dial 42" in ines.get("/catalogue?state=retired").text
    ines.get("/catalogue/osmere-dial-42")
    ines.post("/catalogue/osmere-dial-42/state", act="bring-back")
    assert "Retire it" in ines.page


# -- at the counter -----------------------------------------------------------------------------

MEASURES = {
    "measured.device_class": "phone",
    "measured.maker": "Nobody",
    "measured.name": "ZX 9000",
    "measured.width_mm": "70,2",
    "measured.height_mm": "145.6",
    "measured.diagonal_in": "5.8",
    "measured.connector_pins": "40",
}


def test_a_device_in_no_pack_goes_from_its_measures_to_match(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="unlisted", read_number="ZX-9000", **{**MEASURES, "measured.width_mm": "wide"})
    assert pell.answer.status_code == 422
    assert "“wide” cannot be taken" in pell.page
    assert "ZX 9000" in pell.page
    pell.post(way, act="unlisted", read_number="ZX-9000", **MEASURES)
    assert "In no pack: it goes on with what was measured" in pell.page
    answers = {f"function.{function.id}": "works" for function in templates()["unlisted-phone"].functions}
    form = {k: v for k, v in intake_fields().items() if not k.startswith("function.")}
    pell.post(way, **{**form, **answers, **MEASURES, "model_id": "unlisted", "read_number": "ZX-9000"})
    assert "No part that fits is known yet." in pell.page
    pell.post(
        way,
        **{
            **form,
            **answers,
            **MEASURES,
            "model_id": "unlisted",
            "read_number": "ZX-9000",
            "promise_reason": "we call",
        },
    )
    assert pell.answer.url.path.endswith("/ticket")
    code = code_of(pell)
    assert all(offer.judged.fit in (Fit.UNKNOWN, Fit.NOT) for offer in matching.match_page(code).offers)
    assert "not known of this device" in pell.get(f"/jobs/{code}/match").text
    assert "ZX 9000" in pell.get("/catalogue?state=unlisted").text


def test_the_panels_own_word_is_shown_while_the_device_is_taken_in(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose=PLAIN, read_number="QD44")
    hex_text = Made(cm=(34, 19)).bytes().hex()
    kept = pell.post(f"{way}/keep", model_id=PLAIN, read_number="QD44", edid=hex_text).json()
    assert "Another panel is in this device" in kept["panel"]
    assert "Another panel is in this device" in pell.get(way).text
    wrong = pell.post(f"{way}/keep", model_id=PLAIN, read_number="QD44", edid="00 zz").json()
    assert "only 0–9 and a–f" in wrong["panel"]


def test_an_imei_that_begins_like_another_models_is_said_while_typing(desks: Sit) -> None:
    pell = desks("pell")
    way = new_intake(pell)
    pell.post(way, act="keep", choose="fennick-heron", read_number="FH-2107")
    kept = pell.post(f"{way}/keep", model_id="fennick-heron", serial="001022071234564").json()
    assert "belongs to Fennick Heron L" in kept["odd"]
    pell.get(way)
    assert pell.post(f"{way}/keep", model_id="fennick-heron", serial="001021071234566").json()["odd"] == ""


def test_a_scanned_imei_goes_into_the_serial_field_of_the_new_intake(desks: Sit) -> None:
    pell = desks("pell")
    page = pell.get("/scan?q=001021071234566").text
    assert "Fennick Heron" in page
    pell.post("/counter/new", serial="001021071234566")
    pell.post(str(pell.answer.url.path), act="keep", choose="fennick-heron")
    assert 'value="001021071234566"' in pell.page


def test_several_candidates_are_listed_with_what_tells_them_apart(desks: Sit) -> None:
    page = desks("pell").get("/identify?q=AF131").text
    assert 'data-verdict="ambiguous"' in page
    assert "What tells them apart" in page
    assert "two hidden under the feet" in page


@pytest.mark.parametrize(
    "asked", ["%00", "(01)", "]C1", "a" * 500, "'; drop table model", "%E2%82%AC", "|||"]
)
def test_the_scan_field_answers_anything(desks: Sit, floor: Shop, asked: str) -> None:
    assert desks("pell").get(f"/scan?q={asked}").status_code == 200
    assert desks("pell").get(f"/identify?q={asked}").status_code == 200
    assert desks("pell").get(f"/catalogue?q={asked}").status_code == 200


def test_a_new_model_is_made_from_its_nearest_sibling(desks: Sit) -> None:
    ines, pell = desks("ines"), desks("pell")
    assert pell.get("/catalogue/new").status_code == 403
    assert pell.get("/catalogue/fennick-heron/like").status_code == 403
    assert "What is it like?" in ines.get("/catalogue/new").text
    assert "cannot be taken" in ines.get("/catalogue/new?device_class=phone&width_mm=wide&height_mm=1").text
    page = ines.get("/catalogue/new?device_class=phone&maker=Fennick&width_mm=71&height_mm=147").text
    assert page.index("Fennick Heron") < page.index("Fennick Finch II")
    ines.get("/catalogue/fennick-heron/like?width_mm=71&height_mm=147")
    assert 'name="width_mm" value="71"' in ines.page
    form = {name: ines.hidden(name) for name in ("maker", "width_mm", "height_mm", "minutes")}
    ines.post("/catalogue/fennick-heron/like", **form, name="", numbers="WDP-1")
    assert ines.answer.status_code == 422
    assert "WDP-1" in ines.page, "what was entered stays"
    ines.post("/catalogue/fennick-heron/like", **{**form, "maker": ""}, name="Plover", numbers="WDP-1")
    assert 'name="maker" value=""' in ines.page, "what was taken out does not come back"
    wrong = {**form, "name": "Plover", "numbers": "WDP-1", "need.connector_pins": "many"}
    ines.post("/catalogue/fennick-heron/like", **wrong)
    assert "“many” cannot be taken" in ines.page
    ines.post("/catalogue/fennick-heron/like", **form, name="Plover", numbers="WDP-1", features="back: matt")
    assert ines.answer.url.path == "/catalogue/fennick-plover"
    assert "as on the Fennick Heron; nobody has looked here" in ines.page
    assert "pack own-models" in re.sub(r"<[^>]+>", "", ines.page)
    ines.post("/catalogue/fennick-heron/like", **form, name="Plover", numbers="WDP-2")
    assert "there is such a model already" in ines.page
