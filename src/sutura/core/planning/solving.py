"""The plan that is made by computation: lateness first and proved, then what was told and early finish, at
last surer promises.

CP-SAT over optional intervals, one person a job; it begins with the best plan of a rule and never gives a
worse one. Two searches interleaved by one clock of their own make the same plan of the same input.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from ortools.sat.python import cp_model

from sutura.core.errors import Refusal
from sutura.core.facts import fact
from sutura.core.planning.bounding import least_lateness, steps_for
from sutura.core.planning.day import Day, DayPlan, Pin, Placed, Work, moved_minutes, worth_of
from sutura.core.planning.dispatch import CannotBePlaced, Order, best_dispatch
from sutura.core.planning.sureness import surer
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.proved",
        capability="planning",
        says=(
            "A plan says how far it is from the best possible: its weighed lateness, the least that any plan "
            "can have, and the gap between them. The second aim has a bound of its own: that of the solver's "
            "relaxation, which is weak."
        ),
        source="Bound of the solver (CP-SAT), or that of prices on everybody's minutes (rule plan.bound)",
    ),
    Rule(
        id="plan.told",
        capability="planning",
        says=(
            "A plan that was told is kept unless promises gain by another, or jobs are done so much earlier "
            "that it outweighs the shop's minutes for each job that would move."
        ),
        source="the shop's; no source",
    ),
    Rule(
        id="plan.what-if",
        capability="planning",
        says=(
            "What if somebody is away, a part comes later, a job is wanted at once, a station has one "
            "place more: the day is planned once with it and once without, both without what is held "
            "fast, and nothing is kept. What it costs is the change in lateness at the shop's price of a "
            "day past a promise."
        ),
        source=COMMON,
    ),
)
# of the time for a plan, what the first aim may take at most, and then its proof; tried on seeded days
FIRST, PROVING = 0.5, 0.3
# and the second, which never proves itself: more of it gains little; the shop's, no source
MOST_SECOND = 0.5


class Proof(StrEnum):
    """What is known of a plan's lateness."""

    # no plan has less
    BEST = "best"
    # at most the gap is to be gained
    WITHIN = "within"
    # the solver gave nothing in its time: the plan of a rule stands
    RULE = "rule"


@dataclass(frozen=True, slots=True, kw_only=True)
class Solved:
    """A plan with its proof. `lateness` in weighed minutes, `bound` the least that any plan can have;
    `finish` is the second aim with moved jobs counted, `finish_bound` its own bound, None where none is
    claimed.
    """

    plan: DayPlan
    proof: Proof
    lateness: int
    bound: int
    finish: int
    finish_bound: int | None
    rule: Order
    rule_lateness: int

    @property
    def gap(self) -> float:
        """What could still be gained, as a share of the lateness; 0 where it is the best."""
        return (self.lateness - self.bound) / self.lateness if self.lateness else 0.0

    @property
    def finish_gap(self) -> float | None:
        if self.finish_bound is None or not self.finish:
            return None
        return (self.finish - self.finish_bound) / self.finish


class PinsClash(Refusal):
    """Pins that cannot be kept together, as few as clash by themselves."""

    def __init__(self, pins: tuple[Pin, ...]) -> None:
        self.pins = pins
        super().__init__(fact("plan.pins-clash", keys=tuple(pin.key for pin in pins)))


