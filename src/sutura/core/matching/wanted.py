"""What a model demands of a part, for one of the ways to repair it, with what was measured on the device at hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sutura.core.catalogue import Model
from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.matching.attributes import (
    ATTRIBUTES,
    BRACKETS,
    BY_NAME,
    NO_OFFER,
    NOTHING_AROUND,
    Demand,
    Need,
    Offer,
    Pair,
    Value,
    at_least,
    read_windows,
    within,
)
from sutura.core.matching.judging import Supply, Wanted
from sutura.core.values import COMMON, Rule

WANTED_RULES = (
    Rule(id="fit.original", capability="matching",
         says="What is measured on the original on the table counts before the catalogue, for this job; where they differ both are shown and the correction is kept.",
         source=COMMON),
)  # fmt: skip


def wanted_of(model: Model, kind: str = "", measured: Mapping[str, Value] | None = None) -> Wanted:
    """What a model demands of a part of a kind: its own, or the one another route needs; `measured` of the original counts first."""
    other = next((route for route in model.routes if route.need["kind"] == kind), None)
    need: Need = other.need if other else model.need
    found = {name: value for name, value in (measured or {}).items() if name in BY_NAME and name != "kind"}
    return Wanted(
        need={**need, **found}, move_over=other.move_over if other else model.move_over, minutes=other.minutes if other else model.minutes,
        supplies=tuple(Supply(item=one.item, instead=one.instead, minutes=one.minutes) for one in (() if other else model.supplies)),
        demands={name: Demand(demand) for name, demand in model.demands.items()},
    )  # fmt: skip


def breakable(wanted: Wanted) -> tuple[str, ...]:
    """What of the old screen is needed again and can be found broken: what is moved over, and brackets where it has some."""
    brackets = (BRACKETS,) if "bracket" in str(wanted.need.get("mounting", "")) else ()
    return (*wanted.move_over, *brackets)


def need_from(offer: Offer) -> Need:
    """The need that a part itself would be: what is known of it, attribute by attribute."""
    found = {
        rule.attribute: offer.known(rule.attribute)
        for rule in ATTRIBUTES
        if rule.attribute not in ("pairing", "printed_number")
    }
    return {
        **{name: value for name, value in found.items() if value is not None},
        **({"printed_number": offer.printed_number} if offer.printed_number else {}),
    }  # fmt: skip


# -- the original on the table ------------------------------------------------------------------

# What can be measured or read on the original; the kind and the family are the catalogue's own words.
MEASURABLE = tuple(rule for rule in ATTRIBUTES if rule.attribute not in ("kind", "part_family", "pairing"))
_NUMBERS = frozenset(rule.attribute for rule in ATTRIBUTES if rule.compare in (within, at_least)) | {
    "connector_pins",
    "brightness_nits",
}
_COUNTS = frozenset({"connector_pins"})


def read_measured(typed: Mapping[str, str], form: str = "measured") -> dict[str, Value]:
    """Values as typed, by attribute; an empty one was not measured. Every one that cannot be read is refused at `form.attribute`.

    >>> read_measured({"width_mm": "70,2", "touch": "integrated", "colour": ""})
    {'width_mm': 70.2, 'touch': 'integrated'}
    """
    found: dict[str, Value] = {}
    problems: list[Invalid] = []
    for rule in MEASURABLE:
        text = typed.get(rule.attribute, "").strip()
        if not text:
            continue
        try:
            found[rule.attribute] = _value(rule.attribute, text)
        except Invalid as wrong:
            problems.append(Invalid(f"{form}.{rule.attribute}", wrong.refused, wrong.accepts))
    if problems:
        raise ManyInvalid(problems, "What was measured")
    return found


def _value(attribute: str, text: str) -> Value:
    if attribute in _NUMBERS:
        try:
            number = float(text.replace(",", "."))
        except ValueError:
            number = -1.0
        counted = attribute in _COUNTS
        if not 0 < number < 10_000 or (counted and not number.is_integer()):
            whole = "count them: write a whole number, such as 40"
            raise Invalid(attribute, text, whole if counted else "write a number above zero, such as 70.2")
        return int(number) if number.is_integer() else number
    if attribute == "windows":
        read_windows(text)
    if len(text) > 200:
        raise Invalid(attribute, text[:40], "write at most 200 characters")
    return text


@dataclass(frozen=True, slots=True, kw_only=True)
class Confirmed:
    """One thing measured on the original, against the catalogue: confirmed, corrected, or new."""

    attribute: str
    title: str
    catalogue: str
    measured: str
    agrees: bool
    says: str


def compare_original(need: Need, measured: Mapping[str, Value]) -> list[Confirmed]:
    """What was measured on the original held against the catalogue's need (rule fit.original)."""
    found = []
    for rule in MEASURABLE:
        if rule.attribute not in measured:
            continue
        ours, theirs = need.get(rule.attribute), measured[rule.attribute]
        if ours is None:
            agrees, says = True, "new: the catalogue did not know it"
        elif _agree(rule.attribute, ours, theirs):
            agrees, says = True, "confirmed"
        else:
            agrees, says = False, f"corrected: the catalogue says {ours}"
        found.append(
            Confirmed(
                attribute=rule.attribute, title=rule.title, catalogue="not known" if ours is None else str(ours), measured=str(theirs),
                agrees=agrees, says=says,
            )
        )  # fmt: skip
    return found


def _agree(attribute: str, ours: Value, theirs: Value) -> bool:
    rule = BY_NAME[attribute]
    if ours == theirs:
        return True
    if rule.compare is within:
        found = within(Pair(rule=rule, needed=ours, offered=theirs, offer=NO_OFFER, around=NOTHING_AROUND))
        return found.agreement.value == "agrees"
    return str(ours).casefold() == str(theirs).casefold()


@dataclass(frozen=True, slots=True, kw_only=True)
class Correction:
    """What originals of a model said otherwise than its catalogue, and on which jobs."""

    title: str
    catalogue: str
    measured: str
    jobs: tuple[str, ...]


def corrections(need: Need, measured: Sequence[tuple[str, Mapping[str, Value]]]) -> list[Correction]:
    """Corrections that jobs made to a need, the most often made first; evidence for whoever keeps the catalogue."""
    found: dict[tuple[str, str, str], list[str]] = {}
    for job, values in measured:
        for one in compare_original(need, values):
            if not one.agrees:
                found.setdefault((one.title, one.catalogue, one.measured), []).append(job)
    ordered = sorted(found.items(), key=lambda one: (-len(one[1]), one[0]))
    return [
        Correction(title=title, catalogue=ours, measured=theirs, jobs=tuple(jobs))
        for (title, ours, theirs), jobs in ordered
    ]
