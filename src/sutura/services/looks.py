"""The device proves itself: by a link of its own it is tested, and what it sends is judged and kept; a bare
panel is looked at until it is clean, a sealed device once more.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from sutura.core.bench.stations import CLAMP, station_of
from sutura.core.catalogue.model import Function, Model
from sutura.core.errors import Invalid, MoveRefused, NotFound, StepNotHeld
from sutura.core.facts import Fact, fact
from sutura.core.handover.giving import waits_for
from sutura.core.intake.arrival import check_functions
from sutura.core.intake.marks import MarkKind, Side
from sutura.core.job import BEFORE_OPENING, EventKind, JobRecord, Stage
from sutura.core.maths.geometry import Point
from sutura.core.maths.plane import Patch
from sutura.core.people import Deed, demand
from sutura.core.proof.answering import compare
from sutura.core.proof.dust import BARE_ROUTES, DustReading, check_accepted, read_dust
from sutura.core.proof.sealing import Look, check_clamp, due_look, functions_of, looks_of, read_felt, said_of
from sutura.core.proof.touch import Zone, compare_zones
from sutura.core.proof.traces import Kind, picture_from, pixels_of, touch_from, tried_from
from sutura.core.typed import refuse
from sutura.core.values import FunctionResult, Outcome, Person
from sutura.services import schools
from sutura.services.job import note
from sutura.services.marks import marks_of
from sutura.services.people import token_hash
from sutura.store import audit as audit_store
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store import proof as store
from sutura.store import waits as waits_store
from sutura.store.database import reading, writing

# how long a link is good, and how long what was done by then may still arrive; the shop's, no source
GOOD_FOR, STILL_TAKEN = timedelta(minutes=60), timedelta(hours=12)
# more tests of one device are no test of it
MOST_TESTS = 300
MOST_SENT = 900_000
MOST_SPECKS = 200
# what a page asks of a model's functions by hand or by its own sensors
ASKED = (
    "brightness",
    "earpiece",
    "speakers",
    "loudspeaker",
    "microphone",
    "front-camera",
    "camera",
    "rotation",
)


# from the counter to the last look before it goes
TESTED_AT = frozenset({*BEFORE_OPENING, Stage.OPENED, Stage.PROVED, Stage.CLOSED})


class LinkOver(MoveRefused):
    """The link has ended; a new one is asked for at the shop."""

    def __init__(self, code: str) -> None:
        super().__init__(code, fact("looks.be-tested"), [fact("looks.link-over")])


class OtherDevice(MoveRefused):
    """Another device has this link."""

    def __init__(self, code: str) -> None:
        super().__init__(code, fact("looks.be-tested"), [fact("looks.other-device")])


@writing
def make_link(code: str, by: Person, now: datetime) -> str:
    """A new link to test a job's device; the one before ends. Its secret is known only now."""
    job = job_store.lock_job(code)
    demand(by, Deed.TAKE_IN if job.stage in BEFORE_OPENING else Deed.WORK_BENCH)
    if job.stage not in TESTED_AT:
        raise MoveRefused(code, fact("looks.be-tested"), [fact("job.it-is", stage=job.stage)])
    token = secrets.token_urlsafe(24)
    store.end_links(job.id, now)
    store.add_link(token_hash(token), job.id, _attempt(job), by.id, now, now + GOOD_FOR)
    audit_store.add_audit(by.id, now, "test link made", {"job": code})
    return token


@dataclass(frozen=True, slots=True, kw_only=True)
class DevicePage:
    """What the device under test is shown: a code, the functions it is asked about, and nothing else."""

    code: str
    functions: tuple[Function, ...]
    has_touch: bool
    expires_at: datetime


@writing
def open_link(token: str, device: str, now: datetime) -> DevicePage:
    """The page of a link for the device that opened it first; another one, and a link that is over, are
    refused.
    """
    link = _link(token)
    if now >= link.expires_at:
        raise LinkOver(link.code)
    if not store.take_link(link.id, token_hash(device)):
        raise OtherDevice(link.code)
    model = schools.of_job(job_store.load_job(link.code))
    return DevicePage(
        code=link.code,
        functions=tuple(one for one in model.functions if one.id in ASKED),
        has_touch=any(one.id == "touch" for one in model.functions),
        expires_at=link.expires_at,
    )


def _link(token: str) -> store.Link:
    """The link behind a token; one that nobody made is not found, whatever is wrong with it."""
    found = store.load_link(token_hash(token)) if 20 <= len(token) <= 64 else None
    if found is None:
        raise NotFound(fact("looks.link"), "…")
    return found


