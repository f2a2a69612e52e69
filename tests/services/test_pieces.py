"""Single pieces from the parcel to the device, on the real database."""

from __future__ import annotations

import io
from datetime import timedelta

import peewee
import pytest
from builders import NOW, PLAIN, Shop
from PIL import Image

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound, StaleSave
from sutura.core.matching.offers import Offer
from sutura.core.stock.levels import PartFate
from sutura.core.stock.orders import Cause, ReturnState
from sutura.core.stock.pieces import Film, Found, PieceState, film_of, label_of
from sutura.devices import plug, plugged
from sutura.devices.ports import Stopped
from sutura.devices.simulated.label_printer import SimulatedPrinter
from sutura.services import bench, identify, matching, orders, pieces, reordering, stock
from sutura.store import orders as orders_store
from sutura.store import pieces as store
from sutura.store import returns as returns_store
from sutura.store import stock as stock_store
from sutura.store.database import DATABASE, raw

PART = "P-2001"
CHEAP = "P-4001"


def here(shop: Shop, barcode: str = PART) -> list[store.PieceRow]:
    """The pieces of a part that are in the shop, the oldest first."""
    part = stock_store.load_part(barcode).id
    return [piece for piece in store.pieces_of(part) if piece.is_here][::-1]


def arrived(shop: Shop, count: int = 2) -> list[store.PieceRow]:
    """Pieces out of a parcel."""
    order = shop.ordered(PART, count)
    [line] = orders_store.load_lines(order)
    orders.receive_parcel(order, {line.id: {"good": str(count)}}, shop.manager, shop.tick())
    return here(shop)[-count:]


def look(shop: Shop, piece: store.PieceRow, then: str = "keep", **typed: str) -> None:
    seen = {check.id: "right" for check in pieces.checks_of(piece.part_id)}
    pieces.look_at(piece.label, {**seen, "then": then, **typed}, piece.version, shop.manager, shop.tick())


def again(piece: store.PieceRow) -> store.PieceRow:
    found = store.load_piece(piece.id)
    assert found
    return found


def test_what_is_less_than_was_bought_is_no_stock_of_it_for_match(shop: Shop) -> None:
    """Rule stock.less-is-not-it: two here, one of them kept as grade C: one is free; with that taken the part
    has to be ordered, though the shelf is not empty.
    """
    first, second = arrived(shop)
    part = first.part_id

    def offer() -> Offer:
        there = [one.judged.offer for one in matching.match_model(PLAIN, NOW)[1].offers]
        return next(one for one in there if one.part_id == part)

    assert (offer().free, offer().less) == (2, 0)
    picture = io.BytesIO()
    Image.new("RGB", (60, 40), "red").save(picture, "PNG")
    wrong = {"all": "wrong", "note": "a scratch", "grade": "grade C"}
    with pytest.raises(ManyInvalid) as refused:
        pieces.look_at(first.label, wrong, first.version, shop.counter, shop.now, b"no picture")
    assert "photo" in refused.value.by_field
    pieces.look_at(first.label, wrong, first.version, shop.counter, shop.tick(), picture.getvalue())
    assert (offer().free, offer().less, offer().less_as) == (1, 1, "grade C")
    [shown] = pieces.piece_page(first.label, shop.now).photos
    assert shown.says == "a scratch"
    shop.held(PLAIN)
    assert (offer().free, offer().less) == (0, 1)
    assert again(second).job
    # taken by its label it is no free piece any more
    assert not again(first).job


def test_each_piece_of_a_parcel_is_known_with_whom_it_came_from_and_until_when_it_can_go_back(
    shop: Shop,
) -> None:
    first, second = arrived(shop)
    order = orders_store.load_order(first.order_id or 0)
    assert order
    assert {first.supplier_id, second.supplier_id} == {order.supplier_id}
    day = reordering.today(shop.now)
    assert first.return_by
    assert day < first.return_by <= day + timedelta(days=60)
    assert (first.film, first.found, first.place) == (Film.ON, Found.UNKNOWN, stock_store.load_part(PART).bin)
    assert first.cost_minor == second.cost_minor == orders_store.load_lines(order.id)[0].price_minor
    assert [line.kind for line in store.history_of(first.id)] == ["receipt"]


def test_from_which_cost_on_a_piece_is_known_is_the_shops_and_once_it_is_it_stays_so(shop: Shop) -> None:
    part = stock_store.load_part(PART).id
    raw("update shop set pieces_from_minor = 5800")
    shop.receive(PART, 3, "57.99")
    assert not store.is_tracked(part)
    code = shop.held(PLAIN)
    shop.receive(PART, 1, "58.00")
    assert store.is_tracked(part)
    # what was there before is known from here on too, and who held one holds this one
    assert [piece.cost_minor for piece in here(shop)] == [5799, 5799, 5799, 5800]
    assert [piece.job for piece in here(shop)] == [code, "", "", ""]
    shop.receive(PART, 1, "1.00")
    assert len(here(shop)) == 5
    assert raw("select value_minor from part where id = %s", part).fetchone() == (3 * 5799 + 5800 + 100,)


