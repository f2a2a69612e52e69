"""Suppliers: their record, and what they ask of an order."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.errors import NotFound
from sutura.core.people import Deed
from sutura.core.stock.reordering import wants_texts
from sutura.core.stock.suppliers import TAKES, terms_texts
from sutura.services import suppliers
from sutura.services.shop import shop
from sutura.store import shop as shop_store
from sutura.store import suppliers as store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
WANTS = ("fill", "order_cost", "keeping", "ageing", "pieces_from")
FIELDS = ("shipping", "least_order", "free_from", "return_days", "takes")


@addresses.get("/suppliers", may=Deed.ORDER)
def suppliers_list(ask: Ask) -> Response:
    return _list(ask)


def _list(ask: Asking, shown: Shown = ANEW) -> Response:
    numbers = shop_store.load_keeping()
    return render(
        ask,
        "suppliers/list.html",
        room="Shelf",
        shown=shown,
        currency=numbers.currency,
        version=numbers.version,
        entered=shown.over(wants_texts(numbers, numbers.currency)),
        lines=suppliers.suppliers_page(ask.person, ask.now),
    )


@addresses.post("/suppliers", may=Deed.ORDER)
@deed(then="/suppliers", again=_list)
def change_wants(ask: Ask, form: Form) -> None:
    suppliers.change_wants(
        {name: form.text(name) for name in WANTS}, form.number("version"), ask.person, ask.now
    )


@addresses.get("/suppliers/{number}", may=Deed.ORDER)
def supplier_page(ask: Ask, number: str) -> Response:
    return _page(ask, number)


def _page(ask: Asking, number: str, shown: Shown = ANEW) -> Response:
    supplier = store.load_supplier(number)
    if supplier is None:
        raise NotFound("supplier", number)
    return render(
        ask,
        "suppliers/supplier.html",
        room="Shelf",
        shown=shown,
        supplier=supplier,
        entered=shown.over(terms_texts(store.load_terms(number), shop().currency)),
        takes=[(value, {"csv": "a table (CSV)", "mail": "a mail"}[value]) for value in TAKES],
    )


@addresses.post("/suppliers/{number}/terms", may=Deed.ORDER)
@deed(then="/suppliers/{number}", again=_page)
def change_terms(ask: Ask, number: str, form: Form) -> None:
    suppliers.change_terms(number, {name: form.text(name) for name in FIELDS}, ask.person, ask.now)
