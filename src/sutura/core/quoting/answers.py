"""A quote as a thing: up to three ways at fixed prices, the conditions under which they change, how long they
hold, and what the customer answers.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from enum import StrEnum
from typing import Any

from sutura.core.errors import Invalid, Refusal
from sutura.core.facts import Say, fact
from sutura.core.job import EventKind, JobEvent
from sutura.core.maths.money import Money
from sutura.core.typed import Problems, read_amount, read_text
from sutura.core.values import COMMON, Rule

# ways a customer compares at once; days a quote holds: the shop's, no source
MOST_WAYS, DAYS = 3, 7
# what is answered where none of the ways is wanted
NONE = "none"
# the two answers to what was found during the work: done with it, or as agreed before
WITH, WITHOUT = "with", "without"

# where an answer came from: the link that only the customer has
BY_LINK = "link"
# how the history names whoever answers by the link
CUSTOMER = "the customer"


_FOLLOWS = frozenset(
    {
        EventKind.ANSWERED,
        EventKind.QUOTED,
        EventKind.NO_PART_NEEDED,
        EventKind.PRICE,
        EventKind.PART_HELD,
        EventKind.PROMISED,
        EventKind.DECLINED,
    }
)


def with_customer(events: Sequence[JobEvent]) -> list[JobEvent]:
    """The history with the customer's own answer as theirs, and what followed from it in the same act: nobody
    of the shop was there (rule quote.own-answer).
    """
    own = {
        (event.at, event.who)
        for event in events
        if event.kind is EventKind.ANSWERED and event.facts.get("where") == BY_LINK
    }
    return [
        replace(event, who=CUSTOMER) if event.kind in _FOLLOWS and (event.at, event.who) in own else event
        for event in events
    ]


RULES = (
    Rule(
        id="quote.own-answer",
        capability="quoting",
        says=(
            "An answer by the link is the customer's, and so is what follows from it at once: the history "
            "names nobody of the shop for it."
        ),
        source=COMMON,
    ),
    Rule(
        id="quote.answered",
        capability="quoting",
        says=(
            f"A quote holds {DAYS} days at a fixed price, with the conditions under which it changes. It is "
            "answered once, by its link or at the counter; a newer one takes its place, and one that is "
            "over, answered or replaced cannot be accepted. What is accepted is held where it lies on the "
            "shelf; what has to come is written into the next order, after the deposit where one is asked."
        ),
        source=COMMON,
    ),
    Rule(
        id="quote.found",
        capability="quoting",
        says=(
            "What is found during the work and costs more is asked about before it is done: the price with "
            "it, and the price as agreed. Until the answer nothing changes."
        ),
        source=COMMON,
    ),
    Rule(
        id="quote.promise",
        capability="quoting",
        says=(
            "With the answer the promise is set: where the chosen way cannot be ready by the time promised, "
            "it moves to when it can; one that can be kept stays."
        ),
        source=COMMON,
    ),
)


class QuoteState(StrEnum):
    """What became of a quote. `expired` is not kept: it is open and its time is over."""

    OPEN = "open"
    ACCEPTED = "accepted"
    DECLINED = "declined"
    SUPERSEDED = "superseded"
    EXPIRED = "expired"


class NotOpen(Refusal):
    """A quote that cannot be answered any more, and why."""

    def __init__(self, state: QuoteState) -> None:
        self.state = state
        super().__init__(fact("quotes.not-open", state=state))


@dataclass(frozen=True, slots=True, kw_only=True)
class OfferedWay:
    """A way as it is offered: its key among the ways, its name and what the customer gets in the words of
    then, its price, days until its part is here, what has to be agreed to first, and its deposit. `offers`
    are the very parts that were offered, several of a kit, none where it needs no part.
    """

    key: str
    name: str
    price: Money
    deposit: Money
    wait_days: int
    minutes: int
    gets: tuple[str, ...] = ()
    consent: str = ""
    offers: tuple[int, ...] = ()
    # when it can be ready if it is answered at once
    ready_at: datetime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class QuoteRecord:
    """A version of a quote as it is kept."""

    id: int
    job_id: int
    code: str
    model: str
    version: int
    ways: tuple[OfferedWay, ...]
    conditions: tuple[str, ...]
    state: QuoteState
    answer: str
    answered_at: datetime | None
    answered_by: str
    valid_until: datetime
    person_id: int
    at: datetime
    # what was found during the work and is asked about; empty for a quote of ways
    found: str = ""

    def state_at(self, now: datetime) -> QuoteState:
        """What it is now: open while its time is not over."""
        over = self.state is QuoteState.OPEN and now > self.valid_until
        return QuoteState.EXPIRED if over else self.state

    def way(self, key: str) -> OfferedWay | None:
        return next((way for way in self.ways if way.key == key), None)


# under which the price changes, in words from templates
CONDITIONS: tuple[Say, ...] = (
    fact("quotes.condition-damage"),
    fact("quotes.condition-liquid"),
    fact("quotes.condition-part"),
)


def valid_until(now: datetime) -> datetime:
    """Until when a quote holds that is made now."""
    return now + timedelta(days=DAYS)


def check_answer(quote: QuoteRecord, key: str, now: datetime, *, agreed: bool) -> OfferedWay | None:
    """The way that is accepted, None where none is wanted; refuses a quote that is not open, what it does
    not offer, and a way whose consent is not agreed to.
    """
    state = quote.state_at(now)
    if state is not QuoteState.OPEN:
        raise NotOpen(state)
    if key == NONE:
        return None
    way = quote.way(key)
    if way is None:
        raise Invalid("way", key, fact("quotes.choose-one"))
    if way.consent and not agreed:
        raise Invalid("agreed", "", fact("quotes.agree-first", what=way.consent))
    return way


def found_ways(
    found: str, name: str, before: Money, extra: Money, ready_at: datetime, gets: Sequence[str]
) -> tuple[OfferedWay, ...]:
    """The two answers to what was found: `gets` says what each of them means, with it and without."""
    usual: dict[str, Any] = {
        "deposit": Money(minor=0, currency=before.currency),
        "wait_days": 0,
        "minutes": 0,
    }
    with_it, without = gets
    return (
        OfferedWay(
            key=WITH,
            name=f"{name}, {found}",
            price=before + extra,
            gets=(with_it,),
            ready_at=ready_at,
            **usual,
        ),
        OfferedWay(key=WITHOUT, name=name, price=before, gets=(without,), ready_at=ready_at, **usual),
    )


def read_found(typed: str, extra: str, currency: str) -> tuple[str, Money]:
    """What was found and what it costs more, as typed."""
    problems = Problems("The question")
    found = problems.read("found", typed, lambda text: read_text(text, least=5, most=200))
    minor = problems.read("extra", extra, lambda text: read_amount(text, currency, least=1))
    problems.refuse()
    return found or "", Money(minor=minor or 0, currency=currency)


def changes(before: QuoteRecord, after: Sequence[OfferedWay]) -> tuple[Say, ...]:
    """What is another way or another price than in the version before, for whoever answers again."""
    old = {way.key: way for way in before.ways}
    new = {way.key: way for way in after}
    said: list[Say] = []
    for key, way in new.items():
        if key not in old:
            said.append(fact("quotes.added", name=way.name, price=way.price))
        elif old[key].price != way.price:
            said.append(fact("quotes.now-costs", name=way.name, before=old[key].price, price=way.price))
    said += [fact("quotes.gone", name=way.name) for key, way in old.items() if key not in new]
    return tuple(said)


def ways_kept(ways: Sequence[OfferedWay]) -> list[dict[str, Any]]:
    """Ways as they are kept."""
    return [
        {
            "key": way.key,
            "name": way.name,
            "price": way.price.minor,
            "deposit": way.deposit.minor,
            "wait_days": way.wait_days,
            "minutes": way.minutes,
            "gets": list(way.gets),
            "consent": way.consent,
            "offers": list(way.offers),
            "ready_at": way.ready_at.isoformat() if way.ready_at else "",
        }
        for way in ways
    ]


def ways_from(kept: Sequence[Mapping[str, Any]], currency: str) -> tuple[OfferedWay, ...]:
    """Ways from what is kept; `ways_kept` writes them."""
    return tuple(
        OfferedWay(
            key=one["key"],
            name=one["name"],
            price=Money(minor=one["price"], currency=currency),
            deposit=Money(minor=one["deposit"], currency=currency),
            wait_days=one["wait_days"],
            minutes=one["minutes"],
            gets=tuple(one["gets"]),
            consent=one["consent"],
            offers=tuple(one["offers"]),
            ready_at=datetime.fromisoformat(one["ready_at"]) if one.get("ready_at") else None,
        )
        for one in kept
    )
