"""What is recorded of a step."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime


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
