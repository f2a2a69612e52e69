"""How two values of one attribute are compared: one of six outcomes and why; unknown is never rounded up to
yes.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, Say, fact
from sutura.core.matching.numbers import Numbers, Standing
from sutura.core.matching.offers import NO_OFFER, ORIGINAL, Offer, Value
from sutura.core.matching.resolution import Resolution, read_resolution


class Agreement(StrEnum):
    """The outcome for one attribute, best first."""

    AGREES = "agrees"
    ALLOWED = "allowed"
    BRIDGED = "bridged"
    CONSENT = "consent"
    UNKNOWN = "unknown"
    DIFFERS = "differs"


@dataclass(frozen=True, slots=True, kw_only=True)
class Around:
    """What else is known when an attribute is compared: adapter flexes and spares to be had, printed numbers,
    broken items.
    """

    flexes: tuple[Offer, ...] = ()
    spares: Mapping[str, Offer] = field(default_factory=dict)
    numbers: Numbers = field(default_factory=Numbers)
    destroyed: frozenset[str] = frozenset()


NOTHING_AROUND = Around()


@dataclass(frozen=True, slots=True, kw_only=True)
class Compared:
    """One comparison. `flex` is the adapter or the brackets that bridge it, when that is a part of its own;
    `minutes` what bridging adds.
    """

    agreement: Agreement
    reason: Say
    bridge: Say = ""
    flex: Offer | None = None
    minutes: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pair:
    """What is compared: two known values that are not the same, in which unit and within how much, of which
    offer. Without an offer the two values decide alone.
    """

    needed: Value
    offered: Value
    unit: str = ""
    tolerance: float = 0.0
    offer: Offer = NO_OFFER
    around: Around = NOTHING_AROUND


Compare = Callable[[Pair], Compared]

SAME = Compared(agreement=Agreement.AGREES, reason=fact("matching.same"))


def _differs(pair: Pair) -> Compared:
    unit = f" {pair.unit}" if pair.unit else ""
    return Compared(
        agreement=Agreement.DIFFERS,
        reason=fact("matching.needs-one-has", needed=pair.needed, unit=unit, offered=pair.offered),
    )


def _number(value: Value) -> float | None:
    """A value as a number; None when it is none."""
    try:
        number = float(value)
    except ValueError:
        return None
    return number if math.isfinite(number) else None


def _unreadable(pair: Pair, needed: float | None) -> Compared:
    """What cannot be read is unknown, never a refusal."""
    unread = pair.needed if needed is None else pair.offered
    return Compared(agreement=Agreement.UNKNOWN, reason=fact("matching.cannot-read", refused=unread))


def equal(pair: Pair) -> Compared:
    same = pair.needed == pair.offered or str(pair.needed).casefold() == str(pair.offered).casefold()
    return SAME if same else _differs(pair)


def within(pair: Pair) -> Compared:
    """Two lengths or numbers within the rule's tolerance."""
    needed, offered = _number(pair.needed), _number(pair.offered)
    if needed is None or offered is None:
        return _unreadable(pair, needed)
    off = abs(needed - offered)
    if off > pair.tolerance + 1e-9:
        return _differs(pair)
    return Compared(
        agreement=Agreement.AGREES, reason=fact("matching.within", tolerance=pair.tolerance, unit=pair.unit)
    )


def resolution(pair: Pair) -> Compared:
    """The same pixels whichever way it is held; a name that stands for several is unknown, unless none of
    them is right.
    """
    want, have = read_resolution(str(pair.needed)), read_resolution(str(pair.offered))
    # small letters can be all that tells a quarter of full HD from four times HD
    if equal(pair) is SAME and want.may_be == have.may_be:
        return SAME
    if not want.may_agree(have):
        return _differs(pair)
    if not want.may_be or not have.may_be:
        unread = pair.offered if not have.may_be else pair.needed
        return Compared(agreement=Agreement.UNKNOWN, reason=fact("matching.cannot-read", refused=unread))
    if want.pixels and want.pixels == have.pixels:
        return Compared(agreement=Agreement.AGREES, reason=_pixel_words(have))
    return Compared(
        agreement=Agreement.UNKNOWN,
        reason=fact("matching.can-ask-numbers", offered=pair.offered, have=str(have)),
    )


def _pixel_words(have: Resolution) -> Fact:
    return (
        fact("matching.name-stands-for", name=have.name, pixels=str(have))
        if have.name and not have.disagree
        else fact("matching.same-pixels")
    )


