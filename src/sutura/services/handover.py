"""Handing back: accessories, payment, warranty, or the unrepaired return."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime

from sutura.core import handover as rules
from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid, MoveRefused, NotFound
from sutura.core.facts import fact
from sutura.core.job import EventKind, JobRecord, Move, Stage
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import price_may_change
from sutura.core.values import Person
from sutura.services import cores, looks, routes, schools, shop
from sutura.services.job import move, note
from sutura.store import audit as audit_store
from sutura.store import handover as store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import proof as proof_store
from sutura.store import quoting as quoting_store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing


@writing
def hand_back(
    code: str,
    *,
    returned: Sequence[int],
    explanation: str,
    amount: str,
    method: str,
    today: date,
    by: Person,
    now: datetime,
    way_back: str = "",
    old_screen: bool = False,
    let_go: str = "",
) -> None:
    """Give the device back: everything that came in, the whole price, the warranty from today; the old screen
    with it, where the customer wants it.
    """
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    model = schools.of_job(job)
    accessories = store.load_accessories(job.id)
    rules.check_accessories(accessories, returned, explanation)
    rules.check_way_back(job.arrival.channel, way_back)
    if job.chosen.price_minor is None:
        raise NotFound(fact("handover.agreed-price-job"), code)
    price = Money(minor=job.chosen.price_minor, currency=job.currency)
    days = job.chosen.warranty_days
    until = rules.warranty_end(today, model.warranty_days if days is None else days)
    if job.stage is Stage.CLOSED:
        _check_ready(job, model, let_go, by, now)
        _settle(job, amount, method, by, now)
    store.save_returned([a.id for a in accessories if a.id in returned], now)
    facts = {
        "returned": _names(accessories, returned),
        "paid_minor": price.minor,
        "currency": price.currency,
        "method": method,
        "warranty_end": until.isoformat(),
        "explanation": explanation.strip(),
        "way_back": way_back.strip(),
    }
    if old_screen:
        cores.give_with(job.id, by, now)
    closing = replace(
        job.closing, finished_at=now, warranty_end=until, returned_note=explanation.strip()[:300]
    )
    move(
        job,
        Move.HAND_BACK,
        EventKind.HANDED_BACK,
        facts,
        closing,
        by=by,
        now=now,
        holds={"accessories_returned": True},
    )


def _check_ready(job: JobRecord, model: Model, let_go: str, by: Person, now: datetime) -> None:
    """A job goes when it is ready, or when a manager lets it go with a reason (rule handover.ready)."""
    waits = looks.not_ready(job, model, now)
    if not waits:
        return
    if not let_go.strip():
        raise MoveRefused(job.code, fact("handover.be-handed-back"), list(waits))
    demand(by, Deed.LET_PASS)
    reason = rules.check_let_go(let_go)
    told = [shop.speech().say(one) for one in waits]
    proof_store.add_let_go(job.id, told, reason, by.id, now)
    audit_store.add_audit(by.id, now, "let go early", {"job": job.code, "reason": reason})


def owed_of(job: JobRecord) -> Money:
    """What is still open of a job's price; below zero where more was paid."""
    price = Money(minor=job.chosen.price_minor or 0, currency=job.currency)
    return price - rules.received(store.load_payments(job.id), job.currency)


def _settle(job: JobRecord, amount: str, method: str, by: Person, now: datetime) -> None:
    """The rest is paid, or what was paid too much goes back (rule handover.paid)."""
    owed = owed_of(job)
    if owed.minor:
        kind = rules.PaidFor.REST if owed.minor > 0 else rules.PaidFor.REFUND
        due = Money(minor=abs(owed.minor), currency=owed.currency)
        paid, how = rules.check_payment(due, amount, method)
        store.add_payment(job.id, kind, paid, how.value, by.id, now)


@writing
def take_deposit(code: str, amount: str, method: str, by: Person, now: datetime) -> None:
    """Take a deposit on an agreed price (rule handover.deposit); with all of it there, the part is held or
    written into the next order.
    """
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    if not price_may_change(job.stage, job.chosen.price_minor):
        raise MoveRefused(code, fact("handover.take-a-deposit"), [fact("job.it-is", stage=job.stage)])
    paid, how = rules.check_deposit(owed_of(job), amount, method)
    store.add_payment(job.id, rules.PaidFor.DEPOSIT, paid, how.value, by.id, now)
    facts = {"amount_minor": paid.minor, "currency": paid.currency, "method": how.value}
    note(job, EventKind.DEPOSIT, facts, by=by, now=now)
    routes.hold_or_order(code, by, now)


def _names(accessories: Sequence[rules.Accessory], returned: Sequence[int]) -> list[str]:
    return [accessory.name for accessory in accessories if accessory.id in returned]


@writing
def decline(code: str, reason: str, by: Person, now: datetime) -> None:
    """The customer does not want the repair: a held part goes back to the shelf."""
    demand(by, Deed.QUOTE)
    if not reason.strip():
        raise Invalid("reason", "", fact("handover.write-why-repair-declined"))
    job = job_store.lock_job(code)
    held = stock_store.held_of(job.id)
    quoting_store.supersede_quotes(job.id)
    facts = {"reason": reason.strip()}
    move(job, Move.DECLINE, EventKind.DECLINED, facts, by=by, now=now, holds={"reason_given": True})
    for held_part in held:
        stock_store.save_reservation(held_part.id, "released")


@writing
def return_unrepaired(
    code: str,
    *,
    returned: Sequence[int],
    explanation: str,
    by: Person,
    now: datetime,
    way_back: str = "",
    refund: str = "",
    method: str = "",
    kept_because: str = "",
) -> None:
    """Give the device back as it came, and a deposit with it (rule handover.deposit)."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    accessories = store.load_accessories(job.id)
    rules.check_accessories(accessories, returned, explanation)
    rules.check_way_back(job.arrival.channel, way_back)
    had = rules.received(store.load_payments(job.id), job.currency)
    facts: dict[str, object] = {
        "returned": _names(accessories, returned),
        "explanation": explanation.strip(),
        "way_back": way_back.strip(),
    }
    if had.minor:
        back, how = rules.check_refund(had, refund, method, kept_because)
        if back.minor:
            store.add_payment(job.id, rules.PaidFor.REFUND, back, how.value, by.id, now)
        facts |= {"refund_minor": back.minor, "currency": back.currency, "kept_because": kept_because.strip()}
    store.save_returned([a.id for a in accessories if a.id in returned], now)
    closing = replace(job.closing, finished_at=now, returned_note=explanation.strip()[:300])
    move(
        job,
        Move.RETURN,
        EventKind.RETURNED,
        facts,
        closing,
        by=by,
        now=now,
        holds={"accessories_returned": True},
    )


@reading
def fitted(job: JobRecord) -> list[tuple[str, str | None]]:
    """The parts that a job was finished with, each with its grade."""
    chosen = [job.chosen.offer_id or 0, *job.chosen.more_offers]
    return [(offer.part, offer.grade or None) for offer in offers_store.load_offers(chosen)]
