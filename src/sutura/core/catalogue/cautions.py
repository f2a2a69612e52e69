"""The cautions a step may carry, in the words shown at the step."""

from __future__ import annotations

from collections.abc import Mapping

CAUTIONS: Mapping[str, tuple[str, str]] = {
    "glass": (
        "Broken glass",
        (
            "Eye protection and gloves on. Tape over the cracks. Collect every splinter at once; waste "
            "glass goes by local rules."
        ),
    ),
    "cell": (
        "Lithium cell",
        "Never heat, bend or pierce it. Swollen or hot: stop, set it apart on something that does "
        "not burn, ventilate, "
        "and follow local fire and waste rules.",
    ),
    "hot": (
        "Hot surface",
        "Never hotter than a hand can stay on. Keep moving; read the temperature at the spot you warm.",
    ),
    "hotter-than-a-hand": (
        "Hotter than a hand can bear",
        "Heat-proof gloves; touch neither plate nor glass. Read the temperature at the spot, all the time.",
    ),
    "warm-cable": (
        "Warm, not hot",
        "Warm the glue just until it lets go; a cable that is hotter than a hand can stay on creases.",
    ),
    "cell-behind-heat": (
        "Lithium cell behind the heat",
        "The cell itself stays below 60 °C: read beside it where you can. Swollen, hissing or smelling: heat "
        "off, set it apart on something that does not burn, ventilate, and follow local fire rules.",
    ),
    "solvent": ("Solvent", "Ventilate; no flame, no spark. Alcohol on plastics, never acetone."),
    "static": ("Static discharge", "Wear the wrist strap; touch the frame first."),
    "data": (
        "Customer's data",
        "Look only at what the test needs. The customer enters the passcode; it is never written down.",
    ),
    "mains": (
        "Mains and high voltage",
        "Mains-powered displays and old backlight inverters go to licensed service.",
    ),
    "pinch": (
        "Fragile cable",
        "Do not crease or pull. Fold open only as far as the cable allows, and prop it up.",
    ),
    "overtighten": (
        "Over-tightening",
        "Stop when the screw seats: an overtightened one strips its thread or presses on what lies behind.",
    ),
}
# words that a step takes by itself where they are the ones that hold; no pack names them
DERIVED = frozenset({"hotter-than-a-hand", "warm-cable", "cell-behind-heat"})
CAUTIONS_SOURCE = "common practice; local codes, the maker's instructions and licensed practice come first"
