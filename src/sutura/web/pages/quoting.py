"""The Book: what finished jobs left, offer prices and the shop's rates; for managers."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.errors import NotFound, Refusal
from sutura.core.matching import WEIGHT_WORDS, weights_from, weights_kept
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, demand
from sutura.services import quoting as service
from sutura.store import matching as matching_store
from sutura.store import stock as stock_store
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()
RATES = (("bench_rate", "Bench hour"), ("markup", "Markup on parts, %"), ("tax", "Tax, %"))


@router.get("/book")
def book(ask: Ask) -> Response:
    return _page(ask, None)


def _page(ask: Asking, sent: Sent | None, refusal: Refusal | None = None, status: int = 200) -> Response:
    shop = service.shop()
    rates = {
        "bench_rate": amount_text(shop.bench_rate_minor),
        "markup": amount_text(shop.markup_bps),
        "tax": amount_text(shop.tax_bps),
    }
    entered = Entered({**Entered.of(rates).fields, **(sent.entered().fields if sent else {})})
    kept = weights_kept(weights_from(shop.weights, shop.bench_rate_minor))
    return render(
        ask, "quoting/book.html", room="Book", status=status, refusal=refusal, book=service.book_page(ask.person),
        shop=shop, prices=stock_store.price_page(), entered=entered, rates=RATES, weight_words=WEIGHT_WORDS,
        weights={name: entered.text(f"weight.{name}") or amount_text(minor) for name, minor in kept.items()},
    )  # fmt: skip


@router.post("/book/rates")
def change_rates(ask: Ask, form: Form) -> Response:
    return deed(
        ask, form,
        lambda: service.change_rates(
            {name: form.text(name) for name, _ in RATES}, form.number("version"), ask.person, ask.now
        ),
        then="/book", again=lambda refusal, status: _page(ask, form, refusal, status),
    )  # fmt: skip


@router.post("/book/weights")
def change_weights(ask: Ask, form: Form) -> Response:
    return deed(
        ask, form, lambda: service.change_weights(form.group("weight"), form.number("version"), ask.person, ask.now),
        then="/book#weights", again=lambda refusal, status: _page(ask, form, refusal, status),
    )  # fmt: skip


@router.get("/book/prices/{offer_id}")
def price_page(ask: Ask, offer_id: int) -> Response:
    return _price(ask, offer_id, None)


def _price(
    ask: Asking, offer_id: int, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    demand(ask.person, Deed.SET_PRICE)
    offer = stock_store.load_price(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    entered = sent.entered() if sent else Entered.of({"price": amount_text(offer.price_minor)})
    return render(
        ask, "quoting/price.html", room="Book", status=status, refusal=refusal, offer=offer, entered=entered, history=matching_store.price_history(offer_id),
        currency=service.shop().currency,
    )  # fmt: skip


@router.post("/book/prices/{offer_id}")
def change_price(ask: Ask, offer_id: int, form: Form) -> Response:
    return deed(
        ask, form,
        lambda: service.change_offer_price(offer_id, form.text("price"), form.number("version"), ask.person, ask.now),
        then="/book", again=lambda refusal, status: _price(ask, offer_id, form, refusal, status),
    )  # fmt: skip
