"""How the Counter is set up: what customers agree to, and its suction cups."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime

from sutura.core.bench.heat import read_room
from sutura.core.catalogue.model import Model
from sutura.core.errors import Invalid, StaleSave
from sutura.core.facts import fact
from sutura.core.intake.arrival import Applies, Consent, check_consent_text, is_asked
from sutura.core.intake.cups import cups_text, read_cups
from sutura.core.intake.opening import CUPS_MM
from sutura.core.people import Deed, demand
from sutura.core.typed import Problems, read_choice
from sutura.core.values import Person
from sutura.services.shop import lock_for
from sutura.store import audit as audit_store
from sutura.store import consents as consents_store
from sutura.store import shop as shop_store
from sutura.store.database import reading, writing


@reading
def cups_mm() -> tuple[int, ...]:
    """The suction cups this shop has, by diameter."""
    shop = shop_store.load_shop()
    return shop.cups_mm if shop else CUPS_MM


@writing
def change_cups(typed: str, version: int, by: Person, now: datetime) -> None:
    """The shop's own suction cups: the opening plan places only these."""
    before = lock_for(by, Deed.SET_UP_COUNTER)
    cups = read_cups(typed)
    if before.version != version:
        raise StaleSave(
            "The cups", "another manager", None, {"cups": typed}, {"cups": cups_text(before.cups_mm)}
        )
    shop_store.save_shop(cups_mm=list(cups))
    audit_store.add_audit(by.id, now, "cups changed", {"before": list(before.cups_mm), "after": list(cups)})


@writing
def change_room(typed: str, version: int, by: Person, now: datetime) -> None:
    """How warm the workshop is: what is read by infrared is set right by it, and what is left cools to it."""
    before = lock_for(by, Deed.SET_UP_COUNTER)
    room = read_room(typed)
    if before.version != version:
        raise StaleSave("The room", "another manager", None, {"room": typed}, {"room": f"{before.room_c:f}"})
    shop_store.save_shop(room_c=room)
    audit_store.add_audit(by.id, now, "room changed", {"before": str(before.room_c), "after": str(room)})


# a second person looks at a beginner's work: never, where a part was fitted, at every repair
SECOND_LOOKS = ("", "part", "all")


@writing
def change_second_look(typed: str, version: int, by: Person, now: datetime) -> None:
    """Whether a second person looks at a beginner's work before it is sealed."""
    before = lock_for(by, Deed.SET_UP_COUNTER)
    if typed not in SECOND_LOOKS:
        raise Invalid("second_look", typed, fact("consents.choose-a-second-look"))
    if before.version != version:
        mine, theirs = {"second_look": typed}, {"second_look": before.second_look}
        raise StaleSave("The second look", "another manager", None, mine, theirs)
    shop_store.save_shop(second_look=typed)
    audit_store.add_audit(by.id, now, "second look changed", {"before": before.second_look, "after": typed})


@reading
def consents(model: Model | None = None) -> list[Consent]:
    """The texts in use, in their newest versions; for a model those that are asked for it."""
    texts = [
        Consent(
            id=consent_text.consent,
            text=consent_text.text,
            needed=consent_text.needed,
            version=consent_text.version,
            applies=Applies(consent_text.applies),
        )
        for consent_text in consents_store.consent_texts()
    ]
    return [text for text in texts if model is None or is_asked(text.applies, model)]


@writing
def save_consent(
    name: str,
    text: str,
    *,
    needed: bool,
    active: bool,
    version: int,
    by: Person,
    now: datetime,
    applies: str = Applies.ALWAYS,
) -> None:
    """A new text, or a new version of one: what was agreed to before stays word for word with its jobs."""
    demand(by, Deed.SET_UP_COUNTER)
    problems = Problems("This text")
    problems.extend(check_consent_text(name, text))
    problems.read("applies", applies, lambda choice: read_choice(choice, tuple(Applies)))
    problems.refuse()
    consents_store.lock_consents()
    before = next(
        (
            consent_text
            for consent_text in consents_store.consent_texts(every=True)
            if consent_text.consent == name
        ),
        None,
    )
    if (before.version if before else 0) != version:
        yours = {"text": text, "needed": str(needed), "active": str(active), "applies": applies}
        theirs = {name: str(getattr(before, name)) for name in yours} if before else {}
        raise StaleSave("This text", "", None, yours, {**dict.fromkeys(yours, "nothing"), **theirs})
    row = consents_store.ConsentRow(
        consent=name,
        version=version + 1,
        text=text.strip(),
        needed=needed,
        active=active,
        applies=Applies(applies).value,
    )
    if before is None or replace(before, version=row.version) != row:
        consents_store.add_consent_text(row, by.id, now)
