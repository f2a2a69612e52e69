"""The shop's own numbers, and what finished jobs brought in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.quoting import Rates
from sutura.store.database import reading, row, rows
from sutura.store.tables import Shop


@dataclass(frozen=True, slots=True, kw_only=True)
class ShopRecord:
    name: str
    address: str
    timezone: str
    currency: str
    bench_rate_minor: int
    markup_bps: int
    tax_bps: int
    version: int
    cups_mm: tuple[int, ...]
    weights: Mapping[str, int]

    @property
    def rates(self) -> Rates:
        return Rates(
            currency=self.currency, bench_rate_minor=self.bench_rate_minor, markup_bps=self.markup_bps,
            tax_bps=self.tax_bps,
        )  # fmt: skip


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


_SHOP = "select name, address, timezone, currency, bench_rate_minor, markup_bps, tax_bps, version, cups_mm, weights from shop where id = 1"


def _shop(cups_mm: list[int], **columns: Any) -> ShopRecord:
    return ShopRecord(cups_mm=tuple(cups_mm), **columns)


@reading
def load_shop() -> ShopRecord | None:
    return row(_shop, _SHOP)


def lock_shop() -> ShopRecord | None:
    return row(_shop, _SHOP + " for update")


def add_shop(**columns: Any) -> None:
    Shop.insert(id=1, version=1, **columns).execute()


def save_shop(**changes: Any) -> None:
    Shop.update(version=Shop.version + 1, **changes).where(Shop.id == 1).execute()


@reading
def book_page(limit: int = 50) -> list[Earned]:
    return rows(
        Earned,
        "select code, model.maker || ' ' || model.name as model, person.name as technician, finished_at, price_minor,"
        " job.tax_bps, currency, cost_minor, bench_minutes from job join model on model.id = model_id"
        " join person on person.id = technician_id"
        " where stage = 'handed_back' and finished_at is not null order by finished_at desc limit %s",
        limit,
    )
