"""The till: opened, counted, closed, and told as a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from sutura.core.errors import MoveRefused, NotFound
from sutura.core.facts import fact
from sutura.core.handover import tills as rules
from sutura.core.handover.tills import CashRow
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.values import Person
from sutura.services import invoices
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import tills as store
from sutura.store.database import reading, writing

MOST_DAYS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class TillPage:
    """One day of the till with what came and went, what must be there, and what was paid otherwise."""

    till: store.Till | None
    rows: Sequence[CashRow]
    expected: Money
    others: Mapping[str, Money]
    # the coins and notes that there are, the largest first
    known: Sequence[Money]
    days: Sequence[store.Till]


@reading
def till_page(till_id: int, by: Person, now: datetime) -> TillPage:
    """The till as it stands; `till_id` is an earlier day of it, 0 = the open one."""
    demand(by, Deed.TAKE_IN)
    currency = shop().currency
    till = store.load_till(till_id) if till_id else store.load_open()
    if till_id and till is None:
        raise NotFound(fact("till.day"), str(till_id))
    rows = store.rows_of(till.id) if till else []
    others: dict[str, int] = {}
    if till:
        for row in store.others_between(till.opened_at, till.closed_at or now):
            others[row.method] = others.get(row.method, 0) + row.signed_minor
    return TillPage(
        till=till,
        rows=rows,
        expected=rules.expected_of(till.float_minor if till else store.last_left(), rows, currency),
        others={method: Money(minor=minor, currency=currency) for method, minor in others.items()},
        known=[
            Money(minor=minor, currency=currency)
            for minor in rules.pieces_of(currency, invoices.invoicing().coin_minor)
        ],
        days=store.load_tills(MOST_DAYS),
    )


@writing
def open_till(typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Open the till with what is in it."""
    demand(by, Deed.TAKE_IN)
    currency = shop().currency
    rules.check_open(store.share_open() is not None)
    minor = rules.read_float(typed, currency, invoices.invoicing().coin_minor)
    if not store.open_first(by.id, currency, minor, now):
        # somebody was quicker, perhaps with another amount
        rules.check_open(True)
    before = store.last_left()
    if minor != before:
        facts = {"left_minor": before, "float_minor": minor, "currency": currency}
        audit_store.add_audit(by.id, now, "till opened with another amount", facts)


def till_for(by: Person, currency: str, now: datetime) -> int:
    """The day of the till that cash goes into; it opens with what was left in it where nobody opened it.
    Inside a deed.
    """
    found = store.share_open()
    return found if found is not None else store.add_till(by.id, currency, store.last_left(), now)


@writing
def close_till(till_id: int, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Count the till and close its day (rules till.day, till.pieces)."""
    demand(by, Deed.TAKE_IN)
    till = store.lock_open()
    if till is None or till.id != till_id:
        raise MoveRefused(str(till_id), fact("till.be-closed"), [fact("till.is-closed")])
    expected = rules.expected_of(till.float_minor, store.rows_of(till.id), till.currency)
    read = rules.read_count(expected, typed, invoices.invoicing().coin_minor)
    store.save_closed(
        till.id,
        # a clock that was ahead when it was opened closes nothing before that
        closed_at=max(now, till.opened_at),
        closed_by=by.id,
        expected_minor=expected.minor,
        counted_minor=read.counted.minor,
        left_minor=read.left.minor,
        note=read.note,
        pieces={str(worth): count for worth, count in read.pieces.items()},
    )
    if read.difference.minor:
        facts = {"till": till.id, "difference_minor": read.difference.minor, "why": read.note}
        audit_store.add_audit(by.id, now, "till differed", facts)
