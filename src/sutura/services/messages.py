"""What customers are told: asked for once, sent by the worker, tried again, seen in the job's history; and
the status page behind the ticket.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta, tzinfo
from zoneinfo import ZoneInfo

import structlog
from babel import Locale

from sutura.core.errors import Invalid, MoveRefused, NotFound, StaleSave
from sutura.core.facts import Fact, fact
from sutura.core.handover import telling as rules
from sutura.core.handover.ledger import Balance
from sutura.core.handover.telling import Sending, Telling, Template, Told, Way, telling_from
from sutura.core.intake.promise import check_new_promise
from sutura.core.job import EventKind, JobRecord, SeamStitch, seam
from sutura.core.people import Deed, demand
from sutura.core.quoting.answers import QuoteState, valid_until
from sutura.core.typed import Problems, read_moment
from sutura.core.values import Person, Role
from sutura.devices import plugged
from sutura.devices.ports import Away, Message, Undeliverable
from sutura.formats.invoices import invoice_pdf
from sutura.formats.mail import Attached, make_mail
from sutura.services import comebacks, invoices, ledger, looks, planning, schools
from sutura.services.job import note
from sutura.services.shop import language_of, lock_for, shop, speech, speech_for
from sutura.store import audit as audit_store
from sutura.store import consents as consents_store
from sutura.store import job as job_store
from sutura.store import messages as store
from sutura.store import people as people_store
from sutura.store import quoting as quoting_store
from sutura.store import shop as shop_store
from sutura.store.database import DatabaseAway, reading, writing
from sutura.words.speech import Speech, languages

LOG = structlog.get_logger("sutura")
# the consent that tells of storage
STORAGE = "collect"
# how long a status page is good after the job is over; the shop's, no source
GOOD_AFTER = timedelta(days=30)
# as many messages go out in one go of the worker
MOST_AT_ONCE = 20
# whoever took a message and did not say what came of it is dead by then; the shop's, no source
TAKEN_FOR = timedelta(minutes=5)


def telling() -> Telling:
    """How the shop tells its customers."""
    return telling_from(shop().telling)


@writing
def tell(code: str, told: str, reason: str, by: Person, now: datetime) -> str:
    """Tell a job's customer something: what became of it. Asked for again for the same occasion it is not
    sent again (rule tell.once).
    """
    demand(by, Deed.TAKE_IN)
    if told not in set(Told) - rules.UNPRESSED:
        pressed = tuple(one for one in Told if one not in rules.UNPRESSED)
        raise Invalid("told", told, fact("tell.choose-what", told=pressed))
    job = job_store.lock_job(code)
    kind = Told(told)
    if job.stage not in rules.TOLD_AT[kind]:
        raise MoveRefused(code, fact("tell.be-told"), [fact("job.it-is", stage=job.stage)])
    if kind is Told.READY and (waits := looks.not_ready(job, schools.of_job(job), now)):
        raise MoveRefused(code, fact("tell.be-told"), list(waits))
    if kind is Told.DELAYED and job.promise_at <= now:
        # nobody is told to expect it at a time that is over
        raise Invalid("told_promise", fact("said.moment", at=job.promise_at), fact("tell.promise-anew"))
    if kind in rules.REASONED and not 5 <= len(reason.strip()) <= 300:
        raise Invalid("question" if kind is Told.QUESTION else "reason", reason, fact("tell.write-reason"))
    occasion = {
        Told.READY: f"round {job.bench.attempt}",
        Told.DELAYED: rules.occasion_of_delay(job.promise_at),
        Told.QUESTION: reason.strip()[:50],
    }.get(kind, "once")
    return _queue(job, kind, occasion, by, now, {"reason": reason.strip().rstrip(".")})


@writing
def tell_delay(code: str, promised: str, reason: str, zone: tzinfo, by: Person, now: datetime) -> str:
    """Promise another time and tell the customer of it, in one: what became of the message. A time that is
    not likely kept is refused (rule tell.delay).
    """
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    problems = Problems("The delay")
    at = problems.read("told_promise", promised, lambda text: read_moment(text, zone))
    if not 5 <= len(reason.strip()) <= 300:
        problems.add("reason", reason, fact("tell.write-reason"))
    if at and at != job.promise_at:
        wrong = check_new_promise(job.promise_at, at, reason, now, shop().open_hours)
        problems.extend(
            Invalid("told_promise", one.refused, one.accepts) for one in wrong if one.field == "promise_at"
        )
    offered = planning.offered_promise(code, now)
    if at and offered and at < offered and not problems.has("told_promise"):
        problems.add("told_promise", fact("said.moment", at=at), fact("tell.likely-kept-from", at=offered))
    problems.refuse()
    if at and at != job.promise_at:
        planning.promise_anew(job, at, reason, by, now)
    return tell(code, Told.DELAYED.value, reason, by, now)


def occasion_of(version: int) -> str:
    """What a quote is sent for once."""
    return f"quote {version}"


def tell_quote(job: JobRecord, version: int, until: datetime, link: str, by: Person, now: datetime) -> str:
    """Tell a job's customer at which address its quote is answered; what became of it. Inside a deed."""
    say = speech_for(job.id, replace(speech(), paper=True))
    values = {"link": rules.LINK, "until": say.moment(until)}
    return _queue(job, Told.QUOTE, occasion_of(version), by, now, values, link=link)


