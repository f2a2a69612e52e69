"""The ways a job can be repaired beside each other, with what this shop's own tries say; one is chosen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal

from sutura.core.bench.compiling import compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.partless import partless_ways
from sutura.core.bench.stations import StationUse, stations_of
from sutura.core.catalogue.model import Model, Step
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.handover.comebacks import NewPrice, price_now
from sutura.core.handover.ledger import received
from sutura.core.handover.warranties import Terms, warranty_of
from sutura.core.intake.diagnosis import Diagnosis, diagnose
from sutura.core.intake.layers import has_of
from sutura.core.intake.promise import PartSeen, earliest_promise
from sutura.core.job import NO_PART, EventKind, JobRecord, Move, Stage, starts_of
from sutura.core.matching.judging import may_choose
from sutura.core.matching.ranking import parts_of
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.planning.expected import COUNTER_MINUTES
from sutura.core.planning.queue import Skill, candidates, expected_minutes, minutes_to_promise
from sutura.core.quoting.aim import KEEPS_THE_PART, cures
from sutura.core.quoting.policy import PriceStep, StepKind, deposit_of
from sutura.core.quoting.pricing import Quote, Rates, quote
from sutura.core.quoting.routes import (
    Policy,
    Standing,
    Tried,
    Way,
    Weighed,
    cannot_be,
    failure_of,
    follows,
    weigh,
)
from sutura.core.quoting.sensitivity import Turning, needs_said, turning
from sutura.core.shop import OpenHours
from sutura.core.stock.consumables import cost_of, uses_of
from sutura.core.values import Person
from sutura.services import known, matching, orders, planning, promises, schools, stock
from sutura.services import quoting as quoting_service
from sutura.services.job import note
from sutura.services.known import Asked
from sutura.services.matching import Matched
from sutura.services.shop import shop, speech
from sutura.store import consumables as consumables_store
from sutura.store import job as job_store
from sutura.store import ledger as ledger_store
from sutura.store import offers as offers_store
from sutura.store import planning as planning_store
from sutura.store import plans as plans_store
from sutura.store import quoting as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class Choosable:
    """A weighed way with what is chosen by it: the offer or the members of a kit; nothing where it needs no
    part.
    """

    weighed: Weighed
    offer: int
    members: tuple[int, ...]
    # how many parts it takes, with what bridges or completes them
    parts: int
    on_shelf: bool
    consent: Say
    # when it can be ready if it is chosen now, and the stations it holds
    ready: datetime
    stations: tuple[StationUse, ...]
    # what longer work or a dearer part does to the chance from which on it pays; empty where nothing follows
    needs: Say


@dataclass(frozen=True, slots=True, kw_only=True)
class RoutesPage:
    job: JobRecord | None
    model: Model
    ways: list[Choosable]
    worth: Money | None
    policy: Policy
    choosable: bool
    rates: Rates
    # how much worse the recommended way can get before the next one leaves more
    turning: Turning | None
    # what of the prices the customer pays: not all, where it came back
    pays: NewPrice


@reading
def routes_page(code: str, now: datetime) -> RoutesPage:
    """Every way to repair a job's device, the recommended one first."""
    job = job_store.load_job(code)
    model = schools.of_job(job)
    return _page(job, model, now)


@reading
def routes_of_model(
    model: Model, now: datetime, look: Mapping[str, str] | None = None, asked: Asked | None = None
) -> RoutesPage:
    """The same without a job: the answer on the phone, by what somebody says is broken and came for."""
    return _page(None, model, now, look or {}, asked)


