"""Signing in and out, and the list of people."""

from __future__ import annotations

import secrets

from fastapi import Request
from fastapi.responses import RedirectResponse, Response

from sutura.core.errors import NotFound, Refusal, SignInRefused
from sutura.core.people import Deed
from sutura.core.values import Role
from sutura.services import people
from sutura.store import audit as audit_store
from sutura.store import people as store
from sutura.web.addresses import Addresses, Anyone
from sutura.web.deeds import deed
from sutura.web.present import render, render_plain
from sutura.web.session import ANEW, COOKIE, PRE_COOKIE, Ask, Asking, Form, Shown, SignInForm, settings_of
from sutura.words.audit import told

addresses = Addresses()
SESSION_SECONDS = int(people.SESSION_LENGTH.total_seconds())


def safe_way(then: str) -> str:
    """Where to go after signing in: only addresses of this application."""
    return then if then.startswith("/") and not then.startswith(("//", "/\\")) else "/"


def _sign_in_page(
    request: Request, then: str, login: str = "", refusal: Refusal | None = None, status: int = 200
) -> Response:
    token = request.cookies.get(PRE_COOKIE) or secrets.token_urlsafe(16)
    shown = [p for p in store.people_page() if p.active] if settings_of(request).demo else []
    page = render_plain(
        request,
        "people/sign_in.html",
        status=status,
        refusal=refusal,
        login=login,
        then=then,
        token=token,
        demo_people=shown,
    )
    _set_cookie(request, page, PRE_COOKIE, token, 3600)
    return page


def _set_cookie(request: Request, response: Response, name: str, value: str, seconds: int) -> None:
    response.set_cookie(
        name,
        value,
        max_age=seconds,
        httponly=True,
        samesite="lax",
        secure=settings_of(request).secure_cookies or request.url.scheme == "https",
    )


@addresses.get("/sign-in", may=Anyone.PUBLIC)
def sign_in_page(request: Request, then: str = "/") -> Response:
    return _sign_in_page(request, safe_way(then))


@addresses.post("/sign-in", may=Anyone.PUBLIC)
def sign_in(request: Request, form: SignInForm) -> Response:
    login, then = form.text("login"), safe_way(form.text("then"))
    address = request.client.host if request.client else "unknown"
    try:
        token = people.sign_in(login, form.text("password"), address, settings_of(request).clock())
    except SignInRefused as refusal:
        return _sign_in_page(request, then, login, refusal, 429 if refusal.wait_minutes else 401)
    return _signed_in(request, token, then)


@addresses.post("/sign-in/demo", may=Anyone.PUBLIC)
def sign_in_demo(request: Request, form: SignInForm) -> Response:
    """One click for the demo people; there is no such address outside demo mode."""
    person_id = form.number("person")
    person = store.load_person(person_id) if settings_of(request).demo else None
    if person is None or not person.active:
        raise NotFound("page", "/sign-in/demo")
    token = people.open_session(person_id, settings_of(request).clock())
    return _signed_in(request, token, safe_way(form.text("then")))


def _signed_in(request: Request, token: str, then: str) -> Response:
    answer = RedirectResponse(then, status_code=303)
    _set_cookie(request, answer, COOKIE, token, SESSION_SECONDS)
    answer.delete_cookie(PRE_COOKIE)
    return answer


@addresses.post("/sign-out", may=Anyone.SIGNED_IN)
def sign_out(request: Request, form: Form) -> Response:  # noqa: ARG001 - the form's token is checked
    people.sign_out(request.cookies.get(COOKIE, ""), settings_of(request).clock())
    answer = RedirectResponse("/sign-in", status_code=303)
    answer.delete_cookie(COOKIE)
    return answer


# -- the list -------------------------------------------------------------------------------


def _list(ask: Asking, shown: Shown = ANEW) -> Response:
    return render(
        ask, "people/list.html", shown=shown, people=store.people_page(), roles=[role.value for role in Role]
    )


@addresses.get("/people", may=Deed.CHANGE_PEOPLE)
def people_list(ask: Ask) -> Response:
    return _list(ask)


@addresses.post("/people", may=Deed.CHANGE_PEOPLE)
@deed(then="/people", again=_list)
def add_person(ask: Ask, form: Form) -> None:
    people.add_person(
        name=form.text("name"),
        login=form.text("login"),
        role=form.text("role"),
        password=form.text("password"),
        by=ask.person,
        now=ask.now,
    )


@addresses.get("/people/audit", may=Deed.READ_AUDIT)
def audit_page(ask: Ask, before: int | None = None, what: str = "") -> Response:
    """Who did what to money, people, customers and settings, for whoever answers for the shop."""
    lines = audit_store.audit_page(before, what[:60])
    return render(
        ask,
        "people/audit.html",
        lines=[(line, told(line.detail)) for line in lines],
        what=what[:60],
        kinds=audit_store.kinds(),
        older=lines[-1].id if len(lines) == audit_store.PER_PAGE else None,
    )


@addresses.get("/people/{person_id}", may=Deed.CHANGE_PEOPLE)
def person_page(ask: Ask, person_id: int) -> Response:
    return _person(ask, person_id)


def _person(ask: Asking, person_id: int, shown: Shown = ANEW) -> Response:
    record = store.load_person(person_id)
    if record is None:
        raise NotFound("person", person_id)
    kept = {"name": record.name, "role": record.role, "active": "yes" if record.active else ""}
    factors = {f"factor.{family}": str(factor) for family, factor in record.skills.items()}
    return render(
        ask,
        "people/person.html",
        shown=shown,
        found=record,
        entered=shown.over(kept | factors),
        families=store.families(),
        roles=[role.value for role in Role],
    )


@addresses.post("/people/{person_id}", may=Deed.CHANGE_PEOPLE)
@deed(then="/people", again=_person)
def save_person(ask: Ask, person_id: int, form: Form) -> None:
    factors = {
        name.removeprefix("factor."): form.text(name) for name in form.form if name.startswith("factor.")
    }
    people.save_person(
        person_id,
        name=form.text("name"),
        role=form.text("role"),
        active=form.text("active") == "yes",
        password=form.text("password"),
        factors=factors,
        version=form.number("version"),
        by=ask.person,
        now=ask.now,
    )
