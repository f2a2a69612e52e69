"""What a customer is told, when and by which way: templates, quiet hours, reminders, storage."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, time, timedelta
from enum import StrEnum
from string import Formatter
from typing import Any
from zoneinfo import ZoneInfo

from sutura.core.errors import Invalid
from sutura.core.facts import Fact, fact
from sutura.core.job import Stage
from sutura.core.typed import Problems, read_text, read_whole
from sutura.core.values import COMMON, Rule


class Told(StrEnum):
    """What a message is about."""

    READY = "ready"
    REMINDER = "reminder"
    DELAYED = "delayed"
    QUESTION = "question"
    QUOTE = "quote"
    RECEIPT = "receipt"
    # given back as it came
    RETURNED = "returned"


class Sending(StrEnum):
    """What became of a message."""

    WAITING = "waiting"
    SENT = "sent"
    GIVEN_UP = "given_up"
    DROPPED = "dropped"


# one of these begins anew when it is asked for again (rule tell.once)
NOT_SENT = frozenset({Sending.GIVEN_UP, Sending.DROPPED})


class Way(StrEnum):
    """By which way somebody wants to hear; none = not at all."""

    TEXT = "text"
    MAIL = "mail"
    NONE = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Template:
    """The words of a message: a subject, for mails, and its text, with names in braces."""

    subject: str
    text: str


# what a template may name, and what that is
NAMES: Mapping[str, str] = {
    "shop": "the shop's name",
    "device": "the device",
    "job": "the job's code",
    "open": "what is still to pay",
    "promise": "when it is promised",
    "status": "the address of the status page",
    "reason": "the reason that was written",
    "days": "for how many days it has been ready",
    "warranty": "until when the warranty runs",
    "link": "the address at which a quote is answered",
    "until": "until when a quote holds",
}
# the address of a quote is a secret: it stands in a message only while that waits
LINK = "{link}"
# what only a quote can fill
_OF_QUOTES = frozenset({"link", "until"})

USUAL: Mapping[Told, Template] = {
    Told.READY: Template(
        subject="{shop}: your {device} is ready",
        text="Your {device} ({job}) is ready. To pay: {open}. {status}",
    ),
    Told.REMINDER: Template(
        subject="{shop}: your {device} waits for you",
        text="Your {device} ({job}) has been ready for {days} days. Please collect it. {status}",
    ),
    Told.DELAYED: Template(
        subject="{shop}: your {device} takes longer",
        text="Your {device} ({job}) takes longer: {reason}. We expect it {promise}. {status}",
    ),
    Told.QUESTION: Template(
        subject="{shop}: a question about your {device}",
        text="A question about your {device} ({job}): {reason}. Please call us. {status}",
    ),
    Told.QUOTE: Template(
        subject="{shop}: the quote for your {device}",
        text="{shop}: the quote for your {device} ({job}) is here: {link} – it holds until {until}.",
    ),
    Told.RECEIPT: Template(
        subject="{shop}: your receipt",
        text="Thank you. Your {device} ({job}) was handed back; its warranty runs until {warranty}. {status}",
    ),
    Told.RETURNED: Template(
        subject="{shop}: your {device} without a repair",
        text="Your {device} ({job}) was given back without a repair. {status}",
    ),
}
OVER = frozenset({Stage.HANDED_BACK, Stage.RETURNED})
# what may be told when
TOLD_AT: Mapping[Told, frozenset[Stage]] = {
    Told.READY: frozenset({Stage.CLOSED, Stage.DECLINED}),
    Told.REMINDER: frozenset({Stage.CLOSED, Stage.DECLINED}),
    Told.DELAYED: frozenset(Stage) - OVER,
    Told.QUESTION: frozenset(Stage) - OVER,
    Told.QUOTE: frozenset(Stage) - OVER,
    Told.RECEIPT: frozenset({Stage.HANDED_BACK}),
    Told.RETURNED: frozenset({Stage.RETURNED}),
}
# those for which somebody writes a reason
REASONED = frozenset({Told.DELAYED, Told.QUESTION})
# those that nobody presses: one goes out by itself, one with its quote
UNPRESSED = frozenset({Told.REMINDER, Told.QUOTE})
MOST_TEXT, MOST_SUBJECT = 600, 120
# minutes until a message that could not be sent is tried again, try by try; then it is given up
RETRY_MINUTES = (1, 5, 15, 60, 240, 720)

RULES = (
    Rule(
        id="tell.once",
        capability="handover",
        says=(
            "A message of one kind goes out once for one occasion, however often it is asked for. One that "
            "cannot be sent is tried again after 1, 5, 15, 60, 240 and 720 minutes, then it is given up and "
            "said so, and asked for again it is sent again. Nothing is sent to whom nothing shall be "
            "sent, to nobody who was erased, and nothing that is not so any more when it would go out."
        ),
        source="the shop's, no source",
    ),
    Rule(
        id="tell.delay",
        capability="handover",
        says=(
            "That it takes longer is told with the new time: what is likely by the plan is offered, and an "
            "earlier one is refused. Nobody is told to expect it at a time that is over."
        ),
        source="the shop's, no source",
    ),
    Rule(
        id="tell.quiet",
        capability="handover",
        says="In the quiet hours nothing is sent; it goes out when they are over.",
        source=COMMON,
    ),
    Rule(
        id="tell.way",
        capability="handover",
        says=(
            "A message goes the way that the customer wants; where they did not say, as text to a telephone, "
            "else as mail. Where that way is not known of them, nothing is sent and it is said."
        ),
        source=COMMON,
    ),
    Rule(
        id="tell.words",
        capability="handover",
        says=(
            "A message is said in the customer's language: in the shop's own words where it wrote some in "
            "that language, else in the usual ones. The address of a quote is forgotten when its message "
            "is sent or given up."
        ),
        source="the shop's, no source",
    ),
    Rule(
        id="tell.reminders",
        capability="handover",
        says=(
            "What is ready and not collected is reminded of after the days that the shop says, 1, 7 and "
            "30 where it says none; each once. After the days of storage it is put up to be decided."
        ),
        source="the shop's terms; local law comes first",
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Telling:
    """How the shop tells its customers: its own words by language (ISO 639-1) where it wrote some, quiet
    hours, reminders and days of storage.
    """

    words: Mapping[str, Mapping[Told, Template]]
    quiet_from: time
    quiet_to: time
    reminders: tuple[int, ...]
    storage_days: int


USUAL_TELLING = Telling(
    words={}, quiet_from=time(20), quiet_to=time(8), reminders=(1, 7, 30), storage_days=60
)


def template_of(telling: Telling, told: Told, language: str, usual: Template) -> Template:
    """The words of a message in a language: the shop's own, else the usual ones (rule tell.words)."""
    return telling.words.get(language, {}).get(told, usual)


