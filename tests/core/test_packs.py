"""What reading a pack would do: decided on values alone. Rules by common practice, no source."""

from __future__ import annotations

import copy
from typing import Any

from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.catalogue.model import State
from sutura.core.catalogue.packs import Arriving, Change, Stored, differing_places, plan_import

data = st.dictionaries(
    st.sampled_from("abc"), st.integers(0, 2) | st.lists(st.integers(0, 1), max_size=2), max_size=3
)
ids = st.lists(st.sampled_from(["m1", "m2", "m3", "m4"]), unique=True, max_size=4)


def arriving(i: str, raw: dict[str, Any] | None = None, place: str = "models[0].id") -> Arriving:
    return Arriving(id=i, name=i.upper(), data=raw or {}, place=place)


def stored(i: str, raw: dict[str, Any] | None = None, **more: Any) -> Stored:
    return Stored(**{"id": i, "name": i.upper(), "pack": "p", "data": raw or {}, **more})


def changes(new: list[Arriving], old: list[Stored], *, retires: bool = True) -> dict[str, Change]:
    plan, problems = plan_import("p", new, old, retires=retires)
    assert not problems
    return {planned.id: planned.change for planned in plan.planned}


def test_new_changed_same_and_left_out_are_told_apart() -> None:
    found = changes(
        [arriving("new"), arriving("same", {"a": 1}), arriving("other", {"a": 2})],
        [stored("same", {"a": 1}), stored("other", {"a": 1}), stored("gone")],
    )
    assert found == {
        "new": Change.ADDED,
        "same": Change.SAME,
        "other": Change.CHANGED,
        "gone": Change.REMOVED,
    }


def test_a_model_that_jobs_were_done_on_is_retired_and_never_removed() -> None:
    assert changes([], [stored("used", used="2 open jobs use it")]) == {"used": Change.RETIRED}
    retired = stored("used", used="1 job was done on it", state=State.RETIRED)
    assert changes([], [retired]) == {"used": Change.SAME}
    assert changes([arriving("used")], [retired]) == {"used": Change.BACK}


def test_a_part_with_stock_that_is_left_out_stays() -> None:
    assert changes([], [stored("P-1", used="it has stock")], retires=False) == {"P-1": Change.STAYS}


def test_what_belongs_to_another_pack_is_refused_with_its_place() -> None:
    _, problems = plan_import(
        "p", [arriving("x", place="models[7].id")], [stored("x", pack="q")], retires=True
    )
    assert [(p.field, p.refused) for p in problems] == [("models[7].id", "x")]
    assert "another pack has it: q" in str(problems[0])


def test_the_same_id_twice_in_a_file_is_refused() -> None:
    _, problems = plan_import("p", [arriving("x"), arriving("x", place="models[1].id")], [], retires=True)
    assert [p.field for p in problems] == ["models[1].id"]


def test_an_edit_made_here_is_said_before_it_is_overwritten() -> None:
    plan, _ = plan_import(
        "p", [arriving("x", {"a": 2})], [stored("x", {"a": 1}, edited_by="Ines")], retires=True
    )
    assert plan.planned[0].overwrites
    assert "Ines changed it here" in said(plan.planned[0].why)
    same, _ = plan_import(
        "p", [arriving("x", {"a": 1})], [stored("x", {"a": 1}, edited_by="Ines")], retires=True
    )
    assert not same.planned[0].overwrites


@given(ids, ids, st.data())
def test_reading_a_pack_twice_changes_nothing_the_second_time(
    new: list[str], old: list[str], draw: st.DataObject
) -> None:
    file = [arriving(i, draw.draw(data)) for i in new]
    present = {i: stored(i, draw.draw(data), used=draw.draw(st.sampled_from(["", "1 job"]))) for i in old}
    plan, _ = plan_import("p", file, list(present.values()), retires=True)
    for planned in plan.planned:
        if planned.change is Change.REMOVED:
            del present[planned.id]
        elif planned.change is Change.RETIRED:
            present[planned.id] = stored(
                planned.id, dict(present[planned.id].data), used="1 job", state=State.RETIRED
            )
    present |= {one.id: stored(one.id, dict(one.data)) for one in file}
    again, _ = plan_import("p", file, list(present.values()), retires=True)
    assert not again.does_something
    assert set(new) <= {one.id for one in again.planned}


@given(data, data)
def test_there_is_a_line_exactly_when_something_differs(
    before: dict[str, Any], after: dict[str, Any]
) -> None:
    assert bool(differing_places(before, after)) == (before != after)
    assert differing_places(before, copy.deepcopy(before)) == []


def test_an_inserted_step_is_one_line_and_a_moved_one_is_an_order() -> None:
    steps = [{"id": "one", "text": "a"}, {"id": "two", "text": "b"}]
    (line,) = differing_places({"steps": steps}, {"steps": [steps[0], {"id": "x", "text": "c"}, steps[1]]})
    assert (line.place, line.before, line.after) == ("steps[x]", "", "id x; text c")
    (moved,) = differing_places({"steps": steps}, {"steps": steps[::-1]})
    assert moved.place == "steps, order"


def test_left_out_and_not_known_are_not_the_same() -> None:
    (line,) = differing_places({"need": {"touch": None}}, {"need": {}})
    assert (line.place, line.before, line.after) == ("need.touch", "not known", "")


def shown(before: object, after: object) -> tuple[str, str]:
    [line] = differing_places({"x": before}, {"x": after})
    return line.before, line.after


def test_a_long_text_is_shown_where_it_begins_to_differ() -> None:
    assert shown("a" * 157, "b" * 158) == ("a" * 157, "b" * 157 + "…")
    same = "".join(f"{n:04}" for n in range(100))
    old, new = shown(same + "old" + "x" * 300, same + "new" + "x" * 300)
    # forty characters of what is the same, and as much of the rest as there is room for
    assert old == "…" + same[-40:] + "old" + "x" * 114 + "…"
    assert new == "…" + same[-40:] + "new" + "x" * 114 + "…"
    # near its end all of the end
    assert shown(same + "!", same + "?") == ("…" + same[-156:] + "!", "…" + same[-156:] + "?")
    assert shown(None, [True, {"a": 1}]) == ("not known", "yes, a 1")


@given(st.text("ab", max_size=400), st.text("ab", max_size=400))
def test_what_is_shown_of_two_texts_differs_as_they_do(before: str, after: str) -> None:
    if before != after:
        old, new = shown(before, after)
        assert old != new
        assert max(len(old), len(new)) <= 159
