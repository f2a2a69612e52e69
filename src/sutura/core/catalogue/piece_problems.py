"""What is wrong with the pieces and acts of a model, each at its place in the file."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from sutura.core.bench.closure import Unreachable, smallest
from sutura.core.bench.compiling import SWAP, compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.ordering import Circular
from sutura.core.catalogue.cautions import CAUTIONS
from sutura.core.catalogue.model import Model, Phase, PieceKind, Work
from sutura.core.errors import Invalid
from sutura.core.facts import fact

_NO_PICK = re.compile(r"\b(top|right|bottom|left) edge: no (?:pick|blade)\b")


def piece_problems(model: Model) -> list[Invalid]:
    """Pieces that can never come off, that hold nothing or that nothing holds, names that nobody knows, work
    hotter than its place allows. What cannot be worked out is asked for only when the names are right.
    """
    problems = [
        *_names(model),
        *_screws(model),
        *_lengths(model),
        *_plugs(model),
        *_works(model),
        *_proof(model),
    ]
    return problems or list(_never_off(model)) or list(_no_sheet(model))


def _all_works(model: Model) -> Iterator[tuple[str, Work]]:
    for place, piece in enumerate(model.pieces):
        yield f"pieces[{place}].off", piece.off
        yield f"pieces[{place}].on", piece.on
        if piece.first:
            yield f"pieces[{place}].first.work", piece.first.work
    for place, act in enumerate(model.acts):
        yield f"acts[{place}]", act.work


def _names(model: Model) -> Iterator[Invalid]:
    pieces, steps = [piece.id for piece in model.pieces], [work.id for _, work in _all_works(model)]
    for place, piece in enumerate(model.pieces):
        if pieces.count(piece.id) > 1:
            yield Invalid(f"pieces[{place}].id", piece.id, fact("catalogue.give-each-piece-id-own"))
        for number, entry in enumerate(piece.under):
            for other in entry:
                if other not in pieces:
                    where = f"pieces[{place}].under[{number}]"
                    yield Invalid(where, other, fact("catalogue.name-one-pieces", what=", ".join(pieces)))
        for number, name in enumerate(piece.on_after):
            if name not in steps:
                yield Invalid(f"pieces[{place}].on_after[{number}]", name, fact("catalogue.name-step-sheet"))
    for where, work in _all_works(model):
        if steps.count(work.id) > 1:
            yield Invalid(f"{where}.id", work.id, fact("catalogue.give-each-step-id-own"))
    for place, act in enumerate(model.acts):
        for name, refs in (("after", act.after), ("before", act.before), ("having", act.having)):
            for number, ref in enumerate(refs):
                if ref not in steps and not (name == "having" and ref == SWAP):
                    yield Invalid(f"acts[{place}].{name}[{number}]", ref, fact("catalogue.name-step-sheet"))
    freed = [("frees", model.own_frees)]
    freed += [(f"routes[{place}].frees", route.frees) for place, route in enumerate(model.routes)]
    for name, ids in freed:
        for number, one in enumerate(ids):
            if one not in pieces:
                accepts = fact("catalogue.name-one-pieces", what=", ".join(pieces))
                yield Invalid(f"{name}[{number}]", one, accepts)


def _screws(model: Model) -> Iterator[Invalid]:
    groups = {group.id: group for group in model.screws}
    holding = Counter(piece.screws for piece in model.pieces if piece.screws)
    for place, group in enumerate(model.screws):
        if holding[group.id] != 1:
            yield Invalid(
                f"screws[{place}].id", group.id, fact("catalogue.group-of-one-piece", count=holding[group.id])
            )
    for place, piece in enumerate(model.pieces):
        if (piece.kind is PieceKind.SCREWS) != bool(piece.screws) or (
            piece.screws and piece.screws not in groups
        ):
            what = ", ".join(sorted(groups)) or "none given"
            yield Invalid(
                f"pieces[{place}].screws", piece.screws, fact("catalogue.name-one-screw-groups", what=what)
            )
        elif piece.first and not 0 < piece.first.screws < groups[piece.screws].count:
            count = groups[piece.screws].count
            yield Invalid(
                f"pieces[{place}].first.screws",
                piece.first.screws,
                fact("catalogue.set-fewer-than-group-rest-later", count=count),
            )


def _plugs(model: Model) -> Iterator[Invalid]:
    known = {connector.name for connector in model.connectors}
    plugs = [piece.plug for piece in model.pieces if piece.plug]
    for place, piece in enumerate(model.pieces):
        connects = piece.kind is PieceKind.CONNECTOR
        if (
            connects != bool(piece.plug)
            or (piece.plug and piece.plug not in known)
            or plugs.count(piece.plug) > 1
        ):
            accepts = fact("catalogue.name-one-connectors", what=", ".join(sorted(known)) or "none given")
            yield Invalid(f"pieces[{place}].plug", piece.plug, accepts)
    batteries = [place for place, piece in enumerate(model.pieces) if piece.battery]
    if plugs and len(batteries) != 1:
        yield Invalid("pieces", len(batteries), fact("catalogue.one-battery"))


def _lengths(model: Model) -> Iterator[Invalid]:
    """Screws of several lengths say that of each place, and the longest of them as the group's own."""
    for place, group in enumerate(model.screws):
        if not group.lengths_mm:
            continue
        if len(group.lengths_mm) != group.count:
            accepts = fact("catalogue.one-length-each", count=group.count)
            yield Invalid(f"screws[{place}].lengths_mm", len(group.lengths_mm), accepts)
        elif group.length_mm != max(group.lengths_mm):
            accepts = fact("catalogue.the-longest", longest=max(group.lengths_mm))
            yield Invalid(f"screws[{place}].length_mm", group.length_mm, accepts)


