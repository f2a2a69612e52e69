"""The money of one job: what it costs, what came in, what went back, and so what is owed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.job import Stage
from sutura.core.maths.money import Money
from sutura.core.typed import read_amount
from sutura.core.values import COMMON, Rule


class Method(StrEnum):
    CASH = "cash"
    CARD = "card"
    TRANSFER = "transfer"


class PaidFor(StrEnum):
    """What a row of a job's ledger is."""

    # money that came in: before the part is ordered, or for the work
    DEPOSIT = "deposit"
    REST = "rest"
    # money that went back to the customer
    REFUND = "refund"
    # what is owed less without money: given up, given as a credit, or not to be had in coins
    WRITTEN_OFF = "written_off"
    CREDIT = "credit"
    ROUNDING = "rounding"
    # what a job that is not repaired costs all the same
    KEPT = "kept"


class ChargeState(StrEnum):
    """What is known of a charge by card. Nobody knows what came of one that is asked or unknown."""

    ASKED = "asked"
    UNKNOWN = "unknown"
    APPROVED = "approved"
    DECLINED = "declined"
    REVERSED = "reversed"


# nobody knows yet what came of it
OPEN_CHARGES = frozenset({ChargeState.ASKED, ChargeState.UNKNOWN})
# the price of a job that goes back as it came is void
NOT_REPAIRED = frozenset({Stage.DECLINED, Stage.RETURNED})
# rows that money moved for
MONEY_IN = frozenset({PaidFor.DEPOSIT, PaidFor.REST})


@dataclass(frozen=True, slots=True, kw_only=True)
class Paid:
    """One row of a job's ledger, in minor units; rounding may be below zero (more was taken)."""

    kind: PaidFor
    amount_minor: int
    currency: str
    method: str
    at: datetime
    who: str
    reason: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Balance:
    """What a job's ledger says. `owed` below zero is what has to go back."""

    charged: Money
    received: Money
    less: Money
    owed: Money

    @property
    def back(self) -> Money:
        """What has to go back to the customer; nothing where something is owed."""
        return Money(minor=max(-self.owed.minor, 0), currency=self.owed.currency)

    @property
    def due(self) -> Money:
        """What the customer still has to pay; nothing where something has to go back."""
        return Money(minor=max(self.owed.minor, 0), currency=self.owed.currency)


