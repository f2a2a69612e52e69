"""An intake left half-way: kept while it is typed, read into what it says so far, and into an arrival."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, tzinfo

from sutura.core.bench.heat import celsius
from sutura.core.catalogue.model import Model
from sutura.core.catalogue.unlisted import read_measured
from sutura.core.errors import Invalid, ManyInvalid, NotFound, Refusal
from sutura.core.facts import Fact, Say, fact
from sutura.core.identify.numbers import Identification, known
from sutura.core.intake.arrival import (
    MOST_PHOTOS,
    Consent,
    check_customer,
    check_functions,
    consents_given,
    is_overtaken,
)
from sutura.core.intake.damage import read_damage
from sutura.core.intake.diagnosis import Diagnosis, diagnose
from sutura.core.intake.layers import has_of
from sutura.core.intake.marks import Mark, check_marks
from sutura.core.intake.observations import FINER, observed_from, picture_in_doubt
from sutura.core.intake.opening import OpeningPlan, opening_plan
from sutura.core.intake.promise import Offered, Promise
from sutura.core.intake.upgrades import Upgrade, upgrade_of
from sutura.core.people import Deed, demand
from sutura.core.quoting.estimating import Estimate, estimate_of
from sutura.core.typed import Entered, Problems, read_id, read_moment
from sutura.core.values import FunctionResult, Outcome, Person
from sutura.devices import plugged
from sutura.devices.ports import Away, Silent
from sutura.devices.simulated.programmer import SimulatedProgrammer
from sutura.formats.photo import read_photo
from sutura.services import catalogue, consents, customers, identify, matching, promises, routes
from sutura.services.intake import UNLISTED, Arrival
from sutura.services.known import asked_of
from sutura.services.marks import read_marks, read_strokes
from sutura.services.matching import PanelShown
from sutura.store import customers as customers_store
from sutura.store import drafts as store
from sutura.store import photos as photos_store
from sutura.store.database import reading, writing

# fields that serve one sending only: a photo has its own place
_ONCE_ONLY = ("photo", "photo_says", "photo_mark")


@writing
def open_draft(by: Person, now: datetime, fields: Mapping[str, Sequence[str]] | None = None) -> str:
    demand(by, Deed.TAKE_IN)
    draft_id = secrets.token_urlsafe(9)
    store.save_draft(draft_id, by.id, fields or {}, now)
    return draft_id


@writing
def keep_draft(draft_id: str, fields: Mapping[str, Sequence[str]], by: Person, now: datetime) -> None:
    """Keep what was typed so far. A draft that became a job meanwhile stays a job; an overtaken sending
    is let go.
    """
    demand(by, Deed.TAKE_IN)
    before = store.load_draft(draft_id) if store.lock_draft(draft_id) else None
    if before is None:
        raise NotFound(fact("intake.intake-left-half-way"), draft_id)
    if not is_overtaken(before.fields, fields):
        store.save_draft(draft_id, by.id, fields, now)


def keep_sent(draft_id: str, sent: Entered, by: Person, now: datetime) -> Entered:
    """Keep a form as it was sent, with what a button on it chose; what is kept.

    While no device is known the page shows only its head; the rest of the draft then stays as it was.
    """
    before = {} if sent.text("model_id") else dict(draft(draft_id).fields)
    fields = {**before, **{name: list(texts) for name, texts in sent.fields.items()}}
    chosen, picked = fields.pop("choose", None), fields.pop("pick_customer", None)
    act = fields.pop("act", [""])[-1]
    for once_only in _ONCE_ONLY:
        fields.pop(once_only, None)
    if chosen or act == "other-device":
        fields["model_id"] = chosen or [""]
    if picked or act == "other-customer":
        fields["customer_id"] = picked or [""]
    keep_draft(draft_id, fields, by, now)
    return Entered(fields)


def read_by_device(draft_id: str, sent: Entered, what: str, by: Person, now: datetime) -> None:
    """Put into a form what a device reads at the counter: the serial of the display, or how warm the back is.
    Everything else on it is kept; one that does not answer is said at its field.
    """
    kept = keep_sent(draft_id, sent, by, now)
    name, read = _READ[what]
    keep_draft(draft_id, {**kept.fields, f"arrival.{name}": [read(kept)]}, by, now)


def _display_serial(kept: Entered) -> str:
    programmer = plugged().programmer
    if isinstance(programmer, SimulatedProgrammer):
        programmer.clip(new=False, model=kept.text("model_id"))
    try:
        return programmer.read().serial
    except Silent:
        raise Invalid("arrival.display_serial", "", fact("intake.display-silent")) from None
    except Away:
        raise Invalid("arrival.display_serial", "", fact("intake.type-it-device-away")) from None


def _back_c(_: Entered) -> str:
    try:
        shown = plugged().thermometer.read()
    except Away:
        raise Invalid("arrival.back_c", "", fact("intake.type-it-device-away")) from None
    return str(round(celsius(shown.value) if shown.unit == "F" else shown.value, 1))


_READ: Mapping[str, tuple[str, Callable[[Entered], str]]] = {
    "read-display": ("display_serial", _display_serial),
    "read-back": ("back_c", _back_c),
}


def take_measures(draft_id: str, sent: Entered, by: Person, now: datetime) -> None:
    """Go on with what was measured of a device in no pack; refuses what cannot be right, and keeps it."""
    kept = keep_sent(draft_id, sent, by, now)
    _measured_model(kept)
    keep_draft(draft_id, {**kept.fields, "model_id": [UNLISTED]}, by, now)


@writing
def discard_draft(draft_id: str, by: Person) -> None:
    demand(by, Deed.TAKE_IN)
    photos_store.remove_photos(draft_id)
    store.remove_draft(draft_id)


@writing
def add_photo(draft_id: str, file: bytes, says: str, mark: str, by: Person, now: datetime) -> None:
    """Add a photo to an intake: drawn anew, upright and without what was hidden in its file.

    `mark` is the id of the mark it shows; empty = of the whole device.
    """
    demand(by, Deed.TAKE_IN)
    if not store.lock_draft(draft_id):
        raise NotFound(fact("intake.intake-left-half-way"), draft_id)
    if photos_store.count_photos(draft_id) >= MOST_PHOTOS:
        raise Invalid("photo", f"{MOST_PHOTOS} photos", fact("intake.many-intake-holds-take-one-away"))
    photos_store.add_photo(draft_id, says.strip()[:120], mark[:12], read_photo(file), by.id, now)


@writing
def remove_photo(draft_id: str, photo_id: int, by: Person) -> None:
    demand(by, Deed.TAKE_IN)
    photos_store.remove_photo(draft_id, photo_id)


# -- what it says ---------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class SoFar:
    """What an intake says, from all that is typed of it yet.

    Without a device there is no plan and no diagnosis; a drawing that cannot be read has no plan.
    """

    model: Model | None
    marks: Sequence[Mark]
    # the damage as drawn, or what is wrong with the drawing
    damage: Say = ""
    plan: OpeningPlan | None = None
    diagnosis: Diagnosis | None = None
    opened_before: bool = False
    results: Mapping[str, FunctionResult]
    # what the panel says of itself; a wrong EDID says what is wrong with it
    panel: PanelShown | None = None
    panel_says: Say | Fact = ""
    # what is odd about the serial number
    odd: Say = ""
    # who was chosen, or customers who may be the one being typed, each with the reason
    customer: customers_store.CustomerRecord | None = None
    same: Sequence[tuple[customers_store.CustomerRecord, Say]] = ()
    # what is asked of this device's customer
    consents: Sequence[Consent] = ()
    # the parts of the form that are done, with what each says in one line
    done: Mapping[str, Say] = field(default_factory=dict)
    # everything observed, for the diagnosis
    seen: Mapping[str, str] = field(default_factory=dict)
    # something better that is wanted
    upgrade: Upgrade | None = None
    # whether the picture or touch is not known to be right, so that further tests tell something
    picture_in_doubt: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class IntakePage:
    """One intake as its page shows it."""

    draft_id: str
    entered: Entered
    so_far: SoFar
    unlisted: bool
    # what the number on the device may be, while no device is chosen
    identification: Identification | None
    customer: customers_store.CustomerRecord | None
    consents: Sequence[Consent]
    soonest: Promise | None
    photos: Sequence[photos_store.PhotoLine]


@dataclass(frozen=True, slots=True, kw_only=True)
class DraftLine:
    """An intake left half-way, in the list: whose draft it is, what was typed, the model's name if known."""

    id: str
    who: str
    saved_at: datetime
    entered: Entered
    model: str


