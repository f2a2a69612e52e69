"""Models, their numbers, parts and packs as the database keeps them."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.catalogue import NumberKind, NumberPattern, State, Stored
from sutura.core.identify import Known, Numbered
from sutura.store.database import DATABASE, connected, reading, row, rows, value

PAGE = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelRow:
    """A model's JSON as the database keeps it, with the version that changes when it does."""

    id: str
    version: int
    state: str
    pack: str
    data: Mapping[str, Any]
    edited_by: str
    edited_at: datetime | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelLine:
    """One line of the browse list."""

    id: str
    maker: str
    name: str
    device_class: str
    construction: str
    procedure_family: str
    part_family: str
    state: str
    minutes: int
    numbers: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What the browse list is narrowed to; empty = anything."""

    text: str = ""
    maker: str = ""
    device_class: str = ""
    construction: str = ""
    family: str = ""
    state: str = ""


_MODEL = (
    "select model.id, model.version, state, pack, data, coalesce(person.name, '') as edited_by, edited_at"
    " from model left join person on person.id = edited_by_id"
)


@reading
def load_model(model_id: str) -> ModelRow | None:
    return row(ModelRow, _MODEL + " where model.id = %s", model_id)


def lock_model(model_id: str) -> ModelRow | None:
    """A model, locked until the transaction ends."""
    return row(ModelRow, _MODEL + " where model.id = %s for update of model", model_id)


@reading
def load_models(model_ids: Sequence[str]) -> list[ModelRow]:
    return rows(ModelRow, _MODEL + " where model.id = any(%s) order by maker, model.name", list(model_ids))


@reading
def relatives(procedure_family: str, part_family: str, but: str) -> list[ModelRow]:
    """Models that share the steps or the parts, at most a page of them."""
    return rows(
        ModelRow,
        _MODEL + " where (procedure_family = %s or part_family = %s) and model.id <> %s and state in ('listed', 'retired')"
        " order by maker, model.name limit 12",
        procedure_family, part_family, but,
    )  # fmt: skip


@reading
def revision() -> str:
    """Changes whenever a model does; part of the key of whatever of the catalogue is kept in the process."""
    return f"{connected()}-{value('select revision from catalogue_state where id = 1')}"


# -- what identification needs --------------------------------------------------------------


@reading
def numbers() -> tuple[list[Numbered], list[Known], list[tuple[str, Known]]]:
    """Every number pattern, every name and every IMEI beginning of the catalogue, narrow."""
    models = {
        found[0]: Known(
            id=found[0], full_name=f"{found[1]} {found[2]}", device_class=found[3], construction=found[4], state=State(found[5])
        )
        for found in DATABASE.execute_sql(
            "select id, maker, name, device_class, construction, state from model where state <> 'template'"
        )
    }  # fmt: skip
    patterns: list[Numbered] = []
    tacs: list[tuple[str, Known]] = []
    for model_id, kind, text, rest in DATABASE.execute_sql(
        "select model_id, kind, text, rest from model_number order by model_id, id"
    ):
        if model_id not in models:
            continue
        if kind == "tac":
            tacs.append((text, models[model_id]))
        else:
            pattern = NumberPattern(kind=NumberKind(kind), text=text, rest=rest)
            patterns.append(Numbered(model=models[model_id], pattern=pattern))
    return patterns, list(models.values()), tacs


# -- browsing -------------------------------------------------------------------------------

_WHERE = """
 where (%(text)s = '' or strpos(lower(maker || ' ' || name), lower(%(text)s)) > 0 or id in (
        select model_id from model_number where %(plain)s <> '' and plain like %(plain)s || '%%'))
   and (%(maker)s = '' or maker = %(maker)s)
   and (%(device_class)s = '' or device_class = %(device_class)s)
   and (%(construction)s = '' or construction = %(construction)s)
   and (%(family)s = '' or procedure_family = %(family)s or part_family = %(family)s)
   and state = coalesce(nullif(%(state)s, ''), 'listed')
