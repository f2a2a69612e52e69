"""Who changed money, people and customers, and when: append-only."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from sutura.store.tables import AuditEvent


def add_audit(person_id: int, at: datetime, what: str, detail: Mapping[str, object]) -> None:
    AuditEvent.insert(person=person_id, at=at, what=what, detail=dict(detail)).execute()
