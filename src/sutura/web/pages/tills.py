"""The till: its day, its count, its table."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.errors import NotFound
from sutura.core.maths.money import Money, amount_text, digits_of
from sutura.core.people import Deed
from sutura.formats.tills import till_csv
from sutura.services import tills
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Sent, Shown

addresses = Addresses()


@addresses.get("/till", may=Deed.TAKE_IN)
def till_page(ask: Ask) -> Response:
    return _page(ask)


@addresses.get("/till/{till_id}", may=Deed.TAKE_IN)
def till_day(ask: Ask, till_id: int) -> Response:
    return _page(ask, till_id)


def _page(ask: Asking, till_id: int = 0, shown: Shown = ANEW) -> Response:
    page = tills.till_page(till_id, ask.person, ask.now)
    currency = page.expected.currency
    return render(
        ask,
        "handover/till.html",
        room="Counter",
        shown=shown,
        page=page,
        till=page.till,
        earlier=bool(till_id and page.till and page.till.closed_at),
        digits=digits_of(currency),
        expected_text=amount_text(page.expected.minor, currency),
        known=[(one, amount_text(one.minor, currency)) for one in page.known],
        counted=[
            (Money(minor=worth, currency=currency), count)
            for worth, count in (page.till.pieces_counted if page.till else ())
        ],
        rows=[(row, Money(minor=row.signed_minor, currency=currency)) for row in page.rows],
    )


@addresses.post("/till/open", may=Deed.TAKE_IN)
@deed(then="/till", again=_page)
def open_till(ask: Ask, form: Form) -> None:
    tills.open_till(_typed(form, "float"), ask.person, ask.now)


@addresses.post("/till/{till_id}/close", may=Deed.TAKE_IN)
@deed(then="/till/{till_id}", again=_page)
def close_till(ask: Ask, till_id: int, form: Form) -> None:
    tills.close_till(till_id, _typed(form, "counted", "left", "note"), ask.person, ask.now)


def _typed(form: Sent, *names: str) -> dict[str, str]:
    """The fields of a count: each coin and note, and some beside them."""
    pieces = {f"piece.{worth}": text for worth, text in form.entered.group("piece").items()}
    return {**pieces, **{name: form.text(name) for name in names}}


@addresses.get("/till/{till_id}/rows.csv", may=Deed.TAKE_IN)
def till_table(ask: Ask, till_id: int) -> Response:
    page = tills.till_page(till_id, ask.person, ask.now)
    if page.till is None:
        raise NotFound("till", str(till_id))
    table = till_csv(page.till.float_minor, page.rows, page.till.currency, ask.zone, ask.speech.say)
    headers = {"content-disposition": f'attachment; filename="till-{till_id}.csv"'}
    return Response(table, media_type="text/csv; charset=utf-8", headers=headers)
