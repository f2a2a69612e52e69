"""The ways a device can be repaired, beside each other: what each costs, how sure it is, what the customer
gets, and which one the shop's policy recommends.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from sutura.core.facts import Say, fact
from sutura.core.intake.observations import Layer
from sutura.core.job import NO_PART, RESEAT
from sutura.core.maths.money import Money
from sutura.core.maths.statistics import Share
from sutura.core.quoting.aim import Aim, Cures, Weighing, aim
from sutura.core.quoting.chains import (
    Try,
    break_even,
    expected_cost,
    expected_minutes,
    outcomes,
    percentile,
    spread_minutes,
)
from sutura.core.values import COMMON, Rule

# how sure a route is before this shop tried it, by kind of part: of a hundred, and what that is worth in
# tries; common practice, no source
PRIORS: Mapping[str, tuple[int, int]] = {
    "glass": (70, 8),
    "glass and touch": (88, 8),
    "bare panel": (88, 8),
    "panel": (93, 8),
    "fused stack": (92, 8),
    "front assembly": (96, 8),
    "front with frame": (98, 8),
    "lid assembly": (98, 8),
    "reseat": (30, 4),
    "serial": (90, 4),
}
_ANY_OTHER = (90, 6)
# in tries, what the shop's own share is worth to one of its people; common practice, no source
OWN_PRIOR = 8
# a kit is put together here: what its own way would be, and this much less; common practice
KIT_LESS = 5

RULES = (
    Rule(
        id="quote.chance",
        capability="quoting",
        says=(
            "How sure a route is begins with what is usual for its kind and goes over to what this shop's "
            "own tries say; then, in the same way, from the shop's to those of whoever does it. It is shown "
            "with how far it may be off (nine in ten)."
        ),
        source="Beta distribution with a prior worth eight tries, at both steps; the priors: common practice",
    ),
    Rule(
        id="quote.recommended",
        capability="quoting",
        says=(
            "Of the routes that can be done, are sure enough and worth it, the first by rule quote.aim is "
            "recommended: what cures the complaint and costs the customer least. A route that is no better "
            "in anything than another is folded."
        ),
        source=COMMON,
    ),
    Rule(
        id="quote.not-worth-it",
        capability="quoting",
        says=(
            "A repair that costs more than the shop's share of what the device is worth today is said to be "
            "not worth it; what a device is worth falls by a quarter each year."
        ),
        source=COMMON,
    ),
    Rule(
        id="quote.percentiles",
        capability="quoting",
        says=(
            "Of cost and time the values are shown that are not exceeded in 50, 80 and 95 of 100 cases: over "
            "every way it can go, minutes spread lognormally by a third."
        ),
        source="Inverse of the distribution function, without interpolation",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """What this shop's tries of a route say; of these, those of whoever would do it now."""

    succeeded: int = 0
    tries: int = 0
    own_succeeded: int = 0
    own_tries: int = 0


def chance_of(kind: str, tried: Tried, *, kit: bool = False) -> Share:
    """How sure a route is: what is usual for its kind, and what was tried here (rule quote.chance)."""
    usual, worth = PRIORS.get(kind, _ANY_OTHER)
    usual -= KIT_LESS if kit else 0
    before = usual / 100 * worth
    others = tried.tries - tried.own_tries
    good = tried.succeeded - tried.own_succeeded
    of_shop = Share(yes=before + good, no=max(worth - before, 0.05) + others - good)
    if not tried.own_tries:
        return of_shop
    # the shop's share is worth as many tries to its person as what is usual is to the shop, or fewer
    weight = min(of_shop.yes + of_shop.no, OWN_PRIOR)
    bad = tried.own_tries - tried.own_succeeded
    return Share(
        yes=of_shop.mean * weight + tried.own_succeeded, no=max((1 - of_shop.mean) * weight, 0.05) + bad
    )


def sure_in_shop(kind: str, tried: Tried, *, kit: bool = False) -> float:
    """The share of tries that succeed in this shop, whoever does it."""
    return chance_of(kind, replace(tried, own_succeeded=0, own_tries=0), kit=kit).mean


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """A way to repair it, before it is weighed: its parts' cost, bench minutes, minutes that nobody stands
    beside it, days until the parts are here, price, and what follows when it fails (the id of another way).
    `why_not` says why it cannot be done; empty where it can. Two ways of one kind differ by their `id`.
    """

    kind: str
    name: Say
    parts: Money
    bench_minutes: int
    unattended_minutes: int
    wait_days: int
    price: Money
    tax: Money
    tried: Tried = field(default_factory=Tried)
    kit: bool = False
    falls_to: str = ""
    gets: tuple[Say, ...] = ()
    why_not: Say = ""
    id: str = ""
    # who would do it, and how long it takes them by their own times; 0 = nobody is known
    by: str = ""
    by_minutes: int = 0
    warranty_days: int = 0
    # what it takes of tape, glue, cleaner and wipes costs, in minor units
    consumables_minor: int = 0
    # what counts for the customer beside its price (rule quote.aim)
    late_minor: int = 0
    grade_minor: int = 0
    consent_minor: int = 0
    cures: Cures = Cures.UNKNOWN

    @property
    def key(self) -> str:
        return self.id or self.kind


