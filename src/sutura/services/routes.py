"""The ways a job can be repaired beside each other, with what this shop's own tries say; one is chosen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core.bench.compiling import Aim, Goal, compile_sheet
from sutura.core.bench.partless import partless_ways
from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.layers import has_of
from sutura.core.job import JobRecord, Move, starts_of
from sutura.core.matching.judging import may_choose
from sutura.core.matching.ranking import weights_from
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.planning import Skill, candidates, expected_minutes
from sutura.core.quoting.pricing import Quote, Rates, quote
from sutura.core.quoting.routes import (
    Policy,
    Tried,
    Way,
    Weighed,
    cannot_be,
    failure_of,
    follows,
    weigh,
    worth_today,
)
from sutura.core.values import Person
from sutura.services import matching, schools, stock
from sutura.services import quoting as quoting_service
from sutura.services.matching import Matched
from sutura.store import job as job_store
from sutura.store import planning as planning_store
from sutura.store import quoting as store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class Choosable:
    """A weighed way with what is chosen by it: the offer or the members of a kit; nothing where it needs no
    part.
    """

    weighed: Weighed
    offer: int
    members: tuple[int, ...]
    on_shelf: bool
    consent: Say


@dataclass(frozen=True, slots=True, kw_only=True)
class RoutesPage:
    job: JobRecord | None
    model: Model
    ways: list[Choosable]
    worth: Money | None
    policy: Policy
    choosable: bool
    rates: Rates


def policy_of(shop: shop_store.ShopRecord) -> Policy:
    """The shop's weights for routes."""
    weights = weights_from(shop.weights, shop.bench_rate_minor)
    return Policy(rate_minor=shop.bench_rate_minor, wait_day_minor=weights.wait_day_minor)


@reading
def routes_page(code: str, now: datetime) -> RoutesPage:
    """Every way to repair a job's device, the recommended one first."""
    job = job_store.load_job(code)
    model = schools.of_job(job)
    return _page(job, model, now)


@reading
def routes_of_model(model: Model, now: datetime, look: Mapping[str, str] | None = None) -> RoutesPage:
    """The same without a job: the answer on the phone, by what somebody says is broken."""
    return _page(None, model, now, look or {})


def _page(
    job: JobRecord | None, model: Model, now: datetime, look: Mapping[str, str] | None = None
) -> RoutesPage:
    shop = shop_store.load_shop()
    assert shop, "asked for where a shop is set up"
    found = diagnose(job.arrival.look if job else look or {}, has_of(model))
    broken, suspected = (
        [reading_.layer for reading_ in layers] for layers in (found.faulty, found.suspected)
    )
    tried = store.tries_of(model.procedure_family)
    policy = policy_of(shop)
    partless = {way.kind: way for way in partless_ways(model)}
    kinds = [*(way.kind for way in model.ways), *partless]
    made: dict[str, tuple[Way, Matched | None]] = {}
    for route in model.ways:
        why = cannot_be(route.kind, broken, suspected, asked=False)
        there = matching.match_for(job, model, route.kind, now) if not why else None
        picked = _picked(there.offers) if there else []
        for matched in picked:
            way = _way(model, route.kind, route.name, matched, shop.rates, tried, follows(route.kind, kinds))
            made[way.key] = (way, matched)
        if not picked:
            why = why or fact("routes.no-part")
            nothing = Money(minor=0, currency=shop.currency)
            way = Way(
                kind=route.kind,
                name=route.name,
                parts=nothing,
                bench_minutes=route.minutes,
                unattended_minutes=0,
                wait_days=0,
                price=nothing,
                tax=nothing,
                why_not=why,
            )
            made[way.key] = (way, None)
    for kind, without in partless.items():
        nothing = Money(minor=0, currency=shop.currency)
        way = Way(
            kind=kind,
            name=without.name,
            parts=nothing,
            bench_minutes=without.minutes,
            unattended_minutes=0,
            wait_days=0,
            price=nothing,
            tax=nothing,
            tried=tried.get(kind, Tried()),
            falls_to=follows(kind, kinds),
            why_not=cannot_be(kind, broken, suspected, asked=kind == "serial"),
        )
        made[way.key] = (way, None)
    hands = _hands(job, model)
    linked = [_by(way, hands) for way in _linked([way for way, _ in made.values()], made)]
    ways = [_priced(way, model.device_class, shop.rates) for way in linked]
    new_price = Money.of(model.new_price, shop.currency) if model.new_price else None
    worth = worth_today(new_price, model.released, now.year)
    return RoutesPage(
        job=job,
        model=model,
        ways=[_choosable(one, made[one.way.key][1]) for one in weigh(ways, policy, worth)],
        worth=worth,
        policy=policy,
        choosable=job is not None and job.stage in starts_of(Move.QUOTE, Move.REQUOTE),
        rates=shop.rates,
    )


def _hands(job: JobRecord | None, model: Model) -> Skill | None:
    """Who would do it: whoever has the job, else the one who is free soonest of those who may."""
    skills = planning_store.skills_page(model.procedure_family)
    by_id = {skill.person_id: skill for skill in skills if skill.factor is not None}
    if job and job.bench.technician_id in by_id:
        return by_id[job.bench.technician_id]
    first = next(
        (one for one in candidates(skills, model.procedure_family, model.minutes, 0) if one.may), None
    )
    return by_id[first.person_id] if first else None


