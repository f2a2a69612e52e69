"""What a step of the demo's jobs asks for besides being done: warmed, waited for, given its serial."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Protocol

from sutura.core.bench.heat import AT_THE_CELL
from sutura.core.bench.progress import Progress
from sutura.core.bench.serials import Outcome, needs_programmer
from sutura.core.catalogue.model import Phase, Step
from sutura.core.values import Person
from sutura.services import bench, heat, serials, waits

# a reading on black tape so far below a target lies in its window once it is set right
BELOW_C = 4


class AtWork(Protocol):
    """A job that somebody works on by a clock of its own."""

    code: str
    staff: Mapping[str, Person]

    @property
    def at(self) -> datetime: ...

    @property
    def technician(self) -> Person: ...

    def pass_time(self, minutes: float) -> None: ...


def do_step(job: AtWork, step: Step, counted: str) -> Progress:
    """Hold what a step asks for, and record it. A display that was bought as aftermarket stays silent: the
    manager lets that pass, and the customer reads why.
    """
    why, by, beside = hold(job, step), job.technician, 0
    asked = bench.bench_page(job.code).serial
    if asked and asked.last == Outcome.SILENT.value:
        why, by, beside = "agreed: without automatic brightness", job.staff["ines"], job.technician.id
    return bench.do_step(job.code, step.id, counted, why, by, job.at, supervisor=beside)


def hold(job: AtWork, step: Step) -> str:
    """Put it where it waits, warm it, give it its serial, as the step asks; where the time that is left
    before now is too short for that, why it was taken off early.
    """
    by, started = job.technician, job.at
    put_on(job, step)
    if step.heat:
        job.pass_time(step.heat.minutes)
    job.pass_time(max(step.wait_minutes - (job.at - started).total_seconds() / 60, 0))
    if step.heat:
        _read(job, step)
        heat.switch_off(job.code, by, job.at)
    if needs_programmer(step):
        ask = serials.read_old if step.phase is Phase.PREPARE else serials.write_new
        ask(job.code, by, job.at)
    wanted = max(step.wait_minutes, step.heat.minutes if step.heat else 0)
    short = job.at < started + timedelta(minutes=wanted)
    return "it let go before its time" if short else ""


def put_on(job: AtWork, step: Step) -> None:
    """Where a step waits its time runs, and what warms it is on."""
    if step.wait_minutes:
        waits.start_timer(job.code, step.id, job.technician, job.at)
    if step.heat:
        heat.switch_on(job.code, step.id, job.technician, job.at)
        _read(job, step)


def _read(job: AtWork, step: Step) -> None:
    """A reading in the window of a step, on black tape."""
    assert step.heat, "asked for where it is warmed"
    edge = AT_THE_CELL if step.heat.where == AT_THE_CELL else ""
    typed = {
        "temperature": str(step.heat.target_c - BELOW_C),
        "surface": "tape",
        "edge": edge,
        "from": "typed",
    }
    heat.keep_heat(job.code, step.id, typed, job.technician, job.at)
