"""Taking a device in: the draft that is never lost, the customer, and the new job."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from sutura.core import intake as rules
from sutura.core.catalogue import Measured, Model
from sutura.core.errors import Invalid, ManyInvalid, NotFound, Refusal, StaleSave
from sutura.core.identify import Identification, check_imei, known
from sutura.core.intake import Channel, Consent, Contact, Mark
from sutura.core.job import JobRecord, Stage
from sutura.core.people import Deed, demand
from sutura.core.planning import expected_minutes, minutes_to_promise
from sutura.core.values import FunctionResult, Person
from sutura.formats import edid
from sutura.formats.photo import read_photo
from sutura.services import catalogue, identify, matching
from sutura.services.once import once
from sutura.store import intake as store
from sutura.store import job as job_store
from sutura.store import quoting as quoting_store
from sutura.store.database import reading, writing

# the model a draft names while its device is in no pack
UNLISTED = "unlisted"


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrival:
    """Everything an intake says, as typed.

    `promise_at` is already a moment, None when it could not be read; `soonest` promises the earliest time that can
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


# -- drafts ---------------------------------------------------------------------------------


@writing
def open_draft(by: Person, now: datetime, fields: Mapping[str, Sequence[str]] | None = None) -> str:
    demand(by, Deed.TAKE_IN)
    draft_id = secrets.token_urlsafe(9)
    store.save_draft(draft_id, by.id, fields or {}, now)
    return draft_id


@writing
def keep_draft(draft_id: str, fields: Mapping[str, Sequence[str]], by: Person, now: datetime) -> None:
    """Keep what was typed so far. A draft that became a job meanwhile stays a job; an overtaken sending is let go."""
    demand(by, Deed.TAKE_IN)
    before = store.load_draft(draft_id) if store.lock_draft(draft_id) else None
    if before is None:
        raise NotFound("intake left half-way", draft_id)
    if not rules.is_overtaken(before.fields, fields):
        store.save_draft(draft_id, by.id, fields, now)


@writing
def discard_draft(draft_id: str, by: Person) -> None:
    demand(by, Deed.TAKE_IN)
    store.remove_photos(draft_id)
    store.remove_draft(draft_id)


@writing
def add_photo(draft_id: str, file: bytes, says: str, by: Person, now: datetime) -> None:
    """Add a photo to an intake: drawn anew, upright and without what was hidden in its file."""
    demand(by, Deed.TAKE_IN)
    if not store.lock_draft(draft_id):
        raise NotFound("intake left half-way", draft_id)
    if store.count_photos(draft_id) >= rules.MOST_PHOTOS:
        raise Invalid(
            "photo", f"{rules.MOST_PHOTOS} photos", "that is as many as an intake holds: take one away first"
        )
    store.add_photo(draft_id, says.strip()[:120], read_photo(file), by.id, now)


@writing
def remove_photo(draft_id: str, photo_id: int, by: Person) -> None:
    demand(by, Deed.TAKE_IN)
    store.remove_photo(draft_id, photo_id)


@reading
def earliest(model: Model, now: datetime) -> datetime:
    return rules.earliest_promise(now, minutes_to_promise(model.minutes, model.move_over), model.cure_minutes)


# -- the job --------------------------------------------------------------------------------


def take_in(draft_id: str, arrival: Arrival, by: Person, now: datetime) -> str:
    """The new job's code; the draft's own id makes a doubled form one job."""
    demand(by, Deed.TAKE_IN)
    return once(f"intake-{draft_id}", by, now, lambda: _take_in(draft_id, arrival, by, now))


