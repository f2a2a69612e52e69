"""A job shop as the literature writes it: jobs of operations, each on one machine for some minutes, in
order. For checks against published instances: `./sutura core planning.job_shop < shop.json`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ortools.sat.python import cp_model

from sutura.core.errors import Invalid
from sutura.core.facts import fact

WORKERS = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class JobShop:
    """Starts by job and operation, the makespan, and the least that any schedule can have."""

    starts: tuple[tuple[int, ...], ...]
    makespan: int
    bound: int

    @property
    def is_best(self) -> bool:
        return self.makespan == self.bound


# Shares of the time: a search of the whole first, which proves the small ones; then one around what it finds
# itself, which brings the middle ones of the literature nearest to the best known (begun from the first one's
# schedule it stays there); then the whole again from the best, for its bound. Measured, in
# docs/bench-planning.md.
_PHASES = ((0.05, False), (0.85, True), (0.1, False))


def job_shop(jobs: Sequence[Sequence[tuple[int, int]]], seconds: float = 30.0) -> JobShop:
    """The shortest schedule of a job shop that is found in a time, `jobs` as pairs of machine and minutes;
    refuses where none is. Source of the instances: Fisher & Thompson 1963, Lawrence 1984 and others.

    >>> two_machines = [(3, 6), (7, 2), (4, 7), (5, 3), (7, 4)]
    >>> job_shop([[(0, first), (1, second)] for first, second in two_machines]).makespan
    28
    """
    if not jobs or any(not job or any(minutes < 0 for _, minutes in job) for job in jobs):
        raise Invalid("jobs", len(jobs), fact("plan.write-jobs-as-pairs"))
    if not seconds > 0:
        raise Invalid("seconds", seconds, fact("plan.write-seconds-above-zero"))
    model, starts, whole = _modelled(jobs)
    best: JobShop | None = None
    for share, around in _PHASES:
        solver = cp_model.CpSolver()
        solver.parameters.num_workers = WORKERS
        solver.parameters.max_time_in_seconds = seconds * share
        solver.parameters.use_lns_only = around
        if solver.solve(model) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            continue
        found = JobShop(
            starts=tuple(tuple(solver.value(start) for start in row) for row in starts),
            makespan=solver.value(whole),
            bound=math.ceil(solver.best_objective_bound - 1e-6),
        )
        best = _better(best, found)
        if best.is_best:
            break
        if around:
            for row, begun in zip(starts, best.starts, strict=True):
                for start, at in zip(row, begun, strict=True):
                    model.add_hint(start, at)
    if best is None:
        raise Invalid("seconds", seconds, fact("plan.no-schedule-in-that-time"))
    return best


def _better(one: JobShop | None, other: JobShop) -> JobShop:
    """The shorter of two schedules, with the higher of what both prove."""
    if one is None:
        return other
    shorter = min(one, other, key=lambda found: found.makespan)
    return replace(shorter, bound=max(one.bound, other.bound))


def _modelled(
    jobs: Sequence[Sequence[tuple[int, int]]],
) -> tuple[cp_model.CpModel, list[list[cp_model.IntVar]], cp_model.IntVar]:
    """The model with the starts by job and operation, and the makespan."""
    model, horizon = cp_model.CpModel(), sum(minutes for job in jobs for _, minutes in job)
    on: dict[int, list[cp_model.IntervalVar]] = {}
    starts: list[list[cp_model.IntVar]] = []
    whole = model.new_int_var(0, horizon, "makespan")
    for number, job in enumerate(jobs):
        row: list[cp_model.IntVar] = []
        for place, (machine, minutes) in enumerate(job):
            start = model.new_int_var(0, horizon, f"{number} {place}")
            if row:
                model.add(start >= row[-1] + job[place - 1][1])
            span = model.new_fixed_size_interval_var(start, minutes, f"{number} {place} on {machine}")
            on.setdefault(machine, []).append(span)
            row.append(start)
        model.add(whole >= row[-1] + job[-1][1])
        starts.append(row)
    for spans in on.values():
        model.add_no_overlap(spans)
    model.minimize(whole)
    return model, starts, whole
