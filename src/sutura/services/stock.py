"""Taking a part off the shelf for a job, giving it back, receiving and counting."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime
from functools import partial

from sutura.core.errors import Invalid, NotFound
from sutura.core.facts import fact
from sutura.core.job import EventKind, JobRecord, Move, Stage, check_move
from sutura.core.matching.offers import Offer
from sutura.core.people import Deed, demand
from sutura.core.stock import levels as rules
from sutura.core.stock import orders as orders_rules
from sutura.core.stock.levels import MoveKind
from sutura.core.typed import Problems, read_amount, read_text, read_whole
from sutura.core.values import Person
from sutura.services import schools
from sutura.services.job import gather_facts, measured, move
from sutura.services.pieces import choose_piece, pieces_to_miss, receive_pieces
from sutura.services.reordering import today
from sutura.services.shop import shop
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import pieces as pieces_store
from sutura.store import stock as store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing


@writing
def take_part(code: str, by: Person, now: datetime, told: Mapping[str, str] | None = None) -> None:
    """Hold the chosen part for this job. The job is locked first, then the part: two cannot get the last
    one. `told` goes into the job's history with it.
    """
    demand(by, Deed.RESERVE)
    job = job_store.lock_job(code)
    held = store.held_of(job.id)
    if job.stage is not Stage.QUOTED and not held:
        model = schools.of_job(job)
        check_move(gather_facts(job, model), Move.TAKE_PART)
    offers = _chosen_offers(job)
    # always in the same order, so that two jobs cannot each wait for the other's part
    for part_id in sorted({offer.part_id for offer in offers}):
        level = store.lock_level(part_id)
        rules.check_reserve(level, code, held[0].part if held else "")
        store.add_reservation(part_id, job.id, by.id, now, choose_piece(part_id, now))
    facts = {"parts": [offer.part for offer in offers], **(told or {})}
    move(job, Move.TAKE_PART, EventKind.PART_HELD, facts, measured(job, job.bench), by=by, now=now)


def _chosen_offers(job: JobRecord) -> list[Offer]:
    numbers = [job.chosen.offer_id, *job.chosen.more_offers] if job.chosen.offer_id else []
    offers = offers_store.load_offers(numbers)
    if len(offers) != 1 + len(job.chosen.more_offers):
        raise NotFound(fact("stock.chosen-part-job"), job.code)
    return offers


@reading
def promised_elsewhere(code: str) -> list[orders_rules.Holding]:
    """The jobs that hold a part which this one needs and whose bench work has not begun, the one promised
    last first: from them it may be taken over.
    """
    job = job_store.load_job(code)
    if not job.chosen.offer_id:
        return []
    codes = {holder for offer in _chosen_offers(job) for holder in store.holders_of(offer.part_id)} - {code}
    others = [job_store.load_job(other) for other in codes]
    holdings = [
        orders_rules.Holding(code=other.code, promise_at=other.promise_at)
        for other in others
        if other.stage is Stage.PART_IN_HAND
    ]
    return sorted(holdings, key=lambda holding: holding.promise_at, reverse=True)


@writing
def take_over(code: str, other: str, reason: str, by: Person, now: datetime) -> None:
    """Take a part that is promised to another job, whose bench work has not begun: a decision with its
    reason, told in both jobs (rule stock.take-over). The other one waits for a part again.
    """
    demand(by, Deed.ASSIGN)
    problems = Problems("Taking it over")
    why = problems.read("reason", reason, partial(read_text, most=200, least=1)) or ""
    if other not in {holding.code for holding in promised_elsewhere(code)}:
        problems.add("other", other, fact("stock.choose-a-job-that-holds-it"))
    problems.refuse()
    jobs = {each: job_store.lock_job(each) for each in sorted((code, other))}
    held = store.held_of(jobs[other].id)
    facts = {"parts": [held_part.part for held_part in held], "taken_for": code, "reason": why}
    move(jobs[other], Move.GIVE_BACK_PART, EventKind.PART_GIVEN_BACK, facts, by=by, now=now)
    for held_part in held:
        store.save_reservation(held_part.id, "released")
    take_part(code, by, now, {"taken_from": other, "reason": why})


@writing
def give_back_part(code: str, by: Person, now: datetime) -> None:
    """Release the held part: it is free for others at once."""
    demand(by, Deed.RESERVE)
    job = job_store.lock_job(code)
    held = store.held_of(job.id)
    facts = {"parts": [held_part.part for held_part in held]}
    move(job, Move.GIVE_BACK_PART, EventKind.PART_GIVEN_BACK, facts, by=by, now=now)
    for held_part in held:
        store.save_reservation(held_part.id, "released")


# nobody receives or counts more of one part; the shop's, no source
MOST_PIECES = 10_000


@writing
def receive(
    barcode: str,
    quantity: str,
    unit_cost: str,
    note: str,
    by: Person,
    now: datetime,
    *,
    supplier_id: str = "",
    lot: str = "",
) -> None:
    """Put received pieces on the shelf, at what they cost; whose they were and of what lot, where it is
    known.
    """
    demand(by, Deed.RECEIVE)
    problems = Problems("The delivery")
    number = problems.read("quantity", quantity, _read_pieces) or 0
    cost = None
    if unit_cost.strip():
        cost = problems.read("unit_cost", unit_cost, partial(read_amount, currency=shop().currency))
    seller = suppliers_store.load_supplier(supplier_id) if supplier_id else None
    if supplier_id and seller is None:
        problems.add("supplier", supplier_id, fact("stock.choose-a-supplier"))
    batch = problems.read("lot", lot, partial(read_text, most=40)) or ""
    problems.refuse()
    part = store.load_part(barcode)
    rules.check_stock_move(store.lock_level(part.id), number, MoveKind.RECEIPT)
    receive_pieces(
        part.id,
        number,
        cost,
        note,
        by,
        now,
        supplier_id=seller.id if seller else None,
        lot=batch,
        return_by=_last_day(seller.id, now) if seller else None,
    )


def _last_day(supplier_id: str, now: datetime) -> date:
    terms = suppliers_store.load_terms(supplier_id)
    return orders_rules.last_day(today(now), terms.return_days)


@writing
def correct_count(barcode: str, counted: str, note: str, by: Person, now: datetime) -> tuple[str, ...]:
    """Set the shelf right after counting: the difference becomes a ledger entry with its reason. Says which
    jobs lose their piece by it.
    """
    demand(by, Deed.RECEIVE)
    problems = Problems("The count")
    pieces = problems.read("counted", counted, _read_pieces) or 0
    problems.refuse()
    if not note.strip():
        raise Invalid("note", "", fact("stock.write-why-count-differs"))
    part = store.load_part(barcode)
    if pieces == part.on_hand:
        raise Invalid(
            "counted", counted, fact("stock.ledger-says-already-nothing-correct", on_hand=part.on_hand)
        )
    return set_count(part.id, pieces - part.on_hand, part.on_hand, note, by, now)


@writing
def move_part(barcode: str, place: str, by: Person, now: datetime) -> None:
    """Its pieces lie in another place now; of a dear part, those that come lie there, and each that is here
    is moved by its own label.
    """
    demand(by, Deed.RESERVE)
    problems = Problems("The place")
    where = problems.read("place", place, partial(read_text, most=40, least=1)) or ""
    problems.refuse()
    part = store.load_part(barcode)
    store.lock_level(part.id)
    part = store.load_part(barcode)
    if where != part.bin:
        store.move_part(part.id, part.bin, where, by.id, now)


@writing
def set_count(
    part_id: int, difference: int, seen: int | None, note: str, by: Person, now: datetime
) -> tuple[str, ...]:
    """Write a counted difference into the ledger. Where fewer are left than are promised, the jobs promised
    last give their piece back and are told (rule stock.count-as-it-is); their codes. `seen` is what was on
    hand when it was counted, None where what moved since does not matter.
    """
    # jobs before parts, as everywhere; who takes one meanwhile is not among them
    jobs = {code: job_store.lock_job(code) for code in sorted(store.holders_of(part_id))}
    level = store.lock_level(part_id)
    if set(level.holders) - set(jobs) or (seen is not None and level.on_hand != seen):
        raise Invalid("counted", level.on_hand + difference, fact("stock.somebody-took-one-meanwhile"))
    holdings = [
        orders_rules.Holding(
            code=code, promise_at=jobs[code].promise_at, on_bench=jobs[code].stage is not Stage.PART_IN_HAND
        )
        for code in level.holders
    ]
    losing = orders_rules.broken_promises(holdings, level.on_hand + difference)
    for code in losing:
        _lose_part(jobs[code], level.part, by, now)
    rules.check_stock_move(store.lock_level(part_id), difference, MoveKind.COUNT)
    store.adopt_part(part_id)
    for quantity, piece_id in _counted(part_id, difference, now):
        store.add_stock_move(
            part=part_id,
            quantity=quantity,
            kind=MoveKind.COUNT.value,
            job=None,
            unit_cost_minor=None,
            note=note.strip()[:200],
            person=by.id,
            at=now,
            piece_id=piece_id,
        )
    return losing


def _counted(part_id: int, difference: int, now: datetime) -> list[tuple[int, int | None]]:
    """The lines of the ledger that a counted difference makes: of a dear part one for each piece that is
    missing (rule stock.missed), or that was missed before and is there again.
    """
    if difference < 0:
        missed = pieces_to_miss(part_id, -difference, now)
        return [(-1, piece_id) for piece_id in missed] or [(difference, None)]
    again = pieces_store.lost_by_count(part_id, difference)
    rest = difference - len(again)
    return [*[(1, piece_id) for piece_id in again], *([(rest, None)] if rest else [])]


def _lose_part(job: JobRecord, part: str, by: Person, now: datetime) -> None:
    held = store.held_of(job.id)
    facts = {"parts": [held_part.part for held_part in held], "missing": part}
    move(job, Move.GIVE_BACK_PART, EventKind.PART_GIVEN_BACK, facts, by=by, now=now)
    for held_part in held:
        store.save_reservation(held_part.id, "released")


def _read_pieces(text: str) -> int:
    return read_whole(text, MOST_PIECES)
