"""A supplier's price list: which column is what, and what each row says, with units and decimal signs recognised.

A row is read whole or refused with every reason; nothing is guessed that money depends on.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from sutura.core.errors import Invalid
from sutura.core.matching.attributes import BY_NAME, GRADES, Value, at_least, read_windows, within
from sutura.core.maths.money import half_up
from sutura.core.values import COMMON, Rule

LISTING_RULES = (
    Rule(id="list.amount", capability="matching",
         says="The decimal sign of a price list is found from its own prices; where a value could be read two ways and nothing tells which, it is refused.", source=COMMON),
    Rule(id="list.unit", capability="matching", says="A length without a unit is in mm, a diagonal in inches; cm, mm, in and the inch sign are understood.", source="1 inch = 25.4 mm exactly (ISO, sure)"),
    Rule(id="list.row", capability="matching", says="A row with anything that cannot be read is not read at all; the good rows are read without it. A number that stands twice counts once, the first time.", source=COMMON),
)  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """A thing a price list may say: its name, its words, whether it must be there, and headings by which it is recognised."""

    name: str
    title: str
    needed: bool = False
    headings: tuple[str, ...] = ()
    attribute: bool = False


COLUMNS: tuple[Column, ...] = (
    Column(name="number", title="Supplier's number", needed=True, headings=("number", "article", "sku", "item no", "order no", "part no")),
    Column(name="price", title="Price of one piece", needed=True, headings=("price", "net", "unit price", "cost", "amount")),
    Column(name="name", title="Name", headings=("name", "description", "title", "item")),
    Column(name="kind", title="Kind of part", needed=True, headings=("kind", "category", "type", "group"), attribute=True),
    Column(name="printed_number", title="Printed number", headings=("printed number", "printed", "panel number", "label", "oem number")),
    Column(name="grade", title="Grade", headings=("grade", "quality", "condition")),
    Column(name="lead_days", title="Days to get it", headings=("lead days", "lead time", "delivery", "days")),
    Column(name="stock_there", title="Pieces they have", headings=("stock", "available", "qty", "quantity")),
    Column(name="minimum", title="Smallest number sold", headings=("minimum", "moq", "min qty", "min order")),
    Column(name="price_breaks", title="Prices for more (10: 5.40 | 50: 5.00)", headings=("price breaks", "scale", "bulk", "volume prices")),
    Column(name="guarantee_days", title="Guarantee in days", headings=("guarantee", "warranty", "guarantee days")),
    Column(name="returns", title="When they take it back", headings=("returns", "return", "rma")),
    Column(name="box", title="In the box (with | between)", headings=("box", "contents", "included", "in the box")),
    Column(name="part_family", title="Part family", headings=("part family", "family", "for model", "model", "fits"), attribute=True),
    Column(name="width_mm", title="Outline width", headings=("width", "width mm", "w"), attribute=True),
    Column(name="height_mm", title="Outline height", headings=("height", "height mm", "h"), attribute=True),
    Column(name="thickness_mm", title="Thickness", headings=("thickness", "depth"), attribute=True),
    Column(name="active_width_mm", title="Picture width", headings=("active width", "picture width"), attribute=True),
    Column(name="active_height_mm", title="Picture height", headings=("active height", "picture height"), attribute=True),
    Column(name="diagonal_in", title="Diagonal", headings=("diagonal", "size", "inch", "inches"), attribute=True),
    Column(name="resolution", title="Resolution", headings=("resolution", "pixels", "format"), attribute=True),
    Column(name="technology", title="Panel technology", headings=("technology", "panel", "display type"), attribute=True),
    Column(name="refresh_hz", title="Refresh, Hz", headings=("refresh", "hz", "refresh rate"), attribute=True),
    Column(name="connector_kind", title="Connector kind", headings=("connector", "connector kind", "connector type"), attribute=True),
    Column(name="connector_pins", title="Connector pins", headings=("pins", "pin count", "connector pins"), attribute=True),
    Column(name="connector_place", title="Connector place", headings=("connector place", "connector position", "position"), attribute=True),
    Column(name="mounting", title="Mounting", headings=("mounting", "brackets", "fixing"), attribute=True),
    Column(name="touch", title="Touch", headings=("touch", "digitizer", "digitiser"), attribute=True),
    Column(name="windows", title="Windows", headings=("windows", "openings"), attribute=True),
    Column(name="leads", title="Antenna and camera leads", headings=("leads", "antenna"), attribute=True),
    Column(name="colour", title="Colour", headings=("colour", "color"), attribute=True),
    Column(name="finish", title="Finish", headings=("finish", "surface"), attribute=True),
    Column(name="brightness_nits", title="Brightness, nits", headings=("brightness", "nits"), attribute=True),
)  # fmt: skip
_BY_NAME = {column.name: column for column in COLUMNS}
# In a mapping, a value that begins with this sign stands for every row instead of a column.
SAME_FOR_ALL = "="

_GRADE_WORDS: Mapping[str, str] = {
    **{grade: grade for grade in GRADES}, "new": "genuine new", "original": "genuine new", "genuine": "genuine new", "pulled": "genuine pulled",
    "used": "genuine pulled", "refurb": "refurbished", "renewed": "refurbished", "copy": "aftermarket", "compatible": "aftermarket",
}  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Listing:
    """One row that could be read. Money in minor units; `attributes` are the supplier's claims."""

    number: str
    price_minor: int
    name: str
    kind: str
    printed_number: str
    grade: str
    lead_days: int | None
    stock_there: int | None
    minimum: int
    price_breaks: tuple[tuple[int, int], ...]
    guarantee_days: int | None
    returns: str
    box: tuple[str, ...]
    attributes: Mapping[str, Value]


