"""Heat at the bench: what a reading truly is, how it cools, and until when it can be worked.

A surface that is left cools towards the room by Newton's law: T(t) = Ta + d·exp(−t/τ). The fit and its doubt
are scipy's; times in seconds, temperatures in °C.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from enum import StrEnum

from sutura.core.bench.ways import HAND_C, heat_way
from sutura.core.catalogue.model import Goes, Heat, HeatLimit, Step
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.typed import Problems, read_number
from sutura.core.values import COMMON, Rule

KELVIN = 273.15
# what an infrared thermometer of a workshop reads; beyond it is a mistake
COLDEST, HOTTEST = -20, 300
# adhesive lets itself be cut down to so much below its target; common practice, no source
WORKABLE_BELOW = 15.0
# what is wanted is a window: so far below its target it counts as at its heat, and so far above it is still
# right where its ceiling allows that; common practice, no source
WINDOW_C = 5.0
# what is warmed for seconds has no second reading within its time
SHORT_MINUTES = 1.0
# the room, where nobody measured it
ROOM_C = 22.0
# a workshop people work in; outside of it is a mistake
ROOM_FROM, ROOM_TO = 5, 40
# what was warmed is of use to the steps after it for so long; the shop's, no source
STAYS = timedelta(minutes=30)
# a reading tells of its place for so long, unless a curve through several tells more; the shop's, no source
FRESH_S = 300.0
# a prediction is a two-sided interval of this sureness
SURE = 0.90
# a curve through fewer points than this tells nothing of its doubt
LEAST_READINGS = 4
# so many of the last readings tell the pace of warming; the shop's, no source
PACE_OF = 4


class Surface(StrEnum):
    """What the thermometer looks at: each sends out another share of its warmth."""

    GLASS = "glass"
    TAPE = "tape"
    PLASTIC = "plastic"
    ANODISED = "anodised"
    METAL = "metal"


# window glass and black vinyl tape .90–.97, plastics about as much, anodised aluminium about .8 (from
# tables of emissivity, from memory); bare metal .04–.1: a reading of it says nothing
EMISSIVITY = {Surface.GLASS: 0.92, Surface.TAPE: 0.95, Surface.PLASTIC: 0.94, Surface.ANODISED: 0.8}

RULES = (
    Rule(
        id="heat.surface",
        capability="bench",
        says=(
            "A reading is set right by what it is read on: glass, tape, plastic or anodised metal. Bare "
            "metal is refused: it mirrors the room; black tape on it is read instead."
        ),
        source="Stefan–Boltzmann with emissivity: T⁴ = (T_read⁴ − (1 − ε)·T_room⁴)/ε in kelvin",
    ),
    Rule(
        id="heat.cooling",
        capability="bench",
        says=(
            "Once it is left, it cools by Newton's law; from four readings on the curve is fitted to "
            "them, and the time at which it is too cold to cut is said with its doubt (nine in ten)."
        ),
        source="Newton's law of cooling; least squares by scipy, the doubt by the delta method",
    ),
    Rule(
        id="heat.workable",
        capability="bench",
        says=(
            f"Adhesive is cut from its target down to {WORKABLE_BELOW:g} °C below it; then it is warmed "
            "again."
        ),
        source=COMMON,
    ),
    Rule(
        id="heat.window",
        capability="bench",
        says=(
            f"A heated step is done when every place that was read lies in its window – {WINDOW_C:g} °C "
            "about its target, never above its ceiling – and stayed there for its time, by readings or by "
            f"its timer, and its last reading is no more than {FRESH_S / 60:g} minutes old. Below, too short "
            "or too old, somebody trained may go on with a reason; above its ceiling only a manager. Both "
            "stand in the record."
        ),
        source=COMMON,
    ),
    Rule(
        id="heat.off",
        capability="bench",
        says=(
            "A plate, gun or pad that was switched on for a job stands on every page until it is off; "
            "nothing is closed, and no device handed back, beside one that is on. One plate holds one job."
        ),
        source=COMMON,
    ),
    Rule(
        id="heat.ceiling",
        capability="bench",
        says=(
            "A reading above its ceiling stops the heating at once, and stays with the job. The ceiling is "
            "the lowest of the limit of its place, of plastic where that is read, of a hand where a hand "
            f"holds the heat ({HAND_C} °C), and of the cell where it is read there."
        ),
        source=COMMON,
    ),
    Rule(
        id="heat.reaches",
        capability="bench",
        says=(
            "While it is warmed, the time at which it reaches its target is said from its last readings, by "
            "the pace of a straight line through them: it warms slower towards the end, so it is the "
            "earliest."
        ),
        source="Least squares through the last rising readings; common practice",
    ),
)


# plastic shells and bezels soften; common practice
PLASTIC_C = 60
# where a reading may be taken besides an edge: at the cell, where its limit counts
AT_THE_CELL = "near the cell"


@dataclass(frozen=True, slots=True, kw_only=True)
class Ceiling:
    """The hottest something may get, and what sets it."""

    c: float
    of: Say


def ceiling_of(
    heat: Heat, limits: Sequence[HeatLimit], surfaces: Sequence[str] = (), edge: str = ""
) -> Ceiling:
    """The lowest of all that limit a heat (rule heat.ceiling); the first named where two are as low. A target
    without any limit is its own.
    """
    way = heat_way(heat.with_what)
    found = [
        Ceiling(c=limit.max_c, of=limit.where)
        for limit in limits
        if limit.where == heat.where or (edge == AT_THE_CELL and limit.where == AT_THE_CELL)
    ]
    if way and way.in_hand:
        found.append(Ceiling(c=way.most_c, of=fact("heat.of-a-hand")))
    if Surface.PLASTIC in surfaces:
        found.append(Ceiling(c=PLASTIC_C, of=fact("heat.of-plastic")))
    return min(found, key=lambda one: one.c, default=Ceiling(c=heat.target_c, of=heat.where))


def reaches(readings: Sequence[Reading], target_c: float) -> float | None:
    """When a surface that is being warmed reaches its target, in the seconds of its readings, by the pace of
    the last of them; None where it is there already, or does not rise.

    >>> reaches([Reading(at_s=0, c=20), Reading(at_s=10, c=30), Reading(at_s=20, c=40)], 60)
    40.0
    """
    last = list(readings[-PACE_OF:])
    # one that falls by now does not get there, whatever it did before
    if len(last) < 2 or last[-1].c >= target_c or last[-1].c <= max(last[0].c, last[-2].c):
        return None
    middle_s = sum(one.at_s for one in last) / len(last)
    middle_c = sum(one.c for one in last) / len(last)
    spread = sum((one.at_s - middle_s) ** 2 for one in last)
    pace = sum((one.at_s - middle_s) * (one.c - middle_c) for one in last) / spread if spread else 0.0
    if pace <= 0:
        return None
    return last[-1].at_s + (target_c - last[-1].c) / pace


def soaked_s(readings: Sequence[Reading], target_c: float) -> float:
    """For how long it was at its heat, by its readings: from the first of this warming that reached it to the
    last, as long as none between was colder.
    """
    since: float | None = None
    for reading in readings:
        if reading.c < target_c - WINDOW_C:
            since = None
        elif since is None:
            since = reading.at_s
    return readings[-1].at_s - since if since is not None else 0.0


def celsius(fahrenheit: float) -> float:
    """Degrees Celsius of degrees Fahrenheit.

    >>> celsius(212.0)
    100.0
    """
    return (fahrenheit - 32) * 5 / 9


def true_temperature(read_c: float, emissivity: float, room_c: float = ROOM_C) -> float:
    """What a surface truly has when a thermometer set to 1 reads `read_c`.

    >>> round(true_temperature(60, 0.95, 23), 5)
    61.63424
    """
    if not 0 < emissivity <= 1:
        raise ValueError(f"an emissivity of {emissivity} is none")
    seen = (read_c + KELVIN) ** 4 - (1 - emissivity) * (room_c + KELVIN) ** 4
    if seen <= 0:
        raise ValueError(f"no surface reads {read_c} °C in a room of {room_c} °C")
    return float((seen / emissivity) ** 0.25 - KELVIN)


def read_temperature(text: str, surface: Surface, room_c: float = ROOM_C) -> tuple[float, float]:
    """A reading as typed, in °C or °F (`142 F`), on a surface in a room: as read in °C, and set right. Bare
    metal is refused.
    """
    if surface is Surface.METAL:
        raise Invalid("surface", surface, fact("heat.put-tape-on-it"))
    plain = text.strip().upper().replace("°", "").strip()
    in_fahrenheit = plain.endswith("F")
    try:
        number = float(
            read_number(
                plain.rstrip("CF ").strip(),
                round(COLDEST * 9 / 5 + 32) if in_fahrenheit else COLDEST,
                round(HOTTEST * 9 / 5 + 32) if in_fahrenheit else HOTTEST,
                fact("heat.write-degrees", least=COLDEST, most=HOTTEST),
            )
        )
    except Invalid as wrong:
        # quoted as it was typed
        raise Invalid(wrong.field, text.strip(), wrong.accepts) from None
    read_c = celsius(number) if in_fahrenheit else number
    return round(read_c, 1), round(true_temperature(read_c, EMISSIVITY[surface], room_c), 1)


def read_room(text: str) -> Decimal:
    """How warm a workshop is, as typed, in °C with a tenth."""
    room: Decimal | None = None
    problems = Problems("The room")
    room = problems.read(
        "room", text, lambda typed: read_number(typed, ROOM_FROM, ROOM_TO, fact("heat.write-the-room"))
    )
    problems.refuse()
    return round(room or Decimal(ROOM_C), 1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """A reading set right: seconds from any start, °C."""

    at_s: float
    c: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Cooling:
    """A curve of cooling: the room, how much warmer it was at `start_s`, its time constant, and how unsure
    the two are together.
    """

    room_c: float
    excess_c: float
    tau_s: float
    start_s: float
    covariance: tuple[tuple[float, float], tuple[float, float]]
    readings: int

    def at(self, at_s: float) -> float:
        """°C at a time."""
        return self.room_c + self.excess_c * math.exp(-(at_s - self.start_s) / self.tau_s)

    def crosses(self, c: float) -> tuple[float, float] | None:
        """When it falls to a temperature, and by how much that may be off (nine in ten); None where it never
        does.
        """
        if c <= self.room_c or self.excess_c <= 0:
            return None
        from scipy import special

        share = self.excess_c / (c - self.room_c)
        when = self.tau_s * math.log(share)
        # how the time moves with the excess and with the time constant
        by_excess, by_tau = self.tau_s / self.excess_c, math.log(share)
        (aa, ab), (_, bb) = self.covariance
        variance = by_excess**2 * aa + 2 * by_excess * by_tau * ab + by_tau**2 * bb
        degrees = self.readings - 2
        quantile = float(special.stdtrit(degrees, (1 + SURE) / 2))
        return self.start_s + when, quantile * math.sqrt(max(variance, 0.0))


def fit_cooling(readings: Sequence[Reading], room_c: float = ROOM_C) -> Cooling | None:
    """The curve through the readings since it is left, with the room known; None where there are too few, or
    where it does not cool.
    """
    cooling = falling(readings)
    if len(cooling) < LEAST_READINGS:
        return None
    import warnings

    import numpy as np
    from scipy import optimize

    start = cooling[0].at_s
    times = np.array([reading.at_s - start for reading in cooling])
    warmth = np.array([reading.c - room_c for reading in cooling])
    if times[-1] <= 0 or (warmth <= 0).any():
        return None
    guess = max((times[-1] - times[0]) / max(math.log(warmth[0] / warmth[-1]), 0.01), 1.0)
    try:
        with warnings.catch_warnings():
            # a curve through exact points has no doubt, which the library warns of
            warnings.simplefilter("ignore", optimize.OptimizeWarning)
            found, covariance = optimize.curve_fit(
                lambda t, excess, tau: excess * np.exp(-t / tau), times, warmth, p0=(warmth[0], guess)
            )
    except RuntimeError:
        return None
    excess, tau = (float(value) for value in found)
    if not (excess > 0 and 0 < tau < 1e6) or not np.isfinite(covariance).all():
        return None
    pairs = tuple(tuple(float(value) for value in row) for row in covariance)
    return Cooling(
        room_c=room_c,
        excess_c=excess,
        tau_s=tau,
        start_s=start,
        covariance=pairs,  # type: ignore[arg-type] # two by two
        readings=len(cooling),
    )


def falling(readings: Sequence[Reading]) -> list[Reading]:
    """The readings from the hottest on: since it was left."""
    if not readings:
        return []
    hottest = max(range(len(readings)), key=lambda place: (readings[place].c, place))
    return list(readings[hottest:])


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """Something hot that was switched on for a job, until it is off."""

    what: str
    on_at: datetime
    on_by: str
    off_at: datetime | None = None
    off_by: str = ""

    @property
    def is_on(self) -> bool:
        return self.off_at is None


def heated_step(
    now_doing: Step | None, steps: Sequence[Step], done: Sequence[tuple[str, datetime]], now: datetime
) -> Step | None:
    """The step whose heat counts now: this one, or one that was warmed for this one and still is. What takes
    something off in the same step warms for itself alone.
    """
    if now_doing is None or now_doing.heat:
        return now_doing
    heated = {
        step.id: step
        for step in steps
        if step.heat and step.id in now_doing.after and not step.moves and step.goes is Goes.NEITHER
    }
    last = next(((heated[name], at) for name, at in reversed(done) if name in heated), None)
    if last is None or now - last[1] > STAYS:
        return None
    # with the cut that it was warmed for it has done its work
    cut = {step.id for step in steps if last[0].id in step.after}
    return None if any(name in cut and at >= last[1] for name, at in done) else last[0]


class HeatState(StrEnum):
    """How warm an edge is for its work."""

    UNKNOWN = "unknown"
    COLD = "cold"
    WORKABLE = "workable"
    TOO_HOT = "too_hot"


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatReading:
    """What the readings of an edge say now: how warm it is, until when it can be worked with the doubt of
    that in seconds, the curve, and how often it was warmed again.
    """

    state: HeatState
    target_c: float
    ceiling_c: float
    until_s: float | None
    doubt_s: float | None
    curve: Cooling | None
    reheats: int
    # what sets the ceiling, and when it reaches its target at this pace
    ceiling_of: Say = ""
    reaches_s: float | None = None
    # by its readings: from the first in the window to the last of them
    soaked_s: float = 0.0
    last_c: float | None = None

    @property
    def floor_c(self) -> float:
        return self.target_c - WORKABLE_BELOW

    @property
    def window(self) -> tuple[float, float]:
        """From where to where it is right."""
        return self.target_c - WINDOW_C, min(self.target_c + WINDOW_C, self.ceiling_c)

    @property
    def says(self) -> Say:
        """The advice, with no time of day: who shows it knows the zone."""
        return fact(
            {
                HeatState.UNKNOWN: "heat.read-it" if self.last_c is None else "heat.read-it-again",
                HeatState.COLD: "heat.warm-it",
                HeatState.WORKABLE: "heat.go-on-now",
                HeatState.TOO_HOT: "heat.stop",
            }[self.state],
            target=round(self.target_c),
            least=round(self.window[0]),
            most=round(self.window[1]),
            ceiling=round(self.ceiling_c),
            of=self.ceiling_of,
            minutes=round(FRESH_S / 60),
        )


def judge_heat(
    heat: Heat,
    limits: Sequence[HeatLimit],
    readings: Sequence[Reading],
    now_s: float | None = None,
    room_c: float = ROOM_C,
    *,
    surfaces: Sequence[str] = (),
    edge: str = "",
) -> HeatReading:
    """What the readings of one edge say: above the ceiling of its place it is too hot, whatever else; from
    the target down to the workable floor it is cut; below it is warmed. `now_s` is the time now: what was
    warm enough is too cold once the curve has fallen to the floor, and unknown without a curve once its last
    reading is old.
    """
    lowest = ceiling_of(heat, limits, surfaces, edge)
    ceiling = lowest.c
    target = min(heat.target_c, ceiling)
    floor = target - WORKABLE_BELOW
    curve = fit_cooling(readings, room_c)
    crossing = curve.crosses(floor) if curve else None
    state = HeatState.UNKNOWN
    if readings:
        last = readings[-1].c
        reached = any(reading.c >= target - WINDOW_C for reading in _this_warming(readings, floor))
        if last > ceiling:
            state = HeatState.TOO_HOT
        elif crossing and now_s is not None and now_s > crossing[0]:
            state = HeatState.COLD
        elif last >= floor and reached:
            is_old = now_s is not None and now_s - readings[-1].at_s > FRESH_S
            state = HeatState.UNKNOWN if is_old and not crossing else HeatState.WORKABLE
        else:
            state = HeatState.COLD
    return HeatReading(
        state=state,
        target_c=target,
        ceiling_c=ceiling,
        until_s=crossing[0] if crossing else None,
        doubt_s=crossing[1] if crossing else None,
        curve=curve,
        reheats=_reheats(readings, target, floor),
        ceiling_of=lowest.of,
        reaches_s=reaches(readings, target - WINDOW_C) if state is HeatState.COLD else None,
        soaked_s=soaked_s(readings, target),
        last_c=readings[-1].c if readings else None,
    )


def is_too_hot(places: Mapping[str, HeatReading]) -> bool:
    """Whether any place was above its ceiling when it was read last."""
    return any(judged.state is HeatState.TOO_HOT for judged in places.values())


def not_held(step: Step, places: Mapping[str, HeatReading]) -> Say:
    """What a heated step has not held yet (rule heat.window), by the places that were read; empty where it
    has held all. The place beside the cell has only its ceiling, unless it is the one that is warmed.
    """
    if step.heat is None:
        return ""
    for place, judged in places.items():
        if judged.state is HeatState.TOO_HOT:
            told = {"c": judged.last_c, "ceiling": round(judged.ceiling_c), "of": judged.ceiling_of}
            return fact("heat.over-its-ceiling", place=place or step.heat.where, **told)
    warmed = {
        place: judged
        for place, judged in places.items()
        if place != AT_THE_CELL or step.heat.where == AT_THE_CELL
    }
    if not any(judged.last_c is not None for judged in warmed.values()):
        return fact("heat.not-read-yet", place=step.heat.where)
    by_clock = step.wait_minutes or step.heat.minutes < SHORT_MINUTES
    wanted_s = 0.0 if by_clock else step.heat.minutes * 60
    for place, judged in warmed.items():
        least, most = judged.window
        if judged.last_c is None or judged.last_c < least:
            told = {"c": judged.last_c, "least": round(least), "most": round(most)}
            return fact("heat.below-its-window", place=place or step.heat.where, **told)
        if judged.state is HeatState.UNKNOWN:
            return fact("heat.reading-is-old", place=place or step.heat.where, minutes=round(FRESH_S / 60))
        if judged.soaked_s < wanted_s:
            return fact(
                "heat.not-long-enough",
                place=place or step.heat.where,
                so_far=_seconds(judged.soaked_s),
                wanted=_seconds(wanted_s),
            )
    return ""


def _seconds(seconds: float) -> str:
    return f"{int(seconds // 60)}:{int(seconds % 60):02d} min"


def _this_warming(readings: Sequence[Reading], floor: float) -> list[Reading]:
    """The readings since it was last too cold."""
    found: list[Reading] = []
    for reading in reversed(readings):
        if reading.c < floor:
            break
        found.append(reading)
    return found[::-1]


def _reheats(readings: Sequence[Reading], target: float, floor: float) -> int:
    """How often it reached its target again after it had been too cold."""
    times, cold = 0, True
    for reading in readings:
        if reading.c < floor:
            cold = True
        elif cold and reading.c >= target - WINDOW_C:
            times += 1
            cold = False
    return max(times - 1, 0)
