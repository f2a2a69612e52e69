"""Every input has bounds: the last value that is taken and the first that is not, each way. The bounds are
the shop's or common practice, no source; what the page of numbers says is not said again here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from builders import HERON, impact, models

from sutura.core.catalogue.unlisted import Measured, check_measured
from sutura.core.errors import Invalid, Refusal
from sutura.core.handover.giving import check_let_go
from sutura.core.identify.reading import edits_allowed
from sutura.core.intake.arrival import check_arrival, check_consent_text, check_customer
from sutura.core.intake.cups import read_cups
from sutura.core.intake.marks import check_marks
from sutura.core.intake.promise import check_new_promise
from sutura.core.matching.layout import place_on
from sutura.core.maths.geometry import Box, Point
from sutura.core.maths.statistics import wilson
from sutura.core.people import check_person
from sutura.core.quoting.answers import read_found
from sutura.core.shop import OpenHours, read_time
from sutura.core.stock.pieces import read_label

FACE = models()[HERON].face
NOW = datetime(2031, 3, 3, 9, tzinfo=UTC)
MEASURED = Measured(
    maker="Nobody", name="ZX", device_class="phone", width_mm=70, height_mm=140, diagonal_in=5.8
)


def refused(act: Callable[[], object]) -> bool:
    """Whether something is refused, by a list of what is wrong or by a refusal."""
    try:
        found = act()
    except (Refusal, ValueError):
        return True
    return isinstance(found, list) and bool(found)


def measured(**values: object) -> Callable[[], object]:
    return lambda: check_measured(replace(MEASURED, **values))  # type: ignore[arg-type]


def customer(name: str = "Orla", phone: str = "555 01", email: str = "") -> Callable[[], object]:
    return lambda: check_customer(name, phone, email)


def person(name: str = "Bram", login: str = "bram", password: str | None = None) -> Callable[[], object]:
    return lambda: check_person(name=name, login=login, role="technician", password=password)


def new_promise(reason: str) -> Callable[[], object]:
    always = OpenHours(ZoneInfo("Etc/UTC"))
    return lambda: check_new_promise(NOW, NOW + timedelta(hours=1), reason, NOW, always)


def noted(note: str) -> Callable[[], object]:
    return lambda: check_marks([replace(impact(), note=note)], FACE)


PAIRS: dict[str, tuple[Callable[[], object], Callable[[], object]]] = {
    "cups from 10": (lambda: read_cups("10"), lambda: read_cups("9")),
    "cups to 120": (lambda: read_cups("120 mm"), lambda: read_cups("121")),
    "eight cups": (
        lambda: read_cups(" ".join(str(40 + n) for n in range(8))),
        lambda: read_cups(" ".join(str(40 + n) for n in range(9))),
    ),
    "a cup at least": (lambda: read_cups("40"), lambda: read_cups(" , ")),
    "width from 10": (measured(width_mm=10, height_mm=160), measured(width_mm=9.9, height_mm=160)),
    "height to 1000": (measured(height_mm=1000), measured(height_mm=1000.1)),
    "diagonal from 0.4": (measured(diagonal_in=0.4), measured(diagonal_in=0.39)),
    "diagonal inside": (measured(diagonal_in=6.16), measured(diagonal_in=6.163)),
    "pins from 1": (measured(connector_pins=1), measured(connector_pins=0)),
    "pins to 200": (measured(connector_pins=200), measured(connector_pins=201)),
    "a name's length": (customer(name="x" * 120), customer(name="x" * 121)),
    "a name at all": (customer(name="x"), customer(name="  ")),
    "five digits": (customer(phone="555 01"), customer(phone="555 0")),
    "a telephone's length": (customer(phone="1" * 40), customer(phone="1" * 41)),
    "reached somehow": (customer(phone="", email="a@b"), customer(phone="", email="")),
    "a mail address": (customer(email="a@b"), customer(email="@b")),
    "its length": (customer(email="a@" + "b" * 198), customer(email="a@" + "b" * 199)),
    "no space in it": (customer(email=" a@b "), customer(email="a @b")),
    "a person's name": (person(name="x" * 80), person(name="x" * 81)),
    "a login": (person(login="ab"), person(login="a")),
    "five letters of why": (new_promise("later"), new_promise("late ")),
    "a note's length": (noted("x" * 120), noted("x" * 121)),
    "marks to 200": (
        lambda: check_marks([impact()] * 200, FACE),
        lambda: check_marks([impact()] * 201, FACE),
    ),
    "a consent from 10": (
        lambda: check_consent_text("data", "x" * 10),
        lambda: check_consent_text("data", "x" * 9),
    ),
    "a consent to 500": (
        lambda: check_consent_text("data", "x" * 500),
        lambda: check_consent_text("data", "x" * 501),
    ),
    "a consent's name": (
        lambda: check_consent_text("a" * 31, "x" * 10),
        lambda: check_consent_text("a" * 32, "x" * 10),
    ),
    "300 characters of arrival": (
        lambda: check_arrival("drop_off", {"data": "backed_up", "keep_note": "x" * 300}),
        lambda: check_arrival("drop_off", {"data": "none of these"}),
    ),
    "midnight": (lambda: read_time("24:00"), lambda: read_time("24:01")),
    "minutes to 59": (lambda: read_time("9:59"), lambda: read_time("9:60")),
    "what was found": (lambda: read_found("x" * 5, "1", "TAL"), lambda: read_found("x" * 4, "1", "TAL")),
    "its words' length": (
        lambda: read_found("x" * 200, "1", "TAL"),
        lambda: read_found("x" * 201, "1", "TAL"),
    ),
    "a cent more": (
        lambda: read_found("torn mesh", "0.01", "TAL"),
        lambda: read_found("torn mesh", "0", "TAL"),
    ),
    "five letters of why it goes": (lambda: check_let_go(" early"), lambda: check_let_go("earl ")),
    "a label of five": (lambda: read_label("S-00414"), lambda: read_label("S-0414")),
    "none of some": (lambda: wilson(0, 1), lambda: wilson(0, 0)),
    "all of some": (lambda: wilson(3, 3), lambda: wilson(4, 3)),
    "not below none": (lambda: wilson(0, 3), lambda: wilson(-1, 3)),
}


@pytest.mark.parametrize("bound", PAIRS)
def test_the_last_is_taken_and_the_first_beyond_is_not(bound: str) -> None:
    last, beyond = PAIRS[bound]
    assert not refused(last)
    assert refused(beyond)


def test_how_many_characters_may_be_misread() -> None:
    """One from five on, two from eight on (rule identify.edits)."""
    assert [edits_allowed("X" * length) for length in (4, 5, 7, 8, 20)] == [0, 1, 1, 2, 2]


def test_a_place_in_words_lies_on_its_edge() -> None:
    outline = Box(x=0, y=0, width=100, height=50)
    assert place_on(outline, "bottom") == Point(x=50, y=50)
    assert place_on(outline, "bottom left") == Point(x=20, y=50)
    assert place_on(outline, "Top right") == Point(x=80, y=0)
    assert place_on(outline, "left bottom") == Point(x=0, y=40)
    assert place_on(outline, "right top") == Point(x=100, y=10)
    assert place_on(outline, "middle of the board") is None


def test_a_label_is_luhn_s() -> None:
    """Source: ISO/IEC 7812: the last digit is the check digit."""
    assert read_label("s-00414") == 41
    for wrong in ("S-00415", "S-", "S-0041x", "S-" + "0" * 20):
        with pytest.raises(Invalid):
            read_label(wrong)
