"""What must hold of any judge, and an independent brute-force judge that must agree on thousands of random
cases.
"""

from __future__ import annotations

import random
from dataclasses import replace
from typing import Any

from builders import offer, said
from hypothesis import given, settings
from hypothesis import strategies as st

from sutura.core.matching.attributes import Demand
from sutura.core.matching.comparing import Agreement, Around
from sutura.core.matching.judging import Fit, Known, Wanted, judge, may_choose
from sutura.core.matching.kits import find_kits, fit_each_other
from sutura.core.matching.numbers import Interchange, Numbers
from sutura.core.matching.offers import Offer
from sutura.core.matching.wanted import need_from

WORDS: dict[str, list[Any]] = {
    "kind": ["panel", "front"],
    "part_family": ["a", "b"],
    "width_mm": [100.0, 100.4, 100.6, 100.5],
    "height_mm": [50, 50.5, 51],
    "thickness_mm": [2.0, 2.2, 2.3],
    "active_width_mm": [90.0, 91.0, 91.1],
    "resolution": ["1366×768", "768x1366", "FHD", "WXGA"],
    "technology": ["OLED", "LCD"],
    "refresh_hz": [60, 120],
    "connector_kind": ["press", "latch"],
    "connector_pins": [30, 40],
    "connector_place": ["left", "right"],
    "mounting": ["none", "side brackets"],
    "touch": ["integrated", "none"],
    "windows": ["none", "camera 5,5", "camera 5.4,5", "camera 5,5 | sensor 9,9"],
    "colour": ["silver", "black"],
    "finish": ["matte", "glossy"],
    "leads": ["camera", "camera, 2 antenna"],
    "pairing": ["none", "serial", "locked"],
    "printed_number": ["N1", "N2", "N3", "X"],
}
GRADES = ["genuine new", "aftermarket", ""]
# N2 replaces N1, N3 replaces N2 when a condition holds
NUMBERS = Numbers.of(
    [Interchange(number="N2", of="N1"), Interchange(number="N3", of="N2", condition="new board")]
)
FLEX = replace(
    offer("P-3104"),
    id=900,
    part_id=900,
    attributes={
        "kind": "adapter flex",
        "connector_place": "left",
        "bridges_to": "right",
        "connector_kind": "press",
        "connector_pins": 40,
    },
)
SKIPPED = ("pairing", "printed_number")


def a_need(chance: random.Random) -> dict[str, Any]:
    found: dict[str, Any] = {"kind": chance.choice(WORDS["kind"])}
    for name, values in WORDS.items():
        if name != "kind" and chance.random() < 0.42:
            found[name] = None if chance.random() < 0.1 else chance.choice(values)
    return found


def an_offer(chance: random.Random, like: dict[str, Any]) -> Offer:
    """An offer that mostly agrees, so that every verdict is met."""
    attributes = {}
    for name, values in WORDS.items():
        if name in SKIPPED or chance.random() < 0.06:
            continue
        wanted = like.get(name)
        attributes[name] = wanted if wanted is not None and chance.random() < 0.9 else chance.choice(values)
    number = chance.choice(["", *WORDS["printed_number"]])
    return replace(
        offer("P-2001"),
        attributes=attributes,
        measured={},
        box=(),
        printed_number=number,
        grade=chance.choice(GRADES),
    )


def brute(need: dict[str, Any], demands: dict[str, Demand], part: Offer, *, flexes: bool) -> Fit:
    """The rules written down once more, straight and slow, from the trade notes and the rule list; it shares
    nothing with the core.
    """
    worst = 0
    for name, want in need.items():
        have = part.attributes.get(name)
        if name == "printed_number":
            worst = max(worst, _brute_number(want, part.printed_number))
            continue
        if name == "pairing":
            worst = max(worst, _brute_pairing(want, part.grade))
            continue
        score = (
            3
            if want is None or have is None
            else 0
            if want == have
            else _brute_values(name, want, have, part, flexes=flexes)
        )
        usual = Demand.MAY if name == "finish" else None
        strict = demands.get(name, usual)
        if strict is Demand.MAY and score in (3, 4):
            score = 0
        elif strict is Demand.CONSENT and score == 4:
            score = 2
        worst = max(worst, score)
    return [Fit.FITS, Fit.BRIDGED, Fit.CONSENT, Fit.UNKNOWN, Fit.NOT][worst]


