"""What must agree between a device and a part, attribute by attribute, and how each is compared.

The table is data: a new attribute is a line here. A comparison says one of six things and why; it never rounds unknown up to yes.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.matching.numbers import Numbers, Standing
from sutura.core.matching.resolution import Resolution, read_resolution
from sutura.core.values import COMMON

Value = str | int | float
# what a screen position demands; None = nobody knows it yet, left out = it does not matter
Need = Mapping[str, Value | None]


class Agreement(StrEnum):
    """The outcome for one attribute, best first."""

    AGREES = "agrees"
    ALLOWED = "may differ"
    BRIDGED = "bridged"
    CONSENT = "needs consent"
    UNKNOWN = "unknown"
    DIFFERS = "differs"


class Demand(StrEnum):
    """How strictly an attribute is held: a difference refuses, needs consent, or does no harm."""

    MUST = "must"
    CONSENT = "consent"
    MAY = "may"


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """A value that was measured or learned here, beside what the supplier claims."""

    value: Value
    who: str
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """A part from a supplier at a price.

    `attributes` are what the supplier claims, `measured` what was found here, which counts more; absent = unknown. `lead_days` until it
    is here, `free` pieces on our shelf, `stock_there` pieces at the supplier, None = not said. `price_breaks` are (pieces, minor) pairs.
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
    price_breaks: tuple[tuple[int, int], ...] = ()
    stock_there: int | None = None
    guarantee_days: int | None = None
    returns: str = ""
    # proved or failed pieces of this supplier, for its defect rate
    supplier_bad: int = 0
    supplier_tried: int = 0

    def known(self, attribute: str) -> Value | None:
        """What counts for an attribute: measured before claimed; None = unknown."""
        found = self.measured.get(attribute) if self.measured else None
        value = found.value if found else self.attributes.get(attribute)
        return None if value == "" else value


# The grades of a part whose display answers a serial programmer: original display, whatever its glass.
ORIGINAL = frozenset({"genuine new", "genuine pulled", "refurbished"})
GRADES = ("genuine new", "genuine pulled", "refurbished", "aftermarket")


@dataclass(frozen=True, slots=True, kw_only=True)
class Around:
    """What else is known when an attribute is compared: adapter flexes to be had, printed numbers, broken items."""

    flexes: tuple[Offer, ...] = ()
    numbers: Numbers = field(default_factory=Numbers)
    destroyed: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """One comparison. `flex` is the adapter that bridges it, when that is a part of its own; `minutes` what bridging adds."""

    agreement: Agreement
    reason: str
    bridge: str = ""
    flex: Offer | None = None
    minutes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """What is compared: two known values that are not the same, by which rule, of which offer."""

    rule: AttributeRule
    needed: Value
    offered: Value
    offer: Offer
    around: Around


Compare = Callable[[Pair], Compared]


@dataclass(frozen=True, slots=True, kw_only=True)
class AttributeRule:
    """How one attribute is compared; `says` is the rule in words, listed for the user. Unknown on either side stays unknown.

    `around` says whether, for two values, what else the part has or what else is known has a say; without it the values decide alone.
    """

    attribute: str
    title: str
    says: str
    compare: Compare
    demand: Demand = Demand.MUST
    unit: str = ""
    tolerance: float = 0.0
    source: str = COMMON
    around: Callable[[Value | None, Value | None, Offer, Around], bool] | None = None


SAME = Compared(agreement=Agreement.AGREES, reason="the same")


def _differs(pair: Pair) -> Compared:
    unit = f" {pair.rule.unit}" if pair.rule.unit else ""
    return Compared(
        agreement=Agreement.DIFFERS, reason=f"needs {pair.needed}{unit}, this one has {pair.offered}{unit}"
    )


def equal(pair: Pair) -> Compared:
    same = pair.needed == pair.offered or str(pair.needed).casefold() == str(pair.offered).casefold()
    return SAME if same else _differs(pair)


