"""Suppliers, and how their price lists are read."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, fields
from datetime import datetime
from typing import Any

from peewee import SQL, Case, Select, Value, fn

from sutura.core.errors import NotFound
from sutura.core.stock.suppliers import PriceSeen, Terms
from sutura.store.database import each, first, reading, rows
from sutura.store.expressions import ON_THE_SHELF
from sutura.store.tables import Offer, OfferPrice, Part, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplierRow:
    id: str
    name: str
    mapping: Mapping[str, str]
    kind_words: Mapping[str, str]
    offers: int
    tried: int
    bad: int


_FIELDS = (Supplier.id, Supplier.name, Supplier.mapping, Supplier.kind_words, Supplier.tried, Supplier.bad)
_OFFERS = Offer.select(fn.COUNT(SQL("*"))).where(Offer.supplier == Supplier.id)


@reading
def suppliers_page() -> list[SupplierRow]:
    return each(SupplierRow, Supplier.select(*_FIELDS, _OFFERS.alias("offers")).order_by(Supplier.name))


@reading
def names() -> list[tuple[str, str]]:
    """Every supplier by its id and name, as a form lists them."""
    return rows(Supplier.select(Supplier.id, Supplier.name).order_by(Supplier.name, Supplier.id))


@reading
def counts() -> list[tuple[int, int]]:
    """Of every supplier how many pieces were bad, and how many were tried."""
    return rows(Supplier.select(Supplier.bad, Supplier.tried))


@reading
def prices_seen(since: datetime, now: datetime) -> dict[str, list[PriceSeen]]:
    """Of each supplier the articles that the shop keeps: at what price they were offered at a moment, or when
    they were first seen after it, and at what they are offered now.
    """
    before = OfferPrice.at <= since
    then = (
        OfferPrice.select(OfferPrice.offer, OfferPrice.price_minor, OfferPrice.at)
        .distinct(OfferPrice.offer)
        .order_by(OfferPrice.offer, before.desc(), Case(None, [(before, OfferPrice.id * -1)], OfferPrice.id))
        .alias("then")
    )
    found = (
        Offer.select(Offer.supplier, then.c.price_minor, Offer.price_minor, then.c.at)
        .join(Part)
        .switch(Offer)
        .join(then, on=Offer.id == then.c.offer_id)
        .where(ON_THE_SHELF)
    )
    seen: dict[str, list[PriceSeen]] = {}
    for supplier, then_minor, now_minor, at in rows(found):
        days = (now - max(at, since)).total_seconds() / 86_400
        article = PriceSeen(then_minor=then_minor, now_minor=now_minor, days=days)
        seen.setdefault(supplier, []).append(article)
    return seen


@reading
def load_supplier(supplier_id: str) -> SupplierRow | None:
    named = Supplier.select(*_FIELDS, Value(0).alias("offers")).where(Supplier.id == supplier_id)
    return first(SupplierRow, named)


def add_supplier(supplier_id: str, name: str) -> SupplierRow:
    Supplier.insert(
        id=supplier_id, name=name, shipping_minor=0, mapping={}, kind_words={}, tried=0, bad=0
    ).execute()
    return SupplierRow(id=supplier_id, name=name, mapping={}, kind_words={}, offers=0, tried=0, bad=0)


def save_mapping(supplier_id: str, mapping: Mapping[str, str]) -> None:
    Supplier.update(mapping=dict(mapping)).where(Supplier.id == supplier_id).execute()


def save_words(supplier_id: str, words: Mapping[str, str]) -> None:
    """What this supplier's words for kinds are here, kept for its next list."""
    Supplier.update(kind_words=dict(words)).where(Supplier.id == supplier_id).execute()


# -- how a supplier sells -----------------------------------------------------------------------------


@reading
def all_terms() -> dict[str, Terms]:
    """What every supplier asks of an order."""
    terms = Supplier.select(
        Supplier.id,
        Supplier.shipping_minor,
        Supplier.least_order_minor,
        Supplier.free_from_minor,
        Supplier.return_days,
        Supplier.takes,
    )
    return {supplier_id: Terms(**columns) for supplier_id, columns in _by_id(terms)}


def _by_id(query: Select) -> Iterator[tuple[str, dict[str, Any]]]:
    for columns in query.dicts():
        yield columns.pop("id"), columns


@reading
def load_terms(supplier_id: str) -> Terms:
    terms = first(
        Terms,
        Supplier.select(
            Supplier.shipping_minor,
            Supplier.least_order_minor,
            Supplier.free_from_minor,
            Supplier.return_days,
            Supplier.takes,
        ).where(Supplier.id == supplier_id),
    )
    if terms is None:
        raise NotFound("supplier", supplier_id)
    return terms


def lock_supplier(supplier_id: str) -> None:
    """One draft of a supplier at a time."""
    Supplier.select(Supplier.id).where(Supplier.id == supplier_id).for_update().execute()


def save_terms(supplier_id: str, terms: Terms) -> None:
    Supplier.update(**{field.name: getattr(terms, field.name) for field in fields(Terms)}).where(
        Supplier.id == supplier_id
    ).execute()


def count_bad(supplier_id: str, pieces: int) -> None:
    """Pieces of a supplier that were bad when its parcel was opened; what reaches the bench is counted by
    what is learned there (a trigger).
    """
    if pieces:
        Supplier.update(tried=Supplier.tried + pieces, bad=Supplier.bad + pieces).where(
            Supplier.id == supplier_id
        ).execute()


def count_failed(supplier_id: str, pieces: int) -> None:
    """Pieces of a supplier that failed after they had been counted as good; below zero where that is taken
    back.
    """
    bad = fn.LEAST(fn.GREATEST(Supplier.bad + pieces, 0), Supplier.tried)
    Supplier.update(bad=bad).where(Supplier.id == supplier_id).execute()


@reading
def supplier_of(offer_id: int) -> str:
    """Whose an offer is."""
    supplier_id: str = Offer.select(Offer.supplier).where(Offer.id == offer_id).scalar()
    return supplier_id
