"""The ways themselves: seals, heats, and how a lid is held, each with what it takes. Data; the bench's
schools choose among them.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sutura.core.facts import Say, fact


@dataclass(frozen=True, slots=True, kw_only=True)
class Sealing:
    """A family of seals: what is done to lay it (before the test), to make it ready (right before it is
    pressed in) and to hold it, with its times; what it takes to open it again. `{method}` and `{side}` are
    filled in. `is_cut` = it is cut to size; `station` is busy until it may be trimmed.
    """

    id: str
    minutes: int
    opens_again: Say
    lay: str = ""
    ready: str = ""
    hold: str = ""
    skin_minutes: int = 0
    trim_minutes: int = 0
    cautions: tuple[str, ...] = ()
    is_cut: bool = False
    station: str = ""


# minutes of laying and the times of glue: common practice, no source
SEALINGS: Mapping[str, Sealing] = {
    one.id: one
    for one in (
        Sealing(
            id="frame",
            minutes=3,
            lay=(
                "Lay the {method} on the {side}: first film off, the last one stays on until the test has "
                "passed."
            ),
            ready="Peel the last film.",
            opens_again=fact("schools.opens-frame"),
        ),
        Sealing(
            id="tape",
            minutes=6,
            lay=(
                "{method} on the {side}, cut to size, film on until the test has passed. Camera, sensor and "
                "earpiece stay free."
            ),
            ready="Peel the film off the tape.",
            is_cut=True,
            opens_again=fact("schools.opens-tape"),
        ),
        Sealing(
            id="contact glue",
            minutes=8,
            ready="A thin bead of {method} on the {side}, none near a lens or a mesh. Leave it to skin.",
            hold="Into the clamp. Wipe off at once what came out; trim the rest when the time is over.",
            skin_minutes=6,
            trim_minutes=45,
            cautions=("solvent",),
            station="clamp",
            opens_again=fact("schools.opens-contact"),
        ),
        Sealing(
            id="instant glue",
            minutes=3,
            ready="Four dots of {method} on the {side}, at the corners. Eyes protected; none on skin.",
            hold="Hold it down for a minute. Look for haze on glass and camera.",
            cautions=("solvent",),
            opens_again=fact("schools.opens-instant"),
        ),
    )
}

# where the adhesive goes first
SIDES: Mapping[str, Say] = {"frame": fact("schools.on-the-frame"), "screen": fact("schools.on-the-screen")}
# how a lid is held while its hinges are screwed
LIDS: Mapping[str, Say] = {
    "flat": fact("schools.lid-flat"),
    "tent": fact("schools.lid-tent"),
    "over the edge": fact("schools.lid-edge"),
}
# said on a sheet in its own words, as a pack would say it
SIDES_SAID: Mapping[str, str] = {"frame": "frame", "screen": "new screen's back"}
LIDS_SAID: Mapping[str, str] = {
    "flat": "opened to 90°, the base flat at the table's edge, a hand or a block behind it.",
    "tent": "both halves stand on their edges; nothing presses on the lid.",
    "over the edge": "the base lies on the table, the lid hangs down; a hand under it until it holds.",
}
# what a hand can stay on; common practice
HAND_C = 60


def sealing_of(method: str) -> Sealing:
    """The family of a seal by its name; what is cut for the device where nothing else is said."""
    name = method.casefold()
    if "instant" in name:
        return SEALINGS["instant glue"]
    if "glue" in name:
        return SEALINGS["contact glue"]
    if "tape" in name:
        return SEALINGS["tape"]
    return SEALINGS["frame"]


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatWay:
    """A heat: its tool, how long it takes beside a pad (1), whether it is held in a hand, blows hot air, lies
    there by itself, and on what classes of device it lies flat. `says` stands on the sheet, `how` with the
    choice.
    """

    id: str
    tool: str
    pace: float
    says: str
    how: Say
    names: tuple[str, ...]
    in_hand: bool = False
    blows: bool = False
    by_itself: bool = False
    needs_flat: bool = False
    most_c: int = 100
    lies_flat: tuple[str, ...] = ("phone", "tablet")


# how long each takes beside a pad: common practice, no source
HEAT_WAYS: Mapping[str, HeatWay] = {
    one.id: one
    for one in (
        HeatWay(
            id="heat gun",
            tool="heat gun",
            names=("heat gun", "gun"),
            pace=0.5,
            in_hand=True,
            blows=True,
            most_c=HAND_C,
            says="Gun: 50 mm away, keep moving in circles, never one spot; read it all the time.",
            how=fact("schools.heat-gun"),
        ),
        HeatWay(
            id="hair dryer",
            tool="hair dryer",
            names=("hair dryer",),
            pace=1.5,
            in_hand=True,
            blows=True,
            most_c=HAND_C,
            says="Hair dryer: keep moving along the edge; it takes longer than a pad.",
            how=fact("schools.heat-dryer"),
        ),
        HeatWay(
            id="pad",
            tool="heating pad",
            names=("pad", "heating pad"),
            pace=1.0,
            needs_flat=True,
            lies_flat=("phone", "tablet", "watch"),
            says="Pad: front down, the whole edge on it.",
            how=fact("schools.heat-pad"),
        ),
        HeatWay(
            id="plate",
            tool="hot plate",
            names=("plate", "hot plate"),
            pace=1.5,
            by_itself=True,
            needs_flat=True,
            says="Plate: face down, by the clock, never left alone past it.",
            how=fact("schools.heat-plate"),
        ),
        HeatWay(
            id="gel pack",
            tool="gel pack",
            names=("gel pack",),
            pace=2.0,
            in_hand=True,
            most_c=HAND_C,
            says="Gel pack: warmed as its maker says, laid along one edge after the other.",
            how=fact("schools.heat-gel"),
        ),
    )
}


def heat_way(name: str) -> HeatWay | None:
    """The heat of this name; None where it is none of them."""
    return next((way for way in HEAT_WAYS.values() if name.casefold() in way.names), None)
