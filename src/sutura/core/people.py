"""Who may do what. One table; pages and services ask it and decide nothing themselves."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from enum import StrEnum

from sutura.core.errors import Invalid, ManyInvalid, NotAllowed
from sutura.core.values import COMMON, Person, Role, Rule


class Deed(StrEnum):
    """Things that not everyone may do, in the words of the refusal."""

    TAKE_IN = "take in or hand back a device"
    QUOTE = "agree a price with a customer"
    SET_PRICE = "change prices"
    SEE_COST = "see cost and margin"
    CHANGE_PEOPLE = "change people"
    ASSIGN = "assign work"
    RESERVE = "move stock"
    WORK_BENCH = "record bench work"
    RECEIVE = "receive stock"
    CHANGE_CATALOGUE = "change the catalogue"
    ERASE_CUSTOMER = "export or erase a customer"
    SET_UP_COUNTER = "set up the Counter"


_ALL = frozenset(Role)
MAY: dict[Deed, frozenset[Role]] = {
    Deed.TAKE_IN: _ALL,
    Deed.QUOTE: frozenset({Role.MANAGER, Role.COUNTER}),
    Deed.SET_PRICE: frozenset({Role.MANAGER}),
    Deed.SEE_COST: frozenset({Role.MANAGER}),
    Deed.CHANGE_PEOPLE: frozenset({Role.MANAGER}),
    Deed.ASSIGN: frozenset({Role.MANAGER, Role.COUNTER}),
    Deed.RESERVE: _ALL,
    Deed.WORK_BENCH: frozenset({Role.MANAGER, Role.TECHNICIAN}),
    Deed.RECEIVE: frozenset({Role.MANAGER, Role.COUNTER}),
    Deed.ERASE_CUSTOMER: frozenset({Role.MANAGER}),
    Deed.SET_UP_COUNTER: frozenset({Role.MANAGER}),
    Deed.CHANGE_CATALOGUE: frozenset({Role.MANAGER, Role.TECHNICIAN}),
}

RULES = (
    Rule(
        id="people.cost-hidden",
        capability="people",
        says="Only a manager sees cost and margin.",
        source=COMMON,
    ),
    Rule(
        id="people.prices",
        capability="people",
        says="Only a manager changes people and prices.",
        source=COMMON,
    ),
    Rule(
        id="people.throttle",
        capability="people",
        says=(
            "After 5 wrong sign-ins in 15 minutes, for one name or one address, further tries wait "
            "until 15 minutes have passed."
        ),
        source="common practice, no source; the numbers are the shop's",
    ),
)

TRIES, WINDOW = 5, timedelta(minutes=15)
_LOGIN = re.compile(r"[a-z][a-z0-9.-]{1,31}")
MIN_PASSWORD = 10


def may(person: Person, deed: Deed) -> bool:
    return person.role in MAY[deed]


def demand(person: Person, deed: Deed) -> None:
    """Refuse with NotAllowed when the person's role may not do the deed."""
    if not may(person, deed):
        raise NotAllowed(deed.value, sorted(role.value for role in MAY[deed]))


def wait_minutes(failures: list[datetime], now: datetime) -> int:
    """Minutes to wait before the next try, 0 when one may try now. `failures` are the times of wrong
    tries.
    """
    recent = sorted(at for at in failures if now - at < WINDOW)
    if len(recent) < TRIES:
        return 0
    return max(1, -int((now - recent[-TRIES] - WINDOW).total_seconds() // 60))


def check_person(*, name: str, login: str, role: str, password: str | None) -> None:
    """Refuse a person's details with every problem at once. `password` None keeps the present one."""
    problems = []
    if not name.strip() or len(name) > 80:
        problems.append(Invalid("name", name, "write a name of at most 80 characters"))
    if not _LOGIN.fullmatch(login):
        problems.append(
            Invalid("login", login, "use 2–32 small letters, digits, dots or hyphens, a letter first")
        )
    if role not in set(Role):
        problems.append(Invalid("role", role, "choose manager, counter or technician"))
    if password is not None and len(password) < MIN_PASSWORD:
        problems.append(Invalid("password", "•" * len(password), f"use at least {MIN_PASSWORD} characters"))
    if problems:
        raise ManyInvalid(problems)
