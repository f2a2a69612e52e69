"""Next, Plan and giving a job to a technician."""

from __future__ import annotations

from datetime import timedelta

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.services import planning
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.rail import RailStop, draw_rail
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/", may=Anyone.SIGNED_IN)
def next_page(ask: Ask, mine: str = "", page: int = 1) -> Response:
    now = ask.now.astimezone(ask.zone)
    begins = now.replace(hour=0, minute=0, second=0, microsecond=0)
    coming = planning.next_page(
        ask.now,
        today=(begins, begins + timedelta(days=1)),
        only_for=ask.person.id if mine else None,
        page=page,
    )
    stops = [
        RailStop(code=promise.code, at=promise.at.astimezone(ask.zone), late=promise.late)
        for promise in coming.promises
    ]
    return render(
        ask, "planning/next.html", room="Next", mine=bool(mine), coming=coming, rail=draw_rail(now, stops)
    )


@addresses.get("/plan", may=Anyone.SIGNED_IN)
def plan_page(ask: Ask) -> Response:
    return render(ask, "planning/plan.html", room="Plan", plan=planning.plan_page(ask.now))


@addresses.get("/jobs/{code}/assign", may=Deed.ASSIGN)
def assign_page(ask: Ask, code: str) -> Response:
    return _assign(ask, code)


def _assign(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = planning.assign_page(code)
    return render(ask, "planning/assign.html", room="Plan", shown=shown, page=page, job=page.job)


@addresses.post("/jobs/{code}/assign", may=Deed.ASSIGN)
@deed(then="/jobs/{code}", again=_assign)
def assign(ask: Ask, code: str, form: Form) -> None:
    seen = form.number("seen") if form.text("seen") else None
    planning.assign(code, form.number("technician"), ask.person, ask.now, seen=seen)
