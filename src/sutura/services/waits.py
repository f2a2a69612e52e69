"""What a step asks for before it is done: its wait, its heat, its serial; and what was let pass."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from sutura.core.bench import serials as serial_rules
from sutura.core.bench import waits as rules
from sutura.core.bench.heat import is_too_hot, not_held
from sutura.core.bench.progress import Progress
from sutura.core.bench.waits import Passed, PassedKind, Wait
from sutura.core.catalogue.model import Model, Phase, Step
from sutura.core.errors import StepNotHeld
from sutura.core.facts import Fact, Minutes, fact
from sutura.core.job import EventKind, JobRecord, check_worked_on
from sutura.core.people import Deed, demand, may
from sutura.core.shop import AHEAD
from sutura.core.values import Person, Role
from sutura.services import heat, schools
from sutura.services.job import note, progress_of
from sutura.services.shop import speech
from sutura.store import heat as heat_store
from sutura.store import job as job_store
from sutura.store import serials as serials_store
from sutura.store import stock as stock_store
from sutura.store import waits as store
from sutura.store.database import writing

# one who saw to a device that still lies there is called again after so long; the shop's, no source
CALLED_AGAIN = timedelta(minutes=5)


@writing
def start_timer(code: str, step_id: str, by: Person, now: datetime) -> None:
    """The device is put on the plate, into the clamp, under tension: its time runs from now."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    check_worked_on(job)
    model = schools.of_job(job)
    progress = progress_of(job, model, chosen=step_id)
    known = store.waits_of(job.id)
    step = progress.step if progress.step and progress.step.id == step_id else None
    step = rules.check_start(step, rules.running(known, job.bench.attempt, step_id))
    check_lies_elsewhere(progress, known, job.bench.attempt, step_id)
    store.start_wait(job.id, job.bench.attempt, step.id, step.wait_minutes, by.id, now)
    store.set_timer(job.id, now + timedelta(minutes=step.wait_minutes))
    note(job, EventKind.PUT_ON, {"text": step.text, "minutes": step.wait_minutes}, by=by, now=now)


def check_lies_elsewhere(progress: Progress, known: Sequence[Wait], attempt: int, step_id: str) -> None:
    """Refuse another step while the device lies where it waits."""
    lies = next(
        (one for one in known if not one.ended_at and one.attempt == attempt and one.step != step_id), None
    )
    if lies:
        text = next((step.text for step in progress.steps if step.id == lies.step), lies.step)
        lying = fact("waits.lies-there", text=text.rstrip("."), until=lies.until)
        raise StepNotHeld("timer", lying, fact("waits.take-it-off"))


@writing
def acknowledge(code: str, by: Person, now: datetime) -> None:
    """Somebody sees to a device whose time is over; who and when stays in its history. While it still lies
    there it calls again: only taking it off ends its wait.
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if store.ended_timer(job.id, now):
        lies_there = any(not wait.ended_at for wait in store.waits_of(job.id))
        store.set_timer(job.id, now + CALLED_AGAIN if lies_there else None)
        note(job, EventKind.SEEN, {}, by=by, now=now)


@writing
def heal_clock(now: datetime) -> dict[str, int]:
    """What waits at the bench since a time that is not come yet is timed from now on (rule shop.clock):
    nobody knows when it was put there, and a cure is never shortened. How much that was.
    """
    begun = store.begun_after(now + AHEAD)
    for one in begun:
        job = job_store.lock_job(one.code)
        store.begin_again(one.job_id, now)
        store.set_timer(one.job_id, now + timedelta(minutes=one.minutes))
        says = speech().say(fact("waits.clock-was-ahead", minutes=Minutes(one.minutes)))
        by = Person(id=one.started_by, name="", role=Role.TECHNICIAN)
        note(job, EventKind.NOTED, {"says": says}, by=by, now=now)
    return {"waits": len(begun), "heat": store.hot_since(now + AHEAD, now)}


def end_round(job: JobRecord, by: Person, now: datetime) -> None:
    """What waited by the clock belonged to the round that ends: the device is taken off."""
    store.set_timer(job.id, None)
    store.end_wait(job.id, by.id, now)


def check_binding(
    job: JobRecord, model: Model, progress: Progress, reason: str, by: Person, now: datetime, *, trained: bool
) -> list[Passed]:
    """Refuse a step that has not held what it asks for (rules bench.waits, heat.window, bench.serial); what
    is let pass with a reason, where it may be.
    """
    step = progress.step
    assert step, "looked at by check_step"
    known = store.waits_of(job.id)
    check_lies_elsewhere(progress, known, job.bench.attempt, step.id)
    may_pass = rules.may_let_pass(step, trained=trained, manages=may(by, Deed.LET_PASS))
    let: list[Passed] = []

    def keep(what: PassedKind, said: Fact | None) -> None:
        if said:
            let.append(
                Passed(
                    attempt=job.bench.attempt,
                    step=step.id,
                    what=what,
                    said=said,
                    reason=reason.strip()[:300],
                    who=by.name,
                    at=now,
                )
            )

    running = rules.running(known, job.bench.attempt, step.id)
    keep(PassedKind.WAIT, rules.check_wait(step, running, now, reason))
    keep(PassedKind.HEAT, _heat(job, model, step, reason, by, now, may_pass))
    keep(PassedKind.SERIAL, _serial(job, step, reason, may_pass))
    return let


def keep_binding(job: JobRecord, step: Step, let: Sequence[Passed], by: Person, now: datetime) -> None:
    """The step is done: its wait ends, and what was let pass stays with the job."""
    early = next((one.reason for one in let if one.what is PassedKind.WAIT), "")
    if step.wait_minutes:
        store.end_wait(job.id, by.id, now, early)
        store.set_timer(job.id, None)
    for one in let:
        store.add_passed(job.id, one, by.id)


def _heat(
    job: JobRecord,
    model: Model,
    step: Step,
    reason: str,
    by: Person,
    now: datetime,
    may_pass: frozenset[PassedKind],
) -> Fact | None:
    if not step.heat:
        return None
    places = {edge.edge: edge.judged for edge in heat.edges_of(job, model, step, now)}
    said = not_held(step, places)
    if not isinstance(said, Fact):
        return None
    if is_too_hot(places) and not may(by, Deed.LET_PASS):
        raise StepNotHeld("heat", said, fact("heat.let-it-cool"))
    if not reason.strip() or PassedKind.HEAT not in may_pass:
        raise StepNotHeld("reason", said, fact("heat.hold-or-say-why"))
    return said


def _serial(job: JobRecord, step: Step, reason: str, may_pass: frozenset[PassedKind]) -> Fact | None:
    if not serial_rules.needs_programmer(step):
        return None
    known = str(job.arrival.how.get("display_serial", ""))
    pieces = [held.piece_id for held in stock_store.held_of(job.id) if held.piece_id]
    said = serial_rules.not_held(step, serials_store.serials_of(job.id), known, pieces)
    if said is None:
        return None
    if PassedKind.SERIAL not in may_pass:
        raise StepNotHeld("serial", said, fact("serial.do-it-or-ask"))
    if len(reason.strip()) < 5:
        raise StepNotHeld("reason", said, fact("serial.do-it-or-say-why"))
    return said


def check_cold(job: JobRecord, step: Step | None) -> None:
    """Refuse to close a device beside something hot that is still on (rule heat.off)."""
    on = [source.what for source in heat_store.sources_of(job.id) if source.is_on]
    if on and step and step.phase is Phase.CLOSE:
        raise StepNotHeld("heat", fact("heat.is-on", names=tuple(on)), fact("heat.switch-off-first"))
