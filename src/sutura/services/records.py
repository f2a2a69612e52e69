"""What a job leaves behind of the bench: its parts, readings, waits, what was let pass, and who did what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sutura.core.bench import heat as heat_rules
from sutura.core.bench.done import Done
from sutura.core.bench.heat import HeatReading, Reading
from sutura.core.bench.steps import every_step
from sutura.core.bench.waits import Passed, Wait
from sutura.core.catalogue.model import Model, Step
from sutura.core.job import JobRecord
from sutura.services.heat import read_edge
from sutura.store import heat as heat_store
from sutura.store import records as store
from sutura.store import shop as shop_store
from sutura.store import waits as waits_store
from sutura.store.database import reading


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatRun:
    """The readings of one place at one step in one round, with what they say of it; empty `edge` = the
    whole. Nothing is said where the catalogue has the step no more.
    """

    attempt: int
    text: str
    edge: str
    lines: Sequence[heat_store.HeatLine]
    readings: Sequence[Reading]
    judged: HeatReading | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Did:
    """How many steps somebody recorded, from when to when."""

    who: str
    steps: int
    since: datetime
    until: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchRecord:
    """Everything of the bench that stays with a job. `texts` are its steps in words, by their ids."""

    parts: Sequence[store.PartUsed]
    heat: Sequence[HeatRun]
    waits: Sequence[Wait]
    passed: Sequence[Passed]
    did: Sequence[Did]
    texts: Mapping[str, str]

    @property
    def is_empty(self) -> bool:
        return not (self.parts or self.heat or self.waits or self.passed or self.did)


@reading
def record_of(job: JobRecord, kept: Model, done: Sequence[Done]) -> BenchRecord:
    """What stays of the bench: nothing of it is worked out anew but what the readings say. `kept` is the
    model with every step that the job keeps, `done` what was recorded.
    """
    known = every_step(kept)
    return BenchRecord(
        parts=store.parts_used(job.id),
        heat=_heat(job, kept, known),
        waits=waits_store.waits_of(job.id),
        passed=waits_store.passed_of(job.id),
        did=_did(done),
        texts={name: step.text for name, step in known.items()},
    )


def _heat(job: JobRecord, model: Model, known: Mapping[str, Step]) -> list[HeatRun]:
    runs: dict[tuple[int, str, str], list[heat_store.HeatLine]] = {}
    for line in heat_store.heat_of(job.id):
        runs.setdefault((line.attempt, line.step, line.edge), []).append(line)
    room_c = float(shop_store.room_c()) if runs else heat_rules.ROOM_C
    found = []
    for (attempt, name, edge), lines in runs.items():
        step = known.get(name)
        # a step that the catalogue has no more: its readings stay, with nothing to hold them against
        read = read_edge(model, step, edge, lines, None, room_c) if step and step.heat else None
        found.append(
            HeatRun(
                attempt=attempt,
                text=step.text if step else "",
                edge=edge,
                lines=lines,
                readings=read.readings if read else (),
                judged=read.judged if read else None,
            )
        )
    return found


def _did(done: Sequence[Done]) -> list[Did]:
    by: dict[str, list[datetime]] = {}
    for entry in done:
        by.setdefault(entry.who, []).append(entry.at)
    return [Did(who=who, steps=len(times), since=min(times), until=max(times)) for who, times in by.items()]


@reading
def let_pass(job: JobRecord) -> list[Passed]:
    """What the customer is told was let pass."""
    return waits_store.passed_of(job.id)
