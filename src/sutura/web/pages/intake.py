"""The Counter: intakes left half-way, taking a device in, customers."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from datetime import datetime

from fastapi import APIRouter
from fastapi.responses import JSONResponse, RedirectResponse, Response
from markupsafe import Markup

from sutura.core.catalogue.model import Model
from sutura.core.catalogue.unlisted import Measured
from sutura.core.errors import Invalid, ManyInvalid, NotFound, Refusal
from sutura.core.identify.numbers import Identification, known
from sutura.core.intake.arrival import (
    ACCESSORIES,
    DATA_STATES,
    PAD,
    PARCEL_STATES,
    Channel,
    check_functions,
    untested,
)
from sutura.core.intake.damage import cups_text, plan_opening, read_damage
from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.marks import KINDS, check_marks
from sutura.core.intake.observations import ASKED, observed_from
from sutura.core.job import Stage
from sutura.core.people import Deed, demand
from sutura.core.planning import ASSIGNABLE
from sutura.formats.photo import MOST_BYTES
from sutura.services import catalogue, customers, matching, planning
from sutura.services import identify as identify_service
from sutura.services import intake as service
from sutura.services import job as job_service
from sutura.services import shop as shop_service
from sutura.services.intake import UNLISTED, Arrival
from sutura.services.marks import read_marks, read_strokes
from sutura.services.matching import PanelShown
from sutura.services.once import once
from sutura.store import consents as consents_store
from sutura.store import customers as customers_store
from sutura.store import drafts as drafts_store
from sutura.store import photos as photos_store
from sutura.web.drawings.face import back_body, edges_body, edges_view_box, face_body, strips, view_box
from sutura.web.drawings.marks import kinds_for_script
from sutura.web.drawings.plan import draw_plan
from sutura.web.errors import deed, status_of
from sutura.web.present import piece, render
from sutura.web.session import Ask, Asking, Entered, Form, Sent
from sutura.words.summary import summarise

router = APIRouter()
_READY = (Stage.CLOSED, Stage.DECLINED)


# what the drawing's script has to know of each kind of mark
@router.get("/counter")
def counter(ask: Ask, q: str = "") -> Response:
    ready = planning.open_lines(ask.now, _READY)
    return render(
        ask,
        "intake/counter.html",
        room="Counter",
        drafts=_drafts(),
        ready=ready,
        asked=q,
        customers=customers.find_customers(q) if q.strip() else [],
    )


def _drafts() -> list[tuple[drafts_store.Draft, Entered, str]]:
    shown = [(draft, Entered(draft.fields)) for draft in drafts_store.drafts_page()]
    named = catalogue.models([entered.text("model_id") for _, entered in shown])
    names = {model.id: model.full_name for model in named.values()}
    return [(draft, entered, _name(entered, names)) for draft, entered in shown]


def _name(entered: Entered, names: dict[str, str]) -> str:
    if entered.text("model_id") == UNLISTED:
        return f"{entered.text('measured.maker')} {entered.text('measured.name')}, unlisted"
    return names.get(entered.text("model_id"), "")


@router.post("/counter/new")
def new_intake(ask: Ask, form: Form) -> Response:
    def start() -> str:
        fields = {name: [form.text(name)] for name in ("read_number", "serial") if form.text(name)}
        return service.open_draft(ask.person, ask.now, fields)

    return RedirectResponse(
        f"/counter/{once(form.text('form_key'), ask.person, ask.now, start)}", status_code=303
    )


@router.get("/counter/{draft_id}")
def intake_page(ask: Ask, draft_id: str) -> Response:
    return _page(ask, draft_id, Entered(_draft(draft_id).fields))


def _draft(draft_id: str) -> drafts_store.Draft:
    draft = drafts_store.load_draft(draft_id)
    if draft is None:
        raise NotFound("intake left half-way", draft_id)
    return draft


def _page(
    ask: Asking, draft_id: str, entered: Entered, refusal: Refusal | None = None, status: int = 200
) -> Response:
    model = _known_model(entered)
    customer_id = entered.text("customer_id")
    number = entered.text("read_number")
    read = _read(ask, entered, model)
    identification: Identification | None = (
        identify_service.identify(number) if number and model is None else None
    )
    return render(
        ask,
        "intake/intake.html",
        room="Counter",
        status=status,
        refusal=refusal,
        draft_id=draft_id,
        entered=entered,
        model=model,
        found=identification,
        customer=customers_store.load_customer(int(customer_id)) if customer_id.isdecimal() else None,
        channels=[channel.value for channel in Channel],
        accessories=ACCESSORIES,
        consents=service.consents(),
        soonest=service.promise(model, ask.now) if model else None,
        damage=read.damage,
        labels=read.labels,
        marks={label["id"]: label["says"] for label in read.labels if label["id"]},
        same="" if customer_id.isdecimal() else _same(ask, entered),
        unlisted=entered.text("model_id") == UNLISTED,
        classes=DEVICE_CLASSES,
        measures=MEASURES,
        panel=_panel(entered.text("edid"), model),
        odd=_odd(ask, entered, model),
        pad=PAD,
        questions=ASKED,
        kinds=KINDS,
        shapes=kinds_for_script(),
        data_states=DATA_STATES,
        parcel_states=PARCEL_STATES,
        photos=photos_store.draft_photos(draft_id),
        reading=read,
        back=back_body(model.face) if model else "",
        edges=edges_body(model.face) if model else "",
        edges_view=edges_view_box(model.face) if model else "",
        strips=_strips(model),
        body=face_body(model.face) if model else "",
        view=view_box(model.face) if model else "",
    )


def _known_model(entered: Entered) -> Model | None:
    """The draft's model: one of the catalogue, or one made of what was measured."""
    model_id = entered.text("model_id")
    try:
        if model_id == UNLISTED:
            return _measured_model(entered)
        return catalogue.find_model(model_id) if model_id else None
    except (NotFound, ManyInvalid):
        return None


