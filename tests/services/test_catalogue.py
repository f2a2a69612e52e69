"""The catalogue as people use it: packs looked at and read, models edited and retired, devices in no pack."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import peewee
import pytest
from builders import HERON, Shop, models, offer, person, said, templates, told
from formats.edid_builder import Made

from sutura.config import CATALOGUE
from sutura.core.catalogue.packs import Change
from sutura.core.catalogue.unlisted import Measured
from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound, StaleSave
from sutura.core.identify.reading import Verdict
from sutura.core.matching.judging import Fit
from sutura.core.matching.wanted import wanted_of
from sutura.core.values import Role
from sutura.services import bench, catalogue, drafts, identify, intake, matching
from sutura.store import catalogue as store
from sutura.store import job as job_store
from sutura.store.database import DATABASE

EMBER = "quillon-ember"
MEASURED = Measured(
    maker="Nobody",
    name="ZX 9000",
    device_class="phone",
    width_mm=70.2,
    height_mm=145.6,
    diagonal_in=5.8,
    connector_pins=40,
)


def quillon(change: Callable[[dict[str, Any]], object] = dict.copy) -> bytes:
    pack = json.loads((CATALOGUE / "models" / "quillon.json").read_text("utf-8"))
    change(pack)
    return json.dumps(pack).encode()


def look(shop: Shop, file: bytes) -> catalogue.Look:
    return catalogue.look(catalogue.look_at_pack("q.json", file, shop.manager, shop.tick()), shop.manager)


def read(shop: Shop, file: bytes) -> dict[str, Change]:
    seen = look(shop, file)
    plan = catalogue.read_look(seen.id, seen.mark, shop.manager, shop.tick())
    return {planned.id: planned.change for planned in plan.planned}


def slower(pack: dict[str, Any]) -> None:
    pack["models"][0]["minutes"] = 44


def without_first(pack: dict[str, Any]) -> None:
    del pack["models"][0]


# -- reading and writing packs ----------------------------------------------------------------


def test_looking_at_a_pack_writes_nothing_and_reading_it_does_what_the_look_said(shop: Shop) -> None:
    seen = look(shop, quillon(slower))
    assert seen.plan
    assert said(seen.plan.says) == "1 changed, 3 the same."
    (line,) = next(one for one in seen.plan.planned if one.change is Change.CHANGED).lines
    assert (line.place, line.before, line.after) == ("minutes", "30", "44")
    assert catalogue.find_model(EMBER).minutes == 30
    catalogue.read_look(seen.id, seen.mark, shop.manager, shop.tick())
    assert catalogue.find_model(EMBER).minutes == 44


def test_reading_the_same_pack_again_changes_nothing(shop: Shop) -> None:
    read(shop, quillon(slower))
    before = store.revision()
    again = look(shop, quillon(slower))
    assert again.plan
    assert not again.plan.does_something
    catalogue.read_look(again.id, again.mark, shop.manager, shop.tick())
    assert store.revision() == before


@pytest.mark.parametrize("file", sorted(CATALOGUE.glob("[mp]*/*.json")), ids=lambda file: file.name)
def test_every_shipped_pack_is_written_back_byte_for_byte(shop: Shop, file: Any) -> None:
    assert catalogue.export_pack(file.stem) == file.read_text("utf-8")


def test_a_pack_that_was_read_is_written_back_byte_for_byte(shop: Shop) -> None:
    from sutura.config import SCHEMAS
    from sutura.formats.pack import canonical

    read(shop, quillon(slower))
    assert catalogue.export_pack("quillon") == canonical(
        json.loads(quillon(slower)), SCHEMAS / "models.schema.json"
    )


def test_a_model_with_jobs_is_retired_and_its_job_goes_on(shop: Shop) -> None:
    code = shop.take_in(EMBER)
    seen = look(shop, quillon(without_first))
    assert seen.plan
    (gone,) = [one for one in seen.plan.planned if one.change is not Change.SAME]
    assert (gone.change, gone.id) == (Change.RETIRED, EMBER)
    assert "1 open job uses it" in said(gone.why)
    catalogue.read_look(seen.id, seen.mark, shop.manager, shop.tick())
    assert matching.match_page(code).model.id == EMBER
    assert f'"{EMBER}"' not in catalogue.export_pack("quillon")
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in(EMBER)
    assert "it is retired" in said(refused.value.by_field["read_number"])
    found = identify.identify("QE-08")
    assert found.verdict is Verdict.SURE
    assert "It is retired" in said(found.says)


def test_the_database_takes_no_job_for_a_retired_model_whoever_writes(shop: Shop) -> None:
    shop.take_in(EMBER)
    catalogue.retire(EMBER, shop.manager, shop.tick())
    columns = (
        "customer_id, model_id, read_number, identified, channel, marks, promise_at, received_at, "
        "received_by_id, currency, expected_minutes"
    )
    with pytest.raises(peewee.DatabaseError, match="not taken in any more"), DATABASE.atomic():
        DATABASE.execute_sql(
            f"insert into job (code, stage, {columns}) select '00-KV6', 'identified', {columns} from job"
        )


def test_a_retired_model_is_brought_back_by_hand_or_by_its_pack(shop: Shop) -> None:
    shop.take_in(EMBER)
    catalogue.retire(EMBER, shop.manager, shop.tick())
    catalogue.bring_back(EMBER, shop.manager, shop.tick())
    assert shop.take_in(EMBER)
    catalogue.retire(EMBER, shop.manager, shop.tick())
    assert read(shop, quillon())[EMBER] is Change.BACK
    assert shop.take_in(EMBER)


def test_a_model_nobody_used_is_removed(shop: Shop) -> None:
    assert read(shop, quillon(without_first))[EMBER] is Change.REMOVED
    with pytest.raises(NotFound):
        catalogue.find_model(EMBER)
    assert identify.identify("QE-08").verdict is not Verdict.SURE


def test_a_wrong_pack_is_shown_with_every_place_and_cannot_be_read(shop: Shop) -> None:
    def spoil(pack: dict[str, Any]) -> None:
        pack["models"][1]["face"]["glass"]["width"] = "wide"
        del pack["models"][2]["seal"]

    seen = look(shop, quillon(spoil))
    assert seen.plan is None
    assert [p.field for p in seen.problems] == ["models[1].face.glass.width", "models[2].seal"]
    with pytest.raises(ManyInvalid):
        catalogue.read_look(seen.id, seen.mark, shop.manager, shop.tick())


@pytest.mark.parametrize("file", [b"", b"\xff\xfe\x00", b"x" * 7_500_001])
def test_what_is_no_text_or_too_much_is_refused(shop: Shop, file: bytes) -> None:
    with pytest.raises(Invalid):
        catalogue.look_at_pack("x.json", file, shop.manager, shop.tick())


def test_a_look_that_is_out_of_date_is_refused_and_looked_at_again(shop: Shop) -> None:
    seen = look(shop, quillon(slower))
    catalogue.retire("quillon-flint", shop.manager, shop.tick())
    with pytest.raises(Invalid, match="look again"):
        catalogue.read_look(seen.id, seen.mark, shop.manager, shop.tick())
    again = catalogue.look(seen.id, shop.manager)
    assert again.plan
    assert again.plan.count(Change.BACK) == 1


def test_a_look_is_ones_own_and_can_be_thrown_away(shop: Shop) -> None:
    seen = look(shop, quillon())
    with pytest.raises(NotFound):
        catalogue.look(seen.id, shop.bram)
    catalogue.forget_look(seen.id, shop.manager)
    with pytest.raises(NotFound):
        catalogue.look(seen.id, shop.manager)


def test_the_counter_may_look_nothing_up_into_the_catalogue(shop: Shop) -> None:
    for act in (
        lambda: catalogue.look_at_pack("q.json", quillon(), shop.counter, shop.tick()),
        lambda: catalogue.retire(EMBER, shop.counter, shop.tick()),
        lambda: catalogue.save_model(EMBER, {}, 1, person(Role.COUNTER), shop.tick()),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_parts_pack_keeps_what_has_stock_and_removes_what_never_had(shop: Shop) -> None:
    shop.receive("P-1001")
    pack = json.loads((CATALOGUE / "parts" / "parts.json").read_text("utf-8"))
    pack["parts"] = [part for part in pack["parts"] if part["barcode"] not in ("P-1001", "P-1002")]
    pack["parts"][0]["offers"][0]["price"] = "51.50"
    found = read(shop, json.dumps(pack).encode())
    assert (found["P-1001"], found["P-1002"]) == (Change.STAYS, Change.REMOVED)
    assert found[pack["parts"][0]["barcode"]] is Change.CHANGED
    assert '"price": "51.50"' in catalogue.export_pack("parts")


def test_loading_the_programs_packs_leaves_alone_what_was_edited_here(shop: Shop) -> None:
    edit(shop, EMBER, lambda raw: raw.update(minutes=44))
    catalogue.load_packs(CATALOGUE)
    assert catalogue.find_model(EMBER).minutes == 44
    seen = look(shop, quillon())
    assert seen.plan
    (changed,) = [one for one in seen.plan.planned if one.change is Change.CHANGED]
    assert "Ines changed it here" in said(changed.why)


# -- editing ----------------------------------------------------------------------------------


def edit(
    shop: Shop, model_id: str, change: Callable[[dict[str, Any]], None], version: int | None = None
) -> None:
    row = catalogue.row(model_id)
    raw = copy.deepcopy(dict(row.data))
    change(raw)
    catalogue.save_model(
        model_id, raw, row.version if version is None else version, shop.manager, shop.tick()
    )


def test_an_edit_is_checked_by_the_packs_rules_and_written_out_with_its_pack(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        edit(shop, EMBER, lambda raw: raw["face"].update(width_mm=20))
    assert "face.active" in {p.field for p in refused.value.problems}
    edit(shop, EMBER, lambda raw: raw["features"].update(colour="moss"))
    assert '"colour": "moss"' in catalogue.export_pack("quillon")
    assert catalogue.row(EMBER).edited_by == "Ines"


def test_a_stale_edit_shows_every_place_that_differs_and_loses_nothing(shop: Shop) -> None:
    version = catalogue.row(EMBER).version
    edit(shop, EMBER, lambda raw: raw.update(minutes=44))
    with pytest.raises(StaleSave) as stale:
        edit(shop, EMBER, lambda raw: raw.update(minutes=55), version)
    assert (stale.value.yours, stale.value.theirs) == ({"minutes": "55"}, {"minutes": "44"})


def test_the_id_of_a_model_stays(shop: Shop) -> None:
    with pytest.raises(Invalid, match="stays as it is"):
        edit(shop, EMBER, lambda raw: raw.update(id="quillon-flint"))


def test_a_changed_number_is_found_at_once_and_the_old_one_is_not(shop: Shop) -> None:
    assert identify.identify("QE-08").verdict is Verdict.SURE
    edit(shop, EMBER, lambda raw: raw.update(numbers=[{"kind": "exact", "text": "NEW-7777-A"}]))
    assert identify.identify("NEW7777A").candidates[0].model.id == EMBER
    assert identify.identify("QE-08").verdict is not Verdict.SURE


def test_a_job_follows_the_edited_sheet_until_it_is_opened_and_keeps_its_own_then(shop: Shop) -> None:
    """Rule bench.frozen."""
    shop.receive("P-1001", 2)
    code, opened = shop.take_in(HERON), shop.opened(HERON)
    before = [step.id for step in bench.bench_page(opened).progress.steps]
    photo = {"id": "photo", "phase": "prepare", "text": "Photograph it."}
    edit(shop, HERON, lambda raw: raw["acts"].insert(1, photo))
    steps = DATABASE.execute_sql("select steps_total from job where code = %s", (code,)).fetchone()[0]
    assert steps == len(catalogue.find_model(HERON).steps) == len(before) + 1
    assert [step.id for step in bench.bench_page(opened).progress.steps] == before
    edit(shop, HERON, lambda raw: raw["acts"][0].update(text="SIM out."))
    page = bench.bench_page(opened)
    assert page.progress.step
    assert page.progress.step.text.startswith("Compare the new part")
    shop.step(opened)
    shop.step(opened)
    assert [entry.step for entry in bench.bench_page(opened).done] == ["compare-part", "cards-out"]
    # until somebody wants the new one for what is left
    assert page.is_older
    with pytest.raises(NotAllowed):
        bench.take_new_sheet(opened, shop.counter, shop.now)
    bench.take_new_sheet(opened, shop.bram, shop.tick())
    page = bench.bench_page(opened)
    assert not page.is_older
    ids = [step.id for step in page.progress.steps]
    assert ids[:4] == ["compare-part", "cards-out", "photo", "power-off"]
    assert (page.progress.done, page.progress.step and page.progress.step.id) == (2, "photo")
    assert shop.job(opened).bench.steps_total == len(before) + 1


# -- a model's page ---------------------------------------------------------------------------


def test_a_models_page_knows_its_parts_its_siblings_and_its_jobs(shop: Shop) -> None:
    shop.receive("P-1001")
    shop.closed(HERON)
    page = catalogue.model_page(HERON)
    best = next(part for part in page.parts if part.barcode == "P-1001")
    assert best.proved == 1
    assert {part.judged.fit for part in page.parts} == {Fit.FITS}
    assert [sibling.model.id for sibling in page.siblings] == ["fennick-heron-l"]
    assert (page.jobs, page.open_jobs) == (1, 1)


@pytest.mark.parametrize("model_id", list(models()))
def test_at_least_one_part_is_known_to_fit_every_model(shop: Shop, model_id: str) -> None:
    assert catalogue.model_page(model_id).parts


def test_w18_the_wrong_siblings_part_is_refused_though_every_step_is_shared(shop: Shop) -> None:
    from sutura.core.matching.judging import judge

    finch = catalogue.find_model("fennick-finch")
    judged = judge(wanted_of(finch), offer("P-1102"))
    assert judged.fit is Fit.NOT
    assert "part family" in said(judged.says)


# -- a device in no pack ----------------------------------------------------------------------


def unlisted(shop: Shop, **changes: Any) -> str:
    template = templates()["unlisted-phone"]
    functions = {function.id: ("works", "") for function in template.functions}
    given = {
        "read_number": "ZX-9000",
        "functions": functions,
        "measured": MEASURED,
        "model_id": "unlisted",
        **changes,
    }
    arrival = replace(shop.arrival(), **given)
    return intake.take_in(drafts.open_draft(shop.counter, shop.tick()), arrival, shop.counter, shop.tick())


def test_a_device_in_no_pack_is_taken_in_by_its_measures_and_match_shows_what_is_unknown(shop: Shop) -> None:
    code = unlisted(shop)
    page = matching.match_page(code)
    assert page.model.full_name == "Nobody ZX 9000"
    judged = next(one.judged for one in page.offers if one.judged.offer.part == "Heron front, genuine pulled")
    outcomes = {f.attribute: f.agreement.value for f in judged.findings}
    assert outcomes["width_mm"] == outcomes["connector_pins"] == "agrees"
    assert outcomes["resolution"] == outcomes["windows"] == "unknown"
    assert judged.fit is Fit.UNKNOWN
    assert all(one.judged.fit in (Fit.UNKNOWN, Fit.NOT) for one in page.offers)
    with pytest.raises(Invalid, match="measure the original"):
        matching.choose_offer(code, judged.offer.id, shop.counter, shop.tick())


def test_what_is_entered_later_turns_unknown_into_an_answer(shop: Shop) -> None:
    code = unlisted(shop)
    known = {
        "resolution": "1170×2532",
        "connector_place": "right",
        "mounting": "glued frame",
        "touch": "integrated",
        "windows": models()[HERON].need["windows"],
    }
    edit(shop, matching.match_page(code).model.id, lambda raw: raw["need"].update(known))
    fits = {one.judged.offer.part: one.judged.fit for one in matching.match_page(code).offers}
    assert fits["Heron front, genuine pulled"] is Fit.FITS
    assert fits["Heron L front"] is Fit.NOT


def test_the_second_one_is_found_by_its_number_and_is_only_likely(shop: Shop) -> None:
    first = unlisted(shop)
    found = identify.identify("ZX 9000")
    assert found.verdict is Verdict.LIKELY
    assert found.candidates[0].model.id == f"device-{first.lower()}"
    again = unlisted(shop, model_id=found.candidates[0].model.id, measured=None)
    assert job_store.load_job(again).model_id == found.candidates[0].model.id


def test_measures_that_cannot_be_are_refused_with_their_field_and_nothing_is_saved(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        unlisted(shop, measured=replace(MEASURED, diagonal_in=9.0, device_class="toaster"))
    assert {"measured.diagonal_in", "measured.device_class"} <= set(refused.value.by_field)
    assert job_store.count_jobs() == 0


def test_a_template_is_no_device(shop: Shop) -> None:
    with pytest.raises(ManyInvalid):
        unlisted(shop, model_id="unlisted-phone")
    assert identify.identify("unlisted").verdict is Verdict.UNKNOWN


# -- what else is read at the counter -----------------------------------------------------------


def test_the_panels_own_word_read_at_the_counter_stays_with_the_job(shop: Shop) -> None:
    hex_text = Made(cm=(34, 19)).bytes().hex()
    code = shop.take_in("ardale-plain-15", edid=hex_text)
    page = matching.match_page(code)
    assert page.panel
    assert page.panel.judged.fit is Fit.NOT
    assert "Another panel is in this device" in said(page.panel.judged.says)


def test_broken_panel_bytes_are_refused_with_the_rest_of_the_intake(shop: Shop) -> None:
    with pytest.raises(ManyInvalid) as refused:
        shop.take_in("ardale-plain-15", edid="00 ff xx")
    assert "edid" in refused.value.by_field


def test_an_imei_of_another_model_is_said_in_the_jobs_history(shop: Shop) -> None:
    code = shop.take_in(HERON, serial="001022071234564")
    says = [told(event) for event in job_store.events_page(job_store.load_job(code).id)]
    assert any("belongs to Fennick Heron L" in say for say in says)


# -- the scan field -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("scanned", "says", "address"),
    [
        ("2000000010014", "Heron front, genuine pulled", "/shelf/P-1001"),
        ("(01)02000000010014", "Heron front, genuine pulled", "/shelf/P-1001"),
        ("02000000010014", "Heron front, genuine pulled", "/shelf/P-1001"),
        ("4006381333931", "no part on the shelf carries it", ""),
        ("2000000010015", "No model in the catalogue", ""),
        ("HF-70-R1", "printed on a part", ""),
        ("HF-70-R9", "edition of the same front", ""),
        ("00102107123456" + "6", "its IMEI begins with 00102107", ""),
        ("490154203237518", "does not know its first eight digits", ""),
    ],
)
def test_the_scan_field_says_what_it_understood(shop: Shop, scanned: str, says: str, address: str) -> None:
    found = identify.find(scanned)
    answer = f"{said(found.says)} {said(found.identification.says) if found.identification else ''}"
    assert says in answer
    assert found.address == address


def test_another_revision_of_a_panel_is_named_and_not_promised(shop: Shop) -> None:
    found = identify.find("AP156-GT40-C")
    assert "not promised to fit" in said(found.says)
    assert [link.address for link in found.links] == ["/shelf/P-2002"]


def test_what_a_gs1_code_says_besides_its_article_is_shown(shop: Shop) -> None:
    found = identify.find("(01)02000000010014(10)L77")
    assert found.notes == ("lot L77",)
    assert found.links[0].address == "/shelf/P-1001"
