"""The Book: what finished jobs left, offer prices and the shop's rates; for managers."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.errors import NotFound, Refusal
from sutura.core.matching.ranking import WEIGHT_WORDS, weights_from, weights_kept
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, demand
from sutura.core.quoting import RATE_FIELDS, rate_texts
from sutura.services import quoting as service
from sutura.services import shop as shop_service
from sutura.store import offers as offers_store
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()


@router.get("/book")
def book(ask: Ask) -> Response:
    return _page(ask, None)


def _page(ask: Asking, sent: Sent | None, refusal: Refusal | None = None, status: int = 200) -> Response:
    shop = shop_service.shop()
    rates = rate_texts(shop.rates)
    entered = Entered({**Entered.of(rates).fields, **(sent.entered().fields if sent else {})})
    kept = weights_kept(weights_from(shop.weights, shop.bench_rate_minor))
    return render(
        ask,
        "quoting/book.html",
        room="Book",
        status=status,
        refusal=refusal,
        book=service.book_page(ask.person),
        shop=shop,
        prices=offers_store.price_page(),
        entered=entered,
        rates=RATE_FIELDS,
        weight_words=WEIGHT_WORDS,
        weights={
            name: entered.text(f"weight.{name}") or amount_text(minor, shop.currency)
            for name, minor in kept.items()
        },
    )


@router.post("/book/rates")
def change_rates(ask: Ask, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: shop_service.change_rates(
            {name: form.text(name) for name in RATE_FIELDS}, form.number("version"), ask.person, ask.now
        ),
        then="/book",
        again=lambda refusal, status: _page(ask, form, refusal, status),
    )


@router.post("/book/weights")
def change_weights(ask: Ask, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: shop_service.change_weights(
            form.group("weight"), form.number("version"), ask.person, ask.now
        ),
        then="/book#weights",
        again=lambda refusal, status: _page(ask, form, refusal, status),
    )


@router.get("/book/prices/{offer_id}")
def price_page(ask: Ask, offer_id: int) -> Response:
    return _price(ask, offer_id, None)


def _price(
    ask: Asking, offer_id: int, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    demand(ask.person, Deed.SET_PRICE)
    offer = offers_store.load_price(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    entered = (
        sent.entered()
        if sent
        else Entered.of({"price": amount_text(offer.price_minor, shop_service.shop().currency)})
    )
    return render(
        ask,
        "quoting/price.html",
        room="Book",
        status=status,
        refusal=refusal,
        offer=offer,
        entered=entered,
        history=offers_store.price_history(offer_id),
        currency=shop_service.shop().currency,
    )


@router.post("/book/prices/{offer_id}")
def change_price(ask: Ask, offer_id: int, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.change_offer_price(
            offer_id, form.text("price"), form.number("version"), ask.person, ask.now
        ),
        then="/book",
        again=lambda refusal, status: _price(ask, offer_id, form, refusal, status),
    )
