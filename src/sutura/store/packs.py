"""Packs: what stands in each, what it says besides its models or parts, and files looked at before they are
read.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import EXCLUDED, JOIN, SQL, Case, Select, Value, fn

from sutura.core.catalogue.model import State
from sutura.core.catalogue.packs import Stored
from sutura.core.maths.money import Money, amount_text
from sutura.store.database import column, each, first, reading, row, rows, written
from sutura.store.expressions import IS_OPEN, MODEL_NAME, ON_THE_SHELF, or_empty
from sutura.store.stock_tables import PartMoved, StockMove
from sutura.store.tables import CatalogueModel, Job, Offer, Pack, PackPreview, Part, Person, Supplier


@dataclass(frozen=True, slots=True, kw_only=True)
class PackLine:
    """A pack that something stands in: its kind, how many, and when it was last read."""

    id: str
    kind: str
    count: int
    read_at: datetime | None


def _standing(table: type[CatalogueModel] | type[Part], kind: str, counts: Any) -> Select:
    lines = table.select(
        table.pack.alias("id"),
        Value(kind).alias("kind"),
        fn.COUNT(SQL("*")).alias("count"),
        fn.MAX(Pack.read_at).alias("read_at"),
    )
    read = lines.join(Pack, JOIN.LEFT_OUTER, on=Pack.id == table.pack)
    return read.where(table.pack != "", counts).group_by(table.pack)


@reading
def packs_page() -> list[PackLine]:
    models = _standing(CatalogueModel, "models", CatalogueModel.state != State.RETIRED.value)
    parts = _standing(Part, "parts", ON_THE_SHELF)
    return sorted(each(PackLine, models | parts), key=lambda line: (line.id, line.kind))


@reading
def pack_head(pack: str, kind: str) -> Mapping[str, Any]:
    """What a pack says besides its models or parts, such as how labels are printed; empty when it says
    nothing.
    """
    head: Mapping[str, Any] | None = Pack.select(Pack.head).where(Pack.id == pack, Pack.kind == kind).scalar()
    return head or {}


@written
def _heads(kind: str) -> Select:
    return Pack.select(Pack.head).where(Pack.kind == kind).order_by(Pack.id)


@reading
def heads(kind: str) -> list[Mapping[str, Any]]:
    return column(_heads(kind))


def save_pack(pack: str, kind: str, head: Mapping[str, Any], now: datetime | None) -> None:
    new = Pack.insert(id=pack, kind=kind, head=dict(head), read_at=now)
    new.on_conflict(conflict_target=[Pack.id], preserve=[Pack.kind, Pack.head, Pack.read_at]).execute()


@reading
def pack_kind(pack: str) -> str:
    return Pack.select(Pack.kind).where(Pack.id == pack).scalar() or ""


# -- models of a pack -------------------------------------------------------------------------------


@reading
def models_of_pack(pack: str) -> list[dict[str, Any]]:
    models = CatalogueModel.select(CatalogueModel.data).where(
        CatalogueModel.pack == pack, CatalogueModel.state != State.RETIRED.value
    )
    return column(models.order_by(CatalogueModel.id))


def stored_models(pack: str, ids: Sequence[str]) -> list[Stored]:
    """Everything of a pack, and whatever else has one of these ids, with what it was used for."""
    of_model = Job.select(fn.COUNT(SQL("*"))).where(Job.model == CatalogueModel.id)
    models = CatalogueModel.select(
        CatalogueModel.id,
        MODEL_NAME.alias("name"),
        CatalogueModel.pack,
        CatalogueModel.data,
        CatalogueModel.state,
        or_empty(Person.name).alias("edited_by"),
        of_model.alias("jobs"),
        of_model.where(IS_OPEN).alias("still_open"),
    ).join(Person, JOIN.LEFT_OUTER, on=CatalogueModel.edited_by == Person.id)
    of_pack = (CatalogueModel.pack == pack) | CatalogueModel.id.in_(list(ids))
    return each(_stored, models.where(of_pack).order_by(CatalogueModel.id))


def _stored(*, state: str, jobs: int, still_open: int, **columns: Any) -> Stored:
    used = f"{jobs} job{'s' if jobs != 1 else ''} were done on it" if jobs else ""
    if still_open:
        used = f"{still_open} open job{'s use' if still_open != 1 else ' uses'} it"
    return Stored(state=State(state), used=used, **columns)


# -- parts of a pack --------------------------------------------------------------------------------


def stored_parts(pack: str, barcodes: Sequence[str], currency: str) -> list[Stored]:
    """Everything of a parts pack, and whatever else has one of these barcodes, as the pack writes it."""
    of_pack = (Part.pack == pack) | Part.barcode.in_(list(barcodes))
    return [
        Stored(id=part["barcode"], name=part["name"], pack=its_pack, data=part, used=used)
        for its_pack, used, part in _parts(of_pack, currency)
    ]


@reading
def parts_of_pack(pack: str, currency: str) -> list[dict[str, Any]]:
    return [part for _, _, part in _parts(Part.pack == pack, currency)]


def _parts(of_pack: Any, currency: str) -> list[tuple[str, str, dict[str, Any]]]:
    moved = fn.EXISTS(StockMove.select(SQL("1")).where(StockMove.part == Part.id))
    chosen = fn.EXISTS(Job.select(SQL("1")).join(Offer).where(Offer.part == Part.id))
    fields = (
        Part.barcode,
        Part.gtin,
        Part.name,
        Part.bin,
        Part.printed_number,
        Part.grade,
        Part.attributes,
        Part.box,
    )
    used = Case(None, [(moved | chosen, "it has stock or jobs")], "")
    found = rows(Part.select(Part.id, Part.pack, used, *fields).where(of_pack).order_by(Part.barcode))
    offers = _offers_of([part_id for part_id, *_ in found], currency)
    parts = []
    for part_id, pack, its_use, *values in found:
        part = {field.name: value for field, value in zip(fields, values, strict=True)}
        if not part["gtin"]:
            del part["gtin"]
        parts.append((pack, its_use, {**part, "offers": offers.get(part_id, [])}))
    return parts


def _offers_of(part_ids: Sequence[int], currency: str) -> dict[int, list[dict[str, Any]]]:
    """The offers of some parts as a pack writes them: what is usual is left out."""
    by_part: dict[int, list[dict[str, Any]]] = {}
    offers = Offer.select(
        Offer.part,
        Offer.supplier,
        Offer.number,
        Offer.price_minor,
        Offer.lead_days,
        Offer.minimum,
        Offer.pack,
        Offer.guarantee_days,
        Offer.returns,
    ).where(Offer.part.in_(list(part_ids)))
    for part_id, supplier, number, minor, lead_days, minimum, pack, guarantee, returns in rows(
        offers.order_by(Offer.supplier, Offer.number)
    ):
        offer: dict[str, Any] = {
            "supplier": supplier,
            "number": number,
            "price": amount_text(minor, currency),
            "lead_days": lead_days,
        }
        if minimum != 1:
            offer["minimum"] = minimum
        if pack != 1:
            offer["pack"] = pack
        if guarantee is not None:
            offer["guarantee_days"] = guarantee
        if returns:
            offer["returns"] = returns
        by_part.setdefault(part_id, []).append(offer)
    return by_part


def save_part(part: Mapping[str, Any], pack: str, currency: str, *, keep_ours: bool) -> None:
    """Add or change one part and its offers; an offer that is not in the pack any more stays when a job chose
    it.

    With `keep_ours` an offer that is there keeps the price a manager may have given it, and a part that was
    moved lies where it was put.
    """
    named = ("barcode", "name", "bin", "printed_number", "grade", "attributes", "box")
    values = {name: part[name] for name in named} | {
        "kind": part["attributes"].get("kind", ""),
        "pack": pack,
        "gtin": part.get("gtin", ""),
    }
    fresh = [getattr(Part, name) for name in values if name not in ("barcode", "bin")]
    moved = (
        fn.EXISTS(PartMoved.select(SQL("1")).where(PartMoved.part == Part.id)) if keep_ours else SQL("false")
    )
    added = Part.insert(**values, on_hand=0, held=0, measured={}).on_conflict(
        conflict_target=[Part.barcode],
        preserve=fresh,
        update={Part.bin: Case(None, [(moved, Part.bin)], EXCLUDED.bin)},
    )
    part_id = row(added.returning(Part.id))[0]
    for offer in part["offers"]:
        _save_offer(part_id, offer, currency, keep_price=keep_ours)
    named_here = [(offer["supplier"], offer["number"]) for offer in part["offers"]]
    stays = Offer.id.in_(Job.select(Job.offer).where(Job.offer.is_null(False)))
    for offer_id, supplier, number in rows(
        Offer.select(Offer.id, Offer.supplier, Offer.number).where(Offer.part == part_id, ~stays)
    ):
        if (supplier, number) not in named_here:
            Offer.delete().where(Offer.id == offer_id).execute()


def _save_offer(part_id: int, offer: Mapping[str, Any], currency: str, *, keep_price: bool) -> None:
    new = Offer.insert(
        part=part_id,
        supplier=offer["supplier"],
        number=offer["number"],
        price_minor=Money.of(offer["price"], currency).minor,
        lead_days=offer["lead_days"],
        minimum=offer.get("minimum", 1),
        pack=offer.get("pack", 1),
        guarantee_days=offer.get("guarantee_days"),
        returns=offer.get("returns", ""),
        version=1,
        price_breaks=[],
    )
    preserved = [Offer.part, Offer.lead_days, Offer.minimum, Offer.pack, Offer.guarantee_days, Offer.returns]
    if not keep_price:
        preserved.append(Offer.price_minor)
    new.on_conflict(
        conflict_target=[Offer.supplier, Offer.number],
        preserve=preserved,
        update={Offer.version: Offer.version + 1},
    ).execute()


def remove_part(barcode: str) -> None:
    Offer.delete().where(Offer.part.in_(Part.select(Part.id).where(Part.barcode == barcode))).execute()
    Part.delete().where(Part.barcode == barcode).execute()


def save_supplier(supplier_id: str, name: str, shipping_minor: int) -> None:
    new = Supplier.insert(
        id=supplier_id, name=name, shipping_minor=shipping_minor, mapping={}, tried=0, bad=0
    )
    new.on_conflict(
        conflict_target=[Supplier.id], preserve=[Supplier.name, Supplier.shipping_minor]
    ).execute()


# -- looked at before they are read -----------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Preview:
    id: str
    name: str
    text: str
    at: datetime


@reading
def load_preview(preview_id: str, person_id: int) -> Preview | None:
    looks = PackPreview.select(PackPreview.id, PackPreview.name, PackPreview.text, PackPreview.at)
    return first(Preview, looks.where(PackPreview.id == preview_id, PackPreview.person == person_id))


def save_preview(preview_id: str, person_id: int, name: str, text: str, at: datetime) -> None:
    """Keep a file until it is confirmed or thrown away; a person has one at a time."""
    PackPreview.delete().where(PackPreview.person == person_id).execute()
    PackPreview.insert(id=preview_id, person=person_id, name=name, text=text, at=at).execute()


def remove_preview(preview_id: str) -> None:
    PackPreview.delete().where(PackPreview.id == preview_id).execute()
