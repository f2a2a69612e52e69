"""A job's history: each kind of event is said from its facts when it is shown.

What older versions kept as a sentence is shown as it stands.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date, datetime
from typing import Any

from sutura.core.bench.schools import asks_of
from sutura.core.facts import from_json
from sutura.core.handover.comebacks import Cause, Payer
from sutura.core.handover.telling import Told, Way
from sutura.core.identify.reading import Verdict
from sutura.core.intake.marks import MarkKind
from sutura.core.intake.observations import Layer
from sutura.core.job import EventKind, JobEvent
from sutura.core.matching.judging import Learned
from sutura.core.maths.money import Money
from sutura.core.proof.sealing import Look
from sutura.core.quoting.routes import Standing
from sutura.core.stock.levels import PartFate
from sutura.core.values import Outcome
from sutura.words.speech import Speech

Facts = Mapping[str, Any]


def tell(event: JobEvent, speech: Speech) -> str:
    """One thing that happened, in a sentence or a few."""
    if event.said:
        return event.said
    facts = {name: from_json(value) for name, value in event.facts.items()}
    return " ".join(filter(None, _TELLING[event.kind](facts, speech)))


def _way(facts: Facts, speech: Speech) -> list[str]:
    said = speech.text("{asks}: {way}.", asks=asks_of(facts["question"]), way=facts["way"])
    return [said, speech.text("As a habit from here on.") if facts.get("always") else ""]


def _received(facts: Facts, speech: Speech) -> list[str]:
    said = [speech.text("Taken in as {model}.", model=facts["model"])]
    if measured := facts.get("measured"):
        said.append(
            speech.text(
                "In no pack: measured {width_mm:g}×{height_mm:g} mm, picture {diagonal_in:g} inches; what "
                "was not measured is unknown.",
                **measured,
            )
        )
    elif facts["verdict"] != Verdict.SURE and facts["number"]:
        how = {"number": facts["number"], "verdict": Verdict(facts["verdict"])}
        said.append(speech.text("Its number was read as “{number}”: {verdict}.", **how))
    if facts.get("imei"):
        said.append(speech.say(facts["imei"]))
    if marks := facts["marks"]:
        drawn = [f"{count} × {speech.say(MarkKind(kind))}" for kind, count in marks.items()]
        said.append(speech.text("Drawn: {marks}.", marks=drawn))
    else:
        said.append(speech.text("No damage drawn."))
    return [*said, *_layers(facts, speech)]


def _layers(facts: Facts, speech: Speech) -> list[str]:
    faulty = [Layer(layer) for layer in facts["faulty"]]
    suspected = [Layer(layer) for layer in facts["suspected"]]
    return [
        speech.text("Faulty: {layers}.", layers=faulty) if faulty else "",
        speech.text("Suspected: {layers}.", layers=suspected) if suspected else "",
    ]


def _looked_again(facts: Facts, speech: Speech) -> list[str]:
    tried = [
        f"{facts['names'].get(function, function)} {speech.say(Outcome(outcome))}"
        for function, outcome in facts["tried"].items()
    ]
    return [speech.text("Tried again: {tried}.", tried=tried) if tried else "", *_layers(facts, speech)]


def _merged(facts: Facts, speech: Speech) -> list[str]:
    numbers = {"old": facts["from"], "new": facts["into"]}
    return [speech.text("Customer record {old} became part of record {new}.", **numbers)]


def _panel(facts: Facts, speech: Speech) -> list[str]:
    warnings = [speech.text("Warning: {warning}.", warning=warning) for warning in facts["warnings"]]
    return [speech.say(facts["says"]), *warnings]


def _measured(facts: Facts, speech: Speech) -> list[str]:
    said = [
        f"{speech.say(hit['title'])} {hit['measured']} ({speech.say(from_json(hit['says']))})"
        for hit in facts["confirmed"]
    ]
    said += [speech.text("{item} broken on the old screen", item=item) for item in facts["destroyed"]]
    if not said:
        return [speech.text("On the table: nothing measured.")]
    return [speech.text("On the table: {said:; }.", said=said)]


def _reported(facts: Facts, speech: Speech) -> list[str]:
    outcome = Learned(facts["outcome"])
    what = {"part": facts["part"], "supplier": facts["supplier"], "says": facts["says"]}
    return [speech.text("{part} from {supplier} {outcome}: {says}.", outcome=outcome, **what)]


def _quoted(facts: Facts, speech: Speech) -> list[str]:
    price = Money(minor=facts["price_minor"], currency=facts["currency"])
    what = {"part": facts["part"], "supplier": facts["supplier"], "price": price}
    said = [speech.text("{part} from {supplier} chosen at {price}.", **what), speech.say(facts["says"])]
    return [*said, speech.text("A rush: it is done before others.")] if facts.get("rush") else said


def _weighed(facts: Facts, speech: Speech) -> list[str]:
    chosen = {"name": facts["chosen"], "chance": facts["chance"]}
    said = [speech.text("{name} was chosen, {chance} % likely to succeed.", **chosen)]
    for other in facts["others"]:
        standing = speech.say(Standing(other["standing"]))
        if other["price_minor"] is None:
            why = other["why"] or standing
            said.append(speech.text("Not {name}: {why}.", name=other["name"], why=why.rstrip(".")))
            continue
        price = Money(minor=other["price_minor"], currency=other["currency"])
        why = f"{standing} – {other['why']}" if other["why"] else standing
        told = {"name": other["name"], "price": price, "chance": other["chance"], "why": why.rstrip(".")}
        said.append(speech.text("Not {name}: {price}, {chance} % likely, {why}.", **told))
    return said


def _price(facts: Facts, speech: Speech) -> list[str]:
    before, after = (
        Money(minor=facts[name], currency=facts["currency"]) for name in ("before_minor", "after_minor")
    )
    return [
        speech.text(
            "Price changed from {before} to {after}: {reason}",
            before=before,
            after=after,
            reason=facts["reason"],
        )
    ]


_SERIALS = {
    "read": "The old display's serial was read: {serial}.",
    "written": "The display holds {serial} now, read back.",
    "silent": "The new display stayed silent at the programmer.",
    "other_model": "The new display is made for another model.",
    "not_kept": "The serial that was written did not stay.",
    "broke_off": "The programmer's link was lost while writing.",
}


def _serial(facts: Mapping[str, Any], speech: Speech) -> list[str]:
    said = [speech.text(_SERIALS[facts["outcome"]], serial=facts["serial"])]
    if facts.get("piece"):
        said.append(speech.text("Piece {piece}.", piece=facts["piece"]))
    return said


def _step(facts: Facts, speech: Speech) -> list[str]:
    said = [facts["text"]]
    if facts["counted"] is not None:
        counted = speech.text(
            "Screws: {counted} of {expected}", **{k: facts[k] for k in ("counted", "expected")}
        )
        said.append(f"{counted} – {facts['reason']}." if facts["reason"] else f"{counted}.")
    if facts.get("beside"):
        said.append(speech.text("{who} stood beside.", who=facts["beside"]))
    return said


def _failed(facts: Facts, speech: Speech) -> list[str]:
    names = [name.lower() for name in facts["names"]]
    return [
        speech.text(
            "Failed: {names}. The connectors are reseated with the power off before the part is blamed.",
            names=names,
        )
    ]


def _taken_back(facts: Facts, speech: Speech) -> list[str]:
    return [
        speech.text("{part}: {fate}.", part=taken["part"], fate=PartFate(taken["fate"]))
        for taken in facts["parts"]
    ]


def _promised(facts: Facts, speech: Speech) -> list[str]:
    before, after = (datetime.fromisoformat(facts[name]) for name in ("before", "after"))
    return [
        speech.text(
            "Promised for {after} instead of {before}: {reason}.",
            after=after,
            before=before,
            reason=facts["reason"].rstrip("."),
        )
    ]


def _handed_back(facts: Facts, speech: Speech) -> list[str]:
    paid = Money(minor=facts["paid_minor"], currency=facts["currency"])
    until = date.fromisoformat(facts["warranty_end"])
    return [
        speech.text("Handed back with {things}.", things=_things(facts, speech)),
        speech.text("{paid} paid by {method}.", paid=paid, method=facts["method"]),
        speech.text("Warranty until {until}.", until=until),
        _sent(facts, speech),
    ]


def _sent(facts: Facts, speech: Speech) -> str:
    way = facts.get("way_back", "")
    return speech.text("Way back: {way}.", way=way) if way else ""


def _things(facts: Facts, speech: Speech) -> list[str]:
    return list(facts["returned"]) or [speech.text("nothing else")]


def _given_back(facts: Facts, speech: Speech) -> list[str]:
    """What went back of a deposit, and why not all of it."""
    if "refund_minor" not in facts:
        return []
    amount = Money(minor=facts["refund_minor"], currency=facts["currency"])
    told = [speech.text("Of the deposit {amount} was given back.", amount=amount)]
    if facts.get("kept_because"):
        told.append(speech.text("The rest is kept: {why}.", why=facts["kept_because"]))
    return told


_ANSWERED = {
    (True, "link"): "The customer accepted quote {version} by its link: {way}.",
    (False, "link"): "The customer declined quote {version} by its link.",
    (True, "counter"): "The customer accepted quote {version} at the counter: {way}.",
    (False, "counter"): "The customer declined quote {version} at the counter.",
}

# money of a job, by what it is
_MONEY = {
    "rest": "{amount} was taken by {method}.",
    "refund": "{amount} was given back by {method}.",
    "written_off": "{amount} was written off: {reason}.",
    "credit": "{amount} was credited: {reason}.",
    "kept": "{amount} is kept: {reason}.",
}
_PAPERS = {
    "invoice": "Invoice {number} was written.",
    "deposit_invoice": "Invoice {number} of the deposit was written.",
    "credit_note": "Credit note {number} takes back {refers_to}.",
}

_TELLING: Mapping[EventKind, Callable[[Facts, Speech], list[str]]] = {
    EventKind.RECEIVED: _received,
    EventKind.LOOKED_AGAIN: _looked_again,
    EventKind.CUSTOMER_MERGED: _merged,
    EventKind.PANEL_READ: _panel,
    EventKind.ORIGINAL_MEASURED: _measured,
    EventKind.PART_REPORTED: _reported,
    EventKind.QUOTED: _quoted,
    EventKind.PRICE: _price,
    EventKind.OFFERED: lambda facts, speech: [
        speech.text("Quote {version} was made: {ways}.", version=facts["version"], ways=facts["ways"])
    ],
    EventKind.WEIGHED: _weighed,
    EventKind.ANSWERED: lambda facts, speech: [
        speech.text(
            _ANSWERED[facts["state"] == "accepted", facts.get("where", "link")],
            version=facts["version"],
            way=facts["way"],
        )
    ],
    EventKind.SENT: lambda facts, speech: [
        speech.text("Quote {version} was sent to the customer.", version=facts["version"])
    ],
    EventKind.DEPOSIT: lambda facts, speech: [
        speech.text(
            "A deposit of {amount} was taken by {method}.",
            amount=Money(minor=facts["amount_minor"], currency=facts["currency"]),
            method=facts["method"],
        )
    ],
    EventKind.MONEY: lambda facts, speech: [
        speech.text(
            _MONEY[facts["kind"]],
            amount=Money(minor=facts["amount_minor"], currency=facts["currency"]),
            method=facts["method"],
            reason=str(facts.get("reason", "")).rstrip("."),
        )
    ],
    EventKind.CAUSE: lambda facts, speech: [
        speech.text(
            "It came back: {cause}; the {payer} pays.",
            cause=Cause(facts["cause"]),
            payer=Payer(facts["payer"]),
        ),
        speech.text("Decided because {reason}.", reason=facts["reason"].rstrip("."))
        if facts.get("reason")
        else "",
    ],
    EventKind.TOLD: lambda facts, speech: [
        speech.text("The customer is told: {kind} ({way}).", kind=Told(facts["kind"]), way=Way(facts["way"]))
    ],
    EventKind.PAPER: lambda facts, speech: [
        speech.text(_PAPERS[facts["kind"]], number=facts["number"], refers_to=facts.get("refers_to", ""))
    ],
    EventKind.NO_PART_NEEDED: lambda facts, speech: [
        speech.text(
            "To be done: {way}. The price agreed is {price}.",
            way=facts["way"],
            price=Money(minor=facts["price_minor"], currency=facts["currency"]),
        )
    ],
    EventKind.PART_HELD: lambda facts, speech: [
        speech.text("{parts} taken off the shelf and promised to this job.", parts=facts["parts"])
        if facts["parts"]
        else speech.text("It needs no part."),
        speech.text("Taken over from {code}: {reason}.", code=facts["taken_from"], reason=facts["reason"])
        if facts.get("taken_from")
        else "",
    ],
    EventKind.PART_GIVEN_BACK: lambda facts, speech: [
        speech.text("{parts} given back to the shelf.", parts=facts["parts"]),
        speech.text("A count found fewer of {part} than were promised: find another.", part=facts["missing"])
        if facts.get("missing")
        else "",
        speech.text("It was taken for {code}: {reason}.", code=facts["taken_for"], reason=facts["reason"])
        if facts.get("taken_for")
        else "",
    ],
    EventKind.ASSIGNED: lambda facts, speech: [
        speech.text("Given to {technician}: about {minutes} min expected.", **facts)
    ],
    EventKind.OPENED: lambda _, speech: [speech.text("Bench work started.")],
    EventKind.STEP: _step,
    EventKind.NEW_SHEET: lambda _, speech: [speech.text("Goes on by the sheet that the catalogue has now.")],
    EventKind.WAY: _way,
    EventKind.NOTED: lambda facts, speech: [
        speech.text("Noted at the bench: {says}.", says=facts["says"].rstrip("."))
        if facts.get("says")
        else "",
        speech.text("A photo was kept.") if facts.get("photo") else "",
    ],
    EventKind.FOR_THE_NIGHT: lambda _, speech: [speech.text("To be laid down for the night.")],
    EventKind.PUT_ON: lambda facts, speech: [
        speech.text("Timer started, {minutes} min: {text}", minutes=facts["minutes"], text=facts["text"])
    ],
    EventKind.SERIAL: _serial,
    EventKind.TESTED_UNREPAIRED: lambda facts, speech: [
        speech.text(
            "Tested against its arrival before it is closed up: answered for – {names}.",
            names=", ".join(facts["names"]),
        )
        if facts.get("names")
        else speech.text("Tested against its arrival before it is closed up: nothing to answer for.")
    ],
    EventKind.NIGHT_OVER: lambda _, speech: [speech.text("Goes on after the night.")],
    EventKind.SEEN: lambda _, speech: [speech.text("Seen to when its time was over.")],
    EventKind.PROVED: lambda facts, speech: [
        speech.text("Let pass all the same: {reason}.", reason=facts["all_the_same"].rstrip("."))
        if facts.get("all_the_same")
        else speech.text("Every function that must work works."),
        speech.text("{second} looked at it as well.", second=facts["second"]) if facts.get("second") else "",
    ],
    EventKind.PROOF_FAILED: _failed,
    EventKind.PART_CHANGED: lambda facts, speech: [
        *_taken_back(facts, speech),
        speech.text("Another part is to be chosen: {reason}.", reason=facts["reason"].rstrip(".")),
    ],
    EventKind.REOPENED: lambda facts, speech: [
        speech.text("Back to the bench: {reason}.", reason=facts["reason"].rstrip("."))
    ],
    EventKind.GIVEN_UP: lambda facts, speech: [
        speech.text("Given up: {reason}.", reason=facts["reason"].rstrip(".")),
        *_taken_back(facts, speech),
    ],
    EventKind.CLOSED_UNREPAIRED: lambda facts, speech: [
        speech.text("Closed up unrepaired after {minutes} min of bench work.", **facts)
    ],
    EventKind.PROMISED: _promised,
    EventKind.CLOSED: lambda facts, speech: [
        speech.text("Closed up after {minutes} min of bench work.", **facts)
    ],
    EventKind.DUST: lambda facts, speech: [
        speech.text(
            "What is left under the panel is accepted: {accepted}.", accepted=facts["accepted"].rstrip(".")
        )
        if facts.get("accepted")
        else speech.text("Looked for dust: {specks} found.", specks=facts["specks"])
    ],
    EventKind.SEALED_LOOK: lambda facts, speech: [
        speech.text("Looked at {look}: proved.", look=Look(facts["look"]))
        if facts["passed"]
        else speech.text("Looked at {look}: something is not right.", look=Look(facts["look"]))
    ],
    EventKind.HANDED_BACK: _handed_back,
    EventKind.DECLINED: lambda facts, speech: [speech.text("Declined: {reason}", **facts)],
    EventKind.RETURNED: lambda facts, speech: [
        speech.text("Returned unrepaired with {things}.", things=_things(facts, speech)),
        _sent(facts, speech),
        *_given_back(facts, speech),
    ],
}
