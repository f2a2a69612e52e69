"""Working through a sheet: opening the job, doing the steps, closing it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core.bench import cautioning
from sutura.core.bench import progress as rules
from sutura.core.bench.chart import Paper, chart, letters
from sutura.core.bench.done import Done, in_hands
from sutura.core.bench.progress import Progress
from sutura.core.bench.rework import Path
from sutura.core.bench.schools import Choice
from sutura.core.bench.telling import LaidOut, StillIn, TrayField, laid_out, lies_there, still_in
from sutura.core.bench.waits import Wait, WaitKind, kind_of, running
from sutura.core.bench.where import Where, where
from sutura.core.catalogue.model import Model, Phase, Route, Step
from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import Say, fact, to_json
from sutura.core.intake.damage import DamageReading, read_damage
from sutura.core.job import (
    NO_PART,
    WORKED_ON,
    BenchWork,
    EventKind,
    JobRecord,
    Move,
    Round,
    Stage,
    check_move,
    check_worked_on,
    starts_of,
)
from sutura.core.matching.judging import Learned
from sutura.core.matching.offers import Offer
from sutura.core.people import Deed, demand
from sutura.core.planning.queue import TechnicianChoice
from sutura.core.stock.consumables import Use, uses_of
from sutura.core.stock.levels import LOST, MoveKind, PartFate
from sutura.core.stock.orders import cause_of_loss
from sutura.core.stock.pieces import Film
from sutura.core.typed import Problems, read_choice, read_text
from sutura.core.values import Person
from sutura.formats.charts import chart_pdf
from sutura.services import consumables, hands, planning, returns, schools, serials, waits
from sutura.services.job import (
    anew_left,
    gather_facts,
    keep_new_sheet,
    keep_sheet,
    kept_sheet,
    move,
    next_round,
    note,
    progress_of,
    with_left,
)
from sutura.services.known import learn
from sutura.services.marks import marks_of
from sutura.services.routes import keep_try
from sutura.store import bench as store
from sutura.store import cores as cores_store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import pieces as pieces_store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store import waits as waits_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class BenchPage:
    job: JobRecord
    model: Model
    progress: Progress
    done: list[Done]
    damage: DamageReading
    cautions: list[tuple[str, str, str]]
    # the step to do now and the plain ones shown and recorded with it
    together: tuple[Step, ...]
    following: Step | None
    route: Route
    held: list[stock_store.Held]
    # the wait of the step to do now, while it runs; what kind of wait it is, None where it waits for nothing
    wait: Wait | None
    wait_kind: WaitKind | None
    # a wait of another step that still runs: the device lies there
    lies_at: Wait | None
    # who may stand beside somebody who is not trained for this work
    trained: list[TechnicianChoice]
    # whether the one who works is trained for it, and else who stood beside them last
    alone: bool
    beside: int | None
    # the ways out that are open now, for someone who works at the bench
    ways_out: frozenset[Move]
    # other steps that may be done now
    others: tuple[Step, ...]
    tray: tuple[TrayField, ...]
    # what state it is in, for whoever comes next; empty while it is whole
    lies_there: Say
    # what is laid out before the first step, and what it uses up
    laid_out: LaidOut
    uses: tuple[Use, ...]
    serial: serials.SerialPage | None
    # who else recorded a step not long ago, and when: it may still be in their hands
    in_hands: Done | None
    # whether the catalogue has another sheet by now than the one this job keeps
    is_older: bool
    # the ways it can be gone about, and which count
    choices: tuple[Choice, ...]
    notes: list[store.NoteLine]
    # where on the device the step happens; the path of tries where something failed after fitting
    where: Where | None
    # what may still hold, while it is opened
    still_in: StillIn | None
    path: Path | None


@reading
def bench_page(
    code: str, by: Person | None = None, chosen: str = "", now: datetime | None = None
) -> BenchPage:
    """A job's sheet; for the one who works at it, with who stood beside them last. `chosen` is another step
    than the suggested one, where its constraints hold.
    """
    job = job_store.load_job(code)
    model = schools.of_job(job)
    done = store.load_done(job.id)
    kept = kept_sheet(job, model)
    progress = progress_of(job, model, done, chosen=chosen, kept=kept)
    damage = read_damage(marks_of(job), model.face)
    cautions: list[tuple[str, str, str]] = []
    following = None
    together: tuple[Step, ...] = ()
    if progress.step:
        place = progress.steps.index(progress.step)
        together = progress.together
        following = next(
            (one for one in progress.steps if one.id not in progress.finished and one not in together), None
        )
        first = place == 0 or progress.steps[place - 1].phase is not progress.step.phase
        cautions = list(
            dict.fromkeys(
                caution
                for step in together
                for caution in cautioning.cautions_at(
                    step, damage.cautions, first_of_phase=first and step is progress.step
                )
            )
        )
    trained = planning.trained_for(model)
    fields = hands.tray_of(job, model, progress)
    known_waits = waits_store.waits_of(job.id)
    runs = [wait for wait in known_waits if not wait.ended_at and wait.attempt == job.bench.attempt]
    step_id = progress.step.id if progress.step else ""
    return BenchPage(
        job=job,
        model=model,
        progress=progress,
        done=done,
        damage=damage,
        cautions=cautions,
        together=together,
        following=following,
        route=model.way(job.chosen.route),
        held=stock_store.held_of(job.id),
        wait=running(known_waits, job.bench.attempt, step_id),
        wait_kind=kind_of(progress.step) if progress.step and progress.step.wait_minutes else None,
        lies_at=next((wait for wait in runs if wait.step != step_id), None),
        trained=planning.here_of(trained, now) if now else trained,
        alone=by is not None and by.id in {choice.person_id for choice in trained},
        beside=store.last_supervisor(job.id, by.id) if by else None,
        ways_out=_ways_out(job, progress),
        others=tuple(one for one in progress.possible if one is not progress.step),
        tray=fields,
        lies_there=lies_there(model, progress.state, fields),
        laid_out=laid_out(model, progress.steps),
        uses=uses_of(model.face, model.seal),
        in_hands=in_hands(done, by.id, now) if by and now else None,
        serial=serials.serial_page(job, progress.step) if job.stage in WORKED_ON else None,
        is_older=bool(kept.steps) and kept.version != job.model_version,
        choices=schools.choices_of(job),
        notes=store.notes_of(job.id),
        where=where(model, progress.step) if progress.step else None,
        still_in=still_in(model, progress.steps, progress.state, fields)
        if model.pieces and progress.step and progress.step.phase is Phase.OPEN
        else None,
        path=hands.path_of(job, model) if job.bench.attempt > 1 else None,
    )


@reading
def screw_chart(code: str, paper: str) -> bytes:
    """The screws of a job's device at 1:1 as a PDF."""
    job = job_store.load_job(code)
    model = schools.of_job(job)
    size = Paper(read_choice(paper, tuple(Paper)))
    pages = chart(model, size)
    if not pages:
        raise NotFound("screw chart", code)
    return chart_pdf(f"{code} {model.full_name}", pages, letters(model.screws))


