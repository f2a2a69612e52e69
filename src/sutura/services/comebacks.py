"""What comes back: found, taken in again, held against the proof of then, decided, counted."""

from __future__ import annotations

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from sutura.core.catalogue.model import Model
from sutura.core.errors import NotFound, StaleSave
from sutura.core.facts import Fact, fact
from sutura.core.handover import comebacks as rules
from sutura.core.handover.comebacks import Cause, Cost, Evidence, Follows, NewPrice, Payer, Seal, Standing
from sutura.core.handover.warranties import USUAL_TERMS, Terms, read_terms, terms_texts, work_days_of
from sutura.core.job import EventKind, JobRecord, Stage
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.quoting.pricing import price_may_change
from sutura.core.stock.orders import Cause as ReturnCause
from sutura.core.stock.orders import ReturnState
from sutura.core.values import FunctionResult, Person
from sutura.services import job as job_service
from sutura.services import returns, schools
from sutura.services.marks import marks_of
from sutura.services.reordering import today
from sutura.services.shop import lock_for, shop, speech
from sutura.store import audit as audit_store
from sutura.store import comebacks as store
from sutura.store import customers as customers_store
from sutura.store import drafts as drafts_store
from sutura.store import intake as intake_store
from sutura.store import job as job_store
from sutura.store import offers as offers_store
from sutura.store import pieces as pieces_store
from sutura.store import quoting as quoting_store
from sutura.store import returns as returns_store
from sutura.store import stock as stock_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading, writing

# the Book counts what came back in so long; the shop's, no source
COUNTED = timedelta(days=365)


def warranty_days(job: JobRecord, at: datetime) -> tuple[int | None, int]:
    """Days of warranty on the part, None where none was chosen, and on the work, by the terms of then."""
    usual = schools.of_job(job).warranty_days
    told = job.chosen.warranty_days
    part = usual if told is None else told
    return part if job.chosen.offer_id else None, work_days_of(terms_at(at), usual)


def warranty_until(job: JobRecord, on: date, now: datetime) -> date:
    """The last day of ours of a job that is handed back on a day."""
    part_days, work_days = warranty_days(job, now)
    standing = rules.standing_of(
        handed_back=on, part_days=part_days, work_days=work_days, part_came=None, supplier_days=None, today=on
    )
    return standing.until or on


@reading
def standing_of(job: JobRecord, now: datetime) -> Standing | None:
    """Which warranties of a job run; None for one that was not handed back."""
    if job.stage is not Stage.HANDED_BACK or job.closing.finished_at is None:
        return None
    finished = job.closing.finished_at
    part_days, work_days = warranty_days(job, finished)
    offers = offers_store.load_offers([job.chosen.offer_id or 0])
    inside = dict(stock_store.fitted_to(job.id))
    came = None
    if offers:
        piece = pieces_store.load_piece(inside.get(offers[0].part_id) or 0)
        came = piece.at.date() if piece else store.part_came(offers[0].part_id, finished)
    return rules.standing_of(
        handed_back=finished.astimezone(ZoneInfo(shop().timezone)).date(),
        part_days=part_days,
        work_days=work_days,
        part_came=came,
        supplier_days=offers[0].guarantee_days if offers else None,
        today=today(now),
    )


@writing
def open_comeback(code: str, by: Person, now: datetime) -> str:
    """An intake for what came back, with what is known of it filled in; its draft."""
    demand(by, Deed.TAKE_IN)
    job = job_store.load_job(code)
    rules.check_comes_back(job.stage is Stage.HANDED_BACK)
    customer = customers_store.load_customer(job.customer_id)
    living = customers_store.living_of(job.customer_id)
    fields: dict[str, Sequence[str]] = {
        "comeback_of": [code],
        "model_id": [job.model_id],
        "read_number": [job.arrival.read_number],
        "serial": [job.arrival.serial],
        "name": [customer.name if customer else job.customer_name],
        "phone": [customer.phone if customer else ""],
        "email": [customer.email if customer else ""],
        "opened_before": ["yes"],
    }
    if living:
        fields["customer_id"] = [str(living.id)]
    draft_id = secrets.token_urlsafe(9)
    drafts_store.save_draft(draft_id, by.id, fields, now)
    return draft_id


def bind(job_id: int, of_code: str, by: Person, now: datetime) -> None:
    """A job that was taken in came back from another. Inside a deed."""
    before = job_store.load_job(of_code)
    rules.check_comes_back(before.stage is Stage.HANDED_BACK)
    store.add_comeback(job_id, before.id, by.id, now)


