"""What is recommended, judged from the rule and sorted by hand. Weights: the shop's, no source."""

from __future__ import annotations

from functools import cmp_to_key
from typing import Any

from builders import models, said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.upgrades import UPGRADE, upgrades_of
from sutura.core.quoting.aim import KEEPS_THE_PART, Aim, Cures, Weighing, aim, cures

WEIGHING = Weighing(wait_day_minor=300, failure_minor=1_500, least_sure=0.8, most_minor=40_000)
MADE = st.fixed_dictionaries(
    {
        "price": st.integers(0, 60_000),
        "left": st.integers(-5_000, 20_000),
        "sure": st.sampled_from([0.5, 0.7, 0.9, 1.0]),
        "wait": st.integers(0, 9),
        "late": st.sampled_from([0, 2_500, 5_000]),
        "grade": st.sampled_from([0, 300, 1_500]),
        "consent": st.sampled_from([0, 5_000]),
        "cures": st.sampled_from(list(Cures)),
    }
)


def made(facts: dict[str, Any]) -> Aim:
    return aim(
        facts["price"],
        facts["left"],
        facts["sure"],
        WEIGHING,
        wait_days=facts["wait"],
        late_minor=facts["late"],
        grade_minor=facts["grade"],
        consent_minor=facts["consent"],
        cures=facts["cures"],
    )


def before(a: dict[str, Any], b: dict[str, Any]) -> int:
    """Which comes first, in the words of rule quote.aim; below zero the first."""
    order = ["yes", "unknown", "no"]
    if a["cures"] is not b["cures"]:
        return order.index(a["cures"].name.lower()) - order.index(b["cures"].name.lower())
    if (a["left"] < 0) != (b["left"] < 0):
        return 1 if a["left"] < 0 else -1

    # less sure than eight in ten, or dearer than 400.00, stands back
    back = [one["sure"] < 0.8 or one["price"] > 40_000 for one in (a, b)]
    if back[0] != back[1]:
        return 1 if back[0] else -1

    def costs(one: dict[str, Any]) -> float:
        beside = one["wait"] * 300 + one["late"] + one["grade"] + one["consent"]
        return round(float(one["price"] + beside + (1 - one["sure"]) * 1_500), 2)

    if costs(a) != costs(b):
        return -1 if costs(a) < costs(b) else 1
    return int(b["left"] - a["left"])


@given(st.lists(MADE, min_size=1, max_size=6))
def test_the_order_is_that_of_the_rule(every: list[dict[str, Any]]) -> None:
    by_key = sorted(every, key=lambda one: made(one).key)
    by_hand = sorted(every, key=cmp_to_key(before))
    assert [before(a, b) for a, b in zip(by_key, by_hand, strict=True)] == [0] * len(every)


@given(MADE)
def test_its_lines_are_its_sum(facts: dict[str, Any]) -> None:
    one = made(facts)
    assert abs(sum(minor for _, minor in one.lines) - one.weighed_minor) < 1
    assert all(said(name) for name, _ in one.lines)


def test_what_loses_the_function_that_is_faulty_does_not_cure_it() -> None:
    """W08: automatic brightness was lost; a display that stays silent loses it again."""
    assert cures(frozenset({"light"}), ["pairing"]) is Cures.NO
    assert cures(frozenset({"brightness", "image"}), ["finish", "pairing"]) is Cures.NO
    assert cures(frozenset({"image"}), ["pairing"]) is Cures.YES
    assert cures(frozenset({"light"}), ["finish"]) is Cures.YES
    assert cures(frozenset(), ["pairing"]) is Cures.UNKNOWN


def test_what_keeps_the_old_part_is_no_upgrade() -> None:
    wants = frozenset({UPGRADE})
    assert cures(wants, [KEEPS_THE_PART]) is Cures.NO
    assert cures(wants, []) is Cures.YES
    assert cures(frozenset({"image"}), [KEEPS_THE_PART]) is Cures.YES


def test_an_upgrade_is_what_the_model_has_not_and_can_be_had_with() -> None:
    offered = {model.id: [one.key for one in upgrades_of(model)] for model in models().values()}
    for model in models().values():
        finish = model.need.get("finish")
        other = {"glossy": ["finish:matte"], "matte": ["finish:glossy"]}.get(str(finish), [])
        assert offered[model.id] == other
    assert any(offered.values())


def test_nothing_is_broken_only_where_the_whole_screen_is_proved_sound() -> None:
    whole = {"glass": "whole", "image": "fine", "touch": "fine"}
    assert diagnose(whole).nothing_is_broken
    assert said(diagnose(whole).says) == "Nothing is broken."
    for left_out in whole:
        part = {name: answer for name, answer in whole.items() if name != left_out}
        assert not diagnose(part).nothing_is_broken
    for name, answer in (("glass", "broken"), ("image", "lines"), ("touch", "dead"), ("frame", "bent")):
        assert not diagnose({**whole, name: answer}).nothing_is_broken
