"""Ways on which practitioners disagree: what counts for a job, with what is kept of it."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from sutura.core.bench import schools as rules
from sutura.core.bench.schools import Choice
from sutura.core.catalogue.model import Model
from sutura.core.job import BEFORE_OPENING, BenchWork, JobRecord
from sutura.services import catalogue
from sutura.store import database


def _habits(job: JobRecord) -> dict[str, str]:
    """The habits of whoever has the job count until it is opened; then what counted is kept with it."""
    before = job.stage in BEFORE_OPENING and job.bench.attempt == 1
    return dict(job.bench.habits) if before else {}


def choices_of(job: JobRecord) -> tuple[Choice, ...]:
    """Every question of a job's model with what counts, where there is something to choose or to know."""
    known = catalogue.model(job.model_id, job.model_version)
    found = rules.choices(known, job.bench.schools, _habits(job))
    return tuple(choice for choice in found if len(choice.options) > 1)


def ways_of(job: JobRecord) -> dict[str, str]:
    """The ways that count for a job, where they are not the model's own."""
    habits = _habits(job)
    if not (job.bench.schools or habits):
        return {}
    known = catalogue.model(job.model_id, job.model_version)
    return rules.chosen_of(rules.choices(known, job.bench.schools, habits))


def of_job(job: JobRecord) -> Model:
    """The model of a job as it is worked on by the ways that count for it (rule bench.schools)."""
    ways = ways_of(job)
    if not ways:
        return catalogue.model(job.model_id, job.model_version)
    return _by_ways(job.model_id, job.model_version, tuple(sorted(ways.items())), database.connected())


@lru_cache(maxsize=256)
def _by_ways(
    model_id: str,
    version: int,
    ways: tuple[tuple[str, str], ...],
    connected: int,  # noqa: ARG001 - part of the cache key
) -> Model:
    return rules.with_schools(catalogue.model(model_id, version), dict(ways))


def opened_by(job: JobRecord, work: BenchWork) -> BenchWork:
    """The work as it is opened: the ways that count now are kept with it from here on."""
    return replace(with_ways(job, work, ways_of(job)), habits={})


def with_ways(job: JobRecord, work: BenchWork, ways: dict[str, str]) -> BenchWork:
    """The work by some ways, with its cure where that is another than the model's own."""
    known = catalogue.model(job.model_id, job.model_version)
    cure = rules.with_schools(known, ways).cure_minutes
    return replace(work, schools=ways, cure_minutes=None if cure == known.cure_minutes else cure)
