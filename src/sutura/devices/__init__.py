"""Outside devices and services: a port each, and a stand-in that ships with the product.

Services ask `plugged()` for what they need; `plug` puts a real driver, which needs only the port, in its
place.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from sutura.devices.ports import SupplierDesk
from sutura.devices.simulated.supplier_desk import SimulatedDesk


@dataclass(frozen=True, slots=True, kw_only=True)
class Devices:
    supplier_desk: SupplierDesk


_plugged = Devices(supplier_desk=SimulatedDesk())


def plugged() -> Devices:
    return _plugged


def plug(*, supplier_desk: SupplierDesk) -> None:
    """Put another device in the place of what was there."""
    global _plugged
    _plugged = replace(_plugged, supplier_desk=supplier_desk)
