"""Who is asking, and whether the form is theirs: sessions, tokens against forged forms, one-time form
keys.
"""

from __future__ import annotations

import hmac
import secrets
from collections.abc import AsyncIterator, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated
from zoneinfo import ZoneInfo

from fastapi import Depends, Request
from starlette.datastructures import FormData, UploadFile

from sutura.core.values import Person
from sutura.services import once as once_service
from sutura.services import people
from sutura.web.settings import WebSettings
from sutura.words.speech import Speech

COOKIE = "sutura_session"
PRE_COOKIE = "sutura_before"
# a model of 99 steps, edited, is about 2,000 fields
MAX_FORM_FIELDS = 5_000
# room for a drawing of 200 freehand marks; everything shorter is checked where it is understood
MAX_TEXT = 200_000


class SignInNeeded(Exception):
    """No session: send the person to the sign-in page, and back here after."""


class ForgedForm(Exception):
    """The form does not carry this session's token."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Asking:
    """One request: who asks, when, in which zone. Pages pass `person` and `now` on to services."""

    request: Request
    person: Person
    csrf: str
    now: datetime
    shop_name: str
    zone: ZoneInfo

    @property
    def speech(self) -> Speech:
        """How this shop says things, now."""
        return Speech(zone=self.zone, now=self.now)

    @property
    def paper(self) -> Speech:
        """How this shop says things on what is printed."""
        return Speech(zone=self.zone, paper=True)

    @property
    def settings(self) -> WebSettings:
        return settings_of(self.request)


def settings_of(request: Request) -> WebSettings:
    settings: WebSettings = request.app.state.settings
    return settings


def asking(request: Request) -> Asking:
    """The signed-in person behind this request (runs on a worker thread: it reads the database)."""
    now = settings_of(request).clock()
    signed_in = people.session_of(request.cookies.get(COOKIE, ""), now)
    if signed_in is None:
        raise SignInNeeded
    request.state.person = signed_in.person
    request.state.csrf = signed_in.csrf
    return Asking(
        request=request,
        person=signed_in.person,
        csrf=signed_in.csrf,
        now=now,
        shop_name=signed_in.shop_name,
        zone=ZoneInfo(signed_in.timezone),
    )


Ask = Annotated[Asking, Depends(asking)]


@dataclass(frozen=True, slots=True)
class Entered:
    """What a person entered, to put back into a page; fields that were not entered read as empty."""

    fields: Mapping[str, Sequence[str]] = field(default_factory=dict)

    @classmethod
    def of(cls, values: Mapping[str, str]) -> Entered:
        return cls({name: [value] for name, value in values.items()})

    def text(self, name: str, otherwise: str = "") -> str:
        found = self.fields.get(name)
        return found[-1] if found else otherwise

    def group(self, prefix: str) -> dict[str, str]:
        """The fields whose names begin with a prefix and a dot, without it."""
        return {
            name.removeprefix(f"{prefix}."): self.text(name)
            for name in self.fields
            if name.startswith(f"{prefix}.")
        }

    def has(self, name: str, value: str) -> bool:
        return value in self.fields.get(name, ())


# never put back into a page, never kept with a draft
NOT_KEPT = frozenset({"csrf", "form_key", "password"})


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """A form that was sent by the person signed in, with its one-time key."""

    form: FormData

    def text(self, name: str) -> str:
        found = self.form.get(name, "")
        return found[:MAX_TEXT].replace("\x00", "") if isinstance(found, str) else ""

    def texts(self, name: str) -> list[str]:
        return [
            text[:MAX_TEXT].replace("\x00", "") for text in self.form.getlist(name) if isinstance(text, str)
        ]

    def number(self, name: str) -> int:
        text = self.text(name)
        return int(text) if text.isdecimal() and len(text) < 15 else -1

    def numbers(self, name: str) -> list[int]:
        return [int(text) for text in self.texts(name) if text.isdecimal() and len(text) < 15]

    def file(self, name: str, most: int = MAX_TEXT) -> bytes:
        """The bytes of a dropped file, empty when there is none; at most a little more than any that is
        taken.
        """
        upload = self.form.get(name)
        return upload.file.read(most) if isinstance(upload, UploadFile) else b""

    def file_name(self, name: str) -> str:
        upload = self.form.get(name)
        return (upload.filename or "") if isinstance(upload, UploadFile) else ""

    def answers(self) -> dict[str, tuple[str, str]]:
        """A function list as sent: outcome and reason by function."""
        names = [name.removeprefix("function.") for name in self.form if name.startswith("function.")]
        return {name: (self.text(f"function.{name}"), self.text(f"reason.{name}")) for name in names}

    def group(self, prefix: str) -> dict[str, str]:
        """The fields whose names begin with a prefix and a dot, without it."""
        names = [name for name in self.form if name.startswith(f"{prefix}.")]
        return {name.removeprefix(f"{prefix}."): self.text(name) for name in names}

    def entered(self) -> Entered:
        """What the person entered, to put back into a refused form."""
        return Entered({name: self.texts(name) for name in self.form if name not in NOT_KEPT})


async def sent_form(request: Request, ask: Ask) -> AsyncIterator[Sent]:
    async with request.form(max_fields=MAX_FORM_FIELDS) as form:
        token = form.get("csrf", "")
        if not isinstance(token, str) or not hmac.compare_digest(token.encode(), ask.csrf.encode()):
            raise ForgedForm
        yield Sent(form=form)


Form = Annotated[Sent, Depends(sent_form)]


async def sent_before_sign_in(request: Request) -> Sent:
    """The sign-in form: its token must equal the cookie that came with the page."""
    form = await request.form(max_fields=20)
    token, cookie = form.get("csrf", ""), request.cookies.get(PRE_COOKIE, "")
    if not isinstance(token, str) or not cookie or not hmac.compare_digest(token.encode(), cookie.encode()):
        raise ForgedForm
    return Sent(form=form)


SignInForm = Annotated[Sent, Depends(sent_before_sign_in)]


def once(ask: Asking, form: Sent, act: Callable[[], object], then: str) -> str:
    """Do a deed once for this form; the address to go to. A form sent twice gets the first answer."""

    def go() -> str:
        act()
        return then

    return once_service.once(form.text("form_key"), ask.person, ask.now, go)


def form_key() -> str:
    return secrets.token_urlsafe(12)
