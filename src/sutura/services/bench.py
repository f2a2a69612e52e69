"""Working through a sheet: opening the job, doing the steps, closing it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core import bench as rules
from sutura.core.bench import Progress
from sutura.core.catalogue.model import Model, Route, Step
from sutura.core.errors import MoveRefused
from sutura.core.facts import fact
from sutura.core.intake.damage import DamageReading, read_damage
from sutura.core.job import EventKind, JobRecord, Move, Stage
from sutura.core.matching.judging import Learned
from sutura.core.people import Deed, demand
from sutura.core.values import Person
from sutura.services import catalogue
from sutura.services.job import move, note, progress_of
from sutura.services.marks import marks_of
from sutura.services.matching import learn
from sutura.store import bench as store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchPage:
    job: JobRecord
    model: Model
    progress: Progress
    done: list[rules.Done]
    damage: DamageReading
    cautions: list[tuple[str, str, str]]
    following: Step | None
    route: Route


@reading
def bench_page(code: str) -> BenchPage:
    job = job_store.load_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    done = store.load_done(job.id)
    progress = progress_of(job, model, done)
    damage = read_damage(marks_of(job), model.face)
    cautions: list[tuple[str, str, str]] = []
    following = None
    if progress.step:
        cautions = rules.cautions_at(progress.step, damage.cautions, first_open_step=progress.done == 0)
        later = progress.steps[progress.steps.index(progress.step) + 1 :]
        following = later[0] if later else None
    return BenchPage(
        job=job,
        model=model,
        progress=progress,
        done=done,
        damage=damage,
        cautions=cautions,
        following=following,
        route=model.way(job.chosen.route),
    )


@writing
def open_job(code: str, by: Person, now: datetime) -> None:
    """Start the bench work: the held part is fitted to this job from here on."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    move(job, Move.OPEN, EventKind.OPENED, {}, by=by, now=now)


@writing
def do_step(code: str, step_id: str, counted: str, reason: str, by: Person, now: datetime) -> None:
    """Record a step as done, with its screws counted; the last one closes the job."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage not in (Stage.OPENED, Stage.PROVED):
        raise MoveRefused(code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])
    model = catalogue.model(job.model_id, job.model_version)
    before = progress_of(job, model)
    count = rules.check_step(before, step_id, counted, reason)
    store.add_step(
        job.id,
        job.bench.attempt,
        step_id,
        expected=before.expected,
        counted=count,
        reason=reason.strip()[:300],
        person_id=by.id,
        at=now,
    )
    after = progress_of(job, model)
    step = before.step
    facts = {
        "step": step_id,
        "text": step.text if step else "",
        "expected": before.expected,
        "counted": count,
        "reason": reason.strip(),
    }
    done = replace(job.bench, steps_done=after.done, steps_total=len(after.steps))
    note(job, EventKind.STEP, facts, done, by=by, now=now)
    if after.step is None and job.stage is Stage.PROVED:
        close(code, by, now)


@writing
def close(code: str, by: Person, now: datetime) -> None:
    """All steps are done: the part leaves the ledger, cost and bench minutes are fixed."""
    job = job_store.lock_job(code)
    held = stock_store.held_of(job.id)
    offers = (
        offers_store.load_offers([job.chosen.offer_id, *job.chosen.more_offers])
        if job.chosen.offer_id
        else []
    )
    asked = {offer.part_id: offer.price_minor for offer in offers}
    costs = {
        held_part.part_id: stock_store.latest_cost(held_part.part_id) or asked.get(held_part.part_id, 0)
        for held_part in held
    }
    cost = sum(costs.values())
    minutes = rules.worked_minutes([*job_store.bench_times(job.id, rules.AT_THE_BENCH), now])
    closing = replace(job.closing, cost_minor=cost, bench_minutes=minutes)
    move(job, Move.CLOSE, EventKind.CLOSED, {"minutes": minutes}, closing, by=by, now=now)
    for held_part in held:
        stock_store.save_reservation(held_part.id, "fitted")
        stock_store.add_stock_move(
            part=held_part.part_id,
            quantity=-1,
            kind="fitted",
            job=job.id,
            unit_cost_minor=costs[held_part.part_id],
            note="",
            person=by.id,
            at=now,
        )
    for offer in offers:
        learn(job, offer, Learned.PROVED, "", by, now)
