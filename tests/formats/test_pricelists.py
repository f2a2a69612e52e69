"""Price lists: encodings, delimiters, decimal signs, units, formula-safe cells.

Encodings by the standard library's codecs; CSV by RFC 4180 (published; from memory: sure). 1 inch = 25.4 mm
(ISO, sure). The rest: common practice, no source.
"""

from __future__ import annotations

import contextlib
import csv
import io
import math
import tracemalloc
import zipfile
from collections.abc import Sequence
from functools import partial
from zoneinfo import ZoneInfo

import openpyxl
import pytest
from builders import said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.matching.listing import (
    RowReader,
    check_mapping,
    check_words,
    decimal_sign,
    guarded,
    guess_mapping,
    unguarded,
)
from sutura.formats import pricelists
from sutura.formats.apart import apart
from sutura.formats.calendars import read_absences
from sutura.formats.pricelists import is_slow, price_file, read_price_file, write_price_file

TEXT = "Artikel;Größe;Preis\nÄ-1;15,6;58,00\nÖ-2;14,0;49,90\nÜ-3;13,3;104,00\nGehäuse für Geräte;11;38,00\n"


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252", "iso8859-15"])
def test_the_encoding_is_found(encoding: str) -> None:
    read = read_price_file(TEXT.encode(encoding))
    assert read.header == ("Artikel", "Größe", "Preis")
    assert [row[0] for _, row in read.rows()] == ["Ä-1", "Ö-2", "Ü-3", "Gehäuse für Geräte"]


@pytest.mark.parametrize("sign", [",", ";", "\t", "|"])
def test_the_delimiter_is_found(sign: str) -> None:
    read = read_price_file(f'number{sign}price{sign}name\n1{sign}5.00{sign}"a{sign}b"\n'.encode())
    assert list(read.rows()) == [(2, ["1", "5.00", f"a{sign}b"])]


def test_a_line_is_named_as_an_editor_shows_it_and_empty_rows_are_passed_over() -> None:
    read = read_price_file(b'number,price\r\n\r\n1,"two\r\nlines"\r\n,\r\n3,4\r\n')
    assert [(line, row[0]) for line, row in read.rows()] == [(4, "1"), (6, "3")]


@pytest.mark.parametrize(
    ("file", "says"),
    [
        (b"", "heading row"),
        (b"  \n", "heading row"),
        (b"PK\x03\x04\x00\x00rest", "neither"),
        (b"only\n1\n", "names 2 to"),
        (b"a,a\n1,2\n", "heading of its own"),
    ],
)
def test_what_is_no_price_list_is_refused(file: bytes, says: str) -> None:
    with pytest.raises(Invalid, match=says):
        read_price_file(file)


@given(st.binary(max_size=300))
def test_arbitrary_bytes_are_read_or_refused_and_never_crash(file: bytes) -> None:
    with contextlib.suppress(Invalid):
        list(read_price_file(file).rows())


# -- amounts --------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("samples", "sign"),
    [
        (["1.234,50", "7"], ","),
        (["58.00", "7.5", "1,234"], "."),
        (["1,234", "2,500"], ""),
        (["58,0", "58.0"], ""),
        ([], ""),
    ],
)
def test_the_decimal_sign_is_told_by_the_prices_themselves(samples: list[str], sign: str) -> None:
    assert decimal_sign(samples) == sign


# -- columns and rows -----------------------------------------------------------------------------------

HEADER = ("SKU", "Description", "Category", "Net price", "Pins", "Width", "Diagonal", "Quality", "Lead time")


def reader(**more: str) -> RowReader:
    mapping = {**guess_mapping(HEADER, {}), **more}
    assert check_mapping(mapping, HEADER) == []
    return RowReader.of(mapping, HEADER, [["1", "x", "panel", "58,00"]], "TAL")


