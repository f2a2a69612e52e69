"""What of a need offers are picked by, before they are judged: wide enough for every rule, narrow enough for
an index.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from sutura.core.matching.attributes import BY_NAME
from sutura.core.matching.judging import Wanted

# a span is a little wider than the rule's tolerance, so that rounding loses nothing
_ROUNDING = Decimal("0.01")
# how much further away an outline is still shown, to be refused with its reason; the shop's, no source
NEAR_MM = Decimal(8)


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """Values from `least` to `most`, both included."""

    least: Decimal
    most: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Picking:
    """What offers are picked by; None = not known, or it does not matter. Lengths as spans in mm."""

    kind: str
    width: Span | None = None
    active_width: Span | None = None
    family: str | None = None
    pins: Decimal | None = None


def picking_of(wanted: Wanted) -> Picking:
    """What of a need offers are picked by; the spans come from the tolerances of the attributes."""
    need = wanted.need
    family, pins = need.get("part_family"), need.get("connector_pins")
    return Picking(
        kind=str(need["kind"]),
        family=None if family is None else str(family),
        width=_span(wanted, "width_mm"),
        active_width=_span(wanted, "active_width_mm"),
        pins=Decimal(str(pins)) if isinstance(pins, int | float) else None,
    )


def _span(wanted: Wanted, name: str) -> Span | None:
    value = wanted.need.get(name)
    if not isinstance(value, int | float):
        return None
    middle, off = Decimal(str(value)), Decimal(str(BY_NAME[name].tolerance)) + _ROUNDING
    return Span(least=middle - off, most=middle + off)
