"""Printed numbers: revisions of one number, and which number may stand in for which.

“Newer replaces older” goes one way; “the same part under another number” goes both. Together they are a
directed graph.
"""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from graphlib import CycleError, TopologicalSorter
from heapq import heappop, heappush

from sutura.core.facts import Fact, fact
from sutura.core.identify.scan import LabelPattern, PanelLabel, read_label


class Standing(StrEnum):
    """How an offered number stands to the one that is needed."""

    SAME = "same"
    REVISION = "revision"
    EQUAL = "equal"
    REPLACES = "replaces"
    OLDER = "older"
    # one of the two is without its revision, or of a revision nobody wrote down, and another would be refused
    UNSURE = "unsure"
    NONE = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Interchange:
    """`number` may stand in for `of`; `both` = and the other way round. `condition` must hold for it; empty =
    always.
    """

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


@dataclass(frozen=True)
class Numbers:
    """What is known of printed numbers. Built once, asked often."""

    patterns: tuple[LabelPattern, ...] = ()
    # plain number → the plain numbers it may stand in for, with the condition
    may_replace: Mapping[str, tuple[tuple[str, str], ...]] = field(default_factory=dict)
    shown: Mapping[str, str] = field(default_factory=dict)
    # what was asked before; the same few numbers are needed again and again
    asked: dict[tuple[str, str], Stands] = field(default_factory=dict, compare=False, repr=False)
    doubted: dict[str, bool] = field(default_factory=dict, compare=False, repr=False)

    @classmethod
    def of(cls, known: Sequence[Interchange], patterns: Sequence[LabelPattern] = ()) -> Numbers:
        ways: dict[str, list[tuple[str, str]]] = {}
        shown: dict[str, str] = {}
        for interchange in known:
            a, b = plain_number(interchange.number), plain_number(interchange.of)
            shown.setdefault(a, interchange.number)
            shown.setdefault(b, interchange.of)
            ways.setdefault(a, []).append((b, interchange.condition))
            if interchange.both:
                ways.setdefault(b, []).append((a, interchange.condition))
        return cls(
            patterns=tuple(patterns), may_replace={a: tuple(bs) for a, bs in ways.items()}, shown=shown
        )

    def chain(self, number: str, of: str) -> Stands | None:
        """The chain by which a number may stand in for another, with the fewest conditions, then the
        shortest; None = none.
        """
        start, goal = plain_number(number), plain_number(of)
        order = itertools.count()
        waiting: list[tuple[int, int, int, tuple[str, ...], tuple[str, ...]]] = [(0, 1, 0, (start,), ())]
        # under which conditions a number was reached: only fewer of the same may still lead to less
        reached: dict[str, list[frozenset[str]]] = {}
        while waiting:
            *_, path, conditions = heappop(waiting)
            if path[-1] == goal:
                return Stands(
                    standing=Standing.REPLACES,
                    chain=tuple(self.shown.get(number, number) for number in path),
                    conditions=conditions,
                )
            under = frozenset(conditions)
            if any(before <= under for before in reached.get(path[-1], ())):
                continue
            reached.setdefault(path[-1], []).append(under)
            for after, condition in self.may_replace.get(path[-1], ()):
                more = (*conditions, condition) if condition and condition not in conditions else conditions
                heappush(waiting, (len(more), len(path) + 1, next(order), (*path, after), more))
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
        mine, theirs = read_label(offered, self.patterns), read_label(needed, self.patterns)
        if self._may_be_another(offered, needed, mine, theirs):
            return Stands(standing=Standing.UNSURE, chain=(offered, needed))
        if mine and theirs and mine.revision and theirs.revision and mine.base == theirs.base:
            return Stands(standing=Standing.REVISION, chain=(offered, needed))
        return Stands(standing=Standing.NONE)

    def _may_be_another(
        self, offered: str, needed: str, mine: PanelLabel | None, theirs: PanelLabel | None
    ) -> bool:
        """Whether a number that nobody wrote down may be one of which another edition is not simply right."""
        editions = self._editions
        could_be_offered = editions.get(mine.base, ()) if mine and self._is_open(offered) else ()
        could_be_needed = editions.get(theirs.base, ()) if theirs and self._is_open(needed) else ()
        return any(
            self._is_refused(one, other)
            for one in could_be_offered or (plain_number(offered),)
            for other in could_be_needed or (plain_number(needed),)
            if (could_be_offered or could_be_needed) and one != other
        )

    def _is_open(self, number: str) -> bool:
        """Whether nothing is known of this very number."""
        return plain_number(number) not in self.shown

    @cached_property
    def _editions(self) -> Mapping[str, tuple[str, ...]]:
        """The known numbers of each base, as plain numbers."""
        editions: dict[str, list[str]] = {}
        for number in self.shown:
            label = read_label(number, self.patterns)
            if label:
                editions.setdefault(label.base, []).append(number)
        return {base: tuple(numbers) for base, numbers in editions.items()}

    def may_be_refused_for(self, needed: str) -> bool:
        """Whether a part whose number is not known could bear one that is not simply right for this need: an
        older one that is replaced, or one that stands in only under a condition.
        """
        key = plain_number(needed)
        if key not in self.doubted:
            self.doubted[key] = any(self._is_doubtful(other, key) for other in self._kin(key))
        return self.doubted[key]

    @property
    def tell_apart(self) -> bool:
        """Whether any two numbers are known of which one is not simply right for the other."""
        if "" not in self.doubted:
            self.doubted[""] = any(self.may_be_refused_for(number) for number in self.may_replace)
        return self.doubted[""]

    def may_refuse(self, offered: str) -> bool:
        """Whether a need whose number is not known could be one that this number is not simply right for."""
        return any(self._is_doubtful(offered, other) for other in self._kin(plain_number(offered)))

    def _is_refused(self, offered: str, needed: str) -> bool:
        stands = self.stands(offered, needed)
        return stands.standing is Standing.OLDER or bool(stands.conditions)

    def _is_doubtful(self, offered: str, needed: str) -> bool:
        return self._is_refused(offered, needed) or self.stands(offered, needed).standing is Standing.UNSURE

    def _kin(self, number: str) -> set[str]:
        """The known numbers that have to do with a number: by any chain from it, or from an edition that it
        may be.
        """
        label = read_label(number, self.patterns) if self._is_open(number) else None
        editions = self._editions.get(label.base, ()) if label else ()
        return set(editions).union(*(self._connected(each) for each in (number, *editions)))

    def _connected(self, number: str) -> set[str]:
        """The numbers that any chain, in whatever direction, leads to from this one; without itself."""
        start = plain_number(number)
        beside: dict[str, set[str]] = {}
        for newer, olders in self.may_replace.items():
            for older, _ in olders:
                beside.setdefault(newer, set()).add(older)
                beside.setdefault(older, set()).add(newer)
        reached, waiting = {start}, [start]
        while waiting:
            further = beside.get(waiting.pop(), set()) - reached
            reached |= further
            waiting += further
        return reached - {start}


