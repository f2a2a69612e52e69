"""What is broken behind the glass: observations → each layer sound, faulty or unknown, and the next test that
tells most.

Two things side by side. Rules say what an observation proves, and are listed for the user. A table of
likelihoods ranks the causes
and chooses the next question by the information it is expected to bring; it proves nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from sutura.core.catalogue.model import Model
from sutura.core.facts import Fact, Say, fact, sentences
from sutura.core.intake.likelihoods import causes_by_share, entropy, expected_bits, weights_of
from sutura.core.intake.observations import IN_LIST, QUESTION_BY_ID, QUESTIONS, Layer, Status
from sutura.core.values import COMMON, Rule


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """A rule of diagnosis: when all of `when` is observed, these layers are so. `first` is what to do before
    anything else.
    """

    id: str
    when: Mapping[str, tuple[str, ...]]
    says: str
    layers: Mapping[Layer, Status]
    suspects: tuple[Layer, ...] = ()
    first: str = ""
    warns: str = ""


_BLACK = ("none",)
_S, _F, _U = Status.SOUND, Status.FAULTY, Status.UNKNOWN
PROOFS: tuple[Proof, ...] = (
    Proof(
        id="diagnosis.glass",
        when={"glass": ("broken",)},
        says="The glass is broken.",
        layers={Layer.GLASS: _F},
    ),
    Proof(
        id="diagnosis.glass-whole",
        when={"glass": ("whole",)},
        says="The glass is whole.",
        layers={Layer.GLASS: _S},
    ),
    Proof(
        id="diagnosis.image-fine",
        when={"image": ("fine",)},
        says="A clean picture: panel, backlight and their connector work.",
        layers={Layer.PANEL: _S, Layer.BACKLIGHT: _S, Layer.BOARD: _S, Layer.BATTERY: _S},
    ),
    Proof(
        id="diagnosis.touch-fine",
        when={"touch": ("fine",)},
        says="Touch answers everywhere.",
        layers={Layer.TOUCH: _S},
    ),
    Proof(
        id="diagnosis.glass-only",
        when={"glass": ("broken",), "image": ("fine",), "touch": ("fine",)},
        says="Glass broken, image and touch fine: only the glass.",
        layers={Layer.GLASS: _F, Layer.TOUCH: _S, Layer.PANEL: _S, Layer.CONNECTOR: _S},
    ),
    Proof(
        id="diagnosis.flat-battery",
        when={"battery": ("flat",)},
        says=(
            "A flat battery shows nothing of what lies behind it: a black screen is not testable, "
            "neither fine nor broken."
        ),
        layers={},
        first="Charge it first, then test again.",
    ),
    Proof(
        id="diagnosis.touch-dead",
        when={"image": ("fine",), "touch": ("dead", "part", "ghost")},
        says="The picture is fine and touch is not: the touch layer or its connector.",
        layers={},
        suspects=(Layer.TOUCH, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.thread",
        when={"image": ("thread",)},
        says="A thin coloured line on an otherwise black panel comes from the panel.",
        layers={},
        suspects=(Layer.PANEL,),
    ),
    Proof(
        id="diagnosis.torch",
        when={"torch": ("yes",)},
        says="A faint picture under a torch: the backlight or its fuse, not the panel.",
        layers={Layer.BACKLIGHT: _F, Layer.PANEL: _S, Layer.BOARD: _S},
    ),
    Proof(
        id="diagnosis.faint",
        when={"image": ("faint",)},
        says="A very faint picture: the backlight or its supply is suspected.",
        layers={},
        suspects=(Layer.BACKLIGHT,),
    ),
    Proof(
        id="diagnosis.black-reacts",
        when={"image": _BLACK, "battery": ("ok",), "reacts": ("yes",)},
        says="Black, charged, and it reacts: the board runs, the screen or its connector does not.",
        layers={Layer.BOARD: _S, Layer.BATTERY: _S},
        suspects=(Layer.PANEL, Layer.BACKLIGHT, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.black-silent",
        when={"image": _BLACK, "battery": ("ok",), "reacts": ("no",)},
        says="Black, charged, and nothing reacts: do not blame the screen yet.",
        layers={},
        suspects=(Layer.BOARD, Layer.BATTERY),
    ),
    Proof(
        id="diagnosis.external",
        when={"external": ("yes",)},
        says="A picture on an external screen: the board makes one.",
        layers={Layer.BOARD: _S},
    ),
    Proof(
        id="diagnosis.no-external",
        when={"external": ("no",), "battery": ("ok",)},
        says="No picture on an external screen either.",
        layers={},
        suspects=(Layer.BOARD,),
    ),
    Proof(
        id="diagnosis.camera",
        when={"image": ("lines",), "camera": ("yes",)},
        says="Lines seen only through a camera are its frame rate beating against the refresh: no fault.",
        layers={Layer.PANEL: _S},
    ),
    Proof(
        id="diagnosis.lines",
        when={"image": ("lines", "white"), "earlier": ("no",), "camera": ("no",)},
        says="Lines or white on a device that nobody opened: the panel or its connector.",
        layers={},
        suspects=(Layer.PANEL, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.reseat-first",
        when={"image": ("lines", "white"), "earlier": ("yes",)},
        says="Lines or white after an earlier repair: the connectors come before the part.",
        layers={},
        suspects=(Layer.CONNECTOR,),
        first="Power off, reseat the connectors, try again; only then suspect the part.",
    ),
    Proof(
        id="diagnosis.reseat-gone",
        when={"reseat": ("gone",)},
        says="Reseating made it go away: the connector, not the part.",
        layers={Layer.CONNECTOR: _F, Layer.PANEL: _S},
    ),
    Proof(
        id="diagnosis.reseat-same",
        when={"reseat": ("same",), "image": ("lines", "white")},
        says="The fault stays after reseating: the panel.",
        layers={Layer.CONNECTOR: _S, Layer.PANEL: _F},
    ),
    Proof(
        id="diagnosis.blotch",
        when={"image": ("blotch",)},
        says="Blotches or spots lie in the panel.",
        layers={Layer.PANEL: _F},
    ),
    Proof(
        id="diagnosis.liquid",
        when={"liquid": ("tripped", "some")},
        says="A liquid indicator is tripped.",
        layers={},
        suspects=(Layer.BOARD, Layer.CONNECTOR),
        warns="The repair may go ahead; what fails later from the liquid is not promised.",
    ),
    Proof(
        id="diagnosis.frame",
        when={"frame": ("bent",)},
        says="The frame is bent.",
        layers={Layer.FRAME: _F},
        warns="A bent frame makes a new glass crack or lift: straighten or replace it, or promise nothing.",
    ),
    Proof(
        id="diagnosis.frame-straight",
        when={"frame": ("straight",)},
        says="The frame is straight.",
        layers={Layer.FRAME: _S},
    ),
)

RULES = (
    *(
        Rule(
            id=proof.id,
            capability="intake",
            says=" ".join(filter(None, (proof.says, proof.first, proof.warns))),
            source=COMMON,
        )
        for proof in PROOFS
    ),
    Rule(
        id="diagnosis.contradiction",
        capability="intake",
        says=(
            "Observations that prove a layer both sound and faulty are shown as a contradiction; the "
            "layer is then unknown."
        ),
        source=COMMON,
    ),
    Rule(
        id="diagnosis.list",
        capability="intake",
        says=(
            "What was looked at and what the function list says of image and touch must agree; where "
            "they do not, both are shown."
        ),
        source=COMMON,
    ),
    Rule(
        id="diagnosis.next",
        capability="intake",
        says=(
            "The next test is the one that is expected to tell most: the likely causes are weighed "
            "with a table of likelihoods and the question with the largest expected gain of "
            "information comes first, those that need no opening before those that do."
        ),
        source=(
            "expected information by Shannon's entropy (textbook); the likelihoods are rounded guesses "
            "of common practice, no source"
        ),
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerReading:
    """One layer with its reasons. `suspected` says that it is unknown, and the first to look at."""

    layer: Layer
    status: Status
    suspected: bool
    reasons: tuple[str, ...]
    rules: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class NextTest:
    """The question that is expected to tell most, in bits, and how it is done."""

    question: str
    asks: str
    how: str
    bits: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    name: str
    share: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Diagnosis:
    layers: tuple[LayerReading, ...]
    first: tuple[str, ...]
    warnings: tuple[str, ...]
    contradictions: tuple[Fact, ...]
    causes: tuple[Cause, ...]
    next_test: NextTest | None
    routes: tuple[Fact, ...]
    says: Say


def diagnose(observed: Mapping[str, str]) -> Diagnosis:
    """Read the observations; the order in which they were made does not matter, and what is not observed
    proves nothing.

    >>> read = diagnose({"image": "none", "battery": "flat"})
    >>> [str(state.status) for state in read.layers if state.layer == "panel"]
    ['unknown']
    """
    known = {q.id: observed[q.id] for q in QUESTIONS if observed.get(q.id) in q.answers}
    fired = [
        proof for proof in PROOFS if all(known.get(name) in answers for name, answers in proof.when.items())
    ]
    layers = tuple(_read_layer(layer, fired, known) for layer in Layer)
    causes = causes_by_share(known)
    return Diagnosis(
        layers=layers,
        first=tuple(proof.first for proof in fired if proof.first),
        warnings=tuple(proof.warns for proof in fired if proof.warns),
        contradictions=(*_contradictions(fired), *_list_contradictions(observed)),
        causes=tuple(Cause(name=name, share=share) for name, share in causes[:3] if share >= 0.05)
        if known
        else (),
        next_test=_next_test(known),
        routes=_routes(layers, known),
        says=_says(layers, fired),
    )


def _read_layer(layer: Layer, fired: Sequence[Proof], known: Mapping[str, str]) -> LayerReading:
    proved = {proof.layers[layer] for proof in fired if layer in proof.layers}
    about = [proof for proof in fired if layer in proof.layers or layer in proof.suspects]
    if known.get("battery") == "flat" and known.get("image") == "none":
        about += [proof for proof in fired if proof.id == "diagnosis.flat-battery" and proof not in about]
    status = next(iter(proved)) if len(proved) == 1 else Status.UNKNOWN
    if layer is Layer.BATTERY and known.get("battery") == "ok" and not proved:
        status = Status.SOUND
    return LayerReading(
        layer=layer,
        status=status,
        reasons=tuple(p.says for p in about),
        rules=tuple(p.id for p in about),
        suspected=status is Status.UNKNOWN and any(layer in proof.suspects for proof in fired),
    )


def _contradictions(fired: Sequence[Proof]) -> list[Fact]:
    contradictions = []
    for layer in Layer:
        sound = [p.says for p in fired if p.layers.get(layer) is Status.SOUND]
        faulty = [p.says for p in fired if p.layers.get(layer) is Status.FAULTY]
        if sound and faulty:
            contradictions.append(
                fact("intake.against-look-again", layer=layer, sound=sound[0], faulty=faulty[0])
            )
    return contradictions


def _list_contradictions(observed: Mapping[str, str]) -> list[Fact]:
    """Where the look and the function list say different things of the same (rule diagnosis.list)."""
    contradictions = []
    for name, listed in IN_LIST.items():
        question, seen, ticked = QUESTION_BY_ID[name], observed.get(name, ""), observed.get(listed, "")
        only_in_photo = name == "image" and seen == "lines" and observed.get("camera") == "yes"
        if seen not in question.answers or ticked not in ("works", "faulty") or only_in_photo:
            continue
        if (seen == "fine") is (ticked == "faulty"):
            says = question.answers[seen]
            contradictions.append(
                fact("intake.looked-list-look-again", asks=question.asks, says=says, ticked=ticked)
            )
    return contradictions


def _routes(layers: Sequence[LayerReading], known: Mapping[str, str]) -> tuple[Fact, ...]:
    """Routes in rough; quoting weighs them."""
    at = {layer.layer: layer for layer in layers}

    def bad(layer: Layer) -> bool:
        return at[layer].status is Status.FAULTY or at[layer].suspected

    if known.get("battery") == "flat":
        return (fact("intake.charge-first-then-look-again"),)
    if (
        at[Layer.GLASS].status is Status.FAULTY
        and at[Layer.TOUCH].status is at[Layer.PANEL].status is Status.SOUND
    ):
        return fact("intake.glass-only"), fact("intake.whole-front")
    if known.get("image") == "lines" and known.get("camera") == "yes":
        return (fact("intake.no-fault-found"),)
    if at[Layer.CONNECTOR].status is Status.FAULTY:
        return (fact("intake.reseat-replace-flex"),)
    routes = []
    if at[Layer.CONNECTOR].suspected and known.get("reseat") is None:
        routes.append(fact("intake.reseat-connectors"))
    if bad(Layer.PANEL) or bad(Layer.BACKLIGHT):
        routes += [fact("intake.panel-whole-front")]
    if bad(Layer.TOUCH):
        routes.append(fact("intake.glass-touch-whole-front"))
    if bad(Layer.BOARD) and not bad(Layer.PANEL):
        routes.append(fact("intake.not-screen-board-battery-first"))
    return tuple(routes)


# parts that leave the old panel in
_GLASS = frozenset({"glass", "glass and touch"})
_TOLD_BY_PARTS: Mapping[str, Callable[[str], bool]] = {
    "intake.glass-only": lambda kind: kind in _GLASS,
    "intake.whole-front": lambda kind: kind not in _GLASS,
    "intake.panel-whole-front": lambda kind: kind not in _GLASS,
    "intake.glass-touch-whole-front": lambda kind: kind != "glass",
}


def ways_told(model: Model, routes: Sequence[Fact]) -> tuple[Say, ...]:
    """The routes in rough as this model has them: only ways that its catalogue page names (rule
    intake.ways-told). What needs no part, such as reseating, is told as it is.
    """
    told: list[Say] = []
    for route in routes:
        brings = _TOLD_BY_PARTS.get(route.id)
        told += [way.name for way in model.ways if brings(way.kind)] if brings else [route]
    return tuple(dict.fromkeys(told))


def _says(layers: Sequence[LayerReading], fired: Sequence[Proof]) -> Say:
    faulty = tuple(layer.layer for layer in layers if layer.status is Status.FAULTY)
    suspected = tuple(layer.layer for layer in layers if layer.suspected)
    if not faulty and not suspected:
        return fact("intake.nothing-proved-faulty") if fired else fact("intake.nothing-observed-yet")
    return sentences(
        [
            fact("intake.faulty", layers=faulty) if faulty else None,
            fact("intake.suspected", layers=suspected) if suspected else None,
        ]
    )


# A test that is expected to tell less than this is not worth the minute; the shop's, no source.
_WORTH_BITS = 0.05


def _next_test(known: Mapping[str, str]) -> NextTest | None:
    """The open question that is expected to tell most. With a flat battery everything else waits for the
    charger.
    """
    if known.get("battery") == "flat":
        question = QUESTION_BY_ID["battery"]
        return NextTest(
            question="battery",
            asks=question.asks,
            how=question.how,
            bits=entropy(list(weights_of({}).values())),
        )
    open_questions = [q for q in QUESTIONS if q.id not in known and _sensible(q.id, known)]
    # what can be seen from outside comes before what has to be opened
    worth = [
        (q.opens, -round(bits, 9), q.id, bits, q)
        for q in open_questions
        if (bits := expected_bits(known, q.id)) >= _WORTH_BITS
    ]
    if not worth:
        return None
    bits, best = min(worth)[3:]
    return NextTest(question=best.id, asks=best.asks, how=best.how, bits=bits)


def _sensible(question: str, known: Mapping[str, str]) -> bool:
    """Whether a question has an answer yet: no torch on a picture that is fine, no reseating before a fault
    is seen.
    """
    image = known.get("image")
    if question in ("torch", "reacts", "external"):
        return image in (None, "none", "faint", "thread")
    if question == "camera":
        return image == "lines"
    if question == "reseat":
        return image in ("lines", "white", "none") or known.get("touch") in ("dead", "part", "ghost")
    return True
