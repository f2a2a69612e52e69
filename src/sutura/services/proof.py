"""Recording a proof: passed moves on, failed sends the job back to the bench and keeps both results."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime

from sutura.core.intake.arrival import check_functions
from sutura.core.job import EventKind, Move, Round, check_move
from sutura.core.people import Deed, demand
from sutura.core.proof import answering as rules
from sutura.core.proof.answering import ProofReading
from sutura.core.typed import refuse
from sutura.core.values import Person
from sutura.services import schools
from sutura.services.job import gather_facts, keep_sheet, move
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store.database import writing


@writing
def record_proof(
    code: str, answers: Mapping[str, tuple[str, str]], by: Person, now: datetime
) -> ProofReading:
    """Record the whole function list and act on what it says."""
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    model = schools.of_job(job)
    facts = gather_facts(job, model)
    # out of turn is refused before the list is looked at
    check_move(replace(facts, proof_complete=True, proof_passed=True), Move.PASS_PROOF)
    results, problems = check_functions(model, answers)
    refuse(problems, "The proof")
    intake_store.add_results(job.id, job.bench.attempt, results, by.id, now)
    baseline = intake_store.load_results(job.id)[0]
    reading = rules.compare(model.functions, baseline, {r.function: r for r in results})
    failing = [comparison.function for comparison in reading.failing]
    if reading.passed:
        done = replace(job.bench, steps_done=job.bench.steps_done + 1)
        move(job, Move.PASS_PROOF, EventKind.PROVED, {}, done, by=by, now=now)
    else:
        again = replace(job.bench, attempt=job.bench.attempt + 1, round=Round.REWORK, steps_done=0)
        again = replace(again, steps_total=keep_sheet(job, again, now))
        told = {"failing": [function.id for function in failing], "names": [f.name for f in failing]}
        move(job, Move.FAIL_PROOF, EventKind.PROOF_FAILED, told, again, by=by, now=now)
    return reading
