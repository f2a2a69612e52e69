"""Customers: their phone numbers in one form, records that may be the same person, what is left when one is
erased.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sutura.core.facts import Say, fact
from sutura.core.values import COMMON, Rule

ERASED = "erased"
# Two numbers whose last digits agree may be one, written with and without its country; the shop's, no source.
SAME_DIGITS = 8

RULES = (
    Rule(
        id="intake.same-customer",
        capability="intake",
        says=(
            f"Records with the same email, or phone numbers that end in the same {SAME_DIGITS} digits, "
            "or the same name, may be one person: it is suggested, and a person decides."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.erase",
        capability="intake",
        says=(
            "An erased customer leaves no name, number, address, serial number or photo; the figures "
            "of the jobs stay."
        ),
        source=COMMON,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Contact:
    """What tells whether two records are the same person."""

    id: int
    name: str
    phone: str
    email: str


def plain_phone(text: str) -> str:
    """A phone number as digits: international ones with their country, others as they are dialled here.

    >>> plain_phone("+44 (0)20 7946 0018"), plain_phone("0044 20 7946 0018"), plain_phone("555 01-01")
    ('442079460018', '442079460018', '5550101')
    """
    import phonenumbers  # its tables take a tenth of a second; only customers need them

    tidy = text.strip()
    if tidy.startswith("00"):
        tidy = "+" + tidy[2:]
    if tidy.startswith("+"):
        try:
            number = phonenumbers.parse(tidy, None)
            return phonenumbers.format_number(number, phonenumbers.PhoneNumberFormat.E164).lstrip("+")
        except phonenumbers.NumberParseException:
            pass
    return "".join(c for c in tidy if c in "0123456789")


def may_be_same(one: Contact, others: Sequence[Contact]) -> list[tuple[Contact, Say]]:
    """Records that may be the same person as one, and why (rule intake.same-customer); never decided here."""
    pairs = []
    for other in others:
        why = _why_same(one, other)
        if other.id != one.id and why:
            pairs.append((other, why))
    return pairs


def _why_same(one: Contact, other: Contact) -> Say:
    if one.email and one.email.strip().casefold() == other.email.strip().casefold():
        return fact("intake.same-email")
    mine, theirs = plain_phone(one.phone), plain_phone(other.phone)
    if (
        mine
        and theirs
        and (mine == theirs or (len(mine) >= SAME_DIGITS and mine[-SAME_DIGITS:] == theirs[-SAME_DIGITS:]))
    ):
        return fact("intake.same-phone-number")
    if " ".join(one.name.casefold().split()) == " ".join(other.name.casefold().split()):
        return fact("intake.same-name")
    return ""
