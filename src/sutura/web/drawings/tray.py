"""The screws of a device where they sit, and which of them lie in the tray."""

from __future__ import annotations

from collections.abc import Sequence

from markupsafe import Markup

from sutura.core.bench.chart import SIDES, letters, place_of
from sutura.core.bench.telling import TrayField
from sutura.core.catalogue.model import Model
from sutura.words.speech import PLAIN, Speech

# lengths are drawn four times as long, so that a tenth of a millimetre can be told
LENGTHS = 4.0
_SIDE = {"edge": "Edges", "back": "Back, from behind", "inside": "Inside"}


def draw_tray(model: Model, fields: Sequence[TrayField], speech: Speech = PLAIN) -> Markup:
    """One drawing a side, to one scale: screws that are home, in the tray, to be counted now, missing."""
    named = letters(model.screws)
    drawn = Markup("")
    for side in SIDES:
        on_it = [field for field in fields if field.group.side == side and field.group.at]
        if not on_it:
            continue
        radius = max(model.face.width_mm, model.face.height_mm) / 55
        screws = Markup("").join(_group(model, field, named[field.group.id], radius) for field in on_it)
        drawn += Markup(
            '<figure class="tray-side"><svg class="tray" viewBox="-2 -2 {:g} {:g}" role="img">'
            "<title>{}</title>"
            '<rect class="device" width="{:g}" height="{:g}" rx="{:g}"/>{}</svg><figcaption class="small">{}'
            "</figcaption></figure>"
        ).format(
            model.face.width_mm + 4,
            model.face.height_mm + 4,
            _words(side, on_it, speech),
            model.face.width_mm,
            model.face.height_mm,
            model.face.corner_mm,
            screws,
            _SIDE[side],
        )
    return drawn


def _words(side: str, fields: Sequence[TrayField], speech: Speech) -> str:
    """The drawing in one sentence."""
    said = "; ".join(
        speech.text("{where}: {out} in the tray, {home} home", where=f.group.where, out=f.out, home=f.home)
        for f in fields
    )
    return f"{_SIDE[side]}. {said}"


def _group(model: Model, field: TrayField, letter: str, radius: float) -> Markup:
    drawn = []
    for number, at in enumerate(field.group.at):
        place = place_of(field.group, at, model.face.width_mm)
        is_missing = number < field.missing
        how = "gone" if is_missing else "out" if field.is_out(number + 1) else "home"
        # a screw of this step is tapped where it sits: the button of its place is pressed for it
        now = Markup(' now" data-place="{}').format(number + 1) if field.expected and not is_missing else ""
        drawn.append(
            Markup('<circle class="screw {}{}" cx="{:.1f}" cy="{:.1f}" r="{:.1f}"/>').format(
                how, now, place.x, place.y, radius
            )
        )
    first = place_of(field.group, field.group.at[0], model.face.width_mm)
    drawn.append(
        Markup('<text class="letter" x="{:.1f}" y="{:.1f}" font-size="{:.1f}">{}</text>').format(
            first.x + radius * 1.3, first.y - radius * 1.1, radius * 2.6, letter
        )
    )
    return Markup("").join(drawn)


def draw_length(length_mm: float) -> Markup:
    """A screw's length as a line, four times as long as it is."""
    wide = length_mm * LENGTHS
    return Markup(
        '<svg class="length" viewBox="0 0 44 6" width="44" height="6" aria-hidden="true">'
        '<path d="M0 3 H{:.1f}"/></svg>'
    ).format(min(wide, 44.0))
