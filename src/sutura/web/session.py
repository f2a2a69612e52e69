"""Who is asking, and whether the form is theirs: sessions, tokens against forged forms, one-time form
keys.
"""

from __future__ import annotations

import hashlib
import hmac
import io
import secrets
from collections.abc import AsyncIterator, Mapping
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, BinaryIO
from zoneinfo import ZoneInfo

from fastapi import Depends, Request
from starlette.datastructures import FormData, UploadFile
from starlette.exceptions import HTTPException

from sutura.core.errors import Refusal
from sutura.core.typed import Entered, read_id
from sutura.core.values import Person
from sutura.services import messages, people
from sutura.web.settings import WebSettings
from sutura.words.speech import Speech

COOKIE = "sutura_session"
PRE_COOKIE = "sutura_before"
# a model of 99 steps, edited, is about 2,000 fields
MAX_FORM_FIELDS = 5_000
# a page has one field for a file, the intake two
MAX_FORM_FILES = 4
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
    # devices whose time by the clock is over; what is hot for which job; until when which device waits
    over: tuple[str, ...] = ()
    hot: tuple[str, ...] = ()
    waits: Mapping[str, datetime] = field(default_factory=dict)

    @property
    def speech(self) -> Speech:
        """How this shop says things, now."""
        return Speech(zone=self.zone, now=self.now)

    @property
    def paper(self) -> Speech:
        """How this shop says things on what is printed."""
        return Speech(zone=self.zone, paper=True)

    @property
    def address(self) -> str:
        """Where customers reach this shop's pages."""
        return messages.shop_address() or str(self.request.base_url).rstrip("/")

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
        over=signed_in.over,
        hot=signed_in.hot,
        waits=signed_in.waits,
    )


Ask = Annotated[Asking, Depends(asking)]


# begins the names of the fields that a page puts into a form by itself: no person typed them
OURS = "_"
# differ each time a page is shown, whatever is entered
NOT_COUNTED = frozenset({"csrf", "form_key"})
# never put back into a page, never kept with a draft
NOT_KEPT = frozenset({"csrf", "form_key", "password"})


def _keepable(text: str) -> str:
    """Without null characters and halves of a pair, which no database keeps and nobody types."""
    return text.replace("\x00", "").encode("utf-8", "ignore").decode()


@dataclass(frozen=True, slots=True, kw_only=True)
class Sent:
    """A form that was sent by the person signed in, with its one-time key.

    A field whose name begins with OURS was put in by the page; everywhere else it goes without that mark.
    """

    form: FormData

    def text(self, name: str) -> str:
        return next(reversed(self.texts(name)), "")

    def texts(self, name: str) -> list[str]:
        sent = self.form.getlist(name) or self.form.getlist(f"{OURS}{name}")
        return [_keepable(text[:MAX_TEXT]) for text in sent if isinstance(text, str)]

    def number(self, name: str) -> int:
        return read_id(self.text(name))

    def numbers(self, name: str) -> list[int]:
        return [read_id(text) for text in self.texts(name)]

    def file(self, name: str, most: int = MAX_TEXT) -> bytes:
        """The bytes of a dropped file, empty when there is none; at most a little more than any that is
        taken.
        """
        upload = self.form.get(name)
        return upload.file.read(most) if isinstance(upload, UploadFile) else b""

    def stream(self, name: str) -> BinaryIO:
        """A dropped file as it lies on the disk, to be read piece by piece; empty when there is none."""
        upload = self.form.get(name)
        return upload.file if isinstance(upload, UploadFile) else io.BytesIO()

    def file_name(self, name: str) -> str:
        upload = self.form.get(name)
        return (upload.filename or "") if isinstance(upload, UploadFile) else ""

    @property
    def entered(self) -> Entered:
        """What the person entered, to read, and to put back into a refused form."""
        names = dict.fromkeys(_keepable(name).removeprefix(OURS) for name in self.form)
        return Entered({name: self.texts(name) for name in names if name not in NOT_KEPT})

    @property
    def content(self) -> str:
        """What the form holds, as one short text that differs when anything in it does."""
        digest = hashlib.sha256()
        for name, value in self.form.multi_items():
            if name in NOT_COUNTED:
                continue
            held = value if isinstance(value, str) else f"{value.filename} {value.size}"
            digest.update(f"{len(name)}:{name}={len(held)}:{held};".encode("utf-8", "surrogatepass"))
        return digest.hexdigest()

    @property
    def typed(self) -> list[tuple[str, str]]:
        """What a person typed or chose, field by field, without what the page put in."""
        return [
            (name, text)
            for name, text in self.form.multi_items()
            if isinstance(text, str) and text and name not in NOT_KEPT and not name.startswith(OURS)
        ]


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """How a page is shown: as things are, or again after a refusal, with everything that was entered."""

    refusal: Refusal | None = None
    status: int = 200
    sent: Sent | None = None

    @property
    def entered(self) -> Entered:
        return self.sent.entered if self.sent else Entered()

    def over(self, kept: Mapping[str, str]) -> Entered:
        """What is kept, or what was entered over it. A form that holds none of the kept fields leaves
        them.
        """
        entered = self.entered.fields
        if entered.keys() & kept.keys():
            return Entered(entered)
        return Entered({**Entered.of(kept).fields, **entered})


ANEW = Shown()


class BrokenForm(Exception):
    """What was sent is no form that can be read: broken off, without its boundary, with too many parts."""


@asynccontextmanager
async def read_form(request: Request, most_fields: int = MAX_FORM_FIELDS) -> AsyncIterator[FormData]:
    """The form of a request, parsed once; BrokenForm when it is none."""
    if getattr(request.state, "form_broken", False):
        raise BrokenForm
    try:
        form = await request.form(max_fields=most_fields, max_files=MAX_FORM_FILES)
    except (HTTPException, ValueError, KeyError) as broken:
        request.state.form_broken = True
        raise BrokenForm from broken
    try:
        yield form
    finally:
        await form.close()


async def sent_form(request: Request, ask: Ask) -> AsyncIterator[Sent]:
    async with read_form(request) as form:
        token = form.get("csrf", "")
        if not isinstance(token, str) or not hmac.compare_digest(token.encode(), ask.csrf.encode()):
            raise ForgedForm
        yield Sent(form=form)


Form = Annotated[Sent, Depends(sent_form)]


async def sent_before_sign_in(request: Request) -> Sent:
    """The sign-in form: its token must equal the cookie that came with the page."""
    async with read_form(request, 20) as form:
        return _before_sign_in(request, form)


def _before_sign_in(request: Request, form: FormData) -> Sent:
    token, cookie = form.get("csrf", ""), request.cookies.get(PRE_COOKIE, "")
    if not isinstance(token, str) or not cookie or not hmac.compare_digest(token.encode(), cookie.encode()):
        raise ForgedForm
    return Sent(form=form)


SignInForm = Annotated[Sent, Depends(sent_before_sign_in)]


def form_key() -> str:
    return secrets.token_urlsafe(12)