class _Model:
    """A day as the solver has it."""

    def __init__(self, day: Day, pins: tuple[Pin, ...]) -> None:
        self.day, self.model = day, cp_model.CpModel()
        self.starts: dict[tuple[str, int], Any] = {}
        self.ends: dict[tuple[str, int], Any] = {}
        self.does: dict[tuple[str, str], Any] = {}
        hands: dict[str, list[Any]] = {name: self._off(name) for name in day.people}
        held: dict[str, list[Any]] = {name: [] for name in day.stations}
        for job in day.jobs:
            self._add(job, hands, held)
        for busy in hands.values():
            self.model.add_no_overlap(busy)
        for station, spans in held.items():
            if spans:
                self.model.add_cumulative(spans, [1] * len(spans), day.stations[station])
        for pin in pins:
            if pin.person:
                self.model.add(self.does.get((pin.key, pin.person), 0) == 1)
            if pin.start is not None:
                self.model.add(self.starts[pin.key, 0] == pin.start)

    def _off(self, name: str) -> list[Any]:
        """When somebody does not work, as spans that are taken."""
        spans, at = [], 0
        for window in self.day.people[name]:
            if window.start > at:
                spans.append((at, window.start))
            at = window.end
        spans.append((at, max(self.day.horizon, at) + 1))
        return [
            self.model.new_fixed_size_interval_var(start, end - start, f"off {name} {start}")
            for start, end in spans
        ]

    def _add(self, job: Work, hands: dict[str, list[Any]], held: dict[str, list[Any]]) -> None:
        people = [name for name in job.people if name in self.day.people]
        does = {name: self.model.new_bool_var(f"{job.key} by {name}") for name in people}
        self.model.add_exactly_one(does.values())
        self.does.update({(job.key, name): literal for name, literal in does.items()})
        horizon = self.day.horizon
        for number, operation in enumerate(job.operations):
            start = self.model.new_int_var(job.release, horizon, f"{job.key} {number} start")
            end = self.model.new_int_var(job.release, horizon, f"{job.key} {number} end")
            self.starts[job.key, number], self.ends[job.key, number] = start, end
            if number:
                before = self.ends[job.key, number - 1]
                at_once = not operation.attended
                self.model.add(start == before if at_once else start >= before)
            minutes = {name: job.minutes(number, name) for name in people}
            self.model.add(end == start + sum(minutes[name] * does[name] for name in people))
            if operation.attended and operation.minutes:
                for name in people:
                    hands[name].append(
                        self.model.new_optional_interval_var(
                            start, minutes[name], end, does[name], f"{job.key} {number} {name}"
                        )
                    )
        for hold in job.holds:
            first, last = self.starts[job.key, hold.first], self.ends[job.key, hold.last]
            size = self.model.new_int_var(0, horizon, f"{job.key} holds {hold.station}")
            held[hold.station].append(
                self.model.new_interval_var(first, size, last, f"{job.key} in {hold.station}")
            )

    def done(self, job: Work) -> Any:
        return self.ends[job.key, len(job.operations) - 1]

    def lateness(self) -> Any:
        """Weighed minutes of lateness, as the solver counts them."""
        late = []
        for job in self.day.jobs:
            minutes = self.model.new_int_var(0, max(self.day.horizon - job.due, 0), f"{job.key} late")
            self.model.add(minutes >= self.done(job) - job.due)
            late.append(job.weight * minutes)
        return sum(late)

    def finish(self) -> Any:
        """The sum of finishing times, with what each moved job counts."""
        moves = []
        for job in self.day.jobs:
            told = self.day.told.get(job.key)
            if told is None:
                continue
            stays = self.model.new_bool_var(f"{job.key} stays")
            person, start = told
            by = self.does.get((job.key, person))
            self.model.add(self.starts[job.key, 0] == start).only_enforce_if(stays)
            if by is None:
                self.model.add(stays == 0)
            else:
                self.model.add_implication(stays, by)
            moves.append(1 - stays)
        return sum(self.done(job) for job in self.day.jobs) + self.day.move_minutes * sum(moves)

    def hint(self, plan: DayPlan) -> None:
        """The solver begins with a plan."""
        self.model.clear_hints()  # type: ignore[no-untyped-call] # the library leaves it open
        for one in plan.placed:
            self.model.add_hint(self.starts[one.key, one.number], one.start)
            self.model.add_hint(self.ends[one.key, one.number], one.end)
        people = {one.key: one.person for one in plan.placed}
        for (key, name), literal in self.does.items():
            self.model.add_hint(literal, people.get(key) == name)

    def plan(self, solver: cp_model.CpSolver) -> DayPlan:
        placed = []
        for job in self.day.jobs:
            person = next(
                name
                for name in job.people
                if (job.key, name) in self.does and solver.value(self.does[job.key, name])
            )
            placed += [
                Placed(
                    key=job.key,
                    number=number,
                    person=person,
                    start=solver.value(self.starts[job.key, number]),
                    end=solver.value(self.ends[job.key, number]),
                )
                for number in range(len(job.operations))
            ]
        return DayPlan(placed=tuple(placed))


def _solver(seconds: float, effort: float | None) -> cp_model.CpSolver:
    """A solver with a limit in seconds, and in its own deterministic time where the same input must give the
    same plan whatever else the machine does.
    """
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 2
    solver.parameters.random_seed = 1
    solver.parameters.max_time_in_seconds = seconds
    if effort is not None:
        solver.parameters.interleave_search = True
        solver.parameters.max_deterministic_time = effort
    return solver


_FOUND = (cp_model.OPTIMAL, cp_model.FEASIBLE)


def _least(solver: cp_model.CpSolver) -> int:
    """What the solver proved that no plan goes below; every aim is whole minutes."""
    return max(math.ceil(solver.best_objective_bound - 1e-6), 0)


