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

from sutura.core.identify.scan import LabelPattern
from sutura.core.matching.attributes import BY_NAME, Demand
from sutura.core.matching.comparing import Agreement, Around
from sutura.core.matching.judging import Evidence, Fit, Known, Learned, Wanted, judge, may_choose
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
    "resolution": ["1366×768", "768x1366", "FHD", "Full HD", "WXGA", "4K", "Ultra HD 4K", "1080p", "2.8K"],
    "technology": ["OLED", "LCD"],
    "refresh_hz": [60, 120],
    "connector_kind": ["press", "latch"],
    "connector_pins": [30, 40],
    "connector_place": ["left", "right"],
    "mounting": ["none", "side brackets"],
    "touch": ["integrated", "none"],
    "windows": [
        "none",
        "camera 5,5",
        "camera 5.4,5",
        "camera 5,5 | sensor 9,9",
        "camera 5,5 | sensor 9,9 | sensor 12,9",
        "upper left",
    ],
    "colour": ["silver", "black"],
    "finish": ["matte", "glossy"],
    "leads": ["camera", "camera, 2 antenna"],
    "pairing": ["none", "serial", "locked"],
    "printed_number": ["N1", "N2", "N3", "X", "HF-70", "HF-70-R1", "HF-70-R2", "HF-70-R7", "HF-80-R1"],
}
GRADES = ["genuine new", "aftermarket", ""]
# N2 replaces N1, N3 replaces N2 when a condition holds; R2 of HF-70 replaces its R1
NUMBERS = Numbers.of(
    [
        Interchange(number="N2", of="N1"),
        Interchange(number="N3", of="N2", condition="new board"),
        Interchange(number="HF-70-R2", of="HF-70-R1"),
    ],
    [LabelPattern(maker="Fennick", base="HF-##", revision="-R#", says="edition")],
)
BRACKETS = replace(
    offer("P-3104"),
    id=901,
    part_id=901,
    attributes={"kind": "small part", "part_family": "mounting brackets"},
)
FLEX = replace(
    offer("P-3104"),
    id=900,
    part_id=900,
    attributes={
        "kind": "adapter flex",
        "connector_place": "left",
        "bridges_to": "right",
        "connector_kind": "Press",
        "connector_pins": "40",
    },
)
# it says nothing of its plugs, and unknown is neither yes nor no
SILENT_FLEX = replace(
    FLEX, attributes={"kind": "adapter flex", "connector_place": "left", "bridges_to": "right"}
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
        box=("mounting brackets",) if chance.random() < 0.2 else (),
        printed_number=number,
        grade=chance.choice(GRADES),
    )


WORSE = ["agrees", "allowed", "bridged", "consent", "unknown", "differs"]
VERDICTS = [Fit.FITS, Fit.FITS, Fit.BRIDGED, Fit.CONSENT, Fit.UNKNOWN, Fit.NOT]


def brute(need: dict[str, Any], demands: dict[str, Demand], part: Offer, about: Around) -> Fit:
    """The rules written down once more, straight and slow, from the trade notes and the rule list; it shares
    nothing with the core.
    """
    worst = 0
    for name, want in need.items():
        says = _brute_one(name, want, part, about)
        demand = demands.get(name)
        if says == "allowed" and name == "printed_number" and demand in (Demand.MUST, Demand.CONSENT):
            says = says if want and part.printed_number else "unknown"
        replaced = name == "printed_number" and says == "differs"
        if name == "finish" and demand is None:
            says = "allowed" if says in ("differs", "unknown") else says
        elif demand is Demand.MAY and not replaced:
            says = "allowed" if says == "consent" or says == "differs" else says
            says = "allowed" if says == "unknown" and name != "printed_number" else says
        elif demand is Demand.CONSENT and not replaced:
            says = "consent" if says in ("allowed", "differs") else says
        elif demand is Demand.MUST:
            says = "differs" if says in ("allowed", "consent") else says
        worst = max(worst, WORSE.index(says))
    return VERDICTS[worst]


def _brute_one(name: str, want: Any, part: Offer, about: Around) -> str:
    if name == "printed_number":
        return _brute_number(want, part.printed_number)
    if name == "pairing":
        return _brute_pairing(want, part.grade)
    have = part.attributes.get(name)
    if want is None or have is None:
        return "unknown"
    return "agrees" if want == have else _brute_values(name, want, have, part, about)


def _brute_values(name: str, want: Any, have: Any, part: Offer, about: Around) -> str:
    lengths = {"width_mm": 0.5, "height_mm": 0.5, "thickness_mm": 0.2, "active_width_mm": 1.0}
    if name in lengths:
        return "agrees" if round(abs(want - have), 6) <= lengths[name] else "differs"
    if name == "resolution":
        return _brute_resolution(want, have)
    if name == "refresh_hz":
        return "allowed" if have > want else "consent"
    if name == "connector_place":
        if not about.flexes or (have, want) != ("left", "right"):
            return "differs"
        plug = {"connector_kind": "press", "connector_pins": 40} if FLEX in about.flexes else {}
        said = {name: part.attributes.get(name) for name in ("connector_kind", "connector_pins")}
        if any(said[name] is not None and said[name] != plug[name] for name in plug):
            return "differs"
        # what one of both does not say is unknown
        return "bridged" if said == plug else "unknown"
    if name == "mounting":
        had = "mounting brackets" in part.box or not about.destroyed or about.spares
        return "bridged" if have == "none" and had else "differs"
    if name == "windows":
        return _brute_windows(want, have)
    return "differs"


