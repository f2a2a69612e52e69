"""Money of a job: taken in parts and by several ways, given back, given up; cards through the terminal."""

from __future__ import annotations

import time
from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from sutura.core.errors import Invalid, MoveRefused, NotFound
from sutura.core.facts import Fact, fact
from sutura.core.handover import ledger as rules
from sutura.core.handover.ledger import Balance, ChargeState, Method, PaidFor
from sutura.core.job import EventKind, JobRecord
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import price_may_change
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away, CardSays, NoAnswer
from sutura.services import invoices, tills
from sutura.services.job import note
from sutura.store import job as job_store
from sutura.store import ledger as store
from sutura.store.database import reading, writing

# how long a press waits for one that asks the terminal already; and how long a terminal may take before it is
# asked what came of it; the shop's, no source
WAIT_S = 20
STILL_ASKED = timedelta(seconds=90)


def balance(job: JobRecord) -> Balance:
    """What a job owes (rule handover.ledger)."""
    return rules.balance_at(job.stage, job.chosen.price_minor, job.currency, store.load_payments(job.id))


def rows_of(job: JobRecord) -> list[rules.Paid]:
    """The rows of a job's ledger, in their order."""
    return store.load_payments(job.id)


def book(
    job: JobRecord,
    kind: PaidFor,
    amount: Money,
    method: str,
    by: Person,
    now: datetime,
    *,
    reason: str = "",
    charge: int | None = None,
) -> None:
    """One row more of a locked job's ledger, with its event; cash goes through the till. Inside a deed."""
    till = tills.till_for(by, job.currency, now) if method == Method.CASH else None
    store.add_payment(
        job.id, kind, amount, method, by.id, now, reason=reason.strip()[:300], till_day=till, charge=charge
    )
    facts: dict[str, Any] = {
        "kind": kind.value,
        "amount_minor": amount.minor,
        "currency": amount.currency,
        "method": method,
        "reason": reason.strip()[:300],
    }
    if kind is not PaidFor.ROUNDING:
        note(job, EventKind.DEPOSIT if kind is PaidFor.DEPOSIT else EventKind.MONEY, facts, by=by, now=now)


def book_all(job: JobRecord, owed: Money, typed: str, method: str, by: Person, now: datetime) -> None:
    """All that is owed, by cash or transfer; cash in the coins that there are (rule handover.coins)."""
    how = rules.check_method(method)
    paid = rules.whole_of(owed, typed, method, invoices.invoicing().coin_minor)
    if paid is None:
        # says what is open, and keeps what was typed
        paid, how = rules.check_payment(owed, typed, method)
    if paid.minor:
        book(job, PaidFor.REST, paid, how.value, by, now)
    if paid.minor != owed.minor:
        book(job, PaidFor.ROUNDING, owed - paid, "", by, now)


@writing
def pay(code: str, amount: str, method: str, handed_over: str, by: Person, now: datetime) -> Money:
    """Take a part of what is owed, or all of it, in cash or by transfer; the change to give."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    owed = _owed(job)
    no_charge_open(job)
    whole = rules.whole_of(owed, amount, method, invoices.invoicing().coin_minor)
    if method == Method.CASH and whole is not None:
        change = rules.change_of(whole, handed_over)
        book_all(job, owed, amount, method, by, now)
        return change
    part, how = rules.check_part(owed, amount, method)
    if how is Method.CARD:
        raise Invalid("method", method, fact("handover.card-by-terminal"))
    change = rules.change_of(part, handed_over if how is Method.CASH else "")
    book(job, PaidFor.REST, part, how.value, by, now)
    return change


def _owed(job: JobRecord) -> Money:
    """What a job owes, where something is to be paid now."""
    owed = balance(job).due
    if not owed.minor or job.chosen.price_minor is None:
        raise MoveRefused(job.code, fact("handover.be-paid"), [fact("handover.nothing-owed")])
    return owed


def open_charge(charges: Sequence[store.Charge]) -> store.Charge | None:
    """The charge of which nobody knows what came; there is one at most."""
    return next((one for one in charges if one.state in rules.OPEN_CHARGES), None)


def no_charge_open(job: JobRecord) -> None:
    """Refuse to take or hand out anything while nobody knows what came of a charge (rule handover.card)."""
    found = open_charge(store.charges_of(job.id))
    if found:
        raise MoveRefused(
            job.code, fact("handover.go-on"), [fact("handover.charge-open", amount=found.amount)]
        )


# -- cards ------------------------------------------------------------------------------------------


def charge(code: str, amount: str, kind: PaidFor, reference: str, by: Person, now: datetime) -> store.Charge:
    """Charge a card with a part of what is owed, or all of it: kept before the terminal is asked, and booked
    when it answers (rule handover.card). What came of it; sent again with its reference, the same.
    """
    if not _ask(code, amount, kind, reference, by, now):
        return _settled(reference)
    asked = _charge(reference)
    try:
        said: CardSays | None = plugged().terminal.charge(reference, asked.amount)
    except Away:
        return settle(reference, ChargeState.DECLINED, by, now)
    except NoAnswer:
        said = None
    state = ChargeState(said.value) if said else ChargeState.UNKNOWN
    return settle(reference, state, by, now)


def must_charge(
    code: str, amount: str, kind: PaidFor, reference: str, doing: Fact, by: Person, now: datetime
) -> None:
    """Charge a card; refuses what is `doing` where it was not approved."""
    made = charge(code, amount, kind, reference, by, now)
    if made.state is not ChargeState.APPROVED:
        raise MoveRefused(code, doing, [fact("handover.charge-is", state=made.state)])


def _charge(reference: str) -> store.Charge:
    found = store.load_charge(reference)
    if found is None:
        raise NotFound(fact("handover.charge"), reference)
    return found


@writing
def _ask(code: str, amount: str, kind: PaidFor, reference: str, by: Person, now: datetime) -> bool:
    """Keep what the terminal is asked for; no where it was asked with this reference already."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    if not 6 <= len(reference) <= 40:
        raise Invalid("form_key", reference, fact("handover.load-anew"))
    before = store.load_charge(reference)
    if before:
        if before.job_id != job.id:
            raise NotFound(fact("handover.charge"), reference)
        if rules.amount_or_none(amount, before.amount) != before.amount_minor:
            raise Invalid("amount", amount, fact("handover.other-amount", amount=before.amount))
        return False
    if kind is PaidFor.DEPOSIT:
        if not price_may_change(job.stage, job.chosen.price_minor):
            raise MoveRefused(code, fact("handover.take-a-deposit"), [fact("job.it-is", stage=job.stage)])
        part, _ = rules.check_deposit(balance(job).due, amount, Method.CARD)
    else:
        part, _ = rules.check_part(_owed(job), amount, Method.CARD)
    no_charge_open(job)
    store.add_charge(reference, job.id, kind, part, by.id, now)
    return True


