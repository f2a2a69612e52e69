"""What is known around a need: the offers worth judging, flexes, numbers, spares, what was learned."""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache

from sutura.core.catalogue.model import Model
from sutura.core.errors import MoveRefused
from sutura.core.facts import Fact, fact
from sutura.core.handover.comebacks import NewPrice, price_now
from sutura.core.handover.warranties import Terms
from sutura.core.identify.scan import LabelPattern
from sutura.core.intake.promise import PartSeen
from sutura.core.intake.upgrades import UPGRADE, upgrade_of
from sutura.core.job import EventKind, JobRecord, Stage
from sutura.core.matching.attributes import ATTRIBUTES
from sutura.core.matching.comparing import Around
from sutura.core.matching.judging import Judged, Known, Learned, Wanted, judge, may_choose
from sutura.core.matching.kits import MOST_EACH, find_kits, members_of
from sutura.core.matching.numbers import Interchange, Numbers, tangles
from sutura.core.matching.offers import Offer
from sutura.core.matching.picking import picking_of
from sutura.core.matching.ranking import Weights, parts_of, wait_days, weights_from
from sutura.core.matching.wanted import wanted_of
from sutura.core.maths.money import Money
from sutura.core.maths.statistics import Share
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import Quote
from sutura.core.quoting.routes import Policy, Tried, sure_in_shop, worth_today
from sutura.core.stock.suppliers import prior_of
from sutura.core.typed import Problems, read_choice
from sutura.core.values import FunctionResult, Outcome, Person
from sutura.services import comebacks
from sutura.services import job as job_service
from sutura.services.shop import shop
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store import matching as store
from sutura.store import offers as offers_store
from sutura.store import orders as orders_store
from sutura.store import packs as packs_store
from sutura.store import quoting as quoting_store
from sutura.store import shop as shop_store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing
from sutura.store.shop import ShopRecord

_SPARE, _FLEX = "small part", "adapter flex"


def offers_for(wanted: Wanted) -> list[Offer]:
    """The offers worth judging for a need, however many there are."""
    return offers_store.offers_for(picking_of(wanted))


def parts_for_kits(wanted: Wanted) -> list[Offer]:
    """What a kit could be made of: glasses of the outline and panels of the picture; nothing where either is
    not known.
    """
    kinds, picking = members_of(wanted.need), picking_of(wanted)
    if kinds is None or picking.width is None or picking.active_width is None:
        return []
    return offers_store.members_for(*kinds, picking.width, picking.active_width, MOST_EACH)


def known_about(
    wanted: Wanted, model_id: str, offers: Sequence[Offer], destroyed: Collection[str] = ()
) -> Known:
    """What else counts for a need: adapter flexes, spares for broken items, printed numbers, what was learned
    of these parts on the model.
    """
    needs_flex = wanted.need.get("connector_place") is not None
    kinds = [_FLEX] * needs_flex + [_SPARE] * bool(destroyed)
    around = offers_store.offers_of_kinds(kinds) if kinds else []
    spares: dict[str, Offer] = {}
    for one in around:
        if one.attributes.get("kind") == _SPARE:
            spares.setdefault(str(one.known("part_family")), one)
    return Known(
        around=Around(
            flexes=tuple(offer for offer in around if offer.attributes.get("kind") == _FLEX),
            numbers=numbers(),
            destroyed=frozenset(destroyed),
            spares=spares,
        ),
        learned=store.evidence_of(model_id, sorted({offer.part_id for offer in offers})),
    )


def numbers() -> Numbers:
    """Printed numbers as the packs know them, built anew when what they say of numbers changed."""
    return _numbers(
        json.dumps(
            [[head.get("interchange", []), head.get("labels", [])] for head in packs_store.heads("parts")]
        )
    )


def interchanges() -> tuple[list[Interchange], list[Fact]]:
    """Numbers that stand in for others, of every pack, and what of them cannot be right taken together."""
    every = [
        Interchange(**entry) for head in packs_store.heads("parts") for entry in head.get("interchange", ())
    ]
    return every, tangles(every)


@lru_cache(maxsize=4)
def _numbers(said: str) -> Numbers:
    heads = json.loads(said)
    return Numbers.of(
        [Interchange(**interchange) for interchange, _ in heads for interchange in interchange],
        [LabelPattern(**label) for _, labels in heads for label in labels],
    )


