"""Suppliers, their price lists, and what a list does to offers: written a thousand rows at a time."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.matching import Listing
from sutura.store.database import DATABASE, reading, row, rows, value


@dataclass(frozen=True, slots=True, kw_only=True)
class SupplierRow:
    id: str
    name: str
    mapping: Mapping[str, str]
    offers: int
    tried: int
    bad: int


@dataclass(frozen=True, slots=True, kw_only=True)
class ListRow:
    """A price list as it stands: how far it is, what it would do or did, and its bad rows as far as they are kept."""

    id: int
    supplier_id: str
    supplier: str
    name: str
    mapping: Mapping[str, str]
    state: str
    rows_total: int
    rows_done: int
    counts: Mapping[str, int]
    bad: Sequence[Mapping[str, Any]]
    who: str
    at: datetime
    finished_at: datetime | None


_LIST = """
select price_list.id, supplier_id, supplier.name as supplier, price_list.name, price_list.mapping, state, rows_total, rows_done, counts,
       {} as bad, person.name as who, price_list.at, finished_at
from price_list join supplier on supplier.id = supplier_id join person on person.id = person_id
"""


@reading
def suppliers_page() -> list[SupplierRow]:
    return rows(
        SupplierRow,
        "select id, name, mapping, tried, bad, (select count(*) from offer where supplier_id = supplier.id) as offers from supplier order by name",
    )


@reading
def load_supplier(supplier_id: str) -> SupplierRow | None:
    return row(
        SupplierRow,
        "select id, name, mapping, tried, bad, 0 as offers from supplier where id = %s",
        supplier_id,
    )


def add_supplier(supplier_id: str, name: str) -> SupplierRow:
    DATABASE.execute_sql("insert into supplier (id, name) values (%s, %s)", (supplier_id, name))
    return SupplierRow(id=supplier_id, name=name, mapping={}, offers=0, tried=0, bad=0)


@reading
def lists_page() -> list[ListRow]:
    return rows(ListRow, _LIST.format("'[]'::jsonb") + " order by price_list.id desc limit 50")


@reading
def load_list(list_id: int) -> ListRow | None:
    return row(ListRow, _LIST.format("price_list.bad") + " where price_list.id = %s", list_id)


@reading
def load_progress(list_id: int) -> tuple[str, int, int] | None:
    """State, rows done and rows in all of a list: asked often while it is read, so its file and its bad rows stay where they are."""
    found: tuple[str, int, int] | None = DATABASE.execute_sql(
        "select state, rows_done, rows_total from price_list where id = %s", (list_id,)
    ).fetchone()
    return found


def lock_list(list_id: int) -> ListRow | None:
    value("select id from price_list where id = %s for update", list_id)
    return load_list(list_id)


@reading
def load_file(list_id: int) -> bytes:
    found = value("select file from price_list where id = %s", list_id)
    return bytes(found) if found is not None else b""


def add_list(
    supplier_id: str,
    name: str,
    file: bytes,
    mapping: Mapping[str, str],
    total: int,
    person_id: int,
    at: datetime,
) -> int:
    return int(
        value(
            "insert into price_list (supplier_id, name, file, mapping, state, rows_total, person_id, at)"
            " values (%s, %s, %s, %s, 'new', %s, %s, %s) returning id",
            supplier_id, name, file, json.dumps(dict(mapping)), total, person_id, at,
        )
    )  # fmt: skip


def save_list(list_id: int, **changes: Any) -> None:
    """Save what changed; values that are no text, number or time are kept as JSON."""
    names = list(changes)
    values = [json.dumps(one) if isinstance(one, dict | list) else one for one in changes.values()]
    DATABASE.execute_sql(
        f"update price_list set {', '.join(f'{name} = %s' for name in names)} where id = %s",
        (*values, list_id),
    )


def save_mapping(supplier_id: str, mapping: Mapping[str, str]) -> None:
    DATABASE.execute_sql(
        "update supplier set mapping = %s where id = %s", (json.dumps(dict(mapping)), supplier_id)
    )


def drop_file(list_id: int) -> None:
    """A list that was read needs its file no more."""
    DATABASE.execute_sql("update price_list set file = '' where id = %s", (list_id,))


def enqueue(task: str, list_id: int) -> None:
    """Hand a list to the background, in this very transaction: the queue's own function is called."""
    DATABASE.execute_sql(
        "select procrastinate_defer_jobs_v1(array[row('lists', %s, 0, %s, null, %s::jsonb, null)::procrastinate_job_to_defer_v1])",
        (task, f"list-{list_id}", json.dumps({"list_id": list_id})),
    )


# -- what a list does to offers ---------------------------------------------------------------------

# what tells whether a listed row says anything new of an offer
_OFFER_NOW = "offer.price_minor, offer.lead_days, offer.stock_there, offer.minimum, offer.price_breaks, offer.guarantee_days, offer.returns"
_LISTED = """
with listed as (select * from jsonb_to_recordset(%s::jsonb) as x(
    number text, price_minor integer, name text, kind text, printed text, plain text, grade text, lead_days integer, stock_there integer, minimum integer,
    price_breaks jsonb, guarantee_days integer, returns text, box jsonb, attributes jsonb))
"""


