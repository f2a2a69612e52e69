"""The contract of a supplier's desk, which a real driver would pass as well; and the faults of the
stand-in.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, timedelta

import pytest

from sutura import wiring
from sutura.config import SUPPLIER_FAULTS, WrongSettings
from sutura.devices import plug, plugged
from sutura.devices.ports import Away, OrderText, SupplierDesk
from sutura.devices.simulated.supplier_desk import FAULTS, SimulatedDesk
from sutura.formats.orders import OrderedLine, write_order

TODAY = date(2031, 3, 3)
LINES = [
    OrderedLine(number="MR-4410", quantity=3, name="Heron front", price="60.00", listed_days=2),
    OrderedLine(number="MR-9", quantity=1, name="Flint front", price="36.00", listed_days=5),
]
# a driver of a real desk is put in here beside the stand-in
DESKS: list[Callable[[], SupplierDesk]] = [SimulatedDesk]


def order(number: str = "O-00001", form: str = "csv") -> OrderText:
    return OrderText(
        number=number, supplier="Millrace", form=form, text=write_order(form, number, "Test Screens", LINES)
    )


@pytest.mark.parametrize("make", DESKS)
@pytest.mark.parametrize("form", ["csv", "mail"])
def test_every_article_is_answered_with_no_more_than_was_asked_for(
    make: Callable[[], SupplierDesk], form: str
) -> None:
    answers = make().submit(order(form=form), TODAY)
    assert [answer.number for answer in answers] == ["MR-4410", "MR-9"]
    for answer, line in zip(answers, LINES, strict=True):
        assert 0 <= answer.pieces <= line.quantity
        assert (answer.expected_on is None) == (answer.pieces == 0)
        assert answer.expected_on is None or answer.expected_on >= TODAY
        assert answer.says or answer.pieces == line.quantity, "fewer are explained"


@pytest.mark.parametrize("make", DESKS)
def test_the_same_order_handed_in_twice_is_one(make: Callable[[], SupplierDesk]) -> None:
    desk = make()
    assert desk.submit(order(), TODAY) == desk.submit(order(), TODAY + timedelta(days=1))


def test_faults_can_be_switched_on() -> None:
    plain = SimulatedDesk().submit(order(), TODAY)
    assert [(answer.pieces, answer.expected_on) for answer in plain] == [
        (3, date(2031, 3, 5)),
        (1, date(2031, 3, 8)),
    ]
    late = SimulatedDesk(["late"]).submit(order(), TODAY)
    assert [answer.expected_on for answer in late] == [date(2031, 3, 12), date(2031, 3, 15)]
    short = SimulatedDesk(["short", "late"]).submit(order(), TODAY)
    assert [(answer.pieces, answer.says) for answer in short] == [
        (2, "the last one is sold"),
        (1, "waits for its ship"),
    ]
    gone = SimulatedDesk(["cancels"]).submit(order(), TODAY)
    assert [(answer.pieces, answer.expected_on) for answer in gone] == [(0, None), (1, date(2031, 3, 8))]
    with pytest.raises(Away, match="Millrace does not answer"):
        SimulatedDesk(["away"]).submit(order(), TODAY)
    with pytest.raises(ValueError, match="no such fault: sleepy"):
        SimulatedDesk([*FAULTS, "sleepy"])


def test_another_desk_is_plugged_in_its_place() -> None:
    before = plugged().supplier_desk
    other = SimulatedDesk()
    plug(supplier_desk=other)
    try:
        assert plugged().supplier_desk is other
    finally:
        plug(supplier_desk=before)


def test_the_settings_switch_the_faults_on_and_know_no_others(monkeypatch: pytest.MonkeyPatch) -> None:
    assert SUPPLIER_FAULTS == FAULTS
    before = plugged().supplier_desk
    try:
        for said, faults in (("", set()), ("late, short", {"late", "short"})):
            monkeypatch.setenv("SUTURA_SUPPLIER_FAULTS", said)
            wiring.plug_devices()
            desk = plugged().supplier_desk
            assert isinstance(desk, SimulatedDesk)
            assert desk.faults == faults
        monkeypatch.setenv("SUTURA_SUPPLIER_FAULTS", "sleepy")
        with pytest.raises(WrongSettings, match="write some of late, short, cancels, away"):
            wiring.plug_devices()
    finally:
        plug(supplier_desk=before)
