"""Messages to customers, links of status pages, and who took a device with them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from peewee import Select

from sutura.core.handover.telling import LINK, NOT_SENT, Sending, Told, Way
from sutura.core.job import EventKind, Stage
from sutura.store.database import column, each, first, reading, rows, written
from sutura.store.handover_tables import HandedOut, MessageOut, StatusLink
from sutura.store.tables import Customer, Job, JobEvent, Person


@dataclass(frozen=True, slots=True, kw_only=True)
class MessageRow:
    """A message to a customer, and what became of it."""

    id: int
    code: str
    job_id: int
    kind: Told
    occasion: str
    way: Way
    receiver: str
    subject: str
    body: str
    link: str
    state: Sending
    why: str
    tries: int
    due_at: datetime
    sent_at: datetime | None
    at: datetime

    @property
    def reads(self) -> str:
        """Its words, without a secret address."""
        return self.body.replace(LINK, "…")


def _message(kind: str, way: str, state: str, **columns: Any) -> MessageRow:
    return MessageRow(kind=Told(kind), way=Way(way), state=Sending(state), **columns)


_MESSAGE = MessageOut.select(
    MessageOut.id,
    Job.code,
    MessageOut.job.alias("job_id"),
    MessageOut.kind,
    MessageOut.occasion,
    MessageOut.way,
    MessageOut.receiver,
    MessageOut.subject,
    MessageOut.body,
    MessageOut.link,
    MessageOut.state,
    MessageOut.why,
    MessageOut.tries,
    MessageOut.due_at,
    MessageOut.sent_at,
    MessageOut.at,
).join(Job)


def add_message(job_id: int, kind: Told, occasion: str, way: Way, **columns: Any) -> bool:
    """Keep a message; no where there is one for this occasion already. One that was given up, or was not so
    when it was to go out, begins anew.
    """
    again = {**columns, "way": way.value, "tries": 0, "why": ""}
    made = (
        MessageOut.insert(job=job_id, kind=kind.value, occasion=occasion, way=way.value, **columns)
        .on_conflict(
            conflict_target=[MessageOut.job, MessageOut.kind, MessageOut.occasion],
            update={getattr(MessageOut, name): value for name, value in again.items()},
            where=MessageOut.state.in_([state.value for state in NOT_SENT]),
        )
        .returning(MessageOut.id)
    )
    return bool(list(made.execute()))


@written
def _messages_of(job_id: int) -> Select:
    return _MESSAGE.where(MessageOut.job == job_id).order_by(MessageOut.id.desc())


@reading
def messages_of(job_id: int) -> list[MessageRow]:
    """What a job's customer was told, the newest first."""
    return each(_message, _messages_of(job_id))


@reading
def messages_page(most: int = 60) -> list[MessageRow]:
    """The messages written last."""
    return each(_message, _MESSAGE.order_by(MessageOut.id.desc()).limit(most))


def lock_due(now: datetime) -> MessageRow | None:
    """The next message that is due, locked; one that another worker has is left to it."""
    due = _MESSAGE.where(MessageOut.state == Sending.WAITING.value, MessageOut.due_at <= now)
    return first(
        _message, due.order_by(MessageOut.due_at).limit(1).for_update(of=MessageOut, skip_locked=True)
    )


def save_message(message_id: int, state: Sending, **columns: Any) -> None:
    """What became of a message; its secret address goes when it does not wait any more."""
    if state is not Sending.WAITING:
        columns["link"] = ""
    MessageOut.update(state=state.value, **columns).where(MessageOut.id == message_id).execute()


@reading
def receivers_of(customer_ids: Sequence[int]) -> list[str]:
    """The numbers and addresses that customers were written to."""
    jobs = Job.select(Job.id).where(Job.customer.in_(list(customer_ids)))
    return column(
        MessageOut.select(MessageOut.receiver)
        .where(MessageOut.job.in_(jobs), MessageOut.receiver != "")
        .distinct()
        .order_by(MessageOut.receiver)
    )


