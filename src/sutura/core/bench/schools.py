"""Ways on which practitioners disagree: what a model allows, what is chosen, and what that changes.

A choice of the job counts before a habit of its technician, a habit before the model's own way. What a model
rules out is never chosen, by nobody; a habit that a model rules out is passed over.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from sutura.core.bench.compiling import with_sheet
from sutura.core.bench.ways import (
    HEAT_WAYS,
    LIDS,
    LIDS_SAID,
    SIDES,
    SIDES_SAID,
    HeatWay,
    Sealing,
    heat_way,
    sealing_of,
)
from sutura.core.catalogue.model import CUTS, Act, Goes, Heat, Model, Phase, Piece, PieceKind, Work
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="bench.schools",
        capability="bench",
        says=(
            "Where practitioners disagree – seal, where its adhesive goes, heat, tool, how a lid is held, "
            "the order of antenna leads, a bit of two sizes – each model has its own way and what it "
            "rules out. A technician's habit counts before it, a choice for the job before both; what is "
            "ruled out is never chosen."
        ),
        source=COMMON,
    ),
    Rule(
        id="bench.hand",
        capability="bench",
        says=(
            "What is warmed beside a hand – gun, hair dryer, gel pack – is never hotter than a hand can stay "
            "on: 60 °C. What has to be hotter goes on a pad or a plate."
        ),
        source=COMMON,
    ),
)


class Question(StrEnum):
    """What is chosen; of each group of screws with two sizes of bit there is one more, `bit.<group>`."""

    SEAL = "seal"
    SIDE = "side"
    HEAT = "heat"
    TOOL = "tool"
    LID = "lid"
    LEADS = "leads"


BIT = "bit."
INSIDE_OUT, ANY = "inside out", "any"


class Use(StrEnum):
    """Whether a way may be gone on this model."""

    ALLOWED = "allowed"
    WITH_CARE = "with care"
    NEVER = "never"


class Whose(StrEnum):
    """Whose choice it is that counts."""

    MODEL = "model"
    HABIT = "habit"
    JOB = "job"


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """One way, whether it may be gone, and why (not)."""

    value: str
    use: Use = Use.ALLOWED
    why: Say = ""
    # of a seal, what it takes to open it again
    opens_again: Say = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """One question with its ways, the model's own way and the one that counts, and whose it is."""

    question: str
    asks: Say
    options: tuple[Option, ...]
    own: str
    chosen: str
    whose: Whose

    @property
    def allowed(self) -> tuple[Option, ...]:
        return tuple(option for option in self.options if option.use is not Use.NEVER)

    @property
    def ruled_out(self) -> tuple[Option, ...]:
        return tuple(option for option in self.options if option.use is Use.NEVER)


def choices(
    model: Model, job: Mapping[str, str] | None = None, habits: Mapping[str, str] | None = None
) -> tuple[Choice, ...]:
    """Every question this model leaves open or answers with reasons, with what counts for a job; the one way
    of a question that has no other is not asked.
    """
    found = []
    for question, own, options in _questions(model):
        may = {option.value for option in options if option.use is not Use.NEVER}
        whose, chosen = Whose.MODEL, own
        for who, said in ((Whose.JOB, job), (Whose.HABIT, habits)):
            if said and said.get(question) in may:
                whose, chosen = who, said[question]
                break
        found.append(
            Choice(
                question=question,
                asks=asks_of(question, model),
                options=options,
                own=own,
                chosen=chosen,
                whose=whose,
            )
        )
    return tuple(found)


def asks_of(question: str, model: Model | None = None) -> Say:
    """A question in words; a bit is asked for by the screws it turns, where their model is known."""
    if question.startswith(BIT):
        group = question.removeprefix(BIT)
        return fact("schools.ask-bit", where=model.screw_group(group).where if model else group)
    return fact(f"schools.ask-{question}")


def check_choice(model: Model, question: str, value: str) -> str:
    """The way chosen for a question; refuses one that this model rules out, with the reason, and what is no
    way at all.
    """
    choice = next((one for one in choices(model) if one.question == question), None)
    if choice is None:
        raise Invalid("question", question, fact("schools.choose-a-question"))
    option = next((one for one in choice.options if one.value == value), None)
    allowed = tuple(one.value for one in choice.allowed)
    if option is None:
        raise Invalid("value", value, fact("schools.choose-one-of", allowed=allowed))
    if option.use is Use.NEVER:
        raise Invalid("value", value, fact("schools.ruled-out", why=option.why, allowed=allowed))
    return value


def chosen_of(found: Sequence[Choice]) -> dict[str, str]:
    """What counts, where it is not the model's own way."""
    return {choice.question: choice.chosen for choice in found if choice.chosen != choice.own}


