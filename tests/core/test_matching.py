"""Fit of offers: the trade facts of section 1 of the check values (common practice, no source) and W09."""

from __future__ import annotations

import pytest
from builders import HERON, PLAIN, SLATE, models, offer

from sutura.core.matching import ATTRIBUTES, RULES, Agreement, Finding, Fit, Judged, judge, may_choose, rank


def judged(model_id: str, barcode: str, **changes: object) -> Judged:
    model = models()[model_id]
    return judge(model.need, model.move_over, offer(barcode, **changes))


def finding(one: Judged, attribute: str) -> Finding:
    return next(found for found in one.findings if found.attribute == attribute)


def test_the_differently_numbered_right_panel_fits() -> None:
    found = judged(PLAIN, "P-2001")
    assert found.fit is Fit.FITS
    assert finding(found, "Printed number").agreement is Agreement.ALLOWED
    assert "printed number" in found.says


def test_the_panel_with_thirty_pins_is_refused_with_the_reason() -> None:
    found = judged(PLAIN, "P-2002")
    assert found.fit is Fit.NOT
    assert "needs 40, this one has 30" in found.says


def test_the_panel_with_the_connector_on_the_other_side_is_refused_with_the_reason() -> None:
    found = judged(PLAIN, "P-2003")
    assert found.fit is Fit.NOT
    assert "needs bottom right, this one has bottom left" in found.says


def test_a_different_finish_does_no_harm() -> None:
    attributes = {**offer("P-2001").attributes, "finish": "matte"}
    assert judged(PLAIN, "P-2001", attributes=attributes).fit is Fit.FITS


def test_what_is_not_known_is_never_yes() -> None:
    found = judged(HERON, "P-1004")
    assert found.fit is Fit.UNKNOWN
    assert not may_choose(found.fit)
    assert finding(found, "Connector pins").offered == "not known"


def test_one_difference_outweighs_everything_unknown() -> None:
    attributes = {"kind": "panel", "connector_pins": 30}
    assert judged(PLAIN, "P-2001", attributes=attributes).fit is Fit.NOT


def test_the_siblings_part_is_refused_by_its_family() -> None:
    found = judged(HERON, "P-1003")
    assert found.fit is Fit.NOT
    assert finding(found, "Part family").agreement is Agreement.DIFFERS


def test_the_sibling_itself_takes_that_part() -> None:
    assert judged("fennick-heron-l", "P-1003").fit is Fit.FITS
    assert judged("fennick-heron-l", "P-1001").fit is Fit.NOT


def test_the_wrong_siblings_part_is_refused_although_every_step_is_shared() -> None:
    assert judged("fennick-finch", "P-1101").fit is Fit.FITS
    refused = judged("fennick-finch", "P-1102")
    assert refused.fit is Fit.NOT
    assert "needs 30, this one has 34" in refused.says


def test_a_connector_elsewhere_is_bridged_only_with_the_adapter_in_the_box() -> None:
    need = {"kind": "front assembly", "connector_place": "bottom left"}
    moved = {"kind": "front assembly", "connector_place": "top left"}
    assert judge(need, (), offer("P-3001", attributes=moved)).fit is Fit.NOT
    with_adapter = judge(need, (), offer("P-3001", attributes={**moved, "bridge": "adapter flex"}))
    assert with_adapter.fit is Fit.BRIDGED
    assert may_choose(with_adapter.fit)


@pytest.mark.parametrize(
    ("width", "fit"), [(359.5, Fit.FITS), (360.0, Fit.FITS), (359.0, Fit.FITS), (360.1, Fit.NOT)]
)
def test_an_outline_may_be_half_a_millimetre_off_and_no_more(width: float, fit: Fit) -> None:
    attributes = {**offer("P-2001").attributes, "width_mm": width}
    assert judged(PLAIN, "P-2001", attributes=attributes).fit is fit


def test_a_length_that_is_no_number_differs_and_does_not_crash() -> None:
    attributes = {**offer("P-2001").attributes, "width_mm": "wide"}
    assert judged(PLAIN, "P-2001", attributes=attributes).fit is Fit.NOT


def test_what_the_box_lacks_is_moved_over_and_takes_time() -> None:
    bare, complete = judged(HERON, "P-1001"), judged(HERON, "P-1002")
    assert (bare.move_over, bare.extra_minutes) == (("earpiece module",), 4)
    assert (complete.move_over, complete.extra_minutes) == ((), 0)


def test_ranking_puts_verdict_first_then_the_shelf_then_cost() -> None:
    every = [judged(HERON, code) for code in ("P-1003", "P-1004", "P-1002", "P-1001")]
    assert [one.offer.printed_number for one in rank(every, 7_200)] == [
        "HF-70-R1",
        "HF-70-R2",
        "ZX-070",
        "HFL-71-A",
    ]


def test_a_part_on_the_shelf_comes_before_a_cheaper_one_to_be_ordered() -> None:
    cheap_elsewhere = judged(SLATE, "P-3002", free=0)
    dear_here = judged(SLATE, "P-3001")
    assert rank([cheap_elsewhere, dear_here], 7_200)[0] is dear_here


def test_dear_bench_time_outweighs_a_cheap_part() -> None:
    bare, complete = judged(HERON, "P-1001"), judged(HERON, "P-1002")
    assert rank([complete, bare], 7_200)[0] is bare
    assert rank([complete, bare], 100_000)[0] is complete


def test_every_finding_names_a_listed_rule() -> None:
    listed = {rule.id for rule in RULES}
    assert {found.rule for found in judged(PLAIN, "P-2001").findings} <= listed
    assert len(ATTRIBUTES) + 4 == len(listed)
