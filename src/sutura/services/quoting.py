"""The shop's numbers, changes of price, and the Book."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core import quoting as rules
from sutura.core.errors import Invalid, MoveRefused, NotFound, StaleSave
from sutura.core.facts import Say, fact
from sutura.core.job import EventKind, JobRecord
from sutura.core.maths.money import Money, amount_text
from sutura.core.people import Deed, demand
from sutura.core.quoting import Margin, margin
from sutura.core.values import Person
from sutura.services.job import note
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
    lines = [BookLine(earned=earned, margin=margin_of(earned)) for earned in store.book_page()]
    best = max(
        (line for line in lines if line.margin.per_bench_hour),
        default=None,
        key=lambda line: line.margin.per_bench_hour.minor if line.margin.per_bench_hour else 0,
    )
    return BookPage(
        lines=lines,
        total=rules.together([line.margin for line in lines]) if lines else None,
        best=fact(
            "quoting.at",
            model=best.earned.model,
            code=best.earned.code,
            per_bench_hour=best.margin.per_bench_hour,
        )
        if best
        else "",
    )


def margin_of(earned: store.Earned) -> Margin:
    return margin(
        Money(minor=earned.price_minor, currency=earned.currency),
        Money(minor=earned.cost_minor, currency=earned.currency),
        earned.bench_minutes,
        earned.tax_bps,
    )


def job_margin(job: JobRecord, by: Person) -> Margin | None:
    """What a closed job left, for those who may see cost; None before it is closed."""
    demand(by, Deed.SEE_COST)
    if job.chosen.price_minor is None or job.closing.cost_minor is None or job.chosen.tax_bps is None:
        return None
    return margin(
        Money(minor=job.chosen.price_minor, currency=job.currency),
        Money(minor=job.closing.cost_minor, currency=job.currency),
        job.closing.bench_minutes,
        job.chosen.tax_bps,
    )


@writing
def change_job_price(code: str, typed: str, reason: str, version: int, by: Person, now: datetime) -> None:
    """Set a job's price by hand: a manager's deed, with its reason kept."""
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
    facts = {
        "before_minor": job.chosen.price_minor,
        "after_minor": minor,
        "currency": job.currency,
        "reason": reason.strip(),
    }
    note(job, EventKind.PRICE, facts, replace(job.chosen, price_minor=minor), by=by, now=now)


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
