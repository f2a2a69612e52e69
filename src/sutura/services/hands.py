"""What hands choose, note and take out at the bench, beside the steps themselves."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core.bench import schools as rules
from sutura.core.bench.progress import Progress, missing_on_arrival
from sutura.core.bench.rework import GLASS_ONLY, Path, Tried, path, round_after, rounds
from sutura.core.bench.screws import check_field, check_place, touched
from sutura.core.bench.telling import TrayField, tray
from sutura.core.catalogue.model import Model, Step
from sutura.core.errors import Invalid, MoveRefused
from sutura.core.facts import Say, fact
from sutura.core.job import (
    BEFORE_OPENING,
    OPEN_STAGES,
    WORKED_ON,
    EventKind,
    JobRecord,
    Round,
    Stage,
    check_worked_on,
)
from sutura.core.people import Deed, demand
from sutura.core.proof.answering import compare, is_whole
from sutura.core.typed import Problems, read_text
from sutura.core.values import Person
from sutura.formats.photo import read_photo
from sutura.services import schools, waits
from sutura.services.job import anew_left, keep_new_sheet, next_round, note, progress_of
from sutura.services.marks import marks_of
from sutura.store import bench as store
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import photos as photos_store
from sutura.store.database import reading, writing

# notes of one job; the shop's, no source
MOST_NOTES = 60


@writing
def choose_way(code: str, question: str, value: str, by: Person, now: datetime, *, always: bool) -> None:
    """Go one of the ways a model allows: for this job, and wherever else it is allowed as a habit of the one
    who chooses (`always`). What is not done yet goes on by it.
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage not in OPEN_STAGES or job.stage in (Stage.CLOSED, Stage.DECLINED):
        raise MoveRefused(code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])
    known = schools.known_to(job)
    rules.check_choice(known, question, value)
    ways = {**job.bench.schools, question: value}
    if job.stage not in BEFORE_OPENING:
        own = {choice.question: choice.own for choice in rules.choices(known)}
        # an open job keeps only what differs; before, its own way counts against a habit
        ways = {name: way for name, way in ways.items() if own.get(name) != way}
    work = schools.with_ways(job, job.bench, ways)
    if always:
        people_store.save_habit(by.id, question, value)
    if job.stage in WORKED_ON:
        changed = replace(job, bench=work)
        left = keep_new_sheet(changed, now)
        work = anew_left(changed, work, left)
    note(job, EventKind.WAY, {"question": question, "way": value, "always": always}, work, by=by, now=now)


@dataclass(frozen=True, slots=True, kw_only=True)
class Habit:
    """A way somebody goes wherever a model allows it."""

    question: str
    asks: Say
    value: str


@reading
def habits_of(person: Person) -> list[Habit]:
    return [
        Habit(question=question, asks=rules.asks_of(question), value=value)
        for question, value in sorted(people_store.habits_of(person.id).items())
    ]


@writing
def forget_habit(question: str, by: Person) -> None:
    """One's own habit does not count any more; jobs that were opened by it keep it."""
    demand(by, Deed.WORK_BENCH)
    people_store.save_habit(by.id, question, "")


# -- notes and photos ----------------------------------------------------------------------------------


@writing
def keep_note(code: str, step: str, text: str, photo: bytes, by: Person, now: datetime) -> None:
    """Keep a note of a step, a photo or both; they stay with the job."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage not in OPEN_STAGES:
        raise MoveRefused(code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])
    problems = Problems("The note")
    least = 0 if photo else 2
    says = problems.read(
        "note", text, lambda typed: read_text(typed, 600, least=least, accepts=fact("hands.write-a-note"))
    )
    shown = problems.read("photo", "", lambda _: read_photo(photo)) if photo else None
    if len(store.notes_of(job.id)) >= MOST_NOTES:
        problems.add("note", str(MOST_NOTES), fact("hands.no-more-notes", most=MOST_NOTES))
    problems.refuse()
    known = {one.id for one in progress_of(job, schools.of_job(job)).steps}
    note_id = store.add_note(
        job=job.id,
        attempt=job.bench.attempt,
        step=step if step in known else "",
        says=says or "",
        person=by.id,
        at=now,
    )
    if shown:
        photos_store.add_note_photo(job.id, note_id, (says or "")[:120], shown, by.id, now)
    note(job, EventKind.NOTED, {"says": says or "", "photo": bool(shown)}, by=by, now=now)


# -- screws one by one -----------------------------------------------------------------------------------


@reading
def tray_of(job: JobRecord, model: Model, progress: Progress) -> tuple[TrayField, ...]:
    """What lies in the tray, with what was taken out or put in one by one at this step."""
    step = progress.step
    done = (
        touched(store.screws_of(job.id, job.bench.attempt), step.id) if step and step.screws else frozenset()
    )
    missing = missing_on_arrival(model, marks_of(job))
    return tray(model, progress.counts, missing, step, progress.expected, done)


def _at_screws(job: JobRecord, step_id: str) -> tuple[Model, Step, TrayField]:
    """The step and its field of the tray; refuses one that has no screws or cannot be done now."""
    check_worked_on(job)
    model = schools.of_job(job)
    progress = progress_of(job, model, chosen=step_id)
    step = progress.step
    if step is None or step.id != step_id or not step.screws:
        raise Invalid("screw", step_id, fact("screws.a-step-with-screws"))
    field = next(field for field in tray_of(job, model, progress) if field.group.id == step.screws)
    return model, step, field


@writing
def touch_screw(code: str, step_id: str, place: int, by: Person, now: datetime) -> None:
    """Take the screw of a place out, or put it in; the same once more takes that back."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    _, _, field = _at_screws(job, step_id)
    check_place(field, place)
    _keep_screw(job, step_id, place, by, now, done=place not in field.done)


