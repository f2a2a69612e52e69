"""What a finished job leaves, by its ledger: for the Book, the job's page and its table."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from sutura.core.maths.money import Money, half_up
from sutura.core.quoting.taxes import Taxes, one_rate, tax_in
from sutura.core.values import COMMON, Rule

RULES = (
    Rule(
        id="quote.margin",
        capability="quoting",
        says=(
            "Margin = what the ledger charges – the price less what was credited, written off or rounded – "
            "without tax, less the parts fitted, the pieces that broke on the job, and tape, glue and wipes; "
            "per bench hour = margin ÷ bench minutes × 60. Left = margin less the bench minutes at the "
            "shop's rate. What comes back is a job of its own: it leaves what it costs."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spent:
    """What a job cost besides the parts fitted, and what of its price was let go, in minor units; `rate` is
    the shop's for a bench hour.
    """

    less_minor: int = 0
    consumables_minor: int = 0
    broken_minor: int = 0
    rate_minor: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """What is left. `net` is what was charged without tax and `less` what of it was let go; `percent` and
    `per_bench_hour` are None when there is nothing to divide by.
    """

    net: Money
    less: Money
    parts: Money
    consumables: Money
    broken: Money
    margin: Money
    work: Money
    percent: Decimal | None
    per_bench_hour: Money | None
    bench_minutes: int

    @property
    def cost(self) -> Money:
        """Everything that was bought for it."""
        return self.parts + self.consumables + self.broken

    @property
    def left(self) -> Money:
        """What is left after the work."""
        return self.margin - self.work


def margin(
    price: Money,
    parts: Money,
    bench_minutes: int,
    tax_bps: int,
    taxes: Taxes | None = None,
    spent: Spent | None = None,
) -> Margin:
    """Margin by rule quote.margin; `taxes` where a price bears several rates. Trade fact: 150 less a part at
    60 leaves 90; in 15 min that is 360 an hour.
    """
    more, rates, currency = spent or Spent(), taxes or one_rate(tax_bps), price.currency

    def money(minor: int) -> Money:
        return Money(minor=minor, currency=currency)

    charged = price - money(more.less_minor)
    net, before = charged - tax_in(charged, rates), price - tax_in(price, rates)
    work = int(half_up(Decimal(bench_minutes * more.rate_minor) / 60, 0))
    return _margin(
        net,
        before - net,
        (parts, money(more.consumables_minor), money(more.broken_minor)),
        money(work),
        bench_minutes,
    )


def together(margins: Sequence[Margin]) -> Margin:
    """Several jobs' margins as one: sums first, then the ratios, so that a short job does not count
    double.
    """

    def total(amounts: Sequence[Money]) -> Money:
        return sum(amounts[1:], amounts[0])

    return _margin(
        total([one.net for one in margins]),
        total([one.less for one in margins]),
        (
            total([one.parts for one in margins]),
            total([one.consumables for one in margins]),
            total([one.broken for one in margins]),
        ),
        total([one.work for one in margins]),
        sum(one.bench_minutes for one in margins),
    )


def _margin(
    net: Money, less: Money, bought: tuple[Money, Money, Money], work: Money, bench_minutes: int
) -> Margin:
    parts, consumables, broken = bought
    left = net - parts - consumables - broken
    return Margin(
        net=net,
        less=less,
        parts=parts,
        consumables=consumables,
        broken=broken,
        margin=left,
        work=work,
        bench_minutes=bench_minutes,
        percent=half_up(Decimal(left.minor * 100) / net.minor, 0) if net.minor else None,
        per_bench_hour=left.times(Decimal(60) / bench_minutes) if bench_minutes > 0 else None,
    )
