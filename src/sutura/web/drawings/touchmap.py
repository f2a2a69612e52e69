"""What a finger felt on a face, to scale: bare places, and dead zones of then and now by shape and word."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from markupsafe import Markup

from sutura.core.catalogue.model import Face
from sutura.core.maths.geometry import Point
from sutura.core.proof.touch import Zone, ZoneChange
from sutura.web.drawings.face import draw_face


def _path(outline: Iterable[Point]) -> str:
    return "M" + "L".join(f"{one.x:g} {one.y:g}" for one in outline) + "z"


def draw_touch(face: Face, bare: Sequence[Sequence[Point]], zones: Sequence[Zone], title: str) -> Markup:
    """The face with what was not felt; those of arrival are outlined, those of now are filled."""
    felt = face.active
    over = Markup('<rect class="felt" x="{}" y="{}" width="{}" height="{}"/>').format(
        felt.x, felt.y, felt.width, felt.height
    )
    for outline in bare:
        over += Markup('<path class="bare" d="{}"/>').format(_path(outline))
    for zone in zones:
        if zone.change is not ZoneChange.NEW:
            over += Markup('<path class="then" d="{}"/>').format(_path(zone.outline))
    return draw_face(face, title=title, over=over, limits=False)


def draw_specks(face: Face, looks: Sequence[Sequence[Point]], title: str) -> Markup:
    """The last look at a panel: specks as rings, those of the look before as dots."""
    over = Markup("")
    for one in looks[-2] if len(looks) > 1 else ():
        over += Markup('<circle class="speck was" cx="{:g}" cy="{:g}" r="0.8"/>').format(one.x, one.y)
    for one in looks[-1] if looks else ():
        over += Markup('<circle class="speck" cx="{:g}" cy="{:g}" r="2.2"/>').format(one.x, one.y)
    return draw_face(face, title=title, over=over, limits=False)