@reading
def quote_told(job_id: int, version: int) -> store.MessageRow | None:
    """The message of a quote; nothing where nobody sent it."""
    occasion = occasion_of(version)
    told = [row for row in store.messages_of(job_id) if row.kind is Told.QUOTE and row.occasion == occasion]
    return told[0] if told else None


def _queue(
    job: JobRecord,
    kind: Told,
    occasion: str,
    by: Person,
    now: datetime,
    more: Mapping[str, str],
    *,
    link: str = "",
) -> str:
    """Keep a message to be sent; what became of it: it waits, or was sent already. Refuses where none may be
    sent, and where nobody knows where to.
    """
    wanted, phone, email, _, erased = store.wants_of(job.id)
    how, receiver = rules.way_of(wanted, phone, email)
    if erased or how is Way.NONE:
        raise Invalid("told", kind.value, fact("tell.wants-none"))
    if not receiver:
        raise Invalid("told", kind.value, fact("tell.nowhere", way=how))
    said = telling()
    language = language_of(job.id)
    template = rules.template_of(said, kind, language, usual_in(language)[kind])
    spoken = speech_for(job.id, replace(speech(), paper=True))
    words = rules.fill(template, {**values_of(job, spoken, now), **more})
    due = rules.when_to_send(now, said, ZoneInfo(shop().timezone))
    kept = store.add_message(
        job.id,
        kind,
        occasion,
        how,
        receiver=receiver[:200],
        subject=words.subject[:300],
        body=words.text[:2000],
        link=link,
        state=Sending.WAITING.value,
        due_at=due,
        person=by.id,
        at=now,
    )
    if kept:
        note(job, EventKind.TOLD, {"kind": kind.value, "way": how.value, "state": "waiting"}, by=by, now=now)
    return "waiting" if kept else "already"


def usual_in(language: str) -> dict[Told, Template]:
    """The usual words of every message in a language."""
    speak = replace(speech(), locale=Locale.parse(language))
    return {
        told: Template(subject=speak.say(one.subject), text=speak.say(one.text))
        for told, one in rules.USUAL.items()
    }


def values_of(job: JobRecord, say: Speech, now: datetime) -> dict[str, str]:
    """What the names in a template stand for, of one job, as they are said."""
    link = status_link(job, now)
    base = shop_address()
    return {
        "shop": shop().name,
        "device": job.model_name,
        "job": job.code,
        "open": say.money(ledger.balance(job).due),
        "promise": say.moment(job.promise_at),
        "status": f"{base}/s/{link}" if base else "",
        "warranty": say.day(job.closing.warranty_end) if job.closing.warranty_end else "",
    }


_ADDRESS: list[str] = [""]


@reading
def speech_of_link(link: str, plain: Speech) -> Speech:
    """How the status page behind a link is said."""
    code = store.code_of_link(link)
    return speech_for(job_store.load_job(code).id, plain) if code else plain


def shop_address() -> str:
    """Where customers reach the shop's pages; empty where nobody said it."""
    return _ADDRESS[0]


def reached_at(address: str) -> None:
    """Say where customers reach the shop's pages."""
    _ADDRESS[0] = address.rstrip("/")


# -- sent by the worker -----------------------------------------------------------------------------


def send_due(now: datetime) -> int:
    """Send what is due; how many went out. Each is its own deed: one that fails stops none."""
    sent = 0
    for _ in range(MOST_AT_ONCE):
        done = _send_next(now)
        if done is None:
            break
        sent += done
    return sent


def _send_next(now: datetime) -> int | None:
    """Send the next one; 1 where it went, 0 where it did not, None where none is due. It is taken before, and
    what came of it is kept after: nothing outside is asked while the database waits. Whoever is killed in
    between leaves it to be sent once more, with the number by which its receiver knows it again.
    """
    message = _take_next(now)
    if message is None or isinstance(message, int):
        return message
    try:
        plugged().messenger.send(_made(message, now))
    except (Away, Undeliverable) as failed:
        _failed(message, failed, now)
        return 0
    except Exception as broken:  # noqa: BLE001 - whatever is wrong with a message, the others go out
        LOG.error("a message could not be made", message=message.id, why=repr(broken)[:200])
        _failed(message, broken, now)
        return 0
    _sent(message, now)
    return 1