def with_schools(model: Model, chosen: Mapping[str, str]) -> Model:
    """The model as it is worked on by the ways chosen: its seal, cure, steps, tools, heat, limits and
    minutes.

    What is the model's own way, or ruled out, changes nothing.
    """
    counts = chosen_of(choices(model, job=chosen))
    if not counts or not model.pieces:
        return model
    changed = model
    if Question.SEAL in counts or Question.SIDE in counts:
        changed = _sealed(
            changed, counts.get(Question.SEAL, model.seal), counts.get(Question.SIDE, model.adhesive_on)
        )
    if Question.HEAT in counts:
        changed = _heated(changed, HEAT_WAYS[counts[Question.HEAT]])
    if Question.TOOL in counts:
        changed = _opened(changed, counts[Question.TOOL])
    if Question.LID in counts:
        changed = _held(changed, counts[Question.LID])
    if counts.get(Question.LEADS) == ANY:
        changed = _leads_any(changed)
    for question, bit in counts.items():
        if question.startswith(BIT):
            changed = _bit_first(changed, question.removeprefix(BIT), bit)
    return with_sheet(changed)


# -- what a model leaves open ------------------------------------------------------------------------


def _questions(model: Model) -> list[tuple[str, str, tuple[Option, ...]]]:
    found: list[tuple[str, str, tuple[Option, ...]]] = []
    if model.seal:
        found.append((Question.SEAL, model.seal, _seals(model)))
        if len(_sealing_steps(model)) > 0:
            sides = tuple(Option(value=side, why=why) for side, why in SIDES.items())
            found.append((Question.SIDE, model.adhesive_on, sides))
    if heats := _heats(model):
        own = heat_way(heats[0].with_what)
        if own:
            found.append((Question.HEAT, own.id, _heat_options(model, heats, own)))
    tools = tuple(
        Option(value=tool.tool, use=Use(tool.use), why=tool.why)
        for tool in model.opening_tools
        if CUTS.intersection(tool.tool.split(" and "))
    )
    own_tool = _own_tool(model)
    if own_tool and tools:
        if own_tool not in {tool.value for tool in tools}:
            tools = (Option(value=own_tool, why=fact("schools.by-the-sheet")), *tools)
        found.append((Question.TOOL, own_tool, tools))
    if _hinges(model):
        found.append(
            (
                Question.LID,
                model.lid_held or next(iter(LIDS)),
                tuple(Option(value=way, why=why) for way, why in LIDS.items()),
            )
        )
    if len(_leads(model)) > 1:
        found.append(
            (
                Question.LEADS,
                INSIDE_OUT,
                (
                    Option(value=INSIDE_OUT, why=fact("schools.leads-inside-out")),
                    Option(value=ANY, use=Use.WITH_CARE, why=fact("schools.leads-any")),
                ),
            )
        )
    for group in model.screws:
        if len(group.bits) > 1:
            bits = tuple(Option(value=bit, why=fact("schools.try-the-fit")) for bit in group.bits)
            found.append((BIT + group.id, group.bits[0], bits))
    return found


def _seals(model: Model) -> tuple[Option, ...]:
    allowed = tuple(
        Option(value=seal.method, why=seal.note, opens_again=sealing_of(seal.method).opens_again)
        for seal in model.seals
    )
    if model.seal not in {seal.method for seal in model.seals}:
        allowed = (Option(value=model.seal, opens_again=sealing_of(model.seal).opens_again), *allowed)
    ruled_out = tuple(
        Option(value=method, use=Use.NEVER, why=why) for method, why in model.seals_ruled_out.items()
    )
    return (*allowed, *ruled_out)


def _heats(model: Model) -> list[Heat]:
    works = [act.work for act in model.acts] + [
        work for piece in model.pieces for work in (piece.off, piece.on)
    ]
    return [work.heat for work in works if work.heat]


def _heat_options(model: Model, heats: Sequence[Heat], own: HeatWay) -> tuple[Option, ...]:
    """The model's own heat first; what its tools rule out, what a hand cannot stay on, and what does not lie
    flat are never used.
    """
    said = {heat_way(tool.tool): tool for tool in model.opening_tools if heat_way(tool.tool)}
    hottest = max(heat.target_c for heat in heats if heat_way(heat.with_what) in (own, None))
    options = []
    for way in sorted(HEAT_WAYS.values(), key=lambda one: one is not own):
        use, why = Use.ALLOWED, way.how
        if way in said:
            use, why = Use(said[way].use), said[way].why
        elif way is not own and way.in_hand and hottest > way.most_c:
            use, why = Use.NEVER, fact("schools.hotter-than-a-hand", target=hottest, most=way.most_c)
        elif way is not own and way.needs_flat and model.device_class not in way.lies_flat:
            use, why = Use.NEVER, fact("schools.does-not-lie-flat", device=model.device_class)
        elif way is not own and way.blows and "bare" in model.construction:
            use, why = Use.NEVER, fact("schools.bare-sheets")
        elif way is not own and way.blows:
            use = Use.WITH_CARE
        options.append(Option(value=way.id, use=use, why=why))
    return tuple(options)


