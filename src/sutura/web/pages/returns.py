"""What goes back to suppliers, until its money is there."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.core.typed import read_id
from sutura.services import reordering, returns
from sutura.services.shop import shop
from sutura.store import returns as returns_store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/returns", may=Deed.RECEIVE)
def returns_list(ask: Ask) -> Response:
    return _page(ask)


def _page(ask: Asking, shown: Shown = ANEW) -> Response:
    owed, owed_minor = returns_store.owed()
    return render(
        ask,
        "stock/returns.html",
        room="Shelf",
        currency=shop().currency,
        shown=shown,
        returns=returns_store.open_returns(),
        closed=returns_store.closed_returns(),
        owed=owed,
        owed_minor=owed_minor,
        today=reordering.today(ask.now),
        sent_form=shown.entered.text("return"),
    )


@addresses.post("/returns/{number}/send", may=Deed.RECEIVE)
@deed(then="/returns", again=_page)
def send_return(ask: Ask, number: str, form: Form) -> None:
    returns.send_return(read_id(number), form.text("parcel"), form.number("version"), ask.person)


@addresses.post("/returns/{number}/refund", may=Deed.ORDER)
@deed(then="/returns", again=_page)
def note_refund(ask: Ask, number: str, form: Form) -> None:
    returns.note_refund(read_id(number), form.text("refund"), form.number("version"), ask.person, ask.now)


@addresses.post("/returns/{number}/end", may=Deed.ORDER)
@deed(then="/returns", again=_page)
def end_return(ask: Ask, number: str, form: Form) -> None:
    returns.end_return(read_id(number), form.text("reason"), form.number("version"), ask.person, ask.now)
