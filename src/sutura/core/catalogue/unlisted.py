"""A device that is in no pack: what was measured on the counter, and everything else unknown."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from sutura.core.catalogue.model import EdgeLimit, Face, Model, NumberKind, NumberPattern
from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.maths.geometry import Box
from sutura.core.typed import Problems, read_measure, read_whole

MM_PER_INCH = 25.4

# What a screen position must agree on, whatever the device; what nobody measured stays None. "part_family" is
# ours, not
# the device's, so an unlisted one has none.
UNKNOWN_NEED: tuple[str, ...] = (
    "width_mm",
    "height_mm",
    "resolution",
    "connector_pins",
    "connector_place",
    "mounting",
    "touch",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """What the counter measured or read: outline in mm, diagonal of the picture in inches, connector; None =
    not known.
    """

    maker: str
    name: str
    device_class: str
    width_mm: float
    height_mm: float
    diagonal_in: float
    connector_pins: int | None = None
    connector_place: str | None = None
    resolution: str | None = None


# classes with a template that a measured device is made from
DEVICE_CLASSES = ("phone", "tablet", "laptop", "watch", "handheld", "player", "two-in-one")
# what the counter is asked to measure or read off: field, what it is, how
MEASURES = (
    ("maker", "Maker, as the device says", ""),
    ("name", "Name or number, as the device says", ""),
    ("width_mm", "Front glass across, mm", "edge to edge, with a ruler"),
    ("height_mm", "Front glass down, mm", ""),
    ("diagonal_in", "Picture from corner to corner, inches", "the lit part only"),
    ("resolution", "Resolution", "such as 1080×2400; empty when not known"),
    ("connector_pins", "Connector pins", "empty when not known"),
    ("connector_place", "Where the connector sits", "such as bottom right; empty when not known"),
)
_MOST_TEXT = 80


def read_measured(typed: Mapping[str, str]) -> Measured:
    """What was measured, from its fields as typed; every one that cannot be read is refused at once.

    >>> read_measured({"width_mm": "7,1 cm", "height_mm": "150", "diagonal_in": "6.1"}).width_mm
    71.0
    """
    problems = Problems(fact("catalogue.what-was-measured"))

    def measure(name: str, unit: str) -> float:
        return problems.read(name, typed.get(name, ""), lambda text: read_measure(text, unit)) or 0.0

    def words(name: str) -> str:
        return typed.get(name, "").strip()[:_MOST_TEXT]

    pins = typed.get("connector_pins", "").strip()
    measured = Measured(
        maker=words("maker"),
        name=words("name"),
        device_class=words("device_class"),
        width_mm=measure("width_mm", "mm"),
        height_mm=measure("height_mm", "mm"),
        diagonal_in=measure("diagonal_in", "in"),
        connector_pins=problems.read("connector_pins", pins, lambda text: read_whole(text, 999))
        if pins
        else None,
        connector_place=words("connector_place") or None,
        resolution=words("resolution") or None,
    )
    problems.refuse()
    return measured


# kept with the model as its text, like what a pack says of an edge
NOBODY_OPENED = "nobody has opened one here: where its cables run is not known"


def check_measured(measured: Measured) -> list[Invalid]:
    """Everything that cannot be right in what was measured.

    >>> too_big = Measured(
    ...     maker="x", name="y", device_class="phone", width_mm=70, height_mm=140, diagonal_in=9
    ... )
    >>> [problem.field for problem in check_measured(too_big)]
    ['diagonal_in']
    """
    problems = Problems(fact("catalogue.what-was-measured"))
    for field in ("maker", "name"):
        if not 0 < len(getattr(measured, field).strip()) <= _MOST_TEXT:
            problems.add(field, getattr(measured, field), fact("catalogue.write-what-device-says-up-80"))
    for field in ("width_mm", "height_mm"):
        if not 10 <= getattr(measured, field) <= 1000:
            problems.add(field, getattr(measured, field), fact("catalogue.measure-between-10-1000-mm"))
    longest = math.hypot(measured.width_mm, measured.height_mm) / MM_PER_INCH
    if not 0.4 <= measured.diagonal_in < longest:
        accepts = fact("catalogue.picture-inside-outline-under-inches-from", longest=longest)
        problems.add("diagonal_in", measured.diagonal_in, accepts)
    if measured.connector_pins is not None and not 1 <= measured.connector_pins <= 200:
        problems.add("connector_pins", measured.connector_pins, fact("catalogue.count-between-1-200-pins"))
    return list(problems)


def active_area(width_mm: float, height_mm: float, diagonal_in: float) -> Box:
    """The picture inside an outline when only its diagonal is known: the same border all round (an estimate).

    With the border m on every side, (w-2m)² + (h-2m)² = d² gives m = (w+h - √((w+h)² - 2(w²+h²-d²)))/4.

    >>> active_area(70, 140, math.hypot(60, 130) / 25.4)
    Box(x=5.0, y=5.0, width=60.0, height=130.0)
    """
    diagonal = diagonal_in * MM_PER_INCH
    both = width_mm + height_mm
    inside = both**2 - 2 * (width_mm**2 + height_mm**2 - diagonal**2)
    # a picture much squarer or longer than its outline has no even border: as far in as the shorter side
    # allows
    border = (both - math.sqrt(inside)) / 4 if inside >= 0 else min(width_mm, height_mm) / 3
    border = round(max(0.0, min(border, min(width_mm, height_mm) / 3)), 2)
    return Box(
        x=border, y=border, width=round(width_mm - 2 * border, 2), height=round(height_mm - 2 * border, 2)
    )


def unlisted_model(template: Model, measured: Measured, read_number: str, model_id: str) -> Model:
    """A model of its own for one measured device, from the template of its class (rule catalogue.unlisted).

    Its number is the one that was read, so the next one like it is found again – as likely, never as sure.
    """
    size = {"width_mm": measured.width_mm, "height_mm": measured.height_mm}
    known: Mapping[str, str | int | float | None] = {
        "kind": template.need["kind"],
        **dict.fromkeys((*UNKNOWN_NEED, *(name for name in template.need if name != "kind"))),
        **size,
        "resolution": measured.resolution,
        "connector_pins": measured.connector_pins,
        "connector_place": measured.connector_place,
    }
    active = active_area(measured.width_mm, measured.height_mm, measured.diagonal_in)
    careful = EdgeLimit(depth_mm=1.0, why=NOBODY_OPENED)
    number = read_number.strip()
    return replace(
        template,
        id=model_id,
        maker=measured.maker.strip(),
        name=measured.name.strip(),
        part_family=model_id,
        numbers=(NumberPattern(kind=NumberKind.EXACT, text=number),) if len(number) > 1 else (),
        need=known,
        tacs=(),
        features={},
        face=Face(
            width_mm=measured.width_mm,
            height_mm=measured.height_mm,
            corner_mm=min(template.face.corner_mm, measured.width_mm / 2, measured.height_mm / 2),
            glass=Box(x=0, y=0, width=measured.width_mm, height=measured.height_mm),
            active=active,
            opening_edge=template.face.opening_edge,
            edges=dict.fromkeys(template.face.edges, careful),
        ),
    )
