"""What small values of the bench, the counter and the shelf say of themselves; common practice, no source."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import pytest
from builders import HERON, NOW, models, said, wanted

from sutura.core.bench.done import IN_HANDS, Done, in_hands
from sutura.core.bench.serials import PROGRAMMER, Asked, needs_programmer, old_serial, what_now
from sutura.core.bench.serials import Outcome as Answer
from sutura.core.bench.telling import TrayField
from sutura.core.bench.written import written_steps
from sutura.core.catalogue.model import Phase, Step
from sutura.core.errors import Invalid, ManyInvalid, NotAllowed, NotFound, SignInRefused, StepBlocked
from sutura.core.facts import NOTHING_SAID, fact, from_json, sentences, to_json
from sutura.core.intake.arrival import check_arrival
from sutura.core.intake.marks import Mark, MarkKind, Side
from sutura.core.job import Round
from sutura.core.matching.attributes import BY_NAME
from sutura.core.matching.picking import picking_of
from sutura.core.maths.geometry import Point
from sutura.core.quoting.pricing import Rates, price_says, rate_texts, read_rates
from sutura.core.stock.reordering import percent_of

MODEL = models()[HERON]


# -- the bench ---------------------------------------------------------------------------------------------


def record(who_id: int, minutes_ago: float) -> Done:
    return Done(attempt=1, step="open", at=NOW - timedelta(minutes=minutes_ago), who="Bram", who_id=who_id)


def test_a_device_may_be_in_somebody_s_hands_for_a_quarter_of_an_hour() -> None:
    quarter = IN_HANDS.total_seconds() / 60
    assert quarter == 15
    assert in_hands([record(2, quarter)], 1, NOW) == record(2, quarter)
    assert in_hands([record(2, quarter + 0.1)], 1, NOW) is None
    assert in_hands([record(1, 1)], 1, NOW) is None
    assert in_hands([record(2, 1), record(1, 1)], 1, NOW) is None
    assert in_hands([], 1, NOW) is None


def step(*tools: str) -> Step:
    return Step(id="one", phase=Phase.SWAP, text="", tools=tools)


def test_the_serial_that_was_read_last_is_the_old_one() -> None:
    assert needs_programmer(step(PROGRAMMER))
    assert not needs_programmer(step("tweezers"))
    assert not needs_programmer(None)
    read = [Asked(outcome=Answer.READ, serial="A1"), Asked(outcome=Answer.READ, serial="B2")]
    assert old_serial([*read, Asked(outcome=Answer.WRITTEN, serial="C3")]) == "B2"
    assert old_serial([]) == ""
    assert "B2" in str(what_now(read))
    assert "C3" in str(what_now([*read, Asked(outcome=Answer.WRITTEN, serial="C3")]))
    assert what_now([]) == fact("serial.read-the-old-one")
    assert what_now([Asked(outcome=Answer.SILENT), *read]) != fact("serial.silent")
    assert what_now([*read, Asked(outcome=Answer.SILENT)]) == fact("serial.silent")


def tray(**values: object) -> TrayField:
    group = next(one for one in MODEL.screws if one.count >= 3)
    given = {"group": replace(group, count=5), "out": 0, **values}
    return TrayField(**given)  # type: ignore[arg-type]


def places_out(field: TrayField) -> list[int]:
    return [place for place in range(1, 6) if field.is_out(place)]


def test_which_screw_lies_in_the_tray() -> None:
    """Five, of which the first was missing on arrival. What was counted without places goes in from the
    first on; taken out one by one, those that were done are out.
    """
    assert places_out(tray(out=5)) == [1, 2, 3, 4, 5]
    assert places_out(tray(out=4, missing=1)) == [2, 3, 4, 5]
    assert places_out(tray(out=2, missing=1)) == [4, 5]
    assert tray(out=2, missing=1).home == 2
    assert tray(out=9).home == 0
    taking = tray(out=0, expected=5, done=frozenset({2, 4}))
    assert places_out(taking) == [2, 4]
    setting = tray(out=5, expected=5, going_in=True, done=frozenset({2, 4}))
    assert places_out(setting) == [1, 3, 5]


# -- the counter ---------------------------------------------------------------------------------------------


def wrong(**how: str) -> list[str]:
    return [problem.field for problem in check_arrival("drop_off", {"data": "backed_up", **how})]


def test_how_full_and_how_warm_it_came_is_within_what_can_be() -> None:
    for level, right in (("0", True), ("100%", True), ("101", False), ("half", False), ("", True)):
        assert (wrong(battery_level=level) == []) is right, level
    for back, right in (("-40", True), ("300", True), ("-41", False), ("301", False), ("warm", False)):
        assert (wrong(back_c=back) == []) is right, back
    assert wrong(battery_level="101") == ["arrival.battery_level"]
    assert wrong(back_c="301") == ["arrival.back_c"]


def mark(kind: MarkKind, *points: tuple[float, float], **more: object) -> Mark:
    given = {"kind": kind, "points": tuple(Point(x=x, y=y) for x, y in points), **more}
    return Mark(**given)  # type: ignore[arg-type]


def test_a_mark_says_what_it_is_and_how_large() -> None:
    spot = said(mark(MarkKind.IMPACT, (20, 30), reach_mm=8).label)
    assert "20" in spot
    assert "30" in spot
    assert "16 mm" in spot
    line = said(mark(MarkKind.CRACK, (0, 0), (3, 4), (3, 14)).label)
    assert "15" in line
    area = said(mark(MarkKind.MISSING, (10, 20), (14, 20), (14, 29), (10, 29)).label)
    assert "4" in area
    assert "9" in area
    behind = said(mark(MarkKind.DENT, (5, 5), side=Side.BACK, note="deep").label)
    assert "back" in behind
    assert "deep" in behind


# -- prices and the shelf ------------------------------------------------------------------------------------


def test_rates_are_read_as_they_are_shown_and_refused_by_their_field() -> None:
    rates = Rates(currency="TAL", bench_rate_minor=7_250, markup_bps=3_550, tax_bps=2_000)
    texts = rate_texts(rates)
    assert texts == {"bench_rate": "72.50", "markup": "35.50", "tax": "20.00"}
    assert read_rates(texts, "TAL") == {"bench_rate_minor": 7_250, "markup_bps": 3_550, "tax_bps": 2_000}
    most = {"bench_rate": "1000", "markup": "500", "tax": "50"}
    assert read_rates(most, "TAL") == {"bench_rate_minor": 100_000, "markup_bps": 50_000, "tax_bps": 5_000}
    zero = dict.fromkeys(most, "0")
    assert set(read_rates(zero, "TAL").values()) == {0}
    with pytest.raises(ManyInvalid) as refused:
        read_rates({"bench_rate": "1000.01", "markup": "501", "tax": "51"}, "TAL")
    assert set(refused.value.by_field) == set(most)
    assert read_rates({**most, "bench_rate": "1000"}, "JPY")["bench_rate_minor"] == 1_000


def test_a_ticket_says_the_price_or_that_it_is_open() -> None:
    assert price_says(None, "TAL") == fact("quoting.price-open")
    assert "129.00" in said(price_says(12_900, "TAL"))
    assert price_says(0, "TAL") != fact("quoting.price-open")


@pytest.mark.parametrize(
    ("chance", "words"),
    [
        (0, "0"),
        (0.0001, "<1"),
        (0.0099, "<1"),
        (0.01, "1"),
        (0.5, "50"),
        (0.99, "99"),
        (0.991, ">99"),
        (0.9999, ">99"),
        (1, "100"),
    ],
)
def test_a_chance_is_never_a_flat_none_or_all(chance: float, words: str) -> None:
    assert percent_of(chance) == words


def test_what_is_picked_is_of_the_family_and_within_its_tolerance() -> None:
    picked = picking_of(wanted(HERON))
    assert (picked.kind, picked.family, picked.pins) == ("front assembly", "heron-front", Decimal(40))
    assert picked.width
    assert picked.width.least < Decimal("70.2") < picked.width.most
    off = picked.width.most - Decimal("70.2")
    assert off == Decimal("70.2") - picked.width.least
    # a hair more than is judged, so that what is kept in binary is never lost by it
    tolerance = Decimal(str(BY_NAME["width_mm"].tolerance))
    assert tolerance < off <= tolerance + Decimal("0.01")
    bare = replace(wanted(HERON), need={"kind": "panel", "part_family": None, "width_mm": "unknown"})
    assert picking_of(bare) == replace(
        picking_of(bare), family=None, pins=None, width=None, active_width=None
    )


# -- refusals and facts --------------------------------------------------------------------------------------


def test_a_refusal_carries_what_it_is_about() -> None:
    with pytest.raises(RuntimeError):
        ManyInvalid([])
    twice = ManyInvalid([Invalid("a", "1", "first"), Invalid("a", "2", "second"), Invalid("b", "", "third")])
    assert list(twice.by_field) == ["a", "b"]
    assert "first" in str(twice.by_field["a"])
    assert twice.problems[1].under("rows[3]").field == "rows[3].a"
    assert (NotAllowed("quote", ("manager",)).roles, NotFound("job", 7).asked) == (("manager",), 7)
    blocked = StepBlocked("screws", 4, 3)
    assert (blocked.step, blocked.expected, blocked.counted) == ("screws", 4, 3)
    assert str(SignInRefused()) != str(SignInRefused(5))
    assert "5" in str(SignInRefused(5))
    assert SignInRefused().wait_minutes == 0


def test_facts_are_kept_whole_and_what_is_missing_is_left_out() -> None:
    one, other = fact("a.one", count=1), fact("a.other", parts=(fact("a.in"), "text"))
    assert from_json(to_json(other)) == other
    assert from_json(to_json([one, 3])) == (one, 3)
    assert from_json({"fact": "x"}) == {"fact": "x"}
    assert sentences([]) == sentences([None, NOTHING_SAID, ""]) == NOTHING_SAID
    assert sentences([None, one]) == one
    assert sentences([one, None, other]) == fact("said.sentences", parts=(one, other))
    assert one.value("count") == 1
    with pytest.raises(KeyError):
        one.value("size")


def test_an_area_is_told_with_its_width_and_height() -> None:
    """From (2, 1) over (12, 31) to (7, 6): 10 mm wide, 30 mm high, told from where it was begun."""
    points = (Point(x=2, y=1), Point(x=12, y=31), Point(x=7, y=6))
    assert said(Mark(kind=MarkKind.DEAD, points=points).label).endswith("at 2, 1 mm, 10 × 30 mm")


def test_a_step_that_was_done_and_holds_is_not_asked_again_for_a_new_part() -> None:
    """Folded open and warm stay so; a cup that was not set yet is set."""
    done = [Done(attempt=1, step=step, at=NOW, who="Bram", who_id=3) for step in ("cards-out", "warm")]
    again = [step.id for step in written_steps(MODEL, Round.NEW_PART, done)]
    assert "warm" not in again
    assert "cup" in again
    assert "cards-out" not in again


def test_a_cup_at_the_back_cover_is_none_at_the_front() -> None:
    """By the sheet of the model: what cuts or lifts the back says nothing of the front (rule intake.cut)."""
    front = replace(MODEL, steps=tuple(step for step in MODEL.steps if step.id == "cup"))
    assert front.front_is_cut
    back = replace(front, steps=tuple(replace(step, text="Lift the Back Cover.") for step in front.steps))
    assert not back.front_is_cut
    later = replace(front, steps=tuple(replace(step, phase=Phase.CLOSE) for step in front.steps))
    assert not later.front_is_cut