def draft(draft_id: str) -> store.Draft:
    kept = store.load_draft(draft_id)
    if kept is None:
        raise NotFound(fact("intake.intake-left-half-way"), draft_id)
    return kept


@reading
def draft_lines() -> list[DraftLine]:
    drafts = [(kept, Entered(kept.fields)) for kept in store.drafts_page()]
    models = catalogue.models([entered.text("model_id") for _, entered in drafts])
    names = {model.id: model.full_name for model in models.values()}
    return [
        DraftLine(
            id=kept.id, who=kept.who, saved_at=kept.saved_at, entered=entered, model=_name(entered, names)
        )
        for kept, entered in drafts
    ]


def _name(entered: Entered, names: Mapping[str, str]) -> str:
    if entered.text("model_id") == UNLISTED:
        return f"{entered.text('measured.maker')} {entered.text('measured.name')}, unlisted"
    return names.get(entered.text("model_id"), "")


@reading
def intake_page(draft_id: str, now: datetime, entered: Entered | None = None) -> IntakePage:
    """The intake as it is kept, or as it was just entered."""
    entered = Entered(draft(draft_id).fields) if entered is None else entered
    said = so_far(entered)
    number = entered.text("read_number")
    return IntakePage(
        draft_id=draft_id,
        entered=entered,
        so_far=said,
        unlisted=entered.text("model_id") == UNLISTED,
        identification=identify.identify(number) if number and said.model is None else None,
        customer=said.customer,
        consents=said.consents,
        soonest=promises.promise(said.model, now) if said.model else None,
        photos=photos_store.draft_photos(draft_id),
    )


