"""The shop's own numbers: its rates and weights, and who changed them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from babel import Locale

from sutura.core.catalogue.unlisted import DEVICE_CLASSES
from sutura.core.errors import NotFound, StaleSave
from sutura.core.facts import fact
from sutura.core.matching.ranking import read_weights, weights_from, weights_kept
from sutura.core.maths.money import amount_text
from sutura.core.people import Deed, demand
from sutura.core.quoting.policy import policy_kept, policy_texts, read_policy
from sutura.core.quoting.pricing import rate_texts, read_rates
from sutura.core.shop import AHEAD, WEEK_FIELDS, OpenHours, hours_kept, hours_texts, read_week
from sutura.core.values import Person
from sutura.store import audit as audit_store
from sutura.store import messages as messages_store
from sutura.store import shop as store
from sutura.store.database import reading, writing
from sutura.words.speech import Speech, languages


@reading
def shop() -> store.ShopRecord:
    record = store.load_shop()
    if record is None:
        raise NotFound("shop", "set up")
    return record


@reading
def open_hours() -> OpenHours:
    """When the shop is open; always, while it set no hours."""
    return shop().open_hours


def speech() -> Speech:
    """How this shop says things, for what is kept word for word."""
    return Speech(zone=ZoneInfo(shop().timezone))


@reading
def language_of(job_id: int) -> str:
    """The language in which a job's customer is told and reads papers: theirs, where papers exist in it."""
    *_, language, _ = messages_store.wants_of(job_id)
    return language if language in languages() else speech().language


@reading
def speech_for(job_id: int, plain: Speech) -> Speech:
    """How what a job's customer reads is said: in their language, where it is one that papers exist in."""
    return replace(plain, locale=Locale.parse(language_of(job_id)))


def lock_for(by: Person, deed: Deed) -> store.ShopRecord:
    """The shop's own numbers, locked for a change that this person may make."""
    demand(by, deed)
    record = store.lock_shop()
    if record is None:
        raise NotFound("shop", "set up")
    return record


@writing
def set_up_shop(name: str, address: str, timezone: str, currency: str) -> bool:
    """Set up the one shop, with rates a manager then changes; False when there is one already."""
    if store.lock_shop() is not None:
        return False
    store.add_shop(
        name=name,
        address=address,
        timezone=timezone,
        currency=currency,
        bench_rate_minor=7_200,
        markup_bps=3_500,
        tax_bps=2_000,
    )
    return True


@writing
def change_hours(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change the week of opening hours and the closed days; promises made before stay as they are."""
    before = lock_for(by, Deed.SET_UP_COUNTER)
    kept = hours_kept(*read_week(typed))
    if before.version != version:
        theirs = hours_texts(before.open_hours)
        raise StaleSave(
            fact("shop.the-hours"),
            "another manager",
            None,
            {name: typed.get(name, "") for name in WEEK_FIELDS},
            theirs,
        )
    store.save_shop(hours=kept)
    audit_store.add_audit(by.id, now, "hours changed", {"before": dict(before.hours), "after": kept})


@writing
def change_weights(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change the weights by which offers are ranked."""
    before = lock_for(by, Deed.SET_PRICE)
    weights = read_weights(typed, before.bench_rate_minor, before.currency)
    if before.version != version:
        theirs = {
            name: amount_text(minor, before.currency)
            for name, minor in weights_kept(weights_from(before.weights, 0)).items()
        }
        raise StaleSave("The weights", "another manager", None, dict(typed), theirs)
    store.save_shop(weights=weights_kept(weights))
    audit_store.add_audit(
        by.id, now, "weights changed", {"before": dict(before.weights), "after": weights_kept(weights)}
    )


@writing
def change_policy(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change how prices are made; prices that are agreed stay as they are."""
    before = lock_for(by, Deed.SET_PRICE)
    policy = read_policy(typed, before.rates.policy, DEVICE_CLASSES)
    if before.version != version:
        yours, theirs = (policy_texts(one, DEVICE_CLASSES) for one in (policy, before.rates.policy))
        both = yours.keys() | theirs.keys()
        raise StaleSave(
            fact("shop.the-policy"),
            "another manager",
            None,
            {name: yours.get(name, "") for name in sorted(both)},
            {name: theirs.get(name, "") for name in sorted(both)},
        )
    kept = policy_kept(policy)
    store.save_shop(price_policy=kept)
    audit_store.add_audit(
        by.id, now, "price policy changed", {"before": policy_kept(before.rates.policy), "after": kept}
    )


@writing
def change_rates(typed: Mapping[str, str], version: int, by: Person, now: datetime) -> None:
    """Change bench rate (per hour), markup and tax (per cent); both percents are kept in basis points."""
    before = lock_for(by, Deed.SET_PRICE)
    changes = read_rates(typed, before.currency)
    if before.version != version:
        raise StaleSave(fact("shop.shops-rates"), "another manager", None, typed, rate_texts(before.rates))
    store.save_shop(**changes)
    audit_store.add_audit(by.id, now, "rates changed", changes)


@writing
def heal_clock(now: datetime) -> dict[str, int]:
    """Forget what is of a time that is not come yet (rule shop.clock); how much of each."""
    ahead = now + AHEAD
    return {**store.forget_after(ahead), "messages": messages_store.due_at_once(ahead, now)}


@writing
def throw_away(drafts_days: int, traces_days: int, lists_days: int, now: datetime) -> dict[str, int]:
    """What is kept longer than the shop's settings say is thrown away; how much of each."""
    drafts, traces, lists = (now - timedelta(days=days) for days in (drafts_days, traces_days, lists_days))
    return store.throw_away(drafts, traces, lists, now)
