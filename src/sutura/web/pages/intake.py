"""The Counter: what is ready to hand back, intakes left half-way, taking a device in."""

from __future__ import annotations

import json
import re
from typing import Any

from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from markupsafe import Markup

from sutura.core.catalogue.cautions import CAUTIONS
from sutura.core.catalogue.model import Model
from sutura.core.catalogue.unlisted import DEVICE_CLASSES, MEASURES
from sutura.core.errors import NotFound, Refusal
from sutura.core.intake.arrival import ACCESSORIES, DATA_STATES, PAD, PARCEL_STATES, Channel, is_hot
from sutura.core.intake.diagnosis import ways_told
from sutura.core.intake.marks import KINDS, Hole, holes_of
from sutura.core.intake.observations import ASKED, FINER, FURTHER
from sutura.core.intake.upgrades import upgrades_of
from sutura.core.job import Stage
from sutura.core.people import Deed
from sutura.formats.photo import MOST_BYTES
from sutura.services import customers, drafts, messages, planning
from sutura.services import intake as service
from sutura.services.drafts import SoFar
from sutura.store import photos as photos_store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.face import (
    back_body,
    edges_body,
    edges_view_box,
    face_body,
    stance,
    strips,
    view_box,
)
from sutura.web.drawings.marks import kinds_for_script
from sutura.web.drawings.plan import draw_plan
from sutura.web.errors import status_of
from sutura.web.present import piece, render
from sutura.web.session import ANEW, Ask, Asking, Form, Sent, Shown
from sutura.words.summary import summarise

addresses = Addresses()
_READY = (Stage.CLOSED, Stage.DECLINED)
# what a press of a device's button fills in
READ_FIELDS = {"read-display": "arrival.display_serial", "read-back": "arrival.back_c"}


@addresses.get("/counter", may=Anyone.SIGNED_IN)
def counter(ask: Ask, q: str = "") -> Response:
    return _counter(ask, q)


def _counter(ask: Asking, q: str = "", shown: Shown = ANEW) -> Response:
    done = planning.open_lines(ask.now, _READY)
    return render(
        ask,
        "intake/counter.html",
        room="Counter",
        shown=shown,
        drafts=drafts.draft_lines(),
        to_decide=messages.to_decide(ask.now),
        ready=done.ready,
        to_look=done.to_look,
        unshown=done.unshown,
        timers=done.timers,
        asked=q,
        customers=customers.find_customers(q) if q.strip() else [],
    )


@addresses.post("/counter/new", may=Deed.TAKE_IN)
@deed(then="/counter/{done}", again=_counter)
def new_intake(ask: Ask, form: Form) -> str:
    fields = {name: [form.text(name)] for name in ("read_number", "serial") if form.text(name)}
    return drafts.open_draft(ask.person, ask.now, fields)


@addresses.get("/counter/{draft_id}", may=Deed.TAKE_IN)
def intake_page(ask: Ask, draft_id: str, read: str = "") -> Response:
    return _page(ask, draft_id, read=read)


def _page(ask: Asking, draft_id: str, shown: Shown = ANEW, read: str = "") -> Response:
    """The intake as it is kept: what a refused form held was kept before."""
    page = drafts.intake_page(draft_id, ask.now)
    said = page.so_far
    labels = _labels(ask, said)
    return render(
        ask,
        "intake/intake.html",
        room="Counter",
        shown=shown,
        page=page,
        entered=page.entered,
        model=said.model,
        said=said,
        labels=labels,
        marks={label["id"]: label["says"] for label in labels if label["id"]},
        same=_same(ask, said),
        channels=[channel.value for channel in Channel],
        accessories=ACCESSORIES,
        classes=DEVICE_CLASSES,
        measures=MEASURES,
        pad=PAD,
        done=_done(ask, said),
        first_questions=[question for question in ASKED if question.id not in FURTHER],
        further_questions=[question for question in ASKED if question.id in FURTHER],
        function_fields=_fields_of_the_list(said.model),
        just_read=page.entered.text(READ_FIELDS[read]) if read in READ_FIELDS else "",
        consent_fields=["arrival.data", "signature", *(f"consent.{one.id}" for one in said.consents)],
        finer=FINER,
        upgrades=_upgrades(ask, said.model),
        kinds=KINDS,
        shapes=kinds_for_script(),
        hot_back=is_hot(page.entered.text("arrival.back_c")),
        hot_cell=CAUTIONS["cell"],
        data_states=DATA_STATES,
        parcel_states=PARCEL_STATES,
        **_drawing(said.model),
        **_reading(ask, said),
    )


