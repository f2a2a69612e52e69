"""Migrations: frozen files run in order, once each, under a lock so that two starts cannot race."""

from __future__ import annotations

from pathlib import Path

from playhouse.migrations import Runner

from sutura.store.database import DATABASE, connection, raw

_LOCK = 0x5E8A


def migrate(folder: Path) -> list[str]:
    """Bring the database up to date; the names of what was applied."""
    with connection():
        # a lock of the whole database, outside any transaction: peewee has no word for it
        raw("select pg_advisory_lock(%s)", _LOCK)
        try:
            applied: list[str] = Runner(DATABASE, str(folder)).up()
        finally:
            raw("select pg_advisory_unlock(%s)", _LOCK)
        return applied


def pending(folder: Path) -> list[str]:
    """Names of migrations not applied yet."""
    with connection():
        runner = Runner(DATABASE, str(folder))
        return [migration.name for migration in runner.status() if not migration.applied]
