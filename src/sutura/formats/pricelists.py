"""Price lists as CSV or XLSX → rows of text, encoding and delimiter detected; written as formula-safe CSV."""

from __future__ import annotations

import codecs
import csv
import io
import itertools
import shutil
import struct
import tempfile
import zipfile
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any, BinaryIO

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.matching.listing import guarded
from sutura.formats.apart import apart

# the most a list may have, so that nobody waits for a file that is no price list
MOST_BYTES, MOST_COLUMNS, MOST_ROWS = 40_000_000, 120, 1_000_000
# a line of a list with a hundred columns is a tenth of this; lines may be empty, or one row take several
MOST_LINE, MOST_LINES = 100_000, 3 * MOST_ROWS
# a list up to this size is read while somebody waits; the shop's, no source
AT_ONCE_BYTES = 1_000_000
# of a processor, for a workbook; the shop's, not measured
WORKBOOK_SECONDS = 600
# how much of a file is in the memory at once
PIECE = 1 << 20
_DELIMITERS = ";,\t|"
# what a workbook may be when it is unpacked, and how its file begins
MOST_UNPACKED = 400_000_000
_ZIP = b"PK\x03\x04"


Pieces = Callable[[], Iterable[bytes]]


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceFile:
    """A list as text: how it was encoded and parted, its heading, and its rows on demand.

    `pieces` gives its bytes in UTF-8 anew each time, so that a long list is never in the memory as a whole.
    """

    encoding: str
    delimiter: str
    header: tuple[str, ...]
    pieces: Pieces

    def rows(self) -> Iterator[tuple[int, list[str]]]:
        """Every row below the heading that is not empty, with its line in the file. A row that costs more
        than any row may is refused with its line.
        """
        reader = csv.reader(_lines(self.pieces()), delimiter=self.delimiter)
        heading = True
        try:
            for row in reader:
                if any(cell.strip() for cell in row):
                    if not heading:
                        yield reader.line_num, row
                    heading = False
        except csv.Error as broken:
            raise Invalid(
                "file",
                fact("list.line", number=reader.line_num),
                fact("list.put-line-right", broken=str(broken)),
            ) from broken


class _Raw(io.RawIOBase):
    """Pieces of bytes as one file."""

    def __init__(self, pieces: Iterable[bytes]) -> None:
        self._pieces, self._rest = iter(pieces), memoryview(b"")

    def readable(self) -> bool:
        return True

    def readinto(self, into: Any) -> int:
        while not self._rest:
            piece = next(self._pieces, None)
            if piece is None:
                return 0
            self._rest = memoryview(piece)
        count = min(len(into), len(self._rest))
        into[:count], self._rest = self._rest[:count], self._rest[count:]
        return count


def _lines(pieces: Iterable[bytes]) -> Iterator[str]:
    """The lines of a list, each with its end; refuses one that is longer than any line of a list is, and more
    lines than a list has.
    """
    text = io.TextIOWrapper(io.BufferedReader(_Raw(pieces)), encoding="utf-8", newline="")
    for number in itertools.count(1):
        line = text.readline(MOST_LINE + 1)
        if not line:
            return
        if len(line) > MOST_LINE:
            raise Invalid("file", fact("list.line", number=number), fact("list.shorter-line", most=MOST_LINE))
        if number > MOST_LINES:
            raise Invalid(
                "file", fact("list.lines", most=MOST_LINES), fact("list.split-lines", most=MOST_ROWS)
            )
        yield line


def read_price_file(file: bytes) -> PriceFile:
    """A CSV or XLSX file with one heading row; refuses what is none, saying what was found."""
    encoding, pieces = text_of(io.BytesIO(file))
    kept = list(pieces)
    return price_file(encoding, lambda: kept)


def price_file(encoding: str, pieces: Pieces) -> PriceFile:
    """A list whose text lies in pieces of UTF-8; refuses what has no heading of columns."""
    first = next((line for line in _lines(pieces()) if line.strip()), "")
    delimiter = max(_DELIMITERS, key=lambda sign: (first.count(sign), -_DELIMITERS.index(sign)))
    csv.field_size_limit(MOST_LINE)
    try:
        rows = csv.reader(_lines(pieces()), delimiter=delimiter)
        header = tuple(cell.strip() for cell in next(row for row in rows if any(c.strip() for c in row)))
    except (csv.Error, StopIteration) as broken:
        raise Invalid("file", first[:60].strip(), fact("list.first-row")) from broken
    named = [cell for cell in header if cell]
    if len(named) < 2 or len(header) > MOST_COLUMNS:
        raise Invalid("file", first[:60].strip(), fact("list.columns", most=MOST_COLUMNS))
    if len(set(named)) < len(named):
        twice = next(cell for cell in named if named.count(cell) > 1)
        raise Invalid("file", twice, fact("list.heading-twice"))
    return PriceFile(encoding=encoding, delimiter=delimiter, header=header, pieces=pieces)


def size_of(file: BinaryIO) -> int:
    """How many bytes a file has; it is read from its beginning afterwards."""
    size = file.seek(0, io.SEEK_END)
    file.seek(0)
    return size


def is_slow(file: BinaryIO) -> bool:
    """Whether a list is read in the background: it is long, or a workbook that unpacks to much."""
    if size_of(file) > AT_ONCE_BYTES:
        return True
    packed = file.read(len(_ZIP)) == _ZIP
    file.seek(0)
    return packed and _unpacked(file) > AT_ONCE_BYTES