def _ways_out(job: JobRecord, progress: Progress) -> frozenset[Move]:
    if job.bench.round is Round.CLOSING_UP:
        return frozenset()
    ways = {way for way in (Move.CHANGE_PART, Move.REOPEN) if job.stage in starts_of(way)}
    if job.stage is Stage.OPENED or (progress.is_open and job.stage in starts_of(Move.GIVE_UP)):
        ways.add(Move.GIVE_UP)
    return frozenset(ways)


@writing
def open_job(code: str, by: Person, now: datetime) -> None:
    """Start the bench work: the held part is fitted to this job from here on."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    work = job.bench
    if job.stage in starts_of(Move.OPEN):
        work = schools.opened_by(job, work)
        whole = kept_sheet(job, schools.of_job(job)).whole
        left = keep_sheet(replace(job, bench=work), work, now)
        work = with_left(work, whole if work.attempt > 1 else left, left)
    move(job, Move.OPEN, EventKind.OPENED, {}, work, by=by, now=now)


@writing
def do_steps(
    code: str,
    step_ids: Sequence[str],
    counted: str,
    reason: str,
    by: Person,
    now: datetime,
    *,
    supervisor: int = 0,
) -> Progress:
    """Record the steps that the sheet shows together, each by itself (rule bench.together)."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if len(step_ids) > 1:
        rules.check_together(progress_of(job, schools.of_job(job)), step_ids)
    first, *others = step_ids or [""]
    after = do_step(code, first, counted, reason, by, now, supervisor=supervisor)
    for step_id in others:
        after = do_step(code, step_id, "", "", by, now, supervisor=supervisor)
    return after


