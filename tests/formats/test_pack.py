"""A wrong pack is refused whole, with every error and its place. The schema is the published JSON Schema."""

from __future__ import annotations

import contextlib
import copy
import json
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from sutura.config import CATALOGUE
from sutura.core.errors import ManyInvalid
from sutura.formats.pack import canonical, model_from_json, model_to_json, read_models, read_pack, read_parts

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
        pack["models"][0]["acts"][2]["heat"]["target_c"] = 400
        del pack["models"][0]["functions"][0]["how"]
        pack["models"][0]["colour"] = "blue"

    places = refused_places(spoil)
    assert len(places) >= 4
    assert {
        "models[0].minutes",
        "models[0].acts[2].heat.target_c",
        "models[0].functions[0].how",
        "models[0].colour",
    } <= set(places)


def test_sense_is_checked_after_shape_with_the_same_places() -> None:
    def forget_screws(pack: dict[str, Any]) -> None:
        for piece in pack["models"][0]["pieces"]:
            if piece["id"] == "bottom":
                del piece["screws"]

    assert refused_places(forget_screws) == ["models[0].screws[0].id", "models[0].pieces[0].screws"]


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


# -- one canonical form: written, read, written again -------------------------------------------


@pytest.mark.parametrize("file", sorted(CATALOGUE.glob("[mp]*/*.json")), ids=lambda file: file.name)
def test_the_shipped_packs_are_in_canonical_form_byte_for_byte(file: Any) -> None:
    text = file.read_text("utf-8")
    assert canonical(json.loads(text), SCHEMAS / f"{file.parent.name}.schema.json") == text


@pytest.mark.parametrize("file", sorted((CATALOGUE / "models").glob("*.json")), ids=lambda file: file.name)
def test_a_model_read_and_written_is_the_same_json(file: Any) -> None:
    for model, raw in read_models(file.read_text("utf-8"), SCHEMAS, file.name):
        assert model_to_json(model, SCHEMAS) == raw
        assert model_from_json(model_to_json(model, SCHEMAS)) == model


words = st.text(st.characters(exclude_categories=["Cs", "Cc"]), min_size=1, max_size=30)
lengths = st.integers(1, 400) | st.floats(0.01, 400, allow_nan=False).map(lambda n: round(n, 2))


@st.composite
def changed_packs(draw: st.DrawFn) -> dict[str, Any]:
    """The shipped pack with models left out, renamed and resized, free maps refilled, keys in any order."""
    pack = copy.deepcopy(HERON)
    pack["models"] = draw(st.permutations(pack["models"]))[draw(st.integers(0, 1)) :]
    for model in pack["models"]:
        model["name"] = draw(words)
        model["features"] = draw(st.dictionaries(words, words, max_size=3))
        model["face"]["corner_mm"] = draw(st.integers(0, 9) | st.just(4.5))
        model["need"] |= draw(
            st.dictionaries(st.sampled_from(["touch", "finish", "colour"]), st.none() | words)
        )
        model["warranty_days"] = draw(st.integers(0, 3650))
    keys = draw(st.permutations(list(pack)))
    return {key: pack[key] for key in keys}


@given(changed_packs())
@settings(max_examples=20)
def test_any_pack_written_is_read_as_the_same_and_written_again_to_the_same_bytes(
    pack: dict[str, Any],
) -> None:
    text = canonical(pack, SCHEMAS / "models.schema.json")
    back = [raw for _, raw in read_models(text, SCHEMAS, "x.json")]
    assert sorted(pack["models"], key=lambda m: m["id"]) == back
    assert canonical(json.loads(text), SCHEMAS / "models.schema.json") == text
    assert canonical(dict(reversed(pack.items())), SCHEMAS / "models.schema.json") == text


@given(
    st.recursive(
        st.none() | st.booleans() | lengths | words,
        lambda inner: st.lists(inner, max_size=3) | st.dictionaries(words, inner, max_size=3),
    )
)
def test_reading_a_pack_never_does_anything_but_read_or_refuse(value: Any) -> None:
    for text in (json.dumps(value), json.dumps({"pack": "x", "format": 2, "models": value}), str(value)):
        with contextlib.suppress(ManyInvalid):
            read_pack(text, SCHEMAS, "x.json")


@pytest.mark.parametrize(
    ("text", "place", "says"),
    [
        ('{"pack": "x", "pack": "y"}', "the file", "stands twice"),
        ('{"pack": NaN}', "the file", "no number"),
        ("[" * 100_000, "the file", "not nested deeper"),
        ('{"pack": "X Y", "format": 2, "models": []}', "pack", "small letters, digits and hyphens"),
        ('{"pack": "x", "format": 1, "models": []}', "format", "use one of: 2, 3"),
        ('{"pack": "x", "format": 2}', "models", "it must be there"),
        ('{"pack": "x", "format": 2, "models": {}}', "models", "write a list"),
        ('{"pack": "x", "format": 2, "models": [], "extra": 1}', "extra", "no such name here"),
    ],
)
def test_a_refusal_is_in_the_shops_words_at_its_place(text: str, place: str, says: str) -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_pack(text, SCHEMAS, "x.json")
    assert any(p.field == place and says in f"{p.refused} {p}" for p in refused.value.problems), (
        refused.value.problems
    )


def test_a_model_without_a_number_is_refused_except_as_a_template() -> None:
    assert refused_places(lambda pack: pack["models"][0].update(numbers=[])) == ["models[0].numbers"]


def test_an_article_number_with_a_wrong_check_digit_is_refused_with_its_place() -> None:
    pack = copy.deepcopy(PARTS)
    pack["parts"][1]["gtin"] = "2000000010015"
    with pytest.raises(ManyInvalid) as refused:
        read_parts(json.dumps(pack), SCHEMAS, "parts.json")
    assert [p.field for p in refused.value.problems] == ["parts[1].gtin"]