@reading
def soonest_part(model: Model, now: datetime) -> PartSeen | None:
    """The part for a model that may be chosen and is here soonest, from the shelf, by an order on its way
    that no other job waits for, or by one to be made; None when none is known.
    """
    wanted = wanted_of(model)
    offers = offers_for(wanted)
    known = known_about(wanted, model.id, offers)
    judged = [judge(wanted, offer, known) for offer in offers]
    if not any(may_choose(hit.fit) and wait_days(hit) == 0 for hit in judged):
        # nothing of one piece lies here: a kit on the shelf is here sooner than what has to be ordered
        parts = parts_for_kits(wanted)
        judged += find_kits(wanted, parts, known_about(wanted, model.id, [*offers, *parts]))
    fitting = [hit for hit in judged if may_choose(hit.fit)]
    if not fitting:
        return None
    best = min(fitting, key=lambda hit: (wait_days(hit), hit.offer.id))
    soonest = PartSeen(
        part=best.offer.part,
        free=max(best.offer.free, 0),
        lead_days=wait_days(best),
        order_days=min(max(part.lead_days for part in parts_of(hit)) for hit in fitting),
    )
    if (
        soonest.lead_days > 1
        and (coming := _on_its_way(fitting, now))
        and coming.lead_days < soonest.lead_days
    ):
        return coming
    return soonest


def _on_its_way(fitting: Sequence[Judged], now: datetime) -> PartSeen | None:
    """The part that an order brings soonest. What is late already promises nothing; what comes today or
    tomorrow is there tomorrow.
    """
    alone = {hit.offer.part_id: hit.offer.part for hit in fitting if len(parts_of(hit)) == 1}
    today = shop_store.load_keeping().day(now)
    days = {
        part_id: (expected[0] - today).days
        for part_id, all_days in orders_store.not_waited_for(list(alone)).items()
        if (expected := [day for day in all_days if day >= today])
    }
    if not days:
        return None
    part_id = min(days, key=lambda each: (days[each], each))
    return PartSeen(part=alone[part_id], free=0, lead_days=max(days[part_id], 1), coming=True)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownOfPart:
    """One attribute of a part: what its suppliers claim, what was measured here, by whom and when; empty =
    not known.
    """

    title: str
    claimed: str
    measured: str
    who: str
    at: datetime | None


@reading
def known_of_part(barcode: str) -> list[KnownOfPart]:
    """Everything that is known of a part, claims and measurements side by side."""
    claims, measured = stock_store.load_known(barcode)
    lines = []
    for rule in ATTRIBUTES:
        claim, ours = claims.get(rule.name), measured.get(rule.name)
        if claim is None and ours is None:
            continue
        lines.append(
            KnownOfPart(
                title=rule.title,
                claimed="" if claim is None else str(claim),
                measured=str(ours.value) if ours else "",
                who=ours.who if ours else "",
                at=ours.at if ours else None,
            )
        )
    return lines


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What a customer came for: the functions that were faulty, and what a part must have besides."""

    came_for: frozenset[str] = frozenset()
    better: Mapping[str, str] = field(default_factory=dict)


def asked_of(model: Model, baseline: Mapping[str, FunctionResult], how: Mapping[str, object]) -> Asked:
    """What a customer came for, by what was found on arrival and what they want."""
    faulty = frozenset(name for name, result in baseline.items() if result.outcome is Outcome.FAULTY)
    upgrade = upgrade_of(model, how)
    return Asked(came_for=faulty | {UPGRADE}, better=upgrade.need) if upgrade else Asked(came_for=faulty)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShopNumbers:
    """What is the same for every need that is looked at on one page: the shop's own numbers, and what all
    suppliers show.
    """

    shop: ShopRecord
    prior: Share
    tried: Mapping[str, Tried]
    # what of the prices a job's customer pays
    pays: NewPrice
    # what the customer came for: the functions that were faulty on arrival, and an upgrade that is wanted
    came_for: frozenset[str]
    # what a part must have because they want it so
    better: Mapping[str, str]
    # how sure each kind of repair is in this shop
    succeeded: Mapping[str, Tried]
    # what the shop promises of warranty now
    terms: Terms
    # what the device is worth today; None = nobody knows
    worth: Money | None

    @property
    def policy(self) -> Policy:
        """The shop's weights for options."""
        prices = self.shop.rates.policy
        return Policy(
            rate_minor=self.shop.bench_rate_minor,
            wait_day_minor=self.weights.wait_day_minor,
            failure_minor=prices.failure_minor,
            least_chance=prices.least_chance_bps / 10_000,
            worth_share=prices.worth_bps / 10_000,
        )

    @property
    def weights(self) -> Weights:
        return weights_from(self.shop.weights, self.shop.bench_rate_minor)


