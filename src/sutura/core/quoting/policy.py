"""How the shop makes its prices: data that a manager edits, and the price that comes of it, cent by cent.

Money in minor units; shares in basis points. Every step of a price is a line, and the lines add up to it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum
from functools import partial
from typing import Any

from sutura.core.facts import fact
from sutura.core.maths.money import Money, amount_text, decimal_text, digits_of, half_up
from sutura.core.quoting.taxes import Taxes, TaxShare, tax_in
from sutura.core.typed import Problems, read_amount, read_choice, read_percent
from sutura.core.values import COMMON, Role, Rule

RULES = (
    Rule(
        id="quote.policy",
        capability="quoting",
        says=(
            "Price = part + its markup + work + a share of what a failure costs on average, at least the "
            "minimum charge, + rush, + tax, up to the next price ending. Markup is taken band by band, and "
            "the minimum is with the tax of work where parts bear less, so a dearer part is never sold for "
            "less; every step is shown, and they add up to the cent."
        ),
        source="common practice, no source; the numbers are the shop's",
    ),
    Rule(
        id="quote.discount",
        capability="quoting",
        says=(
            "A discount is given up to the limit of one's role, rounded so that it never passes it, and its "
            "reason is kept. A deposit is asked in whole units, and never more than the price."
        ),
        source=COMMON,
    ),
)

MOST_BANDS = 4
_WHOLE = Decimal(10_000)


class Ending(StrEnum):
    """What a price ends in: nothing is changed, whole units, ten cents below one, one below ten."""

    AS_IT_IS = "as it is"
    WHOLE = "whole"
    NINETY = ".90"
    NINE = "9"


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """Markup on the piece of a part's cost up to a limit; no limit on the last one."""

    up_to_minor: int | None
    bps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PricePolicy:
    """How the shop makes its prices. `flat_minor` is work by the class of a device; empty = by minutes.
    `tax_included` = everything here is with tax already. `discount_bps` is the most by role. `part_tax_bps`
    is the rate on parts where it is another than on work.

    The last three weigh routes: what a failure that the customer sees is worth, how sure a route must be, and
    how much of a device's worth a repair may cost.
    """

    currency: str
    rate_minor: int
    bands: tuple[Band, ...]
    tax_bps: int
    tax_included: bool = False
    flat_minor: Mapping[str, int] = field(default_factory=dict)
    minimum_minor: int = 0
    risk_bps: int = 0
    rush_bps: int = 0
    deposit_bps: int = 0
    ending: Ending = Ending.WHOLE
    discount_bps: Mapping[str, int] = field(default_factory=dict)
    part_tax_bps: int | None = None
    tax_by_line: bool = True
    failure_minor: int = 1_500
    least_chance_bps: int = 6_000
    worth_bps: int = 6_000


class StepKind(StrEnum):
    """A step from cost to price."""

    PART = "part"
    MARKUP = "markup"
    WORK = "work"
    RISK = "risk"
    MINIMUM = "minimum"
    RUSH = "rush"
    TAX = "tax"
    ENDING = "ending"
    CAME_BACK = "came_back"


@dataclass(frozen=True, slots=True, kw_only=True)
class PriceStep:
    """One step of a price, in minor units; it may be nothing."""

    kind: StepKind
    minor: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Priced:
    """A price with its steps, which add up to it, and the tax in it."""

    price: Money
    tax: Money
    steps: tuple[PriceStep, ...]
    taxes: Taxes

    def of(self, *kinds: StepKind) -> int:
        """What some steps come to together."""
        return sum(step.minor for step in self.steps if step.kind in kinds)


def markup_of(cost_minor: int, bands: Sequence[Band]) -> int:
    """Markup on a part's cost, band by band: each on the piece of the cost that lies in it.

    >>> markup_of(15_000, (Band(up_to_minor=10_000, bps=4_000), Band(up_to_minor=None, bps=2_000)))
    5000
    """
    total, below = Decimal(0), 0
    for band in bands:
        top = cost_minor if band.up_to_minor is None else min(cost_minor, band.up_to_minor)
        total += max(top - below, 0) * Decimal(band.bps) / _WHOLE
        below = max(top, below)
    return int(half_up(total, 0))