def _settled(reference: str) -> store.Charge:
    """What came of a charge that another press asks for; waits for it a while."""
    until = time.monotonic() + WAIT_S
    while (found := _charge(reference)).state is ChargeState.ASKED and time.monotonic() < until:
        time.sleep(0.2)
    return found


@writing
def settle(reference: str, state: ChargeState, by: Person, now: datetime) -> store.Charge:
    """Book what the terminal says, once."""
    job = job_store.lock_job(_charge(reference).code)
    locked = store.lock_charge(reference)
    assert locked, "found above"
    # a terminal that says so late is believed: what was charged is never lost
    late = locked.state is ChargeState.DECLINED and state is ChargeState.APPROVED
    if late or (locked.state in rules.OPEN_CHARGES and state is not locked.state):
        store.save_charge(locked.id, state)
        if state is ChargeState.APPROVED:
            book(job, locked.kind, locked.amount, Method.CARD, by, now, charge=locked.id)
            if locked.kind is PaidFor.DEPOSIT:
                invoices.issue_deposit(job, locked.amount, Method.CARD, by, now)
    return _charge(reference)


def reconcile(code: str, reference: str, by: Person, now: datetime) -> store.Charge:
    """Ask the terminal what came of a charge; refuses where it is not reached."""
    demand(by, Deed.TAKE_IN)
    found = _charge(reference)
    if found.code != code:
        raise NotFound(fact("handover.charge"), reference)
    if found.state is ChargeState.ASKED and now - found.at < STILL_ASKED:
        raise MoveRefused(code, fact("handover.go-on"), [fact("handover.still-asked")])
    if found.state not in rules.OPEN_CHARGES:
        return found
    try:
        said = plugged().terminal.look_up(reference)
    except Away:
        raise MoveRefused(code, fact("handover.go-on"), [fact("handover.terminal-away")]) from None
    state = ChargeState.APPROVED if said is CardSays.APPROVED else ChargeState.DECLINED
    return settle(reference, state, by, now)


@writing
def reverse(code: str, reference: str, by: Person, now: datetime) -> None:
    """Give a charge back through the terminal, all of it: it is owed again (a manager's deed)."""
    demand(by, Deed.SETTLE)
    job = job_store.lock_job(code)
    locked = store.lock_charge(reference)
    if locked is None or locked.code != code:
        raise NotFound(fact("handover.charge"), reference)
    if locked.state is not ChargeState.APPROVED or balance(job).received.minor < locked.amount_minor:
        raise MoveRefused(
            code, fact("handover.be-reversed"), [fact("handover.charge-is", state=locked.state)]
        )
    # written first: where the terminal refuses, all of it is taken back
    store.save_charge(locked.id, ChargeState.REVERSED)
    book(job, PaidFor.REFUND, locked.amount, Method.CARD, by, now, charge=locked.id)
    try:
        plugged().terminal.reverse(reference)
    except (Away, ValueError):
        raise MoveRefused(code, fact("handover.be-reversed"), [fact("handover.terminal-away")]) from None


# -- back, and given up -----------------------------------------------------------------------------


@writing
def give_back(code: str, amount: str, method: str, reason: str, by: Person, now: datetime) -> None:
    """Give money back: what was paid too much, and beyond that a credit with its note (rule
    handover.refund).
    """
    demand(by, Deed.SETTLE)
    job = job_store.lock_job(code)
    no_charge_open(job)
    back, credit, how = rules.check_give_back(balance(job), amount, method, reason)
    if credit.minor:
        store.add_payment(job.id, PaidFor.CREDIT, credit, "", by.id, now, reason=reason.strip()[:300])
        invoices.issue_credit(job, credit, reason.strip(), by, now)
    book(job, PaidFor.REFUND, back, how.value, by, now, reason=reason)


@writing
def write_off(code: str, amount: str, reason: str, by: Person, now: datetime) -> None:
    """Give up what is owed, or a part of it (rule handover.refund)."""
    demand(by, Deed.SETTLE)
    job = job_store.lock_job(code)
    no_charge_open(job)
    book(
        job,
        PaidFor.WRITTEN_OFF,
        rules.check_write_off(balance(job), amount, reason),
        "",
        by,
        now,
        reason=reason,
    )


@reading
def charges_of(job: JobRecord) -> list[store.Charge]:
    """What was asked of the terminal for a job."""
    return store.charges_of(job.id)