def _take_in(draft_id: str, arrival: Arrival, by: Person, now: datetime) -> str:
    shop = quoting_store.load_shop()
    if not store.lock_draft(draft_id):
        raise NotFound("intake left half-way", draft_id)
    if shop is None:
        raise NotFound("shop", "name")
    problems = list(arrival.problems)
    model = _model(arrival, problems)
    if arrival.customer_id is None:
        problems += rules.check_customer(arrival.name, arrival.phone, arrival.email)
    elif store.load_customer(arrival.customer_id) is None:
        problems.append(
            Invalid("name", arrival.customer_id, "choose a customer from the list or write a new one")
        )
    if arrival.channel not in set(Channel):
        problems.append(Invalid("channel", arrival.channel, "choose waiting, drop-off or mail"))
    serial = _serial(arrival.serial, problems)
    promise_at = earliest(model, now) if model and arrival.soonest else arrival.promise_at
    results: list[FunctionResult] = []
    if model:
        results, wrong = rules.check_functions(model, arrival.functions)
        problems += rules.check_marks(arrival.marks, model.face) + wrong
        if not any(p.field == "promise_at" for p in problems):
            problems += rules.check_promise(promise_at, arrival.promise_reason, earliest(model, now))
    problems += [
        *rules.check_signature(arrival.signature), *rules.check_observations(arrival.look), *rules.check_arrival(arrival.channel, arrival.how),
        *rules.check_consents(arrival.consents, consents()), *_edid_problems(arrival.edid),
    ]  # fmt: skip
    if problems or model is None or promise_at is None:
        raise ManyInvalid(problems, "The intake")

    customer_id = arrival.customer_id or store.add_customer(
        name=arrival.name.strip(), phone=arrival.phone.strip(), email=arrival.email.strip(), note="",
        phone_plain=rules.plain_phone(arrival.phone),
        saved_by=by.id, saved_at=now,
    )  # fmt: skip
    code = job_store.next_code()
    found = identify.identify(arrival.read_number)
    if arrival.model_id == UNLISTED and arrival.measured:
        model = catalogue.keep_unlisted(arrival.measured, arrival.read_number, code, by, now)
    job_id = job_store.add_job(
        code=code, customer=customer_id, model=model.id, stage=Stage.IDENTIFIED.value,
        read_number=arrival.read_number, identified=_verdict(found, model),
        serial=serial, channel=arrival.channel, complaint=arrival.complaint.strip()[:500],
        opened_before=arrival.opened_before, marks=[mark_to_json(mark) for mark in arrival.marks],
        look=observed(arrival), arrival=_arrived(arrival),
        promise_at=promise_at, promise_reason=arrival.promise_reason.strip(), received_at=now,
        received_by=by.id, fit="", currency=shop.currency, extra_minutes=0,
        expected_minutes=expected_minutes(model.minutes, None), attempt=1, steps_done=0,
        steps_total=len(model.steps), bench_minutes=0, returned_note="", version=1,
    )  # fmt: skip
    store.add_results(job_id, 0, results, by.id, now)
    store.add_accessories(job_id, [(name, kept) for name, kept in arrival.accessories if name.strip()])
    store.add_consents(job_id, [one for one in store.consent_texts() if one.consent in arrival.consents], now)
    job_store.add_event(
        job_id, at=now, person_id=by.id, kind="received", before=None, after=Stage.IDENTIFIED,
        says=" ".join(filter(None, [
            f"Taken in as {model.full_name}.", _said(found, arrival), identify.imei_doubt(serial, known(model)),
            rules.read_damage(arrival.marks, model.face).says, rules.diagnose(observed(arrival)).says,
        ])),
        detail={"number": arrival.read_number},
    )  # fmt: skip
    if arrival.edid.strip():
        matching.keep_panel(job_id, Stage.IDENTIFIED, model, edid.hex_of(arrival.edid), by, now)
    store.give_photos(draft_id, job_id)
    store.remove_draft(draft_id)
    return code


def _arrived(arrival: Arrival) -> dict[str, object]:
    """How it came and what was signed, as kept with the job."""
    said: dict[str, object] = {name: arrival.how.get(name, "").strip() for name in rules.ARRIVAL_FIELDS}
    if arrival.signature:
        said["signature"] = [[list(point) for point in stroke] for stroke in arrival.signature]
    return said


def _verdict(found: Identification, model: Model) -> str:
    """How sure the number was of the model that was taken in; another model than it named is never sure."""
    named = {candidate.model.id for candidate in found.candidates}
    return found.verdict.value if model.id in named else "ambiguous"


def _said(found: Identification, arrival: Arrival) -> str:
    if arrival.model_id != UNLISTED or arrival.measured is None:
        return found.says
    measured = arrival.measured
    return (
        f"In no pack: measured {measured.width_mm:g}×{measured.height_mm:g} mm, picture {measured.diagonal_in:g} inches;"
        " what was not measured is unknown."
    )


def _edid_problems(text: str) -> list[Invalid]:
    """What is wrong with a pasted EDID, when there is one."""
    if not text.strip():
        return []
    try:
        edid.read_edid_text(text)
    except Refusal as wrong:
        return [Invalid("edid", text.strip()[:40], str(wrong))]
    return []


