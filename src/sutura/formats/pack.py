"""Catalogue packs: JSON files checked against the published JSON Schema, read into core values, and written
again.

A wrong pack is refused whole, with every error and its place in the file (`models[0].face.active.width`).
Written
packs have one canonical form, so reading and writing one gives the same bytes (docs/packs.md).
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from decimal import Decimal
from functools import cache
from pathlib import Path
from typing import Any

from stdnum import ean

from sutura.core.bench.compiling import with_sheet
from sutura.core.catalogue.model import (
    EDGES,
    Connector,
    EdgeLimit,
    Face,
    Function,
    HeatLimit,
    KeepOut,
    Model,
    NumberKind,
    NumberPattern,
    OpeningTool,
    OtherRoute,
    ScrewGroup,
    Seal,
    Spot,
    Supplied,
)
from sutura.core.catalogue.problems import problems_of
from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.facts import Fact, fact
from sutura.core.identify.scan import LabelPattern
from sutura.core.matching.numbers import Interchange, tangles
from sutura.core.maths.geometry import Box, Point
from sutura.core.typed import refuse
from sutura.formats.pieces import (
    act_from_json,
    piece_from_json,
    step_from_json,
    step_to_json,
    written_act,
    written_piece,
)

# models as pieces; a sheet written step by step (2) is read as well
FORMAT = 3
PARTS_FORMAT = 2
# A value that fits on one line of this many characters stands on one; measured by eye, no source.
LINE = 118
# the pack whose models are what an unlisted device of a class starts from
TEMPLATES = "unlisted"


@dataclass(frozen=True, slots=True, kw_only=True)
class PartOffer:
    supplier: str
    number: str
    price_minor: int
    lead_days: int
    minimum: int = 1
    pack: int = 1
    guarantee_days: int | None = None
    returns: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PackPart:
    barcode: str
    name: str
    bin: str
    printed_number: str
    grade: str
    gtin: str
    attributes: Mapping[str, str | int | float]
    box: tuple[str, ...]
    offers: tuple[PartOffer, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PartsPack:
    """Suppliers with their own JSON, label patterns, numbers that stand in for others, and parts with their
    own JSON.
    """

    id: str
    suppliers: Mapping[str, Mapping[str, str]]
    labels: tuple[LabelPattern, ...]
    interchange: tuple[Interchange, ...]
    parts: tuple[tuple[PackPart, dict[str, Any]], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class ModelsPack:
    """Models of one pack, each with its own JSON (what the database keeps)."""

    id: str
    models: tuple[tuple[Model, dict[str, Any]], ...]


def read_pack(text: str, schema_folder: Path, name: str) -> ModelsPack | PartsPack:
    """A pack of either kind, told by what it holds. Refuses with every problem and its place."""
    data = _parsed(text, name)
    if isinstance(data, dict) and "parts" in data:
        return read_parts(text, schema_folder, name)
    return ModelsPack(
        id=str(data.get("pack", "")) if isinstance(data, dict) else "",
        models=tuple(read_models(text, schema_folder, name)),
    )


def read_models(text: str, schema_folder: Path, name: str) -> list[tuple[Model, dict[str, Any]]]:
    """Models of one pack, each with its own JSON. Refuses with every problem."""
    pack = _checked(text, schema_folder / "models.schema.json", name)
    models = [(model_from_json(raw), raw) for raw in pack["models"]]
    problems = [
        Invalid(f"models[{index}].{problem.field}", problem.refused, problem.accepts)
        for index, (model, _) in enumerate(models)
        for problem in [*problems_of(model), *_numbers_missing(model, pack["pack"])]
    ]
    refuse(problems, name)
    return models


def _numbers_missing(model: Model, pack: str) -> list[Invalid]:
    if model.numbers or pack == TEMPLATES:
        return []
    return [Invalid("numbers", "", fact("pack.number-missing"))]


def check_model(raw: Mapping[str, Any], schema_folder: Path, pack: str) -> Model:
    """One model's JSON by the same rules as a pack's; places are inside the model (`face.active`)."""
    text = json.dumps({"pack": pack or "here", "format": FORMAT, "models": [raw]})
    try:
        return read_models(text, schema_folder, "The model")[0][0]
    except ManyInvalid as wrong:
        inside = [
            Invalid(p.field.removeprefix("models[0]").removeprefix("."), p.refused, p.accepts)
            for p in wrong.problems
        ]
        raise ManyInvalid(inside, fact("pack.the-model")) from wrong


def read_parts(text: str, schema_folder: Path, name: str) -> PartsPack:
    """Suppliers, label patterns and parts of one pack; an offer must name a supplier of the pack."""
    pack = _checked(text, schema_folder / "parts.schema.json", name)
    suppliers = {raw["id"]: raw for raw in pack["suppliers"]}
    interchange = tuple(Interchange(**raw) for raw in pack.get("interchange", ()))
    problems = [
        Invalid(
            f"parts[{i}].offers[{j}].supplier",
            offer["supplier"],
            fact("pack.name-one-of", names=tuple(suppliers)),
        )
        for i, part in enumerate(pack["parts"])
        for j, offer in enumerate(part["offers"])
        if offer["supplier"] not in suppliers
    ]
    problems += [
        Invalid(f"parts[{i}].gtin", part["gtin"], fact("pack.check-digit"))
        for i, part in enumerate(pack["parts"])
        if "gtin" in part and not ean.is_valid(part["gtin"])
    ]
    problems += [Invalid("interchange", tangle, fact("pack.cannot-be-so")) for tangle in tangles(interchange)]
    refuse(problems, name)
    return PartsPack(
        id=pack["pack"],
        suppliers=suppliers,
        labels=tuple(LabelPattern(**raw) for raw in pack["labels"]),
        interchange=interchange,
        parts=tuple((_part(raw), raw) for raw in pack["parts"]),
    )


@cache
def schema(file: Path) -> dict[str, Any]:
    """A published JSON Schema, read once."""
    read: dict[str, Any] = json.loads(file.read_text("utf-8"))
    return read


# null characters and halves of a pair, which no database keeps
_UNKEEPABLE = re.compile("[\x00\ud800-\udfff]")


def _parsed(text: str, name: str) -> Any:
    try:
        read = json.loads(text, parse_constant=_no_number, object_pairs_hook=_once_each)
        if bad := _UNKEEPABLE.search(json.dumps(read, ensure_ascii=False)):
            raise ValueError(f"U+{ord(bad[0]):04X}")
        return read
    except json.JSONDecodeError as broken:
        place = f"line {broken.lineno}, column {broken.colno}"
        raise ManyInvalid([Invalid(place, broken.msg, fact("pack.valid-json"))], name) from broken
    except (ValueError, RecursionError) as broken:
        accepts = fact("pack.nested")
        raise ManyInvalid([Invalid("the file", str(broken)[:60], accepts)], name) from broken


def _no_number(word: str) -> None:
    raise ValueError(f"{word} is no number")


def _once_each(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    names = [name for name, _ in pairs]
    twice = sorted({name for name in names if names.count(name) > 1})
    if twice:
        raise ValueError(f"“{twice[0]}” stands twice in one place")
    return dict(pairs)


def _checked(text: str, schema_file: Path, name: str) -> dict[str, Any]:
    from jsonschema import Draft202012Validator  # slow to import; only loading packs needs it

    data = _parsed(text, name)
    errors = Draft202012Validator(schema(schema_file)).iter_errors(data)
    problems = [
        problem
        for error in sorted(errors, key=lambda e: [str(p) for p in e.absolute_path])
        for problem in _problems(error)
    ]
    refuse(problems, name)
    checked: dict[str, Any] = data
    return checked


_PATTERNS = {
    "^[a-z0-9][a-z0-9-]{0,60}$": "pack.id",
    "^[0-9]{8}$": "pack.eight-digits",
    "^P-[0-9]{4,8}$": "pack.barcode",
    "^[0-9]{8}$|^[0-9]{12,14}$": "pack.gtin",
    "^[0-9]{1,7}\\.[0-9]{2}$": "pack.amount",
}
_TYPES = {
    "number": "pack.number",
    "integer": "pack.integer",
    "string": "pack.string",
    "boolean": "pack.boolean",
    "array": "pack.array",
    "object": "pack.object",
    "null": "pack.null",
}
_BOUNDS = {
    "minimum": "pack.minimum",
    "maximum": "pack.maximum",
    "exclusiveMinimum": "pack.exclusiveMinimum",
    "minLength": "pack.minLength",
    "maxLength": "pack.maxLength",
    "minItems": "pack.minItems",
    "minProperties": "pack.minProperties",
    "anyOf": "pack.pieces-or-steps",
}


def _problems(error: Any) -> Iterator[Invalid]:
    """One error of the schema in the shop's words, at the place where something has to be changed."""
    path, rule, value = list(error.absolute_path), error.validator_value, error.instance
    if error.validator == "required":
        # jsonschema names one missing property in each error
        yield from (
            Invalid(_place([*path, name]), "", fact("pack.must-be-there"))
            for name in rule
            if name not in value and f"{name!r} is a required" in error.message
        )
    elif error.validator == "additionalProperties" and error.schema.get("properties"):
        known = error.schema["properties"]
        yield from (
            Invalid(_place([*path, name]), name, fact("pack.no-such-name"))
            for name in value
            if name not in known
        )
    else:
        yield Invalid(_place(path), _short(value), _accepts(error.validator, rule))


