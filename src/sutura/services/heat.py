"""Heat at the bench: readings kept, and what they say of each edge."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sutura.core.bench import heat as rules
from sutura.core.bench.heat import HeatReading, Surface
from sutura.core.catalogue.model import EDGES, Model, Step
from sutura.core.errors import Invalid, MoveRefused
from sutura.core.facts import fact
from sutura.core.job import JobRecord, Stage
from sutura.core.people import Deed, demand
from sutura.core.typed import Problems, read_choice
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away
from sutura.devices.simulated.thermometer import SimulatedThermometer
from sutura.services import schools
from sutura.services.job import progress_of
from sutura.store import bench as store
from sutura.store import job as job_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class EdgeHeat:
    """One edge, or the whole, empty: its readings with what they say, and until when it can be worked."""

    edge: str
    lines: list[store.HeatLine]
    readings: list[rules.Reading]
    judged: HeatReading
    until: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatPage:
    """The heat of a step: what is wanted and what each edge has."""

    step: Step
    edges: list[EdgeHeat]
    # whether the thermometer is the stand-in, and whether its gun is on
    simulated: bool
    gun_on: bool

    @property
    def target(self) -> HeatReading:
        return self.edges[0].judged


@reading
def heat_page(job: JobRecord, model: Model, step: Step, now: datetime) -> HeatPage:
    """What the readings of a step say, edge by edge; the whole where nothing was read yet."""
    lines = store.heat_of(job.id, job.bench.attempt, step.id)
    by_edge: dict[str, list[store.HeatLine]] = {}
    for line in lines:
        by_edge.setdefault(line.edge, []).append(line)
    thermometer = plugged().thermometer
    return HeatPage(
        step=step,
        edges=[_edge(model, step, edge, kept, now) for edge, kept in by_edge.items()]
        or [_edge(model, step, "", [], now)],
        simulated=isinstance(thermometer, SimulatedThermometer),
        gun_on=isinstance(thermometer, SimulatedThermometer) and thermometer.gun_on,
    )


def _edge(model: Model, step: Step, edge: str, lines: list[store.HeatLine], now: datetime) -> EdgeHeat:
    assert step.heat, "asked for where there is heat"
    first = lines[0].at if lines else None
    readings = [
        rules.Reading(at_s=(line.at - (first or line.at)).total_seconds(), c=float(line.true_c))
        for line in lines
    ]
    now_s = (now - first).total_seconds() if first else None
    judged = rules.judge_heat(step.heat, model.heat_limits, readings, now_s)
    until = first + timedelta(seconds=judged.until_s) if first and judged.until_s is not None else None
    return EdgeHeat(edge=edge, lines=lines, readings=readings, judged=judged, until=until)


@writing
def keep_heat(code: str, step_id: str, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Keep a reading, typed or of the thermometer where `from` says so."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage not in (Stage.OPENED, Stage.PROVED):
        raise MoveRefused(code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])
    model = schools.of_job(job)
    step = next((one for one in progress_of(job, model).steps if one.id == step_id), None)
    problems = Problems("The reading")
    surface = problems.read(
        "surface", typed.get("surface", ""), lambda text: Surface(read_choice(text, tuple(Surface)))
    )
    edge = problems.read("edge", typed.get("edge", ""), lambda text: read_choice(text, ("", *EDGES)))
    if step is None or not step.heat:
        problems.add("step", step_id, fact("heat.a-heated-step"))
    by_device = typed.get("from") == "thermometer"
    text = typed.get("temperature", "")
    if by_device:
        try:
            shown = plugged().thermometer.read()
            text = f"{shown.value} {shown.unit}"
        except Away:
            problems.add("temperature", "", fact("heat.thermometer-away"))
    read: tuple[float, float] | None = None
    if surface and not problems:
        try:
            read = rules.read_temperature(text, surface)
        except Invalid as wrong:
            problems.add(wrong.field or "temperature", wrong.refused, wrong.accepts)
    problems.refuse()
    assert read, "refused above"
    store.add_heat(
        job=job.id,
        attempt=job.bench.attempt,
        step=step_id,
        edge=edge or "",
        surface=surface,
        read_c=read[0],
        true_c=read[1],
        source="thermometer" if by_device else "typed",
        person=by.id,
        at=now,
    )


def set_gun(by: Person, *, on: bool) -> None:
    """The gun of the simulated thermometer; nothing where a real one is plugged in."""
    demand(by, Deed.WORK_BENCH)
    thermometer = plugged().thermometer
    if isinstance(thermometer, SimulatedThermometer):
        thermometer.gun(on=on)
