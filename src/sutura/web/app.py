"""The web application: middleware, pages, static files."""

from __future__ import annotations

import asyncio
import gc
import re
import secrets
import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager

import anyio.to_thread
import structlog
from fastapi import FastAPI, Request
from fastapi.responses import PlainTextResponse
from fastapi.staticfiles import StaticFiles
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.middleware.gzip import GZipMiddleware
from starlette.requests import ClientDisconnect
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from sutura.store.audit import FROM
from sutura.web import errors
from sutura.web.addresses import Who
from sutura.web.pages import (
    again,
    bench,
    catalogue,
    comebacks,
    consents,
    consumables,
    cores,
    customers,
    handover,
    health,
    identify,
    intake,
    invoices,
    job,
    ledger,
    living,
    looks,
    matching,
    messages,
    orders,
    people,
    pieces,
    planning,
    pricelists,
    proof,
    quoting,
    returns,
    stock,
    stocktakes,
    suppliers,
    tills,
)
from sutura.web.present import HERE
from sutura.web.settings import WebSettings

LOG = structlog.get_logger("sutura")
# the secret of a link is in no log
_SECRETS = re.compile(r"(/q/|/quote/|/calendar/|/mine/link/|/proof/link/|/t/|/s/)[A-Za-z0-9_-]+")
_REQUEST_ID = re.compile(r"[A-Za-z0-9-]{8,64}")
# files that ship with the application
SHIPPED = ("/static/", "/scripts/")
HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'self';"
    " form-action 'self'; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=()",
    "Cross-Origin-Opener-Policy": "same-origin",
}
# the page on a device under test listens to its microphone and looks through its camera; no other does
_OF_DEVICES = "/t/"
_TESTS_OF_DEVICES = "camera=(self), microphone=(self), geolocation=()"
# forms are small; only a price list may be large
MAX_BODY = 8_000_000
LARGE = {"/shelf/lists": 45_000_000}
# nobody's line is so slow that a form takes longer; the shop's, no source
BODY_SECONDS = 60
# those that are asked for most come first: addresses are looked through in this order
PAGES = (
    planning,
    job,
    matching,
    bench,
    people,
    identify,
    intake,
    again,
    consents,
    customers,
    pricelists,
    orders,
    returns,
    stocktakes,
    suppliers,
    pieces,
    consumables,
    cores,
    stock,
    proof,
    handover,
    ledger,
    tills,
    invoices,
    comebacks,
    messages,
    quoting,
    catalogue,
    living,
    looks,
    health,
)


def addresses() -> dict[tuple[str, str], Who]:
    """Every address of the application, by method and path, with who may use it."""
    return {at: may for page in PAGES for at, may in page.addresses.may.items()}


def make_app(settings: WebSettings) -> FastAPI:
    """The application for given settings; the database is connected beforehand."""

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        # fewer threads than the default 40 are faster here: building pages holds the interpreter's lock
        anyio.to_thread.current_default_thread_limiter().total_tokens = settings.threads
        # a list page makes thousands of short-lived values; collecting at every 700 of them walks the whole
        # program
        gc.collect()
        gc.freeze()
        gc.set_threshold(20_000, 20, 20)
        yield

    app = FastAPI(
        title="Sutura", docs_url=None, redoc_url=None, openapi_url=None, lifespan=life, redirect_slashes=False
    )
    app.state.settings = settings
    app.mount("/scripts/{release}", StaticFiles(directory=HERE / "static" / "js"), name="scripts")
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for page in PAGES:
        app.include_router(page.addresses.router)
    errors.install(app)
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=3)
    app.add_middleware(Guard)
    return app


def told_path(path: str) -> str:
    """A path as a log tells it: without the secret of a link.

    >>> told_path("/q/abc_D-1"), told_path("/jobs/7A-QQQ/quote/x1"), told_path("/shelf")
    ('/q/…', '/jobs/7A-QQQ/quote/…', '/shelf')
    >>> told_path("/calendar/x1"), told_path("/plan/mine/link/x1")
    ('/calendar/…', '/plan/mine/link/…')
    """
    return _SECRETS.sub(r"\1…", path)


