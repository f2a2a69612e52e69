"""The Shelf: what is there, promised and free; the ledger of one part; receiving and counting."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.matching.attributes import MEASURABLE
from sutura.core.people import Deed
from sutura.services import matching, stock
from sutura.store import stock as store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/shelf", may=Anyone.SIGNED_IN)
def shelf(ask: Ask) -> Response:
    parts = store.shelf_page()
    return render(
        ask, "stock/shelf.html", room="Shelf", parts=parts, out=[part for part in parts if part.free < 1]
    )


@addresses.get("/shelf/{barcode}", may=Anyone.SIGNED_IN)
def part_page(ask: Ask, barcode: str) -> Response:
    return _page(ask, barcode)


def _page(ask: Asking, barcode: str, shown: Shown = ANEW) -> Response:
    part = store.load_part(barcode)
    return render(
        ask,
        "stock/part.html",
        room="Shelf",
        shown=shown,
        part=part,
        ledger=store.ledger_page(part.id),
        holders=store.holders_of(part.id),
        known=matching.known_of_part(barcode),
        measurable=MEASURABLE,
    )


@addresses.post("/shelf/{barcode}/measure", may=Deed.RESERVE)
@deed(then="/shelf/{barcode}#known", again=_page)
def measure(ask: Ask, barcode: str, form: Form) -> None:
    matching.measure_on_the_shelf(barcode, form.entered.group("measured"), ask.person, ask.now)


@addresses.post("/shelf/{barcode}/receive", may=Deed.RECEIVE)
@deed(then="/shelf/{barcode}", again=_page)
def receive(ask: Ask, barcode: str, form: Form) -> None:
    stock.receive(
        barcode, form.text("quantity"), form.text("unit_cost"), form.text("receipt_note"), ask.person, ask.now
    )


@addresses.post("/shelf/{barcode}/count", may=Deed.RECEIVE)
@deed(then="/shelf/{barcode}", again=_page)
def count(ask: Ask, barcode: str, form: Form) -> None:
    stock.correct_count(barcode, form.text("counted"), form.text("note"), ask.person, ask.now)
