"""The proof: the function list again, and what it says against the baseline."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from sutura.core.errors import Refusal
from sutura.core.proof import advice
from sutura.services import job as job_service
from sutura.services import proof
from sutura.web.errors import deed
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()


@router.get("/jobs/{code}/proof")
def proof_page(ask: Ask, code: str) -> Response:
    return _page(ask, code, None)


def _page(
    ask: Asking, code: str, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    page = job_service.job_page(code, ask.now)
    return render(
        ask,
        "proof/proof.html",
        room="Bench",
        status=status,
        refusal=refusal,
        page=page,
        job=page.job,
        entered=sent.entered() if sent else Entered(),
        testing=page.progress.at_proof and page.job.stage.value == "opened",
        advice=advice(page.proof.failing) if page.proof else "",
    )


@router.post("/jobs/{code}/proof")
def record(ask: Ask, code: str, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: proof.record_proof(code, form.answers(), ask.person, ask.now),
        then=f"/jobs/{code}/proof",
        again=lambda refusal, status: _page(ask, code, form, refusal, status),
    )
