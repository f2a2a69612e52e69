"""Diagnosis as an experienced technician would conclude: sets of observations with what follows, each with
its reason (common practice, no source), and the laws that bind layers, causes, next test and routes together.
"""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Mapping

import pytest
from builders import FEWER, HERON, PLAIN, examples, models, said, templates
from hypothesis import given
from hypothesis import strategies as st
from property.diagnosis_cases import CASES, Case, says

from sutura.core.intake.diagnosis import Diagnosis, can_be_tried, diagnose
from sutura.core.intake.layers import EVERYTHING, Has, has_of
from sutura.core.intake.likelihoods import expected_bits, likelihood, weights_of
from sutura.core.intake.observations import IN_LIST, QUESTIONS, Layer, Status, as_seen, is_wet, telling

BROKEN_BY = {
    "glass only": "glass",
    "touch layer": "touch",
    "panel": "panel",
    "backlight": "backlight",
    "connector": "connector",
    "flat battery": "battery",
    "board": "board",
}


WATCH = "osmere-dial-42"
# kinds of screens: with a backlight and everything that can be tried, and with less
ON = {
    "": EVERYTHING,
    "oled": has_of(models()[HERON]),
    "watch": has_of(models()[WATCH]),
    "bare": Has(layers=EVERYTHING.layers - {Layer.TOUCH}, tests=EVERYTHING.tests - {"touch"}),
}


def by_status(found: Diagnosis, status: Status) -> set[str]:
    return {reading.layer.value for reading in found.layers if reading.status is status}


@pytest.mark.parametrize("case", CASES, ids=lambda case: case.why)
def test_a_technician_would_conclude_the_same(case: Case) -> None:
    found = diagnose(case.observed, ON[case.on])
    suspected = {reading.layer.value for reading in found.layers if reading.suspected}
    assert by_status(found, Status.FAULTY) == set(case.faulty.split())
    assert suspected == set(case.suspected.split())
    assert set(case.sound.split()) <= by_status(found, Status.SOUND)
    assert says(case.next, found.next_test.question if found.next_test else "")
    assert says(case.first, " ".join(found.first))
    assert says(case.routes, said(found.routes))
    assert not case.never or case.never not in {cause.name for cause in found.causes[:1]}
    assert "Nothing is observed yet" not in said(found.says)


def test_the_table_is_as_long_as_it_should_be() -> None:
    assert len(CASES) >= 200
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
    wrong = as_seen(seen).get("image", "fine") != "fine" or seen.get("touch", "fine") != "fine"
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
    anew = {"battery": charging, "image": woke, "dried": seen.get("dried") == "no"}
    for question in now:
        assert question not in seen or anew.get(question)
    if seen.get("image") == "lines" and seen.get("camera") == "yes" and not charging:
        assert "reseat" not in now
    if seen.get("reseat") == "same":
        assert "connector" not in {reading.layer.value for reading in found.layers if reading.suspected}
    if seen:
        assert "Nothing is observed yet" not in said(found.says)


@given(seeds)
@examples(300)
def test_what_comes_first_is_what_is_tried_first(seed: int) -> None:
    """A wet device is dried and a flat one charged by the rules exactly when the next test says so."""
    seen = some_observations(seed)
    first, now = " ".join(diagnose(seen).first), can_be_tried(seen)
    assert ("Do not charge it" in first) is is_wet(seen) is (now == ("dried",))
    assert ("Charge it first" in first) is (seen.get("battery") == "flat" and now == ("battery",))


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
    assert "external" not in has_of(models()[WATCH]).tests
