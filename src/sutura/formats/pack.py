"""Catalogue packs: JSON files checked against the published JSON Schema, then read into core values.

A wrong pack is refused whole, with every error and its place in the file (`models[0].face.active.width`).
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from pathlib import Path
from typing import Any

from sutura.core.catalogue import (
    Face,
    Function,
    Heat,
    KeepOut,
    Model,
    NumberKind,
    NumberPattern,
    Phase,
    Plug,
    ScrewGroup,
    Spot,
    Step,
    problems_of,
)
from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.maths.geometry import Box


@dataclass(frozen=True, slots=True, kw_only=True)
class PartOffer:
    supplier: str
    number: str
    price_minor: int
    lead_days: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PackPart:
    barcode: str
    name: str
    bin: str
    printed_number: str
    grade: str
    attributes: Mapping[str, str | float]
    box: tuple[str, ...]
    offers: tuple[PartOffer, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PartsPack:
    suppliers: Mapping[str, str]
    parts: tuple[PackPart, ...]


def read_models(text: str, schema_folder: Path, name: str) -> list[tuple[Model, dict[str, Any]]]:
    """Models of one pack, each with its own JSON (what the database keeps). Refuses with every problem."""
    pack = _checked(text, schema_folder / "models.schema.json", name)
    models = [(model_from_json(raw), raw) for raw in pack["models"]]
    problems = [
        Invalid(f"models[{index}].{problem.field}", problem.refused, problem.accepts)
        for index, (model, _) in enumerate(models)
        for problem in problems_of(model)
    ]
    if problems:
        raise ManyInvalid(problems, name)
    return models


def read_parts(text: str, schema_folder: Path, name: str) -> PartsPack:
    """Suppliers and parts of one pack; an offer must name a supplier of the pack."""
    pack = _checked(text, schema_folder / "parts.schema.json", name)
    suppliers = {raw["id"]: raw["name"] for raw in pack["suppliers"]}
    problems = [
        Invalid(f"parts[{i}].offers[{j}].supplier", offer["supplier"], f"name one of: {', '.join(suppliers)}")
        for i, part in enumerate(pack["parts"])
        for j, offer in enumerate(part["offers"])
        if offer["supplier"] not in suppliers
    ]
    if problems:
        raise ManyInvalid(problems, name)
    return PartsPack(suppliers=suppliers, parts=tuple(_part(raw) for raw in pack["parts"]))


def _checked(text: str, schema_file: Path, name: str) -> dict[str, Any]:
    from jsonschema import Draft202012Validator  # slow to import; only loading packs needs it

    try:
        data = json.loads(text)
    except json.JSONDecodeError as broken:
        place = f"line {broken.lineno}, column {broken.colno}"
        raise ManyInvalid([Invalid(place, broken.msg, "write valid JSON")], name) from broken
    errors = Draft202012Validator(json.loads(schema_file.read_text("utf-8"))).iter_errors(data)
    problems = [
        Invalid(_place(list(error.absolute_path)), _short(error.instance), error.message[:300])
        for error in sorted(errors, key=lambda e: [str(p) for p in e.absolute_path])
    ]
    if problems:
        raise ManyInvalid(problems, name)
    checked: dict[str, Any] = data
    return checked


def _place(path: list[str | int]) -> str:
    place = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in path)
    return place.lstrip(".") or "the file"


def _short(value: object) -> str:
    text = json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else text[:57] + "…"


def _box(raw: Mapping[str, Any]) -> Box:
    return Box(x=raw["x"], y=raw["y"], width=raw["width"], height=raw["height"])


def model_from_json(raw: Mapping[str, Any]) -> Model:
    """A core value from one model's JSON that has passed the schema."""
    return Model(
        **{key: raw[key] for key in _PLAIN},
        numbers=tuple(
            NumberPattern(kind=NumberKind(n["kind"]), text=n["text"], rest=n.get("rest", ""))
            for n in raw["numbers"]
        ),
        face=_face(raw["face"]),
        functions=tuple(Function(**f) for f in raw["functions"]),
        screws=tuple(ScrewGroup(**s) for s in raw["screws"]),
        steps=tuple(_step(s) for s in raw["steps"]),
        rework=tuple(raw["rework"]),
        move_over=tuple(raw["move_over"]),
    )


_PLAIN = (
    "id", "maker", "name", "device_class", "construction", "procedure_family", "part_family", "need",
    "minutes", "cure_minutes", "seal", "seals_ruled_out", "warranty_days",
)  # fmt: skip


def _face(raw: Mapping[str, Any]) -> Face:
    return Face(
        width_mm=raw["width_mm"],
        height_mm=raw["height_mm"],
        corner_mm=raw["corner_mm"],
        active=_box(raw["active"]),
        opening_edge=raw["opening_edge"],
        spots=tuple(
            Spot(name=s["name"], box=_box(s["box"]), round=s.get("round", False)) for s in raw["spots"]
        ),
        keep_outs=tuple(
            KeepOut(name=k["name"], box=_box(k["box"]), depth_mm=k["depth_mm"], why=k["why"])
            for k in raw["keep_outs"]
        ),
    )


def _step(raw: Mapping[str, Any]) -> Step:
    return Step(
        id=raw["id"],
        phase=Phase(raw["phase"]),
        text=raw["text"],
        tools=tuple(raw.get("tools", ())),
        cautions=tuple(raw.get("cautions", ())),
        limits=tuple(raw.get("limits", ())),
        screws=raw.get("screws", ""),
        screws_in=raw.get("screws_in", False),
        plug=Plug(**raw["plug"]) if "plug" in raw else None,
        heat=Heat(**raw["heat"]) if "heat" in raw else None,
        wait_minutes=raw.get("wait_minutes", 0),
    )


def _part(raw: Mapping[str, Any]) -> PackPart:
    return PackPart(
        barcode=raw["barcode"],
        name=raw["name"],
        bin=raw["bin"],
        printed_number=raw["printed_number"],
        grade=raw["grade"],
        attributes=raw["attributes"],
        box=tuple(raw["box"]),
        offers=tuple(
            PartOffer(
                supplier=offer["supplier"],
                number=offer["number"],
                price_minor=int(Decimal(offer["price"]) * 100),
                lead_days=offer["lead_days"],
            )
            for offer in raw["offers"]
        ),
    )
