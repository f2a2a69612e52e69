"""A quote that is sent to a customer, and what they answer: by its link, or at the counter."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core.errors import Invalid, MoveRefused, NotFound
from sutura.core.facts import Say, fact
from sutura.core.job import EventKind, JobRecord, Move, Stage, starts_of
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.quoting.answers import (
    BY_LINK,
    CONDITIONS,
    MOST_WAYS,
    WITH,
    WITHOUT,
    NotOpen,
    OfferedWay,
    QuoteRecord,
    QuoteState,
    changes,
    check_answer,
    found_ways,
    read_found,
    valid_until,
    ways_kept,
)
from sutura.core.quoting.policy import deposit_of
from sutura.core.quoting.pricing import price_may_change
from sutura.core.values import Person, Role
from sutura.services import handover, matching, messages, quoting, routes, schools
from sutura.services.job import gather_facts, note
from sutura.services.people import token_hash
from sutura.services.shop import speech, speech_for
from sutura.store import job as job_store
from sutura.store import people as people_store
from sutura.store import quoting as store
from sutura.store.database import reading, writing
from sutura.words.speech import Speech


def _speech_of(job: JobRecord) -> Speech:
    """How a quote is said: in its customer's language, with whole dates; it is kept as they read it."""
    return speech_for(job.id, replace(speech(), paper=True))


@writing
def offer_ways(code: str, keys: Sequence[str], by: Person, now: datetime) -> str:
    """Make a quote of up to three ways; the token of its link, which is known only now. An open one before it
    is replaced.
    """
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    if job.stage not in starts_of(Move.QUOTE, Move.REQUOTE):
        raise MoveRefused(code, fact("quotes.be-quoted"), [fact("job.it-is", stage=job.stage)])
    page = routes.routes_page(code, now)
    can = {one.weighed.way.key: one for one in page.ways if not one.weighed.way.why_not}
    chosen = list(dict.fromkeys(key for key in keys if key in can))
    if not 1 <= len(chosen) <= MOST_WAYS or len(chosen) != len(set(keys)):
        raise Invalid("ways", ", ".join(keys), fact("quotes.choose-ways", most=MOST_WAYS))
    say = _speech_of(job).say
    policy = page.rates.policy
    nothing = Money(minor=0, currency=policy.currency)
    ways = [
        OfferedWay(
            key=key,
            name=say(one.weighed.way.name),
            price=one.weighed.way.price,
            deposit=deposit_of(one.weighed.way.price, policy) if not one.on_shelf else nothing,
            wait_days=one.weighed.way.wait_days,
            minutes=one.weighed.way.bench_minutes + one.weighed.way.unattended_minutes,
            gets=tuple(say(gets) for gets in one.weighed.way.gets),
            consent=say(one.consent) if one.consent else "",
            offers=one.members or ((one.offer,) if one.offer else ()),
            ready_at=one.ready,
        )
        for key in chosen
        for one in [can[key]]
    ]
    return _add(job, ways, "", by, now)