@writing
def receive(token: str, device: str, kind: str, sent_key: str, said: str, now: datetime) -> Outcome:
    """What a device sends is judged and kept, once however often it is sent; it may arrive after the link's
    end, when it was away from the network meanwhile.
    """
    link = _link(token)
    if link.device != token_hash(device):
        raise OtherDevice(link.code)
    if now >= link.expires_at + STILL_TAKEN:
        raise LinkOver(link.code)
    if not 8 <= len(sent_key) <= 64:
        raise Invalid("key", sent_key[:80], fact("looks.key"))
    job = job_store.lock_job(link.code)
    if store.count_tests(job.id) >= MOST_TESTS:
        raise MoveRefused(link.code, fact("looks.be-tested"), [fact("looks.most", most=MOST_TESTS)])
    model = schools.of_job(job)
    columns = _judged(model, kind, _read(said))
    # sent again with its key it is what it was then, whatever it says now
    return store.add_test(link, sent_key, now, kind=kind, **columns)


def _read(said: str) -> Mapping[str, Any]:
    try:
        read = json.loads(said) if len(said) <= MOST_SENT else None
    except (ValueError, RecursionError):
        read = None
    if not isinstance(read, dict):
        raise Invalid("said", said[:40], fact("looks.said"))
    return read


def _judged(model: Model, kind: str, said: Mapping[str, Any]) -> dict[str, Any]:
    """One test as it is kept."""
    face = model.face.active
    if kind == Kind.TOUCH:
        fingers = next((one.fingers for one in model.functions if one.id == "touch"), 0)
        touch = touch_from(face, said, fingers or None)
        return {
            "function": "touch",
            "outcome": touch.outcome.value,
            "measured": True,
            "reasons": touch.reasons,
            "found": {
                "share": round(touch.share, 4),
                "bare": [_outline(patch) for patch in touch.bare[:40]],
                "edges": {edge.value: round(share, 3) for edge, share in touch.edges.items()},
                "gaps": len(touch.gaps),
                "ghosts": [[round(one.x, 1), round(one.y, 1)] for one in touch.ghosts[:40]],
                "fingers": touch.fingers,
                "line": [round(touch.line.off_mm, 2), round(touch.line.jitter_mm, 2)] if touch.line else None,
            },
        }
    if kind == Kind.PICTURE:
        picture, places = picture_from(face, pixels_of(str(model.need.get("resolution", ""))), said)
        return {
            "function": "image",
            "outcome": picture.outcome.value,
            # a person looked: the page only shows and counts
            "measured": False,
            "reasons": picture.reasons,
            "found": {
                "classes": {one.value: name for one, name in picture.classes.items()},
                "marks": [[round(one.x, 1), round(one.y, 1)] for one in places],
            },
        }
    if kind == Kind.FUNCTION:
        tried = tried_from([one.id for one in model.functions if one.id in ASKED], said)
        return {
            "function": tried.function,
            "outcome": tried.outcome.value,
            "measured": tried.measured,
            "reasons": [tried.how],
            "found": {},
        }
    raise Invalid("kind", kind[:40], fact("looks.kinds", kinds=tuple(Kind)))


def _outline(patch: Patch) -> list[list[float]]:
    """An outline as it is kept: places to a tenth of a millimetre."""
    return [[round(one.x, 1), round(one.y, 1)] for one in patch.outline]


@dataclass(frozen=True, slots=True, kw_only=True)
class LookPage:
    """What was measured, looked at and felt: the latest test of each function in this round, dead zones of
    then and now, the looks at a bare panel, and those at a sealed device with what is still to be done.
    """

    told: Mapping[str, store.Test]
    zones: tuple[Zone, ...]
    bare: tuple[tuple[Point, ...], ...]
    dust: DustReading
    dusts: Sequence[store.Dust]
    needs_dust: bool
    sealed: Sequence[store.Sealed]
    looks: tuple[Look, ...]
    due: Look | None
    functions: tuple[Function, ...]
    sealed_until: datetime | None
    clamped: bool


