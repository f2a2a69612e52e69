"""The shop's numbers, changes of price, and the Book."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core.bench.partless import Partless, partless_ways
from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid, MoveRefused, NotFound, StaleSave
from sutura.core.facts import Say, fact, to_json
from sutura.core.handover.warranties import work_days_of
from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.layers import has_of
from sutura.core.intake.observations import Layer
from sutura.core.job import SERIAL, Chosen, EventKind, JobRecord, Move, Stage, check_move
from sutura.core.maths.money import Money, amount_text
from sutura.core.people import Deed, demand, may
from sutura.core.planning.queue import expected_minutes
from sutura.core.quoting import pricing as rules
from sutura.core.quoting.margins import Margin, Spent, margin, together
from sutura.core.quoting.policy import Priced, PricePolicy, least_after_discount, price
from sutura.core.quoting.pricing import Rates
from sutura.core.quoting.routes import cannot_be
from sutura.core.quoting.taxes import taxes_from, taxes_kept
from sutura.core.typed import read_choice
from sutura.core.values import Person
from sutura.services import catalogue, comebacks
from sutura.services.job import gather_facts, measured, move, note
from sutura.services.planning import factor_of
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import quoting as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class BookLine:
    earned: store.Earned
    margin: Margin


@dataclass(frozen=True, slots=True, kw_only=True)
class BookPage:
    """Finished jobs, what they left together, and which device earned most per bench hour."""

    lines: list[BookLine]
    total: Margin | None
    best: Say


@reading
def book_page(by: Person) -> BookPage:
    """Finished jobs with what they left; for those who may see cost."""
    demand(by, Deed.SEE_COST)
    rate = shop().bench_rate_minor
    lines = [BookLine(earned=earned, margin=margin_of(earned, rate)) for earned in store.book_page()]
    best = max(
        (line for line in lines if line.margin.per_bench_hour),
        default=None,
        key=lambda line: line.margin.per_bench_hour.minor if line.margin.per_bench_hour else 0,
    )
    return BookPage(
        lines=lines,
        total=together([line.margin for line in lines]) if lines else None,
        best=fact(
            "quoting.at",
            model=best.earned.model,
            code=best.earned.code,
            per_bench_hour=best.margin.per_bench_hour,
        )
        if best
        else "",
    )


def margin_of(earned: store.Earned, rate_minor: int) -> Margin:
    """What a job left, by its ledger (rule quote.margin); `rate_minor` is the shop's for a bench hour."""
    return margin(
        Money(minor=earned.price_minor, currency=earned.currency),
        Money(minor=earned.cost_minor, currency=earned.currency),
        earned.bench_minutes,
        earned.tax_bps,
        taxes_from(earned.taxes, earned.tax_bps),
        Spent(
            less_minor=earned.less_minor,
            consumables_minor=earned.consumables_minor,
            broken_minor=earned.broken_minor,
            rate_minor=rate_minor,
        ),
    )


@reading
def job_margin(job: JobRecord, by: Person) -> Margin | None:
    """What a closed job left, for those who may see cost; None before it is closed."""
    demand(by, Deed.SEE_COST)
    if job.closing.cost_minor is None:
        return None
    return margin_by_code(job.code, by)


@reading
def margin_by_code(code: str, by: Person) -> Margin | None:
    """The same by the job's code."""
    demand(by, Deed.SEE_COST)
    earned = store.earned_of(code)
    return margin_of(earned, shop().bench_rate_minor) if earned else None


@reading
def book_lines(by: Person) -> list[BookLine]:
    """Every finished job with what it left, for its table."""
    demand(by, Deed.SEE_COST)
    rate = shop().bench_rate_minor
    return [BookLine(earned=one, margin=margin_of(one, rate)) for one in store.book_page(None)]


@reading
def may_discount(by: Person) -> bool:
    """Whether somebody may lower a price: who sets prices, and the counter where it has a limit."""
    if may(by, Deed.SET_PRICE):
        return True
    return may(by, Deed.QUOTE) and shop().rates.policy.discount_bps.get(by.role, 0) > 0


@writing
def change_job_price(code: str, typed: str, reason: str, version: int, by: Person, now: datetime) -> None:
    """Set a job's price by hand, with its reason kept: a manager's deed; the counter gives a discount up to
    its limit (rule quote.discount).
    """
    if not may_discount(by):
        demand(by, Deed.SET_PRICE)
    job = job_store.lock_job(code)
    minor = rules.read_price(typed, job.currency)
    if not reason.strip():
        raise Invalid("price_reason", "", fact("quoting.write-why-price-changes"))
    if job.chosen.price_minor is None or not rules.price_may_change(job.stage, job.chosen.price_minor):
        raise MoveRefused(code, fact("job.take-another-price"), [fact("job.it-is", stage=job.stage)])
    if job.version != version:
        raise StaleSave(
            "This job",
            "someone else",
            None,
            {"price": typed},
            {"price": str(Money(minor=job.chosen.price_minor, currency=job.currency))},
        )
    least = least_after_discount(
        Money(minor=job.chosen.price_minor, currency=job.currency), by.role, shop().rates.policy
    )
    raised = minor > job.chosen.price_minor and not may(by, Deed.SET_PRICE)
    if minor < least.minor or raised:
        raise Invalid("price", typed, fact("quoting.within-your-limit", least=least))
    facts = {
        "before_minor": job.chosen.price_minor,
        "after_minor": minor,
        "currency": job.currency,
        "reason": reason.strip(),
    }
    # what the customer was still to answer spoke of the price before
    store.supersede_quotes(job.id)
    note(job, EventKind.PRICE, facts, replace(job.chosen, price_minor=minor), by=by, now=now)


