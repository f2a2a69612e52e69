"""What comes back: whether a warranty still runs, what the cause is and by what evidence, who pays, and
what it costs the shop.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from enum import StrEnum

from sutura.core.catalogue.model import Function
from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.maths.geometry import Point, apart
from sutura.core.maths.money import Money, half_up
from sutura.core.maths.statistics import wilson
from sutura.core.typed import Problems
from sutura.core.values import COMMON, FunctionResult, Outcome, Rule


class Cause(StrEnum):
    """Why a device came back."""

    PART = "part"
    WORKMANSHIP = "workmanship"
    NEW_DAMAGE = "new_damage"
    NOT_PROMISED = "not_promised"
    NOT_FOUND = "not_found"


class Payer(StrEnum):
    """Who pays for what is done now."""

    CUSTOMER = "customer"
    SHOP = "shop"
    SUPPLIER = "supplier"


class NewPrice(StrEnum):
    """What of the new work the customer pays."""

    NOTHING = "nothing"
    WORK = "work"
    ALL = "all"


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """Which warranties of a finished job still run on a day: the last day of each, None = nobody promised
    one.
    """

    part_until: date | None
    work_until: date | None
    supplier_until: date | None
    on: date

    @property
    def part_runs(self) -> bool:
        return self.part_until is not None and self.on <= self.part_until

    @property
    def work_runs(self) -> bool:
        return self.work_until is not None and self.on <= self.work_until

    @property
    def supplier_runs(self) -> bool:
        return self.supplier_until is not None and self.on <= self.supplier_until

    @property
    def until(self) -> date | None:
        """The last day of ours."""
        return max((end for end in (self.part_until, self.work_until) if end is not None), default=None)

    @property
    def days_left(self) -> int:
        """Days until the last warranty of ours ends, today not counted; 0 where none runs."""
        return max((self.until - self.on).days, 0) if self.until else 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One function: at the proof of then and now."""

    function: Function
    before: FunctionResult | None
    after: FunctionResult | None

    @property
    def failed_since(self) -> bool:
        return self._after is Outcome.FAULTY and self._before is Outcome.WORKS

    @property
    def never_promised(self) -> bool:
        return self._after is Outcome.FAULTY and self._before is not Outcome.WORKS

    @property
    def _before(self) -> Outcome | None:
        return self.before.outcome if self.before else None

    @property
    def _after(self) -> Outcome | None:
        return self.after.outcome if self.after else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """What a comeback is judged by: each function then and now, marks that were not there, and whether others
    opened it or liquid was found.
    """

    changes: tuple[Change, ...]
    new_marks: tuple[Mark, ...]
    # None = nobody can tell
    opened_by_others: bool | None
    liquid: bool
    not_found_before: int = 0

    @property
    def impacts(self) -> tuple[Mark, ...]:
        """New marks that only force makes."""
        return tuple(mark for mark in self.new_marks if mark.kind in _BY_FORCE)


_BY_FORCE = frozenset({MarkKind.IMPACT, MarkKind.CRACK, MarkKind.MISSING, MarkKind.DENT, MarkKind.BEND})
# a mark that lies so near to one of then is that one, in mm; drawing is no finer; the shop's, no source
SAME_MM = 6.0
# not found so often in a row asks for a longer test; common practice, no source
LONGER_AFTER = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Follows:
    """What follows from a cause: who pays, what of the new work the customer pays, whether the supplier is
    asked for it, and why.
    """

    payer: Payer
    price: NewPrice
    claim: bool
    why: Fact


