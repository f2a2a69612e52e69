"""Who is let in, what every answer carries, and what happens when things break."""

from __future__ import annotations

import io
import json
from typing import Any

import pytest
from builders import PASSWORD, Shop
from fastapi import FastAPI
from starlette.testclient import TestClient
from web.desk import Sit

from sutura import wiring
from sutura.cluster import Cluster
from sutura.store import database as store
from sutura.web.app import make_app
from sutura.web.pages.people import safe_way


def test_every_answer_carries_the_security_headers(client: TestClient) -> None:
    for path in ("/sign-in", "/nowhere", "/static/css/house.css", "/health"):
        headers = client.get(path).headers
        policy = headers["content-security-policy"]
        assert "default-src 'self'" in policy
        assert "unsafe" not in policy
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["x-frame-options"] == "DENY"
        assert headers["x-request-id"]


def test_no_page_needs_the_network_or_an_inline_style(desks: Sit) -> None:
    ines = desks("ines")
    for path in ("/", "/counter", "/living", "/book", "/catalogue/fennick-heron"):
        text = ines.get(path).text
        assert 'style="' not in text, path
        assert "<script>" not in text
        assert "http://" not in text.replace("http://www.w3.org", "")
        assert "https://" not in text


@pytest.mark.parametrize(
    "path", ["/", "/counter", "/jobs/00-KV6", "/shelf", "/book", "/people", "/scan?q=x", "/identify?q=x"]
)
def test_nobody_reads_without_signing_in(client: TestClient, path: str) -> None:
    answer = client.get(path, follow_redirects=False)
    assert answer.status_code == 303
    assert answer.headers["location"].startswith("/sign-in?then=")


def test_every_write_without_the_sessions_token_is_refused(desks: Sit, app: FastAPI) -> None:
    ines = desks("ines")
    paths = {
        route.path
        for route in _routes(app)
        if "POST" in (route.methods or ()) and not route.path.startswith("/sign-in")
    }
    assert len(paths) > 15
    for path in paths:
        filled = path.replace("{person_id}", "1").replace("{customer_id}", "1").replace("{offer_id}", "1")
        for token in ({}, {"csrf": "made-up"}):
            answer = ines.client.post(
                filled.replace("{code}", "00-KV6").replace("{draft_id}", "d").replace("{barcode}", "P-1001"),
                data=token,
            )
            assert answer.status_code == 403, path
            assert "another session" in answer.text


def _routes(app: FastAPI) -> list[Any]:
    return [route for route in _walk(app.routes) if hasattr(route, "methods")]


def _walk(routes: Any) -> list[Any]:
    found: list[Any] = []
    for route in routes:
        inner = getattr(getattr(route, "original_router", None), "routes", None) or getattr(
            route, "routes", None
        )
        found += _walk(inner) if inner else [route]
    return found


def test_the_sign_in_form_needs_its_own_token(client: TestClient) -> None:
    assert client.post("/sign-in", data={"login": "ines", "password": PASSWORD}).status_code == 403


def test_the_session_cookie_is_out_of_reach_of_scripts(client: TestClient) -> None:
    client.get("/sign-in")
    token = client.cookies["sutura_before"]
    answer = client.post(
        "/sign-in", data={"login": "ines", "password": PASSWORD, "csrf": token}, follow_redirects=False
    )
    cookie = next(c for c in answer.headers.get_list("set-cookie") if c.startswith("sutura_session="))
    assert "HttpOnly" in cookie
    assert "SameSite=lax" in cookie


@pytest.mark.parametrize(
    "then", ["//evil.example", "https://evil.example", "/\\evil.example", "javascript:x", ""]
)
def test_signing_in_never_leads_away(then: str) -> None:
    assert safe_way(then) == "/"
    assert safe_way("/jobs/00-KV6") == "/jobs/00-KV6"


def test_outside_demo_mode_nobody_signs_in_by_one_click(client: TestClient) -> None:
    page = client.get("/sign-in").text
    assert "demo" not in page
    token = client.cookies["sutura_before"]
    assert client.post("/sign-in/demo", data={"person": "1", "csrf": token}).status_code == 404


def test_in_demo_mode_one_click_is_enough(database: str) -> None:
    with TestClient(make_app(wiring.web_settings(demo=True)), base_url="http://testserver") as client:
        assert "This is the demo shop" in client.get("/sign-in").text
        answer = client.post("/sign-in/demo", data={"person": "1", "csrf": client.cookies["sutura_before"]})
        assert answer.url.path == "/"
        assert answer.status_code == 200


