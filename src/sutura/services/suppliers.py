"""Suppliers: how good they are, how they deliver, what they gave back, and what they ask of an order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from sutura.core.errors import NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.people import Deed, demand
from sutura.core.stock import suppliers as rules
from sutura.core.stock.reordering import read_wants, wants_texts
from sutura.core.values import Person
from sutura.services.reordering import YEAR
from sutura.services.shop import lock_for, shop
from sutura.store import audit as audit_store
from sutura.store import orders as orders_store
from sutura.store import returns as returns_store
from sutura.store import shop as shop_store
from sutura.store import suppliers as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplierLine:
    """A supplier with its record: quality, days of its deliveries, and money owed and given back."""

    supplier: store.SupplierRow
    quality: rules.Quality
    days: tuple[float, ...]
    # what it owes now; what it was asked for and gave of returns that ended
    owes_minor: int
    asked_minor: int
    refunded_minor: int
    prices: rules.PriceTrend

    @property
    def days_mean(self) -> float | None:
        return sum(self.days) / len(self.days) if self.days else None


@reading
def suppliers_page(by: Person, now: datetime) -> list[SupplierLine]:
    demand(by, Deed.ORDER)
    found = store.suppliers_page()
    judged = rules.judge_suppliers({each.id: (each.bad, each.tried) for each in found})
    delivered = orders_store.delivered_days(now - YEAR)
    returned = returns_store.returns_by_supplier()
    prices = store.prices_seen(now - YEAR, now)
    return [
        SupplierLine(
            supplier=each,
            quality=judged[each.id],
            days=tuple(delivered.get(each.id, [])),
            owes_minor=returned.get(each.id, (0, 0, 0))[0],
            asked_minor=returned.get(each.id, (0, 0, 0))[1],
            refunded_minor=returned.get(each.id, (0, 0, 0))[2],
            prices=rules.price_trend(prices.get(each.id, [])),
        )
        for each in found
    ]


@writing
def change_wants(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change what the shop wants of its shelf."""
    lock_for(by, Deed.ORDER)
    before = shop_store.load_keeping()
    after = read_wants(typed, before.currency)
    texts = wants_texts(before, before.currency)
    if before.version != version:
        raise StaleSave(fact("orders.the-numbers-of-the-shelf"), "", None, dict(typed), texts)
    shop_store.save_shop(
        fill_percent=after.fill_percent,
        order_cost_minor=after.order_cost_minor,
        keeping_percent=after.keeping_percent,
        ageing_percent=after.ageing_percent,
        pieces_from_minor=after.pieces_from_minor,
    )
    audit_store.add_audit(
        by.id, now, "shelf numbers changed", {"before": texts, "after": wants_texts(after, before.currency)}
    )


@writing
def change_terms(supplier_id: str, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Change what a supplier asks of an order."""
    demand(by, Deed.ORDER)
    if store.load_supplier(supplier_id) is None:
        raise NotFound("supplier", supplier_id)
    store.lock_supplier(supplier_id)
    currency = shop().currency
    before, after = store.load_terms(supplier_id), rules.read_terms(typed, currency)
    store.save_terms(supplier_id, after)
    audit_store.add_audit(
        by.id,
        now,
        "terms changed",
        {
            "supplier": supplier_id,
            "before": rules.terms_texts(before, currency),
            "after": rules.terms_texts(after, currency),
        },
    )
