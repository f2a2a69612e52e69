"""Which device is it. IMEI and Luhn against python-stdnum (check-values section 2); W09 by common practice."""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest
from builders import HERON, PLAIN, models
from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz.distance import OSA, Levenshtein
from stdnum import imei, luhn

from sutura.core.catalogue import Model, NumberKind, NumberPattern
from sutura.core.errors import Invalid
from sutura.core.identify import (
    Scanned,
    Verdict,
    check_imei,
    collisions,
    edits_allowed,
    fold,
    identify,
    numbers_of,
    plain,
    read_scan,
)


def test_the_clean_prefix_is_sure_and_the_sales_suffix_is_ignored_aloud() -> None:
    found = identify("QD4417-B2", models().values())
    assert found.verdict is Verdict.SURE
    assert found.candidates[0].model.id == PLAIN
    assert "“17B2” is ignored (processor, memory and sales region)" in found.says


def test_the_misread_label_finds_the_model_as_likely_with_the_doubt_marked() -> None:
    found = identify("O044I7", models().values())
    assert found.verdict is Verdict.LIKELY
    candidate = found.candidates[0]
    assert candidate.model.id == PLAIN
    assert [c.text for c in candidate.characters if c.doubtful] == ["O", "0"]
    assert "Check these on the label" in found.says


def test_an_exact_number_needs_all_of_itself() -> None:
    assert identify("fh-2107", models().values()).candidates[0].model.id == HERON
    assert identify("FH-21", models().values()).verdict is Verdict.UNKNOWN


def test_a_name_is_never_more_than_ambiguous() -> None:
    found = identify("Heron", models().values())
    assert found.verdict is Verdict.AMBIGUOUS
    assert "read the number from the label" in found.says


@pytest.mark.parametrize("text", ["", "   ", "---", "\x00"])
def test_nothing_readable_is_unknown_and_says_what_to_do(text: str) -> None:
    found = identify(text, models().values())
    assert (found.verdict, found.candidates) == (Verdict.UNKNOWN, ())


@given(st.text(max_size=20))
def test_folding_twice_is_folding_once(text: str) -> None:
    assert fold(fold(text)) == fold(text)


@given(st.text(alphabet="QD0O4417IZSB-| ", max_size=10))
def test_what_was_folded_is_never_sure(text: str) -> None:
    found = identify(text, models().values())
    doubtful = [c for one in found.candidates for c in one.characters if c.doubtful]
    assert not (found.verdict is Verdict.SURE and doubtful)


# -- one or two characters misread; distances by rapidfuzz (library), lengths by common practice ----


def with_number(text: str, model_id: str = "other", kind: NumberKind = NumberKind.EXACT) -> Model:
    """A second model that differs from the Heron in its number alone."""
    return replace(
        models()[HERON], id=model_id, name=model_id.title(), numbers=(NumberPattern(kind=kind, text=text),)
    )


def test_one_wrong_character_is_a_suggestion_with_its_place_marked() -> None:
    found = identify("FH-2187", models().values())
    assert found.verdict is Verdict.LIKELY
    assert [c.text for c in found.candidates[0].characters if c.doubtful] == ["8"]
    assert "one character away from “FH2107”" in found.says


def test_two_swapped_neighbours_count_as_one_slip() -> None:
    """Optimal string alignment: CA/AC is one edit; plain Levenshtein counts two (check-values section 2)."""
    assert (OSA.distance("FH2170", "FH2107"), Levenshtein.distance("FH2170", "FH2107")) == (1, 2)
    assert identify("FH-2170", models().values()).verdict is Verdict.LIKELY


@pytest.mark.parametrize(
    ("read", "verdict"), [("FH-2999", Verdict.UNKNOWN), ("XD44", Verdict.UNKNOWN), ("QX44", Verdict.UNKNOWN)]
)
def test_short_numbers_and_long_ways_are_no_suggestion(read: str, verdict: Verdict) -> None:
    assert identify(read, models().values()).verdict is verdict


def test_two_models_one_character_apart_are_never_merged() -> None:
    """87.5 % alike and two different devices (check-values section 2): likeness may suggest and never decides."""
    pair = [with_number("AB-1234-C", "one"), with_number("AB-1234-D", "two")]
    for read, meant in (("AB1234C", "one"), ("AB1234D", "two")):
        found = identify(read, pair)
        assert (found.verdict, found.candidates[0].model.id) == (Verdict.SURE, meant)
        assert "Do not mix it up with" in found.says
    assert identify("AB1234E", pair).verdict is Verdict.AMBIGUOUS


