"""The Shelf: what to order today, what is late, what goes back; every part; the ledger of one; receiving,
counting.
"""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.matching.attributes import MEASURABLE
from sutura.core.people import Deed
from sutura.services import known, matching, pieces, reordering, stock
from sutura.store import stock as store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.level import draw_ahead, draw_level
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
MOST_ASKED = 80


@addresses.get("/shelf", may=Anyone.SIGNED_IN)
def shelf(ask: Ask, q: str = "", place: str = "", page: str = "1") -> Response:
    shown = reordering.shelf_page(ask.now)
    listed = reordering.narrowed(shown.advised, q[:MOST_ASKED], place[:MOST_ASKED], page)
    return render(
        ask,
        "stock/shelf.html",
        room="Shelf",
        currency=shown.currency,
        shelf=shown,
        listed=listed,
        today=shown.day,
        asked=q[:MOST_ASKED],
        place=place[:MOST_ASKED],
        unused=[line for line in shown.advised if line.unused],
        levels={line.part.id: _level(line) for line in listed.lines},
    )


def _level(line: reordering.PartAdvice) -> object:
    point = line.advice.reorder_point if line.advice else -1
    return draw_level(reordering.position_of(line.part), point)


@addresses.get("/shelf/{barcode}", may=Anyone.SIGNED_IN)
def part_page(ask: Ask, barcode: str, lost: str = "") -> Response:
    return _page(ask, barcode, lost=lost)


def _page(ask: Asking, barcode: str, shown: Shown = ANEW, lost: str = "") -> Response:
    part = store.load_part(barcode)
    advised = reordering.advise_part(part.id, ask.now)
    single = pieces.pieces_page(part.id, ask.now)
    return render(
        ask,
        "stock/part.html",
        room="Shelf",
        shown=shown,
        part=part,
        lost=[code for code in lost[:200].split(",") if code],
        advised=advised,
        ahead=_ahead(advised) if advised else None,
        ledger=store.ledger_page(part.id),
        holders=store.holders_of(part.id),
        moved=store.moves_between(part.id),
        known=known.known_of_part(barcode),
        measurable=MEASURABLE,
        pieces=single.pieces,
        urgent=single.urgent,
        returnable=single.returnable,
        suppliers=single.suppliers,
    )


def _ahead(advised: reordering.PartOutlook) -> object:
    advice = advised.line.advice
    return draw_ahead(
        advised.days,
        lead_days=advised.line.lead.mean_days,
        reorder_point=advice.reorder_point if advice else -1,
        arrivals=advised.arrivals,
    )


@addresses.post("/shelf/{barcode}/measure", may=Deed.RESERVE)
@deed(then="/shelf/{barcode}#known", again=_page)
def measure(ask: Ask, barcode: str, form: Form) -> None:
    matching.measure_on_the_shelf(barcode, form.entered.group("measured"), ask.person, ask.now)


@addresses.post("/shelf/{barcode}/move", may=Deed.RESERVE)
@deed(then="/shelf/{barcode}", again=_page)
def move_part(ask: Ask, barcode: str, form: Form) -> None:
    stock.move_part(barcode, form.text("place"), ask.person, ask.now)


@addresses.post("/shelf/{barcode}/receive", may=Deed.RECEIVE)
@deed(then="/shelf/{barcode}", again=_page)
def receive(ask: Ask, barcode: str, form: Form) -> None:
    stock.receive(
        barcode,
        form.text("quantity"),
        form.text("unit_cost"),
        form.text("receipt_note"),
        ask.person,
        ask.now,
        supplier_id=form.text("supplier"),
        lot=form.text("lot"),
    )


@addresses.post("/shelf/{barcode}/count", may=Deed.RECEIVE)
@deed(then="/shelf/{barcode}?{done}", again=_page)
def count(ask: Ask, barcode: str, form: Form) -> str:
    losing = stock.correct_count(barcode, form.text("counted"), form.text("note"), ask.person, ask.now)
    return "lost=" + ",".join(losing)