def names_of(told: Told) -> tuple[str, ...]:
    """What the words of a message may name."""
    return tuple(name for name in NAMES if told is Told.QUOTE or name not in _OF_QUOTES)


def fill(template: Template, values: Mapping[str, str]) -> Template:
    """A template with its names said; what has nothing to say leaves no gap."""

    def said(text: str) -> str:
        filled = text.format_map({name: values.get(name, "") for name in NAMES})
        return re.sub(r" +", " ", filled).strip()

    return Template(subject=said(template.subject), text=said(template.text))


def check_template(told: Told, subject: str, text: str) -> Template:
    """A template as typed: as long as is read, with names that there are; that of a quote with its address.
    Every problem at once.
    """
    problems = Problems(fact("tell.the-words"))
    names = names_of(told)
    head = problems.read(f"subject.{told.value}", subject, lambda one: _words(one, MOST_SUBJECT, names))
    body = problems.read(f"text.{told.value}", text, lambda one: _words(one, MOST_TEXT, names))
    if told is Told.QUOTE and body is not None and LINK not in body:
        problems.add(f"text.{told.value}", body, fact("tell.needs-link", name=LINK))
    problems.refuse()
    return Template(subject=head or "", text=body or "")


def _words(text: str, most: int, names: Sequence[str]) -> str:
    tidy = read_text(text, most, least=3)
    accepts = fact("tell.names", names=tuple(names))
    try:
        pieces = list(Formatter().parse(tidy))
    except ValueError:
        raise Invalid("", tidy[:60], accepts) from None
    for _, name, form, conversion in pieces:
        if name is not None and (name not in names or form or conversion):
            raise Invalid("", "{" + name + "}", accepts)
    return tidy


