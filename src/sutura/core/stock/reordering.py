"""When to order and how many: the reorder point for a fill rate, the lot, and the chance of running out.

The policy is (r, Q) on the position: on hand − promised + on order − what jobs already wait for. **Fill
rate** is the share of uses served from the shelf at once; **ready rate** is the share of time with nothing
owed. They differ.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.maths.money import amount_text
from sutura.core.maths.statistics import Counts
from sutura.core.stock.demand import Demand
from sutura.core.typed import Problems, read_amount, read_whole
from sutura.core.values import COMMON, Rule

# a supplier's own word on days weighs like three deliveries, and varies by a third; common practice, no
# source
LISTED_WORTH, LISTED_SPREAD = 3, 1 / 3
# a part is kept on the shelf when so many uses a year are to be expected; the shop's, no source
KEPT_FROM_USES = 2.0
# orders are looked at again after so many days
REVIEW_DAYS = 7
MOST_LOT = 500

RULES = (
    Rule(
        id="stock.reorder-point",
        capability="stock",
        says=(
            "The reorder point is the smallest at which the shop's share of uses (fill rate) is served "
            "from the shelf, with lead times as the supplier kept them; a part is kept on the shelf from "
            "two uses a year on, others are ordered for their job."
        ),
        source="Snyder & Shen, Fundamentals of Supply Chain Theory, (r, Q); the two uses: common practice",
    ),
    Rule(
        id="stock.lead-time",
        capability="stock",
        says="A lead time is what the supplier's deliveries took; its own word weighs like three of them.",
        source=COMMON,
    ),
    Rule(
        id="stock.lot",
        capability="stock",
        says=(
            "The lot is the cheapest a year: the orders, the money that lies on the shelf, what ages "
            "there, and the price at that number; never fewer than the least the supplier sends, never "
            "more than will be used."
        ),
        source="Harris 1913 (economic order quantity), searched piece by piece with price breaks",
    ),
    Rule(
        id="stock.jobs-first",
        capability="stock",
        says=(
            "What jobs wait for is ordered first and counted once: it lowers the position and is no part "
            "of the demand still to come."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class LeadTime:
    """Days from ordering to having: mean, standard deviation, and of how many deliveries it is known."""

    mean_days: float
    sd_days: float
    deliveries: int = 0


def lead_time(listed_days: float, delivered: Sequence[float]) -> LeadTime:
    """What to expect of a supplier: the days of its deliveries, drawn to what it says of itself.

    >>> lead_time(3, [5, 5, 5]).mean_days
    4.0
    """
    listed = max(listed_days, 0.5)
    worth = LISTED_WORTH + len(delivered)
    mean = (LISTED_WORTH * listed + sum(delivered)) / worth
    apart = LISTED_WORTH * ((LISTED_SPREAD * listed) ** 2 + (listed - mean) ** 2)
    apart += sum((days - mean) ** 2 for days in delivered)
    return LeadTime(mean_days=mean, sd_days=math.sqrt(apart / worth), deliveries=len(delivered))


def fill_rate(during: Counts, reorder_point: int, lot: int) -> float:
    """The share of uses served from the shelf at once, `during` being the uses in a lead time.

    After each use the position is one of r+1 … r+Q, all alike often; a use is served when fewer than that
    came in the lead time before it. Exact for single pieces asked for at random.

    >>> round(fill_rate(Counts(mean=2.1), 2, 1), 6), round(ready_rate(Counts(mean=2.1), 2, 1), 6)
    (0.649631, 0.838643)
    """
    _check_lot(lot)
    return during.mean_at_most(reorder_point, reorder_point + lot - 1)


def ready_rate(during: Counts, reorder_point: int, lot: int) -> float:
    """The share of time with nothing owed."""
    _check_lot(lot)
    return during.mean_at_most(reorder_point + 1, reorder_point + lot)


def _check_lot(lot: int) -> None:
    if lot < 1:
        raise ValueError(f"a lot of {lot} is none")


def reorder_point(during: Counts, lot: int, target: float) -> int:
    """The smallest reorder point with which this share of uses is served at once; −1 orders only what is
    asked for.
    """
    if not 0 <= target < 1:
        raise ValueError(f"a fill rate of {target} is not below 1")
    if fill_rate(during, -1, lot) >= target:
        return -1
    # more on the shelf never serves fewer: doubled until it is enough, then halved down to the smallest
    low, high = -1, max(during.quantile(target), 0)
    while fill_rate(during, high, lot) < target:
        low, high = high, 2 * high + 1
    while high - low > 1:
        middle = (low + high) // 2
        if fill_rate(during, middle, lot) < target:
            low = middle
        else:
            high = middle
    return high


# -- what the shop wants of its shelf ------------------------------------------------------------------

LEAST_FILL, MOST_FILL, MOST_PERCENT, MOST_ORDER_COST = 50, 99, 100, 1_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class ShelfWants:
    """What share of uses is served at once, in percent; what an order costs in work, in minor units; what
    money on the shelf and its ageing cost a year, in percent of the price; and from what cost on a part is
    kept piece by piece, in minor units (rule stock.by-piece).
    """

    fill_percent: int
    order_cost_minor: int
    keeping_percent: int
    ageing_percent: int
    pieces_from_minor: int = 0


def read_wants(typed: Mapping[str, str], currency: str) -> ShelfWants:
    """What the shop wants of its shelf, as typed; every problem at its field."""
    problems = Problems()
    percent = partial(read_whole, most=MOST_PERCENT)
    fill = problems.read("fill", typed.get("fill", ""), partial(read_whole, most=MOST_FILL, least=LEAST_FILL))
    amount = partial(read_amount, currency=currency, most=MOST_ORDER_COST)
    order_cost = problems.read("order_cost", typed.get("order_cost", ""), amount)
    keeping = problems.read("keeping", typed.get("keeping", ""), percent)
    ageing = problems.read("ageing", typed.get("ageing", ""), percent)
    pieces_from = problems.read(
        "pieces_from", typed.get("pieces_from", ""), partial(read_amount, currency=currency)
    )
    problems.refuse()
    return ShelfWants(
        fill_percent=fill or LEAST_FILL,
        order_cost_minor=order_cost or 0,
        keeping_percent=keeping or 0,
        ageing_percent=ageing or 0,
        pieces_from_minor=pieces_from or 0,
    )


def wants_texts(wants: ShelfWants, currency: str) -> dict[str, str]:
    """What the shop wants of its shelf, as a form shows it."""
    return {
        "fill": str(wants.fill_percent),
        "order_cost": amount_text(wants.order_cost_minor, currency),
        "keeping": str(wants.keeping_percent),
        "ageing": str(wants.ageing_percent),
        "pieces_from": amount_text(wants.pieces_from_minor, currency),
    }


# -- how many -----------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Keeping:
    """What ordering and keeping cost: an order in minor units, and a year's shares of a piece's price."""

    order_minor: int
    holding: float
    ageing: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Buying:
    """What a supplier asks: the price of one, prices from numbers on, the fewest it sends, pieces in a
    pack.
    """

    price_minor: int
    breaks: Mapping[int, int]
    least: int = 1
    pack: int = 1

    def price_of(self, pieces: int) -> int:
        """The price of one when so many are bought."""
        reached = [number for number in self.breaks if number <= pieces]
        return self.breaks[max(reached)] if reached else self.price_minor

    def numbers(self, most: int) -> Iterator[int]:
        """The numbers that can be bought, the fewest first, at least one of them."""
        first = math.ceil(max(self.least, 1) / self.pack) * self.pack
        yield first
        yield from range(first + self.pack, most + 1, self.pack)

    def sells(self, pieces: int) -> bool:
        """Whether just so many can be bought; none always can."""
        return pieces == 0 or (pieces > 0 and self.at_least(pieces) == pieces)

    def at_least(self, pieces: int) -> int:
        """The fewest that can be bought that are at least so many."""
        return math.ceil(max(pieces, self.least, 1) / self.pack) * self.pack


def read_pieces(text: str, most: int, buying: Buying | None, least: int = 0) -> int:
    """How many pieces to order, as typed; refused where the supplier does not sell just so many."""
    number = read_whole(text, most=most, least=least)
    if buying and not buying.sells(number):
        near = buying.at_least(number)
        raise Invalid(
            "", text, fact("orders.sold-in-packs", least=buying.at_least(1), pack=buying.pack, near=near)
        )
    return number


def yearly_cost(lot: int, per_year: float, keeping: Keeping, buying: Buying) -> float:
    """What buying in such lots costs a year, in minor units."""
    price = buying.price_of(lot)
    kept = (keeping.holding + keeping.ageing) * price * lot / 2
    return keeping.order_minor * per_year / lot + kept + price * per_year


def cheapest_lot(per_year: float, keeping: Keeping, buying: Buying, most: int = MOST_LOT) -> int:
    """The number of pieces that costs least a year, of those that can be bought and will be used.

    >>> keeping = Keeping(order_minor=800, holding=0.225, ageing=0)
    >>> cheapest_lot(1300, keeping, Buying(price_minor=100, breaks={}))
    304
    """
    return min(
        buying.numbers(min(most, MOST_LOT)), key=lambda lot: yearly_cost(lot, per_year, keeping, buying)
    )


def percent_of(chance: float) -> str:
    """A chance in words: never a flat none or all where it is not."""
    percent = chance * 100
    if 0 < percent < 1:
        return "<1"
    if 99 < percent < 100:
        return ">99"
    return f"{percent:.0f}"


# -- what to do today ---------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class Position:
    """A part today: on hand, promised to jobs, on order for the shelf, and jobs that wait for one
    unordered.
    """

    on_hand: int
    promised: int
    on_order: int = 0
    waiting: int = 0

    @property
    def free(self) -> int:
        return self.on_hand - self.promised

    @property
    def position(self) -> int:
        return self.free + self.on_order - self.waiting


@dataclass(frozen=True, slots=True, kw_only=True)
class Advice:
    """What to order of a part now, of which so many for jobs that wait; and what it is good for.

    `out_without` and `out_with` are the chances of having none for a use before `days` from now, which is
    when an order made at the next look would come.
    """

    order: int
    for_jobs: int
    reorder_point: int
    lot: int
    fill: float
    days: float
    out_without: float
    out_with: float

    @property
    def is_kept(self) -> bool:
        """Whether the part is one for the shelf; others are ordered for their jobs alone."""
        return self.reorder_point >= 0


def advise(
    position: Position, demand: Demand, lead: LeadTime, keeping: Keeping, buying: Buying, target: float
) -> Advice:
    """What to order today. Jobs that wait come first; beyond them, lots until the position is above the
    reorder point again.
    """
    kept = demand.per_year >= KEPT_FROM_USES
    during = demand.over(lead.mean_days, lead.sd_days)
    lot = cheapest_lot(demand.per_year, keeping, buying, most=max(1, round(demand.per_year)))
    point = reorder_point(during, lot, target) if kept else -1
    # what comes is theirs before it is the shelf's
    for_jobs = max(0, position.waiting - max(position.free, 0) - position.on_order)
    order = 0
    if position.position <= point:
        order = buying.at_least(max(lot * math.ceil((point + 1 - position.position) / lot), for_jobs))
    elif for_jobs:
        order = buying.at_least(for_jobs)
    without, having = running_out(position.position, order, demand, lead)
    return Advice(
        order=order,
        for_jobs=for_jobs,
        reorder_point=point,
        lot=lot,
        fill=fill_rate(during, point, lot),
        days=lead.mean_days + REVIEW_DAYS,
        out_without=without,
        out_with=having,
    )


def running_out(position: int, order: int, demand: Demand, lead: LeadTime) -> tuple[float, float]:
    """The chances of being asked for a piece that is not there before an order of the next look comes:
    without ordering now, and with it. Ordering now helps from the lead time on and not before. Below
    nothing, jobs wait already: that is certain until their pieces are ordered.
    """
    before = demand.over(lead.mean_days, lead.sd_days)
    whole = demand.over(lead.mean_days + REVIEW_DAYS, lead.sd_days)
    without = 1 - whole.at_most(position)
    if order == 0:
        return without, without
    after = Demand(per_day=demand.per_day, unsure=demand.unsure, spread=demand.spread).over(REVIEW_DAYS)
    served = sum(
        before.exactly(count) * after.at_most(position + order - count)
        for count in range(max(position, 0) + 1)
    )
    return without, min(without, max(0.0, 1 - served))


@dataclass(frozen=True, slots=True, kw_only=True)
class Ahead:
    """A day ahead: what is on the shelf then, as low as one day in twenty, on average, and as high as one in
    twenty; and the chance that it was all used by then.
    """

    day: int
    low: int
    middle: float
    high: int
    out: float


def look_ahead(free: int, arrivals: Mapping[int, int], demand: Demand, days: int) -> list[Ahead]:
    """The shelf day by day, with what comes on which day; nothing more is ordered."""
    seen = []
    for day in range(days + 1):
        there = free + sum(pieces for when, pieces in arrivals.items() if when <= day)
        uses = demand.over(day)
        seen.append(
            Ahead(
                day=day,
                low=max(0, there - uses.quantile(0.95)),
                middle=max(0.0, there - uses.mean + uses.short(max(there, 0))) if there > 0 else 0.0,
                high=max(0, there - uses.quantile(0.05)),
                out=1 - uses.at_most(there - 1) if there > 0 else 1.0,
            )
        )
    return seen
