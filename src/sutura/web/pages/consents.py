"""How the Counter is set up: when it is open, what customers agree to, its suction cups."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.intake.arrival import Applies
from sutura.core.intake.cups import cups_text
from sutura.core.people import Deed
from sutura.core.shop import WEEK_FIELDS, hours_texts
from sutura.services import consents as service
from sutura.services import shop as shop_service
from sutura.store import consents as store
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/consents", may=Deed.SET_UP_COUNTER)
def consents_page(ask: Ask) -> Response:
    return _consents(ask)


def _consents(ask: Asking, shown: Shown = ANEW) -> Response:
    shop = shop_service.shop()
    return render(
        ask,
        "intake/consents.html",
        room="Counter",
        shown=shown,
        texts=store.consent_texts(every=True),
        shop=shop,
        applies=list(Applies),
        cups=cups_text(shop.cups_mm),
        weekdays=ask.speech.weekdays,
        hours=hours_texts(shop.open_hours),
        always_open=not shop.open_hours.weekly,
    )


@addresses.post("/consents", may=Deed.SET_UP_COUNTER)
@deed(then="/consents", again=_consents)
def save_consent(ask: Ask, form: Form) -> None:
    service.save_consent(
        form.text("consent").strip(),
        form.text("text"),
        needed=form.text("needed") == "yes",
        active=form.text("active") == "yes",
        applies=form.text("applies") or Applies.ALWAYS,
        version=form.number("version"),
        by=ask.person,
        now=ask.now,
    )


@addresses.post("/consents/second-look", may=Deed.SET_UP_COUNTER)
@deed(then="/consents#second", again=_consents)
def change_second_look(ask: Ask, form: Form) -> None:
    service.change_second_look(form.text("second_look"), form.number("version"), ask.person, ask.now)


@addresses.post("/consents/room", may=Deed.SET_UP_COUNTER)
@deed(then="/consents#room", again=_consents)
def change_room(ask: Ask, form: Form) -> None:
    service.change_room(form.text("room"), form.number("version"), ask.person, ask.now)


@addresses.post("/consents/cups", may=Deed.SET_UP_COUNTER)
@deed(then="/consents#cups", again=_consents)
def change_cups(ask: Ask, form: Form) -> None:
    service.change_cups(form.text("cups"), form.number("version"), ask.person, ask.now)


@addresses.post("/consents/hours", may=Deed.SET_UP_COUNTER)
@deed(then="/consents#hours", again=_consents)
def change_hours(ask: Ask, form: Form) -> None:
    typed = {name: form.text(name) for name in WEEK_FIELDS}
    shop_service.change_hours(typed, form.number("version"), ask.person, ask.now)
