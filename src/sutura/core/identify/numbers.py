"""Which device is this? Text as read from a label → candidates with a verdict and its doubt.

Only an exact reading of the significant part, of one model alone, is *sure*. Folding the characters that
people mix up finds misread labels, and is never more than *likely*: two real models can be one character
apart.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from rapidfuzz import process
from rapidfuzz.distance import OSA, Levenshtein

from sutura.core.catalogue.kin import Telling, tell_apart
from sutura.core.catalogue.model import Model, NumberKind, NumberPattern, State
from sutura.core.facts import Fact, Say, fact, sentences
from sutura.core.identify.reading import Verdict, edits_allowed, fold, plain

# More candidates than this help nobody at a counter; the number left out is said. The shop's, no source.
MOST_SHOWN = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownModel:
    """What has to be known of a model to recognise it and name it."""

    id: str
    full_name: str
    device_class: str
    construction: str
    state: State = State.LISTED


@dataclass(frozen=True, slots=True, kw_only=True)
class Numbered:
    """One number pattern of one model."""

    model: KnownModel
    pattern: NumberPattern


@dataclass(frozen=True, slots=True, kw_only=True)
class NumberIndex:
    """The catalogue's numbers, ready to be looked up.

    `exact` and `folded` by the number as plain and as folded text; `near` by kind and length, for the
    readings that are
    one or two characters off; `names` with the plain text of each name; `tacs` by the first eight digits of
    an IMEI.
    """

    exact: Mapping[str, Sequence[Numbered]]
    folded: Mapping[str, Sequence[Numbered]]
    near: Mapping[NumberKind, Mapping[int, Sequence[str]]]
    names: Mapping[str, Sequence[KnownModel]]
    tacs: Mapping[str, Sequence[KnownModel]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Character:
    """One character of the label: `significant` decides, `doubtful` may have been misread."""

    text: str
    significant: bool
    doubtful: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    model: KnownModel
    characters: tuple[Character, ...]
    why: Say


@dataclass(frozen=True, slots=True, kw_only=True)
class Identification:
    """The verdict with its candidates; `telling` is what to look at when there are several."""

    verdict: Verdict
    candidates: tuple[Candidate, ...]
    says: Say
    telling: tuple[Telling, ...] = ()


# -- the index ------------------------------------------------------------------------------


def known(model: Model, state: State = State.LISTED) -> KnownModel:
    """The little of a model that identification needs."""
    return KnownModel(
        id=model.id,
        full_name=model.full_name,
        device_class=model.device_class,
        construction=model.construction,
        state=state,
    )


def numbers_of(models: Iterable[Model]) -> list[Numbered]:
    """Every number pattern of some models."""
    return [Numbered(model=known(model), pattern=pattern) for model in models for pattern in model.numbers]


def index_numbers(
    numbers: Iterable[Numbered], names: Iterable[KnownModel] = (), tacs: Iterable[tuple[str, KnownModel]] = ()
) -> NumberIndex:
    """An index over number patterns, the names of models, and what IMEIs begin with."""
    exact: dict[str, list[Numbered]] = {}
    folded: dict[str, list[Numbered]] = {}
    lengths: dict[NumberKind, dict[int, set[str]]] = {}
    for number in numbers:
        text, alike = plain(number.pattern.text), fold(number.pattern.text)
        exact.setdefault(text, []).append(number)
        folded.setdefault(alike, []).append(number)
        if edits_allowed(text):
            lengths.setdefault(number.pattern.kind, {}).setdefault(len(text), set()).add(alike)
    named: dict[str, list[KnownModel]] = {}
    for model in sorted(names, key=lambda model: model.full_name):
        named.setdefault(plain(model.full_name), []).append(model)
    begun: dict[str, list[KnownModel]] = {}
    for tac, model in tacs:
        begun.setdefault(tac, []).append(model)
    near = {kind: {size: sorted(texts) for size, texts in sizes.items()} for kind, sizes in lengths.items()}
    return NumberIndex(exact=exact, folded=folded, near=near, names=named, tacs=begun)


# -- looking up -----------------------------------------------------------------------------


def identify(text: str, models: Iterable[Model]) -> Identification:
    """Candidates for a label as read, with the verdict, what was ignored or doubted, and what tells several
    apart.
    """
    every = {model.id: model for model in models}
    index = index_numbers(
        numbers_of(every.values()),
        [known(model) for model in every.values()],
        [(tac, known(model)) for model in every.values() for tac in model.tacs],
    )
    return tell(look_up(text, index), every)


def tell(identified: Identification, models: Mapping[str, Model]) -> Identification:
    """The same answer with what tells its candidates apart, when there are several (rule
    identify.tell-apart).
    """
    if identified.verdict is not Verdict.AMBIGUOUS:
        return identified
    compared = [
        models[candidate.model.id] for candidate in identified.candidates if candidate.model.id in models
    ]
    return replace(identified, telling=tell_apart(compared))


def look_up(text: str, index: NumberIndex) -> Identification:
    """Candidates for a label as read, from an index of the catalogue's numbers."""
    read = plain(text)
    if not read:
        return Identification(
            verdict=Verdict.UNKNOWN, candidates=(), says=fact("identify.type-what-label-says")
        )
    exact = _only_listed(_unique(_candidate(read, hit, exact=True) for hit in _hits(read, index.exact)))
    if len(exact) == 1:
        return _one(exact[0], read, index)
    if exact:
        return _several(exact)
    folded = _unique(_candidate(read, hit, exact=False) for hit in _hits(fold(read), index.folded))
    near = folded or _unique(
        candidates for near in _close(read, index) if (candidates := _near_candidate(read, near))
    )
    if len(near) == 1:
        return Identification(verdict=Verdict.LIKELY, candidates=tuple(near), says=near[0].why)
    if near:
        return _several(near)
    return _by_name(text, read, index)


