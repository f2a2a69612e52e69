"""Single pieces: which is taken, what looking at one makes of it, its label. Expected by hand from the
rules.
"""

from __future__ import annotations

import itertools
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid
from sutura.core.stock.orders import Cause, cause_of_loss
from sutura.core.stock.pieces import (
    SOON_DAYS,
    Check,
    Film,
    Found,
    Judged,
    Piece,
    Seen,
    can_go_back,
    check_film_off,
    days_left,
    film_of,
    first_to_use,
    in_order_of_use,
    is_urgent,
    judge,
    label_of,
    missed,
    read_label,
    what_to_look_at,
)

TODAY = date(2031, 3, 3)
NOON = datetime(2031, 3, 1, 12, tzinfo=UTC)


def piece(number: int, left: int | None = None, **more: object) -> Piece:
    by = None if left is None else TODAY + timedelta(days=left)
    return Piece(**{"id": number, "return_by": by, "at": NOON, **more})  # type: ignore[arg-type]


PIECES = st.builds(
    piece,
    st.integers(1, 99),
    st.none() | st.integers(-5, 20),
    film=st.sampled_from(Film),
    found=st.sampled_from(Found),
    at=st.integers(0, 40).map(lambda days: NOON - timedelta(days=days)),
)


def test_what_can_go_back_the_shortest_is_taken_and_what_is_less_comes_last() -> None:
    late, soon, later = piece(1, -1), piece(2, 3), piece(3, 9)
    assert first_to_use([late, later, soon], TODAY) == soon
    assert in_order_of_use([late, later, soon], TODAY) == [soon, later, late]
    # without its film it cannot go back: it waits for those that can
    assert first_to_use([piece(2, 3, film=Film.OFF), later], TODAY) == later
    assert first_to_use([piece(2, 0, found=Found.LESS), late], TODAY) == late
    # of the rest the oldest
    old = piece(9, at=NOON - timedelta(days=50))
    assert first_to_use([piece(1), old, piece(2)], TODAY) == old
    assert first_to_use([], TODAY) is None
    assert missed([late, later, soon], 2, TODAY) == [1, 3]
    assert missed([soon], 5, TODAY) == [2]


@given(st.lists(PIECES, max_size=6, unique_by=lambda one: one.id))
def test_the_order_of_use_is_that_of_the_rule_whatever_order_they_lie_in(pieces: list[Piece]) -> None:
    """Judge written from the rule: no piece stands before one that beats it in the first thing they differ
    in.
    """
    ordered = in_order_of_use(pieces, TODAY)
    assert sorted(one.id for one in ordered) == sorted(one.id for one in pieces)
    for first, second in itertools.pairwise(ordered):
        assert (first.found is Found.LESS) <= (second.found is Found.LESS)
        if (first.found is Found.LESS) == (second.found is Found.LESS):
            one, other = days_left(first, TODAY), days_left(second, TODAY)
            assert one is not None or other is None
            if one is not None and other is not None:
                assert one <= other
            if one == other:
                assert first.at <= second.at
    assert in_order_of_use(pieces[::-1], TODAY) == ordered


@pytest.mark.parametrize(
    ("left", "film", "back", "days"),
    [
        (0, Film.ON, True, 0),
        (1, Film.NONE, True, 1),
        (-1, Film.ON, False, None),
        (5, Film.OFF, False, None),
        (None, Film.ON, False, None),
    ],
)
def test_it_can_go_back_until_its_last_day_with_its_film(
    left: int | None, film: Film, back: bool, days: int | None
) -> None:
    one = piece(1, left, film=film)
    assert (can_go_back(one, TODAY), days_left(one, TODAY)) == (back, days)


def test_what_nobody_tried_is_urgent_while_it_can_still_go_back() -> None:
    assert is_urgent(piece(1, SOON_DAYS), TODAY)
    assert is_urgent(piece(1, 0), TODAY)
    assert not is_urgent(piece(1, SOON_DAYS + 1), TODAY)
    assert not is_urgent(piece(1, -1), TODAY)
    assert not is_urgent(piece(1, 1, film=Film.OFF), TODAY)
    assert not is_urgent(piece(1, 1, found=Found.AS_BOUGHT), TODAY)