# -- a device that is in no pack ------------------------------------------------------------

DEVICE_CLASSES = ("phone", "tablet", "laptop", "watch", "handheld", "player", "two-in-one")
MEASURES = (
    ("maker", "Maker, as the device says", ""),
    ("name", "Name or number, as the device says", ""),
    ("width_mm", "Front glass across, mm", "edge to edge, with a ruler"),
    ("height_mm", "Front glass down, mm", ""),
    ("diagonal_in", "Picture from corner to corner, inches", "the lit part only"),
    ("resolution", "Resolution", "such as 1080×2400; empty when not known"),
    ("connector_pins", "Connector pins", "empty when not known"),
    ("connector_place", "Where the connector sits", "such as bottom right; empty when not known"),
)


def _measured_model(entered: Entered) -> Model:
    measured, problems = _measured(entered)
    if measured is None:
        raise ManyInvalid(problems, "What was measured")
    return catalogue.unlisted(measured, entered.text("read_number"))


def _measured(entered: Entered) -> tuple[Measured | None, list[Invalid]]:
    """What was measured, as typed; every number that is none, with its field."""
    problems: list[Invalid] = []

    def number(name: str, *, needed: bool) -> float | None:
        text = entered.text(f"measured.{name}").strip().replace(",", ".")
        if re.fullmatch(r"[0-9]{1,6}(\.[0-9]{1,3})?", text):
            return float(text)
        if text or needed:
            problems.append(Invalid(name, text, "write a number, such as 70.8"))
        return None

    def words(name: str) -> str | None:
        return entered.text(f"measured.{name}").strip()[:80] or None

    sizes = [number(name, needed=True) for name in ("width_mm", "height_mm", "diagonal_in")]
    pins = number("connector_pins", needed=False)
    if problems or None in sizes:
        return None, problems
    width, height, diagonal = (size or 0.0 for size in sizes)
    return Measured(
        maker=words("maker") or "",
        name=words("name") or "",
        device_class=words("device_class") or "",
        width_mm=width,
        height_mm=height,
        diagonal_in=diagonal,
        connector_pins=None if pins is None else int(pins),
        connector_place=words("connector_place"),
        resolution=words("resolution"),
    ), problems


