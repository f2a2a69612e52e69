"""Price lists as a manager reads them: looked at, mapped, checked, read by a real worker, read again, written
again.
"""

from __future__ import annotations

import io
from typing import Any

import pytest
from builders import NOW, PLAIN, Shop, said

from sutura import worker
from sutura.core.errors import Invalid, ManyInvalid, NotAllowed
from sutura.core.matching.judging import Fit
from sutura.formats import pricelists as formats
from sutura.services import matching, pricelists
from sutura.store import offers as offers_store
from sutura.store import pricelists as store
from sutura.store.database import DATABASE, connection

GOOD = "SKU;Category;Printed number;Net price;Pins;Width;Height;Resolution;Quality\n"
ROWS = (
    "A-1;panel;XP-1;58,00;40;359,5;223,8;1366x768;new",
    "A-2;panel;XP-2;49,90;30;359,5;223,8;WXGA 1366x768;copy",
)


def csv_of(*rows: str) -> bytes:
    return (GOOD + "\n".join(rows) + "\n").encode()


def look(shop: Shop, *rows: str, supplier: str = "", **more: Any) -> int:
    return pricelists.look_at_list(
        supplier,
        more.pop("new", "Hollow Yard"),
        "june.csv",
        io.BytesIO(csv_of(*rows)),
        shop.manager,
        shop.tick(),
    )


def found(list_id: int) -> store.ListRow:
    row = store.load_list(list_id)
    assert row
    return row


def read(list_id: int) -> None:
    """What the worker does, in this transaction."""
    pricelists.read_list(list_id, lambda: NOW)


def offers(supplier: str = "hollow-yard") -> dict[str, int]:
    return dict(
        DATABASE.execute_sql("select number, price_minor from offer where supplier_id = %s", (supplier,))
    )


def test_a_list_is_looked_at_without_changing_anything(shop: Shop) -> None:
    list_id = look(shop, *ROWS, "A-3;panel;XP-3;free;40;;;;", "A-1;panel;XP-1;57,00;40;;;;")
    row = found(list_id)
    assert (row.state, row.rows_total) == ("checked", 4)
    assert row.counts == {"good": 2, "new": 2, "changed": 0, "same": 0, "bad": 2, "twice": 0}
    assert [(one["line"], [said(why) for why in one["why"]]) for one in row.bad] == [
        (4, ["“free” cannot be taken: write an amount in TAL from 0.01 to 100000.00, such as 58.00"]),
        (5, ["“A-1” cannot be taken: keep it once: it stands in line 2 already"]),
    ]
    assert offers() == {}


def test_a_doubled_row_is_judged_once(shop: Shop) -> None:
    """The very same row again is no fault; the same number with another price is one."""
    once = "A-1;panel;XP-1;58,00;40;;;;"
    list_id = look(shop, once, once, "A-1;panel;XP-1;57,00;40;;;;", once, "A-4;panel;;free;;;;;")
    row = found(list_id)
    assert row.counts == {"good": 1, "new": 1, "changed": 0, "same": 0, "bad": 2, "twice": 2}
    assert [one["line"] for one in row.bad] == [4, 6]
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    assert offers() == {"A-1": 5_800}


def test_a_suppliers_own_words_for_kinds_are_shown_named_once_and_remembered(shop: Shop) -> None:
    rows = (
        "A-1;LCD  assembly;XP-1;58,00;40;359,5;223,8;1366x768;new",
        "A-2;lcd assembly;XP-2;49,90;30;359,5;223,8;WXGA 1366x768;copy",
        "A-3;panel;XP-3;40,00;;;;;",
        "A-4;gizmo;XP-4;40,00;;;;;",
    )
    list_id = look(shop, *rows)
    assert found(list_id).words == {"lcd assembly": 2, "gizmo": 1}
    with pytest.raises(ManyInvalid) as refused:
        pricelists.name_kinds(list_id, {"gizmo": "gadget"}, shop.manager)
    assert [(one.field, one.refused) for one in refused.value.problems] == [("word.gizmo", "gadget")]
    with pytest.raises(Invalid, match="choose what at least one"):
        pricelists.name_kinds(list_id, {"gizmo": ""}, shop.manager)
    with pytest.raises(NotAllowed):
        pricelists.name_kinds(list_id, {"gizmo": "panel"}, shop.counter)
    pricelists.name_kinds(list_id, {"lcd assembly": "panel", "gizmo": ""}, shop.manager)
    assert found(list_id).words == {"gizmo": 1}
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    kinds = DATABASE.execute_sql("select barcode, kind from part where pack = 'list:hollow-yard' order by 1")
    assert [kind for _, kind in kinds] == ["panel", "panel", "panel", "gizmo"]
    there = {offer.judged.offer.number: offer.judged for offer in matching.match_model(PLAIN, NOW)[1].offers}
    assert there["A-1"].fit is Fit.UNKNOWN
    assert found(look(shop, *rows, supplier="hollow-yard")).words == {"gizmo": 1}


