"""One-time keys of forms: the second use of one gets the first one's answer."""

from __future__ import annotations

from datetime import datetime

from sutura.store.database import rows
from sutura.store.tables import FormKey


def claim_form_key(key: str, person_id: int, at: datetime) -> str | None:
    """None when the key is new and now ours; else the result of its first use.

    A second request with the same key waits here for the first one's transaction.
    """
    claim = FormKey.insert(key=key, person=person_id, at=at).on_conflict_ignore().returning(FormKey.key)
    if rows(claim):
        return None
    return str(FormKey.select(FormKey.result).where(FormKey.key == key).scalar())


def save_form_result(key: str, result: str) -> None:
    FormKey.update(result=result).where(FormKey.key == key).execute()