@writing
def put_in_from(code: str, step_id: str, group: str, by: Person, now: datetime) -> None:
    """Put the next screw in, taken from a field of the tray; one of another length or head is refused (rule
    bench.screws).
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    model, step, field = _at_screws(job, step_id)
    check_field(model, step, group)
    left = [place for place in field.places if place not in field.done]
    if not step.screws_in or not left:
        raise Invalid("screw", field.group.where, fact("screws.none-left-for-here"))
    _keep_screw(job, step_id, left[0], by, now, done=True)


def _keep_screw(job: JobRecord, step: str, place: int, by: Person, now: datetime, *, done: bool) -> None:
    store.add_screw(
        job=job.id, attempt=job.bench.attempt, step=step, place=place, done=done, person=by.id, at=now
    )


# -- closed for the night ----------------------------------------------------------------------------------


@writing
def close_for_the_night(code: str, by: Person, now: datetime) -> None:
    """Lay an open device down for the night from how it lies there (rules bench.night, bench.overnight)."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    model = schools.of_job(job)
    if job.stage is not Stage.OPENED or job.bench.round is Round.FOR_THE_NIGHT:
        raise MoveRefused(code, fact("hands.close-for-the-night"), [fact("job.it-is", stage=job.stage)])
    if not model.pieces or not progress_of(job, model).is_open:
        raise MoveRefused(code, fact("hands.close-for-the-night"), [fact("hands.nothing-is-off")])
    _begin(job, Round.FOR_THE_NIGHT, EventKind.FOR_THE_NIGHT, by, now)


@writing
def go_on(code: str, by: Person, now: datetime) -> None:
    """Go on after a night with what was left, from how the device lies there."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage is not Stage.OPENED or job.bench.round is not Round.FOR_THE_NIGHT:
        raise MoveRefused(code, fact("hands.go-on"), [fact("hands.not-for-the-night")])
    known = rounds(job_store.kinds_of(job.id))
    before = known.get(job.bench.attempt - 1, Round.WHOLE)
    if before is Round.REWORK:
        before = round_after(path_of(job, schools.of_job(job)))
    elif before is Round.NEW_PART:
        before = Round.WHOLE
    _begin(job, before, EventKind.NIGHT_OVER, by, now)


def _begin(job: JobRecord, round_: Round, kind: EventKind, by: Person, now: datetime) -> None:
    """Begin a round of work from how the device lies there."""
    waits.end_round(job, by, now)
    note(job, kind, {}, next_round(job, round_, now), by=by, now=now)


# -- what was tried ------------------------------------------------------------------------------------------


@reading
def path_of(job: JobRecord, model: Model) -> Path | None:
    """The tries of a job, from its tests round by round (rule bench.path)."""
    results = intake_store.load_results(job.id)
    known = rounds(job_store.kinds_of(job.id))
    baseline = results.get(0, {})
    tries = []
    for attempt in sorted(at for at in results if at > 0 and is_whole(baseline, results[at])):
        read = compare(model.functions, baseline, results[attempt])
        failed = frozenset(line.function.id for line in read.failing)
        tries.append(Tried(round=known.get(attempt, Round.WHOLE), failed=failed))
    kept_display = job.chosen.route == GLASS_ONLY
    return path(tries, frozenset(one.id for one in model.functions if one.screen and kept_display))
