"""People, their sessions and their tries to sign in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from decimal import Decimal
from typing import Any

from peewee import JOIN, SQL, Select, fn

from sutura.core.values import Person, Role
from sutura.store.bench_tables import HeatSource
from sutura.store.database import column, each, first, insert, note_stamp, raw, reading, rows, written
from sutura.store.expressions import IS_OPEN
from sutura.store.tables import CatalogueModel, Job, LinkTry, LoginSession, Shop, SignInTry, Skill
from sutura.store.tables import Person as PersonTable


@dataclass(frozen=True, slots=True, kw_only=True)
class SignedIn:
    """The person behind a session and the session's token against forged forms."""

    person: Person
    csrf: str
    shop_name: str
    timezone: str
    # devices whose time by the clock is over; what is hot for which job; until when which device waits
    over: tuple[str, ...] = ()
    hot: tuple[str, ...] = ()
    waits: Mapping[str, datetime] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class PersonRecord:
    id: int
    name: str
    login: str
    role: str
    active: bool
    version: int
    password_hash: str
    skills: Mapping[str, Any]


_PERSON = (
    PersonTable.select(
        PersonTable.id,
        PersonTable.name,
        PersonTable.login,
        PersonTable.role,
        PersonTable.active,
        PersonTable.version,
        PersonTable.password_hash,
        fn.COALESCE(
            fn.JSONB_OBJECT_AGG(Skill.family, Skill.factor).filter(Skill.id.is_null(False)),
            SQL("'{}'::jsonb"),
        ).alias("skills"),
    )
    .join(Skill, JOIN.LEFT_OUTER)
    .group_by(PersonTable.id)
)


def _signed_in(
    id: int,
    name: str,
    role: str,
    stamp: str,
    over: list[str],
    hot: list[str],
    waits: list[list[str]],
    **session: str,
) -> SignedIn:
    note_stamp(stamp)
    person = Person(id=id, name=name, role=Role(role))
    running = {code: datetime.fromisoformat(until) for code, until in waits}
    return SignedIn(person=person, over=tuple(over), hot=tuple(hot), waits=running, **session)


# more than lie on the clock, or are hot, in any shop: what is left out here nobody could switch off
_ALL = 60
# devices whose time by the clock is over (rule plan.clock): every page says so
_OVER = fn.ARRAY(
    Job.select(Job.code)
    .where(IS_OPEN, Job.waits_until.is_null(False), Job.waits_until <= fn.NOW())
    .order_by(Job.waits_until)
    .limit(_ALL)
)
# jobs for which something hot is switched on, and devices that wait by the clock: every page says so
_HOT = fn.ARRAY(
    Job.select(HeatSource.what.concat(" ").concat(Job.code))
    .join(HeatSource, on=HeatSource.job == Job.id)
    .where(HeatSource.off_at.is_null())
    .order_by(HeatSource.id)
    .limit(_ALL)
)
_WAITS = fn.COALESCE(
    Job.select(fn.JSONB_AGG(fn.JSONB_BUILD_ARRAY(Job.code, Job.waits_until))).where(
        IS_OPEN, Job.waits_until.is_null(False)
    ),
    SQL("'[]'::jsonb"),
)
# behind every request, so it is made once
_SESSION = (
    LoginSession.select(
        PersonTable.id,
        PersonTable.name,
        PersonTable.role,
        LoginSession.csrf,
        Shop.name.alias("shop_name"),
        Shop.timezone,
        Shop.stamp,
        _OVER.alias("over"),
        _HOT.alias("hot"),
        _WAITS.alias("waits"),
    )
    .join(PersonTable)
    .join(Shop, on=SQL("true"))
    .where(PersonTable.active)
)


@written
def _session(token_hash: str, now: datetime, until: datetime) -> Select:
    return _SESSION.where(
        LoginSession.token_hash == token_hash, LoginSession.expires_at > now, LoginSession.created_at <= until
    )


@reading
def load_session(token_hash: str, now: datetime, until: datetime) -> SignedIn | None:
    """Who is signed in now, with a session that was begun until a moment."""
    return first(_signed_in, _session(token_hash, now, until))


def add_session(
    token_hash: str, person_id: int, csrf: str, created_at: datetime, expires_at: datetime
) -> None:
    LoginSession.insert(
        token_hash=token_hash, person=person_id, csrf=csrf, created_at=created_at, expires_at=expires_at
    ).execute()


