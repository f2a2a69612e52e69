"""A hot plate: warmed towards what it is set to, cooling by Newton's law when it is off, in a room of 22
°C.

Faults that can be switched on: `away` (its link is lost), `stuck` (it shows the same value for ever),
`runs_on` (it warms past what it is set to), `cold` (it says that it is on and stays cold).
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Collection

from sutura.devices.ports import Away, PlateSays

FAULTS = ("away", "stuck", "runs_on", "cold")
ROOM_C = 22.0
# how fast it follows what it is set to, and how fast it cools, in seconds; the simulator's, no source
WARMS_S, COOLS_S = 60.0, 400.0
RUNS_ON_C = 25.0


class SimulatedPlate:
    """Its surface has a truth that nobody but it knows."""

    def __init__(self, faults: Collection[str] = (), *, clock: Callable[[], float] = time.monotonic) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self._clock = clock
        self._then, self._c = clock(), ROOM_C
        self._wanted: int | None = None
        self._stuck: float | None = None

    def _follow(self) -> float:
        now = self._clock()
        over = RUNS_ON_C if "runs_on" in self.faults else 0.0
        warms = self._wanted is not None and "cold" not in self.faults
        toward, pace = (float(self._wanted or 0) + over, WARMS_S) if warms else (ROOM_C, COOLS_S)
        self._c = toward + (self._c - toward) * math.exp(-(now - self._then) / pace)
        self._then = now
        return self._c

    def set(self, c: int | None) -> None:
        self._link()
        self._follow()
        self._wanted = c

    def read(self) -> PlateSays:
        self._link()
        value = self._follow()
        if "stuck" in self.faults:
            self._stuck = value if self._stuck is None else self._stuck
            value = self._stuck
        return PlateSays(c=round(value, 1), wanted_c=self._wanted)

    def _link(self) -> None:
        if "away" in self.faults:
            raise Away("the hot plate does not answer")
