"""How sure a plan is: its order is played through many times with minutes that spread, and each job says in
how many it keeps its promise.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.random import default_rng

from sutura.core.planning.day import Day, DayPlan, Window
from sutura.core.values import Rule

# how far minutes at the bench spread, as a share of what is expected; common practice, no source
SPREAD = 0.35
RUNS = 2_000
# of quantiles: the value that is not exceeded in so many of the runs
METHOD: Literal["inverted_cdf"] = "inverted_cdf"

RULES = (
    Rule(
        id="plan.chance",
        capability="planning",
        says=(
            f"A plan's order is played {RUNS:,} times: everybody does their jobs in its order, no sooner "
            "than hands, station and part are there; minutes at the bench spread lognormally by a third, "
            "a part that is awaited comes later by what its supplier's deliveries scatter (exponentially). "
            "A job is kept in as many of a hundred as it is done by its promise in."
        ),
        source="Monte Carlo with a fixed seed; quantiles: inverse of the empirical distribution function",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Chance:
    """How a job comes out: kept in how many of a hundred, and finished by when in 50, 80 and 95 of them, in
    minutes from the start of the plan.
    """

    key: str
    kept: float
    finish: tuple[int, int, int]

    @property
    def of_hundred(self) -> int:
        """As a whole number; never 100 or 0 where it is not so in every run."""
        whole = round(self.kept * 100)
        if whole == 100 and self.kept < 1:
            return 99
        return 1 if whole == 0 and self.kept > 0 else whole


def play(day: Day, plan: DayPlan, *, runs: int = RUNS, seed: int = 1) -> tuple[Chance, ...]:
    """What becomes of each job of a plan, by the day's order of jobs (rule plan.chance)."""
    done = _finishes(day, plan, runs=runs, seed=seed)
    return tuple(
        Chance(
            key=job.key,
            kept=float(np.mean(done[job.key] <= job.due)),
            finish=(_by(done[job.key], 0.5), _by(done[job.key], 0.8), _by(done[job.key], 0.95)),
        )
        for job in day.jobs
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Outlook:
    """How each job comes out on average: in which share of the runs it is kept, and how many minutes late
    it is to be expected.
    """

    kept: Mapping[str, float]
    late: Mapping[str, float]


def outlook(day: Day, plan: DayPlan, *, runs: int = RUNS, seed: int = 1) -> Outlook:
    """What is to be expected of each job of a plan. The same seed draws the same minutes for the same jobs,
    whatever their order: plans can be compared.
    """
    done = _finishes(day, plan, runs=runs, seed=seed)
    return Outlook(
        kept={job.key: float(np.mean(done[job.key] <= job.due)) for job in day.jobs},
        late={job.key: float(np.mean(np.maximum(done[job.key] - job.due, 0))) for job in day.jobs},
    )


def how_sure(day: Day, plan: DayPlan, key: str, share: float) -> tuple[int, int, int]:
    """By when a job is done in half of the runs, or as planned where that is later, and in how many of a
    hundred runs it is by then; and by when in that share of the runs. In minutes from the start of the plan.
    """
    done = _finishes(day, plan, runs=RUNS, seed=1)[key]
    likely = max(plan.finishes[key], _by(done, 0.5))
    return likely, round(100 * float(np.mean(done <= likely))), max(_by(done, share), likely)


def _by(done: np.ndarray, share: float) -> int:
    return int(np.quantile(done, share, method=METHOD))


def _finishes(day: Day, plan: DayPlan, *, runs: int, seed: int) -> dict[str, np.ndarray]:
    """When each job is done in each run. Operations are taken in the order of the plan: each begins when the
    one before it, its person, and a place at its station are there, and inside of its person's hours.
    """
    chance = default_rng(seed)
    jobs = {job.key: job for job in day.jobs}
    at = {
        job.key: job.release + chance.exponential(job.late_minutes, runs)
        if job.late_minutes
        else np.full(runs, float(job.release))
        for job in day.jobs
    }
    # drawn by job and not by place: what changes between two orders is the order alone
    spread = {
        (job.key, number): chance.lognormal(-(_SIGMA**2) / 2, _SIGMA, runs)
        for job in day.jobs
        for number, operation in enumerate(job.operations)
        if operation.attended
    }
    hands = {name: np.zeros(runs) for name in day.people}
    freed = {name: np.zeros((places, runs)) for name, places in day.stations.items() if places > 0}
    for one in sorted(plan.placed, key=lambda placed: (placed.start, placed.end, placed.key, placed.number)):
        job = jobs[one.key]
        operation, start = job.operations[one.number], at[one.key]
        minutes = np.full(runs, float(one.end - one.start))
        for hold in job.holds:
            if hold.first == one.number:
                start = np.maximum(start, freed[hold.station].min(axis=0))
        if operation.attended and one.end > one.start:
            minutes = minutes * spread[one.key, one.number]
            start = _in_hours(np.maximum(start, hands[one.person]), minutes, day.people[one.person])
            hands[one.person] = start + minutes
        at[one.key] = start + minutes
        for hold in job.holds:
            if hold.last == one.number:
                places = freed[hold.station]
                places[places.argmin(axis=0), np.arange(runs)] = at[one.key]
    return at


_SIGMA = float(np.sqrt(np.log(1 + SPREAD**2)))


def _in_hours(start: np.ndarray, minutes: np.ndarray, windows: Sequence[Window]) -> np.ndarray:
    """The first minute from which work fits into one window; where none is long enough, after the last one's
    start: it runs over.
    """
    found = np.full(start.shape, np.inf)
    for window in windows:
        here = np.maximum(start, window.start)
        fits = (here + minutes <= window.end) & ~np.isfinite(found)
        found = np.where(fits, here, found)
    last = max((window.start for window in windows), default=0)
    over = np.maximum(start, last)
    return np.where(np.isfinite(found), found, over)


def in_hours(start: Sequence[float], minutes: Sequence[float], windows: Sequence[Window]) -> list[float]:
    """When work can begin at the soonest, for each of some starts and lengths.

    >>> in_hours([10, 40], [30, 30], [Window(0, 60), Window(90, 150)])
    [10.0, 90.0]
    """
    return [float(at) for at in _in_hours(np.asarray(start, float), np.asarray(minutes, float), windows)]
