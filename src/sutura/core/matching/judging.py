"""Does this part fit? Every attribute of the need is held against the offer; the verdict carries its reasons.

Three-valued: unknown is never rounded up to yes, and one hard difference refuses.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache

from sutura.core.matching.attributes import (
    ATTRIBUTES,
    BY_NAME,
    MOVE_OVER_MINUTES,
    NO_OFFER,
    NOTHING_AROUND,
    SAME,
    Agreement,
    Around,
    AttributeRule,
    Compared,
    Demand,
    Need,
    Offer,
    Pair,
    Value,
)
from sutura.core.matching.resolution import cannot_go_together, read_resolution
from sutura.core.values import COMMON, Rule

# what stands where a value is not known
NOT_SAID = "not known"


class Fit(StrEnum):
    """The verdict, best first."""

    FITS = "fits"
    BRIDGED = "fits with a bridge"
    CONSENT = "fits with consent"
    UNKNOWN = "unknown"
    NOT = "does not fit"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One attribute judged: what is needed, what is offered and whose word that is, the outcome, the rule, the reason."""

    attribute: str
    title: str
    needed: str
    offered: str
    agreement: Agreement
    rule: str
    reason: str
    word_of: str = ""

    @property
    def unsaid(self) -> bool:
        """Whether nobody said it of this part: the supplier does not, and it was not measured."""
        return self.offered == NOT_SAID


class Learned(StrEnum):
    """What came of a part on a model."""

    PROVED = "fitted and proved"
    DID_NOT_FIT = "did not fit"
    DEFECTIVE = "was defective"


@dataclass(frozen=True, slots=True, kw_only=True)
class Evidence:
    """What was learned of one part on one model: on which job, and in words."""

    part_id: int
    outcome: Learned
    job: str
    says: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """Something that is welcome in the box, and what is used where it is missing, with the minutes that takes."""

    item: str
    instead: str
    minutes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What a device demands of a part, and what must end up on the new screen.

    `demands` are this model's own strictness where it differs from the rule's; `minutes` the work when everything is in the box.
    """

    need: Need
    move_over: tuple[str, ...] = ()
    supplies: tuple[Supply, ...] = ()
    demands: Mapping[str, Demand] = field(default_factory=dict)
    minutes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is known beside the offer: adapter flexes, numbers, broken items of the old screen, spares, what was learned."""

    around: Around = field(default_factory=Around)
    spares: Mapping[str, Offer] = field(default_factory=dict)
    learned: Mapping[int, tuple[Evidence, ...]] = field(default_factory=dict)


NOTHING = Known()


class Source(StrEnum):
    """Where an item of the new screen comes from."""

    BOX = "in the box"
    MOVED = "moved over"
    BOUGHT = "to be bought"
    INSTEAD = "used instead"
    NOWHERE = "not to be had"


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """One item that must be on the new screen: where it comes from, the minutes it adds, the part when it is bought."""

    name: str
    source: Source
    minutes: int = 0
    says: str = ""
    bought: Offer | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """An offer with its verdict, the findings, what bridges it, where every item comes from, and the minutes that adds.

    `members` are the parts of a kit; a single part has none. Words are made when they are read: of a hundred judged offers a page shows a few.
    """

    offer: Offer
    fit: Fit
    findings: tuple[Finding, ...]
    bridges: tuple[str, ...]
    items: tuple[Item, ...]
    extra_minutes: int
    # what is said besides the verdict's own sentence, such as of a kit
    also: str = ""
    evidence: tuple[Evidence, ...] = ()
    extras: tuple[Offer, ...] = ()
    members: tuple[Offer, ...] = ()

    @property
    def says(self) -> str:
        """The verdict in a sentence, with its reasons."""
        said = _sentence(self.fit, self.findings, self.items)
        return f"{said.rstrip('.')}. {self.also}" if self.also else said

    @property
    def flags(self) -> tuple[str, ...]:
        """What the listing says of itself that cannot be true."""
        return tuple(listing_flags(self.offer))

    @property
    def move_over(self) -> tuple[str, ...]:
        return tuple(item.name for item in self.items if item.source is Source.MOVED)

    def of(self, agreement: Agreement) -> tuple[Finding, ...]:
        return tuple(one for one in self.findings if one.agreement is agreement)


