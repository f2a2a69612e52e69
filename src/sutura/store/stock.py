"""Parts, offers, reservations and the ledger."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from sutura.core.errors import NotFound
from sutura.core.matching import Measured, Offer
from sutura.core.stock import Level
from sutura.store.database import DATABASE, insert, reading, row, rows, value
from sutura.store.tables import Reservation, StockMove


@dataclass(frozen=True, slots=True, kw_only=True)
class PartRow:
    """A part on the shelf. `cost_minor` is the lowest offer, for those who may see it."""

    id: int
    barcode: str
    name: str
    bin: str
    printed_number: str
    grade: str
    on_hand: int
    held: int
    cost_minor: int | None

    @property
    def free(self) -> int:
        return self.on_hand - self.held


@dataclass(frozen=True, slots=True, kw_only=True)
class LedgerLine:
    at: datetime
    who: str
    quantity: int
    kind: str
    note: str
    job: str


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
class Held:
    """A held reservation of a job."""

    id: int
    part_id: int
    part: str


_PARTS = """
select part.id, barcode, part.name, bin, printed_number, grade, on_hand, held,
       (select min(price_minor) from offer where offer.part_id = part.id) as cost_minor
from part
"""


@reading
def shelf_page() -> list[PartRow]:
    return rows(
        PartRow,
        _PARTS
        # what a price list offers and was never here is no part of the shelf
        + " where pack not like 'list:%%'"
        " order by substring(bin from '^[^0-9]*'), substring(bin from '[0-9]+')::numeric nulls first, bin, part.name limit 500",
    )


@reading
def load_part(barcode: str) -> PartRow:
    found = row(PartRow, _PARTS + " where barcode = %s", barcode)
    if found is None:
        raise NotFound("part", barcode)
    return found


@reading
def find_by_gtin(gtin: str) -> tuple[str, str] | None:
    """Barcode and name of the part with an article number; EAN and UPC with zeros before are the same number."""
    found: tuple[str, str] | None = DATABASE.execute_sql(
        "select barcode, name from part where gtin <> '' and lpad(gtin, 14, '0') = lpad(%s, 14, '0')", (gtin,)
    ).fetchone()
    return found


@reading
def find_by_printed(plain: str, *, begins: bool = False) -> list[tuple[str, str, str]]:
    """Barcode, name and printed number of parts by their printed number as plain text, or by how it begins."""
    if not plain:
        return []
    printed = "upper(regexp_replace(printed_number, '[^A-Za-z0-9]', '', 'g'))"
    test = f"{printed} like %s || '%%'" if begins else f"{printed} = %s"
    return list(
        DATABASE.execute_sql(
            f"select barcode, name, printed_number from part where {test} order by barcode limit 20",
            (plain.replace("|", ""),),
        )
    )


@reading
def barcodes(part_ids: Sequence[int]) -> dict[int, str]:
    return dict(DATABASE.execute_sql("select id, barcode from part where id = any(%s)", (list(part_ids),)))


@reading
def ledger_page(part_id: int) -> list[LedgerLine]:
    return rows(
        LedgerLine,
        "select stock_move.at, person.name as who, quantity, kind, stock_move.note, coalesce(job.code, '') as job"
        " from stock_move join person on person.id = stock_move.person_id left join job on job.id = stock_move.job_id"
        " where stock_move.part_id = %s order by stock_move.id desc limit 50",
        part_id,
    )


@reading
def holders_of(part_id: int) -> list[str]:
    found = DATABASE.execute_sql(
        "select code from reservation join job on job.id = job_id where part_id = %s and state = 'held' order by code",
        (part_id,),
    )
    return [code for (code,) in found]


@reading
def holders_by_part(part_ids: Sequence[int]) -> dict[int, tuple[str, ...]]:
    """The jobs that hold pieces of several parts, in one read."""
    found = DATABASE.execute_sql(
        "select part_id, array_agg(code order by code) from reservation join job on job.id = job_id"
        " where part_id = any(%s) and state = 'held' group by part_id",
        (list(part_ids),),
    )
    return {part_id: tuple(codes) for part_id, codes in found}


def lock_level(part_id: int) -> Level:
    """A part's stock, locked until the transaction ends."""
    found = DATABASE.execute_sql(
        "select name, on_hand from part where id = %s for update", (part_id,)
    ).fetchone()
    if found is None:
        raise NotFound("part", part_id)
    return Level(part=found[0], on_hand=found[1], holders=tuple(holders_of(part_id)))


_HELD = (
    "select reservation.id, part_id, part.name as part from reservation join part on part.id = part_id"
    " where job_id = %s and state = 'held' order by reservation.id"
)


