"""What is broken behind the glass: observations → each layer sound, faulty or unknown, and the next test that tells most.

Two things side by side. Rules say what an observation proves, and are listed for the user. A table of likelihoods ranks the causes
and chooses the next question by the information it is expected to bring; it proves nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.values import COMMON, Rule


class Layer(StrEnum):
    GLASS = "glass"
    TOUCH = "touch"
    PANEL = "panel"
    BACKLIGHT = "backlight or its supply"
    CONNECTOR = "connector or flex"
    BATTERY = "battery"
    BOARD = "board"
    FRAME = "frame"


class Status(StrEnum):
    SOUND = "sound"
    FAULTY = "faulty"
    UNKNOWN = "unknown"


@dataclass(frozen=True, slots=True, kw_only=True)
class Question:
    """Something to look at or try: its answers, and how it is done. `opens` = the device has to be opened for it."""

    id: str
    asks: str
    answers: Mapping[str, str]
    how: str
    opens: bool = False


QUESTIONS: tuple[Question, ...] = (
    Question(id="glass", asks="Front glass", answers={"whole": "whole", "broken": "broken"}, how="Look at it and draw what is broken."),
    Question(id="battery", asks="Battery", answers={"ok": "charged", "flat": "flat"},
             how="Charge it for ten minutes with a charger that is known to work, then try again."),
    Question(id="image", asks="Image",
             answers={"fine": "fine", "none": "none, black", "faint": "very faint", "lines": "lines or bars", "thread": "black with one thin coloured line",
                      "white": "white or flashing", "blotch": "blotches or spots"},
             how="Switch it on and look at a white, a black and a coloured field."),
    Question(id="touch", asks="Touch", answers={"fine": "fine everywhere", "dead": "dead", "part": "dead in places", "ghost": "touches by itself"},
             how="Drag an icon along all edges and across."),
    Question(id="reacts", asks="Reacts though black?", answers={"yes": "yes", "no": "no"},
             how="Ring it, press its keys, plug a charger in: does it vibrate, ring or light up?"),
    Question(id="external", asks="On an external screen?", answers={"yes": "yes", "no": "no"},
             how="Connect a known good screen or cast to one."),
    Question(id="torch", asks="Faint under a torch?", answers={"yes": "yes", "no": "no"},
             how="Hold a torch flat against the panel in a dark corner: is there a picture?"),
    Question(id="camera", asks="Lines only in the photo?", answers={"yes": "only in the photo", "no": "with the eye too"},
             how="Look with the eye, not through a camera: its frame rate beats against the refresh."),
    Question(id="earlier", asks="Opened before?", answers={"yes": "yes", "no": "no"},
             how="Look for loose adhesive, wrong screws, a lifted edge."),
    Question(id="reseat", asks="After reseating", answers={"gone": "the fault is gone", "same": "the fault is the same"},
             how="Power off, lift every screen connector, press it home, try again. Battery off first, on last.", opens=True),
    Question(id="liquid", asks="Liquid indicators", answers={"white": "not tripped", "tripped": "tripped"},
             how="Look at every indicator with a torch."),
    Question(id="frame", asks="Frame", answers={"straight": "straight", "bent": "bent"},
             how="Lay it on glass: does it rock? Look along the edges."),
)  # fmt: skip
_BY_ID = {question.id: question for question in QUESTIONS}


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """A rule of diagnosis: when all of `when` is observed, these layers are so. `first` is what to do before anything else."""

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
    Proof(id="diagnosis.glass", when={"glass": ("broken",)}, says="The glass is broken.", layers={Layer.GLASS: _F}),
    Proof(id="diagnosis.glass-whole", when={"glass": ("whole",)}, says="The glass is whole.", layers={Layer.GLASS: _S}),
    Proof(id="diagnosis.image-fine", when={"image": ("fine",)},
          says="A clean picture: panel, backlight and their connector work.",
          layers={Layer.PANEL: _S, Layer.BACKLIGHT: _S, Layer.BOARD: _S, Layer.BATTERY: _S}),
    Proof(id="diagnosis.touch-fine", when={"touch": ("fine",)}, says="Touch answers everywhere.", layers={Layer.TOUCH: _S}),
    Proof(id="diagnosis.glass-only", when={"glass": ("broken",), "image": ("fine",), "touch": ("fine",)},
          says="Glass broken, image and touch fine: only the glass.",
          layers={Layer.GLASS: _F, Layer.TOUCH: _S, Layer.PANEL: _S, Layer.CONNECTOR: _S}),
    Proof(id="diagnosis.flat-battery", when={"battery": ("flat",)},
          says="A flat battery shows nothing of what lies behind it: a black screen is not testable, neither fine nor broken.",
          layers={}, first="Charge it first, then test again."),
    Proof(id="diagnosis.touch-dead", when={"image": ("fine",), "touch": ("dead", "part", "ghost")},
          says="The picture is fine and touch is not: the touch layer or its connector.", layers={}, suspects=(Layer.TOUCH, Layer.CONNECTOR)),
    Proof(id="diagnosis.thread", when={"image": ("thread",)},
          says="A thin coloured line on an otherwise black panel comes from the panel.", layers={}, suspects=(Layer.PANEL,)),
    Proof(id="diagnosis.torch", when={"torch": ("yes",)},
          says="A faint picture under a torch: the backlight or its fuse, not the panel.", layers={Layer.BACKLIGHT: _F, Layer.PANEL: _S, Layer.BOARD: _S}),
    Proof(id="diagnosis.faint", when={"image": ("faint",)},
          says="A very faint picture: the backlight or its supply is suspected.", layers={}, suspects=(Layer.BACKLIGHT,)),
    Proof(id="diagnosis.black-reacts", when={"image": _BLACK, "battery": ("ok",), "reacts": ("yes",)},
          says="Black, charged, and it reacts: the board runs, the screen or its connector does not.",
          layers={Layer.BOARD: _S, Layer.BATTERY: _S}, suspects=(Layer.PANEL, Layer.BACKLIGHT, Layer.CONNECTOR)),
    Proof(id="diagnosis.black-silent", when={"image": _BLACK, "battery": ("ok",), "reacts": ("no",)},
          says="Black, charged, and nothing reacts: do not blame the screen yet.", layers={}, suspects=(Layer.BOARD, Layer.BATTERY)),
    Proof(id="diagnosis.external", when={"external": ("yes",)},
          says="A picture on an external screen: the board makes one.", layers={Layer.BOARD: _S}),
    Proof(id="diagnosis.no-external", when={"external": ("no",), "battery": ("ok",)},
          says="No picture on an external screen either.", layers={}, suspects=(Layer.BOARD,)),
    Proof(id="diagnosis.camera", when={"image": ("lines",), "camera": ("yes",)},
          says="Lines seen only through a camera are its frame rate beating against the refresh: no fault.", layers={Layer.PANEL: _S}),
    Proof(id="diagnosis.lines", when={"image": ("lines", "white"), "earlier": ("no",), "camera": ("no",)},
          says="Lines or white on a device that nobody opened: the panel or its connector.", layers={}, suspects=(Layer.PANEL, Layer.CONNECTOR)),
    Proof(id="diagnosis.reseat-first", when={"image": ("lines", "white"), "earlier": ("yes",)},
          says="Lines or white after an earlier repair: the connectors come before the part.", layers={}, suspects=(Layer.CONNECTOR,),
          first="Power off, reseat the connectors, try again; only then suspect the part."),
    Proof(id="diagnosis.reseat-gone", when={"reseat": ("gone",)},
          says="Reseating made it go away: the connector, not the part.", layers={Layer.CONNECTOR: _F, Layer.PANEL: _S}),
    Proof(id="diagnosis.reseat-same", when={"reseat": ("same",), "image": ("lines", "white")},
          says="The fault stays after reseating: the panel.", layers={Layer.CONNECTOR: _S, Layer.PANEL: _F}),
    Proof(id="diagnosis.blotch", when={"image": ("blotch",)},
          says="Blotches or spots lie in the panel.", layers={Layer.PANEL: _F}),
    Proof(id="diagnosis.liquid", when={"liquid": ("tripped",)}, says="A liquid indicator is tripped.", layers={},
          suspects=(Layer.BOARD, Layer.CONNECTOR), warns="The repair may go ahead; what fails later from the liquid is not promised."),
    Proof(id="diagnosis.frame", when={"frame": ("bent",)}, says="The frame is bent.", layers={Layer.FRAME: _F},
          warns="A bent frame makes a new glass crack or lift: straighten or replace it, or promise nothing."),
    Proof(id="diagnosis.frame-straight", when={"frame": ("straight",)}, says="The frame is straight.", layers={Layer.FRAME: _S}),
)  # fmt: skip

RULES = (
    *(Rule(id=proof.id, capability="intake", says=" ".join(filter(None, (proof.says, proof.first, proof.warns))), source=COMMON) for proof in PROOFS),
    Rule(id="diagnosis.contradiction", capability="intake",
         says="Observations that prove a layer both sound and faulty are shown as a contradiction; the layer is then unknown.", source=COMMON),
    Rule(id="diagnosis.list", capability="intake",
         says="What was looked at and what the function list says of image and touch must agree; where they do not, both are shown.", source=COMMON),
    Rule(id="diagnosis.next", capability="intake",
         says="The next test is the one that is expected to tell most: the likely causes are weighed with a table of likelihoods and the question with the largest expected gain of information comes first, those that need no opening before those that do.",
         source="expected information by Shannon's entropy (textbook); the likelihoods are rounded guesses of common practice, no source"),
)  # fmt: skip


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
    contradictions: tuple[str, ...]
    causes: tuple[Cause, ...]
    next_test: NextTest | None
    routes: tuple[str, ...]
    says: str


# What the function list says beside the look: kept apart, so that the two can be held against each other.
IN_LIST = {"image": "image_in_list", "touch": "touch_in_list"}
# what a mark on the picture, the touch layer or the frame says when nothing was answered
_DRAWN = {
    MarkKind.LINE: ("image", "lines"), MarkKind.BLOTCH: ("image", "blotch"), MarkKind.DEAD: ("touch", "part"), MarkKind.BEND: ("frame", "bent"),
}  # fmt: skip


def observed_from(
    answers: Mapping[str, str], *, marks: Sequence[Mark], opened_before: bool, functions: Mapping[str, str]
) -> dict[str, str]:
    """Everything observed: what was answered, and what the drawing, the tick and the function list already say.

    An answer that was given stays; broken glass that was drawn is broken whatever was answered.
    """
    found = {
        name: answer for name, answer in answers.items() if name in _BY_ID and answer in _BY_ID[name].answers
    }
    if any(mark.breaks_glass for mark in marks):
        found["glass"] = "broken"
    for mark in marks:
        if mark.kind in _DRAWN:
            found.setdefault(*_DRAWN[mark.kind])
    if opened_before:
        found["earlier"] = "yes"
    for name, listed in IN_LIST.items():
        if functions.get(name) in ("works", "faulty"):
            found[listed] = functions[name]
        if functions.get(name) == "works":
            found.setdefault(name, "fine")
    return found


def check_observations(observed: Mapping[str, str]) -> list[Invalid]:
    """Answers that are none; an empty answer is unknown."""
    return [
        Invalid(
            f"look.{name}",
            answer,
            f"choose one of: {', '.join(_BY_ID[name].answers.values())}, or leave it open",
        )
        for name, answer in observed.items()
        if name in _BY_ID and answer and answer not in _BY_ID[name].answers
    ]


def diagnose(observed: Mapping[str, str]) -> Diagnosis:
    """Read the observations; the order in which they were made does not matter, and what is not observed proves nothing.

    >>> [str(one.status) for one in diagnose({"image": "none", "battery": "flat"}).layers if one.layer == "panel"]
    ['unknown']
    """
    known = {q.id: observed[q.id] for q in QUESTIONS if observed.get(q.id) in q.answers}
    fired = [
        proof for proof in PROOFS if all(known.get(name) in answers for name, answers in proof.when.items())
    ]
    layers = tuple(_read_layer(layer, fired, known) for layer in Layer)
    causes = _causes(known)
    return Diagnosis(
        layers=layers,
        first=tuple(proof.first for proof in fired if proof.first),
        warnings=tuple(proof.warns for proof in fired if proof.warns),
        contradictions=(*_contradictions(fired), *_list_contradictions(observed)),
        causes=tuple(Cause(name=name, share=share) for name, share in causes[:3] if share >= 0.05) if known else (),
        next_test=_next_test(known), routes=_routes(layers, known), says=_says(layers, fired),
    )  # fmt: skip


def _read_layer(layer: Layer, fired: Sequence[Proof], known: Mapping[str, str]) -> LayerReading:
    proved = {proof.layers[layer] for proof in fired if layer in proof.layers}
    about = [proof for proof in fired if layer in proof.layers or layer in proof.suspects]
    if known.get("battery") == "flat" and known.get("image") == "none":
        about += [proof for proof in fired if proof.id == "diagnosis.flat-battery" and proof not in about]
    status = next(iter(proved)) if len(proved) == 1 else Status.UNKNOWN
    if layer is Layer.BATTERY and known.get("battery") == "ok" and not proved:
        status = Status.SOUND
    return LayerReading(
        layer=layer, status=status, reasons=tuple(p.says for p in about), rules=tuple(p.id for p in about),
        suspected=status is Status.UNKNOWN and any(layer in proof.suspects for proof in fired),
    )  # fmt: skip


def _contradictions(fired: Sequence[Proof]) -> list[str]:
    found = []
    for layer in Layer:
        sound = [p.says for p in fired if p.layers.get(layer) is Status.SOUND]
        faulty = [p.says for p in fired if p.layers.get(layer) is Status.FAULTY]
        if sound and faulty:
            found.append(f"{layer.value.capitalize()}: “{sound[0]}” against “{faulty[0]}” Look again.")
    return found


def _list_contradictions(observed: Mapping[str, str]) -> list[str]:
    """Where the look and the function list say different things of the same (rule diagnosis.list)."""
    found = []
    for name, listed in IN_LIST.items():
        question, seen, ticked = _BY_ID[name], observed.get(name, ""), observed.get(listed, "")
        only_in_photo = name == "image" and seen == "lines" and observed.get("camera") == "yes"
        if seen not in question.answers or ticked not in ("works", "faulty") or only_in_photo:
            continue
        if (seen == "fine") is (ticked == "faulty"):
            says = question.answers[seen]
            found.append(f"{question.asks}: looked at as “{says}”, in the list as “{ticked}”. Look again.")
    return found


def _routes(layers: Sequence[LayerReading], known: Mapping[str, str]) -> tuple[str, ...]:
    """Routes in rough; quoting weighs them."""
    at = {one.layer: one for one in layers}

    def bad(layer: Layer) -> bool:
        return at[layer].status is Status.FAULTY or at[layer].suspected

    if known.get("battery") == "flat":
        return ("charge first, then look again",)
    if (
        at[Layer.GLASS].status is Status.FAULTY
        and at[Layer.TOUCH].status is at[Layer.PANEL].status is Status.SOUND
    ):
        return ("glass only", "whole front")
    if known.get("image") == "lines" and known.get("camera") == "yes":
        return ("no fault found",)
    if at[Layer.CONNECTOR].status is Status.FAULTY:
        return ("reseat or replace the flex",)
    routes = []
    if at[Layer.CONNECTOR].suspected and known.get("reseat") is None:
        routes.append("reseat the connectors")
    if bad(Layer.PANEL) or bad(Layer.BACKLIGHT):
        routes += ["panel or whole front"]
    if bad(Layer.TOUCH):
        routes.append("glass and touch, or whole front")
    if bad(Layer.BOARD) and not bad(Layer.PANEL):
        routes.append("not the screen: board or battery first")
    return tuple(routes)


def _says(layers: Sequence[LayerReading], fired: Sequence[Proof]) -> str:
    faulty = [one.layer.value for one in layers if one.status is Status.FAULTY]
    suspected = [one.layer.value for one in layers if one.suspected]
    said = []
    if faulty:
        said.append(f"Faulty: {', '.join(faulty)}.")
    if suspected:
        said.append(f"Suspected: {', '.join(suspected)}.")
    return " ".join(said) or ("Nothing is proved faulty." if fired else "Nothing is observed yet.")


# -- likelihoods: they rank and choose, and prove nothing -------------------------------------

# How often each cause is met among screen repairs, and how likely each answer is when it is the cause; answers not given share
# what is left. Rounded guesses of common practice, no source.
_PRIORS: Mapping[str, float] = {
    "glass only": 0.38, "touch layer": 0.12, "panel": 0.22, "backlight": 0.05, "connector": 0.08, "flat battery": 0.07,
    "board": 0.05, "camera artefact": 0.03,
}  # fmt: skip
_LIKELY: Mapping[str, Mapping[str, Mapping[str, float]]] = {
    "glass only": {"glass": {"broken": 0.99}, "image": {"fine": 0.95}, "touch": {"fine": 0.93}, "battery": {"ok": 0.93}, "reacts": {"yes": 0.97}, "external": {"yes": 0.97},
                   "torch": {"no": 0.98}, "camera": {"no": 0.9}, "reseat": {"same": 0.95}, "earlier": {"no": 0.8}, "liquid": {"white": 0.95}, "frame": {"straight": 0.8}},
    "touch layer": {"glass": {"broken": 0.7}, "image": {"fine": 0.9}, "touch": {"dead": 0.4, "part": 0.4, "ghost": 0.17}, "battery": {"ok": 0.93}, "reacts": {"yes": 0.97},
                    "external": {"yes": 0.97}, "torch": {"no": 0.98}, "reseat": {"same": 0.85}, "earlier": {"no": 0.7}, "liquid": {"white": 0.85}, "frame": {"straight": 0.8}},
    "panel": {"glass": {"broken": 0.7}, "image": {"none": 0.35, "lines": 0.25, "blotch": 0.2, "thread": 0.1, "white": 0.07}, "touch": {"fine": 0.5, "dead": 0.3}, "battery": {"ok": 0.9},
              "reacts": {"yes": 0.93}, "external": {"yes": 0.97}, "torch": {"no": 0.93}, "camera": {"no": 0.95}, "reseat": {"same": 0.95}, "earlier": {"no": 0.7},
              "liquid": {"white": 0.85}, "frame": {"straight": 0.75}},
    "backlight": {"glass": {"whole": 0.6}, "image": {"none": 0.55, "faint": 0.42}, "touch": {"fine": 0.8}, "battery": {"ok": 0.9}, "reacts": {"yes": 0.97}, "external": {"yes": 0.97},
                  "torch": {"yes": 0.93}, "reseat": {"same": 0.9}, "earlier": {"no": 0.6}, "liquid": {"white": 0.7}, "frame": {"straight": 0.9}},
    "connector": {"glass": {"whole": 0.6}, "image": {"none": 0.4, "lines": 0.3, "white": 0.22}, "touch": {"dead": 0.5, "fine": 0.35}, "battery": {"ok": 0.9}, "reacts": {"yes": 0.97},
                  "external": {"yes": 0.97}, "torch": {"no": 0.9}, "camera": {"no": 0.95}, "reseat": {"gone": 0.9}, "earlier": {"yes": 0.7}, "liquid": {"white": 0.8},
                  "frame": {"straight": 0.85}},
    "flat battery": {"glass": {"broken": 0.5}, "image": {"none": 0.97}, "touch": {"dead": 0.9}, "battery": {"flat": 0.97}, "reacts": {"no": 0.9}, "external": {"no": 0.95},
                     "torch": {"no": 0.98}, "reseat": {"same": 0.97}, "earlier": {"no": 0.8}, "liquid": {"white": 0.9}, "frame": {"straight": 0.85}},
    "board": {"glass": {"whole": 0.6}, "image": {"none": 0.9}, "touch": {"dead": 0.85}, "battery": {"ok": 0.8}, "reacts": {"no": 0.7}, "external": {"no": 0.9}, "torch": {"no": 0.95},
              "reseat": {"same": 0.97}, "earlier": {"no": 0.7}, "liquid": {"tripped": 0.5}, "frame": {"straight": 0.7}},
    "camera artefact": {"glass": {"whole": 0.9}, "image": {"lines": 0.97}, "touch": {"fine": 0.97}, "battery": {"ok": 0.97}, "reacts": {"yes": 0.99}, "external": {"yes": 0.99},
                        "torch": {"no": 0.99}, "camera": {"yes": 0.97}, "reseat": {"same": 0.97}, "earlier": {"yes": 0.5}, "liquid": {"white": 0.95}, "frame": {"straight": 0.95}},
}  # fmt: skip


def likelihood(cause: str, question: str, answer: str) -> float:
    """How likely an answer is when this is the cause; answers the table does not name share what is left."""
    answers = _BY_ID[question].answers
    given = _LIKELY[cause].get(question, {})
    if answer in given:
        return given[answer]
    others = len(answers) - len(given)
    return (1 - sum(given.values())) / others if others else 0.0


def _weights(known: Mapping[str, str]) -> dict[str, float]:
    """How much each cause weighs after what is known, one by one in the fixed order of the questions."""
    weights = {
        cause: prior
        * math.prod(max(likelihood(cause, q.id, known[q.id]), 1e-4) for q in QUESTIONS if q.id in known)
        for cause, prior in _PRIORS.items()
    }
    total = sum(weights.values())
    return {cause: weight / total for cause, weight in weights.items()}


def _causes(known: Mapping[str, str]) -> list[tuple[str, float]]:
    return sorted(_weights(known).items(), key=lambda one: (-one[1], one[0]))


def entropy(shares: Sequence[float]) -> float:
    """Shannon's entropy of a distribution, in bits.

    >>> entropy([0.5, 0.5])
    1.0
    """
    return -sum(share * math.log2(share) for share in shares if share > 0)


def expected_bits(known: Mapping[str, str], question: str) -> float:
    """How much the entropy of the causes is expected to fall when a question is answered; never negative."""
    weights = _weights(known)
    before = entropy(list(weights.values()))
    after = 0.0
    for answer in _BY_ID[question].answers:
        chance = sum(weight * likelihood(cause, question, answer) for cause, weight in weights.items())
        if chance > 0:
            after += chance * entropy(list(_weights({**known, question: answer}).values()))
    return max(0.0, before - after)


# A test that is expected to tell less than this is not worth the minute; the shop's, no source.
_WORTH_BITS = 0.05


def _next_test(known: Mapping[str, str]) -> NextTest | None:
    """The open question that is expected to tell most. With a flat battery everything else waits for the charger."""
    if known.get("battery") == "flat":
        question = _BY_ID["battery"]
        return NextTest(
            question="battery",
            asks=question.asks,
            how=question.how,
            bits=entropy(list(_weights({}).values())),
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
    """Whether a question has an answer yet: no torch on a picture that is fine, no reseating before a fault is seen."""
    image = known.get("image")
    if question in ("torch", "reacts", "external"):
        return image in (None, "none", "faint", "thread")
    if question == "camera":
        return image == "lines"
    if question == "reseat":
        return image in ("lines", "white", "none") or known.get("touch") in ("dead", "part", "ghost")
    return True
