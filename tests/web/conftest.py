"""The application over HTTP, on its own database, as people at their desks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from builders import Shop
from starlette.testclient import TestClient

from sutura import wiring
from sutura.services import people
from sutura.store import people as people_store
from sutura.store.database import connection
from sutura.web.app import make_app
from sutura.web.session import COOKIE


class Answer:
    """An answer as a reader sees it: white space in a page is one space, however its template is wrapped."""

    def __init__(self, response: Any) -> None:
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
        self.answer: Any = None
        with connection():
            found = people_store.load_person_by_login(login)
        assert found
        client.cookies.set(COOKIE, people.open_session(found.id, datetime.now(UTC)))

    def get(self, path: str) -> Any:
        self.answer = self.client.get(path)
        return self.read()

    def read(self) -> Any:
        self.answer = Answer(self.answer)
        self.page = self.answer.text
        unsaid = self.page.partition("⟦")[1:]
        assert not unsaid[0], f"a fact is shown that nobody said: ⟦{unsaid[1][:200]}"
        return self.answer

    def hidden(self, name: str) -> str:
        found = re.search(rf'name="_?{name}" value="([^"]*)"', self.page)
        return found[1] if found else ""

    def post(self, path: str, **fields: Any) -> Any:
        """Send a form with the tokens of the page last read."""
        data = {"csrf": self.hidden("csrf"), "form_key": self.hidden("form_key"), **fields}
        self.answer = self.client.post(path, data=data)
        return self.read()


@pytest.fixture(scope="module")
def app(database: str) -> Any:
    return make_app(wiring.web_settings(demo=False))


@pytest.fixture
def client(app: Any) -> Iterator[TestClient]:
    with TestClient(app, base_url="http://testserver") as client:
        yield client


@pytest.fixture
def desks(app: Any) -> Iterator[Any]:
    """Opens a browser of its own for each person."""
    opened: list[TestClient] = []

    def sit(login: str) -> Desk:
        opened.append(TestClient(app, base_url="http://testserver"))
        opened[-1].__enter__()
        return Desk(opened[-1], login)

    yield sit
    for client in opened:
        client.__exit__(None, None, None)


@pytest.fixture
def floor(database: str) -> Shop:
    """The shop, on the database the application serves; what it does stays for the file."""
    return Shop(now=datetime.now(UTC))
