"""A card terminal that approves what it is asked for, and remembers it in a file where one is given.

Faults that can be switched on: `declines`, `away` (it is not reached, nothing is charged), `timeout` (it
charges, and its answer is lost), `lost` (its answer is lost, and it charged nothing).
"""

from __future__ import annotations

import json
from collections.abc import Collection
from pathlib import Path

from sutura.core.maths.money import Money
from sutura.devices.ports import Away, CardSays, NoAnswer

FAULTS = ("declines", "away", "timeout", "lost")
# as many charges are remembered; the stand-in's own
MOST = 500


class SimulatedTerminal:
    """Remembers what it answered, by reference."""

    def __init__(self, faults: Collection[str] = (), memory: Path | None = None) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self.memory = memory
        self._said: dict[str, CardSays] = {}
        self._amounts: dict[str, str] = {}

    def charge(self, reference: str, amount: Money) -> CardSays:
        if "away" in self.faults:
            raise Away("the card terminal does not answer")
        said = self._known().get(reference)
        if said is None:
            if "lost" in self.faults:
                raise NoAnswer(reference)
            said = CardSays.DECLINED if "declines" in self.faults else CardSays.APPROVED
            self._keep(reference, said, str(amount))
        if "timeout" in self.faults:
            raise NoAnswer(reference)
        return said

    def look_up(self, reference: str) -> CardSays | None:
        if "away" in self.faults:
            raise Away("the card terminal does not answer")
        return self._known().get(reference)

    def reverse(self, reference: str) -> None:
        if "away" in self.faults:
            raise Away("the card terminal does not answer")
        if self._known().get(reference) is not CardSays.APPROVED:
            raise ValueError(f"{reference} was not charged")
        self._keep(reference, CardSays.REVERSED, self._amounts.get(reference, ""))

    def _known(self) -> dict[str, CardSays]:
        if self.memory and self.memory.exists():
            kept = json.loads(self.memory.read_text("utf-8"))
            self._said = {reference: CardSays(said) for reference, (said, _) in kept.items()}
            self._amounts = {reference: amount for reference, (_, amount) in kept.items()}
        return self._said

    def _keep(self, reference: str, said: CardSays, amount: str) -> None:
        self._said = dict([*self._known().items(), (reference, said)][-MOST:])
        self._amounts[reference] = amount
        if self.memory:
            self.memory.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            self.memory.touch(mode=0o600)
            kept = {name: [one.value, self._amounts.get(name, "")] for name, one in self._said.items()}
            self.memory.write_text(json.dumps(kept), "utf-8")