@reading
def load_held(job_id: int) -> Held | None:
    """What a job holds: its part, or the first of its several."""
    return row(Held, _HELD, job_id)


@reading
def held_of(job_id: int) -> list[Held]:
    """Everything a job holds: one part, or those of a kit and its bridge."""
    return rows(Held, _HELD, job_id)


def add_reservation(part_id: int, job_id: int, person_id: int, at: datetime) -> None:
    insert(Reservation, [{"part": part_id, "job": job_id, "state": "held", "person": person_id, "at": at}])


def save_reservation(reservation_id: int, state: str) -> None:
    DATABASE.execute_sql("update reservation set state = %s where id = %s", (state, reservation_id))


def adopt_part(part_id: int) -> None:
    """A part of a price list that is here now is the shop's own: the list changes its price only."""
    DATABASE.execute_sql("update part set pack = '' where id = %s and pack like 'list:%%'", (part_id,))


def add_stock_move(**columns: Any) -> None:
    insert(StockMove, [columns])


def latest_cost(part_id: int) -> int | None:
    """What the newest receipt of a part cost; None when none says."""
    found: int | None = value(
        "select unit_cost_minor from stock_move where part_id = %s and kind = 'receipt' and unit_cost_minor is not null"
        " order by id desc limit 1",
        part_id,
    )
    return found


# -- offers ---------------------------------------------------------------------------------


def _offer(*columns: Any) -> Offer:
    (
        number, part_id, part, printed, supplier, grade, attributes, measured, box, price, lead, free, theirs, shipping, minimum, breaks,
        there, guarantee, returns, bad, tried,
    ) = columns  # fmt: skip
    return Offer(
        id=number, part_id=part_id, part=part, printed_number=printed, supplier=supplier, grade=grade, attributes=attributes,
        measured={name: measured_from(one) for name, one in measured.items()} if measured else NONE_MEASURED, box=tuple(box), price_minor=price, lead_days=lead,
        free=free, number=theirs, shipping_minor=shipping, minimum=minimum, price_breaks=tuple((n, p) for n, p in breaks) if breaks else (),
        stock_there=there, guarantee_days=guarantee, returns=returns, supplier_bad=bad, supplier_tried=tried,
    )  # fmt: skip


NONE_MEASURED: Mapping[str, Measured] = {}


def measured_from(raw: Mapping[str, Any]) -> Measured:
    return Measured(value=raw["value"], who=raw["who"], at=datetime.fromisoformat(raw["at"]))


# columns by place: hundreds of offers are read for one need
_OFFER = """
select offer.id, offer.part_id, part.name, part.printed_number, supplier.name, part.grade, part.attributes, part.measured, part.box,
       offer.price_minor, offer.lead_days, part.on_hand - part.held, offer.number, supplier.shipping_minor, offer.minimum, offer.price_breaks,
       offer.stock_there, offer.guarantee_days, offer.returns, supplier.bad, supplier.tried
from offer join part on part.id = offer.part_id join supplier on supplier.id = offer.supplier_id
"""

# How many offers of each sort are looked at for one need: those whose outline, family and pins may be right, those of which something is not
# known, and those that only come near, to be refused with their reason. Cheapest first; the page says when there are more. The shop's, no source.
MAY_FIT, NOT_KNOWN, NEAR = 200, 40, 6
# an outline is within half a millimetre (rule fit.width_mm); the prefilter is a little wider than the rule
_OFF_MM, _NEAR_MM = Decimal("0.51"), Decimal(8)


@dataclass(frozen=True, slots=True, kw_only=True)
class Picking:
    """What of a need offers are picked by, before they are judged; None = not known, or it does not matter."""

    kind: str
    width_mm: Decimal | None = None
    family: str | None = None
    pins: Decimal | None = None


