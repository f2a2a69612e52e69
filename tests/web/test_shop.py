"""The shop's own settings at the Counter: when it is open."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from builders import Shop
from web.desk import Sit

WEEK = {f"{name}.{day}": time for day in range(6) for name, time in (("opens", "9"), ("closes", "18:30"))}


def test_opening_hours_are_set_as_a_week_and_bind_what_is_promised(desks: Sit, floor: Shop) -> None:
    ines = desks("ines")
    ines.get("/consents")
    assert "No hours are set" in ines.page
    version = ines.hidden("version")
    ines.post("/consents/hours", **{"opens.0": "9", "closes.0": "8", "version": version})
    assert ines.answer.status_code == 422
    assert "write a later time than the one it opens" in ines.page
    assert 'value="8"' in ines.page
    ines.post("/consents/hours", **WEEK, closed="2031-03-04", version=version)
    ines.get("/consents")
    assert 'value="18:30"' in ines.page
    assert "2031-03-04" in ines.page
    assert "No hours are set" not in ines.page
    # a page that was open meanwhile is told what was saved, and keeps what was typed
    ines.post("/consents/hours", **{**WEEK, "closes.5": "13"}, version=version)
    assert ines.answer.status_code == 409
    assert 'value="13"' in ines.page
    promised = floor.job(floor.take_in()).promise_at.astimezone(ZoneInfo("Etc/GMT-1"))
    assert promised.weekday() != 6
    assert 9 * 60 <= promised.hour * 60 + promised.minute <= 18 * 60 + 30


def test_only_who_sets_up_the_counter_sets_its_hours(desks: Sit) -> None:
    pell = desks("pell")
    pell.get("/counter")
    pell.post("/consents/hours", **WEEK, version="1")
    assert pell.answer.status_code == 403
