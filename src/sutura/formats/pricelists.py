"""Price lists as CSV or XLSX → rows of text, encoding and delimiter detected; written as formula-safe CSV."""

from __future__ import annotations

import csv
import io
import itertools
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.matching.listing import guarded

# the most a list may have, so that nobody waits for a file that is no price list
MOST_BYTES, MOST_COLUMNS, MOST_ROWS = 40_000_000, 120, 1_000_000
_DELIMITERS = ";,\t|"
# what a workbook may be when it is unpacked, and how its file begins
MOST_UNPACKED = 400_000_000
_ZIP = b"PK\x03\x04"


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceFile:
    """A list as text: how it was encoded and parted, its heading, and its rows on demand."""

    encoding: str
    delimiter: str
    header: tuple[str, ...]
    text: str

    def rows(self) -> Iterator[tuple[int, list[str]]]:
        """Every row below the heading that is not empty, with its line in the file."""
        reader = csv.reader(io.StringIO(self.text, newline=""), delimiter=self.delimiter)
        try:
            next(reader, None)
            for row in reader:
                if any(cell.strip() for cell in row):
                    yield reader.line_num, row
        except csv.Error as broken:
            raise Invalid(
                "file",
                fact("list.line", number=reader.line_num),
                fact("list.put-line-right", broken=str(broken)),
            ) from broken


def read_price_file(file: bytes) -> PriceFile:
    """A CSV file with one heading row; refuses what is none, saying what was found."""
    if not file.strip():
        raise Invalid("file", "", fact("list.choose"))
    if len(file) > MOST_BYTES:
        raise Invalid("file", fact("list.bytes", count=len(file)), fact("list.split", most=MOST_BYTES))
    text, encoding = (_from_xlsx(file), "XLSX") if file.startswith(_ZIP) else _decoded(file)
    first = text.lstrip("\r\n").split("\n", 1)[0]
    delimiter = max(_DELIMITERS, key=lambda sign: (first.count(sign), -_DELIMITERS.index(sign)))
    try:
        csv.field_size_limit(200_000)
        header = tuple(
            cell.strip()
            for cell in next(csv.reader(io.StringIO(text.lstrip("\r\n"), newline=""), delimiter=delimiter))
        )
    except (csv.Error, StopIteration) as broken:
        raise Invalid("file", first[:60], fact("list.first-row")) from broken
    named = [cell for cell in header if cell]
    if len(named) < 2 or len(header) > MOST_COLUMNS:
        raise Invalid("file", first[:60], fact("list.columns", most=MOST_COLUMNS))
    if len(set(named)) < len(named):
        twice = next(cell for cell in named if named.count(cell) > 1)
        raise Invalid("file", twice, fact("list.heading-twice"))
    return PriceFile(encoding=encoding, delimiter=delimiter, header=header, text=text.lstrip("\r\n"))


def _from_xlsx(file: bytes) -> str:
    """The first sheet of a workbook that has rows, as CSV with semicolons; formulas by what they came to."""
    import openpyxl  # only needed for such lists

    try:
        with zipfile.ZipFile(io.BytesIO(file)) as packed:
            if sum(one.file_size for one in packed.infolist()) > MOST_UNPACKED:
                raise Invalid(
                    "file", fact("list.bytes", count=MOST_UNPACKED), fact("list.split", most=MOST_BYTES)
                )
        book = openpyxl.load_workbook(io.BytesIO(file), read_only=True, data_only=True)
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, OSError, SyntaxError) as broken:
        raise Invalid("file", fact("list.workbook"), fact("list.no-text")) from broken
    text = io.StringIO()
    writer = csv.writer(text, delimiter=";", lineterminator="\n")
    try:
        for sheet in book.worksheets:
            for row in itertools.islice(sheet.iter_rows(values_only=True), MOST_ROWS + 1):
                cells = [_cell(value) for value in row[:MOST_COLUMNS]]
                if any(cells):
                    writer.writerow(cells)
            if text.tell():
                break
    finally:
        book.close()
    return text.getvalue()


def _cell(value: object) -> str:
    """A cell as a list has it: whole numbers without a point, others with one, days as they are written."""
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.10g}"
    if isinstance(value, date):
        return f"{value:%Y-%m-%d}"
    return " ".join(str(value).split())


def _decoded(file: bytes) -> tuple[str, str]:
    """The text and its encoding: UTF-8 and marked UTF-16 first, else what its letters say."""
    if b"\x00" in file[:400] and not file.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise Invalid("file", fact("list.zero-bytes"), fact("list.no-text"))
    for encoding in ("utf-8-sig", *(("utf-16",) if file.startswith((b"\xff\xfe", b"\xfe\xff")) else ())):
        try:
            return file.decode(encoding), encoding.removesuffix("-sig")
        except UnicodeDecodeError:
            continue
    import charset_normalizer  # its tables are only needed for old encodings

    best = charset_normalizer.from_bytes(
        file[:200_000], cp_isolation=["cp1252", "cp1250", "iso8859_15", "cp1251", "cp1253"]
    ).best()
    encoding = best.encoding if best else "cp1252"
    try:
        return file.decode(encoding), encoding
    except UnicodeDecodeError:
        # what its first part looked like is not what the rest is: Latin letters can always be read
        return file.decode("cp1252", errors="replace"), "cp1252"


def write_price_file(header: Sequence[str], rows: Iterator[Sequence[str]]) -> Iterator[str]:
    """CSV text piece by piece, with no cell that a spreadsheet would run (rule of CSV export: guard = +
    - @).
    """
    buffer = io.StringIO()
    writer = csv.writer(buffer, lineterminator="\r\n")
    writer.writerow([guarded(cell) for cell in header])
    for row in rows:
        writer.writerow([guarded(cell) for cell in row])
        if buffer.tell() > 64_000:
            yield buffer.getvalue()
            buffer.seek(0)
            buffer.truncate()
    yield buffer.getvalue()