def _add(job: JobRecord, ways: Sequence[OfferedWay], found: str, by: Person, now: datetime) -> str:
    """A new version in the place of what was open; the token of its link."""
    token = secrets.token_urlsafe(24)
    say = _speech_of(job).say
    store.supersede_quotes(job.id)
    version = store.add_quote(
        job_id=job.id,
        link=token_hash(token),
        routes=ways_kept(ways),
        conditions=[say(condition) for condition in CONDITIONS],
        currency=job.currency,
        valid_until=valid_until(now),
        person_id=by.id,
        at=now,
        found=found,
    )
    facts = {"version": version, "ways": [way.name for way in ways]}
    note(job, EventKind.OFFERED, facts, by=by, now=now)
    return token


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What was found during the work, and what the customer says to it: nothing yet (`waits`), to do it
    (`done`), or to leave it.
    """

    found: str
    waits: bool
    done: bool
    says: Say


@reading
def asked_about(job_id: int, now: datetime) -> Asked | None:
    """What was asked last about a job that is worked on; None where nothing was, or it was overtaken."""
    quote = store.asked_of(job_id)
    if quote is None:
        return None
    state = quote.state_at(now)
    if state not in (QuoteState.OPEN, QuoteState.ACCEPTED):
        return None
    done = quote.answer == WITH
    says = fact("quotes.do-it") if done else fact("quotes.leave-it")
    return Asked(found=quote.found, waits=state is QuoteState.OPEN, done=done, says=says)


# while the price is agreed and the device is still worked on
ASKABLE = frozenset({Stage.PART_IN_HAND, Stage.OPENED, Stage.PROVED})


@writing
def ask_found(code: str, found: str, extra: str, by: Person, now: datetime) -> str:
    """Ask the customer about what was found during the work: the price with it, and as agreed (rule
    quote.found); the token of the link.
    """
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    if job.stage not in ASKABLE or job.chosen.price_minor is None:
        raise MoveRefused(code, fact("quotes.be-asked-about"), [fact("job.it-is", stage=job.stage)])
    said, more = read_found(found, extra, job.currency)
    say = _speech_of(job).say
    before = Money(minor=job.chosen.price_minor, currency=job.currency)
    name = say(schools.of_job(job).way(job.chosen.route).name)
    gets = [say(fact("quotes.found-done", found=said)), say(fact("quotes.found-left", found=said))]
    return _add(job, found_ways(said, name, before, more, job.promise_at, gets), said, by, now)


@writing
def send_link(code: str, token: str, address: str, by: Person, now: datetime) -> str:
    """Tell a quote's customer its address, by the way they want to hear (rule tell.way); what became of it.
    Refuses where there is nowhere to send it.
    """
    demand(by, Deed.QUOTE)
    quote = by_link(token)
    job = job_store.lock_job(code)
    if quote.job_id != job.id:
        raise NotFound(fact("quotes.quote"), "…")
    if quote.state_at(now) is not QuoteState.OPEN:
        raise NotOpen(quote.state_at(now))
    return messages.tell_quote(job, quote.version, quote.valid_until, address, by, now)


@reading
def by_link(token: str) -> QuoteRecord:
    """The quote behind a link; one that nobody made is not found, whatever is wrong with it."""
    found = store.quote_by_link(token_hash(token)) if 20 <= len(token) <= 64 else None
    if found is None:
        raise NotFound(fact("quotes.quote"), "…")
    return found


@reading
def changed_since(quote: QuoteRecord) -> tuple[Say, ...]:
    """What is another way or price than in the version before; nothing for the first."""
    if quote.found:
        by_key = {way.key: way for way in quote.ways}
        told = {"before": by_key[WITHOUT].price, "price": by_key[WITH].price}
        return (fact("quotes.found", found=quote.found, **told),)
    before = next((one for one in store.quotes_of(quote.job_id) if one.version == quote.version - 1), None)
    return changes(before, quote.ways) if before else ()


@reading
def quotes_of(code: str) -> list[QuoteRecord]:
    """Every version of a job's quote, the newest first."""
    return store.quotes_of(job_store.load_job(code).id)


def _choose(code: str, way: OfferedWay, by: Person, now: datetime) -> None:
    """The very part that was offered is chosen at the price of the quote, and held where it lies on the
    shelf; what was not agreed to in the quote is not agreed to now.
    """
    ready = current(code, [way], now)[way.key].ready
    if not way.offers:
        quoting.choose_without_part(code, way.key, by, now, at=way.price)
    else:
        members = way.offers if len(way.offers) > 1 else ()
        matching.choose_offer(
            code, way.offers[0], by, now, members=members, agreed=bool(way.consent), at=way.price
        )
    routes.hold_or_order(code, by, now)
    if ready:
        routes.promise_by(code, ready, way.name, by, now)


@dataclass(frozen=True, slots=True, kw_only=True)
class Current:
    """What Options says now of a way that was offered: when it can be ready, None = nobody knows, and in how
    many days its part comes.
    """

    ready: datetime | None
    wait_days: int