def _cuts(model: Model) -> list[Work]:
    """What cuts or lifts the front."""
    glued = [piece.off for piece in model.pieces if piece.kind is PieceKind.ADHESIVE]
    return [work for work in glued if CUTS.intersection(work.tools)]


def _own_tool(model: Model) -> str:
    first = next(iter(_cuts(model)), None)
    return " and ".join(tool for tool in first.tools if tool in CUTS) if first else ""


def _hinges(model: Model) -> list[Piece]:
    return [piece for piece in model.pieces if piece.first and "hinge" in piece.id]


def _leads(model: Model) -> list[Piece]:
    return [piece for piece in model.pieces if "antenna" in piece.plug]


def _sealing_steps(model: Model) -> list[Piece]:
    """The pieces that are pressed into the seal."""
    return [piece for piece in model.pieces if piece.on.other_seal]


# -- what a choice changes -----------------------------------------------------------------------------


def _sealed(model: Model, method: str, side: str) -> Model:
    """Sealed by another method, or with its adhesive on the other side."""
    seal = next((one for one in model.seals if one.method == method), None)
    cure = seal.cure_minutes if seal else model.cure_minutes
    way, own = sealing_of(method), sealing_of(model.seal)
    clamp = own.station if own.station and not way.station else ""
    pieces = tuple(
        replace(
            piece,
            on=replace(
                piece.on,
                text=piece.on.other_seal,
                wait_minutes=0,
                tools=tuple(tool for tool in piece.on.tools if tool != clamp),
            ),
        )
        if piece.on.other_seal
        else piece
        for piece in model.pieces
    )
    acts = [
        replace(act, work=replace(act.work, text=act.work.other_seal or act.work.text))
        for act in model.acts
        if not act.own_seal
    ]
    for piece in _sealing_steps(model):
        acts += _seal_acts(model, piece, way, method, side, seal.note if seal else "", cure)
    return replace(
        model,
        seal=method,
        cure_minutes=cure,
        adhesive_on=side,
        pieces=pieces,
        acts=tuple(acts),
        minutes=max(model.minutes + way.minutes - own.minutes, 1),
    )


def _seal_acts(
    model: Model, piece: Piece, way: Sealing, method: str, side: str, note: str, cure: int
) -> list[Act]:
    """What is done to seal by a method: laid before the test, its film off or its glue on after it, held
    while it cures.
    """
    step = next((one for one in model.steps if one.id == piece.on.id), None)
    after_test = step is not None and step.phase is Phase.CLOSE
    words = {"method": method, "side": SIDES_SAID[side]}
    acts = []
    limits = (note,) if note else ()
    own = [act for act in model.acts if act.own_seal]
    cleaned = own[0].after if own else tuple(act.id for act in model.acts if act.id == "clean")
    if way.lay:
        acts.append(
            Act(
                work=Work(
                    id=f"{piece.id}-seal-lay",
                    text=way.lay.format(**words),
                    tools=(method,) if way.is_cut else (),
                    limits=limits,
                ),
                phase=Phase.SWAP,
                after=cleaned,
                having=(piece.off.id,),
            )
        )
    # where it is pressed in before the test, what comes right before it is a step of the swap
    behind = () if after_test else (*cleaned, *_just_before(model, piece))
    if way.ready:
        acts.append(
            Act(
                work=Work(
                    id=f"{piece.id}-seal-ready",
                    text=way.ready.format(**words),
                    cautions=way.cautions,
                    limits=() if way.lay else limits,
                    wait_minutes=way.skin_minutes,
                ),
                phase=Phase.CLOSE if after_test else Phase.SWAP,
                after=(*behind, *((f"{piece.id}-seal-lay",) if way.lay else ())),
                before=(piece.on.id,),
                having=(piece.on.id,),
            )
        )
    if way.hold:
        acts.append(
            Act(
                work=Work(
                    id=f"{piece.id}-seal-hold",
                    text=way.hold.format(**words),
                    tools=(way.station,) if way.station else (),
                    limits=(f"Full strength after {cure} minutes.",) if cure else (),
                    wait_minutes=way.trim_minutes,
                ),
                phase=Phase.CLOSE,
                after=(piece.on.id,),
                before=tuple(act.id for act in model.acts if act.phase is Phase.CLOSE and not act.before),
                having=(piece.on.id,),
            )
        )
    return acts


def _just_before(model: Model, piece: Piece) -> tuple[str, ...]:
    """The last thing that goes on before a piece is pressed in, by the model's own sheet."""
    on: list[str] = []
    for step in model.steps:
        if step.id == piece.on.id:
            break
        if step.goes in (Goes.ON, Goes.FIRST):
            on.append(step.id)
    return tuple(on[-1:])