"""


def _narrow(wanted: Wanted, plain: str) -> dict[str, object]:
    return {
        "text": wanted.text.strip(), "plain": plain, "maker": wanted.maker, "device_class": wanted.device_class,
        "construction": wanted.construction, "family": wanted.family, "state": wanted.state,
    }  # fmt: skip


@reading
def models_page(wanted: Wanted, plain: str, page: int) -> tuple[list[ModelLine], int]:
    """A page of the browse list and how many models there are in all. `plain` is the text as a label is read."""
    found = DATABASE.execute_sql(
        "with shown as (select id, maker, name, device_class, construction, procedure_family, part_family, state, minutes,"
        " count(*) over () as every from model"
        + _WHERE
        + " order by maker, name, id limit %(limit)s offset %(offset)s)"
        " select shown.*, array(select text || case kind when 'prefix' then '…' else '' end from model_number"
        " where model_id = shown.id and kind <> 'tac' order by model_number.id) from shown order by maker, name, id",
        _narrow(wanted, plain) | {"limit": PAGE, "offset": (page - 1) * PAGE},
    ).fetchall()
    lines = [
        ModelLine(
            id=one[0], maker=one[1], name=one[2], device_class=one[3], construction=one[4], procedure_family=one[5],
            part_family=one[6], state=one[7], minutes=one[8], numbers=tuple(one[10]),
        )
        for one in found
    ]  # fmt: skip
    return lines, found[0][9] if found else 0


_CHOICES = ("maker", "device_class", "construction", "procedure_family", "part_family")


@reading
def choices() -> dict[str, list[str]]:
    """What the browse list can be narrowed to."""
    found: dict[str, list[str]] = {name: [] for name in _CHOICES}
    each = (
        f"(select distinct '{name}', {name} from model where state <> 'template' order by 2 limit 200)"
        for name in _CHOICES
    )
    for name, one in DATABASE.execute_sql(" union all ".join(each)):
        found[name].append(one)
    return found


@reading
def packs() -> list[tuple[str, str, int, datetime | None]]:
    """Every pack that something stands in: its id, kind, how many, and when it was last read."""
    return list(
        DATABASE.execute_sql(
            "select pack, 'models', count(*), max(read_at) from model left join pack p on p.id = model.pack"
            " where pack <> '' and state <> 'retired' group by pack"
            " union all select pack, 'parts', count(*), max(read_at) from part left join pack p on p.id = part.pack"
            " where pack <> '' and pack not like 'list:%%' group by pack order by 1"
        )
    )


@reading
def jobs_of_model(model_id: str) -> tuple[int, int, list[tuple[str, str, datetime]]]:
    """How many jobs were done on a model, how many are open, and the last ten by code, stage and day."""
    total, still_open = DATABASE.execute_sql(
        "select count(*), count(*) filter (where stage not in ('handed_back', 'returned')) from job where model_id = %s",
        (model_id,),
    ).fetchone()
    last = DATABASE.execute_sql(
        "select code, stage, received_at from job where model_id = %s order by id desc limit 10", (model_id,)
    )
    return total, still_open, list(last)


@reading
def fitted_parts(model_id: str) -> dict[int, int]:
    """Parts that were fitted to a model and proved, with how often."""
    found = DATABASE.execute_sql(
        "select stock_move.part_id, count(*) from stock_move join job on job.id = stock_move.job_id"
        " where stock_move.kind = 'fitted' and model_id = %s and stage in ('proved', 'closed', 'handed_back') group by 1",
        (model_id,),
    )
    return dict(found)


# -- packs ----------------------------------------------------------------------------------


def lock_catalogue() -> None:
    """Only one person changes the catalogue at a time."""
    value("select revision from catalogue_state where id = 1 for update")


def stored_models(pack: str, ids: Sequence[str]) -> list[Stored]:
    """Everything of a pack, and whatever else has one of these ids, with what it was used for."""
    return rows(
        _stored,
        "select model.id, maker || ' ' || model.name as name, pack, data, state, coalesce(person.name, '') as edited_by,"
        " (select count(*) from job where model_id = model.id) as jobs,"
        " (select count(*) from job where model_id = model.id and stage not in ('handed_back', 'returned')) as still_open"
        " from model left join person on person.id = edited_by_id where pack = %s or model.id = any(%s) order by model.id",
        pack, list(ids),
    )  # fmt: skip


def _stored(
    *, id: str, name: str, pack: str, data: Any, state: str, edited_by: str, jobs: int, still_open: int
) -> Stored:
    used = f"{jobs} job{'s' if jobs != 1 else ''} were done on it" if jobs else ""
    if still_open:
        used = f"{still_open} open job{'s use' if still_open != 1 else ' uses'} it"
    return Stored(id=id, name=name, pack=pack, data=data, state=State(state), edited_by=edited_by, used=used)


def stored_parts(pack: str, barcodes: Sequence[str]) -> list[Stored]:
    """Everything of a parts pack, as the pack writes it."""
    return [
        Stored(id=raw["barcode"], name=raw["name"], pack=found_pack, data=raw, used=used)
        for found_pack, used, raw in _parts(
            "where part.pack = %s or part.barcode = any(%s)", pack, list(barcodes)
        )
    ]


def _parts(where: str, *parameters: object) -> list[tuple[str, str, dict[str, Any]]]:
    found = DATABASE.execute_sql(
        "select part.pack, case when exists (select from stock_move where part_id = part.id)"
        "   or exists (select from job join offer on offer.id = job.offer_id where offer.part_id = part.id)"
        "   then 'it has stock or jobs' else '' end,"
        " part.barcode, part.gtin, part.name, part.bin, part.printed_number, part.grade, part.attributes, part.box,"
        " coalesce((select jsonb_agg(jsonb_build_object('supplier', supplier_id, 'number', number,"
        "   'price', (price_minor / 100)::text || '.' || lpad((price_minor %% 100)::text, 2, '0'),"
        "   'lead_days', lead_days) || jsonb_strip_nulls(jsonb_build_object('minimum', nullif(minimum, 1),"
        "   'guarantee_days', guarantee_days, 'returns', nullif(returns, ''))) order by supplier_id, number)"
        "   from offer where part_id = part.id), '[]')"
        f" from part {where} order by part.barcode",
        parameters,
    )
    names = ("barcode", "gtin", "name", "bin", "printed_number", "grade", "attributes", "box", "offers")
    return [
        (one[0], one[1], {name: v for name, v in zip(names, one[2:], strict=True) if name != "gtin" or v})
        for one in found
    ]


@reading
def parts_of_pack(pack: str) -> list[dict[str, Any]]:
    return [raw for _, _, raw in _parts("where part.pack = %s", pack)]


@reading
def models_of_pack(pack: str) -> list[dict[str, Any]]:
    found = DATABASE.execute_sql(
        "select data from model where pack = %s and state <> 'retired' order by id", (pack,)
    )
    return [data for (data,) in found]


@reading
def pack_head(pack: str, kind: str) -> Mapping[str, Any]:
    """What a pack says besides its models or parts, such as how labels are printed; empty when it says nothing."""
    found: Mapping[str, Any] | None = value("select head from pack where id = %s and kind = %s", pack, kind)
    return found or {}


@reading
def heads(kind: str) -> list[Mapping[str, Any]]:
    return [
        head for (head,) in DATABASE.execute_sql("select head from pack where kind = %s order by id", (kind,))
    ]


def save_pack(pack: str, kind: str, head: Mapping[str, Any], now: datetime | None) -> None:
    DATABASE.execute_sql(
        "insert into pack (id, kind, head, read_at) values (%s, %s, %s, %s) on conflict (id) do update"
        " set kind = excluded.kind, head = excluded.head, read_at = excluded.read_at",
        (pack, kind, json.dumps(head), now),
    )


@reading
def pack_kind(pack: str) -> str:
    return value("select kind from pack where id = %s", pack) or ""


# -- writing --------------------------------------------------------------------------------


def save_model(
    raw: Mapping[str, Any],
    *,
    pack: str,
    state: State,
    edited_by: int | None = None,
    at: datetime | None = None,
) -> None:
    """Add or change one model. Its numbers follow by trigger; open jobs follow its sheet's length."""
    DATABASE.execute_sql(
        "insert into model (id, maker, name, device_class, construction, procedure_family, part_family, minutes,"
        " cure_minutes, data, pack, state, edited_by_id, edited_at, version)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, %s, nextval('catalogue_revision'))"
        " on conflict (id) do update set maker = excluded.maker, name = excluded.name,"
        " device_class = excluded.device_class, construction = excluded.construction,"
        " procedure_family = excluded.procedure_family, part_family = excluded.part_family, minutes = excluded.minutes,"
        " cure_minutes = excluded.cure_minutes, data = excluded.data, pack = excluded.pack, state = excluded.state,"
        " edited_by_id = excluded.edited_by_id, edited_at = excluded.edited_at, version = excluded.version",
        (raw["id"], raw["maker"], raw["name"], raw["device_class"], raw["construction"], raw["procedure_family"],
         raw["part_family"], raw["minutes"], raw["cure_minutes"], json.dumps(raw), pack, state.value, edited_by, at),
    )  # fmt: skip
    DATABASE.execute_sql(
        "update job set steps_total = greatest(steps_done, %s) where model_id = %s and steps_total <> %s"
        " and stage not in ('closed', 'handed_back', 'declined', 'returned')",
        (len(raw["steps"]), raw["id"], len(raw["steps"])),
    )