def when_to_send(now: datetime, telling: Telling, zone: ZoneInfo) -> datetime:
    """When a message may go out: now, or when the quiet hours are over (rule tell.quiet). Equal ends = never
    quiet.
    """
    begin, end = telling.quiet_from, telling.quiet_to
    local = now.astimezone(zone)
    clock = local.time()
    over_night = begin > end
    quiet = (clock >= begin or clock < end) if over_night else begin <= clock < end
    if not quiet:
        return now
    day = local.date() + timedelta(days=1 if over_night and clock >= begin else 0)
    return datetime.combine(day, end, zone)


def next_try(tries: int, now: datetime) -> datetime | None:
    """When a message that failed so often is tried again; None = it is given up."""
    return now + timedelta(minutes=RETRY_MINUTES[tries - 1]) if tries <= len(RETRY_MINUTES) else None


def reminders_due(ready_at: datetime, reminders: Sequence[int], now: datetime) -> tuple[int, ...]:
    """Which reminders of something that is ready are due, by their days; the last of them alone is sent."""
    return tuple(days for days in sorted(reminders) if now - ready_at >= timedelta(days=days))


def is_stored_too_long(ready_at: datetime, telling: Telling, now: datetime) -> bool:
    """Whether somebody has to decide what becomes of a device that nobody collects."""
    return bool(telling.storage_days) and now - ready_at >= timedelta(days=telling.storage_days)


def way_of(wanted: str, phone: str, email: str) -> tuple[Way, str]:
    """By which way a customer is told, and where to (rule tell.way); empty = nothing can be sent."""
    if wanted == Way.NONE:
        return Way.NONE, ""
    if wanted == Way.MAIL or (not wanted and not phone.strip()):
        return Way.MAIL, email.strip()
    return Way.TEXT, phone.strip()


def tellable(stage: Stage) -> tuple[Told, ...]:
    """What somebody may press to tell at a stage."""
    return tuple(told for told in Told if told not in UNPRESSED and stage in TOLD_AT[told])


_STATUS: Mapping[Stage, Fact] = {
    Stage.IDENTIFIED: fact("status.looking"),
    Stage.QUOTED: fact("status.waits-for-part"),
    Stage.PART_IN_HAND: fact("status.part-here"),
    Stage.OPENED: fact("status.on-the-bench"),
    Stage.PROVED: fact("status.closing"),
    Stage.CLOSED: fact("status.cures"),
    Stage.HANDED_BACK: fact("status.handed-back"),
    Stage.DECLINED: fact("status.not-repaired"),
    Stage.RETURNED: fact("status.not-repaired"),
}


def status_of(
    stage: Stage, promise_at: datetime, now: datetime, *, ready: bool, late: bool = False
) -> tuple[Fact, Fact | None]:
    """How far a repair is, as its customer reads it, and what comes next; nothing where it is over. A time
    that is past is not told as coming, and one that will be missed (`late`) not as sure.
    """
    if ready:
        return fact("status.ready"), fact("status.collect")
    expected = stage not in OVER and stage is not Stage.DECLINED
    if not expected:
        return _STATUS[stage], None
    if promise_at <= now:
        return _STATUS[stage], fact("status.takes-longer")
    return _STATUS[stage], fact("status.may-take-longer" if late else "status.expected", at=promise_at)


def occasion_of_delay(promise_at: datetime) -> str:
    """What tells one delay from the next: the time that is promised instead."""
    return f"{promise_at:%Y-%m-%d %H:%M}"


