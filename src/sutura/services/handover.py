"""Handing back: accessories, payment, warranty, or the unrepaired return."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime
from typing import Any

from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid, MoveRefused, NotFound
from sutura.core.facts import fact
from sutura.core.handover import giving as rules
from sutura.core.handover import ledger as money
from sutura.core.intake.arrival import check_signature
from sutura.core.job import EventKind, JobRecord, Move, Stage, check_start
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import price_may_change
from sutura.core.typed import refuse
from sutura.core.values import Person
from sutura.devices import plugged
from sutura.devices.ports import Away
from sutura.formats.labels import Label, labels_pdf
from sutura.services import comebacks, cores, invoices, ledger, looks, routes, schools, shop
from sutura.services.job import move
from sutura.services.marks import read_strokes
from sutura.store import audit as audit_store
from sutura.store import bench as bench_store
from sutura.store import handover as store
from sutura.store import job as job_store
from sutura.store import messages as messages_store
from sutura.store import offers as offers_store
from sutura.store import proof as proof_store
from sutura.store import quoting as quoting_store
from sutura.store import stock as stock_store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class HandBack:
    """What is said when a device is handed back. `method` is how what is owed is paid; `reference` names the
    charge of a card; `handed_over` is what was given in cash.
    """

    returned: Sequence[int]
    explanation: str
    amount: str
    method: str
    today: date
    way_back: str = ""
    old_screen: str = ""
    let_go: str = ""
    reference: str = ""
    handed_over: str = ""
    how: str = ""
    collector: str = ""
    ticket: str = ""
    address: str = ""
    carrier: str = ""
    insured: str = ""
    signature: str = ""
    cards: bool = False


def hand_back(code: str, *, by: Person, now: datetime, **said: Any) -> None:
    """Give the device back: everything that came in, the whole price, the warranty from today; the old screen
    with it, where the customer wants it. A card is charged first, by the terminal; what was paid stays paid
    where the rest is refused then.
    """
    asked = HandBack(**said)
    pay_by_card(code, asked, by, now)
    give(code, asked, by, now)


def pay_by_card(code: str, asked: HandBack, by: Person, now: datetime) -> None:
    """Charge what is owed, where it is paid by card and nothing else stands in the way. Not in a deed: what
    the terminal is asked is kept before it answers.
    """
    if asked.method != money.Method.CARD or not check(code, asked, by, now):
        return
    reference = asked.reference or secrets.token_hex(12)
    doing = fact("handover.be-handed-back")
    ledger.must_charge(code, asked.amount, money.PaidFor.REST, reference, doing, by, now)


@reading
def check(code: str, asked: HandBack, by: Person, now: datetime) -> bool:
    """Refuse what stands in the way of handing back, before a card is charged; whether all of what is owed is
    to be charged.
    """
    demand(by, Deed.TAKE_IN)
    job = job_store.load_job(code)
    if job.stage is not Stage.CLOSED:
        return False
    _check_out(job, asked)
    _check_ready(job, schools.of_job(job), asked.let_go, by, now, keep=False)
    _hands_out(job, asked)
    owed = ledger.balance(job).due
    if owed.minor:
        money.check_payment(owed, asked.amount, asked.method)
    return bool(owed.minor)


def _check_out(job: JobRecord, asked: HandBack) -> list[rules.Accessory]:
    """What came with a job, where everything is ticked or explained and its way back is said."""
    accessories = store.load_accessories(job.id)
    rules.check_accessories(accessories, asked.returned, asked.explanation)
    rules.check_way_back(job.arrival.channel, asked.way_back)
    rules.check_cards(cards_in_tray(job, accessories), asked.cards, asked.explanation)
    return accessories


def cards_in_tray(job: JobRecord, accessories: Sequence[rules.Accessory]) -> bool:
    """Whether cards of a job's device lie in its tray (rule handover.cards)."""
    return rules.cards_in_tray([done.step for done in bench_store.load_done(job.id)], accessories)


def _hands_out(job: JobRecord, asked: HandBack) -> tuple[rules.HandsOut, list[list[tuple[float, float]]]]:
    """Who takes it, and what they signed with."""
    typed = {
        "how": asked.how,
        "name": asked.collector,
        "ticket": asked.ticket,
        "address": asked.address or str(job.arrival.how.get("return_address") or ""),
        "carrier": asked.carrier,
        "way_back": asked.way_back,
        "insured": asked.insured,
    }
    strokes, unreadable = read_strokes(asked.signature)
    refuse([*unreadable, *check_signature(strokes)])
    return rules.read_hands_out(typed, job.code, job.currency), strokes


