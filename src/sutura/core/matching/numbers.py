"""Printed numbers: revisions of one number, and which number may stand in for which.

“Newer replaces older” goes one way; “the same part under another number” goes both. Together they are a directed graph.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import lru_cache

from sutura.core.identify import LabelPattern


class Standing(StrEnum):
    """How an offered number stands to the one that is needed."""

    SAME = "the same"
    REVISION = "another revision"
    EQUAL = "the same part"
    REPLACES = "replaces it"
    OLDER = "is replaced by it"
    NONE = "not connected"


@dataclass(frozen=True, slots=True, kw_only=True)
class Interchange:
    """`number` may stand in for `of`; `both` = and the other way round. `condition` must hold for it; empty = always."""

    number: str
    of: str
    both: bool = False
    condition: str = ""
    source: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Stands:
    """The standing of one number to another, the chain that shows it, and the conditions along it."""

    standing: Standing
    chain: tuple[str, ...] = ()
    conditions: tuple[str, ...] = ()


MOST_ASKED = 50_000


def plain_number(text: str) -> str:
    """A printed number without spaces and signs.

    >>> plain_number("ap156-GT40 a")
    'AP156GT40A'
    """
    return re.sub(r"[^A-Z0-9]", "", text.upper())


@lru_cache(maxsize=512)
def _shape(base: str, revision: str) -> re.Pattern[str]:
    """A maker's pattern as an expression: @ a letter, # a digit, anything else as it stands."""
    parts = (
        "".join({"@": "[A-Z]", "#": "[0-9]"}.get(sign, re.escape(sign)) for sign in part)
        for part in (base, revision)
    )
    return re.compile("({})({})".format(*parts))


def revision_of(text: str, patterns: Sequence[LabelPattern]) -> tuple[str, str] | None:
    """Base number and revision by a maker's pattern (@ a letter, # a digit); None when none fits."""
    tidy = text.strip().upper()
    for pattern in patterns:
        found = _shape(pattern.base, pattern.revision).fullmatch(tidy)
        if found:
            return found[1], found[2]
    return None