def solve(day: Day, seconds: float, effort: float | None = None) -> Solved:
    """The plan of a day within so many seconds, of which the first aim has most and the second what is left
    (rules plan.aims, plan.proved). `effort`, in the solver's own time, makes the same plan of the same
    input. Refuses pins that clash, and a job that nobody can do.
    """
    check_pins(day)
    start, rule = _begin_with(day, seconds)
    plan, rule_lateness = start, worth_of(day, start).lateness
    lateness, bound, proof, used = rule_lateness, 0, Proof.BEST, 0.0
    if rule_lateness:
        first = _Model(day, day.pins)
        first.hint(start)
        first.model.minimize(first.lateness())
        solver = _solver(seconds * FIRST, None if effort is None else effort * FIRST)
        status = solver.solve(first.model)
        used = solver.wall_time
        proof = Proof.RULE
        if status in _FOUND:
            found = first.plan(solver)
            bound = _least(solver)
            proof = Proof.BEST if status == cp_model.OPTIMAL else Proof.WITHIN
            plan = min(plan, found, key=lambda one: worth_of(day, one).lateness)
            lateness = worth_of(day, plan).lateness
        if bound < lateness:
            steps = steps_for(day, PROVING * (seconds if effort is None else effort))
            bound = max(bound, least_lateness(day, lateness, steps))
            used += seconds * PROVING
            proof = Proof.BEST if bound == lateness else proof
    rest = None if effort is None else effort * (1 - FIRST)
    left = min(max(seconds - used, seconds * (1 - FIRST - PROVING)), seconds * MOST_SECOND)
    plan, finish_bound = _second(day, plan, lateness, left, rest)
    plan = surer(day, plan)
    # what is done earlier, or surer, may be less late too
    lateness = worth_of(day, plan).lateness
    proof = Proof.BEST if lateness <= bound else proof
    return Solved(
        plan=plan,
        proof=proof,
        lateness=lateness,
        bound=min(bound, lateness),
        finish=moved_minutes(day, plan),
        finish_bound=finish_bound,
        rule=rule,
        rule_lateness=rule_lateness,
    )


def _begin_with(day: Day, seconds: float) -> tuple[DayPlan, Order]:
    """The plan of a rule; where none of them finds a place among the pins, any plan that keeps them."""
    try:
        return best_dispatch(day)
    except CannotBePlaced:
        model = _Model(day, day.pins)
        solver = _solver(seconds, None)
        if not day.pins or solver.solve(model.model) not in _FOUND:
            raise
        return model.plan(solver), Order.CAME


def _second(
    day: Day, plan: DayPlan, lateness: int, seconds: float, effort: float | None
) -> tuple[DayPlan, int | None]:
    """The second aim with the first held: what was told, and early finish; the better of two plans."""
    second = _Model(day, day.pins)
    second.model.add(second.lateness() <= lateness)
    second.hint(plan)
    second.model.minimize(second.finish())
    solver = _solver(seconds, effort)
    if solver.solve(second.model) not in _FOUND:
        return plan, None
    return min(second.plan(solver), plan, key=lambda one: moved_minutes(day, one)), _least(solver)


def least_makespan(day: Day, seconds: float) -> tuple[DayPlan, int]:
    """The plan that is done with everything soonest, and the least time that any plan needs; for checks
    against published instances.
    """
    start, _ = best_dispatch(day)
    model = _Model(day, day.pins)
    model.hint(start)
    whole = model.model.new_int_var(0, day.horizon, "makespan")
    for job in day.jobs:
        model.model.add(whole >= model.done(job))
    model.model.minimize(whole)
    solver = _solver(seconds, None)
    if solver.solve(model.model) not in _FOUND:
        return start, 0
    found = min(model.plan(solver), start, key=lambda one: worth_of(day, one).makespan)
    return found, _least(solver)


def check_pins(day: Day, seconds: float = 5.0) -> None:
    """Refuse pins that cannot be kept together, as few of them as clash."""
    if not day.pins or _can(day, day.pins, seconds):
        return
    clash = list(day.pins)
    for pin in day.pins:
        fewer = tuple(one for one in clash if one is not pin)
        if not _can(day, fewer, seconds):
            clash = list(fewer)
    raise PinsClash(tuple(clash))


def _can(day: Day, pins: tuple[Pin, ...], seconds: float) -> bool:
    """Whether a day can be planned with some pins; what is not settled in time is taken to be so."""
    model = _Model(day, pins)
    return _solver(seconds, None).solve(model.model) != cp_model.INFEASIBLE