def _by(way: Way, hands: Skill | None) -> Way:
    """A way with how long it takes the one who would do it, by their own times."""
    if hands is None:
        return way
    return replace(way, by=hands.name, by_minutes=expected_minutes(way.bench_minutes, hands.factor))


def _picked(offers: Sequence[Matched]) -> list[Matched]:
    """What is shown of a route: of every grade the best that may be chosen, and the best kit."""
    best: dict[str, Matched] = {}
    for matched in offers:
        if may_choose(matched.judged.fit):
            grade = "kit" if matched.judged.members else matched.judged.offer.grade
            best.setdefault(grade, matched)
    return list(best.values())


def _first_of(kind: str, made: Mapping[str, tuple[Way, Matched | None]]) -> str:
    """The id of the first way of a kind that can be done."""
    return next((key for key, (way, _) in made.items() if way.kind == kind and not way.why_not), "")


def _way(
    model: Model, kind: str, name: str, matched: Matched, rates: Rates, tried: Mapping[str, Tried], after: str
) -> Way:
    judged = matched.judged
    grade = "kit" if judged.members else judged.offer.grade
    told: Say = (
        fact("routes.kit", name=name, count=len(judged.members))
        if judged.members
        else fact("routes.of-grade", name=name, grade=judged.offer.grade or "grade not known")
    )
    return Way(
        id=f"{kind}|{grade}",
        kind=kind,
        name=told,
        parts=Money(minor=matched.parts_minor, currency=rates.currency),
        bench_minutes=expected_minutes(matched.quote.minutes, None, 0),
        unattended_minutes=model.cure_minutes + _waits(model, kind),
        wait_days=matched.ranked.wait_days,
        price=matched.quote.price,
        tax=matched.quote.tax,
        tried=tried.get(kind, Tried()),
        kit=bool(judged.members),
        # the id is looked up when every way is known
        falls_to=after,
        gets=_gets(model, kind, matched),
    )


def _waits(model: Model, kind: str) -> int:
    """Minutes by the clock on a route's sheet."""
    if not model.pieces:
        return 0
    steps = compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind)).steps
    return sum(step.wait_minutes for step in steps)


def _gets(model: Model, kind: str, matched: Matched) -> tuple[Say, ...]:
    """What the customer gets by it."""
    consent = matching.consent_text(matched.judged)
    gets: list[Say] = []
    if kind == "glass":
        gets.append(fact("routes.gets-original-panel"))
    gets.append(fact("routes.gets-warranty", days=model.warranty_days))
    if consent:
        gets.append(fact("routes.gets-loses", what=consent))
    if model.seal:
        gets.append(fact("routes.gets-no-splash"))
    return tuple(gets)


def _linked(ways: Sequence[Way], made: Mapping[str, tuple[Way, Matched | None]]) -> list[Way]:
    """Each way with the very one that follows it, where it was known by its kind."""
    return [
        way if way.falls_to in made else replace(way, falls_to=_first_of(way.falls_to, made)) for way in ways
    ]


def quote_of(way: Way, device_class: str, rates: Rates, *, rush: bool = False) -> Quote:
    """How the price of a way comes about, step by step; the same that Match shows for its part."""
    failure = failure_of(
        way.kind, way.parts.minor, way.bench_minutes, rates.bench_rate_minor, way.tried, kit=way.kit
    )
    return quote(
        way.parts,
        way.bench_minutes,
        rates,
        device_class=device_class if way.parts.minor else "",
        failure_minor=failure if way.parts.minor else 0,
        rush=rush,
    )


def _priced(way: Way, device_class: str, rates: Rates) -> Way:
    """A way at its price."""
    if way.why_not:
        return way
    made = quote_of(way, device_class, rates)
    return replace(way, price=made.price, tax=made.tax)


def _choosable(one: Weighed, matched: Matched | None) -> Choosable:
    judged = matched.judged if matched else None
    return Choosable(
        weighed=one,
        offer=judged.offer.id if judged else 0,
        members=tuple(member.id for member in judged.members) if judged else (),
        on_shelf=one.way.wait_days == 0,
        consent=matching.consent_text(judged) if judged else "",
    )


@writing
def choose_way(code: str, key: str, by: Person, now: datetime, *, agreed: bool, rush: bool = False) -> None:
    """Choose a way of the comparison: its best part is chosen, and held where it lies on the shelf."""
    demand(by, Deed.QUOTE)
    page = routes_page(code, now)
    found = next((one for one in page.ways if one.weighed.way.key == key), None)
    if found is None or found.weighed.way.why_not:
        raise Invalid("way", key, fact("routes.choose-one-shown"))
    if not found.offer:
        quoting_service.choose_without_part(code, found.weighed.way.kind, by, now)
        return
    matching.choose_offer(
        code, 0 if found.members else found.offer, by, now, members=found.members, agreed=agreed, rush=rush
    )
    if found.on_shelf:
        stock.take_part(code, by, now)


def keep_try(job: JobRecord, now: datetime, *, succeeded: bool) -> None:
    """What became of a route: kept once a round, for those that come after (rule quote.chance)."""
    if job.chosen.route:
        store.add_try(
            job.id, job.bench.attempt, job.chosen.route, job.model_id, job.bench.technician_id, succeeded, now
        )