def price(
    policy: PricePolicy,
    cost_minor: int,
    minutes: int,
    *,
    device_class: str = "",
    failure_minor: int = 0,
    rush: bool = False,
) -> Priced:
    """The price of a repair by the shop's policy; `failure_minor` is what a failure costs on average (chance
    times what follows).
    """
    markup = markup_of(cost_minor, policy.bands)
    by_minutes = int(half_up(policy.rate_minor * Decimal(minutes) / 60, 0))
    work = policy.flat_minor.get(device_class, by_minutes)
    risk = int(half_up(failure_minor * Decimal(policy.risk_bps) / _WHOLE, 0))
    parts, rest = cost_minor + markup, work + risk
    rush_bps = policy.rush_bps if rush else 0
    least, without = _least(policy, parts, rush_bps), _asked(policy, parts, rest, rush_bps)
    minimum = _topped_up(policy, parts, rest, rush_bps) if without < least else 0
    hurry = _share(parts + rest + minimum, rush_bps)
    so_far = parts + rest + minimum + hurry
    nets = _by_rate(policy, parts, so_far - parts)
    ended = end_in(max(without, least), policy.ending, policy.currency)
    whole = Money(minor=ended, currency=policy.currency)
    taxes = _taxes(policy, nets)
    tax = tax_in(whole, taxes)
    # what is not part of the tax in the end is the ending's; where prices are with tax already, the tax is
    # inside of the others and is no step of its own
    as_step = 0 if policy.tax_included else tax.minor
    steps = (
        (StepKind.PART, cost_minor),
        (StepKind.MARKUP, markup),
        (StepKind.WORK, work),
        (StepKind.RISK, risk),
        (StepKind.MINIMUM, minimum),
        (StepKind.RUSH, hurry),
        (StepKind.TAX, as_step),
        (StepKind.ENDING, ended - so_far - as_step),
    )
    return Priced(
        price=whole,
        tax=tax,
        steps=tuple(PriceStep(kind=kind, minor=minor) for kind, minor in steps),
        taxes=taxes,
    )


def _share(minor: int, bps: int) -> int:
    return int(half_up(minor * Decimal(bps) / _WHOLE, 0))


def _asked(policy: PricePolicy, parts: int, rest: int, rush_bps: int) -> int:
    """What is asked with rush and tax, and without a minimum."""
    net = parts + rest + _share(parts + rest, rush_bps)
    return net + _added(policy, _by_rate(policy, parts, net - parts))


def _least(policy: PricePolicy, parts: int, rush_bps: int) -> int:
    """The minimum charge with rush and tax: of work's rate, and of the parts' for the parts where theirs is
    higher. At the parts' lower one a dearer part would be sold for less.
    """
    net = policy.minimum_minor + _share(policy.minimum_minor, rush_bps)
    if not net or policy.tax_included:
        return net
    more = max(_part_bps(policy) - policy.tax_bps, 0)
    return net + int(half_up((Decimal(net) * policy.tax_bps + min(parts, net) * more) / _WHOLE, 0))


def _topped_up(policy: PricePolicy, parts: int, rest: int, rush_bps: int) -> int:
    """What is added to parts and work so that they come to the minimum; more where parts bear less tax."""
    less = 0 if policy.tax_included else max(policy.tax_bps - _part_bps(policy), 0)
    missing = Decimal(parts * less) / (10_000 + policy.tax_bps) * _WHOLE / (10_000 + rush_bps)
    return max(policy.minimum_minor - parts - rest + int(half_up(missing, 0)), 0)


def _part_bps(policy: PricePolicy) -> int:
    return policy.tax_bps if policy.part_tax_bps is None else policy.part_tax_bps


def _by_rate(policy: PricePolicy, parts_minor: int, rest_minor: int) -> dict[int, int]:
    """What bears which rate of tax, in minor units."""
    part_bps = _part_bps(policy)
    if part_bps == policy.tax_bps:
        return {part_bps: parts_minor + rest_minor}
    return {part_bps: parts_minor, policy.tax_bps: rest_minor}


def with_tax(policy: PricePolicy, part: Money) -> Money:
    """What a part with its markup is in a price that is paid: with its tax where that comes on top."""
    added = 0 if policy.tax_included else _share(part.minor, _part_bps(policy))
    return Money(minor=part.minor + added, currency=part.currency)


def _added(policy: PricePolicy, nets: Mapping[int, int]) -> int:
    """The tax that comes on top, rounded by line or once (rule quote.tax)."""
    if policy.tax_included:
        return 0
    exact = [net * Decimal(bps) / _WHOLE for bps, net in nets.items()]
    return int(
        sum(half_up(tax, 0) for tax in exact) if policy.tax_by_line else half_up(sum(exact, Decimal(0)), 0)
    )


