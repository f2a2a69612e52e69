"""Outside devices and services: a port each, and a stand-in that ships with the product.

Services ask `plugged()` for what they need; `plug` puts a real driver, which needs only the port, in its
place.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from sutura.devices.ports import (
    CardTerminal,
    DisplayProgrammer,
    HotPlate,
    LabelPrinter,
    Messenger,
    SupplierDesk,
    Thermometer,
)
from sutura.devices.simulated.card_terminal import SimulatedTerminal
from sutura.devices.simulated.label_printer import SimulatedPrinter
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.devices.simulated.plate import SimulatedPlate
from sutura.devices.simulated.programmer import SimulatedProgrammer
from sutura.devices.simulated.supplier_desk import SimulatedDesk
from sutura.devices.simulated.thermometer import SimulatedThermometer


@dataclass(frozen=True, slots=True, kw_only=True)
class Devices:
    supplier_desk: SupplierDesk
    label_printer: LabelPrinter
    thermometer: Thermometer
    programmer: DisplayProgrammer
    plate: HotPlate
    messenger: Messenger
    terminal: CardTerminal


_plugged = Devices(
    supplier_desk=SimulatedDesk(),
    label_printer=SimulatedPrinter(),
    thermometer=SimulatedThermometer(),
    programmer=SimulatedProgrammer(),
    plate=SimulatedPlate(),
    messenger=SimulatedMessenger(),
    terminal=SimulatedTerminal(),
)


def plugged() -> Devices:
    return _plugged


def plug(
    *,
    supplier_desk: SupplierDesk | None = None,
    label_printer: LabelPrinter | None = None,
    thermometer: Thermometer | None = None,
    programmer: DisplayProgrammer | None = None,
    plate: HotPlate | None = None,
    messenger: Messenger | None = None,
    terminal: CardTerminal | None = None,
) -> None:
    """Put other devices in the place of what was there."""
    global _plugged
    _plugged = replace(
        _plugged,
        supplier_desk=supplier_desk or _plugged.supplier_desk,
        label_printer=label_printer or _plugged.label_printer,
        thermometer=thermometer or _plugged.thermometer,
        programmer=programmer or _plugged.programmer,
        plate=plate or _plugged.plate,
        messenger=messenger or _plugged.messenger,
        terminal=terminal or _plugged.terminal,
    )