@writing
def _take_next(now: datetime) -> store.MessageRow | int | None:
    """The next one that is due, for whoever sends it; 0 where it is not sent now, None where none is due."""
    message = store.lock_due(now)
    if message is None:
        return None
    if not _still_so(message, now):
        store.save_message(message.id, Sending.DROPPED)
        return 0
    # it may have been due long ago, by a worker that was away: the quiet hours are those of now
    later = rules.when_to_send(now, telling(), ZoneInfo(shop().timezone))
    store.save_message(message.id, Sending.WAITING, due_at=later if later > now else now + TAKEN_FOR)
    return 0 if later > now else message


@writing
def _sent(message: store.MessageRow, now: datetime) -> None:
    store.save_message(message.id, Sending.SENT, sent_at=now, tries=message.tries + 1, why="")


def _made(message: store.MessageRow, now: datetime) -> Message:
    """A message as it is handed to whoever sends it."""
    text = message.body.replace(rules.LINK, message.link) if message.link else message.body
    mail = b""
    if message.way is Way.MAIL:
        mail = make_mail(
            sender=shop().name,
            to=message.receiver,
            subject=message.subject.replace(rules.LINK, message.link) if message.link else message.subject,
            text=text,
            number=f"message-{message.id}",
            at=now,
            files=_papers(message),
        )
    return Message(to=message.receiver, text=text, mail=mail)


def _still_so(message: store.MessageRow, now: datetime) -> bool:
    """Whether what a message says is still so when it goes out: in a night a device is collected, and a quote
    answered.
    """
    *_, erased = store.wants_of(message.job_id)
    job = job_store.load_job(message.code)
    if erased or job.stage not in rules.TOLD_AT[message.kind]:
        return False
    if message.kind is Told.DELAYED:
        same = rules.occasion_of_delay(job.promise_at) == message.occasion
        return same and job.promise_at > now
    if message.kind is not Told.QUOTE:
        return True
    quotes = quoting_store.quotes_of(message.job_id)
    return any(
        occasion_of(one.version) == message.occasion and one.state_at(now) is QuoteState.OPEN
        for one in quotes
    )


def _papers(message: store.MessageRow) -> list[Attached]:
    """What goes with a mail: with a receipt the invoices that stand, as they were numbered; with a device
    that goes back unrepaired all there are, what was credited with them.
    """
    if message.kind not in (Told.RECEIPT, Told.RETURNED):
        return []
    job = job_store.load_job(message.code)
    say = speech_for(job.id, replace(speech(), paper=True)).say
    return [
        Attached(
            name=f"{kept.paper.number}.pdf", kind="application/pdf", content=invoice_pdf(kept.paper, say)
        )
        for kept in invoices.papers_of(job)
        if message.kind is Told.RETURNED or invoices.stands(kept)
    ]


@writing
def _failed(message: store.MessageRow, failed: Exception, now: datetime) -> None:
    """It is tried again later, or given up: a number that is none is no better later."""
    tries = message.tries + 1
    again = None if isinstance(failed, Undeliverable) else rules.next_try(tries, now)
    if again:
        store.save_message(message.id, Sending.WAITING, tries=tries, due_at=again, why=str(failed)[:300])
    else:
        store.save_message(message.id, Sending.GIVEN_UP, tries=tries, why=str(failed)[:300])


def remind(now: datetime) -> int:
    """Keep the reminders that are due for what is ready and not collected; how many (rule tell.reminders)."""
    manager = _manager()
    if manager is None:
        return 0
    made = 0
    for one in store.uncollected():
        due = rules.reminders_due(one.closed_at, telling().reminders, now)
        if due:
            try:
                made += _remind(one.code, due[-1], manager, now)
            except DatabaseAway:
                raise
            except Exception as broken:  # noqa: BLE001 - whatever is wrong with a job, the others are told
                LOG.error("a job could not be reminded of", job=one.code, why=repr(broken)[:200])
    return made


@writing
def _remind(code: str, days: int, by: Person, now: datetime) -> int:
    job = job_store.lock_job(code)
    if job.stage not in rules.TOLD_AT[Told.REMINDER] or looks.not_ready(job, schools.of_job(job), now):
        return 0
    if any(row.occasion == str(days) for row in store.messages_of(job.id) if row.kind is Told.REMINDER):
        return 0
    try:
        return int(_queue(job, Told.REMINDER, str(days), by, now, {"days": str(days)}) == "waiting")
    except Invalid:
        # nowhere to send it, or none is wanted: one that cannot be told stops none
        return 0