@dataclass(frozen=True, slots=True, kw_only=True)
class Preview:
    """What a price policy would make of a job that was quoted: its price then, by the policy now, and by the
    one looked at.
    """

    code: str
    model: str
    agreed: Money
    now: Money
    then: Priced


@reading
def preview(policy: PricePolicy, by: Person) -> list[Preview]:
    """The last jobs that were quoted, at another policy."""
    demand(by, Deed.SEE_COST)
    current = shop().rates.policy
    found = []
    for quoted in store.quoted_last():
        work = (quoted.cost_minor, quoted.minutes)
        found.append(
            Preview(
                code=quoted.code,
                model=quoted.model,
                agreed=Money(minor=quoted.price_minor, currency=quoted.currency),
                now=price(current, *work, device_class=quoted.device_class).price,
                then=price(policy, *work, device_class=quoted.device_class),
            )
        )
    return found


def quote_without_part(way: Partless, rates: Rates) -> rules.Quote:
    """The price to propose of a way that needs no part: its work."""
    return rules.quote(Money(minor=0, currency=rates.currency), way.minutes, rates)


def partless_of(model: Model, rates: Rates) -> list[tuple[Partless, Money]]:
    """The ways of a model that need no part, each with its price."""
    return [(way, quote_without_part(way, rates).price) for way in partless_ways(model)]


def partless_for(job: JobRecord, model: Model, rates: Rates) -> list[tuple[Partless, Money]]:
    """Of the ways that need no part those that may repair what is wrong with a job's device, as Options has
    them.
    """
    broken, suspected = broken_of(job, model)
    return [
        (way, price)
        for way, price in partless_of(model, rates)
        if not cannot_be(way.kind, broken, suspected, asked=way.kind == SERIAL)
    ]


def broken_of(job: JobRecord, model: Model) -> tuple[list[Layer], list[Layer]]:
    """The layers that are faulty on a job's device, and those that are suspected."""
    found = diagnose(job.arrival.look, has_of(model))
    return [one.layer for one in found.faulty], [one.layer for one in found.suspected]


@writing
def choose_without_part(code: str, kind: str, by: Person, now: datetime, *, at: Money | None = None) -> None:
    """Choose a way that needs no part, agree its price – or the one that was quoted (`at`) – and go on to the
    bench (rule bench.no-part).
    """
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    again = Move.REQUOTE if job.stage is Stage.QUOTED else Move.QUOTE
    ways = {way.kind: way for way in partless_ways(model)}
    check_move(replace(gather_facts(job, model), part_chosen=True, price_agreed=True), again)
    way = ways.get(read_choice(kind, tuple(ways), fact("matching.choose-a-way-without-part")))
    assert way, "refused above"
    # what the customer was still to answer is overtaken, wherever it is chosen
    store.supersede_quotes(job.id)
    rates = shop().rates
    made = quote_without_part(way, rates)
    price = at or comebacks.price_of(job.id, made.price, made.part, made.work)
    chosen = Chosen(
        route=way.kind,
        route_minutes=way.minutes,
        offer_id=None,
        more_offers=[],
        fit="",
        price_minor=price.minor,
        tax_bps=rates.tax_bps,
        extra_minutes=0,
        taxes=taxes_kept(made.taxes),
        # nothing is fitted: the days are those on the work
        warranty_days=work_days_of(comebacks.terms_at(now), model.warranty_days),
    )
    factor = factor_of(job.bench.technician_id, model)
    minutes = expected_minutes(way.minutes, factor, 0)
    work = measured(
        replace(job, stage=Stage.QUOTED, chosen=chosen), replace(job.bench, expected_minutes=minutes)
    )
    facts = {"way": to_json(way.name), "price_minor": price.minor, "currency": rates.currency}
    established = {"part_chosen": True, "price_agreed": True}
    move(job, again, EventKind.NO_PART_NEEDED, facts, chosen, work, by=by, now=now, holds=established)
    move(
        job_store.lock_job(code),
        Move.TAKE_PART,
        EventKind.PART_HELD,
        {"parts": []},
        by=by,
        now=now,
        holds={"part_held": True},
    )


@writing
def change_offer_price(offer_id: int, typed: str, version: int, by: Person, now: datetime) -> None:
    demand(by, Deed.SET_PRICE)
    offer = offers_store.lock_price(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    currency = shop().currency
    minor = rules.read_price(typed, currency)
    if offer.version != version:
        was = amount_text(offer.price_minor, currency)
        raise StaleSave("This price", "another manager", None, {"price": typed}, {"price": was})
    audit_store.stamp_person(by.id)
    offers_store.save_price(offer_id, minor)
    audit_store.add_audit(
        by.id, now, "offer price changed", {"offer": offer_id, "before": offer.price_minor, "after": minor}
    )
