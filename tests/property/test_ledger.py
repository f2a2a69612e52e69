"""Rules: the ledger's sum is never negative; reservations never exceed what is on hand. Core first, then the
database.
"""

from __future__ import annotations

import contextlib

import peewee
import pytest
from builders import FEWER, PLAIN, Shop
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule, run_state_machine_as_test

from sutura.core.errors import Refusal
from sutura.core.stock.levels import Level, MoveKind, check_reserve, check_stock_move, move_value, replay
from sutura.services import orders, pieces, stock
from sutura.store import orders as orders_store
from sutura.store import pieces as pieces_store
from sutura.store import stock as store
from sutura.store.database import DATABASE, raw

deeds = st.lists(
    st.one_of(
        st.tuples(st.sampled_from(list(MoveKind)), st.integers(-6, 6)),
        st.just(("reserve", 0)),
        st.just(("release", 0)),
    ),
    max_size=40,
)


@given(deeds)
def test_core_never_lets_the_shelf_owe_anything(walk: list[tuple[str, int]]) -> None:
    ledger: list[int] = []
    holders: tuple[str, ...] = ()
    for what, quantity in walk:
        level = Level(part="x", on_hand=sum(ledger), holders=holders)
        with contextlib.suppress(Refusal):
            if what == "reserve":
                check_reserve(level, f"job {len(holders)}")
                holders += (f"job {len(holders)}",)
            elif what == "release":
                holders = holders[:-1]
            else:
                check_stock_move(level, quantity, MoveKind(what))
                ledger.append(quantity)
        assert replay(ledger) >= len(holders) >= 0


@given(st.lists(st.tuples(st.integers(-5, 9).filter(bool), st.none() | st.integers(0, 100_000)), max_size=40))
def test_value_in_is_value_on_hand_and_value_out_whatever_the_moves(
    walk: list[tuple[int, int | None]],
) -> None:
    value = pieces = came_in = went_out = 0
    for quantity, unit_cost in walk:
        if pieces + quantity < 0:
            continue
        moved = move_value(value, pieces, quantity, unit_cost)
        before = value / pieces if pieces else None
        value, pieces = value + moved, pieces + quantity
        came_in += max(moved, 0)
        went_out += max(-moved, 0)
        assert value >= 0
        assert pieces > 0 or value == 0
        assert (moved >= 0) == (quantity > 0) or moved == 0
        if before is not None and pieces and not (quantity > 0 and unit_cost is not None):
            # half a cent of rounding over the pieces that are left
            assert abs(value / pieces - before) <= 0.5 / pieces + 1e-9, "the average stays"
    assert came_in == value + went_out


class Shelf(RuleBasedStateMachine):
    """Random deeds by the real services on the real database; the levels always agree with the ledger."""

    pieces_from_minor = 1_000_000_000

    def __init__(self) -> None:
        super().__init__()
        self.transaction = DATABASE.atomic()
        self.inside = self.transaction.__enter__()
        self.shop = Shop()
        raw("update shop set pieces_from_minor = %s", self.pieces_from_minor)
        self.part = store.load_part("P-2001").id
        self.jobs = [self.shop.quoted(PLAIN) for _ in range(3)]

    def teardown(self) -> None:
        self.inside.rollback()
        self.transaction.__exit__(None, None, None)

    @rule(pieces=st.integers(0, 3), cost=st.sampled_from(["58.00", "61.99", "0.07", ""]))
    def receive(self, pieces: int, cost: str) -> None:
        with contextlib.suppress(Refusal):
            stock.receive("P-2001", str(pieces), cost, "", self.shop.manager, self.shop.tick())

    @rule(good=st.integers(0, 3), dead=st.integers(0, 2))
    def order_and_unpack(self, good: int, dead: int) -> None:
        with contextlib.suppress(Refusal):
            order = self.shop.ordered("P-2001", 4)
            [line] = orders_store.load_lines(order)
            found = {"good": str(good), "dead": str(dead), "note": "no picture"}
            orders.receive_parcel(order, {line.id: found}, self.shop.manager, self.shop.tick())

    @rule(which=st.integers(0, 2))
    def fit(self, which: int) -> None:
        """What closing a job writes."""
        held = store.held_of(self.shop.job(self.jobs[which]).id)
        for held_part in held:
            store.save_reservation(held_part.id, "fitted")
            store.add_stock_move(
                part=held_part.part_id,
                quantity=-1,
                kind="fitted",
                job=self.shop.job(self.jobs[which]).id,
                unit_cost_minor=store.average_cost(held_part.part_id),
                note="",
                person=self.shop.manager.id,
                at=self.shop.tick(),
                piece_id=held_part.piece_id,
            )
            # the next device of the same kind
            self.jobs[which] = self.shop.quoted(PLAIN)

    @rule(pieces=st.integers(0, 4))
    def count(self, pieces: int) -> None:
        with contextlib.suppress(Refusal):
            stock.correct_count("P-2001", str(pieces), "counted", self.shop.manager, self.shop.tick())

    @rule(which=st.integers(0, 2))
    def take(self, which: int) -> None:
        with contextlib.suppress(Refusal):
            stock.take_part(self.jobs[which], self.shop.counter, self.shop.tick())

    @rule(which=st.integers(0, 2))
    def give_back(self, which: int) -> None:
        with contextlib.suppress(Refusal):
            stock.give_back_part(self.jobs[which], self.shop.counter, self.shop.tick())

    @invariant()
    def levels_agree_with_the_ledger(self) -> None:
        ledger = raw(
            "select coalesce(sum(quantity), 0) from stock_move where part_id = %s", self.part
        ).fetchone()[0]
        held = raw(
            "select count(*) from reservation where part_id = %s and state = 'held'", self.part
        ).fetchone()[0]
        on_hand, held_column = DATABASE.execute_sql(
            "select on_hand, held from part where id = %s", (self.part,)
        ).fetchone()
        assert (on_hand, held_column) == (ledger, held)
        assert 0 <= held <= ledger

    @invariant()
    def what_came_in_is_worth_what_is_there_and_what_went_out(self) -> None:
        moves = raw(
            "select quantity, unit_cost_minor, value_minor from stock_move where part_id = %s order by id",
            self.part,
        ).fetchall()
        value = pieces = 0
        for quantity, unit_cost, moved in moves:
            assert moved == move_value(value, pieces, quantity, unit_cost)
            value, pieces = value + moved, pieces + quantity
            assert value >= 0
            assert pieces > 0 or value == 0
        kept = raw("select value_minor from part where id = %s", self.part).fetchone()[0]
        came_in = sum(moved for *_, moved in moves if moved > 0)
        went_out = -sum(moved for *_, moved in moves if moved < 0)
        assert kept == value == came_in - went_out

    @invariant()
    def a_promise_ends_with_its_piece(self) -> None:
        fitted = raw(
            "select count(*) from reservation where part_id = %s and state = 'fitted'", self.part
        ).fetchone()[0]
        moves = raw(
            "select count(*) from stock_move where part_id = %s and kind = 'fitted'", self.part
        ).fetchone()[0]
        assert fitted == moves