def within(pair: Pair) -> Compared:
    """Two lengths or numbers within the rule's tolerance."""
    try:
        off = abs(float(pair.needed) - float(pair.offered))
    except ValueError:
        return _differs(pair)
    if not math.isfinite(off) or off > pair.rule.tolerance + 1e-9:
        return _differs(pair)
    return Compared(agreement=Agreement.AGREES, reason=f"within {pair.rule.tolerance:g} {pair.rule.unit}")


def resolution(pair: Pair) -> Compared:
    """The same pixels whichever way it is held; a name that stands for several is unknown, unless none of them is right."""
    want, have = read_resolution(str(pair.needed)), read_resolution(str(pair.offered))
    if not want.may_be or not have.may_be:
        return equal(pair)
    if not want.may_be & have.may_be:
        return _differs(pair)
    if want.pixels and want.pixels == have.pixels:
        return Compared(agreement=Agreement.AGREES, reason=_pixel_words(have))
    return Compared(agreement=Agreement.UNKNOWN, reason=f"{pair.offered} can be {have}: ask for the numbers")


def _pixel_words(have: Resolution) -> str:
    return f"{have.name} is {have}" if have.name and not have.disagree else "the same pixels"


def at_least(pair: Pair) -> Compared:
    try:
        more = float(pair.offered) - float(pair.needed)
    except ValueError:
        return _differs(pair)
    if more == 0:
        return SAME
    if more > 0:
        return Compared(
            agreement=Agreement.ALLOWED, reason="more than is needed: the device drives it slower"
        )
    return Compared(
        agreement=Agreement.CONSENT,
        reason=f"needs {pair.needed} {pair.rule.unit}, this one reaches {pair.offered}: moves less smoothly",
    )


def connector_place(pair: Pair) -> Compared:
    """Elsewhere is bridged by an adapter flex: one in the box, or one that is a part of its own and leads from there to here."""
    if equal(pair) is SAME:
        return SAME
    if "adapter flex" in (pair.offer.known("bridge"), *pair.offer.box):
        return Compared(
            agreement=Agreement.BRIDGED,
            reason="sits elsewhere; the adapter flex in the box bridges it",
            bridge="adapter flex",
        )
    flex = find_flex(pair.around.flexes, pair.offer, pair.needed, pair.offered)
    if flex:
        return Compared(
            agreement=Agreement.BRIDGED,
            reason=f"sits {pair.offered}, needed {pair.needed}; {flex.part} bridges it",
            bridge=flex.part,
            flex=flex,
        )
    return _differs(pair)


