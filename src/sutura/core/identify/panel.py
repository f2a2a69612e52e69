"""A panel by its own word: what its EDID says, and how large its picture is, with the doubt."""

from __future__ import annotations

import math
from dataclasses import dataclass

from sutura.core.facts import Say, fact


@dataclass(frozen=True, slots=True, kw_only=True)
class Timing:
    """One detailed timing: pixels, refresh in Hz, and the picture size it states in mm (which may be
    nonsense).
    """

    width: int
    height: int
    refresh_hz: float
    clock_khz: int
    width_mm: int
    height_mm: int
    interlaced: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Panel:
    """What a panel says of itself. None or empty = not said. `warnings` tell what was wrong with the
    bytes.
    """

    maker: str
    product: int
    serial: int
    week: int | None
    year: int
    model_year: bool
    version: str
    digital: bool
    interface: str
    depth_bits: int | None
    width_cm: int | None
    height_cm: int | None
    aspect: float | None
    timings: tuple[Timing, ...]
    name: str
    serial_text: str
    texts: tuple[str, ...]
    vertical_hz: tuple[int, int] | None
    horizontal_khz: tuple[int, int] | None
    part_number: str
    fine_width_mm: float | None
    fine_height_mm: float | None
    warnings: tuple[Say, ...]

    @property
    def preferred(self) -> Timing | None:
        return self.timings[0] if self.timings else None

    @property
    def resolution(self) -> str:
        return f"{self.timings[0].width}×{self.timings[0].height}" if self.timings else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelSize:
    """The picture's size in mm, give or take `doubt_mm` each way; diagonal in inches and density with their
    doubt.
    """

    width_mm: float
    height_mm: float
    doubt_mm: float
    diagonal_in: float
    diagonal_doubt_in: float
    density_ppi: float | None
    density_doubt_ppi: float | None
    says: Say


MM_PER_INCH = 25.4


def size_of(panel: Panel) -> PanelSize | None:
    """The size of a panel's picture, None when it does not say.

    A timing's millimetres may be an aspect ratio, zero or pixels: they count only within 1 cm of the size in
    centimetres (rule identify.edid-size; check-values.md section 3).
    """
    rough = (panel.width_cm * 10.0, panel.height_cm * 10.0) if panel.width_cm and panel.height_cm else None
    fine = (panel.fine_width_mm, panel.fine_height_mm)
    timing = panel.preferred
    stated = (float(timing.width_mm), float(timing.height_mm)) if timing else (0.0, 0.0)
    if fine[0] and fine[1] and (rough is None or _near((fine[0], fine[1]), rough)):
        return _size(panel, (fine[0], fine[1]), 0.05, fact("identify.tenth-millimetre-from-displayid-block"))
    if rough is None:
        return None
    if _near(stated, rough):
        return _size(panel, stated, 0.5, fact("identify.millimetre-from-preferred-timing"))
    why = (
        fact("identify.timing-states-no-size")
        if stated == (0.0, 0.0)
        else fact("identify.timing-states-mm-which-cannot", stated=stated[0], stated2=stated[1])
    )
    return _size(panel, rough, 5.0, fact("identify.only-centimetre", why=why))


def _near(stated: tuple[float, float], rough: tuple[float, float]) -> bool:
    return all(a > 0 and abs(a - b) <= 10 for a, b in zip(stated, rough, strict=True))


def _size(panel: Panel, size: tuple[float, float], doubt_mm: float, says: Say) -> PanelSize:
    diagonal = math.hypot(*size)
    # the worst case of both sides off by the doubt
    diagonal_doubt = doubt_mm * (size[0] + size[1]) / diagonal
    timing = panel.preferred
    pixels = math.hypot(timing.width, timing.height) if timing else None
    return PanelSize(
        width_mm=size[0],
        height_mm=size[1],
        doubt_mm=doubt_mm,
        says=says,
        diagonal_in=diagonal / MM_PER_INCH,
        diagonal_doubt_in=diagonal_doubt / MM_PER_INCH,
        density_ppi=pixels / diagonal * MM_PER_INCH if pixels else None,
        density_doubt_ppi=pixels / diagonal * MM_PER_INCH * diagonal_doubt / diagonal if pixels else None,
    )
