"""Diagnosis as an experienced technician would conclude: sets of observations with what follows, each with
its reason (common practice, no source), and the laws that bind layers, causes, next test and routes together.
"""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Mapping
from dataclasses import dataclass

import pytest
from builders import FEWER, HERON, PLAIN, examples, models, said, templates
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.intake.diagnosis import Diagnosis, can_be_tried, diagnose
from sutura.core.intake.layers import EVERYTHING, Has, has_of
from sutura.core.intake.likelihoods import expected_bits, likelihood, weights_of
from sutura.core.intake.observations import IN_LIST, QUESTIONS, Layer, Status, telling

BROKEN_BY = {
    "glass only": "glass",
    "touch layer": "touch",
    "panel": "panel",
    "backlight": "backlight",
    "connector": "connector",
    "flat battery": "battery",
    "board": "board",
}


@dataclass(frozen=True)
class Case:
    """Layers by their first letters: what is faulty, what is suspected, what is proved sound; then the next
    test, a word of the routes, and what the likeliest cause is not.
    """

    why: str
    seen: Mapping[str, str]
    faulty: str = ""
    suspected: str = ""
    sound: str = ""
    next: str | None = ""
    routes: str | None = None
    never: str = ""


def look(text: str) -> dict[str, str]:
    return dict(pair.split("=") for pair in text.split())