@dataclass(frozen=True, slots=True, kw_only=True)
class Policy:
    """The shop's own weights for routes. Money in minor units."""

    rate_minor: int
    wait_day_minor: int
    failure_minor: int = 1_500
    least_chance: float = 0.6
    worth_share: float = 0.6

    def weighing(self, worth: Money | None = None) -> Weighing:
        """Its weights and limits for what something comes to for the customer; `worth` is what the device is
        worth today.
        """
        return Weighing(
            wait_day_minor=self.wait_day_minor,
            failure_minor=self.failure_minor,
            least_sure=self.least_chance,
            most_minor=worth.minor * self.worth_share if worth else None,
        )


class Standing(StrEnum):
    """Where a way stands beside the others."""

    RECOMMENDED = "recommended"
    POSSIBLE = "possible"
    # no better in anything than another
    DOMINATED = "dominated"
    # less sure than the shop's floor
    TOO_RISKY = "too_risky"
    NOT_WORTH_IT = "not_worth_it"
    CANNOT = "cannot"


@dataclass(frozen=True, slots=True, kw_only=True)
class Weighed:
    """A way with its figures: how sure, cost to the shop on average and how that spreads, bench minutes
    likewise, what is left at its price, and where it stands. `needs` is the chance from which on it pays
    beside doing at once what follows it; None where nothing follows or it never pays.
    """

    way: Way
    chance: Share
    cost: Money
    costs: tuple[Money, Money, Money]
    minutes: tuple[int, int, int]
    left: Money
    left_per_hour: Money | None
    needs: float | None
    never_pays: bool
    standing: Standing
    under: Say = ""
    # what it comes to for the customer, by which one is recommended
    aim: Aim

    @property
    def sure(self) -> int:
        """How sure, of a hundred."""
        return round(self.chance.mean * 100)

    @property
    def between(self) -> tuple[int, int]:
        """Between what of a hundred, nine in ten."""
        low, high = self.chance.interval(0.9)
        return round(low * 100), round(high * 100)

    @property
    def pays(self) -> bool | None:
        """Whether it is sure enough to pay beside what follows it; None where nothing follows."""
        if not self.way.falls_to:
            return None
        return self.needs is not None and self.chance.mean >= self.needs

    @property
    def says(self) -> Say:
        """Whether the cheap try pays, in a sentence."""
        tried = self.way.tried
        told = {
            "sure": self.sure,
            "low": self.between[0],
            "high": self.between[1],
            "succeeded": tried.succeeded,
            "tries": tried.tries,
            "own": tried.own_tries,
            "own_succeeded": tried.own_succeeded,
            "by": self.way.by,
        }
        if self.never_pays:
            return fact("routes.never-pays", **told)
        if self.needs:
            needs = round(self.needs * 100)
            return fact(
                "routes.pays-while" if tried.tries else "routes.pays-while-untried", needs=needs, **told
            )
        if tried.own_tries:
            return fact("routes.how-sure-own", **told)
        return fact("routes.how-sure" if tried.tries else "routes.how-sure-untried", **told)


def _try(way: Way, chance: Share, policy: Policy) -> Try:
    minutes = way.by_minutes or way.bench_minutes
    cost = way.parts.minor + way.consumables_minor + minutes * policy.rate_minor / 60
    return Try(cost=cost, minutes=minutes, chance=chance.mean)


def weigh(ways: Sequence[Way], policy: Policy, worth: Money | None = None) -> tuple[Weighed, ...]:
    """Every way with its figures and where it stands, the recommended one first, then in the order of rule
    quote.aim. Ways of one currency; `worth` is what the device is worth today, None where nobody knows.
    """
    by_id = {way.key: way for way in ways if not way.why_not}
    found = [_weighed(way, by_id, policy, worth) for way in ways]
    found = [_placed(one, found, policy, worth) for one in found]
    possible = [one for one in found if one.standing is Standing.POSSIBLE]
    advised = [one for one in possible if one.aim.may_be_recommended]
    if advised:
        best = min(advised, key=_rank)
        found = [_with(one, Standing.RECOMMENDED) if one is best else one for one in found]
    order = list(Standing)
    return tuple(sorted(found, key=lambda one: (order.index(one.standing), *_rank(one))))


