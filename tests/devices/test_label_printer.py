"""The contract of a label printer, which a real driver would pass as well; and the faults of the stand-in."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from sutura import wiring
from sutura.config import LABEL_FAULTS, WrongSettings
from sutura.devices import plug, plugged
from sutura.devices.ports import Away, LabelPrinter, Printed, Stopped
from sutura.devices.simulated.label_printer import FAULTS, SimulatedPrinter

LABELS = [b"%PDF one", b"%PDF two", b"%PDF three"]
# a driver of a real printer is put in here beside the stand-in
PRINTERS: list[Callable[[], LabelPrinter]] = [SimulatedPrinter]


@pytest.mark.parametrize("make", PRINTERS)
@pytest.mark.parametrize("count", [0, 1, 3])
def test_what_came_out_is_counted_and_fewer_are_explained(
    make: Callable[[], LabelPrinter], count: int
) -> None:
    printed = make().print_labels(LABELS[:count])
    assert 0 <= printed.count <= count
    assert (printed.count < count) == bool(printed.stopped)


def test_faults_can_be_switched_on() -> None:
    empty = SimulatedPrinter(["empty"])
    assert empty.print_labels(LABELS) == Printed(count=2, stopped=Stopped.EMPTY)
    assert empty.printed == LABELS[:2]
    assert empty.print_labels(LABELS[2:]) == Printed(count=1)
    assert SimulatedPrinter(["jammed"]).print_labels(LABELS) == Printed(count=0, stopped=Stopped.JAMMED)
    with pytest.raises(Away):
        SimulatedPrinter(["away"]).print_labels(LABELS)
    with pytest.raises(ValueError, match="no such fault: sleepy"):
        SimulatedPrinter(["sleepy"])


def test_the_settings_switch_the_faults_on_and_know_no_others(monkeypatch: pytest.MonkeyPatch) -> None:
    assert LABEL_FAULTS == FAULTS
    before = plugged()
    try:
        monkeypatch.setenv("SUTURA_LABEL_FAULTS", "jammed, away")
        wiring.plug_devices()
        printer = plugged().label_printer
        assert isinstance(printer, SimulatedPrinter)
        assert printer.faults == {"jammed", "away"}
        monkeypatch.setenv("SUTURA_LABEL_FAULTS", "sleepy")
        with pytest.raises(WrongSettings, match="write some of away, empty, jammed"):
            wiring.plug_devices()
    finally:
        plug(supplier_desk=before.supplier_desk, label_printer=before.label_printer)