def _may_be_bridged(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:
    """Whether an adapter could have a say: one is in the box, or one leads from there to here."""
    if needed == offered or needed is None or offered is None:
        return False
    if "bridge" in offer.attributes or "adapter flex" in offer.box:
        return True
    return any(
        str(flex.known("connector_place")) == str(offered) and str(flex.known("bridges_to")) == str(needed)
        for flex in around.flexes
    )


def find_flex(flexes: Sequence[Offer], offer: Offer, needed: Value, offered: Value) -> Offer | None:
    """The cheapest adapter flex that plugs into the part's connector and ends where the device has its own.

    What a flex does not say of pins or kind is unknown, and unknown is not yes.
    """

    def plugs(flex: Offer) -> bool:
        places = str(flex.known("connector_place")), str(flex.known("bridges_to"))
        if places != (str(offered), str(needed)):
            return False
        return all(
            offer.known(name) is not None and str(flex.known(name)) == str(offer.known(name))
            for name in ("connector_pins", "connector_kind")
            if flex.known(name) is not None or offer.known(name) is not None
        )

    return min(filter(plugs, flexes), key=lambda flex: (flex.price_minor, flex.id), default=None)


# Minutes to move one item from the old screen to the new; the shop's habit, no source.
MOVE_OVER_MINUTES = 4
BRACKETS = "mounting brackets"


def mounting(pair: Pair) -> Compared:
    """A part without brackets takes those of the old screen, when they are whole."""
    if equal(pair) is SAME:
        return SAME
    if (
        str(pair.offered).casefold() == "none"
        and "bracket" in str(pair.needed).casefold()
        and BRACKETS not in pair.around.destroyed
    ):
        return Compared(
            agreement=Agreement.BRIDGED, reason="without brackets: those of the old screen are moved over", bridge="brackets moved over",
            minutes=MOVE_OVER_MINUTES,
        )  # fmt: skip
    return _differs(pair)


def _may_take_brackets(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:  # noqa: ARG001 - one shape
    return str(offered).casefold() == "none"


def _always(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:  # noqa: ARG001 - one shape
    return True


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """An opening in the cover glass: what looks through it, and its centre in mm from the top left of the part, seen from the front."""

    what: str
    x: float
    y: float


_WINDOW = re.compile(r"\s*([a-z][a-z ]*[a-z])\s+(-?[0-9]+(?:\.[0-9]+)?)\s*[,;/]\s*(-?[0-9]+(?:\.[0-9]+)?)\s*")


def read_windows(text: str) -> tuple[Window, ...]:
    """Windows as written in a pack: `camera 35.4,5.2 | sensor 22,4`; `none` = no opening at all.

    >>> read_windows("camera 35.4,5.2 | sensor 22,4")[1]
    Window(what='sensor', x=22.0, y=4.0)
    """
    if text.strip().casefold() == "none":
        return ()
    found = []
    for part in text.split("|"):
        match = _WINDOW.fullmatch(part.casefold())
        if not match:
            raise Invalid(
                "windows",
                part.strip(),
                "write what looks through and its centre, such as camera 35.4,5.2 | sensor 22,4, or none",
            )
        found.append(Window(what=match[1], x=float(match[2]), y=float(match[3])))
    return tuple(found)


def windows(pair: Pair) -> Compared:
    """Every window of the device has one in the part within the tolerance; one more than needed is for the customer to agree to."""
    try:
        want, have = list(read_windows(str(pair.needed))), list(read_windows(str(pair.offered)))
    except Invalid as unread:
        return Compared(agreement=Agreement.UNKNOWN, reason=f"cannot be read: {unread.refused}")
    for one in want:
        near = min(
            (other for other in have if other.what == one.what),
            key=lambda o: math.hypot(o.x - one.x, o.y - one.y),
            default=None,
        )
        if near is None:
            return Compared(agreement=Agreement.DIFFERS, reason=f"no window for the {one.what}")
        off = math.hypot(near.x - one.x, near.y - one.y)
        if off > pair.rule.tolerance + 1e-9:
            return Compared(
                agreement=Agreement.DIFFERS, reason=f"the window for the {one.what} sits {off:.1f} mm off"
            )
        have.remove(near)
    if have:
        return Compared(
            agreement=Agreement.CONSENT,
            reason=f"one more opening than the device has: {', '.join(o.what for o in have)}",
        )
    return Compared(agreement=Agreement.AGREES, reason=f"every window within {pair.rule.tolerance:g} mm")


def pairing(pair: Pair) -> Compared:
    """A device that knows its own display: the serial can be moved only where the model allows it and the display is original."""
    if str(pair.needed) in ("none", ""):
        return SAME
    if str(pair.needed) == "serial" and str(pair.offered) in ORIGINAL:
        return Compared(
            agreement=Agreement.BRIDGED, reason="original grade: the old display's serial is written into it", bridge="serial transfer",
            minutes=MOVE_OVER_MINUTES,
        )  # fmt: skip
    why = (
        "an aftermarket display does not answer the programmer"
        if str(pair.needed) == "serial"
        else "this model allows no transfer"
    )
    return Compared(agreement=Agreement.CONSENT, reason=f"{why}: automatic brightness and tone may be lost")


def printed_number(pair: Pair) -> Compared:
    """A different number may be right; a number that the needed one replaces is not."""
    stands = pair.around.numbers.stands(str(pair.offered), str(pair.needed))
    if stands.standing is Standing.SAME:
        return SAME
    if stands.standing is Standing.OLDER:
        return Compared(
            agreement=Agreement.DIFFERS,
            reason=f"older than {pair.needed}, which replaces it and not the reverse: {' → '.join(stands.chain)}",
        )
    if stands.standing is Standing.REVISION:
        return Compared(agreement=Agreement.ALLOWED, reason="another revision of the same number")
    if stands.standing is Standing.NONE:
        return Compared(agreement=Agreement.ALLOWED, reason="differs, and that does no harm")
    words = f"{' → '.join(stands.chain)}: may stand in for it"
    if stands.conditions:
        return Compared(
            agreement=Agreement.CONSENT, reason=f"{words}, if {'; and if '.join(stands.conditions)}"
        )
    return Compared(agreement=Agreement.AGREES, reason=words)


def leads(pair: Pair) -> Compared:
    """Antenna and camera leads, in whatever order they are named."""
    want, have = (
        sorted(part.strip().casefold() for part in str(one).split(",")) for one in (pair.needed, pair.offered)
    )
    return SAME if want == have else _differs(pair)


def _length(attribute: str, title: str, tolerance: float) -> AttributeRule:
    says = f"{title} must agree within {tolerance:g} mm."
    return AttributeRule(
        attribute=attribute, title=title, says=says, compare=within, unit="mm", tolerance=tolerance,
        source="common practice, no source; the tolerance is the shop's",
    )  # fmt: skip


def _must(attribute: str, title: str) -> AttributeRule:
    return AttributeRule(attribute=attribute, title=title, says=f"{title} must agree.", compare=equal)


def _may(attribute: str, title: str) -> AttributeRule:
    return AttributeRule(
        attribute=attribute, title=title, says=f"{title} may differ.", compare=equal, demand=Demand.MAY
    )


ATTRIBUTES: tuple[AttributeRule, ...] = (
    _must("kind", "Kind of part"),
    _must("part_family", "Part family"),
    _length("width_mm", "Outline width", 0.5),
    _length("height_mm", "Outline height", 0.5),
    _length("thickness_mm", "Thickness", 0.2),
    _length("active_width_mm", "Picture width", 1.0),
    _length("active_height_mm", "Picture height", 1.0),
    AttributeRule(
        attribute="resolution", title="Resolution", compare=resolution, source="VESA format names (from memory: sure); common practice",
        says="Resolution must agree in pixels, whichever way it is held; a name that stands for several is unknown.",
    ),
    AttributeRule(
        attribute="technology", title="Panel technology", compare=equal,
        says="Panel technology must agree, unless the model says that another one works with consent.",
    ),
    AttributeRule(
        attribute="refresh_hz", title="Refresh", compare=at_least, unit="Hz",
        says="A faster panel may be used; a slower one needs the customer's consent.",
    ),
    _must("connector_kind", "Connector kind"),
    _must("connector_pins", "Connector pins"),
    _length("connector_pitch_mm", "Connector pitch", 0.02),
    AttributeRule(
        attribute="connector_place", title="Connector place", compare=connector_place, around=_may_be_bridged,
        says="The connector must sit in the same place, or an adapter flex – in the box or a part of its own – leads from there to here.",
    ),
    _must("connector_side", "Connector side"),
    _must("connector_orientation", "Connector orientation"),
    AttributeRule(
        attribute="mounting", title="Mounting", compare=mounting, around=_may_take_brackets,
        says="Mounting must agree; a part without brackets takes those of the old screen.",
    ),
    _must("touch", "Touch"),
    AttributeRule(
        attribute="windows", title="Windows", compare=windows, unit="mm", tolerance=0.5,
        says="Every window of the device has one in the part within 0.5 mm; one more needs consent.",
        source="common practice, no source; the tolerance is the shop's",
    ),
    AttributeRule(attribute="leads", title="Antenna and camera leads", says="Antenna and camera leads must agree.", compare=leads),
    AttributeRule(
        attribute="pairing", title="Pairing", compare=pairing,
        says="Where the device knows its own display, its serial is moved over if the model allows it and the part is of original grade; else lost features need consent.",
    ),
    _must("colour", "Colour"),
    _may("finish", "Finish"),
    _may("brightness_nits", "Brightness"),
    AttributeRule(
        attribute="printed_number", title="Printed number", compare=printed_number, around=_always, demand=Demand.MAY,
        says="The printed number may differ; a newer number replaces an older one through any chain, never the reverse. A number that could be such an older one and is not known is unknown.",
    ),
)  # fmt: skip
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
NOTHING_AROUND = Around()
BY_NAME: Mapping[str, AttributeRule] = {rule.attribute: rule for rule in ATTRIBUTES}
