"""Tape, glue, cleaner, wipes."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.core.stock.consumables import Unit, UsedFor
from sutura.services import consumables
from sutura.services.shop import shop
from sutura.store import suppliers
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
TERMS = ("place", "again_at", "supplier", "holds", "price", "lead_days")
NEW = ("name", "unit", "used_for", *TERMS)


@addresses.get("/consumables", may=Deed.RECEIVE)
def consumables_list(ask: Ask, show: str = "") -> Response:
    return _page(ask, show=show)


def _page(ask: Asking, shown: Shown = ANEW, show: str = "") -> Response:
    return render(
        ask,
        "stock/consumables.html",
        room="Shelf",
        shown=shown,
        lines=consumables.consumables_page(ask.now, show),
        kinds=list(UsedFor),
        units=list(Unit),
        suppliers=suppliers.names(),
        currency=shop().currency,
        sent_form=shown.entered.text("of"),
    )


@addresses.post("/consumables", may=Deed.ORDER)
@deed(then="/consumables", again=_page)
def add_consumable(ask: Ask, form: Form) -> None:
    consumables.add_consumable({name: form.text(name) for name in NEW}, ask.person)


@addresses.post("/consumables/{number}/receive", may=Deed.RECEIVE)
@deed(then="/consumables", again=_page)
def receive(ask: Ask, number: str, form: Form) -> None:
    consumables.receive(number, form.text("quantity"), form.text("note"), ask.person, ask.now)


@addresses.post("/consumables/{number}/count", may=Deed.RECEIVE)
@deed(then="/consumables", again=_page)
def count(ask: Ask, number: str, form: Form) -> None:
    consumables.count(number, form.text("counted"), form.number("version"), ask.person, ask.now)


@addresses.post("/consumables/{number}/order", may=Deed.ORDER)
@deed(then="/consumables", again=_page)
def order(ask: Ask, number: str, form: Form) -> None:
    consumables.order(number, form.text("packs"), form.number("version"), ask.person, ask.now)


@addresses.post("/consumables/{number}/change", may=Deed.ORDER)
@deed(then="/consumables", again=_page)
def change(ask: Ask, number: str, form: Form) -> None:
    typed = {name: form.text(name) for name in TERMS}
    consumables.change(number, typed, form.number("version"), ask.person)
