"""What to order today, from whom, and why: every part of the shelf with its advice."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

from sutura.core.facts import Say, fact
from sutura.core.stock import consolidating, reordering
from sutura.core.stock import demand as demands
from sutura.core.stock import orders as rules
from sutura.core.stock import pieces as pieces_rules
from sutura.core.stock.orders import OrderState, ReturnState
from sutura.services.consumables import ConsumablePage, to_see_to
from sutura.store import orders as store
from sutura.store import pieces as pieces_store
from sutura.store import returns as returns_store
from sutura.store import shop as shop_store
from sutura.store import suppliers as suppliers_store
from sutura.store.database import reading

YEAR = timedelta(weeks=demands.WEEKS)
# what nobody lists a time for takes a week; common practice, no source
USUAL_DAYS = 7


@dataclass(frozen=True, slots=True, kw_only=True)
class PartAdvice:
    """A part of the shelf with what is to be ordered of it, from whom, and why."""

    part: store.ShelfPart
    demand: demands.Demand
    lead: reordering.LeadTime
    offer: store.BestOffer | None
    advice: reordering.Advice | None
    unused: int
    # in the last 52 weeks
    used: int

    @property
    def free(self) -> int:
        return self.part.on_hand - self.part.held

    @property
    def yearly(self) -> str:
        """Uses a year to expect, as a person says it."""
        return f"{self.demand.per_year:.0f}" if self.demand.per_year >= 10 else f"{self.demand.per_year:.1f}"

    @property
    def fill_percent(self) -> float:
        return self.advice.fill * 100 if self.advice else 0.0

    @property
    def order(self) -> int:
        return self.advice.order if self.advice else 0

    @property
    def price_minor(self) -> int:
        """What the pieces to order cost."""
        return _cost(self.offer, self.order) if self.offer else 0

    @property
    def why(self) -> Say:
        """The sentence: what for, and how sure one runs out with the order and without it."""
        if self.advice is None:
            return fact("orders.nobody-offers-it")
        advice = self.advice
        chances = {
            "order": advice.order,
            "days": round(advice.days),
            "without": reordering.percent_of(advice.out_without),
            "having": reordering.percent_of(advice.out_with),
        }
        if advice.order == 0:
            return fact("orders.enough", days=chances["days"], chance=chances["without"])
        if advice.for_jobs:
            jobs = fact("orders.for-jobs", count=advice.for_jobs)
            if advice.order == advice.for_jobs:
                return jobs
            return fact("orders.jobs-and-shelf", jobs=jobs, **chances)
        return fact("orders.order-now", **chances)


def buying_of(offer: store.BestOffer) -> reordering.Buying:
    breaks = {int(pieces): int(minor) for pieces, minor in offer.price_breaks}
    return reordering.Buying(
        price_minor=offer.price_minor, breaks=breaks, least=max(offer.minimum, 1), pack=max(offer.pack, 1)
    )


# the same figures give the same advice: kept, so that a look at the Shelf works out only what changed
_estimate = lru_cache(maxsize=20_000)(demands.estimate)
_never_used = lru_cache(maxsize=20_000)(demands.never_used)


@lru_cache(maxsize=20_000)
def _advise(
    position: reordering.Position,
    demand: demands.Demand,
    lead: reordering.LeadTime,
    keeping: reordering.Keeping,
    sold: tuple[int, tuple[tuple[int, int], ...], int, int],
    target: float,
) -> reordering.Advice:
    price_minor, breaks, least, pack = sold
    buying = reordering.Buying(price_minor=price_minor, breaks=dict(breaks), least=least, pack=pack)
    return reordering.advise(position, demand, lead, keeping, buying, target)


@reading
def advise_all(now: datetime, known: shop_store.Keeping | None = None) -> list[PartAdvice]:
    """Every part of the shelf with its advice; six reads, however many parts there are."""
    numbers = known or shop_store.load_keeping()
    keeping = reordering.Keeping(
        order_minor=numbers.order_cost_minor,
        holding=numbers.keeping_percent / 100,
        ageing=numbers.ageing_percent / 100,
    )
    parts = store.shelf_parts()
    since = now - YEAR
    # the 51 weeks before this one, and this one as far as it is
    monday = now.astimezone(UTC).date() - timedelta(days=now.astimezone(UTC).weekday())
    uses = store.weekly_uses(monday - timedelta(weeks=demands.WEEKS - 1))
    families = store.families_since(monday - timedelta(weeks=demands.WEEKS - 1))
    popularity = _popularity({family: came for family, (came, _) in families.items() if came})
    offers = store.best_offers([part.id for part in parts])
    delivered = store.delivered_days(since)
    kinds: dict[str, list[int]] = {}
    for part in parts:
        kinds.setdefault(part.kind, []).append(sum(uses.get(part.id, {}).values()))
    advised = []
    for part in parts:
        prior = demands.prior_per_day(
            uses_of_kind=sum(kinds[part.kind]),
            peers=len(kinds[part.kind]),
            days=YEAR.days,
            popularity=popularity.get(part.family, 1.0),
            age_years=demands.age_of(families.get(part.family, (0, 0))[1], numbers.day(now).year),
        )
        weeks = uses.get(part.id, {})
        wanted = _estimate(tuple(weeks.get(week, 0) for week in range(demands.WEEKS)), prior)
        offer = offers.get(part.id)
        lead = reordering.lead_time(
            offer.lead_days if offer else USUAL_DAYS, delivered.get(offer.supplier_id, []) if offer else []
        )
        advice = None
        if offer:
            buying = buying_of(offer)
            sold = (buying.price_minor, tuple(sorted(buying.breaks.items())), buying.least, buying.pack)
            advice = _advise(position_of(part), wanted, lead, keeping, sold, numbers.fill_percent / 100)
        unused = _never_used(part.on_hand, wanted)
        advised.append(
            PartAdvice(
                part=part,
                demand=wanted,
                lead=lead,
                offer=offer,
                advice=advice,
                unused=unused,
                used=sum(weeks.values()),
            )
        )
    return advised


def position_of(part: store.ShelfPart) -> reordering.Position:
    return reordering.Position(
        on_hand=part.on_hand, promised=part.held, on_order=part.on_order, waiting=part.waiting
    )


def _popularity(jobs: Mapping[str, int]) -> dict[str, float]:
    """How often the devices of a family come in, against the mean of all; one more of each than were seen."""
    mean = (sum(jobs.values()) + len(jobs)) / max(len(jobs), 1)
    return {family: (count + 1) / mean for family, count in jobs.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class ToOrder:
    """What to order from one supplier today; `below` where that is less than its least order."""

    supplier_id: str
    supplier: str
    lines: tuple[PartAdvice, ...]
    draft_id: int | None
    below: bool

    @property
    def total_minor(self) -> int:
        return sum(line.price_minor for line in self.lines)

    @property
    def pieces(self) -> int:
        return sum(line.order for line in self.lines)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sharing:
    """All that is to be ordered today, shared among suppliers; what that saves against each by itself."""

    orders: tuple[ToOrder, ...]
    saved_minor: int
    is_best: bool


@reading
def share_orders(
    advised: Sequence[PartAdvice], drafts: Mapping[str, int], day: date, known: shop_store.Keeping
) -> Sharing:
    """Share what is advised and in no draft among suppliers (rule stock.together), jobs that wait first; a
    draft that is there waits for its sending.
    """
    lines = {line.part.id: line for line in advised if line.order and line.offer and not line.part.drafted}
    if not lines:
        return Sharing(orders=(), saved_minor=0, is_best=True)
    offers = store.offers_of(list(lines))
    promised = store.first_promises(list(lines))
    needs = [
        consolidating.Need(
            part=part_id,
            options=tuple(
                consolidating.Option(
                    supplier=offer.supplier_id, cost_minor=_cost(offer, line.order), days=offer.lead_days
                )
                for offer in offers.get(part_id, [])
            ),
            within_days=_within(line, promised.get(part_id), day, known),
        )
        for part_id, line in lines.items()
    ]
    shared = consolidating.share(needs, suppliers_store.all_terms())
    by_supplier: dict[str, list[PartAdvice]] = {}
    for part_id, supplier_id in shared.supplier_of.items():
        offer = next(each for each in offers[part_id] if each.supplier_id == supplier_id)
        by_supplier.setdefault(supplier_id, []).append(replace(lines[part_id], offer=offer))
    orders = [
        ToOrder(
            supplier_id=supplier_id,
            supplier=chosen[0].offer.supplier if chosen[0].offer else supplier_id,
            lines=tuple(sorted(chosen, key=_urgency)),
            draft_id=drafts.get(supplier_id),
            below=supplier_id in shared.below,
        )
        for supplier_id, chosen in by_supplier.items()
    ]
    return Sharing(
        orders=tuple(sorted(orders, key=lambda one: _urgency(one.lines[0]))),
        saved_minor=shared.saved_minor,
        is_best=shared.is_best,
    )


def _within(line: PartAdvice, promised: datetime | None, day: date, known: shop_store.Keeping) -> int | None:
    """In how many days the pieces have to be here; None where the jobs that wait have theirs on the shelf."""
    if promised is None or not line.advice or not line.advice.for_jobs:
        return None
    return (known.day(promised) - day).days


def _cost(offer: store.BestOffer, pieces: int) -> int:
    """What so many pieces cost of a supplier; it sends no fewer than its least."""
    buying = buying_of(offer)
    bought = buying.at_least(pieces)
    return bought * buying.price_of(bought)


def _urgency(line: PartAdvice) -> tuple[int, float]:
    assert line.advice
    return -line.advice.for_jobs, -line.advice.out_without


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfPage:
    """The Shelf: what to order, what is late, what goes back, and every part."""

    day: date
    currency: str
    advised: list[PartAdvice]
    sharing: Sharing
    drafts: list[store.OrderRow]
    sent: list[store.OrderRow]
    late: list[store.OrderRow]
    returns: list[returns_store.ReturnRow]
    soon: list[returns_store.ReturnRow]
    owed: int
    owed_minor: int
    # pieces that nobody looked at and that soon cannot go back any more
    untried: list[pieces_store.PieceRow]
    # tape, glue and the like that run out, or that nobody knows how much there is of
    low: list[ConsumablePage]


@reading
def shelf_page(now: datetime) -> ShelfPage:
    numbers = shop_store.load_keeping()
    advised = advise_all(now, numbers)
    orders = store.orders_page((OrderState.DRAFT, *rules.ON_ORDER), limit=200)
    drafts = [order for order in orders if order.state is OrderState.DRAFT]
    sent = [order for order in orders if order.state in rules.ON_ORDER]
    day = numbers.day(now)
    returns = returns_store.open_returns()
    soon = day + timedelta(days=rules.SOON_DAYS)
    owed, owed_minor = returns_store.owed()
    return ShelfPage(
        day=day,
        currency=numbers.currency,
        advised=advised,
        sharing=share_orders(advised, {draft.supplier_id: draft.id for draft in drafts}, day, numbers),
        drafts=drafts,
        sent=sent,
        late=[order for order in sent if order.is_late(day)],
        returns=returns,
        soon=[
            one for one in returns if one.state is ReturnState.TO_SEND and one.send_by and one.send_by <= soon
        ],
        owed=owed,
        owed_minor=owed_minor,
        low=to_see_to(now),
        untried=pieces_store.urgent_pieces(day, day + timedelta(days=pieces_rules.SOON_DAYS)),
    )


def today(now: datetime) -> date:
    """The day in the shop's zone."""
    return shop_store.load_keeping().day(now)


