"""A form sent twice is done once: the second gets the first one's answer."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import datetime

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.values import Person
from sutura.store import formkeys as formkeys_store
from sutura.store.database import writing

# how long a form that is sent a second time waits for what comes of the first; the shop's, no source
WAITS_S = 10


@writing
def once(key: str, by: Person, now: datetime, act: Callable[[], str], content: str = "") -> str:
    """Do `act` and keep its address under the form's one-time key, in one transaction.

    A refused act leaves no trace, so the corrected form may use the same key. A key that was used with
    another `content` is refused: what is sent now was not done, and is not said to be.
    """
    done = _claim(key, by, now, content)
    if done is not None:
        return done
    result = act()
    formkeys_store.save_form_result(f"{by.id}:{key}", result)
    return result


def once_outside(key: str, by: Person, now: datetime, act: Callable[[], str], content: str = "") -> str:
    """The same for an act that asks an outside device or service, which is never done inside a transaction:
    what it keeps, it keeps by itself, and it may be done again where whoever did it was cut off.
    """
    until = time.monotonic() + WAITS_S
    while (done := _claimed(key, by, now, content)) == "" and time.monotonic() < until:
        # the same form a moment ago: its answer is this one's too
        time.sleep(0.1)
    if done:
        return done
    try:
        result = act()
    except BaseException:
        _forget(key, by)
        raise
    _save(key, by, result)
    return result


def _claim(key: str, by: Person, now: datetime, content: str) -> str | None:
    """None for the first who uses a key; else what came of its first use, empty where that is not known."""
    if not 8 <= len(key) <= 64:
        raise Invalid("form_key", key, fact("once.reload-page-send-form-again"))
    before = formkeys_store.claim_form_key(f"{by.id}:{key}", by.id, now, content)
    if before is None:
        return None
    result, held = before
    if held != content:
        raise Invalid("form_key", key, fact("once.sent-before-with-other-content"))
    return result


@writing
def _claimed(key: str, by: Person, now: datetime, content: str) -> str | None:
    return _claim(key, by, now, content)


@writing
def _forget(key: str, by: Person) -> None:
    formkeys_store.forget_form_key(f"{by.id}:{key}")


@writing
def _save(key: str, by: Person, result: str) -> None:
    formkeys_store.save_form_result(f"{by.id}:{key}", result)