def _hits(read: str, numbers: Mapping[str, Sequence[Numbered]]) -> list[Numbered]:
    """Numbers that are the whole reading, and prefixes that it begins with; the longest first."""
    return [
        number
        for size in range(len(read), 0, -1)
        for number in numbers.get(read[:size], ())
        if size == len(read) or number.pattern.kind is NumberKind.PREFIX
    ]


def _one(candidate: Candidate, read: str, index: NumberIndex) -> Identification:
    """One model alone has exactly this number: sure, unless it is one that was only measured here."""
    if candidate.model.state is State.UNLISTED:
        says = fact("identify.was-measured-here-no-pack-compare", why=candidate.why)
        return Identification(verdict=Verdict.LIKELY, candidates=(candidate,), says=says)
    retired = candidate.model.state is State.RETIRED
    sure = sentences(
        [
            candidate.why,
            _beware(read, candidate.model, index),
            fact("identify.retired-not-taken-any-more") if retired else None,
        ]
    )
    return Identification(verdict=Verdict.SURE, candidates=(candidate,), says=sure)


def _only_listed(candidates: list[Candidate]) -> list[Candidate]:
    """A number that a pack lists is that model's, whatever was measured here before the pack knew it."""
    listed = [hit for hit in candidates if hit.model.state is not State.UNLISTED]
    return listed or candidates


def _by_name(text: str, read: str, index: NumberIndex) -> Identification:
    every = (
        model
        for name, models in index.names.items()
        if read in name
        for model in models
        if model.state.taken_in
    )
    named = list(itertools.islice(every, MOST_SHOWN + 1))
    if not named:
        says = fact("identify.no-model-catalogue-has-number-like", text=text.strip())
        return Identification(verdict=Verdict.UNKNOWN, candidates=(), says=says)
    why = fact("identify.found-name-one-name-covers-many")
    more = fact("identify.more-have-such-name-not-shown") if len(named) > MOST_SHOWN else None
    return Identification(
        verdict=Verdict.AMBIGUOUS,
        says=sentences([fact("identify.name-not-number", why=why), more]),
        candidates=tuple(Candidate(model=model, characters=(), why=why) for model in named[:MOST_SHOWN]),
    )


