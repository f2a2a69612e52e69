"""Moving a job: gather its facts, let the state machine decide, save the stage and the event together."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sutura.core import bench as bench_rules
from sutura.core import proof as proof_rules
from sutura.core.bench import Done, Progress
from sutura.core.catalogue.model import Model
from sutura.core.handover import Accessory
from sutura.core.intake.arrival import Applies, is_asked
from sutura.core.job import (
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
from sutura.core.planning import Next, expected_at, next_of
from sutura.core.values import FunctionResult, Person
from sutura.services import catalogue, shop
from sutura.services.marks import marks_of
from sutura.store import bench as bench_store
from sutura.store import consents as consents_store
from sutura.store import handover as handover_store
from sutura.store import intake as intake_store
from sutura.store import job as store
from sutura.store import planning as planning_store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing

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
    payment: handover_store.Paid | None
    progress: Progress
    proof: proof_rules.ProofReading | None
    # when it is done if it is worked on from now; None = not known, or nothing is left
    expected_at: datetime | None


@reading
def job_page(code: str, now: datetime) -> JobPage:
    job = store.load_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    results = intake_store.load_results(job.id)
    waiting, hours = planning_store.load_open_job(code), shop.open_hours()
    line = next_of(waiting.waiting, now, hours) if waiting else None
    blocked = waiting.waiting.blocked if waiting else ""
    return JobPage(
        job=job,
        model=model,
        seam=seam(job.stage, blocked),
        next=line,
        events=store.events_page(job.id),
        results=results,
        accessories=handover_store.load_accessories(job.id),
        consents=consents_store.load_consents(job.id),
        held=stock_store.held_of(job.id),
        payment=handover_store.load_payment(job.id),
        progress=progress_of(job, model),
        proof=latest_proof(model, results),
        expected_at=expected_at(waiting.waiting, now, hours) if waiting else None,
    )


def progress_of(job: JobRecord, model: Model, done: list[Done] | None = None) -> Progress:
    recorded = bench_store.load_done(job.id) if done is None else done
    return bench_rules.progress(
        model,
        job.bench.attempt,
        recorded,
        proved=job.stage in PROVED,
        work=job.bench.round,
        missing=bench_rules.missing_on_arrival(model, marks_of(job)),
    )


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
    complete = len(now_results) == len(model.functions)
    return JobFacts(
        code=job.code,
        stage=job.stage,
        baseline_complete=len(results.get(0, {})) == len(model.functions),
        consents_complete=all(
            text.consent in consents
            for text in consents_store.needed_consents(job.arrival.received_at)
            if is_asked(Applies(text.applies), model)
        ),
        price_agreed=job.chosen.price_minor is not None,
        part_chosen=job.chosen.offer_id is not None,
        part_held=stock_store.load_held(job.id) is not None,
        technician=job.bench.technician_id is not None,
        steps_before_proof_done=progress.at_proof,
        counts_agree=progress.counts_agree,
        proof_complete=complete,
        proof_passed=complete and proof_rules.compare(model.functions, results[0], now_results).passed,
        all_steps_done=progress.step is None,
        device_open=progress.is_open,
        given_up=job.bench.round is Round.CLOSING_UP,
        paid=handover_store.load_payment(job.id) is not None,
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
    model = catalogue.model(job.model_id, job.model_version)
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
