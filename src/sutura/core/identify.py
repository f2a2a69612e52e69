"""Which device is this? Text as read from a label → candidates with a verdict and its doubt.

Only an exact reading of the significant part, of one model alone, is *sure*. Folding the characters that
people mix up finds misread labels, and is never more than *likely*: two real models can be one character apart.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

from rapidfuzz.distance import OSA, Levenshtein
from stdnum import luhn

from sutura.core.catalogue import Model, NumberKind, NumberPattern
from sutura.core.errors import Invalid
from sutura.core.job import read_code
from sutura.core.values import Rule

# check-values.md section 2; common practice, no source
_FOLD = str.maketrans(
    {"O": "0", "Q": "0", "D": "0", "I": "1", "L": "1", "|": "1", "S": "5", "B": "8", "Z": "2", "G": "6"}
)

RULES = (
    Rule(id="identify.sure", capability="identify",
         says="Sure only when the significant characters are read exactly and one model alone has them.",
         source="common practice, no source"),
    Rule(id="identify.folded", capability="identify",
         says="Found after folding characters that look alike (O Q D 0, I L 1, S 5, B 8, Z 2, G 6): likely at best; check the marked ones on the label.",
         source="common practice, no source"),
    Rule(id="identify.edits", capability="identify",
         says="A number of 5 characters may be misread in one place, of 8 or more in two, and is then likely at best; a shorter one in none. Likeness suggests and never decides.",
         source="common practice, no source; the lengths are the shop's"),
    Rule(id="identify.edid-size", capability="identify",
         says="A panel's size is taken from its timing only within 1 cm of the size in whole centimetres; otherwise the centimetres count, with their doubt.",
         source="common practice, no source; field meanings by VESA E-EDID 1.4, from memory (sure)"),
)  # fmt: skip


class Verdict(StrEnum):
    SURE = "sure"
    LIKELY = "likely"
    AMBIGUOUS = "ambiguous"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Character:
    """One character of the label: `significant` decides, `doubtful` may have been misread."""

    text: str
    significant: bool
    doubtful: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Candidate:
    model: Model
    characters: tuple[Character, ...]
    why: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Identification:
    verdict: Verdict
    candidates: tuple[Candidate, ...]
    says: str


def plain(text: str) -> str:
    """Capital letters and digits only: spaces, hyphens and dots carry no meaning on labels."""
    return "".join(c for c in text.upper() if c.isalnum() or c == "|")


def fold(text: str) -> str:
    """Characters that look alike made one. Idempotent.

    >>> fold("QD44") == fold("O044")
    True
    """
    return plain(text).translate(_FOLD)


def identify(text: str, models: Iterable[Model]) -> Identification:
    """Candidates for a label as read, with the verdict and what was ignored or doubted."""
    read = plain(text)
    if not read:
        return Identification(verdict=Verdict.UNKNOWN, candidates=(), says="Type what the label says.")
    every = [(model, pattern) for model in models for pattern in model.numbers]
    exact = _unique(
        _candidate(read, model, p, exact=True) for model, p in every if _matches(read, plain(p.text), p.kind)
    )
    if len(exact) == 1:
        return Identification(
            verdict=Verdict.SURE,
            candidates=tuple(exact),
            says=exact[0].why + _beware(read, exact[0].model, every),
        )
    if exact:
        return _several(exact)
    folded = _unique(
        _candidate(read, model, p, exact=False)
        for model, p in every
        if _matches(fold(read), fold(p.text), p.kind)
    )
    if len(folded) == 1:
        return Identification(verdict=Verdict.LIKELY, candidates=tuple(folded), says=folded[0].why)
    if folded:
        return _several(folded)
    near = _unique(found for model, p in every if (found := _near_candidate(read, model, p)))
    if len(near) == 1:
        return Identification(verdict=Verdict.LIKELY, candidates=tuple(near), says=near[0].why)
    if near:
        return _several(near)
    named = [
        Candidate(
            model=m,
            characters=(),
            why="found by name: one name covers many screens, so read the number from the label",
        )
        for m in {model.id: model for model, _ in every}.values()
        if plain(text) in plain(m.full_name)
    ]
    if named:
        return Identification(
            verdict=Verdict.AMBIGUOUS, candidates=tuple(named), says="A name is not a number: " + named[0].why
        )
    return Identification(
        verdict=Verdict.UNKNOWN,
        candidates=(),
        says=f"No model in the catalogue has a number like “{text.strip()}”.",
    )


def _several(found: list[Candidate]) -> Identification:
    names = ", ".join(candidate.model.full_name for candidate in found)
    return Identification(
        verdict=Verdict.AMBIGUOUS,
        candidates=tuple(found),
        says=f"More than one device fits: {names}. Compare with the device.",
    )


def _unique(found: Iterable[Candidate]) -> list[Candidate]:
    return list({candidate.model.id: candidate for candidate in found}.values())


def _matches(read: str, number: str, kind: NumberKind) -> bool:
    return read.startswith(number) if kind is NumberKind.PREFIX else read == number


def _candidate(read: str, model: Model, pattern: NumberPattern, *, exact: bool) -> Candidate:
    number = plain(pattern.text)
    characters = tuple(
        Character(
            text=c, significant=i < len(number), doubtful=not exact and i < len(number) and c != number[i]
        )
        for i, c in enumerate(read)
    )
    said = [f"“{number}” decides: {model.full_name}."]
    ignored = read[len(number) :]
    if ignored:
        said.append(f"“{ignored}” is ignored ({pattern.rest or 'no meaning for the screen'}).")
    if not exact:
        doubts = ", ".join(f"“{c.text}” may be “{number[i]}”" for i, c in enumerate(characters) if c.doubtful)
        said.append(f"Check these on the label: {doubts}.")
    return Candidate(model=model, characters=characters, why=" ".join(said))


def edits_allowed(number: str) -> int:
    """How many characters of a number may be misread and it is still a suggestion (rule identify.edits).

    >>> edits_allowed("QD44"), edits_allowed("FH2107"), edits_allowed("TS11C77001")
    (0, 1, 2)
    """
    return 2 if len(number) >= 8 else 1 if len(number) >= 5 else 0


def _distance(read: str, pattern: NumberPattern) -> tuple[int, str]:
    """Edits between a reading and a number, look-alikes folded, and the part of the reading that is meant."""
    number = plain(pattern.text)
    whole = (
        [read]
        if pattern.kind is NumberKind.EXACT
        else [read[: len(number) + more] for more in (0, -1, 1)]
    )  # fmt: skip
    limit = edits_allowed(number)
    return min(
        ((OSA.distance(fold(part), fold(number), score_cutoff=limit), part) for part in whole),
        key=lambda one: one[0],
    )


def _near_candidate(read: str, model: Model, pattern: NumberPattern) -> Candidate | None:
    """A candidate that is one or two edits away; never more than a suggestion."""
    number = plain(pattern.text)
    edits, part = _distance(read, pattern)
    if not 0 < edits <= edits_allowed(number):
        return None
    doubted = {
        place
        for op in Levenshtein.opcodes(part, number)
        if op.tag != "equal"
        for place in range(op.src_start, max(op.src_end, op.src_start + 1))
    }
    characters = tuple(
        Character(text=c, significant=i < len(part), doubtful=i in doubted) for i, c in enumerate(read)
    )
    apart = "one character" if edits == 1 else f"{edits} characters"
    return Candidate(
        model=model, characters=characters,
        why=f"“{part}” is {apart} away from “{number}” of the {model.full_name}: check the marked ones on the label.",
    )  # fmt: skip


def _beware(read: str, sure: Model, every: Sequence[tuple[Model, NumberPattern]]) -> str:
    """Other models whose number is one look-alike or one edit away: a sure reading says whom not to mix it up with."""
    others = {
        f"{model.full_name} (“{plain(p.text)}”)"
        for model, p in every
        if model.id != sure.id and _distance(read, p)[0] <= min(1, edits_allowed(plain(p.text)))
    }
    return f" Do not mix it up with {', '.join(sorted(others))}." if others else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Collision:
    """Two numbers of different models that are easily taken for one another, and how."""

    first: str
    second: str
    models: tuple[str, str]
    how: str


def collisions(models: Iterable[Model]) -> list[Collision]:
    """Every pair of numbers in the catalogue that can be mixed up: look-alikes, one edit apart, one beginning the other.

    Numbers that share a deletion of one character are the only ones that can be one edit apart, so only those are
    compared: the work grows with the numbers, not with their pairs.
    """
    buckets: dict[str, list[tuple[Model, NumberPattern]]] = {}
    for model in models:
        for pattern in model.numbers:
            folded = fold(pattern.text)
            shorter = (
                {folded[:i] + folded[i + 1 :] for i in range(len(folded))} if edits_allowed(folded) else set()
            )
            for key in {folded, *shorter}:
                buckets.setdefault(key, []).append((model, pattern))
    found = {
        collision
        for bucket in buckets.values()
        for (one, p), (other, q) in itertools.combinations(bucket, 2)
        if one.id != other.id and (collision := _collision(one, p, other, q))
    }
    return sorted(found, key=lambda one: (one.first, one.second))


def _collision(one: Model, p: NumberPattern, other: Model, q: NumberPattern) -> Collision | None:
    (first, one), (second, other) = sorted(
        ((plain(p.text), one), (plain(q.text), other)), key=lambda pair: pair[0]
    )
    if first == second:
        how = "the same number"
    elif fold(first) == fold(second):
        how = "look alike when the label is faint"
    elif OSA.distance(fold(first), fold(second)) == 1:
        how = "one character apart"
    else:
        return None
    return Collision(first=first, second=second, models=(one.full_name, other.full_name), how=how)


# -- the scan field -------------------------------------------------------------------------


class Scanned(StrEnum):
    JOB = "job"
    IMEI = "imei"
    PART = "part"
    NUMBER = "number"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scan:
    """What the scan field understood."""

    kind: Scanned
    value: str


def read_scan(text: str) -> Scan:
    """Understand what was scanned or typed: job code, IMEI, part barcode (`P-…`), else a model or serial number.

    Refuses an IMEI with a wrong check digit and a job code with a wrong check character.
    """
    tidy = text.strip()
    digits = tidy.replace(" ", "").replace("-", "")
    if digits.isdigit() and len(digits) == 15:
        return Scan(kind=Scanned.IMEI, value=check_imei(digits))
    if tidy.upper().startswith("P-"):
        return Scan(kind=Scanned.PART, value=tidy.upper())
    if len(tidy) == 6 and tidy[2] == "-":
        return Scan(kind=Scanned.JOB, value=read_code(tidy))
    try:
        return Scan(kind=Scanned.JOB, value=read_code(tidy))
    except Invalid:
        return Scan(kind=Scanned.NUMBER, value=tidy)


def check_imei(text: str) -> str:
    """Fifteen digits with a right check digit (Luhn); one digit repeated fifteen times is no IMEI.

    Source: check-values.md section 2; Luhn by python-stdnum.
    """
    digits = text.replace(" ", "").replace("-", "")
    if len(digits) != 15 or not digits.isdigit() or len(set(digits)) == 1:
        raise Invalid("imei", text, "an IMEI has fifteen digits, not all the same")
    if not luhn.is_valid(digits):
        raise Invalid("imei", text, "one digit of this IMEI is wrong: its check digit does not agree")
    return digits


# -- a panel by its own EDID ----------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """One detailed timing: pixels, refresh in Hz, and the picture size it states in mm (which may be nonsense)."""

    width: int
    height: int
    refresh_hz: float
    clock_khz: int
    width_mm: int
    height_mm: int
    interlaced: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Panel:
    """What a panel says of itself. None or empty = not said. `warnings` tell what was wrong with the bytes."""

    maker: str
    product: int
    serial: int
    week: int | None
    year: int
    model_year: bool
    version: str
    digital: bool
    interface: str
    depth_bits: int | None
    width_cm: int | None
    height_cm: int | None
    aspect: float | None
    timings: tuple[Timing, ...]
    name: str
    serial_text: str
    texts: tuple[str, ...]
    vertical_hz: tuple[int, int] | None
    horizontal_khz: tuple[int, int] | None
    part_number: str
    fine_width_mm: float | None
    fine_height_mm: float | None
    warnings: tuple[str, ...]

    @property
    def preferred(self) -> Timing | None:
        return self.timings[0] if self.timings else None

    @property
    def resolution(self) -> str:
        return f"{self.timings[0].width}×{self.timings[0].height}" if self.timings else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelSize:
    """The picture's size in mm, give or take `doubt_mm` each way; diagonal in inches and density with their doubt."""

    width_mm: float
    height_mm: float
    doubt_mm: float
    diagonal_in: float
    diagonal_doubt_in: float
    density_ppi: float | None
    density_doubt_ppi: float | None
    says: str


