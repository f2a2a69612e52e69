"""What could not be tested on arrival, tried again."""

from __future__ import annotations

from fastapi.responses import Response

from sutura.core.intake.arrival import untested
from sutura.core.intake.observations import ASKED, FINER
from sutura.core.people import Deed
from sutura.core.planning.queue import ASSIGNABLE
from sutura.services import intake as service
from sutura.services import job as job_service
from sutura.services import looks
from sutura.web.addresses import Addresses
from sutura.web.deeds import deed
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/jobs/{code}/again", may=Deed.TAKE_IN)
def again_page(ask: Ask, code: str) -> Response:
    return _again(ask, code)


def _again(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = job_service.job_page(code, ask.now)
    kept = {f"look.{name}": answer for name, answer in page.job.arrival.look.items()}
    # what the device says of itself is chosen already, for whoever keeps it
    told = looks.look_page(page.job, page.model, ask.now).told
    kept |= {f"function.{name}": test.outcome.value for name, test in told.items()}
    return render(
        ask,
        "intake/again.html",
        room="Counter",
        shown=shown,
        page=page,
        job=page.job,
        entered=shown.over(kept),
        questions=(*ASKED, *(FINER[name] for name in FINER)),
        open_results=untested(page.model, page.results[0]),
        may_again=page.job.stage in ASSIGNABLE,
    )


@addresses.post("/jobs/{code}/again", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}", again=_again)
def look_again(ask: Ask, code: str, form: Form) -> None:
    service.look_again(code, form.entered.group("look"), form.entered.answers(), ask.person, ask.now)
