"""The shelf's rules."""

from __future__ import annotations

import pytest

from sutura.core.errors import AlreadyHeld, Invalid, OutOfStock
from sutura.core.stock.levels import Level, MoveKind, check_reserve, check_stock_move, replay


def test_free_is_on_hand_less_promised() -> None:
    assert Level(part="Heron front", on_hand=3, holders=("00-KV6",)).free == 2


def test_the_loser_of_the_last_piece_is_told_which_job_has_it() -> None:
    with pytest.raises(OutOfStock, match="the last one is promised to job 00-KV6") as lost:
        check_reserve(Level(part="Heron front", on_hand=1, holders=("00-KV6",)), "1W-6SF")
    assert lost.value.holders == ("00-KV6",)


def test_an_empty_shelf_says_so() -> None:
    with pytest.raises(OutOfStock, match="none is on the shelf"):
        check_reserve(Level(part="Heron front", on_hand=0, holders=()), "1W-6SF")


def test_a_job_holds_one_part_at_a_time() -> None:
    with pytest.raises(AlreadyHeld, match="Give it back"):
        check_reserve(Level(part="Heron front", on_hand=5, holders=()), "1W-6SF", "another front")


@pytest.mark.parametrize(
    ("quantity", "kind"),
    [(0, MoveKind.COUNT), (-1, MoveKind.RECEIPT), (-2, MoveKind.COUNT), (10_001, MoveKind.RECEIPT)],
)
def test_moves_that_make_no_sense_are_refused(quantity: int, kind: MoveKind) -> None:
    with pytest.raises(Invalid):
        check_stock_move(Level(part="x", on_hand=2, holders=("00-KV6",)), quantity, kind)


def test_pieces_not_promised_may_be_counted_away() -> None:
    check_stock_move(Level(part="x", on_hand=2, holders=("00-KV6",)), -1, MoveKind.COUNT)


def test_ten_thousand_come_at_once_and_no_more() -> None:
    check_stock_move(Level(part="x", on_hand=0, holders=()), 10_000, MoveKind.RECEIPT)


def test_a_ledger_that_ever_falls_below_nothing_is_refused() -> None:
    assert replay([3, -1, -2]) == 0
    with pytest.raises(Invalid):
        replay([1, -2, 5])
