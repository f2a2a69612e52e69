"""A label printer that keeps what it printed.

Faults that can be switched on: `away` (switched off, or its cable is out), `empty` (the roll ends after two
labels), `jammed` (nothing comes out).
"""

from __future__ import annotations

from collections.abc import Collection, Sequence

from sutura.devices.ports import Away, Printed, Stopped

FAULTS = ("away", "empty", "jammed")
LEFT_ON_THE_ROLL = 2


class SimulatedPrinter:
    """Remembers the labels that came out, one document each."""

    def __init__(self, faults: Collection[str] = ()) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self.printed: list[bytes] = []

    def print_labels(self, labels: Sequence[bytes]) -> Printed:
        if "away" in self.faults:
            raise Away("the label printer does not answer")
        if "jammed" in self.faults:
            return Printed(count=0, stopped=Stopped.JAMMED)
        count = min(len(labels), LEFT_ON_THE_ROLL) if "empty" in self.faults else len(labels)
        self.printed += labels[:count]
        return Printed(count=count, stopped=Stopped.NOTHING if count == len(labels) else Stopped.EMPTY)
