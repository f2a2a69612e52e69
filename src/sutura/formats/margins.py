"""What finished jobs left, as a table (CSV)."""

from __future__ import annotations

import csv
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from io import StringIO

from sutura.core.quoting.margins import Margin
from sutura.formats.invoices import plain_amount

COLUMNS = (
    "job",
    "device",
    "technician",
    "handed back",
    "currency",
    "without tax",
    "let go",
    "parts",
    "broken",
    "tape, glue and wipes",
    "margin",
    "bench minutes",
    "work",
    "left",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class MarginRow:
    """A finished job with what it left; its moment in the shop's zone."""

    code: str
    device: str
    technician: str
    at: datetime
    margin: Margin


def margins_csv(rows: Iterable[MarginRow]) -> str:
    """One row a job, amounts as numbers in one currency each, below zero with a hyphen."""
    file = StringIO()
    table = csv.writer(file, lineterminator="\r\n")
    table.writerow(COLUMNS)
    for row in rows:
        found = row.margin
        currency = found.net.currency

        def plain(minor: int, currency: str = currency) -> str:
            return plain_amount(minor, currency)

        table.writerow(
            [
                row.code,
                row.device,
                row.technician,
                f"{row.at:%Y-%m-%d %H:%M}",
                currency,
                plain(found.net.minor),
                plain(found.less.minor),
                plain(found.parts.minor),
                plain(found.broken.minor),
                plain(found.consumables.minor),
                plain(found.margin.minor),
                found.bench_minutes,
                plain(found.work.minor),
                plain(found.left.minor),
            ]
        )
    return file.getvalue()
