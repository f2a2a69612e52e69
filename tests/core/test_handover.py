"""Handing back: the way back of what came by mail, what is missing, what is paid. Common practice, no
source.
"""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from sutura.core.errors import AccessoriesMissing, Invalid
from sutura.core.handover.giving import Accessory, aftercare, check_accessories, check_way_back
from sutura.core.handover.ledger import (
    Method,
    Paid,
    PaidFor,
    check_deposit,
    check_part,
    check_payment,
    check_refund,
    received,
)
from sutura.core.maths.money import Money

AT = datetime(2031, 3, 3, 9, tzinfo=UTC)


@pytest.mark.parametrize(("way_back", "right"), [("", False), ("P7", False), (" P7 ", False), ("P77", True)])
def test_what_came_by_mail_goes_back_with_its_number(way_back: str, right: bool) -> None:
    if right:
        check_way_back("mail", way_back)
    else:
        with pytest.raises(Invalid):
            check_way_back("mail", way_back)
    check_way_back("drop_off", way_back)


def test_a_way_back_has_sixty_characters_at_most() -> None:
    check_way_back("mail", "7" * 60)
    with pytest.raises(Invalid):
        check_way_back("mail", "7" * 61)


def test_what_came_is_given_back_or_explained() -> None:
    came = [Accessory(id=1, name="case", kept=""), Accessory(id=2, name="SIM card", kept="")]
    check_accessories(came, [1, 2], "")
    check_accessories(came, [1], "they left the card at home")
    with pytest.raises(AccessoriesMissing, match="SIM card"):
        check_accessories(came, [1], " ")


@pytest.mark.parametrize("typed", ["138.99", "139.01", "", "x"])
def test_the_whole_open_amount_is_taken(typed: str) -> None:
    owed = Money(minor=13_900, currency="TAL")
    assert check_payment(owed, "139", "cash")[0] == owed
    with pytest.raises(Invalid):
        check_payment(owed, typed, "cash")
    with pytest.raises(Invalid):
        check_payment(owed, "139", "shells")


def test_what_presses_most_is_told_first() -> None:
    """Source: common practice."""
    assert [line.id for line in aftercare(sealed=True, cure_minutes=60)] == [
        "handover.avoid-pressure",
        "handover.avoid-water",
        "handover.avoid-solvents",
    ]
    assert [line.id for line in aftercare(sealed=False, cure_minutes=0)] == ["handover.avoid-solvents"]


def paid(kind: PaidFor, minor: int) -> Paid:
    return Paid(kind=kind, amount_minor=minor, currency="TAL", method="cash", at=AT, who="Pell")


def test_what_the_shop_has_is_what_came_less_what_went() -> None:
    payments = [paid(PaidFor.DEPOSIT, 3_000), paid(PaidFor.REST, 9_000), paid(PaidFor.REFUND, 500)]
    assert received(payments, "TAL") == Money(minor=11_500, currency="TAL")
    assert received([], "TAL").minor == 0


def test_a_deposit_is_something_and_at_most_what_is_open() -> None:
    owed = Money(minor=10_000, currency="TAL")
    assert check_deposit(owed, "0.01", "cash")[0].minor == 1
    assert check_part(owed, "0.01", "cash")[0].minor == 1
    with pytest.raises(Invalid):
        check_part(owed, "0", "cash")
    assert check_deposit(owed, "100", "card") == (owed, Method.CARD)
    for typed in ("0", "100.01", "-1", "", "some"):
        with pytest.raises(Invalid) as refused:
            check_deposit(owed, typed, "cash")
        assert refused.value.field == "deposit"
    with pytest.raises(Invalid) as refused:
        check_deposit(owed, "5", "")
    assert refused.value.field == "method"
    with pytest.raises(Invalid):
        check_deposit(Money(minor=0, currency="TAL"), "0.01", "cash")


def test_a_deposit_goes_back_whole_or_with_a_reason() -> None:
    had = Money(minor=3_000, currency="TAL")
    assert check_refund(had, "30", "cash", "") == (had, Method.CASH)
    assert check_refund(had, "0", "cash", "the part was cut for it")[0].minor == 0
    for typed, why, field in (("29.99", " ", "kept_because"), ("30.01", "x", "refund"), ("", "x", "refund")):
        with pytest.raises(Invalid) as refused:
            check_refund(had, typed, "cash", why)
        assert refused.value.field == field
    with pytest.raises(Invalid):
        check_refund(had, "30", "shells", "")
