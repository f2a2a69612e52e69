"""Labels, read by a scanner's own reading library from what a printer would print: an outside judge."""

from __future__ import annotations

import xml.etree.ElementTree as ET

import pypdfium2
import pytest
import zxingcpp

from sutura.core.stock.pieces import label_of
from sutura.formats.labels import Label, label_svg, labels_pdf

LONG = "A front assembly with frame, of a name that no label of this size has room for, and then some more"
MM = 72 / 25.4


def label(number: int, title: str = "Heron front, genuine pulled", lines: int = 3) -> Label:
    return Label(
        number=label_of(number), title=title, lines=("P-1001 · A2", "Millrace", "back by 17 Mar")[:lines]
    )


@pytest.mark.parametrize("number", [1, 41, 99_999, 123_456_789])
@pytest.mark.parametrize("title", ["Heron front, genuine pulled", LONG, "Ü"])
def test_a_scanner_reads_both_codes_of_a_printed_label(number: int, title: str) -> None:
    """At 203 dots an inch, as the cheapest label printers have (common practice, no source)."""
    [page] = pypdfium2.PdfDocument(labels_pdf([label(number, title)]))
    width, height = page.get_size()
    assert (width / MM, height / MM) == pytest.approx((57, 32), abs=0.1)
    read = zxingcpp.read_barcodes(page.render(scale=203 / 72).to_pil())
    assert {(found.format.name, found.text) for found in read} == {
        ("QRCode", label_of(number)),
        ("Code128", label_of(number)),
    }


def test_every_label_has_a_page_and_its_number_and_name_stand_on_it() -> None:
    pages = list(pypdfium2.PdfDocument(labels_pdf([label(1), label(2, LONG)])))
    texts = [page.get_textpage().get_text_range() for page in pages]
    for number, text in zip((1, 2), texts, strict=True):
        assert label_of(number) in text
    assert "back by 17 Mar" in texts[0]
    assert "A front assembly" in texts[1]
    # what has no room is cut off, never written over the bars
    assert "…" in texts[1]
    assert labels_pdf([label(1)]) == labels_pdf([label(1)])
    assert not list(pypdfium2.PdfDocument(labels_pdf([label(1)])))[1:]


def test_the_drawing_is_a_picture_of_the_same_size() -> None:
    root = ET.fromstring(label_svg(label(41)))
    assert root.tag == "{http://www.w3.org/2000/svg}svg"
    assert [float(root.attrib[side]) / MM for side in ("width", "height")] == pytest.approx([57, 32], abs=0.1)
    assert label_of(41) in "".join(root.itertext())
