"""A form made from the packs' own schema: what is drawn is read back the same, and every problem has its
field.
"""

from __future__ import annotations

import copy
import json
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.config import CATALOGUE, SCHEMAS
from sutura.core.errors import ManyInvalid
from sutura.core.typed import Entered
from sutura.formats.pack import check_model, schema
from sutura.web.schema_form import Field, Group, Part, Rows, change_rows, draw, read

RULE = schema(SCHEMAS / "models.schema.json")["properties"]["models"]["items"]
MODELS = {
    raw["id"]: raw
    for file in (CATALOGUE / "models").glob("*.json")
    for raw in json.loads(file.read_text("utf-8"))["models"]
}
HERON = MODELS["fennick-heron"]


def fields(part: Part) -> Iterator[tuple[str, str]]:
    """What a browser would send of a form."""
    if isinstance(part, Field):
        if part.kind != "tick" or part.value:
            yield part.name, part.value
    elif isinstance(part, Group):
        for one in part.parts:
            yield from fields(one)
    elif isinstance(part, Rows):
        for row in part.rows:
            yield f"{row.name}#", "1"
            yield from fields(row)


def sent(raw: dict[str, Any], **changes: str) -> Entered:
    return Entered.of(dict(fields(draw(raw, RULE))) | changes)


@pytest.mark.parametrize("model_id", list(MODELS))
def test_every_shipped_model_comes_back_from_its_form_unchanged(model_id: str) -> None:
    assert read(sent(MODELS[model_id]), RULE) == MODELS[model_id]


def test_every_place_a_refusal_can_name_in_a_broken_model_has_a_field() -> None:
    raw = copy.deepcopy(HERON)
    raw["minutes"] = "soon"
    raw["face"]["spots"][0]["box"]["width"] = -1
    raw["acts"][2]["heat"]["where"] = ""
    del raw["screws"][0]["count"]
    raw["acts"][0]["phase"] = ""
    names = {name for name, _ in fields(draw(raw, RULE))}
    with pytest.raises(ManyInvalid) as refused:
        check_model(read(sent(raw), RULE), SCHEMAS, "fennick")
    found = {problem.field for problem in refused.value.problems}
    assert {
        "minutes",
        "face.spots[0].box.width",
        "screws[0].count",
        "acts[0].phase",
        "acts[2].heat.where",
    } <= found
    assert found <= names


def test_what_is_no_number_stays_as_typed_and_a_decimal_comma_is_one() -> None:
    back = read(sent(HERON, **{"minutes": "soon", "face.width_mm": "70,8"}), RULE)
    assert back["minutes"] == "soon"
    assert back["face"]["width_mm"] == 70.8


def test_a_need_can_be_left_out_known_or_not_known() -> None:
    back = read(sent(HERON, **{"need.touch": "?", "need.finish": "", "need.colour": "blue"}), RULE)["need"]
    assert back["touch"] is None
    assert "finish" not in back
    assert back["colour"] == "blue"


def test_a_group_that_nobody_filled_in_is_left_out() -> None:
    cleared = {
        "acts[2].heat.target_c": "",
        "acts[2].heat.minutes": "",
        "acts[2].heat.with_what": "",
        "acts[2].heat.where": "",
    }
    assert "heat" not in read(sent(HERON, **cleared), RULE)["acts"][2]


def test_rows_are_added_moved_and_taken_out() -> None:
    raw: dict[str, Any] = {"steps": [{"id": "a"}, {"id": "b"}, {"id": "c"}]}

    def order() -> list[str]:
        return [entry.get("id", "new") for entry in raw["steps"]]

    assert (change_rows(raw, "down:steps[0]"), order()) == ("steps[1]", ["b", "a", "c"])
    assert (change_rows(raw, "up:steps[2]"), order()) == ("steps[1]", ["b", "c", "a"])
    assert (change_rows(raw, "up:steps[0]"), order()) == ("steps[0]", ["b", "c", "a"])
    assert (change_rows(raw, "drop:steps[1]"), order()) == ("steps", ["b", "a"])
    assert (change_rows(raw, "add:steps"), order()) == ("steps[2]", ["b", "a", "new"])
    assert change_rows(raw, "add:face.spots") == "face.spots[0]"


@given(
    st.text(max_size=20)
    | st.sampled_from(["drop:steps[99]", "add:id", "up:steps", "add:id.x.y", "drop:", "add:[0]"])
)
def test_an_act_that_names_nothing_does_no_harm(act: str) -> None:
    raw = copy.deepcopy(HERON)
    change_rows(raw, act)
    assert {key: raw[key] for key in HERON} == HERON


@given(
    st.dictionaries(
        st.text(max_size=12) | st.sampled_from(["steps[0]#", "steps[9999]#", "numbers[1]#", "need.touch"]),
        st.text(max_size=12),
    )
)
def test_any_form_is_read_into_something_that_can_be_refused(entered: dict[str, str]) -> None:
    with pytest.raises(ManyInvalid):
        check_model(read(Entered.of(entered), RULE), SCHEMAS, "fennick")
