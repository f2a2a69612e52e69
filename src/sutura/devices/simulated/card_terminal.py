"""A card terminal that approves what it is asked for, and remembers it in a file where one is given: written
anew beside it and put in its place under a lock, so that neither a kill nor several processes spoil it.

Faults that can be switched on: `declines`, `away` (it is not reached, nothing is charged), `timeout` (it
charges, and its answer is lost), `lost` (its answer is lost, and it charged nothing). They hold for what goes
back as for what is charged.
"""

from __future__ import annotations

import fcntl
import json
import os
from collections.abc import Collection, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from sutura.core.maths.money import Money
from sutura.devices.ports import Away, CardSays, NoAnswer

FAULTS = ("declines", "away", "timeout", "lost")
# so much is remembered; the stand-in's own
MOST = 5_000


@dataclass(frozen=True, slots=True, kw_only=True)
class _Done:
    """What was asked by a reference: what it said, how much, and the charge that a refund goes against."""

    said: CardSays
    minor: int
    charge: str = ""


class SimulatedTerminal:
    """Remembers what it answered, by reference."""

    def __init__(self, faults: Collection[str] = (), memory: Path | None = None) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self.memory = memory
        self._done: dict[str, _Done] = {}

    def charge(self, reference: str, amount: Money) -> CardSays:
        said = CardSays.DECLINED if "declines" in self.faults else CardSays.APPROVED
        return self._asked(reference, _Done(said=said, minor=amount.minor))

    def refund(self, charge: str, reference: str, amount: Money) -> CardSays:
        said = CardSays.DECLINED if "declines" in self.faults else CardSays.APPROVED
        return self._asked(reference, _Done(said=said, minor=amount.minor, charge=charge))

    def look_up(self, reference: str) -> CardSays | None:
        if "away" in self.faults:
            raise Away("the card terminal does not answer")
        with self._remembered() as done:
            return done[reference].said if reference in done else None

    def _asked(self, reference: str, wanted: _Done) -> CardSays:
        if "away" in self.faults:
            raise Away("the card terminal does not answer")
        with self._remembered() as done:
            if reference not in done:
                if "lost" in self.faults:
                    raise NoAnswer(reference)
                enough = not wanted.charge or wanted.minor <= _left(done, wanted.charge)
                said = wanted.said if enough else CardSays.DECLINED
                done[reference] = _Done(said=said, minor=wanted.minor, charge=wanted.charge)
            said = done[reference].said
        if "timeout" in self.faults:
            raise NoAnswer(reference)
        return said

    @contextmanager
    def _remembered(self) -> Iterator[dict[str, _Done]]:
        """What it knows, for as long as nobody else changes it; what is new in it is kept."""
        if self.memory is None:
            yield self._done
            return
        self.memory.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        with self.memory.with_suffix(".lock").open("a") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            done = _read(self.memory)
            before = len(done)
            try:
                yield done
            finally:
                if len(done) > before:
                    _write(self.memory, dict([*done.items()][-MOST:]))


def _left(done: dict[str, _Done], charge: str) -> int:
    """What of a charge did not go back yet."""
    if charge not in done or done[charge].said is not CardSays.APPROVED:
        return 0
    went = (one.minor for one in done.values() if one.charge == charge and one.said is CardSays.APPROVED)
    return done[charge].minor - sum(went)


def _read(memory: Path) -> dict[str, _Done]:
    if not memory.exists():
        return {}
    kept = json.loads(memory.read_text("utf-8"))
    return {
        reference: _Done(said=CardSays(one["said"]), minor=one["minor"], charge=one["charge"])
        for reference, one in kept.items()
    }


def _write(memory: Path, done: dict[str, _Done]) -> None:
    kept = {
        reference: {"said": one.said.value, "minor": one.minor, "charge": one.charge}
        for reference, one in done.items()
    }
    beside = memory.with_suffix(".new")
    beside.touch(mode=0o600)
    with beside.open("w", encoding="utf-8") as file:
        json.dump(kept, file)
        file.flush()
        os.fsync(file.fileno())
    beside.replace(memory)
