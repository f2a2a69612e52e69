"""A form sent twice is done once: the second gets the first one's answer."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime

from sutura.core.errors import Invalid
from sutura.core.facts import fact
from sutura.core.values import Person
from sutura.store import formkeys as formkeys_store
from sutura.store.database import writing


@writing
def once(key: str, by: Person, now: datetime, act: Callable[[], str], content: str = "") -> str:
    """Do `act` and keep its address under the form's one-time key, in one transaction.

    A refused act leaves no trace, so the corrected form may use the same key. A key that was used with
    another `content` is refused: what is sent now was not done, and is not said to be.
    """
    if not 8 <= len(key) <= 64:
        raise Invalid("form_key", key, fact("once.reload-page-send-form-again"))
    before = formkeys_store.claim_form_key(f"{by.id}:{key}", by.id, now, content)
    if before is not None:
        result, held = before
        if held != content:
            raise Invalid("form_key", key, fact("once.sent-before-with-other-content"))
        return result
    result = act()
    formkeys_store.save_form_result(f"{by.id}:{key}", result)
    return result
