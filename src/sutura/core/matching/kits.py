"""Kits: parts that together make the one that is needed. They are found by search, never typed in.

An earlier generation's panel with the newer front glass and, where its connector sits elsewhere, an adapter
flex. Every member must
fit the device and every other member.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from sutura.core.facts import fact
from sutura.core.matching.attributes import BY_NAME, Brings, Drawn, brought_by, drawn_as
from sutura.core.matching.comparing import Agreement
from sutura.core.matching.judging import (
    NOTHING,
    Evidence,
    Finding,
    Fit,
    Judged,
    Known,
    Learned,
    Wanted,
    judge,
    may_choose,
    verdict,
    with_learned,
)
from sutura.core.matching.offers import GRADES, Need, Offer, Value
from sutura.core.values import COMMON, Rule


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """What makes a part: for each member its kind and the attributes it brings; minutes to put them
    together.
    """

    makes: str
    members: Mapping[str, tuple[str, ...]]
    minutes: int


_MEMBERS = {"glass": brought_by(Brings.GLASS), "bare panel": brought_by(Brings.PANEL)}
# Joining a glass and a panel takes about this long with frame, roller and lamp; common practice, no source.
JOINING_MINUTES = 40
RECIPES = tuple(
    Recipe(makes=kind, members=_MEMBERS, minutes=JOINING_MINUTES)
    for kind in ("front assembly", "fused stack")
)
# No more than this many of each kind are tried, cheapest first: a shop looks at a few and not at thousands.
# The shop's, no source.
MOST_EACH = 40

RULES = (
    Rule(
        id="fit.kit",
        capability="matching",
        says=(
            "A kit is a bare panel with a front glass, and an adapter flex where the connector sits "
            "elsewhere: glass gives outline and windows, the panel picture, pixels and connector; "
            f"picture sizes of both agree within {BY_NAME['active_width_mm'].tolerance:g} mm, together "
            f"they are as thick as needed within {BY_NAME['thickness_mm'].tolerance:g} mm, and each "
            "fits the device. The kits cheapest with everything that is bought for them come "
            "first. What was "
            "learned of a member counts for what it brings; one that did not fit refuses the kit."
        ),
        source=COMMON,
    ),
)


def members_of(need: Need) -> tuple[str, str] | None:
    """The kinds of glass and panel a kit for this need is made of; None when there is no recipe."""
    return ("glass", "bare panel") if _recipe(need) else None


def _recipe(need: Need) -> Recipe | None:
    return next((recipe for recipe in RECIPES if recipe.makes == need.get("kind")), None)


def find_kits(wanted: Wanted, parts: Sequence[Offer], known: Known = NOTHING, most: int = 5) -> list[Judged]:
    """The cheapest complete kits for a need that may be chosen, from the parts given (rule fit.kit)."""
    recipe = _recipe(wanted.need)
    if recipe is None:
        return []
    kinds = list(recipe.members)
    fitting = [
        [offer for offer in _cheapest(parts, kind) if _member_may(wanted, recipe, kind, offer, known)]
        for kind in kinds
    ]
    kits: list[Judged] = []
    for members in _by_price(fitting):
        # an adapter can only make a kit dearer: what comes now is dearer than those that are complete
        if len(kits) >= most and _price(members) > _total(kits[most - 1]):
            break
        named = dict(zip(kinds, members, strict=True))
        if not fit_each_other(named):
            continue
        kit = judge_kit(wanted, recipe, named, known)
        if may_choose(kit.fit):
            kits.append(kit)
            # those of one price stay in the order in which they were found
            kits.sort(key=_total)
    return kits[:most]


def _price(parts: Iterable[Offer]) -> int:
    return sum(part.price_minor for part in parts)


def _total(kit: Judged) -> int:
    """What a kit costs with everything that is bought for it."""
    return _price((*kit.members, *kit.extras))


def _cheapest(parts: Sequence[Offer], kind: str) -> list[Offer]:
    """The cheapest offer of each part of a kind."""
    best: dict[int, Offer] = {}
    for part in sorted(parts, key=lambda part: (part.price_minor, part.id)):
        if part.known("kind") == kind:
            best.setdefault(part.part_id, part)
    return list(best.values())[:MOST_EACH]


def _by_price(groups: Sequence[Sequence[Offer]]) -> list[tuple[Offer, ...]]:
    return sorted(itertools.product(*groups), key=lambda ones: (_price(ones), [one.id for one in ones]))


def _member_may(wanted: Wanted, recipe: Recipe, kind: str, offer: Offer, known: Known) -> bool:
    """Whether a part may be this member: nothing it brings is known to differ from the need, and it was not
    found not to fit.

    What another member can make good, such as a connector that sits elsewhere, is decided of the whole kit.
    """
    brings = {
        name: wanted.need[name]
        for name in recipe.members[kind]
        if name in wanted.need and BY_NAME[name].around is None
    }
    learned = {offer.part_id: _refusing(known.learned.get(offer.part_id, ()))}
    alone = judge(Wanted(need=brings, demands=wanted.demands), offer, replace(known, learned=learned))
    return alone.fit is not Fit.NOT


def _refusing(learned: Sequence[Evidence]) -> tuple[Evidence, ...]:
    return tuple(lesson for lesson in learned if lesson.outcome is not Learned.PROVED)


def fit_each_other(members: Mapping[str, Offer]) -> bool:
    """Whether the members of a kit fit each other: the same picture size as far as both say it; unknown is
    decided by the device.
    """
    glass, panel = members.get("glass"), members.get("bare panel")
    if glass is None or panel is None:
        return True
    for name in drawn_as(Drawn.PICTURE):
        rule, mine, theirs = BY_NAME[name], glass.known(name), panel.known(name)
        if mine is None or theirs is None or mine == theirs:
            continue
        if rule.compare(rule.pair(mine, theirs)).agreement is Agreement.DIFFERS:
            return False
    return True


def judge_kit(wanted: Wanted, recipe: Recipe, members: Mapping[str, Offer], known: Known = NOTHING) -> Judged:
    """A kit as one offer: what each member brings, held against the need as a part of one piece would be.

    Part family and printed number name a part of one piece: the members are judged by their measures instead.
    """
    named = ("part_family", "printed_number")
    asked = {name: value for name, value in wanted.need.items() if name not in named}
    whole = _together(recipe, members)
    judged = judge(replace(wanted, need=asked), whole, replace(known, learned={}))
    extras = tuple(extra for extra in judged.extras if extra not in members.values())
    told = _with_what_was_learned(judged.findings, recipe, members, extras, known)
    findings = (*told, _members_agree(members))
    fit = verdict(findings)
    # made of several parts, a kit is never simply a part that fits
    fit = Fit.BRIDGED if fit is Fit.FITS else fit
    names = " + ".join([*(member.part for member in members.values()), *(extra.part for extra in extras)])
    return replace(
        judged,
        offer=replace(whole, part=names),
        findings=findings,
        extras=extras,
        evidence=tuple(
            lesson for part in (*members.values(), *extras) for lesson in known.learned.get(part.part_id, ())
        ),
        fit=fit,
        members=tuple(members.values()),
        extra_minutes=judged.extra_minutes + recipe.minutes,
        also=(
            fact(
                "matching.kit-parts-putting-them-together-takes",
                count=len(members) + len(extras),
                minutes=recipe.minutes,
            )
        ),
    )


def _with_what_was_learned(
    findings: Sequence[Finding],
    recipe: Recipe,
    members: Mapping[str, Offer],
    extras: Sequence[Offer],
    known: Known,
) -> list[Finding]:
    """What was learned of each part says something of what that part brings, and of nothing else; one that
    did not fit refuses the kit (rule fit.learned).
    """
    told = list(findings)
    brought = {kind: set(names) for kind, names in recipe.members.items()}
    for kind, part in (*members.items(), *(("", extra) for extra in extras)):
        learned = known.learned.get(part.part_id, ())
        if not learned:
            continue
        own = [finding for finding in told if finding.attribute in brought.get(kind, ())]
        others = [finding for finding in told if finding.attribute not in brought.get(kind, ())]
        told = [*others, *with_learned(own, learned)]
    return told


def _members_agree(members: Mapping[str, Offer]) -> Finding:
    glass, panel = members.get("glass"), members.get("bare panel")
    sizes = [
        f"{member.known('active_width_mm') or '?'}×{member.known('active_height_mm') or '?'}"
        for member in (glass, panel)
        if member is not None
    ]
    known = all("?" not in size for size in sizes)
    return Finding(
        attribute="members",
        title=fact("matching.members-kit"),
        needed=fact("matching.picture-glass-mm", sizes=sizes[0]),
        offered=fact("matching.panel-mm", sizes=sizes[-1]),
        rule="fit.kit",
        agreement=Agreement.AGREES if known else Agreement.UNKNOWN,
        reason=fact("matching.they-fit-each-other")
        if known
        else fact("matching.not-known-whether-they-fit-each"),
    )


def _together(recipe: Recipe, members: Mapping[str, Offer]) -> Offer:
    """One offer made of the members: what each brings, their prices and boxes together, the longest wait, the
    fewest pieces.
    """
    attributes: dict[str, Value] = {"kind": recipe.makes}
    for kind, names in recipe.members.items():
        for name in names:
            value = members[kind].known(name)
            if value is not None:
                attributes[name] = value
    thick = [_length(member.known("thickness_mm")) for member in members.values()]
    if all(thickness is not None for thickness in thick):
        attributes["thickness_mm"] = round(sum(thickness for thickness in thick if thickness is not None), 3)
    parts = list(members.values())
    panel = members["bare panel"]
    return replace(
        panel,
        part=" + ".join(part.part for part in parts),
        attributes=attributes,
        measured={},
        price_minor=sum(part.price_minor for part in parts),
        lead_days=max(
            (offer.lead_days for offer in parts if offer.free < 1),
            default=max(part.lead_days for part in parts),
        ),
        free=min(part.free for part in parts),
        grade=_worst_grade(parts),
        guarantee_days=_least([part.guarantee_days for part in parts]),
        returns="; ".join(dict.fromkeys(part.returns for part in parts))
        if all(p.returns for p in parts)
        else "",
        printed_number="",
        supplier=", ".join(dict.fromkeys(part.supplier for part in parts)),
        box=tuple(dict.fromkeys(item for part in parts for item in part.box)),
    )


def _worst_grade(parts: Sequence[Offer]) -> str:
    """A kit is as good as its worst member; not known when one of them is not."""
    if any(part.grade not in GRADES for part in parts):
        return ""
    return max((part.grade for part in parts), key=GRADES.index)


def _least(days: Sequence[int | None]) -> int | None:
    known = [each for each in days if each is not None]
    return min(known) if len(known) == len(days) else None


def _length(value: Value | None) -> float | None:
    try:
        return float(value) if value is not None else None
    except ValueError:
        return None
