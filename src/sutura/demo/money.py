"""The demo shop's papers and its till: closed in the evening, now and then not quite right."""

from __future__ import annotations

from datetime import datetime, timedelta

from sutura.core.maths.money import amount_text
from sutura.core.values import Person
from sutura.demo import hours
from sutura.demo.shop import CURRENCY, NAME
from sutura.services import comebacks, invoices, tills
from sutura.services import shop as shop_service

# the country's letters are those that ISO 3166-1 leaves to its users
PAPERS = {
    "name": NAME,
    "street": "4 Ropewalk",
    "town": "Port Averil",
    "postcode": "4410",
    "country": "XX",
    "tax_id": "XX471108154",
    "iban": "",
    "mode": "inclusive",
    "coin": "5",
}
_FLOAT = 15_000
TERMS = {
    "grade.genuine new": "365",
    "grade.aftermarket": "90",
    "work_days": "180",
    "voids": "Opened by others; liquid; new damage.",
}


def set_up(manager: Person, now: datetime) -> None:
    """When the shop is open, what stands on its papers, and its terms of warranty."""
    if not shop_service.shop().hours:
        shop_service.change_hours(hours.TYPED, shop_service.shop().version, manager, now)
    if not shop_service.shop().invoicing:
        invoices.change_invoicing(PAPERS, shop_service.shop().version, manager, now)
    if not comebacks.terms_page():
        comebacks.change_terms(TERMS, 0, manager, now)


def count_till(by: Person, now: datetime) -> None:
    """Close the till of an earlier day and open today's; every ninth day two coins are short."""
    page = tills.till_page(0, by, now)
    till = page.till
    if till and till.opened_at.date() < now.date():
        short = 200 if till.id % 9 == 0 and page.expected.minor > 200 else 0
        counted = amount_text(page.expected.minor - short, CURRENCY)
        left = amount_text(min(_FLOAT, page.expected.minor - short), CURRENCY)
        why = "two coins short, counted twice" if short else ""
        evening = min(till.opened_at + timedelta(hours=8), now)
        tills.close_till(till.id, {"counted": counted, "left": left, "note": why}, by, evening)
        till = None
    if till is None:
        tills.open_till({"float": amount_text(_FLOAT, CURRENCY)}, by, now)
