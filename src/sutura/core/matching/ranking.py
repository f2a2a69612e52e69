"""Which offer first: what it costs until the job is finished, when it is here, how good it is – with the
shop's own weights.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from functools import partial

from sutura.core.facts import Say, fact
from sutura.core.matching.comparing import Agreement
from sutura.core.matching.judging import Fit, Judged, may_choose
from sutura.core.matching.offers import GRADES, Offer
from sutura.core.maths.money import half_up
from sutura.core.maths.statistics import Share
from sutura.core.quoting.aim import Aim, Cures, Weighing, aim, cures
from sutura.core.stock.suppliers import NOTHING_KNOWN
from sutura.core.typed import Problems, read_amount
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="fit.rank",
        capability="matching",
        says=(
            "Parts that may be chosen come first, in the order of rule quote.aim: what costs the customer "
            "least. Then the unknown, then those that do not fit. Beside it stands what each costs the shop "
            "to a finished job: price, shipping, bridges, items to buy, extra minutes at the bench rate, "
            "expected loss from the supplier's defects, waiting, grade and consent at the shop's weights."
        ),
        source="common practice, no source; the weights are the shop's",
    ),
    Rule(
        id="fit.defects",
        capability="matching",
        says=(
            "Of a supplier's pieces so many are expected to fail as its record says, drawn to what all "
            "suppliers show: few pieces say little, and nobody is perfect."
        ),
        source="mean of a beta distribution (textbook); its prior is that of rule stock.supplier-quality",
    ),
    Rule(
        id="fit.dominated",
        capability="matching",
        says=(
            "An offer that is no better in what it comes to for the customer, cost, arrival, grade, verdict, "
            "guarantee and return than another one, and worse in one of them, is folded away below it."
        ),
        source="Pareto dominance (textbook)",
    ),
    Rule(
        id="fit.shelf",
        capability="matching",
        says="A piece that lies on the shelf is listed once, at its lowest price, whoever else offers it.",
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Weights:
    """The shop's own weights, in minor units: bench hour, a day of waiting, a day past the promise, a
    consent, each grade.
    """

    rate_minor: int = 7_200
    wait_day_minor: int = 300
    late_day_minor: int = 2_500
    consent_minor: int = 5_000
    grade_minor: Mapping[str, int] = field(
        default_factory=lambda: {
            "genuine new": 0,
            "genuine pulled": 300,
            "refurbished": 600,
            "aftermarket": 1_500,
            "": 2_500,
        }
    )

    def of_grade(self, grade: str) -> int:
        return self.grade_minor.get(grade, self.grade_minor.get("", 0))


# The weights a shop sets, by the name in its form, with their words.
WEIGHT_WORDS: Mapping[str, str] = {
    "wait_day": "A day of waiting for a part",
    "late_day": "A day past the promise",
    "consent": "Asking for a consent",
    **{f"grade.{grade}": f"Grade: {grade}" for grade in GRADES},
    "grade.": "Grade not known",
}
MOST_WEIGHT_MINOR = 100_000


def read_weights(typed: Mapping[str, str], rate_minor: int, currency: str) -> Weights:
    """Weights from amounts as typed, by the names of WEIGHT_WORDS; every one that is no amount is refused."""
    problems = Problems("The weights")
    read = partial(read_amount, currency=currency, most=MOST_WEIGHT_MINOR)
    weights = {name: problems.read(f"weight.{name}", typed.get(name, ""), read) for name in WEIGHT_WORDS}
    problems.refuse()
    return weights_from({name: minor or 0 for name, minor in weights.items()}, rate_minor)


def weights_from(kept: Mapping[str, int], rate_minor: int) -> Weights:
    """Weights as the shop keeps them; what it never set is as it came."""
    plain = Weights()
    grades = {grade: kept.get(f"grade.{grade}", usual) for grade, usual in plain.grade_minor.items()}
    return Weights(
        rate_minor=rate_minor,
        wait_day_minor=kept.get("wait_day", plain.wait_day_minor),
        late_day_minor=kept.get("late_day", plain.late_day_minor),
        consent_minor=kept.get("consent", plain.consent_minor),
        grade_minor=grades,
    )


def weights_kept(weights: Weights) -> dict[str, int]:
    """The weights by the names of WEIGHT_WORDS, as the shop keeps them."""
    return {
        "wait_day": weights.wait_day_minor,
        "late_day": weights.late_day_minor,
        "consent": weights.consent_minor,
        **{f"grade.{grade}": minor for grade, minor in weights.grade_minor.items()},
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class CostLine:
    """One part of what an offer costs until the job is finished; `weighed` = a weight of the shop's, not
    money paid.
    """

    what: Say
    minor: int
    weighed: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Ranked:
    """A judged offer in its place: what it costs, when it is here, why it stands beside its neighbour, what
    dominates it.
    """

    judged: Judged
    lines: tuple[CostLine, ...]
    wait_days: int
    tie: Say = ""
    under: Say = ""
    # what it comes to for the customer; None where there is no price, as among parts alone
    aim: Aim | None = None

    @property
    def money_minor(self) -> int:
        return sum(line.minor for line in self.lines if not line.weighed)

    @property
    def score_minor(self) -> int:
        return sum(line.minor for line in self.lines)


def defect_rate(bad: int, tried: int, prior: Share = NOTHING_KNOWN) -> float:
    """A supplier's defect rate from its record and what all suppliers show (rule fit.defects).

    >>> defect_rate(0, 0), defect_rate(3, 60)
    (0.025, 0.04)
    """
    return (bad + prior.yes) / (tried + prior.yes + prior.no)


def cost_lines(
    judged: Judged, weights: Weights, minutes: int, days_left: int | None, prior: Share = NOTHING_KNOWN
) -> tuple[CostLine, ...]:
    """What an offer costs until the job is finished (rule fit.rank). `days_left` until the promise, None
    without one; `prior` is what all suppliers show.
    """
    offer = judged.offer
    # one order a supplier, whatever of it is for the kit and what bridges it
    shipping = {part.supplier: part.shipping_minor for part in parts_of(judged) if part.free < 1}
    wait = wait_days(judged)
    late = late_days(judged, days_left)
    rate = defect_rate(offer.supplier_bad, offer.supplier_tried, prior)
    again = offer.price_minor * (offer.guarantee_days == 0) + minutes * weights.rate_minor // 60
    lines = [
        CostLine(what="part" if not judged.members else "parts", minor=offer.price_minor),
        CostLine(what="shipping", minor=sum(shipping.values())),
        *(CostLine(what=extra.part, minor=extra.price_minor) for extra in judged.extras),
        CostLine(
            what=fact("matching.min-more-bench", extra_minutes=judged.extra_minutes),
            minor=int(half_up(Decimal(judged.extra_minutes * weights.rate_minor) / 60, 0)),
        ),
        CostLine(
            what=fact("matching.expected-loss-s-pieces-fail", rate=rate, supplier=offer.supplier),
            minor=int(half_up(Decimal(str(rate)) * again, 0)),
        ),
        CostLine(
            what=fact("matching.days-of-waiting", count=wait),
            minor=wait * weights.wait_day_minor,
            weighed=True,
        ),
        CostLine(
            what=fact("matching.days-past-promise", count=late),
            minor=late * weights.late_day_minor,
            weighed=True,
        ),
        CostLine(
            what=f"grade: {offer.grade or 'not known'}", minor=weights.of_grade(offer.grade), weighed=True
        ),
        CostLine(
            what=fact("matching.consent-ask"),
            minor=weights.consent_minor if judged.fit is Fit.CONSENT else 0,
            weighed=True,
        ),
    ]
    return tuple(line for line in lines if line.minor)


def one_a_piece(offers: Sequence[Offer]) -> list[Offer]:
    """Offers with a part that lies on the shelf once, at its lowest price: a piece that is here is one piece,
    whoever else offers it (rule fit.shelf).
    """
    best: dict[int, int] = {}
    for offer in sorted(offers, key=lambda offer: (offer.price_minor, offer.id)):
        if offer.free > 0:
            best.setdefault(offer.part_id, offer.id)
    return [offer for offer in offers if offer.free < 1 or best[offer.part_id] == offer.id]


def wait_days(judged: Judged) -> int:
    """Days until every part is here; what lies on the shelf is here."""
    return max([part.lead_days if part.free < 1 else 0 for part in parts_of(judged)])


def parts_of(judged: Judged) -> tuple[Offer, ...]:
    """Every part that has to be here: the offer or the members of the kit, and what bridges or completes
    it.
    """
    return (*(judged.members or (judged.offer,)), *judged.extras)


def late_days(judged: Judged, days_left: int | None) -> int:
    """Days past the promise that waiting for it costs; none without a promise."""
    return max(wait_days(judged) - days_left, 0) if days_left is not None else 0


def cures_of(judged: Judged, faulty: frozenset[str]) -> Cures:
    """Whether a part cures what the customer came for (rule quote.cures)."""
    return cures(faulty, [finding.attribute for finding in judged.of(Agreement.CONSENT)])


def aim_of(
    judged: Judged,
    price_minor: int,
    left_minor: float,
    sure: float,
    weights: Weights,
    weighing: Weighing,
    days_left: int | None,
    faulty: frozenset[str],
) -> Aim:
    """What a part comes to for the customer (rule quote.aim): `left_minor` is what its price leaves after the
    work, `sure` the share of tries that succeed, `faulty` the functions that the customer came for.
    """
    cost = judged.offer.price_minor + sum(extra.price_minor for extra in judged.extras)
    return aim(
        price_minor,
        left_minor - cost,
        sure,
        weighing,
        wait_days=wait_days(judged),
        late_minor=late_days(judged, days_left) * weights.late_day_minor,
        grade_minor=weights.of_grade(judged.offer.grade),
        consent_minor=weights.consent_minor if judged.fit is Fit.CONSENT else 0,
        cures=cures_of(judged, faulty),
    )


def rank(
    judged: Sequence[Judged],
    weights: Weights,
    minutes: int = 0,
    days_left: int | None = None,
    prior: Share = NOTHING_KNOWN,
    aims: Sequence[Aim | None] = (),
) -> list[Ranked]:
    """Offers in their order, each with its costs; ties explained, dominated ones named (rules fit.rank,
    fit.dominated). `aims` is what each comes to for the customer, in the same order.
    """
    ranked = [
        Ranked(
            judged=judged_offer,
            lines=cost_lines(judged_offer, weights, minutes, days_left, prior),
            wait_days=wait_days(judged_offer),
            aim=for_customer,
        )
        for judged_offer, for_customer in zip(judged, aims or [None] * len(judged), strict=True)
    ]
    ranked.sort(key=_key)
    placed: list[Ranked] = []
    # what is beaten is beaten by one that nothing beats: only those have to be looked at
    front: list[Ranked] = []
    for place, one in enumerate(ranked):
        better = next((other for other in front if dominates(other, one)), None)
        if better is None and may_choose(one.judged.fit):
            front.append(one)
        placed.append(_placed(one, ranked[place - 1] if place else None, better))
    return placed


def _group(fit: Fit) -> int:
    return 0 if may_choose(fit) else 1 if fit is Fit.UNKNOWN else 2


def _key(ranked: Ranked) -> tuple[int, tuple[float, ...], int, bool, int]:
    offer = ranked.judged.offer
    counts = ranked.aim.key if ranked.aim else (ranked.score_minor,)
    return (_group(ranked.judged.fit), counts, ranked.wait_days, offer.free < 1, offer.id)


def _placed(ranked: Ranked, above: Ranked | None, better: Ranked | None) -> Ranked:
    tie: Say = ""
    if above and may_choose(ranked.judged.fit) and _key(above)[:2] == _key(ranked)[:2]:
        later = ranked.wait_days > above.wait_days
        why = fact("matching.here-later") if later else fact("matching.nothing-tells-them-apart-but-order")
        tie = fact("matching.costs-much-one-above", why=why)
    return replace(
        ranked,
        tie=tie,
        under=fact("matching.from", part=better.judged.offer.part, supplier=better.judged.offer.supplier)
        if better
        else "",
    )


def dominates(one: Ranked, other: Ranked) -> bool:
    """Whether one is no worse in money, arrival, grade, verdict, guarantee and return, and better in one of
    them. Only among those that may be chosen.
    """
    if not (may_choose(one.judged.fit) and may_choose(other.judged.fit)):
        return False
    mine, theirs = _measures(one), _measures(other)
    return mine != theirs and all(a <= b for a, b in zip(mine, theirs, strict=True))


def _measures(ranked: Ranked) -> tuple[float, ...]:
    """What is compared, each the smaller the better; a guarantee or a return that nobody promised is none."""
    offer = ranked.judged.offer
    grade = offer.grade
    # what the order puts first nothing folds away
    for_customer = ranked.aim.key[:4] if ranked.aim else ()
    return (
        *for_customer,
        ranked.money_minor,
        ranked.wait_days,
        GRADES.index(grade) if grade in GRADES else len(GRADES),
        list(Fit).index(ranked.judged.fit),
        -(offer.guarantee_days or 0),
        0 if offer.returns else 1,
    )