def _accepts(validator: str, rule: Any) -> Fact:
    if validator == "type":
        kinds = rule if isinstance(rule, list) else [rule]
        return fact("pack.any-of", kinds=tuple(Fact(_TYPES[str(kind)]) for kind in kinds))
    if validator == "enum":
        return fact("pack.use-one-of", values=tuple(map(str, rule)))
    if validator == "const":
        return fact("pack.reads", format=str(rule))
    if validator == "pattern":
        return Fact(_PATTERNS[rule]) if rule in _PATTERNS else fact("pack.pattern", pattern=rule)
    if (validator, rule) == ("minLength", 1):
        return fact("pack.write-something")
    return Fact(_BOUNDS.get(validator, "pack.schema"), (("rule", str(rule)),))


def _place(path: list[str | int]) -> str:
    place = "".join(f"[{part}]" if isinstance(part, int) else f".{part}" for part in path)
    return place.lstrip(".") or "the file"


def _short(value: object) -> str:
    text = value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 60 else text[:57] + "…"


def _box(raw: Mapping[str, Any]) -> Box:
    return Box(x=raw["x"], y=raw["y"], width=raw["width"], height=raw["height"])


def model_from_json(raw: Mapping[str, Any]) -> Model:
    """A core value from one model's JSON that has passed the schema."""
    model = Model(
        **{key: raw[key] for key in _PLAIN},
        released=raw.get("released", 0),
        new_price=raw.get("new_price", ""),
        adhesive_on=raw.get("adhesive_on", "frame"),
        lid_held=raw.get("lid_held", ""),
        numbers=tuple(
            NumberPattern(kind=NumberKind(n["kind"]), text=n["text"], rest=n.get("rest", ""))
            for n in raw["numbers"]
        ),
        face=face_from_json(raw["face"]),
        functions=tuple(Function(**f) for f in raw["functions"]),
        screws=tuple(_screws(s) for s in raw["screws"]),
        tacs=tuple(raw["tacs"]),
        seals=tuple(Seal(**s) for s in raw["seals"]),
        heat_limits=tuple(HeatLimit(**limit) for limit in raw["heat_limits"]),
        opening_tools=tuple(OpeningTool(**tool) for tool in raw["opening_tools"]),
        connectors=tuple(_connector(c) for c in raw["connectors"]),
        steps=tuple(step_from_json(step) for step in raw.get("steps", ())),
        rework=tuple(raw.get("rework", ())),
        pieces=tuple(piece_from_json(piece) for piece in raw.get("pieces", ())),
        acts=tuple(act_from_json(act) for act in raw.get("acts", ())),
        own_frees=tuple(raw.get("frees", ())),
        move_over=tuple(raw["move_over"]),
        demands=raw.get("demands", {}),
        supplies=tuple(Supplied(**entry) for entry in raw.get("supplies", ())),
        routes=tuple(
            OtherRoute(
                **{
                    **entry,
                    "move_over": tuple(entry.get("move_over", ())),
                    "frees": tuple(entry.get("frees", ())),
                }
            )
            for entry in raw.get("routes", ())
        ),
    )
    return with_sheet(model)