def retire_model(model_id: str) -> None:
    DATABASE.execute_sql(
        "update model set state = 'retired', version = nextval('catalogue_revision') where id = %s",
        (model_id,),
    )


def remove_model(model_id: str) -> None:
    DATABASE.execute_sql("delete from model where id = %s", (model_id,))


def save_part(part: Mapping[str, Any], pack: str, *, keep_prices: bool) -> None:
    """Add or change one part and its offers; an offer that is not in the pack any more stays when a job chose it.

    With `keep_prices` an offer that is there keeps the price a manager may have given it.
    """
    part_id = value(
        "insert into part (barcode, name, bin, printed_number, grade, kind, attributes, box, pack, gtin)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s) on conflict (barcode) do update set name = excluded.name,"
        " bin = excluded.bin, printed_number = excluded.printed_number, grade = excluded.grade, kind = excluded.kind,"
        " attributes = excluded.attributes, box = excluded.box, pack = excluded.pack, gtin = excluded.gtin returning id",
        part["barcode"], part["name"], part["bin"], part["printed_number"], part["grade"],
        part["attributes"].get("kind", ""), json.dumps(part["attributes"]), json.dumps(part["box"]), pack,
        part.get("gtin", ""),
    )  # fmt: skip
    for offer in part["offers"]:
        whole, cents = offer["price"].split(".")
        DATABASE.execute_sql(
            "insert into offer (part_id, supplier_id, number, price_minor, lead_days, minimum, guarantee_days, returns)"
            " values (%s, %s, %s, %s, %s, %s, %s, %s)"
            " on conflict (supplier_id, number) do update set part_id = excluded.part_id,"
            f" price_minor = {'offer' if keep_prices else 'excluded'}.price_minor, lead_days = excluded.lead_days, minimum = excluded.minimum, guarantee_days = excluded.guarantee_days,"
            " returns = excluded.returns, version = offer.version + 1",
            (
                part_id,
                offer["supplier"],
                offer["number"],
                int(whole) * 100 + int(cents),
                offer["lead_days"],
                offer.get("minimum", 1),
                offer.get("guarantee_days"),
                offer.get("returns", ""),
            ),
        )
    DATABASE.execute_sql(
        "delete from offer where part_id = %s and not (supplier_id || ' ' || number = any(%s))"
        " and not exists (select from job where offer_id = offer.id)",
        (part_id, [f"{one['supplier']} {one['number']}" for one in part["offers"]]),
    )