def _panel(typed: str, model: Model | None) -> PanelShown | None:
    """What a pasted EDID says, once the device is known; a wrong one is refused when it is sent."""
    if model is None or not typed.strip():
        return None
    try:
        return matching.show_panel(model, typed)
    except Refusal:
        return None


def _fields(draft_id: str, form: Sent) -> dict[str, list[str]]:
    """What a draft keeps: everything on the form, and what a button on it chose.

    While no device is known the page shows only its head; the rest of the draft then stays as it was.
    """
    before = {} if form.text("model_id") else _draft(draft_id).fields
    fields = {**before, **{name: list(values) for name, values in form.entered().fields.items()}}
    chosen = fields.pop("choose", None)
    picked = fields.pop("pick_customer", None)
    act = fields.pop("act", [""])[-1]
    for once_only in ("photo", "photo_says", "photo_mark"):
        fields.pop(once_only, None)
    if chosen:
        fields["model_id"] = chosen
    if picked:
        fields["customer_id"] = picked
    if act == "other-device":
        fields["model_id"] = [""]
    if act == "other-customer":
        fields["customer_id"] = [""]
    return fields


@router.post("/counter/{draft_id}/keep")
def keep(ask: Ask, draft_id: str, form: Form) -> Response:
    """Keep what is typed so far; the answer says when, and what the drawing says."""
    service.keep_draft(draft_id, _fields(draft_id, form), ask.person, ask.now)
    entered = form.entered()
    model = _known_model(entered)
    read = _read(ask, entered, model)
    saved = f"Kept at {ask.now.astimezone(ask.zone):%H:%M:%S}; you can leave and come back."
    return JSONResponse(
        {
            "saved": saved,
            "damage": read.damage,
            "labels": read.labels,
            "panel": _panel_says(ask, entered, model),
            "odd": _odd(ask, entered, model),
            "plan": read.plan,
            "opening": read.opening,
            "reading": read.text,
            "same": "" if entered.text("customer_id") else _same(ask, entered),
        }
    )


def _odd(ask: Asking, entered: Entered, model: Model | None) -> str:
    doubt = identify_service.imei_doubt(entered.text("serial"), known(model)) if model else ""
    return ask.speech.say(doubt)


_NONE = Markup("")


@dataclass(frozen=True, slots=True, kw_only=True)
class _Read:
    """What the drawing and the observations say: in a sentence, mark by mark, the plan as a drawing, all of
    it as text.
    """

    damage: str
    labels: list[dict[str, str]]
    plan: Markup = _NONE
    opening: Markup = _NONE
    text: Markup = _NONE


def _read(ask: Asking, entered: Entered, model: Model | None) -> _Read:
    """The marks in words, the opening plan and the diagnosis of what is entered so far.

    A drawing that cannot be read has no plan; without a device there is neither plan nor diagnosis.
    """
    marks, problems = read_marks(entered.text("marks"))
    labels = [{"says": ask.speech.say(mark.label), "id": mark.id} for mark in marks]
    if model is None:
        return _Read(damage=ask.speech.say(problems[0]) if problems else "", labels=labels)
    plan = (
        None
        if problems or check_marks(marks, model.face)
        else plan_opening(marks, model.face, service.cups_mm())
    )
    opened = entered.text("opened_before") == "yes"
    answered = entered.group("function")
    diagnosis = diagnose(
        observed_from(entered.group("look"), marks=marks, opened_before=opened, functions=answered)
    )
    answers = {name: (outcome, entered.text(f"reason.{name}")) for name, outcome in answered.items()}
    results = {result.function: result for result in check_functions(model, answers)[0]}
    plain = summarise(marks, model.functions, results, diagnosis, opened_before=opened, speech=ask.speech)
    return _Read(
        damage=ask.speech.say(problems[0] if problems else read_damage(marks, model.face).says),
        labels=labels,
        plan=draw_plan(plan, model.face, ask.speech) if plan else Markup(""),
        opening=Markup(piece(ask, "intake/opening.html", plan=plan)),
        text=Markup(piece(ask, "intake/reading.html", found=diagnosis, plain=plain)),
    )


