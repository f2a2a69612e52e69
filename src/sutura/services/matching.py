"""Choosing the part for a job – or seeing what there is for a model – with the price that follows from it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid, MoveRefused, NotFound, StaleSave
from sutura.core.facts import Say, fact, sentences, to_json
from sutura.core.handover.comebacks import NewPrice, price_now
from sutura.core.handover.warranties import stands_alone, warranty_of
from sutura.core.identify.panel import Panel, PanelSize, size_of
from sutura.core.job import Chosen, EventKind, JobRecord, Move, Original, Stage, starts_of
from sutura.core.matching import wanted as wanted_rules
from sutura.core.matching.comparing import Agreement
from sutura.core.matching.judging import Fit, Judged, Wanted, judge, may_choose
from sutura.core.matching.kits import find_kits
from sutura.core.matching.offers import Offer
from sutura.core.matching.panel import PanelJudged, judge_panel
from sutura.core.matching.ranking import Ranked, Weights, aim_of, one_a_piece, parts_of, rank
from sutura.core.matching.wanted import (
    Confirmed,
    Correction,
    breakable,
    corrections,
    read_measured,
    wanted_of,
)
from sutura.core.maths.money import Money
from sutura.core.people import Deed, demand
from sutura.core.planning.queue import expected_minutes
from sutura.core.quoting.estimating import above, range_of
from sutura.core.quoting.pricing import Quote, Rates, quote
from sutura.core.quoting.routes import Tried, failure_of
from sutura.core.quoting.taxes import taxes_kept
from sutura.core.values import Person
from sutura.formats import edid
from sutura.services import catalogue, comebacks
from sutura.services.job import measured, move, note
from sutura.services.known import (
    ShopNumbers,
    better_for,
    comes_to,
    known_about,
    numbers_for,
    offers_for,
    parts_for_kits,
    sure_of,
)
from sutura.services.planning import factor_of
from sutura.services.shop import shop, speech
from sutura.store import consents as consents_store
from sutura.store import job as job_store
from sutura.store import matching as matching_store
from sutura.store import offers as offers_store
from sutura.store import quoting as quoting_store
from sutura.store import stock as store
from sutura.store.database import reading, writing


@dataclass(frozen=True, slots=True, kw_only=True)
class Matched:
    """One offer in its place, with the price the customer would pay and who has the pieces that are gone."""

    ranked: Ranked
    quote: Quote
    holders: tuple[str, ...]
    # what of its price the customer pays: not all, where it came back
    pays: NewPrice = NewPrice.ALL
    # days of warranty that are promised on it
    warranty_days: int = 0

    @property
    def alone(self) -> Say:
        """What is said where suppliers answer for fewer days than are promised."""
        return stands_alone(self.warranty_days, [part.guarantee_days for part in self.parts])

    @property
    def price(self) -> Money:
        """What the customer would pay."""
        return price_now(self.pays, self.quote.price, self.quote.part, self.quote.work)

    @property
    def judged(self) -> Judged:
        return self.ranked.judged

    @property
    def of_another_model(self) -> bool:
        """Whether it is refused because it is another model's part: listed only when asked for."""
        return self.judged.fit is Fit.NOT and any(
            finding.attribute == "part_family" and finding.agreement is Agreement.DIFFERS
            for finding in self.judged.findings
        )

    @property
    def parts_minor(self) -> int:
        """What the parts cost us: the offer or the members of the kit, and what bridges or completes it."""
        return self.judged.offer.price_minor + sum(extra.price_minor for extra in self.judged.extras)

    @property
    def parts(self) -> tuple[Offer, ...]:
        """Every part that it takes."""
        return parts_of(self.judged)


