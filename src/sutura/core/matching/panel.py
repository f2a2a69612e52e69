"""The panel that is in a device, by its own word, held against what its model needs."""

from __future__ import annotations

from dataclasses import dataclass

from sutura.core.facts import Say, fact
from sutura.core.identify.panel import Panel, size_of
from sutura.core.matching.comparing import Agreement, Pair, resolution
from sutura.core.matching.judging import Finding, Fit
from sutura.core.matching.offers import Need
from sutura.core.maths.geometry import Box
from sutura.core.values import COMMON, Rule

# A catalogue's active area and a panel's own size are both rounded; shop practice, no source.
PANEL_TOLERANCE_MM = 2.0

_NOT_STATED: Say = fact("matching.no-resolution-stated")

RULES = (
    Rule(
        id="fit.panel-resolution",
        capability="matching",
        says="The panel in the device must state the resolution its model needs, whichever way it is held.",
        source=COMMON,
    ),
    Rule(
        id="fit.panel-size",
        capability="matching",
        says="The panel's own picture size must be the face's active area within 2 mm and its stated doubt.",
        source="common practice, no source; the tolerance is the shop's",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelJudged:
    """A panel's own word held against a need: same verdicts as for an offer, and what else it says of
    itself.
    """

    fit: Fit
    findings: tuple[Finding, ...]
    says: Say


def judge_panel(need: Need, active: Box, panel: Panel) -> PanelJudged:
    """Is the panel in the device the one its model needs? Resolution must agree; size within its own doubt.

    Rules fit.panel-resolution and fit.panel-size. What the panel does not say stays unknown.
    """
    findings = [_panel_resolution(need, panel), _panel_size(active, panel)]
    outcomes = {finding.agreement for finding in findings}
    fit = (
        Fit.NOT
        if Agreement.DIFFERS in outcomes
        else Fit.UNKNOWN
        if Agreement.UNKNOWN in outcomes
        else Fit.FITS
    )
    named = panel.part_number or panel.name or f"{panel.maker} {panel.product:04X}"
    if fit is Fit.NOT:
        differ = tuple(f.reason for f in findings if f.agreement is Agreement.DIFFERS)
        says = fact("matching.another-panel-device", named=named, differ=differ)
    elif fit is Fit.UNKNOWN:
        says = fact("matching.not-everything-must-say-said-measure", named=named)
    else:
        says = fact("matching.panel-device-kind-model-needs", named=named)
    return PanelJudged(fit=fit, findings=tuple(findings), says=says)


def _panel_resolution(need: Need, panel: Panel) -> Finding:
    needed = str(need.get("resolution") or "")
    if not panel.resolution or not needed:
        agreement, reason = Agreement.UNKNOWN, _NOT_STATED
    else:
        compared = resolution(Pair(needed=needed, offered=panel.resolution))
        agreement, reason = compared.agreement, compared.reason
    return Finding(
        attribute="resolution",
        title="Resolution",
        needed=needed or fact("catalogue.not-known"),
        offered=panel.resolution or fact("matching.not-said"),
        agreement=agreement,
        rule="fit.panel-resolution",
        reason=reason,
    )


def _panel_size(active: Box, panel: Panel) -> Finding:
    size = size_of(panel)
    needed = f"{active.width:g}×{active.height:g} mm"
    if size is None:
        return Finding(
            attribute="picture",
            title="Picture size",
            needed=needed,
            offered="not said",
            agreement=Agreement.UNKNOWN,
            rule="fit.panel-size",
            reason=fact("matching.states-no-size-measure-picture"),
        )
    offered = fact("matching.mm", width_mm=size.width_mm, height_mm=size.height_mm, doubt_mm=size.doubt_mm)
    sides = zip(sorted((active.width, active.height)), sorted((size.width_mm, size.height_mm)), strict=True)
    off = max(abs(a - b) for a, b in sides)
    if off <= PANEL_TOLERANCE_MM + size.doubt_mm:
        agreement, reason = (
            Agreement.AGREES,
            fact("matching.within-mm-doubt", panel_tolerance_mm=PANEL_TOLERANCE_MM, size=size.says),
        )
    else:
        agreement, reason = Agreement.DIFFERS, fact("matching.picture-mm-off", off=off)
    return Finding(
        attribute="picture",
        title="Picture size",
        needed=needed,
        offered=offered,
        agreement=agreement,
        rule="fit.panel-size",
        reason=reason,
    )
