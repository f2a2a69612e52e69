"""How values look on a page: money, times in the shop's zone, words for stages. One place renders
templates.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from contextvars import ContextVar
from datetime import date, datetime
from enum import Enum
from functools import lru_cache
from operator import attrgetter
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import Environment, FileSystemLoader, StrictUndefined, Undefined, pass_context
from jinja2.runtime import Context
from markupsafe import Markup

from sutura.core.bench.partless import NAMES as NO_PART_NAMES
from sutura.core.errors import Invalid, ManyInvalid, Refusal
from sutura.core.facts import Fact
from sutura.core.intake.arrival import Channel
from sutura.core.job import JobEvent, SeamStitch, Stage
from sutura.core.matching.judging import Fit
from sutura.core.maths.money import Money
from sutura.core.people import Deed, may
from sutura.core.planning.queue import Next
from sutura.core.values import Outcome, Person
from sutura.web.drawings.seam import draw_seam
from sutura.web.rows import Row
from sutura.web.session import ANEW, Asking, Shown, form_key
from sutura.words.history import tell
from sutura.words.speech import PLAIN, Speech

HERE = Path(__file__).parent
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


# what values of these kinds are called, where only the value is at hand
_KINDS: tuple[type[Enum], ...] = (Stage, Channel, Outcome, Fit)


@pass_context
def say(context: Context, thing: object) -> str:
    """A fact, a refusal, a kind, an amount or a moment in words."""
    return speech_of(context).say(thing)


@pass_context
def money(context: Context, minor: int | None, currency: str) -> str:
    return "–" if minor is None else speech_of(context).money(Money(minor=minor, currency=currency))


@pass_context
def words(context: Context, value: str) -> str:
    """What a kind is called, or its value; a text of no known kind stays as it is. Several kinds share some
    values: where the kind itself is at hand it decides.
    """
    if isinstance(value, Enum):
        return speech_of(context).say(value)
    kind = next((kind for kind in _KINDS if value in {member.value for member in kind}), None)
    return speech_of(context).say(kind(value) if kind else value)


@pass_context
def when(context: Context, moment: datetime | None) -> str:
    """A moment as the shop says it: today's by the hour, others with their day."""
    return "–" if moment is None else speech_of(context).moment(moment)


@pass_context
def clock(context: Context, moment: datetime) -> str:
    """The time of day to the second, where seconds count."""
    return moment.astimezone(speech_of(context).zone).strftime("%H:%M:%S")


@pass_context
def spell(context: Context, minutes: int) -> str:
    return speech_of(context).minutes(minutes)


@pass_context
def spell_open(context: Context, minutes: int) -> str:
    return speech_of(context).open_minutes(minutes)


@pass_context
def history(context: Context, event: JobEvent) -> str:
    return tell(event, speech_of(context))


@pass_context
def translated(context: Context, template: str, **values: object) -> str:
    """Fixed words of a paper in the language it is printed in: the words are the key of their catalogue,
    however the lines of a template break them.
    """
    return speech_of(context).text(" ".join(template.split()), **values)


@pass_context
def seam_of(context: Context, stitches: tuple[SeamStitch, ...], *, full: bool = False) -> Markup:
    # the hour is left out of the key under which drawings are kept
    return draw_seam(stitches, full=full, speech=speech_of(context).timeless)


@pass_context
def join(context: Context, things: Iterable[object], between: str = "", attribute: str = "") -> str:
    """Several things with something between them, each said. `attribute` = this of each."""
    speech = speech_of(context)
    picked = (attrgetter(attribute)(thing) if attribute else thing for thing in things)
    return between.join(speech.say(thing) for thing in picked)


# by kind, whether core means it to be said
_IS_SAID: dict[type, bool] = {}
# most of what is printed
_AS_THEY_ARE = frozenset({str, Markup, int, Undefined, StrictUndefined})


@pass_context
def finalize(context: Context, value: object) -> object:
    """What a template prints: facts, kinds and amounts are said, everything else is as it is."""
    kind = type(value)
    if kind in _AS_THEY_ARE:
        return value
    if kind not in _IS_SAID:
        _IS_SAID[kind] = issubclass(kind, Fact | Refusal | Money | Enum)
    return speech_of(context).say(value) if _IS_SAID[kind] else value


# how the page that is being made says things: imported macros see nothing of its values
_SPEAKING: ContextVar[Speech] = ContextVar("speaking", default=PLAIN)


def speech_of(context: Context) -> Speech:
    speech: Speech = context.get("speech") or _SPEAKING.get()
    return speech


def _made(template: str, speech: Speech, **values: Any) -> str:
    """A template filled in, with everything in it said by one speech."""
    before = _SPEAKING.set(speech)
    try:
        return TEMPLATES.get_template(template).render(speech=speech, **values)
    finally:
        _SPEAKING.reset(before)


@pass_context
def local_input(context: Context, moment: datetime | None) -> str:
    """A moment as a date-and-time field wants it."""
    zone: ZoneInfo = context.get("zone") or ZoneInfo("UTC")
    return f"{moment.astimezone(zone):%Y-%m-%dT%H:%M}" if moment else ""


