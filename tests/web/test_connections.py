"""Connections that would cost others theirs are closed; those that ask are answered as ever.

Against a server of its own over real sockets. Time limits: common practice, no source.
"""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from collections.abc import Callable, Iterable, Iterator
from typing import Any

import pytest
import uvicorn

from sutura.web import connections

Connect = Callable[[], socket.socket]
BIG = b"x" * 40_000_000


async def application(scope: Any, receive: Any, send: Any) -> None:
    """Answers at once: a word, or more than any buffer holds."""
    if scope["type"] != "http":
        return
    if scope["method"] == "POST":
        while (await receive()).get("more_body"):
            pass
    body = BIG if scope["path"] == "/big" else b"here"
    head = [(b"content-length", str(len(body)).encode())]
    await send({"type": "http.response.start", "status": 200, "headers": head})
    await send({"type": "http.response.body", "body": body})


@pytest.fixture
def port(monkeypatch: pytest.MonkeyPatch) -> Iterator[int]:
    monkeypatch.setattr(connections, "HEAD_SECONDS", 0.6)
    monkeypatch.setattr(connections, "TAKING_SECONDS", 0.6)
    monkeypatch.setattr(connections, "MOST_OF_ONE", 6)
    monkeypatch.setattr(connections, "SENDERS", connections._Senders())
    listener = socket.socket()
    listener.bind(("127.0.0.1", 0))
    listener.listen(128)
    config = uvicorn.Config(
        application, log_config=None, http=connections.Limited, lifespan="off", proxy_headers=False
    )
    server = uvicorn.Server(config)
    running = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
    running.start()
    until = time.monotonic() + 15
    while not server.started and time.monotonic() < until:
        time.sleep(0.02)
    yield int(listener.getsockname()[1])
    server.should_exit = True
    running.join(15)
    listener.close()


@pytest.fixture
def connected(port: int) -> Iterator[Connect]:
    """Makes connections to the server, all closed at the end."""
    with contextlib.ExitStack() as links:
        yield lambda: links.enter_context(socket.create_connection(("127.0.0.1", port), timeout=10))


def ask(link: socket.socket, path: str = "/") -> bytes:
    link.sendall(f"GET {path} HTTP/1.1\r\nHost: x\r\n\r\n".encode())
    return link.recv(4096)


def is_closed(link: socket.socket, within: float = 8.0) -> bool:
    """Whether the other end closes, however it does."""
    link.settimeout(within)
    try:
        while link.recv(1 << 20):
            pass
    except ConnectionError:
        return True
    except TimeoutError:
        return False
    return True


def is_refused(link: socket.socket, sent: Iterable[bytes], every_s: float = 0.0) -> bool:
    """Whether the other end breaks off while something is sent to it."""
    try:
        for one in sent:
            link.sendall(one)
            time.sleep(every_s)
    except ConnectionError:
        return True
    return False


def test_one_that_says_nothing_is_closed_and_one_that_asks_is_answered(connected: Connect) -> None:
    quiet, asks = connected(), connected()
    assert b"here" in ask(asks)
    time.sleep(0.3)
    assert b"here" in ask(asks), "kept alive between two questions"
    assert is_closed(quiet)


def test_a_head_that_comes_byte_by_byte_is_not_waited_for(connected: Connect) -> None:
    """Also the second of a connection: its time begins with its first byte."""
    link = connected()
    assert b"here" in ask(link)
    began = time.monotonic()
    drips = (bytes([byte]) for byte in b"GET / HTTP/1.1\r\nHost: " + b"x" * 200)
    assert is_refused(link, drips, every_s=0.05)
    assert time.monotonic() - began < 8


def test_a_head_without_an_end_is_not_kept(connected: Connect) -> None:
    link = connected()
    link.sendall(b"GET / HTTP/1.1\r\n")
    assert is_refused(link, (f"x-{number}: {'y' * 100}\r\n".encode() for number in range(20_000)))


def test_an_answer_that_nobody_takes_ends_with_its_connection(connected: Connect) -> None:
    link = connected()
    link.sendall(b"GET /big HTTP/1.1\r\nHost: x\r\n\r\n")
    time.sleep(3)
    link.settimeout(10)
    taken = 0
    with contextlib.suppress(ConnectionError):
        while part := link.recv(1 << 20):
            taken += len(part)
    assert taken < len(BIG)


def test_a_large_body_and_a_slow_answer_are_no_silence(connected: Connect) -> None:
    link = connected()
    link.sendall(b"POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 200000\r\n\r\n")
    for _ in range(20):
        link.sendall(b"z" * 10_000)
        time.sleep(0.06)
    assert b"here" in link.recv(4096)


def test_nobody_has_more_than_so_many_and_others_are_let_in_when_they_go(connected: Connect) -> None:
    held = [connected() for _ in range(6)]
    assert all(b"here" in ask(link) for link in held)
    assert is_closed(connected(), 3)
    for link in held:
        link.close()
    until = time.monotonic() + 5
    while connections.SENDERS.open and time.monotonic() < until:
        time.sleep(0.05)
    assert b"here" in ask(connected())


def test_those_behind_a_proxy_are_its_own_to_limit() -> None:
    config = uvicorn.Config(application, proxy_headers=True, forwarded_allow_ips="10.0.0.1,10.0.0.2")
    assert connections._proxies(config) == {"10.0.0.1", "10.0.0.2"}
    assert connections._proxies(uvicorn.Config(application, proxy_headers=False)) == frozenset()
