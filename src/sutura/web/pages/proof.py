"""The proof: the function list again, and what it says against the baseline."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.people import Deed
from sutura.core.proof.answering import advice
from sutura.services import job as job_service
from sutura.services import proof
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/jobs/{code}/proof", may=Anyone.SIGNED_IN)
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


@addresses.post("/jobs/{code}/proof", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/{done}", again=_page)
def record(ask: Ask, code: str, form: Form) -> str:
    """Record the test; what is proved and clean goes straight on at the bench."""
    reading = proof.record_proof(code, form.entered.answers(), ask.person, ask.now)
    return "bench" if reading.passed and not reading.answer_for else "proof"
