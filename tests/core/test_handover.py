"""Handing back: the way back of what came by mail, what is missing, what is paid. Common practice, no
source.
"""

from __future__ import annotations

import pytest

from sutura.core.errors import AccessoriesMissing, Invalid
from sutura.core.handover import Accessory, check_accessories, check_payment, check_way_back
from sutura.core.maths.money import Money


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
