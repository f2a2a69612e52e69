"""Handing back: everything that came in goes out, when it is ready, and the warranty runs from then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from sutura.core.errors import AccessoriesMissing, Invalid
from sutura.core.facts import Fact, Minutes, fact
from sutura.core.intake.arrival import Channel
from sutura.core.proof.sealing import Look
from sutura.core.values import COMMON, Rule


@dataclass(frozen=True, slots=True, kw_only=True)
class Accessory:
    """Something that came with the device, and where it is kept."""

    id: int
    name: str
    kept: str


RULES = (
    Rule(
        id="handover.accessories",
        capability="handover",
        says="Everything that came in is ticked as handed back, or its whereabouts are written.",
        source=COMMON,
    ),
    Rule(
        id="handover.ready",
        capability="handover",
        says=(
            "A device is ready when it is closed, was looked at after sealing and, where its seal cures, "
            "after the cure. Before that a manager alone lets it go, with a reason; the receipt says what "
            "was not done yet, and what to keep from it until when."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.way-back",
        capability="handover",
        says=(
            "What came by mail goes back by a parcel with a number, or is collected; either is written down."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.warranty",
        capability="handover",
        says=(
            "The warranty runs from the day of handover for the model's number of days, on the part "
            "and the work, not on new damage."
        ),
        source="the shop's terms; local law comes first",
    ),
)


def waits_for(
    looks: Sequence[Look], passed: Sequence[str], cure_over: datetime | None, now: datetime
) -> tuple[Fact, ...]:
    """What a closed device waits for before it is ready (rule handover.ready); nothing where it is."""
    waits = []
    if cure_over is not None and now < cure_over:
        waits.append(fact("handover.cures-until", until=cure_over))
    waits += [
        fact("handover.not-looked-at", look=look)
        for look in looks
        if look is not Look.BEFORE_SEALING and look.value not in passed
    ]
    return tuple(waits)


def check_let_go(reason: str) -> str:
    """Why a device goes before it is ready."""
    if not 5 <= len(reason.strip()) <= 300:
        raise Invalid("let_go", reason, fact("handover.write-why-it-goes"))
    return reason.strip()


def check_accessories(accessories: Sequence[Accessory], returned: Sequence[int], explanation: str) -> None:
    """Refuse when something that came in is neither ticked nor explained."""
    missing = [a.name for a in accessories if a.id not in returned]
    if missing and not explanation.strip():
        raise AccessoriesMissing(missing)


def check_way_back(channel: str, way_back: str) -> None:
    """Refuse to close a job that came by mail without saying how it goes back (rule handover.way-back)."""
    if channel == Channel.MAIL and not 3 <= len(way_back.strip()) <= 60:
        raise Invalid("way_back", way_back, fact("handover.write-parcel-number-back"))


def warranty_end(handed_back: date, days: int) -> date:
    """The last day of the warranty."""
    return handed_back + timedelta(days=days)


def done_by(route: str, parts: Sequence[tuple[str, str | None]]) -> Fact:
    """What was done: the route, and each fitted part with its grade."""
    fitted = tuple(
        fact("handover.fitted", part=part, grade=grade or fact("handover.grade-unknown"))
        for part, grade in parts
    )
    return fact("handover.done", route=route, fitted=fitted)


def aftercare(*, sealed: bool, cure_minutes: int) -> list[Fact]:
    """What the customer is told to avoid. Source: common practice."""
    lines = [fact("handover.avoid-solvents")]
    if sealed:
        lines.insert(0, fact("handover.avoid-water"))
    if cure_minutes:
        lines.insert(0, fact("handover.avoid-pressure", cure=Minutes(cure_minutes)))
    return lines


def not_promised(*, sealed_device: bool, passed: Sequence[str] = (), reason: str = "") -> list[Fact]:
    """What the receipt says is not promised. Source: common practice; IP ratings are the maker's, before
    opening.
    """
    lines = [fact("handover.new-damage-liquid-bending-not-covered")]
    if sealed_device:
        lines.insert(0, fact("handover.splash-protection-not-promised-after-opening"))
    if passed:
        lines.insert(0, fact("handover.passed-all-the-same", names=tuple(passed), reason=reason.rstrip(".")))
    return lines
