"""Sets of observations with what an experienced technician concludes from them, each with its reason
(diagnosis_cases.csv). Common practice, no source; an independent reading of the rules, never of the code.

faulty, suspected: all of them; sound: among others; next: the next test; first, routes: words of what comes
first and of the routes; never: what the likeliest cause is not; on: what kind of screen. An empty field is
not asked for, “-” is nothing at all.
"""

from __future__ import annotations

import csv
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Case:
    """A row of the table."""

    about: str
    why: str
    seen: str
    on: str
    faulty: str
    suspected: str
    sound: str
    next: str
    first: str
    routes: str
    never: str

    @property
    def observed(self) -> dict[str, str]:
        return dict(pair.split("=") for pair in self.seen.split())


def _read() -> list[Case]:
    with Path(__file__).with_suffix(".csv").open(encoding="utf-8", newline="") as file:
        return [Case(**row) for row in csv.DictReader(file)]


CASES = _read()
NOTHING = "-"


def says(wanted: str, said: str) -> bool:
    """Whether what was said has the words that are wanted; where nothing is, that nothing was said."""
    return not said if wanted == NOTHING else wanted in said
