"""The shop's own numbers."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

from peewee import Select

from sutura.core.errors import NotFound
from sutura.core.quoting.pricing import Rates
from sutura.core.shop import OpenHours, hours_from
from sutura.core.stock.reordering import ShelfWants
from sutura.store.database import column, first, reading, written
from sutura.store.tables import Draft, FormKey, LoginSession, PackPreview, Photo, PriceList, Shop, SignInTry

ROOM = Decimal(22)


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
    room_c: Decimal
    price_policy: Mapping[str, Any]
    stations: Mapping[str, int]
    planning: Mapping[str, int]
    second_look: str
    invoicing: Mapping[str, Any]
    telling: Mapping[str, Any]
    weights: Mapping[str, int]
    hours: Mapping[str, Any]

    @property
    def open_hours(self) -> OpenHours:
        return _open_hours(self.timezone, json.dumps(self.hours, sort_keys=True))

    @property
    def rates(self) -> Rates:
        return Rates(
            currency=self.currency,
            bench_rate_minor=self.bench_rate_minor,
            markup_bps=self.markup_bps,
            tax_bps=self.tax_bps,
            kept=self.price_policy,
        )


@lru_cache(maxsize=8)
def _open_hours(timezone: str, kept: str) -> OpenHours:
    """Hours that were read before are the same ones, and remember what they were asked."""
    return hours_from(json.loads(kept), ZoneInfo(timezone))


def _shop(cups_mm: list[int], **columns: Any) -> ShopRecord:
    return ShopRecord(cups_mm=tuple(cups_mm), **columns)


_SHOP = Shop.select(
    Shop.name,
    Shop.address,
    Shop.timezone,
    Shop.currency,
    Shop.bench_rate_minor,
    Shop.markup_bps,
    Shop.tax_bps,
    Shop.version,
    Shop.cups_mm,
    Shop.room_c,
    Shop.price_policy,
    Shop.stations,
    Shop.planning,
    Shop.second_look,
    Shop.invoicing,
    Shop.telling,
    Shop.weights,
    Shop.hours,
).where(Shop.id == 1)


@written
def _the_shop() -> Select:
    return _SHOP


@written
def _room() -> Select:
    return Shop.select(Shop.room_c).where(Shop.id == 1)


@reading
def room_c() -> Decimal:
    """How warm the workshop is, in °C."""
    return next(iter(column(_room())), ROOM)


@reading
def load_shop() -> ShopRecord | None:
    return first(_shop, _the_shop())


@dataclass(frozen=True, slots=True, kw_only=True)
class Keeping(ShelfWants):
    """What the shop wants of its shelf, with its currency and zone."""

    currency: str
    timezone: str
    version: int

    def day(self, at: datetime) -> date:
        """The shop's day at a moment."""
        return at.astimezone(ZoneInfo(self.timezone)).date()


@reading
def load_keeping() -> Keeping:
    keeping = first(
        Keeping,
        Shop.select(
            Shop.fill_percent,
            Shop.order_cost_minor,
            Shop.keeping_percent,
            Shop.ageing_percent,
            Shop.pieces_from_minor,
            Shop.currency,
            Shop.timezone,
            Shop.version,
        ).where(Shop.id == 1),
    )
    if keeping is None:
        raise NotFound("shop", "set up")
    return keeping


def lock_shop() -> ShopRecord | None:
    return first(_shop, _SHOP.for_update())


def add_shop(**columns: Any) -> None:
    Shop.insert(id=1, version=1, **columns).execute()


def save_shop(**changes: Any) -> None:
    Shop.update(version=Shop.version + 1, **changes).where(Shop.id == 1).execute()


def throw_away(
    drafts_before: datetime, traces_before: datetime, lists_before: datetime, now: datetime
) -> dict[str, int]:
    """Throw away what is of no use any more, and say how much of each: drafts with their photos, keys of
    forms, tries to sign in, packs looked at, sessions that are over, price lists that nobody is reading.
    """
    gone = {
        "photos": Photo.delete().where(
            Photo.job.is_null(),
            Photo.draft_id.in_(Draft.select(Draft.id).where(Draft.saved_at < drafts_before)),
        ),
        "drafts": Draft.delete().where(Draft.saved_at < drafts_before),
        "keys of forms": FormKey.delete().where(FormKey.at < traces_before),
        "tries": SignInTry.delete().where(SignInTry.at < traces_before),
        "looks": PackPreview.delete().where(PackPreview.at < traces_before),
        "price lists": PriceList.delete().where(
            PriceList.at < lists_before, PriceList.state.not_in(["sent", "checking", "reading"])
        ),
        "sessions": LoginSession.delete().where(LoginSession.expires_at < now),
    }
    return {what: int(query.execute()) for what, query in gone.items()}


def forget_after(moment: datetime) -> dict[str, int]:
    """Forget what says it is of after a moment and is of use only while that is believed: sessions, wrong
    tries; how much of each.
    """
    gone = {
        "sessions": LoginSession.delete().where(LoginSession.created_at > moment),
        "tries": SignInTry.delete().where(SignInTry.at > moment),
    }
    return {what: int(query.execute()) for what, query in gone.items()}
