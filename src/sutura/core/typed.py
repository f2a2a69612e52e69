"""What people type, read once into values: whole numbers, measures, amounts, shares, choices, days and
moments.

One reader for forms, price lists and commands. Everywhere alike: a decimal comma or point, digits grouped by
a space, an apostrophe or the other sign, spaces around. What could be read two ways where money depends on it
is refused. A reader raises `Invalid` without a field; `Problems` gives it the field's path and collects it
with the others, so that a form tells everything that is wrong with it at once.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import date, datetime, tzinfo
from decimal import Decimal
from typing import TypeVar

from sutura.core.errors import Invalid, ManyInvalid
from sutura.core.facts import Say, fact
from sutura.core.maths.money import amount_text, digits_of, half_up

T = TypeVar("T")

# no day of a shop lies outside: its customers' phones are younger, its promises nearer; the shop's, no source
YEARS = (2000, 2199)
# nobody types a longer number; the shop's, no source
MOST_NUMBER = 40
# more than this is never asked, paid or weighed for one repair: 100000.00; the shop's, no source
MOST_UNITS = 100_000
_GROUPING = re.compile(r"(?<=\d)[\s'’](?=\d)")
_NUMBER = re.compile(r"([+−-]?)(\d[\d.,]*|[.,]\d+)")
# so many digits are grouped
_GROUP = 3
_GROUPED = re.compile(r"\d{1,3}([.,])\d{3}(?:\1\d{3})*")
# what a scanner types into whatever field has the cursor: 8, 12, 13 or 14 digits (GS1 General Specifications)
_BARCODE = re.compile(r"\d{8}|\d{12,14}")
# from one unit to millimetres; 1 inch = 25.4 mm exactly (ISO, sure)
_MM = {"mm": Decimal(1), "cm": Decimal(10), "in": Decimal("25.4")}
_UNIT = re.compile(r"(.*?)\s*(mm|cm|in|inch|inches|[\"″”])?\s*", re.IGNORECASE | re.DOTALL)


class Problems:
    """Every problem of one form or file, each at the path of its value.

    >>> problems = Problems("The list")
    >>> with problems.under("rows[2]"):
    ...     raise Invalid("price", "x", "write an amount")
    >>> [problem.field for problem in problems]
    ['rows[2].price']
    """

    def __init__(self, form: Say = "This form") -> None:
        self.form = form
        self._problems: list[Invalid] = []

    def __iter__(self) -> Iterator[Invalid]:
        return iter(self._problems)

    def __len__(self) -> int:
        return len(self._problems)

    def add(self, field: str, refused: object, accepts: Say) -> None:
        self._problems.append(Invalid(field, refused, accepts))

    def extend(self, problems: Iterable[Invalid]) -> None:
        self._problems.extend(problems)

    def has(self, field: str) -> bool:
        return any(problem.field == field for problem in self._problems)

    @contextmanager
    def under(self, field: str) -> Iterator[None]:
        """Collect what is refused inside, at this path."""
        try:
            yield
        except Invalid as wrong:
            self._problems.append(wrong.under(field))
        except ManyInvalid as wrong:
            self._problems.extend(problem.under(field) for problem in wrong.problems)

    def read(self, field: str, text: str, reader: Callable[[str], T]) -> T | None:
        """What the reader makes of a text; None when it refuses, which is then a problem at this field."""
        try:
            return reader(text)
        except Invalid as wrong:
            self.add(field, wrong.refused, wrong.accepts)
            return None

    def refuse(self) -> None:
        """Raise them all at once, when there are any."""
        refuse(self._problems, self.form)


def refuse(problems: Sequence[Invalid], what: Say = "This form") -> None:
    """Refuse a form or a file with every problem it has; nothing when it has none."""
    if problems:
        raise ManyInvalid(problems, what)


@dataclass(frozen=True, slots=True)
class Entered:
    """What a person entered in the fields of a form, as it is kept and put back into a page; a field that was
    not entered reads as empty.

    >>> Entered.of({"look.picture": "dark", "name": "Ama"}).group("look")
    {'picture': 'dark'}
    """

    fields: Mapping[str, Sequence[str]] = field(default_factory=dict)

    @classmethod
    def of(cls, values: Mapping[str, str]) -> Entered:
        return cls({name: [value] for name, value in values.items()})

    def text(self, name: str, otherwise: str = "") -> str:
        entered = self.fields.get(name)
        return entered[-1] if entered else otherwise

    def texts(self, name: str) -> list[str]:
        return list(self.fields.get(name, ()))

    def group(self, prefix: str) -> dict[str, str]:
        """The fields whose names begin with a prefix and a dot, without it."""
        return {
            name.removeprefix(f"{prefix}."): self.text(name)
            for name in self.fields
            if name.startswith(f"{prefix}.")
        }

    def has(self, name: str, value: str) -> bool:
        return value in self.fields.get(name, ())

    def answers(self) -> dict[str, tuple[str, str]]:
        """A function list: outcome and reason by function."""
        return {
            name: (outcome, self.text(f"reason.{name}")) for name, outcome in self.group("function").items()
        }


# -- numbers ----------------------------------------------------------------------------------------


def read_decimal(text: str, sign: str = "") -> Decimal | None:
    """A number however its decimals and thousands are written; None when it is none.

    `sign` is the decimal sign where the whole file uses one. A single sign is the decimal sign, whatever
    stands behind it; where that matters the caller asks `reads_two_ways` first.

    >>> [str(read_decimal(text)) for text in ("70,2", "1 234.5", "1.234,50", "1'234", "x")]
    ['70.2', '1234.5', '1234.50', '1234', 'None']
    """
    found = _NUMBER.fullmatch(_GROUPING.sub("", text.strip())) if len(text) <= MOST_NUMBER else None
    if not found:
        return None
    signs = [mark for mark in found[2] if mark in ".,"]
    decimal = signs[-1] if len(set(signs)) == 2 or len(signs) == 1 else ""
    if sign and len(set(signs)) == 1:
        decimal = sign if sign in signs else ""
    whole, _, part = found[2].rpartition(decimal) if decimal else (found[2], "", "")
    if not part.isdecimal() and part:
        return None
    if any(mark in whole for mark in ".,") and not _GROUPED.fullmatch(whole):
        return None
    minus = "-" if found[1] in ("-", "−") else ""
    digits = re.sub(r"[.,]", "", whole) or "0"
    return Decimal(f"{minus}{digits}.{part}" if part else f"{minus}{digits}")


def reads_two_ways(text: str) -> bool:
    """Whether a lone sign could part decimals or thousands, such as `1,234`.

    >>> reads_two_ways("1,234"), reads_two_ways("1234,5"), reads_two_ways("0,125")
    (True, False, False)
    """
    plain = _GROUPING.sub("", text.strip())
    return bool(re.fullmatch(r"[1-9]\d{0,2}[.,]\d{3}", plain))


def read_id(text: str) -> int:
    """The number of a record as a page put it into a form; -1, which no record has, when it is none."""
    return int(text) if text.isdecimal() and len(text) < 15 else -1


def read_number(text: str, least: Decimal | int, most: Decimal | int, accepts: Say) -> Decimal:
    """A number within bounds, both included."""
    number = read_decimal(text)
    if number is None or not least <= number <= most:
        raise Invalid("", text, accepts)
    return number


def read_whole(text: str, most: int, *, least: int = 0, accepts: Say = "") -> int:
    """A whole number within bounds.

    >>> read_whole("1 200", 5000)
    1200
    """
    number = read_decimal(text)
    # a lone sign groups thousands or stands before nothing but zeros; 2.5 is no whole number
    if number is not None and reads_two_ways(text):
        number = number * 1000
    if number is None or number != number.to_integral_value() or not least <= number <= most:
        raise Invalid("", text, accepts or fact("typed.write-whole-number-from", least=least, most=most))
    return int(number)


def read_leading_whole(text: str, most: int, *, least: int = 0, accepts: Say = "") -> int:
    """A whole number at the beginning of a cell, whatever word stands behind it, such as `3 days`."""
    found = re.match(r"\s*(\d{1,6})(?![\d.,])", text)
    if not found or not least <= int(found[1]) <= most:
        raise Invalid("", text, accepts or fact("typed.write-whole-number-from", least=least, most=most))
    return int(found[1])


def read_measure(text: str, unit: str = "mm", most: int = 100_000) -> float:
    """A length above zero in `unit` (mm or in), with or without a unit of its own.

    >>> read_measure("3,2 cm"), read_measure('15.6"', "in"), read_measure("39.6 cm", "in")
    (32.0, 15.6, 15.59)
    """
    found = _UNIT.fullmatch(text)
    number = read_decimal(found[1]) if found else None
    example = fact("typed.such-359-5-35-95-cm")
    if found is None or number is None:
        raise Invalid("", text, fact("typed.write-length", example=example))
    said = (found[2] or unit).casefold()
    value = number * _MM[said if said in _MM else "in"] / _MM[unit]
    if not 0 < value <= most:
        raise Invalid("", text, fact("typed.write-length-above-zero", example=example))
    return float(half_up(value, 3 if unit == "mm" else 2))


# -- money ------------------------------------------------------------------------------------------


def read_amount(
    text: str, currency: str, *, least: int = 0, most: int | None = None, sign: str = "", rounds: bool = False
) -> int:
    """An amount in minor units of a currency. Another currency, and what could be read two ways, is refused;
    a lone sign before three digits parts the decimals of a currency that has three.

    `least` and `most` are in minor units, both included; `sign` is the decimal sign of the whole file;
    `rounds` takes more decimals than the currency has, as price lists of small parts have them.

    >>> read_amount("1.234,50 TAL", "TAL"), read_amount("1 500", "JPY"), read_amount("12.500", "KWD")
    (123450, 1500, 12500)
    """
    most = MOST_UNITS * 10 ** digits_of(currency) if most is None else most
    example = amount_text(58 * 10 ** digits_of(currency), currency)
    bounds = fact(
        "typed.from", amount_text=amount_text(least, currency), amount_text2=amount_text(most, currency)
    )
    accepts = fact("typed.write-amount-such", currency=currency, bounds=bounds, example=example)
    if any(code.upper() != currency for code in re.findall(r"[A-Za-z]{3,}", text)):
        raise Invalid("", text, accepts)
    bare = re.sub(currency, "", text, flags=re.IGNORECASE)
    # a sign of a currency, such as €, says nothing; any other sign that no number has is refused with it
    bare = "".join(mark for mark in bare if unicodedata.category(mark) != "Sc").strip()
    digits = digits_of(currency)
    if digits and not sign and _BARCODE.fullmatch(bare):
        raise Invalid("", text, fact("typed.this-reads-like-a-barcode", example=example))
    if digits and digits != _GROUP and not sign and reads_two_ways(bare):
        raise Invalid("", text, fact("typed.write-digits-after-decimal-sign-can", digits=digits))
    number = read_decimal(bare, sign)
    if number is None:
        raise Invalid("", text, accepts)
    if not digits and reads_two_ways(bare):
        number = number * 1000
    minor = number.scaleb(digits)
    if (minor != minor.to_integral_value() and not rounds) or not least <= half_up(minor, 0) <= most:
        raise Invalid("", text, accepts)
    return int(half_up(minor, 0))


def read_percent(text: str, most: int) -> int:
    """Per cent as basis points, from nothing to `most` per cent.

    >>> read_percent("19,5 %", 50)
    1950
    """
    accepts = fact("typed.write-per-cent-from-0-such", most=most)
    return int(half_up(read_number(text.replace("%", ""), 0, most, accepts) * 100, 0))


# -- choices and text -------------------------------------------------------------------------------


def read_choice(text: str, choices: Sequence[str], accepts: Say = "") -> str:
    """One of some values, as they stand."""
    if text not in choices:
        raise Invalid("", text, accepts or fact("typed.choose-one", choices=tuple(choices)))
    return text


# what XML 1.0 cannot hold (W3C Recommendation, production [2] Char), but for line ends and tabs
_UNPRINTABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff\ufffe\uffff]")


def read_text(text: str, most: int, *, least: int = 0, accepts: Say = "") -> str:
    """A text without the spaces around it, of a length within bounds; a long one is quoted by its
    beginning. Signs that no paper can bear (control characters) are none of it.
    """
    tidy = _UNPRINTABLE.sub("", text).strip()
    if not least <= len(tidy) <= most:
        bounds = fact("typed.to", least=least, most=most) if least > 1 else fact("typed.most", most=most)
        raise Invalid("", tidy[:60], accepts or fact("typed.write-characters", bounds=bounds))
    return tidy


# -- days and moments -------------------------------------------------------------------------------


def read_moment(text: str, zone: tzinfo, accepts: Say = "") -> datetime:
    """A moment as a date-and-time field sends it, in the shop's zone, of a plausible year."""
    try:
        moment = datetime.fromisoformat(text.strip()).replace(tzinfo=zone)
    except ValueError:
        raise Invalid("", text[:60], accepts or fact("typed.choose-day-time")) from None
    _check_year(moment.year, text)
    return moment


def _check_year(year: int, text: str) -> None:
    if not YEARS[0] <= year <= YEARS[1]:
        raise Invalid("", text, fact("typed.choose-day-of-years", first=str(YEARS[0]), last=str(YEARS[1])))


def read_day(text: str, accepts: Say = "") -> date:
    try:
        day = date.fromisoformat(text.strip())
    except ValueError:
        raise Invalid("", text[:60], accepts or fact("typed.choose-day")) from None
    _check_year(day.year, text)
    return day
