"""What a sheet leads to."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Aim(StrEnum):
    """What a sheet leads to."""

    # the part of a route changed, tested, closed
    REPAIR = "repair"
    # every connector of it off and on again, tested, closed
    RESEAT = "reseat"
    # the old part back in, tested, closed
    CLOSE = "close"
    # laid down for the night: nothing sealed, nothing under power
    NIGHT = "night"
    # nothing under power until it is known how it goes on
    REST = "rest"


# nothing is put on: it lies there until it goes on
AT_REST = (Aim.NIGHT, Aim.REST)


@dataclass(frozen=True, slots=True, kw_only=True)
class Goal:
    """What a sheet leads to: by which route, as its kind of part, and what the new part comes with. `done`
    are the steps of this very round that are done: what was moved over and what was done once is not done
    again. `serial` = while its connectors are off, the display is given its serial. `other` = it is another
    part than the one that was compared. `swapped` = the new part may be in, so giving up takes it out.
    """

    aim: Aim
    route: str
    box: frozenset[str] = frozenset()
    done: frozenset[str] = frozenset()
    serial: bool = False
    other: bool = False
    swapped: bool = False
