"""Who did what to money, people, customers and settings, when and from where: append-only."""

from __future__ import annotations

from collections.abc import Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import datetime, timedelta

from peewee import JOIN

from sutura.store.database import column, each, raw, reading
from sutura.store.expressions import or_empty
from sutura.store.tables import AuditEvent, Person

# where the request that is worked on came from; empty for the program itself and its command line
FROM: ContextVar[str] = ContextVar("from", default="")
PER_PAGE = 100
LOOK_AGAIN = timedelta(hours=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class AuditLine:
    id: int
    at: datetime
    who: str
    what: str
    detail: Mapping[str, object]
    address: str


def add_audit(person_id: int | None, at: datetime, what: str, detail: Mapping[str, object]) -> None:
    AuditEvent.insert(person=person_id, at=at, what=what, detail=dict(detail), address=FROM.get()).execute()


def add_look(person_id: int, at: datetime, what: str, detail: Mapping[str, object]) -> None:
    """A look is kept once an hour for the same person, thing and place: who went to and fro looked once."""
    same = AuditEvent.select(AuditEvent.id).where(
        AuditEvent.at > at - LOOK_AGAIN,
        AuditEvent.person == person_id,
        AuditEvent.what == what,
        AuditEvent.detail == dict(detail),
        AuditEvent.address == FROM.get(),
    )
    if not same.exists():
        add_audit(person_id, at, what, detail)


def stamp_person(person_id: int) -> None:
    """Name who acts in this transaction, for what triggers keep of it (prices); a setting of PostgreSQL,
    which peewee cannot say.
    """
    raw("select set_config('sutura.person', %s, true)", str(person_id))


@reading
def audit_page(before: int | None = None, what: str = "") -> list[AuditLine]:
    """The newest entries, or those before one; of one kind where it is named."""
    lines = AuditEvent.select(
        AuditEvent.id,
        AuditEvent.at,
        or_empty(Person.name).alias("who"),
        AuditEvent.what,
        AuditEvent.detail,
        AuditEvent.address,
    ).join(Person, JOIN.LEFT_OUTER)
    if before is not None:
        lines = lines.where(AuditEvent.id < before)
    if what:
        lines = lines.where(AuditEvent.what == what)
    return each(AuditLine, lines.order_by(AuditEvent.id.desc()).limit(PER_PAGE))


@reading
def kinds() -> list[str]:
    return column(AuditEvent.select(AuditEvent.what).distinct().order_by(AuditEvent.what))
