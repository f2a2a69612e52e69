"""The Counter: intakes left half-way, taking a device in, customers."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from datetime import datetime

from fastapi import APIRouter
from fastapi.responses import JSONResponse, RedirectResponse, Response
from markupsafe import Markup

from sutura.core.catalogue import Measured, Model
from sutura.core.errors import Invalid, ManyInvalid, NotFound, Refusal
from sutura.core.identify import Identification, known
from sutura.core.intake import (
    ACCESSORIES,
    DATA_STATES,
    ERASED,
    KINDS,
    PAD,
    PARCEL_STATES,
    QUESTIONS,
    Channel,
    check_marks,
    diagnose,
    observed_from,
    plan_opening,
    read_damage,
)
from sutura.core.job import Stage
from sutura.core.people import Deed, demand
from sutura.core.planning import minutes_to_promise
from sutura.formats.photo import MOST_BYTES
from sutura.services import catalogue, matching, planning
from sutura.services import identify as identify_service
from sutura.services import intake as service
from sutura.services.intake import UNLISTED, Arrival
from sutura.services.marks import read_marks, read_strokes
from sutura.services.matching import PanelShown
from sutura.services.once import once
from sutura.store import intake as store
from sutura.web.drawings.face import back_body, face_body, view_box
from sutura.web.drawings.plan import draw_plan
from sutura.web.errors import deed, status_of
from sutura.web.present import piece, render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()
_READY = (Stage.CLOSED, Stage.DECLINED)
# what the drawing's script has to know of each kind of mark
_SHAPES = json.dumps(
    {
        kind.value: {"shape": facts.shape.value, "sides": [side.value for side in facts.sides]}
        for kind, facts in KINDS.items()
    }
)


@router.get("/counter")
def counter(ask: Ask, q: str = "") -> Response:
    ready = planning.open_lines(ask.now, _READY)
    return render(
        ask, "intake/counter.html", room="Counter", drafts=_drafts(), ready=ready, asked=q,
        customers=service.find_customers(q) if q.strip() else [],
    )  # fmt: skip


def _drafts() -> list[tuple[store.Draft, Entered, str]]:
    shown = [(draft, Entered(draft.fields)) for draft in store.drafts_page()]
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


def _draft(draft_id: str) -> store.Draft:
    found = store.load_draft(draft_id)
    if found is None:
        raise NotFound("intake left half-way", draft_id)
    return found


def _page(
    ask: Asking, draft_id: str, entered: Entered, refusal: Refusal | None = None, status: int = 200
) -> Response:
    model = _known_model(entered)
    customer_id = entered.text("customer_id")
    number = entered.text("read_number")
    damage, labels = _reading(entered.text("marks"), model)
    found: Identification | None = identify_service.identify(number) if number and model is None else None
    return render(
        ask, "intake/intake.html", room="Counter", status=status, refusal=refusal, draft_id=draft_id, entered=entered,
        model=model, found=found, customer=store.load_customer(int(customer_id)) if customer_id.isdecimal() else None,
        channels=[channel.value for channel in Channel], accessories=ACCESSORIES, consents=service.consents(),
        earliest=service.earliest(model, ask.now) if model else None,
        work_minutes=minutes_to_promise(model.minutes, model.move_over) if model else 0,
        damage=damage,
        labels=labels,
        unlisted=entered.text("model_id") == UNLISTED, classes=DEVICE_CLASSES, measures=MEASURES,
        panel=_panel(entered.text("edid"), model),
        odd=_odd(entered, model),
        pad=PAD, questions=QUESTIONS, kinds=KINDS, shapes=_SHAPES, data_states=DATA_STATES, parcel_states=PARCEL_STATES,
        photos=store.draft_photos(draft_id),
        reading=_read_all(ask, entered, model) if model else None, back=back_body(model.face) if model else "",
        body=face_body(model.face) if model else "", view=view_box(model.face) if model else "",
    )  # fmt: skip


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
    ("maker", "Maker, as the device says", ""), ("name", "Name or number, as the device says", ""),
    ("width_mm", "Front glass across, mm", "edge to edge, with a ruler"), ("height_mm", "Front glass down, mm", ""),
    ("diagonal_in", "Picture from corner to corner, inches", "the lit part only"),
    ("resolution", "Resolution", "such as 1080×2400; empty when not known"),
    ("connector_pins", "Connector pins", "empty when not known"),
    ("connector_place", "Where the connector sits", "such as bottom right; empty when not known"),
)  # fmt: skip


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
        maker=words("maker") or "", name=words("name") or "", device_class=words("device_class") or "",
        width_mm=width, height_mm=height, diagonal_in=diagonal, connector_pins=None if pins is None else int(pins),
        connector_place=words("connector_place"), resolution=words("resolution"),
    ), problems  # fmt: skip


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
    for once_only in ("photo", "photo_says"):
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
    damage, labels = _reading(form.text("marks"), model)
    read = _read_all(ask, entered, model) if model else None
    saved = f"Kept at {ask.now.astimezone(ask.zone):%H:%M:%S}; you can leave and come back."
    return JSONResponse(
        {
            "saved": saved,
            "damage": damage,
            "labels": labels,
            "panel": _panel_says(entered, model),
            "odd": _odd(entered, model),
            "plan": read.plan if read else "",
            "opening": read.opening if read else "",
            "reading": read.text if read else "",
        }
    )


def _odd(entered: Entered, model: Model | None) -> str:
    return identify_service.imei_doubt(entered.text("serial"), known(model)) if model else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class _Read:
    """What the drawing and the observations say: the plan as a drawing, all of it as text."""

    plan: Markup
    opening: Markup
    text: Markup


def _read_all(ask: Asking, entered: Entered, model: Model) -> _Read:
    """The opening plan and the diagnosis of what is entered so far; a drawing that cannot be read has neither."""
    marks, problems = read_marks(entered.text("marks"))
    sound = not problems and not check_marks(marks, model.face)
    plan = plan_opening(marks, model.face) if sound else None
    found = diagnose(
        observed_from(
            entered.group("look"), glass_broken=any(mark.breaks_glass for mark in marks),
            opened_before=entered.text("opened_before") == "yes", functions=entered.group("function"),
        )
    )  # fmt: skip
    return _Read(
        plan=draw_plan(plan, model.face) if plan else Markup(""), opening=Markup(piece(ask, "intake/opening.html", plan=plan)),
        text=Markup(piece(ask, "intake/reading.html", found=found)),
    )  # fmt: skip


def _panel_says(entered: Entered, model: Model | None) -> str:
    """The panel's word in one sentence, or what is wrong with the bytes; empty when there are none."""
    typed = entered.text("edid")
    if model is None or not typed.strip():
        return ""
    try:
        return matching.show_panel(model, typed).judged.says
    except Refusal as refusal:
        return str(refusal)


