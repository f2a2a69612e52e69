"""What finished jobs brought in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import Select, fn

from sutura.core.handover.ledger import PaidFor
from sutura.core.job import Stage
from sutura.core.quoting.answers import QuoteRecord, QuoteState, ways_from
from sutura.core.quoting.routes import Tried
from sutura.core.stock.levels import MoveKind
from sutura.store.database import each, first, reading, rows, written
from sutura.store.expressions import MODEL_NAME
from sutura.store.handover_tables import Payment
from sutura.store.stock_tables import Consumable, ConsumableMove, StockMove
from sutura.store.tables import CatalogueModel, Job, Offer, Person, Quote, RouteTry


@dataclass(frozen=True, slots=True, kw_only=True)
class Quoted:
    """A job that was quoted, with what its part costs and how long its work takes; money in minor units."""

    code: str
    model: str
    device_class: str
    cost_minor: int
    minutes: int
    price_minor: int
    currency: str


_QUOTED = (
    Job.select(
        Job.code,
        MODEL_NAME.alias("model"),
        CatalogueModel.device_class,
        Offer.price_minor.alias("cost_minor"),
        (Job.route_minutes + Job.extra_minutes).alias("minutes"),
        Job.price_minor,
        Job.currency,
    )
    .join(CatalogueModel)
    .switch(Job)
    .join(Offer)
    .where(Job.price_minor.is_null(False))
    .order_by(Job.id.desc())
)


@reading
def quoted_last(limit: int = 8) -> list[Quoted]:
    """The jobs quoted last that have a part."""
    return each(Quoted, _QUOTED.limit(limit))


@dataclass(frozen=True, slots=True, kw_only=True)
class Earned:
    """One finished job as the Book shows it; money in minor units."""

    code: str
    model: str
    technician: str
    # None = closed, and not handed back yet
    finished_at: datetime | None
    price_minor: int
    tax_bps: int
    taxes: Mapping[str, Any]
    currency: str
    cost_minor: int
    bench_minutes: int
    # what of the price was let go, what tape, glue and wipes cost, and the pieces that broke on the job
    less_minor: int
    consumables_minor: int
    broken_minor: int


_LET_GO = Payment.select(fn.COALESCE(fn.SUM(Payment.amount_minor), 0)).where(
    Payment.job == Job.id,
    Payment.kind.in_([PaidFor.CREDIT.value, PaidFor.WRITTEN_OFF.value, PaidFor.ROUNDING.value]),
)
# by what a pack holds and costs; what nobody wrote costs nothing
_USED_UP = (
    ConsumableMove.select(
        fn.COALESCE(
            fn.ROUND(fn.SUM(ConsumableMove.quantity * Consumable.price_minor / Consumable.holds * -1)), 0
        ).cast("bigint")
    )
    .join(Consumable)
    .where(ConsumableMove.job == Job.id, ConsumableMove.kind == "used")
)
_BROKE = StockMove.select(fn.COALESCE(fn.SUM(StockMove.value_minor * -1), 0).cast("bigint")).where(
    StockMove.job == Job.id, StockMove.kind == MoveKind.BROKEN.value
)
_EARNED = (
    Job.select(
        Job.code,
        MODEL_NAME.alias("model"),
        Person.name.alias("technician"),
        Job.finished_at,
        Job.price_minor,
        Job.tax_bps,
        Job.taxes,
        Job.currency,
        Job.cost_minor,
        Job.bench_minutes,
        _LET_GO.alias("less_minor"),
        _USED_UP.alias("consumables_minor"),
        _BROKE.alias("broken_minor"),
    )
    .join(CatalogueModel)
    .switch(Job)
    .join(Person, on=Job.technician == Person.id)
)
_FINISHED = _EARNED.where(Job.stage == Stage.HANDED_BACK.value, Job.finished_at.is_null(False))


@written
def _tries(family: str) -> Select:
    good = fn.COUNT(RouteTry.id).filter(RouteTry.succeeded)
    tries = RouteTry.select(RouteTry.route, RouteTry.technician, good, fn.COUNT(RouteTry.id))
    of_family = tries.join(CatalogueModel).where(CatalogueModel.procedure_family == family)
    return of_family.group_by(RouteTry.route, RouteTry.technician)


@reading
def tries_of(family: str, technician_id: int | None = None) -> dict[str, Tried]:
    """What this shop's tries of each route came to, on models that are opened by the same steps; and of
    these, those of one technician.
    """
    tried: dict[str, Tried] = {}
    for route, technician, succeeded, tries in rows(_tries(family)):
        before = tried.get(route, Tried())
        own = technician is not None and technician == technician_id
        tried[route] = Tried(
            succeeded=before.succeeded + int(succeeded),
            tries=before.tries + int(tries),
            own_succeeded=before.own_succeeded + int(succeeded) * own,
            own_tries=before.own_tries + int(tries) * own,
        )
    return tried


def add_try(
    job_id: int,
    attempt: int,
    route: str,
    model_id: str,
    technician_id: int | None,
    succeeded: bool,
    at: datetime,
) -> None:
    """What became of a route in a round; the first word on a round counts."""
    RouteTry.insert(
        job=job_id,
        attempt=attempt,
        route=route,
        model=model_id,
        technician=technician_id,
        succeeded=succeeded,
        at=at,
    ).on_conflict_ignore().execute()


def _record(
    routes: list[dict[str, Any]], conditions: list[str], currency: str, state: str, **columns: Any
) -> QuoteRecord:
    return QuoteRecord(
        ways=ways_from(routes, currency), conditions=tuple(conditions), state=QuoteState(state), **columns
    )


_QUOTE = (
    Quote.select(
        Quote.id,
        Quote.job.alias("job_id"),
        Job.code,
        MODEL_NAME.alias("model"),
        Quote.version,
        Quote.routes,
        Quote.conditions,
        Quote.currency,
        Quote.state,
        Quote.answer,
        Quote.answered_at,
        Quote.answered_by,
        Quote.valid_until,
        Quote.person.alias("person_id"),
        Quote.at,
        Quote.found,
    )
    .join(Job)
    .join(CatalogueModel)
)


@reading
def quote_by_link(link: str) -> QuoteRecord | None:
    return first(_record, _QUOTE.where(Quote.link == link))


@written
def _asked(job_id: int) -> Select:
    return _QUOTE.where(Quote.job == job_id, Quote.found != "").order_by(Quote.version.desc()).limit(1)


@reading
def asked_of(job_id: int) -> QuoteRecord | None:
    """What was found during the work and asked about last."""
    return first(_record, _asked(job_id))


@reading
def quotes_of(job_id: int) -> list[QuoteRecord]:
    return each(_record, _QUOTE.where(Quote.job == job_id).order_by(Quote.version.desc()))


def supersede_quotes(job_id: int) -> None:
    """What is open of a job is replaced, or overtaken by a choice."""
    Quote.update(state=QuoteState.SUPERSEDED.value).where(
        Quote.job == job_id, Quote.state == QuoteState.OPEN.value
    ).execute()


def add_quote(job_id: int, **columns: Any) -> int:
    """A new version of a job's quote; its number."""
    newest = Quote.select(fn.COALESCE(fn.MAX(Quote.version), 0)).where(Quote.job == job_id).scalar()
    version = int(newest) + 1
    kept = {("person" if name == "person_id" else name): value for name, value in columns.items()}
    Quote.insert(
        job=job_id, version=version, state=QuoteState.OPEN.value, answer="", answered_by="", **kept
    ).execute()
    return version


def answer_quote(quote_id: int, state: str, answer: str, at: datetime, by: str) -> None:
    Quote.update(state=state, answer=answer, answered_at=at, answered_by=by).where(
        Quote.id == quote_id
    ).execute()


@reading
def book_page(limit: int | None = 50) -> list[Earned]:
    """Finished jobs, the newest first; all of them without a limit."""
    found = _FINISHED.order_by(Job.finished_at.desc(), Job.id.desc())
    return each(Earned, found if limit is None else found.limit(limit))


@reading
def earned_of(code: str) -> Earned | None:
    """What one closed job brought in; None before it is closed."""
    closed = _EARNED.where(Job.code == code, Job.cost_minor.is_null(False), Job.price_minor.is_null(False))
    return first(Earned, closed)