def remove_session(token_hash: str) -> int | None:
    """End a session; whose it was, None where there was none."""
    gone = LoginSession.delete().where(LoginSession.token_hash == token_hash)
    return next((person_id for (person_id,) in gone.returning(LoginSession.person).tuples()), None)


def remove_sessions_of(person_id: int) -> None:
    LoginSession.delete().where(LoginSession.person == person_id).execute()


@reading
def habits_of(person_id: int) -> Mapping[str, str]:
    """The ways a person goes wherever a model allows them, by question."""
    return next(iter(column(PersonTable.select(PersonTable.habits).where(PersonTable.id == person_id))), {})


def save_habit(person_id: int, question: str, value: str) -> None:
    """A person's habit; empty = none any more."""
    raw(
        "update person set habits = jsonb_strip_nulls(habits || jsonb_build_object(%s::text, "
        "nullif(%s::text, ''))) where id = %s",
        question,
        value,
        person_id,
    )


@reading
def load_person(person_id: int) -> PersonRecord | None:
    return first(PersonRecord, _PERSON.where(PersonTable.id == person_id))


def load_person_by_login(login: str) -> PersonRecord | None:
    return first(PersonRecord, _PERSON.where(PersonTable.login == login))


def lock_person(person_id: int) -> PersonRecord | None:
    PersonTable.select(PersonTable.id).where(PersonTable.id == person_id).for_update().execute()
    return load_person(person_id)


@reading
def people_page() -> list[PersonRecord]:
    return each(PersonRecord, _PERSON.order_by(PersonTable.active.desc(), PersonTable.name))


def count_other_managers(person_id: int) -> int:
    """Active managers besides one, locked so that two cannot step down at once."""
    others = PersonTable.select(PersonTable.id).where(
        PersonTable.role == Role.MANAGER.value, PersonTable.active, PersonTable.id != person_id
    )
    return len(column(others.for_update()))


def add_person(*, name: str, login: str, role: str, password_hash: str, created_at: datetime) -> int | None:
    """The new person's number; None when the login is taken."""
    new = PersonTable.insert(
        name=name,
        login=login,
        role=role,
        password_hash=password_hash,
        created_at=created_at,
        active=True,
        version=1,
    )
    added = rows(new.on_conflict_ignore().returning(PersonTable.id))
    return added[0][0] if added else None


def save_person(person_id: int, **changes: Any) -> None:
    PersonTable.update(version=PersonTable.version + 1, **changes).where(
        PersonTable.id == person_id
    ).execute()


def save_skills(person_id: int, factors: Mapping[str, Decimal]) -> None:
    Skill.delete().where(Skill.person == person_id).execute()
    insert(
        Skill,
        [{"person": person_id, "family": family, "factor": factor} for family, factor in factors.items()],
    )


@reading
def families() -> list[str]:
    names = CatalogueModel.select(CatalogueModel.procedure_family).distinct()
    return column(names.order_by(CatalogueModel.procedure_family))


def failed_tries(
    login: str, address: str, since: datetime, until: datetime
) -> tuple[list[datetime], list[datetime]]:
    """Times of wrong tries between two moments: for the name since its last success, and for the address."""
    wrong = SignInTry.select(SignInTry.at).where(SignInTry.at.between(since, until), ~SignInTry.ok)
    Success = SignInTry.alias()
    last_success = Success.select(fn.MAX(Success.at)).where(
        Success.login == login, Success.ok, Success.at <= until
    )
    after = fn.COALESCE(last_success, SQL("'-infinity'::timestamptz"))
    of_name = wrong.where(SignInTry.login == login, SignInTry.at > after)
    return column(of_name), column(wrong.where(SignInTry.address == address))


def lock_tries(login: str) -> None:
    """Tries of one name one after the other; an advisory lock, because a new name has no row to lock."""
    raw("select pg_advisory_xact_lock(hashtext(%s))", f"sign-in {login}")


def add_try(login: str, address: str, *, ok: bool, at: datetime) -> int:
    return int(SignInTry.insert(login=login, address=address, ok=ok, at=at).execute())


def save_try_right(try_id: int) -> None:
    SignInTry.update(ok=True).where(SignInTry.id == try_id).execute()


def add_link_try(address: str, at: datetime, since: datetime, until: datetime) -> int:
    """One more guess at a link from a place; how many since a moment. What is older, or later than can be, is
    forgotten.
    """
    LinkTry.delete().where((LinkTry.at < since) | (LinkTry.at > until)).execute()
    LinkTry.insert(address=address, at=at).execute()
    return LinkTry.select().where(LinkTry.address == address, LinkTry.at >= since).count()
