"""Where on the device a step happens: the edges it goes along, the places it touches, on which side."""

from __future__ import annotations

import re
from dataclasses import dataclass

from sutura.core.bench.chart import place_of
from sutura.core.catalogue.model import CUTS, EDGES, Model, PieceKind, Step
from sutura.core.facts import Say
from sutura.core.maths.geometry import Point


@dataclass(frozen=True, slots=True, kw_only=True)
class Where:
    """Edges, points in mm as they are seen on that side, and how deep a pick may go along each edge."""

    side: str
    edges: tuple[str, ...] = ()
    points: tuple[Point, ...] = ()
    depths: tuple[tuple[str, float], ...] = ()
    says: Say = ""

    @property
    def is_known(self) -> bool:
        return bool(self.edges or self.points)


def where(model: Model, step: Step) -> Where:
    """Where a step happens, by what the pack says of its screws, its connector and the edges it names;
    nothing where the pack says nothing.
    """
    if step.screws:
        group = model.screw_group(step.screws)
        seen = tuple(place_of(group, at, model.face.width_mm) for at in group.at)
        return Where(side=group.side, points=seen, says=group.where)
    if step.plug:
        plug = next((one for one in model.connectors if one.name == step.plug.name), None)
        if plug and plug.at:
            return Where(side="inside", points=(plug.at,), says=plug.where)
        return Where(side="inside", says=plug.where if plug else "")
    edges = _edges(model, step)
    cuts = bool(CUTS.intersection(step.tools))
    depths = tuple((edge, model.face.edges[edge].depth_mm) for edge in EDGES) if cuts else ()
    return Where(side="front", edges=edges, depths=depths)


def _edges(model: Model, step: Step) -> tuple[str, ...]:
    """The edges a step goes along: all where it says so, those that its words name, else for a cut the edge
    that is opened and for what is glued or warmed all of them.
    """
    if re.search(r"\ball (?:four |the )?(?:front )?edges\b", step.text, re.IGNORECASE):
        return EDGES
    named = tuple(
        edge
        for edge in EDGES
        if re.search(rf"\b{edge}(?: and \w+)? (?:front )?edges?\b", step.text, re.IGNORECASE)
    )
    if named:
        return named
    kinds = {piece.id: piece.kind for piece in model.pieces}
    glued = kinds.get(step.piece) is PieceKind.ADHESIVE
    # what goes round names the edges one after the other: “bottom, then top”
    along = tuple(edge for edge in EDGES if re.search(rf"\b{edge}\b", step.text, re.IGNORECASE))
    if glued and along:
        return along
    if CUTS.intersection(step.tools):
        return (model.face.opening_edge,)
    if step.heat or glued:
        return EDGES
    return ()
