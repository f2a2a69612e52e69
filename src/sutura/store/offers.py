"""Offers of parts by suppliers: picked for a need, and their prices over time."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from functools import reduce
from operator import or_
from typing import Any

from peewee import JOIN, SQL, Select, fn

from sutura.core.matching.offers import Measured, Offer
from sutura.core.matching.picking import NEAR_MM, Picking, Span
from sutura.core.stock.pieces import Found, PieceState
from sutura.store.database import Query, Ready, each, first, reading, rows, written
from sutura.store.expressions import FREE, ON_THE_SHELF, or_empty
from sutura.store.stock import measured_from
from sutura.store.stock_tables import Piece
from sutura.store.tables import Offer as OfferTable
from sutura.store.tables import OfferPrice, Part, Reservation, Supplier

_NONE_MEASURED: Mapping[str, Measured] = {}
# free pieces that were found to be less than was bought, by their part (rule stock.less-is-not-it)
_LESS = (
    Piece.select(
        Piece.part.alias("part_id"),
        fn.COUNT(SQL("*")).alias("pieces"),
        fn.STRING_AGG(Piece.found_grade.distinct(), ", ").alias("kept_as"),
    )
    .where(
        Piece.state == PieceState.HERE.value,
        Piece.found == Found.LESS.value,
        Piece.id.not_in(
            Reservation.select(Reservation.piece_id).where(
                Reservation.state == "held", Reservation.piece_id.is_null(False)
            )
        ),
    )
    .group_by(Piece.part)
    .alias("less")
)
# columns by place: hundreds of offers are read for one need
_OFFER = (
    OfferTable.select(
        OfferTable.id,
        OfferTable.part,
        Part.name,
        Part.printed_number,
        Supplier.name,
        Part.grade,
        Part.attributes,
        Part.measured,
        Part.box,
        OfferTable.price_minor,
        OfferTable.lead_days,
        (FREE - fn.COALESCE(_LESS.c.pieces, 0)).alias("free"),
        fn.COALESCE(_LESS.c.pieces, 0),
        or_empty(_LESS.c.kept_as),
        OfferTable.number,
        Supplier.shipping_minor,
        OfferTable.minimum,
        OfferTable.pack,
        OfferTable.price_breaks,
        OfferTable.stock_there,
        OfferTable.guarantee_days,
        OfferTable.returns,
        Supplier.bad,
        Supplier.tried,
    )
    .join(Part)
    .switch(OfferTable)
    .join(Supplier)
    .join(_LESS, JOIN.LEFT_OUTER, on=_LESS.c.part_id == OfferTable.part)
)


def _offer(
    number: int,
    part_id: int,
    part: str,
    printed: str,
    supplier: str,
    grade: str,
    attributes: Mapping[str, Any],
    measured: Mapping[str, Any],
    box: list[str],
    price: int,
    lead: int,
    free: int,
    less: int,
    less_as: str,
    theirs: str,
    shipping: int,
    minimum: int,
    pack: int,
    breaks: list[list[int]],
    there: int | None,
    guarantee: int | None,
    returns: str,
    bad: int,
    tried: int,
) -> Offer:
    return Offer(
        id=number,
        part_id=part_id,
        part=part,
        printed_number=printed,
        supplier=supplier,
        grade=grade,
        attributes=attributes,
        measured={name: measured_from(value) for name, value in measured.items()}
        if measured
        else _NONE_MEASURED,
        box=tuple(box),
        price_minor=price,
        lead_days=lead,
        free=free,
        less=less,
        less_as=less_as,
        number=theirs,
        shipping_minor=shipping,
        minimum=minimum,
        pack=pack,
        price_breaks=tuple((pieces, minor) for pieces, minor in breaks) if breaks else (),
        stock_there=there,
        guarantee_days=guarantee,
        returns=returns,
        supplier_bad=bad,
        supplier_tried=tried,
    )


def _offers(query: Query) -> list[Offer]:
    return [_offer(*columns) for columns in rows(query)]


@written
def _by_id(offer_id: int) -> Select:
    return _OFFER.where(OfferTable.id == offer_id)


@reading
def load_offer(offer_id: int) -> Offer | None:
    return next(iter(_offers(_by_id(offer_id))), None)


@written
def _by_ids(offer_ids: list[int]) -> Select:
    return _OFFER.where(OfferTable.id == fn.ANY(offer_ids))


@reading
def load_offers(offer_ids: Sequence[int]) -> list[Offer]:
    """Several offers, in the order they are asked for."""
    by_id = {offer.id: offer for offer in _offers(_by_ids(list(offer_ids)))}
    return [by_id[offer_id] for offer_id in offer_ids if offer_id in by_id]


@written
def _of_kinds(kinds: list[str], most: int) -> Select:
    of_kind = _OFFER.where(Part.kind == fn.ANY(kinds))
    return of_kind.order_by(OfferTable.price_minor, OfferTable.id).limit(most)


@reading
def offers_of_kinds(kinds: Sequence[str], most: int = 400) -> list[Offer]:
    """The cheapest offers of parts of some kinds, such as adapter flexes and the members of kits."""
    return _offers(_of_kinds(list(kinds), most))


# -- picked for a need ------------------------------------------------------------------------------

# How many offers of each sort are looked at for one need: those whose outline, family and pins may be right,
# those of which something is not known, and those that only come near, to be refused with their reason.
# Cheapest first; the page says when there are more. The shop's, no source.
MAY_FIT, NOT_KNOWN, NEAR = 200, 40, 6


def _of_parts(kind: str, most: int, *conditions: Any, nearest: Sequence[Any] = ()) -> Select:
    """The cheapest offers of the parts of a kind that meet some conditions; with `nearest` only the first of
    the parts in that order are looked at.
    """
    parts = Part.select(Part.id).where(Part.kind == kind, *conditions)
    if nearest:
        parts = parts.order_by(*nearest).limit(most)
    offers = OfferTable.select(OfferTable.id).where(OfferTable.part.in_(parts))
    return offers.order_by(OfferTable.price_minor, OfferTable.id).limit(most)


@written
def _picked(
    kind: str,
    family: str | None,
    pins: Decimal | None,
    least: Decimal | None,
    most: Decimal | None,
    narrowest: Decimal | None,
    widest: Decimal | None,
) -> Select:
    """One small query for each sort of offer, each by an index; all that is judged of what they give."""
    if least is None:
        return _OFFER.where(OfferTable.id.in_(_of_parts(kind, MAY_FIT)))
    fits, by_width = Part.width_mm.between(least, most), (Part.width_mm, Part.family)
    pinned = [] if pins is None else [Part.pins.is_null() | (Part.pins == pins)]
    of_family = [] if family is None else [Part.family == family]
    branches = [_of_parts(kind, MAY_FIT, fits, *of_family, *pinned)]
    no_width, no_family = Part.width_mm.is_null(), Part.family.is_null()
    if family is None:
        branches.append(_of_parts(kind, NOT_KNOWN, no_width, nearest=by_width))
    else:
        branches += [
            _of_parts(kind, NOT_KNOWN, fits, no_family, *pinned),
            _of_parts(kind, NOT_KNOWN, no_width, *of_family, nearest=by_width),
            _of_parts(kind, NOT_KNOWN, no_width, no_family, nearest=by_width),
            _of_parts(kind, NEAR, fits, Part.family != family, nearest=[Part.width_mm]),
        ]
    if pins is not None:
        branches.append(_of_parts(kind, NEAR, fits, *of_family, Part.pins != pins, nearest=[Part.width_mm]))
    wider = (Part.width_mm > most) & (Part.width_mm < widest)
    narrower = (Part.width_mm < least) & (Part.width_mm > narrowest)
    branches += [
        _of_parts(kind, NEAR, wider, nearest=[Part.width_mm]),
        _of_parts(kind, NEAR, narrower, nearest=[Part.width_mm.desc()]),
    ]
    return _OFFER.where(OfferTable.id.in_(reduce(or_, branches)))


def picked(need: Picking) -> Ready:
    """The query for a need: the offers worth judging, however many there are, with all that is judged."""
    if need.width is None:
        return _picked(need.kind, need.family, need.pins, None, None, None, None)
    least, most = need.width.least, need.width.most
    return _picked(need.kind, need.family, need.pins, least, most, least - NEAR_MM, most + NEAR_MM)


@reading
def offers_for(need: Picking) -> list[Offer]:
    return _offers(picked(need))


@written
def _members(
    glass: str,
    panel: str,
    least: Decimal,
    most: Decimal,
    active_least: Decimal,
    active_most: Decimal,
    count: int,
) -> Select:
    glasses = _of_parts(glass, count, Part.width_mm.between(least, most))
    panels = _of_parts(panel, count, Part.active_mm.between(active_least, active_most))
    return _OFFER.where(OfferTable.id.in_(glasses | panels))


@reading
def members_for(glass: str, panel: str, width: Span, active_width: Span, most: int) -> list[Offer]:
    """The cheapest offers of glasses of an outline and of panels of a picture: what a kit could be made
    of.
    """
    members = _members(glass, panel, width.least, width.most, active_width.least, active_width.most, most)
    return _offers(members)


# -- prices -----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferRow:
    id: int
    part_id: int
    part: str
    supplier: str
    number: str
    price_minor: int
    lead_days: int
    version: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceThen:
    at: datetime
    price_minor: int


_PRICE = (
    OfferTable.select(
        OfferTable.id,
        OfferTable.part.alias("part_id"),
        Part.name.alias("part"),
        Supplier.name.alias("supplier"),
        OfferTable.number,
        OfferTable.price_minor,
        OfferTable.lead_days,
        OfferTable.version,
    )
    .join(Part)
    .switch(OfferTable)
    .join(Supplier)
)


@reading
def price_page() -> list[OfferRow]:
    return each(OfferRow, _PRICE.where(ON_THE_SHELF).order_by(Part.name, OfferTable.price_minor).limit(500))


@reading
def load_price(offer_id: int) -> OfferRow | None:
    return first(OfferRow, _PRICE.where(OfferTable.id == offer_id))


def lock_price(offer_id: int) -> OfferRow | None:
    return first(OfferRow, _PRICE.where(OfferTable.id == offer_id).for_update(of=OfferTable))


def save_price(offer_id: int, price_minor: int) -> None:
    OfferTable.update(price_minor=price_minor, version=OfferTable.version + 1).where(
        OfferTable.id == offer_id
    ).execute()


@reading
def price_history(offer_id: int) -> list[PriceThen]:
    """Every price an offer ever had, newest first."""
    prices = OfferPrice.select(OfferPrice.at, OfferPrice.price_minor).where(OfferPrice.offer == offer_id)
    return each(PriceThen, prices.order_by(OfferPrice.id.desc()).limit(200))