@writing
def give(code: str, asked: HandBack, by: Person, now: datetime) -> None:
    """Hand it back, with what is still owed by cash or transfer."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    # the state first: a page that is out of date writes nothing
    check_start(code, job.stage, Move.HAND_BACK)
    model = schools.of_job(job)
    accessories = _check_out(job, asked)
    out, strokes = _hands_out(job, asked)
    if job.chosen.price_minor is None:
        raise NotFound(fact("handover.agreed-price-job"), code)
    price = Money(minor=job.chosen.price_minor, currency=job.currency)
    until = comebacks.warranty_until(job, asked.today, now)
    ledger.no_charge_open(job)
    _check_ready(job, model, asked.let_go, by, now, keep=True)
    change = _settle(job, asked, by, now)
    invoices.issue(job, asked.method, by, now)
    store.save_returned([a.id for a in accessories if a.id in asked.returned], now)
    facts = {
        "returned": _names(accessories, asked.returned),
        "paid_minor": price.minor,
        "currency": price.currency,
        "method": asked.method,
        "warranty_end": until.isoformat(),
        "explanation": asked.explanation.strip(),
        "way_back": asked.way_back.strip(),
        "change_minor": change.minor,
    }
    messages_store.add_handed_out(
        job.id,
        by.id,
        now,
        how=out.how.value,
        name=out.name,
        signature=strokes,
        address=out.address,
        carrier=out.carrier,
        tracking=out.tracking,
        insured_minor=out.insured_minor,
        cards=asked.cards,
    )
    cores.decide(job.id, asked.old_screen, by, now)
    closing = replace(
        job.closing, finished_at=now, warranty_end=until, returned_note=asked.explanation.strip()[:300]
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


def _check_ready(job: JobRecord, model: Model, let_go: str, by: Person, now: datetime, *, keep: bool) -> None:
    """A job goes when it is ready, or when a manager lets it go with a reason (rule handover.ready)."""
    waits = looks.not_ready(job, model, now)
    if not waits:
        return
    if not let_go.strip():
        raise MoveRefused(job.code, fact("handover.be-handed-back"), list(waits))
    demand(by, Deed.LET_PASS)
    reason = rules.check_let_go(let_go)
    if not keep:
        return
    told = [shop.speech().say(one) for one in waits]
    proof_store.add_let_go(job.id, told, reason, by.id, now)
    audit_store.add_audit(by.id, now, "let go early", {"job": job.code, "reason": reason})


def _settle(job: JobRecord, asked: HandBack, by: Person, now: datetime) -> Money:
    """The rest is paid, or what was paid too much goes back (rule handover.paid); the change to give."""
    balance = ledger.balance(job)
    nothing = Money(minor=0, currency=job.currency)
    if balance.back.minor:
        back, how = money.check_payment(balance.back, asked.amount, asked.method)
        ledger.book(job, money.PaidFor.REFUND, back, how.value, by, now)
        return nothing
    if not balance.due.minor:
        return nothing
    if asked.method == money.Method.CARD:
        raise Invalid("method", asked.method, fact("handover.card-by-terminal"))
    due = money.in_coins(balance.due, invoices.invoicing().coin_minor)
    cash = asked.method == money.Method.CASH
    change = money.change_of(due, asked.handed_over) if cash else nothing
    ledger.book_all(job, balance.due, asked.amount, asked.method, by, now)
    return change


def take_deposit(code: str, amount: str, method: str, by: Person, now: datetime) -> None:
    """Take a deposit on an agreed price (rule handover.deposit); with all of it there, the part is held or
    written into the next order. A card is charged first.
    """
    charge_deposit(code, amount, method, secrets.token_hex(12), by, now)
    keep_deposit(code, amount, method, by, now)


def charge_deposit(code: str, amount: str, method: str, reference: str, by: Person, now: datetime) -> None:
    """Charge a deposit that is paid by card; nothing for other ways. Not in a deed."""
    if method == money.Method.CARD:
        doing = fact("handover.take-a-deposit")
        ledger.must_charge(code, amount, money.PaidFor.DEPOSIT, reference, doing, by, now)


@writing
def keep_deposit(code: str, amount: str, method: str, by: Person, now: datetime) -> None:
    """A deposit in cash or by transfer is booked; with all of it there, what follows from it is done."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    if method != money.Method.CARD:
        if not price_may_change(job.stage, job.chosen.price_minor):
            raise MoveRefused(code, fact("handover.take-a-deposit"), [fact("job.it-is", stage=job.stage)])
        ledger.no_charge_open(job)
        paid, how = money.check_deposit(ledger.balance(job).due, amount, method)
        ledger.book(job, money.PaidFor.DEPOSIT, paid, how.value, by, now)
        invoices.issue_deposit(job, paid, how.value, by, now)
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Unrepaired:
    """What was said when a device goes back as it came: what came with it, where it goes, what of a deposit
    goes back by which way, and why the rest is kept.
    """

    returned: Sequence[int]
    explanation: str
    way_back: str = ""
    refund: str = ""
    method: str = ""
    kept_because: str = ""
    # of its form: what goes to a card goes once by it
    reference: str = field(default_factory=lambda: secrets.token_hex(12))