def chain_of(way: Way, by_id: Mapping[str, Way], policy: Policy) -> list[Try]:
    """The tries of a way, and of what follows when it fails; no way comes twice."""
    tries, seen = [], set()
    one: Way | None = way
    while one is not None and one.key not in seen:
        seen.add(one.key)
        tries.append(_try(one, chance_of(one.kind, one.tried, kit=one.kit), policy))
        one = by_id.get(one.falls_to)
    return tries


# what a way costs and takes in half of its runs, in four of five, in nineteen of twenty
_SHARES = (0.5, 0.8, 0.95)


def _weighed(way: Way, by_id: Mapping[str, Way], policy: Policy, worth: Money | None) -> Weighed:
    chance = chance_of(way.kind, way.tried, kit=way.kit)
    tries = chain_of(way, by_id, policy)
    every = outcomes(tries)
    currency = way.price.currency

    def money(minor: float) -> Money:
        return Money(minor=round(minor), currency=currency)

    costs = [(one.cost, one.probability) for one in every]
    minutes = spread_minutes(every)
    cost = expected_cost(tries)
    # what stays of the price when parts and work are paid for
    left = way.price.minor - way.tax.minor - cost
    hours = expected_minutes(tries) / 60
    margin = way.price.minor - way.tax.minor - (cost - sum_of_work(tries, policy))
    needs, never = None, False
    if len(tries) > 1:
        rest = expected_cost(tries[1:])
        needs = break_even(tries[0], rest, rest)
        never = needs is None
    return Weighed(
        way=way,
        chance=chance,
        cost=money(cost),
        costs=tuple(money(percentile(costs, share)) for share in _SHARES),  # type: ignore[arg-type]
        minutes=tuple(round(percentile(minutes, share)) for share in _SHARES),  # type: ignore[arg-type]
        left=money(left),
        left_per_hour=money(margin / hours) if hours > 0 else None,
        needs=needs,
        never_pays=never,
        standing=Standing.CANNOT if way.why_not else Standing.POSSIBLE,
        aim=aim_of(way, policy, worth),
    )


def sum_of_work(tries: Sequence[Try], policy: Policy) -> float:
    """What the work of tries costs on average."""
    return expected_minutes(tries) * policy.rate_minor / 60


def aim_of(way: Way, policy: Policy, worth: Money | None = None) -> Aim:
    """What a way comes to for the customer (rule quote.aim). Its chance is the shop's, whoever does it, and
    so is the work that its price has to cover: as in Match, which knows nobody yet.
    """
    cost = way.parts.minor + way.bench_minutes * policy.rate_minor / 60
    return aim(
        way.price.minor,
        way.price.minor - way.tax.minor - cost,
        sure_in_shop(way.kind, way.tried, kit=way.kit),
        policy.weighing(worth),
        wait_days=way.wait_days,
        late_minor=way.late_minor,
        grade_minor=way.grade_minor,
        consent_minor=way.consent_minor,
        cures=way.cures,
    )


def _rank(one: Weighed) -> tuple[float | str, ...]:
    return (*one.aim.key, one.way.key)


def _placed(one: Weighed, every: Sequence[Weighed], policy: Policy, worth: Money | None) -> Weighed:
    if one.standing is Standing.CANNOT:
        return one
    if worth is not None and one.way.price.minor > worth.minor * policy.worth_share:
        return _with(one, Standing.NOT_WORTH_IT, fact("routes.worth", worth=worth))
    if sure_in_shop(one.way.kind, one.way.tried, kit=one.way.kit) < policy.least_chance:
        return _with(one, Standing.TOO_RISKY, fact("routes.floor", floor=round(policy.least_chance * 100)))
    for other in every:
        if other is not one and not other.way.why_not and _dominates(other, one):
            return _with(one, Standing.DOMINATED, fact("routes.no-better-than", other=other.way.name))
    return one


def _dominates(other: Weighed, one: Weighed) -> bool:
    """Whether another way is at least as good in everything that counts, and better in something."""
    pairs: list[tuple[float, float]] = [
        (-other.aim.cures, -one.aim.cures),
        # what is recommended nothing folds away
        (-other.aim.weighed_minor, -one.aim.weighed_minor),
        (-other.way.price.minor, -one.way.price.minor),
        (other.chance.mean, one.chance.mean),
        (-other.way.wait_days, -one.way.wait_days),
        (-other.minutes[1], -one.minutes[1]),
        (other.left.minor, one.left.minor),
        (len(other.way.gets), len(one.way.gets)),
        (other.way.warranty_days, one.way.warranty_days),
    ]
    return all(a >= b for a, b in pairs) and any(a > b for a, b in pairs)