@dataclass(frozen=True, slots=True, kw_only=True)
class ComebackPage:
    """A comeback beside the job it came back from: what is different, what that suggests, what follows from
    each cause, and what was decided.
    """

    job: JobRecord
    of: JobRecord
    model: Model
    standing: Standing
    evidence: Evidence
    suggested: Cause
    reasons: tuple[Fact, ...]
    follows: Mapping[Cause, Follows]
    decided: Sequence[store.Decided]
    seal: Seal

    @property
    def agree_anew(self) -> bool:
        """Whether the price that is agreed is that of a cause which was taken back."""
        free = self.job.chosen.price_minor == 0 and len(self.decided) > 1
        return free and self.decided[-1].price is not NewPrice.NOTHING


@reading
def comeback_page(code: str, seal: str = "") -> ComebackPage:
    """A comeback as it stands; `seal` is what is said of the seal, empty = as it was decided with, and not
    known before.
    """
    job = job_store.load_job(code)
    return _page(job, seal)


def _page(job: JobRecord, seal: str) -> ComebackPage:
    before = store.came_from(job.id)
    if not before:
        raise NotFound(fact("comeback.comeback"), job.code)
    of = job_store.load_job(before)
    # as it was on the day on which it came back
    standing = standing_of(of, job.arrival.received_at)
    assert standing, "a comeback comes from a job that was handed back"
    model = schools.of_job(job)
    decided = store.causes_of(job.id)
    before_seal = rules.seal_of(decided[-1].evidence) if decided else Seal.UNCLEAR
    said = Seal(seal) if seal in set(Seal) else before_seal
    evidence = Evidence(
        changes=rules.changes_of(
            model.functions, _proof_of(of), intake_store.load_results(job.id).get(0, {})
        ),
        new_marks=rules.new_marks(
            rules.marks_left(marks_of(of), fitted=of.chosen.offer_id is not None), marks_of(job)
        ),
        opened_by_others=rules.opened_by(said),
        liquid=rules.is_wet(job.arrival.look, of.arrival.look),
        not_found_before=_not_found_before(of),
    )
    suggested, reasons = rules.suggest(evidence)
    return ComebackPage(
        job=job,
        of=of,
        model=model,
        standing=standing,
        evidence=evidence,
        suggested=suggested,
        reasons=reasons,
        follows={cause: rules.follows(cause, standing) for cause in Cause},
        decided=decided,
        seal=said,
    )


def _proof_of(job: JobRecord) -> Mapping[str, FunctionResult]:
    """What a job's device did when it was proved the last time."""
    results = intake_store.load_results(job.id)
    return results[max(results)] if results else {}


def _not_found_before(of: JobRecord) -> int:
    """How often in a row nothing was found before, along the chain of comebacks."""
    times, code = 0, of.code
    while code:
        job = job_store.load_job(code)
        causes = store.causes_of(job.id)
        if not causes or causes[-1].cause is not Cause.NOT_FOUND:
            break
        times += 1
        code = store.came_from(job.id)
    return times


@writing
def decide(code: str, cause: str, seal: str, reason: str, by: Person, now: datetime) -> Follows:
    """Decide the cause: kept with its evidence, changed only with a reason; who pays follows from it, and
    what was agreed already is free where it costs nothing (rules comeback.cause, comeback.payer).
    """
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    page = _page(job, seal)
    before = page.decided[-1] if page.decided else None
    chosen = rules.check_decision(cause, page.suggested, before.cause if before else None, reason)
    then = page.follows[chosen]
    store.add_cause(job.id, chosen, then.payer, then.price, page.reasons, reason.strip()[:300], by.id, now)
    facts = {"cause": chosen.value, "payer": then.payer.value, "reason": reason.strip()[:300]}
    job_service.note(job, EventKind.CAUSE, facts, by=by, now=now)
    if before is None or before.price is not then.price:
        # what was offered was at another price
        quoting_store.supersede_quotes(job.id)
    claimed = before is not None and page.follows[before.cause].claim
    if then.claim and not claimed:
        _claim(page, by, now)
    elif claimed and not then.claim:
        _withdraw(code, by, now)
    if then.price is NewPrice.NOTHING and price_may_change(job.stage, job.chosen.price_minor):
        job_service.note(
            job,
            EventKind.PRICE,
            {
                "before_minor": job.chosen.price_minor,
                "after_minor": 0,
                "currency": job.currency,
                "reason": speech().say(then.why),
            },
            replace(job.chosen, price_minor=0),
            by=by,
            now=now,
        )
    return then


