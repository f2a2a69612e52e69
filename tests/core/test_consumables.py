"""What a repair uses up. Expected by hand from the rule."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal

import numpy as np
import pytest
from builders import models
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.catalogue.model import Face
from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.maths.geometry import Box
from sutura.core.stock.consumables import (
    NewConsumable,
    Terms,
    Unit,
    Use,
    Used,
    UsedFor,
    advise,
    cost_of,
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


def read(typed: dict[str, str], known: Sequence[str] = ()) -> NewConsumable:
    return read_consumable(typed, known, ["pinder"], "TAL")


def used(*amounts: float, days: int = 84) -> Used:
    """What repairs took, one after the other."""
    total, squares = sum(amounts), sum(amount * amount for amount in amounts)
    return Used(times=len(amounts), total=Decimal(str(total)), squares=Decimal(str(squares)), days=days)


def test_what_is_used_ahead_has_the_mean_and_the_variance_of_a_compound_poisson() -> None:
    """Wald: mean λt·E[X], variance λt·E[X²]; the rate itself is known as well as a Poisson count is, which
    adds E[X²] n (t/T)².
    """
    mean, variance = used(40, 20, 30, 30).over(21)
    assert mean == pytest.approx(120 / 84 * 21)
    assert variance == pytest.approx(3800 / 84 * 21 + 3800 / 16)


def test_the_chance_of_running_out_is_that_of_simulated_weeks() -> None:
    """Repairs at random, each its own amount, the rate drawn as a seen count leaves it: the gamma sum stays
    within three in a hundred of what 40,000 simulated fortnights say.
    """
    chance = np.random.default_rng(5)
    amounts = np.array([22.0, 35.0, 46.0, 46.0, 60.0] * 6)
    seen = used(*amounts)
    rate = chance.gamma(len(amounts), 1 / 84, 40_000)
    repairs = chance.poisson(rate * 14)
    sums = np.array([chance.choice(amounts, count).sum() for count in repairs])
    for stock in (100, 200, 250, 300, 400):
        assert seen.chance_above(Decimal(stock), 14) == pytest.approx(float((sums > stock).mean()), abs=0.03)
    assert seen.at_most(0.95, 14) == pytest.approx(float(np.quantile(sums, 0.95)), rel=0.05)


def test_it_is_ordered_when_it_would_not_last_and_then_in_whole_packs() -> None:
    seen = used(*[30.0] * 42)
    plenty = advise(
        here=Decimal(900), ordered=Decimal(0), used=seen, lead_days=3, written=None, holds=Decimal(500)
    )
    assert plenty.packs == 0
    assert plenty.out_without == plenty.out_with < 0.001
    low = advise(
        here=Decimal(100), ordered=Decimal(0), used=seen, lead_days=3, written=None, holds=Decimal(500)
    )
    # 15 a day: the limit of ten days and 56 days more, less what is there
    assert low.limit == Decimal(str(round(seen.at_most(0.95, 10), 2)))
    assert low.packs == math.ceil((float(low.limit) + 15 * 56 - 100) / 500) == 3
    assert low.days == 10
    assert low.out_without > 0.7
    # what is ordered now does not help in the first three days
    assert low.out_with == pytest.approx(seen.chance_above(Decimal(100), 3))
    # what is on order already counts, and is not ordered twice
    again = advise(
        here=Decimal(100), ordered=Decimal(1500), used=seen, lead_days=3, written=None, holds=Decimal(500)
    )
    assert again.packs == 0


def test_a_limit_written_by_hand_counts_and_nothing_is_ordered_of_what_nobody_uses() -> None:
    nothing = used()
    for written, here, packs in ((None, 0, 0), (Decimal(5), 5, 1), (Decimal(5), 6, 0)):
        advice = advise(
            here=Decimal(here),
            ordered=Decimal(0),
            used=nothing,
            lead_days=7,
            written=written,
            holds=Decimal(10),
        )
        assert advice.packs == packs
        assert advice.out_without == 0
        assert advice.limit == (written or 0)


def test_one_is_set_up_as_typed_with_the_unit_of_its_use() -> None:
    typed = {"name": " Tape, 2 mm ", "used_for": "tape", "unit": "ml", "place": "drawer 3", "again_at": "50"}
    new = read(typed)
    assert (new.used_for, new.place) == (UsedFor.TAPE, "drawer 3")
    assert (new.id, new.name, new.unit) == ("tape-2-mm", "Tape, 2 mm", Unit.CM)
    assert new.terms == Terms(again_at=Decimal(50))
    assert read({"name": "Swabs", "used_for": "other", "unit": "piece"}).unit is Unit.PIECE
    sold = {"supplier": "pinder", "holds": "2000", "price": "6.40", "lead_days": "0"}
    assert read({"name": "Foil", "used_for": "other", "unit": "cm", **sold}).terms == Terms(
        again_at=None, supplier_id="pinder", holds=Decimal(2000), price_minor=640, lead_days=0
    )
    for wrong, field in (
        ({"name": ""}, "name"),
        ({"name": "Tape 2 mm"}, "name"),
        ({"name": "—"}, "name"),
        ({"used_for": "fun"}, "used_for"),
        ({"used_for": "other", "unit": "miles"}, "unit"),
        ({"again_at": "-1"}, "again_at"),
        ({"holds": "0"}, "holds"),
        ({"price": "free"}, "price"),
        ({"lead_days": "366"}, "lead_days"),
        ({"supplier": "nobody"}, "supplier"),
    ):
        with pytest.raises(ManyInvalid) as refused:
            read({**typed, **wrong}, ["tape-2-mm"] if wrong.get("name") == "Tape 2 mm" else [])
        assert field in refused.value.by_field, wrong


def test_a_quantity_is_read_to_the_hundredth_within_bounds() -> None:
    assert read_quantity("12.345") == Decimal("12.35")
    assert read_quantity("0") == 0
    for text in ("-0.01", "100001", "much", ""):
        with pytest.raises(Invalid):
            read_quantity(text)
    assert id_of("A" * 60) == "a" * 40


def test_what_a_repair_takes_costs_its_share_of_the_packs() -> None:
    """A roll of 2000 at 6.40 and 500 of it, a pack of 100 wipes at 5.00 and 2 of it: 1.60 + 0.10."""
    uses = [
        Use(used_for=UsedFor.TAPE, quantity=Decimal(500)),
        Use(used_for=UsedFor.WIPE, quantity=Decimal(2)),
        Use(used_for=UsedFor.GLUE, quantity=Decimal(3)),
    ]
    packs = {
        UsedFor.TAPE: Terms(holds=Decimal(2000), price_minor=640),
        UsedFor.WIPE: Terms(holds=Decimal(100), price_minor=500),
        # nobody wrote what it costs: it counts nothing, and stops nothing
        UsedFor.GLUE: Terms(holds=Decimal(50)),
    }
    assert cost_of(uses, packs) == 170
    assert cost_of(uses, {}) == 0
