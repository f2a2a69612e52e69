"""Resolutions: numbers and names of them, pixel density, and sizes that cannot go together."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.matching.offers import Offer, Value

# Names of display formats and the pixels they stand for; several for one name where the trade uses it so.
# Source: VESA display monitor timings (published; each pair is looked up in the list of `edid-decode` in a
# test, but for those
# marked), names from memory: sure. WXGA is the name people use for three formats: common practice.
NAMES: Mapping[str, tuple[tuple[int, int], ...]] = {
    "VGA": ((640, 480),),
    "WVGA": ((800, 480), (848, 480)),
    "SVGA": ((800, 600),),
    "XGA": ((1024, 768),),
    "WXGA": ((1280, 768), (1280, 800), (1366, 768)),
    "WXGA+": ((1440, 900),),
    "HD": ((1280, 720), (1366, 768)),
    "SXGA": ((1280, 1024),),
    "SXGA+": ((1400, 1050),),
    "UXGA": ((1600, 1200),),
    "WSXGA+": ((1680, 1050),),
    "HD+": ((1600, 900),),
    "FHD": ((1920, 1080),),
    "WUXGA": ((1920, 1200),),
    "QXGA": ((2048, 1536),),
    "WQXGA": ((2560, 1600),),
    "QHD": ((2560, 1440),),
    "WQHD": ((2560, 1440),),
    "UHD": ((3840, 2160),),
    "4K": ((3840, 2160), (4096, 2160)),
}
# the same names spelled out
_SPELLED = (
    (re.compile(r"\bFULL[\s-]?HD(?![A-Z])"), "FHD"),
    (re.compile(r"\bULTRA[\s-]?HD(?![A-Z])"), "UHD"),
    (re.compile(r"\b(?:WIDE[\s-]?)?QUAD[\s-]?HD(?![A-Z])"), "QHD"),
)
# a quarter of full HD is told from four times HD by its small q alone: 960 by 540, and only known when
# written so
_QUARTER = re.compile(r"(?<![A-Za-z])qHD(?![A-Za-z+])")
_NUMBERS = re.compile(r"(?<![0-9])([0-9]{3,5})\s*[x×X*]\s*([0-9]{3,5})(?![0-9])")
_NAME = re.compile(r"(?<![A-Z0-9.])4K(?![A-Z0-9])|(?<![A-Z+])[A-Z]{2,6}\+?(?![A-Z+])")
# only how many lines it has, such as 1080p: the shorter side
_LINES = re.compile(r"(?<![0-9.])([0-9]{3,4})[pi](?![a-z0-9])", re.IGNORECASE)
# The sides of a picture and its pixels agree within this share when both were read right; the shop's, no
# source.
ASPECT_SHARE = 0.03
# A diagonal is sold rounded to a tenth of an inch or more; the shop's, no source.
DIAGONAL_SHARE = 0.02


@dataclass(frozen=True, slots=True, kw_only=True)
class Resolution:
    """What a text says of a resolution: the pixel pairs it may mean, wider side first, and whether name and
    numbers disagree. `lines` = all that is said is its shorter side.
    """

    may_be: frozenset[tuple[int, int]]
    name: str = ""
    disagree: bool = False
    lines: int | None = None

    def may_agree(self, other: Resolution) -> bool:
        """Whether both may mean the same; what cannot be read may mean anything."""
        if self.may_be and other.may_be:
            return bool(self.may_be & other.may_be)
        mine, theirs = self._lines(), other._lines()
        return not mine or not theirs or bool(mine & theirs)

    def _lines(self) -> set[int]:
        return {low for _, low in self.may_be} or ({self.lines} if self.lines else set())

    @property
    def pixels(self) -> tuple[int, int] | None:
        """The one pair, when only one is meant."""
        return next(iter(self.may_be)) if len(self.may_be) == 1 else None

    def __str__(self) -> str:
        return " or ".join(f"{w}×{h}" for w, h in sorted(self.may_be)) or "not known"


@lru_cache(maxsize=2048)
def read_resolution(text: str) -> Resolution:
    """Pixels by number or by name. Numbers win over a name; a name alone may stand for several; nothing known
    = empty.

    >>> str(read_resolution("15.6 WXGA"))
    '1280×768 or 1280×800 or 1366×768'
    >>> read_resolution("FHD 1366x768").disagree
    True
    """
    spelled = _QUARTER.sub(" ", text).upper()
    for words, name in _SPELLED:
        spelled = words.sub(name, spelled)
    names = [word for word in _NAME.findall(spelled) if word in NAMES]
    by_name = [{_wide(pair) for pair in NAMES[word]} for word in names]
    if _QUARTER.search(text):
        by_name.append({(960, 540)})
    # several names of one picture, such as Ultra HD 4K, mean what they have in common
    named = set.intersection(*by_name) if by_name else set()
    named = named or set().union(*by_name)
    sizes = {_wide((int(a), int(b))) for a, b in _NUMBERS.findall(text)}
    lines = _LINES.search(text)
    return Resolution(
        may_be=frozenset(sizes or named),
        name=names[0] if names else "",
        disagree=bool(sizes and named and not sizes & named),
        lines=int(lines[1]) if lines and not sizes and not named else None,
    )


def _wide(pair: tuple[int, int]) -> tuple[int, int]:
    return (max(pair), min(pair))


def density_ppi(width_px: int, height_px: int, diagonal_in: float) -> float:
    """Pixels per inch along the diagonal.

    >>> round(density_ppi(1920, 1080, 15.6), 6)
    141.211998
    """
    if diagonal_in <= 0:
        raise Invalid("diagonal_in", diagonal_in, fact("matching.write-diagonal-picture-inches-above-zero"))
    return math.hypot(width_px, height_px) / diagonal_in


def density_of(resolution: str, active_mm: tuple[float, float] | None) -> float | None:
    """Pixels per inch of a picture of a size, from its longer side; None when pixels or size are not known.

    >>> round(density_of("1366×768", (344.2, 193.5)) or 0)
    101
    """
    pixels = read_resolution(resolution).pixels
    if pixels is None or active_mm is None or max(active_mm) <= 0:
        return None
    return pixels[0] / (max(active_mm) / 25.4)


def size_mm(width_px: int, height_px: int, diagonal_in: float) -> tuple[float, float]:
    """Width and height of the picture in mm, for square pixels."""
    pitch = 25.4 / density_ppi(width_px, height_px, diagonal_in)
    return width_px * pitch, height_px * pitch


def cannot_go_together(
    resolution: Resolution, diagonal_in: float | None, active_mm: tuple[float, float] | None
) -> list[Say]:
    """What a listing says of size and resolution that cannot both be true (rule fit.listing)."""
    said: list[Say] = []
    if resolution.disagree:
        meant = " or ".join(f"{w}×{h}" for w, h in NAMES[resolution.name])
        said.append(
            fact("matching.called-which-says", name=resolution.name, meant=str(meant), says=str(resolution))
        )
    if active_mm:
        wide, high = max(active_mm), min(active_mm)
        pixels = resolution.pixels
        if pixels and abs(wide / high * pixels[1] / pixels[0] - 1) > ASPECT_SHARE:
            said.append(
                fact(
                    "matching.picture-mm-cannot-have-square-pixels",
                    wide=wide,
                    high=high,
                    resolution=str(resolution),
                )
            )
        if diagonal_in and abs(math.hypot(wide, high) / 25.4 / diagonal_in - 1) > DIAGONAL_SHARE:
            said.append(
                fact(
                    "matching.mm-inches-across-not",
                    wide=wide,
                    high=high,
                    inches=math.hypot(wide, high) / 25.4,
                    diagonal_in=diagonal_in,
                )
            )
    return said


def listing_flags(offer: Offer) -> list[Say]:
    """What a listing says that cannot be true (rule fit.listing)."""
    said = offer.known("resolution")
    wide, high, diagonal = (
        _number(offer.known(name)) for name in ("active_width_mm", "active_height_mm", "diagonal_in")
    )
    active = (wide, high) if wide and high else None
    if said is None and active is None:
        return []
    return cannot_go_together(read_resolution(str(said or "")), diagonal, active)


def _number(value: Value | None) -> float | None:
    try:
        number = float(value) if value is not None else None
    except ValueError:
        return None
    return number if number and number > 0 else None