def test_too_many_wrong_passwords_make_one_wait(client: TestClient) -> None:
    statuses = []
    for _ in range(6):
        client.get("/sign-in")
        data = {"login": "lio", "password": "wrong", "csrf": client.cookies["sutura_before"]}
        statuses.append(client.post("/sign-in", data=data).status_code)
    assert statuses == [401] * 5 + [429]
    with store.connection():
        store.raw("delete from sign_in_try")


def test_what_a_person_typed_is_never_markup(desks: Sit, floor: Shop) -> None:
    nasty = "<script>alert(1)</script>\"'>"
    code = floor.take_in(name=nasty, complaint=nasty, read_number=nasty)
    ines = desks("ines")
    for path in (
        f"/jobs/{code}",
        f"/jobs/{code}/ticket",
        "/",
        f"/jobs/{code}/match",
        "/scan?q=%3Cscript%3Ealert(1)%3C/script%3E",
    ):
        assert "<script>alert" not in ines.get(path).text, path


def test_signing_out_ends_the_session_on_the_server(desks: Sit) -> None:
    ines = desks("ines")
    cookie = ines.client.cookies["sutura_session"]
    ines.get("/")
    ines.post("/sign-out")
    ines.client.cookies.set("sutura_session", cookie)
    assert ines.client.get("/", follow_redirects=False).status_code == 303


def test_a_form_sent_after_the_session_ended_shows_what_was_entered(desks: Sit, floor: Shop) -> None:
    number = floor.job(floor.take_in()).customer_id
    pell = desks("pell")
    pell.get(f"/customers/{number}")
    pell.client.cookies.clear()
    pell.post(f"/customers/{number}", name="Orla", phone="555 0444", email="", note="typed for ten minutes")
    assert pell.answer.status_code == 401
    assert "typed for ten minutes" in pell.page


def test_our_own_mistake_gives_a_reference_number_and_no_trace(
    desks: Sit, monkeypatch: pytest.MonkeyPatch
) -> None:
    import structlog

    from sutura import logs
    from sutura.services import planning

    def broken(*_: object, **__: object) -> None:
        raise RuntimeError("planted")

    ines = desks("ines")
    monkeypatch.setattr(planning, "next_page", broken)
    log = io.StringIO()
    logs.to_stream(log)
    answer = ines.client.get("/", headers={"x-request-id": "reference-77"})
    structlog.reset_defaults()
    assert answer.status_code == 500
    assert "reference-77" in answer.text
    assert "planted" not in answer.text
    assert "planted" in log.getvalue()


def test_health_is_the_process_and_ready_is_the_database(
    client: TestClient, cluster: Cluster, database: str
) -> None:
    assert client.get("/health").json() == {"status": "alive"}
    assert client.get("/ready").json() == {"ready": True}
    wiring.connect("postgresql://nobody:x@127.0.0.1:1/none")
    try:
        assert client.get("/health").status_code == 200
        assert client.get("/ready").status_code == 503
        client.cookies.set("sutura_session", "x")
        away = client.get("/")
        assert away.status_code == 503
        assert "does not answer" in away.text
        assert away.headers["retry-after"]
        # where no such page can be, who asks comes first all the same
        assert client.get("/customers/abc").status_code == 503
    finally:
        wiring.connect(database)


def test_logs_are_json_lines_with_the_requests_id(
    client: TestClient, capsys: pytest.CaptureFixture[str]
) -> None:
    from sutura import logs

    logs.to_stderr()
    client.get("/sign-in", headers={"x-request-id": "reference-78"})
    line = json.loads(capsys.readouterr().err.strip().splitlines()[-1])
    assert (line["event"], line["request"], line["path"], line["status"]) == (
        "request",
        "reference-78",
        "/sign-in",
        200,
    )
    import structlog

    structlog.reset_defaults()


def test_a_forged_request_id_is_replaced(client: TestClient) -> None:
    assert client.get("/health", headers={"x-request-id": "<bad>"}).headers["x-request-id"] != "<bad>"


def test_a_body_larger_than_any_form_is_refused_unread(client: TestClient) -> None:
    told = client.post("/sign-in", content=b"x" * 8_000_001)
    # without a length in its head: counted as it arrives
    untold = client.post("/sign-in", content=(b"x" * 1_000_000 for _ in range(9)), headers=URLENCODED)
    for answer in (told, untold):
        assert answer.status_code == 413
        assert answer.headers["x-frame-options"] == "DENY"


