"""Orders, returns, counts: what came, who pays, and who loses a piece."""

from __future__ import annotations

import itertools
from datetime import date, timedelta

import pytest
from builders import NOW

from sutura.core.errors import Invalid
from sutura.core.stock.orders import (
    OPEN_RETURNS,
    SHOP_PAYS,
    Arrived,
    Cause,
    Holding,
    LineState,
    ReturnState,
    broken_promises,
    cause_of,
    check_parcel,
    check_return_move,
    is_done,
    is_odd,
    last_day,
)


def test_a_parcel_is_counted_up_and_more_than_is_to_come_is_refused() -> None:
    line = LineState(quantity=5, short=1)
    assert line.to_come == 4
    after = check_parcel(line, {Arrived.GOOD: 1, Arrived.DEAD: 1, Arrived.WRONG: 1, Arrived.EXTRA: 7})
    assert (after.good, after.bad, after.to_come) == (1, 2, 1)
    assert not is_done([after])
    assert is_done([check_parcel(after, {Arrived.GOOD: 1})])
    with pytest.raises(Invalid, match="at most 1"):
        check_parcel(after, {Arrived.GOOD: 1, Arrived.DAMAGED: 1})
    assert check_parcel(after, {}) == after


def test_whatever_came_not_good_goes_back_for_the_same_cause_and_only_what_we_broke_is_ours() -> None:
    assert {cause_of(arrived) for arrived in Arrived if arrived is not Arrived.GOOD} == set(Cause) - {
        Cause.BROKEN,
        Cause.WARRANTY,
    }
    assert {Cause.BROKEN} == SHOP_PAYS


def test_the_last_day_to_send_back() -> None:
    assert last_day(date(2031, 2, 20), 14) == date(2031, 3, 6)
    assert last_day(date(2031, 2, 20), 0) == date(2031, 2, 20)


def test_a_return_goes_its_way_and_no_other() -> None:
    allowed = set()
    for state, to in itertools.product(ReturnState, ReturnState):
        try:
            check_return_move(state, to, Cause.DEAD)
            allowed.add((state.value, to.value))
        except Invalid:
            pass
    assert allowed == {
        ("to_send", "sent"),
        ("to_send", "refunded"),
        ("to_send", "borne"),
        ("sent", "refunded"),
        ("sent", "refused"),
    }
    # every open state has a way out, no closed one has
    assert {state for state, _ in allowed} == {state.value for state in OPEN_RETURNS}


def test_with_fewer_than_promised_those_promised_last_lose_theirs() -> None:
    jobs = [
        Holding(code=code, promise_at=NOW + timedelta(hours=hours))
        for code, hours in (("A", 5), ("B", 1), ("C", 9))
    ]
    assert broken_promises(jobs, 3) == ()
    assert broken_promises(jobs, 2) == ("C",)
    assert broken_promises(jobs, 1) == ("A", "C")
    assert broken_promises(jobs, 0) == ("B", "A", "C")
    same = [Holding(code=code, promise_at=NOW) for code in ("X", "M")]
    assert broken_promises(same, 1) == ("X",)


def test_what_lies_on_the_bench_is_there_and_keeps_its_piece() -> None:
    late = Holding(code="A", promise_at=NOW + timedelta(days=9), on_bench=True)
    soon = Holding(code="B", promise_at=NOW)
    assert broken_promises([late, soon], 1) == ("B",)
    assert broken_promises([late, soon], 2) == ()
    with pytest.raises(Invalid, match="1 at least"):
        broken_promises([late, soon], 0)


@pytest.mark.parametrize(
    ("expected", "counted", "cost", "odd"),
    [
        (5, 5, 90_000, False),
        (5, 4, 4_999, False),
        (5, 4, 5_000, True),
        (5, 6, 5_000, True),
        (5, 3, 0, True),
        (5, 7, 0, True),
    ],
)
def test_what_is_far_off_or_dear_is_counted_again(expected: int, counted: int, cost: int, odd: bool) -> None:
    assert is_odd(expected, counted, cost) is odd
