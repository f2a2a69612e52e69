"""Papers: invoices, invoices of deposits, credit notes; numbered once, never changed."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from fractions import Fraction

from sutura.core.errors import MoveRefused, NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.handover import invoicing as rules
from sutura.core.handover import parties
from sutura.core.handover.invoicing import Deposit, Fitted, Invoice, InvoiceKind, PaidBy, Party
from sutura.core.handover.ledger import MONEY_IN, Paid, PaidFor
from sutura.core.job import EventKind, JobRecord
from sutura.core.matching.offers import Offer
from sutura.core.maths.money import Money, split
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import quote
from sutura.core.quoting.taxes import taxes_from
from sutura.core.values import Person
from sutura.services import schools
from sutura.services.job import note
from sutura.services.reordering import today
from sutura.services.shop import lock_for, shop, speech, speech_for
from sutura.store import audit as audit_store
from sutura.store import customers as customers_store
from sutura.store import invoices as store
from sutura.store import job as job_store
from sutura.store import ledger as ledger_store
from sutura.store import offers as offers_store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing

MOST = 50
_NUMBER = re.compile(r"(C?)(\d{4})-(\d{5,9})")


@reading
def paper(number: str) -> store.Kept:
    """A paper by its number; one that was not given out is not found."""
    read = _NUMBER.fullmatch(number.strip().upper())
    if read is None:
        raise NotFound("invoice", number[:40])
    return store.load_invoice(read[1], int(read[2]), int(read[3]))


@reading
def papers_of(job: JobRecord) -> list[store.Kept]:
    """The papers of a job, in their order."""
    return store.invoices_of(job.id)


@reading
def papers_page(year: int, before: int, by: Person) -> list[store.Kept]:
    """The papers of a year, the newest first."""
    demand(by, Deed.SEE_COST)
    return store.papers_page(year, before, MOST)


@reading
def are_ahead(papers: Sequence[store.Kept], now: datetime) -> list[bool]:
    """Whether each bears a day that was not come when it was written; papers of a list, the last written
    first (rule invoice.day).
    """
    if not papers:
        return []
    keeping = shop_store.load_keeping()
    after = store.earliest_after(papers[0].id)
    return rules.are_ahead([one.paper.issued for one in papers], keeping.day(min(after or now, now)))


@reading
def all_of(year: int, by: Person) -> list[store.Kept]:
    """Every paper of a year, in the order in which they were written."""
    demand(by, Deed.SEE_COST)
    return store.all_of(year)


@reading
def stands(kept: store.Kept) -> bool:
    """Whether an invoice still stands: no credit note, and no other took it back whole."""
    return kept.paper.kind is not InvoiceKind.CREDIT and kept.id in {
        one.id for one in _standing_of(store.invoices_of(kept.job_id))
    }


def issue(job: JobRecord, means: str, by: Person, now: datetime) -> str:
    """The invoice of a finished job: parts and work, less what has an invoice already (rule invoice.deposit);
    its number. Inside a deed, after what is owed was paid. Nothing where it costs nothing.
    """
    rows = _rows(job)
    credited = sum(row.amount_minor for row in rows if row.kind is PaidFor.CREDIT)
    price = Money(minor=(job.chosen.price_minor or 0) - credited, currency=job.currency)
    standing = sum(one.total_minor for one in _deposits(job))
    if standing > max(price.minor, 0):
        over = Money(minor=standing - max(price.minor, 0), currency=job.currency)
        issue_credit(job, over, speech().say(fact("invoice.price-fell")), by, now)
    if price.minor <= 0:
        return ""
    deposits = _deposits(job)
    paid = _paid_after(rows, sum(one.total_minor for one in deposits), now)
    coins = sum(row.amount_minor for row in rows if row.kind is PaidFor.ROUNDING)
    made = _made(job, price, InvoiceKind.INVOICE, means, now, deposits)
    whole = replace(
        made,
        paid=paid,
        prepaid_minor=sum(one.minor for one in paid),
        rounding_minor=made.rounding_minor - coins,
        supplied=made.issued,
    )
    return _keep(job, whole, by, now)


def _paid_after(rows: Sequence[Paid], invoiced_minor: int, now: datetime) -> tuple[PaidBy, ...]:
    """The payments that a last invoice settles: all but what the invoices of deposits hold already, which
    came first.
    """
    paid, before = [], invoiced_minor
    for row in rows:
        if row.kind not in (*MONEY_IN, PaidFor.REFUND):
            continue
        minor = -row.amount_minor if row.kind is PaidFor.REFUND else row.amount_minor
        held = min(before, minor) if minor > 0 else 0
        before -= held
        if minor != held:
            paid.append(PaidBy(method=row.method, minor=minor - held, on=today(row.at or now)))
    return tuple(paid)


def _rows(job: JobRecord) -> list[Paid]:
    return ledger_store.load_payments(job.id)


def _deposits(job: JobRecord) -> list[Deposit]:
    """What still stands of the invoices of a job's deposits."""
    kept, said = store.invoices_of(job.id), speech_for(job.id, speech())
    deposits = []
    for one in kept:
        if one.paper.kind is not InvoiceKind.DEPOSIT:
            continue
        taxes, total = rules.standing_of(one.paper, _credits(one, kept))
        if total > 0:
            text = said.say(fact("invoice.deposit-less", number=one.paper.number))
            deposits.append(Deposit(number=one.paper.number, text=text, taxes=taxes, total_minor=total))
    return deposits