RULES = (
    Rule(
        id="comeback.warranty",
        capability="handover",
        says=(
            "The part has the days that were told with its price, by its grade; the work the days of the "
            "terms in force when it was handed back. The supplier's guarantee runs from the day the part "
            "came. A warranty runs to the end of its last day. Where ours runs and the supplier's does "
            "not, the shop stands alone."
        ),
        source="the shop's terms; local law comes first",
    ),
    Rule(
        id="comeback.cause",
        capability="handover",
        says=(
            "Nothing faulty and no new mark of force: not found. A new impact, crack, dent or missing "
            "piece, liquid, or a device that others opened: new damage. Faulty is only what was never "
            "shown to work: not promised. A function that the new screen supplies: the part. Any other "
            "that worked at the proof: workmanship. Whoever looks decides; another cause than this has "
            "its reason."
        ),
        source=COMMON,
    ),
    Rule(
        id="comeback.payer",
        capability="handover",
        says=(
            "A failed part costs nothing while our warranty on it runs: the supplier pays while its "
            "guarantee runs, else the shop; where ours is over and the supplier's runs, the customer pays "
            "the work. Workmanship is the shop's while the warranty on the work runs. New damage and what "
            "was never promised are the customer's. What is not found costs nothing."
        ),
        source="the shop's terms; local law comes first",
    ),
    Rule(
        id="comeback.longer",
        capability="handover",
        says=(
            f"Not found {LONGER_AFTER} times in a row asks for a longer test: warm, a night long, with the "
            "customer's own use."
        ),
        source=COMMON,
    ),
    Rule(
        id="comeback.counted",
        capability="handover",
        says=(
            "A comeback counts once, for the job it came back from, against its cause: a part and its "
            "supplier, or whoever did the work. Its cost is what the shop paid: the part, and the bench "
            "minutes at the shop's rate. Of a hundred jobs with an interval (95 of 100): of how many come "
            "back, and of what one costs, multiplied. Where none has cost anything yet, what could come is "
            "not known."
        ),
        source=(
            "Wilson's score for the share; the two intervals of a product by their variance recovered (Zou "
            "and Donner 2008, Statistics in Medicine 27), on logarithms; 0.6 as the spread of one, weighed "
            "as three, no source"
        ),
    ),
)


def standing_of(
    *,
    handed_back: date,
    part_days: int | None,
    work_days: int | None,
    part_came: date | None,
    supplier_days: int | None,
    today: date,
) -> Standing:
    """Which warranties run today (rule comeback.warranty); days and dates that nobody knows are None."""

    def end(start: date | None, days: int | None) -> date | None:
        return None if start is None or not days else start + timedelta(days=days)

    return Standing(
        part_until=end(handed_back, part_days),
        work_until=end(handed_back, work_days),
        supplier_until=end(part_came, supplier_days),
        on=today,
    )


def standing_says(standing: Standing) -> tuple[Fact, ...]:
    """The standing in words: how long, what of it is ours alone."""
    told = []
    if standing.part_runs or standing.work_runs:
        told.append(fact("comeback.still", days=standing.days_left))
    else:
        told.append(fact("comeback.over"))
    if standing.part_until:
        told.append(fact("comeback.part-until", until=standing.part_until))
    if standing.work_until and standing.work_until != standing.part_until:
        told.append(fact("comeback.work-until", until=standing.work_until))
    if standing.supplier_until is None:
        told.append(fact("comeback.supplier-unknown"))
    elif standing.supplier_runs:
        told.append(fact("comeback.supplier-until", until=standing.supplier_until))
    elif standing.part_runs:
        told.append(fact("comeback.alone", until=standing.supplier_until))
    else:
        told.append(fact("comeback.supplier-ended", until=standing.supplier_until))
    return tuple(told)


def changes_of(
    functions: Sequence[Function], then: Mapping[str, FunctionResult], now: Mapping[str, FunctionResult]
) -> tuple[Change, ...]:
    """Each function at the proof of then and as it is now."""
    return tuple(
        Change(function=function, before=then.get(function.id), after=now.get(function.id))
        for function in functions
    )


# marks of a screen go with it
_OF_SCREEN = frozenset(
    {
        MarkKind.IMPACT,
        MarkKind.CRACK,
        MarkKind.MISSING,
        MarkKind.DEAD,
        MarkKind.LINE,
        MarkKind.BLOTCH,
        MarkKind.PIXEL,
    }
)


def marks_left(then: Sequence[Mark], *, fitted: bool) -> tuple[Mark, ...]:
    """The marks of a device after its repair: what was on its front went with the screen, where one was
    `fitted`.
    """
    return tuple(
        mark for mark in then if not (fitted and mark.side is Side.FRONT and mark.kind in _OF_SCREEN)
    )


def is_wet(now: Mapping[str, str], then: Mapping[str, str]) -> bool:
    """Whether liquid was found now that was not there then, by what was looked at on arrival."""
    wet = ("some", "tripped")
    return now.get("liquid") in wet and then.get("liquid") not in wet