def test_pieces_in_a_pack_are_read_kept_and_written_again(shop: Shop) -> None:
    text = "sku;category;net price;minimum;pack size\nA-1;panel;58.00;3;5\nA-2;panel;58.00;;0\n"
    list_id = pricelists.look_at_list(
        "", "Hollow Yard", "june.csv", io.BytesIO(text.encode()), shop.manager, shop.tick()
    )
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    kept = DATABASE.execute_sql("select number, minimum, pack from offer where supplier_id = 'hollow-yard'")
    assert sorted(kept) == [("A-1", 3, 5), ("A-2", 1, 1)]
    written = "".join(pricelists.write_list("hollow-yard", shop.manager))
    again = look_raw(shop, written)
    assert found(again).counts == {"good": 2, "new": 0, "changed": 0, "same": 2, "bad": 0, "twice": 0}


def look_raw(shop: Shop, text: str) -> int:
    return pricelists.look_at_list(
        "hollow-yard", "", "again.csv", io.BytesIO(text.encode()), shop.manager, shop.tick()
    )


def test_good_rows_are_read_without_the_bad_and_become_offers_that_are_judged(shop: Shop) -> None:
    list_id = look(shop, *ROWS, "A-3;panel;XP-3;free;40;;;;")
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    assert (found(list_id).state, offers()) == ("read", {"A-1": 5_800, "A-2": 4_990})
    there = {offer.judged.offer.number: offer.judged for offer in matching.match_model(PLAIN, NOW)[1].offers}
    assert there["A-1"].fit is Fit.UNKNOWN
    assert there["A-2"].fit is Fit.NOT
    assert there["A-1"].offer.lead_days == pricelists.USUAL_DAYS


def test_reading_again_updates_without_duplicates_and_keeps_every_price(shop: Shop) -> None:
    for rows in (ROWS, ("A-1;panel;XP-1;61,50;40;359,5;223,8;1366x768;new", "A-9;panel;XP-9;70,00;40;;;;")):
        list_id = look(shop, *rows, supplier="hollow-yard")
        pricelists.read_good_rows(list_id, shop.manager, shop.now)
        read(list_id)
    assert offers() == {"A-1": 6_150, "A-2": 4_990, "A-9": 7_000}
    offer_id = DATABASE.execute_sql("select id from offer where number = 'A-1'").fetchone()[0]
    assert [one.price_minor for one in offers_store.price_history(offer_id)] == [6_150, 5_800]
    again = look(
        shop,
        "A-1;panel;XP-1;61,50;40;359,5;223,8;1366x768;new",
        "A-2;panel;XP-2;50,00;30;;;;",
        "A-7;panel;;1,00;;;;;",
        supplier="hollow-yard",
    )
    assert found(again).counts == {"good": 3, "new": 1, "changed": 1, "same": 1, "bad": 0, "twice": 0}
    assert (
        DATABASE.execute_sql("select count(*) from part where pack = 'list:hollow-yard'").fetchone()[0] == 3
    )


def test_a_known_printed_number_of_the_same_kind_is_an_offer_of_that_part(shop: Shop) -> None:
    list_id = look(shop, "B-1;panel;nv156t r40;51,00;;;;;", "B-2;glass;NV156T-R40;9,00;;;;;")
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    parts = dict(
        DATABASE.execute_sql(
            "select number, barcode from offer join part on part.id = part_id where supplier_id = "
            "'hollow-yard'"
        )
    )
    assert parts == {"B-1": "P-2001", "B-2": "L-hollow-yard-B-2"}
    assert (
        next(
            offer
            for offer in matching.match_model(PLAIN, NOW)[1].offers
            if offer.judged.offer.number == "B-1"
        ).judged.fit
        is Fit.FITS
    )


def test_columns_are_put_right_and_remembered_for_the_next_list(shop: Shop) -> None:
    file = b"Ref,What,Asks\nC-1,thing,12.00\n"
    list_id = pricelists.look_at_list(
        "", "Quiet Lane Parts", "x.csv", io.BytesIO(file), shop.manager, shop.tick()
    )
    assert found(list_id).state == "new"
    with pytest.raises(ManyInvalid) as refused:
        pricelists.map_columns(list_id, {"number": "Ref", "price": "Ref"}, shop.manager)
    assert set(refused.value.by_field) == {"map.price", "map.kind"}
    pricelists.map_columns(
        list_id, {"number": "Ref", "price": "Asks", "kind": "=panel", "name": "What"}, shop.manager
    )
    assert found(list_id).counts["good"] == 1
    second = pricelists.look_at_list(
        "quiet-lane-parts", "", "y.csv", io.BytesIO(file), shop.manager, shop.tick()
    )
    assert found(second).state == "checked"
    assert found(second).mapping["kind"] == "=panel"


