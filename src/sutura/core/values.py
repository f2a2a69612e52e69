"""Values that several capabilities share: people in action, outcomes of tests, reasons."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Role(StrEnum):
    MANAGER = "manager"
    COUNTER = "counter"
    TECHNICIAN = "technician"


@dataclass(frozen=True, slots=True, kw_only=True)
class Person:
    """Someone who works here. `id` is the database's number."""

    id: int
    name: str
    role: Role


class Outcome(StrEnum):
    """How a function tested. Not testable is a value of its own and is never shown as working."""

    WORKS = "works"
    FAULTY = "faulty"
    NOT_TESTABLE = "not_testable"


@dataclass(frozen=True, slots=True, kw_only=True)
class FunctionResult:
    """One function tried once, with the reason when it did not simply work."""

    function: str
    outcome: Outcome
    reason: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """A rule of the trade or the shop: what it says and where it comes from. Listed for the user."""

    id: str
    capability: str
    says: str
    source: str


COMMON = "common practice, no source"
