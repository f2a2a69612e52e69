"""Function lists of a job: the baseline on arrival, what was tried again of it, and the proofs."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from peewee import Select, fn

from sutura.core.values import FunctionResult, Outcome
from sutura.store.database import insert, reading, rows, written
from sutura.store.tables import FunctionResult as ResultTable


def add_results(
    job_id: int,
    attempt: int,
    results: Sequence[FunctionResult],
    person_id: int,
    at: datetime,
    *,
    again: int = 0,
) -> None:
    """A whole function list: attempt 0 is the baseline, 1 and on are proofs; or what was tried `again` of the
    baseline.
    """
    insert(
        ResultTable,
        [
            {
                "job": job_id,
                "attempt": attempt,
                "function": result.function,
                "outcome": result.outcome.value,
                "reason": result.reason,
                "person": person_id,
                "at": at,
                "again": again,
            }
            for result in results
        ],
    )


@reading
def times_looked(job_id: int) -> int:
    """How often the baseline of a job was looked at again."""
    again = ResultTable.select(fn.COALESCE(fn.MAX(ResultTable.again), 0))
    return int(again.where(ResultTable.job == job_id, ResultTable.attempt == 0).scalar())


@written
def _results(job_id: int) -> Select:
    said = ResultTable.select(
        ResultTable.attempt, ResultTable.function, ResultTable.outcome, ResultTable.reason
    )
    return said.where(ResultTable.job == job_id).order_by(ResultTable.id)


@reading
def load_results(job_id: int) -> dict[int, dict[str, FunctionResult]]:
    """All function lists of a job by attempt; 0 is the baseline, the latest word of each function."""
    lists: dict[int, dict[str, FunctionResult]] = {}
    for attempt, function, outcome, reason in rows(_results(job_id)):
        result = FunctionResult(function=function, outcome=Outcome(outcome), reason=reason)
        lists.setdefault(attempt, {})[function] = result
    return lists