@writing
def do_step(
    code: str, step_id: str, counted: str, reason: str, by: Person, now: datetime, *, supervisor: int = 0
) -> Progress:
    """Record a step as done, with its screws counted; the last one closes the job. Where the bench then is.

    Somebody who is not trained for this work names who stands beside them.
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    check_worked_on(job)
    model = schools.of_job(job)
    recorded = store.load_done(job.id)
    kept = kept_sheet(job, model)
    before = progress_of(job, model, recorded, chosen=step_id, kept=kept)
    count = rules.check_step(before, step_id, counted, reason, recorded, job.bench.attempt)
    beside = _beside(model, by, supervisor, now)
    beside_id = beside.person_id if beside else None
    waits.check_cold(job, before.step)
    let = waits.check_binding(job, model, before, reason, by, now, trained=beside is None)
    store.add_step(
        job.id,
        job.bench.attempt,
        step_id,
        expected=before.expected,
        counted=count,
        reason=reason.strip()[:300],
        person_id=by.id,
        supervisor_id=beside_id,
        at=now,
    )
    step = before.step
    assert step, "looked at by check_step"
    waits.keep_binding(job, step, let, by, now)
    after = progress_of(job, model, kept=kept)
    facts = {
        "step": step_id,
        "text": step.text,
        "expected": before.expected,
        "counted": count,
        "reason": reason.strip(),
        "beside": beside.name if beside else "",
        "let": [to_json(one.said) for one in let],
    }
    done = with_left(job.bench, kept.whole, len(after.steps) - after.done)
    note(job, EventKind.STEP, facts, done, by=by, now=now)
    if after.step is None and job.stage is Stage.PROVED:
        close(code, by, now)
    elif after.step is None and job.bench.round is Round.CLOSING_UP:
        _close_unrepaired(code, by, now)
    return after


@writing
def take_new_sheet(code: str, by: Person, now: datetime) -> None:
    """Go on by the sheet that the catalogue has now, for what is not done yet (rule bench.frozen)."""
    demand(by, Deed.WORK_BENCH)
    # as the catalogue knows its model now, not as it did when the job was opened
    job = replace(job_store.lock_job(code), sheet_version=None)
    check_worked_on(job)
    left = keep_new_sheet(job, now)
    note(job, EventKind.NEW_SHEET, {}, anew_left(job, job.bench, left), by=by, now=now)


def _beside(model: Model, by: Person, supervisor: int, now: datetime) -> TechnicianChoice | None:
    """Who stands beside the one who works; nobody where that one is trained (rule bench.trained)."""
    every = planning.trained_for(model)
    if by.id in {choice.person_id for choice in every}:
        return None
    trained = {choice.person_id: choice for choice in planning.here_of(every, now)}
    if supervisor not in trained:
        accepts = fact("bench.name-who-supervises", family=model.procedure_family)
        raise Invalid("supervisor", "", accepts)
    return trained[supervisor]


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
    costs = {held_part.part_id: _cost_of(held_part) or asked.get(held_part.part_id, 0) for held_part in held}
    cost = sum(costs.values())
    minutes = rules.worked_minutes([*job_store.bench_times(job.id, rules.AT_THE_BENCH), now])
    closing = replace(job.closing, cost_minor=cost, bench_minutes=minutes)
    move(job, Move.CLOSE, EventKind.CLOSED, {"minutes": minutes}, closing, by=by, now=now)
    sheet = job.chosen.route_minutes + job.chosen.extra_minutes
    if job.bench.technician_id and sheet:
        planning.keep_own_time(job, minutes, sheet)
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
            piece_id=held_part.piece_id,
        )
    keep_try(job, now, succeeded=True)
    consumables.use_up(job.id, schools.of_job(job), by, now)
    if held:
        # what came off is a thing of its own from here on
        cores_store.keep_core(job.id, by.id, now)
    for offer in offers:
        learn(job, offer, Learned.PROVED, "", by, now)


def _cost_of(held: stock_store.Held) -> int | None:
    """What a held piece cost: itself, or on average where the part is not kept piece by piece."""
    if held.piece_id is not None:
        return pieces_store.cost_of(held.piece_id)
    return stock_store.average_cost(held.part_id)


# -- ways out: another part, back to the bench, closed up unrepaired -----------------------------------


@writing
def change_part(code: str, fates: Mapping[int, str], reason: str, by: Person, now: datetime) -> None:
    """The part failed on the bench or is the wrong one: it is taken back as what it is, and another is chosen
    (rule bench.other-part). `fates` says of each held part by its number what it is.
    """
    _leave(code, fates, reason, by, now, Move.CHANGE_PART, EventKind.PART_CHANGED, Round.NEW_PART)


@writing
def reopen(code: str, reason: str, by: Person, now: datetime) -> None:
    """A fault shows after the test, or after sealing: back to the bench (rule bench.reopened). What was
    fitted is held again until it is fitted once more.
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    _may(job, Move.REOPEN)
    _reason(Problems("The way back to the bench"), reason).refuse()
    for part_id, piece_id in stock_store.fitted_to(job.id):
        stock_store.lock_level(part_id)
        cost = stock_store.fitted_cost(job.id, part_id)
        made = _add_move(job, part_id, 1, MoveKind.TAKEN_OUT, "", cost, piece_id, by, now)
        back = piece_id or pieces_store.made_by(made)
        if back is not None:
            # what was fitted has no film any more
            pieces_store.save_piece(back, film=Film.OFF.value)
        stock_store.add_reservation(part_id, job.id, by.id, now, back)
    move(
        job,
        Move.REOPEN,
        EventKind.REOPENED,
        {"reason": reason.strip()},
        _next_round(job, Round.REOPENED, by, now),
        replace(job.closing, cost_minor=None, bench_minutes=0),
        by=by,
        now=now,
        holds={"reason_given": True},
    )


