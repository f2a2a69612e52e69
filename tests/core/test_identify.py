"""Which device is it. IMEI and Luhn against python-stdnum (check-values section 2); W09 by common
practice.
"""

from __future__ import annotations

import contextlib
import itertools
from dataclasses import replace

import pytest
from builders import HERON, PLAIN, models, said
from hypothesis import given, settings
from hypothesis import strategies as st
from rapidfuzz.distance import OSA, Levenshtein
from stdnum import ean, gs1_128, imei, luhn

from sutura.core.catalogue.model import Model, NumberKind, NumberPattern, State
from sutura.core.errors import Invalid
from sutura.core.identify.numbers import (
    KnownModel,
    Numbered,
    collisions,
    identify,
    index_numbers,
    look_up,
    numbers_of,
)
from sutura.core.identify.reading import Verdict, edits_allowed, fold, plain
from sutura.core.identify.scan import LabelPattern, Scanned, check_imei, read_label, read_scan


@pytest.mark.parametrize(("many", "more"), [(8, False), (9, True)])
def test_eight_of_one_name_are_shown_and_that_there_are_more_is_said(many: int, more: bool) -> None:
    heron = models()[HERON]
    found = identify("Heron", [replace(heron, id=f"heron-{n}", name=f"Heron {n}") for n in range(many)])
    assert len(found.candidates) == 8
    assert ("are not shown" in said(found.says)) is more


def test_the_clean_prefix_is_sure_and_the_sales_suffix_is_ignored_aloud() -> None:
    found = identify("QD4417-B2", models().values())
    assert found.verdict is Verdict.SURE
    assert found.candidates[0].model.id == PLAIN
    # what decides is the prefix, and it alone
    assert [one.significant for one in found.candidates[0].characters] == [True] * 4 + [False] * 4
    assert "“17B2” is ignored (processor, memory and sales region)" in said(found.says)


def test_the_misread_label_finds_the_model_as_likely_with_the_doubt_marked() -> None:
    found = identify("O044I7", models().values())
    assert found.verdict is Verdict.LIKELY
    candidate = found.candidates[0]
    assert candidate.model.id == PLAIN
    assert [c.text for c in candidate.characters if c.doubtful] == ["O", "0"]
    assert "Check these on the label" in said(found.says)


def test_an_exact_number_needs_all_of_itself() -> None:
    assert identify("fh-2107", models().values()).candidates[0].model.id == HERON
    assert identify("FH-21", models().values()).verdict is Verdict.UNKNOWN


def test_a_name_is_never_more_than_ambiguous() -> None:
    found = identify("Heron", models().values())
    assert found.verdict is Verdict.AMBIGUOUS
    assert "read the number from the label" in said(found.says)


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
    doubtful = [c for candidate in found.candidates for c in candidate.characters if c.doubtful]
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
    assert "one character away from “FH2107”" in said(found.says)


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
    """87.5 % alike and two different devices (check-values section 2): likeness may suggest and never
    decides.
    """
    pair = [with_number("AB-1234-C", "one"), with_number("AB-1234-D", "two")]
    for read, meant in (("AB1234C", "one"), ("AB1234D", "two")):
        found = identify(read, pair)
        assert (found.verdict, found.candidates[0].model.id) == (Verdict.SURE, meant)
        assert "Do not mix it up with" in said(found.says)
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
    found = {frozenset((collision.first, collision.second)) for collision in collisions(numbers_of(every))}
    assert {pair for pair in expected if pair not in found} == set()
    assert all(
        fold(a) == fold(b) or OSA.distance(fold(a), fold(b)) == 1 for a, b in (tuple(pair) for pair in found)
    )


def test_the_shipped_catalogue_lists_the_numbers_of_the_laptop_siblings_as_easily_mixed_up() -> None:
    """Work samples W05, W10, W14: three runs of one laptop, one character apart, with different lids."""
    found = {
        (collision.first, collision.second, said(collision.how))
        for collision in collisions(numbers_of(models().values()))
    }
    assert ("AF1312", "AF1315", "one character apart") in found
    assert ("AF1315", "AF1319", "one character apart") in found
    assert not {hit for hit in found if "QD44" in hit}


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
    [
        ("p-2001", Scanned.PART, "P-2001"),
        ("00kv6", Scanned.JOB, "00-KV6"),
        ("00-KV6", Scanned.JOB, "00-KV6"),
        ("QD4417-B2", Scanned.NUMBER, "QD4417-B2"),
        ("FE71039595", Scanned.NUMBER, "FE71039595"),
    ],
)
def test_the_scan_field_says_what_it_understood(text: str, kind: Scanned, value: str) -> None:
    scan = read_scan(text)
    assert (scan.kind, scan.value) == (kind, value)


