"""Which device is it. IMEI and Luhn against python-stdnum (check-values section 2); W09 by common practice."""

from __future__ import annotations

import pytest
from builders import HERON, PLAIN, models
from hypothesis import given
from hypothesis import strategies as st
from stdnum import imei, luhn

from sutura.core.errors import Invalid
from sutura.core.identify import Scanned, Verdict, check_imei, fold, identify, read_scan


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
    assert identify("FH-2108", models().values()).verdict is Verdict.UNKNOWN


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
