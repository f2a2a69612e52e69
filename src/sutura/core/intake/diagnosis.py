"""What is broken behind the glass: observations → each layer sound, faulty or unknown, and the next test that
tells most.

Two things side by side. Rules say what an observation proves, and are listed for the user. A table of
likelihoods ranks the causes
and chooses the next question by the information it is expected to bring; it proves nothing.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from sutura.core.catalogue.model import Model
from sutura.core.facts import Fact, Say, fact, sentences
from sutura.core.intake.layers import EVERYTHING, Has, LayerReading, proofs_of, read_layer
from sutura.core.intake.likelihoods import causes_by_share, expected_bits
from sutura.core.intake.observations import (
    IN_LIST,
    PICTURE,
    QUESTION_BY_ID,
    QUESTIONS,
    Layer,
    Status,
    as_seen,
    is_wet,
)
from sutura.core.intake.proofs import PROOFS, TOUCH_WRONG, WRONG, Proof
from sutura.core.values import COMMON, Rule

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
        id="diagnosis.order",
        capability="intake",
        says=(
            "Liquid inside and no picture: nothing is charged or switched on before it is dry. A flat "
            "battery is charged first, unless there is a picture. Black: charged? asleep or off? does it "
            "react? a torch; only then an external screen, and reseating – at once when it reacts and was "
            "opened before. Lines, white, what comes and goes and touch that is wrong: with the eye too? can "
            "it be made to happen? opened before? an external screen; then reseating, which after a repair "
            "comes at once. Faint: a torch, its brightness turned up. What was done is not asked again."
        ),
        source=COMMON,
    ),
    Rule(
        id="diagnosis.one-model",
        capability="intake",
        says=(
            "Layers, causes and next test go together: a cause of a sound layer weighs nothing, "
            "where a layer "
            "behind the glass is proved faulty only its causes are left, and neither “glass only” "
            "nor “no fault” "
            "stands beside a fault, and no touch layer is the cause of a wrong picture. Picture and touch "
            "fine: the glass is looked at before anything is weighed. A picture that is wrong in a photo "
            "alone, or by a setting, is a fine one."
        ),
        source=COMMON,
    ),
    Rule(
        id="diagnosis.has",
        capability="intake",
        says=(
            "Only what this model has is weighed and tried: no backlight and no torch for a panel "
            "that lights "
            "by itself, no touch where there is none, no external screen for a watch."
        ),
        source=COMMON,
    ),
    Rule(
        id="diagnosis.next",
        capability="intake",
        says=(
            "Of the tests that can be made now the next is the one that is expected to tell most: the "
            "likely causes are weighed with a table of likelihoods, and the question with the largest "
            "expected gain of information comes first."
        ),
        source=(
            "expected information by Shannon's entropy (textbook); the likelihoods are rounded guesses "
            "of common practice, no source"
        ),
    ),
)


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

    @property
    def faulty(self) -> tuple[LayerReading, ...]:
        return tuple(reading for reading in self.layers if reading.status is Status.FAULTY)

    @property
    def suspected(self) -> tuple[LayerReading, ...]:
        return tuple(reading for reading in self.layers if reading.suspected)

    @property
    def sound(self) -> tuple[LayerReading, ...]:
        return tuple(reading for reading in self.layers if reading.status is Status.SOUND)

    @property
    def nothing_is_broken(self) -> bool:
        """Whether the whole screen is proved sound: what is unknown is not."""
        return _nothing_is_broken(self.layers)

    @property
    def not_known(self) -> tuple[LayerReading, ...]:
        """What nothing is known of, not even a suspicion."""
        return tuple(
            reading for reading in self.layers if reading.status is Status.UNKNOWN and not reading.suspected
        )


# the layers that a screen repair is about
OF_THE_SCREEN = frozenset({Layer.GLASS, Layer.TOUCH, Layer.PANEL, Layer.BACKLIGHT, Layer.CONNECTOR})


def _nothing_is_broken(layers: Sequence[LayerReading]) -> bool:
    screen = [reading for reading in layers if reading.layer in OF_THE_SCREEN]
    faulty = any(reading.status is Status.FAULTY for reading in layers)
    return not faulty and all(reading.status is Status.SOUND for reading in screen)


def diagnose(observed: Mapping[str, str], has: Has = EVERYTHING) -> Diagnosis:
    """Read the observations; the order in which they were made does not matter, and what is not observed
    proves nothing.

    >>> read = diagnose({"image": "none", "battery": "flat"})
    >>> [str(state.status) for state in read.layers if state.layer == "panel"]
    ['unknown']
    """
    return _diagnosed(tuple(sorted(observed.items())), has)


@lru_cache(maxsize=512)
def _diagnosed(observations: tuple[tuple[str, str], ...], has: Has) -> Diagnosis:
    """The same observations say the same: a job is looked at more often than its device is."""
    observed = dict(observations)
    known = {q.id: observed[q.id] for q in QUESTIONS if observed.get(q.id) in q.answers}
    known |= {name: observed[name] for name in IN_LIST.values() if observed.get(name) in ("works", "faulty")}
    fired = proofs_of(known, has)
    layers = tuple(read_layer(layer, fired, known) for layer in Layer if layer in has.layers)
    # one look at the glass decides between “glass only” and “no fault”: nothing is weighed before it
    causes = [] if _only_the_glass_is_open(known, has) else causes_by_share(known, has)
    return Diagnosis(
        layers=layers,
        first=tuple(dict.fromkeys(proof.first for proof in fired if proof.first)),
        warnings=tuple(proof.warns for proof in fired if proof.warns),
        contradictions=(*_contradictions(fired), *_list_contradictions(observed)),
        causes=tuple(Cause(name=name, share=share) for name, share in causes[:3] if share >= 0.05)
        if known
        else (),
        next_test=_next_test(known, has),
        routes=_routes(layers, known),
        says=_says(layers, known),
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
    known = as_seen(known)

    def is_(layer: Layer, status: Status) -> bool:
        return layer in at and at[layer].status is status

    def bad(layer: Layer) -> bool:
        return is_(layer, Status.FAULTY) or (layer in at and at[layer].suspected)

    touch_fine = Layer.TOUCH not in at or is_(Layer.TOUCH, Status.SOUND)
    rest_fine = touch_fine and is_(Layer.PANEL, Status.SOUND)
    if is_wet(known):
        return (fact("intake.dry-first-then-look-again"),)
    if (
        is_(Layer.GLASS, Status.FAULTY)
        and rest_fine
        and not bad(Layer.BACKLIGHT)
        and not bad(Layer.CONNECTOR)
    ):
        return fact("intake.glass-only"), fact("intake.whole-front")
    if known.get("battery") == "flat" and known.get("image") not in PICTURE:
        return (fact("intake.charge-first-then-look-again"),)
    only_looks = known.get("camera") == "yes" or known.get("brightness") == "better"
    if known.get("image") == "fine" and only_looks and not any(bad(layer) for layer in at):
        return (fact("intake.no-fault-found"),)
    shattered = is_(Layer.GLASS, Status.FAULTY)
    if is_(Layer.CONNECTOR, Status.FAULTY) and not shattered:
        return (fact("intake.reseat-replace-flex"),)
    if known.get("image") == "none" and known.get("asleep") == "yes":
        return ()
    routes = []
    # no connector mends a shattered glass
    if bad(Layer.CONNECTOR) and not shattered:
        routes.append(fact("intake.reseat-connectors"))
    if bad(Layer.PANEL):
        routes.append(fact("intake.panel-whole-front"))
    if bad(Layer.BACKLIGHT):
        routes.append(fact("intake.backlight-its-fuse-supply"))
    if bad(Layer.TOUCH):
        routes.append(fact("intake.glass-touch-whole-front"))
    if bad(Layer.BOARD) and not bad(Layer.PANEL):
        routes.append(fact("intake.not-screen-board-battery-first"))
    return tuple(routes) or ((fact("intake.whole-front"),) if shattered else ())


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


def _says(layers: Sequence[LayerReading], known: Mapping[str, str]) -> Say:
    faulty = tuple(layer.layer for layer in layers if layer.status is Status.FAULTY)
    suspected = tuple(layer.layer for layer in layers if layer.suspected)
    if _nothing_is_broken(layers) and not suspected:
        return fact("intake.nothing-is-broken")
    if not faulty and not suspected:
        return fact("intake.nothing-proved-faulty") if known else fact("intake.nothing-observed-yet")
    return sentences(
        [
            fact("intake.faulty", layers=faulty) if faulty else None,
            fact("intake.suspected", layers=suspected) if suspected else None,
        ]
    )


# A test that is expected to tell less than this is not worth the minute; the shop's, no source.
_WORTH_BITS = 0.05


# on a black screen one thing is asked after the other, the quick and the likely first
_WHEN_BLACK = ("battery", "asleep", "reacts", "torch", "external", "reseat")
# what is looked at on every device, and tells least of what a picture or touch that is wrong comes from
_LOOKS = ("touch", "glass", "earlier", "liquid", "frame")


def can_be_tried(known: Mapping[str, str], has: Has = EVERYTHING) -> tuple[str, ...]:
    """The tests that can be made now and may tell something (rule diagnosis.order); what was done is not done
    again.
    """
    known = as_seen(known)
    image = known.get("image")
    if is_wet(known):
        # nothing may power it before it is dry; a question that was answered is asked anew
        return ("dried",)
    if known.get("battery") == "flat" and image not in PICTURE:
        return ("battery",)
    if image is None:
        return _open(("image", "glass", "touch"), known, has)
    if known.get("reseat") == "gone":
        return _open(_LOOKS, known, has)
    if image == "none":
        return _when_black(known, has)
    if _only_the_glass_is_open(known, has):
        return ("glass",)
    return _when_wrong(known, has)[:1] or _open(_left(known), known, has)


def _when_wrong(known: Mapping[str, str], has: Has) -> tuple[str, ...]:
    """What is asked one after the other of a picture or a touch layer that is wrong: what needs no opening
    comes before a reseat, but after an earlier repair the connectors come at once.
    """
    image, touch_wrong = known.get("image"), known.get("touch") in TOUCH_WRONG
    opened = known.get("earlier") == "yes"
    asked: list[str] = []
    if image == "lines":
        asked.append("camera")
    if image == "faint":
        asked += ["torch", "brightness"]
    if image == "comes" or known.get("touch") == "comes":
        asked.append("provoke")
    may_be_connector = image in ("lines", "white", "comes") or touch_wrong
    if may_be_connector:
        asked.append("earlier")
    if opened and (touch_wrong or image in WRONG):
        asked.append("reseat")
    if image in ("lines", "white", "faint", "comes"):
        asked.append("external")
    if may_be_connector:
        asked.append("reseat")
    return _open(asked, known, has)


def _left(known: Mapping[str, str]) -> tuple[str, ...]:
    image = known.get("image")
    fault = image in WRONG or known.get("touch") in TOUCH_WRONG
    return (*_LOOKS, "external") if fault and image != "blotch" else _LOOKS


def _only_the_glass_is_open(known: Mapping[str, str], has: Has) -> bool:
    touch_fine = known.get("touch") == "fine" or "touch" not in has.tests
    return known.get("image") == "fine" and touch_fine and "glass" not in known


def _when_black(known: Mapping[str, str], has: Has) -> tuple[str, ...]:
    if known.get("asleep") == "yes":
        return ("image",)
    opened = known.get("earlier") == "yes"
    asked = list(_WHEN_BLACK)
    if known.get("torch") == "yes":
        # a picture under a torch: awake, and the board makes it; only its light is left
        asked = []
    elif known.get("reacts") == "yes":
        # there is power, and it is awake; after a repair the connectors come before anything else
        asked = ["reseat", "torch", "external"] if opened else ["torch", "external", "reseat"]
    elif known.get("reacts") == "no":
        asked.remove("torch")
    return _open(asked, known, has)[:1] or _open(("glass", "earlier", "liquid", "frame"), known, has)


def _open(questions: Iterable[str], known: Mapping[str, str], has: Has) -> tuple[str, ...]:
    """Those of the questions that this device has and nobody answered, in their order."""
    return tuple(dict.fromkeys(name for name in questions if _is_open(name, known, has)))


def _is_open(question: str, known: Mapping[str, str], has: Has) -> bool:
    return question in has.tests and question not in known


def _next_test(known: Mapping[str, str], has: Has) -> NextTest | None:
    """Of the tests that can be made now, the one that is expected to tell most; where only one comes next,
    that one.
    """
    now = can_be_tried(known, has)
    gains = [(-round(expected_bits(known, name, has), 9), place, name) for place, name in enumerate(now)]
    if not gains:
        return None
    gain, _, name = min(gains)
    # one that must come first, such as charging, comes whatever it tells
    if -gain < _WORTH_BITS and len(now) > 1:
        return None
    question = QUESTION_BY_ID[name]
    return NextTest(question=name, asks=question.asks, how=question.how, bits=-gain)