def check_way(wanted: str) -> str:
    """How somebody wants to hear; empty = as the shop likes."""
    if wanted and wanted not in set(Way):
        raise Invalid("channel", wanted, fact("tell.choose", ways=tuple(Way)))
    return wanted


def telling_from(kept: Mapping[str, Any]) -> Telling:
    """How a shop tells its customers, from what it keeps."""
    words = {
        language: {told: Template(**own[told.value]) for told in Told if told.value in own}
        for language, own in kept.get("words", {}).items()
    }
    return Telling(
        words=words,
        quiet_from=time.fromisoformat(kept.get("quiet_from", "20:00")),
        quiet_to=time.fromisoformat(kept.get("quiet_to", "08:00")),
        reminders=tuple(kept.get("reminders", USUAL_TELLING.reminders)),
        storage_days=int(kept.get("storage_days", USUAL_TELLING.storage_days)),
    )


def telling_kept(telling: Telling) -> dict[str, Any]:
    """How a shop tells its customers, as it is kept."""
    return {
        "words": {
            language: {told.value: {"subject": one.subject, "text": one.text} for told, one in own.items()}
            for language, own in telling.words.items()
        },
        "quiet_from": f"{telling.quiet_from:%H:%M}",
        "quiet_to": f"{telling.quiet_to:%H:%M}",
        "reminders": list(telling.reminders),
        "storage_days": telling.storage_days,
    }


def telling_texts(telling: Telling, language: str, usual: Mapping[Told, Template]) -> dict[str, str]:
    """How a shop tells its customers in a language, as a form has it; `usual` are the usual words in it."""
    texts = {
        "quiet_from": f"{telling.quiet_from:%H:%M}",
        "quiet_to": f"{telling.quiet_to:%H:%M}",
        "reminders": ", ".join(map(str, telling.reminders)),
        "storage_days": str(telling.storage_days),
    }
    for told in Told:
        one = template_of(telling, told, language, usual[told])
        texts |= {f"subject.{told.value}": one.subject, f"text.{told.value}": one.text}
    return texts


def read_telling(
    typed: Mapping[str, str], before: Telling, language: str, usual: Mapping[Told, Template]
) -> Telling:
    """How a shop tells its customers, as typed, with its words in one language; the other languages stay as
    before, and words that are the usual ones are not its own. Every problem at once.
    """
    problems = Problems(fact("tell.the-telling"))
    templates = {}
    for told in Told:
        with problems.under(""):
            templates[told] = check_template(
                told, typed.get(f"subject.{told.value}", ""), typed.get(f"text.{told.value}", "")
            )
    begin = problems.read("quiet_from", typed.get("quiet_from", ""), _clock)
    end = problems.read("quiet_to", typed.get("quiet_to", ""), _clock)
    days = problems.read("reminders", typed.get("reminders", ""), _days)
    stored = problems.read("storage_days", typed.get("storage_days", ""), lambda text: read_whole(text, 3650))
    problems.refuse()
    own = {told: one for told, one in templates.items() if one != usual[told]}
    return Telling(
        words={name: words for name, words in {**before.words, language: own}.items() if words},
        quiet_from=begin or time(0),
        quiet_to=end or time(0),
        reminders=days or (),
        storage_days=stored or 0,
    )


def _clock(text: str) -> time:
    found = re.fullmatch(r"([01]?\d|2[0-3]):([0-5]\d)", text.strip())
    if not found:
        raise Invalid("", text, fact("tell.clock"))
    return time(int(found[1]), int(found[2]))


def _days(text: str) -> tuple[int, ...]:
    pieces = [piece.strip() for piece in text.split(",") if piece.strip()]
    if len(pieces) > 10 or not all(
        piece.isascii() and piece.isdigit() and 0 < int(piece[:5]) <= 365 for piece in pieces
    ):
        raise Invalid("", text[:60], fact("tell.days"))
    return tuple(sorted({int(piece) for piece in pieces}))