def test_the_decimal_sign_is_read_from_the_prices_wherever_they_stand() -> None:
    rows = [["58,00", "x"], ["7,5"], []]
    assert RowReader.of({"price": "Price"}, ("Price", "SKU"), rows, "TAL").decimal == ","
    assert RowReader.of({"price": "Price"}, ("SKU", "Price"), [["58,00"], ["x", "7.5"]], "TAL").decimal == "."


def test_columns_are_recognised_by_their_headings_and_remembered_before_guessed() -> None:
    guessed = guess_mapping(HEADER, {})
    assert (guessed["number"], guessed["price"], guessed["kind"], guessed["grade"]) == (
        "SKU",
        "Net price",
        "Category",
        "Quality",
    )
    remembered = guess_mapping(HEADER, {"name": "Category", "kind": "=panel", "number": "gone"})
    assert (remembered["name"], remembered["kind"], remembered["number"]) == ("Category", "=panel", "SKU")


def test_a_mapping_that_cannot_be_is_refused_with_its_place() -> None:
    fields = {
        problem.field
        for problem in check_mapping({"price": "Pins", "connector_pins": "Pins", "kind": "nowhere"}, HEADER)
    }
    assert fields == {"map.number", "map.connector_pins", "map.kind"}
    assert {one.field for one in check_mapping({"kind": "="}, HEADER)} == {
        "map.number",
        "map.price",
        "map.kind",
    }


def test_a_row_is_read_whole() -> None:
    listing, problems = reader().read(
        ["A-1", "15.6-inch panel", "Panel", "1.058,50", "40 pins", "35,95 cm", '15.6"', "New", "2 days"]
    )
    assert problems == []
    assert listing
    assert (listing.number, listing.price_minor, listing.kind, listing.grade, listing.lead_days) == (
        "A-1",
        105_850,
        "panel",
        "genuine new",
        2,
    )
    assert listing.attributes == {
        "kind": "panel",
        "connector_pins": 40,
        "width_mm": 359.5,
        "diagonal_in": 15.6,
    }


def test_a_bad_row_says_everything_that_is_wrong_with_it() -> None:
    listing, problems = reader().read(["", "x" * 300, "", "free", "many", "wide", "big", "shiny", "soon"])
    assert listing is None
    assert {problem.field for problem in problems} == {
        "number",
        "name",
        "kind",
        "price",
        "connector_pins",
        "width_mm",
        "diagonal_in",
        "grade",
        "lead_days",
    }


def test_what_is_the_same_for_every_row_is_said_once() -> None:
    listing, _ = reader(kind="=bare panel").read(["A-1", "", "whatever", "58,00"])
    assert listing
    assert (listing.kind, listing.name) == ("bare panel", "A-1")


def test_prices_for_more_are_read() -> None:
    mapping = {"number": "n", "price": "p", "kind": "=panel", "price_breaks": "b"}
    read = RowReader.of(mapping, ["n", "p", "b"], [], "TAL")
    assert read.read(["1", "5.00", "50: 4.00 | 10: 4.50"])[0].price_breaks == ((10, 450), (50, 400))  # type: ignore[union-attr]
    assert read.read(["1", "5.00", "many: 4.00"])[1][0].field == "price_breaks"
    most, too_many = "9" * 9, "9" * 10
    assert read.read(["1", "5.00", f"{most}: 4.00"])[0].price_breaks == ((int(most), 400),)  # type: ignore[union-attr]
    assert read.read(["1", "5.00", f"{too_many}: 4.00"])[1][0].field == "price_breaks"


def test_the_smallest_number_sold_is_one_where_nothing_or_none_is_said() -> None:
    mapping = {"number": "n", "price": "p", "kind": "=panel", "minimum": "m"}
    read = RowReader.of(mapping, ["n", "p", "m"], [], "TAL")
    sold = [read.read(["1", "5.00", typed])[0] for typed in ("", "0", "1", "12")]
    assert [listing.minimum if listing else None for listing in sold] == [1, 1, 1, 12]


