"""The ledger of a job by its law: whatever the order of payments, refunds, declines and repeats, it never
owes less than it should, nothing goes back that never came, and what is typed wrong changes nothing. The
judge keeps its own account, written from the rule alone.
"""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from builders import examples
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid
from sutura.core.handover.ledger import (
    Paid,
    PaidFor,
    balance_of,
    change_of,
    check_give_back,
    check_part,
    check_write_off,
    in_coins,
    whole_of,
)
from sutura.core.maths.money import Money, amount_text

AT = datetime(2031, 3, 3, 9, tzinfo=UTC)
deeds = st.lists(
    st.tuples(st.sampled_from(["pay", "back", "off", "repeat"]), st.integers(-5, 60_000)), max_size=14
)


def tal(minor: int) -> Money:
    return Money(minor=minor, currency="TAL")


def row(kind: PaidFor, minor: int) -> Paid:
    method = "cash" if kind in (PaidFor.REST, PaidFor.REFUND, PaidFor.DEPOSIT) else ""
    return Paid(kind=kind, amount_minor=minor, currency="TAL", method=method, at=AT, who="Pell")


@examples(600)
@given(price=st.integers(0, 50_000), todo=deeds)
def test_a_ledger_owes_what_its_price_less_money_and_credits_says(
    price: int, todo: list[tuple[str, int]]
) -> None:
    rows: list[Paid] = []
    came = went = less = 0
    last = ("pay", 0)
    for deed, minor in todo:
        what, amount = last if deed == "repeat" else (deed, minor)
        last = (what, amount)
        balance = balance_of(tal(price), rows)
        typed = amount_text(amount, "TAL")
        owed = price - less - came + went
        assert balance.owed.minor == owed
        assert balance.received.minor == came - went >= 0
        try:
            if what == "pay":
                part, _ = check_part(balance.due, typed, "cash")
                assert 0 < amount <= owed
                assert part.minor == amount
                rows.append(row(PaidFor.REST, amount))
                came += amount
            elif what == "back":
                back, credit, _ = check_give_back(balance, typed, "transfer", "goodwill")
                assert 0 < amount <= came - went
                assert credit.minor == max(amount - max(-owed, 0), 0)
                if credit.minor:
                    rows.append(row(PaidFor.CREDIT, credit.minor))
                    less += credit.minor
                rows.append(row(PaidFor.REFUND, back.minor))
                went += back.minor
            else:
                given_up = check_write_off(balance, typed, "does not pay")
                assert 0 < amount <= owed
                rows.append(row(PaidFor.WRITTEN_OFF, given_up.minor))
                less += given_up.minor
        except Invalid:
            limit = {"pay": owed, "off": owed, "back": came - went}[what]
            assert not 0 < amount <= limit
        assert price - less - came + went >= 0, "it never owes less than nothing by itself"
    assert balance_of(tal(price), rows).owed.minor == price - less - came + went


@given(kept=st.integers(0, 5_000), paid=st.integers(0, 9_000))
def test_a_job_that_is_not_repaired_owes_what_is_kept_of_it(kept: int, paid: int) -> None:
    rows = [row(PaidFor.DEPOSIT, paid)] if paid else []
    rows += [row(PaidFor.KEPT, kept)] if kept else []
    balance = balance_of(tal(14_900), rows, repaired=False)
    assert balance.owed.minor == kept - paid
    assert (balance.due.minor, balance.back.minor) == (max(kept - paid, 0), max(paid - kept, 0))


@given(minor=st.integers(0, 10**7), step=st.sampled_from([1, 5, 10, 20, 50, 100]))
def test_cash_is_rounded_to_the_nearest_coin_half_up(minor: int, step: int) -> None:
    coins = in_coins(tal(minor), step).minor
    assert coins % step == 0
    assert abs(coins - minor) * 2 <= step
    if (minor * 2) % step == 0 and minor % step:
        assert coins > minor


@pytest.mark.parametrize(
    ("due", "typed", "change"),
    [(14_995, "150", 5), (14_995, "149.95", 0), (14_995, "", 0), (100, "50,00", 4_900)],
)
def test_change_is_what_was_handed_over_less_what_is_due(due: int, typed: str, change: int) -> None:
    assert change_of(tal(due), typed).minor == change


@pytest.mark.parametrize("typed", ["149.94", "x", "-1", "1.234"])
def test_too_little_is_no_change(typed: str) -> None:
    with pytest.raises(Invalid) as refused:
        change_of(tal(14_995), typed)
    assert refused.value.field == "handed_over"


@pytest.mark.parametrize("reason", ["", "    ", "no", "x" * 301])
def test_what_is_credited_or_given_up_says_why(reason: str) -> None:
    paid = balance_of(tal(1_000), [row(PaidFor.REST, 1_000)])
    with pytest.raises(Invalid, match=r".*"):
        check_give_back(paid, "5.00", "cash", reason)
    with pytest.raises(Invalid, match=r".*"):
        check_write_off(balance_of(tal(1_000), []), "5.00", reason)


def test_five_characters_are_a_reason() -> None:
    paid = balance_of(tal(1_000), [row(PaidFor.REST, 1_000)])
    assert check_give_back(paid, "5.00", "cash", "seven")[1].minor == 500
    assert check_write_off(balance_of(tal(1_000), []), "5.00", "x" * 300).minor == 500


@pytest.mark.parametrize(
    ("typed", "taken"), [("0", False), ("0.01", True), ("10.00", True), ("10.01", False)]
)
def test_something_is_given_up_and_at_most_all_of_it(typed: str, taken: bool) -> None:
    owed = balance_of(tal(1_000), [])
    if taken:
        assert check_write_off(owed, typed, "does not pay")
    else:
        with pytest.raises(Invalid):
            check_write_off(owed, typed, "does not pay")


def test_what_was_paid_too_much_goes_back_without_a_credit() -> None:
    paid = balance_of(tal(1_000), [row(PaidFor.REST, 1_500)])
    back, credit, _ = check_give_back(paid, "5.00", "card", "")
    assert (back.minor, credit.minor) == (500, 0)
    assert paid.back.minor == 500


def test_rounding_may_go_either_way() -> None:
    up = Paid(kind=PaidFor.ROUNDING, amount_minor=-2, currency="TAL", method="", at=AT, who="Pell")
    assert balance_of(tal(14_993), [row(PaidFor.REST, 14_995), up]).owed.minor == 0


@pytest.mark.parametrize(
    ("typed", "method", "takes"),
    [
        ("149.95", "cash", 14_995),
        ("149,95", "cash", 14_995),
        ("149.93", "cash", 14_995),
        ("149.9", "cash", None),
        ("149.93", "transfer", 14_993),
        ("149.95", "transfer", None),
        ("", "cash", None),
    ],
)
def test_all_of_it_is_meant_however_it_is_typed(typed: str, method: str, takes: int | None) -> None:
    taken = whole_of(tal(14_993), typed, method, 5)
    assert (taken and taken.minor) == takes
