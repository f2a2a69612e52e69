"""Parts, offers, reservations and the ledger."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.errors import NotFound
from sutura.core.matching import Offer
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
        + " order by substring(bin from '^[^0-9]*'), substring(bin from '[0-9]+')::numeric nulls first, bin, part.name limit 500",
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


@reading
def load_held(job_id: int) -> Held | None:
    return row(
        Held,
        "select reservation.id, part_id, part.name as part from reservation join part on part.id = part_id"
        " where job_id = %s and state = 'held'",
        job_id,
    )


def add_reservation(part_id: int, job_id: int, person_id: int, at: datetime) -> None:
    insert(Reservation, [{"part": part_id, "job": job_id, "state": "held", "person": person_id, "at": at}])


def save_reservation(reservation_id: int, state: str) -> None:
    DATABASE.execute_sql("update reservation set state = %s where id = %s", (state, reservation_id))


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


def _offer(box: list[str], **columns: Any) -> Offer:
    return Offer(box=tuple(box), **columns)


_OFFER = """
select offer.id, offer.part_id, part.name as part, part.printed_number, supplier.name as supplier, part.grade,
       part.attributes, part.box, offer.price_minor, offer.lead_days, part.on_hand - part.held as free
from offer join part on part.id = offer.part_id join supplier on supplier.id = offer.supplier_id
"""


@reading
def offers_page(kind: str) -> list[Offer]:
    """Every offer of parts of one kind."""
    return rows(_offer, _OFFER + " where part.kind = %s order by offer.id limit 500", kind)


@reading
def load_offer(offer_id: int) -> Offer | None:
    return row(_offer, _OFFER + " where offer.id = %s", offer_id)


_PRICE = """
select offer.id, part_id, part.name as part, supplier.name as supplier, number, price_minor, lead_days, offer.version
from offer join part on part.id = part_id join supplier on supplier.id = supplier_id
"""


@reading
def price_page() -> list[OfferRow]:
    return rows(OfferRow, _PRICE + " order by part.name, price_minor limit 500")


@reading
def load_price(offer_id: int) -> OfferRow | None:
    return row(OfferRow, _PRICE + " where offer.id = %s", offer_id)


def lock_price(offer_id: int) -> OfferRow | None:
    return row(OfferRow, _PRICE + " where offer.id = %s for update of offer", offer_id)


def save_price(offer_id: int, price_minor: int) -> None:
    DATABASE.execute_sql(
        "update offer set price_minor = %s, version = version + 1 where id = %s", (price_minor, offer_id)
    )
