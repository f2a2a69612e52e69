"""Intake: what is wrong on arrival, what works, what came along, what was agreed, what is promised."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import Any

from sutura.core.catalogue.model import Function, Model
from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.typed import read_number, read_whole
from sutura.core.values import COMMON, FunctionResult, Outcome, Rule


class Applies(StrEnum):
    """The devices that a consent is asked for."""

    ALWAYS = "always"
    SPLASH = "splash"
    GLASS_ONLY = "glass_only"


@dataclass(frozen=True, slots=True, kw_only=True)
class Consent:
    """A text a customer agrees to, in one of its versions; `needed` = no intake without it."""

    id: str
    text: str
    needed: bool
    version: int = 1
    applies: Applies = Applies.ALWAYS


# these come without any protection against splashes, sealed or not; common practice
_NO_SPLASH = frozenset({"laptop", "two-in-one", "handheld"})
# parts that leave the old panel in: laying on glass is where it may break
_GLASS_KINDS = frozenset({"glass", "glass and touch"})


def is_asked(applies: Applies, model: Model) -> bool:
    """Whether a consent is asked for this model (rule intake.consent-applies)."""
    if applies is Applies.SPLASH:
        return model.seal != "" and model.device_class not in _NO_SPLASH
    if applies is Applies.GLASS_ONLY:
        return any(route.kind in _GLASS_KINDS for route in model.ways)
    return True


CONSENTS = (
    Consent(
        id="data", text="My data may be lost. I have backed up what I need, or I go without.", needed=True
    ),
    Consent(
        id="splash",
        text="After opening, splash protection is no longer promised.",
        needed=True,
        applies=Applies.SPLASH,
    ),
    Consent(
        id="glass",
        text=(
            "If the glass alone is changed, the display may break in the work; then the whole "
            "front is needed, at "
            "its price."
        ),
        needed=True,
        applies=Applies.GLASS_ONLY,
    ),
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
    Rule(
        id="intake.hot-cell",
        capability="intake",
        says=(
            "A back warmer than 45 °C on a device that is off tells of a cell that warms itself: stop, set "
            "it apart on something that does not burn, follow the local fire and waste rules."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.ways-told",
        capability="intake",
        says="A customer is told only ways to repair it that this model has.",
        source=COMMON,
    ),
    Rule(
        id="intake.consent-applies",
        capability="intake",
        says=(
            "What a customer agrees to follows the device: splash protection is asked where a "
            "sealed device has "
            "any, the risk to the display where glass alone is a way to repair it."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.not-testable",
        capability="intake",
        says=(
            "A function that cannot be tested is recorded as not testable, with the reason; it is "
            "neither fine nor broken."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.functions-kept",
        capability="intake",
        says=(
            "A job keeps the functions of its day: what its model loses later is tested all the same. What "
            "its model gains before the test is tested with it, and was not tested on arrival."
        ),
        source=COMMON,
    ),
    Rule(
        id="intake.no-passcode",
        capability="intake",
        says="No passcode is ever written down: the customer enters it, or the test is marked not testable.",
        source=COMMON,
    ),
    Rule(
        id="intake.parcel",
        capability="intake",
        says="A device that came by mail has the condition of its parcel and the address it goes back to.",
        source=COMMON,
    ),
    Rule(
        id="intake.again",
        capability="intake",
        says=(
            "Until the device is opened, what could not be tested on arrival may be tried again, such "
            "as after charging; both answers stay, the later one counts."
        ),
        source=COMMON,
    ),
)


def check_functions(
    model: Model, results: Mapping[str, tuple[str, str]]
) -> tuple[list[FunctionResult], list[Invalid]]:
    """A complete function list from answers `{function: (outcome, reason)}`, or every problem in it.

    Each function of the model is answered; faulty and not testable say how or why.
    """
    answered: list[FunctionResult] = []
    problems: list[Invalid] = []
    for function in model.functions:
        outcome, reason = results.get(function.id, ("", ""))
        place = f"function.{function.id}"
        if outcome not in set(Outcome):
            problems.append(
                Invalid(
                    place, outcome, fact("intake.answer-works-faulty-not-testable", function=function.name)
                )
            )
        elif outcome != Outcome.WORKS and not reason.strip():
            what = (
                fact("intake.how-faulty") if outcome == Outcome.FAULTY else fact("intake.why-cannot-tested")
            )
            problems.append(Invalid(place, "", fact("intake.write", what=what, function=function.name)))
        else:
            answered.append(
                FunctionResult(function=function.id, outcome=Outcome(outcome), reason=reason.strip())
            )
    return answered, problems


def functions_kept(functions: Sequence[Function]) -> list[dict[str, object]]:
    """Functions as a job keeps them: each with what is not as usual."""
    usual = {each.name: each.default for each in fields(Function)}
    return [{name: value for name, value in asdict(one).items() if value != usual[name]} for one in functions]


def functions_of(kept: Sequence[Mapping[str, Any]], model: Model, *, gains: bool) -> tuple[Function, ...]:
    """The functions of a job: those of its day, and where it `gains` what its model has besides (rule
    intake.functions-kept).
    """
    day = tuple(Function(**one) for one in kept)
    if not day:
        return model.functions
    known = {one.id for one in day}
    return (*day, *(one for one in model.functions if gains and one.id not in known))


def arrived_with(function: str, baseline: Mapping[str, FunctionResult]) -> FunctionResult:
    """What a function did on arrival; what was not asked then was not tested."""
    return baseline.get(function) or FunctionResult(function=function, outcome=Outcome.NOT_TESTABLE)


def untested(model: Model, baseline: Mapping[str, FunctionResult]) -> list[Function]:
    """What could not be tested on arrival, and may be tried again."""
    return [
        function
        for function in model.functions
        if function.id in baseline and baseline[function.id].outcome is Outcome.NOT_TESTABLE
    ]


def check_again(
    model: Model, before: Mapping[str, FunctionResult], answers: Mapping[str, tuple[str, str]]
) -> tuple[list[FunctionResult], list[Invalid]]:
    """What was tried again of what could not be tested, by rule intake.again; an empty answer leaves it as it
    was.

    Only functions that were not testable may change: what worked or failed on arrival stays.
    """
    results, problems = [], []
    for function in model.functions:
        outcome, reason = answers.get(function.id, ("", ""))
        if not outcome:
            continue
        place = f"function.{function.id}"
        known = before.get(function.id)
        if known is None or known.outcome is not Outcome.NOT_TESTABLE:
            problems.append(
                Invalid(place, outcome, fact("intake.leave-was-found-arrival", function=function.name))
            )
        elif outcome not in (Outcome.WORKS, Outcome.FAULTY):
            problems.append(Invalid(place, outcome, fact("intake.answer-works-faulty-leave-not-testable")))
        elif outcome == Outcome.FAULTY and not reason.strip():
            problems.append(Invalid(place, "", fact("intake.write-how-faulty", function=function.name)))
        else:
            results.append(
                FunctionResult(function=function.id, outcome=Outcome(outcome), reason=reason.strip())
            )
    return results, problems


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
    "backed_up": "backed up by the customer",
    "declines": "the customer declines a backup",
    "none": "nothing on it that matters",
}
PARCEL_STATES = ("whole", "dented", "torn", "wet", "opened")
# what an intake says of how a device came, besides what is drawn and tested
ARRIVAL_FIELDS = (
    "data",
    "battery_level",
    "parcel_number",
    "parcel_state",
    "return_address",
    "display_serial",
    "back_c",
    "upgrade",
    "estimate",
)
# a back this warm, lying there switched off, tells of a cell that warms itself; common practice, no source
HOT_BACK_C = 45
_DEGREES = fact("intake.write-degrees")


def is_hot(back_c: str) -> bool:
    """Whether the back of a device is so warm that its cell is in doubt (rule intake.hot-cell); what cannot
    be read is not.

    >>> is_hot("46.5"), is_hot("45"), is_hot("")
    (True, False, False)
    """
    try:
        return read_number(back_c, -40, 300, _DEGREES) > HOT_BACK_C
    except Invalid:
        return False


def check_arrival(channel: str, said: Mapping[str, str]) -> list[Invalid]:
    """How it came: what happens to the data, and for a parcel its number, its condition and where it goes
    back to.

    A passcode is never asked for and never kept (rule intake.no-passcode).
    """
    problems = []
    if said.get("data", "") not in ("", *DATA_STATES):
        problems.append(
            Invalid("arrival.data", said.get("data", ""), fact("intake.choose-what-agreed-about-data"))
        )
    if channel == Channel.MAIL:
        if said.get("parcel_state", "") not in PARCEL_STATES:
            accepts = fact("intake.say-how-parcel-came", parcel_states=tuple(PARCEL_STATES))
            problems.append(Invalid("arrival.parcel_state", said.get("parcel_state", ""), accepts))
        if len(said.get("return_address", "").strip()) < 10:
            problems.append(
                Invalid(
                    "arrival.return_address",
                    said.get("return_address", ""),
                    fact("intake.write-where-sent-back"),
                )
            )
    if level := said.get("battery_level", "").strip():
        try:
            read_whole(level.removesuffix("%"), 100)
        except Invalid as wrong:
            problems.append(Invalid("arrival.battery_level", level, wrong.accepts))
    if back := said.get("back_c", "").strip():
        try:
            read_number(back, -40, 300, _DEGREES)
        except Invalid as wrong:
            problems.append(Invalid("arrival.back_c", back, wrong.accepts))
    problems += [
        Invalid(f"arrival.{name}", said[name][:60], fact("intake.write-most-300-characters"))
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
            Invalid("signature", f"{len(strokes)} strokes", fact("intake.sign-once-more-pad-printed-ticket"))
        ]
    return []


# one tick for everything that has to be agreed to
ALL_NEEDED = "usual"


def consents_given(ticked: Sequence[str], offered: Sequence[Consent]) -> list[str]:
    """The texts that were agreed to: those ticked, and with the one tick for all every text that is needed.

    >>> consents_given(["usual", "collect"], CONSENTS)
    ['collect', 'data', 'splash', 'glass', 'parts']
    """
    given = [one for one in ticked if one != ALL_NEEDED]
    needed = [one.id for one in offered if one.needed] if ALL_NEEDED in ticked else []
    return list(dict.fromkeys([*given, *needed]))


def check_consents(agreed: Sequence[str], offered: Sequence[Consent] = CONSENTS) -> list[Invalid]:
    """What the customer has not agreed to and must, of the texts in use."""
    return [
        Invalid(f"consent.{consent.id}", "", fact("intake.customer-must-agree", consent=consent.text))
        for consent in offered
        if consent.needed and consent.id not in agreed
    ]


def check_consent_text(name: str, text: str) -> list[Invalid]:
    """A consent text in plain words, with a name that stays when its words change."""
    problems = []
    if not re.fullmatch(r"[a-z][a-z0-9-]{0,30}", name):
        problems.append(Invalid("consent", name, fact("intake.use-small-letters-digits-hyphens-letter")))
    if not 10 <= len(text.strip()) <= 500:
        problems.append(Invalid("text", text[:60], fact("intake.write-10-500-characters-plain-words")))
    return problems


def is_overtaken(kept: Mapping[str, Sequence[str]], sent: Mapping[str, Sequence[str]]) -> bool:
    """True when a later sending of the same page was kept already: the network delivered them the wrong way
    round.
    """

    def last(fields: Mapping[str, Sequence[str]], name: str) -> str:
        return next(reversed(fields.get(name, ())), "")

    same_page = last(kept, "page") != "" and last(kept, "page") == last(sent, "page")
    numbers = [last(fields, "seq") for fields in (kept, sent)]
    return same_page and all(number.isdecimal() for number in numbers) and int(numbers[1]) < int(numbers[0])


def check_customer(name: str, phone: str, email: str) -> list[Invalid]:
    """A customer has a name and a way to be reached."""
    problems = []
    if not name.strip() or len(name) > 120:
        problems.append(Invalid("name", name, fact("intake.write-customers-name-most-120-characters")))
    if not phone.strip() and not email.strip():
        problems.append(Invalid("phone", "", fact("intake.give-phone-number-email-address")))
    if phone.strip() and (
        len(phone) > 40 or sum(c.isdigit() for c in phone) < 5 or set(phone) - set("0123456789 +-/().")
    ):
        problems.append(Invalid("phone", phone, fact("intake.use-digits-spaces-brackets-least-five")))
    if email.strip() and (len(email) > 200 or "@" not in email[1:-1] or " " in email.strip()):
        problems.append(Invalid("email", email, fact("intake.write-address-such-name-example-test")))
    return problems