def _brute_resolution(want: str, have: str) -> str:
    means: dict[str, set[Any]] = {
        "1366×768": {(1366, 768)},
        "768x1366": {(1366, 768)},
        "FHD": {(1920, 1080)},
        "Full HD": {(1920, 1080)},
        "WXGA": {(1280, 768), (1280, 800), (1366, 768)},
        "4K": {(3840, 2160), (4096, 2160)},
        "Ultra HD 4K": {(3840, 2160)},
    }
    if "2.8K" in (want, have):
        return "unknown"
    if "1080p" in (want, have):
        (other,) = {want, have} - {"1080p"}
        return "unknown" if any(low == 1080 for _, low in means[other]) else "differs"
    if not means[want] & means[have]:
        return "differs"
    return "agrees" if means[want] == means[have] and len(means[want]) == 1 else "unknown"


def _brute_windows(want: str, have: str) -> str:
    if "upper left" in (want, have):
        return "unknown"
    cameras = {"none": 0}
    sensors = {"camera 5,5 | sensor 9,9": 1, "camera 5,5 | sensor 9,9 | sensor 12,9": 2}
    more_cameras = cameras.get(have, 1) - cameras.get(want, 1)
    more_sensors = sensors.get(have, 0) - sensors.get(want, 0)
    if more_cameras < 0 or more_sensors < 0:
        return "differs"
    return {0: "agrees", 1: "consent"}.get(more_cameras + more_sensors, "differs")


def _brute_number(want: Any, have: str) -> str:
    rank = {"N1": 1, "N2": 2, "N3": 3}
    edition = {"HF-70-R1": 1, "HF-70-R2": 2}
    # what is not known could be one that is refused, or needs a condition; X stands alone
    one_of_them = {"HF-70", "HF-70-R7"}
    if want is None:
        return "unknown" if have in {*rank, "HF-70-R1", *one_of_them} or not have else "allowed"
    if not have:
        return "unknown" if want in {*rank, "HF-70-R2", *one_of_them} else "allowed"
    if want == have:
        return "agrees"
    if want in rank and have in rank:
        return "differs" if rank[have] < rank[want] else "consent" if have == "N3" else "agrees"
    if want in edition and have in edition:
        return "differs" if edition[have] < edition[want] else "agrees"
    if want.startswith("HF-70") and have.startswith("HF-70"):
        return _brute_edition(want, have)
    return "allowed"


def _brute_edition(want: str, have: str) -> str:
    """One of the two is not known as an edition: it may be R1 as well as R2, and only R1 for R2 is wrong."""
    return "allowed" if want == "HF-70-R1" or have == "HF-70-R2" else "unknown"


def _brute_pairing(want: Any, grade: str) -> str:
    if want == "none":
        return "agrees"
    if want == "locked":
        return "consent"
    if want is None or not grade:
        return "unknown"
    return "bridged" if grade == "genuine new" else "consent"


def test_an_independent_judge_agrees_on_thousands_of_random_cases() -> None:
    chance = random.Random(20_317)
    met: dict[Fit, int] = {}
    for _ in range(9_000):
        need = a_need(chance)
        demands = {
            name: chance.choice(list(Demand)) for name in need if name != "kind" and chance.random() < 0.06
        }
        part = an_offer(chance, need)
        about = Around(
            numbers=NUMBERS,
            flexes=chance.choice([(), (FLEX,), (SILENT_FLEX,)]),
            destroyed=frozenset({"mounting brackets"} if chance.random() < 0.5 else ()),
            spares={"mounting brackets": BRACKETS} if chance.random() < 0.5 else {},
        )
        found = judge(Wanted(need=need, demands=demands), part, Known(around=about))
        assert found.fit is brute(need, demands, part, about), (need, demands, part, said(found.says))
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


