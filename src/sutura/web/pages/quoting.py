"""The Book: what finished jobs left, offer prices and the shop's rates; for managers."""

from __future__ import annotations

import secrets
from dataclasses import replace
from typing import Any

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from sutura.core.catalogue.unlisted import DEVICE_CLASSES
from sutura.core.errors import NotAllowed, NotFound, Refusal
from sutura.core.handover.ledger import Method
from sutura.core.handover.telling import NOT_SENT
from sutura.core.intake.upgrades import upgrade_of
from sutura.core.job import Move, Stage, starts_of
from sutura.core.matching.offers import GRADES
from sutura.core.matching.ranking import WEIGHT_WORDS, weights_from, weights_kept
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, may
from sutura.core.quoting.answers import NONE, QuoteState
from sutura.core.quoting.policy import MOST_BANDS, Ending, policy_texts, read_policy
from sutura.core.quoting.pricing import RATE_FIELDS, rate_texts
from sutura.core.quoting.routes import Standing, in_view
from sutura.core.typed import Entered
from sutura.core.values import Role
from sutura.formats.margins import MarginRow, margins_csv
from sutura.services import answers, handover, messages, quoting, routes
from sutura.services import quoting as service
from sutura.services import shop as shop_service
from sutura.services.job import progress_of
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.code import draw_qr
from sutura.web.drawings.price import draw_price
from sutura.web.errors import status_of
from sutura.web.limits import TooOften, guessing
from sutura.web.present import render, render_plain
from sutura.web.session import ANEW, PRE_COOKIE, Ask, Asking, Form, Shown, SignInForm, settings_of

addresses = Addresses()


@addresses.get("/jobs/{code}/routes", may=Anyone.SIGNED_IN)
def routes_page(ask: Ask, code: str) -> Response:
    """The ways to repair it, beside each other."""
    return _routes(ask, code)