def _heated(model: Model, way: HeatWay) -> Model:
    """Warmed by another heat, where it was warmed by the model's own."""
    own = heat_way(_heats(model)[0].with_what)
    assert own, "asked for where it is one of the heats"

    def changed(work: Work, *, lies_there: bool = False) -> Work:
        heat = work.heat
        if heat is None or heat_way(heat.with_what) is not own:
            return work
        minutes = round(max(heat.minutes * way.pace / own.pace, 0.05), 2)
        limits = [*work.limits, *([way.says] if way.says not in work.limits else [])]
        # what lies there by itself runs by the clock; what is held in a hand does not
        waits = math.ceil(minutes) if way.by_itself and lies_there else 0
        tools = tuple(way.tool if tool == own.tool else tool for tool in work.tools)
        text = work.text
        if _names_any(text, own.names):
            # its own words are about the other heat
            text = f"Warm it ({heat.where}): {heat.target_c} °C with the {way.id}."
        changed_heat = replace(heat, with_what=way.id, minutes=minutes)
        return replace(
            work, text=text, heat=changed_heat, tools=tools, limits=tuple(limits), wait_minutes=waits
        )

    longer = sum(
        heat.minutes * (way.pace / own.pace - 1) for heat in _heats(model) if heat_way(heat.with_what) is own
    )
    return replace(
        model,
        minutes=max(model.minutes + round(longer), 1),
        acts=tuple(replace(act, work=changed(act.work, lies_there=True)) for act in model.acts),
        pieces=tuple(replace(piece, off=changed(piece.off), on=changed(piece.on)) for piece in model.pieces),
    )


def _opened(model: Model, tool: str) -> Model:
    """Opened with another tool: where the front is cut or lifted, with what is to be minded."""
    why = next((one.why for one in model.opening_tools if one.tool == tool), "")
    cuts = _cuts(model)
    # words of the tools that are not used now: a cup, a pick, a blade
    gone = [word.split()[-1] for word in _own_tool(model).split(" and ") if word not in tool]
    edge = model.face.opening_edge

    def changed(work: Work) -> Work:
        if work not in cuts:
            return work
        others = [one for one in work.tools if one not in CUTS]
        text = work.text
        if _names_any(text, gone):
            kept = [one for one in re.split(r"(?<=\.) ", text) if not _names_any(one, gone)]
            text = " ".join([f"Open the {edge} edge with the {tool}.", *kept])
        return replace(
            work,
            text=text,
            tools=(*tool.split(" and "), *others),
            limits=(*work.limits, f"{tool}: {why}" if why else tool),
        )

    return replace(model, pieces=tuple(replace(piece, off=changed(piece.off)) for piece in model.pieces))


def _names_any(text: str, words: Sequence[str]) -> bool:
    return any(re.search(rf"\b{re.escape(word)}\b", text, re.IGNORECASE) for word in words)


def _held(model: Model, way: str) -> Model:
    """A lid held in another way while its hinges are screwed."""
    hinges = _hinges(model)
    limit = f"Lid held {way}: {LIDS_SAID[way]}"

    def changed(piece: Piece) -> Piece:
        if piece not in hinges or piece.first is None:
            return piece
        works = [
            replace(work, limits=(*work.limits, limit)) for work in (piece.off, piece.on, piece.first.work)
        ]
        return replace(piece, off=works[0], on=works[1], first=replace(piece.first, work=works[2]))

    return replace(model, pieces=tuple(changed(piece) for piece in model.pieces))


def _leads_any(model: Model) -> Model:
    """Antenna leads in any order: none of them waits for another."""
    leads = {piece.id for piece in _leads(model)}
    return replace(
        model,
        pieces=tuple(
            replace(piece, under=tuple(entry for entry in piece.under if not leads.issuperset(entry)))
            if piece.id in leads
            else piece
            for piece in model.pieces
        ),
    )


def _bit_first(model: Model, group_id: str, bit: str) -> Model:
    """Another of the bits that are named for a group, at each of its steps."""
    known = model.screw_group(group_id).bits

    def changed(work: Work) -> Work:
        return replace(work, tools=tuple(bit if tool in known else tool for tool in work.tools))

    def of(piece: Piece) -> Piece:
        if piece.screws != group_id:
            return piece
        first = replace(piece.first, work=changed(piece.first.work)) if piece.first else None
        return replace(piece, off=changed(piece.off), on=changed(piece.on), first=first)

    return replace(
        model,
        screws=tuple(
            replace(group, bits=(bit, *(one for one in group.bits if one != bit)))
            if group.id == group_id
            else group
            for group in model.screws
        ),
        pieces=tuple(of(piece) for piece in model.pieces),
    )
