"""Dear parts piece by piece: which one is taken, what is looked at before its film comes off, and what that
makes of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum

from stdnum import luhn

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.values import COMMON, Rule


class PieceState(StrEnum):
    """Where a piece is: in the shop, in a device, or gone for good."""

    HERE = "here"
    FITTED = "fitted"
    GONE = "gone"


class Film(StrEnum):
    """Whether the film it came in is on it still; `none` for what never had one."""

    ON = "on"
    OFF = "off"
    NONE = "none"


class Found(StrEnum):
    """What looking at a piece found; unknown until it was looked at."""

    UNKNOWN = ""
    AS_BOUGHT = "as_bought"
    LESS = "less"


class Seen(StrEnum):
    """What was seen of one thing that is looked at; what was not looked at is not known."""

    UNKNOWN = ""
    RIGHT = "right"
    WRONG = "wrong"


class Judged(StrEnum):
    """What the answers make of a piece."""

    UNKNOWN = "unknown"
    AS_BOUGHT = "as_bought"
    NOT_AS_BOUGHT = "not_as_bought"


RULES = (
    Rule(
        id="stock.by-piece",
        capability="stock",
        says=(
            "A part that costs as much as the shop's limit or more is kept piece by piece, each with its "
            "label, cost, supplier and last day to go back; once it is, it stays so. A piece is worth what "
            "it cost."
        ),
        source="Specific identification of cost, common practice",
    ),
    Rule(
        id="stock.which-piece",
        capability="stock",
        says=(
            "Of several pieces the one is taken that can go back to its supplier the shortest, so that each "
            "is tried while it still can; what is less than was bought comes last."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.less-is-not-it",
        capability="stock",
        says=(
            "A piece that was found to be less than was bought is no stock of what was bought: Match does "
            "not count it as free, and says that it is there."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.missed",
        capability="stock",
        says=(
            "Where a count finds fewer pieces than the ledger has, those are missing that would be taken "
            "last and are promised to nobody; found again, they are the same."
        ),
        source="the shop's, no source",
    ),
    Rule(
        id="stock.film",
        capability="stock",
        says=(
            "A piece is tried before its film comes off: without the film no supplier takes it back. Taking "
            "the film off of one that was not looked at asks for a second word."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.as-bought",
        capability="stock",
        says=(
            "A piece is as it was bought when everything on its list was looked at and right; one thing "
            "wrong makes it less, one not looked at leaves it open."
        ),
        source=COMMON,
    ),
)

# nothing is peeled off of these before they are fitted; common practice, no source
WITHOUT_FILM = frozenset({"adapter flex", "small part"})
# a piece is looked at by so many days before its last day to go back; the shop's, no source
SOON_DAYS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """One piece, as far as choosing between pieces goes."""

    id: int
    return_by: date | None
    at: datetime
    film: Film = Film.ON
    found: Found = Found.UNKNOWN


def film_of(kind: str) -> Film:
    """The film a piece comes with, by the kind of its part."""
    return Film.NONE if kind in WITHOUT_FILM else Film.ON


def first_to_use(pieces: Sequence[Piece], today: date) -> Piece | None:
    """The piece to take of those that are free (rule stock.which-piece).

    What can still go back comes by its last day; then what cannot any more, oldest first; what is less than
    was bought last of all.
    """
    return next(iter(in_order_of_use(pieces, today)), None)


def in_order_of_use(pieces: Sequence[Piece], today: date) -> list[Piece]:
    """Free pieces, the one to take first in front."""

    def order(piece: Piece) -> tuple[bool, date, datetime, int]:
        left = piece.return_by if can_go_back(piece, today) else None
        return piece.found is Found.LESS, left or date.max, piece.at, piece.id

    return sorted(pieces, key=order)


def missed(pieces: Sequence[Piece], count: int, today: date) -> list[int]:
    """Which of the free pieces are missing where so many are (rule stock.missed), the last one first."""
    return [piece.id for piece in reversed(in_order_of_use(pieces, today))][:count]


def can_go_back(piece: Piece, today: date) -> bool:
    """Whether its supplier would still take it: its day is not over, and its film is on (rule stock.film)."""
    return piece.return_by is not None and piece.return_by >= today and piece.film is not Film.OFF


def days_left(piece: Piece, today: date) -> int | None:
    """Days until a piece cannot go back any more, today's last day being 0; None when it cannot."""
    if piece.return_by is None or not can_go_back(piece, today):
        return None
    return (piece.return_by - today).days


