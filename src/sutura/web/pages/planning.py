"""Next, Plan and giving a job to a technician."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.errors import Refusal
from sutura.core.people import Deed, demand
from sutura.services import planning
from sutura.services.planning import NextLine
from sutura.store import job as job_store
from sutura.web.drawings.rail import RailStop, draw_rail
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Form

router = APIRouter()
# A page of Next; the rest is one click away, so that 500 open jobs do not make one long page.
PAGE = 50


@router.get("/")
def next_page(ask: Ask, mine: str = "", page: int = 1) -> Response:
    every = planning.open_lines(ask.now)
    lines = [line for line in every if not mine or line.job.technician_id == ask.person.id]
    page = min(max(page, 1), -(-len(lines) // PAGE) or 1)
    # the first of all stands above the list
    shown = lines[max((page - 1) * PAGE, 1) : page * PAGE]
    return render(
        ask, "planning/next.html", room="Next", lines=lines, listed=shown, total=len(lines),
        open_jobs=len(every), mine=bool(mine), page=page, pages=-(-len(lines) // PAGE) or 1, rail=_rail(ask, lines),
        late=sum(line.next.slack_minutes < 0 for line in lines),
        held_up=sum(bool(line.job.waiting.blocked) for line in lines),
    )  # fmt: skip


def _rail(ask: Asking, lines: list[NextLine]) -> str:
    now = ask.now.astimezone(ask.zone)
    stops = [
        RailStop(code=line.next.code, at=at, late=line.next.slack_minutes < 0)
        for line in lines
        if (at := line.job.waiting.promise_at.astimezone(ask.zone)).date() == now.date()
    ]
    return draw_rail(now, stops)


@router.get("/plan")
def plan_page(ask: Ask) -> Response:
    return render(ask, "planning/plan.html", room="Plan", plan=planning.plan_page(ask.now))


@router.get("/jobs/{code}/assign")
def assign_page(ask: Ask, code: str) -> Response:
    return _assign(ask, code)


def _assign(ask: Asking, code: str, refusal: Refusal | None = None, status: int = 200) -> Response:
    demand(ask.person, Deed.ASSIGN)
    model, candidates = planning.candidates_for(code)
    return render(
        ask, "planning/assign.html", room="Plan", status=status, refusal=refusal, job=job_store.load_job(code),
        model=model, candidates=candidates,
    )  # fmt: skip


@router.post("/jobs/{code}/assign")
def assign(ask: Ask, code: str, form: Form) -> Response:
    return deed(
        ask, form, lambda: planning.assign(code, form.number("technician"), ask.person, ask.now),
        then=f"/jobs/{code}", again=lambda refusal, status: _assign(ask, code, refusal, status),
    )  # fmt: skip
