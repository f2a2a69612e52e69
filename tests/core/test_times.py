"""Minutes of steps: the pack's own, else what is usual. Common practice, no source."""

from __future__ import annotations

from dataclasses import replace

import pytest
from builders import HERON, models

from sutura.core.bench.compiling import with_sheet
from sutura.core.bench.times import off_minutes, sheet_minutes
from sutura.core.catalogue.model import Piece, Step

MODEL = models()[HERON]


def piece(name: str) -> Piece:
    return next(one for one in MODEL.pieces if one.id == name)


def step(name: str) -> Step:
    return next(one for one in MODEL.steps if one.id == name)


@pytest.mark.parametrize(
    ("name", "minutes"),
    # two screws, what is glued, a connector, three screws
    [("bottom", 1.0), ("edges", 3.0), ("display", 0.5), ("earpiece", 1.25)],
)
def test_what_is_usual_for_its_kind(name: str, minutes: float) -> None:
    assert off_minutes(MODEL, piece(name)) == pytest.approx(minutes)


@pytest.mark.parametrize(
    ("name", "minutes"),
    [
        ("bottom-out", 1.0),
        ("bottom-in", 1.0),
        ("warm", 3.0),
        ("clean", 1.0),
        ("proof", 5.0),
        ("touch-on", 0.5),
    ],
)
def test_each_step_with_its_heat(name: str, minutes: float) -> None:
    assert sheet_minutes(MODEL, [step(name)]) == pytest.approx(minutes)


def test_what_the_pack_says_counts_before_what_is_usual() -> None:
    slow = replace(piece("bottom"), off=replace(piece("bottom").off, minutes=4.0))
    changed = with_sheet(
        replace(MODEL, pieces=tuple(slow if one.id == "bottom" else one for one in MODEL.pieces))
    )
    assert off_minutes(changed, slow) == 4.0
    assert sheet_minutes(changed, changed.steps) == pytest.approx(sheet_minutes(MODEL, MODEL.steps) + 3.0)


def test_a_wait_counts_as_long_as_it_is() -> None:
    slate = models()["tarnbeck-slate-11"]
    plate = next(one for one in slate.steps if one.id == "plate")
    assert sheet_minutes(slate, [plate]) == pytest.approx(1 + 20 + 20)
