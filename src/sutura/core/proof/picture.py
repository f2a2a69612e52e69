"""What a picture shows: faults of pixels against the classes of the standards, and how even it is."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from sutura.core.facts import Fact, fact
from sutura.core.maths.money import half_up
from sutura.core.values import COMMON, Outcome, Rule


class PixelFault(StrEnum):
    """Kinds of faults of a pixel: always lit, always dark, one colour of it stuck."""

    BRIGHT = "bright"
    DARK = "dark"
    SUB = "sub"


class Standard(StrEnum):
    """Which table of classes is meant; the older one is shown for comparison alone."""

    NOW = "ISO 9241-307"
    BEFORE = "ISO 13406-2"


class SeenFault(StrEnum):
    """What is seen on a full field and is no single pixel."""

    LINE = "line"
    BLOTCH = "blotch"
    SPECK = "speck"


# most faults of a million pixels by class: bright, dark, of one colour
CLASSES: Mapping[Standard, Mapping[str, tuple[int, int, int]]] = {
    Standard.NOW: {"0": (0, 0, 0), "I": (1, 1, 2), "II": (2, 2, 5), "III": (5, 15, 50), "IV": (50, 150, 500)},
    Standard.BEFORE: {"I": (0, 0, 0), "II": (2, 2, 5), "III": (5, 15, 50), "IV": (50, 150, 500)},
}
# what a new screen has to be; the shop's, no source
WANTED_CLASS = "II"

RULES = (
    Rule(
        id="picture.pixels",
        capability="proof",
        says=(
            "Faults of pixels are counted by kind and held against what a class allows of a million pixels, "
            f"scaled to the device's own and rounded to the nearest; a new screen has to be of class "
            f"{WANTED_CLASS} or better. Lines, blotches and specks are faults whatever the class."
        ),
        source="ISO 9241-307:2008 pixel fault classes, and ISO 13406-2:2001 which it replaced; from memory",
    ),
    Rule(
        id="picture.even",
        capability="proof",
        says=(
            "A picture is looked at in nine fields of one grey; a field that is darker or lighter than "
            "those beside it makes it uneven. By numbers, the darkest field has to be seven tenths as "
            "bright as the brightest."
        ),
        source=COMMON,
    ),
)
# of the brightest field, how bright the darkest has to be; the shop's, no source
EVEN = 0.7
FIELDS = 9


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureReading:
    """What a picture shows, what that means and why; its classes by each standard, empty = worse than any."""

    outcome: Outcome
    reasons: tuple[Fact, ...]
    classes: Mapping[Standard, str]
    per_million: Mapping[PixelFault, float]


def allowed(standard: Standard, name: str, pixels: int) -> dict[PixelFault, int]:
    """How many faults of each kind a class allows of so many pixels, rounded to the nearest.

    >>> [int(n) for n in allowed(Standard.BEFORE, "II", 1920 * 1080).values()]
    [4, 4, 10]
    """
    return {
        kind: int(half_up(Decimal(most) * pixels / 1_000_000, 0))
        for kind, most in zip(PixelFault, CLASSES[standard][name], strict=True)
    }


def class_of(standard: Standard, faults: Mapping[PixelFault, int], pixels: int) -> str:
    """The best class that a count keeps; empty where it keeps none."""
    return next(
        (
            name
            for name in CLASSES[standard]
            if all(faults.get(kind, 0) <= most for kind, most in allowed(standard, name, pixels).items())
        ),
        "",
    )


def read_picture(
    pixels: int | None,
    faults: Mapping[PixelFault, int],
    seen: Mapping[SeenFault, int],
    uneven: Sequence[int] = (),
    shown: bool = True,
) -> PictureReading:
    """What a picture shows (rules picture.pixels, picture.even). `pixels` is how many the device has, None
    where that is not known; `uneven` are fields of nine, from 1 by rows; `shown` says whether every full
    field was looked at.
    """
    classes = {one: class_of(one, faults, pixels) if pixels else "" for one in Standard}
    count = sum(faults.values())
    wrong = [fact("picture.seen", kind=kind, count=number) for kind, number in seen.items() if number]
    wrong += [fact("picture.uneven", places=tuple(sorted(set(uneven))))] if uneven else []
    open_ = [] if shown else [fact("picture.not-all-shown")]
    if count and not pixels:
        open_.append(fact("picture.pixels-unknown", count=count))
    elif count:
        names = list(CLASSES[Standard.NOW])
        best = classes[Standard.NOW]
        if not best or names.index(best) > names.index(WANTED_CLASS):
            wrong.append(fact("picture.class-too-bad", count=count, best=best or "–", wanted=WANTED_CLASS))
    outcome = Outcome.FAULTY if wrong else Outcome.NOT_TESTABLE if open_ else Outcome.WORKS
    fine = fact("picture.fine", count=count, best=classes[Standard.NOW] or "0")
    return PictureReading(
        outcome=outcome,
        reasons=tuple(wrong or open_ or [fine]),
        classes=classes,
        per_million={kind: faults.get(kind, 0) * 1_000_000 / pixels for kind in PixelFault} if pixels else {},
    )


def uneven_fields(brightness: Sequence[float]) -> tuple[int, ...]:
    """The fields of nine, from 1, that are too dark beside the brightest.

    >>> uneven_fields([10, 10, 10, 10, 10, 10, 10, 10, 6.9])
    (9,)
    """
    most = max(brightness, default=0)
    return tuple(place for place, one in enumerate(brightness, 1) if most > 0 and one < EVEN * most)
