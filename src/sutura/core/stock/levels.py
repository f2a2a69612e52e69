"""What is on the shelf, what is promised, what is free. On hand is the sum of the ledger; nothing else."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.errors import AlreadyHeld, Invalid, OutOfStock
from sutura.core.facts import fact
from sutura.core.values import COMMON, Rule


class MoveKind(StrEnum):
    """Why stock moved. Receipts and taking out again add, fitting, losing and sending back take away, a
    count correction does either.
    """

    RECEIPT = "receipt"
    FITTED = "fitted"
    TAKEN_OUT = "taken_out"
    DEFECTIVE = "defective"
    BROKEN = "broken"
    RETURNED = "returned"
    WRITTEN_OFF = "written_off"
    COUNT = "count"


class PartFate(StrEnum):
    """What a part is when it is taken back from a job."""

    GOOD = "good"
    DID_NOT_FIT = "did_not_fit"
    DEFECTIVE = "defective"
    BROKEN = "broken"


# what leaves the shelf for good, and how the ledger calls it
LOST = {PartFate.DEFECTIVE: MoveKind.DEFECTIVE, PartFate.BROKEN: MoveKind.BROKEN}


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """One part's stock: pieces on hand and the codes of the jobs that hold one."""

    part: str
    on_hand: int
    holders: tuple[str, ...]

    @property
    def free(self) -> int:
        return self.on_hand - len(self.holders)


RULES = (
    Rule(
        id="stock.free",
        capability="stock",
        says="Free = on hand − promised. A job may hold a part only while one is free.",
        source=COMMON,
    ),
    Rule(
        id="stock.ledger",
        capability="stock",
        says=(
            "On hand is the sum of the ledger and never below zero or below what is promised; "
            "corrections are new entries."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.one-holder",
        capability="stock",
        says="A part promised to one job is not fitted to another.",
        source=COMMON,
    ),
    Rule(
        id="stock.cost",
        capability="stock",
        says=(
            "Pieces on hand are worth what they cost on average as they came in; what goes out takes its "
            "share of that, and margins use it. What came in is worth what is on hand and what went out, "
            "to the cent."
        ),
        source="Moving average cost, common practice",
    ),
    Rule(
        id="stock.take-over",
        capability="stock",
        says=(
            "A part is taken over from a job whose bench work has not begun only with a reason; both jobs "
            "tell of it, and the other one waits for a part again."
        ),
        source=COMMON,
    ),
)


def check_reserve(level: Level, code: str, held_already: str = "") -> None:
    """Refuse a reservation when nothing is free (told who has it) or the job holds a part already."""
    if held_already:
        raise AlreadyHeld(code, held_already)
    if level.free < 1:
        raise OutOfStock(level.part, level.on_hand, level.holders)


def check_stock_move(level: Level, quantity: int, kind: MoveKind) -> None:
    """Refuse a stock move that makes no sense or would leave less than is promised."""
    if quantity == 0 or abs(quantity) > 10_000:
        raise Invalid("quantity", quantity, fact("stock.use-whole-number-from-1-10000"))
    if kind is MoveKind.RECEIPT and quantity < 0:
        raise Invalid("quantity", quantity, fact("stock.receipt-adds-pieces-use-count-correction"))
    if level.on_hand + quantity < len(level.holders):
        raise Invalid(
            "quantity",
            quantity,
            (
                fact(
                    "stock.hand-promised-most-can-taken-away",
                    on_hand=level.on_hand,
                    count=len(level.holders),
                    free=level.free,
                )
            ),
        )


def move_value(value_minor: int, on_hand: int, quantity: int, unit_cost_minor: int | None) -> int:
    """What a move adds to the value of the pieces on hand, in minor units (rule stock.cost).

    What comes in at a cost brings it; what is found again or goes out takes its share of the average,
    rounded half up; the last piece takes all that is left, so that nothing on hand is worth nothing.

    >>> move_value(10_000, 3, -1, None), move_value(10_000, 3, -3, None), move_value(0, 0, 2, 450)
    (-3333, -10000, 900)
    """
    if quantity > 0 and unit_cost_minor is not None:
        return quantity * unit_cost_minor
    if on_hand == 0:
        return 0
    if -quantity == on_hand:
        return -value_minor
    share = (2 * value_minor * abs(quantity) + on_hand) // (2 * on_hand)
    return share if quantity > 0 else -share


def replay(quantities: Sequence[int]) -> int:
    """On hand from the ledger's quantities, oldest first; refuses a ledger that ever falls below zero."""
    on_hand = 0
    for quantity in quantities:
        on_hand += quantity
        if on_hand < 0:
            raise Invalid("quantity", quantity, fact("stock.shelf-cannot-hold-fewer-than-none"))
    return on_hand