@given(
    st.text(alphabet="ABFHQD0O12347", min_size=5, max_size=9),
    st.text(alphabet="ABFHQD0O12347", min_size=1, max_size=9),
)
def test_adding_a_model_never_makes_a_wrong_one_sure(number: str, other: str) -> None:
    mine, added = with_number(number, "mine"), with_number(other, "added")
    found = identify(number, [mine, added])
    if found.verdict is Verdict.SURE:
        assert found.candidates[0].model.id == "mine"
    else:
        assert plain(other) == plain(number)
        assert found.verdict is Verdict.AMBIGUOUS


@given(
    st.text(alphabet="ABFHQD0O12347", min_size=1, max_size=10),
    st.text(alphabet="ABFHQD0O12347", min_size=1, max_size=10),
)
def test_only_an_exact_reading_is_ever_sure(number: str, read: str) -> None:
    found = identify(read, [with_number(number)])
    assert (found.verdict is Verdict.SURE) == (plain(read) == plain(number))


@given(st.lists(st.text(alphabet="QD0O41I7", min_size=1, max_size=8), min_size=2, max_size=6, unique=True))
def test_collisions_are_all_pairs_that_comparing_every_pair_finds(numbers: list[str]) -> None:
    every = [with_number(number, f"m{place}") for place, number in enumerate(numbers)]
    expected = set()
    for first, second in itertools.combinations(numbers, 2):
        long_enough = min(edits_allowed(first), edits_allowed(second)) > 0
        if fold(first) == fold(second) or (long_enough and OSA.distance(fold(first), fold(second)) == 1):
            expected.add(frozenset((first, second)))
    found = {frozenset((one.first, one.second)) for one in collisions(numbers_of(every))}
    assert {pair for pair in expected if pair not in found} == set()
    assert all(
        fold(a) == fold(b) or OSA.distance(fold(a), fold(b)) == 1 for a, b in (tuple(pair) for pair in found)
    )


def test_the_shipped_catalogue_lists_the_numbers_of_the_laptop_siblings_as_easily_mixed_up() -> None:
    """Work samples W05, W10, W14: three runs of one laptop, one character apart, with different lids."""
    found = {(one.first, one.second, one.how) for one in collisions(numbers_of(models().values()))}
    assert ("AF1312", "AF1315", "one character apart") in found
    assert ("AF1315", "AF1319", "one character apart") in found
    assert not {one for one in found if "QD44" in one}


# -- the scan field -------------------------------------------------------------------------


@pytest.mark.parametrize("digits", ["490154203237518", "352099001761481"])
def test_valid_imeis_are_taken(digits: str) -> None:
    assert imei.is_valid(digits)
    assert read_scan(digits) == read_scan(imei.format(digits))
    assert read_scan(digits).kind is Scanned.IMEI


@pytest.mark.parametrize(
    "digits", ["352099001761480", "000000000000000", "49015420323751", "4901542032375180"]
)
def test_wrong_short_long_and_repeated_imeis_are_refused(digits: str) -> None:
    with pytest.raises(Invalid):
        check_imei(digits)


@given(st.text(alphabet="0123456789", min_size=14, max_size=14))
def test_the_check_digit_agrees_with_the_library(body: str) -> None:
    whole = body + luhn.calc_check_digit(body)
    if len(set(whole)) > 1:
        assert check_imei(whole) == whole


@pytest.mark.parametrize(
    ("text", "kind", "value"),
    [("p-2001", Scanned.PART, "P-2001"), ("00kv6", Scanned.JOB, "00-KV6"), ("00-KV6", Scanned.JOB, "00-KV6"),
     ("QD4417-B2", Scanned.NUMBER, "QD4417-B2"), ("FE71039595", Scanned.NUMBER, "FE71039595")],
)  # fmt: skip
def test_the_scan_field_says_what_it_understood(text: str, kind: Scanned, value: str) -> None:
    scan = read_scan(text)
    assert (scan.kind, scan.value) == (kind, value)


def test_a_job_code_with_a_wrong_character_is_refused_and_not_looked_up() -> None:
    with pytest.raises(Invalid, match="one character of this job code is wrong"):
        read_scan("00-KV7")