JUDGING_RULES = (
    *(Rule(id=f"fit.{rule.attribute}", capability="matching", says=rule.says, source=rule.source) for rule in ATTRIBUTES),
    Rule(id="fit.unknown", capability="matching", says="An unknown attribute that must agree makes the verdict unknown, never yes; one that differs refuses whatever is unknown.", source=COMMON),
    Rule(id="fit.measured", capability="matching", says="What was measured here counts before what the supplier claims; both are shown when they differ.", source=COMMON),
    Rule(id="fit.listing", capability="matching",
         says="A listing whose name and numbers disagree, or whose size and resolution cannot go together, is flagged: measure before you believe it.",
         source="square pixels; VESA format names (from memory: sure)"),
    Rule(id="fit.box", capability="matching",
         says=f"Each item missing from the box is moved over from the old screen and adds {MOVE_OVER_MINUTES} minutes; one that is broken there is bought; where it cannot be had the part is refused.",
         source=COMMON),
    Rule(id="fit.learned", capability="matching",
         says="A part that was fitted and proved on the same model makes what is unknown of it known; one that did not fit is refused. Neither overrides a rule: where they disagree both are shown.",
         source=COMMON),
)  # fmt: skip


def judge(wanted: Wanted, offer: Offer, known: Known = NOTHING) -> Judged:
    """Hold an offer against a need. One hard difference refuses; one unknown hard attribute leaves it unknown.

    Unknown is what the offer does not say, and what nobody knows of the device yet (None in the need).
    """
    need, demands = wanted.need, wanted.demands
    findings: list[Finding] = []
    bridged: list[Compared] = []
    claimed = offer.attributes
    for rule in ATTRIBUTES:
        name = rule.attribute
        if name not in need:
            continue
        if rule.around is None and not offer.measured and name not in demands and name != "pairing":
            # the usual case without a detour: nothing but the two values has a say, and nothing is bridged
            value = claimed.get(name)
            findings.append(_of_values(name, need[name], None if value == "" else value)[0])
            continue
        finding, compared = _find(rule, need[name], demands.get(name), offer, known.around)
        findings.append(finding)
        if compared.bridge:
            bridged.append(compared)
    items = tuple(_items(wanted, offer, known)) if wanted.move_over or wanted.supplies else ()
    findings += [_no_item(item) for item in items if item.source is Source.NOWHERE]
    learned = known.learned.get(offer.part_id, ())
    if learned:
        findings = _with_learned(findings, learned)
    extras = [one.flex for one in bridged if one.flex] + [item.bought for item in items if item.bought]
    return Judged(
        offer=offer, fit=verdict(findings), findings=tuple(findings), items=items, bridges=tuple(one.bridge for one in bridged), evidence=learned,
        extras=tuple(extras), extra_minutes=sum([item.minutes for item in items]) + sum([one.minutes for one in bridged]),
    )  # fmt: skip


def verdict(findings: Sequence[Finding]) -> Fit:
    """The worst outcome decides."""
    worst = Fit.FITS
    # compared by identity: a hundred offers of two dozen attributes are judged for one page
    for finding in findings:
        agreement = finding.agreement
        if agreement is Agreement.DIFFERS:
            return Fit.NOT
        if agreement is Agreement.UNKNOWN:
            worst = Fit.UNKNOWN
        elif agreement is Agreement.CONSENT and worst is not Fit.UNKNOWN:
            worst = Fit.CONSENT
        elif agreement is Agreement.BRIDGED and worst is Fit.FITS:
            worst = Fit.BRIDGED
    return worst