def _model(arrival: Arrival, problems: list[Invalid]) -> Model | None:
    try:
        if arrival.model_id == UNLISTED and arrival.measured:
            return catalogue.unlisted(arrival.measured, arrival.read_number)
        return catalogue.find_taken_in(arrival.model_id)
    except ManyInvalid as wrong:
        problems += [Invalid(f"measured.{p.field}", p.refused, p.accepts) for p in wrong.problems]
        return None
    except Invalid as wrong:
        problems.append(wrong)
        return None
    except NotFound:
        problems.append(
            Invalid("read_number", arrival.read_number, "find the device by its model number first")
        )
        return None


def _serial(text: str, problems: list[Invalid]) -> str:
    """A serial number as typed, or an IMEI checked when it looks like one."""
    tidy = text.strip()
    digits = tidy.replace(" ", "").replace("-", "")
    if digits.isdigit() and len(digits) in (14, 15, 16):
        try:
            return check_imei(digits)
        except Invalid as wrong:
            problems.append(Invalid("serial", text, wrong.accepts))
    if len(tidy) > 40:
        problems.append(Invalid("serial", tidy, "write at most 40 characters"))
    return tidy


def mark_to_json(mark: Mark) -> dict[str, object]:
    return {
        "kind": mark.kind.value, "points": [[p.x, p.y] for p in mark.points], "reach_mm": mark.reach_mm,
        "side": mark.side.value, "note": mark.note,
    }  # fmt: skip


def observed(arrival: Arrival) -> dict[str, str]:
    """What is observed of a device on its arrival, for the diagnosis."""
    return rules.observed_from(
        arrival.look, glass_broken=any(mark.breaks_glass for mark in arrival.marks), opened_before=arrival.opened_before,
        functions={name: outcome for name, (outcome, _) in arrival.functions.items()},
    )  # fmt: skip


# -- what customers agree to ------------------------------------------------------------------


@reading
def consents() -> list[Consent]:
    """The texts in use, in their newest versions."""
    return [
        Consent(id=one.consent, text=one.text, needed=one.needed, version=one.version)
        for one in store.consent_texts()
    ]


@writing
def save_consent(
    name: str, text: str, *, needed: bool, active: bool, version: int, by: Person, now: datetime
) -> None:
    """A new text, or a new version of one: what was agreed to before stays word for word with its jobs."""
    demand(by, Deed.CHANGE_CONSENTS)
    problems = rules.check_consent_text(name, text)
    if problems:
        raise ManyInvalid(problems, "This text")
    store.lock_consents()
    before = next((one for one in store.consent_texts(every=True) if one.consent == name), None)
    if (before.version if before else 0) != version:
        yours = {"text": text, "needed": str(needed), "active": str(active)}
        theirs = (
            {"text": before.text, "needed": str(before.needed), "active": str(before.active)}
            if before
            else {}
        )
        raise StaleSave("This text", "", None, yours, {**dict.fromkeys(yours, "nothing"), **theirs})
    row = store.ConsentRow(consent=name, version=version + 1, text=text.strip(), needed=needed, active=active)
    if before is None or (before.text, before.needed, before.active) != (row.text, needed, active):
        store.add_consent_text(row, by.id, now)


# -- customers ------------------------------------------------------------------------------


@reading
def find_customers(text: str) -> list[store.CustomerRecord]:
    """Customers by name, email or phone, however the number is written."""
    return store.find_customers(text, rules.plain_phone(text))


@reading
def perhaps_same(found: store.CustomerRecord) -> list[tuple[store.CustomerRecord, str]]:
    """Records that may be the same person, and why; a person decides."""
    others = {
        one.id: one for one in store.likely_same(found, rules.plain_phone(found.phone), rules.SAME_DIGITS)
    }
    named = rules.may_be_same(_contact(found), [_contact(one) for one in others.values()])
    return [(others[contact.id], why) for contact, why in named]


def _contact(one: store.CustomerRecord) -> Contact:
    return Contact(id=one.id, name=one.name, phone=one.phone, email=one.email)


