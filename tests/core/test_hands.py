"""Screws one by one, the path of tries, where a step happens. Common practice, no source."""

from __future__ import annotations

import itertools
from dataclasses import replace

import pytest
from builders import HERON, models, said

from sutura.core.bench.rework import Meaning, Path, Rung, Tried, path, rounds
from sutura.core.bench.screws import check_field, check_place, touched
from sutura.core.bench.telling import TrayField, tray
from sutura.core.bench.where import Where, where
from sutura.core.catalogue.model import Step
from sutura.core.errors import Invalid
from sutura.core.job import EventKind, Round

MODEL = models()[HERON]


def step(name: str, model_id: str = HERON) -> Step:
    return next(one for one in models()[model_id].steps if one.id == name)


def field(
    name: str, counts: tuple[int, int] = (0, 0), missing: int = 0, done: frozenset[int] = frozenset()
) -> TrayField:
    at = step(name)
    group = MODEL.screw_group(at.screws)
    expected = counts[0] - counts[1] if at.screws_in else group.count - missing
    fields = tray(MODEL, {at.screws: counts}, {at.screws: missing}, at, expected, done)
    return next(one for one in fields if one.group.id == at.screws)


def test_the_last_word_on_a_place_counts() -> None:
    moves = [("a", 1, True), ("a", 2, True), ("b", 3, True), ("a", 2, False), ("a", 4, True), ("a", 4, True)]
    assert touched(moves, "a") == {1, 4}
    assert touched(moves, "c") == frozenset()


def test_one_by_one_out_and_in_again() -> None:
    out = field("earpiece-out", done=frozenset({2}))
    assert (out.places, out.out, out.home) == ((1, 2, 3), 1, 2)
    assert [out.is_out(place) for place in out.places] == [False, True, False]
    back = field("earpiece-in", (3, 0), done=frozenset({1, 3}))
    assert (back.places, back.out, back.home) == ((1, 2, 3), 1, 2)
    assert [back.is_out(place) for place in back.places] == [False, True, False]


def test_what_was_missing_on_arrival_is_never_asked_for() -> None:
    out = field("earpiece-out", missing=1)
    assert out.places == (2, 3)
    assert not out.is_out(1)
    with pytest.raises(Invalid, match="places of this step: 2"):
        check_place(out, 1)
    check_place(out, 2)


def test_no_more_than_a_step_asks_for() -> None:
    full = field("bottom-out", done=frozenset({1, 2}))
    with pytest.raises(Invalid, match="no more than the 2"):
        check_place(full, 3)
    # taken back it is pressed once more
    check_place(full, 2)


def test_the_rest_after_the_first_of_a_side_are_the_others() -> None:
    model = models()["ardale-foil-13-mid"]
    rest = next(
        one for one in model.steps if one.screws == "hinge-left" and one.screws_in and not one.screws_part
    )
    group = model.screw_group("hinge-left")
    fields = tray(model, {group.id: (group.count, 1)}, {}, rest, group.count - 1)
    left = next(one for one in fields if one.group.id == group.id)
    assert left.places == tuple(range(2, group.count + 1))


def test_a_screw_of_another_length_is_refused_with_its_danger() -> None:
    for one, other in itertools.permutations(MODEL.screws, 2):
        at = Step(id="x", phase=MODEL.steps[0].phase, text="x", screws=one.id, screws_in=True)
        with pytest.raises(Invalid) as refused:
            check_field(MODEL, at, other.id)
        says = said(refused.value.accepts)
        if other.length_mm > one.length_mm:
            assert "breaks the board" in says
        elif other.length_mm < one.length_mm:
            assert "would not hold" in says
        elif other.head != one.head:
            assert other.head in says
        else:
            assert "left over" in says
        check_field(MODEL, at, one.id)
    with pytest.raises(Invalid, match="fields of the tray"):
        check_field(MODEL, step("bottom-in"), "nowhere")


# -- the path of tries -------------------------------------------------------------------------------------

FAILS, OTHER, WORKS = frozenset({"image"}), frozenset({"touch"}), frozenset[str]()


def tried(*rows: tuple[Round, frozenset[str]]) -> Path | None:
    return path([Tried(round=round_, failed=failed) for round_, failed in rows])


