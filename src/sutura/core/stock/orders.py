"""Orders at suppliers: what came of their lines, what goes back, by when, and who pays for it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.values import COMMON, Rule


class OrderState(StrEnum):
    """Where an order stands. One that is handed in is asked until the supplier's desk has answered. A sent
    one is closed when nothing more is to come of it.
    """

    DRAFT = "draft"
    ASKED = "asked"
    SENT = "sent"
    CLOSED = "closed"
    CANCELLED = "cancelled"


class Arrived(StrEnum):
    """What a piece of a parcel is found to be, before its film comes off."""

    GOOD = "good"
    DEAD = "dead"
    WRONG = "wrong"
    DAMAGED = "damaged"
    EXTRA = "extra"


class Cause(StrEnum):
    """Why a piece goes back, or is lost: who pays differs."""

    DEAD = "dead"
    WRONG = "wrong"
    DAMAGED = "damaged"
    EXTRA = "extra"
    BROKEN = "broken"
    WARRANTY = "warranty"


class ReturnState(StrEnum):
    """Where a return stands; `borne` is what the shop pays itself."""

    TO_SEND = "to_send"
    SENT = "sent"
    REFUNDED = "refunded"
    REFUSED = "refused"
    BORNE = "borne"


# what is bought, whether the supplier has answered yet or not
ON_ORDER = (OrderState.ASKED, OrderState.SENT)
# what we break is ours; the rest is the supplier's
SHOP_PAYS = frozenset({Cause.BROKEN})
# what tells of the supplier's quality; a wrong piece tells of its packers
OF_QUALITY = frozenset({Arrived.DEAD, Arrived.DAMAGED})
RETURN_MOVES = {
    ReturnState.TO_SEND: (ReturnState.SENT, ReturnState.REFUNDED, ReturnState.BORNE),
    ReturnState.SENT: (ReturnState.REFUNDED, ReturnState.REFUSED),
}
OPEN_RETURNS = (ReturnState.TO_SEND, ReturnState.SENT)
# a return whose window closes within so many days is shown first; the shop's, no source
SOON_DAYS = 3

RULES = (
    Rule(
        id="stock.arrivals",
        capability="stock",
        says=(
            "A parcel is looked at before any film comes off: good, dead, wrong, damaged or more than "
            "ordered. Only good pieces reach the shelf; the others go back, each with its cause and its "
            "last day."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.who-pays",
        capability="stock",
        says=(
            "Dead on arrival, wrong, damaged on the way and failed under warranty are the supplier's to "
            "pay; what breaks in our hands is the shop's. Until money is back, it is shown as owed."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.sent-stays",
        capability="stock",
        says="A sent order is not rewritten: what is short, came or was bad is counted on its lines.",
        source=COMMON,
    ),
    Rule(
        id="stock.count-as-it-is",
        capability="stock",
        says=(
            "A count is entered as it is. With fewer there than promised, the jobs promised last lose their "
            "piece and are told; what lies on the bench is counted with the shelf."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.count-again",
        capability="stock",
        says="Two pieces apart, or any dear one, is counted a second time before it is believed.",
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class LineState:
    """One line of an order: how many were ordered, will not come, came good, and came bad."""

    quantity: int
    short: int = 0
    good: int = 0
    bad: int = 0

    @property
    def to_come(self) -> int:
        return self.quantity - self.short - self.good - self.bad


def check_parcel(line: LineState, found: Mapping[Arrived, int]) -> LineState:
    """A line after a parcel. More than is to come is refused: what is beyond the order is written
    as extra.
    """
    came = sum(number for arrived, number in found.items() if arrived is not Arrived.EXTRA)
    if came > line.to_come:
        raise Invalid("", came, fact("orders.more-than-is-to-come", to_come=line.to_come))
    good = found.get(Arrived.GOOD, 0)
    return LineState(
        quantity=line.quantity, short=line.short, good=line.good + good, bad=line.bad + came - good
    )


def cause_of(arrived: Arrived) -> Cause:
    """What is found of a piece that is not good is why it goes back."""
    return Cause(arrived.value)


def cause_of_loss(*, broken: bool, was_fitted: bool) -> Cause:
    """Why a job lost a piece (rule stock.who-pays): broken by us; failed after it was fitted and worked,
    which is the warranty's; or dead before that.
    """
    if broken:
        return Cause.BROKEN
    return Cause.WARRANTY if was_fitted else Cause.DEAD


def is_done(lines: Sequence[LineState]) -> bool:
    """Whether nothing more is to come of an order."""
    return all(line.to_come == 0 for line in lines)


def last_day(received_on: date, return_days: int) -> date:
    """The last day on which a supplier takes a piece back that came on a day.

    >>> last_day(date(2031, 3, 3), 14).isoformat()
    '2031-03-17'
    """
    return received_on + timedelta(days=return_days)


def check_return_move(state: ReturnState, to: ReturnState, cause: Cause) -> None:
    """Refuse a step of a return that does not follow from where it stands."""
    if to not in RETURN_MOVES.get(state, ()):
        raise Invalid("state", to.value, fact("orders.return-stands-at", state=state, cause=cause))


# -- promises that a count breaks -----------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Holding:
    """A job that holds a piece, when it was promised, and whether its piece lies on the bench by now."""

    code: str
    promise_at: datetime
    on_bench: bool = False


def broken_promises(holdings: Sequence[Holding], on_hand: int) -> tuple[str, ...]:
    """The jobs that lose their piece when fewer are there than are promised: those promised last, who have
    the most time for another; of equals the higher code. What lies on the bench is there, and counts.
    """
    on_bench = sum(holding.on_bench for holding in holdings)
    if on_hand < on_bench:
        raise Invalid("counted", on_hand, fact("stock.count-what-is-on-the-bench", on_bench=on_bench))
    waiting = [holding for holding in holdings if not holding.on_bench]
    waiting.sort(key=lambda holding: (holding.promise_at, holding.code))
    return tuple(holding.code for holding in waiting[on_hand - on_bench :])


# -- stock-take -----------------------------------------------------------------------------------------

# a difference of more than one piece, or of any dear one, is counted a second time; the shop's, no source
ODD_PIECES, DEAR_MINOR = 2, 5_000


def is_odd(expected: int, counted: int, cost_minor: int) -> bool:
    """Whether a count is asked for again: two pieces or more apart, or apart at all where a piece is dear."""
    apart = abs(expected - counted)
    return apart >= ODD_PIECES or (apart > 0 and cost_minor >= DEAR_MINOR)