def drop_waiting(customer_ids: Sequence[int]) -> None:
    """What was still to be sent to customers is not sent."""
    jobs = Job.select(Job.id).where(Job.customer.in_(list(customer_ids)))
    MessageOut.update(state=Sending.DROPPED.value, link="").where(
        MessageOut.job.in_(jobs), MessageOut.state == Sending.WAITING.value
    ).execute()


@dataclass(frozen=True, slots=True, kw_only=True)
class Uncollected:
    """A closed job with when it was closed."""

    job_id: int
    code: str
    closed_at: datetime


@reading
def uncollected() -> list[Uncollected]:
    """Every closed job that was not handed back, with when it was closed last."""
    events = (
        JobEvent.select(JobEvent.job, Job.code, JobEvent.at)
        .join(Job)
        .where(
            Job.stage.in_([Stage.CLOSED.value, Stage.DECLINED.value]),
            JobEvent.kind.in_([EventKind.CLOSED.value, EventKind.DECLINED.value]),
        )
        .order_by(JobEvent.id)
    )
    last = {job: Uncollected(job_id=job, code=code, closed_at=at) for job, code, at in rows(events)}
    return sorted(last.values(), key=lambda one: one.closed_at)


@reading
def wants_of(job_id: int) -> tuple[str, str, str, str, bool]:
    """How a job's customer wants to hear, their telephone and mail, their language, and whether they were
    erased.
    """
    found = rows(
        Customer.select(
            Customer.channel, Customer.phone, Customer.email, Customer.language, Customer.erased_at
        )
        .join(Job, on=Job.customer == Customer.id)
        .where(Job.id == job_id)
    )
    channel, phone, email, language, erased = found[0]
    return str(channel), str(phone), str(email), str(language), erased is not None


# -- the status page --------------------------------------------------------------------------------


def add_link(job_id: int, link: str, at: datetime) -> str:
    """The link of a job's status page: this one, or that which it has."""
    StatusLink.insert(job=job_id, link=link, at=at).on_conflict_ignore().execute()
    return str(next(iter(column(StatusLink.select(StatusLink.link).where(StatusLink.job == job_id)))))


@reading
def link_of(job_id: int) -> str:
    """The link of a job's status page; empty where it has none."""
    found = column(StatusLink.select(StatusLink.link).where(StatusLink.job == job_id))
    return str(next(iter(found), ""))


@reading
def code_of_link(link: str) -> str:
    """The code of the job behind a link; empty where there is none."""
    found = column(Job.select(Job.code).join(StatusLink).where(StatusLink.link == link))
    return str(next(iter(found), ""))


# -- who took it ------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class HandedOutRow:
    """Who took a device with them."""

    how: str
    name: str
    signature: Sequence[Any]
    address: str
    carrier: str
    tracking: str
    insured_minor: int
    cards: bool
    who: str
    at: datetime


def add_handed_out(job_id: int, person_id: int, at: datetime, **columns: Any) -> None:
    HandedOut.insert(job=job_id, person=person_id, at=at, **columns).execute()


@reading
def handed_out(job_id: int) -> HandedOutRow | None:
    """Who took a job's device with them; None where nobody wrote it down."""
    query = HandedOut.select(
        HandedOut.how,
        HandedOut.name,
        HandedOut.signature,
        HandedOut.address,
        HandedOut.carrier,
        HandedOut.tracking,
        HandedOut.insured_minor,
        HandedOut.cards,
        Person.name.alias("who"),
        HandedOut.at,
    ).join(Person)
    return first(HandedOutRow, query.where(HandedOut.job == job_id))


def due_at_once(moment: datetime, now: datetime) -> int:
    """Messages that wait and say they were made after a moment are due now; how many."""
    waiting = MessageOut.update(due_at=now).where(
        MessageOut.state == Sending.WAITING.value, MessageOut.at > moment, MessageOut.due_at > now
    )
    return int(waiting.execute())