def tangles(known: Sequence[Interchange]) -> list[Fact]:
    """What cannot be right among interchanges: rings of one-way replacements, and a number that stands in for
    itself.

    In a ring every number would be newer than itself; the ring is named once, from its smallest number.
    """
    said = [
        fact("matching.stands-itself", number=interchange.number)
        for interchange in known
        if plain_number(interchange.number) == plain_number(interchange.of)
    ]
    one_way: dict[str, set[str]] = {}
    shown: dict[str, str] = {}
    for interchange in known:
        a, b = plain_number(interchange.number), plain_number(interchange.of)
        shown[a], shown[b] = interchange.number, interchange.of
        if not interchange.both and a != b:
            one_way.setdefault(a, set()).add(b)
    seen: set[frozenset[str]] = set()
    for ring in _rings(one_way):
        if frozenset(ring) not in seen:
            seen.add(frozenset(ring))
            at = ring.index(min(ring))
            turned = [*ring[at:], *ring[:at]]
            said.append(
                fact("matching.each-replaces-next-last-first", turned=tuple(shown[n] for n in turned))
            )
    for interchange in known:
        a, b = plain_number(interchange.number), plain_number(interchange.of)
        if interchange.both and (b in one_way.get(a, ()) or a in one_way.get(b, ())):
            said.append(
                fact(
                    "matching.said-same-part-replace-each-other", number=interchange.number, of=interchange.of
                )
            )
    return said


def _rings(ways: Mapping[str, set[str]]) -> list[list[str]]:
    """Rings of a directed graph: one, then those that are left without its last step, until there is none."""
    before: dict[str, list[str]] = {}
    for newer in sorted(ways):
        for older in sorted(ways[newer]):
            before.setdefault(older, []).append(newer)
    rings = []
    while True:
        try:
            TopologicalSorter(before).prepare()
        except CycleError as ring:
            *numbers, _ = ring.args[1]
            rings.append(numbers)
            before[numbers[0]].remove(numbers[-1])
        else:
            return rings
