"""Heat at the bench: readings kept, and what they say of each edge."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from sutura.core.bench import heat as rules
from sutura.core.bench.heat import HeatReading, Surface
from sutura.core.bench.ways import heat_way
from sutura.core.catalogue.model import EDGES, Model, Step
from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.job import JobRecord, check_worked_on
from sutura.core.people import Deed, demand
from sutura.core.shop import is_believed
from sutura.core.typed import Problems, read_choice
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, PlateSays
from sutura.devices.simulated.thermometer import SimulatedThermometer
from sutura.services import schools
from sutura.services.job import progress_of
from sutura.store import heat as store
from sutura.store import job as job_store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing

PLATE = "plate"


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
    # what warms it, and since when it is on for this job; empty and None where it is off
    what: str
    on_since: datetime | None
    # which other job has the plate
    plate_of: str
    # where else than at an edge it may be read
    places: tuple[str, ...]
    # the hot plate, where it is warmed on one; away when it does not answer
    plate: PlateSays | None = None
    plate_away: bool = False

    @property
    def is_off_by_itself(self) -> bool:
        """Whether the plate says that it is off while it is kept as on: somebody looks and notes it."""
        return self.on_since is not None and self.plate is not None and self.plate.wanted_c is None

    @property
    def target(self) -> HeatReading:
        return self.edges[0].judged


@reading
def heat_page(job: JobRecord, model: Model, step: Step, now: datetime) -> HeatPage:
    """What the readings of a step say, edge by edge, with what warms it."""
    plate, plate_away = _plate(step)
    what = source_of(step)
    on = next((one for one in store.sources_of(job.id) if one.is_on and one.what == what), None)
    has_plate = store.whose_plate() if what == PLATE and not on else ""
    return HeatPage(
        step=step,
        edges=edges_of(job, model, step, now),
        places=_places(model),
        plate=plate,
        plate_away=plate_away,
        what=what,
        on_since=on.on_at if on else None,
        plate_of=has_plate,
    )


@reading
def edges_of(job: JobRecord, model: Model, step: Step, now: datetime) -> list[EdgeHeat]:
    """What the readings of a step say, edge by edge; the whole where nothing was read yet."""
    by_edge: dict[str, list[store.HeatLine]] = {}
    for line in store.heat_of(job.id, job.bench.attempt, step.id):
        if is_believed(line.at, now):
            by_edge.setdefault(line.edge, []).append(line)
    room_c = float(shop_store.room_c())
    read = [read_edge(model, step, edge, kept, now, room_c) for edge, kept in by_edge.items()]
    return read or [read_edge(model, step, "", [], now, room_c)]


def source_of(step: Step) -> str:
    """What warms at a step, as it is switched on; empty where it is nothing of ours."""
    way = heat_way(step.heat.with_what) if step.heat else None
    return way.id if way else ""


def _places(model: Model) -> tuple[str, ...]:
    """Where it may be read besides the edges: at the cell, where the model limits that."""
    return tuple(limit.where for limit in model.heat_limits if limit.where == rules.AT_THE_CELL)


def _plate(step: Step) -> tuple[PlateSays | None, bool]:
    """What the plate shows at a step that is warmed on one, and whether it is away."""
    if source_of(step) != PLATE:
        return None, False
    try:
        return plugged().plate.read(), False
    except Away:
        return None, True


def read_edge(
    model: Model, step: Step, edge: str, lines: list[store.HeatLine], now: datetime | None, room_c: float
) -> EdgeHeat:
    """The readings of one place at a step, the oldest first, with what they say; without `now` they are
    judged as they were when the last was taken.
    """
    assert step.heat, "asked for where there is heat"
    first = lines[0].at if lines else None
    readings = [
        rules.Reading(at_s=(line.at - (first or line.at)).total_seconds(), c=float(line.true_c))
        for line in lines
    ]
    now_s = (now - first).total_seconds() if first and now else None
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


def keep_heat(code: str, step_id: str, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Keep a reading, typed or of the thermometer where `from` says so."""
    demand(by, Deed.WORK_BENCH)
    by_device = typed.get("from") == "thermometer"
    text: str | None = typed.get("temperature", "")
    if by_device:
        # asked before anything is locked
        try:
            shown = plugged().thermometer.read()
            text = f"{shown.value} {shown.unit}"
        except Away:
            text = None
    _keep_heat(code, step_id, typed, text, by, now)


@writing
def _keep_heat(
    code: str, step_id: str, typed: Mapping[str, str], text: str | None, by: Person, now: datetime
) -> None:
    """Keep a reading as it is written; None where the thermometer was away."""
    job = job_store.lock_job(code)
    check_worked_on(job)
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
    if text is None:
        problems.add("temperature", "", fact("heat.thermometer-away"))
    read: tuple[float, float] | None = None
    if surface and text is not None and not problems:
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
        source="thermometer" if typed.get("from") == "thermometer" else "typed",
        person=by.id,
        at=now,
    )


def switch_on(code: str, step_id: str, by: Person, now: datetime) -> None:
    """Switch what warms a step on for a job (rule heat.off). The plate is set to what the step wants, never
    above its ceiling.
    """
    demand(by, Deed.WORK_BENCH)
    # the record comes first: what does not answer after it is on, until somebody looked
    what, wanted_c = _switched_on(code, step_id, by, now)
    if what == PLATE:
        try:
            plugged().plate.set(wanted_c)
        except Away:
            _switched_off(code, what, by, now)
            raise Invalid("plate", "", fact("heat.plate-away")) from None
    elif isinstance(thermometer := plugged().thermometer, SimulatedThermometer):
        # the stand-in reads what the stand-ins warm
        thermometer.gun(on=True)


@writing
def _switched_on(code: str, step_id: str, by: Person, now: datetime) -> tuple[str, int]:
    """Something hot is on for a job; what, and to how many degrees. Two jobs on one plate are refused."""
    job = job_store.lock_job(code)
    check_worked_on(job)
    model = schools.of_job(job)
    step = next((one for one in progress_of(job, model).steps if one.id == step_id), None)
    what = source_of(step) if step else ""
    if step is None or step.heat is None or not what:
        raise Invalid("heat", step_id, fact("heat.a-heated-step"))
    if not store.switch_on(job.id, what, by.id, now) and what == PLATE:
        whose = store.whose_plate()
        if whose != job.code:
            raise Invalid("plate", whose, fact("heat.plate-is-taken", code=whose))
    ceiling = rules.ceiling_of(step.heat, model.heat_limits)
    return what, round(min(step.heat.target_c, ceiling.c))


@writing
def _switched_off(code: str, what: str, by: Person, now: datetime) -> None:
    job = job_store.lock_job(code)
    store.switch_off(job.id, what, by.id, now)


def switch_off(code: str, by: Person, now: datetime, *, by_hand: bool = False) -> None:
    """Everything that is on for a job is switched off, from any page of it."""
    demand(by, Deed.WORK_BENCH)
    for what in _on(code):
        if what == PLATE and not by_hand:
            try:
                plugged().plate.set(None)
            except Away:
                raise Invalid("plate", "", fact("heat.plate-away")) from None
        elif isinstance(thermometer := plugged().thermometer, SimulatedThermometer):
            thermometer.gun(on=False)
        _switched_off(code, what, by, now)


@reading
def _on(code: str) -> list[str]:
    job = job_store.load_job(code)
    return [one.what for one in store.sources_of(job.id) if one.is_on]
