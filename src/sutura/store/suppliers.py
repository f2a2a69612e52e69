"""Suppliers, and how their price lists are read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from peewee import SQL, Value, fn

from sutura.store.database import each, first, reading
from sutura.store.tables import Offer, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplierRow:
    id: str
    name: str
    mapping: Mapping[str, str]
    offers: int
    tried: int
    bad: int


_FIELDS = (Supplier.id, Supplier.name, Supplier.mapping, Supplier.tried, Supplier.bad)
_OFFERS = Offer.select(fn.COUNT(SQL("*"))).where(Offer.supplier == Supplier.id)


@reading
def suppliers_page() -> list[SupplierRow]:
    return each(SupplierRow, Supplier.select(*_FIELDS, _OFFERS.alias("offers")).order_by(Supplier.name))


@reading
def load_supplier(supplier_id: str) -> SupplierRow | None:
    named = Supplier.select(*_FIELDS, Value(0).alias("offers")).where(Supplier.id == supplier_id)
    return first(SupplierRow, named)


def add_supplier(supplier_id: str, name: str) -> SupplierRow:
    Supplier.insert(id=supplier_id, name=name, shipping_minor=0, mapping={}, tried=0, bad=0).execute()
    return SupplierRow(id=supplier_id, name=name, mapping={}, offers=0, tried=0, bad=0)


def save_mapping(supplier_id: str, mapping: Mapping[str, str]) -> None:
    Supplier.update(mapping=dict(mapping)).where(Supplier.id == supplier_id).execute()