def at_least(pair: Pair) -> Compared:
    needed, offered = _number(pair.needed), _number(pair.offered)
    if needed is None or offered is None:
        return _unreadable(pair, needed)
    more = offered - needed
    if more == 0:
        return SAME
    if more > 0:
        return Compared(
            agreement=Agreement.ALLOWED, reason=fact("matching.more-than-needed-device-drives-slower")
        )
    return Compared(
        agreement=Agreement.CONSENT,
        reason=fact(
            "matching.needs-one-reaches-moves-less-smoothly",
            needed=pair.needed,
            unit=pair.unit,
            offered=pair.offered,
        ),
    )


# what must be the same for a connector to go in
_PLUG = ("connector_pins", "connector_kind")


def connector_place(pair: Pair) -> Compared:
    """Elsewhere is bridged by an adapter flex: one in the box, or one that is a part of its own and leads
    from there to here.
    """
    if equal(pair) is SAME:
        return SAME
    if "adapter flex" in (pair.offer.known("bridge"), *pair.offer.box):
        return Compared(
            agreement=Agreement.BRIDGED,
            reason=fact("matching.sits-elsewhere-adapter-flex-box-bridges"),
            bridge="adapter flex",
        )
    flex = find_flex(pair.around.flexes, pair.offer, pair.needed, pair.offered)
    if flex:
        return Compared(
            agreement=Agreement.BRIDGED,
            reason=fact(
                "matching.sits-needed-bridges", offered=pair.offered, needed=pair.needed, part=flex.part
            ),
            bridge=flex.part,
            flex=flex,
        )
    perhaps = [one.part for one in pair.around.flexes if _may_plug(one, pair)]
    if perhaps:
        return Compared(
            agreement=Agreement.UNKNOWN,
            reason=fact(
                "matching.adapter-may-plug", offered=pair.offered, needed=pair.needed, part=perhaps[0]
            ),
        )
    return _differs(pair)