@dataclass(frozen=True, slots=True)
class Numbers:
    """What is known of printed numbers. Built once, asked often."""

    patterns: tuple[LabelPattern, ...] = ()
    # plain number → the plain numbers it may stand in for, with the condition
    may_replace: Mapping[str, tuple[tuple[str, str], ...]] = field(default_factory=dict)
    shown: Mapping[str, str] = field(default_factory=dict)
    # what was asked before; the same few numbers are needed again and again
    asked: dict[tuple[str, str], Stands] = field(default_factory=dict, compare=False, repr=False)

    @classmethod
    def of(cls, known: Sequence[Interchange], patterns: Sequence[LabelPattern] = ()) -> Numbers:
        ways: dict[str, list[tuple[str, str]]] = {}
        shown: dict[str, str] = {}
        for one in known:
            a, b = plain_number(one.number), plain_number(one.of)
            shown.setdefault(a, one.number)
            shown.setdefault(b, one.of)
            ways.setdefault(a, []).append((b, one.condition))
            if one.both:
                ways.setdefault(b, []).append((a, one.condition))
        return cls(
            patterns=tuple(patterns), may_replace={a: tuple(bs) for a, bs in ways.items()}, shown=shown
        )

    def chain(self, number: str, of: str) -> Stands | None:
        """The chain by which a number may stand in for another, with the fewest conditions, then the shortest; None = none."""
        start, goal = plain_number(number), plain_number(of)
        waiting: deque[tuple[int, tuple[str, ...], tuple[str, ...]]] = deque([(0, (start,), ())])
        best: dict[str, int] = {}
        while waiting:
            waiting = deque(sorted(waiting, key=lambda one: (one[0], len(one[1]))))
            _, path, conditions = waiting.popleft()
            if path[-1] == goal:
                return Stands(
                    standing=Standing.REPLACES, chain=tuple(self.shown.get(one, one) for one in path), conditions=conditions
                )  # fmt: skip
            if path[-1] in best:
                continue
            best[path[-1]] = len(conditions)
            for after, condition in self.may_replace.get(path[-1], ()):
                more = (*conditions, condition) if condition and condition not in conditions else conditions
                waiting.append((len(more), (*path, after), more))
        return None

    def stands(self, offered: str, needed: str) -> Stands:
        """How an offered number stands to the needed one (rule fit.printed_number)."""
        key = (offered, needed)
        if key not in self.asked:
            if len(self.asked) >= MOST_ASKED:
                self.asked.clear()
            self.asked[key] = self._stands(offered, needed)
        return self.asked[key]

    def _stands(self, offered: str, needed: str) -> Stands:
        if plain_number(offered) == plain_number(needed):
            return Stands(standing=Standing.SAME)
        both_known = plain_number(offered) in self.shown and plain_number(needed) in self.shown
        there, back = (
            (self.chain(offered, needed), self.chain(needed, offered)) if both_known else (None, None)
        )
        if there and back:
            return Stands(standing=Standing.EQUAL, chain=there.chain, conditions=there.conditions)
        if there:
            return there
        if back:
            return Stands(standing=Standing.OLDER, chain=back.chain)
        mine, theirs = revision_of(offered, self.patterns), revision_of(needed, self.patterns)
        if mine and theirs and mine[0] == theirs[0]:
            return Stands(standing=Standing.REVISION, chain=(offered, needed))
        return Stands(standing=Standing.NONE)

    def replaces_something(self, number: str) -> bool:
        """Whether some other number is older than this one: then an unknown number may be one of them."""
        return any(
            self.chain(after, number) is None for after, _ in self.may_replace.get(plain_number(number), ())
        )

    def is_replaced(self, number: str) -> bool:
        """Whether a newer number replaces this one and not the reverse."""
        goal = plain_number(number)
        return any(
            goal in {after for after, _ in afters} and self.chain(goal, before) is None
            for before, afters in self.may_replace.items()
        )


def tangles(known: Sequence[Interchange]) -> list[str]:
    """What cannot be right among interchanges: rings of one-way replacements, and a number that stands in for itself.

    In a ring every number would be newer than itself; the ring is named once, from its smallest number.
    """
    said = [
        f"{one.number} stands in for itself"
        for one in known
        if plain_number(one.number) == plain_number(one.of)
    ]
    one_way: dict[str, set[str]] = {}
    shown: dict[str, str] = {}
    for one in known:
        a, b = plain_number(one.number), plain_number(one.of)
        shown[a], shown[b] = one.number, one.of
        if not one.both and a != b:
            one_way.setdefault(a, set()).add(b)
    seen: set[frozenset[str]] = set()
    for ring in _rings(one_way):
        if frozenset(ring) not in seen:
            seen.add(frozenset(ring))
            at = ring.index(min(ring))
            turned = [*ring[at:], *ring[:at]]
            said.append(
                f"each replaces the next and the last the first: {' → '.join(shown[n] for n in turned)}"
            )
    for one in known:
        a, b = plain_number(one.number), plain_number(one.of)
        if one.both and (b in one_way.get(a, ()) or a in one_way.get(b, ())):
            said.append(
                f"{one.number} and {one.of} are said to be the same part and to replace each other one way"
            )
    return said


def _rings(ways: Mapping[str, set[str]]) -> list[list[str]]:
    """Rings of a directed graph, one for each edge that closes one."""
    rings = []
    for start in sorted(ways):
        waiting: deque[list[str]] = deque([[start]])
        visited = set()
        while waiting:
            path = waiting.popleft()
            for after in sorted(ways.get(path[-1], ())):
                if after == start:
                    rings.append(path)
                    waiting.clear()
                    break
                if after not in visited:
                    visited.add(after)
                    waiting.append([*path, after])
    return rings
