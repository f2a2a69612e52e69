"""A job shop as the literature writes it: jobs of operations, each on one machine for some minutes, in
order. For checks against published instances: `./sutura core planning.job_shop < shop.json`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ortools.sat.python import cp_model

from sutura.core.errors import Invalid
from sutura.core.facts import fact


@dataclass(frozen=True, slots=True, kw_only=True)
class JobShop:
    """Starts by job and operation, the makespan, and the least that any schedule can have."""

    starts: tuple[tuple[int, ...], ...]
    makespan: int
    bound: int

    @property
    def is_best(self) -> bool:
        return self.makespan == self.bound


def job_shop(jobs: Sequence[Sequence[tuple[int, int]]], seconds: float = 30.0) -> JobShop:
    """The shortest schedule of a job shop, `jobs` as pairs of machine and minutes. Source of the instances:
    Fisher & Thompson 1963, Lawrence 1984 and others.

    >>> two_machines = [(3, 6), (7, 2), (4, 7), (5, 3), (7, 4)]
    >>> job_shop([[(0, first), (1, second)] for first, second in two_machines]).makespan
    28
    """
    if not jobs or any(not job or any(minutes < 0 for _, minutes in job) for job in jobs):
        raise Invalid("jobs", len(jobs), fact("plan.write-jobs-as-pairs"))
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
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 2
    solver.parameters.max_time_in_seconds = seconds
    solver.solve(model)
    return JobShop(
        starts=tuple(tuple(solver.value(start) for start in row) for row in starts),
        makespan=solver.value(whole),
        bound=math.ceil(solver.best_objective_bound - 1e-6),
    )
