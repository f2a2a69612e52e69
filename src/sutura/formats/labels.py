"""Labels for pieces: a QR code and the same number under bars, as SVG for a screen and PDF for a printer.

Drawn by reportlab: QR of ISO/IEC 18004 with correction M, bars of Code 128 (ISO/IEC 15417).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from io import BytesIO
from pathlib import Path
from typing import Any

from reportlab.graphics import barcode, renderPDF, renderSVG
from reportlab.graphics.shapes import Drawing, Group, String
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

FONTS = Path(__file__).parent / "fonts"
PLAIN, BOLD = "Atkinson", "Atkinson-Bold"
WIDTH, HEIGHT = 57 * mm, 32 * mm
MARGIN = 2.5 * mm
QR = 17 * mm
BARS = 8 * mm
# the library says nothing of its types here
_draw_code: Callable[..., Any] = barcode.createBarcodeDrawing


@dataclass(frozen=True, slots=True, kw_only=True)
class Label:
    """What stands on a label: the number that is scanned, its name, and a few short lines."""

    number: str
    title: str
    lines: tuple[str, ...] = ()


@cache
def load_fonts() -> None:
    """Tell the printer's writer of the two cuts that ship with the product."""
    for name, weight in ((PLAIN, "400"), (BOLD, "700")):
        pdfmetrics.registerFont(TTFont(name, str(FONTS / f"atkinson-hyperlegible-latin-{weight}.ttf")))
    pdfmetrics.registerFontFamily(PLAIN, normal=PLAIN, bold=BOLD, italic=PLAIN, boldItalic=BOLD)


def draw_label(label: Label) -> Any:
    """A label as a drawing of 57 × 32 mm."""
    load_fonts()
    drawing = Drawing(WIDTH, HEIGHT)
    code = _draw_code("QR", value=label.number, barLevel="M", width=QR, height=QR, barBorder=0)
    _put(drawing, code, MARGIN, HEIGHT - MARGIN - QR)
    bars = _draw_code(
        "Code128", value=label.number, barHeight=BARS, width=WIDTH - 2 * MARGIN, humanReadable=False
    )
    _put(drawing, bars, MARGIN, MARGIN)
    # four of its modules stay white beside the code
    left = MARGIN + QR + 3.3 * mm
    room = WIDTH - MARGIN - left
    y = HEIGHT - MARGIN - 9
    drawing.add(String(left, y, label.number, fontName=BOLD, fontSize=11))
    for text, font, size in [(label.title, BOLD, 7), *((line, PLAIN, 6.5) for line in label.lines)]:
        for part in _broken(text, font, size, room):
            y -= size + 1.5
            if y < MARGIN + BARS + 1:
                return drawing
            drawing.add(String(left, y, part, fontName=font, fontSize=size))
    return drawing


def _put(drawing: Any, code: Any, x: float, y: float) -> None:
    """A code keeps the scale that fits it into its room."""
    across, _, _, up, _, _ = code.transform
    drawing.add(Group(*code.contents, transform=(across, 0, 0, up, x, y)))


def _broken(text: str, font: str, size: float, room: float) -> list[str]:
    """A text in lines that fit into a width, two at most; what is left over is cut off with an ellipsis."""
    lines, line = [], ""
    for word in text.split():
        longer = f"{line} {word}".strip()
        if line and pdfmetrics.stringWidth(longer, font, size) > room:
            lines.append(line)
            line = word
        else:
            line = longer
    lines.append(line)
    if len(lines) > 2:
        lines = [lines[0], f"{lines[1]} …"]
    return [_cut(line, font, size, room) for line in lines if line]


def _cut(line: str, font: str, size: float, room: float) -> str:
    if pdfmetrics.stringWidth(line, font, size) <= room:
        return line
    while line and pdfmetrics.stringWidth(f"{line}…", font, size) > room:
        line = line[:-1]
    return f"{line}…"


def label_svg(label: Label) -> str:
    """A label for a screen."""
    text: str = renderSVG.drawToString(draw_label(label))
    # a picture in a page needs no document type of its own
    return text[text.index("<svg") :]


def labels_pdf(labels: Sequence[Label]) -> bytes:
    """A page for each label, in its size."""
    out = BytesIO()
    canvas = Canvas(out, pagesize=(WIDTH, HEIGHT), invariant=True)
    canvas.setTitle("Labels")
    for label in labels:
        renderPDF.draw(draw_label(label), canvas, 0, 0)
        canvas.showPage()
    canvas.save()
    return out.getvalue()