@reading
def look_page(job: JobRecord, model: Model, now: datetime) -> LookPage:
    """What the device says of itself."""
    tests = [test for test in store.load_tests(job.id) if test.attempt == _attempt(job)]
    told = {test.function: test for test in tests}
    touch = told.get("touch")
    bare = outlines_of(touch) if touch and touch.outcome is Outcome.FAULTY else ()
    dusts = [look for look in store.load_dust(job.id) if look.attempt == job.bench.attempt]
    sealed = [look for look in store.load_sealed(job.id) if look.attempt == job.bench.attempt]
    cure = cure_of(job, model)
    looks = looks_of(model, cure_minutes=cure)
    closed = job_store.bench_times(job.id, (EventKind.CLOSED,)) if job.stage is Stage.CLOSED else []
    over = max(closed) + timedelta(minutes=cure) if closed else None
    passed = [look.look for look in sealed if look.passed]
    due = due_look(looks, passed, over, now) if job.stage is Stage.CLOSED else None
    return LookPage(
        told=told,
        zones=compare_zones(_dead_then(job), bare)
        if touch and touch.outcome is not Outcome.NOT_TESTABLE
        else (),
        bare=bare,
        dust=_dust_of(dusts),
        dusts=dusts,
        needs_dust=job.chosen.route in BARE_ROUTES or bool(dusts),
        sealed=sealed,
        looks=looks,
        due=due,
        functions=functions_of(model, due, _proved(job)) if due else (),
        sealed_until=over,
        clamped=any(station_of(step) == CLAMP for step in model.steps),
    )


def _proved(job: JobRecord) -> frozenset[str]:
    """The functions that worked at the last test of this round, with the device still open."""
    results = intake_store.load_results(job.id).get(job.bench.attempt, {}) if job.bench.attempt else {}
    return frozenset(name for name, result in results.items() if result.outcome is Outcome.WORKS)


def cure_of(job: JobRecord, model: Model) -> int:
    """How long the seal of this job cures."""
    return model.cure_minutes if job.bench.cure_minutes is None else job.bench.cure_minutes


@reading
def let_pass_of(job: JobRecord) -> store.Override | None:
    """What a manager let pass in the last round."""
    return store.load_override(job.id, job.bench.attempt)


@reading
def went_early(job: JobRecord) -> store.WentEarly | None:
    """That a job went before it was ready."""
    return store.load_let_go(job.id)


def _attempt(job: JobRecord) -> int:
    return 0 if job.stage in BEFORE_OPENING and job.bench.attempt == 1 else job.bench.attempt


def outlines_of(test: store.Test) -> tuple[tuple[Point, ...], ...]:
    """The places of a touch test that were not felt."""
    return tuple(
        tuple(Point(x=x, y=y) for x, y in outline)
        for outline in test.found.get("bare", ())
        if len(outline) > 2
    )


def _dead_then(job: JobRecord) -> list[tuple[Point, ...]]:
    """The dead zones that were drawn on arrival."""
    return [
        mark.points
        for mark in marks_of(job)
        if mark.kind is MarkKind.DEAD and mark.side is Side.FRONT and len(mark.points) > 2
    ]


def specks_of(dusts: Sequence[store.Dust]) -> list[list[Point]]:
    """Where specks were at each look."""
    return [[Point(x=x, y=y) for x, y in look.specks] for look in dusts if not look.accepted]


def _dust_of(dusts: Sequence[store.Dust]) -> DustReading:
    looks = specks_of(dusts)
    accepted = next((look.accepted for look in reversed(dusts) if look.accepted), "")
    return read_dust(looks, accepted)


def check_clean(job: JobRecord) -> None:
    """Refuse a proof while marked specks are neither cleaned away nor accepted (rule dust.binds)."""
    dusts = [look for look in store.load_dust(job.id) if look.attempt == job.bench.attempt]
    if dusts and not (dust := _dust_of(dusts)).done:
        last = dust.rounds[-1]
        left = fact("dust.specks-are-marked", count=len(last.new) + len(last.back))
        raise StepNotHeld("dust", left, fact("dust.clean-or-accept"))


def check_looked(job: JobRecord) -> None:
    """Refuse that a bare panel passes its proof without a look for dust (rule dust.binds)."""
    if job.chosen.route not in BARE_ROUTES:
        return
    if not any(look.attempt == job.bench.attempt for look in store.load_dust(job.id)):
        raise StepNotHeld("dust", fact("dust.not-looked-yet"), fact("dust.look-and-keep"))


@reading
def is_ready(job: JobRecord, now: datetime) -> bool:
    """Whether a closed job can be handed back as far as its looks and its cure go (rule handover.ready)."""
    return job.stage is Stage.CLOSED and not not_ready(job, schools.of_job(job), now)


def not_ready(job: JobRecord, model: Model, now: datetime) -> tuple[Fact, ...]:
    """What a closed job waits for before it may be handed back (rule handover.ready); nothing before that."""
    if job.stage is not Stage.CLOSED:
        return ()
    sealed = [look for look in store.load_sealed(job.id) if look.attempt == job.bench.attempt]
    cure = cure_of(job, model)
    closed = job_store.bench_times(job.id, (EventKind.CLOSED,))
    over = max(closed) + timedelta(minutes=cure) if closed and cure else None
    passed = {look.look for look in sealed if look.passed}
    return waits_for(looks_of(model, cure_minutes=cure), sorted(passed), over, now)


