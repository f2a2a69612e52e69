"""Refusals: paths that grow, and who saved before."""

from __future__ import annotations

import pytest

from sutura.core.errors import Invalid, StaleSave
from sutura.words.speech import PLAIN


@pytest.mark.parametrize(
    ("inner", "outer", "path"),
    [("price", "rows[2]", "rows[2].price"), ("", "rows", "rows"), ("a", "", "a"), ("", "", "")],
)
def test_the_path_of_a_problem_grows_and_has_no_lone_dot(inner: str, outer: str, path: str) -> None:
    assert Invalid(inner, "x", "y").under(outer).field == path


def test_a_stale_save_names_who_saved_or_somebody() -> None:
    assert "Pell" in PLAIN.say(StaleSave("This customer", "Pell", None, {}, {}))
    nobody = PLAIN.say(StaleSave("This customer", "", None, {}, {}))
    assert "someone else" in nobody
    assert "Pell" not in nobody