def _brute_values(name: str, want: Any, have: Any, part: Offer, *, flexes: bool) -> int:
    if name in ("width_mm", "height_mm"):
        return 0 if round(abs(want - have), 6) <= 0.5 else 4
    if name == "thickness_mm":
        return 0 if round(abs(want - have), 6) <= 0.2 else 4
    if name == "active_width_mm":
        return 0 if round(abs(want - have), 6) <= 1.0 else 4
    if name == "resolution":
        means = {"1366×768": {1}, "768x1366": {1}, "FHD": {2}, "WXGA": {1, 3, 4}}
        if not means[want] & means[have]:
            return 4
        return 0 if means[want] == means[have] and len(means[want]) == 1 else 3
    if name == "refresh_hz":
        return 0 if have > want else 2
    if name == "connector_place":
        plugs = (
            part.attributes.get("connector_kind") == "press" and part.attributes.get("connector_pins") == 40
        )
        return 1 if flexes and (have, want) == ("left", "right") and plugs else 4
    if name == "mounting":
        return 1 if have == "none" else 4
    if name == "windows":
        return {
            ("none", "camera 5,5"): 2,
            ("none", "camera 5.4,5"): 2,
            ("none", "camera 5,5 | sensor 9,9"): 2,
            ("camera 5,5", "camera 5.4,5"): 0,
            ("camera 5.4,5", "camera 5,5"): 0,
            ("camera 5,5", "camera 5,5 | sensor 9,9"): 2,
            ("camera 5.4,5", "camera 5,5 | sensor 9,9"): 2,
        }.get((want, have), 4)
    return 4


def _brute_number(want: Any, have: str) -> int:
    rank = {"N1": 1, "N2": 2, "N3": 3}
    # any of the three could be refused, or need a condition, for another of them; X stands alone
    if want is None:
        return 3 if have in rank or not have else 0
    if not have:
        return 3 if want in rank else 0
    if want not in rank or have not in rank or want == have:
        return 0
    if rank[have] < rank[want]:
        return 4
    return 2 if have == "N3" else 0


def _brute_pairing(want: Any, grade: str) -> int:
    if want == "none":
        return 0
    if want is None or not grade:
        return 3
    return 1 if want == "serial" and grade == "genuine new" else 2


def test_an_independent_judge_agrees_on_thousands_of_random_cases() -> None:
    chance = random.Random(20_317)
    met: dict[Fit, int] = {}
    for _ in range(9_000):
        need = a_need(chance)
        demands = {
            name: chance.choice([Demand.MAY, Demand.CONSENT])
            for name in need
            if name not in ("kind", *SKIPPED) and chance.random() < 0.05
        }
        part, flexes = an_offer(chance, need), chance.random() < 0.5
        about = Known(around=Around(numbers=NUMBERS, flexes=(FLEX,) if flexes else ()))
        found = judge(Wanted(need=need, demands=demands), part, about)
        assert found.fit is brute(need, demands, part, flexes=flexes), (need, demands, part, said(found.says))
        met[found.fit] = met.get(found.fit, 0) + 1
    assert all(met.get(fit, 0) > 80 for fit in Fit), met


CHANCES = st.randoms(use_true_random=False)
ABOUT = Known(around=Around(numbers=NUMBERS, flexes=(FLEX,)))


@given(CHANCES)
def test_a_need_made_from_an_offer_is_fit_by_it(chance: random.Random) -> None:
    part = an_offer(chance, {})
    assert judge(Wanted(need=need_from(part)), part, ABOUT).fit is Fit.FITS


@given(CHANCES)
def test_one_hard_difference_always_refuses(chance: random.Random) -> None:
    need = a_need(chance)
    part = an_offer(chance, need)
    need["connector_pins"] = 40
    part = replace(part, attributes={**part.attributes, "connector_pins": 30})
    assert judge(Wanted(need=need), part, ABOUT).fit is Fit.NOT


# from sure yes to no; unknown and no are both no yes
YES = {Fit.FITS: 0, Fit.BRIDGED: 1, Fit.CONSENT: 2, Fit.UNKNOWN: 3, Fit.NOT: 3}


