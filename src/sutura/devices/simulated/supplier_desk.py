"""A supplier's ordering desk that reads the order as it was written and answers at once.

Faults that can be switched on: `late` (everything a week later than listed), `short` (one piece fewer of each
article of several), `cancels` (the first article is not to be had), `away` (nobody answers).
"""

from __future__ import annotations

from collections.abc import Collection
from datetime import date, timedelta

from sutura.devices.ports import Away, LineAnswer, OrderText
from sutura.formats.orders import OrderedLine, read_order

FAULTS = ("late", "short", "cancels", "away")
LATE_DAYS = 7


class SimulatedDesk:
    """One desk for all suppliers; it remembers what it answered."""

    def __init__(self, faults: Collection[str] = ()) -> None:
        unknown = set(faults) - set(FAULTS)
        if unknown:
            raise ValueError(f"no such fault: {', '.join(sorted(unknown))}; there are {', '.join(FAULTS)}")
        self.faults = frozenset(faults)
        self._answered: dict[tuple[str, str], tuple[LineAnswer, ...]] = {}

    def submit(self, order: OrderText, today: date) -> tuple[LineAnswer, ...]:
        if "away" in self.faults:
            raise Away(f"{order.supplier} does not answer")
        known = (order.supplier, order.number)
        if known not in self._answered:
            lines = read_order(order.form, order.text)
            self._answered[known] = tuple(self._answer(n, line, today) for n, line in enumerate(lines))
        return self._answered[known]

    def _answer(self, place: int, line: OrderedLine, today: date) -> LineAnswer:
        if "cancels" in self.faults and place == 0:
            return LineAnswer(number=line.number, pieces=0, expected_on=None, says="no longer made")
        pieces, says = line.quantity, ""
        if "short" in self.faults and pieces > 1:
            pieces, says = pieces - 1, "the last one is sold"
        days = line.listed_days
        if "late" in self.faults:
            days, says = days + LATE_DAYS, says or "waits for its ship"
        return LineAnswer(
            number=line.number, pieces=pieces, expected_on=today + timedelta(days=days), says=says
        )
