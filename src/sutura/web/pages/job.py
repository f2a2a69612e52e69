"""A job: its seam, its next action, what is known of it, its history; and the ticket."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi.responses import Response

from sutura.core.handover.comebacks import standing_says
from sutura.core.handover.giving import places_of
from sutura.core.handover.telling import REASONED, Told, tellable
from sutura.core.intake.arrival import DATA_STATES, untested
from sutura.core.intake.damage import read_damage
from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.layers import has_of
from sutura.core.intake.marks import holes_of
from sutura.core.intake.upgrades import upgrade_of
from sutura.core.job import JobRecord, Move, starts_of
from sutura.core.people import Deed, may
from sutura.core.planning.queue import ASSIGNABLE, Action
from sutura.core.quoting.estimating import range_of
from sutura.core.quoting.margins import Margin
from sutura.core.quoting.pricing import price_may_change, price_says
from sutura.services import comebacks, handover, messages, planning, quoting, records, routes, stock
from sutura.services import job as service
from sutura.services import shop as shop_service
from sutura.services.marks import marks_of, signature_of
from sutura.store import comebacks as comebacks_store
from sutura.store import photos as photos_store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.code import draw_qr
from sutura.web.drawings.face import draw_back, draw_edges, draw_face
from sutura.web.drawings.heat import draw_heat
from sutura.web.drawings.signature import draw_signature
from sutura.web.present import render
from sutura.web.session import ANEW, Ask, Asking, Form, Shown
from sutura.words.summary import summarise

addresses = Addresses()
# what a ticket is printed on; the sizes stand in the print styles
PAPERS = {"a4": "A4", "letter": "Letter", "roll": "80 mm roll", "label": "Tray label"}


@addresses.get("/jobs/{code}", may=Anyone.SIGNED_IN)
def job_page(ask: Ask, code: str) -> Response:
    return _page(ask, code)


def job_again(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    """A job's page, again after a refusal."""
    return _page(ask, code, shown)


def _page(ask: Asking, code: str, shown: Shown = ANEW) -> Response:
    page = service.job_page(code, ask.now)
    job, marks = page.job, marks_of(page.job)
    standing = comebacks.standing_of(job, ask.now)
    came = comebacks_store.came_and_went(job.id)
    may_tell = [told for told in tellable(job.stage) if told is not Told.DELAYED]
    record = records.record_of(job, page.kept, page.done)
    return render(
        ask,
        "job/job.html",
        shown=shown,
        page=page,
        job=job,
        face=draw_face(
            page.model.face, marks, f"Face of the {page.model.full_name} with its marks", speech=ask.speech
        ),
        damage=read_damage(marks, page.model.face),
        back=draw_back(page.model.face, marks, ask.speech, holes_of(page.model)),
        edges=draw_edges(page.model.face, marks, ask.speech, holes_of(page.model)),
        found=diagnose(job.arrival.look, has_of(page.model)),
        upgrade=upgrade_of(page.model, job.arrival.how),
        estimate=range_of(job.arrival.how),
        photos=photos_store.job_photos(job.id),
        marks={mark.id: mark.label for mark in marks if mark.id},
        record=record,
        fitted=[part for part in record.parts if part.state == "fitted"],
        heat_drawn=[draw_heat(run.readings, run.judged, ask.speech) for run in record.heat],
        standing=standing_says(standing) if standing else (),
        came=came,
        told=messages.messages_of(job),
        tellable=may_tell,
        reasoned=REASONED.intersection(may_tell),
        margin=quoting.job_margin(job, ask.person) if may(ask.person, Deed.SEE_COST) else None,
        came_back=_came_back(ask, came[1]),
        deposit=routes.deposit_open(job),
        offered=page.offered,
        promisable=page.next is not None and may(ask.person, Deed.TAKE_IN),
        declinable=job.stage in starts_of(Move.DECLINE)
        and not page.progress.is_open
        and may(ask.person, Deed.QUOTE),
        priceable=price_may_change(job.stage, job.chosen.price_minor) and quoting.may_discount(ask.person),
        again=job.stage in ASSIGNABLE and bool(untested(page.model, page.results[0])),
        openable=page.next is not None
        and page.next.action is Action.OPEN
        and may(ask.person, Deed.WORK_BENCH),
        returnable_part=job.stage in starts_of(Move.GIVE_BACK_PART),
    )


def _came_back(ask: Asking, codes: Sequence[str]) -> list[tuple[str, Margin]]:
    """What each that came back left, for those who may see cost, where it is closed."""
    if not may(ask.person, Deed.SEE_COST):
        return []
    found = [(code, quoting.margin_by_code(code, ask.person)) for code in codes]
    return [(code, margin) for code, margin in found if margin]


def _follow(ask: Asking, job: JobRecord) -> object:
    """The code behind which a customer follows their repair."""
    return draw_qr(f"{ask.address}/s/{messages.status_link(job, ask.now)}")


@addresses.get("/jobs/{code}/ticket", may=Anyone.SIGNED_IN)
def ticket(ask: Ask, code: str, paper: str = "a4") -> Response:
    """The customer's ticket, and the label for the tray, on the paper that is in the printer."""
    page = service.job_page(code, ask.now)
    marks = marks_of(page.job)
    said = shop_service.speech_for(page.job.id, ask.paper)
    return render(
        ask,
        "job/ticket.html",
        speech=said,
        papers=PAPERS,
        paper=paper if paper in PAPERS else "a4",
        page=page,
        job=page.job,
        code=draw_qr(page.job.code),
        places=[
            (label, draw_qr(label), there)
            for label, there in places_of(code, page.accessories).items()
            if label != code
        ],
        follow=_follow(ask, page.job),
        back=draw_back(page.model.face, marks, said),
        face=draw_face(page.model.face, marks, said.say("Marks on arrival"), limits=False, speech=said),
        edges=draw_edges(page.model.face, marks, said),
        plain=summarise(
            marks,
            page.model,
            page.results[0],
            diagnose(page.job.arrival.look, has_of(page.model)),
            opened_before=page.job.arrival.opened_before,
            speech=said,
            upgrade=upgrade_of(page.model, page.job.arrival.how),
        ),
        data_states=DATA_STATES,
        shop=shop_service.shop(),
        estimate=range_of(page.job.arrival.how),
        agreed=price_says(page.job.chosen.price_minor, page.job.currency),
        signature=draw_signature(signature_of(page.job)),
    )


@addresses.post("/jobs/{code}/decline", may=Deed.QUOTE)
@deed(then="/jobs/{code}", again=_page)
def decline(ask: Ask, code: str, form: Form) -> None:
    handover.decline(code, form.text("reason"), ask.person, ask.now)


@addresses.post("/jobs/{code}/promise", may=Deed.TAKE_IN)
@deed(then="/jobs/{code}", again=_page)
def change_promise(ask: Ask, code: str, form: Form) -> None:
    planning.change_promise(
        code, form.text("promise_at"), form.text("promise_reason"), ask.zone, ask.person, ask.now
    )


@addresses.post("/jobs/{code}/price", may=Deed.QUOTE)
@deed(then="/jobs/{code}", again=_page)
def change_price(ask: Ask, code: str, form: Form) -> None:
    quoting.change_job_price(
        code, form.text("price"), form.text("price_reason"), form.number("version"), ask.person, ask.now
    )


@addresses.post("/jobs/{code}/give-back", may=Deed.RESERVE)
@deed(then="/jobs/{code}", again=_page)
def give_back(ask: Ask, code: str) -> None:
    stock.give_back_part(code, ask.person, ask.now)
