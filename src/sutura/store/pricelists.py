"""Price lists of suppliers, and what a list does to offers: written a thousand rows at a time."""

from __future__ import annotations

import itertools
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import SQL, Select

from sutura.core.matching.listing import Listing
from sutura.store.database import column, each, first, raw, reading, row
from sutura.store.tables import Offer, Part, Person, PriceList, PriceListPiece, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class ListRow:
    """A price list as it stands: how far it is, what it would do or did, and its bad rows as far as they
    are kept.
    """

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
    # words for kinds that are none of ours, with the number of their rows
    words: Mapping[str, int]
    person_id: int
    who: str
    at: datetime
    finished_at: datetime | None
    # which reading of it this is, how often it was begun since it last got further, and why it failed
    turn: int
    tries: int
    says: Any
    # how its text was written; empty where what is kept is the file as it came
    encoding: str


def _lists(bad: Any) -> Select:
    """Lists with their bad rows, or without them where nobody looks at them."""
    return (
        PriceList.select(
            PriceList.id,
            PriceList.supplier.alias("supplier_id"),
            Supplier.name.alias("supplier"),
            PriceList.name,
            PriceList.mapping,
            PriceList.state,
            PriceList.rows_total,
            PriceList.rows_done,
            PriceList.counts,
            bad.alias("bad"),
            PriceList.words,
            PriceList.person.alias("person_id"),
            Person.name.alias("who"),
            PriceList.at,
            PriceList.finished_at,
            PriceList.turn,
            PriceList.tries,
            PriceList.says,
            PriceList.encoding,
        )
        .join(Supplier)
        .switch(PriceList)
        .join(Person)
    )


@reading
def lists_page() -> list[ListRow]:
    return each(ListRow, _lists(SQL("'[]'::jsonb")).order_by(PriceList.id.desc()).limit(50))


@reading
def load_list(list_id: int) -> ListRow | None:
    return first(ListRow, _lists(PriceList.bad).where(PriceList.id == list_id))


@reading
def load_progress(list_id: int) -> tuple[str, int, int, int] | None:
    """State, rows done, rows in all and readings begun of a list: asked often while it is read, so its bad
    rows stay where they are.
    """
    progress = PriceList.select(PriceList.state, PriceList.rows_done, PriceList.rows_total, PriceList.turn)
    state: tuple[str, int, int, int] | None = row(progress.where(PriceList.id == list_id))
    return state


def lock_list(list_id: int) -> ListRow | None:
    PriceList.select(PriceList.id).where(PriceList.id == list_id).for_update().execute()
    return load_list(list_id)


@reading
def known_kinds() -> list[str]:
    """The kinds of parts that the catalogue knows, apart from words of price lists."""
    kinds = Part.select(Part.kind).distinct().where(~Part.pack.startswith("list:"), Part.kind != "")
    return column(kinds.order_by(Part.kind))


@reading
def load_piece(list_id: int, place: int) -> bytes:
    """A piece of a list's text; empty after the last."""
    piece = PriceListPiece.select(PriceListPiece.piece).where(
        PriceListPiece.list == list_id, PriceListPiece.place == place
    )
    found = piece.scalar()
    return b"" if found is None else bytes(found)


def pieces_of(list_id: int) -> Iterator[bytes]:
    """A list's text, piece by piece, each with a connection of its own."""
    return itertools.takewhile(len, (load_piece(list_id, place) for place in itertools.count()))


def save_pieces(list_id: int, pieces: Iterable[bytes]) -> None:
    """Keep a list's text in place of what was kept of it."""
    drop_file(list_id)
    for place, piece in enumerate(piece for piece in pieces if piece):
        PriceListPiece.insert(list=list_id, place=place, piece=piece).execute()


def add_list(supplier_id: str, name: str, person_id: int, at: datetime) -> int:
    new = PriceList.insert(
        turn=0,
        tries=0,
        says="",
        encoding="",
        supplier=supplier_id,
        name=name,
        mapping={},
        state="sent",
        rows_total=0,
        rows_done=0,
        counts={},
        bad=[],
        words={},
        person=person_id,
        at=at,
    )
    return int(new.execute())


def save_list(list_id: int, **changes: Any) -> None:
    PriceList.update(**changes).where(PriceList.id == list_id).execute()


def drop_file(list_id: int) -> None:
    """A list that was read needs its file no more."""
    PriceListPiece.delete().where(PriceListPiece.list == list_id).execute()


def enqueue(task: str, list_id: int) -> None:
    """Hand a list to the background, in this very transaction."""
    # the queue's own function with a row of its own type: peewee has no word for it
    raw(
        """
        select procrastinate_defer_jobs_v1(
            array[row('lists', %s, 0, %s, null, %s::jsonb, null)::procrastinate_job_to_defer_v1])
        """,
        task,
        f"list-{list_id}",
        json.dumps({"list_id": list_id}),
    )


# -- what a list does to offers ---------------------------------------------------------------------

