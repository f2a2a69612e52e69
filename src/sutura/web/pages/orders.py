"""Orders at suppliers: written from what is advised, changed, sent, received in parts."""

from __future__ import annotations

from urllib.parse import urlencode

from fastapi.responses import Response

from sutura.core.errors import NotFound
from sutura.core.people import Deed
from sutura.core.stock.orders import ON_ORDER, Arrived, OrderState
from sutura.core.typed import read_id
from sutura.services import orders, pieces
from sutura.services.reordering import today
from sutura.services.shop import shop
from sutura.store import orders as store
from sutura.store import pieces as pieces_store
from sutura.store import suppliers as suppliers_store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/orders", may=Deed.RECEIVE)
def orders_list(ask: Ask) -> Response:
    return _list(ask)


def _list(ask: Asking, shown: Shown = ANEW) -> Response:
    return render(
        ask,
        "orders/list.html",
        room="Shelf",
        currency=shop().currency,
        shown=shown,
        open_orders=store.orders_page((OrderState.DRAFT, *ON_ORDER)),
        closed=store.orders_page((OrderState.CLOSED, OrderState.CANCELLED), limit=50),
    )


@addresses.get("/orders/{number}", may=Deed.RECEIVE)
def order_page(ask: Ask, number: str, printed: str = "", stopped: str = "") -> Response:
    return _page(ask, number, printed=printed, stopped=stopped)


def _page(ask: Asking, number: str, shown: Shown = ANEW, printed: str = "", stopped: str = "") -> Response:
    order = store.load_order(read_id(number))
    if order is None:
        raise NotFound("order", number)
    terms = suppliers_store.load_terms(order.supplier_id)
    return render(
        ask,
        "orders/order.html",
        room="Shelf",
        currency=shop().currency,
        shown=shown,
        order=order,
        lines=store.load_lines(order.id),
        answer=store.load_answer(order.id),
        arrivals=store.arrivals_of(order.id),
        terms=terms,
        shipping_minor=terms.shipping_of(order.total_minor),
        is_late=order.is_late(today(ask.now)),
        unlabelled=pieces_store.without_label(order.id),
        printed=printed[:6],
        stopped=pieces.why_stopped(stopped),
        found=[arrived for arrived in Arrived if arrived is not Arrived.GOOD],
    )


@addresses.get("/orders/{number}/text", may=Deed.ORDER)
def order_text(ask: Ask, number: str) -> Response:  # noqa: ARG001 - who asks is asked by the address
    order = store.load_order(read_id(number))
    if order is None:
        raise NotFound("order", number)
    form = suppliers_store.load_terms(order.supplier_id).takes
    text = orders.order_text(order, store.load_lines(order.id), form)
    ending, kind = ("csv", "text/csv") if form == "csv" else ("txt", "text/plain")
    name = f'attachment; filename="{order.number}.{ending}"'
    return Response(text, media_type=f"{kind}; charset=utf-8", headers={"Content-Disposition": name})


@addresses.get("/orders/{number}/order.pdf", may=Deed.ORDER)
def order_paper(ask: Ask, number: str) -> Response:  # noqa: ARG001 - who asks is asked by the address
    order = store.load_order(read_id(number))
    if order is None:
        raise NotFound("order", number)
    name = f'attachment; filename="{order.number}.pdf"'
    return Response(
        orders.order_paper(order, store.load_lines(order.id)),
        media_type="application/pdf",
        headers={"Content-Disposition": name},
    )


@addresses.post("/orders", may=Deed.ORDER)
@deed(then="/orders/{done}", again=_list)
def write_order(ask: Ask, form: Form) -> int:
    return orders.write_advised(form.text("supplier"), ask.person, ask.now)


@addresses.post("/orders/parts/{barcode}", may=Deed.ORDER)
@deed(then="/orders/{done}", again=_list)
def add_part(ask: Ask, barcode: str, form: Form) -> int:
    return orders.add_to_order(barcode, form.text("pieces"), ask.person, ask.now)


@addresses.post("/orders/{number}/change", may=Deed.ORDER)
@deed(then="/orders/{number}", again=_page)
def change_order(ask: Ask, number: str, form: Form) -> None:
    pieces = {read_id(line): text for line, text in form.entered.group("pieces").items()}
    orders.change_order(read_id(number), pieces, form.number("version"), ask.person)


@addresses.post("/orders/{number}/send", may=Deed.ORDER)
@deed(then="/orders/{number}", again=_page, outside=True)
def send_order(ask: Ask, number: str) -> None:
    orders.send_order(read_id(number), ask.person, ask.now)


@addresses.post("/orders/{number}/discard", may=Deed.ORDER)
@deed(then="/shelf", again=_page)
def discard_order(ask: Ask, number: str) -> None:
    orders.discard_order(read_id(number), ask.person, ask.now)


@addresses.post("/orders/{number}/receive", may=Deed.RECEIVE)
@deed(then="/orders/{number}", again=_page)
def receive_parcel(ask: Ask, number: str, form: Form) -> None:
    found: dict[int, dict[str, str]] = {}
    for name, text in form.entered.group("line").items():
        line, _, what = name.partition(".")
        found.setdefault(read_id(line), {})[what] = text
    orders.receive_parcel(read_id(number), found, ask.person, ask.now)


@addresses.post("/orders/{number}/close", may=Deed.ORDER)
@deed(then="/orders/{number}", again=_page)
def give_up_rest(ask: Ask, number: str) -> None:
    orders.give_up_rest(read_id(number), ask.person, ask.now)


@addresses.post("/orders/{number}/labels", may=Deed.RECEIVE)
@deed(then="/orders/{number}?{done}", again=_page, outside=True)
def print_labels(ask: Ask, number: str) -> str:
    labels = [piece.label for piece in pieces_store.without_label(read_id(number))]
    printed = pieces.print_labels(labels, ask.person, ask.now)
    return urlencode({"printed": printed.count, "stopped": printed.stopped.value})