def _page(
    job: JobRecord | None,
    model: Model,
    now: datetime,
    look: Mapping[str, str] | None = None,
    asked: Asked | None = None,
) -> RoutesPage:
    found = diagnose(job.arrival.look if job else look or {}, has_of(model))
    skills = planning_store.skills_page(model.procedure_family)
    hands = _hands(job, model, skills, plans_store.away_at(now))
    tried = store.tries_of(model.procedure_family, hands.person_id if hands else None)
    numbers = known.numbers_for(model, now, job, tried, asked)
    the_shop = numbers.shop
    used = _consumables(model)
    policy = numbers.policy
    made = _made(job, model, found, tried, numbers, now)
    linked = [_by(way, hands) for way in _linked([way for way, _ in made.values()], made)]
    ways = [
        replace(
            _priced(way, model.device_class, the_shop.rates, numbers.pays),
            consumables_minor=0 if way.kind in NO_PART or way.why_not else used,
        )
        for way in linked
    ]
    worth = numbers.worth
    when = _When(
        job=job,
        model=model,
        trained=planning.trained_with_jobs(skills, job.code if job else ""),
        hours=the_shop.open_hours,
        now=now,
        planned=promises.plan_of_now(now, job.code if job else ""),
    )
    by_id = {way.key: way for way in ways if not way.why_not}
    weighed = weigh(ways, policy, worth)
    return RoutesPage(
        job=job,
        model=model,
        ways=[
            _choosable(one, made[one.way.key][1], when, needs_said(one.way, by_id, policy)) for one in weighed
        ],
        worth=worth,
        policy=policy,
        choosable=job is not None and job.stage in starts_of(Move.QUOTE, Move.REQUOTE),
        rates=the_shop.rates,
        turning=_turning(weighed, policy),
        pays=numbers.pays,
    )


def _made(
    job: JobRecord | None,
    model: Model,
    found: Diagnosis,
    tried: Mapping[str, Tried],
    numbers: known.ShopNumbers,
    now: datetime,
) -> dict[str, tuple[Way, Matched | None]]:
    """Every way of a model by its key, with the part it would take; one that cannot be done says why."""
    broken, suspected = (
        [reading_.layer for reading_ in layers] for layers in (found.faulty, found.suspected)
    )
    rates, terms = numbers.shop.rates, numbers.terms
    partless = {way.kind: way for way in partless_ways(model)}
    kinds = [*(way.kind for way in model.ways), *partless]
    made: dict[str, tuple[Way, Matched | None]] = {}
    for route in model.ways:
        why = cannot_be(route.kind, broken, suspected, asked=False)
        there = matching.match_for(job, model, route.kind, now, numbers) if not why else None
        picked = _picked(there.offers, str(route.need.get("finish") or "")) if there else []
        after = follows(route.kind, kinds)
        for matched in picked:
            way = _way(model, route.kind, route.name, matched, rates, tried, after, terms)
            way = _for_customer(way, matched)
            made[way.key] = (way, matched)
        if not picked:
            way = _without(route.kind, route.name, route.minutes, rates, why or fact("routes.no-part"))
            made[way.key] = (way, None)
    for kind, none_needed in partless.items():
        why = cannot_be(kind, broken, suspected, asked=kind == "serial")
        way = _without(kind, none_needed.name, none_needed.minutes, rates, why)
        linked = replace(
            way,
            tried=tried.get(kind, Tried()),
            falls_to=follows(kind, kinds),
            cures=cures(numbers.came_for, (KEEPS_THE_PART,)),
        )
        made[way.key] = (linked, None)
    return made


def _for_customer(way: Way, matched: Matched) -> Way:
    """A way with what counts for the customer besides its price, as Match has it (rule quote.aim)."""
    aim = matched.ranked.aim
    if aim is None:
        return way
    return replace(
        way,
        late_minor=aim.late_minor,
        grade_minor=aim.grade_minor,
        consent_minor=aim.consent_minor,
        cures=aim.cures,
    )


def _without(kind: str, name: Say, minutes: int, rates: Rates, why: Say) -> Way:
    """A way without a part: none is needed, or none is known."""
    nothing = Money(minor=0, currency=rates.currency)
    return Way(
        kind=kind,
        name=name,
        parts=nothing,
        bench_minutes=minutes,
        unattended_minutes=0,
        wait_days=0,
        price=nothing,
        tax=nothing,
        why_not=why,
    )