class DearShelf(Shelf):
    """The same of a part whose every piece is known (rule stock.by-piece)."""

    pieces_from_minor = 2_000

    @rule(label=st.integers(0, 3), wrong=st.booleans(), then=st.sampled_from(["keep", "dead", "write_off"]))
    def look_at(self, label: int, wrong: bool, then: str) -> None:
        here = [piece for piece in pieces_store.pieces_of(self.part) if piece.is_here]
        with contextlib.suppress(Refusal, IndexError):
            piece = here[label]
            seen = {check.id: "right" for check in pieces.checks_of(self.part)}
            typed = seen | ({"whole": "wrong", "note": "no picture", "grade": "C"} if wrong else {})
            pieces.look_at(
                piece.label, typed | {"then": then}, piece.version, self.shop.manager, self.shop.tick()
            )

    @rule(which=st.integers(0, 2), label=st.integers(0, 3))
    def take_another(self, which: int, label: int) -> None:
        with contextlib.suppress(Refusal, IndexError):
            piece = pieces_store.pieces_of(self.part)[label]
            pieces.take_this_piece(self.jobs[which], piece.label, self.shop.counter, self.shop.tick())

    @invariant()
    def what_came_in_is_worth_what_is_there_and_what_went_out(self) -> None:
        if not pieces_store.is_tracked(self.part):
            return super().what_came_in_is_worth_what_is_there_and_what_went_out()
        on_hand, kept = raw("select on_hand, value_minor from part where id = %s", self.part).fetchone()
        here = [piece for piece in pieces_store.pieces_of(self.part) if piece.is_here]
        moved = raw("select coalesce(sum(value_minor), 0) from stock_move where part_id = %s", self.part)
        assert (on_hand, kept) == (len(here), sum(piece.cost_minor for piece in here))
        assert kept == moved.fetchone()[0]
        return None

    @invariant()
    def a_piece_is_held_once_and_only_while_it_is_here(self) -> None:
        if pieces_store.is_tracked(self.part):
            held = raw(
                "select count(*), count(distinct r.piece_id) from reservation r join piece p "
                "on p.id = r.piece_id and p.state = 'here' where r.part_id = %s and r.state = 'held'",
                self.part,
            ).fetchone()
            assert held == (store.load_part("P-2001").held,) * 2


@pytest.mark.parametrize("shelf", [Shelf, DearShelf])
def test_the_database_never_lets_the_shelf_owe_anything(shop: Shop, shelf: type[Shelf]) -> None:
    run_state_machine_as_test(
        shelf, settings=settings(max_examples=max(8 // FEWER, 3), stateful_step_count=12, deadline=None)
    )


@pytest.mark.parametrize(
    "statement",
    [
        "update part set on_hand = 99",
        "update part set held = 0, on_hand = 0",
        "update stock_move set quantity = 9",
        "delete from stock_move",
        "truncate stock_move cascade",
        "delete from reservation",
    ],
)
def test_nobody_goes_round_the_ledger(shop: Shop, statement: str) -> None:
    if not store.load_part("P-2001").free:
        shop.receive("P-2001")
    shop.held(PLAIN)
    with pytest.raises(peewee.DatabaseError), DATABASE.atomic():
        DATABASE.execute_sql(statement)
