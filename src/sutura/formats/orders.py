"""An order as suppliers take it: a CSV file, or the text of a mail, written for them and read back; and on
paper.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.formats.labels import BOLD, PLAIN, load_fonts

HEADER = ("number", "pieces", "article", "price each", "days as listed")
_MAIL_LINE = re.compile(r"^\s*(\d+) × (.+?) \| (.*) \| (.*) \| (\d+) days as listed$")
# a cell that begins so would be a formula in a sheet
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderedLine:
    """One article: the supplier's number, how many, its name, the price each as text, days as listed."""

    number: str
    quantity: int
    name: str
    price: str
    listed_days: int


def write_order(form: str, number: str, shop: str, lines: Sequence[OrderedLine]) -> str:
    """The order in the form that a supplier takes: csv or mail."""
    return _csv(lines) if form == "csv" else _mail(number, shop, lines)


def _csv(lines: Sequence[OrderedLine]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEADER)
    for line in lines:
        cells = (line.number, str(line.quantity), line.name, line.price, str(line.listed_days))
        writer.writerow([f"'{cell}" if _would_be_formula(cell) else cell for cell in cells])
    return out.getvalue()


def _would_be_formula(cell: str) -> bool:
    """So begins what a sheet computes, or what was marked as text before: each marking can be taken back."""
    return cell.lstrip("'").startswith(_FORMULA)


def _mail(number: str, shop: str, lines: Sequence[OrderedLine]) -> str:
    articles = [
        f"  {line.quantity} × {_plain(line.number)} | {_plain(line.name)} | {line.price} | "
        f"{line.listed_days} days as listed"
        for line in lines
    ]
    return "\n".join([f"Order {number} of {shop}", "", "Please send us:", *articles, "", "Thank you.", ""])


def _plain(text: str) -> str:
    return " ".join(text.replace("|", "/").split())


def read_order(form: str, text: str) -> list[OrderedLine]:
    """An order read back; a line that is none is refused by its number."""
    return _read_csv(text) if form == "csv" else _read_mail(text)


def _read_csv(text: str) -> list[OrderedLine]:
    reader = csv.reader(io.StringIO(text, newline=""))
    if tuple(next(reader, ())) != HEADER:
        raise Invalid("order", text[:60], fact("orders.first-line-is", header=", ".join(HEADER)))
    read = []
    for row in reader:
        cells = [cell[1:] if cell.startswith("'") and _would_be_formula(cell) else cell for cell in row]
        if len(cells) != len(HEADER) or not (cells[1].isdecimal() and cells[4].isdecimal()):
            raise Invalid(f"line {reader.line_num}", ",".join(row)[:80], fact("orders.five-cells"))
        number, quantity, name, price, days = cells
        read.append(
            OrderedLine(number=number, quantity=int(quantity), name=name, price=price, listed_days=int(days))
        )
    return read


def _read_mail(text: str) -> list[OrderedLine]:
    read = []
    for match in filter(None, map(_MAIL_LINE.match, text.splitlines())):
        quantity, number, name, price, days = match.groups()
        read.append(
            OrderedLine(number=number, quantity=int(quantity), name=name, price=price, listed_days=int(days))
        )
    return read


# -- on paper ---------------------------------------------------------------------------------------------


def order_pdf(
    number: str, shop: str, address: str, supplier: str, lines: Sequence[OrderedLine], total: str
) -> bytes:
    """The order on A4, as many pages as it takes, for a supplier that wants paper and for the shop's
    folder.
    """
    load_fonts()
    plain = ParagraphStyle("plain", fontName=PLAIN, fontSize=10, leading=14)
    head = ParagraphStyle("head", parent=plain, fontName=BOLD, fontSize=16, leading=22)
    small = ParagraphStyle("small", parent=plain, fontSize=9, leading=11)
    cells = [[Paragraph(f"<b>{name}</b>", small) for name in HEADER]]
    cells += [
        [
            Paragraph(escape(text), small)
            for text in (line.number, str(line.quantity), line.name, line.price, str(line.listed_days))
        ]
        for line in lines
    ]
    table = Table(cells, colWidths=[35 * mm, 18 * mm, 72 * mm, 25 * mm, 20 * mm], repeatRows=1)
    table.setStyle(
        TableStyle([("LINEBELOW", (0, 0), (-1, -1), 0.4, "#8a8577"), ("VALIGN", (0, 0), (-1, -1), "TOP")])
    )
    out = io.BytesIO()
    SimpleDocTemplate(out, pagesize=A4, title=f"Order {number}", author=shop, invariant=True).build(
        [
            Paragraph(escape(f"Order {number}"), head),
            Paragraph(escape(f"to {supplier}"), plain),
            Paragraph("<br/>".join(escape(part) for part in (shop, *address.splitlines())), plain),
            Spacer(1, 6 * mm),
            table,
            Spacer(1, 4 * mm),
            Paragraph(escape(f"Together {total}"), plain),
        ]
    )
    return out.getvalue()
