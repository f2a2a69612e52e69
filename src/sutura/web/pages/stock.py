"""The Shelf: what is there, promised and free; the ledger of one part; receiving and counting."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.errors import Refusal
from sutura.core.matching.attributes import MEASURABLE
from sutura.services import matching, stock
from sutura.store import stock as store
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()


@router.get("/shelf")
def shelf(ask: Ask) -> Response:
    parts = store.shelf_page()
    return render(
        ask, "stock/shelf.html", room="Shelf", parts=parts, out=[part for part in parts if part.free < 1]
    )


@router.get("/shelf/{barcode}")
def part_page(ask: Ask, barcode: str) -> Response:
    return _page(ask, barcode, None)


def _page(
    ask: Asking, barcode: str, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    part = store.load_part(barcode)
    return render(
        ask,
        "stock/part.html",
        room="Shelf",
        status=status,
        refusal=refusal,
        part=part,
        ledger=store.ledger_page(part.id),
        holders=store.holders_of(part.id),
        entered=sent.entered() if sent else Entered(),
        known=matching.known_of_part(barcode),
        measurable=MEASURABLE,
    )


@router.post("/shelf/{barcode}/measure")
def measure(ask: Ask, barcode: str, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: matching.measure_on_the_shelf(barcode, form.group("measured"), ask.person, ask.now),
        then=f"/shelf/{barcode}#known",
        again=lambda refusal, status: _page(ask, barcode, form, refusal, status),
    )


@router.post("/shelf/{barcode}/receive")
def receive(ask: Ask, barcode: str, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: stock.receive(
            barcode,
            form.text("quantity"),
            form.text("unit_cost"),
            form.text("receipt_note"),
            ask.person,
            ask.now,
        ),
        then=f"/shelf/{barcode}",
        again=lambda refusal, status: _page(ask, barcode, form, refusal, status),
    )


@router.post("/shelf/{barcode}/count")
def count(ask: Ask, barcode: str, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: stock.correct_count(barcode, form.text("counted"), form.text("note"), ask.person, ask.now),
        then=f"/shelf/{barcode}",
        again=lambda refusal, status: _page(ask, barcode, form, refusal, status),
    )