CASES = (
    # -- glass
    Case("only the glass", look("glass=broken image=fine touch=fine"), "glass", routes="glass only"),
    Case(
        "glass broken, rest fine, flat battery: its route stays, the battery is not called sound",
        look("glass=broken image=fine touch=fine battery=flat"),
        "glass",
        sound="panel touch connector board",
        routes="glass only",
        never="flat battery",
    ),
    Case(
        "whole and everything fine: nothing to blame",
        look("glass=whole image=fine touch=fine"),
        sound="glass",
    ),
    Case(
        "taken in for an upgrade",
        look("image=fine touch=fine glass=whole frame=straight"),
        never="glass only",
    ),
    Case(
        "nothing wrong, and nobody looked at the glass",
        look("image=fine touch=fine"),
        next="glass",
        never="glass only",
    ),
    Case("glass broken, nothing tried", look("glass=broken"), "glass", next="image"),
    Case(
        "glass broken and black", look("glass=broken image=none"), "glass", next="battery", never="glass only"
    ),
    Case("glass broken, touch dead", look("glass=broken image=fine touch=dead"), "glass", "touch connector"),
    Case(
        "glass and blotches", look("glass=broken image=blotch"), "glass panel", routes="panel or whole front"
    ),
    # -- black
    Case("black: is it charged?", look("image=none"), next="battery"),
    Case(
        "black and flat: charge first", look("image=none battery=flat"), next="battery", routes="charge first"
    ),
    Case("black and charged: asleep or off?", look("image=none battery=ok"), next="asleep"),
    Case(
        "it was asleep: nothing is broken by that",
        look("image=none battery=ok asleep=yes"),
        next="image",
        routes="",
    ),
    Case("awake and black: does it react?", look("image=none battery=ok asleep=no"), next="reacts"),
    Case(
        "it reacts: power and board are there",
        look("image=none battery=ok asleep=no reacts=yes"),
        suspected="panel backlight connector",
        sound="board battery",
        next="torch",
        never="board",
    ),
    Case(
        "it reacts, though nobody asked for the battery",
        look("image=none reacts=yes"),
        suspected="panel backlight connector",
        sound="board battery",
        next="torch",
        never="flat battery",
    ),
    Case(
        "nothing reacts: not the screen yet",
        look("image=none battery=ok asleep=no reacts=no"),
        suspected="board",
        next="external",
        routes="not the screen: board or battery first",
    ),
    Case(
        "a faint picture under a torch: its light",
        look("image=none battery=ok asleep=no reacts=yes torch=yes"),
        "backlight",
        sound="panel board",
        routes="backlight, its fuse or supply",
        never="panel",
    ),
    Case(
        "no picture under a torch: another screen",
        look("image=none battery=ok asleep=no reacts=yes torch=no"),
        suspected="panel backlight connector",
        next="external",
    ),
    Case(
        "another screen shows it: panel, light or plug",
        look("image=none battery=ok asleep=no reacts=yes torch=no external=yes"),
        suspected="panel backlight connector",
        sound="board",
        next="reseat",
        routes="panel or whole front",
        never="board",
    ),
    Case(
        "silent, but another screen shows a picture",
        look("image=none battery=ok asleep=no reacts=no external=yes"),
        suspected="panel backlight connector",
        sound="board",
        never="board",
    ),
    Case(
        "no picture on another screen either",
        look("image=none battery=ok asleep=no reacts=no external=no"),
        suspected="board",
    ),
    Case(
        "black after a repair, and it reacts: the plugs before the torch",
        look("image=none battery=ok asleep=no reacts=yes earlier=yes"),
        suspected="panel backlight connector",
        next="reseat",
    ),
    Case(
        "black, reseating cured it",
        look("image=none battery=ok reacts=yes reseat=gone"),
        "connector",
        sound="panel backlight board",
        routes="reseat or replace the flex",
        never="panel",
    ),
    Case(
        "black, reseating changed nothing",
        look("image=none battery=ok asleep=no reacts=yes torch=no external=yes reseat=same"),
        suspected="panel backlight",
        sound="connector board",
        never="connector",
    ),
    Case(
        "a thin coloured line on black",
        look("image=thread battery=ok"),
        suspected="panel",
        routes="panel or whole front",
    ),
    Case(
        "a thin line and flat: charge, and the panel stays suspected",
        look("image=thread battery=flat"),
        suspected="panel",
        next="battery",
    ),
    # -- faint
    Case("very faint: the torch", look("image=faint"), suspected="backlight", next="torch"),
    Case(
        "faint, and seen under a torch",
        look("image=faint torch=yes"),
        "backlight",
        sound="panel board",
        routes="backlight, its fuse or supply",
    ),
    # -- lines and white
    Case("lines: with the eye too?", look("image=lines"), suspected="panel connector", next="camera"),
    Case(
        "lines in the photo alone: no fault, and no reseating",
        look("image=lines camera=yes"),
        sound="panel",
        next=None,
        routes="no fault found",
        never="panel",
    ),
    Case(
        "lines with the eye: reseat",
        look("image=lines camera=no"),
        suspected="panel connector",
        next="reseat",
    ),
    Case(
        "lines after a repair: the plugs first",
        look("image=lines camera=no earlier=yes"),
        suspected="connector",
        next="reseat",
        routes="reseat the connectors",
    ),
    Case(
        "lines stay after reseating: the panel",
        look("image=lines camera=no reseat=same"),
        "panel",
        sound="connector",
        routes="panel or whole front",
        never="connector",
    ),
    Case(
        "lines gone after reseating: the plug",
        look("image=lines camera=no reseat=gone touch=dead"),
        "connector",
        sound="panel touch",
        never="touch layer",
    ),
    Case("white: reseat", look("image=white"), suspected="panel connector", next="reseat"),
    Case("white after a repair", look("image=white earlier=yes"), suspected="connector", next="reseat"),
    Case("white stays after reseating", look("image=white reseat=same"), "panel", sound="connector"),
    Case(
        "blotches lie in the panel", look("image=blotch touch=fine"), "panel", routes="panel or whole front"
    ),
    # -- touch
    Case(
        "touch dead on a good picture: reseat early",
        look("image=fine touch=dead"),
        suspected="touch connector",
        sound="panel",
        next="reseat",
    ),
    Case("touch by itself", look("image=fine touch=ghost"), suspected="touch connector", next="reseat"),
    Case(
        "touch stays dead after reseating",
        look("image=fine touch=part reseat=same"),
        suspected="touch",
        sound="panel connector",
        routes="glass and touch, or whole front",
        never="connector",
    ),
    Case(
        "touch works after reseating",
        look("image=fine touch=dead reseat=gone"),
        "connector",
        sound="touch panel",
        routes="reseat or replace the flex",
        never="touch layer",
    ),
    Case("a picture on a flat battery: touch can be tried", look("image=fine battery=flat"), next="touch"),
    # -- the list, liquid, frame
    Case(
        "the list says the picture is faulty, the glass is broken",
        look("glass=broken image_in_list=faulty"),
        "glass",
        "panel backlight connector",
        next="image",
        never="glass only",
    ),
    Case(
        "the list says touch is faulty",
        look("image=fine touch_in_list=faulty"),
        suspected="touch connector",
        never="glass only",
    ),
    Case("liquid proves nothing", look("liquid=tripped"), suspected="board connector", next="image"),
    Case("a bent frame", look("frame=bent"), "frame", next="image"),
    Case("opened before, nothing tried", look("earlier=yes"), next="image"),
    Case("not opened before, glass whole", look("earlier=no glass=whole"), sound="glass", next="image"),
)


def by_status(found: Diagnosis, status: Status) -> set[str]:
    return {reading.layer.value for reading in found.layers if reading.status is status}


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.why)
def test_a_technician_would_conclude_the_same(case: Case) -> None:
    found = diagnose(case.seen)
    assert by_status(found, Status.FAULTY) == set(case.faulty.split())
    assert {reading.layer.value for reading in found.layers if reading.suspected} == set(
        case.suspected.split()
    )
    assert set(case.sound.split()) <= by_status(found, Status.SOUND)
    if case.next != "":
        assert (found.next_test.question if found.next_test else None) == case.next
    if case.routes is not None:
        assert case.routes in said(found.routes)
        assert bool(case.routes) is bool(found.routes)
    if case.never:
        assert case.never not in {cause.name for cause in found.causes[:1]}
    assert "Nothing is observed yet" not in said(found.says)