def test_a_list_that_is_being_read_is_not_read_twice(shop: Shop) -> None:
    list_id = look(shop, *ROWS)
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    with pytest.raises(Invalid, match="it is reading already"):
        pricelists.read_good_rows(list_id, shop.manager, shop.now)
    with pytest.raises(Invalid, match="it is reading already"):
        pricelists.map_columns(list_id, {}, shop.manager)


def test_a_list_of_which_nothing_can_be_read_is_not_read(shop: Shop) -> None:
    with pytest.raises(Invalid, match="no row of it can be read"):
        pricelists.read_good_rows(look(shop, ";;;;;;;;x"), shop.manager, shop.now)


def test_reading_goes_on_where_it_was_cut_off(shop: Shop, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pricelists, "CHUNK", 2)
    list_id = look(shop, *(f"A-{n};panel;;{n},00;40;;;;" for n in range(1, 8)))
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    saved = store.save_listed
    calls = []

    def breaks(*args: Any) -> None:
        calls.append(1)
        if len(calls) == 3:
            raise RuntimeError("the light went out")
        saved(*args)

    monkeypatch.setattr(store, "save_listed", breaks)
    with pytest.raises(RuntimeError):
        read(list_id)
    assert (found(list_id).state, found(list_id).rows_done, len(offers())) == ("reading", 4, 4)
    monkeypatch.setattr(store, "save_listed", saved)
    read(list_id)
    assert (found(list_id).state, len(offers())) == ("read", 7)


def test_a_written_list_is_formula_safe_and_reading_it_changes_nothing(shop: Shop) -> None:
    list_id = look(shop, *ROWS, "=A-4;panel;;5,00;40;;;;", "A-5;panel;+1;6,00;40;;;;")
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    text = "".join(pricelists.write_list("hollow-yard", shop.manager))
    assert "'=A-4" in text
    assert not any(line.startswith("=") for line in text.splitlines())
    again = pricelists.look_at_list(
        "hollow-yard", "", "back.csv", io.BytesIO(text.encode()), shop.manager, shop.tick()
    )
    assert found(again).counts == {"good": 4, "new": 0, "changed": 0, "same": 4, "bad": 0, "twice": 0}