def test_a_job_code_with_a_wrong_character_is_refused_and_not_looked_up() -> None:
    with pytest.raises(Invalid, match="one character of this job code is wrong"):
        read_scan("00-KV7")


# -- article numbers under bars: GS1's check digits, by python-stdnum (check-values section 2) ----


@pytest.mark.parametrize(
    "digits", ["6291041500213", "4006381333931", "036000291452", "73513537", "38425876095074"]
)
def test_article_numbers_are_known_by_their_check_digit(digits: str) -> None:
    """629104150021→3 is GS1's own example; 400638133393→1, 03600029145→2, 7351353→7."""
    assert ean.calc_check_digit(digits[:-1]) == digits[-1]
    scan = read_scan(digits)
    assert (scan.kind, scan.value) == (Scanned.ARTICLE, digits)
    assert read_scan(f" {digits[:4]} {digits[4:]} ") == scan


@given(st.integers(0, 10**12 - 1).map("{:012}".format), st.integers(0, 12), st.integers(1, 9))
def test_one_wrong_digit_is_never_an_article_number_and_is_said(body: str, place: int, more: int) -> None:
    digits = body + ean.calc_check_digit(body)
    wrong = digits[:place] + str((int(digits[place]) + more) % 10) + digits[place + 1 :]
    scan = read_scan(wrong)
    assert scan.kind is Scanned.NUMBER
    assert "not an article number" in said(scan.notes[0])


def test_a_gs1_128_code_gives_its_article_number_and_the_rest_in_words() -> None:
    """Check-values section 2: (01)38425876095074(17)181119(37)1 → 01, 17 = 2018-11-19, 37 = 1."""
    text = "(01)38425876095074(17)181119(37)1 "
    assert gs1_128.info(text)["01"] == "38425876095074"
    scan = read_scan(text)
    assert (scan.kind, scan.value) == (Scanned.ARTICLE, "38425876095074")
    assert set(scan.notes) == {"expires on 2018-11-19", "count 1"}


@pytest.mark.parametrize("start", ["]C1", "\x1d"])
def test_a_scanner_may_send_its_own_start_signs(start: str) -> None:
    scan = read_scan(f"{start}01384258760950741012345\x1d371")
    assert (scan.kind, scan.value) == (Scanned.ARTICLE, "38425876095074")
    assert scan.notes == ("lot 12345", "count 1")


@pytest.mark.parametrize(
    "text", ["(01)38425876095075", "(01)1", "(99", "]C1", "(01)38425876095074(17)189919"]
)
def test_a_broken_gs1_128_code_is_refused_and_says_to_scan_again(text: str) -> None:
    with pytest.raises(Invalid, match="scan it again"):
        read_scan(text)


@given(st.text(max_size=40))
def test_the_scan_field_never_does_anything_but_understand_or_refuse(text: str) -> None:
    with contextlib.suppress(Invalid):
        assert read_scan(text).kind in set(Scanned)


# -- printed panel labels ---------------------------------------------------------------------

LABELS = (
    LabelPattern(maker="A", base="AP###-GT##", revision="-@", says="revision"),
    LabelPattern(maker="B", base="HF-##", revision="-R#", says="edition"),
    LabelPattern(maker="C", base="@@-##", revision="-@#", says="the vague one"),
)


@pytest.mark.parametrize(
    ("read", "maker", "base", "revision"),
    [
        ("AP156-GT40-C", "A", "AP156GT40", "C"),
        ("ap156 gt40", "A", "AP156GT40", ""),
        ("HF-70-R2", "B", "HF70", "R2"),
        ("KT-71-R3", "C", "KT71", "R3"),
    ],
)
def test_a_printed_label_is_taken_apart_by_its_makers_pattern(
    read: str, maker: str, base: str, revision: str
) -> None:
    found = read_label(read, LABELS)
    assert found
    assert (found.maker, found.base, found.revision) == (maker, base, revision)


@pytest.mark.parametrize("read", ["", "AP15-GT40-C", "AP156-GT40-CC", "HF-7A-R2", "AP156-GT40-1"])
def test_a_label_of_no_known_pattern_is_not_guessed(read: str) -> None:
    assert read_label(read, LABELS) is None


