"""Write the attributes of core's one table into the packs' JSON Schemas: run after adding or changing one."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

from sutura.config import SCHEMAS
from sutura.core.matching.attributes import ATTRIBUTES, DIAGONAL, Attribute, Kind

# what a part may have besides, and only a part: an adapter flex leads from its own place to another
_ONLY_PARTS = {"bridge": "Bridge in the box", "bridges_to": "An adapter leads to"}
_TEXT = {"type": "string", "minLength": 1, "maxLength": 400}
_NUMBER = {"type": "number", "exclusiveMinimum": 0}


def _value(attribute: Attribute, *, may_be_unknown: bool) -> dict[str, Any]:
    if attribute.choices:
        unknown = [None] if may_be_unknown else []
        return {"title": attribute.heading, "enum": [*attribute.choices, *unknown]}
    plain = dict(_TEXT if attribute.kind is Kind.TEXT else _NUMBER)
    if may_be_unknown:
        plain["type"] = [plain["type"], "null"]
    return {"title": attribute.heading, **plain}


def need_properties() -> dict[str, Any]:
    """What a need says: every attribute, unknown where nobody knows it yet; the kind is always known."""
    return {rule.name: _value(rule, may_be_unknown=rule.name != "kind") for rule in ATTRIBUTES}


def demand_properties() -> dict[str, Any]:
    """What a model may hold less strictly than usual."""
    held = [rule for rule in ATTRIBUTES if rule.name != "kind" and not rule.decides]
    return {rule.name: {"title": rule.heading, "enum": ["consent", "may"]} for rule in held}


def part_properties() -> dict[str, Any]:
    """What a part says of itself."""
    own = [rule for rule in (*ATTRIBUTES, DIAGONAL) if rule.value_of is None]
    return {rule.name: _value(rule, may_be_unknown=False) for rule in own} | {
        name: {"title": title, **_TEXT} for name, title in _ONLY_PARTS.items()
    }


def written(name: str) -> str:
    """A schema file as it must be."""
    schema = json.loads((SCHEMAS / name).read_text("utf-8"))
    if name.startswith("models"):
        model = schema["properties"]["models"]["items"]["properties"]
        model["need"]["properties"] = need_properties()
        model["demands"]["properties"] = demand_properties()
        model["routes"]["items"]["properties"]["need"]["properties"] = need_properties()
    else:
        part = schema["properties"]["parts"]["items"]["properties"]
        part["attributes"]["properties"] = part_properties()
    return json.dumps(schema, indent=2, ensure_ascii=False) + "\n"


FILES = ("models.schema.json", "parts.schema.json")

if __name__ == "__main__":
    for file in FILES:
        (SCHEMAS / file).write_text(written(file), "utf-8")
