"""What comes back: taken in again, held against the proof of then, its cause and who pays; the terms."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.handover.comebacks import Cause, Payer, Seal, standing_says
from sutura.core.handover.warranties import terms_texts
from sutura.core.matching.offers import GRADES
from sutura.core.people import Deed, may
from sutura.services import comebacks
from sutura.services import job as job_service
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.pages.job import job_again
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.post("/jobs/{code}/comeback", may=Deed.TAKE_IN)
@deed(then="/counter/{done}", again=job_again)
def open_comeback(ask: Ask, code: str) -> str:
    """Take in what came back, with what is known of it."""
    return comebacks.open_comeback(code, ask.person, ask.now)


@addresses.get("/jobs/{code}/comeback", may=Anyone.SIGNED_IN)
def comeback_page(ask: Ask, code: str) -> Response:
    return _page(ask, code)


def _page(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    seal = shown.entered.text("seal") or ask.request.query_params.get("seal", "")
    page = comebacks.comeback_page(code, seal)
    whole = job_service.job_page(code, ask.now)
    decided = page.decided[-1] if page.decided else None
    return render(
        ask,
        "handover/comeback.html",
        room="Counter",
        shown=shown,
        page=page,
        whole=whole,
        job=page.job,
        decided=decided,
        seals=[(one.value, one) for one in Seal],
        causes=[(cause, page.follows[cause]) for cause in Cause],
        chosen=shown.entered.text("cause") or (decided.cause if decided else page.suggested).value,
        says=standing_says(page.standing),
        may_decide=may(ask.person, Deed.QUOTE),
    )


@addresses.post("/jobs/{code}/comeback/cause", may=Deed.QUOTE)
@deed(then="/jobs/{code}/comeback", again=_page)
def decide(ask: Ask, code: str, form: Form) -> None:
    comebacks.decide(code, form.text("cause"), form.text("seal"), form.text("reason"), ask.person, ask.now)


@addresses.get("/comebacks", may=Deed.SEE_COST)
def book_page(ask: Ask) -> Response:
    """What came back in the last year, and what it cost."""
    return _book(ask)


def _book(ask: Asking, shown: Shown = ANEW) -> Response:
    kept = terms_texts(comebacks.terms_at(ask.now))
    return render(
        ask,
        "handover/comebacks.html",
        room="Book",
        shown=shown,
        entered=shown.over(kept),
        book=comebacks.book_page(ask.person, ask.now),
        grades=GRADES,
        versions=comebacks.terms_page(),
        causes={cause.value: cause for cause in Cause},
        payers={payer.value: payer for payer in Payer},
        may_set_up=may(ask.person, Deed.SET_UP_COUNTER),
    )


@addresses.post("/comebacks/terms", may=Deed.SET_UP_COUNTER)
@deed(then="/comebacks#terms", again=_book)
def change_terms(ask: Ask, form: Form) -> None:
    names = ("work_days", "voids", *(f"grade.{grade}" for grade in GRADES))
    typed = {name: form.text(name) for name in names}
    comebacks.change_terms(typed, form.number("version"), ask.person, ask.now)
