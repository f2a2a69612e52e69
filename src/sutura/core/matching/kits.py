"""Kits: parts that together make the one that is needed. They are found by search, never typed in.

An earlier generation's panel with the newer front glass and, where its connector sits elsewhere, an adapter flex. Every member must
fit the device and every other member.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from sutura.core.matching.attributes import BY_NAME, Agreement, Need, Offer, Pair, Value, within
from sutura.core.matching.judging import (
    NOTHING,
    Finding,
    Fit,
    Judged,
    Known,
    Wanted,
    judge,
    may_choose,
    verdict,
)
from sutura.core.values import COMMON, Rule


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """What makes a part: for each member its kind and the attributes it brings; minutes to put them together."""

    makes: str
    members: Mapping[str, tuple[str, ...]]
    minutes: int


_PANEL = (
    "active_width_mm", "active_height_mm", "resolution", "technology", "refresh_hz", "connector_kind", "connector_pins", "connector_pitch_mm",
    "connector_place", "connector_side", "connector_orientation", "touch", "brightness_nits",
)  # fmt: skip
_GLASS = ("width_mm", "height_mm", "windows", "colour", "finish", "mounting")
# Joining a glass and a panel takes about this long with frame, roller and lamp; common practice, no source.
RECIPES = (
    Recipe(makes="front assembly", members={"glass": _GLASS, "bare panel": _PANEL}, minutes=40),
    Recipe(makes="fused stack", members={"glass": _GLASS, "bare panel": _PANEL}, minutes=40),
)
# No more than this many of each kind are tried, cheapest first: a shop looks at a few and not at thousands. The shop's, no source.
MOST_EACH = 40

KIT_RULES = (
    Rule(id="fit.kit", capability="matching",
         says="A kit is a bare panel with a front glass, and an adapter flex where the connector sits elsewhere: glass gives outline and windows, the panel picture, pixels and connector; picture sizes of both agree within 1 mm, together they are as thick as needed within 0.2 mm, and each fits the device. Cheapest complete kits first.",
         source=COMMON),
)  # fmt: skip


def members_of(need: Need) -> tuple[str, str] | None:
    """The kinds of glass and panel a kit for this need is made of; None when there is no recipe."""
    return ("glass", "bare panel") if _recipe(need) else None


def _recipe(need: Need) -> Recipe | None:
    return next((one for one in RECIPES if one.makes == need.get("kind")), None)


def find_kits(wanted: Wanted, parts: Sequence[Offer], known: Known = NOTHING, most: int = 5) -> list[Judged]:
    """The cheapest complete kits for a need that may be chosen, from the parts given (rule fit.kit)."""
    recipe = _recipe(wanted.need)
    if recipe is None:
        return []
    kinds = list(recipe.members)
    fitting = [
        [one for one in _cheapest(parts, kind) if _member_may(wanted, recipe, kind, one, known)]
        for kind in kinds
    ]
    found: list[Judged] = []
    for members in _by_price(fitting):
        if not fit_each_other(dict(zip(kinds, members, strict=True))):
            continue
        kit = judge_kit(wanted, recipe, dict(zip(kinds, members, strict=True)), known)
        if may_choose(kit.fit):
            found.append(kit)
        if len(found) == most:
            break
    return found


def _cheapest(parts: Sequence[Offer], kind: str) -> list[Offer]:
    """The cheapest offer of each part of a kind."""
    best: dict[int, Offer] = {}
    for one in sorted(parts, key=lambda one: (one.price_minor, one.id)):
        if one.known("kind") == kind:
            best.setdefault(one.part_id, one)
    return list(best.values())[:MOST_EACH]


def _by_price(groups: Sequence[Sequence[Offer]]) -> list[tuple[Offer, ...]]:
    return sorted(
        itertools.product(*groups),
        key=lambda ones: (sum(one.price_minor for one in ones), [one.id for one in ones]),
    )


def _member_may(wanted: Wanted, recipe: Recipe, kind: str, offer: Offer, known: Known) -> bool:
    """Whether a part may be this member: nothing it brings is known to differ from the need."""
    brings = {name: wanted.need[name] for name in recipe.members[kind] if name in wanted.need}
    alone = judge(Wanted(need=brings, demands=wanted.demands), offer, replace(known, learned={}))
    return alone.fit is not Fit.NOT


def fit_each_other(members: Mapping[str, Offer]) -> bool:
    """Whether the members of a kit fit each other: the same picture size as far as both say it; unknown is decided by the device."""
    glass, panel = members.get("glass"), members.get("bare panel")
    if glass is None or panel is None:
        return True
    for name in ("active_width_mm", "active_height_mm"):
        mine, theirs = glass.known(name), panel.known(name)
        if mine is None or theirs is None:
            continue
        if (
            within(
                Pair(rule=BY_NAME[name], needed=mine, offered=theirs, offer=panel, around=NOTHING.around)
            ).agreement
            is Agreement.DIFFERS
        ):
            return False
    return True


def judge_kit(wanted: Wanted, recipe: Recipe, members: Mapping[str, Offer], known: Known = NOTHING) -> Judged:
    """A kit as one offer: what each member brings, held against the need as a part of one piece would be.

    Part family and printed number name a part of one piece: the members are judged by their measures instead.
    """
    named = ("part_family", "printed_number")
    asked = {name: value for name, value in wanted.need.items() if name not in named}
    whole = _together(recipe, members)
    found = judge(replace(wanted, need=asked), whole, known)
    findings = (*found.findings, _members_agree(members))
    extras = tuple(one for one in found.extras if one not in members.values())
    fit = verdict(findings)
    # made of several parts, a kit is never simply a part that fits
    fit = Fit.BRIDGED if fit is Fit.FITS else fit
    names = " + ".join([*(one.part for one in members.values()), *(one.part for one in extras)])
    return replace(
        found, offer=replace(whole, part=names), findings=findings, fit=fit, members=tuple(members.values()), extra_minutes=found.extra_minutes + recipe.minutes,
        also=f"A kit of {len(members) + len(extras)} parts; putting them together takes {recipe.minutes} min.",
    )  # fmt: skip


def _members_agree(members: Mapping[str, Offer]) -> Finding:
    glass, panel = members.get("glass"), members.get("bare panel")
    sizes = [
        f"{one.known('active_width_mm') or '?'}×{one.known('active_height_mm') or '?'}"
        for one in (glass, panel)
        if one is not None
    ]
    known = all("?" not in size for size in sizes)
    return Finding(
        attribute="members", title="Members of the kit", needed=f"picture of the glass {sizes[0]} mm", offered=f"of the panel {sizes[-1]} mm", rule="fit.kit",
        agreement=Agreement.AGREES if known else Agreement.UNKNOWN,
        reason="they fit each other" if known else "not known whether they fit each other: measure both pictures",
    )  # fmt: skip


def _together(recipe: Recipe, members: Mapping[str, Offer]) -> Offer:
    """One offer made of the members: what each brings, their prices and boxes together, the longest wait, the fewest pieces."""
    attributes: dict[str, Value] = {"kind": recipe.makes}
    for kind, names in recipe.members.items():
        for name in names:
            value = members[kind].known(name)
            if value is not None:
                attributes[name] = value
    thick = [_length(one.known("thickness_mm")) for one in members.values()]
    if all(one is not None for one in thick):
        attributes["thickness_mm"] = round(sum(one for one in thick if one is not None), 3)
    parts = list(members.values())
    panel = members["bare panel"]
    return replace(
        panel, part=" + ".join(one.part for one in parts), attributes=attributes, measured={}, price_minor=sum(one.price_minor for one in parts),
        lead_days=max((one.lead_days for one in parts if one.free < 1), default=max(one.lead_days for one in parts)), free=min(one.free for one in parts), printed_number="",
        supplier=", ".join(dict.fromkeys(one.supplier for one in parts)), box=tuple(dict.fromkeys(item for one in parts for item in one.box)),
    )  # fmt: skip


def _length(value: Value | None) -> float | None:
    try:
        return float(value) if value is not None else None
    except ValueError:
        return None
