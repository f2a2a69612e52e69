"""Quotes, margins, payments, warranty. Trade facts of check-values section 1 (common practice, no source)."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from fractions import Fraction

import pytest
from builders import HERON, PLAIN, SLATE, models, said
from hypothesis import given
from hypothesis import strategies as st

from sutura.core.errors import AccessoriesMissing, Invalid, ManyInvalid
from sutura.core.handover.giving import Accessory, check_accessories, not_promised, waits_for
from sutura.core.handover.ledger import Method, check_payment
from sutura.core.job import Stage
from sutura.core.maths.money import Money
from sutura.core.quoting.margins import Spent, margin, together
from sutura.core.quoting.pricing import Rates, price_may_change, quote, read_price

RATES = Rates(currency="TAL", bench_rate_minor=7_200, markup_bps=3_500, tax_bps=2_000)


def tal(minor: int) -> Money:
    return Money(minor=minor, currency="TAL")


def test_150_less_a_part_at_60_leaves_90_and_360_per_bench_hour_at_15_minutes() -> None:
    left = margin(tal(15_000), tal(6_000), 15, 0)
    assert (left.margin, left.percent, left.per_bench_hour) == (tal(9_000), Decimal(60), tal(36_000))


def test_the_same_90_from_an_hour_is_90_per_bench_hour() -> None:
    assert margin(tal(15_000), tal(6_000), 60, 0).per_bench_hour == tal(9_000)


def test_nothing_is_divided_by_no_minutes_or_no_price() -> None:
    left = margin(tal(0), tal(6_000), 0, 0)
    assert (left.percent, left.per_bench_hour, left.margin) == (None, None, tal(-6_000))


def test_tax_is_not_the_shops_to_keep() -> None:
    assert margin(tal(12_000), tal(0), 60, 2_000).net == tal(10_000)


def test_jobs_together_add_up_before_they_are_divided() -> None:
    both = together([margin(tal(15_000), tal(6_000), 15, 0), margin(tal(15_000), tal(6_000), 60, 0)])
    assert (both.margin, both.bench_minutes) == (tal(18_000), 75)
    assert both.per_bench_hour == tal(14_400)


def test_a_quote_adds_part_work_and_tax_and_rounds_up_to_a_whole_unit() -> None:
    made = quote(tal(6_000), 29, RATES)
    # (60 × 1.35 + 29/60 × 72) × 1.2 = 138.96
    assert made.price == tal(13_900)
    assert made.part == tal(8_100)


@given(st.integers(1, 200_000), st.integers(1, 600))
def test_the_parts_of_a_quote_always_add_up_to_its_price(cost: int, minutes: int) -> None:
    made = quote(tal(cost), minutes, RATES)
    assert made.part + made.work + made.tax == made.price
    assert made.price.minor % 100 == 0


def test_the_smallest_price_is_one_cent() -> None:
    assert (read_price("0.01", "TAL"), read_price("129.50", "TAL")) == (1, 12_950)


@pytest.mark.parametrize("typed", ["", "0", "-1", "100000.01", "much"])
def test_a_price_is_an_amount_above_zero(typed: str) -> None:
    with pytest.raises(ManyInvalid) as refused:
        read_price(typed, "TAL")
    assert list(refused.value.by_field) == ["price"]


def test_a_price_without_cents_is_rounded_up_to_a_whole_unit() -> None:
    yen = Rates(currency="JPY", bench_rate_minor=7_200, markup_bps=3_500, tax_bps=2_000)
    made = quote(Money(minor=6_001, currency="JPY"), 45, yen)
    assert made.price.minor == 16_201  # 6001 × 1.35 → 8101; (8101 + 0.75 × 7200) × 1.2 = 16201.2
    assert made.part + made.work + made.tax == made.price


# -- handover -------------------------------------------------------------------------------

CAME = [Accessory(id=1, name="SIM card", kept="tray 1"), Accessory(id=2, name="Case", kept="")]


def test_everything_that_came_is_ticked_or_explained() -> None:
    with pytest.raises(AccessoriesMissing, match="Case"):
        check_accessories(CAME, [1], " ")
    check_accessories(CAME, [1, 2], "")
    check_accessories(CAME, [1], "the customer left the case to us")


def test_a_thing_that_did_not_come_does_not_stand_in_for_one_that_did() -> None:
    with pytest.raises(AccessoriesMissing):
        check_accessories(CAME, [1, 99], "")


def test_the_payment_is_the_whole_open_amount_by_a_known_method() -> None:
    assert check_payment(tal(13_900), "139,00", "card") == (tal(13_900), Method.CARD)
    for amount, method in (("138.99", "card"), ("x", "card"), ("", "card"), ("139", "promise")):
        with pytest.raises(Invalid):
            check_payment(tal(13_900), amount, method)


def test_a_cure_is_over_at_its_minute() -> None:
    at = datetime(2031, 3, 3, 9, tzinfo=UTC)
    assert waits_for([], [], at, at) == ()
    [fact] = waits_for([], [], at, at - timedelta(seconds=1))
    assert "2031" in said(fact) or "09:00" in said(fact)


def test_splash_protection_is_not_promised_after_opening() -> None:
    """IEC 60529 ratings hold for the device as the maker sealed it (from memory, sure)."""
    assert "Splash protection" in said(not_promised(sealed_device=True)[0])
    assert len(not_promised(sealed_device=False)) == 1


def test_a_device_that_is_only_clipped_has_no_splash_protection_to_lose() -> None:
    sealed = {model.id: model.seal != "" for model in models().values()}
    assert (sealed[HERON], sealed[SLATE], sealed[PLAIN], sealed["fennick-finch"]) == (
        True,
        True,
        False,
        False,
    )


@pytest.mark.parametrize(
    ("stage", "may"),
    [(Stage.QUOTED, True), (Stage.CLOSED, True), (Stage.DECLINED, False), (Stage.HANDED_BACK, False)],
)
def test_an_agreed_price_can_change_until_it_is_handed_back(stage: Stage, may: bool) -> None:
    assert price_may_change(stage, 13_900) is may
    assert not price_may_change(stage, None)


def test_a_margin_is_told_in_whole_per_cent() -> None:
    """A third of 90 is 30: 33 per cent, and not 33.3."""
    found = margin(tal(9_000), tal(6_000), 20, 0)
    assert str(found.percent) == "33"
    assert found.per_bench_hour == tal(9_000)
    assert margin(tal(9_000), tal(6_000), 0, 0).per_bench_hour is None
    assert margin(tal(0), tal(0), 5, 0).percent is None
    assert margin(tal(9_000), tal(6_000), 1, 0).per_bench_hour == tal(180_000)


@given(
    st.integers(0, 100_000),
    st.lists(st.integers(0, 20_000), min_size=4, max_size=4),
    st.integers(0, 300),
    st.sampled_from([0, 700, 2_000]),
)
def test_a_margin_is_what_the_ledger_charges_less_all_that_was_bought(
    price: int, amounts: list[int], minutes: int, bps: int
) -> None:
    """Against exact fractions, written from the rule: at most half a unit off for each rounding."""
    let_go, parts, tape, broken = amounts
    let_go = min(let_go, price)
    spent = Spent(less_minor=let_go, consumables_minor=tape, broken_minor=broken, rate_minor=7_200)
    found = margin(tal(price), tal(parts), minutes, bps, None, spent)
    net = Fraction(price - let_go) * 10_000 / (10_000 + bps)
    assert abs(found.net.minor - net) <= Fraction(1, 2)
    assert found.margin.minor == found.net.minor - parts - tape - broken
    assert abs(found.work.minor - Fraction(minutes * 7_200, 60)) <= Fraction(1, 2)
    assert found.left == found.margin - found.work
    assert found.cost.minor == parts + tape + broken
    # what was let go is what is missing from the whole price
    whole = margin(tal(price), tal(parts), minutes, bps)
    assert found.less == whole.net - found.net
    both = together([found, whole])
    assert both.margin == found.margin + whole.margin
    assert both.left == found.left + whole.left
