"""The shop's numbers, changes of price, and the Book."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sutura.core import quoting as rules
from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotFound, StaleSave
from sutura.core.job import STAGE_WORDS, JobRecord
from sutura.core.matching import read_weights, weights_from, weights_kept
from sutura.core.maths.money import Money, amount_text, parse_minor
from sutura.core.people import Deed, demand
from sutura.core.quoting import Margin, margin
from sutura.core.values import Person
from sutura.services.job import note
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import quoting as store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class BookLine:
    earned: store.Earned
    margin: Margin


@reading
def shop() -> store.ShopRecord:
    found = store.load_shop()
    if found is None:
        raise NotFound("shop", "set up")
    return found


@writing
def set_up_shop(name: str, address: str, timezone: str, currency: str) -> bool:
    """Set up the one shop, with rates a manager then changes; False when there is one already."""
    if store.lock_shop() is not None:
        return False
    store.add_shop(
        name=name, address=address, timezone=timezone, currency=currency, bench_rate_minor=7_200, markup_bps=3_500,
        tax_bps=2_000,
    )  # fmt: skip
    return True


@dataclass(frozen=True, slots=True, kw_only=True)
class BookPage:
    """Finished jobs, what they left together, and which device earned most per bench hour."""

    lines: list[BookLine]
    total: Margin | None
    best: str


@reading
def book_page(by: Person) -> BookPage:
    """Finished jobs with what they left; for those who may see cost."""
    demand(by, Deed.SEE_COST)
    lines = [BookLine(earned=earned, margin=margin_of(earned)) for earned in store.book_page()]
    best = max(
        (line for line in lines if line.margin.per_bench_hour), default=None,
        key=lambda line: line.margin.per_bench_hour.minor if line.margin.per_bench_hour else 0,
    )  # fmt: skip
    return BookPage(
        lines=lines, total=rules.together([line.margin for line in lines]) if lines else None,
        best=f"{best.earned.model} ({best.earned.code}) at {best.margin.per_bench_hour}" if best else "",
    )  # fmt: skip


def margin_of(earned: store.Earned) -> Margin:
    return margin(
        Money(minor=earned.price_minor, currency=earned.currency),
        Money(minor=earned.cost_minor, currency=earned.currency),
        earned.bench_minutes, earned.tax_bps,
    )  # fmt: skip


def job_margin(job: JobRecord, by: Person) -> Margin | None:
    """What a closed job left, for those who may see cost; None before it is closed."""
    demand(by, Deed.SEE_COST)
    if job.price_minor is None or job.cost_minor is None or job.tax_bps is None:
        return None
    return margin(
        Money(minor=job.price_minor, currency=job.currency), Money(minor=job.cost_minor, currency=job.currency),
        job.bench_minutes, job.tax_bps,
    )  # fmt: skip


@writing
def change_job_price(code: str, typed: str, reason: str, version: int, by: Person, now: datetime) -> None:
    """Set a job's price by hand: a manager's deed, with its reason kept."""
    demand(by, Deed.SET_PRICE)
    job = job_store.lock_job(code)
    minor = rules.check_price(parse_minor(typed), typed)
    if not reason.strip():
        raise Invalid("price_reason", "", "write why the price changes")
    if job.price_minor is None or not rules.price_may_change(job.stage, job.price_minor):
        raise MoveRefused(code, "take another price", [f"it is {STAGE_WORDS[job.stage]}"])
    if job.version != version:
        raise StaleSave(
            "This job", "someone else", None, {"price": typed},
            {"price": str(Money(minor=job.price_minor, currency=job.currency))},
        )  # fmt: skip
    old, new = (Money(minor=m, currency=job.currency) for m in (job.price_minor, minor))
    note(
        job,
        by=by,
        now=now,
        kind="price",
        says=f"Price changed from {old} to {new}: {reason.strip()}",
        price_minor=minor,
    )


@writing
def change_offer_price(offer_id: int, typed: str, version: int, by: Person, now: datetime) -> None:
    demand(by, Deed.SET_PRICE)
    offer = stock_store.lock_price(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    minor = rules.check_price(parse_minor(typed), typed)
    if offer.version != version:
        was = amount_text(offer.price_minor)
        raise StaleSave("This price", "another manager", None, {"price": typed}, {"price": was})
    stock_store.save_price(offer_id, minor)
    people_store.add_audit(
        by.id, now, "offer price changed", {"offer": offer_id, "before": offer.price_minor, "after": minor}
    )


@writing
def change_weights(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change the weights by which offers are ranked."""
    demand(by, Deed.SET_PRICE)
    before = store.lock_shop()
    if before is None:
        raise NotFound("shop", "set up")
    weights = read_weights(typed, before.bench_rate_minor)
    if before.version != version:
        theirs = {
            name: amount_text(minor) for name, minor in weights_kept(weights_from(before.weights, 0)).items()
        }
        raise StaleSave("The weights", "another manager", None, dict(typed), theirs)
    store.save_shop(weights=weights_kept(weights))
    people_store.add_audit(
        by.id, now, "weights changed", {"before": dict(before.weights), "after": weights_kept(weights)}
    )


_RATES = {
    "bench_rate": ("bench_rate_minor", 100_000), "markup": ("markup_bps", 50_000), "tax": ("tax_bps", 5_000),
}  # fmt: skip


@writing
def change_rates(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change bench rate (per hour), markup and tax (per cent); both percents are kept in basis points."""
    demand(by, Deed.SET_PRICE)
    before = store.lock_shop()
    if before is None:
        raise NotFound("shop", "set up")
    problems, changes = [], {}
    for name, (column, most) in _RATES.items():
        minor = parse_minor(typed.get(name, ""))
        if minor is None or minor > most:
            problems.append(
                Invalid(name, typed.get(name, ""), f"write a number from 0 to {most // 100}, such as 20.00")
            )
        else:
            changes[column] = minor
    if problems:
        raise ManyInvalid(problems)
    if before.version != version:
        theirs = {name: amount_text(getattr(before, column)) for name, (column, _) in _RATES.items()}
        raise StaleSave("The shop's rates", "another manager", None, typed, theirs)
    store.save_shop(**changes)
    people_store.add_audit(by.id, now, "rates changed", changes)
