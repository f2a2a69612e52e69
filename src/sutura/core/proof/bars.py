"""Bars on the photo of a picture: whether camera and backlight alone make them, and at which exposure they
would vanish.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.typed import read_decimal
from sutura.core.values import Rule

# a difference of brightness of so much is seen as a bar; Weber's fraction, from memory
SEEN = 0.02
# exposures that a hand can hold still, in seconds; common practice, no source
LONGEST_S = 1 / 8
# and what a camera offers: one over these
SHUTTERS = (
    8,
    10,
    13,
    15,
    20,
    25,
    30,
    40,
    50,
    60,
    80,
    100,
    120,
    125,
    160,
    200,
    240,
    250,
    320,
    500,
    1000,
    2000,
)

RULES = (
    Rule(
        id="bars.camera",
        capability="proof",
        says=(
            "A screen that is lit in pulses looks even to the eye and striped to a camera that reads line "
            "by line, unless its exposure is a whole number of pulses. Where bars must appear by "
            "exposure, pulses and reading time, they are the camera's, and no fault is booked for them; "
            "the photo is taken again at an exposure at which they vanish."
        ),
        source="integral of a periodic light over the exposure of each line; worked out, no source",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class BarsReading:
    """What a camera makes of a screen: how strong bars are from dark to bright (0 = none), how many cross the
    photo, whether they are seen, and the shutters (one over so many seconds) at which they would not be.
    """

    contrast: float
    count: float
    appear: bool
    shutters: tuple[int, ...]
    says: Fact


def contrast_of(exposure_s: float, pulses_hz: float, duty: float) -> float:
    """How much of the brightest line the darkest lacks: a light that is on for `duty` of each pulse, summed
    over the exposure of a line, by where in the pulse the line begins.

    >>> contrast_of(1 / 60, 240, 0.5), contrast_of(1 / 960, 240, 0.5)
    (0.0, 1.0)
    """
    pulse = 1 / pulses_hz
    whole, rest = divmod(exposure_s, pulse)
    if pulse - rest < 1e-9 * pulse or rest < 1e-9 * pulse:
        return 0.0
    on = duty * pulse
    brightest = whole * on + min(rest, on)
    darkest = whole * on + max(rest - (pulse - on), 0.0)
    return (brightest - darkest) / brightest


def read_bars(exposure_s: float, pulses_hz: float, reading_s: float, *, duty: float = 0.5) -> BarsReading:
    """Whether bars must appear on a photo (rule bars.camera). `reading_s` is how long the camera takes from
    the first line to the last. Refuses values that no camera and no screen has.
    """
    for name, value, least, most in (
        ("exposure", exposure_s, 1e-6, 10.0),
        ("pulses", pulses_hz, 10.0, 100_000.0),
        ("reading", reading_s, 1e-4, 1.0),
        ("duty", duty, 0.01, 1.0),
    ):
        if not least <= value <= most:
            raise Invalid(name, value, fact("bars.between", least=least, most=most))
    contrast = contrast_of(exposure_s, pulses_hz, duty)
    appear = contrast > SEEN
    found = vanishing(pulses_hz, duty)
    says = (
        fact("bars.camera", shutters=tuple(f"1/{shutter}" for shutter in found[:3]))
        if appear and found
        else fact("bars.camera-none")
        if appear
        else fact("bars.not-the-camera")
    )
    return BarsReading(
        contrast=contrast, count=reading_s * pulses_hz, appear=appear, shutters=found, says=says
    )


def read_photo(typed: Mapping[str, str]) -> BarsReading:
    """The same from what is typed: `shutter` as one over so many seconds, `pulses` a second, `reading` in
    milliseconds. Refuses the first that is no number above zero.
    """
    found = {}
    for name in ("shutter", "pulses", "reading"):
        text = typed.get(name, "")
        number = read_decimal(text)
        if number is None or number <= 0:
            raise Invalid(name, text, fact("bars.number-above-zero"))
        found[name] = float(number)
    return read_bars(1 / found["shutter"], found["pulses"], found["reading"] / 1000)


def vanishing(pulses_hz: float, duty: float, shutters: Sequence[int] = SHUTTERS) -> tuple[int, ...]:
    """The shutters at which no bar is seen, the shortest exposure first: one over so many seconds."""
    return tuple(
        sorted(
            (
                shutter
                for shutter in shutters
                if 1 / shutter <= LONGEST_S and contrast_of(1 / shutter, pulses_hz, duty) <= SEEN
            ),
            reverse=True,
        )
    )
