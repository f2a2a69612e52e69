"""Does this part fit? Every attribute of the need is held against the offer; the verdict carries its reasons.

Three-valued: unknown is never rounded up to yes, and one hard difference refuses.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache

from sutura.core.facts import Fact, Say, fact, sentences
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
from sutura.core.matching.resolution import listing_flags
from sutura.core.values import COMMON, Rule

# what stands where a value is not known
NOT_SAID = "not known"


class Fit(StrEnum):
    """The verdict, best first."""

    FITS = "fits"
    BRIDGED = "bridged"
    CONSENT = "consent"
    UNKNOWN = "unknown"
    NOT = "not"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One attribute judged: what is needed, what is offered and whose word that is, the outcome, the rule,
    the reason.
    """

    attribute: str
    title: Say
    needed: Say
    offered: Say
    agreement: Agreement
    rule: str
    reason: Say
    word_of: Say = ""

    @property
    def unsaid(self) -> bool:
        """Whether nobody said it of this part: the supplier does not, and it was not measured."""
        return self.offered == NOT_SAID


class Learned(StrEnum):
    """What came of a part on a model."""

    PROVED = "proved"
    DID_NOT_FIT = "did_not_fit"
    DEFECTIVE = "defective"


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
    """What is known beside the offer: adapter flexes, spares, numbers, broken items of the old screen; and
    what was learned.
    """

    around: Around = field(default_factory=Around)
    learned: Mapping[int, tuple[Evidence, ...]] = field(default_factory=dict)


NOTHING = Known()


class Source(StrEnum):
    """Where an item of the new screen comes from."""

    BOX = "box"
    MOVED = "moved"
    BOUGHT = "bought"
    INSTEAD = "instead"
    NOWHERE = "nowhere"


