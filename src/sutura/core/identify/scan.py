"""What a scan or a typed line is: a job, a part, a piece, an article number, an IMEI, a panel label, a
serial or model number.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from stdnum import ean, gs1_128, luhn
from stdnum.exceptions import ValidationError

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.identify.reading import plain
from sutura.core.job import read_code


class Scanned(StrEnum):
    JOB = "job"
    IMEI = "imei"
    PART = "part"
    PIECE = "piece"
    ARTICLE = "article"
    NUMBER = "number"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scan:
    """What the scan field understood. `notes` are further things it read or doubts, in words."""

    kind: Scanned
    value: str
    notes: tuple[Say, ...] = ()


# Application identifiers a shop meets on a box, in its words (GS1 General Specifications, from memory: sure).
_GS1_WORDS = {
    "00": "shipping unit",
    "10": "lot",
    "11": "made on",
    "13": "packed on",
    "15": "best before",
    "17": "expires on",
    "20": "variant",
    "21": "serial number",
    "30": "count",
    "37": "count",
    "240": "maker's number",
}
_GS1_START = ("(", "]C1", "\x1d")


def read_scan(text: str) -> Scan:
    """Understand what was scanned or typed (rule identify.scan).

    Refuses an IMEI, a job code and a GS1-128 code whose check digits do not agree. A number as long as an
    article
    number whose check digit is wrong may be a serial number: it is read as a number, and the note says so.

    >>> read_scan("6291041500213").kind
    <Scanned.ARTICLE: 'article'>
    """
    tidy = text.strip(" \t\r\n")
    if tidy.startswith(_GS1_START):
        return _gs1(tidy)
    digits = tidy.replace(" ", "").replace("-", "")
    if re.fullmatch(r"[0-9]{15}", digits):
        return Scan(kind=Scanned.IMEI, value=check_imei(digits))
    if re.fullmatch(r"[0-9]{8}|[0-9]{12,14}", digits):
        if ean.is_valid(digits):
            return Scan(kind=Scanned.ARTICLE, value=digits)
        should = ean.calc_check_digit(digits[:-1])
        note = fact("identify.not-article-number-last-digit-would", should=should)
        return Scan(kind=Scanned.NUMBER, value=tidy, notes=(note,))
    if tidy.upper().startswith("P-"):
        return Scan(kind=Scanned.PART, value=tidy.upper())
    if re.fullmatch(r"S-[0-9]{5,18}", tidy.upper()) and luhn.is_valid(tidy[2:]):
        return Scan(kind=Scanned.PIECE, value=tidy.upper())
    if len(tidy) == 6 and tidy[2] == "-":
        return Scan(kind=Scanned.JOB, value=read_code(tidy))
    try:
        return Scan(kind=Scanned.JOB, value=read_code(tidy))
    except Invalid:
        return Scan(kind=Scanned.NUMBER, value=tidy)


def _gs1(text: str) -> Scan:
    """A GS1-128 code: the article number in it, and the rest in words."""
    try:
        read = gs1_128.info(text.removeprefix("]C1").lstrip("\x1d"), "\x1d")
    except (ValidationError, ValueError, ArithmeticError):
        # the library lets a date that is none, or a quantity that is none, through as it finds them
        read = {}
    fields = {str(ai): str(value) for ai, value in read.items()}
    if not fields or "" in fields.values() or any("\x1d" in value for value in fields.values()):
        raise Invalid("scan", text, fact("identify.scan-again-no-whole-gs1-128"))
    article = fields.pop("01", "") or fields.pop("02", "")
    notes = tuple(f"{_GS1_WORDS.get(ai, f'({ai})')} {value}" for ai, value in fields.items())
    if article:
        return Scan(kind=Scanned.ARTICLE, value=article, notes=notes)
    return Scan(kind=Scanned.NUMBER, value=next(iter(fields.values()), text), notes=notes)


def check_imei(text: str) -> str:
    """Fifteen digits with a right check digit (Luhn); one digit repeated fifteen times is no IMEI.

    Source: check-values.md section 2; Luhn by python-stdnum.
    """
    digits = text.replace(" ", "").replace("-", "")
    if not re.fullmatch(r"[0-9]{15}", digits) or len(set(digits)) == 1:
        raise Invalid("imei", text, fact("identify.imei-has-fifteen-digits-not-all"))
    if not luhn.is_valid(digits):
        raise Invalid("imei", text, fact("identify.one-digit-imei-wrong-check-digit"))
    return digits


# -- printed panel labels -------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class LabelPattern:
    """How a maker prints its panels: `@` a letter, `#` a digit, anything else as it stands."""

    maker: str
    base: str
    revision: str
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelLabel:
    """A printed number taken apart: what part it is, and which edition. `revision` is empty when it was not
    printed.
    """

    maker: str
    base: str
    revision: str
    says: str


def read_label(text: str, patterns: Sequence[LabelPattern]) -> PanelLabel | None:
    """Take a printed panel number apart by the first pattern it has, the one that says most first; None when
    it has none.

    >>> heron = LabelPattern(maker="Fennick", base="HF-##", revision="-R#", says="edition")
    >>> read_label("hf 70 r2", [heron]).base, read_label("HF-70", [heron]).revision
    ('HF70', '')
    """
    read = plain(text)
    for pattern in sorted(
        patterns, key=lambda pattern: -sum(c.isalnum() for c in pattern.base + pattern.revision)
    ):
        base, revision = _signs(pattern.base), _signs(pattern.revision)
        if _has(read, base + revision):
            return PanelLabel(
                maker=pattern.maker, base=read[: len(base)], revision=read[len(base) :], says=pattern.says
            )
        if _has(read, base):
            return PanelLabel(maker=pattern.maker, base=read, revision="", says=pattern.says)
    return None


def _signs(template: str) -> str:
    return "".join(c for c in template.upper() if c.isalnum() or c in "@#")


def _has(read: str, signs: str) -> bool:
    return len(read) == len(signs) and all(
        c.isalpha() if sign == "@" else c.isdecimal() if sign == "#" else c == sign
        for c, sign in zip(read, signs, strict=True)
    )
