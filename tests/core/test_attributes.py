"""The one table of attributes, and everything that derives from it."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

import pytest
import schemas
from builders import HERON, models, said

from sutura.config import SCHEMAS
from sutura.core.matching.attributes import ATTRIBUTES, BY_NAME, Brings, Kind, need_lines
from sutura.core.matching.kits import RECIPES
from sutura.core.matching.layout import DRAWN
from sutura.core.matching.listing import COLUMNS
from sutura.core.matching.picking import picking_of
from sutura.core.matching.wanted import wanted_of


@pytest.mark.parametrize("file", schemas.FILES)
def test_the_packs_schemas_have_the_attributes_of_the_table(file: str) -> None:
    assert (SCHEMAS / file).read_text("utf-8") == schemas.written(file), "run scripts/schemas.py"


def test_every_attribute_has_a_name_a_title_and_a_rule_of_its_own() -> None:
    assert len({attribute.name for attribute in ATTRIBUTES}) == len(ATTRIBUTES)
    assert len({attribute.title for attribute in ATTRIBUTES}) == len(ATTRIBUTES)
    assert all(said(attribute.says).endswith(".") for attribute in ATTRIBUTES)


def test_no_heading_of_a_price_list_means_two_things() -> None:
    headings = [heading for column in COLUMNS for heading in column.headings]
    assert len(headings) == len(set(headings))
    named = {column.name for column in COLUMNS}
    assert {attribute.name for attribute in ATTRIBUTES if attribute.headings} <= named


def test_a_kit_brings_each_attribute_once() -> None:
    for recipe in RECIPES:
        brought = [name for names in recipe.members.values() for name in names]
        assert sorted(brought) == sorted(
            attribute.name for attribute in ATTRIBUTES if attribute.brings in tuple(Brings)
        )


def test_lengths_have_a_tolerance_and_what_is_drawn_is_measured() -> None:
    assert all(attribute.tolerance > 0 for attribute in ATTRIBUTES if attribute.kind is Kind.LENGTH)
    assert all(BY_NAME[name].measured for name in DRAWN)


def test_a_need_is_said_in_the_order_of_the_table() -> None:
    assert [heading for heading, _ in need_lines({"colour": "black", "width_mm": None})] == [
        "outline width, mm",
        "colour",
    ]


def test_a_wider_tolerance_widens_what_is_picked(monkeypatch: pytest.MonkeyPatch) -> None:
    """A part 1.2 mm off is no use at half a millimetre and must be looked at when 1.5 mm are allowed."""
    wanted = wanted_of(models()[HERON])
    width = Decimal(str(wanted.need["width_mm"]))
    usual = picking_of(wanted)
    assert usual.width
    assert usual.width.least > width - Decimal("1.2")
    monkeypatch.setitem(BY_NAME, "width_mm", replace(BY_NAME["width_mm"], tolerance=1.5))
    wide = picking_of(wanted)
    assert wide.width
    assert wide.width.least < width - Decimal("1.2") < width + Decimal("1.2") < wide.width.most


def test_pins_pick_only_where_they_are_a_number() -> None:
    plain = wanted_of(models()["ardale-plain-15"])
    assert picking_of(plain).pins == 40
    assert picking_of(replace(plain, need={**plain.need, "connector_pins": None})).pins is None
