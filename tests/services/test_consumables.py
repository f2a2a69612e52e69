"""Tape, glue and the like on the real database."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

import peewee
import pytest
from builders import PLAIN, Shop, models, said

from sutura.core.errors import ManyInvalid, NotAllowed, NotFound, StaleSave
from sutura.core.stock.consumables import uses_of
from sutura.services import bench, consumables, reordering
from sutura.store import consumables as store
from sutura.store.database import DATABASE, raw

WIPES = {"name": "Wipes", "used_for": "wipe", "place": "drawer 3", "again_at": "10"}


def row(number: str) -> store.ConsumableRow:
    return next(one for one in store.consumables_page() if one.id == number)


def test_a_repair_takes_what_it_needs_once_and_a_count_sets_the_estimate_right(shop: Shop) -> None:
    shop.receive("P-2001", 3)
    assert consumables.add_consumable(WIPES, shop.manager) == "wipes"
    consumables.receive("wipes", "3", "from the chemist", shop.counter, shop.tick())
    code = shop.closed(PLAIN)
    wipes = {use.used_for.value: use.quantity for use in uses_of(models()[PLAIN].face, models()[PLAIN].seal)}
    assert wipes["wipe"] == 2
    assert row("wipes").on_hand == 1
    assert (row("wipes").doubtful, low(shop)) == (False, ["wipes"])
    # closed once more it has used them once
    bench.reopen(code, "it flickers", shop.bram, shop.tick())
    while shop.job(code).stage.value in ("opened", "proved"):
        if bench.bench_page(code).progress.at_proof and shop.job(code).stage.value == "opened":
            shop.test(code)
        else:
            shop.step(code)
    assert row("wipes").on_hand == 1
    shop.closed(PLAIN)
    # more was needed than was there: nobody knows how much there is
    assert row("wipes").on_hand == 0
    assert row("wipes").doubtful
    assert low(shop) == ["wipes"]
    line, *_ = store.moves_of("wipes")
    assert line.quantity == -line.short == -1
    consumables.count("wipes", "40.5", row("wipes").version, shop.counter, shop.tick())
    assert (row("wipes").on_hand, row("wipes").doubtful) == (Decimal("40.5"), False)
    assert low(shop) == []
    [shown] = consumables.consumables_page(shop.now, "wipes")
    assert len(shown.moves) == 4
    # two repairs in twelve weeks needed two each, though only three were booked
    assert shown.weeks == pytest.approx(40.5 / (4 / 12))


def test_what_is_wrong_is_refused_at_its_field_and_changes_nothing(shop: Shop) -> None:
    consumables.add_consumable(WIPES, shop.manager)
    with pytest.raises(ManyInvalid):
        consumables.add_consumable(WIPES, shop.manager)
    for quantity in ("0", "-1", "x", ""):
        with pytest.raises(ManyInvalid) as refused:
            consumables.receive("wipes", quantity, "", shop.counter, shop.tick())
        assert "quantity" in refused.value.by_field
    with pytest.raises(StaleSave):
        consumables.count("wipes", "3", row("wipes").version + 1, shop.counter, shop.tick())
    with pytest.raises(ManyInvalid):
        consumables.count("wipes", "many", row("wipes").version, shop.counter, shop.tick())
    with pytest.raises(NotFound):
        consumables.receive("glue", "3", "", shop.counter, shop.tick())
    with pytest.raises(NotAllowed):
        consumables.add_consumable({**WIPES, "name": "Other"}, shop.counter)
    with pytest.raises(NotAllowed):
        consumables.receive("wipes", "3", "", shop.bram, shop.tick())
    consumables.change("wipes", {"place": "A1", "again_at": "0"}, row("wipes").version, shop.manager)
    assert row("wipes").place == "A1"
    assert row("wipes").terms.again_at == row("wipes").on_hand == 0


def low(shop: Shop) -> list[str]:
    return [line.row.id for line in reordering.shelf_page(shop.now).low]


def test_what_runs_out_is_ordered_in_packs_and_is_on_its_way_until_it_came(shop: Shop) -> None:
    typed = {**WIPES, "again_at": "", "holds": "100", "price": "3.20", "lead_days": "5", "supplier": "pinder"}
    consumables.add_consumable(typed, shop.manager)
    consumables.receive("wipes", "6", "", shop.counter, shop.tick())
    assert low(shop) == []
    shop.receive("P-2001", 3)
    shop.closed(PLAIN)
    shop.closed(PLAIN)
    [line] = reordering.shelf_page(shop.now).low
    assert (line.again.packs, int(line.row.on_hand), line.row.supplier) == (1, 2, "Pinder & Holt Parts")
    assert said(line.why).startswith("order 1 × 100 pieces now: ")
    with pytest.raises(NotAllowed):
        consumables.order("wipes", "1", row("wipes").version, shop.bram, shop.now)
    with pytest.raises(StaleSave):
        consumables.order("wipes", "1", row("wipes").version + 1, shop.manager, shop.now)
    with pytest.raises(ManyInvalid):
        consumables.order("wipes", "lots", row("wipes").version, shop.manager, shop.now)
    consumables.order("wipes", "1", row("wipes").version, shop.manager, shop.now)
    assert row("wipes").ordered == 100
    assert row("wipes").expected_on == (shop.now + timedelta(days=5)).date()
    assert low(shop) == []
    consumables.receive("wipes", "60", "half of it", shop.counter, shop.tick())
    assert (int(row("wipes").ordered), int(row("wipes").on_hand)) == (40, 62)
    consumables.receive("wipes", "50", "", shop.counter, shop.tick())
    assert row("wipes").ordered == 0
    assert row("wipes").expected_on is None
    # nothing will come after all
    consumables.order("wipes", "0", row("wipes").version, shop.manager, shop.now)
    assert row("wipes").ordered == 0


@pytest.mark.parametrize(
    "statement",
    [
        "update consumable set on_hand = 5",
        "update consumable_move set quantity = 5",
        "delete from consumable_move",
        "insert into consumable_move (consumable_id, quantity, kind, person_id, at) "
        "select 'wipes', -4, 'count', min(id), now() from person",
    ],
)
def test_nobody_goes_round_the_moves(shop: Shop, statement: str) -> None:
    consumables.add_consumable(WIPES, shop.manager)
    consumables.receive("wipes", "3", "", shop.counter, shop.tick())
    with pytest.raises(peewee.DatabaseError), DATABASE.atomic():
        raw(statement)