def _routes(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = routes.routes_page(code, ask.now)
    quotes = [(quote, quote.state_at(ask.now)) for quote in answers.quotes_of(code)]
    job = page.job
    assert job, "asked for with a job"
    deposit = routes.deposit_open(job)
    return render(
        ask,
        "quoting/routes.html",
        room="Match",
        shown=shown,
        page=page,
        job=job,
        model=page.model,
        upgrade=upgrade_of(page.model, job.arrival.how),
        quotes=quotes,
        open_quote=next((quote for quote, state in quotes if state is QuoteState.OPEN), None),
        none_of_them=NONE,
        can_be_quoted=any(not one.weighed.way.why_not for one in page.ways),
        deposit=deposit,
        deposit_text=amount_text(deposit.minor, job.currency),
        methods=[method.value for method in Method],
        declinable=job.stage in starts_of(Move.DECLINE) and not progress_of(job, page.model).is_open,
        askable=job.stage in answers.ASKABLE and job.chosen.price_minor is not None,
        **ways_shown(page),
    )


def ways_shown(page: routes.RoutesPage) -> dict[str, Any]:
    """The ways that are compared, and the others with what says why."""
    view = in_view([one.weighed for one in page.ways])
    return {
        "in_view": [one for one in page.ways if one.weighed.way.key in view.keys],
        "too_dear": view.too_dear,
        "folded": [one for one in page.ways if one.weighed.way.key not in view.keys],
        "standing": Standing,
        "draw_price": draw_price,
        "rush_of": lambda one: routes.rush_price(one, page),
        "steps_of": lambda one: routes.steps_of(one, page),
    }


@addresses.post("/jobs/{code}/routes", may=Deed.QUOTE)
@deed(then="/jobs/{code}{done}", again=_routes)
def choose_way(ask: Ask, code: str, form: Form) -> str:
    """One of the ways: its best part is chosen and held in the same press."""
    agreed, rush = (form.text(name) == "yes" for name in ("agreed", "rush"))
    routes.choose_way(code, form.text("way"), ask.person, ask.now, agreed=agreed, rush=rush)
    job = job_store.load_job(code)
    if job.stage is not Stage.PART_IN_HAND:
        return "/match"
    return "/assign" if not job.bench.technician and may(ask.person, Deed.ASSIGN) else ""


@addresses.post("/jobs/{code}/quote", may=Deed.QUOTE)
def offer_ways(ask: Ask, code: str, form: Form) -> Response:
    """A quote of up to three ways, for the customer to answer by its link. It is no deed whose answer is kept
    for a second sending: the secret of the link would be kept with it. Sent twice, the later one holds.
    """
    try:
        token = answers.offer_ways(code, form.texts("ways"), ask.person, ask.now)
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _routes(ask, code, Shown(refusal=refusal, status=status_of(refusal), sent=form))
    return RedirectResponse(f"/jobs/{code}/quote/{token}", status_code=303)


@addresses.post("/jobs/{code}/found", may=Deed.QUOTE)
def ask_found(ask: Ask, code: str, form: Form) -> Response:
    """A question about what was found during the work; its link is shown once, as that of a quote."""
    try:
        token = answers.ask_found(code, form.text("found"), form.text("extra"), ask.person, ask.now)
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _routes(ask, code, Shown(refusal=refusal, status=status_of(refusal), sent=form))
    return RedirectResponse(f"/jobs/{code}/quote/{token}", status_code=303)


@addresses.post("/jobs/{code}/answer", may=Deed.QUOTE)
@deed(then="/jobs/{code}", again=_routes)
def answer_at_counter(ask: Ask, code: str, form: Form) -> None:
    """What the customer says at the counter or on the telephone."""
    agreed = form.text("agreed") == "yes"
    answers.answer_at_counter(
        code, form.number("quote"), form.text("way"), ask.person, ask.now, agreed=agreed
    )


def _charge_deposit(ask: Ask, code: str, form: Form) -> None:
    """A deposit by card is charged before it is booked."""
    reference = form.text("form_key")[:40]
    handover.charge_deposit(code, form.text("deposit"), form.text("method"), reference, ask.person, ask.now)


@addresses.post("/jobs/{code}/deposit", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}", again=_routes, before=_charge_deposit)
def take_deposit(ask: Ask, code: str, form: Form) -> None:
    handover.keep_deposit(code, form.text("deposit"), form.text("method"), ask.person, ask.now)


@addresses.get("/jobs/{code}/quote/{token}", may=Deed.QUOTE)
def quote_made(ask: Ask, code: str, token: str) -> Response:
    """The link of a quote, to be sent: it is seen only where it was made."""
    return _made(ask, code, token)


def _link(ask: Asking, token: str) -> str:
    """The whole address under which the customer sees a quote."""
    return f"{ask.address}/q/{token}"


def _made(ask: Asking, code: str, token: str, shown: Shown = ANEW) -> Response:
    quote = answers.by_link(token)
    if quote.code != code:
        raise NotFound("quote", "…")
    address = _link(ask, token)
    return render(
        ask,
        "quoting/made.html",
        room="Match",
        shown=shown,
        quote=quote,
        address=address,
        code_drawn=draw_qr(address),
        here=f"/jobs/{code}/quote/{token}",
        told=messages.quote_told(quote.job_id, quote.version),
        not_sent=NOT_SENT,
    )


@addresses.post("/jobs/{code}/quote/{token}/send", may=Deed.QUOTE)
def send_quote(ask: Ask, code: str, token: str, form: Form) -> Response:
    """Its link goes to the customer by message; sent twice, it goes once."""
    try:
        answers.send_link(code, token, _link(ask, token), ask.person, ask.now)
    except (NotAllowed, NotFound):
        raise
    except Refusal as refusal:
        return _made(ask, code, token, Shown(refusal=refusal, status=status_of(refusal), sent=form))
    return RedirectResponse(f"/jobs/{code}/quote/{token}", status_code=303)


def _customer_page(
    request: Request, token: str, refusal: Refusal | None = None, status: int = 200
) -> Response:
    quote = answers.by_link(token)
    key = request.cookies.get(PRE_COOKIE) or secrets.token_urlsafe(16)
    now = settings_of(request).clock()
    state = quote.state_at(now)
    answered = quote.way(quote.answer)
    page = render_plain(
        request,
        "quoting/customer.html",
        status=status,
        refusal=refusal,
        speech=shop_service.speech_for(quote.job_id, replace(shop_service.speech(), paper=True)),
        shop_name=shop_service.shop().name,
        quote=quote,
        state=state,
        states=QuoteState,
        answered=answered,
        current=answers.current(quote.code, quote.ways, now)
        if state is QuoteState.OPEN and not quote.found
        else {},
        changed=answers.changed_since(quote) if state is QuoteState.OPEN else (),
        link=token,
        token=key,
        none=NONE,
    )
    page.set_cookie(
        PRE_COOKIE,
        key,
        max_age=3600,
        httponly=True,
        samesite="lax",
        secure=settings_of(request).secure_cookies or request.url.scheme == "https",
    )
    # nothing of it is kept by a machine in between, and its link goes nowhere else
    page.headers["cache-control"] = "no-store"
    page.headers["referrer-policy"] = "no-referrer"
    return page


@addresses.get("/q/{token}", may=Anyone.PUBLIC)
def customer_page(request: Request, token: str) -> Response:
    """A quote as the customer sees it, by its link alone."""
    with guessing(request):
        return _customer_page(request, token)


@addresses.post("/q/{token}", may=Anyone.PUBLIC)
def customer_answers(request: Request, token: str, form: SignInForm) -> Response:
    now = settings_of(request).clock()
    try:
        with guessing(request):
            answers.answer_by_link(token, form.text("way"), now, agreed=form.text("agreed") == "yes")
    except (NotFound, TooOften):
        raise
    except Refusal as refusal:
        return _customer_page(request, token, refusal, status_of(refusal))
    return RedirectResponse(f"/q/{token}", status_code=303)


@addresses.get("/book", may=Deed.SEE_COST)
def book(ask: Ask) -> Response:
    return _page(ask)


@addresses.get("/book.csv", may=Deed.SEE_COST)
def book_table(ask: Ask) -> Response:
    """Every finished job with what it left, as a table."""
    rows = [
        MarginRow(
            code=line.earned.code,
            device=line.earned.model,
            technician=line.earned.technician,
            at=line.earned.finished_at.astimezone(ask.zone),
            margin=line.margin,
        )
        for line in quoting.book_lines(ask.person)
        if line.earned.finished_at
    ]
    headers = {"content-disposition": 'attachment; filename="book.csv"'}
    return Response(margins_csv(rows), media_type="text/csv; charset=utf-8", headers=headers)


def _page(ask: Asking, shown: Shown = ANEW) -> Response:
    shop = shop_service.shop()
    rates = rate_texts(shop.rates)
    entered = shown.over(rates)
    kept = weights_kept(weights_from(shop.weights, shop.bench_rate_minor))
    return render(
        ask,
        "quoting/book.html",
        room="Book",
        shown=shown,
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


@addresses.get("/book/policy", may=Deed.SET_PRICE)
def policy_page(ask: Ask) -> Response:
    return _policy(ask)


def _policy(ask: Asking, shown: Shown = ANEW) -> Response:
    """How prices are made; what is entered is tried on the jobs quoted last before it is kept."""
    shop = shop_service.shop()
    policy = shop.rates.policy
    entered = shown.over(policy_texts(policy, DEVICE_CLASSES))
    tried = policy
    if shown.refusal is None and shown.entered.fields:
        tried = read_policy(_typed(shown.entered), policy, DEVICE_CLASSES)
    return render(
        ask,
        "quoting/policy.html",
        room="Book",
        shown=shown,
        shop=shop,
        entered=entered,
        tried=tried,
        previews=service.preview(tried, ask.person),
        bands=range(MOST_BANDS),
        endings=list(Ending),
        roles=list(Role),
        classes=DEVICE_CLASSES,
        grades=GRADES,
        draw_price=draw_price,
    )


def _typed(sent: Entered) -> dict[str, str]:
    return {name: sent.text(name) for name in sent.fields}


@addresses.post("/book/policy/try", may=Deed.SET_PRICE)
def try_policy(ask: Ask, form: Form) -> Response:
    """What a policy would make of the jobs quoted last; nothing is kept."""
    try:
        read_policy(_typed(form.entered), shop_service.shop().rates.policy, DEVICE_CLASSES)
    except Refusal as refusal:
        return _policy(ask, Shown(refusal=refusal, status=status_of(refusal), sent=form))
    return _policy(ask, Shown(sent=form))


@addresses.post("/book/policy", may=Deed.SET_PRICE)
@deed(then="/book/policy", again=_policy)
def change_policy(ask: Ask, form: Form) -> None:
    shop_service.change_policy(_typed(form.entered), form.number("version"), ask.person, ask.now)


@addresses.post("/book/rates", may=Deed.SET_PRICE)
@deed(then="/book", again=_page)
def change_rates(ask: Ask, form: Form) -> None:
    shop_service.change_rates(
        {name: form.text(name) for name in RATE_FIELDS}, form.number("version"), ask.person, ask.now
    )


@addresses.post("/book/weights", may=Deed.SET_PRICE)
@deed(then="/book#weights", again=_page)
def change_weights(ask: Ask, form: Form) -> None:
    shop_service.change_weights(form.entered.group("weight"), form.number("version"), ask.person, ask.now)


@addresses.get("/book/prices/{offer_id}", may=Deed.SET_PRICE)
def price_page(ask: Ask, offer_id: int) -> Response:
    return _price(ask, offer_id)


def _price(ask: Asking, offer_id: int, shown: Shown = ANEW) -> Response:
    offer = offers_store.load_price(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    kept = {"price": amount_text(offer.price_minor, shop_service.shop().currency)}
    return render(
        ask,
        "quoting/price.html",
        room="Book",
        shown=shown,
        offer=offer,
        entered=shown.over(kept),
        history=offers_store.price_history(offer_id),
        currency=shop_service.shop().currency,
    )


@addresses.post("/book/prices/{offer_id}", may=Deed.SET_PRICE)
@deed(then="/book", again=_price)
def change_price(ask: Ask, offer_id: int, form: Form) -> None:
    service.change_offer_price(offer_id, form.text("price"), form.number("version"), ask.person, ask.now)
