"""When it does not work after fitting: the path of tries, and what each result means."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.facts import Say, fact
from sutura.core.job import EventKind, Round
from sutura.core.values import COMMON, Rule

# the kind of part of a repair that keeps the display and changes its glass
GLASS_ONLY = "glass"

RULES = (
    Rule(
        id="bench.path",
        capability="bench",
        says=(
            "What fails after fitting is reseated first, power off and in order; what then fails as "
            "before is tried with another part; what two parts show is not the part. Where another fault "
            "shows than before, what was touched last is looked at first. What was reseated once without "
            "effect is not reseated again. A display that fails after its glass was split "
            "needs a whole front."
        ),
        source=COMMON,
    ),
)


class Rung(StrEnum):
    """A try of the path."""

    RESEAT = "reseat"
    OTHER_PART = "other_part"
    # the display under new glass has failed: the whole front
    FRONT = "front"
    BOARD = "board"


class Meaning(StrEnum):
    """What the tries so far say."""

    NOT_YET = "not_yet"
    CONNECTION = "connection"
    PART = "part"
    PART_SUSPECTED = "part_suspected"
    DISPLAY_FAILED = "display_failed"
    CHANGED = "changed"
    ELSEWHERE = "elsewhere"


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """A test after a round of work: what the round was for, and what failed, by function."""

    round: Round
    failed: frozenset[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Path:
    """The tries of the path that were made with their results, what they mean, and the next one; None where
    nothing is left to try.
    """

    tries: tuple[Tried, ...]
    meaning: Meaning
    next: Rung | None

    @property
    def says(self) -> Say:
        return fact(f"rework.{self.meaning.value.replace('_', '-')}")

    @property
    def do(self) -> Say:
        return fact(f"rework.do-{self.next.value.replace('_', '-')}") if self.next else ""


# what begins a round, by its event
_BEGINS = {
    EventKind.PROOF_FAILED: Round.REWORK,
    EventKind.PART_CHANGED: Round.NEW_PART,
    EventKind.REOPENED: Round.REOPENED,
    EventKind.GIVEN_UP: Round.CLOSING_UP,
    EventKind.FOR_THE_NIGHT: Round.FOR_THE_NIGHT,
}


def rounds(kinds: Sequence[EventKind]) -> dict[int, Round]:
    """What each round of a job was for, by its number, from what happened in order.

    >>> rounds([EventKind.OPENED, EventKind.PROOF_FAILED, EventKind.PART_CHANGED])
    {1: <Round.WHOLE: 'whole'>, 2: <Round.REWORK: 'rework'>, 3: <Round.NEW_PART: 'new_part'>}
    """
    found = {1: Round.WHOLE}
    for kind in kinds:
        if kind is EventKind.NIGHT_OVER:
            # it goes on as what it was; another part is begun only once
            before = found.get(len(found) - 1, Round.WHOLE)
            found[len(found) + 1] = Round.WHOLE if before is Round.NEW_PART else before
        elif kind in _BEGINS:
            found[len(found) + 1] = _BEGINS[kind]
    return found


def round_after(found: Path | None) -> Round:
    """What a round after a failed test is for: its connectors reseated where that is the next try, else
    nothing until it is decided.
    """
    reseats = found is None or found.next is Rung.RESEAT
    return Round.REWORK if reseats else Round.SUSPECTED


def path(tries: Sequence[Tried], display: frozenset[str] = frozenset()) -> Path | None:
    """Where a job stands on the path (rule bench.path), from its tests in order; None where nothing failed
    yet. `display` are the functions of a display that was kept under new glass.
    """
    first = next((place for place, tried in enumerate(tries) if tried.failed), None)
    if first is None:
        return None
    made = tuple(tries[first:])
    last, before = made[-1], made[-2] if len(made) > 1 else None
    if last.failed & display:
        return Path(tries=made, meaning=Meaning.DISPLAY_FAILED, next=Rung.FRONT)
    if before is None:
        return Path(tries=made, meaning=Meaning.NOT_YET, next=Rung.RESEAT)
    if not last.failed:
        other_part = last.round is Round.NEW_PART
        return Path(tries=made, meaning=Meaning.PART if other_part else Meaning.CONNECTION, next=None)
    if not last.failed & before.failed:
        # another fault than before: what was touched last is looked at first
        return Path(tries=made, meaning=Meaning.CHANGED, next=Rung.RESEAT)
    parts = [tried for tried in made if tried.round is Round.NEW_PART and tried.failed & last.failed]
    if parts:
        return Path(tries=made, meaning=Meaning.ELSEWHERE, next=Rung.BOARD)
    if any(tried.round in (Round.REWORK, Round.REOPENED) for tried in made[1:]):
        return Path(tries=made, meaning=Meaning.PART_SUSPECTED, next=Rung.OTHER_PART)
    return Path(tries=made, meaning=Meaning.NOT_YET, next=Rung.RESEAT)