def _as_json(listings: Sequence[Listing]) -> str:
    return json.dumps(
        [
            {
                "number": one.number, "price_minor": one.price_minor, "name": one.name, "kind": one.kind, "printed": one.printed_number, "grade": one.grade,
                "plain": "".join(c for c in one.printed_number.upper() if c.isascii() and c.isalnum()), "lead_days": one.lead_days,
                "stock_there": one.stock_there, "minimum": one.minimum, "price_breaks": [list(pair) for pair in one.price_breaks],
                "guarantee_days": one.guarantee_days, "returns": one.returns, "box": list(one.box), "attributes": dict(one.attributes),
            }
            for one in listings
        ]
    )  # fmt: skip


@reading
def compare_listed(supplier_id: str, listings: Sequence[Listing]) -> tuple[int, int, int]:
    """How many rows would be new, changed and the same, against the offers as they are now."""
    found = DATABASE.execute_sql(
        _LISTED
        + "select count(*) filter (where offer.id is null), count(*) filter (where offer.id is not null and"
        f" ({_OFFER_NOW}) is distinct from (listed.price_minor, coalesce(listed.lead_days, offer.lead_days), listed.stock_there, listed.minimum,"
        " listed.price_breaks, listed.guarantee_days, listed.returns)), count(*) from listed"
        " left join offer on offer.supplier_id = %s and offer.number = listed.number",
        (_as_json(listings), supplier_id),
    ).fetchone()
    new, changed, every = (int(one) for one in found)
    return new, changed, every - new - changed


def save_listed(supplier_id: str, listings: Sequence[Listing], at: datetime, usual_days: int) -> None:
    """Make the offers say what the list says, without duplicates.

    A row is an offer of a part known by its printed number and kind, when there is exactly one; else of a part of its own, whose claims
    are the list's. What was measured here stays as it is.
    """
    listed = _as_json(listings)
    pack = f"list:{supplier_id}"
    DATABASE.execute_sql(
        _LISTED + "insert into part (barcode, name, printed_number, grade, kind, attributes, box, pack)"
        " select distinct on (listed.number) 'L-' || %s || '-' || listed.number, listed.name, listed.printed, listed.grade, listed.kind, listed.attributes, listed.box, %s from listed"
        " left join offer on offer.supplier_id = %s and offer.number = listed.number"
        " left join part known on known.id = offer.part_id"
        " where (offer.id is not null and known.pack = %s) or (offer.id is null and (listed.plain = '' or (select count(*) from part other"
        "   where upper(regexp_replace(other.printed_number, '[^A-Za-z0-9]', '', 'g')) = listed.plain and other.kind = listed.kind) <> 1))"
        " on conflict (barcode) do update set name = excluded.name, printed_number = excluded.printed_number, grade = excluded.grade,"
        "   kind = excluded.kind, attributes = excluded.attributes, box = excluded.box"
        " where (part.name, part.printed_number, part.grade, part.kind, part.attributes, part.box)"
        "   is distinct from (excluded.name, excluded.printed_number, excluded.grade, excluded.kind, excluded.attributes, excluded.box)",
        (listed, supplier_id, pack, supplier_id, pack),
    )  # fmt: skip
    DATABASE.execute_sql(
        _LISTED + "insert into offer (part_id, supplier_id, number, price_minor, lead_days, stock_there, minimum, price_breaks, guarantee_days, returns, seen_at)"
        " select distinct on (listed.number) coalesce(offer.part_id, own.id, (select min(other.id) from part other"
        "   where upper(regexp_replace(other.printed_number, '[^A-Za-z0-9]', '', 'g')) = listed.plain and other.kind = listed.kind)),"
        "   %s, listed.number, listed.price_minor, coalesce(listed.lead_days, offer.lead_days, %s), listed.stock_there, listed.minimum, listed.price_breaks,"
        "   listed.guarantee_days, listed.returns, %s"
        " from listed left join offer on offer.supplier_id = %s and offer.number = listed.number"
        " left join part own on own.barcode = 'L-' || %s || '-' || listed.number"
        " on conflict (supplier_id, number) do update set price_minor = excluded.price_minor, lead_days = excluded.lead_days, stock_there = excluded.stock_there,"
        "   minimum = excluded.minimum, price_breaks = excluded.price_breaks, guarantee_days = excluded.guarantee_days, returns = excluded.returns,"
        "   seen_at = excluded.seen_at, version = offer.version + 1",
        (listed, supplier_id, usual_days, at, supplier_id, supplier_id),
    )  # fmt: skip


@reading
def each_offer(supplier_id: str) -> Iterator[Mapping[str, Any]]:
    """Every offer of a supplier with its part, for a list to be written."""
    found = DATABASE.execute_sql(
        "select offer.number, offer.price_minor, part.name, part.kind, part.printed_number, part.grade, offer.lead_days, offer.stock_there, offer.minimum,"
        " offer.price_breaks, offer.guarantee_days, offer.returns, part.box, part.attributes from offer join part on part.id = offer.part_id"
        " where supplier_id = %s order by offer.number",
        (supplier_id,),
    )
    names = [column.name for column in found.description]
    return (dict(zip(names, one, strict=True)) for one in found.fetchall())
