"""What an observation proves of the layers of a screen: each rule with its id, as data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from sutura.core.intake.observations import PICTURE, TRIPPED, Layer, Status


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """A rule of diagnosis: when all of `when` is observed, these layers are so. `first` is what to do before
    anything else.
    """

    id: str
    when: Mapping[str, tuple[str, ...]]
    says: str
    layers: Mapping[Layer, Status]
    # none of these answers may have been given
    unless: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    suspects: tuple[Layer, ...] = ()
    first: str = ""
    warns: str = ""
    # for devices that have this layer, or that lack it; None = for all
    having: Layer | None = None
    lacking: Layer | None = None


_BLACK = ("none",)
_CHARGE = "Charge it first, then test again."
_DRY = (
    "Do not charge it and do not switch it on. Power off, open it, battery off, dry and clean it; then look "
    "again."
)
# a picture that is not right, in whatever way
WRONG = ("none", "faint", "lines", "thread", "white", "blotch", "comes")
TOUCH_WRONG = ("dead", "part", "ghost", "comes")
_S, _F, _U = Status.SOUND, Status.FAULTY, Status.UNKNOWN
PROOFS: tuple[Proof, ...] = (
    Proof(
        id="diagnosis.glass",
        when={"glass": ("broken",)},
        says="The glass is broken.",
        layers={Layer.GLASS: _F},
    ),
    Proof(
        id="diagnosis.glass-whole",
        when={"glass": ("whole",)},
        says="The glass is whole.",
        layers={Layer.GLASS: _S},
    ),
    Proof(
        id="diagnosis.image-fine",
        when={"image": ("fine",)},
        says="A clean picture: panel, backlight and their connector work.",
        layers={Layer.PANEL: _S, Layer.BACKLIGHT: _S, Layer.BOARD: _S},
    ),
    Proof(
        id="diagnosis.image-powered",
        when={"image": ("fine",)},
        unless={"battery": ("flat",)},
        says="A picture needs power: the battery gives it.",
        layers={Layer.BATTERY: _S},
    ),
    Proof(
        id="diagnosis.image-and-touch-fine",
        when={"image": ("fine",), "touch": ("fine",)},
        says="Picture and touch are fine: so is what connects them.",
        layers={Layer.CONNECTOR: _S},
    ),
    Proof(
        id="diagnosis.image-in-list",
        when={"image_in_list": ("faulty",)},
        unless={"image": (*WRONG, "fine")},
        says="The picture is faulty, and nobody wrote down how.",
        layers={},
        suspects=(Layer.PANEL, Layer.BACKLIGHT, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.touch-in-list",
        when={"touch_in_list": ("faulty",)},
        unless={"touch": (*TOUCH_WRONG, "fine")},
        says="Touch is faulty, and nobody wrote down how.",
        layers={},
        suspects=(Layer.TOUCH, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.touch-fine",
        when={"touch": ("fine",)},
        says="Touch answers everywhere.",
        layers={Layer.TOUCH: _S},
    ),
    Proof(
        id="diagnosis.glass-only",
        when={"glass": ("broken",), "image": ("fine",), "touch": ("fine",)},
        says="Glass broken, image and touch fine: only the glass.",
        layers={Layer.GLASS: _F, Layer.TOUCH: _S, Layer.PANEL: _S},
    ),
    Proof(
        id="diagnosis.flat-battery",
        when={"battery": ("flat",)},
        says=(
            "A flat battery shows nothing of what lies behind it: a black screen is not testable, "
            "neither fine nor broken."
        ),
        layers={},
        # what shows a picture has power enough to be tried
        unless={"image": PICTURE, "liquid": TRIPPED},
        first=_CHARGE,
    ),
    Proof(
        id="diagnosis.flat-and-dried",
        when={"battery": ("flat",), "liquid": TRIPPED, "dried": ("yes",)},
        says="A flat battery shows nothing of what lies behind it; it was dried and cleaned.",
        layers={},
        unless={"image": PICTURE},
        first=_CHARGE,
    ),
    Proof(
        id="diagnosis.liquid-flat",
        when={"battery": ("flat",), "liquid": TRIPPED},
        says=(
            "Liquid was inside and the battery is flat: current through what is wet destroys it. A flat "
            "battery shows nothing of what lies behind it."
        ),
        layers={},
        unless={"image": PICTURE, "dried": ("yes",)},
        first=_DRY,
    ),
    Proof(
        id="diagnosis.liquid-black",
        when={"image": ("none", "thread"), "liquid": TRIPPED},
        says="Liquid was inside and it stays black: current through what is wet destroys it.",
        layers={},
        unless={"dried": ("yes",)},
        first=_DRY,
    ),
    Proof(
        id="diagnosis.touch-dead",
        when={"image": ("fine",), "touch": TOUCH_WRONG},
        unless={"earlier": ("yes",)},
        says="The picture is fine and touch is not: the touch layer or its connector.",
        layers={},
        suspects=(Layer.TOUCH, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.touch-reseat-first",
        when={"image": ("fine",), "touch": TOUCH_WRONG, "earlier": ("yes",)},
        unless={"reseat": ("gone", "same")},
        says="Touch is wrong after an earlier repair: its connector comes before the layer.",
        layers={},
        suspects=(Layer.CONNECTOR,),
        first="Power off, reseat the connectors, try again; only then suspect the part.",
    ),
    Proof(
        id="diagnosis.touch-reseat-same",
        when={"image": ("fine",), "touch": TOUCH_WRONG, "reseat": ("same",)},
        says="Touch stays wrong after reseating: the touch layer.",
        layers={},
        suspects=(Layer.TOUCH,),
    ),
    Proof(
        id="diagnosis.comes-and-goes",
        when={"image": ("comes",)},
        says="A picture that comes and goes is not sound: a loose connection, or a part that is failing.",
        layers={},
        suspects=(Layer.CONNECTOR, Layer.PANEL, Layer.BACKLIGHT),
    ),
    Proof(
        id="diagnosis.touch-comes-and-goes",
        when={"touch": ("comes",), "image": PICTURE},
        says="Touch that comes and goes is not sound: a loose connection, or a layer that is failing.",
        layers={},
        suspects=(Layer.CONNECTOR, Layer.TOUCH),
    ),
    Proof(
        id="diagnosis.provoked",
        when={"provoke": ("yes",)},
        says="It comes when it is pressed, bent or warmed: a connection.",
        layers={},
        suspects=(Layer.CONNECTOR,),
    ),
    Proof(
        id="diagnosis.thread",
        when={"image": ("thread",)},
        says="A thin coloured line on an otherwise black panel comes from the panel.",
        layers={},
        suspects=(Layer.PANEL,),
    ),
    Proof(
        id="diagnosis.torch",
        when={"torch": ("yes",)},
        # where reseating cured it, its light had no contact
        unless={"reseat": ("gone",)},
        says="A faint picture under a torch: the backlight or its fuse, not the panel.",
        layers={Layer.BACKLIGHT: _F, Layer.PANEL: _S, Layer.CONNECTOR: _S, Layer.BOARD: _S},
    ),
    Proof(
        id="diagnosis.faint",
        when={"image": ("faint",)},
        says="A very faint picture: the backlight or its supply is suspected.",
        layers={},
        suspects=(Layer.BACKLIGHT,),
        having=Layer.BACKLIGHT,
    ),
    Proof(
        id="diagnosis.faint-own-light",
        when={"image": ("faint",)},
        says="A very faint picture of a panel that lights by itself: a setting, or the panel.",
        layers={},
        suspects=(Layer.PANEL,),
        lacking=Layer.BACKLIGHT,
    ),
    Proof(
        id="diagnosis.setting",
        when={"brightness": ("better",), "image": ("fine",)},
        says="Turned up, the picture is right: a setting, no fault.",
        layers={Layer.PANEL: _S, Layer.BACKLIGHT: _S},
    ),
    Proof(
        id="diagnosis.black-reacts",
        when={"image": _BLACK, "reacts": ("yes",)},
        unless={"battery": ("flat",)},
        says=(
            "Black, and it reacts: there is power; the screen or its connector does not show what the board "
            "makes. Whether the board makes a picture only an external screen shows."
        ),
        layers={Layer.BATTERY: _S},
        suspects=(Layer.PANEL, Layer.BACKLIGHT, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.black-silent",
        when={"image": _BLACK, "battery": ("ok",), "reacts": ("no",)},
        unless={"external": ("yes",)},
        says="Black, charged, and nothing reacts: do not blame the screen yet.",
        layers={},
        suspects=(Layer.BOARD, Layer.BATTERY),
    ),
    Proof(
        id="diagnosis.external",
        when={"external": ("yes",)},
        says="A picture on an external screen: the board makes one.",
        layers={Layer.BOARD: _S},
    ),
    Proof(
        id="diagnosis.external-only",
        when={"external": ("yes",)},
        unless={"image": ("fine",), "battery": ("flat",)},
        says="A picture on an external screen and not on its own: panel, backlight or connector.",
        layers={},
        suspects=(Layer.PANEL, Layer.BACKLIGHT, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.asleep",
        when={"image": _BLACK, "asleep": ("yes",)},
        says="It was asleep or switched off: a black screen says nothing then.",
        layers={},
        first="Look at the picture again, now that it is on.",
    ),
    Proof(
        id="diagnosis.no-external",
        when={"external": ("no",), "battery": ("ok",)},
        says="No picture on an external screen either.",
        layers={},
        suspects=(Layer.BOARD,),
    ),
    Proof(
        id="diagnosis.reacts-no-external",
        when={"external": ("no",), "reacts": ("yes",)},
        says="It reacts, and there is no picture on an external screen either: the board may make none.",
        layers={},
        suspects=(Layer.BOARD,),
    ),
    Proof(
        id="diagnosis.camera",
        # lines in the photo alone are a fine picture
        when={"image": ("fine",), "camera": ("yes",)},
        says="Lines seen only through a camera are its frame rate beating against the refresh: no fault.",
        layers={Layer.PANEL: _S},
    ),
    Proof(
        id="diagnosis.lines",
        when={"image": ("lines", "white")},
        unless={"earlier": ("yes",)},
        says="Lines or white on a device that nobody is known to have opened: the panel or its connector.",
        layers={},
        suspects=(Layer.PANEL, Layer.CONNECTOR),
    ),
    Proof(
        id="diagnosis.reseat-first",
        when={"image": ("lines", "white"), "earlier": ("yes",)},
        unless={"reseat": ("gone", "same")},
        says="Lines or white after an earlier repair: the connectors come before the part.",
        layers={},
        suspects=(Layer.CONNECTOR,),
        first="Power off, reseat the connectors, try again; only then suspect the part.",
    ),
    Proof(
        id="diagnosis.reseat-gone",
        when={"reseat": ("gone",)},
        says="Reseating made it go away: the connector, not the part.",
        layers={Layer.CONNECTOR: _F, Layer.PANEL: _S, Layer.TOUCH: _S, Layer.BACKLIGHT: _S, Layer.BOARD: _S},
    ),
    Proof(
        id="diagnosis.reseat-no-help",
        when={"reseat": ("same",)},
        says="Reseating changed nothing: it is not the connector.",
        layers={Layer.CONNECTOR: _S},
    ),
    Proof(
        id="diagnosis.reseat-same",
        when={"reseat": ("same",), "image": ("lines", "white")},
        says="The fault stays after reseating: the panel.",
        layers={Layer.CONNECTOR: _S, Layer.PANEL: _F},
    ),
    Proof(
        id="diagnosis.blotch",
        when={"image": ("blotch",)},
        says="Blotches or spots lie in the panel.",
        layers={Layer.PANEL: _F},
    ),
    Proof(
        id="diagnosis.liquid",
        when={"liquid": TRIPPED},
        says="A liquid indicator is tripped.",
        layers={},
        suspects=(Layer.BOARD, Layer.CONNECTOR),
        warns="Liquid was inside: the repair may go ahead; what fails later from it is not promised.",
    ),
    Proof(
        id="diagnosis.frame",
        when={"frame": ("bent",)},
        says="The frame is bent.",
        layers={Layer.FRAME: _F},
        warns="A bent frame makes a new glass crack or lift: straighten or replace it, or promise nothing.",
    ),
    Proof(
        id="diagnosis.frame-straight",
        when={"frame": ("straight",)},
        says="The frame is straight.",
        layers={Layer.FRAME: _S},
    ),
)
