"""The serial of a display: read from the old one, written into the new one, read back."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sutura.core.bench.serials import SILENT_GRADE, Outcome, needs_programmer, old_serial, what_now
from sutura.core.catalogue.model import Step
from sutura.core.errors import Invalid
from sutura.core.facts import Say, fact
from sutura.core.job import EventKind, JobRecord, check_worked_on
from sutura.core.people import Deed, demand
from sutura.core.stock.pieces import Found
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, Silent
from sutura.devices.simulated.programmer import SimulatedProgrammer
from sutura.services import schools
from sutura.services.job import note, progress_of
from sutura.store import job as job_store
from sutura.store import pieces as pieces_store
from sutura.store import serials as store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class SerialPage:
    """How far moving the display's serial is: what it means now, and the old one's, empty = not read."""

    says: Say
    last: str
    old: str


@reading
def serial_page(job: JobRecord, step: Step | None) -> SerialPage | None:
    """Of use at a step with the programmer."""
    if not needs_programmer(step):
        return None
    asked = store.serials_of(job.id)
    held = _display(job)
    return SerialPage(
        says=what_now(asked, held.grade if held else ""),
        last=asked[-1].outcome.value if asked else "",
        # what was read at the counter counts where the old display answers no more
        old=old_serial(asked) or str(job.arrival.how.get("display_serial", "")),
    )


def _locked(code: str, by: Person) -> JobRecord:
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    check_worked_on(job)
    steps = progress_of(job, schools.of_job(job)).steps
    if not any(needs_programmer(step) for step in steps):
        raise Invalid("serial", code, fact("serial.no-step"))
    return job


def clip(job: JobRecord, *, new: bool) -> None:
    """The stand-in has no clip of its own to tell it which display it is on, nor of which grade that is."""
    programmer = plugged().programmer
    if isinstance(programmer, SimulatedProgrammer):
        held = _display(job)
        programmer.clip(new=new, model=job.model_id, grade=held.grade if held and new else "")


def _display(job: JobRecord) -> stock_store.Held | None:
    """The display that a job holds: the held part itself, not an adapter of its kit."""
    held = stock_store.held_of(job.id)
    return next((one for one in held if one.kind == job.chosen.route), next(iter(held), None))


# The programmer is asked outside of every transaction: reading changes nothing, and that a serial is being
# written is kept before.


def read_old(code: str, by: Person, now: datetime) -> None:
    """Read the old display's serial; read once more, it is kept once."""
    clip(writing(_locked)(code, by), new=False)
    try:
        serial = plugged().programmer.read().serial
        outcome = Outcome.READ
    except Silent:
        outcome, serial = Outcome.SILENT, ""
    except Away as away:
        raise Invalid("serial", "", fact("serial.link-lost")) from away
    _keep_read(code, outcome, serial, by, now)


@writing
def _keep_read(code: str, outcome: Outcome, serial: str, by: Person, now: datetime) -> None:
    job = _locked(code, by)
    asked = store.serials_of(job.id)
    if outcome is not Outcome.READ or not asked or (asked[-1].outcome, asked[-1].serial) != (outcome, serial):
        _keep(job, outcome, serial, by, now)


def write_new(code: str, by: Person, now: datetime) -> None:
    """Write the old serial into the new display and read it back; what comes of it is kept, and a silent one
    is flagged (rule bench.serial).
    """
    job, serial = _to_write(code, by)
    clip(job, new=True)
    programmer = plugged().programmer
    try:
        says = programmer.read()
    except Silent:
        _keep_written(code, Outcome.SILENT, "", by, now)
        return
    except Away as away:
        # nothing was written yet
        raise Invalid("serial", "", fact("serial.link-lost")) from away
    if says.model != job.model_id:
        _keep_written(code, Outcome.OTHER_MODEL, says.serial, by, now)
        return
    # from here on nobody knows what the display holds until it was read back
    _keep_written(code, Outcome.ASKED, serial, by, now)
    try:
        programmer.write(serial)
        back = programmer.read().serial
    except (Away, Silent):
        _keep_written(code, Outcome.BROKE_OFF, "", by, now)
        return
    _keep_written(code, Outcome.WRITTEN if back == serial else Outcome.NOT_KEPT, back or "nothing", by, now)


@writing
def _to_write(code: str, by: Person) -> tuple[JobRecord, str]:
    """The job, and the serial that goes into its new display."""
    job = _locked(code, by)
    serial = old_serial(store.serials_of(job.id)) or str(job.arrival.how.get("display_serial", ""))
    if not serial:
        raise Invalid("serial", "", fact("serial.read-the-old-one"))
    return job, serial


@writing
def _keep_written(code: str, outcome: Outcome, serial: str, by: Person, now: datetime) -> None:
    job = _locked(code, by)
    _keep(job, outcome, serial, by, now)
    if outcome is Outcome.SILENT:
        _flag(job, by, now)


def _keep(job: JobRecord, outcome: Outcome, serial: str, by: Person, now: datetime) -> None:
    """What came of it stays with the job; what was asked of the new display, with its piece."""
    held = _display(job) if outcome is not Outcome.READ else None
    store.add_serial(
        job=job.id,
        attempt=job.bench.attempt,
        outcome=outcome.value,
        serial=serial[:60],
        person=by.id,
        at=now,
        piece=held.piece_id if held else None,
    )
    if outcome is Outcome.ASKED:
        # what comes of it is told
        return
    told = {"outcome": outcome.value, "serial": serial[:60], "piece": held.label if held else ""}
    note(job, EventKind.SERIAL, told, by=by, now=now)


def _flag(job: JobRecord, by: Person, now: datetime) -> None:
    """A piece that was bought as an original and stays silent is kept as less than was bought, once, and its
    supplier's record counts it. One that was bought as aftermarket is silent as it must be.
    """
    held = _display(job)
    piece = pieces_store.load_piece(held.piece_id) if held and held.piece_id else None
    if held is None or piece is None or piece.found is Found.LESS or held.grade == SILENT_GRADE:
        return
    pieces_store.save_piece(piece.id, found=Found.LESS.value, found_grade=SILENT_GRADE)
    told = {"verdict": "not_as_bought", "grade": SILENT_GRADE, "job": job.code}
    pieces_store.add_event(piece.id, "looked_at", "silent at the programmer", told, by.id, now)
    if piece.supplier_id:
        suppliers_store.count_bad(piece.supplier_id, 1)
