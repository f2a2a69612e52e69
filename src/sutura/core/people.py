"""Who may do what. One table; pages and services ask it and decide nothing themselves."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from decimal import Decimal
from enum import StrEnum

from sutura.core.errors import Invalid, NotAllowed
from sutura.core.facts import fact
from sutura.core.shop import is_past
from sutura.core.typed import refuse
from sutura.core.values import COMMON, Person, Role, Rule


class Deed(StrEnum):
    """Things that not everyone may do."""

    TAKE_IN = "take_in"
    QUOTE = "quote"
    SET_PRICE = "set_price"
    SEE_COST = "see_cost"
    CHANGE_PEOPLE = "change_people"
    ASSIGN = "assign"
    RESERVE = "reserve"
    WORK_BENCH = "work_bench"
    LET_PASS = "let_pass"
    SETTLE = "settle"
    RECEIVE = "receive"
    ORDER = "order"
    CHANGE_CATALOGUE = "change_catalogue"
    ERASE_CUSTOMER = "erase_customer"
    SET_UP_COUNTER = "set_up_counter"
    READ_PACK = "read_pack"
    READ_AUDIT = "read_audit"


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
    # what does not work goes out all the same
    Deed.LET_PASS: frozenset({Role.MANAGER}),
    # money goes back, or is given up
    Deed.SETTLE: frozenset({Role.MANAGER}),
    Deed.RECEIVE: frozenset({Role.MANAGER, Role.COUNTER}),
    # orders are money
    Deed.ORDER: frozenset({Role.MANAGER}),
    Deed.ERASE_CUSTOMER: frozenset({Role.MANAGER}),
    Deed.SET_UP_COUNTER: frozenset({Role.MANAGER}),
    Deed.CHANGE_CATALOGUE: frozenset({Role.MANAGER, Role.TECHNICIAN}),
    # a pack brings prices and retires models
    Deed.READ_PACK: frozenset({Role.MANAGER}),
    Deed.READ_AUDIT: frozenset({Role.MANAGER}),
}

# wrong tries of one name; from one address, behind which the whole shop may sit; the shop's, no source
TRIES, ADDRESS_TRIES, WINDOW = 5, 40, timedelta(minutes=15)

RULES = (
    Rule(
        id="people.cost-hidden",
        capability="people",
        says="Only a manager sees cost and margin; packs that others write hold no purchase price.",
        source=COMMON,
    ),
    Rule(
        id="people.prices",
        capability="people",
        says=(
            "Only a manager changes people and prices, and reads packs in. Every change of a price is kept "
            "with who and when."
        ),
        source=COMMON,
    ),
    Rule(
        id="people.throttle",
        capability="people",
        says=(
            f"After {TRIES} wrong sign-ins in {WINDOW.seconds // 60} minutes for one name, or "
            f"{ADDRESS_TRIES} "
            "from one address, further tries of that name or from there wait until the time has passed. One "
            "person's mistyping never locks the shop."
        ),
        source="common practice, no source; the numbers are the shop's",
    ),
)

_LOGIN = re.compile(r"[a-z][a-z0-9.-]{1,31}")
MIN_PASSWORD = 10
# times the sheet's minutes that one person may take for a family, both included; the shop's, no source
FACTORS = (Decimal("0.3"), Decimal(5))


def may(person: Person, deed: Deed) -> bool:
    return person.role in MAY[deed]


def demand(person: Person, deed: Deed) -> None:
    """Refuse with NotAllowed when the person's role may not do the deed."""
    if not may(person, deed):
        raise NotAllowed(deed, sorted(role.value for role in MAY[deed]))


def wait_minutes(failures: list[datetime], now: datetime, tries: int = TRIES) -> int:
    """Minutes to wait before the next try, 0 when one may try now. `failures` are the times of wrong tries,
    of which fewer than `tries` may lie within the window.
    """
    recent = sorted(at for at in failures if not is_past(at, now, WINDOW))
    if len(recent) < tries:
        return 0
    return max(1, -int((now - recent[-tries] - WINDOW).total_seconds() // 60))


def check_person(*, name: str, login: str, role: str, password: str | None) -> None:
    """Refuse a person's details with every problem at once. `password` None keeps the present one."""
    problems = []
    if not name.strip() or len(name) > 80:
        problems.append(Invalid("name", name, fact("people.write-name-most-80-characters")))
    if not _LOGIN.fullmatch(login):
        problems.append(Invalid("login", login, fact("people.use-2-32-small-letters-digits")))
    if role not in set(Role):
        problems.append(Invalid("role", role, fact("people.choose-manager-counter-technician")))
    if password is not None and len(password) < MIN_PASSWORD:
        problems.append(
            Invalid(
                "password",
                "•" * len(password),
                fact("people.use-least-characters", min_password=MIN_PASSWORD),
            )
        )
    refuse(problems)