def _several(candidates: list[Candidate]) -> Identification:
    shown = candidates[:MOST_SHOWN]
    names: list[Say] = [candidate.model.full_name for candidate in shown]
    return Identification(
        verdict=Verdict.AMBIGUOUS,
        candidates=tuple(shown),
        says=fact(
            "identify.more-than-one-device-fits-compare", names=_and_more(names, len(candidates) - len(shown))
        ),
    )


def _and_more(shown: Sequence[Say], more: int) -> tuple[Say, ...]:
    return (*shown, fact("identify.more", count=more)) if more else tuple(shown)


def _unique(candidates: Iterable[Candidate]) -> list[Candidate]:
    """One candidate for each model, the first."""
    return list({candidate.model.id: candidate for candidate in reversed(list(candidates))}.values())[::-1]


def _candidate(read: str, numbered: Numbered, *, exact: bool) -> Candidate:
    number = plain(numbered.pattern.text)
    characters = tuple(
        Character(
            text=c, significant=i < len(number), doubtful=not exact and i < len(number) and c != number[i]
        )
        for i, c in enumerate(read)
    )
    said = [fact("identify.decides", number=number, full_name=numbered.model.full_name)]
    ignored = read[len(number) :]
    if ignored:
        means = numbered.pattern.rest or fact("identify.no-meaning-for-the-screen")
        said.append(fact("identify.ignored", ignored=ignored, means=means))
    if not exact:
        doubts = tuple(
            fact("identify.may", character=c.text, number=number[i])
            for i, c in enumerate(characters)
            if c.doubtful
        )
        said.append(fact("identify.check-these-label", doubts=doubts))
    return Candidate(model=numbered.model, characters=characters, why=sentences(said))


# -- one or two characters misread ----------------------------------------------------------


def _meant(size: int, kind: NumberKind, read: str) -> list[str]:
    """The part of a reading that may be a number of this length: all of it, or its beginning give or take
    one.
    """
    return [read] if kind is NumberKind.EXACT else [read[: size + more] for more in (0, -1, 1)]


def _distance(read: str, pattern: NumberPattern) -> tuple[int, str]:
    """Edits between a reading and a number, look-alikes folded, and the part of the reading that is meant."""
    number = plain(pattern.text)
    limit = edits_allowed(number)
    return min(
        (
            (OSA.distance(fold(part), fold(number), score_cutoff=limit), part)
            for part in _meant(len(number), pattern.kind, read)
        ),
        key=lambda word: word[0],
    )


def _close(read: str, index: NumberIndex, most: int = 2) -> list[Numbered]:
    """Numbers at most `most` edits from a reading, nearest first, as far as their lengths allow."""
    folded = fold(read)
    close_numbers: set[str] = set()
    for kind, sizes in index.near.items():
        for size, numbers in sizes.items():
            # a beginning that is one character longer or shorter is at most one edit nearer than the plain
            # one
            part, slack = (folded, 0) if kind is NumberKind.EXACT else (folded[:size], 1)
            limit = min(most, edits_allowed("#" * size)) + slack
            if abs(len(part) - size) <= limit:
                # rapidfuzz compares the part with all numbers of this length at once
                near = process.extract(part, numbers, scorer=OSA.distance, score_cutoff=limit, limit=None)
                close_numbers.update(number for number, _, _ in near)
    numbered = [hit for number in close_numbers for hit in index.folded[number]]
    close = [(_distance(read, hit.pattern)[0], hit) for hit in numbered]
    close.sort(key=lambda pair: (pair[0], pair[1].model.full_name, pair[1].pattern.text))
    return [hit for edits, hit in close if edits <= min(most, edits_allowed(plain(hit.pattern.text)))]


