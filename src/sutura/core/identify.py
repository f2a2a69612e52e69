"""Which device is this? Text as read from a label → candidates with a verdict and its doubt.

Only an exact reading of the significant part, of one model alone, is *sure*. Folding the characters that
people mix up finds misread labels, and is never more than *likely*: two real models can be one character apart.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

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
        return Identification(verdict=Verdict.SURE, candidates=tuple(exact), says=exact[0].why)
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
