"""The shop's prices: every step adds up, a dearer part is never sold for less, what is typed is read back."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from random import Random

import pytest
from builders import examples
from hypothesis import example, given
from hypothesis import strategies as st

from sutura.core.errors import ManyInvalid
from sutura.core.maths.money import Money
from sutura.core.quoting.policy import (
    Band,
    Ending,
    PricePolicy,
    StepKind,
    deposit_of,
    end_in,
    least_after_discount,
    markup_of,
    policy_from,
    policy_kept,
    policy_texts,
    price,
    read_policy,
)
from sutura.core.quoting.pricing import Rates, quote
from sutura.core.quoting.taxes import tax_lines
from sutura.core.values import Role

PLAIN = PricePolicy(
    currency="TAL", rate_minor=7_200, bands=(Band(up_to_minor=None, bps=3_500),), tax_bps=2_000
)
CLASSES = ("phone", "laptop")

policies = st.builds(
    PricePolicy,
    currency=st.sampled_from(["TAL", "JPY", "KWD"]),
    rate_minor=st.integers(0, 20_000),
    bands=st.lists(
        st.tuples(st.integers(1, 40_000), st.integers(0, 9_000)), max_size=3, unique_by=lambda band: band[0]
    ).map(
        lambda pairs: (
            *(Band(up_to_minor=limit, bps=bps) for limit, bps in sorted(pairs)),
            Band(up_to_minor=None, bps=1_500),
        )
    ),
    tax_bps=st.integers(0, 2_700),
    tax_included=st.booleans(),
    flat_minor=st.dictionaries(st.sampled_from(CLASSES), st.integers(0, 30_000)),
    minimum_minor=st.integers(0, 20_000),
    risk_bps=st.integers(0, 10_000),
    rush_bps=st.integers(0, 5_000),
    deposit_bps=st.integers(0, 10_000),
    ending=st.sampled_from(list(Ending)),
    part_tax_bps=st.none() | st.integers(0, 2_700),
    tax_by_line=st.booleans(),
    failure_minor=st.integers(0, 10_000),
    least_chance_bps=st.integers(0, 10_000),
    worth_bps=st.integers(0, 20_000),
)
costs, minutes = st.integers(0, 300_000), st.integers(0, 400)


@given(policies, costs, minutes, st.integers(0, 40_000), st.booleans())
def test_the_steps_add_up_to_the_cent_and_the_tax_is_the_one_inside(
    policy: PricePolicy, cost: int, worked: int, failure: int, rush: bool
) -> None:
    made = price(policy, cost, worked, device_class="phone", failure_minor=failure, rush=rush)
    assert sum(step.minor for step in made.steps) == made.price.minor
    assert {step.kind for step in made.steps} == set(StepKind) - {StepKind.CAME_BACK}
    if policy.part_tax_bps is None:
        inside = Decimal(made.price.minor) * policy.tax_bps / (10_000 + policy.tax_bps)
        assert abs(made.tax.minor - inside) <= Decimal("0.5")
    lines = tax_lines(made.price, made.taxes)
    assert sum(line.gross.minor for line in lines) == made.price.minor
    assert sum(line.tax.minor for line in lines) == made.tax.minor
    assert made.of(StepKind.PART) == cost
    assert all(step.minor >= 0 for step in made.steps if step.kind not in (StepKind.ENDING, StepKind.TAX))
    # the ending never takes away more than the cents that taxes and a minimum are rounded by
    assert made.of(StepKind.ENDING) >= -len(lines) - 1
    # the minimum is kept, with its rush and the tax of work, whatever parts bear
    least = Fraction(policy.minimum_minor * (10_000 + (policy.rush_bps if rush else 0)), 10_000)
    taxed = least if policy.tax_included else least * (10_000 + policy.tax_bps) / 10_000
    assert made.price.minor >= taxed - 1


@given(policies, costs, st.integers(0, 5_000), minutes, st.booleans())
@example(
    replace(PLAIN, minimum_minor=10_000, part_tax_bps=700, ending=Ending.AS_IT_IS), 1_000, 3_000, 0, False
)
@examples(600)
def test_a_dearer_part_is_never_sold_for_less(
    policy: PricePolicy, cost: int, more: int, worked: int, rush: bool
) -> None:
    """Before, not under a minimum whose parts bear less tax than work."""
    dearer = price(policy, cost + more, worked, rush=rush).price.minor
    assert dearer >= price(policy, cost, worked, rush=rush).price.minor


@given(policies, costs, minutes, st.integers(0, 60))
def test_more_work_never_costs_less(policy: PricePolicy, cost: int, worked: int, more: int) -> None:
    assert price(policy, cost, worked + more).price.minor >= price(policy, cost, worked).price.minor


def test_thousands_of_invoices_leak_nothing() -> None:
    """Five thousand prices of parts at one rate and work at another, judged by exact fractions: what is
    shown adds up on every one, and the tax of all of them is off by less than half a cent a line.
    """
    random = Random(16)
    policy = replace(PLAIN, part_tax_bps=700, ending=Ending.AS_IT_IS)
    shown, exact = 0, Fraction(0)
    for _ in range(5_000):
        cost, worked = random.randrange(1, 60_000), random.randrange(1, 200)
        made = price(policy, cost, worked)
        lines = {line.bps: line for line in tax_lines(made.price, made.taxes)}
        assert sum(step.minor for step in made.steps) == made.price.minor
        assert sum(line.net.minor + line.tax.minor for line in lines.values()) == made.price.minor
        # what the customer pays is the two nets with their two taxes, each rounded once
        part = cost + int(Fraction(cost * 3_500, 10_000) + Fraction(1, 2))
        work = int(Fraction(7_200 * worked, 60) + Fraction(1, 2))
        taxes = [Fraction(part * 700, 10_000), Fraction(work * 2_000, 10_000)]
        assert made.price.minor == part + work + sum(int(tax + Fraction(1, 2)) for tax in taxes)
        shown += made.tax.minor
        exact += sum(taxes)
    assert abs(shown - exact) < 5_000


def test_parts_and_work_at_two_rates() -> None:
    """81 of part at 7 % and 30 of work at 20 %: 5.67 + 6.00 of tax, 122.67."""
    policy = replace(PLAIN, part_tax_bps=700, ending=Ending.AS_IT_IS)
    made = price(policy, 6_000, 25)
    assert (made.price.minor, made.tax.minor) == (12_267, 1_167)
    assert [(line.bps, line.tax.minor) for line in tax_lines(made.price, made.taxes)] == [
        (2_000, 600),
        (700, 567),
    ]
    # with tax already: the same 111, of which 75.70 + 5.30 and 25.00 + 5.00
    inside = price(replace(policy, tax_included=True), 6_000, 25)
    assert (inside.price.minor, inside.tax.minor) == (11_100, 530 + 500)
    assert inside.of(StepKind.TAX) == 0


def test_rounding_once_can_differ_by_a_cent() -> None:
    """1.35 of part at 7 % is 0.0945, 1.20 of work at 20.5 % is 0.246: 0.09 + 0.25 by line, 0.34 once; with a
    part of 1.08 x 1.35 = 1.46 it is 0.1022 + 0.246: 0.10 + 0.25 by line and 0.35 once.
    """
    policy = replace(PLAIN, tax_bps=2_050, part_tax_bps=700, ending=Ending.AS_IT_IS)
    for cost in range(1, 400):
        by_line, once = (price(replace(policy, tax_by_line=kind), cost, 1) for kind in (True, False))
        part = cost + int(Fraction(cost * 3_500, 10_000) + Fraction(1, 2))
        exact = Fraction(part * 700, 10_000) + Fraction(120 * 2_050, 10_000)
        assert once.price.minor == part + 120 + int(exact + Fraction(1, 2))
        assert abs(by_line.price.minor - once.price.minor) <= 1
    differ = [
        cost
        for cost in range(1, 400)
        if price(policy, cost, 1).price != price(replace(policy, tax_by_line=False), cost, 1).price
    ]
    assert differ


def test_without_a_policy_the_price_is_that_of_the_three_rates() -> None:
    """60 with a markup of 35 % is 81; 25 minutes at 72 an hour are 30; with 20 % tax 133.20, up to 134."""
    rates = Rates(currency="TAL", bench_rate_minor=7_200, markup_bps=3_500, tax_bps=2_000)
    made = quote(Money(minor=6_000, currency="TAL"), 25, rates)
    assert (made.price.minor, made.part.minor) == (13_400, 8_100)
    assert made.part + made.work + made.tax == made.price


def test_markup_is_taken_band_by_band() -> None:
    bands = (
        Band(up_to_minor=5_000, bps=6_000),
        Band(up_to_minor=20_000, bps=3_000),
        Band(up_to_minor=None, bps=1_000),
    )
    assert markup_of(0, bands) == 0
    assert markup_of(5_000, bands) == 3_000
    assert markup_of(20_000, bands) == 3_000 + 4_500
    assert markup_of(30_000, bands) == 3_000 + 4_500 + 1_000


def test_minimum_rush_risk_and_flat_work() -> None:
    made = price(replace(PLAIN, minimum_minor=5_000, tax_bps=0, ending=Ending.AS_IT_IS), 0, 10)
    assert (made.of(StepKind.WORK), made.of(StepKind.MINIMUM), made.price.minor) == (1_200, 3_800, 5_000)
    flat = replace(PLAIN, flat_minor={"phone": 4_000}, tax_bps=0, ending=Ending.AS_IT_IS)
    assert price(flat, 0, 999, device_class="phone").price.minor == 4_000
    assert price(flat, 0, 10, device_class="laptop").price.minor == 1_200
    risky = replace(PLAIN, risk_bps=5_000, rush_bps=1_000, tax_bps=0, ending=Ending.AS_IT_IS)
    made = price(risky, 0, 50, failure_minor=2_000, rush=True)
    assert (made.of(StepKind.RISK), made.of(StepKind.RUSH), made.price.minor) == (1_000, 700, 7_700)
    assert price(risky, 0, 50, failure_minor=2_000).of(StepKind.RUSH) == 0


def test_a_shop_that_says_everything_with_tax_adds_none() -> None:
    made = price(replace(PLAIN, tax_included=True, ending=Ending.AS_IT_IS), 6_000, 25)
    assert made.price.minor == 11_100
    assert made.tax.minor == 1_850
    assert made.of(StepKind.TAX) == 0


@given(st.integers(0, 10**7), st.sampled_from(list(Ending)), st.sampled_from(["TAL", "JPY", "KWD"]))
def test_a_price_ends_as_prices_do_and_no_smaller_one_would(
    minor: int, ending: Ending, currency: str
) -> None:
    unit = {"TAL": 100, "JPY": 1, "KWD": 1_000}[currency]
    ended = end_in(minor, ending, currency)
    step = {Ending.AS_IT_IS: 1, Ending.WHOLE: unit, Ending.NINETY: unit, Ending.NINE: 10 * unit}[ending]
    assert minor <= ended < minor + step
    if ending is Ending.NINE:
        assert ended % (10 * unit) == 9 * unit
    elif ending is Ending.NINETY:
        assert ended % unit == unit * 9 // 10
    elif ending is Ending.WHOLE:
        assert ended % unit == 0


def test_deposits_and_discounts() -> None:
    policy = replace(
        PLAIN, deposit_bps=3_000, discount_bps={Role.COUNTER.value: 1_000, Role.MANAGER.value: 2_500}
    )
    assert deposit_of(Money(minor=13_401, currency="TAL"), policy).minor == 4_100
    # all of it is never more than the price: 149.50 asked 150.00, which was then refused
    all_of_it = replace(policy, deposit_bps=10_000)
    assert deposit_of(Money(minor=14_950, currency="TAL"), all_of_it).minor == 14_950
    assert deposit_of(Money(minor=13_401, currency="TAL"), PLAIN).minor == 0
    whole = Money(minor=10_000, currency="TAL")
    assert least_after_discount(whole, Role.COUNTER, policy).minor == 9_000
    assert least_after_discount(whole, Role.MANAGER, policy).minor == 7_500
    assert least_after_discount(whole, Role.TECHNICIAN, policy).minor == 10_000
    assert least_after_discount(whole, Role.MANAGER, PLAIN).minor == 0


@given(policies)
def test_what_is_kept_is_read_back(policy: PricePolicy) -> None:
    kept = policy_kept(policy)
    again = policy_from(
        kept, currency=policy.currency, rate_minor=policy.rate_minor, markup_bps=1, tax_bps=policy.tax_bps
    )
    assert again == policy
    assert policy_kept(again) == kept


@given(policies)
def test_what_a_form_shows_is_what_it_reads(policy: PricePolicy) -> None:
    policy = replace(policy, discount_bps=dict.fromkeys((role.value for role in Role), 500))
    read = read_policy(policy_texts(policy, CLASSES), policy, CLASSES)
    assert read == policy


def test_a_policy_that_cannot_be_is_refused_field_by_field() -> None:
    typed = policy_texts(PLAIN, CLASSES)
    with pytest.raises(ManyInvalid) as refused:
        read_policy({**typed, "minimum": "much", "risk": "101", "ending": "odd"}, PLAIN, CLASSES)
    assert set(refused.value.by_field) == {"minimum", "risk", "ending"}
    wrong = {"part_tax": "51", "worth": "201", "least_chance": "-1"}
    with pytest.raises(ManyInvalid) as refused:
        read_policy({**typed, **wrong}, PLAIN, CLASSES)
    assert set(refused.value.by_field) == set(wrong)
    # what is left open stays as it was
    open_fields = {**typed, "worth": "", "least_chance": " ", "failure": ""}
    before = replace(PLAIN, worth_bps=1, least_chance_bps=2, failure_minor=3)
    read = read_policy(open_fields, before, CLASSES)
    assert (read.worth_bps, read.least_chance_bps, read.failure_minor) == (1, 2, 3)
    assert read_policy({**typed, "worth": "0", "least_chance": "0"}, before, CLASSES).worth_bps == 0
    for bands in (
        {"band.0.markup": "", "band.0.up_to": ""},
        {"band.0.up_to": "100", "band.0.markup": "30"},
        {
            "band.0.up_to": "100",
            "band.0.markup": "30",
            "band.1.up_to": "50",
            "band.1.markup": "20",
            "band.2.markup": "9",
        },
        {"band.0.markup": "30", "band.1.markup": "20"},
    ):
        with pytest.raises(ManyInvalid) as refused:
            read_policy({**typed, **bands}, PLAIN, CLASSES)
        assert any(name.startswith("band.") for name in refused.value.by_field)


@given(st.integers(0, 300_000), st.integers(0, 10_000), st.integers(0, 10_000))
def test_a_discount_and_a_deposit_stay_within_their_bounds(minor: int, discount: int, deposit: int) -> None:
    policy = replace(PLAIN, discount_bps={Role.COUNTER: discount}, deposit_bps=deposit)
    whole = Money(minor=minor, currency="TAL")
    least = least_after_discount(whole, Role.COUNTER, policy).minor
    assert Fraction(minor - least) <= Fraction(minor * discount, 10_000) < minor - least + 1
    asked = deposit_of(whole, policy).minor
    assert Fraction(minor * deposit, 10_000) <= asked <= minor