# -- cells a spreadsheet would run ----------------------------------------------------------------------


@given(
    st.lists(
        st.lists(
            st.text(st.characters(blacklist_characters="\x00", blacklist_categories=["Cs"]), max_size=12),
            min_size=2,
            max_size=3,
        ),
        max_size=5,
    )
)
def test_no_written_cell_is_a_formula_and_every_cell_comes_back(rows: list[list[str]]) -> None:
    """Cells beginning with = + - @, tab or return are guarded (check values section 11: common practice)."""
    text = "".join(write_price_file(["a", "b"], iter(rows)))
    back = list(csv.reader(io.StringIO(text, newline="")))[1:]
    assert not any(cell.startswith(("=", "+", "-", "@", "\t", "\r")) for row in back for cell in row)
    assert [[unguarded(cell) for cell in row] for row in back] == [list(row) for row in rows]


def test_a_guard_is_put_on_once_and_taken_off() -> None:
    assert guarded("=HYPERLINK(1)") == "'=HYPERLINK(1)"
    assert unguarded("'quoted'") == "'quoted'"


# -- workbooks, and headings of other languages -------------------------------------------------------


def workbook(*rows: Sequence[object]) -> bytes:
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(list(row))
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def test_a_workbook_reads_as_the_same_list_in_text() -> None:
    """The judge: openpyxl writes it, and the same rows as text read the same."""
    rows: list[Sequence[object]] = [
        ("Art.-Nr.", "Bezeichnung", "EK", "Pins"),
        ("A-1", "Front; schwarz", 81.5, 40),
        ("A-2", 'Front "L"', 12, None),
        (None, None, None, None),
        (300, "Glas", 7.25, 30),
    ]
    read = read_price_file(workbook(*rows))
    assert (read.encoding, read.header) == ("XLSX", ("Art.-Nr.", "Bezeichnung", "EK", "Pins"))
    assert [row for _, row in read.rows()] == [
        ["A-1", "Front; schwarz", "81.5", "40"],
        ["A-2", 'Front "L"', "12", ""],
        ["300", "Glas", "7.25", "30"],
    ]
    for wrong in (b"PK\x03\x04 no workbook", workbook(("only one",))):
        with pytest.raises(Invalid):
            read_price_file(wrong)


@pytest.mark.parametrize(
    ("header", "found"),
    [
        (["Art.-Nr.", "Bezeichnung", "VK netto", "Qualität"], ["number", "name", "price", "grade"]),
        (["Artikelnummer", "Artikel", "EK", "Zustand"], ["number", "name", "price", "grade"]),
        (["Référence", "Désignation", "Prix HT", "État"], ["number", "name", "price", "grade"]),
        (["Código", "Descripción", "Precio neto", "Calidad"], ["number", "name", "price", "grade"]),
        (["Codice articolo", "Descrizione", "Prezzo", "Stato"], ["number", "name", "price", "grade"]),
        (["Artikelcode", "Omschrijving", "Prijs", "Levertijd"], ["number", "name", "price", "lead_days"]),
    ],
)
def test_the_usual_headings_of_five_languages_are_known(header: list[str], found: list[str]) -> None:
    """From memory: headings as dealers of these countries write them."""
    mapping = guess_mapping(header, {})
    assert [next(name for name, at in mapping.items() if at == heading) for heading in header] == found


