"""Rules: the ledger's sum is never negative; reservations never exceed what is on hand. Core first, then the
database.
"""

from __future__ import annotations

import contextlib

import peewee
import pytest
from builders import PLAIN, Shop
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule, run_state_machine_as_test

from sutura.core.errors import Refusal
from sutura.core.stock.levels import Level, MoveKind, check_reserve, check_stock_move, replay
from sutura.services import stock
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


class Shelf(RuleBasedStateMachine):
    """Random deeds by the real services on the real database; the levels always agree with the ledger."""

    def __init__(self) -> None:
        super().__init__()
        self.transaction = DATABASE.atomic()
        self.inside = self.transaction.__enter__()
        self.shop = Shop()
        self.part = store.load_part("P-2001").id
        self.jobs = [self.shop.quoted(PLAIN) for _ in range(3)]

    def teardown(self) -> None:
        self.inside.rollback()
        self.transaction.__exit__(None, None, None)

    @rule(pieces=st.integers(0, 3))
    def receive(self, pieces: int) -> None:
        with contextlib.suppress(Refusal):
            stock.receive("P-2001", str(pieces), "58.00", "", self.shop.manager, self.shop.tick())

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


def test_the_database_never_lets_the_shelf_owe_anything(shop: Shop) -> None:
    run_state_machine_as_test(Shelf, settings=settings(max_examples=8, stateful_step_count=12, deadline=None))


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
