"""Price lists as CSV ↔ rows of text: encoding and delimiter detected, formula-safe when written."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.matching.listing import guarded

# the most a list may have, so that nobody waits for a file that is no price list
MOST_BYTES, MOST_COLUMNS, MOST_ROWS = 40_000_000, 120, 1_000_000
_DELIMITERS = ";,\t|"


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
    text, encoding = _decoded(file)
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
