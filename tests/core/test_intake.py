"""Damage, function lists, consents, promises, customers."""

from __future__ import annotations

from dataclasses import replace

import pytest
from builders import HERON, all_work, crack, impact, models, said

from sutura.core.intake.arrival import (
    CONSENTS,
    PAD,
    check_arrival,
    check_consents,
    check_customer,
    check_functions,
    check_signature,
    is_overtaken,
)
from sutura.core.intake.customers import Contact, may_be_same
from sutura.core.intake.damage import read_damage
from sutura.core.intake.marks import Side, check_marks
from sutura.core.values import Outcome

FACE = models()[HERON].face
MODEL = models()[HERON]


def test_a_crack_is_as_long_as_its_line() -> None:
    reading = read_damage([crack((10, 10), (13, 14), (13, 24))], FACE)
    assert reading.crack_mm == pytest.approx(15)
    assert "15 mm of crack" in said(reading.says)


def test_impacts_and_cracks_are_counted_apart() -> None:
    reading = read_damage([impact(20, 60), impact(30, 80), crack((10, 10), (13, 14))], FACE)
    assert said(reading.says).startswith("2 impacts, 1 crack, 5 mm of crack")


def test_a_signature_is_one_that_a_hand_can_draw() -> None:
    """Sixty strokes and 4,000 points at most, all of them on the pad of 300 × 90; none at all is on paper."""
    dot = (300.0, 90.0)
    assert check_signature([]) == []
    assert check_signature([[(0, 0), PAD]]) == []
    assert check_signature([[(-0.1, 0)]]) != []
    assert check_signature([[(0, PAD[1] + 0.1)]]) != []
    assert check_signature([[dot]] * 59 + [[dot] * (4_000 - 59)]) == []
    assert check_signature([[dot] * 4_001]) != []
    assert check_signature([[dot]] * 61) != []
    assert check_signature([[dot]] * 60) == []
    for off in ((-0.1, 0), (300.1, 0), (0, -0.1), (0, 90.1)):
        assert check_signature([[off]]) != []


def test_damage_at_the_opening_edge_says_to_tape_it_first() -> None:
    reading = read_damage([impact(35, 143)], FACE)
    assert reading.edges == ("bottom",)
    assert "tape it before the cup" in said(reading.says)


def test_an_impact_reaches_an_edge_by_its_spider() -> None:
    assert read_damage([impact(20, 60, reach=4)], FACE).edges == ()
    assert read_damage([impact(20, 60, reach=16)], FACE).edges == ("left",)


def test_any_damage_calls_for_the_glass_caution_and_none_does_not() -> None:
    assert read_damage([impact()], FACE).cautions == ("glass",)
    assert read_damage([], FACE).cautions == ()
    assert said(read_damage([], FACE).says) == "No damage drawn."


def test_what_is_cracked_on_the_back_is_said_beside_the_glass() -> None:
    front, back = crack((10, 10), (13, 14)), replace(crack((10, 10), (13, 14)), side=Side.BACK)
    assert "Also" not in said(read_damage([front], FACE).says)
    both = read_damage([front, back], FACE)
    assert (both.cracks, both.crack_mm) == (1, 5)
    assert f"Also: {said(back.label)}" in said(both.says)


@pytest.mark.parametrize(
    "marks",
    [[crack((1, 1))], [impact(-1, 5)], [crack((1, 1), (500, 5))], [impact(reach=61)], [impact()] * 201],
    ids=["one-point crack", "left of the face", "below the face", "too wide", "too many"],
)
def test_marks_that_make_no_sense_are_refused_with_their_place(marks: list[object]) -> None:
    problems = check_marks(marks, FACE)  # type: ignore[arg-type]
    assert problems
    assert problems[0].field in ("marks", "marks[0]")


def test_marks_on_the_very_edge_are_on_the_face() -> None:
    assert check_marks([crack((0, 0), (FACE.width_mm, FACE.height_mm))], FACE) == []


def test_a_complete_list_is_taken_in_the_order_of_the_model() -> None:
    answers = all_work(MODEL) | {"touch": ("faulty", " dead strip ")}
    found, problems = check_functions(MODEL, answers)
    assert not problems
    assert [hit.function for hit in found] == [function.id for function in MODEL.functions]
    assert said(next(hit for hit in found if hit.function == "touch").reason) == "dead strip"


@pytest.mark.parametrize("answer", [("not_testable", ""), ("faulty", "  "), ("", ""), ("fine", "")])
def test_an_answer_without_its_reason_or_none_at_all_is_refused_at_its_place(answer: tuple[str, str]) -> None:
    _, problems = check_functions(MODEL, all_work(MODEL) | {"image": answer})
    assert [problem.field for problem in problems] == ["function.image"]