_PLAIN = (
    "id",
    "maker",
    "name",
    "device_class",
    "construction",
    "procedure_family",
    "part_family",
    "need",
    "minutes",
    "cure_minutes",
    "seal",
    "seals_ruled_out",
    "warranty_days",
    "features",
    "closed_test",
)


def face_from_json(raw: Mapping[str, Any]) -> Face:
    """A face from its JSON that has passed the schema; KeyError or TypeError when it has not."""
    return Face(
        width_mm=raw["width_mm"],
        height_mm=raw["height_mm"],
        corner_mm=raw["corner_mm"],
        glass=_box(raw["glass"]),
        active=_box(raw["active"]),
        opening_edge=raw["opening_edge"],
        edges={edge: EdgeLimit(**raw["edges"][edge]) for edge in EDGES},
        spots=tuple(Spot(**{**spot, "box": _box(spot["box"])}) for spot in raw["spots"]),
        keep_outs=tuple(KeepOut(**{**keep, "box": _box(keep["box"])}) for keep in raw["keep_outs"]),
    )


def _connector(raw: Mapping[str, Any]) -> Connector:
    return Connector(**{**raw, "at": Point(**raw["at"]) if raw.get("at") else None})


def _screws(raw: Mapping[str, Any]) -> ScrewGroup:
    places = tuple(Point(**place) for place in raw["at"])
    return ScrewGroup(
        **{**raw, "bits": tuple(raw["bits"]), "at": places, "lengths_mm": tuple(raw.get("lengths_mm", ()))}
    )


