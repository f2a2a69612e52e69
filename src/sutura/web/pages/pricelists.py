"""Price lists of suppliers: sent, mapped, checked with every bad row, read in the background, written
again.
"""

from __future__ import annotations

from collections.abc import Iterator

from fastapi.responses import JSONResponse, Response, StreamingResponse

from sutura.core.matching.listing import GRADE_WORD, SAME_FOR_ALL
from sutura.core.matching.offers import GRADES
from sutura.core.people import Deed
from sutura.formats.pricelists import write_price_file
from sutura.services import pricelists as service
from sutura.store import pricelists as store
from sutura.store import suppliers as suppliers_store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Sent, Shown

addresses = Addresses()
SHOWN_BAD = 50
# how a state is said on the page
STATE_WORDS = {
    "sent": "being looked at",
    "new": "its columns are to be named",
    "checking": "being checked",
    "checked": "ready to be read",
    "reading": "being read",
    "read": "read",
    "failed": "broke off",
}


@addresses.get("/shelf/lists", may=Deed.SET_PRICE)
def lists(ask: Ask) -> Response:
    return _lists(ask)


def _lists(ask: Asking, shown: Shown = ANEW) -> Response:
    return render(
        ask,
        "pricelists/lists.html",
        room="Shelf",
        shown=shown,
        suppliers=suppliers_store.suppliers_page(),
        lists=store.lists_page(),
        states=STATE_WORDS,
    )


@addresses.post("/shelf/lists", may=Deed.SET_PRICE)
@deed(then="/shelf/lists/{done}", again=_lists)
def send_list(ask: Ask, form: Form) -> int:
    return service.look_at_list(
        form.text("supplier"),
        form.text("new_supplier"),
        form.file_name("file"),
        form.stream("file"),
        ask.person,
        ask.now,
    )


@addresses.get("/shelf/lists/{list_id}", may=Deed.SET_PRICE)
def price_list(ask: Ask, list_id: int) -> Response:
    return _page(ask, list_id)


def _page(ask: Asking, list_id: int, shown: Shown = ANEW) -> Response:
    page = service.list_page(list_id, ask.person)
    mapping = _mapping(shown.sent) if shown.sent else {}
    mapping = mapping or dict(page.found.mapping)
    return render(
        ask,
        "pricelists/list.html",
        room="Shelf",
        shown=shown,
        page=page,
        found=page.found,
        mapping=mapping,
        shown_bad=SHOWN_BAD,
        grades=GRADES,
        grade_word=GRADE_WORD,
        constants={
            name: heading[1:] for name, heading in mapping.items() if heading.startswith(SAME_FOR_ALL)
        },
        states=STATE_WORDS,
    )


@addresses.get("/shelf/lists/{list_id}/progress", may=Deed.SET_PRICE)
def progress(ask: Ask, list_id: int) -> Response:
    state, done, total, begun = service.progress(list_id, ask.person)
    says = f"{done:,} of {total:,} rows" if total else "Its rows are being counted"
    # while rows are counted nothing moves on
    at_it = total == 0 and begun > 0
    return JSONResponse({"state": state, "done": done, "total": total, "says": says, "at_it": at_it})


def _mapping(form: Sent) -> dict[str, str]:
    """Which column is what, as chosen; what was written as the same for every row counts before a column."""
    columns = {
        name: heading
        for name, heading in form.entered.group("map").items()
        if not heading.startswith(SAME_FOR_ALL)
    }
    return columns | {
        name: SAME_FOR_ALL + text.strip() for name, text in form.entered.group("same").items() if text.strip()
    }


@addresses.post("/shelf/lists/{list_id}/columns", may=Deed.SET_PRICE)
@deed(then="/shelf/lists/{list_id}", again=_page)
def map_columns(ask: Ask, list_id: int, form: Form) -> None:
    chosen = _mapping(form)
    service.map_columns(list_id, chosen, ask.person)


@addresses.post("/shelf/lists/{list_id}/words", may=Deed.SET_PRICE)
@deed(then="/shelf/lists/{list_id}", again=_page)
def name_kinds(ask: Ask, list_id: int, form: Form) -> None:
    service.name_kinds(list_id, form.entered.group("word"), ask.person)


@addresses.post("/shelf/lists/{list_id}/read", may=Deed.SET_PRICE)
@deed(then="/shelf/lists/{list_id}", again=_page)
def read_list(ask: Ask, list_id: int) -> None:
    service.read_good_rows(list_id, ask.person, ask.now)


@addresses.get("/shelf/lists/{list_id}/bad.csv", may=Deed.SET_PRICE)
def bad_rows(ask: Ask, list_id: int) -> Response:
    """The bad rows with their reasons, to send back to the supplier."""
    price_list = service.list_page(list_id, ask.person).found
    rows = (
        [str(bad_row["line"]), "; ".join(ask.speech.say(why) for why in bad_row["why"]), *bad_row["row"]]
        for bad_row in price_list.bad
    )
    return _csv(f"bad-rows-{list_id}.csv", write_price_file(["line", "why it cannot be read"], rows))


@addresses.get("/shelf/suppliers/{supplier_id}/list.csv", may=Deed.SEE_COST)
def write_list(ask: Ask, supplier_id: str) -> Response:
    return _csv(f"{supplier_id}.csv", service.write_list(supplier_id, ask.person))


def _csv(name: str, pieces: Iterator[str]) -> Response:
    return StreamingResponse(
        (piece.encode("utf-8") for piece in pieces),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": f'attachment; filename="{name}"'},
    )
