"""A day of the till as CSV."""

from __future__ import annotations

import csv
from collections.abc import Callable, Sequence
from datetime import tzinfo
from io import StringIO

from sutura.core.handover.tills import CashRow
from sutura.formats.invoices import plain_amount


def till_csv(
    float_minor: int, rows: Sequence[CashRow], currency: str, zone: tzinfo, say: Callable[[object], str]
) -> str:
    """What was in the till, and each row of cash with what is in it then: by the shop's clock and in the
    words of the page.
    """
    file = StringIO()
    table = csv.writer(file, lineterminator="\r\n")
    table.writerow(["at", "job", "what", "who", "amount", "in the till"])
    there = float_minor
    table.writerow(
        ["", "", "opened with", "", plain_amount(float_minor, currency), plain_amount(there, currency)]
    )
    for row in rows:
        there += row.signed_minor
        table.writerow(
            [
                f"{row.at.astimezone(zone):%Y-%m-%d %H:%M}",
                row.code,
                say(row.kind),
                row.who,
                plain_amount(row.signed_minor, currency),
                plain_amount(there, currency),
            ]
        )
    return file.getvalue()
