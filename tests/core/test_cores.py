"""What becomes of an old screen, as typed. Expected by hand from the rule."""

from __future__ import annotations

import pytest

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.stock.cores import ENDS, CoreEnd, CoreState, read_end

SOLD = {"to": "sold", "buyer": " Core & Co ", "amount": "12.50"}


def test_one_that_is_sold_has_its_buyer_and_what_it_brought() -> None:
    assert read_end(CoreState.KEPT, SOLD, "TAL") == CoreEnd(
        to=CoreState.SOLD, buyer="Core & Co", amount_minor=1250
    )
    assert read_end(CoreState.KEPT, {**SOLD, "buyer": "x" * 80}, "TAL").buyer == "x" * 80
    assert read_end(CoreState.KEPT, {**SOLD, "buyer": "K"}, "TAL").buyer == "K"
    for wrong, field in (
        ({"buyer": " "}, "buyer"),
        ({"buyer": "x" * 81}, "buyer"),
        ({"amount": ""}, "amount"),
        ({"amount": "-1"}, "amount"),
    ):
        with pytest.raises(ManyInvalid) as refused:
            read_end(CoreState.KEPT, {**SOLD, **wrong}, "TAL")
        assert set(refused.value.by_field) == {field}


@pytest.mark.parametrize("to", [CoreState.HANDED_BACK, CoreState.RECYCLED])
def test_one_that_is_not_sold_has_neither(to: CoreState) -> None:
    assert read_end(CoreState.KEPT, {**SOLD, "to": to.value}, "TAL") == CoreEnd(to=to)


@pytest.mark.parametrize("state", ENDS)
def test_one_that_ended_stays_so(state: CoreState) -> None:
    with pytest.raises(Invalid) as refused:
        read_end(state, SOLD, "TAL")
    assert refused.value.field == "to"


@pytest.mark.parametrize("to", ["", "kept", "lost"])
def test_what_is_no_end_is_refused(to: str) -> None:
    with pytest.raises(ManyInvalid):
        read_end(CoreState.KEPT, {**SOLD, "to": to}, "TAL")
