"""A quote as a thing: up to three ways at fixed prices, the conditions under which they change, how long they
hold, and what the customer answers.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from typing import Any

from sutura.core.errors import Invalid, Refusal
from sutura.core.facts import Say, fact
from sutura.core.maths.money import Money
from sutura.core.values import COMMON, Rule

# ways a customer compares at once; days a quote holds: the shop's, no source
MOST_WAYS, DAYS = 3, 7
# what is answered where none of the ways is wanted
NONE = "none"

RULES = (
    Rule(
        id="quote.answered",
        capability="quoting",
        says=(
            f"A quote holds {DAYS} days at a fixed price, with the conditions under which it changes. It is "
            "answered once, by its link or at the counter; a newer one takes its place, and one that is "
            "over, answered or replaced cannot be accepted."
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
        )
        for one in kept
    )
