"""How values look on a page: money, times in the shop's zone, words for stages. One place renders
templates.
"""

from __future__ import annotations

import hashlib
from datetime import date, datetime
from functools import lru_cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, pass_context
from jinja2.runtime import Context

from sutura.core.errors import Invalid, ManyInvalid, Refusal
from sutura.core.job import STAGE_WORDS, Stage
from sutura.core.maths.money import Money
from sutura.core.people import Deed, may
from sutura.core.planning import Next, spell_minutes
from sutura.core.values import Person
from sutura.web.drawings.seam import draw_seam
from sutura.web.session import Asking, form_key

HERE = Path(__file__).parent
WORDS = {
    "not_testable": "not testable",
    "drop_off": "drop-off",
    "mail": "by mail",
    "waiting": "waiting in the shop",
}

ROOMS = (
    ("Next", "/", None),
    ("Counter", "/counter", None),
    ("Match", "/match", None),
    ("Shelf", "/shelf", None),
    ("Bench", "/bench", None),
    ("Plan", "/plan", None),
    ("Book", "/book", Deed.SEE_COST),
    ("Catalogue", "/catalogue", None),
)


def money(minor: int | None, currency: str) -> str:
    return "–" if minor is None else str(Money(minor=minor, currency=currency))


def words(text: str) -> str:
    if text in set(Stage):
        return STAGE_WORDS[Stage(text)]
    return WORDS.get(text, text)


@pass_context
def when(context: Context, moment: datetime | None) -> str:
    """A moment as the shop says it: today's by the hour, others with their day."""
    if moment is None:
        return "–"
    zone: ZoneInfo = context.get("zone") or ZoneInfo("UTC")
    local = moment.astimezone(zone)
    now: datetime | None = context.get("now")
    if now and local.date() == now.astimezone(zone).date():
        return f"today {local:%H:%M}"
    return f"{local:%a %d.%m. %H:%M}"


@pass_context
def local_input(context: Context, moment: datetime | None) -> str:
    """A moment as a date-and-time field wants it."""
    zone: ZoneInfo = context.get("zone") or ZoneInfo("UTC")
    return f"{moment.astimezone(zone):%Y-%m-%dT%H:%M}" if moment else ""


def day(value: date | None) -> str:
    return f"{value:%d.%m.%Y}" if value else "–"


@lru_cache(maxsize=64)
def asset(name: str) -> str:
    """The address of a shipped file, with a mark of its contents so that a new release is never mixed with
    old files.
    """
    mark = hashlib.sha256((HERE / "static" / name).read_bytes()).hexdigest()[:10]
    return f"/static/{name}?{mark}"


_ROOM_PATHS = {"match": "/match", "plan": "/assign", "bench": "/bench", "handover": "/handover", "job": ""}


def way_to(line: Next) -> str:
    """The page where a job's next action is done."""
    return f"/jobs/{line.code}{_ROOM_PATHS[line.room]}"


def _environment() -> Environment:
    environment = Environment(
        loader=FileSystemLoader(HERE / "templates"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
        auto_reload=False,
    )
    environment.filters |= {
        "money": money,
        "when": when,
        "day": day,
        "words": words,
        "spell": spell_minutes,
        "local_input": local_input,
    }
    environment.globals |= {"form_key": form_key, "asset": asset, "draw_seam": draw_seam, "way_to": way_to}
    return environment


TEMPLATES = _environment()


def person_may(person: Person) -> dict[str, bool]:
    """What this person may do, by deed, for templates to ask and not decide."""
    return {deed.name.lower(): may(person, deed) for deed in Deed}


def render(
    ask: Asking,
    template: str,
    *,
    room: str = "",
    status: int = 200,
    refusal: Refusal | None = None,
    **values: Any,
) -> HTMLResponse:
    """A page for the person signed in. `refusal` is shown at the top, its problems at their fields."""
    text = TEMPLATES.get_template(template).render(
        person=ask.person,
        may=person_may(ask.person),
        csrf=ask.csrf,
        now=ask.now,
        zone=ask.zone,
        shop_name=ask.shop_name,
        room=room,
        refusal=refusal,
        problems=by_field(refusal),
        seen_rooms=[(n, u) for n, u, deed in ROOMS if deed is None or may(ask.person, deed)],
        path=ask.request.url.path,
        **values,
    )
    return HTMLResponse(text, status_code=status)


def piece(ask: Asking, template: str, **values: Any) -> str:
    """A piece of a page, to be put into one that is open."""
    return TEMPLATES.get_template(template).render(person=ask.person, now=ask.now, zone=ask.zone, **values)


def render_plain(request: Request, template: str, *, status: int = 200, **values: Any) -> HTMLResponse:
    """A page for someone not signed in, or when nothing is known of who asks."""
    person = getattr(request.state, "person", None)
    text = TEMPLATES.get_template(template).render(
        person=person,
        may=person_may(person) if person else {},
        csrf=getattr(request.state, "csrf", ""),
        seen_rooms=[(n, u) for n, u, deed in ROOMS if person and (deed is None or may(person, deed))],
        shop_name="Sutura",
        room="",
        refusal=values.pop("refusal", None),
        problems={},
        path=request.url.path,
        **values,
    )
    return HTMLResponse(text, status_code=status)


def by_field(refusal: Refusal | None) -> dict[str, str]:
    if isinstance(refusal, ManyInvalid):
        return dict(refusal.by_field)
    if isinstance(refusal, Invalid):
        return {refusal.field: str(refusal)}
    return {}