KIT_GLASS: dict[str, Any] = {
    "kind": "glass",
    "width_mm": 100.0,
    "height_mm": 50.0,
    "windows": "camera 5,5",
    "active_width_mm": 90.0,
    "active_height_mm": 40.0,
}
KIT_PANEL: dict[str, Any] = {
    "kind": "bare panel",
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
            box=("adapter flex",) if chance.random() < 0.3 else (),
            attributes={
                **KIT_GLASS,
                "width_mm": chance.choice([100.0, 103.0]),
                "windows": chance.choice(["camera 5,5", "camera 8,8"]),
                "active_width_mm": chance.choice([89.2, 90.8]),
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
                **KIT_PANEL,
                "active_width_mm": chance.choice([89.2, 90.8]),
                "resolution": chance.choice(["1366×768", "FHD"]),
                "connector_place": chance.choice(["left", "right", "top"]),
            },
        )
        for n in range(11, 11 + chance.randrange(0, 4))
    ]
    learned = {
        part.part_id: (Evidence(part_id=part.part_id, outcome=chance.choice(list(Learned)), job="00-KV6"),)
        for part in (*glasses, *panels, FLEX)
        if chance.random() < 0.3
    }
    about = replace(ABOUT, learned=learned)
    kits = find_kits(Wanted(need=KIT_NEED), [*glasses, *panels], about, most=99)
    failed = {part_id for part_id, lessons in learned.items() if lessons[0].outcome is Learned.DID_NOT_FIT}

    def needs_flex(glass: Offer, panel: Offer) -> bool:
        return panel.attributes["connector_place"] != "right" and not glass.box

    by_hand = {
        (glass.id, panel.id)
        for glass in glasses
        for panel in panels
        if glass.attributes["width_mm"] == 100.0
        and glass.attributes["windows"] == "camera 5,5"
        and panel.attributes["resolution"] == "1366×768"
        and (panel.attributes["connector_place"] in ("left", "right") or glass.box)
        and not failed & {glass.part_id, panel.part_id}
        and not (needs_flex(glass, panel) and FLEX.part_id in failed)
        and glass.attributes["active_width_mm"] == panel.attributes["active_width_mm"]
    }
    assert {(kit.members[0].id, kit.members[1].id) for kit in kits} == by_hand
    assert all(may_choose(kit.fit) and kit.fit is not Fit.FITS for kit in kits)
    assert all(fit_each_other({"glass": kit.members[0], "bare panel": kit.members[1]}) for kit in kits)
    prices = {
        (glass.id, panel.id): glass.price_minor
        + panel.price_minor
        + (FLEX.price_minor if needs_flex(glass, panel) else 0)
        for glass in glasses
        for panel in panels
    }
    asked = [prices[kit.members[0].id, kit.members[1].id] for kit in kits]
    assert asked == sorted(prices[pair] for pair in by_hand)
    some = find_kits(Wanted(need=KIT_NEED), [*glasses, *panels], about, most=2)
    assert [prices[kit.members[0].id, kit.members[1].id] for kit in some] == asked[:2]


@given(CHANCES)
def test_what_is_unknown_of_a_member_is_known_only_by_what_was_proved_of_it(chance: random.Random) -> None:
    """A glass and a panel with gaps; each was proved here or not."""
    gaps = {name for name in ("windows", "height_mm", "resolution", "touch") if chance.random() < 0.4}
    parts = [
        replace(
            offer("P-3103"),
            id=number,
            part_id=number,
            measured={},
            attributes={name: value for name, value in said_of.items() if name not in gaps},
        )
        for number, said_of in ((1, KIT_GLASS), (2, KIT_PANEL))
    ]
    proved = {number for number in (1, 2) if chance.random() < 0.5}
    learned = {number: (Evidence(part_id=number, outcome=Learned.PROVED, job="00-KV6"),) for number in proved}
    kits = find_kits(Wanted(need=KIT_NEED), parts, replace(ABOUT, learned=learned))
    still_unknown = {name for name in gaps if (1 if name in KIT_GLASS else 2) not in proved}
    assert bool(kits) is not bool(still_unknown)


def test_a_number_that_is_not_known_is_unknown_just_where_one_of_those_known_would_be_refused() -> None:
    """Random replacements, both ways and one way, with conditions: the rule tried out with every known
    number.
    """
    chance, number = random.Random(41), BY_NAME["printed_number"]
    for _ in range(400):
        names = ["A1", "B1", "C1", "D1", "E1"][: chance.randint(2, 5)]
        known = []
        for _ in range(chance.randint(1, 5)):
            one, other = chance.sample(names, 2)
            both, condition = chance.random() < 0.4, chance.choice(["", "", "c", "d"])
            known.append(Interchange(number=one, of=other, both=both, condition=condition))
        around = Around(numbers=Numbers.of(known))

        def refused(offered: str, needed: str, around: Around = around) -> bool:
            pair = number.pair(needed, offered, around=around)
            return number.compare(pair).agreement in (Agreement.DIFFERS, Agreement.CONSENT)

        for name in names:
            others = [other for other in names if other != name]
            unknown = number.unknown(name, None, around).agreement is Agreement.UNKNOWN
            assert unknown is any(refused(other, name) for other in others)
            unknown = number.unknown(None, name, around).agreement is Agreement.UNKNOWN
            assert unknown is any(refused(name, other) for other in others)
        pairs = [(one, other) for one in names for other in names if one != other]
        unknown = number.unknown(None, None, around).agreement is Agreement.UNKNOWN
        assert unknown is any(refused(*pair) for pair in pairs)