def remove_part(barcode: str) -> None:
    DATABASE.execute_sql(
        "delete from offer where part_id = (select id from part where barcode = %s)", (barcode,)
    )
    DATABASE.execute_sql("delete from part where barcode = %s", (barcode,))


def save_supplier(supplier_id: str, name: str, shipping_minor: int) -> None:
    DATABASE.execute_sql(
        "insert into supplier (id, name, shipping_minor) values (%s, %s, %s) on conflict (id) do update"
        " set name = excluded.name, shipping_minor = excluded.shipping_minor",
        (supplier_id, name, shipping_minor),
    )


# -- packs looked at before they are read ---------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Preview:
    id: str
    name: str
    text: str
    at: datetime


@reading
def load_preview(preview_id: str, person_id: int) -> Preview | None:
    return row(
        Preview,
        "select id, name, text, at from pack_preview where id = %s and person_id = %s",
        preview_id,
        person_id,
    )


def save_preview(preview_id: str, person_id: int, name: str, text: str, at: datetime) -> None:
    """Keep a file until it is confirmed or thrown away; a person has one at a time."""
    DATABASE.execute_sql("delete from pack_preview where person_id = %s", (person_id,))
    DATABASE.execute_sql(
        "insert into pack_preview (id, person_id, name, text, at) values (%s, %s, %s, %s, %s)",
        (preview_id, person_id, name, text, at),
    )


def remove_preview(preview_id: str) -> None:
    DATABASE.execute_sql("delete from pack_preview where id = %s", (preview_id,))