def _credits(one: store.Kept, kept: Sequence[store.Kept]) -> list[Invoice]:
    """The credit notes of a paper."""
    return [note.paper for note in kept if note.corrects_id == one.id]


def issue_deposit(job: JobRecord, deposit: Money, means: str, by: Person, now: datetime) -> str:
    """The invoice of a deposit that was taken. Inside a deed."""
    made = _made(job, deposit, InvoiceKind.DEPOSIT, means, now)
    paid = PaidBy(method=means, minor=deposit.minor, on=made.issued)
    return _keep(job, replace(made, paid=(paid,), prepaid_minor=deposit.minor), by, now)


def issue_credit(job: JobRecord, credit: Money, why: str, by: Person, now: datetime) -> list[str]:
    """The credit notes for a part of what a job's invoices come to, the last one first; none where it has
    none. Inside a deed.
    """
    kept, left, numbers = store.invoices_of(job.id), credit.minor, []
    for one in reversed(_standing_of(kept)):
        before = _credits(one, kept)
        _, stands_for = rules.standing_of(one.paper, before)
        part = Money(minor=min(left, stands_for), currency=credit.currency)
        if part.minor > 0:
            made = rules.credit_of(one.paper, "", today(now), why[:300], part, invoicing().mode, before)
            numbers.append(_keep(job, made, by, now, corrects=one.id))
            left -= part.minor
    return numbers


def _standing(job: JobRecord) -> list[store.Kept]:
    """The invoices of a job that no credit note took back whole."""
    return _standing_of(store.invoices_of(job.id))


def _standing_of(kept: Sequence[store.Kept]) -> list[store.Kept]:
    return [
        one
        for one in kept
        if one.paper.kind is not InvoiceKind.CREDIT
        and (not (notes := _credits(one, kept)) or rules.standing_of(one.paper, notes)[1] > 0)
    ]


def invoicing() -> parties.Invoicing:
    """What the shop writes on its papers, and its smallest coin."""
    record = shop()
    return parties.invoicing_from(record.invoicing, record.name, record.address)


def _made(
    job: JobRecord,
    price: Money,
    kind: InvoiceKind,
    means: str,
    now: datetime,
    deposits: Sequence[Deposit] = (),
) -> Invoice:
    """A paper without its number."""
    said, papers = speech_for(job.id, speech()), invoicing()
    model = schools.of_job(job)
    taxes = taxes_from(job.chosen.taxes, job.chosen.tax_bps or 0)
    shares = [(share.bps, share.weight) for share in taxes.shares]
    if kind is InvoiceKind.DEPOSIT:
        items = [
            rules.Item(
                text=said.say(fact("invoice.deposit", model=model.full_name)), note="", weight=w, bps=b
            )
            for b, w in shares
        ]
    else:
        work = said.say(fact("invoice.work", model=model.full_name, route=model.way(job.chosen.route).name))
        items = rules.items_of(price, shares, _fitted(job, price), work)
    whole = rules.sums_of(price, items, papers.mode, by_line=taxes.by_line)
    sums = rules.less_deposits(price, whole, deposits, papers.mode)
    customer = customers_store.load_customer(job.customer_id)
    return Invoice(
        number="",
        kind=kind,
        issued=today(now),
        currency=job.currency,
        seller=papers.seller,
        buyer=Party(
            name=customer.name if customer else job.customer_name,
            street=str(job.arrival.how.get("return_address") or "")[:120],
            country=papers.seller.country,
        ),
        lines=sums.lines,
        taxes=sums.taxes,
        reference=job.code,
        means=means,
        iban=papers.iban,
        settles=tuple(deposit.number for deposit in deposits),
        rounding_minor=sums.rounding_minor,
    )


