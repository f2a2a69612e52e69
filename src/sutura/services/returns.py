"""What goes back to suppliers, each with its cause and its last day, until the money is there or is given
up.
"""

from __future__ import annotations

from datetime import datetime
from functools import partial

from sutura.core.errors import NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.people import Deed, demand
from sutura.core.stock import orders as rules
from sutura.core.stock.orders import Cause, ReturnState
from sutura.core.typed import Problems, read_amount, read_text
from sutura.core.values import Person
from sutura.services.orders import MOST_NOTE
from sutura.services.reordering import today
from sutura.services.shop import shop
from sutura.store import audit as audit_store
from sutura.store import returns as returns_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import writing


def _lock_return(return_id: int, version: int, to: ReturnState | None = None) -> returns_store.ReturnRow:
    found = returns_store.lock_return(return_id)
    if found is None:
        raise NotFound("return", return_id)
    if found.version != version:
        raise StaleSave(fact("orders.the-return"), "", None, {}, {})
    if to is not None:
        rules.check_return_move(found.state, to, found.cause)
    return found


@writing
def send_return(return_id: int, parcel: str, version: int, by: Person) -> None:
    """It is on its way back, with the number of its parcel."""
    demand(by, Deed.RECEIVE)
    _lock_return(return_id, version, ReturnState.SENT)
    problems = Problems("The return")
    number = problems.read("parcel", parcel, partial(read_text, most=80, least=1))
    problems.refuse()
    returns_store.save_return(return_id, state=ReturnState.SENT.value, parcel=number)


@writing
def note_refund(return_id: int, amount: str, version: int, by: Person, now: datetime) -> None:
    """The money is back, all of it or what the supplier gave."""
    demand(by, Deed.ORDER)
    found = _lock_return(return_id, version, ReturnState.REFUNDED)
    currency = shop().currency
    problems = Problems("The refund")
    minor = problems.read("refund", amount, partial(read_amount, currency=currency, most=found.owed_minor))
    problems.refuse()
    returns_store.save_return(
        return_id, state=ReturnState.REFUNDED.value, refunded_minor=minor or 0, closed_at=now
    )
    audit_store.add_audit(
        by.id, now, "return refunded", {"return": return_id, "owed": found.owed_minor, "refunded": minor or 0}
    )


@writing
def end_return(return_id: int, reason: str, version: int, by: Person, now: datetime) -> None:
    """No money comes: the supplier refused what was sent, or it is not worth sending. The shop bears it."""
    demand(by, Deed.ORDER)
    found = _lock_return(return_id, version)
    to = ReturnState.REFUSED if found.state is ReturnState.SENT else ReturnState.BORNE
    rules.check_return_move(found.state, to, found.cause)
    problems = Problems("The return")
    why = problems.read("reason", reason, partial(read_text, most=MOST_NOTE, least=1))
    problems.refuse()
    note = f"{found.note}; {why}" if found.note else str(why)
    returns_store.save_return(return_id, state=to.value, note=note, closed_at=now)
    audit_store.add_audit(
        by.id, now, "return given up", {"return": return_id, "owed": found.owed_minor, "reason": why}
    )


@writing
def book_loss(
    job_id: int,
    part_id: int,
    supplier_id: str,
    cause: Cause,
    owed_minor: int,
    note: str,
    by: Person,
    now: datetime,
    *,
    piece_id: int | None = None,
) -> None:
    """A piece that a job lost: dead in our hands or failed after it had worked is the supplier's, broken is
    ours.
    """
    borne = cause in rules.SHOP_PAYS
    terms = suppliers_store.load_terms(supplier_id)
    returns_store.add_return(
        supplier=supplier_id,
        part=part_id,
        job=job_id,
        cause=cause.value,
        quantity=1,
        owed_minor=owed_minor,
        state=(ReturnState.BORNE if borne else ReturnState.TO_SEND).value,
        send_by=None if borne else rules.last_day(today(now), terms.return_days),
        note=note,
        person=by.id,
        at=now,
        closed_at=now if borne else None,
        piece_id=piece_id,
    )
