"""What came back to the demo shop this morning: a strip of a new screen that does not feel, and one that
fell.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from sutura.core.handover.comebacks import Seal
from sutura.core.intake.marks import Mark, MarkKind
from sutura.core.job import JobRecord, Stage
from sutura.core.maths.geometry import Point
from sutura.core.values import Person
from sutura.demo import hours
from sutura.demo.shop import TIMEZONE
from sutura.services import comebacks, consents, intake, promises, schools
from sutura.store import comebacks as store
from sutura.store import job as job_store
from sutura.store import stock as stock_store

SOUND = {"glass": "whole", "image": "fine", "touch": "fine", "battery": "ok", "frame": "straight"}


def come_back(staff: Mapping[str, Person], now: datetime) -> None:
    """Two devices come back, once: one is decided, one waits for somebody to decide."""
    jobs = [job_store.load_job(code) for code in job_store.newest_codes(80)]
    finished = [job for job in jobs if job.stage is Stage.HANDED_BACK]
    fit = [job for job in finished if stock_store.fitted_to(job.id) and "touch" in _answers(job)]
    if len(fit) < 2 or any(store.came_and_went(job.id)[1] for job in finished):
        return
    strip, fallen = fit[:2]
    answers = _answers(strip) | {"touch": ("faulty", "a strip at the top does not feel")}
    look = SOUND | {"touch": "part"}
    code = _taken_in(strip, "Nothing happens at the top edge.", answers, look, (), staff["pell"], now)
    page = comebacks.comeback_page(code, Seal.WHOLE)
    comebacks.decide(code, page.suggested, Seal.WHOLE, "", staff["pell"], now)
    face = schools.of_job(fallen).face
    hit = Mark(kind=MarkKind.IMPACT, points=(Point(x=face.width_mm / 3, y=face.height_mm - 9),), reach_mm=7)
    look = SOUND | {"glass": "broken"}
    _taken_in(fallen, "It broke again.", _answers(fallen), look, (hit,), staff["pell"], now)


def _answers(job: JobRecord) -> dict[str, tuple[str, str]]:
    return {function.id: ("works", "") for function in schools.of_job(job).functions}


def _taken_in(
    before: JobRecord,
    says: str,
    answers: Mapping[str, tuple[str, str]],
    look: Mapping[str, str],
    marks: Sequence[Mark],
    by: Person,
    now: datetime,
) -> str:
    at = hours.before(now - timedelta(minutes=25), ZoneInfo(TIMEZONE))
    model = schools.of_job(before)
    draft = comebacks.open_comeback(before.code, by, at)
    soonest = promises.promise(model, at)
    return intake.take_in(
        draft,
        intake.Arrival(
            customer_id=before.customer_id,
            name="",
            phone="",
            email="",
            model_id=model.id,
            read_number=before.arrival.read_number,
            serial=before.arrival.serial,
            channel="drop_off",
            complaint=says,
            opened_before=True,
            marks=list(marks),
            functions=dict(answers),
            accessories=[],
            consents=[consent.id for consent in consents.consents(model)],
            promise_at=hours.later(soonest.at, 3 * 60, ZoneInfo(TIMEZONE)),
            promise_reason="" if soonest.sure else "we look at it first",
            how={"data": "backed_up"},
            look=dict(look),
        ),
        by,
        at,
    )
