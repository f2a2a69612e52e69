"""Roles, sign-in throttle, a person's details."""

from __future__ import annotations

from datetime import timedelta

import pytest
from builders import NOW, person

from sutura.core.errors import ManyInvalid, NotAllowed
from sutura.core.people import MAY, WINDOW, Deed, check_person, demand, may, wait_minutes
from sutura.core.values import Role


@pytest.mark.parametrize("deed", [Deed.SEE_COST, Deed.SET_PRICE, Deed.CHANGE_PEOPLE])
def test_cost_prices_and_people_are_for_managers_alone(deed: Deed) -> None:
    assert MAY[deed] == {Role.MANAGER}
    for role in (Role.COUNTER, Role.TECHNICIAN):
        with pytest.raises(NotAllowed, match=r"it is for: manager\."):
            demand(person(role), deed)


def test_every_deed_is_for_someone_and_a_manager_may_do_all() -> None:
    assert set(MAY) == set(Deed)
    assert all(may(person(Role.MANAGER), deed) for deed in Deed)


def test_the_fifth_wrong_try_makes_one_wait() -> None:
    tries = [NOW - timedelta(minutes=10 - i) for i in range(5)]
    assert wait_minutes(tries[:4], NOW) == 0
    assert wait_minutes(tries, NOW) == 5
    assert wait_minutes(tries, NOW + WINDOW) == 0


def test_the_wait_is_never_shown_as_none_while_it_lasts() -> None:
    tries = [NOW - WINDOW + timedelta(seconds=1)] * 5
    assert wait_minutes(tries, NOW) == 1


def test_every_wrong_detail_is_said_at_once() -> None:
    with pytest.raises(ManyInvalid) as refused:
        check_person(name=" ", login="9x", role="owner", password="short")
    assert list(refused.value.by_field) == ["name", "login", "role", "password"]
    assert "short" not in str([str(p) for p in refused.value.problems])


def test_no_new_password_keeps_the_old_one() -> None:
    check_person(name="Ines", login="ines", role="manager", password=None)