def _fields_of_the_list(model: Model | None) -> list[str]:
    """Everything that stands in the part about what works: a problem there unfolds it."""
    if model is None:
        return []
    measured = [f"arrival.{name}" for name in ("battery_level", "back_c", "display_serial")]
    looked = [f"look.{question.id}" for question in ASKED]
    return [*(f"function.{one.id}" for one in model.functions), *measured, *looked]


def _upgrades(ask: Asking, model: Model | None) -> list[tuple[str, str]]:
    """What the device can be had with instead, to choose from."""
    return [(one.key, ask.speech.say(one.says)) for one in upgrades_of(model)] if model else []


def _hole_says(hole: Hole, place: int) -> str:
    return f"{place}: {hole.where}, at {hole.at.x:g}, {hole.at.y:g} mm"


def _drawing(model: Model | None) -> dict[str, Any]:
    """The device as it is drawn on: its face, its back, its edges, and where each edge has its strip."""
    if model is None:
        return dict.fromkeys(("body", "view", "back", "edges", "edges_view", "stance"), "") | {
            "strips": "[]",
            "holes": "[]",
        }
    holes = holes_of(model)
    places = [
        {"side": side.value, "x": box.x, "y": box.y, "width": box.width, "height": box.height}
        for side, box in strips(model.face)
    ]
    return {
        "body": face_body(model.face),
        "view": view_box(model.face),
        "back": back_body(model.face, holes),
        "edges": edges_body(model.face, holes),
        "holes": json.dumps(
            [
                {"side": hole.side.value, "x": hole.at.x, "y": hole.at.y, "says": _hole_says(hole, place)}
                for place, hole in enumerate(holes, 1)
            ]
        ),
        "edges_view": edges_view_box(model.face),
        "stance": stance(model.face),
        "strips": json.dumps(places),
    }


# -- what is put into the open page while it is typed ------------------------------------------


def _reading(ask: Asking, said: SoFar) -> dict[str, Any]:
    """What the drawing and the observations say: the plan as a drawing, the plan and the diagnosis as
    text.
    """
    if said.model is None or said.diagnosis is None:
        return dict.fromkeys(("plan", "opening", "reading"), Markup(""))
    ways = ways_told(said.model, said.diagnosis.routes)
    plain = summarise(
        said.marks,
        said.model,
        said.results,
        said.diagnosis,
        opened_before=said.opened_before,
        speech=ask.speech,
        upgrade=said.upgrade,
    )
    return {
        "plan": draw_plan(said.plan, said.model.face, ask.speech) if said.plan else Markup(""),
        "opening": Markup(piece(ask, "intake/opening.html", plan=said.plan, folded=True))
        if said.model.front_is_cut
        else Markup(""),
        "reading": Markup(piece(ask, "intake/reading.html", found=said.diagnosis, plain=plain, ways=ways)),
    }


def _labels(ask: Asking, said: SoFar) -> list[dict[str, str]]:
    return [{"says": ask.speech.say(mark.label), "id": mark.id} for mark in said.marks]


def _done(ask: Asking, said: SoFar) -> dict[str, str]:
    """What each part of the form that is done says in one line, when it is folded."""
    return {name: ask.speech.say(says) for name, says in said.done.items()}


def _same(ask: Asking, said: SoFar) -> Markup:
    """Customers who may be the one being typed, to choose instead of adding them twice."""
    return Markup(piece(ask, "intake/same.html", found=said.same))


