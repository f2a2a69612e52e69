"""Money in integer minor units, rounded half up, split without losing a cent.

Rounding: half up, away from zero on a tie (common practice, no source); check values section 9.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal

from babel.numbers import get_currency_precision


@dataclass(frozen=True, slots=True, kw_only=True, order=True)
class Money:
    """An amount in minor units (cents) of one currency.

    >>> str(Money.of("149.90", "TAL"))
    '149.90 TAL'
    """

    minor: int
    currency: str

    @classmethod
    def of(cls, amount: str | Decimal, currency: str) -> Money:
        return cls(minor=int(half_up(Decimal(amount).scaleb(digits_of(currency)), 0)), currency=currency)

    def __add__(self, other: Money) -> Money:
        return Money(minor=self.minor + self._same(other).minor, currency=self.currency)

    def __sub__(self, other: Money) -> Money:
        return Money(minor=self.minor - self._same(other).minor, currency=self.currency)

    def times(self, factor: Decimal) -> Money:
        """This amount times a factor, rounded half up to the minor unit."""
        return Money(minor=int(half_up(self.minor * factor, 0)), currency=self.currency)

    def __str__(self) -> str:
        return f"{amount_text(self.minor, self.currency)} {self.currency}"

    def _same(self, other: Money) -> Money:
        if other.currency != self.currency:
            raise TypeError(f"cannot mix {self.currency} and {other.currency}")
        return other


def half_up(value: Decimal, places: int) -> Decimal:
    """Round half away from zero: 2.675 → 2.68, −0.125 → −0.13."""
    return value.quantize(Decimal(1).scaleb(-places), rounding=ROUND_HALF_UP)


def digits_of(currency: str) -> int:
    """How many decimals a currency has: 2 for most, 0 for some, 3 for a few; 2 for one that is not known.

    Source: ISO 4217, by Babel (library).

    >>> digits_of("EUR"), digits_of("JPY"), digits_of("TAL")
    (2, 0, 2)
    """
    return int(get_currency_precision(currency))


def amount_text(minor: int, currency: str) -> str:
    """Minor units as a person types them, such as `149.90`; `typed.read_amount` reads it back.

    >>> amount_text(14990, "TAL"), amount_text(14990, "JPY")
    ('149.90', '14990')
    """
    return decimal_text(minor, digits_of(currency))


def decimal_text(scaled: int, digits: int) -> str:
    """A number kept as an integer, with its decimals: basis points as per cent have two.

    >>> decimal_text(1950, 2)
    '19.50'
    """
    whole, part = divmod(abs(scaled), 10**digits)
    return f"{'−' if scaled < 0 else ''}{whole}" + (f".{part:0{digits}d}" if digits else "")


def split(total: Money, shares: Sequence[int]) -> list[Money]:
    """Split by shares with the largest remainder, so that the parts always add up to the total.

    Ties go to the earlier share. Source: largest-remainder method, common practice.

    >>> [str(part) for part in split(Money(minor=1000, currency="TAL"), [1, 1, 1])]
    ['3.34 TAL', '3.33 TAL', '3.33 TAL']
    """
    whole = sum(shares)
    if whole <= 0 or min(shares) < 0:
        raise ValueError("shares must be zero or more and not all zero")
    sign = -1 if total.minor < 0 else 1
    floors = [abs(total.minor) * share // whole for share in shares]
    rests = [abs(total.minor) * share % whole for share in shares]
    left = abs(total.minor) - sum(floors)
    for index in sorted(range(len(shares)), key=lambda i: -rests[i])[:left]:
        floors[index] += 1
    return [Money(minor=sign * part, currency=total.currency) for part in floors]


def included_tax(gross: Money, rate_bps: int) -> Money:
    """The tax inside a gross amount at a rate in basis points (2000 = 20 %)."""
    return gross.times(Decimal(rate_bps) / Decimal(10_000 + rate_bps))