def return_unrepaired(code: str, *, by: Person, now: datetime, **said: Any) -> None:
    """Give the device back as it came, and a deposit with it (rule handover.deposit): what goes back to a
    card goes through the terminal first.
    """
    asked = Unrepaired(**said)
    refund_to_card(code, asked, by, now)
    give_unrepaired(code, asked, by, now)


def refund_to_card(code: str, asked: Unrepaired, by: Person, now: datetime) -> None:
    """What of a deposit goes back by card, through the terminal; nothing for other ways. Not in a deed."""
    if asked.method == money.Method.CARD:
        ledger.refund_now(code, _ask_unrepaired(code, asked, by, now), by, now)


@writing
def _ask_unrepaired(code: str, asked: Unrepaired, by: Person, now: datetime) -> list[str]:
    """Refuse what stands in the way, and keep what is to be asked of the terminal."""
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    if before := ledger.asked_with(job, asked.reference):
        return before
    back, _ = _check_unrepaired(job, asked)
    nothing = Money(minor=0, currency=job.currency)
    why = shop.speech().say(fact("invoice.not-repaired"))
    return ledger.ask_back(job, back, nothing, back, why, asked.reference, by, now)


def _check_unrepaired(job: JobRecord, asked: Unrepaired) -> tuple[Money, Money]:
    """What of a deposit goes back, what went to its card already among it, and what is kept; refuses what
    stands in the way.
    """
    check_start(job.code, job.stage, Move.RETURN)
    rules.check_accessories(store.load_accessories(job.id), asked.returned, asked.explanation)
    rules.check_way_back(job.arrival.channel, asked.way_back)
    ledger.no_charge_open(job)
    had = ledger.balance(job).received + ledger.gone_back(job, asked.reference)
    if not had.minor:
        return had, had
    back, _ = money.check_refund(had, asked.refund, asked.method, asked.kept_because)
    return back, had - back


@writing
def give_unrepaired(code: str, asked: Unrepaired, by: Person, now: datetime) -> None:
    """The device goes, and what of a deposit goes back in cash or by transfer; what went to a card is booked
    already.
    """
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    back, kept = _check_unrepaired(job, asked)
    to_hand = back - ledger.gone_back(job, asked.reference)
    if to_hand.minor and asked.method == money.Method.CARD:
        raise MoveRefused(
            code, fact("handover.be-reversed"), [fact("handover.charge-is", state=money.ChargeState.DECLINED)]
        )
    accessories = store.load_accessories(job.id)
    facts: dict[str, object] = {
        "returned": _names(accessories, asked.returned),
        "explanation": asked.explanation.strip(),
        "way_back": asked.way_back.strip(),
    }
    if to_hand.minor:
        ledger.book(job, money.PaidFor.REFUND, to_hand, asked.method, by, now)
        invoices.issue_credit(job, to_hand, shop.speech().say(fact("invoice.not-repaired")), by, now)
    if kept.minor:
        ledger.book(job, money.PaidFor.KEPT, kept, "", by, now, reason=asked.kept_because)
    if back.minor or kept.minor:
        facts |= {
            "refund_minor": back.minor,
            "currency": back.currency,
            "kept_because": asked.kept_because.strip(),
        }
    store.save_returned([a.id for a in accessories if a.id in asked.returned], now)
    closing = replace(job.closing, finished_at=now, returned_note=asked.explanation.strip()[:300])
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


def print_parcel_label(code: str, by: Person) -> None:
    """Print the label of a parcel that was posted, on the label printer."""
    demand(by, Deed.TAKE_IN)
    label = _parcel_label(code)
    try:
        printed = plugged().label_printer.print_labels([labels_pdf([label])])
    except Away:
        raise Invalid("label", "", fact("handover.label-printed")) from None
    if not printed.count:
        raise Invalid("label", "", fact("handover.label-printed"))


@reading
def _parcel_label(code: str) -> Label:
    job = job_store.load_job(code)
    out = messages_store.handed_out(job.id)
    if out is None or out.how != rules.Collects.POST:
        raise NotFound(fact("handover.not-posted"), code)
    lines = (*out.address.replace(",", "\n").split("\n"), out.carrier)
    return Label(
        number=out.tracking,
        title=job.customer_name,
        lines=tuple(line.strip() for line in lines if line.strip()),
    )


@reading
def handed_out(job: JobRecord) -> messages_store.HandedOutRow | None:
    """Who took a job's device with them."""
    return messages_store.handed_out(job.id)