@reading
def so_far(entered: Entered) -> SoFar:
    """What is entered, judged as far as it goes."""
    model = _known_model(entered)
    marks, problems = read_marks(entered.text("marks"))
    customer_id = read_id(entered.text("customer_id"))
    customer = customers_store.living_of(customer_id) if customer_id > 0 else None
    same = [] if customer else customers.perhaps_typed(*map(entered.text, ("name", "phone", "email")))
    done = _customer_done(entered, customer)
    if model is None:
        damage = problems[0].said if problems else ""
        return SoFar(
            model=None, marks=marks, damage=damage, results={}, customer=customer, same=same, done=done
        )
    drawn = not problems and not check_marks(marks, model.face)
    opened = entered.text("opened_before") == "yes"
    seen = observed_from(
        entered.group("look"),
        marks=marks,
        opened_before=opened,
        functions=entered.group("function"),
        battery_level=entered.text("arrival.battery_level"),
    )
    panel, panel_says = _panel(entered.text("edid"), model)
    results = {result.function: result for result in check_functions(model, _answers(entered))[0]}
    asked = consents.consents(model)
    done |= _device_done(entered, model) | _list_done(model, results) | _agreed_done(entered, asked)
    return SoFar(
        model=model,
        marks=marks,
        damage=problems[0].said if problems else read_damage(marks, model.face).says,
        plan=opening_plan(model, marks, consents.cups_mm()) if drawn else None,
        diagnosis=diagnose(seen, has_of(model)),
        opened_before=opened,
        results=results,
        panel=panel,
        panel_says=panel_says,
        odd=identify.imei_doubt(entered.text("serial"), known(model)),
        customer=customer,
        same=same,
        consents=asked,
        done=done,
        seen=seen,
        upgrade=upgrade_of(model, entered.group("arrival")),
        picture_in_doubt=picture_in_doubt(entered.group("look"), entered.group("function")),
    )


@reading
def estimate(draft_id: str, now: datetime) -> tuple[Estimate | None, Entered]:
    """What the repair may cost by what is typed of an intake yet (rule quote.estimate), and what is typed."""
    entered = Entered(draft(draft_id).fields)
    said = so_far(entered)
    if said.model is None or not said.model.ways:
        return None, entered
    if said.diagnosis and said.diagnosis.nothing_is_broken and not said.upgrade:
        return None, entered
    asked = asked_of(said.model, said.results, entered.group("arrival"))
    page = routes.routes_of_model(said.model, now, said.seen, asked)
    return estimate_of([one.weighed for one in page.ways]), entered


def _device_done(entered: Entered, model: Model) -> dict[str, Say]:
    # what is unknown of a device in no pack stays in sight
    if entered.text("model_id") == UNLISTED:
        return {}
    numbers = [text for name in ("read_number", "serial") if (text := entered.text(name).strip())]
    return {"device": fact("intake.device-is", model=model.full_name, numbers=numbers)}


def _customer_done(entered: Entered, customer: customers_store.CustomerRecord | None) -> dict[str, Say]:
    if customer:
        reached = customer.phone or customer.email
        return {"customer": fact("intake.customer-is", name=customer.name, reached=reached)}
    name, phone, email = map(entered.text, ("name", "phone", "email"))
    if check_customer(name, phone, email):
        return {}
    return {"customer": fact("intake.customer-is", name=name, reached=phone or email)}


