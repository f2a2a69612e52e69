"""A sheet as a chain of operations: nothing of its minutes is lost, and waits hold their stations."""

from __future__ import annotations

from dataclasses import replace

from builders import HERON, SLATE, models
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.bench.compiling import compile_sheet
from sutura.core.bench.goals import Aim, Goal
from sutura.core.bench.stations import CLAMP
from sutura.core.bench.times import sheet_minutes
from sutura.core.catalogue.model import Phase, Step
from sutura.core.planning.day import Hold, Operation
from sutura.core.planning.operations import chain_of, share_minutes

MODEL = models()[HERON]


def step(name: str, minutes: float = 1.0, wait: int = 0, *tools: str) -> Step:
    return Step(id=name, phase=Phase.SWAP, text="", minutes=minutes, wait_minutes=wait, tools=tools)


def plain(operations: tuple[Operation, ...]) -> list[tuple[int, bool]]:
    return [(one.minutes, one.attended) for one in operations]


def test_hands_until_it_waits_and_hands_again() -> None:
    steps = [step("a", 5), step("b", 5, 20, "hot plate"), step("c", 10), step("d", 20, 45, CLAMP)]
    chain = chain_of(MODEL, steps, 80, 1_440)
    assert plain(chain.operations) == [(20, True), (20, False), (60, True), (45, False), (1_440, False)]
    assert chain.holds == (
        Hold(station="hot plate", first=1, last=1),
        Hold(station=CLAMP, first=3, last=3),
        Hold(station=CLAMP, first=4, last=4),
    )


def test_a_cure_without_a_clamp_holds_nothing_and_a_wait_without_a_station_neither() -> None:
    chain = chain_of(MODEL, [step("a", 5, 10), step("b", 5)], 10, 60)
    assert plain(chain.operations) == [(5, True), (10, False), (5, True), (60, False)]
    assert chain.holds == ()


def test_without_a_sheet_it_is_one_block_and_never_none() -> None:
    assert plain(chain_of(MODEL, [], 40, 0).operations) == [(40, True)]
    assert plain(chain_of(MODEL, [], 0, 0).operations) == [(1, True)]
    assert plain(chain_of(MODEL, [], 0, 30).operations) == [(30, False)]


def test_w16_lies_on_the_plate_for_twenty_minutes() -> None:
    """Work sample W16: the tablet is laid on the plate, 20 minutes, and the technician is free."""
    model = models()[SLATE]
    steps = compile_sheet(model, Goal(aim=Aim.REPAIR, route=model.ways[0].kind)).steps
    chain = chain_of(model, steps, 70, model.cure_minutes)
    assert (20, False) in plain(chain.operations)
    place = plain(chain.operations).index((20, False))
    assert Hold(station="hot plate", first=place, last=place) in chain.holds
    assert sum(one.minutes for one in chain.operations if one.attended) == 70


@given(st.integers(0, 600), st.lists(st.floats(0, 60), min_size=1, max_size=9))
def test_minutes_are_shared_whole(minutes: int, weights: list[float]) -> None:
    shares = share_minutes(minutes, weights)
    assert sum(shares) == minutes
    whole = sum(weights)
    if whole > 0:
        for share, weight in zip(shares, weights, strict=True):
            assert abs(share - minutes * weight / whole) < 1 + 1e-6


def test_every_sheet_of_the_packs_keeps_its_minutes_and_its_waits() -> None:
    for model in models().values():
        for way in model.ways:
            if not (way.has_sheet and model.pieces):
                continue
            steps = compile_sheet(model, Goal(aim=Aim.REPAIR, route=way.kind)).steps
            chain = chain_of(model, steps, way.minutes, model.cure_minutes)
            hands = sum(one.minutes for one in chain.operations if one.attended)
            alone = sum(one.minutes for one in chain.operations if not one.attended)
            assert hands == way.minutes
            assert alone == sum(one.wait_minutes for one in steps) + model.cure_minutes
            for hold in chain.holds:
                assert not chain.operations[hold.first].attended


def test_what_is_done_is_left_out() -> None:
    steps = [step("a", 5), step("b", 15)]
    assert plain(chain_of(MODEL, steps[1:], 15, 0).operations) == [(15, True)]
    heated = replace(steps[0], minutes=5.0)
    assert sheet_minutes(MODEL, [heated]) == 5