def test_a_grade_word_is_said_once() -> None:
    """An unknown word is refused and named; once somebody said what it is, it is read, and others are not."""
    header = ["SKU", "Kind", "Price", "Grade"]
    mapping = guess_mapping(header, {})
    row = ["A-1", "front assembly", "81.00", "Premium Plus"]

    def reader(words: dict[str, str]) -> RowReader:
        return RowReader.of(mapping, header, [row], "TAL", words)

    listing, problems = reader({}).read(row)
    assert listing is None
    assert [one.field for one in problems] == ["grade"]
    word = reader({}).unknown_grade(row)
    assert word == "grade: premium plus"
    chosen = check_words({word: "aftermarket"}, ["front assembly"])
    listing, problems = reader(chosen).read(row)
    assert listing
    assert (listing.grade, problems) == ("aftermarket", [])
    assert reader(chosen).unknown_grade(row) == ""
    assert reader(chosen).read([*row[:3], "Basic"])[0] is None
    with pytest.raises(ManyInvalid):
        check_words({word: "front assembly"}, ["front assembly"])
    for theirs, ours in (("Neu", "genuine new"), ("Occasion", "genuine pulled"), ("Nachbau", "aftermarket")):
        listing, _ = reader({}).read([*row[:3], theirs])
        assert listing
        assert listing.grade == ours


# -- files that would cost anything ---------------------------------------------------------------------

MEGABYTE = 1 << 20


@pytest.mark.parametrize(
    ("unit", "says"),
    [
        (b";" * MEGABYTE, "at most 100,000 characters"),
        (b'"' * MEGABYTE, "at most 100,000 characters"),
        (b"x" * MEGABYTE, "at most 100,000 characters"),
        (b"\n" * MEGABYTE, "take the empty lines out"),
        (b"\r\n" * (MEGABYTE // 2), "take the empty lines out"),
    ],
    ids=["signs", "quotes", "letters", "blank lines", "blank lines with returns"],
)
def test_a_long_file_of_nothing_is_refused_and_is_never_in_the_memory(
    unit: bytes, says: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before, 39 MB of these took a gigabyte, which stayed. What is held is measured, and is a few pieces."""
    monkeypatch.setattr(pricelists, "MOST_LINES", 20_000)
    pieces = [b"number;price\n1;5.00\n", *[unit] * 30]
    tracemalloc.start()
    try:
        with pytest.raises(Invalid, match=says):
            for _ in price_file("utf-8", lambda: pieces).rows():
                pass
        _, most = tracemalloc.get_traced_memory()
    finally:
        tracemalloc.stop()
    assert most < 8 * MEGABYTE


def test_a_field_that_never_ends_is_refused_with_its_line() -> None:
    with pytest.raises(Invalid, match="put this line right: field larger"):
        list(read_price_file(b'number;price\n1;"' + b"some words\n" * 100_000).rows())


def test_a_piece_may_end_anywhere() -> None:
    """Within a letter, within a line's end, within a quoted cell: the same rows."""
    file = TEXT.replace("\n", "\r\n").encode()
    whole = list(read_price_file(file).rows())
    assert len(whole) == 4
    for size in (1, 2, 3, 7):
        pieces = [file[at : at + size] for at in range(0, len(file), size)]
        assert list(price_file("utf-8", partial(list, pieces)).rows()) == whole


def test_a_workbook_that_unpacks_to_a_bomb_is_refused_without_unpacking_it() -> None:
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b" " * 30 * MEGABYTE)
    assert is_slow(io.BytesIO(bomb.getvalue()))
    with pytest.raises(Invalid, match="neither"):
        read_price_file(bomb.getvalue())


def test_what_is_read_apart_has_so_much_memory_and_time_and_its_refusals_come_back() -> None:
    assert apart(10, math.comb, 6, 2) == 15
    with pytest.raises(Invalid, match="more than 10 seconds or a gigabyte"):
        apart(10, bytearray, 1_500 * MEGABYTE)
    with pytest.raises(Invalid, match="more than 1 seconds"):
        apart(1, math.factorial, 10_000_000)
    with pytest.raises(Invalid, match="another program wrote anew"):
        apart(10, int, "no number")
    with pytest.raises(Invalid) as refused:
        apart(10, read_absences, b"nothing", ZoneInfo("Europe/Lisbon"))
    assert refused.value.field == "file"
    assert said(refused.value)