@writing
def merge_customers(keep_id: int, other_id: int, by: Person, now: datetime) -> None:
    """Two records of one person become one: all jobs go to the one that is kept, and its empty fields are filled."""
    demand(by, Deed.TAKE_IN)
    if keep_id == other_id:
        raise Invalid("other", other_id, "choose another record than this one")
    for number in sorted((keep_id, other_id)):
        store.lock_customer(number)
    keep, other = store.load_customer(keep_id), store.load_customer(other_id)
    if keep is None or other is None:
        raise NotFound("customer", keep_id if keep is None else other_id)
    for job_id, stage in store.move_jobs(other_id, keep_id):
        # by number, not by name: this sentence stays when the customer is erased
        says = f"Customer record {other_id} became part of record {keep_id}."
        job_store.add_event(
            job_id,
            at=now,
            person_id=by.id,
            kind="customer merged",
            before=Stage(stage),
            after=Stage(stage),
            says=says,
            detail={},
        )
    filled = {name: getattr(keep, name) or getattr(other, name) for name in ("phone", "email", "note")}
    store.save_customer(
        keep_id, **filled, phone_plain=rules.plain_phone(filled["phone"]), saved_by=by.id, saved_at=now
    )
    store.repoint_merged(other_id, keep_id)
    store.save_customer(other_id, merged_into=keep_id, saved_by=by.id, saved_at=now)


@reading
def export_customer(customer_id: int, by: Person) -> dict[str, object]:
    """Everything that is kept of one customer, to hand over when they ask for it."""
    demand(by, Deed.ERASE_CUSTOMER)
    found = store.load_customer(customer_id)
    if found is None:
        raise NotFound("customer", customer_id)
    jobs = [job_store.load_job(code) for code in store.customer_codes(customer_id)]
    return {
        "customer": {"name": found.name, "phone": found.phone, "email": found.email, "note": found.note},
        "jobs": [_exported(job) for job in jobs],
    }


def _exported(job: JobRecord) -> dict[str, object]:
    return {
        "code": job.code, "model": job.model_name, "stage": job.stage.value, "number_as_read": job.read_number,
        "serial": job.serial, "complaint": job.complaint, "received_at": job.received_at.isoformat(),
        "promised_at": job.promise_at.isoformat(), "marks": list(job.marks), "observed": dict(job.look), "arrival": dict(job.arrival),
        "price_minor": job.price_minor, "currency": job.currency,
        "accessories": [one.name for one in store.load_accessories(job.id)], "agreed": list(store.load_consents(job.id).values()),
        "photos": len(store.job_photos(job.id)),
    }  # fmt: skip


@writing
def erase_customer(customer_id: int, typed_name: str, by: Person, now: datetime) -> None:
    """Erase one customer (rule intake.erase); the name is typed again so that nobody is erased by a slip."""
    demand(by, Deed.ERASE_CUSTOMER)
    found = store.lock_customer(customer_id)
    if found is None:
        raise NotFound("customer", customer_id)
    if typed_name.strip() != found.name:
        raise Invalid("typed_name", typed_name, f"type the name as it stands: {found.name}")
    still_open = [
        code
        for code, _, stage in store.customer_jobs(customer_id)
        if stage not in ("handed_back", "returned")
    ]
    if still_open:
        raise Invalid("typed_name", ", ".join(still_open), "hand these devices back first")
    store.erase_jobs(customer_id)
    # and every record that was made one with this one
    for number in (customer_id, *store.merged_records(customer_id)):
        store.save_customer(
            number, name=rules.ERASED, phone="", email="", note="", phone_plain="", erased_at=now, saved_by=by.id, saved_at=now
        )  # fmt: skip


@writing
def save_customer(
    customer_id: int, *, name: str, phone: str, email: str, note: str, version: int, by: Person, now: datetime
) -> None:
    """Change a customer; a stale form shows both versions side by side."""
    demand(by, Deed.TAKE_IN)
    before = store.lock_customer(customer_id)
    if before is None:
        raise NotFound("customer", customer_id)
    problems = rules.check_customer(name, phone, email)
    if problems:
        raise ManyInvalid(problems)
    yours = {"name": name, "phone": phone, "email": email, "note": note}
    if before.version != version:
        theirs = {"name": before.name, "phone": before.phone, "email": before.email, "note": before.note}
        raise StaleSave("This customer", before.saved_by, before.saved_at, yours, theirs)
    tidy = {key: value.strip() for key, value in yours.items()}
    store.save_customer(
        customer_id, **tidy, phone_plain=rules.plain_phone(phone), saved_by=by.id, saved_at=now
    )
