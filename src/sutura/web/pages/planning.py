"""Next, Plan and giving a job to a technician."""

from __future__ import annotations

from datetime import timedelta

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.people import Deed, demand
from sutura.services import planning
from sutura.store import job as job_store
from sutura.web.deeds import deed
from sutura.web.drawings.rail import RailStop, draw_rail
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

router = APIRouter()


@router.get("/")
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


@router.get("/plan")
def plan_page(ask: Ask) -> Response:
    return render(ask, "planning/plan.html", room="Plan", plan=planning.plan_page(ask.now))


@router.get("/jobs/{code}/assign")
def assign_page(ask: Ask, code: str) -> Response:
    return _assign(ask, code)


def _assign(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    demand(ask.person, Deed.ASSIGN)
    model, candidates = planning.candidates_for(code)
    return render(
        ask,
        "planning/assign.html",
        room="Plan",
        shown=shown,
        job=job_store.load_job(code),
        model=model,
        candidates=candidates,
    )


@router.post("/jobs/{code}/assign")
@deed(then="/jobs/{code}", again=_assign)
def assign(ask: Ask, code: str, form: Form) -> None:
    planning.assign(code, form.number("technician"), ask.person, ask.now)
