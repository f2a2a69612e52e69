"""Taking a device in: the draft that is never lost, the customer, and the new job."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from sutura.core.catalogue.model import Model
from sutura.core.catalogue.unlisted import Measured
from sutura.core.errors import Invalid, ManyInvalid, MoveRefused, NotFound, Refusal
from sutura.core.facts import fact, to_json
from sutura.core.identify.numbers import Identification, known
from sutura.core.identify.scan import check_imei
from sutura.core.intake.arrival import (
    ARRIVAL_FIELDS,
    Channel,
    check_again,
    check_arrival,
    check_consents,
    check_customer,
    check_functions,
    check_signature,
    consents_given,
    functions_kept,
)
from sutura.core.intake.customers import plain_phone
from sutura.core.intake.diagnosis import diagnose
from sutura.core.intake.layers import has_of
from sutura.core.intake.marks import Mark, check_marks
from sutura.core.intake.observations import check_looks, check_observations, observed_from
from sutura.core.intake.promise import TYPED_LATER, Offered, check_ahead, check_promise, check_waits
from sutura.core.intake.upgrades import check_upgrade
from sutura.core.job import EventKind, Round, Stage
from sutura.core.people import Deed, demand
from sutura.core.planning import queue as planning_rules
from sutura.core.planning.queue import expected_minutes
from sutura.core.quoting.estimating import check_estimate
from sutura.core.typed import Problems, refuse
from sutura.core.values import FunctionResult, Person
from sutura.formats import edid
from sutura.services import catalogue, comebacks, consents, identify, matching, schools, shop
from sutura.services.job import note
from sutura.services.marks import marks_of
from sutura.services.once import once
from sutura.services.promises import promise
from sutura.store import consents as consents_store
from sutura.store import customers as customers_store
from sutura.store import drafts as drafts_store
from sutura.store import handover as handover_store
from sutura.store import intake as store
from sutura.store import job as job_store
from sutura.store import photos as photos_store
from sutura.store.database import writing

# the model a draft names while its device is in no pack
UNLISTED = "unlisted"


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrival:
    """Everything an intake says, as typed.

    `promise_at` is already a moment, None when it could not be read; `soonest` promises the earliest time
    that can
    be kept at the moment of saving, whatever the page said when it was opened.
    """

    customer_id: int | None
    name: str
    phone: str
    email: str
    model_id: str
    read_number: str
    serial: str
    channel: str
    complaint: str
    opened_before: bool
    marks: Sequence[Mark]
    functions: Mapping[str, tuple[str, str]]
    accessories: Sequence[tuple[str, str]]
    consents: Sequence[str]
    promise_at: datetime | None
    promise_reason: str
    soonest: bool = False
    # which of the other times that can be offered is promised, as it is when it is saved; empty = none
    offered: str = ""
    # what was measured of a device that is in no pack, when `model_id` is UNLISTED
    measured: Measured | None = None
    # the panel's EDID as hex, empty when it was not read
    edid: str = ""
    # what was observed, by question; what happens to the data, and how a parcel came
    look: Mapping[str, str] = field(default_factory=dict)
    how: Mapping[str, str] = field(default_factory=dict)
    # the customer's signature on the screen; empty = on the printed ticket
    signature: Sequence[Sequence[tuple[float, float]]] = field(default=())
    problems: Sequence[Invalid] = field(default=())


# -- the job --------------------------------------------------------------------------------


def take_in(draft_id: str, arrival: Arrival, by: Person, now: datetime) -> str:
    """The new job's code; the draft's own id makes a doubled form one job."""
    demand(by, Deed.TAKE_IN)
    return once(f"intake-{draft_id}", by, now, lambda: _take_in(draft_id, arrival, by, now))


@dataclass(frozen=True, slots=True, kw_only=True)
class _Ready:
    """An intake in which everything is right: its model, the promised moment, the function list, the
    serial.
    """

    model: Model
    promise_at: datetime
    results: list[FunctionResult]
    serial: str


def _take_in(draft_id: str, arrival: Arrival, by: Person, now: datetime) -> str:
    if not drafts_store.lock_draft(draft_id):
        raise NotFound(fact("intake.intake-left-half-way"), draft_id)
    ready = _checked(arrival, now)
    # chosen before it became part of another: the one that is kept
    chosen = customers_store.living_of(arrival.customer_id) if arrival.customer_id else None
    customer_id = (
        chosen.id
        if chosen
        else customers_store.add_customer(
            name=arrival.name.strip(),
            phone=arrival.phone.strip(),
            email=arrival.email.strip(),
            note="",
            phone_plain=plain_phone(arrival.phone),
            saved_by=by.id,
            saved_at=now,
        )
    )
    code = job_store.next_code()
    model = ready.model
    if arrival.model_id == UNLISTED and arrival.measured:
        model = catalogue.keep_unlisted(arrival.measured, arrival.read_number, code, by, now)
    job_id = _add_job(code, customer_id, arrival, replace(ready, model=model), by, now)
    store.add_results(job_id, 0, ready.results, by.id, now)
    handover_store.add_accessories(
        job_id, [(name, kept) for name, kept in arrival.accessories if name.strip()]
    )
    given = consents_given(arrival.consents, consents.consents(model))
    agreed = [text for text in consents_store.consent_texts() if text.consent in given]
    consents_store.add_consents(job_id, agreed, now)
    job_store.add_event(
        job_id,
        EventKind.RECEIVED,
        _received(arrival, model, ready.serial),
        at=now,
        person_id=by.id,
        before=None,
        after=Stage.IDENTIFIED,
    )
    draft = drafts_store.load_draft(draft_id)
    came_from = draft.fields.get("comeback_of", ()) if draft else ()
    if came_from and came_from[-1]:
        comebacks.bind(job_id, came_from[-1], by, now)
    if arrival.edid.strip():
        matching.keep_panel(job_id, Stage.IDENTIFIED, model, edid.hex_of(arrival.edid), by, now)
    photos_store.give_photos(draft_id, job_id)
    drafts_store.remove_draft(draft_id)
    return code


def _checked(arrival: Arrival, now: datetime) -> _Ready:
    """An arrival with everything right in it, or every problem at once."""
    problems = Problems("The intake")
    problems.extend(arrival.problems)
    model = _model(arrival, problems)
    if arrival.customer_id is None:
        problems.extend(check_customer(arrival.name, arrival.phone, arrival.email))
    elif customers_store.living_of(arrival.customer_id) is None:
        problems.add("name", arrival.customer_id, fact("intake.choose-customer-from-list-write-new"))
    if arrival.channel not in set(Channel):
        problems.add("channel", arrival.channel, fact("intake.choose-waiting-drop-off-mail"))
    serial, hours = _serial(arrival.serial, problems), shop.open_hours()
    soonest = promise(model, now) if model else None
    promise_at = soonest.at if soonest and arrival.soonest else arrival.promise_at
    if soonest and arrival.offered:
        promise_at = soonest.offers.get(Offered(arrival.offered))
        if promise_at is None:
            problems.add("promise_at", arrival.offered, fact("intake.offered-no-more"))
    results: list[FunctionResult] = []
    if model and soonest:
        results, wrong = check_functions(model, arrival.functions)
        problems.extend(check_marks(arrival.marks, model.face) + wrong)
        if not problems.has("promise_at"):
            problems.extend(check_ahead(promise_at, now, TYPED_LATER))
        if not problems.has("promise_at"):
            problems.extend(check_promise(promise_at, arrival.promise_reason, soonest, hours))
    if not problems.has("promise_at") and not problems.has("channel"):
        waits = arrival.channel == Channel.WAITING
        problems.extend(check_waits(promise_at, arrival.promise_reason, now, hours, waits=waits))
    problems.extend(check_signature(arrival.signature))
    problems.extend(check_observations(arrival.look))
    problems.extend(
        check_looks(
            arrival.look,
            arrival.marks,
            opened_before=arrival.opened_before,
            battery_level=arrival.how.get("battery_level", ""),
        )
    )
    problems.extend(check_arrival(arrival.channel, arrival.how))
    problems.extend(check_estimate(arrival.how))
    problems.extend(check_upgrade(model, arrival.how) if model else [])
    asked = consents.consents(model)
    problems.extend(check_consents(consents_given(arrival.consents, asked), asked))
    problems.extend(_edid_problems(arrival.edid))
    problems.refuse()
    if model is None or promise_at is None:
        raise RuntimeError("an intake without a model or a promise is refused above")
    return _Ready(model=model, promise_at=promise_at, results=results, serial=serial)


def _add_job(code: str, customer_id: int, arrival: Arrival, ready: _Ready, by: Person, now: datetime) -> int:
    model = ready.model
    return job_store.add_job(
        code=code,
        customer=customer_id,
        model=model.id,
        stage=Stage.IDENTIFIED.value,
        read_number=arrival.read_number,
        identified=_verdict(identify.identify(arrival.read_number), model),
        serial=ready.serial,
        channel=arrival.channel,
        complaint=arrival.complaint.strip()[:500],
        opened_before=arrival.opened_before,
        marks=[mark_to_json(mark) for mark in arrival.marks],
        functions=functions_kept(model.functions),
        look=observed(arrival),
        arrival=_arrived(arrival),
        promise_at=ready.promise_at,
        promise_reason=arrival.promise_reason.strip(),
        received_at=now,
        received_by=by.id,
        fit="",
        route="",
        route_minutes=model.minutes,
        currency=shop.shop().currency,
        extra_minutes=0,
        expected_minutes=expected_minutes(model.minutes, None),
        attempt=1,
        round=Round.WHOLE.value,
        steps_done=0,
        steps_total=len(model.steps),
        bench_minutes=0,
        returned_note="",
        version=1,
    )


def _received(arrival: Arrival, model: Model, serial: str) -> dict[str, object]:
    identification = identify.identify(arrival.read_number)
    kinds = [mark.kind.value for mark in arrival.marks]
    facts: dict[str, object] = {
        "model": model.full_name,
        "number": arrival.read_number,
        "verdict": _verdict(identification, model),
        "imei": to_json(identify.imei_doubt(serial, known(model))),
        "marks": {kind: kinds.count(kind) for kind in dict.fromkeys(kinds)},
        **_broken_by(observed(arrival), model),
    }
    if arrival.model_id == UNLISTED and arrival.measured:
        facts["measured"] = {
            name: getattr(arrival.measured, name) for name in ("width_mm", "height_mm", "diagonal_in")
        }
    return facts


def _broken_by(seen: Mapping[str, str], model: Model) -> dict[str, list[str]]:
    """What an intake or a second look said is broken, as the history keeps it."""
    found = diagnose(seen, has_of(model))
    return {
        "faulty": [reading.layer.value for reading in found.faulty],
        "suspected": [reading.layer.value for reading in found.suspected],
    }


def _arrived(arrival: Arrival) -> dict[str, object]:
    """How it came and what was signed, as kept with the job."""
    said: dict[str, object] = {name: arrival.how.get(name, "").strip() for name in ARRIVAL_FIELDS}
    if arrival.signature:
        said["signature"] = [[list(point) for point in stroke] for stroke in arrival.signature]
    return said


def _verdict(identification: Identification, model: Model) -> str:
    """How sure the number was of the model that was taken in; another model than it named is never sure."""
    named = {candidate.model.id for candidate in identification.candidates}
    return identification.verdict.value if model.id in named else "ambiguous"


def _edid_problems(text: str) -> list[Invalid]:
    """What is wrong with a pasted EDID, when there is one."""
    if not text.strip():
        return []
    try:
        edid.read_edid_text(text)
    except Refusal as wrong:
        return [Invalid("edid", text.strip()[:40], wrong.said)]
    return []


def _model(arrival: Arrival, problems: Problems) -> Model | None:
    try:
        if arrival.model_id == UNLISTED and arrival.measured:
            return catalogue.unlisted(arrival.measured, arrival.read_number)
        return catalogue.find_taken_in(arrival.model_id)
    except ManyInvalid as wrong:
        problems.extend(problem.under("measured") for problem in wrong.problems)
        return None
    except Invalid as wrong:
        problems.extend([wrong])
        return None
    except NotFound:
        problems.add("read_number", arrival.read_number, fact("intake.find-device-model-number-first"))
        return None


def _serial(text: str, problems: Problems) -> str:
    """A serial number as typed, or an IMEI checked when it looks like one."""
    tidy = text.strip()
    digits = tidy.replace(" ", "").replace("-", "")
    if digits.isdigit() and len(digits) in (14, 15, 16):
        try:
            return check_imei(digits)
        except Invalid as wrong:
            problems.add("serial", text, wrong.accepts)
    if len(tidy) > 40:
        problems.add("serial", tidy, fact("intake.write-most-40-characters"))
    return tidy


def mark_to_json(mark: Mark) -> dict[str, object]:
    return {
        "kind": mark.kind.value,
        "points": [[p.x, p.y] for p in mark.points],
        "reach_mm": mark.reach_mm,
        "side": mark.side.value,
        "note": mark.note,
        "id": mark.id,
    }


def observed(arrival: Arrival) -> dict[str, str]:
    """What is observed of a device on its arrival, for the diagnosis."""
    return observed_from(
        arrival.look,
        marks=arrival.marks,
        opened_before=arrival.opened_before,
        functions={name: outcome for name, (outcome, _) in arrival.functions.items()},
        battery_level=arrival.how.get("battery_level", ""),
    )


# -- looked at again ------------------------------------------------------------------------


@writing
def look_again(
    code: str, look: Mapping[str, str], functions: Mapping[str, tuple[str, str]], by: Person, now: datetime
) -> None:
    """What could not be tested on arrival, tried again before the device is opened (rule intake.again)."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    if job.stage not in planning_rules.ASSIGNABLE:
        raise MoveRefused(code, fact("job.be-looked-at-again"), [fact("job.it-is", stage=job.stage)])
    model = schools.of_job(job)
    baseline = store.load_results(job.id)[0]
    results, problems = check_again(model, baseline, functions)
    problems += check_observations(look)
    seen_anew = {name: answer for name, answer in look.items() if answer != job.arrival.look.get(name, "")}
    if not results and not seen_anew and not problems:
        problems.append(Invalid("function", "nothing", fact("intake.answer-least-one-thing-was-tried")))
    refuse(problems, fact("intake.what-was-tried-again"))
    store.add_results(job.id, 0, results, by.id, now, again=store.times_looked(job.id) + 1)
    seen = observed_from(
        {**job.arrival.look, **{name: answer for name, answer in look.items() if answer}},
        marks=marks_of(job),
        opened_before=job.arrival.opened_before,
        functions={
            **{result.function: result.outcome.value for result in baseline.values()},
            **{result.function: result.outcome.value for result in results},
        },
    )
    facts = {
        "tried": {result.function: result.outcome.value for result in results},
        "names": {function.id: function.name for function in model.functions},
        **_broken_by(seen, model),
        "look_before": dict(job.arrival.look),
        "look_after": seen,
    }
    note(job, EventKind.LOOKED_AGAIN, facts, replace(job.arrival, look=seen), by=by, now=now)