def _strips(model: Model | None) -> str:
    """Where the drawing of the edges has each edge, for its script."""
    if model is None:
        return "[]"
    places = strips(model.face)
    return json.dumps(
        [
            {"side": side.value, "x": box.x, "y": box.y, "width": box.width, "height": box.height}
            for side, box in places
        ]
    )


def _same(ask: Asking, entered: Entered) -> Markup:
    """Customers who may be the one being typed, to choose instead of adding them twice."""
    contacts = customers.perhaps_typed(entered.text("name"), entered.text("phone"), entered.text("email"))
    return Markup(piece(ask, "intake/same.html", found=contacts))


def _panel_says(ask: Asking, entered: Entered, model: Model | None) -> str:
    """The panel's word in one sentence, or what is wrong with the bytes; empty when there are none."""
    typed = entered.text("edid")
    if model is None or not typed.strip():
        return ""
    try:
        return ask.speech.say(matching.show_panel(model, typed).judged.says)
    except Refusal as refusal:
        return ask.speech.say(refusal)


@router.post("/counter/{draft_id}/discard")
def discard(ask: Ask, draft_id: str, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.discard_draft(draft_id, ask.person),
        then="/counter",
        again=lambda refusal, status: _page(ask, draft_id, Entered(_draft(draft_id).fields), refusal, status),
    )


@router.post("/counter/{draft_id}")
def take_in(ask: Ask, draft_id: str, form: Form) -> Response:
    if form.text("act") == "unlisted":
        return _take_measures(ask, draft_id, form)
    if form.text("act") != "take-in":
        fields = _fields(draft_id, form)
        service.keep_draft(draft_id, fields, ask.person, ask.now)
        return RedirectResponse(f"/counter/{draft_id}", status_code=303)
    try:
        code = service.take_in(draft_id, _arrival(ask, form), ask.person, ask.now)
    except NotFound:
        raise
    except Refusal as refusal:
        fields = _fields(draft_id, form)
        service.keep_draft(draft_id, fields, ask.person, ask.now)
        return _page(ask, draft_id, Entered(fields), refusal, status_of(refusal))
    return RedirectResponse(f"/jobs/{code}/ticket", status_code=303)


def _take_measures(ask: Asking, draft_id: str, form: Sent) -> Response:
    """Go on with what was measured, or say what cannot be right; either way the measures are kept."""
    fields = _fields(draft_id, form)
    refusal: Refusal | None = None
    try:
        _measured_model(Entered(fields))
        fields["model_id"] = [UNLISTED]
    except ManyInvalid as wrong:
        problems = [Invalid(f"measured.{p.field}", p.refused, p.accepts) for p in wrong.problems]
        refusal = ManyInvalid(problems, "What was measured")
    service.keep_draft(draft_id, fields, ask.person, ask.now)
    if refusal:
        return _page(ask, draft_id, Entered(fields), refusal, 422)
    return RedirectResponse(f"/counter/{draft_id}", status_code=303)


@router.post("/counter/{draft_id}/photo")
def change_photos(ask: Ask, draft_id: str, form: Form) -> Response:
    """Add or take away a photo; everything else on the form is kept as it stands."""
    fields = _fields(draft_id, form)
    service.keep_draft(draft_id, fields, ask.person, ask.now)
    gone = re.fullmatch(r"remove-photo:([0-9]{1,12})", form.text("act"))
    try:
        if gone:
            service.remove_photo(draft_id, int(gone[1]), ask.person)
        else:
            service.add_photo(
                draft_id,
                form.file("photo", MOST_BYTES + 1),
                form.text("photo_says"),
                form.text("photo_mark"),
                ask.person,
                ask.now,
            )
    except Invalid as refusal:
        return _page(ask, draft_id, Entered(fields), refusal, status_of(refusal))
    return RedirectResponse(f"/counter/{draft_id}#photos", status_code=303)


