"""Intake: what is wrong on arrival, what works, what came along, what was agreed, what is promised."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum

from sutura.core.catalogue import Model
from sutura.core.errors import Invalid
from sutura.core.values import COMMON, FunctionResult, Outcome, Rule


@dataclass(frozen=True, slots=True, kw_only=True)
class Consent:
    """A text a customer agrees to, in one of its versions; `needed` = no intake without it."""

    id: str
    text: str
    needed: bool
    version: int = 1


CONSENTS = (
    Consent(
        id="data", text="My data may be lost. I have backed up what I need, or I go without.", needed=True
    ),
    Consent(id="splash", text="After opening, splash protection is no longer promised.", needed=True),
    Consent(
        id="parts", text="A part that is not genuine may be used; some features may differ.", needed=True
    ),
    Consent(
        id="collect", text="A device not collected within 60 days may be charged for storage.", needed=False
    ),
)

ACCESSORIES = ("SIM card", "Memory card", "Case", "Charger", "Stylus")


class Channel(StrEnum):
    WAITING = "waiting"
    DROP_OFF = "drop_off"
    MAIL = "mail"


RULES = (
    Rule(id="intake.not-testable", capability="intake",
         says="A function that cannot be tested is recorded as not testable, with the reason; it is neither fine nor broken.", source=COMMON),
    Rule(id="intake.no-passcode", capability="intake",
         says="No passcode is ever written down: the customer enters it, or the test is marked not testable.", source=COMMON),
    Rule(id="intake.parcel", capability="intake",
         says="A device that came by mail has the condition of its parcel and the address it goes back to.", source=COMMON),
    Rule(id="intake.promise", capability="intake",
         says="The earliest promise is now plus the work to count (rule plan.promise) and the cure; an earlier one needs a reason.", source=COMMON),
)  # fmt: skip


def check_functions(
    model: Model, results: Mapping[str, tuple[str, str]]
) -> tuple[list[FunctionResult], list[Invalid]]:
    """A complete function list from answers `{function: (outcome, reason)}`, or every problem in it.

    Each function of the model is answered; faulty and not testable say how or why.
    """
    found: list[FunctionResult] = []
    problems: list[Invalid] = []
    for function in model.functions:
        outcome, reason = results.get(function.id, ("", ""))
        place = f"function.{function.id}"
        if outcome not in set(Outcome):
            problems.append(
                Invalid(place, outcome, f"answer “{function.name}”: works, faulty or not testable")
            )
        elif outcome != Outcome.WORKS and not reason.strip():
            what = "how it is faulty" if outcome == Outcome.FAULTY else "why it cannot be tested"
            problems.append(Invalid(place, "", f"write {what} ({function.name})"))
        else:
            found.append(
                FunctionResult(function=function.id, outcome=Outcome(outcome), reason=reason.strip())
            )
    return found, problems


@dataclass(frozen=True, slots=True, kw_only=True)
class Photo:
    """An upright JPEG, its size in pixels, and a small one of it."""

    image: bytes
    thumb: bytes
    width: int
    height: int


# more photos than this are not looked at again; the shop's, no source
MOST_PHOTOS = 12
DATA_STATES: Mapping[str, str] = {
    "backed_up": "backed up by the customer", "declines": "the customer declines a backup", "none": "nothing on it that matters",
}  # fmt: skip
PARCEL_STATES = ("whole", "dented", "torn", "wet", "opened")
# what an intake says of how a device came, besides what is drawn and tested
ARRIVAL_FIELDS = ("data", "parcel_number", "parcel_state", "return_address")


def check_arrival(channel: str, said: Mapping[str, str]) -> list[Invalid]:
    """How it came: what happens to the data, and for a parcel its number, its condition and where it goes back to.

    A passcode is never asked for and never kept (rule intake.no-passcode).
    """
    problems = []
    if said.get("data", "") not in ("", *DATA_STATES):
        problems.append(
            Invalid("arrival.data", said.get("data", ""), "choose what is agreed about the data on it")
        )
    if channel == Channel.MAIL:
        if said.get("parcel_state", "") not in PARCEL_STATES:
            accepts = f"say how the parcel came: {', '.join(PARCEL_STATES)}"
            problems.append(Invalid("arrival.parcel_state", said.get("parcel_state", ""), accepts))
        if len(said.get("return_address", "").strip()) < 10:
            problems.append(
                Invalid(
                    "arrival.return_address", said.get("return_address", ""), "write where it is sent back to"
                )
            )
    problems += [
        Invalid(f"arrival.{name}", said[name][:60], "write at most 300 characters")
        for name in ARRIVAL_FIELDS
        if len(said.get(name, "")) > 300
    ]
    return problems


# The pad a customer signs on, in its own units; a signature is strokes of points on it.
PAD = (300, 90)
MOST_STROKES, MOST_SIGNED = 60, 4_000


def check_signature(strokes: Sequence[Sequence[tuple[float, float]]]) -> list[Invalid]:
    """A signature lies on its pad and is one a hand can draw; none at all is one on the printed ticket."""
    count = sum(len(stroke) for stroke in strokes)
    on_pad = all(0 <= x <= PAD[0] and 0 <= y <= PAD[1] for stroke in strokes for x, y in stroke)
    if len(strokes) > MOST_STROKES or count > MOST_SIGNED or not on_pad:
        return [
            Invalid(
                "signature", f"{len(strokes)} strokes", "sign once more on the pad, or on the printed ticket"
            )
        ]
    return []


def check_consents(agreed: Sequence[str], offered: Sequence[Consent] = CONSENTS) -> list[Invalid]:
    """What the customer has not agreed to and must, of the texts in use."""
    return [
        Invalid(f"consent.{consent.id}", "", f"the customer must agree: “{consent.text}”")
        for consent in offered
        if consent.needed and consent.id not in agreed
    ]


def check_consent_text(name: str, text: str) -> list[Invalid]:
    """A consent text in plain words, with a name that stays when its words change."""
    problems = []
    if not re.fullmatch(r"[a-z][a-z0-9-]{0,30}", name):
        problems.append(
            Invalid("consent", name, "use small letters, digits and hyphens, a letter first, up to 31")
        )
    if not 10 <= len(text.strip()) <= 500:
        problems.append(Invalid("text", text[:60], "write 10 to 500 characters in plain words"))
    return problems


def is_overtaken(kept: Mapping[str, Sequence[str]], sent: Mapping[str, Sequence[str]]) -> bool:
    """True when a later sending of the same page was kept already: the network delivered them the wrong way round."""

    def last(fields: Mapping[str, Sequence[str]], name: str) -> str:
        return next(reversed(fields.get(name, ())), "")

    same_page = last(kept, "page") != "" and last(kept, "page") == last(sent, "page")
    numbers = [last(fields, "seq") for fields in (kept, sent)]
    return same_page and all(one.isdecimal() for one in numbers) and int(numbers[1]) < int(numbers[0])


def earliest_promise(now: datetime, minutes: int, cure_minutes: int) -> datetime:
    """The earliest time that can be kept, rounded up to the next five minutes."""
    ready = now + timedelta(minutes=minutes + cure_minutes)
    over = timedelta(minutes=ready.minute % 5, seconds=ready.second, microseconds=ready.microsecond)
    return ready if not over else ready - over + timedelta(minutes=5)


def check_promise(promise: datetime | None, reason: str, earliest: datetime) -> list[Invalid]:
    if promise is None:
        return [Invalid("promise_at", "", "choose the day and time the customer was promised")]
    if promise < earliest and not reason.strip():
        return [
            Invalid(
                "promise_at", f"{promise:%d.%m. %H:%M}",
                f"the earliest that can be kept is {earliest:%d.%m. %H:%M}; promise that, or write why earlier is possible",
            )
        ]  # fmt: skip
    return []


def check_customer(name: str, phone: str, email: str) -> list[Invalid]:
    """A customer has a name and a way to be reached."""
    problems = []
    if not name.strip() or len(name) > 120:
        problems.append(Invalid("name", name, "write the customer's name (at most 120 characters)"))
    if not phone.strip() and not email.strip():
        problems.append(Invalid("phone", "", "give a phone number or an email address"))
    if phone.strip() and (
        len(phone) > 40 or sum(c.isdigit() for c in phone) < 5 or set(phone) - set("0123456789 +-/().")
    ):
        problems.append(
            Invalid(
                "phone",
                phone,
                "use digits, spaces, +, -, / and brackets, at least five digits, at most 40 signs",
            )
        )
    if email.strip() and (len(email) > 200 or "@" not in email[1:-1] or " " in email.strip()):
        problems.append(Invalid("email", email, "write an address such as name@example.test"))
    return problems
