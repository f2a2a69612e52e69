"""People, their sessions and their tries to sign in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from typing import Any

from sutura.core.values import Person, Role
from sutura.store.database import DATABASE, insert, reading, row, rows, value
from sutura.store.tables import AuditEvent, LoginSession, SignInTry, Skill
from sutura.store.tables import Person as PersonTable


@dataclass(frozen=True, slots=True, kw_only=True)
class SignedIn:
    """The person behind a session and the session's token against forged forms."""

    person: Person
    csrf: str
    shop_name: str
    timezone: str


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


_PERSON = """
select person.id, person.name, login, role, active, version, password_hash,
       coalesce(jsonb_object_agg(skill.family, skill.factor) filter (where skill.id is not null), '{}') as skills
from person left join skill on skill.person_id = person.id
"""


@reading
def load_session(token_hash: str, now: datetime) -> SignedIn | None:
    def make(id: int, name: str, role: str, csrf: str, shop_name: str, timezone: str) -> SignedIn:
        person = Person(id=id, name=name, role=Role(role))
        return SignedIn(person=person, csrf=csrf, shop_name=shop_name, timezone=timezone)

    return row(
        make,
        "select person.id, person.name, person.role, login_session.csrf, shop.name as shop_name,"
        " shop.timezone from login_session join person on person.id = login_session.person_id join shop on true"
        " where token_hash = %s and expires_at > %s and person.active",
        token_hash, now,
    )  # fmt: skip


def add_session(
    token_hash: str, person_id: int, csrf: str, created_at: datetime, expires_at: datetime
) -> None:
    insert(
        LoginSession,
        [
            {
                "token_hash": token_hash,
                "person": person_id,
                "csrf": csrf,
                "created_at": created_at,
                "expires_at": expires_at,
            }
        ],
    )


def remove_session(token_hash: str) -> None:
    DATABASE.execute_sql("delete from login_session where token_hash = %s", (token_hash,))


def remove_sessions_of(person_id: int) -> None:
    DATABASE.execute_sql("delete from login_session where person_id = %s", (person_id,))


@reading
def load_person(person_id: int) -> PersonRecord | None:
    return row(PersonRecord, _PERSON + " where person.id = %s group by person.id", person_id)


def load_person_by_login(login: str) -> PersonRecord | None:
    return row(PersonRecord, _PERSON + " where login = %s group by person.id", login)


def lock_person(person_id: int) -> PersonRecord | None:
    value("select id from person where id = %s for update", person_id)
    return load_person(person_id)


@reading
def people_page() -> list[PersonRecord]:
    return rows(PersonRecord, _PERSON + " group by person.id order by active desc, person.name")


def count_other_managers(person_id: int) -> int:
    """Active managers besides one, locked so that two cannot step down at once."""
    return len(
        rows(
            dict, "select id from person where role = 'manager' and active and id <> %s for update", person_id
        )
    )


def add_person(*, name: str, login: str, role: str, password_hash: str, created_at: datetime) -> int | None:
    """The new person's number; None when the login is taken."""
    new: int | None = value(
        "insert into person (name, login, role, password_hash, created_at) values (%s, %s, %s, %s, %s)"
        " on conflict (login) do nothing returning id",
        name, login, role, password_hash, created_at,
    )  # fmt: skip
    return new


def save_person(person_id: int, **changes: Any) -> None:
    PersonTable.update(version=PersonTable.version + 1, **changes).where(
        PersonTable.id == person_id
    ).execute()


def save_skills(person_id: int, factors: Mapping[str, Decimal]) -> None:
    DATABASE.execute_sql("delete from skill where person_id = %s", (person_id,))
    insert(
        Skill,
        [{"person": person_id, "family": family, "factor": factor} for family, factor in factors.items()],
    )


@reading
def families() -> list[str]:
    return [
        name for (name,) in DATABASE.execute_sql("select distinct procedure_family from model order by 1")
    ]


def failed_tries(login: str, address: str, since: datetime) -> tuple[list[datetime], list[datetime]]:
    """Times of wrong tries since a moment: for the name since its last success, and for the address."""
    of_name = DATABASE.execute_sql(
        "select at from sign_in_try where login = %s and at > %s and not ok and at > coalesce("
        "(select max(at) from sign_in_try where login = %s and ok), '-infinity')",
        (login, since, login),
    )
    of_address = DATABASE.execute_sql(
        "select at from sign_in_try where address = %s and at > %s and not ok", (address, since)
    )
    return [at for (at,) in of_name], [at for (at,) in of_address]


def add_try(login: str, address: str, *, ok: bool, at: datetime) -> None:
    insert(SignInTry, [{"login": login, "address": address, "ok": ok, "at": at}])


def add_audit(person_id: int, at: datetime, what: str, detail: Mapping[str, object]) -> None:
    insert(AuditEvent, [{"person": person_id, "at": at, "what": what, "detail": dict(detail)}])
