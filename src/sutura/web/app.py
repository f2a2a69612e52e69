"""The web application: middleware, pages, static files."""

from __future__ import annotations

import re
import secrets
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager

import anyio.to_thread
import structlog
from fastapi import FastAPI, Request
from fastapi.responses import Response
from fastapi.staticfiles import StaticFiles
from starlette.concurrency import run_in_threadpool
from starlette.middleware.gzip import GZipMiddleware

from sutura.web import errors
from sutura.web.pages import (
    bench,
    catalogue,
    handover,
    health,
    identify,
    intake,
    job,
    living,
    matching,
    people,
    planning,
    proof,
    quoting,
    stock,
)
from sutura.web.present import HERE
from sutura.web.settings import WebSettings

LOG = structlog.get_logger("sutura")
_REQUEST_ID = re.compile(r"[A-Za-z0-9-]{8,64}")
HEADERS = {
    "Content-Security-Policy": "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'self';"
    " form-action 'self'; frame-ancestors 'none'",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "same-origin",
    "Permissions-Policy": "camera=(self), microphone=(), geolocation=()",
    "Cross-Origin-Opener-Policy": "same-origin",
}
PAGES = (
    people,
    identify,
    planning,
    intake,
    job,
    matching,
    stock,
    bench,
    proof,
    handover,
    quoting,
    catalogue,
    living,
    health,
)


def make_app(settings: WebSettings) -> FastAPI:
    """The application for given settings; the database is connected beforehand."""

    @asynccontextmanager
    async def life(_: FastAPI) -> AsyncIterator[None]:
        # fewer threads than the default 40 are faster here: building pages holds the interpreter's lock
        anyio.to_thread.current_default_thread_limiter().total_tokens = settings.threads
        yield

    app = FastAPI(title="Sutura", docs_url=None, redoc_url=None, openapi_url=None, lifespan=life)
    app.state.settings = settings
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for page in PAGES:
        app.include_router(page.router)
    errors.install(app)
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=5)
    app.middleware("http")(_guard)
    return app


async def _guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Give each request a number, log it, catch our own mistakes, add the security headers."""
    given = request.headers.get("x-request-id", "")
    request.state.request_id = given if _REQUEST_ID.fullmatch(given) else secrets.token_hex(8)
    started = time.perf_counter()
    try:
        response = await call_next(request)
    except Exception:
        LOG.exception("server error", request=request.state.request_id, path=request.url.path)
        response = await run_in_threadpool(errors.server_error, request)
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    response.headers["X-Request-Id"] = request.state.request_id
    if request.url.path.startswith("/static/"):
        response.headers["Cache-Control"] = (
            "public, max-age=31536000, immutable" if request.url.query else "public, max-age=3600"
        )
    else:
        response.headers.setdefault("Cache-Control", "no-store")
        LOG.info(
            "request", request=request.state.request_id, method=request.method, path=request.url.path,
            status=response.status_code, ms=round((time.perf_counter() - started) * 1000, 1),
        )  # fmt: skip
    return response
