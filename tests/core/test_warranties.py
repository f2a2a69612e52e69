"""Terms of the warranty: by grade and work, as typed and kept. Common practice, no source."""

from __future__ import annotations

import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import ManyInvalid
from sutura.core.handover.warranties import (
    MOST_DAYS,
    USUAL_TERMS,
    Terms,
    read_terms,
    stands_alone,
    terms_texts,
    warranty_of,
)
from sutura.core.matching.offers import GRADES

SAID = {"voids": "Opened by others; liquid."}


def test_the_warranty_goes_by_the_shortest_grade() -> None:
    terms = Terms(grades={"aftermarket": 90, "genuine new": 365})
    assert warranty_of(terms, [], 180) == 180
    assert warranty_of(terms, ["refurbished"], 180) == 180
    assert warranty_of(terms, ["genuine new"], 180) == 365
    assert warranty_of(terms, ["genuine new", "aftermarket"], 180) == 90
    assert warranty_of(terms, ["genuine new", "refurbished"], 180) == 180
    assert warranty_of(USUAL_TERMS, GRADES, 77) == 77


@given(
    st.dictionaries(st.sampled_from(GRADES), st.integers(0, MOST_DAYS)), st.none() | st.integers(0, MOST_DAYS)
)
def test_terms_are_read_back_from_their_form(grades: dict[str, int], work: int | None) -> None:
    terms = Terms(grades=grades, work_days=work, voids="Opened by others.")
    assert read_terms(terms_texts(terms)) == terms


def test_open_is_as_the_model_says() -> None:
    read = read_terms({**SAID, "grade.refurbished": " ", "work_days": "", "grade.nonsense": "7"})
    assert (read.grades, read.work_days) == ({}, None)
    assert read_terms({**SAID, "work_days": "0", "grade.refurbished": "0"}) == Terms(
        grades={"refurbished": 0}, work_days=0, voids=SAID["voids"]
    )


def test_every_problem_is_said_at_once() -> None:
    bad = {
        "work_days": "-1",
        "grade.refurbished": "long",
        "grade.aftermarket": str(MOST_DAYS + 1),
        "voids": "no",
    }
    with pytest.raises(ManyInvalid) as refused:
        read_terms(bad)
    assert {one.field for one in refused.value.problems} == set(bad)
    with pytest.raises(ManyInvalid):
        read_terms({"voids": "x" * 601})
    assert len(read_terms({"voids": "x" * 600}).voids) == 600
    assert read_terms({"voids": "Force"}).voids == "Force"
    assert MOST_DAYS == 3_650, "ten years"


def test_the_shop_is_told_where_its_supplier_answers_for_less() -> None:
    """Every pair of days, by the rule: at the day it stands together, one less and it stands alone."""
    for promised in (0, 1, 90, 180):
        for answered in (0, 1, 89, 90, 180, 365):
            alone = said(stands_alone(promised, [answered]))
            assert bool(alone) is (promised > 0 and answered < promised)
    assert said(stands_alone(180, [365, 90])).startswith(
        "The supplier answers for 90 days, we promise 180 days"
    )
    assert "does not say" in said(stands_alone(180, [365, None]))
    assert stands_alone(180, []) == ""
