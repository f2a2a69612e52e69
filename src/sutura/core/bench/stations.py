"""Which stations a sheet holds and for how long: a place that is busy while the device lies in it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from sutura.core.bench.times import sheet_minutes
from sutura.core.catalogue.model import Model, Step
from sutura.core.values import COMMON, Rule

CLAMP = "clamp"
# tools of a sheet that are a place of their own, by what stands in a pack; common practice, no source
STATIONS: Mapping[str, str] = {
    "hot plate": "hot plate",
    "plate": "hot plate",
    "heating pad": "heating pad",
    "pad": "heating pad",
    "heat mat": "heating pad",
    "serial programmer": "programmer",
    "microscope": "microscope",
    CLAMP: CLAMP,
}

RULES = (
    Rule(
        id="bench.stations",
        capability="bench",
        says=(
            "A station is busy for the steps that use it, with their heating and their wait; the clamp until "
            "the seal in it is cured."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class StationUse:
    """A station, and how many minutes it is busy."""

    station: str
    minutes: int


def station_of(step: Step) -> str:
    """The station a step uses, empty when none: where it is warmed, else its first tool that is one."""
    tools = ((step.heat.with_what,) if step.heat else ()) + step.tools
    return next((STATIONS[tool] for tool in tools if tool in STATIONS), "")


def stations_of(model: Model, steps: Iterable[Step], cure_minutes: int) -> tuple[StationUse, ...]:
    """What a sheet holds, in the order of its steps (rule bench.stations)."""
    busy: dict[str, float] = {}
    for step in steps:
        station = station_of(step)
        if station:
            busy[station] = busy.get(station, 0.0) + sheet_minutes(model, [step])
    if CLAMP in busy:
        busy[CLAMP] += cure_minutes
    return tuple(
        StationUse(station=station, minutes=max(round(minutes), 1)) for station, minutes in busy.items()
    )