MM_PER_INCH = 25.4


def size_of(panel: Panel) -> PanelSize | None:
    """The size of a panel's picture, None when it does not say.

    A timing's millimetres may be an aspect ratio, zero or pixels: they count only within 1 cm of the size in
    centimetres (rule identify.edid-size; check-values.md section 3).
    """
    rough = (panel.width_cm * 10.0, panel.height_cm * 10.0) if panel.width_cm and panel.height_cm else None
    fine = (panel.fine_width_mm, panel.fine_height_mm)
    timing = panel.preferred
    stated = (float(timing.width_mm), float(timing.height_mm)) if timing else (0.0, 0.0)
    if fine[0] and fine[1] and (rough is None or _near((fine[0], fine[1]), rough)):
        return _size(panel, (fine[0], fine[1]), 0.05, "to a tenth of a millimetre, from its DisplayID block")
    if rough is None:
        return None
    if _near(stated, rough):
        return _size(panel, stated, 0.5, "to the millimetre, from its preferred timing")
    why = (
        "its timing states no size"
        if stated == (0.0, 0.0)
        else f"its timing states {stated[0]:g}×{stated[1]:g} mm, which cannot be"
    )
    return _size(panel, rough, 5.0, f"only to the centimetre: {why}")


def _near(stated: tuple[float, float], rough: tuple[float, float]) -> bool:
    return all(a > 0 and abs(a - b) <= 10 for a, b in zip(stated, rough, strict=True))


def _size(panel: Panel, size: tuple[float, float], doubt_mm: float, says: str) -> PanelSize:
    diagonal = math.hypot(*size)
    # the worst case of both sides off by the doubt
    diagonal_doubt = doubt_mm * (size[0] + size[1]) / diagonal
    timing = panel.preferred
    pixels = math.hypot(timing.width, timing.height) if timing else None
    return PanelSize(
        width_mm=size[0], height_mm=size[1], doubt_mm=doubt_mm, says=says, diagonal_in=diagonal / MM_PER_INCH,
        diagonal_doubt_in=diagonal_doubt / MM_PER_INCH, density_ppi=pixels / diagonal * MM_PER_INCH if pixels else None,
        density_doubt_ppi=pixels / diagonal * MM_PER_INCH * diagonal_doubt / diagonal if pixels else None,
    )  # fmt: skip
