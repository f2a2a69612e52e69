"""The rules of the catalogue, for the list that the shop can read."""

from __future__ import annotations

from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="sheet.battery-first",
        capability="catalogue",
        says="The battery comes off before any other connector and goes on after every other.",
        source=COMMON,
    ),
    Rule(
        id="sheet.screws-return",
        capability="catalogue",
        says="Every group of screws that comes out goes back in, once.",
        source=COMMON,
    ),
    Rule(
        id="catalogue.siblings",
        capability="catalogue",
        says=(
            "Sharing the steps and sharing the parts are two different things; a sibling's page says "
            "which, and lists what differs."
        ),
        source=COMMON,
    ),
    Rule(
        id="sheet.proof-once",
        capability="catalogue",
        says="A sheet has one proof step, before the sealing steps.",
        source=COMMON,
    ),
    Rule(
        id="sheet.after",
        capability="catalogue",
        says="A step that needs another one done before it comes after it on the sheet.",
        source=COMMON,
    ),
    Rule(
        id="sheet.heat-limit",
        capability="catalogue",
        says="No step warms a place above the limit the model gives for it.",
        source=COMMON,
    ),
    Rule(
        id="catalogue.opening-edge",
        capability="catalogue",
        says="A device is opened at an edge where a pick may go.",
        source=COMMON,
    ),
    Rule(
        id="sheet.second-look",
        capability="catalogue",
        says="A model that can only be tested once it is closed has a second look before it is closed.",
        source=COMMON,
    ),
    Rule(
        id="catalogue.seal",
        capability="catalogue",
        says=(
            "The usual sealing method is one of those allowed, with the same cure, and none of those "
            "ruled out."
        ),
        source=COMMON,
    ),
    Rule(
        id="catalogue.retire",
        capability="catalogue",
        says=(
            "A model that any job was done on cannot leave its pack: it is retired, stays readable and "
            "is not taken in any more."
        ),
        source=COMMON,
    ),
    Rule(
        id="catalogue.unlisted",
        capability="catalogue",
        says=(
            "A device that is in no pack is taken in with what was measured; everything else about it "
            "is unknown until somebody enters it."
        ),
        source=COMMON,
    ),
)
