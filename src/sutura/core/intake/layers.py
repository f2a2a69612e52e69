"""What the rules say of each layer, what a device has of them, and which causes that leaves possible."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.catalogue.model import Model
from sutura.core.intake.observations import QUESTION_BY_ID, Layer, Status, as_seen
from sutura.core.intake.proofs import PROOFS, TOUCH_WRONG, WRONG, Proof

# nothing is broken: taken in for an upgrade
NO_FAULT = "no fault"
# nothing is broken: a camera sees what the eye does not, or a picture was turned down
ARTEFACT, SETTING = "camera artefact", "a setting"


@dataclass(frozen=True, slots=True, kw_only=True)
class LayerReading:
    """One layer with its reasons. `suspected` says that it is unknown, and the first to look at."""

    layer: Layer
    status: Status
    suspected: bool
    reasons: tuple[str, ...]
    rules: tuple[str, ...]


# why a black screen on a flat battery says nothing of any layer
_OF_FLAT = frozenset({"diagnosis.flat-battery", "diagnosis.flat-and-dried", "diagnosis.liquid-flat"})
# what each cause breaks; what is no fault breaks nothing
_BROKEN_BY: Mapping[str, Layer | None] = {
    "glass only": Layer.GLASS,
    "touch layer": Layer.TOUCH,
    "panel": Layer.PANEL,
    "backlight": Layer.BACKLIGHT,
    "connector": Layer.CONNECTOR,
    "flat battery": Layer.BATTERY,
    "board": Layer.BOARD,
    ARTEFACT: None,
    SETTING: None,
    NO_FAULT: None,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Has:
    """What a device has of what can break or be tried: its layers, and the tests that can be made on it."""

    layers: frozenset[Layer] = frozenset(Layer)
    tests: frozenset[str] = frozenset(QUESTION_BY_ID)


EVERYTHING = Has()


def has_of(model: Model) -> Has:
    """The layers and tests of a model (rule diagnosis.has): a panel that lights by itself has no backlight, a
    screen without touch nothing to touch, and a watch no plug for another screen.
    """
    technology, touch = (str(model.need.get(name) or "") for name in ("technology", "touch"))
    layers = set(Layer)
    tests = set(QUESTION_BY_ID)
    if "OLED" in technology.upper():
        layers.discard(Layer.BACKLIGHT)
        tests.discard("torch")
    if touch == "none":
        layers.discard(Layer.TOUCH)
        tests.discard("touch")
    if model.device_class == "watch":
        tests.discard("external")
    return Has(layers=frozenset(layers), tests=frozenset(tests))


def proofs_of(known: Mapping[str, str], has: Has = EVERYTHING) -> list[Proof]:
    """The rules that fire after what was observed on a device that has these layers."""
    seen = as_seen(known)
    return [
        proof
        for proof in PROOFS
        if all(seen.get(name) in answers for name, answers in proof.when.items())
        and not any(seen.get(name) in answers for name, answers in proof.unless.items())
        and (proof.having is None or proof.having in has.layers)
        and (proof.lacking is None or proof.lacking not in has.layers)
    ]


def possible_causes(known: Mapping[str, str], has: Has) -> frozenset[str]:
    """The causes that what is known leaves: none of a layer that is sound, none but those of a layer behind
    the glass that is proved faulty, no “glass only” or “no fault” beside a fault, and no touch layer for a
    picture that is wrong (rule diagnosis.one-model).
    """
    known = as_seen(known)
    fired = proofs_of(known, has)
    readings = {layer: read_layer(layer, fired, known) for layer in Layer if layer in has.layers}
    faulty = {layer for layer, reading in readings.items() if reading.status is Status.FAULTY}
    behind = faulty - {Layer.GLASS, Layer.FRAME}
    image_wrong = known.get("image") in WRONG or known.get("image_in_list") == "faulty"
    touch_wrong = known.get("touch") in TOUCH_WRONG or known.get("touch_in_list") == "faulty"
    suspected = any(reading.suspected for reading in readings.values())
    only = {"camera": ARTEFACT, "brightness": SETTING}
    told = {only[name] for name in only if known.get(name) in ("yes", "better") and not image_wrong}
    if told and not faulty and not suspected:
        return frozenset(told)
    left = set()
    for cause, layer in _BROKEN_BY.items():
        if layer is not None and (layer not in readings or readings[layer].status is Status.SOUND):
            continue
        if behind and layer not in behind:
            continue
        left.add(cause)
    if image_wrong or touch_wrong:
        left -= {"glass only", NO_FAULT}
    if image_wrong:
        left -= {"touch layer"}
    if faulty or suspected:
        left -= {NO_FAULT}
    if known.get("image", "lines") != "lines" or known.get("camera") == "no" or touch_wrong:
        left -= {ARTEFACT}
    if known.get("image") != "faint" or known.get("brightness") == "same" or touch_wrong:
        left -= {SETTING}
    return frozenset(left)


def read_layer(layer: Layer, fired: Sequence[Proof], known: Mapping[str, str]) -> LayerReading:
    proved = {proof.layers[layer] for proof in fired if layer in proof.layers}
    about = [proof for proof in fired if layer in proof.layers or layer in proof.suspects]
    if known.get("battery") == "flat" and known.get("image") == "none":
        about += [proof for proof in fired if proof.id in _OF_FLAT and proof not in about]
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
