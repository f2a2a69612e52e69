"""Somebody's day as a list to print and as a calendar behind a private link; absences from a calendar."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import datetime, tzinfo

from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import Fact, fact
from sutura.core.people import Deed, demand
from sutura.core.values import Person
from sutura.formats.apart import SECONDS, apart
from sutura.formats.calendars import Entry, read_absences, write_calendar
from sutura.services.people import token_hash
from sutura.services.rails import Block, PlannedJob, plan_page
from sutura.store import audit as audit_store
from sutura.store import plans as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnLine:
    """One line of somebody's day: what they do at which job, from when until when, and its promise."""

    block: Block
    job: PlannedJob


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnDay:
    """What somebody does next, in its order, and when that plan was made; None before the first."""

    name: str
    person_id: int
    made_at: datetime | None
    lines: tuple[OwnLine, ...]


@reading
def own_day(person_id: int, name: str, now: datetime) -> OwnDay:
    """What the plan says of somebody; what is over by now is left out."""
    time = plan_page(now).time
    if time is None:
        return OwnDay(name=name, person_id=person_id, made_at=None, lines=())
    jobs = {job.code: job for job in time.jobs}
    blocks = next((rail.blocks for rail in time.rails if rail.person_id == person_id), ())
    lines = tuple(
        OwnLine(block=block, job=jobs[block.code])
        for block in blocks
        if block.end > now and block.code in jobs
    )
    return OwnDay(name=name, person_id=person_id, made_at=time.made_at, lines=lines)


@writing
def make_link(by: Person, now: datetime) -> str:
    """A new link of one's own calendar; the one before ends. Its secret is known only now."""
    token = secrets.token_urlsafe(24)
    store.save_calendar_link(by.id, token_hash(token), now)
    audit_store.add_audit(by.id, now, "calendar link made", {})
    return token


@reading
def calendar_of(token: str, now: datetime) -> bytes:
    """The calendar behind a link; one that nobody made is not found, whatever is wrong with it. It names jobs
    and devices, and no customer.
    """
    found = store.whose_calendar(token_hash(token)) if 20 <= len(token) <= 64 else None
    if found is None:
        raise NotFound(fact("calendar.calendar"), "…")
    day = own_day(*found, now)
    entries = [
        Entry(
            uid=f"{line.block.code}-{number}@sutura",
            start=line.block.start,
            end=line.block.end,
            summary=f"{line.block.code} {line.job.model}",
        )
        for number, line in enumerate(day.lines)
    ]
    return write_calendar(day.name, entries, day.made_at or now)


@writing
def take_absences(
    person_id: int, file: bytes, zone: tzinfo, by: Person, now: datetime
) -> tuple[int, list[Fact]]:
    """When somebody is away, from a calendar: how many spans were written, and what could not be. What is
    over, and what is written already, is left out.
    """
    demand(by, Deed.ASSIGN)
    if person_id not in {one.person_id for one in store.all_hands()}:
        raise Invalid("person", person_id, fact("plan.choose-person"))
    # a stranger's file: what it costs nobody knows before
    read, wrong = apart(SECONDS, read_absences, file, zone)
    there = {(one.from_at, one.until_at) for one in store.away_after(now) if one.person_id == person_id}
    new = [one for one in read if one.end > now and (one.start, one.end) not in there]
    for one in new:
        store.add_absence(person_id, one.start, one.end, one.why, by.id, now)
    if new:
        audit_store.add_audit(by.id, now, "absences read", {"person": person_id, "count": len(new)})
    return len(new), wrong
