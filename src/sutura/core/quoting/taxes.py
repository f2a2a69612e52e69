"""The tax in a price: parts may bear another rate than work, and it is rounded line by line or once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from sutura.core.maths.money import Money, half_up, split
from sutura.core.values import Rule

_WHOLE = Decimal(10_000)

RULES = (
    Rule(
        id="quote.tax",
        capability="quoting",
        says=(
            "Parts and work may bear different rates: a price is shared among its rates as its parts and its "
            "work are, and the tax is taken out of each. It is rounded half up, on every line or once on the "
            "sum, as the shop says; lines always add up to what is shown."
        ),
        source="Invoices are rounded by line or in total: EN 16931 knows both sums; local law comes first",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class TaxShare:
    """A rate, in basis points, and what of a price bears it, as a weight beside the other shares."""

    bps: int
    weight: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Taxes:
    """Which rates a price bears; `by_line` = each line is rounded, else their sum."""

    shares: tuple[TaxShare, ...]
    by_line: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class TaxLine:
    """What of a price bears a rate, and the tax in it."""

    bps: int
    gross: Money
    tax: Money

    @property
    def net(self) -> Money:
        return self.gross - self.tax


def one_rate(bps: int) -> Taxes:
    """Everything bears one rate."""
    return Taxes(shares=(TaxShare(bps=bps, weight=1),))


def tax_lines(price: Money, taxes: Taxes) -> tuple[TaxLine, ...]:
    """The tax in a price, rate by rate, the highest first (rule quote.tax); nothing of it is lost.

    >>> two = Taxes(shares=(TaxShare(bps=2_000, weight=1), TaxShare(bps=1_000, weight=1)))
    >>> [(line.gross.minor, line.tax.minor) for line in tax_lines(Money(minor=10_001, currency="TAL"), two)]
    [(5001, 834), (5000, 455)]
    """
    weights: dict[int, int] = {}
    for share in taxes.shares:
        weights[share.bps] = weights.get(share.bps, 0) + share.weight
    rates = sorted((bps for bps, weight in weights.items() if weight), reverse=True) or [max(weights)]
    grosses = split(price, [weights[bps] or 1 for bps in rates])
    exact = [gross.minor * Decimal(bps) / (_WHOLE + bps) for gross, bps in zip(grosses, rates, strict=True)]
    amounts = [int(half_up(tax, 0)) for tax in exact] if taxes.by_line else _in_one(exact)
    return tuple(
        TaxLine(bps=bps, gross=gross, tax=Money(minor=amount, currency=price.currency))
        for bps, gross, amount in zip(rates, grosses, amounts, strict=True)
    )


def _in_one(exact: Sequence[Decimal]) -> list[int]:
    """Whole amounts that add up to the sum rounded once: what is over goes to the largest remainders."""
    total = int(half_up(sum(exact, Decimal(0)), 0))
    amounts = [int(amount.to_integral_value(rounding="ROUND_FLOOR")) for amount in exact]
    by_rest = sorted(range(len(exact)), key=lambda place: (amounts[place] - exact[place], place))
    for place in by_rest[: total - sum(amounts)]:
        amounts[place] += 1
    return amounts


def tax_in(price: Money, taxes: Taxes) -> Money:
    """The whole tax in a price."""
    return Money(minor=sum(line.tax.minor for line in tax_lines(price, taxes)), currency=price.currency)


def taxes_kept(taxes: Taxes) -> dict[str, Any]:
    """Which rates a price bears, as a job keeps it."""
    return {"by_line": taxes.by_line, "shares": [[share.bps, share.weight] for share in taxes.shares]}


def taxes_from(kept: Mapping[str, Any], bps: int) -> Taxes:
    """Rates from what a job keeps; one of before kept its one rate only."""
    shares = tuple(TaxShare(bps=rate, weight=weight) for rate, weight in kept.get("shares", ()))
    return Taxes(shares=shares, by_line=bool(kept.get("by_line", True))) if shares else one_rate(bps)
