"""Moving a job: gather its facts, let the state machine decide, save the stage and the event together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from sutura.core.bench import progress as bench_rules
from sutura.core.bench.done import Done
from sutura.core.bench.generated import ADAPTER_FLEX
from sutura.core.bench.progress import Progress
from sutura.core.bench.rework import rounds
from sutura.core.catalogue.model import Model, Step
from sutura.core.handover.giving import Accessory
from sutura.core.handover.ledger import MONEY_IN, Balance, Paid, balance_at, received
from sutura.core.intake.arrival import Applies, is_asked
from sutura.core.intake.promise import offer_anew
from sutura.core.job import (
    BEFORE_OPENING,
    NO_PART,
    BenchWork,
    EventKind,
    JobEvent,
    JobFacts,
    JobPart,
    JobRecord,
    Move,
    Round,
    SeamStitch,
    Stage,
    check_move,
    seam,
)
from sutura.core.matching.judging import Fit
from sutura.core.maths.money import Money
from sutura.core.planning.queue import Next, next_of
from sutura.core.proof import answering as proof_rules
from sutura.core.quoting.answers import with_customer
from sutura.core.shop import AHEAD
from sutura.core.values import FunctionResult, Person
from sutura.formats.pieces import step_from_json, step_to_json
from sutura.services import schools, shop
from sutura.services.marks import marks_of
from sutura.store import bench as bench_store
from sutura.store import catalogue as catalogue_store
from sutura.store import consents as consents_store
from sutura.store import handover as handover_store
from sutura.store import heat as heat_store
from sutura.store import intake as intake_store
from sutura.store import job as store
from sutura.store import ledger as ledger_store
from sutura.store import planning as planning_store
from sutura.store import plans as plans_store
from sutura.store import proof as proof_store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing

# a plan that is older says nothing of now: whoever makes it has stopped; the shop's, no source
FRESH = timedelta(minutes=20)
PROVED = frozenset({Stage.PROVED, Stage.CLOSED, Stage.HANDED_BACK})


@dataclass(frozen=True, slots=True, kw_only=True)
class JobPage:
    """A job with all that belongs to it, read in one go."""

    job: JobRecord
    model: Model
    seam: tuple[SeamStitch, ...]
    next: Next | None
    events: list[JobEvent]
    results: Mapping[int, Mapping[str, FunctionResult]]
    accessories: list[Accessory]
    consents: Mapping[str, str]
    held: list[stock_store.Held]
    payments: list[Paid]
    progress: Progress
    proof: proof_rules.ProofReading | None
    # what can be promised instead; None = nobody knows
    offered: datetime | None
    # every step that the job keeps, and what was recorded
    kept: Model
    done: list[Done]

    @property
    def had(self) -> Money:
        """What the shop has of its price."""
        return received(self.payments, self.job.currency)

    @property
    def balance(self) -> Balance:
        """What its ledger says (rule handover.ledger)."""
        job = self.job
        return balance_at(job.stage, job.chosen.price_minor, job.currency, self.payments)

    @property
    def payment(self) -> Paid | None:
        """The payment that was taken last; what was given back is none."""
        return next((one for one in reversed(self.payments) if one.kind in MONEY_IN), None)


@reading
def job_page(code: str, now: datetime) -> JobPage:
    job = store.load_job(code)
    model = schools.of_job(job)
    results = intake_store.load_results(job.id)
    waiting, hours = planning_store.load_open_job(code), shop.open_hours()
    told = plans_store.told_between(now - FRESH, now + AHEAD, code).get(code) if waiting else None
    line = next_of(waiting.waiting, now, hours, told) if waiting else None
    blocked = waiting.waiting.blocked if waiting else ""
    done, kept = bench_store.load_done(job.id), kept_sheet(job, model)
    return JobPage(
        job=job,
        model=model,
        seam=seam(job.stage, blocked),
        next=line,
        events=with_customer(store.events_page(job.id)),
        results=results,
        accessories=handover_store.load_accessories(job.id),
        consents=consents_store.load_consents(job.id),
        held=stock_store.held_of(job.id),
        payments=ledger_store.load_payments(job.id),
        progress=progress_of(job, model, done, kept=kept),
        kept=kept.model,
        done=done,
        proof=latest_proof(model, results),
        offered=offer_anew(job.promise_at, line.expected.ready, now, hours) if line else None,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class KeptSheet:
    """The sheet a job keeps: its model with every step that was kept, the steps of this round, empty where
    none is kept, and the version of the model that it was worked out from. `whole` is how many steps its
    first round has: what is left of a later one is measured by it.
    """

    model: Model
    steps: tuple[Step, ...]
    version: int
    whole: int = 0


@reading
def kept_sheet(job: JobRecord, model: Model) -> KeptSheet:
    """What a job keeps (rule bench.frozen); nothing before it was opened for the first time."""
    if not model.pieces or (job.stage in BEFORE_OPENING and job.bench.attempt == 1):
        return KeptSheet(model=model, steps=(), version=job.model_version)
    known: dict[str, Step] = {}
    steps: tuple[Step, ...] = ()
    version, whole = job.model_version, job.bench.steps_total
    for attempt, model_version, kept in bench_store.load_sheets(job.id):
        read = _chained(tuple(step_from_json(step) for step in kept))
        known |= {step.id: step for step in read}
        if attempt == 1:
            whole = len(read)
        if attempt == job.bench.attempt:
            steps, version = read, model_version
    kept_model = replace(model, steps=tuple(known.values())) if known else model
    return KeptSheet(model=kept_model, steps=steps, version=version, whole=whole)


def _chained(steps: tuple[Step, ...]) -> tuple[Step, ...]:
    """A list that knows no pieces is one chain: each step waits for the one before it."""
    if any(step.piece for step in steps):
        return steps
    return tuple(
        replace(step, after=(steps[place - 1].id,) if place else ()) for place, step in enumerate(steps)
    )


def with_left(work: BenchWork, whole: int, left: int) -> BenchWork:
    """A round with so many of its steps left, measured by the whole sheet: minutes follow from it. A device
    that is laid down for the night has left what was left before.
    """
    if work.round is Round.FOR_THE_NIGHT:
        return work
    total = max(whole, left)
    return replace(work, steps_done=total - left, steps_total=total)


@reading
def measured(job: JobRecord, work: BenchWork) -> BenchWork:
    """The work of a device that lies open and waits for its part, by the sheet of what is chosen now."""
    if job.bench.attempt == 1:
        return work
    model = schools.of_job(job)
    kept = kept_sheet(job, model)
    return with_left(work, kept.whole, len(progress_of(job, model, kept=kept).steps))


@writing
def next_round(job: JobRecord, round_: Round, now: datetime) -> BenchWork:
    """Another round of work from how the device lies there, with its sheet. Inside a deed."""
    work = replace(job.bench, attempt=job.bench.attempt + 1, round=round_)
    whole = kept_sheet(job, schools.of_job(job)).whole
    return with_left(work, whole, keep_sheet(job, work, now))


@writing
def keep_sheet(job: JobRecord, work: BenchWork, now: datetime) -> int:
    """Work the sheet of a round out and keep it; how many steps it has. Inside a deed."""
    model = schools.of_job(job)
    kept = kept_sheet(job, model).model
    done = bench_store.load_done(job.id)
    stays: frozenset[str] = frozenset()
    known = rounds(store.kinds_of(job.id))
    if work.round is Round.WHOLE and work.attempt > 1:
        stays = bench_rules.stays(kept, done, known)
    elif known.get(work.attempt - 1) is Round.FOR_THE_NIGHT and work.round is not Round.FOR_THE_NIGHT:
        # what a round had done before the night stays done: it is gone on with, not begun anew
        stays = bench_rules.of_round(kept, done, work.attempt - 2)
    catalogue_store.keep_version(job.model_id, schools.version_of(job))
    steps = bench_rules.steps_of(kept, work.round, done, route=job.chosen.route, box=_box_of(job), kept=stays)
    if model.pieces:
        bench_store.add_sheet(
            job.id, work.attempt, schools.version_of(job), [step_to_json(step) for step in steps], now
        )
    return len(steps)


@writing
def keep_new_sheet(job: JobRecord, now: datetime) -> int:
    """Work out anew, by the model as the job knows it, what is left of a round; how many steps are. Inside a
    deed; one that has no pieces keeps what it has.
    """
    model = schools.of_job(job)
    if not model.pieces:
        return job.bench.steps_total - job.bench.steps_done
    catalogue_store.keep_version(job.model_id, schools.version_of(job))
    done = bench_store.load_done(job.id)
    steps = bench_rules.anew(
        model, job.bench.round, job.bench.attempt, done, route=job.chosen.route, box=_box_of(job)
    )
    bench_store.add_sheet(
        job.id, job.bench.attempt, schools.version_of(job), [step_to_json(step) for step in steps], now
    )
    finished = {entry.step for entry in done if entry.attempt == job.bench.attempt}
    return sum(step.id not in finished for step in steps)


@reading
def anew_left(job: JobRecord, work: BenchWork, left: int) -> BenchWork:
    """The work of a job whose sheet was worked out anew, with what is left of it."""
    return with_left(work, kept_sheet(job, schools.of_job(job)).whole, left)


def _box_of(job: JobRecord) -> list[str]:
    """What comes with the parts that a job holds. An adapter flex counts only where it bridges something: one
    that lies in a box without need is left in it.
    """
    held = stock_store.held_of(job.id)
    there = {item for one in held for item in one.box}
    there |= {one.kind for one in held if one.kind == ADAPTER_FLEX}
    bridged = job.chosen.fit == Fit.BRIDGED
    return sorted(item for item in there if item != ADAPTER_FLEX or bridged)


def progress_of(
    job: JobRecord,
    model: Model,
    done: list[Done] | None = None,
    *,
    chosen: str = "",
    kept: KeptSheet | None = None,
) -> Progress:
    """Where the bench stands; `chosen` is another step than the suggested one."""
    recorded = bench_store.load_done(job.id) if done is None else done
    kept = kept or kept_sheet(job, model)
    # before it is opened, or opened again for another part, the sheet is worked out for what is chosen now
    previews = bool(model.pieces) and job.stage in (Stage.QUOTED, Stage.PART_IN_HAND)
    return bench_rules.progress(
        kept.model,
        job.bench.attempt,
        recorded,
        proved=job.stage in PROVED or tested_unrepaired(job),
        work=job.bench.round,
        missing=bench_rules.missing_on_arrival(model, marks_of(job)),
        sheet=() if previews else kept.steps,
        route=job.chosen.route,
        box=_box_of(job) if previews else (),
        chosen=chosen,
    )


def tested_unrepaired(job: JobRecord) -> bool:
    """Whether what still works was tested, of a repair that was given up."""
    if job.bench.round is not Round.CLOSING_UP:
        return False
    results = intake_store.load_results(job.id)
    return proof_rules.is_whole(results[0], results.get(job.bench.attempt, {}))


def latest_proof(
    model: Model, results: Mapping[int, Mapping[str, FunctionResult]]
) -> proof_rules.ProofReading | None:
    """The newest proof held against the baseline; None before the first."""
    newest = max(results, default=0)
    if newest == 0:
        return None
    return proof_rules.compare(model.functions, results[0], results[newest])


def gather_facts(job: JobRecord, model: Model) -> JobFacts:
    """What the guards look at, read under the job's lock."""
    results = intake_store.load_results(job.id)
    consents = consents_store.load_consents(job.id)
    progress = progress_of(job, model)
    now_results = results.get(job.bench.attempt, {})
    complete = proof_rules.is_whole(results.get(0, {}), now_results)
    return JobFacts(
        code=job.code,
        stage=job.stage,
        baseline_complete=bool(results.get(0)),
        consents_complete=all(
            text.consent in consents
            for text in consents_store.needed_consents(job.arrival.received_at)
            if is_asked(Applies(text.applies), model)
        ),
        price_agreed=job.chosen.price_minor is not None,
        part_chosen=job.chosen.offer_id is not None or job.chosen.route in NO_PART,
        part_held=job.chosen.route in NO_PART or stock_store.load_held(job.id) is not None,
        technician=job.bench.technician_id is not None,
        steps_before_proof_done=progress.at_proof,
        counts_agree=progress.counts_agree,
        proof_complete=complete,
        proof_passed=complete
        and (
            proof_rules.compare(model.functions, results[0], now_results).passed
            or proof_store.load_override(job.id, job.bench.attempt) is not None
        ),
        all_steps_done=progress.step is None,
        device_open=progress.is_open,
        given_up=job.bench.round is Round.CLOSING_UP,
        heat_on=any(source.is_on for source in heat_store.sources_of(job.id)),
        paid=job.chosen.price_minor is not None
        and not balance_at(
            job.stage, job.chosen.price_minor, job.currency, ledger_store.load_payments(job.id)
        ).owed.minor,
    )


@writing
def move(
    job: JobRecord,
    move: Move,
    kind: EventKind,
    facts: Mapping[str, object],
    *parts: JobPart,
    by: Person,
    now: datetime,
    holds: Mapping[str, bool] | None = None,
) -> Stage:
    """Make one move of a locked job, with the event that tells of it and the parts that change with it.

    `holds` are the guards that this very deed establishes.
    """
    model = schools.of_job(job)
    established: Mapping[str, Any] = holds or {}
    after = check_move(replace(gather_facts(job, model), **established), move)
    store.save_job(job.id, *parts, stage=after)
    store.add_event(job.id, kind, facts, at=now, person_id=by.id, before=job.stage, after=after)
    return after


@writing
def note(
    job: JobRecord, kind: EventKind, facts: Mapping[str, object], *parts: JobPart, by: Person, now: datetime
) -> None:
    """Something that happened without a move: saved with its event."""
    store.save_job(job.id, *parts)
    store.add_event(job.id, kind, facts, at=now, person_id=by.id, before=job.stage, after=job.stage)
