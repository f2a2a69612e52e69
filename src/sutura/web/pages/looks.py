"""The device under test: a link of its own, what it sends, dust, bars, and the look at a sealed device."""

from __future__ import annotations

import ipaddress
import secrets
import socket
from dataclasses import replace
from urllib.parse import urlsplit

from fastapi import Request
from fastapi.responses import PlainTextResponse, RedirectResponse, Response

from sutura.core.errors import NotFound, Refusal
from sutura.core.people import Deed, may
from sutura.services import job as job_service
from sutura.services import looks
from sutura.services import shop as shop_service
from sutura.store import job as job_store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.drawings.code import draw_qr
from sutura.web.errors import status_of
from sutura.web.limits import TooOften, guessing
from sutura.web.pages.proof import proof_again
from sutura.web.present import render, render_plain
from sutura.web.session import PRE_COOKIE, Ask, Form, SignInForm, settings_of

addresses = Addresses()


def _address(request: Request, token: str) -> tuple[str, bool]:
    """Where a device reaches this page, and whether only this computer does. The shop's setting counts; else
    the address that the page was asked at, and where that is this computer's own, its address in the network.
    """
    set_to = settings_of(request).device_address.rstrip("/")
    if set_to:
        return f"{set_to}/t/{token}", False
    base = urlsplit(str(request.base_url))
    host = base.hostname or ""
    if not _is_loopback(host):
        return f"{base.scheme}://{base.netloc}/t/{token}", False
    port = f":{base.port}" if base.port else ""
    here = _network_address()
    return f"{base.scheme}://{here or base.hostname}{port}/t/{token}", True


def _is_loopback(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _network_address() -> str:
    """This computer's address in the shop's network; nothing is sent to find it."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as way:
        try:
            way.connect(("192.0.2.1", 9))
        except OSError:
            return ""
        return str(way.getsockname()[0])


@addresses.post("/jobs/{code}/proof/link", may=Anyone.SIGNED_IN)
def make_link(ask: Ask, code: str, form: Form) -> Response:  # noqa: ARG001 # sent with its key
    """A link for the device. No deed whose answer is kept: the secret would be kept with it."""
    token = looks.make_link(code, ask.person, ask.now)
    return RedirectResponse(f"/jobs/{code}/proof/link/{token}", status_code=303)


@addresses.get("/jobs/{code}/proof/link/{token}", may=Anyone.SIGNED_IN)
def link_made(ask: Ask, code: str, token: str) -> Response:
    """The link to scan; it is seen only where it was made."""
    page = job_service.job_page(code, ask.now)
    address, alone = _address(ask.request, token)
    page_made = render(
        ask,
        "proof/link.html",
        room="Bench",
        job=page.job,
        address=address,
        code_drawn=draw_qr(address),
        here_alone=alone,
        back=f"/jobs/{code}/proof",
    )
    page_made.headers["cache-control"] = "no-store"
    return page_made


@addresses.get("/t/{token}", may=Anyone.PUBLIC)
def device_page(request: Request, token: str) -> Response:
    """The page on the device under test, by its link alone: a code and the tests, and nothing else."""
    now = settings_of(request).clock()
    key = request.cookies.get(PRE_COOKIE) or secrets.token_urlsafe(16)
    speech = replace(shop_service.speech(), now=now)
    try:
        with guessing(request):
            device, refusal = looks.open_link(token, key, now), None
    except (NotFound, TooOften):
        raise
    except Refusal as refused:
        device, refusal = None, refused
    page = render_plain(
        request,
        "proof/device.html",
        status=status_of(refusal) if refusal else 200,
        speech=speech,
        device=device,
        token=key,
        says=speech.say(refusal.said) if refusal else "",
        accepts="",
    )
    page.set_cookie(
        PRE_COOKIE,
        key,
        max_age=12 * 3600,
        httponly=True,
        samesite="lax",
        secure=settings_of(request).secure_cookies or request.url.scheme == "https",
    )
    page.headers["cache-control"] = "no-store"
    page.headers["referrer-policy"] = "no-referrer"
    return page


@addresses.post("/t/{token}", may=Anyone.PUBLIC)
def device_sends(request: Request, token: str, form: SignInForm) -> Response:
    """What the device found; answered with what that means, in one word."""
    now = settings_of(request).clock()
    try:
        outcome = looks.receive(
            token,
            request.cookies.get(PRE_COOKIE, ""),
            form.text("kind"),
            form.text("key"),
            form.text("said"),
            now,
        )
    except NotFound:
        raise
    except Refusal as refusal:
        return PlainTextResponse(shop_service.speech().say(refusal.said), status_of(refusal))
    return PlainTextResponse(outcome.value, headers={"cache-control": "no-store"})


@addresses.post("/jobs/{code}/proof/dust", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/proof#dust", again=proof_again)
def look_for_dust(ask: Ask, code: str, form: Form) -> None:
    looks.look_for_dust(code, form.text("specks"), ask.person, ask.now)


@addresses.post("/jobs/{code}/proof/dust/accept", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/proof#dust", again=proof_again)
def accept_dust(ask: Ask, code: str, form: Form) -> None:
    looks.accept_dust(code, form.text("reason"), ask.person, ask.now)


@addresses.post("/jobs/{code}/proof/sealed", may=Deed.WORK_BENCH)
@deed(then="/jobs/{code}/{done}", again=proof_again)
def look_at_sealed(ask: Ask, code: str, form: Form) -> str:
    """A sealed device is tested and felt; what is ready by that goes on to the counter, for those who deal
    with customers.
    """
    typed = {
        name: texts[0]
        for name, texts in form.entered.fields.items()
        if name.split(".")[0] in ("gap", "step", "flush", "clamp") and texts
    }
    looks.look_at_sealed(code, form.entered.answers(), typed, ask.person, ask.now)
    ready = may(ask.person, Deed.QUOTE) and looks.is_ready(job_store.load_job(code), ask.now)
    return "handover" if ready else "proof#sealed"
