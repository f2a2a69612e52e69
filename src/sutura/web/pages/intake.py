"""The Counter: intakes left half-way, taking a device in, customers."""

from __future__ import annotations

from datetime import datetime

from fastapi import APIRouter
from fastapi.responses import JSONResponse, RedirectResponse, Response

from sutura.core.catalogue import Model
from sutura.core.errors import Invalid, NotFound, Refusal
from sutura.core.identify import Identification
from sutura.core.intake import ACCESSORIES, CONSENTS, Channel, read_damage
from sutura.core.job import Stage
from sutura.core.planning import minutes_to_promise
from sutura.services import catalogue, planning
from sutura.services import identify as identify_service
from sutura.services import intake as service
from sutura.services.intake import Arrival
from sutura.services.marks import read_marks
from sutura.services.once import once
from sutura.store import intake as store
from sutura.web.drawings.face import face_body, view_box
from sutura.web.errors import deed, status_of
from sutura.web.present import render
from sutura.web.session import Ask, Asking, Entered, Form, Sent

router = APIRouter()
_READY = (Stage.CLOSED, Stage.DECLINED)


@router.get("/counter")
def counter(ask: Ask, q: str = "") -> Response:
    ready = planning.open_lines(ask.now, _READY)
    return render(
        ask, "intake/counter.html", room="Counter", drafts=_drafts(), ready=ready, asked=q,
        customers=store.find_customers(q) if q.strip() else [],
    )  # fmt: skip


def _drafts() -> list[tuple[store.Draft, Entered, str]]:
    names = {model.id: model.full_name for model in catalogue.all_models()}
    shown = ((draft, Entered(draft.fields)) for draft in store.drafts_page())
    return [(draft, entered, names.get(entered.text("model_id"), "")) for draft, entered in shown]


@router.post("/counter/new")
def new_intake(ask: Ask, form: Form) -> Response:
    def start() -> str:
        return service.open_draft(ask.person, ask.now, {"read_number": [form.text("read_number")]})

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
    model = _known_model(entered.text("model_id"))
    customer_id = entered.text("customer_id")
    number = entered.text("read_number")
    damage, labels = _reading(entered.text("marks"), model)
    found: Identification | None = identify_service.identify(number) if number and model is None else None
    return render(
        ask, "intake/intake.html", room="Counter", status=status, refusal=refusal, draft_id=draft_id, entered=entered,
        model=model, found=found, customer=store.load_customer(int(customer_id)) if customer_id.isdecimal() else None,
        channels=[channel.value for channel in Channel], accessories=ACCESSORIES, consents=CONSENTS,
        earliest=service.earliest(model, ask.now) if model else None,
        work_minutes=minutes_to_promise(model.minutes, model.move_over) if model else 0,
        damage=damage,
        labels=labels,
        body=face_body(model.face) if model else "", view=view_box(model.face) if model else "",
    )  # fmt: skip


def _known_model(model_id: str) -> Model | None:
    try:
        return catalogue.find_model(model_id) if model_id else None
    except NotFound:
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
    damage, labels = _reading(form.text("marks"), _known_model(form.text("model_id")))
    saved = f"Kept at {ask.now.astimezone(ask.zone):%H:%M:%S}; you can leave and come back."
    return JSONResponse({"saved": saved, "damage": damage, "labels": labels})


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


def _arrival(ask: Asking, form: Sent) -> Arrival:
    marks, problems = read_marks(form.text("marks"))
    soonest = form.text("promise") != "at"
    promise_at = None if soonest else _moment(ask, form.text("promise_at"), problems)
    came = [(name, form.text(f"kept.{name}")) for name in form.texts("accessory")]
    other = form.text("accessory_other").strip()
    return Arrival(
        customer_id=form.number("customer_id") if form.text("customer_id") else None,
        name=form.text("name"), phone=form.text("phone"), email=form.text("email"), model_id=form.text("model_id"),
        read_number=form.text("read_number")[:80], serial=form.text("serial"), channel=form.text("channel"),
        complaint=form.text("complaint"), opened_before=form.text("opened_before") == "yes", marks=marks,
        functions=form.answers(), accessories=came + ([(other[:80], form.text("kept.other"))] if other else []),
        consents=form.texts("consent"), promise_at=promise_at, promise_reason=form.text("promise_reason")[:300],
        soonest=soonest, problems=problems,
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
    found = store.find_customers(q) if len(q.strip()) > 1 else []
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