def may_choose(fit: Fit) -> bool:
    """Only a part that fits, alone or with its bridge or consent, can be chosen; unknown is not yes."""
    return fit in (Fit.FITS, Fit.BRIDGED, Fit.CONSENT)


def _find(
    rule: AttributeRule, needed: Value | None, demanded: Demand | None, offer: Offer, around: Around
) -> tuple[Finding, Compared]:
    """One attribute of a need against an offer: the finding, and the comparison behind it. `demanded` = by this very model."""
    offered = _offered(rule, offer)
    has_a_say = rule.around is not None and rule.around(needed, offered, offer, around)
    if not has_a_say and not (offer.measured and rule.attribute in offer.measured):
        return (
            _of_values(rule.attribute, needed, offered)
            if demanded is None
            else _of_demand(rule, needed, offered, demanded)
        )
    found = _compare(rule, needed, offered, offer, around)
    if rule.attribute != "printed_number":
        found = _as_demanded(found, demanded or rule.demand, usual=demanded in (None, rule.demand))
    return _finding(rule, needed, offered, found, _word_of(rule, offer)), found


@lru_cache(maxsize=50_000, typed=True)
def _of_values(attribute: str, needed: Value | None, offered: Value | None) -> tuple[Finding, Compared]:
    """The finding where it follows from the two values alone. Thousands of offers say the same few things, so it is kept."""
    return _of_demand(BY_NAME[attribute], needed, offered, BY_NAME[attribute].demand)


def _of_demand(
    rule: AttributeRule, needed: Value | None, offered: Value | None, demand: Demand
) -> tuple[Finding, Compared]:
    compared = _compare(rule, needed, offered, NO_OFFER, NOTHING_AROUND)
    found = _as_demanded(compared, demand, usual=demand is rule.demand)
    return _finding(rule, needed, offered, found, ""), found


def _finding(
    rule: AttributeRule, needed: Value | None, offered: Value | None, found: Compared, word_of: str
) -> Finding:
    unit = f" {rule.unit}" if rule.unit and rule.attribute != "windows" else ""
    return Finding(
        attribute=rule.attribute, title=rule.title, needed=NOT_SAID if needed is None else f"{needed}{unit}",
        offered=NOT_SAID if offered is None else f"{offered}{unit}", agreement=found.agreement, rule=f"fit.{rule.attribute}",
        reason=found.reason, word_of=word_of,
    )  # fmt: skip


def _word_of(rule: AttributeRule, offer: Offer) -> str:
    """Whose word a value is, when it was measured here, and what the supplier claims instead."""
    measured = offer.measured.get(rule.attribute)
    if measured is None:
        return ""
    claimed = offer.attributes.get(rule.attribute)
    unit = f" {rule.unit}" if rule.unit and rule.attribute != "windows" else ""
    return f"measured by {measured.who}" + (
        f"; claimed {claimed}{unit}" if claimed not in (None, "", measured.value) else ""
    )


def _as_demanded(found: Compared, demand: Demand, *, usual: bool) -> Compared:
    """A difference is a refusal, a consent or harmless as the attribute is held; what may differ need not be known."""
    if found.agreement is Agreement.DIFFERS and demand is Demand.CONSENT:
        return replace(
            found, agreement=Agreement.CONSENT, reason=f"{found.reason}; this model takes it with consent"
        )
    if found.agreement is Agreement.DIFFERS and demand is Demand.MAY:
        return replace(
            found,
            agreement=Agreement.ALLOWED,
            reason="differs, and that does no harm" + ("" if usual else " on this model"),
        )
    if found.agreement is Agreement.UNKNOWN and demand is Demand.MAY:
        return replace(found, agreement=Agreement.ALLOWED, reason="not known, and it may differ")
    return found