def test_a_flat_battery_is_not_testable_and_neither_fine_nor_broken() -> None:
    found, _ = check_functions(
        MODEL, {function.id: ("not_testable", "battery flat") for function in MODEL.functions}
    )
    assert {hit.outcome for hit in found} == {Outcome.NOT_TESTABLE}


def test_every_needed_consent_is_asked_for_and_no_other() -> None:
    assert [problem.field for problem in check_consents([])] == [
        f"consent.{consent.id}" for consent in CONSENTS if consent.needed
    ]
    assert check_consents([consent.id for consent in CONSENTS if consent.needed]) == []


@pytest.mark.parametrize(
    ("name", "phone", "email", "fields"),
    [
        ("", "555 0101", "", ["name"]),
        ("Orla", "", "", ["phone"]),
        ("Orla", "555", "", ["phone"]),
        ("Orla", "call me", "", ["phone"]),
        ("Orla", "", "orla.example", ["email"]),
        ("Orla", "", "a b@c", ["email"]),
        ("Orla", "+1 (555) 01-01", "o@v.example", []),
    ],
)
def test_a_customer_has_a_name_and_a_way_to_be_reached(
    name: str, phone: str, email: str, fields: list[str]
) -> None:
    assert [one.field for one in check_customer(name, phone, email)] == fields


def test_an_overtaken_sending_is_known_by_its_number_on_the_same_page() -> None:
    kept = {"page": ["a"], "seq": ["4"]}
    assert is_overtaken(kept, {"page": ["a"], "seq": ["3"]})
    assert not is_overtaken(kept, {"page": ["a"], "seq": ["5"]})
    assert not is_overtaken(kept, {"page": ["a"], "seq": ["4"]})
    assert not is_overtaken(kept, {"page": ["b"], "seq": ["1"]})
    assert not is_overtaken({}, {"seq": ["1"]})
    assert not is_overtaken(kept, {"page": ["a"], "seq": ["x"]})


def test_a_parcel_says_how_it_came_and_where_it_goes_back_to() -> None:
    whole = {"parcel_state": "dented", "return_address": " 9 Quay Ln "}
    assert [
        problem.field for problem in check_arrival("mail", {**whole, "return_address": "9 Quay Lan"})
    ] == []
    assert [problem.field for problem in check_arrival("mail", whole)] == ["arrival.return_address"]
    assert [problem.field for problem in check_arrival("mail", {**whole, "parcel_state": "?"})] == [
        "arrival.parcel_state",
        "arrival.return_address",
    ]
    assert check_arrival("waits", {}) == []
    assert [problem.field for problem in check_arrival("waits", {"data": "lost"})] == ["arrival.data"]


def test_faulty_says_how_and_not_testable_says_why() -> None:
    first, second = MODEL.functions[0].id, MODEL.functions[1].id
    answers = all_work(MODEL) | {first: ("faulty", " "), second: ("not_testable", "")}
    _, problems = check_functions(MODEL, answers)
    asked = {problem.field: said(problem.accepts) for problem in problems}
    assert set(asked) == {f"function.{first}", f"function.{second}"}
    assert "how" in asked[f"function.{first}"]
    assert "why" in asked[f"function.{second}"]


# -- who may be the same person --------------------------------------------------------------------------


def contact(number: int, name: str = "", phone: str = "", email: str = "") -> Contact:
    return Contact(id=number, name=name or f"person {number}", phone=phone, email=email)


@pytest.mark.parametrize(
    ("mine", "theirs", "same"),
    [
        ({"email": " Orla@Example.test"}, {"email": "orla@example.test "}, True),
        ({"email": ""}, {"email": ""}, False),
        ({"email": "a@example.test"}, {"email": "b@example.test"}, False),
        # the whole number, however it is written; a short one is the same only as a whole
        ({"phone": "555 0182"}, {"phone": "555-0182"}, True),
        ({"phone": "555 0182"}, {"phone": "1 555 0182"}, False),
        # its last eight digits
        ({"phone": "0664 55501823"}, {"phone": "+43 664 55501823"}, True),
        ({"phone": "12345678"}, {"phone": "9 12345678"}, True),
        ({"phone": "1234567"}, {"phone": "9 1234567"}, False),
        ({"phone": "0664 55501823"}, {"phone": "0664 65501823"}, False),
        ({"phone": ""}, {"phone": ""}, False),
        ({"name": "Orla  Venn"}, {"name": "orla venn"}, True),
        ({"name": "Orla Venn"}, {"name": "Orla Wenn"}, False),
    ],
)
def test_who_may_be_the_same_person(mine: dict[str, str], theirs: dict[str, str], same: bool) -> None:
    one, other = contact(1, **mine), contact(2, **theirs)
    assert [found.id for found, _ in may_be_same(one, [other])] == ([2] if same else [])
    # a record is never its own double, and those that tell nothing are not named
    assert may_be_same(one, [one, contact(1, **mine)]) == []