URLENCODED = {"content-type": "application/x-www-form-urlencoded"}
BROKEN = [
    ("multipart/form-data", b"--x\r\n"),
    ("multipart/form-data; boundary=x", b"no boundary at all"),
    ("multipart/form-data; boundary=x", b'--x\r\nContent-Disposition: form-data; name="a"\r\n\r\nhalf'),
    ("multipart/form-data; boundary=x", b"--x\r\nContent-Disposition: nonsense\r\n\r\n1\r\n--x--\r\n"),
    (
        "multipart/form-data; boundary=x",
        b'--x\r\nContent-Disposition: form-data; name="a"\r\n\r\n' + b"y" * 1_100_000 + b"\r\n--x--\r\n",
    ),
    (
        "multipart/form-data; boundary=x",
        b"".join(
            b'--x\r\nContent-Disposition: form-data; name="f"; filename="f"\r\n\r\n1\r\n' for _ in range(9)
        )
        + b"--x--\r\n",
    ),
    ("application/x-www-form-urlencoded", b"&".join(b"a%d=1" % n for n in range(6000))),
    ("application/x-www-form-urlencoded", b"\xff\xfe=%zz&csrf=%ED%A0%80"),
    ("application/json", b'{"csrf": "x"}'),
    ("", b"\x00\x01"),
]


@pytest.mark.parametrize(("kind", "body"), BROKEN)
@pytest.mark.parametrize("path", ["/counter/new", "/people", "/sign-in"])
def test_a_body_that_is_no_form_is_refused_in_words_and_nobody_is_signed_out(
    desks: Sit, path: str, kind: str, body: bytes
) -> None:
    ines = desks("ines")
    answer = ines.client.post(path, content=body, headers={"content-type": kind} if kind else {})
    assert answer.status_code in (400, 403)
    assert ines.client.get("/", follow_redirects=False).status_code == 200


def test_a_redirect_never_repeats_a_host_that_is_not_ours(desks: Sit) -> None:
    ines = desks("ines")
    for path in ("/counter/", "//evil.example/", "/static", "/jobs/00-KV6/"):
        answer = ines.client.get(path, headers={"host": "evil.example"}, follow_redirects=False)
        assert "evil.example" not in answer.headers.get("location", "")


def test_behind_https_cookies_are_secure_and_the_browser_is_told_to_stay_there(app: FastAPI) -> None:
    with TestClient(app, base_url="https://shop.example") as secure:
        answer = secure.get("/sign-in")
        assert "secure" in answer.headers["set-cookie"].lower()
        assert "max-age" in answer.headers["strict-transport-security"]
    with TestClient(app, base_url="http://127.0.0.1") as plain:
        answer = plain.get("/sign-in")
        assert "secure" not in answer.headers["set-cookie"].lower()
        assert "strict-transport-security" not in answer.headers


def test_null_characters_and_halves_of_a_pair_are_taken_out_everywhere(desks: Sit, floor: Shop) -> None:
    pell = desks("pell")
    pell.get("/counter")
    pell.post("/counter/new", read_number="FH\x00-2107")
    page = pell.page
    assert "FH-2107" in page
    where = str(pell.answer.url.path)
    kept = pell.client.post(
        f"{where}/keep",
        content=b"csrf=" + pell.hidden("csrf").encode() + b"&name=%ED%A0%80Ada%00&marks=" + b"[" * 100_000,
        headers={"content-type": "application/x-www-form-urlencoded"},
    )
    assert kept.status_code == 200
    assert "Ada" in pell.get(where).text
    for path in (
        "/scan?q=%00%ED%A0%80",
        "/customers/find?q=%00ab%ED%A0%80",
        "/jobs/%00",
        "/catalogue?q=%ED%A0%80&page=1" + "0" * 5000,
    ):
        assert pell.client.get(path).status_code in (200, 303, 404), path


def test_a_forged_form_shows_back_what_was_entered_and_nothing_the_page_put_in(desks: Sit) -> None:
    ines = desks("ines")
    sent = {
        "csrf": "made-up",
        "form_key": "k" * 16,
        "_version": "70717",
        "name": "Orla Venn",
        "password": "sesame-9",
    }
    answer = ines.read(ines.client.post("/customers/1", data=sent))
    assert "What you had entered" in answer.text
    assert "Orla Venn" in answer.text
    for ours in ("70717", "k" * 16, "sesame-9"):
        assert ours not in answer.text
