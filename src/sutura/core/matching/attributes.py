"""The one table of attributes: what a screen can differ in, how each is read, compared, listed and drawn.

Everything else derives from it: catalogue and schemas, price lists, the need of a device, kits, drawings,
what offers are picked by, and the rules that are listed. A new attribute is one entry here, and
`scripts/schemas.py` writes it into the packs' JSON Schemas.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from sutura.core.facts import fact
from sutura.core.matching.comparing import (
    NOTHING_AROUND,
    Around,
    Compare,
    Compared,
    Pair,
    always,
    at_least,
    connector_place,
    equal,
    leads,
    may_be_bridged,
    may_take_brackets,
    may_write_serial,
    mounting,
    not_known,
    number_not_known,
    pairing,
    pairing_not_known,
    printed_number,
    read_windows,
    resolution,
    windows,
    within,
)
from sutura.core.matching.offers import NO_OFFER, Need, Offer, Value
from sutura.core.typed import read_leading_whole, read_measure, read_text
from sutura.core.values import COMMON


class Demand(StrEnum):
    """How strictly an attribute is held: a difference refuses, needs consent, or does no harm."""

    MUST = "must"
    CONSENT = "consent"
    MAY = "may"


class Kind(StrEnum):
    """What a value is, in packs and where it is typed."""

    TEXT = "text"
    LENGTH = "length"
    COUNT = "count"


class Brings(StrEnum):
    """Which member of a kit an attribute comes from."""

    GLASS = "glass"
    PANEL = "panel"


class Drawn(StrEnum):
    """What of the overlay shows an attribute."""

    OUTLINE = "outline"
    PICTURE = "picture"
    WINDOWS = "windows"
    CONNECTOR = "connector"
    TABS = "tabs"


# no part has more pins, and no panel more hertz or candelas for each square metre; the shop's, no source
MOST_COUNT = 10_000
MOST_LETTERS = 200


def _read_text(text: str) -> Value:
    return read_text(text, MOST_LETTERS)


def _read_windows(text: str) -> Value:
    read_windows(text)
    return _read_text(text)


def _read_mm(text: str) -> Value:
    return read_measure(text, "mm", 10_000)


def _read_inches(text: str) -> Value:
    return read_measure(text, "in", 1_000)


def _read_count(text: str) -> Value:
    return read_leading_whole(
        text, MOST_COUNT, least=1, accepts=fact("matching.count-write-whole-number-such-40")
    )


READERS: Mapping[Kind, Callable[[str], Value]] = {
    Kind.TEXT: _read_text,
    Kind.LENGTH: _read_mm,
    Kind.COUNT: _read_count,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Attribute:
    """One thing a screen can differ in.

    What it is: `kind` and `unit` of its value, the `choices` it is one of, `reads` where the kind's own
    reader will not do; `listed` is its heading in price lists where the title will not do, and `headings` are
    the words by which its column is recognised, none = not in price lists. How it is judged: `says` is the
    rule in words; two known values are `compare`d within the `tolerance`; `around` says whether, for two
    values, what else the part has or what else is known has a say – without it the values decide alone;
    `unknown` says what it means that a side is not known; a need in `asks_nothing` is met by every part;
    `decides` = the comparison has the last word, whatever the demand. Where it lies: `value_of` an offer,
    when it is not among its attributes; `of_part` is False where a part has no such value of its own;
    `measured` = it can be measured or read on the original; `brings` and `drawn` say which member of a kit
    has it, and what of the drawing shows it.
    """

    name: str
    title: str
    says: str
    kind: Kind = Kind.TEXT
    unit: str = ""
    choices: tuple[str, ...] = ()
    reads: Callable[[str], Value] | None = None
    headings: tuple[str, ...] = ()
    listed: str = ""
    compare: Compare = equal
    demand: Demand = Demand.MUST
    tolerance: float = 0.0
    around: Callable[[Value | None, Value | None, Offer, Around], bool] | None = None
    unknown: Callable[[Value | None, Value | None, Around], Compared] = not_known
    asks_nothing: tuple[Value, ...] = ()
    decides: bool = False
    value_of: Callable[[Offer], Value | None] | None = None
    of_part: bool = True
    measured: bool = True
    brings: Brings | None = None
    drawn: Drawn | None = None
    source: str = COMMON

    @property
    def rule(self) -> str:
        return f"fit.{self.name}"

    @property
    def heading(self) -> str:
        """Its title with the unit, as a field or a column has it."""
        return self.listed or (f"{self.title}, {self.unit}" if self.unit else self.title)

    def read(self, text: str) -> Value:
        """Its value as typed or as a price list has it; refuses what is none."""
        return (self.reads or READERS[self.kind])(text)

    def shown(self, value: Value | None) -> str:
        """A value with its unit; empty when it is not known."""
        return "" if value is None else f"{value} {self.unit}".rstrip()

    def offered_by(self, offer: Offer) -> Value | None:
        """Its value of an offer; None when nobody knows it."""
        return self.value_of(offer) if self.value_of else offer.known(self.name)

    def pair(
        self, needed: Value, offered: Value, offer: Offer = NO_OFFER, around: Around = NOTHING_AROUND
    ) -> Pair:
        return Pair(
            needed=needed,
            offered=offered,
            unit=self.unit,
            tolerance=self.tolerance,
            offer=offer,
            around=around,
        )


_SHOPS_TOLERANCE = "common practice, no source; the tolerance is the shop's"


def _length(name: str, title: str, tolerance: float, **more: object) -> Attribute:
    return Attribute(
        name=name,
        title=title,
        says=f"{title} must agree within {tolerance:g} mm.",
        kind=Kind.LENGTH,
        unit="mm",
        compare=within,
        tolerance=tolerance,
        source=_SHOPS_TOLERANCE,
        **more,  # type: ignore[arg-type] # names checked by the table's test
    )


def _must(name: str, title: str, **more: object) -> Attribute:
    says = f"{title} must agree."
    return Attribute(name=name, title=title, says=says, **more)  # type: ignore[arg-type] # as above


def _may(name: str, title: str, **more: object) -> Attribute:
    given = {"name": name, "title": title, "says": f"{title} may differ.", "demand": Demand.MAY, **more}
    return Attribute(**given)  # type: ignore[arg-type] # as above


WINDOW_TOLERANCE_MM = 0.5

ATTRIBUTES: tuple[Attribute, ...] = (
    _must("kind", "Kind of part", measured=False, headings=("kind", "category", "type", "group")),
    _must(
        "part_family",
        "Part family",
        measured=False,
        headings=("part family", "family", "for model", "model", "fits"),
    ),
    _length(
        "width_mm",
        "Outline width",
        0.5,
        brings=Brings.GLASS,
        drawn=Drawn.OUTLINE,
        headings=("width", "width mm", "w"),
    ),
    _length(
        "height_mm",
        "Outline height",
        0.5,
        brings=Brings.GLASS,
        drawn=Drawn.OUTLINE,
        headings=("height", "height mm", "h"),
    ),
    _length("thickness_mm", "Thickness", 0.2, headings=("thickness", "depth")),
    _length(
        "active_width_mm",
        "Picture width",
        1.0,
        brings=Brings.PANEL,
        drawn=Drawn.PICTURE,
        headings=("active width", "picture width"),
    ),
    _length(
        "active_height_mm",
        "Picture height",
        1.0,
        brings=Brings.PANEL,
        drawn=Drawn.PICTURE,
        headings=("active height", "picture height"),
    ),
    Attribute(
        name="resolution",
        title="Resolution",
        says=(
            "Resolution must agree in pixels, whichever way it is held; a name that stands for several, or "
            "that cannot be read, is unknown."
        ),
        compare=resolution,
        brings=Brings.PANEL,
        headings=("resolution", "pixels", "format"),
        source="VESA format names (from memory: sure); common practice",
    ),
    Attribute(
        name="technology",
        title="Panel technology",
        says="Panel technology must agree, unless the model says that another one works with consent.",
        brings=Brings.PANEL,
        headings=("technology", "panel", "display type"),
    ),
    Attribute(
        name="refresh_hz",
        title="Refresh",
        says="A faster panel may be used; a slower one needs the customer's consent.",
        kind=Kind.COUNT,
        unit="Hz",
        compare=at_least,
        brings=Brings.PANEL,
        headings=("refresh", "hz", "refresh rate"),
    ),
    _must(
        "connector_kind",
        "Connector kind",
        brings=Brings.PANEL,
        headings=("connector", "connector kind", "connector type"),
    ),
    _must(
        "connector_pins",
        "Connector pins",
        kind=Kind.COUNT,
        brings=Brings.PANEL,
        headings=("pins", "pin count", "connector pins"),
    ),
    _length("connector_pitch_mm", "Connector pitch", 0.02, brings=Brings.PANEL),
    Attribute(
        name="connector_place",
        title="Connector place",
        says=(
            "The connector must sit in the same place, or an adapter flex – in the box or a part "
            "of its own – "
            "leads from there to here; both must say that it plugs: its kind and its pins. Where one does "
            "not, that is unknown."
        ),
        compare=connector_place,
        around=may_be_bridged,
        brings=Brings.PANEL,
        drawn=Drawn.CONNECTOR,
        headings=("connector place", "connector position", "position"),
    ),
    _must("connector_side", "Connector side", brings=Brings.PANEL),
    _must("connector_orientation", "Connector orientation", brings=Brings.PANEL),
    Attribute(
        name="mounting",
        title="Mounting",
        says=(
            "Mounting must agree; a part without brackets takes those of its box, of the old screen when "
            "they are whole, or bought ones."
        ),
        compare=mounting,
        around=may_take_brackets,
        brings=Brings.GLASS,
        drawn=Drawn.TABS,
        headings=("mounting", "brackets", "fixing"),
    ),
    _must("touch", "Touch", brings=Brings.PANEL, headings=("touch", "digitizer", "digitiser")),
    Attribute(
        name="windows",
        title="Windows",
        listed="Windows, from the top left in mm",
        says=(
            f"Every window of the device has one in the part within {WINDOW_TOLERANCE_MM:g} mm; one "
            "more needs consent, two more are too many."
        ),
        compare=windows,
        tolerance=WINDOW_TOLERANCE_MM,
        reads=_read_windows,
        brings=Brings.GLASS,
        drawn=Drawn.WINDOWS,
        headings=("windows", "openings"),
        source=_SHOPS_TOLERANCE,
    ),
    _must("leads", "Antenna and camera leads", compare=leads, headings=("leads", "antenna")),
    Attribute(
        name="pairing",
        title="Pairing",
        listed="Pairing with its display",
        choices=("none", "serial", "locked"),
        says=(
            "Where the device knows its own display, its serial is moved over if the model allows "
            "it, the part is of original grade and the old display answers; else lost features need "
            "consent."
        ),
        compare=pairing,
        around=may_write_serial,
        asks_nothing=("none",),
        unknown=pairing_not_known,
        value_of=lambda offer: offer.grade or None,
        of_part=False,
        measured=False,
    ),
    _must("colour", "Colour", brings=Brings.GLASS, headings=("colour", "color")),
    _may("finish", "Finish", brings=Brings.GLASS, headings=("finish", "surface")),
    _may(
        "brightness_nits",
        "Brightness",
        kind=Kind.COUNT,
        unit="nits",
        brings=Brings.PANEL,
        headings=("brightness", "nits"),
    ),
    Attribute(
        name="printed_number",
        title="Printed number",
        says=(
            "The printed number may differ; a newer number replaces an older one through any "
            "chain, never the "
            "reverse. A number that is not known is unknown where it could be such an older one, "
            "or one that "
            "stands in only under a condition; so is one without its revision, or of a revision nobody "
            "wrote down, where another revision of it would be."
        ),
        demand=Demand.MAY,
        compare=printed_number,
        around=always,
        unknown=number_not_known,
        decides=True,
        value_of=lambda offer: offer.printed_number or None,
        headings=("printed number", "printed", "panel number", "label", "oem number"),
    ),
)

# What a part may say of itself that no need asks for: it shows whether a listing can be true.
DIAGONAL = Attribute(
    name="diagonal_in",
    title="Diagonal",
    listed="Diagonal as sold, inches",
    says="Size and resolution of a listing go together.",
    kind=Kind.LENGTH,
    unit="in",
    reads=_read_inches,
    headings=("diagonal", "size", "inch", "inches"),
    measured=False,
)

BY_NAME: dict[str, Attribute] = {attribute.name: attribute for attribute in ATTRIBUTES}
# what can be measured or read on the original; the kind and the family are the catalogue's own words
MEASURABLE = tuple(attribute for attribute in ATTRIBUTES if attribute.measured)


def need_lines(need: Need) -> list[tuple[str, Value | None]]:
    """What a need says, in the shop's words and order: heading and value; None = not known."""
    return [
        (attribute.heading.lower(), need[attribute.name])
        for attribute in ATTRIBUTES
        if attribute.name in need
    ]


def brought_by(member: Brings) -> tuple[str, ...]:
    """The attributes that a member of a kit brings."""
    return tuple(attribute.name for attribute in ATTRIBUTES if attribute.brings is member)


def drawn_as(shown: Drawn) -> tuple[str, ...]:
    """The attributes that a piece of the drawing shows."""
    return tuple(attribute.name for attribute in ATTRIBUTES if attribute.drawn is shown)