@reading
def numbers_for(
    model: Model,
    now: datetime,
    job: JobRecord | None = None,
    succeeded: Mapping[str, Tried] | None = None,
    asked: Asked | None = None,
) -> ShopNumbers:
    """The shop's numbers for a model; `succeeded` where they were read already, `asked` what somebody came
    for before there is a job.
    """
    wish = asked or Asked()
    if job:
        wish = asked_of(model, intake_store.load_results(job.id).get(0, {}), job.arrival.how)
    the_shop = shop()
    new_price = Money.of(model.new_price, the_shop.currency) if model.new_price else None
    if succeeded is None:
        succeeded = quoting_store.tries_of(model.procedure_family)
    return ShopNumbers(
        shop=the_shop,
        prior=prior_of(suppliers_store.counts()),
        tried=succeeded if the_shop.rates.policy.risk_bps else {},
        pays=comebacks.pays_of(job.id) if job else NewPrice.ALL,
        came_for=wish.came_for,
        better=wish.better,
        succeeded=succeeded,
        terms=comebacks.terms_at(now),
        worth=worth_today(new_price, model.released, now.year),
    )


def better_for(job: JobRecord, model: Model) -> Mapping[str, str]:
    """What a part must have because the customer wants it so; nothing where no upgrade is wanted."""
    upgrade = upgrade_of(model, job.arrival.how)
    return upgrade.need if upgrade else {}


def comes_to(made: Quote, numbers: ShopNumbers) -> tuple[int, float]:
    """What the customer pays of a price, and what that leaves after parts and work, in minor units."""
    price = price_now(numbers.pays, made.price, made.part, made.work)
    share = price.minor / made.price.minor if made.price.minor else 1.0
    return (
        price.minor,
        price.minor - made.tax.minor * share - made.minutes * numbers.shop.bench_rate_minor / 60,
    )


def sure_of(kind: str, judged: Judged, numbers: ShopNumbers) -> float:
    """How sure a repair with a part is in this shop, whoever does it."""
    return sure_in_shop(kind, numbers.succeeded.get(kind, Tried()), kit=bool(judged.members))


# -- learned ------------------------------------------------------------------------------------

REPORTS = {"did_not_fit": Learned.DID_NOT_FIT, "defective": Learned.DEFECTIVE}


@writing
def report_part(code: str, outcome: str, says: str, by: Person, now: datetime) -> None:
    """Write down that the chosen part did not fit, or was defective: later verdicts name it."""
    demand(by, Deed.RESERVE)
    job = job_store.lock_job(code)
    problems = Problems("The report")
    problems.read(
        "outcome",
        outcome,
        lambda text: read_choice(text, tuple(REPORTS), fact("matching.choose-did-not-fit-was-defective")),
    )
    if len(says.strip()) < 5:
        problems.add("part_says", says, fact("matching.write-what-was-wrong-such-connector"))
    problems.refuse()
    offer = offers_store.load_offer(job.chosen.offer_id) if job.chosen.offer_id else None
    if offer is None or job.stage in (Stage.HANDED_BACK, Stage.RETURNED):
        raise MoveRefused(
            code,
            fact("job.have-its-part-reported"),
            [fact("job.no-part-chosen") if offer is None else fact("job.it-is", stage=job.stage)],
        )
    learn(job, offer, REPORTS[outcome], says.strip()[:300], by, now)


def learn(job: JobRecord, offer: Offer, outcome: Learned, says: str, by: Person, now: datetime) -> None:
    """Keep what came of a part on a job's model, with the job."""
    store.add_evidence(job.model_id, offer.part_id, offer.id, job.id, outcome, says, by.id, now)
    if outcome is not Learned.PROVED:
        facts = {"part": offer.part, "supplier": offer.supplier, "outcome": outcome.value, "says": says}
        job_service.note(job, EventKind.PART_REPORTED, facts, by=by, now=now)