def test_what_cannot_be_shared_evenly_is_shared_to_the_cent(shop: Shop) -> None:
    part = stock_store.load_part(PART).id
    raw("update shop set pieces_from_minor = 1000000000")
    shop.receive(PART, 1, "58.00")
    shop.receive(PART, 2, "58.01")
    stock.correct_count(PART, "2", "one is lost", shop.manager, shop.tick())
    (value,) = raw("select value_minor from part where id = %s", part).fetchone()
    store.track(part)
    assert sum(piece.cost_minor for piece in here(shop)) == value
    costs = [piece.cost_minor for piece in here(shop)]
    assert max(costs) - min(costs) <= 1


def test_the_piece_that_can_go_back_the_shortest_is_held_and_its_own_cost_is_the_jobs(shop: Shop) -> None:
    shop.receive(PART, 1, "40.00")
    [late] = arrived(shop, 1)
    raw("update piece set return_by = return_by - 3 where id = %s", late.id)
    arrived(shop, 1)
    code = shop.at_proof(PLAIN)
    assert again(late).job == code
    shop.test(code)
    while shop.job(code).closing.finished_at is None and shop.job(code).stage.value == "proved":
        shop.step(code)
    assert shop.job(code).closing.cost_minor == late.cost_minor
    fitted = again(late)
    assert (fitted.state, fitted.job) == (PieceState.FITTED, code)
    with pytest.raises(Invalid):
        look(shop, fitted)


def test_another_piece_is_taken_by_its_label_and_no_held_or_foreign_one(shop: Shop) -> None:
    shop.receive("P-1001", 1)
    first, second = arrived(shop)
    code, other = shop.held(PLAIN), shop.held(PLAIN)
    held = {again(piece).job: piece for piece in (first, second)}
    assert set(held) == {code, other}
    with pytest.raises(Invalid) as taken:
        pieces.take_this_piece(code, held[other].label, shop.counter, shop.tick())
    assert taken.value.field == "label"
    stock.give_back_part(other, shop.counter, shop.tick())
    pieces.take_this_piece(code, held[other].label, shop.counter, shop.tick())
    assert [again(piece).job for piece in (held[code], held[other])] == ["", code]
    pieces.take_this_piece(code, held[other].label, shop.counter, shop.tick())
    assert len(stock_store.held_of(shop.job(code).id)) == 1
    with pytest.raises(Invalid):
        pieces.take_this_piece(code, here(shop, "P-1001")[0].label, shop.counter, shop.tick())
    for label in ("S-1", "x"):
        with pytest.raises(ManyInvalid):
            pieces.take_this_piece(code, label, shop.counter, shop.tick())
    with pytest.raises(NotFound):
        pieces.take_this_piece(code, label_of(987_654), shop.counter, shop.tick())


def test_looking_at_a_piece_says_what_it_is_and_unknown_stays_open(shop: Shop) -> None:
    first, second = arrived(shop)
    look(shop, first, dust="")
    assert again(first).found is Found.UNKNOWN
    look(shop, again(first))
    assert again(first).found is Found.AS_BOUGHT
    look(shop, second, dust="wrong", note="a hair under the film", grade="grade C")
    kept = again(second)
    assert (kept.found, kept.found_grade) == (Found.LESS, "grade C")
    [told] = [one for one in store.history_of(second.id) if one.kind == "looked_at"]
    assert (told.note, told.detail["verdict"], told.detail["open"]) == (
        "a hair under the film",
        "not_as_bought",
        ["dust"],
    )
    # what is less is taken last
    assert pieces.choose_piece(first.part_id, shop.now) == first.id


@pytest.mark.parametrize(
    ("then", "typed", "fields"),
    [
        ("keep", {"dust": "wrong"}, {"note", "grade"}),
        ("keep", {"dust": "maybe"}, {"seen.dust"}),
        ("dead", {}, {"then"}),
        ("sold", {}, {"then"}),
        ("dead", {"picture": "wrong"}, {"note"}),
        ("dead", {"picture": "wrong", "note": "x" * 201}, {"note"}),
    ],
)
def test_what_does_not_go_together_is_refused_at_its_field(
    shop: Shop, then: str, typed: dict[str, str], fields: set[str]
) -> None:
    [piece] = arrived(shop, 1)
    with pytest.raises(ManyInvalid) as refused:
        look(shop, piece, then, **typed)
    assert set(refused.value.by_field) == fields
    assert again(piece).is_here