@pass_context
def day(context: Context, value: date | None) -> str:
    return speech_of(context).day(value) if value else "–"


@pass_context
def weekday(context: Context, value: date) -> str:
    """A day of the next ones, by its name and date."""
    return f"{speech_of(context).weekdays[value.weekday()]} {value:%d.%m.}"


def id_of(value: object) -> object:
    """What a form sends for this choice: the id of a kind, any other value as it is."""
    return value.value if isinstance(value, Enum) else value


@lru_cache(maxsize=64)
def asset(name: str) -> str:
    """The address of a shipped file, with a mark of its contents so that a new release is never mixed with
    old files.
    """
    mark = hashlib.sha256((HERE / "static" / name).read_bytes()).hexdigest()[:10]
    return f"/static/{name}?{mark}"


@lru_cache(maxsize=64)
def script(name: str) -> str:
    """The address of a script module. The mark of all of them stands in the path, so that the modules one
    imports by their names are of the same release.
    """
    marks = [file.read_bytes() for file in sorted((HERE / "static" / "js").glob("*.js"))]
    return f"/scripts/{hashlib.sha256(b''.join(marks)).hexdigest()[:10]}/{name}"


_ROOM_PATHS = {
    "routes": "/routes",
    "match": "/match",
    "plan": "/assign",
    "bench": "/bench",
    "proof": "/proof",
    "handover": "/handover",
    "job": "",
}


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
        finalize=finalize,
        extensions=[Row],
    )
    environment.filters |= {
        "money": money,
        "when": when,
        "clock": clock,
        "day": day,
        "weekday": weekday,
        "words": words,
        "spell": spell,
        "spell_open": spell_open,
        "say": say,
        "join": join,
        "history": history,
        "local_input": local_input,
        "id": id_of,
    }
    environment.globals |= {
        "form_key": form_key,
        "asset": asset,
        "script": script,
        "draw_seam": seam_of,
        "_": translated,
        "way_to": way_to,
        "no_part": NO_PART_NAMES,
    }
    return environment


TEMPLATES = _environment()


def read_templates_anew() -> None:
    """For those who work on the templates: each change of one, and of a shipped file, is seen at once."""
    TEMPLATES.auto_reload = True
    TEMPLATES.globals |= {"asset": asset.__wrapped__, "script": script.__wrapped__}


def person_may(person: Person) -> dict[str, bool]:
    """What this person may do, by deed, for templates to ask and not decide."""
    return {deed.name.lower(): may(person, deed) for deed in Deed}


def render(
    ask: Asking,
    template: str,
    *,
    room: str = "",
    shown: Shown = ANEW,
    speech: Speech | None = None,
    **values: Any,
) -> HTMLResponse:
    """A page for the person signed in. What is refused in `shown` stands at the top, its problems at their
    fields, and what was entered in them; `speech` is the shop's way on paper for what is printed.
    """
    values = {"entered": shown.entered, **values}
    text = _made(
        template,
        speech or ask.speech,
        person=ask.person,
        may=person_may(ask.person),
        csrf=ask.csrf,
        now=ask.now,
        zone=ask.zone,
        shop_name=ask.shop_name,
        room=room,
        over=ask.over,
        hot=[tuple(each.rsplit(" ", 1)) for each in ask.hot],
        waits_of=ask.waits,
        refusal=shown.refusal,
        problems=by_field(shown.refusal, ask.speech),
        seen_rooms=[(n, u) for n, u, deed in ROOMS if deed is None or may(ask.person, deed)],
        path=ask.request.url.path,
        **values,
    )
    return HTMLResponse(text, status_code=shown.status)


def piece(ask: Asking, template: str, **values: Any) -> str:
    """A piece of a page, to be put into one that is open."""
    return _made(template, ask.speech, person=ask.person, now=ask.now, zone=ask.zone, **values)


def render_plain(request: Request, template: str, *, status: int = 200, **values: Any) -> HTMLResponse:
    """A page for someone not signed in, or when nothing is known of who asks."""
    person = getattr(request.state, "person", None)
    text = TEMPLATES.get_template(template).render(
        person=person,
        may=person_may(person) if person else {},
        csrf=getattr(request.state, "csrf", ""),
        seen_rooms=[(n, u) for n, u, deed in ROOMS if person and (deed is None or may(person, deed))],
        shop_name=values.pop("shop_name", "Sutura"),
        room="",
        over=(),
        hot=(),
        waits_of={},
        refusal=values.pop("refusal", None),
        problems={},
        path=request.url.path,
        **values,
    )
    return HTMLResponse(text, status_code=status)


def by_field(refusal: Refusal | None, speech: Speech) -> dict[str, str]:
    """What is said at each field of a form."""
    if isinstance(refusal, ManyInvalid):
        return {field: speech.say(said) for field, said in refusal.by_field.items()}
    if isinstance(refusal, Invalid):
        return {refusal.field: speech.say(refusal)}
    return {}