def _near_candidate(read: str, numbered: Numbered) -> Candidate | None:
    """A candidate that is one or two edits away; never more than a suggestion."""
    number = plain(numbered.pattern.text)
    edits, part = _distance(read, numbered.pattern)
    if not 0 < edits <= edits_allowed(number):
        return None
    # a character that is missing is in doubt where it is missed: at its neighbour
    doubted = {
        min(place, len(part) - 1)
        for op in Levenshtein.opcodes(part, number)
        if op.tag != "equal"
        for place in range(op.src_start, max(op.src_end, op.src_start + 1))
    }
    characters = tuple(
        Character(text=c, significant=i < len(part), doubtful=i in doubted) for i, c in enumerate(read)
    )
    return Candidate(
        model=numbered.model,
        characters=characters,
        why=fact(
            "identify.away-from-check-marked-ones-label",
            part=part,
            edits=edits,
            number=number,
            full_name=numbered.model.full_name,
        ),
    )


def _beware(read: str, sure: KnownModel, index: NumberIndex) -> Fact | None:
    """Other models whose number is one look-alike or one edit away: a sure reading says whom not to mix it up
    with.
    """
    others = {
        (hit.model.full_name, plain(hit.pattern.text))
        for hit in [*_hits(fold(read), index.folded), *_close(read, index, most=1)]
        if hit.model.id != sure.id
    }
    if not others:
        return None
    shown: list[Say] = [
        fact("identify.model-with-number", model=model, number=number)
        for model, number in sorted(others)[:MOST_SHOWN]
    ]
    return fact("identify.do-not-mix-up", shown=_and_more(shown, len(others) - len(shown)))


# -- numbers that are easily mixed up -------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Collision:
    """Two numbers of different models that are easily taken for one another, and how."""

    first: str
    second: str
    models: tuple[str, str]
    how: Say


def collisions(numbers: Iterable[Numbered]) -> list[Collision]:
    """Every pair of numbers in the catalogue that can be mixed up: look-alikes, one edit apart, one beginning
    the other.

    Numbers that share a deletion of one character are the only ones that can be one edit apart, so only those
    are
    compared: the work grows with the numbers, not with their pairs.
    """
    buckets: dict[str, list[Numbered]] = {}
    every = list(numbers)
    for match in every:
        folded = fold(match.pattern.text)
        shorter = (
            {folded[:i] + folded[i + 1 :] for i in range(len(folded))} if edits_allowed(folded) else set()
        )
        for key in {folded, *shorter}:
            buckets.setdefault(key, []).append(match)
    pairs = itertools.chain(
        (pair for bucket in buckets.values() for pair in itertools.combinations(bucket, 2)), _begun(every)
    )
    mixed_up = {
        collision
        for one, other in pairs
        if one.model.id != other.model.id and (collision := _collision(one, other))
    }
    return sorted(mixed_up, key=lambda hit: (hit.first, hit.second, hit.models))


def _begun(numbers: Sequence[Numbered]) -> list[tuple[Numbered, Numbered]]:
    """Pairs where one model's prefix is how another's number begins."""
    prefixes: dict[str, list[Numbered]] = {}
    for number in numbers:
        if number.pattern.kind is NumberKind.PREFIX:
            prefixes.setdefault(plain(number.pattern.text), []).append(number)
    return [
        (begins, number)
        for number in numbers
        for size in range(1, len(plain(number.pattern.text)))
        for begins in prefixes.get(plain(number.pattern.text)[:size], ())
    ]


def _collision(one: Numbered, other: Numbered) -> Collision | None:
    (first, one), (second, other) = sorted(
        ((plain(one.pattern.text), one), (plain(other.pattern.text), other)),
        key=lambda pair: (pair[0], pair[1].model.id),
    )
    how = (
        fact("identify.same-number")
        if first == second
        else fact("identify.one-begins-like-other")
        if second.startswith(first) and one.pattern.kind is NumberKind.PREFIX
        else fact("identify.look-alike-when-label-faint")
        if fold(first) == fold(second)
        else fact("identify.one-character-apart")
        if OSA.distance(fold(first), fold(second)) == 1
        else ""
    )
    models = (one.model.full_name, other.model.full_name)
    return Collision(first=first, second=second, models=models, how=how) if how else None
