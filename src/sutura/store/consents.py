"""What customers agree to: the texts in their versions, and what was agreed to with a job."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from peewee import Select

from sutura.store.database import column, each, grouped, insert, raw, reading, rows, written
from sutura.store.tables import Consent, ConsentText


@dataclass(frozen=True, slots=True, kw_only=True)
class ConsentRow:
    """A text customers agree to, in its newest version."""

    consent: str
    version: int
    text: str
    needed: bool
    active: bool
    applies: str = "always"


# the newest version of each text comes first
_NEWEST = (
    ConsentText.select(
        ConsentText.consent,
        ConsentText.version,
        ConsentText.text,
        ConsentText.needed,
        ConsentText.active,
        ConsentText.applies,
    )
    .distinct(ConsentText.consent)
    .order_by(ConsentText.consent, ConsentText.version.desc())
)


@reading
def consent_texts(*, every: bool = False) -> list[ConsentRow]:
    """The newest version of each text; only those in use unless `every`."""
    texts = sorted(each(ConsentRow, _NEWEST), key=lambda text: (not text.needed, text.consent))
    return [text for text in texts if every or text.active]


@written
def _newest_at(at: datetime) -> Select:
    return _NEWEST.where(ConsentText.at <= at)


@reading
def needed_consents(at: datetime) -> list[ConsentRow]:
    """What had to be agreed to at a moment: texts that change later ask nothing of a job taken in before."""
    return [text for text in each(ConsentRow, _newest_at(at)) if text.needed and text.active]


def lock_consents() -> None:
    # peewee has no word for locking a whole table
    raw("lock table consent_text in share row exclusive mode")


def add_consent_text(text: ConsentRow, person_id: int, at: datetime) -> None:
    ConsentText.insert(
        consent=text.consent,
        version=text.version,
        text=text.text,
        needed=text.needed,
        active=text.active,
        applies=text.applies,
        person=person_id,
        at=at,
    ).execute()


# -- agreed to with a job ---------------------------------------------------------------------------


def add_consents(job_id: int, texts: Sequence[ConsentRow], at: datetime) -> None:
    """What the customer agreed to, word for word and in which version."""
    insert(
        Consent,
        [
            {
                "job": job_id,
                "consent": text.consent,
                "said": text.text,
                "version": text.version,
                "agreed_at": at,
            }
            for text in texts
        ],
    )


def keep_consent(job_id: int, text: ConsentRow, at: datetime) -> None:
    """One more thing a customer agreed to; agreed to once more changes nothing."""
    Consent.insert(
        job=job_id, consent=text.consent, said=text.text, version=text.version, agreed_at=at
    ).on_conflict_ignore().execute()


@written
def _agreed(job_id: int) -> Select:
    agreed = Consent.select(Consent.consent, Consent.said).where(Consent.job == job_id)
    return agreed.order_by(Consent.id)


@reading
def consents_of(job_ids: Sequence[int]) -> dict[int, list[str]]:
    """What was agreed to for each of some jobs, word for word, by the job's number."""
    agreed = Consent.select(Consent.job, Consent.said).order_by(Consent.id)
    return grouped(agreed.where(Consent.job.in_(list(job_ids))))


@reading
def load_consents(job_id: int) -> dict[str, str]:
    return dict(rows(_agreed(job_id)))


@reading
def who_agreed(consent: str, job_ids: Sequence[int]) -> set[int]:
    """Which of some jobs' customers agreed to a consent."""
    agreed = Consent.select(Consent.job).where(Consent.consent == consent, Consent.job.in_(list(job_ids)))
    return set(column(agreed)) if job_ids else set()