RULES = (
    Rule(
        id="handover.ledger",
        capability="handover",
        says=(
            "A job owes its price – of a job that is not repaired, what is kept of it – less what was "
            "credited, written off or rounded, less what came in, plus what went back. Rows are never "
            "changed: what was wrong is put right by another row."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.paid",
        capability="handover",
        says=(
            "A device is handed back when nothing is owed either way. Payments may come in parts and by "
            "several ways, none above what is still owed; what was paid too much goes back."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.deposit",
        capability="handover",
        says=(
            "A deposit is taken while the price is open, and never more than it. A device that is returned "
            "unrepaired goes with its deposit; what is kept of it has its reason written."
        ),
        source="the shop's terms; local law comes first",
    ),
    Rule(
        id="handover.refund",
        capability="handover",
        says=(
            "At most what came in goes back. What goes back beyond what was paid too much is a credit, "
            "with its reason and a credit note; what is owed and given up is written off, with its "
            "reason. Both are a manager's deed."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.card",
        capability="handover",
        says=(
            "A charge has its number before the terminal is asked. Where no answer comes, nobody knows "
            "whether it was paid: the terminal is asked about that number before anything else is taken, "
            "and what it says is booked once."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.coins",
        capability="handover",
        says=(
            "Cash is rounded to the smallest coin the shop has, half up; the difference stands in the "
            "ledger. Change is what was handed over less what is due. Cards and transfers pay to the "
            "minor unit."
        ),
        source="common practice where small coins are out of use; the step is the shop's",
    ),
)


def received(payments: Sequence[Paid], currency: str) -> Money:
    """What the shop has of a job: what came in less what went back."""
    minor = sum(one.amount_minor for one in payments if one.kind in MONEY_IN)
    minor -= sum(one.amount_minor for one in payments if one.kind is PaidFor.REFUND)
    return Money(minor=minor, currency=currency)


def balance_of(price: Money, payments: Sequence[Paid], *, repaired: bool = True) -> Balance:
    """What a job owes (rule handover.ledger). `repaired` is no for one that goes back as it came: its price
    is void.

    >>> from datetime import UTC
    >>> paid = Paid(kind=PaidFor.DEPOSIT, amount_minor=50_00, currency="TAL", method="cash",
    ...             at=datetime(2031, 3, 3, tzinfo=UTC), who="Pell")
    >>> str(balance_of(Money(minor=149_00, currency="TAL"), [paid]).owed)
    '99.00 TAL'
    """

    def total(*kinds: PaidFor) -> int:
        return sum(one.amount_minor for one in payments if one.kind in kinds)

    charged = price.minor if repaired else total(PaidFor.KEPT)
    less = total(PaidFor.WRITTEN_OFF, PaidFor.CREDIT, PaidFor.ROUNDING) if repaired else 0
    had = received(payments, price.currency)
    return Balance(
        charged=Money(minor=charged, currency=price.currency),
        received=had,
        less=Money(minor=less, currency=price.currency),
        owed=Money(minor=charged - less - had.minor, currency=price.currency),
    )


def amount_or_none(typed: str, like: Money) -> int | None:
    """An amount as typed, in minor units; None where it is none, or can be read in two ways."""
    try:
        return read_amount(typed, like.currency)
    except Invalid:
        return None


def balance_at(stage: Stage, price_minor: int | None, currency: str, payments: Sequence[Paid]) -> Balance:
    """What a job at a stage owes; nothing is owed while no price is agreed."""
    price = Money(minor=price_minor or 0, currency=currency)
    return balance_of(price, payments, repaired=stage not in NOT_REPAIRED)


def check_method(method: str, field: str = "method") -> Method:
    """A known way of paying."""
    if method not in set(Method):
        raise Invalid(field, method, fact("handover.choose-one", method=tuple(Method)))
    return Method(method)


def check_payment(owed: Money, typed: str, method: str) -> tuple[Money, Method]:
    """The payment to record; it must be the whole open amount, by a known method."""
    how = check_method(method)
    if amount_or_none(typed, owed) != owed.minor:
        raise Invalid("amount", typed, fact("handover.open-amount-take-all-have-manager", owed=owed))
    return owed, how


def whole_of(owed: Money, typed: str, method: str, coin_minor: int) -> Money | None:
    """What is taken where all that is owed is meant: in cash the coins that there are, and what is owed to
    the minor unit means the same (rule handover.coins); None where another amount is typed.
    """
    due = in_coins(owed, coin_minor) if method == Method.CASH else owed
    return due if amount_or_none(typed, owed) in (due.minor, owed.minor) else None


def check_part(owed: Money, typed: str, method: str) -> tuple[Money, Method]:
    """A part of what is owed, as typed: something, at most all of it."""
    how = check_method(method)
    minor = amount_or_none(typed, owed)
    if minor is None or not 0 < minor <= owed.minor:
        raise Invalid("amount", typed, fact("handover.part-up-to", owed=owed))
    return Money(minor=minor, currency=owed.currency), how


def check_deposit(owed: Money, typed: str, method: str) -> tuple[Money, Method]:
    """A deposit as typed: something, at most what is still open, by a known method."""
    how = check_method(method)
    minor = amount_or_none(typed, owed)
    if minor is None or not 0 < minor <= owed.minor:
        raise Invalid("deposit", typed, fact("handover.deposit-up-to", owed=owed))
    return Money(minor=minor, currency=owed.currency), how


def check_refund(had: Money, typed: str, method: str, explanation: str) -> tuple[Money, Method]:
    """What goes back of a deposit, as typed: all of it, or less with its reason (rule handover.deposit)."""
    how = check_method(method)
    minor = amount_or_none(typed, had)
    if minor is None or not 0 <= minor <= had.minor:
        raise Invalid("refund", typed, fact("handover.refund-up-to", had=had))
    if minor < had.minor and not explanation.strip():
        raise Invalid("kept_because", "", fact("handover.why-kept"))
    return Money(minor=minor, currency=had.currency), how


def is_news(known: ChargeState, said: ChargeState) -> bool:
    """Whether what the terminal says is to be booked. One that says so late is believed: what went is never
    lost.
    """
    late = known is ChargeState.DECLINED and said is ChargeState.APPROVED
    return late or (known in OPEN_CHARGES and said is not known)


def left_of(came_minor: int, went_minor: int) -> int:
    """What of a charge can still go back to its card, in minor units."""
    return max(came_minor - went_minor, 0)


def check_give_back(balance: Balance, typed: str, method: str, reason: str) -> tuple[Money, Money, Method]:
    """What goes back to a customer, and what of it is a credit (rule handover.refund)."""
    how = check_method(method)
    minor = amount_or_none(typed, balance.received)
    if minor is None or not 0 < minor <= balance.received.minor:
        raise Invalid("give_back", typed, fact("handover.refund-up-to", had=balance.received))
    credit = max(minor - balance.back.minor, 0)
    if credit:
        _reasoned("why_back", reason)
    currency = balance.received.currency
    return Money(minor=minor, currency=currency), Money(minor=credit, currency=currency), how


def check_write_off(balance: Balance, typed: str, reason: str) -> Money:
    """What of a debt is given up: something, at most all of it, with a reason."""
    minor = amount_or_none(typed, balance.due)
    if minor is None or not 0 < minor <= balance.due.minor:
        raise Invalid("write_off", typed, fact("handover.part-up-to", owed=balance.due))
    _reasoned("why_off", reason)
    return Money(minor=minor, currency=balance.due.currency)


def _reasoned(field: str, reason: str) -> None:
    if not 5 <= len(reason.strip()) <= 300:
        raise Invalid(field, reason, fact("handover.write-why-money"))


def in_coins(amount: Money, step_minor: int) -> Money:
    """What of an amount can be paid in coins (rule handover.coins).

    >>> str(in_coins(Money(minor=149_93, currency="TAL"), 5))
    '149.95 TAL'
    """
    step = max(step_minor, 1)
    return Money(minor=(2 * amount.minor + step) // (2 * step) * step, currency=amount.currency)


def change_of(due: Money, typed: str) -> Money:
    """The change to give: what was handed over, as typed, less what is due; refused where it is not enough.
    Nothing typed is just enough.
    """
    if not typed.strip():
        return Money(minor=0, currency=due.currency)
    minor = amount_or_none(typed, due)
    if minor is None or minor < due.minor:
        raise Invalid("handed_over", typed, fact("handover.at-least", due=due))
    return Money(minor=minor - due.minor, currency=due.currency)