def size_taken(file: BinaryIO) -> int:
    """The bytes of a list; refuses nothing at all, and what is larger than any list."""
    size = size_of(file)
    if not size:
        raise Invalid("file", "", fact("list.choose"))
    if size > MOST_BYTES:
        raise Invalid("file", fact("list.bytes", count=size), fact("list.split", most=MOST_BYTES))
    return size


def text_of(file: BinaryIO) -> tuple[str, Iterator[bytes]]:
    """A list's text in pieces of UTF-8, and how it was encoded; refuses what is no text and no workbook, or
    larger than any list.
    """
    size = size_taken(file)
    head = file.read(PIECE)
    file.seek(0)
    if not head.strip() and size <= PIECE:
        raise Invalid("file", "", fact("list.choose"))
    if head.startswith(_ZIP):
        return "XLSX", _from_workbook(file)
    encoding = _encoding(file, head)
    return encoding.removesuffix("-sig"), _decoded(file, encoding)


def _unpacked(file: BinaryIO) -> int:
    """What a workbook is unpacked; refuses what is none."""
    try:
        with zipfile.ZipFile(file) as packed:
            return sum(one.file_size for one in packed.infolist())
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError, struct.error) as broken:
        raise Invalid("file", fact("list.workbook"), fact("list.no-text")) from broken
    finally:
        file.seek(0)


def _from_workbook(file: BinaryIO) -> Iterator[bytes]:
    """The first sheet of a workbook that has rows, as CSV; it is unpacked apart, for nobody knows what that
    costs.
    """
    if _unpacked(file) > MOST_UNPACKED:
        raise Invalid("file", fact("list.bytes", count=MOST_UNPACKED), fact("list.split", most=MOST_BYTES))
    with tempfile.TemporaryDirectory() as folder:
        book, text = Path(folder) / "book.xlsx", Path(folder) / "text.csv"
        with book.open("wb") as copy:
            shutil.copyfileobj(file, copy)
        apart(WORKBOOK_SECONDS, write_sheet, book, text)
        with text.open("rb") as made:
            yield from iter(lambda: made.read(PIECE), b"")


def write_sheet(book_file: Path, text_file: Path) -> None:
    """The first sheet of a workbook that has rows, written as CSV with semicolons; formulas by what they came
    to. Refuses what is no workbook.
    """
    import openpyxl  # only needed for such lists

    try:
        book = openpyxl.load_workbook(book_file, read_only=True, data_only=True)
        with text_file.open("w", encoding="utf-8", newline="") as text:
            writer = csv.writer(text, delimiter=";", lineterminator="\n")
            for sheet in book.worksheets:
                for row in itertools.islice(sheet.iter_rows(values_only=True), MOST_ROWS + 2):
                    cells = [_cell(value) for value in row[:MOST_COLUMNS]]
                    if any(cells):
                        writer.writerow(cells)
                if text.tell():
                    break
        book.close()
    except (
        zipfile.BadZipFile,
        KeyError,
        ValueError,
        TypeError,
        OSError,
        SyntaxError,
        AttributeError,
    ) as broken:
        raise Invalid("file", fact("list.workbook"), fact("list.no-text")) from broken


def _cell(value: object) -> str:
    """A cell as a list has it: whole numbers without a point, others with one, days as they are written."""
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.10g}"
    if isinstance(value, date):
        return f"{value:%Y-%m-%d}"
    return " ".join(str(value).split())


def _encoding(file: BinaryIO, head: bytes) -> str:
    """How a text is encoded: UTF-8 and marked UTF-16 first, else what its letters say."""
    marked = head.startswith((b"\xff\xfe", b"\xfe\xff"))
    if b"\x00" in head[:400] and not marked:
        raise Invalid("file", fact("list.zero-bytes"), fact("list.no-text"))
    unicodes: tuple[str, ...] = ("utf-8-sig", "utf-16") if marked else ("utf-8-sig",)
    for unicode in unicodes:
        if _can_be_read(file, unicode):
            return unicode
    import charset_normalizer  # its tables are only needed for old encodings

    best = charset_normalizer.from_bytes(
        head[:200_000], cp_isolation=["cp1252", "cp1250", "iso8859_15", "cp1251", "cp1253"]
    ).best()
    encoding = str(best.encoding) if best else "cp1252"
    # what its first part looked like may not be what the rest is: Latin letters can always be read
    return str(encoding) if _can_be_read(file, encoding) else "cp1252"


def _can_be_read(file: BinaryIO, encoding: str) -> bool:
    file.seek(0)
    reader = codecs.getincrementaldecoder(encoding)()
    try:
        for piece in iter(lambda: file.read(PIECE), b""):
            reader.decode(piece)
        reader.decode(b"", final=True)
    except UnicodeDecodeError:
        return False
    finally:
        file.seek(0)
    return True


def _decoded(file: BinaryIO, encoding: str) -> Iterator[bytes]:
    reader = codecs.getincrementaldecoder(encoding)(errors="replace" if encoding == "cp1252" else "strict")
    for piece in iter(lambda: file.read(PIECE), b""):
        # no text of a list has a null character, and PostgreSQL takes none
        yield reader.decode(piece).replace("\x00", "").encode()
    yield reader.decode(b"", final=True).encode()


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
