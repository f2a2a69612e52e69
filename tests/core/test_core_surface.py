"""What core offers to the rest of the house, and the rules it lists."""

from __future__ import annotations

import ast
import doctest
import importlib
import inspect
import json
import pkgutil
import subprocess
import sys
from pathlib import Path

import pytest

import sutura.core
from sutura import corecall
from sutura.config import ROOT
from sutura.core import rules
from sutura.core.errors import Refusal

MODULES = [found.name for found in pkgutil.walk_packages(sutura.core.__path__, "sutura.core.")]


@pytest.mark.parametrize("name", MODULES)
def test_examples_in_the_docstrings_run(name: str) -> None:
    assert doctest.testmod(importlib.import_module(name)).failed == 0


@pytest.mark.parametrize("name", MODULES)
def test_public_things_say_what_they_are(name: str) -> None:
    module = importlib.import_module(name)
    assert module.__doc__
    for _, function in inspect.getmembers(module, inspect.isfunction):
        assert function.__module__ != name or function.__annotations__.get("return"), function


def test_core_never_asks_the_clock_or_chance() -> None:
    for file in Path(sutura.core.__path__[0]).rglob("*.py"):
        called = {
            node.attr
            for node in ast.walk(ast.parse(file.read_text("utf-8")))
            if isinstance(node, ast.Attribute)
        }
        assert not called & {"now", "utcnow", "today", "random", "urandom", "uuid4"} - {
            "today" if "handover" in file.name else ""
        }, file


def test_every_rule_has_an_id_of_its_own_a_sentence_and_a_source() -> None:
    ids = [rule.id for rule in rules.ALL]
    assert len(ids) == len(set(ids))
    assert all(rule.says.endswith((".", "…")) and rule.source for rule in rules.ALL)


def test_the_numbers_page_in_docs_is_that_of_the_code() -> None:
    """No number that a rule relies on changes unnoticed: each stands on the page with its source."""
    made = subprocess.run(
        [sys.executable, "scripts/constants.py", "--check"],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
    )
    assert made.returncode == 0, made.stderr


def test_the_rules_page_in_docs_lists_every_rule() -> None:
    text = (ROOT / "docs" / "rules.md").read_text("utf-8")
    missing = [rule.id for rule in rules.ALL if f"`{rule.id}`" not in text or rule.says not in text]
    assert not missing, "run scripts/rules.py"


def test_every_refusal_is_drawn_in_the_tree_on_top_of_its_file() -> None:
    from sutura.core import errors

    family = [
        kind.__name__ for _, kind in inspect.getmembers(errors, inspect.isclass) if issubclass(kind, Refusal)
    ]
    assert all(name in (errors.__doc__ or "") for name in family)


def test_exported_core_functions_are_these() -> None:
    """A change of the public surface is a decision, so it shows here."""
    expected = (ROOT / "tests" / "core" / "surface.txt").read_text("utf-8").split()
    assert sorted(corecall.functions()) == expected


@pytest.mark.parametrize("name", sorted(corecall.functions()))
def test_every_core_function_has_a_schema_of_what_goes_in(name: str) -> None:
    schema = corecall.schema(name)
    json.dumps(schema)
    assert schema["input"]["type"] == "object"


def test_a_core_function_runs_on_json() -> None:
    answer = corecall.call(
        "maths.money.split", '{"total": {"minor": 1000, "currency": "TAL"}, "shares": [1, 1, 1]}'
    )
    assert [part["minor"] for part in json.loads(answer)] == [334, 333, 333]


@pytest.mark.parametrize(
    "text", ["", "[]", '{"total": 1}', '{"total": {"minor": 1, "currency": "TAL"}, "shares": [1], "more": 2}']
)
def test_json_of_another_shape_is_refused_with_the_place(text: str) -> None:
    with pytest.raises(corecall.BadInput):
        corecall.call("maths.money.split", text)


def test_an_unknown_core_function_names_the_known_ones() -> None:
    with pytest.raises(corecall.BadInput, match=r"matching\.judge"):
        corecall.call("matching.guess", "{}")


@pytest.mark.parametrize("name", MODULES)
def test_no_rule_of_core_is_left_out_of_the_list(name: str) -> None:
    """A rule that stands in a module and not in the list is seen by nobody."""
    own = getattr(importlib.import_module(name), "RULES", ())
    listed = {rule.id for rule in rules.ALL}
    assert {rule.id for rule in own if hasattr(rule, "id")} <= listed
