"""What is recorded of a step."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """One step recorded: which round of work, when, and the screws counted, if any."""

    attempt: int
    step: str
    at: datetime
    counted: int | None = None
    reason: str = ""
    who: str = ""
    who_id: int = 0


# a step of somebody else so short ago may mean that the device is in their hands; the shop's, no source
IN_HANDS = timedelta(minutes=15)


def in_hands(done: Sequence[Done], person_id: int, now: datetime) -> Done | None:
    """The last record, where somebody else made it not long ago."""
    last = done[-1] if done else None
    return last if last and last.who_id != person_id and now - last.at <= IN_HANDS else None