def _manager() -> Person | None:
    """In whose name the house sends by itself."""
    found = [one for one in people_store.people_page() if one.active and Role(one.role) is Role.MANAGER]
    return Person(id=found[0].id, name=found[0].name, role=Role(found[0].role)) if found else None


@dataclass(frozen=True, slots=True, kw_only=True)
class ToDecide:
    """A device that nobody collects."""

    code: str
    since: datetime
    # whether they agreed that keeping it may be charged
    agreed: bool


@reading
def to_decide(now: datetime) -> list[ToDecide]:
    """What lies here longer than the shop stores it (rule tell.reminders)."""
    said = telling()
    long = [one for one in store.uncollected() if rules.is_stored_too_long(one.closed_at, said, now)]
    agreed = consents_store.who_agreed(STORAGE, [one.job_id for one in long])
    return [ToDecide(code=one.code, since=one.closed_at, agreed=one.job_id in agreed) for one in long]


@reading
def messages_of(job: JobRecord) -> list[store.MessageRow]:
    """What a job's customer was told, the newest first."""
    return store.messages_of(job.id)


@writing
def change_telling(typed: Mapping[str, str], language: str, version: int, by: Person, now: datetime) -> None:
    """Change how customers are told, with the words of one language; messages that wait keep their words."""
    before = lock_for(by, Deed.SET_UP_COUNTER)
    if language not in languages():
        raise Invalid("language", language, fact("tell.choose-language", languages=tuple(languages())))
    kept, usual = telling_from(before.telling), usual_in(language)
    read = rules.read_telling(typed, kept, language, usual)
    if before.version != version:
        theirs = rules.telling_texts(kept, language, usual)
        raise StaleSave(fact("tell.the-telling"), "another manager", None, dict(typed), theirs)
    shop_store.save_shop(telling=rules.telling_kept(read))
    audit_store.add_audit(by.id, now, "messages changed", {"after": rules.telling_kept(read)})


@reading
def preview(code: str, typed: Mapping[str, str], language: str, now: datetime) -> Mapping[Told, Template]:
    """Every message as it would read for a real job in a language, with the words as typed or as kept."""
    job = job_store.load_job(code)
    until = job.closing.warranty_end or comebacks.warranty_until(job, now.date(), now)
    usual = usual_in(language)
    words = rules.read_telling(typed, telling(), language, usual) if typed else telling()
    speak = replace(speech(), locale=Locale.parse(language), paper=True)
    values = values_of(job, speak, now) | {
        "reason": speak.say("the part came late"),
        "days": "7",
        "link": f"{shop_address()}/q/…",
        "until": speak.moment(valid_until(now)),
        "warranty": speak.day(until),
    }
    return {
        told: rules.fill(rules.template_of(words, told, language, one), values) for told, one in usual.items()
    }


def texts_in(language: str) -> dict[str, str]:
    """How customers are told in a language, as a form has it."""
    return rules.telling_texts(telling(), language, usual_in(language))


@reading
def messages_page(by: Person) -> Sequence[store.MessageRow]:
    demand(by, Deed.SET_UP_COUNTER)
    return store.messages_page()


# -- the status page --------------------------------------------------------------------------------


@writing
def status_link(job: JobRecord, now: datetime) -> str:
    """The link of a job's status page, made when it is asked for first."""
    return store.link_of(job.id) or store.add_link(job.id, secrets.token_urlsafe(18), now)


@dataclass(frozen=True, slots=True, kw_only=True)
class StatusPage:
    """What a customer sees behind the ticket's code: how far it is, what comes next, what is to pay. No
    name.
    """

    code: str
    device: str
    seam: tuple[SeamStitch, ...]
    says: Fact
    next: Fact | None
    # nothing where no price is agreed, and when it is over
    balance: Balance | None


@reading
def status_page(link: str, now: datetime) -> StatusPage:
    """The status page behind a link; one that nobody made, and one that is over, are not found."""
    code = store.code_of_link(link) if 20 <= len(link) <= 64 else ""
    if not code:
        raise NotFound(fact("tell.status"), "…")
    job = job_store.load_job(code)
    finished = job.closing.finished_at
    *_, erased = store.wants_of(job.id)
    if erased or (job.stage in rules.OVER and finished and now - finished > GOOD_AFTER):
        raise NotFound(fact("tell.status"), "…")
    ready = looks.is_ready(job, now)
    found = planning.expected_of(code, now)
    says, then = rules.status_of(
        job.stage, job.promise_at, now, ready=ready, late=found is not None and found.late
    )
    owes = job.chosen.price_minor is not None and then is not None
    return StatusPage(
        code=job.code,
        device=job.model_name,
        seam=seam(job.stage),
        says=says,
        next=then,
        balance=ledger.balance(job) if owes else None,
    )