def _turning(weighed: Sequence[Weighed], policy: Policy) -> Turning | None:
    """How much worse the recommended way can get beside the next that is possible."""
    best = next((one.way for one in weighed if one.standing is Standing.RECOMMENDED), None)
    second = next((one.way for one in weighed if one.standing is Standing.POSSIBLE), None)
    return turning(best, second, policy) if best and second else None


@dataclass(frozen=True, slots=True, kw_only=True)
class _When:
    """What says when a way can be ready, and what the customer was told before."""

    job: JobRecord | None
    model: Model
    trained: Sequence[planning.Trained]
    hours: OpenHours
    now: datetime
    planned: promises.Planned | None

    def ready(self, way: Way, part: str) -> datetime:
        """The earliest that can be kept by a way (rules intake.promise, intake.promise-planned)."""
        if self.planned and (at := self.planned.ready(self.model, way, self.hours)):
            return at
        seen = PartSeen(part=part, free=0 if way.wait_days else 1, lead_days=way.wait_days) if part else None
        hands = [one.hands(way.bench_minutes, (), self.now, self.hours) for one in self.trained]
        minutes = minutes_to_promise(way.bench_minutes, ())
        counter = COUNTER_MINUTES[Stage.IDENTIFIED]
        return earliest_promise(
            self.now, seen, hands, minutes, way.unattended_minutes, counter, self.hours
        ).at


def _hands(
    job: JobRecord | None, model: Model, skills: Sequence[Skill], away: Mapping[int, datetime]
) -> Skill | None:
    """Who would do it: whoever has the job, else the one who is free soonest of those who may and are
    here.
    """
    by_id = {skill.person_id: skill for skill in skills if skill.factor is not None}
    if job and job.bench.technician_id in by_id:
        return by_id[job.bench.technician_id]
    choices = candidates(skills, model.procedure_family, model.minutes, 0, away)
    first = next((one for one in choices if one.may), None)
    return by_id[first.person_id] if first else None


def _consumables(model: Model) -> int:
    """What a repair of a model takes of tape, glue, cleaner and wipes costs, in minor units."""
    kept = {row.used_for: row.terms for row in reversed(consumables_store.consumables_page())}
    return cost_of(uses_of(model.face, model.seal), kept)


def _by(way: Way, hands: Skill | None) -> Way:
    """A way with how long it takes the one who would do it, by their own times."""
    if hands is None:
        return way
    return replace(way, by=hands.name, by_minutes=expected_minutes(way.bench_minutes, hands.factor))


def _picked(offers: Sequence[Matched], finish: str) -> list[Matched]:
    """What is shown of a route: of every grade and finish the best that may be chosen, and the best kit;
    `finish` is the device's own.
    """
    best: dict[str, Matched] = {}
    for matched in offers:
        if may_choose(matched.judged.fit):
            best.setdefault(_sort_of(matched, finish), matched)
    return list(best.values())


def _other_finish(matched: Matched, finish: str) -> str:
    """The finish of a part where it is another than the device's own; empty where it is not, or not known."""
    has = str(matched.judged.offer.known("finish") or "")
    return has if finish and has and has != finish else ""


def _sort_of(matched: Matched, finish: str) -> str:
    """What tells ways of one kind apart: a kit, or the grade and another finish."""
    if matched.judged.members:
        return "kit"
    other = _other_finish(matched, finish)
    return f"{matched.judged.offer.grade}, {other}" if other else matched.judged.offer.grade


def _first_of(kind: str, made: Mapping[str, tuple[Way, Matched | None]]) -> str:
    """The id of the first way of a kind that can be done."""
    return next((key for key, (way, _) in made.items() if way.kind == kind and not way.why_not), "")


