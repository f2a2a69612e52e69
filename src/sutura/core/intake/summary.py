"""The intake in plain words: what a customer reads on the ticket and can keep."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sutura.core.catalogue.model import Function
from sutura.core.intake.diagnosis import Diagnosis
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.intake.observations import Layer, Status
from sutura.core.values import FunctionResult, Outcome

_BREAKS = {
    MarkKind.IMPACT: ("place where it was hit", "places where it was hit"),
    MarkKind.CRACK: ("crack", "cracks"),
    MarkKind.MISSING: ("place where glass is missing", "places where glass is missing"),
}
_LAYER_WORDS = {
    Layer.GLASS: "the glass",
    Layer.TOUCH: "the touch layer",
    Layer.PANEL: "the display itself",
    Layer.BACKLIGHT: "the light behind the display",
    Layer.CONNECTOR: "a plug or cable",
    Layer.BATTERY: "the battery",
    Layer.BOARD: "the main board",
    Layer.FRAME: "the frame",
}


def summarise(
    marks: Sequence[Mark],
    functions: Sequence[Function],
    results: Mapping[str, FunctionResult],
    diagnosis: Diagnosis,
    *,
    opened_before: bool,
) -> tuple[str, ...]:
    """The state on arrival for the customer: what is damaged, what works, what is thought, what comes next.

    What is not known is said to be not known; nothing is promised here.
    """
    said = [_damage(marks), _tested(functions, results)]
    if opened_before:
        said.append("It was opened before it came to us.")
    said.append(_thought(diagnosis))
    said += [f"Please note: {warning}" for warning in diagnosis.warnings]
    if diagnosis.contradictions:
        said.append("Two things we saw do not go together; we look again before we say more.")
    said += list(diagnosis.first)
    if diagnosis.routes and not diagnosis.first:
        said.append(f"Ways to repair it that we will look at: {'; '.join(diagnosis.routes)}.")
    return tuple(filter(None, said))


def _damage(marks: Sequence[Mark]) -> str:
    glass = [
        f"{len(of)} {_BREAKS[kind][len(of) != 1]}"
        for kind in _BREAKS
        if (of := [mark for mark in marks if mark.kind is kind and mark.side is Side.FRONT])
    ]
    others: dict[str, int] = {}
    for mark in marks:
        if not mark.breaks_glass:
            where = {"front": "", "back": " on the back"}.get(
                mark.side.value, f" on the {mark.side.value} edge"
            )
            named = f"{mark.kind.value}{where}" + (f" ({mark.note})" if mark.note else "")
            others[named] = others.get(named, 0) + 1
    parts = [f"the front glass is broken ({', '.join(glass)})"] if glass else []
    parts += [name if count == 1 else f"{count} × {name}" for name, count in others.items()]
    return f"What we see: {'; '.join(parts)}." if parts else "We see no damage from outside."


def _tested(functions: Sequence[Function], results: Mapping[str, FunctionResult]) -> str:
    def grouped(outcome: Outcome) -> str:
        """The functions with this outcome, those with the same reason together."""
        by_reason: dict[str, list[str]] = {}
        for function in functions:
            if function.id in results and results[function.id].outcome is outcome:
                by_reason.setdefault(results[function.id].reason, []).append(function.name.lower())
        return "; ".join(f"{', '.join(names)} ({reason})" for reason, names in by_reason.items())

    works = sum(result.outcome is Outcome.WORKS for result in results.values())
    tried = sum(result.outcome is not Outcome.NOT_TESTABLE for result in results.values())
    said = []
    if tried:
        said.append(f"Of {tried} things we could try, {works} work{'s' if works == 1 else ''}.")
    if faulty := grouped(Outcome.FAULTY):
        said.append(f"Not working: {faulty}.")
    if unknown := grouped(Outcome.NOT_TESTABLE):
        said.append(f"Could not be tried, so we do not know: {unknown}.")
    return " ".join(said) or "Nothing was tested yet."


def _thought(diagnosis: Diagnosis) -> str:
    def listed(layers: Sequence[Layer]) -> str:
        return ", ".join(_LAYER_WORDS[layer] for layer in layers)

    faulty = [layer.layer for layer in diagnosis.layers if layer.status is Status.FAULTY]
    suspected = [layer.layer for layer in diagnosis.layers if layer.suspected]
    said = []
    if faulty:
        said.append(f"Broken: {listed(faulty)}.")
    if suspected:
        said.append(f"We suspect {listed(suspected)}, but that is not sure yet.")
    return " ".join(said) or "What is broken inside is not known yet."