def picking(need: Picking) -> tuple[str, list[object]]:
    """The query that picks the offers worth judging for a need, by index, and what it asks with."""
    branches: list[tuple[str, list[object]]] = []

    def branch(where: str, asks: Sequence[object], most: int, first: str = "") -> None:
        """Offers of the parts that meet a condition; `first` limits the parts themselves, nearest first."""
        parts = f"select id from part where kind = %s and {where}" + (
            f" order by {first} limit {most}" if first else ""
        )
        branches.append(
            (
                f"(select offer.id from offer where part_id in ({parts}) order by price_minor, id limit {most})",
                [need.kind, *asks],
            )
        )

    if need.width_mm is None:
        branch("true", [], MAY_FIT)
        return _union(branches)
    width = need.width_mm
    fits: list[object] = [width - _OFF_MM, width + _OFF_MM]
    pins, its_pins = ("", []) if need.pins is None else (" and (pins is null or pins = %s)", [need.pins])
    family, its_family = ("", []) if need.family is None else (" and family = %s", [need.family])
    branch(f"width_mm between %s and %s{family}{pins}", [*fits, *its_family, *its_pins], MAY_FIT)
    if need.family is None:
        branch("width_mm is null", [], NOT_KNOWN, "width_mm, family")
    else:
        branch(f"width_mm between %s and %s and family is null{pins}", [*fits, *its_pins], NOT_KNOWN)
        branch("width_mm is null and family = %s", its_family, NOT_KNOWN, "width_mm, family")
        branch("width_mm is null and family is null", [], NOT_KNOWN, "width_mm, family")
        branch("width_mm between %s and %s and family <> %s", [*fits, *its_family], NEAR, "width_mm")
    if need.pins is not None:
        branch(
            f"width_mm between %s and %s{family} and pins <> %s",
            [*fits, *its_family, *its_pins],
            NEAR,
            "width_mm",
        )
    branch("width_mm > %s and width_mm < %s", [fits[1], width + _NEAR_MM], NEAR, "width_mm")
    branch("width_mm < %s and width_mm > %s", [fits[0], width - _NEAR_MM], NEAR, "width_mm desc")
    return _union(branches)


def _union(branches: Sequence[tuple[str, list[object]]]) -> tuple[str, list[object]]:
    return " union ".join(query for query, _ in branches), [one for _, asks in branches for one in asks]


def picked(need: Picking) -> tuple[str, list[object]]:
    """The whole query for a need: the offers worth judging with all that is judged."""
    query, asks = picking(need)
    return f"{_OFFER} where offer.id in ({query})", asks


@reading
def offers_for(need: Picking) -> list[Offer]:
    """The offers worth judging for a need, however many there are: see `picking`."""
    return [_offer(*one) for one in DATABASE.execute_sql(*picked(need)).fetchall()]


@reading
def members_for(glass: str, panel: str, width_mm: Decimal, active_mm: Decimal, most: int) -> list[Offer]:
    """The cheapest offers of glasses of an outline and of panels of a picture: what a kit could be made of."""
    found = DATABASE.execute_sql(
        f"{_OFFER} where offer.id in ((select offer.id from offer where part_id in (select id from part where kind = %s and width_mm between %s and %s)"
        " order by price_minor, id limit %s) union (select offer.id from offer where part_id in (select id from part where kind = %s"
        " and active_mm between %s and %s) order by price_minor, id limit %s))",
        (
            glass,
            width_mm - _OFF_MM,
            width_mm + _OFF_MM,
            most,
            panel,
            active_mm - Decimal("1.01"),
            active_mm + Decimal("1.01"),
            most,
        ),
    ).fetchall()
    return [_offer(*one) for one in found]


@reading
def offers_of_kinds(kinds: Sequence[str], most: int = 400) -> list[Offer]:
    """The cheapest offers of parts of some kinds, such as adapter flexes and the members of kits."""
    found = DATABASE.execute_sql(
        f"{_OFFER} where part.kind = any(%s) order by price_minor, offer.id limit %s", (list(kinds), most)
    ).fetchall()
    return [_offer(*one) for one in found]


@reading
def load_offer(offer_id: int) -> Offer | None:
    found = DATABASE.execute_sql(f"{_OFFER} where offer.id = %s", (offer_id,)).fetchone()
    return _offer(*found) if found else None


@reading
def load_offers(offer_ids: Sequence[int]) -> list[Offer]:
    """Several offers, in the order they are asked for."""
    found = {
        one[0]: _offer(*one)
        for one in DATABASE.execute_sql(f"{_OFFER} where offer.id = any(%s)", (list(offer_ids),)).fetchall()
    }
    return [found[one] for one in offer_ids if one in found]


_PRICE = """
select offer.id, part_id, part.name as part, supplier.name as supplier, number, price_minor, lead_days, offer.version
from offer join part on part.id = part_id join supplier on supplier.id = supplier_id
"""


@reading
def price_page() -> list[OfferRow]:
    return rows(
        OfferRow, _PRICE + " where part.pack not like 'list:%%' order by part.name, price_minor limit 500"
    )


@reading
def load_price(offer_id: int) -> OfferRow | None:
    return row(OfferRow, _PRICE + " where offer.id = %s", offer_id)


def lock_price(offer_id: int) -> OfferRow | None:
    return row(OfferRow, _PRICE + " where offer.id = %s for update of offer", offer_id)


def save_price(offer_id: int, price_minor: int) -> None:
    DATABASE.execute_sql(
        "update offer set price_minor = %s, version = version + 1 where id = %s", (price_minor, offer_id)
    )