def _way(
    model: Model,
    kind: str,
    name: str,
    matched: Matched,
    rates: Rates,
    tried: Mapping[str, Tried],
    after: str,
    terms: Terms,
) -> Way:
    judged = matched.judged
    sort = _sort_of(matched, str(model.way(kind).need.get("finish") or ""))
    told: Say = (
        fact("routes.kit", name=name, count=len(parts_of(judged)))
        if judged.members
        else fact("routes.of-grade", name=name, grade=sort or "grade not known")
    )
    return Way(
        id=f"{kind}|{sort}",
        kind=kind,
        name=told,
        parts=Money(minor=matched.parts_minor, currency=rates.currency),
        bench_minutes=expected_minutes(matched.quote.minutes, None, 0),
        unattended_minutes=model.cure_minutes + sum(step.wait_minutes for step in _steps(model, kind)),
        wait_days=matched.ranked.wait_days,
        price=matched.quote.price,
        tax=matched.quote.tax,
        tried=tried.get(kind, Tried()),
        kit=bool(judged.members),
        # the id is looked up when every way is known
        falls_to=after,
        gets=_gets(model, kind, matched, terms),
        warranty_days=_warranty(model, matched, terms),
    )


def _warranty(model: Model, matched: Matched, terms: Terms) -> int:
    grades = [part.grade for part in parts_of(matched.judged)]
    return warranty_of(terms, grades, model.warranty_days)


def _steps(model: Model, kind: str) -> tuple[Step, ...]:
    """A route's sheet; nothing where the model has none."""
    if not model.pieces or kind in NO_PART:
        return ()
    return compile_sheet(model, Goal(aim=Aim.REPAIR, route=kind)).steps


def _gets(model: Model, kind: str, matched: Matched, terms: Terms) -> tuple[Say, ...]:
    """What the customer gets by it."""
    consent = matching.consent_text(matched.judged)
    gets: list[Say] = []
    other = _other_finish(matched, str(model.way(kind).need.get("finish") or ""))
    if kind == "glass":
        gets.append(fact("routes.gets-original-panel"))
    if other:
        gets.append(fact("routes.gets-finish", finish=other, before=str(model.way(kind).need["finish"])))
    gets.append(fact("routes.gets-warranty", days=_warranty(model, matched, terms)))
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


def steps_of(one: Choosable, page: RoutesPage) -> tuple[PriceStep, ...]:
    """How the price that the customer pays comes about: of what came back, less what the shop pays."""
    way = one.weighed.way
    made = quote_of(way, page.model.device_class, page.rates)
    less = way.price.minor - made.price.minor
    return (*made.steps, PriceStep(kind=StepKind.CAME_BACK, minor=less)) if less else made.steps


def rush_price(one: Choosable, page: RoutesPage) -> Money | None:
    """What the customer pays for a way that is done before others; None where that is not offered."""
    if not page.rates.policy.rush_bps or not one.offer:
        return None
    made = quote_of(one.weighed.way, page.model.device_class, page.rates, rush=True)
    return price_now(page.pays, made.price, made.part, made.work)


def _priced(way: Way, device_class: str, rates: Rates, pays: NewPrice) -> Way:
    """A way at the price that the customer pays: of what came back nothing, the work, or all."""
    if way.why_not:
        return way
    made = quote_of(way, device_class, rates)
    price = price_now(pays, made.price, made.part, made.work)
    tax = made.tax.times(Decimal(price.minor) / made.price.minor) if made.price.minor else made.tax
    return replace(way, price=price, tax=tax)


def _choosable(one: Weighed, matched: Matched | None, when: _When, needs: Say) -> Choosable:
    judged = matched.judged if matched else None
    steps = _steps(when.model, one.way.kind) if not one.way.why_not else ()
    return Choosable(
        weighed=one,
        offer=judged.offer.id if judged else 0,
        members=tuple(member.id for member in judged.members) if judged else (),
        parts=len(parts_of(judged)) if judged else 0,
        on_shelf=one.way.wait_days == 0,
        consent=matching.to_agree(when.job, judged, one.way.price) if judged else "",
        ready=when.ready(one.way, judged.offer.part if judged else ""),
        stations=stations_of(when.model, steps, when.model.cure_minutes),
        needs=needs if not one.way.why_not else "",
    )


# so many other ways are kept beside the one chosen; the shop's, no source
MOST_KEPT = 12