def _works(model: Model) -> Iterator[Invalid]:
    limits = {limit.where: limit for limit in model.heat_limits}
    for where, work in _all_works(model):
        for number, caution in enumerate(work.cautions):
            if caution not in CAUTIONS:
                accepts = fact("catalogue.use-one", cautions=tuple(CAUTIONS))
                yield Invalid(f"{where}.cautions[{number}]", caution, accepts)
        if work.heat and work.heat.where not in limits:
            accepts = fact("catalogue.name-one-heat-limits", what=", ".join(limits) or "none given")
            yield Invalid(f"{where}.heat.where", work.heat.where, accepts)
        elif work.heat and work.heat.target_c > limits[work.heat.where].max_c:
            limit = limits[work.heat.where]
            accepts = fact("catalogue.most-c-2", max_c=limit.max_c, why=limit.why)
            yield Invalid(f"{where}.heat.target_c", work.heat.target_c, accepts)
        for number, limit_text in enumerate(work.limits):
            for edge in _NO_PICK.findall(limit_text):
                if model.face.edges[edge].depth_mm > 0:
                    yield Invalid(
                        f"face.edges.{edge}.depth_mm",
                        model.face.edges[edge].depth_mm,
                        fact(
                            "catalogue.sheet-forbids-edge", step=f"{where}.limits[{number}]", limit=limit_text
                        ),
                    )


def _proof(model: Model) -> Iterator[Invalid]:
    proofs = sum(act.phase is Phase.PROOF for act in model.acts)
    if proofs != 1:
        yield Invalid(
            "acts",
            fact("catalogue.proof-steps", count=proofs),
            fact("catalogue.have-exactly-one-step-phase-proof"),
        )


def _never_off(model: Model) -> Iterator[Invalid]:
    pieces = {piece.id: piece for piece in model.pieces}
    for place, piece in enumerate(model.pieces):
        try:
            smallest(pieces, [piece.id], (), {})
        except Unreachable:
            yield Invalid(f"pieces[{place}].under", piece.id, fact("catalogue.can-come-off"))


def _no_sheet(model: Model) -> Iterator[Invalid]:
    """Ways of which no sheet can be made, though every piece comes off: going on they wait for each other."""
    for way in model.ways:
        if not model.frees(way.kind):
            continue
        try:
            compile_sheet(model, Goal(aim=Aim.REPAIR, route=way.kind))
        except Unreachable as never:
            place = [piece.id for piece in model.pieces].index(never.piece)
            yield Invalid(f"pieces[{place}].under", never.piece, fact("catalogue.can-come-off"))
        except Circular as circle:
            yield Invalid("pieces", way.name, fact("catalogue.wait-for-each-other", steps=len(circle.among)))