def _fitted(job: JobRecord, price: Money) -> list[Fitted]:
    """The parts of a job with their grade, at what of a price is for them: as it was shown with it, and of a
    price that fell its share.
    """
    said, offers = speech_for(job.id, speech()), _offers_of(job)
    whole, agreed = _parts_minor(job, offers), job.chosen.price_minor or 0
    share = min(Fraction(price.minor, agreed), Fraction(1)) if agreed else Fraction(1)
    asked = [offer.price_minor for offer in offers]
    worths = (
        split(
            Money(minor=round(whole * share), currency=price.currency),
            asked if any(asked) else [1] * len(asked),
        )
        if offers
        else []
    )
    return [
        Fitted(
            name=said.say(offer.part),
            note=said.say(fact("invoice.part", grade=offer.grade or fact("handover.grade-unknown"))),
            worth_minor=worth.minor,
        )
        for offer, worth in zip(offers, worths, strict=True)
    ]


def _offers_of(job: JobRecord) -> list[Offer]:
    return offers_store.load_offers([job.chosen.offer_id or 0, *job.chosen.more_offers])


def _parts_minor(job: JobRecord, offers: Sequence[Offer]) -> int:
    """What of the agreed price is for the parts; of a job of before that is known, their price with markup
    and tax.
    """
    if job.chosen.part_minor is not None:
        return job.chosen.part_minor
    rates = shop().rates
    return sum(
        quote(Money(minor=offer.price_minor, currency=job.currency), 0, rates).part_shown.minor
        for offer in offers
    )


def _keep(job: JobRecord, made: Invoice, by: Person, now: datetime, *, corrects: int | None = None) -> str:
    """Give a paper its number and keep it (rule invoice.numbers)."""
    series, year = rules.series_of(made.kind), made.issued.year
    number = store.next_number(series, year)
    numbered = replace(made, number=rules.number_of(made.kind, year, number))
    store.add_invoice(job.id, numbered, series, number, by.id, now, corrects)
    facts = {"number": numbered.number, "kind": made.kind.value, "refers_to": made.refers_to}
    note(job, EventKind.PAPER, facts, by=by, now=now)
    return numbered.number


@writing
def correct(number: str, typed: Mapping[str, str], reason: str, by: Person, now: datetime) -> str:
    """Take an invoice back by a credit note, and write a new one for whoever really bought; its number."""
    demand(by, Deed.SETTLE)
    wrong = paper(number)
    job = job_store.lock_job(wrong.code)
    if wrong.id not in {one.id for one in _standing(job)}:
        raise MoveRefused(number, fact("invoice.be-corrected"), [fact("invoice.taken-back")])
    if any(one.corrects_id == wrong.id for one in store.invoices_of(job.id)):
        raise MoveRefused(number, fact("invoice.be-corrected"), [fact("invoice.credited-in-part")])
    buyer = parties.read_buyer(typed, reason)
    issued = today(now)
    credit = rules.credit_of(wrong.paper, "", issued, reason.strip())
    _keep(job, credit, by, now, corrects=wrong.id)
    return _keep(job, rules.anew(wrong.paper, issued, buyer), by, now)


@writing
def change_invoicing(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change what stands on papers; those that have their number stay as they are."""
    before = lock_for(by, Deed.SET_UP_COUNTER)
    read = parties.read_invoicing(typed)
    kept = parties.invoicing_kept(read)
    if before.version != version:
        was = parties.invoicing_kept(parties.invoicing_from(before.invoicing, before.name, before.address))
        raise StaleSave(
            fact("invoice.the-papers"),
            "another manager",
            None,
            {name: str(value) for name, value in kept.items()},
            {name: str(value) for name, value in was.items()},
        )
    shop_store.save_shop(invoicing=kept)
    audit_store.add_audit(by.id, now, "papers changed", {"before": dict(before.invoicing), "after": kept})