def _taxes(policy: PricePolicy, nets: Mapping[int, int]) -> Taxes:
    """How a price is shared among its rates: as what bears them is, with its tax."""
    shares = tuple(
        TaxShare(bps=bps, weight=net * (1 if policy.tax_included else 10_000 + bps))
        for bps, net in nets.items()
    )
    return Taxes(shares=shares, by_line=policy.tax_by_line)


def end_in(minor: int, ending: Ending, currency: str) -> int:
    """The smallest amount that is not less and ends as the shop's prices do.

    >>> [end_in(12_345, ending, "TAL") for ending in Ending]
    [12345, 12400, 12390, 12900]
    """
    unit: int = 10 ** digits_of(currency)
    if ending is Ending.WHOLE:
        return -(-minor // unit) * unit
    if ending is Ending.NINETY:
        offset = unit * 9 // 10
        return -(-(minor - offset) // unit) * unit + offset
    if ending is Ending.NINE:
        step, offset = 10 * unit, 9 * unit
        return -(-(minor - offset) // step) * step + offset
    return minor


def deposit_of(price: Money, policy: PricePolicy) -> Money:
    """What is paid before a part is ordered, in whole units and never more than the price (rule
    quote.discount).
    """
    unit: int = 10 ** digits_of(policy.currency)
    share = price.minor * policy.deposit_bps
    whole = -(-share // (10_000 * unit)) * unit
    return Money(minor=min(whole, price.minor), currency=policy.currency)


def least_after_discount(price: Money, role: Role, policy: PricePolicy) -> Money:
    """The lowest price that somebody of a role may give, never below the limit by rounding; a manager without
    a limit may give any.

    >>> tenth = {"counter": 1_000}
    >>> policy = PricePolicy(currency="TAL", rate_minor=0, bands=(), tax_bps=0, discount_bps=tenth)
    >>> least_after_discount(Money(minor=101, currency="TAL"), Role.COUNTER, policy).minor
    91
    """
    most = policy.discount_bps.get(role, 10_000 if role is Role.MANAGER else 0)
    return Money(minor=-(-price.minor * (10_000 - most) // 10_000), currency=price.currency)


# -- as it is kept and typed ---------------------------------------------------------------------------------


def policy_from(
    kept: Mapping[str, Any], *, currency: str, rate_minor: int, markup_bps: int, tax_bps: int
) -> PricePolicy:
    """A policy from what a shop keeps; what it does not say is as its three rates say."""
    bands = tuple(Band(up_to_minor=band["up_to"], bps=band["bps"]) for band in kept.get("bands", ()))
    return PricePolicy(
        currency=currency,
        rate_minor=rate_minor,
        bands=bands or (Band(up_to_minor=None, bps=markup_bps),),
        tax_bps=tax_bps,
        tax_included=bool(kept.get("tax_included", False)),
        flat_minor=kept.get("flat", {}),
        minimum_minor=kept.get("minimum", 0),
        risk_bps=kept.get("risk", 0),
        rush_bps=kept.get("rush", 0),
        deposit_bps=kept.get("deposit", 0),
        ending=Ending(kept.get("ending", Ending.WHOLE.value)),
        discount_bps=kept.get("discounts", {}),
        part_tax_bps=kept.get("part_tax"),
        tax_by_line=bool(kept.get("tax_by_line", True)),
        failure_minor=kept.get("failure", 1_500),
        least_chance_bps=kept.get("least_chance", 6_000),
        worth_bps=kept.get("worth", 6_000),
    )


def policy_kept(policy: PricePolicy) -> dict[str, Any]:
    """A policy as a shop keeps it; `policy_from` reads it back."""
    return {
        "bands": [{"up_to": band.up_to_minor, "bps": band.bps} for band in policy.bands],
        "tax_included": policy.tax_included,
        "flat": dict(policy.flat_minor),
        "minimum": policy.minimum_minor,
        "risk": policy.risk_bps,
        "rush": policy.rush_bps,
        "deposit": policy.deposit_bps,
        "ending": policy.ending.value,
        "discounts": dict(policy.discount_bps),
        "part_tax": policy.part_tax_bps,
        "tax_by_line": policy.tax_by_line,
        "failure": policy.failure_minor,
        "least_chance": policy.least_chance_bps,
        "worth": policy.worth_bps,
    }


# most of the shares, in per cent
MOST_MARKUP, MOST_SHARE, MOST_TAX, MOST_WORTH = 500, 100, 50, 200
# no amount of a policy is larger, in whole units; the shop's, no source
MOST_AMOUNT = 1_000_000
# nobody promises longer, in days; the shop's, no source


def read_policy(typed: Mapping[str, str], before: PricePolicy, classes: Sequence[str]) -> PricePolicy:
    """A policy as typed; every field that cannot be read is refused, with its name."""
    problems = Problems("The price policy")
    currency = before.currency
    unit: int = 10 ** digits_of(currency)

    def amount(name: str) -> int:
        text = typed.get(name, "").strip()
        read = partial(read_amount, currency=currency, most=MOST_AMOUNT * unit)
        return int(problems.read(name, text, read) or 0) if text else 0

    def share(name: str, most: int = MOST_SHARE) -> int:
        text = typed.get(name, "").strip()
        return int(problems.read(name, text, partial(read_percent, most=most)) or 0) if text else 0

    bands = _read_bands(typed, problems, amount, share)
    ending = problems.read(
        "ending", typed.get("ending", ""), lambda text: Ending(read_choice(text, tuple(Ending)))
    )
    flat = {name: amount(f"flat.{name}") for name in classes if typed.get(f"flat.{name}", "").strip()}
    policy = PricePolicy(
        currency=currency,
        rate_minor=before.rate_minor,
        bands=bands,
        tax_bps=before.tax_bps,
        tax_included=typed.get("tax_included", "") == "yes",
        flat_minor=flat,
        minimum_minor=amount("minimum"),
        risk_bps=share("risk"),
        rush_bps=share("rush"),
        deposit_bps=share("deposit"),
        ending=ending or Ending.WHOLE,
        discount_bps={
            role.value: share(f"discount.{role.value}")
            for role in Role
            if typed.get(f"discount.{role.value}", "").strip()
        },
        part_tax_bps=share("part_tax", MOST_TAX) if typed.get("part_tax", "").strip() else None,
        tax_by_line=typed.get("tax_once", "") != "yes",
        failure_minor=amount("failure") if typed.get("failure", "").strip() else before.failure_minor,
        least_chance_bps=share("least_chance")
        if typed.get("least_chance", "").strip()
        else before.least_chance_bps,
        worth_bps=share("worth", MOST_WORTH) if typed.get("worth", "").strip() else before.worth_bps,
    )
    problems.refuse()
    return policy


def _read_bands(
    typed: Mapping[str, str],
    problems: Problems,
    amount: Callable[[str], int],
    share: Callable[[str, int], int],
) -> tuple[Band, ...]:
    """The bands of markup: each up to a limit above the one before, the last without."""
    bands: list[Band] = []
    for number in range(MOST_BANDS):
        limit, bps = (typed.get(f"band.{number}.{name}", "").strip() for name in ("up_to", "markup"))
        if limit or bps:
            up_to = amount(f"band.{number}.up_to") if limit else None
            bands.append(Band(up_to_minor=up_to, bps=share(f"band.{number}.markup", MOST_MARKUP)))
    limits = [band.up_to_minor for band in bands]
    below = [limit for limit in limits[:-1] if limit is not None]
    rising = len(below) == len(limits) - 1 and below == sorted(set(below))
    if not bands or limits[-1] is not None or not rising:
        last = f"band.{max(len(bands) - 1, 0)}.up_to"
        problems.add(last, typed.get(last, ""), fact("quoting.bands-rise"))
    return tuple(bands)


def policy_texts(policy: PricePolicy, classes: Sequence[str]) -> dict[str, str]:
    """A policy as its form has it."""
    texts = {
        "minimum": amount_text(policy.minimum_minor, policy.currency),
        "risk": decimal_text(policy.risk_bps, 2),
        "rush": decimal_text(policy.rush_bps, 2),
        "deposit": decimal_text(policy.deposit_bps, 2),
        "ending": policy.ending.value,
        "tax_included": "yes" if policy.tax_included else "",
        "tax_once": "" if policy.tax_by_line else "yes",
        "failure": amount_text(policy.failure_minor, policy.currency),
        "least_chance": decimal_text(policy.least_chance_bps, 2),
        "worth": decimal_text(policy.worth_bps, 2),
    }
    if policy.part_tax_bps is not None:
        texts["part_tax"] = decimal_text(policy.part_tax_bps, 2)
    for number, band in enumerate(policy.bands):
        limit = "" if band.up_to_minor is None else amount_text(band.up_to_minor, policy.currency)
        texts |= {f"band.{number}.up_to": limit, f"band.{number}.markup": decimal_text(band.bps, 2)}
    for name in classes:
        if name in policy.flat_minor:
            texts[f"flat.{name}"] = amount_text(policy.flat_minor[name], policy.currency)
    for role in Role:
        if role in policy.discount_bps:
            texts[f"discount.{role.value}"] = decimal_text(policy.discount_bps[role], 2)
    return texts