@writing
def give_up(code: str, fates: Mapping[int, str], reason: str, by: Person, now: datetime) -> None:
    """It cannot be repaired, or shall not be: what is held is taken back, and the sheet leads back to a
    closed device (rule bench.unrepaired). One that was not begun is declined at once.
    """
    work = _leave(code, fates, reason, by, now, Move.GIVE_UP, EventKind.GIVEN_UP, Round.CLOSING_UP)
    if work.steps_done == work.steps_total:
        # nothing is off: there is nothing to close
        _close_unrepaired(code, by, now)


def _leave(
    code: str,
    fates: Mapping[int, str],
    reason: str,
    by: Person,
    now: datetime,
    wanted: Move,
    kind: EventKind,
    round_: Round,
) -> BenchWork:
    """Take the parts back and begin another round of work, by a move that needs its reason."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    _may(job, wanted)
    held = stock_store.held_of(job.id)
    taken = _read_fates(held, fates, reason)
    facts = {"parts": _told(held, taken), "reason": reason.strip()}
    work = _next_round(job, round_, by, now)
    move(job, wanted, kind, facts, work, by=by, now=now, holds={"reason_given": True})
    # the part was the wrong one, or nothing was tried: that says nothing of the route
    without_part = job.chosen.route in NO_PART
    if without_part or LOST_BY_TRYING.intersection(taken.values()):
        keep_try(job, now, succeeded=False)
    _take_back(job, held, taken, reason, by, now)
    return work


@writing
def _close_unrepaired(code: str, by: Person, now: datetime) -> None:
    job = job_store.lock_job(code)
    minutes = rules.worked_minutes([*job_store.bench_times(job.id, rules.AT_THE_BENCH), now])
    closing = replace(job.closing, bench_minutes=minutes)
    told = {"minutes": minutes}
    move(job, Move.CLOSE_UNREPAIRED, EventKind.CLOSED_UNREPAIRED, told, closing, by=by, now=now)


def _may(job: JobRecord, wanted: Move) -> None:
    """Refuse a move out of turn before its form is looked at."""
    model = schools.of_job(job)
    check_move(replace(gather_facts(job, model), reason_given=True), wanted)


def _next_round(job: JobRecord, work: Round, by: Person, now: datetime) -> BenchWork:
    waits.end_round(job, by, now)
    return next_round(job, work, now)


def _reason(problems: Problems, reason: str) -> Problems:
    problems.read("why", reason, lambda text: read_text(text, 300, least=5, accepts=fact("bench.write-why")))
    return problems


def _read_fates(
    held: Sequence[stock_store.Held], fates: Mapping[int, str], reason: str
) -> dict[int, PartFate]:
    problems = _reason(Problems("What is said of the part"), reason)
    choices = tuple(fate.value for fate in PartFate)
    read = {
        part.part_id: problems.read(
            f"fate.{part.part_id}",
            fates.get(part.part_id, ""),
            lambda text: PartFate(read_choice(text, choices, fact("bench.choose-what-became-of-it"))),
        )
        for part in held
    }
    problems.refuse()
    return {part_id: fate for part_id, fate in read.items() if fate}


def _told(held: Sequence[stock_store.Held], taken: Mapping[int, PartFate]) -> list[dict[str, str]]:
    return [{"part": part.part, "fate": taken[part.part_id].value} for part in held]


LOST_BY_TRYING = frozenset({PartFate.DEFECTIVE, PartFate.BROKEN})
_LEARNED = {PartFate.DID_NOT_FIT: Learned.DID_NOT_FIT, PartFate.DEFECTIVE: Learned.DEFECTIVE}


def _take_back(
    job: JobRecord,
    held: Sequence[stock_store.Held],
    taken: Mapping[int, PartFate],
    reason: str,
    by: Person,
    now: datetime,
) -> None:
    """Release what a job holds; what is defective or broken leaves the shelf, and what it taught is kept."""
    offers = {
        offer.part_id: offer
        for offer in offers_store.load_offers([job.chosen.offer_id or 0, *job.chosen.more_offers])
    }
    for part in sorted(held, key=lambda part: part.part_id):
        fate = taken[part.part_id]
        stock_store.lock_level(part.part_id)
        stock_store.save_reservation(part.id, "released")
        if fate in LOST:
            cost = _cost_of(part)
            _add_move(job, part.part_id, -1, LOST[fate], reason, cost, part.piece_id, by, now)
            if part.part_id in offers:
                _book(job, offers[part.part_id], part, LOST[fate], cost, reason, by, now)
        if fate in _LEARNED and part.part_id in offers:
            learn(job, offers[part.part_id], _LEARNED[fate], reason.strip()[:300], by, now)


def _book(
    job: JobRecord,
    offer: Offer,
    held: stock_store.Held,
    lost: MoveKind,
    cost: int | None,
    reason: str,
    by: Person,
    now: datetime,
) -> None:
    """Who pays for what was lost (rule stock.who-pays). Of a piece it is known who sold it."""
    piece = pieces_store.load_piece(held.piece_id) if held.piece_id else None
    worked_before = stock_store.fitted_cost(job.id, held.part_id) is not None
    returns.book_loss(
        job.id,
        offer.part_id,
        (piece.supplier_id if piece else None) or suppliers_store.supplier_of(offer.id),
        cause_of_loss(broken=lost is MoveKind.BROKEN, was_fitted=worked_before),
        offer.price_minor if cost is None else cost,
        reason.strip()[:200],
        by,
        now,
        piece_id=held.piece_id,
    )


def _add_move(
    job: JobRecord,
    part_id: int,
    quantity: int,
    kind: MoveKind,
    note: str,
    cost: int | None,
    piece_id: int | None,
    by: Person,
    now: datetime,
) -> int:
    return stock_store.add_stock_move(
        part=part_id,
        quantity=quantity,
        kind=kind.value,
        job=job.id,
        unit_cost_minor=cost,
        note=note.strip()[:200],
        person=by.id,
        at=now,
        piece_id=piece_id,
    )
