"""A job as a chain of operations: what is left of its sheet, in blocks of hands and of waiting."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.bench.stations import CLAMP, station_of
from sutura.core.bench.times import sheet_minutes
from sutura.core.catalogue.model import Model, Step
from sutura.core.facts import fact
from sutura.core.planning.day import Hold, Operation
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="plan.chain",
        capability="planning",
        says=(
            "What is left of a sheet is planned in blocks: hands until the device waits by the clock, the "
            "wait with its station, hands again, and the cure at the end. The minutes that are expected "
            "of the job are shared among the blocks as their steps are."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Chain:
    """A job's operations and the stations it holds."""

    operations: tuple[Operation, ...]
    holds: tuple[Hold, ...]


def chain_of(model: Model, steps: Sequence[Step], minutes: int, cure_minutes: int) -> Chain:
    """The steps that are left as a chain of so many minutes of hands, with its cure at the end (rule
    plan.chain); one block where there is no sheet.
    """
    blocks: list[tuple[float, int, str]] = []
    hands = 0.0
    clamped = False
    for step in steps:
        hands += sheet_minutes(model, [step]) - step.wait_minutes
        clamped = clamped or station_of(step) == CLAMP
        if step.wait_minutes:
            blocks.append((hands, step.wait_minutes, station_of(step)))
            hands = 0.0
    blocks.append((hands, 0, ""))
    shares = share_minutes(minutes, [hands for hands, _, _ in blocks])
    operations: list[Operation] = []
    holds: list[Hold] = []
    for share, (_, wait, station) in zip(shares, blocks, strict=True):
        if share:
            operations.append(Operation(minutes=share, name=fact("plan.hands")))
        if wait:
            if station:
                holds.append(Hold(station=station, first=len(operations), last=len(operations)))
            operations.append(
                Operation(minutes=wait, attended=False, name=fact("plan.waits", station=station))
            )
    if cure_minutes:
        if clamped:
            holds.append(Hold(station=CLAMP, first=len(operations), last=len(operations)))
        operations.append(Operation(minutes=cure_minutes, attended=False, name=fact("plan.cures")))
    return Chain(operations=tuple(operations) or (Operation(minutes=1),), holds=tuple(holds))


def share_minutes(minutes: int, weights: Sequence[float]) -> list[int]:
    """Whole minutes shared by weights, with the largest remainder; all of them to the last where none weighs.

    >>> share_minutes(10, [1.0, 2.0]), share_minutes(5, [0.0, 0.0])
    ([3, 7], [0, 5])
    """
    whole = sum(weights)
    if whole <= 0:
        return [0] * (len(weights) - 1) + [minutes]
    exact = [minutes * weight / whole for weight in weights]
    shares = [int(share) for share in exact]
    by_rest = sorted(range(len(exact)), key=lambda place: (shares[place] - exact[place], place))
    for place in by_rest[: minutes - sum(shares)]:
        shares[place] += 1
    return shares