def _reading(drawn: str, model: Model | None) -> tuple[str, list[str]]:
    """What the drawing says, and each mark in words."""
    marks, problems = read_marks(drawn)
    says = str(problems[0]) if problems else read_damage(marks, model.face).says if model else ""
    return says, [mark.label for mark in marks]


@router.post("/counter/{draft_id}/discard")
def discard(ask: Ask, draft_id: str, form: Form) -> Response:
    return deed(
        ask, form, lambda: service.discard_draft(draft_id, ask.person), then="/counter",
        again=lambda refusal, status: _page(ask, draft_id, Entered(_draft(draft_id).fields), refusal, status),
    )  # fmt: skip


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
                draft_id, form.file("photo", MOST_BYTES + 1), form.text("photo_says"), ask.person, ask.now
            )
    except Invalid as refusal:
        return _page(ask, draft_id, Entered(fields), refusal, status_of(refusal))
    return RedirectResponse(f"/counter/{draft_id}#photos", status_code=303)


@router.get("/photos/{photo_id}")
def photo(ask: Ask, photo_id: int, small: int = 0) -> Response:  # noqa: ARG001 - only someone signed in may see it
    found = store.load_photo(photo_id, small=bool(small))
    if found is None:
        raise NotFound("photo", photo_id)
    return Response(found, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


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
        name=form.text("name"), phone=form.text("phone"), email=form.text("email"), model_id=form.text("model_id"),
        read_number=form.text("read_number")[:80], serial=form.text("serial"), channel=form.text("channel"),
        complaint=form.text("complaint"), opened_before=form.text("opened_before") == "yes", marks=marks,
        functions=form.answers(), accessories=came + ([(other[:80], form.text("kept.other"))] if other else []),
        consents=form.texts("consent"), promise_at=promise_at, promise_reason=form.text("promise_reason")[:300],
        soonest=soonest, problems=problems, measured=measured, edid=form.text("edid"),
        look=form.group("look"), how=form.group("arrival"), signature=strokes,
    )  # fmt: skip