# -- the table of parts, and one part -----------------------------------------------------------------

PER_PAGE = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """A page of the parts that were asked for, and the places there are."""

    lines: list[PartAdvice]
    total: int
    page: int
    pages: int
    places: list[str]


def narrowed(advised: Sequence[PartAdvice], asked: str, place: str, page: str) -> Listed:
    """The parts whose name, number or barcode holds what was asked, in one place or in all."""
    words = asked.casefold().split()
    fitting = [
        line
        for line in advised
        if line.part.bin.startswith(place) and all(word in _said_of(line.part) for word in words)
    ]
    pages = max(1, -(-len(fitting) // PER_PAGE))
    number = min(max(int(page) if page.isdecimal() and len(page) < 6 else 1, 1), pages)
    return Listed(
        lines=fitting[(number - 1) * PER_PAGE : number * PER_PAGE],
        total=len(fitting),
        page=number,
        pages=pages,
        places=sorted({line.part.bin[:1] for line in advised if line.part.bin}),
    )


def _said_of(part: store.ShelfPart) -> str:
    return f"{part.name} {part.barcode} {part.printed_number} {part.grade} {part.kind}".casefold()


@dataclass(frozen=True, slots=True, kw_only=True)
class PartOutlook:
    """One part with its advice and its days ahead."""

    line: PartAdvice
    days: list[reordering.Ahead]
    # pieces that are expected, by days from today
    arrivals: dict[int, int]


LOOK_DAYS = 42


@reading
def advise_part(part_id: int, now: datetime) -> PartOutlook | None:
    """One part's advice and the days ahead of it; None for what was never on the shelf."""
    numbers = shop_store.load_keeping()
    line = next((line for line in advise_all(now, numbers) if line.part.id == part_id), None)
    if line is None:
        return None
    day = numbers.day(now)
    arrivals: dict[int, int] = {}
    for expected_on, pieces in store.coming(part_id):
        away = max((expected_on - day).days, 0) if expected_on else round(line.lead.mean_days)
        arrivals[away] = arrivals.get(away, 0) + pieces
    days = reordering.look_ahead(line.part.on_hand - line.part.held, arrivals, line.demand, LOOK_DAYS)
    return PartOutlook(line=line, days=days, arrivals=arrivals)