def guess_mapping(header: Sequence[str], remembered: Mapping[str, str]) -> dict[str, str]:
    """Which column is what: as this supplier's last list was read, as far as its headings are still there, else by heading.

    >>> guess_mapping(["SKU", "Net price", "Pins"], {})
    {'number': 'SKU', 'price': 'Net price', 'connector_pins': 'Pins'}
    """
    found = {
        name: heading
        for name, heading in remembered.items()
        if name in _BY_NAME and (heading in header or heading.startswith(SAME_FOR_ALL))
    }
    taken = set(found.values())
    for exact in (True, False):
        for column in COLUMNS:
            if column.name in found:
                continue
            for heading in header:
                plain = re.sub(r"[^a-z0-9]+", " ", heading.casefold()).strip()
                hit = plain in column.headings or plain == column.name.replace("_", " ")
                if not exact:
                    hit = any(len(one) > 3 and one in plain for one in column.headings)
                if hit and heading not in taken:
                    found[column.name] = heading
                    taken.add(heading)
                    break
    return {column.name: found[column.name] for column in COLUMNS if column.name in found}


def check_mapping(mapping: Mapping[str, str], header: Sequence[str]) -> list[Invalid]:
    """What is wrong with a mapping: something needed is missing, a column is not there or is used twice."""
    problems = [
        Invalid(f"map.{column.name}", "", f"choose the column for “{column.title}”")
        for column in COLUMNS
        if column.needed and not mapping.get(column.name, "").lstrip(SAME_FOR_ALL).strip()
    ]
    used: dict[str, str] = {}
    for name, heading in mapping.items():
        if name not in _BY_NAME or not heading:
            continue
        if not heading.startswith(SAME_FOR_ALL) and heading not in header:
            problems.append(Invalid(f"map.{name}", heading, "choose one of the columns of this list"))
        elif heading in used and not heading.startswith(SAME_FOR_ALL):
            problems.append(
                Invalid(f"map.{name}", heading, f"it is “{_BY_NAME[used[heading]].title}” already")
            )
        used[heading] = name
    return problems


# -- amounts and units ------------------------------------------------------------------------------

_PLAIN_AMOUNT = re.compile(r"[^0-9.,'\s-]")


def decimal_sign(samples: Sequence[str]) -> str:
    """The decimal sign of a column of prices: `.`, `,`, or empty when nothing tells (rule list.amount).

    >>> decimal_sign(["1.234,50", "12"]), decimal_sign(["1,234"]), decimal_sign(["58.00", "7.5"])
    (',', '', '.')
    """
    votes = {".": 0, ",": 0}
    for sample in samples:
        signs = [sign for sign in sample if sign in ".,"]
        tail = re.search(r"[.,]([0-9]+)\D*$", sample)
        if len(set(signs)) == 2:
            votes[signs[-1]] += 1
        elif len(signs) == 1 and tail and len(tail[1]) != 3:
            votes[signs[0]] += 1
    if votes["."] == votes[","]:
        return ""
    return "." if votes["."] > votes[","] else ","