@writing
def look_for_dust(code: str, typed: str, by: Person, now: datetime) -> DustReading:
    """One look at a bare panel: where specks are, in mm, as JSON of [x, y]; none = clean."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage is not Stage.OPENED:
        raise MoveRefused(code, fact("looks.be-looked-at"), [fact("job.it-is", stage=job.stage)])
    model = schools.of_job(job)
    specks = _specks(typed, model)
    store.add_dust(job.id, job.bench.attempt, specks, "", by.id, now)
    note(job, EventKind.DUST, {"specks": len(specks)}, by=by, now=now)
    return _dust_of([look for look in store.load_dust(job.id) if look.attempt == job.bench.attempt])


def _specks(typed: str, model: Model) -> list[tuple[float, float]]:
    accepts = fact("looks.specks", most=MOST_SPECKS)
    try:
        read = json.loads(typed or "[]")
        specks = [(round(float(x), 1), round(float(y), 1)) for x, y in read]
    except (ValueError, TypeError, RecursionError):
        raise Invalid("specks", typed[:80], accepts) from None
    face = model.face
    if len(specks) > MOST_SPECKS or not all(
        0 <= x <= face.width_mm and 0 <= y <= face.height_mm for x, y in specks
    ):
        raise Invalid("specks", typed[:80], accepts)
    return specks


@writing
def accept_dust(code: str, reason: str, by: Person, now: datetime) -> None:
    """What is left is accepted, with a reason that the customer is told."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage is not Stage.OPENED:
        raise MoveRefused(code, fact("looks.be-looked-at"), [fact("job.it-is", stage=job.stage)])
    dusts = [look for look in store.load_dust(job.id) if look.attempt == job.bench.attempt]
    check_accepted(reason, specks_of(dusts))
    store.add_dust(job.id, job.bench.attempt, (), reason.strip()[:200], by.id, now)
    note(job, EventKind.DUST, {"accepted": reason.strip()[:200]}, by=by, now=now)


@writing
def look_at_sealed(
    code: str, answers: Mapping[str, tuple[str, str]], typed: Mapping[str, str], by: Person, now: datetime
) -> tuple[Fact, ...]:
    """A sealed device, tested and felt; what is wrong with it, nothing where it is proved. What is wrong
    sends nobody back by itself: opening it again is chosen at the bench.
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    model = schools.of_job(job)
    page = look_page(job, model, now)
    if page.due is None:
        raise MoveRefused(code, fact("looks.be-looked-at"), [fact("looks.nothing-due")])
    narrowed = _only(model, page.functions)
    results, problems = check_functions(narrowed, answers)
    refuse(problems, "The look")
    check_clamp(page.clamped and page.due is Look.AFTER_CURE, typed.get("clamp") == "yes")
    felt = read_felt(typed) if page.due is Look.AFTER_SEALING else ()
    wrong = (*said_of(felt), *_worse(job, page.functions, results))
    store.add_sealed(
        job.id,
        job.bench.attempt,
        page.due.value,
        {one.function: (one.outcome.value, one.reason) for one in results},
        {name: text for name, text in typed.items() if text.strip()},
        passed=not wrong,
        person_id=by.id,
        at=now,
    )
    if not wrong:
        # from here on it waits for its cure by the clock; after that look it waits no more
        over = page.sealed_until if page.due is Look.AFTER_SEALING else None
        waits_store.set_timer(job.id, over if over and over > now and Look.AFTER_CURE in page.looks else None)
    note(job, EventKind.SEALED_LOOK, {"look": page.due.value, "passed": not wrong}, by=by, now=now)
    return wrong


def _only(model: Model, functions: Sequence[Function]) -> Model:
    return replace(model, functions=tuple(functions))


def _worse(
    job: JobRecord, functions: Sequence[Function], results: Sequence[FunctionResult]
) -> tuple[Fact, ...]:
    """What does not work that has to, by the rules of the proof (proof.screen, proof.answer-for) against what
    it was before sealing; what a manager let pass then is let pass now.
    """
    lists = intake_store.load_results(job.id)
    before = lists.get(job.bench.attempt) or lists[0]
    passed = let_pass_of(job)
    known = set(passed.names) if passed else set()
    reading_ = compare(functions, before, {one.function: one for one in results})
    return tuple(
        fact("looks.worse", name=one.function.name, reason=one.after.reason)
        for one in reading_.failing
        if one.function.name not in known
    )