def test_a_dead_piece_goes_back_to_who_sold_it_for_what_it_cost(shop: Shop) -> None:
    [piece] = arrived(shop, 1)
    look(shop, piece, "dead", picture="wrong", note="no picture")
    gone = again(piece)
    assert gone.state is PieceState.GONE
    [row] = [one for one in returns_store.open_returns() if one.part == piece.part]
    assert (row.cause, row.state, row.owed_minor, row.send_by) == (
        Cause.DEAD,
        ReturnState.TO_SEND,
        piece.cost_minor,
        piece.return_by,
    )
    assert store.history_of(piece.id)[0].kind in ("returned", "looked_at")
    with pytest.raises(StaleSave):
        look(shop, piece)
    with pytest.raises(Invalid):
        look(shop, gone)


def test_what_cannot_go_back_is_kept_or_written_off(shop: Shop) -> None:
    [piece] = arrived(shop, 1)
    pieces.take_film_off(piece.label, True, piece.version, shop.bram, shop.tick())
    off = again(piece)
    wrong = {"picture": "wrong", "note": "no picture"}
    with pytest.raises(ManyInvalid) as refused:
        look(shop, off, "dead", **wrong)
    assert "then" in refused.value.by_field
    look(shop, off, "write_off", **wrong)
    assert again(piece).state is PieceState.GONE
    [row] = raw(
        "select state, cause, owed_minor from supplier_return where piece_id = %s", piece.id
    ).fetchall()
    assert row == ("borne", "broken", piece.cost_minor)
    # one that nobody sold leaves no return behind
    shop.receive(PART, 1)
    own = here(shop)[-1]
    look(shop, own, "write_off", **wrong)
    assert raw("select count(*) from supplier_return where piece_id = %s", own.id).fetchone() == (0,)


def test_a_held_piece_is_not_sent_away_under_its_job(shop: Shop) -> None:
    piece, _ = arrived(shop)
    code = shop.held(PLAIN)
    with pytest.raises(ManyInvalid) as refused:
        look(shop, piece, "dead", picture="wrong", note="no picture")
    assert "then" in refused.value.by_field
    assert again(piece).job == code
    with pytest.raises(peewee.IntegrityError, match="promised"), DATABASE.atomic():
        raw(
            "insert into stock_move (part_id, quantity, kind, note, person_id, at, piece_id) "
            "values (%s, -1, 'written_off', 'x', %s, now(), %s)",
            piece.part_id,
            shop.manager.id,
            piece.id,
        )


def test_a_film_comes_off_once_and_only_on_purpose_of_what_was_not_tried(shop: Shop) -> None:
    first, second = arrived(shop)
    with pytest.raises(Invalid) as refused:
        pieces.take_film_off(first.label, False, first.version, shop.bram, shop.tick())
    assert refused.value.field == "sure"
    look(shop, second)
    pieces.take_film_off(second.label, False, again(second).version, shop.bram, shop.tick())
    assert again(second).film is Film.OFF
    assert store.history_of(second.id)[0].kind == "film_off"
    with pytest.raises(Invalid):
        pieces.take_film_off(second.label, True, again(second).version, shop.bram, shop.tick())
    with pytest.raises(StaleSave):
        pieces.take_film_off(first.label, True, first.version + 1, shop.bram, shop.tick())


def test_a_piece_is_moved_to_another_place_and_its_way_is_kept(shop: Shop) -> None:
    [piece] = arrived(shop, 1)
    pieces.move_piece(piece.label, " Bench 2 ", piece.version, shop.bram, shop.tick())
    assert again(piece).place == "Bench 2"
    assert store.history_of(piece.id)[0].detail == {"from": piece.place, "to": "Bench 2"}
    for place in ("", "x" * 41):
        with pytest.raises(ManyInvalid):
            pieces.move_piece(piece.label, place, again(piece).version, shop.bram, shop.tick())


def test_a_count_misses_the_pieces_that_are_used_last_and_finds_the_same_again(shop: Shop) -> None:
    shop.receive(PART, 3)
    before = [piece.id for piece in here(shop)]
    stock.correct_count(PART, "1", "two are lost", shop.manager, shop.tick())
    assert [piece.id for piece in here(shop)] == before[:1]
    stock.correct_count(PART, "4", "behind the shelf", shop.manager, shop.tick())
    assert [piece.id for piece in here(shop)][:3] == before
    assert len(here(shop)) == 4


