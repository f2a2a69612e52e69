"""Core functions used alone: JSON in, JSON out, with a schema for each. The only edge besides the web."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Any, get_args, get_origin, get_type_hints

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError, create_model

import sutura.core
from sutura.core.errors import Invalid, ManyInvalid, Refusal
from sutura.core.facts import Fact
from sutura.formats.edid import read_edid_text
from sutura.words.speech import PLAIN

# helpers of core that are no capability and take nothing that JSON could say
NOT_CALLED = frozenset(
    {"errors", "facts", "rules", "values", "maths.plane", "typed.read_moment", "typed.refuse"}
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Problem:
    """How one refused value stands in JSON."""

    field: str
    refused: str
    accepts: str
    says: str


def _shown_type(hint: Any) -> Any:
    """A return type with refused values in their JSON form."""
    if hint is Invalid:
        return Problem
    arguments = tuple(_shown_type(argument) for argument in get_args(hint))
    return hint if arguments == get_args(hint) else get_origin(hint)[arguments]


def _shown(value: Any) -> Any:
    if isinstance(value, Invalid):
        return Problem(
            field=value.field,
            refused=PLAIN.say(value.refused) if isinstance(value.refused, Fact) else str(value.refused),
            accepts=PLAIN.say(value.accepts),
            says=PLAIN.say(value),
        )
    if isinstance(value, list):
        return [_shown(entry) for entry in value]
    return tuple(_shown(entry) for entry in value) if type(value) is tuple else value


class BadInput(Exception):
    """The JSON does not have the function's shape; the message lists every problem with its place."""


@cache
def functions() -> Mapping[str, Callable[..., Any]]:
    """Every public core function by its name, such as `matching.judge`, and the readers of open formats."""
    callables: dict[str, Callable[..., Any]] = {"formats.edid": read_edid_text}
    for found in pkgutil.walk_packages(sutura.core.__path__, "sutura.core."):
        name = found.name.removeprefix("sutura.core.")
        if name in NOT_CALLED:
            continue
        module = importlib.import_module(found.name)
        # a capability is one word, however many modules it has; mathematics is called by its module
        capability = name if name.startswith("maths.") else name.partition(".")[0]
        for function_name, function in inspect.getmembers(module, inspect.isfunction):
            if function.__module__ == found.name and not function_name.startswith("_"):
                callables[f"{capability}.{function_name}"] = function
    for name in NOT_CALLED & callables.keys():
        del callables[name]
    return callables


def find(name: str) -> Callable[..., Any]:
    known = functions()
    if name not in known:
        raise BadInput(f"there is no core function “{name}”; known are: {', '.join(sorted(known))}")
    return known[name]


def _arguments(function: Callable[..., Any]) -> type[BaseModel]:
    hints = get_type_hints(function)
    fields: dict[str, Any] = {
        parameter.name: (
            hints[parameter.name],
            ... if parameter.default is parameter.empty else parameter.default,
        )
        for parameter in inspect.signature(function).parameters.values()
    }
    return create_model(f"{function.__name__}_input", __config__=ConfigDict(extra="forbid"), **fields)


def schema(name: str) -> dict[str, Any]:
    """JSON Schema of what goes in and what comes out."""
    function = find(name)
    result = TypeAdapter(_shown_type(get_type_hints(function)["return"]))
    return {
        "name": name,
        "says": inspect.getdoc(function) or "",
        "input": _arguments(function).model_json_schema(),
        "output": result.json_schema(mode="serialization"),
    }


def call(name: str, text: str) -> bytes:
    """Run one core function on a JSON object of its arguments. A Refusal is an answer too."""
    function = find(name)
    try:
        read = _arguments(function).model_validate_json(text)
    except ValidationError as wrong:
        places = "; ".join(f"{'.'.join(map(str, e['loc'])) or 'input'}: {e['msg']}" for e in wrong.errors())
        raise BadInput(places) from wrong
    arguments = {field: getattr(read, field) for field in type(read).model_fields}
    answer = TypeAdapter(_shown_type(get_type_hints(function)["return"]))
    return answer.dump_json(_shown(function(**arguments)), indent=2)


def refusal_json(refusal: Refusal) -> dict[str, Any]:
    problems = [
        {"field": problem.field, "says": PLAIN.say(problem)}
        for problem in (refusal.problems if isinstance(refusal, ManyInvalid) else ())
    ]
    return {"refused": type(refusal).__name__, "says": PLAIN.say(refusal), "problems": problems}