def new_marks(then: Sequence[Mark], now: Sequence[Mark]) -> tuple[Mark, ...]:
    """Marks that were not there: of another kind or side than each of then, further away from its drawing
    than drawing is fine at any place, or larger.
    """
    return tuple(mark for mark in now if not any(_same(mark, before) for before in then))


def _same(mark: Mark, before: Mark) -> bool:
    """Whether a mark is that of then as it was drawn: no place of it lies further from that drawing than
    drawing is fine, and it reaches no further.
    """
    if (mark.kind, mark.side) != (before.kind, before.side) or not before.points:
        return False
    if mark.reach_mm > before.reach_mm + SAME_MM:
        return False
    return all(apart([place], before.points) <= SAME_MM for place in _along(mark.points))


def _along(line: Sequence[Point]) -> Iterator[Point]:
    """The places of a drawn line, half as far apart as drawing is fine."""
    yield from line[:1]
    for a, b in itertools.pairwise(line):
        pieces = max(math.ceil(math.hypot(b.x - a.x, b.y - a.y) / (SAME_MM / 2)), 1)
        for piece in range(1, pieces + 1):
            share = piece / pieces
            yield Point(x=a.x + (b.x - a.x) * share, y=a.y + (b.y - a.y) * share)


class Seal(StrEnum):
    """What is said of our seal."""

    UNCLEAR = "unclear"
    WHOLE = "whole"
    OPENED = "opened"


def opened_by(seal: Seal) -> bool | None:
    """Whether others opened it, by what is said of the seal; None where nobody can tell."""
    return None if seal is Seal.UNCLEAR else seal is Seal.OPENED


def seal_of(evidence: Sequence[Fact]) -> Seal:
    """What was said of the seal when a cause was decided, by the evidence that was kept."""
    ids = {one.id for one in evidence}
    if "comeback.opened" in ids:
        return Seal.OPENED
    return Seal.UNCLEAR if "comeback.seal-unclear" in ids else Seal.WHOLE


def suggest(evidence: Evidence) -> tuple[Cause, tuple[Fact, ...]]:
    """The likeliest cause by rule comeback.cause, and the evidence for it in words; that nobody can tell of
    the seal is said with it.
    """
    cause, reasons = _suggest(evidence)
    if evidence.opened_by_others is None:
        return cause, (*reasons, fact("comeback.seal-unclear"))
    return cause, reasons


def _suggest(evidence: Evidence) -> tuple[Cause, tuple[Fact, ...]]:
    damage = [fact("comeback.new-mark", kind=mark.kind, side=mark.side) for mark in evidence.impacts]
    if evidence.liquid:
        damage.append(fact("comeback.liquid"))
    if evidence.opened_by_others:
        damage.append(fact("comeback.opened"))
    if damage:
        return Cause.NEW_DAMAGE, tuple(damage)
    failed = [one for one in evidence.changes if one.failed_since]
    of_screen = [one.function.name for one in failed if one.function.screen]
    if of_screen:
        return Cause.PART, (fact("comeback.screen-failed", names=tuple(of_screen)),)
    if failed:
        return Cause.WORKMANSHIP, (fact("comeback.failed", names=tuple(one.function.name for one in failed)),)
    never = [one.function.name for one in evidence.changes if one.never_promised]
    if never:
        return Cause.NOT_PROMISED, (fact("comeback.never", names=tuple(never)),)
    return Cause.NOT_FOUND, (fact("comeback.nothing"), *longer_test(evidence.not_found_before + 1))


def longer_test(times: int) -> tuple[Fact, ...]:
    """That a longer test is due, where nothing was found so often in a row (rule comeback.longer)."""
    return (fact("comeback.test-longer", times=times),) if times >= LONGER_AFTER else ()


def follows(cause: Cause, standing: Standing) -> Follows:
    """Who pays, and what of the new work the customer pays (rule comeback.payer)."""
    if cause is Cause.PART:
        return _of_part(standing)
    if cause is Cause.WORKMANSHIP and standing.work_runs:
        return _follows(Payer.SHOP, NewPrice.NOTHING, fact("comeback.our-work"))
    if cause is Cause.NOT_FOUND:
        return _follows(Payer.SHOP, NewPrice.NOTHING, fact("comeback.look-is-free"))
    if cause is Cause.WORKMANSHIP:
        return _follows(Payer.CUSTOMER, NewPrice.ALL, fact("comeback.work-over"))
    return _follows(Payer.CUSTOMER, NewPrice.ALL, fact("comeback.not-ours", cause=cause))


