"""How a label is read: what carries meaning, what looks alike, and what a verdict is."""

from __future__ import annotations

from enum import StrEnum

from sutura.core.values import Rule

# check-values.md section 2; common practice, no source
_FOLD = str.maketrans(
    {"O": "0", "Q": "0", "D": "0", "I": "1", "L": "1", "|": "1", "S": "5", "B": "8", "Z": "2", "G": "6"}
)

RULES = (
    Rule(
        id="identify.sure",
        capability="identify",
        says="Sure only when the significant characters are read exactly and one model alone has them.",
        source="common practice, no source",
    ),
    Rule(
        id="identify.folded",
        capability="identify",
        says=(
            "Found after folding characters that look alike (O Q D 0, I L 1, S 5, B 8, Z 2, G 6): "
            "likely at best; check the marked ones on the label."
        ),
        source="common practice, no source",
    ),
    Rule(
        id="identify.edits",
        capability="identify",
        says=(
            "A number of 5 characters may be misread in one place, of 8 or more in two, and is then "
            "likely at best; a shorter one in none. Likeness suggests and never decides."
        ),
        source="common practice, no source; the lengths are the shop's",
    ),
    Rule(
        id="identify.tell-apart",
        capability="identify",
        says=(
            "When several models fit, what can be seen or measured on them and differs is said; a "
            "ruler tells outlines apart from 2 mm on."
        ),
        source="common practice, no source; the 2 mm are the shop's",
    ),
    Rule(
        id="identify.unlisted",
        capability="identify",
        says=(
            "A device that was measured here and is in no pack is found again by its number, as likely "
            "and never as sure."
        ),
        source="common practice, no source",
    ),
    Rule(
        id="identify.scan",
        capability="identify",
        says=(
            "A scan is read as a job code, part code, label of a piece, article number (EAN, UPC, "
            "GS1-128), IMEI, serial number, printed panel label or model number, and says which; a wrong "
            "check digit is said and never guessed around."
        ),
        source="GS1 General Specifications and Luhn check digits, by python-stdnum (library)",
    ),
    Rule(
        id="identify.label",
        capability="identify",
        says=(
            "A printed panel label is a base number and a revision suffix, by its maker's pattern. The "
            "same base in another revision is another edition of the part: compare it, it is not "
            "promised to fit."
        ),
        source="common practice, no source",
    ),
    Rule(
        id="identify.edid-size",
        capability="identify",
        says=(
            "A panel's size is taken from its timing only within 1 cm of the size in whole "
            "centimetres; otherwise the centimetres count, with their doubt."
        ),
        source="common practice, no source; field meanings by VESA E-EDID 1.4, from memory (sure)",
    ),
)


class Verdict(StrEnum):
    SURE = "sure"
    LIKELY = "likely"
    AMBIGUOUS = "ambiguous"
    UNKNOWN = "unknown"


def plain(text: str) -> str:
    """Capital letters and digits only: spaces, hyphens and dots carry no meaning on labels."""
    return "".join(c for c in text.upper() if c.isalnum() or c == "|")


def fold(text: str) -> str:
    """Characters that look alike made one. Idempotent.

    >>> fold("QD44") == fold("O044")
    True
    """
    return plain(text).translate(_FOLD)


def edits_allowed(number: str) -> int:
    """How many characters of a number may be misread and it is still a suggestion (rule identify.edits)."""
    return 2 if len(number) >= 8 else 1 if len(number) >= 5 else 0