@dataclass(frozen=True, slots=True, kw_only=True)
class Item:
    """One item that must be on the new screen: where it comes from, the minutes it adds, the part when it is
    bought.
    """

    name: str
    source: Source
    minutes: int = 0
    says: Say = ""
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
    bridges: tuple[Say, ...]
    items: tuple[Item, ...]
    extra_minutes: int
    # what is said besides the verdict's own sentence, such as of a kit
    also: Say = ""
    evidence: tuple[Evidence, ...] = ()
    extras: tuple[Offer, ...] = ()
    members: tuple[Offer, ...] = ()

    @property
    def says(self) -> Say:
        """The verdict in a sentence, with its reasons."""
        return sentences([_sentence(self.fit, self.findings, self.items), self.also])

    @property
    def flags(self) -> tuple[Say, ...]:
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
        id="fit.demand",
        capability="matching",
        says=(
            "A model may hold an attribute otherwise than its rule: may = a difference does no harm, "
            "consent = it needs the customer's, must = it refuses. A number that another replaces is "
            "refused all the same."
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
        findings = with_learned(findings, learned)
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
    if demanded is not None or not rule.decides:
        compared = _as_held(rule, compared, demanded, known=needed is not None and offered is not None)
    return _finding(rule, needed, offered, compared, _word_of(rule, offer)), compared


@lru_cache(maxsize=50_000, typed=True)
def _of_values(attribute: str, needed: Value | None, offered: Value | None) -> tuple[Finding, Compared]:
    """The finding where it follows from the two values alone. Thousands of offers say the same few things, so
    it is kept.
    """
    return _of_demand(BY_NAME[attribute], needed, offered, None)


def _of_demand(
    rule: Attribute, needed: Value | None, offered: Value | None, demanded: Demand | None
) -> tuple[Finding, Compared]:
    compared = _compare(rule, needed, offered, NO_OFFER, NOTHING_AROUND)
    compared = _as_held(rule, compared, demanded, known=needed is not None and offered is not None)
    return _finding(rule, needed, offered, compared, ""), compared


def _finding(
    rule: Attribute, needed: Value | None, offered: Value | None, compared: Compared, word_of: Say
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


def _word_of(rule: Attribute, offer: Offer) -> Say:
    """Whose word a value is, when it was measured here, and what the supplier claims instead."""
    measured = offer.measured.get(rule.name)
    if measured is None:
        return ""
    claimed = offer.attributes.get(rule.name)
    if claimed in (None, "", measured.value):
        return fact("matching.measured-by", who=measured.who)
    return fact("matching.measured-by-claimed", who=measured.who, claimed=rule.shown(claimed))


def _as_held(rule: Attribute, compared: Compared, demanded: Demand | None, *, known: bool) -> Compared:
    """An outcome as strictly as the attribute is held: by its rule, or as this very model demands (rule
    fit.demand). `known` = both values are.
    """
    demand = demanded or rule.demand
    if demanded is not None:
        stricter = _as_the_model_demands(rule, compared, demanded, known=known)
        if stricter is not None:
            return stricter
    if rule.decides or demand is not Demand.MAY:
        return compared
    if compared.agreement is Agreement.DIFFERS:
        return replace(compared, agreement=Agreement.ALLOWED, reason=fact("matching.differs-does-no-harm"))
    if compared.agreement is Agreement.UNKNOWN:
        return replace(compared, agreement=Agreement.ALLOWED, reason=fact("matching.not-known-may-differ"))
    return compared


def _as_the_model_demands(
    rule: Attribute, compared: Compared, demanded: Demand, *, known: bool
) -> Compared | None:
    """What a model's own demand makes of an outcome; None where it changes nothing.

    May = what would need consent or refuse does no harm, but for a number that is replaced. Consent = what
    would refuse, or differ without harm, needs it. Must = what would need consent, or differ without harm,
    refuses.
    """
    agreement, reason = compared.agreement, compared.reason
    refuses = agreement is Agreement.DIFFERS
    if not known and agreement is Agreement.ALLOWED and demanded is not Demand.MAY:
        # what may differ need not be known; what this model demands must be
        return replace(compared, agreement=Agreement.UNKNOWN)
    if demanded is Demand.MAY and (agreement is Agreement.CONSENT or (refuses and not rule.decides)):
        harmless = fact("matching.differs-does-no-harm-on-this-model")
        return replace(compared, agreement=Agreement.ALLOWED, reason=harmless)
    if demanded is Demand.CONSENT and (agreement is Agreement.ALLOWED or (refuses and not rule.decides)):
        takes = fact("matching.model-takes-consent", reason=reason)
        return replace(compared, agreement=Agreement.CONSENT, reason=takes)
    if demanded is Demand.MUST and agreement in (Agreement.CONSENT, Agreement.ALLOWED):
        refused = fact("matching.model-demands-it", reason=reason)
        return replace(compared, agreement=Agreement.DIFFERS, reason=refused)
    return None


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
        spare = known.around.spares.get(name)
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
                    says=fact("matching.broken-old-screen", part=spare.part),
                )
            )
        else:
            items.append(
                Item(name=name, source=Source.NOWHERE, says=fact("matching.broken-old-screen-not-box-nobody"))
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
        title=fact("matching.contents-box"),
        needed=item.name,
        offered="missing",
        agreement=Agreement.DIFFERS,
        rule="fit.box",
        reason=fact("matching.item-missing", item=item.name, says=item.says),
    )


# -- what was learned -------------------------------------------------------------------------


