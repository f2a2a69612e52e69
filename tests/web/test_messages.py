"""Messages and the status page over HTTP: what is pressed, what is shown to whom, and the page attacked."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from builders import HERON, Shop
from starlette.testclient import TestClient
from web.desk import Sit

from sutura.core.handover.telling import Told
from sutura.devices import plug
from sutura.devices.simulated.messenger import SimulatedMessenger
from sutura.services import messages
from sutura.store.database import connection
from sutura.web.app import told_path


@pytest.fixture
def outbox() -> Iterator[SimulatedMessenger]:
    made = SimulatedMessenger()
    plug(messenger=made)
    yield made
    plug(messenger=SimulatedMessenger())


@pytest.fixture
def job(floor: Shop) -> str:
    with connection():
        floor.receive("P-1001", 1)
        code = floor.closed(HERON)
        floor.look_at_sealed(code)
    return code


def test_it_is_told_from_the_job_and_stands_in_its_history(
    desks: Sit, job: str, outbox: SimulatedMessenger
) -> None:
    pell = desks("pell")
    pell.get(f"/jobs/{job}")
    for _ in range(2):
        pell.post(f"/jobs/{job}/tell", told="ready")
        # several kinds have a value "waiting"
        assert "it is ready, by text – waits until" in " ".join(pell.page.split())
        assert pell.answer.status_code == 200
    assert pell.page.count("The customer is told: it is ready (by text).") == 1
    refused = pell.post(f"/jobs/{job}/tell", told="delayed", reason="no")
    assert refused.status_code == 422
    assert 'name="reason" value="no"' in pell.page
    assert pell.post(f"/jobs/{job}/tell", told="nonsense").status_code == 422


def test_the_words_are_tried_on_a_real_job_before_they_are_kept(desks: Sit, job: str) -> None:
    ines = desks("ines")
    ines.get("/messages?language=de")
    assert "ist fertig" in ines.page
    typed = {
        field: ines.hidden(field) or "All right"
        for field in (f"{part}.{kind}" for part in ("subject", "text") for kind in KINDS)
    }
    typed |= {"text.quote": "Hier: {link}", "text.delayed": "Später: {reason}"}
    more = {
        "quiet_from": "20:00",
        "quiet_to": "08:00",
        "reminders": "1, 7",
        "storage_days": "60",
        "language": "de",
    }
    tried = ines.post("/messages/try", **{**typed, **more, "text.ready": "Hallo {job}", "for_job": job})
    assert f"Hallo {job}" in tried.text
    assert "/q/…" in tried.text
    assert "Später: das Teil kam spät" in tried.text
    with connection():
        assert messages.telling().words == {}
    wrong = ines.post(
        "/messages", **{**typed, **more, "text.ready": "{nobody}", "_version": ines.hidden("version")}
    )
    assert wrong.status_code == 422
    assert "{nobody}" in ines.page
    ines.post(
        "/messages", **{**typed, **more, "text.ready": "Hallo {job}", "_version": ines.hidden("version")}
    )
    assert ines.answer.status_code == 200
    with connection():
        assert {name: own[Told.READY].text for name, own in messages.telling().words.items()} == {
            "de": "Hallo {job}"
        }
    assert desks("pell").get("/messages").status_code == 403


KINDS = ("ready", "reminder", "delayed", "question", "quote", "receipt", "returned")


def test_the_status_page_shows_no_name_and_nothing_of_others(
    desks: Sit, floor: Shop, job: str, client: TestClient
) -> None:
    with connection():
        link = messages.status_link(floor.job(job), floor.now)
    page = client.get(f"/s/{link}")
    assert page.status_code == 200
    for says in (job, "It is ready.", "Price agreed: 139.00 TAL"):
        assert says in page.text
    for hidden in ("Orla", "Venn", "555", "Bram", "Pell", "margin", "serial"):
        assert hidden not in page.text
    assert page.headers["cache-control"] == "no-store"
    assert page.headers["referrer-policy"] == "no-referrer"
    assert page.headers["x-robots-tag"] == "noindex"
    assert client.post(f"/s/{link}").status_code == 405


def test_a_link_cannot_be_guessed_and_is_in_no_log(client: TestClient, floor: Shop, job: str) -> None:
    with connection():
        link = messages.status_link(floor.job(job), floor.now)
    assert len(link) >= 24, "144 bits"
    wrong = [
        link[:-1] + ("a" if link[-1] != "a" else "b"),
        link.upper(),
        "a" * 24,
        "%00" * 8,
        "..%2f..%2fetc",
        "x" * 4000,
    ]
    answers = [client.get(f"/s/{one}") for one in wrong]
    assert {answer.status_code for answer in answers} <= {404, 414, 429}
    assert all(job not in answer.text for answer in answers)
    assert link not in told_path(f"/s/{link}")


def test_the_ticket_carries_the_code_to_follow_it(desks: Sit, job: str) -> None:
    page = desks("pell").get(f"/jobs/{job}/ticket")
    assert page.text.count('class="qr"') == 2
    assert "Follow your repair" in page.text
