"""What finished jobs brought in."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sutura.core.job import Stage
from sutura.store.database import each, reading
from sutura.store.expressions import MODEL_NAME
from sutura.store.tables import CatalogueModel, Job, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class Earned:
    """One finished job as the Book shows it; money in minor units."""

    code: str
    model: str
    technician: str
    finished_at: datetime
    price_minor: int
    tax_bps: int
    currency: str
    cost_minor: int
    bench_minutes: int


_EARNED = (
    Job.select(
        Job.code,
        MODEL_NAME.alias("model"),
        Person.name.alias("technician"),
        Job.finished_at,
        Job.price_minor,
        Job.tax_bps,
        Job.currency,
        Job.cost_minor,
        Job.bench_minutes,
    )
    .join(CatalogueModel)
    .switch(Job)
    .join(Person, on=Job.technician == Person.id)
    .where(Job.stage == Stage.HANDED_BACK.value, Job.finished_at.is_null(False))
)


@reading
def book_page(limit: int = 50) -> list[Earned]:
    return each(Earned, _EARNED.order_by(Job.finished_at.desc()).limit(limit))
