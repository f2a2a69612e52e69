"""What customers are told: pressed at a job, set up with a preview; and the status page behind the ticket."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from fastapi import Request
from fastapi.responses import Response

from sutura.core.errors import NotFound, Refusal
from sutura.core.handover.telling import NAMES, Told
from sutura.core.people import Deed
from sutura.services import messages
from sutura.services import shop as shop_service
from sutura.store import job as job_store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.limits import guessing
from sutura.web.pages.job import job_again
from sutura.web.present import render, render_plain
from sutura.web.session import ANEW, Ask, Asking, Form, Sent, Shown, settings_of
from sutura.words.speech import languages

addresses = Addresses()


@addresses.post("/jobs/{code}/tell", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}#told", again=job_again)
def tell(ask: Ask, code: str, form: Form) -> None:
    if form.text("told") == Told.DELAYED:
        promised, reason = form.text("told_promise"), form.text("reason")
        messages.tell_delay(code, promised, reason, ask.zone, ask.person, ask.now)
        return
    messages.tell(code, form.text("told"), form.text("question"), ask.person, ask.now)


@addresses.get("/messages", may=Deed.SET_UP_COUNTER)
def messages_page(ask: Ask, language: str = "") -> Response:
    return _page(ask, language=language)


def _typed(form: Sent) -> Mapping[str, str]:
    names = ["quiet_from", "quiet_to", "reminders", "storage_days"]
    names += [f"{part}.{told.value}" for told in Told for part in ("subject", "text")]
    return {name: form.text(name) for name in names}


def _page(ask: Asking, shown: Shown = ANEW, *, preview: bool = False, language: str = "") -> Response:
    """How customers are told in a language; each message as it reads for a real job."""
    shop = shop_service.shop()
    asked = shown.sent.text("language") if shown.sent else language
    language = asked if asked in languages() else shop_service.speech().language
    entered = shown.over(messages.texts_in(language))
    code = entered.text("for_job") or next(iter(job_store.newest_codes(1)), "")
    read, refusal = {}, shown.refusal
    if code:
        typed = _typed(shown.sent) if preview and shown.sent else {}
        try:
            read = dict(messages.preview(code, typed, language, ask.now))
        except NotFound:
            read = {}
        except Refusal as refused:
            refusal = refused
    return render(
        ask,
        "handover/messages.html",
        room="Counter",
        shown=replace(shown, refusal=refusal),
        entered=entered,
        shop=shop,
        kinds=list(Told),
        names=NAMES,
        language=language,
        languages=languages(),
        read=read,
        for_job=code,
        sent=messages.messages_page(ask.person),
        reached=messages.shop_address(),
    )


@addresses.post("/messages", may=Deed.SET_UP_COUNTER)
@deed(then="/messages{done}", again=_page)
def change_telling(ask: Ask, form: Form) -> str:
    language = form.text("language")
    messages.change_telling(_typed(form), language, form.number("version"), ask.person, ask.now)
    return f"?language={language}"


@addresses.post("/messages/try", may=Deed.SET_UP_COUNTER)
def try_telling(ask: Ask, form: Form) -> Response:
    """Each message as typed, for a real job; nothing is kept."""
    return _page(ask, Shown(sent=form), preview=True)


@addresses.get("/s/{link}", may=Anyone.PUBLIC)
def status_page(request: Request, link: str) -> Response:
    """How far a repair is, by the link behind the ticket's code: no name, and nothing to press."""
    now = settings_of(request).clock()
    with guessing(request):
        status = messages.status_page(link, now)
    page = render_plain(
        request,
        "handover/status.html",
        speech=messages.speech_of_link(link, replace(shop_service.speech(), paper=True)),
        repair=status,
        shop=shop_service.shop(),
    )
    page.headers["cache-control"] = "no-store"
    page.headers["referrer-policy"] = "no-referrer"
    page.headers["x-robots-tag"] = "noindex"
    return page
