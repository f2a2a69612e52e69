"""What pages say of the same, read out of the elements that mark it, to be held against each other."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime

from starlette.testclient import TestClient

from sutura import wiring
from sutura.core.values import Person
from sutura.services import people
from sutura.web.app import make_app
from sutura.web.session import COOKIE

_MARKED = re.compile(r'data-fact="(\w+) ([^"]+)"\s+value="([^"]*)"')
# a mark that only names what stands there is no fact
_NO_FACTS = {"part", "way"}
ROOMS = ("", "/assign", "/match", "/routes", "/handover", "/money", "/receipt", "/bench")

# of each fact, by its name and what it is of: what is said, and on which pages
Said = dict[tuple[str, str], dict[str, set[str]]]


def said_of(codes: Iterable[str], by: Person, now: datetime) -> Said:
    """What the house says at one moment: the pages of these jobs, and those over all of them."""
    app = make_app(replace(wiring.web_settings(demo=False), clock=lambda: now))
    pages = ["/", "/plan", "/book", "/shelf", *(f"/jobs/{code}{room}" for code in codes for room in ROOMS)]
    said: Said = defaultdict(lambda: defaultdict(set))
    with TestClient(app, base_url="http://testserver") as client:
        client.cookies.set(COOKIE, people.open_session(by.id, now))
        for page in pages:
            answer = client.get(page)
            # a receipt is there once it was handed back
            assert answer.status_code in {200, 404}, (page, answer.status_code)
            for name, of, value in _MARKED.findall(answer.text):
                if name not in _NO_FACTS:
                    said[name, of][value].add(page)
    return said


def denied_of(said: Said) -> dict[tuple[str, str], dict[str, set[str]]]:
    """What one page says and another denies."""
    return {fact: dict(values) for fact, values in said.items() if len(values) > 1}


def said_twice(said: Said) -> set[str]:
    """The names of what two pages say at least."""
    return {name for (name, _), values in said.items() if any(len(pages) > 1 for pages in values.values())}
