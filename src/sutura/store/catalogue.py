"""Models as loaded from the packs."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sutura.store.database import DATABASE, reading, row, rows, value


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelRow:
    """A model's JSON as the database keeps it, with the version that changes when it does."""

    id: str
    version: int
    data: Mapping[str, Any]


@reading
def load_model(model_id: str) -> ModelRow | None:
    return row(ModelRow, "select id, version, data from model where id = %s", model_id)


@reading
def model_versions() -> list[tuple[str, int]]:
    return [(i, v) for i, v in DATABASE.execute_sql("select id, version from model order by maker, name")]


@reading
def models_page() -> list[ModelRow]:
    return rows(ModelRow, "select id, version, data from model order by maker, name")


def save_model(raw: Mapping[str, Any]) -> str:
    """Add or change one model; says which (`added`, `changed`, `same`)."""
    before = value("select data from model where id = %s for update", raw["id"])
    if before == raw:
        return "same"
    DATABASE.execute_sql(
        "insert into model (id, maker, name, device_class, procedure_family, minutes, cure_minutes, data)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s) on conflict (id) do update set maker = excluded.maker,"
        " name = excluded.name, device_class = excluded.device_class, procedure_family = excluded.procedure_family,"
        " minutes = excluded.minutes, cure_minutes = excluded.cure_minutes, data = excluded.data,"
        " version = model.version + 1",
        (raw["id"], raw["maker"], raw["name"], raw["device_class"], raw["procedure_family"], raw["minutes"],
         raw["cure_minutes"], json.dumps(raw)),
    )  # fmt: skip
    return "added" if before is None else "changed"


def save_part(part: Mapping[str, Any], offers: list[Mapping[str, Any]]) -> None:
    """Add or change one part and its offers. A price that a manager changed is kept."""
    part_id = value(
        "insert into part (barcode, name, bin, printed_number, grade, kind, attributes, box)"
        " values (%s, %s, %s, %s, %s, %s, %s, %s) on conflict (barcode) do update set name = excluded.name,"
        " bin = excluded.bin, printed_number = excluded.printed_number, grade = excluded.grade, kind = excluded.kind,"
        " attributes = excluded.attributes, box = excluded.box returning id",
        part["barcode"], part["name"], part["bin"], part["printed_number"], part["grade"],
        part["attributes"].get("kind", ""), json.dumps(part["attributes"]), json.dumps(part["box"]),
    )  # fmt: skip
    for offer in offers:
        DATABASE.execute_sql(
            "insert into offer (part_id, supplier_id, number, price_minor, lead_days) values (%s, %s, %s, %s, %s)"
            " on conflict (supplier_id, number) do update set part_id = excluded.part_id,"
            " lead_days = excluded.lead_days",
            (part_id, offer["supplier"], offer["number"], offer["price_minor"], offer["lead_days"]),
        )


def save_supplier(supplier_id: str, name: str) -> None:
    DATABASE.execute_sql(
        "insert into supplier (id, name) values (%s, %s) on conflict (id) do update set name = excluded.name",
        (supplier_id, name),
    )
