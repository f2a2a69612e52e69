"""The proof: the function list again, and what it says against the baseline."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.proof import advice
from sutura.services import job as job_service
from sutura.services import proof
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

router = APIRouter()


@router.get("/jobs/{code}/proof")
def proof_page(ask: Ask, code: str) -> Response:
    return _page(ask, code)


def _page(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = job_service.job_page(code, ask.now)
    return render(
        ask,
        "proof/proof.html",
        room="Bench",
        shown=shown,
        page=page,
        job=page.job,
        testing=page.progress.at_proof and page.job.stage.value == "opened",
        advice=advice(page.proof.failing) if page.proof else "",
    )


@router.post("/jobs/{code}/proof")
@deed(then="/jobs/{code}/proof", again=_page)
def record(ask: Ask, code: str, form: Form) -> None:
    proof.record_proof(code, form.entered.answers(), ask.person, ask.now)