@pytest.mark.parametrize(
    ("rows", "meaning", "rung"),
    [
        # a white picture after fitting: nothing is blamed, reseated first
        ([(Round.WHOLE, FAILS)], Meaning.NOT_YET, Rung.RESEAT),
        # reseated and it works: a connection
        ([(Round.WHOLE, FAILS), (Round.REWORK, WORKS)], Meaning.CONNECTION, None),
        # reseating changed nothing: the other part
        ([(Round.WHOLE, FAILS), (Round.REWORK, FAILS)], Meaning.PART_SUSPECTED, Rung.OTHER_PART),
        # another fault than before: whoever touched it last looks first
        ([(Round.WHOLE, FAILS), (Round.REWORK, OTHER)], Meaning.CHANGED, Rung.RESEAT),
        # works with the other part: the first was faulty
        ([(Round.WHOLE, FAILS), (Round.REWORK, FAILS), (Round.NEW_PART, WORKS)], Meaning.PART, None),
        # two parts show the same: not the part
        (
            [(Round.WHOLE, FAILS), (Round.REWORK, FAILS), (Round.NEW_PART, FAILS)],
            Meaning.ELSEWHERE,
            Rung.BOARD,
        ),
        # the part was changed before anything was reseated, and shows the same
        ([(Round.WHOLE, FAILS), (Round.NEW_PART, FAILS)], Meaning.ELSEWHERE, Rung.BOARD),
        # opened again after it had passed
        ([(Round.WHOLE, WORKS), (Round.REOPENED, FAILS)], Meaning.NOT_YET, Rung.RESEAT),
        ([(Round.WHOLE, FAILS), (Round.REOPENED, WORKS)], Meaning.CONNECTION, None),
    ],
)
def test_the_path_says_what_each_result_means(
    rows: list[tuple[Round, frozenset[str]]], meaning: Meaning, rung: Rung | None
) -> None:
    found = tried(*rows)
    assert found
    assert (found.meaning, found.next) == (meaning, rung)
    assert said(found.says)
    assert bool(found.do) is (rung is not None)


def test_nothing_failed_is_no_path() -> None:
    assert tried() is None
    assert tried((Round.WHOLE, WORKS), (Round.REOPENED, WORKS)) is None


def test_rounds_follow_what_happened() -> None:
    kinds = [
        EventKind.OPENED,
        EventKind.STEP,
        EventKind.FOR_THE_NIGHT,
        EventKind.STEP,
        EventKind.NIGHT_OVER,
        EventKind.PROOF_FAILED,
        EventKind.PART_CHANGED,
        EventKind.GIVEN_UP,
        EventKind.REOPENED,
    ]
    assert list(rounds(kinds).items()) == [
        (1, Round.WHOLE),
        (2, Round.FOR_THE_NIGHT),
        (3, Round.WHOLE),
        (4, Round.REWORK),
        (5, Round.NEW_PART),
        (6, Round.CLOSING_UP),
        (7, Round.REOPENED),
    ]


# -- where a step happens ------------------------------------------------------------------------------------


def test_screws_and_plugs_are_where_the_pack_says() -> None:
    screws = where(MODEL, step("bottom-out"))
    assert (screws.side, len(screws.points)) == ("edge", 2)
    plug = where(MODEL, step("display-off"))
    assert plug.points == (next(one.at for one in MODEL.connectors if one.name == "display"),)
    assert plug.says == "under the front connector shield"


def test_edges_are_those_that_a_step_goes_along() -> None:
    assert where(MODEL, step("warm")).edges == ("top", "right", "bottom", "left")
    cup = where(MODEL, step("cup"))
    assert cup.edges == ("bottom",)
    assert dict(cup.depths) == {edge: limit.depth_mm for edge, limit in MODEL.face.edges.items()}
    assert where(MODEL, step("seal-close")).edges == ("top",)
    assert not where(MODEL, step("power-off")).is_known
    assert not where(MODEL, step("power-off")).depths


def test_every_place_of_a_sample_lies_on_its_device() -> None:
    for model in models().values():
        for one in model.steps:
            found = where(model, one)
            for point in found.points:
                assert 0 <= point.x <= model.face.width_mm, (model.id, one.id)
                assert 0 <= point.y <= model.face.height_mm, (model.id, one.id)


def test_a_place_is_known_by_its_edges_or_by_its_points() -> None:
    point = models()[HERON].screws[0].at[0]
    assert Where(side="front", edges=("top",)).is_known
    assert Where(side="back", points=(point,)).is_known
    assert not Where(side="back").is_known


def test_a_screw_of_another_field_is_refused_with_its_danger() -> None:
    """A longer one goes through the board, a shorter one holds nothing, another head rounds off; one that is
    the same but for its place goes back to it. Common practice, no source.
    """
    first = MODEL.screws[0]
    step_in = next(one for one in MODEL.steps if one.screws == first.id)

    def danger(**changes: object) -> str:
        other = replace(first, id="other", where="elsewhere", **changes)  # type: ignore[arg-type]
        with pytest.raises(Invalid) as refused:
            check_field(replace(MODEL, screws=(*MODEL.screws, other)), step_in, "other")
        assert refused.value.refused == "elsewhere"
        return getattr(refused.value.accepts, "id", "")

    assert danger(length_mm=first.length_mm + 0.1) == "screws.too-long"
    assert danger(length_mm=first.length_mm - 0.1) == "screws.too-short"
    assert danger(head="another") == "screws.other-head"
    assert danger() == "screws.own-field"
    check_field(MODEL, step_in, first.id)
    with pytest.raises(Invalid) as refused:
        check_field(MODEL, step_in, "nowhere")
    assert refused.value.refused == "nowhere"
