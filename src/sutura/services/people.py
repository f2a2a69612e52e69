"""Signing in and out, and keeping the list of people."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Mapping
from datetime import datetime, timedelta
from decimal import Decimal

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError

from sutura.core import people as rules
from sutura.core.errors import Invalid, NotFound, SignInRefused, StaleSave
from sutura.core.facts import fact
from sutura.core.shop import AHEAD
from sutura.core.typed import Problems, read_number
from sutura.core.values import Person, Role
from sutura.store import audit as audit_store
from sutura.store import people as store
from sutura.store.database import reading, writing

_HASHER = PasswordHasher()
# Checked when the name is unknown, so that a wrong name takes as long as a wrong password.
_NOBODY = _HASHER.hash(secrets.token_hex(16))
SESSION_LENGTH = timedelta(hours=12)  # one working day; the shop's habit, no source


def hash_password(password: str) -> str:
    return _HASHER.hash(password)


def sign_in(login: str, password: str, address: str, now: datetime) -> str:
    """A new session's token; refuses wrong pairs, and too many of them."""
    login = login.strip().lower()
    # counted as wrong before the password is looked at, so that many at once are counted all the same
    signing, try_id = _start_try(login[:64], address, now)
    right = _verify(signing.password_hash if signing else _NOBODY, password)
    if not (signing and right and signing.active):
        raise SignInRefused()
    _note_right(try_id)
    return open_session(signing.id, now)


@writing
def _start_try(login: str, address: str, now: datetime) -> tuple[store.PersonRecord | None, int]:
    store.lock_tries(login)
    of_name, of_address = store.failed_tries(login, address, now - rules.WINDOW, now + AHEAD)
    wait = max(rules.wait_minutes(of_name, now), rules.wait_minutes(of_address, now, rules.ADDRESS_TRIES))
    if wait:
        raise SignInRefused(wait)
    return store.load_person_by_login(login), store.add_try(login, address, ok=False, at=now)


@writing
def _note_right(try_id: int) -> None:
    store.save_try_right(try_id)


def _verify(password_hash: str, password: str) -> bool:
    try:
        return _HASHER.verify(password_hash, password)
    except (VerifyMismatchError, InvalidHashError):
        return False


@writing
def open_session(person_id: int, now: datetime) -> str:
    token = secrets.token_urlsafe(32)
    store.add_session(token_hash(token), person_id, secrets.token_urlsafe(24), now, now + SESSION_LENGTH)
    audit_store.add_audit(person_id, now, "signed in", {})
    return token


def token_hash(token: str) -> str:
    """What is kept of a session or a link: who reads the database cannot use it."""
    return hashlib.sha256(token.encode()).hexdigest()


@reading
def session_of(token: str, now: datetime) -> store.SignedIn | None:
    return store.load_session(token_hash(token), now, now + AHEAD) if token else None


@writing
def sign_out(token: str, now: datetime) -> None:
    person_id = store.remove_session(token_hash(token))
    if person_id is not None:
        audit_store.add_audit(person_id, now, "signed out", {})


@writing
def add_person(*, name: str, login: str, role: str, password: str, by: Person, now: datetime) -> int:
    rules.demand(by, rules.Deed.CHANGE_PEOPLE)
    person_id = create_person(name=name, login=login, role=role, password=password, now=now)
    audit_store.add_audit(by.id, now, "person added", {"login": login, "role": role})
    return person_id


@writing
def create_person(*, name: str, login: str, role: str, password: str, now: datetime) -> int:
    """Add a person without asking who does it: for the command line, where the first manager is made."""
    login = login.strip().lower()
    rules.check_person(name=name, login=login, role=role, password=password)
    new = store.add_person(
        name=name.strip(), login=login, role=role, password_hash=hash_password(password), created_at=now
    )
    if new is None:
        raise Invalid("login", login, fact("people.someone-has-sign-name-already-choose"))
    return new


@writing
def save_person(
    person_id: int,
    *,
    name: str,
    role: str,
    active: bool,
    password: str,
    factors: Mapping[str, str],
    version: int,
    by: Person,
    now: datetime,
) -> None:
    """Change a person; the last active manager stays one, and a stale form shows both versions."""
    rules.demand(by, rules.Deed.CHANGE_PEOPLE)
    before = store.lock_person(person_id)
    if before is None:
        raise NotFound("person", person_id)
    problems = Problems()
    with problems.under(""):
        rules.check_person(name=name, login=before.login, role=role, password=password or None)
    skills = _read_factors(factors, problems)
    problems.refuse()
    if before.version != version:
        raise StaleSave(
            "This person",
            "another manager",
            None,
            {"name": name, "role": role, "active": "yes" if active else "no"},
            {"name": before.name, "role": before.role, "active": "yes" if before.active else "no"},
        )
    stays = role == Role.MANAGER and active
    if before.role == Role.MANAGER and not stays and not store.count_other_managers(person_id):
        raise Invalid("role", role, fact("people.shop-needs-one-active-manager-make"))
    store.save_person(
        person_id,
        name=name.strip(),
        role=role,
        active=active,
        password_hash=hash_password(password) if password else before.password_hash,
    )
    store.save_skills(person_id, skills)
    if password or not active or role != before.role:
        store.remove_sessions_of(person_id)
    audit_store.add_audit(
        by.id,
        now,
        "person changed",
        {
            "person": person_id,
            "before": {"name": before.name, "role": before.role, "active": before.active},
            "after": {"name": name, "role": role, "active": active},
            "password": bool(password),
        },
    )


def _read_factors(factors: Mapping[str, str], problems: Problems) -> dict[str, Decimal]:
    least, most = rules.FACTORS
    accepts = fact("people.write-how-many-times-sheets-minutes", least=float(least), most=int(most))
    read = {}
    for family, text in factors.items():
        if text.strip():
            factor = problems.read(
                f"factor.{family}", text, lambda text: read_number(text, least, most, accepts)
            )
            read[family] = factor or least
    return read


@writing
def wrong_link(address: str, now: datetime) -> int:
    """Keep that a link was asked for which nobody made; how many from this place within a minute."""
    return store.add_link_try(address, now, now - timedelta(minutes=1), now + AHEAD)
