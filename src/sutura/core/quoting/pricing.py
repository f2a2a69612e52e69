"""What a job costs the customer, what it costs the shop, what is left, and what is left per bench hour."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from sutura.core.facts import Fact, fact
from sutura.core.job import OPEN_STAGES, Stage
from sutura.core.maths.money import Money, amount_text, decimal_text, digits_of
from sutura.core.quoting.policy import PricePolicy, PriceStep, StepKind, policy_from, price, with_tax
from sutura.core.quoting.taxes import Taxes
from sutura.core.typed import Problems, read_amount, read_percent


@dataclass(frozen=True, slots=True, kw_only=True)
class Rates:
    """The shop's own numbers. Rate in minor units per bench hour; markup and tax in basis points."""

    currency: str
    bench_rate_minor: int
    markup_bps: int
    tax_bps: int
    # what else the shop says of its prices, as it is kept
    kept: Mapping[str, Any] = field(default_factory=dict)

    @property
    def policy(self) -> PricePolicy:
        return policy_from(
            self.kept,
            currency=self.currency,
            rate_minor=self.bench_rate_minor,
            markup_bps=self.markup_bps,
            tax_bps=self.tax_bps,
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Quote:
    """A price and how it came about: every part of it can be opened."""

    price: Money
    part: Money
    work: Money
    tax: Money
    minutes: int
    taxes: Taxes
    steps: tuple[PriceStep, ...] = ()
    # what of the price is for the parts, with its tax where that comes on top
    part_shown: Money


def quote(
    part_cost: Money,
    minutes: int,
    rates: Rates,
    *,
    device_class: str = "",
    failure_minor: int = 0,
    rush: bool = False,
) -> Quote:
    """The price to propose, by rule quote.policy; what is neither part nor tax goes into the work."""
    priced = price(
        rates.policy,
        part_cost.minor,
        minutes,
        device_class=device_class,
        failure_minor=failure_minor,
        rush=rush,
    )
    part = Money(minor=priced.of(StepKind.PART, StepKind.MARKUP), currency=rates.currency)
    return Quote(
        price=priced.price,
        part=part,
        work=priced.price - priced.tax - part,
        tax=priced.tax,
        minutes=minutes,
        taxes=priced.taxes,
        steps=priced.steps,
        part_shown=with_tax(rates.policy, part),
    )


def price_may_change(stage: Stage, price_minor: int | None) -> bool:
    """An agreed price can change until the device is handed back; a declined job has none to change."""
    return price_minor is not None and stage in OPEN_STAGES and stage is not Stage.DECLINED


def read_price(typed: str, currency: str) -> int:
    """A price as typed, in minor units; above zero."""
    problems = Problems("The price")
    minor = problems.read("price", typed, lambda text: read_amount(text, currency, least=1))
    problems.refuse()
    return minor or 0


@dataclass(frozen=True, slots=True, kw_only=True)
class RateField:
    """One of the shop's rates as a form has it: its column, and whether it is an amount or per cent (kept in
    basis points), with the most that is taken.
    """

    column: str
    title: str
    most: int
    percent: bool = False


RATE_FIELDS: Mapping[str, RateField] = {
    "bench_rate": RateField(column="bench_rate_minor", title="Bench hour", most=1_000),
    "markup": RateField(column="markup_bps", title="Markup on parts, %", most=500, percent=True),
    "tax": RateField(column="tax_bps", title="Tax, %", most=50, percent=True),
}


def read_rates(typed: Mapping[str, str], currency: str) -> dict[str, int]:
    """The shop's rates as typed, by column; every one that cannot be read is refused."""
    problems = Problems("The rates")
    read: dict[str, int] = {}
    for name, rate_field in RATE_FIELDS.items():
        most = rate_field.most * 10 ** digits_of(currency)
        rate = problems.read(
            name,
            typed.get(name, ""),
            partial(read_percent, most=rate_field.most)
            if rate_field.percent
            else partial(read_amount, currency=currency, most=most),
        )
        read[rate_field.column] = rate or 0
    problems.refuse()
    return read


def rate_texts(rates: Rates) -> dict[str, str]:
    """The shop's rates as a form has them."""
    kept = {"bench_rate": rates.bench_rate_minor, "markup": rates.markup_bps, "tax": rates.tax_bps}
    return {
        name: decimal_text(kept[name], 2) if rate_field.percent else amount_text(kept[name], rates.currency)
        for name, rate_field in RATE_FIELDS.items()
    }


def price_says(price_minor: int | None, currency: str) -> Fact:
    """What a ticket says is agreed of the price: the price itself, or its condition."""
    if price_minor is None:
        return fact("quoting.price-open")
    return fact("quoting.price-agreed", price=Money(minor=price_minor, currency=currency))
