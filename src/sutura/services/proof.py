"""Recording a proof: passed moves on, failed sends the job back to the bench and keeps both results."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime

from sutura.core.bench.owntimes import is_beginner
from sutura.core.bench.rework import round_after
from sutura.core.catalogue.model import Function, Model
from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.intake.arrival import check_functions, functions_kept
from sutura.core.job import NO_PART, EventKind, JobRecord, Move, Round, check_move
from sutura.core.people import Deed, demand
from sutura.core.planning.queue import TechnicianChoice
from sutura.core.proof import answering as rules
from sutura.core.proof.answering import ProofReading
from sutura.core.typed import refuse
from sutura.core.values import Person
from sutura.services import hands, looks, planning, schools, shop
from sutura.services.job import gather_facts, move, next_round, note
from sutura.store import audit as audit_store
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store import planning as planning_store
from sutura.store import proof as store
from sutura.store.database import reading, writing


@writing
def record_proof(
    code: str,
    answers: Mapping[str, tuple[str, str]],
    by: Person,
    now: datetime,
    *,
    second: int = 0,
    all_the_same: str = "",
) -> ProofReading:
    """Record the whole function list and act on what it says. `second` is who else looked, where the shop
    wants that of a beginner's work; `all_the_same` why a manager lets pass what does not work.
    """
    demand(by, Deed.WORK_BENCH)
    job = job_store.lock_job(code)
    model = schools.of_job(job)
    facts = gather_facts(job, model)
    # out of turn is refused before the list is looked at
    check_move(replace(facts, proof_complete=True, proof_passed=True), Move.PASS_PROOF)
    looks.check_clean(job)
    results, problems = check_functions(model, answers)
    who, missing = _second(job, model, second, by, now)
    refuse([*problems, *missing], "The proof")
    intake_store.add_results(job.id, job.bench.attempt, results, by.id, now)
    # what the model gained since the intake is the job's own from here on
    arrival = replace(job.arrival, functions=functions_kept(model.functions))
    baseline = intake_store.load_results(job.id)[0]
    reading = rules.compare(model.functions, baseline, {r.function: r for r in results})
    failing = [comparison.function for comparison in reading.failing]
    if job.bench.round is Round.CLOSING_UP:
        # nothing is repaired: what worked on arrival and does not now is answered for
        told = {"names": [one.function.name for one in reading.answer_for]}
        done = replace(job.bench, steps_done=job.bench.steps_done + 1)
        note(job, EventKind.TESTED_UNREPAIRED, told, done, arrival, by=by, now=now)
        return replace(reading, passed=True)
    if all_the_same.strip() and not reading.passed:
        _let_pass(job, failing, all_the_same.strip(), by, now)
        reading = replace(reading, passed=True)
    if reading.passed:
        looks.check_looked(job)
        passed = {"second": who, "all_the_same": all_the_same.strip()[:300] if failing else ""}
        done = replace(job.bench, steps_done=job.bench.steps_done + 1)
        move(job, Move.PASS_PROOF, EventKind.PROVED, passed, done, arrival, by=by, now=now)
    else:
        work = round_after(hands.path_of(job, model))
        again = next_round(job, work, now)
        told = {"failing": [function.id for function in failing], "names": [f.name for f in failing]}
        move(job, Move.FAIL_PROOF, EventKind.PROOF_FAILED, told, again, arrival, by=by, now=now)
    return reading


def _let_pass(job: JobRecord, failing: Sequence[Function], reason: str, by: Person, now: datetime) -> None:
    """A manager lets pass what does not work; the customer is told (rule proof.all-the-same)."""
    demand(by, Deed.LET_PASS)
    if len(reason) < 5:
        raise Invalid("all_the_same", reason, fact("proof.write-why-all-the-same"))
    names = [function.name for function in failing]
    store.add_override(job.id, job.bench.attempt, names, reason[:300], by.id, now)
    facts = {"job": job.code, "names": names, "reason": reason[:300]}
    audit_store.add_audit(by.id, now, "proof let pass", facts)


@reading
def second_of(job: JobRecord, model: Model, now: datetime) -> list[TechnicianChoice]:
    """Who may look besides a beginner at their work, where the shop wants that; else nobody (rule
    proof.second-look).
    """
    technician, wanted = job.bench.technician_id, shop.shop().second_look
    if not wanted or technician is None or (wanted == "part" and job.chosen.route in NO_PART):
        return []
    skills = {one.person_id: one for one in planning_store.skills_page(model.procedure_family)}
    written = skills[technician].written if technician in skills else None
    if not is_beginner(written):
        return []
    others = [one for one in planning.trained_for(model) if one.person_id != technician]
    return planning.here_of(others, now)


def _second(
    job: JobRecord, model: Model, second: int, by: Person, now: datetime
) -> tuple[str, list[Invalid]]:
    """Whoever looked besides, by name; nobody where nobody has to."""
    choices = {one.person_id: one.name for one in second_of(job, model, now)}
    if by.id in choices:
        # somebody trained records a beginner's work: that is the second look
        return by.name, []
    if not choices or second in choices:
        return choices.get(second, ""), []
    return "", [Invalid("second", "", fact("proof.name-who-looked"))]