def read_amount(text: str, decimal: str, currency: str) -> int:
    """An amount in minor units; another currency, and what could be read two ways, is refused.

    >>> read_amount("1.234,50 TAL", ",", "TAL"), read_amount("58", "", "TAL")
    (123450, 5800)
    """
    accepts = f"write an amount in {currency}, such as 58.00"
    codes = re.findall(r"[A-Za-z]{3}", text)
    if any(code.upper() != currency for code in codes):
        raise Invalid("price", text, accepts)
    digits = _PLAIN_AMOUNT.sub("", text).replace("'", "").replace(" ", "").replace("\u00a0", "")
    signs = [sign for sign in digits if sign in ".,"]
    if len(set(signs)) == 2:
        decimal = signs[-1]
    elif signs and not decimal:
        tail = len(digits) - digits.rindex(signs[0]) - 1
        if len(signs) == 1 and tail == 3:
            raise Invalid(
                "price", text, "write it with two digits after the decimal sign: it can be read two ways"
            )
        decimal = signs[0] if len(signs) == 1 else ""
    whole, _, part = digits.rpartition(decimal) if decimal and decimal in digits else (digits, "", "")
    if whole and not re.fullmatch(r"[0-9]+|[0-9]{1,3}(?:[.,][0-9]{3})+", whole):
        raise Invalid("price", text, accepts)
    groups = re.sub(r"[.,]", "", whole or "0")
    if not groups.isdecimal() or (part and not part.isdecimal()) or len(groups) > 7 or digits.startswith("-"):
        raise Invalid("price", text, accepts)
    if decimal and digits.count(decimal) > 1:
        raise Invalid("price", text, accepts)
    minor = int(half_up(Decimal(f"{groups}.{part or 0}") * 100, 0))
    if not 0 < minor <= 10_000_000:
        raise Invalid("price", text, "write an amount above zero and at most 100000")
    return minor


_MEASURE = re.compile(
    r"\s*([0-9]{1,5}(?:[.,][0-9]{1,3})?)\s*(mm|cm|in|inch|inches|\"|″|”)?\s*", re.IGNORECASE
)
_TO_MM = {"mm": Decimal(1), "cm": Decimal(10), "in": Decimal("25.4")}


def read_length(text: str, *, inches: bool = False) -> float:
    """A length in mm, or in inches for a diagonal; without a unit it is in what is asked for (rule list.unit).

    >>> read_length("3,2 cm"), read_length('15.6"', inches=True), read_length("39.6 cm", inches=True)
    (32.0, 15.6, 15.59)
    """
    found = _MEASURE.fullmatch(text)
    if not found:
        raise Invalid("length", text, 'write a length such as 359.5, 35.95 cm or 15.6"')
    unit = (found[2] or ("in" if inches else "mm")).lower()
    mm = Decimal(found[1].replace(",", ".")) * _TO_MM["in" if unit not in ("mm", "cm") else unit]
    value = half_up(mm / Decimal("25.4"), 2) if inches else half_up(mm, 3)
    if value <= 0:
        raise Invalid("length", text, "write a length above zero")
    return float(value)


def _whole(text: str, most: int) -> int:
    found = re.match(r"\s*([0-9]{1,6})(?![0-9.,])", text)
    if not found or int(found[1]) > most:
        raise Invalid("number", text, f"write a whole number from 0 to {most}")
    return int(found[1])


