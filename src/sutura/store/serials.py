"""What displays answered the programmer."""

from __future__ import annotations

from typing import Any

from sutura.core.bench.serials import Asked, Outcome
from sutura.store.bench_tables import DisplaySerial
from sutura.store.database import each, reading


def add_serial(**columns: Any) -> None:
    DisplaySerial.insert(**columns).execute()


def _asked(outcome: str, **columns: Any) -> Asked:
    return Asked(outcome=Outcome(outcome), **columns)


@reading
def serials_of(job_id: int) -> list[Asked]:
    """What the displays of a job answered, the oldest first."""
    asked = DisplaySerial.select(
        DisplaySerial.outcome,
        DisplaySerial.serial,
        DisplaySerial.piece.alias("piece_id"),
        DisplaySerial.attempt,
    )
    return each(_asked, asked.where(DisplaySerial.job == job_id).order_by(DisplaySerial.id))
