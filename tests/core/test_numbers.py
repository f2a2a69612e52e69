"""Printed numbers that stand in for others: chains, conditions, rings (common practice, no source; graph
against networks worked by hand).
"""

from __future__ import annotations

import itertools

import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.identify.reading import edits_allowed
from sutura.core.identify.scan import LabelPattern, read_label
from sutura.core.matching.numbers import Interchange, Numbers, Standing, tangles

PATTERNS = (LabelPattern(maker="Ardale panels", base="AP###-GT##", revision="-@", says="edition"),)


def newer(*names: str) -> list[Interchange]:
    """Each replaces the one after it."""
    return [Interchange(number=a, of=b) for a, b in itertools.pairwise(names)]


def test_newer_replaces_older_through_any_chain_and_not_the_reverse() -> None:
    known = Numbers.of(newer("N-4", "N-3", "N-2", "N-1"))
    up = known.stands("N-4", "N-1")
    assert (up.standing, up.chain) == (Standing.REPLACES, ("N-4", "N-3", "N-2", "N-1"))
    assert known.stands("N-1", "N-4").standing is Standing.OLDER
    assert known.stands("n 4", "N-4").standing is Standing.SAME
    assert known.stands("X-1", "N-1").standing is Standing.NONE


def test_the_same_part_under_another_number_goes_both_ways() -> None:
    known = Numbers.of(
        [Interchange(number="A", of="B", both=True), Interchange(number="B", of="C", both=True)]
    )
    assert known.stands("A", "C").standing is known.stands("C", "A").standing is Standing.EQUAL


def test_the_chain_with_the_fewest_conditions_is_taken_and_its_conditions_named() -> None:
    known = Numbers.of(
        [
            Interchange(number="N-3", of="N-1", condition="board C"),
            *newer("N-3", "N-2"),
            Interchange(number="N-2", of="N-1", condition="new cable"),
        ]
    )
    assert known.stands("N-3", "N-1").conditions == ("board C",)
    free = Numbers.of([Interchange(number="N-3", of="N-1", condition="board C"), *newer("N-3", "N-2", "N-1")])
    assert free.stands("N-3", "N-1").conditions == ()


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("AP156-GT40-B", ("AP156GT40", "B")),
        ("ap156 gt40 b", ("AP156GT40", "B")),
        ("AP15-GT40-B", None),
        ("NV156T-R40", None),
    ],
)
def test_a_revision_is_read_by_the_makers_pattern(text: str, parts: tuple[str, str] | None) -> None:
    label = read_label(text, PATTERNS)
    assert ((label.base, label.revision) if label and label.revision else None) == parts


def test_another_revision_of_one_number_is_told_from_another_number() -> None:
    known = Numbers.of([], PATTERNS)
    assert known.stands("AP156-GT40-B", "AP156-GT40-A").standing is Standing.REVISION
    assert known.stands("AP156-GT30-B", "AP156-GT40-A").standing is Standing.NONE


def test_a_number_with_older_ones_is_told_from_one_without() -> None:
    known = Numbers.of([*newer("N-2", "N-1"), Interchange(number="A", of="B", both=True)])
    assert known.may_be_refused_for("N-2")
    assert not known.may_be_refused_for("N-1")
    assert not known.may_be_refused_for("A")
    assert known.may_refuse("N-1")
    assert not known.may_refuse("N-2")
    assert not known.may_refuse("B")


def test_an_unknown_number_behind_an_equal_one_may_be_an_older_one() -> None:
    """A and B are the same part, and B replaces C: a part without its number may be C, for a need of A as
    well.
    """
    known = Numbers.of([Interchange(number="A", of="B", both=True), *newer("B", "C")])
    assert known.may_be_refused_for("A")
    assert known.may_refuse("C")
    assert not known.may_refuse("A")


def test_a_number_that_stands_in_under_a_condition_matters_when_it_is_not_known() -> None:
    known = Numbers.of([Interchange(number="N-3", of="N-2", condition="new board")])
    assert known.may_be_refused_for("N-2")
    assert known.may_refuse("N-3")