def _part(raw: Mapping[str, Any]) -> PackPart:
    return PackPart(
        barcode=raw["barcode"],
        name=raw["name"],
        bin=raw["bin"],
        printed_number=raw["printed_number"],
        grade=raw["grade"],
        gtin=raw.get("gtin", ""),
        attributes=raw["attributes"],
        box=tuple(raw["box"]),
        offers=tuple(
            PartOffer(
                supplier=offer["supplier"],
                number=offer["number"],
                price_minor=int(Decimal(offer["price"]) * 100),
                lead_days=offer["lead_days"],
                minimum=offer.get("minimum", 1),
                pack=offer.get("pack", 1),
                guarantee_days=offer.get("guarantee_days"),
                returns=offer.get("returns", ""),
            )
            for offer in raw["offers"]
        ),
    )


# -- writing --------------------------------------------------------------------------------


def model_to_json(model: Model, schema_folder: Path) -> dict[str, Any]:
    """One model's JSON as a pack writes it; what is left out there when it says nothing is left out here."""
    raw = json.loads(json.dumps(asdict(model)))
    frees = raw.pop("own_frees")
    if model.adhesive_on == "frame":
        # as everywhere where nothing is said
        del raw["adhesive_on"]
    raw["steps"] = json.loads(json.dumps([step_to_json(step) for step in model.steps]))
    if model.pieces:
        # its sheet is worked out of them
        del raw["steps"], raw["rework"]
        raw |= {
            "pieces": [written_piece(piece) for piece in raw["pieces"]],
            "acts": [written_act(act) for act in raw["acts"]],
            "frees": frees,
        }
    rule = schema(schema_folder / "models.schema.json")["properties"]["models"]["items"]
    # in a need, null is not nothing: it says that nobody knows it yet
    return {**_without_nothing(raw, rule), "need": raw["need"]}


def _without_nothing(value: Any, rule: Mapping[str, Any]) -> Any:
    if isinstance(value, dict):
        known, required = rule.get("properties", {}), rule.get("required", [])
        return {
            name: _without_nothing(one, known.get(name, {}))
            for name, one in value.items()
            if one or name in required or name not in known
        }
    if isinstance(value, list):
        return [_without_nothing(entry, rule.get("items", {})) for entry in value]
    return value


_ORDER_BY = {"models": "id", "parts": "barcode", "suppliers": "id"}


def canonical(data: Mapping[str, Any], schema_file: Path) -> str:
    """A pack in its one canonical form: keys in the order of the schema, models by id, parts by barcode, free
    names
    sorted, whole numbers without a point, what fits on one line on one line.
    """
    ordered = {
        key: sorted(value, key=lambda one: one[_ORDER_BY[key]]) if key in _ORDER_BY else value
        for key, value in data.items()
    }
    return _written(_in_order(ordered, schema(schema_file)), "") + "\n"


def _in_order(value: Any, rule: Mapping[str, Any]) -> Any:
    if isinstance(value, Mapping):
        known = rule.get("properties", {})
        names = [name for name in known if name in value] + sorted(set(value) - set(known))
        return {name: _in_order(value[name], known.get(name, {})) for name in names}
    if isinstance(value, list):
        return [_in_order(entry, rule.get("items", {})) for entry in value]
    return int(value) if isinstance(value, float) and value.is_integer() else value


def _written(value: Any, indent: str) -> str:
    flat = json.dumps(value, ensure_ascii=False)
    if len(indent) + len(flat) <= LINE or not isinstance(value, dict | list) or not value:
        return flat
    deeper = indent + "  "
    if isinstance(value, list):
        inner = [deeper + _written(entry, deeper) for entry in value]
        return "[\n" + ",\n".join(inner) + f"\n{indent}]"
    inner = [
        f"{deeper}{json.dumps(key, ensure_ascii=False)}: {_written(one, deeper)}"
        for key, one in value.items()
    ]
    return "{\n" + ",\n".join(inner) + f"\n{indent}}}"
