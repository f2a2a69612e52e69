"""A new model from its sibling: kept by the rules of packs, once, and found at the counter."""

from __future__ import annotations

from dataclasses import replace

import pytest
from builders import HERON, Shop, models

from sutura.core.catalogue import like as rules
from sutura.core.catalogue.model import State
from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound
from sutura.services import catalogue, drafts, identify, intake, kin
from sutura.store import catalogue as store

NEED = dict(models()[HERON].need)


def typed(model_id: str, **changes: str) -> dict[str, str]:
    asked = dict(kin.like_page(model_id).asked)
    return {**asked, "name": "Wader", "numbers": "WDX-1", **changes}


@pytest.mark.parametrize("model_id", sorted(model.id for model in models().values() if model.numbers))
def test_of_every_listed_model_a_new_one_can_be_made_a_little_larger(shop: Shop, model_id: str) -> None:
    face = models()[model_id].face
    larger = {"width_mm": f"{face.width_mm + 2:g}", "height_mm": f"{face.height_mm + 3:g}"}
    made = kin.make_like(
        model_id, typed(model_id, **larger), dict(models()[model_id].need), shop.manager, shop.tick()
    )
    new = catalogue.find_model(made)
    assert (new.face.width_mm, new.face.height_mm) == (face.width_mm + 2, face.height_mm + 3)
    assert [step.text for step in new.steps] == [step.text for step in models()[model_id].steps]
    row = store.load_model(made)
    assert row
    assert (row.state, row.pack) == (State.LISTED, kin.OWN_PACK)


def test_it_is_found_by_its_number_taken_in_and_written_out_with_the_shops_own(shop: Shop) -> None:
    made = kin.make_like(HERON, typed(HERON), NEED, shop.manager, shop.tick())
    assert identify.identify("WDX-1").candidates[0].model.id == made
    draft = drafts.open_draft(shop.counter, shop.tick())
    arrival = replace(shop.arrival(HERON), model_id=made, read_number="WDX-1")
    code = intake.take_in(draft, arrival, shop.counter, shop.tick())
    assert shop.job(code).model_id == made
    assert made in catalogue.export_pack(kin.OWN_PACK)
    # a pack of somebody else's that is read again does not take it away
    assert catalogue.find_model(made).id == made


def test_a_name_is_given_once_and_only_by_who_may(shop: Shop) -> None:
    kin.make_like(HERON, typed(HERON), NEED, shop.manager, shop.tick())
    with pytest.raises(Invalid, match="Wader"):
        kin.make_like(HERON, typed(HERON), NEED, shop.manager, shop.tick())
    with pytest.raises(NotAllowed):
        kin.make_like(HERON, typed(HERON, name="Stint"), NEED, shop.counter, shop.tick())
    with pytest.raises(NotFound):
        kin.make_like("nobody-knows", {}, {}, shop.manager, shop.tick())


def test_the_nearest_are_asked_for_by_a_size(shop: Shop) -> None:
    assert kin.near("phone", "Fennick", "72", "149")[0].maker == "Fennick"
    assert len(kin.near("watch", "", "42", "42")) >= 1
    with pytest.raises(ManyInvalid):
        kin.near("phone", "", "wide", "")
    assert kin.near("phone", "", "72", "149") == rules.nearest(models().values(), "phone", "", 72, 149)