# -- the index says what comparing everything says ----------------------------------------------

NUMBERS = st.text(alphabet="AO0DQI1L2Z5S8B", min_size=2, max_size=10)
PATTERNS = st.lists(
    st.tuples(NUMBERS, st.sampled_from(list(NumberKind)), st.sampled_from(["one", "two", "three"])),
    min_size=1,
    max_size=7,
)


def slow_answer(read: str, patterns: list[tuple[str, NumberKind, str]]) -> tuple[Verdict, set[str]]:
    """Verdict and models by comparing the reading with every number, without an index."""
    read = plain(read)

    def begins(text: str, number: str, kind: NumberKind) -> bool:
        return text.startswith(number) if kind is NumberKind.PREFIX else text == number

    exact = {model for number, kind, model in patterns if begins(read, plain(number), kind)}
    if exact:
        return (Verdict.SURE if len(exact) == 1 else Verdict.AMBIGUOUS), exact
    folded = {model for number, kind, model in patterns if begins(fold(read), fold(number), kind)}
    near = set()
    for number, kind, model in patterns:
        size = len(plain(number))
        parts = [read] if kind is NumberKind.EXACT else [read[: size + more] for more in (0, -1, 1)]
        if 0 < min(OSA.distance(fold(part), fold(number)) for part in parts) <= edits_allowed(number):
            near.add(model)
    found = folded or near
    if not found:
        return Verdict.UNKNOWN, set()
    return (Verdict.LIKELY if len(found) == 1 else Verdict.AMBIGUOUS), found


@given(NUMBERS | st.text(alphabet="AO0DQI1L2Z5S8B", min_size=1, max_size=12), PATTERNS)
@settings(max_examples=300)
def test_the_index_answers_as_comparing_with_every_number_would(
    read: str, patterns: list[tuple[str, NumberKind, str]]
) -> None:
    index = index_numbers(
        Numbered(
            model=KnownModel(id=model, full_name=f"#{model}", device_class="phone", construction="x"),
            pattern=NumberPattern(kind=kind, text=number),
        )
        for number, kind, model in patterns
    )
    found = look_up(read, index)
    assert (found.verdict, {candidate.model.id for candidate in found.candidates}) == slow_answer(
        read, patterns
    )


def test_a_measured_device_is_found_again_as_likely_and_a_pack_that_lists_it_wins() -> None:
    measured = KnownModel(
        id="device-1", full_name="Nobody ZX", device_class="phone", construction="x", state=State.UNLISTED
    )
    pattern = NumberPattern(kind=NumberKind.EXACT, text="ZX-9000")
    found = look_up("ZX9000", index_numbers([Numbered(model=measured, pattern=pattern)]))
    assert (found.verdict, found.candidates[0].model) == (Verdict.LIKELY, measured)
    assert "in no pack" in said(found.says)
    listed = replace(measured, id="zx", state=State.LISTED)
    both = look_up(
        "ZX9000", index_numbers([Numbered(model=one, pattern=pattern) for one in (measured, listed)])
    )
    assert (both.verdict, both.candidates[0].model.id) == (Verdict.SURE, "zx")


def test_a_retired_model_is_still_recognised_and_said_to_be_retired() -> None:
    retired = KnownModel(
        id="old", full_name="Maker Old", device_class="phone", construction="x", state=State.RETIRED
    )
    found = look_up(
        "OLD123",
        index_numbers([Numbered(model=retired, pattern=NumberPattern(kind=NumberKind.EXACT, text="OLD123"))]),
    )
    assert found.verdict is Verdict.SURE
    assert "retired" in said(found.says)


def test_several_candidates_come_with_what_tells_them_apart() -> None:
    found = identify("AF131", models().values())
    assert found.verdict is Verdict.AMBIGUOUS
    assert {"lid mark", "bottom cover"} <= {one.look_at for one in found.telling}


def test_a_sibling_of_the_laptop_is_sure_and_warns_of_the_runs_next_to_it() -> None:
    """Work samples W05, W10, W14: one character apart, and never merged."""
    found = identify("AF1315-XY", models().values())
    assert (found.verdict, found.candidates[0].model.id) == (Verdict.SURE, "ardale-foil-13-mid")
    assert "AF1312" in said(found.says)
    assert "AF1319" in said(found.says)
