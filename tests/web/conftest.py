"""The application over HTTP, on its own database, as people at their desks."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

import pytest
from builders import Shop
from fastapi import FastAPI
from starlette.testclient import TestClient
from web.desk import Desk, Sit

from sutura import wiring
from sutura.web.app import make_app


@pytest.fixture(scope="module")
def app(database: str) -> FastAPI:
    return make_app(wiring.web_settings(demo=False))


@pytest.fixture
def client(app: FastAPI) -> Iterator[TestClient]:
    with TestClient(app, base_url="http://testserver") as client:
        yield client


# what is tried there counts what others did before: nothing is sent again behind its back
COUNTED = {"web.test_planning", "web.test_budgets"}


@pytest.fixture
def desks(app: FastAPI, request: pytest.FixtureRequest) -> Iterator[Sit]:
    """Opens a browser of its own for each person."""
    opened: list[TestClient] = []
    sat: list[Desk] = []

    def sit(login: str) -> Desk:
        opened.append(TestClient(app, base_url="http://testserver"))
        opened[-1].__enter__()
        sat.append(Desk(opened[-1], login))
        return sat[-1]

    yield sit
    # every deed from a stale page is a refusal in words
    again = sat if request.module.__name__ not in COUNTED else []
    unanswered = [broken for desk in again for broken in desk.sends_all_again()]
    for client in opened:
        client.__exit__(None, None, None)
    assert unanswered == []


@pytest.fixture
def floor(database: str) -> Shop:
    """The shop, on the database the application serves; what it does stays for the file."""
    return Shop(now=datetime.now(UTC))
