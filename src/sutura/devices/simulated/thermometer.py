"""An infrared thermometer that looks at a simulated surface: warmed while the gun is on, cooling by Newton's
law when it is off, in a room of 22 °C; read with a little noise, as if it were a black body.

Faults that can be switched on: `away` (its link is lost), `silent` (it answers nothing), `stuck` (it shows
the same value for ever), `noisy` (several degrees of it), `fahrenheit` (it is set to the other unit).
"""

from __future__ import annotations

import math
import random
import time
from collections.abc import Callable, Collection

from sutura.devices.ports import Away, Warmth

FAULTS = ("away", "silent", "stuck", "noisy", "fahrenheit")
ROOM_C, GUN_C = 22.0, 110.0
# how fast the surface follows the gun, and how fast it cools, in seconds; the simulator's, no source
WARMS_S, COOLS_S = 70.0, 150.0
NOISE_C, MUCH_NOISE_C = 0.3, 6.0


class SimulatedThermometer:
    """Its surface has a truth that nobody but it knows."""

    def __init__(
        self,
        faults: Collection[str] = (),
        *,
        clock: Callable[[], float] = time.monotonic,
        chance: random.Random | None = None,
    ) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self.gun_on = False
        self._clock, self._chance = clock, chance or random.Random()
        self._then, self._c = clock(), ROOM_C
        self._stuck: float | None = None

    def _follow(self) -> float:
        """The truth now."""
        now = self._clock()
        toward, pace = (GUN_C, WARMS_S) if self.gun_on else (ROOM_C, COOLS_S)
        self._c = toward + (self._c - toward) * math.exp(-(now - self._then) / pace)
        self._then = now
        return self._c

    def gun(self, *, on: bool) -> None:
        """The heat gun of the simulation."""
        self._follow()
        self.gun_on = on

    def read(self) -> Warmth:
        if self.faults & {"away", "silent"}:
            raise Away("the thermometer does not answer")
        noise = MUCH_NOISE_C if "noisy" in self.faults else NOISE_C
        value = self._follow() + self._chance.gauss(0, noise)
        if "stuck" in self.faults:
            self._stuck = value if self._stuck is None else self._stuck
            value = self._stuck
        if "fahrenheit" in self.faults:
            return Warmth(value=round(value * 9 / 5 + 32, 1), unit="F")
        return Warmth(value=round(value, 1), unit="C")
