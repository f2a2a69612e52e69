"""Ways on which practitioners disagree: what counts for a job, with what is kept of it."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from sutura.core.bench import schools as rules
from sutura.core.bench.schools import Choice
from sutura.core.catalogue.model import Function, Model
from sutura.core.intake.arrival import functions_of
from sutura.core.job import AFTER_TEST, BEFORE_OPENING, BenchWork, JobRecord
from sutura.services import catalogue
from sutura.store import database


def _habits(job: JobRecord) -> dict[str, str]:
    """The habits of whoever has the job count until it is opened; then what counted is kept with it."""
    before = job.stage in BEFORE_OPENING and job.bench.attempt == 1
    return dict(job.bench.habits) if before else {}


def version_of(job: JobRecord) -> int:
    """The version of its model that a job is worked on by: that of its sheet, once it was opened (rule
    bench.frozen).
    """
    return job.model_version if job.sheet_version is None else job.sheet_version


def known_to(job: JobRecord) -> Model:
    """The model of a job as the catalogue says it, or said it when the job was opened."""
    return catalogue.model(job.model_id, version_of(job))


def choices_of(job: JobRecord) -> tuple[Choice, ...]:
    """Every question of a job's model with what counts, where there is something to choose or to know."""
    known = known_to(job)
    found = rules.choices(known, job.bench.schools, _habits(job))
    return tuple(choice for choice in found if len(choice.options) > 1)


def ways_of(job: JobRecord) -> dict[str, str]:
    """The ways that count for a job, where they are not the model's own."""
    habits = _habits(job)
    if not (job.bench.schools or habits):
        return {}
    known = known_to(job)
    return rules.chosen_of(rules.choices(known, job.bench.schools, habits))


def of_job(job: JobRecord) -> Model:
    """The model of a job as it is worked on by the ways that count for it (rule bench.schools), with the
    functions that are its own (rule intake.functions-kept).
    """
    known = known_to(job)
    functions = functions_of(job.arrival.functions, known, gains=job.stage not in AFTER_TEST)
    ways = ways_of(job)
    if not ways and functions == known.functions:
        return known
    return _of_job(
        job.model_id, version_of(job), tuple(sorted(ways.items())), functions, database.connected()
    )


@lru_cache(maxsize=256)
def _of_job(
    model_id: str,
    version: int,
    ways: tuple[tuple[str, str], ...],
    functions: tuple[Function, ...],
    connected: int,  # noqa: ARG001 - part of the cache key
) -> Model:
    known = catalogue.model(model_id, version)
    return replace(rules.with_schools(known, dict(ways)) if ways else known, functions=functions)


def opened_by(job: JobRecord, work: BenchWork) -> BenchWork:
    """The work as it is opened: the ways that count now are kept with it from here on."""
    return replace(with_ways(job, work, ways_of(job)), habits={})


def with_ways(job: JobRecord, work: BenchWork, ways: dict[str, str]) -> BenchWork:
    """The work by some ways, with its cure where that is another than the model's own."""
    known = known_to(job)
    cure = rules.with_schools(known, ways).cure_minutes
    return replace(work, schools=ways, cure_minutes=None if cure == known.cure_minutes else cure)
