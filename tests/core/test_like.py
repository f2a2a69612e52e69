"""A new model like another: what goes with the outline, what says that nobody has looked, what is refused."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import cache
from typing import Any

import pytest
from builders import examples, models
from hypothesis import given
from hypothesis import strategies as st

from sutura.config import CATALOGUE
from sutura.core.catalogue import like as rules
from sutura.core.errors import ManyInvalid

TYPED = {"name": "Wader", "numbers": "WD-1\nWD1*", "minutes": "40"}


@cache
def packs() -> Mapping[str, dict[str, Any]]:
    files = sorted((CATALOGUE / "models").glob("*.json"))
    read = [json.loads(file.read_text("utf-8")) for file in files]
    return {raw["id"]: raw for one in read for raw in one["models"] if raw["numbers"]}


def typed(raw: dict[str, Any], **changes: str) -> dict[str, str]:
    return {**rules.asked_of(raw), **TYPED, **changes}


def made(raw: dict[str, Any], need: dict[str, Any] | None = None, **changes: str) -> dict[str, Any]:
    said = {**raw["need"], "printed_number": None} if need is None else need
    return dict(rules.like(raw, rules.read_but(typed(raw, **changes), said)))


@pytest.mark.parametrize("model_id", sorted(packs()))
def test_with_the_same_outline_nothing_moves(model_id: str) -> None:
    raw = packs()[model_id]
    new = made(raw)
    for name in (
        "screws",
        "connectors",
        "functions",
        "move_over",
        "seals",
        "construction",
        "procedure_family",
    ):
        assert new[name] == raw[name], name
    for name in ("glass", "active", "spots"):
        assert new["face"].get(name) == raw["face"].get(name), name
    assert (new["id"], new["minutes"]) == (f"{raw['maker'].lower()}-wader", 40)
    assert [(one["kind"], one["text"]) for one in new["numbers"]] == [("exact", "WD-1"), ("prefix", "WD1")]


@given(st.sampled_from(sorted(packs())), st.integers(-8, 60), st.integers(-8, 60))
@examples(60)
def test_glass_and_picture_keep_their_distance_and_every_place_lies_inside(
    model_id: str, wider: int, higher: int
) -> None:
    """From the rule: the distance of a box from each edge of the outline before and after is the same."""
    raw = packs()[model_id]
    old, across, down = raw["face"], raw["face"]["width_mm"] + wider, raw["face"]["height_mm"] + higher
    new = made(raw, width_mm=f"{across:.2f}", height_mm=f"{down:.2f}")["face"]
    for name in ("glass", "active"):
        before, after = old[name], new[name]
        assert after["x"] == pytest.approx(before["x"] * across / old["width_mm"], abs=0.06) or (
            after["x"] == before["x"]
        )
        right = old["width_mm"] - before["x"] - before["width"]
        assert across - after["x"] - after["width"] == pytest.approx(right, abs=0.02)
        below = old["height_mm"] - before["y"] - before["height"]
        assert down - after["y"] - after["height"] == pytest.approx(below, abs=0.02)
    for one in made(raw, width_mm=f"{across:.2f}", height_mm=f"{down:.2f}")["screws"]:
        for place in one.get("at", ()):
            assert -0.1 <= place["x"] <= across + 0.1
            assert -0.1 <= place["y"] <= down + 0.1


def test_every_limit_says_whose_it_is_once() -> None:
    raw = packs()["fennick-heron"]
    twice = made(made(raw), name="Stint", numbers="ST-1")
    limits = [*twice["face"]["edges"].values(), *twice["face"]["keep_outs"], *twice["heat_limits"]]
    assert limits
    for limit in limits:
        assert limit["why"].count("nobody has looked here") == 1
        assert "as on the Fennick Wader" in limit["why"]


def test_parts_are_the_siblings_only_where_that_is_said() -> None:
    raw = packs()["fennick-heron"]
    own, same = made(raw), made(raw, same_parts="yes")
    assert own["part_family"] == own["need"]["part_family"] == "fennick-wader"
    assert same["part_family"] == same["need"]["part_family"] == raw["part_family"]
    # the number that another model's part carries is not taken for its own
    assert own["need"]["printed_number"] is None


def test_what_is_not_said_of_the_screen_is_not_known_and_its_size_goes_with_the_outline() -> None:
    raw = packs()["fennick-heron"]
    new = made(raw, {"connector_pins": 44}, width_mm="72.8")
    assert (new["need"]["connector_pins"], new["need"]["refresh_hz"]) == (44, None)
    assert new["need"]["kind"] == raw["need"]["kind"]
    assert new["need"]["width_mm"] == pytest.approx(raw["need"]["width_mm"] + 2)


@pytest.mark.parametrize(
    ("changes", "field"),
    [
        ({"name": " "}, "name"),
        ({"numbers": ""}, "numbers"),
        ({"numbers": "x"}, "numbers"),
        ({"tacs": "1234"}, "tacs"),
        ({"width_mm": "wide"}, "width_mm"),
        ({"minutes": ""}, "minutes"),
        ({"minutes": "soon"}, "minutes"),
        ({"released": "1066"}, "released"),
        ({"new_price": "dear"}, "new_price"),
        ({"features": "blue"}, "features"),
    ],
)
def test_what_cannot_be_taken_is_refused_at_its_field(changes: dict[str, str], field: str) -> None:
    raw = packs()["fennick-heron"]
    with pytest.raises(ManyInvalid) as refused:
        rules.read_but(typed(raw, **changes), raw["need"])
    assert [problem.field for problem in refused.value.problems] == [field]


def test_the_nearest_is_of_the_class_then_of_the_maker_then_of_the_size() -> None:
    found = rules.nearest(models().values(), "phone", "fennick", 72, 149)
    assert len(found) == rules.MOST_NEAR
    assert {one.device_class for one in found} == {"phone"}
    first = [one for one in found if one.maker == "Fennick"]
    assert list(found[: len(first)]) == first, "the maker's own stand first"
    apart = [abs(one.face.width_mm - 72) + abs(one.face.height_mm - 149) for one in first]
    assert apart == sorted(apart)
