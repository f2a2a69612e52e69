"""Heat at the bench: readings kept, and what they say of each edge."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sutura.core.bench import heat as rules
from sutura.core.bench.heat import HeatReading, Surface
from sutura.core.bench.ways import heat_way
from sutura.core.catalogue.model import EDGES, Model, Step
from sutura.core.errors import Invalid, MoveRefused
from sutura.core.facts import fact
from sutura.core.job import JobRecord, Stage
from sutura.core.people import Deed, demand
from sutura.core.typed import Problems, read_choice
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, PlateSays
from sutura.devices.simulated.thermometer import SimulatedThermometer
from sutura.services import schools
from sutura.services.job import progress_of
from sutura.store import bench as store
from sutura.store import job as job_store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class EdgeHeat:
    """One edge, or the whole, empty: its readings with what they say, and until when it can be worked."""

    edge: str
    lines: list[store.HeatLine]
    readings: list[rules.Reading]
    judged: HeatReading
    until: datetime | None
    # when it reaches its target at this pace
    reaches: datetime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatPage:
    """The heat of a step: what is wanted and what each edge has."""

    step: Step
    edges: list[EdgeHeat]
    # whether the thermometer is the stand-in, and whether its gun is on
    simulated: bool
    gun_on: bool
    # where else than at an edge it may be read
    places: tuple[str, ...]
    # the hot plate, where it is warmed on one; away when it does not answer
    plate: PlateSays | None = None
    plate_away: bool = False

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
    room_c = float(shop_store.room_c())
    plate, plate_away = _plate(step)
    return HeatPage(
        step=step,
        edges=[_edge(model, step, edge, kept, now, room_c) for edge, kept in by_edge.items()]
        or [_edge(model, step, "", [], now, room_c)],
        places=_places(model),
        plate=plate,
        plate_away=plate_away,
        simulated=isinstance(thermometer, SimulatedThermometer),
        gun_on=isinstance(thermometer, SimulatedThermometer) and thermometer.gun_on,
    )


def _places(model: Model) -> tuple[str, ...]:
    """Where it may be read besides the edges: at the cell, where the model limits that."""
    return tuple(limit.where for limit in model.heat_limits if limit.where == rules.AT_THE_CELL)


def _is_on_the_plate(step: Step) -> bool:
    way = heat_way(step.heat.with_what) if step.heat else None
    return way is not None and way.by_itself


def _plate(step: Step) -> tuple[PlateSays | None, bool]:
    """What the plate shows at a step that is warmed on one, and whether it is away."""
    if not _is_on_the_plate(step):
        return None, False
    try:
        return plugged().plate.read(), False
    except Away:
        return None, True


def _edge(
    model: Model, step: Step, edge: str, lines: list[store.HeatLine], now: datetime, room_c: float
) -> EdgeHeat:
    assert step.heat, "asked for where there is heat"
    first = lines[0].at if lines else None
    readings = [
        rules.Reading(at_s=(line.at - (first or line.at)).total_seconds(), c=float(line.true_c))
        for line in lines
    ]
    now_s = (now - first).total_seconds() if first else None
    judged = rules.judge_heat(
        step.heat,
        model.heat_limits,
        readings,
        now_s,
        room_c,
        surfaces=[line.surface for line in lines],
        edge=edge,
    )
    until = first + timedelta(seconds=judged.until_s) if first and judged.until_s is not None else None
    reaches = first + timedelta(seconds=judged.reaches_s) if first and judged.reaches_s is not None else None
    return EdgeHeat(edge=edge, lines=lines, readings=readings, judged=judged, until=until, reaches=reaches)


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
    edge = problems.read(
        "edge", typed.get("edge", ""), lambda text: read_choice(text, ("", *EDGES, *_places(model)))
    )
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
            read = rules.read_temperature(text, surface, float(shop_store.room_c()))
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


@writing
def set_plate(code: str, step_id: str, by: Person, *, on: bool) -> None:
    """Set the hot plate to what a step wants, never above its ceiling, or switch it off."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage not in (Stage.OPENED, Stage.PROVED):
        raise MoveRefused(code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])
    model = schools.of_job(job)
    step = next((one for one in progress_of(job, model).steps if one.id == step_id), None)
    if step is None or step.heat is None or not _is_on_the_plate(step):
        raise Invalid("plate", step_id, fact("heat.a-step-on-the-plate"))
    ceiling = rules.ceiling_of(step.heat, model.heat_limits)
    try:
        plugged().plate.set(round(min(step.heat.target_c, ceiling.c)) if on else None)
    except Away:
        raise Invalid("plate", "", fact("heat.plate-away")) from None


def set_gun(by: Person, *, on: bool) -> None:
    """The gun of the simulated thermometer; nothing where a real one is plugged in."""
    demand(by, Deed.WORK_BENCH)
    thermometer = plugged().thermometer
    if isinstance(thermometer, SimulatedThermometer):
        thermometer.gun(on=on)
