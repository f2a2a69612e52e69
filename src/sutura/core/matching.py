"""Does this part fit? Each attribute of the need is held against the offer; the verdict carries its reasons.

Three-valued: unknown is never rounded up to yes, and one hard difference refuses.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from sutura.core.identify import Panel, size_of
from sutura.core.maths.geometry import Box
from sutura.core.values import COMMON, Rule

Value = str | int | float
# what a screen position demands; None = nobody knows it yet
Need = Mapping[str, Value | None]


class Fit(StrEnum):
    """The verdict, best first."""

    FITS = "fits"
    BRIDGED = "fits with a bridge"
    UNKNOWN = "unknown"
    NOT = "does not fit"


class Agreement(StrEnum):
    AGREES = "agrees"
    ALLOWED = "may differ"
    BRIDGED = "bridged"
    UNKNOWN = "unknown"
    DIFFERS = "differs"


@dataclass(frozen=True, slots=True, kw_only=True)
class Finding:
    """One attribute judged: what is needed, what is offered, the outcome, the rule and the reason in words."""

    attribute: str
    needed: str
    offered: str
    agreement: Agreement
    rule: str
    reason: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """A part from a supplier at a price. `attributes` are what is known of the part; absent = unknown."""

    id: int
    part_id: int
    part: str
    printed_number: str
    supplier: str
    grade: str
    attributes: Mapping[str, Value]
    box: tuple[str, ...]
    price_minor: int
    lead_days: int
    free: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Judged:
    """An offer with its verdict, the findings, what must be moved over and the minutes that adds."""

    offer: Offer
    fit: Fit
    findings: tuple[Finding, ...]
    bridges: tuple[str, ...]
    move_over: tuple[str, ...]
    extra_minutes: int
    says: str


@dataclass(frozen=True, slots=True, kw_only=True)
class AttributeRule:
    """How one attribute is compared. `tolerance_mm` for lengths; `bridge` maps (needed, offered) to a bridge."""

    attribute: str
    title: str
    hard: bool
    source: str = COMMON
    tolerance_mm: float | None = None
    bridges: Mapping[tuple[str, str], str] | None = None


# Lengths: parts that agree within 0.5 mm seat in the same frame; shop practice, no source.
ATTRIBUTES = (
    AttributeRule(attribute="kind", title="Kind of part", hard=True),
    AttributeRule(attribute="part_family", title="Part family", hard=True),
    AttributeRule(attribute="width_mm", title="Outline width", hard=True, tolerance_mm=0.5),
    AttributeRule(attribute="height_mm", title="Outline height", hard=True, tolerance_mm=0.5),
    AttributeRule(attribute="resolution", title="Resolution", hard=True),
    AttributeRule(attribute="connector_kind", title="Connector kind", hard=True),
    AttributeRule(attribute="connector_pins", title="Connector pins", hard=True),
    AttributeRule(
        attribute="connector_place", title="Connector place", hard=True,
        bridges={("bottom left", "top left"): "adapter flex", ("top left", "bottom left"): "adapter flex"},
    ),
    AttributeRule(attribute="mounting", title="Mounting", hard=True),
    AttributeRule(attribute="touch", title="Touch", hard=True),
    AttributeRule(attribute="colour", title="Colour", hard=True),
    AttributeRule(attribute="finish", title="Finish", hard=False),
    AttributeRule(attribute="printed_number", title="Printed number", hard=False),
)  # fmt: skip

MOVE_OVER_MINUTES = 4

RULES = (
    *(
        Rule(
            id=f"fit.{rule.attribute}", capability="matching", source=rule.source,
            says=f"{rule.title} {'must agree' if rule.hard else 'may differ'}"
            + (f" within {rule.tolerance_mm:g} mm" if rule.tolerance_mm else "")
            + (f"; bridged by: {', '.join(sorted(set(rule.bridges.values())))}" if rule.bridges else "") + ".",
        )
        for rule in ATTRIBUTES
    ),
    Rule(id="fit.panel-resolution", capability="matching",
         says="The panel in the device must state the resolution its model needs, whichever way it is held.", source=COMMON),
    Rule(id="fit.panel-size", capability="matching",
         says="The panel's own picture size must be the face's active area within 2 mm and its stated doubt.", source="common practice, no source; the tolerance is the shop's"),
    Rule(id="fit.unknown", capability="matching", says="An unknown attribute that must agree makes the verdict unknown, never yes.", source=COMMON),
    Rule(id="fit.move-over", capability="matching",
         says=f"Each item missing from the box is moved over from the old screen and adds {MOVE_OVER_MINUTES} minutes.", source=COMMON),
)  # fmt: skip


def judge(need: Need, move_over: Sequence[str], offer: Offer) -> Judged:
    """Hold an offer against a need. One hard difference refuses; one unknown hard attribute leaves it unknown.

    Unknown is what the offer does not say, and what nobody knows of the device yet (None in the need).
    """
    findings = tuple(_find(rule, need, offer) for rule in ATTRIBUTES if rule.attribute in need)
    outcomes = {finding.agreement for finding in findings}
    fit = (
        Fit.NOT if Agreement.DIFFERS in outcomes
        else Fit.UNKNOWN if Agreement.UNKNOWN in outcomes
        else Fit.BRIDGED if Agreement.BRIDGED in outcomes
        else Fit.FITS
    )  # fmt: skip
    missing = tuple(item for item in move_over if item not in offer.box)
    return Judged(
        offer=offer, fit=fit, findings=findings, move_over=missing, says=_sentence(fit, findings, missing),
        bridges=tuple(f.offered for f in findings if f.agreement is Agreement.BRIDGED),
        extra_minutes=MOVE_OVER_MINUTES * len(missing),
    )  # fmt: skip


def _find(rule: AttributeRule, need: Need, offer: Offer) -> Finding:
    needed = need[rule.attribute]
    offered = (
        offer.printed_number if rule.attribute == "printed_number" else offer.attributes.get(rule.attribute)
    )
    unit = " mm" if rule.tolerance_mm is not None else ""
    make = _finding_maker(
        rule, "not known" if needed is None else f"{needed}{unit}",
        "not known" if offered in (None, "") else f"{offered}{unit}",
    )  # fmt: skip
    if needed is None:
        return make(
            Agreement.UNKNOWN if rule.hard else Agreement.ALLOWED,
            "not known of this device: measure the original on the table"
            if rule.hard
            else "not known, and it may differ",
        )
    if offered in (None, ""):
        if rule.hard:
            return make(Agreement.UNKNOWN, "not known of this part: measure it or ask the supplier")
        return make(Agreement.ALLOWED, "not known, and it may differ")
    if _same(rule, needed, offered):
        return make(Agreement.AGREES, "the same" if unit == "" else f"within {rule.tolerance_mm:g} mm")
    if not rule.hard:
        return make(Agreement.ALLOWED, "differs, and that does no harm")
    bridge = (rule.bridges or {}).get((str(needed), str(offered)))
    if bridge and offer.attributes.get("bridge") == bridge:
        return make(Agreement.BRIDGED, f"sits elsewhere; the {bridge} in the box bridges it")
    return make(Agreement.DIFFERS, f"needs {needed}{unit}, this one has {offered}{unit}")


def _finding_maker(rule: AttributeRule, needed: str, offered: str) -> Callable[[Agreement, str], Finding]:
    def make(agreement: Agreement, reason: str) -> Finding:
        return Finding(
            attribute=rule.title, needed=needed, offered=offered, agreement=agreement,
            rule=f"fit.{rule.attribute}", reason=reason,
        )  # fmt: skip

    return make


def _same(rule: AttributeRule, needed: Value, offered: Value) -> bool:
    if rule.tolerance_mm is not None:
        try:
            return abs(Decimal(str(needed)) - Decimal(str(offered))) <= Decimal(str(rule.tolerance_mm))
        except ArithmeticError:
            return False
    return str(needed).casefold() == str(offered).casefold()


def _sentence(fit: Fit, findings: Sequence[Finding], missing: Sequence[str]) -> str:
    def listed(agreement: Agreement) -> str:
        return "; ".join(f"{f.attribute.lower()}: {f.reason}" for f in findings if f.agreement is agreement)

    extra = f" Move over from the old screen: {', '.join(missing)}." if missing else ""
    if fit is Fit.NOT:
        return f"Does not fit – {listed(Agreement.DIFFERS)}."
    if fit is Fit.UNKNOWN:
        return f"Not known – {listed(Agreement.UNKNOWN)}."
    if fit is Fit.BRIDGED:
        return f"Fits with a bridge – {listed(Agreement.BRIDGED)}.{extra}"
    other = [f.attribute.lower() for f in findings if f.agreement is Agreement.ALLOWED]
    differs = f" Different and harmless: {', '.join(other)}." if other else ""
    return f"Fits – everything that must agree does.{differs}{extra}"


def rank(judged: Sequence[Judged], rate_minor_per_hour: int) -> list[Judged]:
    """Best first: verdict, then on the shelf before to be ordered, then part price plus the extra bench time."""
    order = list(Fit)

    def key(one: Judged) -> tuple[int, bool, int, int, int]:
        cost = one.offer.price_minor + one.extra_minutes * rate_minor_per_hour // 60
        return (order.index(one.fit), one.offer.free < 1, cost, one.offer.lead_days, one.offer.id)

    return sorted(judged, key=key)


def may_choose(fit: Fit) -> bool:
    """Only a part that fits, or fits with its bridge, can be chosen; unknown is not yes."""
    return fit in (Fit.FITS, Fit.BRIDGED)


# -- the panel that is in the device --------------------------------------------------------

# A catalogue's active area and a panel's own size are both rounded; shop practice, no source.
PANEL_TOLERANCE_MM = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelJudged:
    """A panel's own word held against a need: same verdicts as for an offer, and what else it says of itself."""

    fit: Fit
    findings: tuple[Finding, ...]
    says: str


