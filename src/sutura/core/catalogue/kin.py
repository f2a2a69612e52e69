"""How models are related, and what differs between them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.catalogue.model import Model
from sutura.core.facts import Fact, Say, fact
from sutura.core.matching.attributes import need_lines


class Kinship(StrEnum):
    """How two models are related: by the way they are opened, by the parts that fit, or by both. Two
    different things.
    """

    BOTH = "both"
    STEPS = "steps"
    PARTS = "parts"


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """One thing that is not the same in two related models."""

    what: Say
    here: Say
    there: Say


@dataclass(frozen=True, slots=True, kw_only=True)
class Sibling:
    """A related model, how it is related, and everything that differs."""

    model: Model
    kinship: Kinship
    differences: tuple[Difference, ...]


def kinship(one: Model, other: Model) -> Kinship | None:
    """How two models are related, None when they are not."""
    steps, parts = one.procedure_family == other.procedure_family, one.part_family == other.part_family
    if steps and parts:
        return Kinship.BOTH
    return Kinship.STEPS if steps else Kinship.PARTS if parts else None


def siblings_of(model: Model, models: Iterable[Model]) -> list[Sibling]:
    """Models that share steps or parts with one, with what differs (rule catalogue.siblings)."""
    return [
        Sibling(model=other, kinship=related, differences=tuple(differences(model, other)))
        for other in models
        if other.id != model.id and (related := kinship(model, other))
    ]


def differences(here: Model, there: Model) -> list[Difference]:
    """What is not the same: numbers, parts, sizes, needs, screws, steps, functions, times and seal."""

    def row(what: str, read: Callable[[Model], Say]) -> tuple[Fact, Say, Say]:
        return fact(f"catalogue.differs-{what}"), read(here), read(there)

    nothing = fact("catalogue.nothing")
    rows = [
        row("numbers", lambda m: ", ".join(n.text for n in m.numbers)),
        row("part-family", lambda m: m.part_family),
        row("steps-family", lambda m: m.procedure_family),
        row("face", lambda m: f"{m.face.width_mm:g}×{m.face.height_mm:g} mm"),
        row("minutes", lambda m: str(m.minutes)),
        row("cure", lambda m: f"{m.cure_minutes} min"),
        row("seal", lambda m: m.seal or nothing),
        row(
            "tested", lambda m: fact("catalogue.once-closed" if m.closed_test else "catalogue.before-sealed")
        ),
        row("moved-over", lambda m: ", ".join(m.move_over) or nothing),
    ]
    yes, no = fact("catalogue.yes"), fact("catalogue.no")
    listed: tuple[tuple[str, Callable[[Model], Mapping[str, Say]]], ...] = (
        ("need", _need_words),
        ("looks", lambda m: dict(m.features)),
        (
            "heat",
            lambda m: {limit.where: fact("catalogue.most-c", max_c=limit.max_c) for limit in m.heat_limits},
        ),
        ("connector", lambda m: {c.name: f"{c.kind}, {c.where}" for c in m.connectors}),
        ("screws", _screw_words),
        ("step", lambda m: {step.text: yes for step in m.steps}),
        ("function", lambda m: {function.name: yes for function in m.functions}),
    )
    for what, words in listed:
        mine, theirs = words(here), words(there)
        rows += [
            (fact(f"catalogue.differs-{what}", name=name), mine.get(name, no), theirs.get(name, no))
            for name in {**mine, **theirs}
        ]
    return [Difference(what=what, here=mine, there=theirs) for what, mine, theirs in rows if mine != theirs]


def _need_words(model: Model) -> dict[str, Say]:
    unknown = fact("catalogue.not-known")
    said: dict[str, Say] = {
        what: unknown if value is None else str(value) for what, value in need_lines(model.need)
    }
    said.pop("part family", None)
    return said


def _screw_words(model: Model) -> dict[str, Say]:
    return {
        group.where: fact("catalogue.mm", count=group.count, length_mm=group.length_mm, head=group.head)
        for group in model.screws
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class Telling:
    """One thing to look at that tells models apart: how it is on each of them, by full name."""

    look_at: Say
    looks: Mapping[str, str]


# Two outlines that differ by less cannot be told apart with a ruler held to a cracked edge; shop practice, no
# source.
TELLING_MM = 2.0


def tell_apart(models: Sequence[Model]) -> tuple[Telling, ...]:
    """What to look for when several models fit: visible features that differ, then sizes a ruler can tell.

    A feature counts when every model states it and at least two differ (rule identify.tell-apart).
    """
    if len(models) < 2:
        return ()
    aspects = [aspect for aspect in models[0].features if all(aspect in m.features for m in models)]
    seen = [
        Telling(look_at=aspect, looks={m.full_name: m.features[aspect] for m in models})
        for aspect in aspects
        if len({m.features[aspect] for m in models}) > 1
    ]
    sizes: tuple[tuple[str, Callable[[Model], float]], ...] = (
        ("width", lambda m: m.face.width_mm),
        ("height", lambda m: m.face.height_mm),
    )
    measured = [
        Telling(
            look_at=fact("catalogue.ruler", what=fact(f"catalogue.{what}")),
            looks={m.full_name: f"{read(m):g} mm" for m in models},
        )
        for what, read in sizes
        if max(map(read, models)) - min(map(read, models)) >= TELLING_MM
    ]
    return (*seen, *measured)
