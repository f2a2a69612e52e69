"""An order as suppliers take it: what is written is read back, whatever stands in it."""

from __future__ import annotations

import csv
import io

import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid
from sutura.formats.orders import OrderedLine, order_pdf, read_order, write_order

# what a sheet would compute or take for text at its start, before anything
STARTS = st.sampled_from(["", "", "'", "=", "'=", "''+", "-", "@"])
WORDS = st.builds(
    "{}{}".format,
    STARTS,
    st.text(st.characters(blacklist_categories=("Cc", "Cs", "Zl", "Zp")), min_size=1, max_size=20),
)
LINES = st.builds(
    OrderedLine,
    number=WORDS,
    quantity=st.integers(1, 1000),
    name=WORDS,
    price=st.sampled_from(["60.00", "0.05", "1,200.00"]),
    listed_days=st.integers(0, 365),
)


@given(st.lists(LINES, max_size=5))
def test_a_table_is_read_back_as_it_was_written(lines: list[OrderedLine]) -> None:
    assert read_order("csv", write_order("csv", "O-1", "Shop", lines)) == lines


@given(st.lists(LINES, max_size=5))
def test_of_a_mail_numbers_and_pieces_are_read_back(lines: list[OrderedLine]) -> None:
    read = read_order("mail", write_order("mail", "O-1", "Shop", lines))
    kept = [line for line in lines if line.number.replace("|", "/").split()]
    assert [line.quantity for line in read] == [line.quantity for line in kept]
    assert [line.number for line in read] == [
        " ".join(line.number.replace("|", "/").split()) for line in kept
    ]


@pytest.mark.parametrize("start", ["=", "+", "-", "@", "'=", "''-", "'"])
def test_no_cell_is_a_formula_in_a_sheet(start: str) -> None:
    line = OrderedLine(number=f"{start}1+1", quantity=2, name=f"{start}x", price="1.00", listed_days=1)
    text = write_order("csv", "O-1", "Shop", [line])
    cells = list(csv.reader(io.StringIO(text)))[1]
    assert not [cell for cell in cells if cell.startswith(("=", "+", "-", "@"))]
    assert read_order("csv", text) == [line]


def test_a_line_that_is_none_is_refused_with_its_number() -> None:
    good = write_order(
        "csv", "O-1", "Shop", [OrderedLine(number="A", quantity=1, name="a", price="1.00", listed_days=1)]
    )
    with pytest.raises(Invalid) as refused:
        read_order("csv", good + "A,many,a,1.00,1\r\n")
    assert refused.value.field == "line 3"
    with pytest.raises(Invalid):
        read_order("csv", "what,is,this\r\n")
    assert read_order("mail", "Dear all, nothing today.") == []


def test_on_paper_every_line_stands_with_its_number_and_what_is_typed_is_no_markup() -> None:
    lines = [
        OrderedLine(number=f"MR-{n}", quantity=n, name=f"Front {n} <b>& more", price="60.00", listed_days=2)
        for n in range(1, 90)
    ]
    paper = order_pdf(
        "O-00007", "Test <Screens>", "Mill Lane 3\nLower Fenn", "Millrace & Sons", lines, "5,340.00 TAL"
    )
    pages = list(pypdfium2.PdfDocument(paper))
    assert len(pages) > 1
    # A4 (ISO 216)
    assert [side * 25.4 / 72 for side in pages[0].get_size()] == pytest.approx([210, 297], abs=0.5)
    texts = [page.get_textpage().get_text_range() for page in pages]
    together = "\n".join(texts)
    for n in (1, 45, 89):
        assert f"MR-{n}" in together
    assert "Front 89 <b>& more" in together.replace("\r\n", " ")
    assert "Test <Screens>" in together
    assert "5,340.00 TAL" in texts[-1]
    assert all("price each" in text for text in texts if "MR-" in text), "the heading stands on every page"