# The three statements below join a thousand listed rows, sent as one JSON value, with the offers: peewee has
# no word for a record set, and row by row a list of 50,000 would take minutes.
_LISTED = """
with listed as (
    select * from jsonb_to_recordset(%s::jsonb) as x(
        number text, price_minor integer, name text, kind text, printed text, plain text, grade text,
        lead_days integer, stock_there integer, minimum integer, pack integer,
        price_breaks jsonb, guarantee_days integer,
        returns text, box jsonb, attributes jsonb))
"""
# the parts whose printed number and kind are those of a listed row
_SAME_PART = """
from part other
where upper(regexp_replace(other.printed_number, '[^A-Za-z0-9]', '', 'g')) = listed.plain
  and other.kind = listed.kind
"""
_COMPARE = f"""
{_LISTED}
select count(*) filter (where offer.id is null),
       count(*) filter (where offer.id is not null
           and (offer.price_minor, offer.lead_days, offer.stock_there, offer.minimum, offer.pack,
                offer.price_breaks,
                offer.guarantee_days, offer.returns)
           is distinct from (listed.price_minor, coalesce(listed.lead_days, offer.lead_days),
                listed.stock_there, listed.minimum, listed.pack, listed.price_breaks, listed.guarantee_days,
                listed.returns)),
       count(*)
from listed
left join offer on offer.supplier_id = %s and offer.number = listed.number
"""
_SAVE_PARTS = f"""
{_LISTED}
insert into part (barcode, name, printed_number, grade, kind, attributes, box, pack)
select distinct on (listed.number) 'L-' || %s || '-' || listed.number, listed.name, listed.printed,
       listed.grade, listed.kind, listed.attributes, listed.box, %s
from listed
left join offer on offer.supplier_id = %s and offer.number = listed.number
left join part known on known.id = offer.part_id
where (offer.id is not null and known.pack = %s)
   or (offer.id is null and (listed.plain = '' or (select count(*) {_SAME_PART}) <> 1))
on conflict (barcode) do update
set name = excluded.name, printed_number = excluded.printed_number, grade = excluded.grade,
    kind = excluded.kind, attributes = excluded.attributes, box = excluded.box
where (part.name, part.printed_number, part.grade, part.kind, part.attributes, part.box)
    is distinct from (excluded.name, excluded.printed_number, excluded.grade, excluded.kind,
                      excluded.attributes, excluded.box)
"""
_SAVE_OFFERS = f"""
{_LISTED}
insert into offer (part_id, supplier_id, number, price_minor, lead_days, stock_there, minimum, pack,
                   price_breaks,
                   guarantee_days, returns, seen_at)
select distinct on (listed.number)
       coalesce(offer.part_id, own.id, (select min(other.id) {_SAME_PART})), %s, listed.number,
       listed.price_minor, coalesce(listed.lead_days, offer.lead_days, %s), listed.stock_there,
       listed.minimum, listed.pack, listed.price_breaks, listed.guarantee_days, listed.returns, %s
from listed
left join offer on offer.supplier_id = %s and offer.number = listed.number
left join part own on own.barcode = 'L-' || %s || '-' || listed.number
on conflict (supplier_id, number) do update
set price_minor = excluded.price_minor, lead_days = excluded.lead_days, stock_there = excluded.stock_there,
    minimum = excluded.minimum, pack = excluded.pack, price_breaks = excluded.price_breaks,
    guarantee_days = excluded.guarantee_days, returns = excluded.returns, seen_at = excluded.seen_at,
    version = offer.version + 1
"""


def _as_json(listings: Sequence[Listing]) -> str:
    return json.dumps(
        [
            {
                "number": listing.number,
                "price_minor": listing.price_minor,
                "name": listing.name,
                "kind": listing.kind,
                "printed": listing.printed_number,
                "grade": listing.grade,
                "plain": "".join(c for c in listing.printed_number.upper() if c.isascii() and c.isalnum()),
                "lead_days": listing.lead_days,
                "stock_there": listing.stock_there,
                "minimum": listing.minimum,
                "pack": listing.pack,
                "price_breaks": [list(pair) for pair in listing.price_breaks],
                "guarantee_days": listing.guarantee_days,
                "returns": listing.returns,
                "box": list(listing.box),
                "attributes": dict(listing.attributes),
            }
            for listing in listings
        ]
    )


@reading
def compare_listed(supplier_id: str, listings: Sequence[Listing]) -> tuple[int, int, int]:
    """How many rows would be new, changed and the same, against the offers as they are now."""
    new, changed, every = raw(_COMPARE, _as_json(listings), supplier_id).fetchone()
    return new, changed, every - new - changed


def save_listed(supplier_id: str, listings: Sequence[Listing], at: datetime, usual_days: int) -> None:
    """Make the offers say what the list says, without duplicates.

    A row is an offer of a part known by its printed number and kind, when there is exactly one; else of a
    part of its own, whose claims are the list's. What was measured here stays as it is.
    """
    listed, pack = _as_json(listings), f"list:{supplier_id}"
    raw(_SAVE_PARTS, listed, supplier_id, pack, supplier_id, pack)
    raw(_SAVE_OFFERS, listed, supplier_id, usual_days, at, supplier_id, supplier_id)


_WRITTEN = (
    Offer.select(
        Offer.number,
        Offer.price_minor,
        Part.name,
        Part.kind,
        Part.printed_number,
        Part.grade,
        Offer.lead_days,
        Offer.stock_there,
        Offer.minimum,
        Offer.pack,
        Offer.price_breaks,
        Offer.guarantee_days,
        Offer.returns,
        Part.box,
        Part.attributes,
    )
    .join(Part)
    .order_by(Offer.number)
)


@reading
def each_offer(supplier_id: str) -> Iterator[Mapping[str, Any]]:
    """Every offer of a supplier with its part, for a list to be written."""
    return iter(each(dict, _WRITTEN.where(Offer.supplier == supplier_id)))