def _offered(rule: AttributeRule, offer: Offer) -> Value | None:
    name = rule.attribute
    if name == "printed_number":
        return offer.printed_number or None
    if name == "pairing":
        return offer.grade or None
    return offer.known(name)


def _compare(
    rule: AttributeRule, needed: Value | None, offered: Value | None, offer: Offer, around: Around
) -> Compared:
    """The comparison of two known values, or why it is unknown."""
    if rule.attribute == "pairing" and needed == "none":
        return SAME
    if rule.attribute == "printed_number" and (needed is None or offered is None):
        return _number_unknown(needed, offered, around)
    if needed is None:
        return Compared(
            agreement=Agreement.UNKNOWN, reason="not known of this device: measure the original on the table"
        )
    if offered is None:
        return Compared(
            agreement=Agreement.UNKNOWN, reason="not known of this part: measure it or ask the supplier"
        )
    if needed == offered:
        return SAME
    return rule.compare(Pair(rule=rule, needed=needed, offered=offered, offer=offer, around=around))


def _number_unknown(needed: Value | None, offered: Value | None, around: Around) -> Compared:
    """A number that is not known does no harm, unless it could be one that is replaced and not the reverse."""
    if offered is None and needed is not None and around.numbers.replaces_something(str(needed)):
        return Compared(
            agreement=Agreement.UNKNOWN,
            reason=f"not known, and there are older ones that {needed} replaces: read it",
        )
    if needed is None and offered is not None and around.numbers.is_replaced(str(offered)):
        return Compared(
            agreement=Agreement.UNKNOWN,
            reason="a newer number replaces this one: read the number on the original",
        )
    return Compared(agreement=Agreement.ALLOWED, reason="not known, and it may differ")


# -- what the box must hold -------------------------------------------------------------------


def _items(wanted: Wanted, offer: Offer, known: Known) -> list[Item]:
    """Where each item of the new screen comes from (rule fit.box)."""
    found = []
    for name in wanted.move_over:
        spare = known.spares.get(name)
        if name in offer.box:
            found.append(Item(name=name, source=Source.BOX))
        elif name not in known.around.destroyed:
            found.append(Item(name=name, source=Source.MOVED, minutes=MOVE_OVER_MINUTES))
        elif spare:
            found.append(
                Item(
                    name=name,
                    source=Source.BOUGHT,
                    bought=spare,
                    minutes=MOVE_OVER_MINUTES,
                    says=f"broken on the old screen: {spare.part}",
                )
            )
        else:
            found.append(
                Item(
                    name=name,
                    source=Source.NOWHERE,
                    says="broken on the old screen, not in the box, and nobody sells it",
                )
            )
    for supply in wanted.supplies:
        if supply.item in offer.box:
            found.append(Item(name=supply.item, source=Source.BOX))
        else:
            found.append(
                Item(name=supply.item, source=Source.INSTEAD, minutes=supply.minutes, says=supply.instead)
            )
    return found


def _no_item(item: Item) -> Finding:
    return Finding(
        attribute="box",
        title="Contents of the box",
        needed=item.name,
        offered="missing",
        agreement=Agreement.DIFFERS,
        rule="fit.box",
        reason=f"{item.name}: {item.says}",
    )


# -- what was learned -------------------------------------------------------------------------


