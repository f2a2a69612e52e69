"""What core says: facts – an id and values – and never a finished sentence. `words` says them for a locale
and a zone.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Fact:
    """One thing to say: its id, such as `typed.to`, and the values it is said with.

    A value is a text, a number, a moment, an amount, a member of an enum, another fact, or several of them.
    """

    id: str
    values: tuple[tuple[str, Any], ...] = ()

    def value(self, name: str) -> Any:
        """One of its values; an unknown name is a programmer's mistake."""
        return dict(self.values)[name]

    def __str__(self) -> str:
        """For programmers and logs; a page that shows these signs forgot to have it said."""
        values = " ".join(f"{name}={value}" for name, value in self.values)
        return f"⟦{self.id}{' ' if values else ''}{values}⟧"


@dataclass(frozen=True, slots=True)
class Minutes:
    """A length of time to say."""

    minutes: int


@dataclass(frozen=True, slots=True)
class OpenMinutes:
    """A length of working time to say: minutes in which the shop is open, of which no day has twenty-four
    hours.
    """

    minutes: int


def fact(id: str, /, **values: Any) -> Fact:
    """
    >>> str(fact("typed.to", least=0, most=9))
    '⟦typed.to least=0 most=9⟧'
    """
    return Fact(id, tuple(values.items()))


# a fact, or a text as it stands: a name, a title of a table, what somebody wrote
Say = Fact | str
NOTHING_SAID = Fact("said.nothing")


def sentences(parts: Iterable[Say | None]) -> Say:
    """Several facts as sentences one after the other; what is missing is left out."""
    said = tuple(part for part in parts if part and part != NOTHING_SAID)
    if not said:
        return NOTHING_SAID
    return said[0] if len(said) == 1 else fact("said.sentences", parts=said)


def to_json(value: Any) -> Any:
    """A fact, and what it holds, as JSON keeps it; `from_json` reads it back."""
    if isinstance(value, Fact):
        return {"fact": value.id, "values": {name: to_json(each) for name, each in value.values}}
    if isinstance(value, list | tuple):
        return [to_json(each) for each in value]
    return value


def from_json(raw: Any) -> Any:
    """
    >>> from_json(to_json(fact("a.b", parts=(fact("a.c"),)))) == fact("a.b", parts=(fact("a.c"),))
    True
    """
    if isinstance(raw, dict) and raw.keys() == {"fact", "values"}:
        return Fact(raw["fact"], tuple((name, from_json(each)) for name, each in raw["values"].items()))
    if isinstance(raw, list):
        return tuple(from_json(each) for each in raw)
    return raw
