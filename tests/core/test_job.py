"""The state machine, the seam and the job code."""

from __future__ import annotations

import itertools

import pytest
from builders import facts, said

from sutura.core.errors import Invalid, MoveRefused
from sutura.core.job import (
    ALPHABET,
    OPEN_STAGES,
    SEAM,
    WAYS,
    Move,
    Stage,
    Stitch,
    check_character,
    check_move,
    code_for,
    code_of_job,
    read_code,
    seam,
    starts_of,
)
from sutura.words.names import name_of


def test_a_job_with_everything_in_order_is_quoted() -> None:
    ready = facts(
        Stage.IDENTIFIED, baseline_complete=True, consents_complete=True, part_chosen=True, price_agreed=True
    )
    assert check_move(ready, Move.QUOTE) is Stage.QUOTED


def test_a_refused_move_says_everything_that_is_missing() -> None:
    with pytest.raises(MoveRefused) as refused:
        check_move(facts(Stage.IDENTIFIED), Move.QUOTE)
    assert refused.value.missing == (
        "the function list on arrival is not complete",
        "the customer has not agreed to everything needed",
        "no part is chosen in Match",
        "no price is agreed",
    )
    assert "00-KV6" in str(refused.value)


def test_a_move_from_the_wrong_stage_says_where_the_job_is_and_must_be() -> None:
    with pytest.raises(MoveRefused, match="it is identified, and must be closed"):
        check_move(facts(Stage.IDENTIFIED), Move.HAND_BACK)


def test_a_failed_test_keeps_the_job_on_the_bench() -> None:
    failed = facts(Stage.OPENED, steps_before_proof_done=True, proof_complete=True, proof_passed=False)
    assert check_move(failed, Move.FAIL_PROOF) is Stage.OPENED


def test_a_passed_test_cannot_be_called_failed() -> None:
    passed = facts(Stage.OPENED, steps_before_proof_done=True, proof_complete=True, proof_passed=True)
    with pytest.raises(MoveRefused, match="no function failed"):
        check_move(passed, Move.FAIL_PROOF)


def test_no_way_leads_out_of_a_finished_job() -> None:
    assert not [way for way in WAYS if way.start not in OPEN_STAGES]


def test_every_stage_can_be_reached_and_has_words() -> None:
    assert {way.end for way in WAYS} | {Stage.IDENTIFIED} == set(Stage)
    assert all(name_of(stage) for stage in Stage)


def test_where_a_move_can_start_is_read_from_the_one_list_of_ways() -> None:
    assert starts_of(Move.DECLINE) == {Stage.IDENTIFIED, Stage.QUOTED, Stage.PART_IN_HAND}
    assert starts_of(Move.QUOTE, Move.REQUOTE) == {Stage.IDENTIFIED, Stage.QUOTED}


# -- seam -----------------------------------------------------------------------------------


@pytest.mark.parametrize("stage", list(Stage))
def test_the_seam_has_one_stitch_for_each_name_and_at_most_one_open(stage: Stage) -> None:
    stitches = seam(stage)
    assert [stitch.name for stitch in stitches] == list(SEAM)
    assert sum(stitch.state in (Stitch.LOOSE, Stitch.CROSSED) for stitch in stitches) == (
        stage is not Stage.HANDED_BACK
    )


def test_a_blocked_stitch_is_crossed_with_its_reason() -> None:
    crossed = seam(Stage.QUOTED, "no free Heron front")[3]
    assert (crossed.state, said(crossed.reason)) == (Stitch.CROSSED, "no free Heron front")


def test_stitches_done_only_grow_along_the_way_to_handing_back() -> None:
    way = [
        Stage.IDENTIFIED,
        Stage.QUOTED,
        Stage.PART_IN_HAND,
        Stage.OPENED,
        Stage.PROVED,
        Stage.CLOSED,
        Stage.HANDED_BACK,
    ]
    counts = [sum(one.state is Stitch.DONE for one in seam(stage)) for stage in way]
    assert counts == sorted(set(counts))
    assert counts[-1] == len(SEAM)


# -- code: Crockford base 32 with a modulo-37 check character (published description, from memory) ----


def test_the_check_character_is_the_body_modulo_37_by_another_arithmetic() -> None:
    for body in ("0000", "00KV", "K74Q", "ZZZZ", "9A2T"):
        number = sum(ALPHABET.index(c) * 32**place for place, c in enumerate(reversed(body)))
        assert (ALPHABET + "*~$=U").index(check_character(body)) == number % 37


def test_every_single_wrong_character_is_caught() -> None:
    code = "K74Q" + check_character("K74Q")
    for place, other in itertools.product(range(5), ALPHABET):
        wrong = code[:place] + other + code[place + 1 :]
        if wrong != code:
            with pytest.raises(Invalid):
                read_code(wrong)


def test_every_swap_of_neighbours_is_caught() -> None:
    codes = [code for number in range(0, 32**4, 9973) if (code := code_for(number))]
    for code, place in itertools.product(codes, range(4)):
        plain = code.replace("-", "")
        swapped = plain[:place] + plain[place + 1] + plain[place] + plain[place + 2 :]
        if swapped != plain:
            with pytest.raises(Invalid):
                read_code(swapped)


def test_a_code_is_read_however_it_is_spoken() -> None:
    assert read_code(" oo kv6 ") == "00-KV6"
    assert read_code("00-kv6") == "00-KV6"


@pytest.mark.parametrize("text", ["", "K7", "K7-4QXXX", "K7-4U1", "ÄÄ-ÄÄÄ"])
def test_what_is_no_code_is_refused_with_what_a_code_looks_like(text: str) -> None:
    with pytest.raises(Invalid, match="five or six letters or digits"):
        read_code(text)


def test_numbers_whose_check_sign_cannot_be_spoken_give_no_code() -> None:
    given = [code_for(number) for number in range(37)]
    assert sum(code is None for code in given) == 5


def test_every_job_has_a_code_of_its_own_and_the_body_grows_when_it_is_used_up() -> None:
    """32 signs: 1,048,576 bodies of four, of which five of 37 have no speakable check sign."""
    numbers = (*range(0, 32**4, 1009), *range(32**4 - 50, 32**4 + 5000, 7))
    codes = [code for number in numbers if (code := code_of_job(number))]
    assert len(set(codes)) == len(codes)
    assert {len(code) for code in codes} == {6, 7}
    for code in codes:
        assert read_code(code) == code
        assert read_code(code.replace("-", "").lower()) == code
    longer = [code for code in codes if len(code) == 7]
    assert not any(code.startswith("0") for code in longer), "without the zero it would be another job's"


def test_every_wrong_sign_of_a_longer_code_is_caught() -> None:
    code = code_of_job(32**4 + 1) or ""
    plain = code.replace("-", "")
    for place, other in itertools.product(range(len(plain)), ALPHABET):
        if other != plain[place]:
            with pytest.raises(Invalid):
                read_code(plain[:place] + other + plain[place + 1 :])
    for place in range(len(plain) - 1):
        swapped = plain[:place] + plain[place + 1] + plain[place] + plain[place + 2 :]
        if swapped != plain:
            with pytest.raises(Invalid):
                read_code(swapped)


def test_running_out_of_codes_is_loud() -> None:
    with pytest.raises(RuntimeError, match="no such number"):
        code_for(32**4)
    with pytest.raises(RuntimeError, match="used up"):
        code_of_job(32**5 + 1)