class TooMuch(Exception):
    """A body of more bytes than are taken at this address."""


class TooSlow(Exception):
    """A body that did not arrive in time."""


class Guard:
    """Give each request a number, log it, catch our own mistakes, add the security headers.

    Plain ASGI: the framework's function middleware puts a task and a stream between every page and its
    reader.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        given = headers.get("x-request-id", "")
        request_id = given if _REQUEST_ID.fullmatch(given) else secrets.token_hex(8)
        scope.setdefault("state", {})["request_id"] = request_id
        FROM.set((scope.get("client") or ("",))[0])
        started, status = time.perf_counter(), 0
        # no label, name or code has a null character, and PostgreSQL takes none
        scope["path"] = scope["path"].replace("\x00", "")
        scope["query_string"] = scope["query_string"].replace(b"%00", b"")

        async def sending(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                _add_headers(scope, MutableHeaders(raw=message["headers"]), request_id)
            await send(message)

        most = LARGE.get(scope["path"], MAX_BODY)
        body = _Body(receive, most)
        try:
            if int(_digits(headers.get("content-length", ""))) > most:
                raise TooMuch
            await self.app(scope, body.receive, sending)
        except TooMuch:
            says = f"This is too much at once: at most {most // 1_000_000} MB."
            await self._refuse(scope, receive, sending, status, says, 413)
        except TooSlow:
            says = f"This came too slowly: all of it within {BODY_SECONDS} seconds."
            await self._refuse(scope, receive, sending, status, says, 408)
        except ClientDisconnect:
            # whoever sent it has gone: one line, no trace
            LOG.info("broken off", request=request_id, path=told_path(scope["path"]))
            return
        except Exception:
            LOG.exception("server error", request=request_id, path=told_path(scope["path"]))
            if status:
                raise
            answer = await run_in_threadpool(errors.server_error, Request(scope))
            await answer(scope, receive, sending)
        if not scope["path"].startswith(SHIPPED):
            LOG.info(
                "request",
                request=request_id,
                method=scope["method"],
                path=told_path(scope["path"]),
                status=status,
                ms=round((time.perf_counter() - started) * 1000, 1),
                person=getattr(scope["state"].get("person"), "id", None),
            )

    @staticmethod
    async def _refuse(
        scope: Scope, receive: Receive, sending: Send, status: int, says: str, code: int
    ) -> None:
        if not status:
            answer = PlainTextResponse(says, code, headers={"Connection": "close"})
            await answer(scope, receive, sending)


class _Body:
    """A request's body as it arrives: counted whatever its head says of it, and waited for only so long."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most, self._held = receive, most, 0
        self._until = time.monotonic() + BODY_SECONDS
        self._whole = False

    async def receive(self) -> Message:
        if self._whole:
            # what comes after the body is the end of the connection, which nobody hurries
            return await self._receive()
        try:
            message = await asyncio.wait_for(self._receive(), max(self._until - time.monotonic(), 0.01))
        except TimeoutError:
            raise TooSlow from None
        if message["type"] == "http.request":
            self._held += len(message.get("body", b""))
            self._whole = not message.get("more_body", False)
            if self._held > self._most:
                raise TooMuch
        return message


def _digits(text: str) -> str:
    return text if text.isdecimal() and len(text) < 16 else "0"


def _add_headers(scope: Scope, headers: MutableHeaders, request_id: str) -> None:
    for name, value in HEADERS.items():
        headers.setdefault(name, value)
    headers["X-Request-Id"] = request_id
    if scope["path"].startswith(_OF_DEVICES):
        headers["Permissions-Policy"] = _TESTS_OF_DEVICES
    if scope["scheme"] == "https":
        headers["Strict-Transport-Security"] = "max-age=31536000"
    if scope["path"].startswith(SHIPPED):
        marked = scope["query_string"] != b"" or scope["path"].startswith("/scripts/")
        headers["Cache-Control"] = "public, max-age=31536000, immutable" if marked else "public, max-age=3600"
    else:
        headers.setdefault("Cache-Control", "no-store")