def test_only_a_manager_reads_and_writes_price_lists(shop: Shop) -> None:
    for act in (
        lambda: pricelists.look_at_list("", "X", "x.csv", io.BytesIO(csv_of(*ROWS)), shop.counter, NOW),
        lambda: pricelists.map_columns(1, {}, shop.bram),
        lambda: pricelists.read_good_rows(1, shop.counter, shop.now),
        lambda: pricelists.write_list("millrace", shop.counter),
        lambda: pricelists.list_page(1, shop.bram),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_supplier_without_a_name_is_refused(shop: Shop) -> None:
    for name in ("", "!!!", "x" * 130):
        with pytest.raises(Invalid, match="choose a supplier"):
            look(shop, *ROWS, new=name)


# -- by a real worker, outside any transaction of the test --------------------------------------------------


@pytest.fixture
def open_shop(database: str) -> Shop:
    with connection():
        return Shop()


def test_a_long_list_is_checked_and_read_by_the_worker_beside_the_pages(
    open_shop: Shop, database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(pricelists, "AT_ONCE", 100)
    rows = [f"W-{n};panel;;{n % 90 + 1},50;40;{300 + n % 90};200;1366x768;" for n in range(2_500)]
    list_id = look(open_shop, *rows, "W-bad;panel;;free;;;;;", new="Long Wharf")
    assert found(list_id).state == "checking"
    worker.work(database, until_empty=True)
    assert found(list_id).counts == {
        "good": 2_500,
        "new": 2_500,
        "changed": 0,
        "same": 0,
        "bad": 1,
        "twice": 0,
    }
    pricelists.read_good_rows(list_id, open_shop.manager, open_shop.now)
    worker.work(database, until_empty=True)
    row = found(list_id)
    assert (row.state, row.rows_done) == ("read", 2_501)
    with connection():
        assert len(offers("long-wharf")) == 2_500
    assert store.load_piece(list_id, 0) == b""


def test_a_long_list_is_kept_as_it_comes_and_looked_at_by_the_worker(
    open_shop: Shop, database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Whatever it is written in; the page answers before anybody has looked into it."""
    monkeypatch.setattr(formats, "AT_ONCE_BYTES", 100)
    monkeypatch.setattr(pricelists, "PIECE", 37)
    file = csv_of("Ä-1;panel;XP-1;58,00;40;359,5;223,8;1366x768;new").decode().encode("cp1252")
    with monkeypatch.context() as unread:
        unread.setattr(pricelists, "text_of", None)
        list_id = pricelists.look_at_list(
            "", "Broad Wharf", "long.csv", io.BytesIO(file), open_shop.manager, open_shop.now
        )
    assert (found(list_id).state, found(list_id).rows_total) == ("sent", 0)
    assert pricelists.list_page(list_id, open_shop.manager).header == ()
    worker.work(database, until_empty=True)
    row = found(list_id)
    assert (row.state, row.encoding[:3], row.counts["good"]) == ("checked", "cp1", 1)
    [(first, listing, _)] = pricelists.list_page(list_id, open_shop.manager).first
    assert (first[0], listing.number if listing else "") == ("Ä-1", "Ä-1")


@pytest.mark.parametrize(
    ("file", "says"),
    [
        (b"only one\n" * 40, "names 2 to 120 columns"),
        (b"PK\x03\x04" + b"rest" * 200, "neither"),
        (GOOD.encode() * 1 + b"\n" * 200, "at least one row"),
        (GOOD.encode() + b";" * 100_100, "at most 100,000 characters"),
    ],
    ids=["no columns", "no workbook", "no row", "an endless line"],
)
def test_a_long_file_that_is_no_list_says_why_and_is_not_kept(
    open_shop: Shop, database: str, monkeypatch: pytest.MonkeyPatch, file: bytes, says: str
) -> None:
    monkeypatch.setattr(pricelists, "is_slow", lambda _: True)
    by, now = open_shop.manager, open_shop.now
    list_id = pricelists.look_at_list("", "Odd Wharf", "odd.csv", io.BytesIO(file), by, now)
    worker.work(database, until_empty=True)
    row = found(list_id)
    assert (row.state, row.rows_total, row.turn) == ("failed", 0, 1)
    assert says in said(row.says)
    assert store.load_piece(list_id, 0) == b""
    assert pricelists.list_page(list_id, by).header == ()


def test_a_list_from_before_lists_lay_in_pieces_is_read_as_it_came(shop: Shop) -> None:
    list_id = look(shop, *ROWS)
    store.save_pieces(list_id, [csv_of(*ROWS).decode().encode("utf-16")])
    store.save_list(list_id, encoding="", says="what an older release wrote", state="checked")
    assert pricelists.list_page(list_id, shop.manager).header[0] == "SKU"
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    read(list_id)
    assert offers() == {"A-1": 5_800, "A-2": 4_990}


def test_work_that_breaks_off_for_good_says_so(
    open_shop: Shop, database: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    def never(*_: Any) -> None:
        raise RuntimeError("the light went out")

    list_id = look(open_shop, *ROWS, new="Dim Lane")
    pricelists.read_good_rows(list_id, open_shop.manager, open_shop.now)
    monkeypatch.setattr(store, "save_listed", never)
    monkeypatch.setattr(pricelists, "TRIES", 1)
    worker.work(database, until_empty=True)
    assert found(list_id).state == "failed"
    assert "the light went out" in found(list_id).says


def test_a_reader_that_was_overtaken_writes_nothing_when_it_wakes(shop: Shop) -> None:
    list_id = look(shop, "A-1;panel;XP-1;61,50;40;359,5;223,8;1366x768;new")
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    asleep = pricelists._begin(list_id, "reading")
    assert asleep
    awake = pricelists._begin(list_id, "reading")
    assert awake
    assert not pricelists._write(asleep, [], 1, NOW)
    assert pricelists._write(awake, [], 1, NOW)
    pricelists._finish(asleep, NOW)
    assert (found(list_id).state, found(list_id).rows_done) == ("reading", 1)
    pricelists._finish(awake, NOW)
    assert found(list_id).state == "read"


def test_a_file_that_ends_its_reader_is_given_up_after_three_tries_with_its_reason(shop: Shop) -> None:
    list_id = look(shop, "A-1;panel;XP-1;61,50;40;359,5;223,8;1366x768;new")
    pricelists.read_good_rows(list_id, shop.manager, shop.now)
    begun = [pricelists._begin(list_id, "reading") for _ in range(5)]
    assert [one is not None for one in begun] == [True, True, True, False, False]
    assert found(list_id).state == "failed"
    assert "begun 3 times" in said(found(list_id).says)
    # one that gets further has all its tries again
    other = look(shop, "A-1;panel;XP-1;61,50;40;359,5;223,8;1366x768;new")
    pricelists.read_good_rows(other, shop.manager, shop.now)
    for _ in range(5):
        one = pricelists._begin(other, "reading")
        assert one
        assert pricelists._write(one, [], 1, NOW)
