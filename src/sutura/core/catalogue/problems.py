"""What has the right shape and makes no sense: every problem of a model, each with its place."""

from __future__ import annotations

import re
from collections import Counter

from sutura.core.catalogue.cautions import CAUTIONS
from sutura.core.catalogue.model import Model, Phase
from sutura.core.catalogue.piece_problems import piece_problems
from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.maths.geometry import Box, Point


def problems_of(model: Model) -> list[Invalid]:
    """Everything in a model that has the right shape and makes no sense, each with its place."""
    of_sheet = (
        piece_problems(model)
        if model.pieces
        else [
            *_unknown_names(model),
            *_screw_problems(model),
            *_plug_problems(model),
            *_order_problems(model),
            *_edge_problems(model),
            *_limit_problems(model),
        ]
    )
    return [
        *of_sheet,
        *_function_problems(model),
        *_place_problems(model),
        *_face_problems(model),
        *_seal_problems(model),
    ]


def _unknown_names(model: Model) -> list[Invalid]:
    groups = {group.id for group in model.screws}
    step_ids = [step.id for step in model.steps]
    problems = []
    for index, step in enumerate(model.steps):
        place = f"steps[{index}]"
        if step.screws and step.screws not in groups:
            problems.append(
                Invalid(
                    f"{place}.screws",
                    step.screws,
                    fact("catalogue.name-one-screw-groups", what=", ".join(sorted(groups)) or "none given"),
                )
            )
        problems += [
            Invalid(f"{place}.after[{number}]", name, fact("catalogue.name-step-stands-before-one-sheet"))
            for number, name in enumerate(step.after)
            if name not in step_ids[:index]
        ]
        for number, caution in enumerate(step.cautions):
            if caution not in CAUTIONS:
                problems.append(
                    Invalid(
                        f"{place}.cautions[{number}]",
                        caution,
                        fact("catalogue.use-one", cautions=tuple(CAUTIONS)),
                    )
                )
        if step_ids.count(step.id) > 1:
            problems.append(Invalid(f"{place}.id", step.id, fact("catalogue.give-each-step-id-own")))
    for index, name in enumerate(model.rework):
        if name not in step_ids:
            problems.append(Invalid(f"rework[{index}]", name, fact("catalogue.name-step-sheet")))
    return problems


def _function_problems(model: Model) -> list[Invalid]:
    names = [function.id for function in model.functions]
    return [
        Invalid(f"functions[{i}].id", name, fact("catalogue.give-each-function-id-own"))
        for i, name in enumerate(names)
        if names.count(name) > 1
    ]


def _screw_problems(model: Model) -> list[Invalid]:
    out = Counter(step.screws for step in model.steps if step.screws and not step.screws_in)
    back = Counter(
        step.screws for step in model.steps if step.screws and step.screws_in and not step.screws_part
    )
    return [
        Invalid(
            f"screws[{i}]",
            group.id,
            (fact("catalogue.take-out-one-step-put-back", out=out[group.id], back=back[group.id])),
        )
        for i, group in enumerate(model.screws)
        if (out[group.id], back[group.id]) != (1, 1)
    ] + [
        Invalid(
            f"steps[{i}].screws_part",
            step.screws_part,
            fact("catalogue.set-fewer-than-group-rest-later", count=model.screw_group(step.screws).count),
        )
        for i, step in enumerate(model.steps)
        if step.screws_part and not _is_first_of_a_group(model, i)
    ]


def _is_first_of_a_group(model: Model, index: int) -> bool:
    """Whether a step sets some screws of a group, fewer than it has, and a later one the rest."""
    step = model.steps[index]
    rest = [
        later
        for later in model.steps[index + 1 :]
        if later.screws == step.screws and later.screws_in and not later.screws_part
    ]
    return bool(step.screws_in and rest) and step.screws_part < model.screw_group(step.screws).count


def _plug_problems(model: Model) -> list[Invalid]:
    plugs = [(index, step.plug) for index, step in enumerate(model.steps) if step.plug]
    off = [(index, plug) for index, plug in plugs if not plug.on]
    on = [(index, plug) for index, plug in plugs if plug.on]
    problems = []
    if not off or not off[0][1].battery:
        index = off[0][0] if off else 0
        problems.append(
            Invalid(
                f"steps[{index}].plug",
                off[0][1].name if off else "",
                fact("catalogue.take-battery-off-before-any-other"),
            )
        )
    if not on or not on[-1][1].battery:
        index = on[-1][0] if on else 0
        problems.append(
            Invalid(
                f"steps[{index}].plug",
                on[-1][1].name if on else "",
                fact("catalogue.put-battery-after-every-other-connector"),
            )
        )
    if Counter(p.name for _, p in off) != Counter(p.name for _, p in on):
        problems.append(
            Invalid(
                "steps",
                ", ".join(sorted({p.name for _, p in plugs})),
                fact("catalogue.put-every-connector-came-off-once"),
            )
        )
    return problems


