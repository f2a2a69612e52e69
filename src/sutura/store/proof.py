"""Tests on the device itself, looks at a bare panel and at a sealed device."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sutura.core.facts import Fact, from_json, to_json
from sutura.core.values import Outcome
from sutura.store.database import each, first, reading
from sutura.store.proof_tables import DeviceTest, DustLook, LetGo, ProofOverride, SealedLook, TestLink
from sutura.store.tables import Job, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """A link to test one device; `device` is the hash of the one that opened it, None before."""

    id: int
    job_id: int
    code: str
    attempt: int
    device: str | None
    at: datetime
    expires_at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Test:
    """What came of one test on the device."""

    id: int
    attempt: int
    kind: str
    function: str
    outcome: Outcome
    measured: bool
    reasons: tuple[Fact, ...]
    found: Mapping[str, Any]
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Dust:
    """One look at a bare panel: where specks are, or what is accepted."""

    attempt: int
    specks: Sequence[Sequence[float]]
    accepted: str
    who: str
    at: datetime


@dataclass(frozen=True, slots=True, kw_only=True)
class Sealed:
    """One look at a sealed device."""

    attempt: int
    look: str
    results: Mapping[str, Sequence[str]]
    felt: Mapping[str, str]
    passed: bool
    who: str
    at: datetime


def add_link(
    link: str, job_id: int, attempt: int, person_id: int, at: datetime, expires_at: datetime
) -> None:
    TestLink.insert(
        link=link, job=job_id, attempt=attempt, person=person_id, at=at, expires_at=expires_at
    ).execute()


def end_links(job_id: int, at: datetime) -> None:
    """Every link of a job that is still open ends."""
    TestLink.update(expires_at=at).where(
        TestLink.job == job_id, TestLink.expires_at > at, TestLink.at < at
    ).execute()


_LINK = TestLink.select(
    TestLink.id,
    TestLink.job.alias("job_id"),
    Job.code,
    TestLink.attempt,
    TestLink.device,
    TestLink.at,
    TestLink.expires_at,
).join(Job)


@reading
def load_link(link: str) -> Link | None:
    return first(Link, _LINK.where(TestLink.link == link))


def take_link(link_id: int, device: str) -> bool:
    """The first device that opens a link has it; whether it is this one."""
    TestLink.update(device=device).where(TestLink.id == link_id, TestLink.device.is_null()).execute()
    return bool(TestLink.select().where(TestLink.id == link_id, TestLink.device == device).count())


def add_test(link: Link, sent_key: str, at: datetime, **columns: Any) -> Outcome:
    """One test; sent again with its key it is there already. What it came to when it was sent first."""
    reasons = [to_json(reason) for reason in columns.pop("reasons")]
    DeviceTest.insert(
        job=link.job_id,
        link=link.id,
        attempt=link.attempt,
        sent_key=sent_key,
        at=at,
        reasons=reasons,
        **columns,
    ).on_conflict_ignore().execute()
    kept = DeviceTest.select(DeviceTest.outcome).where(
        DeviceTest.link == link.id, DeviceTest.sent_key == sent_key
    )
    return Outcome(kept.scalar())


def _test(reasons: Sequence[Any], outcome: str, **columns: Any) -> Test:
    return Test(reasons=tuple(from_json(reason) for reason in reasons), outcome=Outcome(outcome), **columns)


@reading
def load_tests(job_id: int) -> list[Test]:
    """What came of every test of a job's device, in its order."""
    query = (
        DeviceTest.select(
            DeviceTest.id,
            DeviceTest.attempt,
            DeviceTest.kind,
            DeviceTest.function,
            DeviceTest.outcome,
            DeviceTest.measured,
            DeviceTest.reasons,
            DeviceTest.found,
            DeviceTest.at,
        )
        .where(DeviceTest.job == job_id)
        .order_by(DeviceTest.id)
    )
    return each(_test, query)


@reading
def count_tests(job_id: int) -> int:
    return int(DeviceTest.select().where(DeviceTest.job == job_id).count())


@dataclass(frozen=True, slots=True, kw_only=True)
class Override:
    """A proof that was let pass: what does not work, why it may go all the same, and who said so."""

    attempt: int
    names: Sequence[str]
    reason: str
    who: str
    at: datetime


def add_override(
    job_id: int, attempt: int, names: Sequence[str], reason: str, person_id: int, at: datetime
) -> None:
    ProofOverride.insert(
        job=job_id, attempt=attempt, names=list(names), reason=reason, person=person_id, at=at
    ).execute()


@reading
def load_override(job_id: int, attempt: int) -> Override | None:
    """What was let pass in a round."""
    query = (
        ProofOverride.select(
            ProofOverride.attempt,
            ProofOverride.names,
            ProofOverride.reason,
            Person.name.alias("who"),
            ProofOverride.at,
        )
        .join(Person)
        .where(ProofOverride.job == job_id, ProofOverride.attempt == attempt)
    )
    return first(Override, query)


@dataclass(frozen=True, slots=True, kw_only=True)
class WentEarly:
    """A job that went before it was ready: what was not, as it was told, and why it went all the same."""

    waits: Sequence[str]
    reason: str


def add_let_go(job_id: int, waits: Sequence[str], reason: str, person_id: int, at: datetime) -> None:
    LetGo.insert(job=job_id, waits=list(waits), reason=reason, person=person_id, at=at).execute()


@reading
def load_let_go(job_id: int) -> WentEarly | None:
    return first(WentEarly, LetGo.select(LetGo.waits, LetGo.reason).where(LetGo.job == job_id))


def add_dust(
    job_id: int, attempt: int, specks: Sequence[Sequence[float]], accepted: str, person_id: int, at: datetime
) -> None:
    DustLook.insert(
        job=job_id,
        attempt=attempt,
        specks=[list(one) for one in specks],
        accepted=accepted,
        person=person_id,
        at=at,
    ).execute()


@reading
def load_dust(job_id: int) -> list[Dust]:
    query = (
        DustLook.select(
            DustLook.attempt, DustLook.specks, DustLook.accepted, Person.name.alias("who"), DustLook.at
        )
        .join(Person)
        .where(DustLook.job == job_id)
        .order_by(DustLook.id)
    )
    return each(Dust, query)


def add_sealed(
    job_id: int,
    attempt: int,
    look: str,
    results: Mapping[str, Sequence[str]],
    felt: Mapping[str, str],
    *,
    passed: bool,
    person_id: int,
    at: datetime,
) -> None:
    SealedLook.insert(
        job=job_id,
        attempt=attempt,
        look=look,
        results={name: list(answer) for name, answer in results.items()},
        felt=dict(felt),
        passed=passed,
        person=person_id,
        at=at,
    ).execute()


@reading
def load_sealed(job_id: int) -> list[Sealed]:
    query = (
        SealedLook.select(
            SealedLook.attempt,
            SealedLook.look,
            SealedLook.results,
            SealedLook.felt,
            SealedLook.passed,
            Person.name.alias("who"),
            SealedLook.at,
        )
        .join(Person)
        .where(SealedLook.job == job_id)
        .order_by(SealedLook.id)
    )
    return each(Sealed, query)