def _of_part(standing: Standing) -> Follows:
    if standing.part_runs and standing.supplier_runs:
        return _follows(Payer.SUPPLIER, NewPrice.NOTHING, fact("comeback.supplier-pays"), claim=True)
    if standing.part_runs:
        return _follows(Payer.SHOP, NewPrice.NOTHING, fact("comeback.shop-alone"))
    if standing.supplier_runs:
        return _follows(Payer.SUPPLIER, NewPrice.WORK, fact("comeback.only-work"), claim=True)
    return _follows(Payer.CUSTOMER, NewPrice.ALL, fact("comeback.part-over"))


def _follows(payer: Payer, price: NewPrice, why: Fact, *, claim: bool = False) -> Follows:
    return Follows(payer=payer, price=price, claim=claim, why=why)


def price_now(price: NewPrice, whole: Money, part: Money, work: Money) -> Money:
    """What of a price the customer pays: nothing, all, or what is left without the part – its share of the
    price, tax with it.

    >>> def tal(minor): return Money(minor=minor, currency="TAL")
    >>> str(price_now(NewPrice.WORK, tal(120_00), tal(60_00), tal(40_00)))
    '48.00 TAL'
    """
    if price is NewPrice.NOTHING:
        return Money(minor=0, currency=whole.currency)
    if price is NewPrice.ALL or part.minor + work.minor <= 0:
        return whole
    return whole.times(Decimal(work.minor) / (part.minor + work.minor))


def check_decision(cause: str, suggested: Cause, before: Cause | None, reason: str) -> Cause:
    """A cause as it is decided: another than the evidence suggests, or than was decided before, has its
    reason. Every problem at once.
    """
    problems = Problems(fact("comeback.decision"))
    if cause not in set(Cause):
        problems.add("cause", cause, fact("comeback.choose", causes=tuple(Cause)))
    else:
        another = Cause(cause) is not suggested if before is None else Cause(cause) is not before
        if another and not 5 <= len(reason.strip()) <= 300:
            problems.add("reason", reason, fact("comeback.why-another"))
    problems.refuse()
    return Cause(cause)


def check_comes_back(finished: bool) -> None:
    """Refuse a comeback of a job that was not handed back."""
    if not finished:
        raise Invalid("comeback_of", "", fact("comeback.not-handed-back"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Cost:
    """What warranty costs of a hundred finished jobs, in minor units with its interval; and how many of a
    hundred came back for us to pay, with theirs. None where no job is finished, and `most` where none
    has cost anything yet.
    """

    jobs: int
    came_back: int
    share: tuple[float, float] | None
    per_hundred: Money | None
    least: Money | None
    most: Money | None


def cost_of(jobs: int, costs: Sequence[int], currency: str) -> Cost:
    """What warranty costs (rule comeback.counted): `jobs` finished ones, of which some came back and cost the
    shop so much each, in minor units.
    """
    if not jobs:
        return Cost(jobs=0, came_back=0, share=None, per_hundred=None, least=None, most=None)
    share, mean = wilson(len(costs), jobs), Decimal(sum(costs)) / jobs

    def money(each: Decimal) -> Money:
        return Money(minor=int(half_up(each * 100, 0)), currency=currency)

    least, most = _factors(share, jobs, costs) if any(costs) else (Decimal(0), None)
    return Cost(
        jobs=jobs,
        came_back=len(costs),
        share=share,
        per_hundred=money(mean),
        least=money(mean * least),
        most=None if most is None else money(mean * most),
    )


# how far the cost of one comeback lies from their mean before any is known, and how many that weighs
_SPREAD, _WEIGHS = 0.6, 3


def _factors(share: tuple[float, float], jobs: int, costs: Sequence[int]) -> tuple[Decimal, Decimal]:
    """What the mean is multiplied by at both ends of its interval (rule comeback.counted)."""
    came, one = len(costs), sum(costs) / len(costs)
    apart = sum((cost / one - 1) ** 2 for cost in costs)
    square = (_WEIGHS * _SPREAD**2 + apart) / (_WEIGHS + came - 1)
    of_one = 1.96 * math.sqrt(square / came)
    low, high = (abs(math.log(end / (came / jobs))) for end in share)
    return Decimal(math.exp(-math.hypot(low, of_one))), Decimal(math.exp(math.hypot(high, of_one)))
