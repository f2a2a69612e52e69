"""A quote and its answer: what may be accepted when, and what changed since the version before."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from builders import said

from sutura.core.errors import Invalid
from sutura.core.maths.money import Money
from sutura.core.quoting.answers import (
    CONDITIONS,
    DAYS,
    NONE,
    NotOpen,
    OfferedWay,
    QuoteRecord,
    QuoteState,
    changes,
    check_answer,
    valid_until,
    ways_from,
    ways_kept,
)

NOW = datetime(2031, 3, 3, 9, 0, tzinfo=UTC)


def tal(minor: int) -> Money:
    return Money(minor=minor, currency="TAL")


def way(key: str, price: int, consent: str = "") -> OfferedWay:
    return OfferedWay(
        key=key,
        name=key,
        price=tal(price),
        deposit=tal(0),
        wait_days=2,
        minutes=40,
        gets=("180 days of warranty",),
        consent=consent,
    )


QUOTE = QuoteRecord(
    id=1,
    job_id=1,
    code="7A-QQQ",
    model="Heron",
    version=1,
    ways=(way("glass", 9_900), way("front", 24_900, "the refresh is lower")),
    conditions=(),
    state=QuoteState.OPEN,
    answer="",
    answered_at=None,
    answered_by="",
    valid_until=valid_until(NOW),
    person_id=1,
    at=NOW,
)


def test_it_is_open_for_its_days_and_over_after() -> None:
    assert QUOTE.valid_until == NOW + timedelta(days=DAYS)
    assert QUOTE.state_at(QUOTE.valid_until) is QuoteState.OPEN
    assert QUOTE.state_at(QUOTE.valid_until + timedelta(seconds=1)) is QuoteState.EXPIRED
    done = replace(QUOTE, state=QuoteState.ACCEPTED)
    assert done.state_at(NOW + timedelta(days=99)) is QuoteState.ACCEPTED


def test_one_of_its_ways_or_none_is_answered() -> None:
    assert check_answer(QUOTE, "glass", NOW, agreed=False) == QUOTE.ways[0]
    assert check_answer(QUOTE, NONE, NOW, agreed=False) is None
    with pytest.raises(Invalid, match="one of the ways"):
        check_answer(QUOTE, "solder", NOW, agreed=True)
    with pytest.raises(Invalid, match="refresh is lower"):
        check_answer(QUOTE, "front", NOW, agreed=False)
    assert check_answer(QUOTE, "front", NOW, agreed=True) == QUOTE.ways[1]


@pytest.mark.parametrize("state", [state for state in QuoteState if state is not QuoteState.OPEN])
def test_what_is_not_open_is_never_accepted(state: QuoteState) -> None:
    quote = replace(QUOTE, state=state) if state is not QuoteState.EXPIRED else QUOTE
    now = NOW + timedelta(days=8) if state is QuoteState.EXPIRED else NOW
    for key in ("glass", NONE):
        with pytest.raises(NotOpen) as refused:
            check_answer(quote, key, now, agreed=True)
        assert refused.value.state is state


def test_what_changed_is_told_way_by_way() -> None:
    after = (way("glass", 11_900), way("lid", 30_000))
    assert [said(line) for line in changes(QUOTE, after)] == [
        "glass now costs 119.00 TAL instead of 99.00 TAL",
        "new: lid, 300.00 TAL",
        "no longer offered: front",
    ]
    assert changes(QUOTE, QUOTE.ways) == ()


def test_ways_are_read_back_as_they_were_kept() -> None:
    assert ways_from(ways_kept(QUOTE.ways), "TAL") == QUOTE.ways
    assert all(said(condition) for condition in CONDITIONS)
