"""One-time keys of forms: the second use of one gets the first one's answer."""

from __future__ import annotations

from datetime import datetime

from sutura.store.database import row, rows
from sutura.store.tables import FormKey


def claim_form_key(key: str, person_id: int, at: datetime, content: str) -> tuple[str, str] | None:
    """None when the key is new and now ours; else the result of its first use, and what it held then.

    A second request with the same key waits here for the first one's transaction.
    """
    claim = (
        FormKey.insert(key=key, person=person_id, at=at, content=content)
        .on_conflict_ignore()
        .returning(FormKey.key)
    )
    if rows(claim):
        return None
    result, held = row(FormKey.select(FormKey.result, FormKey.content).where(FormKey.key == key))
    return str(result), str(held)


def save_form_result(key: str, result: str) -> None:
    FormKey.update(result=result).where(FormKey.key == key).execute()


def forget_form_key(key: str) -> None:
    """A form that was refused may be sent again as it is; one that came to something stays known."""
    FormKey.delete().where(FormKey.key == key, FormKey.result == "").execute()
