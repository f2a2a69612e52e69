"""The intake in plain words: what a customer reads on the ticket and can keep."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from sutura.core.catalogue.model import Function, Model
from sutura.core.intake.diagnosis import Diagnosis, ways_told
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.intake.observations import Layer
from sutura.core.intake.upgrades import Upgrade
from sutura.core.values import FunctionResult, Outcome
from sutura.words.speech import Speech

_BREAKS = {
    MarkKind.IMPACT: "{count} {count:place where it was hit|places where it was hit}",
    MarkKind.CRACK: "{count} {count:crack|cracks}",
    MarkKind.MISSING: "{count} {count:place where glass is missing|places where glass is missing}",
}
# for a customer, who knows no layers
_LAYERS = {
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
    model: Model,
    results: Mapping[str, FunctionResult],
    diagnosis: Diagnosis,
    *,
    opened_before: bool,
    speech: Speech,
    upgrade: Upgrade | None = None,
) -> tuple[str, ...]:
    """The state on arrival for the customer: what is damaged, what works, what is thought, what comes next.

    What is not known is said to be not known; nothing is promised here.
    """
    said = [speech.text("You want {upgrade}.", upgrade=upgrade.says)] if upgrade else []
    said += [_damage(marks, speech), _tested(model.functions, results, speech)]
    if opened_before:
        said.append(speech.text("It was opened before it came to us."))
    if not upgrade or diagnosis.faulty or diagnosis.suspected or diagnosis.nothing_is_broken:
        # who wants something better has not brought a fault that is looked for
        said.append(_thought(diagnosis, speech))
    said += [speech.text("Please note: {warning}", warning=warning) for warning in diagnosis.warnings]
    if diagnosis.contradictions:
        said.append(speech.text("Two things we saw do not go together; we look again before we say more."))
    said += [speech.say(first) for first in diagnosis.first]
    if diagnosis.routes and not diagnosis.first:
        routes = ways_told(model, diagnosis.routes)
        said.append(speech.text("Ways to repair it that we will look at: {routes:; }.", routes=routes))
    return tuple(filter(None, said))


def _damage(marks: Sequence[Mark], speech: Speech) -> str:
    glass = [
        speech.text(template, count=count)
        for kind, template in _BREAKS.items()
        if (count := sum(mark.kind is kind and mark.side is Side.FRONT for mark in marks))
    ]
    others: dict[str, int] = {}
    for mark in marks:
        if not mark.breaks_glass:
            named = _named(mark, speech)
            others[named] = others.get(named, 0) + 1
    parts = [speech.text("the front glass is broken ({places})", places=glass)] if glass else []
    parts += [name if count == 1 else f"{count} × {name}" for name, count in others.items()]
    if not parts:
        return speech.text("We see no damage from outside.")
    return speech.text("What we see: {parts:; }.", parts=parts)


def _named(mark: Mark, speech: Speech) -> str:
    named = speech.say(mark.kind)
    if mark.side is Side.BACK:
        named = speech.text("{mark} on the back", mark=named)
    elif mark.side.is_edge:
        named = speech.text("{mark} on the {edge} edge", mark=named, edge=mark.side)
    return f"{named} ({mark.note})" if mark.note else named


def _tested(functions: Sequence[Function], results: Mapping[str, FunctionResult], speech: Speech) -> str:
    def grouped(outcome: Outcome) -> list[str]:
        """The functions with this outcome, those with the same reason together."""
        by_reason: dict[str, list[str]] = {}
        for function in functions:
            if function.id in results and results[function.id].outcome is outcome:
                by_reason.setdefault(results[function.id].reason, []).append(
                    speech.say(function.name).lower()
                )
        return [f"{', '.join(names)} ({reason})" for reason, names in by_reason.items()]

    works = sum(result.outcome is Outcome.WORKS for result in results.values())
    tried = sum(result.outcome is not Outcome.NOT_TESTABLE for result in results.values())
    said = []
    if tried:
        counts = {"tried": tried, "works": works}
        said.append(speech.text("Of {tried} things we could try, {works} {works:works|work}.", **counts))
    if faulty := grouped(Outcome.FAULTY):
        said.append(speech.text("Not working: {functions:; }.", functions=faulty))
    if unknown := grouped(Outcome.NOT_TESTABLE):
        said.append(speech.text("Could not be tried, so we do not know: {functions:; }.", functions=unknown))
    return " ".join(said) or speech.text("Nothing was tested yet.")


def _thought(diagnosis: Diagnosis, speech: Speech) -> str:
    faulty = [_LAYERS[reading.layer] for reading in diagnosis.faulty]
    suspected = [_LAYERS[reading.layer] for reading in diagnosis.suspected]
    if diagnosis.nothing_is_broken:
        return speech.text("Nothing is broken.")
    said = []
    if faulty:
        said.append(speech.text("Broken: {layers}.", layers=faulty))
    if suspected:
        said.append(speech.text("We suspect {layers}, but that is not sure yet.", layers=suspected))
    return " ".join(said) or speech.text("What is broken inside is not known yet.")
