"""The real interface in a headless browser, served by the real server on a database of its own."""

from __future__ import annotations

import contextlib
import os
import re
import socket
import threading
import time
from collections.abc import Callable, Iterator
from typing import Any

import pytest
import uvicorn
from builders import Shop
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Page, expect, sync_playwright

from sutura import wiring
from sutura.web.connections import Limited

# patient: the machines that run this are busy with others
expect.set_options(timeout=15_000)
CHROMIUM = os.environ.get("CHROMIUM", "/usr/bin/chromium-headless-shell")
# a refused form is answered with 4xx, and a test cuts the connection: the browser notes both on its console
_EXPECTED = re.compile(
    r"Failed to load resource: (the server responded with a status of "
    r"(401|403|404|409|422|429|503)|net::ERR_)"
)


class Live:
    """The application on a port of its own; it can be stopped and started again in the middle."""

    def __init__(self) -> None:
        self.listener = self._bind(0)
        self.port = int(self.listener.getsockname()[1])
        self.start()

    @staticmethod
    def _bind(port: int) -> socket.socket:
        listener = socket.socket()
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        listener.bind(("127.0.0.1", port))
        return listener

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        config = uvicorn.Config(
            wiring.application(demo=True), log_config=None, http=Limited, timeout_graceful_shutdown=2
        )
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(
            target=self.server.run, kwargs={"sockets": [self.listener]}, daemon=True
        )
        self.thread.start()
        deadline = time.monotonic() + 15
        while not self.server.started:
            assert time.monotonic() < deadline, "the server did not start"
            time.sleep(0.02)

    def stop(self) -> None:
        self.server.should_exit = True
        self.thread.join(15)
        self.listener.close()

    def restart(self) -> None:
        self.stop()
        self.listener = self._bind(self.port)
        self.start()


@pytest.fixture(scope="module")
def live(database: str) -> Iterator[Live]:
    server = Live()
    yield server
    with contextlib.suppress(OSError):
        server.stop()


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        # root has no sandbox of its own; the pages are ours
        opened = playwright.chromium.launch(
            executable_path=CHROMIUM,
            args=[
                "--no-sandbox",
                "--disable-gpu",
                "--disable-quic",
                "--no-first-run",
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
                # a camera, and a microphone that beeps; whoever may ask for them is let
                "--use-fake-device-for-media-stream",
                "--use-fake-ui-for-media-stream",
            ],
        )
        yield opened
        opened.close()


@pytest.fixture
def sit(live: Live, browser: Browser) -> Iterator[Callable[..., Page]]:
    """Opens a browser window of its own for a person; any page or console error fails the test."""
    contexts: list[BrowserContext] = []
    wrong: list[str] = []

    def console(message: ConsoleMessage) -> None:
        if message.type in ("error", "warning") and not _EXPECTED.search(message.text):
            wrong.append(f"console {message.type}: {message.text}")

    def open_window(name: str, **options: Any) -> Page:
        contexts.append(
            browser.new_context(
                base_url=live.address, **{"viewport": {"width": 1280, "height": 800}, **options}
            )
        )
        page = contexts[-1].new_page()
        page.set_default_timeout(25_000)
        page.on("console", console)
        page.on("pageerror", lambda error: wrong.append(f"page error: {error}"))
        page.on("dialog", lambda dialog: wrong.append(f"dialog: {dialog.message}"))
        page.goto("/sign-in")
        page.get_by_role("button", name=re.compile(f"^{name},")).click()
        page.wait_for_url("**/")
        return page

    yield open_window
    for context in contexts:
        context.close()
    assert wrong == []


@pytest.fixture
def floor(live: Live) -> Shop:
    from datetime import UTC, datetime

    return Shop(now=datetime.now(UTC))