def _claim(page: ComebackPage, by: Person, now: datetime) -> None:
    """The supplier is asked for the part that failed: a line of what goes back, with its last day."""
    of = page.of
    offers = {
        offer.part_id: offer
        for offer in offers_store.load_offers([of.chosen.offer_id or 0, *of.chosen.more_offers])
    }
    for part_id, piece_id in stock_store.fitted_to(of.id):
        if part_id not in offers:
            continue
        piece = pieces_store.load_piece(piece_id) if piece_id else None
        supplier_id = (piece.supplier_id if piece else None) or suppliers_store.supplier_of(
            offers[part_id].id
        )
        # it was proved when it was fitted, and counted as good
        suppliers_store.count_failed(supplier_id, 1)
        returns.book_loss(
            of.id,
            part_id,
            supplier_id,
            ReturnCause.WARRANTY,
            stock_store.fitted_cost(of.id, part_id) or 0,
            page.job.code,
            by,
            now,
            piece_id=piece_id,
        )


def _withdraw(code: str, by: Person, now: datetime) -> None:
    """What the supplier was to be asked for, and was not sent yet, is not asked for any more."""
    for row in returns_store.open_returns():
        if row.note == code and row.state is ReturnState.TO_SEND:
            why = speech().say(fact("comeback.not-the-part"))
            suppliers_store.count_failed(row.supplier_id, -1)
            returns_store.save_return(
                row.id, state=ReturnState.BORNE.value, note=f"{row.note}; {why}", closed_at=now
            )
            facts = {"return": row.id, "job": code, "reason": why}
            audit_store.add_audit(by.id, now, "return given up", facts)


@reading
def price_of(job_id: int, whole: Money, part: Money, work: Money) -> Money:
    """What of a price the customer of a comeback pays, by the cause that was decided; all of it for a job
    that did not come back, and while nothing is decided.
    """
    return rules.price_now(pays_of(job_id), whole, part, work)


@reading
def pays_of(job_id: int) -> NewPrice:
    """What of a price the customer of a job pays: all of it where it did not come back, and while nothing is
    decided.
    """
    decided = store.causes_of(job_id)
    return decided[-1].price if decided else NewPrice.ALL


# -- terms, and the Book ----------------------------------------------------------------------------


@writing
def change_terms(typed: Mapping[str, str], seen: int, by: Person, now: datetime) -> None:
    """A new version of the terms, for what is quoted and handed back from now on (rule quote.warranty);
    `seen` is the version that was changed.
    """
    lock_for(by, Deed.SET_UP_COUNTER)
    terms = read_terms(typed)
    newest = next(iter(store.terms_page(1)), None)
    if newest and newest.id != seen:
        theirs = terms_texts(newest.terms)
        raise StaleSave(fact("comeback.terms"), newest.who, newest.at, dict(typed), theirs)
    store.add_terms(terms, by.id, now)
    facts = {"work_days": terms.work_days, "voids": terms.voids, "grades": dict(terms.grades)}
    audit_store.add_audit(by.id, now, "warranty terms changed", facts)


@reading
def terms_at(at: datetime) -> Terms:
    """The terms in force at a moment."""
    row = store.terms_at(at)
    return row.terms if row else USUAL_TERMS


@reading
def newest_terms() -> int:
    """The number of the newest version of the terms; 0 before the first."""
    return next((row.id for row in store.terms_page(1)), 0)


@reading
def terms_page() -> list[store.TermsRow]:
    """The versions of the terms, the newest first."""
    return store.terms_page()


@dataclass(frozen=True, slots=True, kw_only=True)
class BackBook:
    """What came back in the last year, against whom it counts, and what it costs of a hundred jobs."""

    rows: Sequence[store.CameBack]
    cost: Cost
    by_cause: Mapping[str, int]
    by_technician: Mapping[str, int]
    by_part: Mapping[str, int]
    by_model: Mapping[str, int]


@reading
def book_page(by: Person, now: datetime) -> BackBook:
    """What came back, for those who may see cost (rule comeback.counted)."""
    demand(by, Deed.SEE_COST)
    record = shop()
    found = store.book_page(now - COUNTED)
    ours = [one for one in found if one.payer in (Payer.SHOP.value, Payer.SUPPLIER.value)]
    costs = [one.cost_minor + one.bench_minutes * record.bench_rate_minor // 60 for one in ours]
    return BackBook(
        rows=found,
        cost=rules.cost_of(max(store.finished_since(now - COUNTED), len(costs)), costs, record.currency),
        by_cause=_counted([one.cause or "" for one in found]),
        by_technician=_counted([one.technician for one in found if one.cause == Cause.WORKMANSHIP.value]),
        by_part=_counted([f"{one.part}, {one.supplier}" for one in found if one.cause == Cause.PART.value]),
        by_model=_counted([one.model for one in found]),
    )


def _counted(names: Sequence[str]) -> dict[str, int]:
    counts: dict[str, int] = {}
    for name in names:
        counts[name] = counts.get(name, 0) + 1
    return dict(sorted(counts.items(), key=lambda pair: (-pair[1], pair[0])))
