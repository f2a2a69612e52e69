"""A person's browser without its script, and what people send with it."""

from __future__ import annotations

import json
import re
import secrets
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from builders import HERON, all_work, models
from httpx2 import Response
from starlette.testclient import TestClient

from sutura.services import people
from sutura.store import people as people_store
from sutura.store.database import connection
from sutura.web.session import COOKIE


class Answer:
    """An answer as a reader sees it: white space in a page is one space, however its template is wrapped."""

    def __init__(self, response: Response) -> None:
        self.response = response
        html = response.headers.get("content-type", "").startswith("text/html")
        self.text = re.sub(r"\s+", " ", response.text) if html else response.text

    def __getattr__(self, name: str) -> Any:
        return getattr(self.response, name)


class Desk:
    """One person's browser without its script: reads pages, sends their forms.

    The session is opened beside the sign-in page, whose password check is slow on purpose; test_security
    signs in.
    """

    def __init__(self, client: TestClient, login: str) -> None:
        self.client, self.page = client, ""
        # what was sent, to be sent once more from a page that is out of date
        self.sent: list[tuple[str, dict[str, Any]]] = []
        self.answer: Answer
        with connection():
            found = people_store.load_person_by_login(login)
        assert found
        client.cookies.set(COOKIE, people.open_session(found.id, datetime.now(UTC)))

    def get(self, path: str) -> Answer:
        return self.read(self.client.get(path))

    def read(self, response: Response) -> Answer:
        self.answer = Answer(response)
        self.page = self.answer.text
        unsaid = self.page.partition("⟦")[1:]
        assert not unsaid[0], f"a fact is shown that nobody said: ⟦{unsaid[1][:200]}"
        return self.answer

    def hidden(self, name: str) -> str:
        found = re.search(rf'name="_?{name}" value="([^"]*)"', self.page)
        return found[1] if found else ""

    def post(self, path: str, **fields: Any) -> Answer:
        """Send a form with the tokens of the page last read."""
        data = {"csrf": self.hidden("csrf"), "form_key": self.hidden("form_key"), **fields}
        self.sent.append((path, data))
        return self.read(self.client.post(path, data=data))

    def sends_all_again(self) -> list[str]:
        """Everything that was sent is sent once more with keys of its own, as from a second tab that nobody
        loaded anew: what is not answered.
        """
        broken = []
        for path, data in self.sent:
            again = {**data, "form_key": secrets.token_hex(12)}
            answer = self.client.post(path, data=again)
            if answer.status_code >= 500:
                broken.append(f"{answer.status_code} {path} {data}")
        return broken


# opens a browser of its own for each person
Sit = Callable[[str], Desk]


def intake_fields(model_id: str = HERON, **changes: Any) -> dict[str, Any]:
    answers = {f"function.{name}": outcome for name, (outcome, _) in all_work(models()[model_id]).items()}
    plain: dict[str, Any] = {
        "act": "take-in",
        "model_id": model_id,
        "read_number": "FH-2107",
        "name": "Orla Venn",
        "phone": "555 0101",
        "email": "",
        "channel": "drop_off",
        "consent": ["data", "splash", "parts"],
        "promise": "soonest",
        "accessory": ["SIM card"],
        "kept.SIM card": "tray 1",
        "marks": json.dumps([{"kind": "crack", "points": [[1, 2], [30, 40]], "reach_mm": 0}]),
    }
    return {**plain, **answers, **changes}


def new_intake(desk: Desk) -> str:
    desk.get("/counter")
    return str(desk.post("/counter/new", read_number="").url.path)


def code_of(desk: Desk) -> str:
    return str(desk.answer.url.path).split("/")[2]