def _moment(ask: Asking, text: str, problems: list[Invalid]) -> datetime | None:
    try:
        moment = datetime.fromisoformat(text).replace(tzinfo=ask.zone)
    except ValueError:
        problems.append(Invalid("promise_at", text, "choose a day and a time"))
        return None
    return moment


# -- customers ------------------------------------------------------------------------------


@router.get("/customers/find")
def find_customers(ask: Ask, q: str = "") -> Response:
    found = service.find_customers(q) if len(q.strip()) > 1 else []
    return render(ask, "intake/customers.html", found=found, asked=q.strip())


@router.get("/customers/{customer_id}")
def customer_page(ask: Ask, customer_id: int) -> Response:
    return _customer(ask, customer_id, None)


def _customer(
    ask: Asking, customer_id: int, sent: Sent | None, refusal: Refusal | None = None, status: int = 200
) -> Response:
    found = store.load_customer(customer_id)
    if found is None:
        raise NotFound("customer", customer_id)
    kept = {"name": found.name, "phone": found.phone, "email": found.email, "note": found.note}
    return render(
        ask, "intake/customer.html", room="Counter", status=status, refusal=refusal, found=found,
        entered=sent.entered() if sent else Entered.of(kept), jobs=store.customer_jobs(customer_id),
        same=service.perhaps_same(found), erased=found.name == ERASED,
    )  # fmt: skip


@router.post("/customers/{customer_id}")
def save_customer(ask: Ask, customer_id: int, form: Form) -> Response:
    return deed(
        ask, form,
        lambda: service.save_customer(
            customer_id, name=form.text("name"), phone=form.text("phone"), email=form.text("email"),
            note=form.text("note"), version=form.number("version"), by=ask.person, now=ask.now,
        ),
        then=f"/customers/{customer_id}",
        again=lambda refusal, status: _customer(ask, customer_id, form, refusal, status),
    )  # fmt: skip


@router.post("/customers/{customer_id}/merge")
def merge(ask: Ask, customer_id: int, form: Form) -> Response:
    return deed(
        ask, form, lambda: service.merge_customers(customer_id, form.number("other"), ask.person, ask.now),
        then=f"/customers/{customer_id}", again=lambda refusal, status: _customer(ask, customer_id, None, refusal, status),
    )  # fmt: skip


@router.get("/customers/{customer_id}/export.json")
def export_customer(ask: Ask, customer_id: int) -> Response:
    kept = service.export_customer(customer_id, ask.person)
    return JSONResponse(
        kept, headers={"Content-Disposition": f'attachment; filename="customer-{customer_id}.json"'}
    )


@router.post("/customers/{customer_id}/erase")
def erase(ask: Ask, customer_id: int, form: Form) -> Response:
    return deed(
        ask, form, lambda: service.erase_customer(customer_id, form.text("typed_name"), ask.person, ask.now),
        then="/counter", again=lambda refusal, status: _customer(ask, customer_id, None, refusal, status),
    )  # fmt: skip


# -- what customers agree to ------------------------------------------------------------------


@router.get("/consents")
def consents_page(ask: Ask) -> Response:
    return _consents(ask, None)


def _consents(ask: Asking, sent: Sent | None, refusal: Refusal | None = None, status: int = 200) -> Response:
    demand(ask.person, Deed.CHANGE_CONSENTS)
    return render(
        ask, "intake/consents.html", room="Counter", status=status, refusal=refusal, texts=store.consent_texts(every=True),
        entered=sent.entered() if sent else Entered(),
    )  # fmt: skip


@router.post("/consents")
def save_consent(ask: Ask, form: Form) -> Response:
    return deed(
        ask, form,
        lambda: service.save_consent(
            form.text("consent").strip(), form.text("text"), needed=form.text("needed") == "yes", active=form.text("active") == "yes",
            version=form.number("version"), by=ask.person, now=ask.now,
        ),
        then="/consents", again=lambda refusal, status: _consents(ask, form, refusal, status),
    )  # fmt: skip
