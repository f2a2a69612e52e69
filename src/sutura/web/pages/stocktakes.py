"""Stock-takes: a place is counted blind, with the scanner or the list, and finishes as moves."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.core.typed import read_id
from sutura.services import stocktakes
from sutura.services.shop import shop
from sutura.store import stocktakes as store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/stocktakes", may=Deed.RECEIVE)
def takes_list(ask: Ask) -> Response:
    return _list(ask)


def _list(ask: Asking, shown: Shown = ANEW) -> Response:
    return render(ask, "stocktakes/list.html", room="Shelf", shown=shown, takes=store.takes_page())


@addresses.get("/stocktakes/{number}", may=Deed.RECEIVE)
def take_page(ask: Ask, number: str, lost: str = "") -> Response:
    return _page(ask, number, lost=lost)


def _page(ask: Asking, number: str, shown: Shown = ANEW, lost: str = "") -> Response:
    page = stocktakes.take_page(read_id(number), ask.person)
    codes = [code for code in lost[:200].split(",") if code]
    return render(
        ask,
        "stocktakes/take.html",
        room="Shelf",
        currency=shop().currency,
        shown=shown,
        page=page,
        take=page.take,
        lost=codes,
    )


@addresses.post("/stocktakes", may=Deed.RECEIVE)
@deed(then="/stocktakes/{done}", again=_list)
def start_take(ask: Ask, form: Form) -> int:
    return stocktakes.start_take(form.text("place"), ask.person, ask.now)


@addresses.post("/stocktakes/{number}/count", may=Deed.RECEIVE)
@deed(then="/stocktakes/{number}", again=_page)
def count_part(ask: Ask, number: str, form: Form) -> None:
    stocktakes.count_part(read_id(number), form.text("barcode"), form.text("counted"), ask.person, ask.now)


@addresses.post("/stocktakes/{number}/finish", may=Deed.RECEIVE)
@deed(then="/stocktakes/{number}?lost={done}", again=_page)
def finish_take(ask: Ask, number: str) -> str:
    return ",".join(stocktakes.finish_take(read_id(number), ask.person, ask.now))


@addresses.post("/stocktakes/{number}/leave", may=Deed.RECEIVE)
@deed(then="/stocktakes", again=_list)
def leave_take(ask: Ask, number: str) -> None:
    stocktakes.leave_take(read_id(number), ask.person, ask.now)