@router.get("/photos/{photo_id}")
def photo(ask: Ask, photo_id: int, small: int = 0) -> Response:  # noqa: ARG001 - only someone signed in may see it
    image = photos_store.load_photo(photo_id, small=bool(small))
    if image is None:
        raise NotFound("photo", photo_id)
    return Response(image, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


def _arrival(ask: Asking, form: Sent) -> Arrival:
    marks, problems = read_marks(form.text("marks"))
    soonest = form.text("promise") != "at"
    promise_at = None if soonest else _moment(ask, form.text("promise_at"), problems)
    strokes, unreadable = read_strokes(form.text("signature"))
    problems += unreadable
    measured, wrong = _measured(form.entered()) if form.text("model_id") == UNLISTED else (None, [])
    problems += [Invalid(f"measured.{p.field}", p.refused, p.accepts) for p in wrong]
    came = [(name, form.text(f"kept.{name}")) for name in form.texts("accessory")]
    other = form.text("accessory_other").strip()
    return Arrival(
        customer_id=form.number("customer_id") if form.text("customer_id") else None,
        name=form.text("name"),
        phone=form.text("phone"),
        email=form.text("email"),
        model_id=form.text("model_id"),
        read_number=form.text("read_number")[:80],
        serial=form.text("serial"),
        channel=form.text("channel"),
        complaint=form.text("complaint"),
        opened_before=form.text("opened_before") == "yes",
        marks=marks,
        functions=form.answers(),
        accessories=came + ([(other[:80], form.text("kept.other"))] if other else []),
        consents=form.texts("consent"),
        promise_at=promise_at,
        promise_reason=form.text("promise_reason")[:300],
        soonest=soonest,
        problems=problems,
        measured=measured,
        edid=form.text("edid"),
        look=form.group("look"),
        how=form.group("arrival"),
        signature=strokes,
    )


def _moment(ask: Asking, text: str, problems: list[Invalid]) -> datetime | None:
    try:
        moment = datetime.fromisoformat(text).replace(tzinfo=ask.zone)
    except ValueError:
        problems.append(Invalid("promise_at", text, "choose a day and a time"))
        return None
    return moment


# -- what customers agree to ------------------------------------------------------------------


@router.get("/consents")
def consents_page(ask: Ask) -> Response:
    return _consents(ask, None)


def _consents(ask: Asking, sent: Sent | None, refusal: Refusal | None = None, status: int = 200) -> Response:
    demand(ask.person, Deed.SET_UP_COUNTER)
    shop = shop_service.shop()
    return render(
        ask,
        "intake/consents.html",
        room="Counter",
        status=status,
        refusal=refusal,
        texts=consents_store.consent_texts(every=True),
        entered=sent.entered() if sent else Entered(),
        shop=shop,
        cups=cups_text(shop.cups_mm),
    )


@router.post("/consents")
def save_consent(ask: Ask, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.save_consent(
            form.text("consent").strip(),
            form.text("text"),
            needed=form.text("needed") == "yes",
            active=form.text("active") == "yes",
            version=form.number("version"),
            by=ask.person,
            now=ask.now,
        ),
        then="/consents",
        again=lambda refusal, status: _consents(ask, form, refusal, status),
    )


@router.post("/consents/cups")
def change_cups(ask: Ask, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.change_cups(form.text("cups"), form.number("version"), ask.person, ask.now),
        then="/consents#cups",
        again=lambda refusal, status: _consents(ask, form, refusal, status),
    )


# -- looked at again --------------------------------------------------------------------------


@router.get("/jobs/{code}/again")
def again_page(ask: Ask, code: str) -> Response:
    return _again(ask, code, None)


def _again(
    ask: Asking, code: str, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    page = job_service.job_page(code, ask.now)
    kept = {f"look.{name}": answer for name, answer in page.job.arrival.look.items()}
    return render(
        ask,
        "intake/again.html",
        room="Counter",
        status=status,
        refusal=refusal,
        page=page,
        job=page.job,
        entered=sent.entered() if sent else Entered.of(kept),
        questions=ASKED,
        open_results=untested(page.model, page.results[0]),
        may_again=page.job.stage in ASSIGNABLE,
    )


@router.post("/jobs/{code}/again")
def look_again(ask: Ask, code: str, form: Form) -> Response:
    return deed(
        ask,
        form,
        lambda: service.look_again(code, form.group("look"), form.answers(), ask.person, ask.now),
        then=f"/jobs/{code}",
        again=lambda refusal, status: _again(ask, code, form, refusal, status),
    )
