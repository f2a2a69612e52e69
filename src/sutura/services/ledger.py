"""Money of a job: taken in parts and by several ways, given back, given up; cards through the terminal."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as FutureTimeout
from datetime import datetime, timedelta
from functools import partial
from typing import Any

import structlog

from sutura.core.errors import Invalid, MoveRefused, NotFound, Refusal
from sutura.core.facts import Fact, fact
from sutura.core.handover import ledger as rules
from sutura.core.handover.ledger import Balance, ChargeState, Method, PaidFor
from sutura.core.job import EventKind, JobRecord
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import price_may_change
from sutura.core.shop import AHEAD, is_past
from sutura.core.values import Person, Role
from sutura.devices import plugged
from sutura.devices.ports import Away, CardSays, NoAnswer
from sutura.services import invoices, routes, shop, tills
from sutura.services.job import note
from sutura.store import job as job_store
from sutura.store import ledger as store
from sutura.store.database import DatabaseAway, in_deed, reading, writing

LOG = structlog.get_logger("sutura")
# how long a page waits for the terminal's answer before it follows it; and how long a terminal may take
# before it is asked what came of it; the shop's, no source
WAIT_S = 3
# a shop has one or two terminals, and each has one card at a time
_TERMINAL = ThreadPoolExecutor(4, thread_name_prefix="terminal")
STILL_ASKED = timedelta(seconds=90)
# as much of a form's key is kept in a reference
MOST_KEY = 36


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
    refund: int | None = None,
) -> None:
    """One row more of a locked job's ledger, with its event; cash goes through the till. Inside a deed."""
    till = tills.till_for(by, job.currency, now) if method == Method.CASH else None
    store.add_payment(
        job.id,
        kind,
        amount,
        method,
        by.id,
        now,
        reason=reason.strip()[:300],
        till_day=till,
        charge=charge,
        refund=refund,
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


def open_of(
    charges: Sequence[store.Charge], refunds: Sequence[store.Refund]
) -> store.Charge | store.Refund | None:
    """What the terminal was asked and of which nobody knows what came."""
    asked: list[store.Charge | store.Refund] = [*charges, *refunds]
    return next((one for one in asked if one.state in rules.OPEN_CHARGES), None)


def no_charge_open(job: JobRecord) -> None:
    """Refuse to take or hand out anything while nobody knows what came of a charge, or of what was to go back
    (rule handover.card).
    """
    found = open_of(store.charges_of(job.id), store.refunds_of(job.id))
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
    ask = partial(plugged().terminal.charge, reference, asked.amount)
    _ask_terminal(ask, lambda state: settle(reference, state, by, now))
    return _charge(reference)


def _ask_terminal(ask: Callable[[], CardSays], book: Callable[[ChargeState], object]) -> None:
    """Ask the terminal beside the page, and book what it says. A page waits for it only WAIT_S: what the
    terminal says later is booked then, and the page follows.
    """
    if in_deed():
        raise RuntimeError("the terminal is asked inside a transaction")
    answer = _TERMINAL.submit(_answer, ask)
    try:
        state = answer.result(WAIT_S)
    except FutureTimeout:
        answer.add_done_callback(lambda late: _book_late(late, book))
    else:
        book(state)


def _answer(ask: Callable[[], CardSays]) -> ChargeState:
    try:
        return ChargeState(ask().value)
    except Away:
        return ChargeState.DECLINED
    except NoAnswer:
        return ChargeState.UNKNOWN


def _book_late(late: Future[ChargeState], book: Callable[[ChargeState], object]) -> None:
    try:
        book(late.result())
    # whatever it is, it stays asked: the worker asks what came of it
    except DatabaseAway as away:
        LOG.warning("what the terminal said late is not booked", why=str(away)[:200])
    except Exception:
        LOG.exception("what the terminal said late is not booked")


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
    if rules.is_news(locked.state, state):
        store.save_charge(locked.id, state)
        if state is ChargeState.APPROVED:
            book(job, locked.kind, locked.amount, Method.CARD, by, now, charge=locked.id)
            if locked.kind is PaidFor.DEPOSIT:
                invoices.issue_deposit(job, locked.amount, Method.CARD, by, now)
    return _charge(reference)


def reconcile(code: str, reference: str, by: Person, now: datetime) -> store.Charge | store.Refund:
    """Ask the terminal what came of a charge, or of what was to go back; refuses where it is not reached."""
    demand(by, Deed.TAKE_IN)
    found = store.load_charge(reference) or _refund(reference)
    if found.code != code:
        raise NotFound(fact("handover.charge"), reference)
    if found.state is ChargeState.ASKED and not is_past(found.at, now, STILL_ASKED):
        raise MoveRefused(code, fact("handover.go-on"), [fact("handover.still-asked")])
    if found.state not in rules.OPEN_CHARGES:
        return found
    try:
        said = plugged().terminal.look_up(reference)
    except Away:
        raise MoveRefused(code, fact("handover.go-on"), [fact("handover.terminal-away")]) from None
    state = ChargeState.APPROVED if said is CardSays.APPROVED else ChargeState.DECLINED
    if isinstance(found, store.Refund):
        return settle_refund(reference, state, by, now)
    settled = settle(reference, state, by, now)
    if settled.kind is PaidFor.DEPOSIT and settled.state is ChargeState.APPROVED:
        # held or ordered; where that cannot be any more the money stays booked all the same
        try:
            _hold_or_order(code, by, now)
        except Refusal as refused:
            LOG.warning("a deposit was found, and its part is not held", job=code, why=repr(refused)[:200])
    return settled


@reading
def state_of(code: str, reference: str, by: Person) -> ChargeState:
    """How something that the terminal was asked stands."""
    demand(by, Deed.TAKE_IN)
    found = store.load_charge(reference) or _refund(reference)
    if found.code != code:
        raise NotFound(fact("handover.charge"), reference)
    return found.state


@writing
def _hold_or_order(code: str, by: Person, now: datetime) -> None:
    routes.hold_or_order(code, by, now)


def reconcile_all(now: datetime) -> int:
    """Ask the terminal of all that nobody knows of, until books and terminal agree; how many it was. Where
    the terminal is not reached they are asked of again.
    """
    done = 0
    for code, reference, person_id in store.unsettled(now - STILL_ASKED, now + AHEAD):
        try:
            reconcile(code, reference, Person(id=person_id, name="", role=Role.COUNTER), now)
            done += 1
        except Refusal as refused:
            LOG.info("a charge is not settled yet", reference=reference, why=repr(refused)[:200])
        except DatabaseAway as away:
            LOG.warning("a charge is not settled yet", reference=reference, why=str(away)[:200])
        except Exception:
            # one that cannot be settled never stops the others
            LOG.exception("a charge cannot be settled", reference=reference)
    return done


def reverse(code: str, reference: str, key: str, by: Person, now: datetime) -> None:
    """Give what is left of a charge back to its card, all of it: it is owed again (a manager's deed). Once by
    its form's `key`, and not in a deed.
    """
    demand(by, Deed.SETTLE)
    refund_now(code, _ask_reverse(code, reference, key, by, now), by, now)


@writing
def _ask_reverse(code: str, reference: str, key: str, by: Person, now: datetime) -> list[str]:
    job = job_store.lock_job(code)
    locked = store.lock_charge(reference)
    if locked is None or locked.code != code:
        raise NotFound(fact("handover.charge"), reference)
    if asked := asked_with(job, key):
        return asked
    no_charge_open(job)
    left = left_on_cards(job).get(reference, Money(minor=0, currency=job.currency))
    if not 0 < left.minor <= balance(job).received.minor:
        raise MoveRefused(
            code, fact("handover.be-reversed"), [fact("handover.charge-is", state=locked.state)]
        )
    # an invoice of a deposit that is not there any more does not stand
    paper = left.minor if locked.kind is PaidFor.DEPOSIT else 0
    why = shop.speech().say(fact("handover.given-back-to-card"))
    made = _reference(job, key)
    amounts = {"amount_minor": left.minor, "credit_minor": 0, "paper_minor": paper}
    store.add_refund(made, locked, by.id, now, reason=why, **amounts)
    return [made]


# -- back to the card -------------------------------------------------------------------------------


def _went(job: JobRecord) -> dict[int, int]:
    """What went back of each charge of a job, or may be on its way, by the number of the charge."""
    went: dict[int, int] = defaultdict(int)
    for one in store.refunds_of(job.id):
        if one.state is not ChargeState.DECLINED:
            went[one.charge_id] += one.amount_minor
    return went


@reading
def left_on_cards(job: JobRecord) -> dict[str, Money]:
    """What of each charge that was paid can still go back to its card, by the charge's reference."""
    went = _went(job)
    return {
        one.reference: Money(
            minor=rules.left_of(one.amount_minor, went.get(one.id, 0)), currency=one.currency
        )
        for one in store.charges_of(job.id)
        if one.state is ChargeState.APPROVED
    }


def on_cards(job: JobRecord) -> Money:
    """What came by card and can go back to it."""
    left = sum(one.minor for one in left_on_cards(job).values())
    return Money(minor=left, currency=job.currency)


def _of_key(job: JobRecord, key: str) -> list[store.Refund]:
    return [one for one in store.refunds_of(job.id) if one.reference.rpartition("-")[0] == key]


def asked_with(job: JobRecord, key: str) -> list[str]:
    """The references of what one form asked to go back, as far as it was not declined: pressed again it asks
    for nothing more. What was declined may be asked again.
    """
    if not 6 <= len(key) <= MOST_KEY:
        raise Invalid("form_key", key, fact("handover.load-anew"))
    return [one.reference for one in _of_key(job, key) if one.state is not ChargeState.DECLINED]


def _reference(job: JobRecord, key: str) -> str:
    """A reference of a form's own that was not used yet."""
    return f"{key}-{len(_of_key(job, key)) + 1}"


def gone_back(job: JobRecord, key: str) -> Money:
    """What one form gave back to cards."""
    gone = (one.amount_minor for one in _of_key(job, key) if one.state is ChargeState.APPROVED)
    return Money(minor=sum(gone), currency=job.currency)


def ask_back(
    job: JobRecord, back: Money, credit: Money, paper: Money, reason: str, key: str, by: Person, now: datetime
) -> list[str]:
    """Keep what is to go back to the cards it came by, the last one first; their references. Refuses more
    than came by card. Inside a deed of its own.
    """
    left_on, had = left_on_cards(job), on_cards(job)
    if back.minor > had.minor:
        raise Invalid("method", Method.CARD, fact("handover.back-to-card-up-to", had=had))
    made = []
    left, credit_left, paper_left = back.minor, credit.minor, paper.minor
    for one in reversed(store.charges_of(job.id)):
        part = min(left, left_on[one.reference].minor) if one.reference in left_on else 0
        if part:
            made.append(_reference(job, key))
            of_credit, of_paper = min(part, credit_left), min(part, paper_left)
            amounts = {"amount_minor": part, "credit_minor": of_credit, "paper_minor": of_paper}
            store.add_refund(made[-1], one, by.id, now, reason=reason.strip()[:300], **amounts)
            left, credit_left, paper_left = left - part, credit_left - of_credit, paper_left - of_paper
    return made


def refund_now(code: str, references: Sequence[str], by: Person, now: datetime) -> None:
    """Ask the terminal for what was kept, one after the other, and book what it says; refuses where one of
    them did not go back. Never in a deed: a refusal would take back what the terminal did.
    """
    states = [_refund_one(reference, by, now) for reference in references]
    for state in states:
        if state is not ChargeState.APPROVED:
            raise MoveRefused(code, fact("handover.be-reversed"), [fact("handover.charge-is", state=state)])


def _refund_one(reference: str, by: Person, now: datetime) -> ChargeState:
    asked = _refund(reference)
    if asked.state is not ChargeState.ASKED:
        return asked.state
    _ask_terminal(
        lambda: plugged().terminal.refund(asked.charge, reference, asked.amount),
        lambda state: settle_refund(reference, state, by, now),
    )
    return _refund(reference).state


def _refund(reference: str) -> store.Refund:
    found = store.load_refund(reference)
    if found is None:
        raise NotFound(fact("handover.charge"), reference)
    return found


@writing
def settle_refund(reference: str, state: ChargeState, by: Person, now: datetime) -> store.Refund:
    """Book what the terminal says of what was to go back, once."""
    job = job_store.lock_job(_refund(reference).code)
    locked = store.lock_refund(reference)
    assert locked, "found above"
    if rules.is_news(locked.state, state):
        store.save_refund(locked.id, state)
        if state is ChargeState.APPROVED:
            _went_back(job, locked, by, now)
    return _refund(reference)


def _went_back(job: JobRecord, refund: store.Refund, by: Person, now: datetime) -> None:
    if refund.credit_minor:
        credit = refund.of(refund.credit_minor)
        store.add_payment(job.id, PaidFor.CREDIT, credit, "", by.id, now, reason=refund.reason)
    if refund.paper_minor:
        invoices.issue_credit(job, refund.of(refund.paper_minor), refund.reason, by, now)
    book(
        job,
        PaidFor.REFUND,
        refund.amount,
        Method.CARD,
        by,
        now,
        reason=refund.reason,
        charge=refund.charge_id,
        refund=refund.id,
    )
    charge = next(one for one in store.charges_of(job.id) if one.id == refund.charge_id)
    gone = sum(
        one.amount_minor
        for one in store.refunds_of(job.id)
        if one.charge_id == charge.id and one.state is ChargeState.APPROVED
    )
    if gone >= charge.amount_minor:
        store.save_charge(charge.id, ChargeState.REVERSED)


# -- back, and given up -----------------------------------------------------------------------------


@writing
def give_back(code: str, amount: str, method: str, reason: str, by: Person, now: datetime) -> None:
    """Give money back in cash or by transfer: what was paid too much, and beyond that a credit with its note
    (rule handover.refund).
    """
    demand(by, Deed.SETTLE)
    job = job_store.lock_job(code)
    no_charge_open(job)
    back, credit, how = rules.check_give_back(balance(job), amount, method, reason)
    if how is Method.CARD:
        raise Invalid("method", method, fact("handover.card-by-terminal"))
    if credit.minor:
        store.add_payment(job.id, PaidFor.CREDIT, credit, "", by.id, now, reason=reason.strip()[:300])
        invoices.issue_credit(job, credit, reason.strip(), by, now)
    book(job, PaidFor.REFUND, back, how.value, by, now, reason=reason)


def give_back_to_card(code: str, amount: str, reason: str, key: str, by: Person, now: datetime) -> None:
    """The same to the cards it came by, through the terminal; once by its form's `key`, and not in a deed."""
    refund_now(code, _ask_to_card(code, amount, reason, key, by, now), by, now)


@writing
def _ask_to_card(code: str, amount: str, reason: str, key: str, by: Person, now: datetime) -> list[str]:
    demand(by, Deed.SETTLE)
    job = job_store.lock_job(code)
    if asked := asked_with(job, key):
        return asked
    no_charge_open(job)
    back, credit, _ = rules.check_give_back(balance(job), amount, Method.CARD, reason)
    return ask_back(job, back, credit, credit, reason, key, by, now)


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
def refunds_of(job: JobRecord) -> list[store.Refund]:
    """What was asked to go back to cards for a job."""
    return store.refunds_of(job.id)


@reading
def charges_of(job: JobRecord) -> list[store.Charge]:
    """What was asked of the terminal for a job."""
    return store.charges_of(job.id)
