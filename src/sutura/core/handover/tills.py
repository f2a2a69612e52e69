"""A day of the till: what was in it, what came and went, what must be there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.handover.ledger import MONEY_IN, PaidFor
from sutura.core.maths.money import Money
from sutura.core.typed import Problems, read_amount
from sutura.core.values import COMMON, Rule

# more is no till; the shop's, no source
MOST_CASH = 1_000_000

RULES = (
    Rule(
        id="till.day",
        capability="handover",
        says=(
            "What must be in the till is what was in it when it was opened, plus cash that came, less cash "
            "that went. It is counted when it is closed; a difference has its reason. What is left in it is "
            "there the next day. A day that was closed stays as it was counted."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class CashRow:
    """One payment in or out, by job."""

    at: datetime
    code: str
    kind: PaidFor
    amount_minor: int
    method: str
    who: str

    @property
    def signed_minor(self) -> int:
        """What it adds to the till: below zero where it went out."""
        return self.amount_minor if self.kind in MONEY_IN else -self.amount_minor


@dataclass(frozen=True, slots=True, kw_only=True)
class Counted:
    """A till that was counted, and what stays in it."""

    counted: Money
    left: Money
    difference: Money
    note: str


def expected_of(float_minor: int, rows: Sequence[CashRow], currency: str) -> Money:
    """What must be in the till (rule till.day)."""
    return Money(minor=float_minor + sum(row.signed_minor for row in rows), currency=currency)


def read_float(typed: str, currency: str) -> int:
    """What is in the till when it is opened, in minor units."""
    problems = Problems(fact("till.opening"))
    minor = problems.read("float", typed, lambda text: read_amount(text, currency, most=MOST_CASH * 100))
    problems.refuse()
    return minor or 0


def read_count(expected: Money, counted: str, left: str, note: str) -> Counted:
    """A till as counted: what is in it, what stays in it – all of it where nothing is typed – and why it is
    not what it must be. Every problem at once.
    """
    problems = Problems(fact("till.counting"))
    most = MOST_CASH * 100

    def amount(text: str) -> int:
        return read_amount(text, expected.currency, most=most)

    there = problems.read("counted", counted, amount)
    stays = problems.read("left", left, amount) if left.strip() else there
    if there is not None and stays is not None and stays > there:
        problems.add("left", left, fact("till.left-up-to"))
    if there is not None and there != expected.minor and not 5 <= len(note.strip()) <= 300:
        problems.add("note", note, fact("till.why-different", difference=_money(there, expected)))
    problems.refuse()
    assert there is not None, "refused above"
    return Counted(
        counted=Money(minor=there, currency=expected.currency),
        left=Money(minor=there if stays is None else stays, currency=expected.currency),
        difference=_money(there, expected),
        note=note.strip()[:300],
    )


def _money(there: int, expected: Money) -> Money:
    return Money(minor=there - expected.minor, currency=expected.currency)


def check_open(is_open: bool) -> None:
    """Refuse to open a till that is open."""
    if is_open:
        raise Invalid("float", "", fact("till.is-open"))
