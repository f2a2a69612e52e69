"""What the house asks of outside devices. A driver fulfils one of these and passes its contract test."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from typing import Protocol

from sutura.core.maths.money import Money


class Away(RuntimeError):
    """The device or the service does not answer; nothing happened, and it may be asked again."""


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderText:
    """An order as a supplier takes it: its number, to whom, and its text in the supplier's form (csv or
    mail).
    """

    number: str
    supplier: str
    form: str
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LineAnswer:
    """What a supplier says of one article: how many it will send, the day it expects them to arrive, and why
    fewer or later. None sent has no day.
    """

    number: str
    pieces: int
    expected_on: date | None
    says: str = ""


class SupplierDesk(Protocol):
    """Takes orders for suppliers and answers for each article of them.

    The same order handed in twice is one order: the answer is the same. Raises Away when it cannot be
    reached.
    """

    def submit(self, order: OrderText, today: date) -> tuple[LineAnswer, ...]: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Message:
    """A message to a customer: a telephone number or a mail address, and its text; a mail is its whole MIME
    beside it.
    """

    to: str
    text: str
    mail: bytes = b""


class Undeliverable(RuntimeError):
    """The sender answers, and cannot reach that number or address."""


class Messenger(Protocol):
    """Sends short messages. Raises Away when it cannot be reached, Undeliverable where the number or address
    is none; nothing was sent then.
    """

    def send(self, message: Message) -> None: ...

    def forget(self, receivers: Sequence[str]) -> None:
        """Throw away what is kept of messages to these numbers and addresses; a sender that keeps nothing has
        nothing to do.
        """


class NoAnswer(RuntimeError):
    """The terminal was asked and its answer did not come: nobody knows whether it charged."""


class CardSays(StrEnum):
    """What a card terminal says of a charge."""

    APPROVED = "approved"
    DECLINED = "declined"


class CardTerminal(Protocol):
    """Charges cards. A reference is charged once, however often it is asked. Raises Away when it cannot be
    reached – nothing was charged then – and NoAnswer when it was asked and does not say.
    """

    def charge(self, reference: str, amount: Money) -> CardSays: ...

    def look_up(self, reference: str) -> CardSays | None:
        """What came of a reference; None for one that it never heard of."""

    def refund(self, charge: str, reference: str, amount: Money) -> CardSays:
        """Give a part of a charge back to its card, or all of it; a reference is given back once, however
        often it is asked. Declined where nothing was charged, or less than would go back then.
        """


class Stopped(StrEnum):
    """Why a printer prints no more."""

    NOTHING = ""
    EMPTY = "empty"
    JAMMED = "jammed"


@dataclass(frozen=True, slots=True, kw_only=True)
class Printed:
    """How many labels came out, in their order, and why no more did."""

    count: int
    stopped: Stopped = Stopped.NOTHING


class Silent(RuntimeError):
    """The display does not answer the programmer: it is no original-grade one."""


@dataclass(frozen=True, slots=True, kw_only=True)
class DisplaySays:
    """What a display says of itself: its serial and the model it is made for."""

    serial: str
    model: str


class DisplayProgrammer(Protocol):
    """Reads and writes the serial of the display it is clipped to. Raises Away when the link is lost – while
    writing, nobody knows then what the display holds – and Silent where the display does not answer.
    """

    def read(self) -> DisplaySays: ...

    def write(self, serial: str) -> None: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Warmth:
    """What a thermometer shows, in the unit it is set to: C or F. Its emissivity is set to 1."""

    value: float
    unit: str


class Thermometer(Protocol):
    """Reads the surface it is held at, as if that were a black body. Raises Away when it cannot be
    reached.
    """

    def read(self) -> Warmth: ...


@dataclass(frozen=True, slots=True, kw_only=True)
class PlateSays:
    """What a hot plate shows, in °C, and what it is set to; None when it is off."""

    c: float
    wanted_c: int | None


class HotPlate(Protocol):
    """Warms to what it is set to and holds it. Raises Away when it cannot be reached; it then does what it
    did.
    """

    def set(self, c: int | None) -> None: ...

    def read(self) -> PlateSays: ...


class LabelPrinter(Protocol):
    """Prints labels, each a PDF of one page. What came out is counted; the rest may be sent again. Raises
    Away when it cannot be reached.
    """

    def print_labels(self, labels: Sequence[bytes]) -> Printed: ...
