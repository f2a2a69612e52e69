"""How likely each cause is after what was observed: ranks causes, chooses the next question, proves
nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from sutura.core.intake.layers import ARTEFACT, EVERYTHING, NO_FAULT, SETTING, Has, possible_causes
from sutura.core.intake.observations import LIKE, QUESTIONS, as_seen, telling

# How often each cause is met among screen repairs, and how likely each answer is when it is the cause;
# answers not given share what is left. Rounded guesses of common practice, no source.
_PRIORS: Mapping[str, float] = {
    "glass only": 0.38,
    "touch layer": 0.12,
    "panel": 0.21,
    "backlight": 0.05,
    "connector": 0.08,
    "flat battery": 0.07,
    "board": 0.05,
    ARTEFACT: 0.02,
    SETTING: 0.01,
    NO_FAULT: 0.01,
}
_LIKELY: Mapping[str, Mapping[str, Mapping[str, float]]] = {
    "glass only": {
        "glass": {"broken": 0.99},
        "image": {"fine": 0.95},
        "touch": {"fine": 0.93},
        "battery": {"ok": 0.93},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.97},
        "external": {"yes": 0.97},
        "torch": {"no": 0.98},
        "camera": {"no": 0.9},
        "reseat": {"same": 0.95},
        "earlier": {"no": 0.8},
        "liquid": {"white": 0.95},
        "frame": {"straight": 0.8},
    },
    "touch layer": {
        "glass": {"broken": 0.7},
        "image": {"fine": 0.9},
        "touch": {"dead": 0.38, "part": 0.38, "ghost": 0.17, "comes": 0.05},
        "battery": {"ok": 0.93},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.97},
        "external": {"yes": 0.97},
        "torch": {"no": 0.98},
        "reseat": {"same": 0.85},
        "earlier": {"no": 0.7},
        "liquid": {"white": 0.85},
        "frame": {"straight": 0.8},
    },
    "panel": {
        "glass": {"broken": 0.7},
        "image": {"none": 0.34, "lines": 0.24, "blotch": 0.2, "thread": 0.1, "white": 0.06, "comes": 0.02},
        "touch": {"fine": 0.5, "dead": 0.3},
        "battery": {"ok": 0.9},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.93},
        "external": {"yes": 0.97},
        "torch": {"no": 0.93},
        "camera": {"no": 0.95},
        "reseat": {"same": 0.95},
        "earlier": {"no": 0.7},
        "liquid": {"white": 0.85},
        "frame": {"straight": 0.75},
    },
    "backlight": {
        "glass": {"whole": 0.6},
        "image": {"none": 0.54, "faint": 0.4, "comes": 0.04},
        "touch": {"fine": 0.8},
        "battery": {"ok": 0.9},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.97},
        "external": {"yes": 0.97},
        "torch": {"yes": 0.93},
        "reseat": {"same": 0.9},
        "earlier": {"no": 0.6},
        "liquid": {"white": 0.7},
        "frame": {"straight": 0.9},
    },
    "connector": {
        "glass": {"whole": 0.6},
        "image": {"none": 0.28, "lines": 0.22, "white": 0.14, "fine": 0.2, "comes": 0.14},
        "touch": {"dead": 0.4, "fine": 0.35, "part": 0.08, "comes": 0.12},
        "battery": {"ok": 0.9},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.97},
        "external": {"yes": 0.97},
        "torch": {"no": 0.9},
        "camera": {"no": 0.95},
        "provoke": {"yes": 0.8},
        "reseat": {"gone": 0.9},
        "earlier": {"yes": 0.7},
        "liquid": {"white": 0.8},
        "frame": {"straight": 0.85},
    },
    "flat battery": {
        "glass": {"broken": 0.5},
        "image": {"none": 0.97},
        "touch": {"dead": 0.9},
        "battery": {"flat": 0.97},
        "asleep": {"no": 0.97},
        "reacts": {"no": 0.9},
        "external": {"no": 0.95},
        "torch": {"no": 0.98},
        "reseat": {"same": 0.97},
        "earlier": {"no": 0.8},
        "liquid": {"white": 0.9},
        "frame": {"straight": 0.85},
    },
    "board": {
        "glass": {"whole": 0.6},
        "image": {"none": 0.9},
        "touch": {"dead": 0.85},
        "battery": {"ok": 0.8},
        "asleep": {"no": 0.97},
        "reacts": {"no": 0.7},
        "external": {"no": 0.9},
        "torch": {"no": 0.95},
        "reseat": {"same": 0.97},
        "earlier": {"no": 0.7},
        "liquid": {"tripped": 0.5},
        "frame": {"straight": 0.7},
    },
    NO_FAULT: {
        "glass": {"whole": 0.97},
        "image": {"fine": 0.97},
        "touch": {"fine": 0.97},
        "battery": {"ok": 0.97},
        "asleep": {"no": 0.6},
        "reacts": {"yes": 0.99},
        "external": {"yes": 0.99},
        "torch": {"no": 0.99},
        "camera": {"no": 0.9},
        "reseat": {"same": 0.97},
        "earlier": {"no": 0.7},
        "liquid": {"white": 0.97},
        "frame": {"straight": 0.97},
    },
    SETTING: {
        "glass": {"whole": 0.9},
        "image": {"faint": 0.97},
        "touch": {"fine": 0.97},
        "battery": {"ok": 0.9},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.99},
        "external": {"yes": 0.99},
        "torch": {"no": 0.9},
        "brightness": {"better": 0.97},
        "reseat": {"same": 0.97},
        "earlier": {"no": 0.7},
        "liquid": {"white": 0.95},
        "frame": {"straight": 0.95},
    },
    ARTEFACT: {
        "glass": {"whole": 0.9},
        "image": {"lines": 0.97},
        "touch": {"fine": 0.97},
        "battery": {"ok": 0.97},
        "asleep": {"no": 0.97},
        "reacts": {"yes": 0.99},
        "external": {"yes": 0.99},
        "torch": {"no": 0.99},
        "camera": {"yes": 0.97},
        "reseat": {"same": 0.97},
        "earlier": {"yes": 0.5},
        "liquid": {"white": 0.95},
        "frame": {"straight": 0.95},
    },
}


def likelihood(cause: str, question: str, answer: str) -> float:
    """How likely an answer is when this is the cause; answers the table does not name share what is left."""
    answer = LIKE.get(question, {}).get(answer, answer)
    answers = telling(question)
    given = _LIKELY[cause].get(question, {})
    if answer in given:
        return given[answer]
    others = len(answers) - len(given)
    return (1 - sum(given.values())) / others if others else 0.0


def weights_of(known: Mapping[str, str], has: Has = EVERYTHING) -> dict[str, float]:
    """How much each cause weighs after what is known, one by one in the fixed order of the questions; what is
    not possible is left out, and where nothing is possible there are no causes (rule diagnosis.one-model).
    """
    known = as_seen(known)
    left = possible_causes(known, has)
    weights = {
        cause: prior
        * math.prod(max(likelihood(cause, q.id, known[q.id]), 1e-4) for q in QUESTIONS if q.id in known)
        for cause, prior in _PRIORS.items()
        if cause in left
    }
    total = sum(weights.values())
    return {cause: weight / total for cause, weight in weights.items()}


def causes_by_share(known: Mapping[str, str], has: Has = EVERYTHING) -> list[tuple[str, float]]:
    return sorted(weights_of(known, has).items(), key=lambda cause: (-cause[1], cause[0]))


def entropy(shares: Sequence[float]) -> float:
    """Shannon's entropy of a distribution, in bits.

    >>> entropy([0.5, 0.5])
    1.0
    """
    return -sum(share * math.log2(share) for share in shares if share > 0)


def expected_bits(known: Mapping[str, str], question: str, has: Has = EVERYTHING) -> float:
    """How much the entropy of the causes is expected to fall when a question is answered; never negative."""
    weights = weights_of(known, has)
    before = entropy(list(weights.values()))
    after = 0.0
    for answer in telling(question):
        chance = sum(weight * likelihood(cause, question, answer) for cause, weight in weights.items())
        if chance > 0:
            answered = weights_of({**known, question: answer}, has)
            after += chance * entropy(list(answered.values()))
    return max(0.0, before - after)
