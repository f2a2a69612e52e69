"""Papers with numbers: their rows have no gap, and what was numbered stays."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.errors import NotFound
from sutura.core.handover.invoicing import Invoice, from_json, to_json
from sutura.store.database import each, first, first_value, raw, reading
from sutura.store.handover_tables import Invoice as InvoiceTable
from sutura.store.tables import Job


@dataclass(frozen=True, slots=True, kw_only=True)
class Kept:
    """A paper as it was numbered, for which job."""

    id: int
    code: str
    job_id: int
    corrects_id: int | None
    at: datetime
    paper: Invoice


def _kept(body: Mapping[str, Any], **columns: Any) -> Kept:
    return Kept(paper=from_json(body), **columns)


_KEPT = InvoiceTable.select(
    InvoiceTable.id,
    Job.code,
    InvoiceTable.job.alias("job_id"),
    InvoiceTable.corrects.alias("corrects_id"),
    InvoiceTable.at,
    InvoiceTable.body,
).join(Job)


def next_number(series: str, year: int) -> int:
    """The next number of a row, held until the end of the deed: whoever comes later waits, and gets this one
    where the deed is taken back.
    """
    # an upsert that gives back what it made; peewee cannot say `set last = last + 1 returning`
    found = raw(
        "insert into invoice_series (series, year, last) values (%s, %s, 1) "
        "on conflict (series, year) do update set last = invoice_series.last + 1 returning last",
        series,
        year,
    ).fetchone()
    return int(found[0])


def add_invoice(
    job_id: int,
    paper: Invoice,
    series: str,
    number: int,
    person_id: int,
    at: datetime,
    corrects: int | None = None,
) -> int:
    return int(
        InvoiceTable.insert(
            series=series,
            year=paper.issued.year,
            number=number,
            job=job_id,
            kind=paper.kind.value,
            body=to_json(paper),
            gross_minor=paper.total_minor,
            corrects=corrects,
            person=person_id,
            at=at,
        ).execute()
    )


@reading
def load_invoice(series: str, year: int, number: int) -> Kept:
    """A paper by its number; refuses one that was not given out."""
    found = first(
        _kept,
        _KEPT.where(InvoiceTable.series == series, InvoiceTable.year == year, InvoiceTable.number == number),
    )
    if found is None:
        raise NotFound("invoice", f"{series}{year}-{number:05d}")
    return found


@reading
def invoices_of(job_id: int) -> list[Kept]:
    """The papers of a job, in their order."""
    return each(_kept, _KEPT.where(InvoiceTable.job == job_id).order_by(InvoiceTable.id))


@reading
def papers_page(year: int, before: int, most: int) -> list[Kept]:
    """The papers of a year, the newest first, from one on."""
    query = _KEPT.where(InvoiceTable.year == year)
    if before:
        query = query.where(InvoiceTable.id < before)
    return each(_kept, query.order_by(InvoiceTable.id.desc()).limit(most))


@reading
def earliest_after(invoice_id: int) -> datetime | None:
    """The earliest time of the papers written after one, by the clock of then; None where none was."""
    found: datetime | None = first_value("select min(at) from invoice where id > %s", invoice_id)
    return found


@reading
def all_of(year: int) -> list[Kept]:
    """Every paper of a year, in the order in which they were written."""
    return each(_kept, _KEPT.where(InvoiceTable.year == year).order_by(InvoiceTable.id))
