"""A wrong pack is refused whole, with every error and its place. The schema is the published JSON Schema."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from sutura.config import CATALOGUE
from sutura.core.errors import ManyInvalid
from sutura.formats.pack import read_models, read_parts

SCHEMAS = CATALOGUE / "schema"
HERON: dict[str, Any] = json.loads((CATALOGUE / "models" / "fennick.json").read_text("utf-8"))
PARTS: dict[str, Any] = json.loads((CATALOGUE / "parts" / "parts.json").read_text("utf-8"))


def refused_places(change: Callable[[dict[str, Any]], None]) -> list[str]:
    pack = copy.deepcopy(HERON)
    change(pack)
    with pytest.raises(ManyInvalid) as refused:
        read_models(json.dumps(pack), SCHEMAS, "fennick.json")
    return [problem.field for problem in refused.value.problems]


@pytest.mark.parametrize("name", ["models.schema.json", "parts.schema.json"])
def test_the_published_schemas_are_valid_json_schema(name: str) -> None:
    Draft202012Validator.check_schema(json.loads((SCHEMAS / name).read_text("utf-8")))


@pytest.mark.parametrize("file", sorted((CATALOGUE / "models").glob("*.json")), ids=lambda file: file.name)
def test_shipped_model_packs_are_read(file: Any) -> None:
    models = read_models(file.read_text("utf-8"), SCHEMAS, file.name)
    assert models
    assert all(model.functions and model.steps for model, _ in models)


def test_a_wrong_value_is_refused_with_its_place() -> None:
    assert refused_places(lambda pack: pack["models"][0]["face"].update(width_mm="wide")) == [
        "models[0].face.width_mm"
    ]


def test_every_error_is_reported_not_only_the_first() -> None:
    def spoil(pack: dict[str, Any]) -> None:
        pack["models"][0]["minutes"] = 0
        pack["models"][0]["steps"][3]["heat"]["target_c"] = 400
        del pack["models"][0]["functions"][0]["how"]
        pack["models"][0]["colour"] = "blue"

    places = refused_places(spoil)
    assert len(places) >= 4
    assert {
        "models[0].minutes",
        "models[0].steps[3].heat.target_c",
        "models[0].functions[0].how",
        "models[0].colour",
    } <= set(places)


def test_sense_is_checked_after_shape_with_the_same_places() -> None:
    def forget_screws(pack: dict[str, Any]) -> None:
        for step in pack["models"][0]["steps"]:
            if step["id"] == "bottom-in":
                del step["screws"]

    assert refused_places(forget_screws) == ["models[0].screws[0]"]


def test_broken_json_is_refused_with_its_line() -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_models('{"pack": "x",\n "models": [', SCHEMAS, "x.json")
    assert refused.value.problems[0].field.startswith("line 2")


@pytest.mark.parametrize("text", ["[]", "null", "3", '""', "{}"])
def test_json_of_another_kind_is_refused_and_does_not_crash(text: str) -> None:
    with pytest.raises(ManyInvalid):
        read_models(text, SCHEMAS, "x.json")


def test_an_offer_of_an_unknown_supplier_is_refused_with_its_place() -> None:
    pack = copy.deepcopy(PARTS)
    pack["parts"][2]["offers"][0]["supplier"] = "nobody"
    with pytest.raises(ManyInvalid) as refused:
        read_parts(json.dumps(pack), SCHEMAS, "parts.json")
    assert refused.value.problems[0].field == "parts[2].offers[0].supplier"


def test_a_price_keeps_its_cents() -> None:
    pack = copy.deepcopy(PARTS)
    pack["parts"][0]["offers"][0]["price"] = "19.99"
    assert read_parts(json.dumps(pack), SCHEMAS, "parts.json").parts[0][0].offers[0].price_minor == 1999


@pytest.mark.parametrize("price", ["19,99", "-1.00", "1", 19.99, "1.999"])
def test_a_price_in_another_spelling_is_refused(price: object) -> None:
    pack = copy.deepcopy(PARTS)
    pack["parts"][0]["offers"][0]["price"] = price
    with pytest.raises(ManyInvalid):
        read_parts(json.dumps(pack), SCHEMAS, "parts.json")