def _order_problems(model: Model) -> list[Invalid]:
    order = list(Phase)
    looks = [step for step in model.steps if step.second_look and step.phase is not Phase.CLOSE]
    if model.closed_test and not looks:
        return [Invalid("closed_test", True, fact("catalogue.give-step-second-look-before-closed"))]
    proofs = [index for index, step in enumerate(model.steps) if step.phase is Phase.PROOF]
    problems = []
    if len(proofs) != 1:
        problems.append(
            Invalid(
                "steps",
                fact("catalogue.proof-steps", count=len(proofs)),
                fact("catalogue.have-exactly-one-step-phase-proof"),
            )
        )
    for index, (before, after) in enumerate(zip(model.steps, model.steps[1:], strict=False), start=1):
        if order.index(after.phase) < order.index(before.phase):
            problems.append(
                Invalid(
                    f"steps[{index}].phase",
                    after.phase.value,
                    fact("catalogue.keep-order", order=tuple(order)),
                )
            )
    return problems


def _face_problems(model: Model) -> list[Invalid]:
    face = model.face
    boxes = {"face.glass": face.glass, "face.active": face.active}
    boxes |= {f"face.spots[{i}]": spot.box for i, spot in enumerate(face.spots)}
    boxes |= {f"face.keep_outs[{i}]": keep.box for i, keep in enumerate(face.keep_outs)}
    problems = [
        Invalid(place, _box_words(box), fact("catalogue.keep-inside-outline"))
        for place, box in boxes.items()
        if not _inside(box, face.outline)
    ]
    if not problems and not _inside(face.active, face.glass):
        problems.append(Invalid("face.active", _box_words(face.active), fact("catalogue.keep-inside-glass")))
    if face.edges[face.opening_edge].depth_mm == 0:
        accepts = fact("catalogue.open-edge-where-pick-may-go")
        problems.append(Invalid("face.opening_edge", face.opening_edge, accepts))
    if face.corner_mm > min(face.width_mm, face.height_mm) / 2:
        problems.append(Invalid("face.corner_mm", face.corner_mm, fact("catalogue.most-half-shorter-side")))
    return problems


def _inside(box: Box, outer: Box) -> bool:
    far = Point(x=round(box.x + box.width, 6), y=round(box.y + box.height, 6))
    return outer.holds(Point(x=box.x, y=box.y)) and outer.holds(far)


def _box_words(box: Box) -> str:
    return f"{box.x:g}, {box.y:g}, {box.width:g} × {box.height:g}"


_NO_PICK = re.compile(r"\b(top|right|bottom|left) edge: no (?:pick|blade)\b")


def _edge_problems(model: Model) -> list[Invalid]:
    """Edges that a step forbids and the face does not: the opening plan would cut where the sheet must
    not.
    """
    return [
        Invalid(
            f"face.edges.{edge}.depth_mm",
            model.face.edges[edge].depth_mm,
            fact("catalogue.sheet-forbids-edge", step=index + 1, limit=limit),
        )
        for index, step in enumerate(model.steps)
        for limit in step.limits
        for edge in _NO_PICK.findall(limit)
        if model.face.edges[edge].depth_mm > 0
    ]


def _limit_problems(model: Model) -> list[Invalid]:
    """Steps hotter than their place allows, connectors nobody described."""
    limits = {limit.where: limit for limit in model.heat_limits}
    known = {connector.name for connector in model.connectors}
    problems = []
    for index, step in enumerate(model.steps):
        if step.heat and step.heat.where not in limits:
            accepts = fact("catalogue.name-one-heat-limits", what=", ".join(limits) or "none given")
            problems.append(Invalid(f"steps[{index}].heat.where", step.heat.where, accepts))
        elif step.heat and step.heat.target_c > limits[step.heat.where].max_c:
            accepts = fact(
                "catalogue.most-c-2", max_c=limits[step.heat.where].max_c, why=limits[step.heat.where].why
            )
            problems.append(Invalid(f"steps[{index}].heat.target_c", step.heat.target_c, accepts))
        if step.plug and step.plug.name not in known:
            accepts = fact("catalogue.name-one-connectors", what=", ".join(sorted(known)) or "none given")
            problems.append(Invalid(f"steps[{index}].plug.name", step.plug.name, accepts))
    return problems


def _place_problems(model: Model) -> list[Invalid]:
    return [
        Invalid(
            f"screws[{i}].at",
            f"{len(group.at)} places",
            fact("catalogue.give-places-none", count=group.count),
        )
        for i, group in enumerate(model.screws)
        if group.at and len(group.at) != group.count
    ]


def _seal_problems(model: Model) -> list[Invalid]:
    methods = {seal.method: seal for seal in model.seals}
    problems = [
        Invalid(f"seals_ruled_out.{method}", method, fact("catalogue.method-allowed-ruled-out-not-both"))
        for method in model.seals_ruled_out
        if method in methods
    ]
    if model.seal and model.seal not in methods:
        accepts = fact("catalogue.name-one-allowed-methods", what=", ".join(methods) or "none given")
        problems.append(Invalid("seal", model.seal, accepts))
    elif model.seal and methods[model.seal].cure_minutes != model.cure_minutes:
        accepts = fact("catalogue.cure-min", seal=model.seal, cure_minutes=methods[model.seal].cure_minutes)
        problems.append(Invalid("cure_minutes", model.cure_minutes, accepts))
    return problems
