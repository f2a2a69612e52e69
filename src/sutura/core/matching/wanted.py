"""What a model demands of a part, for one of the ways to repair it, with what was measured on the device at
hand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.catalogue.model import Model
from sutura.core.facts import Say, fact
from sutura.core.matching.attributes import ATTRIBUTES, BY_NAME, MEASURABLE, Attribute, Demand
from sutura.core.matching.comparing import BRACKETS, SERIAL, Agreement
from sutura.core.matching.judging import Supply, Wanted
from sutura.core.matching.offers import Need, Offer, Value
from sutura.core.typed import Problems
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="fit.original",
        capability="matching",
        says=(
            "What is measured on the original on the table counts before the catalogue, for this job; "
            "where they differ both are shown and the correction is kept."
        ),
        source=COMMON,
    ),
)


def wanted_of(
    model: Model,
    kind: str = "",
    measured: Mapping[str, Value] | None = None,
    better: Mapping[str, str] | None = None,
) -> Wanted:
    """What a model demands of a part for one of its routes, its own unless another needs this kind; what was
    `measured` of the original counts first, and what the customer wants `better` before all.
    """
    wish = better or {}
    route = model.way(kind)
    on_table = {name: value for name, value in (measured or {}).items() if name in BY_NAME and name != "kind"}
    return Wanted(
        need={**route.need, **on_table, **wish},
        move_over=route.move_over,
        minutes=route.minutes,
        supplies=tuple(
            Supply(item=supply.item, instead=supply.instead, minutes=supply.minutes)
            for supply in route.supplies
        ),
        demands={
            **{name: Demand(demand) for name, demand in model.demands.items()},
            **dict.fromkeys(wish, Demand.MUST),
        },
    )


def breakable(wanted: Wanted) -> tuple[str, ...]:
    """What of the old screen is needed again and can be found broken: what is moved over, brackets where it
    has some, and its serial where the device knows its display by it.
    """
    brackets = (BRACKETS,) if "bracket" in str(wanted.need.get("mounting", "")) else ()
    serial = (SERIAL,) if str(wanted.need.get("pairing", "")) == "serial" else ()
    return (*wanted.move_over, *brackets, *serial)


def need_from(offer: Offer) -> Need:
    """The need that a part itself would be: what is known of it, attribute by attribute."""
    values = {rule.name: rule.offered_by(offer) for rule in ATTRIBUTES if rule.of_part}
    return {name: value for name, value in values.items() if value is not None}


# -- the original on the table ------------------------------------------------------------------


def read_measured(typed: Mapping[str, str], form: str = "measured") -> dict[str, Value]:
    """Values as typed, by attribute; an empty one was not measured. Every one that cannot be read is refused
    at `form.attribute`.

    >>> read_measured({"width_mm": "70,2", "touch": "integrated", "colour": ""})
    {'width_mm': 70.2, 'touch': 'integrated'}
    """
    problems = Problems("What was measured")
    values = {
        rule.name: problems.read(f"{form}.{rule.name}", text, rule.read)
        for rule in MEASURABLE
        if (text := typed.get(rule.name, "").strip())
    }
    problems.refuse()
    return {name: value for name, value in values.items() if value is not None}


@dataclass(frozen=True, slots=True, kw_only=True)
class Confirmed:
    """One thing measured on the original, against the catalogue: confirmed, corrected, or new."""

    attribute: str
    title: str
    catalogue: str
    measured: str
    agrees: bool
    says: Say


def compare_original(need: Need, measured: Mapping[str, Value]) -> list[Confirmed]:
    """What was measured on the original held against the catalogue's need (rule fit.original)."""
    confirmed = []
    for rule in MEASURABLE:
        if rule.name not in measured:
            continue
        ours, theirs = need.get(rule.name), measured[rule.name]
        if ours is None:
            agrees, says = True, fact("matching.new-catalogue-did-not-know")
        elif _agree(rule, ours, theirs):
            agrees, says = True, fact("matching.confirmed")
        else:
            agrees, says = False, fact("matching.corrected-catalogue-says", ours=ours)
        confirmed.append(
            Confirmed(
                attribute=rule.name,
                title=rule.title,
                catalogue="not known" if ours is None else str(ours),
                measured=str(theirs),
                agrees=agrees,
                says=says,
            )
        )
    return confirmed


def _agree(rule: Attribute, ours: Value, theirs: Value) -> bool:
    return ours == theirs or rule.compare(rule.pair(ours, theirs)).agreement is Agreement.AGREES


@dataclass(frozen=True, slots=True, kw_only=True)
class Correction:
    """What originals of a model said otherwise than its catalogue, and on which jobs."""

    title: str
    catalogue: str
    measured: str
    jobs: tuple[str, ...]


def corrections(need: Need, measured: Sequence[tuple[str, Mapping[str, Value]]]) -> list[Correction]:
    """Corrections that jobs made to a need, the most often made first; evidence for whoever keeps the
    catalogue.
    """
    jobs_by_correction: dict[tuple[str, str, str], list[str]] = {}
    for job, values in measured:
        for confirmed in compare_original(need, values):
            if not confirmed.agrees:
                jobs_by_correction.setdefault(
                    (confirmed.title, confirmed.catalogue, confirmed.measured), []
                ).append(job)
    ordered = sorted(jobs_by_correction.items(), key=lambda one: (-len(one[1]), one[0]))
    return [
        Correction(title=title, catalogue=ours, measured=theirs, jobs=tuple(jobs))
        for (title, ours, theirs), jobs in ordered
    ]
