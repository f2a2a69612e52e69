"""Comebacks over HTTP: found from the job, taken in with what is known, decided, counted; the terms."""

from __future__ import annotations

import re

import pytest
from builders import HERON, Shop
from web.desk import Sit

from sutura.services import comebacks, intake
from sutura.store.database import connection


@pytest.fixture
def old(floor: Shop) -> str:
    with connection():
        floor.receive("P-1001", 1)
        code = floor.closed(HERON)
        floor.hand_back(code)
    return code


def test_a_comeback_goes_from_the_job_to_its_cause(desks: Sit, floor: Shop, old: str) -> None:
    pell = desks("pell")
    page = pell.get(f"/jobs/{old}")
    assert "the warranty runs for" in page.text
    pell.post(f"/jobs/{old}/comeback")
    assert f"Take in what came back ({old})" in pell.page
    assert f'name="_comeback_of" value="{old}"' in pell.page
    draft = str(pell.answer.url.path).rsplit("/", 1)[1]
    with connection():
        new = intake.take_in(draft, floor.arrival(marks=[]), floor.counter, floor.tick())
    assert "It came back from" in pell.get(f"/jobs/{new}").text
    assert "It came back as" in pell.get(f"/jobs/{old}").text
    assert "nothing found" in pell.get(f"/jobs/{new}/comeback").text
    assert "others opened it" in pell.get(f"/jobs/{new}/comeback?seal=opened").text
    refused = pell.post(f"/jobs/{new}/comeback/cause", cause="part", seal="whole", reason="no")
    assert refused.status_code == 422
    assert re.search(r'value="part" checked', pell.page)
    pell.post(f"/jobs/{new}/comeback/cause", cause="not_found", seal="whole", reason="")
    assert "Decided: nothing found" in pell.page
    bram = desks("bram")
    assert bram.get(f"/jobs/{new}/comeback").status_code == 200
    assert bram.post(f"/jobs/{new}/comeback/cause", cause="part").status_code == 403
    ines = desks("ines")
    assert new in ines.get("/comebacks").text
    assert pell.get("/comebacks").status_code == 403


def test_the_terms_are_kept_in_versions(desks: Sit) -> None:
    ines = desks("ines")
    ines.get("/comebacks")
    assert (
        ines.post("/comebacks/terms", work_days="x", voids="", _version=ines.hidden("version")).status_code
        == 422
    )
    ines.post(
        "/comebacks/terms",
        work_days="60",
        voids="Opened by others; liquid; bending.",
        **{"grade.refurbished": "90", "_version": ines.hidden("version")},
    )
    assert "refurbished 90, work 60 days" in ines.page
    with connection():
        terms = comebacks.terms_at(Shop().now.replace(year=2199))
    assert (terms.work_days, terms.grades) == (60, {"refurbished": 90})
    seen = ines.hidden("version")
    ines.post("/comebacks/terms", work_days="", voids="Opened by others.", _version=seen)
    assert ines.answer.status_code == 200
    # another window still shows the version before
    stale = ines.post("/comebacks/terms", work_days="7", voids="Somebody else's words.", _version=seen)
    assert stale.status_code == 409
    assert "Somebody else" in ines.page
    with connection():
        assert comebacks.terms_at(Shop().now.replace(year=2199)).work_days is None
        assert len(comebacks.terms_page()) >= 2


def test_what_did_not_come_back_has_no_such_page(desks: Sit, old: str) -> None:
    assert desks("pell").get(f"/jobs/{old}/comeback").status_code == 404
    pell = desks("pell")
    pell.get("/")
    assert pell.post("/jobs/00-AAA/comeback").status_code == 404