def _with_learned(findings: Sequence[Finding], learned: Sequence[Evidence]) -> list[Finding]:
    """What is learned beside the rules: it fills what is unknown, refuses what did not fit, overrides nothing (rule fit.learned)."""
    proved = [one for one in learned if one.outcome is Learned.PROVED]
    failed = [one for one in learned if one.outcome is Learned.DID_NOT_FIT]
    if proved and failed:
        both = f"fitted and proved on {_jobs(proved)}, did not fit on {_jobs(failed)}: measure both"
        return [*findings, _lesson(Agreement.UNKNOWN, both)]
    if failed:
        return [
            *findings,
            _lesson(
                Agreement.DIFFERS,
                f"did not fit on {_jobs(failed)}: {failed[-1].says or 'no reason was written'}",
            ),
        ]
    if not proved:
        return list(findings)
    if any(one.agreement is Agreement.DIFFERS for one in findings):
        return [
            *findings,
            _lesson(
                Agreement.UNKNOWN,
                f"fitted and proved on {_jobs(proved)}, although a rule says it differs: measure it again",
            ),
        ]
    filled = [
        replace(
            one, agreement=Agreement.AGREES, reason=f"not known, but fitted and proved on {_jobs(proved)}"
        )
        if one.agreement is Agreement.UNKNOWN and one.unsaid
        else one
        for one in findings
    ]
    return [*filled, _lesson(Agreement.AGREES, f"fitted and proved on {_jobs(proved)}")]


def _jobs(evidence: Sequence[Evidence]) -> str:
    named = list(dict.fromkeys(one.job for one in evidence))
    return ", ".join(named[:3]) + (f" and {len(named) - 3} more" if len(named) > 3 else "")


def _lesson(agreement: Agreement, reason: str) -> Finding:
    return Finding(
        attribute="learned",
        title="Learned here",
        needed="a part that fits",
        offered="seen before",
        agreement=agreement,
        rule="fit.learned",
        reason=reason,
    )


# -- a listing against itself -----------------------------------------------------------------


def listing_flags(offer: Offer) -> list[str]:
    """What a listing says that cannot be true (rule fit.listing)."""
    said = offer.known("resolution")
    wide, high, diagonal = (
        _number(offer.known(name)) for name in ("active_width_mm", "active_height_mm", "diagonal_in")
    )
    active = (wide, high) if wide and high else None
    if said is None and active is None:
        return []
    return cannot_go_together(read_resolution(str(said or "")), diagonal, active)


def _number(value: Value | None) -> float | None:
    try:
        found = float(value) if value is not None else None
    except ValueError:
        return None
    return found if found and found > 0 else None


# -- words ------------------------------------------------------------------------------------


# A refusal is understood from its first reasons; the others stand in the table. The shop's, no source.
MOST_REASONS = 3


def _sentence(fit: Fit, findings: Sequence[Finding], items: Sequence[Item]) -> str:
    def listed(agreement: Agreement) -> str:
        reasons = [f"{one.title.lower()}: {one.reason}" for one in findings if one.agreement is agreement]
        more = len(reasons) - MOST_REASONS
        return "; ".join(reasons[:MOST_REASONS]) + (f"; and {more} more" if more > 0 else "")

    said = {
        Fit.NOT: f"Does not fit – {listed(Agreement.DIFFERS)}.", Fit.UNKNOWN: f"Not known – {listed(Agreement.UNKNOWN)}.",
        Fit.CONSENT: f"Fits if the customer agrees – {listed(Agreement.CONSENT)}.",
        Fit.BRIDGED: f"Fits with a bridge – {listed(Agreement.BRIDGED)}.", Fit.FITS: "Fits – everything that must agree does.",
    }[fit]  # fmt: skip
    if not may_choose(fit):
        return said
    if fit is Fit.CONSENT and any(one.agreement is Agreement.BRIDGED for one in findings):
        said += f" Bridged: {listed(Agreement.BRIDGED)}."
    harmless = [one.title.lower() for one in findings if one.agreement is Agreement.ALLOWED]
    if harmless and fit is Fit.FITS:
        said += f" Different and harmless: {', '.join(harmless)}."
    moved = [item.name for item in items if item.source is Source.MOVED]
    bought = [item.name for item in items if item.source is Source.BOUGHT]
    instead = [f"{item.says} instead of {item.name}" for item in items if item.source is Source.INSTEAD]
    said += f" Move over from the old screen: {', '.join(moved)}." if moved else ""
    said += f" Buy: {', '.join(bought)}." if bought else ""
    return said + (f" Use {'; '.join(instead)}." if instead else "")
