"""What is tested when: before sealing, after it, after the cure; and how flush a sealed screen lies."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import StrEnum

from sutura.core.catalogue.model import Function, Model
from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.maths.geometry import Edge
from sutura.core.typed import Problems, read_number
from sutura.core.values import COMMON, Rule

# how far a sealed screen may gape, and stand out or lie deep, in mm; the shop's, no source
MOST_GAP_MM, MOST_STEP_MM = Decimal("0.15"), Decimal("0.10")
MOST_TYPED_MM = Decimal(5)


class Look(StrEnum):
    """When a device is looked at."""

    BEFORE_SEALING = "before_sealing"
    AFTER_SEALING = "after_sealing"
    AFTER_CURE = "after_cure"


class Corner(StrEnum):
    TOP_LEFT = "top_left"
    TOP_RIGHT = "top_right"
    BOTTOM_RIGHT = "bottom_right"
    BOTTOM_LEFT = "bottom_left"


# the eight places at which a sealed screen is felt: edges and corners, as one goes round
PLACES: tuple[str, ...] = (
    Corner.TOP_LEFT,
    Edge.TOP,
    Corner.TOP_RIGHT,
    Edge.RIGHT,
    Corner.BOTTOM_RIGHT,
    Edge.BOTTOM,
    Corner.BOTTOM_LEFT,
    Edge.LEFT,
)

RULES = (
    Rule(
        id="proof.looks",
        capability="proof",
        says=(
            "Every function is tested before sealing, where the construction allows it, and after it what "
            "sealing can break; what the cure can change – the touch near the edges – once more after it. "
            "What is skipped is what the construction rules out, never what somebody likes to."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.asked-once",
        capability="proof",
        says=(
            "What the test has proved is not asked again after sealing, but for what sealing can break: "
            "the picture, the touch, what looks and listens through the glass, and how flush it lies. "
            "Where nothing could be tested before, everything is asked then."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.clamp",
        capability="proof",
        says=(
            "What is sealed in a clamp comes out of it when its cure is over, and what came out of the "
            "seam is trimmed: that is ticked before the look after the cure."
        ),
        source=COMMON,
    ),
    Rule(
        id="proof.flush",
        capability="proof",
        says=(
            f"At four edges and four corners a sealed screen gapes by {MOST_GAP_MM} mm at most and stands "
            f"out or lies deep by {MOST_STEP_MM} mm at most, by feeler or by eye. A place that was not felt "
            "is not known to be flush."
        ),
        source="the shop's, no source",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Felt:
    """One place of a sealed screen: how far it gapes and stands out (below zero: lies deep), in mm; None
    where it was looked at alone. `flush` is what the eye says.
    """

    place: str
    gap_mm: Decimal | None
    step_mm: Decimal | None
    flush: bool

    @property
    def good(self) -> bool:
        if self.gap_mm is None and self.step_mm is None:
            return self.flush
        return (self.gap_mm or Decimal(0)) <= MOST_GAP_MM and abs(self.step_mm or Decimal(0)) <= MOST_STEP_MM


def looks_of(model: Model, *, cure_minutes: int) -> tuple[Look, ...]:
    """When a model is looked at (rule proof.looks)."""
    before = () if model.closed_test else (Look.BEFORE_SEALING,)
    after = (Look.AFTER_CURE,) if cure_minutes and _has(model, "touch") else ()
    return (*before, Look.AFTER_SEALING, *after)


def due_look(
    looks: Sequence[Look], passed: Sequence[str], cure_over: datetime | None, now: datetime
) -> Look | None:
    """Which look a closed device waits for: the one after sealing, then, when its cure is over, the one after
    it; none where all are passed.
    """
    if Look.AFTER_SEALING.value not in passed:
        return Look.AFTER_SEALING
    cured = cure_over is not None and now >= cure_over
    if Look.AFTER_CURE in looks and Look.AFTER_CURE.value not in passed and cured:
        return Look.AFTER_CURE
    return None


# what laying the screen on, pressing it and its glue can break: the picture, the touch at the rim, what looks
# and listens through the glass, keys in the frame; common practice, no source
SEALING_CAN_BREAK = frozenset(
    {
        "image",
        "touch",
        "proximity",
        "light",
        "front-camera",
        "camera",
        "earpiece",
        "microphone",
        "speakers",
        "loudspeaker",
        "unlock",
        "fingerprint",
        "home-button",
        "pulse",
    }
)


def functions_of(model: Model, look: Look, proved: frozenset[str] = frozenset()) -> tuple[Function, ...]:
    """What is tested at a look (rule proof.asked-once): after sealing what that can break, and what was not
    proved before it; after the cure what it can change. `proved` are the functions that worked at the test.
    """
    if look is Look.AFTER_CURE:
        return tuple(function for function in model.functions if function.id == "touch")
    return tuple(one for one in model.functions if one.id in SEALING_CAN_BREAK or one.id not in proved)


def _has(model: Model, function: str) -> bool:
    return any(one.id == function for one in model.functions)


def read_felt(typed: Mapping[str, str]) -> tuple[Felt, ...]:
    """The eight places from `gap.top`, `step.top` in mm and `flush.top`, yes or no; every problem at once."""
    problems = Problems(fact("sealing.the-places"))
    found = []
    for place in PLACES:
        gap = _mm(problems, f"gap.{place}", typed, Decimal(0))
        step = _mm(problems, f"step.{place}", typed, -MOST_TYPED_MM)
        flush = typed.get(f"flush.{place}", "")
        felt = typed.get(f"gap.{place}", "").strip() or typed.get(f"step.{place}", "").strip()
        if not felt and flush not in ("yes", "no"):
            problems.add(f"flush.{place}", flush, fact("sealing.feel-or-look"))
        found.append(Felt(place=place, gap_mm=gap, step_mm=step, flush=flush == "yes"))
    problems.refuse()
    return tuple(found)


def _mm(problems: Problems, field: str, typed: Mapping[str, str], least: Decimal) -> Decimal | None:
    text = typed.get(field, "").strip()
    accepts = fact("sealing.mm-between", least=least, most=MOST_TYPED_MM)
    return (
        problems.read(field, text, lambda said: read_number(said, least, MOST_TYPED_MM, accepts))
        if text
        else None
    )


def check_clamp(clamped: bool, ticked: bool) -> None:
    """Refuse the look after the cure of a device that lies in its clamp, until it is out (rule
    proof.clamp).
    """
    if clamped and not ticked:
        raise Invalid("clamp", "", fact("sealing.out-of-the-clamp"))


def said_of(felt: tuple[Felt, ...]) -> tuple[Fact, ...]:
    """What is not flush, in words; nothing where all eight places are."""
    return tuple(
        fact("sealing.stands-off", place=one.place, gap=one.gap_mm or 0, step=one.step_mm or 0)
        if one.gap_mm is not None or one.step_mm is not None
        else fact("sealing.not-flush", place=one.place)
        for one in felt
        if not one.good
    )