def with_learned(findings: Sequence[Finding], learned: Sequence[Evidence]) -> list[Finding]:
    """What is learned beside the rules: it fills what is unknown, refuses what did not fit, overrides nothing
    (rule fit.learned).
    """
    proved = [lesson for lesson in learned if lesson.outcome is Learned.PROVED]
    failed = [lesson for lesson in learned if lesson.outcome is Learned.DID_NOT_FIT]
    if proved and failed:
        both = fact("matching.fitted-proved-did-not-fit-measure", jobs=_jobs(proved), jobs2=_jobs(failed))
        return [*findings, _lesson(Agreement.UNKNOWN, both)]
    if failed:
        return [
            *findings,
            _lesson(
                Agreement.DIFFERS,
                fact(
                    "matching.did-not-fit",
                    jobs=_jobs(failed),
                    why=failed[-1].says or fact("matching.no-reason-written"),
                ),
            ),
        ]
    if not proved:
        return list(findings)
    if any(finding.agreement is Agreement.DIFFERS for finding in findings):
        return [
            *findings,
            _lesson(
                Agreement.UNKNOWN,
                fact("matching.fitted-proved-although-rule-says-differs", jobs=_jobs(proved)),
            ),
        ]
    filled = [
        replace(
            finding,
            agreement=Agreement.AGREES,
            reason=fact("matching.not-known-but-fitted-proved", jobs=_jobs(proved)),
        )
        if finding.agreement is Agreement.UNKNOWN and finding.unsaid
        else finding
        for finding in findings
    ]
    return [*filled, _lesson(Agreement.AGREES, fact("matching.fitted-proved", jobs=_jobs(proved)))]


def _jobs(evidence: Sequence[Evidence]) -> Say:
    named = list(dict.fromkeys(lesson.job for lesson in evidence))
    if len(named) <= MOST_JOBS:
        return ", ".join(named)
    return fact("matching.and-more", named=tuple(named[:MOST_JOBS]), more=len(named) - MOST_JOBS)


def _lesson(agreement: Agreement, reason: Say) -> Finding:
    return Finding(
        attribute="learned",
        title="Learned here",
        needed=fact("matching.part-fits"),
        offered="seen before",
        agreement=agreement,
        rule="fit.learned",
        reason=reason,
    )


# -- words ------------------------------------------------------------------------------------


# A refusal is understood from its first reasons; the others stand in the table. The shop's, no source.
MOST_REASONS = 3
# nor are more jobs named
MOST_JOBS = 3


def _sentence(fit: Fit, findings: Sequence[Finding], items: Sequence[Item]) -> Say:
    def listed(agreement: Agreement) -> tuple[Fact, ...]:
        reasons = [
            fact("matching.titled", title=finding.title, reason=finding.reason)
            for finding in findings
            if finding.agreement is agreement
        ]
        more = len(reasons) - MOST_REASONS
        return (*reasons[:MOST_REASONS], *([fact("matching.more", more=more)] if more > 0 else []))

    said: list[Say] = [
        {
            Fit.NOT: fact("matching.does-not-fit", reasons=listed(Agreement.DIFFERS)),
            Fit.UNKNOWN: fact("matching.not-known", reasons=listed(Agreement.UNKNOWN)),
            Fit.CONSENT: fact("matching.fits-if-customer-agrees", reasons=listed(Agreement.CONSENT)),
            Fit.BRIDGED: fact("matching.fits-with-bridge", reasons=listed(Agreement.BRIDGED)),
            Fit.FITS: fact("matching.fits"),
        }[fit]
    ]
    if not may_choose(fit):
        return said[0]
    if fit is Fit.CONSENT and (bridged := listed(Agreement.BRIDGED)):
        said.append(fact("matching.bridged", reasons=bridged))
    harmless = tuple(finding.title for finding in findings if finding.agreement is Agreement.ALLOWED)
    if harmless and fit is Fit.FITS:
        said.append(fact("matching.different-and-harmless", titles=harmless))
    for source, words in (
        (Source.MOVED, "matching.move-over"),
        (Source.BOUGHT, "matching.buy"),
        (Source.INSTEAD, "matching.use-instead"),
    ):
        of_source = [item for item in items if item.source is source]
        if of_source:
            said.append(fact(words, items=tuple(_instead(item) for item in of_source)))
    return sentences(said)


def _instead(item: Item) -> Say:
    if item.source is Source.INSTEAD:
        return fact("matching.instead-of", instead=item.says, item=item.name)
    return item.name