def test_the_film_comes_off_once_and_of_what_was_tried_or_on_purpose() -> None:
    check_film_off(piece(1, 5, found=Found.AS_BOUGHT), False, TODAY)
    check_film_off(piece(1, 5), True, TODAY)
    # nothing is lost where it could not go back anyway
    check_film_off(piece(1, -1), False, TODAY)
    with pytest.raises(Invalid) as refused:
        check_film_off(piece(1, 5), False, TODAY)
    assert refused.value.field == "sure"
    for film in (Film.OFF, Film.NONE):
        with pytest.raises(Invalid) as again:
            check_film_off(piece(1, 5, film=film, found=Found.AS_BOUGHT), True, TODAY)
        assert again.value.field == "film"


@pytest.mark.parametrize(
    ("kind", "number", "attributes", "box", "ids"),
    [
        # a front with everything known: by eye first, then plugged in with the film on (common practice)
        (
            "front assembly",
            "HF-70-R9",
            {"windows": "camera 35.1,7.9", "connector_place": "bottom"},
            ["bracket"],
            "whole number windows connector box colour dust picture touch",
        ),
        ("front assembly", "", {}, [], "whole colour dust picture touch"),
        ("glass", "", {"windows": "camera 1,2"}, [], "whole windows colour dust"),
        ("adapter flex", "F-1", {}, [], "whole number"),
        ("small part", "", {}, ["screw"], "whole box"),
    ],
)
def test_the_list_asks_what_can_be_asked_of_such_a_part(
    kind: str, number: str, attributes: dict[str, object], box: list[str], ids: str
) -> None:
    checks = what_to_look_at(kind, number, attributes, box)
    assert [check.id for check in checks] == ids.split()
    assert film_of(kind) is (Film.NONE if kind in ("adapter flex", "small part") else Film.ON)
    needs = {check.id: check.needs for check in checks}
    assert needs.get("box", "") == ", ".join(box)
    assert needs.get("number", number) == number


@given(st.dictionaries(st.sampled_from("abcd"), st.sampled_from(Seen)))
def test_one_thing_wrong_makes_it_less_and_one_not_looked_at_leaves_it_open(seen: dict[str, Seen]) -> None:
    checks = tuple(Check(id=name) for name in "abcd")
    judged, deciding = judge(checks, seen)
    answers = [seen.get(name, Seen.UNKNOWN) for name in "abcd"]
    if Seen.WRONG in answers:
        assert judged is Judged.NOT_AS_BOUGHT
    elif Seen.UNKNOWN in answers:
        assert judged is Judged.UNKNOWN
    else:
        assert judged is Judged.AS_BOUGHT
    assert {check.id for check in deciding} == {
        name
        for name, answer in zip("abcd", answers, strict=True)
        if answer is {Judged.NOT_AS_BOUGHT: Seen.WRONG, Judged.UNKNOWN: Seen.UNKNOWN}.get(judged)
    }


def luhn_by_hand(digits: str) -> bool:
    """Every second digit from the right doubled, nines cast out; the sum a multiple of ten (ISO/IEC
    7812-1).
    """
    total = 0
    for place, digit in enumerate(reversed(digits)):
        number = int(digit) * (2 if place % 2 else 1)
        total += number - 9 if number > 9 else number
    return total % 10 == 0


@given(st.integers(1, 10**9))
def test_a_label_is_read_back_and_any_one_wrong_digit_is_noticed(number: int) -> None:
    label = label_of(number)
    assert luhn_by_hand(label.removeprefix("S-"))
    assert read_label(f" {label.lower()} ") == number == read_label(label[2:])
    for place in range(2, len(label)):
        other = str((int(label[place]) + 1) % 10)
        with pytest.raises(Invalid):
            read_label(label[:place] + other + label[place + 1 :])


@pytest.mark.parametrize("text", ["", "S-", "S-12", "P-1001", "S-0041x", "S-٠٠٤١٤", "S-" + "1" * 40])
def test_what_is_no_label_is_refused_and_quoted(text: str) -> None:
    with pytest.raises(Invalid) as refused:
        read_label(text)
    assert refused.value.refused == text[:40]


def test_who_pays_for_a_lost_piece_follows_from_what_became_of_it() -> None:
    """Dead before it worked and failed after it worked are the supplier's, broken is ours."""
    assert cause_of_loss(broken=True, was_fitted=False) is Cause.BROKEN
    assert cause_of_loss(broken=True, was_fitted=True) is Cause.BROKEN
    assert cause_of_loss(broken=False, was_fitted=False) is Cause.DEAD
    assert cause_of_loss(broken=False, was_fitted=True) is Cause.WARRANTY