def judge_panel(need: Need, active: Box, panel: Panel) -> PanelJudged:
    """Is the panel in the device the one its model needs? Resolution must agree; size within its own doubt.

    Rules fit.panel-resolution and fit.panel-size. What the panel does not say stays unknown.
    """
    findings = [_panel_resolution(need, panel), _panel_size(active, panel)]
    outcomes = {finding.agreement for finding in findings}
    fit = (
        Fit.NOT if Agreement.DIFFERS in outcomes
        else Fit.UNKNOWN if Agreement.UNKNOWN in outcomes
        else Fit.FITS
    )  # fmt: skip
    named = panel.part_number or panel.name or f"{panel.maker} {panel.product:04X}"
    if fit is Fit.NOT:
        differ = "; ".join(f.reason for f in findings if f.agreement is Agreement.DIFFERS)
        says = f"Another panel is in this device: {named} – {differ}."
    elif fit is Fit.UNKNOWN:
        says = f"{named}: not everything it must say is said; measure it."
    else:
        says = f"{named}: the panel in this device is of the kind its model needs."
    return PanelJudged(fit=fit, findings=tuple(findings), says=says)


def _panel_resolution(need: Need, panel: Panel) -> Finding:
    needed = str(need.get("resolution") or "")
    if not panel.resolution or not needed:
        agreement, reason = Agreement.UNKNOWN, "no resolution is stated"
    elif _turned(panel.resolution) == _turned(needed):
        agreement, reason = Agreement.AGREES, "the same"
    else:
        agreement, reason = Agreement.DIFFERS, f"needs {needed}, this one has {panel.resolution}"
    return Finding(
        attribute="Resolution", needed=needed or "not known", offered=panel.resolution or "not said", agreement=agreement,
        rule="fit.panel-resolution", reason=reason,
    )  # fmt: skip