def test_the_table_is_as_long_as_it_should_be() -> None:
    assert len(CASES) >= 40
    assert len({case.why for case in CASES}) == len(CASES)


# -- laws -------------------------------------------------------------------------------------------


def some_observations(seed: int) -> dict[str, str]:
    chance = random.Random(seed)
    seen = {q.id: chance.choice(list(q.answers)) for q in QUESTIONS if chance.random() < 0.35}
    for name, listed in IN_LIST.items():
        if chance.random() < 0.2:
            seen[listed] = (
                "faulty" if seen.get(name, "fine") != "fine" else chance.choice(["works", "faulty"])
            )
    return seen


seeds = st.integers(0, 10**9)


@given(seeds)
@examples(300)
def test_no_cause_is_a_layer_that_is_sound_and_none_stands_beside_a_proof(seed: int) -> None:
    seen = some_observations(seed)
    found = diagnose(seen)
    sound, faulty = by_status(found, Status.SOUND), by_status(found, Status.FAULTY)
    behind = faulty - {"glass", "frame"}
    wrong = seen.get("image", "fine") != "fine" or seen.get("touch", "fine") != "fine"
    for cause in found.causes:
        assert BROKEN_BY.get(cause.name) not in sound
        assert not behind or BROKEN_BY.get(cause.name) in behind
        if wrong or "faulty" in (seen.get("image_in_list"), seen.get("touch_in_list")):
            assert cause.name not in ("glass only", "no fault")
        if cause.name == "no fault":
            assert not faulty
            assert not any(reading.suspected for reading in found.layers)
    assert sum(cause.share for cause in found.causes) <= 1 + 1e-9


def uncertainty(seen: Mapping[str, str], has: Has) -> float:
    """Entropy of every cause that is left, in bits, from what the diagnosis itself says of it."""
    shares = weights_of(seen, has)
    return -sum(share * math.log2(share) for share in shares.values() if share > 0)


@given(seeds)
@examples(100)
def test_the_next_test_can_be_made_now_and_no_other_tells_more(seed: int) -> None:
    seen = some_observations(seed)
    has = EVERYTHING
    found, now = diagnose(seen, has), can_be_tried(seen, has)
    if found.next_test is None:
        return
    assert found.next_test.question in now
    shares = weights_of(seen, has)

    def expected(question: str) -> float:
        left = 0.0
        for answer in telling(question):
            chance = sum(share * likelihood(cause, question, answer) for cause, share in shares.items())
            left += chance * uncertainty({**seen, question: answer}, has)
        return left

    best = min(expected(question) for question in now)
    assert expected(found.next_test.question) <= best + 1e-6
    for question in now:
        gain = uncertainty(seen, has) - expected(question)
        assert expected_bits(seen, question, has) == pytest.approx(max(gain, 0.0), abs=1e-9)


@given(seeds)
@examples(200)
def test_what_was_done_is_not_asked_again_and_an_artefact_asks_for_no_reseating(seed: int) -> None:
    seen = some_observations(seed)
    found = diagnose(seen)
    now = can_be_tried(seen)
    charging = seen.get("battery") == "flat" and seen.get("image") != "fine"
    woke = seen.get("image") == "none" and seen.get("asleep") == "yes"
    for question in now:
        assert question not in seen or (charging and question == "battery") or (woke and question == "image")
    if seen.get("image") == "lines" and seen.get("camera") == "yes" and not charging:
        assert "reseat" not in now
    if seen.get("reseat") == "same":
        assert "connector" not in {reading.layer.value for reading in found.layers if reading.suspected}
    if seen:
        assert "Nothing is observed yet" not in said(found.says)


@given(seeds)
@examples(60)
def test_the_order_of_answers_changes_nothing(seed: int) -> None:
    seen = some_observations(seed)
    first = diagnose(seen)
    for order in itertools.islice(itertools.permutations(seen.items()), 0, 24, 5):
        assert diagnose(dict(order)) == first


@pytest.mark.parametrize("model_id", [*models(), *templates()])
def test_only_what_a_model_has_is_weighed_and_tried(model_id: str) -> None:
    model = {**models(), **templates()}[model_id]
    has = has_of(model)
    for seed in range(max(60 // FEWER, 10)):
        seen = {name: answer for name, answer in some_observations(seed).items() if name in has.tests}
        found = diagnose(seen, has)
        layers = {reading.layer for reading in found.layers}
        assert layers == has.layers
        assert found.next_test is None or found.next_test.question in has.tests
        for cause in found.causes:
            layer = BROKEN_BY.get(cause.name)
            assert layer is None or Layer(layer) in layers
        if Layer.BACKLIGHT not in layers:
            assert "backlight" not in said(found.routes)


def test_an_oled_has_no_backlight_and_a_plain_panel_no_touch() -> None:
    assert Layer.BACKLIGHT not in has_of(models()[HERON]).layers
    assert Layer.BACKLIGHT in has_of(models()[PLAIN]).layers
    assert "external" not in has_of(models()["osmere-dial-42"]).tests