def _with(one: Weighed, standing: Standing, under: Say = "") -> Weighed:
    return replace(one, standing=standing, under=under)


# more than four ways are not compared by anybody; the shop's, no source
MOST_IN_VIEW = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class View:
    """Which ways are compared, by their keys in order, and whether all of them cost too much of what the
    device is worth; the others are folded.
    """

    keys: tuple[str, ...]
    too_dear: bool


def in_view(weighed: Sequence[Weighed]) -> View:
    """The ways that are compared: those that can be recommended or are possible; where there are none, those
    that can be done all the same, and are said to be no good bargain (rule quote.not-worth-it).
    """
    usual = [one.way.key for one in weighed if one.standing in (Standing.RECOMMENDED, Standing.POSSIBLE)]
    dear = [one.way.key for one in weighed if one.standing is Standing.NOT_WORTH_IT]
    return View(keys=tuple((usual or dear)[:MOST_IN_VIEW]), too_dear=bool(dear) and not usual)


# what a device loses of its worth each year; common practice, no source
YEARLY = 0.75


def worth_today(new_price: Money | None, released: int, year: int) -> Money | None:
    """What a device is worth in a year, by its price when it was new (rule quote.not-worth-it); None where
    nobody knows that price or its year.

    >>> worth_today(Money(minor=80_000, currency="TAL"), 2029, 2031)
    Money(minor=45000, currency='TAL')
    """
    if new_price is None or not released:
        return None
    return Money(
        minor=round(new_price.minor * YEARLY ** max(year - released, 0)), currency=new_price.currency
    )


def failure_of(kind: str, parts_minor: int, minutes: int, rate_minor: int, tried: Tried, *, kit: bool) -> int:
    """What failures of a way cost on average, in minor units: the part and the work of a try that fails. It
    goes into the price, which is the same whoever does it.
    """
    cost = parts_minor + minutes * rate_minor / 60
    return round((1 - sure_in_shop(kind, tried, kit=kit)) * cost)


# -- what a model's ways are to each other -------------------------------------------------------------------

# a try that leaves the old panel or opens only what is loose; when it fails the whole front follows
_LEAVES_THE_PANEL = frozenset({"glass", "glass and touch"})
_PANELS = frozenset({"panel", "bare panel"})
_WHOLE = ("front with frame", "front assembly", "fused stack", "lid assembly")


def follows(kind: str, kinds: Sequence[str]) -> str:
    """The kind of way that follows when one fails: after glass the whole front, after a panel the lid, after
    reseating the model's first way; nothing where it is tried again.

    >>> follows("glass", ["front assembly", "glass"]), follows("front assembly", ["front assembly", "glass"])
    ('front assembly', '')
    """
    others = [one for one in kinds if one != kind]
    whole = next((one for one in _WHOLE if one in others), "")
    if kind in _LEAVES_THE_PANEL:
        return whole
    if kind in _PANELS:
        return "lid assembly" if "lid assembly" in others else ""
    if kind in NO_PART:
        return whole or next((one for one in others if one not in NO_PART), "")
    return ""


# layers that reseating can help
_BY_RESEATING = frozenset({Layer.CONNECTOR})


def cannot_be(kind: str, broken: Sequence[Layer], suspected: Sequence[Layer], *, asked: bool) -> Say:
    """Why a way cannot repair what is broken; empty where it can. Glass leaves a panel that is broken, what
    is only asked for leaves nothing to reseat, and reseating is left only where the connection may be the
    cause.
    """
    if kind == "glass" and Layer.TOUCH in broken:
        return fact("routes.touch-broken")
    if kind in _LEAVES_THE_PANEL and {Layer.PANEL, Layer.BACKLIGHT}.intersection(broken):
        return fact("routes.panel-broken")
    if kind == RESEAT and Layer.GLASS in broken:
        return fact("routes.glass-broken")
    if kind in NO_PART and not asked and not broken and not suspected:
        return fact("routes.nothing-to-reseat")
    if kind == RESEAT and not asked and not _BY_RESEATING.intersection((*broken, *suspected)):
        return fact("routes.not-the-connection")
    if kind in NO_PART and kind != RESEAT and broken:
        return fact("routes.serial-cures-no-break")
    return ""
