"""Old screens: kept, handed back, recycled, sold."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.core.typed import read_id
from sutura.services import cores
from sutura.services.shop import shop
from sutura.store import cores as store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()
MOST = 200


@addresses.get("/cores", may=Deed.RECEIVE)
def cores_list(ask: Ask, place: str = "") -> Response:
    return _page(ask, place=place)


def _page(ask: Asking, shown: Shown = ANEW, place: str = "") -> Response:
    sold, brought_minor = store.brought()
    return render(
        ask,
        "stock/cores.html",
        room="Shelf",
        shown=shown,
        currency=shop().currency,
        kept=store.kept(place[:40], limit=MOST),
        count=store.count_kept(),
        place=place[:40],
        ended=store.ended(),
        sold=sold,
        brought_minor=brought_minor,
        sent_form=shown.entered.text("core"),
    )


@addresses.post("/cores/{number}/place", may=Deed.RECEIVE)
@deed(then="/cores", again=_page)
def place_core(ask: Ask, number: str, form: Form) -> None:
    cores.place_core(read_id(number), form.text("place"), form.number("version"), ask.person)


@addresses.post("/cores/{number}/end", may=Deed.RECEIVE)
@deed(then="/cores", again=_page)
def end_core(ask: Ask, number: str, form: Form) -> None:
    typed = {name: form.text(name) for name in ("to", "buyer", "amount")}
    cores.end_core(read_id(number), typed, form.number("version"), ask.person, ask.now)
