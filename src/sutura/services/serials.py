"""The serial of a display: read from the old one, written into the new one, read back."""

from __future__ import annotations

from datetime import datetime

from sutura.core.bench.serials import SILENT_GRADE, Outcome, needs_programmer, old_serial
from sutura.core.errors import Invalid, MoveRefused
from sutura.core.facts import fact
from sutura.core.job import JobRecord, Stage
from sutura.core.people import Deed, demand
from sutura.core.stock.pieces import Found
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, Silent
from sutura.devices.simulated.programmer import SimulatedProgrammer
from sutura.services import schools
from sutura.services.job import progress_of
from sutura.store import bench as store
from sutura.store import job as job_store
from sutura.store import pieces as pieces_store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import writing


def _locked(code: str, by: Person) -> JobRecord:
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    if job.stage not in (Stage.OPENED, Stage.PROVED):
        raise MoveRefused(code, fact("job.be-worked-on"), [fact("job.it-is", stage=job.stage)])
    steps = progress_of(job, schools.of_job(job)).steps
    if not any(needs_programmer(step) for step in steps):
        raise Invalid("serial", code, fact("serial.no-step"))
    return job


def clip(job: JobRecord, *, new: bool) -> None:
    """The stand-in has no clip of its own to tell it which display it is on."""
    programmer = plugged().programmer
    if isinstance(programmer, SimulatedProgrammer):
        programmer.clip(new=new, model=job.model_id)


@writing
def read_old(code: str, by: Person, now: datetime) -> None:
    """Read the old display's serial."""
    job = _locked(code, by)
    clip(job, new=False)
    try:
        says = plugged().programmer.read()
    except Silent:
        _keep(job, Outcome.SILENT, "", by, now)
        return
    except Away as away:
        raise Invalid("serial", "", fact("serial.link-lost")) from away
    _keep(job, Outcome.READ, says.serial, by, now)


@writing
def write_new(code: str, by: Person, now: datetime) -> None:
    """Write the old serial into the new display and read it back; what comes of it is kept, and a silent one
    is flagged (rule bench.serial).
    """
    job = _locked(code, by)
    serial = old_serial(store.serials_of(job.id)) or str(job.arrival.how.get("display_serial", ""))
    if not serial:
        raise Invalid("serial", "", fact("serial.read-the-old-one"))
    clip(job, new=True)
    programmer = plugged().programmer
    try:
        says = programmer.read()
        if says.model != job.model_id:
            _keep(job, Outcome.OTHER_MODEL, says.serial, by, now)
            return
    except Silent:
        _keep(job, Outcome.SILENT, "", by, now)
        _flag(job, by, now)
        return
    except Away as away:
        # nothing was written yet
        raise Invalid("serial", "", fact("serial.link-lost")) from away
    try:
        programmer.write(serial)
        back = programmer.read().serial
    except (Away, Silent):
        _keep(job, Outcome.BROKE_OFF, "", by, now)
        return
    _keep(job, Outcome.WRITTEN if back == serial else Outcome.NOT_KEPT, back or "nothing", by, now)


def _keep(job: JobRecord, outcome: Outcome, serial: str, by: Person, now: datetime) -> None:
    store.add_serial(
        job=job.id, attempt=job.bench.attempt, outcome=outcome.value, serial=serial[:60], person=by.id, at=now
    )


def _flag(job: JobRecord, by: Person, now: datetime) -> None:
    """The piece is kept as less than was bought, once, and its supplier's record counts it."""
    for held in stock_store.held_of(job.id):
        piece = pieces_store.load_piece(held.piece_id) if held.piece_id else None
        if piece and piece.found is not Found.LESS:
            pieces_store.save_piece(piece.id, found=Found.LESS.value, found_grade=SILENT_GRADE)
            told = {"verdict": "not_as_bought", "grade": SILENT_GRADE, "job": job.code}
            pieces_store.add_event(piece.id, "looked_at", "silent at the programmer", told, by.id, now)
            if piece.supplier_id:
                suppliers_store.count_bad(piece.supplier_id, 1)