# of what cannot be chosen a few tell enough; the rest is one click away. The shop's, no source.
SHOWN_OF_THE_OTHERS = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Matching:
    """What there is for a need: offers and kits in one order, those dominated by another apart."""

    wanted: Wanted
    offers: list[Matched]
    weights: Weights
    rates: Rates
    # as many as are judged at once may fit: there can be dearer ones that nobody looked at
    cut: bool

    @property
    def currency(self) -> str:
        return self.rates.currency

    def shown(self, *, every: bool) -> list[Matched]:
        """What a page shows unfolded: all that may be chosen, and a few of the unknown and of the refused, or
        `every` one.
        """
        shown, counts = [], dict.fromkeys(Fit, 0)
        for offer in self.offers:
            fit = offer.judged.fit
            counts[fit] += 1
            if offer.ranked.under or (offer.of_another_model and not every):
                continue
            if every or may_choose(fit) or counts[fit] <= SHOWN_OF_THE_OTHERS:
                shown.append(offer)
        return shown

    @property
    def folded(self) -> list[Matched]:
        return [offer for offer in self.offers if offer.ranked.under]

    def find(self, offer_id: int, members: Sequence[int] = ()) -> Matched | None:
        """The offer, or the kit of these members."""
        return next(
            (
                offer
                for offer in self.offers
                if (offer.judged.members and [m.id for m in offer.judged.members] == list(members))
                or (not offer.judged.members and not members and offer.judged.offer.id == offer_id)
            ),
            None,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class MatchPage:
    job: JobRecord
    model: Model
    matching: Matching
    held: list[store.Held]
    panel: PanelRead | None
    confirmed: list[Confirmed]
    # what originals of this model said otherwise on other jobs
    told: list[Correction]

    @property
    def offers(self) -> list[Matched]:
        return self.matching.offers


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelRead:
    """The panel in the device by its own word, when it was read and by whom."""

    panel: Panel
    size: PanelSize | None
    judged: PanelJudged
    who: str
    at: datetime


def _match(
    model: Model, wanted: Wanted, destroyed: Collection[str], days_left: int | None, numbers: ShopNumbers
) -> Matching:
    """Judge and rank what there is for a need, kits among it."""
    the_shop = numbers.shop
    weights = numbers.weights
    offers, parts = offers_for(wanted), parts_for_kits(wanted)
    known = known_about(wanted, model.id, [*offers, *parts], destroyed)
    judged = [judge(wanted, offer, known) for offer in one_a_piece(offers)] + find_kits(wanted, parts, known)
    kind = str(wanted.need["kind"])
    weighing = numbers.policy.weighing(numbers.worth)
    quotes = [_quote(one, wanted, the_shop.rates, model, numbers.tried) for one in judged]
    aims = [
        aim_of(
            one,
            *comes_to(made, numbers),
            sure_of(kind, one, numbers),
            weights,
            weighing,
            days_left,
            numbers.came_for,
        )
        for one, made in zip(judged, quotes, strict=True)
    ]
    quote_of = {id(one): made for one, made in zip(judged, quotes, strict=True)}
    ranked = rank(judged, weights, wanted.minutes, days_left, numbers.prior, aims)
    gone = [
        ranked_offer.judged.offer.part_id
        for ranked_offer in ranked
        if ranked_offer.judged.offer.free < 1 and may_choose(ranked_offer.judged.fit)
    ]
    holders = store.holders_by_part(gone) if gone else {}
    return Matching(
        wanted=wanted,
        weights=weights,
        rates=the_shop.rates,
        cut=len(offers) >= offers_store.MAY_FIT,
        offers=[
            Matched(
                ranked=ranked_offer,
                quote=quote_of[id(ranked_offer.judged)],
                pays=numbers.pays,
                warranty_days=warranty_of(
                    numbers.terms, [part.grade for part in parts_of(ranked_offer.judged)], model.warranty_days
                ),
                holders=holders.get(ranked_offer.judged.offer.part_id, ()),
            )
            for ranked_offer in ranked
        ],
    )


def _for_job(
    job: JobRecord, model: Model, kind: str, now: datetime, numbers: ShopNumbers | None = None
) -> Matching:
    numbers = numbers or numbers_for(model, now, job)
    wanted = wanted_of(model, kind, job.original.measured, numbers.better)
    days = max((job.promise_at - now).days, 0)
    return _match(model, wanted, job.original.destroyed, days, numbers)


@reading
def match_page(code: str, now: datetime | None = None, kind: str = "") -> MatchPage:
    """What there is for a job, for its own need or that of another route; `now` for what waiting does to the
    promise.
    """
    job = job_store.load_job(code)
    model = catalogue.model(job.model_id, job.model_version)
    return MatchPage(
        job=job,
        model=model,
        matching=_for_job(job, model, kind, now or job.arrival.received_at),
        held=store.held_of(job.id),
        panel=_panel_read(job, model),
        confirmed=wanted_rules.compare_original(wanted_of(model, kind).need, job.original.measured),
        told=corrections(
            model.need, [told for told in matching_store.measured_on(model.id) if told[0] != code]
        ),
    )


@reading
def match_for(
    job: JobRecord | None, model: Model, kind: str, now: datetime, numbers: ShopNumbers
) -> Matching:
    """What there is for one way of a model, for a job or without one; `numbers` are read once for all."""
    if job is None:
        return _match(model, wanted_of(model, kind, better=numbers.better), (), None, numbers)
    return _for_job(job, model, kind, now, numbers)


@reading
def match_model(model_id: str, now: datetime, kind: str = "") -> tuple[Model, Matching]:
    """What there is for a model, without a job: the answer on the phone."""
    model = catalogue.find_model(model_id)
    return model, _match(model, wanted_of(model, kind), (), None, numbers_for(model, now))


def _panel_read(job: JobRecord, model: Model) -> PanelRead | None:
    event = job_store.latest_event(job.id, EventKind.PANEL_READ)
    if event is None:
        return None
    panel = edid.read_edid_text(str(event.facts["edid"]))
    judged = judge_panel(model.need, model.face.active, panel)
    return PanelRead(panel=panel, size=size_of(panel), judged=judged, who=event.who, at=event.at)


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
    judged = judge_panel(model.need, model.face.active, panel)
    facts = {
        "edid": kept,
        "fit": judged.fit.value,
        "says": to_json(judged.says),
        "warnings": to_json(panel.warnings),
    }
    job_store.add_event(
        job_id, EventKind.PANEL_READ, facts, at=now, person_id=by.id, before=stage, after=stage
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PanelShown:
    """A panel read before there is a job: its own word, its size, and how it stands to the model's need."""

    panel: Panel
    size: PanelSize | None
    judged: PanelJudged


def show_panel(model: Model, typed: str) -> PanelShown:
    """What pasted EDID hex says, held against a model's need; refuses what is no EDID."""
    panel = edid.read_edid_text(typed)
    judged = judge_panel(model.need, model.face.active, panel)
    return PanelShown(panel=panel, size=size_of(panel), judged=judged)


def _quote(
    judged: Judged,
    wanted: Wanted,
    rates: Rates,
    model: Model,
    tried: Mapping[str, Tried],
    *,
    rush: bool = False,
) -> Quote:
    """The price to propose: from the route's own time, not from who happens to do it, with the shop's share
    of its failures.
    """
    minutes = expected_minutes(wanted.minutes, None, judged.extra_minutes)
    cost = judged.offer.price_minor + sum(extra.price_minor for extra in judged.extras)
    kind = str(wanted.need["kind"])
    failure = failure_of(
        kind, cost, minutes, rates.bench_rate_minor, tried.get(kind, Tried()), kit=bool(judged.members)
    )
    return quote(
        Money(minor=cost, currency=rates.currency),
        minutes,
        rates,
        device_class=model.device_class,
        failure_minor=failure,
        rush=rush,
    )


def _tries(model: Model, rates: Rates) -> Mapping[str, Tried]:
    """What the shop's tries came to, where its prices count that."""
    return quoting_store.tries_of(model.procedure_family) if rates.policy.risk_bps else {}


# -- choosing -----------------------------------------------------------------------------------


def _part_of(offer_id: int | None) -> str:
    offer = offers_store.load_offer(offer_id) if offer_id else None
    return offer.part if offer else "–"


@writing
def choose_offer(
    code: str,
    offer_id: int,
    by: Person,
    now: datetime,
    *,
    members: Sequence[int] = (),
    agreed: bool = False,
    seen: int | None = None,
    rush: bool = False,
    at: Money | None = None,
) -> None:
    """Choose an offer or a kit and agree its price, with the shop's addition where it is a `rush`, or the
    price that was quoted (`at`); one that needs consent only when the customer agreed to what it says.
    `seen` is the offer that was chosen when the page was made, 0 for none.
    """
    demand(by, Deed.QUOTE)
    job = job_store.lock_job(code)
    if seen is not None:
        _check_seen(job, members[0] if members else offer_id, seen)
    model = catalogue.model(job.model_id, job.model_version)
    offer = offers_store.load_offer(members[0] if members else offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    judged, wanted = _chosen(job, model, offer, members, now)
    if not may_choose(judged.fit):
        raise Invalid("offer", offer.part, fact("matching.choose-one-fits-one", judged=judged.says))
    rates = shop().rates
    price = _quote(judged, wanted, rates, model, _tries(model, rates), rush=rush)
    asked = at or comebacks.price_of(job.id, price.price, price.part, price.work)
    # a price that the customer was quoted and answered needs no word anew
    needed = to_agree(job, judged, asked) if at is None else consent_text(judged)
    _keep_agreed(job, offer, needed, now, agreed=agreed)
    # what the customer was still to answer is overtaken, wherever it is chosen
    quoting_store.supersede_quotes(job.id)
    whole = parts_of(judged)
    chosen = Chosen(
        route=str(wanted.need["kind"]),
        route_minutes=wanted.minutes,
        offer_id=whole[0].id,
        more_offers=[member.id for member in whole[1:]],
        fit=judged.fit.value,
        price_minor=asked.minor,
        tax_bps=rates.tax_bps,
        extra_minutes=judged.extra_minutes,
        taxes=taxes_kept(price.taxes),
        rush=rush,
        part_minor=price.part_shown.minor,
        warranty_days=warranty_of(comebacks.terms_at(now), [one.grade for one in whole], model.warranty_days),
    )
    factor = factor_of(job.bench.technician_id, model)
    minutes = expected_minutes(wanted.minutes, factor, judged.extra_minutes)
    work = measured(
        replace(job, stage=Stage.QUOTED, chosen=chosen), replace(job.bench, expected_minutes=minutes)
    )
    facts = {
        "part": judged.offer.part,
        "supplier": judged.offer.supplier,
        "route": chosen.route,
        "offers": [member.id for member in whole],
        "price_minor": chosen.price_minor,
        "currency": rates.currency,
        "rush": rush,
        "fit": chosen.fit,
        "says": to_json(judged.says),
        # as it was said to the customer
        "agreed": speech().say(needed) if needed else "",
    }
    again = Move.REQUOTE if job.stage is Stage.QUOTED else Move.QUOTE
    move(
        job,
        again,
        EventKind.QUOTED,
        facts,
        chosen,
        work,
        by=by,
        now=now,
        holds={"part_chosen": True, "price_agreed": True},
    )


def _check_seen(job: JobRecord, offer_id: int, seen: int) -> None:
    """Refuse a choice of a page on which another offer was the chosen one."""
    if (job.chosen.offer_id or 0) == seen:
        return
    yours, theirs = _part_of(offer_id), _part_of(job.chosen.offer_id)
    raise StaleSave("This job", "", None, {"part": yours}, {"part": theirs})


def _keep_agreed(job: JobRecord, offer: Offer, needed: Say, now: datetime, *, agreed: bool) -> None:
    """What the customer agrees to with a part, kept with the job; refuses what they did not agree to."""
    if needed and not agreed:
        raise Invalid("agreed", "", fact("matching.customer-must-agree-first", to_agree=needed))
    if needed:
        row = consents_store.ConsentRow(
            consent=f"part-{offer.id}", version=1, text=speech().say(needed), needed=False, active=True
        )
        consents_store.keep_consent(job.id, row, now)


def _chosen(
    job: JobRecord, model: Model, offer: Offer, members: Sequence[int], now: datetime
) -> tuple[Judged, Wanted]:
    """The offer or kit as it is judged now, whatever the page showed when it was opened, and the need it was
    judged by.
    """
    if members:
        # a kit makes the part of the model's own route, whatever its members are
        there = _for_job(job, model, "", now)
        matched = there.find(offer.id, members)
        if matched is None:
            accepts = fact("matching.choose-kit-complete-fits-now-one")
            raise Invalid("offer", offer.part, accepts)
        return matched.judged, there.wanted
    kind = str(offer.known("kind") or "")
    wanted = wanted_of(model, kind, job.original.measured, better_for(job, model))
    return judge(wanted, offer, known_about(wanted, model.id, [offer], job.original.destroyed)), wanted


def to_agree(job: JobRecord | None, judged: Judged, price: Money) -> Say:
    """Everything the customer has to agree to before a part is chosen at a price; empty when nothing."""
    asked = [consent_text(judged), above(range_of(job.arrival.how) if job else None, price)]
    needed = [one for one in asked if one]
    return sentences(needed) if needed else ""


def consent_text(judged: Judged) -> Say:
    """What the customer has to agree to before such a part is used; empty when nothing."""
    if judged.fit is not Fit.CONSENT:
        return ""
    asked = tuple(
        fact("matching.titled", title=finding.title, reason=finding.reason)
        for finding in judged.of(Agreement.CONSENT)
    )
    return fact("matching.i-agree-part-although-differs", asked=asked)


# -- measured on the table ----------------------------------------------------------------------


@writing
def compare_original(
    code: str, typed: Mapping[str, str], destroyed: Sequence[str], by: Person, now: datetime
) -> list[Confirmed]:
    """Keep what was measured or read on the original, and which of its items are broken; it counts before the
    catalogue.
    """
    demand(by, Deed.RESERVE)
    job = job_store.lock_job(code)
    if job.stage not in starts_of(Move.QUOTE, Move.REQUOTE, Move.TAKE_PART):
        raise MoveRefused(code, fact("job.be-measured"), [fact("job.it-is", stage=job.stage)])
    model = catalogue.model(job.model_id, job.model_version)
    measured = read_measured(typed)
    wanted = wanted_of(model)
    known_items = {item for route in model.ways for item in breakable(wanted_of(model, route.kind))}
    strange = [item for item in destroyed if item not in known_items]
    if strange:
        raise Invalid(
            "destroyed", strange[0], fact("matching.choose-among", sorted=tuple(sorted(known_items)))
        )
    confirmed = wanted_rules.compare_original(wanted.need, measured)
    facts = {
        "confirmed": [
            {
                "attribute": hit.attribute,
                "title": to_json(hit.title),
                "measured": hit.measured,
                "says": to_json(hit.says),
            }
            for hit in confirmed
        ],
        "destroyed": list(destroyed),
    }
    original = Original(measured=measured, destroyed=list(destroyed))
    note(job, EventKind.ORIGINAL_MEASURED, facts, original, by=by, now=now)
    return confirmed


@writing
def measure_part(offer_id: int, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Keep what was measured of a part itself; it counts before the supplier's claim, for everyone."""
    demand(by, Deed.RESERVE)
    offer = offers_store.load_offer(offer_id)
    if offer is None:
        raise NotFound("offer", offer_id)
    _keep_measured(offer.part_id, typed, by, now, "part")


@writing
def measure_on_the_shelf(barcode: str, typed: Mapping[str, str], by: Person, now: datetime) -> None:
    """Keep what was measured of a part as it came in, without a job."""
    demand(by, Deed.RESERVE)
    _keep_measured(store.load_part(barcode).id, typed, by, now, "measured")


def _keep_measured(part_id: int, typed: Mapping[str, str], by: Person, now: datetime, form: str) -> None:
    """`form` is what the fields are called by, so that a refusal stands where it was typed."""
    measured = read_measured({name: value for name, value in typed.items() if name != "printed_number"}, form)
    if not measured:
        raise Invalid(form, "nothing", fact("matching.measure-least-one-thing"))
    store.save_measured(
        part_id,
        {name: {"value": value, "who": by.name, "at": now.isoformat()} for name, value in measured.items()},
    )
