"""One piece of a dear part: what it is, what was seen of it, its label, and where it lies."""

from __future__ import annotations

from urllib.parse import urlencode

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.core.stock.pieces import Seen
from sutura.core.typed import read_id
from sutura.formats.photo import MOST_BYTES
from sutura.services import pieces
from sutura.services.shop import shop
from sutura.store import pieces as store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/pieces/{label}", may=Anyone.SIGNED_IN)
def piece_page(ask: Ask, label: str, printed: str = "", stopped: str = "") -> Response:
    return _page(ask, label, printed=printed, stopped=stopped)


def _page(ask: Asking, label: str, shown: Shown = ANEW, printed: str = "", stopped: str = "") -> Response:
    page = pieces.piece_page(label, ask.now)
    return render(
        ask,
        "stock/piece.html",
        room="Shelf",
        shown=shown,
        page=page,
        piece=page.piece,
        answers=(Seen.RIGHT, Seen.WRONG, Seen.UNKNOWN),
        sent_back=pieces.SENT_BACK,
        currency=shop().currency,
        printed=printed[:6],
        stopped=pieces.why_stopped(stopped),
    )


@addresses.get("/pieces/{label}/label.svg", may=Anyone.SIGNED_IN)
def label_svg(ask: Ask, label: str) -> Response:  # noqa: ARG001 - who asks is asked by the address
    return Response(pieces.label_drawn(label), media_type="image/svg+xml")


@addresses.get("/pieces/{label}/label.pdf", may=Anyone.SIGNED_IN)
def label_pdf(ask: Ask, label: str) -> Response:  # noqa: ARG001 - who asks is asked by the address
    return Response(pieces.labels_paper([label]), media_type="application/pdf")


@addresses.post("/pieces/{label}/look", may=Deed.RECEIVE)
@deed(then="/pieces/{label}", again=_page)
def look_at(ask: Ask, label: str, form: Form) -> None:
    typed = {
        **form.entered.group("seen"),
        **{name: form.text(name) for name in ("then", "note", "grade", "all")},
    }
    photo = form.file("photo", MOST_BYTES + 1)
    pieces.look_at(label, typed, form.number("version"), ask.person, ask.now, photo)


@addresses.post("/pieces/{label}/film", may=Deed.RESERVE)
@deed(then="/pieces/{label}", again=_page)
def take_film_off(ask: Ask, label: str, form: Form) -> None:
    pieces.take_film_off(label, bool(form.text("sure")), form.number("version"), ask.person, ask.now)


@addresses.post("/pieces/{label}/move", may=Deed.RESERVE)
@deed(then="/pieces/{label}", again=_page)
def move_piece(ask: Ask, label: str, form: Form) -> None:
    pieces.move_piece(label, form.text("place"), form.number("version"), ask.person, ask.now)


@addresses.post("/pieces/{label}/print", may=Deed.RECEIVE)
@deed(then="/pieces/{label}?{done}", again=_page, outside=True)
def print_label(ask: Ask, label: str) -> str:
    printed = pieces.print_labels([label], ask.person, ask.now)
    return urlencode({"printed": printed.count, "stopped": printed.stopped.value})


@addresses.get("/orders/{number}/labels.pdf", may=Deed.RECEIVE)
def order_labels(ask: Ask, number: str) -> Response:  # noqa: ARG001 - who asks is asked by the address
    labels = [piece.label for piece in store.without_label(read_id(number))]
    return Response(pieces.labels_paper(labels), media_type="application/pdf")