@writing
def choose_way(code: str, key: str, by: Person, now: datetime, *, agreed: bool, rush: bool = False) -> None:
    """Choose a way of the comparison: its best part is chosen, and held where it lies on the shelf."""
    demand(by, Deed.QUOTE)
    page = routes_page(code, now)
    found = next((one for one in page.ways if one.weighed.way.key == key), None)
    if found is None or found.weighed.way.why_not:
        raise Invalid("way", key, fact("routes.choose-one-shown"))
    if found.offer:
        members = found.members
        offer = 0 if members else found.offer
        matching.choose_offer(code, offer, by, now, members=members, agreed=agreed, rush=rush)
    else:
        quoting_service.choose_without_part(code, found.weighed.way.kind, by, now)
    _keep_weighed(code, found, page, by, now)
    hold_or_order(code, by, now)
    promise_by(code, found.ready, found.weighed.way.name, by, now, rush=rush)


def _keep_weighed(code: str, chosen: Choosable, page: RoutesPage, by: Person, now: datetime) -> None:
    """Why it was this one, and not the others that were beside it, stays with the job."""
    others = [one.weighed for one in page.ways if one is not chosen]
    told = {
        "chosen": speech().say(chosen.weighed.way.name),
        "standing": chosen.weighed.standing.value,
        "chance": round(100 * chosen.weighed.chance.mean),
        "others": [_beside(one) for one in others[:MOST_KEPT]],
    }
    note(job_store.lock_job(code), EventKind.WEIGHED, told, by=by, now=now)


def _beside(one: Weighed) -> dict[str, object]:
    # said as it was said then, with its amounts
    way = one.way
    return {
        "name": speech().say(way.name),
        "standing": one.standing.value,
        "why": speech().say(way.why_not or one.under or ""),
        "chance": None if way.why_not else round(100 * one.chance.mean),
        "price_minor": None if way.why_not else way.price.minor,
        "currency": way.price.currency,
    }


def hold_or_order(code: str, by: Person, now: datetime) -> None:
    """The chosen part is held where all of it lies on the shelf; else it is written into the next order, once
    the deposit that the shop asks for is there (rule quote.answered).
    """
    job = job_store.lock_job(code)
    if job.stage is not Stage.QUOTED:
        return
    chosen = offers_store.load_offers([job.chosen.offer_id or 0, *job.chosen.more_offers])
    if all(part.free > 0 for part in chosen):
        stock.take_part(code, by, now)
    elif not deposit_open(job).minor:
        orders.order_chosen(job, by, now)


@reading
def deposit_open(job: JobRecord) -> Money:
    """What is still to be paid before the part of a job is ordered; nothing where it is held or here."""
    nothing = Money(minor=0, currency=job.currency)
    if job.stage is not Stage.QUOTED or job.chosen.price_minor is None:
        return nothing
    chosen = offers_store.load_offers([job.chosen.offer_id or 0, *job.chosen.more_offers])
    if all(part.free > 0 for part in chosen):
        return nothing
    asked = deposit_of(Money(minor=job.chosen.price_minor, currency=job.currency), shop().rates.policy)
    left = asked - received(ledger_store.load_payments(job.id), job.currency)
    return left if left.minor > 0 else nothing


def promise_by(
    code: str, ready: datetime, name: Say, by: Person, now: datetime, *, rush: bool = False
) -> None:
    """The promise moves where the chosen way cannot keep it, and forward for a rush (rule quote.promise)."""
    job = job_store.lock_job(code)
    sooner = rush and ready < job.promise_at
    if ready <= job.promise_at and not sooner:
        return
    reason = speech().say(fact("routes.rush-then" if sooner else "routes.ready-then", name=name))
    job_store.save_promise(job.id, ready, reason[:300])
    facts = {"before": job.promise_at.isoformat(), "after": ready.isoformat(), "reason": reason}
    note(job, EventKind.PROMISED, facts, by=by, now=now)


def keep_try(job: JobRecord, now: datetime, *, succeeded: bool) -> None:
    """What became of a route: kept once a round, for those that come after (rule quote.chance)."""
    if job.chosen.route:
        store.add_try(
            job.id, job.bench.attempt, job.chosen.route, job.model_id, job.bench.technician_id, succeeded, now
        )