def test_rings_and_contradictions_are_found_and_named_once() -> None:
    assert tangles(newer("N-3", "N-2", "N-1")) == []
    assert said(tangles(newer("A", "B", "C", "A"))) == (
        "each replaces the next and the last the first: A → B → C"
    )
    assert said(tangles(newer("A", "A"))) == "A stands in for itself"
    both = [*newer("A", "B"), Interchange(number="B", of="A", both=True)]
    assert "same part and to replace each other one way" in said(tangles(both)[0])


EDGES = st.lists(st.tuples(st.integers(0, 6), st.integers(0, 6)), max_size=10)


def reach(edges: list[tuple[int, int]], a: int) -> set[int]:
    """Everything reachable, by repeating until nothing is added: an independent walk."""
    found = {a}
    while more := {to for frm, to in edges if frm in found} - found:
        found |= more
    return found


@given(EDGES)
def test_standing_in_is_transitive_and_one_way_unless_it_goes_round(edges: list[tuple[int, int]]) -> None:
    known = Numbers.of([Interchange(number=f"N{a}", of=f"N{b}") for a, b in edges])
    stands_in = {(a, b) for a in range(7) for b in range(7) if known.chain(f"N{a}", f"N{b}")}
    assert stands_in == {(a, b) for a in range(7) for b in reach(edges, a)}
    for a, b in stands_in:
        assert all((a, c) in stands_in for c in range(7) if (b, c) in stands_in)
        if a != b and (b, a) not in stands_in:
            assert known.stands(f"N{a}", f"N{b}").standing is Standing.REPLACES
            assert known.stands(f"N{b}", f"N{a}").standing is Standing.OLDER


@given(EDGES)
def test_a_ring_is_named_exactly_when_something_reaches_itself(edges: list[tuple[int, int]]) -> None:
    known = [Interchange(number=f"N{a}", of=f"N{b}") for a, b in edges]
    goes_round = any(
        a in {x for to in [b for frm, b in edges if frm == a] for x in reach(edges, to)} for a in range(7)
    )
    assert bool(tangles(known)) is goes_round


CONDITIONED = st.lists(
    st.tuples(st.integers(0, 4), st.integers(0, 4), st.sampled_from(["", "a", "b", "c"])), max_size=9
)


def fewest(edges: list[tuple[int, int, str]], at: int, goal: int, under: frozenset[str]) -> int | None:
    """The fewest different conditions of any way without a number twice, by walking them all."""
    if at == goal:
        return len(under)
    left = [edge for edge in edges if at not in (edge[1],)]
    ways = [
        fewest([edge for edge in left if edge[0] != at], to, goal, under | ({condition} - {""}))
        for frm, to, condition in left
        if frm == at
    ]
    return min((way for way in ways if way is not None), default=None)


@given(CONDITIONED)
def test_no_other_chain_has_fewer_conditions(edges: list[tuple[int, int, str]]) -> None:
    known = Numbers.of([Interchange(number=f"N{a}", of=f"N{b}", condition=c) for a, b, c in edges])
    for a in range(5):
        for b in range(5):
            chain = known.chain(f"N{a}", f"N{b}")
            assert (len(chain.conditions) if chain else None) == fewest(edges, a, b, frozenset())


def test_a_condition_asked_twice_counts_once() -> None:
    """Reached under either one of two, the way on asks one of them again."""
    known = Numbers.of(
        [
            Interchange(number="N-4", of="N-2", condition="new cable"),
            Interchange(number="N-4", of="N-3", condition="board C"),
            *newer("N-3", "N-2"),
            Interchange(number="N-2", of="N-1", condition="board C"),
        ]
    )
    assert known.stands("N-4", "N-1").conditions == ("board C",)


def test_every_ring_of_several_is_broken_by_what_is_named() -> None:
    rings = tangles([*newer("A", "B", "C", "A"), *newer("C", "D", "C"), *newer("X", "Y", "X")])
    assert len(rings) == 3


def test_longer_numbers_may_be_misread_in_more_places() -> None:
    allowed = [edits_allowed("X" * length) for length in (0, 4, 5, 7, 8, 30)]
    assert allowed == [0, 0, 1, 1, 2, 2]
