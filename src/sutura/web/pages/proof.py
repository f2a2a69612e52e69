"""The proof: the function list again, what the device says of itself, and what that means against the
baseline.
"""

from __future__ import annotations

import json
from collections.abc import Mapping

from fastapi.responses import Response
from markupsafe import Markup

from sutura.core.errors import Invalid
from sutura.core.job import Round
from sutura.core.people import Deed
from sutura.core.proof.answering import advice
from sutura.core.proof.bars import BarsReading, read_photo
from sutura.core.proof.sealing import PLACES, Look
from sutura.core.values import Outcome
from sutura.services import hands, looks, proof, records
from sutura.services import job as job_service
from sutura.services.looks import LookPage
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.heat import draw_heat
from sutura.web.drawings.touchmap import draw_specks, draw_touch
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown

addresses = Addresses()


@addresses.get("/jobs/{code}/proof", may=Anyone.SIGNED_IN)
def proof_page(ask: Ask, code: str, shutter: str = "", pulses: str = "", reading: str = "") -> Response:
    """The proof; with what a photo was taken at, whether its bars are the camera's."""
    asked = {"shutter": shutter, "pulses": pulses, "reading": reading}
    if not any(asked.values()):
        return proof_again(ask, code)
    try:
        return _page(ask, code, ANEW, asked, read_photo(asked))
    except Invalid as refusal:
        return _page(ask, code, Shown(refusal=refusal, status=422), asked)


def proof_again(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    """The page again, with what was refused."""
    return _page(ask, code, shown)


def _page(
    ask: Asking,
    code: str,
    shown: Shown = ANEW,
    asked: Mapping[str, str] | None = None,
    bars: BarsReading | None = None,
) -> Response:
    page = job_service.job_page(code, ask.now)
    look = looks.look_page(page.job, page.model, ask.now)
    testing = page.progress.at_proof and page.job.stage.value == "opened"
    return render(
        ask,
        "proof/proof.html",
        room="Bench",
        shown=shown,
        page=page,
        job=page.job,
        testing=testing,
        entered=shown.over(_told(ask, look)) if testing or look.due else shown.entered,
        unrepaired=page.job.bench.round is Round.CLOSING_UP,
        tries=hands.path_of(page.job, page.model) if page.job.bench.attempt > 1 else None,
        advice=advice(page.proof.failing) if page.proof else "",
        look=look,
        waits=looks.not_ready(page.job, page.model, ask.now),
        looks=Look,
        map=_map(page, look),
        specks=_specks(page, look),
        specks_field=json.dumps([]),
        places=PLACES,
        seconds=[
            (str(one.person_id), one.name)
            for one in (proof.second_of(page.job, page.model, ask.now) if testing else ())
        ],
        asked=asked or {},
        bars=bars,
        can_test=page.job.stage in looks.TESTED_AT,
    )


def _told(ask: Asking, look: LookPage) -> dict[str, str]:
    """What the device says of itself stands in the list already, for whoever records it."""
    told = {}
    for name, test in look.told.items():
        told[f"function.{name}"] = test.outcome.value
        if test.outcome is not Outcome.WORKS:
            told[f"reason.{name}"] = "; ".join(ask.speech.say(reason) for reason in test.reasons)[:200]
    return told


def _map(page: job_service.JobPage, look: LookPage) -> Markup:
    touch = look.told.get("touch")
    if touch is None:
        return Markup("")
    outlines = looks.outlines_of(touch)
    share = round(100 * float(touch.found.get("share", 0)), 1)
    title = f"Touch of {page.job.code}: {share} of 100 felt, {len(outlines)} places not"
    return draw_touch(page.model.face, outlines, look.zones, title)


def _specks(page: job_service.JobPage, look: LookPage) -> Markup:
    if not look.needs_dust:
        return Markup("")
    title = f"Specks of {page.job.code}, look {len(look.dust.rounds)}"
    return draw_specks(page.model.face, looks.specks_of(look.dusts), title)


@addresses.get("/jobs/{code}/proof/paper", may=Anyone.SIGNED_IN)
def paper(ask: Ask, code: str) -> Response:
    """The proof as a page of its own, to print and to give."""
    page = job_service.job_page(code, ask.now)
    look = looks.look_page(page.job, page.model, ask.now)
    record = records.record_of(page.job, page.kept, page.done)
    return render(
        ask,
        "proof/paper.html",
        room="Bench",
        page=page,
        job=page.job,
        look=look,
        map=_map(page, look),
        record=record,
        heat_drawn=[draw_heat(run.readings, run.judged, ask.speech) for run in record.heat],
    )


@addresses.post("/jobs/{code}/proof", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/{done}", again=proof_again)
def record(ask: Ask, code: str, form: Form) -> str:
    """Record the test; what is proved and clean goes straight on at the bench."""
    reading = proof.record_proof(
        code,
        form.entered.answers(),
        ask.person,
        ask.now,
        second=form.number("second") if form.text("second") else 0,
        all_the_same=form.text("all_the_same"),
    )
    return "bench" if reading.passed and not reading.answer_for else "proof"