def test_a_part_that_fails_after_it_worked_is_the_warrantys(shop: Shop) -> None:
    arrived(shop, 1)
    code = shop.closed(PLAIN)
    bench.reopen(code, "it flickers", shop.bram, shop.tick())
    [held] = stock_store.held_of(shop.job(code).id)
    assert held.piece_id
    back = store.load_piece(held.piece_id)
    assert back
    assert (back.state, back.film, back.job) == (PieceState.HERE, Film.OFF, code)
    fates = {held.part_id: PartFate.DEFECTIVE.value}
    bench.give_up(code, fates, "it flickers for good", shop.bram, shop.tick())
    [row] = raw(
        "select cause, state, owed_minor, supplier_id from supplier_return where piece_id = %s", held.piece_id
    ).fetchall()
    assert row == ("warranty", "to_send", back.cost_minor, back.supplier_id)


def test_labels_are_printed_and_what_did_not_come_out_is_printed_later(shop: Shop) -> None:
    three = arrived(shop, 3)
    order = three[0].order_id or 0
    before = plugged().label_printer
    printer = SimulatedPrinter(["empty"])
    plug(label_printer=printer)
    try:
        printed = pieces.print_labels([piece.label for piece in three], shop.manager, shop.tick())
        assert (printed.count, printed.stopped) == (2, Stopped.EMPTY)
        assert [piece.id for piece in store.without_label(order)] == [three[2].id]
        assert pieces.print_labels([three[2].label], shop.manager, shop.tick()).count == 1
        assert store.without_label(order) == []
        assert len(printer.printed) == 3
        plug(label_printer=SimulatedPrinter(["away"]))
        with pytest.raises(Invalid) as away:
            pieces.print_labels([three[0].label], shop.manager, shop.tick())
        assert away.value.field == "labels"
        with pytest.raises(Invalid):
            pieces.print_labels([], shop.manager, shop.tick())
    finally:
        plug(label_printer=before)
    assert pieces.why_stopped("empty")
    assert pieces.why_stopped("<b>") == ""


def test_what_is_pressing_stands_on_the_shelf_until_it_is_tried(shop: Shop) -> None:
    first, second = arrived(shop)
    day = reordering.today(shop.now)
    raw("update piece set return_by = %s where id = %s", day + timedelta(days=4), first.id)
    raw("update piece set return_by = %s where id = %s", day + timedelta(days=5), second.id)
    assert [piece.id for piece in reordering.shelf_page(shop.now).untried] == [first.id]
    single = pieces.pieces_page(first.part_id, shop.now)
    assert (set(single.urgent), set(single.returnable)) == ({first.id}, {first.id, second.id})
    page = pieces.piece_page(first.label, shop.now)
    assert (page.days_left, page.urgent) == (4, True)
    look(shop, first)
    assert reordering.shelf_page(shop.now).untried == []


def test_a_label_is_found_by_scanning_it(shop: Shop) -> None:
    [piece] = arrived(shop, 1)
    assert identify.find(piece.label.lower()).address == f"/pieces/{piece.label}"


def test_who_may_what(shop: Shop) -> None:
    [piece] = arrived(shop, 1)
    for refused in (
        lambda: pieces.look_at(piece.label, {}, piece.version, shop.bram, shop.now),
        lambda: pieces.print_labels([piece.label], shop.bram, shop.now),
    ):
        with pytest.raises(NotAllowed):
            refused()


@pytest.mark.parametrize(
    "statement",
    [
        "update piece set state = 'gone'",
        "update piece set cost_minor = 1",
        "delete from piece",
        "insert into stock_move (part_id, quantity, kind, note, person_id, at) "
        "select id, -1, 'count', 'x', 1, now() from part where by_piece",
        "insert into stock_move (part_id, quantity, kind, note, person_id, at, piece_id) "
        "select part_id, 1, 'count', 'x', (select min(id) from person), now(), id from piece",
        "insert into reservation (part_id, job_id, state, person_id, at) "
        "select id, (select min(id) from job), 'held', (select min(id) from person), now() "
        "from part where by_piece",
        "insert into piece (part_id, cost_minor, at) select id, 5, now() from part where by_piece",
    ],
)
def test_nobody_goes_round_the_ledger(shop: Shop, statement: str) -> None:
    shop.take_in(PLAIN)
    arrived(shop, 1)
    DATABASE.execute_sql("set constraints all immediate")
    with pytest.raises(peewee.DatabaseError), DATABASE.atomic():
        DATABASE.execute_sql(statement)


def test_the_database_knows_the_film_of_each_kind_as_the_rule_does(shop: Shop) -> None:
    kinds = [kind for (kind,) in raw("select distinct kind from part").fetchall()]
    assert len(kinds) > 5
    for kind in kinds:
        assert raw("select film_of(%s)", kind).fetchone() == (film_of(kind).value,), kind
    shop.receive("P-3104", 1, "25.00")
    for piece in here(shop, "P-3104"):
        assert piece.film is film_of(piece.kind)
