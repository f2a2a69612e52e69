"""What a repair uses up: tape by the centimetre, glue and cleaner by the millilitre, wipes by the piece."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import ROUND_HALF_UP, Decimal
from enum import StrEnum
from functools import partial

from sutura.core.catalogue.model import Face
from sutura.core.facts import fact
from sutura.core.maths.geometry import Edge, length, rim
from sutura.core.typed import Problems, read_choice, read_number, read_text
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
)


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


def _hundredths(number: Decimal) -> Decimal:
    return number.quantize(Decimal("0.01"), ROUND_HALF_UP)


def take(on_hand: Decimal, needed: Decimal) -> tuple[Decimal, Decimal]:
    """How much is booked of what is needed, and how much was short: never more than is there.

    >>> take(Decimal("30"), Decimal("37.5"))
    (Decimal('30'), Decimal('7.5'))
    """
    booked = min(on_hand, needed)
    return booked, needed - booked


def weeks_left(on_hand: Decimal, used: Decimal, weeks: int) -> float | None:
    """For how many weeks it lasts at what was used in the weeks before; None where none was used."""
    return float(on_hand / (used / weeks)) if used > 0 else None


@dataclass(frozen=True, slots=True, kw_only=True)
class NewConsumable:
    """A consumable as it is set up."""

    id: str
    name: str
    unit: Unit
    used_for: UsedFor
    place: str
    again_at: Decimal


def read_quantity(text: str) -> Decimal:
    """A quantity as typed, to the hundredth, not below nothing."""
    return _hundredths(read_number(text, 0, MOST, fact("stock.quantity-to-100000")))


def read_consumable(typed: Mapping[str, str], known: Sequence[str]) -> NewConsumable:
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
    again = problems.read("again_at", typed.get("again_at", "") or "0", read_quantity)
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
        again_at=again or Decimal(0),
    )


def id_of(name: str) -> str:
    """A name as an id: small letters and digits with dashes between.

    >>> id_of("Tape, 2 mm")
    'tape-2-mm'
    """
    letters = "".join(one if one.isascii() and one.isalnum() else " " for one in name.casefold())
    return "-".join(letters.split())[:40].strip("-")
