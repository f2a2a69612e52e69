"""What came back: bound to its job of before, its causes as they were decided, and the terms of the
warranty.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from peewee import JOIN, Select, fn

from sutura.core.facts import Fact, from_json, to_json
from sutura.core.handover.comebacks import Cause, NewPrice, Payer
from sutura.core.handover.warranties import Terms
from sutura.core.job import Stage
from sutura.core.stock.levels import MoveKind
from sutura.store.database import column, each, first, reading, row, rows, written
from sutura.store.expressions import MODEL_NAME
from sutura.store.handover_tables import Comeback, ComebackCause, WarrantyTerms
from sutura.store.stock_tables import StockMove
from sutura.store.tables import CatalogueModel, Job, Offer, Part, Person, Supplier


def add_comeback(job_id: int, of_job_id: int, person_id: int, at: datetime) -> None:
    Comeback.insert(job=job_id, of_job=of_job_id, person=person_id, at=at).execute()


@reading
def came_from(job_id: int) -> str:
    """The code of the job that a job came back from; empty for one that did not."""
    of = Job.select(Job.code).join(Comeback, on=Comeback.of_job == Job.id).where(Comeback.job == job_id)
    return str(next(iter(column(of)), ""))


@written
def _both_ways(job_id: int) -> Select:
    of = Job.alias()
    return (
        Comeback.select(Comeback.job, Job.code, of.code)
        .join(Job, on=Comeback.job == Job.id)
        .switch(Comeback)
        .join(of, on=Comeback.of_job == of.id)
        .where((Comeback.job == job_id) | (Comeback.of_job == job_id))
        .order_by(Comeback.job)
    )


@reading
def came_and_went(job_id: int) -> tuple[str, list[str]]:
    """The code of the job that a job came back from, and those that came back from it."""
    found = rows(_both_ways(job_id))
    before = next((of_code for job, _, of_code in found if job == job_id), "")
    return str(before), [str(code) for job, code, _ in found if job != job_id]


@dataclass(frozen=True, slots=True, kw_only=True)
class Decided:
    """A cause as it was decided, with its evidence."""

    cause: Cause
    payer: Payer
    price: NewPrice
    evidence: Sequence[Fact]
    reason: str
    who: str
    at: datetime


def _decided(cause: str, payer: str, price: str, evidence: Sequence[Any], **columns: Any) -> Decided:
    return Decided(
        cause=Cause(cause),
        payer=Payer(payer),
        price=NewPrice(price),
        evidence=tuple(from_json(one) for one in evidence),
        **columns,
    )


@reading
def causes_of(job_id: int) -> list[Decided]:
    """Every cause that was decided for a comeback; the last one counts."""
    query = (
        ComebackCause.select(
            ComebackCause.cause,
            ComebackCause.payer,
            ComebackCause.price,
            ComebackCause.evidence,
            ComebackCause.reason,
            Person.name.alias("who"),
            ComebackCause.at,
        )
        .join(Person)
        .where(ComebackCause.job == job_id)
        .order_by(ComebackCause.id)
    )
    return each(_decided, query)


def add_cause(
    job_id: int,
    cause: Cause,
    payer: Payer,
    price: NewPrice,
    evidence: Sequence[Fact],
    reason: str,
    person_id: int,
    at: datetime,
) -> None:
    ComebackCause.insert(
        job=job_id,
        cause=cause.value,
        payer=payer.value,
        price=price.value,
        evidence=[to_json(one) for one in evidence],
        reason=reason,
        person=person_id,
        at=at,
    ).execute()


@dataclass(frozen=True, slots=True, kw_only=True)
class TermsRow:
    """The terms of the warranty in one version, since when, and by whom."""

    id: int
    terms: Terms
    at: datetime
    who: str


def _terms(id: int, at: datetime, who: str, **columns: Any) -> TermsRow:
    return TermsRow(id=id, at=at, who=who, terms=Terms(**columns))


_TERMS = WarrantyTerms.select(
    WarrantyTerms.id,
    WarrantyTerms.grades,
    WarrantyTerms.work_days,
    WarrantyTerms.voids,
    WarrantyTerms.at,
    Person.name.alias("who"),
).join(Person)


@reading
def terms_at(at: datetime) -> TermsRow | None:
    """The version in force at a moment; None before the first."""
    return first(_terms, _TERMS.where(WarrantyTerms.at <= at).order_by(WarrantyTerms.id.desc()).limit(1))


@reading
def terms_page(most: int = 20) -> list[TermsRow]:
    """The versions of the terms, the newest first."""
    return each(_terms, _TERMS.order_by(WarrantyTerms.id.desc()).limit(most))


def add_terms(terms: Terms, person_id: int, at: datetime) -> None:
    WarrantyTerms.insert(
        grades=dict(terms.grades), work_days=terms.work_days, voids=terms.voids, person=person_id, at=at
    ).execute()


@reading
def part_came(part_id: int, before: datetime) -> date | None:
    """The day on which a part came last before a moment; None where no receipt is known."""
    receipts = StockMove.select(fn.MAX(StockMove.at)).where(
        StockMove.part == part_id, StockMove.kind == MoveKind.RECEIPT.value, StockMove.at <= before
    )
    found = row(receipts)
    return found[0].date() if found and found[0] else None


@dataclass(frozen=True, slots=True, kw_only=True)
class CameBack:
    """A comeback as the Book counts it: of which job and model, whose work, its last cause, and what it
    cost.
    """

    code: str
    of_code: str
    model: str
    technician: str
    part: str
    supplier: str
    at: datetime
    cause: str | None
    payer: str | None
    cost_minor: int
    bench_minutes: int
    currency: str


@reading
def book_page(since: datetime) -> list[CameBack]:
    """Every comeback since a moment, the newest first, each once with its last cause."""
    of = Job.alias()
    last = ComebackCause.alias()
    newest = last.select(fn.MAX(last.id)).where(last.job == Comeback.job)
    query = (
        Comeback.select(
            Job.code,
            of.code.alias("of_code"),
            MODEL_NAME.alias("model"),
            fn.COALESCE(Person.name, "").alias("technician"),
            fn.COALESCE(Part.name, "").alias("part"),
            fn.COALESCE(Supplier.name, "").alias("supplier"),
            Comeback.at,
            ComebackCause.cause,
            ComebackCause.payer,
            fn.COALESCE(Job.cost_minor, 0).alias("cost_minor"),
            fn.COALESCE(Job.bench_minutes, 0).alias("bench_minutes"),
            Job.currency,
        )
        .join(Job, on=Comeback.job == Job.id)
        .join(CatalogueModel, on=Job.model == CatalogueModel.id)
        .switch(Comeback)
        .join(of, on=Comeback.of_job == of.id)
        .join(Person, JOIN.LEFT_OUTER, on=of.technician == Person.id)
        .switch(Comeback)
        .join(Offer, JOIN.LEFT_OUTER, on=Offer.id == of.offer)
        .join(Part, JOIN.LEFT_OUTER, on=Offer.part == Part.id)
        .switch(Offer)
        .join(Supplier, JOIN.LEFT_OUTER, on=Offer.supplier == Supplier.id)
        .switch(Comeback)
        .join(ComebackCause, JOIN.LEFT_OUTER, on=ComebackCause.id == newest)
        .where(Comeback.at >= since)
        .order_by(Comeback.at.desc())
    )
    return each(CameBack, query)


@reading
def finished_since(since: datetime) -> int:
    """How many jobs were handed back since a moment."""
    return int(Job.select().where(Job.stage == Stage.HANDED_BACK.value, Job.finished_at >= since).count())
