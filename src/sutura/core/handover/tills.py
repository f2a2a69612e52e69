"""A day of the till: what was in it, what came and went, what must be there, coin by coin."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.handover.ledger import MONEY_IN, PaidFor
from sutura.core.maths.money import Money, digits_of
from sutura.core.typed import Problems, read_amount, read_whole
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
    Rule(
        id="till.pieces",
        capability="handover",
        says=(
            "Coins and notes are counted by their number; the sum is worked out. There are 1, 2 and 5 of "
            "every power of ten, from the shop's smallest coin to the largest note; what else lies there is "
            "typed as a sum beside them."
        ),
        source="the 1–2–5 series of most currencies; common practice",
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
    # how many there are of each coin and note, by its worth in minor units
    pieces: Mapping[int, int]


# the largest note, in whole units, by the digits of a currency; more pieces of a kind are no till; the shop's
LARGEST: Mapping[int, int] = {0: 10_000, 2: 500, 3: 50}
MOST_PIECES = 9_999


def pieces_of(currency: str, coin_minor: int) -> tuple[int, ...]:
    """The coins and notes that there are, in minor units, the largest first (rule till.pieces).

    >>> pieces_of("TAL", 50)[-3:], pieces_of("TAL", 1)[0]
    ((200, 100, 50), 50000)
    """
    digits = digits_of(currency)
    most: int = LARGEST.get(digits, 500) * 10**digits
    series = (worth * 10**power for power in range(len(str(most))) for worth in (1, 2, 5))
    return tuple(sorted((one for one in series if coin_minor <= one <= most), reverse=True))


def _pieces(typed: Mapping[str, str], known: Sequence[int], problems: Problems) -> dict[int, int]:
    """How many there are of each coin and note, as typed in `piece.<worth>`; nothing typed is none."""
    pieces = {}
    for worth in known:
        text = typed.get(f"piece.{worth}", "")
        if text.strip():
            count = problems.read(f"piece.{worth}", text, lambda one: read_whole(one, MOST_PIECES))
            pieces[worth] = count or 0
    return pieces


def worth_of(pieces: Mapping[int, int]) -> int:
    """What coins and notes come to, in minor units."""
    return sum(worth * count for worth, count in pieces.items())


def _there(
    typed: Mapping[str, str], field: str, known: Sequence[int], currency: str, problems: Problems
) -> tuple[int | None, dict[int, int]]:
    """What is in a till: its coins and notes and what else is typed as a sum; and how many there are."""
    before = len(problems)
    pieces = _pieces(typed, known, problems)
    beside = typed.get(field, "")
    if len(problems) > before:
        # what is there is not known: nothing is said of how much it differs
        return None, pieces
    if pieces and not beside.strip():
        return _at_most(worth_of(pieces), field, problems), pieces
    minor = problems.read(field, beside, lambda text: read_amount(text, currency, most=MOST_CASH * 100))
    return (None if minor is None else _at_most(minor + worth_of(pieces), field, problems)), pieces


def _at_most(minor: int, field: str, problems: Problems) -> int | None:
    if minor <= MOST_CASH * 100:
        return minor
    problems.add(field, minor, fact("till.no-more"))
    return None


def expected_of(float_minor: int, rows: Sequence[CashRow], currency: str) -> Money:
    """What must be in the till (rule till.day)."""
    return Money(minor=float_minor + sum(row.signed_minor for row in rows), currency=currency)


def read_float(typed: Mapping[str, str], currency: str, coin_minor: int = 1) -> int:
    """What is in the till when it is opened, in minor units: counted in `piece.<worth>`, or the sum in
    `float`.
    """
    problems = Problems(fact("till.opening"))
    there, _ = _there(typed, "float", pieces_of(currency, coin_minor), currency, problems)
    problems.refuse()
    return there or 0


def read_count(expected: Money, typed: Mapping[str, str], coin_minor: int = 1) -> Counted:
    """A till as counted: what is in it – its coins and notes in `piece.<worth>`, what else there is in
    `counted` –, what stays in it in `left`, all of it where nothing is typed, and why it is not what it must
    be in `note`. Every problem at once.
    """
    problems = Problems(fact("till.counting"))
    left, note = typed.get("left", ""), typed.get("note", "")
    known = pieces_of(expected.currency, coin_minor)
    there, pieces = _there(typed, "counted", known, expected.currency, problems)
    stays = there
    if left.strip():
        most = MOST_CASH * 100
        stays = problems.read("left", left, lambda text: read_amount(text, expected.currency, most=most))
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
        pieces={worth: count for worth, count in pieces.items() if count},
    )


def _money(there: int, expected: Money) -> Money:
    return Money(minor=there - expected.minor, currency=expected.currency)


def check_open(is_open: bool) -> None:
    """Refuse to open a till that is open."""
    if is_open:
        raise Invalid("float", "", fact("till.is-open"))