@settings(max_examples=200)
@given(CHANCES)
def test_knowing_less_never_improves_the_verdict(chance: random.Random) -> None:
    need = a_need(chance)
    part = an_offer(chance, need)
    before = judge(Wanted(need=need), part, ABOUT).fit
    for name in list(part.attributes):
        if name in ("finish", "kind"):
            continue
        less = replace(part, attributes={k: v for k, v in part.attributes.items() if k != name})
        assert YES[judge(Wanted(need=need), less, ABOUT).fit] >= YES[before], name
    for less in (replace(part, printed_number=""), replace(part, grade="")):
        assert YES[judge(Wanted(need=need), less, ABOUT).fit] >= YES[before]
    for name in need:
        if name not in ("kind", "finish"):
            assert YES[judge(Wanted(need={**need, name: None}), part, ABOUT).fit] >= YES[before], name


@given(CHANCES)
def test_a_verdict_carries_its_reasons(chance: random.Random) -> None:
    need = a_need(chance)
    found = judge(Wanted(need=need), an_offer(chance, need), ABOUT)
    assert {finding.attribute for finding in found.findings} == set(need)
    assert all(said(finding.reason) for finding in found.findings)
    reason = {
        Fit.NOT: Agreement.DIFFERS,
        Fit.UNKNOWN: Agreement.UNKNOWN,
        Fit.CONSENT: Agreement.CONSENT,
        Fit.BRIDGED: Agreement.BRIDGED,
    }
    if found.fit in reason:
        assert all(said(one.reason) in said(found.says) for one in found.of(reason[found.fit])[:3])


KIT_NEED: dict[str, str | int | float | None] = {
    "kind": "front assembly",
    "width_mm": 100.0,
    "height_mm": 50.0,
    "windows": "camera 5,5",
    "active_width_mm": 90.0,
    "active_height_mm": 40.0,
    "resolution": "1366×768",
    "connector_place": "right",
    "connector_kind": "press",
    "connector_pins": 40,
    "touch": "integrated",
}


@given(CHANCES)
def test_members_of_every_kit_fit_the_device_and_each_other(chance: random.Random) -> None:
    """Against trying every pair by hand: the kits found are exactly the pairs that pass, cheapest first."""
    glasses = [
        replace(
            offer("P-3103"),
            id=n,
            part_id=n,
            price_minor=chance.randrange(100, 999),
            measured={},
            attributes={
                "kind": "glass",
                "width_mm": chance.choice([100.0, 103.0]),
                "height_mm": 50.0,
                "windows": chance.choice(["camera 5,5", "camera 8,8"]),
                "active_width_mm": chance.choice([89.2, 90.8]),
                "active_height_mm": 40.0,
            },
        )
        for n in range(1, chance.randrange(1, 5))
    ]
    panels = [
        replace(
            offer("P-3102"),
            id=n,
            part_id=n,
            price_minor=chance.randrange(100, 999),
            measured={},
            attributes={
                "kind": "bare panel",
                "active_width_mm": chance.choice([89.2, 90.8]),
                "active_height_mm": 40.0,
                "resolution": chance.choice(["1366×768", "FHD"]),
                "connector_place": chance.choice(["left", "right", "top"]),
                "connector_kind": "press",
                "connector_pins": 40,
                "touch": "integrated",
            },
        )
        for n in range(11, 11 + chance.randrange(0, 4))
    ]
    kits = find_kits(Wanted(need=KIT_NEED), [*glasses, *panels], ABOUT, most=99)
    by_hand = {
        (glass.id, panel.id)
        for glass in glasses
        for panel in panels
        if glass.attributes["width_mm"] == 100.0
        and glass.attributes["windows"] == "camera 5,5"
        and panel.attributes["resolution"] == "1366×768"
        and panel.attributes["connector_place"] in ("left", "right")
        and glass.attributes["active_width_mm"] == panel.attributes["active_width_mm"]
    }
    assert {(kit.members[0].id, kit.members[1].id) for kit in kits} == by_hand
    assert all(may_choose(kit.fit) and kit.fit is not Fit.FITS for kit in kits)
    assert all(fit_each_other({"glass": kit.members[0], "bare panel": kit.members[1]}) for kit in kits)
    prices = [kit.offer.price_minor for kit in kits]
    assert prices == sorted(prices)
