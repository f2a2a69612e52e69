"""What a German customer gets on paper is German: no sentence or name of the house that is said stays
English.
"""

from __future__ import annotations

import gettext
import re
from datetime import UTC, datetime

import pytest
from builders import HERON, READ, Shop
from starlette.testclient import TestClient
from web.desk import Sit

from sutura.core.planning.queue import Action
from sutura.services import answers, comebacks, messages, routes
from sutura.store.database import DATABASE, connection, raw
from sutura.words import speech
from sutura.words.english import SENTENCES
from sutura.words.names import NAMES, name_of

OURS = {text for text in SENTENCES.values() if isinstance(text, str)}
OURS |= {name_of(kind) for names in NAMES for kind in names}
# what the staff press on the same page
OURS -= {name_of(action) for action in Action}


class Listening:
    """German, with what was asked for and is not there."""

    def __init__(self, words: gettext.NullTranslations) -> None:
        self.words = words
        self.missing: set[str] = set()

    def gettext(self, text: str) -> str:
        said = self.words.gettext(text)
        # names with nothing but their values are the same in every language
        if said == text and text in OURS and re.search(r"[a-z]{3}", re.sub(r"\{[^}]*\}", "", text)):
            self.missing.add(text)
        return said


@pytest.fixture
def german(monkeypatch: pytest.MonkeyPatch) -> Listening:
    heard = Listening(speech._catalogue("de"))
    monkeypatch.setitem(speech._CATALOGUES, "de", heard)
    return heard


@pytest.fixture(autouse=True)
def patient(database: str) -> None:
    with connection():
        raw("delete from link_try")


def speaks_german() -> None:
    DATABASE.execute_sql("update customer set language = 'de'")


def test_what_somebody_typed_is_no_pattern_on_a_paper(desks: Sit, floor: Shop) -> None:
    """Braces and signs in the name of what came with a device stand there as they were typed."""
    with connection():
        floor.receive("P-1001", 1)
        code = floor.closed(HERON, accessories=[("Case {blue} %s {", "")])
        speaks_german()
        floor.hand_back(code)
    pell = desks("pell")
    assert "Case {blue} %s {" in pell.get(f"/jobs/{code}/receipt").text
    ticket = pell.get(f"/jobs/{code}/ticket")
    assert ticket.status_code == 200
    assert "Case {blue} %s {" in ticket.text
    assert pell.get(f"/jobs/{code}/ticket?paper=label").status_code == 200


def test_ticket_quote_receipt_and_status_say_nothing_in_english(
    client: TestClient, desks: Sit, floor: Shop, german: Listening
) -> None:
    """Broken glass on a phone, and every way there is of each class of device."""
    pell, tokens = desks("pell"), []
    with connection():
        floor.receive("P-1001", 1)
        done = floor.closed(HERON)
        floor.hand_back(done)
        speaks_german()
        waiting = [floor.take_in(model_id) for model_id in READ]
        speaks_german()
        for code in waiting:
            page = routes.routes_page(code, floor.now)
            can = [one.weighed.way.key for one in page.ways if not one.weighed.way.why_not][:3]
            if can:
                tokens.append(answers.offer_ways(code, can, floor.counter, datetime.now(UTC)))
        link = messages.status_link(floor.job(done), floor.now)
    for path in (*(f"/jobs/{code}/ticket" for code in (done, *waiting)), f"/jobs/{done}/receipt"):
        assert pell.get(path).status_code == 200
    assert (
        "Was wir sehen: das Frontglas ist gebrochen (1 Einschlagstelle"
        in pell.get(f"/jobs/{done}/ticket").text
    )
    for token in tokens:
        seen = client.get(f"/q/{token}")
        assert seen.status_code == 200
        assert "Tage Garantie" in seen.text
        assert "wir hören auf und fragen Sie" in seen.text
    receipt = pell.get(f"/jobs/{done}/receipt").text
    for row in re.findall(r"<dt>(.*?)</dt><dd>(.*?)</dd>", receipt, re.S):
        assert "nothing" not in " ".join(row), row
    assert client.get(f"/s/{link}").status_code == 200
    assert sorted(german.missing) == []


@pytest.mark.parametrize("language", ["", "de"])
def test_a_receipt_tells_the_shop_s_own_terms(desks: Sit, floor: Shop, language: str) -> None:
    """Days on the part and on the work by the terms in force, as the job's page has them; what voids them is
    said to void them.
    """
    with connection():
        terms = {"work_days": "30", "grade.genuine pulled": "90", "voids": "Opened by others; liquid."}
        comebacks.change_terms(terms, comebacks.newest_terms(), floor.manager, floor.now)
        floor.receive("P-1001", 1)
        floor.tick()
        code = floor.closed(HERON)
        floor.hand_back(code)
        DATABASE.execute_sql("update customer set language = %s", (language,))
        standing = comebacks.standing_of(floor.job(code), floor.now)
    assert standing
    assert standing.part_until
    assert standing.work_until
    page = re.sub(r"</?data[^>]*>", "", desks("pell").get(f"/jobs/{code}/receipt").text)
    receipt = re.sub(r"\s+", " ", page)
    part, work = (f"{day:%d.%m.%Y}" for day in (standing.part_until, standing.work_until))
    if language:
        assert f"bis {part} auf das Teil, bis {work} auf die Arbeit. Sie erlischt durch: Opened" in receipt
    else:
        assert f"until {part} on the part, until {work} on the work. Voided by: Opened" in receipt