def may_be_bridged(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:
    """Whether an adapter could have a say: one is in the box, or one leads from there to here."""
    if needed == offered or needed is None or offered is None:
        return False
    if "bridge" in offer.attributes or "adapter flex" in offer.box:
        return True
    return any(_leads(flex, needed, offered) for flex in around.flexes)


def _leads(flex: Offer, needed: Value, offered: Value) -> bool:
    """Whether an adapter flex leads from where the part has its connector to where the device has its own."""
    start, end = flex.known("connector_place"), flex.known("bridges_to")
    return start is not None and end is not None and _alike(start, offered) and _alike(end, needed)


def _both_say(flex: Offer, offer: Offer, name: str) -> bool:
    """Whether both sides say the same; what a side does not say is unknown, and unknown is not yes."""
    mine, theirs = flex.known(name), offer.known(name)
    return mine is not None and theirs is not None and _alike(mine, theirs)


def _alike(one: Value, other: Value) -> bool:
    """The same word whatever its capitals, the same number however it is written."""
    if str(one).strip().casefold() == str(other).strip().casefold():
        return True
    try:
        return float(one) == float(other)
    except ValueError:
        return False


def _may_plug(flex: Offer, pair: Pair) -> bool:
    """Whether an adapter flex leads from there to here, and nothing that both sides say speaks against it."""

    def apart(name: str) -> bool:
        mine, theirs = flex.known(name), pair.offer.known(name)
        return mine is not None and theirs is not None and not _alike(mine, theirs)

    return _leads(flex, pair.needed, pair.offered) and not any(map(apart, _PLUG))


def find_flex(flexes: Sequence[Offer], offer: Offer, needed: Value, offered: Value) -> Offer | None:
    """The cheapest adapter flex that plugs into the part's connector and ends where the device has its own.

    What a flex does not say of pins or kind is unknown, and unknown is not yes.
    """

    def plugs(flex: Offer) -> bool:
        if not _leads(flex, needed, offered):
            return False
        return all(_both_say(flex, offer, name) for name in _PLUG)

    return min(filter(plugs, flexes), key=lambda flex: (flex.price_minor, flex.id), default=None)


# Minutes to move one item from the old screen to the new; the shop's habit, no source.
MOVE_OVER_MINUTES = 4
BRACKETS = "mounting brackets"


def mounting(pair: Pair) -> Compared:
    """A part without brackets takes those of its box, of the old screen when they are whole, or bought
    ones.
    """
    if equal(pair) is SAME:
        return SAME
    if str(pair.offered).casefold() != "none" or "bracket" not in str(pair.needed).casefold():
        return _differs(pair)
    if BRACKETS in pair.offer.box:
        return Compared(
            agreement=Agreement.BRIDGED, reason=fact("matching.without-brackets-those-box"), bridge=BRACKETS
        )
    if BRACKETS not in pair.around.destroyed:
        return Compared(
            agreement=Agreement.BRIDGED,
            reason=fact("matching.without-brackets-those-old-screen-moved"),
            bridge=fact("matching.brackets-moved-over"),
            minutes=MOVE_OVER_MINUTES,
        )
    bought = pair.around.spares.get(BRACKETS)
    if bought:
        return Compared(
            agreement=Agreement.BRIDGED,
            reason=fact("matching.without-brackets-bought", part=bought.part),
            bridge=bought.part,
            flex=bought,
            minutes=MOVE_OVER_MINUTES,
        )
    return _differs(pair)


def may_take_brackets(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:
    return str(offered).casefold() == "none"


def always(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:
    return True


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """An opening in the cover glass: what looks through it, and its centre in mm from the top left of the
    part, seen from the front.
    """

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
    openings = []
    for part in text.split("|"):
        match = _WINDOW.fullmatch(part.casefold())
        if not match:
            raise Invalid("windows", part.strip(), fact("matching.write-what-looks-through-centre-such"))
        openings.append(Window(what=match[1], x=float(match[2]), y=float(match[3])))
    return tuple(openings)


def windows(pair: Pair) -> Compared:
    """Every window of the device has one in the part within the tolerance; one more than needed is for the
    customer to agree to.
    """
    try:
        want, have = list(read_windows(str(pair.needed))), list(read_windows(str(pair.offered)))
    except Invalid as unread:
        return Compared(
            agreement=Agreement.UNKNOWN, reason=fact("matching.cannot-read", refused=unread.refused)
        )
    left = _without_their_windows(want, have, pair.tolerance)
    if left is None:
        return _window_missing(want, have, pair.tolerance)
    if len(left) > 1:
        return Compared(
            agreement=Agreement.DIFFERS,
            reason=fact("matching.more-openings-than-one", have=tuple(o.what for o in left)),
        )
    if left:
        return Compared(
            agreement=Agreement.CONSENT,
            reason=fact("matching.one-more-opening-than-device-has", have=tuple(o.what for o in left)),
        )
    return Compared(
        agreement=Agreement.AGREES, reason=fact("matching.every-window-within-mm", tolerance=pair.tolerance)
    )


def _without_their_windows(
    want: Sequence[Window], have: Sequence[Window], within_mm: float
) -> list[Window] | None:
    """What is left when every wanted window has one of its own, each within reach; None where that cannot be,
    however they are shared out.
    """
    taken: dict[int, int] = {}

    def gets_one(place: int, seen: set[int]) -> bool:
        for other, window in enumerate(have):
            if other in seen or not _is_window(want[place], window, within_mm):
                continue
            seen.add(other)
            if other not in taken or gets_one(taken[other], seen):
                taken[other] = place
                return True
        return False

    if not all(gets_one(place, set()) for place in range(len(want))):
        return None
    return [window for other, window in enumerate(have) if other not in taken]


def _is_window(wanted: Window, window: Window, within_mm: float) -> bool:
    off = math.hypot(window.x - wanted.x, window.y - wanted.y)
    return window.what == wanted.what and off <= within_mm + 1e-9


def _window_missing(want: Sequence[Window], have: Sequence[Window], within_mm: float) -> Compared:
    """Why not every window has one: the first that has none within reach, else that there are too few."""
    for window in want:
        away = [math.hypot(o.x - window.x, o.y - window.y) for o in have if o.what == window.what]
        if not away:
            return Compared(agreement=Agreement.DIFFERS, reason=fact("matching.no-window", what=window.what))
        if min(away) > within_mm + 1e-9:
            return Compared(
                agreement=Agreement.DIFFERS,
                reason=fact("matching.window-sits-mm-off", what=window.what, off=min(away)),
            )
    return Compared(agreement=Agreement.DIFFERS, reason=fact("matching.windows-too-few"))


# what a programmer reads off the old display and writes into the new one
SERIAL = "serial of the old display"


def may_write_serial(needed: Value | None, offered: Value | None, offer: Offer, around: Around) -> bool:
    """Whether it counts that the old display does not answer."""
    return str(needed) == "serial" and SERIAL in around.destroyed


def pairing(pair: Pair) -> Compared:
    """A device that knows its own display: the serial can be moved only where the model allows it, the new
    display is original and the old one still answers.
    """
    if str(pair.needed) in ("none", ""):
        return SAME
    if str(pair.needed) == "serial" and SERIAL in pair.around.destroyed:
        silent = fact("matching.old-display-does-not-answer-programmer")
        return Compared(
            agreement=Agreement.CONSENT,
            reason=fact("matching.automatic-brightness-tone-may-lost", why=silent),
        )
    if str(pair.needed) == "serial" and str(pair.offered) in ORIGINAL:
        return Compared(
            agreement=Agreement.BRIDGED,
            reason=fact("matching.original-grade-old-displays-serial-written"),
            bridge="serial transfer",
            minutes=MOVE_OVER_MINUTES,
        )
    why = (
        fact("matching.aftermarket-display-does-not-answer-programmer")
        if str(pair.needed) == "serial"
        else fact("matching.model-allows-no-transfer")
    )
    return Compared(
        agreement=Agreement.CONSENT, reason=fact("matching.automatic-brightness-tone-may-lost", why=why)
    )


def printed_number(pair: Pair) -> Compared:
    """A different number may be right; a number that the needed one replaces is not."""
    stands = pair.around.numbers.stands(str(pair.offered), str(pair.needed))
    if stands.standing is Standing.SAME:
        return SAME
    if stands.standing is Standing.OLDER:
        return Compared(
            agreement=Agreement.DIFFERS,
            reason=(
                fact(
                    "matching.older-than-which-replaces-not-reverse",
                    needed=pair.needed,
                    chain=tuple(stands.chain),
                )
            ),
        )
    if stands.standing is Standing.UNSURE:
        return Compared(
            agreement=Agreement.UNKNOWN,
            reason=fact("matching.revision-not-known", needed=pair.needed, offered=pair.offered),
        )
    if stands.standing is Standing.REVISION:
        return Compared(agreement=Agreement.ALLOWED, reason=fact("matching.another-revision-same-number"))
    if stands.standing is Standing.NONE:
        return Compared(agreement=Agreement.ALLOWED, reason=fact("matching.differs-does-no-harm"))
    words = fact("matching.may-stand", chain=tuple(stands.chain))
    if stands.conditions:
        return Compared(
            agreement=Agreement.CONSENT,
            reason=fact("matching.may-stand-in-if", words=words, conditions=tuple(stands.conditions)),
        )
    return Compared(agreement=Agreement.AGREES, reason=words)


def leads(pair: Pair) -> Compared:
    """Antenna and camera leads, in whatever order they are named."""
    want, have = (
        sorted(part.strip().casefold() for part in str(text).split(","))
        for text in (pair.needed, pair.offered)
    )
    return SAME if want == have else _differs(pair)


# -- where one of the two is not known ------------------------------------------------------------------


def not_known(needed: Value | None, offered: Value | None, around: Around) -> Compared:
    """What nobody knows of the device, or what nobody said of the part, is unknown."""
    if needed is None:
        return Compared(
            agreement=Agreement.UNKNOWN, reason=fact("matching.not-known-device-measure-original-table")
        )
    return Compared(agreement=Agreement.UNKNOWN, reason=fact("matching.not-known-part-measure-ask-supplier"))


def number_not_known(needed: Value | None, offered: Value | None, around: Around) -> Compared:
    """A number that is not known does no harm, unless it could be one that is replaced and not the
    reverse.
    """
    if offered is None and needed is None and around.numbers.tell_apart:
        return Compared(agreement=Agreement.UNKNOWN, reason=fact("matching.not-known-either-side-read-both"))
    if offered is None and needed is not None and around.numbers.may_be_refused_for(str(needed)):
        return Compared(
            agreement=Agreement.UNKNOWN,
            reason=fact("matching.not-known-not-every-number-known", needed=needed),
        )
    if needed is None and offered is not None and around.numbers.may_refuse(str(offered)):
        return Compared(
            agreement=Agreement.UNKNOWN, reason=fact("matching.not-right-every-number-known-beside")
        )
    return Compared(agreement=Agreement.ALLOWED, reason=fact("matching.not-known-may-differ"))


def pairing_not_known(needed: Value | None, offered: Value | None, around: Around) -> Compared:
    """A device that allows no transfer loses the same whatever the grade of its display."""
    if needed == "locked":
        return pairing(Pair(needed=needed, offered=""))
    return not_known(needed, offered, around)
