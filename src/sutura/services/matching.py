"""Choosing the part for a job, with the price that follows from it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sutura.core import matching as rules
from sutura.core.catalogue import Model
from sutura.core.errors import Invalid, NotFound
from sutura.core.identify import Panel, PanelSize, size_of
from sutura.core.intake import PartSeen
from sutura.core.job import JobRecord, Move, Stage
from sutura.core.matching import Judged, PanelJudged
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.planning import expected_minutes
from sutura.core.quoting import Quote, Rates, quote
from sutura.core.values import Person
from sutura.formats import edid
from sutura.services import catalogue
from sutura.services.job import move
from sutura.services.planning import factor_of
from sutura.services.quoting import shop
from sutura.store import job as job_store
from sutura.store import stock as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class Matched:
    """One offer judged for a job, with the price the customer would pay."""

    judged: Judged
    quote: Quote
    holders: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class MatchPage:
    job: JobRecord
    model: Model
    offers: list[Matched]
    held: store.Held | None
    panel: PanelRead | None


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelRead:
    """The panel in the device by its own word, when it was read and by whom."""

    panel: Panel
    size: PanelSize | None
    judged: PanelJudged
    who: str
    at: datetime


@reading
def match_page(code: str) -> MatchPage:
    job = job_store.load_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    rates = shop().rates
    judged = rules.rank(
        [
            rules.judge(model.need, model.move_over, offer)
            for offer in store.offers_page(str(model.need["kind"]))
        ],
        rates.bench_rate_minor,
    )
    gone = [one.offer.part_id for one in judged if one.offer.free < 1 and rules.may_choose(one.fit)]
    holders = store.holders_by_part(gone) if gone else {}
    offers = [
        Matched(
            judged=one, quote=_quote(one, model, rates), holders=holders.get(one.offer.part_id, ()),
        )
        for one in judged
    ]  # fmt: skip
    return MatchPage(
        job=job, model=model, offers=offers, held=store.load_held(job.id), panel=_panel_read(job, model)
    )


def _panel_read(job: JobRecord, model: Model) -> PanelRead | None:
    found = job_store.latest_event(job.id, "panel read")
    if found is None:
        return None
    panel = edid.read_edid_text(str(found.detail["edid"]))
    judged = rules.judge_panel(model.need, model.face.active, panel)
    return PanelRead(panel=panel, size=size_of(panel), judged=judged, who=found.who, at=found.at)


@writing
def read_panel(code: str, typed: str, file: bytes, by: Person, now: datetime) -> None:
    """Read the EDID of the panel in a device, hold it against the model's need, and keep it with the job."""
    demand(by, Deed.RESERVE)
    job = job_store.lock_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    keep_panel(job.id, job.stage, model, file.hex() if file else edid.hex_of(typed), by, now)


def keep_panel(job_id: int, stage: Stage, model: Model, kept: str, by: Person, now: datetime) -> None:
    """Write down with a job what the panel in it says of itself, as hex, and how that stands to the need."""
    panel = edid.read_edid_text(kept)
    judged = rules.judge_panel(model.need, model.face.active, panel)
    job_store.add_event(
        job_id, at=now, person_id=by.id, kind="panel read", before=stage, after=stage, detail={"edid": kept},
        says=" ".join([judged.says, *(f"Warning: {one}." for one in panel.warnings)]),
    )  # fmt: skip


@reading
def soonest_part(model: Model) -> PartSeen | None:
    """The part for a model that may be chosen and is here soonest; None when none is known."""
    found = [
        offer
        for offer in store.offers_page(str(model.need["kind"]))
        if rules.may_choose(rules.judge(model.need, model.move_over, offer).fit)
    ]
    if not found:
        return None
    best = min(found, key=lambda offer: (offer.free < 1, offer.lead_days, offer.id))
    return PartSeen(part=best.part, free=max(best.free, 0), lead_days=best.lead_days)


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelShown:
    """A panel read before there is a job: its own word, its size, and how it stands to the model's need."""

    panel: Panel
    size: PanelSize | None
    judged: PanelJudged


def show_panel(model: Model, typed: str) -> PanelShown:
    """What pasted EDID hex says, held against a model's need; refuses what is no EDID."""
    panel = edid.read_edid_text(typed)
    judged = rules.judge_panel(model.need, model.face.active, panel)
    return PanelShown(panel=panel, size=size_of(panel), judged=judged)


def _quote(judged: Judged, model: Model, rates: Rates) -> Quote:
    """The price to propose: from the sheet's own time, not from who happens to do it."""
    minutes = expected_minutes(model.minutes, None, judged.extra_minutes)
    return quote(Money(minor=judged.offer.price_minor, currency=rates.currency), minutes, rates)


@writing
def choose_offer(code: str, offer_id: int, by: Person, now: datetime) -> None:
    """Choose an offer and agree its price; only one that fits, or fits with its bridge."""
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    offer = store.load_offer(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    judged = rules.judge(model.need, model.move_over, offer)
    if not rules.may_choose(judged.fit):
        raise Invalid("offer", offer.part, f"choose one that fits. This one: {judged.says}")
    rates = shop().rates
    price = _quote(judged, model, rates)
    move(
        job, Move.REQUOTE if job.stage is Stage.QUOTED else Move.QUOTE, by=by, now=now, kind="quoted",
        says=f"{offer.part} from {offer.supplier} chosen at {price.price}. {judged.says}",
        facts={"part_chosen": True, "price_agreed": True}, offer=offer.id, fit=judged.fit.value,
        price_minor=price.price.minor, tax_bps=rates.tax_bps, extra_minutes=judged.extra_minutes,
        expected_minutes=expected_minutes(model.minutes, factor_of(job.technician_id, model), judged.extra_minutes),
        detail={"offer": offer.id, "price_minor": price.price.minor, "fit": judged.fit.value},
    )  # fmt: skip
