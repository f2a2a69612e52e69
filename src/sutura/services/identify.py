"""What a scan or a typed number stands for: a job, a part, a device that was here before, or a model."""

from __future__ import annotations

from dataclasses import dataclass

from sutura.core import identify as rules
from sutura.core.errors import Invalid
from sutura.core.identify import Identification, Scanned
from sutura.services import catalogue
from sutura.store import job as job_store
from sutura.store.database import reading


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What was understood, in words. `address` is where to go when there is only one place to go."""

    says: str
    address: str = ""
    jobs: tuple[str, ...] = ()
    identification: Identification | None = None


@reading
def identify(text: str) -> Identification:
    return rules.identify(text[:80], catalogue.all_models())


@reading
def find(text: str) -> Found:
    """Where a scan leads; what is wrong with it is said, and never guessed around."""
    try:
        scan = rules.read_scan(text[:80])
    except Invalid as wrong:
        return Found(says=str(wrong))
    if scan.kind is Scanned.JOB:
        return Found(says=f"Job {scan.value}", address=f"/jobs/{scan.value}")
    if scan.kind is Scanned.PART:
        return Found(says=f"Part {scan.value}", address=f"/shelf/{scan.value}")
    jobs = tuple(job_store.find_jobs_by_serial(scan.value))
    if len(jobs) == 1:
        return Found(says=f"Serial number of job {jobs[0]}", address=f"/jobs/{jobs[0]}")
    if jobs:
        return Found(
            says=f"The device with the serial number {scan.value} was here {len(jobs)} times.", jobs=jobs
        )
    if scan.kind is Scanned.IMEI:
        return Found(says=f"A valid IMEI, {scan.value}, of a device that has not been here yet.")
    found = identify(scan.value)
    return Found(says=found.says, identification=found)
