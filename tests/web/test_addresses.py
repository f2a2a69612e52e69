"""Who may use which address: asked before the form, its token and its one-time key."""

from __future__ import annotations

import re

import pytest
from builders import Shop
from fastapi import FastAPI
from web.desk import Sit
from web.test_security import _routes

from sutura.core.people import MAY, Deed
from sutura.core.values import Role
from sutura.web.addresses import Anyone
from sutura.web.app import addresses
from sutura.web.present import HERE

DESKS = {Role.MANAGER: "ines", Role.COUNTER: "pell", Role.TECHNICIAN: "bram"}
REFUSED = sorted(
    (method, path, role)
    for (method, path), may in addresses().items()
    if isinstance(may, Deed)
    for role in Role
    if role not in MAY[may]
)


def filled(path: str) -> str:
    return re.sub(r"\{[a-z_]+_id\}", "1", path).replace("{code}", "00-KV6").replace("{barcode}", "P-1001")


def test_every_address_of_the_application_says_who_may_use_it(app: FastAPI) -> None:
    known = {path for _, path in addresses()}
    found = {route.path for route in _routes(app) if not route.path.startswith(("/static", "/scripts"))}
    assert found == known
    assert {may for may in addresses().values() if isinstance(may, Deed)} >= {Deed.READ_AUDIT, Deed.READ_PACK}


@pytest.mark.parametrize(("method", "path", "role"), REFUSED)
def test_who_may_not_is_refused_before_the_form_is_looked_at(
    desks: Sit, method: str, path: str, role: Role
) -> None:
    desk = desks(DESKS[role])
    if method == "GET":
        answer = desk.client.get(filled(path))
        assert answer.status_code == 403
    for form in ({}, {"csrf": "x", "form_key": "y"}) if method == "POST" else ():
        answer = desk.client.post(filled(path), data=form)
        assert answer.status_code == 403
        # said by the role, not by the token
        assert "another session" not in answer.text


def test_at_an_address_that_cannot_be_read_who_asks_comes_first(desks: Sit) -> None:
    ines = desks("ines")
    found = ines.client.get("/customers/abc")
    assert (found.status_code, "There is no such page" in found.text) == (404, True)
    ines.client.cookies.clear()
    asked = ines.client.get("/customers/abc", follow_redirects=False)
    assert (asked.status_code, asked.headers["location"]) == (303, "/sign-in?then=/customers/abc")


def test_a_form_key_of_one_character_shows_nobody_a_page_that_is_not_theirs(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    pell.get("/counter")
    answer = pell.post(
        "/people", form_key="x", name="Eve", login="eve", role="manager", password="0123456789"
    )
    assert answer.status_code == 403
    assert "Ines" not in pell.page


def test_head_is_answered_where_a_page_is_read(desks: Sit) -> None:
    ines = desks("ines")
    for path in ("/", "/counter", "/people", "/health"):
        assert ines.client.head(path).status_code == 200, path


def test_the_table_of_addresses_and_roles_is_written_down() -> None:
    table = (HERE.parents[2] / "docs" / "security.md").read_text("utf-8")
    for (method, path), may in addresses().items():
        who = ", ".join(sorted(MAY[may])) if isinstance(may, Deed) else may.value
        assert f"| {method} | `{path}` | {who} |" in table, f"run scripts/addresses.py: {method} {path}"
    assert Anyone.PUBLIC.value in table
