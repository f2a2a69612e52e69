"""A form made from a JSON Schema: JSON → fields with names like `steps[3].heat.where`, and back.

The names are the places that a refusal of the same JSON names, so every problem stands at its field.
Templates draw
the fields and decide nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from sutura.core.catalogue.like import NOT_KNOWN
from sutura.core.typed import Entered, read_decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One input. `kind` is text, long, number, lines, choice or tick."""

    name: str
    label: str
    kind: str
    value: str
    help: str = ""
    options: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """Several fields under one heading."""

    name: str
    label: str
    help: str
    parts: tuple[Part, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Rows:
    """A list of groups that can grow, shrink and be moved about."""

    name: str
    label: str
    help: str
    rows: tuple[Group, ...]


Part = Field | Group | Rows


# -- JSON → fields --------------------------------------------------------------------------


def draw(value: Any, rule: Mapping[str, Any], name: str = "", label: str = "") -> Part:
    """The fields of a JSON value by its schema."""
    label, help_text = rule.get("title", label), rule.get("description", "")
    if "properties" in rule:
        given = value if isinstance(value, Mapping) else {}
        parts = tuple(
            draw(given.get(key, _ABSENT), one, f"{name}.{key}".lstrip("."), key)
            for key, one in rule["properties"].items()
        )
        return Group(name=name, label=label, help=help_text, parts=parts)
    if rule.get("type") == "array" and rule["items"].get("type") == "object":
        rows = value if isinstance(value, list) else []
        groups = (
            draw(one, rule["items"], f"{name}[{index}]", _row_label(one, index))
            for index, one in enumerate(rows)
        )
        return Rows(
            name=name,
            label=label,
            help=help_text,
            rows=tuple(group for group in groups if isinstance(group, Group)),
        )
    return _field(value, rule, name, label, help_text)


_ABSENT = object()


def _row_label(row: Any, index: int) -> str:
    named = next(
        (str(row[key]) for key in ("id", "name", "text", "method", "where", "tool") if key in row), ""
    )
    return f"{index + 1} · {named}" if named else f"{index + 1}"


def _field(value: Any, rule: Mapping[str, Any], name: str, label: str, help_text: str) -> Field:
    kind, text, options = "text", "", ()
    if rule.get("type") == "boolean":
        kind, text = "tick", "yes" if value is True else ""
    elif "enum" in rule:
        kind, options = "choice", tuple(rule["enum"])
    elif rule.get("type") == "array":
        kind, text = "lines", "\n".join(map(str, value)) if isinstance(value, list) else ""
        help_text = help_text or "one a line"
    elif rule.get("type") == "object":
        kind = "lines"
        text = "\n".join(f"{k}: {v}" for k, v in value.items()) if isinstance(value, Mapping) else ""
        help_text = f"{help_text} One a line: a word, a colon, the rest.".strip()
    elif isinstance(value, str) and len(value) > 60:
        kind = "long"
    if kind in ("text", "long", "choice") and value is not _ABSENT:
        text = NOT_KNOWN if value is None else str(value)
    return Field(name=name, label=label, kind=kind, value=text, help=help_text, options=options)


# -- fields → JSON --------------------------------------------------------------------------


def read(entered: Entered, rule: Mapping[str, Any], name: str = "") -> Any:
    """The JSON value that the fields say; what is no number stays as typed, so that the refusal can
    quote it.
    """
    if "properties" in rule:
        values = {
            key: read(entered, one, f"{name}.{key}".lstrip(".")) for key, one in rule["properties"].items()
        }
        needed = rule.get("required", ())
        return {
            key: one
            for key, one in values.items()
            if one is not _ABSENT and (key in needed or not _nothing(one))
        }
    if rule.get("type") == "array" and rule["items"].get("type") == "object":
        return [read(entered, rule["items"], f"{name}[{row}]") for row in _rows(entered, name)]
    return _value(entered.text(name).strip(), rule)


def _nothing(value: Any) -> bool:
    """Nothing was entered, in a field or in all fields of a group. Null is not nothing: it says that nobody
    knows.
    """
    if isinstance(value, dict):
        return all(_nothing(entry) for entry in value.values())
    return value is _ABSENT or value is False or value == "" or value == []


def _rows(entered: Entered, name: str) -> Iterator[int]:
    """The rows that the form had, by their hidden mark, in order."""
    mark = re.compile(re.escape(name) + r"\[([0-9]{1,4})\]#")
    return iter(sorted(int(m[1]) for field in entered.fields if (m := mark.fullmatch(field))))


def _value(text: str, rule: Mapping[str, Any]) -> Any:
    kinds = rule.get("type", "string")
    kinds = kinds if isinstance(kinds, list) else [kinds]
    if "boolean" in kinds:
        return text == "yes"
    if "array" in kinds:
        lines = [line.strip() for line in text.splitlines() if line.strip()]
        return [_number(line) for line in lines] if rule["items"].get("type") == "number" else lines
    if "object" in kinds:
        pairs = (line.partition(":") for line in text.splitlines() if line.strip())
        return {key.strip(): rest.strip() for key, _, rest in pairs}
    if "null" in kinds and text == NOT_KNOWN:
        return None
    if "number" in kinds or "integer" in kinds:
        return _number(text)
    return text


def _number(text: str) -> Any:
    if not text:
        return _ABSENT
    number = read_decimal(text)
    if number is None:
        return text
    return float(number) if number.as_tuple().exponent else int(number)


# -- rows added, taken out, moved -----------------------------------------------------------


def change_rows(raw: dict[str, Any], act: str) -> str:
    """Do `add:steps`, `drop:steps[3]`, `up:…` or `down:…` to the JSON; the name of the row to look at
    afterwards.

    An act that names nothing changes nothing.
    """
    what, _, name = act.partition(":")
    match = re.fullmatch(r"(.+?)(?:\[([0-9]{1,4})\])?", name)
    rows = _at(raw, match[1].split(".")) if match else None
    if not match or not isinstance(rows, list):
        return ""
    if what == "add":
        rows.append({})
        return f"{match[1]}[{len(rows) - 1}]"
    row = int(match[2] or -1)
    if not 0 <= row < len(rows):
        return ""
    to = row + {"up": -1, "down": 1}.get(what, 0)
    taken = rows.pop(row)
    if what == "drop":
        return match[1]
    rows.insert(max(to, 0), taken)
    return f"{match[1]}[{min(max(to, 0), len(rows) - 1)}]"


def _at(value: Any, keys: list[str]) -> Any:
    for place, key in enumerate(keys, start=1):
        if not isinstance(value, dict):
            return None
        value = value.setdefault(key, [] if place == len(keys) else {})
    return value
