"""A quote that is sent to a customer, and what they answer: by its link, or at the counter."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from datetime import datetime

from sutura.core.errors import Invalid, MoveRefused, NotFound
from sutura.core.facts import Say, fact
from sutura.core.job import EventKind, Move, starts_of
from sutura.core.people import Deed, demand
from sutura.core.quoting.answers import (
    CONDITIONS,
    MOST_WAYS,
    OfferedWay,
    QuoteRecord,
    QuoteState,
    changes,
    check_answer,
    valid_until,
    ways_kept,
)
from sutura.core.quoting.policy import deposit_of
from sutura.core.values import Person
from sutura.services import matching, quoting, routes, stock
from sutura.services.job import note
from sutura.services.shop import speech
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import people as people_store
from sutura.store import quoting as store
from sutura.store.database import reading, writing


def hash_of(token: str) -> str:
    """What is kept of a link: who reads the database cannot use it."""
    return hashlib.sha256(token.encode()).hexdigest()


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
    say = speech().say
    policy = page.rates.policy
    ways = [
        OfferedWay(
            key=key,
            name=say(one.weighed.way.name),
            price=one.weighed.way.price,
            deposit=deposit_of(one.weighed.way.price, policy),
            wait_days=one.weighed.way.wait_days,
            minutes=one.weighed.way.bench_minutes + one.weighed.way.unattended_minutes,
            gets=tuple(say(gets) for gets in one.weighed.way.gets),
            consent=say(one.consent) if one.consent else "",
            offers=one.members or ((one.offer,) if one.offer else ()),
        )
        for key in chosen
        for one in [can[key]]
    ]
    token = secrets.token_urlsafe(24)
    store.supersede_quotes(job.id)
    version = store.add_quote(
        job_id=job.id,
        link=hash_of(token),
        routes=ways_kept(ways),
        conditions=[say(condition) for condition in CONDITIONS],
        currency=policy.currency,
        valid_until=valid_until(now),
        person_id=by.id,
        at=now,
    )
    facts = {"version": version, "ways": [way.name for way in ways]}
    note(job, EventKind.OFFERED, facts, by=by, now=now)
    return token


@reading
def by_link(token: str) -> QuoteRecord:
    """The quote behind a link; one that nobody made is not found, whatever is wrong with it."""
    found = store.quote_by_link(hash_of(token)) if 20 <= len(token) <= 64 else None
    if found is None:
        raise NotFound(fact("quotes.quote"), "…")
    return found


@reading
def changed_since(quote: QuoteRecord) -> tuple[Say, ...]:
    """What is another way or price than in the version before; nothing for the first."""
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
    if not way.offers:
        quoting.choose_without_part(code, way.key, by, now, at=way.price)
        return
    members = way.offers if len(way.offers) > 1 else ()
    matching.choose_offer(
        code, way.offers[0], by, now, members=members, agreed=bool(way.consent), at=way.price
    )
    chosen = job_store.load_job(code).chosen
    parts = offers_store.load_offers([*way.offers, *chosen.more_offers])
    if all(part.free > 0 for part in parts):
        stock.take_part(code, by, now)


@writing
def answer_by_link(token: str, key: str, now: datetime, *, agreed: bool) -> QuoteRecord:
    """What the customer answers by the link: the way is chosen, and its part held where it lies on the shelf
    (rule quote.answered). The same answer sent twice is one.
    """
    found = by_link(token)
    job = job_store.lock_job(found.code)
    quote = by_link(token)
    if quote.state in (QuoteState.ACCEPTED, QuoteState.DECLINED) and quote.answer == key:
        return quote
    way = check_answer(quote, key, now, agreed=agreed)
    person = people_store.load_person(quote.person_id)
    assert person, "whoever made it is never deleted"
    by = Person(id=person.id, name=person.name, role=person.role)  # type: ignore[arg-type]
    state = QuoteState.ACCEPTED if way else QuoteState.DECLINED
    if way:
        _choose(quote.code, way, by, now)
    store.answer_quote(quote.id, state.value, key, now, "link")
    facts = {"version": quote.version, "state": state.value, "way": way.name if way else ""}
    note(job_store.lock_job(job.code), EventKind.ANSWERED, facts, by=by, now=now)
    return by_link(token)
