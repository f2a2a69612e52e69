"""Old screens from the bench to where they go, on the real database; expected by hand from the rule."""

from __future__ import annotations

import peewee
import pytest
from builders import PLAIN, Shop

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound, StaleSave
from sutura.core.stock.cores import CoreState, read_end
from sutura.services import bench, cores
from sutura.store import audit as audit_store
from sutura.store import cores as store
from sutura.store.database import DATABASE, raw


def core_of(shop: Shop, code: str) -> store.CoreRow:
    found = store.load_core_of(shop.job(code).id)
    assert found
    return found


def test_a_repaired_device_leaves_its_old_screen_and_one_that_was_not_leaves_none(shop: Shop) -> None:
    shop.receive("P-2001", 2)
    code = shop.closed(PLAIN)
    core = core_of(shop, code)
    assert (core.job, core.state, core.place, core.amount_minor) == (code, CoreState.KEPT, "", None)
    assert [one.id for one in store.kept()] == [core.id]
    assert store.load_core_of(shop.job(shop.take_in()).id) is None
    # closed once more it is the same screen
    bench.reopen(code, "it flickers", shop.bram, shop.tick())
    while shop.job(code).stage.value == "opened":
        progress = bench.bench_page(code).progress
        if progress.at_proof:
            shop.test(code)
        else:
            shop.step(code)
    while shop.job(code).stage.value == "proved":
        shop.step(code)
    assert core_of(shop, code).id == core.id
    assert store.count_kept() == 1


def test_it_is_sold_with_its_buyer_and_what_it_brought_and_stays_so(shop: Shop) -> None:
    shop.receive("P-2001")
    core = core_of(shop, shop.closed(PLAIN))
    cores.place_core(core.id, " Crate 2 ", core.version, shop.counter)
    [here] = store.kept("Crate 2")
    assert store.kept("Crate 3") == []
    for typed, fields in (
        ({"to": "sold"}, {"buyer", "amount"}),
        ({"to": "sold", "buyer": "Core & Co", "amount": "x"}, {"amount"}),
        ({"to": "lost"}, {"to"}),
        ({"to": "kept"}, {"to"}),
    ):
        with pytest.raises(ManyInvalid) as refused:
            cores.end_core(here.id, typed, here.version, shop.manager, shop.tick())
        assert set(refused.value.by_field) == fields
    typed = {"to": "sold", "buyer": "Core & Co", "amount": "12.50"}
    with pytest.raises(NotAllowed):
        cores.end_core(here.id, typed, here.version, shop.counter, shop.tick())
    with pytest.raises(StaleSave):
        cores.end_core(here.id, typed, here.version - 1, shop.manager, shop.tick())
    cores.end_core(here.id, typed, here.version, shop.manager, shop.tick())
    assert store.kept() == []
    [gone] = store.ended()
    assert (gone.state, gone.buyer, gone.amount_minor) == (CoreState.SOLD, "Core & Co", 1250)
    assert store.brought() == (1, 1250)
    assert any(line.what == "old screen sold" for line in audit_store.audit_page())
    with pytest.raises(Invalid):
        cores.end_core(gone.id, typed, gone.version, shop.manager, shop.tick())
    with pytest.raises(ManyInvalid):
        cores.place_core(gone.id, "A1", gone.version, shop.counter)
    for statement in (
        "update old_screen set state = 'kept', ended_at = null",
        "update old_screen set place = 'x'",
    ):
        with pytest.raises(peewee.DatabaseError), DATABASE.atomic():
            raw(statement)


def test_it_goes_with_its_device_where_the_customer_wants_it(shop: Shop) -> None:
    shop.receive("P-2001", 2)
    code, other = shop.closed(PLAIN), shop.closed(PLAIN)
    shop.hand_back(code, old_screen="handed_back")
    shop.hand_back(other)
    assert core_of(shop, code).state is CoreState.HANDED_BACK
    assert core_of(shop, other).state is CoreState.KEPT
    assert cores.kept_of(shop.job(code).id) is None
    with pytest.raises(NotFound):
        cores.place_core(10**9, "A1", 1, shop.counter)
    with pytest.raises(NotAllowed):
        cores.place_core(core_of(shop, other).id, "A1", 1, shop.bram)


def test_what_is_not_sold_has_no_buyer_whatever_was_typed() -> None:
    end = read_end(CoreState.KEPT, {"to": "recycled", "buyer": "x", "amount": "3"}, "TAL")
    assert (end.to, end.buyer, end.amount_minor) == (CoreState.RECYCLED, "", None)