@reading
def current(code: str, ways: Sequence[OfferedWay], now: datetime) -> dict[str, Current]:
    """What is so now of each way that is answered now; what was told with the quote where a way is not
    compared any more, its time only as long as that is still to come.
    """
    compared = {one.weighed.way.key: one for one in routes.routes_page(code, now).ways}

    def of(way: OfferedWay) -> Current:
        if one := compared.get(way.key):
            return Current(ready=one.ready, wait_days=one.weighed.way.wait_days)
        told = way.ready_at if way.ready_at and way.ready_at > now else None
        return Current(ready=told, wait_days=way.wait_days)

    return {way.key: of(way) for way in ways}


def _do_found(job: JobRecord, quote: QuoteRecord, way: OfferedWay, by: Person, now: datetime) -> None:
    """What was found is done with: the price goes with it, or stays as it was agreed."""
    if not price_may_change(job.stage, job.chosen.price_minor):
        raise MoveRefused(job.code, fact("quotes.be-asked-about"), [fact("job.it-is", stage=job.stage)])
    if way.key == WITH:
        facts = {
            "before_minor": job.chosen.price_minor,
            "after_minor": way.price.minor,
            "currency": job.currency,
            "reason": quote.found,
        }
        chosen = replace(job.chosen, price_minor=way.price.minor)
        note(job, EventKind.PRICE, facts, chosen, by=by, now=now)


@writing
def answer_by_link(token: str, key: str, now: datetime, *, agreed: bool) -> QuoteRecord:
    """What the customer answers by the link (rule quote.answered). The same answer sent twice is one."""
    found = by_link(token)
    job_store.lock_job(found.code)
    quote = by_link(token)
    if quote.state in (QuoteState.ACCEPTED, QuoteState.DECLINED) and quote.answer == key:
        return quote
    person = people_store.load_person(quote.person_id)
    assert person, "whoever made it is never deleted"
    # the answer is the customer's own deed: whoever made the quote may do other work by now
    by = Person(id=person.id, name=person.name, role=Role.COUNTER)
    _answer(quote, key, by, now, agreed=agreed, where=BY_LINK)
    return by_link(token)


@writing
def answer_at_counter(code: str, version: int, key: str, by: Person, now: datetime, *, agreed: bool) -> None:
    """What the customer says at the counter or on the telephone, written down by somebody of the shop."""
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    quote = next((one for one in store.quotes_of(job.id) if one.version == version), None)
    if quote is None:
        raise NotFound(fact("quotes.quote"), str(version))
    _answer(quote, key, by, now, agreed=agreed, where="counter")


def _answer(quote: QuoteRecord, key: str, by: Person, now: datetime, *, agreed: bool, where: str) -> None:
    """An answer to a quote under its job's lock: the way is chosen, its part held or ordered, the promise
    set; where none is wanted the job is declined, unless the device is open.
    """
    way = check_answer(quote, key, now, agreed=agreed)
    state = QuoteState.ACCEPTED if way else QuoteState.DECLINED
    job = job_store.lock_job(quote.code)
    if way and quote.found:
        _do_found(job, quote, way, by, now)
    elif way:
        _choose(quote.code, way, by, now)
    store.answer_quote(quote.id, state.value, key, now, where)
    facts = {"version": quote.version, "state": state.value, "way": way.name if way else "", "where": where}
    note(job_store.lock_job(quote.code), EventKind.ANSWERED, facts, by=by, now=now)
    if way is None and may_decline(quote.code):
        reason = speech().say(fact("quotes.they-declined", version=quote.version))
        handover.decline(quote.code, reason, by, now)


def may_decline(code: str) -> bool:
    """Whether a job can be declined as it is: nothing of it is open."""
    job = job_store.load_job(code)
    if job.stage not in starts_of(Move.DECLINE):
        return False
    return not gather_facts(job, schools.of_job(job)).device_open