def _list_done(model: Model, results: Mapping[str, FunctionResult]) -> dict[str, Say]:
    if len(results) < len(model.functions):
        return {}
    outcomes = [result.outcome for result in results.values()]
    faulty = [each.name for each in model.functions if results[each.id].outcome is Outcome.FAULTY]
    parts = [fact("intake.so-many-work", count=outcomes.count(Outcome.WORKS))]
    if faulty:
        parts.append(fact("intake.these-are-faulty", names=faulty))
    if untried := outcomes.count(Outcome.NOT_TESTABLE):
        parts.append(fact("intake.so-many-not-testable", count=untried))
    return {"works": fact("intake.list-is", parts=parts)}


def _agreed_done(entered: Entered, asked: Sequence[Consent]) -> dict[str, Say]:
    given = consents_given(entered.texts("consent"), asked)
    agreed = [consent for consent in asked if consent.id in given]
    if any(consent.needed and consent not in agreed for consent in asked):
        return {}
    return {"agreed": fact("intake.so-many-agreed", count=len(agreed), of=len(asked))}


def _answers(entered: Entered) -> dict[str, tuple[str, str]]:
    """The function list; how image and touch are faulty is said by what is seen of them."""
    answers = entered.answers()
    for name in FINER:
        outcome, reason = answers.get(name, ("", ""))
        seen = FINER[name].answers.get(entered.text(f"look.{name}"), "")
        if outcome == Outcome.FAULTY and not reason.strip():
            answers[name] = (outcome, seen)
    return answers


def _known_model(entered: Entered) -> Model | None:
    """The draft's model: one of the catalogue, or one made of what was measured."""
    model_id = entered.text("model_id")
    try:
        if model_id == UNLISTED:
            return _measured_model(entered)
        return catalogue.find_model(model_id) if model_id else None
    except (NotFound, ManyInvalid):
        return None


def _measured_model(entered: Entered) -> Model:
    problems = Problems(fact("catalogue.what-was-measured"))
    with problems.under("measured"):
        measured = read_measured(entered.group("measured"))
        return catalogue.unlisted(measured, entered.text("read_number"))
    problems.refuse()
    raise RuntimeError("what was refused is raised above")


def _panel(typed: str, model: Model) -> tuple[PanelShown | None, Say]:
    """What a pasted EDID says, and that in a sentence; a wrong one is refused when it is sent."""
    if not typed.strip():
        return None, ""
    try:
        panel = matching.show_panel(model, typed)
    except Refusal as refusal:
        return None, refusal.said
    return panel, panel.judged.says


def read_arrival(entered: Entered, zone: tzinfo) -> Arrival:
    """Everything an intake says, as typed; what cannot be read is among its problems."""
    problems = Problems()
    marks, unreadable = read_marks(entered.text("marks"))
    problems.extend(unreadable)
    strokes, unreadable = read_strokes(entered.text("signature"))
    problems.extend(unreadable)
    chosen = entered.text("promise")
    offered = chosen if chosen in (Offered.SAFE, Offered.ORDERED) else ""
    soonest = not offered and chosen != "at"
    promised = entered.text("promise_at")
    promise_at = (
        None
        if soonest or offered
        else problems.read("promise_at", promised, lambda text: read_moment(text, zone))
    )
    measured = None
    if entered.text("model_id") == UNLISTED:
        with problems.under("measured"):
            measured = read_measured(entered.group("measured"))
    came = [(name, entered.text(f"kept.{name}")) for name in entered.texts("accessory")]
    other = entered.text("accessory_other").strip()[:80]
    customer = entered.text("customer_id")
    return Arrival(
        customer_id=read_id(customer) if customer else None,
        name=entered.text("name"),
        phone=entered.text("phone"),
        email=entered.text("email"),
        model_id=entered.text("model_id"),
        read_number=entered.text("read_number")[:80],
        serial=entered.text("serial"),
        channel=entered.text("channel"),
        complaint=entered.text("complaint"),
        opened_before=entered.text("opened_before") == "yes",
        marks=marks,
        functions=_answers(entered),
        accessories=[*came, (other, entered.text("kept.other"))] if other else came,
        consents=entered.texts("consent"),
        promise_at=promise_at,
        promise_reason=entered.text("promise_reason")[:300],
        soonest=soonest,
        offered=offered,
        problems=list(problems),
        measured=measured,
        edid=entered.text("edid"),
        look=entered.group("look"),
        how=entered.group("arrival"),
        signature=strokes,
    )
