"""Handing back: accessories, payment, warranty, or the unrepaired return."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, datetime

from sutura.core import handover as rules
from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import fact
from sutura.core.job import EventKind, JobRecord, Move
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.values import Person
from sutura.services import cores, schools
from sutura.services.job import move
from sutura.store import handover as store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
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
    owed = Money(minor=job.chosen.price_minor, currency=job.currency)
    until = rules.warranty_end(today, model.warranty_days)
    if job.stage.value == "closed":
        paid, how = rules.check_payment(owed, amount, method)
        store.add_payment(job.id, paid.minor, paid.currency, how.value, by.id, now)
    store.save_returned([a.id for a in accessories if a.id in returned], now)
    facts = {
        "returned": _names(accessories, returned),
        "paid_minor": owed.minor,
        "currency": owed.currency,
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
    facts = {"reason": reason.strip()}
    move(job, Move.DECLINE, EventKind.DECLINED, facts, by=by, now=now, holds={"reason_given": True})
    for held_part in held:
        stock_store.save_reservation(held_part.id, "released")


@writing
def return_unrepaired(
    code: str, *, returned: Sequence[int], explanation: str, by: Person, now: datetime, way_back: str = ""
) -> None:
    demand(by, Deed.TAKE_IN)
    job = job_store.lock_job(code)
    accessories = store.load_accessories(job.id)
    rules.check_accessories(accessories, returned, explanation)
    rules.check_way_back(job.arrival.channel, way_back)
    store.save_returned([a.id for a in accessories if a.id in returned], now)
    facts = {
        "returned": _names(accessories, returned),
        "explanation": explanation.strip(),
        "way_back": way_back.strip(),
    }
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
