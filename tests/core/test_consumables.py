"""What a repair uses up. Expected by hand from the rule."""

from __future__ import annotations

import math
from decimal import Decimal

import pytest
from builders import models
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.catalogue.model import Face
from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.maths.geometry import Box
from sutura.core.stock.consumables import (
    Unit,
    UsedFor,
    id_of,
    read_consumable,
    read_quantity,
    rim_mm,
    take,
    uses_of,
    weeks_left,
)

GLASS = Box(x=0, y=0, width=70, height=140)


def face(corner: float = 0, glass: Box = GLASS) -> Face:
    return Face(
        width_mm=glass.width,
        height_mm=glass.height,
        corner_mm=corner,
        glass=glass,
        active=glass,
        opening_edge="bottom",
        edges={},
    )


def test_once_round_the_glass_is_its_sides_or_its_rounded_shape() -> None:
    assert rim_mm(face()) == 420
    # four quarters of a circle instead of four corners
    assert float(rim_mm(face(10))) == pytest.approx(420 - 80 + 2 * math.pi * 10, rel=1e-3)
    # a round watch: a circle
    watch = Box(x=0, y=0, width=40, height=40)
    assert float(rim_mm(face(20, watch))) == pytest.approx(math.pi * 40, rel=2e-3)


@pytest.mark.parametrize(
    ("seal", "uses"),
    [
        # 42 cm and a tenth more; 0.1 ml of cleaner for each cm
        ("2 mm tape", {"tape": "46.2", "cleaner": "4.2", "wipe": "2"}),
        ("adhesive on the part, or 5 mm tape", {"tape": "46.2", "cleaner": "4.2", "wipe": "2"}),
        # 420 mm × 1 mm²
        ("contact glue", {"glue": "0.42", "cleaner": "4.2", "wipe": "2"}),
        ("pre-cut seal", {"cleaner": "4.2", "wipe": "2"}),
        ("", {"wipe": "2"}),
    ],
)
def test_a_repair_takes_what_its_size_and_its_seal_need(seal: str, uses: dict[str, str]) -> None:
    assert {use.used_for.value: use.quantity for use in uses_of(face(), seal)} == {
        name: Decimal(number) for name, number in uses.items()
    }


def test_a_bead_is_a_millimetre_by_a_millimetre() -> None:
    wall = Box(x=0, y=0, width=10_000, height=15_000)
    [glue] = [use for use in uses_of(face(0, wall), "contact glue") if use.used_for is UsedFor.GLUE]
    # fifty metres of it: fifty millilitres
    assert glue.quantity == 50


def test_every_sample_device_takes_a_plausible_amount() -> None:
    for model in models().values():
        for use in uses_of(model.face, model.seal):
            most = {UsedFor.TAPE: 150, UsedFor.GLUE: 3, UsedFor.CLEANER: 15, UsedFor.WIPE: 5}[use.used_for]
            assert 0 < use.quantity <= most, model.id


@given(st.decimals(0, 1000, places=2), st.decimals(0, 1000, places=2))
def test_never_more_is_booked_than_is_there_and_what_is_short_is_told(here: Decimal, needed: Decimal) -> None:
    booked, short = take(here, needed)
    assert booked + short == needed
    assert 0 <= booked <= here
    assert short == 0 or booked == here


def test_weeks_are_those_at_the_mean_of_the_weeks_before() -> None:
    assert weeks_left(Decimal(30), Decimal(20), 4) == 6
    assert weeks_left(Decimal(30), Decimal(0), 4) is None
    assert weeks_left(Decimal(0), Decimal(3), 4) == 0


def test_one_is_set_up_as_typed_with_the_unit_of_its_use() -> None:
    typed = {"name": " Tape, 2 mm ", "used_for": "tape", "unit": "ml", "place": "drawer 3", "again_at": "50"}
    new = read_consumable(typed, [])
    assert (new.used_for, new.place) == (UsedFor.TAPE, "drawer 3")
    assert (new.id, new.name, new.unit, new.again_at) == ("tape-2-mm", "Tape, 2 mm", Unit.CM, Decimal(50))
    assert read_consumable({"name": "Swabs", "used_for": "other", "unit": "piece"}, []).unit is Unit.PIECE
    assert read_consumable({"name": "Foil", "used_for": "other", "unit": "cm"}, []).again_at == 0
    for wrong, field in (
        ({"name": ""}, "name"),
        ({"name": "Tape 2 mm"}, "name"),
        ({"name": "—"}, "name"),
        ({"used_for": "fun"}, "used_for"),
        ({"used_for": "other", "unit": "miles"}, "unit"),
        ({"again_at": "-1"}, "again_at"),
    ):
        with pytest.raises(ManyInvalid) as refused:
            read_consumable({**typed, **wrong}, ["tape-2-mm"] if wrong.get("name") == "Tape 2 mm" else [])
        assert field in refused.value.by_field, wrong


def test_a_quantity_is_read_to_the_hundredth_within_bounds() -> None:
    assert read_quantity("12.345") == Decimal("12.35")
    assert read_quantity("0") == 0
    for text in ("-0.01", "100001", "much", ""):
        with pytest.raises(Invalid):
            read_quantity(text)
    assert id_of("A" * 60) == "a" * 40
