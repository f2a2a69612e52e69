"""Does this part fit? Every attribute of the need is held against the offer; the verdict carries its reasons.

Three-valued: unknown is never rounded up to yes, and one hard difference refuses.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache

from sutura.core.matching.attributes import ATTRIBUTES, BY_NAME, Attribute, Demand
from sutura.core.matching.comparing import (
    MOVE_OVER_MINUTES,
    NOTHING_AROUND,
    SAME,
    Agreement,
    Around,
    Compared,
)
from sutura.core.matching.offers import NO_OFFER, Need, Offer, Value
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
    """One attribute judged: what is needed, what is offered and whose word that is, the outcome, the rule,
    the reason.
    """

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
    """Something that is welcome in the box, and what is used where it is missing, with the minutes that
    takes.
    """

    item: str
    instead: str
    minutes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanted:
    """What a device demands of a part, and what must end up on the new screen.

    `demands` are this model's own strictness where it differs from the rule's; `minutes` the work when
    everything is in the box.
    """

    need: Need
    move_over: tuple[str, ...] = ()
    supplies: tuple[Supply, ...] = ()
    demands: Mapping[str, Demand] = field(default_factory=dict)
    minutes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What is known beside the offer: adapter flexes, numbers, broken items of the old screen, spares, what
    was learned.
    """

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
    """One item that must be on the new screen: where it comes from, the minutes it adds, the part when it is
    bought.
    """

    name: str
    source: Source
    minutes: int = 0
    says: str = ""
    bought: Offer | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """An offer with its verdict, the findings, what bridges it, where every item comes from, and the minutes
    that adds.

    `members` are the parts of a kit; a single part has none. Words are made when they are read: of a hundred
    judged offers a page shows a few.
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
        return tuple(finding for finding in self.findings if finding.agreement is agreement)


RULES = (
    *(Rule(id=rule.rule, capability="matching", says=rule.says, source=rule.source) for rule in ATTRIBUTES),
    Rule(
        id="fit.unknown",
        capability="matching",
        says=(
            "An unknown attribute that must agree makes the verdict unknown, never yes; one that "
            "differs refuses whatever is unknown."
        ),
        source=COMMON,
    ),
    Rule(
        id="fit.measured",
        capability="matching",
        says=(
            "What was measured here counts before what the supplier claims; both are shown when they differ."
        ),
        source=COMMON,
    ),
    Rule(
        id="fit.listing",
        capability="matching",
        says=(
            "A listing whose name and numbers disagree, or whose size and resolution cannot go "
            "together, is flagged: measure before you believe it."
        ),
        source="square pixels; VESA format names (from memory: sure)",
    ),
    Rule(
        id="fit.box",
        capability="matching",
        says=(
            "Each item missing from the box is moved over from the old screen and adds "
            f"{MOVE_OVER_MINUTES} minutes; one that is broken there is bought; where it cannot be had "
            "the part is refused."
        ),
        source=COMMON,
    ),
    Rule(
        id="fit.learned",
        capability="matching",
        says=(
            "A part that was fitted and proved on the same model makes what is unknown of it known; "
            "one that did not fit is refused. Neither overrides a rule: where they disagree both are "
            "shown."
        ),
        source=COMMON,
    ),
)


def judge(wanted: Wanted, offer: Offer, known: Known = NOTHING) -> Judged:
    """Hold an offer against a need. One hard difference refuses; one unknown hard attribute leaves it
    unknown.

    Unknown is what the offer does not say, and what nobody knows of the device yet (None in the need).
    """
    need, demands = wanted.need, wanted.demands
    findings: list[Finding] = []
    bridged: list[Compared] = []
    claimed = offer.attributes
    for rule in ATTRIBUTES:
        name = rule.name
        if name not in need:
            continue
        values_alone = rule.around is None and rule.value_of is None
        if values_alone and not offer.measured and name not in demands:
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
    extras = [comparison.flex for comparison in bridged if comparison.flex] + [
        item.bought for item in items if item.bought
    ]
    return Judged(
        offer=offer,
        fit=verdict(findings),
        findings=tuple(findings),
        items=items,
        bridges=tuple(comparison.bridge for comparison in bridged),
        evidence=learned,
        extras=tuple(extras),
        extra_minutes=sum([item.minutes for item in items])
        + sum([comparison.minutes for comparison in bridged]),
    )


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
    rule: Attribute, needed: Value | None, demanded: Demand | None, offer: Offer, around: Around
) -> tuple[Finding, Compared]:
    """One attribute of a need against an offer: the finding, and the comparison behind it. `demanded` = by
    this very model.
    """
    offered = rule.offered_by(offer)
    has_a_say = rule.around is not None and rule.around(needed, offered, offer, around)
    if not has_a_say and not (offer.measured and rule.name in offer.measured):
        return (
            _of_values(rule.name, needed, offered)
            if demanded is None
            else _of_demand(rule, needed, offered, demanded)
        )
    compared = _compare(rule, needed, offered, offer, around)
    if not rule.decides:
        compared = _as_demanded(compared, demanded or rule.demand, usual=demanded in (None, rule.demand))
    return _finding(rule, needed, offered, compared, _word_of(rule, offer)), compared


@lru_cache(maxsize=50_000, typed=True)
def _of_values(attribute: str, needed: Value | None, offered: Value | None) -> tuple[Finding, Compared]:
    """The finding where it follows from the two values alone. Thousands of offers say the same few things, so
    it is kept.
    """
    return _of_demand(BY_NAME[attribute], needed, offered, BY_NAME[attribute].demand)


def _of_demand(
    rule: Attribute, needed: Value | None, offered: Value | None, demand: Demand
) -> tuple[Finding, Compared]:
    compared = _compare(rule, needed, offered, NO_OFFER, NOTHING_AROUND)
    demanded = _as_demanded(compared, demand, usual=demand is rule.demand)
    return _finding(rule, needed, offered, demanded, ""), demanded


def _finding(
    rule: Attribute, needed: Value | None, offered: Value | None, compared: Compared, word_of: str
) -> Finding:
    return Finding(
        attribute=rule.name,
        title=rule.title,
        needed=rule.shown(needed) or NOT_SAID,
        offered=rule.shown(offered) or NOT_SAID,
        agreement=compared.agreement,
        rule=rule.rule,
        reason=compared.reason,
        word_of=word_of,
    )


def _word_of(rule: Attribute, offer: Offer) -> str:
    """Whose word a value is, when it was measured here, and what the supplier claims instead."""
    measured = offer.measured.get(rule.name)
    if measured is None:
        return ""
    claimed = offer.attributes.get(rule.name)
    other = f"; claimed {rule.shown(claimed)}" if claimed not in (None, "", measured.value) else ""
    return f"measured by {measured.who}{other}"


def _as_demanded(compared: Compared, demand: Demand, *, usual: bool) -> Compared:
    """A difference is a refusal, a consent or harmless as the attribute is held; what may differ need not be
    known.
    """
    if compared.agreement is Agreement.DIFFERS and demand is Demand.CONSENT:
        return replace(
            compared,
            agreement=Agreement.CONSENT,
            reason=f"{compared.reason}; this model takes it with consent",
        )
    if compared.agreement is Agreement.DIFFERS and demand is Demand.MAY:
        return replace(
            compared,
            agreement=Agreement.ALLOWED,
            reason="differs, and that does no harm" + ("" if usual else " on this model"),
        )
    if compared.agreement is Agreement.UNKNOWN and demand is Demand.MAY:
        return replace(compared, agreement=Agreement.ALLOWED, reason="not known, and it may differ")
    return compared


def _compare(
    rule: Attribute, needed: Value | None, offered: Value | None, offer: Offer, around: Around
) -> Compared:
    """The comparison of two known values, or why it is unknown."""
    if needed in rule.asks_nothing:
        return SAME
    if needed is None or offered is None:
        return rule.unknown(needed, offered, around)
    if needed == offered:
        return SAME
    return rule.compare(rule.pair(needed, offered, offer, around))


# -- what the box must hold -------------------------------------------------------------------


def _items(wanted: Wanted, offer: Offer, known: Known) -> list[Item]:
    """Where each item of the new screen comes from (rule fit.box)."""
    items = []
    for name in wanted.move_over:
        spare = known.spares.get(name)
        if name in offer.box:
            items.append(Item(name=name, source=Source.BOX))
        elif name not in known.around.destroyed:
            items.append(Item(name=name, source=Source.MOVED, minutes=MOVE_OVER_MINUTES))
        elif spare:
            items.append(
                Item(
                    name=name,
                    source=Source.BOUGHT,
                    bought=spare,
                    minutes=MOVE_OVER_MINUTES,
                    says=f"broken on the old screen: {spare.part}",
                )
            )
        else:
            items.append(
                Item(
                    name=name,
                    source=Source.NOWHERE,
                    says="broken on the old screen, not in the box, and nobody sells it",
                )
            )
    for supply in wanted.supplies:
        if supply.item in offer.box:
            items.append(Item(name=supply.item, source=Source.BOX))
        else:
            items.append(
                Item(name=supply.item, source=Source.INSTEAD, minutes=supply.minutes, says=supply.instead)
            )
    return items


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
    """What is learned beside the rules: it fills what is unknown, refuses what did not fit, overrides nothing
    (rule fit.learned).
    """
    proved = [lesson for lesson in learned if lesson.outcome is Learned.PROVED]
    failed = [lesson for lesson in learned if lesson.outcome is Learned.DID_NOT_FIT]
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
    if any(finding.agreement is Agreement.DIFFERS for finding in findings):
        return [
            *findings,
            _lesson(
                Agreement.UNKNOWN,
                f"fitted and proved on {_jobs(proved)}, although a rule says it differs: measure it again",
            ),
        ]
    filled = [
        replace(
            finding, agreement=Agreement.AGREES, reason=f"not known, but fitted and proved on {_jobs(proved)}"
        )
        if finding.agreement is Agreement.UNKNOWN and finding.unsaid
        else finding
        for finding in findings
    ]
    return [*filled, _lesson(Agreement.AGREES, f"fitted and proved on {_jobs(proved)}")]


def _jobs(evidence: Sequence[Evidence]) -> str:
    named = list(dict.fromkeys(lesson.job for lesson in evidence))
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
        number = float(value) if value is not None else None
    except ValueError:
        return None
    return number if number and number > 0 else None


# -- words ------------------------------------------------------------------------------------


# A refusal is understood from its first reasons; the others stand in the table. The shop's, no source.
MOST_REASONS = 3


def _sentence(fit: Fit, findings: Sequence[Finding], items: Sequence[Item]) -> str:
    def listed(agreement: Agreement) -> str:
        reasons = [
            f"{finding.title.lower()}: {finding.reason}"
            for finding in findings
            if finding.agreement is agreement
        ]
        more = len(reasons) - MOST_REASONS
        return "; ".join(reasons[:MOST_REASONS]) + (f"; and {more} more" if more > 0 else "")

    said = {
        Fit.NOT: f"Does not fit – {listed(Agreement.DIFFERS)}.",
        Fit.UNKNOWN: f"Not known – {listed(Agreement.UNKNOWN)}.",
        Fit.CONSENT: f"Fits if the customer agrees – {listed(Agreement.CONSENT)}.",
        Fit.BRIDGED: f"Fits with a bridge – {listed(Agreement.BRIDGED)}.",
        Fit.FITS: "Fits – everything that must agree does.",
    }[fit]
    if not may_choose(fit):
        return said
    if fit is Fit.CONSENT and any(finding.agreement is Agreement.BRIDGED for finding in findings):
        said += f" Bridged: {listed(Agreement.BRIDGED)}."
    harmless = [finding.title.lower() for finding in findings if finding.agreement is Agreement.ALLOWED]
    if harmless and fit is Fit.FITS:
        said += f" Different and harmless: {', '.join(harmless)}."
    moved = [item.name for item in items if item.source is Source.MOVED]
    bought = [item.name for item in items if item.source is Source.BOUGHT]
    instead = [f"{item.says} instead of {item.name}" for item in items if item.source is Source.INSTEAD]
    said += f" Move over from the old screen: {', '.join(moved)}." if moved else ""
    said += f" Buy: {', '.join(bought)}." if bought else ""
    return said + (f" Use {'; '.join(instead)}." if instead else "")
