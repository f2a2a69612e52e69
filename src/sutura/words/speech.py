"""Says facts for one locale and one zone: the only place where an id becomes a sentence and an instant a
text.

A sentence is a template with the values of its fact in braces. What may stand behind a colon: a format of a
number (`{x:.1f}`), what stands between several values (`{names:; }`, otherwise a comma), `lower` and
`capital`, and forms by number (`{count:day|days}`; `#` stands for the number itself). The English templates
are the keys of a gettext catalogue `sutura`, so that another language needs no change but its catalogue.
"""

from __future__ import annotations

import gettext
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, tzinfo
from decimal import Decimal
from enum import Enum
from functools import cache, cached_property, lru_cache
from io import BytesIO
from pathlib import Path
from string import Formatter
from typing import Any

from babel import Locale
from babel.dates import format_date, format_datetime, get_day_names
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po
from babel.numbers import format_decimal

from sutura.core.errors import Refusal
from sutura.core.facts import Fact, Minutes, OpenMinutes, from_json
from sutura.core.maths.money import Money, digits_of
from sutura.words.english import SENTENCES
from sutura.words.names import name_of

CATALOGUES = Path(__file__).parent / "locale"


@dataclass(frozen=True)
class Speech:
    """One way of saying things. `now` lets a moment of today be said by its hour; on `paper`, which is read
    on other days, every moment has its whole date.
    """

    zone: tzinfo
    locale: Locale = field(default_factory=lambda: Locale("en"))
    now: datetime | None = None
    paper: bool = False

    @cached_property
    def language(self) -> str:
        return str(self.locale)

    @cached_property
    def timeless(self) -> Speech:
        """The same way of saying things, whatever the hour."""
        return self if self.now is None else replace(self, now=None)

    @cached_property
    def _today(self) -> date | None:
        return self.now.astimezone(self.zone).date() if self.now else None

    def text(self, template: str, /, **values: Any) -> str:
        """A template in this language, with values said."""
        said = []
        for literal, name, form in _pieces(self._translated(template)):
            said.append(literal)
            if name is not None:
                said.append(self._formed(_named(values, name), form))
        return "".join(said)

    def say(self, thing: Any) -> str:
        """Anything that core returns, in words."""
        # most of all: a page asks this hundreds of times
        if type(thing) is str:
            return self._translated(thing) if thing else ""
        if type(thing) is Fact:
            return self.text(SENTENCES[thing.id], **dict(thing.values))
        if isinstance(thing, str) and not isinstance(thing, Enum):
            return self._translated(str(thing)) if thing else ""
        if isinstance(thing, Refusal):
            return self.say(thing.said)
        if isinstance(thing, dict):
            # a fact as the database keeps it
            return self.say(from_json(thing))
        return self._value(thing)

    def money(self, amount: Money) -> str:
        """An amount with its currency, such as `1,149.90 TAL`."""
        return _amount(amount, self.language)

    def minutes(self, minutes: int) -> str:
        """Minutes as a shop says them.

        >>> from datetime import UTC
        >>> [Speech(UTC).minutes(n) for n in (45, 150, 3000)]
        ['45 min', '2 h 30 min', '2 days 2 h']
        """
        return _spelled(minutes, self.language)

    def open_minutes(self, minutes: int) -> str:
        """Working time: in hours however many, for a working day is not a day.

        >>> from datetime import UTC
        >>> [Speech(UTC).open_minutes(n) for n in (45, 150, 3000)]
        ['45 min', '2 h 30 min', '50 h']
        """
        return _hours(minutes, self.language)

    def moment(self, at: datetime) -> str:
        """A moment in the shop's zone: today's by the hour, others with their day, on paper with the year."""
        local = at.astimezone(self.zone)
        if self.paper:
            return format_datetime(local, "EEE dd.MM.yyyy HH:mm", locale=self.locale)
        if local.date() == self._today:
            return self.text("today {time}", time=f"{local:%H:%M}")
        return _dated(local.replace(tzinfo=None), self.language)

    @property
    def weekdays(self) -> tuple[str, ...]:
        """The days of a week, Monday first."""
        names = get_day_names("wide", locale=self.locale)
        return tuple(names[day] for day in range(7))

    def day(self, day: date) -> str:
        return format_date(day, "dd.MM.yyyy", locale=self.locale)

    # -- inside ---------------------------------------------------------------------------

    def _formed(self, value: Any, form: str) -> str:
        """A value as its place in a template wants it."""
        if not form:
            return self.say(value)
        if "|" in form:
            number = len(value) if isinstance(value, list | tuple) else int(value)
            forms = form.split("|")
            return forms[min(_plural(number, self.language), len(forms) - 1)].replace("#", str(number))
        if form == "lower":
            return self.say(value).lower()
        if form == "capital":
            said = self.say(value)
            return said[:1].upper() + said[1:]
        if isinstance(value, list | tuple):
            return form.join(self.say(each) for each in value)
        return format(value, form)

    def _value(self, thing: Any) -> str:
        if isinstance(thing, Enum):
            return self._translated(name_of(thing))
        if isinstance(thing, Money):
            return self.money(thing)
        if isinstance(thing, Minutes):
            return self.minutes(thing.minutes)
        if isinstance(thing, OpenMinutes):
            return self.open_minutes(thing.minutes)
        if isinstance(thing, datetime):
            return self.moment(thing)
        if isinstance(thing, date):
            return self.day(thing)
        if isinstance(thing, list | tuple):
            return ", ".join(self.say(each) for each in thing)
        return f"{thing:g}" if isinstance(thing, float) else str(thing)

    @cached_property
    def _translated(self) -> Callable[[str], str]:
        return _catalogue(self.language).gettext