# -- a row ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True, kw_only=True)
class RowReader:
    """Reads rows by a mapping. `decimal` is the list's own sign, `places` the index of each column in a row."""

    places: Mapping[str, int]
    constants: Mapping[str, str]
    decimal: str
    currency: str

    @classmethod
    def of(
        cls,
        mapping: Mapping[str, str],
        header: Sequence[str],
        samples: Sequence[Sequence[str]],
        currency: str,
    ) -> RowReader:
        places = {name: list(header).index(heading) for name, heading in mapping.items() if heading in header}
        constants = {
            name: heading[1:].strip() for name, heading in mapping.items() if heading.startswith(SAME_FOR_ALL)
        }
        at = places.get("price", -1)
        return cls(
            places=places,
            constants=constants,
            currency=currency,
            decimal=decimal_sign([row[at] for row in samples if 0 <= at < len(row)]),
        )

    def read(self, row: Sequence[str]) -> tuple[Listing | None, list[Invalid]]:
        """What a row says, or every reason why it cannot be read."""
        problems: list[Invalid] = []
        said = {
            name: unguarded(row[place]).strip() if place < len(row) else ""
            for name, place in self.places.items()
        }
        said.update(self.constants)

        def take(name: str) -> str:
            text = said.get(name, "")
            if len(text) > 200:
                problems.append(Invalid(name, text[:40], "write at most 200 characters"))
            return text[:200]

        number, kind = take("number"), take("kind").casefold()
        for name, text in (("number", number), ("kind", kind)):
            if not text:
                problems.append(Invalid(name, "", f"write the {_BY_NAME[name].title.lower()}"))
        price = self._amount("price", said.get("price", ""), problems)
        grade = _GRADE_WORDS.get(take("grade").casefold(), "" if not said.get("grade") else "?")
        if grade == "?":
            problems.append(
                Invalid("grade", said["grade"], f"use one of: {', '.join(GRADES)}, or leave it empty")
            )
        whole = {
            name: self._number(name, said.get(name, ""), most, problems)
            for name, most in (
                ("lead_days", 365),
                ("stock_there", 999_999),
                ("minimum", 10_000),
                ("guarantee_days", 4_000),
            )
        }
        listing = Listing(
            number=number, price_minor=price, name=take("name") or number, kind=kind, printed_number=take("printed_number"), grade=grade,
            lead_days=whole["lead_days"], stock_there=whole["stock_there"], minimum=max(whole["minimum"] or 1, 1), guarantee_days=whole["guarantee_days"],
            price_breaks=self._breaks(said.get("price_breaks", ""), problems), returns=take("returns"),
            box=tuple(item.strip().casefold() for item in take("box").split("|") if item.strip()), attributes={**self._attributes(said, problems), "kind": kind},
        )  # fmt: skip
        return (None, problems) if problems else (listing, [])

    def _amount(self, name: str, text: str, problems: list[Invalid]) -> int:
        try:
            return read_amount(text, self.decimal, self.currency)
        except Invalid as wrong:
            problems.append(Invalid(name, text, wrong.accepts))
            return 0

    def _number(self, name: str, text: str, most: int, problems: list[Invalid]) -> int | None:
        if not text:
            return None
        try:
            return _whole(text, most)
        except Invalid as wrong:
            problems.append(Invalid(name, text, wrong.accepts))
            return None

    def _breaks(self, text: str, problems: list[Invalid]) -> tuple[tuple[int, int], ...]:
        found = []
        for part in filter(None, (one.strip() for one in text.split("|"))):
            pieces, _, amount = part.partition(":")
            if not pieces.strip().isdecimal() or not amount.strip():
                problems.append(
                    Invalid("price_breaks", part, "write pieces and price, such as 10: 5.40 | 50: 5.00")
                )
                continue
            found.append((int(pieces), self._amount("price_breaks", amount.strip(), problems)))
        return tuple(sorted(found))

    def _attributes(self, said: Mapping[str, str], problems: list[Invalid]) -> dict[str, Value]:
        found: dict[str, Value] = {}
        for name, text in said.items():
            if not text or not _BY_NAME[name].attribute or name == "kind":
                continue
            try:
                found[name] = _attribute(name, text)
            except Invalid as wrong:
                problems.append(Invalid(name, text, wrong.accepts))
        return found


def _attribute(name: str, text: str) -> Value:
    if name == "diagonal_in":
        return read_length(text, inches=True)
    rule = BY_NAME[name]
    if rule.compare is within:
        return read_length(text)
    if rule.compare is at_least or name in ("connector_pins", "brightness_nits"):
        return _whole(text, 10_000)
    if name == "windows":
        read_windows(text)
    return text[:200]


# -- cells that a spreadsheet would run ---------------------------------------------------------------

_RISKY = ("=", "+", "-", "@", "\t", "\r")


def guarded(text: str) -> str:
    """A cell that a spreadsheet does not take for a formula; `unguarded` reads it back.

    >>> guarded("=1+1"), unguarded(guarded("=1+1"))
    ("'=1+1", '=1+1')
    """
    return f"'{text}" if text.startswith(_RISKY) else text


def unguarded(text: str) -> str:
    return text[1:] if text.startswith("'") and text[1:].startswith(_RISKY) else text
