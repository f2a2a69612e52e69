"""Handing back: everything that came in goes out, when it is ready, and the warranty runs from then."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from enum import StrEnum

from sutura.core.errors import AccessoriesMissing, Invalid
from sutura.core.facts import Fact, Minutes, fact
from sutura.core.intake.arrival import Channel
from sutura.core.proof.sealing import Look
from sutura.core.typed import Problems, read_amount
from sutura.core.values import COMMON, Rule


@dataclass(frozen=True, slots=True, kw_only=True)
class Accessory:
    """Something that came with the device, and where it is kept."""

    id: int
    name: str
    kept: str


class Collects(StrEnum):
    """Who takes a device: its customer, somebody for them, or a carrier."""

    CUSTOMER = "customer"
    OTHER = "other"
    POST = "post"


@dataclass(frozen=True, slots=True, kw_only=True)
class HandsOut:
    """Who takes a device with them, as it is written down; the insured value in minor units."""

    how: Collects
    name: str = ""
    address: str = ""
    carrier: str = ""
    tracking: str = ""
    insured_minor: int = 0


# the step by which cards come out at the bench, in every sheet that has one
CARDS_OUT = "cards-out"

RULES = (
    Rule(
        id="handover.accessories",
        capability="handover",
        says="Everything that came in is ticked as handed back, or its whereabouts are written.",
        source=COMMON,
    ),
    Rule(
        id="handover.cards",
        capability="handover",
        says=(
            "Cards that were taken out at the bench stay in the job's tray until it is handed back: no "
            "sheet puts them back. Then they go in before the customer's eyes, or with the parcel; that "
            "is ticked, or it is written where they are."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.scanned",
        capability="handover",
        says=(
            "Each place where something of a job is kept has a label: the tray that of the job, every other "
            "one the job's code with a number. Scanning it ticks what is kept there; a label of another job "
            "ticks nothing and is said."
        ),
        source=COMMON,
    ),
    Rule(
        id="handover.collects",
        capability="handover",
        says=(
            "Somebody else than the customer brings the code of the ticket and is written down by name. A "
            "parcel has its address, its carrier and its number, and what it is insured for."
        ),
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


def places_of(code: str, accessories: Sequence[Accessory]) -> dict[str, tuple[Accessory, ...]]:
    """What of a job is kept where, by the label of the place (rule handover.scanned): where nothing is said
    of it, in the tray.

    >>> case = Accessory(id=1, name="Case", kept=""), Accessory(id=2, name="SIM card", kept="Envelope 7")
    >>> {label: [one.name for one in there] for label, there in places_of("K7-4QX", case).items()}
    {'K7-4QX': ['Case'], 'K7-4QX/1': ['SIM card']}
    """
    by_place: dict[str, list[Accessory]] = {}
    for one in accessories:
        place = " ".join(one.kept.casefold().split())
        by_place.setdefault("" if "tray" in place else place, []).append(one)
    others = [place for place in by_place if place]
    labels = {"": code} | {place: f"{code}/{number}" for number, place in enumerate(others, 1)}
    return {labels[place]: tuple(there) for place, there in by_place.items()}


def scanned(code: str, accessories: Sequence[Accessory], text: str) -> frozenset[int]:
    """What is ticked by a label as it was scanned, by its number (rule handover.scanned)."""
    places = places_of(code, accessories)
    for label, there in places.items():
        if _plain(text) == _plain(label):
            return frozenset(one.id for one in there)
    raise Invalid("scan", text[:40], fact("handover.scan-label", labels=tuple(places) or (code,)))


def cards_in_tray(steps_done: Sequence[str], accessories: Sequence[Accessory]) -> bool:
    """Whether cards of a device lie in its tray that no accessory tells of (rule handover.cards)."""
    listed = any("sim" in one.name.casefold() or "card" in one.name.casefold() for one in accessories)
    return CARDS_OUT in steps_done and not listed


def check_cards(in_tray: bool, ticked: bool, explanation: str) -> None:
    """Refuse when cards lie in the tray and nobody says that they went back, or where they are."""
    if in_tray and not ticked and not explanation.strip():
        raise AccessoriesMissing(["Cards in the tray"])


def read_hands_out(typed: Mapping[str, str], code: str, currency: str) -> HandsOut:
    """Who takes a device, as typed: `how`, `name` and `ticket` of somebody else, `address`, `carrier`,
    `way_back` and `insured` of a parcel (rule handover.collects). Every problem at once.
    """
    problems = Problems(fact("handover.who-takes-it"))
    how = typed.get("how", "") or Collects.CUSTOMER
    said = {
        name: typed.get(name, "").strip() for name in ("name", "ticket", "address", "carrier", "way_back")
    }
    if how not in set(Collects):
        problems.add("how", how, fact("handover.choose-one", method=tuple(Collects)))
    if how == Collects.OTHER:
        if not 2 <= len(said["name"]) <= 120:
            problems.add("name", said["name"], fact("handover.write-who-collects"))
        if _plain(said["ticket"]) != _plain(code):
            problems.add("ticket", said["ticket"], fact("handover.ticket-of-this-job"))
    insured = 0
    if how == Collects.POST:
        for field, least, most in (("address", 8, 400), ("carrier", 2, 60), ("way_back", 3, 60)):
            if not least <= len(said[field]) <= most:
                problems.add(field, said[field][:60], fact("handover.parcel-needs", field=field, least=least))
        if typed.get("insured", "").strip():
            insured = (
                problems.read("insured", typed["insured"], lambda text: read_amount(text, currency)) or 0
            )
    problems.refuse()
    post = how == Collects.POST
    return HandsOut(
        how=Collects(how),
        name=said["name"] if how == Collects.OTHER else "",
        address=said["address"] if post else "",
        carrier=said["carrier"] if post else "",
        tracking=said["way_back"] if post else "",
        insured_minor=insured,
    )


def _plain(code: str) -> str:
    return code.upper().replace("-", "").replace(" ", "")


def check_way_back(channel: str, way_back: str) -> None:
    """Refuse to close a job that came by mail without saying how it goes back (rule handover.way-back)."""
    if channel == Channel.MAIL and not 3 <= len(way_back.strip()) <= 60:
        raise Invalid("way_back", way_back, fact("handover.write-parcel-number-back"))


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
