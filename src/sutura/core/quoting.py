"""What a job costs the customer, what it costs the shop, what is left, and what is left per bench hour."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from sutura.core.errors import Invalid
from sutura.core.job import OPEN_STAGES, Stage
from sutura.core.maths.money import Money, half_up, included_tax
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(id="quote.price", capability="quoting",
         says="Price = (part × (1 + markup) + expected minutes × bench rate) + tax, rounded up to a whole unit.",
         source="common practice, no source; markup and rate are the shop's"),
    Rule(id="quote.margin", capability="quoting",
         says="Margin = price without tax − cost of the part fitted; per bench hour = margin ÷ bench minutes × 60.", source=COMMON),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Rates:
    """The shop's own numbers. Rate in minor units per bench hour; markup and tax in basis points."""

    currency: str
    bench_rate_minor: int
    markup_bps: int
    tax_bps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Quote:
    """A price and how it came about: every part of it can be opened."""

    price: Money
    part: Money
    work: Money
    tax: Money
    minutes: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """What is left. `percent` and `per_bench_hour` are None when there is nothing to divide by."""

    net: Money
    cost: Money
    margin: Money
    percent: Decimal | None
    per_bench_hour: Money | None
    bench_minutes: int


def quote(part_cost: Money, minutes: int, rates: Rates) -> Quote:
    """The price to propose, by rule quote.price; the rounding goes into the work."""
    part = part_cost.times(1 + Decimal(rates.markup_bps) / 10_000)
    work = Money(minor=rates.bench_rate_minor, currency=rates.currency).times(Decimal(minutes) / 60)
    gross = (part + work).times(1 + Decimal(rates.tax_bps) / 10_000)
    price = Money(minor=-(-gross.minor // 100) * 100, currency=rates.currency)
    tax = included_tax(price, rates.tax_bps)
    return Quote(price=price, part=part, work=price - tax - part, tax=tax, minutes=minutes)


def margin(price: Money, cost: Money, bench_minutes: int, tax_bps: int) -> Margin:
    """Margin by rule quote.margin. Trade fact: 150 less a part at 60 leaves 90; in 15 min that is 360 an hour."""
    return _margin(price - included_tax(price, tax_bps), cost, bench_minutes)


def together(margins: Sequence[Margin]) -> Margin:
    """Several jobs' margins as one: sums first, then the ratios, so that a short job does not count double."""
    net, cost = margins[0].net, margins[0].cost
    for one in margins[1:]:
        net, cost = net + one.net, cost + one.cost
    return _margin(net, cost, sum(one.bench_minutes for one in margins))


def _margin(net: Money, cost: Money, bench_minutes: int) -> Margin:
    left = net - cost
    return Margin(
        net=net, cost=cost, margin=left, bench_minutes=bench_minutes,
        percent=half_up(Decimal(left.minor * 100) / net.minor, 0) if net.minor else None,
        per_bench_hour=left.times(Decimal(60) / bench_minutes) if bench_minutes > 0 else None,
    )  # fmt: skip


def price_may_change(stage: Stage, price_minor: int | None) -> bool:
    """An agreed price can change until the device is handed back; a declined job has none to change."""
    return price_minor is not None and stage in OPEN_STAGES and stage is not Stage.DECLINED


def check_price(minor: int | None, typed: str) -> int:
    if minor is None or not 0 < minor <= 10_000_000:
        raise Invalid("price", typed, "write an amount such as 149.90, above zero and at most 100000")
    return minor
