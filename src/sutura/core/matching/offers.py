"""What is compared: the values of a part, the offer of a part by a supplier, and what a device demands."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

Value = str | int | float
# what a screen position demands; None = nobody knows it yet, left out = it does not matter
Need = Mapping[str, Value | None]


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """A value that was measured or learned here, beside what the supplier claims."""

    value: Value
    who: str
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """A part from a supplier at a price.

    `attributes` are what the supplier claims, `measured` what was found here, which counts more; absent =
    unknown. `lead_days` until it
    is here, `free` pieces on our shelf, `stock_there` pieces at the supplier, None = not said. `price_breaks`
    are (pieces, minor) pairs.
    """

    id: int
    part_id: int
    part: str
    printed_number: str
    supplier: str
    grade: str
    attributes: Mapping[str, Value]
    box: tuple[str, ...]
    price_minor: int
    lead_days: int
    free: int
    measured: Mapping[str, Measured] = field(default_factory=dict)
    number: str = ""
    shipping_minor: int = 0
    minimum: int = 1
    pack: int = 1
    price_breaks: tuple[tuple[int, int], ...] = ()
    stock_there: int | None = None
    guarantee_days: int | None = None
    returns: str = ""
    # free pieces here that are less than was bought, which `free` does not count, and as what they are kept
    less: int = 0
    less_as: str = ""
    # proved or failed pieces of this supplier, for its defect rate
    supplier_bad: int = 0
    supplier_tried: int = 0

    def known(self, attribute: str) -> Value | None:
        """What counts for an attribute: measured before claimed; None = unknown."""
        measured = self.measured.get(attribute) if self.measured else None
        value = measured.value if measured else self.attributes.get(attribute)
        return None if value == "" else value


# The grades of a part whose display answers a serial programmer: original display, whatever its glass.
ORIGINAL = frozenset({"genuine new", "genuine pulled", "refurbished"})
GRADES = ("genuine new", "genuine pulled", "refurbished", "aftermarket")


# A part of which nothing is known, and nothing known around it: for comparisons of two values alone.
NO_OFFER = Offer(
    id=0,
    part_id=0,
    part="",
    printed_number="",
    supplier="",
    grade="",
    attributes={},
    box=(),
    price_minor=0,
    lead_days=0,
    free=0,
)
