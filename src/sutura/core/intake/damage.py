"""What the drawing says in short: how much is broken, which edges it reaches, which cautions it calls for.

All lengths in mm on the front, from the top left corner of the outline.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.catalogue.model import Face
from sutura.core.facts import Say, fact, sentences
from sutura.core.intake.marks import Mark, MarkKind, reached_edges
from sutura.core.maths.geometry import line_length
from sutura.core.values import COMMON, Rule

# Damage within this distance of a place makes the glass there unsafe. The shop's, no source.
NEAR_EDGE_MM = 5.0

RULES = (
    Rule(
        id="intake.inside",
        capability="intake",
        says="A mark lies on the face, within its outline.",
        source=COMMON,
    ),
    Rule(
        id="intake.glass-caution",
        capability="intake",
        says="Any crack or impact calls for eye protection, gloves and tape at the opening steps.",
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DamageReading:
    """The drawing in short: counts, total crack length in mm, edges reached, the cautions it calls for."""

    impacts: int
    cracks: int
    crack_mm: float
    edges: tuple[str, ...]
    cautions: tuple[str, ...]
    says: Say


def read_damage(marks: Sequence[Mark], face: Face) -> DamageReading:
    """The drawing in one sentence, without the geometry of an opening plan."""
    glass = [mark for mark in marks if mark.breaks_glass]
    cracks = [mark for mark in glass if mark.kind is MarkKind.CRACK]
    impacts = [mark for mark in glass if mark.kind is MarkKind.IMPACT]
    crack_mm = line_length(mark.points for mark in cracks)
    edges = reached_edges(marks, face, NEAR_EDGE_MM)
    said: list[Say] = []
    if glass:
        drawn = {"impacts": len(impacts), "cracks": len(cracks), "crack_mm": crack_mm}
        said.append(
            fact("intake.glass-damage-reaches", **drawn, edges=tuple(edges))
            if edges
            else fact("intake.glass-damage", **drawn)
        )
        if face.opening_edge in edges:
            said.append(fact("intake.edge-where-usually-opened-broken-tape", edge=face.opening_edge))
    others = [
        mark for mark in marks if mark.kind not in (MarkKind.CRACK, MarkKind.IMPACT) or not mark.breaks_glass
    ]
    if others:
        said.append(fact("intake.also", marks=tuple(mark.label for mark in others)))
    return DamageReading(
        impacts=len(impacts),
        cracks=len(cracks),
        crack_mm=crack_mm,
        edges=tuple(edges),
        cautions=("glass",) if glass else (),
        says=sentences(said) if said else fact("intake.no-damage-drawn"),
    )
