"""Screws one by one: which places of a group are done at a step, and what does not go back where."""

from __future__ import annotations

from collections.abc import Iterable

from sutura.core.bench.telling import TrayField
from sutura.core.catalogue.model import Model, ScrewGroup, Step
from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="bench.screws",
        capability="bench",
        says=(
            "Screws are taken out and put in one by one or all at once. One that lay in another field of the "
            "tray is refused: where it is longer it breaks the board, where its head is another it does not "
            "hold."
        ),
        source=COMMON,
    ),
)


def touched(moves: Iterable[tuple[str, int, bool]], step: str) -> frozenset[int]:
    """The places (from 1) done at a step: of each the last word counts.

    >>> sorted(touched([("out", 1, True), ("out", 2, True), ("out", 1, False)], "out"))
    [2]
    """
    done: set[int] = set()
    for name, place, is_done in moves:
        if name == step:
            (done.add if is_done else done.discard)(place)
    return frozenset(done)


def check_place(field: TrayField, place: int) -> None:
    """Refuse a place that this step does not ask for, and one more than it asks for."""
    if place not in field.done and len(field.done) >= field.expected:
        raise Invalid("screw", place, fact("screws.enough", expected=field.expected))
    if place not in field.places:
        raise Invalid("screw", place, fact("screws.places", places=field.places))


def check_field(model: Model, step: Step, taken_from: str) -> None:
    """Refuse a screw that lay in another field of the tray than what goes in here, with the danger."""
    wanted = model.screw_group(step.screws)
    if taken_from == wanted.id:
        return
    other = next((group for group in model.screws if group.id == taken_from), None)
    if other is None:
        raise Invalid("screw", taken_from, fact("screws.one-of-the-tray"))
    raise Invalid("screw", other.where, _danger(wanted, other))


def _danger(wanted: ScrewGroup, other: ScrewGroup) -> Fact:
    told = {"where": wanted.where, "length": wanted.length_mm, "head": wanted.head}
    if other.length_mm > wanted.length_mm:
        return fact("screws.too-long", **told, other=other.length_mm)
    if other.length_mm < wanted.length_mm:
        return fact("screws.too-short", **told, other=other.length_mm)
    if other.head != wanted.head:
        return fact("screws.other-head", **told, other=other.head)
    return fact("screws.own-field", **told)
