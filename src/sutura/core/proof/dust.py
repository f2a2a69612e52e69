"""Specks under a bare panel: marked on a white field, cleaned, looked at again, until none is left or what is
left is accepted; what comes back at the same place lies elsewhere.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.maths.geometry import Point
from sutura.core.values import COMMON, Rule

# two specks are the same that lie so close; a cleaned panel does not lie where it lay to the hair; no source
SAME_MM = 1.5
# after so many rounds it is asked whether to go on; common practice, no source
MANY_ROUNDS = 5
# routes that leave the panel open to dust until it is sealed
BARE_ROUTES = frozenset({"bare panel"})

RULES = (
    Rule(
        id="dust.rounds",
        capability="proof",
        says=(
            "A bare panel is looked at on a white field before it is sealed: specks are marked, cleaned away "
            "and looked for again, until there is none or what is left is accepted with a reason. A speck "
            f"that is there again within {SAME_MM:g} mm was not on the surface that was cleaned: it lies "
            "under the film, in the diffuser or on the glass."
        ),
        source=COMMON,
    ),
    Rule(
        id="dust.binds",
        capability="proof",
        says=(
            "A bare panel passes its proof only after a look for dust; specks that are marked are cleaned "
            "away or accepted with a reason before that."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DustRound:
    """One look: what is new, what came back at the same place and how often in a row, and how many of the
    round before are gone.
    """

    number: int
    new: tuple[Point, ...]
    back: tuple[tuple[Point, int], ...]
    gone: int


@dataclass(frozen=True, slots=True, kw_only=True)
class DustReading:
    """Every round, whether it is clean or accepted, and what to do next."""

    rounds: tuple[DustRound, ...]
    clean: bool
    accepted: str
    says: Fact

    @property
    def done(self) -> bool:
        return self.clean or bool(self.accepted)


def _pairs(before: Sequence[Point], now: Sequence[Point]) -> dict[int, int]:
    """Which speck of now is which of before, the closest pairs first, each once."""
    close = sorted(
        (math.hypot(a.x - b.x, a.y - b.y), later, earlier)
        for later, a in enumerate(now)
        for earlier, b in enumerate(before)
    )
    found: dict[int, int] = {}
    for apart, later, earlier in close:
        if apart <= SAME_MM and later not in found and earlier not in found.values():
            found[later] = earlier
    return found


def read_dust(looks: Sequence[Sequence[Point]], accepted: str = "") -> DustReading:
    """What the looks at a panel say, one after the other (rule dust.rounds)."""
    rounds: list[DustRound] = []
    before: Sequence[Point] = ()
    times: list[int] = []
    for number, specks in enumerate(looks, 1):
        same = _pairs(before, specks)
        counts = [times[same[place]] + 1 if place in same else 1 for place in range(len(specks))]
        rounds.append(
            DustRound(
                number=number,
                new=tuple(speck for place, speck in enumerate(specks) if place not in same),
                back=tuple((speck, counts[place]) for place, speck in enumerate(specks) if place in same),
                gone=len(before) - len(same),
            )
        )
        before, times = specks, counts
    clean = bool(looks) and not looks[-1]
    return DustReading(
        rounds=tuple(rounds), clean=clean, accepted=accepted, says=_says(rounds, clean, accepted)
    )


def _says(rounds: Sequence[DustRound], clean: bool, accepted: str) -> Fact:
    if not rounds:
        return fact("dust.look-first")
    if clean:
        return fact("dust.clean", rounds=len(rounds))
    if accepted:
        return fact("dust.accepted", reason=accepted)
    last = rounds[-1]
    if last.back:
        return fact("dust.came-back", count=len(last.back))
    return fact("dust.clean-again" if len(rounds) < MANY_ROUNDS else "dust.many-rounds", count=len(last.new))


def check_accepted(reason: str, looks: Sequence[Sequence[Point]]) -> None:
    """Specks are accepted only after a look that shows some, and with a reason."""
    if not looks or not looks[-1]:
        raise Invalid("reason", reason, fact("dust.nothing-to-accept"))
    if len(reason.strip()) < 5:
        raise Invalid("reason", reason, fact("dust.write-why"))