@cache
def _pieces(template: str) -> tuple[tuple[str, str | None, str], ...]:
    """A template taken apart, once: what stands as it is, the name of a value, how it is formed."""
    return tuple((literal, name, form or "") for literal, name, form, _ in Formatter().parse(template))


def _named(values: Mapping[str, Any], name: str) -> Any:
    if name in values:
        return values[name]
    return Formatter().get_field(name, (), values)[0]


# what lists say hundreds of times over


@lru_cache(maxsize=4096)
def _hours(minutes: int, language: str) -> str:
    speech = Speech(UTC, Locale.parse(language))
    hours, rest = divmod(minutes, 60)
    if not hours:
        return speech.text("{n} min", n=minutes)
    return speech.text("{hours} h {rest} min" if rest else "{hours} h", hours=hours, rest=rest)


@lru_cache(maxsize=4096)
def _spelled(minutes: int, language: str) -> str:
    if minutes < 24 * 60:
        return _hours(minutes, language)
    speech = Speech(UTC, Locale.parse(language))
    days, hours = divmod(minutes // 60, 24)
    said = speech.text("{days} {days:day|days}", days=days)
    return f"{said} {speech.text('{hours} h', hours=hours)}" if hours else said


@lru_cache(maxsize=4096)
def _dated(local: datetime, language: str) -> str:
    return format_datetime(local, "EEE dd.MM. HH:mm", locale=language)


@lru_cache(maxsize=4096)
def _plural(number: int, language: str) -> int:
    """Which of a template's forms a number takes in a language."""
    rule = Locale.parse(language).plural_form
    forms = ["one", *(form for form in ("two", "few", "many", "other") if form in rule.tags)]
    tag = rule(number)
    return forms.index(tag) if tag in forms else len(forms)


@lru_cache(maxsize=4096)
def _amount(amount: Money, locale: str) -> str:
    digits = digits_of(amount.currency)
    pattern = "#,##0" + ("." + "0" * digits if digits else "")
    value = Decimal(amount.minor).scaleb(-digits)
    said = format_decimal(value, pattern, locale=locale).replace("-", "−")
    return f"{said} {amount.currency}"


_CATALOGUES: dict[str, gettext.NullTranslations] = {}


def _catalogue(locale: str) -> gettext.NullTranslations:
    """The words of a language, from its catalogue as people edit it (`.po`), translated once for a process,
    or from one that was translated before (`.mo`).
    """
    if locale not in _CATALOGUES:
        words = CATALOGUES / locale / "LC_MESSAGES" / "sutura.po"
        if words.exists():
            ready = BytesIO()
            with words.open("rb") as file:
                write_mo(ready, read_po(file, locale=locale))
            ready.seek(0)
            _CATALOGUES[locale] = gettext.GNUTranslations(ready)
        else:
            _CATALOGUES[locale] = gettext.translation("sutura", CATALOGUES, [locale], fallback=True)
    return _CATALOGUES[locale]


def languages() -> dict[str, str]:
    """The languages in which customers' papers exist, by their code, each by its own name."""
    found = sorted(file.parts[-3] for file in CATALOGUES.glob("*/LC_MESSAGES/sutura.po"))
    return {code: str(Locale.parse(code).get_display_name(code)) for code in ("en", *found)}


# for what no shop asks: the command line and core functions used alone
PLAIN = Speech(UTC)
