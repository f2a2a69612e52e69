"""The one place that turns exceptions into pages."""

from __future__ import annotations

from collections.abc import Awaitable, Callable
from urllib.parse import quote

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from sutura.core.errors import AlreadyHeld, MoveRefused, NotAllowed, NotFound, OutOfStock, Refusal, StaleSave
from sutura.core.quoting.answers import NotOpen
from sutura.web.limits import TooOften
from sutura.web.present import render_plain
from sutura.web.session import BrokenForm, ForgedForm, Sent, SignInNeeded, asking, read_form, settings_of
from sutura.words.speech import PLAIN

LOG = structlog.get_logger("sutura")

_STATUS: tuple[tuple[type[Refusal], int], ...] = (
    (NotAllowed, 403),
    (NotFound, 404),
    (OutOfStock, 409),
    (AlreadyHeld, 409),
    (MoveRefused, 409),
    (StaleSave, 409),
    (NotOpen, 409),
    (TooOften, 429),
)


def status_of(refusal: Refusal) -> int:
    return next((status for kind, status in _STATUS if isinstance(refusal, kind)), 422)


async def _entered(request: Request) -> list[tuple[str, str]]:
    """What a refused form held, so that nothing typed is lost, each under a name a person can read."""
    if request.method != "POST":
        return []
    try:
        async with read_form(request) as sent:
            typed = Sent(form=sent).typed
    except (BrokenForm, RuntimeError):
        # nothing can be shown of what could not be read
        return []
    return [(name.replace(".", ": ").replace("_", " "), text) for name, text in typed]


def install(app: FastAPI) -> None:
    async def page(request: Request, template: str, status: int, **values: object) -> Response:
        entered = await _entered(request)
        return await run_in_threadpool(
            lambda: render_plain(request, template, status=status, entered=entered, **values)
        )

    async def sign_in_needed(request: Request, _: Exception) -> Response:
        if request.method == "POST":
            return await page(request, "errors/signed_out.html", 401)
        return RedirectResponse(f"/sign-in?then={quote(str(request.url.path))}", status_code=303)

    async def forged(request: Request, _: Exception) -> Response:
        return await page(request, "errors/forged.html", 403)

    async def broken(request: Request, _: Exception) -> Response:
        says = "This form did not arrive whole. Go back, and send it again."
        return await page(request, "errors/conflict.html", 400, says=says)

    async def refused(request: Request, error: Exception) -> Response:
        assert isinstance(error, Refusal)
        status = status_of(error)
        template = {403: "errors/403.html", 404: "errors/404.html"}.get(status, "errors/conflict.html")
        return await page(request, template, status, says=PLAIN.say(error))

    async def http(request: Request, error: Exception) -> Response:
        status = getattr(error, "status_code", 404)
        template = {403: "errors/403.html", 404: "errors/404.html"}.get(status, "errors/conflict.html")
        says = "There is no such page." if status == 404 else str(getattr(error, "detail", "Refused."))
        return await page(request, template, status, says=says)

    async def wrong_address(request: Request, _: Exception) -> Response:
        try:
            # who asks comes first
            await run_in_threadpool(asking, request)
        except SignInNeeded as needed:
            return await sign_in_needed(request, needed)
        except app.state.settings.database_away as gone:
            return await away(request, gone)
        return await page(request, "errors/404.html", 404, says="There is no such page.")

    async def away(request: Request, error: Exception) -> Response:
        LOG.error("database away", error=str(error)[:200], request=request.state.request_id)
        busy = isinstance(error, app.state.settings.database_busy)
        full = isinstance(error, app.state.settings.database_full)
        reference = request.state.request_id
        response = await page(request, "errors/away.html", 503, reference=reference, busy=busy, full=full)
        response.headers["Retry-After"] = "5"
        return response

    handlers: list[tuple[type[Exception], Callable[[Request, Exception], Awaitable[Response]]]] = [
        (SignInNeeded, sign_in_needed),
        (ForgedForm, forged),
        (BrokenForm, broken),
        (Refusal, refused),
        (HTTPException, http),
        (RequestValidationError, wrong_address),
        (app.state.settings.database_away, away),
    ]
    for kind, handler in handlers:
        app.add_exception_handler(kind, handler)


def server_error(request: Request) -> Response:
    """A mistake of ours: the person gets a reference number, the log gets the rest."""
    return render_plain(
        request,
        "errors/500.html",
        status=500,
        reference=request.state.request_id,
        entered=[],
        demo=settings_of(request).demo,
    )
