"""A programmer for display serials with two displays to clip it to: the old one of the device, and a new one.

Faults that can be switched on: `away` (no link at all), `silent` (the new display does not answer), `breaks`
(the link is lost in the middle of the first write), `forgets` (what is written does not stay), `other` (the
new display is made for another model).
"""

from __future__ import annotations

from collections.abc import Collection

from sutura.devices.ports import Away, DisplaySays, Silent

# displays of this grade have no serial to answer with
SILENT_GRADE = "aftermarket"
FAULTS = ("away", "silent", "breaks", "forgets", "other")
OLD_SERIAL, NEW_SERIAL = "DS7K41-00932", "DS7K41-55208"


class SimulatedProgrammer:
    """Clipped to the old display until it is clipped to the new one."""

    def __init__(self, faults: Collection[str] = (), *, model: str = "") -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self.model = model
        self.on_new = False
        self.grade = ""
        self._new, self._broken = NEW_SERIAL, False

    def clip(self, *, new: bool, model: str = "", grade: str = "") -> None:
        """Clip it to the new display, of some grade, or to the old one, of a device of a model."""
        self.grade = grade
        if not new:
            self._new = NEW_SERIAL
        self.on_new, self.model = new, model or self.model

    def read(self) -> DisplaySays:
        self._link()
        if not self.on_new:
            return DisplaySays(serial=OLD_SERIAL, model=self.model)
        return DisplaySays(serial=self._new, model="another" if "other" in self.faults else self.model)

    def write(self, serial: str) -> None:
        self._link()
        if "breaks" in self.faults and not self._broken:
            self._broken, self._new = True, serial[: len(serial) // 2]
            raise Away("the link was lost while writing")
        if self.on_new and "forgets" not in self.faults:
            self._new = serial

    def _link(self) -> None:
        if "away" in self.faults:
            raise Away("the programmer does not answer")
        if self.on_new and ("silent" in self.faults or self.grade == SILENT_GRADE):
            raise Silent("the display does not answer")
