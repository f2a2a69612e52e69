"""The screw chart on paper at true size, as PDF and as SVG in millimetres. Drawn by reportlab."""

from __future__ import annotations

import re
from collections.abc import Sequence
from io import BytesIO
from typing import Any

from reportlab.graphics import renderPDF, renderSVG
from reportlab.graphics.shapes import Circle, Drawing, Line, Rect, String
from reportlab.lib.colors import HexColor
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas

from sutura.core.bench.chart import FIELD_MM, MARGIN, RULE_MM, ChartPage
from sutura.core.catalogue.model import ScrewGroup
from sutura.formats.labels import BOLD, PLAIN, load_fonts

INK = HexColor("#1b2a4a")
_OPENING, _SIZES = re.compile(r"<svg([^>]*)>"), re.compile(r' (?:width|height|viewBox)="[^"]*"')
SIDE_WORDS = {
    "edge": "edges, from the front",
    "back": "back, seen from behind",
    "inside": "inside, from the front",
}


def chart_pdf(title: str, pages: Sequence[ChartPage], letters: dict[str, str]) -> bytes:
    """The sheets of a chart, one page each, at true size."""
    out = BytesIO()
    canvas = Canvas(out, invariant=1)
    canvas.setTitle(title)
    for page in pages:
        canvas.setPageSize((page.width * mm, page.height * mm))
        renderPDF.draw(draw_chart(title, page, letters), canvas, 0, 0)
        canvas.showPage()
    canvas.save()
    return out.getvalue()


def chart_svg(title: str, page: ChartPage, letters: dict[str, str]) -> str:
    """One sheet as SVG; its size is said in millimetres, so that it prints at true size."""
    text: str = renderSVG.drawToString(draw_chart(title, page, letters))
    # the library writes whole points; a millimetre of the drawing must be one on paper
    exact = (
        f' width="{page.width:g}mm" height="{page.height:g}mm" '
        f'viewBox="0 0 {page.width * mm:.4f} {page.height * mm:.4f}"'
    )
    return _OPENING.sub(lambda tag: "<svg" + exact + _SIZES.sub("", tag[1]) + ">", text, count=1)


def draw_chart(title: str, page: ChartPage, letters: dict[str, str]) -> Any:
    """A sheet as a drawing in points: the outline, a field for each screw, the list with every length drawn,
    and a rule to check the printer by.
    """
    load_fonts()
    drawing = Drawing(page.width * mm, page.height * mm)

    def y(value: float) -> float:
        return (page.height - value) * mm

    box, room = page.outline, page.window
    left, right = max(box.x, room.x), min(box.x + box.width, room.x + room.width)
    top, bottom = max(box.y, room.y), min(box.y + box.height, room.y + room.height)
    outline: Any = {"strokeColor": INK, "strokeWidth": 0.6, "fillColor": None}
    drawing.add(Rect(left * mm, y(bottom), (right - left) * mm, (bottom - top) * mm, **outline))
    for screw in page.screws:
        at_x, at_y = screw.at.x * mm, y(screw.at.y)
        drawing.add(Circle(at_x, at_y, FIELD_MM / 2 * mm, strokeColor=INK, strokeWidth=0.5, fillColor=None))
        drawing.add(Circle(at_x, at_y, 0.3 * mm, strokeColor=None, fillColor=INK))
        drawing.add(_text(at_x, at_y + FIELD_MM / 2 * mm + 1, screw.name, BOLD, 7, anchor="middle"))
    of = f", sheet {page.part} of {page.parts}" if page.parts > 1 else ""
    line = page.height - MARGIN - 38
    drawing.add(_text(MARGIN * mm, y(line), f"{title} – {SIDE_WORDS[page.side]}{of}", BOLD, 9))
    groups = list({screw.group.id: screw.group for screw in page.screws}.values())
    kinds = [(group, length, places) for group in groups for length, places in group.kinds]
    for number, (group, length, places) in enumerate(kinds):
        column, row = divmod(number, 5)
        x, down = MARGIN + column * 92, line + 6 + row * 6
        _list_line(drawing, group, length, places, letters[group.id], x, down, y)
    _rule(drawing, page, y)
    return drawing


def _list_line(
    drawing: Any,
    group: ScrewGroup,
    length_mm: float,
    places: Sequence[int],
    letter: str,
    x: float,
    down: float,
    y: Any,
) -> None:
    """One length of a group: its places where the group has several."""
    drawing.add(_text(x * mm, y(down), f"{letter}  {len(places)} ×", BOLD, 8))
    start = x + 16
    drawing.add(
        Line(start * mm, y(down - 1), (start + length_mm) * mm, y(down - 1), strokeColor=INK, strokeWidth=2)
    )
    which = f" ({', '.join(f'{letter}{place}' for place in places)})" if len(places) < group.count else ""
    says = f"{length_mm:g} mm{which}, {' or '.join(group.bits)}: {group.where}"
    drawing.add(_text((start + 12) * mm, y(down), says[:64], PLAIN, 8))


def _rule(drawing: Any, page: ChartPage, y: Any) -> None:
    """Fifty millimetres with a stroke at each ten."""
    left, down = page.width - MARGIN - RULE_MM, page.height - MARGIN
    drawing.add(Line(left * mm, y(down), (left + RULE_MM) * mm, y(down), strokeColor=INK, strokeWidth=0.6))
    for tick in range(int(RULE_MM) // 10 + 1):
        at = (left + tick * 10) * mm
        drawing.add(Line(at, y(down), at, y(down - 2), strokeColor=INK, strokeWidth=0.6))
    drawing.add(
        _text(
            left * mm, y(down - 3.5), f"{RULE_MM:g} mm: measure it; if it differs, print at 100 %", PLAIN, 7
        )
    )


def _text(x: float, y: float, text: str, font: str, size: float, anchor: Any = "start") -> Any:
    return String(x, y, text, fontName=font, fontSize=size, fillColor=INK, textAnchor=anchor)
