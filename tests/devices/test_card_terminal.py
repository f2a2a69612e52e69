"""The contract of a card terminal, which a real driver would pass as well; and the faults of the stand-in."""

from __future__ import annotations

import stat
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from sutura.config import TERMINAL_FAULTS
from sutura.core.maths.money import Money
from sutura.devices.ports import Away, CardSays, CardTerminal, NoAnswer
from sutura.devices.simulated.card_terminal import FAULTS, SimulatedTerminal

# a driver of a real terminal is put in here beside the stand-in
TERMINALS: list[Callable[[], CardTerminal]] = [SimulatedTerminal]
TEN, FOUR = Money(minor=1_000, currency="TAL"), Money(minor=400, currency="TAL")


@pytest.mark.parametrize("make", TERMINALS)
def test_a_reference_is_charged_once_and_goes_back_once(make: Callable[[], CardTerminal]) -> None:
    terminal = make()
    assert terminal.look_up("press-01") is None
    assert terminal.charge("press-01", TEN) is CardSays.APPROVED
    assert terminal.charge("press-01", TEN) is CardSays.APPROVED
    assert terminal.refund("press-01", "back-01", FOUR) is CardSays.APPROVED
    assert terminal.refund("press-01", "back-01", FOUR) is CardSays.APPROVED
    assert terminal.look_up("back-01") is CardSays.APPROVED
    assert terminal.refund("press-01", "back-02", FOUR) is CardSays.APPROVED
    # of ten, eight went back
    assert terminal.refund("press-01", "back-03", FOUR) is CardSays.DECLINED
    assert terminal.refund("press-02", "back-04", FOUR) is CardSays.DECLINED


def test_what_it_charged_is_remembered_where_only_its_owner_reads(tmp_path: Path) -> None:
    memory = tmp_path / "folder" / "terminal.json"
    SimulatedTerminal(memory=memory).charge("press-01", TEN)
    assert SimulatedTerminal(memory=memory).look_up("press-01") is CardSays.APPROVED
    assert stat.S_IMODE(memory.stat().st_mode) == 0o600
    SimulatedTerminal(memory=memory).refund("press-01", "back-01", TEN)
    assert SimulatedTerminal(memory=memory).refund("press-01", "back-02", FOUR) is CardSays.DECLINED


def test_ten_at_once_in_processes_of_their_own_lose_nothing(tmp_path: Path) -> None:
    """Each as its own process would be: nothing is shared but the file."""
    memory = tmp_path / "terminal.json"
    with ThreadPoolExecutor(10) as pool:
        said = list(
            pool.map(lambda n: SimulatedTerminal(memory=memory).charge(f"press-{n:02d}", TEN), range(40))
        )
    assert set(said) == {CardSays.APPROVED}
    known = [SimulatedTerminal(memory=memory).look_up(f"press-{n:02d}") for n in range(40)]
    assert set(known) == {CardSays.APPROVED}
    # a kill while it is written leaves what was there
    memory.with_suffix(".new").write_text('{"press-00": {"sa')
    assert SimulatedTerminal(memory=memory).look_up("press-39") is CardSays.APPROVED


@pytest.mark.parametrize(("fault", "charged"), [("timeout", CardSays.APPROVED), ("lost", None)])
def test_an_answer_that_does_not_come_is_looked_up(fault: str, charged: CardSays | None) -> None:
    terminal = SimulatedTerminal([fault])
    with pytest.raises(NoAnswer):
        terminal.charge("press-01", TEN)
    assert terminal.look_up("press-01") is charged


def test_one_that_is_away_does_nothing_and_one_may_decline() -> None:
    away = SimulatedTerminal(["away"])
    with pytest.raises(Away):
        away.charge("press-01", TEN)
    with pytest.raises(Away):
        away.look_up("press-01")
    with pytest.raises(Away):
        away.refund("press-01", "back-01", TEN)
    assert SimulatedTerminal(["declines"]).charge("press-01", TEN) is CardSays.DECLINED


def test_the_faults_that_settings_take_are_those_of_the_stand_in() -> None:
    assert set(TERMINAL_FAULTS) == set(FAULTS)
    with pytest.raises(ValueError, match="no such fault"):
        SimulatedTerminal(["sulks"])
