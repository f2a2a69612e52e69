"""Who is there and when, what is held fast, how many places each station has, and what the shop weighs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from datetime import datetime, timedelta, tzinfo

from sutura.core.errors import Invalid, NotFound, Refusal, StaleSave
from sutura.core.facts import fact
from sutura.core.people import Deed, demand
from sutura.core.planning.day import MOST_MOVE, MOST_WEIGHT, PlanWeights
from sutura.core.planning.expected import bench_minutes_left
from sutura.core.planning.shifts import read_shifts, typed_of
from sutura.core.typed import Problems, read_moment, read_text, read_whole
from sutura.core.values import Person
from sutura.services import planning, shop
from sutura.services.plans import places_of, weights_of
from sutura.services.rails import plan_page
from sutura.store import audit as audit_store
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import planning as planning_store
from sutura.store import plans as store
from sutura.store import shop as shop_store
from sutura.store.database import writing

MOST_PLACES = 20
_MINUTE = timedelta(minutes=1)


@writing
def write_absence(typed: Mapping[str, str], zone: tzinfo, by: Person, now: datetime) -> None:
    """Write down when somebody is away; the plan goes round it."""
    demand(by, Deed.ASSIGN)
    problems = Problems("The absence")
    person_id = problems.read(
        "person", typed.get("person", ""), lambda text: read_whole(text, 1 << 62, least=1)
    )
    from_at = problems.read("from_at", typed.get("from_at", ""), lambda text: read_moment(text, zone))
    until_at = problems.read("until_at", typed.get("until_at", ""), lambda text: read_moment(text, zone))
    why = problems.read("why", typed.get("why", ""), lambda text: read_text(text, 120))
    if from_at and until_at and not from_at < until_at <= from_at + timedelta(days=366):
        problems.add("until_at", typed.get("until_at", ""), fact("plan.until-after-from"))
    problems.refuse()
    if people_store.load_person(person_id or 0) is None:
        raise Invalid("person", typed.get("person", ""), fact("plan.choose-person"))
    assert from_at, "refused above"
    assert until_at, "refused above"
    store.add_absence(person_id or 0, from_at, until_at, why or "", by.id, now)
    facts = {"person": person_id, "from": from_at.isoformat(), "until": until_at.isoformat()}
    audit_store.add_audit(by.id, now, "absence written", facts)


@writing
def end_absence(absence_id: int, by: Person, now: datetime) -> None:
    """Somebody is back, or does not go."""
    demand(by, Deed.ASSIGN)
    if not store.end_absence(absence_id, now):
        raise NotFound("absence", absence_id)
    audit_store.add_audit(by.id, now, "absence ended", {"absence": absence_id})


@writing
def pin_job(code: str, person: str, start: str, zone: tzinfo, by: Person, now: datetime) -> None:
    """Hold a job's person fast, when it begins, or both; neither lets it go."""
    demand(by, Deed.ASSIGN)
    job = job_store.lock_job(code)
    if not person.strip() and not start.strip():
        store.remove_pin(job.id)
        return
    found = planning_store.load_open_job(code)
    if found is None or not bench_minutes_left(found.waiting):
        raise Invalid("pin", code, fact("plan.pin-what-is-open"))
    problems = Problems("The pin")
    start_at = problems.read("start", start, lambda text: read_moment(text, zone)) if start.strip() else None
    person_id = (
        problems.read("person", person, lambda text: read_whole(text, 1 << 62, least=1))
        if person.strip()
        else None
    )
    if start_at is not None and start_at < now - _MINUTE:
        problems.add("start", start, fact("plan.start-ahead"))
    problems.refuse()
    if person_id is not None and person_id not in {one.person_id for one in store.all_hands()}:
        raise Invalid("person", person, fact("plan.choose-person"))
    store.save_pin(job.id, person_id, start_at, by.id, now)


def assign_as_planned(by: Person, now: datetime) -> int:
    """Every job that nobody has goes to whom the plan says; how many did. One that cannot any more stays."""
    demand(by, Deed.ASSIGN)
    page = plan_page(now)
    ids = {one.name: one.person_id for one in page.hands}
    given = 0
    for job in page.time.jobs if page.time else ():
        if job.assigned or job.person not in ids:
            continue
        try:
            planning.assign(job.code, ids[job.person], by, now, seen=0)
        except Refusal:
            # somebody else was quicker, or the job went on meanwhile: one never stops the others
            continue
        given += 1
    return given


@writing
def change_stations(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """How many devices each station takes at once."""
    before = shop.lock_for(by, Deed.SET_UP_COUNTER)
    problems = Problems("The stations")
    places = {
        station: problems.read(station, typed.get(station, ""), lambda text: read_whole(text, MOST_PLACES))
        or 0
        for station in places_of({})
    }
    problems.refuse()
    if before.version != version:
        theirs = {name: str(count) for name, count in places_of(before.stations).items()}
        raise StaleSave("The stations", "another manager", None, dict(typed), theirs)
    shop_store.save_shop(stations=places)
    facts = {"before": dict(before.stations), "after": places}
    audit_store.add_audit(by.id, now, "stations changed", facts)


@writing
def change_weights(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """What a waiting customer counts, and what a job must gain to be moved from what was told."""
    before = shop.lock_for(by, Deed.SET_UP_COUNTER)
    was = weights_of(before)
    problems = Problems("The plan's weights")
    waiting = problems.read(
        "waiting", typed.get("waiting", ""), lambda text: read_whole(text, MOST_WEIGHT, least=1)
    )
    move = problems.read(
        "move_minutes", typed.get("move_minutes", ""), lambda text: read_whole(text, MOST_MOVE)
    )
    rush = problems.read("rush", typed.get("rush", ""), lambda text: read_whole(text, MOST_WEIGHT, least=1))
    problems.refuse()
    if before.version != version:
        theirs = {name: str(count) for name, count in asdict(was).items()}
        raise StaleSave("The plan's weights", "another manager", None, dict(typed), theirs)
    new = asdict(PlanWeights(waiting=waiting or 1, rush=rush or 1, move_minutes=move or 0))
    shop_store.save_shop(planning=new)
    audit_store.add_audit(by.id, now, "plan weights changed", {"before": asdict(was), "after": new})


@writing
def change_shifts(person: str, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Somebody's own week; an empty one = whenever the shop is open. Who saved last counts, audited."""
    demand(by, Deed.ASSIGN)
    try:
        person_id = read_whole(person, 1 << 62, least=1)
    except Invalid:
        person_id = 0
    if person_id not in {one.person_id for one in store.all_hands()}:
        raise Invalid("person", person, fact("plan.choose-person"))
    week = read_shifts(typed)
    before = store.lock_shifts(person_id)
    store.save_shifts(person_id, week)
    facts = {"person": person_id, "before": typed_of(before), "after": typed_of(week)}
    audit_store.add_audit(by.id, now, "week changed", facts)
