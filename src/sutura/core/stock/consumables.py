"""What a repair uses up: tape by the centimetre, glue and cleaner by the millilitre, wipes by the piece."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from enum import StrEnum
from functools import partial
from typing import Any

from sutura.core.catalogue.model import Face
from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.maths.geometry import Edge, length, rim
from sutura.core.typed import Problems, read_amount, read_choice, read_number, read_text, read_whole
from sutura.core.values import COMMON, Rule


class Unit(StrEnum):
    """In what it is counted."""

    CM = "cm"
    ML = "ml"
    PIECE = "piece"


class UsedFor(StrEnum):
    """What it does in a repair; `other` is booked by hand only."""

    TAPE = "tape"
    GLUE = "glue"
    CLEANER = "cleaner"
    WIPE = "wipe"
    OTHER = "other"


UNIT_OF = {UsedFor.TAPE: Unit.CM, UsedFor.GLUE: Unit.ML, UsedFor.CLEANER: Unit.ML, UsedFor.WIPE: Unit.PIECE}
# a tenth more than the rim, for corners and cuts; common practice, no source
TAPE_WASTE = Decimal("1.1")
# a bead of 1 mm by 1 mm along the rim; common practice, no source
BEAD_MM2 = Decimal(1)
# to loosen what is left of the old adhesive, and to clean both faces; common practice, no source
CLEANER_ML_PER_CM = Decimal("0.1")
WIPES = Decimal(2)
MOST = Decimal(100_000)

RULES = (
    Rule(
        id="stock.consumables",
        capability="stock",
        says=(
            "Each repair that closes a device books what its size and its seal take: tape once round the "
            "glass and a tenth more, or a bead of glue of 1 × 1 mm; 0.1 ml of cleaner for each centimetre "
            "of rim; two wipes. It is an estimate: what is there is never below nothing, and where more "
            "was needed than was there it asks for a count, which sets it right."
        ),
        source=COMMON,
    ),
    Rule(
        id="stock.consumables-again",
        capability="stock",
        says=(
            "A consumable is ordered again when what is there and on order would, with 95 % sureness, not "
            "last until the order of a week later came; so much then that it lasts eight weeks more, in "
            "whole packs. Its use is what repairs took in the last 12 weeks: so many repairs, each its "
            "own amount. A limit written by hand counts instead."
        ),
        source="Compound Poisson, with its sum taken as gamma distributed; the weeks: the shop's, no source",
    ),
)
# looked at again after so many days; how sure it must last till then; and for how long it is bought
REVIEW_DAYS, SURE, COVER_DAYS = 7, 0.95, 56
MOST_PACKS = 1_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Use:
    """What a job takes of one kind of thing, in its unit."""

    used_for: UsedFor
    quantity: Decimal


def rim_mm(face: Face) -> Decimal:
    """Once round the glass, in mm, along its rounded corners."""
    total = sum(length(rim(edge, face.glass, face.corner_mm)) for edge in Edge)
    return Decimal(str(round(total, 1)))


def uses_of(face: Face, seal: str) -> tuple[Use, ...]:
    """What one repair takes, by the device's face and how it is sealed (rule stock.consumables).

    A seal that comes cut with its part takes neither tape nor glue.
    """
    round_mm = rim_mm(face)
    uses = []
    if "tape" in seal:
        uses.append(Use(used_for=UsedFor.TAPE, quantity=_hundredths(round_mm / 10 * TAPE_WASTE)))
    elif "glue" in seal:
        uses.append(Use(used_for=UsedFor.GLUE, quantity=_hundredths(round_mm * BEAD_MM2 / 1000)))
    if seal:
        cleaner = _hundredths(round_mm / 10 * CLEANER_ML_PER_CM)
        uses.append(Use(used_for=UsedFor.CLEANER, quantity=cleaner))
    uses.append(Use(used_for=UsedFor.WIPE, quantity=WIPES))
    return tuple(uses)


def cost_of(uses: Sequence[Use], terms: Mapping[UsedFor, Terms]) -> int:
    """What a repair takes of consumables costs, in minor units: by what a pack holds and costs; nothing for
    what the shop does not keep, or whose pack nobody wrote.

    >>> terms = Terms(holds=Decimal(2000), price_minor=640)
    >>> cost_of([Use(used_for=UsedFor.TAPE, quantity=Decimal(500))], {UsedFor.TAPE: terms})
    160
    """
    total = Decimal(0)
    for use in uses:
        pack = terms.get(use.used_for)
        if pack and pack.holds and pack.price_minor is not None:
            total += use.quantity * pack.price_minor / pack.holds
    return int(total.quantize(Decimal(1), ROUND_HALF_UP))


def _hundredths(number: Decimal) -> Decimal:
    return number.quantize(Decimal("0.01"), ROUND_HALF_UP)


def take(on_hand: Decimal, needed: Decimal) -> tuple[Decimal, Decimal]:
    """How much is booked of what is needed, and how much was short: never more than is there.

    >>> take(Decimal("30"), Decimal("37.5"))
    (Decimal('30'), Decimal('7.5'))
    """
    booked = min(on_hand, needed)
    return booked, needed - booked


@dataclass(frozen=True, slots=True, kw_only=True)
class Used:
    """What repairs took of a consumable in so many days: how often, in all, and the sum of the squares."""

    times: int
    total: Decimal
    squares: Decimal
    days: int

    def over(self, days: float) -> tuple[float, float]:
        """Mean and variance of what is used in so many days to come: repairs come at random (Poisson), each
        takes its own amount, and the rate is known only as well as it was seen.
        """
        total, squares = float(self.total), float(self.squares)
        mean = total / self.days * days
        return mean, squares / self.days * days + squares * (days / self.days) ** 2

    def chance_above(self, stock: Decimal, days: float) -> float:
        """The chance that more than `stock` is used in so many days."""
        mean, variance = self.over(days)
        if mean <= 0:
            return 0.0
        from scipy import special

        return float(special.gammaincc(mean * mean / variance, max(float(stock), 0.0) * mean / variance))

    def at_most(self, chance: float, days: float) -> float:
        """What is not passed in so many days with this chance."""
        mean, variance = self.over(days)
        if mean <= 0:
            return 0.0
        from scipy import special

        return float(special.gammaincinv(mean * mean / variance, chance)) * variance / mean


@dataclass(frozen=True, slots=True, kw_only=True)
class Again:
    """Whether and how much to order: the limit, packs now, and the chance of running out within `days`
    without them and with them.
    """

    limit: Decimal
    packs: int
    days: int
    out_without: float
    out_with: float


def advise(
    *, here: Decimal, ordered: Decimal, used: Used, lead_days: int, written: Decimal | None, holds: Decimal
) -> Again:
    """What to order of a consumable today (rule stock.consumables-again), in packs that hold so much.

    What is ordered now helps from its arrival on and not before.
    """
    days = lead_days + REVIEW_DAYS
    limit = _hundredths(Decimal(str(used.at_most(SURE, days)))) if written is None else written
    position = here + ordered
    packs = 0
    if position <= limit and (written is not None or used.total > 0):
        wanted = limit + _hundredths(Decimal(str(used.over(COVER_DAYS)[0]))) - position
        packs = min(max(1, math.ceil(wanted / holds)), MOST_PACKS)
    without = used.chance_above(position, days)
    having = without
    if packs:
        having = max(used.chance_above(here, lead_days), used.chance_above(position + packs * holds, days))
    return Again(limit=limit, packs=packs, days=days, out_without=without, out_with=min(without, having))


def weeks_left(on_hand: Decimal, used: Decimal, weeks: int) -> float | None:
    """For how many weeks it lasts at what was used in the weeks before; None where none was used."""
    return float(on_hand / (used / weeks)) if used > 0 else None


@dataclass(frozen=True, slots=True, kw_only=True)
class Terms:
    """How it is ordered: the limit written by hand, None = worked out; who sells it, what a pack holds, what
    it costs, and how many days it takes.
    """

    again_at: Decimal | None = None
    supplier_id: str | None = None
    holds: Decimal | None = None
    price_minor: int | None = None
    lead_days: int = 7


def read_terms(
    typed: Mapping[str, str], suppliers: Sequence[str], currency: str, problems: Problems
) -> Terms:
    """How a consumable is ordered, as typed; what is left empty is not known. Problems are added."""

    def optional(name: str, read: Callable[[str], Any]) -> Any:
        text = typed.get(name, "").strip()
        return problems.read(name, text, read) if text else None

    days = optional("lead_days", partial(read_whole, most=365))
    return Terms(
        again_at=optional("again_at", read_quantity),
        supplier_id=optional("supplier", lambda text: read_choice(text, tuple(suppliers))),
        holds=optional("holds", lambda text: _more_than_nothing(text)),
        price_minor=optional("price", partial(read_amount, currency=currency)),
        lead_days=7 if days is None else days,
    )


def _more_than_nothing(text: str) -> Decimal:
    number = read_quantity(text)
    if number == 0:
        raise Invalid("", text, fact("stock.more-than-nothing"))
    return number


@dataclass(frozen=True, slots=True, kw_only=True)
class NewConsumable:
    """A consumable as it is set up."""

    id: str
    name: str
    unit: Unit
    used_for: UsedFor
    place: str
    terms: Terms


def read_quantity(text: str) -> Decimal:
    """A quantity as typed, to the hundredth, not below nothing."""
    return _hundredths(read_number(text, 0, MOST, fact("stock.quantity-to-100000")))


def read_consumable(
    typed: Mapping[str, str], known: Sequence[str], suppliers: Sequence[str], currency: str
) -> NewConsumable:
    """A consumable as typed; every problem at its field. Its unit is that of what it is used for."""
    problems = Problems("The consumable")
    name = problems.read("name", typed.get("name", ""), partial(read_text, most=80, least=1)) or ""
    used_for = problems.read(
        "used_for", typed.get("used_for", ""), lambda text: UsedFor(read_choice(text, tuple(UsedFor)))
    )
    unit = UNIT_OF.get(used_for or UsedFor.OTHER)
    if unit is None:
        unit = problems.read("unit", typed.get("unit", ""), lambda text: Unit(read_choice(text, tuple(Unit))))
    place = problems.read("place", typed.get("place", ""), partial(read_text, most=40)) or ""
    terms = read_terms(typed, suppliers, currency, problems)
    number = id_of(name)
    if name and number in known:
        problems.add("name", name, fact("stock.another-name"))
    elif name and not number:
        problems.add("name", name, fact("stock.letters-in-name"))
    problems.refuse()
    return NewConsumable(
        id=number,
        name=name,
        unit=unit or Unit.PIECE,
        used_for=used_for or UsedFor.OTHER,
        place=place,
        terms=terms,
    )


def id_of(name: str) -> str:
    """A name as an id: small letters and digits with dashes between.

    >>> id_of("Tape, 2 mm")
    'tape-2-mm'
    """
    letters = "".join(one if one.isascii() and one.isalnum() else " " for one in name.casefold())
    return "-".join(letters.split())[:40].strip("-")