@addresses.get("/counter/{draft_id}/estimate", may=Deed.TAKE_IN)
def estimate(ask: Ask, draft_id: str) -> Response:
    """What the repair may cost by what is typed yet: a piece of the open page."""
    found, entered = drafts.estimate(draft_id, ask.now)
    return HTMLResponse(piece(ask, "intake/estimate.html", found=found, entered=entered))


@addresses.post("/counter/{draft_id}/keep", may=Deed.TAKE_IN)
def keep(ask: Ask, draft_id: str, form: Form) -> Response:
    """Keep what is typed so far; the answer says when, and what it says so far."""
    drafts.keep_sent(draft_id, form.entered, ask.person, ask.now)
    said = drafts.so_far(form.entered)
    return JSONResponse(
        {
            "saved": f"Kept at {ask.now.astimezone(ask.zone):%H:%M:%S}; you can leave and come back.",
            "damage": ask.speech.say(said.damage),
            "labels": _labels(ask, said),
            "panel": ask.speech.say(said.panel_says),
            "odd": ask.speech.say(said.odd),
            "done": _done(ask, said),
            "further": said.picture_in_doubt,
            "same": _same(ask, said),
            **_reading(ask, said),
        }
    )


# -- what its buttons do -----------------------------------------------------------------------


@addresses.post("/counter/{draft_id}/discard", may=Deed.TAKE_IN)
@deed(then="/counter", again=_counter)
def discard(ask: Ask, draft_id: str) -> None:
    drafts.discard_draft(draft_id, ask.person)


@addresses.post("/counter/{draft_id}", may=Deed.TAKE_IN)
def take_in(ask: Ask, draft_id: str, form: Form) -> Response:
    """Take it in, or keep it and go on. Refused or not, everything on the form is kept."""
    act = form.text("act")
    try:
        if act == "take-in":
            arrival = drafts.read_arrival(form.entered, ask.zone)
            code = service.take_in(draft_id, arrival, ask.person, ask.now)
            return RedirectResponse(f"/jobs/{code}/ticket", status_code=303)
        if act in ("read-display", "read-back"):
            drafts.read_by_device(draft_id, form.entered, act, ask.person, ask.now)
            return RedirectResponse(f"/counter/{draft_id}?read={act}#s4", status_code=303)
        keeping = drafts.take_measures if act == "unlisted" else drafts.keep_sent
        keeping(draft_id, form.entered, ask.person, ask.now)
    except NotFound:
        raise
    except Refusal as refusal:
        drafts.keep_sent(draft_id, form.entered, ask.person, ask.now)
        return _refused(ask, draft_id, form, refusal)
    return RedirectResponse(f"/counter/{draft_id}", status_code=303)


def _refused(ask: Asking, draft_id: str, form: Sent, refusal: Refusal) -> Response:
    return _page(ask, draft_id, Shown(refusal=refusal, status=status_of(refusal), sent=form))


@addresses.post("/counter/{draft_id}/photo", may=Deed.TAKE_IN)
def change_photos(ask: Ask, draft_id: str, form: Form) -> Response:
    """Add or take away a photo; everything else on the form is kept as it stands."""
    drafts.keep_sent(draft_id, form.entered, ask.person, ask.now)
    gone = re.fullmatch(r"remove-photo:([0-9]{1,12})", form.text("act"))
    try:
        if gone:
            drafts.remove_photo(draft_id, int(gone[1]), ask.person)
        else:
            drafts.add_photo(
                draft_id,
                form.file("photo", MOST_BYTES + 1),
                form.text("photo_says"),
                form.text("photo_mark"),
                ask.person,
                ask.now,
            )
    except NotFound:
        raise
    except Refusal as refusal:
        return _refused(ask, draft_id, form, refusal)
    return RedirectResponse(f"/counter/{draft_id}#photos", status_code=303)


@addresses.get("/photos/{photo_id}", may=Anyone.SIGNED_IN)
def photo(ask: Ask, photo_id: int, small: int = 0) -> Response:  # noqa: ARG001 - only who is signed in
    image = photos_store.load_photo(photo_id, small=bool(small))
    if image is None:
        raise NotFound("photo", photo_id)
    return Response(image, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})