def _turned(resolution: str) -> tuple[str, ...]:
    """The two numbers whichever way the device is held: a phone's panel is often wired on its side."""
    return tuple(sorted(resolution.split("×")))


def _panel_size(active: Box, panel: Panel) -> Finding:
    size = size_of(panel)
    needed = f"{active.width:g}×{active.height:g} mm"
    if size is None:
        return Finding(
            attribute="Picture size", needed=needed, offered="not said", agreement=Agreement.UNKNOWN,
            rule="fit.panel-size", reason="it states no size: measure the picture",
        )  # fmt: skip
    offered = f"{size.width_mm:g}×{size.height_mm:g} mm, ±{size.doubt_mm:g}"
    sides = zip(sorted((active.width, active.height)), sorted((size.width_mm, size.height_mm)), strict=True)
    off = max(abs(a - b) for a, b in sides)
    if off <= PANEL_TOLERANCE_MM + size.doubt_mm:
        agreement, reason = Agreement.AGREES, f"within {PANEL_TOLERANCE_MM:g} mm and its doubt; {size.says}"
    else:
        agreement, reason = Agreement.DIFFERS, f"its picture is {off:.0f} mm off"
    return Finding(
        attribute="Picture size",
        needed=needed,
        offered=offered,
        agreement=agreement,
        rule="fit.panel-size",
        reason=reason,
    )