def is_urgent(piece: Piece, today: date) -> bool:
    """Nobody has looked at it, and soon it is too late to send it back."""
    left = days_left(piece, today)
    return piece.found is Found.UNKNOWN and left is not None and left <= SOON_DAYS


def check_film_off(piece: Piece, sure: bool, today: date) -> None:
    """Refuse to note a film off twice, or off of a piece that was not looked at and could still go back,
    unless that is meant.
    """
    if piece.film is not Film.ON:
        raise Invalid("film", piece.film, fact("stock.film-is-off"))
    if piece.found is Found.UNKNOWN and can_go_back(piece, today) and not sure:
        raise Invalid("sure", "", fact("stock.try-it-first", by=piece.return_by))


# -- what is looked at --------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """One thing to look at. `needs` is what it has to be, where that is known."""

    id: str
    needs: str = ""

    @property
    def asks(self) -> Say:
        return fact(f"stock.check-{self.id}", needs=self.needs)


# what is compared with the original by eye, in the order it meets the hand: attribute of the part and its
# check
_COMPARED = (("printed_number", "number"), ("windows", "windows"), ("connector_place", "connector"))
# tried plugged in, with the film on; those only of what lights up
_TRIED = ("picture", "touch")
_DARK = WITHOUT_FILM | {"glass"}


def what_to_look_at(
    kind: str, number: str, attributes: Mapping[str, object], box: Sequence[str]
) -> tuple[Check, ...]:
    """The list for a piece, from what is claimed of its part and what should lie in its box.

    First what needs no plugging in, then the trial with the film on (common practice).
    """
    known = {"printed_number": number, **{name: _text(value) for name, value in attributes.items()}}
    checks = [Check(id="whole")]
    checks += [Check(id=check, needs=known[name]) for name, check in _COMPARED if known.get(name)]
    checks += [Check(id="box", needs=", ".join(box))] if box else []
    if film_of(kind) is Film.ON:
        checks += [Check(id="colour"), Check(id="dust")]
    if kind not in _DARK:
        checks += [Check(id=tried) for tried in _TRIED]
    return tuple(checks)


def _text(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)


def judge(checks: Sequence[Check], seen: Mapping[str, Seen]) -> tuple[Judged, tuple[Check, ...]]:
    """What the answers make of a piece, with the checks that decide it (rule stock.as-bought).

    >>> judge((Check(id="whole"), Check(id="dust")), {"whole": Seen.RIGHT})
    (<Judged.UNKNOWN: 'unknown'>, (Check(id='dust', needs=''),))
    """
    wrong = tuple(check for check in checks if seen.get(check.id, Seen.UNKNOWN) is Seen.WRONG)
    if wrong:
        return Judged.NOT_AS_BOUGHT, wrong
    left = tuple(check for check in checks if seen.get(check.id, Seen.UNKNOWN) is Seen.UNKNOWN)
    return (Judged.UNKNOWN, left) if left else (Judged.AS_BOUGHT, ())


def happened(kind: str) -> Say:
    """A line of a piece's history by its kind: a move of the ledger, or an event of its own."""
    return fact(f"stock.happened-{kind.replace('_', '-')}")


# -- its label ----------------------------------------------------------------------------------------


def label_of(piece_id: int) -> str:
    """What stands on a piece's label: its number with a check digit (Luhn, by python-stdnum).

    >>> label_of(41)
    'S-00414'
    """
    number = f"{piece_id:04d}"
    return f"S-{number}{luhn.calc_check_digit(number)}"


def read_label(text: str) -> int:
    """The piece a label names; one with a wrong digit is refused.

    >>> read_label("s-00414")
    41
    """
    digits = text.strip().upper().removeprefix("S-")
    if not (digits.isascii() and digits.isdecimal() and 5 <= len(digits) <= 19):
        raise Invalid("label", text[:40], fact("stock.label-is-s-and-digits"))
    if not luhn.is_valid(digits):
        raise Invalid("label", text[:40], fact("stock.one-digit-of-label-wrong"))
    return int(digits[:-1])
