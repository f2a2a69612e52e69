"""What reading a pack would do: added, changed, removed, retired, brought back – decided before anything is
written.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import takewhile

from sutura.core.catalogue.model import State
from sutura.core.errors import Invalid
from sutura.core.facts import Fact, Say, fact

Naming = Callable[[str], str]
# left out is not the same as null: null says that nobody knows it yet
_ABSENT = object()
# of a long text so many characters are shown, beginning so many before the first that differs
_LONGEST, _BEFORE = 157, 40


class Change(StrEnum):
    ADDED = "added"
    CHANGED = "changed"
    REMOVED = "removed"
    # jobs were done on it, so it stays readable
    RETIRED = "retired"
    BACK = "back"
    # a part that is not in the file and has stock or jobs
    STAYS = "stays"
    SAME = "same"


@dataclass(frozen=True, slots=True, kw_only=True)
class Line:
    """One place that differs, with what stood there and what would; empty = nothing."""

    place: str
    before: str
    after: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Stored:
    """One model or part as the database has it. `used` says what it was used for, such as `2 open jobs`;
    empty = never.
    """

    id: str
    name: str
    pack: str
    data: Mapping[str, object]
    state: State = State.LISTED
    used: str = ""
    edited_by: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Arriving:
    """One model or part as a file has it, and its place there."""

    id: str
    name: str
    data: Mapping[str, object]
    place: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Planned:
    """What would happen to one model or part, and why or where it differs. `overwrites` = it was edited
    here.
    """

    change: Change
    id: str
    name: str
    why: Say = ""
    lines: tuple[Line, ...] = ()
    overwrites: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportPlan:
    pack: str
    planned: tuple[Planned, ...]

    @property
    def does_something(self) -> bool:
        return any(planned.change not in (Change.SAME, Change.STAYS) for planned in self.planned)

    def count(self, change: Change) -> int:
        return sum(planned.change is change for planned in self.planned)

    @property
    def says(self) -> Fact:
        """The plan in one sentence, such as `2 added, 1 changed, 3 the same.`"""
        said = tuple(
            fact("catalogue.counted", count=count, change=change)
            for change in Change
            if (count := self.count(change))
        )
        return fact("catalogue.would-do", said=said) if said else fact("catalogue.nothing-in-it")


def plan_import(
    pack: str, arriving: Sequence[Arriving], present: Sequence[Stored], *, retires: bool
) -> tuple[ImportPlan, list[Invalid]]:
    """What reading a pack would do to what is there, and what forbids it. The same file read twice changes
    nothing the second time.

    `present` holds everything of this pack and whatever else has one of the arriving ids. What is left out of
    the file
    and was used is retired when `retires`, else it stays (rule catalogue.retire); what was never used is
    removed.
    """
    there = {model.id: model for model in present}
    first: dict[str, Arriving] = {}
    for item in arriving:
        first.setdefault(item.id, item)
    problems = [
        Invalid(
            item.place,
            item.id,
            fact("catalogue.another-pack-has", pack=there[item.id].pack or fact("catalogue.made-here")),
        )
        for item in arriving
        if item.id in there and there[item.id].pack != pack
    ]
    problems += [
        Invalid(item.place, item.id, fact("catalogue.give-each-one-id-own"))
        for item in arriving
        if first[item.id] is not item
    ]
    planned = [_arrives(item, there.get(item.id)) for item in arriving]
    planned += [
        _leaves(model, retires=retires) for model in present if model.pack == pack and model.id not in first
    ]
    return ImportPlan(pack=pack, planned=tuple(planned)), problems


def _arrives(new: Arriving, old: Stored | None) -> Planned:
    if old is None:
        return Planned(change=Change.ADDED, id=new.id, name=new.name)
    lines = tuple(differing_places(old.data, new.data))
    ours = bool(old.edited_by and lines)
    why = fact("catalogue.changed-here-files-version-takes-place", edited_by=old.edited_by) if ours else ""
    if old.state is State.RETIRED:
        return Planned(
            change=Change.BACK,
            id=new.id,
            name=new.name,
            why=fact("catalogue.was-retired"),
            lines=lines,
            overwrites=bool(old.edited_by),
        )
    return Planned(
        change=Change.CHANGED if lines else Change.SAME,
        id=new.id,
        name=new.name,
        why=why,
        lines=lines,
        overwrites=ours,
    )


def _leaves(old: Stored, *, retires: bool) -> Planned:
    if not old.used:
        return Planned(
            change=Change.REMOVED, id=old.id, name=old.name, why=fact("catalogue.not-file-never-used")
        )
    if not retires:
        return Planned(
            change=Change.STAYS, id=old.id, name=old.name, why=fact("catalogue.not-file-but", used=old.used)
        )
    if old.state is State.RETIRED:
        return Planned(change=Change.SAME, id=old.id, name=old.name, why=fact("catalogue.retired-already"))
    why = fact("catalogue.not-file-but-stays-readable-not", used=old.used)
    return Planned(change=Change.RETIRED, id=old.id, name=old.name, why=why)


def differing_places(before: object, after: object, place: str = "") -> list[Line]:
    """Every place where two JSON values differ. Things with an id are compared by it, so an inserted step is
    one line.

    >>> [line.place for line in differing_places({"a": [1, 2], "b": {"c": 1}}, {"a": [1, 3], "b": {"c": 2}})]
    ['a', 'b.c']
    """
    if before == after:
        return []
    if isinstance(before, Mapping) and isinstance(after, Mapping):
        return _differing(before, after, lambda key: f"{place}.{key}".lstrip("."))
    old, new = _by_id(before), _by_id(after)
    if old is None or new is None:
        old_text, new_text = _shown(before), _shown(after)
        same = sum(1 for _ in takewhile(lambda two: two[0] == two[1], zip(old_text, new_text, strict=False)))
        return [Line(place=place, before=_cut(old_text, same), after=_cut(new_text, same))]
    lines = _differing(old, new, lambda key: f"{place}[{key}]")
    if list(old) != list(new) and set(old) == set(new):
        lines.append(Line(place=f"{place}, order", before=", ".join(old), after=", ".join(new)))
    return lines


def _differing(old: Mapping[str, object], new: Mapping[str, object], path: Naming) -> list[Line]:
    return [
        line
        for key in {**old, **new}
        for line in differing_places(old.get(key, _ABSENT), new.get(key, _ABSENT), path(key))
    ]


def _by_id(value: object) -> dict[str, object] | None:
    """A list of things with ids as a mapping by id; None for anything else."""
    if not isinstance(value, list) or not all(
        isinstance(entry, Mapping) and "id" in entry for entry in value
    ):
        return None
    return {str(entry["id"]): entry for entry in value}


def _shown(value: object) -> str:
    if value is _ABSENT:
        return ""
    if value is None:
        return "not known"
    return _words(value)


def _cut(text: str, same: int) -> str:
    """A long text from a little before the place where it begins to differ."""
    begin = max(min(same - _BEFORE, len(text) - _LONGEST), 0) if len(text) > _LONGEST else 0
    head, tail = "…" if begin else "", "…" if len(text) > begin + _LONGEST else ""
    return head + text[begin : begin + _LONGEST] + tail


def _words(value: object) -> str:
    """A JSON value in plain words: names and values, lists with commas."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Mapping):
        return "; ".join(f"{name} {_words(one)}" for name, one in value.items())
    if isinstance(value, list):
        return ", ".join(_words(entry) for entry in value) or "none"
    return "not known" if value is None else str(value)
