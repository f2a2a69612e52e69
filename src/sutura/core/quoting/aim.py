"""What is recommended: one aim for repair options and for parts, so that no two pages recommend against each
other. The customer's need comes first; the shop's margin is a floor and breaks ties.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import IntEnum

from sutura.core.facts import Say, fact
from sutura.core.intake.upgrades import UPGRADE
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="quote.aim",
        capability="quoting",
        says=(
            "Recommended is what cures what the customer came for, is not below the shop's floor – its price "
            "covers parts and work –, is sure enough and worth it, and costs the customer least: the price, "
            "and by the shop's weights the days of waiting, the days past the promise, the grade, a consent, "
            "and the share of tries that fail. Where two come to the same, the one that leaves more. Options "
            "and Match have this one order."
        ),
        source="common practice, no source; the weights are the shop's",
    ),
    Rule(
        id="quote.cures",
        capability="quoting",
        says=(
            "What loses a function that is faulty on arrival does not cure it: a display that does not take "
            "the old serial loses automatic brightness and tone. What keeps the old part is no upgrade."
        ),
        source=COMMON,
    ),
)

# what a display that does not take the old serial may lose, by functions of a model; common practice
LOST_UNPAIRED = frozenset({"light", "brightness"})
# what keeps the old part is no upgrade
KEEPS_THE_PART = "keeps the part"
LOSES: Mapping[str, frozenset[str]] = {"pairing": LOST_UNPAIRED, KEEPS_THE_PART: frozenset({UPGRADE})}


class Cures(IntEnum):
    """Whether a way cures what the customer came for, best first."""

    YES = 0
    # nothing is known to be wrong
    UNKNOWN = 1
    NO = 2


def cures(faulty: frozenset[str], losing: Sequence[str]) -> Cures:
    """Whether something cures a complaint (rule quote.cures): `faulty` are the functions that are faulty on
    arrival, and UPGRADE where one is wanted, `losing` the attributes for which the customer would have to
    agree to a loss.

    >>> light, image = frozenset({"light"}), frozenset({"image"})
    >>> cures(light, ["pairing"]), cures(image, ["pairing"]), cures(frozenset(), [])
    (<Cures.NO: 2>, <Cures.YES: 0>, <Cures.UNKNOWN: 1>)
    """
    if any(LOSES.get(attribute, frozenset()).intersection(faulty) for attribute in losing):
        return Cures.NO
    return Cures.YES if faulty else Cures.UNKNOWN


@dataclass(frozen=True, slots=True, kw_only=True)
class Weighing:
    """The shop's weights and limits for it: a day of waiting and a failure that the customer sees, in minor
    units.
    """

    wait_day_minor: int = 0
    failure_minor: int = 0
    # what succeeds less often, or costs more, stands back; None = nobody knows what the device is worth
    least_sure: float = 0.0
    most_minor: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Aim:
    """What an option or a part comes to for the customer (rule quote.aim), in minor units; `left_minor` is
    what the shop's price leaves of it after parts and work.
    """

    price_minor: int
    left_minor: float
    cures: Cures = Cures.UNKNOWN
    wait_minor: int = 0
    late_minor: int = 0
    grade_minor: int = 0
    consent_minor: int = 0
    failure_minor: float = 0.0
    # dearer than the device is worth to the shop's share, or less sure than the shop wants
    stands_back: bool = False

    @property
    def misses_the_complaint(self) -> bool:
        """Whether it does not cure what the customer came for."""
        return self.cures is Cures.NO

    @property
    def may_be_recommended(self) -> bool:
        """Whether anybody is advised to take it; the shop's floor decides between two alone."""
        return not self.misses_the_complaint and not self.stands_back

    @property
    def weighed_minor(self) -> float:
        """The price with everything that is weighed beside it."""
        return (
            self.price_minor
            + self.wait_minor
            + self.late_minor
            + self.grade_minor
            + self.consent_minor
            + self.failure_minor
        )

    @property
    def key(self) -> tuple[int, bool, bool, float, float]:
        """What is recommended before another sorts before it."""
        weighed = round(self.weighed_minor, 2)
        return (self.cures, self.left_minor < 0, self.stands_back, weighed, -self.left_minor)

    @property
    def lines(self) -> tuple[tuple[Say, int], ...]:
        """What it is made of, in words; what weighs nothing is left out."""
        parts: tuple[tuple[Say, float], ...] = (
            (fact("aim.price"), self.price_minor),
            (fact("aim.waiting"), self.wait_minor),
            (fact("aim.late"), self.late_minor),
            (fact("aim.grade"), self.grade_minor),
            (fact("aim.consent"), self.consent_minor),
            (fact("aim.failing"), self.failure_minor),
        )
        return tuple((name, round(minor)) for name, minor in parts if round(minor))


def aim(
    price_minor: int,
    left_minor: float,
    sure: float,
    weighing: Weighing,
    *,
    wait_days: int = 0,
    late_minor: int = 0,
    grade_minor: int = 0,
    consent_minor: int = 0,
    cures: Cures = Cures.UNKNOWN,
) -> Aim:
    """What something comes to for the customer; `sure` is the share of tries that succeed."""
    return Aim(
        price_minor=price_minor,
        left_minor=left_minor,
        cures=cures,
        wait_minor=wait_days * weighing.wait_day_minor,
        late_minor=late_minor,
        grade_minor=grade_minor,
        consent_minor=consent_minor,
        failure_minor=(1 - sure) * weighing.failure_minor,
        stands_back=sure < weighing.least_sure
        or (weighing.most_minor is not None and price_minor > weighing.most_minor),
    )
